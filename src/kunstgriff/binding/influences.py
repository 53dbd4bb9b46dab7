"""Which bones may move a part: those that run through it, and nothing else."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from shapely import affinity
from shapely.geometry import LineString, MultiPolygon
from shapely.geometry import Point as Spot

from kunstgriff.artwork.outline import part_outline
from kunstgriff.figure.model import Bone, Figure, Part, Point
from kunstgriff.figure.stores import Stores

THROUGH = 0.5  # share of a bone's length inside the part, or of the part's extent along the bone
CENTRED = 0.5  # of the way from a part's edge to its middle line, above which a bone may be the part's own
OWNER_WIDTH = 2.5  # a part this much wider than the narrowest the bone runs through is only behind or before it


def default_influences(figure: Figure, part: Part, stores: Stores) -> list[Bone]:
    """Bones that run through `part`, in the figure's order.

    An arm that hangs before the body lies inside the body's outline too. It is left out there for one of three reasons:
    a part named as the bone is owns it; it runs along the middle of another part and not of this one; or the part it
    runs along the middle of is much narrower.
    """
    found = []
    for bone in figure.bones:
        width = _width_along(bone, part, stores)
        if width is None:
            continue
        drawn = [other for other in figure.parts if not other.left_out]
        others = [other for other in drawn if _width_along(bone, other, stores, by_bone=True) is not None]
        namesakes = {other.id for other in others if _named_alike(bone, other)}
        if namesakes:
            owned = part.id in namesakes
        else:
            own = [other for other in others if _centred(bone, other, stores)]
            widths = [_width_along(bone, other, stores, by_bone=True) or width for other in own]
            owned = width <= OWNER_WIDTH * min([width, *widths]) and (not own or part in own)
        if owned:
            found.append(bone)
    return found


def _named_alike(bone: Bone, part: Part) -> bool:
    """Whether all words of one name, numbers aside, are in the other ("near ear 2" and "near ear")."""
    bone_words = {word for word in bone.name.lower().split() if not word.isdigit()}
    part_words = {word for word in part.name.lower().split() if not word.isdigit()}
    return bool(bone_words and part_words) and (bone_words <= part_words or part_words <= bone_words)


def _width_along(bone: Bone, part: Part, stores: Stores, *, by_bone: bool = False) -> float | None:
    found = _measured(bone.joint, bone.tip, part.place, part.picture, part_outline(part, stores), by_bone)
    return None if found is None else found[0]


def _centred(bone: Bone, part: Part, stores: Stores) -> bool:
    """Whether the bone runs nearer to the part's middle line than to its edge, as a part's own bone does."""
    found = _measured(bone.joint, bone.tip, part.place, part.picture, part_outline(part, stores), True)
    return found is not None and found[1] >= CENTRED


@lru_cache(maxsize=8192)
def _measured(
    bone_joint: Point, bone_tip: Point, place: Point, _digest: str, outline: MultiPolygon, by_bone: bool
) -> tuple[float, float] | None:
    """Median width of the part across the bone in px, and how centred the bone runs in it (1 in the middle, 0 at the
    edge). None where the bone does not run through the part; with `by_bone` only its own length counts for that.
    """
    joint, tip = np.subtract(bone_joint, place), np.subtract(bone_tip, place)
    left, top, right, bottom = outline.bounds
    low, high = np.minimum(joint, tip), np.maximum(joint, tip)
    if high[0] < left or high[1] < top or low[0] > right or low[1] > bottom:
        return None
    line = LineString([joint, tip])
    inside = line.intersection(outline)
    if inside.length == 0:
        return None
    direction = (tip - joint) / line.length
    if inside.length / line.length < THROUGH and (by_bone or inside.length / _extent(outline, direction) < THROUGH):
        return None
    across = np.array([-direction[1], direction[0]]) * (right - left + bottom - top)
    chords, middles = [], []
    for share in (0.1, 0.3, 0.5, 0.7, 0.9):
        middle = joint + share * (tip - joint)
        chord = LineString([middle - across, middle + across]).intersection(outline)
        spot = Spot(middle)
        for piece in getattr(chord, "geoms", [chord]):
            if piece.length > 0 and piece.distance(spot) < 1.0:
                to_end = min(float(np.hypot(*np.subtract(end, middle))) for end in (piece.coords[0], piece.coords[-1]))
                chords.append(piece.length)
                middles.append(2 * to_end / piece.length)
    return (float(np.median(chords)), float(np.median(middles))) if chords else None


def _extent(outline: MultiPolygon, direction: np.ndarray[tuple[int], np.dtype[np.float64]]) -> float:
    """The outline's length in px along a direction."""
    left, _, right, _ = affinity.rotate(
        outline, -np.degrees(np.arctan2(direction[1], direction[0])), origin=(0, 0)
    ).bounds
    return float(max(right - left, 1e-9))
