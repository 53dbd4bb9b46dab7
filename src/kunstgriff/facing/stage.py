"""The stage of facings."""

from __future__ import annotations

from kunstgriff.facing.channels import QUANTITIES
from kunstgriff.facing.checks import misplaced
from kunstgriff.facing.edits import (
    AddFacing,
    InFacing,
    LendParts,
    LiftFacing,
    MirrorFacings,
    SetFacing,
    TakeNamedFacings,
)
from kunstgriff.facing.flips import FlipBones, turned_wrongly
from kunstgriff.facing.lining_up import BindAsOn, LineUp
from kunstgriff.figure.edit import Edits
from kunstgriff.figure.findings import Check
from kunstgriff.figure.stage import Stage

FACING = Stage(
    "facing",
    (
        *QUANTITIES,
        Edits(
            AddFacing,
            MirrorFacings,
            SetFacing,
            LiftFacing,
            LendParts,
            TakeNamedFacings,
            InFacing,
            LineUp,
            BindAsOn,
            FlipBones,
        ),
        Check(misplaced),
        Check(turned_wrongly),
    ),
)
