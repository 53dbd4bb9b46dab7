"""A new version of the sheet over an existing figure: what matches what, and the edit that takes it over.

Layers are matched to parts by name, then by the very picture, then by looks and place. Parts that are missing from the
new sheet are kept as they are; layers that are new become parts at their place in the draw order.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from typing import Annotated, ClassVar, Literal

import cv2
import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from kunstgriff.artwork.remaking import drawing_of, remade_anew
from kunstgriff.artwork.rescaling import rescaled
from kunstgriff.artwork.sets import AddToSet, common_words
from kunstgriff.artwork.sheet import ArtSheet, Piece, pieces_of, split_of
from kunstgriff.figure.edit import Edit, free_name, need_part
from kunstgriff.figure.model import (
    Blend,
    Digest,
    Drawing,
    Figure,
    Group,
    InkFillSplit,
    Name,
    Part,
    Point,
    Severed,
    Share,
    Value,
)
from kunstgriff.figure.renewal import redrawn
from kunstgriff.figure.stores import Stores, digest_of
from kunstgriff.figure.turning import in_order

ALIKE = 0.55  # share of overlap and of like colour from which two pictures are taken for one part; measured on the demo


class NewLook(Value):
    """A part's new picture (already in the stores) and place."""

    part: str
    picture: Digest
    place: Point
    split: InkFillSplit | None = None


class NewPart(Value):
    """A part that was not there before; `in_front_of` is the part it lies right in front of, None for the back."""

    name: Name
    picture: Digest
    place: Point
    opacity: Share = 1.0
    visible: bool = True
    blend: Blend = "normal"
    left_out: bool = False
    split: InkFillSplit | None = None
    group: Name | None = None
    in_front_of: str | None = None


class RenewSheet(Edit):
    """Take over a new version of the drawing: new looks of parts that are there, and parts that are new.

    One that is called as the drawings of a set are becomes one of them. Bindings, weights and covers are kept: meshes
    are refitted where the outline left them, covers made anew. With `scale` (px per unit of the drawing) the whole
    figure is brought to that first. A drawing of another facing says in which `order` its parts lie, back to front, and
    which are `unseen` from there.
    """

    heeds_locks: ClassVar[bool] = False
    kind: Literal["renew_sheet"] = "renew_sheet"
    looks: tuple[NewLook, ...] = ()
    new: tuple[NewPart, ...] = ()
    scale: Annotated[float, Field(gt=0, le=64)] | None = None
    order: Annotated[tuple[str, ...], Field(max_length=5_000)] = ()
    unseen: Annotated[tuple[str, ...], Field(max_length=5_000)] = ()

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        figure = at_scale(figure, self.scale, stores)
        for look in self.looks:
            before = need_part(figure, look.part)
            height, width = stores.get_pixels(look.picture).shape[:2]
            after = before.with_drawing(picture=look.picture, place=look.place, size=(width, height), split=look.split)
            for part in remade_anew(figure, after, stores):
                figure = redrawn(figure, part, stores)
        for item in self.new:
            figure = self._with_new(figure, item, stores)
        shown: dict[str, dict[str, object]] = {}
        for part in (need_part(figure, key) for key in self.order):  # what has no mesh follows its bone as it is drawn
            shown[part.id] = {"visible": True} | ({} if part.mesh_now else {"shifted": 0.0})
        shown |= {need_part(figure, key).id: {"visible": False, "shifted": 0.0} for key in self.unseen}
        parts = tuple(part.model_copy(update=shown.get(part.id, {})) for part in figure.parts)
        order = tuple(need_part(figure, key).id for key in self.order)
        return figure.replace(parts=in_order(parts, order)) if shown else figure

    def _with_new(self, figure: Figure, one: NewPart, stores: Stores) -> Figure:
        height, width = stores.get_pixels(one.picture).shape[:2]
        group = next((group for group in figure.groups if group.name == one.group), None)
        if one.group is not None and group is None:
            group = Group(id=f"g{figure.next_id}", name=one.group)
            figure = figure.replace(groups=(*figure.groups, group), next_id=figure.next_id + 1)
        part = Part(
            id=f"p{figure.next_id}",
            name=free_name(one.name[:76], {part.name for part in figure.parts}),
            group=group.id if group else None,
            drawing=Drawing(picture=one.picture, place=one.place, size=(width, height), split=one.split),
            opacity=one.opacity,
            visible=one.visible,
            blend=one.blend,
            left_out=one.left_out,
        )
        growing = _set_called(figure, part.name)
        parts = list(figure.parts)
        below = need_part(figure, one.in_front_of) if one.in_front_of is not None else None
        parts.insert(parts.index(below) + 1 if below else 0, part)
        figure = figure.replace(parts=tuple(parts), next_id=figure.next_id + 1)
        if growing is None:
            return figure
        return AddToSet(set=growing.id, drawing=part.id).apply(figure, stores)

    def describe(self, figure: Figure) -> str:
        return f"new version of the sheet: {len(self.looks)} changed, {len(self.new)} new"


