"""Tacks: what spots of a part are held by, how the part deforms between them, how they are set and proposed."""

from __future__ import annotations

import numpy as np
import pytest

from kunstgriff.artwork.rescaling import rescaled
from kunstgriff.binding.triangles import signed_areas
from kunstgriff.evaluate.state import compile_rig
from kunstgriff.figure.archive import read_archive, write_archive
from kunstgriff.figure.edit import EditRefused, apply_edit
from kunstgriff.figure.findings import findings
from kunstgriff.figure.pose import parse_pose
from kunstgriff.figure.renewal import redrawn
from kunstgriff.figure.stores import encode_png
from tests.art import at, capsule, drawn, edited, figure_of, one_piece_arm
from tests.core.test_lattices import block, seen

SIZE = (500, 600)
CLOTH = '<path d="M150 100 H350 L420 500 H80 Z" fill="#5a7a8c" stroke="#2b2a33" stroke-width="6"/>'
STEP = {"near.turn": 35.0, "far.turn": -30.0}


def skirt(*edits, bind=True):
    """A skirt over two legs whose bones end at the knees; it follows the hips, or nothing."""
    legs = {name: drawn(capsule((x, 200), (x, 560), 22, 4), SIZE) for name, x in (("far leg", 210), ("near leg", 290))}
    figure, stores = figure_of({**legs, "skirt": drawn(CLOTH, SIZE)}, SIZE)
    chains = [
        {
            "kind": "draw_chain",
            "name": name,
            "joints": at(figure, *joints),
            **({"parent": "hips"} if name != "hips" else {}),
        }
        for name, joints in (
            ("hips", [(250, 160), (250, 110)]),
            ("far", [(210, 180), (210, 400)]),
            ("near", [(290, 180), (290, 400)]),
        )
    ]
    bound = [{"kind": "bind_rigid", "parts": ["skirt"], "bone": "hips"}] if bind else []
    return edited(figure, stores, *chains, *bound, *edits), stores


def tacks(figure):
    """Waist and hem of the skirt: the waist goes with the hips, the hem takes a quarter of each leg."""
    spots = [
        ("waist left", (165, 115)),
        ("waist right", (335, 115)),
        ("hem left", (110, 485)),
        ("hem right", (390, 485)),
    ]
    return [
        {
            "kind": "set_tack", "part": "skirt", "name": name, "at": at(figure, spot)[0],
            **({"bones": ["far", "near"], "share": 0.25} if "hem" in name else {}),
        }
        for name, spot in spots
    ]  # fmt: skip


def tacked(*edits, bind=True):
    figure, stores = skirt(bind=bind)
    return edited(figure, stores, *tacks(figure), *edits), stores


def handle(figure, stores, name, pose=None):
    """Where a tack lies in a pose, and what it holds there, px."""
    number = [one.name for one in figure.handles].index(name)
    frame = compile_rig(figure, stores).evaluate(parse_pose(pose or {}).by_id(figure))
    return frame.handles[number].copy(), float(frame.holds[number])


@pytest.mark.parametrize("bind", [True, False])
def test_at_rest_nothing_moves_whatever_is_typed(bind):
    figure, stores = tacked(bind=bind)
    wild = edited(figure, stores, {"kind": "tie_handles", "handles": ["skirt hem left"], "bone": "near", "share": 0.9},
                  {"kind": "change_tacks", "handles": ["skirt waist left"], "still": True, "carries": "size"})  # fmt: skip
    for one in (figure, wild):
        assert np.array_equal(seen(one, stores), seen(one.replace(warps=()), stores))
        assert compile_rig(one, stores).evaluate().holds.max() == 0


def test_the_hem_follows_half_of_the_mean_of_both_knees():
    # common practice, no source: a quarter of each knee's movement
    figure, stores = tacked()
    pose = {"near.turn": 24.0, "far.turn": -15.0}
    rest, _ = handle(figure, stores, "skirt hem left")
    rig = compile_rig(figure, stores)
    rig.evaluate(parse_pose(pose).by_id(figure))
    index = rig.program.bone_index
    moved = []
    for bone in figure.bones:
        if bone.name in ("near", "far"):
            m = rig.matrices[index[bone.id]]
            moved.append(
                np.array([m[0] * rest[0] + m[2] * rest[1] + m[4], m[1] * rest[0] + m[3] * rest[1] + m[5]]) - rest
            )
    now, held = handle(figure, stores, "skirt hem left", pose)
    assert np.abs(now - rest - np.mean(moved, 0) / 2).max() < 1e-3
    assert held == pytest.approx(np.hypot(*(now - rest)), abs=1e-3)


