"""Edits of the Follow-through stage: springs, by numbers or by what one wants to see."""

from __future__ import annotations

import math
from typing import Annotated, Any, Literal

import numpy as np
from pydantic import Field, ValidationError

from kunstgriff.figure.edit import BoneKeys, Edit, EditRefused, need_bone, placed, tell
from kunstgriff.figure.follow import MOST_TIED, HungAt, OwnCycle, Spring, Wish
from kunstgriff.figure.model import Figure
from kunstgriff.figure.stores import Stores
from kunstgriff.figure.values import FigurePoint
from kunstgriff.follow.intent import MATERIALS, tuned
from kunstgriff.skeleton.bones import ancestors, chain_from, length_of

SLOWEST, FASTEST = 0.1, 20.0  # Hz


class SetSpring(Edit):
    """Make the chain that begins at a bone springy, or change its spring; what is not said stays as it is.

    `frequency` in Hz, `damping_ratio` 1 being critical, `gravity` in px/s²; `firmness` and `calm` along it, `weight` at
    its tip, `air`, `thickness` in px and `friction`, `stretch`, `bounce` in Hz and `squash` as a figure's springs have
    them.
    """

    kind: Literal["set_spring"] = "set_spring"
    bone: str
    frequency: Annotated[float, Field(ge=SLOWEST, le=FASTEST)] | None = None
    damping_ratio: Annotated[float, Field(ge=0, le=2)] | None = None
    gravity: Annotated[float, Field(ge=0, le=20_000)] | None = None
    firmness: tuple[float, ...] | None = None
    calm: tuple[float, ...] | None = None
    weight: Annotated[float, Field(ge=0, le=50)] | None = None
    air: Annotated[float, Field(ge=0, le=40)] | None = None
    thickness: Annotated[float, Field(ge=0, le=2_000)] | None = None
    friction: Annotated[float, Field(ge=0, le=2)] | None = None
    stretch: Annotated[float, Field(ge=0, le=1)] | None = None
    bounce: Annotated[float, Field(ge=0.2, le=20)] | None = None
    squash: Annotated[float, Field(ge=0, le=1)] | None = None

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        said = {name: value for name, value in self if name not in ("kind", "bone") and value is not None}
        figure, spring = springy(figure, self.bone)
        if {"frequency", "damping_ratio"} & set(said):
            said["wish"] = None
        return with_spring(figure, _changed(spring, said))

    def describe(self, figure: Figure) -> str:
        return f"spring on {need_bone(figure, self.bone).name}"


class WishSpring(Edit):
    """Have the chain that begins at a bone do what one wants to see on the standard swing, or be of a `material`.

    Two of three are said: it `settles` in so many frames at 24 a second, `overshoots` by a share of the way, `lags` so
    many frames.
    """

    kind: Literal["wish_spring"] = "wish_spring"
    bone: str
    settles: Annotated[float, Field(ge=1, le=480)] | None = None
    overshoots: Annotated[float, Field(ge=0, le=0.95)] | None = None
    lags: Annotated[float, Field(ge=0, le=48)] | None = None
    material: str | None = None

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        figure, spring = springy(figure, self.bone)
        wish, made = Wish(settles=self.settles, overshoots=self.overshoots, lags=self.lags), None
        if self.material is not None:
            made = MATERIALS.get(self.material)
            if made is None:
                raise EditRefused(f"There is no material “{self.material[:80]}”; there are {', '.join(MATERIALS)}.")
            spring, wish = spring.model_copy(update={"air": made.air, "weight": made.weight}), made.wish
        return with_spring(figure, tuned(figure, spring, wish, nearest=made is not None))

    def describe(self, figure: Figure) -> str:
        return f"how {need_bone(figure, self.bone).name} follows through"


