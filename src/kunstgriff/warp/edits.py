"""Edits of warps of any kind: their handles, what these are tied to, what lies in them, the order of several."""

from __future__ import annotations

from typing import Literal

import numpy as np

from kunstgriff.artwork.sets import need_drawing
from kunstgriff.figure.edit import Edit, EditRefused, need_bone, need_part
from kunstgriff.figure.model import Figure, Share
from kunstgriff.figure.stores import Stores
from kunstgriff.figure.values import Coordinate
from kunstgriff.figure.warps import Cage, Handle, Lattice, Tacks
from kunstgriff.warp.cage_edits import recornered
from kunstgriff.warp.course import with_handles_at
from kunstgriff.warp.laying import fine_enough, with_meshes, without_meshes
from kunstgriff.warp.named import (
    HandleKeys,
    Keys,
    need_handles,
    need_warp,
    refuse_circles,
    with_handles,
    with_tie,
    with_warp,
)
from kunstgriff.warp.tack_edits import refuse_beside
from kunstgriff.warp.warping import as_laid, without_warps


class MoveHandles(Edit):
    """Drag handles of warps at rest, all by as much or one to a place (figure space): the rest is reshaped.

    With `alone` corners of a cage or handles of a curve are put elsewhere, and the art stays as it is. With `mirrored`
    those that lie across the middle of their lattice are dragged as a mirror would.
    """

    kind: Literal["move_handles"] = "move_handles"
    handles: HandleKeys
    by: tuple[Coordinate, Coordinate] | None = None
    to: tuple[Coordinate, Coordinate] | None = None
    mirrored: bool = False
    alone: bool = False

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        chosen = need_handles(figure, self.handles)
        if (self.by is None) == (self.to is None) or (self.to is not None and len(chosen) > 1):
            raise EditRefused("Say by how much handles are moved, or for one of them where to.")
        changed = {}
        for warp in figure.warps:
            for number, handle in enumerate(warp.handles):
                if handle.id not in chosen:
                    continue
                (x, y), by = handle.place, self.by
                if by is None:
                    assert self.to is not None
                    by = self.to[0] - x, self.to[1] - y
                changed[handle.id] = handle.model_copy(update={"place": (x + by[0], y + by[1])})
                if not self.mirrored or not isinstance(warp, Lattice):
                    continue
                across = warp.handles[_across(warp, number)]
                if across.id not in chosen:
                    (x, y), (dx, dy) = across.place, _mirrored(warp, by)
                    changed[across.id] = across.model_copy(update={"place": (x + dx, y + dy)})
        if self.alone:
            return self._put_elsewhere(figure, changed, stores)
        after = fine_enough(with_handles(figure, changed), stores)
        for warp in after.warps:
            if isinstance(warp, Tacks) and any(one.id in changed for one in warp.handles):
                refuse_beside(after, warp, stores)
        return after

    def _put_elsewhere(self, figure: Figure, changed: dict[str, Handle], stores: Stores) -> Figure:
        for warp in figure.warps:
            if any(one.id in changed for one in warp.handles):
                if isinstance(warp, Tacks):
                    raise EditRefused(f"“{warp.name}” has tacks, which lie on the art; drag them as they are.")
                if isinstance(warp, Lattice):
                    raise EditRefused(f"“{warp.name}” is no cage or curve: its handles lie evenly.")
                laid = []
                for corner, one in zip(warp.laid, warp.handles, strict=True):
                    by = np.subtract(changed.get(one.id, one).place, one.place)
                    laid.append((corner[0] + float(by[0]), corner[1] + float(by[1])))
                handles = tuple(changed.get(one.id, one) for one in warp.handles)
                if isinstance(warp, Cage):
                    figure = recornered(figure, warp, tuple(laid), handles, stores)
                else:
                    figure = with_handles_at(figure, warp, tuple(laid), handles, stores)
        return figure

    def describe(self, figure: Figure) -> str:
        return "move a handle" if len(self.handles) == 1 else f"move {len(self.handles)} handles"


def _across(lattice: Lattice, number: int) -> int:
    """The number of the handle that lies across the middle of a lattice from one."""
    row, column = divmod(number, lattice.columns)
    return row * lattice.columns + lattice.columns - 1 - column


def _mirrored(lattice: Lattice, by: tuple[float, float]) -> tuple[float, float]:
    """A move as a mirror upright in the lattice shows it."""
    across = np.subtract(lattice.corners[1], lattice.corners[0])
    across = across / np.hypot(*across)
    moved = np.array(by) - 2 * (across @ by) * across
    return float(moved[0]), float(moved[1])


class EvenHandles(Edit):
    """Put handles back where they were laid, or all of a warp."""

    kind: Literal["even_handles"] = "even_handles"
    warp: str
    handles: HandleKeys | None = None

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        warp = need_warp(figure, self.warp)
        chosen = need_handles(figure, self.handles) if self.handles else {one.id for one in warp.handles}
        return with_handles(figure, {one.id: one for one in as_laid(warp) if one.id in chosen})

    def describe(self, figure: Figure) -> str:
        return f"even out {need_warp(figure, self.warp).name}"


