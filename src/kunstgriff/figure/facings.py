"""Facings as a document says them: the sides a figure is seen from. One skeleton and one set of channels for all.

What a figure lists is what it is seen as from one side, the one that is `shown`; what the others have of their own is
laid by with them. So whatever changes a figure knows nothing of facings: it is turned to one, changed, and turned back
(see `facing.turning`). A side that mirrors another has nothing of its own.
"""

from __future__ import annotations

from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from kunstgriff.figure.bones import Bone
from kunstgriff.figure.controls import Correctives, Levers, Reaches
from kunstgriff.figure.hems import Hems
from kunstgriff.figure.parts import Group, Meeting, Part
from kunstgriff.figure.treatments import Treatment
from kunstgriff.figure.values import PLAIN, FigureMove, Id, Name, PartRef, Value
from kunstgriff.figure.warps import Warp

MOST_FACINGS = 16

Number = Annotated[int, Field(ge=1, le=99), PLAIN]
Listed = Literal["order", "treatments", "meetings", "warps", "hems", "correctives"]


class Facing(Value):
    """One side: the figure is turned by `angle` degrees, 0 to face us, 90 to look to the right of the picture.

    Laid by with it are the drawings and places that are its own: of `parts`, `bones`, `groups`, `reaches` and `levers`
    only what differs from side to side counts, all else is as the figure lists it. `order` is the draw order, back to
    front. What it has none of is on loan from the side nearest to it; while it is shown, `loans` says what is, and by
    how much each thing was moved to lie where the bone that carries it is.
    """

    number: Number
    name: Name
    angle: Annotated[float, Field(ge=-180, le=180), PLAIN] = 0.0
    mirrors: Number | None = None
    parts: Annotated[tuple[Part, ...], Field(max_length=5_000)] = ()
    bones: Annotated[tuple[Bone, ...], Field(max_length=5_000)] = ()
    groups: Annotated[tuple[Group, ...], Field(max_length=5_000)] = ()
    reaches: Reaches = ()
    levers: Levers = ()
    order: Annotated[tuple[PartRef, ...], Field(max_length=5_000)] | None = None
    treatments: Annotated[tuple[Treatment, ...], Field(max_length=2_000)] | None = None
    meetings: Annotated[tuple[Meeting, ...], Field(max_length=5_000)] | None = None
    warps: Annotated[tuple[Warp, ...], Field(max_length=500)] | None = None
    hems: Hems | None = None
    correctives: Correctives | None = None
    loans: Annotated[dict[Id, FigureMove], Field(max_length=40_000)] = {}
    listed_loans: Annotated[tuple[Listed, ...], Field(max_length=6), PLAIN] = ()


class Turnaround(Value):
    """The facings of a figure. The one that is `shown` has nothing laid by; a pose says by number which one it is in,
    and is in the `first` where it says none."""

    id: Id
    name: Name = "turnaround"
    first: Number
    shown: Number
    facings: Annotated[tuple[Facing, ...], Field(min_length=1, max_length=MOST_FACINGS)]

    @model_validator(mode="after")
    def _holds_together(self) -> Self:
        drawn = {one.number for one in self.facings if one.mirrors is None}
        if len({one.number for one in self.facings}) < len(self.facings):
            raise ValueError("Two facings have one number.")
        if len({one.name for one in self.facings}) < len(self.facings):
            raise ValueError("Two facings have one name.")
        if not {self.first, self.shown} <= drawn:
            raise ValueError("The facing that is shown is none that is drawn.")
        for one in self.facings:
            if one.mirrors is not None and one.mirrors not in drawn:
                raise ValueError(f"The facing {one.name} mirrors none that is drawn.")
        return self

    def facing(self, number: int) -> Facing | None:
        """The facing of that number, if there is one."""
        return next((one for one in self.facings if one.number == number), None)

    @property
    def around(self) -> list[Facing]:
        """The facings in the order of their angles."""
        return sorted(self.facings, key=lambda one: one.angle)

    def drawn(self, number: int) -> Facing:
        """The facing that is drawn where one of that number is seen: itself, the one it mirrors, or the first."""
        found = self.facing(number) or self.facing(self.first)
        assert found is not None
        return found if found.mirrors is None else self.drawn(found.mirrors)

    def is_mirrored(self, number: int) -> bool:
        """Whether a facing mirrors another."""
        found = self.facing(number)
        return found is not None and found.mirrors is not None
