"""Which bones may move a part: those that explain its shape, and nothing else.

A bone explains the ground within half the part's own width of it. A part takes the fewest bones that explain it: an
arm's bones over a body add nothing to what the spine explains, and a forearm's bone that begins in the cap of the upper
arm adds nothing there. Then come those that go on from them, lie in it, and that no other part needs.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely import affinity
from shapely.geometry import LineString, MultiPolygon
from shapely.geometry import Point as Spot

from kunstgriff.artwork.outline import part_solid
from kunstgriff.figure.model import Bone, Figure, Part, Point
from kunstgriff.figure.stores import Beside, Stores

THROUGH = 0.5  # share of a bone's length inside the part, or of the part's extent along the bone
LIES_IN = 0.8  # share of its length inside a part from which a bone that goes on from others belongs to it
LESS = 0.2  # of its length that a bone may lie less inside another part and still be as much that one's
NEAR = 3.0  # px by which a joint may lie beside the art and still lie on it
STATIONS = (0.02, 0.25, 0.5, 0.75, 0.98)  # along a bone, where the part's width is felt
ROOM = 1.15  # half widths within which ground is explained; measured on strangers' limbs
ADDS = 0.02  # share of a part a bone must newly explain to be needed
ALIKE = 0.07  # share by which one bone may explain less than another and still do as well
MUCH = 0.12  # the same for one that lies better in another part
MOST = 0.8  # the same where it would be the only one
BETTER = 0.85  # of a part's width around a bone under which another part is more that bone's own
BESIDE = 1.5  # from which a bone runs nearer to the edge than to the middle
STEADY = 2.0  # times its middle width that a part counts as wide at any station of a bone: beyond it is a palm
FARTHEST = 1.5  # of its own length that a bone may explain to its sides
SPOTS = 500  # spots of a part that are asked after, about
JOINED = 0.35  # of the shorter bone by which a joint may lie off its parent's tip and the two still be one chain

Floats = NDArray[np.float64]
Mask = NDArray[np.bool_]


@dataclass(frozen=True)
class _Fit:
    """How one bone lies in one part: the share of its length `inside`, which of the part's spots it `explains` (n,),
    how far they lie from it in half widths, `off` (at the 95th percentile, more for a bone beside the middle; 1 for one
    down the middle of a limb with round ends), how far it runs `beside` the middle (1 on it, 2 along the edge), and the
    part's `width` around it, px."""

    inside: float
    explains: Mask
    off: float
    beside: float
    width: float


def default_influences(figure: Figure, part: Part, stores: Stores) -> list[Bone]:
    """The bones that move `part`, in the figure's order; none where no bone runs through it."""
    needed = _needed(figure, part, stores)
    if not needed:
        return []
    fits = _fits(figure, part, stores)
    others = [one for one in figure.parts if not one.left_out and not _of_one(part, one)]
    found = {bone.id for bone in needed}
    while True:
        more = [
            bone
            for bone in figure.bones
            if bone.id not in found and bone.id in fits and not bone.connector and fits[bone.id].inside >= LIES_IN
            and _goes_on(figure, bone, found)
            and not any(_lies_as_well(figure, bone, part, other, stores) for other in others)
        ]  # fmt: skip
        if not more:
            return [bone for bone in figure.bones if bone.id in found]
        found |= {bone.id for bone in more}


def _of_one(part: Part, other: Part) -> bool:
    """Whether two are the same part, or drawings that stand for one another."""
    one, two = ({each.id, each.alternate_of, each.facing_of} - {None} for each in (part, other))
    return bool(one & two)


def _lies_as_well(figure: Figure, bone: Bone, part: Part, other: Part, stores: Stores) -> bool:
    """Whether another part needs a bone and holds as much of it as this one."""
    there, here = (_fits(figure, one, stores).get(bone.id) for one in (other, part))
    if there is None or here is None or there.inside < here.inside - LESS:
        return False
    return bone in _needed(figure, other, stores)


def _goes_on(figure: Figure, bone: Bone, found: set[str]) -> bool:
    """Whether a bone begins where one of those found ends, or ends where one of them begins."""
    for other in figure.bones:
        if other.id not in found:
            continue
        pairs = [(bone, other)] if bone.parent == other.id else [(other, bone)] if other.parent == bone.id else []
        for child, parent in pairs:
            shorter = min(np.hypot(*np.subtract(one.tip, one.joint)) for one in (child, parent))
            if np.hypot(*np.subtract(child.joint, parent.tip)) <= JOINED * shorter:
                return True
    return False


