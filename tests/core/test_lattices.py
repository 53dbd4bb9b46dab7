"""Lattices: what they do, what they leave alone, and what becomes of them when something else changes."""

from __future__ import annotations

import numpy as np
import pytest

from kunstgriff.artwork.rescaling import rescaled
from kunstgriff.binding.triangles import signed_areas
from kunstgriff.delivery.frames import painter
from kunstgriff.evaluate.state import compile_rig
from kunstgriff.figure.archive import read_archive, write_archive
from kunstgriff.figure.edit import EditRefused, apply_edit
from kunstgriff.figure.findings import findings
from kunstgriff.figure.pose import parse_pose
from kunstgriff.figure.renewal import redrawn
from kunstgriff.figure.stores import encode_png
from kunstgriff.figure.warps import Handle, Lattice
from kunstgriff.reading.seams import read_seam
from kunstgriff.warp.lattice import Grid
from kunstgriff.warp.laying import ERROR, edge_wanted
from kunstgriff.warp.warping import covered, shape_of
from tests.art import at, capsule, drawn, edited, figure_of, one_piece_arm, two_piece_arm

LAY = {"kind": "lay_lattice", "parts": ["head"], "name": "grid", "columns": 4, "rows": 3}
POSE = {"neck.turn": 30.0, "neck.move.x": 12.0}


def head(*edits):
    """A head on a neck with an eye and a jaw bone; the head and the eye follow the neck."""
    figure, stores = figure_of(
        {"head": drawn(capsule((140, 160), (260, 160), 80, 6)), "eye": drawn(capsule((230, 140), (250, 140), 14, 3))}
    )
    return (
        edited(
            figure, stores,
            {"kind": "draw_chain", "name": "neck", "joints": at(figure, (200, 300), (200, 180))},
            {"kind": "draw_chain", "name": "jaw", "joints": at(figure, (180, 180), (180, 250)), "parent": "neck"},
            {"kind": "bind_rigid", "parts": ["head", "eye"], "bone": "neck"},
            *edits,
        ),
        stores,
    )  # fmt: skip


def seen(figure, stores, pose=None):
    return compile_rig(figure, stores).evaluate(parse_pose(pose or {}).by_id(figure)).vertices.astype(np.float64)


def block(figure, stores, name):
    program = compile_rig(figure, stores).program
    one = program.blocks[next(part.id for part in figure.parts if part.name == name)]
    return slice(one.start, one.start + one.count)


def affine(pose, lattice, matrix, shift):
    """A pose in which every handle of a lattice is moved by an affine map of where it lies."""
    places = np.array([one.place for one in lattice.handles])
    moves = places @ np.asarray(matrix).T + shift - places
    return pose | {
        f"{one.id}.shift.{axis}": float(move[k])
        for one, move in zip(lattice.handles, moves, strict=True)
        for k, axis in enumerate("xy")
    }


@pytest.mark.parametrize("local", [False, True])
@pytest.mark.parametrize("size", [(2, 2), (4, 3), (12, 12)])
def test_a_lattice_at_rest_moves_nothing_in_any_pose(local, size):
    bare, stores = head()
    figure = edited(bare, stores, LAY | {"local": local, "columns": size[0], "rows": size[1]})
    lattice = figure.warps[0]
    fine = figure.replace(warps=())
    for pose in ({}, POSE):
        assert np.array_equal(seen(figure, stores, pose), seen(fine, stores, pose))
    assert np.abs(shape_of(lattice, Grid.of(lattice))).max() < 1e-4


@pytest.mark.parametrize("local", [False, True])
def test_handles_moved_by_an_affine_map_do_just_that_to_all_in_it(local):
    figure, stores = head(LAY | {"local": local})
    matrix, shift = [[1.1, 0.2], [-0.15, 0.9]], [7.0, -4.0]
    rest = seen(figure, stores)
    rows = block(figure, stores, "head")
    pose = affine({}, figure.warps[0], matrix, shift)
    expected = rest[rows] @ np.array(matrix).T + shift
    assert np.abs(seen(figure, stores, pose)[rows] - expected).max() < 2e-3  # what float32 keeps of 400 px


