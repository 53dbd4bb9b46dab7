"""Ink told from fill in a flat picture: the outline drawing along a part's edge, and the colour under it."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

EDGE_SEARCH = 24  # px inwards from the edge in which the outline is looked for; common practice, no source
TONE_STEP = 48.0  # RGB distance by which the outline must differ from the colour inside it; measured on the demo art


@dataclass(frozen=True)
class InkSplit:
    """`coverage` (h, w) float32 in [0, 1] of the outline's ink, `fill` (h, w, 3) uint8 with the fill colours carried
    on underneath it, `depth` (h, w) float32 px from the part's edge, `line_width` in px (0 where there is no ink)."""

    coverage: NDArray[np.float32]
    fill: NDArray[np.uint8]
    depth: NDArray[np.float32]
    line_width: float


def split_ink(rgba: NDArray[np.uint8]) -> InkSplit:
    """Tell the outline ink of a part from its fill.

    The ink's colour is the commonest dark colour just inside the edge; a pixel's ink is how far its colour lies from
    the nearest fill colour towards the ink colour (linear unmixing); only ink within one and a half line widths of
    the edge counts, so drawn details inside stay.
    """
    rgb = rgba[..., :3].astype(np.float32)
    solid = np.pad((rgba[..., 3] >= 128).astype(np.uint8), 1)
    depth = cv2.distanceTransform(solid, cv2.DIST_L2, cv2.DIST_MASK_PRECISE)[1:-1, 1:-1]
    none = InkSplit(np.zeros(depth.shape, np.float32), rgba[..., :3].copy(), depth, 0.0)
    rim = (depth > 1) & (depth <= 4) & (rgba[..., 3] > 250)
    if rim.sum() < 16:
        return none
    ink_colour = _commonest_dark(rgb[rim])
    if ink_colour is None:
        return none
    distance = np.linalg.norm(rgb - ink_colour, axis=2)
    width = _line_width(distance, depth)
    if width == 0.0:
        return none
    reach = 1.5 * width + 1
    inkish = (distance < 2.2 * TONE_STEP) & (depth <= reach)
    # a fill pixel next to ink is half ink: keep away from it by a pixel and a half when collecting colours
    core = (cv2.dilate(inkish.astype(np.uint8), np.ones((5, 5), np.uint8)) == 0) & (rgba[..., 3] > 250)
    if not core.any():
        return none
    fill = _nearest_colour(rgb, core)
    toward_ink = ink_colour - fill
    span = np.maximum((toward_ink**2).sum(2), 1.0)
    coverage = np.clip(((rgb - fill) * toward_ink).sum(2) / span, 0, 1)
    band = np.clip(reach + 1 - depth, 0, 1)
    coverage = np.where((distance < 4 * TONE_STEP) | (coverage > 0.02), coverage * band, 0).astype(np.float32)
    carried = np.where(coverage[..., None] > 0.01, fill, rgb)
    return InkSplit(coverage, np.asarray(np.rint(carried), np.uint8), depth, width)


def _commonest_dark(colours: NDArray[np.float32]) -> NDArray[np.float32] | None:
    """The commonest colour (bins of 16) among the darker half, as the mean of its bin; None when none stands out."""
    bins = (colours // 16).astype(np.int64)
    keys = bins[:, 0] * 4096 + bins[:, 1] * 64 + bins[:, 2]
    values, counts = np.unique(keys, return_counts=True)
    best = values[np.argmax(counts)]
    ink = colours[keys == best].mean(0)
    return ink if (keys == best).mean() > 0.2 and ink.mean() < 150 else None


def _line_width(distance: NDArray[np.float32], depth: NDArray[np.float32]) -> float:
    """Median run of ink from the edge inwards in px: the depth at which half of all edge has left the ink."""
    inside = (depth > 0) & (depth <= EDGE_SEARCH)
    ink = (distance[inside] < TONE_STEP).astype(np.float64)
    level = np.clip(depth[inside] - 0.5, 0, EDGE_SEARCH - 1).astype(int)
    counts = np.bincount(level, minlength=EDGE_SEARCH)
    share = np.bincount(level, ink, minlength=EDGE_SEARCH) / np.maximum(counts, 1)
    plateau = share[1:4].max()
    if plateau < 0.3:
        return 0.0
    below = np.flatnonzero(share[2:] < plateau / 2)
    if not below.size:
        return 0.0
    last = int(below[0]) + 1
    drop = share[last] - share[last + 1]
    return float(last + 0.5 + (share[last] - plateau / 2) / max(drop, 1e-6) + 0.5)


def _nearest_colour(rgb: NDArray[np.float32], core: NDArray[np.bool_]) -> NDArray[np.float32]:
    """Every pixel given the colour of the nearest core pixel."""
    _, labels = cv2.distanceTransformWithLabels(
        (~core).astype(np.uint8), cv2.DIST_L2, 5, labelType=cv2.DIST_LABEL_PIXEL
    )
    colours = np.zeros((int(labels.max()) + 1, 3), np.float32)
    colours[labels[core]] = rgb[core]
    return np.asarray(colours[labels])
