"""A pose: how far bones are turned and moved from rest."""

from __future__ import annotations

from typing import Annotated, Any

from pydantic import Field, ValidationError

from kunstgriff.figure.edit import EditRefused, tell
from kunstgriff.figure.model import Factor, Figure, Point, Turn, Value


class Pose(Value):
    """`turn`: degrees by bone, clockwise as seen, on top of the parent's; `move`: px by bone, in figure space;
    `stretch`: how much longer and how much wider a bone is than at rest.

    Bones are named by id or by name. An empty pose is the rest pose.
    """

    turn: Annotated[dict[str, Turn], Field(max_length=4_000)] = {}
    move: Annotated[dict[str, Point], Field(max_length=4_000)] = {}
    stretch: Annotated[dict[str, tuple[Factor, Factor]], Field(max_length=4_000)] = {}

    def by_id(self, figure: Figure) -> Pose:
        """The pose with bones named by id. Raises EditRefused for a bone that does not exist."""
        known = {bone.name: bone.id for bone in figure.bones} | {bone.id: bone.id for bone in figure.bones}
        for key in (*self.turn, *self.move, *self.stretch):
            if key not in known:
                raise EditRefused(f"The pose turns a bone “{key}”, which the figure does not have.")
        return Pose(
            turn={known[key]: value for key, value in self.turn.items()},
            move={known[key]: value for key, value in self.move.items()},
            stretch={known[key]: value for key, value in self.stretch.items()},
        )


def parse_pose(data: Any) -> Pose:
    """A pose from plain data. Raises EditRefused with a sentence."""
    try:
        return Pose.model_validate(data)
    except ValidationError as error:
        raise EditRefused(f"This is not a pose: {tell(error)}") from error
