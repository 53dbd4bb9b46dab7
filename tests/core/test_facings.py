"""Facings: what is a side's own stays its own, what it lends follows, and turned there and back nothing is lost."""

from __future__ import annotations

import math
from pathlib import Path

import numpy as np
import pytest

from kunstgriff.delivery.deliver import DeliveryOrder, deliver
from kunstgriff.delivery.png import pose_picture
from kunstgriff.delivery.turnaround import facing_picture
from kunstgriff.evaluate.sharing import program_key
from kunstgriff.evaluate.state import compile_rig
from kunstgriff.facing.checks import turnaround_findings
from kunstgriff.facing.flips import turned_wrongly
from kunstgriff.figure.archive import read_archive, write_archive
from kunstgriff.figure.edit import EditRefused, apply_edit
from kunstgriff.figure.mirroring import mirrored_pose
from kunstgriff.figure.model import Rider, Rigid
from kunstgriff.figure.pose import Pose, parse_pose
from kunstgriff.figure.stores import decode_png
from kunstgriff.figure.turning import carrying, on_loan, seen_from, turned_to
from kunstgriff.trial.around import play_around, side_in
from kunstgriff.trial.motion import motions_of, play
from tests.art import at, capsule, drawn, edited, figure_of

DEMO = Path(__file__).parents[2] / "demo"


def owlish():
    """An uneven creature that faces us: a body, two wings of unlike length, a beak and an eye, boned and bound."""
    figure, stores = figure_of(
        {
            "left wing": drawn(capsule((150, 160), (110, 260), 22, 5)),
            "right wing": drawn(capsule((250, 160), (300, 240), 26, 5)),
            "body": drawn(capsule((200, 140), (200, 280), 50, 6)),
            "beak": drawn(capsule((200, 100), (204, 116), 8, 3)),
        }
    )
    edits = [{"kind": "draw_chain", "name": "body", "joints": at(figure, (200, 290), (200, 130), (200, 60))}]
    for name, s, tip in (("left", (155, 160), (110, 265)), ("right", (245, 160), (300, 245))):
        edits.append({"kind": "draw_chain", "name": f"{name} wing", "parent": "body", "joints": at(figure, s, tip)})
        edits.append({"kind": "bind_rigid", "parts": [f"{name} wing"], "bone": f"{name} wing"})
    edits.append({"kind": "bind_weighted", "parts": ["body"], "influences": ["body", "body 2"], "count": 120})
    edits.append({"kind": "bind_rigid", "parts": ["beak"], "bone": "body 2"})
    return edited(figure, stores, *edits), stores


def in_facing(number, **edit):
    return {"kind": "in_facing", "facing": number, "edit": edit}


def turned(figure, stores, *edits):
    """The figure with a side and a back, and some edits."""
    return edited(
        figure,
        stores,
        {"kind": "add_facing", "name": "side", "angle": 90},
        {"kind": "add_facing", "name": "back", "angle": 180},
        *edits,
    )


def moved(part, by):
    return {"kind": "move_parts", "parts": [part], "by": by}


@pytest.fixture(scope="module")
def owl():
    return owlish()


@pytest.fixture(scope="module")
def pell():
    figure, stores = read_archive(DEMO / "pell.zip")
    return figure, stores


@pytest.mark.parametrize("which", ["owl", "pell"])
def test_a_fresh_facing_looks_like_the_one_that_lends_it_all_and_turning_there_and_back_changes_nothing(which, request):
    figure, stores = request.getfixturevalue(which)
    after = turned(figure, stores)
    for number in (2, 3):
        there = turned_to(after, number)
        assert program_key(there.model_copy(update={"turnaround": None})) == program_key(figure)
        assert turned_to(there, 1) == after
        assert turned_to(turned_to(there, 5 - number), 1) == after


