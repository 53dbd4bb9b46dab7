"""Parts and groups posed by themselves: turned, moved, sized and skewed about their pivots, on top of what they follow.

What moves a part by itself goes by how the part is carried: a mouth moved to the right on a head that is turned moves
to the right of the head. A group does the same to all in it, about its own pivot, after what is done to each of them;
the groups around it follow from the inside out. A rider goes with the groups of its carrier, which are not done to it
twice.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numba import njit
from numpy.typing import NDArray

from kunstgriff.binding.carriers import Carried, Carrier, OnBone, Still, on_mesh
from kunstgriff.binding.geometries import bone_of_group
from kunstgriff.evaluate.program import Build, Floats32, Node
from kunstgriff.evaluate.stale import MATRICES, channels_of, matrix_of, placed_of, vertices_of
from kunstgriff.evaluate.state import AS_IT_IS, RigState
from kunstgriff.figure.edit import group_path
from kunstgriff.figure.model import Figure, Group, Part, Rider, Rigid, Unbound, Weighted
from kunstgriff.figure.sets import parts_of_drawing
from kunstgriff.figure.stores import Stores

Floats = NDArray[np.float64]

PLACINGS = "placings"  # what each group is posed by itself


@njit(cache=True)
def affine_about(
    x: float, y: float, c: float, s: float, turn: float, move: Floats, size: Floats, skew: float, out: Floats
) -> None:
    """Fill `out` (6,), a b c d e f, with what is done about (x, y) in a frame turned by cosine and sine: first sized
    (2,), then skewed (degrees; what lies above leans to the right), turned (degrees clockwise), moved (2,) px."""
    lean = -math.tan(math.radians(skew))
    tc, ts = math.cos(math.radians(turn)), math.sin(math.radians(turn))
    # turned · skewed · sized, by columns
    a, b = tc * size[0], ts * size[0]
    e, f = (tc * lean - ts) * size[1], (ts * lean + tc) * size[1]
    # the same in the frame: R · M · R⁻¹
    ra, rb = c * a - s * b, s * a + c * b
    re, rf = c * e - s * f, s * e + c * f
    out[0], out[1] = ra * c - re * s, rb * c - rf * s
    out[2], out[3] = ra * s + re * c, rb * s + rf * c
    out[4] = x + c * move[0] - s * move[1] - out[0] * x - out[2] * y
    out[5] = y + s * move[0] + c * move[1] - out[1] * x - out[3] * y


@njit(cache=True)
def posed_rows(
    turn: Floats, move: Floats, size: Floats, skew: Floats, rows: NDArray[np.bool_]
) -> tuple[bool, bool]:  # fmt: skip
    """Fill which of k things are posed by themselves, `rows` (k,); tells whether any was and whether any is."""
    found = before = False
    for k in range(len(turn)):
        before = before or rows[k]
        rows[k] = (
            turn[k] != 0.0 or skew[k] != 0.0 or move[k, 0] != 0.0 or move[k, 1] != 0.0
            or size[k, 0] != 1.0 or size[k, 1] != 1.0
        )  # fmt: skip
        found = found or rows[k]
    return before, found


@njit(cache=True)
def transform(vertices: Floats32, start: int, count: int, affine: Floats) -> None:
    """Carry vertices by an affine map (6,), in place."""
    for v in range(start, start + count):
        x, y = vertices[v, 0], vertices[v, 1]
        vertices[v, 0] = affine[0] * x + affine[2] * y + affine[4]
        vertices[v, 1] = affine[1] * x + affine[3] * y + affine[5]


@dataclass(frozen=True)
class Placed:
    """A block of vertices, by its number, with the rows of what is done to it: that of its part, then of the groups
    around it, from the inside out."""

    number: int
    start: int
    count: int
    own: int
    groups: tuple[int, ...]

    def is_posed(self, rig: RigState) -> bool:
        """Whether anything is done to it now."""
        return bool(rig.placed[self.own] or any(rig.placed[group] for group in self.groups))

    def done(self, rig: RigState) -> Floats:
        """The affine map (6,) of all that is done to it now."""
        found: Floats = rig.placings[self.own]
        for group in self.groups:
            found = after(found, rig.placings[group])
        return found

    @classmethod
    def of(cls, build: Build, figure: Figure, ref: str, part: Part, but_for: tuple[str, ...] = ()) -> Placed:
        block, rows = build.nets.blocks[ref], rows_of(figure)
        groups = tuple(rows[one] for one in reversed(group_path(figure, part.group)) if one not in but_for)
        return cls(block.number, block.start, block.count, rows[part.id], groups)


def rows_of(figure: Figure) -> dict[str, int]:
    """The row of each part and group among those that can be posed by themselves."""
    return {ref: row for row, ref in enumerate([*(one.id for one in figure.parts), *(one.id for one in figure.groups)])}


def pivot_of(figure: Figure, part: Part) -> tuple[float, float]:
    """Where a part turns by itself: its pivot, else the joint of the bone it follows where that lies on its picture,
    else the middle of its picture."""
    if part.drawing.pivot is not None:
        return part.drawing.pivot
    if isinstance(part.binding, Rider):
        return part.binding.pivot or part.binding.spot
    bone = figure.bone(part.binding.bone) if isinstance(part.binding, Rigid) else None
    (x, y), (w, h) = part.drawing.place, part.drawing.size
    if bone is not None and x <= bone.joint[0] <= x + w and y <= bone.joint[1] <= y + h:
        return bone.joint
    return x + w / 2, y + h / 2


def group_pivot(figure: Figure, group: Group) -> tuple[float, float]:
    """Where a group turns by itself: its pivot, else the joint of its bone, else the middle of all its parts."""
    if group.pivot is not None:
        return group.pivot
    bone = figure.bone(group.bone) if group.bone is not None else None
    if bone is not None:
        return bone.joint
    inside = parts_of_drawing(figure, group.id)
    if not inside:
        return 0.0, 0.0
    low = np.min([part.drawing.place for part in inside], 0)
    high = np.max([np.add(part.drawing.place, part.drawing.size) for part in inside], 0)
    return float(low[0] + high[0]) / 2, float(low[1] + high[1]) / 2


def _bone_carrying_part(figure: Figure, part: Part) -> str | None:
    """The bone that carries a part, unless its own mesh or another part does."""
    if isinstance(part.binding, Unbound):
        return bone_of_group(figure, part)
    return part.binding.bone if isinstance(part.binding, Rigid) else None


def _carrier_of_part(build: Build, figure: Figure, part: Part) -> Carrier:
    pivot = np.array(pivot_of(figure, part), np.float64)
    if isinstance(part.binding, Weighted):
        return on_mesh(build, part.id, pivot)
    return _on(build, pivot, _bone_carrying_part(figure, part))


def _carrier_of_group(build: Build, figure: Figure, group: Group) -> Carrier:
    return _on(build, np.array(group_pivot(figure, group), np.float64), _bone_carrying_group(figure, group))


def _on(build: Build, pivot: Floats, bone: str | None) -> Carrier:
    return OnBone(pivot, build.skeleton.index[bone]) if bone is not None else Still(pivot)


def _bone_carrying_group(figure: Figure, group: Group) -> str | None:
    """A group is carried by its bone, else by the one that all its parts follow, else by the bone of a group around."""
    around = {one.id: one.bone for one in figure.groups}
    followed = {part.followed for part in parts_of_drawing(figure, group.id)}
    alike = next(iter(followed))[0] if len(followed) == 1 and len(next(iter(followed))) == 1 else None
    outer = (around[ref] for ref in reversed(group_path(figure, group.parent)))
    return next((one for one in (group.bone, alike, *outer) if one is not None), None)


@dataclass(frozen=True)
class Placing:
    """All parts but riders, with the extra nets that go with them, and all groups. `carriers` (parts and groups) are
    None for riders, which place themselves."""

    carriers: tuple[Carrier | None, ...]
    placed: tuple[Placed, ...]
    by_block: Mapping[str, frozenset[str]]
    writes: frozenset[str]
    reads: frozenset[str]

    def run(self, rig: RigState) -> None:
        stale, rows = rig.watch.stale, rig.placed
        was_posed, any_posed = posed_rows(rig.placed_turn, rig.placed_move, rig.size, rig.skew, rows)
        if not (was_posed or any_posed or rig.watched >= 0):
            return
        anew = rig.buffer(self.placed, lambda: np.ones(len(self.carriers), np.bool_))  # all groups, and stale parts
        anew[: len(rig.program.figure.parts)] = stale[: len(rig.program.figure.parts)]
        rig.placings[anew] = AS_IT_IS
        if rig.watched >= 0 and (carrier := self.carriers[rig.watched]) is not None:
            rig.carried = carrier.now(rig)
        for row in np.flatnonzero(rows & anew):
            carrier = self.carriers[row]
            if carrier is not None:
                own_affine(rig, int(row), carrier.now(rig))
        for block in self.placed:
            if stale[block.number] and block.is_posed(rig):
                _apply(rig, block)


def carrying_groups(figure: Figure) -> dict[str, str | None]:
    """The bone that carries each group."""
    return {group.id: _bone_carrying_group(figure, group) for group in figure.groups}


def posed_by(figure: Figure, part: Part, groups: Sequence[str], carrying: Mapping[str, str | None]) -> frozenset[str]:
    """What a part and groups around it are posed by themselves, and the bones `carrying` them, as nodes read it."""
    bones = [_bone_carrying_part(figure, part), *(carrying[group] for group in groups)]
    return frozenset({*map(channels_of, (part.id, *groups)), *map(matrix_of, filter(None, bones))})


@njit(cache=True)
def after(first: Floats, then: Floats) -> Floats:
    """Two affine maps (6,) one after the other."""
    a, b, c, d, e, f = first
    out = np.empty(6)
    out[0], out[1] = then[0] * a + then[2] * b, then[1] * a + then[3] * b
    out[2], out[3] = then[0] * c + then[2] * d, then[1] * c + then[3] * d
    out[4], out[5] = then[0] * e + then[2] * f + then[4], then[1] * e + then[3] * f + then[5]
    return out


def own_affine(rig: RigState, row: int, carried: Carried) -> None:
    """Fill what a part or group is posed by itself, carried like this."""
    affine_about(*carried, rig.placed_turn[row], rig.placed_move[row], rig.size[row], rig.skew[row], rig.placings[row])


def _apply(rig: RigState, block: Placed) -> None:
    transform(rig.vertices, block.start, block.count, block.done(rig))


def place(rig: RigState, block: Placed, carried: Carried) -> None:
    """Pose a rider by itself, and with the groups its carrier is not in, now that it is carried like this."""
    own_affine(rig, block.own, carried)
    _apply(rig, block)


def placing(build: Build, figure: Figure, stores: Stores) -> Iterator[Node]:
    """One for all of the figure."""
    riding = {part.id for part in figure.parts if isinstance(part.binding, Rider)}
    blocks = {ref: block for ref, block in build.nets.blocks.items() if block.part.id not in riding}
    if not build.nets.blocks:
        return
    carrying = carrying_groups(figure)
    yield Placing(
        carriers=(
            *(None if one.id in riding else _carrier_of_part(build, figure, one) for one in figure.parts),
            *(_carrier_of_group(build, figure, one) for one in figure.groups),
        ),
        by_block={
            ref: posed_by(figure, part, group_path(figure, part.group), carrying)
            for ref, part in ((ref, block.part) for ref, block in blocks.items())
        },
        placed=tuple(Placed.of(build, figure, ref, block.part) for ref, block in blocks.items()),
        reads=frozenset({MATRICES, *(vertices_of(ref) for ref in blocks)}),
        writes=frozenset({PLACINGS, *(placed_of(ref) for ref in blocks)}),
    )
