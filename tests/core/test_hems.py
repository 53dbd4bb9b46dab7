"""Hems: a skirt over two legs laid, read against areas worked out by hand, tuned, taken off again."""

from __future__ import annotations

import numpy as np
import pytest
import shapely

from kunstgriff.evaluate.state import compile_rig
from kunstgriff.figure.archive import read_archive, write_archive
from kunstgriff.figure.edit import EditRefused, apply_edit
from kunstgriff.figure.pose import parse_pose
from kunstgriff.figure.references import walk
from kunstgriff.warp.hem.edits import need_hem
from kunstgriff.warp.hem.laying import Shares, shares_of
from kunstgriff.warp.hem.reading import HemReader, _shown, _stretches, _wedge, read_hem
from kunstgriff.warp.hem.tuning import cost_of
from tests.art import at, capsule, drawn, edited, figure_of

SIZE = (700, 800)
PANEL = '<path d="M{0} 100 H{1} L{2} 560 H{3} Z" fill="{4}" stroke="#2b2a33" stroke-width="6"/>'
LAY = {"kind": "lay_hem", "panel": "front", "near": "near", "far": "far"}


def walker(*edits, panels=2):
    """Two legs with knees under a skirt of one part or two panels; the hips between them."""
    legs = {}
    for name, x in (("far", 370), ("near", 300)):
        legs[f"{name} thigh"] = drawn(capsule((x, 180), (x, 420), 30, 4), SIZE)
        legs[f"{name} shin"] = drawn(capsule((x, 420), (x, 720), 20, 4), SIZE)
    behind = {"back": drawn(PANEL.format(280, 440, 500, 240, "#684055"), SIZE)} if panels == 2 else {}
    front = {"front": drawn(PANEL.format(230, 420, 460, 190, "#8a5670"), SIZE)}
    figure, stores = figure_of({**legs, **behind, **front}, SIZE)
    chain = {"kind": "draw_chain", "name": "hips", "joints": at(figure, (335, 160), (335, 80))}
    limbs = [
        {"kind": "draw_chain", "name": name, "parent": "hips", "joints": at(figure, (x, 180), (x, 420), (x, 720))}
        for name, x in (("near", 300), ("far", 370))
    ]
    bind = [
        {"kind": "bind_rigid", "parts": [f"{side} {piece}"], "bone": side if piece == "thigh" else f"{side} 2"}
        for side in ("near", "far")
        for piece in ("thigh", "shin")
    ]
    limits = {"kind": "set_limits", "bones": ["near", "far"], "limits": {"low": -45, "high": 45}}
    return edited(figure, stores, chain, *limbs, *bind, limits, *edits), stores


def laid(*edits, panels=2):
    return walker(LAY | ({"behind": "back"} if panels == 2 else {}), *edits, panels=panels)


def reader_of(figure, stores):
    return HemReader(figure, figure.hems[0], stores)


def test_a_hem_holds_the_waist_to_the_pelvis_and_the_hem_to_both_knees():
    figure, stores = laid(panels=1)
    (tacks,) = figure.warps
    names = {one.name: one for one in tacks.handles}
    assert names.keys() == {f"{level} {side}" for level in ("waist", "hem") for side in ("left", "middle", "right")}
    bones = {one.name: one.id for one in figure.bones}
    assert tacks.bone == bones["hips"]
    # common practice, no source: a quarter of each knee, so half of their mean
    assert {(tie.bone, tie.share) for tie in names["hem middle"].ties} == {(bones["near"], 0.25), (bones["far"], 0.25)}
    assert names["hem right"].lead.toward == "right"
    before = compile_rig(figure, stores).evaluate().vertices.copy()
    assert np.array_equal(before, compile_rig(figure.replace(warps=()), stores).evaluate().vertices)


def test_a_corner_follows_the_knee_that_is_furthest_to_its_side_and_glides_over():
    figure, stores = laid({"kind": "set_hem", "hem": "hem", "own": 0, "other": 0, "lead": 1.0}, panels=1)
    rig = compile_rig(figure, stores)
    number = [one.name for one in figure.handles].index("front hem right")
    places = []
    for turn in np.linspace(-20, 20, 81):
        pose = {"near.turn": float(turn), "far.turn": -float(turn)}
        places.append(rig.evaluate(parse_pose(pose).by_id(figure)).handles[number].copy())
    steps = np.hypot(*np.diff(places, axis=0).T)
    assert steps.max() < 3 * np.median(steps)  # no jump where the lead changes
    assert (
        places[0][0] > places[40][0] + 50 < places[-1][0] + 100
    )  # whichever knee is in front, the corner goes with it


