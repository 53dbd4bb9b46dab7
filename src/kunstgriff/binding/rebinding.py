"""Bindings when bones change: what followed a bone goes over to those it became."""

from __future__ import annotations

import math
from typing import Any

import numpy as np

from kunstgriff.artwork.edits import with_parts
from kunstgriff.binding.auto_binding import settled
from kunstgriff.binding.zone_edits import reweighed
from kunstgriff.figure.model import Binding, Bone, Figure, Part, Rider, Rigid, Weighted
from kunstgriff.figure.stores import Stores

Became = dict[str, tuple[str, ...]]


def rebind(figure: Figure, became: Became, stores: Stores) -> Figure:
    """Parts and groups bound to the bones they became: weights found anew where a bone was split, added up where bones
    were made one, bends solved anew where only limits changed."""
    changed = {}
    for part in figure.parts:
        after = part.model_copy(
            update={
                "binding": _rebound(figure, part, part.binding, became, stores),
                "shelved": tuple(_rebound(figure, part, one, became, stores) for one in part.shelved),
            }
        )
        if after != part:
            changed[part.id] = after
    groups = tuple(
        group.model_copy(update={"bone": became[group.bone][0]}) if group.bone in became else group
        for group in figure.groups
    )
    return with_parts(figure.replace(groups=groups), changed)


def _rebound(figure: Figure, part: Part, binding: Binding, became: Became, stores: Stores) -> Binding:
    if isinstance(binding, Rigid) and binding.bone in became:
        middle = (part.drawing.place[0] + part.drawing.size[0] / 2, part.drawing.place[1] + part.drawing.size[1] / 2)
        return Rigid(bone=_nearest(figure, became[binding.bone], part.drawing.pivot or middle))
    if isinstance(binding, Rider) and binding.carrier in became:
        return binding.model_copy(update={"carrier": _nearest(figure, became[binding.carrier], binding.spot)})
    if not isinstance(binding, Weighted) or not set(became) & set(binding.influences):
        return binding
    if all(became.get(ref, (ref,)) == (ref,) for ref in binding.influences):
        return settled(figure, part, binding, stores)
    if all(len(became.get(ref, (ref,))) == 1 for ref in binding.influences):
        return settled(figure, part, _added_up(binding, became, stores), stores)
    wanted = {new for ref in binding.influences for new in became.get(ref, (ref,))}
    bones = [bone for bone in figure.bones if bone.id in wanted]
    bound = part.model_copy(update={"binding": binding})
    return reweighed(figure, bound, bones, binding.way, stores)


def _added_up(binding: Weighted, became: Became, stores: Stores) -> Weighted:
    """The binding with the columns of bones that became one added up."""
    weights = stores.get_array(binding.weights)
    columns: dict[str, np.ndarray[Any, Any]] = {}
    for column, ref in enumerate(binding.influences):
        heir = became.get(ref, (ref,))[0]
        columns[heir] = columns.get(heir, 0.0) + weights[:, column]
    return binding.model_copy(
        update={
            "influences": tuple(columns),
            "weights": stores.put_array(np.ascontiguousarray(np.stack(list(columns.values()), 1), np.float32)),
            "zones": tuple(zone for zone in binding.zones if became.get(zone.bone, (zone.bone,)) == (zone.bone,)),
            "locked": tuple(ref for ref in binding.locked if ref in columns),
            "stacked": tuple(ref for ref in binding.stacked if ref in columns),
        }
    )


def _nearest(figure: Figure, refs: tuple[str, ...], to: tuple[float, float]) -> str:
    def away(bone: Bone) -> float:
        return math.dist(((bone.joint[0] + bone.tip[0]) / 2, (bone.joint[1] + bone.tip[1]) / 2), to)

    bones = [bone for ref in refs if (bone := figure.bone(ref)) is not None]
    return min(bones, key=away).id
