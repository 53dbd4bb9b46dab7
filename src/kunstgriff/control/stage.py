"""The stage of controls."""

from __future__ import annotations

from kunstgriff.control.channels import QUANTITIES
from kunstgriff.control.edits import LayReach, LiftReach, SetReach
from kunstgriff.control.reaching import reaching
from kunstgriff.evaluate.program import Nodes
from kunstgriff.figure.edit import Edits
from kunstgriff.figure.stage import Stage

CONTROL = Stage("control", (*QUANTITIES, Edits(LayReach, SetReach, LiftReach), Nodes(reaching)))
