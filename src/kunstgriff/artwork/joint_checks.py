"""Findings of the Artwork stage about neighbours: overlap, caps, line widths, areas cut away."""

from __future__ import annotations

from collections.abc import Iterator
from functools import lru_cache

import cv2
import numpy as np
from numpy.typing import NDArray
from shapely.geometry import LinearRing, Polygon

from kunstgriff.artwork.facts import facts_of_all
from kunstgriff.artwork.lines import Floats, runs_along, spots_at
from kunstgriff.artwork.meetings import Meeting, Reading, boxes_touch, meetings, read_meeting
from kunstgriff.artwork.outline import part_alpha, part_outline
from kunstgriff.figure.findings import Finding, Remedy, about
from kunstgriff.figure.model import Figure, Part, Point
from kunstgriff.figure.sets import waiting
from kunstgriff.figure.stores import Beside, Stores

GAP_TURN = 60.0  # degrees a limb should turn without a gap; most joints turn further (AAOS 1965, from memory)
SAME_LIMB = 0.75  # likeness of widths from which two parts at a joint are pieces of one limb
SLENDER = 1.3  # length by width from which a part is a limb piece
GUESSED_SLENDER = 1.6  # the same where neither a bone nor a person says that there is a joint
DEPARTURE = 0.08  # of the radius by which an end may depart from the circle
OVERLAP = 0.5  # of the radius two pieces should overlap at least
LINES_DIFFER = 0.25  # common practice, no source
SPOT = 3.0  # px between the spots of an edge that are looked at
MARGIN = 8  # px around a picture in which its depth is known
CUT_ALONG = 2.5  # px within which an edge runs along a neighbour's outline; a line's width inside it
CUT_SHARE = 0.12  # of its whole edge
CUT_LENGTH = 30.0  # px an edge must run there to be plainly cut

_Field = NDArray[np.float32]


def limbs(figure: Figure, stores: Stores) -> Iterator[tuple[Meeting, Reading]]:
    """Meetings where one limb goes on in another, with their readings."""
    for meeting in meetings(figure, stores):
        reading = read_meeting(meeting, stores)
        sure = meeting.bone is not None or meeting.child.drawing.pivot is not None
        if reading.alike >= SAME_LIMB and reading.slender >= (SLENDER if sure else GUESSED_SLENDER):
            yield meeting, reading


def limb_ends(figure: Figure, stores: Stores) -> Iterator[Finding]:
    """Limb pieces that overlap too little, or whose ends are not round about the joint."""
    for meeting, read in limbs(figure, stores):
        child, parent = meeting.child, meeting.parent
        cap = Remedy(
            word="Make the cap",
            edit={"kind": "make_cap", "part": child.id, "pivot": [round(one, 1) for one in meeting.pivot]},
        )
        if read.overlap < OVERLAP * read.radius:
            sentence = f"{child.name} and {parent.name} overlap by {read.overlap:.0f} px at their joint"
            under = _lower(figure, child, parent)
            grow = Remedy(
                word=f"Grow {under.name} underneath",
                edit={
                    "kind": "grow_under",
                    "part": under.id,
                    "neighbour": (parent if under is child else child).id,
                    "by": round(read.radius, 1),
                },
            )
            yield about(child, "overlap", sentence, 0.55, cap, grow, others=(parent,))
        elif read.turn is not None and read.turn < GAP_TURN and read.departure > DEPARTURE * read.radius:
            sentence = (
                f"The end of {child.name} is not round about the joint, by up to {read.departure:.0f} px: "
                f"a gap opens at {parent.name} from {read.turn:.0f}°. Give it a round end"
            )
            yield about(child, "cap", sentence, 0.5 - read.turn / 400, cap, others=(parent,))


def _lower(figure: Figure, one: Part, other: Part) -> Part:
    return min(one, other, key=figure.parts.index)


def lines_differ(figure: Figure, stores: Stores) -> Iterator[Finding]:
    """Pieces of one limb whose lines differ in width by more than a quarter."""
    facts = facts_of_all(figure, stores)
    for meeting, _ in limbs(figure, stores):
        thick, thin = sorted((meeting.child, meeting.parent), key=lambda part: -facts[part.id].line_width)
        widths = facts[thick.id].line_width, facts[thin.id].line_width
        if widths[1] == 0 or (widths[0] - widths[1]) / widths[0] <= LINES_DIFFER:
            continue
        sentence = f"The line of {thick.name} is {widths[0]:.1f} px wide, that of {thin.name} {widths[1]:.1f} px"
        redraw = Remedy(
            word=f"Redraw {thin.name}'s",
            edit={"kind": "redraw_line", "part": thin.id, "width": round(widths[0], 1)},
        )
        yield about(thick, "lines", sentence, 0.32, redraw, others=(thin,))


