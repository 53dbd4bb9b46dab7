"""Figures and all that is kept of them. Foreign keys and unique constraints do the guarding."""

from __future__ import annotations

from typing import TYPE_CHECKING

from django.conf import settings
from django.db import models

if TYPE_CHECKING:
    from django.contrib.auth.models import AnonymousUser

    from studio.accounts.models import User


class ArrayBlock(models.Model):
    """A dense array as a .npy file, named by the SHA-256 of its bytes; never changed."""

    digest = models.CharField(max_length=64, primary_key=True)
    data = models.BinaryField()


class Picture(models.Model):
    """A PNG on disk, named by the SHA-256 of its bytes; never changed."""

    digest = models.CharField(max_length=64, primary_key=True)
    file = models.FileField()
    size = models.PositiveBigIntegerField()


class Leaving(models.Model):
    """Content that a deleted figure referred to, by its digest, and since when."""

    digest = models.CharField(max_length=64, primary_key=True)
    since = models.DateTimeField()


class FigureQuerySet(models.QuerySet["Figure"]):
    """Figures by who may see them."""

    def seen_by(self, user: User | AnonymousUser) -> FigureQuerySet:
        """Figures that are the user's own or shared with them."""
        return self.filter(models.Q(owner=user) | models.Q(shares__user=user)).distinct()


class Figure(models.Model):
    """A figure in the library. `head` is the revision that is current; undo and redo move it."""

    owner = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="figures")
    name = models.CharField(max_length=80)
    head = models.ForeignKey("Revision", models.PROTECT, null=True, related_name="+")
    thumbnail = models.ForeignKey(Picture, models.SET_NULL, null=True, related_name="+")
    created = models.DateTimeField(auto_now_add=True)
    changed = models.DateTimeField(auto_now=True)

    objects = FigureQuerySet.as_manager()

    class Meta:
        ordering = ["-changed"]

    @property
    def newest(self) -> Revision:
        """Its newest revision, which each has as soon as it is made."""
        assert self.head is not None
        return self.head

    @property
    def newest_id(self) -> int:
        """The key of that revision."""
        assert self.head_id is not None
        return self.head_id

    def may_edit(self, user: User) -> bool:
        return self.owner_id == user.pk or self.shares.filter(user=user, may_edit=True).exists()


class Revision(models.Model):
    """One accepted edit and the document it led to. The tree of parents keeps everything ever done."""

    figure = models.ForeignKey(Figure, models.CASCADE, related_name="revisions")
    parent = models.ForeignKey("self", models.PROTECT, null=True, related_name="children")
    author = models.ForeignKey(settings.AUTH_USER_MODEL, models.SET_NULL, null=True)
    edit = models.JSONField(null=True)
    told = models.CharField(max_length=200)
    document = models.JSONField()
    created = models.DateTimeField(auto_now_add=True)


class Share(models.Model):
    """A figure shown to another user, to look at or to edit."""

    figure = models.ForeignKey(Figure, models.CASCADE, related_name="shares")
    user = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="shares")
    may_edit = models.BooleanField(default=False)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["figure", "user"], name="one_share_per_user")]


class ArtSheet(models.Model):
    """The imported artwork of a figure at one import, with what was odd about it.

    `sheet` is a new version that waits to be taken over; `source` the drawing's file where it can be read again at
    another scale, in a folder nothing serves.
    """

    figure = models.ForeignKey(Figure, models.CASCADE, related_name="art_sheets")
    file_name = models.CharField(max_length=200)
    notices = models.JSONField(default=list)
    sheet = models.JSONField(null=True)
    source = models.CharField(max_length=200, default="")
    created = models.DateTimeField(auto_now_add=True)