def test_what_is_posed_goes_with_what_carries_it():
    figure, stores = head(LAY)
    lifted = {"grid 2,1.shift.y": -20.0, "grid 3,2.shift.x": 15.0}
    rows = block(figure, stores, "head")
    rest, warped = seen(figure, stores), seen(figure, stores, lifted)
    posed = compile_rig(figure, stores)
    frame = posed.evaluate(parse_pose(POSE | lifted).by_id(figure))
    m = frame.matrices[next(k for k, bone in enumerate(figure.bones) if bone.name == "neck")]
    carried = np.stack(
        [m[0] * warped[:, 0] + m[2] * warped[:, 1] + m[4], m[1] * warped[:, 0] + m[3] * warped[:, 1] + m[5]], 1
    )
    assert np.abs(frame.vertices[rows] - carried[rows]).max() < 1e-2
    assert np.abs(warped - rest).max() > 5


def test_what_is_dragged_at_rest_reshapes_the_rest_as_the_same_drag_posed_does():
    figure, stores = head(LAY)
    dragged = edited(figure, stores, {"kind": "move_handles", "handles": ["grid 2,2"], "by": [25, -10]})
    posed = seen(figure, stores, {"grid 2,2.shift.x": 25.0, "grid 2,2.shift.y": -10.0})
    assert np.abs(seen(dragged, stores) - posed).max() < 1e-3
    assert np.array_equal(compile_rig(dragged, stores).program.nets.uv, compile_rig(figure, stores).program.nets.uv)
    again = edited(dragged, stores, {"kind": "even_handles", "warp": "grid"})
    assert np.abs(seen(again, stores) - seen(figure, stores)).max() < 1e-3


def test_a_local_lattice_leaves_the_far_side_exactly_still():
    figure, stores = head(LAY | {"local": True, "columns": 8, "rows": 6})
    rows, rest = block(figure, stores, "head"), seen(figure, stores)
    moved = seen(figure, stores, {"grid 1,3.shift.x": -30.0})[rows] - rest[rows]
    right = rest[rows][:, 0] > np.median(rest[rows][:, 0])
    assert np.abs(moved).max() > 8
    assert not moved[right].any()


def test_chosen_handles_follow_the_jaw_by_a_share():
    chin = [f"grid {column},3" for column in (1, 2, 3, 4)]
    figure, stores = head(LAY, {"kind": "tie_handles", "handles": chin, "bone": "jaw", "share": 1.0})
    half = edited(figure, stores, {"kind": "tie_handles", "handles": chin, "bone": "jaw", "share": 0.5})
    rows, rest = block(figure, stores, "head"), seen(figure, stores)
    low = rest[rows][:, 1] > np.percentile(rest[rows][:, 1], 95)
    whole = seen(figure, stores, {"jaw.move.y": 20.0})[rows] - rest[rows]
    halved = seen(half, stores, {"jaw.move.y": 20.0})[rows] - rest[rows]
    assert np.allclose(halved, whole / 2, atol=1e-3)
    assert whole[low, 1].min() > 15
    assert np.abs(whole[rest[rows][:, 1] < np.percentile(rest[rows][:, 1], 5)]).max() < 0.5
    assert np.allclose(
        seen(figure, stores, POSE),
        seen(edited(figure, stores, {"kind": "tie_warp", "warp": "grid"}), stores, POSE),
        atol=1e-3,
    )  # the jaw hangs on what carries the lattice


def test_ties_found_by_themselves_share_the_handles_out_and_leave_out_what_carries_them():
    figure, stores = head(LAY | {"rows": 5}, {"kind": "tie_warp", "warp": "grid", "bones": ["neck", "jaw"]})
    ties = [one.ties for one in figure.warps[0].handles]
    bones = {bone.id: bone.name for bone in figure.bones}
    assert {bones[tie.bone] for some in ties for tie in some} == {"jaw"}
    assert any(0.2 < tie.share < 0.95 for some in ties for tie in some)


