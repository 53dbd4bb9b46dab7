"""The stage of bones."""

from __future__ import annotations

from kunstgriff.evaluate.program import Nodes
from kunstgriff.figure.edit import Edits
from kunstgriff.figure.stage import Stage
from kunstgriff.skeleton.along import DrawAlong
from kunstgriff.skeleton.chain_edits import (
    ColourBones,
    DissolveJoint,
    JoinChains,
    LockBones,
    OnlyLink,
    SetLength,
    SetLimits,
    SplitBone,
)
from kunstgriff.skeleton.channels import QUANTITIES
from kunstgriff.skeleton.edits import DeleteBones, DrawChain, HangBone, MoveJoint, RenameBone
from kunstgriff.skeleton.fitting import FitTemplate
from kunstgriff.skeleton.kinematics import kinematics
from kunstgriff.skeleton.mirroring import MirrorBones

SKELETON = Stage(
    "skeleton",
    (
        Edits(
            DrawAlong,
            SplitBone,
            DissolveJoint,
            JoinChains,
            SetLength,
            SetLimits,
            LockBones,
            ColourBones,
            OnlyLink,
            DrawChain,
            MoveJoint,
            RenameBone,
            HangBone,
            DeleteBones,
            FitTemplate,
            MirrorBones,
        ),
        *QUANTITIES,
        Nodes(kinematics),
    ),
)
