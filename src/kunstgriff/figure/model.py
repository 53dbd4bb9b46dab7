"""The figure: one frozen, validated document that says everything about a rig.

Dense arrays and pictures are not in it; it holds their SHA-256 and a store resolves them (see `stores`).
Coordinates are figure space: picture pixels, x right, y down, origin at the standing point.
"""

from __future__ import annotations

import math
from collections.abc import Iterable
from typing import Annotated, Any, Literal, Self

from pydantic import Field, model_validator

from kunstgriff.figure.controls import Correctives, DrivenByTurns, Levers, Reach, Reaches, Shapes
from kunstgriff.figure.hems import Hems
from kunstgriff.figure.migrations import TODAY, lifted
from kunstgriff.figure.pose import Pose, posable
from kunstgriff.figure.references import Means, mentions, named_by, walk, without
from kunstgriff.figure.sides import SIDES, Sides
from kunstgriff.figure.treatments import Cover, Treatment
from kunstgriff.figure.values import (
    LENGTH,
    OWN_LENGTH,
    PLAIN,
    TURN,
    ArrayDigest,
    BoneId,
    BoneRef,
    CarrierRef,
    FigurePoint,
    GroupRef,
    Id,
    LoosePictureDigest,
    MemberRef,
    OwnPoint,
    PartRef,
    PictureDigest,
    PixelSize,
    PxArrayDigest,
)  # fmt: skip
from kunstgriff.figure.values import Colour as Colour
from kunstgriff.figure.values import Coordinate as Coordinate
from kunstgriff.figure.values import Digest as Digest
from kunstgriff.figure.values import Name as Name
from kunstgriff.figure.values import Point as Point
from kunstgriff.figure.values import Ref as Ref
from kunstgriff.figure.values import Share as Share
from kunstgriff.figure.values import Value as Value
from kunstgriff.figure.warps import NamedHandle, Warp, named_handles

# W3C Compositing and Blending Level 1 by its own names; the last four change what is below by Porter & Duff 1984
Blend = Literal[
    "normal", "multiply", "screen", "overlay", "darken", "lighten", "color-dodge", "color-burn", "hard-light",
    "soft-light", "difference", "exclusion", "hue", "saturation", "color", "luminosity", "plus-lighter",
    "source-atop", "destination-in", "destination-out", "destination-atop",
]  # fmt: skip

WeightWay = Literal["biharmonic", "heat", "distance"]

Amount = Annotated[float, Field(ge=0, le=10_000)]
PxAmount = Annotated[Amount, LENGTH]
PlainAmount = Annotated[Amount, PLAIN]

GROUP_LAYERS_LIMIT = 8  # groups painted by themselves in one another; each costs a picture of the whole view


class Sheet(Value):
    """The art sheet's size in px and where on it the figure stands (sheet px, from the top left).

    `scale` is how many px of it one unit of the drawing has, where the drawing is one of lines (SVG).
    """

    width: Annotated[int, Field(ge=1, le=30_000), Means("pixels")]
    height: Annotated[int, Field(ge=1, le=30_000), Means("pixels")]
    standing_point: OwnPoint
    scale: Annotated[float, Field(gt=0, le=64), OWN_LENGTH] = 1.0


class SetDrawing(Value):
    """One drawing of a set: a part, or a group where several are drawn together, by a `number` that it keeps. Where the
    set is taken by pose, it shows by itself `since` so many degrees."""

    number: Annotated[int, Field(ge=1, le=999), PLAIN]
    of: MemberRef
    since: Annotated[float, Field(allow_inf_nan=False, ge=0, le=360), PLAIN] | None = None


class Apart(Value):
    """Two bones, and how far they are apart: the degrees between how much each is turned from its rest."""

    one: BoneRef
    other: BoneRef


class Group(Value):
    """Parts that belong together. A group that is not plain is painted by itself first and then laid on as a whole.

    `bone` carries all its parts that are bound to nothing else; about `pivot` it turns when it is posed by itself. One
    with `drawings` is a set: it shows one of them at a time, the first unless its channel says another. One that is
    `taken_by` how far two bones are apart shows, unless its channel does, the last drawing that is due `since` then.
    """

    id: Id
    name: Name
    parent: GroupRef | None = None
    opacity: Share = 1.0
    blend: Blend = "normal"
    isolated: bool = False
    bone: BoneRef | None = None
    pivot: FigurePoint | None = None
    drawings: Annotated[tuple[SetDrawing, ...], Field(max_length=200)] = ()
    taken_by: Apart | None = None

    @property
    def is_plain(self) -> bool:
        return self.opacity == 1.0 and self.blend == "normal" and not self.isolated


