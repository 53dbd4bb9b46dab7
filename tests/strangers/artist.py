"""One stranger: a seed, a hand, a sheet. What is drawn is known exactly: limb outlines, joints, bones, faults.

All in sheet px, x right and y down. The same seed always draws the same figure.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray
from shapely.geometry import Point, Polygon
from shapely.ops import unary_union

ENDS = ("round", "round", "round", "flat", "square", "open")  # how a lower piece's upper end is drawn
FILLS = ("flat", "flat", "shade", "gradient", "grain")

Spot = NDArray[np.float64]


@dataclass
class Piece:
    """A part as drawn: `shape` without its line, `ideal` the same with round ends, and the bones that must move it."""

    name: str
    shape: Polygon
    bones: list[str]
    group: str | None
    shift: float
    light: float
    ideal: Polygon
    open_at: Spot | None = None
    open_r: float = 0.0
    stray: bool = False
    blend: str | None = None


@dataclass
class Joint:
    """Where two pieces meet, or one bends: then `above` and `below` are the outlines that stay and that turn.

    `whole` joints (fingers) are turned a little, and the rest of the part must stay as it was.
    """

    bone: str
    upper: str
    lower: str
    at: tuple[float, float]
    half: float
    end: str
    two_piece: bool
    above: Polygon | None = None
    below: Polygon | None = None
    whole: bool = False


@dataclass
class Chain:
    """Bones through `joints`, the tip last. The first has the chain's name, the second "name 2" and so on."""

    name: str
    parent: str | None
    joints: list[tuple[float, float]]

    @property
    def bones(self) -> list[str]:
        return [self.name, *(f"{self.name} {k}" for k in range(2, len(self.joints)))]


def unit(angle: float) -> Spot:
    return np.array([math.cos(angle), math.sin(angle)])


def pair(spot: Spot) -> tuple[float, float]:
    return float(spot[0]), float(spot[1])


