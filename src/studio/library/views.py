"""The figure library."""

from __future__ import annotations

from django.contrib import messages
from django.contrib.auth.decorators import login_required
from django.core.paginator import Paginator
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_POST

from studio.accounts.models import User
from studio.library.actions import copy_figure
from studio.library.models import Figure, Share
from studio.library.stores import picture_path
from studio.library.sweeping import delete_figure
from studio.requests import lasting, user_of

AT_ONCE = 60  # figures on a page
ORDERS = {
    "changed": ("changed last", ("-changed", "-pk")), "name": ("by name", ("name", "pk")),
    "made": ("made last", ("-created", "-pk")), "first": ("made first", ("created", "pk")),
}  # fmt: skip


@login_required
@require_GET
def library(request: HttpRequest) -> HttpResponse:
    """The user's figures and those shared with them: those whose names have all words of `q`, by `sort`, a page at
    once."""
    asked, sort = request.GET.get("q", "")[:80].strip(), request.GET.get("sort", "")
    sort = sort if sort in ORDERS else next(iter(ORDERS))
    figures = Figure.objects.seen_by(request.user).select_related("owner", "thumbnail")
    for word in asked.split():
        figures = figures.filter(name__icontains=word)
    ordered = figures.order_by(*ORDERS[sort][1]).prefetch_related("shares__user")
    page = Paginator(ordered, AT_ONCE).get_page(request.GET.get("page"))
    orders = {key: word for key, (word, _) in ORDERS.items()}
    return render(request, "library/library.html", {"figures": page, "asked": asked, "sort": sort, "orders": orders})


@login_required
@require_GET
def picture(request: HttpRequest, digest: str) -> HttpResponse:
    """A picture by its hash. The hash is the right to see it: it is told only with figures one may see."""
    if len(digest) != 64 or set(digest) - set("0123456789abcdef"):
        raise Http404
    path = picture_path(digest)
    if not path.exists():
        raise Http404
    return lasting(path.read_bytes())


@login_required
@require_POST
def share(request: HttpRequest, figure_id: int) -> HttpResponse:
    """Share a figure with another user, to look at or to edit."""
    figure = get_object_or_404(Figure, pk=figure_id, owner=request.user)
    name = request.POST.get("username", "").strip()
    other = User.objects.filter(username=name).exclude(pk=user_of(request).pk).first()
    if other is None:
        messages.error(request, f"There is no other user called “{name}”.")
    else:
        may_edit = request.POST.get("may_edit") == "yes"
        Share.objects.update_or_create(figure=figure, user=other, defaults={"may_edit": may_edit})
        messages.success(request, f"{figure.name} is now shared with {name} {'to edit' if may_edit else 'to look at'}.")
    return redirect("library")


@login_required
@require_POST
def copy(request: HttpRequest, figure_id: int) -> HttpResponse:
    """A working copy, for something risky."""
    figure = get_object_or_404(Figure.objects.seen_by(request.user).select_related("head"), pk=figure_id)
    made = copy_figure(user_of(request), figure)
    messages.success(request, f"{made.name} lies in your library.")
    return redirect("library")


@login_required
@require_POST
def unshare(request: HttpRequest, figure_id: int, user_id: int) -> HttpResponse:
    """Share a figure no more."""
    figure = get_object_or_404(Figure, pk=figure_id, owner=request.user)
    figure.shares.filter(user_id=user_id).delete()
    return redirect("library")


@login_required
@require_POST
def delete(request: HttpRequest, figure_id: int) -> HttpResponse:
    """Delete a figure for good; the page asks for its name first."""
    figure = get_object_or_404(Figure, pk=figure_id, owner=request.user)
    if request.POST.get("name") != figure.name:
        messages.error(request, f"{figure.name} was kept: type its name exactly to delete it.")
        return redirect("library")
    delete_figure(figure)
    messages.success(request, f"{figure.name} was deleted.")
    return redirect("library")
