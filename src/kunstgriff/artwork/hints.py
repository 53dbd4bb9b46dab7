"""Plain hints an illustrator may write into a layer's name; all of them optional.

    ink of near arm, fill of near arm       two halves of one part, “near arm”
    arm, near   (far, left, right)          the side, put in front: “near arm”
    sketch, leave out                       kept with the figure, takes no part in it
    smile, alternate of mouth               a drawing to swap with “mouth”: both are put into one set
    head side, facing of head               another side of “head”; hidden at first

>>> hints_in("Forearm, far").name
'far Forearm'
>>> hints_in("ink of near arm")
Hints(name='near arm', leave_out=False, half='ink', alternate_of='', facing_of='')
>>> hints_in("salt, pepper").name
'salt, pepper'
"""

from __future__ import annotations

import re
from dataclasses import dataclass, replace
from typing import Literal

from kunstgriff.figure.sides import opposites

_HALF = re.compile(r"^(ink|fill) of (.+)$", re.IGNORECASE)
_KIN = re.compile(r"^(alternate|facing) of (.+)$", re.IGNORECASE)


@dataclass(frozen=True)
class Hints:
    """What a layer's name said besides the name; `half` says that it is one half of the part it names."""

    name: str
    leave_out: bool = False
    half: Literal["", "ink", "fill"] = ""
    alternate_of: str = ""
    facing_of: str = ""

    @property
    def stands_for(self) -> str:
        return self.alternate_of or self.facing_of


def hints_in(layer_name: str) -> Hints:
    """The name and its hints."""
    name, *phrases = [phrase.strip() for phrase in layer_name.split(",")]
    hints = Hints(name)
    for phrase in phrases:
        kin = _KIN.match(phrase)
        if phrase.casefold() == "leave out":
            hints = replace(hints, leave_out=True)
        elif phrase.casefold() in opposites():
            hints = replace(hints, name=f"{phrase.casefold()} {hints.name}")
        elif kin and kin[1].casefold() == "alternate":
            hints = replace(hints, alternate_of=kin[2])
        elif kin:
            hints = replace(hints, facing_of=kin[2])
        else:
            hints = replace(hints, name=f"{hints.name}, {phrase}")
    half = _HALF.match(hints.name)
    if half:
        hints = replace(hints, name=half[2], half="ink" if half[1].casefold() == "ink" else "fill")
    return hints
