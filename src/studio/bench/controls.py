"""Going over from plain turns to a goal and back, or to what else a goal can hang on, while a pose is tried. Nothing is
kept."""

from __future__ import annotations

from functools import lru_cache

from django.contrib.auth.decorators import login_required
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.views.decorators.http import require_GET, require_POST

from kunstgriff.control.edits import need_aim, need_reach
from kunstgriff.control.pulling import lined
from kunstgriff.control.reach_map import reach_map
from kunstgriff.control.taking_over import as_hung, as_reached, as_turned
from kunstgriff.evaluate.state import RigState
from kunstgriff.figure.edit import EditRefused, need_part
from kunstgriff.figure.pose import parse_pose
from kunstgriff.figure.stores import encode_png
from kunstgriff.paint.painter import Painter, PainterMissing, sheet_view
from kunstgriff.trial.mirroring import mirrored
from studio.bench.seen import Seen
from studio.bench.state import compiled
from studio.bench.views import require_revision
from studio.library.stores import DatabaseStores
from studio.painting import painted
from studio.requests import json_body, lasting, refused

PICTURE = (168, 240)  # px; shown at half of that on the card


@login_required
@require_POST
def mirror_pose(request: HttpRequest, figure_id: int, seen: Seen) -> HttpResponse:
    """A pose with its sides changed."""
    _, program = compiled(require_revision(request, figure_id, seen))
    try:
        pose = parse_pose(json_body(request).get("pose", {})).restricted_to(program.posable)
        return JsonResponse({"pose": mirrored(program.figure, pose).model_dump(mode="json")})
    except EditRefused as error:
        return refused(error)


@login_required
@require_GET
def pose_picture(request: HttpRequest, figure_id: int, seen: Seen, number: int) -> HttpResponse:
    """A small picture of a kept pose, by its number."""
    try:
        picture = _pictured(require_revision(request, figure_id, seen), number)
    except (EditRefused, PainterMissing) as error:
        return refused(error)
    return lasting(picture)


@lru_cache(maxsize=256)
def _pictured(seen: Seen, number: int) -> bytes:
    figure, program = compiled(seen)
    if not 0 <= number < len(figure.poses):
        raise EditRefused(f"No pose is kept as number {number}.")
    rig, view = RigState(program), sheet_view(figure, PICTURE)

    def paint(painter: Painter) -> bytes:
        return encode_png(
            painter.paint(rig, rig.evaluate(figure.pose_of(figure.poses[number])), view, DatabaseStores())
        )

    return painted(paint)


@login_required
@require_GET
def line_shares(request: HttpRequest, figure_id: int, seen: Seen, part_id: str) -> HttpResponse:
    """How far a line runs at each vertex of a part's mesh, 0 to 1."""
    figure, _ = compiled(require_revision(request, figure_id, seen))
    try:
        return JsonResponse({"shares": lined(need_part(figure, part_id), DatabaseStores()).round(3).tolist()})
    except EditRefused as error:
        return refused(error)


@login_required
@require_POST
def map_reach(request: HttpRequest, figure_id: int, seen: Seen) -> HttpResponse:
    """What a reach does over the area its goal can be dragged to: a letter for each place, row by row, with where the
    places lie, what the letters mean and what is wrong."""
    _, program = compiled(require_revision(request, figure_id, seen))
    body = json_body(request)
    try:
        reach = need_reach(program.figure, str(body.get("reach")))
        pose = parse_pose(body.get("pose", {})).restricted_to(program.posable)
        found = reach_map(RigState(program), pose, reach)
    except EditRefused as error:
        return refused(error)
    (x, y), (right, _) = found.places[0, 0].tolist(), found.places[0, 1].tolist()
    rows = ["".join("ahswjo"[kind] for kind in row) for row in found.kinds]
    return JsonResponse({"start": [x, y], "step": right - x, "rows": rows, "sentences": found.sentences})


@login_required
@require_POST
def take_over(request: HttpRequest, figure_id: int, seen: Seen) -> HttpResponse:
    """A pose in which a reach goes on by "turns" or by its "goal", or with that hung on what has the number "hang", and
    which looks the same."""
    figure, program = compiled(require_revision(request, figure_id, seen))
    body = json_body(request)
    try:
        pose, rig, key = (
            parse_pose(body.get("pose", {})).restricted_to(program.posable),
            RigState(program),
            body.get("reach"),
        )
        number = body.get("hang")
        if isinstance(number, int) and 0 <= number <= 99:
            after = as_hung(rig, pose, need_aim(figure, str(key)), number)
        else:
            go = as_turned if body.get("to") == "turns" else as_reached
            after = go(rig, pose, need_reach(figure, str(key)))
        return JsonResponse({"pose": after.model_dump(mode="json")})
    except EditRefused as error:
        return refused(error)
