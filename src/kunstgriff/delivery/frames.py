"""Painted frames, for the writers that show the figure moving."""

from __future__ import annotations

import threading
from collections.abc import Iterator
from dataclasses import dataclass
from itertools import islice
from typing import Annotated

import numpy as np
from numpy.typing import NDArray
from PIL import ImageColor
from pydantic import Field

from kunstgriff.artwork.sheet import Progress
from kunstgriff.evaluate.frame import Frame
from kunstgriff.evaluate.state import RigState
from kunstgriff.figure.model import Figure
from kunstgriff.figure.refusal import DeliveryRefused
from kunstgriff.figure.stores import Stores
from kunstgriff.figure.values import Value
from kunstgriff.paint.painter import Painter, View, as_seen, laid_on, sheet_view
from kunstgriff.trial.around import play_around
from kunstgriff.trial.motion import Motion, frame_count, rate_of

FrameNumber = Annotated[int, Field(ge=0, le=1_000_000)]
_here = threading.local()
BESIDE = 2  # px of the figure left around what is cropped to


class Shot(Value):
    """How a motion is filmed: from one frame to another (the last one is in it), on a `background` (a CSS colour; see-
    through without), `cropped` to what moves instead of the sheet, springs having `settled` before the first frame;
    single frames may have their colours `premultiplied` by alpha."""

    first: FrameNumber = 0
    last: FrameNumber | None = None
    background: Annotated[str, Field(max_length=40)] | None = None
    cropped: bool = False
    settled: bool = False
    premultiplied: bool = False

    def frames(self, motion: Motion, figure: Figure) -> range:
        """The numbers of its frames. Raises DeliveryRefused where there are none."""
        count = frame_count(motion, rate_of(motion, figure))
        found = range(self.first, count if self.last is None else min(self.last + 1, count))
        if not len(found):
            last = "its last" if self.last is None else str(self.last)
            raise DeliveryRefused(
                f"There is nothing from frame {self.first} to {last}: “{motion.name}” has {count} frames, from 0 on."
            )
        return found

    def behind(self) -> NDArray[np.uint8] | None:
        """The colour (3,) behind the figure. Raises DeliveryRefused for what is none."""
        if self.background is None:
            return None
        try:
            return np.array(ImageColor.getrgb(self.background)[:3], np.uint8)
        except ValueError as error:
            raise DeliveryRefused(f"“{self.background[:40]}” is no colour; say one as #F7F2E8.") from error


WHOLE = Shot()


def painter() -> Painter:
    """This thread's painter, made on first use: an OpenGL context belongs to one thread."""
    if not hasattr(_here, "painter"):
        _here.painter = Painter()
    found: Painter = _here.painter
    return found


@dataclass(frozen=True)
class Filmed:
    """A motion about to be painted through one `view`; `pictures` are its frames, straight alpha (h, w, 4)."""

    view: View
    numbers: range
    pictures: Iterator[NDArray[np.uint8]]


def filmed(
    figure: Figure, stores: Stores, size: tuple[int, int] | None, progress: Progress, motion: Motion,
    facing: int = 0, shot: Shot = WHOLE, even: bool = False,
) -> Filmed:  # fmt: skip
    """A motion filmed from `facing` wherever it says no other, `even` with an even number of px each way. Raises
    DeliveryRefused for frames that it does not have."""
    numbers = shot.frames(motion, figure)
    view = _cropped(figure, stores, size, motion, facing, shot, numbers) if shot.cropped else sheet_view(figure, size)
    if even:
        width, height = view.size
        view = View((width + width % 2, height + height % 2), view.scale, view.origin)
    return Filmed(view, numbers, _pictures(figure, stores, view, progress, motion, facing, shot, numbers))


def _pictures(
    figure: Figure, stores: Stores, view: View, progress: Progress, motion: Motion, facing: int, shot: Shot,
    numbers: range,
) -> Iterator[NDArray[np.uint8]]:  # fmt: skip
    behind, solid = shot.behind(), np.full(view.size[::-1], 255, np.uint8)
    for number, (rig, frame, mirrored) in _seen(figure, stores, motion, facing, shot, numbers):
        progress(number - numbers.start, len(numbers), f"painting the {motion.name}")
        picture = as_seen(painter(), rig, frame, view, stores, mirrored)
        yield picture if behind is None else np.dstack([laid_on(picture, behind), solid])


def _seen(
    figure: Figure, stores: Stores, motion: Motion, facing: int, shot: Shot, numbers: range
) -> Iterator[tuple[int, tuple[RigState, Frame, bool]]]:  # fmt: skip
    """Some frames of a motion by number, as `play_around` has them."""
    played = play_around(figure, stores, motion, facing, settled=shot.settled)
    return islice(enumerate(played), numbers.start, numbers.stop)


def _cropped(
    figure: Figure, stores: Stores, size: tuple[int, int] | None, motion: Motion, facing: int, shot: Shot,
    numbers: range,
) -> View:  # fmt: skip
    """The view of all that shows in some frames, a px to a px or fitted into a size."""
    low, high = np.full(2, np.inf), np.full(2, -np.inf)
    for _, (rig, frame, mirrored) in _seen(figure, stores, motion, facing, shot, numbers):
        for item in frame.items:
            if frame.opacity(item) > 0:
                block = rig.program.blocks[item.block]
                spots = frame.vertices[block.start : block.start + block.count] * (-1 if mirrored else 1, 1)
                low, high = np.minimum(low, spots.min(0)), np.maximum(high, spots.max(0))
    if not np.isfinite(low).all():
        raise DeliveryRefused("Nothing of the figure shows in these frames.")
    low, high = np.floor(low) - BESIDE, np.ceil(high) + BESIDE
    wide, tall = high - low
    width, height = size or (int(wide), int(tall))
    scale = min(width / wide, height / tall)
    left, top = low - (np.array([width, height]) / scale - (wide, tall)) / 2
    return View((width, height), float(scale), (float(left), float(top)))


def fitted_size(figure: Figure, width: int, height: int) -> tuple[int, int]:
    """The sheet's proportions, no larger than the sheet and within `width` x `height` px."""
    sheet = figure.sheet
    scale = min(1.0, width / sheet.width, height / sheet.height)
    return max(round(sheet.width * scale), 1), max(round(sheet.height * scale), 1)
