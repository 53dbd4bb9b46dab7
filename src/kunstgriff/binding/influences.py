"""Which bones may move a part: those that run through it, and nothing else."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from shapely import affinity
from shapely.geometry import LineString, MultiPolygon

from kunstgriff.binding.outline import outline_of
from kunstgriff.figure.model import Bone, Figure, Part
from kunstgriff.figure.stores import Stores, decode_png

THROUGH = 0.5  # share of a bone's length inside the part, or of the part's extent along the bone
OWNER_WIDTH = 2.5  # a part this much wider than the narrowest the bone runs through is only behind or before it


@lru_cache(maxsize=512)
def _outline(digest: str, stores_picture: bytes) -> MultiPolygon:
    return outline_of(decode_png(stores_picture)[..., 3])


def part_outline(part: Part, stores: Stores) -> MultiPolygon:
    """The part's outline in px of its own picture."""
    return _outline(part.picture, stores.get_picture(part.picture))


def default_influences(figure: Figure, part: Part, stores: Stores) -> list[Bone]:
    """Bones that run through `part`, in the figure's order.

    An arm that hangs before the body lies inside the body's outline too; it is left out there because it runs
    through a much narrower part, its own.
    """
    widths = {bone.id: _width_along(bone, part, stores) for bone in figure.bones}
    passing = [bone for bone in figure.bones if widths[bone.id] is not None]
    return [
        bone
        for bone in passing
        if (widths[bone.id] or 0.0) <= OWNER_WIDTH * _narrowest(figure, bone, stores, widths[bone.id] or 0.0)
    ]


def _narrowest(figure: Figure, bone: Bone, stores: Stores, width: float) -> float:
    found = [width]
    for part in figure.parts:
        other = _width_along(bone, part, stores, by_bone=True)
        if other is not None:
            found.append(other)
    return min(found)


def _width_along(bone: Bone, part: Part, stores: Stores, *, by_bone: bool = False) -> float | None:
    """Median width of the part across the bone, in px; None where the bone does not run through the part.

    With `by_bone` only the share of the bone's own length counts.
    """
    joint = np.subtract(bone.joint, part.place)
    tip = np.subtract(bone.tip, part.place)
    low, high = np.minimum(joint, tip), np.maximum(joint, tip)
    if high[0] < 0 or high[1] < 0 or low[0] > part.size[0] or low[1] > part.size[1]:
        return None
    outline = part_outline(part, stores)
    line = LineString([joint, tip])
    inside = line.intersection(outline)
    if inside.length == 0:
        return None
    direction = (tip - joint) / line.length
    if inside.length / line.length < THROUGH and (by_bone or inside.length / _extent(outline, direction) < THROUGH):
        return None
    across = np.array([-direction[1], direction[0]]) * max(part.size)
    chords = []
    for share in (0.1, 0.3, 0.5, 0.7, 0.9):
        middle = joint + share * (tip - joint)
        chord = LineString([middle - across, middle + across]).intersection(outline)
        pieces = [piece for piece in getattr(chord, "geoms", [chord]) if piece.length > 0]
        here = [piece.length for piece in pieces if piece.distance(LineString([middle, middle + 1e-6])) < 1.0]
        if here:
            chords.append(max(here))
    return float(np.median(chords)) if chords else None


def _extent(outline: MultiPolygon, direction: np.ndarray[tuple[int], np.dtype[np.float64]]) -> float:
    """The outline's length in px along a direction."""
    left, _, right, _ = affinity.rotate(
        outline, -np.degrees(np.arctan2(direction[1], direction[0])), origin=(0, 0)
    ).bounds
    return float(max(right - left, 1e-9))
