"""What is done to a part's drawing and done again to a new one: turned, scaled, flipped, cut in two.

Each step keeps the drawing it began with, so that a part turned twice is resampled once, from the original.
"""

from __future__ import annotations

import math
from typing import Annotated, Literal

import cv2
import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from kunstgriff.artwork.blending import premultiplied, straightened
from kunstgriff.artwork.mending import with_cap
from kunstgriff.artwork.repaint import redrawn_by_us, repainted
from kunstgriff.figure.budget import budget
from kunstgriff.figure.edit import Edit, EditRefused, need_part
from kunstgriff.figure.model import Figure, Part, Point, Remaking, ScaleShare, Severed, Turned, Weighted
from kunstgriff.figure.renewal import redrawn
from kunstgriff.figure.stores import Stores

LEAST = 0.05  # times as large as drawn that a part may be made
WORKED = 24  # bytes a pixel while a part is resampled
UNDER = 2.0  # px beyond the line of a cut that a half keeps until its round end is painted

Pixels = NDArray[np.uint8]


def drawing_of(part: Part) -> Part:
    """The part as it was drawn, before anything was done to its drawing."""
    for step in reversed(part.drawing.remade):
        part = before(part, step)
    return part.with_drawing(remade=())


def before(part: Part, step: Remaking) -> Part:
    """The part before its last step."""
    place = (part.drawing.place[0] + step.offset[0], part.drawing.place[1] + step.offset[1])
    remade = part.drawing.remade[:-1]
    return part.with_drawing(picture=step.picture, place=place, size=step.size, split=None, remade=remade)


def with_step(part: Part, step: Remaking, stores: Stores) -> Part:
    """The part with one more thing done to it as it is now; the step's drawing becomes what the part is now. Raises
    EditRefused where nothing would be left of it."""
    after = _turned(part, step, stores) if isinstance(step, Turned) else _severed(part, step, stores)
    offset = (part.drawing.place[0] - after.drawing.place[0], part.drawing.place[1] - after.drawing.place[1])
    kept = step.model_copy(update={"picture": part.drawing.picture, "size": part.drawing.size, "offset": offset})
    return after.with_drawing(remade=(*part.drawing.remade, kept), split=None)


def remade_anew(figure: Figure, drawn: Part, stores: Stores) -> list[Part]:
    """What becomes of a part that has a new drawing, `drawn`: itself first, then those that were cut off it."""
    was = need_part(figure, drawn.id)
    now, others = drawn.with_drawing(remade=()), []
    stages = [was]
    for step in reversed(was.drawing.remade):
        stages.append(before(stages[-1], step))
    for step, old in zip(was.drawing.remade, reversed(stages[1:]), strict=True):
        shift = (old.drawing.place[0] - now.drawing.place[0], old.drawing.place[1] - now.drawing.place[1])
        moved = _shifted(step, shift)
        if isinstance(moved, Severed) and moved.of is None:
            for other in figure.parts:
                first = other.drawing.remade[0] if other.drawing.remade else None
                if isinstance(first, Severed) and first.of == drawn.id and first.picture == step.picture:
                    half = now.with_drawing(remade=()).model_copy(update={"id": other.id, "name": other.name})
                    half = with_step(half, _shifted(first, shift), stores)
                    for later, was_then in _after_first(other):
                        lay, lies = was_then.drawing.place, half.drawing.place
                        off = (lay[0] - lies[0], lay[1] - lies[1])
                        half = with_step(half, _shifted(later, off), stores)
                    kept = {name: getattr(other.drawing, name) for name in ("pivot", "inks", "strip")}
                    drawing = half.drawing.model_copy(update=kept)
                    others.append(other.model_copy(update={"drawing": drawing}))
        now = with_step(now, moved, stores)
    return [now, *others]


def _after_first(part: Part) -> list[tuple[Remaking, Part]]:
    """The steps of a part after its first, each with the part as it was before it."""
    found = []
    for step in reversed(part.drawing.remade[1:]):
        part = before(part, step)
        found.append((step, part))
    return found[::-1]


