"""Edits that mend a part's picture: caps, growing underneath, holes, strays, soft edges, the line."""

from __future__ import annotations

from typing import Annotated, Any, Literal

import cv2
import numpy as np
from numpy.typing import NDArray
from pydantic import Field
from shapely.geometry import Polygon

from kunstgriff.artwork.edits import each_part
from kunstgriff.artwork.ends import END, TURNS, RoundEnd
from kunstgriff.artwork.facts import HOLE, ISLAND, facts_of, is_stray
from kunstgriff.artwork.ink import Floats, Pixels
from kunstgriff.artwork.limbs import half_width
from kunstgriff.artwork.meetings import suggested_pivot
from kunstgriff.artwork.outline import part_alpha, part_outline, part_solid
from kunstgriff.artwork.repaint import Easel, repainted, reshaped, with_picture
from kunstgriff.figure.edit import Edit, EditRefused, PartKeys, free_name, need_part, these
from kunstgriff.figure.model import Figure, Part, Point, Unbound
from kunstgriff.figure.renewal import redrawn
from kunstgriff.figure.stores import Stores

CRUMB = 0.02  # of the largest piece under which one that a repaint cuts off is no piece of its own
Length = Annotated[float, Field(gt=0, le=2_000)]


def _without_crumbs(alpha: NDArray[Any], old: NDArray[Any]) -> Floats:
    """A new alpha (h, w) without the small islands it has that were part of something larger before."""
    _, labels, sizes, _ = cv2.connectedComponentsWithStats((alpha > 0).astype(np.uint8))
    _, before, earlier, _ = cv2.connectedComponentsWithStats((old > 0).astype(np.uint8))
    gone = np.zeros(alpha.shape, bool)
    for number in np.flatnonzero(sizes[:, cv2.CC_STAT_AREA] < CRUMB * sizes[1:, cv2.CC_STAT_AREA].max(initial=0)):
        here = labels == number
        if number and earlier[before[here].max(), cv2.CC_STAT_AREA] > sizes[number, cv2.CC_STAT_AREA]:
            gone |= here
    return np.asarray(np.where(gone, 0, alpha), np.float32)


def with_cap(
    part: Part,
    pivot: Point,
    radius: float | None,
    stores: Stores,
    turns: tuple[float, float] = TURNS,
    closed: bool | None = None,
    widens: float | None = None,
) -> Part:
    """A part with a round end about a pivot (figure space), from its own fill and ink.

    Without `radius` it is as wide as the part is there; to one of another radius it `widens` over so many px;
    `turns` as `RoundEnd` has them. `closed` ends have the part's
    line; left out, they have it where the old end had. Raises EditRefused where the pivot lies outside the part.
    """
    outline = part_solid(part, stores)
    at = (pivot[0] - part.drawing.place[0], pivot[1] - part.drawing.place[1])
    if (radius or half_width(outline, at)) < 2:
        raise EditRefused(f"The pivot of “{part.name}” lies outside of what is painted.")
    end = RoundEnd.of(outline, at, radius, turns, widens)
    widest = max(end.left, end.right)
    room = int(np.ceil(max(-at[0], -at[1], at[0] - part.drawing.size[0], at[1] - part.drawing.size[1], 0) + widest)) + 2
    easel = Easel.of(part, stores, room)
    along, aside = end.local(*easel.grid)
    off = np.hypot(along, aside - np.float32((end.left - end.right) / 2))
    gone = (along < 0) & (off < END * end.half)
    old = easel.rgba[..., 3] / np.float32(255)
    closed = easel.is_inked(gone) if closed is None else closed
    # an open end must not cover the line of the piece it runs into
    made = end.covers(*easel.grid, 0 if closed else easel.split.line_width)
    alpha = _without_crumbs(np.asarray(np.where(gone, made, np.maximum(old, made)), np.float32), old)
    zone = gone | (made > 0) | (off < end.half)  # the old line across the end lies in front of the pivot, too
    return repainted(part, reshaped(easel, alpha, zone, closed & (along < end.inner)), room, stores)


class MakeCap(Edit):
    """Paint a round end about a part's pivot, from its own fill and ink.

    Without `pivot` the part's own or the suggested one is taken, and becomes its own; without `radius` half the part's
    width there. The old end's line across the joint goes; where the end was closed, the line runs around the cap.
    """

    kind: Literal["make_cap"] = "make_cap"
    part: str
    pivot: Point | None = None
    radius: Length | None = None

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        part = need_part(figure, self.part)
        pivot = self.pivot or part.drawing.pivot or suggested_pivot(figure, part, stores)
        if pivot is None:
            raise EditRefused(f"Say where “{part.name}” turns first: set its pivot.")
        capped = with_cap(part, pivot, self.radius, stores)
        return redrawn(figure, capped.with_drawing(pivot=(round(pivot[0], 1), round(pivot[1], 1))), stores)

    def describe(self, figure: Figure) -> str:
        return f"make the cap of {need_part(figure, self.part).name}"


