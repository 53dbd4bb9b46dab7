"""Drawings that come to a set: one more picture, perhaps drawn over the posed figure, set up as the others are; and
what is wrong between the drawings of a set."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from kunstgriff.artwork.blending import painted_box
from kunstgriff.artwork.sets import AddToSet, need_set
from kunstgriff.binding.copying import SetUpAlike
from kunstgriff.binding.unposing import unposed
from kunstgriff.evaluate.state import compile_rig
from kunstgriff.figure.edit import Edit, EditRefused, free_name, need_group, need_part
from kunstgriff.figure.findings import Finding, Remedy, meant
from kunstgriff.figure.model import Digest, Drawing, Figure, Group, Name, Part, Rider, Unbound
from kunstgriff.figure.pose import parse_pose
from kunstgriff.figure.sets import parts_of_drawing
from kunstgriff.figure.stores import Missing, Stores, encode_png

JUMPS = 0.5  # of the smaller side of the first drawing by which the middle of another may lie elsewhere

Pixels = NDArray[np.uint8]


class AddDrawing(Edit):
    """Make a picture (already in the stores) one more drawing of a set, as a part right in front of the first.

    It is bound as `like` is, the set's first unless another is named, with its treatments and warps. One as large as
    the sheet lies as it lies on it; another one about the middle of the first drawing. One that was drawn over the
    figure in a `pose`, on a picture as large as the sheet, is brought back to how it lies at rest.
    """

    kind: Literal["add_drawing"] = "add_drawing"
    set: str
    picture: Digest
    name: Name
    like: str | None = None
    pose: dict[str, Any] | None = None

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        group = need_set(figure, self.set)
        first = parts_of_drawing(figure, group.drawings[0].of)
        like = need_part(figure, self.like) if self.like is not None else (first[0] if len(first) == 1 else None)
        try:
            pixels = stores.get_pixels(self.picture)
        except ValueError as error:
            raise EditRefused(str(error)) from error
        cut, place = self._laid(figure, first, like, pixels, stores)
        part = Part(
            id=f"p{figure.next_id}",
            name=free_name(self.name, {part.name for part in figure.parts}),
            group=group.id,
            drawing=Drawing(
                picture=stores.put_picture(encode_png(cut)), place=place, size=(cut.shape[1], cut.shape[0])
            ),
        )
        at = 1 + max(figure.parts.index(part) for part in first)
        figure = figure.replace(parts=(*figure.parts[:at], part, *figure.parts[at:]), next_id=figure.next_id + 1)
        figure = AddToSet(set=group.id, drawing=part.id).apply(figure, stores)
        if like is None or isinstance(like.binding, Unbound):
            return figure
        return SetUpAlike(like=like.id, drawings=(part.id,)).apply(figure, stores)

    def _laid(
        self, figure: Figure, first: tuple[Part, ...], like: Part | None, pixels: Pixels, stores: Stores
    ) -> tuple[Pixels, tuple[float, float]]:
        """What is painted of the picture, and where it lies at rest."""
        corner = (-figure.sheet.standing_point[0], -figure.sheet.standing_point[1])
        of_sheet = pixels.shape[:2] == (figure.sheet.height, figure.sheet.width)
        if self.pose is not None:
            if like is None:
                raise EditRefused("Say over which part it was drawn; the set's first drawing is made of several.")
            if not of_sheet:
                wanted = f"{figure.sheet.width} x {figure.sheet.height}"
                raise EditRefused(f"What is drawn over a pose is as large as the sheet, {wanted} px.")
            pose = parse_pose(self.pose).by_id(figure)
            pixels, corner = unposed(figure, compile_rig(figure, stores), like, pose, pixels, corner)
            of_sheet = True
        box = painted_box(pixels)
        if box is None:
            raise EditRefused("Nothing is painted on this picture.")
        rows, columns = box
        place = np.array([columns.start, rows.start]) + corner
        if not of_sheet:
            size = (columns.stop - columns.start, rows.stop - rows.start)
            low = np.min([part.drawing.place for part in first], 0)
            high = np.max([np.add(part.drawing.place, part.drawing.size) for part in first], 0)
            place = np.round((low + high - size) / 2)
        return np.ascontiguousarray(pixels[box]), (float(place[0]), float(place[1]))

    def describe(self, figure: Figure) -> str:
        return f"{self.name} into {need_group(figure, self.set).name}"


def bound_otherwise(figure: Figure, stores: Stores) -> Iterator[Finding]:
    """Drawings of sets that follow something else than the first of their set does."""
    names = {bone.id: bone.name for bone in figure.bones} | {part.id: part.name for part in figure.parts}
    for group in figure.groups:
        drawn = [figure.part(one.of) for one in group.drawings]
        like = drawn[0] if drawn else None
        if like is None or isinstance(like.binding, Unbound):
            continue
        for part in drawn[1:]:
            key = f"set-bound:{part.id if part else ''}"
            if part is None or _followed(part) == _followed(like) or key in figure.accepted:
                continue
            now = " and ".join(names[ref] for ref in sorted(_followed(part))) or "nothing"
            should = " and ".join(names[ref] for ref in sorted(_followed(like)))
            yield Finding(
                key=key,
                stage="binding",
                sentence=f"“{part.name}” follows {now}, “{like.name}”, the first of the set “{group.name}”, {should}.",
                weight=0.4,
                parts=(part.id, like.id),
                remedies=(
                    Remedy(
                        word="Set it up like that",
                        edit={"kind": "set_up_alike", "like": like.id, "drawings": [part.id]},
                    ),
                    meant(key),
                ),
            )


def jumping_drawings(figure: Figure, stores: Stores) -> Iterator[Finding]:
    """Drawings of sets that jump when they are swapped: what is painted lies elsewhere than the first."""
    for group in figure.groups:
        first = _middle(figure, group, 0, stores)
        if first is None:
            continue
        for place, drawing in enumerate(group.drawings[1:], 1):
            other = _middle(figure, group, place, stores)
            key = f"set-jump:{group.id}:{drawing.number}"
            if other is None or key in figure.accepted:
                continue
            by = float(np.hypot(*np.subtract(other[0], first[0])))
            if by <= JUMPS * first[1]:
                continue
            parts = parts_of_drawing(figure, drawing.of)
            yield Finding(
                key=key,
                stage="binding",
                sentence=f"“{parts[0].name}” jumps {by:.0f} px when it is swapped for the first of “{group.name}”.",
                weight=0.35,
                parts=tuple(part.id for part in parts),
                remedies=(meant(key),),
            )


def _followed(part: Part) -> frozenset[str]:
    return frozenset((part.binding.carrier,) if isinstance(part.binding, Rider) else part.followed)


def _middle(figure: Figure, group: Group, place: int, stores: Stores) -> tuple[tuple[float, float], float] | None:
    """The middle of what a drawing of a set has painted, and its smaller side in px; None where it has none."""
    if not group.drawings:
        return None
    boxes = []
    for part in parts_of_drawing(figure, group.drawings[place].of):
        try:
            box = painted_box(stores.get_pixels(part.drawing.picture))
        except Missing:
            box = None
        if box is not None:
            rows, columns = box
            boxes.append((part.drawing.place[0] + columns.start, part.drawing.place[1] + rows.start,
                          part.drawing.place[0] + columns.stop, part.drawing.place[1] + rows.stop))  # fmt: skip
    if not boxes:
        return None
    (left, top), (right, bottom) = np.min(boxes, 0)[:2], np.max(boxes, 0)[2:]
    return (float(left + right) / 2, float(top + bottom) / 2), float(min(right - left, bottom - top))
