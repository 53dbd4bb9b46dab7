"""Where two parts meet at a joint, how deep they overlap, and how far the limb can turn before a gap opens.

Readings are taken from the two pictures on circles around the pivot: turning a part about it only shifts its samples
along each circle.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from functools import lru_cache

import cv2
import numpy as np
from numpy.typing import NDArray
from shapely import affinity, maximum_inscribed_circle
from shapely.geometry import MultiPolygon
from shapely.geometry import Point as Spot

from kunstgriff.artwork.ends import RoundEnd
from kunstgriff.artwork.limbs import axis_from, half_width, reach, sides_of
from kunstgriff.artwork.outline import part_alpha, part_outline
from kunstgriff.figure.edit import group_path
from kunstgriff.figure.model import Bone, Figure, Part, Point
from kunstgriff.figure.sides import opposites, side_of
from kunstgriff.figure.stores import Beside, Stores

TURNS = 720  # samples of a circle
ALIKE = 0.5  # likeness of widths below which one part is only a base for the other, not its limb
TOUCH = 3.0  # px within which two parts that do not overlap still meet
LEAST_SHARE, MOST_SHARE = 0.0005, 0.45  # of the smaller part's area that may overlap for the two to meet at a joint
AT_END = 0.22  # of the part's length, from its middle, at which the overlap must lie
GAP_WIDTH = 2.0  # px a gap must be wide to be seen
GAP_AREA = 6.0  # px²
RANGE = 150  # degrees a joint is tried to each side: the elbow's range (AAOS 1965, from memory)


@dataclass(frozen=True)
class Meeting:
    """`child` turns about `pivot` (figure space) on `parent`; `bone` is the bone whose joint that is, if any."""

    child: Part
    parent: Part
    pivot: Point
    bone: str | None = None


@dataclass(frozen=True)
class Reading:
    """`radius`: half the limb's width at the pivot, px, that of the narrower part; `alike`: the narrower's share of the
    wider's width, near 1 where one limb goes on in the other; `overlap`: depth of the overlap along the limb, px;
    `slender`: length by width of the stubbier of the two; `departure`: how far the limb's end stays inside the circle,
    px; `turn`: degrees to either side at which a gap opens, None where none does up to `RANGE`."""

    radius: float
    alike: float
    overlap: float
    slender: float
    departure: float
    turn: float | None


def meetings(figure: Figure, stores: Stores) -> list[Meeting]:
    """Pairs of shown parts that meet: at joints of bones, at pivots that were set, else where overlaps suggest one."""
    shown = [part for part in figure.parts if part.is_shown and not part.alternate_of and not part.facing_of]
    found = list(_at_bones(figure.bones, shown, stores))
    children = {one.child.id for one in found}
    for part in shown:
        if part.id in children:
            continue
        for parent, pivot in _by_overlap(figure, part, shown, stores):
            found.append(Meeting(part, parent, pivot))
            break
    return found


def suggested_pivot(figure: Figure, part: Part, stores: Stores) -> Point | None:
    """Where a part should turn, by its bone's joint or by its overlaps; None where nothing says so."""
    free = part.with_drawing(pivot=None)
    bones = [bone for bone in figure.bones if bone.id in part.followed]
    for meeting in _at_bones(bones, [one for one in figure.parts if one.is_shown], stores):
        if meeting.child.id == part.id:
            return meeting.pivot
    return next((pivot for _, pivot in _by_overlap(figure, free, list(figure.parts), stores)), None)


def _at_bones(bones: Iterable[Bone], shown: list[Part], stores: Stores) -> Iterator[Meeting]:
    for bone in bones:
        if bone.parent is None:
            continue
        children = [part for part in shown if bone.id in part.followed and bone.parent not in part.followed]
        parents = [part for part in shown if bone.parent in part.followed and bone.id not in part.followed]
        child, parent = (_deepest_at(bone.joint, parts, stores) for parts in (children, parents))
        if child is not None and parent is not None:
            yield Meeting(child, parent, bone.joint, bone.id)