def test_what_is_done_on_one_facing_is_seen_on_that_one_only_and_by_those_it_lends_to(owl):
    figure, stores = owl
    before = turned(figure, stores)
    after = edited(before, stores, in_facing(2, **moved("body", (7, 0))))
    place = {n: turned_to(after, n).parts[2].drawing.place for n in (1, 2, 3)}
    assert place[1] == figure.parts[2].drawing.place
    assert place[2][0] == place[1][0] + 7
    assert place[3] == place[2]  # the back has none of its own, and the side is nearer to it than the front
    later = edited(after, stores, moved("body", (0, 5)), in_facing(3, **moved("beak", (1, 1))))
    assert turned_to(later, 2).parts[2].drawing.place == place[2]
    assert "p3" not in {part.id for part in later.turnaround.facing(3).parts}


def test_what_is_on_loan_moves_with_the_bone_that_carries_it(owl):
    figure, stores = owl
    after = turned(figure, stores, in_facing(2, kind="move_joint", bone="left wing", end="joint", to=[10, -120]))
    there, bone = turned_to(after, 2), figure.bones[2]
    assert there.bones[2].joint == (10, -120)
    assert after.bones[2] == bone
    wing, was = there.parts[0], figure.parts[0]
    assert np.subtract(wing.drawing.place, was.drawing.place) == pytest.approx(np.subtract((10, -120), bone.joint))
    assert {wing.id, "p4"} <= on_loan(there)


def test_order_and_what_is_not_seen_are_the_facings_own(owl):
    figure, stores = owl
    after = turned(
        figure, stores,
        in_facing(3, kind="show_parts", parts=["beak"], visible=False),
        in_facing(3, kind="order_part", part="left wing", position=3),
    )  # fmt: skip
    back = turned_to(after, 3)
    assert [part.name for part in back.parts] == ["right wing", "body", "beak", "left wing"]
    assert not back.part("p4").visible
    assert after.part("p4").visible
    assert turned_to(after, 2).part("p4").visible
    assert [part.name for part in after.parts] == [part.name for part in figure.parts]


def test_a_part_made_on_one_facing_is_not_seen_on_others_that_are_drawn(owl):
    figure, stores = owl
    copy = {"kind": "copy_parts", "parts": ["beak"]}
    after = turned(figure, stores, in_facing(2, **moved("body", (1, 0))), in_facing(2, **copy))
    new = after.parts[-1].id if after.parts[-1].id not in {p.id for p in figure.parts} else next(
        part.id for part in after.parts if part.id not in {p.id for p in figure.parts}
    )  # fmt: skip
    assert turned_to(after, 2).part(new).visible
    assert not after.part(new).visible
    assert turned_to(after, 3).part(new).visible  # it has nothing of its own yet: the side lends it all


def test_limits_and_the_side_a_limb_bends_to_are_the_facings_own(owl):
    figure, stores = owl
    figure = edited(
        figure, stores,
        {"kind": "draw_chain", "name": "leg", "parent": "body", "joints": at(figure, (200, 280), (206, 320), (200, 360))},
        {"kind": "lay_reach", "tip": "leg 2", "name": "foot"},
    )  # fmt: skip
    side = figure.reaches[0].side
    other = "clockwise" if side == "counterclockwise" else "counterclockwise"
    after = turned(
        figure, stores,
        in_facing(2, kind="set_reach", reach="foot", side=other),
        in_facing(2, kind="set_limits", bones=["left wing"], limits={"low": -10, "high": 20}),
    )  # fmt: skip
    assert turned_to(after, 2).reaches[0].side == other
    assert after.reaches[0].side == side
    assert turned_to(after, 2).bones[2].limits.high == 20
    assert after.bones[2].limits is None


