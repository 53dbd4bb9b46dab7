"""What can be posed of bones, and of parts and groups by themselves."""

from __future__ import annotations

from kunstgriff.figure.channels import Of, Quantity

MOST_TURN, FARTHEST = 36_000.0, 1e6  # degrees, px
MOST_SKEW = 85.0  # degrees
ALL: tuple[Of, ...] = ("bone", "part", "group")
DRAWN: tuple[Of, ...] = ("part", "group")

TURN = Quantity("turn", "turn", "°", 0.0, -MOST_TURN, MOST_TURN, "turn", ALL, "turn", mirrored=-1.0)
MOVE_X = Quantity("move.x", "move to the right", "px", 0.0, -FARTHEST, FARTHEST, "length", ALL, "move", mirrored=-1.0)
MOVE_Y = Quantity("move.y", "move downwards", "px", 0.0, -FARTHEST, FARTHEST, "length", ALL, "move")
ALONG = Quantity("stretch.along", "length", "times", 1.0, 0.05, 20.0, "stretch", array="stretch")
ACROSS = Quantity("stretch.across", "width", "times", 1.0, 0.05, 20.0, "stretch across", array="stretch")
WIDE = Quantity("size.x", "width", "times", 1.0, -20.0, 20.0, of=DRAWN, array="size")
HIGH = Quantity("size.y", "height", "times", 1.0, -20.0, 20.0, of=DRAWN, array="size")
SKEW = Quantity("skew", "skew", "°", 0.0, -MOST_SKEW, MOST_SKEW, of=DRAWN, array="skew", mirrored=-1.0)
OPACITY = Quantity("opacity", "opacity", "share", 1.0, 0.0, 1.0, of=DRAWN, array="opacity")
FORWARD = Quantity("forward", "steps to the front", "", 0.0, -200.0, 200.0, of=DRAWN, array="forward", stepped=True)
SHOWS = Quantity("shows", "shown", "drawing", 0.0, 0.0, 999.0, of=("group",), array="shows", stepped=True)

QUANTITIES = (TURN, MOVE_X, MOVE_Y, ALONG, ACROSS, WIDE, HIGH, SKEW, OPACITY, FORWARD, SHOWS)
