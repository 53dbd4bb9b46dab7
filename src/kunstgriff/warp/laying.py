"""Laying a warp around parts: where it lies, what carries it, and meshes fine enough to follow it.

Between the vertices of a mesh what a lattice does is straight. In the middle of a triangle with edges of h px it
departs from the exact map by at most a sixth of h² times the second derivative, which for both kinds of grid is at most
what the second differences of its handles say. Meshes are laid for half a px of that with one handle dragged by half a
cell, and finer where handles are dragged further.
"""

from __future__ import annotations

import math
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray
from pydantic import ValidationError
from shapely.affinity import translate
from shapely.geometry import Polygon as Outline
from shapely.geometry.base import BaseGeometry

from kunstgriff.artwork.edits import with_parts
from kunstgriff.artwork.outline import part_outline, part_solid
from kunstgriff.artwork.straight import strip_net
from kunstgriff.binding.auto_binding import BindingOptions, stored
from kunstgriff.binding.geometries import bone_of_group
from kunstgriff.binding.mesh import COUNT_LIMIT, PartMesh, build_mesh, mean_edge
from kunstgriff.binding.outline import MARGIN
from kunstgriff.binding.refit import relaid
from kunstgriff.figure.edit import EditRefused, tell
from kunstgriff.figure.model import Figure, KeptPose, Mesh, Part, Point, Rider, Unbound, Weighted
from kunstgriff.figure.stores import Stores
from kunstgriff.figure.warps import Cage, Curve, Handle, Lattice, Tacks, Warp
from kunstgriff.skeleton.bones import ancestors
from kunstgriff.warp.cage import Polygon, drags_across
from kunstgriff.warp.channels import SHIFTS, WIDTH
from kunstgriff.warp.curve import Line
from kunstgriff.warp.lattice import Grid
from kunstgriff.warp.line import ALONG
from kunstgriff.warp.warping import as_laid, covered, form_of, shape_of

ROOM = 0.5  # px a lattice is larger than the meshes in it
ERROR = 0.5  # px a mesh may depart from what its lattice does
EVEN = 0.75  # of the longest edge of a mesh that its mean edge has
TOO_COARSE = 1.6  # times the edge wanted that a finding tells of
SLACK = 1.1  # times the edge wanted that a mesh may have without being laid anew
SHORTEST = 4.0  # px of the edges a mesh is laid with at the least
FEWEST = 12  # vertices
SAMPLED = 40  # spots across a cage at which it is asked how much it bends
NEARLY_ALL = 97  # per cent of them
TACKED = 600  # squares of a mesh with tacks over the box of its part
WIDER = 6.0  # px a cage lies outside the art at the least
CLOSE = 0.03  # of the art's size that a cage may stray from its outline, beyond that

Floats = NDArray[np.float64]


def laid_around(figure: Figure, parts: list[Part], stores: Stores, turned: bool, **said: Any) -> Lattice:
    """An even lattice around some parts and the meshes they get for it, upright or `turned` to the main axis of their
    art; `said` is all else that it is. Raises EditRefused where nothing is painted."""
    angle = _main_axis(parts, stores) if turned else 0.0
    art = np.concatenate([shapely.get_coordinates(placed_art(part, stores).convex_hull) for part in parts])
    lattice = _even(_box(art, angle), said, figure.next_id + 1)
    fine = with_meshes(figure, lattice.model_copy(update={"of": tuple(part.id for part in parts)}), stores)
    nets = [net_of(next(one for one in fine.parts if one.id == part.id), stores)[0] for part in parts]
    return _even(_box(np.concatenate([art, *nets]), angle), said, figure.next_id + 1)


def outlined(parts: list[Part], stores: Stores, count: int) -> tuple[Point, ...]:
    """An outline of at most `count` corners around the art of some parts, as close as that many go."""
    art = shapely.union_all([placed_art(part, stores) for part in parts])
    if art.geom_type != "Polygon":
        art = art.convex_hull
    around = Outline(art.exterior)
    size = max(around.bounds[2] - around.bounds[0], around.bounds[3] - around.bounds[1])
    within = CLOSE * size
    while True:
        wide = Outline(around.buffer(WIDER + within, join_style="mitre", mitre_limit=2.0).exterior)
        corners = shapely.get_coordinates(wide.simplify(within).exterior)[:-1]
        if len(corners) <= count and Outline(corners).is_valid and Outline(corners).contains(around):
            return tuple((round(float(x), 2), round(float(y), 2)) for x, y in corners)
        within *= 1.25
        if within > size:
            box = shapely.get_coordinates(around.buffer(WIDER).envelope.exterior)[:-1]
            return tuple((float(x), float(y)) for x, y in box)


