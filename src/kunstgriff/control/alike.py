"""Controls of one limb made alike at another: what poses and drives the one poses and drives the other's like."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from contextlib import suppress
from typing import Any

import numpy as np

from kunstgriff.binding.copying import Similarity, similarity
from kunstgriff.control.edits import side_of, with_reach
from kunstgriff.control.lever_edits import refuse_tangles, with_lever
from kunstgriff.control.reaching import bones_now, chain_of
from kunstgriff.control.shape_edits import with_shape
from kunstgriff.figure.channels import addressed, parted, quantities
from kunstgriff.figure.controls import (
    OTHER_SIDE,
    Axis,
    Corrective,
    Drive,
    Knot,
    Lever,
    Reach,
    Sample,
    Sculpt,
    Shape,
    TurnDrives,
)
from kunstgriff.figure.edit import EditRefused, free_name
from kunstgriff.figure.mirroring import goes_both
from kunstgriff.figure.model import Figure
from kunstgriff.figure.sets import parts_of_drawing
from kunstgriff.figure.sides import other_side
from kunstgriff.figure.stores import Stores
from kunstgriff.figure.warps import Warp


def reaches_alike(figure: Figure, bones: dict[str, str], parts: dict[str, str], stores: Stores) -> Figure:
    """Reaches of one limb laid on the other too, bent to the side that is its own."""
    for one in figure.reaches:
        if not isinstance(one, Reach):
            continue
        chain = bones_now(figure, one)
        other = bones.get(one.tip)
        if not chain or other in (None, one.tip) or not all(bone.id in bones for bone in chain):
            continue
        with suppress(EditRefused):  # it reaches already
            there = chain_of(figure, bones[one.tip], one.bones)
            same = side_of(there) == side_of(chain)
            copy = one.model_copy(
                update={
                    "id": f"k{figure.next_id}",
                    "name": free_name(other_side(one.name, figure.sides), {each.name for each in figure.reaches}),
                    "tip": bones[one.tip],
                    "side": one.side if same else OTHER_SIDE[one.side],
                    "hangs_on": bones.get(one.hangs_on, one.hangs_on) if one.hangs_on is not None else None,
                    "foot": bones.get(one.foot) if one.foot is not None else None,
                }
            )
            figure = with_reach(figure, copy)
    return figure


def driven_alike(figure: Figure, bones: dict[str, str], parts: dict[str, str], stores: Stores) -> Figure:
    """Laid-on shapes, levers, correctives and what turns of bones drive, made for the other limb as for the one.

    What also poses anything beyond the limb stays the only one of its kind; what is there by name is not made again.
    """
    like = _Like(figure, bones, parts, stores)
    for shape in figure.shapes:
        figure = like.named(figure, shape, like.shape(shape))
    for lever in figure.levers:
        figure = like.named(figure, lever, like.lever(lever))
    there = {one.bones for one in figure.correctives}
    for one in figure.correctives:
        made = like.corrective(one)
        if made is not None and made.bones not in there:
            name = free_name(other_side(one.name, figure.sides), {each.name for each in figure.correctives})
            made = made.model_copy(update={"id": f"k{figure.next_id}", "name": name})
            figure = figure.replace(correctives=(*figure.correctives, made), next_id=figure.next_id + 1)
    for driven in figure.by_turns:
        if bones.get(driven.bone, driven.bone) != driven.bone:
            figure = _also_driven(figure, like.by_turn(driven))
    return figure


def _also_driven(figure: Figure, made: TurnDrives | None) -> Figure:
    """The figure with what a bone drives, beside what it drives already."""
    if made is None:
        return figure
    known = next((one.drives for one in figure.by_turns if one.bone == made.bone), ())
    there = {one.channel for one in known}
    drives = (*known, *(one for one in made.drives if one.channel not in there))
    others = tuple(one for one in figure.by_turns if one.bone != made.bone)
    after = figure.replace(by_turns=(*others, TurnDrives(bone=made.bone, drives=drives)))
    with suppress(EditRefused):  # where it would drive itself
        refuse_tangles(after)
        return after
    return figure


class _Like:
    """What stands for what, by id, and how the other's numbers come from the one's."""

    def __init__(self, figure: Figure, bones: dict[str, str], parts: dict[str, str], stores: Stores) -> None:
        self.figure, self.parts, self.stores = figure, parts, stores
        self.ids = {**bones, **parts, **_groups(figure, parts), **_handles(figure, parts)}
        self.carried = dict[str, Similarity]()

    def named(self, figure: Figure, one: Lever | Shape, made: Lever | Shape | None) -> Figure:
        """The figure with the like of a lever or shape, unless there is one of its name."""
        some = figure.levers if isinstance(one, Lever) else figure.shapes
        names, name = {each.name for each in some}, other_side(one.name, figure.sides)
        there = next((each.id for each in some if each.name == name and each.id != one.id), None)
        if there is not None:
            self.ids[one.id] = there
        if made is None or there is not None:
            return figure
        made = made.model_copy(update={"id": f"k{figure.next_id}", "name": free_name(name, names)})
        with suppress(EditRefused):  # where it would drive itself, or what comes in steps is driven already
            after = with_lever(figure, made) if isinstance(made, Lever) else with_shape(figure, made)
            self.ids[one.id] = made.id
            return after
        return figure

    def knows(self, refs: Iterable[str]) -> bool:
        """Whether some things all have a like, and not all are their own."""
        some = set(refs)
        return bool(some) and some <= self.ids.keys() and any(self.ids[ref] != ref for ref in some)

    def similarity(self, ref: str) -> Similarity | None:
        """How the like of a bone or part lies to it, as the drawings say; None for what has none."""
        if ref not in self.carried:
            followers = [
                part for part in self.figure.parts if part.id in self.parts and ref in (part.id, *part.followed)
            ]
            if not followers:
                return None
            part, other = followers[0], self.figure.part(self.parts[followers[0].id])
            assert other is not None
            self.carried[ref] = similarity(self.figure, part, other, self.stores)
        return self.carried[ref]

    def is_mirrored(self, ref: str) -> bool:
        found = self.similarity(ref)
        return found is not None and found.mirrored

    def by(self, address: str, value: float) -> tuple[str, float]:
        """A channel and how far it is moved, as its like is."""
        ref, name = parted(address)
        known = quantities().get(name)
        mirrored = known is not None and self.is_mirrored(self.of(ref))
        return addressed(self.ids[ref], name), value * known.mirrored if mirrored and known is not None else value

    def of(self, ref: str) -> str:
        """The bone or part by which a thing lies where it does."""
        group = next((part.id for part in self.figure.parts if part.group == ref and part.id in self.parts), None)
        warp = next((one for one in self.figure.warps if any(handle.id == ref for handle in one.handles)), None)
        inside = next(iter(sorted(_under(self.figure, warp))), None) if warp is not None else None
        return group or inside or ref

    def drives(self, drives: Iterable[Drive], mirrored: bool) -> tuple[Drive, ...]:
        """Curves of those channels that have a like; what drives them goes the other way where it is `mirrored`."""
        made = []
        for one in drives:
            if not self.knows([parted(one.channel)[0]]):
                continue
            moved = [(-knot.at if mirrored else knot.at, self.by(one.channel, knot.by)[1]) for knot in one.knots]
            knots = tuple(Knot(at=at, by=by) for at, by in sorted(moved))
            made.append(one.model_copy(update={"channel": self.by(one.channel, 0.0)[0], "knots": knots}))
        return tuple(made)

    def lever(self, one: Lever) -> Lever | None:
        refs = [parted(drive.channel)[0] for _, axis in one.axes for drive in axis.drives]
        if not self.knows(refs):
            return None
        moves = next((self.of(ref) for ref in refs if self.similarity(self.of(ref)) is not None), "")
        there = self.similarity(one.hangs_on or "") or self.similarity(moves)
        across = one.x is not None and goes_both(one.x) and self.is_mirrored(moves)
        return one.model_copy(
            update={
                "x": self.axis(one.x, across),
                "y": self.axis(one.y, False),
                "place": there.take(one.place) if there is not None and one.place is not None else one.place,
                "hangs_on": self.ids.get(one.hangs_on or "", one.hangs_on),
            }
        )

    def axis(self, axis: Axis | None, mirrored: bool) -> Axis | None:
        return axis and axis.model_copy(update={"drives": self.drives(axis.drives, mirrored)})

    def by_turn(self, one: TurnDrives) -> TurnDrives | None:
        drives = self.drives(one.drives, self.is_mirrored(one.bone))
        return TurnDrives(bone=self.ids[one.bone], drives=drives) if drives else None

    def shape(self, one: Shape) -> Shape | None:
        sculpts = self.sculpts(one.sculpts)
        refs = {parted(address)[0] for address in (*one.on_top, *one.instead)} | {each.part for each in one.sculpts}
        if not self.knows(refs) or len(sculpts) < len(one.sculpts):
            return None
        moved: Mapping[str, Any] = {
            name: dict(self.by(address, value) for address, value in getattr(one, name).items())
            for name in ("on_top", "instead")
        }
        like = other_side(one.like, self.figure.sides) if one.like is not None else None
        return one.model_copy(update={**moved, "sculpts": sculpts, "like": like})

    def corrective(self, one: Corrective) -> Corrective | None:
        if not self.knows(one.bones):
            return None
        signs = [-1.0 if self.is_mirrored(ref) else 1.0 for ref in one.bones]
        samples = tuple(
            Sample(
                at=tuple(sign * at for sign, at in zip(signs, sample.at, strict=True)),
                sculpts=self.sculpts(sample.sculpts),
                channels=dict(
                    self.by(address, value)
                    for address, value in sample.channels.items()
                    if parted(address)[0] in self.ids
                ),
            )
            for sample in one.samples
        )
        return one.model_copy(update={"bones": tuple(self.ids[ref] for ref in one.bones), "samples": samples})

    def sculpts(self, some: Iterable[Sculpt]) -> tuple[Sculpt, ...]:
        """What is pulled at parts that have a like, on the mesh it was made on laid over the other drawing: the other
        part's own mesh takes it over from there."""
        made = []
        for one in some:
            there = self.similarity(one.part) if self.knows([one.part]) else None
            if there is None:
                continue
            vertices = self.stores.get_array(one.vertices).astype(np.float64) + one.place
            offsets = self.stores.get_array(one.offsets).astype(np.float64)
            triangles = self.stores.get_array(one.triangles)
            made.append(
                Sculpt(
                    part=self.parts[one.part],
                    place=(0.0, 0.0),
                    vertices=self.stores.put_array(there.take_all(vertices)),
                    triangles=self.stores.put_array(triangles[:, ::-1].copy() if there.mirrored else triangles),
                    offsets=self.stores.put_array(there.turn_all(offsets).astype(np.float32)),
                )
            )
        return tuple(made)


