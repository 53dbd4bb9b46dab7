"""Treatments as a rigger meets them: kept through redrawing, carried to the like limb, switched by the pose."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from kunstgriff.artwork.ink import part_ink
from kunstgriff.artwork.outline import part_alpha
from kunstgriff.artwork.renewing import match_sheet
from kunstgriff.delivery.frames import painter
from kunstgriff.delivery.png import pose_picture
from kunstgriff.delivery.sheet import sheet_of
from kunstgriff.evaluate.state import compile_rig
from kunstgriff.figure.archive import read_archive, write_archive
from kunstgriff.figure.edit import EditRefused, apply_edit, need_bone, need_part
from kunstgriff.figure.findings import findings
from kunstgriff.figure.model import Figure
from kunstgriff.figure.pose import Pose, parse_pose
from kunstgriff.reading.proposing import propose
from kunstgriff.reading.seams import read_seam, read_seams, seam_angles
from kunstgriff.reading.sentences import seam_findings
from kunstgriff.seam.drawn import drawn
from kunstgriff.seam.joints import melts_at, need_meeting
from tests.art import INK, at, capsule, edited, figure_of, two_piece_arm, version_2
from tests.art import drawn as svg

ELBOW = {"bone": "arm 2"}
EVERY = [
    {"kind": "lay_cover", **ELBOW}, {"kind": "lay_trim", **ELBOW}, {"kind": "lay_gusset", **ELBOW, "share": 0.4},
    {"kind": "cut_ink", "parts": ["upper arm", "forearm"]},
    {"kind": "open_outline", "part": "forearm", "start": [-40, -150], "end": [40, -150]},
    {"kind": "clip_part", "part": "forearm", "by": "upper arm", "switch": {"bone": "arm 2", "low": 90}},
    {"kind": "draw_fold", **ELBOW},
    {"kind": "make_stand_in", **ELBOW, "low": -5, "high": 5},
    {"kind": "order_by_pose", "part": "forearm", "in_front_of": "upper arm", "switch": {"bone": "arm 2", "low": 30}},
]  # fmt: skip


def picture(figure, stores, **turn):
    pose = parse_pose({"turn": turn}).by_id(figure) if turn else Pose()
    return pose_picture(figure, stores, pose).astype(int)


def test_every_treatment_survives_the_archive_a_redrawing_and_a_new_scale_and_goes_with_what_it_needs(tmp_path):
    figure, stores = two_piece_arm()
    full = edited(figure, stores, *EVERY)
    assert [one.kind for one in full.treatments] == [
        "cover", "trim", "gusset", "ink_cut", "opening", "clip", "fold", "stand_in", "order", "cover", "trim",
    ]  # fmt: skip
    write_archive(tmp_path / "arm.zip", full, stores)
    again, _ = read_archive(tmp_path / "arm.zip")
    assert again == full
    redrawn = edited(full, stores, {"kind": "redraw_line", "part": "forearm", "width": 12})
    changed = {one.kind for one, was in zip(redrawn.treatments, full.treatments, strict=True) if one != was}
    assert {"cover", "trim", "ink_cut", "opening"} <= changed
    assert edited(redrawn, stores, {"kind": "redraw_line", "part": "forearm", "width": 8}).covers
    alone = edited(full, stores, {"kind": "delete_parts", "parts": ["forearm"]}).treatments
    assert {one.kind for one in alone} == {"fold"}  # it rides the upper arm
    left = edited(full, stores, {"kind": "delete_bones", "bones": ["arm 2"]}).treatments
    assert {one.kind for one in left} == {"ink_cut", "opening"}


def test_documents_from_before_there_were_treatments_keep_their_covers():
    figure, stores = two_piece_arm()
    document = version_2(edited(figure, stores, EVERY[0]))
    cover = {
        key: value for key, value in document.pop("treatments")[0].items() if key not in ("kind", "half_line", "inks")
    }
    document |= {"format": "kunstgriff.figure/1", "covers": [cover]}
    assert Figure.model_validate(document).covers[0].id == cover["id"]


def test_an_open_outline_has_no_ink_along_its_stretch_and_all_of_it_elsewhere():
    figure, stores = two_piece_arm()
    (x, y), _ = at(figure, (156, 200), (0, 0))  # the forearm's round end, seen from the elbow
    stretch = {"start": [x + 12, y - 32], "end": [x + 12, y + 32]}
    for tapers in (True, False):
        opened = edited(
            figure, stores, {"kind": "open_outline", "part": "forearm", **stretch, "tapers": tapers, "soft": 4}
        )
        part = need_part(opened, "forearm")
        before, after = part_ink(part, stores), drawn(opened, part, stores)[1]
        lost = (before.at_edge - after.at_edge).clip(0)
        lost *= part_alpha(part, stores) > 0
        rows, columns = np.nonzero(lost > 0.5)
        spots = np.stack([columns, rows], 1) + part.drawing.place - (x + 44, y)
        assert len(spots) > 200
        assert np.hypot(*spots.T).max() < 46  # nothing but the end
        assert lost[:, 90:].max() < 0.01
    with pytest.raises(EditRefused, match="must differ"):
        edited(figure, stores, {"kind": "open_outline", "part": "forearm", "start": [0, 0], "end": [0, 0]})


def test_a_fold_fades_in_with_the_bend_and_only_to_its_side():
    figure, stores = two_piece_arm()
    folded = edited(figure, stores, {"kind": "draw_fold", **ELBOW, "begins": 20, "full": 60})
    ink = {
        degrees: int(
            np.abs(picture(folded, stores, **{"arm 2": degrees}) - picture(figure, stores, **{"arm 2": degrees})).sum()
        )
        for degrees in (0.001, 20, 40, 60, 90, -60)
    }
    assert ink[0.001] == ink[20] == ink[-60] == 0
    assert ink[40] == pytest.approx(ink[60] / 2, rel=0.2)
    assert ink[90] > 0
    with pytest.raises(EditRefused, match="greater bend"):
        edited(figure, stores, {"kind": "draw_fold", **ELBOW, "begins": 60, "full": 20})


def test_a_stand_in_comes_on_without_a_jump_in_the_outline():
    figure, stores = two_piece_arm()
    whole = edited(figure, stores, {"kind": "make_stand_in", **ELBOW, "low": -20, "high": 20, "fade": 5})
    for degrees in (0.001, 17, 19.9, 20.1, 25):
        two, one = (picture(each, stores, **{"arm 2": degrees}) for each in (figure, whole))
        differing = np.abs(two[..., 3] - one[..., 3]) > 128
        assert differing.sum() <= 30, degrees  # pixels of an outline of 700
        assert ((one[..., 3] > 10) & (one[..., 3] < 245) & (two[..., 3] == 255)).sum() <= 12  # nothing shines through
    across = picture(whole, stores, **{"arm 2": 0.001})[180:220, 230:250, :3].sum(2)
    assert across.min() > 500  # the line across the joint is gone, in one piece


def test_a_stand_in_that_lies_elsewhere_is_read_as_a_jump_and_one_that_was_made_is_drawn_anew():
    figure, stores = two_piece_arm()
    whole = edited(figure, stores, {"kind": "make_stand_in", **ELBOW, "name": "one piece"})
    bone = whole.bones[1]
    assert not [miss for miss in read_seam(whole, stores, bone, painter()).misses if "jump" in miss.what]
    moved = edited(whole, stores, {"kind": "move_parts", "parts": ["one piece"], "by": [0, 9]})
    seam = read_seam(moved, stores, bone, painter())
    jump = next(miss for miss in seam.misses if "jump" in miss.what)
    assert jump.value == pytest.approx(9, abs=1.2)
    assert abs(jump.angle) >= 14  # where it comes on and goes
    (finding,) = seam_findings(moved, [(replace(seam, misses=(jump,)), need_meeting(moved, bone, stores))])
    mended = edited(moved, stores, finding.remedies[0].edit)
    assert not [miss for miss in read_seam(mended, stores, bone, painter()).misses if "jump" in miss.what]
    longer = edited(whole, stores, {"kind": "redraw_line", "part": "forearm", "width": 14})
    assert longer.parts[-1].drawing.picture != whole.parts[-1].drawing.picture
    assert not [miss for miss in read_seam(longer, stores, bone, painter()).misses if "jump" in miss.what]
    assert not match_sheet(whole, sheet_of(figure, stores, Pose()), stores).missing  # no illustrator draws it


def test_a_stand_in_for_stretched_limbs_is_read_stretched_and_lies_hidden_in_the_sheet_at_rest():
    figure, stores = two_piece_arm()
    whole = edited(figure, stores, {"kind": "make_stand_in", **ELBOW, "low": -20, "high": 20, "stretch": 1.2})
    read = read_seam(whole, stores, whole.bones[1], painter())
    assert 0 < max(one.jump for one in read.readings) < 2
    assert {one.angle for one in read.readings if one.jump} <= set(range(-20, 21))
    assert [layer.visible for layer in sheet_of(whole, stores, Pose()).layers] == [True, True, False]


def test_order_changes_with_the_pose_and_covers_go_along():
    figure, stores = two_piece_arm()
    ordered = edited(figure, stores, {"kind": "lay_cover", **ELBOW}, EVERY[-1])
    rig = compile_rig(ordered, stores)
    names = {part.id: part.name for part in ordered.parts} | {one.id: one.kind for one in ordered.treatments}
    bone = ordered.bones[1].id
    drawn_at = {
        degrees: [names[item.id] for item in rig.evaluate(Pose.of_bones(turn={bone: degrees})).items]
        for degrees in (0, 29, 31)
    }
    assert drawn_at[0] == drawn_at[29] == ["forearm", "cover", "upper arm", "cover"]
    assert drawn_at[31] == ["upper arm", "cover", "forearm", "cover"]


@pytest.mark.parametrize("way", ["cover", "trim"])
def test_a_joint_whose_parts_a_pose_swaps_is_treated_both_ways(way):
    figure, stores = two_piece_arm()
    treat = {"kind": "treat_joints", "joints": [{"bone": "arm 2", "treatment": way}], "alike": False}
    swapped = edited(figure, stores, EVERY[-1], treat)
    treated_first = edited(figure, stores, treat, EVERY[-1])
    at_rest = edited(figure, stores, treat)
    (order,) = treated_first.treated("order")
    one_way = at_rest.replace(treatments=(*at_rest.treatments, order))
    lines = [
        max((miss.value for miss in read_seam(one, stores, need_bone(one, "arm 2"), painter()).misses
             if miss.what == "shows a line across"), default=0.0)
        for one in (one_way, swapped, treated_first)
    ]  # fmt: skip
    assert lines[0] > 20
    assert lines[1:] == [0, 0]
    assert len(swapped.treated(way)) == len(treated_first.treated(way)) == 2
    with pytest.raises(EditRefused, match="so already"):
        edited(swapped, stores, treat)


def test_orders_that_contradict_and_switches_that_never_come_on_are_findings():
    figure, stores = two_piece_arm()
    both = edited(
        figure, stores, EVERY[-1],
        {"kind": "order_by_pose", "part": "upper arm", "in_front_of": "forearm", "switch": {"bone": "arm 2", "low": 60}},
        {"kind": "set_limits", "bones": ["arm 2"], "limits": {"low": -10, "high": 50}},
    )  # fmt: skip
    told = [one for one in findings(both, stores) if one.stage == "seams"]
    assert any("in one pose" in one.sentence for one in told)
    never = next(one for one in told if "never comes on" in one.sentence)
    mended = edited(both, stores, never.remedies[0].edit)
    assert not [one for one in findings(mended, stores) if one.stage == "seams"]


@pytest.mark.parametrize(
    ("to", "order"), [("front", "acdb"), ("back", "bacd"), ("forward", "acbd"), ("backward", "bacd")]
)
def test_parts_are_moved_in_the_draw_order(to, order):
    layers = {
        name: svg(f'<rect x="{n * 9}" width="30" height="30" fill="#a33"/>', (80, 40)) for n, name in enumerate("abcd")
    }
    figure, stores = figure_of(layers, (80, 40))
    moved = edited(figure, stores, {"kind": "reorder_parts", "parts": ["b"], "to": to})
    assert "".join(part.name for part in moved.parts) == order
    behind = edited(
        figure, stores, {"kind": "reorder_parts", "parts": ["a", "b"], "to": "just_in_front_of", "other": "c"}
    )
    assert "".join(part.name for part in behind.parts) == "cabd"
    with pytest.raises(EditRefused, match="there already"):
        edited(figure, stores, {"kind": "reorder_parts", "parts": ["d"], "to": "front"})


def test_the_program_proposes_what_reads_best_and_does_the_like_joint_alike():
    layers = {}
    for side, y in (("near", 300), ("far", 100)):
        layers[f"{side} forearm"] = svg(capsule((200, y), (330, y), 34, 7))
        layers[f"{side} upper arm"] = svg(capsule((70, y), (200, y), 34, 7))
    figure, stores = figure_of(layers)
    for side, y in (("near", 300), ("far", 100)):
        figure = edited(
            figure, stores, {"kind": "draw_chain", "name": f"{side} arm", "joints": at(figure, (70, y), (200, y), (330, y))},
            {"kind": "bind_rigid", "parts": [f"{side} upper arm"], "bone": f"{side} arm"},
            {"kind": "bind_rigid", "parts": [f"{side} forearm"], "bone": f"{side} arm 2"},
        )  # fmt: skip
    bone = next(one for one in figure.bones if one.name == "near arm 2")
    found = propose(figure, stores, bone, painter(), step=30)
    assert (found.now, found.best) == ("nothing", "cover")
    assert found.trials[0].cost > 10 > 1 > found.trials[1].cost
    treated = edited(
        figure, stores, {"kind": "treat_joints", "joints": [{"bone": "near arm 2", "treatment": found.best}]}
    )
    assert sorted(treated.bone(one.bone).name for one in treated.covers) == ["far arm 2", "near arm 2"]
    assert not read_seam(treated, stores, bone, painter(), step=30).misses
    assert max(abs(angle) for angle in seam_angles(treated, bone)) >= 90
    with pytest.raises(EditRefused, match="already"):
        edited(treated, stores, {"kind": "treat_joints", "joints": [{"bone": "near arm 2", "treatment": "cover"}]})


def test_only_the_inks_chosen_are_taken_off():
    red = capsule((200, 200), (340, 200), 40, 8).replace(INK, "#a02020")
    figure, stores = figure_of({"upper arm": svg(capsule((60, 200), (200, 200), 40, 8)), "forearm": svg(red)})
    figure = edited(
        figure, stores, {"kind": "draw_chain", "name": "arm", "joints": at(figure, (60, 200), (200, 200), (340, 200))},
        {"kind": "bind_rigid", "parts": ["upper arm"], "bone": "arm"},
        {"kind": "bind_rigid", "parts": ["forearm"], "bone": "arm 2"},
    )  # fmt: skip
    cap = (slice(180, 220), slice(156, 164))
    reds = {
        inks: picture(edited(figure, stores, {"kind": "lay_trim", **ELBOW, "inks": [inks]}), stores)[cap][..., 0].min()
        for inks in ("#a02020", INK)
    }
    assert reds["#a02020"] > 0xC0  # the red line across is gone
    assert reds[INK] < 0xA8  # no such ink on it: it stays


def test_covers_down_a_chain_keep_their_order_and_the_outline_its_width_to_the_free_end():
    pieces = {"hand": (300, 380), "forearm": (180, 300), "upper arm": (60, 180)}
    figure, stores = figure_of(
        {name: svg(capsule((a, 200), (b, 200), 30, 8), (440, 400)) for name, (a, b) in pieces.items()}, (440, 400)
    )
    figure = edited(
        figure, stores, {"kind": "draw_chain", "name": "arm", "joints": at(figure, *((x, 200) for x in (60, 180, 300, 380)))},
        *({"kind": "bind_rigid", "parts": [part], "bone": bone} for part, bone in (("upper arm", "arm"), ("forearm", "arm 2"), ("hand", "arm 3"))),
        {"kind": "lay_cover", "bone": "arm 3"}, {"kind": "lay_cover", "bone": "arm 2"},
    )  # fmt: skip
    names = {part.id: part.name for part in figure.parts}
    anchors = {"arm 2": "upper arm", "arm 3": "forearm"}
    order = [
        names.get(item.id) or f"cover over {names[item.anchor]}" for item in compile_rig(figure, stores).program.items
    ]
    assert order == ["hand", "forearm", "cover over forearm", "upper arm", "cover over upper arm"]
    for bone in figure.bones[1:]:
        seam = read_seam(figure, stores, bone, painter(), step=30)
        assert not seam.misses, (bone.name, anchors[bone.name], seam.misses)
    # common practice (SOURCES, covered line): as wide at the free end as along the limb
    shown = picture(figure, stores)
    dark = (shown[..., :3].sum(2) < 380) & (shown[..., 3] > 128)
    assert dark[200, 400:].sum() == pytest.approx(dark[:200, 120].sum(), abs=1.01)


def test_lines_drawn_on_a_part_go_along_when_a_pose_becomes_the_rest():
    figure, stores = two_piece_arm()
    folded = edited(figure, stores, {"kind": "draw_fold", **ELBOW, "part": "forearm"})
    turned = edited(folded, stores, {"kind": "take_pose", "pose": {"turn": {"arm 2": 90}}})
    joint = np.array(folded.bones[1].joint)
    before, after = (np.array(one.treatments[0].line) - joint for one in (folded, turned))
    assert after == pytest.approx(np.stack([-before[:, 1], before[:, 0]], 1), abs=0.01)


def test_pell_is_treated_throughout_and_nothing_shows_at_any_of_his_joints(pell):
    kinds = {one.kind for one in pell[0].treatments}
    assert kinds >= {"cover", "trim", "opening", "clip", "fold", "stand_in", "order"}
    seams = list(read_seams(*pell, painter(), step=30))
    assert len(seams) == 18
    assert {seam.name: seam.misses for seam in seams if seam.misses} == {}


def test_what_meets_at_a_joint_is_taken_as_a_person_says():
    figure, stores = two_piece_arm()
    bone = need_bone(figure, "arm 2")
    said = {"kind": "say_meeting", "bones": ["arm 2"]}
    assert melts_at(figure, bone, stores)
    assert read_seam(figure, stores, bone, painter(), 30).worst.what == "shows a line across"
    over = apply_edit({**said, "meets_as": "lies_over"}, figure, stores)
    assert not melts_at(over, bone, stores)
    assert read_seam(over, stores, bone, painter(), 30).misses == ()
    assert propose(over, stores, bone, painter()).best == "nothing"
    covered = apply_edit({"kind": "treat_joints", "joints": [{"bone": "arm 2", "treatment": "cover"}]}, over, stores)
    assert not read_seam(covered, stores, bone, painter(), 30).melts, "what a person said holds whatever is laid there"
    again = apply_edit(said, over, stores)
    assert (again.meetings, melts_at(again, bone, stores)) == ((), True)
    with pytest.raises(EditRefused, match="taken already"):
        apply_edit(said, figure, stores)
    with pytest.raises(EditRefused, match="No two parts"):
        apply_edit({**said, "bones": ["arm"], "meets_as": "limb"}, figure, stores)


def shaded(rgba, to_right):
    """A piece whose fill, not its line, goes from light to 0.7 of it from left to right, or is darker as a whole."""
    x = np.arange(rgba.shape[1])[None] * np.ones((len(rgba), 1))
    there = np.flatnonzero(rgba[..., 3].any(0))
    share = np.clip((x - there[0]) / (there[-1] - there[0]), 0, 1) if to_right else np.ones_like(x)
    ink = np.abs(rgba[..., :3].astype(int) - [0x2B, 0x2A, 0x33]).sum(-1) < 90
    fill = np.where(ink[..., None], rgba[..., :3], rgba[..., :3] * (1 - 0.3 * share[..., None]))
    return np.dstack([fill.astype(np.uint8), rgba[..., 3]])


@pytest.mark.parametrize("kind", ["gradients", "two tones"])
@pytest.mark.parametrize("turn", [0, 60, -60])
def test_where_tones_differ_one_fill_goes_over_into_the_other_at_every_turn(kind, turn):
    # common practice, no source: an edge of 4 levels or more in a flat fill is seen
    upper, fore = (svg(capsule((x, 200), (x + 120, 200), 44, 7)) for x in (80, 200))
    upper, fore = (shaded(upper, True), shaded(fore, True)) if kind == "gradients" else (upper, shaded(fore, False))
    figure, stores = figure_of({"upper": upper, "fore": fore})
    figure = edited(
        figure, stores, {"kind": "draw_chain", "name": "arm", "joints": at(figure, (70, 200), (200, 200), (330, 200))},
        {"kind": "bind_rigid", "parts": ["upper"], "bone": "arm"}, {"kind": "bind_rigid", "parts": ["fore"], "bone": "arm 2"},
    )  # fmt: skip
    edges = {}
    for blend in (False, None):
        covered = edited(
            figure, stores, {"kind": "lay_cover", "bone": "arm 2", **({} if blend is None else {"blend": blend})}
        )
        assert covered.treatments[0].blend is (blend is None)
        seen = picture(covered, stores, **{"arm 2": turn} if turn else {})
        # along both middle lines, a joint's width each way
        rays = [(-1.0, 0.0), (np.cos(np.radians(turn)), np.sin(np.radians(turn)))]
        line = [
            seen[round(200 + run * dy), round(200 + run * dx), :3].mean()
            for (dx, dy), runs in zip(rays, (range(70, 0, -1), range(70)), strict=True)
            for run in runs
        ]
        edges[blend] = np.abs(np.diff(line)).max()
    assert edges[False] > 10
    assert edges[None] < 4
    assert not read_seam(covered, stores, need_bone(covered, "arm 2"), painter(), 30).misses


def test_one_fill_is_not_blended_into_its_like():
    figure, stores = two_piece_arm()
    assert not edited(figure, stores, {"kind": "lay_cover", **ELBOW}).treatments[0].blend
