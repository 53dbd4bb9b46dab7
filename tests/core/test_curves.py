"""Curves: what a line of handles does to the art along it, how it is laid and edited, what its handles hang on."""

from __future__ import annotations

import itertools

import numpy as np
import pytest

from kunstgriff.artwork.rescaling import rescaled
from kunstgriff.binding.triangles import signed_areas
from kunstgriff.evaluate.state import compile_rig
from kunstgriff.figure.archive import read_archive, write_archive
from kunstgriff.figure.edit import EditRefused, apply_edit
from kunstgriff.figure.findings import findings
from kunstgriff.figure.pose import parse_pose
from kunstgriff.warp.warping import form_of
from tests.art import at, capsule, drawn, edited, figure_of
from tests.core.test_lattices import block, seen

LAY = {"kind": "lay_curve", "parts": ["tail"], "name": "line", "handles": 5}
SIZE = (560, 420)
BENT = {"line 5.shift.x": -120.0, "line 5.shift.y": 90.0, "line 4.shift.y": 60.0}


def tail(*edits, curved=False):
    """A long tail on a root, lying level or in a half circle, and a plate that it could ride on."""
    if curved:
        turns = np.linspace(0, np.pi, 13)
        spots = [(260 - 120 * np.cos(one), 260 - 120 * np.sin(one)) for one in turns]
        art = "".join(capsule(a, b, 20, 0) for a, b in itertools.pairwise(spots))
    else:
        art = capsule((80, 200), (440, 200), 24, 4)
    plate = capsule((440, 300), (500, 300), 40, 3)
    figure, stores = figure_of({"plate": drawn(plate, SIZE), "tail": drawn(art, SIZE)}, SIZE)
    root = {"kind": "draw_chain", "name": "root", "joints": at(figure, (60, 200), (20, 200))}
    plate = {"kind": "draw_chain", "name": "plate", "joints": at(figure, (440, 330), (500, 330))}
    bind = [{"kind": "bind_rigid", "parts": [one], "bone": two} for one, two in (("tail", "root"), ("plate", "plate"))]
    return edited(figure, stores, root, plate, *bind, *edits), stores


@pytest.mark.parametrize("curved", [False, True])
@pytest.mark.parametrize("keeps", [False, True])
def test_a_curve_at_rest_moves_nothing_in_any_pose(curved, keeps):
    figure, stores = tail(LAY | {"keeps_length": keeps}, curved=curved)
    plain = figure.replace(warps=())
    for pose in ({}, {"root.turn": 40.0, "root.move.x": 9.0}):
        assert np.abs(seen(figure, stores, pose) - seen(plain, stores, pose)).max() < 1e-6


def test_it_lies_along_the_middle_by_itself_with_as_few_handles_as_follow_it():
    figure, stores = tail(LAY | {"handles": None})
    assert len(figure.warps[0].laid) == 3
    assert np.ptp([y for _, y in figure.warps[0].laid]) < 4
    bent, stores = tail(LAY | {"handles": None}, curved=True)
    laid = np.array(bent.warps[0].laid)
    middle = np.array(at(bent, (260, 260))[0])
    assert len(laid) > 3
    off = np.abs(np.hypot(*(laid - middle).T) - 120)
    assert off[1:-1].max() < 4
    assert off.max() < 8  # it goes straight on to both ends


def test_handles_turned_and_moved_alike_turn_and_move_the_art_just_so():
    figure, stores = tail(LAY, curved=True)
    turn = np.radians(35)
    matrix = np.array([[np.cos(turn), -np.sin(turn)], [np.sin(turn), np.cos(turn)]])
    places = np.array([one.place for one in figure.warps[0].handles])
    by = places @ matrix.T + (30, -12) - places
    pose = {f"line {k + 1}.shift.{axis}": float(by[k, n]) for k in range(5) for n, axis in enumerate("xy")}
    rows, rest = block(figure, stores, "tail"), seen(figure, stores)
    assert np.abs(seen(figure, stores, pose)[rows] - (rest[rows] @ matrix.T + (30, -12))).max() < 2e-3