def _needed(figure: Figure, part: Part, stores: Stores) -> tuple[Bone, ...]:
    """The fewest bones that explain a part, the best first: its own ones, then those that are more another's only where
    much is left to explain."""
    fits = _fits(figure, part, stores)
    free = [ref for ref in fits if not _claimed(figure, ref, part, stores)]
    chosen = _cover(figure, part, fits, free)
    least = MUCH if chosen else MOST
    middle = [ref for ref in fits if ref not in free and fits[ref].beside <= BESIDE]
    for ref in _most_first(fits, middle, chosen, least):
        chosen.append(ref)
        least = MUCH
    bones = {bone.id: bone for bone in figure.bones}
    return tuple(bones[ref] for ref in chosen)


def _cover(figure: Figure, part: Part, fits: dict[str, _Fit], pool: list[str]) -> list[str]:
    """As few bones of a `pool` as explain a part: all of its very name, then those named alike, then those nearer its
    middle than its edge, then the others; and what lies between two of them."""
    bones = {bone.id: bone for bone in figure.bones}
    own = [ref for ref in pool if _words(bones[ref]) == _words(part)]
    found = list(own)

    def rank(ref: str) -> tuple[bool, bool]:
        return not _alike(bones[ref], part), fits[ref].beside > BESIDE

    for kind in sorted({rank(ref) for ref in pool}):
        for ref in _most_first(fits, [ref for ref in pool if rank(ref) == kind], found, ADDS):
            found.append(ref)
    found = [ref for ref in found if ref in own or _adds(fits, found, ref) >= ADDS] or found[:1]
    while between := [
        ref
        for ref in pool
        if ref not in found
        and bones[ref].parent in found
        and any(bones[one].parent == ref for one in found)
        and fits[ref].inside >= LIES_IN
    ]:
        found += between
    return found


def _most_first(fits: dict[str, _Fit], pool: list[str], found: list[str], least: float) -> Iterator[str]:
    """Bones of a `pool` that explain a share of at least `least` of what is left, that of most first; of those that
    explain about as much the one that runs down the middle. Whoever asks adds them to `found`."""
    while left := [ref for ref in pool if ref not in found]:
        explained = np.logical_or.reduce([fits[ref].explains for ref in found], axis=0) if found else np.False_
        gains = {ref: float((fits[ref].explains & ~explained).mean()) for ref in left}
        most = max(gains.values())
        if most < least:
            return
        alike = [ref for ref, gain in gains.items() if gain >= most - ALIKE]
        yield min(alike, key=lambda ref: (fits[ref].off, -gains[ref]))


def _claimed(figure: Figure, ref: str, part: Part, stores: Stores) -> bool:
    """Whether a bone is more another part's than this one's: needed there, where the art is narrower around it; or
    it lies there as much, in the middle and not beside it here, or by its name."""
    here = _fits(figure, part, stores)[ref]
    bone = next(one for one in figure.bones if one.id == ref)
    alike = _alike(bone, part)
    for other in figure.parts:
        if other.left_out or _of_one(part, other):
            continue
        there = _fits(figure, other, stores)
        if ref not in there or there[ref].inside < here.inside - LESS or _alike(bone, other) < alike:
            continue
        narrower = there[ref].width < BETTER * here.width
        in_its_middle = here.beside > BESIDE >= there[ref].beside
        if in_its_middle or _alike(bone, other) > alike:
            return True
        if narrower and ref in _cover(figure, other, there, list(there)):
            return True
    return False


def _adds(fits: dict[str, _Fit], chosen: list[str], ref: str) -> float:
    """The share of a part that only this one of the bones chosen explains."""
    others = [fits[one].explains for one in chosen if one != ref]
    return float((fits[ref].explains & ~np.logical_or.reduce(others, axis=0)).mean()) if others else 1.0


def _words(thing: Bone | Part) -> frozenset[str]:
    """The words of a name, numbers aside."""
    return frozenset(word for word in thing.name.lower().split() if not word.isdigit())


