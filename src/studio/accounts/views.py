"""Signing in, with patience for wrong passwords running out."""

from __future__ import annotations

import hashlib
from typing import Any

from django.conf import settings
from django.contrib.auth.forms import AuthenticationForm
from django.contrib.auth.views import LoginView
from django.core.cache import cache
from django.core.exceptions import ValidationError


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


class SignIn(LoginView):
    template_name = "accounts/sign_in.html"
    form_class = ThrottledForm
    redirect_authenticated_user = True
