"""Changing a mesh that has weights: the triangles are made anew around what must stay, the weights go along."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
import pythoncdt
import shapely
from numpy.typing import NDArray
from shapely.geometry import MultiLineString
from shapely.geometry.base import BaseGeometry

from kunstgriff.binding.auto_binding import settled, stored
from kunstgriff.binding.mesh import Floats, Ints, PartMesh, boundary_edges
from kunstgriff.binding.refit import carry_weights
from kunstgriff.binding.triangles import signed_areas
from kunstgriff.binding.weights import strongest
from kunstgriff.figure.edit import EditRefused
from kunstgriff.figure.model import Figure, Part, Weighted
from kunstgriff.figure.stores import Stores

THINNEST = 1e-3  # px² of the smallest triangle a mesh may have


@dataclass(frozen=True)
class Net:
    """A weighted mesh being worked on: `vertices` (n, 2) px of the picture, `triangles` (m, 3), edges of its outline
    `border` (b, 2) and those that must stay `kept` (k, 2), `weights` (n, influences) and which rows are
    `manual` (n,)."""

    vertices: Floats
    triangles: Ints
    border: Ints
    kept: Ints
    weights: Floats
    manual: NDArray[np.bool_]

    @classmethod
    def of(cls, binding: Weighted, stores: Stores) -> Net:
        triangles = stores.get_array(binding.mesh.triangles)
        count = binding.mesh.vertex_count
        kept = stores.get_array(binding.mesh.kept) if binding.mesh.kept else np.zeros((0, 2), np.int32)
        manual = stores.get_array(binding.manual_mask) if binding.manual_mask else np.zeros(count, bool)
        vertices = stores.get_array(binding.mesh.vertices).astype(np.float64)
        weights = stores.get_array(binding.weights).astype(np.float64)
        return cls(vertices, triangles, boundary_edges(triangles), kept, weights, manual)

    def shape(self) -> BaseGeometry:
        """What the outline encloses, holes left out."""
        return shapely.build_area(MultiLineString([self.vertices[edge] for edge in self.border]))

    def is_valid(self) -> bool:
        """Whether every triangle is wound as it was and none is flat."""
        return bool((signed_areas(self.vertices, self.triangles) > THINNEST).all())

    def with_points(self, points: Floats) -> Net:
        """With vertices more (p, 2) at the end, weighted as the mesh is there; triangles are still to be made anew."""
        if not len(points):
            return self
        carried = carry_weights(self.vertices, self.triangles, self.weights.astype(np.float32), points)
        return replace(
            self,
            vertices=np.concatenate([self.vertices, points]),
            weights=np.concatenate([self.weights, carried]),
            manual=np.concatenate([self.manual, np.zeros(len(points), bool)]),
        )

    def without(self, gone: NDArray[np.bool_]) -> Net:
        """Without the vertices marked (n,), the outline closed across them; triangles are still to be made anew."""
        border = _bridged(self.border, gone)
        kept = self.kept[~gone[self.kept].any(1)] if len(self.kept) else self.kept
        number = np.cumsum(~gone) - 1
        return Net(
            self.vertices[~gone], self.triangles, number[border].astype(np.int32), number[kept].astype(np.int32),
            self.weights[~gone], self.manual[~gone],
        )  # fmt: skip

    def triangulated(self) -> Net:
        """With triangles made anew: constrained Delaunay between outline and kept edges (Delaunay 1934).

        Raises EditRefused where edges cross or the outline is not one any more.
        """
        area = self.shape()
        if len(self.border) < 3 or area is None or area.is_empty:
            raise EditRefused("That would leave nothing of the mesh.")
        lines = shapely.linestrings(self.vertices[np.concatenate([self.border, self.kept])])
        if _cross(lines):
            raise EditRefused("That would make edges of the mesh cross one another.")
        net = pythoncdt.Triangulation(
            pythoncdt.VertexInsertionOrder.AUTO, pythoncdt.IntersectingConstraintEdges.NOT_ALLOWED, 0.0
        )
        try:
            net.insert_vertices(np.ascontiguousarray(self.vertices))
            net.insert_edges(np.ascontiguousarray(np.concatenate([self.border, self.kept]), np.uint32))
        except Exception as error:  # the library has no exception of its own
            raise EditRefused("Two vertices of the mesh would lie on one spot.") from error
        net.erase_super_triangle()
        triangles = np.asarray(net.triangles_array()["vertices"], np.int32)
        shapely.prepare(area)
        inside = shapely.contains_xy(area, *self.vertices[triangles].mean(1).T)
        triangles = triangles[inside]
        size = signed_areas(self.vertices, triangles)
        triangles[size < 0] = triangles[size < 0][:, ::-1]
        if len(np.unique(triangles)) != len(self.vertices) or abs(np.abs(size).sum() - area.area) > 1e-3 * area.area:
            raise EditRefused("That would leave a vertex outside the mesh.")
        made = replace(self, triangles=triangles)
        if not made.is_valid():
            raise EditRefused("That would leave a triangle without area.")
        return made

    def bound(self, figure: Figure, part: Part, stores: Stores) -> Part:
        """The part with this mesh and these weights; solved bends are solved anew."""
        binding = part.binding
        assert isinstance(binding, Weighted)
        mesh = PartMesh(self.vertices, self.triangles)
        changed = binding.model_copy(
            update={
                "mesh": stored(mesh, stores, self.kept),
                "weights": stores.put_array(strongest(self.weights, binding.most)),
                "manual_mask": stores.put_array(self.manual) if self.manual.any() else None,
            }
        )
        return part.model_copy(update={"binding": settled(figure, part, changed, stores)})


def _bridged(border: Ints, gone: NDArray[np.bool_]) -> Ints:
    """Outline edges (b, 2) with removed vertices left out and their neighbours joined."""
    edges = [tuple(edge) for edge in border.tolist()]
    for vertex in np.flatnonzero(gone).tolist():
        mine = [edge for edge in edges if vertex in edge]
        if not mine:
            continue
        ends = [edge[0] if edge[1] == vertex else edge[1] for edge in mine]
        edges = [edge for edge in edges if vertex not in edge]
        if len(ends) == 2 and ends[0] != ends[1] and tuple(ends) not in edges and tuple(ends[::-1]) not in edges:
            edges.append((ends[0], ends[1]))
    return np.array(edges, np.int32).reshape(-1, 2)


def _cross(lines: NDArray[np.object_]) -> bool:
    """Whether any two of these segments cross, ends that meet aside."""
    tree = shapely.STRtree(lines)
    one, other = tree.query(lines, predicate="crosses")
    if (one != other).any():
        return True
    one, other = tree.query(lines, predicate="overlaps")
    return bool((one != other).any())
