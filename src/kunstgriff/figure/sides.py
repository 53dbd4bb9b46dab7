"""Which side a name tells, by the words a figure says it tells them by.

>>> side_of("near upper arm"), side_of("arm_L", (("L", "R"),)), side_of("lamp")
('near', 'l', None)
>>> other_side("near ear 2"), other_side("Arm_L.upper", (("L", "R"),)), other_side("Left leg")
('far ear 2', 'Arm_R.upper', 'Right leg')
>>> without_side("Arm_L.upper", (("L", "R"),)), without_side("near arm")
('Arm.upper', 'arm')
"""

from __future__ import annotations

import re
from typing import Annotated

from pydantic import Field, StringConstraints

SideWord = Annotated[str, StringConstraints(min_length=1, max_length=20, pattern=r"^[^\s_.\-]+$")]
Sides = Annotated[tuple[tuple[SideWord, SideWord], ...], Field(min_length=1, max_length=8)]
SIDES: tuple[tuple[str, str], ...] = (("near", "far"), ("left", "right"))  # unless a figure says otherwise
_BETWEEN = re.compile(r"([\s_.\-]+)")


def words_of(name: str) -> list[str]:
    """The words of a name in small letters; spaces, dots, dashes and underscores part them."""
    return [word for word in _BETWEEN.split(name.casefold())[::2] if word]


def opposites(sides: tuple[tuple[str, str], ...] = SIDES) -> dict[str, str]:
    """The word of the other side for each word of one, in small letters."""
    pairs = [(one.casefold(), other.casefold()) for one, other in sides]
    return {**dict(pairs), **{other: one for one, other in pairs}}


def side_of(name: str, sides: tuple[tuple[str, str], ...] = SIDES) -> str | None:
    """The side a name tells, in small letters, if it does."""
    known = opposites(sides)
    return next((word for word in words_of(name) if word in known), None)


def other_side(name: str, sides: tuple[tuple[str, str], ...] = SIDES) -> str:
    """The name with its words of a side exchanged for the other's, written as they were."""
    known = opposites(sides)

    def exchanged(word: str) -> str:
        other = known.get(word.casefold())
        if other is None:
            return word
        return other.upper() if word.isupper() else other.capitalize() if word[:1].isupper() else other

    return "".join(exchanged(one) for one in _BETWEEN.split(name))


def without_side(name: str, sides: tuple[tuple[str, str], ...] = SIDES) -> str:
    """The name without its words of a side."""
    known, pieces = opposites(sides), _BETWEEN.split(name)
    kept = ""
    for number in range(0, len(pieces), 2):
        if pieces[number] and pieces[number].casefold() not in known:
            kept += (pieces[number - 1] if kept and number else "") + pieces[number]
    return kept