def test_what_is_dragged_at_rest_is_what_the_same_drag_posed_does():
    figure, stores = tail(LAY)
    drags = [{"kind": "move_handles", "handles": ["line 5"], "by": [-120, 90]},
             {"kind": "move_handles", "handles": ["line 4"], "by": [0, 60]},
             {"kind": "widen_handles", "handles": ["line 3"], "width": 1.6}]  # fmt: skip
    dragged = edited(figure, stores, *drags)
    handles = figure.warps[0].handles
    as_laid = dragged.replace(warps=(dragged.warps[0].model_copy(update={"handles": handles}),))
    posed = seen(as_laid, stores, BENT | {"line 3.width": 1.6})
    assert np.abs(seen(dragged, stores) - posed).max() < 2e-3
    further = seen(dragged, stores, {"line 2.shift.y": -30.0})
    both = seen(as_laid, stores, BENT | {"line 3.width": 1.6, "line 2.shift.y": -30.0})
    assert np.abs(further - both).max() < 2e-3


@pytest.mark.parametrize("sharp", [60, 90, 120, 150])
def test_the_inside_of_a_tight_turn_does_not_fold_over(sharp):
    figure, stores = tail(LAY)
    curve = figure.warps[0]
    places, way = np.array(curve.laid), np.radians(sharp)
    step = places[1] - places[0]
    turned = np.array([step[0] * np.cos(way) - step[1] * np.sin(way), step[0] * np.sin(way) + step[1] * np.cos(way)])
    to = np.concatenate([places[:3], places[2] + [turned, 2 * turned]])
    pose = {f"line {k + 1}.shift.{axis}": float((to - places)[k, n]) for k in range(5) for n, axis in enumerate("xy")}
    rig = compile_rig(figure, stores)
    faces = rig.program.indices.reshape(-1, 3)
    before, areas = (
        signed_areas(rig.program.rest, faces),
        signed_areas(rig.evaluate(parse_pose(pose).by_id(figure)).vertices, faces),
    )
    over = np.where(before > 0, -areas, areas).clip(0)
    assert sharp > 120 or over.sum() < (
        1e-9 if sharp < 100 else 0.5
    )  # px², where a triangle is pressed to next to nothing
    line, moves = form_of(curve), np.column_stack([to - places, np.zeros(5)])
    along, beside = np.meshgrid(np.linspace(0, 1, 600), np.linspace(-30, 30, 61))
    spots = np.stack([places[0, 0] + along * (places[4, 0] - places[0, 0]), places[0, 1] + beside], -1).reshape(-1, 2)
    there = (spots + line.moved(moves, spots)).reshape(61, 600, 2)
    right, low = np.diff(there, axis=1)[:-1], np.diff(there, axis=0)[:, :-1]
    assert (right[..., 0] * low[..., 1] - right[..., 1] * low[..., 0]).min() > 0


def test_art_that_keeps_its_length_ends_before_a_line_that_is_drawn_out():
    figure, stores = tail(LAY)
    rows = block(figure, stores, "tail")
    out = {"line 5.shift.x": 200.0}
    stretched = np.ptp(seen(figure, stores, out)[rows][:, 0])
    kept = edited(figure, stores, {"kind": "set_curve", "warp": "line", "keeps_length": True})
    plain = np.ptp(seen(figure, stores)[rows][:, 0])
    assert stretched == pytest.approx(plain + 200, abs=1)
    assert np.ptp(seen(kept, stores, out)[rows][:, 0]) == pytest.approx(plain, abs=0.5)


def test_other_handles_leave_the_line_where_it_lies_at_rest_and_in_kept_poses():
    bent = {"kind": "move_handles", "handles": ["line 3"], "by": [0, 40]}
    keep = {"kind": "keep_pose", "name": "up", "pose": {"line 5.shift.y": -70.0, "line 2.width": 1.4}}
    figure, stores = tail(
        LAY, bent, {"kind": "tie_handles", "handles": ["line 5"], "bone": "plate", "share": 0.5}, keep
    )
    more = edited(figure, stores, {"kind": "set_curve", "warp": "line", "handles": 9})
    assert len(more.warps[0].handles) == 9
    rows, then = block(figure, stores, "tail"), block(more, stores, "tail")
    for pose in ({}, figure.poses[0].pose.channels):
        channels = more.poses[0].pose.channels if pose else {}
        now = compile_rig(more, stores)
        now.evaluate(parse_pose(channels))
        was = compile_rig(figure, stores)
        was.evaluate(parse_pose(pose))
        spots, after = was.vertices[rows], now.vertices[then]
        away = np.hypot(*np.moveaxis(spots[:, None] - after[None], 2, 0)).min(1)
        mesh = np.hypot(*np.diff(after[:2], axis=0)[0])
        assert away.max() < 3 + 0.6 * mesh  # the same outline, to what spline and mesh are coarse by
    assert [one.share for one in more.warps[0].handles[8].ties] == [0.5]


