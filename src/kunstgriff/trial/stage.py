"""The stage where a rig is tried."""

from __future__ import annotations

from kunstgriff.figure.edit import Edits
from kunstgriff.figure.stage import Stage
from kunstgriff.trial.course import MakeCourse
from kunstgriff.trial.feet import HoldFoot, Plant
from kunstgriff.trial.film_edits import SetFilm
from kunstgriff.trial.follow_edits import BakeSprings, LiftBaked, SetBlow, SetCut
from kunstgriff.trial.key_edits import LoopKeys, PasteKeys, RecordKeys
from kunstgriff.trial.motion_edits import (
    CloseLoop,
    CopyMotion,
    EaseKeys,
    LiftKeys,
    LiftMotion,
    MakeMotion,
    MoveKeys,
    SetKeys,
    SetMark,
    SetMotion,
)
from kunstgriff.trial.poses import ForgetPose, KeepPose, KeepPoses
from kunstgriff.trial.sound_edits import PlaceDrawing, SetSound
from kunstgriff.trial.stepping_edits import SetGround, SetStepper, Walk

TRIAL = Stage(
    "trial",
    (
        Edits(KeepPose, KeepPoses, ForgetPose),
        Edits(MakeMotion, SetMotion, LiftMotion, CopyMotion, SetMark),
        Edits(SetKeys, LiftKeys, MoveKeys, EaseKeys, CloseLoop),
        Edits(PasteKeys, LoopKeys, RecordKeys),
        Edits(Plant, HoldFoot),
        Edits(SetSound, PlaceDrawing, SetFilm),
        Edits(SetBlow, SetCut, BakeSprings, LiftBaked),
        Edits(SetStepper, SetGround, Walk, MakeCourse),
    ),
)
