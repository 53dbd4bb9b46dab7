"""What is done to a figure's seams: each a recipe, made from the parts' own ink and fill and made anew with them.

All coordinates are figure space at rest. Pictures named here are made by the recipe and may be made again at any time.
"""

from __future__ import annotations

from typing import Annotated, Literal, Self

from pydantic import Field

from kunstgriff.figure.references import Means, refs
from kunstgriff.figure.values import (
    LENGTH,
    PLAIN,
    BoneRef,
    Colour,
    FigurePoint,
    Id,
    NeededBoneRef,
    NeededPartRef,
    PartRef,
    PastPictureDigest,
    PictureDigest,
    PixelSize,
    Share,
    Value,
)  # fmt: skip

Reach = Annotated[float, Field(gt=0, le=10_000), LENGTH]
Softness = Annotated[float, Field(ge=0, le=1_000), LENGTH]
Degrees = Annotated[float, Field(allow_inf_nan=False, ge=-360, le=360), Means("turn", endless=True)]
Line = Annotated[tuple[FigurePoint, ...], Field(min_length=2, max_length=200)]
Inks = Annotated[tuple[Colour, ...], Field(min_length=1, max_length=12)]
MOST_CUT = 24  # parts that cut one another's ink: each is a mask for each other


class Switch(Value):
    """On while `bone` is turned by `low` to `high` degrees from rest and stretched to `stretch` times or more.

    It comes on over `fade` degrees inside each end (0: at once).
    """

    bone: Annotated[str, Field(min_length=1, max_length=80), Means("bone", subject=True, needed=True)]
    low: Degrees = -360.0
    high: Degrees = 360.0
    fade: Annotated[float, Field(ge=0, le=180), PLAIN] = 0.0
    stretch: Annotated[float, Field(ge=1, le=20), Means("stretch", least=1.0)] | None = None

    @property
    def mirrored(self) -> Self:
        """The same for a bone on the other side."""
        return self.model_copy(update={"low": -self.high, "high": -self.low})

    @property
    def at_rest(self) -> bool:
        """Whether it is on where nothing is turned or stretched."""
        return self.low <= 0 <= self.high and (self.stretch is None or self.stretch <= 1)


class Recipe(Value):
    """Base of all treatments."""

    id: Id

    @property
    def used_bones(self) -> frozenset[str]:
        return refs(self, "bone")

    @property
    def used_parts(self) -> frozenset[str]:
        return refs(self, "part")


class Cover(Recipe):
    """An ink-less copy of `source` in front of `over`, near the joint of `bone`.

    `radius` (px) limits it to a disc around the joint (None: the whole part), `soft` (px) is how far that limit fades.
    By the half-line rule it ends where the part's line begins, so that lines along both parts keep their full width;
    without, it ends in the middle of that line, as a bare fill does. `inks` are the lines taken off (None: all).

    With `blend` the copy fades towards its own end, so that the two fills go over into one another; what fades there
    is seen with the line of `over` taken off, for which `fill` is the copy as far as it would hide it and `bare` that
    part without its line.
    """

    kind: Literal["cover"] = "cover"
    bone: BoneRef
    source: PartRef
    over: PartRef
    radius: Reach | None
    soft: Softness
    half_line: bool = True
    inks: Inks | None = None
    blend: bool = False
    picture: PictureDigest
    fill: PictureDigest | None = None
    bare: PictureDigest | None = None


class Trim(Recipe):
    """`part` is not drawn where the fill of `by` lies: its ink only, or ink and fill with `whole`.

    `bone`, `radius` and `soft` limit it to a joint, as they do a cover. `fill` is that of `by`, `bare` the part
    without its ink.
    """

    kind: Literal["trim"] = "trim"
    part: PartRef
    by: PartRef
    whole: bool = False
    bone: NeededBoneRef | None = None
    radius: Reach | None = None
    soft: Softness = 0.0
    inks: Inks | None = None
    fill: PictureDigest
    bare: PictureDigest


