"""What can be posed of what follows through: how much of it shows, and the wind."""

from __future__ import annotations

from kunstgriff.figure.channels import Quantity

SWINGS = Quantity("swings", "swings", "share", 1.0, 0.0, 1.0, of=("spring",), array="swings")
WINDS: tuple[Quantity, ...] = (
    Quantity("blows", "wind", "times", 1.0, 0.0, 20.0, of=("wind",), array="wind"),
    Quantity("veers", "wind veers", "°", 0.0, -360.0, 360.0, of=("wind",), array="wind", mirrored=-1.0),
)
QUANTITIES = (SWINGS, *WINDS)
