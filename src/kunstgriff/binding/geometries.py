"""How each kind of binding becomes vertices of the build."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from kunstgriff.artwork.straight import strip_coordinates, strip_net
from kunstgriff.binding.girth import thinning_of
from kunstgriff.binding.zones import points_of, rigidity_of
from kunstgriff.evaluate.items import item_of
from kunstgriff.evaluate.program import Build, Drawn, Geometry
from kunstgriff.figure.edit import group_path
from kunstgriff.figure.model import Figure, Part, Rigid, Unbound, Weighted
from kunstgriff.figure.stores import Stores


def _still(part: Part, stores: Stores) -> Geometry:
    """Two triangles over the picture, 1 px wider, standing still; a mesh of its own, or a straightened part's net."""
    uv = None
    if part.drawing.strip is not None:
        net = strip_net(part.drawing.strip)
        own, triangles, uv = net.vertices, net.triangles, net.uv
    elif part.mesh is not None:
        own, triangles = stores.get_array(part.mesh.vertices), stores.get_array(part.mesh.triangles)
    else:
        w, h = part.drawing.size
        own = np.array([[-1, -1], [w + 1, -1], [w + 1, h + 1], [-1, h + 1]], np.float64)
        triangles = np.array([[0, 1, 2], [0, 2, 3]], np.int32)
    vertices, count = (own + np.asarray(part.drawing.place)).astype(np.float32), len(own)
    bones, weights = np.zeros((count, 4), np.int32), np.zeros((count, 4), np.float32)
    return Geometry(vertices, triangles.astype(np.int32), bones, weights, uv)


def _carried(part: Part, bone: int, stores: Stores) -> Geometry:
    shape = _still(part, stores)
    shape.bones[:, 0] = bone
    shape.weights[:, 0] = 1.0
    return shape


def bone_of_group(figure: Figure, part: Part) -> str | None:
    """The bone an otherwise unbound part goes with: that of its innermost group that has one.

    A part that `stays` while that group moves goes with the next one around it.
    """
    assert isinstance(part.binding, Unbound)
    groups = {group.id: group for group in figure.groups}
    bones = [bone for ref in reversed(group_path(figure, part.group)) if (bone := groups[ref].bone) is not None]
    if part.binding.stays:
        bones = bones[1:]
    return bones[0] if bones else None


def unbound_geometry(figure: Figure, part: Part, bone_index: dict[str, int], stores: Stores) -> Geometry:
    """A part that follows nothing of its own: it stands still, or goes with the bone of its group."""
    bone = bone_of_group(figure, part)
    return _still(part, stores) if bone is None else _carried(part, bone_index[bone], stores)


def rider_geometry(figure: Figure, part: Part, bone_index: dict[str, int], stores: Stores) -> Geometry:
    """A rider, which is put where its spot is later."""
    return _still(part, stores)


def rigid_geometry(figure: Figure, part: Part, bone_index: dict[str, int], stores: Stores) -> Geometry:
    """A part that follows one bone as a whole."""
    assert isinstance(part.binding, Rigid)
    return _carried(part, bone_index[part.binding.bone], stores)


def weighted_geometry(figure: Figure, part: Part, bone_index: dict[str, int], stores: Stores) -> Geometry:
    """A part with a mesh, its vertices shared between bones. Raises Missing where an array is not there."""
    binding = part.binding
    assert isinstance(binding, Weighted)
    influences = np.array([bone_index[ref] for ref in binding.influences], np.int32)
    bones, weights = strongest_first(stores.get_array(binding.weights), influences)
    points = points_of(part, binding, stores)
    triangles = stacked(stores.get_array(binding.mesh.triangles), bones, weights, ranks_of(figure, binding.stacked))
    uv = strip_coordinates(part.drawing.strip, points - part.drawing.place) if part.drawing.strip is not None else None
    rigidity = rigidity_of(figure, part, points).astype(np.float32)
    triangles = triangles.astype(np.int32)
    thins = thinning_of(figure, binding, points, triangles, bones, weights)
    return Geometry(points.astype(np.float32), triangles, bones, weights, uv, rigidity, thins)


def ranks_of(figure: Figure, over: tuple[str, ...]) -> NDArray[np.float64]:
    """How far in front what follows each bone of the figure (b,) lies within a part: parents come before children."""
    ranks = np.arange(len(figure.bones), dtype=np.float64)
    for number, ref in enumerate(over):
        for index, bone in enumerate(figure.bones):
            if bone.id == ref:
                ranks[index] = len(figure.bones) + number
    return ranks


def stacked(
    triangles: NDArray[np.int32], bones: NDArray[np.int32], weights: NDArray[np.float32], ranks: NDArray[np.float64]
) -> NDArray[np.int32]:
    """Triangles (m, 3) from back to front, so that a part that lies over itself is painted in one order in every pose:
    by the mean of the ranks (b,) of the bones their vertices follow, by weight.

    The order is static: it costs nothing while posing and nothing pops.

    >>> bones, weights = np.array([[1], [1], [0], [0]]), np.ones((4, 1), np.float32)
    >>> stacked(np.array([[0, 1, 1], [2, 3, 3]], np.int32), bones, weights, np.array([0.0, 1.0])).tolist()
    [[2, 3, 3], [0, 1, 1]]
    """
    level = (ranks[bones] * weights).sum(1) if len(ranks) else np.zeros(len(bones))
    return np.asarray(triangles[np.argsort(level[triangles].mean(1), kind="stable")])


def strongest_first(
    table: NDArray[np.float32], influences: NDArray[np.int32]
) -> tuple[NDArray[np.int32], NDArray[np.float32]]:
    """The four strongest of each row of weights (n, influences), as bones (n, 4) and weights (n, 4), summing to 1.

    Rows without any weight stay without.
    """
    order = np.argsort(-table, 1, kind="stable")[:, :4]
    bones, weights = np.zeros((len(table), 4), np.int32), np.zeros((len(table), 4), np.float32)
    bones[:, : order.shape[1]] = influences[order]
    weights[:, : order.shape[1]] = np.take_along_axis(table, order, 1)
    weights /= np.maximum(weights.sum(1, keepdims=True), np.float32(1e-12))
    return bones, weights


def parts(build: Build, figure: Figure, stores: Stores) -> list[Drawn]:
    """Every visible part, at the depth of its place in the draw order."""
    return [
        (float(depth), item_of(figure, part), build.nets.blocks[part.id].triangles)
        for depth, part in enumerate(figure.parts)
        if part.is_shown
    ]
