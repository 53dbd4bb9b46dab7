"""The stage that ties drawings to bones."""

from __future__ import annotations

from kunstgriff.binding.checks import left_behind, no_bones, redrawn_beyond_the_mesh, unbound_parts
from kunstgriff.binding.column_edits import (
    CopyWeights,
    LockWeights,
    MergeInfluence,
    MirrorWeights,
    PruneWeights,
    SwapBones,
)
from kunstgriff.binding.copying import CopySetup, SetUpAlike
from kunstgriff.binding.deforming import DeformerNode, deformers
from kunstgriff.binding.drawings import AddDrawing, bound_otherwise, jumping_drawings
from kunstgriff.binding.edits import (
    BindFigure,
    BindNearest,
    BindRider,
    BindRigid,
    BindWeighted,
    FollowAgain,
    GroupFollows,
    SetDeltaMush,
    SetRider,
    StackBones,
    Unbind,
)
from kunstgriff.binding.from_parts import BonesFromParts
from kunstgriff.binding.geometries import parts, rider_geometry, rigid_geometry, unbound_geometry, weighted_geometry
from kunstgriff.binding.mesh_edits import (
    AddVertex,
    KeepEdge,
    MoveVertices,
    Remesh,
    RemeshRegion,
    RemoveVertices,
    ThinMesh,
)
from kunstgriff.binding.placing import placing
from kunstgriff.binding.rebinding import rebind
from kunstgriff.binding.refit import note_shift, refit
from kunstgriff.binding.rest_pose import TakePose
from kunstgriff.binding.riders import riders
from kunstgriff.binding.showing import shown_by_sets
from kunstgriff.binding.skinning import skinning
from kunstgriff.binding.smoothing import delta_mush
from kunstgriff.binding.taken_sets import TakeSet
from kunstgriff.binding.weight_edits import EvenWeights, GradientWeights, LetGo, PaintWeights, SettleIslands, SetWeights
from kunstgriff.binding.zone_edits import SetInfluences, SetZone, TuneJoints
from kunstgriff.evaluate.program import Drawer, DrawPass, GeometryBuilder, Nodes
from kunstgriff.figure.edit import Edits
from kunstgriff.figure.findings import Check
from kunstgriff.figure.renewal import OnArtChanged, OnBonesChanged
from kunstgriff.figure.stage import Stage

BINDING = Stage(
    "binding",
    (
        Edits(
            LockWeights,
            PruneWeights,
            MirrorWeights,
            CopyWeights,
            SwapBones,
            MergeInfluence,
            CopySetup,
            SetUpAlike,
            AddDrawing,
            TakeSet,
            BindRigid,
            BindWeighted,
            BindFigure,
            StackBones,
            BindNearest,
            BindRider,
            SetRider,
            Unbind,
            FollowAgain,
            GroupFollows,
            SetDeltaMush,
            BonesFromParts,
            MoveVertices,
            AddVertex,
            RemoveVertices,
            KeepEdge,
            RemeshRegion,
            Remesh,
            ThinMesh,
            TakePose,
            PaintWeights,
            SetWeights,
            GradientWeights,
            EvenWeights,
            SettleIslands,
            LetGo,
            SetInfluences,
            SetZone,
            TuneJoints,
        ),
        Check(unbound_parts),
        Check(left_behind),
        Check(redrawn_beyond_the_mesh),
        Check(no_bones),
        Check(bound_otherwise),
        Check(jumping_drawings),
        GeometryBuilder("unbound", unbound_geometry),
        GeometryBuilder("rider", rider_geometry),
        GeometryBuilder("rigid", rigid_geometry),
        GeometryBuilder("weighted", weighted_geometry),
        Drawer(parts),
        Nodes(skinning),
        Nodes(deformers),
        DeformerNode("delta_mush", delta_mush),
        Nodes(placing),
        Nodes(riders),
        DrawPass(shown_by_sets, reads=frozenset({"items", "switches"}), writes=frozenset({"switches"})),
        OnArtChanged(note_shift, reads=frozenset({"picture", "strip", "binding"}), writes=frozenset({"binding"})),
        OnArtChanged(refit, reads=frozenset({"picture", "strip", "binding"}), writes=frozenset({"binding"})),
        OnBonesChanged(rebind),
    ),
)
