"""The figure: one frozen, validated document that says everything about a rig.

Dense arrays and pictures are not in it; it holds their SHA-256 and a store resolves them (see `stores`).
Coordinates are figure space: picture pixels, x right, y down, origin at the standing point.
"""

from __future__ import annotations

from collections.abc import Iterable
from typing import Annotated, Any, Literal, Self

from pydantic import BaseModel, ConfigDict, Field, StringConstraints, model_validator

Name = Annotated[str, StringConstraints(min_length=1, max_length=80, strip_whitespace=True)]
Ref = Annotated[str, StringConstraints(pattern=r"^[a-z][0-9]{1,9}$")]
Digest = Annotated[str, StringConstraints(pattern=r"^[0-9a-f]{64}$")]
Coordinate = Annotated[float, Field(allow_inf_nan=False, ge=-1e6, le=1e6)]
Point = tuple[Coordinate, Coordinate]
Share = Annotated[float, Field(ge=0.0, le=1.0)]
Colour = Annotated[str, StringConstraints(pattern=r"^#[0-9a-f]{6}$")]  # sRGB
# W3C Compositing and Blending Level 1 by its own names; the last four change what is below by Porter & Duff 1984
Blend = Literal[
    "normal", "multiply", "screen", "overlay", "darken", "lighten", "color-dodge", "color-burn", "hard-light",
    "soft-light", "difference", "exclusion", "hue", "saturation", "color", "luminosity", "plus-lighter",
    "source-atop", "destination-in", "destination-out", "destination-atop",
]  # fmt: skip

GROUP_LAYERS_LIMIT = 8  # groups painted by themselves in one another; each costs a picture of the whole view


class Value(BaseModel):
    """Base of everything in the document: frozen, and nothing unknown slips in."""

    model_config = ConfigDict(frozen=True, extra="forbid")


class Sheet(Value):
    """The art sheet's size in px and where on it the figure stands (sheet px, from the top left).

    `scale` is how many px of it one unit of the drawing has, where the drawing is one of lines (SVG).
    """

    width: Annotated[int, Field(ge=1, le=30_000)]
    height: Annotated[int, Field(ge=1, le=30_000)]
    standing_point: Point
    scale: Annotated[float, Field(gt=0, le=64)] = 1.0


class Group(Value):
    """Parts that belong together. A group that is not plain is painted by itself first and then laid on as a whole."""

    id: Ref
    name: Name
    parent: Ref | None = None
    opacity: Share = 1.0
    blend: Blend = "normal"
    isolated: bool = False

    @property
    def is_plain(self) -> bool:
        return self.opacity == 1.0 and self.blend == "normal" and not self.isolated


class Mesh(Value):
    """The net over a part's picture.

    `vertices` (n, 2) float64 in px of the part's own picture; `triangles` (m, 3) int32.
    """

    vertices: Digest
    triangles: Digest
    vertex_count: Annotated[int, Field(ge=3)]


class Unbound(Value):
    """Follows nothing: stays where it was drawn."""

    kind: Literal["unbound"] = "unbound"


class Rigid(Value):
    """The whole part follows one bone."""

    kind: Literal["rigid"] = "rigid"
    bone: Ref


class Weighted(Value):
    """Mesh vertices shared between bones; `weights` is (n, len(influences)) float32, rows summing to 1."""

    kind: Literal["weighted"] = "weighted"
    mesh: Mesh
    influences: Annotated[tuple[Ref, ...], Field(min_length=1)]
    weights: Digest


class Rider(Value):
    """A rigid part carried by a spot (figure space, at rest) on another part, turning as the art there turns."""

    kind: Literal["rider"] = "rider"
    carrier: Ref
    spot: Point


Binding = Annotated[Unbound | Rigid | Weighted | Rider, Field(discriminator="kind")]


class Ink(Value):
    """A colour lines are drawn in; switched off it counts as fill."""

    colour: Colour
    on: bool = True


class Apart(Value):
    """A part's ink and its fill as two pictures of the part's size; ink over fill is the part's own picture."""

    ink_picture: Digest
    fill_picture: Digest


