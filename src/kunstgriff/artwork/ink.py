"""Ink told from fill: the lines of a part, and the colour under them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

import cv2
import numpy as np
from numba import njit
from numpy.typing import NDArray

from kunstgriff.artwork.outline import SOLID
from kunstgriff.figure.model import Ink, Part
from kunstgriff.figure.stores import Beside, Stores

EDGE_SEARCH = 48  # px inwards from the edge in which the outline is looked for; twice the widest line of the strangers
TONE_STEP = 48.0  # RGB distance by which the outline must differ from the colour inside it; measured on the demo art
LINE_LIMIT = 48.0  # px; ink wider than this is an area of colour, no line; common practice, no source
RIMS = (4.0, 2.0, 1.2)  # px from the edge in which a line's colour is looked for; a hairline fills only the last
GRAIN = 2.5  # times the usual difference of a fill's pixels that counts as no ink; measured on strangers' grain
FAINT = 0.05  # of its strongest under which a line is not seen any more
FINER = 4  # times as large as drawn: how fine the distance from an edge is told between pixels
SAMPLE = 3.0  # px between the spots of the outline at which its line is measured

Floats = NDArray[np.float32]
Pixels = NDArray[np.uint8]


@dataclass(frozen=True)
class InkSplit:
    """`coverage` (h, w) float32 in [0, 1] is the ink of all lines, `fill` (h, w, 3) uint8 the fill colours carried on
    underneath it, `depth` (h, w) float32 px from the part's edge, `line_width` that of the outline in px (0 where
    there is none)."""

    coverage: Floats
    fill: Pixels
    depth: Floats
    line_width: float

    @property
    def at_edge(self) -> Floats:
        """The outline's ink alone: within one and a half line widths of the edge. Drawn details inside stay out."""
        return np.asarray(self.coverage * np.clip(1.5 * self.line_width + 2 - self.depth, 0, 1), np.float32)


def part_ink(part: Part, stores: Stores) -> InkSplit:
    """Ink and fill of a part: as they came apart, or found in its picture by its own ink colours."""
    return _split(part.drawing.looks, Beside((part, stores)))


@lru_cache(maxsize=8)  # 11 bytes a pixel each
def _split(_drawing: object, beside: Beside[tuple[Part, Stores]]) -> InkSplit:
    part, stores = beside.value
    rgba = stores.get_pixels(part.drawing.picture)
    if part.drawing.split is not None and part.drawing.inks is None:
        halves = (part.drawing.split.ink_picture, part.drawing.split.fill_picture)
        return drawn_split(rgba, *(stores.get_pixels(one) for one in halves))
    return split_ink(rgba, part.drawing.inks)


def drawn_split(rgba: Pixels, ink: Pixels, fill: Pixels) -> InkSplit:
    """Ink and fill of a part that came apart; all (h, w, 4)."""
    depth = edge_depth(rgba)
    alpha = rgba[..., 3].astype(np.float32)
    coverage = np.divide(ink[..., 3], alpha, out=np.zeros_like(alpha), where=alpha > 0).clip(0, 1)
    return InkSplit(coverage, fill[..., :3], depth, _run_from_edge(coverage > 0.5, depth))