def test_a_tack_that_stands_still_does_when_what_carries_the_part_goes():
    figure, stores = tacked({"kind": "change_tacks", "handles": ["skirt waist right"], "still": True})
    away = {"hips.move.x": 30.0}
    before, _ = handle(figure, stores, "skirt waist right")
    after, held = handle(figure, stores, "skirt waist right", away)
    assert np.abs(after - before).max() < 1e-3
    assert held == pytest.approx(30, abs=0.01)
    with_it, _ = handle(figure, stores, "skirt waist left", away)
    assert with_it[0] - handle(figure, stores, "skirt waist left")[0][0] == pytest.approx(30, abs=1e-3)


def test_the_part_turns_as_a_whole_with_what_all_its_tacks_follow():
    figure, stores = tacked()
    pose = {"hips.turn": 70.0, "hips.move.y": 25.0}
    rigid = seen(figure.replace(warps=()), stores, pose)
    assert np.abs(seen(figure, stores, pose) - rigid).max() < 2e-3


def test_the_picture_depends_on_the_pose_and_not_on_how_one_got_there():
    figure, stores = tacked()
    rig = compile_rig(figure, stores)
    pose = parse_pose(STEP).by_id(figure)
    at_once = rig.evaluate(pose).vertices.copy()
    for turn in range(0, 120, 7):
        rig.evaluate(parse_pose({"near.turn": -40.0 + turn, "far.turn": 15.0 - turn}).by_id(figure))
    assert np.array_equal(rig.evaluate(pose).vertices, at_once)


def test_a_tack_carries_its_place_its_turn_or_its_size():
    carried = {}
    for carries in ("place", "turn", "size"):
        figure, stores = skirt()
        figure = edited(figure, stores, *tacks(figure)[:2], {
            "kind": "set_tack", "part": "skirt", "name": "knee", "at": at(figure, (290, 380))[0], "bones": ["near"], "carries": carries,
        })  # fmt: skip
        rows, rest = block(figure, stores, "skirt"), seen(figure, stores)
        pose = {"near.turn": 30.0, "near.stretch.along": 1.4, "near.stretch.across": 1.4}
        now, place = seen(figure, stores, pose)[rows], np.array(figure.warps[0].handles[2].place)
        near = np.argsort(np.hypot(*(rest[rows] - place).T))[:3]
        was, there = rest[rows][near] - rest[rows][near].mean(0), now[near] - now[near].mean(0)
        turn = np.vdot(was @ (1, 1j), there @ (1, 1j))
        carried[carries] = np.degrees(np.angle(turn)), abs(turn) / (was**2).sum()
    assert abs(carried["place"][0] - 30) > 3
    assert carried["turn"][0] == pytest.approx(30, abs=0.1)
    assert carried["turn"][1] == pytest.approx(1, abs=0.01)
    assert carried["size"][1] == pytest.approx(1.4, abs=0.01)


def test_on_a_part_bound_by_weights_tacks_reach_only_so_far():
    figure, stores = one_piece_arm()
    spot = at(figure, (320, 200))[0]
    figure = edited(figure, stores, {"kind": "set_tack", "part": figure.parts[0].name, "at": spot, "name": "hand"})
    name = figure.parts[0].name
    rows = block(figure, stores, name)
    (warp,) = figure.warps
    assert warp.reach == pytest.approx(max(figure.parts[0].drawing.size) / 3)
    pull = {f"{warp.handles[0].id}.shift.y": 40.0}
    moved = np.hypot(*(seen(figure, stores, pull)[rows] - seen(figure, stores)[rows]).T)
    away = np.hypot(*(seen(figure, stores)[rows] - spot).T)
    assert moved[away < 12].min() > 30
    assert moved[away > 2.3 * warp.reach].max() < 12
    wide = edited(figure, stores, {"kind": "set_tacks", "warp": warp.id, "reach": 0})
    assert np.hypot(*(seen(wide, stores, pull)[rows] - seen(wide, stores)[rows]).T).min() > 35


def test_where_the_brush_made_it_stiff_a_part_keeps_its_shape():
    figure, stores = tacked()
    pose = {"near.turn": 40.0, "far.turn": 40.0}
    stroke = at(figure, (180, 300), (250, 300), (320, 300))
    stiff = edited(figure, stores, {"kind": "stiffen", "warp": "skirt", "stroke": stroke, "radius": 60})
    rows, rest = block(figure, stores, "skirt"), seen(figure, stores)
    near = np.hypot(*(rest[rows] - at(figure, (250, 300))[0]).T) < 55

    def strain(one):
        was, now = rest[rows][near], seen(one, stores, pose)[rows][near]
        was, now = (was - was.mean(0)) @ (1, 1j), (now - now.mean(0)) @ (1, 1j)
        turn = np.vdot(was, now)
        return float(np.abs(now - was * turn / abs(turn)).mean())

    assert strain(stiff) < 0.5 * strain(figure)
    soft = edited(stiff, stores, {"kind": "stiffen", "warp": "skirt", "stroke": stroke, "radius": 160, "amount": 0})
    assert strain(soft) == pytest.approx(strain(figure), rel=1e-3)


