"""Seams read where more than one joint turns: neighbouring joints over a coarse grid, and the kept trial poses."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import replace

import numpy as np

from kunstgriff.figure.model import Bone, Figure
from kunstgriff.figure.stores import Stores
from kunstgriff.paint.painter import Painter
from kunstgriff.reading.seam import SeamReader
from kunstgriff.reading.seams import Seam, joints_with_seams, seam_angles, seam_of
from kunstgriff.trial.poses import pose_of

COARSE = 3  # angles of each of two neighbouring joints: both ends of the range and its middle


def read_together(figure: Figure, stores: Stores, painter: Painter, bone: Bone) -> Iterator[Seam]:
    """One joint's seam, named by what else is turned: with each neighbouring joint at both ends of its range, and in
    each kept pose. Raises EditRefused where no two parts meet."""
    joints = joints_with_seams(figure, stores)
    neighbours = [one for one in joints if one.parent == bone.id or one.id == bone.parent]
    if not (neighbours or figure.poses):
        return
    reader = SeamReader(figure, stores, bone, painter)
    range_ = seam_angles(figure, bone)
    angles = [float(one) for one in np.linspace(range_[0], range_[-1], COARSE)]
    for other in neighbours:
        ends = seam_angles(figure, other)
        for turn in (ends[0], ends[-1]):
            name = f"{bone.name} with {other.name} at {turn:.0f}°"
            yield _read(figure, stores, reader, bone, angles, {other.id: turn}, name)
    for kept in figure.poses:
        turns = pose_of(figure, kept).turn
        others = {ref: turn for ref, turn in turns.items() if ref != bone.id}
        yield _read(figure, stores, reader, bone, [turns.get(bone.id, 0.0)], others, f"{bone.name} in {kept.name}")


def _read(
    figure: Figure,
    stores: Stores,
    reader: SeamReader,
    bone: Bone,
    angles: list[float],
    beside: Mapping[str, float],
    name: str,
) -> Seam:
    readings = (*reader.read([0.0]), *reader.read([one for one in angles if one != 0.0], beside))
    return replace(seam_of(figure, stores, bone, (reader.radius, reader.line), readings), name=name)
