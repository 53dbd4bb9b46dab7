"""What makes a figure follow through: springs, what they must not lie in, the wind."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from kunstgriff.figure.references import Means
from kunstgriff.figure.values import LENGTH, PLAIN, BoneRef, FigurePoint, Id, Name, PartRef, Value

MOST_COLLIDERS, MOST_TIED = 200, 8
FIGURE_WIND = 20_000.0  # px/s, far above any storm on a sheet

Pace = Annotated[float, Field(allow_inf_nan=False, ge=-50_000, le=50_000)]
Stiffer = Annotated[float, Field(allow_inf_nan=False, ge=0.02, le=50), PLAIN]


class Wish(Value):
    """What one wants to see of a chain on the standard swing: `settles` in so many frames at 24 a second (to 2 %),
    `overshoots` by a share of the way, `lags` so many frames behind what it hangs on. What is not said follows."""

    settles: Annotated[float, Field(ge=1, le=480), PLAIN] | None = None
    overshoots: Annotated[float, Field(ge=0, le=0.95), PLAIN] | None = None
    lags: Annotated[float, Field(ge=0, le=48), PLAIN] | None = None


class HungAt(Value):
    """Where the end of a chain hangs, too: a place at rest that a bone carries."""

    bone: BoneRef
    place: FigurePoint


class OwnCycle(Value):
    """A small swing of a chain's own that goes round every so many frames, whatever the figure does."""

    frames: Annotated[float, Field(ge=2, le=2_000), PLAIN]
    degrees: Annotated[float, Field(allow_inf_nan=False, ge=-90, le=90), PLAIN]


class Spring(Value):
    """A chain of spring bones, from its first bone outwards.

    `frequency` in Hz, `damping_ratio` (1 is critical), `gravity` in px/s². At rest gravity and spring balance, so the
    rest pose is as drawn. `firmness` says at even places from its root to its tip how many times as firm its joints are
    as they would be, `calm` how many times as much slowed. Its end carries `weight` times its own; the `air` slows it
    and carries it along, 1/s; what it lies on holds it by its `friction`, and it keeps `thickness` px from that.
    By at most `stretch` of their length its links get longer or shorter, bouncing `bounce` times a second, and by that
    much narrower or wider that they keep their area by a share of `squash`.
    Colliders that it `passes`, by their ids, it does not heed. Rod by rod it is `tied` to the chains that begin at
    these bones, as strips of one cloth, which `give` by that share of how far they were drawn apart. Where a reach or a
    lever poses its bones, they swing about where that holds them.
    """

    id: Id
    bones: Annotated[tuple[BoneRef, ...], Field(min_length=1)]
    frequency: Annotated[float, Field(ge=0.1, le=20), PLAIN]
    damping_ratio: Annotated[float, Field(ge=0, le=2), PLAIN]
    gravity: Annotated[float, Field(ge=0, le=200_000), LENGTH]
    firmness: Annotated[tuple[Stiffer, ...], Field(min_length=1, max_length=8)] = (1.0,)
    calm: Annotated[tuple[Stiffer, ...], Field(min_length=1, max_length=8)] = (1.0,)
    weight: Annotated[float, Field(ge=0, le=50), PLAIN] = 0.0
    air: Annotated[float, Field(ge=0, le=40), PLAIN] = 0.0
    thickness: Annotated[float, Field(ge=0, le=2_000), LENGTH] = 0.0
    friction: Annotated[float, Field(ge=0, le=2), PLAIN] = 0.2
    stretch: Annotated[float, Field(ge=0, le=1), PLAIN] = 0.0
    bounce: Annotated[float, Field(ge=0.2, le=20), PLAIN] = 4.0
    squash: Annotated[float, Field(ge=0, le=1), PLAIN] = 1.0
    passes: Annotated[tuple[Annotated[str, Field(max_length=12), PLAIN], ...], Field(max_length=MOST_COLLIDERS)] = ()
    tied: Annotated[tuple[BoneRef, ...], Field(max_length=MOST_TIED)] = ()
    give: Annotated[float, Field(ge=0, le=1), PLAIN] = 0.05
    hung: HungAt | None = None
    cycle: OwnCycle | None = None
    wish: Wish | None = None

    @property
    def name(self) -> str:
        return f"spring {self.id}"


class Collider(Value):
    """What chains do not enter: a capsule from one place to another, `radius` px thick, carried by a bone; a circle
    where both are one. One that was laid along a `part` by itself is laid anew where that changes."""

    id: Id
    name: Name
    bone: BoneRef
    start: FigurePoint
    end: FigurePoint
    radius: Annotated[float, Field(gt=0, le=10_000), LENGTH]
    part: PartRef | None = None


class Floor(Value):
    """The ground that chains do not sink into, level at a place of it."""

    id: Id
    at: FigurePoint = (0.0, 0.0)


class Wind(Value):
    """The wind about a figure: it blows `towards` so many degrees from the right, clockwise, at `strength` px/s. Gusts
    are `gusts` times that (root mean square), by a noise that its `seed` begins, about one every `seconds`."""

    id: Id
    name: Name = "wind"
    towards: Annotated[float, Field(allow_inf_nan=False, ge=-360, le=360), PLAIN] = 0.0
    strength: Annotated[float, Field(allow_inf_nan=False, ge=0, le=FIGURE_WIND), LENGTH] = 600.0
    gusts: Annotated[float, Field(ge=0, le=2), PLAIN] = 0.35
    seconds: Annotated[float, Field(ge=0.1, le=20), PLAIN] = 1.2
    seed: Annotated[int, Field(ge=0, le=2**31 - 1), PLAIN] = 1


class Blow(Value):
    """A kick that chains get on a frame of a motion: their first joint is as if knocked so many px/s that way. It is
    felt by one spring, or by all."""

    at: Annotated[float, Field(allow_inf_nan=False, ge=0, le=20_000), PLAIN]
    way: Annotated[tuple[Pace, Pace], Means("move")]
    spring: Annotated[str, Field(max_length=12), PLAIN] | None = None


class Cut(Value):
    """A frame of a motion on which springs begin anew: at rest as the pose has them, or `settled` under what pulls."""

    at: Annotated[float, Field(allow_inf_nan=False, ge=0, le=20_000), PLAIN]
    settled: Annotated[bool, PLAIN] = True


Springs = Annotated[tuple[Spring, ...], Field(max_length=2_000)]
Colliders = Annotated[tuple[Collider, ...], Field(max_length=MOST_COLLIDERS)]
