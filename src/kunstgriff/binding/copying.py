"""The set-up of one limb copied to another with a different drawing: bones, bindings, zones, and what is made there."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
import shapely
from numpy.typing import NDArray
from pydantic import Field
from shapely.affinity import translate

from kunstgriff.artwork.edits import with_parts
from kunstgriff.artwork.meetings import suggested_pivot
from kunstgriff.artwork.outline import part_outline
from kunstgriff.binding.auto_binding import BindingOptions, auto_bind
from kunstgriff.binding.contained import bound
from kunstgriff.figure.edit import Edit, EditRefused, PartKeys, free_name, need_bone, need_part
from kunstgriff.figure.model import Binding, Bone, Figure, Part, Point, Rider, Rigid, Unbound, Weighted
from kunstgriff.figure.renewal import set_up_alike
from kunstgriff.figure.sets import set_of
from kunstgriff.figure.stores import Stores
from kunstgriff.skeleton.along import middle_of
from kunstgriff.skeleton.bones import bone_hue, parents_first, with_descendants

Floats = NDArray[np.float64]

CLEARLY = 0.05  # of its area that an outline must lie better on another mirrored than not


@dataclass(frozen=True)
class Match:
    """What stands for what: parts by id, and bones by id to the name they get; those there already by their ids."""

    parts: dict[str, str]
    bone_names: dict[str, str]
    bones_there: dict[str, str]


def match_limb(figure: Figure, bone: Bone, find: str, put: str) -> Match:
    """What on the other limb stands for a limb from `bone` on, by names with `find` put for by `put`.

    Raises EditRefused when no part or no name matches.
    """
    limb = with_descendants(figure, bone.id)
    ids = {one.id for one in limb}
    names = {one.id: _put(one.name, find, put) for one in limb}
    if all(names[one.id] == one.name for one in limb):
        raise EditRefused(f"No bone from “{bone.name}” on has “{find}” in its name.")
    there = {other.name: other.id for other in figure.bones if other.id not in ids}
    by_name = {part.name: part.id for part in figure.parts}
    parts = {
        part.id: target
        for part in figure.parts
        if _follows(figure, part, ids) and (target := by_name.get(_put(part.name, find, put))) and target != part.id
    }
    if not parts:
        raise EditRefused(f"No part is named as those of “{bone.name}” are with “{put}” in place of “{find}”.")
    return Match(parts, names, {ref: there[name] for ref, name in names.items() if name in there})


def _put(name: str, find: str, put: str) -> str:
    return " ".join(name.replace(find, put).split()) if find else name


def _follows(figure: Figure, part: Part, bones: set[str]) -> bool:
    binding = part.binding
    if isinstance(binding, Rider):
        carrier = figure.part(binding.carrier)
        return binding.carrier in bones or (carrier is not None and _follows(figure, carrier, bones))
    return bool(set(part.followed) & bones)


class CopySetup(Edit):
    """Set another limb up as the one from `bone` on: `find` in its names stands for `put` in the other's.

    Bones of the new names are made, at the places that fit the other drawing, unless they are there already; parts are
    bound alike, with as many vertices, the same zones and rows; covers, springs, limits and controls
    come along.
    """

    kind: Literal["copy_setup"] = "copy_setup"
    bone: str
    find: str = Field(min_length=1, max_length=80)
    put: str = Field(max_length=80)

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        bone = need_bone(figure, self.bone)
        match = match_limb(figure, bone, self.find, self.put)
        figure, bones = _with_bones(figure, bone, match, stores)
        changed = {}
        for source, target in match.parts.items():
            part, other = figure.part(source), figure.part(target)
            assert part is not None
            assert other is not None
            binding = _alike(figure, part, other, bones, match.parts, stores)
            if binding is not None:
                changed[target] = bound(other, binding).model_copy(update={"deformers": part.deformers})
        return set_up_alike(with_parts(figure, changed), bones, match.parts, stores)

    def describe(self, figure: Figure) -> str:
        return f"set {self.put or 'the other limb'} up as {need_bone(figure, self.bone).name}"


def _with_bones(figure: Figure, root: Bone, match: Match, stores: Stores) -> tuple[Figure, dict[str, str]]:
    """The figure with the other limb's bones, and which stands for which."""
    ids = dict(match.bones_there)
    made: list[Bone] = []
    taken = {bone.name for bone in figure.bones}
    limb = with_descendants(figure, root.id)
    placed = _placed(figure, limb, match, stores)
    for bone in limb:
        if bone.id in ids:
            continue
        name = free_name(match.bone_names[bone.id], taken)
        taken.add(name)
        number = len(made)
        parent = ids.get(bone.parent or "", bone.parent)
        joint, tip, mirrored = placed[bone.id]
        limits = bone.limits
        if mirrored and limits is not None:
            limits = limits.mirrored
        made.append(
            bone.model_copy(
                update={
                    "id": f"b{figure.next_id + number}",
                    "name": name,
                    "parent": parent,
                    "joint": joint,
                    "tip": tip,
                    "limits": limits,
                    "hue": bone_hue(len(figure.bones) + number),
                }
            )
        )
        ids[bone.id] = made[-1].id
    bones = tuple(parents_first([*figure.bones, *made]))
    return figure.replace(bones=bones, next_id=figure.next_id + len(made)), ids