def needs_harmonic(parts: list[Part], corners: Floats, stores: Stores) -> bool:
    """Whether mean value coordinates would drag art along across a gap of a cage."""
    spots = np.concatenate([shapely.get_coordinates(placed_art(part, stores).simplify(2.0)) for part in parts])
    return drags_across(corners, spots)


def caged(figure: Figure, of: tuple[str, ...], corners: tuple[Point, ...], said: dict[str, Any]) -> Cage:
    """A cage of corners in order. Raises EditRefused where it crosses itself or has no size."""
    if not Outline(corners).is_valid:
        raise EditRefused("The cage crosses itself; put its corners in order around the art.")
    handles = tuple(Handle(id=f"h{figure.next_id + 1 + k}", place=corner) for k, corner in enumerate(corners))
    try:
        return Cage(of=of, laid=corners, handles=handles, **said)
    except ValidationError as error:
        raise EditRefused(tell(error)) from error


def placed_art(part: Part, stores: Stores, use: str = "a lattice could lie around") -> BaseGeometry:
    """The outline of a part's art in figure space. Raises EditRefused where nothing is painted."""
    try:
        return translate(part_outline(part, stores), *part.drawing.place)
    except ValueError as error:
        raise EditRefused(f"Nothing is painted in “{part.name}” that {use}.") from error


def _main_axis(parts: list[Part], stores: Stores) -> float:
    """How the art of some parts lies, rad from upright, at most an eighth of a turn: by the smallest box around it."""
    hull = shapely.union_all([placed_art(part, stores) for part in parts]).convex_hull
    corners = shapely.get_coordinates(shapely.minimum_rotated_rectangle(hull))
    side = max(np.diff(corners, axis=0), key=lambda one: float(np.hypot(*one)))
    angle = math.atan2(side[1], side[0])
    return angle - math.pi / 2 * round(angle / (math.pi / 2))


def _box(spots: Floats, angle: float) -> tuple[Point, Point, Point]:
    """Top left, top right and bottom left of a box around spots, turned by an angle."""
    across = np.array([math.cos(angle), math.sin(angle)])
    down = np.array([-across[1], across[0]])
    along = spots @ np.stack([across, down], 1)
    (left, top), (right, low) = along.min(0) - ROOM, along.max(0) + ROOM

    def at(x: float, y: float) -> Point:
        spot = x * across + y * down
        return round(float(spot[0]), 3), round(float(spot[1]), 3)

    return at(left, top), at(right, top), at(left, low)


def _even(corners: tuple[Point, Point, Point], said: dict[str, Any], first: int) -> Lattice:
    """A lattice with its handles where they are laid, numbered from `first` on. Raises EditRefused where it has no
    size."""
    count = said["columns"] * said["rows"]
    blank = tuple(Handle(id=f"h{first + number}", place=corners[0]) for number in range(count))
    try:
        lattice = Lattice(corners=corners, handles=blank, **said)
    except ValidationError as error:
        raise EditRefused(tell(error)) from error
    return lattice.model_copy(update={"handles": as_laid(lattice)})


def net_of(part: Part, stores: Stores) -> tuple[Floats, NDArray[np.int32]]:
    """The vertices (n, 2) of a part's mesh or net as drawn, figure space, and its triangles (m, 3); those of two over
    its picture where it has none."""
    if (mesh := _mesh_of(part)) is not None:
        own, triangles = stores.get_array(mesh.vertices), stores.get_array(mesh.triangles)
    elif part.drawing.strip is not None:
        net = strip_net(part.drawing.strip)
        own, triangles = net.vertices, net.triangles
    else:
        own = np.array([[0, 0], [part.drawing.size[0], 0], part.drawing.size, [0, part.drawing.size[1]]], np.float64)
        triangles = np.array([[0, 1, 2], [0, 2, 3]], np.int32)
    return np.asarray(own + np.asarray(part.drawing.place), np.float64), np.asarray(triangles, np.int32)


def _mesh_of(part: Part) -> Mesh | None:
    """The mesh a part is bound on, or has where it follows by no weights."""
    return part.binding.mesh if isinstance(part.binding, Weighted) else part.mesh


def _edge_of(mesh: Mesh, stores: Stores) -> float:
    """The mean length of a mesh's edges, px."""
    return mean_edge(PartMesh(stores.get_array(mesh.vertices), stores.get_array(mesh.triangles)))


