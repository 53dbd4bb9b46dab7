"""Edits of meshes: vertices and edges by hand, regions and whole parts laid anew, vertices no bend needs taken out."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import Annotated, Literal

import numpy as np
import shapely
from pydantic import Field

from kunstgriff.artwork.edits import with_parts
from kunstgriff.binding.auto_binding import BindingOptions
from kunstgriff.binding.mesh import COUNT_LIMIT, even_net
from kunstgriff.binding.refit import relaid
from kunstgriff.binding.remeshing import Net
from kunstgriff.binding.thinning import thinned
from kunstgriff.binding.zone_edits import Vertex, Vertices, need_weighted, require_vertices
from kunstgriff.figure.edit import Edit, EditRefused, PartKeys, need_part, these
from kunstgriff.figure.model import Figure, Part, Point, Weighted
from kunstgriff.figure.stores import Stores


def _curved(figure: Figure, key: str) -> tuple[Part, Weighted]:
    part, binding = need_weighted(figure, key)
    if part.drawing.strip is not None:
        raise EditRefused(f"“{part.name}” is straightened; its mesh follows its middle line. Leave it curved first.")
    return part, binding


def _opened(figure: Figure, key: str, stores: Stores, vertices: tuple[int, ...] = ()) -> tuple[Part, Net]:
    part, binding = _curved(figure, key)
    require_vertices(part, binding, vertices)
    return part, Net.of(binding, stores)


def _closed(figure: Figure, part: Part, net: Net, stores: Stores) -> Figure:
    return with_parts(figure, {part.id: net.bound(figure, part, stores)})


class MoveVertices(Edit):
    """Move vertices of a mesh by an offset (px). Triangles are made anew where one would turn over."""

    kind: Literal["move_vertices"] = "move_vertices"
    part: str
    vertices: Vertices
    by: Point

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        part, net = _opened(figure, self.part, stores, self.vertices)
        moved = net.vertices.copy()
        moved[list(set(self.vertices))] += self.by
        changed = replace(net, vertices=moved)
        return _closed(figure, part, changed if changed.is_valid() else changed.triangulated(), stores)

    def describe(self, figure: Figure) -> str:
        return f"move vertices of {need_part(figure, self.part).name}"


class AddVertex(Edit):
    """Add a vertex to a mesh at a place (figure space, at rest); outside it the nearest edge is led over it."""

    kind: Literal["add_vertex"] = "add_vertex"
    part: str
    at: Point

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        part, net = _opened(figure, self.part, stores)
        if len(net.vertices) >= COUNT_LIMIT:
            raise EditRefused(f"A mesh may have {COUNT_LIMIT} vertices at most.")
        at = np.subtract(self.at, part.drawing.place)
        added = net.with_points(at[None])
        if not shapely.contains_xy(net.shape(), *at):
            lines = shapely.linestrings(net.vertices[net.border])
            nearest = int(shapely.distance(lines, shapely.points(at)).argmin())
            a, b = net.border[nearest]
            new = len(net.vertices)
            border = np.concatenate([np.delete(net.border, nearest, 0), [[a, new], [new, b]]]).astype(np.int32)
            added = replace(added, border=border)
        return _closed(figure, part, added.triangulated(), stores)

    def describe(self, figure: Figure) -> str:
        return f"add a vertex to {need_part(figure, self.part).name}"


class RemoveVertices(Edit):
    """Take vertices out of a mesh; on its edge the neighbours are joined."""

    kind: Literal["remove_vertices"] = "remove_vertices"
    part: str
    vertices: Vertices

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        part, net = _opened(figure, self.part, stores, self.vertices)
        gone = np.zeros(len(net.vertices), bool)
        gone[list(self.vertices)] = True
        if gone.sum() > len(gone) - 3:
            raise EditRefused("A mesh needs three vertices at least.")
        return _closed(figure, part, net.without(gone).triangulated(), stores)

    def describe(self, figure: Figure) -> str:
        return f"remove vertices of {need_part(figure, self.part).name}"


class KeepEdge(Edit):
    """Say that an edge between two vertices must stay whatever is made anew, or with `keep` false that it need not."""

    kind: Literal["keep_edge"] = "keep_edge"
    part: str
    ends: tuple[Vertex, Vertex]
    keep: bool = True

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        part, net = _opened(figure, self.part, stores, self.ends)
        if self.ends[0] == self.ends[1]:
            raise EditRefused("An edge needs two vertices.")
        edge = sorted(self.ends)
        others = net.kept[(np.sort(net.kept, 1) != edge).any(1)] if len(net.kept) else net.kept
        kept = np.concatenate([others, [edge]]).astype(np.int32) if self.keep else others
        if not self.keep and len(others) == len(net.kept):
            raise EditRefused("That edge is not one that must stay.")
        line = shapely.LineString(net.vertices[list(self.ends)])
        if self.keep and not net.shape().buffer(1e-6).contains(line):
            raise EditRefused("That edge would lead out of the mesh.")
        return _closed(figure, part, replace(net, kept=kept).triangulated(), stores)

    def describe(self, figure: Figure) -> str:
        return f"keep an edge of {need_part(figure, self.part).name}"


class RemeshRegion(Edit):
    """Lay the mesh anew within a circle (figure space px), with edges of `edge` px; outline and kept edges stay."""

    kind: Literal["remesh_region"] = "remesh_region"
    part: str
    at: Point
    radius: Annotated[float, Field(gt=0, le=10_000)]
    edge: Annotated[float, Field(ge=1, le=1_000)]

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        part, net = _opened(figure, self.part, stores)
        at = np.subtract(self.at, part.drawing.place)
        fixed = np.zeros(len(net.vertices), bool)
        fixed[np.unique(np.concatenate([net.border, net.kept]))] = True
        gone = ~fixed & (np.hypot(*(net.vertices - at).T) < self.radius)
        if 8 * self.radius**2 / math.sqrt(3) / self.edge**2 > COUNT_LIMIT:
            raise EditRefused(f"Edges of {self.edge:g} px there would take more than {COUNT_LIMIT} vertices.")
        points = even_net(shapely.Point(at).buffer(self.radius), self.edge)
        points = points[shapely.contains_xy(net.shape().buffer(-0.4 * self.edge), *points.T)]
        filled = net.with_points(points)
        stays = np.concatenate([gone, np.zeros(len(points), bool)])
        kept = filled.vertices[: len(net.vertices)][~gone]
        near = shapely.STRtree(shapely.points(kept)).query(shapely.points(points), "dwithin", 0.6 * self.edge)[0]
        stays[len(net.vertices) + np.unique(near)] = True
        return _closed(figure, part, filled.without(stays).triangulated(), stores)

    def describe(self, figure: Figure) -> str:
        return f"lay a region of {need_part(figure, self.part).name} anew"


class Remesh(Edit):
    """Lay whole meshes anew with about `count` vertices or edges of about `edge` px; weights are carried over."""

    kind: Literal["remesh"] = "remesh"
    parts: PartKeys
    count: Annotated[int, Field(ge=12, le=COUNT_LIMIT)] | None = None
    edge: Annotated[float, Field(ge=1, le=1_000)] | None = None

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        changed = {}
        for key in self.parts:
            part, binding = _curved(figure, key)
            asked = {"edge": self.edge, "count": self.count or binding.mesh.vertex_count}
            options = BindingOptions.as_bound(binding).model_copy(update=asked)
            laid = relaid(figure, part, binding, options, stores)
            changed[part.id] = part.model_copy(update={"binding": laid})
        return with_parts(figure, changed)

    def describe(self, figure: Figure) -> str:
        return f"lay the mesh of {these(figure, self.parts)} anew"


class ThinMesh(Edit):
    """Take out vertices that no bend over the joints' range needs.

    Nothing departs by more than `tolerance` px from where it was in any pose.
    """

    kind: Literal["thin_mesh"] = "thin_mesh"
    parts: PartKeys
    tolerance: Annotated[float, Field(ge=0.05, le=20)] = 0.5

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        changed = {}
        for key in self.parts:
            part, net = _opened(figure, key, stores)
            thin = thinned(figure, part, net, self.tolerance, stores)
            if len(thin.vertices) < len(net.vertices):
                changed[part.id] = thin.bound(figure, part, stores)
        if not changed:
            raise EditRefused(f"Every vertex is needed to stay within {self.tolerance:g} px.")
        return with_parts(figure, changed)

    def describe(self, figure: Figure) -> str:
        return f"thin out {these(figure, self.parts)}"
