"""Sets: of the drawings of a group one is painted at a time, the one its channel says."""

from __future__ import annotations

import math
from dataclasses import replace

from kunstgriff.evaluate.program import Build, Drawn
from kunstgriff.evaluate.switching import SetSwitch
from kunstgriff.figure.model import Figure
from kunstgriff.figure.sets import parts_of_drawing
from kunstgriff.figure.stores import Stores


def shown_by_sets(build: Build, figure: Figure, stores: Stores, entries: list[Drawn]) -> list[Drawn]:
    """Items of drawings in sets with the switch of their drawing, and what is laid over them likewise."""
    switches = switches_of(build, figure)
    if not switches:
        return entries
    dressed = []
    for depth, item, faces in entries:
        ours = dict.fromkeys((*switches.get(item.part, ()), *switches.get(item.anchor, ())))
        dressed.append((depth, replace(item, switches=(*item.switches, *ours)), faces))
    return dressed


def switches_of(build: Build, figure: Figure) -> dict[str, tuple[int, ...]]:
    """Of each part in a set the numbers of the switches that must be on for it to be painted."""
    found: dict[str, tuple[int, ...]] = {}
    for row, group in enumerate(figure.groups):
        numbers = tuple(one.number for one in group.drawings)
        since, apart, dead = tuple[float, ...](), None, 0.0
        if group.taken_by is not None:
            since = tuple(math.inf if one.since is None else one.since for one in group.drawings)
            apart = build.skeleton.index[group.taken_by.one], build.skeleton.index[group.taken_by.other]
            dead = group.taken_by.dead
        for drawing in group.drawings:
            switch = build.number_of(SetSwitch(row, group.id, drawing.number, numbers, apart, since, dead))
            for part in parts_of_drawing(figure, drawing.of):
                found[part.id] = (*found.get(part.id, ()), switch)
    return found
