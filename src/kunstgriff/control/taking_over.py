"""From reaching to plain turns and back, without the picture moving."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from kunstgriff.control.chains import uneased as uneased_distance
from kunstgriff.control.driving import TurnDriving
from kunstgriff.control.reaching import ALONG, OWN, Chain, Reaching
from kunstgriff.evaluate.state import RigState, compile_rig
from kunstgriff.figure.channels import addressed, parted
from kunstgriff.figure.controls import Aim, Reach
from kunstgriff.figure.edit import EditRefused
from kunstgriff.figure.model import Figure
from kunstgriff.figure.pose import Pose
from kunstgriff.figure.stores import Stores
from kunstgriff.skeleton.kinematics import posed, uneased

Floats = NDArray[np.float64]


def numbers_of(rig: RigState, one: Aim) -> Chain:
    """A reach, a look or a counter as numbers. Raises EditRefused where it is on no chain any more."""
    reaches = rig.program.figure.reaches
    for chain in (each for node in rig.program.nodes if isinstance(node, Reaching) for each in node.chains):
        if reaches[chain.number].id == one.id:
            return chain
    raise EditRefused(f"“{one.name}” is on no chain that reaches.")


def _at_rest(rig: RigState, chain: Chain, goal: Floats, number: float) -> Floats:
    """Where a goal (2,) as it is posed lies at rest, hung on what has that number."""
    rows, weights = chain.hung(number)
    if rows[0] < 0:
        return goal
    matrix = np.array(weights) @ rig.matrices[list(rows)]
    return np.asarray(np.linalg.solve(matrix[:4].reshape(2, 2).T, goal - matrix[4:]))


def as_hung(rig: RigState, pose: Pose, one: Aim, number: int) -> Pose:
    """The pose with the goal hung on what has that number (0: what it hangs on at rest), where it is now."""
    chain = numbers_of(rig, one)
    rig.evaluate(pose)
    x, y = (_at_rest(rig, chain, rig.goals[chain.number].copy(), number) - chain.rest).tolist()
    channels = {addressed(one.id, "goal.x"): x, addressed(one.id, "goal.y"): y, addressed(one.id, "hang"): number}
    return pose.merged(Pose(channels=channels)).sparse()


def as_plain(rig: RigState, pose: Pose) -> Pose:
    """The pose with all that reaches, levers and laid-on shapes make of it said by the channels of bones, parts, groups
    and handles themselves, for a figure without them. What turns of bones drive is left to them; what shapes pull at
    the art no channel says."""
    program = rig.program
    figure, channels = program.figure, dict[str, float]()
    rig.set_pose(pose)
    for node in program.dependence.before:
        if isinstance(node, TurnDriving):
            break
        node.run(rig)
    controls = {one.id for some in (figure.reaches, figure.levers, figure.shapes) for one in some}
    for address, place in program.channels.index.items():
        ref = parted(address)[0]
        if ref not in controls and ref not in program.bone_index:
            channels[address] = float(rig.values[place])
    for bone, turned, grown, moved in zip(figure.bones, rig.turned, rig.grown, rig.moved, strict=True):
        limits = bone.limits
        turn = float(turned)
        if limits is not None:
            turn = uneased(turn, limits.low, limits.high, limits.soft)
        channels[addressed(bone.id, "turn")] = turn
        for name, value in zip(("stretch.along", "stretch.across"), grown.tolist(), strict=True):
            channels[addressed(bone.id, name)] = value
        for name, value in zip(("move.x", "move.y"), moved.tolist(), strict=True):
            channels[addressed(bone.id, name)] = value
    return Pose(channels=channels).sparse()


def plain_poses(figure: Figure, stores: Stores) -> dict[str, Pose]:
    """The kept poses by name, each as it is said without controls."""
    poses = {kept.name: figure.pose_of(kept) for kept in figure.poses}
    if not poses or not (figure.reaches or figure.levers or figure.shapes):
        return poses
    rig = compile_rig(figure, stores)
    return {name: as_plain(rig, pose) for name, pose in poses.items()}


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
    spots = posed(np.vstack([skeleton.joints[chain.chain], chain.rest]), carriers)
    length = float(np.hypot(*np.diff(spots, axis=0).T).sum())
    away = spots[-1] - spots[0]
    distance = float(np.hypot(*away))
    goal = spots[0] + away * (uneased_distance(distance, length, chain.soft) / max(distance, 1e-9))
    x, y = (_at_rest(rig, chain, goal, pose.channels.get(addressed(one.id, "hang"), 0.0)) - chain.rest).tolist()
    channels = {addressed(one.id, "goal.x"): x, addressed(one.id, "goal.y"): y, addressed(one.id, "share"): 1.0}
    if chain.foot >= 0:
        foot = addressed(figure.bones[chain.foot].id, "turn")
        turned = plain.channels.get(foot, 0.0)
        if chain.foot_goes != ALONG:
            rows, _ = chain.hung(pose.channels.get(addressed(one.id, "hang"), 0.0))
            own = rig.angles[rows[0]] if chain.foot_goes == OWN and rows[0] >= 0 else 0.0
            turned = math.remainder(math.degrees(rig.angles[chain.foot] - own), 360)
        channels |= {addressed(one.id, "foot"): turned, foot: 0.0}
    return plain.merged(Pose(channels=channels)).sparse()
