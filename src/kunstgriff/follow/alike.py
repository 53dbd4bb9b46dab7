"""Settings of one joint given to many: limits, springs and treatments of eight legs in one go."""

from __future__ import annotations

from contextlib import suppress
from typing import Annotated, Literal

from pydantic import Field

from kunstgriff.figure.edit import BoneKeys, Edit, EditRefused, need_bone
from kunstgriff.figure.model import Figure, Spring
from kunstgriff.figure.stores import Stores
from kunstgriff.follow.edits import RemoveSpring, springy, with_spring
from kunstgriff.seam.joints import pair_at
from kunstgriff.seam.treating import treated, treatment_now
from kunstgriff.skeleton.edits import with_all_bones

What = Literal["limits", "spring", "treatment"]


class GiveSettings(Edit):
    """Give the limits, the spring or the treatment of one bone's joint, or several of them, to other bones.

    A bone without a spring takes springs off; where no two parts meet, treatments are left as they are.
    """

    kind: Literal["give_settings"] = "give_settings"
    bone: str
    to: BoneKeys
    what: Annotated[tuple[What, ...], Field(min_length=1, max_length=3)] = ("limits", "spring", "treatment")

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        bone = need_bone(figure, self.bone)
        others = [one for one in (need_bone(figure, key) for key in self.to) if one.id != bone.id]
        if not others:
            raise EditRefused(f"Choose other bones than “{bone.name}” to give its settings to.")
        after = figure
        if "limits" in self.what:
            after = with_all_bones(after, tuple(one.id for one in others), limits=bone.limits)
        if "spring" in self.what:
            spring = next((one for one in figure.springs if bone.id in one.bones), None)
            for other in others:
                after = self._sprung(after, other.id, spring, stores)
        treatment = treatment_now(figure, bone.id)
        if "treatment" in self.what and treatment is not None and pair_at(figure, bone, stores) is not None:
            for other in others:
                if pair_at(after, other, stores) is not None and treatment_now(after, other.id) != treatment:
                    with suppress(EditRefused):  # ends that are round already need no caps
                        after = treated(after, other.id, treatment, stores)
        if after == figure:
            raise EditRefused("They are set so already.")
        return after

    def _sprung(self, figure: Figure, ref: str, spring: Spring | None, stores: Stores) -> Figure:
        """The figure with a bone's chain as springy as another's, or not at all."""
        if any(ref in one.bones for one in figure.springs):
            figure = RemoveSpring(bone=ref).apply(figure, stores)
        if spring is None:
            return figure
        figure, made = springy(figure, ref)
        kept = {"id": made.id, "bones": made.bones, "hung": None, "tied": ()}
        return with_spring(figure, spring.model_copy(update=kept))

    def describe(self, figure: Figure) -> str:
        return f"settings of {need_bone(figure, self.bone).name} for others"
