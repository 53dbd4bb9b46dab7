"""Findings of the Artwork stage about names and about single layers. Those about neighbours are in `joint_checks`."""

from __future__ import annotations

import re
from collections.abc import Iterator

import numpy as np

from kunstgriff.artwork.facts import SOFT, facts_of_all
from kunstgriff.artwork.middle import bend_of
from kunstgriff.artwork.straight import can_straighten
from kunstgriff.figure.edit import free_name
from kunstgriff.figure.findings import Finding, Remedy, about
from kunstgriff.figure.model import Figure, Part, Weighted
from kunstgriff.figure.sides import opposites, side_of, without_side
from kunstgriff.figure.stores import Stores

MEANINGLESS = re.compile(
    r"^(layer|copy|copy of .*|group|shape|path|rect|part|untitled|new|object|image|sheet shape)?[ _-]*\d*$",
    re.IGNORECASE,
)
LONG_ENOUGH = 0.12  # of the sheet's height; a mouth or a lash is drawn as it is
BENT = 60.0  # degrees along its middle line from which a lock or strip bends better drawn straight


def meaningless_names(figure: Figure, stores: Stores) -> Iterator[Finding]:
    """Names a program gave, such as “Layer 12”, each with a better one from its group and place."""
    for part in figure.parts:
        if MEANINGLESS.match(part.name) and not part.left_out:
            name = suggested_name(figure, part)
            rename = Remedy(word=f"Call it “{name}”", edit={"kind": "rename_part", "part": part.id, "name": name})
            yield about(part, "name", f"“{part.name}” is a name that says nothing", 0.3, rename)


def suggested_name(figure: Figure, part: Part) -> str:
    """A name from the part's group, or else the nearest well-named part, and from where it lies there."""
    group = next((one for one in figure.groups if one.id == part.group), None)
    named = [one for one in figure.parts if one.id != part.id and not MEANINGLESS.match(one.name)]
    if group is not None and not MEANINGLESS.match(group.name):
        beside = [one for one in figure.parts if one.group == part.group and one.id != part.id]
        stem = group.name
    elif named:
        nearest = min(named, key=lambda one: float(np.hypot(*np.subtract(_middle(one), _middle(part)))))
        stem, beside = nearest.name, [nearest]
    else:
        stem, beside = "piece", [one for one in figure.parts if one.id != part.id]
    if not beside:
        return free_name(stem, {one.name for one in figure.parts})
    dx, dy = np.subtract(_middle(part), np.mean([_middle(one) for one in beside], axis=0))
    where = ("right" if dx > 0 else "left") if abs(dx) > abs(dy) else ("lower" if dy > 0 else "upper")
    return free_name(f"{where} {stem}"[:76], {one.name for one in figure.parts})


def _middle(part: Part) -> tuple[float, float]:
    return part.drawing.place[0] + part.drawing.size[0] / 2, part.drawing.place[1] + part.drawing.size[1] / 2


def sides_not_told_apart(figure: Figure, stores: Stores) -> Iterator[Finding]:
    """Pairs numbered (“arm”, “arm 2”) where other parts tell their sides."""
    sides = {side_of(part.name, figure.sides) for part in figure.parts} - {None}
    if not sides:
        return
    names = {part.name: part for part in figure.parts}
    words = next(pair for pair in figure.sides if sides & {word.casefold() for word in pair})
    for part in figure.parts:
        first = names.get(part.name[:-2]) if part.name.endswith(" 2") else None
        if first is None:
            continue
        told = side_of(first.name, figure.sides)
        # what lies further in front is nearer
        nearer = part if figure.parts.index(part) > figure.parts.index(first) else first
        side = opposites(figure.sides)[told] if told else words[0] if nearer is part else words[1]
        bare = without_side(first.name, figure.sides)
        name = free_name(f"{side} {bare}", set(names))
        yield about(
            part,
            "sides",
            f"{first.name} and {part.name} are 2 parts told apart by a number only",
            0.25,
            Remedy(word=f"Call this one “{name}”", edit={"kind": "rename_part", "part": part.id, "name": name}),
            others=(first,),
        )
    yield from _lone_sides(figure)


