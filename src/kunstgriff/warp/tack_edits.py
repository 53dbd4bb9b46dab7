"""Edits of tacks: setting them, by hand or as proposed, what each holds, where a part is stiff."""

from __future__ import annotations

import math
from typing import Annotated, Literal

from pydantic import Field, ValidationError

from kunstgriff.figure.edit import Edit, EditRefused, free_name, need_bone, need_part, tell
from kunstgriff.figure.model import Figure, Name, Part, Point
from kunstgriff.figure.stores import Stores
from kunstgriff.figure.values import Coordinate, Share
from kunstgriff.figure.warps import MOST_DABS, MOST_TACKS, MOST_TIES, Carries, Dab, Tack, Tacks, Tie
from kunstgriff.warp.laying import net_of, with_meshes, without_meshes
from kunstgriff.warp.named import HandleKeys, Keys, around, named, need_handles, need_warp, with_handles, with_warp
from kunstgriff.warp.proposing import proposed
from kunstgriff.warp.tacks import is_on, with_ties_of


def need_tacks(figure: Figure, key: str) -> Tacks:
    """The tacks of a part by id or name, else EditRefused."""
    warp = need_warp(figure, key)
    if not isinstance(warp, Tacks):
        raise EditRefused(f"“{warp.name}” has no tacks.")
    return warp


class SetTack(Edit):
    """Set a tack on a part at a place (figure space): it follows bones, each by the same share, or stands still.

    For what is left of a whole it follows what carries the part. The first tack of a part gives it a mesh, if it has
    none; `reach` is that of all its tacks (a part bound by weights: a third of its size, else over the whole).
    """

    kind: Literal["set_tack"] = "set_tack"
    part: str
    at: tuple[Coordinate, Coordinate]
    name: Name | None = None
    bones: Annotated[tuple[str, ...], Field(max_length=MOST_TIES)] = ()
    share: Share | None = None
    still: bool = False
    carries: Carries = "place"

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        part = need_part(figure, self.part)
        bones = [need_bone(figure, key).id for key in self.bones]
        share = self.share if self.share is not None else 1 / max(len(bones), 1)
        ties = tuple(Tie(bone=ref, share=share) for ref in bones) if share > 0 else ()
        said = {"place": self.at, "ties": ties, "still": self.still, "carries": self.carries}
        return with_tacks(figure, part, [(self.name or "tack", said)], stores)

    def describe(self, figure: Figure) -> str:
        return f"set a tack on {need_part(figure, self.part).name}"


class ProposeTacks(Edit):
    """Set the tacks on a part that its bones ask for: where they meet, at free ends, at both sides of an elbow."""

    kind: Literal["propose_tacks"] = "propose_tacks"
    part: str
    bones: Annotated[tuple[str, ...], Field(max_length=40)] = ()

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        part = need_part(figure, self.part)
        found = proposed(figure, part, [need_bone(figure, key) for key in self.bones], stores)
        if not found:
            raise EditRefused(f"No bone of “{part.name}” asks for a tack; choose the bones it shall follow.")
        return with_tacks(figure, part, found, stores)

    def describe(self, figure: Figure) -> str:
        return f"tacks for {need_part(figure, self.part).name}"


def tacks_of(figure: Figure, part: str) -> Tacks | None:
    """The tacks a part has."""
    return next((one for one in figure.warps if isinstance(one, Tacks) and one.of == (part,)), None)


def with_tacks(figure: Figure, part: Part, more: list[tuple[str, dict[str, object]]], stores: Stores) -> Figure:
    """The figure with more tacks on a part, each by its name and what is said of it. Raises EditRefused where one lies
    beside the part, or there are too many."""
    if part.locked:
        raise EditRefused(f"“{part.name}” is locked; unlock it first.")
    warp = tacks_of(figure, part.id)
    handles = list(warp.handles) if warp is not None else []
    if len(handles) + len(more) > MOST_TACKS:
        raise EditRefused(f"A part has {MOST_TACKS} tacks at most.")
    taken, first = {one.name for one in handles}, figure.next_id
    for number, (name, said) in enumerate(more):
        free = free_name(name, taken)
        taken.add(free)
        handles.append(Tack.model_validate({"id": f"h{first + number}", "name": free, **said}))
    figure = figure.replace(next_id=first + len(more))
    if warp is not None:
        warp = warp.model_copy(update={"handles": tuple(handles)})
        figure = with_warp(figure, warp)
    else:
        of, _, said = around(figure, (), (part.id,), None, None)
        reach = max(part.drawing.size) / 3 if part.binding.kind == "weighted" else None
        try:
            warp = Tacks.model_validate({"of": of, "handles": tuple(handles), "reach": reach, **said})
        except ValidationError as error:
            raise EditRefused(tell(error)) from error
        figure = figure.replace(warps=(*figure.warps, warp), next_id=figure.next_id + 1)
    figure = with_meshes(figure, warp, stores)
    refuse_beside(figure, warp, stores)
    return figure


def refuse_beside(figure: Figure, warp: Tacks, stores: Stores) -> None:
    """Raises EditRefused where a tack does not lie on its part."""
    part = need_part(figure, warp.of[0])
    mesh, triangles = net_of(part, stores)
    for tack in warp.handles:
        if not is_on(tack.place, mesh, triangles):
            raise EditRefused(f"The tack “{tack.name}” would lie beside “{part.name}”; set it on the part.")