def cut_away(figure: Figure, stores: Stores) -> Iterator[Finding]:
    """Lower parts whose edge is cut along the outline of the part before them, with nothing painted underneath."""
    aside = waiting(figure)
    shown = [part for part in figure.parts if part.is_shown and part.id not in aside]
    facts = facts_of_all(figure, stores)
    joined = {frozenset((one.child.id, one.parent.id)) for one, _ in limbs(figure, stores)}
    for place, upper in enumerate(shown):
        for lower in shown[:place]:
            if frozenset((lower.id, upper.id)) in joined or not boxes_touch(lower, upper, CUT_ALONG):
                continue
            offset = (upper.drawing.place[0] - lower.drawing.place[0], upper.drawing.place[1] - lower.drawing.place[1])
            band = max(CUT_ALONG, 1.2 * max(facts[part.id].line_width for part in (lower, upper)))
            length = _cut_length(
                lower.drawing.picture, upper.drawing.picture, offset, band, Beside((lower, upper, stores))
            )
            if length > max(CUT_LENGTH, CUT_SHARE * part_outline(lower, stores).length):
                sentence = f"{lower.name} is cut along {upper.name} for {length:.0f} px and not painted underneath"
                grow = Remedy(
                    word="Grow it underneath",
                    edit={"kind": "grow_under", "part": lower.id, "neighbour": upper.id, "by": 24.0},
                )
                yield about(lower, "cut", sentence, 0.42, grow, others=(upper,))


@lru_cache(maxsize=8192)
def _cut_length(
    _lower: str, _upper: str, offset: Point, band: float, beside: Beside[tuple[Part, Part, Stores]]
) -> float:
    """Length in px of the lower part's edge that runs along the upper's, where it does not reach under it.

    Cut along a line that both have, the two overlap by its width, `band`. From each spot of the lower edge that lies so
    near the upper's, one looks further in under the upper part: is the lower one painted there?
    """
    lower, upper, stores = beside.value
    rings = [np.array(ring.coords) for one in part_outline(lower, stores).geoms for ring in rings_of(one)]
    depth, slope = _depth(upper.drawing.picture, Beside((upper, stores)))
    alpha = part_alpha(lower, stores)
    total = 0.0
    for ring in rings:
        spots = _spots(ring) - offset
        at = _read(depth, spots)
        near = (at > -CUT_ALONG) & (at < band)
        if not near.any():
            continue
        inwards = np.stack([_read(one, spots) for one in slope], 1)
        inwards /= np.maximum(np.linalg.norm(inwards, axis=1, keepdims=True), 1e-6)
        under = spots + inwards * (2 * band - at)[:, None]
        painted = cv2.remap(alpha, (under + offset - 0.5).astype(np.float32)[:, None], None, cv2.INTER_NEAREST)[:, 0]
        cut = near & ~((painted > 127) & (_read(depth, under) > 1.5 * band))
        # two edges that only cross run within reach of one another for a few px; that is no cut
        total += sum(length for length in _runs(cut) if length > 4 * band)
    return total


def rings_of(polygon: Polygon) -> list[LinearRing]:
    """Every ring of a polygon: its outline, then its holes."""
    return [polygon.exterior, *polygon.interiors]


def _spots(ring: Floats) -> Floats:
    """Spots `SPOT` px apart around a ring (n, 2)."""
    runs = runs_along(ring)
    return spots_at(ring, runs, np.arange(0, runs[-1], SPOT))


def _runs(cut: NDArray[np.bool_]) -> list[float]:
    """Lengths in px of the runs of spots that are cut, the ring's start joined to its end."""
    if cut.all():
        return [len(cut) * SPOT]
    turned = np.roll(cut, -int(np.argmin(cut)))
    edges = np.flatnonzero(np.diff(np.concatenate([[False], turned, [False]]).astype(int)))
    return [float(end - start) * SPOT for start, end in zip(edges[::2], edges[1::2], strict=True)]


@lru_cache(maxsize=16)
def _depth(_picture: str, beside: Beside[tuple[Part, Stores]]) -> tuple[_Field, tuple[_Field, _Field]]:
    """How deep spots lie inside a part, px, negative outside, and the slope of that."""
    alpha = part_alpha(*beside.value)
    solid = np.pad((alpha > 127).astype(np.uint8), MARGIN)
    inside = cv2.distanceTransform(solid, cv2.DIST_L2, 5) - cv2.distanceTransform(1 - solid, cv2.DIST_L2, 5)
    smooth = cv2.GaussianBlur(inside, (0, 0), 2)
    return inside, (cv2.Sobel(smooth, cv2.CV_32F, 1, 0), cv2.Sobel(smooth, cv2.CV_32F, 0, 1))


def _read(field: _Field, spots: Floats) -> _Field:
    """A field's values at spots (n, 2), px of the part it was made from; far outside as at its border."""
    at = (spots + MARGIN - 0.5).astype(np.float32)[:, None]
    return np.asarray(cv2.remap(field, at, None, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)[:, 0])