def _placed(figure: Figure, limb: list[Bone], match: Match, stores: Stores) -> dict[str, tuple[Point, Point, bool]]:
    """Joint and tip of each bone on the other drawing, and whether that is mirrored; where bones are joined, the later
    one's part has its say."""
    places: dict[str, tuple[Point, Point, bool]] = {}
    last: Similarity | None = None
    for bone in limb:
        owner = next((part for part in figure.parts if part.id in match.parts and bone.id in part.followed), None)
        if owner is not None:
            target = figure.part(match.parts[owner.id])
            assert target is not None
            last = similarity(figure, owner, target, stores)
        if last is None:  # nothing of it on the other limb yet: as its first matched part is
            first = next(part for part in figure.parts if part.id in match.parts)
            target = figure.part(match.parts[first.id])
            assert target is not None
            last = similarity(figure, first, target, stores)
        joint = last.take(bone.joint)
        places[bone.id] = joint, last.take(bone.tip), last.mirrored
        if bone.parent in places:
            parent = next(one for one in limb if one.id == bone.parent)
            if parent.tip == bone.joint:
                places[bone.parent] = places[bone.parent][0], joint, places[bone.parent][2]
    return places


@dataclass(frozen=True)
class Similarity:
    """Points as complex numbers, w = (z - at) / along from a line: z → to + w · there, or `mirrored` about the line."""

    at: complex
    along: complex
    to: complex
    there: complex
    mirrored: bool = False

    def take(self, point: Point) -> Point:
        """Where a point lies on the other drawing, to a tenth of a px."""
        x, y = self.take_all(np.array([point]))[0].tolist()
        return round(x, 1), round(y, 1)

    def take_all(self, points: Floats) -> Floats:
        """Where points (n, 2) lie on the other drawing."""
        return self.turn_all(points - _pairs(self.at)) + _pairs(self.to)

    def turn_all(self, moves: Floats) -> Floats:
        """Moves (n, 2), turned and scaled as the other drawing is."""
        ways = (moves[:, 0] + 1j * moves[:, 1]) / self.along
        turned = (ways.conj() if self.mirrored else ways) * self.there
        return np.stack([turned.real, turned.imag], 1)


def _pairs(number: complex) -> Floats:
    return np.array([number.real, number.imag])


def similarity(figure: Figure, part: Part, target: Part, stores: Stores) -> Similarity:
    """The turn, scale and shift that take one part's pivot and far end to those of another: mirrored where the one's
    outline lies clearly better on the other's that way, as that of a hand on the other side does."""
    (at, far), (to, far_there) = _axis(figure, part, stores), _axis(figure, target, stores)
    along, there = (far - at, far_there - to) if abs(far - at) > 1e-6 else (complex(1), complex(1))
    ways = [Similarity(at, along, to, there, mirrored) for mirrored in (False, True)]
    try:
        outline, other = (translate(part_outline(one, stores), *one.drawing.place) for one in (part, target))
    except ValueError:  # nothing is painted
        return ways[0]
    off = [
        shapely.make_valid(shapely.transform(outline, way.take_all)).symmetric_difference(other).area / other.area
        for way in ways
    ]
    return ways[1] if off[1] < off[0] - CLEARLY else ways[0]


