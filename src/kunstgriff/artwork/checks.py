"""Findings of the Artwork stage: names and layers that will make trouble later."""

from __future__ import annotations

import re
from collections.abc import Iterator

from kunstgriff.figure.findings import Finding, check
from kunstgriff.figure.model import Figure, Part
from kunstgriff.figure.stores import Stores

MEANINGLESS = re.compile(
    r"^(layer|copy|copy of .*|group|shape|path|rect|part|untitled|new|object|image|sheet shape)?[ _-]*\d*$",
    re.IGNORECASE,
)
SIDES = {"near": "far", "far": "near", "left": "right", "right": "left"}


def _listed(names: list[str]) -> str:
    return ", ".join(names[:3]) + (f" and {len(names) - 3} more" if len(names) > 3 else "")


@check
def meaningless_names(figure: Figure, stores: Stores) -> Iterator[Finding]:
    """Names a program gave, such as “Layer 12”."""
    found = [part for part in figure.parts if MEANINGLESS.match(part.name)]
    if found:
        many = "1 part has a name" if len(found) == 1 else f"{len(found)} parts have names"
        sentence = f"{many} that says nothing: {_listed([part.name for part in found])}"
        yield Finding(stage="artwork", sentence=sentence, weight=0.3, parts=tuple(part.id for part in found))


@check
def sides_not_told_apart(figure: Figure, stores: Stores) -> Iterator[Finding]:
    """Pairs numbered (“arm”, “arm 2”) where other parts tell their sides."""
    if not any(word in SIDES for part in figure.parts for word in part.name.lower().split()):
        return
    names = {part.name for part in figure.parts}
    for part in figure.parts:
        if part.name.endswith(" 2") and part.name[:-2] in names:
            sentence = f"{part.name[:-2]} and {part.name} are 2 parts told apart by a number only: near and far?"
            yield Finding(stage="artwork", sentence=sentence, weight=0.25, parts=(part.id,))


@check
def off_the_sheet(figure: Figure, stores: Stores) -> Iterator[Finding]:
    """Parts that lie wholly beside the sheet, where no picture shows them."""
    for part in figure.parts:
        if _outside(figure, part):
            yield Finding(
                stage="artwork", sentence=f"{part.name} lies 100 % off the sheet", weight=0.5, parts=(part.id,)
            )


def _outside(figure: Figure, part: Part) -> bool:
    x = part.place[0] + figure.sheet.standing_point[0]
    y = part.place[1] + figure.sheet.standing_point[1]
    return x >= figure.sheet.width or y >= figure.sheet.height or x + part.size[0] <= 0 or y + part.size[1] <= 0
