"""Edits of cages: laying one, its corners."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np
from pydantic import Field
from shapely.geometry import Polygon as Outline

from kunstgriff.figure.edit import Edit, EditRefused
from kunstgriff.figure.model import Figure, Name, Point
from kunstgriff.figure.references import forgetting
from kunstgriff.figure.stores import Stores
from kunstgriff.figure.warps import FEWEST_CORNERS, MOST_CORNERS, Cage, Curve, Handle
from kunstgriff.warp.laying import caged, fine_enough, needs_harmonic, outlined, placed_art
from kunstgriff.warp.named import (
    GroupKeys,
    HandleKeys,
    Keys,
    around,
    laid_over,
    named,
    need_cage,
    need_handles,
    need_warp,
    told_of,
    with_warp,
)
from kunstgriff.warp.warping import covered

BEYOND = 0.05  # of a part that may lie outside its cage


class LayCage(Edit):
    """Lay a cage around parts, or all parts of groups: an outline of at most `corners`, or of the `points` given.

    It is carried by the bone that carries them all, unless another one is named. Where it would drag along what lies
    across a gap, it is a harmonic one. Parts get meshes fine enough for it.
    """

    kind: Literal["lay_cage"] = "lay_cage"
    parts: Keys = ()
    groups: GroupKeys = ()
    name: Name | None = None
    corners: Annotated[int, Field(ge=4, le=MOST_CORNERS)] = 10
    points: Annotated[tuple[Point, ...], Field(min_length=FEWEST_CORNERS, max_length=MOST_CORNERS)] | None = None
    bone: str | None = None

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        of, there, said = around(figure, self.groups, self.parts, self.name, self.bone)
        corners = self.points or outlined(there, stores, self.corners)
        cage = caged(figure, of, corners, said)
        refuse_outside(figure, cage, stores)
        harmonic = needs_harmonic(there, np.array(corners, np.float64), stores)
        return laid_over(figure, cage.model_copy(update={"harmonic": harmonic}), stores)

    def describe(self, figure: Figure) -> str:
        return told_of("cage", self.groups, self.parts)


class SetCage(Edit):
    """Change a cage: its name, which bone carries it (“”: none), whether it is harmonic."""

    kind: Literal["set_cage"] = "set_cage"
    warp: str
    name: Name | None = None
    bone: str | None = None
    harmonic: bool | None = None

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        cage = need_cage(figure, self.warp)
        changes = named(figure, cage, self.name, self.bone)
        if self.harmonic is not None:
            changes["harmonic"] = self.harmonic
        return fine_enough(with_warp(figure, cage.model_copy(update=changes)), stores)

    def describe(self, figure: Figure) -> str:
        return f"change the cage {need_warp(figure, self.warp).name}"


class AddCorner(Edit):
    """Add a corner to a cage after one of its corners, halfway to the next or at a place; the art stays as it is."""

    kind: Literal["add_corner"] = "add_corner"
    handle: str
    at: Point | None = None

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        (ref,) = need_handles(figure, (self.handle,))
        cage = next(one for one in figure.warps if any(handle.id == ref for handle in one.handles))
        if isinstance(cage, Curve):
            raise EditRefused(f"“{cage.name}” is a curve; say how many handles it has.")
        if not isinstance(cage, Cage):
            raise EditRefused(f"“{cage.name}” is no cage; change its columns and rows instead.")
        if len(cage.handles) == MOST_CORNERS:
            raise EditRefused(f"A cage has {MOST_CORNERS} corners at most.")
        number = next(k for k, handle in enumerate(cage.handles) if handle.id == ref)
        following = (number + 1) % len(cage.handles)
        laid = tuple(float(one) for one in np.mean([cage.laid[number], cage.laid[following]], 0))
        place = tuple(float(one) for one in np.mean([cage.handles[number].place, cage.handles[following].place], 0))
        if self.at is not None:
            shift = np.subtract(self.at, place)
            laid, place = (laid[0] + float(shift[0]), laid[1] + float(shift[1])), self.at
        fresh = Handle(id=f"h{figure.next_id}", place=(place[0], place[1]))
        return recornered(
            figure.replace(next_id=figure.next_id + 1), cage,
            (*cage.laid[: number + 1], (laid[0], laid[1]), *cage.laid[number + 1 :]),
            (*cage.handles[: number + 1], fresh, *cage.handles[number + 1 :]), stores,
        )  # fmt: skip

    def describe(self, figure: Figure) -> str:
        return "add a corner"


class RemoveCorners(Edit):
    """Remove corners from cages, three stay at the least."""

    kind: Literal["remove_corners"] = "remove_corners"
    handles: HandleKeys

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        gone = need_handles(figure, self.handles)
        for warp in figure.warps:
            if not any(one.id in gone for one in warp.handles):
                continue
            if isinstance(warp, Curve):
                raise EditRefused(f"“{warp.name}” is a curve; say how many handles it has.")
            if not isinstance(warp, Cage):
                raise EditRefused(f"“{warp.name}” is no cage; change its columns and rows instead.")
            left = [k for k, one in enumerate(warp.handles) if one.id not in gone]
            if len(left) < FEWEST_CORNERS:
                raise EditRefused(f"A cage has {FEWEST_CORNERS} corners at the least.")
            figure = recornered(
                figure, warp, tuple(warp.laid[k] for k in left), tuple(warp.handles[k] for k in left), stores
            )
        return figure.replace(poses=tuple(forgetting(kept, gone) for kept in figure.poses))

    def describe(self, figure: Figure) -> str:
        return "remove a corner" if len(self.handles) == 1 else f"remove {len(self.handles)} corners"


def recornered(
    figure: Figure, cage: Cage, laid: tuple[Point, ...], handles: tuple[Handle, ...], stores: Stores
) -> Figure:
    """The figure with other corners of a cage. Raises EditRefused where it would cross itself or leave much
    of the art outside."""
    if not Outline(laid).is_valid:
        raise EditRefused("The cage would cross itself.")
    after = cage.model_copy(update={"laid": laid, "handles": handles})
    refuse_outside(figure, after, stores)
    return fine_enough(with_warp(figure, after), stores)


def refuse_outside(figure: Figure, cage: Cage, stores: Stores) -> None:
    """Raises EditRefused where a cage leaves much of what it lies around outside."""
    outline, under = Outline(cage.laid), covered(figure, cage)
    for part in figure.parts:
        if part.left_out or part.id not in under:
            continue
        art = placed_art(part, stores)
        outside = float(art.difference(outline).area / max(art.area, 1e-9))
        if outside > BEYOND:
            raise EditRefused(
                f"The cage leaves {outside:.0%} of “{part.name}” outside; put its corners around all of it."
            )
