"""Round ends painted on every end that strangers drew, on the limb's middle and off it: no barb, no horn, one line."""

from __future__ import annotations

from collections.abc import Iterator

import cv2
import numpy as np
import pytest

from kunstgriff.artwork.ends import RoundEnd
from kunstgriff.artwork.ink import line_widths, part_ink, split_ink
from kunstgriff.artwork.mending import with_cap
from kunstgriff.artwork.outline import part_solid
from kunstgriff.figure.model import Figure, Part
from kunstgriff.figure.stores import MemoryStores
from kunstgriff.seam.cap import end_of
from tests.strangers.artist import Stranger
from tests.strangers.plans import stranger
from tests.strangers.way import imported

OFF = (0.0, 0.35, -0.6)  # of half the limb's width by which the pivot lies off its middle
MOST = 6  # ends tried of a stranger
BLUNT = 0.2  # half widths: what is narrower than a disc of this radius is a barb


def ends_of(one: Stranger, figure: Figure, stores: MemoryStores) -> Iterator[tuple[Part, RoundEnd]]:
    """Every end of a piece at a joint of two pieces, by its part and how a round one would lie there."""
    names = {part.name: part for part in figure.parts}
    for joint in one.joints:
        for part in (names.get(name) for name in (joint.upper, joint.lower) if joint.two_piece):
            if part is None:
                continue
            at = np.array(joint.at) - figure.sheet.standing_point - part.drawing.place
            outline = part_solid(part, stores)
            if not (0 <= at[0] < part.drawing.size[0] and 0 <= at[1] < part.drawing.size[1]) or len(outline.geoms) > 1:
                continue
            end = RoundEnd.of(outline, (float(at[0]), float(at[1])))
            if end.half < 10 or end_of(outline, end) is None:
                continue
            yield part, end


def around(part: Part, stores: MemoryStores, spot: np.ndarray, radius: int) -> np.ndarray:
    """The square of a part's picture around a spot of figure space (2 r, 2 r, 4), see-through beyond the picture."""
    x, y = (round(float(v)) for v in spot - part.drawing.place)
    padded = np.pad(stores.get_pixels(part.drawing.picture), ((radius, radius), (radius, radius), (0, 0)))
    return padded[max(y, 0) : y + 2 * radius, max(x, 0) : x + 2 * radius]


def narrower(rgba: np.ndarray, radius: float) -> np.ndarray:
    """What of a picture lies in no disc of that radius inside it (4 h, 4 w)."""
    solid = cv2.resize(rgba[..., 3], None, fx=2, fy=2, interpolation=cv2.INTER_LINEAR) >= 128
    reach = max(round(2 * radius), 1)
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * reach + 1, 2 * reach + 1))
    return solid & (cv2.morphologyEx(solid.astype(np.uint8), cv2.MORPH_OPEN, disc) == 0)


def width_seen(rgba: np.ndarray, share: float) -> float:
    """The width of the line along a picture's edge, px, at that share of its spots from the thinnest."""
    found = line_widths(rgba, split_ink(np.ascontiguousarray(rgba)))
    return float(np.quantile(found[found > 0], share))


@pytest.mark.parametrize("seed", [0, 2, 4, 8, 10, 6001])  # serpents and hands have no such ends
def test_a_round_end_has_no_barbs_and_its_line_is_as_wide_as_the_limb_s(seed):
    one = stranger(seed)
    figure, stores = imported(one)
    across, barbs, lines, tried = [], [], [], list(ends_of(one, figure, stores))[:MOST]
    assert len(tried) == MOST
    for part, end in tried:
        for off in OFF:
            pivot = np.array(end.middle) + part.drawing.place + off * end.half * np.array([-end.axis[1], end.axis[0]])
            after = with_cap(part, (float(pivot[0]), float(pivot[1])), None, stores)
            old, new = (around(drawing, stores, pivot, int(2.2 * end.half)) for drawing in (part, after))
            near_old = cv2.dilate(narrower(old, BLUNT * end.half).astype(np.uint8), np.ones((9, 9), np.uint8)) > 0
            area = (narrower(new, BLUNT * end.half) & ~near_old).sum() / 4
            if area > 0.02 * end.half**2:
                barbs.append((part.name, off, area))
            split = part_ink(after, stores)
            if split.line_width > 0 and one.fill != "grain":  # nothing is left of the line across the old end
                x, y = np.array(pivot) - after.drawing.place
                rows, columns = np.ogrid[: after.drawing.size[1], : after.drawing.size[0]]
                near = (np.hypot(columns - x, rows - y) < 0.8 * end.half) & (split.depth > 1.5 * split.line_width + 3)
                dark = np.abs(stores.get_pixels(after.drawing.picture)[..., :3] - np.array(one.ink)).sum(-1) < 60
                if (near & dark).sum() > 0.01 * end.half**2:
                    across.append((part.name, off))
            if part_ink(part, stores).line_width >= 3 and one.fill != "grain":
                usual, now = width_seen(stores.get_pixels(part.drawing.picture), 0.5), width_seen(new, 0.75)
                if abs(now - usual) > max(0.1 * usual, 0.5):
                    lines.append((part.name, off, usual, now))
    assert not across
    assert not barbs
    assert not lines