@pytest.mark.parametrize("local", [False, True])
def test_more_columns_and_rows_keep_what_was_shaped_posed_and_tied(local):
    chin = [f"grid {column},3" for column in (1, 2, 3, 4)]
    figure, stores = head(
        LAY | {"local": local},
        {"kind": "move_handles", "handles": ["grid 2,2"], "by": [18, 9]},
        {"kind": "tie_handles", "handles": chin, "bone": "jaw"},
        {"kind": "keep_pose", "name": "frown", "pose": {"grid 3,1.shift.y": 16.0}},
    )
    more = edited(figure, stores, {"kind": "set_lattice", "warp": "grid", "columns": 7, "rows": 5})
    spots = np.random.default_rng(3).uniform(0, 1, (200, 2)) * 200 + np.array(figure.warps[0].corners[0]) + 10
    made = []
    for one in (figure, more):
        lattice = one.warps[0]
        grid = Grid.of(lattice)
        kept = one.poses[0].pose.of("shift.y")
        posed = np.array([[0, kept.get(handle.id, 0.0)] for handle in lattice.handles])
        made.append(grid.moved(shape_of(lattice, grid), spots) + grid.moved(posed, spots))
    assert np.abs(made[0] - made[1]).max() < (1.2 if local else 2e-3)  # another spline's knots lie elsewhere
    assert sum(len(one.ties) for one in more.warps[0].handles) > len(chin)


def test_parts_get_vertices_enough_for_half_a_px():
    figure, stores = head(LAY)
    lattice = figure.warps[0]
    program = compile_rig(figure, stores).program
    blocked = program.blocks[figure.parts[0].id]
    drawn_at = program.nets.drawn[blocked.start : blocked.start + blocked.count].astype(np.float64)
    grid, moves = Grid.of(lattice), np.zeros((12, 2))
    moves[5] = 0.5 * grid.cell
    faces = blocked.triangles - blocked.start
    middle = drawn_at[faces].mean(1)
    between = (drawn_at + grid.moved(moves, drawn_at))[faces].mean(1)
    assert np.abs(between - middle - grid.moved(moves, middle)).max() < ERROR
    assert 8 < edge_wanted(figure, lattice) < 40


def test_nested_lattices_work_in_their_order_each_on_what_the_others_made():
    figure, stores = head(LAY, {"kind": "lay_lattice", "parts": ["head"], "name": "outer", "columns": 3, "rows": 3})
    pose = {"grid 2,2.shift.x": 40.0, "outer 2,2.shift.y": 30.0}
    rows, rest = block(figure, stores, "head"), seen(figure, stores)[block(figure, stores, "head")]
    inner, outer = figure.warps
    moves = [np.zeros((len(one.handles), 2)) for one in figure.warps]
    moves[0][5], moves[1][4] = [40, 0], [0, 30]
    first = rest + Grid.of(inner).moved(moves[0], rest)
    expected = first + Grid.of(outer).moved(moves[1], first)
    assert np.abs(seen(figure, stores, pose)[rows] - expected).max() < 2e-3
    other = edited(figure, stores, {"kind": "order_warp", "warp": "outer", "to": "first"})
    swapped = seen(other, stores, pose)[rows]
    assert np.abs(swapped - expected).max() > 0.5
    shaped = edited(figure, stores, {"kind": "move_handles", "handles": ["grid 2,2"], "by": [40, 0]},
                    {"kind": "move_handles", "handles": ["outer 2,2"], "by": [0, 30]})  # fmt: skip
    assert np.abs(seen(shaped, stores)[block(shaped, stores, "head")] - expected).max() < 2e-3


def test_handles_across_the_middle_are_dragged_as_a_mirror_would():
    figure, stores = head(LAY)
    before = [one.place for one in figure.warps[0].handles]
    drag = {"kind": "move_handles", "handles": ["grid 1,2"], "by": [-12, 5], "mirrored": True}
    moved = np.array([one.place for one in edited(figure, stores, drag).warps[0].handles]) - before
    assert np.allclose(moved[4], [-12, 5])
    assert np.allclose(moved[7], [12, 5])
    assert np.abs(moved).sum() == pytest.approx(34)


def test_a_frame_tells_where_handles_are_posed():
    figure, stores = head(LAY)
    frame = compile_rig(figure, stores).evaluate(
        parse_pose({"neck.move.x": 12.0, "grid 2,1.shift.y": -20.0}).by_id(figure)
    )
    moved = frame.handles - np.array([one.place for one in figure.warps[0].handles])
    assert np.allclose(moved, [[12, -20 if number == 1 else 0] for number in range(12)])


