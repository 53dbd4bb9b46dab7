"""What of a bone can be posed: its turn, its place, how much longer and wider than drawn it is."""

from __future__ import annotations

from kunstgriff.figure.channels import Quantity, quantity

MOST_TURN, FARTHEST = 36_000.0, 1e6  # degrees, px

TURN = quantity(Quantity("turn", "turn", "°", 0.0, -MOST_TURN, MOST_TURN, "turn", array="turn", mirrored=-1.0))
MOVE_X = quantity(
    Quantity("move.x", "move to the right", "px", 0.0, -FARTHEST, FARTHEST, "length", array="move", mirrored=-1.0)
)
MOVE_Y = quantity(Quantity("move.y", "move downwards", "px", 0.0, -FARTHEST, FARTHEST, "length", array="move"))
ALONG = quantity(Quantity("stretch.along", "length", "times", 1.0, 0.05, 20.0, "stretch", array="stretch"))
ACROSS = quantity(Quantity("stretch.across", "width", "times", 1.0, 0.05, 20.0, "stretch across", array="stretch"))
