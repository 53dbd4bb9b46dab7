"""A sound laid beside a motion, and drawings of a mouth placed to it."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from kunstgriff.figure.channels import addressed
from kunstgriff.figure.edit import Edit, EditRefused, need_group
from kunstgriff.figure.model import Figure
from kunstgriff.figure.motions import FigureMotion, Moment, Sound
from kunstgriff.figure.pose import rest_of
from kunstgriff.figure.stores import Stores
from kunstgriff.trial.motion_edits import keys_of, need_motion, put, with_keys, with_motion
from kunstgriff.trial.sound import flac_of, read_sound

EARLY, SHORTEST = 2, 2  # frames a drawing comes before what is heard, and lasts at the least; common practice


class SetSound(Edit):
    """Lay a sound (already in the stores) beside a motion, from the frame on at which it `begins`.

    Without one it is taken away."""

    kind: Literal["set_sound"] = "set_sound"
    motion: str
    sound: Sound | None = None

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        one = need_motion(figure, self.motion)
        if self.sound is not None:
            read_sound(flac_of(stores, self.sound))
        return with_motion(figure, FigureMotion(**{**dict(one), "sound": self.sound}))

    def describe(self, figure: Figure) -> str:
        return f"the sound of {need_motion(figure, self.motion).name}"


class PlaceDrawing(Edit):
    """Show a drawing of a set, by its place in it, for what is heard `at` a frame.

    So mouths are placed to a line of speech. It comes `early` by some frames and lasts `shortest` at the least: what
    would last less gives way.
    """

    kind: Literal["place_drawing"] = "place_drawing"
    motion: str
    group: str
    drawing: Annotated[int, Field(ge=1, le=1_000)]
    at: Moment
    early: Annotated[int, Field(ge=0, le=48)] = EARLY
    shortest: Annotated[int, Field(ge=1, le=48)] = SHORTEST

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        one, group = need_motion(figure, self.motion), need_group(figure, self.group)
        if self.drawing > len(group.drawings):
            raise EditRefused(f"“{group.name}” has {len(group.drawings)} drawings that could be placed.")
        if self.at > one.frames:
            raise EditRefused(f"“{one.name}” ends after {one.frames} frames; make it longer first.")
        number = float(group.drawings[self.drawing - 1].number)
        begins = float(max(round(self.at) - self.early, 0))
        address = addressed(group.id, "shows")
        keys = next((keys_of(each) for each in one.tracks if each.channel == address), [])
        if not keys and begins >= self.shortest:  # until then it is as at rest
            keys = [(0.0, rest_of(address), "hold")]
        left = [key for key in keys if abs(key[0] - begins) >= self.shortest]
        after = with_keys(one, {address: put(left, [(begins, number, "hold")])})
        return with_motion(figure, after)

    def describe(self, figure: Figure) -> str:
        return f"a drawing of {need_group(figure, self.group).name} on frame {self.at:g}"
