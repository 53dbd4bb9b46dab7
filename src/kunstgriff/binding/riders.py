"""Riders: rigid parts carried by a spot on another part, which may bend or ride itself, or by a spot on a bone."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass

import numpy as np
from numba import njit
from numpy.typing import NDArray

from kunstgriff.binding.carriers import Carrier, OnBone, on_mesh
from kunstgriff.binding.placing import PLACINGS, Placed, carrying_groups, place, posed_by
from kunstgriff.evaluate.program import Build, Floats32, Node
from kunstgriff.evaluate.stale import matrix_of, placed_of, vertices_of
from kunstgriff.evaluate.state import RigState
from kunstgriff.figure.edit import group_path
from kunstgriff.figure.model import Figure, Part, Rider
from kunstgriff.figure.stores import Stores

Floats = NDArray[np.float64]


@njit(cache=True)
def moved_rigidly(
    rest: Floats32, vertices: Floats32, start: int, count: int, pivot: Floats, x: float, y: float, c: float, s: float
) -> None:
    """Turn vertices by cosine and sine about `pivot`, which comes to lie at (x, y)."""
    for vertex in range(start, start + count):
        px, py = rest[vertex, 0] - pivot[0], rest[vertex, 1] - pivot[1]
        vertices[vertex, 0] = x + c * px - s * py
        vertices[vertex, 1] = y + s * px + c * py


@dataclass(frozen=True)
class Riding:
    """One rider: what carries its spot, and its `pivot` (2,), which keeps its offset from the spot."""

    carrier: Carrier
    pivot: Floats
    turning: bool
    placed: Placed
    reads: frozenset[str]
    writes: frozenset[str]

    def run(self, rig: RigState) -> None:
        x, y, c, s = self.carrier.now(rig)
        if not self.turning:
            c, s = 1.0, 0.0
        dx, dy = self.pivot - self.carrier.spot
        placed = self.placed
        moved_rigidly(rig.program.rest, rig.vertices, placed.start, placed.count, self.pivot, x + dx, y + dy, c, s)
        if rig.watched == placed.own:
            rig.carried = x + dx, y + dy, c, s
        if placed.is_posed(rig):
            place(rig, placed, (x + dx, y + dy, c, s))


def riders(build: Build, figure: Figure, stores: Stores) -> Iterator[Node]:
    """One for each part that rides."""
    carrying = carrying_groups(figure)
    for part in figure.parts:
        if isinstance(part.binding, Rider):
            yield _riding(build, figure, part, part.binding, carrying)


def _riding(
    build: Build, figure: Figure, part: Part, binding: Rider, carrying: Mapping[str, str | None]
) -> Riding:  # fmt: skip
    spot = np.asarray(binding.spot, np.float64)
    pivot = np.asarray(binding.pivot, np.float64) if binding.pivot is not None else spot
    carrier: Carrier
    around: tuple[str, ...] = ()
    if binding.carrier in build.skeleton.index:
        carrier, reads = OnBone(spot, build.skeleton.index[binding.carrier]), matrix_of(binding.carrier)
    else:
        carrier, reads = on_mesh(build, binding.carrier, spot), placed_of(binding.carrier)
        under = figure.part(binding.carrier)
        around = group_path(figure, under.group) if under is not None else ()
    placed = Placed.of(build, figure, part.id, part, but_for=around)  # the carrier is in those groups already
    return Riding(
        carrier, pivot, binding.turning, placed,
        reads=frozenset({reads, PLACINGS, vertices_of(part.id)})
        | posed_by(figure, part, [one for one in group_path(figure, part.group) if one not in around], carrying),
        writes=frozenset({placed_of(part.id)}),
    )  # fmt: skip
