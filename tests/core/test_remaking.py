"""Parts cut in two, turned, scaled and flipped: from the original, at rest as drawn, done again to a new drawing."""

from __future__ import annotations

import numpy as np
import pytest

from kunstgriff.artwork.remaking import drawing_of
from kunstgriff.artwork.renewing import match_sheet, renewal
from kunstgriff.artwork.rescaling import rescaled
from kunstgriff.binding.thinning import posed_vertices
from kunstgriff.delivery.frames import painter
from kunstgriff.delivery.png import pose_picture
from kunstgriff.figure.archive import read_archive, write_archive
from kunstgriff.figure.edit import EditRefused, apply_edit, need_bone, need_part
from kunstgriff.figure.pose import Pose
from kunstgriff.reading.around import figure_around
from kunstgriff.reading.seams import read_seam
from tests.art import at, capsule, drawn, edited, figure_of, sheet_of, two_piece_arm

HAT = '<path d="M 150 40 h 60 v 40 h -60 Z M 150 40 h 20 v -14 h -20 Z" fill="#a33" stroke="#222" stroke-width="4"/>'


def figure(arm=(80, 320), radius=40):
    layers = {"arm": drawn(capsule((arm[0], 200), (arm[1], 200), radius, 8)), "hat": drawn(HAT)}
    made, stores = figure_of(layers)
    chain = {"kind": "draw_chain", "name": "arm", "joints": at(made, (70, 200), (200, 200), (330, 200))}
    return edited(made, stores, chain), stores


def cut(made, stores, **how):
    return edited(made, stores, {"kind": "cut_part", "part": "arm", "names": ["upper", "fore"], **how})


def rest(made, stores):
    return pose_picture(made, stores, Pose()).astype(int)


def test_a_part_cut_at_a_joint_looks_as_drawn_at_rest_and_bends_like_one_limb():
    made, stores = figure()
    after = cut(made, stores, bone="arm 2")
    assert [(part.name, part.binding.bone) for part in after.parts[:2]] == [("upper", "b3"), ("fore", "b4")]
    assert np.abs(rest(after, stores) - rest(made, stores)).max() <= 2
    assert not read_seam(after, stores, need_bone(after, "arm 2"), painter(), 30).misses
    assert not any(part.shifted for part in after.parts)  # nothing is to be bound anew
    joined = edited(after, stores, {"kind": "join_again", "part": "fore"})
    assert [part.name for part in joined.parts] == ["upper", "hat"]
    assert need_part(joined, "upper").drawing.picture == need_part(made, "arm").drawing.picture
    assert not joined.treatments


def test_a_part_is_cut_along_a_line_and_its_pieces_overlap_by_a_round_end_each():
    made, stores = figure()
    after = cut(made, stores, line=at(made, (190, 120), (210, 280)))
    upper, fore = sorted((need_part(after, name) for name in ("upper", "fore")), key=lambda part: part.drawing.place[0])
    overlap = upper.drawing.place[0] + upper.drawing.size[0] - fore.drawing.place[0]
    assert overlap == pytest.approx(2 * 44, abs=4)  # a radius, line and all, to each side
    alphas = [stores.get_pixels(part.drawing.picture)[..., 3] for part in (upper, fore)]
    assert all((alpha > 127).sum() > 9_000 for alpha in alphas)
    flat = cut(made, stores, line=at(made, (200, 120), (200, 280)), radius=0)
    widths = [need_part(flat, name).drawing.size[0] for name in ("upper", "fore")]
    assert sum(widths) == pytest.approx(need_part(made, "arm").drawing.size[0], abs=4)


def test_a_new_drawing_is_cut_and_turned_alike_and_nobody_misses_the_other_piece():
    made, stores = figure()
    after = cut(made, stores, bone="arm 2")
    after = edited(
        after,
        stores,
        {"kind": "turn_part", "part": "hat", "turn": 90},
        {"kind": "move_parts", "parts": ["fore"], "by": [0, 0.5]},
    )
    sheet = sheet_of({"arm": drawn(capsule((60, 200), (320, 200), 46, 8)), "hat": drawn(HAT.replace("#a33", "#3a3"))})
    matching = match_sheet(after, sheet, stores)
    assert matching.missing == ()
    assert {need_part(after, ref).name for ref, _ in matching.changed} == {"upper", "hat"}
    renewed = edited(after, stores, renewal(after, sheet, matching, stores))
    upper, fore, hat = (need_part(renewed, name) for name in ("upper", "fore", "hat"))
    assert upper.drawing.size[1] == fore.drawing.size[1] == 100  # the new limb's width
    assert upper.drawing.place[0] == need_part(after, "upper").drawing.place[0] - 26
    assert fore.binding == need_part(after, "fore").binding
    green = stores.get_pixels(hat.drawing.picture)
    assert green[green[..., 3] > 250][:, 1].max() > 150
    assert hat.drawing.size == need_part(after, "hat").drawing.size
    same = match_sheet(renewed, sheet, stores)
    assert len(same.same) == 2
    assert not same.changed


