"""Bones for a figure that is cut into pieces: one a piece, about the pivots it has, hung as its groups are nested."""

from __future__ import annotations

import math
from collections.abc import Iterator
from typing import Literal

import numpy as np
from shapely import affinity, maximum_inscribed_circle
from shapely.geometry import LineString
from shapely.geometry import Point as Spot
from shapely.geometry.base import BaseGeometry

from kunstgriff.artwork.ends import limb_axis
from kunstgriff.artwork.limbs import reach
from kunstgriff.artwork.outline import part_outline
from kunstgriff.binding.contained import bound
from kunstgriff.figure.edit import Edit, EditRefused, free_name, group_path
from kunstgriff.figure.model import Bone, Figure, Part, Point, Rigid, Unbound
from kunstgriff.figure.stores import Stores
from kunstgriff.skeleton.along import middle_of
from kunstgriff.skeleton.bones import SHORTEST_BONE, bone_hue
from kunstgriff.skeleton.edits import BONES_LIMIT

Shapes = dict[str, BaseGeometry]  # outlines in figure space by the ids of parts

TOUCH = 2.0  # px within which pieces touch
MOST_SHARED = 0.6  # of a piece's area that lies on another from which it lies on it as a whole
LONG = 1.6  # length by width from which a piece turns about an end
AT_END = 0.8  # of its width from such an end within which the middle of an overlap is the joint
AHEAD = 0.5  # least cosine between a piece and the joint of another for its bone to end there
INNER = 0.9  # of the way to a piece's end at which its bone ends


class BonesFromParts(Edit):
    """Give every piece that follows nothing a bone of its own, named after it, about its pivot, and bind it to that.

    The first piece of a group hangs on the first of the group around, the others on the one they touch on the way from
    there; without groups all hang together so. A piece without a pivot turns about the middle of where it overlaps the
    one it hangs on, or about its end there.
    """

    kind: Literal["bones_from_parts"] = "bones_from_parts"

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        pieces = [one for one in figure.parts if one.is_shown and not one.alternate_of and not one.facing_of]
        asked = [one for one in pieces if isinstance(one.binding, Unbound)]
        if not asked:
            raise EditRefused("Every part follows something already; unbind those that shall have bones of their own.")
        if len(figure.bones) + len(asked) > BONES_LIMIT:
            raise EditRefused(f"A figure may have {BONES_LIMIT} bones at most.")
        shapes = {one.id: _outline(one, stores) for one in pieces}
        above = _hangs_on(figure, pieces, shapes)
        joints = {one.id: _joint(one, above, shapes, stores) for one in pieces}
        bones = {one.id: one.binding.bone for one in pieces if isinstance(one.binding, Rigid)}
        taken, made, number = {bone.name for bone in figure.bones}, list[Bone](), figure.next_id
        for part in _from_the_root(asked, above):
            name = free_name(part.name, taken)
            taken.add(name)
            tip = _tip(part, joints, above, stores)
            parent = bones.get(above.get(part.id, ""))
            hue = bone_hue(len(figure.bones) + len(made))
            made.append(Bone(id=f"b{number}", name=name, parent=parent, joint=joints[part.id], tip=tip, hue=hue))
            bones[part.id] = made[-1].id
            number += 1
        own = {part.id for part in asked}
        parts = tuple(bound(one, Rigid(bone=bones[one.id])) if one.id in own else one for one in figure.parts)
        return figure.replace(bones=(*figure.bones, *made), parts=parts, next_id=number)

    def describe(self, figure: Figure) -> str:
        return "make bones of the parts"


def _hangs_on(figure: Figure, pieces: list[Part], shapes: Shapes) -> dict[str, str]:
    """For each piece the one it hangs on, by ids; the root is left out. Never in a circle."""
    inside: dict[str | None, list[Part]] = {}
    for part in pieces:
        inside.setdefault(part.group, []).append(part)
    names: dict[str | None, str] = {group.id: group.name for group in figure.groups}

    def first(group: str | None) -> str:
        """The piece a group is about: the one of its name, else the largest."""
        alike = [one for one in inside[group] if one.name == names.get(group)]
        return (alike or [max(inside[group], key=lambda one: shapes[one.id].area)])[0].id

    above: dict[str, str] = {}
    tops = []  # first pieces of groups that lie in none with pieces
    for group, members in inside.items():
        start = first(group)
        around = [ref for ref in reversed(group_path(figure, group)[:-1]) if ref in inside]
        if around:
            above[start] = first(around[0])
        else:
            tops.append(start)
        above |= _by_touch(start, [one.id for one in members], shapes)
    root = max(tops, key=lambda ref: shapes[ref].area)
    return above | _by_touch(root, tops, shapes)


