"""Edits about the figure as a whole."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

from pydantic import AfterValidator, Field

from kunstgriff.figure.edit import Edit, EditRefused
from kunstgriff.figure.migrations import by_kind
from kunstgriff.figure.model import Figure, Name, Reference, Tolerances
from kunstgriff.figure.sides import Sides
from kunstgriff.figure.stores import Stores


class RenameFigure(Edit):
    """Give the figure another name."""

    kind: Literal["rename_figure"] = "rename_figure"
    name: Name

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        return figure.replace(name=self.name)

    def describe(self, figure: Figure) -> str:
        return f"rename the figure to {self.name}"


class SetSides(Edit):
    """Say by which pairs of words this figure's names tell sides: near and far, L and R, 1 and 2, front and back.

    Mirroring, templates, treatments of the like joint and findings go by them.
    """

    heeds_locks: ClassVar[bool] = False
    kind: Literal["set_sides"] = "set_sides"
    sides: Sides

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        words = [word.casefold() for pair in self.sides for word in pair]
        if len(set(words)) < len(words):
            raise EditRefused("Each word tells one side only; these name one twice.")
        return figure.replace(sides=self.sides)

    def describe(self, figure: Figure) -> str:
        return "say how sides are told"


class AcceptFinding(Edit):
    """Say that what a finding tells is meant so; it is not told again until the drawing changes there."""

    heeds_locks: ClassVar[bool] = False
    kind: Literal["accept_finding"] = "accept_finding"
    key: Annotated[str, Field(min_length=1, max_length=200), AfterValidator(by_kind)]

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        if self.key in figure.accepted:
            raise EditRefused("This is known to be meant so already.")
        return figure.replace(accepted=(*figure.accepted, self.key))

    def describe(self, figure: Figure) -> str:
        return "it is meant so"


class SetReference(Edit):
    """Lay a picture (already in the stores) under or over the work, to go by; without one, take it away."""

    heeds_locks: ClassVar[bool] = False
    kind: Literal["set_reference"] = "set_reference"
    reference: Reference | None = None

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        if self.reference is not None:
            try:
                stores.get_pixels(self.reference.picture)
            except ValueError as error:
                raise EditRefused(str(error)) from error
        return figure.replace(reference=self.reference)

    def describe(self, figure: Figure) -> str:
        return "reference picture" if self.reference else "take the reference picture away"


class SetTolerances(Edit):
    """Say what seams of this figure may show.

    A gap's largest disc and a line across are in px, the step of the line a share of its width, a notch one of half the
    limb's width.
    """

    kind: Literal["set_tolerances"] = "set_tolerances"
    tolerances: Tolerances

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        if self.tolerances == figure.tolerances:
            raise EditRefused("That is tolerated already.")
        return figure.replace(tolerances=self.tolerances)

    def describe(self, figure: Figure) -> str:
        return "what seams may show"