class TieHandles(Edit):
    """Let handles follow a bone by a share of how far it moves them away from what carries their warp; 0: no more."""

    kind: Literal["tie_handles"] = "tie_handles"
    handles: HandleKeys
    bone: str
    share: Share = 1.0

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        chosen, bone = need_handles(figure, self.handles), need_bone(figure, self.bone)
        changed = {}
        for one in (one for warp in figure.warps for one in warp.handles if one.id in chosen):
            changed[one.id] = with_tie(one, bone.id, self.share)
        return with_handles(figure, changed)

    def describe(self, figure: Figure) -> str:
        word = "untie" if self.share == 0 else "tie"
        return f"{word} {len(self.handles)} handle{'s' * (len(self.handles) > 1)}: {need_bone(figure, self.bone).name}"


class RideHandles(Edit):
    """Let handles ride on a part, on the spot of it under each; None: on none. It cannot be one that they reshape."""

    kind: Literal["ride_handles"] = "ride_handles"
    handles: HandleKeys
    part: str | None = None

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        chosen = need_handles(figure, self.handles)
        ref = need_part(figure, self.part).id if self.part is not None else None
        tacks = {one.id for warp in figure.warps if isinstance(warp, Tacks) for one in warp.handles}
        if ref is not None and tacks & chosen:
            raise EditRefused("A tack holds a part and rides on none; tie it to bones.")
        changed = {
            one.id: one.model_copy(update={"rides": ref})
            for warp in figure.warps
            for one in warp.handles
            if one.id in chosen
        }
        after = with_handles(figure, changed)
        refuse_circles(after)
        return after

    def describe(self, figure: Figure) -> str:
        on = f"on {need_part(figure, self.part).name}" if self.part is not None else "on nothing"
        return f"let {len(self.handles)} handle{'s' * (len(self.handles) > 1)} ride {on}"


class FitMeshes(Edit):
    """Lay the meshes under a warp as fine as it asks for, where a part joined it later."""

    kind: Literal["fit_meshes"] = "fit_meshes"
    warp: str

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        warp = need_warp(figure, self.warp)
        after = with_meshes(figure, warp, stores)
        if after is figure:
            raise EditRefused(f"The meshes under “{warp.name}” are as fine as it asks for.")
        return after

    def describe(self, figure: Figure) -> str:
        return f"meshes under {need_warp(figure, self.warp).name}"


class OrderWarp(Edit):
    """Move a warp among those of the figure: the `first` is worked out on what is drawn, others on what came of it."""

    kind: Literal["order_warp"] = "order_warp"
    warp: str
    to: Literal["first", "earlier", "later", "last"]

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        warp = need_warp(figure, self.warp)
        at = figure.warps.index(warp)
        others = [one for one in figure.warps if one.id != warp.id]
        place = {"first": 0, "earlier": at - 1, "later": at + 1, "last": len(others)}[self.to]
        others.insert(min(max(place, 0), len(others)), warp)
        if tuple(others) == figure.warps:
            raise EditRefused(f"“{warp.name}” stands there already.")
        return figure.replace(warps=tuple(others))

    def describe(self, figure: Figure) -> str:
        return f"order of {need_warp(figure, self.warp).name}"


class LiftWarp(Edit):
    """Take a warp off again; meshes that were laid for it go with it."""

    kind: Literal["lift_warp"] = "lift_warp"
    warp: str

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        warp = need_warp(figure, self.warp)
        return without_meshes(without_warps(figure, warp))

    def describe(self, figure: Figure) -> str:
        return f"take off {need_warp(figure, self.warp).name}"


class ChangeWhatIsUnder(Edit):
    """Take parts or groups into a warp, or out of it; it stays where it lies."""

    kind: Literal["change_lattice_parts"] = "change_lattice_parts"
    warp: str
    into: Keys = ()
    out_of: Keys = ()

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        warp = need_warp(figure, self.warp)
        more = [need_drawing(figure, key).id for key in self.into]
        gone = {need_drawing(figure, key).id for key in self.out_of}
        of = tuple(ref for ref in dict.fromkeys([*warp.of, *more]) if ref not in gone)
        if isinstance(warp, Tacks):
            raise EditRefused(f"The tacks of “{warp.name}” hold one part; set others on another.")
        if not of:
            raise EditRefused(f"Nothing would be left in “{warp.name}”; take it off instead.")
        after = warp.model_copy(update={"of": of})
        refuse_circles(with_warp(figure, after))
        return without_meshes(with_meshes(with_warp(figure, after), after, stores))

    def describe(self, figure: Figure) -> str:
        return f"what lies in {need_warp(figure, self.warp).name}"
