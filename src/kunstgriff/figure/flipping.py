"""Turns counted the other way round on a facing.

What raises a wing on the side that faces us lowers it on the one from behind. Bones are `flipped` on such a side: they
do the mirror picture of what is told of them. So a pose, a lever and a motion mean the same on every side. On the side
that is shown all is told as it is seen; turned to another side, what poses flipped bones is turned the other way round.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any

from kunstgriff.figure.bones import Bone
from kunstgriff.figure.channels import parted, quantities
from kunstgriff.figure.controls import OTHER_SIDE, Aim, Counter, Drive, Knot, Lever, Look, Reach, Shape
from kunstgriff.figure.model import Figure
from kunstgriff.figure.motions import FigureMotion, Track
from kunstgriff.figure.pose import Pose


def flipped_ids(figure: Figure) -> frozenset[str]:
    """The ids of what is flipped on the side that is shown: bones, and reaches and looks whose end is one of these."""
    bones = {bone.id for bone in figure.bones if bone.flipped}
    return with_aims(figure, bones) if bones else frozenset()


def with_aims(figure: Figure, bones: Iterable[str]) -> frozenset[str]:
    """Bones by their ids, with the reaches and looks that turn them."""
    found = frozenset(bones)
    return found | {one.id for one in figure.reaches if not isinstance(one, Counter) and end_of(one) in found}


def end_of(aim: Aim) -> str:
    """The bone that a reach, a look or a counter turns, the last one of a chain."""
    return aim.tip if isinstance(aim, Reach) else aim.bone


def aimed_otherwise(aim: Aim) -> Aim:
    """A reach that bends to the other side, or a look that goes as far to the other."""
    if isinstance(aim, Reach):
        return aim.model_copy(update={"side": OTHER_SIDE[aim.side]})
    return aim.model_copy(update={"low": -aim.high, "high": -aim.low}) if isinstance(aim, Look) else aim


def standing_otherwise(lever: Lever, bones: Mapping[str, Bone]) -> Lever:
    """A lever on the other side of the joint of the bone that it hangs on."""
    bone = bones.get(lever.hangs_on or "")
    if bone is None or lever.place is None:
        return lever
    return lever.model_copy(update={"place": (2 * bone.joint[0] - lever.place[0], lever.place[1])})


def sign_of(address: str, flipped: frozenset[str]) -> float:
    """-1 for a channel that goes the other way round where some things are flipped, else 1."""
    ref, name = parted(address)
    known = quantities().get(name)
    return known.mirrored if known is not None and ref in flipped else 1.0


def flipped_pose(pose: Pose, flipped: frozenset[str]) -> Pose:
    """The pose with what poses some things turned the other way round."""
    return pose.model_copy(update={"channels": _signed(pose.channels, flipped)}) if flipped else pose


def with_flipped(figure: Figure, flipped: frozenset[str]) -> Figure:
    """The figure with all that poses some things turned the other way round: kept poses, motions, what levers and the
    turns of bones drive, laid-on shapes."""
    if not flipped:
        return figure
    update: dict[str, Any] = {
        "poses": tuple(one.model_copy(update={"pose": flipped_pose(one.pose, flipped)}) for one in figure.poses),
        "levers": tuple(_lever(one, flipped) for one in figure.levers),
        "shapes": tuple(_shape(one, flipped) for one in figure.shapes),
        "motions": tuple(_motion(one, flipped) for one in figure.motions),
        "by_turns": tuple(
            one.model_copy(update={"drives": _drives(one.drives, flipped, one.bone in flipped)})
            for one in figure.by_turns
        ),
    }
    return figure.model_copy(update=update)


def _signed(values: dict[str, float], flipped: frozenset[str]) -> dict[str, float]:
    return {address: sign_of(address, flipped) * value + 0.0 for address, value in values.items()}  # no -0


def _lever(lever: Lever, flipped: frozenset[str]) -> Lever:
    axes = {
        name: axis.model_copy(update={"drives": _drives(axis.drives, flipped, False)})
        for name, axis in (("x", lever.x), ("y", lever.y))
        if axis is not None
    }
    return lever.model_copy(update=axes)


def _shape(shape: Shape, flipped: frozenset[str]) -> Shape:
    return shape.model_copy(update={name: _signed(getattr(shape, name), flipped) for name in ("on_top", "instead")})


def _motion(motion: FigureMotion, flipped: frozenset[str]) -> FigureMotion:
    return motion.model_copy(
        update={"tracks": tuple(signed(one, sign_of(one.channel, flipped)) for one in motion.tracks)}
    )


def signed(track: Track, sign: float) -> Track:
    """The track with each of its values times a factor, 1 or -1."""
    return track if sign > 0 else track.model_copy(update={"values": tuple(0.0 - value for value in track.values)})


def _drives(drives: tuple[Drive, ...], flipped: frozenset[str], by_flipped: bool) -> tuple[Drive, ...]:
    """What is driven, of a source that is itself flipped or not."""
    made = []
    for one in drives:
        by, at = sign_of(one.channel, flipped), -1.0 if by_flipped else 1.0
        knots = [Knot(at=at * knot.at + 0.0, by=by * knot.by + 0.0) for knot in one.knots]
        made.append(one.model_copy(update={"knots": tuple(knots if at > 0 else knots[::-1])}))
    return tuple(made)
