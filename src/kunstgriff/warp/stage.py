"""The stage of warps: what reshapes parts beyond what their bones do."""

from __future__ import annotations

from kunstgriff.evaluate.program import Nodes, RestShaper
from kunstgriff.figure.edit import Edits
from kunstgriff.figure.findings import Check
from kunstgriff.figure.renewal import OnArtChanged, OnRestChanged, OnSetupCopied
from kunstgriff.figure.stage import Stage
from kunstgriff.warp.cage_edits import AddCorner, LayCage, RemoveCorners, SetCage
from kunstgriff.warp.channels import SHIFT_X, SHIFT_Y, WIDTH
from kunstgriff.warp.checks import carried_by_nothing, folded, folded_by_tacks, idle_tacks, lost_bones, too_coarse
from kunstgriff.warp.curve_edits import LayCurve, SetCurve, WidenHandles
from kunstgriff.warp.edits import (
    ChangeWhatIsUnder,
    EvenHandles,
    FitMeshes,
    LiftWarp,
    MoveHandles,
    OrderWarp,
    RideHandles,
    TieHandles,
)
from kunstgriff.warp.hem.edits import LayHem, LiftHem, SetHem, TuneHem
from kunstgriff.warp.lattice_edits import LayLattice, SetLattice
from kunstgriff.warp.laying import refit_mesh
from kunstgriff.warp.renewing import laid_at_new_rest, warps_alike
from kunstgriff.warp.tack_edits import (
    ChangeTacks,
    CopyTack,
    ProposeTacks,
    RemoveTacks,
    SetTack,
    SetTacks,
    StiffenPart,
)
from kunstgriff.warp.ties import BrushTies, TieWarp
from kunstgriff.warp.warping import reshaped, warping

WARP = Stage(
    "warp",
    (
        SHIFT_X,
        SHIFT_Y,
        WIDTH,
        Edits(
            LayLattice,
            LayCage,
            LayCurve,
            SetLattice,
            SetCage,
            SetCurve,
            WidenHandles,
            AddCorner,
            RemoveCorners,
            MoveHandles,
            EvenHandles,
            TieHandles,
            SetTack,
            ProposeTacks,
            ChangeTacks,
            CopyTack,
            RemoveTacks,
            SetTacks,
            StiffenPart,
            LayHem,
            SetHem,
            TuneHem,
            LiftHem,
            RideHandles,
            TieWarp,
            BrushTies,
            FitMeshes,
            ChangeWhatIsUnder,
            OrderWarp,
            LiftWarp,
        ),
        RestShaper(reshaped),
        Nodes(warping),
        OnArtChanged(refit_mesh, reads=frozenset({"picture", "strip"})),
        OnRestChanged(laid_at_new_rest),
        OnSetupCopied(warps_alike),
        Check(folded),
        Check(too_coarse),
        Check(carried_by_nothing),
        Check(lost_bones),
        Check(folded_by_tacks),
        Check(idle_tacks),
    ),
)