Margin = Annotated[float, Field(ge=1, le=400), OWN_LENGTH]


class Mesh(Value):
    """The net over a part's picture.

    `vertices` (n, 2) float64 in px of the part's own picture; `triangles` (m, 3) int32; `kept` (k, 2) int32 are edges
    between vertices that must stay whatever is made anew.
    """

    vertices: PxArrayDigest
    triangles: ArrayDigest
    vertex_count: Annotated[int, Field(ge=3), PLAIN]
    kept: ArrayDigest | None = None


class Solved(Value):
    """Shapes of a bend worked out beforehand, evenly from `low` to `high` degrees of the joint's turn.

    `members` (k,) int32 are the vertices they move, `shapes` (angles, k, 2) float32 px what is added to each, in the
    frame that turns with the vertex.
    """

    low: Annotated[float, Field(ge=-180, le=0), PLAIN]
    high: Annotated[float, Field(ge=0, le=180), PLAIN]
    members: ArrayDigest
    shapes: PxArrayDigest


class Zone(Value):
    """How weights pass over at the joint of `bone`, from its parent to it.

    `inner` and `outer` are the lengths of limb over which they pass, in limb widths at the joint, on the side the joint
    bends to (clockwise, or as its limits say) and on the other; `curve` goes from an elbow (0) to one even arc over the
    zone (1), `mix` is the share of rigid blending. `rows` of vertices lie across the limb there, `spacing`
    limb widths from one to the next; `solved` are the shapes of the bend where they were worked out.
    """

    bone: BoneRef
    inner: Annotated[float, Field(ge=0.1, le=8), PLAIN] = 3.0
    outer: Annotated[float, Field(ge=0.1, le=8), PLAIN] = 3.0
    curve: Share = 0.0
    mix: Share = 1.0
    rows: Annotated[int, Field(ge=0, le=9), PLAIN] = 3
    spacing: Annotated[float, Field(ge=0.05, le=2), PLAIN] = 0.25
    solved: Solved | None = None


class DeltaMush(Value):
    """Smoothing that restores the detail of the rest pose: `rounds` of smoothing, laid on by `amount`."""

    kind: Literal["delta_mush"] = "delta_mush"
    rounds: Annotated[int, Field(ge=1, le=50), PLAIN] = 10
    amount: Share = 1.0


Deformer = DeltaMush  # one of several kinds, by `kind`, as soon as there are others


class Unbound(Value):
    """Follows nothing of its own: its group's bone where there is one, else it stays where it was drawn.

    With `stays` it does not go with the innermost group that has a bone, but with the next one around that. `why` is
    the sentence why it could not be bound, where that was tried.
    """

    kind: Literal["unbound"] = "unbound"
    stays: bool = False
    why: Annotated[str, Field(max_length=300)] = ""


class Rigid(Value):
    """The whole part follows one bone."""

    kind: Literal["rigid"] = "rigid"
    bone: BoneRef


class Weighted(Value):
    """Mesh vertices shared between bones; `weights` is (n, len(influences)) float32, rows summing to 1.

    `way` is how they were found, `most` how many bones one vertex may follow; `manual_mask` (n,) bool marks vertices
    weighted by hand, which nothing automatic changes; weights of `locked` influences hand tools leave alone. `margin`
    (px) is how far the mesh reaches past the art. Where the part lies over itself, what follows a bone is painted over
    what follows its parent, and what follows the `stacked` bones over all else, the last over those before.
    """

    kind: Literal["weighted"] = "weighted"
    mesh: Mesh
    influences: Annotated[tuple[BoneRef, ...], Field(min_length=1)]
    weights: ArrayDigest
    way: WeightWay = "biharmonic"
    most: Annotated[int, Field(ge=1, le=4), PLAIN] = 4
    margin: Margin = 2.0
    zones: tuple[Zone, ...] = ()
    locked: tuple[BoneRef, ...] = ()
    manual_mask: ArrayDigest | None = None
    stacked: tuple[BoneRef, ...] = ()

    def zone(self, bone: str) -> Zone | None:
        return next((zone for zone in self.zones if zone.bone == bone), None)


