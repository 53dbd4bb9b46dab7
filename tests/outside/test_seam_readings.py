"""Seams read on drawn limbs whose answers geometry knows (SOURCES: round cap, covered line)."""

from __future__ import annotations

import numpy as np
import pytest

from kunstgriff.delivery.frames import painter
from kunstgriff.figure.edit import EditRefused
from kunstgriff.reading.seam import SeamReader
from tests.art import FILL, at, capsule, drawn, edited, figure_of, one_piece_arm, two_piece_arm

RADIUS, LINE = 40.0, 8.0


def seams(figure, stores, *angles, bone="arm 2"):
    found = next(one for one in figure.bones if one.name == bone)
    return {one.angle: one for one in SeamReader(figure, stores, found, painter()).read(angles)}


def flat_ended_arm(beside: str = ""):
    """Two bars of half width 40 butted at the joint, without lines; the upper arm with something drawn `beside` it."""
    bar = f'<rect x="{{}}" y="160" width="140" height="80" fill="{FILL}"/>'
    figure, stores = figure_of({"forearm": drawn(bar.format(200)), "upper arm": drawn(bar.format(60) + beside)})
    return edited(
        figure, stores, {"kind": "draw_chain", "name": "arm", "joints": at(figure, (60, 200), (200, 200), (340, 200))},
        {"kind": "bind_rigid", "parts": ["upper arm"], "bone": "arm"},
        {"kind": "bind_rigid", "parts": ["forearm"], "bone": "arm 2"},
    ), stores  # fmt: skip


def test_flat_ends_open_a_wedge_of_half_theta_r_squared():
    # geometry: a sector of the turn's angle inside the circle of half the limb's width
    for angle, seam in seams(*flat_ended_arm(), 20.0, 45.0, 90.0, -60.0).items():
        assert seam.gap == pytest.approx(np.radians(abs(angle)) * RADIUS**2 / 2, rel=0.03)
        assert seam.gap_disc > 3


def test_concentric_round_ends_never_open():
    for seam in seams(*two_piece_arm(), *np.arange(-120.0, 121, 30)).values():
        assert seam.gap == 0


@pytest.mark.parametrize("angle", [0.0, 40.0])
def test_a_full_outline_crosses_the_limb_by_its_cap(angle):
    # geometry: the cap's line about the joint, less where it lies within a line's width of the limb's own sides:
    # r (π − 2 arccos(1 − w / 2r)) for a straight limb
    one = seams(*two_piece_arm(RADIUS, LINE), angle)[angle]
    expected = RADIUS * (np.pi - 2 * np.arccos(1 - LINE / (2 * RADIUS)))
    assert one.ink_length == pytest.approx(expected, rel=0.08 if angle == 0 else 0.15)


def test_a_cover_hides_the_crossing_line_and_leaves_the_outline_equally_wide():
    # common practice, no source: the line must be as wide on both sides of a joint
    figure, stores = two_piece_arm(RADIUS, LINE)
    bare = seams(figure, stores, 0.0)[0.0]
    covered = edited(figure, stores, {"kind": "lay_cover", "bone": "arm 2"})
    for seam in seams(covered, stores, 0.0, 30.0, 60.0).values():
        assert seam.ink_length < 3 < bare.ink_length
        assert seam.outline_step < 0.25 * LINE
        assert seam.gap == 0


def test_a_thinner_line_on_one_side_is_read_as_a_step():
    thick = f'<rect x="60" y="160" width="160" height="80" fill="{FILL}" stroke="#2b2a33" stroke-width="8"/>'
    thin = f'<rect x="180" y="160" width="160" height="80" fill="{FILL}" stroke="#2b2a33" stroke-width="4"/>'
    figure, stores = figure_of({"forearm": drawn(thin), "upper arm": drawn(thick)})
    figure = edited(
        figure, stores, {"kind": "draw_chain", "name": "arm", "joints": at(figure, (60, 200), (200, 200), (340, 200))},
        {"kind": "bind_rigid", "parts": ["upper arm"], "bone": "arm"},
        {"kind": "bind_rigid", "parts": ["forearm"], "bone": "arm 2"},
    )  # fmt: skip
    assert seams(figure, stores, 0.0)[0.0].outline_step == pytest.approx(4, abs=0.8)


def test_a_straight_limb_has_no_notch_and_a_dent_is_one():
    straight = seams(*two_piece_arm(), 0.0)[0.0]
    assert max(straight.notch, straight.bump) < 0.05 * RADIUS
    bent = seams(*flat_ended_arm(), 60.0)[60.0]
    assert bent.notch > 0.15 * RADIUS


def test_a_joint_in_one_piece_has_no_seam_to_read():
    figure, stores = one_piece_arm()
    with pytest.raises(EditRefused, match="No two parts meet"):
        seams(figure, stores, 0.0)


@pytest.mark.parametrize("fore", [40.0, 50.0, 59.0])
def test_a_narrower_piece_leaves_a_round_end_in_a_corner_of_known_turn(fore):
    # plane geometry: a line r from the middle meets a circle of radius R about it at arccos(r / R) to its tangent;
    # read over 11 px, in which the circle turns back by up to 10 degrees
    layers = {
        "upper": drawn(capsule((80, 200), (200, 200), 60, 2)),
        "fore": drawn(capsule((200, 200), (330, 200), fore, 2)),
    }
    figure, stores = figure_of(layers)
    figure = edited(
        figure, stores, {"kind": "draw_chain", "name": "arm", "joints": at(figure, (70, 200), (200, 200), (340, 200))},
        {"kind": "bind_rigid", "parts": ["upper"], "bone": "arm"},
        {"kind": "bind_rigid", "parts": ["fore"], "bone": "arm 2"},
    )  # fmt: skip
    turn = np.degrees(np.arccos((fore + 1) / 61))
    for angle, seam in seams(figure, stores, 0.0, 40.0, -70.0).items():
        assert seam.corner == pytest.approx(turn - 4, abs=6), angle
    assert all(one.corner < 8 for one in seams(*two_piece_arm(60, 2), 0.0, 40.0, -70.0).values())
