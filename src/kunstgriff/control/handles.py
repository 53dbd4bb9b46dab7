"""Handles of warps that correctives pull, in an evaluation: by how bones are turned, as vertices are (`sculpting`)."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from kunstgriff.control.sculpting import Weighers, laid_by, weigh
from kunstgriff.evaluate.posing import Channels
from kunstgriff.evaluate.program import Build
from kunstgriff.evaluate.state import RigState
from kunstgriff.figure.channels import parted
from kunstgriff.figure.controls import Sample
from kunstgriff.figure.model import Figure

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class HandlePulling:
    """All handles that correctives pull: their channels lie at `places` (k,), and each of `count` amounts lays its row
    of `table` (count, k) on."""

    weighers: Weighers
    count: int
    places: NDArray[np.intp]
    table: Floats
    refs: frozenset[str]

    def lay(self, rig: RigState) -> None:
        """Move the channels of a state by how its bones are turned."""
        amounts = rig.buffer(self, lambda: np.zeros(self.count))
        weigh(self.weighers, rig.angles, amounts)
        rig.values[self.places] += amounts @ self.table

    @classmethod
    def of(cls, build: Build, figure: Figure) -> HandlePulling | None:
        """Those of a figure; None where no corrective pulls any that is there."""
        index = Channels.of(figure).index
        addresses = [one for one in pulled_channels(figure) if one in index]
        if not addresses:
            return None
        some = [one for one in figure.correctives if any(sample.channels for sample in one.samples)]
        laid, weighers, count = laid_by(build, figure, some)
        table = np.zeros((count, len(addresses)))
        for one in laid:
            for amount, row in one.tables([values_of(sample.channels, addresses) for sample in one.samples]):
                table[amount] = row
        refs = frozenset(parted(one)[0] for one in addresses)
        return cls(weighers, count, np.array([index[one] for one in addresses], np.intp), table, refs)


def pulled_channels(figure: Figure) -> list[str]:
    """The addresses of channels that correctives move."""
    samples = (sample for one in figure.correctives for sample in one.samples)
    return list(dict.fromkeys(address for sample in samples for address in sample.channels))


def values_of(channels: Mapping[str, float], addresses: Iterable[str]) -> Floats:
    """How far some channels are moved, (k,)."""
    return np.array([channels.get(one, 0.0) for one in addresses])


def less(some: Sample, other: Sample) -> dict[str, float]:
    """How far the one moves channels more than the other."""
    addresses = dict.fromkeys((*some.channels, *other.channels))
    return {one: some.channels.get(one, 0.0) - other.channels.get(one, 0.0) for one in addresses}
