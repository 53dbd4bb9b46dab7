"""What becomes of controls when the rest pose becomes another one."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence

import numpy as np
from numpy.typing import NDArray

from kunstgriff.control.curves import value_of, with_rest
from kunstgriff.control.handles import less
from kunstgriff.control.reaching import bones_now, bones_of
from kunstgriff.control.shape_edits import SAME, mesh_of, offsets_of, points_of, sampled, sculpted
from kunstgriff.figure.channels import addressed, parted, quantities
from kunstgriff.figure.controls import Aim, Counter, Drive, Knot, Look, Reach, Sample, Sculpt
from kunstgriff.figure.model import Figure, Part, Point
from kunstgriff.figure.pose import Pose
from kunstgriff.figure.stores import Stores

STILL = 1e-6  # degrees

Floats = NDArray[np.float64]


def turns_at_rest(before: Figure, after: Figure, stores: Stores) -> Figure:
    """Curves by which turns of bones drive, counted from where the bones are turned at rest now: what they moved by
    then is drawn into the figure."""
    driven = []
    for one in after.by_turns:
        turned = _turned_by(before, after, one.bone)
        if abs(turned) > STILL:
            one = one.model_copy(update={"drives": tuple(_from(drive, turned) for drive in one.drives)})
        driven.append(one)
    return after.replace(by_turns=tuple(driven))


def pulls_at_rest(before: Figure, after: Figure, stores: Stores) -> Figure:
    """What shapes and correctives pull, turned as each vertex is at rest now. What a corrective did there is drawn into
    the figure: its samples are counted from that, and what was the rest becomes one of them."""
    parts = {part.id: part for part in before.parts}
    moved = {part.id: (parts[part.id], part) for part in after.parts if part.mesh_now != parts[part.id].mesh_now}
    if not moved and not after.correctives:
        return after

    def turned(sculpts: Iterable[Sculpt]) -> tuple[Sculpt, ...]:
        return tuple(
            sculpted(moved[one.part][1], _turned_offsets((one,), *moved[one.part], stores), stores)
            if one.part in moved
            else one
            for one in sculpts
        )

    shapes = tuple(one.model_copy(update={"sculpts": turned(one.sculpts)}) for one in after.shapes)
    correctives = []
    for one in after.correctives:
        at = tuple(round(_turned_by(before, after, ref), 2) for ref in one.bones)
        if one.samples and max(map(abs, at)) >= SAME:
            one, _ = sampled(before, one, at, stores)  # what it did there, as a sample of its own
        samples = [sample.model_copy(update={"sculpts": turned(sample.sculpts)}) for sample in one.samples]
        here = next((sample for sample in samples if _near(sample.at, at)), None)
        if here is not None:
            samples = [*(sample for sample in samples if sample is not here), Sample(at=(0.0,) * len(at))]
        counted = tuple(
            Sample(
                at=tuple(a - b for a, b in zip(sample.at, at, strict=True)),
                sculpts=_less(after, sample.sculpts, here.sculpts, stores) if here is not None else sample.sculpts,
                channels=less(sample, here) if here is not None else sample.channels,
            )
            for sample in samples
        )
        correctives.append(one.model_copy(update={"samples": counted}))
    return after.replace(shapes=shapes, correctives=tuple(correctives))


def goals_at_rest(before: Figure, after: Figure, stores: Stores) -> Figure:
    """Goals where they were in each kept pose, counted from where they are at rest now. What a bone looks at there lies
    ahead of it as before; what a counter takes back is counted from how the bone's parent is turned now."""
    aims = tuple(
        one.model_copy(update={"goal": _carried(before, after, one.bone, one.goal)}) if isinstance(one, Look) else one
        for one in after.reaches
    )
    poses = tuple(
        kept.model_copy(update={"pose": kept.pose.merged(_goals(before, after, aims, kept.pose)).sparse(STILL)})
        for kept in after.poses
    )
    return after.replace(reaches=aims, poses=poses)


