"""How art thins where a bone is lengthened in its middle: the outline comes in, the line along it keeps its width."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from kunstgriff.binding.mesh import boundary_edges
from kunstgriff.figure.model import Bone, Figure, Weighted

LEAST_RIM, MOST_RIM = 0.15, 0.5  # of the half width; a line along the outline is mostly thinner than the first

Floats = NDArray[np.float64]
Ints = NDArray[np.int32]


def thinning_of(
    figure: Figure, binding: Weighted, points: Floats, triangles: Ints, bones: Ints, weights: NDArray[np.float32]
) -> NDArray[np.float32] | None:
    """By how many times as much as its distance from the bone says each vertex (n,) comes in where art thins; None
    where no bone of the part is lengthened.

    A limb of half width h that thins to 1 / s of it takes its outline in by h (1 - 1 / s). What lies in a rim along the
    outline comes in by just as much, so a line there keeps its width; what lies further inside is pressed together for
    it, the more evenly the nearer to the bone: a vertex a share v of the way from the bone to the rim comes in by
    1 - (1 - v)^1.5 of that. The outline, and with it the area, is where it would be without. The rim is the outermost
    ring of the mesh at least, since within a triangle nothing keeps its width by itself.
    """
    lengthened = figure.lengthened
    ours = {row: bone for row, bone in enumerate(figure.bones) if bone.id in lengthened}
    if not set(binding.influences) & {bone.id for bone in ours.values()} or not len(triangles):
        return None
    edges = boundary_edges(triangles)
    depth = away_from(points, points[edges]) - binding.margin
    outer = np.zeros(len(points), bool)
    outer[edges] = True
    beside = triangles[outer[triangles].any(1)]
    ring = beside[~outer[beside]]
    deep = float(np.percentile(depth[ring], 75)) if len(ring) else 0.0
    strongest = bones[np.arange(len(points)), weights.argmax(1)]
    found = np.ones(len(points), np.float32)
    for row, bone in ours.items():
        mine = np.flatnonzero(strongest == row)
        across = np.maximum(np.abs(_across(bone, points[mine])), 1e-3)
        half = np.maximum(across + depth[mine], across)
        rim = np.clip(1.05 * deep / half, LEAST_RIM, MOST_RIM)
        towards = np.minimum(across / (half * (1 - rim)), 1.0)
        found[mine] = (1 - (1 - towards) ** 1.5) * (across + depth[mine]) / across
    return found


def _across(bone: Bone, points: Floats) -> Floats:
    """How far (n,) points lie beside a bone's line, px."""
    way = np.subtract(bone.tip, bone.joint)
    right = np.array([-way[1], way[0]]) / max(float(np.hypot(*way)), 1e-9)
    return np.asarray((points - bone.joint) @ right)


def away_from(points: Floats, segments: Floats) -> Floats:
    """How far (n,) points (n, 2) lie from the nearest of some segments (m, 2, 2), px."""
    start, way = segments[:, 0], segments[:, 1] - segments[:, 0]
    apart = points[:, None] - start
    share = ((apart * way).sum(2) / np.maximum((way**2).sum(1), 1e-12)).clip(0, 1)
    return np.asarray(np.hypot(*np.moveaxis(apart - share[..., None] * way, -1, 0)).min(1))
