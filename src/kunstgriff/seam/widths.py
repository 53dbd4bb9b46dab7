"""Two pieces of a limb that are not as wide at their joint: the narrower one widens towards it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np

from kunstgriff.artwork.limbs import reach
from kunstgriff.artwork.outline import part_solid
from kunstgriff.figure.edit import Edit, EditRefused, need_bone
from kunstgriff.figure.model import Bone, Figure, Part, Rigid
from kunstgriff.figure.stores import Stores
from kunstgriff.figure.treatments import Reach
from kunstgriff.seam.cap import caps_at, needs_cap, round_end, with_caps, without_caps
from kunstgriff.seam.joints import need_meeting, pair_at

DIFFER = 0.06  # of the wider piece's half width by which the other is narrower; as a silhouette is tolerated
STRANGE = 0.6  # of it under which to widen the other would draw another figure
LONG = 1.5  # half widths over which a piece widens at least
GENTLE = 5.0  # px of length for each px it widens: the outline turns by 17 degrees at most
OF_THE_PIECE = 0.6  # of its length that may be widened


@dataclass(frozen=True)
class Widths:
    """The `wide` and the `narrow` piece at a joint, half their widths there (px), and over how many px the narrow one
    would widen."""

    wide: Part
    narrow: Part
    wider: float
    narrower: float
    widens: float


def widths_at(figure: Figure, bone: Bone, stores: Stores) -> Widths | None:
    """How two pieces differ in width at a bone's joint; None where they do not, where the joint lies off the middle of
    the wider one, or the narrower one is bent by its bones."""
    pair = pair_at(figure, bone, stores)
    if pair is None:
        return None
    ends = {part.id: round_end(part, bone, stores) for part in pair}
    narrow, wide = sorted(pair, key=lambda part: ends[part.id].half)
    small, large = ends[narrow.id], ends[wide.id]
    centred = abs(large.left - large.right) <= 2 * DIFFER * large.half
    if not (isinstance(narrow.binding, Rigid) and centred and STRANGE < small.half / large.half < 1 - DIFFER):
        return None
    length = reach(part_solid(narrow, stores), small.at, np.array(small.axis))
    over = min(max(LONG * large.half, GENTLE * (large.half - small.half)), OF_THE_PIECE * length)
    return Widths(wide, narrow, large.half, small.half, round(over, 1)) if over > 0 else None


class BlendWidths(Edit):
    """Widen the narrower of two pieces towards the joint where they meet, so that their outlines go over into another.

    Both ends are made round about the joint.

    `over` (px) is how far from the joint the piece has its own width again; left out, it is chosen. The drawings
    without are kept. Refused where both are as wide.
    """

    kind: Literal["blend_widths"] = "blend_widths"
    bone: str
    over: Reach | None = None

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        bone = need_bone(figure, self.bone)
        need_meeting(figure, bone, stores)
        figure = without_caps(figure, caps_at(figure, bone.id), stores)
        found = widths_at(figure, bone, stores)
        if found is None:
            raise EditRefused(
                f"There is nothing to blend at the joint of “{bone.name}”: both pieces are as wide there, or the joint "
                "lies off the middle of the wider one."
            )
        if needs_cap(found.wide, bone, stores):
            figure = with_caps(figure, bone, stores, (found.wide,))
        return with_caps(figure, bone, stores, (found.narrow,), found.wider, self.over or found.widens)

    def describe(self, figure: Figure) -> str:
        return f"blend the widths at {need_bone(figure, self.bone).name}"
