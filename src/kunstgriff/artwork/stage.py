"""The stage where artwork comes in and is got ready."""

from __future__ import annotations

from kunstgriff.artwork.arranging import (
    CopyParts,
    DeleteParts,
    GroupParts,
    LeaveOutParts,
    MoveParts,
    PlacePart,
    ReplaceInNames,
    SetStandingPoint,
)
from kunstgriff.artwork.checks import curved_strips, meaningless_names, odd_layers, off_the_sheet, sides_not_told_apart
from kunstgriff.artwork.edits import OrderPart, RenamePart, SetOpacity, ShowParts
from kunstgriff.artwork.joint_checks import cut_away, limb_ends, lines_differ
from kunstgriff.artwork.looks import BlendParts, LockParts, PaintGroup, TintParts
from kunstgriff.artwork.mending import EraseStrays, FillHoles, GrowUnder, HardenEdges, MakeCap, RedrawLine, SplitIslands
from kunstgriff.artwork.merging import JoinInkAndFill, MergeParts
from kunstgriff.artwork.pivots import PickInk, SetGroupPivot, SetInks, SetPivot, SuggestPivots
from kunstgriff.artwork.remaking import TurnPart
from kunstgriff.artwork.renewing import RenewSheet
from kunstgriff.artwork.sets import (
    AddToSet,
    DissolveSet,
    MakeSet,
    OrderSet,
    TakeDrawings,
    TakeFromSet,
    hidden_alternates,
)
from kunstgriff.artwork.straight import LeaveCurved, Straighten, straighten_anew
from kunstgriff.figure.edit import Edits
from kunstgriff.figure.findings import Check
from kunstgriff.figure.renewal import OnArtChanged
from kunstgriff.figure.stage import Stage

ARTWORK = Stage(
    "artwork",
    (
        Edits(
            MoveParts,
            PlacePart,
            SetStandingPoint,
            ReplaceInNames,
            GroupParts,
            CopyParts,
            LeaveOutParts,
            DeleteParts,
            RenamePart,
            ShowParts,
            SetOpacity,
            OrderPart,
            LockParts,
            TintParts,
            BlendParts,
            PaintGroup,
            MakeCap,
            GrowUnder,
            FillHoles,
            EraseStrays,
            HardenEdges,
            RedrawLine,
            SplitIslands,
            MergeParts,
            JoinInkAndFill,
            SetPivot,
            SuggestPivots,
            SetInks,
            PickInk,
            TurnPart,
            RenewSheet,
            Straighten,
            LeaveCurved,
            MakeSet,
            AddToSet,
            TakeFromSet,
            DissolveSet,
            OrderSet,
            TakeDrawings,
            SetGroupPivot,
        ),
        Check(meaningless_names),
        Check(sides_not_told_apart),
        Check(hidden_alternates),
        Check(off_the_sheet),
        Check(odd_layers),
        Check(curved_strips),
        Check(limb_ends),
        Check(lines_differ),
        Check(cut_away),
        OnArtChanged(straighten_anew, reads=frozenset({"picture"}), writes=frozenset({"strip"})),
    ),
)
