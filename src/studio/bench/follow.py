"""What follows through, as the bench asks about it: what a spring does on the standard swing, how chains do in a
motion."""

from __future__ import annotations

import math
from typing import Any

from django.contrib.auth.decorators import login_required
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.views.decorators.http import require_GET

from kunstgriff.evaluate.state import RigState
from kunstgriff.figure.follow import Wish
from kunstgriff.figure.refusal import EditRefused
from kunstgriff.follow.edits import springy
from kunstgriff.follow.intent import MATERIALS, Seen, on_standard_swing, tuned
from kunstgriff.reading.following import read_following
from kunstgriff.trial.motion import motion_named
from studio.bench import seen as seen_by
from studio.bench.state import compiled
from studio.bench.views import require_revision
from studio.requests import refused

CURVE = 84  # frames of a curve that are told


@login_required
@require_GET
def spring_curve(request: HttpRequest, figure_id: int, seen: seen_by.Seen, bone_id: str) -> HttpResponse:
    """What the chain that begins at a bone does on the standard swing, as it is or as it would with a `material` or
    what is wished of it."""
    figure, _ = compiled(require_revision(request, figure_id, seen))
    try:
        figure, spring = springy(figure, bone_id)
        material = MATERIALS.get(request.GET.get("material", ""))
        wish = Wish(**{name: _number(request, name) for name in ("settles", "overshoots", "lags")})
        if material is not None:
            spring = spring.model_copy(update={"air": material.air, "weight": material.weight})
            spring = tuned(figure, spring, material.wish, nearest=True)
        elif wish != Wish():
            spring = tuned(figure, spring, wish)
        found = on_standard_swing(figure, spring, [(spring.frequency, spring.damping_ratio)])[0]
    except EditRefused as error:
        return refused(error)
    except ValueError:
        return refused(EditRefused("A wish is a number of frames, or a share."))
    return JsonResponse(_told(found))


def _number(request: HttpRequest, name: str) -> float | None:
    said = request.GET.get(name, "")
    value = float(said) if said else None
    if value is not None and not math.isfinite(value):
        raise ValueError(name)
    return value


def _told(found: Seen) -> dict[str, Any]:
    return {
        "settles": round(found.settles, 1), "overshoots": round(found.overshoots, 3), "lags": round(found.lags, 1),
        "curve": found.curve[:CURVE].round(3).tolist(),
    }  # fmt: skip


@login_required
@require_GET
def follow_reading(request: HttpRequest, figure_id: int, seen: seen_by.Seen) -> HttpResponse:
    """How every chain follows through a `motion`."""
    figure, program = compiled(require_revision(request, figure_id, seen))
    try:
        found = read_following(RigState(program), motion_named(figure, request.GET.get("motion") or None))
    except EditRefused as error:
        return refused(error)
    return JsonResponse(found.data)