def _set_called(figure: Figure, name: str) -> Group | None:
    """The set that a part of that name is one more drawing of: all its drawings are called by the first words of it."""
    names = {part.id: part.name for part in figure.parts} | {group.id: group.name for group in figure.groups}
    for group in figure.groups:
        drawn = [names[one.of] for one in group.drawings]
        stem = common_words(drawn)
        if drawn and stem and name.split()[: len(stem)] == stem and len(name.split()) > len(stem):
            return group
    return None


def at_scale(figure: Figure, scale: float | None, stores: Stores) -> Figure:
    """The figure at a scale of its drawing, as it is without one."""
    return figure if scale is None else rescaled(figure, scale / figure.sheet.scale, stores)


@dataclass(frozen=True)
class Cut:
    """A piece of the new sheet: its number from the back and its place in figure space."""

    number: int
    piece: Piece
    place: tuple[float, float]

    @property
    def name(self) -> str:
        return self.piece.name

    @property
    def png(self) -> bytes:
        return self.piece.layer.png

    @property
    def digest(self) -> str:
        return digest_of(self.png)


@dataclass(frozen=True)
class Matching:
    """Which layer of the new sheet is which part: `same` look exactly, `changed`, `new` layers, `missing` parts."""

    same: tuple[tuple[str, Cut], ...]
    changed: tuple[tuple[str, Cut], ...]
    new: tuple[Cut, ...]
    missing: tuple[str, ...]

    def without(self, numbers: set[int]) -> Matching:
        """The matching without new pieces that shall not be taken over."""
        return replace(self, new=tuple(cut for cut in self.new if cut.number not in numbers))

    def told(self, figure: Figure) -> list[str]:
        """The matching in sentences."""
        name = {part.id: part.name for part in figure.parts}
        lists = (
            ("changed", [name[ref] for ref, _ in self.changed]),
            ("new", [cut.name for cut in self.new]),
            ("missing from the sheet and kept", [name[ref] for ref in self.missing]),
        )
        told = [f"{len(self.same)} parts are as they were."]
        return told + [f"{len(names)} {what}: {', '.join(names)}." for what, names in lists if names]


def match_sheet(
    figure: Figure, sheet: ArtSheet, stores: Stores, settled: Mapping[int, str | None] | None = None
) -> Matching:
    """Match the layers of a new sheet with the parts of a figure.

    A sheet at another scale than the figure's is matched with the figure brought to that scale (`at_scale`).
    `settled` says of pieces by their number which part they are, None for a new one; only the others are guessed.
    """
    figure = at_scale(figure, sheet.scale, stores)
    standing = sheet.standing_point or figure.sheet.standing_point
    cuts = []
    for number, piece in enumerate(pieces_of(sheet)):
        x, y = np.subtract(piece.layer.offset, standing)
        cuts.append(Cut(number, piece, (float(x), float(y))))
    settled = settled or {}
    made = {one.part for one in figure.treated("stand_in") if one.made}
    made |= {
        part.id for part in figure.parts if any(isinstance(step, Severed) and step.of for step in part.drawing.remade)
    }
    left = {part.id: drawing_of(part) for part in figure.parts if part.id not in made}  # no illustrator draws those
    pairs = [(ref, cut) for cut in cuts if (ref := settled.get(cut.number)) in left]
    for ref, _ in pairs:
        left.pop(ref, None)
    open_cuts = [cut for cut in cuts if cut.number not in settled]

    def settle(test: Callable[[Part, Cut], float]) -> None:
        for cut in list(open_cuts):
            best = max(left.values(), key=lambda part: test(part, cut), default=None)
            if best is not None and test(best, cut) > 0:
                pairs.append((best.id, cut))
                open_cuts.remove(cut)
                del left[best.id]

    settle(lambda part, cut: float(part.name.casefold() == cut.name.casefold()))
    settle(lambda part, cut: float(part.drawing.picture == cut.digest))
    settle(lambda part, cut: max(_likeness(part, cut, stores) - ALIKE, 0.0))
    parts = {part.id: drawing_of(part) for part in figure.parts}
    same = [(ref, cut) for ref, cut in pairs if _is_same(parts[ref], cut, stores)]
    changed = [pair for pair in pairs if pair not in same]
    taken = {cut.number for _, cut in pairs}
    new = [cut for cut in cuts if cut.number not in taken]
    return Matching(tuple(same), tuple(changed), tuple(new), tuple(left))