class ChangeTacks(Edit):
    """Change tacks: the name of one, what they carry, whether they stand still for what no bone moves them by.

    `firm` ones do not swing where the tacks of their part are jelly.
    """

    kind: Literal["change_tacks"] = "change_tacks"
    handles: HandleKeys
    name: Name | None = None
    carries: Carries | None = None
    still: bool | None = None
    firm: bool | None = None

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        changes = {
            key: value for key in ("name", "carries", "still", "firm") if (value := getattr(self, key)) is not None
        }
        chosen = need_only_tacks(figure, self.handles)
        if self.name is not None and len(chosen) > 1:
            raise EditRefused("Tacks have a name each; choose one to name it.")
        if self.name is not None:
            (one,) = chosen
            warp = next(each for each in figure.warps if any(tack.id == one.id for tack in each.handles))
            if any(tack.name == self.name and tack.id != one.id for tack in warp.handles if isinstance(tack, Tack)):
                raise EditRefused(f"Another tack of {warp.name} is called “{self.name}” already.")
        return with_handles(figure, {one.id: one.model_copy(update=changes) for one in chosen})

    def describe(self, figure: Figure) -> str:
        return "change a tack" if len(self.handles) == 1 else f"change {len(self.handles)} tacks"


class CopyTack(Edit):
    """Let tacks follow and carry what another one does."""

    kind: Literal["copy_tack"] = "copy_tack"
    source: str
    onto: HandleKeys

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        (source,) = need_only_tacks(figure, (self.source,))
        return with_handles(figure, {one.id: with_ties_of(one, source) for one in need_only_tacks(figure, self.onto)})

    def describe(self, figure: Figure) -> str:
        return f"copy a tack onto {len(self.onto)}"


class RemoveTacks(Edit):
    """Take tacks out; with its last one a part has none, and no mesh that was laid for them."""

    kind: Literal["remove_tacks"] = "remove_tacks"
    handles: HandleKeys

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        gone = {one.id for one in need_only_tacks(figure, self.handles)}
        empty = [warp.id for warp in figure.warps if warp.handles and all(one.id in gone for one in warp.handles)]
        return without_meshes(figure.without([*gone, *empty]))

    def describe(self, figure: Figure) -> str:
        return "remove a tack" if len(self.handles) == 1 else f"remove {len(self.handles)} tacks"


class SetTacks(Edit):
    """Change what all tacks of a part have in common.

    That is their name, what carries them (“”: nothing) and how far they reach (0: over the whole).
    """

    kind: Literal["set_tacks"] = "set_tacks"
    warp: str
    name: Name | None = None
    bone: str | None = None
    reach: Annotated[float, Field(ge=0, le=100_000)] | None = None

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        warp = need_tacks(figure, self.warp)
        changes = named(figure, warp, self.name, self.bone)
        if self.reach is not None:
            changes["reach"] = self.reach or None
        return with_warp(figure, warp.model_copy(update=changes))

    def describe(self, figure: Figure) -> str:
        return f"change the tacks of {need_warp(figure, self.warp).name}"


class StiffenPart(Edit):
    """Brush a part that has tacks stiffer along a stroke (figure space), by so much; at 0 as soft as it was."""

    kind: Literal["stiffen"] = "stiffen"
    warp: str
    stroke: Annotated[tuple[Point, ...], Field(min_length=1, max_length=500)]
    radius: Annotated[float, Field(gt=0, le=10_000)]
    amount: Share = 1.0

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        warp = need_tacks(figure, self.warp)
        dabs = [*warp.stiff]
        last: Point | None = None
        for x, y in self.stroke:  # dabs half a radius apart are a stroke
            if last is None or (x - last[0]) ** 2 + (y - last[1]) ** 2 >= (self.radius / 2) ** 2:
                last = (x, y)
                dabs = [one for one in dabs if not _covers(last, self.radius, one)]
                dabs.append(Dab(place=last, radius=self.radius, amount=self.amount))
        while dabs and dabs[0].amount == 0:  # what was soft anyway need not be made soft
            dabs.pop(0)
        if len(dabs) > MOST_DABS:
            raise EditRefused(f"{MOST_DABS} dabs of the brush are as many as a part may have; brush with a larger one.")
        return with_warp(figure, warp.model_copy(update={"stiff": tuple(dabs)}))

    def describe(self, figure: Figure) -> str:
        return f"{'stiffen' if self.amount else 'soften'} {need_warp(figure, self.warp).name}"


def _covers(place: Point, radius: float, dab: Dab) -> bool:
    """Whether a dab is laid wholly under the full middle of another."""
    away = math.hypot(place[0] - dab.place[0], place[1] - dab.place[1])
    return away + dab.radius <= 0.5 * radius


def need_only_tacks(figure: Figure, keys: Keys) -> list[Tack]:
    """The tacks by id or name. Raises EditRefused where a handle is none."""
    chosen = need_handles(figure, keys)
    found = [one for warp in figure.warps for one in warp.handles if one.id in chosen]
    tacks = [one for one in found if isinstance(one, Tack)]
    if len(tacks) < len(found):
        raise EditRefused("Those are no tacks but handles of a lattice, a cage or a curve.")
    return tacks
