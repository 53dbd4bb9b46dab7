"""Laying a hem: the tacks of a skirt or its two panels over two legs, and the mask that cuts both to one line.

Common practice, no source: the waist goes with the pelvis, the hem with half of the mean of both knees; its front and
back corners also with the knee that is furthest to their side. A panel follows its own leg more than the other.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry import LineString
from shapely.geometry.base import BaseGeometry

from kunstgriff.artwork.edits import with_parts
from kunstgriff.figure.edit import EditRefused, free_name, need_bone, need_part
from kunstgriff.figure.hems import Hem
from kunstgriff.figure.model import Bone, Drawing, Figure, Part, Rigid, Unbound
from kunstgriff.figure.sets import in_its_place
from kunstgriff.figure.stores import Stores, encode_png
from kunstgriff.figure.treatments import Clip
from kunstgriff.figure.warps import Lead, Tacks, Tie
from kunstgriff.warp.laying import placed_art
from kunstgriff.warp.named import with_warp
from kunstgriff.warp.tack_edits import tacks_of, with_tacks

WAIST, HEM, SIDE = 0.04, 0.04, 0.06  # of a panel's height and width that its corners lie inside the art
CHEST = 0.25  # of a part's height above the pelvis from which it is one part with the chest
PADDING = 0.5  # of the panels' width that the mask is wider to each side
CORNERS = ("left", "middle", "right")
WAISTS, HEMS, STILL = "waist", "hem", "chest"

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class Shares:
    """What the hem follows: a corner by so much of its own leg, of the other one, and of the one furthest to its side;
    its middle by so much of both. Of a single panel both legs are its own, by half."""

    own: float
    other: float
    lead: float
    middle_own: float
    middle_other: float

    def of(self, panels: int, front: bool, corner: str, near: str, far: str) -> tuple[tuple[Tie, ...], Lead | None]:
        """The ties and the lead of a corner of the front panel or the one behind."""
        mine, theirs = (near, far) if front else (far, near)
        own, other = (self.middle_own, self.middle_other) if corner == "middle" else (self.own, self.other)
        if panels == 1:
            own = other = (own + other) / 2
        ties = tuple(Tie(bone=bone, share=share) for bone, share in ((mine, own), (theirs, other)) if share > 0)
        if corner == "middle" or self.lead <= 0:
            return ties, None
        return ties, Lead(one=near, other=far, toward="right" if corner == "right" else "left", share=self.lead)


AS_LAID = {1: Shares(0.15, 0.15, 0.2, 0.25, 0.25), 2: Shares(0.35, 0.05, 0.2, 0.45, 0.1)}


def with_hem(figure: Figure, hem: Hem, above: tuple[Bone, ...], stores: Stores) -> Figure:
    """The figure with a hem: its panels bound to the pelvis where they follow nothing, tacked, and cut to one line
    where there are two. `above` are bones of the chest, which stays with them. Raises EditRefused where a panel has no
    art."""
    for ref in hem.panels:
        part = need_part(figure, ref)
        if isinstance(part.binding, Unbound):
            figure = with_parts(figure, {ref: part.model_copy(update={"binding": Rigid(bone=hem.pelvis)})})
        figure = _tacked(figure, hem, need_part(figure, ref), above, stores)
    if hem.behind is not None:
        figure, hem = _masked(figure, hem, stores)
    return figure.replace(hems=(*figure.hems, hem))


def _tacked(figure: Figure, hem: Hem, part: Part, above: tuple[Bone, ...], stores: Stores) -> Figure:
    art = placed_art(part, stores, "could be a skirt")
    if tacks_of(figure, part.id) is not None:
        raise EditRefused(f"“{part.name}” has tacks already; take them off first.")
    pelvis = need_bone(figure, hem.pelvis)
    left, top, right, low = art.bounds
    height = low - top
    one_with_chest = pelvis.joint[1] - top > CHEST * height and bool(above)
    waist = pelvis.joint[1] if one_with_chest else top + WAIST * height
    more: list[tuple[str, dict[str, object]]] = [
        (f"{WAISTS} {word}", {"place": spot, "carries": "turn"})
        for word, spot in zip(CORNERS, _across(art, waist), strict=True)
    ]
    if one_with_chest:
        middle = _across(art, top + WAIST * height)[1]
        more.append((STILL, {"place": middle, "carries": "turn", "ties": (Tie(bone=above[0].id, share=1.0),)}))
    shares = AS_LAID[len(hem.panels)]
    for word, spot in zip(CORNERS, _across(art, low - HEM * height), strict=True):
        ties, lead = shares.of(len(hem.panels), part.id == hem.panel, word, hem.near, hem.far)
        more.append((f"{HEMS} {word}", {"place": spot, "ties": ties, "lead": lead}))
    figure = with_tacks(figure, part, more, stores)
    warp = tacks_of(figure, part.id)
    assert warp is not None
    return with_warp(figure, warp.model_copy(update={"bone": hem.pelvis, "reach": None}))


def _across(art: BaseGeometry, level: float) -> list[tuple[float, float]]:
    """Three spots of the art at a level: near its left edge, in its middle, near its right one."""
    left, _, right, _ = art.bounds
    line = LineString([(left - 1, level), (right + 1, level)]).intersection(art)
    if line.is_empty:
        line, _ = shapely.ops.nearest_points(art, LineString([(left, level), (right, level)]))
    first, _, last, _ = line.bounds
    inset = SIDE * (last - first)
    spots = []
    for x in (first + inset, (first + last) / 2, last - inset):
        spot = shapely.Point(x, level)
        on = spot if art.contains(spot) else shapely.ops.nearest_points(art.buffer(-1), spot)[0]
        spots.append((round(on.x, 2), round(on.y, 2)))
    return spots


def _masked(figure: Figure, hem: Hem, stores: Stores) -> tuple[Figure, Hem]:
    """The figure with a part that goes with the pelvis and inside which alone the panels are drawn, down to where the
    lower one ends at rest."""
    panels = [need_part(figure, ref) for ref in hem.panels]
    boxes = [placed_art(part, stores).bounds for part in panels]
    left, top, right, low = (
        pick(one) for pick, one in zip((min, min, max, max), np.transpose(boxes).tolist(), strict=True)
    )
    wide, high = right - left, low - top
    x, y = round(left - PADDING * wide), round(top - PADDING * high)
    size = round((1 + 2 * PADDING) * wide), round(low) + 2 - y
    picture = stores.put_picture(encode_png(np.full((size[1], size[0], 4), 255, np.uint8)))
    mask = Part(
        id=f"p{figure.next_id}", name=free_name(f"{hem.name} mask", {one.name for one in figure.parts}),
        group=panels[0].group, drawing=Drawing(picture=picture, place=(float(x), float(y)), size=size),
        binding=Rigid(bone=hem.pelvis),
    )  # fmt: skip
    clips = tuple(
        Clip(id=f"c{figure.next_id + 1 + number}", part=part.id, by=mask.id, unseen=True)
        for number, part in enumerate(panels)
    )
    at = min(figure.parts.index(part) for part in panels)
    figure = figure.replace(
        parts=(*figure.parts[:at], mask, *figure.parts[at:]),
        treatments=(*figure.treatments, *clips), next_id=figure.next_id + 3,
    )  # fmt: skip
    return figure, hem.model_copy(update={"mask": mask.id})


def with_shares(figure: Figure, hem: Hem, shares: Shares) -> Figure:
    """The figure with other shares of the legs at a hem's corners."""
    for panel in hem.panels:
        for ref in drawings_of(figure, panel):
            warp = tacks_of(figure, ref)
            if warp is not None:
                figure = with_warp(figure, tacks_with(warp, hem, panel, shares))
    return figure


