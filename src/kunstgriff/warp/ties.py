"""Handles tied to bones by shares found by themselves, as the weights of a mesh are."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from kunstgriff.binding.mesh import PartMesh, mean_edge
from kunstgriff.binding.weights import automatic_weights, linked_bones
from kunstgriff.figure.edit import Edit, EditRefused, need_bone
from kunstgriff.figure.model import Bone, Figure, Point
from kunstgriff.figure.stores import Stores
from kunstgriff.figure.warps import MOST_TIES, Lattice, Tie, Warp
from kunstgriff.warp.lattice import Grid
from kunstgriff.warp.laying import net_of
from kunstgriff.warp.named import need_warp, with_handles, with_tie
from kunstgriff.warp.resampling import LEAST
from kunstgriff.warp.warping import as_laid, covered


class TieWarp(Edit):
    """Tie the handles of a warp to bones by shares that are found as weights of a mesh are; to none: untie all."""

    kind: Literal["tie_warp"] = "tie_warp"
    warp: str
    bones: Annotated[tuple[str, ...], Field(max_length=MOST_TIES)] = ()

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        warp = need_warp(figure, self.warp)
        bones = [need_bone(figure, key) for key in self.bones]
        shares = _shares(figure, warp, bones, stores) if bones else np.zeros((len(warp.handles), 0), np.float32)
        changed = {
            one.id: one.model_copy(
                update={
                    "ties": tuple(
                        Tie(bone=bone.id, share=round(float(share), 4))
                        for bone, share in zip(bones, row, strict=True)
                        if share > LEAST and bone.id != warp.bone
                    )
                }
            )
            for one, row in zip(warp.handles, shares, strict=True)
        }
        return with_handles(figure, changed)

    def describe(self, figure: Figure) -> str:
        return f"{'tie' if self.bones else 'untie'} {need_warp(figure, self.warp).name}"


class BrushTies(Edit):
    """Brush the shares by which handles follow a bone along a stroke (figure space): more near it, or less below 0."""

    kind: Literal["brush_ties"] = "brush_ties"
    warp: str
    bone: str
    stroke: Annotated[tuple[Point, ...], Field(min_length=1, max_length=500)]
    radius: Annotated[float, Field(gt=0, le=100_000)]
    amount: Annotated[float, Field(ge=-1, le=1)] = 0.25

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        warp, bone = need_warp(figure, self.warp), need_bone(figure, self.bone)
        stroke, changed = np.array(self.stroke, np.float64), {}
        for one in warp.handles:
            away = float(np.hypot(*(stroke - one.place).T).min())
            if away >= self.radius:
                continue
            before = next((tie.share for tie in one.ties if tie.bone == bone.id), 0.0)
            share = min(max(before + self.amount * (1 - (away / self.radius) ** 2) ** 2, 0.0), 1.0)
            changed[one.id] = with_tie(one, bone.id, round(share, 4) if share > LEAST else 0.0)
        if not changed:
            raise EditRefused(f"No handle of “{warp.name}” lies under the brush.")
        return with_handles(figure, changed)

    def describe(self, figure: Figure) -> str:
        return f"brush shares of {need_bone(figure, self.bone).name}"


def _shares(figure: Figure, warp: Warp, bones: list[Bone], stores: Stores) -> NDArray[np.float32]:
    """Weights of the handles (n, bones): of a lattice on its own grid, of others as the art next to each has them."""
    segments = [(bone.joint, bone.tip) for bone in bones]
    linked = linked_bones(segments)
    if isinstance(warp, Lattice):
        mesh = _grid(warp)
        edge = float(np.hypot(*(mesh.vertices[1] - mesh.vertices[0])))
        return automatic_weights(mesh, segments, edge, linked=linked)
    inside = covered(figure, warp)
    nets = [net_of(part, stores) for part in figure.parts if part.id in inside]
    meshes = [PartMesh(vertices, triangles) for vertices, triangles in nets]
    weights = np.concatenate([automatic_weights(one, segments, mean_edge(one), linked=linked) for one in meshes])
    away = (
        np.concatenate([one.vertices for one in meshes])[None] - np.array([one.place for one in as_laid(warp)])[:, None]
    )
    return np.asarray(weights[np.hypot(*np.moveaxis(away, 2, 0)).argmin(1)], np.float32)


def _grid(lattice: Lattice) -> PartMesh:
    """The crossings of a lattice as laid, with two triangles to a cell."""
    corners = np.arange(lattice.rows * lattice.columns).reshape(lattice.rows, lattice.columns)
    a, b, c, d = (one.ravel() for one in (corners[:-1, :-1], corners[:-1, 1:], corners[1:, 1:], corners[1:, :-1]))
    triangles = np.concatenate([np.stack([a, b, c], 1), np.stack([a, c, d], 1)]).astype(np.int32)
    return PartMesh(Grid.of(lattice).even, triangles)
