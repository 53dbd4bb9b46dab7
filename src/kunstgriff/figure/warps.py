"""Warps as a document says them: what reshapes parts beyond what their bones do, one after the other.

All places are figure space at rest. What is dragged at rest is where a handle lies; what is dragged posed is a channel.
"""

from __future__ import annotations

from typing import Annotated, Literal, NamedTuple, Self

from pydantic import Field, model_validator

from kunstgriff.figure.values import (
    LENGTH,
    PLAIN,
    BoneRef,
    FigurePoint,
    Id,
    MemberRef,
    Name,
    NeededBoneRef,
    PartRef,
    Share,
    Value,
)

FEWEST, MOST = 2, 12  # columns and rows of a lattice
FEWEST_CORNERS, MOST_CORNERS = 3, 40  # of a cage
FEWEST_ALONG, MOST_ALONG = 2, 12  # handles of a curve
NARROWEST, WIDEST = 0.05, 5.0  # times its width that art is laid along a curve
MOST_TIES = 8  # bones one handle may be tied to
THINNEST = 1.0  # px² of the smallest lattice or cage
MOST_TACKS, MOST_DABS = 200, 500  # of one part
NEXT = 1.0  # px from one handle of a curve to the next at the least

Carries = Literal["place", "turn", "size"]
Count = Annotated[int, Field(ge=FEWEST, le=MOST), PLAIN]


class Tie(Value):
    """A handle follows a bone by a share of how far that moves it away from what carries its warp."""

    bone: NeededBoneRef
    share: Share


class Handle(Value):
    """A point of a warp that can be dragged, tied to bones, and ride on the spot of a part that lies under it.

    It is told by name which bones it has `lost` since somebody last said what it follows.
    """

    id: Id
    place: FigurePoint
    ties: Annotated[tuple[Tie, ...], Field(max_length=MOST_TIES)] = ()
    rides: PartRef | None = None
    lost: Annotated[tuple[Name, ...], Field(max_length=MOST_TIES), PLAIN] = ()


class CurveHandle(Handle):
    """A handle of a curve; the art is so many times as wide there as it was drawn."""

    width: Annotated[float, Field(ge=NARROWEST, le=WIDEST), PLAIN] = 1.0


class Wobble(Value):
    """How a lattice or tacks are jelly: handles swing about their places at `frequency` Hz, slowed by `damping_ratio`
    (1 is critical). Those of a lattice's `rim` are held, or else none: then those next to what carries it are the
    stiffest, and its outline keeps its area."""

    frequency: Annotated[float, Field(ge=0.2, le=20), PLAIN] = 2.4
    damping_ratio: Annotated[float, Field(ge=0.01, le=2), PLAIN] = 0.15
    rim: Annotated[bool, PLAIN] = True


class Lattice(Value):
    """A grid around parts, or all parts of groups, that they are reshaped by.

    As it was laid it is even: `corners` are its top left, its top right and its bottom left; `handles` lie row by row
    where they were dragged to. It is carried by `bone` (None: it stands still), and what it does is done in the frame
    of that. Smooth over the whole, unless it is `local`: then moving a handle leaves what is far from it as it is. One
    that is `jelly` follows through.
    """

    kind: Literal["lattice"] = "lattice"
    id: Id
    name: Name
    of: Annotated[tuple[MemberRef, ...], Field(min_length=1, max_length=1_000)]
    bone: BoneRef | None = None
    corners: tuple[FigurePoint, FigurePoint, FigurePoint]
    columns: Count
    rows: Count
    local: bool = False
    jelly: Wobble | None = None
    handles: Annotated[tuple[Handle, ...], Field(max_length=MOST * MOST)]

    @model_validator(mode="after")
    def _is_a_grid(self) -> Self:
        if len(self.handles) != self.columns * self.rows:
            raise ValueError(f"The lattice “{self.name}” has {len(self.handles)} handles, not one for each crossing.")
        (x, y), (ax, ay), (dx, dy) = self.corners
        if abs((ax - x) * (dy - y) - (ay - y) * (dx - x)) < THINNEST:
            raise ValueError(f"The lattice “{self.name}” has no size.")
        return self


