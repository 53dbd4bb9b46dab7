"""The stage of controls."""

from __future__ import annotations

from kunstgriff.control.alike import driven_alike, reaches_alike
from kunstgriff.control.channels import QUANTITIES
from kunstgriff.control.checks import broken, idle, jumping, unshown
from kunstgriff.control.driving import driving, turn_driving
from kunstgriff.control.edits import (
    AlsoHang,
    LayCounter,
    LayLook,
    LayReach,
    LiftReach,
    OrderReach,
    SetLook,
    SetReach,
)
from kunstgriff.control.lever_edits import DriveChannel, LayLever, LiftLever, SetLever, TeachLever
from kunstgriff.control.pulling import Pull, PullHandles
from kunstgriff.control.reaching import reaching
from kunstgriff.control.renewing import goals_at_rest, pulls_at_rest, turns_at_rest
from kunstgriff.control.sculpting import sculpting
from kunstgriff.control.shape_edits import (
    ForgetSample,
    LaySamples,
    LiftCorrective,
    LiftShape,
    MakeCorrective,
    MakeShape,
    SetShape,
)
from kunstgriff.evaluate.program import Controls, Nodes
from kunstgriff.figure.edit import Edits
from kunstgriff.figure.findings import Check
from kunstgriff.figure.renewal import OnRestChanged, OnSetupCopied
from kunstgriff.figure.stage import Stage

CONTROL = Stage(
    "control",
    (
        *QUANTITIES,
        Edits(LayReach, SetReach, LiftReach, LayLook, LayCounter, SetLook, AlsoHang, OrderReach),
        Edits(LayLever, SetLever, TeachLever, DriveChannel, LiftLever),
        Edits(
            MakeShape, SetShape, LiftShape, MakeCorrective, LaySamples, ForgetSample, LiftCorrective, Pull, PullHandles
        ),
        Nodes(reaching),
        Controls(driving),
        Nodes(turn_driving),
        Nodes(sculpting),
        Check(idle),
        Check(broken),
        Check(jumping),
        Check(unshown),
        OnRestChanged(turns_at_rest),
        OnRestChanged(pulls_at_rest),
        OnRestChanged(goals_at_rest),
        OnSetupCopied(reaches_alike),
        OnSetupCopied(driven_alike),
    ),
)
