"""What can be posed of reaches: where their goals are, how a foot is turned, and how far they reach at all."""

from __future__ import annotations

from kunstgriff.figure.channels import Of, Quantity

FARTHEST, MOST_TURN = 1e5, 36_000.0  # px, degrees
REACHES: tuple[Of, ...] = ("reach",)

GOAL_X = Quantity("goal.x", "goal to the right", "px", 0.0, -FARTHEST, FARTHEST, "length", REACHES, "goal", -1.0)
GOAL_Y = Quantity("goal.y", "goal downwards", "px", 0.0, -FARTHEST, FARTHEST, "length", REACHES, "goal")
FOOT = Quantity("foot", "foot", "°", 0.0, -MOST_TURN, MOST_TURN, "plain", REACHES, "foot", mirrored=-1.0)
SHARE = Quantity("share", "reaching", "share", 1.0, 0.0, 1.0, "plain", REACHES, "share")

QUANTITIES = (GOAL_X, GOAL_Y, FOOT, SHARE)
