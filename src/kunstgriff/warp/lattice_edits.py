"""Edits of lattices: laying one, its grid, ties found by themselves."""

from __future__ import annotations

from typing import Literal

from kunstgriff.figure.edit import Edit
from kunstgriff.figure.model import Figure, Name
from kunstgriff.figure.stores import Stores
from kunstgriff.figure.warps import Count
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
    with_warp,
)
from kunstgriff.warp.resampling import resampled


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
