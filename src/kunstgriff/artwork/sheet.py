"""The art sheet: layers in their places, as read from any layered format, and the figure made from it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from kunstgriff.artwork.blending import REACHES_PAST, laid, painted_box, premultiplied, straightened
from kunstgriff.artwork.hints import Hints, hints_in
from kunstgriff.artwork.looks import tinted
from kunstgriff.artwork.sets import set_from_kin
from kunstgriff.figure.budget import Budget, budget, drawing_on
from kunstgriff.figure.edit import free_name
from kunstgriff.figure.model import GROUP_LAYERS_LIMIT, Blend, Drawing, Figure, Group, InkFillSplit, Part, Sheet
from kunstgriff.figure.refusal import Refusal
from kunstgriff.figure.stores import Stores, decode_png, encode_png

NOT_A_PART = ", not a part"  # ends the names of layers written for the illustrator; read again they are no parts
FINDINGS_LAYER = f"findings{NOT_A_PART}"
Progress = Callable[[int, int, str], None]
Path = tuple[tuple[int, str], ...]  # (number, name) of the groups around a layer, outermost first
Pixels = NDArray[np.uint8]
Floats32 = NDArray[np.float32]


LAID = 60  # bytes a pixel while two pictures are laid over one another: both, and what comes of them, in floats


class ArtworkRefused(Refusal, ValueError):
    """The artwork cannot be read."""

    code = "artwork-refused"


def no_progress(done: int, total: int, stage: str) -> None:
    """Tell nobody."""


@dataclass(frozen=True)
class Layer:
    """One layer: its painted area as PNG of `size` (w, h), its offset (x, y) on the sheet in px, the groups around it.

    `size` (0, 0) means nothing is painted. `split` holds ink and fill as PNGs of the same size where the drawing has
    them apart. Layers are kept as PNG, since a hundred of them would not fit in memory as pixels.
    """

    name: str
    png: bytes
    size: tuple[int, int]
    offset: tuple[int, int]
    groups: Path = ()
    opacity: float = 1.0
    visible: bool = True
    blend: Blend = "normal"
    split: tuple[bytes, bytes] | None = None

    @staticmethod
    def of(
        name: str,
        pixels: Pixels,
        offset: tuple[int, int] = (0, 0),
        groups: Path = (),
        opacity: float = 1.0,
        visible: bool = True,
        blend: Blend = "normal",
        split: tuple[Pixels, Pixels] | None = None,
    ) -> Layer:
        """A layer from straight-alpha pixels (h, w, 4), cut to what is painted."""
        cut = painted_box(pixels)
        if cut is None:
            return Layer(name, b"", (0, 0), offset, groups, opacity, visible, blend)
        rows, columns = cut
        size = (columns.stop - columns.start, rows.stop - rows.start)
        place = (offset[0] + columns.start, offset[1] + rows.start)
        both = (encode_png(split[0][cut]), encode_png(split[1][cut])) if split else None
        return Layer(name, encode_png(pixels[cut]), size, place, groups, opacity, visible, blend, both)

    @property
    def pixels(self) -> Pixels:
        """Straight-alpha pixels (h, w, 4), decoded anew each time."""
        return decode_png(self.png) if self.png else np.zeros((0, 0, 4), np.uint8)


@dataclass(frozen=True)
class GroupLook:
    """How a group is painted: as opaque as that, blended as a whole, by itself first."""

    opacity: float = 1.0
    blend: Blend = "normal"
    isolated: bool = False


PLAIN = GroupLook()


@dataclass
class ArtSheet:
    """Layers back to front on a sheet of `size` (w, h) px; `notices` are sentences about what was odd.

    `standing_point` (sheet px) is where the figure stands, when the file says so; `looks` tells of groups that are
    not plain; `scale` is px per unit of a drawing of lines.
    """

    size: tuple[int, int]
    layers: list[Layer] = field(default_factory=list)
    notices: list[str] = field(default_factory=list)
    standing_point: tuple[float, float] | None = None
    looks: dict[Path, GroupLook] = field(default_factory=dict)
    scale: float = 1.0


def composite(sheet: ArtSheet) -> Pixels:
    """The sheet as one straight-alpha picture (h, w, 4), groups and blend modes as W3C Compositing defines them."""
    layered = sum(1 for look in sheet.looks.values() if look != PLAIN)
    budget().need(*sheet.size, LAID + 16 * min(layered, GROUP_LAYERS_LIMIT), "The sheet laid together")
    open_groups: list[Path] = []
    floors = [np.zeros((sheet.size[1], sheet.size[0], 4), np.float32)]

    def close() -> None:
        look, top = sheet.looks[open_groups.pop()], floors.pop()
        floors[-1] = laid(look.blend, floors[-1], top * np.float32(look.opacity)).astype(np.float32)

    for layer in sheet.layers:
        if not layer.visible or not layer.png:
            continue
        around = [layer.groups[:depth] for depth in range(1, len(layer.groups) + 1)]
        wanted = [path for path in around if sheet.looks.get(path, PLAIN) != PLAIN]
        while open_groups != wanted[: len(open_groups)]:
            close()
        while len(open_groups) < len(wanted):
            open_groups.append(wanted[len(open_groups)])
            floors.append(np.zeros_like(floors[0]))
        _lay_layer(floors[-1], layer)
    while open_groups:
        close()
    return straightened(floors[0])


def _lay_layer(floor: Floats32, layer: Layer) -> None:
    (x, y), (w, h), (height, width) = layer.offset, layer.size, floor.shape[:2]
    left, top, right, bottom = max(x, 0), max(y, 0), min(x + w, width), min(y + h, height)
    if layer.blend in REACHES_PAST:
        source = np.zeros_like(floor)
        if right > left and bottom > top:
            cut = layer.pixels[top - y : bottom - y, left - x : right - x]
            source[top:bottom, left:right] = premultiplied(cut, layer.opacity)
        floor[:] = laid(layer.blend, floor, source)
    elif right > left and bottom > top:
        source = premultiplied(layer.pixels[top - y : bottom - y, left - x : right - x], layer.opacity)
        floor[top:bottom, left:right] = laid(layer.blend, floor[top:bottom, left:right], source)


@dataclass(frozen=True)
class Piece:
    """A layer that is to become a part, with the hints its name carried."""

    layer: Layer
    hints: Hints

    @property
    def name(self) -> str:
        return self.hints.name[:76] or "part"


def _hinted(layer: Layer) -> Hints:
    """The hints a layer's name carries; a folder that is left out leaves out all in it."""
    hints = hints_in(layer.name)
    return replace(hints, leave_out=True) if any(hints_in(name).leave_out for _, name in layer.groups) else hints