def _is_same(part: Part, cut: Cut, stores: Stores) -> bool:
    layer = cut.piece.layer
    if (
        part.drawing.place != cut.place
        or part.drawing.size != layer.size
        or (part.drawing.split is None) != (layer.split is None)
    ):
        return False
    return part.drawing.picture == cut.digest or np.array_equal(stores.get_pixels(part.drawing.picture), layer.pixels)


def _likeness(part: Part, cut: Cut, stores: Stores) -> float:
    """Overlap of the two boxes over their union, times how alike their colours are (histogram intersection)."""
    width, height = cut.piece.layer.size
    (ax, ay), (aw, ah), (bx, by) = part.drawing.place, part.drawing.size, cut.place
    across = min(ax + aw, bx + width) - max(ax, bx)
    down = min(ay + ah, by + height) - max(ay, by)
    if across <= 0 or down <= 0:
        return 0.0
    overlap = across * down / (aw * ah + width * height - across * down)
    mine, theirs = (_colours(one) for one in (stores.get_pixels(part.drawing.picture), cut.piece.layer.pixels))
    return float(overlap * cv2.compareHist(mine, theirs, cv2.HISTCMP_INTERSECT))


def _colours(rgba: NDArray[np.uint8]) -> NDArray[np.float32]:
    """Share of the painted pixels in each of 8 x 8 x 8 colours."""
    painted = (rgba[..., 3] > 127).astype(np.uint8)
    counts = cv2.calcHist([np.ascontiguousarray(rgba[..., :3])], [0, 1, 2], painted, [8] * 3, [0, 256] * 3)
    return np.asarray(counts / max(counts.sum(), 1), np.float32)


def renewal(
    figure: Figure, sheet: ArtSheet, matching: Matching, stores: Stores, from_elsewhere: bool = False
) -> RenewSheet:
    """The edit that takes a matched sheet over; the new pictures are put into the stores. One that shows the figure
    `from_elsewhere` than before says how its parts lie there, and that what it does not show is not seen."""
    looks = tuple(
        NewLook(
            part=ref,
            picture=stores.put_picture(cut.png),
            place=cut.place,
            split=split_of(cut.piece.layer, stores),
        )
        for ref, cut in matching.changed
    )
    part_of = {cut.number: ref for ref, cut in (*matching.same, *matching.changed)}
    new = []
    for cut in matching.new:
        layer, hints = cut.piece.layer, cut.piece.hints
        below = [part_of[number] for number in range(cut.number) if number in part_of]
        new.append(
            NewPart(
                name=cut.name.strip(),
                picture=stores.put_picture(cut.png),
                place=cut.place,
                opacity=layer.opacity,
                visible=layer.visible and not hints.stands_for,
                blend=layer.blend,
                left_out=hints.leave_out,
                split=split_of(layer, stores),
                group=layer.groups[-1][1][:80] if layer.groups else None,
                in_front_of=below[-1] if below else None,
            )
        )
    scale = sheet.scale if sheet.scale != figure.sheet.scale else None
    order: tuple[str, ...] = ()
    if from_elsewhere:
        cuts = (cut for _, cut in (*matching.same, *matching.changed) if cut.piece.layer.visible)
        order = tuple(part_of[number] for number in sorted(cut.number for cut in cuts))
    unseen = matching.missing if from_elsewhere else ()
    return RenewSheet(looks=looks, new=tuple(new), scale=scale, order=order, unseen=unseen)
