"""Jobs over HTTP: start, watch, stop, fetch."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from django.contrib.auth.decorators import login_required
from django.http import FileResponse, Http404, HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from kunstgriff.figure.edit import EditRefused
from kunstgriff.figure.refusal import DeliveryRefused
from studio.deliveries.actions import ask_to_stop, order_delivery, order_import, order_list, order_scale, save_list
from studio.deliveries.models import Job, SavedList
from studio.library.actions import NotAllowed
from studio.library.models import Figure
from studio.requests import json_body, number, refused, sentence, user_of


def told(job: Job) -> dict[str, Any]:
    """A job as the pages show it."""
    has_file = job.state == Job.State.DONE and job.result.name and job.result.storage.exists(job.result.name)
    return {
        "id": str(job.pk),
        "kind": job.kind,
        "state": job.state,
        "done": job.done,
        "total": job.total,
        "stage": job.stage,
        "sentence": job.sentence,
        "over": job.is_over,
        "ending": job.order.get("ending", ""),
        "file": reverse("job-file", args=[job.pk]) if has_file else "",
        "size": job.result.size if has_file else 0,
        "bench": reverse("bench", args=[job.figure_id]) if job.figure_id else "",
        "renewal": reverse("renewal", args=[job.figure_id, job.order["renewal"]]) if "renewal" in job.order else "",
    }


def _own(request: HttpRequest, job_id: Any) -> Job:
    return get_object_or_404(Job, pk=job_id, owner=request.user)


@login_required
@require_POST
def start_import(request: HttpRequest) -> HttpResponse:
    """Take an upload and order its import."""
    upload = request.FILES.get("art")
    if upload is None:
        return sentence("Choose a file to import.", 400)
    onto = None
    if (key := number(request.POST.get("onto", ""))) is not None:
        onto = get_object_or_404(Figure.objects.seen_by(request.user), pk=key)
    scale = int(request.POST["scale"]) if request.POST.get("scale") in ("1", "2", "4") else 1
    return _ordered(lambda: order_import(user_of(request), upload, onto, scale, request.POST.get("name", "")))


@login_required
@require_POST
def start_scale(request: HttpRequest, figure_id: int) -> HttpResponse:
    """Read the figure's SVG again at another scale."""
    figure = get_object_or_404(Figure.objects.seen_by(request.user), pk=figure_id)
    return _ordered(lambda: order_scale(user_of(request), figure, json_body(request).get("scale")))


@login_required
@require_POST
def start_delivery(request: HttpRequest, figure_id: int) -> HttpResponse:
    """Order a delivery of a figure."""
    figure = get_object_or_404(Figure.objects.seen_by(request.user), pk=figure_id)

    def order() -> Job:
        data = json_body(request)
        if "list" in data:
            return order_list(user_of(request), figure, data["list"])
        return order_delivery(
            user_of(request),
            figure,
            str(data.get("ending")),
            data.get("pose"),
            data.get("size"),
            data.get("rate"),
            data.get("motion"),
            data.get("before"),
            data.get("shot"),
        )

    return _ordered(order)


def _ordered(order: Callable[[], Job]) -> HttpResponse:
    """The job that was ordered, or a sentence why it cannot be."""
    try:
        return JsonResponse(told(order()))
    except NotAllowed as error:
        return sentence(str(error), 403)
    except (EditRefused, DeliveryRefused) as error:
        return refused(error)


@login_required
@require_GET
def lists(request: HttpRequest) -> HttpResponse:
    """The delivery lists that the user keeps."""
    return _kept(request)


def _kept(request: HttpRequest) -> JsonResponse:
    return JsonResponse({"lists": [told_list(one) for one in SavedList.objects.filter(owner=user_of(request))]})


def told_list(one: SavedList) -> dict[str, Any]:
    """A delivery list as the pages show it."""
    return {"id": one.pk, **one.document}


@login_required
@require_POST
def keep_list(request: HttpRequest) -> HttpResponse:
    """Keep a delivery list."""
    try:
        return JsonResponse(told_list(save_list(user_of(request), json_body(request))))
    except (EditRefused, DeliveryRefused) as error:
        return refused(error)


@login_required
@require_POST
def drop_list(request: HttpRequest, list_id: int) -> HttpResponse:
    """Delete a delivery list."""
    SavedList.objects.filter(owner=user_of(request), pk=list_id).delete()
    return _kept(request)


@login_required
@require_GET
def jobs_of_figure(request: HttpRequest, figure_id: int) -> HttpResponse:
    """The user's latest deliveries of a figure."""
    jobs = Job.objects.filter(owner=user_of(request), figure_id=figure_id, kind=Job.Kind.DELIVERY)[:12]
    return JsonResponse({"jobs": [told(job) for job in jobs]})


@login_required
@require_GET
def job_state(request: HttpRequest, job_id: Any) -> HttpResponse:
    """How far a job is."""
    return JsonResponse(told(_own(request, job_id)))


@login_required
@require_POST
def stop_job(request: HttpRequest, job_id: Any) -> HttpResponse:
    """Stop a job."""
    job = _own(request, job_id)
    ask_to_stop(job)
    job.refresh_from_db()
    return JsonResponse(told(job))


@login_required
@require_GET
def job_file(request: HttpRequest, job_id: Any) -> FileResponse:
    """The finished file, always as a download, never shown in our own origin."""
    job = _own(request, job_id)
    if job.state != Job.State.DONE or not job.result.name:
        raise Http404
    name = job.result.name.rsplit("/", 1)[-1]
    return FileResponse(
        job.result.open("rb"), as_attachment=True, filename=name, content_type="application/octet-stream"
    )
