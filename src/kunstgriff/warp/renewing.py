"""What becomes of warps when the rest pose becomes another one, and when a set-up is copied."""

from __future__ import annotations

import numpy as np

from kunstgriff.binding.copying import similarity
from kunstgriff.figure.channels import addressed
from kunstgriff.figure.edit import free_name, need_part
from kunstgriff.figure.model import Bone, Figure, KeptPose, Point
from kunstgriff.figure.pose import Pose
from kunstgriff.figure.references import carried, refs, renamed
from kunstgriff.figure.stores import Stores
from kunstgriff.figure.warps import Tacks, Warp
from kunstgriff.warp.channels import SHIFTS
from kunstgriff.warp.laying import net_of, with_meshes
from kunstgriff.warp.named import laid_over, with_warp
from kunstgriff.warp.tacks import patches
from kunstgriff.warp.warping import as_laid, covered


def laid_at_new_rest(before: Figure, after: Figure, stores: Stores) -> Figure:
    """Warps lie where what carries them lies now, and are even: what they did is drawn into the art."""
    warps, turned = [], dict[str, complex]()
    for warp in after.warps:
        was, now = before.bone(warp.bone or ""), after.bone(warp.bone or "")
        if was is not None and now is not None:
            turned |= {handle.id: _turn(was, now) for handle in warp.handles}
            warp = _carried(warp, was, now)
        if isinstance(warp, Tacks):
            warp = _held_where_it_was(before, after, warp, stores)
        warps.append(warp.model_copy(update={"handles": as_laid(warp)}))
    return after.replace(warps=tuple(warps), poses=tuple(_turned(kept, turned) for kept in after.poses))


def _turn(was: Bone, now: Bone) -> complex:
    """By how much a bone is turned, however long it became."""
    before, after = complex(*was.tip) - complex(*was.joint), complex(*now.tip) - complex(*now.joint)
    turn = after / before if before and after else complex(1)
    return turn / abs(turn)


def _carried(warp: Warp, was: Bone, now: Bone) -> Warp:
    """A warp laid where its bone takes it by lying elsewhere, as large as it was."""
    turn = _turn(was, now)

    def there(point: Point) -> Point:
        moved = complex(*now.joint) + (complex(*point) - complex(*was.joint)) * turn
        return moved.real, moved.imag

    return carried(warp, there)


def _held_where_it_was(before: Figure, after: Figure, warp: Tacks, stores: Stores) -> Tacks:
    """Tacks on the same spots of a part's art, wherever its mesh came to lie."""
    was, now = need_part(before, warp.of[0]), need_part(after, warp.of[0])
    (mesh, triangles), (there, others) = net_of(was, stores), net_of(now, stores)
    if not np.array_equal(triangles, others):
        return warp
    earlier = next(one for one in before.warps if one.id == warp.id)
    spots = [
        sum(share * there[corner] for corner, share in zip(corners, shares, strict=True))
        for corners, shares in patches(np.array([one.place for one in earlier.handles]), mesh, triangles)
    ]
    handles = tuple(
        tack.model_copy(update={"place": (round(float(x), 4), round(float(y), 4))})
        for tack, (x, y) in zip(warp.handles, spots, strict=True)
    )
    return warp.model_copy(update={"handles": handles})


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
        if any(one.kind == warp.kind and covered(figure, one) == set(others) for one in figure.warps):
            continue  # it lies there
        if not isinstance(warp, Tacks) and all(bones.get(ref, ref) == ref for ref in refs(warp, "bone")):
            figure = _over_both(figure, warp, others, stores)
        else:
            figure = _copied(figure, warp, bones, parts, others, stores)
    return figure


def _over_both(figure: Figure, warp: Warp, others: tuple[str, ...], stores: Stores) -> Figure:
    after = warp.model_copy(update={"of": (*warp.of, *others)})
    return with_meshes(with_warp(figure, after), after, stores)


def _copied(
    figure: Figure, warp: Warp, bones: dict[str, str], parts: dict[str, str], others: tuple[str, ...], stores: Stores
) -> Figure:
    """The figure with a warp over other parts, laid there as the first of them lies to the one it stands for."""
    source = next(ref for ref in sorted(covered(figure, warp)) if parts[ref] == others[0])
    other = need_part(figure, others[0])
    there = similarity(figure, need_part(figure, source), other, stores)
    ids = {one.id: f"h{figure.next_id + 1 + k}" for k, one in enumerate(warp.handles)}
    moved = carried(warp, there.take)
    name = free_name(other.name, {one.name for one in figure.warps})
    copy = renamed(moved, {**ids, **bones}).model_copy(update={"id": f"w{figure.next_id}", "name": name, "of": others})
    return laid_over(figure, copy, stores)