def carrier_of(figure: Figure, parts: list[Part]) -> str | None:
    """The bone that carries some parts: the one they all follow, or the first that all they follow hang on; None where
    one follows nothing."""
    followed: list[str] = []
    for part in parts:
        bones = _followed(figure, part)
        if not bones:
            return None
        followed += bones
    lines = [[ref, *(bone.id for bone in ancestors(figure, ref))] for ref in dict.fromkeys(followed)]
    shared = [ref for ref in lines[0] if all(ref in line for line in lines)] if lines else []
    return shared[0] if shared else None


def _followed(figure: Figure, part: Part, seen: frozenset[str] = frozenset()) -> tuple[str, ...]:
    """The bones a part follows, by itself, by its group or by what it rides on."""
    if isinstance(part.binding, Unbound):
        bone = bone_of_group(figure, part)
        return () if bone is None else (bone,)
    if isinstance(part.binding, Rider):
        carrier = figure.part(part.binding.carrier)
        if carrier is None:
            return (part.binding.carrier,)
        return () if carrier.id in seen else _followed(figure, carrier, seen | {part.id})
    return part.followed


def edge_wanted(figure: Figure, warp: Warp) -> float:
    """The length of edges, px, at which a mesh follows a warp within `ERROR`: as it is shaped, in the kept poses, and
    with one handle dragged by half a cell of a lattice, half an edge of a cage, or half the way to the next along a
    curve; with tacks, so that the mesh has some hundred vertices."""
    if isinstance(warp, Tacks):
        part = figure.part(warp.of[0])
        assert part is not None
        return max(math.sqrt(part.drawing.size[0] * part.drawing.size[1] / TACKED), SHORTEST)
    form = form_of(warp)
    shape = shape_of(warp, form)
    drags = [shape, *(shape + kept_shift(kept, warp) for kept in figure.poses)]
    if isinstance(form, Grid):
        bend = _bend_of_grid(form, drags)
    elif isinstance(form, Polygon):
        bend = _bend_of_cage(form, drags)
    else:
        assert isinstance(form, Line)
        bend = _bend_of_line(form, drags)
    return max(EVEN * math.sqrt(6 * ERROR / bend), SHORTEST) if bend > 0 else math.inf


