"""Edits of curves: laying one, its handles, how wide it is there."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np
from pydantic import Field

from kunstgriff.figure.edit import Edit, EditRefused
from kunstgriff.figure.model import Figure, Name, Point
from kunstgriff.figure.stores import Stores
from kunstgriff.figure.warps import FEWEST_ALONG, MOST_ALONG, NARROWEST, WIDEST, CurveHandle
from kunstgriff.warp.course import along_the_middle, curved, from_its_root, handles_along, with_count
from kunstgriff.warp.laying import fine_enough
from kunstgriff.warp.named import (
    GroupKeys,
    HandleKeys,
    Keys,
    around,
    laid_over,
    named,
    need_curve,
    need_handles,
    need_warp,
    told_of,
    with_handles,
    with_warp,
)

Along = Annotated[int, Field(ge=FEWEST_ALONG, le=MOST_ALONG)]


class LayCurve(Edit):
    """Lay a curve along parts, or all parts of groups: along their middle, or a `stroke` drawn (figure space).

    It has so many `handles`, or as few as follow the middle closely. It is carried by the bone that carries them all,
    unless another one is named, and comes before lattices and cages over the same parts. Parts get meshes fine enough.
    """

    kind: Literal["lay_curve"] = "lay_curve"
    parts: Keys = ()
    groups: GroupKeys = ()
    name: Name | None = None
    handles: Along | None = None
    stroke: Annotated[tuple[Point, ...], Field(min_length=2, max_length=2_000)] | None = None
    keeps_length: bool = False
    bone: str | None = None

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        of, there, said = around(figure, self.groups, self.parts, self.name, self.bone)
        if self.stroke is not None:
            line = np.array(self.stroke)
        else:
            line = from_its_root(along_the_middle(there, stores), figure.bone(str(said["bone"])))
        curve = curved(figure, of, handles_along(line, self.handles), said | {"keeps_length": self.keeps_length})
        return laid_over(figure, curve, stores)

    def describe(self, figure: Figure) -> str:
        return told_of("curve", self.groups, self.parts)


class SetCurve(Edit):
    """Change a curve: its name, how many handles it has, whether art keeps its length, its bone (“”: none).

    With other handles it lies, is wide, tied and posed as before.
    """

    kind: Literal["set_curve"] = "set_curve"
    warp: str
    name: Name | None = None
    handles: Along | None = None
    keeps_length: bool | None = None
    bone: str | None = None

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        curve = need_curve(figure, self.warp)
        changes = named(figure, curve, self.name, self.bone)
        if self.keeps_length is not None:
            changes["keeps_length"] = self.keeps_length
        after = with_warp(figure, curve.model_copy(update=changes))
        if self.handles is not None and self.handles != len(curve.handles):
            after = with_count(after, need_curve(after, curve.id), self.handles)
        return fine_enough(after, stores)

    def describe(self, figure: Figure) -> str:
        return f"change the curve {need_warp(figure, self.warp).name}"


class WidenHandles(Edit):
    """Make what lies along a curve so many times as wide at some of its handles as it was drawn."""

    kind: Literal["widen_handles"] = "widen_handles"
    handles: HandleKeys
    width: Annotated[float, Field(ge=NARROWEST, le=WIDEST)]

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        chosen = need_handles(figure, self.handles)
        changed = {}
        for warp in figure.warps:
            for one in warp.handles:
                if one.id in chosen:
                    if not isinstance(one, CurveHandle):
                        raise EditRefused(f"“{warp.name}” is no curve: it has no width of its own.")
                    changed[one.id] = one.model_copy(update={"width": self.width})
        return fine_enough(with_handles(figure, changed), stores)

    def describe(self, figure: Figure) -> str:
        return f"width at {len(self.handles)} handle{'s' * (len(self.handles) > 1)}"
