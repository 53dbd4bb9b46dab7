"""Pictures that treatments are made of: a part as it is drawn now, its bare fill, and the fill without its line."""

from __future__ import annotations

from dataclasses import replace

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from kunstgriff.artwork.ends import RoundEnd
from kunstgriff.artwork.ink import Floats, InkSplit, Pixels, part_ink
from kunstgriff.artwork.lines import runs_along, spots_at
from kunstgriff.artwork.outline import part_outline
from kunstgriff.figure.model import Figure, Ink, Part
from kunstgriff.figure.stores import Stores
from kunstgriff.figure.treatments import Opening

EVEN = 1.0  # px over which an opening's end is evened out

Near = tuple[tuple[float, float], float, float]  # a joint in px of the picture, a radius and a softness in px


def drawn(
    figure: Figure, part: Part, stores: Stores, inks: tuple[str, ...] | None = None, before: str | None = None
) -> tuple[Pixels, InkSplit]:
    """A part's picture (h, w, 4) and its ink, both after the openings in its outline.

    `inks` are the colours of lines to go by (None: the part's own); openings from the one called `before` on are left
    out.
    """
    rgba = stores.get_pixels(part.drawing.picture)
    asked = part if inks is None else part.with_drawing(inks=tuple(Ink(colour=one) for one in inks))
    split = part_ink(asked, stores)
    for opening in figure.treated("opening"):
        if opening.id == before:
            break
        if opening.part == part.id:
            rgba, split = opened(rgba, split, opening, part, stores)
    return rgba, split


def opened(rgba: Pixels, split: InkSplit, opening: Opening, part: Part, stores: Stores) -> tuple[Pixels, InkSplit]:
    """The picture and its ink with the line taken off along a stretch of the edge."""
    taken = opening_share(split, opening, part, stores)
    colour = rgba[..., :3] * (1 - taken[..., None]) + split.fill * taken[..., None]
    picture = np.dstack([np.rint(colour).astype(np.uint8), rgba[..., 3]])
    return picture, replace(split, coverage=np.asarray(split.coverage * (1 - taken), np.float32))


def opening_share(split: InkSplit, opening: Opening, part: Part, stores: Stores) -> Floats:
    """How much of the ink is taken off at each pixel (h, w), in [0, 1].

    Each pixel belongs to the spot of the edge next to it. Where the line tapers, it is taken off from inside.
    """
    ring = np.array(max(part_outline(part, stores).geoms, key=lambda one: one.area).exterior.coords)
    runs = runs_along(ring)
    spots = spots_at(ring, runs, np.arange(0, runs[-1], 1.0))
    length = float(len(spots))
    tree = cKDTree(spots)
    ends = np.subtract([opening.start, opening.end], part.drawing.place)
    first, last = (float(one) for one in tree.query(ends)[1])
    if ((last - first) % length > length / 2) != opening.longer:
        first, last = last, first
    stretch = (last - first) % length
    rows, columns = np.nonzero(split.at_edge > 0)
    share = np.zeros(split.depth.shape, np.float32)
    if not len(rows):
        return share
    along = (tree.query(np.stack([columns + 0.5, rows + 0.5], 1))[1] - first) % length
    soft = max(min(opening.soft, stretch / 2), 1e-6)
    off = np.clip(np.minimum(along, stretch - along) / soft, 0, 1)
    if opening.tapers:
        left = (split.line_width + 0.5) * (1 - off) - 0.5  # at its end nothing, not even at the soft edge outside
        off = np.where(off > 0, np.clip(split.depth[rows, columns] - left + 0.5, 0, 1), 0)
    share[rows, columns] = off
    # pixels next to one another may belong to spots that are not: without this the taper's end is ragged
    inked = (split.at_edge > 0).astype(np.float32)
    even = cv2.GaussianBlur(share, (0, 0), EVEN) / np.maximum(cv2.GaussianBlur(inked, (0, 0), EVEN), 1e-3)
    return np.asarray(np.minimum(even, 1) * inked)


