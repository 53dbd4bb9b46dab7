"""Limbs of one piece drawn for the tests, and what each must look like when bent, from their own outlines by shapely.

A limb is 120 px wide and lies along x with its joint at (500, 500) of the sheet.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray
from shapely import affinity
from shapely.geometry import LineString, Point, Polygon
from shapely.geometry.base import BaseGeometry
from shapely.ops import substring, unary_union

from kunstgriff.delivery.frames import painter
from kunstgriff.evaluate.state import compile_rig
from kunstgriff.figure.model import Figure
from kunstgriff.figure.pose import Pose
from kunstgriff.figure.stores import MemoryStores
from kunstgriff.paint.painter import View
from tests.art import edited, figure_of
from tests.strangers.painting import filled

WIDTH, LINE = 120.0, 8.0
SIDE = 1000
JOINT = np.array([500.0, 500.0])
STEP = 10.0  # px between the spots whose second differences tell waves

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class Limb:
    """`shape` to the middle of its line, and the joints of its two bones, the tip last."""

    shape: Polygon
    joints: tuple[tuple[float, float], ...]


@dataclass(frozen=True)
class Looks:
    """A painted bend against its ideal: area beyond it as a share, farthest departure of the outline and its greatest
    wave away from joint and crease, px."""

    area: float
    away: float
    wave: float


def _joints(half: float, aside: float = 0.0, sag: float = 0.0) -> tuple[tuple[float, float], ...]:
    places = (-0.95 * half, aside + sag), (0.0, aside), (0.95 * half, aside + sag)
    return tuple((JOINT[0] + x, JOINT[1] + y) for x, y in places)


def capsule(length: float) -> Limb:
    half = length * WIDTH / 2
    ends = [JOINT + (sign * (half - WIDTH / 2), 0) for sign in (-1, 1)]
    return Limb(LineString(ends).buffer(WIDTH / 2, 64), _joints(half))


def off_centre(share: float) -> Limb:
    """Its bones run beside the middle by so many half widths."""
    return Limb(LineString([JOINT - (300, 0), JOINT + (300, 0)]).buffer(WIDTH / 2, 64), _joints(300, share * WIDTH / 2))


def tapered() -> Limb:
    """Two to one over its length."""
    x = np.linspace(-300, 300, 200)
    half = WIDTH / 2 * (1 - x / 900)
    body = Polygon(np.vstack([np.c_[x, -half], np.c_[x, half][::-1]]) + JOINT).buffer(0)
    caps = [Point(JOINT + (sign * 300, 0)).buffer(WIDTH / 2 * (1 - sign / 3), 64) for sign in (-1, 1)]
    return Limb(unary_union([body, *caps]), _joints(300))


def curved() -> Limb:
    """Bowed by a quarter of its width."""
    x = np.linspace(-300, 300, 200)
    middle = np.c_[x, WIDTH / 4 * (x / 300) ** 2] + JOINT
    return Limb(LineString(middle).buffer(WIDTH / 2, 64), _joints(300, 0.0, WIDTH / 4 * 0.9))


def holed() -> Limb:
    whole = off_centre(0.0)
    return Limb(whole.shape.difference(Point(JOINT + (70, 8)).buffer(18, 64)), whole.joints)


LIMBS = {
    "3:1": lambda: capsule(3.0), "6:1": lambda: capsule(6.0), "tapered": tapered, "curved": curved,
    "off centre": lambda: off_centre(0.6), "far off centre": lambda: off_centre(-0.7), "with a hole": holed,
}  # fmt: skip


def painted(limb: Limb) -> NDArray[np.uint8]:
    """The limb as an illustrator hands it over (side, side, 4)."""
    box = (0, 0, SIDE, SIDE)
    solid, fill = filled(limb.shape.buffer(LINE / 2), box, 4), filled(limb.shape.buffer(-LINE / 2), box, 4)[..., None]
    colour = np.array([43.0, 42, 51]) * (1 - fill) + np.array([225.0, 178, 140]) * fill
    return np.dstack([colour, 255 * solid]).round().astype(np.uint8)


def bound(limb: Limb, count: int = 220) -> tuple[Figure, MemoryStores]:
    """The limb bound to its two bones as `bind_figure` does."""
    figure, stores = figure_of({"arm": painted(limb)}, (SIDE, SIDE))
    x, y = figure.sheet.standing_point
    joints = [(px - x, py - y) for px, py in limb.joints]
    chain = {"kind": "draw_chain", "name": "arm", "joints": joints}
    return edited(figure, stores, chain, {"kind": "bind_figure", "count": count}), stores


def posed(figure: Figure, stores: MemoryStores, angle: float) -> NDArray[np.uint8]:
    x, y = figure.sheet.standing_point
    rig = compile_rig(figure, stores)
    frame = rig.evaluate(Pose.of_bones(turn={figure.bones[1].id: angle}))
    return painter().paint(rig, frame, View((SIDE, SIDE), 1.0, (-x, -y)), stores)


def ideal(limb: Limb, angle: float) -> BaseGeometry:
    """Both outlines continued, round about the joint outside, creased inside; to the middle of the line."""
    joint = np.array(limb.joints[1])
    ring = limb.shape.exterior
    dense = np.array([ring.interpolate(at).coords[0] for at in np.arange(0, ring.length, 0.5)])
    feet = [_foot(dense, joint, side) for side in (-1, 1)]
    one, other = _between(dense, feet[0], feet[1]), _between(dense, feet[1], feet[0])[::-1]
    child, parent = (one, other) if one[:, 0].mean() > joint[0] else (other, one)  # both from the upper foot
    child = np.array(affinity.rotate(LineString(child), angle, origin=tuple(joint)).coords)
    if angle < 0:
        child, parent = child[::-1], parent[::-1]
    out = parent[0] - joint
    turns = np.radians(np.linspace(0, angle, 60)) + math.atan2(out[1], out[0])
    arc = joint + np.hypot(*out) * np.c_[np.cos(turns), np.sin(turns)]
    halves = len(parent) // 2, len(child) // 2
    inner = [LineString(line[half:][::-1]) for line, half in zip((parent, child), halves, strict=True)]
    met = inner[0].intersection(inner[1])
    spots = [Point(spot) for piece in getattr(met, "geoms", [met]) for spot in piece.coords]
    crease = min(spots, key=lambda spot: sum(line.project(spot) for line in inner))
    rest = [np.array(substring(line, line.project(crease), line.length).coords) for line in inner]
    return Polygon(np.vstack([arc, child[: halves[1]], rest[1][::-1], rest[0], parent[: halves[0]][::-1]])).buffer(0)


def _foot(dense: Floats, joint: Floats, side: int) -> int:
    away = np.hypot(*(dense - joint).T)
    beside = (np.abs(dense[:, 0] - joint[0]) < WIDTH / 2) & ((dense[:, 1] - joint[1]) * side > 0)
    return int(np.where(beside, away, np.inf).argmin())


def _between(dense: Floats, first: int, last: int) -> Floats:
    return dense[(first + np.arange((last - first) % len(dense) + 1)) % len(dense)]


def looks(limb: Limb, picture: NDArray[np.uint8], angle: float) -> Looks:
    """The painted limb (side, side, 4) held against its ideal."""
    holes = unary_union([Polygon(hole) for hole in limb.shape.interiors]).buffer(-LINE / 2)
    due = ideal(limb, angle).buffer(LINE / 2)
    edge = due.exterior
    large = cv2.resize(picture[..., 3], None, fx=4, fy=4, interpolation=cv2.INTER_CUBIC)
    contours, _ = cv2.findContours((large >= 128).astype(np.uint8), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
    line = (max(contours, key=len)[:, 0] + 0.5) / 4
    area = float(picture[..., 3].sum(dtype=np.float64)) / 255 / (due.area - holes.area) - 1
    away = max(edge.distance(Point(spot)) for spot in line[::8])
    ring = np.vstack([line, line[:1]])
    runs = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(ring, axis=0).T))])
    at = np.arange(0.0, runs[-1], STEP)
    spots = np.c_[np.interp(at, runs, ring[:, 0]), np.interp(at, runs, ring[:, 1])]
    off = np.array([edge.distance(Point(spot)) * (1 if due.contains(Point(spot)) else -1) for spot in spots])
    waves = np.abs(np.roll(off, 1) - 2 * off + np.roll(off, -1))
    clear = (np.hypot(*(spots - limb.joints[1]).T) > 0.75 * WIDTH) & _away_from_corners(due, spots)
    return Looks(area, away, float(waves[clear].max()))


def _away_from_corners(due: BaseGeometry, spots: Floats) -> NDArray[np.bool_]:
    """Which spots lie well away from the crease: where the ideal outline turns sharply inwards."""
    hull = np.asarray(due.exterior.coords)[:-1]
    before, after = hull - np.roll(hull, 1, 0), np.roll(hull, -1, 0) - hull
    turn = np.abs(np.angle((after @ (1, 1j)) * (before @ (1, 1j)).conj()))
    sharp = hull[turn > math.radians(25)]
    if not len(sharp):
        return np.ones(len(spots), bool)
    return np.hypot(*np.moveaxis(spots[:, None] - sharp, -1, 0)).min(1) > 3 * STEP