def test_deleting_a_bone_or_a_part_on_one_facing_leaves_drawings_of_the_others(owl):
    figure, stores = owl
    after = turned(figure, stores, in_facing(2, **moved("left wing", (9, 9))), in_facing(3, **moved("beak", (9, 9))))
    gone = edited(after, stores, in_facing(3, kind="delete_bones", bones=["left wing"]))
    assert all(bone.name != "left wing" for n in (1, 2, 3) for bone in turned_to(gone, n).bones)
    wing = turned_to(gone, 2).part("p1")
    assert (
        wing.drawing.place == turned_to(after, 2).part("p1").drawing.place
    )  # its own drawing on the side is still there
    assert wing.binding == turned_to(gone, 1).part("p1").binding
    less = edited(after, stores, in_facing(2, kind="delete_parts", parts=["beak"]))
    assert all(turned_to(less, n).part("p4") is None for n in (1, 2, 3))


def test_every_facing_is_kept_in_an_archive_and_rescaled_with_the_figure(owl, tmp_path):
    figure, stores = owl
    after = turned(figure, stores, in_facing(2, kind="bind_weighted", parts=["left wing"], influences=["left wing"]))
    write_archive(tmp_path / "owl.zip", after, stores)
    again, theirs = read_archive(tmp_path / "owl.zip")
    assert again == after
    there = turned_to(again, 2)
    np.testing.assert_array_equal(
        compile_rig(there, theirs).evaluate(parse_pose({"left wing.turn": 30}).by_id(there)).vertices,
        compile_rig(turned_to(after, 2), stores).evaluate(parse_pose({"left wing.turn": 30}).by_id(there)).vertices,
    )
    larger = edited(after, stores, {"kind": "renew_sheet", "scale": 2.0})
    assert turned_to(larger, 2).part("p1").drawing.size[0] == pytest.approx(
        2 * figure.part("p1").drawing.size[0], abs=1
    )
    assert turned_to(larger, 2).bones[2].tip[1] == pytest.approx(2 * figure.bones[2].tip[1])


def test_five_make_eight_and_a_mirrored_one_is_worked_on_where_it_is_drawn(owl):
    figure, stores = owl
    five = edited(
        figure, stores, *({"kind": "add_facing", "name": name, "angle": angle} for name, angle in
                          (("half front", 45), ("side", 90), ("half back", 135), ("back", 180))),
    )  # fmt: skip
    eight = edited(five, stores, {"kind": "mirror_facings"})
    facings = eight.turnaround.facings
    assert [one.mirrors for one in facings] == [None] * 5 + [2, 3, 4]
    assert sorted(one.angle for one in facings) == [-135, -90, -45, 0, 45, 90, 135, 180]
    with pytest.raises(EditRefused, match="Every facing that can be mirrored"):
        apply_edit({"kind": "mirror_facings"}, eight, stores)
    after = edited(eight, stores, in_facing(6, **moved("left wing", (3, 0))))
    assert turned_to(after, 2) == turned_to(after, 6)
    seen = seen_from(after, 6)
    assert {part.id: part.name for part in seen.parts}["p1"] == "right wing"  # sides change places in names
    assert seen.bone(figure.bones[2].id).name == "right wing"
    pose = parse_pose({"left wing.turn": 25, "body 2.turn": -8}).by_id(figure)
    assert mirrored_pose(figure, mirrored_pose(figure, pose)) == pose
    kept = edited(after, stores, in_facing(6, kind="keep_pose", name="wave", pose={"left wing.turn": 25}))
    assert kept.poses[0].pose.channels == {f"{figure.bones[3].id}.turn": -25.0}
    assert seen_from(kept, 6).poses[0].pose.channels == {f"{figure.bones[2].id}.turn": 25.0}


def test_a_bound_limb_on_one_facing_stays_bound_otherwise_on_another(owl):
    figure, stores = owl
    after = turned(figure, stores, in_facing(2, kind="bind_rigid", parts=["left wing"], bone="body"))
    assert turned_to(after, 2).part("p1").binding == Rigid(bone=figure.bones[0].id)
    assert after.part("p1").binding == figure.part("p1").binding
    back = edited(after, stores, in_facing(2, kind="lend_parts", parts=["left wing"]))
    assert turned_to(back, 2).part("p1").binding == figure.part("p1").binding


