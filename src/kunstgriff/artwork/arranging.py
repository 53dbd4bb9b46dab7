"""Edits that arrange the sheet: places, groups, names by the dozen, copies, and where the figure stands."""

from __future__ import annotations

from functools import partial
from typing import Annotated, ClassVar, Literal, TypeVar

import numpy as np
from pydantic import Field

from kunstgriff.artwork.edits import with_all, with_parts
from kunstgriff.figure.edit import Edit, EditRefused, PartKeys, free_name, group_path, need_part, these
from kunstgriff.figure.model import Bone, Figure, Group, InkFillSplit, Name, Part, Point, Rider, Unbound
from kunstgriff.figure.references import carried
from kunstgriff.figure.sets import parts_of_drawing
from kunstgriff.figure.stores import Stores, encode_png

Renamable = TypeVar("Renamable", Part, Bone)


def moved(point: Point, by: Point) -> Point:
    """A point moved by (x, y) px."""
    return point[0] + by[0], point[1] + by[1]


def _at(part: Part, place: Point) -> Part:
    """A part put elsewhere; its pivot goes along."""
    lay, pivot = part.drawing.place, part.drawing.pivot
    return part.with_drawing(place=place, pivot=pivot and moved(pivot, (place[0] - lay[0], place[1] - lay[1])))


def _put(figure: Figure, places: dict[str, Point]) -> Figure:
    """The figure with parts put elsewhere, and the warps along that have nothing but such parts, all moved alike."""
    parts = {part.id: part for part in figure.parts if part.id in places}
    by = {
        ref: (places[ref][0] - part.drawing.place[0], places[ref][1] - part.drawing.place[1])
        for ref, part in parts.items()
    }
    warps = []
    for warp in figure.warps:
        under = {part.id for ref in warp.of for part in parts_of_drawing(figure, ref)}
        moves = {by[ref] for ref in under if ref in by}
        if under <= by.keys() and len(moves) == 1:
            warp = carried(warp, partial(moved, by=moves.pop()))
        warps.append(warp)
    there = {ref: _at(part, places[ref]) for ref, part in parts.items()}
    return with_parts(figure.replace(warps=tuple(warps)), there)


class MoveParts(Edit):
    """Move parts on the sheet by so many px; bound parts keep their mesh and weights."""

    kind: Literal["move_parts"] = "move_parts"
    parts: PartKeys
    by: Point

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        chosen = [need_part(figure, key) for key in self.parts]
        return _put(figure, {part.id: moved(part.drawing.place, self.by) for part in chosen})

    def describe(self, figure: Figure) -> str:
        return f"move {these(figure, self.parts)}"


class PlacePart(Edit):
    """Put the top left of a part's picture at a point of figure space."""

    kind: Literal["place_part"] = "place_part"
    part: str
    to: Point

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        part = need_part(figure, self.part)
        return _put(figure, {part.id: self.to})

    def describe(self, figure: Figure) -> str:
        return f"place {need_part(figure, self.part).name}"


class SetStandingPoint(Edit):
    """Say where the figure touches the ground: `to` in figure space, which becomes its new origin."""

    heeds_locks: ClassVar[bool] = False
    kind: Literal["set_standing_point"] = "set_standing_point"
    to: Point

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        sheet = figure.sheet.model_copy(update={"standing_point": moved(figure.sheet.standing_point, self.to)})
        return carried(figure, partial(moved, by=(-self.to[0], -self.to[1]))).replace(sheet=sheet)

    def describe(self, figure: Figure) -> str:
        return "move the standing point"


class ReplaceInNames(Edit):
    """Find a piece of text in the names of parts, bones or both, and put another in its place."""

    kind: Literal["replace_in_names"] = "replace_in_names"
    find: Annotated[str, Field(min_length=1, max_length=80)]
    put: Annotated[str, Field(max_length=80)]
    among: Literal["parts", "bones", "both"] = "both"

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        parts = self._renamed(figure.parts) if self.among != "bones" else figure.parts
        bones = self._renamed(figure.bones) if self.among != "parts" else figure.bones
        if parts == figure.parts and bones == figure.bones:
            raise EditRefused(f"No name holds “{self.find}”.")
        return figure.replace(parts=parts, bones=bones)

    def _renamed(self, things: tuple[Renamable, ...]) -> tuple[Renamable, ...]:
        names = [" ".join(thing.name.replace(self.find, self.put).split()) for thing in things]
        for thing, name in zip(things, names, strict=True):
            if not name or len(name) > 80:
                raise EditRefused(f"“{thing.name}” would be left without a name, or with one of over 80 letters.")
            if names.count(name) > 1 and name != thing.name:
                raise EditRefused(f"Two things would then be called “{name}”.")
        return tuple(
            thing if thing.name == name else thing.model_copy(update={"name": name})
            for thing, name in zip(things, names, strict=True)
        )

    def describe(self, figure: Figure) -> str:
        return f"replace {self.find} in names"


