"""People."""

from django.contrib.auth.models import AbstractUser
from django.db import models
from django.utils.crypto import salted_hmac


class User(AbstractUser):
    """A rigger with an account. `left` counts how often they signed out everywhere: sessions are good for one count."""

    left = models.PositiveIntegerField(default=0)

    def _get_session_auth_hash(self, secret: str | None = None) -> str:
        salt = "studio.accounts.models.User.session"
        return salted_hmac(salt, f"{self.password} {self.left}", secret=secret, algorithm="sha256").hexdigest()
