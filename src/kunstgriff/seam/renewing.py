"""Treatments when a drawing changed: the recipe stays, its pictures are made anew from the new one."""

from __future__ import annotations

import math
from contextlib import suppress

from kunstgriff.binding.copying import similarity
from kunstgriff.figure.edit import EditRefused
from kunstgriff.figure.model import Figure, Part, Point
from kunstgriff.figure.references import carried, renamed, walk
from kunstgriff.figure.stores import Stores
from kunstgriff.figure.treatments import (
    Cap,
    Clip,
    Cover,
    Fold,
    Gusset,
    InkCut,
    Opening,
    Order,
    Stacking,
    StandIn,
    Treatment,
    Trim,
)  # fmt: skip
from kunstgriff.seam.cap import LayCap
from kunstgriff.seam.cover_edits import LayCover
from kunstgriff.seam.gusset import LayGusset
from kunstgriff.seam.joints import follows_most
from kunstgriff.seam.recipes import made_anew, new_id, with_treatment
from kunstgriff.seam.stand_in import drawn_anew
from kunstgriff.seam.trim import CutInk, LayTrim
from kunstgriff.seam.widths import BlendWidths

BY_HAND = (Opening, Clip, Fold, Order, Stacking, StandIn, Trim)  # what lies on a part as it was told to, joint or none


def remake_treatments(figure: Figure, before: Part, ref: str, stores: Stores) -> Figure:
    """Make the treatments that need this part anew, and draw the pieces made of it anew."""
    figure = made_anew(figure, [ref], stores)
    for stand_in in figure.treated("stand_in"):
        if stand_in.made and ref in stand_in.parts:
            figure = drawn_anew(figure, stand_in, stores)
    return figure


def treatments_at_rest(before: Figure, after: Figure, stores: Stores) -> Figure:
    """Lines drawn on parts go along with the bones those follow; treatments of redrawn parts are made anew."""
    after = after.replace(treatments=tuple(_carried(one, before, after, stores) for one in after.treatments))
    changed = [
        part.id for part in after.parts if (was := before.part(part.id)) and was.drawing.picture != part.drawing.picture
    ]
    return made_anew(after, changed, stores) if changed else after


def _carried(one: Treatment, before: Figure, after: Figure, stores: Stores) -> Treatment:
    """A treatment with its places carried as the bone is that its part follows most."""
    part = before.part(str(getattr(one, "part", getattr(one, "source", ""))))
    placed = part is not None and any(found.means.kind == "place" for found in walk(one))
    follows = follows_most(part, stores) if placed and part is not None else None
    was, now = (figure.bone(follows) if follows else None for figure in (before, after))
    if was is None or now is None:
        return one
    turn = now.direction - was.direction
    cosine, sine = math.cos(turn), math.sin(turn)

    def along(point: Point) -> Point:
        x, y = point[0] - was.joint[0], point[1] - was.joint[1]
        return now.joint[0] + cosine * x - sine * y, now.joint[1] + sine * x + cosine * y

    return carried(one, along)


def treatments_alike(figure: Figure, bones: dict[str, str], parts: dict[str, str], stores: Stores) -> Figure:
    """Treatments at the joints of one limb laid at those of the other too, by its own width and drawing; what was laid
    by hand lies on the other part as on the one."""
    for treatment in figure.treatments:
        if all(parts.get(ref) == ref for ref in treatment.used_parts) and all(
            bones.get(ref) == ref for ref in treatment.used_bones
        ):
            continue  # it is there
        whole = treatment.used_bones <= bones.keys() and treatment.used_parts <= parts.keys()
        if isinstance(treatment, Cover) and whole:
            edit = LayCover(
                bone=bones[treatment.bone], source=parts[treatment.source], over=parts[treatment.over],
                whole=treatment.radius is None, half_line=treatment.half_line, inks=treatment.inks,
                blend=treatment.blend,
            )  # fmt: skip
            figure = edit.apply(figure, stores)
        elif isinstance(treatment, Trim) and treatment.bone is not None:
            if whole:
                trim = LayTrim(
                    bone=bones[treatment.bone], part=parts[treatment.part], by=parts[treatment.by],
                    whole=treatment.whole, everywhere=treatment.radius is None, inks=treatment.inks,
                )  # fmt: skip
                figure = trim.apply(figure, stores)
        elif isinstance(treatment, Gusset) and whole:
            figure = LayGusset(bone=bones[treatment.bone], share=treatment.share, inks=treatment.inks).apply(
                figure, stores
            )
        elif isinstance(treatment, InkCut) and whole:
            figure = CutInk(parts=tuple(parts[ref] for ref in treatment.parts), inks=treatment.inks).apply(
                figure, stores
            )
        elif isinstance(treatment, Cap) and whole:
            like = (
                BlendWidths(bone=bones[treatment.bone])
                if treatment.widens is not None
                else LayCap(bone=bones[treatment.bone])
            )
            with suppress(EditRefused):  # an end that is round there needs none, and one edit lays both
                figure = like.apply(figure, stores)
        elif (
            isinstance(treatment, BY_HAND) and treatment.part in parts and (whole or not isinstance(treatment, StandIn))
        ):
            figure = _copied(figure, treatment, bones, parts, stores)
    return figure


def _copied(figure: Figure, one: Treatment, bones: dict[str, str], parts: dict[str, str], stores: Stores) -> Figure:
    """The figure with a treatment done to the other limb's part as it is to this one's, unless it is already."""
    part, other = (figure.part(ref) for ref in (one.part, parts[one.part]))  # type: ignore[union-attr]
    assert part is not None
    assert other is not None
    there = similarity(figure, part, other, stores)
    copy = renamed(carried(one, there.take), {**bones, **parts}).model_copy(update={"id": new_id(figure)})
    if there.mirrored and (switch := getattr(copy, "switch", None)) is not None:
        copy = copy.model_copy(update={"switch": switch.mirrored})
    if any(_by_hand(copy) == _by_hand(there) for there in figure.treatments):
        return figure
    return with_treatment(figure, copy, stores)


def _by_hand(one: Treatment) -> dict[str, object]:
    """What a treatment was told, without what its recipe made of it."""
    made = {found.path[0] for found in walk(one) if found.means.kind in ("id", "picture")}
    return {name: getattr(one, name) for name in type(one).model_fields if name not in made}
