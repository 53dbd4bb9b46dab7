"""What is painted: the rest pose is the sheet, posed parts keep soft edges, seams vanish."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from kunstgriff.artwork.ink import split_ink
from kunstgriff.artwork.ora import read_ora
from kunstgriff.artwork.sheet import composite, figure_from_sheet
from kunstgriff.delivery.frames import painter
from kunstgriff.delivery.png import pose_picture
from kunstgriff.evaluate.state import compile_rig
from kunstgriff.figure.archive import read_archive
from kunstgriff.figure.pose import Pose, parse_pose
from kunstgriff.figure.stores import MemoryStores
from kunstgriff.paint.painter import View, padded_premultiplied, sheet_view
from tests.art import capsule, drawn, edited, figure_of, two_piece_arm

DEMO = Path(__file__).resolve().parents[2] / "demo"


def test_the_rest_pose_of_bare_parts_is_the_sheet():
    sheet = read_ora(DEMO / "pell.ora")
    figure = figure_from_sheet(sheet, "pell", stores := MemoryStores())
    painted = pose_picture(figure, stores, Pose())
    assert np.abs(painted.astype(int) - composite(sheet)).mean() < 1


def test_the_rest_pose_of_the_rigged_demo_is_the_sheet_but_for_its_covers(pell):
    figure, stores = pell
    bare = figure.replace(treatments=())
    sheet = composite(read_ora(DEMO / "pell.ora"))
    difference = np.abs(pose_picture(bare, stores, Pose()).astype(int) - sheet)
    assert difference.mean() < 1
    covered = np.abs(pose_picture(figure, stores, Pose()).astype(int) - sheet)
    assert covered.mean() < 1, "covers change a few lines only"
    assert (covered.max(2) > 60).any(), "and those they do change"


def test_hidden_parts_and_their_covers_are_not_painted():
    figure, stores = two_piece_arm()
    figure = edited(figure, stores, {"kind": "lay_cover", "bone": "arm 2"})
    assert len(compile_rig(figure, stores).program.items) == 3
    figure = edited(figure, stores, {"kind": "show_parts", "parts": ["forearm"], "visible": False})
    assert [item.variant for item in compile_rig(figure, stores).program.items] == ["full"]


def test_the_draw_list_lies_back_to_front_with_the_cover_right_before_what_it_covers():
    figure, stores = two_piece_arm()
    figure = edited(figure, stores, {"kind": "lay_cover", "bone": "arm 2"})
    names = [(item.variant, figure.part(item.part).name) for item in compile_rig(figure, stores).program.items]
    assert names == [("full", "forearm"), ("full", "upper arm"), ("ink-less", "forearm")]


def test_nothing_smears_beyond_a_part_that_touches_the_edge_of_its_picture():
    figure, stores = figure_of({"block": np.full((50, 50, 4), (200, 50, 50, 255), np.uint8)}, (50, 50))
    rig = compile_rig(figure, stores)
    view = View((60, 60), 0.25, (-120, -150))
    pixels = painter().paint(rig, rig.evaluate(Pose()), view, stores)
    assert pixels[..., 3].sum() / 255 == pytest.approx(50 * 50 / 16, rel=0.25)
    assert (pixels[..., 3] > 0).sum() < 16**2


def test_padding_makes_whole_blocks_for_exact_mipmaps():
    padded, size = padded_premultiplied(np.full((37, 21, 4), 255, np.uint8))
    assert size == (21, 37)
    assert padded.shape[0] % 8 == padded.shape[1] % 8 == 0
    assert padded[:8].sum() == padded[:, :8].sum() == 0


def test_a_picture_of_impossible_size_is_refused():
    figure, stores = two_piece_arm()
    rig = compile_rig(figure, stores)
    with pytest.raises(ValueError, match="cannot be painted"):
        painter().paint(rig, rig.evaluate(Pose()), sheet_view(figure, (100_000, 10)), stores)


@pytest.mark.parametrize("stroke", [4, 8, 13, 18])
def test_line_width_is_measured_from_the_picture(stroke):
    split = split_ink(drawn(capsule((120, 200), (280, 200), 60, stroke)))
    assert split.line_width == pytest.approx(stroke, abs=1.2)


def test_ink_taken_off_leaves_the_fill_colour_and_drawn_details():
    body = capsule((120, 200), (280, 200), 60, 10) + '<circle cx="200" cy="200" r="6" fill="#2b2a33"/>'
    split = split_ink(drawn(body))
    inside = drawn(capsule((120, 200), (280, 200), 60, 0))[..., 3] > 250
    assert np.abs(split.fill[inside].astype(int) - (216, 195, 164)).max(1).mean() < 4
    assert split.coverage[200, 200] == 1, "a drawn detail is ink"
    assert split.at_edge[200, 200] == 0, "but not the outline's"


def test_a_part_without_ink_has_none():
    split = split_ink(drawn('<circle cx="200" cy="200" r="80" fill="#d8c3a4"/>'))
    assert split.line_width == 0
    assert not split.coverage.any()


def test_a_turned_limb_keeps_its_painted_area():
    figure, stores = two_piece_arm()
    rest = pose_picture(figure, stores, Pose())[..., 3].mean()
    turned = pose_picture(figure, stores, parse_pose({"turn": {"arm": 33}}))[..., 3].mean()
    assert turned == pytest.approx(rest, rel=0.005)


def test_a_picture_is_the_same_whatever_size_was_painted_before():
    figure, stores = read_archive(DEMO / "pell.zip")
    rig = compile_rig(figure, stores)
    frame = rig.evaluate()
    sizes = [(400, 600), (1600, 2400), (200, 300)]
    first = [painter().paint(rig, frame, sheet_view(figure, size), stores) for size in sizes]
    for size, before in reversed(list(zip(sizes, first, strict=True))):
        assert (painter().paint(rig, frame, sheet_view(figure, size), stores) == before).all()