class TuneSprings(Edit):
    """All springs of a figure at once: so many times as `tight`, so many times as `heavy`.

    Twice as tight swings twice as fast; what is heavier swings slower and longer, as more weight on the same spring
    does.
    """

    kind: Literal["tune_springs"] = "tune_springs"
    tight: Annotated[float, Field(ge=0.1, le=10)] = 1.0
    heavy: Annotated[float, Field(ge=0.1, le=10)] = 1.0

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        if not figure.springs:
            raise EditRefused("Nothing of this figure is springy yet.")
        springs = tuple(
            one.model_copy(
                update={
                    "frequency": min(max(one.frequency * self.tight / self.heavy**0.5, SLOWEST), FASTEST),
                    "damping_ratio": min(one.damping_ratio / self.heavy**0.5, 2.0),
                    "air": min(one.air / self.heavy, 40.0),
                    "wish": None,
                }
            )
            for one in figure.springs
        )
        return figure.replace(springs=springs)

    def describe(self, figure: Figure) -> str:
        return "all springs"


class HangEnd(Edit):
    """Hang the end of a chain on a bone, too, at a place at rest: where it ends, unless one is given.

    Without a bone it hangs loose.
    """

    kind: Literal["hang_end"] = "hang_end"
    bone: str
    on: str | None = None
    place: FigurePoint | None = None

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        spring = need_spring(figure, self.bone)
        if self.on is None:
            return with_spring(figure, spring.model_copy(update={"hung": None}))
        hook = need_bone(figure, self.on)
        if hook.id in spring.bones or any(one.id in spring.bones for one in ancestors(figure, hook.id)):
            raise EditRefused(f"“{hook.name}” hangs on the chain itself.")
        last = figure.bone(spring.bones[-1])
        assert last is not None
        root = figure.bone(spring.bones[0])
        assert root is not None
        place = self.place or last.tip
        reach = sum(length_of(one) for one in figure.bones if one.id in spring.bones)
        away = math.dist(place, root.joint)
        if away > reach:
            raise EditRefused(f"The chain is {reach:.0f} px long and cannot hang at a place {away:.0f} px away.")
        return with_spring(figure, spring.model_copy(update={"hung": HungAt(bone=hook.id, place=place)}))

    def describe(self, figure: Figure) -> str:
        return f"where the end of {need_bone(figure, self.bone).name} hangs"


class SetCycle(Edit):
    """Give a chain a small swing of its own that goes round every so many `frames`, by so many `degrees`.

    None takes it away.
    """

    kind: Literal["set_cycle"] = "set_cycle"
    bone: str
    frames: Annotated[float, Field(ge=2, le=2_000)] = 24.0
    degrees: Annotated[float, Field(ge=-90, le=90)] = 0.0

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        spring = need_spring(figure, self.bone)
        cycle = OwnCycle(frames=self.frames, degrees=self.degrees) if self.degrees else None
        return with_spring(figure, spring.model_copy(update={"cycle": cycle}))

    def describe(self, figure: Figure) -> str:
        return f"a cycle of its own for {need_bone(figure, self.bone).name}"


class TieChains(Edit):
    """Tie springy chains to one another rod by rod, each to the next, as strips of one cloth.

    It may `give` by a share of how far they are apart. They are taken in the order in which they lie side by side.
    Raises EditRefused for fewer than two, and where one hangs on a chain and another does not.
    """

    kind: Literal["tie_chains"] = "tie_chains"
    bones: BoneKeys
    give: Annotated[float, Field(ge=0, le=1)] = 0.05

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        chosen = list({one.id: one for one in (need_spring(figure, key) for key in self.bones)}.values())
        if len(chosen) < 2:
            raise EditRefused("Two springy chains at least are tied to each other.")
        roots = {one.id: need_bone(figure, one.bones[0]) for one in chosen}
        above = {one.id: {bone.id for bone in ancestors(figure, one.bones[0])} for one in chosen}
        deep = {one.id: sum(bool(above[one.id] & set(each.bones)) for each in figure.springs) for one in chosen}
        for one in chosen[1:]:
            if deep[one.id] != deep[chosen[0].id]:
                names = roots[chosen[0].id].name, roots[one.id].name
                raise EditRefused(
                    f"“{names[0]}” and “{names[1]}” do not hang side by side: one swings on a chain itself."
                )
        spots = np.array([roots[one.id].joint for one in chosen])
        across = np.linalg.svd(spots - spots.mean(0))[2][0]  # the way in which they lie side by side
        across = across * np.sign(across[np.abs(across).argmax()])
        chosen = [chosen[k] for k in np.argsort(spots @ across, kind="stable")]
        refs = {one.bones[0] for one in chosen}
        for k, one in enumerate(chosen):
            kept = tuple(ref for ref in one.tied if ref not in refs)
            after = (chosen[k + 1].bones[0],) if k + 1 < len(chosen) else ()
            if len(kept + after) > MOST_TIED:
                raise EditRefused(f"A chain is tied to {MOST_TIED} others at the most.")
            figure = with_spring(figure, one.model_copy(update={"tied": kept + after, "give": self.give}))
        return figure

    def describe(self, figure: Figure) -> str:
        return f"{len(self.bones)} chains tied as cloth"


