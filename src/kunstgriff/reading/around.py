"""What of a figure one joint's seam depends on: a smaller figure that poses and paints it alike, and a mark of it."""

from __future__ import annotations

import hashlib
from collections.abc import Iterator

import numpy as np

from kunstgriff.figure.channels import parted
from kunstgriff.figure.controls import TurnDrives
from kunstgriff.figure.edit import group_path
from kunstgriff.figure.model import Bone, Figure, Part, Point, Rider
from kunstgriff.figure.references import forgetting
from kunstgriff.figure.references import refs as refs_of
from kunstgriff.figure.sets import parts_of_drawing
from kunstgriff.figure.treatments import Clip, InkCut, StandIn, Trim

MEANING = 10  # raised whenever readings come to mean something else, so that those kept are made anew


def seen_at(figure: Figure, pair: tuple[Part, Part]) -> frozenset[str]:
    """The parts that are painted where a seam is read: the two that meet and what stands in for them."""
    refs = {part.id for part in pair}
    return frozenset(
        refs | {one.part for one in figure.treatments if isinstance(one, StandIn) and refs & set(one.parts)}
    )


def figure_around(figure: Figure, pair: tuple[Part, Part], joint: Point, radius: float) -> Figure:
    """The figure with only what a seam needs: its two parts, what they are treated with, and what lies at the joint.

    That is every shown part whose picture comes within `radius` px of `joint` at rest: it may be seen through a gap.
    """
    refs = set(seen_at(figure, pair)) | {one.id for one in figure.parts if one.is_shown and _near(one, joint, radius)}
    while True:
        more = {
            ref
            for one in figure.treatments
            for ref in one.used_parts
            if isinstance(one, Trim | Clip | InkCut | StandIn) and refs & one.used_parts
        }
        carriers = {
            one.binding.carrier for one in figure.parts if one.id in refs | more and isinstance(one.binding, Rider)
        }
        more |= {
            ref
            for warp in figure.warps
            if any(part.id in refs for one in warp.of for part in parts_of_drawing(figure, one))
            for ref in refs_of(warp, "part")
        }
        found = _with_their_sets(figure, refs | more | (carriers & {one.id for one in figure.parts}))
        if found == refs:
            break
        refs = found
    parts = tuple(part for part in figure.parts if part.id in refs)
    groups = {ref for part in parts for ref in group_path(figure, part.group)}
    absent = ({part.id for part in figure.parts} - refs) | ({one.id for one in figure.groups} - groups)
    kept_groups = tuple(forgetting(one, absent) for one in figure.groups if one.id in groups)
    treatments = tuple(one for one in figure.treatments if one.used_parts <= refs)
    needed = {ref for part in parts for ref in part.followed} | {ref for one in treatments for ref in one.used_bones}
    needed |= {ref for one in kept_groups for ref in refs_of(one, "bone")}
    warps = tuple(
        forgetting(warp, absent)
        for warp in figure.warps
        if any(part.id in refs for ref in warp.of for part in parts_of_drawing(figure, ref))
    )
    needed |= {ref for warp in warps for ref in refs_of(warp, "bone")}
    needed |= {part.binding.carrier for part in parts if isinstance(part.binding, Rider)}
    handles = {handle.id for warp in warps for handle in warp.handles}
    absent |= {handle.id for warp in figure.warps for handle in warp.handles} - handles
    correctives = tuple(
        forgetting(one, absent)
        for one in figure.correctives
        if not (refs_of(one, "part") | refs_of(one, "posed")).isdisjoint(refs | handles)
    )
    needed |= {ref for one in correctives for ref in one.bones}
    by_turns = tuple(_driving(figure, refs | groups | needed | handles))
    needed |= {one.bone for one in by_turns}
    for bone in reversed(figure.bones):
        if bone.id in needed and bone.parent is not None:
            needed.add(bone.parent)
    alone = tuple(forgetting(part.model_copy(update={"shelved": ()}), absent) for part in parts)
    return figure.replace(
        parts=alone, groups=kept_groups, bones=tuple(one for one in figure.bones if one.id in needed),
        treatments=treatments, warps=warps, springs=(), colliders=(), wind=None, poses=(), motions=(), meetings=(),
        hems=(), reaches=(),
        levers=(), shapes=(), correctives=correctives, by_turns=by_turns, reference=None, accepted=(), turnaround=None,
    )  # fmt: skip


def _driving(figure: Figure, refs: set[str]) -> Iterator[TurnDrives]:
    """What turns of bones drive of some things."""
    for one in figure.by_turns:
        drives = tuple(drive for drive in one.drives if parted(drive.channel)[0] in refs)
        if drives:
            yield one.model_copy(update={"drives": drives})


def _with_their_sets(figure: Figure, refs: set[str]) -> set[str]:
    """These parts and all that the sets they lie in show one of: which one is shown is told by the first there is."""
    for group in figure.groups:
        inside = {part.id for part in parts_of_drawing(figure, group.id)} if group.drawings else set()
        if refs & inside:
            refs = refs | inside
    return refs


def _near(part: Part, joint: Point, radius: float) -> bool:
    low, high = np.array(part.drawing.place), np.add(part.drawing.place, part.drawing.size)
    return bool((low - radius < joint).all() and (high + radius > joint).all())


def mark_of(figure: Figure, pair: tuple[Part, Part], bone: Bone, radius: float) -> str:
    """A digest of all that a seam's readings depend on: the same as long as nothing of it changes."""
    small = figure_around(figure, pair, bone.joint, radius)
    plain = small.model_copy(update={"next_id": 1, "name": "seam", "tolerances": type(figure.tolerances)()})
    sprung = any(bone.id in spring.bones for spring in figure.springs)  # how far it is turned hangs on that
    return hashlib.sha256(f"{MEANING} {bone.id} {sprung} {plain.model_dump_json()}".encode()).hexdigest()
