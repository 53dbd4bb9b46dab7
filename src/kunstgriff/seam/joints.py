"""Which parts meet at a joint, and how wide the limb is there."""

from __future__ import annotations

import math
from functools import lru_cache
from typing import Any

import cv2
import numpy as np
import scipy
from numpy.typing import NDArray
from shapely import get_coordinates, line_interpolate_point, union_all
from shapely.affinity import translate
from shapely.geometry import Point as Spot
from shapely.geometry import Polygon
from shapely.geometry.polygon import orient

from kunstgriff.artwork.ends import RoundEnd
from kunstgriff.artwork.ink import part_ink
from kunstgriff.artwork.limbs import half_width as limb_half_width
from kunstgriff.artwork.outline import part_outline, part_solid, polygons_of
from kunstgriff.figure.edit import EditRefused, need_part
from kunstgriff.figure.model import Bone, Figure, MeetingKind, Part, Rigid, Weighted
from kunstgriff.figure.sets import waiting
from kunstgriff.figure.sides import without_side, words_of
from kunstgriff.figure.stores import Beside, Stores

ALIKE = 0.5  # likeness of widths from which one limb may go on in another; common practice, no source
WAIST = 0.92  # of the narrower end's width that a limb keeps where it goes on; measured on strangers' heads and limbs
ABOUT = 2.5  # half widths about a joint in which a waist belongs to it
NOTCHED = math.radians(25)  # a turn inwards that is a notch; a limb's curve turns less over so short a way
SAME_COLOUR = 30.0  # RGB distance up to which two fills are one; measured on the demo art
SAME_TONE = math.cos(math.radians(6))  # least cosine between two colours seen from black, that are one tone; measured
EDGE_SEEN = 4.0  # levels of 255 by which an even edge between two fills is seen; common practice, no source
TURNED = (0.0, -60.0, 60.0, -100.0, 100.0)  # degrees at which two fills are held against one another
SHADED = 0.6  # of the lighter colour's strength that the darker may have for shade; common practice, no source
GOES_ON = 0.5  # half widths off the parent's tip within which a bone still goes on from it
REACHES = 3.0  # px a part may end short of a joint and still meet another there
REACH = 2.0  # half widths of the limb; at 120° the side line enters the neighbour at r / cos 60° = 2 r from the joint
SOFT = 0.15  # half widths over which the limit around the joint fades


def pair_at(figure: Figure, bone: Bone, stores: Stores) -> tuple[Part, Part] | None:
    """The two parts that meet at a bone's joint: the one that follows it and the one that follows its parent."""
    if bone.parent is None:
        return None
    child = _part_at(figure, bone.id, bone, stores)
    parent = _part_at(figure, bone.parent, bone, stores, but=child)
    return (child, parent) if child is not None and parent is not None else None


def back_and_front(figure: Figure, one: Part, other: Part) -> tuple[Part, Part]:
    """Two parts by their place in the draw order, the one behind first."""
    order = [part.id for part in figure.parts]
    return (one, other) if order.index(one.id) < order.index(other.id) else (other, one)


def need_pair(
    figure: Figure, bone: Bone, stores: Stores, behind: str | None = None, before: str | None = None
) -> tuple[Part, Part]:
    """The part behind and the one in front at a joint, or those named. Raises EditRefused with a sentence."""
    if behind is not None and before is not None:
        one, other = need_part(figure, behind), need_part(figure, before)
        if one.id == other.id:
            raise EditRefused("A part cannot cover itself.")
        return one, other
    if bone.parent is None:
        raise EditRefused(f"“{bone.name}” hangs on no other bone, so no two parts meet at its joint.")
    return back_and_front(figure, *need_meeting(figure, bone, stores))


def need_meeting(figure: Figure, bone: Bone, stores: Stores) -> tuple[Part, Part]:
    """The two parts that meet at a bone's joint, as `pair_at`. Raises EditRefused where none do."""
    pair = pair_at(figure, bone, stores)
    if pair is None:
        raise EditRefused(f"No two parts meet at the joint of “{bone.name}”; bind one to each of its bones first.")
    return pair


def half_width(part: Part, bone: Bone, stores: Stores) -> float:
    """Half the limb's width at a bone's joint in px, at least 4."""
    x, y = np.subtract(bone.joint, part.drawing.place)
    return max(limb_half_width(part_outline(part, stores), (float(x), float(y))), 4.0)


def limb_radius(parts: tuple[Part, Part], bone: Bone, stores: Stores) -> float:
    """Half the width of the narrower of two parts at a bone's joint, px."""
    return min(half_width(part, bone, stores) for part in parts)


def limit_at(parts: tuple[Part, Part], bone: Bone, stores: Stores) -> tuple[float, float]:
    """How far from a joint a treatment of two parts reaches and how far it fades, px, by the limb's width."""
    half = limb_radius(parts, bone, stores)
    return round(REACH * half + 8, 1), round(SOFT * half, 1)


def need_unstraightened(*parts: Part) -> None:
    """Raises EditRefused for a part whose picture is not the one that is painted."""
    for part in parts:
        if part.drawing.strip is not None:
            raise EditRefused(f"“{part.name}” is straightened; leave it curved to treat its seams.")