def _shifted(step: Remaking, by: Point) -> Remaking:
    """A step on a drawing whose top left lies elsewhere now: `by` px from the new one to the old."""
    if isinstance(step, Turned):
        return step.model_copy(update={"about": (step.about[0] + by[0], step.about[1] + by[1])})
    return step.model_copy(update={"line": tuple((x + by[0], y + by[1]) for x, y in step.line)})


def _matrix(step: Turned) -> NDArray[np.float64]:
    """What takes a spot from where a drawing is turned about, as drawn, to where the step puts it (2, 2)."""
    c, s = math.cos(math.radians(step.turn)), math.sin(math.radians(step.turn))
    return np.array([[c, -s], [s, c]]) @ np.diag(step.scale)


def _turned(part: Part, step: Turned, stores: Stores) -> Part:
    matrix = _matrix(step)
    about = np.array(step.about)
    width, height = part.drawing.size
    corners = (np.array([(0, 0), (width, 0), (0, height), (width, height)]) - about) @ matrix.T + about
    low, high = np.floor(corners.min(0)) - 1, np.ceil(corners.max(0)) + 1
    size = (int(high[0] - low[0]), int(high[1] - low[1]))
    budget().need(*size, WORKED, f"“{part.name}”")
    rgba = premultiplied(stores.get_pixels(part.drawing.picture))
    smaller = min(abs(one) for one in step.scale)
    if smaller < 0.5:  # the kernel would miss pixels between its samples
        rgba = cv2.blur(rgba, (max(round(1 / smaller), 1),) * 2)
    # a pixel's middle lies half a px from its corner
    offset = matrix @ (0.5 - about) + about - low - 0.5
    turned = cv2.warpAffine(
        rgba, np.column_stack([matrix, offset]), size, flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_CONSTANT
    )
    pixels = straightened(turned.clip(0, 1))
    place, pivot = part.drawing.place, part.drawing.pivot
    moved = part.with_drawing(place=(place[0] + float(low[0]), place[1] + float(low[1])))
    if pivot is not None:
        x, y = (matrix @ (np.subtract(pivot, place) - about) + about + place).tolist()
        moved = moved.with_drawing(pivot=(round(x, 1), round(y, 1)))
    return repainted(moved, pixels, 0, stores)


def _severed(part: Part, step: Severed, stores: Stores) -> Part:
    pixels = stores.get_pixels(part.drawing.picture).copy()
    kept = side_of_line(pixels.shape[:2], step.line, step.left, UNDER if step.radius != 0 else 0.0)
    pixels[..., 3] = np.rint(pixels[..., 3] * (kept / np.float32(255)))
    if (pixels[..., 3] > 127).sum() < 16:
        raise EditRefused(f"Of “{part.name}” nothing would be left on one side of the line.")
    half = repainted(part, pixels, 0, stores)
    if step.radius == 0:
        return half
    x, y = crossing(stores.get_pixels(part.drawing.picture)[..., 3], step.line)
    return with_cap(half, (part.drawing.place[0] + x, part.drawing.place[1] + y), step.radius, stores, closed=True)


def side_of_line(shape: tuple[int, int], line: tuple[Point, ...], left: bool, beyond: float) -> Pixels:
    """255 on one side of a line carried on at both ends, and `beyond` px past it (h, w); left as seen along it, with y
    down."""
    points = np.array(line)
    ahead, back = (one / max(float(np.hypot(*one)), 1e-9) for one in (points[-1] - points[-2], points[0] - points[1]))
    far = 4.0 * sum(shape)
    whole = points[-1] - points[0]
    whole = whole / max(float(np.hypot(*whole)), 1e-9)
    aside = np.array([whole[1], -whole[0]]) * (1 if left else -1)
    points = points - aside * beyond
    ends = np.array([points[0] + far * back, points[-1] + far * ahead])
    ring = np.vstack([ends[:1], points, ends[1:], ends[1:] + far * aside, ends[:1] + far * aside])
    mask = np.zeros(shape, np.uint8)
    cv2.fillPoly(mask, [np.rint((ring - 0.5) * 16).astype(np.int32)], 255, lineType=cv2.LINE_AA, shift=4)
    return mask