class Rider(Value):
    """A rigid part carried by a spot (figure space, at rest) on another part or a bone.

    With `turning` it turns as the art (or the bone) there turns, about the spot or about a `pivot` of its own, which
    keeps its offset from the spot.
    """

    kind: Literal["rider"] = "rider"
    carrier: CarrierRef
    spot: FigurePoint
    turning: bool = True
    pivot: FigurePoint | None = None


Binding = Annotated[Unbound | Rigid | Weighted | Rider, Field(discriminator="kind")]


class Ink(Value):
    """A colour lines are drawn in; switched off it counts as fill."""

    colour: Colour
    on: bool = True


Size = PixelSize
ScaleShare = Annotated[float, Field(allow_inf_nan=False, ge=-20, le=20), PLAIN]
DrawnTurn = Annotated[float, Field(allow_inf_nan=False, ge=-360, le=360), PLAIN]  # of a drawing, no bone's


class InkFillSplit(Value):
    """A part's ink and its fill as two pictures of the part's size; ink over fill is the part's own picture."""

    ink_picture: PictureDigest
    fill_picture: PictureDigest


class Tint(Value):
    """A colour laid over a part by a share."""

    colour: Colour
    amount: Share


class Strip(Value):
    """A curved part straightened: `picture` runs along its middle `line` (px of the part's own picture).

    `half_width` (px) is how far it reaches to each side, `end` (px) how far past both ends of the line; the straight
    picture has `detail` px per px of the part's. An `own` line was drawn by a person.
    """

    picture: PictureDigest
    own: bool = False
    line: Annotated[tuple[OwnPoint, ...], Field(min_length=2, max_length=400)]
    half_width: Annotated[float, Field(gt=0, le=10_000), OWN_LENGTH]
    end: Annotated[float, Field(ge=0, le=10_000), OWN_LENGTH]
    detail: Annotated[int, Field(ge=1, le=4), PLAIN] = 2


class Turned(Value):
    """A drawing turned and scaled about a spot of it, all at once: `turn` degrees clockwise after `scale` (x, y), whose
    sign flips it. `picture` and `size` are the drawing, which lay `offset` px from what was made of it."""

    kind: Literal["turned"] = "turned"
    picture: PictureDigest
    size: Size
    offset: OwnPoint
    about: OwnPoint
    turn: DrawnTurn = 0.0
    scale: tuple[ScaleShare, ScaleShare] = (1.0, 1.0)


class Severed(Value):
    """What lies to the `left` of a line across a drawing, or to the right, with a round end there unless `radius` is 0
    (None: as wide as the part is). `line` is in px of the drawing; `of` is the part whose drawing it is, where that
    is another one."""

    kind: Literal["severed"] = "severed"
    picture: PictureDigest
    size: Size
    offset: OwnPoint
    line: Annotated[tuple[OwnPoint, ...], Field(min_length=2, max_length=200)]
    left: bool
    radius: Annotated[float, Field(ge=0, le=10_000), OWN_LENGTH] | None = None
    of: PartRef | None = None


Remaking = Annotated[Turned | Severed, Field(discriminator="kind")]


