"""People."""

from django.contrib.auth.models import AbstractUser


class User(AbstractUser):
    """A rigger with an account; Django's own fields serve."""
