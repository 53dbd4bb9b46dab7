"""The stage of springs."""

from __future__ import annotations

from kunstgriff.figure.edit import Edits
from kunstgriff.figure.renewal import OnSetupCopied
from kunstgriff.figure.stage import Stage
from kunstgriff.follow.alike import GiveSettings
from kunstgriff.follow.channels import QUANTITIES
from kunstgriff.follow.edits import RemoveSpring, SetSpring, springs_alike

FOLLOW = Stage(
    "follow",
    (
        *QUANTITIES,
        Edits(GiveSettings, SetSpring, RemoveSpring),
        OnSetupCopied(springs_alike),
    ),
)
