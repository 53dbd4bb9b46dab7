"""What two parts are that meet at a joint, as a person says: one limb, one over the other, or a hinge."""

from __future__ import annotations

from typing import Literal

from kunstgriff.figure.edit import BoneKeys, Edit, EditRefused, need_bone
from kunstgriff.figure.model import Figure, Meeting, MeetingKind
from kunstgriff.figure.stores import Stores
from kunstgriff.seam.joints import need_meeting
from kunstgriff.seam.treating import like_of

WORDS = {
    "limb": "one limb",
    "lies_over": "one over the other",
    "lies_under": "one under the other",
    "hinge": "a hinge that shows",
}


class SayMeeting(Edit):
    """Say what the parts are that meet at some bones' joints; without `meets_as` it is told by their looks again.

    With `alike` the same holds at the joint of the same name on the other side.
    """

    kind: Literal["say_meeting"] = "say_meeting"
    bones: BoneKeys
    meets_as: MeetingKind | None = None
    alike: bool = False

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        said = {}
        for key in self.bones:
            bone = need_bone(figure, key)
            need_meeting(figure, bone, stores)
            said[bone.id] = self.meets_as
            like = like_of(figure, bone, stores) if self.alike else None
            if like is not None:
                said.setdefault(like.id, self.meets_as)
        kept = tuple(one for one in figure.meetings if one.bone not in said)
        new = tuple(Meeting(bone=ref, kind=kind) for ref, kind in said.items() if kind is not None)
        if {*kept, *new} == set(figure.meetings):
            raise EditRefused("That is how these joints are taken already.")
        return figure.replace(meetings=(*kept, *new))

    def describe(self, figure: Figure) -> str:
        one = len(self.bones) == 1
        names = f"the joint of {need_bone(figure, self.bones[0]).name}" if one else f"{len(self.bones)} joints"
        return f"take {names} as {WORDS[self.meets_as]}" if self.meets_as else f"tell {names} by its looks"
