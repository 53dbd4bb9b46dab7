"""The stage that keeps seams hidden."""

from __future__ import annotations

from kunstgriff.evaluate.program import Drawer, DrawPass, ExtraGeometry
from kunstgriff.figure.edit import Edits
from kunstgriff.figure.findings import Check
from kunstgriff.figure.renewal import OnArtChanged, OnRestChanged, OnSetupCopied
from kunstgriff.figure.stage import Stage
from kunstgriff.seam.cap import LayCap, capped_anew
from kunstgriff.seam.checks import orders_agree
from kunstgriff.seam.clip import ClipPart, clipped
from kunstgriff.seam.cover import covers
from kunstgriff.seam.cover_edits import LayCover, LiftCover, LiftTreatment, made_cover
from kunstgriff.seam.cutting import CutPart, JoinAgain
from kunstgriff.seam.fold import DrawFold, folds, made_fold
from kunstgriff.seam.gusset import LayGusset, gusset_nets, gussets, made_gusset
from kunstgriff.seam.meeting import SayMeeting
from kunstgriff.seam.opening import OpenOutline, made_opening, opened_parts
from kunstgriff.seam.ordering import OrderByPose, ReorderParts, StackByPose, ordered, stacked_by_pose
from kunstgriff.seam.recipes import RecipeMaker
from kunstgriff.seam.renewing import remake_treatments, treatments_alike, treatments_at_rest
from kunstgriff.seam.stand_in import MakeStandIn, StandInFor, stood_in
from kunstgriff.seam.treating import TreatJoints
from kunstgriff.seam.trim import CutInk, LayTrim, made_ink_cut, made_trim, trimmed
from kunstgriff.seam.widths import BlendWidths

SEAM = Stage(
    "seam",
    (
        Edits(
            LayCap,
            ClipPart,
            LayCover,
            LiftCover,
            LiftTreatment,
            CutPart,
            JoinAgain,
            DrawFold,
            LayGusset,
            SayMeeting,
            OpenOutline,
            StackByPose,
            ReorderParts,
            OrderByPose,
            StandInFor,
            MakeStandIn,
            TreatJoints,
            LayTrim,
            CutInk,
            BlendWidths,
        ),
        Check(orders_agree),
        RecipeMaker("opening", made_opening),
        RecipeMaker("gusset", made_gusset),
        RecipeMaker("fold", made_fold),
        RecipeMaker("cover", made_cover),
        RecipeMaker("trim", made_trim),
        RecipeMaker("ink_cut", made_ink_cut),
        ExtraGeometry(gusset_nets),
        Drawer(gussets),
        Drawer(folds),
        Drawer(covers),
        DrawPass(opened_parts, reads=frozenset({"pictures"}), writes=frozenset({"pictures"})),
        DrawPass(trimmed, reads=frozenset({"pictures"}), writes=frozenset({"masks"})),
        DrawPass(clipped, reads=frozenset({"pictures", "masks"}), writes=frozenset({"masks"})),
        DrawPass(stacked_by_pose, reads=frozenset({"masks"}), writes=frozenset({"items"})),
        DrawPass(stood_in, reads=frozenset({"items", "switches"}), writes=frozenset({"switches"})),
        DrawPass(ordered, reads=frozenset({"switches"})),
        OnArtChanged(capped_anew, writes=frozenset({"picture"})),
        OnArtChanged(
            remake_treatments, reads=frozenset({"picture", "strip", "binding"}), writes=frozenset({"treatments"})
        ),
        OnRestChanged(treatments_at_rest),
        OnSetupCopied(treatments_alike),
    ),
)
