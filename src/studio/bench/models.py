"""Seams as they were read: one row a joint and one a reading, kept by a mark of all they depend on."""

from __future__ import annotations

from django.db import models

from studio.library.models import Figure


class SeamRead(models.Model):
    """A joint's seam read once. `mark` is the digest of all it depends on: while that stays it need not be read again,
    and revisions can be compared by it. `treatment` tells what lay there, `situation` what else was turned."""

    figure = models.ForeignKey(Figure, models.CASCADE, related_name="seams")
    mark = models.CharField(max_length=64)
    bone = models.CharField(max_length=10)
    joint = models.CharField(max_length=80)
    treatment = models.CharField(max_length=120)
    situation = models.CharField(max_length=200, blank=True)
    radius = models.FloatField()
    line = models.FloatField()
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["figure", "mark"], name="one_seam_per_mark")]


class Reading(models.Model):
    """What was read at one angle (degrees); lengths in px, areas in px², kept width and area as shares
    (see `kunstgriff.reading.seam`)."""

    seam = models.ForeignKey(SeamRead, models.CASCADE, related_name="readings")
    angle = models.FloatField()
    gap = models.FloatField()
    gap_disc = models.FloatField()
    void = models.FloatField()
    void_disc = models.FloatField()
    ink = models.FloatField()
    ink_length = models.FloatField()
    corner_length = models.FloatField()
    outline_step = models.FloatField()
    notch = models.FloatField()
    bump = models.FloatField()
    width_kept = models.FloatField()
    area_kept = models.FloatField()
    folded = models.PositiveIntegerField()
    jump = models.FloatField()
    beyond = models.FloatField(default=0)
    short = models.FloatField(default=0)
    corner = models.FloatField(default=0)

    class Meta:
        ordering = ["angle"]
        constraints = [models.UniqueConstraint(fields=["seam", "angle"], name="one_reading_per_angle")]


class BendRead(models.Model):
    """A bend read through its joint's range once, by the mark of all it depends on: how many times beyond what is
    tolerated the worst of it is (0: all is well), at how many degrees, and in words."""

    figure = models.ForeignKey(Figure, models.CASCADE, related_name="bends")
    mark = models.CharField(max_length=64)
    bone = models.CharField(max_length=10)
    times = models.FloatField()
    angle = models.FloatField()
    words = models.CharField(max_length=200)
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["figure", "mark"], name="one_bend_per_mark")]
