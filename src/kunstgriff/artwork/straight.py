"""Curved locks and strips straightened along their middle line, with the exact way back.

The straight picture runs along x; a net of rows across the line lays it back to where it was drawn, so that the rest
pose looks as drawn while the part bends by even rows.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from typing import Annotated, Literal

import cv2
import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from kunstgriff.artwork.blending import premultiplied, straightened
from kunstgriff.artwork.edits import each_part, with_parts
from kunstgriff.artwork.lines import Floats, runs_along, spots_at
from kunstgriff.artwork.middle import middle_line, smoothed
from kunstgriff.artwork.outline import part_alpha
from kunstgriff.figure.budget import budget
from kunstgriff.figure.edit import Edit, EditRefused, PartKeys, these
from kunstgriff.figure.model import Figure, Part, Point, Strip
from kunstgriff.figure.renewal import redrawn
from kunstgriff.figure.stores import Beside, Stores, encode_png

DETAIL = 2  # px of the straight picture per px of the part, so that laying it back blurs little
ROW = 5.0  # px between rows of the net; measured: 0.3 px of error at most on the tightest lock of the demo
COLUMNS = 5
ROOM = 3.0  # px the strip reaches past the art
OWN_SMOOTH = 12.0  # px over which a line drawn by hand is smoothed
LONG = 1.8  # length by width a part must have
TIGHT = 0.95  # of the radius of curvature the strip's half width may have, or the inner side would fold


@dataclass(frozen=True)
class StripNet:
    """`vertices` (n, 2) px of the part's picture, `triangles` (m, 3), `uv` (n, 2) in [0, 1] of the straight picture."""

    vertices: Floats
    triangles: NDArray[np.int32]
    uv: NDArray[np.float32]


class Straighten(Edit):
    """Straighten curved locks or strips along their middle line; at rest they look as drawn.

    One part may be straightened along a `line` of one's own (figure space), from one end to the other.
    """

    kind: Literal["straighten"] = "straighten"
    parts: PartKeys
    line: Annotated[tuple[Point, ...], Field(min_length=2, max_length=2_000)] | None = None

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        if self.line is not None and len(self.parts) > 1:
            raise EditRefused("A line is drawn for one part; choose that alone.")
        return each_part(figure, self.parts, self._straightened, stores)

    def _straightened(self, figure: Figure, part: Part, stores: Stores) -> Figure:
        own = None
        if self.line is not None:
            drawn = np.subtract(self.line, part.drawing.place)
            budget().line(float(runs_along(drawn)[-1]), "The line")
            own = smoothed(drawn, OWN_SMOOTH)
        return redrawn(figure, part.with_drawing(strip=strip_of(part, stores, own)), stores)

    def describe(self, figure: Figure) -> str:
        return f"straighten {these(figure, self.parts)}"


class LeaveCurved(Edit):
    """Give straightened parts their drawn picture back."""

    kind: Literal["leave_curved"] = "leave_curved"
    parts: PartKeys

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        return each_part(figure, self.parts, self._as_drawn, stores)

    @staticmethod
    def _as_drawn(figure: Figure, part: Part, stores: Stores) -> Figure:
        if part.drawing.strip is None:
            raise EditRefused(f"“{part.name}” is not straightened.")
        return redrawn(figure, part.with_drawing(strip=None), stores)

    def describe(self, figure: Figure) -> str:
        return f"leave {these(figure, self.parts)} curved"


def straighten_anew(figure: Figure, before: Part, ref: str, stores: Stores) -> Figure:
    """A straightened part that was redrawn is straightened anew, or left curved where that cannot be done."""
    part = figure.part(ref)
    if part is None or part.drawing.strip is None or part.drawing.picture == before.drawing.picture:
        return figure
    own = (
        np.array(part.drawing.strip.line) + before.drawing.place - part.drawing.place
        if part.drawing.strip.own
        else None
    )
    try:
        strip = strip_of(part, stores, own)
    except EditRefused:
        strip = None
    return with_parts(figure, {ref: part.with_drawing(strip=strip)})


@dataclass(frozen=True)
class _Course:
    """A part's middle line (n, 2) px, how far the part reaches to its sides and past its ends, px."""

    line: Floats
    half_width: float
    end: float