def drawings_of(figure: Figure, panel: str) -> tuple[str, ...]:
    """A panel, and the other drawings of its set that are tacked as well, by their parts."""
    return panel, *(ref for ref in in_its_place(figure, panel)[1:] if tacks_of(figure, ref) is not None)


def tacks_with(warp: Tacks, hem: Hem, panel: str, shares: Shares) -> Tacks:
    """The tacks of a panel with other shares of the legs at its hem."""
    handles = []
    for tack in warp.handles:
        corner = tack.name.removeprefix(f"{HEMS} ")
        if tack.name.startswith(f"{HEMS} ") and corner in CORNERS:
            ties, lead = shares.of(len(hem.panels), panel == hem.panel, corner, hem.near, hem.far)
            tack = tack.model_copy(update={"ties": ties, "lead": lead})
        handles.append(tack)
    return warp.model_copy(update={"handles": tuple(handles)})


def shares_of(figure: Figure, hem: Hem) -> Shares:
    """The shares a hem has now, as its front panel has them."""
    warp = tacks_of(figure, hem.panel)
    if warp is None:
        raise EditRefused(f"The tacks of “{hem.name}” are gone; lay the hem anew.")
    tacks = {tack.name: tack for tack in warp.handles}
    corner, middle = tacks.get(f"{HEMS} right"), tacks.get(f"{HEMS} middle")
    if corner is None or middle is None:
        raise EditRefused(f"The tacks of “{hem.name}” have other names now; lay the hem anew.")

    def share(ties: tuple[Tie, ...], bone: str) -> float:
        return next((tie.share for tie in ties if tie.bone == bone), 0.0)

    return Shares(
        share(corner.ties, hem.near), share(corner.ties, hem.far), corner.lead.share if corner.lead else 0.0,
        share(middle.ties, hem.near), share(middle.ties, hem.far),
    )  # fmt: skip
