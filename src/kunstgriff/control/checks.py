"""Findings of the Controls stage: what moves nothing, what is worked out no more, what jumps, what no control shows."""

from __future__ import annotations

from collections.abc import Iterator
from functools import lru_cache

from kunstgriff.control.driving import by_levers, by_shapes, by_turns
from kunstgriff.control.reach_map import reach_map
from kunstgriff.control.reaching import bones_now, bones_of
from kunstgriff.evaluate.state import compile_rig
from kunstgriff.figure.channels import addressed, parted
from kunstgriff.figure.controls import Corrective, Lever, Reach, Shape
from kunstgriff.figure.edit import EditRefused
from kunstgriff.figure.findings import Finding, Remedy, meant
from kunstgriff.figure.model import Figure
from kunstgriff.figure.pose import Pose
from kunstgriff.figure.stores import Beside, Stores

SLIGHT = 8.0  # px that a joint may jump and still not be told; common practice, no source


def idle(figure: Figure, stores: Stores) -> Iterator[Finding]:
    """Levers, shapes and correctives that do nothing."""
    some: list[tuple[str, str, Lever | Shape | Corrective]] = [
        *(("lift_lever", "lever", one) for one in figure.levers if not any(axis.drives for _, axis in one.axes)),
        *(("lift_shape", "shape", one) for one in figure.shapes if not (one.sculpts or one.on_top or one.instead)),
        *(("lift_corrective", "corrective", one) for one in figure.correctives
          if not any(sample.sculpts or sample.channels for sample in one.samples)),
    ]  # fmt: skip
    for kind, name, one in some:
        yield Finding(
            key=f"idle:{one.id}",
            stage="controls",
            sentence=f"The {name} “{one.name}” moves nothing yet",
            weight=0.2,
            remedies=(Remedy(word="Take it off", edit={"kind": kind, name: one.id}), meant(f"idle:{one.id}")),
        )


def broken(figure: Figure, stores: Stores) -> Iterator[Finding]:
    """Reaches whose bones are no chain any more."""
    for one in figure.reaches:
        try:
            bones_of(figure, one)
        except EditRefused as error:
            yield Finding(
                stage="controls",
                sentence=f"“{one.name}” reaches no more: {error}",
                weight=0.8,
                remedies=(Remedy(word="Take it off", edit={"kind": "lift_reach", "reach": one.id}),),
            )


def jumping(figure: Figure, stores: Stores) -> Iterator[Finding]:
    """Reaches whose joints jump somewhere in what they reach; two bones without limits never do."""
    limits = {bone.id for bone in figure.bones if bone.limits is not None}
    asked = []
    for one in figure.reaches:
        chain = bones_now(figure, one)
        if isinstance(one, Reach) and (len(chain) > 2 or any(bone.id in limits for bone in chain)):
            asked.append(one)
    if not asked:
        return
    said = [one.model_dump_json() for some in (figure.bones, figure.reaches) for one in some]
    for one, worst in zip(asked, _steepest(tuple(said), Beside((figure, asked, stores))), strict=True):
        if worst is None or worst[1] < SLIGHT:
            continue
        (x, y), px, name = worst
        key = f"jump:{one.id}:{px:.0f}"
        yield Finding(
            key=key,
            stage="controls",
            sentence=f"“{name}” jumps {px:.0f} px where the goal of “{one.name}” passes {x:.0f}, {y:.0f}",
            weight=0.6,
            bones=tuple(bone.id for bone in bones_of(figure, one)),
            remedies=(meant(key),),
        )


@lru_cache(maxsize=64)  # most edits change neither bones nor reaches
def _steepest(
    _of: tuple[str, ...], beside: Beside[tuple[Figure, list[Reach], Stores]]
) -> list[tuple[tuple[float, float], float, str] | None]:
    """Where each reach jumps most, by how much and what does; None where it never does."""
    figure, asked, stores = beside.value
    rig = compile_rig(figure, stores)
    return [reach_map(rig, Pose(), one).worst for one in asked]


def unshown(figure: Figure, stores: Stores) -> Iterator[Finding]:
    """Drawings of sets that no control, no kept pose and no turn of bones shows, where a figure has controls."""
    if not (figure.levers or figure.shapes or figure.by_turns):
        return
    shown: dict[str, set[float]] = {}
    for mover in (*by_levers(figure), *by_shapes(figure), *by_turns(figure)):
        ref, name = parted(mover.target)
        if name == "shows":
            shown.setdefault(ref, set()).update(mover.bys.tolist())
    for kept in figure.poses:
        for ref, value in kept.pose.of("shows").items():
            shown.setdefault(ref, set()).add(value)
    names = {one.id: one.name for some in (figure.parts, figure.groups) for one in some}
    for group in figure.groups:
        for drawing in group.drawings[1:]:
            taken = group.taken_by is not None and drawing.since is not None
            if taken or drawing.number in shown.get(group.id, set()):
                continue
            key = f"unshown:{addressed(group.id, str(drawing.number))}"
            yield Finding(
                key=key,
                stage="controls",
                sentence=f"No control and no kept pose shows “{names[drawing.of]}” of “{group.name}”",
                weight=0.25,
                parts=(drawing.of,) if any(part.id == drawing.of for part in figure.parts) else (),
                remedies=(meant(key),),
            )
