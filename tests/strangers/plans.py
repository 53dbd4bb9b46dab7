"""Body plans strangers draw. The first eight turn by seed; the others are asked for by name."""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np
from shapely.geometry import LineString, Point, Polygon
from shapely.ops import unary_union

from tests.strangers.artist import Joint, Spot, Stranger, largest, pair, unit

DOWN = math.pi / 2
WORDS = ["upper", "lower", "foot"]


def stranger(seed: int, plan: str | None = None) -> Stranger:
    """The figure of a seed, by its own plan or by the one named."""
    name = plan or tuple(PLANS)[seed % len(PLANS)]
    one = Stranger.of(seed, name)
    (PLANS | MORE)[name](one)
    one.spoil()
    return one


def biped(one: Stranger, side: bool) -> None:
    s, k = one.scale, _between(one)
    x, ground = 450 * s, 1120 * s
    leg, thick = k(330, 400) * s, k(38, 58) * s
    spread = (18 if side else 70) * s
    hips = np.array([x, ground - leg - 30 * s])
    chest = np.array([x + k(-12, 12) * s, hips[1] - k(210, 270) * s])
    neck, crown = chest + np.array([k(-6, 10) * s, -60 * s]), chest + np.array([k(0, 14) * s, -300 * s])
    one.chain("trunk", None, [hips, (hips + chest) / 2, chest, neck])
    one.chain("head", "trunk 3", [neck, crown])
    arm, arm_thick = leg * k(0.42, 0.5), thick * k(0.7, 0.85)
    shoulder = chest + np.array([0, 25 * s])
    legs = [thick, thick * 0.82, thick * 0.66, thick * 0.5]
    arms = [arm_thick, arm_thick * 0.85, arm_thick * 0.7, arm_thick * 0.55]

    def limbs(word: str, sign: int, light: float) -> None:
        foot = 0.05 if side or sign > 0 else math.pi - 0.05
        one.leg(f"{word} leg", "trunk", hips + [sign * spread, 0], [DOWN - sign * 0.04, DOWN + 0.03, foot],
                [leg * 0.5, leg * 0.5, 110 * s], legs, 0.08, light, ["thigh", "shin", "foot"])  # fmt: skip
        out = sign * (0.15 if side else 0.5)
        one.leg(f"{word} arm", "trunk 3", shoulder + [sign * (10 if side else 110) * s, 0],
                [DOWN - out - 0.1, DOWN - out * 0.4, DOWN - out * 0.4], [arm * 0.52, arm * 0.48, 70 * s], arms, 0.0,
                light, ["upper", "lower", "hand"], one_piece=one.seed % 5 == 3)  # fmt: skip

    first, second = (("far", -1, 0.56), ("near", 1, 0.64)) if side else (("left", -1, 0.62), ("right", 1, 0.62))
    if side:
        limbs(*first)
    torso = one.limb(hips, chest, k(95, 130) * s, k(85, 120) * s, "round").simplify(1)
    if not side:
        limbs(*first)
        limbs(*second)
    one.add("torso", torso, ["trunk", "trunk 2", "trunk 3"], None, 0.0, 0.6)
    one.head(neck, crown, s)
    if side:
        limbs(*second)
    one.ground = x, ground


def walker(one: Stranger, pairs: int) -> None:
    s, k = one.scale, _between(one)
    x, ground = 450 * s, 1120 * s
    body, half = ground - k(300, 360) * s, k(90, 130) * s
    a, b = np.array([x - 230 * s, body]), np.array([x + 230 * s, body - 20 * s])
    one.chain("trunk", None, [a, (a + b) / 2, b])
    places = np.linspace(-190, 190, pairs) * s + x
    length, thick = ground - body - 20 * s, k(24, 40) * s
    halves, lengths = [thick, thick * 0.8, thick * 0.65, thick * 0.55], [length * 0.42, length * 0.4, 50 * s]

    def legs(side: str, ahead: float, deep: float, angles: list[float], light: float) -> None:
        for letter, place in zip("abc", places, strict=False):
            hip = np.array([place + ahead * s, body + half * deep])
            one.leg(f"{side} leg {letter}", "trunk" if place < x else "trunk 2", hip, angles, lengths, halves, 0.05,
                    light, WORDS)  # fmt: skip

    legs("far", 25, 0.4, [DOWN - 0.2, DOWN + 0.25, 0.1], 0.5)
    one.add("torso", one.limb(a, b, half, half * k(0.8, 1.1), "round"), ["trunk", "trunk 2"], None, 0.0, 0.6)
    one.tail("tail", "trunk", a + [-half * 0.7, 0], math.pi - 0.5, s)
    neck = b + np.array([half * 0.6, -40 * s])
    crown = neck + np.array([120 * s, -170 * s])
    one.chain("head", "trunk 2", [neck, crown])
    legs("near", -15, 0.5, [DOWN + 0.15, DOWN - 0.2, 0.1], 0.64)
    one.head(neck, crown, s * 0.8)
    one.ground = x, ground


