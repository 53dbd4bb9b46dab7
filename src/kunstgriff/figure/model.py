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


class Value(BaseModel):
    """Base of everything in the document: frozen, and nothing unknown slips in."""

    model_config = ConfigDict(frozen=True, extra="forbid")


class Sheet(Value):
    """The art sheet's size in px and where on it the figure stands (sheet px, from the top left)."""

    width: Annotated[int, Field(ge=1, le=30_000)]
    height: Annotated[int, Field(ge=1, le=30_000)]
    standing_point: Point


class Group(Value):
    id: Ref
    name: Name
    parent: Ref | None = None


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


class Part(Value):
    """One cut-out piece. `place` is the top left of its picture in figure space, `size` the picture's in px."""

    id: Ref
    name: Name
    group: Ref | None = None
    picture: Digest
    place: Point
    size: tuple[Annotated[int, Field(ge=1)], Annotated[int, Field(ge=1)]]
    opacity: Share = 1.0
    visible: bool = True
    binding: Binding = Unbound()


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


class Figure(Value):
    """A whole rig. `parts` lie in draw order, back to front; `bones` have parents before children."""

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
        members = [(part.name, part.group) for part in self.parts]
        members += [(group.name, group.parent) for group in self.groups]
        for name, outer in members:
            if outer is not None and outer not in groups:
                raise ValueError(f"“{name}” lies in a group that does not exist.")
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
