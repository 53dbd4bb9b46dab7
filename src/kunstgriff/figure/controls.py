"""Controls of a figure: handles that pose it for people who do not know its bones."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from kunstgriff.figure.values import PLAIN, BoneRef, Id, Name, NeededBoneRef, Value

FEWEST_LINKS, MOST_LINKS = 2, 12

Side = Literal["clockwise", "counterclockwise"]
Foot = Literal["along", "level"]


class Reach(Value):
    """A chain of so many `bones` back from `tip`, whose end goes to a goal. It rests where the end is at rest.

    The goal hangs on a bone or, without one, on the world. Joints bend to a `side`. A chain that is too short may
    `stretch` by a share of its length at the most; the last share `soft` of its length is eased into. What hangs on the
    end of it, the `foot`, goes along with it or stays level, turned by what the goal is.
    """

    id: Id
    name: Name
    tip: NeededBoneRef
    bones: Annotated[int, Field(ge=FEWEST_LINKS, le=MOST_LINKS), PLAIN] = 2
    side: Annotated[Side, PLAIN] = "clockwise"
    hangs_on: BoneRef | None = None
    stretch: Annotated[float, Field(allow_inf_nan=False, ge=0, le=4), PLAIN] = 0.0
    soft: Annotated[float, Field(allow_inf_nan=False, ge=0, le=0.5), PLAIN] = 0.05
    foot: BoneRef | None = None
    foot_goes: Annotated[Foot, PLAIN] = "level"


Reaches = Annotated[tuple[Reach, ...], Field(max_length=200)]
