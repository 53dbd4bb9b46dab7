"""Poses laid into the buffers of a rig."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from kunstgriff.figure.channels import QUANTITIES, addressed
from kunstgriff.figure.model import Figure
from kunstgriff.figure.pose import Pose

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class Posed:
    """The channels of a rig as numbers: `values` (k,) one after another, those at `rest` (k,), where each address lies,
    and the `arrays` they are seen as: (n,) or (n, m) for n bones."""

    values: Floats
    rest: Floats
    index: Mapping[str, int]
    arrays: Mapping[str, Floats]

    @classmethod
    def of(cls, figure: Figure) -> Posed:
        """Those of a figure, all at rest."""
        refs = [bone.id for bone in figure.bones]
        groups: dict[str, list[str]] = {}
        for one in QUANTITIES.values():
            if one.of == "bone":
                groups.setdefault(one.array, []).append(one.name)
        rest, index, spans, start = list[float](), dict[str, int](), dict[str, tuple[int, int]](), 0
        for array, names in groups.items():
            spans[array] = start, len(names)
            for row, ref in enumerate(refs):
                for column, name in enumerate(names):
                    index[addressed(ref, name)] = start + row * len(names) + column
            rest += [QUANTITIES[name].rest for name in names] * len(refs)
            start += len(refs) * len(names)
        values = np.array(rest, np.float64)
        arrays = {}
        for array, (first, width) in spans.items():
            flat = values[first : first + len(refs) * width]
            arrays[array] = flat if width == 1 else flat.reshape(len(refs), width)
        return cls(values, values.copy(), index, arrays)

    def set(self, pose: Pose) -> None:
        """Take a pose up; what it does not name is at rest. Raises KeyError for a channel that is not there."""
        self.values[:] = self.rest
        for address, value in pose.channels.items():
            self.values[self.index[address]] = value
