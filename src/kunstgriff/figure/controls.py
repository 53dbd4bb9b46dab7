"""Controls of a figure: handles that pose it for people who do not know its bones."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Annotated, Any, Final, Literal, Self

from pydantic import BeforeValidator, Field, model_validator

from kunstgriff.figure.references import Means
from kunstgriff.figure.values import (
    PLAIN,
    ArrayDigest,
    BoneRef,
    FigurePoint,
    Id,
    Name,
    NeededBoneRef,
    NeededPartRef,
    PartRef,
    PxArrayDigest,
    Share,
    Value,
)

FEWEST_LINKS, MOST_LINKS = 2, 12

Hue = Annotated[float, Field(ge=0, lt=360), PLAIN]  # degrees, OKLCH: the colour a control is drawn in
Side = Literal["clockwise", "counterclockwise"]
OTHER_SIDE: Final[Mapping[Side, Side]] = {"clockwise": "counterclockwise", "counterclockwise": "clockwise"}
Foot = Literal["along", "level", "own"]


class Hang(Value):
    """What else a goal can hang on: a bone, the spot of a part that lies under it at rest, or else the world. It has a
    `number` by which a pose names it, and which it keeps."""

    number: Annotated[int, Field(ge=1, le=99), PLAIN]
    bone: BoneRef | None = None
    part: PartRef | None = None


Hangs = Annotated[tuple[Hang, ...], Field(max_length=12)]


class Reach(Value):
    """A chain of so many `bones` back from `tip`, whose end goes to a goal. It rests where the end is at rest.

    The goal hangs on a bone, on the spot of a part under it (`hangs_at`) or, without one, on the world; a pose may say
    that it hangs on one of `others`. Joints bend to a `side`. A chain that is too short may
    `stretch` by a share of its length at the most: the middle of each bone's art takes that up, and thins so that its
    area is kept by a share `keeps`; the last share `soft` of its length is eased into. What hangs on the end of it, the
    `foot`, goes along with it, stays level, or has an angle of its own against what the goal hangs on; it is turned by
    what the goal is.
    """

    kind: Literal["reach"] = "reach"
    id: Id
    name: Name
    tip: NeededBoneRef
    bones: Annotated[int, Field(ge=FEWEST_LINKS, le=MOST_LINKS), PLAIN] = 2
    side: Annotated[Side, PLAIN] = "clockwise"
    hangs_on: BoneRef | None = None
    hangs_at: PartRef | None = None
    others: Hangs = ()
    stretch: Annotated[float, Field(allow_inf_nan=False, ge=0, le=4), PLAIN] = 0.0
    keeps: Share = 1.0
    soft: Annotated[float, Field(allow_inf_nan=False, ge=0, le=0.5), PLAIN] = 0.05
    foot: BoneRef | None = None
    foot_goes: Annotated[Foot, PLAIN] = "level"
    hue: Hue | None = None


class Look(Value):
    """A bone that turns towards a goal, which lies at `goal` where the bone is at rest: it `takes` a share of the way,
    and turns from `low` to `high` degrees at the most. Its goal hangs as that of a reach does."""

    kind: Literal["look"] = "look"
    id: Id
    name: Name
    bone: NeededBoneRef
    goal: FigurePoint
    takes: Share = 1.0
    low: Annotated[float, Field(ge=-180, le=0), PLAIN] = -60.0
    high: Annotated[float, Field(ge=0, le=180), PLAIN] = 60.0
    hangs_on: BoneRef | None = None
    hangs_at: PartRef | None = None
    others: Hangs = ()
    hue: Hue | None = None


class Counter(Value):
    """A bone that keeps its angle to the world by a share `turn`, whatever turns what it hangs on, and the place of its
    joint by a share `place`."""

    kind: Literal["counter"] = "counter"
    id: Id
    name: Name
    bone: NeededBoneRef
    turn: Share = 1.0
    place: Share = 0.0


def _of_a_kind(data: Any) -> Any:
    """Before there were others all were reaches, and said no kind."""
    if isinstance(data, Mapping) and "kind" not in data:
        return {"kind": "reach", **data}
    return data


Aim = Reach | Look | Counter
Reaches = Annotated[
    tuple[Annotated[Aim, Field(discriminator="kind"), BeforeValidator(_of_a_kind)], ...], Field(max_length=200)
]

Shown = Annotated[float, Field(allow_inf_nan=False, ge=-1000, le=1000), PLAIN]
Offset = Annotated[float, Field(allow_inf_nan=False, ge=-1e6, le=1e6), Means("channel offset")]
Driven = Annotated[str, Field(min_length=3, max_length=130), Means("channel", subject=True, needed=True)]
MOST_KNOTS, MOST_DRIVES = 40, 2_000


class Knot(Value):
    """A spot of a curve: where what drives is `at`, counted from its rest, a channel is moved `by` so much."""

    at: Annotated[float, Field(allow_inf_nan=False, ge=-36_000, le=36_000), PLAIN]
    by: Offset


DeadZone = Annotated[float, Field(allow_inf_nan=False, ge=0, le=90), PLAIN]


class Drive(Value):
    """How a `channel` is moved: by a curve through `knots`, on top of whatever else poses it, and by nothing at rest.

    Between knots it is straight or, where it is `smooth`, monotone and cubic (Fritsch & Carlson 1980); past the last
    ones it stays. A stepped channel is what the last knot says that was passed from rest. Where the turn of a bone
    drives it, it goes back only `dead` degrees before the knot, so that nothing flickers.
    """

    channel: Driven
    knots: Annotated[tuple[Knot, ...], Field(min_length=2, max_length=MOST_KNOTS)]
    smooth: Annotated[bool, PLAIN] = True
    dead: DeadZone = 0.0

    @model_validator(mode="after")
    def _rests(self) -> Self:
        places = [knot.at for knot in self.knots]
        if sorted(set(places)) != places:
            raise ValueError(f"The knots of the curve for {self.channel} are not in order.")
        if not any(knot.at == 0 and knot.by == 0 for knot in self.knots):
            raise ValueError(f"The curve for {self.channel} does not go through its rest.")
        return self


Drives = Annotated[tuple[Drive, ...], Field(max_length=MOST_DRIVES)]


class Axis(Value):
    """One way a lever goes, from `low` to `high`, as its numbers are shown; it rests at `rest`.

    Within `soft` of an end it begins to resist (0: it just stops). `detents` are where a hand feels it catch.
    """

    low: Shown = -1.0
    high: Shown = 1.0
    rest: Shown = 0.0
    soft: Annotated[float, Field(allow_inf_nan=False, ge=0, le=1000), PLAIN] = 0.0
    detents: Annotated[tuple[Shown, ...], Field(max_length=40)] = ()
    drives: Drives = ()

    @model_validator(mode="after")
    def _in_order(self) -> Self:
        if not (self.low <= self.rest <= self.high and self.low < self.high):
            raise ValueError("A lever rests between its ends.")
        if not all(self.low <= one <= self.high for one in self.detents):
            raise ValueError("A lever catches between its ends.")
        return self


class Lever(Value):
    """A control of one's own, with an axis across (`x`), one upright (`y`, up) or both.

    It is drawn at a `place` on the sheet, where it goes along with the bone it `hangs_on`; without one it is on the
    slip of controls only. `hue` (degrees, OKLCH) is its colour.
    """

    id: Id
    name: Name
    x: Axis | None = None
    y: Axis | None = None
    place: FigurePoint | None = None
    hangs_on: BoneRef | None = None
    hue: Hue | None = None

    @model_validator(mode="after")
    def _goes_somewhere(self) -> Self:
        if self.x is None and self.y is None:
            raise ValueError(f"The lever {self.name} has no axis.")
        return self

    @property
    def axes(self) -> Iterator[tuple[str, Axis]]:
        """Its axes, each with the name of its channel."""
        for name, axis in (("lever.x", self.x), ("lever.y", self.y)):
            if axis is not None:
                yield name, axis


class TurnDrives(Value):
    """What the turn of a bone (degrees, against its parent, as it comes out in the end) moves by itself."""

    bone: NeededBoneRef
    drives: Annotated[Drives, Field(min_length=1)]


class Sculpt(Value):
    """How a part's vertices are pulled: `offsets` (n, 2) px, each in the frame that turns with its vertex.

    They are of the mesh the part had then: its `vertices` (n, 2) in px of a picture that lay at `place`, and its
    `triangles` (m, 3). Whatever mesh the part has later takes them over from that one.
    """

    part: NeededPartRef
    place: FigurePoint
    vertices: PxArrayDigest
    triangles: ArrayDigest
    offsets: PxArrayDigest


Sculpts = Annotated[tuple[Sculpt, ...], Field(max_length=2_000)]
Channel = Annotated[str, Field(min_length=3, max_length=130), Means("channel", subject=True)]
ChannelValue = Annotated[float, Field(allow_inf_nan=False, ge=-1e6, le=1e6), Means("channel value")]


class Shape(Value):
    """A shape by name that is laid on by an amount, from `low` to `high`.

    It moves channels `on_top` of whatever poses them, by so much; brings others to a value `instead`; and pulls
    vertices. Shapes that are `like` one another (mouths, brows) never add up to more than one of them.
    """

    id: Id
    name: Name
    low: Annotated[float, Field(ge=-2, le=0), PLAIN] = 0.0
    high: Annotated[float, Field(gt=0, le=2), PLAIN] = 1.0
    on_top: Annotated[dict[Channel, Offset], Field(max_length=MOST_DRIVES)] = {}
    instead: Annotated[dict[Channel, ChannelValue], Field(max_length=MOST_DRIVES)] = {}
    sculpts: Sculpts = ()
    like: Name | None = None


class Sample(Value):
    """What is pulled where bones are turned `at` so many degrees against their parents: vertices of parts, and handles
    of warps by their `channels`, on top of whatever else moves these."""

    at: Annotated[tuple[Annotated[float, Field(ge=-360, le=360), PLAIN], ...], Field(min_length=1, max_length=2)]
    sculpts: Sculpts = ()
    channels: Annotated[dict[Channel, Offset], Field(max_length=MOST_DRIVES)] = {}


class Corrective(Value):
    """Shapes that come with the turns of one bone or of two together, exact at each of its samples and none at rest."""

    id: Id
    name: Name
    bones: Annotated[tuple[NeededBoneRef, ...], Field(min_length=1, max_length=2)]
    samples: Annotated[tuple[Sample, ...], Field(max_length=60)] = ()

    @model_validator(mode="after")
    def _of_its_bones(self) -> Self:
        if any(len(one.at) != len(self.bones) for one in self.samples):
            raise ValueError(f"The corrective {self.name} is of {len(self.bones)} bones, its samples are not.")
        places = [one.at for one in self.samples]
        if len(set(places)) != len(places) or any(not any(one) for one in places):
            raise ValueError(f"Two samples of the corrective {self.name} are at one place, or one is at rest.")
        return self


Shapes = Annotated[tuple[Shape, ...], Field(max_length=500)]
Correctives = Annotated[tuple[Corrective, ...], Field(max_length=500)]
Levers = Annotated[tuple[Lever, ...], Field(max_length=500)]
DrivenByTurns = Annotated[tuple[TurnDrives, ...], Field(max_length=2_000)]
