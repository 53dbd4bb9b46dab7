"""A person's own account: password, address for a lost one, signed out everywhere, deleted with all that is theirs."""

from __future__ import annotations

from typing import Any

from django import forms
from django.contrib import messages
from django.contrib.auth import logout, update_session_auth_hash
from django.contrib.auth.decorators import login_required
from django.contrib.auth.forms import PasswordChangeForm
from django.contrib.auth.views import (
    PasswordResetCompleteView,
    PasswordResetConfirmView,
    PasswordResetDoneView,
    PasswordResetView,
)
from django.db import transaction
from django.db.models import F
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.urls import reverse_lazy
from django.views.decorators.http import require_POST

from studio.accounts.models import User
from studio.accounts.patience import Busy, hashing, too_often
from studio.library.models import Figure
from studio.library.sweeping import delete_figure
from studio.requests import user_of


class AddressForm(forms.ModelForm[User]):
    """Where a link is sent to who forgot their password."""

    class Meta:
        model = User
        fields = ("email",)


@login_required
def account(request: HttpRequest) -> HttpResponse:
    """The account, its address and password changed."""
    user = user_of(request)
    address, password = AddressForm(instance=user), PasswordChangeForm(user)
    if request.method == "POST" and "email" in request.POST:
        address = AddressForm(request.POST, instance=user)
        if address.is_valid():
            address.save()
            messages.success(request, "The address is kept.")
            return redirect("account")
    elif request.method == "POST":
        password = PasswordChangeForm(user, request.POST)
        try:
            with hashing():
                if password.is_valid():
                    password.save()
                    update_session_auth_hash(request, user)
                    messages.success(request, "The password is changed; other browsers are signed out.")
                    return redirect("account")
        except Busy as busy:
            messages.error(request, busy.message)  # to add it to the form would hash after all
            return redirect("account")
    there = {"address": address, "password": password, "figures": Figure.objects.filter(owner=user).count()}
    return render(request, "accounts/account.html", there)


@login_required
@require_POST
def leave_everywhere(request: HttpRequest) -> HttpResponse:
    """Sign out in every browser, this one too."""
    User.objects.filter(pk=user_of(request).pk).update(left=F("left") + 1)
    logout(request)
    messages.success(request, "You are signed out everywhere.")
    return redirect("login")


@login_required
@require_POST
def delete_account(request: HttpRequest) -> HttpResponse:
    """Delete the account with all its figures, deliveries and lists, once its password is given."""
    user = user_of(request)
    try:
        with hashing():
            known = user.check_password(request.POST.get("password", ""))
    except Busy as busy:
        messages.error(request, busy.message)
        return redirect("account")
    if not known:
        messages.error(request, "The account was kept: that is not its password.")
        return redirect("account")
    with transaction.atomic():
        for figure in Figure.objects.filter(owner=user):
            delete_figure(figure)
        logout(request)
        User.objects.get(pk=user.pk).delete()
    messages.success(request, "The account and all that was its own is deleted.")
    return redirect("login")


class Reset(PasswordResetView):
    """Send a link to who forgot their password, where their address is known; nobody is told whether it is."""

    template_name = "accounts/reset.html"
    email_template_name = "accounts/reset_mail.txt"
    subject_template_name = "accounts/reset_subject.txt"
    success_url = reverse_lazy("reset-sent")

    def form_valid(self, form: Any) -> HttpResponse:
        if too_often(self.request, "reset"):
            form.add_error(None, "Too many links were asked for from here. Wait a few minutes, then try again.")
            return self.form_invalid(form)
        return super().form_valid(form)


class ResetSent(PasswordResetDoneView):
    """A link is on its way, if there is such an address."""

    template_name = "accounts/reset_sent.html"


class ResetConfirm(PasswordResetConfirmView):
    """A new password, by the link."""

    template_name = "accounts/reset_confirm.html"
    success_url = reverse_lazy("reset-done")


class ResetDone(PasswordResetCompleteView):
    """It is changed."""

    template_name = "accounts/reset_done.html"
