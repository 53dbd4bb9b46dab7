"""Motions as the bench asks about them: the pose that one has on a frame, what its feet do wrong."""

from __future__ import annotations

import math
from contextlib import suppress
from pathlib import Path

import numpy as np
from django.conf import settings
from django.contrib.auth.decorators import login_required
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404
from django.views.decorators.http import require_GET, require_POST

from kunstgriff.evaluate.state import RigState
from kunstgriff.figure.edit import need_bone
from kunstgriff.figure.refusal import EditRefused
from kunstgriff.paint.painter import PainterMissing
from kunstgriff.reading.ghosts import ghosts_of
from kunstgriff.trial import film
from kunstgriff.trial.feet import foot_faults, path_of
from kunstgriff.trial.film_edits import on_the_sheet
from kunstgriff.trial.keys import KeyedMotion, pose_on
from kunstgriff.trial.motion_edits import need_motion
from kunstgriff.trial.sound import LARGEST, flac_of, heard, kept_sound, peaks
from studio.bench.seen import Seen
from studio.bench.state import compiled
from studio.bench.views import require_revision
from studio.library.actions import NotAllowed, require_right
from studio.library.models import Figure, Revision
from studio.library.stores import DatabaseStores
from studio.painting import painted
from studio.requests import lasting, refused, sentence, user_of

MOST = 40  # faults, ghosts, curves and revisions told at once
FARTHEST_BACK = 400  # revisions among which those are looked for
FINEST, MOST_SPOTS = 4, 1_200  # spots of a curve a frame, and in all
PEAKS = 1_000  # pieces of a waveform
JUST = 1e-6  # frames before its end a loop is not at its beginning yet


@login_required
@require_GET
def motion_pose(request: HttpRequest, figure_id: int, seen: Seen, motion_id: str) -> HttpResponse:
    """The pose that a motion has on a `frame`."""
    figure, program = compiled(require_revision(request, figure_id, seen))
    try:
        pose = pose_on(program, need_motion(figure, motion_id), _frame_of(request))
    except EditRefused as error:
        return refused(error)
    return JsonResponse({"pose": pose.model_dump(mode="json")})


def _frame_of(request: HttpRequest) -> float:
    """The frame that is asked for. Raises EditRefused for what is none."""
    with suppress(ValueError):
        if math.isfinite(frame := float(request.GET.get("frame", 0))):
            return frame
    raise EditRefused("A frame is a number.")


@login_required
@require_GET
def motion_feet(request: HttpRequest, figure_id: int, seen: Seen, motion_id: str) -> HttpResponse:
    """What soles do wrong in a motion, worst first, each a sentence with its frames."""
    figure, program = compiled(require_revision(request, figure_id, seen))
    try:
        faults = foot_faults(RigState(program), KeyedMotion(need_motion(figure, motion_id)), DatabaseStores())
    except EditRefused as error:
        return refused(error)
    told = [{"sentence": one.sentence, "bone": one.bone, "first": one.first, "last": one.last} for one in faults]
    return JsonResponse({"faults": told[:MOST]})


@login_required
@require_GET
def motion_path(request: HttpRequest, figure_id: int, seen: Seen, motion_id: str, bone_id: str) -> HttpResponse:
    """Where the tip of a bone lies on each frame of a motion."""
    figure, program = compiled(require_revision(request, figure_id, seen))
    try:
        bone = need_bone(figure, bone_id)
        path = path_of(RigState(program), KeyedMotion(need_motion(figure, motion_id)), bone.id)
    except EditRefused as error:
        return refused(error)
    return JsonResponse({"points": path.round(1).tolist()})


@login_required
@require_GET
def motion_ghosts(request: HttpRequest, figure_id: int, seen: Seen, motion_id: str) -> HttpResponse:
    """Outlines of the figure, or of the `parts` named, on the `frames` of a motion."""
    figure, program = compiled(require_revision(request, figure_id, seen))
    wanted, parts = request.GET.get("frames", "").split(",")[:MOST], request.GET.get("parts", "")
    try:
        motion = KeyedMotion(need_motion(figure, motion_id))
        frames = [int(one) for one in wanted if one.isdigit() and int(one) <= motion.motion.frames]
        rings = painted(
            lambda painter: ghosts_of(
                painter, RigState(program), motion, frames, DatabaseStores(), frozenset(filter(None, parts.split(",")))
            )
        )
    except (EditRefused, PainterMissing) as error:
        return refused(error)
    return JsonResponse({"ghosts": {str(frame): some for frame, some in rings.items()}})


