"""What an edit would make of the drawing is shown before it is made, and leaves nothing behind."""

from __future__ import annotations

import numpy as np
import pytest

from kunstgriff.delivery.frames import painter
from kunstgriff.figure.edit import EditRefused, apply_edit
from kunstgriff.figure.stores import pack_array, unpack_array
from kunstgriff.reading.previewing import MARK, preview
from tests.art import capsule, drawn, figure_of

HOLED = '<circle cx="200" cy="200" r="90" fill="#d8c3a4"/>'


def holed():
    rgba = drawn(HOLED).copy()
    y, x = np.mgrid[:400, :400]
    rgba[np.hypot(x - 200, y - 200) < 15] = 0
    return figure_of({"disc": rgba, "arm": drawn(capsule((40, 60), (120, 60), 10, 3))})


def test_before_after_and_the_difference_stand_side_by_side():
    figure, stores = holed()
    kept = dict(stores.pictures)
    strip = preview(figure, stores, {"kind": "fill_holes", "parts": ["disc"]}, painter(), 200)
    assert strip.shape == (200, 600, 4)
    before, after, differs = np.split(strip, 3, axis=1)
    assert before[100, 100, 3] == 0
    assert after[100, 100, 3] == 255
    marked = (differs == MARK).all(2)
    scale = 200 / (2 * 90 + 2 * 14)
    assert marked.sum() == pytest.approx(np.pi * (15 * scale) ** 2, rel=0.15)  # the hole and nothing else
    assert stores.pictures == kept, "nothing is kept of what was only tried"
    done = apply_edit({"kind": "fill_holes", "parts": ["disc"]}, figure, stores)
    assert done.parts[0].drawing.picture not in kept


def test_what_repaints_nothing_or_cannot_be_is_said():
    figure, stores = holed()
    with pytest.raises(EditRefused, match="look otherwise"):
        preview(figure, stores, {"kind": "rename_part", "part": "arm", "name": "paw"}, painter(), 100)
    with pytest.raises(EditRefused, match="no hole"):
        preview(figure, stores, {"kind": "fill_holes", "parts": ["arm"]}, painter(), 100)


@pytest.mark.parametrize("at", range(0, 128, 3))
def test_damaged_arrays_are_refused_and_no_more_is_allocated_than_there_is(at):
    data = bytearray(pack_array(np.arange(600, dtype=np.float32).reshape(300, 2)))
    with pytest.raises(ValueError, match="larger or smaller"):
        unpack_array(bytes(data).replace(b"(300, 2)", b"(9999,2)"))
    data[at] ^= 0x5A
    try:
        array = unpack_array(bytes(data))
    except ValueError:
        return
    assert array.nbytes <= len(data)