class GroupParts(Edit):
    """Put parts into a group, made when there is none of that name; with no name, take them out of their groups."""

    kind: Literal["group_parts"] = "group_parts"
    parts: PartKeys
    group: Name | None = None

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        if self.group is None:
            return with_all(figure, self.parts, group=None)
        group = next((one for one in figure.groups if one.name == self.group), None)
        if group is None:
            group = Group(id=f"g{figure.next_id}", name=self.group)
            figure = figure.replace(groups=(*figure.groups, group), next_id=figure.next_id + 1)
        return with_all(figure, self.parts, group=group.id)

    def describe(self, figure: Figure) -> str:
        return f"group {these(figure, self.parts)}"


class CopyParts(Edit):
    """Copy parts, each with a picture of its own and following nothing yet, right in front of the original.

    In the copies' names, and in those of the groups they lie in, `find` is replaced by `put`; with `mirror` they are
    mirrored about the upright line through `axis` (px from the standing point).
    """

    kind: Literal["copy_parts"] = "copy_parts"
    parts: PartKeys
    find: str = ""
    put: str = ""
    mirror: bool = False
    axis: Annotated[float, Field(allow_inf_nan=False, ge=-1e5, le=1e5)] = 0.0

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        chosen = {need_part(figure, key).id for key in self.parts}
        taken = {part.name for part in figure.parts}
        figure, groups = self._with_groups(figure, chosen)
        next_id, parts = figure.next_id, list[Part]()
        for part in figure.parts:
            parts.append(part)
            if part.id not in chosen:
                continue
            name = part.name.replace(self.find, self.put).strip() if self.find else part.name
            name = free_name(name[:76] or part.name, taken)
            taken.add(name)
            update = {
                "id": f"p{next_id}",
                "name": name,
                "binding": Unbound(),
                "shelved": (),
                "group": groups.get(part.group, part.group),
            }
            parts.append((self._mirrored(part, stores) if self.mirror else part).model_copy(update=update))
            next_id += 1
        return figure.replace(parts=tuple(parts), next_id=next_id)

    def _with_groups(self, figure: Figure, chosen: set[str]) -> tuple[Figure, dict[str | None, str]]:
        """Groups whose name holds `find`, copied under the new name, and which copy stands for which group."""
        copies: dict[str | None, str] = {}
        if not self.find:
            return figure, copies
        wanted = {ref for part in figure.parts if part.id in chosen for ref in group_path(figure, part.group)}
        taken = {group.name: group.id for group in figure.groups}
        for group in figure.groups:
            name = group.name.replace(self.find, self.put).strip()[:80]
            if group.id not in wanted or not name or name == group.name:
                continue
            if name not in taken:
                taken[name] = f"g{figure.next_id}"
                parent = copies.get(group.parent, group.parent)
                copy = group.model_copy(update={"id": taken[name], "name": name, "parent": parent})
                figure = figure.replace(groups=(*figure.groups, copy), next_id=figure.next_id + 1)
            copies[group.id] = taken[name]
        return figure, copies

    def _mirrored(self, part: Part, stores: Stores) -> Part:
        def flipped(digest: str) -> str:
            pixels = stores.get_pixels(digest)
            return stores.put_picture(encode_png(np.ascontiguousarray(pixels[:, ::-1])))

        was = part.drawing
        changes: dict[str, object] = {
            "picture": flipped(was.picture),
            "remade": (),
            "place": (2 * self.axis - was.place[0] - was.size[0], was.place[1]),
            "strip": None,
        }
        if was.split:
            changes["split"] = InkFillSplit(
                ink_picture=flipped(was.split.ink_picture), fill_picture=flipped(was.split.fill_picture)
            )
        if was.pivot:
            changes["pivot"] = (2 * self.axis - was.pivot[0], was.pivot[1])
        return part.with_drawing(**changes)

    def describe(self, figure: Figure) -> str:
        how = "mirror" if self.mirror else "copy"
        return f"{how} {these(figure, self.parts)}"


class LeaveOutParts(Edit):
    """Leave parts out of the figure: kept, but neither painted nor checked; with `out` false take them in again."""

    kind: Literal["leave_out_parts"] = "leave_out_parts"
    parts: PartKeys
    out: bool = True

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        return with_all(figure, self.parts, left_out=self.out)

    def describe(self, figure: Figure) -> str:
        return ("leave out " if self.out else "take in again ") + these(figure, self.parts)


class DeleteParts(Edit):
    """Delete parts, with the treatments that need them; what rode on them or stood for them is on its own again."""

    kind: Literal["delete_parts"] = "delete_parts"
    parts: PartKeys

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        return without_parts(figure, {need_part(figure, key).id for key in self.parts})

    def describe(self, figure: Figure) -> str:
        return f"delete {these(figure, self.parts)}"


def without_parts(figure: Figure, gone: set[str]) -> Figure:
    """The figure without the parts of these ids. Raises EditRefused when none would be left."""
    if gone >= {part.id for part in figure.parts}:
        raise EditRefused("A figure needs at least one part.")

    def kept(part: Part) -> Part:
        changes: dict[str, object] = {}
        if isinstance(part.binding, Rider) and part.binding.carrier in gone:
            changes["binding"] = Unbound()
        if any(isinstance(one, Rider) and one.carrier in gone for one in part.shelved):
            changes["shelved"] = tuple(one for one in part.shelved if not isinstance(one, Rider))
        return part.model_copy(update=changes) if changes else part

    left = tuple(kept(part) for part in figure.parts if part.id not in gone)
    return figure.model_copy(update={"parts": left}).without(gone)
