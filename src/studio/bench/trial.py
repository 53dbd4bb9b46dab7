"""Motions as the bench asks about them: the pose that one has on a frame."""

from __future__ import annotations

from django.contrib.auth.decorators import login_required
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.views.decorators.http import require_GET

from kunstgriff.figure.refusal import EditRefused
from kunstgriff.trial.keys import pose_on
from kunstgriff.trial.motion_edits import need_motion
from studio.bench.seen import Seen
from studio.bench.state import compiled
from studio.bench.views import require_revision
from studio.requests import refused


@login_required
@require_GET
def motion_pose(request: HttpRequest, figure_id: int, seen: Seen, motion_id: str) -> HttpResponse:
    """The pose that a motion has on a `frame`."""
    figure, program = compiled(require_revision(request, figure_id, seen))
    try:
        frame = float(request.GET.get("frame", 0))
        pose = pose_on(program, need_motion(figure, motion_id), frame)
    except (EditRefused, ValueError) as error:
        return refused(error if isinstance(error, EditRefused) else EditRefused("A frame is a number."))
    return JsonResponse({"pose": pose.model_dump(mode="json")})
