"""What can be posed of a figure as a whole: the facing it is seen in."""

from __future__ import annotations

from kunstgriff.figure.channels import Quantity

FACING = Quantity("facing", "facing", "", 0.0, 0.0, 99.0, of=("figure",), array="facing", stepped=True)
QUANTITIES = (FACING,)
