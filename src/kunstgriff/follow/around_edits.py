"""What chains meet: the wind, and colliders laid along the art by themselves or by hand."""

from __future__ import annotations

import math
from collections.abc import Iterator
from itertools import pairwise
from typing import Annotated, Any, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field, ValidationError

from kunstgriff.figure.edit import Edit, EditRefused, free_name, need_bone, placed, tell
from kunstgriff.figure.follow import FIGURE_WIND, MOST_COLLIDERS, Collider, Floor, Spring, Wind
from kunstgriff.figure.model import Bone, Figure, Part, Rigid, Weighted
from kunstgriff.figure.stores import Stores
from kunstgriff.figure.values import FigurePoint
from kunstgriff.follow.edits import need_spring, with_spring
from kunstgriff.skeleton.bones import ancestors

Floats = NDArray[np.float64]

FELT = 1.5  # 1/s: the air of chains that the wind is to reach and that felt none so far
SPOTS = 3_000  # of a part's picture looked at, about
BINS = 12
STANDS = 0.06  # of a figure's height that the tip of a leg may lie above its lowest one


class SetWind(Edit):
    """Let the wind blow `towards` so many degrees (clockwise from the right), at `strength` px/s.

    It has `gusts` of so many times that, about every so many `seconds`; what is not said stays as it is. Without
    strength it is calm. Chains that felt no air so far feel some from now on.
    """

    kind: Literal["set_wind"] = "set_wind"
    towards: Annotated[float, Field(ge=-360, le=360)] | None = None
    strength: Annotated[float, Field(ge=0, le=FIGURE_WIND)] | None = None
    gusts: Annotated[float, Field(ge=0, le=2)] | None = None
    seconds: Annotated[float, Field(ge=0.1, le=20)] | None = None
    seed: Annotated[int, Field(ge=0, le=2**31 - 1)] | None = None

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        names = ("towards", "strength", "gusts", "seconds", "seed")
        said: dict[str, Any] = {name: value for name in names if (value := getattr(self, name)) is not None}
        if self.strength == 0:
            if figure.wind is None:
                raise EditRefused("It is calm already.")
            return figure.without({figure.wind.id})
        if figure.wind is None:
            figure = figure.replace(next_id=figure.next_id + 1, wind=Wind(id=f"w{figure.next_id}"))
        wind = Wind(**{**dict(figure.wind or {}), **said})
        springs = tuple(one if one.air else one.model_copy(update={"air": FELT}) for one in figure.springs)
        return figure.replace(wind=wind, springs=springs)

    def describe(self, figure: Figure) -> str:
        return "the wind"


class LayColliders(Edit):
    """Lay colliders along the art of some bones by themselves, which no chain enters.

    Where none are named it is those that chains hang on, and legs. What was laid by itself on them before goes.

    A chain lies on what is drawn behind it: what is drawn before it, and is nothing it hangs on, it passes.
    """

    kind: Literal["lay_colliders"] = "lay_colliders"
    bones: Annotated[tuple[str, ...], Field(max_length=2_000)] = ()

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        springy = {ref for one in figure.springs for ref in one.bones}
        if self.bones:
            chosen = [need_bone(figure, key) for key in self.bones]
        else:
            meant = _carrying(figure) | _legs(figure)
            chosen = [one for one in figure.bones if one.id in meant - springy]
        ids = {one.id for one in chosen}
        left = tuple(one for one in figure.colliders if one.part is None or one.bone not in ids)
        made, names, number = list[Collider](), {one.name for one in left}, figure.next_id
        for bone in chosen:
            fitted = capsule_of(figure, bone, stores)
            if fitted is None:
                continue
            start, end, radius, part = fitted
            name = free_name(bone.name, names)
            names.add(name)
            made.append(
                Collider(id=f"c{number}", name=name, bone=bone.id, start=start, end=end, radius=radius, part=part.id)
            )
            number += 1
        if not made:
            raise EditRefused("There is no art on these bones that a collider could be laid along.")
        if len(left) + len(made) > MOST_COLLIDERS:
            raise EditRefused(f"A figure has {MOST_COLLIDERS} colliders at most.")
        after = figure.replace(colliders=(*left, *made), next_id=number)
        bone_of, now = {one.id: one.bone for one in figure.colliders}, {one.bone: one.id for one in made}
        return after.replace(springs=tuple(_passing(after, _as_now(one, bone_of, now), made) for one in after.springs))

    def describe(self, figure: Figure) -> str:
        return "colliders along the art"