def _deepest_at(point: Point, parts: list[Part], stores: Stores) -> Part | None:
    """The part whose outline holds a point of figure space deepest, or comes within `TOUCH` of it."""
    best: tuple[float, Part] | None = None
    for part in parts:
        x, y = np.subtract(point, part.drawing.place)
        if not (-TOUCH <= x <= part.drawing.size[0] + TOUCH and -TOUCH <= y <= part.drawing.size[1] + TOUCH):
            continue
        outline, spot = part_outline(part, stores), Spot(x, y)
        depth = float(outline.boundary.distance(spot)) * (1 if outline.contains(spot) else -1)
        if depth > -TOUCH and (best is None or depth > best[0]):
            best = (depth, part)
    return best[1] if best else None


def _by_overlap(figure: Figure, part: Part, shown: list[Part], stores: Stores) -> Iterator[tuple[Part, Point]]:
    """Parts this one may hang on, with the pivot: a larger one its end runs under or over; the deepest first."""
    found = []
    for other in shown:
        if other.id == part.id or not boxes_touch(part, other, TOUCH) or not _kin(figure, part, other):
            continue
        offset = (other.drawing.place[0] - part.drawing.place[0], other.drawing.place[1] - part.drawing.place[1])
        spot = _joint_of(part.drawing.picture, other.drawing.picture, offset, Beside((part, other, stores)))
        if spot is None:
            continue
        pivot = part.drawing.pivot or (part.drawing.place[0] + spot[0], part.drawing.place[1] + spot[1])
        found.append((spot[2], other, pivot))
    for _, other, pivot in sorted(found, key=lambda one: -one[0]):
        yield other, pivot


def _kin(figure: Figure, part: Part, other: Part) -> bool:
    """Whether two parts may belong to one limb: in one group or one within the other's, and not of opposite sides."""
    side = side_of(part.name, figure.sides)
    if side is not None and side_of(other.name, figure.sides) == opposites(figure.sides)[side]:
        return False
    around = [group_path(figure, one.group) for one in (part, other)]
    depth = min(len(path) for path in around)
    return around[0][:depth] == around[1][:depth]


_Both = Beside[tuple[Part, Part, Stores]]  # two parts whose digests tell them apart


def _outlines(beside: _Both) -> tuple[MultiPolygon, MultiPolygon]:
    first, second, stores = beside.value
    return part_outline(first, stores), part_outline(second, stores)


@lru_cache(maxsize=8192)
def _joint_of(_picture: str, _other: str, offset: Point, beside: _Both) -> tuple[float, float, float] | None:
    """Middle of the largest circle in the overlap of two parts and its radius, px of the first; None where the first
    does not end there."""
    mine, theirs = _outlines(beside)
    mine = mine.simplify(0.7)
    theirs = affinity.translate(theirs.simplify(0.7), *offset)
    if mine.area > theirs.area:
        return None
    overlap = mine.buffer(TOUCH / 2).intersection(theirs.buffer(TOUCH / 2))
    share = overlap.area / mine.area
    if not LEAST_SHARE < share < MOST_SHARE:
        return None
    box = mine.minimum_rotated_rectangle
    corners = np.array(box.exterior.coords)[:4]
    sides = corners[1:3] - corners[0:2]
    length = np.linalg.norm(sides, axis=1)
    axis = sides[int(length.argmax())] / max(length.max(), 1e-9)
    circle = maximum_inscribed_circle(overlap, tolerance=0.5)
    (x, y), radius = _on_middle(mine, circle.coords[0]), circle.length
    along = abs(float(np.dot((x - box.centroid.x, y - box.centroid.y), axis))) / length.max()
    return (x, y, radius) if along > AT_END else None


def boxes_touch(part: Part, other: Part, within: float) -> bool:
    """Whether the pictures of two parts come within so many px of one another."""
    return all(
        part.drawing.place[axis] - within < other.drawing.place[axis] + other.drawing.size[axis]
        and other.drawing.place[axis] - within < part.drawing.place[axis] + part.drawing.size[axis]
        for axis in (0, 1)
    )


def read_meeting(meeting: Meeting, stores: Stores) -> Reading:
    """The readings of a meeting, kept as long as neither picture nor place changes."""
    child, parent = meeting.child, meeting.parent
    at = [(meeting.pivot[0] - one.drawing.place[0], meeting.pivot[1] - one.drawing.place[1]) for one in (child, parent)]
    return _reading(child.drawing.picture, parent.drawing.picture, at[0], at[1], Beside((child, parent, stores)))


