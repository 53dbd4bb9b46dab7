"""Signing in, with patience for wrong passwords running out."""

from __future__ import annotations

import hashlib
from typing import Any

from django.conf import settings
from django.contrib.auth import login
from django.contrib.auth.forms import AuthenticationForm, UserCreationForm
from django.contrib.auth.views import LoginView
from django.core.cache import cache
from django.core.exceptions import ValidationError
from django.http import Http404, HttpRequest, HttpResponse
from django.http.response import HttpResponseBase
from django.urls import reverse_lazy
from django.views.generic import CreateView

from studio.accounts.models import User


class ThrottledForm(AuthenticationForm):
    """Counts wrong passwords by name and by address; after `LOGIN_TRIES` either must wait `LOGIN_WAIT` seconds."""

    def clean(self) -> dict[str, Any]:
        keys = self._keys()
        if any(cache.get(key, 0) >= settings.LOGIN_TRIES for key in keys):
            minutes = settings.LOGIN_WAIT // 60
            raise ValidationError(
                f"Too many wrong passwords. Wait {minutes} minutes, then try again.", code="throttled"
            )
        try:
            cleaned = super().clean()
        except ValidationError:
            for key in keys:
                cache.set(key, cache.get(key, 0) + 1, settings.LOGIN_WAIT)
            raise
        cache.delete_many(keys)
        return cleaned

    def _keys(self) -> list[str]:
        name = str(self.cleaned_data.get("username", "")).lower()
        address = self.request.META.get("REMOTE_ADDR", "") if self.request else ""
        return ["sign-in-" + hashlib.sha256(one.encode()).hexdigest() for one in (f"name {name}", f"from {address}")]


class NewUserForm(UserCreationForm):
    class Meta:
        model = User
        fields = ("username",)


class SignUp(CreateView):
    """Make an account of one's own, where the studio allows it; a few from one address in a while."""

    template_name = "accounts/sign_up.html"
    form_class = NewUserForm
    success_url = reverse_lazy("library")

    def dispatch(self, request: HttpRequest, *args: Any, **kwargs: Any) -> HttpResponseBase:
        if not settings.SIGN_UP:
            raise Http404
        return super().dispatch(request, *args, **kwargs)

    def form_valid(self, form: NewUserForm) -> HttpResponse:
        key = "sign-up-" + hashlib.sha256(self.request.META.get("REMOTE_ADDR", "").encode()).hexdigest()
        if cache.get(key, 0) >= settings.LOGIN_TRIES:
            form.add_error(None, "Too many new accounts from here. Wait a few minutes, then try again.")
            return self.form_invalid(form)
        cache.set(key, cache.get(key, 0) + 1, settings.LOGIN_WAIT)
        answer = super().form_valid(form)
        login(self.request, form.instance)
        return answer


class SignIn(LoginView):
    template_name = "accounts/sign_in.html"
    form_class = ThrottledForm
    redirect_authenticated_user = True
    extra_context = {"sign_up": settings.SIGN_UP}