class GrowUnder(Edit):
    """Grow a part underneath a neighbour by so many px, with its own fill, its line drawn anew along the new edge."""

    kind: Literal["grow_under"] = "grow_under"
    part: str
    neighbour: str
    by: Length

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        part, neighbour = need_part(figure, self.part), need_part(figure, self.neighbour)
        room = int(np.ceil(self.by)) + 2
        easel = Easel.of(part, stores, room)
        # up to the neighbour's very edge, or a slit is left at the outline when it turns; by this share of its alpha
        # both together are seen through at no other pixel than the neighbour alone
        hidden = np.clip(_laid_into(easel, part, neighbour, stores) / np.float32(127.5) - 1, 0, 1)
        old = easel.rgba[..., 3] / np.float32(255)
        away = cv2.distanceTransform((old < 0.5).astype(np.uint8), cv2.DIST_L2, 5)
        grown = np.clip(self.by - away + 0.5, 0, 1) * hidden
        alpha = np.maximum(old, grown)
        new = (grown > old + 0.02).astype(np.uint8)
        if not new.any():
            raise EditRefused(f"“{part.name}” reaches under “{neighbour.name}” already, or does not touch it.")
        reach = 2 * round(easel.split.line_width) + 5
        near_new = cv2.dilate(new, np.ones((reach, reach), np.uint8)) > 0
        pixels = reshaped(easel, alpha, near_new, easel.is_inked(near_new))
        return with_picture(figure, part, pixels, room, stores)

    def describe(self, figure: Figure) -> str:
        return f"grow {need_part(figure, self.part).name} underneath {need_part(figure, self.neighbour).name}"


def _laid_into(easel: Easel, part: Part, neighbour: Part, stores: Stores) -> Pixels:
    """The neighbour's alpha where it lies on the easel (h, w)."""
    alpha = part_alpha(neighbour, stores)
    shift = np.subtract(neighbour.drawing.place, part.drawing.place) + easel.room
    height, width = easel.rgba.shape[:2]
    moved = np.array([[1, 0, shift[0]], [0, 1, shift[1]]], np.float32)
    return np.asarray(cv2.warpAffine(alpha, moved, (width, height)), np.uint8)


class FillHoles(Edit):
    """Fill the holes of parts with their own fill."""

    kind: Literal["fill_holes"] = "fill_holes"
    parts: PartKeys

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        return each_part(figure, self.parts, self._filled, stores)

    def _filled(self, figure: Figure, part: Part, stores: Stores) -> Figure:
        outline = part_outline(part, stores)
        holes = [Polygon(ring) for one in outline.geoms for ring in one.interiors]
        inside = _mask([one for one in holes if one.area > HOLE * outline.area], part)
        if not inside.any():
            raise EditRefused(f"“{part.name}” has no hole worth filling.")
        easel = Easel.of(part, stores)
        wide = cv2.dilate(inside, np.ones((5, 5), np.uint8)) > 0
        reach = 2 * round(1.5 * easel.split.line_width) + 5
        zone = cv2.dilate(inside, np.ones((reach, reach), np.uint8)) > 0
        alpha = np.where(wide, 1, easel.rgba[..., 3] / np.float32(255)).astype(np.float32)
        return with_picture(figure, part, reshaped(easel, alpha, zone, False), 0, stores)

    def describe(self, figure: Figure) -> str:
        return f"fill holes of {these(figure, self.parts)}"


class EraseStrays(Edit):
    """Erase the few stray pixels that lie away from the rest of a part."""

    kind: Literal["erase_strays"] = "erase_strays"
    parts: PartKeys

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        return each_part(figure, self.parts, self._erased, stores)

    def _erased(self, figure: Figure, part: Part, stores: Stores) -> Figure:
        outline = part_outline(part, stores)
        main = max(outline.geoms, key=lambda one: one.area)
        kept = [one for one in outline.geoms if one is main or not is_stray(one, main, outline.area)]
        near = cv2.dilate(_mask(kept, part), np.ones((7, 7), np.uint8)) > 0
        pixels = stores.get_pixels(part.drawing.picture).copy()
        if near[pixels[..., 3] > 0].all():
            raise EditRefused(f"“{part.name}” has no stray pixels.")
        pixels[~near] = 0
        return with_picture(figure, part, pixels, 0, stores)

    def describe(self, figure: Figure) -> str:
        return f"erase strays of {these(figure, self.parts)}"