def bird(one: Stranger) -> None:
    s, k = one.scale, _between(one)
    x, ground = 450 * s, 1120 * s
    a, b = np.array([x - 60 * s, ground - 380 * s]), np.array([x + 60 * s, ground - 620 * s])
    one.chain("trunk", None, [a, b])
    for side, sign, light in (("far", 1, 0.5), ("near", -1, 0.6)):
        halves = [k(16, 26) * s] * 2 + [14 * s, 10 * s]
        one.leg(f"{side} leg", "trunk", a + [sign * 20 * s, 90 * s], [DOWN - 0.3, DOWN + 0.35, 0.1],
                [140 * s, 150 * s, 70 * s], halves, 0.12, light, WORDS)  # fmt: skip
    one.add("torso", one.limb(a, b, 150 * s, 80 * s, "round"), ["trunk"], None, 0.0, 0.6)
    neck, crown = b + [15 * s, -40 * s], b + [60 * s, -300 * s]
    one.chain("head", "trunk", [neck, crown])
    one.leg("near wing", "trunk", b + [-30 * s, 40 * s], [2.3, 2.0, 1.9], [150 * s, 140 * s, 120 * s],
            [60 * s, 52 * s, 40 * s, 22 * s], -0.06, 0.55, ["upper", "middle", "tip"])  # fmt: skip
    one.head(neck, crown, s * 0.75)
    one.tail("tail", "trunk", a + [-110 * s, 40 * s], 2.6, s)
    one.ground = x, ground


def serpent(one: Stranger) -> None:
    s, k = one.scale, _between(one)
    x, ground = 450 * s, 1120 * s
    joints, angle = [np.array([x - 280 * s, ground - 120 * s])], -0.2
    for _ in range(6):
        joints.append(joints[-1] + unit(angle) * 120 * s)
        angle += k(-0.5, 0.3)
    halves = [float(one) for one in np.linspace(50, 34, 7) * s]
    one.bending("torso", joints, halves, one.chain("trunk", None, joints), None, 0.0, 0.6)
    crown = joints[-1] + unit(angle) * 150 * s
    one.chain("head", "trunk 6", [joints[-1], crown])
    one.head(joints[-1], crown, s * 0.7)
    one.ground = x, ground


def crane(one: Stranger) -> None:
    s = one.scale
    x, ground = 450 * s, 1120 * s
    base = np.array([x - 150 * s, ground - 60 * s])
    mast = base + [0, -120 * s]
    one.chain("trunk", None, [base, mast])
    one.leg("boom", "trunk", mast, [-1.2, -0.4, 0.5, 1.2], [300 * s, 260 * s, 180 * s, 90 * s],
            [60 * s, 48 * s, 40 * s, 30 * s, 22 * s], 0.1, 0.6, ["first", "second", "third", "hook"])  # fmt: skip
    foot = base + np.array([[-140, 60], [140, 60], [90, -120], [-90, -120]]) * s
    one.add("torso", Polygon(foot), ["trunk"], None, 0.0, 0.55)
    one.ground = x, ground


def hand(one: Stranger) -> None:
    """Four fingers of one piece with the palm, gaps of a few px to a finger's width."""
    s, k = one.scale, _between(one)
    x, ground = 450 * s, 1120 * s
    gap, wide, tall = k(4, 34) * s, k(34, 52) * s, k(230, 300) * s
    xs, top = x + (np.arange(4) - 1.5) * (wide + gap + one.line), ground - 420 * s
    one.chain("palm", None, [np.array([x, ground - 120 * s]), np.array([x, top + 40 * s])])
    left, right = xs[0] - wide / 2, xs[-1] + wide / 2
    palm = Polygon([(left, ground - 100 * s), (right, ground - 100 * s), (right, top), (left, top)])
    fingers, joints, bones = [], [], ["palm"]
    for letter, at in zip("abcd", xs, strict=True):
        root = np.array([at, top + wide * 0.2])
        line = [root, root + [0, -tall * 0.5], root + [0, -tall]]
        bones += one.chain(f"finger {letter}", "palm", line)
        joints.append(line[1])
        fingers.append([one.limb(*line[i : i + 2], wide / 2, wide / 2, "round") for i in range(2)])
    every = [piece for finger in fingers for piece in finger]
    one.add("hand", largest(unary_union([palm, *every])), bones, None, 0.0, 0.62)
    for letter, finger, at in zip("abcd", fingers, joints, strict=True):
        above = largest(unary_union([palm, *(piece for piece in every if piece is not finger[1])]))
        one.joints.append(
            Joint(f"finger {letter} 2", "hand", "hand", pair(at), wide / 2, "whole", False, above, finger[1], True)
        )
    one.ground = x, ground


