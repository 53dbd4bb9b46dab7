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
from studio.accounts.patience import Busy, hashing, too_often

KNOWN = "known"  # the cookie of a browser from which someone signed in before


class ThrottledForm(AuthenticationForm):
    """Counts wrong passwords: an address that sends `LOGIN_TRIES` of them waits, a name is only slowed down.

    A browser from which someone signed in before is known and not slowed down, so that nobody can be kept out by others
    who try their name. Passwords are hashed a few at a time.
    """

    def clean(self) -> dict[str, Any]:
        username = str(self.cleaned_data.get("username", "")).lower()
        address = _key(f"from {self.request.META.get('REMOTE_ADDR', '') if self.request else ''}")
        name, slowed = _key(f"name {username}"), _key(f"slowed {username}")
        if cache.get(address, 0) >= settings.LOGIN_TRIES:
            minutes = settings.LOGIN_WAIT // 60
            raise ValidationError(f"Too many wrong passwords. Wait {minutes} minutes, then try again.", "throttled")
        tried_often = cache.get(name, 0) >= settings.LOGIN_TRIES and not self._is_known(username)
        if tried_often and not cache.add(slowed, True, settings.LOGIN_SLOW):
            raise ValidationError(
                f"Many wrong passwords were tried for this name. Wait {settings.LOGIN_SLOW} seconds, then try again.",
                "throttled",
            )
        try:
            with hashing():
                cleaned = super().clean()
        except Busy:
            raise
        except ValidationError:
            for key in (address, name):
                cache.set(key, cache.get(key, 0) + 1, settings.LOGIN_WAIT)
            raise
        cache.delete_many([address, name, slowed])
        return cleaned

    def _is_known(self, username: str) -> bool:
        age = settings.KNOWN_DAYS * 86_400
        known = self.request.get_signed_cookie(KNOWN, "", max_age=age) if self.request else ""
        return bool(username) and known == _key(username)


def _key(what: str) -> str:
    return "sign-in-" + hashlib.sha256(what.encode()).hexdigest()


class NewUserForm(UserCreationForm[User]):
    """A name and a password, twice."""

    class Meta:
        model = User
        fields = ("username",)


class SignUp(CreateView[User, NewUserForm]):
    """Make an account of one's own, where the studio allows it; a few from one address in a while."""

    template_name = "accounts/sign_up.html"
    form_class = NewUserForm
    success_url = reverse_lazy("library")

    def dispatch(self, request: HttpRequest, *args: Any, **kwargs: Any) -> HttpResponseBase:
        if not settings.SIGN_UP:
            raise Http404
        return super().dispatch(request, *args, **kwargs)

    def form_valid(self, form: NewUserForm) -> HttpResponse:
        if too_often(self.request, "sign-up"):
            form.add_error(None, "Too many new accounts from here. Wait a few minutes, then try again.")
            return self.form_invalid(form)
        answer = super().form_valid(form)
        login(self.request, form.instance)
        return answer


class SignIn(LoginView):
    """Sign in; a name that others try is slowed down."""

    template_name = "accounts/sign_in.html"
    form_class = ThrottledForm
    redirect_authenticated_user = True

    def form_valid(self, form: AuthenticationForm) -> HttpResponse:
        answer = super().form_valid(form)
        mark = _key(form.get_user().get_username().lower())
        answer.set_signed_cookie(
            KNOWN, mark, max_age=settings.KNOWN_DAYS * 86_400, httponly=True, samesite="Lax",
            secure=settings.SESSION_COOKIE_SECURE,
        )  # fmt: skip
        return answer

    extra_context = {"sign_up": settings.SIGN_UP}