def test_a_pose_taken_as_the_rest_draws_what_the_lattice_did_and_evens_it():
    figure, stores = head(LAY, {"kind": "move_handles", "handles": ["grid 2,1"], "by": [0, -18]})
    pose = {"neck.turn": 25.0, "grid 4,2.shift.x": 20.0}
    taken = edited(figure, stores, {"kind": "take_pose", "pose": pose})
    rows = block(figure, stores, "head")
    assert np.abs(seen(taken, stores)[rows] - seen(figure, stores, pose)[rows]).max() < 0.05
    lattice = taken.warps[0]
    assert np.abs(shape_of(lattice, Grid.of(lattice))).max() < 1e-9
    rotated = np.subtract(lattice.corners[1], lattice.corners[0])
    assert np.degrees(np.arctan2(rotated[1], rotated[0])) == pytest.approx(25, abs=0.01)
    alpha = stores.get_pixels(taken.parts[0].drawing.picture)[..., 3]
    assert (alpha > 128).sum() > 0.9 * (stores.get_pixels(figure.parts[0].drawing.picture)[..., 3] > 128).sum()


def test_another_scale_and_a_redrawing_take_the_lattice_along():
    figure, stores = head(LAY, {"kind": "move_handles", "handles": ["grid 2,2"], "by": [15, 0]})
    double = rescaled(figure, 2.0, stores)
    assert np.allclose(
        [one.place for one in double.warps[0].handles], 2 * np.array([one.place for one in figure.warps[0].handles])
    )
    part = figure.parts[0]
    picture = stores.get_pixels(part.drawing.picture).copy()
    picture[:, :20] = 0
    again = redrawn(figure, part.with_drawing(picture=stores.put_picture(encode_png(picture))), stores)
    assert again.warps == figure.warps
    assert again.parts[0].mesh != part.mesh


def test_a_joint_is_read_with_the_lattices_over_its_parts():
    figure, stores = two_piece_arm()
    bone = next(one for one in figure.bones if one.name == "arm 2")
    over = edited(figure, stores, {"kind": "lay_lattice", "parts": [one.name for one in figure.parts], "name": "grid"})
    tied = edited(over, stores, {"kind": "tie_handles", "handles": ["grid 4,4"], "bone": "arm 2", "share": 0.3},
                  {"kind": "move_handles", "handles": ["grid 2,2"], "by": [0, -25]})  # fmt: skip
    plain, warped = (read_seam(one, stores, bone, painter()) for one in (over, tied))
    worst = [max(reading.ink_length + reading.gap_disc for reading in seam.readings) for seam in (plain, warped)]
    assert abs(worst[0] - worst[1]) > 0.5, "what is read is what is painted"


def test_a_state_posed_before_shows_the_same_as_a_fresh_one():
    """Warps that reshape the same vertices hand on where they put them; nothing of an earlier pose may stay there."""
    figure, stores = head(
        {"kind": "lay_lattice", "parts": ["eye"], "name": "alone"}, LAY | {"name": "inner"}, LAY | {"name": "outer"},
        {"kind": "move_handles", "handles": ["outer 2,2"], "by": [6, 9]},
    )  # fmt: skip
    poses = [
        {"inner 2,2.shift.x": 40.0}, {"outer 3,2.shift.y": 25.0}, {}, {"inner 1,1.shift.x": 9.0, "outer 2,2.shift.x": -30.0},
        {"alone 1,1.shift.x": 12.0}, {"outer 2,2.shift.x": 5.0},
    ]  # fmt: skip
    rig = compile_rig(figure, stores)
    for pose in poses:
        used = rig.evaluate(parse_pose(pose).by_id(figure)).vertices
        assert np.abs(used - seen(figure, stores, pose)).max() < 1e-4, pose