@login_required
@require_GET
def motion_curves(request: HttpRequest, figure_id: int, seen: Seen, motion_id: str) -> HttpResponse:
    """What `channels` are on each frame of a motion, as it goes through their keys."""
    figure, program = compiled(require_revision(request, figure_id, seen))
    try:
        one = need_motion(figure, motion_id)
    except EditRefused as error:
        return refused(error)
    index = program.channels.index
    asked = [name for name in request.GET.get("channels", "").split(",")[:MOST] if name in index]
    frames = np.linspace(0, one.frames, min(FINEST * one.frames, MOST_SPOTS) + 1)
    course = KeyedMotion(one).course(program, np.minimum(frames, one.frames - JUST) / one.rate)
    values = {name: course[:, index[name]].round(3).tolist() for name in asked}
    return JsonResponse({"frames": frames.round(3).tolist(), "values": values})


@login_required
@require_POST
def keep_sound(request: HttpRequest, figure_id: int) -> HttpResponse:
    """Keep an uploaded sound; answers with what the edit takes that lays it beside a motion."""
    figure = get_object_or_404(Figure.objects.seen_by(request.user), pk=figure_id)
    upload = request.FILES.get("sound")
    try:
        require_right(user_of(request), figure)
        if upload is None or (upload.size or 0) > min(LARGEST, settings.UPLOAD_LIMIT):
            return sentence("Choose a WAV, FLAC or Ogg file of at most 64 MB.", 400)
        kept = kept_sound(DatabaseStores(), Path(str(upload.name)).stem, upload.read())
    except NotAllowed as error:
        return sentence(str(error), 403)
    except EditRefused as error:
        return refused(error)
    return JsonResponse({"sound": kept.model_dump(mode="json")})


@login_required
@require_GET
def motion_sound(request: HttpRequest, figure_id: int, seen: Seen, motion_id: str) -> HttpResponse:
    """The sound of a motion as FLAC, or with `peaks` how loud it is over its frames."""
    figure, _ = compiled(require_revision(request, figure_id, seen))
    try:
        one = need_motion(figure, motion_id)
        if one.sound is None:
            raise EditRefused(f"“{one.name}” has no sound.")
        if "peaks" not in request.GET:
            return lasting(flac_of(DatabaseStores(), one.sound), "audio/flac")
        found = heard(DatabaseStores(), one)
    except EditRefused as error:
        return refused(error)
    assert found is not None
    return JsonResponse({"peaks": [round(one, 3) for one in peaks(found[0], PEAKS)]})


@login_required
@require_POST
def keep_film(request: HttpRequest, figure_id: int, seen: Seen, motion_id: str) -> HttpResponse:
    """Keep an uploaded film or numbered pictures; answers with what the edit takes that lays it under the motion."""
    figure, _ = compiled(require_revision(request, figure_id, seen))
    owned = get_object_or_404(Figure.objects.seen_by(request.user), pk=figure_id)
    uploads = request.FILES.getlist("film")
    try:
        require_right(user_of(request), owned)
        if sum(one.size or 0 for one in uploads) > min(film.LARGEST, settings.UPLOAD_LIMIT):
            return sentence(f"{film.LARGEST // 1024**2} MB of film are taken at most.", 400)
        files = [film.Named(str(one.name), one.read()) for one in uploads]
        kept = film.kept_film(DatabaseStores(), files, need_motion(figure, motion_id).rate)
    except NotAllowed as error:
        return sentence(str(error), 403)
    except EditRefused as error:
        return refused(error)
    return JsonResponse({"film": on_the_sheet(kept, figure).model_dump(mode="json")})


@login_required
@require_GET
def film_still(request: HttpRequest, figure_id: int, seen: Seen, motion_id: str, number: int) -> HttpResponse:
    """One picture of a motion's film."""
    figure, _ = compiled(require_revision(request, figure_id, seen))
    try:
        one = need_motion(figure, motion_id)
        if one.film is None:
            raise EditRefused(f"There is no film under “{one.name}”.")
        return lasting(film.still_of(DatabaseStores(), one.film, number), "image/webp")
    except EditRefused as error:
        return refused(error)


@login_required
@require_GET
def earlier_revisions(request: HttpRequest, figure_id: int, seen: Seen) -> HttpResponse:
    """The latest revisions that one came from, the newest first: what was done, and when."""
    seen = require_revision(request, figure_id, seen)
    told = Revision.objects.filter(figure_id=figure_id, pk__lte=seen.revision).order_by("-pk")
    known = {one["pk"]: one for one in told.values("pk", "parent", "told", "created")[:FARTHEST_BACK]}
    found, at = list[dict[str, object]](), known[seen.revision]["parent"]
    while at in known and len(found) < MOST:
        found.append({"id": at, "told": known[at]["told"], "created": known[at]["created"].isoformat()})
        at = known[at]["parent"]
    return JsonResponse({"revisions": found})
