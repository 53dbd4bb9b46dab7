"""Turning about on the way: a figure that is seen from several sides looks where its body goes.

Where the way of the body is reversed while it stands, the figure goes through the facings in between; each stretch of
the way is walked by the legs as they are drawn on the side that is seen there.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from kunstgriff.figure.channels import addressed
from kunstgriff.figure.facings import Facing, Turnaround
from kunstgriff.figure.mirroring import mirrored_motion
from kunstgriff.figure.model import Figure
from kunstgriff.figure.motions import FigureMotion
from kunstgriff.figure.refusal import EditRefused
from kunstgriff.figure.turning import turned_to
from kunstgriff.trial.motion_edits import SAME, keys_of, need_motion, put, with_keys, with_motion

Floats = NDArray[np.float64]
SIDEWAYS = 90.0  # degrees to which one turns who looks at us or away
ONE_WAY = 1e-9  # px a frame that a body goes at least


@dataclass(frozen=True)
class Stretch:
    """From one frame to another, seen from the facing of a number."""

    first: float
    last: float
    facing: int


def to_either_side(turnaround: Turnaround, seen: int) -> tuple[Facing, Facing]:
    """The facings that look to the left and to the right, as far round as the one that is `seen`. Raises EditRefused
    where there is none to a side."""
    angle = next((one.angle for one in turnaround.facings if one.number == seen), 0.0)
    far = abs(angle) if 0 < abs(angle) < 180 else SIDEWAYS
    left = [one for one in turnaround.facings if -180 < one.angle < 0]
    right = [one for one in turnaround.facings if 0 < one.angle < 180]
    if not left or not right:
        raise EditRefused(
            f"No side of the figure looks to the {'right' if left else 'left'}; add one that mirrors the other, and it"
            " can turn about."
        )
    return min(left, key=lambda one: abs(one.angle + far)), min(right, key=lambda one: abs(one.angle - far))


def between(turnaround: Turnaround, one: Facing, other: Facing) -> list[Facing]:
    """The facings one turns through from one side to the other, past the one that faces us or the one from behind,
    whichever is nearer."""
    behind = abs(one.angle) + abs(other.angle) > 180

    def round_by(each: Facing) -> float:
        return each.angle % 360 if behind else each.angle

    low, high = sorted((round_by(one), round_by(other)))
    inner = sorted((each for each in turnaround.facings if low < round_by(each) < high), key=round_by)
    return inner if round_by(one) < round_by(other) else inner[::-1]


def reversals(frames: Floats, way: Floats, stands: float) -> list[tuple[float, float, bool]]:
    """Where a way (px, by `frames`) is reversed: from and to which frame the body stands, going slower than `stands` px
    a frame, and whether it goes to the left from then on. Where it sets off first is told, too, as one from the first
    frame."""
    speed = np.gradient(way, frames) if len(frames) > 1 else np.zeros(1)
    goes = np.where(np.abs(speed) > max(stands, ONE_WAY), np.sign(speed), 0.0)
    found, heading, since = list[tuple[float, float, bool]](), 0.0, float(frames[0])
    for frame, sign in zip(frames.tolist(), goes.tolist(), strict=True):
        if sign:
            if sign != heading:
                found.append((since, frame, sign < 0))
            heading, since = sign, frame
    return found


def turned_about(
    figure: Figure, one: FigureMotion, seen: int, turns: list[tuple[float, float, bool]], last: float, each: float
) -> tuple[FigureMotion, list[Stretch]]:  # fmt: skip
    """The motion with keys of the facing, `each` frames for those in between where the body stands that long, and the
    stretches that are walked. Raises EditRefused where the figure does not look to both sides."""
    turnaround = figure.turnaround
    if turnaround is None:
        raise EditRefused("The figure is seen from one side only; add a side that mirrors it, and it can turn about.")
    sides = to_either_side(turnaround, seen or turnaround.first)
    address = addressed(turnaround.id, "facing")
    first = turns[0][0]
    heading = sides[0] if turns[0][2] else sides[1]
    said = [(first, heading)]
    for stands, goes, left in turns[1:]:
        towards = sides[0] if left else sides[1]
        inner = between(turnaround, heading, towards) if each else []
        wide, middle = len(inner) * each, (stands + goes) / 2
        if wide > goes - stands:  # it does not stand long enough to be seen from there
            inner, wide = [], 0.0
        begins = round(middle - wide / 2)
        said = [one for one in said if one[0] < begins]
        said += [(begins + number * each, facing) for number, facing in enumerate([*inner, towards])]
        heading = towards
    before = next((keys_of(track) for track in one.tracks if track.channel == address), [])
    others = [key for key in before if not first - SAME <= key[0] <= last + SAME]
    one = with_keys(one, {address: put(others, [(at, float(facing.number), "hold") for at, facing in said])})
    walked = [(at, facing) for at, facing in said if facing in sides]
    ends = [at for at, _ in walked[1:]] + [last]
    stretches = [Stretch(at, end, facing.number) for (at, facing), end in zip(walked, ends, strict=True) if end > at]
    return one, stretches


def as_seen_there(
    figure: Figure, motion: str, facing: int, change: Callable[[Figure, FigureMotion, bool], FigureMotion]
) -> Figure:  # fmt: skip
    """The figure with a motion changed as it is told where it is seen from a facing; where that mirrors another, as in
    a mirror, which `change` is told."""
    turnaround = figure.turnaround
    assert turnaround is not None
    there = turned_to(figure, facing)
    mirrored = turnaround.is_mirrored(facing)
    one = need_motion(there, motion)
    one = change(there, mirrored_motion(there, one) if mirrored else one, mirrored)
    there = with_motion(there, mirrored_motion(there, one) if mirrored else one)
    return turned_to(there, turnaround.shown)
