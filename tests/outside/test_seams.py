"""Covers on drawn capsules of known stroke (SVG: a stroke of width w covers w/2 on each side of its path)."""

from __future__ import annotations

import numpy as np
import pytest

from kunstgriff.artwork.sheet import composite
from kunstgriff.delivery.png import pose_picture
from kunstgriff.figure.pose import Pose, parse_pose
from tests.art import edited, sheet_of, two_piece_arm


def ink_inside(picture, radius, stroke, elbow=(200, 200)):
    """px² of dark line within the joint's circle, more than one line width inside its edge."""
    y, x = np.mgrid[: picture.shape[0], : picture.shape[1]] + 0.5
    inside = np.hypot(x - elbow[0], y - elbow[1]) < radius - 1.5 * stroke
    dark = (picture[..., :3].astype(int).sum(2) < 300) & (picture[..., 3] > 128)
    return int((dark & inside).sum())


@pytest.mark.parametrize(("radius", "stroke"), [(40, 8), (40, 4), (55, 12)])
@pytest.mark.parametrize("degrees", [0, 30, 60, 90, 120])
def test_a_cover_leaves_no_line_inside_the_joint(radius, stroke, degrees):
    figure, stores = two_piece_arm(radius, stroke)
    pose = parse_pose({"turn": {"arm 2": degrees}})
    covered = edited(figure, stores, {"kind": "lay_cover", "bone": "arm 2"})
    if degrees == 0:
        # at rest the outline of the piece in front crosses the limb: a half circle of stroke w about the joint
        # shows inside the two side lines
        y, x = np.mgrid[:400, :400] + 0.5
        across = (np.abs(y - 200) < radius - 1.5 * stroke) & (x > 200)
        bare = pose_picture(figure, stores, pose)
        line = (bare[..., :3].astype(int).sum(2) < 300) & (bare[..., 3] > 128) & across
        near_cap = line & (np.abs(np.hypot(x - 200, y - 200) - radius) < stroke)
        assert near_cap.sum() > stroke * radius
        after = pose_picture(covered, stores, pose)
        dark = (after[..., :3].astype(int).sum(2) < 300) & (after[..., 3] > 128) & across
        assert (dark & (np.hypot(x - 200, y - 200) < radius + stroke)).sum() == 0
    assert ink_inside(pose_picture(covered, stores, pose), radius, stroke) == 0


@pytest.mark.parametrize("degrees", [0, 45, 90])
def test_a_cover_keeps_the_silhouette_and_the_width_of_the_outline(degrees):
    stroke, radius = 8, 40
    figure, stores = two_piece_arm(radius, stroke)
    pose = parse_pose({"turn": {"arm 2": degrees}})
    bare = pose_picture(figure, stores, pose)
    covered = pose_picture(edited(figure, stores, {"kind": "lay_cover", "bone": "arm 2"}), stores, pose)
    assert np.abs(bare[..., 3].astype(int) - covered[..., 3]).max() <= 2
    # the side line of the limb, measured across it before, at and after the joint on the outer side of the bend
    for x in (150, 170, 190, 198):
        column = covered[:200, x, :3].astype(int).sum(1) < 380
        visible = covered[:200, x, 3] > 128
        assert (column & visible).sum() == pytest.approx(stroke, abs=1.01), x


def test_painting_parts_over_one_another_is_pillows_alpha_composite():
    # Porter & Duff 1984, source-over; Pillow's alpha_composite as the peer
    from PIL import Image

    rng = np.random.default_rng(2)
    layers = {name: rng.integers(0, 256, (60, 60, 4), np.uint8) for name in "abc"}
    sheet = sheet_of(layers, (60, 60))
    peer = Image.new("RGBA", (60, 60))
    for pixels in layers.values():
        peer = Image.alpha_composite(peer, Image.fromarray(pixels))
    ours = composite(sheet).astype(int)
    theirs = np.asarray(peer).astype(int)
    assert np.abs(ours[..., 3] - theirs[..., 3]).max() <= 2
    assert np.abs(ours - theirs)[theirs[..., 3] > 60].max() <= 6
    from kunstgriff.artwork.sheet import figure_from_sheet
    from kunstgriff.figure.stores import MemoryStores

    stores = MemoryStores()
    painted = pose_picture(figure_from_sheet(sheet, "x", stores), stores, Pose()).astype(int)
    assert np.abs(painted[..., 3] - ours[..., 3]).max() <= 2
    assert np.abs(painted - ours).mean() < 1