class SetCollider(Edit):
    """Lay a collider on a bone by hand, a capsule from `start` to `end` with a `radius` in px.

    Or change one by its id or name; what is not said stays as it is.
    """

    kind: Literal["set_collider"] = "set_collider"
    collider: str | None = None
    bone: str | None = None
    start: FigurePoint | None = None
    end: FigurePoint | None = None
    radius: Annotated[float, Field(gt=0, le=10_000)] | None = None

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        said: dict[str, Any] = {
            name: value for name in ("start", "end", "radius") if (value := getattr(self, name)) is not None
        }
        if self.bone is not None:
            said["bone"] = need_bone(figure, self.bone).id
        if self.collider is not None:
            one = need_collider(figure, self.collider)
            changed = Collider(**{**dict(one), **said, "part": None})
            return figure.replace(colliders=placed(figure.colliders, changed))
        if self.bone is None or self.start is None or self.radius is None:
            raise EditRefused("A collider needs a bone, a place and a radius.")
        if len(figure.colliders) >= MOST_COLLIDERS:
            raise EditRefused(f"A figure has {MOST_COLLIDERS} colliders at most.")
        name = free_name(need_bone(figure, self.bone).name, {each.name for each in figure.colliders})
        try:
            made = Collider(id=f"c{figure.next_id}", name=name, **{"end": self.start, **said})
        except ValidationError as error:
            raise EditRefused(tell(error)) from error
        return figure.replace(colliders=(*figure.colliders, made), next_id=figure.next_id + 1)

    def describe(self, figure: Figure) -> str:
        return "a collider"


class SetFloor(Edit):
    """Let chains lie on the ground, level where the figure stands or at another place; or let them sink through it."""

    kind: Literal["set_floor"] = "set_floor"
    on: bool = True
    at: FigurePoint | None = None

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        floor = figure.floor
        if not self.on:
            if floor is None:
                raise EditRefused("Chains sink through the ground already.")
            return figure.without({floor.id})
        if floor is None:
            floor = Floor(id=f"f{figure.next_id}")
            figure = figure.replace(next_id=figure.next_id + 1)
        return figure.replace(floor=floor if self.at is None else floor.model_copy(update={"at": self.at}))

    def describe(self, figure: Figure) -> str:
        return "the ground under chains"


class LiftColliders(Edit):
    """Take colliders off, by id or name; all where none is named."""

    kind: Literal["lift_colliders"] = "lift_colliders"
    colliders: Annotated[tuple[str, ...], Field(max_length=MOST_COLLIDERS)] = ()

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        gone = {need_collider(figure, key).id for key in self.colliders} or {one.id for one in figure.colliders}
        if not gone:
            raise EditRefused("There is no collider.")
        return figure.replace(colliders=tuple(one for one in figure.colliders if one.id not in gone))

    def describe(self, figure: Figure) -> str:
        return "take colliders off"


def need_collider(figure: Figure, key: str) -> Collider:
    """The collider with this id or name, else EditRefused."""
    found = next((one for one in figure.colliders if key in (one.id, one.name)), None)
    if found is None:
        raise EditRefused(f"There is no collider “{key[:80]}”.")
    return found


class PassColliders(Edit):
    """Let the chain of a bone go through some colliders, by id or name, or heed them again."""

    kind: Literal["pass_colliders"] = "pass_colliders"
    bone: str
    colliders: Annotated[tuple[str, ...], Field(min_length=1, max_length=MOST_COLLIDERS)]
    passes: bool = True

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        spring, meant = need_spring(figure, self.bone), {need_collider(figure, key).id for key in self.colliders}
        passed = set(spring.passes) | meant if self.passes else set(spring.passes) - meant
        return with_spring(figure, spring.model_copy(update={"passes": tuple(sorted(passed))}))

    def describe(self, figure: Figure) -> str:
        return f"what {need_bone(figure, self.bone).name} heeds"


def _above(figure: Figure, ref: str) -> set[str]:
    """The bones that one hangs on, all the way up."""
    return {bone.id for bone in ancestors(figure, ref)}


def _carrying(figure: Figure) -> set[str]:
    """The bones that chains hang on, all the way up."""
    return {ref for spring in figure.springs for ref in _above(figure, spring.bones[0])}


def _legs(figure: Figure) -> set[str]:
    """The bones of limbs that stand on the ground: from the lowest tips up to what carries a chain."""
    if not figure.bones:
        return set()
    tips = [bone.tip[1] for bone in figure.bones]
    ground, high = max(tips), max(tips) - min(min(tips), min(bone.joint[1] for bone in figure.bones))
    carrying, found = _carrying(figure), set[str]()
    for bone in figure.bones:
        if bone.tip[1] > ground - STANDS * high:
            found |= {bone.id, *_above(figure, bone.id)} - carrying
    parents = {bone.parent for bone in figure.bones}
    rigid = {bone.id for bone in figure.bones if bone.parent is None and bone.id not in parents}  # nothing hangs there
    return found - rigid


