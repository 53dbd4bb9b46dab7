"""The draw list: what is painted, back to front, and what of it is masked.

The browser, the server and the deliveries all paint these items; nothing else decides what is seen.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any, Literal

from kunstgriff.artwork.looks import shares_of
from kunstgriff.figure.edit import group_path
from kunstgriff.figure.model import Figure, Part


@dataclass(frozen=True)
class DrawItem:
    """One thing to paint: triangles `first` to `first + count` (in indices) of the rig, with a picture.

    `groups` are those around it, outermost first, and `layers` those of them painted by themselves; `tint` is straight
    colour and share. Its `masks` take it away, or only its ink: there `bare` is painted instead. `switches` are numbers
    of those of the rig; its opacity is multiplied by how far each is on. `block` is the block of vertices it uses and
    `anchor` the part whose place in the draw order it goes with.
    """

    id: str
    part: str
    picture: str
    variant: Literal["full", "ink-less", "gusset", "fold"]
    opacity: float
    block: str
    anchor: str
    blend: str = "normal"
    tint: tuple[float, float, float, float] = (0.0, 0.0, 0.0, 0.0)
    groups: tuple[str, ...] = ()
    layers: tuple[str, ...] = ()
    masks: tuple[Mask, ...] = ()
    bare: str | None = None
    switches: tuple[int, ...] = ()
    first: int = 0
    count: int = 0


@dataclass(frozen=True)
class Mask:
    """Keeps an item inside the `shapes` together, or with `out` outside of them: by in and out of Porter & Duff 1984.

    With `ink_only` what it takes away is the item's ink: its bare picture is seen there. It takes effect as far as its
    `switches` are on.
    """

    shapes: tuple[DrawItem, ...]
    out: bool
    ink_only: bool = False
    switches: tuple[int, ...] = ()


def item_of(figure: Figure, part: Part, /, **changes: Any) -> DrawItem:
    """The draw item of a part as it is, or with some fields changed (a cover's picture, another's place)."""
    item = DrawItem(
        id=part.id,
        part=part.id,
        picture=part.drawing.strip.picture if part.drawing.strip else part.drawing.picture,
        variant="full",
        opacity=part.opacity,
        block=part.id,
        anchor=part.id,
        blend=part.blend,
        tint=shares_of(part.tint),
        groups=group_path(figure, part.group),
        layers=layers_around(figure, part.group),
    )
    return replace(item, **changes)


def around(figure: Figure, group: str | None) -> dict[str, tuple[str, ...]]:
    """The groups around an item as its fields."""
    return {"groups": group_path(figure, group), "layers": layers_around(figure, group)}


def layers_around(figure: Figure, group: str | None) -> tuple[str, ...]:
    """The groups around that are painted by themselves first, outermost first."""
    plain = {one.id for one in figure.groups if one.is_plain}
    return tuple(ref for ref in group_path(figure, group) if ref not in plain)
