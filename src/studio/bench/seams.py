"""The seams of a figure for the bench: which joints have one, what was read, what is proposed, how it looks."""

from __future__ import annotations

import math
from dataclasses import asdict
from functools import lru_cache
from typing import Any

from django.contrib.auth.decorators import login_required
from django.http import Http404, HttpRequest, HttpResponse, JsonResponse
from django.views.decorators.http import require_GET

from kunstgriff.delivery.sheet import VOID_LEAST
from kunstgriff.figure.edit import EditRefused, need_bone
from kunstgriff.figure.model import Figure
from kunstgriff.figure.stores import encode_png
from kunstgriff.paint.painter import Painter, PainterMissing
from kunstgriff.reading.proposing import MOVED, Proposal, Trial, propose
from kunstgriff.reading.seams import Seam, seam_angles, sentence_of
from kunstgriff.reading.showing import angles_shown, seam_strip
from kunstgriff.reading.voids import VoidMap, joints_behind, together, void_map
from kunstgriff.seam.joints import limb_radius, meets_as, need_pair
from kunstgriff.seam.pivot import better_pivot
from kunstgriff.seam.treating import KINDS, treated
from kunstgriff.trial.motion import motion_named
from studio.bench.readings import joints_at, seam_at, seam_before, stored_seams, together_at, together_before
from studio.bench.seen import Seen
from studio.bench.state import compiled
from studio.bench.views import require_revision
from studio.library.stores import DatabaseStores
from studio.painting import painted
from studio.requests import lasting, refused

TILE = 448  # px; shown at half of that in the strip
TILES = 5
VOID_STEP = 10.0  # degrees between the poses voids are looked for in
GROW_BEYOND = 2  # px that a part grows further than its void reaches


@login_required
@require_GET
def seam_joints(request: HttpRequest, figure_id: int, seen: Seen) -> HttpResponse:
    """The bones at whose joints two parts meet, with those seams that have been read."""
    seen = require_revision(request, figure_id, seen)
    figure, _ = compiled(seen)
    read = {
        seam.bone: {**_told(seam), "shown": _shown(figure, seam), "meets": _meets(figure, seam)}
        for seam in stored_seams(figure_id, seen)
    }
    return JsonResponse({"bones": [bone.id for bone in joints_at(seen)], "read": read})


@login_required
@require_GET
def seam_readings(request: HttpRequest, figure_id: int, seen: Seen, bone_id: str) -> HttpResponse:
    """One seam over its range, with what misses in sentences, or a sentence where there is none."""
    seen = require_revision(request, figure_id, seen)
    try:
        seam = seam_at(figure_id, seen, bone_id)
        before = seam_before(figure_id, seen, bone_id)
    except (EditRefused, PainterMissing) as error:
        return refused(error)
    figure, _ = compiled(seen)
    now = {"shown": _shown(figure, seam), "meets": _meets(figure, seam)}
    return JsonResponse({**_told(seam), "before": _told(before) if before is not None else None, **now})


def _meets(figure: Figure, seam: Seam) -> str | None:
    """What the two parts at a seam are."""
    return meets_as(figure, need_bone(figure, seam.bone), DatabaseStores())


def _told(seam: Seam) -> dict[str, Any]:
    return {
        "bone": seam.bone,
        "treated": seam.treated,
        "limb": seam.melts,
        "radius": round(seam.radius, 1),
        "line": round(seam.line, 2),
        "cost": round(seam.cost, 2),
        "misses": [{**asdict(miss), "what": miss.what, "sentence": sentence_of(seam, miss)} for miss in seam.misses],
        "readings": [{key: round(value, 3) for key, value in asdict(one).items()} for one in seam.readings],
    }


@login_required
@require_GET
def seam_proposal(request: HttpRequest, figure_id: int, seen: Seen, bone_id: str) -> HttpResponse:
    """Every treatment of a joint with what it reads, and which one is proposed."""
    try:
        found = _proposal(require_revision(request, figure_id, seen), bone_id)
    except (EditRefused, PainterMissing) as error:
        return refused(error)
    trials = [
        {
            "key": one.key,
            "treatment": one.treatment,
            "to": one.to,
            "by": round(one.by, 1),
            "refused": one.refused,
            **_tried(one),
        }
        for one in found.trials
    ]
    return JsonResponse({"bone": bone_id, "now": found.now, "best": found.chosen.key, "trials": trials})


def _tried(trial: Trial) -> dict[str, Any]:
    seam = trial.seam
    if seam is None:
        return {"cost": None, "worst": ""}
    return {"cost": round(seam.cost, 2), "worst": sentence_of(seam, seam.worst) if seam.worst else ""}


@lru_cache(maxsize=256)
def _proposal(seen: Seen, bone_id: str) -> Proposal:
    figure, _ = compiled(seen)
    bone = need_bone(figure, bone_id)
    return painted(lambda painter: propose(figure, DatabaseStores(), bone, painter))