class Gusset(Recipe):
    """A piece of `source` laid over `over` at the joint of `bone`.

    It is cut away beyond the line `cut` across the limb and ends softly at `radius` px from the joint; beyond the joint
    it follows the bone of `over` by `share`. `bare` is the piece without ink, `fills` are those of
    `source` and `over`.
    """

    kind: Literal["gusset"] = "gusset"
    bone: BoneRef
    source: PartRef
    over: PartRef
    radius: Reach
    soft: Softness
    cut: Line
    share: Share = 0.0
    inks: Inks | None = None
    picture: PictureDigest
    bare: PictureDigest
    fills: tuple[PictureDigest, ...]


class Cap(Recipe):
    """A round end of `part` about the joint of `bone`, painted from its own fill and ink.

    `radius` (px) is that of the end (None: half the part's width there), `widens` how far from the joint (px) the limb
    has its own width again where that is another (None: at once). The part's picture is the one with the cap, `made`;
    `picture` is the drawing without it, `place` and `size` are its. A new drawing gets the cap anew.
    """

    kind: Literal["cap"] = "cap"
    part: PartRef
    bone: BoneRef
    radius: Reach | None = None
    widens: Reach | None = None
    picture: PictureDigest
    place: FigurePoint
    size: PixelSize
    made: PastPictureDigest


class Opening(Recipe):
    """The ink of `part` taken off along its edge from `start` to `end`, the shorter way round or the `longer` one.

    Over `soft` px at both ends it fades, or gets thinner and thinner where it `tapers`. `picture` is the part so drawn.
    """

    kind: Literal["opening"] = "opening"
    part: PartRef
    start: FigurePoint
    end: FigurePoint
    longer: bool = False
    tapers: bool = True
    soft: Softness = 12.0
    inks: Inks | None = None
    picture: PictureDigest


class InkCut(Recipe):
    """The ink of each of `parts` is cut wherever the fill of another of them lies.

    `fills` are theirs, `bares` the parts without ink, both in the order of `parts`.
    """

    kind: Literal["ink_cut"] = "ink_cut"
    parts: Annotated[tuple[NeededPartRef, ...], Field(min_length=2, max_length=MOST_CUT)]
    inks: Inks | None = None
    fills: tuple[PictureDigest, ...]
    bares: tuple[PictureDigest, ...]


class Clip(Recipe):
    """`part` is drawn only inside `by`, or `erased` where that is; `unseen` does not draw `by` itself."""

    kind: Literal["clip"] = "clip"
    part: PartRef
    by: PartRef
    erased: bool = False
    unseen: bool = False
    switch: Switch | None = None


class Fold(Recipe):
    """A small line that rides `part`, in front of all at its joint, and fades in as `switch` says."""

    kind: Literal["fold"] = "fold"
    part: PartRef
    line: Line
    width: Annotated[float, Field(gt=0, le=200), LENGTH]
    colour: Colour
    switch: Switch
    picture: PictureDigest


class StandIn(Recipe):
    """One `part` drawn in the place of `parts` while the switch is on; until then it is not drawn.

    One that the program `made` of two parts is drawn anew with them.
    """

    kind: Literal["stand_in"] = "stand_in"
    part: PartRef
    parts: Annotated[tuple[NeededPartRef, ...], Field(min_length=1, max_length=24)]
    switch: Switch
    made: bool = False


class Order(Recipe):
    """`part` is drawn just in front of another while the switch is on."""

    kind: Literal["order"] = "order"
    part: PartRef
    in_front_of: PartRef
    switch: Switch


class Stacking(Recipe):
    """Where `part` lies over itself, what follows `bones` lies in front while the switch is on, the last over those
    before."""

    kind: Literal["stacking"] = "stacking"
    part: PartRef
    bones: Annotated[tuple[BoneRef, ...], Field(min_length=1, max_length=200)]
    switch: Switch


Treatment = Annotated[
    Cover | Trim | Gusset | Cap | Opening | InkCut | Clip | Fold | StandIn | Order | Stacking,
    Field(discriminator="kind"),
]


def reach_of(one: Cover | Trim) -> float | None:
    """How far from its joint a cover or trim is seen at all, px; None: everywhere."""
    return None if one.radius is None else one.radius + one.soft


def hides_line(one: Treatment, bone: str) -> bool:
    """Whether it is a cover, trim or gusset at a bone's joint: what keeps the line there hidden."""
    return isinstance(one, Cover | Trim | Gusset) and one.bone == bone