def test_a_warp_laid_on_one_facing_is_not_on_the_others_and_what_drives_it_stays_known(owl):
    figure, stores = owl
    after = turned(figure, stores, in_facing(2, kind="lay_lattice", parts=["body"], columns=2, rows=3, name="belly"))
    assert not after.warps
    assert len(turned_to(after, 2).warps) == 1
    handle = turned_to(after, 2).handles[0].id
    after = edited(after, stores, {"kind": "lay_lever", "name": "breath"})
    after = edited(after, stores, in_facing(2, kind="drive", by="breath", channel=f"{handle}.shift.x", points=[[1, 5]]))
    lever = after.levers[0]
    assert lever.y.drives
    assert turned_to(after, 2).levers[0] == lever
    pose = parse_pose({"breath.lever.y": 1}).by_id(after)
    compile_rig(after, stores).evaluate(pose)  # the front has no such handle, and nothing is moved there
    there = compile_rig(turned_to(after, 2), stores)
    at_rest = there.evaluate().vertices.copy()
    assert np.abs(there.evaluate(pose).vertices - at_rest).max() > 1
    renamed = edited(after, stores, {"kind": "rename_part", "part": "beak", "name": "bill"})
    assert renamed.levers[0].y.drives


@pytest.mark.parametrize(
    ("edit", "says"),
    [
        ({"kind": "in_facing", "facing": 2, "edit": {"kind": "rename_figure", "name": "x"}}, "one side only"),
        ({"kind": "mirror_facings"}, "one side only"),
        ({"kind": "add_facing", "name": "x", "angle": 90, "mirrors": 1}, "no facing to mirror"),
        ({"kind": "add_facing", "name": "x", "angle": 900}, "incomplete or wrong"),
        ({"kind": "add_facing", "name": "x", "angle": 0}, "turned by 0° already"),
        ({"kind": "take_named_facings"}, "No part says"),
    ],
)
def test_bad_input_before_there_are_facings(owl, edit, says):
    figure, stores = owl
    with pytest.raises(EditRefused, match=says):
        apply_edit(edit, figure, stores)


@pytest.mark.parametrize(
    ("edit", "says"),
    [
        (in_facing(9, **moved("body", (1, 0))), "There is no facing 9; there are 1 .front., 2 .side."),
        (in_facing(2, kind="in_facing", facing=1, edit={}), "one facing at a time"),
        (in_facing(2, kind="what"), "no edit called"),
        ({"kind": "add_facing", "name": "side", "angle": 30}, "called “side” already"),
        ({"kind": "lift_facing", "facing": 1}, "it stays"),
        ({"kind": "set_facing", "facing": 2, "angle": 180}, "turned by 180"),
        ({"kind": "lend_parts", "parts": ["body"]}, "No other facing has a drawing"),
        ({"kind": "set_facing", "facing": 2, "angle": "nan"}, "incomplete or wrong"),
        ({"kind": "flip_bones", "bones": ["body"]}, "first facing"),
        (in_facing(3, kind="flip_bones", bones=["body"], flipped=False), "that way already"),
        (in_facing(3, kind="flip_bones", bones=["tail"]), "no bone"),
    ],
)
def test_bad_input_about_facings_is_refused_with_a_sentence(owl, edit, says):
    figure, stores = owl
    with pytest.raises(EditRefused, match=says):
        apply_edit(edit, turned(figure, stores), stores)


def test_a_facing_taken_away_leaves_no_channel_of_it(owl):
    figure, stores = owl
    after = turned(figure, stores)
    number = after.turnaround.id
    kept = edited(
        after, stores, {"kind": "keep_pose", "name": "from behind", "pose": {f"{number}.facing": 3, "body.turn": 5}}
    )
    lifted = edited(kept, stores, {"kind": "lift_facing", "facing": 3}, {"kind": "lift_facing", "facing": 2})
    assert lifted.turnaround is None
    assert list(lifted.poses[0].pose.channels) == [f"{figure.bones[0].id}.turn"]


