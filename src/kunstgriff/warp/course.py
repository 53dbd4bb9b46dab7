"""Where a curve lies: along the middle of parts or a stroke, and what becomes of it with other handles."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray
from pydantic import ValidationError

from kunstgriff.artwork.lines import runs_along, spots_at
from kunstgriff.artwork.outline import part_alpha
from kunstgriff.figure.channels import addressed, parted
from kunstgriff.figure.edit import EditRefused, tell
from kunstgriff.figure.model import Bone, Figure, KeptPose, Part, Point
from kunstgriff.figure.pose import Pose
from kunstgriff.figure.stores import Stores
from kunstgriff.figure.warps import MOST_ALONG, Curve, CurveHandle, Handle, Tie
from kunstgriff.skeleton.along import carried_to_ends
from kunstgriff.warp.channels import SHIFTS, WIDTH
from kunstgriff.warp.curve import Line
from kunstgriff.warp.laying import fine_enough, kept_shift
from kunstgriff.warp.line import ALONG, PIECES, monotone, table_of, told_along
from kunstgriff.warp.named import with_warp
from kunstgriff.warp.resampling import LEAST
from kunstgriff.warp.warping import shape_of

FEWEST = 3  # handles of a curve that says by itself how many it wants
STRAYS = 0.01  # of its length that a curve may be off the middle of the art
CLEARLY = 0.2  # of its length that one end of a line is nearer to a joint than the other

Floats = NDArray[np.float64]


def along_the_middle(parts: list[Part], stores: Stores) -> Floats:
    """The middle line (n, 2) of some parts together, figure space. Raises EditRefused where they have none."""
    left, top = np.min([part.drawing.place for part in parts], 0)
    right, low = np.max([np.add(part.drawing.place, part.drawing.size) for part in parts], 0)
    width, height = round(right - left) + 1, round(low - top) + 1
    together = np.zeros((height, width), np.uint8)
    for part in parts:
        alpha = part_alpha(part, stores)
        x, y = round(part.drawing.place[0] - left), round(part.drawing.place[1] - top)
        there = together[y : y + alpha.shape[0], x : x + alpha.shape[1]]
        cv2.max(there, alpha[: there.shape[0], : there.shape[1]], there)
    line = carried_to_ends(together)
    if line is None or len(line) < 2:
        raise EditRefused("That has no middle that a curve could lie along; draw the line.")
    return np.asarray(line + (left, top), np.float64)


def from_its_root(line: Floats, bone: Bone | None) -> Floats:
    """A line (n, 2) in the direction it is told: from the joint of what carries it, or from left to right."""
    first, last = line[0], line[-1]
    if bone is not None:
        near, far = (float(np.hypot(*(end - bone.joint))) for end in (first, last))
        if abs(far - near) > CLEARLY * runs_along(line)[-1]:
            return line if near < far else line[::-1]
    return line if first[0] <= last[0] else line[::-1]


def handles_along(line: Floats, count: int | None) -> tuple[Point, ...]:
    """So many handles evenly along a line (n, 2), or as few as follow it closely."""
    runs = runs_along(line)
    if runs[-1] < 1:
        raise EditRefused("The line is too short for a curve.")
    for number in [count] if count else range(FEWEST, MOST_ALONG + 1):
        places = spots_at(line, runs, np.linspace(0, runs[-1], number))
        told = np.empty((len(line), 2))
        told_along(table_of(places, 0.0), line, told)
        if np.abs(told[:, 1]).max() <= STRAYS * runs[-1]:
            break
    return tuple((round(float(x), 2), round(float(y), 2)) for x, y in places)


def curved(figure: Figure, of: tuple[str, ...], places: tuple[Point, ...], said: dict[str, object]) -> Curve:
    """A curve with its handles at places in order. Raises EditRefused where two lie on one spot."""
    handles = tuple(CurveHandle(id=f"h{figure.next_id + 1 + k}", place=place) for k, place in enumerate(places))
    try:
        return Curve.model_validate({"of": of, "laid": places, "handles": handles, **said})
    except ValidationError as error:
        raise EditRefused(tell(error)) from error


def with_handles_at(
    figure: Figure, curve: Curve, laid: tuple[Point, ...], handles: tuple[Handle, ...], stores: Stores
) -> Figure:
    """The figure with the handles of a curve laid elsewhere along the art. Raises EditRefused where two lie on one
    spot."""
    try:
        after = Curve.model_validate(dict(curve) | {"laid": laid, "handles": handles})
    except ValidationError as error:
        raise EditRefused(tell(error)) from error
    return fine_enough(with_warp(figure, after), stores)


def with_count(figure: Figure, curve: Curve, count: int) -> Figure:
    """The figure with so many handles along a curve, which lies, is wide, tied and posed as before."""
    line = Line.of(curve)
    knots = line.table[::PIECES, ALONG].copy()
    at = np.linspace(0, knots[-1], count)
    laid = spots_at(line.table[:, :2], line.table[:, ALONG], at)
    ids = [f"h{figure.next_id + k}" for k in range(count)]
    rest = _seen_at(line, shape_of(curve, line), laid, at, knots)
    between = np.maximum(1 - np.abs(np.interp(at, knots, np.arange(len(knots)))[:, None] - np.arange(len(knots))), 0.0)
    handles = tuple(
        CurveHandle(id=ref, place=_point(place[:2]), width=float(np.exp(place[2])), ties=_ties(curve, shares),
                    rides=curve.handles[int(shares.argmax())].rides)
        for ref, place, shares in zip(ids, rest, between, strict=True)
    )  # fmt: skip
    after = curve.model_copy(update={"laid": tuple(_point(one) for one in laid), "handles": handles})

    def posed(kept: KeptPose) -> KeptPose:
        before = {one.id for one in curve.handles}
        channels = {key: value for key, value in kept.pose.channels.items() if parted(key)[0] not in before}
        if len(channels) == len(kept.pose.channels):
            return kept
        seen = _seen_at(line, shape_of(curve, line) + kept_shift(kept, curve), laid, at, knots) - rest
        for ref, (x, y, wide) in zip(ids, seen, strict=True):
            values = (x, y, float(np.exp(wide)))
            for name, value in zip((*SHIFTS, WIDTH.name), values, strict=True):
                channels[addressed(ref, name)] = round(float(value), 6)
        return kept.model_copy(update={"pose": Pose(channels=channels).sparse(1e-6)})

    return figure.replace(
        warps=tuple(after if one.id == curve.id else one for one in figure.warps),
        poses=tuple(posed(kept) for kept in figure.poses),
        next_id=figure.next_id + count,
    )


def _seen_at(line: Line, moves: Floats, laid: Floats, at: Floats, knots: Floats) -> Floats:
    """Where places on the line as laid (n, 2), `at` (n,) along it, are with its handles moved, and how wide (n, 3)."""
    wide = np.empty(len(at))
    monotone(knots, np.ascontiguousarray(moves[:, 2]), at, wide)
    return np.column_stack([laid + line.moved(moves, laid), wide])


def _ties(curve: Curve, shares: Floats) -> tuple[Tie, ...]:
    found: dict[str, float] = {}
    for one, share in zip(curve.handles, shares, strict=True):
        for tie in one.ties:
            found[tie.bone] = found.get(tie.bone, 0.0) + float(share) * tie.share
    return tuple(Tie(bone=bone, share=round(share, 4)) for bone, share in found.items() if share > LEAST)


def _point(place: Floats) -> Point:
    return round(float(place[0]), 4), round(float(place[1]), 4)