def _as_now(spring: Spring, bone_of: dict[str, str], now: dict[str, str]) -> Spring:
    """A spring that passes what was laid anew on the bones whose colliders it passed."""
    passes = {now.get(bone_of.get(ref, ""), ref) for ref in spring.passes}
    return spring.model_copy(update={"passes": tuple(sorted(passes))})


def _passing(figure: Figure, spring: Spring, made: list[Collider]) -> Spring:
    """A spring that passes those of some colliders that are drawn before its art and carry it in no way."""
    carrying, order = _above(figure, spring.bones[0]), {part.id: k for k, part in enumerate(figure.parts)}
    mine = [order[part.id] for part in figure.parts if set(bones_of(part)) & set(spring.bones)]
    kept = {ref for ref in spring.passes if any(one.id == ref for one in figure.colliders)}
    front = {one.id for one in made if mine and one.bone not in carrying and one.part and order[one.part] > max(mine)}
    return spring.model_copy(update={"passes": tuple(sorted(kept | front))})


def bones_of(part: Part) -> tuple[str, ...]:
    """The bones that a part follows."""
    if isinstance(part.binding, Rigid):
        return (part.binding.bone,)
    return part.binding.influences if isinstance(part.binding, Weighted) else ()


def capsule_of(figure: Figure, bone: Bone, stores: Stores) -> tuple[FigurePoint, FigurePoint, float, Part] | None:
    """A capsule that lies in the art of a bone, and the part that is most of it; None where it has none.

    It is as long as the art along the bone, covers as much, and lies in the middle of it.
    """
    found = list(_art_of(figure, bone, stores))
    if not found:
        return None
    spots, sizes = [(part, some) for part, some, _ in found], [each for _, _, each in found]
    points = np.concatenate([some for _, some in spots])
    way = np.subtract(bone.tip, bone.joint)
    way = way / max(float(np.hypot(*way)), 1e-9)
    right = np.array([-way[1], way[0]])
    along, across = (points - bone.joint) @ way, (points - bone.joint) @ right
    low, high = along.min(), along.max()
    edges = np.linspace(low, high, BINS + 1)
    inside = [across[(along >= a) & (along <= b)] for a, b in pairwise(edges)]
    middles = [np.percentile(some, [2, 98]).mean() for some in inside if len(some) > 3]
    if not middles:
        return None
    cell = max(sizes) ** 0.5  # what two parts both draw is there once
    area = len(np.unique(np.floor(points / cell), axis=0)) * cell**2
    long = high - low
    # a capsule `long` in all with round ends of radius r covers 2 r long - (4 - π) r²
    root = long**2 - (4 - math.pi) * area
    radius = max((long - math.sqrt(max(root, 0.0))) / (4 - math.pi), 1.0)
    middle = np.asarray(bone.joint) + right * float(np.median(middles))
    if long <= 2 * radius:  # as wide as long: a circle
        radius, first, last = max(math.sqrt(area / math.pi), 1.0), (low + high) / 2, (low + high) / 2
    else:
        first, last = low + radius, high - radius
    start, end = (middle + at * way for at in (first, last))
    most = max(spots, key=lambda one: len(one[1]))[0]
    return (float(start[0]), float(start[1])), (float(end[0]), float(end[1])), radius, most


def _art_of(figure: Figure, bone: Bone, stores: Stores) -> Iterator[tuple[Part, Floats, float]]:
    """Spots (n, 2) of the art that follows a bone, by part, and how many px² each stands for."""
    bones, skirts = {one.id: one for one in figure.bones}, {ref for hem in figure.hems for ref in hem.panels}
    for part in figure.parts:
        refs = () if part.id in skirts else bones_of(part)
        if bone.id not in refs:
            continue
        alpha = stores.get_pixels(part.drawing.picture)[..., 3]
        step = max(int((alpha.size / SPOTS) ** 0.5), 1)
        rows, columns = np.nonzero(alpha[::step, ::step] > 127)
        scale = np.divide(part.drawing.size, alpha.shape[::-1])
        places = np.column_stack([columns, rows]).astype(np.float64)
        spots = places * step * scale + np.asarray(part.drawing.place, np.float64)
        if len(refs) > 1 and len(spots):
            away = np.array([_away(spots, bones[ref]) for ref in refs])
            spots = spots[away.argmin(0) == refs.index(bone.id)]
        if len(spots):
            yield part, spots, float(np.prod(scale)) * step**2


def _away(spots: Floats, bone: Bone) -> Floats:
    """How far spots (n, 2) lie from a bone's line, px."""
    way = np.subtract(bone.tip, bone.joint)
    share = np.clip((spots - bone.joint) @ way / max(float(way @ way), 1e-9), 0, 1)
    return np.asarray(np.hypot(*(spots - bone.joint - share[:, None] * way).T))
