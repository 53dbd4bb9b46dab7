"""Lines told from fill on drawings whose line is known: thick, hair-thin, on a dark fill, in grain, with soft sides."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.ndimage import gaussian_filter

from kunstgriff.artwork.ink import line_reach, line_widths, split_ink
from kunstgriff.artwork.mending import with_cap
from kunstgriff.figure.model import Part
from kunstgriff.figure.stores import MemoryStores, encode_png
from tests.art import capsule, drawn, figure_of


def width_of(rgba):
    split = split_ink(rgba)
    widths = line_widths(rgba, split)
    return float(np.median(widths[widths > 0])) if (widths > 0).any() else 0.0


@pytest.mark.parametrize("stroke", [2.0, 5.0, 12.0, 24.0, 32.0])
@pytest.mark.parametrize("fill", ["#d8c3a4", "#6b6bc6", "#707070"])
def test_a_line_is_as_wide_as_drawn_on_light_and_dark_fill(stroke, fill):
    # the width is that of the stroke that drew it; #6b6bc6 and #707070 are dark themselves
    rgba = drawn(capsule((110, 200), (290, 200), 70, stroke, fill))
    assert width_of(rgba) == pytest.approx(stroke, abs=max(0.6, 0.05 * stroke))


def grainy(stroke: float, deviation: float = 9.0):
    rgba = drawn(capsule((110, 200), (290, 200), 70, stroke)).astype(float)
    noise = np.random.default_rng(4).normal(0, deviation, (400, 400, 3))
    dark = rgba[..., :3].mean(2, keepdims=True) < 100
    rgba[..., :3] += np.where(dark, 0, noise)
    return np.clip(rgba, 0, 255).round().astype(np.uint8)


@pytest.mark.parametrize("stroke", [2.5, 6.0])
def test_grain_is_no_ink(stroke):
    rgba = grainy(stroke)
    split = split_ink(rgba)
    inside = (split.depth > stroke + 3) & (rgba[..., 3] > 250)
    assert split.coverage[inside].mean() < 0.003
    assert width_of(rgba) == pytest.approx(stroke, abs=0.6)


def test_how_far_a_soft_line_reaches_is_more_than_its_width():
    crisp = drawn(capsule((110, 200), (290, 200), 70, 4))
    soft = crisp.copy()
    soft[..., :3] = gaussian_filter(crisp[..., :3].astype(float), (1.2, 1.2, 0)).round()
    assert line_reach(split_ink(crisp)) == pytest.approx(4, abs=1)
    assert line_reach(split_ink(soft)) > line_reach(split_ink(crisp)) + 1


def test_grain_keeps_its_scale_where_a_part_is_carried_on():
    # texture told by how neighbouring pixels hang together: independent ones by nothing, streaks by much
    figure, stores = figure_of({"arm": grainy(6)})
    part = figure.parts[0]
    ended = cut_off(part, stores, 200)
    capped = with_cap(ended, (200 - figure.sheet.standing_point[0], 200 - figure.sheet.standing_point[1]), 70.0, stores)
    rgba = stores.get_pixels(capped.drawing.picture)
    x0, y0 = (
        capped.drawing.place[0] + figure.sheet.standing_point[0],
        capped.drawing.place[1] + figure.sheet.standing_point[1],
    )
    patch = rgba[int(175 - y0) : int(225 - y0), int(205 - x0) : int(250 - x0)]
    assert (patch[..., 3] == 255).all()
    grey = patch[..., :3].astype(float).mean(2)
    assert grey.std() == pytest.approx(9 / np.sqrt(3), rel=0.25)
    assert abs(np.corrcoef(grey[:, 1:].ravel(), grey[:, :-1].ravel())[0, 1]) < 0.15
    assert abs(np.corrcoef(grey[1:].ravel(), grey[:-1].ravel())[0, 1]) < 0.15


def cut_off(part: Part, stores: MemoryStores, x: int) -> Part:
    """The part's left half: a flat end at so many px of the sheet."""
    rgba = stores.get_pixels(part.drawing.picture)
    left = x - (400 - rgba.shape[1]) // 2
    kept = np.ascontiguousarray(rgba[:, :left])
    size = (kept.shape[1], kept.shape[0])
    return part.with_drawing(picture=stores.put_picture(encode_png(kept)), size=size)