def _under(figure: Figure, warp: Warp) -> set[str]:
    """The parts that a warp reshapes."""
    return {part.id for ref in warp.of for part in parts_of_drawing(figure, ref)}


def _groups(figure: Figure, parts: Mapping[str, str]) -> dict[str, str]:
    """Groups that have only parts with a like, and the one group that these are in."""
    found = {}
    for group in figure.groups:
        inside = [part for part in figure.parts if part.group == group.id]
        there = {part.group for part in figure.parts if part.id in {parts.get(one.id) for one in inside}}
        if inside and all(one.id in parts for one in inside) and len(there) == 1 and (other := there.pop()) is not None:
            found[group.id] = other
    return found


def _handles(figure: Figure, parts: Mapping[str, str]) -> dict[str, str]:
    """Handles of warps over parts that have a like, and those of the warp of their kind over these."""
    found = dict[str, str]()
    for warp in figure.warps:
        inside = _under(figure, warp)
        there = {parts[ref] for ref in inside if ref in parts}
        for other in figure.warps if len(there) == len(inside) else ():
            alike = other.kind == warp.kind and len(other.handles) == len(warp.handles)
            if alike and other is not warp and _under(figure, other) == there:
                found |= {one.id: each.id for one, each in zip(warp.handles, other.handles, strict=True)}
    return found
