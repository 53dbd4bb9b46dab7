"""The art sheet: layers in their places, as read from any layered format, and the figure made from it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from kunstgriff.figure.edit import free_name
from kunstgriff.figure.model import Figure, Group, Part, Sheet
from kunstgriff.figure.stores import Stores, encode_png

Progress = Callable[[int, int, str], None]


class ArtworkRefused(ValueError):
    """The artwork cannot be read; the message is a sentence."""


def no_progress(done: int, total: int, stage: str) -> None:
    """Tell nobody."""


@dataclass(frozen=True)
class Layer:
    """One layer: straight-alpha pixels (h, w, 4) uint8, offset (x, y) on the sheet in px, path of group names."""

    name: str
    pixels: NDArray[np.uint8]
    offset: tuple[int, int]
    groups: tuple[tuple[int, str], ...] = ()
    opacity: float = 1.0
    visible: bool = True


@dataclass
class ArtSheet:
    """Layers back to front on a sheet of `size` (w, h) px; `notices` are sentences about what was odd.

    `standing_point` (sheet px) is where the figure stands, when the file says so.
    """

    size: tuple[int, int]
    layers: list[Layer] = field(default_factory=list)
    notices: list[str] = field(default_factory=list)
    standing_point: tuple[float, float] | None = None


def composite(sheet: ArtSheet) -> NDArray[np.uint8]:
    """The sheet as one straight-alpha picture (h, w, 4): visible layers, source-over (Porter & Duff 1984)."""
    width, height = sheet.size
    over = np.zeros((height, width, 4), np.float32)  # premultiplied
    for layer in sheet.layers:
        if not layer.visible:
            continue
        x, y = layer.offset
        h, w = layer.pixels.shape[:2]
        left, top, right, bottom = max(x, 0), max(y, 0), min(x + w, width), min(y + h, height)
        if right <= left or bottom <= top:
            continue
        source = layer.pixels[top - y : bottom - y, left - x : right - x].astype(np.float32) / 255
        source[..., 3] *= layer.opacity
        source[..., :3] *= source[..., 3:]
        under = over[top:bottom, left:right]
        under *= 1 - source[..., 3:]
        under += source
    alpha = over[..., 3:]
    over[..., :3] = np.divide(over[..., :3], alpha, out=np.zeros_like(over[..., :3]), where=alpha > 0)
    return np.asarray(np.rint(over * 255), np.uint8)


def trimmed(pixels: NDArray[np.uint8]) -> tuple[NDArray[np.uint8], tuple[int, int]] | None:
    """The pixels cut to where alpha is above 0, and the cut's (x, y); None where nothing is painted."""
    alpha = pixels[..., 3] > 0
    rows, columns = np.flatnonzero(alpha.any(1)), np.flatnonzero(alpha.any(0))
    if not rows.size:
        return None
    cut = pixels[rows[0] : rows[-1] + 1, columns[0] : columns[-1] + 1]
    return cut, (int(columns[0]), int(rows[0]))


def figure_from_sheet(sheet: ArtSheet, name: str, stores: Stores, progress: Progress = no_progress) -> Figure:
    """A figure with one part per painted layer.

    It stands where the sheet says, or else at the middle of the lowest painted edge.

    Appends to `sheet.notices` what had to be changed. Raises ArtworkRefused when nothing at all is painted.
    """
    cuts = []
    for number, layer in enumerate(sheet.layers):
        progress(number, len(sheet.layers), "cutting out the parts")
        cut = trimmed(layer.pixels)
        if cut is None:
            sheet.notices.append(f"Layer “{layer.name}” is empty and was left out.")
            continue
        cuts.append((layer, cut[0], (layer.offset[0] + cut[1][0], layer.offset[1] + cut[1][1])))
    if not cuts:
        raise ArtworkRefused("No layer of this picture has anything painted on it.")
    standing_point = sheet.standing_point or _standing_point(sheet, cuts)
    next_id = 1
    groups: dict[tuple[tuple[int, str], ...], Group] = {}
    parts: list[Part] = []
    taken: set[str] = set()
    for number, (layer, pixels, (x, y)) in enumerate(cuts):
        progress(number, len(cuts), "keeping the pictures")
        for depth in range(1, len(layer.groups) + 1):
            path = layer.groups[:depth]
            if path not in groups:
                outer = groups[path[:-1]].id if depth > 1 else None
                groups[path] = Group(id=f"g{next_id}", name=path[-1][1][:80] or "group", parent=outer)
                next_id += 1
        wanted = layer.name.strip()[:76] or "part"
        part_name = free_name(wanted, taken)
        if part_name != wanted:
            sheet.notices.append(f"Two layers are called “{wanted}”; one is now “{part_name}”.")
        taken.add(part_name)
        parts.append(
            Part(
                id=f"p{next_id}",
                name=part_name,
                group=groups[layer.groups].id if layer.groups else None,
                picture=stores.put_picture(encode_png(pixels)),
                place=(x - standing_point[0], y - standing_point[1]),
                size=(pixels.shape[1], pixels.shape[0]),
                opacity=layer.opacity,
                visible=layer.visible,
            )
        )
        next_id += 1
    return Figure(
        name=name[:80],
        sheet=Sheet(width=sheet.size[0], height=sheet.size[1], standing_point=standing_point),
        next_id=next_id,
        groups=tuple(groups.values()),
        parts=tuple(parts),
    )


def _standing_point(
    sheet: ArtSheet, cuts: list[tuple[Layer, NDArray[np.uint8], tuple[int, int]]]
) -> tuple[float, float]:
    """Middle of the sheet's painted width, at its lowest painted row."""
    shown = [cut for cut in cuts if cut[0].visible] or cuts
    left = min(x for _, _, (x, _) in shown)
    right = max(x + pixels.shape[1] for _, pixels, (x, _) in shown)
    bottom = max(y + pixels.shape[0] for _, pixels, (_, y) in shown)
    return float((left + right) // 2), float(min(bottom, sheet.size[1]))