@login_required
@require_GET
def seam_picture(request: HttpRequest, figure_id: int, seen: Seen, bone_id: str, treatment: str) -> HttpResponse:
    """A joint at some angles of its range side by side, as it is (`now`), treated, or moved and treated (`moved_`
    before the treatment), what misses marked."""
    seen = require_revision(request, figure_id, seen)
    if treatment.removeprefix(MOVED) not in ("now", *KINDS):
        raise Http404
    try:
        strip = _strip(figure_id, seen, bone_id, treatment)
    except (EditRefused, PainterMissing) as error:
        return refused(error)
    return lasting(strip)


@lru_cache(maxsize=96)
def _strip(figure_id: int, seen: Seen, bone_id: str, treatment: Any) -> bytes:
    figure, _ = compiled(seen)
    stores = DatabaseStores()
    bone = need_bone(figure, bone_id)
    angles = _angles(figure_id, seen, bone_id)
    # all at one scale: that of the pieces as they are drawn, which none makes narrower
    bare = treated(figure, bone_id, "nothing", stores)
    radius = limb_radius(need_pair(bare, bone, stores), bone, stores)
    shown = figure
    if treatment != "now":
        to = better_pivot(figure, bone, stores) if treatment.startswith(MOVED) else None
        shown = treated(figure, bone_id, treatment.removeprefix(MOVED), stores, to)
        bone = need_bone(shown, bone_id)
    return encode_png(painted(lambda painter: seam_strip(shown, stores, bone, painter, angles, TILE, radius=radius))[0])


@login_required
@require_GET
def seam_together(request: HttpRequest, figure_id: int, seen: Seen, bone_id: str) -> HttpResponse:
    """What misses at a joint where its neighbours turn as well, and in the kept poses."""
    seen = require_revision(request, figure_id, seen)
    try:
        seams = together_at(figure_id, seen, bone_id)
    except (EditRefused, PainterMissing) as error:
        return refused(error)
    worst = [(seam, seam.worst) for seam in seams if seam.worst is not None]
    told = [{"sentence": sentence_of(seam, miss), "times": miss.times} for seam, miss in worst]
    before = together_before(figure_id, seen, bone_id)
    return JsonResponse(
        {
            "bone": bone_id, "read": len(seams), "misses": sorted(told, key=lambda one: -one["times"]),
            "before": None if before is None else sum(bool(seam.misses) for seam in before),
        }
    )  # fmt: skip


@login_required
@require_GET
def void_readings(request: HttpRequest, figure_id: int, seen: Seen, ref: str) -> HttpResponse:
    """What comes to light of a part at all its joints, or of the part behind at one, and what of that is unpainted."""
    try:
        found, lacking = _voids(require_revision(request, figure_id, seen), ref, request.GET.get("motion", ""))
    except (EditRefused, PainterMissing) as error:
        return refused(error)
    query = request.GET.urlencode()
    return JsonResponse(
        {
            "of": ref, "part": found.part.id, "corner": found.corner, "lit": int(found.lit.sum()),
            "unpainted": found.area, "reach": round(found.reach, 1), "grow": lacking,
            "picture": request.path.rstrip("/") + ".png" + (query and f"?{query}"),
        }
    )  # fmt: skip


@login_required
@require_GET
def void_picture(request: HttpRequest, figure_id: int, seen: Seen, ref: str) -> HttpResponse:
    """The map as a picture to be laid over the part at rest."""
    try:
        found, _ = _voids(require_revision(request, figure_id, seen), ref, request.GET.get("motion", ""))
    except (EditRefused, PainterMissing) as error:
        return refused(error)
    return lasting(encode_png(found.picture()))


@lru_cache(maxsize=64)
def _voids(seen: Seen, ref: str, over: str) -> tuple[VoidMap, list[dict[str, Any]]]:
    """The map of a joint or of a part over its range, or `over` a motion, and under which neighbours by how many px it
    would have to grow."""
    figure, _ = compiled(seen)
    stores = DatabaseStores()
    part = figure.part(ref)
    bones = joints_behind(figure, stores).get(part.id, []) if part is not None else [need_bone(figure, ref)]
    if part is not None and not bones:
        raise EditRefused(f"“{part.name}” lies behind another at no joint, so nothing of it comes to light there.")

    motion = motion_named(figure, over) if over else None

    def mapped(painter: Painter) -> list[VoidMap]:
        found = []
        for bone in bones:
            angles = seam_angles(figure, bone, VOID_STEP) if motion is None else ()
            found.append(void_map(figure, stores, bone, painter, angles, motion))
        return found

    maps = painted(mapped)
    lacking = [
        {"part": one.part.id, "neighbour": one.neighbours[0], "by": math.ceil(one.reach) + GROW_BEYOND}
        for one in maps
        if one.area >= VOID_LEAST
    ]
    return together(maps), lacking


def _angles(figure_id: int, seen: Seen, bone_id: str) -> list[float]:
    """The angles a joint is shown at, the worst one among them."""
    return _shown(compiled(seen)[0], seam_at(figure_id, seen, bone_id))


def _shown(figure: Figure, seam: Seam) -> list[float]:
    worst = seam.worst.angle if seam.worst else None
    return angles_shown(seam_angles(figure, need_bone(figure, seam.bone)), worst, TILES)
