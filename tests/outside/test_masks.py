"""Clip, knockout and trim as they are painted, held against Porter & Duff 1984 (in, out, over; formulas from memory)."""

from __future__ import annotations

import numpy as np
import pytest

from kunstgriff.delivery.png import pose_picture
from kunstgriff.figure.edit import EditRefused
from kunstgriff.figure.pose import Pose, parse_pose
from tests.art import at, capsule, drawn, edited, figure_of, two_piece_arm

SIZE = (60, 40)
RED, GREEN, BLUE = (200, 40, 30), (30, 150, 60), (40, 60, 180)


def flat(colour, alpha, box):
    """A rectangle of one colour (left, top, right, bottom) on a see-through sheet."""
    pixels = np.zeros((SIZE[1], SIZE[0], 4), np.uint8)
    left, top, right, bottom = box
    pixels[top:bottom, left:right] = (*colour, round(255 * alpha))
    return pixels


def seen(figure, stores, x, y, **pose):
    """Colour times alpha and alpha at a pixel, in [0, 1]."""
    pixel = pose_picture(figure, stores, parse_pose(pose).by_id(figure) if pose else Pose())[y, x] / 255
    return np.array([*(pixel[:3] * pixel[3]), pixel[3]])


def premultiplied(colour, alpha):
    return np.array([*(np.array(colour) / 255 * alpha), alpha])


def over(top, bottom):
    return top + bottom * (1 - top[3])


@pytest.mark.parametrize("white", [0.0, 0.5, 1.0])
@pytest.mark.parametrize("pupil", [0.4, 1.0])
@pytest.mark.parametrize("erased", [False, True])
def test_a_clip_is_in_and_a_knockout_is_out(white, pupil, erased):
    layers = {"white": flat(GREEN, white, (10, 5, 40, 35)), "pupil": flat(RED, pupil, (20, 5, 55, 35))}
    if white == 0:
        layers["white"][0, 0] = (0, 0, 0, 1)  # a layer needs something on it
    figure, stores = figure_of(layers, SIZE)
    figure = edited(figure, stores, {"kind": "clip_part", "part": "pupil", "by": "white", "erased": erased})
    share = {True: 1 - white, False: white}[erased]
    below, top = premultiplied(GREEN, white), premultiplied(RED, pupil)
    assert seen(figure, stores, 30, 20) == pytest.approx(over(top * share, below), abs=0.012)
    beside = top if erased else np.zeros(4)
    assert seen(figure, stores, 50, 20) == pytest.approx(beside, abs=0.008)


def test_clips_lie_in_one_another_and_an_unseen_shape_erases():
    layers = {
        "face": flat(BLUE, 1, (0, 0, 30, 40)), "white": flat(GREEN, 1, (10, 0, 50, 40)),
        "pupil": flat(RED, 1, (0, 0, 60, 20)), "brow": flat((0, 0, 0), 0.75, (0, 0, 60, 10)),
    }  # fmt: skip
    figure, stores = figure_of(layers, SIZE)
    figure = edited(
        figure, stores, {"kind": "clip_part", "part": "white", "by": "face"},
        {"kind": "clip_part", "part": "pupil", "by": "white"},
        {"kind": "clip_part", "part": "pupil", "by": "brow", "erased": True, "unseen": True},
    )  # fmt: skip
    red, green, blue = (premultiplied(colour, 1) for colour in (RED, GREEN, BLUE))
    assert seen(figure, stores, 20, 15) == pytest.approx(red, abs=0.008)  # in all three
    assert seen(figure, stores, 40, 15) == pytest.approx(np.zeros(4), abs=0.008)  # the white is cut off at the face
    assert seen(figure, stores, 5, 15) == pytest.approx(blue, abs=0.008)
    assert seen(figure, stores, 20, 30) == pytest.approx(green, abs=0.008)
    assert seen(figure, stores, 20, 5) == pytest.approx(over(red * 0.25, green), abs=0.012)  # the brow itself unseen


def test_a_clip_moves_with_its_shape_and_is_switched_by_pose():
    layers = {"white": flat(GREEN, 1, (10, 5, 30, 35)), "pupil": flat(RED, 1, (5, 5, 55, 35))}
    figure, stores = figure_of(layers, SIZE)
    figure = edited(
        figure, stores, {"kind": "draw_chain", "name": "eye", "joints": at(figure, (20, 20), (30, 20))},
        {"kind": "draw_chain", "name": "lid", "joints": at(figure, (40, 20), (50, 20))},
        {"kind": "bind_rigid", "parts": ["white"], "bone": "eye"},
        {"kind": "clip_part", "part": "pupil", "by": "white", "switch": {"bone": "lid", "low": -10, "high": 10, "fade": 4}},
    )  # fmt: skip
    assert seen(figure, stores, 40, 20)[3] == pytest.approx(0, abs=0.008)
    assert seen(figure, stores, 40, 20, move={"eye": [20, 0]})[3] == pytest.approx(1, abs=0.008)
    assert seen(figure, stores, 50, 20, turn={"lid": 20})[3] == pytest.approx(1, abs=0.008)
    assert seen(figure, stores, 50, 20, turn={"lid": 8})[3] == pytest.approx(0.5, abs=0.02)  # half faded


