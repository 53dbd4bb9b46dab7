"""The stage of what follows through."""

from __future__ import annotations

from kunstgriff.figure.edit import Edits
from kunstgriff.figure.renewal import OnSetupCopied
from kunstgriff.figure.stage import Stage
from kunstgriff.follow.alike import GiveSettings
from kunstgriff.follow.around_edits import LayColliders, LiftColliders, PassColliders, SetCollider, SetFloor, SetWind
from kunstgriff.follow.channels import QUANTITIES
from kunstgriff.follow.edits import (
    HangEnd,
    RemoveSpring,
    SetCycle,
    SetSpring,
    TieChains,
    TuneSprings,
    UntieChains,
    WishSpring,
    springs_alike,
)
from kunstgriff.follow.jelly_edits import SetJelly

FOLLOW = Stage(
    "follow",
    (
        *QUANTITIES,
        Edits(GiveSettings, SetSpring, RemoveSpring),
        Edits(WishSpring, TuneSprings, HangEnd, SetCycle, TieChains, UntieChains, SetJelly),
        Edits(SetWind, LayColliders, SetCollider, LiftColliders, PassColliders, SetFloor),
        OnSetupCopied(springs_alike),
    ),
)