def test_tacks_are_proposed_where_bones_meet_at_free_ends_and_beside_an_elbow():
    figure, stores = one_piece_arm()
    name = figure.parts[0].name
    figure = edited(figure, stores, {"kind": "propose_tacks", "part": name})
    names = {one.name for one in figure.warps[0].handles}
    bones = [one.name for one in figure.bones]
    assert {bones[0], f"{bones[1]} end", f"{bones[1]} joint", f"{bones[1]} left", f"{bones[1]} right"} <= names
    assert len(names) == 5


def test_settings_are_copied_tacks_removed_and_the_mesh_goes_with_the_last():
    figure, stores = tacked()
    copied = edited(figure, stores, {"kind": "change_tacks", "handles": ["skirt hem left"], "carries": "turn", "name": "corner"},
                    {"kind": "copy_tack", "source": "skirt corner", "onto": ["skirt waist left", "skirt hem right"]})  # fmt: skip
    held = {one.name: one for one in copied.warps[0].handles}
    assert held["waist left"].ties == held["corner"].ties != ()
    assert held["hem right"].carries == "turn"
    bare = edited(copied, stores, {"kind": "remove_tacks", "handles": [one.name for one in copied.handles]})
    assert bare.warps == ()
    assert bare.parts[2].mesh is None
    plain, _ = skirt()
    assert bare.parts == plain.parts


def test_nonsense_is_refused_in_a_sentence_and_odd_tacks_do_no_harm():
    figure, stores = tacked()
    beside = at(figure, (20, 20))[0]
    for edit, words in (
        ({"kind": "set_tack", "part": "skirt", "at": beside}, "beside"),
        ({"kind": "move_handles", "handles": ["skirt hem left"], "to": beside}, "beside"),
        ({"kind": "set_tack", "part": "coat", "at": beside}, "no part"),
        ({"kind": "ride_handles", "handles": ["skirt hem left"], "part": "near leg"}, "rides on none"),
        ({"kind": "set_tack", "part": "skirt", "at": [0, 0], "bones": ["wing"]}, "no bone"),
        ({"kind": "set_tacks", "warp": "skirt", "reach": -1}, "reach"),
        ({"kind": "change_tacks", "handles": ["skirt hem left"], "name": "hem right"}, "called"),
        ({"kind": "change_lattice_parts", "warp": "skirt", "into": ["near leg"]}, "one part"),
    ):
        with pytest.raises(EditRefused, match=words):
            apply_edit(edit, figure, stores)
    fine = {"kind": "stiffen", "warp": "skirt", "stroke": [[k * 3, 0] for k in range(500)], "radius": 1}
    with pytest.raises(EditRefused, match="larger one"):
        edited(figure, stores, fine, fine | {"stroke": [[0, 50]]})
    spot = at(figure, (250, 300))[0]
    heap = edited(
        figure, stores, *[{"kind": "set_tack", "part": "skirt", "at": spot, "bones": ["near"]} for _ in range(6)]
    )
    assert np.isfinite(seen(heap, stores, STEP)).all()
    nothing = edited(figure, stores, {"kind": "set_tack", "part": "skirt", "at": spot, "bones": ["near"], "share": 0.0})
    assert nothing.warps[0].handles[-1].ties == ()
    one = figure.warps[0]
    more = (
        one.handles[0].model_copy(update={"id": f"h{900 + k}", "name": f"tack {k}"})
        for k in range(200 - len(one.handles))
    )
    full = figure.replace(warps=(one.model_copy(update={"handles": (*one.handles, *more)}), *figure.warps[1:]))
    with pytest.raises(EditRefused, match="200 tacks"):
        apply_edit({"kind": "set_tack", "part": "skirt", "at": spot}, full, stores)


