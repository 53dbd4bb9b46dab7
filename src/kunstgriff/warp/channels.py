"""What can be posed of warps: where their handles are dragged to, in the frame of what carries the warp."""

from __future__ import annotations

from kunstgriff.figure.channels import Of, Quantity

FARTHEST = 1e5  # px
HANDLES: tuple[Of, ...] = ("handle",)

SHIFT_X = Quantity(
    "shift.x", "shift to the right", "px", 0.0, -FARTHEST, FARTHEST, "length", HANDLES, "shift", mirrored=-1.0
)
SHIFT_Y = Quantity("shift.y", "shift downwards", "px", 0.0, -FARTHEST, FARTHEST, "length", HANDLES, "shift")
SHIFTS = (SHIFT_X.name, SHIFT_Y.name)