def split_ink(rgba: Pixels, inks: Sequence[Ink] | None = None) -> InkSplit:
    """Tell the lines of a part (h, w, 4) from its fill.

    Their colours are `inks`, or else the commonest dark colour just inside the edge. A pixel's ink is how far its
    colour lies from the nearest fill colour towards the ink colour (linear unmixing). Ink in areas wider than
    `LINE_LIMIT` is a colour like any other.
    """
    depth = edge_depth(rgba)
    none = InkSplit(np.zeros(depth.shape, np.float32), rgba[..., :3].copy(), depth, 0.0)
    rgba = np.ascontiguousarray(rgba)
    if inks is None:
        alongs = (_ink_along_edge(rgba, depth, reach) for reach in RIMS)
        palettes = [np.array([one]) for one in alongs if one is not None]
    else:
        colours = [rgb_of(one.colour) for one in inks if one.on]
        palettes = [np.array(colours, np.float32)] if colours else []
    tried = [_measured(rgba, depth, palette) for palette in palettes]
    if inks is None:  # a line ends somewhere inside; a dark fill behind a hairline does, too, but is lighter than it
        tried = sorted((one for one in tried if one.width > 0), key=lambda one: one.tone)
    if not tried:
        return none
    palette, distance, nearest, width = tried[0].palette, tried[0].distance, tried[0].nearest, tried[0].width
    limit = min(LINE_LIMIT, 3 * width) if width else LINE_LIMIT
    lines = narrow((distance < TONE_STEP) & (rgba[..., 3] > 128), limit)
    near_line = cv2.dilate(lines.astype(np.uint8), np.ones((5, 5), np.uint8))
    inkish = near_line * (distance < 2.2 * TONE_STEP).astype(np.uint8)
    # a fill pixel next to ink is half ink: keep away from it by a pixel and a half when collecting colours
    core = (cv2.dilate(inkish, np.ones((5, 5), np.uint8)) == 0) & (rgba[..., 3] > 250)
    if not core.any():
        return none
    coverage, carried = _unmixed(rgba, palette, nearest, near_line, core, _nearest(core))
    grain = min(GRAIN * _grain(rgba, palette, core), 0.5)
    if grain > 0.01:
        coverage *= (coverage / grain - 1).clip(0, 1)  # as it was from twice the grain on
    return InkSplit(coverage, carried, depth, width)


def _grain(rgba: Pixels, palette: Floats, core: NDArray[np.bool_]) -> float:
    """How far neighbouring pixels of a fill differ towards the ink, as a share of ink: the median of what is not 0 on
    a flat one."""
    pairs = core[:, 1:] & core[:, :-1]
    if not pairs.any():
        return 0.0
    here, beside = (rgba[:, part][pairs][:, :3].astype(np.float32) for part in (slice(1, None), slice(None, -1)))
    towards = palette[0] - np.median(here, 0)
    return float(np.median(np.abs((beside - here) @ towards)) / max(float(towards @ towards), 1.0))