def _goals(before: Figure, after: Figure, aims: Sequence[Aim], pose: Pose) -> Pose:
    channels = dict[str, float]()
    for was, now in zip(before.reaches, aims, strict=True):
        if isinstance(now, Counter):
            turn, parent = addressed(now.bone, "turn"), bones_of(after, now)[0].parent
            carried = _turned_in_all(before, after, parent) if parent is not None else 0.0
            channels[turn] = pose.channels.get(turn, 0.0) - now.turn * carried
        if isinstance(was, Counter) or isinstance(now, Counter) or not bones_now(after, now):
            continue
        number = pose.channels.get(addressed(now.id, "hang"), 0.0)
        bone = next((other.bone for other in now.others if other.number == number), now.hangs_on)
        shift = [pose.channels.get(addressed(now.id, name), 0.0) for name in ("goal.x", "goal.y")]
        x, y = _carried(before, after, bone, tuple(np.add(_rest(before, was), shift)))
        rx, ry = _rest(after, now)
        channels |= {addressed(now.id, "goal.x"): x - rx, addressed(now.id, "goal.y"): y - ry}
    return Pose(channels=channels)


def _rest(figure: Figure, one: Reach | Look) -> Point:
    """Where a goal lies at rest."""
    return one.goal if isinstance(one, Look) else bones_of(figure, one)[-1].tip


def _carried(before: Figure, after: Figure, ref: str | None, point: Point) -> Point:
    """A place as a bone takes it along from one rest pose to another; on the world it stays."""
    was, now = (figure.bone(ref) if ref is not None else None for figure in (before, after))
    if was is None or now is None:
        return point
    turn = now.direction - was.direction
    moved = complex(*np.subtract(point, was.joint)) * complex(math.cos(turn), math.sin(turn)) + complex(*now.joint)
    return moved.real, moved.imag


def _near(one: tuple[float, ...], other: tuple[float, ...]) -> bool:
    return max(abs(a - b) for a, b in zip(one, other, strict=True)) < SAME


def _less(figure: Figure, some: tuple[Sculpt, ...], less: tuple[Sculpt, ...], stores: Stores) -> tuple[Sculpt, ...]:
    """Sculpts less others, part by part."""
    if not less:
        return some
    refs = {one.part for one in (*some, *less)}
    return tuple(
        sculpted(part, offsets_of(some, part, stores) - offsets_of(less, part, stores), stores)
        for part in figure.parts
        if part.id in refs
    )


def _turned_offsets(sculpts: Iterable[Sculpt], before: Part, after: Part, stores: Stores) -> Floats:
    """Offsets (n, 2) on the mesh a part has, each turned as far as its vertex is against the mesh it had, by the turn
    that takes the edges around it nearest to what they are now."""
    was, now = (points_of(part, stores) for part in (before, after))
    offsets = offsets_of(sculpts, before, stores)
    faces = stores.get_array(mesh_of(before).triangles)
    products = np.zeros(len(was), complex)
    for a, b in ((0, 1), (1, 2), (2, 0)):
        one, other = (_complex(points[faces[:, b]] - points[faces[:, a]]) for points in (was, now))
        for end in (a, b):
            np.add.at(products, faces[:, end], other * one.conj())
    turned = _complex(offsets) * np.where(products == 0, 1, products / np.maximum(np.abs(products), 1e-12))
    return np.stack([turned.real, turned.imag], 1)


def _complex(points: Floats) -> NDArray[np.complex128]:
    return np.asarray(points[:, 0] + 1j * points[:, 1])


def _turned_by(before: Figure, after: Figure, ref: str) -> float:
    """By how many degrees a bone is turned against its parent in one rest pose more than in another."""
    return math.degrees(math.remainder(_turn(after, ref) - _turn(before, ref), 2 * math.pi))


def _turned_in_all(before: Figure, after: Figure, ref: str) -> float:
    """By how many degrees a bone lies turned in one rest pose more than in another."""
    was, now = before.bone(ref), after.bone(ref)
    return math.degrees(math.remainder(now.direction - was.direction, 2 * math.pi)) if was and now else 0.0


def _turn(figure: Figure, ref: str) -> float:
    """How a bone lies against its parent, rad."""
    bone = figure.bone(ref)
    assert bone is not None
    parent = figure.bone(bone.parent) if bone.parent is not None else None
    return bone.direction - (parent.direction if parent is not None else 0.0)


def _from(drive: Drive, turned: float) -> Drive:
    if quantities()[parted(drive.channel)[1]].stepped:
        points = [(knot.at - turned, knot.by) for knot in drive.knots if knot.at or knot.by]
    else:
        now = value_of(drive, turned)
        points = [(knot.at - turned, knot.by - now) for knot in drive.knots if abs(knot.at - turned) > STILL]
    points = with_rest(points)
    return drive.model_copy(update={"knots": tuple(Knot(at=at, by=by) for at, by in points)})
