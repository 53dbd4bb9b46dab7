"""A pose as a PNG with alpha."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from kunstgriff.delivery.frames import painter
from kunstgriff.evaluate.state import compile_rig
from kunstgriff.figure.model import Figure
from kunstgriff.figure.pose import Pose
from kunstgriff.figure.stores import Stores, encode_png
from kunstgriff.paint.painter import as_seen, sheet_view
from kunstgriff.trial.around import side_in


def pose_picture(figure: Figure, stores: Stores, pose: Pose, size: tuple[int, int] | None = None) -> NDArray[np.uint8]:
    """The figure in a pose, from the facing that shows, straight alpha (h, w, 4), in the sheet's size unless another is
    given."""
    side = side_in(figure, pose.by_id(figure))
    rig = compile_rig(side.figure, stores)
    return as_seen(painter(), rig, rig.evaluate(side.pose), sheet_view(figure, size), stores, side.mirrored)


def write_png(target: Path, figure: Figure, stores: Stores, pose: Pose, size: tuple[int, int] | None = None) -> None:
    """Paint a figure in a pose as PNG, `size` (w, h) px or as large as the sheet."""
    target.write_bytes(encode_png(pose_picture(figure, stores, pose, size)))
