"""Bones of a figure, and how far their joints turn."""

from __future__ import annotations

import math
from typing import Annotated, Self

from pydantic import Field

from kunstgriff.figure.values import PLAIN, TURN, BoneId, BoneRef, FigurePoint, Name, Value


class Limits(Value):
    """How far a joint turns from rest, degrees; `soft` degrees before an end it begins to resist (0: it just stops)."""

    low: Annotated[float, Field(ge=-360, le=0), TURN]
    high: Annotated[float, Field(ge=0, le=360), TURN]
    soft: Annotated[float, Field(ge=0, le=90), PLAIN] = 0.0

    @property
    def mirrored(self) -> Self:
        """The same for a joint on the other side."""
        return self.model_copy(update={"low": -self.high, "high": -self.low})


class Bone(Value):
    """From its joint to its tip, both in figure space at rest. `hue` (degrees, OKLCH) is its colour everywhere.

    A `locked` bone keeps its place and is not turned by hand; a `connector` only links others and moves no part. On a
    facing where it is `flipped` it does the mirror picture of what is told of it (see `figure.flipping`).
    """

    id: BoneId
    name: Name
    parent: BoneRef | None = None
    joint: FigurePoint
    tip: FigurePoint
    hue: Annotated[float, Field(ge=0, lt=360), PLAIN]
    limits: Limits | None = None
    locked: bool = False
    connector: bool = False
    flipped: bool = False

    @property
    def direction(self) -> float:
        """Where it points at rest, rad clockwise from the right."""
        return math.atan2(self.tip[1] - self.joint[1], self.tip[0] - self.joint[0])

    @property
    def across(self) -> float:
        """How far it goes to the right at rest, of its length."""
        return (self.tip[0] - self.joint[0]) / (math.dist(self.joint, self.tip) or 1.0)