def melts_at(figure: Figure, bone: Bone, stores: Stores) -> bool:
    """Whether one limb goes on in two pieces at a joint: as wide, or nearly, and of one tone there.

    Its bone goes on from its parent's tip: an arm that hangs beside the spine's end only lies over the body. Light and
    shade do not say that it is not one limb, only another tone does (a hand out of a sleeve), and a waist between two
    that neither group nor name makes one (a head on a body). What a person said goes before all that.
    """
    pair = pair_at(figure, bone, stores)
    if pair is None:
        return False
    said = figure.said_of(bone.id)
    if said is not None:
        return said == "limb"
    widths = sorted(half_width(part, bone, stores) for part in pair)
    if widths[0] < ALIKE * widths[1]:
        return False
    parent = figure.bone(bone.parent or "")
    if parent is None or math.dist(bone.joint, parent.tip) > GOES_ON * max(widths):
        return False
    if not _of_one_limb(figure, pair) and _has_waist(pair, bone, stores):
        return False
    first, second = (
        _colour_at(part.drawing.looks, joint_on(part, bone), widths[0], Beside((part, stores))) for part in pair
    )
    return bool(np.linalg.norm(first - second) < SAME_COLOUR) or _same_tone(first, second)


def _of_one_limb(figure: Figure, pair: tuple[Part, Part]) -> bool:
    """Whether two parts lie in one group or share a word of their names that tells no side: a leg's two pieces may have
    been drawn apart, and are one limb all the same."""
    first, second = (
        {word for word in words_of(without_side(part.name, figure.sides)) if not word.isdigit()} for part in pair
    )
    return bool(first & second) or (pair[0].group is not None and pair[0].group == pair[1].group)


def _has_waist(pair: tuple[Part, Part], bone: Bone, stores: Stores) -> bool:
    """Whether the outline of two parts together is notched on both sides of a bone's joint, to less than either part is
    wide further in. A limb drawn bent has a crease on one side only."""
    ends = [RoundEnd.of(part_solid(part, stores), joint_on(part, bone)) for part in pair]
    half = min(end.half for end in ends)
    both = union_all([translate(part_solid(part, stores), *part.drawing.place) for part in pair])
    notches = np.array([spot for piece in polygons_of(both) for spot in _notches(piece, half)]).reshape(-1, 2)
    notches = notches - bone.joint
    notches = notches[np.hypot(*notches.T) < ABOUT * half]
    aside = notches @ np.array([-ends[0].axis[1], ends[0].axis[0]])
    left, right = notches[aside > 0], notches[aside < 0]
    if not (len(left) and len(right)):
        return False
    nearest = np.hypot(*(left[:, None] - right[None]).transpose(2, 0, 1)).min()
    return bool(nearest < 2 * WAIST * half)


def _notches(piece: Polygon, half: float) -> NDArray[np.float64]:
    """Spots (n, 2) of an outline that turn inwards by `NOTCHED` over a tenth of a limb's half width to both sides."""
    ring = orient(piece).exterior  # inwards is to the right of its way then
    count = max(int(ring.length / 2), 8)
    spots = get_coordinates(line_interpolate_point(ring, np.arange(count) / count, normalized=True))
    spots = scipy.ndimage.gaussian_filter1d(spots, 1.0, axis=0, mode="wrap")  # pixels' own steps aside
    step = max(round(0.1 * half / 2), 3)
    came, goes = spots - np.roll(spots, step, 0), np.roll(spots, -step, 0) - spots
    turn = np.arctan2(came[:, 0] * goes[:, 1] - came[:, 1] * goes[:, 0], (came * goes).sum(1))
    return np.asarray(spots[turn < -NOTCHED])


def meets_as(figure: Figure, bone: Bone, stores: Stores) -> MeetingKind | None:
    """What two parts are that meet at a bone's joint: as a person said, or by their looks and the draw order.

    None where no two meet.
    """
    pair = pair_at(figure, bone, stores)
    if pair is None:
        return None
    said = figure.said_of(bone.id)
    if said is not None:
        return said
    if melts_at(figure, bone, stores):
        return "limb"
    return "lies_over" if back_and_front(figure, *pair)[1].id == pair[0].id else "lies_under"


def fills_differ(parts: tuple[Part, Part], bone: Bone, stores: Stores) -> bool:
    """Whether the fills of two parts differ so at a bone's joint, as it turns, that an edge would be seen there."""
    radius = limb_radius(parts, bone, stores)
    (first, here), (second, there) = (_fill_within(part, joint_on(part, bone), radius, stores) for part in parts)
    middle = (len(first) / 2 - 0.5,) * 2
    for degrees in TURNED:
        turn = cv2.getRotationMatrix2D(middle, degrees, 1.0)
        turned, solid = (cv2.warpAffine(one, turn, first.shape[:2], flags=cv2.INTER_NEAREST) for one in (second, there))
        both = (here & solid) > 0
        off = np.abs(first.astype(np.int16) - turned).max(-1)
        if both.any() and np.quantile(off[both], 0.75) > EDGE_SEEN:
            return True
    return False