class Cage(Value):
    """An outline of corners around parts, or all parts of groups, that they are reshaped by.

    `laid` is where the corners were put around the art, in order; `handles` are where they were dragged to. It is
    carried by `bone` as a lattice is. A `harmonic` one does not drag along what lies across a gap of its outline.
    """

    kind: Literal["cage"] = "cage"
    id: Id
    name: Name
    of: Annotated[tuple[MemberRef, ...], Field(min_length=1, max_length=1_000)]
    bone: BoneRef | None = None
    laid: Annotated[tuple[FigurePoint, ...], Field(min_length=FEWEST_CORNERS, max_length=MOST_CORNERS)]
    harmonic: bool = False
    handles: Annotated[tuple[Handle, ...], Field(max_length=MOST_CORNERS)]

    @model_validator(mode="after")
    def _is_an_outline(self) -> Self:
        if len(self.handles) != len(self.laid):
            raise ValueError(f"The cage “{self.name}” has {len(self.handles)} handles, not one for each corner.")
        ends = (*self.laid[1:], self.laid[0])
        if abs(sum(x * v - u * y for (x, y), (u, v) in zip(self.laid, ends, strict=True))) < 2 * THINNEST:
            raise ValueError(f"The cage “{self.name}” has no size.")
        return self


class Curve(Value):
    """A line of handles along parts, or all parts of groups, that these follow.

    `laid` is where the handles were put along the art, in order; `handles` are where they were dragged to. It is
    carried by `bone` as a lattice is. The art stretches along it, unless it `keeps_length`.
    """

    kind: Literal["curve"] = "curve"
    id: Id
    name: Name
    of: Annotated[tuple[MemberRef, ...], Field(min_length=1, max_length=1_000)]
    bone: BoneRef | None = None
    laid: Annotated[tuple[FigurePoint, ...], Field(min_length=FEWEST_ALONG, max_length=MOST_ALONG)]
    keeps_length: bool = False
    handles: Annotated[tuple[CurveHandle, ...], Field(max_length=MOST_ALONG)]

    @model_validator(mode="after")
    def _is_a_line(self) -> Self:
        if len(self.handles) != len(self.laid):
            raise ValueError(f"The curve “{self.name}” has {len(self.handles)} handles, not one for each place.")
        for (x, y), (u, v) in zip(self.laid, self.laid[1:], strict=False):
            if (u - x) ** 2 + (v - y) ** 2 < NEXT**2:
                raise ValueError(f"Two handles of the curve “{self.name}” lie on one spot.")
        return self


class Lead(Value):
    """A tack follows that one of two bones by a share whose tip is moved furthest to one side, gliding over from one to
    the other where both are moved about alike."""

    one: NeededBoneRef
    other: NeededBoneRef
    toward: Literal["left", "right"]
    share: Share


class Tack(Handle):
    """A spot of a part that is held: it follows bones by shares, and for what is left of a whole the carrier of its
    warp, or stands `still`. It `carries` its place, its place and turn, or these and its size. A `firm` one does not
    swing where the tacks are jelly."""

    name: Name
    lead: Lead | None = None
    still: bool = False
    carries: Carries = "place"
    firm: bool = False


class Dab(Value):
    """A dab of the brush that makes a part stiffer: in full in its middle, less towards its `radius`. At 0 it makes
    what others made stiff soft again."""

    place: FigurePoint
    radius: Annotated[float, Field(gt=0, le=10_000), LENGTH]
    amount: Share


class Tacks(Value):
    """Spots of one part that hold it; between them it deforms as rigidly as possible.

    It is carried by `bone` as a lattice is. A tack reaches over the whole part, or about `reach` px, beyond which the
    part stays as its bones have it. Where it is `stiff` it deforms less. Tacks that are `jelly` follow through.
    """

    kind: Literal["tacks"] = "tacks"
    id: Id
    name: Name
    of: Annotated[tuple[MemberRef, ...], Field(min_length=1, max_length=1)]
    bone: BoneRef | None = None
    reach: Annotated[float, Field(gt=0, le=100_000), LENGTH] | None = None
    stiff: Annotated[tuple[Dab, ...], Field(max_length=MOST_DABS)] = ()
    jelly: Wobble | None = None
    handles: Annotated[tuple[Tack, ...], Field(min_length=1, max_length=MOST_TACKS)]


Warp = Annotated[Lattice | Cage | Curve | Tacks, Field(discriminator="kind")]


class NamedHandle(NamedTuple):
    """A handle by a name of its own, for poses told from outside: the warp's name and its own or its number, from 1."""

    id: str
    name: str


def named_handles(warps: tuple[Warp, ...]) -> tuple[NamedHandle, ...]:
    """All handles of some warps by name; those of a lattice by column and row, tacks by name, others in turn."""
    found = []
    for warp in warps:
        for number, handle in enumerate(warp.handles):
            at = str(number + 1)
            if isinstance(warp, Lattice):
                at = f"{number % warp.columns + 1},{number // warp.columns + 1}"
            elif isinstance(handle, Tack):
                at = handle.name
            found.append(NamedHandle(id=handle.id, name=f"{warp.name} {at}"))
    return tuple(found)