class UntieChains(Edit):
    """Let chains swing by themselves again: what they are tied to, and what is tied to them."""

    kind: Literal["untie_chains"] = "untie_chains"
    bones: BoneKeys

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        loose = {need_spring(figure, key).bones[0] for key in self.bones}
        springs = tuple(
            one.model_copy(
                update={"tied": () if one.bones[0] in loose else tuple(ref for ref in one.tied if ref not in loose)}
            )
            for one in figure.springs
        )
        if springs == figure.springs:
            raise EditRefused("They are tied to nothing.")
        return figure.replace(springs=springs)

    def describe(self, figure: Figure) -> str:
        return f"{need_bone(figure, self.bones[0]).name} untied"


class RemoveSpring(Edit):
    """Take the spring off the chain a bone belongs to."""

    kind: Literal["remove_spring"] = "remove_spring"
    bone: str

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        spring = need_spring(figure, self.bone)
        return figure.without({spring.id})

    def describe(self, figure: Figure) -> str:
        return f"take the spring off {need_bone(figure, self.bone).name}"


def need_spring(figure: Figure, key: str) -> Spring:
    """The spring of the chain that a bone is in. Raises EditRefused where it is not springy."""
    bone = need_bone(figure, key)
    found = next((one for one in figure.springs if bone.id in one.bones), None)
    if found is None:
        raise EditRefused(f"“{bone.name}” is not springy.")
    return found


def springy(figure: Figure, key: str) -> tuple[Figure, Spring]:
    """A figure in which the chain that begins at a bone has a spring, and that. Raises EditRefused for a chain that
    nothing could swing, or that is springy in part."""
    bone = need_bone(figure, key)
    there = next((one for one in figure.springs if one.bones[0] == bone.id), None)
    if there is not None:
        return figure, there
    if bone.parent is None:
        raise EditRefused(f"“{bone.name}” hangs on nothing that could swing it; hang it on another bone first.")
    chain = tuple(one.id for one in chain_from(figure, bone.id))
    if any(set(chain) & set(one.bones) for one in figure.springs):
        raise EditRefused(f"Part of the chain of “{bone.name}” is springy already; take that spring off first.")
    made = Spring(id=f"s{figure.next_id}", bones=chain, frequency=1.6, damping_ratio=0.25, gravity=980.0)
    return figure.replace(springs=(*figure.springs, made), next_id=figure.next_id + 1), made


def with_spring(figure: Figure, spring: Spring) -> Figure:
    """The figure with a spring in the place of the one with its id."""
    return figure.replace(springs=placed(figure.springs, spring))


def _changed(spring: Spring, said: dict[str, Any]) -> Spring:
    try:
        return Spring(**{**dict(spring), **said})
    except ValidationError as error:
        raise EditRefused(tell(error)) from error


def springs_alike(figure: Figure, bones: dict[str, str], parts: dict[str, str], stores: Stores) -> Figure:
    """Springs of one limb made on the other too, where it has none."""
    for spring in figure.springs:
        mapped = tuple(bones.get(ref, "") for ref in spring.bones)
        springy_bones = {ref for one in figure.springs for ref in one.bones}
        if all(mapped) and not springy_bones & set(mapped):
            tied = tuple(bones[ref] for ref in spring.tied if ref in bones)
            changed = {"id": f"s{figure.next_id}", "bones": mapped, "hung": None, "tied": tied}
            copy = spring.model_copy(update=changed)
            figure = figure.replace(springs=(*figure.springs, copy), next_id=figure.next_id + 1)
    return figure
