"""All stages of the work, in its order. A new stage adds one line."""

from __future__ import annotations

from kunstgriff.artwork.stage import ARTWORK
from kunstgriff.binding.stage import BINDING
from kunstgriff.control.stage import CONTROL
from kunstgriff.facing.stage import FACING
from kunstgriff.figure import stage
from kunstgriff.figure.whole import FIGURE
from kunstgriff.follow.stage import FOLLOW
from kunstgriff.seam.stage import SEAM
from kunstgriff.skeleton.stage import SKELETON
from kunstgriff.trial.stage import TRIAL
from kunstgriff.warp.stage import WARP

STAGES = stage.Stages(FIGURE, ARTWORK, SKELETON, BINDING, WARP, CONTROL, FACING, SEAM, FOLLOW, TRIAL)


def install() -> None:
    """Let these be the stages there are. Nothing is registered by importing a module."""
    stage.install(STAGES)
