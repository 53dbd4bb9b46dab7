"""Caps: the ends of two pieces made round about the joint they share, so that turning lays nothing bare.

A cap is painted on the part's own picture; the drawing without it is kept, the cap taken off gives it back, and a new
drawing gets it anew. Concentric round ends never open a gap; a flat one opens a sector of θ r² / 2, a square one stands
out at the corner by r (√2 − 1) (plane geometry).
"""

from __future__ import annotations

from functools import lru_cache
from typing import Literal

import numpy as np
import shapely
from shapely.geometry import MultiPolygon
from shapely.geometry.base import BaseGeometry

from kunstgriff.artwork.ends import TURNS, RoundEnd
from kunstgriff.artwork.ink import Floats, part_ink
from kunstgriff.artwork.mending import with_cap
from kunstgriff.artwork.outline import part_solid, polygons_of
from kunstgriff.artwork.repaint import looking, redrawn_by_us
from kunstgriff.figure.edit import Edit, EditRefused, need_bone
from kunstgriff.figure.model import Bone, Figure, Part, Point, Rigid
from kunstgriff.figure.stores import Beside, Stores
from kunstgriff.figure.treatments import Cap, Reach
from kunstgriff.seam.joints import joint_on, need_meeting, need_unstraightened
from kunstgriff.seam.recipes import new_id

GRID = 1 / 64  # px outlines are rounded to: what touches itself makes geometry fail otherwise
NOT_ROUND = 0.03  # share of the half disc behind a joint by which an end may differ from round; measured on round ends
THINNEST = 4.0  # px of half width under which an end is not asked after
RIM = 1.5  # px along its whole rim by which an end may differ from round all the same: how well its radius is told
GOES_ON = 0.2  # the same share painted beyond the end's corners from which the part goes on and has no end there


def needs_cap(part: Part, bone: Bone, stores: Stores) -> bool:
    """Whether a part ends at a bone's joint otherwise than round about it.

    One that bends, such as a trunk under a head, is left as drawn: its shape there belongs to more than this joint.
    """
    if not isinstance(part.binding, Rigid):
        return False
    made = round_end(part, bone, stores)
    end = end_of(part_solid(part, stores), made)
    if end is None:
        return False
    off = end.symmetric_difference(_areas(made.shape.intersection(made.behind(3 * made.half)))).area
    return bool(off > np.pi * made.half * max(NOT_ROUND * made.half / 2, RIM))


def round_end(part: Part, bone: Bone, stores: Stores, radius: float | None = None) -> RoundEnd:
    """How a part that follows a bone, or the one its joint lies on, would end round about the bone's joint."""
    return _round_end(
        part.drawing.looks, joint_on(part, bone), radius, outside_turns(part, bone), Beside((part, stores))
    )


@lru_cache(maxsize=1024)  # asked for by every way a joint is tried in
def _round_end(
    _drawing: object,
    at: Point,
    radius: float | None,
    turns: tuple[float, float],
    beside: Beside[tuple[Part, Stores]],
) -> RoundEnd:
    return RoundEnd.of(part_solid(*beside.value), at, radius, turns)


def outside_turns(part: Part, bone: Bone) -> tuple[float, float]:
    """How far a bone turns so that the left side of a part that meets another at its joint is outside, and the right
    one, degrees; left as seen from the joint into the part."""
    low, high = (bone.limits.low, bone.limits.high) if bone.limits is not None else (-TURNS[0], TURNS[1])
    onward, back = max(high, 0.0), max(-low, 0.0)  # clockwise the turning limb moves to its left, its right is outside
    return (back, onward) if bone.id in part.followed else (onward, back)


def end_of(outline: MultiPolygon, made: RoundEnd) -> MultiPolygon | None:
    """What of a part lies behind a joint, its end there, in whose stead a round one could be; None where it goes on or
    is too thin."""
    if made.half < THINNEST:
        return None
    behind = _areas(shapely.intersection(outline, made.behind(3 * made.half), grid_size=GRID))
    beyond = made.corners(2.5).difference(made.corners())
    if behind.intersection(beyond).area > GOES_ON * np.pi * made.half**2 / 2:
        return None
    return _areas(shapely.intersection(behind, made.corners(), grid_size=GRID))


def _areas(shape: BaseGeometry) -> MultiPolygon:
    """What of a shape is no mere line or point."""
    return MultiPolygon(polygons_of(shape))