def test_areas_are_those_worked_out_by_hand():
    cloth = shapely.union_all([shapely.box(0, 0, 100, 300), shapely.box(160, 0, 260, 300), shapely.box(0, 0, 260, 60)])
    corners = np.array([[[0, 300], [50, 300], [100, 300]], [[160, 300], [210, 300], [260, 300]]], float)
    assert _wedge(cloth, corners) == pytest.approx(60 * 240, rel=0.01)
    assert _wedge(cloth, corners[:1]) == 0
    legs = shapely.union_all([shapely.box(20, 100, 60, 500), shapely.box(250, 120, 290, 500)])
    shown = _shown(legs, cloth, corners, (0, 0, 260, 300), 0.0)
    assert shown == pytest.approx(30 * 180, rel=0.01)  # what is beside the cloth, down to the line of the hem
    triangles = np.array([[[0, 0], [2, 0], [0, 1]], [[0, 0], [1, 0], [0, 1]]], float)
    turned = np.array([[0, -1], [1, 0]])
    inverse = np.linalg.inv(np.stack([triangles[:, 1], triangles[:, 2]], -1))
    found = _stretches(inverse, np.array([triangles[0] * (1.5, 0.5) @ turned, triangles[1] @ turned]))
    assert np.allclose(found, [[0.5, 1.5], [1, 1]])
    expected = np.linalg.svd(np.array([[1.5, 0], [0, 0.5]]), compute_uv=False)  # numpy's singular values
    assert np.allclose(sorted(found[0]), sorted(expected))


def test_a_stiff_skirt_shows_its_legs_and_a_tuned_one_less():
    keep = {"kind": "keep_pose", "name": "step", "pose": {"near.turn": 30, "far.turn": -30}}
    figure, stores = laid(keep)
    stiff = edited(
        figure,
        stores,
        {"kind": "set_hem", "hem": "hem", "own": 0, "other": 0, "lead": 0, "middle_own": 0, "middle_other": 0},
    )
    reader = reader_of(stiff, stores)
    report = read_hem(reader, 5)
    assert report.table("leg").max() > 1_000
    assert report.table("leg")[2, 2] == 0
    assert report.kept["step"].leg > 500
    assert any("px² of leg" in one and "apart" in one for one in report.sentences("hem"))
    tuned = edited(stiff, stores, {"kind": "tune_hem", "hem": "hem"})
    poses = [(reader.pose(a, b), 1.0) for a in (-25.0, 0.0, 25.0) for b in (-25.0, 0.0, 25.0)]
    assert cost_of(reader_of(tuned, stores), poses) < 0.6 * cost_of(reader, poses)
    assert read_hem(reader_of(tuned, stores), 3).kept["step"].leg < 0.3 * report.kept["step"].leg


def test_other_shares_are_read_as_if_they_were_set():
    figure, stores = laid()
    shares = Shares(0.5, 0.1, 0.15, 0.3, 0.2)
    there = edited(figure, stores, {"kind": "set_hem", "hem": "hem", "own": 0.5, "other": 0.1, "lead": 0.15, "middle_own": 0.3, "middle_other": 0.2})  # fmt: skip
    assert shares_of(there, there.hems[0]) == shares
    reader = reader_of(figure, stores)
    pose = reader.pose(35.0, -20.0)
    set_, tried = reader_of(there, stores).read(pose), reader.with_shares(shares).read(pose)
    assert (set_.leg, set_.least, set_.greatest) == pytest.approx((tried.leg, tried.least, tried.greatest))
    assert np.allclose(set_.corners, tried.corners)


def test_two_panels_are_cut_to_one_line_that_changes_nothing_at_rest():
    figure, stores = laid()
    hem = figure.hems[0]
    mask = figure.part(hem.mask)
    assert mask.binding.bone == hem.pelvis
    clips = figure.treated("clip")
    assert {one.part for one in clips} == set(hem.panels)
    assert all(one.unseen and one.by == mask.id for one in clips)
    lowest = max(figure.part(ref).drawing.place[1] + figure.part(ref).drawing.size[1] for ref in hem.panels)
    assert mask.drawing.place[1] + mask.drawing.size[1] >= lowest - 2
    single, _ = laid(panels=1)
    assert single.treatments == ()


def test_reading_tells_how_far_it_is_and_can_be_stopped():
    figure, stores = laid()
    told = []
    assert read_hem(reader_of(figure, stores), 5, lambda done: told.append(done) or done < 0.5) is None
    assert told == [0.2, 0.4, 0.6]