def _alike(bone: Bone, part: Part) -> int:
    """How alike two names are: 2 where the bone's words are all in the part's ("near arm 2" and "near arm upper"), 1
    where it is the other way round ("coat tail" and "coat"), else 0."""
    own, other = _words(bone), _words(part)
    if not own or not other:
        return 0
    return 2 if own <= other else int(other <= own)


def _fits(figure: Figure, part: Part, stores: Stores) -> dict[str, _Fit]:
    """How each bone that runs through a part lies in it, by the bone's id."""
    art = Beside(part_solid(part, stores))
    found = {
        bone.id: _fit(bone.joint, bone.tip, part.drawing.place, part.drawing.picture, art) for bone in figure.bones
    }
    return {ref: fit for ref, fit in found.items() if fit is not None}


@lru_cache(maxsize=256)
def _spots(_digest: str, art: Beside[MultiPolygon]) -> Floats:
    """Spots (n, 2) spread evenly over a part."""
    outline = art.value
    left, top, right, bottom = outline.bounds
    step = max(float(np.sqrt(outline.area / SPOTS)), 0.5)
    x, y = np.meshgrid(np.arange(left + step / 2, right, step), np.arange(top + step / 2, bottom, step))
    spots = np.stack([x.ravel(), y.ravel()], 1)
    shapely.prepare(outline)
    inside = spots[shapely.contains_xy(outline, spots)]
    return inside if len(inside) else np.array([[outline.centroid.x, outline.centroid.y]])


@lru_cache(maxsize=16_384)
def _fit(bone_joint: Point, bone_tip: Point, place: Point, digest: str, art: Beside[MultiPolygon]) -> _Fit | None:
    """How a bone lies in a part; None where it does not run through it."""
    outline = art.value
    joint, tip = np.subtract(bone_joint, place), np.subtract(bone_tip, place)
    left, top, right, bottom = outline.bounds
    low, high = np.minimum(joint, tip) - NEAR, np.maximum(joint, tip) + NEAR
    if high[0] < left or high[1] < top or low[0] > right or low[1] > bottom:
        return None
    line = LineString([joint, tip])
    inside = line.intersection(outline).length / line.length
    direction = (tip - joint) / line.length
    # a chord beside a curved strip runs through it when both its ends lie on the art
    on_it = all(outline.distance(Spot(end)) <= NEAR for end in (joint, tip))
    if inside < THROUGH and not on_it and inside * line.length / _extent(outline, direction) < THROUGH:
        return None
    sides = _half_widths(outline, joint, tip, direction)
    halves = np.minimum(sides.max(1), min(STEADY * np.median(sides.max(1)), FARTHEST * line.length))
    spots = _spots(digest, art)
    share = np.clip((spots - joint) @ direction / line.length, 0, 1)
    away = np.hypot(*(spots - joint - share[:, None] * (tip - joint)).T)
    width = np.maximum(np.interp(share, STATIONS, halves), 1.0)
    whole = np.maximum(sides.sum(1), 1e-9)
    beside = float(np.median(2 * sides.max(1) / whole))
    off = float(np.percentile(away / width, 95)) * beside
    return _Fit(float(inside), away <= ROOM * width + 1, off, beside, float(np.median(whole)))


def _half_widths(outline: MultiPolygon, joint: Floats, tip: Floats, direction: Floats) -> Floats:
    """How far the part reaches across the bone at its stations, to the one side and the other (n, 2), px: the piece
    that lies there, or the one next to it."""
    left, top, right, bottom = outline.bounds
    across = np.array([-direction[1], direction[0]]) * (right - left + bottom - top)
    found = np.zeros((len(STATIONS), 2))
    for number, share in enumerate(STATIONS):
        middle = joint + share * (tip - joint)
        chord = LineString([middle - across, middle + across]).intersection(outline)
        pieces = [one for one in getattr(chord, "geoms", [chord]) if one.length > 0]
        if pieces:
            spot = Spot(middle)
            nearest = min(pieces, key=lambda one: one.distance(spot))
            found[number] = [np.hypot(*np.subtract(nearest.coords[end], middle)) for end in (0, -1)]
    return found


def _extent(outline: MultiPolygon, direction: Floats) -> float:
    """The outline's length in px along a direction."""
    turned = affinity.rotate(outline, -np.degrees(np.arctan2(direction[1], direction[0])), origin=(0, 0))
    return float(max(turned.bounds[2] - turned.bounds[0], 1e-9))
