"""The skinning step: bones blended at each vertex, and the shapes solved for each bend laid on."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import ClassVar

import numpy as np
from numpy.typing import NDArray

from kunstgriff.binding.blending import MANY, Bends, corrected, linear, linear_threads, mixed, rigid
from kunstgriff.evaluate.program import MATRICES, Build, Floats32, Nets, Node, vertices_of
from kunstgriff.evaluate.state import RigState
from kunstgriff.figure.model import Figure, Weighted
from kunstgriff.figure.stores import Stores


@dataclass(frozen=True)
class Skinning:
    """`uniform` tells whether all vertices follow bones by linear blending alone ("linear"), by rigid blending alone
    ("rigid"), or neither; those have kernels of their own."""

    nets: Nets
    uniform: str
    bends: Bends | None
    writes: frozenset[str]
    reads: ClassVar[frozenset[str]] = frozenset({MATRICES})

    def run(self, rig: RigState) -> None:
        nets = self.nets
        if rig.stretched or not self.uniform:
            mixed(
                nets.rest, nets.bones, nets.weights, nets.rigidity, rig.transforms, rig.dual_numbers, rig.stretches,
                rig.stretched, rig.vertices,
            )  # fmt: skip
        elif self.uniform == "rigid":
            rigid(nets.rest, nets.bones, nets.weights, rig.dual_numbers, rig.vertices)
        else:
            kernel = linear_threads if len(nets.rest) >= MANY else linear
            kernel(nets.rest, nets.bones, nets.weights, rig.transforms, rig.vertices)
        if self.bends is not None:
            corrected(self.bends, rig.angles, nets.bones, nets.weights, rig.dual_numbers, rig.vertices)


@dataclass(frozen=True)
class AsDrawn:
    """Every vertex where it was drawn, for a figure without bones."""

    nets: Nets
    writes: frozenset[str]
    reads: ClassVar[frozenset[str]] = frozenset()

    def run(self, rig: RigState) -> None:
        rig.vertices[:] = self.nets.rest


def skinning(build: Build, figure: Figure, stores: Stores) -> Iterator[Node]:
    """All vertices at once, those of riders too, which are put elsewhere later."""
    nets = build.nets
    writes = frozenset(vertices_of(ref) for ref in nets.blocks)
    if not figure.bones:
        yield AsDrawn(nets, writes)
    else:
        yield Skinning(nets, _uniform(nets.weights, nets.rigidity), _bends(build, figure, stores), writes)


def _uniform(weights: Floats32, rigidity: NDArray[np.float32]) -> str:
    shared = (weights[:, 1] > 0) if len(weights) else np.zeros(0, bool)
    if len(weights) and (weights[:, 0] == 0).any():
        return ""
    if not rigidity[shared].any():
        return "linear"
    return "rigid" if (rigidity[shared] == 1).all() else ""


def _bends(build: Build, figure: Figure, stores: Stores) -> Bends | None:
    """The solved shapes of all zones of all parts; None where there are none."""
    rows, members, shapes = [], [np.zeros(0, np.int32)], [np.zeros((0, 2), np.float32)]
    first = start = 0
    for part in figure.parts:
        for zone in part.binding.zones if isinstance(part.binding, Weighted) else ():
            bone = figure.bone(zone.bone)
            if zone.solved is None or bone is None or bone.parent is None:
                continue
            table = np.asarray(stores.get_array(zone.solved.shapes), np.float32)
            moved = stores.get_array(zone.solved.members) + build.nets.blocks[part.id].start
            spacing = max((zone.solved.high - zone.solved.low) / max(len(table) - 1, 1), 1e-6)
            both = build.skeleton.index[bone.id], build.skeleton.index[bone.parent]
            rows.append((*both, zone.solved.low, spacing, first, len(moved), start, len(table)))
            members.append(moved.astype(np.int32))
            shapes.append(table.reshape(-1, 2))
            first, start = first + len(moved), start + len(table) * len(moved)
    if not rows:
        return None
    columns = [np.array(column) for column in zip(*rows, strict=True)]
    bone_of, parent_of, low, step_of, firsts, counts, starts, angles = columns
    return Bends(
        bone_of.astype(np.int32), parent_of.astype(np.int32), low.astype(np.float64), step_of.astype(np.float64),
        firsts.astype(np.int32), counts.astype(np.int32), starts.astype(np.int32), angles.astype(np.int32),
        np.concatenate(members), np.concatenate(shapes),
    )  # fmt: skip
