"""Parts no bone runs through: what lies within another part goes with it, what lies beside goes with what is next."""

from __future__ import annotations

import math
from collections.abc import Iterable

import numpy as np
import shapely
from shapely import affinity
from shapely.geometry import LineString, MultiPolygon

from kunstgriff.artwork.edits import with_parts
from kunstgriff.artwork.outline import part_solid
from kunstgriff.figure.model import Binding, Figure, Part, Rider, Rigid, Unbound, Weighted
from kunstgriff.figure.stores import Stores

WITHIN = 0.92  # share of a part's area inside another from which it lies within it; common practice, no source
ALONE = 0.98  # share of one bone at a spot of a bending part from which what lies there follows that bone


def bound(part: Part, binding: Binding) -> Part:
    """The part with another binding; one of another kind that it had is kept on the shelf."""
    shelved = {one.kind: one for one in part.shelved}
    if part.binding.kind != binding.kind and not isinstance(part.binding, Unbound):
        shelved[part.binding.kind] = part.binding
    shelved.pop(binding.kind, None)
    return part.model_copy(update={"shifted": 0.0, "binding": binding, "shelved": tuple(shelved.values())})


def with_contained(figure: Figure, refs: Iterable[str], stores: Stores) -> Figure:
    """The figure with those of some unbound parts that lie within a bound one bound as that is there.

    Buckles on belts on coats: what is bound so may carry others in turn.
    """
    left = [part for ref in refs if (part := figure.part(ref)) is not None and isinstance(part.binding, Unbound)]
    while True:
        found = {part.id: bound(part, binding) for part in left if (binding := _as_around(figure, part, stores))}
        if not found:
            return figure
        figure = with_parts(figure, found)
        left = [part for part in left if part.id not in found]


def nearest_binding(figure: Figure, part: Part, stores: Stores) -> Binding:
    """What a part may follow that no bone runs through: what it lies on, else the nearest bone that is no link."""
    around = _as_around(figure, part, stores, within=0.0)
    if around is not None:
        return around
    outline = _placed(part, stores)
    bones = [bone for bone in figure.bones if not bone.connector]
    return Rigid(bone=min(bones, key=lambda bone: outline.distance(LineString([bone.joint, bone.tip]))).id)


def _placed(part: Part, stores: Stores) -> MultiPolygon:
    """A part's outline in figure space."""
    return affinity.translate(part_solid(part, stores), *part.drawing.place)


def _as_around(figure: Figure, part: Part, stores: Stores, within: float = WITHIN) -> Binding | None:
    """The binding that lets a part go along with the smallest bound part it lies in, or the one most of it lies on."""
    outline = _placed(part, stores)
    held = []
    for other in figure.parts:
        if other.id == part.id or other.left_out or isinstance(other.binding, Unbound):
            continue
        if _rides_on(other, part):
            continue
        around = _placed(other, stores)
        if not shapely.box(*around.bounds).intersects(shapely.box(*outline.bounds)):
            continue
        share = float(outline.intersection(around.buffer(1)).area / max(outline.area, 1e-9))
        if share > within:
            held.append((share >= WITHIN, -around.area if share >= WITHIN else share, other))
    if not held:
        return None
    carrier = max(held, key=lambda one: one[:2])[2]
    middle = outline.intersection(_placed(carrier, stores).buffer(1)).representative_point()
    binding = _at(carrier, (float(middle.x), float(middle.y)), stores)
    if isinstance(binding, Rider) and any(_rides_on(other, part) for other in figure.parts):
        return None  # what carries another cannot ride itself
    return binding


def _rides_on(other: Part, part: Part) -> bool:
    return isinstance(other.binding, Rider) and other.binding.carrier == part.id


def _at(carrier: Part, spot: tuple[float, float], stores: Stores) -> Binding:
    """How to go along with a bound part at a spot of it."""
    binding = carrier.binding
    if isinstance(binding, Weighted):
        vertices = stores.get_array(binding.mesh.vertices) + np.asarray(carrier.drawing.place)
        nearest = int(np.argmin([math.dist(one, spot) for one in vertices]))
        weights = stores.get_array(binding.weights)[nearest]
        if weights.max() >= ALONE:
            return Rigid(bone=binding.influences[int(weights.argmax())])
        return Rider(carrier=carrier.id, spot=spot)
    assert not isinstance(binding, Unbound)
    return binding