@dataclass(frozen=True)
class _Inked:
    """A palette tried on a part: how far each pixel is from it, which of its colours is nearest, its run from the edge
    in px, and how light it is."""

    palette: Floats
    distance: Floats
    nearest: Pixels
    width: float

    @property
    def tone(self) -> float:
        return float(self.palette.mean() // 24)  # colours of one line differ by this much between its middle and edge


def _measured(rgba: Pixels, depth: Floats, palette: Floats) -> _Inked:
    distance, nearest = _from_ink(rgba, palette)
    return _Inked(palette, distance, nearest, _run_from_edge(distance < TONE_STEP, depth))


def _ink_along_edge(rgba: Pixels, depth: Floats, reach: float) -> Floats | None:
    """The commonest dark colour within so many px of the edge; None when none stands out."""
    # a thin line under a soft edge is nowhere wholly opaque, but its colour is its own all the same
    rim = (depth > 0.5) & (depth <= reach) & (rgba[..., 3] >= SOLID)
    return _commonest_dark(rgba[rim][:, :3].astype(np.float32)) if rim.sum() >= 16 else None


@njit(cache=True)
def _from_ink(rgba: Pixels, palette: Floats) -> tuple[Floats, Pixels]:
    """RGB distance of each pixel from the nearest ink colour (h, w), and which one that is."""
    height, width = rgba.shape[:2]
    distance, nearest = np.empty((height, width), np.float32), np.zeros((height, width), np.uint8)
    for y in range(height):
        for x in range(width):
            best = np.float32(1e12)
            for k in range(palette.shape[0]):
                away = np.float32(0)
                for c in range(3):
                    step = np.float32(rgba[y, x, c]) - palette[k, c]
                    away += step * step
                if away < best:
                    best = away
                    nearest[y, x] = k
            distance[y, x] = np.sqrt(best)
    return distance, nearest


@njit(cache=True)
def _unmixed(
    rgba: Pixels,
    palette: Floats,
    nearest: Pixels,
    near_line: Pixels,
    core: NDArray[np.bool_],
    labels: NDArray[np.int32],
) -> tuple[Floats, Pixels]:
    """Coverage (h, w) and the fill colours carried on underneath (h, w, 3).

    Each pixel near a line is taken as a mix of its ink colour and the colour of the nearest core pixel, which `labels`
    names.
    """
    height, width = core.shape
    source = _sources(core, labels)
    coverage, carried = np.zeros((height, width), np.float32), np.empty((height, width, 3), np.uint8)
    for y in range(height):
        for x in range(width):
            share = np.float32(0)
            fy, fx = source[labels[y, x], 0], source[labels[y, x], 1]
            if near_line[y, x]:
                along, span = np.float32(0), np.float32(0)
                for c in range(3):
                    fill = np.float32(rgba[fy, fx, c])
                    toward = palette[nearest[y, x], c] - fill
                    along += (np.float32(rgba[y, x, c]) - fill) * toward
                    span += toward * toward
                share = min(max(along / max(span, np.float32(1)), np.float32(0)), np.float32(1))
                coverage[y, x] = share
            if share > 0.01:
                fy, fx = _mirrored(core, y, x, fy, fx)
            for c in range(3):
                carried[y, x, c] = rgba[fy, fx, c] if share > 0.01 else rgba[y, x, c]
    return coverage, carried


@njit(cache=True)
def _sources(core: NDArray[np.bool_], labels: NDArray[np.int32]) -> NDArray[np.int32]:
    """Row and column of the core pixel with each label (labels, 2)."""
    source = np.zeros((labels.max() + 1, 2), np.int32)
    for y in range(core.shape[0]):
        for x in range(core.shape[1]):
            if core[y, x]:
                source[labels[y, x], 0] = y
                source[labels[y, x], 1] = x
    return source


@njit(cache=True)
def _mirrored(core: NDArray[np.bool_], y: int, x: int, near_y: int, near_x: int) -> tuple[int, int]:
    """The core pixel as far behind the nearest one as a pixel lies before it, or half as far, or the nearest itself: so
    grain keeps its scale and a gradient goes on, where the nearest alone would be drawn out to streaks."""
    for part in range(3):
        share = 1.0 / (1 << part)
        my, mx = near_y + round((near_y - y) * share), near_x + round((near_x - x) * share)
        if 0 <= my < core.shape[0] and 0 <= mx < core.shape[1] and core[my, mx]:
            return my, mx
    return near_y, near_x


def lifted(rgba: Pixels, split: InkSplit) -> Pixels:
    """The part without its ink: fill carried on underneath, the edge as it was."""
    return np.dstack([split.fill, rgba[..., 3]])


def rgb_of(colour: str) -> Floats:
    """`#rrggbb` as three floats.

    >>> rgb_of("#ff8000").tolist()
    [255.0, 128.0, 0.0]
    """
    return np.array([int(colour[k : k + 2], 16) for k in (1, 3, 5)], np.float32)


def edge_depth(rgba: Pixels) -> Floats:
    """Distance of each pixel from the part's edge in px, 0 outside (h, w)."""
    return depth_inside(rgba[..., 3] >= 128)


def depth_inside(solid: NDArray[np.bool_]) -> Floats:
    """Distance of each pixel of a shape (h, w) from its edge in px, 0 outside, as all beyond the picture is."""
    padded = np.pad(solid.astype(np.uint8), 1)
    return np.asarray(cv2.distanceTransform(padded, cv2.DIST_L2, cv2.DIST_MASK_PRECISE)[1:-1, 1:-1], np.float32)


def fine_depth(alpha: Floats) -> Floats:
    """Distance of each pixel from the edge of what is painted, `alpha` (h, w) in [0, 1], as `edge_depth` has it, told
    by how far the pixels along the edge are covered: between pixels, that is, where whole ones make steps."""
    height, width = alpha.shape
    large = cv2.resize(np.pad(alpha, 1, mode="edge"), None, fx=FINER, fy=FINER, interpolation=cv2.INTER_LINEAR)
    inside = depth_inside(large >= 0.5)
    small = cv2.resize(inside, (width + 2, height + 2), interpolation=cv2.INTER_AREA)[1:-1, 1:-1]
    return np.asarray(np.where(small > 0, (small - 0.5) / FINER + 0.5, 0), np.float32)


def line_widths(rgba: Pixels, split: InkSplit) -> Floats:
    """Width of the line in px at spots `SAMPLE` px apart along the outline, 0 where the edge has no ink (n,).

    At each spot the ink's coverage is added up along the inward normal, from outside the edge to the end of the line.
    """
    contours, _ = cv2.findContours((rgba[..., 3] >= 128).astype(np.uint8), cv2.RETR_CCOMP, cv2.CHAIN_APPROX_NONE)
    rings = [ring[:: int(SAMPLE), 0, :] for ring in contours if len(ring) > 4 * SAMPLE]
    if not rings or split.line_width == 0:
        return np.zeros(0, np.float32)
    spots = np.concatenate(rings).astype(np.float32)
    pad = 4
    depth = cv2.GaussianBlur(np.pad(split.depth, pad), (0, 0), 2)
    slope = [cv2.Sobel(depth, cv2.CV_32F, dx, 1 - dx) for dx in (1, 0)]
    at = spots + pad
    normal = np.stack([cv2.remap(one, at[:, None, :], None, cv2.INTER_LINEAR)[:, 0] for one in slope], 1)
    length = np.linalg.norm(normal, axis=1)
    spots, normal = spots[length > 1], normal[length > 1] / length[length > 1, None]
    step = 0.25
    along = np.arange(-2, EDGE_SEARCH, step, dtype=np.float32)
    places = spots[:, None] + along[:, None] * normal[:, None]
    ink = np.asarray(split.coverage * (rgba[..., 3] / np.float32(255)), np.float32)
    profile = cv2.remap(ink, places, None, cv2.INTER_LINEAR, borderMode=cv2.BORDER_CONSTANT, borderValue=0)
    first = profile[:, along < max(2.0, split.line_width / 2)].max(1) > 0.5
    begun = np.maximum.accumulate(profile, 1) > 0.5
    ended = np.maximum.accumulate(begun & (profile < 0.3), 1)
    widths = np.where(ended, 0, profile).sum(1) * step
    through = ended[:, -1]  # a line that never ends is an area
    return np.asarray(np.where(first & through, widths, 0)[first <= through], np.float32)


def line_reach(split: InkSplit) -> float:
    """How far inwards the line along the edge is seen at all, px: its width and the softness of its sides."""
    if split.line_width == 0:
        return 0.0
    rim = (split.depth > 0) & (split.depth < 1.5 * split.line_width + 3)
    level = (split.depth[rim] * 2).astype(int)
    share = np.bincount(level, split.at_edge[rim]) / np.maximum(np.bincount(level), 1)
    seen = np.flatnonzero(share > FAINT * share.max())
    return float(seen[-1] + 1) / 2 if seen.size else 0.0


def drawing_width(split: InkSplit) -> float:
    """How wide a line is drawn along a new edge, px, to look as wide as the one there is: the one whose coverage falls
    off at the same depths. Along soft edges that is less than the width at which half of it has ended."""
    if split.line_width == 0:
        return 0.0
    rim = (split.depth > 0) & (split.depth < 1.5 * split.line_width + 3)
    level = np.ceil(split.depth[rim]).astype(int) - 1  # 0: the pixels whose neighbours lie outside
    counts = np.bincount(level)
    share = np.bincount(level, split.coverage[rim]) / np.maximum(counts, 1)
    plateau = max(float(share.max()), 1e-6)
    outer = int(share.argmax())  # the outermost pixels may be a mix with what lies outside: ink all the same
    return max(outer + float(np.clip(share[outer:] / plateau, 0, 1).sum()) - 0.5, 0.5)


def narrow(mask: NDArray[np.bool_], limit: float) -> NDArray[np.bool_]:
    """What of a mask (h, w) lies in strokes at most `limit` px wide."""
    inner = cv2.distanceTransform(np.pad(mask.astype(np.uint8), 1), cv2.DIST_L2, 5)[1:-1, 1:-1]
    seeds = inner > limit / 2
    if not seeds.any():
        return mask
    away = cv2.distanceTransform((~seeds).astype(np.uint8), cv2.DIST_L2, 5)
    return np.asarray(mask & (away > limit / 2 + 1))


def _commonest_dark(colours: Floats) -> Floats | None:
    """The commonest colour (bins of 16) among the darker half, as the mean of its bin; None when none stands out."""
    bins = (colours // 16).astype(np.int64)
    keys = bins[:, 0] * 4096 + bins[:, 1] * 64 + bins[:, 2]
    values, counts = np.unique(keys, return_counts=True)
    best = values[np.argmax(counts)]
    ink = colours[keys == best].mean(0)
    return ink if (keys == best).mean() > 0.2 and ink.mean() < 150 else None


def _run_from_edge(is_ink: NDArray[np.bool_], depth: Floats) -> float:
    """Median run of ink from the edge inwards in px: the depth at which half of all edge has left the ink."""
    inside = (depth > 0) & (depth <= EDGE_SEARCH)
    ink = is_ink[inside].astype(np.float64)
    level = np.clip(depth[inside] - 0.5, 0, EDGE_SEARCH - 1).astype(int)
    counts = np.bincount(level, minlength=EDGE_SEARCH)
    share = np.bincount(level, ink, minlength=EDGE_SEARCH) / np.maximum(counts, 1)
    plateau = share[:4].max()  # of a hairline only the outermost pixels are ink
    if plateau < 0.3:
        return 0.0
    most = int(share[:4].argmax())
    below = np.flatnonzero((share[most + 1 :] < plateau / 2) & (counts[most + 1 :] > 0))
    if not below.size:  # dark to the very middle: a fill, no line
        return 0.0
    last = most + int(below[0])
    drop = share[last] - share[last + 1]
    return float(last + 0.5 + (share[last] - plateau / 2) / max(drop, 1e-6) + 0.5)


def carried_on(rgb: Pixels, core: NDArray[np.bool_]) -> Pixels:
    """Every pixel given the colour of a core pixel, mirrored about the nearest one (h, w, 3)."""
    return np.asarray(_carried_on(np.ascontiguousarray(rgb), core, _nearest(core)))


@njit(cache=True)
def _carried_on(rgb: Pixels, core: NDArray[np.bool_], labels: NDArray[np.int32]) -> Pixels:
    source = _sources(core, labels)
    made = np.empty_like(rgb)
    for y in range(rgb.shape[0]):
        for x in range(rgb.shape[1]):
            my, mx = y, x
            if not core[y, x]:
                my, mx = _mirrored(core, y, x, source[labels[y, x], 0], source[labels[y, x], 1])
            for c in range(3):
                made[y, x, c] = rgb[my, mx, c]
    return made


def _nearest(core: NDArray[np.bool_]) -> NDArray[np.int32]:
    """For each pixel (h, w) a number that it shares with the nearest core pixel."""
    return np.asarray(
        cv2.distanceTransformWithLabels((~core).astype(np.uint8), cv2.DIST_L2, 5, labelType=cv2.DIST_LABEL_PIXEL)[1]
    )