def test_parts_named_as_facings_of_others_become_their_drawings_there():
    figure, stores = figure_of(
        {
            "head": drawn(capsule((200, 100), (200, 140), 30, 5)),
            "head side, facing of head": drawn(capsule((210, 100), (204, 150), 26, 5)),
            "body": drawn(capsule((200, 200), (200, 280), 40, 5)),
        }
    )
    after = edited(figure, stores, {"kind": "take_named_facings"})
    assert [part.name for part in after.parts] == ["head", "body"]
    side = turned_to(after, 2)
    assert side.turnaround.facing(2).angle == 90
    assert side.parts[0].drawing.picture == figure.parts[1].drawing.picture
    assert side.parts[0].visible
    assert after.parts[0].drawing.picture == figure.parts[0].drawing.picture


def around(figure, stores, radius=60.0):
    """The owl with bones of its own on four sides, whose joints go round the upright, and the mirror pictures."""
    figure = edited(
        figure, stores, *({"kind": "add_facing", "name": name, "angle": angle} for name, angle in
                          (("half front", 45), ("side", 90), ("back", 180))),
    )  # fmt: skip
    edits = []
    for number, angle in ((1, 0), (2, 45), (3, 90), (4, 180)):
        for name, s in (("left wing", -1), ("right wing", 1)):
            spot = [s * radius * np.cos(np.radians(angle)), -150]
            tip = [spot[0] + (20 if s > 0 else -20), -60]
            edits.append(in_facing(number, kind="move_joint", bone=name, to=spot, apart=True))
            edits.append(in_facing(number, kind="move_joint", bone=name, end="tip", to=tip))
    return edited(figure, stores, *edits)


def test_joints_that_go_round_the_upright_are_nothing_to_tell_and_one_that_jumps_is_told_where_and_how_far(owl):
    figure, stores = owl
    round_about = around(figure, stores)
    wings = {bone.id for bone in figure.bones if "wing" in bone.name}
    assert not [one for one in turnaround_findings(round_about) if set(one.bones) & wings]
    off = edited(round_about, stores, in_facing(2, kind="move_joint", bone="left wing", to=[-42.4, -118], apart=True))
    told = [one for one in turnaround_findings(off) if set(one.bones) & wings]
    assert [one.sentence for one in told] == [
        "The joint of “left wing” lies 32 px lower on “half front” than the others say."
    ]
    beside = edited(round_about, stores, in_facing(2, kind="move_joint", bone="left wing", to=[-2.4, -150], apart=True))
    (one,) = [one for one in turnaround_findings(beside) if set(one.bones) & wings]
    assert "40 px further right on “half front”" in one.sentence
    mirrored = edited(beside, stores, {"kind": "mirror_facings"})  # where the right wing has the left one's fault
    assert [one.sentence for one in turnaround_findings(mirrored) if set(one.bones) & wings] == [one.sentence]
    mended = edited(off, stores, dict(told[0].remedies[0].edit))
    assert mended.turnaround.shown == 1
    joint = next(bone.joint for bone in turned_to(mended, 2).bones if bone.name == "left wing")
    assert joint == pytest.approx((-42.43, -150), abs=0.02)


def test_a_new_side_gets_its_bones_from_the_others_by_the_circle_each_joint_goes(owl):
    """x(θ) = a cos θ + b sin θ: orthographic projection of a turntable."""
    figure, stores = owl
    after = edited(around(figure, stores), stores, {"kind": "add_facing", "name": "half back", "angle": 135})
    placed = edited(after, stores, {"kind": "line_up", "facing": 5, "without_art": True})
    joints = {bone.name: bone.joint for bone in turned_to(placed, 5).bones}
    assert joints["right wing"] == pytest.approx((60 * np.cos(np.radians(135)), -150), abs=0.02)
    assert turned_to(placed, 5).parts[0].drawing.picture == figure.parts[0].drawing.picture