class Tint(Value):
    """A colour laid over a part by a share."""

    colour: Colour
    amount: Share


class Strip(Value):
    """A curved part straightened: `picture` runs along its middle `line` (px of the part's own picture).

    `half_width` (px) is how far it reaches to each side, `end` (px) how far past both ends of the line; the straight
    picture has `detail` px per px of the part's.
    """

    picture: Digest
    line: Annotated[tuple[Point, ...], Field(min_length=2, max_length=400)]
    half_width: Annotated[float, Field(gt=0, le=10_000)]
    end: Annotated[float, Field(ge=0, le=10_000)]
    detail: Annotated[int, Field(ge=1, le=4)] = 2


class Part(Value):
    """One cut-out piece. `place` is the top left of its picture in figure space, `size` the picture's in px.

    `shifted` (px) is how far a redrawing moved the outline from where it was bound, until it is bound anew.
    `inks` are the colours of its lines (None: found by itself), `apart` its ink and fill where they came apart.
    `left_out` parts are kept with the figure and take no part in it; `locked` ones keep their drawing and place.
    """

    id: Ref
    name: Name
    group: Ref | None = None
    picture: Digest
    place: Point
    size: tuple[Annotated[int, Field(ge=1)], Annotated[int, Field(ge=1)]]
    opacity: Share = 1.0
    visible: bool = True
    blend: Blend = "normal"
    tint: Tint | None = None
    pivot: Point | None = None
    locked: bool = False
    left_out: bool = False
    alternate_of: Ref | None = None
    facing_of: Ref | None = None
    inks: Annotated[tuple[Ink, ...], Field(max_length=12)] | None = None
    apart: Apart | None = None
    strip: Strip | None = None
    shifted: Annotated[float, Field(ge=0, le=1e6)] = 0.0
    binding: Binding = Unbound()

    @property
    def is_shown(self) -> bool:
        return self.visible and not self.left_out

    @property
    def followed(self) -> tuple[Ref, ...]:
        """The bones it follows itself; none for one that rides or follows nothing."""
        if isinstance(self.binding, Rigid):
            return (self.binding.bone,)
        return self.binding.influences if isinstance(self.binding, Weighted) else ()

    @property
    def drawing(self) -> tuple[Digest, tuple[Ink, ...] | None, Apart | None]:
        """All that what is read from its picture depends on."""
        return self.picture, self.inks, self.apart


class Bone(Value):
    """From its joint to its tip, both in figure space at rest. `hue` (degrees, OKLCH) is its colour everywhere."""

    id: Ref
    name: Name
    parent: Ref | None = None
    joint: Point
    tip: Point
    hue: Annotated[float, Field(ge=0, lt=360)]


class Cover(Value):
    """An ink-less copy of `source`, near the joint of `bone`, in front of `over`.

    `radius` (px) limits it to a disc around the joint, `soft` (px) is how far that limit fades. `picture` is made
    from the source's picture by this recipe and may be made anew at any time.
    """

    id: Ref
    bone: Ref
    source: Ref
    over: Ref
    radius: Annotated[float, Field(gt=0, le=10_000)]
    soft: Annotated[float, Field(ge=0, le=1_000)]
    picture: Digest


class Spring(Value):
    """A chain of spring bones, from its first bone outwards.

    `frequency` in Hz, `damping_ratio` (1 is critical), `gravity` in px/s². At rest gravity and spring balance, so
    the rest pose is as drawn.
    """

    id: Ref
    bones: Annotated[tuple[Ref, ...], Field(min_length=1)]
    frequency: Annotated[float, Field(ge=0.1, le=20)]
    damping_ratio: Annotated[float, Field(ge=0, le=2)]
    gravity: Annotated[float, Field(ge=0, le=20_000)]


class Reference(Value):
    """A picture to go by, under or over the work, never delivered. `scale` is figure px per px of the picture."""

    picture: Digest
    place: Point
    scale: Annotated[float, Field(gt=0, le=100)] = 1.0
    opacity: Share = 0.5
    above: bool = False


