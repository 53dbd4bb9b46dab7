"""The edit that makes a lattice, or tacks, jelly."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from kunstgriff.figure.edit import Edit, EditRefused
from kunstgriff.figure.model import Figure
from kunstgriff.figure.stores import Stores
from kunstgriff.figure.warps import Lattice, Tacks, Wobble
from kunstgriff.warp.named import need_warp, with_warp


class SetJelly(Edit):
    """Let what lies in a lattice, or what tacks hold, wobble as jelly, or change how: bellies, cheeks, brims of hats.

    Its handles swing at `frequency` Hz, slowed by `damping_ratio`; those of a lattice's `rim` are held, so that nothing
    parts at its edge, or all swing and the whole keeps its area. Without a `frequency` it is jelly no more.
    """

    kind: Literal["set_jelly"] = "set_jelly"
    warp: str
    frequency: Annotated[float, Field(ge=0.2, le=20)] | None = 2.4
    damping_ratio: Annotated[float, Field(ge=0.01, le=2)] = 0.15
    rim: bool = True

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        warp = need_warp(figure, self.warp)
        if not isinstance(warp, Lattice | Tacks):
            raise EditRefused(f"“{warp.name}” is neither a lattice nor tacks; only these wobble.")
        made = None
        if self.frequency is not None:
            if isinstance(warp, Lattice) and self.rim and min(warp.columns, warp.rows) < 3:
                raise EditRefused(f"All handles of “{warp.name}” lie at its rim; give it three columns and rows.")
            made = Wobble(frequency=self.frequency, damping_ratio=self.damping_ratio, rim=self.rim)
        return with_warp(figure, warp.model_copy(update={"jelly": made}))

    def describe(self, figure: Figure) -> str:
        word = "jelly" if self.frequency is not None else "no jelly any more"
        return f"{need_warp(figure, self.warp).name} is {word}"
