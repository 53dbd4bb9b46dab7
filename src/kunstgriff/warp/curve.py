"""Curves: a line of handles along parts, that the art follows.

A vertex keeps how far along the line as laid and how far beside it it was drawn. Between two handles the art is spread
over what lies between them now, or it keeps its length from the first handle on; and it keeps its width, or takes so
many times that at each handle. On the inside of a tight turn it is pressed together smoothly (see `line`).
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import ClassVar

import numpy as np
from numba import njit
from numpy.typing import NDArray

from kunstgriff.evaluate.program import Floats32
from kunstgriff.figure.warps import Curve
from kunstgriff.warp.line import ALONG, PIECES, laid_along, monotone, table_of, told_along

Floats = NDArray[np.float64]
Ints = NDArray[np.intp]


@dataclass(frozen=True)
class Line:
    """A curve as numbers: its handles as laid (k, 2), and whether the art keeps its length along it.

    Moves of its handles are (k, 3): to the right, downwards, and the logarithm of how many times as wide it is there.
    """

    even: Floats
    keeps_length: bool
    by_place: ClassVar[bool] = False

    @classmethod
    def of(cls, curve: Curve) -> Line:
        return cls(np.array(curve.laid, np.float64), curve.keeps_length)

    @cached_property
    def table(self) -> Floats:
        """The line as laid, without regard to the room beside it."""
        return np.asarray(table_of(self.even, 0.0))

    def holding(self, points: Floats, shape: Floats) -> tuple[Ints, HeldAlong]:
        """Points (n, 2) ready to be moved again and again when the line has that shape at rest, and their order."""
        told = np.empty((len(points), 2))
        told_along(self.table, points, told)
        half_width = float(np.abs(told[:, 1]).max(initial=0.0))
        laid = table_of(self.even, half_width)
        told_along(laid, points, told)
        order = np.argsort(told[:, 0], kind="stable")
        held = HeldAlong(self, shape, half_width, laid[::PIECES, ALONG].copy(), told[order], np.empty((2, len(points))))
        held.lay(shape, held.rest)
        return order, held

    def moved(self, moves: Floats, points: Floats) -> Floats:
        """How far points (n, 2) of the figure are moved (n, 2) when the handles are."""
        order, held = self.holding(points, np.zeros((len(self.even), 3)))
        out, found = np.empty((2, len(points))), np.empty((len(points), 2))
        held.lay(moves, out)
        found[order] = (out - held.rest).T
        return found


@dataclass(frozen=True)
class HeldAlong:
    """Points by how far along and beside a line they were drawn (n, 2), in order along it.

    Its handles are moved by `shape` (k, 3) and the points lie at `rest` (2, n) when nothing is posed. Art under it
    reaches `half_width` px to its sides; its handles lay at `knots` (k,) along it.
    """

    line: Line
    shape: Floats
    half_width: float
    knots: Floats
    told: Floats
    rest: Floats

    def sums(self, moves: Floats, out: Floats32) -> None:
        """Fill `out` (2, n) with how far they are moved from their rest when the handles are."""
        self.lay(self.shape + moves, out)
        out -= self.rest

    def lay(self, moves: Floats, out: Floats | Floats32) -> None:
        """Fill `out` (2, n) with where they lie when the handles are moved from where they were laid (k, 3)."""
        lay(self.line.even + moves[:, :2], moves[:, 2].copy(), self.knots, self.told, self.half_width,
            self.line.keeps_length, out)  # fmt: skip


@njit(cache=True, nogil=True)
def lay(
    handles: Floats, widths: Floats, knots: Floats, told: Floats, half_width: float, keeps_length: bool, out: Floats
) -> None:
    """Fill `out` (2, n) with places told along a line (n, 2), laid on the one through handles (k, 2) that is as wide as
    `widths` (k,) say, logarithms; the handles lay at `knots` (k,) along it when places were told."""
    count, wide = len(told), np.ones(len(told))
    if np.abs(widths).max() > 0:
        monotone(knots, widths, told[:, 0], wide)
        wide[:] = np.exp(wide)
    table = table_of(handles, half_width * np.exp(max(widths.max(), 0.0)))
    now = told.copy()
    if not keeps_length:
        there = np.ascontiguousarray(table[::PIECES, ALONG])
        monotone(knots, there, told[:, 0], now[:, 0])
        for v in range(count):  # past the ends it goes straight on, as far as it did
            now[v, 0] += min(told[v, 0], 0.0) + max(told[v, 0] - knots[-1], 0.0)
    laid_along(table, now, wide, out)