@pytest.mark.parametrize(
    ("turn", "scale", "exact"),
    [
        (90, (1, 1), lambda p: np.rot90(p, -1)),
        (180, (1, 1), lambda p: p[::-1, ::-1]),
        (0, (-1, 1), lambda p: p[:, ::-1]),
        (0, (1, -1), lambda p: p[::-1]),
    ],
)
def test_quarter_turns_and_flips_move_pixels_and_change_none(turn, scale, exact):
    made, stores = figure()
    after = edited(made, stores, {"kind": "turn_part", "part": "hat", "turn": turn, "scale": scale})
    before = stores.get_pixels(need_part(made, "hat").drawing.picture)
    assert np.abs(stores.get_pixels(need_part(after, "hat").drawing.picture).astype(int) - exact(before)).max() <= 1


def test_a_part_turned_often_is_resampled_once_from_the_original():
    made, stores = figure()
    steps = [
        {"kind": "turn_part", "part": "hat", "turn": turn, "scale": [1 + turn / 90, 1]} for turn in (10, 50, -30, 35)
    ]
    often, once = edited(made, stores, *steps), edited(made, stores, steps[-1])
    assert need_part(often, "hat") == need_part(once, "hat")
    assert drawing_of(need_part(often, "hat")).drawing.picture == need_part(made, "hat").drawing.picture
    assert need_part(edited(often, stores, {"kind": "turn_part", "part": "hat"}), "hat") == need_part(made, "hat")
    alpha = stores.get_pixels(need_part(once, "hat").drawing.picture)[..., 3] / 255
    drawn_area = (stores.get_pixels(need_part(made, "hat").drawing.picture)[..., 3] / 255).sum()
    assert alpha.sum() == pytest.approx(drawn_area * (1 + 35 / 90), rel=0.01)  # determinants of areas


def test_what_was_done_to_drawings_goes_with_caps_moves_new_scales_and_archives(tmp_path):
    made, stores = figure()
    after = edited(
        cut(made, stores, bone="arm 2"), stores, {"kind": "turn_part", "part": "hat", "turn": 30},
        {"kind": "make_cap", "part": "fore", "pivot": at(made, (320, 200))[0], "radius": 44},
        {"kind": "move_parts", "parts": ["upper", "fore", "hat"], "by": [7, -5]},
    )  # fmt: skip
    for name, original in (("upper", "arm"), ("fore", "arm"), ("hat", "hat")):
        there = drawing_of(need_part(after, name))
        was = need_part(made, original)
        assert there.drawing.picture == was.drawing.picture
        assert there.drawing.place == pytest.approx((was.drawing.place[0] + 7, was.drawing.place[1] - 5))
    write_archive(tmp_path / "arm.zip", after, stores)
    again, known = read_archive(tmp_path / "arm.zip")
    assert again == after
    double = rescaled(again, 2, known)
    for name in ("upper", "fore", "hat"):
        there, was = drawing_of(need_part(double, name)), drawing_of(need_part(again, name))
        assert there.drawing.size == (2 * was.drawing.size[0], 2 * was.drawing.size[1])
        assert there.drawing.place == pytest.approx((2 * was.drawing.place[0], 2 * was.drawing.place[1]))


def test_what_becomes_a_drawing_of_its_own_forgets_the_one_it_came_from():
    made, stores = figure()
    turned = edited(made, stores, {"kind": "turn_part", "part": "hat", "turn": 30})
    for own in (
        {"kind": "copy_parts", "parts": ["hat"], "mirror": True},
        {"kind": "merge_parts", "parts": ["hat", "arm"]},
    ):
        after = edited(turned, stores, own)
        last = after.parts[-1]
        assert not last.drawing.remade
        assert drawing_of(last) == last


@pytest.mark.parametrize(
    ("edit", "why"),
    [
        (
            {"kind": "cut_part", "part": "arm", "line": [[-300, -300], [-250, -300]]},
            "nothing would be left|does not cross",
        ),
        ({"kind": "cut_part", "part": "arm"}, "Say where to cut"),
        ({"kind": "cut_part", "part": "hat", "bone": "arm 2"}, "does not lie on"),
        ({"kind": "cut_part", "part": "arm", "bone": "arm 2", "names": ["hat", "fore"]}, "names of their own"),
        ({"kind": "turn_part", "part": "hat"}, "as it was drawn"),
        ({"kind": "turn_part", "part": "hat", "scale": [0.001, 1]}, "at least"),
        ({"kind": "turn_part", "part": "hat", "scale": [20, 20], "turn": 1e9}, "incomplete or wrong"),
        ({"kind": "join_again", "part": "hat"}, "not cut in two"),
    ],
)
def test_what_cannot_be_done_to_a_drawing_is_said(edit, why):
    made, stores = figure()
    with pytest.raises(EditRefused, match=why):
        apply_edit(edit, made, stores)


def test_a_half_is_read_and_bound_without_the_other_one_beside_it():
    # the half remembers whose drawing it is: where only what lies at a joint is looked at, that one may be missing
    made, stores = two_piece_arm()
    line = at(made, (300, 120), (300, 280))
    halved = edited(made, stores, {"kind": "cut_part", "part": "forearm", "line": line})
    halves = [part for part in halved.parts if part.drawing.remade]
    assert len(halves) == 2
    for half in halves:
        alone = figure_around(halved, (half, half), (5_000.0, 5_000.0), 5.0)
        assert [part.id for part in alone.parts] == [half.id]
    bound = edited(
        halved, stores, {"kind": "bind_weighted", "parts": [one.name for one in halves], "influences": ["arm", "arm 2"]}
    )
    for half in halves:
        assert len(posed_vertices(bound, need_part(bound, half.id), stores)) > 0
