"""What the bench asks while bones are drawn and parts bound: snapping, bend zones, weights, matches of limbs."""

from __future__ import annotations

import math
from typing import get_args

import numpy as np
from django.contrib.auth.decorators import login_required
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.views.decorators.http import require_GET

from kunstgriff.binding.copying import match_limb
from kunstgriff.binding.zone_edits import bending_parts
from kunstgriff.binding.zones import influences_of, joint_frames
from kunstgriff.figure.edit import EditRefused, need_bone, need_part
from kunstgriff.figure.model import Weighted, Zone
from kunstgriff.skeleton.along import snapped
from studio.bench.packing import pack
from studio.bench.seen import Seen
from studio.bench.state import compiled
from studio.bench.tints import TintView, tints
from studio.bench.views import require_revision
from studio.library.stores import DatabaseStores
from studio.requests import refused, sentence

VERTICES_SHOWN = 400


@login_required
@require_GET
def snap(request: HttpRequest, figure_id: int, seen: Seen) -> HttpResponse:
    """What the pointer means at ?x, ?y: a pivot, a joint, a middle line, or just that place."""
    figure, _ = compiled(require_revision(request, figure_id, seen))
    try:
        x, y, within = (float(request.GET.get(name, "")) for name in ("x", "y", "within"))
    except ValueError:
        return sentence("The place to snap to is not a pair of numbers.", 400)
    if not all(math.isfinite(one) and abs(one) < 1e6 for one in (x, y, within)):
        return sentence("The place to snap to is not a pair of numbers.", 400)
    point, word = snapped(figure, (x, y), DatabaseStores(), min(within, 60.0))
    return JsonResponse({"point": point, "word": word})


@login_required
@require_GET
def zone(request: HttpRequest, figure_id: int, seen: Seen, bone_id: str) -> HttpResponse:
    """The bend zone of a bone's joint: its numbers, the limb's width in px, and where its handles lie at rest."""
    figure, _ = compiled(require_revision(request, figure_id, seen))
    try:
        bone = need_bone(figure, bone_id)
    except EditRefused as error:
        return refused(error)
    rows = []
    for part in bending_parts(figure, bone, None):
        assert isinstance(part.binding, Weighted)
        joint_frame = joint_frames(figure, part, influences_of(figure, part.binding), DatabaseStores()).get(bone.id)
        if joint_frame is None:
            continue
        found = part.binding.zone(bone.id) or Zone(bone=bone.id, mix=0.0)
        row = found.model_dump(exclude={"solved", "bone"})
        row |= {
            "part": part.id,
            "width": round(2 * joint_frame.half_width, 1),
            "longest": round(joint_frame.longest, 2),
            "solved": found.solved is not None,
            "there": part.binding.zone(bone.id) is not None,
            "at": joint_frame.at,
            "ahead": joint_frame.ahead,
            "back": joint_frame.back,
            "innerSide": joint_frame.inner_side,
        }
        rows.append(row)
    return JsonResponse({"zones": rows})


@login_required
@require_GET
def weights(request: HttpRequest, figure_id: int, seen: Seen, part_id: str) -> HttpResponse:
    """The table of a part's weights at ?vertices=3,5,8: which bones, and their shares."""
    figure, _ = compiled(require_revision(request, figure_id, seen))
    try:
        part = need_part(figure, part_id)
        chosen = [int(one) for one in request.GET.get("vertices", "").split(",") if one][:VERTICES_SHOWN]
    except EditRefused as error:
        return refused(error)
    except ValueError:
        return sentence("The vertices are not numbers.", 400)
    if not isinstance(part.binding, Weighted):
        return JsonResponse({"bones": [], "rows": []})
    table = DatabaseStores().get_array(part.binding.weights)
    mask = part.binding.manual_mask
    manual = DatabaseStores().get_array(mask) if mask else np.zeros(len(table), bool)
    rows = [
        {"vertex": one, "manual": bool(manual[one]), "weights": [round(float(share), 3) for share in table[one]]}
        for one in chosen
        if 0 <= one < len(table)
    ]
    return JsonResponse({"bones": list(part.binding.influences), "rows": rows})


@login_required
@require_GET
def matches(request: HttpRequest, figure_id: int, seen: Seen, bone_id: str) -> HttpResponse:
    """What copying the set-up of the limb from a bone on would match, with ?find put for by ?put in names."""
    figure, _ = compiled(require_revision(request, figure_id, seen))
    try:
        found = match_limb(figure, need_bone(figure, bone_id), request.GET.get("find", ""), request.GET.get("put", ""))
    except EditRefused as error:
        return refused(error)
    names = {bone.id: bone.name for bone in figure.bones} | {part.id: part.name for part in figure.parts}
    parts = [{"from": names[one], "to": names[other], "made": False} for one, other in found.parts.items()]
    bones = [
        {"from": names[ref], "to": name, "made": ref not in found.bones_there} for ref, name in found.bone_names.items()
    ]
    return JsonResponse({"parts": parts, "bones": bones})


@login_required
@require_GET
def tint(request: HttpRequest, figure_id: int, seen: Seen) -> HttpResponse:
    """The colours weights are shown in: ?view=blend, strongest, single (of ?bone) or difference (to ?against)."""
    seen = require_revision(request, figure_id, seen)
    against = request.GET.get("against", "")
    view = request.GET.get("view", "blend")
    if view not in get_args(TintView):
        return sentence(f"There is no view of weights called “{view[:40]}”.", 400)
    try:
        other = require_revision(request, figure_id, Seen.read(against)) if against else None
        colours = tints(seen, view, request.GET.get("bone", ""), other)
    except EditRefused as error:
        return refused(error)
    except ValueError:
        return sentence("That is no revision to compare with.", 400)
    return HttpResponse(pack({"tint": colours}), content_type="application/octet-stream")
