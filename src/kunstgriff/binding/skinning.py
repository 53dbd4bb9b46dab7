"""The skinning step: bones blended at each vertex, and the shapes solved for each bend laid on."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from kunstgriff.binding.blending import MANY, corrected, linear, linear_threads, mixed, rigid
from kunstgriff.evaluate.rig import Floats32, Ints32, Rig, step
from kunstgriff.figure.model import Figure, Weighted
from kunstgriff.figure.stores import Stores


@dataclass(frozen=True)
class Bend:
    """The solved shapes of one part at one joint: `members` (k,) of the rig's vertices, `shapes` (angles, k, 2)."""

    bone: int
    parent: int
    low: float
    spacing: float
    members: Ints32
    shapes: Floats32


@dataclass(frozen=True)
class Skinning:
    """`uniform` tells whether all vertices follow bones by linear blending alone ("linear"), by rigid blending alone
    ("rigid"), or neither; those have kernels of their own."""

    uniform: str
    bends: tuple[Bend, ...]

    def run(self, rig: Rig) -> None:
        if rig.stretched or not self.uniform:
            mixed(
                rig.rest, rig.bones, rig.weights, rig.rigidity, rig.turns, rig.motors, rig.stretches, rig.stretched,
                rig.vertices,
            )  # fmt: skip
        elif self.uniform == "rigid":
            rigid(rig.rest, rig.bones, rig.weights, rig.motors, rig.vertices)
        else:
            kernel = linear_threads if len(rig.rest) >= MANY else linear
            kernel(rig.rest, rig.bones, rig.weights, rig.turns, rig.vertices)
        for bend in self.bends:
            turn = np.degrees(rig.angles[bend.bone] - rig.angles[bend.parent])
            corrected(
                turn, bend.low, bend.spacing, bend.shapes, bend.members, rig.bones, rig.weights, rig.motors,
                rig.vertices,
            )  # fmt: skip


@step(90)
def skinning(rig: Rig, figure: Figure, stores: Stores) -> Skinning | None:
    if not figure.bones:
        return None
    return Skinning(_uniform(rig.weights, rig.rigidity), _bends(rig, figure, stores))


def _uniform(weights: Floats32, rigidity: NDArray[np.float32]) -> str:
    shared = (weights[:, 1] > 0) if len(weights) else np.zeros(0, bool)
    if len(weights) and (weights[:, 0] == 0).any():
        return ""
    if not rigidity[shared].any():
        return "linear"
    return "rigid" if (rigidity[shared] == 1).all() else ""


def _bends(rig: Rig, figure: Figure, stores: Stores) -> tuple[Bend, ...]:
    made = []
    for part in figure.parts:
        if not isinstance(part.binding, Weighted):
            continue
        for zone in part.binding.zones:
            bone = figure.bone(zone.bone)
            if zone.solved is None or bone is None or bone.parent is None:
                continue
            shapes = np.ascontiguousarray(stores.get_array(zone.solved.shapes), np.float32)
            members = np.asarray(stores.get_array(zone.solved.members) + rig.blocks[part.id].start, np.int32)
            spacing = (zone.solved.high - zone.solved.low) / max(len(shapes) - 1, 1)
            made.append(
                Bend(
                    rig.bone_index[bone.id],
                    rig.bone_index[bone.parent],
                    zone.solved.low,
                    max(spacing, 1e-6),
                    members,
                    shapes,
                )
            )
    return tuple(made)
