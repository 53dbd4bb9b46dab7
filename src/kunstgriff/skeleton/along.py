"""Joints where the art has them: snapping to pivots and middle lines, and a chain drawn by one stroke down a limb."""

from __future__ import annotations

import math
from collections import Counter
from functools import lru_cache
from typing import Annotated, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field
from shapely.geometry import LineString
from shapely.geometry import Point as Spot

from kunstgriff.artwork.lines import runs_along, spots_at
from kunstgriff.artwork.meetings import meetings
from kunstgriff.artwork.middle import SPACING, middle_line
from kunstgriff.artwork.outline import part_alpha, part_outline
from kunstgriff.figure.budget import budget
from kunstgriff.figure.edit import Edit, EditRefused
from kunstgriff.figure.model import Figure, Name, Part, Point
from kunstgriff.figure.stores import Beside, Stores
from kunstgriff.skeleton.bones import SHORTEST_BONE
from kunstgriff.skeleton.edits import UNNAMED, DrawChain

SNAP = 14.0  # px within which the pointer is taken to mean a pivot, a joint or a middle line
LEAST_SHARE = 0.12  # of a stroke that must lie over a part for it to count as a limb
BEND = 0.05  # of the stroke's length that the middle line may leave the chain by before it gets a joint there

Floats = NDArray[np.float64]


def snapped(figure: Figure, point: Point, stores: Stores, within: float = SNAP) -> tuple[Point, str]:
    """What the pointer means near `point` (figure space) and a word for it: "pivot", "joint", "middle" or ""."""
    fixed = [(part.drawing.pivot, "pivot") for part in figure.parts if part.drawing.pivot is not None and part.is_shown]
    fixed += [(end, "joint") for bone in figure.bones for end in (bone.joint, bone.tip)]
    near = min(fixed, key=lambda entry: math.dist(entry[0], point), default=None)
    if near is not None and math.dist(near[0], point) <= within:
        return near
    part = part_under(figure, point, stores)
    if part is not None:
        line = middle_of(part, stores)
        if line is not None:
            on = LineString(line).interpolate(LineString(line).project(Spot(point)))
            if math.dist((on.x, on.y), point) <= max(within, 0.5 * _half_width(part, (on.x, on.y), stores)):
                return (round(on.x, 1), round(on.y, 1)), "middle"
    return point, ""


def part_under(figure: Figure, point: Point, stores: Stores) -> Part | None:
    """The frontmost shown part that has paint at `point`."""
    for part in reversed(figure.parts):
        if part.is_shown and part_outline(part, stores).contains(Spot(np.subtract(point, part.drawing.place))):
            return part
    return None


def middle_of(part: Part, stores: Stores) -> Floats | None:
    """The middle line (n, 2) of a part in figure space, carried on to its ends; None where it has none."""
    line = _own_middle(part.drawing.picture, Beside((part, stores)))
    return None if line is None else line + part.drawing.place


@lru_cache(maxsize=512)  # the pointer asks again at every move
def _own_middle(_picture: str, beside: Beside[tuple[Part, Stores]]) -> Floats | None:
    """The same in the part's own space; it depends on the picture alone."""
    return carried_to_ends(part_alpha(*beside.value))


def carried_to_ends(alpha: NDArray[np.uint8]) -> Floats | None:
    """The middle line (n, 2) px of a picture's (h, w) alpha, carried on to its ends; None where it has none."""
    found = middle_line(alpha)
    if found is None or len(found[0]) < 2:
        return None
    line, half = found
    back = min(max(round(half / SPACING), 3), len(line) - 1)  # the very end may turn off into a corner
    first, last = line[0] - line[back], line[-1] - line[-1 - back]
    ends = []
    for point, step in ((line[0], first), (line[-1], last)):
        ends.append(point + half * step / max(float(np.hypot(*step)), 1e-9))
    return np.vstack([ends[0], line, ends[1]])


def _half_width(part: Part, point: Point, stores: Stores) -> float:
    return float(part_outline(part, stores).boundary.distance(Spot(np.subtract(point, part.drawing.place))))


