"""All seams of a figure read over the range of their joints, and held against what is tolerated."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import asdict, dataclass
from typing import Annotated

import numpy as np
from pydantic import Field

from kunstgriff.binding.bending import WIDEST
from kunstgriff.figure.edit import EditRefused
from kunstgriff.figure.model import Bone, Figure, Value
from kunstgriff.figure.stores import Stores
from kunstgriff.paint.painter import Painter
from kunstgriff.reading.seam import SeamReader, SeamReading
from kunstgriff.seam.edits import pair_at

STEP = 5.0  # degrees from one reading to the next
SPRINGY = 45.0  # degrees to each side a joint without limits is read to when a spring turns it

Amount = Annotated[float, Field(ge=0, le=10_000)]


class Tolerances(Value):
    """What a seam may show: a gap's largest disc and crossing ink in px, the step of the line as a share of its width,
    notch and bump as a share of half the limb's width. Common practice, no source."""

    gap: Amount = 1.0
    ink: Amount = 3.0
    step: Amount = 0.25
    notch: Amount = 0.15


@dataclass(frozen=True)
class Miss:
    """One reading beyond what is tolerated: `what` in words, the `value` (px) at `angle` (degrees), and how many times
    what is tolerated it is."""

    what: str
    value: float
    angle: float
    times: float


@dataclass(frozen=True)
class Seam:
    """A joint's seam: its readings over the range, half the limb's width and the line's in px, and what misses."""

    bone: str
    name: str
    radius: float
    line: float
    readings: tuple[SeamReading, ...]
    misses: tuple[Miss, ...]

    @property
    def badness(self) -> float:
        """How many times beyond what is tolerated the worst reading is; 0 where nothing misses."""
        return max((miss.times for miss in self.misses), default=0.0)

    def rows(self) -> list[dict[str, float | str]]:
        """The readings as plain data, each with its joint's name."""
        return [{"joint": self.name, **{key: round(one, 4) for key, one in asdict(r).items()}} for r in self.readings]


def seam_angles(figure: Figure, bone: Bone, step: float = STEP) -> list[float]:
    """Degrees a joint is read at: every `step` through its limits, or as far as such joints usually turn."""
    springy = {ref for spring in figure.springs for ref in spring.bones}
    widest = SPRINGY if bone.id in springy else WIDEST
    low, high = (-widest, widest) if bone.limits is None else (bone.limits.low, bone.limits.high)
    inner = np.arange(np.ceil(low / step), np.floor(high / step) + 1) * step
    return sorted({float(one) for one in (low, *inner, high)})


def joints_with_seams(figure: Figure, stores: Stores) -> list[Bone]:
    """Bones at whose joints two parts meet."""
    return [bone for bone in figure.bones if pair_at(figure, bone, stores) is not None]


def read_seam(
    figure: Figure, stores: Stores, bone: Bone, painter: Painter, tolerances: Tolerances, step: float = STEP
) -> Seam:
    """One seam over its range. Raises EditRefused where no two parts meet."""
    reader = SeamReader(figure, stores, bone, painter)
    readings = tuple(reader.read(seam_angles(figure, bone, step)))
    misses = tuple(_misses(readings, reader.radius, reader.line, tolerances))
    return Seam(bone.id, bone.name, reader.radius, reader.line, readings, misses)


def read_seams(
    figure: Figure, stores: Stores, painter: Painter, tolerances: Tolerances, step: float = STEP
) -> Iterator[Seam]:
    """Every seam of a figure, one after another."""
    for bone in joints_with_seams(figure, stores):
        try:
            yield read_seam(figure, stores, bone, painter, tolerances, step)
        except EditRefused:
            continue


def _misses(readings: tuple[SeamReading, ...], radius: float, line: float, tolerances: Tolerances) -> Iterator[Miss]:
    """The worst of each kind that is beyond what is tolerated. The outline is held against itself at rest."""
    rest = min(readings, key=lambda one: abs(one.angle))
    kinds: tuple[tuple[str, Callable[[SeamReading], float], float], ...] = (
        ("opens a gap", lambda one: one.gap_disc, tolerances.gap),
        ("shows a line across", lambda one: one.ink_length, tolerances.ink),
        ("has a line of two widths", lambda one: one.outline_step, tolerances.step * max(line, 1e-9)),
        ("has a notch", lambda one: one.notch - max(rest.notch, 0.0), tolerances.notch * radius),
    )
    for what, value_of, allowed in kinds:
        worst = max(readings, key=value_of)
        value = value_of(worst)
        if value > allowed:
            yield Miss(what, round(value, 2), worst.angle, round(value / max(allowed, 1e-9), 2))


def sentence_of(seam: Seam, miss: Miss) -> str:
    """A miss in words, with its number and where it happens."""
    return f"{seam.name} {miss.what} of {miss.value:.1f} px at {miss.angle:.0f}°"