def _axis(figure: Figure, part: Part, stores: Stores) -> tuple[complex, complex]:
    """Where a part turns and the far end of its middle line."""
    line = middle_of(part, stores)
    centre = complex(part.drawing.place[0] + part.drawing.size[0] / 2, part.drawing.place[1] + part.drawing.size[1] / 2)
    ends = (
        [complex(*line[0]), complex(*line[-1])]
        if line is not None
        else [centre, centre - 1j * part.drawing.size[1] / 2]
    )
    pivot = part.drawing.pivot or suggested_pivot(figure, part, stores)
    at = complex(*pivot) if pivot is not None else min(ends, key=lambda end: end.imag)
    return at, max(ends, key=lambda end: abs(end - at))


def _alike(
    figure: Figure, part: Part, other: Part, bones: dict[str, str], parts: dict[str, str], stores: Stores
) -> Binding | None:
    """The binding of the other part, like that of `part`; None where it follows nothing."""
    binding = part.binding
    if isinstance(binding, Unbound):
        return None
    if isinstance(binding, Rigid):
        return Rigid(bone=bones.get(binding.bone, binding.bone))
    if isinstance(binding, Rider):
        move = similarity(figure, part, other, stores)
        carrier = bones.get(binding.carrier, parts.get(binding.carrier, binding.carrier))
        changes: dict[str, Any] = {"carrier": carrier, "spot": move.take(binding.spot)}
        if binding.pivot is not None:
            changes["pivot"] = move.take(binding.pivot)
        return binding.model_copy(update=changes)
    assert isinstance(binding, Weighted)
    refs = [bones.get(ref, ref) for ref in binding.influences]
    influences = [bone for bone in figure.bones if bone.id in refs]
    zones = tuple(zone.model_copy(update={"bone": bones.get(zone.bone, zone.bone)}) for zone in binding.zones)
    options = BindingOptions.as_bound(binding).model_copy(update={"zones": zones})
    return auto_bind(figure, other, influences, options, stores)


class SetUpAlike(Edit):
    """Set drawings up as one of their set is: bound alike, with the treatments that it has at its joints.

    Without `drawings` all others of its set are. They lie where they were drawn; each drawing is one part.
    """

    kind: Literal["set_up_alike"] = "set_up_alike"
    like: str
    drawings: PartKeys | None = None

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        like = need_part(figure, self.like)
        for ref in self._others(figure, like):
            other = need_part(figure, ref)
            if other.id == like.id:
                raise EditRefused(f"“{like.name}” cannot be set up as itself.")
            binding = _in_place(figure, like, other, stores)
            if binding is not None:
                after = bound(other, binding).model_copy(update={"deformers": like.deformers})
                figure = with_parts(figure, {other.id: after})
            bones = {bone.id: bone.id for bone in figure.bones}
            parts = {part.id: part.id for part in figure.parts if part.id != other.id} | {like.id: other.id}
            figure = set_up_alike(figure, bones, parts, stores)
        return figure

    def _others(self, figure: Figure, like: Part) -> list[str]:
        if self.drawings is not None:
            return [need_part(figure, key).id for key in self.drawings]
        group = set_of(figure, like.id)
        if group is None:
            raise EditRefused(f"“{like.name}” is in no set; say which parts shall be set up as it is.")
        parts = {part.id for part in figure.parts}
        found = [one.of for one in group.drawings if one.of != like.id and one.of in parts]
        if not found:
            raise EditRefused(f"No other drawing of “{group.name}” is one part.")
        return found

    def describe(self, figure: Figure) -> str:
        return f"set up as {need_part(figure, self.like).name}"


def _in_place(figure: Figure, like: Part, other: Part, stores: Stores) -> Binding | None:
    """The binding of a part for another one that is drawn where it is; None where it follows nothing."""
    binding = like.binding
    if isinstance(binding, Unbound):
        return None
    if isinstance(binding, Rigid | Rider):
        return binding
    bones = [bone for bone in figure.bones if bone.id in binding.influences]
    return auto_bind(figure, other, bones, BindingOptions.as_bound(binding), stores)
