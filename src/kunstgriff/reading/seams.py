"""All seams of a figure read over the range of their joints, and held against what is tolerated."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Iterator
from dataclasses import asdict, dataclass
from itertools import pairwise
from typing import Literal

import numpy as np

from kunstgriff.binding.bending import WIDEST
from kunstgriff.figure.edit import need_bone
from kunstgriff.figure.model import Bone, Figure, Part, Tolerances
from kunstgriff.figure.sets import waiting
from kunstgriff.figure.stores import Stores
from kunstgriff.figure.treatments import hides_line
from kunstgriff.paint.painter import Painter
from kunstgriff.reading.seam import SeamReader, SeamReading, changes_of
from kunstgriff.reading.silhouette import tolerated
from kunstgriff.seam.joints import melts_at, pair_at

STEP = 5.0  # degrees from one reading to the next
FINEST = 1.25  # degrees to which it is told where something begins to miss
SPRINGY = 45.0  # degrees to each side a joint without limits is read to when a spring turns it

Kind = Literal["gap", "jump", "ink", "step", "notch", "beyond", "short"]
WORDS: dict[Kind, str] = {
    "gap": "opens a gap", "jump": "has a jump to one piece", "ink": "shows a line across",
    "step": "has a line of two widths", "notch": "has a notch", "beyond": "stands out beyond one limb",
    "short": "falls short of one limb",
}  # fmt: skip


@dataclass(frozen=True)
class Miss:
    """One `kind` of reading beyond what is tolerated: the worst `value` (px) at `angle` (degrees), how many `times`
    what is tolerated it is, and the angle nearest to rest at which it `begins`."""

    kind: Kind
    value: float
    angle: float
    times: float
    begins: float

    @property
    def what(self) -> str:
        """What is the matter, in words."""
        return WORDS[self.kind]


@dataclass(frozen=True)
class Seam:
    """A joint's seam: its readings over the range, half the limb's width and the line's in px, and what misses, worst
    first.

    `treated` tells in words with what; `melts` whether one limb goes on there in two pieces, so that no line should be
    seen. Where a part only lies on another (an ear on a head), its line belongs there, and only voids are held against
    it.
    """

    bone: str
    name: str
    treated: str
    melts: bool
    radius: float
    line: float
    readings: tuple[SeamReading, ...]
    misses: tuple[Miss, ...]

    @property
    def worst(self) -> Miss | None:
        """What misses most, if anything does."""
        return self.misses[0] if self.misses else None

    @property
    def cost(self) -> float:
        """How many times beyond what is tolerated the worst reading is; 0 where nothing misses."""
        return self.worst.times if self.worst else 0.0

    def rows(self) -> list[dict[str, float | str]]:
        """The readings as plain data, each with its joint's name."""
        return [{"joint": self.name, **{key: round(one, 4) for key, one in asdict(r).items()}} for r in self.readings]


def seam_angles(figure: Figure, bone: Bone, step: float = STEP) -> list[float]:
    """Degrees a joint is read at: every `step` through its limits, or as far as such joints usually turn, and where one
    piece comes to stand in for two."""
    springy = {ref for spring in figure.springs for ref in spring.bones}
    widest = SPRINGY if bone.id in springy else WIDEST
    low, high = (-widest, widest) if bone.limits is None else (bone.limits.low, bone.limits.high)
    inner = np.arange(np.ceil(low / step), np.floor(high / step) + 1) * step
    switches = [one.switch for one in figure.treated("stand_in") if one.switch.bone == bone.id]
    changes = (angle for switch in switches for angle in changes_of(switch))
    return sorted({float(one) for one in (low, *inner, high, *(one for one in changes if low < one < high))})


def joints_with_seams(figure: Figure, stores: Stores) -> list[Bone]:
    """Bones at whose joints two parts meet."""
    return [bone for bone in figure.bones if pair_at(figure, bone, stores) is not None]


def read_seam(
    figure: Figure,
    stores: Stores,
    bone: Bone,
    painter: Painter,
    step: float = STEP,
    tolerances: Tolerances | None = None,
    rough: bool = False,
) -> Seam:
    """One seam over its range, by the figure's tolerances or others. Raises EditRefused where no two parts meet.

    At the usual step, angles are added where something begins to miss; `rough` as `SeamReader` has it.
    """
    reader = SeamReader(figure, stores, bone, painter, rough)
    sizes = reader.radius, reader.line
    seam = seam_of(figure, stores, bone, sizes, reader.read(seam_angles(figure, bone, step)), tolerances)
    while step == STEP and (between := _where_it_begins(figure, seam, tolerances or figure.tolerances)):
        seam = seam_of(figure, stores, bone, sizes, (*seam.readings, *reader.read(between)), tolerances)
    return seam


def _where_it_begins(figure: Figure, seam: Seam, tolerances: Tolerances) -> list[float]:
    """Angles between two readings of which one misses in some way and the other does not, not too close to them."""
    found = set()
    rest = rest_bend(figure, need_bone(figure, seam.bone))
    for _, times in _times(seam.readings, rest, (seam.radius, seam.line), seam.melts, tolerances):
        for (item, before), (other, after) in pairwise(times.items()):
            if (before > 1) != (after > 1) and other - item > FINEST:
                found.add((item + other) / 2)
    return sorted(found)


