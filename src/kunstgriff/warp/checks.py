"""Findings of the Warps stage: what folds over, what is carried by nothing though its parts are."""

from __future__ import annotations

from collections.abc import Iterator
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from kunstgriff.binding.triangles import signed_areas
from kunstgriff.evaluate.state import RigState, compile_rig
from kunstgriff.figure.channels import addressed
from kunstgriff.figure.findings import Finding, Remedy
from kunstgriff.figure.model import Figure, Part, Rider
from kunstgriff.figure.pose import Pose
from kunstgriff.figure.references import refs
from kunstgriff.figure.stores import Beside, Stores
from kunstgriff.figure.warps import Tacks, Warp
from kunstgriff.warp.laying import carrier_of, kept_shift, needing_meshes, net_of
from kunstgriff.warp.named import with_warp
from kunstgriff.warp.warping import Form, covered, form_of, shape_of

Floats = NDArray[np.float64]
IDLE = 0.5  # px that a tack makes of difference at the least, or it is idle
TURNED = 60.0  # degrees at the most that bones are turned by to find out


def folded(figure: Figure, stores: Stores) -> Iterator[Finding]:
    """Triangles that a warp turns over, at rest and in each kept pose, whatever bones do besides."""
    shaping = [warp for warp in figure.warps if not isinstance(warp, Tacks)]
    forms = {warp.id: form_of(warp) for warp in shaping}
    inside = {warp.id: covered(figure, warp) for warp in shaping}
    shapes = {warp.id: shape_of(warp, forms[warp.id]) for warp in shaping}
    poses = [("at rest", {ref: np.zeros_like(one) for ref, one in shapes.items()})]
    poses += [(f"in the pose “{kept.name}”", {warp.id: kept_shift(kept, warp) for warp in shaping})
              for kept in figure.poses]  # fmt: skip
    for where, shifts in poses:
        if where != "at rest" and not any(one.any() for one in shifts.values()):
            continue
        over: dict[str, int] = {}
        for part in figure.parts:
            under = [warp.id for warp in shaping if part.id in inside[warp.id] and not part.left_out]
            if under:
                moves = [(ref, forms[ref], shapes[ref] + shifts[ref]) for ref in under]
                _count(part, moves, stores, over)
        for warp in shaping:
            if over.get(warp.id):
                yield _finding(figure, warp, over[warp.id], where)


def too_coarse(figure: Figure, stores: Stores) -> Iterator[Finding]:
    """Warps over parts whose meshes cannot follow them: such as joined a group after it was warped."""
    for warp in figure.warps:
        parts = needing_meshes(figure, warp, stores)
        if parts:
            what = f"{parts[0].name} is" if len(parts) == 1 else f"{len(parts)} parts are"
            yield Finding(
                stage="warps",
                sentence=f"{what} too coarse to follow {warp.name}",
                weight=0.5,
                parts=tuple(part.id for part in parts),
                remedies=(Remedy(word="Lay finer meshes", edit={"kind": "fit_meshes", "warp": warp.id}),),
            )


def lost_bones(figure: Figure, stores: Stores) -> Iterator[Finding]:
    """Warps with handles that followed bones which are gone."""
    for warp in figure.warps:
        lost = [one for one in warp.handles if one.lost]
        if lost:
            names = list(dict.fromkeys(name for one in lost for name in one.lost))
            what = f"{len(lost)} handles of {warp.name}" if len(lost) > 1 else f"A handle of {warp.name}"
            gone = ", ".join(names[:3]) + (" and more" if len(names) > 3 else "")
            yield Finding(
                stage="warps",
                sentence=f"{what} followed {gone}, which {'are' if len(names) > 1 else 'is'} deleted",
                weight=0.5,
                parts=tuple(sorted(covered(figure, warp))),
            )


def folded_by_tacks(figure: Figure, stores: Stores) -> Iterator[Finding]:
    """Triangles that tacks turn over in a kept pose."""
    for warp in _tacks(figure) if figure.poses else ():
        small = _alone(figure, warp)
        for name, count in _folded(_said(small), warp.of[0], Beside((small, stores))):
            yield _finding(figure, warp, count, f"in the pose “{name}”")


@lru_cache(maxsize=256)  # of what only an edit near them changes, not every edit of the figure
def _folded(_of: str, ref: str, beside: Beside[tuple[Figure, Stores]]) -> tuple[tuple[str, int], ...]:
    """The names of kept poses in which triangles of a part are turned over, and how many."""
    small, stores = beside.value
    rig, bare = compile_rig(small, stores), compile_rig(small.without([one.id for one in small.warps]), stores)
    block = rig.program.blocks[ref]
    found = []
    for kept in small.poses:
        now = rig.evaluate(kept.pose.restricted_to(rig.program.posable)).vertices
        plain = bare.evaluate(kept.pose.restricted_to(bare.program.posable)).vertices
        count = int((signed_areas(now, block.triangles) * signed_areas(plain, block.triangles) < 0).sum())
        if count:
            found.append((kept.name, count))
    return tuple(found)


