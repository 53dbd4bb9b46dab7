"""No more vertices than the bends need: those are taken out without which the posed shape stays as it was.

A vertex is spare where every pose puts it where the triangle it would lie in puts its place. What counts is held
against the mesh as it was, over all poses at once; a round that would go beyond the tolerance is halved.
"""

from __future__ import annotations

import math

import numpy as np
import shapely
from numpy.typing import NDArray

from kunstgriff.binding.bending import WIDEST, range_of
from kunstgriff.binding.brush import Neighbours
from kunstgriff.binding.mesh import barycentric
from kunstgriff.binding.remeshing import Net
from kunstgriff.evaluate.state import compile_rig
from kunstgriff.figure.edit import EditRefused
from kunstgriff.figure.model import Figure, Part
from kunstgriff.figure.stores import Stores

ANGLES = 2  # angles to each side a joint is turned to
ROUNDS = 12

Floats = NDArray[np.float64]


def poses(figure: Figure, part: Part) -> list[dict[str, float]]:
    """Turns, in degrees by bone, that bend a part: each joint of its bones over its range, the others at rest."""
    made = []
    for ref in part.followed:
        bone = figure.bone(ref)
        if bone is None or bone.parent not in part.followed:
            continue
        for end in range_of(bone):
            most = math.copysign(min(abs(end), WIDEST), end)
            made += [{ref: most * step / ANGLES} for step in range(1, ANGLES + 1) if most]
    return made


def posed_vertices(figure: Figure, part: Part, stores: Stores) -> Floats:
    """The part's vertices (poses, n, 2) in each of its `poses`, by the very rig that is shown."""
    others = ({one.id for one in figure.parts} - {part.id}) | {one.id for one in figure.groups}
    alone = figure.by_bones.replace(treatments=()).without(others)
    rig = compile_rig(alone, stores)
    seen = []
    for turns in poses(figure, part):
        rig.turn[:], rig.move[:], rig.stretch[:] = 0.0, 0.0, 1.0
        for ref, degrees in turns.items():
            rig.turn[rig.program.bone_index[ref]] = degrees
        seen.append(rig.evaluate().vertices.astype(np.float64).copy())
    return np.array(seen)


def departures(before: Net, after: Net, posed: Floats, kept: NDArray[np.intp]) -> Floats:
    """How far (n,) each vertex of a mesh lies from where the thinner mesh puts its place, the most over all poses, px.

    `posed` (poses, n, 2) are the vertices of `before`, `kept` (k,) the numbers there of the vertices of `after`.
    """
    tree = shapely.STRtree(shapely.polygons(after.vertices[after.triangles]))
    index = tree.query_nearest(shapely.points(before.vertices), all_matches=False)
    face = np.zeros(len(before.vertices), np.int64)
    face[index[0]] = index[1]
    corners = after.triangles[face]
    shares = barycentric(after.vertices[corners], before.vertices)
    put = (posed[:, kept[corners]] * shares[None, ..., None]).sum(2)
    return np.asarray(np.hypot(*np.moveaxis(put - posed, -1, 0)).max(0))


def thinned(figure: Figure, part: Part, net: Net, tolerance: float, stores: Stores) -> Net:
    """The mesh with as few vertices as stay within `tolerance` px of it in every pose."""
    posed = posed_vertices(figure, part, stores)
    if not len(posed):
        posed = net.vertices[None]
    important = net.manual.copy()
    if len(net.kept):
        important[np.unique(net.kept)] = True
    current, numbers = net, np.arange(len(net.vertices))
    share = 0.5
    for _ in range(ROUNDS):
        spare = _spare(current, posed[:, numbers], important[numbers], tolerance)
        if not spare.size:
            break
        taken = spare[: max(int(len(spare) * share), 1)]
        gone = np.zeros(len(current.vertices), bool)
        gone[taken] = True
        try:
            fewer = current.without(gone).triangulated()
        except EditRefused:
            share /= 2
            continue
        left = numbers[~gone]
        if departures(net, fewer, posed, left).max() <= tolerance:
            current, numbers, share = fewer, left, min(share * 1.3, 0.8)
        elif share < 0.02:
            break
        else:
            share /= 2
    return current


def _spare(net: Net, posed: Floats, important: NDArray[np.bool_], tolerance: float) -> NDArray[np.intp]:
    """Vertices that could go, the least missed first, no two of them neighbours: inside, those their neighbours put
    where they are; on the outline, those on the line between the two beside them."""
    count = len(net.vertices)
    around = Neighbours(net.triangles, count)
    ends: dict[int, list[int]] = {}
    for a, b in net.border.tolist():
        ends.setdefault(a, []).append(b)
        ends.setdefault(b, []).append(a)
    missed = np.full(count, np.inf)
    for vertex in np.flatnonzero(~important):
        beside = around.others[around.starts[vertex] : around.starts[vertex + 1]]
        if int(vertex) in ends:
            beside = np.array(ends[int(vertex)], np.int32)
            if len(beside) != 2:
                continue
        missed[vertex] = _missed(net.vertices, posed, int(vertex), beside)
    taken = np.zeros(count, bool)
    chosen = []
    for vertex in np.argsort(missed):
        if missed[vertex] > tolerance:
            break
        beside = around.others[around.starts[vertex] : around.starts[vertex + 1]]
        if not taken[beside].any():
            taken[vertex] = True
            chosen.append(vertex)
    return np.array(chosen, np.intp)


def _missed(rest: Floats, posed: Floats, vertex: int, beside: NDArray[np.int32]) -> float:
    """How far a vertex lies, at most over the poses, from where those beside it would put its place linearly."""
    offsets = rest[beside] - rest[vertex]
    away = np.maximum(np.hypot(*offsets.T), 1e-6)
    # the shares of least norm, nearer ones cheaper, that put the place where it is at rest
    system = np.vstack([offsets.T, np.ones(len(beside))]) / away
    shares = np.linalg.lstsq(system, np.array([0.0, 0.0, 1.0]), rcond=None)[0] / away
    put = np.einsum("b,pbk->pk", shares, posed[:, beside])
    at_rest = shares @ rest[beside]
    return float(np.hypot(*(put - posed[:, vertex]).T).max() + np.hypot(*(at_rest - rest[vertex])))
