"""What controls make of a pose: levers, laid-on shapes and turns of bones move other channels.

All that drives one channel is added up, so no order of listing matters; a channel is done before it drives another.
Levers and shapes are heeded as a pose is laid into its numbers, before anything is worked out of it. Turns drive when
reaches and springs are done, so that a fold comes with the bend that is seen.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, replace
from graphlib import CycleError, TopologicalSorter
from typing import Any, ClassVar

import numpy as np
from numba import njit
from numpy.typing import NDArray

from kunstgriff.control.curves import INSTEAD, STEPS, STRAIGHT, curve_within, knots_of, pieces_of, way_of
from kunstgriff.control.handles import HandlePulling
from kunstgriff.evaluate.posing import Channels
from kunstgriff.evaluate.program import Build, Node, Skeleton
from kunstgriff.evaluate.stale import MATRICES, channels_of, matrix_of, placed_of, starts_of, vertices_of
from kunstgriff.evaluate.state import RigState
from kunstgriff.figure.channels import addressed, parted, quantities
from kunstgriff.figure.controls import Axis, Drive
from kunstgriff.figure.model import Figure
from kunstgriff.figure.stores import Stores
from kunstgriff.skeleton.bones import with_descendants
from kunstgriff.skeleton.kinematics import eased, forward_of

Floats = NDArray[np.float64]
Ints32 = NDArray[np.int32]


def ends_of(axis: Axis) -> tuple[float, float]:
    """How far a lever goes along an axis, counted from its rest."""
    return axis.low - axis.rest, axis.high - axis.rest


@dataclass(frozen=True)
class Mover:
    """One channel that moves another, both by their addresses: by a curve through knots, `ats` and `bys` (n,), which
    goes one `way`, or by bringing it to a value `INSTEAD`, which then is the last of them. It follows its source with
    some slack, a `dead` zone in degrees."""

    source: str
    target: str
    ats: Floats
    bys: Floats
    way: int
    dead: float = 0.0

    @classmethod
    def of(cls, source: str, drives: Iterable[Drive]) -> Iterator[Mover]:
        """Those of some drives; what a figure from elsewhere calls a channel and is none here moves nothing."""
        for drive in drives:
            known = quantities().get(parted(drive.channel)[1])
            if known is not None:
                yield cls(source, drive.channel, *knots_of(drive), way_of(drive, known.stepped), drive.dead)


def by_levers(figure: Figure) -> Iterator[Mover]:
    """All that the levers of a figure move."""
    for lever in figure.levers:
        for name, axis in lever.axes:
            yield from Mover.of(addressed(lever.id, name), axis.drives)


def by_shapes(figure: Figure) -> Iterator[Mover]:
    """All channels that the laid-on shapes of a figure move."""
    for shape in figure.shapes:
        source = addressed(shape.id, "amount")
        for channel, by in shape.on_top.items():
            yield Mover(source, channel, np.array([-2.0, 0.0, 2.0]), np.array([-2.0, 0.0, 2.0]) * by, STRAIGHT)
        for channel, value in shape.instead.items():
            known = quantities().get(parted(channel)[1])
            stepped = known is not None and known.stepped
            way = STEPS if stepped else INSTEAD
            yield Mover(source, channel, np.array([0.0, 0.5 if stepped else 1.0]), np.array([0.0, value]), way)


def by_turns(figure: Figure) -> Iterator[Mover]:
    """All that turns of its bones move."""
    for one in figure.by_turns:
        yield from Mover.of(addressed(one.bone, "turn"), one.drives)


def alike(figure: Figure) -> list[list[str]]:
    """The channels of shapes that are like one another, where there are several."""
    found: dict[str, list[str]] = {}
    for shape in figure.shapes:
        if shape.like is not None:
            found.setdefault(shape.like, []).append(addressed(shape.id, "amount"))
    return [some for some in found.values() if len(some) > 1]


def in_turn(movers: Iterable[Mover], likes: Iterable[Sequence[str]] = ()) -> list[str]:
    """The channels that are moved or move others, each after those that move it, and after all that are like those.
    Raises CycleError with some of them that move each other in a circle."""
    like = {one: some for some in likes for one in some}
    graph = TopologicalSorter[str]()
    for one in movers:
        graph.add(one.target, *like.get(one.source, (one.source,)))
    for some in like.values():
        for each in some:
            graph.add(each)
    return list(graph.static_order())


@njit(cache=True, nogil=True)
def drive_rows(
    rows: Floats, targets: Ints32, lows: Floats, highs: Floats, softs: Floats, starts: Ints32, sources: Ints32,
    ways: Ints32, knot_starts: Ints32, ats: Floats, pieces: Floats, like_starts: Ints32, likes: Ints32,
) -> None:  # fmt: skip
    """Move the channels of `rows` (r, k): `targets` (t,) one after another, each by what drives it, from `starts[i]` to
    `starts[i + 1]` of `sources` (o,), and held between its ends. Curves have the knots from `knot_starts[j]` on. With
    the last of several that are like one another, `likes` from `like_starts[i]` on, all are brought down to 1 together.
    """
    for r in range(len(rows)):
        values = rows[r]
        for i in range(len(targets)):
            place = targets[i]
            found = values[place]
            share = brought = 0.0
            for j in range(starts[i], starts[i + 1]):
                at = values[sources[j]]
                if at == 0.0:
                    continue
                if ways[j] == INSTEAD:
                    share += abs(at)
                    brought += abs(at) * pieces[knot_starts[j + 1] - 1, 0]
                    continue
                by = curve_within(at, ways[j], knot_starts[j], knot_starts[j + 1], ats, pieces)
                if ways[j] != STEPS:
                    found += by
                elif found == 0.0:  # a step says only what a pose leaves open
                    found = by
            if share > 0.0:
                found = found * (1.0 - min(share, 1.0)) + brought / max(share, 1.0)
            if softs[i] > 0.0:
                found = eased(found, lows[i], highs[i], softs[i])
            values[place] = min(max(found, lows[i]), highs[i])
            total = 0.0
            for k in range(like_starts[i], like_starts[i + 1]):
                total += abs(values[likes[k]])
            if total > 1.0:
                for k in range(like_starts[i], like_starts[i + 1]):
                    values[likes[k]] /= total


@dataclass(frozen=True)
class Driving:
    """What drives channels as numbers; `packed` is what `drive_rows` goes by. Called, it drives rows of values (r, k)
    in place."""

    packed: tuple[NDArray[Any], ...]

    def __call__(self, rows: Floats) -> None:
        drive_rows(rows, *self.packed)

    @classmethod
    def of(
        cls, movers: Sequence[Mover], place: dict[str, int], ends: dict[str, tuple[float, float, float]],
        likes: Sequence[Sequence[str]] = (),
    ) -> Driving:  # fmt: skip
        """That of some movers between channels at their `place`, held between their `ends` (low, high, soft), which
        others take from their quantity. Those that move each other in a circle are left out."""
        movers = [one for one in movers if one.source in place and one.target in place]
        while True:
            try:
                order = in_turn(movers, likes)
                break
            except CycleError as error:
                circle = set(error.args[1])
                movers = [one for one in movers if one.target not in circle]
        order += sorted(set(ends) - set(order))
        known, driven = quantities(), dict[str, list[Mover]]()
        for one in movers:
            driven.setdefault(one.target, []).append(one)
        targets = [address for address in order if address in driven or address in ends]
        held = [ends.get(one) or (known[parted(one)[1]].low, known[parted(one)[1]].high, 0.0) for one in targets]
        rows = [driven.get(one, []) for one in targets]
        flat = [one for row in rows for one in row]
        last = {max(some, key=targets.index): some for some in likes}
        like = [last.get(one, ()) for one in targets]
        return cls(
            (
                np.array([place[one] for one in targets], np.int32),
                *np.array(held, np.float64).reshape(-1, 3).T.copy(),
                starts_of(rows),
                np.array([place[one.source] for one in flat], np.int32),
                np.array([one.way for one in flat], np.int32),
                starts_of([one.ats for one in flat]),
                np.concatenate([np.zeros(0), *(one.ats for one in flat)]),
                np.concatenate([np.zeros((0, 4)), *(pieces_of(one.ats, one.bys, one.way) for one in flat)]),
                starts_of(like),
                np.array([place[one] for some in like for one in some], np.int32),
            )
        )


def driving(figure: Figure, channels: Channels) -> Driving | None:
    """What the levers and shapes of a figure make of a pose."""
    if not figure.levers and not figure.shapes:
        return None
    ends = {
        addressed(lever.id, name): (*ends_of(axis), axis.soft) for lever in figure.levers for name, axis in lever.axes
    }
    ends |= {addressed(one.id, "amount"): (one.low, one.high, 0.0) for one in figure.shapes}
    return Driving.of([*by_levers(figure), *by_shapes(figure)], dict(channels.index), ends, alike(figure))


@dataclass(frozen=True)
class TurnDriving:
    """What turns of bones drive, and `handles` of warps that correctives pull.

    It works on the channels with behind them what the bones turn by and how they are stretched and moved, as forward
    kinematics and reaches left them; bones that it moves are worked out anew with all `below` (b,) them. Behind all
    come turns with some slack, each of a bone by its row and with its width (`slack`): on the way back they follow only
    what leaves that (the play operator of hysteresis, Krasnosel'skii & Pokrovskii 1989), so that no step flickers.
    """

    drive: Driving
    handles: HandlePulling | None
    slack: tuple[tuple[int, float], ...]
    skeleton: Skeleton
    below: Ints32
    writes: frozenset[str]
    reads: ClassVar[frozenset[str]] = frozenset({MATRICES})

    def run(self, rig: RigState) -> None:
        count, size = len(rig.turned), len(rig.values)
        before = rig.buffer(self, lambda: np.zeros(size))
        before[:] = rig.values
        slack = rig.buffer(self.slack, lambda: np.zeros(len(self.slack))) if self.slack else np.zeros(0)
        for k, (row, width) in enumerate(self.slack):
            turn = rig.turned[row]
            least, most = (turn, turn + width) if turn >= 0 else (turn - width, turn)
            slack[k] = min(max(slack[k], least), most) if turn else 0.0
        work = np.concatenate([rig.values, rig.turned, rig.grown.ravel(), rig.moved.ravel(), slack])
        self.drive(work[None])
        turned, (grown, moved) = work[size : size + count], work[size + count : size + 5 * count].reshape(2, -1, 2)
        rig.driven[:, 0], rig.driven[:, 1:] = turned - rig.turned, grown - rig.grown
        rig.values[:], rig.turned[:], rig.grown[:], rig.moved[:] = work[:size], turned, grown, moved
        if len(self.below):
            bones = self.skeleton
            stretched = forward_of(
                self.below, bones.parents, bones.joints, bones.directions, rig.turned, rig.moved, rig.grown,
                rig.matrices, rig.angles, rig.transforms, rig.dual_numbers, rig.stretches,
            )  # fmt: skip
            rig.stretched = rig.stretched or stretched
        if self.handles is not None:
            self.handles.lay(rig)


@dataclass(frozen=True)
class GivenBack:
    """The channels as they were posed, when all that goes by them is done: what is evaluated once more is the same."""

    driving: TurnDriving
    reads: frozenset[str]
    writes: ClassVar[frozenset[str]] = frozenset()

    def run(self, rig: RigState) -> None:
        rig.values[:] = rig.buffer(self.driving, lambda: rig.values.copy())


def _slackened(address: str, width: float) -> str:
    """What stands for a channel that is followed with some slack."""
    return f"{address} within {width:g}"


def turn_driving(build: Build, figure: Figure, stores: Stores) -> Iterator[Node]:
    """What turns of bones drive, and all as it was when that is done."""
    movers, handles = list(by_turns(figure)), HandlePulling.of(build, figure)
    if not movers and handles is None:
        return
    index, channels = build.skeleton.index, Channels.of(figure)
    place, size, count = dict(channels.index), len(channels.rest), len(index)
    ends = dict[str, tuple[float, float, float]]()
    for ref, row in index.items():
        place[addressed(ref, "turn")] = size + row
        for first, names in ((count, ("stretch.along", "stretch.across")), (3 * count, ("move.x", "move.y"))):
            for k, name in enumerate(names):
                place[addressed(ref, name)] = size + first + 2 * row + k
    slack = list(dict.fromkeys((one.source, one.dead) for one in movers if one.dead))
    for k, (source, width) in enumerate(slack):
        place[_slackened(source, width)] = size + 5 * count + k
    movers = [replace(one, source=_slackened(one.source, one.dead)) if one.dead else one for one in movers]
    driven = {parted(one.target)[0] for one in movers} | (handles.refs if handles is not None else set())
    for bone in figure.bones:
        if bone.limits is not None and bone.id in driven:
            ends[addressed(bone.id, "turn")] = (bone.limits.low, bone.limits.high, 0.0)
    below = sorted({index[one.id] for ref in driven & set(index) for one in with_descendants(figure, ref)})
    moved = (matrix_of(figure.bones[row].id) for row in below)
    node = TurnDriving(
        Driving.of(movers, place, ends),
        handles,
        tuple((index[parted(source)[0]], width) for source, width in slack),
        build.skeleton,
        np.array(below, np.int32),
        frozenset({MATRICES, *moved, *map(channels_of, driven)}),
    )
    yield node
    blocks = build.nets.blocks
    yield GivenBack(node, frozenset(name(ref) for ref in blocks for name in (vertices_of, placed_of)))