def test_a_part_that_is_much_taller_on_one_side_is_told_and_one_that_follows_nothing_there(owl):
    figure, stores = owl
    after = turned(
        figure, stores,
        in_facing(2, kind="turn_part", part="body", scale=[1.3, 1.3]),
        in_facing(3, kind="unbind", parts=["left wing"]),
    )  # fmt: skip
    told = turnaround_findings(after)
    assert any("“body” is" in one.sentence and "taller on the facing “side”" in one.sentence for one in told)
    (one,) = [one for one in told if "follows nothing on “back”" in one.sentence]
    bound = edited(after, stores, dict(one.remedies[0].edit))
    assert turned_to(bound, 3).part("p1").binding == figure.part("p1").binding


def test_a_facing_drawn_beside_where_the_figure_stands_is_lined_up_at_once(owl):
    figure, stores = owl
    off = edited(
        around(figure, stores), stores,
        *(in_facing(2, **moved(part.name, (25, -12))) for part in figure.parts),
        *(in_facing(2, kind="move_joint", bone=bone.name, to=[bone.joint[0] + 25, bone.joint[1] - 12], apart=True)
          for bone in turned_to(around(figure, stores), 2).bones),
    )  # fmt: skip
    lined = edited(off, stores, {"kind": "line_up", "facing": 2})
    there, was = turned_to(lined, 2), turned_to(around(figure, stores), 2)
    assert there.part("p1").drawing.place == pytest.approx(was.part("p1").drawing.place, abs=3)
    assert lined.parts == off.parts  # the front stays


def test_a_mirrored_facing_is_painted_as_the_mirror_picture_and_deliveries_show_the_facing_of_their_pose(owl, tmp_path):
    figure, stores = owl
    after = edited(around(figure, stores), stores, {"kind": "mirror_facings"})
    number = next(one.number for one in after.turnaround.facings if one.mirrors == 2)
    pose = parse_pose({"left wing.turn": 40, "body.turn": 6}).by_id(after)
    one = facing_picture(after, 2, stores, mirrored_pose(after, pose))
    np.testing.assert_array_equal(one[:, ::-1], facing_picture(after, number, stores, pose))
    shown = pose.merged(parse_pose({f"{after.turnaround.id}.facing": number}))
    there = pose_picture(after, stores, shown)
    assert not np.array_equal(there, pose_picture(after, stores, pose))
    source = mirrored_pose(after, pose).merged(parse_pose({f"{after.turnaround.id}.facing": 2}))
    mirror = pose_picture(after, stores, source)[:, ::-1]
    off = 400 - 2 * round(figure.sheet.standing_point[0])  # the mirror stands where the figure does, not in the middle
    unlike = np.abs(np.roll(there, off, 1)[:, 40:-40].astype(int) - mirror[:, 40:-40]).max(2)
    assert (unlike > 8).sum() == 0
    deliver(tmp_path / "owl.turnaround.png", DeliveryOrder(after, stores))
    assert decode_png((tmp_path / "owl.turnaround.png").read_bytes()).shape[1] > 2000
    deliver(tmp_path / "owl.ora", DeliveryOrder(after, stores, pose=shown))


def test_a_motion_may_turn_the_figure_and_a_spring_goes_on_through_it(owl):
    figure, stores = owl
    figure = edited(figure, stores, {"kind": "set_spring", "bone": "left wing", "frequency": 2.0, "damping_ratio": 0.2, "gravity": 0})  # fmt: skip
    after = edited(around(figure, stores), stores, {"kind": "mirror_facings"})
    facing = f"{after.turnaround.id}.facing"
    kept = edited(after, stores, {"kind": "keep_pose", "name": "away", "pose": {"body.turn": 30, facing: 3}})
    motion = next(one for one in motions_of(kept) if one.name == "into away")
    seen, bare = [], []
    for rig, frame, mirrored in play_around(kept, stores, motion):
        seen.append(rig.program.figure.turnaround.shown)
        assert not mirrored
        bare.append(frame.matrices[2].copy())
    assert set(seen) == {1, 3}
    changes = np.flatnonzero(np.diff(seen))
    assert len(changes) == 2  # there and back, each at once
    alone = [frame.matrices[2].copy() for frame in play(compile_rig(turned_to(kept, 3), stores), motion)]
    inside = slice(changes[0] + 1, changes[1] + 1)
    np.testing.assert_allclose(bare[inside], alone[inside], atol=1e-6)  # as if it had been seen all along


