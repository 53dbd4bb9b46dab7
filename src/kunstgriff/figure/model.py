"""The figure: one frozen, validated document that says everything about a rig.

Dense arrays and pictures are not in it; it holds their SHA-256 and a store resolves them (see `stores`).
Coordinates are figure space: picture pixels, x right, y down, origin at the standing point.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import Annotated, Any, Literal, Self

from pydantic import Field, model_validator

from kunstgriff.figure.bones import Bone as Bone
from kunstgriff.figure.bones import Limits as Limits
from kunstgriff.figure.controls import Corrective, Correctives, DrivenByTurns, Levers, Reach, Reaches, Shapes
from kunstgriff.figure.facings import Turnaround
from kunstgriff.figure.follow import Colliders, Floor, Springs, Wind
from kunstgriff.figure.follow import Spring as Spring
from kunstgriff.figure.hems import Hems
from kunstgriff.figure.migrations import TODAY, lifted
from kunstgriff.figure.motions import Motions, Stepper
from kunstgriff.figure.parts import Apart as Apart
from kunstgriff.figure.parts import Binding as Binding
from kunstgriff.figure.parts import Blend as Blend
from kunstgriff.figure.parts import Deformer as Deformer
from kunstgriff.figure.parts import DeltaMush as DeltaMush
from kunstgriff.figure.parts import Drawing as Drawing
from kunstgriff.figure.parts import DrawnTurn as DrawnTurn
from kunstgriff.figure.parts import Group as Group
from kunstgriff.figure.parts import Ink as Ink
from kunstgriff.figure.parts import InkFillSplit as InkFillSplit
from kunstgriff.figure.parts import Margin as Margin
from kunstgriff.figure.parts import Meeting as Meeting
from kunstgriff.figure.parts import MeetingKind as MeetingKind
from kunstgriff.figure.parts import Mesh as Mesh
from kunstgriff.figure.parts import Part as Part
from kunstgriff.figure.parts import Remaking as Remaking
from kunstgriff.figure.parts import Rider as Rider
from kunstgriff.figure.parts import Rigid as Rigid
from kunstgriff.figure.parts import ScaleShare as ScaleShare
from kunstgriff.figure.parts import SetDrawing as SetDrawing
from kunstgriff.figure.parts import Severed as Severed
from kunstgriff.figure.parts import Size as Size
from kunstgriff.figure.parts import Solved as Solved
from kunstgriff.figure.parts import Strip as Strip
from kunstgriff.figure.parts import Tint as Tint
from kunstgriff.figure.parts import Turned as Turned
from kunstgriff.figure.parts import Unbound as Unbound
from kunstgriff.figure.parts import Weighted as Weighted
from kunstgriff.figure.parts import WeightWay as WeightWay
from kunstgriff.figure.parts import Zone as Zone
from kunstgriff.figure.pose import Pose, posable
from kunstgriff.figure.references import Means, mentions, named_by, walk, without
from kunstgriff.figure.sides import SIDES, Sides
from kunstgriff.figure.treatments import Cover, Treatment
from kunstgriff.figure.values import (
    LENGTH,
    OWN_LENGTH,
    PLAIN,
    FigurePoint,
    LoosePictureDigest,
    OwnPoint,
)  # fmt: skip
from kunstgriff.figure.values import Colour as Colour
from kunstgriff.figure.values import Coordinate as Coordinate
from kunstgriff.figure.values import Digest as Digest
from kunstgriff.figure.values import Name as Name
from kunstgriff.figure.values import Point as Point
from kunstgriff.figure.values import Ref as Ref
from kunstgriff.figure.values import Share as Share
from kunstgriff.figure.values import Value as Value
from kunstgriff.figure.warps import Lattice, NamedHandle, Tacks, Warp, named_handles

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


class Figure(Value):
    """A whole rig. `parts` lie in draw order, back to front; `bones` have parents before children.

    `treatments` keep its seams hidden, `warps` reshape its parts in their order, `hems` are skirts over legs. `reaches`
    pose its limbs by goals, looks and counters among them, in their order; `levers` and the turns of bones (`by_turns`)
    drive what can be posed, `shapes` are laid on by an amount and `correctives` by how bones are turned. It is played
    through its `motions`; `springs` follow through, keep out of `colliders`, lie on the `floor` and feel the `wind`;
    its `stepper` says how legs step by themselves. Where it can be seen from several sides, `turnaround` has what the
    other ones have of their own. `sides` are the pairs of words its names tell sides by, `accepted` holds the keys of
    findings a person said are meant so.
    """

    format: Literal["kunstgriff.figure/4"] = TODAY
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
    motions: Motions = ()
    stepper: Stepper = Stepper()
    springs: Springs = ()
    colliders: Colliders = ()
    wind: Wind | None = None
    floor: Floor | None = None
    warps: Annotated[tuple[Warp, ...], Field(max_length=500)] = ()
    hems: Hems = ()
    reaches: Reaches = ()
    levers: Levers = ()
    by_turns: DrivenByTurns = ()
    shapes: Shapes = ()
    correctives: Correctives = ()
    turnaround: Turnaround | None = None
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
    def turnarounds(self) -> tuple[Turnaround, ...]:
        """Its turnaround, where it has one."""
        return () if self.turnaround is None else (self.turnaround,)

    @property
    def winds(self) -> tuple[Wind, ...]:
        """Its wind, where there is one."""
        return () if self.wind is None else (self.wind,)

    @property
    def jellies(self) -> tuple[Lattice | Tacks, ...]:
        """The lattices and tacks that are jelly."""
        return tuple(one for one in self.warps if isinstance(one, Lattice | Tacks) and one.jelly is not None)

    @property
    def follows_through(self) -> bool:
        """Whether anything of it swings: chains, or jelly."""
        return bool(self.springs or self.jellies)

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
        mentions it no more: where something shall go over to another, see to that first. What each facing has a list of
        its own of goes from that one only which is shown."""
        after, lost = self, set(gone)
        while lost:
            there = after.posed_ids
            laid_by = after.turnaround
            left = without(after.model_copy(update={"turnaround": None}), lost, after.handles_elsewhere)
            assert isinstance(left, type(self))
            if laid_by is not None:
                aside = without(laid_by, lost - self.listed_ids)
                assert isinstance(aside, Turnaround)
                left = left.model_copy(update={"turnaround": aside})
            lost, after = there - left.posed_ids - lost, left  # with a part go its tacks, and what drove those
        return after.replace()

    @property
    def drawn_parts(self) -> Iterator[Part]:
        """All parts as they are drawn, once for each facing that has a drawing of its own."""
        yield from self.parts
        for one in () if self.turnaround is None else self.turnaround.facings:
            yield from one.parts

    @property
    def all_correctives(self) -> Iterator[Corrective]:
        """All correctives, those of other facings too."""
        yield from self.correctives
        for one in () if self.turnaround is None else self.turnaround.facings:
            yield from one.correctives or ()

    @property
    def listed_ids(self) -> set[str]:
        """The ids of what each facing has lists of its own of, as far as this one has them."""
        some = (self.treatments, self.warps, self.hems, self.correctives, self.handles)
        return {one.id for each in some for one in each}

    @property
    def handles_elsewhere(self) -> set[str]:
        """The ids of handles of warps that other facings have."""
        facings = () if self.turnaround is None else self.turnaround.facings
        return {handle.id for one in facings for warp in one.warps or () for handle in warp.handles}

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
        several = (self.parts, self.bones, self.groups, self.warps, self.hems, self.motions, *controls)
        following = (self.springs, self.colliders, self.winds, () if self.floor is None else (self.floor,))
        ids = [one.id for some in (*several, *following) for one in some]
        _require_unique("id", (*ids, *handles))
        _require_unique("part name", (part.name for part in self.parts))
        _require_unique("bone name", (bone.name for bone in self.bones))
        _require_unique("warp name", (warp.name for warp in self.warps))
        _require_unique("name of a reach", (reach.name for reach in self.reaches))
        _require_unique("name of a lever", (lever.name for lever in self.levers))
        _require_unique("name of a motion", (one.name for one in self.motions))
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
        for part in self.drawn_parts:
            for binding in (part.binding, *part.shelved):
                _require_binding(part, binding)
        return self

    def _refers_to_what_is_there(self) -> None:
        bones, parts = {bone.id for bone in self.bones}, {part.id for part in self.parts}
        there = {"bone": bones, "part": parts, "group": {group.id for group in self.groups}, "carrier": bones | parts}
        there["posed"] = self.posed_ids | self.handles_elsewhere
        there["member"] = parts | there["group"]
        if all(ref in there[kind] for kind, ref in mentions(self)):
            return
        for found in walk(self):  # who it was, which takes longer to find
            kind = "posed" if found.means.kind == "channel" else found.means.kind
            if kind in there and not found.means.loose and named_by(found) not in there[kind]:
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
