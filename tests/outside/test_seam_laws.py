"""What seam readings must obey whatever the limb: plane geometry, and that a limb is the same one turned or enlarged."""

from __future__ import annotations

from dataclasses import asdict

import numpy as np
import pytest
from shapely import LineString, unary_union
from shapely.affinity import rotate

from kunstgriff.delivery.frames import painter
from kunstgriff.reading.seam import SeamReader
from tests.art import FILL, at, capsule, drawn, edited, figure_of, two_piece_arm
from tests.outside.test_seam_readings import flat_ended_arm, seams

LENGTHS = ("gap_disc", "ink_length", "corner_length", "outline_step", "notch", "bump")


def turned_arm(direction: float, scale: float = 1.0, line: float = 8.0):
    """A two-piece arm, upper arm in front, that points in a direction (degrees)."""
    radians, size = np.radians(direction), round(400 * scale)
    middle = np.array([size / 2, size / 2])
    reach = 130 * scale * np.array([np.cos(radians), np.sin(radians)])
    ends = [tuple(spot) for spot in (middle - reach, middle, middle + reach)]
    radius = 36 * scale
    figure, stores = figure_of(
        {
            "forearm": drawn(capsule(ends[1], ends[2], radius, line * scale), (size, size)),
            "upper arm": drawn(capsule(ends[0], ends[1], radius, line * scale), (size, size)),
        },
        (size, size),
    )
    return edited(
        figure, stores, {"kind": "draw_chain", "name": "arm", "joints": at(figure, *ends)},
        {"kind": "bind_rigid", "parts": ["upper arm"], "bone": "arm"},
        {"kind": "bind_rigid", "parts": ["forearm"], "bone": "arm 2"},
    ), stores  # fmt: skip


@pytest.mark.parametrize("direction", [37.0, 90.0, 200.0])
def test_a_limb_reads_the_same_whichever_way_it_points(direction):
    angles = (0.0, 45.0, 110.0)
    level, aslant = seams(*turned_arm(0), *angles), seams(*turned_arm(direction), *angles)
    for angle in angles:
        one, other = asdict(level[angle]), asdict(aslant[angle])
        for name in LENGTHS:
            assert other[name] == pytest.approx(one[name], abs=1.5 + 0.05 * one[name]), (angle, name)
        assert other["width_kept"] == pytest.approx(one["width_kept"], abs=0.02)
        assert other["area_kept"] == pytest.approx(one["area_kept"], abs=0.01)


def test_a_limb_bent_either_way_reads_the_same():
    found = seams(*turned_arm(0), 70.0, -70.0)
    for name in LENGTHS:
        assert getattr(found[70.0], name) == pytest.approx(getattr(found[-70.0], name), abs=1.0), name


def test_a_limb_twice_as_large_has_lengths_twice_as_long_and_keeps_the_same_shares():
    angles = (0.0, 60.0)
    small, large = seams(*turned_arm(0), *angles), seams(*turned_arm(0, 2.0), *angles)
    for angle in angles:
        for name in ("ink_length", "corner_length", "notch", "bump"):
            one, other = getattr(small[angle], name), getattr(large[angle], name)
            assert other == pytest.approx(2 * one, abs=2.0 + 0.05 * one), (angle, name)
        assert large[angle].width_kept == pytest.approx(small[angle].width_kept, abs=0.02)


def test_readings_do_not_hang_on_what_was_read_before():
    figure, stores = two_piece_arm()
    bone = next(one for one in figure.bones if one.name == "arm 2")
    reader = SeamReader(figure, stores, bone, painter())
    forth, back = list(reader.read([0.0, 40.0, 90.0])), list(reader.read([90.0, 40.0, 0.0]))
    assert forth == back[::-1]
    (alone,) = SeamReader(figure, stores, bone, painter()).read([40.0])
    assert alone == forth[1]


@pytest.mark.parametrize("degrees", [45.0, 90.0, 120.0])
def test_the_largest_disc_in_a_wedge_is_that_of_the_sector(degrees):
    # geometry: a disc in a sector of radius r and angle θ that touches both sides and the arc: r s / (1 + s), s = sin θ/2
    one = seams(*flat_ended_arm(), degrees)[degrees]
    share = np.sin(np.radians(degrees) / 2)
    assert one.gap_disc == pytest.approx(2 * 40 * share / (1 + share), abs=2.5)


@pytest.mark.parametrize(("radius", "line"), [(30, 6), (40, 4), (55, 12)])
def test_the_line_across_is_as_long_as_geometry_has_it_for_any_limb_and_line(radius, line):
    # r (π − 2 arccos(1 − w / 2r)): the cap's middle line where it is more than a line's width inside both sides
    one = seams(*two_piece_arm(radius, line), 0.0)[0.0]
    expected = radius * (np.pi - 2 * np.arccos(1 - line / (2 * radius)))
    assert one.ink_length == pytest.approx(expected, rel=0.08)
    assert one.ink == pytest.approx(expected * line, rel=0.08)


@pytest.mark.parametrize("degrees", [30.0, 75.0, 120.0])
def test_width_and_area_kept_are_those_of_the_union_of_two_capsules(degrees):
    # shapely: the union of the capsules; round ends about the joint let the widest disc through at every angle
    half = 40 + 8 / 2
    upper = LineString([(60, 200), (200, 200)]).buffer(half, quad_segs=64)
    fore = LineString([(200, 200), (340, 200)]).buffer(half, quad_segs=64)
    rest = unary_union([upper, fore]).area
    posed = unary_union([upper, rotate(fore, degrees, origin=(200, 200))]).area
    one = seams(*two_piece_arm(40, 8), degrees)[degrees]
    assert one.width_kept == pytest.approx(1, abs=0.02)
    assert one.area_kept == pytest.approx(posed / rest, abs=0.01)
    assert one.folded == 0


def test_a_hole_between_two_pieces_is_a_void_and_a_wedge_open_to_the_outside_is_none():
    open_wedge = seams(*flat_ended_arm(), 60.0)[60.0]
    assert (open_wedge.void, open_wedge.gap > 100) == (0.0, True)
    # a flap of the upper arm closes the wedge on the outside, as a cuff does
    figure, stores = flat_ended_arm(f'<path d="M190 160 H235 V166 H190 Z" fill="{FILL}"/>')
    assert seams(figure, stores, 0.0)[0.0].gap == 0
    shut = seams(figure, stores, 15.0)[15.0]
    assert 20 < shut.void <= shut.gap
    assert shut.void_disc <= shut.gap_disc
