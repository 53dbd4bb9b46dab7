"""What becomes of controls when the rest pose becomes another one, and when a set-up is copied."""

from __future__ import annotations

import math
from contextlib import suppress

from kunstgriff.control.curves import value_of, with_rest
from kunstgriff.control.edits import side_of, with_reach
from kunstgriff.control.reaching import chain_of
from kunstgriff.figure.channels import parted, quantities
from kunstgriff.figure.controls import Drive, Knot
from kunstgriff.figure.edit import EditRefused, free_name
from kunstgriff.figure.model import Bone, Figure
from kunstgriff.figure.sides import other_side
from kunstgriff.figure.stores import Stores

STILL = 1e-6  # degrees


def turns_at_rest(before: Figure, after: Figure, stores: Stores) -> Figure:
    """Curves by which turns of bones drive, counted from where the bones are turned at rest now: what they moved by
    then is drawn into the figure."""
    driven = []
    for one in after.by_turns:
        turned = _turn(after, one.bone) - _turn(before, one.bone)
        turned = math.degrees(math.remainder(turned, 2 * math.pi))
        if abs(turned) > STILL:
            one = one.model_copy(update={"drives": tuple(_from(drive, turned) for drive in one.drives)})
        driven.append(one)
    return after.replace(by_turns=tuple(driven))


def _turn(figure: Figure, ref: str) -> float:
    """How a bone lies against its parent, rad."""
    bone = figure.bone(ref)
    assert bone is not None
    parent = figure.bone(bone.parent) if bone.parent is not None else None
    return _way(bone) - (_way(parent) if parent is not None else 0.0)


def _way(bone: Bone) -> float:
    return math.atan2(bone.tip[1] - bone.joint[1], bone.tip[0] - bone.joint[0])


def _from(drive: Drive, turned: float) -> Drive:
    if quantities()[parted(drive.channel)[1]].stepped:
        points = [(knot.at - turned, knot.by) for knot in drive.knots if knot.at or knot.by]
    else:
        now = value_of(drive, turned)
        points = [(knot.at - turned, knot.by - now) for knot in drive.knots if abs(knot.at - turned) > STILL]
    points = with_rest(points)
    return drive.model_copy(update={"knots": tuple(Knot(at=at, by=by) for at, by in points)})


def reaches_alike(figure: Figure, bones: dict[str, str], parts: dict[str, str], stores: Stores) -> Figure:
    """Reaches of one limb laid on the other too, bent to the side that is its own."""
    for one in figure.reaches:
        chain = chain_of(figure, one.tip, one.bones)
        other = bones.get(one.tip)
        if other in (None, one.tip) or not all(bone.id in bones for bone in chain):
            continue
        with suppress(EditRefused):  # it reaches already
            there = chain_of(figure, bones[one.tip], one.bones)
            same = side_of(there) == side_of(chain)
            flipped = "clockwise" if one.side == "counterclockwise" else "counterclockwise"
            copy = one.model_copy(
                update={
                    "id": f"k{figure.next_id}",
                    "name": free_name(other_side(one.name, figure.sides), {each.name for each in figure.reaches}),
                    "tip": bones[one.tip],
                    "side": one.side if same else flipped,
                    "hangs_on": bones.get(one.hangs_on, one.hangs_on) if one.hangs_on is not None else None,
                    "foot": bones.get(one.foot) if one.foot is not None else None,
                }
            )
            figure = with_reach(figure, copy)
    return figure
