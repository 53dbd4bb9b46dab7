"""What can be posed of controls: where goals of reaches are, how a foot is turned, how far they reach at all; how far a
lever is moved from its rest."""

from __future__ import annotations

from kunstgriff.figure.channels import Of, Quantity

FARTHEST, MOST_TURN = 1e5, 36_000.0  # px, degrees
REACHES: tuple[Of, ...] = ("reach",)

GOAL_X = Quantity("goal.x", "goal to the right", "px", 0.0, -FARTHEST, FARTHEST, "length", REACHES, "goal", -1.0)
GOAL_Y = Quantity("goal.y", "goal downwards", "px", 0.0, -FARTHEST, FARTHEST, "length", REACHES, "goal")
FOOT = Quantity("foot", "foot", "°", 0.0, -MOST_TURN, MOST_TURN, "plain", REACHES, "foot", mirrored=-1.0)
HANG = Quantity("hang", "goal hangs on", "", 0.0, 0.0, 99.0, of=REACHES, array="hang", stepped=True)
SHARE = Quantity("share", "reaching", "share", 1.0, 0.0, 1.0, "plain", REACHES, "share")

LEVERS: tuple[Of, ...] = ("lever",)
FARTHEST_LEVER = 2_000.0
ACROSS = Quantity(
    "lever.x", "way across", "", 0.0, -FARTHEST_LEVER, FARTHEST_LEVER, of=LEVERS, array="lever", mirrored=-1.0
)
UPRIGHT = Quantity("lever.y", "way up", "", 0.0, -FARTHEST_LEVER, FARTHEST_LEVER, of=LEVERS, array="lever")

AMOUNT = Quantity("amount", "laid on", "times", 0.0, -2.0, 2.0, of=("shape",), array="amount")

QUANTITIES = (GOAL_X, GOAL_Y, FOOT, HANG, SHARE, ACROSS, UPRIGHT, AMOUNT)
