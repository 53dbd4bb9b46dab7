"""A motion as WebM: VP9 with alpha, through PyAV."""

from __future__ import annotations

from pathlib import Path

import av
import cv2
import numpy as np
from numpy.typing import NDArray

from kunstgriff.artwork.sheet import Progress, no_progress
from kunstgriff.delivery.frames import motion_pictures
from kunstgriff.figure.model import Figure
from kunstgriff.figure.stores import Stores
from kunstgriff.trial.motion import SWING, Motion, rate_of

BLEED = 9  # px; colour is carried this far past the edge, since VP9 halves the colour's resolution


def write_webm(
    target: Path,
    figure: Figure,
    stores: Stores,
    size: tuple[int, int] | None = None,
    progress: Progress = no_progress,
    motion: Motion = SWING,
    facing: int = 0,
) -> None:
    """Write the motion at the figure's rate."""
    width, height = size or (figure.sheet.width, figure.sheet.height)
    width, height = width + width % 2, height + height % 2  # VP9 with alpha halves both for colour
    with av.open(str(target), "w", format="webm") as container:
        stream = container.add_stream("libvpx-vp9", rate=rate_of(motion, figure))
        stream.width, stream.height, stream.pix_fmt = width, height, "yuva420p"
        stream.options = {
            "auto-alt-ref": "0", "crf": "24", "b": "0", "deadline": "realtime", "cpu-used": "6",
            "row-mt": "1", "threads": "2",
        }  # fmt: skip
        for rgba in motion_pictures(figure, stores, (width, height), progress, motion, facing):
            frame = av.VideoFrame.from_ndarray(bled(rgba), format="rgba").reformat(format="yuva420p")
            for packet in stream.encode(frame):
                container.mux(packet)
        for packet in stream.encode():
            container.mux(packet)


def bled(rgba: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """The picture with its colours carried on into the see-through pixels beside them, so that no edge turns dark."""
    alpha = rgba[..., 3:].astype(np.float32) / 255
    colour = cv2.blur(rgba[..., :3] * alpha, (BLEED, BLEED))
    weight = cv2.blur(alpha, (BLEED, BLEED))[..., None]
    around = colour / np.maximum(weight, 1e-4)
    rgb = np.where(alpha > 0.5, rgba[..., :3], np.clip(around, 0, 255))
    return np.dstack([rgb.astype(np.uint8), rgba[..., 3]])
