"""Edits of lattices: laying one, its grid, ties found by themselves."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from kunstgriff.binding.mesh import PartMesh
from kunstgriff.binding.weights import automatic_weights, linked_bones
from kunstgriff.figure.edit import Edit, need_bone
from kunstgriff.figure.model import Bone, Figure, Name
from kunstgriff.figure.stores import Stores
from kunstgriff.figure.warps import MOST_TIES, Count, Lattice, Tie
from kunstgriff.warp.lattice import Grid
from kunstgriff.warp.laying import laid_around, with_meshes
from kunstgriff.warp.named import (
    GroupKeys,
    Keys,
    around,
    laid_over,
    named,
    need_lattice,
    need_warp,
    told_of,
    with_handles,
    with_warp,
)
from kunstgriff.warp.resampling import LEAST, resampled


class LayLattice(Edit):
    """Lay a lattice around parts, or all parts of groups: upright, or `turned` to the main axis of their art.

    It is carried by the bone that carries them all, unless another one is named. Parts get meshes fine enough for it.
    """

    kind: Literal["lay_lattice"] = "lay_lattice"
    parts: Keys = ()
    groups: GroupKeys = ()
    name: Name | None = None
    columns: Count = 4
    rows: Count = 4
    local: bool = False
    turned: bool = False
    bone: str | None = None

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        of, there, said = around(figure, self.groups, self.parts, self.name, self.bone)
        said |= {"columns": self.columns, "rows": self.rows, "local": self.local}
        lattice = laid_around(figure, there, stores, self.turned, of=of, **said)
        return laid_over(figure, lattice, stores)

    def describe(self, figure: Figure) -> str:
        return told_of("lattice", self.groups, self.parts)


class SetLattice(Edit):
    """Change a lattice: its name, its columns and rows, whether it is local, which bone carries it (“”: none).

    What was shaped, tied and kept in poses goes over to other columns and rows.
    """

    kind: Literal["set_lattice"] = "set_lattice"
    warp: str
    name: Name | None = None
    columns: Count | None = None
    rows: Count | None = None
    local: bool | None = None
    bone: str | None = None

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        lattice = need_lattice(figure, self.warp)
        changes = named(figure, lattice, self.name, self.bone)
        after = with_warp(figure, lattice.model_copy(update=changes))
        columns, rows = self.columns or lattice.columns, self.rows or lattice.rows
        local = lattice.local if self.local is None else self.local
        if (columns, rows, local) != (lattice.columns, lattice.rows, lattice.local):
            after = resampled(after, need_lattice(after, lattice.id), columns, rows, local)
            after = with_meshes(after, need_warp(after, lattice.id), stores)
        return after

    def describe(self, figure: Figure) -> str:
        return f"change the lattice {need_warp(figure, self.warp).name}"


class TieLattice(Edit):
    """Tie the handles of a lattice to bones by shares that are found as weights of a mesh are; to none: untie all."""

    kind: Literal["tie_lattice"] = "tie_lattice"
    warp: str
    bones: Annotated[tuple[str, ...], Field(max_length=MOST_TIES)] = ()

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        lattice = need_lattice(figure, self.warp)
        bones = [need_bone(figure, key) for key in self.bones]
        shares = _shares(lattice, bones) if bones else np.zeros((len(lattice.handles), 0), np.float32)
        changed = {
            one.id: one.model_copy(
                update={
                    "ties": tuple(
                        Tie(bone=bone.id, share=round(float(share), 4))
                        for bone, share in zip(bones, row, strict=True)
                        if share > LEAST and bone.id != lattice.bone
                    )
                }
            )
            for one, row in zip(lattice.handles, shares, strict=True)
        }
        return with_handles(figure, changed)

    def describe(self, figure: Figure) -> str:
        return f"{'tie' if self.bones else 'untie'} {need_warp(figure, self.warp).name}"


def _shares(lattice: Lattice, bones: list[Bone]) -> NDArray[np.float32]:
    """Weights of the handles (n, bones), found on the grid as on a mesh."""
    even = Grid.of(lattice).even
    corners = np.arange(lattice.rows * lattice.columns).reshape(lattice.rows, lattice.columns)
    a, b, c, d = (one.ravel() for one in (corners[:-1, :-1], corners[:-1, 1:], corners[1:, 1:], corners[1:, :-1]))
    triangles = np.concatenate([np.stack([a, b, c], 1), np.stack([a, c, d], 1)]).astype(np.int32)
    segments = [(bone.joint, bone.tip) for bone in bones]
    edge = float(np.hypot(*(even[1] - even[0])))
    return automatic_weights(PartMesh(even, triangles), segments, edge, linked=linked_bones(segments))
