"""Void maps on drawn limbs of known shape (plane geometry)."""

from __future__ import annotations

import numpy as np
import pytest

from kunstgriff.artwork.ora import read_ora
from kunstgriff.artwork.sheet import figure_from_sheet
from kunstgriff.delivery.deliver import Order, deliver
from kunstgriff.delivery.frames import painter
from kunstgriff.figure.stores import MemoryStores
from kunstgriff.reading.voids import void_map
from tests.art import at, capsule, drawn, edited, figure_of, two_piece_arm
from tests.outside.test_seam_readings import RADIUS, flat_ended_arm


def mapped(figure, stores, *angles):
    return void_map(figure, stores, figure.bones[1], painter(), angles)


@pytest.mark.parametrize("degrees", [30.0, 60.0, -75.0])
def test_a_wedge_opens_and_is_mapped_back_to_where_the_paint_is_missing(degrees):
    # two bars butted at the joint open a sector of θ r² / 2, which belongs to the part behind where the other lay
    figure, stores = flat_ended_arm()
    found = mapped(figure, stores, degrees)
    assert found.area == pytest.approx(np.radians(abs(degrees)) * RADIUS**2 / 2, rel=0.05)
    rows, columns = np.nonzero(found.unpainted)
    spots = np.stack([columns, rows], 1) + 0.5 + found.corner - figure.bones[1].joint
    assert np.hypot(*spots.T).max() < RADIUS + 1
    assert not found.painted[found.unpainted].any()
    beyond = 1 if found.part.name == "upper arm" else -1  # which way the part behind ends
    assert (spots[:, 0] * beyond > -1).all()


def test_concentric_round_ends_lack_nothing_and_bring_nothing_hidden_to_light():
    found = mapped(*two_piece_arm(), -90.0, -45.0, 45.0, 90.0)
    assert found.area == 0
    assert found.lit.sum() < 60  # soft edges


def test_what_reaches_far_under_its_neighbour_comes_to_light():
    layers = {
        "forearm": drawn(capsule((150, 200), (340, 200), 40, 8)),
        "upper arm": drawn(capsule((60, 200), (200, 200), 40, 8)),
    }
    figure, stores = figure_of(layers)
    figure = edited(
        figure, stores, {"kind": "draw_chain", "name": "arm", "joints": at(figure, (60, 200), (200, 200), (340, 200))},
        {"kind": "bind_rigid", "parts": ["upper arm"], "bone": "arm"},
        {"kind": "bind_rigid", "parts": ["forearm"], "bone": "arm 2"},
    )  # fmt: skip
    found = mapped(figure, stores, 90.0)
    # plane geometry: turned by 90°, of the end (half width 44, 50 px further on) all shows that reaches past the other's
    # band, a strip of 6 px and a half disc, and what lies beside the other's round end
    expected = 6 * 88 + np.pi * 44**2 / 2 + (1 - np.pi / 4) * 44**2
    assert found.lit.sum() == pytest.approx(expected, rel=0.08)
    assert found.area == 0


def test_growing_underneath_closes_the_void_and_painted_layers_do_when_they_come_back(tmp_path):
    figure, stores = flat_ended_arm()
    before = mapped(figure, stores, 40.0)
    front = next(part.name for part in figure.parts if part.id != before.part.id)
    grown = edited(
        figure, stores, {"kind": "grow_under", "part": before.part.name, "neighbour": front, "by": before.reach + 2}
    )
    assert mapped(grown, stores, 40.0).area < 0.1 * before.area
    deliver(tmp_path / "arm.voids.ora", Order(figure, stores))
    sheet = read_ora(tmp_path / "arm.voids.ora")
    assert [layer.name for layer in sheet.layers if "void" in layer.name] == [f"void of {before.part.name}, not a part"]
    again = figure_from_sheet(sheet, "arm", MemoryStores())
    assert [part.name for part in again.parts] == [part.name for part in figure.parts]
