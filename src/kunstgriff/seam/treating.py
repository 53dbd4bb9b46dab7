"""Joints treated in one go: each as was chosen for it, and its like on the other side alike."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Field, model_validator

from kunstgriff.figure.edit import Edit, EditRefused, need_bone
from kunstgriff.figure.model import Bone, Figure, Point, Value
from kunstgriff.figure.sets import waiting
from kunstgriff.figure.sides import other_side
from kunstgriff.figure.stores import Stores
from kunstgriff.figure.treatments import Order, hides_line
from kunstgriff.seam.cap import LayCap, caps_at, without_caps
from kunstgriff.seam.cover_edits import LayCover
from kunstgriff.seam.gusset import LayGusset
from kunstgriff.seam.joints import need_pair, pair_at
from kunstgriff.seam.pivot import better_pivot, with_joint_at
from kunstgriff.seam.trim import LayTrim
from kunstgriff.seam.widths import BlendWidths

JointTreatment = Literal["nothing", "cover", "trim", "gusset", "cap", "cap_cover", "cap_trim", "blend_cover"]
TREATMENTS: tuple[JointTreatment, ...] = (
    "nothing",
    "cover",
    "trim",
    "gusset",
)  # as the ends are drawn, the simplest first
CAPPED: tuple[JointTreatment, ...] = ("cap", "cap_cover", "cap_trim")  # with both ends made round about the joint first
BLENDED: JointTreatment = "blend_cover"  # with the narrower piece widened towards the joint first
KINDS: dict[JointTreatment, frozenset[str]] = {
    "nothing": frozenset(), "cover": frozenset({"cover"}), "trim": frozenset({"trim"}), "gusset": frozenset({"gusset"}),
    "cap": frozenset({"cap"}), "cap_cover": frozenset({"cap", "cover"}), "cap_trim": frozenset({"cap", "trim"}),
    "blend_cover": frozenset({"blend", "cover"}),
}  # fmt: skip


class Joint(Value):
    """A bone's joint and how it is treated; `to` is where it is moved first (figure space)."""

    bone: str
    treatment: JointTreatment
    to: Point | None = None

    @model_validator(mode="before")
    @classmethod
    def _in_todays_words(cls, data: Any) -> Any:
        if isinstance(data, dict) and "way" in data and "treatment" not in data:
            data = {**data, "treatment": data["way"]}
            del data["way"]
        if isinstance(data, dict) and data.get("treatment") == "patch":
            data = {**data, "treatment": "gusset"}
        return data


class TreatJoints(Edit):
    """Treat joints as told, each instead of what lies there.

    With `alike` the same is done to the joint of the same name on the other side, unless that is in the list itself;
    where this one is moved, that one is to where its own two parts agree best.
    """

    kind: Literal["treat_joints"] = "treat_joints"
    joints: Annotated[tuple[Joint, ...], Field(min_length=1, max_length=400)]
    alike: bool = True

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        chosen = {need_bone(figure, one.bone).id: (one.treatment, one.to) for one in self.joints}
        for ref, (treatment, to) in list(chosen.items()) if self.alike else ():
            like = like_of(figure, need_bone(figure, ref), stores)
            if like is not None:
                chosen.setdefault(like.id, (treatment, to and better_pivot(figure, like, stores)))
        after = figure
        for ref, (treatment, to) in chosen.items():
            after = treated(after, ref, treatment, stores, to)
        if _plain(after) == _plain(figure) and after.bones == figure.bones:
            raise EditRefused("These joints are treated so already.")
        return after

    def describe(self, figure: Figure) -> str:
        if len(self.joints) == 1:
            one = self.joints[0]
            moved = "move the joint and " if one.to is not None else ""
            return f"{moved}{one.treatment} at {need_bone(figure, one.bone).name}"
        return f"treat {len(self.joints)} joints"


def _plain(figure: Figure) -> list[str]:
    """The treatments whatever their ids and order."""
    return sorted(one.model_dump_json(exclude={"id"}) for one in figure.treatments)


def treated(figure: Figure, ref: str, treatment: JointTreatment, stores: Stores, to: Point | None = None) -> Figure:
    """The figure with one bone's joint treated so, and not otherwise, after it was moved where `to` says so. Raises
    EditRefused where it cannot be."""
    if to is not None:
        figure = with_joint_at(figure, need_bone(figure, ref), to, stores)
    aside = waiting(figure)
    kept = tuple(one for one in figure.treatments if one.used_parts & aside or not hides_line(one, ref))
    figure = figure.replace(treatments=kept)
    figure = without_caps(figure, caps_at(figure, ref), stores)
    if treatment == BLENDED:
        figure = BlendWidths(bone=ref).apply(figure, stores)
    elif treatment in CAPPED:
        figure = LayCap(bone=ref).apply(figure, stores)
    if treatment == "gusset":
        return LayGusset(bone=ref).apply(figure, stores)
    kinds = KINDS[treatment] & {"cover", "trim"}
    for behind, before in _as_they_lie(figure, need_bone(figure, ref), stores) if kinds else ():
        if "cover" in kinds:
            figure = LayCover(bone=ref, source=behind, over=before).apply(figure, stores)
        else:
            figure = LayTrim(bone=ref, part=before, by=behind).apply(figure, stores)
    return figure


def _as_they_lie(figure: Figure, bone: Bone, stores: Stores) -> list[tuple[str, str]]:
    """The part behind and the one in front at a joint: at rest, and the other way round where a pose swaps them."""
    behind, before = (part.id for part in need_pair(figure, bone, stores))
    swapped = any(
        isinstance(one, Order) and (one.part, one.in_front_of) == (behind, before) for one in figure.treatments
    )
    return [(behind, before), (before, behind)] if swapped else [(behind, before)]


def treatment_now(figure: Figure, ref: str) -> JointTreatment | None:
    """How a bone's joint is treated; None where it is in a way none of them is."""
    aside = waiting(figure)
    laid: set[str] = {one.kind for one in figure.treatments if hides_line(one, ref) and not one.used_parts & aside}
    if caps := caps_at(figure, ref):
        laid.add("cap" if all(one.widens is None for one in caps) else "blend")
    return next((one for one, kinds in KINDS.items() if laid == kinds), None)


def like_of(figure: Figure, bone: Bone, stores: Stores) -> Bone | None:
    """The bone of the same name on the other side, where two parts meet at its joint too."""
    name = other_side(bone.name, figure.sides)
    found = next((one for one in figure.bones if one.name == name and one.id != bone.id), None)
    return found if found is not None and pair_at(figure, found, stores) is not None else None
