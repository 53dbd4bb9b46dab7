"""Edits of weights by hand: strokes, typed numbers, gradients, and work on whole columns of the table."""

from __future__ import annotations

from typing import Annotated, Any, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from kunstgriff.artwork.edits import with_parts
from kunstgriff.binding.brush import Brush, Neighbours, share_out, stroke
from kunstgriff.binding.islets import beside_limbs
from kunstgriff.binding.weights import strongest
from kunstgriff.binding.zone_edits import Vertices, need_weighted, require_vertices
from kunstgriff.binding.zones import influences_of, points_of
from kunstgriff.figure.edit import Edit, EditRefused, need_bone, need_part
from kunstgriff.figure.model import Bone, Figure, Part, Point, Share
from kunstgriff.figure.stores import Stores

Floats = NDArray[np.float64]


class Table:
    """The weights of one part, opened to be changed by hand; `close` gives the part with them."""

    def __init__(self, figure: Figure, key: str, stores: Stores) -> None:
        self.part, self.binding = need_weighted(figure, key)
        self.figure, self.stores = figure, stores
        self.weights = stores.get_array(self.binding.weights).astype(np.float32).copy()
        self.points = points_of(self.part, self.binding, stores)
        self.locked = np.array([ref in self.binding.locked for ref in self.binding.influences])
        self.manual = np.zeros(len(self.weights), bool)
        if self.binding.manual_mask is not None:
            self.manual |= stores.get_array(self.binding.manual_mask)

    def column(self, key: str) -> tuple[int, Bone]:
        """The column of a bone, else EditRefused: a bone never moves a part that does not list it."""
        bone = need_bone(self.figure, key)
        if bone.id not in self.binding.influences:
            raise EditRefused(
                f"“{bone.name}” is not among the bones that may move “{self.part.name}”; put it on first."
            )
        return self.binding.influences.index(bone.id), bone

    def unlocked(self, key: str) -> int:
        column, bone = self.column(key)
        if self.locked[column]:
            raise EditRefused(f"The weights of “{bone.name}” in “{self.part.name}” are locked.")
        return column

    def chosen(self, vertices: tuple[int, ...] | None) -> NDArray[np.intp]:
        """The vertices named, or all; EditRefused for one there is not."""
        if vertices is None:
            return np.arange(len(self.weights))
        require_vertices(self.part, self.binding, vertices)
        return np.array(sorted(set(vertices)))

    def set(self, vertex: int, column: int, wanted: float) -> None:
        share_out(self.weights[vertex], column, wanted, self.locked)

    def close(self, touched: NDArray[Any], *, hold: bool = True) -> Part:
        """The part with these weights, no vertex following more bones than it may."""
        manual = self.manual.copy()
        if hold:
            manual[touched] = True
        weights = strongest(self.weights.astype(np.float64), self.binding.most)
        changed = self.binding.model_copy(
            update={
                "weights": self.stores.put_array(weights),
                "manual_mask": self.stores.put_array(manual) if manual.any() else None,
            }
        )
        return self.part.model_copy(update={"binding": changed})


def with_part(figure: Figure, part: Part) -> Figure:
    """The figure with one part replaced by id."""
    return with_parts(figure, {part.id: part})


class PaintWeights(Edit):
    """A stroke of the brush over a part: dabs at `spots` (figure space, at rest) on the weights of one bone."""

    kind: Literal["paint_weights"] = "paint_weights"
    part: str
    bone: str
    brush: Brush
    spots: Annotated[tuple[Point, ...], Field(min_length=1, max_length=2_000)]

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        table = Table(figure, self.part, stores)
        column = table.unlocked(self.bone)
        bone = need_bone(figure, self.bone)
        neighbours = Neighbours(stores.get_array(table.binding.mesh.triangles), len(table.weights))
        axis = np.array(bone.joint), np.array(bone.tip)
        touched = stroke(table.points, table.weights, neighbours, table.locked, column, self.brush, self.spots, axis)
        if not touched.any():
            raise EditRefused(f"The stroke touched no vertex of “{table.part.name}”.")
        return with_part(figure, table.close(touched))

    def describe(self, figure: Figure) -> str:
        return f"paint weights of {need_bone(figure, self.bone).name}"


class SetWeights(Edit):
    """Type the share of a bone at vertices (all of the part if none are named); a share of 1 ties them to the bone."""

    kind: Literal["set_weights"] = "set_weights"
    part: str
    bone: str
    weight: Share
    vertices: Vertices | None = None

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        table = Table(figure, self.part, stores)
        column = table.unlocked(self.bone)
        chosen = table.chosen(self.vertices)
        for vertex in chosen:
            table.set(vertex, column, self.weight)
        return with_part(figure, table.close(chosen))

    def describe(self, figure: Figure) -> str:
        return f"set weights of {need_bone(figure, self.bone).name}"