class DrawAlong(Edit):
    """Draw a chain by one stroke down a limb: its joints come to lie on the middle of the parts under it.

    `stroke` is the way of the pointer (figure space); `parent` and `name` are those of a drawn chain. With `joints` the
    chain has so many, evenly; else one at each pivot and each place where parts meet under the stroke, and where the
    middle line bends.
    """

    kind: Literal["draw_along"] = "draw_along"
    stroke: Annotated[tuple[Point, ...], Field(min_length=2, max_length=2_000)]
    parent: str | None = None
    name: Name | None = None
    joints: Annotated[int, Field(ge=2, le=50)] | None = None

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        line = on_the_middle(figure, np.array(self.stroke), stores)
        length = float(runs_along(line)[-1])
        if length < 4 * SHORTEST_BONE:
            raise EditRefused("The stroke is too short for a chain; draw it all the way down the limb.")
        points = self._even(line) if self.joints else self._by_art(figure, line, stores)
        joints = tuple((round(float(x), 1), round(float(y), 1)) for x, y in points)
        return DrawChain(joints=joints, parent=self.parent, name=self.name).apply(figure, stores)

    def _even(self, line: Floats) -> Floats:
        runs = runs_along(line)
        return spots_at(line, runs, np.linspace(0, runs[-1], self.joints or 2))

    def _by_art(self, figure: Figure, line: Floats, stores: Stores) -> Floats:
        drawn, length = LineString(line), float(runs_along(line)[-1])
        marks = [part.drawing.pivot for part in figure.parts if part.drawing.pivot and part.is_shown]
        tried = [part_under(figure, (float(x), float(y)), stores) for x, y in line[:: max(len(line) // 40, 1)]]
        under = {part.id for part in tried if part is not None}
        marks += [one.pivot for one in meetings(figure, stores) if {one.child.id, one.parent.id} <= under]
        runs = sorted(drawn.project(Spot(mark)) for mark in marks if drawn.distance(Spot(mark)) < SNAP)
        bends = np.array(drawn.simplify(BEND * length).coords)[1:-1]
        runs += [drawn.project(Spot(bend)) for bend in bends]
        kept: list[float] = []
        for run in runs:  # marks of the art first, bends only where there is none near
            if all(abs(run - other) > 0.12 * length for other in (0.0, length, *kept)):
                kept.append(run)
        return np.array([drawn.interpolate(run).coords[0] for run in sorted([0.0, *kept, length])])

    def describe(self, figure: Figure) -> str:
        return f"draw {self.name or UNNAMED} along the art"


def on_the_middle(figure: Figure, stroke: Floats, stores: Stores) -> Floats:
    """The stroke (n, 2) with its points drawn to the middle lines of the limbs under it.

    Of all parts under a point, and along with the stroke, its limb is the one the stroke follows longest.
    """
    runs = runs_along(stroke)
    budget().line(float(runs[-1]), "The line")
    even = spots_at(stroke, runs, np.linspace(0, runs[-1], max(int(runs[-1] / 6), 2)))
    direction = np.gradient(even, axis=0)
    lines: dict[str, LineString | None] = {}
    under: list[list[str]] = []
    for point, along in zip(even, direction, strict=True):
        agreeing = []
        for part in figure.parts:
            if not part.is_shown or not part_outline(part, stores).contains(Spot(point - part.drawing.place)):
                continue
            if part.id not in lines:
                line = middle_of(part, stores)
                lines[part.id] = LineString(line) if line is not None else None
            drawn = lines[part.id]
            if drawn is not None and _agrees(drawn, point, along):
                agreeing.append(part.id)
        under.append(agreeing)
    counts = Counter(ref for agreeing in under for ref in agreeing)
    if not lines:
        raise EditRefused("There is no part under the stroke; draw it down a limb.")
    moved = []
    for point, agreeing in zip(even, under, strict=True):
        limb = max(agreeing, key=lambda ref: counts[ref], default=None)
        drawn = lines[limb] if limb is not None and counts[limb] >= LEAST_SHARE * len(even) else None
        if drawn is not None:
            moved.append(np.array(drawn.interpolate(drawn.project(Spot(point))).coords[0]))
    if len(moved) < 2:
        return even
    kept = [moved[0]]
    for point in moved[1:]:
        if math.dist(point, kept[-1]) > 1.0:
            kept.append(point)
    return np.array(kept) if len(kept) > 1 else even


def _agrees(line: LineString, point: Floats, along: Floats) -> bool:
    """Whether a middle line runs about as the stroke does near a point, within 45°."""
    at = line.project(Spot(point))
    a, b = (np.array(line.interpolate(at + off).coords[0]) for off in (-8.0, 8.0))
    step = b - a
    return bool(abs(step @ along) > 0.7 * np.hypot(*step) * np.hypot(*along))