class HardenEdges(Edit):
    """Make soft edges about a pixel wide, where they were half see-through."""

    kind: Literal["harden_edges"] = "harden_edges"
    parts: PartKeys

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        return each_part(figure, self.parts, self._hardened, stores)

    def _hardened(self, figure: Figure, part: Part, stores: Stores) -> Figure:
        pixels = stores.get_pixels(part.drawing.picture).copy()
        steeper = max(facts_of(part, stores).softness, 1.0)
        alpha = np.clip((pixels[..., 3] / 255 - 0.5) * steeper * 2 + 0.5, 0, 1)
        pixels[..., 3] = np.rint(alpha * 255)
        return with_picture(figure, part, pixels, 0, stores)

    def describe(self, figure: Figure) -> str:
        return f"harden the edge of {these(figure, self.parts)}"


class RedrawLine(Edit):
    """Draw the line along a part's edge anew, so many px wide, where it has one."""

    kind: Literal["redraw_line"] = "redraw_line"
    part: str
    width: Annotated[float, Field(ge=0.5, le=60)]

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        part = need_part(figure, self.part)
        easel = Easel.of(part, stores)
        split = easel.split
        if split.line_width == 0:
            raise EditRefused(f"“{part.name}” has no line along its edge.")
        widest = max(self.width, 1.5 * split.line_width) + 3
        rim = ((split.at_edge > 0.5) & (split.depth < 3)).astype(np.uint8)
        near = cv2.distanceTransform(1 - rim, cv2.DIST_L2, 5) < widest
        line = np.clip(self.width + 1 - split.depth, 0, 1) * near
        coverage = np.maximum(split.coverage - split.at_edge, line)[..., None]
        pixels = easel.rgba.copy()
        painted = split.fill * (1 - coverage) + easel.ink_colour * coverage
        pixels[..., :3] = np.where(near[..., None], np.rint(painted), pixels[..., :3])
        return with_picture(figure, part, pixels, 0, stores)

    def describe(self, figure: Figure) -> str:
        return f"redraw the line of {need_part(figure, self.part).name}"


class SplitIslands(Edit):
    """Make each separate piece of a part a part of its own; the largest stays what it is."""

    kind: Literal["split_islands"] = "split_islands"
    parts: PartKeys

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        return each_part(figure, self.parts, self._split, stores)

    def _split(self, figure: Figure, part: Part, stores: Stores) -> Figure:
        outline = part_outline(part, stores)
        pieces = [one for one in outline.geoms if one.area > ISLAND * outline.area]
        if len(pieces) < 2:
            raise EditRefused(f"“{part.name}” is one piece.")
        pieces.sort(key=lambda one: -one.area)
        away = [
            cv2.distanceTransform(1 - _mask([one], part), cv2.DIST_L2, 5) for one in pieces
        ]  # every speck goes with the piece it lies nearest to
        owner = np.argmin(away, axis=0)
        pixels = stores.get_pixels(part.drawing.picture)
        names = {one.name for one in figure.parts}
        place = figure.parts.index(part) + 1
        for number in range(1, len(pieces)):
            name = free_name(part.name[:76], names)
            names.add(name)
            copy = part.with_drawing(pivot=None, strip=None)
            copy = copy.model_copy(update={"id": f"p{figure.next_id}", "name": name, "binding": Unbound()})
            parts = list(figure.parts)
            parts.insert(place, copy)
            figure = figure.replace(parts=tuple(parts), next_id=figure.next_id + 1)
            figure = with_picture(figure, copy, np.where((owner == number)[..., None], pixels, 0), 0, stores)
        return with_picture(figure, part, np.where((owner == 0)[..., None], pixels, 0), 0, stores)

    def describe(self, figure: Figure) -> str:
        return f"make each piece of {these(figure, self.parts)} a part"


def _mask(shapes: list[Polygon], part: Part) -> Pixels:
    """1 inside the shapes (px of the part's picture), else 0 (h, w)."""
    mask = np.zeros((part.drawing.size[1], part.drawing.size[0]), np.uint8)
    for shape in shapes:
        cv2.fillPoly(mask, [np.rint(np.array(shape.exterior.coords) - 0.5).astype(np.int32)], 1)
        for ring in shape.interiors:
            cv2.fillPoly(mask, [np.rint(np.array(ring.coords) - 0.5).astype(np.int32)], 0)
    return mask
