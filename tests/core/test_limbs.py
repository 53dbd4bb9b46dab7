"""Limbs: drawn along the art, fitted, split, joined, mirrored, set up alike, limited, taken as posed."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import pytest

from kunstgriff.artwork.ora import read_ora
from kunstgriff.artwork.sheet import figure_from_sheet
from kunstgriff.binding.copying import match_limb
from kunstgriff.delivery.frames import painter
from kunstgriff.evaluate.state import compile_rig
from kunstgriff.figure.edit import EditRefused, apply_edit
from kunstgriff.figure.pose import parse_pose
from kunstgriff.figure.stores import MemoryStores
from kunstgriff.paint.painter import View
from kunstgriff.skeleton.along import snapped
from kunstgriff.skeleton.fitting import parse_template, templates
from tests.art import at, capsule, drawn, edited, figure_of, one_piece_arm, vertices_of
from tests.conftest import DEMO
from tests.core.test_bones import body, named


@pytest.fixture(scope="module")
def bare():
    stores = MemoryStores()
    return figure_from_sheet(read_ora(DEMO / "pell.ora"), "Pell", stores), stores


def test_one_stroke_down_an_arm_lays_joints_on_its_middle_line(bare, pell):
    figure, stores = bare
    stroke = [[40, -1230], [-120, -1020], [-330, -800]]
    figure = apply_edit({"kind": "draw_along", "name": "near arm", "stroke": stroke}, figure, stores)
    assert [bone.name for bone in figure.bones][:2] == ["near arm", "near arm 2"]
    by_hand = named(pell[0], "near arm")
    assert np.hypot(*np.subtract(figure.bones[0].joint, by_hand.joint)) < 25
    assert np.hypot(*np.subtract(figure.bones[1].joint, by_hand.tip)) < 25
    even = apply_edit({"kind": "draw_along", "stroke": stroke, "joints": 5}, *bare)
    lengths = [np.hypot(*np.subtract(bone.tip, bone.joint)) for bone in even.bones]
    assert len(lengths) == 4
    assert max(lengths) < 1.1 * min(lengths)
    with pytest.raises(EditRefused, match="no part under"):
        apply_edit({"kind": "draw_along", "stroke": [[5000, 0], [5100, 0]]}, *bare)


def test_the_pointer_snaps_to_joints_and_middle_lines():
    figure, stores = one_piece_arm()
    joint = at(figure, (200, 200))[0]
    assert snapped(figure, (joint[0] + 5, joint[1] - 4), stores) == (joint, "joint")
    point, what = snapped(figure, at(figure, (130, 208))[0], stores)
    assert what == "middle"
    assert point[1] == pytest.approx(at(figure, (0, 200))[0][1], abs=2)
    assert snapped(figure, (900, 900), stores) == ((900, 900), "")


def test_a_biped_is_fitted_to_parts_by_name_near_where_a_rigger_laid_it(bare, pell):
    figure = apply_edit({"kind": "fit_template", "template": "biped"}, *bare)
    for name, slack in (
        ("near forearm", 40),
        ("far forearm", 40),
        ("near shin", 40),
        ("far shin", 40),
        ("near leg", 110),
    ):
        assert np.hypot(*np.subtract(named(figure, name).joint, named(pell[0], name).joint)) < slack, name
    # American Academy of Orthopaedic Surgeons 1965: elbow 0 to 150°, knee 0 to 135° (SOURCES)
    assert (named(figure, "near forearm").limits.low, named(figure, "near shin").limits.high) == (-150, 135)
    # Drillis & Contini 1966 in Winter: fractions of stature (SOURCES)
    lengths = {bone.name: bone.length for bone in templates()["biped"].bones}
    assert (lengths["arm"], lengths["forearm"], lengths["leg"], lengths["shin"]) == (0.186, 0.146, 0.245, 0.246)


def test_a_template_on_art_with_half_the_limbs_missing_leaves_those_out():
    figure, stores = figure_of(
        {
            "near thigh": drawn(capsule((200, 150), (200, 230), 20, 4)),
            "near shin": drawn(capsule((200, 240), (200, 320), 16, 4)),
        }
    )
    fitted = apply_edit({"kind": "fit_template", "template": "biped"}, figure, stores)
    assert {bone.name for bone in fitted.bones} == {"hips", "near leg", "near shin"}
    figure, stores = figure_of({"kettle": drawn(capsule((200, 150), (200, 230), 20, 4))})
    with pytest.raises(EditRefused, match="No part is named like a limb"):
        apply_edit({"kind": "fit_template", "template": "biped"}, figure, stores)
    with pytest.raises(EditRefused, match="no template"):
        apply_edit({"kind": "fit_template", "template": "centipede"}, figure, stores)
    with pytest.raises(EditRefused, match="not JSON"):
        parse_template("{")
    loop = '{"name": "x", "title": "x", "root_height": 0, "bones": [{"name": "a", "parent": "b", "length": 1, "angle": 0}]}'
    with pytest.raises(EditRefused, match="hangs on a bone that does not come before"):
        parse_template(loop)


def test_a_split_bone_hands_its_parts_and_children_on():
    figure, stores = one_piece_arm()
    figure = edited(figure, stores, {"kind": "split_bone", "bone": "arm", "at": 0.5})
    assert [bone.name for bone in figure.bones] == ["arm", "arm 3", "arm 2"]
    assert named(figure, "arm 2").parent == named(figure, "arm 3").id
    assert set(figure.parts[0].binding.influences) == {bone.id for bone in figure.bones}
    whole = edited(figure, stores, {"kind": "dissolve_joint", "bone": "arm 3"})
    assert [bone.name for bone in whole.bones] == ["arm", "arm 2"]
    assert named(whole, "arm").tip == named(whole, "arm 2").joint
    table = stores.get_array(whole.parts[0].binding.weights)
    assert np.abs(table.sum(1) - 1).max() < 1e-6
    with pytest.raises(EditRefused, match="too short"):
        apply_edit({"kind": "split_bone", "bone": "arm", "pieces": 50}, *tiny())
    with pytest.raises(EditRefused, match="no joint to dissolve"):
        apply_edit({"kind": "dissolve_joint", "bone": "arm"}, figure, stores)


def tiny():
    figure, stores = body()
    return edited(figure, stores, {"kind": "draw_chain", "name": "arm x", "joints": [[0, 0], [20, 0]]},
                  {"kind": "delete_bones", "bones": ["arm", "arm 2"]},
                  {"kind": "rename_bone", "bone": "arm x", "name": "arm"}), stores  # fmt: skip


def test_a_bone_of_a_typed_length_takes_what_sits_on_its_tip_along():
    figure, stores = body()
    longer = edited(figure, stores, {"kind": "set_length", "bone": "spine", "length": 130})
    assert named(longer, "spine").tip == named(longer, "spine 2").joint == named(longer, "arm").joint == (0, -130)
    with pytest.raises(EditRefused, match="length"):
        apply_edit({"kind": "set_length", "bone": "spine", "length": 0}, figure, stores)


def test_joined_chains_are_bridged_by_a_link_that_moves_no_part():
    figure, stores = body()
    figure = edited(figure, stores, {"kind": "draw_chain", "name": "hat", "joints": [[0, -240], [0, -280]]})
    joined = edited(figure, stores, {"kind": "join_chains", "bone": "hat", "onto": "spine 2"})
    link = named(joined, "spine 2 link")
    assert link.connector
    assert named(joined, "hat").parent == link.id
    assert (link.joint, link.tip) == (named(joined, "spine 2").tip, named(joined, "hat").joint)
    with pytest.raises(EditRefused, match="only links"):
        apply_edit({"kind": "bind_rigid", "parts": ["trunk"], "bone": "spine 2 link"}, joined, stores)
    moved = edited(figure, stores, {"kind": "hang_bone", "bone": "hat", "parent": "arm 2", "to_tip": True})
    assert named(moved, "hat").joint == named(moved, "arm 2").tip
    with pytest.raises(EditRefused, match="hangs on it"):
        apply_edit({"kind": "join_chains", "bone": "spine", "onto": "arm 2"}, figure, stores)


def test_a_mirrored_limb_changes_sides_in_its_names_and_limits():
    figure, stores = body()
    figure = edited(
        figure, stores, {"kind": "rename_bone", "bone": "arm", "name": "near arm"},
        {"kind": "set_limits", "bones": ["near arm 2"], "limits": {"low": -10, "high": 150}},
        {"kind": "mirror_bones", "bones": ["near arm"]},
    )  # fmt: skip
    far = named(figure, "far arm 2")
    assert far.joint == (-80, -100)
    assert (far.limits.low, far.limits.high) == (-150, 10)
    assert named(figure, "far arm").parent == named(figure, "spine").id
    kept = edited(figure, stores, {"kind": "mirror_bones", "bones": ["near arm"], "swap": False, "about": "parent"})
    assert named(kept, "near arm 3").tip == (-80, -100)


def test_limits_hold_hard_or_ease_in_and_locked_bones_stay():
    figure, stores = one_piece_arm()
    hard = edited(figure, stores, {"kind": "set_limits", "bones": ["arm 2"], "limits": {"low": 0, "high": 90}})

    def turned(one, asked):
        rig = compile_rig(one, stores)
        rig.evaluate(parse_pose({"turn": {"arm 2": asked}}).by_id(one))
        return np.degrees(rig.angles[1])

    assert [turned(hard, asked) for asked in (45, 200, -30)] == pytest.approx([45, 90, 0])
    soft = edited(
        figure, stores, {"kind": "set_limits", "bones": ["arm 2"], "limits": {"low": 0, "high": 90, "soft": 20}}
    )
    eased = [turned(soft, asked) for asked in range(0, 300, 5)]
    assert all(b > a for a, b in pairwise(eased))
    assert max(eased) < 90
    assert turned(soft, 70) == pytest.approx(70)
    locked = edited(figure, stores, {"kind": "lock_bones", "bones": ["arm 2"]})
    for edit in (
        {"kind": "move_joint", "bone": "arm 2", "end": "tip", "to": [5, 5]},
        {"kind": "delete_bones", "bones": ["arm 2"]},
        {"kind": "split_bone", "bone": "arm 2"},
    ):
        with pytest.raises(EditRefused, match="locked"):
            apply_edit(edit, locked, stores)


def two_arms():
    figure, stores = figure_of(
        {
            "near arm": drawn(capsule((60, 120), (260, 120), 26, 6)),
            "far arm": drawn(capsule((120, 300), (360, 340), 34, 6)),
        }
    )
    return edited(
        figure, stores, {"kind": "draw_chain", "name": "near arm", "joints": at(figure, (60, 120), (160, 120), (260, 120))},
        {"kind": "set_limits", "bones": ["near arm 2"], "limits": {"low": -20, "high": 140}},
        {"kind": "bind_weighted", "parts": ["near arm"], "count": 180},
        {"kind": "set_zone", "bone": "near arm 2", "inner": 2.2, "rows": 5},
        {"kind": "set_spring", "bone": "near arm 2"},
    ), stores  # fmt: skip


def test_a_limb_is_set_up_as_another_with_a_different_drawing():
    figure, stores = two_arms()
    match = match_limb(figure, figure.bones[0], "near", "far")
    assert match.parts == {figure.parts[0].id: figure.parts[1].id}
    after = edited(figure, stores, {"kind": "copy_setup", "bone": "near arm", "find": "near", "put": "far"})
    far = named(after, "far arm 2")
    elbow = at(figure, (240, 320))[0]
    assert np.hypot(*np.subtract(far.joint, elbow)) < 25
    assert far.limits == named(after, "near arm 2").limits
    zone = after.parts[1].binding.zones[0]
    assert (zone.bone, zone.inner, zone.rows) == (far.id, 2.2, 5)
    assert any(far.id in spring.bones for spring in after.springs)
    with pytest.raises(EditRefused, match="has “left” in its name"):
        apply_edit({"kind": "copy_setup", "bone": "near arm", "find": "left", "put": "right"}, figure, stores)
    with pytest.raises(EditRefused, match="No part is named"):
        apply_edit({"kind": "copy_setup", "bone": "near arm", "find": "near", "put": "third"}, figure, stores)


def test_a_pose_taken_as_rest_looks_as_it_was_posed():
    figure, stores = one_piece_arm()
    pose = {"turn": {"arm": -20, "arm 2": 60}}
    taken = edited(figure, stores, {"kind": "take_pose", "pose": pose})
    view = View((500, 500), 1.0, (-250.0, -290.0))
    pictures = []
    for item, turned in ((figure, pose), (taken, {})):
        rig = compile_rig(item, stores)
        rig.evaluate(parse_pose(turned).by_id(item))
        pictures.append(painter().paint(rig, rig.evaluate(), view, stores).astype(float)[..., 3])
    assert np.abs(pictures[0] - pictures[1]).mean() < 1.0
    assert (np.abs(pictures[0] - pictures[1]) > 100).sum() < 60
    assert named(taken, "arm 2").joint == pytest.approx(named(figure, "arm 2").joint, abs=200)
    rest = vertices_of(taken, stores)
    assert np.abs(rest - vertices_of(figure, stores, **pose)).max() < 1e-2
    with pytest.raises(EditRefused, match="at rest"):
        apply_edit({"kind": "take_pose", "pose": {}}, figure, stores)


def test_ways_of_following_change_without_losing_the_others_data():
    figure, stores = one_piece_arm()
    weighted = figure.parts[0].binding
    rigid = edited(figure, stores, {"kind": "bind_rigid", "parts": ["arm"], "bone": "arm"})
    assert rigid.parts[0].shelved == (weighted,)
    again = edited(rigid, stores, {"kind": "follow_again", "parts": ["arm"], "binding": "weighted"})
    assert again.parts[0].binding == weighted
    with pytest.raises(EditRefused, match="never bound that way"):
        apply_edit({"kind": "follow_again", "parts": ["arm"], "binding": "rider"}, figure, stores)
    fewer = edited(rigid, stores, {"kind": "delete_bones", "bones": ["arm 2"]})
    assert edited(fewer, stores, {"kind": "follow_again", "parts": ["arm"], "binding": "weighted"})


def mouth():
    figure, stores = figure_of(
        {
            "head": drawn(capsule((200, 150), (200, 250), 60, 4)),
            "jaw": drawn(capsule((180, 280), (220, 280), 14, 3)),
            "teeth": drawn(capsule((190, 260), (210, 260), 5, 2)),
        }
    )
    return edited(
        figure, stores, {"kind": "draw_chain", "name": "head", "joints": at(figure, (200, 300), (200, 100))},
        {"kind": "draw_chain", "name": "jaw", "joints": at(figure, (160, 270), (230, 285)), "parent": "head"},
        {"kind": "group_parts", "parts": ["jaw", "teeth"], "group": "mouth"},
        {"kind": "group_parts", "parts": ["head"], "group": "skull"},
        {"kind": "bind_rigid", "parts": ["head"], "bone": "head"},
        {"kind": "group_follows", "group": "mouth", "bone": "jaw"},
    ), stores  # fmt: skip


def moved(figure, stores, part, **pose):
    rig = compile_rig(figure, stores)
    block = rig.program.blocks[next(one.id for one in figure.parts if one.name == part)]
    rows = slice(block.start, block.start + block.count)
    posed = rig.evaluate(parse_pose(pose).by_id(figure)).vertices[rows]
    return float(np.abs(posed - rig.program.rest[rows]).max())


def test_upper_teeth_stay_while_the_mouth_they_are_grouped_with_moves():
    figure, stores = mouth()
    assert moved(figure, stores, "teeth", turn={"jaw": 20}) > 3
    stays = edited(figure, stores, {"kind": "unbind", "parts": ["teeth"], "stays": True})
    assert moved(stays, stores, "teeth", turn={"jaw": 20}) == 0
    assert moved(stays, stores, "jaw", turn={"jaw": 20}) > 3


def test_a_rider_on_a_bones_tip_turns_or_keeps_upright_about_its_own_pivot():
    figure, stores = mouth()
    tip = {"kind": "bind_rider", "parts": ["teeth"], "carrier": "head"}
    turning, upright = (edited(figure, stores, {**tip, "turning": turns}) for turns in (True, False))
    for item, degrees in ((turning, 40), (upright, 0)):
        rig = compile_rig(item, stores)
        block = rig.program.blocks[figure.parts[2].id]
        posed = rig.evaluate(parse_pose({"turn": {"head": 40}}).by_id(item)).vertices
        before, now = (points[block.start + 1] - points[block.start] for points in (rig.program.rest, posed))
        turn = np.degrees(np.arctan2(before[0] * now[1] - before[1] * now[0], before @ now))
        assert turn == pytest.approx(degrees, abs=1e-2)
    pivot = at(figure, (200, 260))[0]
    own = edited(figure, stores, {**tip, "pivot": pivot})
    rig = compile_rig(own, stores)
    block = rig.program.blocks[figure.parts[2].id]
    posed = rig.evaluate(parse_pose({"turn": {"head": 40}}).by_id(own)).vertices
    rows = slice(block.start, block.start + block.count)
    tip_now = np.array(at(figure, (200, 300))[0]) + 200 * np.array([np.sin(np.radians(40)), -np.cos(np.radians(40))])
    offset = np.subtract(pivot, at(figure, (200, 100))[0])
    assert np.abs(posed[rows].mean(0) - (tip_now + offset)).max() < 1.0


def test_the_whole_figure_is_bound_in_one_go(bare):
    figure = apply_edit({"kind": "fit_template", "template": "biped"}, *bare)
    bound = apply_edit({"kind": "bind_figure"}, figure, bare[1])
    kinds = {part.name: part.binding.kind for part in bound.parts}
    assert kinds["coat"] == "weighted"
    assert kinds["near forearm"] == "rigid"
    assert kinds["brow"] in ("rigid", "rider")  # no bone runs through it, but it lies within the head
    with pytest.raises(EditRefused, match="no bones"):
        apply_edit({"kind": "bind_figure"}, *bare)
