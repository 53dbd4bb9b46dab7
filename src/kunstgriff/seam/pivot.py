"""Where a joint would have to lie for the outlines of its two parts to go over into one another as it turns.

Two pieces turned about a spot off their middle cannot look like one limb both ways: what is round for the further side
stands out when the nearer one is outside (plane geometry; see `artwork/ends.py`).
"""

from __future__ import annotations

import math

import numpy as np
from shapely import affinity, maximum_inscribed_circle

from kunstgriff.artwork.outline import part_solid
from kunstgriff.figure.edit import EditRefused
from kunstgriff.figure.model import Bone, Figure, Point, Rigid
from kunstgriff.figure.stores import Stores
from kunstgriff.seam.cap import round_end
from kunstgriff.seam.joints import pair_at
from kunstgriff.skeleton.edits import MoveJoint

OFF = 0.06  # half widths off the limb's middle from which a joint shows; as a silhouette is tolerated
FAR = 1.2  # half widths beyond which another spot is another joint


def better_pivot(figure: Figure, bone: Bone, stores: Stores) -> Point | None:
    """The spot a bone's joint should be moved to, to a tenth of a px: the middle of the circle that fits into both
    parts where they overlap, or of both limbs there. None where it lies well, or the parts are bent by their bones."""
    pair = pair_at(figure, bone, stores)
    if pair is None or not all(isinstance(one.binding, Rigid) for one in pair):
        return None
    ends = [round_end(part, bone, stores) for part in pair]
    half = min(end.half for end in ends)
    middle = np.mean([np.add(end.middle, part.drawing.place) for end, part in zip(ends, pair, strict=True)], axis=0)
    first, second = (affinity.translate(part_solid(part, stores), *part.drawing.place) for part in pair)
    overlap = first.intersection(second)
    if overlap.area > 0:
        circle = maximum_inscribed_circle(overlap, tolerance=0.25)
        if circle.length > (1 - OFF) * half:  # round ends lie over one another as far as a circle goes
            middle = np.asarray(circle.coords[0])
    if not OFF * half < math.dist(middle, bone.joint) < FAR * half:
        return None
    return round(float(middle[0]), 1), round(float(middle[1]), 1)


def with_joint_at(figure: Figure, bone: Bone, to: Point, stores: Stores) -> Figure:
    """The figure with a bone's joint, and what sits on it, moved. Raises EditRefused where a bone may not be."""
    if math.dist(to, bone.joint) == 0:
        raise EditRefused(f"The joint of “{bone.name}” lies there already.")
    return MoveJoint(bone=bone.id, to=to).apply(figure, stores)