def test_what_rides_in_a_circle_is_carried_by_nothing_and_turning_ends(owl):
    figure, stores = owl
    spot = at(figure, (200, 200))[0]
    round_about = figure.replace(
        parts=tuple(
            part.model_copy(update={"binding": Rider(carrier={"p1": "p4", "p4": "p1"}[part.id], spot=spot)})
            if part.id in ("p1", "p4")
            else part
            for part in figure.parts
        )
    )
    after = turned(round_about, stores, in_facing(2, **moved("body", (1, 0))))
    assert turned_to(turned_to(after, 2), 1) == after
    assert carrying({part.id: part for part in after.parts}, after.parts[0]) is None


def test_a_pose_may_name_a_handle_that_only_another_side_has(owl):
    figure, stores = owl
    after = turned(figure, stores, in_facing(2, kind="lay_lattice", parts=["body"], columns=2, rows=3, name="belly"))
    handle, facing = turned_to(after, 2).handles[0].id, f"{after.turnaround.id}.facing"
    shown = pose_picture(after, stores, parse_pose({f"{handle}.shift.x": 40, facing: 2}))
    plain = pose_picture(after, stores, parse_pose({facing: 2}))
    front = pose_picture(after, stores, parse_pose({f"{handle}.shift.x": 40}))
    assert np.abs(shown.astype(int) - plain).max() > 100
    np.testing.assert_array_equal(front, pose_picture(after, stores, Pose()))


def test_a_limb_is_lined_up_with_what_rides_on_it_and_the_rest_stays(owl):
    figure, stores = owl
    figure = edited(
        figure, stores,
        {"kind": "bind_rider", "parts": ["beak"], "carrier": "left wing", "spot": at(figure, (130, 200))[0]},
    )  # fmt: skip
    there = around(figure, stores)
    off = edited(there, stores, in_facing(2, kind="move_joint", bone="left wing", to=[-42.4, -110], apart=True))
    lined = edited(off, stores, {"kind": "line_up", "facing": 2, "bones": ["left wing"]})
    was, now = turned_to(off, 2), turned_to(lined, 2)
    for ref, by in (("p1", -40), ("p4", -40), ("p2", 0), ("p3", 0)):
        assert now.part(ref).drawing.place[1] - was.part(ref).drawing.place[1] == pytest.approx(by, abs=0.5), ref
    assert lined.parts == off.parts


def flipped(figure, stores, number=3):
    """A back seen from behind: its wings, drawn on the other side, turn the other way round."""
    return edited(figure, stores, in_facing(number, kind="flip_bones", bones=["left wing"]))


def wing(figure, stores, pose):
    """Where the left wing points in a pose, rad."""
    rig = compile_rig(figure, stores)
    rig.evaluate(pose)
    row = rig.program.bone_index[next(bone.id for bone in figure.bones if bone.name == "left wing")]
    return rig.angles[row]