def crossing(alpha: Pixels, line: tuple[Point, ...]) -> Point:
    """The middle of where a line crosses what is painted (h, w), px; of its longest crossing."""
    points = np.array(line)
    lengths = np.hypot(*np.diff(points, axis=0).T)
    runs = np.concatenate([[0.0], np.cumsum(lengths)])
    at = np.arange(0, runs[-1], 0.5)
    spots = np.stack([np.interp(at, runs, points[:, axis]) for axis in (0, 1)], 1)
    rows, columns = spots[:, 1].astype(int), spots[:, 0].astype(int)
    inside = (rows >= 0) & (columns >= 0) & (rows < alpha.shape[0]) & (columns < alpha.shape[1])
    painted = np.zeros(len(at), bool)
    painted[inside] = alpha[rows[inside], columns[inside]] > 127
    edges = np.flatnonzero(np.diff(np.concatenate([[0], painted.astype(int), [0]])))
    if not len(edges):
        raise EditRefused("The line does not cross the part; draw it from one side of it to the other.")
    starts, ends = edges[::2], edges[1::2]
    widest = int((ends - starts).argmax())
    x, y = spots[(starts[widest] + ends[widest] - 1) // 2]
    return float(x), float(y)


class TurnPart(Edit):
    """Turn a part by `turn` degrees, scale it (x, y) and flip it by a negative scale, about `about` or its pivot.

    Numbers are told of the part as it was drawn, however often it is turned: its picture is resampled once, from the
    original. 0° and 1 give the drawing back.
    """

    kind: Literal["turn_part"] = "turn_part"
    part: str
    turn: Annotated[float, Field(allow_inf_nan=False, ge=-360, le=360)] = 0.0
    scale: tuple[ScaleShare, ScaleShare] = (1.0, 1.0)
    about: Point | None = None

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        part = need_part(figure, self.part)
        if min(abs(one) for one in self.scale) < LEAST:
            raise EditRefused(f"A part is scaled by {LEAST:g} times at least.")
        last = part.drawing.remade[-1] if part.drawing.remade else None
        about = self.about
        if isinstance(last, Turned):
            drawn = before(part, last)
            spot = (
                last.about if about is None else (about[0] - drawn.drawing.place[0], about[1] - drawn.drawing.place[1])
            )
            drawn = drawn.with_drawing(pivot=_pivot_before(part, last, drawn))
        else:
            drawn = part
            x, y = about or part.drawing.pivot or _middle(part)
            spot = (x - part.drawing.place[0], y - part.drawing.place[1])
        if self.turn % 360 == 0 and self.scale == (1.0, 1.0):
            if last is None or not isinstance(last, Turned):
                raise EditRefused(f"“{part.name}” lies as it was drawn.")
            return _taken_over(figure, drawn, stores)
        step = Turned(
            picture=drawn.drawing.picture,
            size=drawn.drawing.size,
            offset=(0, 0),
            about=spot,
            turn=self.turn,
            scale=self.scale,
        )
        return _taken_over(figure, with_step(drawn, step, stores), stores)

    def describe(self, figure: Figure) -> str:
        return f"turn {need_part(figure, self.part).name}"


def _taken_over(figure: Figure, after: Part, stores: Stores) -> Figure:
    """The figure with a part turned; a mesh may have to be bound anew for that, a rigid part need not."""
    rigid = not isinstance(after.binding, Weighted)
    return redrawn_by_us(figure, after, stores) if rigid else redrawn(figure, after, stores)


def _middle(part: Part) -> Point:
    return part.drawing.place[0] + part.drawing.size[0] / 2, part.drawing.place[1] + part.drawing.size[1] / 2


def _pivot_before(part: Part, step: Turned, drawn: Part) -> Point | None:
    """Where a part's pivot lay before a step turned it."""
    if part.drawing.pivot is None:
        return None
    matrix = _matrix(step)
    about = np.add(step.about, drawn.drawing.place)
    pivot = np.linalg.solve(matrix, np.subtract(part.drawing.pivot, about)) + about
    return round(float(pivot[0]), 1), round(float(pivot[1]), 1)