def test_a_piece_of_a_part_that_no_tack_holds_stays_with_its_bones():
    two = drawn(capsule((120, 150), (120, 300), 40, 4) + capsule((320, 150), (320, 300), 40, 4))
    figure, stores = figure_of({"sleeves": two})
    root = {"kind": "draw_chain", "name": "root", "joints": at(figure, (220, 40), (220, 90))}
    tack = {"kind": "set_tack", "part": "sleeves", "name": "cuff", "at": at(figure, (120, 280))[0]}
    figure = edited(figure, stores, root, {"kind": "bind_rigid", "parts": ["sleeves"], "bone": "root"}, tack)
    rest = seen(figure, stores)
    now = seen(figure, stores, {"root.turn": 15.0, f"{figure.warps[0].handles[0].id}.shift.y": 60.0})
    bare = seen(figure.replace(warps=()), stores, {"root.turn": 15.0})
    other = rest[:, 0] > np.median(rest[:, 0])
    assert np.abs(now - bare)[other].max() < 1e-3
    assert np.abs(now - bare)[~other].max() > 50


def test_tacks_live_on_without_a_bone_and_go_with_their_part():
    figure, stores = tacked()
    gone = edited(figure, stores, {"kind": "delete_bones", "bones": ["near"]})
    hem = next(one for one in gone.warps[0].handles if one.name == "hem left")
    assert [tie.share for tie in hem.ties] == [0.25]
    assert np.isfinite(seen(gone, stores, {"far.turn": 20.0})).all()
    told = [one.sentence for one in findings(gone, stores) if "deleted" in one.sentence]
    assert told == ["2 handles of skirt followed near, which is deleted"]
    again = edited(
        gone, stores, {"kind": "tie_handles", "handles": ["skirt hem left", "skirt hem right"], "bone": "far"}
    )
    assert not [one for one in findings(again, stores) if "deleted" in one.sentence]
    adopted = edited(figure, stores, {"kind": "draw_chain", "name": "root", "joints": [[0, -400], [0, -420]]},
                     {"kind": "hang_bone", "bone": "hips", "parent": "root"}, {"kind": "delete_bones", "bones": ["hips"]})  # fmt: skip
    assert adopted.warps[0].bone == next(one.id for one in adopted.bones if one.name == "root")
    without = edited(figure, stores, {"kind": "delete_parts", "parts": ["skirt"]})
    assert without.warps == ()


def test_tacks_go_through_an_archive_another_scale_a_redrawing_and_a_pose_taken_as_rest(tmp_path):
    figure, stores = tacked({"kind": "stiffen", "warp": "skirt", "stroke": [[0, -200]], "radius": 40})
    write_archive(tmp_path / "skirt.zip", figure, stores)
    again, others = read_archive(tmp_path / "skirt.zip")
    assert again.warps == figure.warps
    double = rescaled(figure, 2.0, stores)
    rows, pose = block(figure, stores, "skirt"), seen(figure, stores, STEP)
    larger = seen(double, stores, STEP)[block(double, stores, "skirt")]
    assert np.abs(larger.max(0) - 2 * pose[rows].max(0)).max() < 3
    wider = drawn(CLOTH.replace("L420 500 H80", "L440 510 H60"), SIZE)
    part = figure.parts[2]
    renewed = redrawn(figure, part.with_drawing(picture=stores.put_picture(encode_png(wider))), stores)
    assert renewed.warps == figure.warps
    assert np.isfinite(seen(renewed, stores, STEP)).all()
    taken = edited(figure, stores, {"kind": "take_pose", "pose": STEP})
    assert np.abs(seen(taken, stores)[block(taken, stores, "skirt")].max(0) - pose[rows].max(0)).max() < 6
    now = {one.name: one.place for one in taken.warps[0].handles}
    assert np.abs(np.subtract(now["hem left"], handle(figure, stores, "skirt hem left", STEP)[0])).max() < 2


def test_tacks_fold_nothing_over_in_a_wide_step():
    figure, stores = tacked()
    rig = compile_rig(figure, stores)
    own = rig.program.blocks[figure.parts[2].id]
    before = signed_areas(rig.program.rest, own.triangles)
    after = signed_areas(rig.evaluate(parse_pose(STEP).by_id(figure)).vertices, own.triangles)
    assert (before * after > 0).all()
    stretch = np.sqrt(after / before)
    assert 0.6 < stretch.min() < stretch.max() < 1.6


def test_tacks_that_make_no_difference_are_found():
    figure, stores = tacked()
    assert not [one for one in findings(figure, stores) if "Without its tack" in one.sentence]
    idle = {"kind": "set_tack", "part": "skirt", "name": "idle", "at": at(figure, (165, 115))[0]}
    more = edited(figure, stores, idle)
    found = [one for one in findings(more, stores) if "Without its tack" in one.sentence]
    assert found
    assert all("waist left" in one.sentence or "idle" in one.sentence for one in found)
    fewer = edited(more, stores, dict(found[0].remedies[0].edit))
    assert len(fewer.warps[0].handles) == 4