def _lone_sides(figure: Figure) -> Iterator[Finding]:
    """Parts with a side whose namesake of the other side lacks its word (“near arm” beside “arm”)."""
    names = {part.name.casefold(): part for part in figure.parts}
    for part in figure.parts:
        side = side_of(part.name, figure.sides)
        other = names.get(without_side(part.name, figure.sides).casefold())
        if side is not None and other is not None and other.id != part.id:
            name = free_name(f"{opposites(figure.sides)[side]} {other.name}", {one.name for one in figure.parts})
            rename = Remedy(word=f"Call it “{name}”", edit={"kind": "rename_part", "part": other.id, "name": name})
            yield about(other, "side", f"{other.name} lacks the side that {part.name} tells", 0.22, rename)


def off_the_sheet(figure: Figure, stores: Stores) -> Iterator[Finding]:
    """Parts that lie wholly beside the sheet, where no picture shows them."""
    for part in figure.parts:
        x, y = np.add(part.drawing.place, figure.sheet.standing_point)
        right, bottom = figure.sheet.width - part.drawing.size[0], figure.sheet.height - part.drawing.size[1]
        if -part.drawing.size[0] < x < figure.sheet.width and -part.drawing.size[1] < y < figure.sheet.height:
            continue
        to = np.subtract((np.clip(x, 0, max(right, 0)), np.clip(y, 0, max(bottom, 0))), figure.sheet.standing_point)
        back = Remedy(
            word="Bring it onto the sheet",
            edit={"kind": "place_part", "part": part.id, "to": [float(to[0]), float(to[1])]},
        )
        yield about(part, f"off {part.drawing.place}", f"{part.name} lies 100 % off the sheet", 0.5, back)


def odd_layers(figure: Figure, stores: Stores) -> Iterator[Finding]:
    """Layers that are a plain block, in several pieces, with holes, with stray pixels or a soft edge."""
    facts = facts_of_all(figure, stores)
    masks = {one.by for one in figure.treated("clip") if one.unseen}
    for part in figure.parts:
        if part.left_out or part.id in masks:
            continue
        read = facts[part.id]

        def mend(word: str, kind: str, ref: str = part.id) -> Remedy:
            return Remedy(word=word, edit={"kind": kind, "parts": [ref]})

        if read.is_plain_block:
            size = f"{part.drawing.size[0]} × {part.drawing.size[1]} px"
            yield about(
                part, "block", f"{part.name} is {size} of one colour", 0.45, mend("Leave it out", "leave_out_parts")
            )
            continue
        if read.strays:
            sentence = f"{part.name} has {_counted(len(read.strays), 'stray speck')} away from the rest"
            yield about(part, "strays", sentence, 0.4, mend("Erase them", "erase_strays"))
        if len(read.islands) > 1:
            sentence = f"{part.name} lies in {len(read.islands)} pieces that would move as one"
            yield about(part, "islands", sentence, 0.3, mend("Make each a part", "split_islands"))
        if read.holes:
            area = f"{read.holes[0]:.0f} px²"
            sentence = f"{part.name} has {_counted(len(read.holes), 'hole')}, the largest of {area}"
            word = "Fill it" if len(read.holes) == 1 else "Fill them"
            yield about(part, "holes", sentence, 0.28, mend(word, "fill_holes"))
        if read.softness > SOFT:
            sentence = f"{part.name} has an edge {read.softness:.1f} px soft, which will show as a halo"
            yield about(part, "soft", sentence, 0.35, mend("Harden it", "harden_edges"))


def _counted(count: int, word: str) -> str:
    return f"{count} {word}" if count == 1 else f"{count} {word}s"


def curved_strips(figure: Figure, stores: Stores) -> Iterator[Finding]:
    """Locks and strips drawn so curved that they bend better from a straight picture."""
    for part in figure.parts:
        bound = isinstance(part.binding, Weighted) and len(part.binding.influences) > 1
        if part.drawing.strip is not None or bound or not part.is_shown:
            continue
        if max(part.drawing.size) < LONG_ENOUGH * figure.sheet.height:
            continue
        bend = bend_of(part, stores)
        if bend is not None and bend > BENT:
            straighten = Remedy(word="Straighten", edit={"kind": "straighten", "parts": [part.id]})
            remedies = [straighten] if can_straighten(part, stores) else []
            yield about(part, "bent", f"{part.name} bends by {bend:.0f}° along its length", 0.12, *remedies)