class Part(Value):
    """One cut-out piece. `place` is the top left of its picture in figure space, `size` the picture's in px.

    `shifted` (px) is how far a redrawing moved the outline from where it was bound, until it is bound anew.
    `inks` are the colours of its lines (None: found by itself), `split` its ink and fill where they came apart.
    `left_out` parts are kept with the figure and take no part in it; `locked` ones keep their drawing and place.
    `deformers` change its mesh, in their order, after it follows its bones, and the nets that go with it alike. Without
    weights it may have a `mesh` as well, where a warp reshapes it.
    `shelved` are bindings of other kinds it had, to be taken up again. `remade` is what was done to its drawing, in
    order; a new drawing has it done again.
    """

    id: Id
    name: Name
    group: GroupRef | None = None
    picture: PictureDigest
    place: FigurePoint
    size: Size
    opacity: Share = 1.0
    visible: bool = True
    blend: Blend = "normal"
    tint: Tint | None = None
    pivot: FigurePoint | None = None
    locked: bool = False
    left_out: bool = False
    alternate_of: PartRef | None = None
    facing_of: PartRef | None = None
    inks: Annotated[tuple[Ink, ...], Field(max_length=12)] | None = None
    split: InkFillSplit | None = None
    remade: Annotated[tuple[Remaking, ...], Field(max_length=16)] = ()
    strip: Strip | None = None
    shifted: Annotated[float, Field(ge=0, le=1e6), OWN_LENGTH] = 0.0
    binding: Binding = Unbound()
    mesh: Mesh | None = None
    deformers: Annotated[tuple[Deformer, ...], Field(max_length=16)] = ()
    shelved: Annotated[tuple[Binding, ...], Field(max_length=3)] = ()

    @property
    def is_shown(self) -> bool:
        return self.visible and not self.left_out

    @property
    def mesh_now(self) -> Mesh | None:
        """The mesh over its picture, where it has one."""
        return self.binding.mesh if isinstance(self.binding, Weighted) else self.mesh

    @property
    def followed(self) -> tuple[Ref, ...]:
        """The bones it follows itself; none for one that rides or follows nothing."""
        if isinstance(self.binding, Rigid):
            return (self.binding.bone,)
        return self.binding.influences if isinstance(self.binding, Weighted) else ()

    @property
    def drawing(self) -> tuple[Digest, tuple[Ink, ...] | None, InkFillSplit | None]:
        """All that what is read from its picture depends on."""
        return self.picture, self.inks, self.split


class Limits(Value):
    """How far a joint turns from rest, degrees; `soft` degrees before an end it begins to resist (0: it just stops)."""

    low: Annotated[float, Field(ge=-360, le=0), TURN]
    high: Annotated[float, Field(ge=0, le=360), TURN]
    soft: Annotated[float, Field(ge=0, le=90), PLAIN] = 0.0

    @property
    def mirrored(self) -> Self:
        """The same for a joint on the other side."""
        return self.model_copy(update={"low": -self.high, "high": -self.low})


class Bone(Value):
    """From its joint to its tip, both in figure space at rest. `hue` (degrees, OKLCH) is its colour everywhere.

    A `locked` bone keeps its place and is not turned by hand; a `connector` only links others and moves no part.
    """

    id: BoneId
    name: Name
    parent: BoneRef | None = None
    joint: FigurePoint
    tip: FigurePoint
    hue: Annotated[float, Field(ge=0, lt=360), PLAIN]
    limits: Limits | None = None
    locked: bool = False
    connector: bool = False

    @property
    def direction(self) -> float:
        """Where it points at rest, rad clockwise from the right."""
        return math.atan2(self.tip[1] - self.joint[1], self.tip[0] - self.joint[0])


class Spring(Value):
    """A chain of spring bones, from its first bone outwards.

    `frequency` in Hz, `damping_ratio` (1 is critical), `gravity` in px/s². At rest gravity and spring balance, so
    the rest pose is as drawn.
    """

    id: Id
    bones: Annotated[tuple[BoneRef, ...], Field(min_length=1)]
    frequency: Annotated[float, Field(ge=0.1, le=20), PLAIN]
    damping_ratio: Annotated[float, Field(ge=0, le=2), PLAIN]
    gravity: Annotated[float, Field(ge=0, le=200_000), LENGTH]


class Reference(Value):
    """A picture to go by, under or over the work, never delivered. `scale` is figure px per px of the picture."""

    picture: LoosePictureDigest
    place: FigurePoint
    scale: Annotated[float, Field(gt=0, le=1000), LENGTH] = 1.0
    opacity: Share = 0.5
    above: bool = False


class Tolerances(Value):
    """What a seam may show: a gap's largest disc and crossing ink in px, the step of the line as a share of its width,
    notch and bump as a share of half the limb's width, the jump of the outline in px where one piece comes to stand in
    for two, and how far the silhouette of two pieces may depart from that of one limb, again as a share of half its
    width (between 1.25 and 2 px of it). Common practice, no source."""

    gap: PxAmount = 1.0
    ink: PxAmount = 3.0
    step: PlainAmount = 0.25
    notch: PlainAmount = 0.15
    jump: PxAmount = 2.0
    shape: PlainAmount = 0.06


class KeptPose(Value):
    """A trial pose by name."""

    name: Name
    pose: Pose


MeetingKind = Literal["limb", "lies_over", "lies_under", "hinge"]


