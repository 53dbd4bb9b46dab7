"""Edits of the Warps stage: laying a lattice, its grid, its handles, what they are tied to, the order of several."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from kunstgriff.binding.mesh import PartMesh
from kunstgriff.binding.weights import automatic_weights, linked_bones
from kunstgriff.figure.edit import Edit, EditRefused, free_name, need_bone, need_group, need_part
from kunstgriff.figure.model import Bone, Figure, Name, Share
from kunstgriff.figure.sets import parts_of_drawing
from kunstgriff.figure.stores import Stores
from kunstgriff.figure.values import Coordinate
from kunstgriff.figure.warps import Count, Handle, Lattice, Tie, Warp
from kunstgriff.warp.lattice import Grid
from kunstgriff.warp.laying import carrier_of, fine_enough, laid_around, with_meshes, without_meshes
from kunstgriff.warp.resampling import LEAST, resampled

MOST_TIES = 8  # bones one handle may be tied to
HandleKeys = Annotated[tuple[str, ...], Field(min_length=1, max_length=1_000)]  # by id or name
GroupKeys = Annotated[tuple[str, ...], Field(max_length=200)]


def need_warp(figure: Figure, key: str) -> Warp:
    """The warp with this id or name, else EditRefused."""
    for warp in figure.warps:
        if key in (warp.id, warp.name):
            return warp
    raise EditRefused(f"There is no warp “{key}”.")


def with_warp(figure: Figure, warp: Warp) -> Figure:
    """The figure with a warp replaced by id."""
    return figure.replace(warps=tuple(warp if one.id == warp.id else one for one in figure.warps))


def need_handles(figure: Figure, keys: tuple[str, ...]) -> frozenset[str]:
    """The ids of handles by id or name (“head 2,1”), else EditRefused."""
    known = {key: one.id for one in figure.handles for key in (one.id, one.name)}
    for key in keys:
        if key not in known:
            raise EditRefused(f"There is no handle “{key}”.")
    return frozenset(known[key] for key in keys)


def with_handles(figure: Figure, changed: dict[str, Handle]) -> Figure:
    """The figure with handles replaced by id."""
    warps = []
    for warp in figure.warps:
        handles = tuple(changed.get(one.id, one) for one in warp.handles)
        warps.append(warp if handles == warp.handles else warp.model_copy(update={"handles": handles}))
    return figure.replace(warps=tuple(warps))


class LayLattice(Edit):
    """Lay a lattice around parts, or all parts of groups: upright, or `turned` to the main axis of their art.

    It is carried by the bone that carries them all, unless another one is named. Parts get meshes fine enough for it.
    """

    kind: Literal["lay_lattice"] = "lay_lattice"
    parts: Annotated[tuple[str, ...], Field(max_length=1_000)] = ()
    groups: GroupKeys = ()
    name: Name | None = None
    columns: Count = 4
    rows: Count = 4
    local: bool = False
    turned: bool = False
    bone: str | None = None

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        groups = [need_group(figure, key) for key in self.groups]
        parts = [need_part(figure, key) for key in self.parts]
        of = tuple(dict.fromkeys([*(one.id for one in groups), *(one.id for one in parts)]))
        if not of:
            raise EditRefused("Say which parts or groups the lattice shall lie around.")
        inside = [part for ref in of for part in parts_of_drawing(figure, ref)]
        there = [part for part in inside if not part.left_out]
        if not there:
            raise EditRefused("Nothing that takes part in the figure lies in that lattice.")
        locked = next((part for part in there if part.locked), None)
        if locked is not None:
            raise EditRefused(f"“{locked.name}” is locked; unlock it first.")
        bone = need_bone(figure, self.bone).id if self.bone is not None else carrier_of(figure, there)
        wanted = self.name or (groups[0].name if groups else parts[0].name)
        lattice = laid_around(
            figure, there, stores, self.turned,
            id=f"w{figure.next_id}",
            name=free_name(wanted, {one.name for one in figure.warps}),
            of=of,
            bone=bone,
            columns=self.columns,
            rows=self.rows,
            local=self.local,
        )  # fmt: skip
        laid = figure.replace(warps=(*figure.warps, lattice), next_id=figure.next_id + 1 + len(lattice.handles))
        return with_meshes(laid, lattice, stores)

    def describe(self, figure: Figure) -> str:
        keys = (*self.groups, *self.parts)
        return f"lattice around {keys[0] if len(keys) == 1 else f'{len(keys)} things'}"[:200]


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
        lattice = need_warp(figure, self.warp)
        changes: dict[str, object] = {}
        if self.name is not None:
            if any(one.name == self.name and one.id != lattice.id for one in figure.warps):
                raise EditRefused(f"Another warp is called “{self.name}” already.")
            changes["name"] = self.name
        if self.bone is not None:
            changes["bone"] = need_bone(figure, self.bone).id if self.bone else None
        after = with_warp(figure, lattice.model_copy(update=changes))
        columns, rows = self.columns or lattice.columns, self.rows or lattice.rows
        local = lattice.local if self.local is None else self.local
        if (columns, rows, local) != (lattice.columns, lattice.rows, lattice.local):
            after = resampled(after, need_warp(after, lattice.id), columns, rows, local)
            after = with_meshes(after, need_warp(after, lattice.id), stores)
        return after

    def describe(self, figure: Figure) -> str:
        return f"change the lattice {need_warp(figure, self.warp).name}"


class MoveHandles(Edit):
    """Drag handles of warps at rest, all by as much or one to a place (figure space): the rest is reshaped.

    With `mirrored` those that lie across the middle of their lattice are dragged as a mirror would.
    """

    kind: Literal["move_handles"] = "move_handles"
    handles: HandleKeys
    by: tuple[Coordinate, Coordinate] | None = None
    to: tuple[Coordinate, Coordinate] | None = None
    mirrored: bool = False

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
                across = warp.handles[_across(warp, number)]
                if self.mirrored and across.id not in chosen:
                    (x, y), (dx, dy) = across.place, _mirrored(warp, by)
                    changed[across.id] = across.model_copy(update={"place": (x + dx, y + dy)})
        return fine_enough(with_handles(figure, changed), stores)

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
        lattice = need_warp(figure, self.warp)
        chosen = need_handles(figure, self.handles) if self.handles else {one.id for one in lattice.handles}
        even = Grid.of(lattice).even
        changed = {
            one.id: one.model_copy(update={"place": (float(place[0]), float(place[1]))})
            for one, place in zip(lattice.handles, even, strict=True)
            if one.id in chosen
        }
        return with_handles(figure, changed)

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
            ties = tuple(tie for tie in one.ties if tie.bone != bone.id)
            if self.share > 0:
                ties += (Tie(bone=bone.id, share=self.share),)
            if len(ties) > MOST_TIES:
                raise EditRefused(f"A handle follows {MOST_TIES} bones at most; untie it from one first.")
            changed[one.id] = one.model_copy(update={"ties": ties})
        return with_handles(figure, changed)

    def describe(self, figure: Figure) -> str:
        word = "untie" if self.share == 0 else "tie"
        return f"{word} {len(self.handles)} handle{'s' * (len(self.handles) > 1)}: {need_bone(figure, self.bone).name}"


class TieLattice(Edit):
    """Tie the handles of a lattice to bones by shares that are found as weights of a mesh are; to none: untie all."""

    kind: Literal["tie_lattice"] = "tie_lattice"
    warp: str
    bones: Annotated[tuple[str, ...], Field(max_length=MOST_TIES)] = ()

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        lattice = need_warp(figure, self.warp)
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
        return without_meshes(figure.without([warp.id, *(one.id for one in warp.handles)]))

    def describe(self, figure: Figure) -> str:
        return f"take off {need_warp(figure, self.warp).name}"


class ChangeWhatIsUnder(Edit):
    """Take parts or groups into a lattice, or out of it; it stays where it lies."""

    kind: Literal["change_lattice_parts"] = "change_lattice_parts"
    warp: str
    into: Annotated[tuple[str, ...], Field(max_length=1_000)] = ()
    out_of: Annotated[tuple[str, ...], Field(max_length=1_000)] = ()

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        lattice = need_warp(figure, self.warp)
        named = {key: one.id for some in (figure.groups, figure.parts) for one in some for key in (one.id, one.name)}
        missing = next((key for key in (*self.into, *self.out_of) if key not in named), None)
        if missing is not None:
            raise EditRefused(f"There is no part or group “{missing}”.")
        gone = {named[key] for key in self.out_of}
        of = tuple(ref for ref in dict.fromkeys([*lattice.of, *(named[key] for key in self.into)]) if ref not in gone)
        if not of:
            raise EditRefused(f"Nothing would be left in “{lattice.name}”; take it off instead.")
        after = with_warp(figure, lattice.model_copy(update={"of": of}))
        return without_meshes(with_meshes(after, need_warp(after, lattice.id), stores))

    def describe(self, figure: Figure) -> str:
        return f"what lies in {need_warp(figure, self.warp).name}"