@lru_cache(maxsize=4096)
def _reading(_child: str, _parent: str, at_child: Point, at_parent: Point, beside: _Both) -> Reading:
    shape, other = _outlines(beside)
    axis = axis_from(shape, at_child)
    widths = [half_width(shape, at_child), half_width(other, at_parent)]
    radius, alike = min(widths), min(widths) / max(*widths, 1e-9)
    overlap = reach(shape, at_child, -axis) + reach(other, at_parent, axis)
    slender = min(_slender(shape), _slender(other))
    if radius < 2 or alike < ALIKE:
        return Reading(radius, alike, overlap, slender, 0.0, None)
    end = RoundEnd.of(shape, at_child)
    turns = np.radians(np.arange(10, 171, 4))  # from the limb's left side around behind the pivot
    ways = np.column_stack([-np.sin(turns), np.cos(turns)]) @ end.frame
    ends = np.array([reach(shape, at_child, way) for way in ways])
    departure = max(float((end.radius_at(turns) * min(1.0, radius / end.half) - ends).max()), 0.0)
    child, parent, stores = beside.value
    mine, theirs = (
        _on_circles(part_alpha(part, stores), at, radius) for part, at in ((child, at_child), (parent, at_parent))
    )
    return Reading(radius, alike, overlap, slender, departure, gap_turn(mine, theirs))


def _on_middle(shape: MultiPolygon, spot: Point) -> Point:
    """A spot moved across the limb to the middle between its sides, read a little way in from its end."""
    axis = axis_from(shape, spot)
    across = np.array([-axis[1], axis[0]])
    inner = np.add(spot, 0.5 * shape.area / max(sides_of(shape).max(), 1e-9) * axis)
    sides = [reach(shape, (inner[0], inner[1]), side) for side in (across, -across)]
    if min(sides) == 0:
        return spot
    x, y = np.add(spot, across * (sides[0] - sides[1]) / 2)
    return float(x), float(y)


def _slender(shape: MultiPolygon) -> float:
    sides = sides_of(shape)
    return float(sides.max() / max(sides.min(), 1e-9))


def _on_circles(alpha: NDArray[np.uint8], at: Point, radius: float) -> NDArray[np.bool_]:
    """Whether a picture is painted (radii, `TURNS`) on circles around a spot of it, 1 px apart, up to `radius`."""
    radii = np.arange(0.5, radius - 1, 1.0, dtype=np.float32)[:, None]
    angles = (np.arange(TURNS, dtype=np.float32) * (2 * np.pi / TURNS))[None]
    # pixel (0, 0) has its middle at (0.5, 0.5)
    x, y = at[0] - 0.5 + radii * np.cos(angles), at[1] - 0.5 + radii * np.sin(angles)
    found = cv2.remap(
        alpha, x.astype(np.float32), y.astype(np.float32), cv2.INTER_LINEAR, borderMode=cv2.BORDER_CONSTANT
    )
    return np.asarray(found >= 128)


def gap_turn(child: NDArray[np.bool_], parent: NDArray[np.bool_]) -> float | None:
    """Degrees of turn, to the side where it comes sooner, at which something painted at rest becomes see-through.

    `child` and `parent` are (radii, turns) as `_on_circles` gives them.
    """
    rest = child | parent
    if rest.size == 0:
        return None
    radii = np.arange(len(rest)) + 0.5
    cell = 2 * np.pi / TURNS
    for degrees in range(1, RANGE + 1):
        for side in (1, -1):
            step = side * round(degrees * TURNS / 360)
            gap = rest & ~(np.roll(child, step, axis=1) | parent)
            counts = gap.sum(1)
            if (counts * radii * cell).max() >= GAP_WIDTH and (counts * radii).sum() * cell >= GAP_AREA:
                return float(degrees)
    return None


def gap_area(child: NDArray[np.bool_], parent: NDArray[np.bool_], degrees: float) -> float:
    """Area in px² that a turn lays bare, for samples as in `gap_turn`."""
    gap = (child | parent) & ~(np.roll(child, round(degrees * TURNS / 360), axis=1) | parent)
    return float((gap.sum(1) * (np.arange(len(gap)) + 0.5)).sum() * 2 * np.pi / TURNS)