def test_clips_that_would_bite_their_own_tail_or_lie_too_deep_are_refused():
    figure, stores = figure_of({name: flat(RED, 1, (n, 5, 40, 30)) for n, name in enumerate("abcdef")}, SIZE)
    chain = [{"kind": "clip_part", "part": one, "by": by} for one, by in ("ab", "bc", "cd", "de")]
    figure = edited(figure, stores, *chain)
    with pytest.raises(EditRefused, match="already"):
        edited(figure, stores, {"kind": "clip_part", "part": "d", "by": "b"})
    with pytest.raises(EditRefused, match="4 deep"):
        edited(figure, stores, {"kind": "clip_part", "part": "e", "by": "f"})
    with pytest.raises(EditRefused, match="smaller to a greater"):
        edited(
            figure, stores, {"kind": "clip_part", "part": "d", "by": "e", "switch": {"bone": "x", "low": 5, "high": 1}}
        )


WAYS = {
    "cover": {"kind": "lay_cover", "bone": "arm 2"},
    "trim": {"kind": "lay_trim", "bone": "arm 2"},
    "whole trim": {"kind": "lay_trim", "bone": "arm 2", "whole": True},
    "gusset": {"kind": "lay_gusset", "bone": "arm 2"},
    "gusset on both bones": {"kind": "lay_gusset", "bone": "arm 2", "share": 0.6},
    "ink cut": {"kind": "cut_ink", "parts": ["upper arm", "forearm"]},
}


@pytest.mark.parametrize("way", WAYS)
@pytest.mark.parametrize("degrees", [0, 60, 110])
def test_every_treatment_keeps_the_silhouette_and_has_no_fringe(way, degrees):
    # the union of the sources: alpha never above it, nor half a pixel of silhouette below it
    figure, stores = two_piece_arm(40, 8)
    pose = parse_pose({"turn": {"arm 2": degrees}}).by_id(figure)
    bare = pose_picture(figure, stores, pose).astype(int)
    after = pose_picture(edited(figure, stores, WAYS[way]), stores, pose).astype(int)
    assert (after[..., 3] - bare[..., 3]).max() <= 3
    assert (bare[..., 3] - after[..., 3]).max() <= 128  # half of an edge pixel's cover: half a pixel
    ink, fill = np.array([0x2B, 0x2A, 0x33]), np.array([0xD8, 0xC3, 0xA4])
    solid = after[after[..., 3] > 250][:, :3]
    assert (solid >= np.minimum(ink, fill) - 3).all()
    assert (solid <= np.maximum(ink, fill) + 3).all()


@pytest.mark.parametrize("fill_alpha", [0.5])
def test_a_trim_shows_through_a_half_transparent_limb_no_more_than_the_limb_does(fill_alpha):
    stores_layers = {
        name: np.rint(drawn(capsule(a, b, 40, 8)) * np.array([1, 1, 1, fill_alpha])).astype(np.uint8)
        for name, a, b in (("forearm", (200, 200), (340, 200)), ("upper arm", (60, 200), (200, 200)))
    }
    figure, stores = figure_of(stores_layers)
    figure = edited(
        figure, stores, {"kind": "draw_chain", "name": "arm", "joints": at(figure, (60, 200), (200, 200), (340, 200))},
        {"kind": "bind_rigid", "parts": ["upper arm"], "bone": "arm"},
        {"kind": "bind_rigid", "parts": ["forearm"], "bone": "arm 2"},
    )  # fmt: skip
    bare = pose_picture(figure, stores, Pose()).astype(int)
    trimmed = pose_picture(edited(figure, stores, {"kind": "lay_trim", "bone": "arm 2"}), stores, Pose()).astype(int)
    assert np.abs(bare[..., 3] - trimmed[..., 3]).max() <= 3  # ink alone changes colour, not how much is seen through
    assert (trimmed[170:230, 236:244, :3].sum(2) > bare[170:230, 236:244, :3].sum(2) - 3).all()


def test_a_bare_fill_leaves_half_the_line_and_the_half_line_rule_all_of_it():
    # common practice (SOURCES, covered line): an outline is centred on the edge, so a bare fill hides its inner half
    stroke = 8
    figure, stores = two_piece_arm(40, stroke)
    for rule, width in ((True, stroke), (False, stroke / 2)):
        covered = edited(figure, stores, {"kind": "lay_cover", "bone": "arm 2", "half_line": rule})
        # the copy of the forearm lies over the upper arm's end: the side line there, summed across it
        column = pose_picture(covered, stores, Pose())[140:180, 199].astype(float)
        darkness = (0xD8 - column[:, 0]) / (0xD8 - 0x2B) * (column[:, 3] / 255)
        assert darkness.clip(0).sum() == pytest.approx(width, rel=0.05)
