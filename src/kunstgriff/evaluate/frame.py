"""One evaluated moment, and the bytes in which it goes to a browser."""

from __future__ import annotations

import struct
from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numpy as np
from numba import njit
from numpy.typing import NDArray

from kunstgriff.evaluate.items import DrawItem
from kunstgriff.evaluate.switching import share_of
from kunstgriff.figure.model import GROUP_LAYERS_LIMIT

Floats32 = NDArray[np.float32]
HEAD = struct.Struct("<I")  # how many sections follow
SECTION = struct.Struct("<12s4sII")  # name, type of number, first byte, how many numbers
LETTERS = {np.dtype(np.float32): b"f32", np.dtype(np.uint32): b"u32", np.dtype(np.uint8): b"u8"}


@dataclass
class Frame:
    """One evaluated moment. Arrays belong to the state and are overwritten by its next evaluation.

    `matrices` (bones, 6) take rest to posed as x' = a x + c y + e, y' = b x + d y + f in the order a b c d e f;
    `placings` (parts and groups, 6) likewise what each is posed by itself, on top of what it follows; `handles` (h, 2)
    are where those of warps are posed, `holds` (h,) px by which each tack moves the spot under it; `goals` (r, 2) are
    where those of reaches lie, `levers` (l, 2) where levers stand, from their rest; `lengthened`
    (l, 9, 2) spots on each bone whose art is, even along it at rest; `vertices` (n, 2) float32 figure
    space; `items` is the draw list, back to front, `order` the numbers of its items among those of the program;
    `amounts` (k,) tells how far each switch is on; `stale` (blocks,) which blocks of vertices, each from and to a row
    (`spans`, blocks × 2), are not as in the frame before; `opacities` (parts and groups) are what those are posed to,
    and `faded` those of them below 1, by id.
    """

    matrices: NDArray[np.float64]
    vertices: Floats32
    items: tuple[DrawItem, ...]
    amounts: Floats32
    order: tuple[int, ...]
    placings: NDArray[np.float64]
    handles: NDArray[np.float64]
    holds: NDArray[np.float64]
    goals: NDArray[np.float64]
    levers: NDArray[np.float64]
    lengthened: Floats32
    stale: NDArray[np.bool_]
    spans: NDArray[np.int32]
    opacities: Floats32
    faded: Mapping[str, float]

    def opacity(self, item: DrawItem) -> float:
        """How opaque an item is now: its own opacity by all its switches, and by what its part, and that whose place
        it goes with, are posed to."""
        opacity = item.opacity * self.share(item.switches)
        if self.faded:
            alone = self.layers(item)
            for ref in {item.part, item.anchor, *(one for one in item.groups if one not in alone)}:
                opacity *= self.faded.get(ref, 1.0)
        return opacity

    def layers(self, item: DrawItem) -> tuple[str, ...]:
        """The groups around an item that are painted by themselves now: those that always are, and those that are
        posed see-through, the outermost ones, as many as a figure may have in one another."""
        if not self.faded or not item.groups:
            return item.layers
        more = [ref for ref in item.groups if ref in self.faded and ref not in item.layers]
        alone = {*item.layers, *more[: GROUP_LAYERS_LIMIT - len(item.layers)]}
        return tuple(ref for ref in item.groups if ref in alone)

    def share(self, switches: tuple[int, ...]) -> float:
        """How far all of these switches are on together, in [0, 1]."""
        return share_of(switches, self.amounts)

    @property
    def sections(self) -> dict[str, NDArray[Any]]:
        """What of it a browser is sent, by name."""
        return {
            "matrices": self.matrices.astype(np.float32),
            "vertices": self.vertices,
            "amounts": self.amounts,
            "order": _numbers(self.order),
            "placings": self.placings.astype(np.float32),
            "handles": self.handles.astype(np.float32),
            "holds": self.holds.astype(np.float32),
            "goals": self.goals.astype(np.float32),
            "levers": self.levers.astype(np.float32),
            "lengthened": self.lengthened,
            "opacities": self.opacities,
        }

    @property
    def changes(self) -> dict[str, NDArray[Any]]:
        """The sections for a browser that has the frame before: `vertices` only as they changed, with `runs` (r, 2) of
        them by the first of each and how many."""
        if self.stale.all():
            return self.sections
        vertices, runs = changed(self.vertices, self.spans, self.stale)
        return {**self.sections, "vertices": vertices, "runs": runs}


@njit(cache=True, nogil=True)
def changed(
    vertices: Floats32, spans: NDArray[np.int32], stale: NDArray[np.bool_]
) -> tuple[Floats32, NDArray[np.uint32]]:
    """The vertices of stale blocks, and the runs (r, 2) of them: blocks that lie side by side are one."""
    runs = np.empty((len(spans), 2), np.uint32)
    count = known = 0
    end = -1
    for block in range(len(spans)):
        if stale[block]:
            first, last = spans[block]
            if first != end:
                runs[count, 0], runs[count, 1] = first, 0
                count += 1
            runs[count - 1, 1] += last - first
            known += last - first
            end = last
    found = np.empty((known, 2), np.float32)
    at = 0
    for run in range(count):
        first, size = runs[run]
        found[at : at + size] = vertices[first : first + size]
        at += size
    return found, runs[:count]


@lru_cache(maxsize=64)
def _numbers(order: tuple[int, ...]) -> NDArray[np.uint32]:
    return np.array(order, np.uint32)


def packed(head: bytes, sections: Mapping[str, NDArray[Any]]) -> bytes:
    """Sections as bytes behind a `head` of a length that is a multiple of four.

    After the head comes how many sections there are and for each its name (12 bytes), the type of its numbers (4
    bytes: `f32`, `u32`, `u8`; little endian), the byte at which it begins and how many numbers it has. A reader goes by
    names, so that one more section breaks none. One of bytes comes last, since the others begin at multiples of four.
    """
    start = len(head) + HEAD.size + len(sections) * SECTION.size
    table, parts = [head, HEAD.pack(len(sections))], []
    for name, numbers in sections.items():
        table.append(SECTION.pack(name.encode(), LETTERS[numbers.dtype], start, numbers.size))
        parts.append(numbers.data if numbers.flags.c_contiguous else numbers.tobytes())
        start += numbers.nbytes
    return b"".join((*table, *parts))
