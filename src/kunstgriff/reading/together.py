"""Seams read where more than one joint turns: neighbouring joints over a coarse grid, and the kept trial poses."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass, replace

import numpy as np

from kunstgriff.control.taking_over import plain_poses
from kunstgriff.figure.model import Bone, Figure
from kunstgriff.figure.pose import Pose
from kunstgriff.figure.stores import Stores
from kunstgriff.paint.painter import Painter
from kunstgriff.reading.seam import SeamReader
from kunstgriff.reading.seams import Seam, joints_with_seams, seam_angles, seam_of

COARSE = 3  # angles of each of two neighbouring joints: both ends of the range and its middle


@dataclass(frozen=True)
class Situation:
    """What else is posed while a seam is read: `words` for it, the pose `beside`, and the `angles` the seam's own bone
    is turned by, degrees."""

    words: str
    beside: Pose
    angles: tuple[float, ...]


def situations(figure: Figure, stores: Stores, bone: Bone) -> list[Situation]:
    """Each neighbouring joint at both ends of its range, and each kept pose."""
    range_ = seam_angles(figure, bone)
    angles = tuple(float(one) for one in np.linspace(range_[0], range_[-1], COARSE))
    found = []
    for other in joints_with_seams(figure, stores):
        if other.parent == bone.id or other.id == bone.parent:
            ends = seam_angles(figure, other)
            found += [
                Situation(f"with {other.name} at {turn:.0f}°", Pose.of_bones({other.id: turn}), angles)
                for turn in (ends[0], ends[-1])
            ]
    for name, pose in plain_poses(figure, stores).items():
        found.append(Situation(f"in {name}", pose, (pose.of("turn").get(bone.id, 0.0),)))
    return found


def read_together(
    figure: Figure, stores: Stores, painter: Painter, bone: Bone, asked: Iterable[Situation] | None = None
) -> Iterator[Seam]:
    """One joint's seam in the situations asked for, all there are unless given, each named by its own.

    Raises EditRefused where no two parts meet.
    """
    asked = situations(figure, stores, bone) if asked is None else list(asked)
    if not asked:
        return
    reader = SeamReader(figure, stores, bone, painter)
    (rest,) = reader.read([0.0])
    for item in asked:
        readings = tuple(reader.read(item.angles, item.beside))
        if 0.0 not in item.angles:
            readings = (rest, *readings)  # what the outline is held against
        seam = seam_of(figure, stores, bone, (reader.radius, reader.line), readings)
        yield replace(seam, name=f"{bone.name} {item.words}")
