"""From reaching to plain turns and back, without the picture moving."""

from __future__ import annotations

import math

import numpy as np

from kunstgriff.control.chains import uneased
from kunstgriff.control.reaching import Chain, Reaching
from kunstgriff.evaluate.state import RigState
from kunstgriff.figure.channels import addressed
from kunstgriff.figure.controls import Reach
from kunstgriff.figure.edit import EditRefused
from kunstgriff.figure.pose import Pose
from kunstgriff.skeleton.kinematics import posed


def numbers_of(rig: RigState, one: Reach) -> Chain:
    """A reach as numbers. Raises EditRefused where it is on no chain any more."""
    reaches = rig.program.figure.reaches
    for chain in (each for node in rig.program.nodes if isinstance(node, Reaching) for each in node.chains):
        if reaches[chain.number].id == one.id:
            return chain
    raise EditRefused(f"“{one.name}” is on no chain that reaches.")


def as_turned(rig: RigState, pose: Pose, one: Reach) -> Pose:
    """The pose with what a reach does done by the bones' own turns and stretches, and the reach left out."""
    chain = numbers_of(rig, one)
    rig.evaluate(pose)
    channels = {addressed(one.id, "share"): 0.0}
    for row in chain.turned:
        ref = rig.program.figure.bones[row].id
        channels[addressed(ref, "turn")] = float(rig.turned[row])
        channels[addressed(ref, "stretch.along")] = float(rig.grown[row, 0])
    return pose.merged(Pose(channels=channels)).sparse()


def as_reached(rig: RigState, pose: Pose, one: Reach) -> Pose:
    """The pose with the goal where the end of the chain lies now, and the reach as it is in full."""
    chain = numbers_of(rig, one)
    plain = as_turned(rig, pose, one)
    rig.evaluate(plain)
    skeleton, figure = rig.program.skeleton, rig.program.figure
    carriers = rig.matrices[[*chain.chain, chain.chain[-1]]]
    spots = posed(np.vstack([skeleton.joints[chain.chain], chain.tip]), carriers)
    length = float(np.hypot(*np.diff(spots, axis=0).T).sum())
    away = spots[-1] - spots[0]
    distance = float(np.hypot(*away))
    goal = spots[0] + away * (uneased(distance, length, chain.soft) / max(distance, 1e-9))
    if chain.hangs_on >= 0:
        matrix = rig.matrices[chain.hangs_on]
        goal = np.linalg.solve(matrix[:4].reshape(2, 2).T, goal - matrix[4:])
    x, y = (goal - chain.tip).tolist()
    channels = {addressed(one.id, "goal.x"): x, addressed(one.id, "goal.y"): y, addressed(one.id, "share"): 1.0}
    if chain.foot >= 0:
        foot = addressed(figure.bones[chain.foot].id, "turn")
        turned = (
            math.remainder(math.degrees(rig.angles[chain.foot]), 360) if chain.level else plain.channels.get(foot, 0.0)
        )
        channels |= {addressed(one.id, "foot"): turned, foot: 0.0}
    return plain.merged(Pose(channels=channels)).sparse()