def nearness(shape: tuple[int, ...], near: Near | None) -> Floats | float:
    """1 within a radius of a joint, fading at its end (h, w); 1 everywhere without."""
    if near is None:
        return 1.0
    (x, y), radius, soft = near
    rows, columns = np.ogrid[: shape[0], : shape[1]]
    away = np.hypot(columns + 0.5 - x, rows + 0.5 - y)
    return np.asarray(np.clip((radius - away) / max(soft, 1e-6) + 0.5, 0, 1), np.float32)


def fill_picture(rgba: Pixels, split: InkSplit, near: Near | None = None, half_line: bool = True) -> Pixels:
    """A part's fill (h, w, 4), ending where its line begins, near a joint only or everywhere.

    Ink is taken off by its coverage. Where the part is open (no ink along its edge) the fill is drawn in by half a line
    width. Without the half-line rule it ends in the middle of the line, as a path filled without its stroke does.
    """
    inset = np.clip(split.depth - split.line_width / 2, 0, 1) if split.line_width else np.float32(1)
    kept = (1 - split.at_edge) * inset
    if not half_line:
        kept = np.clip(split.depth - split.line_width / 2, 0, 1)
    alpha = rgba[..., 3] * kept * nearness(split.depth.shape, near)
    colour = np.where(split.at_edge[..., None] > 0.01, split.fill, rgba[..., :3])
    return np.dstack([colour, np.rint(alpha).astype(np.uint8)])


def faded(fill: Pixels, end: RoundEnd) -> Pixels:
    """A fill (h, w, 4) that fades behind a joint: whole where the part comes in, gone at its round end.

    Along each chord of the circle about the joint it goes evenly from one arc to the other. So what it lies on is not
    seen where that ends in its own round end, turned about the same joint, and is seen wholly where this one ends.
    """
    height, width = fill.shape[:2]
    x = np.arange(width, dtype=np.float32)[None] + np.float32(0.5)
    y = np.arange(height, dtype=np.float32)[:, None] + np.float32(0.5)
    along, aside = end.local(x, y)
    chord = np.sqrt(np.maximum(np.square(end.half) - np.square(aside), 1.0))
    share = np.clip(along / chord / 2 + 0.5, 0, 1)
    even = share * share * (3 - 2 * share)
    return np.dstack([fill[..., :3], np.rint(fill[..., 3] * even).astype(np.uint8)])


def bare_picture(rgba: Pixels, split: InkSplit) -> Pixels:
    """A part without its outline's ink (h, w, 4): the fill carried on underneath, the edge as it was."""
    share = np.divide(split.at_edge, split.coverage, out=np.zeros_like(split.coverage), where=split.coverage > 0.01)
    colour = rgba[..., :3] * (1 - share[..., None]) + split.fill * share[..., None]
    return np.dstack([np.rint(colour).astype(np.uint8), rgba[..., 3]])


def ink_colour(rgba: Pixels, split: InkSplit) -> str | None:
    """The mean colour of a part's outline, `#rrggbb`; None where it has none."""
    ink = rgba[..., :3][(split.at_edge > 0.9) & (rgba[..., 3] > 250)]
    return "#{:02x}{:02x}{:02x}".format(*np.rint(ink.mean(0)).astype(int)) if len(ink) else None


def near_joint(
    joint: tuple[float, float], place: tuple[float, float], radius: float | None, soft: float
) -> Near | None:
    """The limit around a joint (figure space) in px of a picture at `place`; none without a radius."""
    return None if radius is None else ((joint[0] - place[0], joint[1] - place[1]), radius, soft)


def triangles_near(corners: NDArray[np.float32], joint: NDArray[np.float64], reach: float | None) -> NDArray[np.bool_]:
    """Which triangles, by their corners (m, 3, 2), may lie within `reach` px of a joint; all without a reach."""
    if reach is None:
        return np.ones(len(corners), bool)
    return np.asarray(((corners.min(1) < joint + reach) & (corners.max(1) > joint - reach)).all(1))
