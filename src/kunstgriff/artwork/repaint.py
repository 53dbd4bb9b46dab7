"""Painting on a part with its own fill and ink: a new outline, filled from inside, its line drawn anew."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from kunstgriff.artwork.blending import painted_box
from kunstgriff.artwork.ink import Floats, InkSplit, Pixels, carried_on, drawing_width, edge_depth, fine_depth, part_ink
from kunstgriff.figure.budget import budget
from kunstgriff.figure.edit import EditRefused
from kunstgriff.figure.model import Figure, Part, Point
from kunstgriff.figure.renewal import redrawn
from kunstgriff.figure.stores import Stores, encode_png

WORKED = 60  # bytes a pixel while a part is told into ink and fill and painted anew
ROOM = 40  # px around what is painted anew in which its edge is looked for: deeper than lines are wide
CLOSED = 0.5  # share of an edge that must have ink for it to have a line


@dataclass(frozen=True)
class Easel:
    """A part's picture (h, w, 4) with `room` px of empty sheet around it, told into ink and fill."""

    rgba: Pixels
    split: InkSplit
    room: int

    @staticmethod
    def of(part: Part, stores: Stores, room: int = 0) -> Easel:
        budget().need(part.drawing.size[0] + 2 * room, part.drawing.size[1] + 2 * room, WORKED, f"“{part.name}”")
        rgba = stores.get_pixels(part.drawing.picture)
        split = part_ink(part, stores)
        edge = ((room, room), (room, room))
        wide = InkSplit(
            np.pad(split.coverage, edge),
            np.pad(split.fill, (*edge, (0, 0))),
            np.pad(split.depth, edge),
            split.line_width,
        )
        return Easel(np.pad(rgba, (*edge, (0, 0))), wide, room)

    @property
    def grid(self) -> tuple[Floats, Floats]:
        """x (1, w) and y (h, 1) of the pixels' middles, px of the part's own picture."""
        height, width = self.rgba.shape[:2]
        x = np.arange(width, dtype=np.float32)[None] + np.float32(0.5 - self.room)
        return x, np.arange(height, dtype=np.float32)[:, None] + np.float32(0.5 - self.room)

    @property
    def ink_colour(self) -> Floats:
        """Mean colour of what is wholly ink."""
        ink = (self.split.at_edge > 0.9) & (self.rgba[..., 3] > 250)
        return np.asarray(self.rgba[ink][:, :3].mean(0) if ink.any() else np.zeros(3), np.float32)

    def is_inked(self, where: NDArray[np.bool_]) -> bool:
        """Whether the part's edge has a line there (h, w), so that it shall have one along a new edge, too."""
        edge = (self.split.depth > 0.5) & (self.split.depth < 2) & where
        return bool(edge.any() and self.split.coverage[edge].mean() > CLOSED)


def reshaped(easel: Easel, alpha: Floats, zone: NDArray[np.bool_], inked: NDArray[np.bool_] | bool) -> Pixels:
    """The picture with another `alpha` (h, w, in [0, 1]), painted anew inside `zone` (h, w).

    New area takes the fill next to it, mirrored, so that its grain and shading go on. The old line across it goes, and
    where `inked` a line as wide as the part's runs along the new edge.
    """
    rgba, split = easel.rgba, easel.split
    shape = np.dstack([rgba[..., :3], np.rint(alpha * 255).astype(np.uint8)])
    depth, width = _depth_within(zone, alpha, shape), split.line_width
    fill = _fill_of(rgba, split)
    line = np.clip(drawing_width(split) + 1 - depth, 0, 1) * (width > 0)
    beyond = np.clip(depth - width, 0, 1) if width else np.float32(0)  # how far inside the new line's inner edge
    old = split.coverage - split.at_edge * beyond
    coverage = np.where(zone, np.where(inked, np.maximum(line, old), old), split.coverage)
    known = zone[..., None] | (rgba[..., 3:] == 0)
    painted = fill * (1 - coverage[..., None]) + easel.ink_colour * coverage[..., None]
    colour = np.where(known, painted, rgba[..., :3])
    shape[..., :3] = np.rint(colour)
    return shape


def _depth_within(zone: NDArray[np.bool_], alpha: Floats, shape: Pixels) -> Floats:
    """How deep each pixel of the new shape lies (h, w), told between pixels where a line may be drawn."""
    depth = edge_depth(shape)
    rows, columns = np.flatnonzero(zone.any(1)), np.flatnonzero(zone.any(0))
    if len(rows):
        where = np.s_[max(rows[0] - ROOM, 0) : rows[-1] + 1 + ROOM, max(columns[0] - ROOM, 0) : columns[-1] + 1 + ROOM]
        depth[where] = np.where(zone[where], fine_depth(alpha[where]), depth[where])
    return depth


def _fill_of(rgba: Pixels, split: InkSplit) -> Pixels:
    """The part's fill carried on over everything, from what is wholly fill."""
    core = (split.coverage < 0.01) & (rgba[..., 3] > 250)
    if not core.any():
        core = rgba[..., 3] > 0
    return carried_on(split.fill, core)


def with_picture(figure: Figure, part: Part, pixels: Pixels, room: int, stores: Stores) -> Figure:
    """The figure with a part repainted; what was made from the old picture is made anew. `pixels` are cut to what is
    painted. Raises EditRefused when nothing is left."""
    return redrawn(figure, repainted(part, pixels, room, stores), stores)


def redrawn_by_us(figure: Figure, after: Part, stores: Stores) -> Figure:
    """The figure with a part redrawn by ourselves: what was bound by the drawing still fits, however far the outline
    went, so that is no finding."""
    figure = redrawn(figure, after, stores)
    kept = tuple(
        one.model_copy(update={"shifted": after.shifted}) if one.id == after.id else one for one in figure.parts
    )
    return figure.replace(parts=kept)


def repainted(part: Part, pixels: Pixels, room: int, stores: Stores) -> Part:
    """A part with other `pixels`, which have `room` px around its picture, cut to what is painted. Raises EditRefused
    when nothing is left."""
    cut = painted_box(pixels)
    if cut is None:
        raise EditRefused(f"Nothing of “{part.name}” would be left.")
    rows, columns = cut
    return looking(
        part,
        stores.put_picture(encode_png(pixels[cut])),
        (part.drawing.place[0] + columns.start - room, part.drawing.place[1] + rows.start - room),
        (columns.stop - columns.start, rows.stop - rows.start),
    )


def looking(part: Part, picture: str, place: Point, size: tuple[int, int]) -> Part:
    """A part with another picture at another place; the drawing that it was remade from stays where it lay."""
    remade = part.drawing.remade
    if remade:
        x, y = remade[-1].offset
        lay = part.drawing.place
        last = remade[-1].model_copy(update={"offset": (x + lay[0] - place[0], y + lay[1] - place[1])})
        remade = (*remade[:-1], last)
    return part.with_drawing(picture=picture, place=place, size=size, split=None, remade=remade)
