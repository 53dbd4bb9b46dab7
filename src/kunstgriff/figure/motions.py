"""Motions as a document says them: keys on channels, over frames. What plays them is `trial.keys`."""

from __future__ import annotations

from itertools import pairwise
from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from kunstgriff.figure.follow import Blow, Cut
from kunstgriff.figure.references import Means
from kunstgriff.figure.values import LENGTH, PLAIN, ArrayDigest, FigurePoint, Id, Name, Share, Value

MOST_FRAMES, MOST_MOTIONS = 20_000, 200
LONGEST_SOUND, MOST_PICTURES = 300, 1_500  # s; of a film
MOST_TRACKS, MOST_KEYS, MOST_GROUND = 5_000, 20_000, 2_000

Word = Literal["hold", "linear", "smooth", "ease", "ease-in", "ease-out", "ease-in-out"]
Along = Annotated[float, Field(allow_inf_nan=False, ge=0, le=1)]
Across = Annotated[float, Field(allow_inf_nan=False, ge=-100, le=100)]
Way = Word | tuple[Along, Across, Along, Across]
FilmSide = Annotated[int, Field(ge=1, le=16_384)]
Moment = Annotated[float, Field(allow_inf_nan=False, ge=0, le=MOST_FRAMES)]
# one that is gone stays listed, so that its keys are there again when it is
KeyedChannel = Annotated[str, Field(min_length=3, max_length=130), Means("channel", subject=True, loose=True)]
KeyedValue = Annotated[float, Field(allow_inf_nan=False, ge=-1e6, le=1e6), Means("channel value")]


class Track(Value):
    """The keys of one `channel`: `at` which frames it has which `values`, and which of the `ways` it goes from each key
    to the next.

    It holds, goes straight (`linear`), is monotone and cubic through all neighbours (`smooth`), or eases by one of the
    words of CSS or by the two handles [x1, y1, x2, y2] of its cubic Bézier curve (W3C, CSS Easing Functions Level 1).
    What comes in steps holds always. One that goes round by itself does so `every` so many frames.
    """

    channel: KeyedChannel
    at: Annotated[tuple[Annotated[Moment, PLAIN], ...], Field(min_length=1, max_length=MOST_KEYS)]
    values: Annotated[tuple[KeyedValue, ...], Field(min_length=1, max_length=MOST_KEYS)]
    ways: Annotated[tuple[Annotated[Way, PLAIN], ...], Field(min_length=1, max_length=MOST_KEYS)]
    every: Annotated[float, Field(allow_inf_nan=False, ge=1, le=MOST_FRAMES), PLAIN] | None = None

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


class Stepper(Value):
    """How the legs of a figure step by themselves, in terms of its body.

    A foot stays where it is until half a `stride` behind its home; then it swings, `lift` high, to a place as far
    ahead. A cycle takes `period` frames at that stride, and each foot is in the air for a share `air` of it. Stride and
    lift are shares of the length of a leg. Feet of a set go together: `alternate` takes neighbours in turns (a tripod
    with six legs), `wave` one foot after another from behind, `pairs` both feet of a pair together. At a stop feet wait
    `lag` frames and come home. The foot is turned by `roll` degrees as it leaves and lands. The body goes up and down
    with the feet by a share `height`, and leans with the ground they stand on by a share `tilt`.
    """

    stride: Annotated[float, Field(ge=0.05, le=4), PLAIN] = 0.9
    period: Annotated[float, Field(ge=4, le=240), PLAIN] = 24.0
    lift: Annotated[float, Field(ge=0, le=1), PLAIN] = 0.14
    air: Annotated[float, Field(ge=0.05, le=0.5), PLAIN] = 0.38
    sets: Annotated[Literal["alternate", "wave", "pairs"], PLAIN] = "alternate"
    lag: Annotated[float, Field(ge=0, le=48), PLAIN] = 3.0
    roll: Annotated[float, Field(ge=0, le=60), PLAIN] = 12.0
    height: Share = 1.0
    tilt: Share = 0.5


class Sound(Value):
    """A sound kept as FLAC (`sound`, an array of its bytes), so many `seconds` long, that begins on a frame."""

    name: Name
    sound: ArrayDigest
    seconds: Annotated[float, Field(gt=0, le=LONGEST_SOUND + 1), PLAIN]
    begins: Annotated[Moment, PLAIN] = 0.0


class Film(Value):
    """Pictures to go by while a motion plays, kept as a ZIP of WebP stills (`film`, an array of its bytes): so many
    `pictures` of `size` px, `rate` of them a second, the first on the frame at which it `begins`. It lies at a place
    under the art or `above` it, as any picture to go by, so many figure px per px of it, and is never delivered."""

    name: Name
    film: ArrayDigest
    pictures: Annotated[int, Field(ge=1, le=MOST_PICTURES), PLAIN]
    size: Annotated[tuple[FilmSide, FilmSide], PLAIN]
    rate: Annotated[float, Field(allow_inf_nan=False, gt=0, le=240), PLAIN]
    begins: Annotated[Moment, PLAIN] = 0.0
    place: FigurePoint = (0.0, 0.0)
    scale: Annotated[float, Field(gt=0, le=1000), LENGTH] = 1.0
    opacity: Share = 0.5
    above: bool = False


class FigureMotion(Value):
    """A motion of a figure: so many `frames`, of which `rate` make a second. A `loop` goes on from its end at its
    beginning, as if that frame came next. It may stand on a `ground` that is not even, and be shown on the spot while
    it travels over it, so many px a frame to the right. A `sound` is heard with it, a `film` seen
    under the work; springs get `blows` and begin anew after `cuts`."""

    id: Id
    name: Name
    frames: Annotated[int, Field(ge=1, le=MOST_FRAMES), PLAIN]
    rate: Annotated[int, Field(ge=1, le=240), PLAIN] = 24
    loop: bool = False
    tracks: Annotated[tuple[Track, ...], Field(max_length=MOST_TRACKS)] = ()
    marks: Annotated[tuple[Mark, ...], Field(max_length=1_000)] = ()
    ground: Annotated[tuple[FigurePoint, ...], Field(max_length=MOST_GROUND)] = ()
    sound: Sound | None = None
    film: Film | None = None
    blows: Annotated[tuple[Blow, ...], Field(max_length=200)] = ()
    cuts: Annotated[tuple[Cut, ...], Field(max_length=200)] = ()
    travels: Annotated[float, Field(allow_inf_nan=False, ge=-1e4, le=1e4), LENGTH] = 0.0

    @model_validator(mode="after")
    def _once_each(self) -> Self:
        channels = [one.channel for one in self.tracks]
        if len(set(channels)) < len(channels):
            raise ValueError(f"The motion {self.name} has two rows for one channel.")
        if any(one >= other for (one, _), (other, _) in pairwise(self.ground)):
            raise ValueError(f"The ground of {self.name} does not go from left to right.")
        return self


Motions = Annotated[tuple[FigureMotion, ...], Field(max_length=MOST_MOTIONS)]
