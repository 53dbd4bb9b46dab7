"""What can be posed of warps: where their handles are dragged to, in the frame of what carries the warp, and how
wide art along a curve is there."""

from __future__ import annotations

from kunstgriff.figure.channels import Of, Quantity
from kunstgriff.figure.warps import NARROWEST, WIDEST

FARTHEST = 1e5  # px
HANDLES: tuple[Of, ...] = ("handle",)

SHIFT_X = Quantity(
    "shift.x", "shift to the right", "px", 0.0, -FARTHEST, FARTHEST, "length", HANDLES, "shift", mirrored=-1.0
)
SHIFT_Y = Quantity("shift.y", "shift downwards", "px", 0.0, -FARTHEST, FARTHEST, "length", HANDLES, "shift")
SHIFTS = (SHIFT_X.name, SHIFT_Y.name)
WIDTH = Quantity("width", "width along a curve", "times", 1.0, NARROWEST, WIDEST, "plain", HANDLES, "width")