def pieces_of(sheet: ArtSheet) -> list[Piece]:
    """Painted layers back to front, hints taken out of their names, ink and fill of one part laid together.

    Appends to `sheet.notices` what was left out or could not be paired.
    """
    pieces, halves = [], dict[tuple[str, str], Layer]()
    read = [(layer, _hinted(layer)) for layer in sheet.layers]
    for layer, hints in read:
        if layer.name.endswith(NOT_A_PART):
            continue
        if not layer.png:
            sheet.notices.append(f"Layer “{layer.name}” is empty and was left out.")
        elif hints.half:
            halves[hints.half, hints.name.casefold()] = layer
    done = set[str]()
    for layer, hints in read:
        if not layer.png or hints.name.casefold() in done or layer.name.endswith(NOT_A_PART):
            continue
        ink, fill = (halves.get((half, hints.name.casefold())) for half in ("ink", "fill"))
        if hints.half and ink and fill:
            done.add(hints.name.casefold())
            with drawing_on(Budget(ArtworkRefused)):
                pieces.append(Piece(ink_over_fill(ink, fill, hints.name), hints))
            continue
        if hints.half:
            other = "fill" if hints.half == "ink" else "ink"
            sheet.notices.append(f"“{layer.name}” has no layer “{other} of {hints.name}” beside it.")
        pieces.append(Piece(layer, hints))
    return pieces


def ink_over_fill(ink: Layer, fill: Layer, name: str) -> Layer:
    """One layer of two that hold a part's ink and its fill."""
    left, top = min(ink.offset[0], fill.offset[0]), min(ink.offset[1], fill.offset[1])
    right, bottom = (max(ink.offset[axis] + ink.size[axis], fill.offset[axis] + fill.size[axis]) for axis in (0, 1))
    budget().need(right - left, bottom - top, LAID, f"“{name[:80]}”, whose ink and fill lie so far apart,")
    both = []
    for half in (fill, ink):
        floor = np.zeros((bottom - top, right - left, 4), np.float32)
        x, y = half.offset[0] - left, half.offset[1] - top
        floor[y : y + half.size[1], x : x + half.size[0]] = premultiplied(half.pixels, half.opacity)
        both.append(floor)
    whole = straightened(laid("normal", both[0], both[1]))
    split = (straightened(both[1]), straightened(both[0]))
    return Layer.of(name, whole, (left, top), fill.groups, 1.0, ink.visible and fill.visible, fill.blend, split)