class Figure(Value):
    """A whole rig. `parts` lie in draw order, back to front; `bones` have parents before children.

    `accepted` holds the keys of findings a person said are meant so.
    """

    format: Literal["kunstgriff.figure/1"] = "kunstgriff.figure/1"
    name: Name
    sheet: Sheet
    rate: Annotated[int, Field(ge=1, le=240)] = 24
    next_id: Annotated[int, Field(ge=1)] = 1
    groups: tuple[Group, ...] = ()
    parts: tuple[Part, ...] = ()
    bones: tuple[Bone, ...] = ()
    covers: tuple[Cover, ...] = ()
    springs: tuple[Spring, ...] = ()
    reference: Reference | None = None
    accepted: Annotated[tuple[Annotated[str, Field(max_length=200)], ...], Field(max_length=5_000)] = ()

    def replace(self, **changes: Any) -> Self:
        """The figure with some fields changed, validated again as a whole."""
        return type(self)(**{**{name: getattr(self, name) for name in type(self).model_fields}, **changes})

    def part(self, ref: str) -> Part | None:
        return next((part for part in self.parts if part.id == ref), None)

    def bone(self, ref: str) -> Bone | None:
        return next((bone for bone in self.bones if bone.id == ref), None)

    @model_validator(mode="after")
    def _holds_together(self) -> Self:
        _require_unique("id", (*(p.id for p in self.parts), *(b.id for b in self.bones), *(g.id for g in self.groups)))
        _require_unique("part name", (part.name for part in self.parts))
        _require_unique("bone name", (bone.name for bone in self.bones))
        groups = {group.id for group in self.groups}
        for part in self.parts:
            if part.group is not None and part.group not in groups:
                raise ValueError(f"“{part.name}” lies in a group that does not exist.")
        layered: dict[str | None, int] = {None: 0}
        for group in self.groups:
            if group.parent not in layered:
                raise ValueError(f"Group “{group.name}” lies in a group that does not come before it.")
            layered[group.id] = layered[group.parent] + (not group.is_plain)
            if layered[group.id] > GROUP_LAYERS_LIMIT:
                raise ValueError(f"Group “{group.name}” lies in more than {GROUP_LAYERS_LIMIT} blended groups.")
        seen: set[str] = set()
        for bone in self.bones:
            if bone.parent is not None and bone.parent not in seen:
                raise ValueError(f"Bone “{bone.name}” hangs on a bone that does not come before it.")
            seen.add(bone.id)
        parts = {part.id for part in self.parts}
        for part in self.parts:
            _require_binding(part, seen, parts)
        for cover in self.covers:
            if cover.bone not in seen or not {cover.source, cover.over} <= parts:
                raise ValueError("A cover refers to a part or bone that does not exist.")
        springy = [ref for spring in self.springs for ref in spring.bones]
        _require_unique("spring bone", springy)
        if not set(springy) <= seen:
            raise ValueError("A spring refers to a bone that does not exist.")
        return self


def _require_unique(what: str, values: Iterable[str]) -> None:
    seen: set[str] = set()
    for value in values:
        if value in seen:
            raise ValueError(f"Two things share the {what} “{value}”.")
        seen.add(value)


def _require_binding(part: Part, bones: set[str], parts: set[str]) -> None:
    binding = part.binding
    if isinstance(binding, Rigid) and binding.bone not in bones:
        raise ValueError(f"Part “{part.name}” follows a bone that does not exist.")
    if isinstance(binding, Weighted) and not set(binding.influences) <= bones:
        raise ValueError(f"Part “{part.name}” is weighted to a bone that does not exist.")
    if isinstance(binding, Rider) and (binding.carrier not in parts or binding.carrier == part.id):
        raise ValueError(f"Part “{part.name}” rides on a part that does not exist.")
    for kin in (part.alternate_of, part.facing_of):
        if kin is not None and (kin not in parts or kin == part.id):
            raise ValueError(f"Part “{part.name}” stands for a part that does not exist.")
