"""Treatments when a drawing changed: the recipe stays, its pictures are made anew from the new one."""

from __future__ import annotations

import math

from kunstgriff.figure.model import Bone, Figure, Part, Point
from kunstgriff.figure.renewal import renewer, rest_setter, setup_copier
from kunstgriff.figure.stores import Stores
from kunstgriff.figure.treatments import Cover, Gusset, InkCut, Order, StandIn, Treatment, Trim, placed
from kunstgriff.seam.cover_edits import LayCover
from kunstgriff.seam.gusset import LayGusset
from kunstgriff.seam.joints import follows_most
from kunstgriff.seam.recipes import made_anew, new_id, with_treatment
from kunstgriff.seam.stand_in import drawn_anew
from kunstgriff.seam.trim import CutInk, LayTrim


@renewer(50)
def remake_treatments(figure: Figure, before: Part, ref: str, stores: Stores) -> Figure:
    """Make the treatments that need this part anew, and draw the pieces made of it anew."""
    figure = made_anew(figure, [ref], stores)
    for one in figure.treated("stand_in"):
        if one.made and ref in one.parts:
            figure = drawn_anew(figure, one, stores)
    return figure


@rest_setter
def treatments_at_rest(before: Figure, after: Figure, stores: Stores) -> Figure:
    """Lines drawn on parts go along with the bones those follow; treatments of redrawn parts are made anew."""
    after = after.replace(treatments=tuple(_carried(one, before, after, stores) for one in after.treatments))
    changed = [part.id for part in after.parts if (was := before.part(part.id)) and was.picture != part.picture]
    return made_anew(after, changed, stores) if changed else after


def _carried(one: Treatment, before: Figure, after: Figure, stores: Stores) -> Treatment:
    """A treatment with its places carried as the bone is that its part follows most."""
    part = before.part(str(getattr(one, "part", getattr(one, "source", ""))))
    follows = follows_most(part, stores) if one.places and part is not None else None
    was, now = (figure.bone(follows) if follows else None for figure in (before, after))
    if was is None or now is None:
        return one
    turn = _heading(now) - _heading(was)
    cosine, sine = math.cos(turn), math.sin(turn)

    def carried(point: Point) -> Point:
        x, y = point[0] - was.joint[0], point[1] - was.joint[1]
        return now.joint[0] + cosine * x - sine * y, now.joint[1] + sine * x + cosine * y

    return one.model_copy(update=placed(one, carried))


def _heading(bone: Bone) -> float:
    return math.atan2(bone.tip[1] - bone.joint[1], bone.tip[0] - bone.joint[0])


@setup_copier
def treatments_alike(figure: Figure, bones: dict[str, str], parts: dict[str, str], stores: Stores) -> Figure:
    """Treatments at the joints of one limb laid at those of the other too, by its own width and drawing."""
    for one in figure.treatments:
        if not (one.used_bones <= bones.keys() and one.used_parts <= parts.keys()):
            continue
        if isinstance(one, Cover):
            edit = LayCover(
                bone=bones[one.bone], source=parts[one.source], over=parts[one.over], whole=one.radius is None,
                half_line=one.half_line, inks=one.inks, blend=one.blend,
            )  # fmt: skip
            figure = edit.apply(figure, stores)
        elif isinstance(one, Trim) and one.bone is not None:
            trim = LayTrim(
                bone=bones[one.bone], part=parts[one.part], by=parts[one.by], whole=one.whole,
                everywhere=one.radius is None, inks=one.inks,
            )  # fmt: skip
            figure = trim.apply(figure, stores)
        elif isinstance(one, Gusset):
            figure = LayGusset(bone=bones[one.bone], share=one.share, inks=one.inks).apply(figure, stores)
        elif isinstance(one, InkCut):
            figure = CutInk(parts=tuple(parts[ref] for ref in one.parts), inks=one.inks).apply(figure, stores)
        elif isinstance(one, StandIn | Order):
            switch = one.switch.model_copy(update={"bone": bones[one.switch.bone]})
            changes: dict[str, object] = {"part": parts[one.part], "id": new_id(figure), "switch": switch}
            if isinstance(one, StandIn):
                changes["parts"] = tuple(parts[ref] for ref in one.parts)
            else:
                changes["in_front_of"] = parts[one.in_front_of]
            figure = with_treatment(figure, one.model_copy(update=changes), stores)
    return figure
