"""Which drawings of a figure belong to sets, and which of them wait while others show."""

from __future__ import annotations

from collections.abc import Iterable

from kunstgriff.figure.model import Figure, Group, Part


def set_of(figure: Figure, ref: str) -> Group | None:
    """The set that a part or group is a drawing of."""
    return next((one for one in figure.groups if any(drawing.of == ref for drawing in one.drawings)), None)


def parts_of_drawing(figure: Figure, ref: str) -> tuple[Part, ...]:
    """All parts of a drawing, which is a part or a group."""
    inside = within(figure, ref)
    return tuple(part for part in figure.parts if part.id == ref or part.group in inside)


def within(figure: Figure, ref: str) -> set[str]:
    """A group, and all groups inside it."""
    inside, new = set[str](), {ref}
    while new:
        inside |= new
        new = {group.id for group in figure.groups if group.parent in new} - inside
    return inside


def in_place_of(figure: Figure, one: Iterable[str], other: Iterable[str]) -> bool:
    """Whether some parts are other drawings of the same sets than some others, so that both never show together."""
    drawn = {part.id: (group.id, drawing.number) for group in figure.groups for drawing in group.drawings
             for part in parts_of_drawing(figure, drawing.of)}  # fmt: skip
    if not drawn:
        return False
    ours = dict(drawn[ref] for ref in one if ref in drawn)
    return any(drawn[ref][0] in ours and ours[drawn[ref][0]] != drawn[ref][1] for ref in other if ref in drawn)


def in_its_place(figure: Figure, ref: str) -> tuple[str, ...]:
    """A part, and the parts that are other drawings of its set and may show where it does."""
    group = set_of(figure, ref)
    others = () if group is None else (one.of for one in group.drawings if one.of != ref)
    return ref, *(one for one in others if figure.part(one) is not None)


def waiting(figure: Figure) -> frozenset[str]:
    """The parts that do not show at rest because another drawing of their set does."""
    refs = {drawing.of for group in figure.groups for drawing in group.drawings[1:]}
    return frozenset(part.id for ref in refs for part in parts_of_drawing(figure, ref)) if refs else frozenset()
