"""The skinning step: bones blended at each vertex, and the shapes solved for each bend laid on."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import ClassVar

import numpy as np
from numpy.typing import NDArray

from kunstgriff.binding.blending import LINEAR, MANY, MIXED, RIGID, Bends, blended, corrected, linear_threads, marked
from kunstgriff.evaluate.program import Build, Floats32, Nets, Node
from kunstgriff.evaluate.stale import MATRICES, matrix_of, vertices_of
from kunstgriff.evaluate.state import RigState
from kunstgriff.figure.model import Figure, Weighted
from kunstgriff.figure.stores import Stores


@dataclass(frozen=True)
class Skinning:
    """All blocks of vertices at once, those of riders too, which are put elsewhere later. `how` tells whether all
    follow bones by linear blending alone, by rigid blending alone, or neither; those have kernels of their own."""

    nets: Nets
    how: int
    bends: Bends | None
    by_block: Mapping[str, frozenset[str]]
    writes: frozenset[str]
    reads: ClassVar[frozenset[str]] = frozenset({MATRICES})

    def run(self, rig: RigState) -> None:
        nets, stale = self.nets, rig.watch.stale
        how = MIXED if rig.stretched else self.how
        if how == LINEAR and len(nets.rest) >= MANY and stale.all():
            linear_threads(nets.rest, nets.bones, nets.weights, rig.transforms, rig.vertices)
        else:
            blended(
                nets.spans, stale, how, nets.rest, nets.bones, nets.weights, nets.rigidity, nets.thins, rig.transforms,
                rig.dual_numbers, rig.stretches, rig.stretched, rig.vertices,
            )  # fmt: skip
        rig.marked = marked(rig.stretches, rig.transforms, rig.marks) if rig.stretched else 0
        if self.bends is not None:
            corrected(self.bends, stale, rig.angles, nets.bones, nets.weights, rig.dual_numbers, rig.vertices)


@dataclass(frozen=True)
class AsDrawn:
    """Every vertex where it was drawn, for a figure without bones."""

    nets: Nets
    by_block: Mapping[str, frozenset[str]]
    writes: frozenset[str]
    reads: ClassVar[frozenset[str]] = frozenset()

    def run(self, rig: RigState) -> None:
        for first, last in self.nets.spans[rig.watch.stale]:
            rig.vertices[first:last] = self.nets.rest[first:last]


def skinning(build: Build, figure: Figure, stores: Stores) -> Iterator[Node]:
    """One for all of the figure."""
    nets = build.nets
    writes = frozenset(vertices_of(ref) for ref in nets.blocks)
    if not figure.bones:
        yield AsDrawn(nets, dict.fromkeys(nets.blocks, frozenset()), writes)
        return
    bends = _bends(build, figure, stores)
    ids = [matrix_of(bone.id) for bone in figure.bones]
    by_block = {}
    for ref, block in nets.blocks.items():
        first, last = nets.spans[block.number]
        followed = set(nets.bones[first:last][nets.weights[first:last] > 0].tolist())
        if bends is not None:
            mine = bends.block == block.number
            followed |= {*bends.bone[mine].tolist(), *bends.parent[mine].tolist()}
        by_block[ref] = frozenset(ids[bone] for bone in followed)
    yield Skinning(nets, _uniform(nets.weights, nets.rigidity), bends, by_block, writes)


def _uniform(weights: Floats32, rigidity: NDArray[np.float32]) -> int:
    shared = (weights[:, 1] > 0) if len(weights) else np.zeros(0, bool)
    if len(weights) and (weights[:, 0] == 0).any():
        return MIXED
    if not rigidity[shared].any():
        return LINEAR
    return RIGID if (rigidity[shared] == 1).all() else MIXED


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
            block = build.nets.blocks[part.id]
            moved = stores.get_array(zone.solved.members) + block.start
            spacing = max((zone.solved.high - zone.solved.low) / max(len(table) - 1, 1), 1e-6)
            both = build.skeleton.index[bone.id], build.skeleton.index[bone.parent]
            rows.append((block.number, *both, zone.solved.low, spacing, first, len(moved), start, len(table)))
            members.append(moved.astype(np.int32))
            shapes.append(table.reshape(-1, 2))
            first, start = first + len(moved), start + len(table) * len(moved)
    if not rows:
        return None
    columns = [np.array(column) for column in zip(*rows, strict=True)]
    block_of, bone_of, parent_of, low, step_of, firsts, counts, starts, angles = columns
    return Bends(
        block_of.astype(np.int32), bone_of.astype(np.int32), parent_of.astype(np.int32), low.astype(np.float64),
        step_of.astype(np.float64), firsts.astype(np.int32), counts.astype(np.int32), starts.astype(np.int32),
        angles.astype(np.int32), np.concatenate(members), np.concatenate(shapes),
    )  # fmt: skip
