"""Tacks that a part asks for: where its bones meet, at free ends, and at both sides of an elbow for a tight bend.

Common practice, no source: as few as hold it. What a joint is held by follows both its bones by half; what lies at a
free end follows that bone and its turn.
"""

from __future__ import annotations

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry import LineString, Point
from shapely.geometry.base import BaseGeometry

from kunstgriff.figure.model import Bone, Figure, Part
from kunstgriff.figure.stores import Stores
from kunstgriff.figure.warps import Tie
from kunstgriff.warp.laying import placed_art
from kunstgriff.warp.tacks import PATCH

INSIDE = 0.85  # of the way from a joint to the outline that a tack at its side lies

Floats = NDArray[np.float64]
Proposed = tuple[str, dict[str, object]]


def proposed(figure: Figure, part: Part, bones: list[Bone], stores: Stores) -> list[Proposed]:
    """Names of tacks, and what is to be said of them, for a part that shall follow some bones, or those it follows."""
    chosen = bones or [bone for bone in figure.bones if bone.id in part.followed]
    refs = {bone.id for bone in chosen}
    sprung = {ref for spring in figure.springs for ref in spring.bones}  # what swings bends softly
    art = placed_art(part, stores, "a tack could hold")
    inner = art.buffer(-0.5 * PATCH * max(part.drawing.size))
    inner = inner if not inner.is_empty else art
    found: list[Proposed] = []
    for bone in chosen:
        parent = next((one for one in chosen if one.id == bone.parent), None)
        if parent is None:
            found.append((bone.name, _tack(inner, bone.joint, [(bone, 1.0)], "turn")))
        elif art.contains(Point(bone.joint)):
            found += _elbow(art, inner, parent, bone, tight=bone.id not in sprung)
        if not any(one.parent in refs and one.parent == bone.id for one in chosen):
            found.append((f"{bone.name} end", _tack(inner, bone.tip, [(bone, 1.0)], "turn")))
    return found


def _elbow(art: BaseGeometry, inner: BaseGeometry, parent: Bone, bone: Bone, tight: bool) -> list[Proposed]:
    """Where two bones meet, and both sides of that where they bend tightly."""
    half = [(parent, 0.5), (bone, 0.5)]
    found = [(f"{bone.name} joint", _tack(inner, bone.joint, half, "turn"))]
    along = np.subtract(bone.tip, parent.joint)
    length = float(np.hypot(*along))
    if length == 0 or not tight:
        return found
    across = np.array([-along[1], along[0]]) / length
    for word, way in (("left", across), ("right", -across)):
        ray = LineString([bone.joint, np.array(bone.joint) + way * length]).intersection(art)
        pieces = [one for one in shapely.get_parts(ray) if one.distance(Point(bone.joint)) < 1e-6]
        if pieces:
            side = np.array(bone.joint) + way * INSIDE * pieces[0].length
            found.append((f"{bone.name} {word}", _tack(inner, (float(side[0]), float(side[1])), half, "place")))
    return found


def _tack(
    inner: BaseGeometry, place: tuple[float, float], bones: list[tuple[Bone, float]], carries: str
) -> dict[str, object]:
    """What is said of a tack at a place, or the nearest one inside the art."""
    near = place
    if not inner.contains(Point(place)):
        on, _ = shapely.ops.nearest_points(inner, Point(place))
        near = (on.x, on.y)
    ties = tuple(Tie(bone=bone.id, share=share) for bone, share in bones)
    return {"place": (round(near[0], 2), round(near[1], 2)), "ties": ties, "carries": carries}