def seam_of(
    figure: Figure,
    stores: Stores,
    bone: Bone,
    sizes: tuple[float, float],
    readings: Iterable[SeamReading],
    tolerances: Tolerances | None = None,
    only: float | None = None,
) -> Seam:
    """A seam from its readings in any order; `sizes` are half the limb's width and the line's, px. It is judged at each
    angle, or at one `only`."""
    readings = tuple(sorted(readings, key=lambda one: one.angle))
    aside = waiting(figure)
    done = [one for one in figure.treatments if hides_line(one, bone.id) and not one.used_parts & aside]
    # what hides the line says that none should be seen, unless a person said otherwise
    melts = (bool(done) and figure.said_of(bone.id) is None) or melts_at(figure, bone, stores)
    treated = ", ".join(dict.fromkeys(one.kind for one in done))
    pair = pair_at(figure, bone, stores)
    misses = [
        miss
        for miss in _misses(readings, rest_bend(figure, bone), sizes, melts, tolerances or figure.tolerances, only)
        if pair is None or miss_key(bone.id, miss.kind, pair) not in figure.accepted
    ]
    misses.sort(key=lambda miss: -miss.times)
    return Seam(bone.id, bone.name, treated, melts, *sizes, readings, tuple(misses))


def miss_key(bone: str, kind: Kind, pair: tuple[Part, Part]) -> str:
    """The key by which a miss is said to be meant so, as long as the two parts stay as they are drawn."""
    return f"seam:{bone}:{kind}:" + ".".join(sorted(part.drawing.picture[:8] for part in pair))


def read_seams(
    figure: Figure, stores: Stores, painter: Painter, step: float = STEP, tolerances: Tolerances | None = None
) -> Iterator[Seam]:
    """Every seam of a figure, one after another."""
    for bone in joints_with_seams(figure, stores):
        yield read_seam(figure, stores, bone, painter, step, tolerances)


def rest_bend(figure: Figure, bone: Bone) -> float:
    """How far a bone is turned against its parent at rest, degrees."""
    parent = figure.bone(bone.parent or "")
    if parent is None:
        return 0.0
    back, ahead = np.subtract(bone.joint, parent.joint), np.subtract(bone.tip, bone.joint)
    return float(np.degrees(np.arctan2(back[0] * ahead[1] - back[1] * ahead[0], back @ ahead)))


def crease(bend: float) -> float:
    """How far the corner inside a sharp bend (degrees) lies off the mean of the outline over 2 r, in r.

    Two straight sides, each met for the length r: the mean lies r / 2 along the middle of both, so the corner is off by
    (r / 2) sin(θ / 2).
    """
    return math.sin(math.radians(min(abs(bend), 180.0)) / 2) / 2


def _misses(
    readings: tuple[SeamReading, ...],
    rest: float,
    sizes: tuple[float, float],
    melts: bool,
    tolerances: Tolerances,
    only: float | None,
) -> Iterator[Miss]:
    """The worst of each kind that is beyond what is tolerated."""
    judged = [one for one in readings if only is None or one.angle == only]
    for (kind, value_of), times in _times(readings, rest, sizes, melts, tolerances):
        worst = max(judged, key=lambda one: times[one.angle])
        if times[worst.angle] > 1:
            begins = min((one.angle for one in judged if times[one.angle] > 1), key=abs)
            yield Miss(kind, round(value_of(worst), 2), worst.angle, round(times[worst.angle], 2), begins)


def _times(
    readings: tuple[SeamReading, ...], rest: float, sizes: tuple[float, float], melts: bool, tolerances: Tolerances
) -> Iterator[tuple[tuple[Kind, Callable[[SeamReading], float]], dict[float, float]]]:
    """Each kind with its value, and how many times what is tolerated it is at each angle.

    What any two limbs of that width have at such a bend is allowed besides: the points of lines that meet in a corner
    are no line across, and the corner inside the bend is no notch. The outline is held against itself at rest.
    """
    radius, line = sizes
    still = min(readings, key=lambda one: abs(one.angle))
    kinds: list[tuple[Kind, Callable[[SeamReading], float], Callable[[float], float]]] = [
        ("gap", lambda one: one.gap_disc if melts else one.void_disc, lambda bend: tolerances.gap),
        ("jump", lambda one: one.jump, lambda bend: tolerances.jump),
    ]
    if melts:
        kinds += [
            ("ink", across, lambda bend: tolerances.ink),
            ("step", lambda one: one.outline_step, lambda bend: tolerances.step * max(line, 1e-9)),
            (
                "notch",
                lambda one: one.notch - max(still.notch, 0.0),
                lambda bend: radius * (tolerances.notch + max(crease(bend) - crease(rest), 0.0)),
            ),
        ]
        shape = tolerated(tolerances.shape, radius)
        kinds += [
            ("beyond", lambda one: one.beyond, lambda bend: shape),
            ("short", lambda one: one.short, lambda bend: shape),
        ]
    for kind, value_of, allowed in kinds:
        yield (kind, value_of), {one.angle: value_of(one) / max(allowed(rest + one.angle), 1e-9) for one in readings}


def across(one: SeamReading) -> float:
    """The line across the joint, px, without the points of lines that meet in corners."""
    return max(one.ink_length - one.corner_length, 0.0)


def sentence_of(seam: Seam, miss: Miss) -> str:
    """A miss in words, with its number, where it is worst and from where on it shows."""
    begins = "" if miss.begins == miss.angle else f", from {miss.begins:.0f}° on"
    return f"{seam.name} {miss.what} of {miss.value:.1f} px at {miss.angle:.0f}°{begins}"


def read_seam_at(
    figure: Figure, stores: Stores, bone: Bone, painter: Painter, angles: Iterable[float]
) -> dict[float, str]:
    """What one seam misses at each of some angles (degrees), in a sentence; angles at which all is well are left out.

    Raises EditRefused where no two parts meet.
    """
    reader = SeamReader(figure, stores, bone, painter)
    readings = tuple(reader.read({0.0, *angles}))
    told = {}
    for angle in angles:
        seam = seam_of(figure, stores, bone, (reader.radius, reader.line), readings, only=angle)
        if seam.worst is not None:
            told[angle] = sentence_of(seam, seam.worst)
    return told
