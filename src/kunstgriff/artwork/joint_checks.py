"""Findings of the Artwork stage about neighbours: overlap, caps, line widths, areas cut away."""

from __future__ import annotations

from collections.abc import Iterator
from functools import lru_cache

from shapely import affinity
from shapely.geometry import MultiPolygon

from kunstgriff.artwork.checks import about
from kunstgriff.artwork.facts import facts_of_all
from kunstgriff.artwork.meetings import Meeting, Reading, meetings, read_meeting
from kunstgriff.artwork.outline import part_outline
from kunstgriff.figure.findings import Finding, Remedy, check
from kunstgriff.figure.model import Figure, Part, Point
from kunstgriff.figure.stores import Stores

GAP_TURN = 60.0  # degrees a limb should turn without a gap; most joints turn further (AAOS 1965, from memory)
SAME_LIMB = 0.75  # likeness of widths from which two parts at a joint are pieces of one limb
SLENDER = 1.3  # length by width from which a part is a limb piece
GUESSED_SLENDER = 1.6  # the same where neither a bone nor a person says that there is a joint
DEPARTURE = 0.08  # of the radius by which an end may depart from the circle
OVERLAP = 0.5  # of the radius two pieces should overlap at least
LINES_DIFFER = 0.25  # common practice, no source
CUT_ALONG = 2.5  # px within which an edge runs along a neighbour's outline
CUT_SHARE = 0.12  # of its whole edge
CUT_LENGTH = 30.0  # px an edge must run there to be plainly cut


def limbs(figure: Figure, stores: Stores) -> Iterator[tuple[Meeting, Reading]]:
    """Meetings where one limb goes on in another, with their readings."""
    for meeting in meetings(figure, stores):
        reading = read_meeting(meeting, stores)
        sure = meeting.bone is not None or meeting.child.pivot is not None
        if reading.alike >= SAME_LIMB and reading.slender >= (SLENDER if sure else GUESSED_SLENDER):
            yield meeting, reading


@check
def limb_ends(figure: Figure, stores: Stores) -> Iterator[Finding]:
    """Limb pieces that overlap too little, or whose ends are not round about the joint."""
    for meeting, read in limbs(figure, stores):
        child, parent = meeting.child, meeting.parent
        cap = Remedy(
            word="Make the cap",
            edit={"kind": "make_cap", "part": child.id, "pivot": list(meeting.pivot)},
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
                f"{child.name} departs {read.departure:.0f} px from a round end: "
                f"a gap opens at {parent.name} from {read.turn:.0f}°"
            )
            yield about(child, "cap", sentence, 0.5 - read.turn / 400, cap, others=(parent,))


def _lower(figure: Figure, one: Part, other: Part) -> Part:
    return min(one, other, key=figure.parts.index)


@check
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


@check
def cut_away(figure: Figure, stores: Stores) -> Iterator[Finding]:
    """Lower parts whose edge is cut along the outline of the part before them, with nothing painted underneath."""
    shown = [part for part in figure.parts if part.is_shown]
    joined = {frozenset((one.child.id, one.parent.id)) for one, _ in limbs(figure, stores)}
    for place, lower in enumerate(shown):
        for upper in shown[place + 1 :]:
            if frozenset((lower.id, upper.id)) in joined or not _near(lower, upper):
                continue
            offset = (upper.place[0] - lower.place[0], upper.place[1] - lower.place[1])
            length = _cut_length(_Pair(lower, upper, stores), lower.picture, upper.picture, offset)
            if length > max(CUT_LENGTH, CUT_SHARE * part_outline(lower, stores).length):
                sentence = f"{lower.name} is cut along {upper.name} for {length:.0f} px and not painted underneath"
                grow = Remedy(
                    word="Grow it underneath",
                    edit={"kind": "grow_under", "part": lower.id, "neighbour": upper.id, "by": 24.0},
                )
                yield about(lower, "cut", sentence, 0.42, grow, others=(upper,))


def _near(lower: Part, upper: Part) -> bool:
    return all(
        lower.place[axis] < upper.place[axis] + upper.size[axis] + CUT_ALONG
        and upper.place[axis] < lower.place[axis] + lower.size[axis] + CUT_ALONG
        for axis in (0, 1)
    )


class _Pair:
    """Two outlines read when needed; equal to any other, since digests and offset tell pairs apart."""

    def __init__(self, lower: Part, upper: Part, stores: Stores) -> None:
        self.parts, self.stores = (lower, upper), stores

    def outlines(self) -> tuple[MultiPolygon, MultiPolygon]:
        lower, upper = (part_outline(part, self.stores) for part in self.parts)
        return lower, upper

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _Pair)

    def __hash__(self) -> int:
        return 0


@lru_cache(maxsize=8192)
def _cut_length(pair: _Pair, _lower: str, _upper: str, offset: Point) -> float:
    """Length in px of the lower part's edge that runs along the upper's, where it does not reach under it."""
    lower, upper = pair.outlines()
    upper = affinity.translate(upper, *offset)
    if not lower.intersects(upper.buffer(CUT_ALONG)):
        return 0.0
    along = lower.boundary.intersection(upper.boundary.buffer(CUT_ALONG))
    # two edges that only cross run within reach of one another for a few px; that is no cut
    pieces = [one for one in getattr(along, "geoms", [along]) if one.length > 4 * CUT_ALONG]
    reaches_under = lower.intersection(upper.buffer(-2 * CUT_ALONG)).buffer(2 * CUT_ALONG)
    return float(sum(one.difference(reaches_under).length for one in pieces))