def _fill_within(
    part: Part, spot: tuple[float, float], radius: float, stores: Stores
) -> tuple[NDArray[np.uint8], NDArray[np.uint8]]:
    """A part's fill (2 r, 2 r, 3) around a spot of its picture, and 1 where it is solid."""
    reach = math.ceil(radius)
    x, y = (round(one) for one in spot)
    rgba, fill = stores.get_pixels(part.drawing.picture), part_ink(part, stores).fill
    made, solid = np.zeros((2 * reach, 2 * reach, 3), np.uint8), np.zeros((2 * reach, 2 * reach), np.uint8)
    top, left = max(y - reach, 0), max(x - reach, 0)
    rows, columns = slice(top, max(y + reach, 0)), slice(left, max(x + reach, 0))
    height, width = rgba[rows, columns].shape[:2]
    here = slice(top - y + reach, top - y + reach + height), slice(left - x + reach, left - x + reach + width)
    made[here], solid[here] = fill[rows, columns], rgba[rows, columns, 3] > 250
    return made, solid


def _same_tone(first: NDArray[np.float64], second: NDArray[np.float64]) -> bool:
    """Whether two colours differ in little but light and shade: alike in direction from black, and no night and day."""
    lengths = [float(np.linalg.norm(one)) for one in (first, second)]
    if not all(math.isfinite(one) and one > 0 for one in lengths) or min(lengths) < SHADED * max(lengths):
        return False
    return float(first @ second) >= SAME_TONE * lengths[0] * lengths[1]


def joint_on(part: Part, bone: Bone) -> tuple[float, float]:
    """A bone's joint in px of a part's picture."""
    return bone.joint[0] - part.drawing.place[0], bone.joint[1] - part.drawing.place[1]


@lru_cache(maxsize=512)
def _colour_at(
    _drawing: object, spot: tuple[float, float], radius: float, beside: Beside[tuple[Part, Stores]]
) -> NDArray[np.float64]:
    """The commonest fill of a part within `radius` px of a spot of its picture, as its median (r, g, b)."""
    (x, y), (part, stores) = spot, beside.value
    rows = slice(max(int(y - radius), 0), max(int(y + radius), 1))
    columns = slice(max(int(x - radius), 0), max(int(x + radius), 1))
    rgba = stores.get_pixels(part.drawing.picture)[rows, columns]
    fill = part_ink(part, stores).fill[rows, columns]
    solid = fill[rgba[..., 3] > 250]
    return np.median(solid, 0) if len(solid) else np.full(3, np.inf)


def _part_at(figure: Figure, ref: str, at: Bone, stores: Stores, but: Part | None = None) -> Part | None:
    """The visible part that follows bone `ref`, most of all or at the joint of `at`, and has that joint deepest inside
    its outline.

    Those that stand in for others do not count, nor drawings of a set that another shows in place of, nor one that
    is left out by `but`.
    """
    best: tuple[float, Part] | None = None
    standing_in = {one.part for one in figure.treated("stand_in")} | waiting(figure)
    for part in figure.parts:
        if not part.is_shown or part.id in standing_in or (but is not None and part.id == but.id):
            continue
        if ref not in part.followed or ref not in (follows_most(part, stores), _follows_at(part, at, stores)):
            continue
        joint = np.subtract(at.joint, part.drawing.place)
        spot, outline = Spot(joint[0], joint[1]), part_outline(part, stores)
        depth = float(outline.boundary.distance(spot)) * (1 if outline.contains(spot) else -1)
        if depth > -REACHES and (best is None or depth > best[0]):
            best = (depth, part)
    return best[1] if best else None


def _follows_at(part: Part, at: Bone, stores: Stores) -> str | None:
    """The bone a weighted part follows most at a bone's joint, where it has not that bone itself: what bends
    there has no seam."""
    binding: Any = part.binding
    if not isinstance(binding, Weighted) or at.id in binding.influences:
        return None
    spot = joint_on(part, at)
    return binding.influences[_strongest_at(binding.mesh.vertices, binding.weights, spot, Beside(stores))]


@lru_cache(maxsize=4096)
def _strongest_at(vertices: str, weights: str, spot: tuple[float, float], beside: Beside[Stores]) -> int:
    """The column of a table of weights with the most at the vertex next to a spot."""
    nearest = int(np.hypot(*(beside.value.get_array(vertices) - spot).T).argmin())
    return int(beside.value.get_array(weights)[nearest].argmax())


def follows_most(part: Part, stores: Stores) -> str | None:
    """The bone a part follows most."""
    binding: Any = part.binding
    if isinstance(binding, Rigid):
        return binding.bone
    if isinstance(binding, Weighted):
        return binding.influences[_strongest(binding.weights, Beside(stores))]
    return None


@lru_cache(maxsize=4096)
def _strongest(weights: str, beside: Beside[Stores]) -> int:
    """The column of a table of weights with the most in it."""
    return int(beside.value.get_array(weights).sum(0).argmax())
