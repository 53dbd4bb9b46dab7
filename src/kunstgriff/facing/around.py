"""The facings of a figure as they are seen, and where its joints go round.

A figure that is turned about the upright through where it stands keeps the height of every joint, and each goes to the
side as x(θ) = a cos θ + b sin θ (orthographic projection of a circle).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from kunstgriff.figure.facings import Facing
from kunstgriff.figure.mirroring import other_sides
from kunstgriff.figure.model import Figure
from kunstgriff.figure.turning import on_loan, turned_to

ROUND = 2  # directions seen from which it is told how far aside a joint is from another one

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class Seen:
    """A facing as it is seen: the figure turned to it, whether in a mirror, and what of it is on loan."""

    facing: Facing
    figure: Figure
    mirrored: bool
    loans: frozenset[str]


def all_seen(figure: Figure) -> list[Seen]:
    """Each facing of a figure as it is seen, in the order of their angles."""
    turnaround = figure.turnaround
    if turnaround is None:
        return []
    drawn = {one.number: turned_to(figure, one.number) for one in turnaround.facings if one.mirrors is None}
    loans = {number: on_loan(there) for number, there in drawn.items()}
    found = []
    for one in turnaround.around:
        source = turnaround.drawn(one.number).number
        found.append(Seen(one, drawn[source], one.mirrors is not None, loans[source]))
    return found


def joints_around(figure: Figure, seen: list[Seen]) -> tuple[Floats, Floats]:
    """The angles of facings (f,) in rad, and where the joint and the tip of each bone lie in each, (bones, f, 2, 2) px;
    nan where a facing has none of its own."""
    other = other_sides(figure)
    spots = np.full((len(figure.bones), len(seen), 2, 2), np.nan)
    for column, one in enumerate(seen):
        there = {bone.id: bone for bone in one.figure.bones}
        for row, bone in enumerate(figure.bones):
            ref = other.get(bone.id, bone.id) if one.mirrored else bone.id
            if ref not in one.loans:
                spots[row, column] = there[ref].joint, there[ref].tip
        if one.mirrored:
            spots[:, column, :, 0] *= -1
    return np.radians([one.facing.angle for one in seen]), spots


def expected(figure: Figure, number: int, seen: list[Seen] | None = None) -> tuple[Floats, Floats]:
    """Where the joint and the tip of each bone lie on a drawn facing as the others say, (bones, 2, 2) px: level with
    theirs, and as far aside as on a circle where they are seen from two directions at least. nan for what they do not
    say. Beside it by how much the joints of the others lie off the circle through them, (bones,) px."""
    seen = all_seen(figure) if seen is None else seen
    angles, spots = joints_around(figure, seen)
    angle = next(np.radians(one.facing.angle) for one in seen if one.facing.number == number)
    beside = np.array([number not in (one.facing.number, one.facing.mirrors) for one in seen])
    found, spread = np.full((len(figure.bones), 2, 2), np.nan), np.zeros(len(figure.bones))
    for row in range(len(found)):
        told = beside & ~np.isnan(spots[row, :, 0, 0])
        if not told.any():
            continue
        found[row, :, 1] = np.median(spots[row, told, :, 1], 0)
        if len(np.unique(np.round(np.mod(angles[told], np.pi), 3))) >= ROUND:
            across = spots[row, told, :, 0]
            found[row, :, 0] = round_about(angles[told], across, np.array([angle]))[0]
            spread[row] = np.abs(across - round_about(angles[told], across, angles[told]))[:, 0].max()
    return found, spread


def round_about(angles: Floats, across: Floats, wanted: Floats) -> Floats:
    """How far to the side what goes round the upright is at the `wanted` angles (w,), rad: by least squares as
    a cos θ + b sin θ through how far it was, `across` (f, k) px, at `angles` (f,). (w, k)."""
    factors, *_ = np.linalg.lstsq(_waves(angles), across, rcond=None)
    return np.asarray(_waves(wanted) @ factors)


def _waves(angles: Floats) -> Floats:
    return np.stack([np.cos(angles), np.sin(angles)], 1)