def test_laying_and_taking_off_gives_the_same_figure_back():
    bare, stores = head()
    figure = edited(bare, stores, LAY, {"kind": "lay_lattice", "parts": ["head", "eye"], "name": "two"})
    for order in (("grid", "two"), ("two", "grid")):
        left = edited(figure, stores, *({"kind": "lift_warp", "warp": name} for name in order))
        assert left.replace(next_id=bare.next_id) == bare


def test_an_archive_a_renamed_bone_and_a_deleted_one_keep_the_rest(tmp_path):
    chin = [f"grid {column},3" for column in (1, 2, 3, 4)]
    figure, stores = head(
        LAY,
        {"kind": "tie_handles", "handles": chin, "bone": "jaw"},
        {"kind": "move_handles", "handles": chin[:1], "by": [0, 9]},
    )
    write_archive(tmp_path / "head.zip", figure, stores)
    again, others = read_archive(tmp_path / "head.zip")
    assert again == figure
    assert np.array_equal(seen(again, others, {"jaw.turn": 20}), seen(figure, stores, {"jaw.turn": 20}))
    without = edited(figure, stores, {"kind": "delete_bones", "bones": ["jaw"]})
    assert not any(one.ties for one in without.warps[0].handles)
    assert np.array_equal(seen(without, stores), seen(figure, stores))
    gone = edited(figure, stores, {"kind": "delete_bones", "bones": ["neck"]})
    assert gone.warps[0].bone is None


def test_a_weighted_part_under_a_lattice_keeps_its_bend():
    figure, stores = one_piece_arm()
    bent = {"arm 2.turn": 60.0}
    laid = edited(figure, stores, {"kind": "lay_lattice", "parts": ["arm"], "name": "grid", "columns": 3, "rows": 3})
    plain = laid.replace(warps=())
    assert np.array_equal(seen(laid, stores, bent), seen(plain, stores, bent))
    warped = seen(laid, stores, bent | {"grid 2,2.shift.y": 12.0}) - seen(laid, stores, bent)
    assert 2 < np.abs(warped).max() < 12


@pytest.mark.parametrize(
    ("edit", "words"),
    [
        (LAY | {"parts": ["tail"]}, "no part"),
        (LAY | {"parts": []}, "Say which parts"),
        (LAY | {"columns": 1}, "incomplete or wrong"),
        (LAY | {"columns": 13}, "incomplete or wrong"),
        (LAY | {"bone": "wing"}, "no bone"),
        ({"kind": "move_handles", "handles": ["grid 1,1"], "by": [1, 1]}, "no handle"),
        ({"kind": "lift_warp", "warp": "grid"}, "no warp"),
    ],
)
def test_nonsense_is_refused_in_a_sentence(edit, words):
    figure, stores = head()
    with pytest.raises(EditRefused, match=words):
        apply_edit(edit, figure, stores)


def test_locked_and_left_out_parts_and_wrong_handles_are_refused_in_a_sentence():
    figure, stores = head(LAY)
    locked = edited(figure, stores, {"kind": "lock_parts", "parts": ["eye"], "locked": True})
    with pytest.raises(EditRefused, match="locked"):
        apply_edit(LAY | {"parts": ["eye"]}, locked, stores)
    left_out = edited(figure, stores, {"kind": "leave_out_parts", "parts": ["eye"]})
    with pytest.raises(EditRefused, match="Nothing that takes part"):
        apply_edit(LAY | {"parts": ["eye"]}, left_out, stores)
    with pytest.raises(EditRefused, match="where to"):
        apply_edit({"kind": "move_handles", "handles": ["grid 1,1", "grid 2,1"], "to": [1, 1]}, figure, stores)
    with pytest.raises(EditRefused, match="called"):
        apply_edit({"kind": "set_lattice", "warp": "grid", "name": "two"},
                   edited(figure, stores, LAY | {"name": "two"}), stores)  # fmt: skip
    assert covered(figure, figure.warps[0]) == {figure.parts[0].id}


def told(figure, stores):
    return [one.sentence for one in findings(figure, stores) if one.stage == "warps"]


