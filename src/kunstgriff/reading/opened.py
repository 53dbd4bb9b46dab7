"""Where joints come open over a motion as it is painted: springs, levers, swaps and what hides parts along with turns.

A frame is looked at as a whole first, smaller than the figure; a joint within whose circle anything is not quite opaque
is then looked at closely.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from functools import lru_cache

import cv2
import numpy as np
from numpy.typing import NDArray

from kunstgriff.evaluate.frame import Frame
from kunstgriff.evaluate.state import RigState
from kunstgriff.figure.model import Bone
from kunstgriff.figure.pose import Pose
from kunstgriff.figure.stores import Stores
from kunstgriff.paint.painter import Painter, View
from kunstgriff.reading.seam import SEEN, enclosed_in, stilled
from kunstgriff.seam.joints import limb_radius, pair_at
from kunstgriff.skeleton.kinematics import posed
from kunstgriff.trial.around import facings_shown
from kunstgriff.trial.motion import Motion, Playback, frame_count, rate_of

FAR, CLOSE = 0.5, 2.0  # times the figure's size that is painted at, from afar and closely
OPAQUE = 245  # of the alpha from afar from which nothing shows through
INSIDE = 0.85  # of the circle at a joint that is looked at; the limb's sides touch the circle
CORE = 0.5  # of it into which a gap goes, unless it is enclosed
MOST_FRAMES = 96  # of a motion that are looked at
LARGEST = 4096  # px of a side that is painted

Masks = NDArray[np.bool_]


def frames_of(rig: RigState, motion: Motion, most: int = MOST_FRAMES) -> list[int]:
    """The numbers of frames of a motion that are looked at: so many at the most, evenly apart, and of those the ones
    that show the figure from the facing that the rig has."""
    turnaround, rate = rig.program.figure.turnaround, rate_of(motion, rig.program.figure)
    count = frame_count(motion, rate)
    own = turnaround.shown if turnaround is not None else 0
    shown = facings_shown(rig.program, motion, own, count, rate)
    numbers = np.unique(np.linspace(0, count - 1, min(count, most)).round().astype(int)).tolist()
    return [number for number in numbers if shown[number] == own]


@dataclass(frozen=True)
class Opened:
    """A joint that is open on a frame: the diameter of the largest disc one sees through there, px."""

    bone: Bone
    frame: int
    disc: float


@dataclass
class OpenedReader:
    """Reads joints of a figure in frames of its rig, which is its own."""

    rig: RigState
    stores: Stores
    painter: Painter
    joints: Sequence[Bone]
    _close: dict[str, tuple[list[set[str]], float, Masks]] = field(default_factory=dict)

    def __post_init__(self) -> None:
        figure, rest = self.rig.program.figure, self.rig.evaluate(Pose())
        for bone in self.joints:
            pair = pair_at(figure, bone, self.stores)
            if pair is None:
                continue
            radius = INSIDE * limb_radius(pair, bone, self.stores)
            sides = [{one.id for one in figure.parts if ref in one.followed} for ref in (bone.id, bone.parent)]
            self._close[bone.id] = sides, radius, self._seen(bone, radius, rest)

    def over(self, motion: Motion, numbers: Iterable[int]) -> list[Opened]:
        """Each joint that comes open in a motion, on the frame (of `numbers`) where it is open widest."""
        playback, worst = Playback(self.rig, motion), dict[str, Opened]()
        for number in numbers:
            for one in self.on(playback.frame(number), number):
                if one.bone.id not in worst or one.disc > worst[one.bone.id].disc:
                    worst[one.bone.id] = one
        return list(worst.values())

    def on(self, frame: Frame, number: int = 0) -> list[Opened]:
        """The joints that are open in a frame."""
        found = []
        for bone in self._suspects(frame):
            _, radius, before = self._close[bone.id]
            seen, (core, circle) = self._seen(bone, radius, stilled(self.rig, bone, frame)), _circles(radius)
            bare = before & ~seen & circle
            _, pieces = cv2.connectedComponents(bare.view(np.uint8))
            # at the rim outlines move past one another, which is no gap unless there is paint all around it
            bare &= np.isin(pieces, np.unique(pieces[bare & (core | enclosed_in(seen))]))
            if bare.any():
                disc = 2 * float(cv2.distanceTransform(np.pad(bare, 1).view(np.uint8), cv2.DIST_L2, 5).max()) / CLOSE
                found.append(Opened(bone, number, disc))
        return found

    def _suspects(self, frame: Frame) -> list[Bone]:
        """Joints on both sides of which something shows, with anything see-through in their circles from afar;
        not where a side is posed see-through."""
        shown = {
            item.part for item in frame.items
            if frame.opacity(item) > 0 and frame.faded.keys().isdisjoint((item.part, *item.groups))
        }  # fmt: skip
        known = (bone for bone in self.joints if bone.id in self._close)
        joints = [bone for bone in known if all(shown & side for side in self._close[bone.id][0])]
        if not joints:
            return []
        rows = [self.rig.program.bone_index[bone.id] for bone in joints]
        at = posed(np.array([bone.joint for bone in joints]), frame.matrices[rows])
        reach = max(self._close[bone.id][1] for bone in joints)
        low, high = at.min(0) - reach, at.max(0) + reach
        scale = min(FAR, LARGEST / float((high - low).max()))
        size = tuple(math.ceil(one) for one in (high - low) * scale + 1)
        view = View((size[0], size[1]), scale, (float(low[0]), float(low[1])))
        alpha = self.painter.paint_premultiplied(self.rig, frame, view, self.stores)[..., 3]
        found = []
        for bone, (x, y) in zip(joints, (at - low) * scale, strict=True):
            radius = self._close[bone.id][1] * scale
            top, left = max(int(y - radius), 0), max(int(x - radius), 0)
            square = alpha[top : int(y + radius) + 2, left : int(x + radius) + 2]
            down, across = np.ogrid[: square.shape[0], : square.shape[1]]
            near = np.hypot(across + left + 0.5 - x, down + top + 0.5 - y) <= max(radius, 1.0)
            if (square[near] < OPAQUE).any():
                found.append(bone)
        return found

    def _seen(self, bone: Bone, radius: float, frame: Frame) -> Masks:
        """Where around a joint (n, n) anything is painted in a frame."""
        side = len(_circles(radius)[0])
        corner = np.array(bone.joint) - side / (2 * CLOSE)
        view = View((side, side), CLOSE, (float(corner[0]), float(corner[1])))
        return np.asarray(self.painter.paint_premultiplied(self.rig, frame, view, self.stores)[..., 3] >= SEEN)


@lru_cache(maxsize=256)
def _circles(radius: float) -> tuple[Masks, Masks]:
    """The core of a joint's circle and the circle (n, n), with as much room again around it."""
    side = 4 * math.ceil(radius * CLOSE) + 1
    off = (np.arange(side) + 0.5) / CLOSE - side / (2 * CLOSE)
    away = np.hypot(off, off[:, None])
    return away <= CORE * radius, away <= radius
