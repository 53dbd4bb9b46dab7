"""Covers laid and lifted; any treatment taken off again."""

from __future__ import annotations

from typing import Any, Literal

from kunstgriff.figure.edit import Edit, EditRefused, need_bone, need_part
from kunstgriff.figure.model import Figure
from kunstgriff.figure.sets import in_place_of
from kunstgriff.figure.stores import Stores
from kunstgriff.figure.treatments import Cover, Inks, Reach, Softness
from kunstgriff.seam.cap import round_end, without_caps
from kunstgriff.seam.drawn import bare_picture, drawn, faded, fill_picture, near_joint
from kunstgriff.seam.joints import fills_differ, limit_at, need_pair, need_unstraightened
from kunstgriff.seam.recipes import UNMADE, kept_picture, made_anew, new_id, with_treatment


def made_cover(figure: Figure, cover: Cover, stores: Stores) -> dict[str, Any]:
    """The pictures of a cover, from its parts as they are drawn now. Raises EditRefused where nothing is left."""
    source, bone = figure.part(cover.source), figure.bone(cover.bone)
    assert source is not None
    assert bone is not None
    near = near_joint(bone.joint, source.drawing.place, cover.radius, cover.soft)
    picture = fill_picture(*drawn(figure, source, stores, cover.inks), near, cover.half_line)
    if not cover.blend:
        return {"picture": kept_picture(picture, stores), "fill": None, "bare": None}
    over = need_part(figure, cover.over)
    return {
        "picture": kept_picture(faded(picture, round_end(source, bone, stores)), stores),
        "fill": kept_picture(picture, stores),
        "bare": kept_picture(bare_picture(*drawn(figure, over, stores, cover.inks)), stores),
    }


class LayCover(Edit):
    """At a bone's joint, lay an ink-less copy of the part behind in front of the part before it.

    The two parts are those that follow the bone and its parent and lie at the joint; `source` and `over` name them
    otherwise. `radius` and `soft` (px) limit the copy to the joint; left out, they follow the limb's width. `whole`
    copies the whole part. `half_line` ends the copy where the part's line begins; `inks` are the lines it is without.
    `blend` lets the two fills go over into one another; left out, that is done where they differ at the joint.
    """

    kind: Literal["lay_cover"] = "lay_cover"
    bone: str
    source: str | None = None
    over: str | None = None
    radius: Reach | None = None
    soft: Softness | None = None
    whole: bool = False
    half_line: bool = True
    inks: Inks | None = None
    blend: bool | None = None

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        bone = need_bone(figure, self.bone)
        source, over = need_pair(figure, bone, stores, self.source, self.over)
        need_unstraightened(source)
        radius, soft = limit_at((source, over), bone, stores)
        cover = Cover(
            id=new_id(figure),
            bone=bone.id,
            source=source.id,
            over=over.id,
            radius=None if self.whole else self.radius or radius,
            soft=soft if self.soft is None else self.soft,
            half_line=self.half_line,
            inks=self.inks,
            blend=fills_differ((source, over), bone, stores) if self.blend is None else self.blend,
            picture=UNMADE,
        )
        return with_treatment(
            figure,
            cover,
            stores,
            lambda one: (
                isinstance(one, Cover)
                and (one.bone, one.source) == (bone.id, source.id)
                and not in_place_of(figure, one.used_parts, cover.used_parts)
            ),
        )

    def describe(self, figure: Figure) -> str:
        return f"cover at {need_bone(figure, self.bone).name}"


class LiftCover(Edit):
    """Take covers off a bone's joint again."""

    kind: Literal["lift_cover"] = "lift_cover"
    bone: str

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        bone = need_bone(figure, self.bone)
        left = tuple(one for one in figure.treatments if not (isinstance(one, Cover) and one.bone == bone.id))
        if len(left) == len(figure.treatments):
            raise EditRefused(f"No cover lies at the joint of “{bone.name}”.")
        return figure.replace(treatments=left)

    def describe(self, figure: Figure) -> str:
        return f"lift the cover at {need_bone(figure, self.bone).name}"


class LiftTreatment(Edit):
    """Take one treatment off again."""

    kind: Literal["lift_treatment"] = "lift_treatment"
    treatment: str

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        left = tuple(one for one in figure.treatments if one.id != self.treatment)
        if len(left) == len(figure.treatments):
            raise EditRefused(f"There is no treatment “{self.treatment}”.")
        caps = tuple(one for one in figure.treated("cap") if one.id == self.treatment)
        if caps:
            return without_caps(figure, caps, stores)
        refs = {ref for one in figure.treatments if one.id == self.treatment for ref in one.used_parts}
        return made_anew(figure.replace(treatments=left), refs, stores)

    def describe(self, figure: Figure) -> str:
        kinds = [one.kind for one in figure.treatments if one.id == self.treatment]
        return f"take the {kinds[0].replace('_', ' ')} off" if kinds else "take a treatment off"