def test_handles_ride_on_a_part_and_follow_bones_by_shares():
    ride = {"kind": "ride_handles", "handles": ["line 5"], "part": "plate"}
    figure, stores = tail(LAY, ride)
    rig = compile_rig(figure, stores)
    before = rig.evaluate().handles[4].copy()
    moved = rig.evaluate(parse_pose({"plate.move.x": 20.0, "plate.move.y": -35.0}).by_id(figure))
    assert np.allclose(moved.handles[4] - before, (20, -35), atol=1e-3)
    turned = rig.evaluate(parse_pose({"plate.turn": 90.0}).by_id(figure)).handles[4]
    joint = np.array(next(one.joint for one in figure.bones if one.name == "plate"))
    x, y = before - joint
    assert np.allclose(turned - joint, (-y, x), atol=2e-3)
    tied, _ = tail(LAY, {"kind": "tie_handles", "handles": ["line 5"], "bone": "plate", "share": 0.25})
    quarter = compile_rig(tied, stores).evaluate(parse_pose({"plate.move.x": 40.0}).by_id(tied)).handles[4]
    assert np.allclose(quarter - before, (10, 0), atol=1e-3)


def test_handles_take_shares_of_the_bones_nearest_to_the_art_under_them():
    chain = {"kind": "draw_chain", "name": "tip", "joints": [[0, 0], [1, 0]]}
    figure, stores = tail(LAY)
    near, far = (one.place for one in (figure.warps[0].handles[0], figure.warps[0].handles[4]))
    middle = [(near[0] + far[0]) / 2, near[1]]
    figure = edited(figure, stores, chain | {"joints": [list(near), middle, list(far)]},
                    {"kind": "tie_warp", "warp": "line", "bones": ["tip", "tip 2"]})  # fmt: skip
    first, last = figure.warps[0].handles[0].ties, figure.warps[0].handles[4].ties
    names = {one.id: one.name for one in figure.bones}
    assert {names[tie.bone]: tie.share for tie in first} == {"tip": pytest.approx(1, abs=0.02)}
    assert {names[tie.bone]: tie.share for tie in last} == {"tip 2": pytest.approx(1, abs=0.02)}


def test_shares_are_brushed_onto_the_handles_under_the_stroke():
    figure, stores = tail(LAY)
    spot = figure.warps[0].handles[4].place
    stroke = {"kind": "brush_ties", "warp": "line", "bone": "plate", "stroke": [list(spot)], "radius": 60}
    once = edited(figure, stores, stroke)
    assert [len(one.ties) for one in once.warps[0].handles] == [0, 0, 0, 0, 1]
    thrice = edited(once, stores, stroke, stroke)
    assert thrice.warps[0].handles[4].ties[0].share == pytest.approx(0.75)
    less = edited(thrice, stores, stroke | {"amount": -1.0})
    assert less.warps[0].handles[4].ties == ()
    with pytest.raises(EditRefused, match="under the brush"):
        apply_edit(stroke | {"stroke": [[9000, 0]]}, figure, stores)


def test_a_part_that_joins_a_warped_group_later_is_told_of_and_gets_its_mesh():
    figure, stores = tail({"kind": "group_parts", "parts": ["tail"], "group": "all"})
    figure = edited(figure, stores, {"kind": "lay_lattice", "groups": ["all"], "name": "grid"},
                    {"kind": "group_parts", "parts": ["plate"], "group": "all"})  # fmt: skip
    told = [one for one in findings(figure, stores) if "too coarse" in one.sentence]
    assert [one.sentence for one in told] == ["plate is too coarse to follow grid"]
    finer = edited(figure, stores, dict(told[0].remedies[0].edit))
    assert not [one for one in findings(finer, stores) if "too coarse" in one.sentence]
    with pytest.raises(EditRefused, match="as fine"):
        apply_edit({"kind": "fit_meshes", "warp": "grid"}, finer, stores)