def crooked(one: Stranger) -> None:
    """One-piece limbs as they are seldom straight: bowed, bones off their middle, a hole in one."""
    s, k = one.scale, _between(one)
    x, ground = 450 * s, 1120 * s
    one.chain("trunk", None, [np.array([x, ground]), np.array([x, ground - 140 * s])])
    one.add("torso", Point(x, ground - 60 * s).buffer(90 * s, 32), ["trunk"], None, 0.0, 0.6)
    for name, sign in (("left arm", -1), ("right arm", 1)):
        half, off, bow = k(28, 44) * s, k(-0.5, 0.5), k(-0.35, 0.35)
        root = np.array([x + sign * 60 * s, ground - 200 * s])
        way = unit(-DOWN + sign * k(0.3, 0.8))
        across = np.array([-way[1], way[0]])
        length, taper = k(3.4, 5.0) * half, k(0.7, 1.0)
        middle = [root, root + way * length + across * bow * half * 2, root + way * 2 * length]
        halves = [half, half * (1 + taper) / 2, half * taper]
        # the bones run off the drawn middle line by a share of the half width
        joints = [
            spot + across * off * width * (0 < n < 2)
            for n, (spot, width) in enumerate(zip(middle, halves, strict=True))
        ]
        bones = one.chain(name, "trunk", joints)
        one.bending(f"{name} whole", middle, halves, bones, name, 0.05, 0.58)
        one.joints = [joint for joint in one.joints if joint.lower != f"{name} whole"]
        above = one.limb(*middle[:2], *halves[:2], "round")
        if k(0, 1) < 0.5:  # a hole well away from the joint
            hole = Point(root + way * 0.45 * length).buffer(0.35 * half, 24)
            piece = one.pieces[-1]
            piece.shape, above = (largest(shape.difference(hole)) for shape in (piece.shape, above))
        below = one.limb(*middle[1:], *halves[1:], "round")
        at = pair(joints[1])
        one.joints.append(
            Joint(bones[1], f"{name} whole", f"{name} whole", at, halves[1], "whole", False, above, below)
        )
    one.ground = x, ground


def ringed(one: Stranger) -> None:
    """A creature of odd pieces: an open ring for a tail, a fringe of hair in strands, fingers like a comb."""
    s, k = one.scale, _between(one)
    x, ground = 450 * s, 1120 * s
    hips, chest = np.array([x, ground - 300 * s]), np.array([x, ground - 520 * s])
    one.chain("trunk", None, [hips, (hips + chest) / 2, chest])
    for name, sign, light in (("left leg", -1, 0.55), ("right leg", 1, 0.55)):
        one.leg(name, "trunk", hips + [sign * 50 * s, 30 * s], [DOWN, DOWN + 0.1 * sign], [130 * s, 130 * s],
                [34 * s, k(24, 34) * s, 22 * s], 0.1, light, ["thigh", "shin"])  # fmt: skip
    one.add("torso", one.limb(hips, chest, 110 * s, 90 * s, "round"), ["trunk", "trunk 2"], None, 0.0, 0.6)
    comb(one, "fringe", "trunk 2", chest + [0, -20 * s], s)
    one.ground = x, ground


def comb(one: Stranger, name: str, parent: str, root: Spot, s: float) -> None:
    """Strands of one piece on a band, each on a chain of two bones; neighbours must not drag one another."""
    k = _between(one)
    wide, gap, long = k(18, 30) * s, k(3, 12) * s + one.line, k(150, 220) * s
    xs = root[0] + (np.arange(4) - 1.5) * (wide + gap)
    band = LineString([(xs[0] - wide, root[1]), (xs[-1] + wide, root[1])]).buffer(wide * 0.8, 16)
    bones = one.chain(name, parent, [np.array([root[0], root[1] + 12 * s]), root - [0, 12 * s]])
    strands, middles = [], []
    for letter, at in zip("abcd", xs, strict=True):
        line = [np.array([at, root[1]]) + [0, -long * share] for share in (0.2, 0.6, 1.0)]
        bones = [*bones, *one.chain(f"{name} {letter}", name, line)]
        strands.append([one.limb(np.array([at, root[1]]), line[1], wide / 2, wide / 2.2, "round"),
                        one.limb(*line[1:], wide / 2.2, wide / 4, "round")])  # fmt: skip
        middles.append(line[1])
    every = [piece for strand in strands for piece in strand]
    one.add(name, largest(unary_union([band, *every])), bones, None, -0.1, 0.42)
    for letter, strand, at in zip("abcd", strands, middles, strict=True):
        above = largest(unary_union([band, *(piece for piece in every if piece is not strand[1])]))
        one.joints.append(
            Joint(f"{name} {letter} 2", name, name, pair(at), wide / 2.2, "whole", False, above, strand[1], True)
        )


def _between(one: Stranger) -> Callable[[float, float], float]:
    return lambda low, high: float(one.rng.uniform(low, high))


PLANS: dict[str, Callable[[Stranger], None]] = {
    "biped side": lambda one: biped(one, True),
    "biped front": lambda one: biped(one, False),
    "quadruped": lambda one: walker(one, 2),
    "bird": bird,
    "six legs": lambda one: walker(one, 3),
    "serpent": serpent,
    "crane arm": crane,
    "hand": hand,
}
MORE: dict[str, Callable[[Stranger], None]] = {"crooked": crooked, "ringed": ringed}