def figure_from_sheet(sheet: ArtSheet, name: str, stores: Stores, progress: Progress = no_progress) -> Figure:
    """A figure with one part per painted layer.

    It stands where the sheet says, or else at the middle of the lowest painted edge.

    Appends to `sheet.notices` what had to be changed. Raises ArtworkRefused when nothing at all is painted.
    """
    pieces = pieces_of(sheet)
    if not pieces:
        raise ArtworkRefused("No layer of this picture has anything painted on it.")
    standing_point = sheet.standing_point or _standing_point(sheet, pieces)
    next_id = 1
    groups: dict[Path, Group] = {}
    parts: list[Part] = []
    taken: set[str] = set()
    for number, piece in enumerate(pieces):
        progress(number, len(pieces), "keeping the pictures")
        layer = piece.layer
        for depth in range(1, len(layer.groups) + 1):
            path = layer.groups[:depth]
            if path not in groups:
                outer = groups[path[:-1]].id if depth > 1 else None
                look = sheet.looks.get(path, PLAIN)
                groups[path] = Group(
                    id=f"g{next_id}",
                    name=hints_in(path[-1][1]).name[:80] or "group",
                    parent=outer,
                    opacity=look.opacity,
                    blend=look.blend,
                    isolated=look.isolated,
                )
                next_id += 1
        part_name = free_name(piece.name, taken)
        if part_name != piece.name:
            sheet.notices.append(f"Two layers are called “{piece.name}”; one is now “{part_name}”.")
        taken.add(part_name)
        parts.append(
            Part(
                id=f"p{next_id}",
                name=part_name,
                group=groups[layer.groups].id if layer.groups else None,
                drawing=Drawing(
                    picture=stores.put_picture(layer.png),
                    place=(layer.offset[0] - standing_point[0], layer.offset[1] - standing_point[1]),
                    size=layer.size,
                    split=split_of(layer, stores),
                ),
                opacity=layer.opacity,
                visible=layer.visible and not piece.hints.stands_for,
                blend=layer.blend,
                left_out=piece.hints.leave_out,
            )
        )
        next_id += 1
    figure = Figure(
        name=name[:80],
        sheet=Sheet(width=sheet.size[0], height=sheet.size[1], standing_point=standing_point, scale=sheet.scale),
        next_id=next_id,
        groups=tuple(groups.values()),
        parts=tuple(_with_kin(parts, pieces, sheet.notices)),
    )
    return set_from_kin(figure, stores)


def layer_of_part(part: Part, corner: tuple[float, float], stores: Stores) -> Layer:
    """A part as a layer of a sheet whose top left is `corner` (figure space): its very picture, its tint painted in."""
    png = stores.get_picture(part.drawing.picture)
    if part.tint is not None:
        png = encode_png(tinted(decode_png(png), part.tint))
    offset = (round(part.drawing.place[0] - corner[0]), round(part.drawing.place[1] - corner[1]))
    return Layer(part.name, png, part.drawing.size, offset, (), part.opacity, part.visible, part.blend)


def split_of(layer: Layer, stores: Stores) -> InkFillSplit | None:
    """A layer's ink and fill put into the stores."""
    if layer.split is None:
        return None
    return InkFillSplit(ink_picture=stores.put_picture(layer.split[0]), fill_picture=stores.put_picture(layer.split[1]))


def _with_kin(parts: list[Part], pieces: list[Piece], notices: list[str]) -> list[Part]:
    """Parts that stand for another (alternates, facings) told which."""
    by_name = {part.name.casefold(): part.id for part in parts}
    found = []
    for part, piece in zip(parts, pieces, strict=True):
        for field_name in ("alternate_of", "facing_of"):
            wanted = getattr(piece.hints, field_name)
            if wanted and by_name.get(wanted.casefold()) not in (None, part.id):
                part = part.model_copy(update={field_name: by_name[wanted.casefold()]})
            elif wanted:
                notices.append(f"“{piece.layer.name}” stands for “{wanted}”, which is not on the sheet.")
        found.append(part)
    return found


def _standing_point(sheet: ArtSheet, pieces: list[Piece]) -> tuple[float, float]:
    """Middle of the sheet's painted width, at its lowest painted row."""
    shown = [piece.layer for piece in pieces if piece.layer.visible] or [piece.layer for piece in pieces]
    left = min(layer.offset[0] for layer in shown)
    right = max(layer.offset[0] + layer.size[0] for layer in shown)
    bottom = max(layer.offset[1] + layer.size[1] for layer in shown)
    return float((left + right) // 2), float(min(bottom, sheet.size[1]))
