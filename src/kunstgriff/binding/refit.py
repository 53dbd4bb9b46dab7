"""A part whose drawing changed: its mesh kept where it covers the art, else laid anew with the weights carried over."""

from __future__ import annotations

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.affinity import translate

from kunstgriff.artwork.edits import with_parts
from kunstgriff.artwork.outline import part_outline
from kunstgriff.binding.auto_binding import BindingOptions, automatic, lay_mesh, settled, stored
from kunstgriff.binding.mesh import barycentric
from kunstgriff.binding.outline import MARGIN
from kunstgriff.binding.weights import strongest
from kunstgriff.binding.zones import influences_of, joint_frames
from kunstgriff.figure.model import Binding, Figure, Part, Unbound, Weighted
from kunstgriff.figure.stores import Stores

ROOMY = (
    1.4  # a kept mesh may have this many times the area of the art before it is laid anew; the demo's have 1.1 to 1.3
)

SHIFT = 4 * MARGIN  # px an outline may move before the binding needs a look; a mesh reaches about as far past the art

Floats = NDArray[np.float64]
Ints = NDArray[np.int32]


def note_shift(figure: Figure, before: Part, ref: str, stores: Stores) -> Figure:
    """Note how far a bound part's outline moved, where that is beyond the margin a mesh has."""
    part = figure.part(ref)
    if part is None or isinstance(part.binding, Unbound) or part.drawing.picture == before.drawing.picture:
        return figure
    old = translate(part_outline(before, stores), *before.drawing.place)
    new = translate(part_outline(part, stores), *part.drawing.place)
    moved = float(shapely.hausdorff_distance(old.boundary, new.boundary))
    shifted = max(part.shifted, round(moved, 1)) if moved > SHIFT else part.shifted
    return with_parts(figure, {ref: part.model_copy(update={"shifted": shifted})})


def refit(figure: Figure, before: Part, ref: str, stores: Stores) -> Figure:
    """Keep or refit the mesh of a weighted part, its influences and weights with it."""
    part = figure.part(ref)
    if part is None:
        return figure
    binding = _refitted(figure, part, before, part.binding, stores)
    shelved = tuple(_refitted(figure, part, before, one, stores) for one in part.shelved)
    return with_parts(figure, {ref: part.model_copy(update={"binding": binding, "shelved": shelved})})


def _refitted(figure: Figure, part: Part, before: Part, binding: Binding, stores: Stores) -> Binding:
    if not isinstance(binding, Weighted):
        return binding
    moved = (before.drawing.place[0] - part.drawing.place[0], before.drawing.place[1] - part.drawing.place[1])
    vertices = stores.get_array(binding.mesh.vertices) + moved
    triangles = stores.get_array(binding.mesh.triangles)
    outline = part_outline(part, stores)
    net = shapely.union_all(shapely.polygons(vertices[triangles]))
    fits = net.contains(outline.buffer(0.5)) and net.area < ROOMY * outline.area
    if part.drawing.strip == before.drawing.strip and (
        fits or (part.drawing.strip is not None and part.drawing.picture == before.drawing.picture)
    ):
        mesh = binding.mesh.model_copy(update={"vertices": stores.put_array(vertices)})
        return binding.model_copy(update={"mesh": mesh})
    return relaid(figure, part, binding, BindingOptions.as_bound(binding), stores, moved=moved)


def relaid(
    figure: Figure,
    part: Part,
    binding: Weighted,
    options: BindingOptions,
    stores: Stores,
    *,
    anew: bool = False,
    moved: tuple[float, float] = (0.0, 0.0),
) -> Weighted:
    """The binding on a mesh laid anew for the zones wished for: weights carried over, or with `anew` found anew but for
    vertices weighted by hand. The old mesh lies `moved` px from where it is in the part's picture now."""
    bones = influences_of(figure, binding)
    found = joint_frames(figure, part, bones, stores)
    zones = {zone.bone: (found[zone.bone], zone) for zone in options.zones if zone.bone in found}
    laid, edge = lay_mesh(part, bones, zones, options, stores)
    marks = stores.get_array(binding.manual_mask) if binding.manual_mask else np.zeros(binding.mesh.vertex_count, bool)
    carried = carry_weights(
        stores.get_array(binding.mesh.vertices) + moved,
        stores.get_array(binding.mesh.triangles),
        np.column_stack([stores.get_array(binding.weights), marks]),
        laid.vertices,
    )
    manual = carried[:, -1] > 0.5
    weights = strongest(carried[:, :-1], binding.most)
    if anew:
        fresh = automatic(figure, part, laid, edge, bones, zones, options, stores)
        weights = np.where(manual[:, None], weights, fresh)
    changed = binding.model_copy(
        update={
            "mesh": stored(laid, stores),
            "weights": stores.put_array(weights),
            "manual_mask": stores.put_array(manual) if manual.any() else None,
            "zones": tuple(zone for _, zone in zones.values()),
        }
    )
    return settled(figure, part, changed, stores)


def carry_weights(vertices: Floats, triangles: Ints, weights: NDArray[np.float32], points: Floats) -> Floats:
    """Weights (k, influences) at `points` (k, 2) from a mesh: linear inside its triangles, outside it those of the
    nearest spot on it."""
    tree = shapely.STRtree(shapely.polygons(vertices[triangles]))
    index = tree.query_nearest(shapely.points(points), all_matches=False)
    face = np.zeros(len(points), np.int64)
    face[index[0]] = index[1]
    shares = np.clip(barycentric(vertices[triangles[face]], points), 0, None)
    shares /= shares.sum(1, keepdims=True)
    return np.asarray((weights[triangles[face]] * shares[..., None]).sum(1), np.float64)
