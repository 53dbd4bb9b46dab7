"""What a treatment changes of the drawing at rest, where it has no business: beside its two parts, and on others."""

from __future__ import annotations

import math
from dataclasses import replace

import cv2
import numpy as np
from numpy.typing import NDArray

from kunstgriff.evaluate.state import compile_rig
from kunstgriff.figure.model import Bone, Figure
from kunstgriff.figure.pose import Pose
from kunstgriff.figure.stores import Stores
from kunstgriff.paint.painter import Painter, View
from kunstgriff.reading.around import figure_around, seen_at
from kunstgriff.seam.joints import limb_radius, need_meeting

AROUND = 4.0  # half widths of the limb about the joint that are looked at
LARGEST = 1200  # px of a side of what is painted
CHANGED = 64  # of 255 by which a pixel must differ to be seen as another
EDGE = 2  # px along the outline that may change: a rounding that is one pixel off
MAY = 0.01  # of the disc of the limb's width that may change, as the silhouette may

Mask = NDArray[np.bool_]
Pixels = NDArray[np.uint8]


class AtRest:
    """The drawing about a bone's joint as it was before. Raises EditRefused where no two parts meet there."""

    def __init__(self, figure: Figure, stores: Stores, bone: Bone, painter: Painter) -> None:
        pair = need_meeting(figure, bone, stores)
        self.bone, self.stores, self.painter, self.pair = bone, stores, painter, pair
        self.radius = limb_radius(pair, bone, stores)
        side = 2 * AROUND * self.radius
        self.scale = min(1.0, LARGEST / side)
        size = max(math.ceil(side * self.scale), 8)
        self.view = View((size, size), self.scale, (bone.joint[0] - side / 2, bone.joint[1] - side / 2))
        self.before = self._painted(figure)
        alone = self._painted(figure, only=seen_at(figure, pair))
        theirs = (alone[..., 3] >= 128) & ~_differ(self.before, alone)
        kernel = np.ones((2 * EDGE + 1, 2 * EDGE + 1), np.uint8)
        self.elsewhere = cv2.dilate(theirs.astype(np.uint8), kernel) == 0

    def disturbed(self, after: Figure, grown: bool = False) -> float:
        """px² that look otherwise at rest than before, where other parts or nothing were seen; only where other parts
        were, of a limb that is `grown` on purpose."""
        where = self.elsewhere & (self.before[..., 3] >= 128) if grown else self.elsewhere
        return float((_differ(self.before, self._painted(after)) & where).sum()) / self.scale**2

    @property
    def may(self) -> float:
        """px² that may."""
        return max(MAY * math.pi * self.radius**2, 12.0)

    def _painted(self, figure: Figure, only: frozenset[str] | None = None) -> Pixels:
        small = figure_around(figure, self.pair, self.bone.joint, AROUND * self.radius)
        rig = compile_rig(small, self.stores)
        frame = rig.evaluate(Pose())
        if only is not None:
            frame = replace(frame, items=tuple(item for item in frame.items if item.part in only))
        return self.painter.paint_premultiplied(rig, frame, self.view, self.stores)


def _differ(one: Pixels, other: Pixels) -> Mask:
    return np.asarray(np.abs(one.astype(np.int16) - other).max(2) > CHANGED)
