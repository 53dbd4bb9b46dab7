"""What becomes of warps when the rest pose becomes another one."""

from __future__ import annotations

from kunstgriff.figure.model import Bone, Figure, Point
from kunstgriff.figure.stores import Stores
from kunstgriff.figure.warps import Lattice, Warp
from kunstgriff.warp.warping import form_of


def laid_at_new_rest(before: Figure, after: Figure, stores: Stores) -> Figure:
    """Warps lie where what carries them lies now, and are even: what they did is drawn into the art."""
    if not after.warps:
        return after
    return after.replace(warps=tuple(_at_new_rest(before, after, one) for one in after.warps))


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