@dataclass
class Stranger:
    """What a seed chose, and what was drawn."""

    seed: int
    plan: str
    rng: np.random.Generator
    scale: float = 1.0
    line: float = 0.0
    fill: str = "flat"
    ink: tuple[int, int, int] = (20, 18, 26)
    own_ink: bool = False  # lines in a darker tone of each part's own colour
    soft: float = 0.0  # a brush's soft edge, px
    end: str = "round"
    overlap: float = 1.0
    hue: float = 0.0
    size: tuple[int, int] = (900, 1200)
    ground: tuple[float, float] = (450.0, 1120.0)
    pieces: list[Piece] = field(default_factory=list)
    chains: list[Chain] = field(default_factory=list)
    joints: list[Joint] = field(default_factory=list)
    faults: list[str] = field(default_factory=list)

    @classmethod
    def of(cls, seed: int, plan: str) -> Stranger:
        r = np.random.default_rng(seed)
        one = cls(seed, plan, r)
        one.scale = float(r.choice([0.5, 0.8, 1.0, 1.0, 1.5]))
        one.line = float(r.choice([0, 2.5, 5, 8, 8, 12, 16])) * one.scale
        one.fill = str(r.choice(FILLS))
        dark = r.random() < 0.6
        one.ink = tuple(int(v) for v in ([20, 18, 26] if dark else r.integers(10, 90, 3)))  # type: ignore[assignment]
        one.own_ink = bool(r.random() < 0.15)
        one.soft = float(r.choice([0, 0, 0, 0.8]))
        one.end = str(r.choice(ENDS))
        one.overlap = float(r.choice([1.0, 1.0, 1.0, 0.75, 1.2]))
        one.hue = r.uniform(0, 1)
        one.size = int(900 * one.scale), int(1200 * one.scale)
        return one

    def colour(self, shift: float, light: float) -> tuple[int, int, int]:
        """A tone of the figure's hue (HSL at saturation 0.45)."""
        hue, strength = (self.hue + shift) % 1.0, 0.45 * min(light, 1 - light)
        tones = [(n + hue * 12) % 12 for n in (0, 8, 4)]
        red, green, blue = (int(255 * (light - strength * max(-1, min(q - 3, 9 - q, 1)))) for q in tones)
        return red, green, blue

    def limb(self, a: Spot, b: Spot, ra: float, rb: float, start: str, bow: float = 0.0) -> Polygon:
        """A piece from joint to joint, half widths `ra` and `rb`, ends round about the joints unless drawn otherwise.

        Its middle is bowed by so many px to one side.
        """
        t = np.linspace(0, 1, 24)[:, None]
        along = b - a
        across = np.array([-along[1], along[0]]) / max(np.hypot(*along), 1e-6)
        middle = a + along * t + across * (bow * np.sin(math.pi * t))
        half = ra + (rb - ra) * t
        body = Polygon(np.vstack([middle + across * half, (middle - across * half)[::-1]])).buffer(0)
        pieces = [body, Point(b).buffer(rb, 32)]
        if start in ("round", "open"):
            pieces.append(Point(a).buffer(ra, 32))
        elif start == "square":
            out = a - along / max(np.hypot(*along), 1e-6) * ra * self.overlap
            pieces.append(Polygon([a + across * ra, a - across * ra, out - across * ra, out + across * ra]))
        return largest(unary_union(pieces))

    def add(self, name: str, shape: Polygon, bones: list[str], group: str | None, shift: float, light: float) -> Piece:
        self.pieces.append(Piece(name, shape, bones, group, shift, light, shape))
        return self.pieces[-1]

    def chain(self, name: str, parent: str | None, joints: list[Spot]) -> list[str]:
        self.chains.append(Chain(name, parent, [pair(one) for one in joints]))
        return self.chains[-1].bones

    def leg(
        self, name: str, parent: str, hip: Spot, angles: list[float], lengths: list[float], halves: list[float],
        shift: float, light: float, words: list[str], *, one_piece: bool = False,
    ) -> list[Spot]:  # fmt: skip
        """A limb of pieces from its first joint on: bones, parts, joints. Its joints, the tip last."""
        joints = [np.array(hip, float)]
        for angle, length in zip(angles, lengths, strict=True):
            joints.append(joints[-1] + unit(angle) * length)
        bones = self.chain(name, parent, joints)
        if one_piece:
            self.bending(f"{name} whole", joints, halves, bones, name, shift, light)
            return joints
        made = []
        for k, bone in enumerate(bones):
            start = "round" if k == 0 else self.end
            bow = float(self.rng.uniform(-0.12, 0.12)) * halves[k]
            shape, ideal = (self.limb(*joints[k : k + 2], *halves[k : k + 2], end, bow) for end in (start, "round"))
            opened = joints[k] if k > 0 and self.end == "open" else None
            made.append(Piece(f"{name} {words[k]}", shape, [bone], name, shift, light, ideal, opened, halves[k]))
        for k in range(1, len(made)):
            upper, lower = made[k - 1].name, made[k].name
            self.joints.append(Joint(bones[k], upper, lower, pair(joints[k]), halves[k], self.end, True))
        self.pieces += reversed(made) if self.rng.random() < 0.5 else made  # the lower piece behind or before its upper
        return joints

    def bending(
        self, part: str, joints: list[Spot], halves: list[float], bones: list[str], group: str | None, shift: float,
        light: float,
    ) -> None:  # fmt: skip
        """One drawn piece over a whole chain; each inner joint with room to bend is one to try."""
        pieces = [self.limb(*joints[k : k + 2], *halves[k : k + 2], "round") for k in range(len(bones))]
        self.add(part, largest(unary_union(pieces)), bones, group, shift, light)
        for k in range(1, len(bones)):
            before, after = np.hypot(*(joints[k] - joints[k - 1])), np.hypot(*(joints[k + 1] - joints[k]))
            if min(before, after) > 1.6 * halves[k]:
                above, below = largest(unary_union(pieces[:k])), largest(unary_union(pieces[k:]))
                at, half = pair(joints[k]), float(halves[k])
                self.joints.append(Joint(bones[k], part, part, at, half, "whole", False, above, below))

    def tail(self, name: str, parent: str, root: Spot, angle: float, size: float) -> None:
        joints, halves = [np.array(root, float)], [float(one) for one in np.linspace(26, 8, 4) * size]
        for _ in range(3):
            joints.append(joints[-1] + unit(angle) * 70 * size)
            angle += float(self.rng.uniform(-0.5, 0.1))
        self.bending(name, joints, halves, self.chain(name, parent, joints), None, -0.1, 0.42)

    def head(self, neck: Spot, crown: Spot, size: float) -> None:
        """Ears, skull, an eye and a lock of hair on a bone from neck to crown."""
        centre, radius = (neck + crown) / 2, float(np.hypot(*(crown - neck))) * 0.52
        ear = [radius * 0.2, radius * 0.2, radius * 0.07]
        for name, sign in (("far ear", 1), ("near ear", -1)):
            root = centre + [sign * radius * 0.45, -radius * 0.8]
            up = -math.pi / 2 + sign * 0.25
            self.leg(name, "head", root, [up] * 2, [radius * 0.5] * 2, ear, 0.03, 0.55, ["ear"] * 2, one_piece=True)
        skull = Polygon(
            centre + (np.array(Point(0, 0).buffer(radius, 48).exterior.coords) * [1, self.rng.uniform(0.9, 1.15)])
        )
        self.add("skull", skull, ["head"], "head", 0.02, 0.68)
        eye = centre + [radius * 0.3, -radius * 0.05]
        self.add("eye white", Point(eye).buffer(radius * 0.2, 32), ["head"], "head", 0.0, 0.97)
        self.add("pupil", Point(eye + [radius * 0.05, 0]).buffer(radius * 0.09, 32), ["head"], "head", 0.5, 0.12)
        self.tail("lock", "head", centre + [-radius * 0.5, -radius * 0.55], 2.2, size * 0.8)

    def spoil(self) -> None:
        """Now and then what an illustrator gets wrong."""
        r = self.rng
        if r.random() < 0.15 and len(self.pieces) > 4:
            self.pieces[-1].name = self.pieces[-2].name
            self.faults.append("double name")
        if r.random() < 0.15:
            self.pieces[int(r.integers(len(self.pieces)))].name = "Layer 7"
            self.faults.append("meaningless name")
        if r.random() < 0.15:
            self.pieces[int(r.integers(len(self.pieces)))].stray = True
            self.faults.append("stray speck")
        if r.random() < 0.10:
            self.pieces[-1].blend = "svg:multiply"
            self.faults.append("blend mode")

    def hanging_on(self, bone: str) -> set[str]:
        """The bone and all that hang on it."""
        parent = {}
        for chain in self.chains:
            for above, below in zip([chain.parent, *chain.bones], chain.bones, strict=False):
                parent[below] = above
        found = {bone}
        while more := {name for name, up in parent.items() if up in found} - found:
            found |= more
        return found


def largest(shape: Polygon) -> Polygon:
    """The largest polygon of what may be several."""
    return shape if isinstance(shape, Polygon) else max(shape.geoms, key=lambda one: one.area)
