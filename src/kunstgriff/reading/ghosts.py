"""Ghosts: the outlines of a figure, or of some of its parts, on other frames of a motion, read off painted frames."""

from __future__ import annotations

from collections.abc import Collection, Iterable
from dataclasses import replace
from itertools import islice

import cv2
import numpy as np
from numpy.typing import NDArray

from kunstgriff.evaluate.frame import Frame
from kunstgriff.evaluate.state import RigState
from kunstgriff.figure.refusal import EditRefused
from kunstgriff.figure.stores import Stores
from kunstgriff.paint.painter import Painter, View
from kunstgriff.trial.feet import LONGEST
from kunstgriff.trial.motion import Motion, play

Floats = NDArray[np.float64]
Ring = list[tuple[float, float]]
LONG_SIDE = 420  # px of the picture that an outline is read off
MARGIN = 8.0  # px of the figure around it
SMOOTH = 0.7  # px of that picture an outline may be off
HALF = 127  # of the alpha, where an edge lies
MOST = 24  # ghosts at once


def ghosts_of(
    painter: Painter, rig: RigState, motion: Motion, frames: Iterable[int], stores: Stores,
    parts: Collection[str] = (),
) -> dict[int, list[Ring]]:  # fmt: skip
    """The outer outlines (px of the figure) on some frames of a motion, springs following; of all, or some `parts` by
    their ids. Raises EditRefused for more than can be made at once."""
    wanted = sorted(set(frames))
    if len(wanted) > MOST or (wanted and wanted[-1] > LONGEST):
        raise EditRefused(f"{MOST} ghosts at most are shown, of the first {LONGEST:,} frames.")
    found = {}
    for number, frame in enumerate(islice(play(rig, motion), wanted[-1] + 1 if wanted else 0)):
        if number in wanted:
            found[number] = _outlines(painter, rig, frame, stores, parts)
    return found


def _outlines(painter: Painter, rig: RigState, frame: Frame, stores: Stores, parts: Collection[str]) -> list[Ring]:
    blocks = [block for ref, block in rig.program.blocks.items() if not parts or ref in parts]
    rows = [frame.vertices[block.start : block.start + block.count] for block in blocks if block.count]
    if not rows:
        return []
    spots = np.concatenate(rows)
    low, high = spots.min(0) - MARGIN, spots.max(0) + MARGIN
    scale = LONG_SIDE / float((high - low).max())
    width, height = (max(int(one), 1) for one in np.ceil((high - low) * scale))
    view = View((width, height), scale, (float(low[0]), float(low[1])))
    if parts:
        frame = replace(frame, items=tuple(item for item in frame.items if item.part in parts))
    alpha = painter.paint(rig, frame, view, stores)[..., 3]
    rings, _ = cv2.findContours((alpha > HALF).astype(np.uint8), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
    found = []
    for ring in rings:
        thin = cv2.approxPolyDP(ring, SMOOTH, True)[:, 0].astype(np.float64)
        if len(thin) > 2:
            found.append([(float(x), float(y)) for x, y in ((thin + 0.5) / scale + low).round(1)])
    return found