class GradientWeights(Edit):
    """Let the share of a bone rise from 0 at `start` to 1 at `end` (figure space), against its parent or `other`.

    Only what the two bones share between them passes over; `vertices` limits it, else it is the whole part.
    """

    kind: Literal["gradient_weights"] = "gradient_weights"
    part: str
    bone: str
    other: str | None = None
    start: Point
    end: Point
    vertices: Vertices | None = None

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        table = Table(figure, self.part, stores)
        column = table.unlocked(self.bone)
        bone = need_bone(figure, self.bone)
        key = self.other if self.other is not None else bone.parent
        if key is None:
            raise EditRefused(f"“{bone.name}” hangs on no other bone; say against which it is weighed.")
        against = table.unlocked(key)
        along = np.subtract(self.end, self.start)
        if not along.any():
            raise EditRefused("The gradient has no length; drag from where it begins to where it ends.")
        chosen = table.chosen(self.vertices)
        share = np.clip((table.points[chosen] - self.start) @ along / (along @ along), 0, 1)
        both = table.weights[chosen, column] + table.weights[chosen, against]
        table.weights[chosen, column] = both * share
        table.weights[chosen, against] = both * (1 - share)
        return with_part(figure, table.close(chosen))

    def describe(self, figure: Figure) -> str:
        return f"lay a gradient of {need_bone(figure, self.bone).name}"


class EvenWeights(Edit):
    """Even all weights of vertices out among their neighbours, `rounds` times; free vertices only unless named."""

    kind: Literal["even_weights"] = "even_weights"
    part: str
    rounds: Annotated[int, Field(ge=1, le=100)] = 1
    vertices: Vertices | None = None

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        table = Table(figure, self.part, stores)
        chosen = table.chosen(self.vertices)
        neighbours = Neighbours(stores.get_array(table.binding.mesh.triangles), len(table.weights))
        counts = np.maximum(np.diff(neighbours.starts), 1)[:, None]
        owner = np.repeat(np.arange(len(table.weights)), np.diff(neighbours.starts))
        free = ~table.locked
        for _ in range(self.rounds):
            mean = _sums(table.weights, neighbours.others, owner) / counts
            kept = 1.0 - table.weights[chosen][:, table.locked].sum(1, keepdims=True)
            part = (0.5 * table.weights + 0.5 * mean)[chosen][:, free]
            part *= kept / np.maximum(part.sum(1, keepdims=True), 1e-9)
            table.weights[np.ix_(chosen, np.flatnonzero(free))] = part
        return with_part(figure, table.close(chosen))

    def describe(self, figure: Figure) -> str:
        return f"even the weights of {need_part(figure, self.part).name}"


def _sums(weights: NDArray[np.float32], others: NDArray[np.int32], owner: NDArray[np.intp]) -> Floats:
    """Sum (n, influences) of the weights of each vertex's neighbours."""
    return np.stack([np.bincount(owner, column[others], len(weights)) for column in weights.T], 1)


class SettleIslands(Edit):
    """Let every island of a part that no joint lies in follow one bone as a whole, the one it follows most."""

    kind: Literal["settle_islands"] = "settle_islands"
    part: str

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        table = Table(figure, self.part, stores)
        triangles = stores.get_array(table.binding.mesh.triangles)
        joints = np.array([bone.joint for bone in influences_of(figure, table.binding)])
        chosen = []
        for own in beside_limbs(table.weights, table.points, triangles, joints):
            table.weights[own] = np.eye(table.weights.shape[1])[table.weights[own].sum(0).argmax()]
            chosen.append(own)
        if not chosen:
            raise EditRefused(f"No island of “{table.part.name}” is torn between two bones.")
        return with_part(figure, table.close(np.concatenate(chosen)))

    def describe(self, figure: Figure) -> str:
        return f"let the islands of {need_part(figure, self.part).name} follow as wholes"


class LetGo(Edit):
    """Let vertices weighted by hand be weighted by the program again; all of the part when none are named."""

    kind: Literal["let_go"] = "let_go"
    part: str
    vertices: Vertices | None = None

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        table = Table(figure, self.part, stores)
        if not table.manual.any():
            raise EditRefused(f"No vertex of “{table.part.name}” was weighted by hand.")
        table.manual[table.chosen(self.vertices)] = False
        return with_part(figure, table.close(np.zeros(0, int), hold=False))

    def describe(self, figure: Figure) -> str:
        return f"let go of vertices of {need_part(figure, self.part).name}"