class Meeting(Value):
    """What a person said two parts are that meet at a bone's joint: one limb, so that no line is seen between them; one
    lying over the other, whose whole outline belongs there; or a hinge that should show."""

    bone: BoneRef
    kind: MeetingKind


class Figure(Value):
    """A whole rig. `parts` lie in draw order, back to front; `bones` have parents before children.

    `treatments` keep its seams hidden, `warps` reshape its parts in their order, `hems` are skirts over legs. `reaches`
    pose its limbs by goals, looks and counters among them, in their order; `levers` and the turns of bones (`by_turns`)
    drive what can be posed, `shapes` are laid on by an amount and `correctives` by how bones are turned. `sides` are
    the pairs of words its names tell sides by, `accepted` holds the keys of findings a person said are meant so.
    """

    format: Literal["kunstgriff.figure/3"] = TODAY
    name: Name
    sheet: Sheet
    rate: Annotated[int, Field(ge=1, le=240), PLAIN] = 24
    next_id: Annotated[int, Field(ge=1), PLAIN] = 1
    groups: Annotated[tuple[Group, ...], Field(max_length=5_000)] = ()
    parts: Annotated[tuple[Part, ...], Field(max_length=5_000)] = ()
    bones: Annotated[tuple[Bone, ...], Field(max_length=5_000)] = ()
    treatments: Annotated[tuple[Treatment, ...], Field(max_length=2_000)] = ()
    sides: Sides = SIDES
    tolerances: Tolerances = Tolerances()
    meetings: Annotated[tuple[Meeting, ...], Field(max_length=5_000)] = ()
    poses: Annotated[tuple[KeptPose, ...], Field(max_length=200)] = ()
    springs: tuple[Spring, ...] = ()
    warps: Annotated[tuple[Warp, ...], Field(max_length=500)] = ()
    hems: Hems = ()
    reaches: Reaches = ()
    levers: Levers = ()
    by_turns: DrivenByTurns = ()
    shapes: Shapes = ()
    correctives: Correctives = ()
    reference: Reference | None = None
    accepted: Annotated[tuple[Annotated[str, Field(max_length=200)], ...], Field(max_length=5_000)] = ()

    @model_validator(mode="before")
    @classmethod
    def _as_written_today(cls, data: Any) -> Any:
        return lifted(data)

    def replace(self, **changes: Any) -> Self:
        """The figure with some fields changed, validated again as a whole."""
        return type(self)(**{**{name: getattr(self, name) for name in type(self).model_fields}, **changes})

    def part(self, ref: str) -> Part | None:
        return next((part for part in self.parts if part.id == ref), None)

    def bone(self, ref: str) -> Bone | None:
        return next((bone for bone in self.bones if bone.id == ref), None)

    def said_of(self, bone: str) -> MeetingKind | None:
        """What a person said that parts are which meet at a bone's joint."""
        return next((one.kind for one in self.meetings if one.bone == bone), None)

    @property
    def handles(self) -> tuple[NamedHandle, ...]:
        """Every handle of its warps by id and name."""
        return named_handles(self.warps)

    @property
    def by_bones(self) -> Self:
        """The figure without reaches and levers, in which bones that are turned one by one are turned."""
        posing = [one.id for some in (self.reaches, self.levers) for one in some]
        return self.without(posing) if posing else self

    @property
    def lengthened(self) -> dict[str, float]:
        """The bones whose art is lengthened in its middle, those of reaches that stretch, each with the share by which
        its area is kept."""
        parents, found = {bone.id: bone.parent for bone in self.bones}, dict[str, float]()
        for reach in self.reaches:
            if not isinstance(reach, Reach) or not reach.stretch:
                continue
            ref: str | None = reach.tip
            for _ in range(reach.bones):
                if ref is not None:
                    found[ref] = reach.keeps
                    ref = parents[ref]
        return found

    @property
    def covers(self) -> tuple[Cover, ...]:
        return self.treated("cover")

    def treated(self, kind: str) -> tuple[Any, ...]:
        """The treatments of one kind, in their order."""
        return tuple(one for one in self.treatments if one.kind == kind)

    def without(self, gone: Iterable[str]) -> Self:
        """The figure without these parts, bones and groups and all that needs them. What only mentions one of them
        mentions it no more: where something shall go over to another, see to that first."""
        after, lost = self, set(gone)
        while lost:
            there = after.posed_ids
            left = without(after, lost)
            assert isinstance(left, type(self))
            lost, after = there - left.posed_ids - lost, left  # with a part go its tacks, and what drove those
        return after.replace()

    def pose_of(self, kept: KeptPose) -> Pose:
        """A kept pose as it can be evaluated now: what is gone is left out."""
        return kept.pose.restricted_to(self.posed_ids)

    @property
    def posed_ids(self) -> set[str]:
        """The ids of all that can be posed."""
        return {one.id for some in posable(self).values() for one in some}

    @model_validator(mode="after")
    def _holds_together(self) -> Self:
        handles = [handle.id for warp in self.warps for handle in warp.handles]
        controls = (self.reaches, self.levers, self.shapes, self.correctives)
        several = (self.parts, self.bones, self.groups, self.warps, self.hems, *controls)
        ids = [one.id for some in several for one in some]
        _require_unique("id", (*ids, *handles))
        _require_unique("part name", (part.name for part in self.parts))
        _require_unique("bone name", (bone.name for bone in self.bones))
        _require_unique("warp name", (warp.name for warp in self.warps))
        _require_unique("name of a reach", (reach.name for reach in self.reaches))
        _require_unique("name of a lever", (lever.name for lever in self.levers))
        _require_unique("name of a shape", (shape.name for shape in self.shapes))
        _require_unique("name of a corrective", (one.name for one in self.correctives))
        _require_unique("bone that drives", (one.bone for one in self.by_turns))
        _require_unique("treatment id", (one.id for one in self.treatments))
        _require_unique("spring bone", (ref for spring in self.springs for ref in spring.bones))
        self._refers_to_what_is_there()
        layered: dict[str | None, int] = {None: 0}
        for group in self.groups:
            if group.parent not in layered:
                raise ValueError(f"Group “{group.name}” lies in a group that does not come before it.")
            layered[group.id] = layered[group.parent] + (not group.is_plain)
            _require_unique(f"number in the set {group.name}", (str(one.number) for one in group.drawings))
            if layered[group.id] > GROUP_LAYERS_LIMIT:
                raise ValueError(f"Group “{group.name}” lies in more than {GROUP_LAYERS_LIMIT} blended groups.")
        seen: set[str] = set()
        for bone in self.bones:
            if bone.parent is not None and bone.parent not in seen:
                raise ValueError(f"Bone “{bone.name}” hangs on a bone that does not come before it.")
            seen.add(bone.id)
        for part in self.parts:
            for binding in (part.binding, *part.shelved):
                _require_binding(part, binding)
        return self

    def _refers_to_what_is_there(self) -> None:
        bones, parts = {bone.id for bone in self.bones}, {part.id for part in self.parts}
        there = {"bone": bones, "part": parts, "group": {group.id for group in self.groups}, "carrier": bones | parts}
        there["posed"] = self.posed_ids
        there["member"] = parts | there["group"]
        if all(ref in there[kind] for kind, ref in mentions(self)):
            return
        for found in walk(self):  # who it was, which takes longer to find
            kind = "posed" if found.means.kind == "channel" else found.means.kind
            if kind in there and named_by(found) not in there[kind]:
                things, number = found.path[:2]
                thing = getattr(self, str(things))
                one = thing[number] if isinstance(number, int) else thing
                called = getattr(one, "name", None) or f"A {getattr(one, 'kind', 'spring')}"
                what = _SEVERAL.get(kind, kind)
                raise ValueError(f"“{called}” refers to a {what} that does not exist.")


_SEVERAL = {"carrier": "part or bone", "member": "part or group", "posed": "part, bone, handle or control"}


def _require_unique(what: str, values: Iterable[str]) -> None:
    seen: set[str] = set()
    for value in values:
        if value in seen:
            raise ValueError(f"Two things share the {what} “{value}”.")
        seen.add(value)


def _require_binding(part: Part, binding: Binding) -> None:
    if isinstance(binding, Weighted) and not {zone.bone for zone in binding.zones} <= set(binding.influences):
        raise ValueError(f"Part “{part.name}” has a bend zone at a bone that does not move it.")
    if isinstance(binding, Rider) and binding.carrier == part.id:
        raise ValueError(f"Part “{part.name}” rides on itself.")
    if part.id in (part.alternate_of, part.facing_of):
        raise ValueError(f"Part “{part.name}” stands for itself.")