def _bend_of_grid(grid: Grid, drags: list[Floats]) -> float:
    """The largest second derivative of what a lattice does when it is dragged, 1 / px."""
    one = np.zeros((grid.rows, grid.columns, 2))
    one[grid.rows // 2, grid.columns // 2] = 0.5 * grid.cell
    return max(grid.sharpest(moves) for moves in (one.reshape(-1, 2), *drags))


def _bend_of_cage(polygon: Polygon, drags: list[Floats]) -> float:
    """The same of a cage, where nearly all of it bends less: at its edge it bends without bound."""
    corners = polygon.corners
    (left, top), (right, low) = corners.min(0), corners.max(0)
    step = max(right - left, low - top) / SAMPLED
    x, y = np.meshgrid(np.arange(left, right, step), np.arange(top, low, step))
    spots = np.stack([x.ravel(), y.ravel()], 1)
    spots = spots[shapely.contains_xy(Outline(corners).buffer(-step), spots)]
    if not len(spots):
        spots = corners.mean(0)[None]
    sides = np.hypot(*(np.roll(corners, -1, 0) - corners).T)
    reach = np.max([0.5 * np.minimum(sides, np.roll(sides, 1)), *(np.hypot(*moves.T) for moves in drags)], 0)
    total, shares = np.zeros(len(spots)), polygon.coordinates
    for by in np.array([[step / 2, 0.0], [0.0, step / 2]]):
        second = shares(spots + by) + shares(spots - by) - 2 * shares(spots)
        total += np.abs(second * reach).max(1) / (step / 2) ** 2
    return float(np.percentile(total, NEARLY_ALL))


def _bend_of_line(line: Line, drags: list[Floats]) -> float:
    """The same of a curve: on it, and beside it as far as a span is long."""
    table = line.table
    step = table[-1, ALONG] / SAMPLED
    at = np.linspace(step, table[-1, ALONG] - step, SAMPLED)
    on = np.column_stack([np.interp(at, table[:, ALONG], table[:, k]) for k in range(4)])
    normal = np.column_stack([-on[:, 3], on[:, 2]])
    reach = table[-1, ALONG] / (len(line.even) - 1) / 2
    spots = np.concatenate([on[:, :2] + side * reach * normal for side in (-0.5, 0.0, 0.5)])
    ways = [np.tile(one, (3, 1)) * step / 2 for one in (on[:, 2:4], normal)]
    middle = len(line.even) // 2
    one = np.zeros((len(line.even), 3))
    one[middle, :2] = normal[SAMPLED // 2] * reach
    most = 0.0
    for moves in (one, *drags):
        second = [
            line.moved(moves, spots + by) + line.moved(moves, spots - by) - 2 * line.moved(moves, spots) for by in ways
        ]
        bend = sum(np.hypot(*each.T) for each in second) / (step / 2) ** 2
        most = max(most, float(np.percentile(bend, NEARLY_ALL)))
    return most


def kept_shift(kept: KeptPose, warp: Warp) -> Floats:
    """How far a kept pose drags the handles of a warp (n, 2), and how wide it makes a curve there (n, 3)."""
    shifts = [kept.pose.of(name) for name in SHIFTS]
    moves = np.array([[of.get(one.id, 0.0) for of in shifts] for one in warp.handles])
    if isinstance(warp, Curve):
        wide = kept.pose.of(WIDTH.name)
        return np.column_stack([moves, np.log([wide.get(one.id, 1.0) for one in warp.handles])])
    return moves


def fine_enough(figure: Figure, stores: Stores) -> Figure:
    """The figure with the meshes under all its warps as fine as these ask for."""
    for warp in figure.warps:
        figure = with_meshes(figure, warp, stores)
    return figure


def with_meshes(figure: Figure, warp: Warp, stores: Stores) -> Figure:
    """The figure with every part under a warp on a mesh fine enough for it. Raises EditRefused where one cannot have
    any."""
    edge = edge_wanted(figure, warp)
    changed = {}
    for ref in covered(figure, warp):
        part = figure.part(ref)
        assert part is not None
        after = _fine(figure, part, edge, stores)
        if after is not part:
            changed[ref] = after
    return with_parts(figure, changed) if changed else figure


def needing_meshes(figure: Figure, warp: Warp, stores: Stores) -> list[Part]:
    """The parts under a warp that take part in the figure and whose meshes are too coarse for it."""
    edge, found = edge_wanted(figure, warp), []
    for ref in sorted(covered(figure, warp)):
        part = figure.part(ref)
        if part is not None and not part.left_out and part.drawing.strip is None:
            mesh = _mesh_of(part)
            if mesh is None or (mesh.vertex_count < COUNT_LIMIT / 2 and _edge_of(mesh, stores) > TOO_COARSE * edge):
                found.append(part)
    return found


def _fine(figure: Figure, part: Part, edge: float, stores: Stores) -> Part:
    if part.drawing.strip is not None:
        return part  # its rows are as fine as its line asks for
    mesh = _mesh_of(part)
    if mesh is not None and _edge_of(mesh, stores) <= SLACK * edge:
        return part
    if isinstance(part.binding, Weighted):
        options = BindingOptions.as_bound(part.binding).model_copy(update={"edge": edge})
        return part.model_copy(update={"binding": relaid(figure, part, part.binding, options, stores)})
    return part.model_copy(update={"mesh": stored(laid(part, edge, stores), stores)})


def laid(part: Part, edge: float, stores: Stores) -> PartMesh:
    """A mesh over a part with edges of about this length, or a little longer where that were too many vertices."""
    outline = part_outline(part, stores)
    edge = min(edge, math.sqrt(outline.area) / 2)
    most = math.sqrt(2 * outline.area / (math.sqrt(3) * 0.7 * COUNT_LIMIT))
    try:
        return build_mesh(outline, FEWEST, None, (), max(edge, most), MARGIN, part_solid(part, stores))
    except ValueError as error:
        raise EditRefused(f"“{part.name}” cannot have a mesh: {error}") from error


def without_meshes(figure: Figure) -> Figure:
    """The figure without meshes of parts that no warp reshapes any more."""
    under = {ref for warp in figure.warps for ref in covered(figure, warp)}
    bare = {
        part.id: part.model_copy(update={"mesh": None})
        for part in figure.parts
        if part.mesh is not None and part.id not in under
    }
    return with_parts(figure, bare) if bare else figure


def refit_mesh(figure: Figure, before: Part, ref: str, stores: Stores) -> Figure:
    """A part's own mesh laid anew over its new drawing, as fine as it was."""
    part = figure.part(ref)
    if (
        part is None
        or part.mesh is None
        or (part.drawing.picture == before.drawing.picture and part.drawing.size == before.drawing.size)
    ):
        return figure
    mesh = stored(laid(part, _edge_of(part.mesh, stores), stores), stores)
    return with_parts(figure, {ref: part.model_copy(update={"mesh": mesh})})