def test_what_turns_a_flipped_wing_on_the_first_facing_turns_it_the_other_way_round_on_that_one(owl):
    figure, stores = owl
    lever = [
        {"kind": "lay_lever", "name": "flap", "hangs_on": "left wing", "place": [-90.0, -100.0]},
        {"kind": "drive", "by": "flap", "channel": "left wing.turn", "points": [[0.3, 8], [1, 40]]},
        {"kind": "keep_pose", "name": "up", "pose": {"left wing.turn": 35, "body.turn": 5, "left wing.move.y": 7}},
        {"kind": "lay_reach", "tip": "left wing", "name": "tip", "bones": 2},
        {"kind": "set_limits", "bones": ["left wing"], "limits": {"low": -20, "high": 60}},
    ]
    figure = flipped(turned(edited(figure, stores, *lever), stores), stores)
    back = turned_to(figure, 3)
    ref = next(bone.id for bone in figure.bones if bone.name == "left wing")
    assert [bone.id for bone in back.bones if bone.flipped] == [ref]
    assert back.poses[0].pose.channels[f"{ref}.turn"] == -35  # told as it is seen there
    assert figure.poses[0].pose.channels[f"{ref}.turn"] == 35
    assert back.poses[0].pose.channels[f"{ref}.move.y"] == 7
    assert (back.bones[[b.id for b in back.bones].index(ref)].limits.low) == -60
    assert back.reaches[0].side != figure.reaches[0].side
    joint = next(bone.joint[0] for bone in back.bones if bone.id == ref)
    assert back.levers[0].place[0] - joint == pytest.approx(joint + 90.0)  # as far beside it on the other side
    assert ref not in on_loan(back)
    assert back.levers[0].id in on_loan(back)
    for pose in ({"left wing.turn": 35.0}, {"flap.lever.y": 0.5}):
        pose = parse_pose({**pose, "tip.share": 0}).by_id(figure)
        there = side_in(figure, pose.merged(Pose(channels={f"{figure.turnaround.id}.facing": 3})))
        front, behind = wing(figure, stores, pose), wing(there.figure, stores, there.pose)
        assert front == pytest.approx(-behind, abs=1e-9)
        assert abs(front) > 0.2
    assert turned_to(figure, 2).reaches[0].side == figure.reaches[0].side  # lent or not, where nothing is flipped
    assert turned_to(back, 1) == figure  # nothing is lost on the way


def test_a_motion_turns_a_flipped_wing_the_other_way_round_and_drives_by_its_turn_stay(owl):
    figure, stores = owl
    driven = {"kind": "drive", "by": "left wing", "channel": "body 2.turn", "points": [[10, 4], [40, 24]]}
    figure = flipped(turned(edited(figure, stores, driven), stores), stores)
    kept = edited(figure, stores, {"kind": "keep_pose", "name": "up", "pose": {"left wing.turn": 30}})
    motion = next(one for one in motions_of(kept) if one.name == "into up")
    tips = {}
    for number in (1, 3):
        frames = [frame.matrices.copy() for _, frame, _ in play_around(kept, stores, motion, facing=number)]
        tips[number] = np.array([[math.atan2(*one[[1, 0]]) for one in frame] for frame in frames])
    names = [bone.name for bone in figure.bones]
    for name, sign in (("left wing", -1), ("body 2", 1), ("right wing", 1)):
        row = names.index(name)
        np.testing.assert_allclose(tips[3][:, row], sign * tips[1][:, row], atol=1e-6)
    assert np.abs(tips[1][:, names.index("body 2")]).max() > math.radians(10)


def test_limbs_that_lie_the_other_way_round_are_told_and_flipped_with_one_click(owl):
    figure, stores = owl
    kept = {"kind": "keep_pose", "name": "up", "pose": {"left wing.turn": 30}}
    figure = turned(edited(figure, stores, kept), stores)
    back = turned_to(figure, 3)
    middle = {bone.name: bone for bone in back.bones}["body"].joint[0]

    def other(at):
        return 2 * middle - at[0], at[1]

    bones = tuple(one.model_copy(update={"joint": other(one.joint), "tip": other(one.tip)}) for one in back.bones)
    figure = turned_to(back.model_copy(update={"bones": bones}), 1)
    found = list(turned_wrongly(figure, stores))
    assert ["“back”" in one.sentence for one in found] == [
        True
    ]  # the side shows nothing of its own that lies otherwise
    after = apply_edit(found[0].remedies[0].edit, figure, stores)
    assert not list(turned_wrongly(after, stores))
    assert all(bone.flipped for bone in turned_to(after, 3).bones)
    assert not list(turned_wrongly(apply_edit(found[0].remedies[1].edit, figure, stores), stores))