def capped_anew(figure: Figure, before: Part, ref: str, stores: Stores) -> Figure:
    """Lay the caps of a part that was drawn anew on its new drawing."""
    part = figure.part(ref)
    caps = [one for one in figure.treated("cap") if one.part == ref]
    if part is None or not caps or part.drawing.picture == caps[-1].made:
        return figure
    made = {}
    for cap in caps:
        after = _capped(figure, part, cap, stores)
        made[cap.id] = _of(cap, part, after)
        part = after
    return figure.replace(
        parts=tuple(part if one.id == ref else one for one in figure.parts),
        treatments=tuple(made.get(one.id, one) for one in figure.treatments),
    )


def _capped(figure: Figure, part: Part, cap: Cap, stores: Stores) -> Part:
    bone = figure.bone(cap.bone)
    assert bone is not None
    try:
        return with_cap(part, bone.joint, cap.radius, stores, outside_turns(part, bone), widens=cap.widens)
    except EditRefused:
        return part  # the joint no longer lies on the new drawing


def _of(cap: Cap, part: Part, after: Part) -> Cap:
    was = part.drawing
    look = {"picture": was.picture, "place": was.place, "size": was.size, "made": after.drawing.picture}
    return cap.model_copy(update=look)


def with_caps(
    figure: Figure,
    bone: Bone,
    stores: Stores,
    parts: tuple[Part, ...],
    radius: float | None = None,
    widens: float | None = None,
) -> Figure:
    """The figure with round ends of some parts about a bone's joint; `radius` and `widens` as `with_cap` has them."""
    for each_part in parts:
        part = figure.part(each_part.id)
        assert part is not None
        need_unstraightened(part)
        after = with_cap(part, bone.joint, radius, stores, outside_turns(part, bone), widens=widens)
        cap = Cap(
            id=new_id(figure), part=part.id, bone=bone.id, radius=radius, widens=widens, picture=part.drawing.picture,
            place=part.drawing.place, size=part.drawing.size, made=after.drawing.picture,
        )  # fmt: skip
        figure = figure.replace(treatments=(*figure.treatments, cap), next_id=figure.next_id + 1)
        figure = redrawn_by_us(figure, after, stores)
    return figure


def without_caps(figure: Figure, gone: tuple[Cap, ...], stores: Stores) -> Figure:
    """The figure with some caps taken off: the drawings as they were, other caps of the same parts kept."""
    ids = {one.id for one in gone}
    for ref in dict.fromkeys(one.part for one in gone):
        first = next(one for one in figure.treated("cap") if one.part == ref)
        part = figure.part(ref)
        assert part is not None
        drawn = looking(part, first.picture, first.place, first.size).with_drawing(split=part.drawing.split)
        left = tuple(one for one in figure.treatments if one.id not in ids or getattr(one, "part", None) != ref)
        figure = redrawn_by_us(figure.replace(treatments=left), drawn, stores)
    return figure


def line_left(figure: Figure, part: Part, stores: Stores) -> Floats | None:
    """Ink (h, w) in [0, 1] that was a part's outline as it was drawn and lies inside it now that its ends are round.

    None where no cap is laid. To a reading it would be a drawn detail; it is a line across the limb.
    """
    first = next((one for one in figure.treated("cap") if one.part == part.id), None)
    if first is None:
        return None
    drawn = part.with_drawing(picture=first.picture, place=first.place, size=first.size, split=None)
    was, now = part_ink(drawn, stores), part_ink(part, stores)
    edge = np.zeros_like(now.depth)
    x, y = (round(float(one)) for one in np.subtract(first.place, part.drawing.place))
    height, width = was.depth.shape
    rows, columns = slice(max(y, 0), max(y + height, 0)), slice(max(x, 0), max(x + width, 0))
    there = edge[rows, columns]
    there[:] = was.at_edge[max(-y, 0) :, max(-x, 0) :][: there.shape[0], : there.shape[1]]
    inside = np.clip(now.depth - 1.5 * now.line_width - 2, 0, 1)
    return np.asarray(now.coverage * edge * inside, np.float32)


def caps_at(figure: Figure, ref: str) -> tuple[Cap, ...]:
    """The caps laid at a bone's joint."""
    return tuple(one for one in figure.treated("cap") if one.bone == ref)


class LayCap(Edit):
    """Make the ends of the two parts that meet at a bone's joint round about it, where they are not.

    `radius` (px) is that of the ends, left out half each part's width there. The drawings without are kept.
    """

    kind: Literal["lay_cap"] = "lay_cap"
    bone: str
    radius: Reach | None = None

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        bone = need_bone(figure, self.bone)
        parts = tuple(part for part in need_meeting(figure, bone, stores) if needs_cap(part, bone, stores))
        if not parts:
            raise EditRefused(f"Both ends at the joint of “{bone.name}” are round about it already.")
        return with_caps(figure, bone, stores, parts, self.radius)

    def describe(self, figure: Figure) -> str:
        return f"round the ends at {need_bone(figure, self.bone).name}"