def _course(part: Part, alpha: NDArray[np.uint8], own: Floats | None = None) -> _Course:
    """Along its middle line, or one's `own` (n, 2) px. Raises EditRefused where the part cannot be straightened."""
    found = middle_line(alpha) if own is None else (own, 0.0)
    if found is None or len(found[0]) < 4:
        raise EditRefused(f"“{part.name}” has no line long enough to be straightened along.")
    line = found[0]
    rows, columns = np.nonzero(alpha)
    spots = np.column_stack([columns, rows]).astype(np.float64) + 0.5
    along, across = project(line, spots[:: max(len(spots) // 20_000, 1)])
    half_width = float(np.abs(across).max()) + ROOM
    end = float(max(-along.min(), along.max() - runs_along(line)[-1], 0)) + ROOM
    if runs_along(line)[-1] + 2 * end < LONG * 2 * half_width:
        raise EditRefused(f"“{part.name}” is not long enough for its width to be straightened.")
    if half_width > TIGHT * _tightest(line):
        raise EditRefused(f"“{part.name}” bends too tightly for its width to be straightened.")
    return _Course(line, half_width, end)


def can_straighten(part: Part, stores: Stores) -> bool:
    """Whether a part can be straightened; kept by its picture."""
    return _can(part.drawing.picture, Beside((part, stores)))


@lru_cache(maxsize=4096)
def _can(_picture: str, beside: Beside[tuple[Part, Stores]]) -> bool:
    try:
        _course(beside.value[0], part_alpha(*beside.value))
    except EditRefused:
        return False
    return True


def strip_of(part: Part, stores: Stores, own: Floats | None = None) -> Strip:
    """The recipe of a part's straight picture along its middle, or one's `own` line (n, 2) px of its picture.

    Raises EditRefused where the part cannot be straightened.
    """
    rgba = stores.get_pixels(part.drawing.picture)
    course = _course(part, rgba[..., 3], own)
    line, half_width, end = course.line, course.half_width, course.end
    length = runs_along(line)[-1]
    height, width = round(2 * half_width * DETAIL), round((length + 2 * end) * DETAIL)
    at = (np.arange(width) + 0.5) / DETAIL - end
    off = (np.arange(height) + 0.5) / DETAIL - half_width
    middle, normal = _frame(line, at)
    places = (middle[None] + off[:, None, None] * normal[None] - 0.5).astype(np.float32)
    straight = cv2.remap(premultiplied(rgba), places, None, cv2.INTER_CUBIC, borderMode=cv2.BORDER_CONSTANT)
    picture = stores.put_picture(encode_png(straightened(np.clip(straight, 0, 1))))
    kept = tuple((round(float(x), 2), round(float(y), 2)) for x, y in line)
    return Strip(picture=picture, own=own is not None, line=kept, half_width=half_width, end=end, detail=DETAIL)


def strip_net(strip: Strip) -> StripNet:
    """The net that lays a straight picture back to where it was drawn."""
    line = np.array(strip.line)
    length = runs_along(line)[-1]
    count = max(round((length + 2 * strip.end) / ROW), 2) + 1
    shares, sides = np.linspace(0, 1, count), np.linspace(0, 1, COLUMNS)
    middle, normal = _frame(line, shares * (length + 2 * strip.end) - strip.end)
    off = (2 * sides - 1) * strip.half_width
    vertices = (middle[:, None] + off[None, :, None] * normal[:, None]).reshape(-1, 2)
    uv = np.stack(np.meshgrid(shares, sides, indexing="ij"), -1).reshape(-1, 2)
    corner = (np.arange(count - 1)[:, None] * COLUMNS + np.arange(COLUMNS - 1)[None]).reshape(-1)
    triangles = np.concatenate(
        [
            np.column_stack([corner, corner + COLUMNS, corner + 1]),
            np.column_stack([corner + 1, corner + COLUMNS, corner + COLUMNS + 1]),
        ]
    )
    return StripNet(vertices, triangles.astype(np.int32), uv.astype(np.float32))


def strip_coordinates(strip: Strip, vertices: Floats) -> NDArray[np.float32]:
    """Where in the straight picture vertices (n, 2) px of the part's picture lie, (n, 2) in [0, 1]."""
    net = strip_net(strip)
    if net.vertices.shape == vertices.shape and np.allclose(net.vertices, vertices, atol=1e-3):
        return net.uv
    line = np.array(strip.line)
    along, across = project(line, vertices)
    length = runs_along(line)[-1] + 2 * strip.end
    uv = np.column_stack([(along + strip.end) / length, (across / strip.half_width + 1) / 2])
    return uv.astype(np.float32)


def project(line: Floats, spots: Floats) -> tuple[Floats, Floats]:
    """How far along a line (n, 2) and how far beside it spots (k, 2) lie, px; before its start along is negative."""
    start, step = line[:-1], np.diff(line, axis=0)
    length = np.linalg.norm(step, axis=1)
    direction = step / length[:, None]
    runs = runs_along(line)
    along, across = np.zeros(len(spots)), np.zeros(len(spots))
    for first in range(0, len(spots), 4096):
        part = spots[first : first + 4096]
        away = part[:, None] - start[None]
        t = (away * direction).sum(2)
        inside = np.clip(t, np.where(np.arange(len(t[0])) == 0, -np.inf, 0), length)
        inside[:, -1] = np.maximum(t[:, -1], 0)
        gap = np.linalg.norm(away - inside[..., None] * direction, axis=2)
        best = gap.argmin(1)
        row = np.arange(len(part))
        along[first : first + 4096] = runs[best] + inside[row, best]
        side = direction[best, 0] * away[row, best, 1] - direction[best, 1] * away[row, best, 0]
        across[first : first + 4096] = np.copysign(gap[row, best], side)
    return along, across


def _frame(line: Floats, at: Floats) -> tuple[Floats, Floats]:
    """Points of a line at so many px along it, carried straight on past its ends, and its unit normals there."""
    runs = runs_along(line)
    tangents = np.gradient(line, runs, axis=0)
    inside = np.clip(at, 0, runs[-1])
    middle, tangent = spots_at(line, runs, inside), spots_at(tangents, runs, inside)
    tangent /= np.linalg.norm(tangent, axis=1, keepdims=True)
    middle = middle + (at - inside)[:, None] * tangent
    return middle, np.column_stack([-tangent[:, 1], tangent[:, 0]])


def _tightest(line: Floats) -> float:
    """The smallest radius of curvature of a line, px."""
    runs = runs_along(line)
    tangents = np.gradient(line, runs, axis=0)
    angle = np.unwrap(np.arctan2(tangents[:, 1], tangents[:, 0]))
    return float(1 / max(np.abs(np.gradient(angle, runs)).max(), 1e-9))