def idle_tacks(figure: Figure, stores: Stores) -> Iterator[Finding]:
    """Tacks without which the part would lie within half a px of where it does, in every kept pose and with each bone
    that any of its tacks follow at both ends of its turn."""
    for warp in _tacks(figure):
        if len(warp.handles) < 2:
            continue
        small = _alone(figure, warp).by_bones
        idle = _idle(_said(small), warp.id, Beside((small, warp, stores)))
        for tack in (one for one in warp.handles if one.id in idle):
            take = Remedy(word="Take it out", edit={"kind": "remove_tacks", "handles": [tack.id]})
            yield Finding(
                stage="warps",
                sentence=f"Without its tack “{tack.name}” {warp.name} lies within {IDLE:g} px of where it does",
                weight=0.3,
                parts=warp.of,
                remedies=(take,),
            )


@lru_cache(maxsize=256)
def _idle(_of: str, _warp: str, beside: Beside[tuple[Figure, Tacks, Stores]]) -> frozenset[str]:
    """The ids of tacks of a warp that make no difference."""
    small, warp, stores = beside.value
    rig = compile_rig(small, stores)
    poses = list(_range(small, warp, rig))
    with_all = [rig.evaluate(pose).vertices.copy() for pose in poses]
    idle = set()
    for tack in warp.handles:
        fewer = warp.model_copy(update={"handles": tuple(one for one in warp.handles if one.id != tack.id)})
        other = compile_rig(with_warp(small, fewer), stores)
        # most tacks make a difference in the first pose that is tried
        if not any(
            np.abs(other.evaluate(pose.without({tack.id})).vertices - there).max() >= IDLE
            for pose, there in zip(poses, with_all, strict=True)
        ):
            idle.add(tack.id)
    return frozenset(idle)


def _tacks(figure: Figure) -> Iterator[Tacks]:
    return (warp for warp in figure.warps if isinstance(warp, Tacks))


def _alone(figure: Figure, warp: Tacks) -> Figure:
    """The part of some tacks with the bones and the warps that move it, what these ride on, and the kept poses."""
    ref = warp.of[0]
    ridden = {one for warp in figure.warps if ref in covered(figure, warp) for one in refs(warp, "part")}
    kept = {ref, *ridden}
    carriers = {part.binding.carrier for part in figure.parts if part.id in kept and isinstance(part.binding, Rider)}
    gone = [part.id for part in figure.parts if part.id not in kept | carriers]
    return figure.replace(treatments=(), springs=(), colliders=(), wind=None, hems=(), motions=(), meetings=()).without(
        gone
    )


def _said(small: Figure) -> str:
    """All that moves anything in it."""
    return small.model_dump_json(exclude={"name", "next_id", "accepted"})


def _range(figure: Figure, warp: Tacks, rig: RigState) -> Iterator[Pose]:
    """The kept poses, and each bone that tacks or the part follow at both ends of its turn."""
    for kept in figure.poses:
        yield kept.pose.restricted_to(rig.program.posable)
    part = figure.part(warp.of[0])
    assert part is not None
    followed = {ref for tack in warp.handles for ref in refs(tack, "bone")} | set(part.followed)
    for bone in figure.bones:
        if bone.id in followed:
            low, high = (bone.limits.low, bone.limits.high) if bone.limits is not None else (-TURNED, TURNED)
            for degrees in (max(low, -TURNED), min(high, TURNED)):
                yield Pose(channels={addressed(bone.id, "turn"): degrees})


def _count(part: Part, under: list[tuple[str, Form, Floats]], stores: Stores, over: dict[str, int]) -> None:
    """Add to `over` how many triangles of a part each warp over it turns over, each on what those before it made."""
    points, triangles = net_of(part, stores)
    for ref, form, moves in under:
        before = signed_areas(points, triangles)
        points = points + form.moved(moves, points)
        over[ref] = over.get(ref, 0) + int((before * signed_areas(points, triangles) < 0).sum())


def _finding(figure: Figure, warp: Warp, count: int, where: str) -> Finding:
    """So many triangles folded, and how to even the warp out where that is at rest."""
    even = Remedy(word="Even it out", edit={"kind": "even_handles", "warp": warp.id})
    return Finding(
        stage="warps",
        sentence=f"{warp.name} folds {count} triangle{'s' * (count > 1)} over {where}",
        weight=0.55,
        parts=tuple(sorted(covered(figure, warp))),
        remedies=(even,) if where == "at rest" else (),
    )


def carried_by_nothing(figure: Figure, stores: Stores) -> Iterator[Finding]:
    """Warps that stand still while one bone carries all that lies in them."""
    for warp in figure.warps:
        inside = covered(figure, warp)
        parts = [part for part in figure.parts if part.id in inside]
        bone = carrier_of(figure, parts) if warp.bone is None and parts else None
        if bone is None:
            continue
        name = next(one.name for one in figure.bones if one.id == bone)
        carry = Remedy(word=f"Let {name} carry it", edit={"kind": f"set_{warp.kind}", "warp": warp.id, "bone": bone})
        several = f"{len(parts)} parts follow" if len(parts) > 1 else "1 part follows"
        yield Finding(
            stage="warps",
            sentence=f"{warp.name} stands still while its {several} {name}",
            weight=0.5,
            parts=tuple(part.id for part in parts),
            bones=(bone,),
            remedies=(carry,),
        )
