"""What lies on the other side: the like of each thing by its name, and poses and names with sides changed."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from kunstgriff.figure.channels import addressed, parted, quantities
from kunstgriff.figure.controls import Axis
from kunstgriff.figure.flipping import flipped_ids, sign_of, signed
from kunstgriff.figure.model import Figure
from kunstgriff.figure.motions import FigureMotion
from kunstgriff.figure.pose import Pose, posable
from kunstgriff.figure.sides import other_side

NAMED = ("parts", "bones", "groups", "reaches", "levers", "shapes")  # lists of what has a side in its name


def other_sides(figure: Figure) -> dict[str, str]:
    """The like of each thing that can be posed on the other side, by ids, as names tell; what has none is left out."""
    found = {}
    for some in posable(figure).values():
        by_name = {one.name: one.id for one in some}
        for one in some:
            other = by_name.get(other_side(one.name, figure.sides))
            if other is not None and other != one.id:
                found[one.id] = other
    return found


def one_way(figure: Figure) -> frozenset[str]:
    """The addresses of levers that go across, but not to both sides alike: they mean no left and right."""
    return frozenset(
        addressed(lever.id, "lever.x") for lever in figure.levers if lever.x is not None and not goes_both(lever.x)
    )


def goes_both(axis: Axis) -> bool:
    """Whether a lever goes as far one way as the other."""
    return abs((axis.high - axis.rest) - (axis.rest - axis.low)) < 1e-6


def in_mirror(figure: Figure) -> Callable[[str], tuple[str, float]]:
    """What becomes of a channel in a mirror: the one of its like on the other side, and the factor of its value. What
    is flipped does the mirror picture of what its like does that is not."""
    other, one_sided, flipped = other_sides(figure), one_way(figure), flipped_ids(figure)

    def changed(address: str) -> tuple[str, float]:
        ref, name = parted(address)
        there, known = addressed(other.get(ref, ref), name), quantities().get(name)
        sign = known.mirrored if known is not None and there not in one_sided else 1.0
        return there, sign * sign_of(address, flipped) * sign_of(there, flipped)

    return changed


def mirrored_pose(figure: Figure, pose: Pose) -> Pose:
    """The pose as in a mirror: each side does what the other did, turned the other way round."""
    changed, channels = in_mirror(figure), dict[str, float]()
    for address, value in pose.by_id(figure).channels.items():
        there, sign = changed(address)
        channels[there] = sign * value
    return pose.model_copy(update={"channels": channels})


def mirrored_motion(figure: Figure, motion: FigureMotion) -> FigureMotion:
    """The motion as in a mirror, as poses are."""
    changed, tracks = in_mirror(figure), []
    for one in motion.tracks:
        there, sign = changed(one.channel)
        tracks.append(signed(one, sign).model_copy(update={"channel": there}))
    ground = tuple((-x, y) for x, y in reversed(motion.ground))
    return motion.model_copy(update={"tracks": tuple(tracks), "ground": ground, "travels": -motion.travels})


def with_sides_changed(figure: Figure) -> Figure:
    """The figure seen in a mirror, as far as words go: what has a side in its name is called as its like is, kept poses
    do on one side what they did on the other."""
    other = other_sides(figure)
    update: dict[str, Any] = {}
    for kind in NAMED:
        some = getattr(figure, kind)
        called = {one.id: one.name for one in some}
        update[kind] = tuple(
            one.model_copy(update={"name": called[other[one.id]]}) if other.get(one.id) in called else one
            for one in some
        )
    there = figure.posed_ids
    update["poses"] = tuple(
        kept.model_copy(update={"pose": mirrored_pose(figure, kept.pose.restricted_to(there))}) for kept in figure.poses
    )
    update["motions"] = tuple(mirrored_motion(figure, one) for one in figure.motions)
    return figure.model_copy(update=update)
