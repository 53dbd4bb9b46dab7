"""Parts of a figure: cut-out pieces in groups, how each is bound, and what its drawing is made of."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Field

from kunstgriff.figure.values import (
    OWN_LENGTH,
    PLAIN,
    ArrayDigest,
    BoneRef,
    CarrierRef,
    Colour,
    Digest,
    FigurePoint,
    GroupRef,
    Id,
    MemberRef,
    Name,
    OwnPoint,
    PartRef,
    PictureDigest,
    PixelSize,
    PxArrayDigest,
    Ref,
    Share,
    Value,
)  # fmt: skip

# W3C Compositing and Blending Level 1 by its own names; the last four change what is below by Porter & Duff 1984
Blend = Literal[
    "normal", "multiply", "screen", "overlay", "darken", "lighten", "color-dodge", "color-burn", "hard-light",
    "soft-light", "difference", "exclusion", "hue", "saturation", "color", "luminosity", "plus-lighter",
    "source-atop", "destination-in", "destination-out", "destination-atop",
]  # fmt: skip

WeightWay = Literal["biharmonic", "heat", "distance"]


class SetDrawing(Value):
    """One drawing of a set: a part, or a group where several are drawn together, by a `number` that it keeps. Where the
    set is taken by pose, it shows by itself `since` so many degrees."""

    number: Annotated[int, Field(ge=1, le=999), PLAIN]
    of: MemberRef
    since: Annotated[float, Field(allow_inf_nan=False, ge=0, le=360), PLAIN] | None = None


class Apart(Value):
    """Two bones, and how far they are apart: the degrees between how much each is turned from its rest. A drawing that
    has come goes again only `dead` degrees before where it is due."""

    one: BoneRef
    other: BoneRef
    dead: Annotated[float, Field(allow_inf_nan=False, ge=0, le=90), PLAIN] = 0.0


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


class Drawing(Value):
    """A picture as it lies in the figure: `place` is its top left in figure space, `size` its width and height in px.

    `pivot` is where it turns when it is posed by itself. `inks` are the colours of its lines (None: found by itself),
    `split` its ink and fill where they came apart, `strip` its straight version. `remade` is what was done to it, in
    order; what takes its place has it done again.
    """

    picture: PictureDigest
    place: FigurePoint
    size: Size
    pivot: FigurePoint | None = None
    inks: Annotated[tuple[Ink, ...], Field(max_length=12)] | None = None
    split: InkFillSplit | None = None
    remade: Annotated[tuple[Remaking, ...], Field(max_length=16)] = ()
    strip: Strip | None = None

    @property
    def looks(self) -> tuple[Digest, tuple[Ink, ...] | None, InkFillSplit | None]:
        """All that what is read from its picture depends on."""
        return self.picture, self.inks, self.split


class Part(Value):
    """One cut-out piece: a place in the rig, and the drawing that is there.

    `shifted` (px) is how far a redrawing moved the outline from where it was bound, until it is bound anew.
    `left_out` parts are kept with the figure and take no part in it; `locked` ones keep their drawing and place.
    `deformers` change its mesh, in their order, after it follows its bones, and the nets that go with it alike. Without
    weights it may have a `mesh` as well, where a warp reshapes it.
    `shelved` are bindings of other kinds it had, to be taken up again.
    """

    id: Id
    name: Name
    group: GroupRef | None = None
    drawing: Drawing
    opacity: Share = 1.0
    visible: bool = True
    blend: Blend = "normal"
    tint: Tint | None = None
    locked: bool = False
    left_out: bool = False
    alternate_of: PartRef | None = None
    facing_of: PartRef | None = None
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

    def with_drawing(self, **changes: Any) -> Part:
        """The part with fields of its drawing changed."""
        return self.model_copy(update={"drawing": self.drawing.model_copy(update=changes)})


MeetingKind = Literal["limb", "lies_over", "lies_under", "hinge"]


class Meeting(Value):
    """What a person said two parts are that meet at a bone's joint: one limb, so that no line is seen between them; one
    lying over the other, whose whole outline belongs there; or a hinge that should show."""

    bone: BoneRef
    kind: MeetingKind
