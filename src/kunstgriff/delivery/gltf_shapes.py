"""What glTF's own skinning cannot say, as morph targets: rigid blending and the solved shapes of bends.

glTF blends bones linearly and adds morph targets before that (Khronos glTF 2.0, "Skinned Mesh Attributes" and "Morph
Targets"). So each bend is posed at a row of angles by the very rig that is shown, the difference to linear blending is
taken back through each vertex's blended matrix, and that is a target; over the angle targets fade into one another.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from kunstgriff.binding.bending import angles_between, range_of
from kunstgriff.binding.blending import linear
from kunstgriff.evaluate.state import RigState
from kunstgriff.figure.model import Figure, Weighted
from kunstgriff.figure.pose import Pose

LEAST = 1e-3  # px a target moves some vertex by, else it is left out

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class Target:
    """One shape: `offsets` (n, 2) px of the part's vertices when `bone` is turned by `angle` degrees, fading out
    towards the angles `before` and `after`."""

    part: str
    bone: int
    angle: float
    before: float
    after: float
    offsets: Floats

    def weights(self, turns: Floats) -> Floats:
        """How much of the shape belongs to the bone's `turns` (frames,) in degrees; beyond the last angle all of it."""
        rise = np.ones_like(turns) if np.isinf(self.before) else (turns - self.before) / (self.angle - self.before)
        fall = np.ones_like(turns) if np.isinf(self.after) else (self.after - turns) / (self.after - self.angle)
        return np.asarray(np.clip(np.minimum(rise, fall), 0.0, 1.0))


def bend_targets(rig: RigState, figure: Figure) -> dict[str, list[Target]]:
    """Every part's targets, by part. The rig is left at rest."""
    found: dict[str, list[Target]] = {}
    for bone in figure.bones:
        bent = [
            part.id
            for part in figure.parts
            if isinstance(part.binding, Weighted) and (zone := part.binding.zone(bone.id)) and (zone.mix or zone.solved)
        ]
        angles = angles_between(*range_of(bone)) if bent else np.zeros(0)
        for number, angle in enumerate(angles):
            if angle == 0.0:
                continue
            before = float(angles[number - 1]) if number else -np.inf
            after = float(angles[number + 1]) if number + 1 < len(angles) else np.inf
            for part, offsets in _offsets(rig, bone.id, float(angle), bent):
                target = Target(part, rig.program.bone_index[bone.id], float(angle), before, after, offsets)
                found.setdefault(part, []).append(target)
    rig.evaluate(Pose())
    return found


def _offsets(rig: RigState, bone: str, angle: float, parts: list[str]) -> list[tuple[str, Floats]]:
    """What each part's vertices (n, 2) need before linear blending to lie as the rig puts them."""
    posed = rig.evaluate(Pose.of_bones({bone: angle})).vertices.astype(np.float64)
    blended = np.empty_like(rig.program.rest)
    linear(rig.program.rest, rig.program.nets.bones, rig.program.nets.weights, rig.transforms, blended)
    made = []
    for part in parts:
        block = rig.program.blocks[part]
        rows = slice(block.start, block.start + block.count)
        apart = posed[rows] - blended[rows]
        if np.abs(apart).max() < LEAST:
            continue
        turns = (
            rig.transforms[rig.program.nets.bones[rows]].astype(np.float64) * rig.program.nets.weights[rows][..., None]
        ).sum(1)
        c, s = turns[:, 0], turns[:, 1]
        scale = np.maximum(c * c + s * s, 1e-6)
        offsets = np.stack([c * apart[:, 0] + s * apart[:, 1], c * apart[:, 1] - s * apart[:, 0]], 1) / scale[:, None]
        made.append((part, offsets))
    return made