def test_a_hem_taken_off_leaves_the_figure_as_it_was():
    plain, stores = walker()
    figure = edited(plain, stores, LAY | {"behind": "back"}, {"kind": "lift_hem", "hem": "hem"})
    assert (figure.warps, figure.hems, figure.treatments) == ((), (), ())
    assert [one.name for one in figure.parts] == [one.name for one in plain.parts]
    assert all(one.mesh is None for one in figure.parts)


def test_nonsense_is_refused_and_what_goes_takes_the_hem_along(tmp_path):
    figure, stores = walker()
    for edit, words in (
        (LAY | {"behind": "front"}, "two parts"),
        (LAY | {"far": "near"}, "two thighs"),
        (LAY | {"near": "near 2"}, "no bone together"),
        (LAY | {"panel": "coat"}, "no part"),
        ({"kind": "tune_hem", "hem": "hem"}, "no hem"),
    ):
        with pytest.raises(EditRefused, match=words):
            apply_edit(edit, figure, stores)
    hemmed = edited(figure, stores, LAY | {"behind": "back"})
    with pytest.raises(EditRefused, match="tacks already"):
        apply_edit(LAY, hemmed, stores)
    ids = [one.id for one in hemmed.warps[0].handles if one.name.startswith("hem")]
    bare = edited(hemmed, stores, {"kind": "remove_tacks", "handles": ids})
    with pytest.raises(EditRefused, match="lay the hem anew"):
        apply_edit({"kind": "tune_hem", "hem": "hem"}, bare, stores)
    write_archive(tmp_path / "walker.zip", hemmed, stores)
    assert read_archive(tmp_path / "walker.zip")[0].hems == hemmed.hems
    gone = edited(hemmed, stores, {"kind": "delete_bones", "bones": ["near"]})
    assert gone.hems == ()
    assert all(found.value != need_hem(hemmed, "hem").near for found in walk(gone) if found.means.kind == "bone")
    assert edited(hemmed, stores, {"kind": "delete_parts", "parts": ["front"]}).hems == ()


def test_a_wider_drawing_of_a_panel_is_taken_by_pose_read_where_it_shows_and_tuned_along():
    wide = {"wide": drawn(PANEL.format(210, 440, 640, 40, "#8a5670"), SIZE)}
    figure, stores = walker(panels=1)
    more, others = figure_of(wide, SIZE)
    for digest in others.pictures:
        stores.put_picture(others.get_picture(digest))
    part = more.parts[0].model_copy(update={"id": f"p{figure.next_id}"})
    figure = figure.replace(parts=(*figure.parts, part), next_id=figure.next_id + 1)
    figure = edited(figure, stores, {"kind": "make_set", "drawings": ["front", "wide"], "name": "cloth"}, LAY)
    narrow = reader_of(figure, stores).read(parse_pose({"near.turn": 40, "far.turn": -40}).by_id(figure))
    figure = edited(
        figure, stores, {"kind": "set_up_alike", "like": "front"},
        {"kind": "take_drawings", "set": "cloth", "bones": ["near", "far"], "since": {"wide": 50}},
    )  # fmt: skip
    bare = part.model_copy(update={"id": f"p{figure.next_id}", "name": "bare"})
    untacked = edited(
        figure.replace(parts=(*figure.parts, bare), next_id=figure.next_id + 1), stores,
        {"kind": "add_to_set", "set": "cloth", "drawing": "bare"},
        {"kind": "take_drawings", "set": "cloth", "bones": ["near", "far"], "since": {"bare": 50}},
    )  # fmt: skip
    astride = parse_pose({"near.turn": 40, "far.turn": -40}).by_id(untacked)
    assert reader_of(untacked, stores).read(astride).leg == narrow.leg  # one without tacks is read as the panel is
    reader = reader_of(figure, stores)
    astride = reader.read(parse_pose({"near.turn": 40, "far.turn": -40}).by_id(figure))
    assert astride.leg < 0.5 * narrow.leg
    near = reader.read(parse_pose({"near.turn": 20, "far.turn": -20}).by_id(figure))
    assert near.corners[2, 0] - near.corners[0, 0] < astride.corners[2, 0] - astride.corners[0, 0]
    figure = edited(figure, stores, {"kind": "set_hem", "hem": "hem", "own": 0.3, "other": 0.1, "lead": 0.2})
    ties = [{one.name: one.ties for one in warp.handles}["hem right"] for warp in figure.warps]
    assert len(ties) == 2
    assert ties[0] == ties[1]
    assert np.array_equal(
        reader.with_shares(shares_of(figure, figure.hems[0])).read(parse_pose({"near.turn": 30}).by_id(figure)).corners,
        reader_of(figure, stores).read(parse_pose({"near.turn": 30}).by_id(figure)).corners,
    )
