"""A pose with sides changed: what the one side does, the other does, and the other way round."""

from __future__ import annotations

from kunstgriff.figure.mirroring import mirrored_pose, other_sides
from kunstgriff.figure.model import Figure
from kunstgriff.figure.pose import Pose


def faces_us(figure: Figure) -> bool:
    """Whether the sides lie as in a mirror, as those of a figure seen from the front or back do. In one seen from the
    side they lie behind one another, and limbs of a pair point the same way."""
    other, bones = other_sides(figure), {bone.id: bone for bone in figure.bones}
    alike = 0.0
    for ref, bone in bones.items():
        like = bones.get(other.get(ref, ""))
        if like is not None:
            alike += bone.across * like.across
    return alike < 0


def mirrored(figure: Figure, pose: Pose) -> Pose:
    """The pose with sides changed, as in a mirror where the figure faces us; else each side does what the other did."""
    if faces_us(figure):
        return mirrored_pose(figure, pose)
    return pose.by_id(figure).swapped(other_sides(figure))