def test_a_curve_bends_its_art_inside_the_lattice_around_it_and_its_handles_go_along():
    figure, stores = tail({"kind": "lay_lattice", "parts": ["tail"], "name": "grid", "columns": 3, "rows": 2}, LAY)
    assert [one.kind for one in figure.warps] == ["curve", "lattice"]
    rig = compile_rig(figure, stores)
    before = rig.evaluate().handles[:5].copy()
    ids = {one.name: one.id for one in figure.handles}
    up = parse_pose({f"{ids[f'grid {c},{r}']}.shift.y": -50.0 for c in (1, 2, 3) for r in (1, 2)})
    assert np.allclose(rig.evaluate(up).handles[:5] - before, (0, -50), atol=1e-3)


def test_circles_of_handles_that_ride_are_refused_and_so_is_nonsense():
    figure, stores = tail(LAY, {"kind": "lay_curve", "parts": ["plate"], "name": "other", "handles": 3})
    figure = edited(figure, stores, {"kind": "ride_handles", "handles": ["line 5"], "part": "plate"})
    for edit, words in (
        ({"kind": "ride_handles", "handles": ["other 1"], "part": "tail"}, "ride on itself"),
        ({"kind": "ride_handles", "handles": ["other 1"], "part": "plate"}, "ride on itself"),
        (
            {"kind": "move_handles", "handles": ["line 2"], "to": list(figure.warps[0].laid[0]), "alone": True},
            "one spot",
        ),
        (LAY | {"stroke": [[5, 5], [5, 5.2]]}, "too short"),
        (LAY | {"parts": []}, "Say which parts"),
        ({"kind": "widen_handles", "handles": ["line 1"], "width": 0.0}, "width"),
        ({"kind": "set_curve", "warp": "line", "handles": 13}, "handles"),
        ({"kind": "add_corner", "handle": "line 1"}, "is a curve"),
        ({"kind": "remove_corners", "handles": ["line 1"]}, "is a curve"),
    ):
        with pytest.raises(EditRefused, match=words):
            apply_edit(edit, figure, stores)


def test_a_bone_or_part_that_goes_leaves_the_curve_and_its_other_ties():
    ride = {"kind": "ride_handles", "handles": ["line 4"], "part": "plate"}
    tie = {"kind": "tie_handles", "handles": ["line 5"], "bone": "plate"}
    figure, stores = tail(LAY, tie, tie | {"bone": "root", "share": 0.5}, ride)
    gone = edited(figure, stores, {"kind": "delete_bones", "bones": ["plate"]})
    assert [one.share for one in gone.warps[0].handles[4].ties] == [0.5]
    assert np.isfinite(seen(gone, stores, {"root.turn": 20.0})).all()
    without = edited(figure, stores, {"kind": "delete_parts", "parts": ["plate"]})
    assert without.warps[0].handles[3].rides is None


def test_a_curve_goes_through_an_archive_and_another_scale(tmp_path):
    figure, stores = tail(LAY, {"kind": "move_handles", "handles": ["line 3"], "by": [5, 40]},
                          {"kind": "widen_handles", "handles": ["line 2"], "width": 1.5})  # fmt: skip
    write_archive(tmp_path / "tail.zip", figure, stores)
    again, others = read_archive(tmp_path / "tail.zip")
    assert again.warps == figure.warps
    larger = rescaled(again, 2.0, others)
    assert np.allclose(np.array(larger.warps[0].laid), 2 * np.array(figure.warps[0].laid), atol=0.02)
    assert larger.warps[0].handles[1].width == 1.5
    assert np.isfinite(seen(larger, others, {"line 5.shift.y": 40.0})).all()


def test_a_pose_taken_as_the_rest_leaves_the_line_even_and_the_picture_as_it_was():
    figure, stores = tail(LAY)
    pose = {"line 5.shift.y": -60.0, "line 3.width": 1.5}
    rows, posed = block(figure, stores, "tail"), seen(figure, stores, pose)
    taken = edited(figure, stores, {"kind": "take_pose", "pose": pose})
    after = seen(taken, stores)[block(taken, stores, "tail")]
    for low, high in ((posed[rows].min(0), posed[rows].max(0)),):
        assert np.abs(after.min(0) - low).max() < 6
        assert np.abs(after.max(0) - high).max() < 6
    curve = taken.warps[0]
    assert all(one.width == 1.0 for one in curve.handles)
    assert np.abs(form_of(curve).even - [one.place for one in curve.handles]).max() < 1e-9
