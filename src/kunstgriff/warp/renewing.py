"""What becomes of warps when the rest pose becomes another one, and when a set-up is copied."""

from __future__ import annotations

from kunstgriff.binding.copying import similarity
from kunstgriff.figure.channels import addressed
from kunstgriff.figure.edit import free_name
from kunstgriff.figure.model import Bone, Figure, KeptPose, Part, Point
from kunstgriff.figure.pose import Pose
from kunstgriff.figure.references import carried, refs, renamed
from kunstgriff.figure.stores import Stores
from kunstgriff.figure.warps import Lattice, Warp
from kunstgriff.warp.channels import SHIFT_X, SHIFT_Y
from kunstgriff.warp.laying import with_meshes
from kunstgriff.warp.warping import covered, form_of

SHIFTS = (SHIFT_X.name, SHIFT_Y.name)


def laid_at_new_rest(before: Figure, after: Figure, stores: Stores) -> Figure:
    """Warps lie where what carries them lies now, and are even: what they did is drawn into the art."""
    if not after.warps:
        return after
    turned = {handle.id: _turn(before, after, warp) for warp in after.warps for handle in warp.handles}
    return after.replace(
        warps=tuple(_at_new_rest(before, after, one) for one in after.warps),
        poses=tuple(_turned(kept, turned) for kept in after.poses),
    )


def _turn(before: Figure, after: Figure, warp: Warp) -> complex:
    """By how much what carries a warp is turned at the new rest."""
    was = before.bone(warp.bone) if warp.bone is not None else None
    now = after.bone(warp.bone) if warp.bone is not None else None
    if was is None or now is None:
        return complex(1)
    turn = (complex(*now.tip) - complex(*now.joint)) / (complex(*was.tip) - complex(*was.joint))
    return turn / abs(turn)


def _turned(kept: KeptPose, turned: dict[str, complex]) -> KeptPose:
    """A kept pose whose handles are shifted in frames that lie otherwise now."""
    right, down = (kept.pose.of(name) for name in SHIFTS)
    moved: dict[str, float] = {}
    for ref in (right.keys() | down.keys()) & turned.keys():
        shift = complex(right.get(ref, 0.0), down.get(ref, 0.0)) * turned[ref]
        moved |= {addressed(ref, SHIFTS[0]): shift.real, addressed(ref, SHIFTS[1]): shift.imag}
    return kept.model_copy(update={"pose": kept.pose.merged(Pose(channels=moved)).sparse(1e-9)}) if moved else kept


def warps_alike(figure: Figure, bones: dict[str, str], parts: dict[str, str], stores: Stores) -> Figure:
    """Warps over parts that are set up alike: another one where other bones move them, else the same over both."""
    for warp in figure.warps:
        inside = covered(figure, warp)
        others = tuple(parts[ref] for ref in sorted(inside) if parts.get(ref, ref) != ref)
        if not others or not inside <= parts.keys() or set(others) & inside:
            continue
        if all(bones.get(ref, ref) == ref for ref in refs(warp, "bone")):
            figure = _over_both(figure, warp, others, stores)
        else:
            figure = _copied(figure, warp, bones, parts, others, stores)
    return figure


def _over_both(figure: Figure, warp: Warp, others: tuple[str, ...], stores: Stores) -> Figure:
    after = warp.model_copy(update={"of": (*warp.of, *others)})
    figure = figure.replace(warps=tuple(after if one.id == warp.id else one for one in figure.warps))
    return with_meshes(figure, after, stores)


def _copied(
    figure: Figure, warp: Warp, bones: dict[str, str], parts: dict[str, str], others: tuple[str, ...], stores: Stores
) -> Figure:
    """The figure with a warp over other parts, laid there as the first of them lies to the one it stands for."""
    source = next(ref for ref in sorted(covered(figure, warp)) if parts[ref] == others[0])
    there = similarity(figure, _part(figure, source), _part(figure, others[0]), stores)
    ids = {one.id: f"h{figure.next_id + 1 + k}" for k, one in enumerate(warp.handles)}
    moved = carried(warp, there.take)
    name = free_name(_part(figure, others[0]).name, {one.name for one in figure.warps})
    copy = renamed(moved, {**ids, **bones}).model_copy(update={"id": f"w{figure.next_id}", "name": name, "of": others})
    figure = figure.replace(warps=(*figure.warps, copy), next_id=figure.next_id + 1 + len(ids))
    return with_meshes(figure, copy, stores)


def _part(figure: Figure, ref: str) -> Part:
    part = figure.part(ref)
    assert part is not None
    return part


def _at_new_rest(before: Figure, after: Figure, warp: Warp) -> Warp:
    was = before.bone(warp.bone) if warp.bone is not None else None
    now = after.bone(warp.bone) if warp.bone is not None else None
    if was is not None and now is not None:
        field = "corners" if isinstance(warp, Lattice) else "laid"
        laid = tuple(_carried(was, now, corner) for corner in getattr(warp, field))
        warp = warp.model_copy(update={field: laid})
    even = form_of(warp).even
    handles = (
        one.model_copy(update={"place": (float(place[0]), float(place[1]))})
        for one, place in zip(warp.handles, even, strict=True)
    )
    return warp.model_copy(update={"handles": tuple(handles)})


def _carried(was: Bone, now: Bone, point: Point) -> Point:
    """Where a bone takes a point by lying elsewhere, as long as it is."""
    at, to = complex(*was.joint), complex(*now.joint)
    before, after = complex(*was.tip) - at, complex(*now.tip) - to
    turn = after / before if before and after else complex(1)
    moved = to + (complex(*point) - at) * turn / max(abs(turn), 1e-12)
    return moved.real, moved.imag
