"""Where each channel of a figure lies among numbers, so that a pose is laid into arrays at once."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from kunstgriff.figure.channels import addressed, parted, quantities
from kunstgriff.figure.model import Figure
from kunstgriff.figure.pose import Pose, posable

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class Channels:
    """The channels of a figure as numbers one after another: those at `rest` (k,), where each address lies, where each
    array begins, how many it is of and how many numbers each has, and which are `stepped`."""

    rest: Floats
    index: Mapping[str, int]
    spans: Mapping[str, tuple[int, int, int]]
    stepped: NDArray[np.intp]

    @classmethod
    def of(cls, figure: Figure) -> Channels:
        """Those of a figure: in each array first those of its bones, then of its parts, groups and handles."""
        there = {kind: [one.id for one in some] for kind, some in posable(figure).items()}
        known = quantities()
        together: dict[str, list[str]] = {}
        for quantity in known.values():
            together.setdefault(quantity.array, []).append(quantity.name)
        rest, index, spans, start = list[float](), dict[str, int](), dict[str, tuple[int, int, int]](), 0
        for array, names in together.items():
            refs = [ref for kind, some in there.items() if kind in known[names[0]].of for ref in some]
            for ref in refs:
                for name in names:
                    index[addressed(ref, name)] = len(rest)
                    rest.append(known[name].rest)
            spans[array] = start, len(refs), len(names)
            start = len(rest)
        stepped = [place for address, place in index.items() if known[parted(address)[1]].stepped]
        return cls(np.array(rest, np.float64), index, spans, np.array(stepped, np.intp))

    def seen(self, values: Floats, array: str) -> Floats:
        """One array of the values (k,): (n,) or (n, m), for bones, parts and groups one after another."""
        start, count, width = self.spans[array]
        flat = values[start : start + count * width]
        return flat if width == 1 else flat.reshape(count, width)

    def rows(self, values: Floats, array: str) -> Floats:
        """One array of many rows of values (r, k): (r, n) or (r, n, m)."""
        start, count, width = self.spans[array]
        flat = values[:, start : start + count * width]
        return flat if width == 1 else flat.reshape(len(values), count, width)

    def set(self, values: Floats, pose: Pose) -> None:
        """Lay a pose into values (k,); what it does not name is at rest. Raises KeyError for a channel that is not
        there."""
        values[:] = self.rest
        index = self.index
        for address, value in pose.channels.items():
            values[index[address]] = value