def test_what_folds_over_is_found_at_rest_and_in_kept_poses_and_evened_out():
    figure, stores = head(LAY, {"kind": "keep_pose", "name": "wink", "pose": {"neck.turn": 5}})
    assert not told(figure, stores)
    folded = edited(figure, stores, {"kind": "move_handles", "handles": ["grid 2,2"], "by": [700, 0]})
    (found,) = [one for one in findings(folded, stores) if one.stage == "warps"]
    assert "over at rest" in found.sentence
    program = compile_rig(folded, stores).program
    faces = program.blocks[folded.parts[0].id].triangles
    before, after = (signed_areas(np.asarray(one, np.float64), faces) for one in (program.nets.drawn, program.rest))
    assert f"folds {int((before * after < 0).sum())} triangles" in found.sentence, "as many as are painted so"
    assert not told(edited(folded, stores, found.remedies[0].edit), stores)
    kept = edited(figure, stores, {"kind": "keep_pose", "name": "wink", "pose": {"grid 2,2.shift.x": 700}})
    assert any("in the pose “wink”" in one for one in told(kept, stores))


def test_a_warp_whose_bone_is_deleted_says_that_its_parts_go_without_it():
    figure, stores = head(LAY, {"kind": "set_lattice", "warp": "grid", "bone": ""})
    (found,) = [one for one in findings(figure, stores) if one.stage == "warps"]
    assert found.sentence == "grid stands still while its 1 part follows neck"
    carried = edited(figure, stores, found.remedies[0].edit)
    assert not told(carried, stores)
    assert next(one.name for one in carried.bones if one.id == carried.warps[0].bone) == "neck"


def test_a_pose_kept_with_shifts_shows_the_same_after_another_was_taken_as_the_rest():
    figure, stores = head(
        LAY, {"kind": "keep_pose", "name": "frown", "pose": {"neck.turn": 25, "grid 3,1.shift.y": 16}}
    )
    taken = edited(figure, stores, {"kind": "take_pose", "pose": {"neck.turn": 25.0, "grid 4,2.shift.x": 20.0}})
    shifts = {name: taken.poses[0].pose.of(f"shift.{name}") for name in "xy"}
    ids = [one.id for one in taken.warps[0].handles]
    turned = np.exp(1j * np.radians(25))
    for number, before in ((2, 16j), (7, -20 + 0j)):
        now = complex(shifts["x"].get(ids[number], 0), shifts["y"].get(ids[number], 0))
        assert now == pytest.approx(before * turned, abs=1e-4)


def two_arms():
    """Two arms side by side, the near one on a bone."""
    body = {f"{side} arm": drawn(capsule((x, 100), (x, 300), 30, 5)) for side, x in (("near", 120), ("far", 280))}
    figure, stores = figure_of(body)
    bone = {"kind": "draw_chain", "name": "near arm", "joints": at(figure, (120, 110), (120, 290))}
    return edited(figure, stores, bone, {"kind": "bind_rigid", "parts": ["near arm"], "bone": "near arm"}), stores


def test_a_set_up_copied_to_another_limb_takes_its_lattice_along():
    figure, stores = two_arms()
    figure = edited(
        figure, stores,
        {"kind": "lay_lattice", "parts": ["near arm"], "name": "sleeve", "columns": 3, "rows": 4},
        {"kind": "move_handles", "handles": ["sleeve 1,2"], "by": [-14, 0]},
        {"kind": "copy_setup", "bone": "near arm", "find": "near", "put": "far"},
    )  # fmt: skip
    near, far = figure.warps
    assert far.of == (next(one.id for one in figure.parts if one.name == "far arm"),)
    assert next(one.name for one in figure.bones if one.id == far.bone) == "far arm"
    assert not {one.id for one in near.handles} & {one.id for one in far.handles}
    shapes = [shape_of(one, Grid.of(one)) for one in (near, far)]
    assert np.abs(shapes[0] - shapes[1]).max() < 1.0
    assert np.subtract(far.corners[0], near.corners[0]) == pytest.approx([160, 0], abs=3)


def test_a_lattice_of_no_size_is_refused():
    with pytest.raises(ValueError, match="no size"):
        Lattice(id="w1", name="flat", of=("p1",), corners=((0, 0), (10, 0), (20, 0)), columns=2, rows=2,
                handles=tuple(Handle(id=f"h{k}", place=(0, 0)) for k in range(4)))  # fmt: skip