def _by_touch(start: str, refs: list[str], shapes: Shapes) -> dict[str, str]:
    """On which other each of some pieces hangs when all hang on `start`: strongest links, by overlap, first.

    The tree is that of Prim 1957. What touches nothing hangs on `start` itself.
    """
    above: dict[str, str] = {}
    best: dict[str, tuple[float, str]] = {ref: (0.0, start) for ref in refs if ref != start}
    reached = start
    while best:
        wide = shapes[reached].buffer(TOUCH)
        for ref, (area, _) in best.items():
            overlap = shapes[ref].intersection(wide).area
            if overlap > area:
                best[ref] = (overlap, reached)
        reached = max(best, key=lambda ref: best[ref][0])
        above[reached] = best.pop(reached)[1]
    return above


def _outline(part: Part, stores: Stores) -> BaseGeometry:
    """A part's outline in figure space, none finer than is needed to see what touches what."""
    return affinity.translate(part_outline(part, stores).simplify(0.7).buffer(0), *part.drawing.place)


def _joint(part: Part, above: dict[str, str], shapes: Shapes, stores: Stores) -> Point:
    """Where a piece turns: its pivot, the middle of its overlap with what it hangs on, or its end away from what hangs
    on it."""
    if part.drawing.pivot is not None:
        return part.drawing.pivot
    own, over = shapes[part.id], shapes.get(above.get(part.id, ""))
    found = own.centroid
    if over is not None:
        shared, line = own.intersection(over), middle_of(part, stores)
        course = LineString(line) if line is not None else None
        is_long = course is not None and course.length > LONG * own.area / course.length
        circle = Spot(maximum_inscribed_circle(shared, tolerance=0.5).coords[0]) if shared.area > 0 else None
        if course is not None and is_long:
            below = [shapes[ref].centroid for ref, one in above.items() if one == part.id]
            inset = own.area / course.length / 2  # half the width
            ends = [course.interpolate(run) for run in (inset, course.length - inset)]
            # what hangs on it tells its other end, else what it hangs on lies nearer
            away = {
                number: min((end.distance(one) for one in below), default=-end.distance(shared if circle else over))
                for number, end in enumerate(ends)
            }
            found = ends[max(away, key=lambda number: away[number])]
            if circle is not None and circle.distance(found) < AT_END * 2 * inset:
                found = circle
        elif circle is not None and shared.area < MOST_SHARED * own.area:
            found = circle
    return round(found.x, 1), round(found.y, 1)


def _tip(part: Part, joints: dict[str, Point], above: dict[str, str], stores: Stores) -> Point:
    """The joint of the piece that goes on from this one, else near its far end."""
    joint = np.array(joints[part.id])
    outline = part_outline(part, stores)
    local = (float(joint[0] - part.drawing.place[0]), float(joint[1] - part.drawing.place[1]))
    axis = limb_axis(outline, local)
    below = [np.array(joints[ref]) - joint for ref, over in above.items() if over == part.id]
    onward = [one for one in below if math.hypot(*one) > SHORTEST_BONE and one @ axis > AHEAD * math.hypot(*one)]
    if onward:
        end = joint + max(onward, key=lambda one: float(one @ axis))
    else:
        far = max(reach(outline, local, axis), 4 * SHORTEST_BONE)
        end = joint + INNER * far * axis
    return round(float(end[0]), 1), round(float(end[1]), 1)


def _from_the_root(parts: list[Part], above: dict[str, str]) -> Iterator[Part]:
    """The parts, those that others hang on first."""

    def depth(part: Part) -> int:
        count, ref = 0, part.id
        while ref in above:
            count, ref = count + 1, above[ref]
        return count

    yield from sorted(parts, key=depth)
