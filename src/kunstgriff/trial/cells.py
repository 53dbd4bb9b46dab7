"""The cells of a range sheet: every joint, reach, lever, set and shape alone, neighbours together, the kept poses; and
random poses within limits, by which a rig is shaken."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from scipy.stats import qmc

from kunstgriff.control.reaching import bones_now, spots_at_rest
from kunstgriff.evaluate.program import RigProgram
from kunstgriff.figure.channels import addressed
from kunstgriff.figure.controls import Reach
from kunstgriff.figure.model import Bone, Figure
from kunstgriff.figure.pose import Pose
from kunstgriff.figure.refusal import EditRefused

Floats = NDArray[np.float64]
Kind = Literal["joint", "pair", "reach", "lever", "set", "shape", "pose", "shake"]
USUAL = 45.0  # degrees to each side a joint without limits is turned; common practice, no source
NEARLY = 0.98  # of its length a chain reaches out
IN_FRAMES, HELD_FRAMES = 5, 4  # into a cell and out of it again, and in it
MOST_SHAKES = 2_000


@dataclass(frozen=True)
class Cell:
    """One thing that is tried: what it is, by name, and the pose of it at its furthest. Of a `joint` all of its range
    is read, of the others the pose."""

    kind: Kind
    name: str
    pose: Pose
    bone: str | None = None


def cells_of(figure: Figure) -> list[Cell]:
    """All cells of the range sheet of a figure, the plainest first."""
    return [*_joints(figure), *_pairs(figure), *_reaches(figure), *_controls(figure), *_kept(figure)]


def range_of(bone: Bone) -> tuple[float, float]:
    """From where to where a joint is turned, degrees."""
    return (bone.limits.low, bone.limits.high) if bone.limits is not None else (-USUAL, USUAL)


def plainly(figure: Figure, bones: set[str]) -> dict[str, float]:
    """The channels that let bones be turned by themselves where reaches pose them."""
    return {
        addressed(one.id, "share"): 0.0
        for one in figure.reaches
        if isinstance(one, Reach) and bones & {one.foot, *(bone.id for bone in bones_now(figure, one))}
    }


def _turned(figure: Figure, turns: dict[str, float]) -> Pose:
    channels = {addressed(ref, "turn"): turn for ref, turn in turns.items()}
    return Pose(channels={**channels, **plainly(figure, set(turns))})


def _joints(figure: Figure) -> Iterator[Cell]:
    for bone in figure.bones:
        if bone.parent is not None:
            furthest = max(range_of(bone), key=abs)
            yield Cell("joint", bone.name, _turned(figure, {bone.id: furthest}), bone.id)


def _pairs(figure: Figure) -> Iterator[Cell]:
    """Neighbouring joints whose parts are the same, bent the same way and against one another."""
    followed = [set(part.followed) for part in figure.parts if part.is_shown]
    by_id = {bone.id: bone for bone in figure.bones}
    for bone in figure.bones:
        above = by_id.get(bone.parent or "")
        if above is None or above.parent is None or not any({bone.id, above.id} <= some for some in followed):
            continue
        for one in range_of(above):
            for other in range_of(bone):
                if abs(one) > 1 and abs(other) > 1:
                    name = f"{above.name} at {one:.0f}° and {bone.name} at {other:.0f}°"
                    yield Cell("pair", name, _turned(figure, {above.id: one, bone.id: other}))


def _reaches(figure: Figure) -> Iterator[Cell]:
    for one in figure.reaches:
        chain = bones_now(figure, one)
        if not isinstance(one, Reach) or not chain:
            continue
        spots = np.array(spots_at_rest(chain))
        length = float(np.hypot(*np.diff(spots, axis=0).T).sum())
        rest = math.atan2(*(spots[-1] - spots[0])[::-1])
        for words, by, far in (
            ("drawn in", 0.0, 0.5),
            ("out to one side", 0.9, NEARLY),
            ("to the other", -0.9, NEARLY),
        ):
            goal = spots[0] + length * far * np.array([math.cos(rest + by), math.sin(rest + by)])
            x, y = (goal - spots[-1]).tolist()
            pose = Pose(channels={addressed(one.id, "goal.x"): x, addressed(one.id, "goal.y"): y})
            yield Cell("reach", f"{one.name} {words}", pose)


def _controls(figure: Figure) -> Iterator[Cell]:
    for lever in figure.levers:
        for name, axis in lever.axes:
            for end, words in ((axis.low, "low"), (axis.high, "high")):
                if end != axis.rest:
                    value = end - axis.rest
                    yield Cell("lever", f"{lever.name} {words}", Pose(channels={addressed(lever.id, name): value}))
    for group in figure.groups:
        for drawing in group.drawings:
            pose = Pose(channels={addressed(group.id, "shows"): float(drawing.number)})
            yield Cell("set", f"{group.name}, drawing {drawing.number}", pose)
    for shape in figure.shapes:
        for end in {shape.low, shape.high} - {0.0}:
            yield Cell("shape", f"{shape.name} by {end:g}", Pose(channels={addressed(shape.id, "amount"): end}))


def _kept(figure: Figure) -> Iterator[Cell]:
    for kept in figure.poses:
        yield Cell("pose", kept.name, kept.pose)


def shaken(figure: Figure, count: int, seed: int = 1) -> list[Cell]:
    """So many random poses within limits, all joints and levers at once, evenly spread over the range of each: a Latin
    hypercube (McKay, Beckman, Conover 1979). Raises EditRefused for too many."""
    if not 1 <= count <= MOST_SHAKES:
        raise EditRefused(f"A rig is shaken through 1 to {MOST_SHAKES:,} poses.")
    bones = [bone for bone in figure.bones if bone.parent is not None]
    ranges = {addressed(bone.id, "turn"): range_of(bone) for bone in bones}
    for lever in figure.levers:
        for name, axis in lever.axes:
            ranges[addressed(lever.id, name)] = (axis.low - axis.rest, axis.high - axis.rest)
    if not ranges:
        raise EditRefused("The figure has no joint that could be shaken.")
    low, high = np.array(list(ranges.values())).T
    spread = qmc.LatinHypercube(len(ranges), rng=seed).random(count)
    plain = plainly(figure, {bone.id for bone in bones})
    return [
        Cell(
            "shake",
            f"shake {seed}.{number + 1}",
            Pose(channels={**dict(zip(ranges, row.tolist(), strict=True)), **plain}),
        )
        for number, row in enumerate(low + spread * (high - low))
    ]


@dataclass(frozen=True)
class RangeSheet:
    """All cells one after another, from rest into each and back, as a motion."""

    figure: Figure
    name: str = "range sheet"
    rate: int | None = None

    @cached_property
    def cells(self) -> list[Cell]:
        return cells_of(self.figure)

    @property
    def seconds(self) -> float:
        return max(len(self.cells), 1) * (2 * IN_FRAMES + HELD_FRAMES) / self.figure.rate

    def course(self, program: RigProgram, times: Floats) -> Floats:
        """The values of all channels at `times` (n,) in s: (n, k)."""
        channels, cells = program.channels, self.cells
        span = 2 * IN_FRAMES + HELD_FRAMES
        frames = np.asarray(times, np.float64) * self.figure.rate
        share = np.interp(frames % span, np.cumsum([0, IN_FRAMES, HELD_FRAMES, IN_FRAMES]), [0.0, 1.0, 1.0, 0.0])
        share = share * share * (3 - 2 * share)
        values = np.tile(channels.rest, (len(frames), 1))
        stepped = channels.stepped
        for row, number in enumerate((frames // span).astype(int)):
            if not 0 <= number < len(cells):
                continue
            there = channels.rest.copy()
            channels.set(there, cells[number].pose.restricted_to(program.posable))
            values[row] += share[row] * (there - channels.rest)
            values[row, stepped] = there[stepped] if share[row] >= 0.5 else channels.rest[stepped]
        return values

    def at_rate(self, rate: int) -> RangeSheet:
        return replace(self, rate=rate)
