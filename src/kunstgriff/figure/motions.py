"""Motions as a document says them: keys on channels, over frames. What plays them is `trial.keys`."""

from __future__ import annotations

from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from kunstgriff.figure.references import Means
from kunstgriff.figure.values import PLAIN, Id, Name, Value

MOST_FRAMES, MOST_MOTIONS = 20_000, 200
MOST_TRACKS, MOST_KEYS = 5_000, 20_000

Word = Literal["hold", "linear", "smooth", "ease", "ease-in", "ease-out", "ease-in-out"]
Along = Annotated[float, Field(allow_inf_nan=False, ge=0, le=1)]
Across = Annotated[float, Field(allow_inf_nan=False, ge=-100, le=100)]
Way = Word | tuple[Along, Across, Along, Across]
Moment = Annotated[float, Field(allow_inf_nan=False, ge=0, le=MOST_FRAMES)]
# one that is gone stays listed, so that its keys are there again when it is
KeyedChannel = Annotated[str, Field(min_length=3, max_length=130), Means("channel", subject=True, loose=True)]
KeyedValue = Annotated[float, Field(allow_inf_nan=False, ge=-1e6, le=1e6), Means("channel value")]


class Track(Value):
    """The keys of one `channel`: `at` which frames it has which `values`, and which of the `ways` it goes from each key
    to the next.

    It holds, goes straight (`linear`), is monotone and cubic through all neighbours (`smooth`), or eases by one of the
    words of CSS or by the two handles [x1, y1, x2, y2] of its cubic Bézier curve (W3C, CSS Easing Functions Level 1).
    What comes in steps holds always.
    """

    channel: KeyedChannel
    at: Annotated[tuple[Annotated[Moment, PLAIN], ...], Field(min_length=1, max_length=MOST_KEYS)]
    values: Annotated[tuple[KeyedValue, ...], Field(min_length=1, max_length=MOST_KEYS)]
    ways: Annotated[tuple[Annotated[Way, PLAIN], ...], Field(min_length=1, max_length=MOST_KEYS)]

    @model_validator(mode="after")
    def _in_order(self) -> Self:
        if not len(self.at) == len(self.values) == len(self.ways):
            raise ValueError(f"The keys of {self.channel} do not go together.")
        if any(one >= other for one, other in zip(self.at, self.at[1:], strict=False)):
            raise ValueError(f"The keys of {self.channel} are not in order, or two are on one frame.")
        return self


class Mark(Value):
    """Words on a frame."""

    at: Annotated[Moment, PLAIN]
    words: Name


class FigureMotion(Value):
    """A motion of a figure: so many `frames`, of which `rate` make a second. A `loop` goes on from its end at its
    beginning, as if that frame came next."""

    id: Id
    name: Name
    frames: Annotated[int, Field(ge=1, le=MOST_FRAMES), PLAIN]
    rate: Annotated[int, Field(ge=1, le=240), PLAIN] = 24
    loop: bool = False
    tracks: Annotated[tuple[Track, ...], Field(max_length=MOST_TRACKS)] = ()
    marks: Annotated[tuple[Mark, ...], Field(max_length=1_000)] = ()

    @model_validator(mode="after")
    def _once_each(self) -> Self:
        channels = [one.channel for one in self.tracks]
        if len(set(channels)) < len(channels):
            raise ValueError(f"The motion {self.name} has two rows for one channel.")
        return self


Motions = Annotated[tuple[FigureMotion, ...], Field(max_length=MOST_MOTIONS)]
