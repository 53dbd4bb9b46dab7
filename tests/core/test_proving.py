"""A rig proved: what fails is named where it fails, what is well is not, and nothing is read twice."""

from __future__ import annotations

import json

import numpy as np
import pytest
from click.testing import CliRunner

from kunstgriff.artwork.sheet import no_progress
from kunstgriff.cli import cli
from kunstgriff.delivery.proof import as_html, comparison, known_from, proven, verdict, worst_shakes
from kunstgriff.evaluate.state import compile_rig
from kunstgriff.figure.archive import read_archive, write_archive
from kunstgriff.figure.edit import EditRefused
from kunstgriff.figure.pose import Pose
from kunstgriff.reading.proving import Prover, everything
from kunstgriff.reading.strain import StrainReader
from kunstgriff.trial.cells import RangeSheet, cells_of, shaken
from kunstgriff.trial.feet import foot_faults
from kunstgriff.trial.keys import pose_on
from kunstgriff.trial.motion import motion_named
from tests.art import at, capsule, drawn, edited, figure_of, two_piece_arm
from tests.core.test_feet import strider


def limb():
    """One drawn piece on two bones."""
    figure, stores = figure_of({"limb": drawn(capsule((100, 60), (100, 340), 40, 4))})
    return edited(
        figure, stores, {"kind": "draw_chain", "name": "limb", "joints": at(figure, (100, 60), (100, 200), (100, 340))},
        {"kind": "bind_weighted", "parts": ["limb"], "count": 240},
    ), stores  # fmt: skip


def arms():
    """Two arms of two pieces each, far from one another."""
    shapes, joints = {"body": drawn(capsule((60, 200), (340, 200), 12, 3))}, {}
    for name, x in (("near", 60), ("far", 340)):
        joints[name] = [(x, 200), (x, 290), (x, 380)]
        shapes[f"{name} upper"] = drawn(capsule((x, 200), (x, 290), 14, 3))
        shapes[f"{name} lower"] = drawn(capsule((x, 290), (x, 380), 12, 3))
    figure, stores = figure_of(shapes)
    edits = [{"kind": "draw_chain", "name": "body", "joints": at(figure, (200, 200), (200, 150))},
             {"kind": "bind_rigid", "parts": ["body"], "bone": "body"}]  # fmt: skip
    for name, spots in joints.items():
        edits += [
            {"kind": "draw_chain", "name": name, "parent": "body", "joints": at(figure, *spots)},
            {"kind": "bind_rigid", "parts": [f"{name} upper"], "bone": name},
            {"kind": "bind_rigid", "parts": [f"{name} lower"], "bone": f"{name} 2"},
        ]
    return edited(figure, stores, *edits), stores


def quiet(done, total, stage):
    """No one looks."""


def rows_of(figure, stores, **more):
    return {row["name"]: row for row in proven(figure, stores, quiet, **more)}


@pytest.fixture(scope="module")
def arm():
    figure, stores = two_piece_arm()
    lower = figure.bones[1].name
    return edited(figure, stores, {"kind": "set_limits", "bones": [lower], "limits": {"low": -30, "high": 100}}), stores


def test_an_untreated_joint_fails_and_a_treated_one_does_not(arm):
    figure, stores = arm
    lower = figure.bones[1].name
    bare = rows_of(figure, stores)
    assert bare[lower]["fails"]
    assert "line across" in bare[lower]["faults"][0]["words"]
    covered = rows_of(edited(figure, stores, {"kind": "lay_cover", "bone": lower}), stores)
    assert not [one for one in covered[lower]["faults"] if "line across" in one["words"]]


def test_what_poses_and_motions_use_counts_in_full_and_what_lies_beyond_is_a_limit():
    figure, stores = limb()
    figure = edited(figure, stores, {"kind": "set_limits", "bones": ["limb 2"], "limits": {"low": 0, "high": 170}})
    far = rows_of(figure, stores)["limb 2"]
    assert far["fails"]  # nothing says that it is not used so far
    assert {one["begins"] for one in far["faults"]} == {170.0}
    little, much = (
        rows_of(edited(figure, stores, {"kind": "keep_pose", "name": "bent", "pose": {"limb 2.turn": turn}}), stores)
        for turn in (10, 170)
    )
    assert little["limb 2"]["limit"]
    assert not little["limb 2"]["fails"]
    assert verdict(list(little.values())).startswith("Nothing that the figure is used for fails")
    assert much["limb 2"]["fails"]
    assert much["bent"]["fails"]


def test_every_joint_control_and_pose_has_a_cell_and_the_motion_goes_into_each():
    figure, stores = strider()
    figure = edited(
        figure, stores, {"kind": "lay_lever", "name": "nod", "axes": "y"},
        {"kind": "drive", "by": "nod", "axis": "y", "channel": "hips.turn", "points": [[1, 10], [-1, -10]]},
        {"kind": "keep_pose", "name": "down", "pose": {"hips.move.y": 20}},
    )  # fmt: skip
    cells = cells_of(figure)
    assert {(cell.kind, cell.name) for cell in cells} >= {
        ("joint", "near 2"), ("reach", "near foot drawn in"), ("lever", "nod low"), ("lever", "nod high"), ("pose", "down")
    }  # fmt: skip
    rig, sheet = compile_rig(figure, stores), RangeSheet(figure)
    span = sheet.seconds / len(cells)
    for number, cell in enumerate(cells):
        (row,) = sheet.course(rig.program, np.array([(number + 0.5) * span]))
        for address, value in cell.pose.channels.items():
            assert row[rig.program.channels.index[address]] == pytest.approx(value), cell
    assert motion_named(figure, "range sheet").seconds == sheet.seconds


def test_random_poses_lie_within_limits_evenly_spread_and_are_the_same_for_a_seed():
    figure, _ = strider()
    figure = edited(figure, _, {"kind": "set_limits", "bones": ["near 2"], "limits": {"low": -5, "high": 120}})
    cells = shaken(figure, 40, seed=3)
    ref = next(bone.id for bone in figure.bones if bone.name == "near 2")
    turns = np.sort([cell.pose.channels[f"{ref}.turn"] for cell in cells])
    # each fortieth of the range has one: that is what a Latin hypercube is (McKay, Beckman, Conover 1979)
    np.testing.assert_array_equal(np.floor((turns + 5) / 125 * 40), np.arange(40))
    assert cells == shaken(figure, 40, seed=3)
    assert cells != shaken(figure, 40, seed=4)
    with pytest.raises(EditRefused, match="1 to 2,000"):
        shaken(figure, 0)


def test_folds_and_what_is_left_behind_are_seen_in_any_pose_and_a_mirror_is_no_fold():
    figure, stores = limb()
    rig = compile_rig(figure, stores)
    reader, ref = StrainReader(rig), figure.parts[0].id
    names = [bone.id for bone in figure.bones]

    def read(**channels):
        rig.evaluate(Pose(channels={name.replace("__", "."): value for name, value in channels.items()}))
        (one,) = reader.read()
        return one, [words for _, words in one.misses("limb")]

    assert read()[0].area == pytest.approx(1)
    assert read()[1] == []
    assert read(**{f"{names[1]}__turn": 60})[1] == []
    assert read(**{f"{ref}__size.x": -1})[1] == []
    assert any("folds over" in one for one in read(**{f"{names[1]}__turn": 175})[1])
    assert any("leaves something behind" in one for one in read(**{f"{names[1]}__move.y": 1500})[1])


def test_a_report_is_gone_on_from_and_only_what_changed_is_read_again(arm, tmp_path, monkeypatch):
    figure, stores = arm
    rows = proven(figure, stores, quiet, shakes=3)
    known, read = {row["mark"]: row for row in rows}, []
    plain = Prover.read
    monkeypatch.setattr(Prover, "read", lambda self, cell: (read.append(cell.name), plain(self, cell))[1])
    assert proven(figure, stores, quiet, shakes=3, known=known) == rows
    assert read == []
    more = edited(figure, stores, {"kind": "keep_pose", "name": "bent", "pose": {f"{figure.bones[1].name}.turn": 40}})
    again = proven(more, stores, quiet, shakes=3, known=known)
    assert "bent" in read
    assert len(read) <= 2  # the new pose, and the joint that is used further now
    assert len(again) == len(rows) + 1
    assert len(everything(figure, 3)) == len(rows)


def test_a_page_tells_all_without_other_files_and_an_old_report_that_is_none_is_made_anew(arm, tmp_path):
    figure, stores = arm
    rows = proven(figure, stores, quiet, shakes=4)
    page = as_html(figure.replace(name="<Arm & Co>"), rows)
    assert "&lt;Arm &amp; Co&gt;" in page
    assert "<Arm" not in page
    assert "http" not in page
    assert page.count("<img") >= len(rows)
    assert verdict(rows) in page
    assert all(one["kind"] == "shake" for one in worst_shakes(rows))
    for text in ("", "[]", "{", '{"cells": [1]}', '{"cells": [{"mark": 1}]}'):
        (tmp_path / "old.json").write_text(text)
        assert known_from(tmp_path / "old.json") == {}
    assert known_from(tmp_path / "none.json") == {}


def test_the_shell_proves_keeps_the_worst_and_ends_with_1_where_something_fails(arm, tmp_path):
    figure, stores = arm
    write_archive(tmp_path / "arm.zip", figure, stores)
    asked = ["prove", str(tmp_path / "arm.zip"), "-o", str(tmp_path / "report.html"), "--shake", "6", "--workers", "2"]
    done = CliRunner().invoke(cli, [*asked, "--keep-worst", str(tmp_path / "worst.zip")])
    assert done.exit_code == 1, done.output
    assert "line across" in done.output
    assert (tmp_path / "report.html").read_text().startswith("<!doctype html>")
    report = json.loads((tmp_path / "report.json").read_text())
    assert {row["name"] for row in report["cells"]} >= {"shake 1.1", "shake 1.6"}
    worst, _ = read_archive(tmp_path / "worst.zip")
    assert any(kept.name.startswith("shake 1.") for kept in worst.poses)
    refused = CliRunner().invoke(cli, ["prove", str(tmp_path / "arm.zip"), "-o", str(tmp_path / "report.pdf")])
    assert refused.exit_code == 1
    assert "html or .json" in refused.output


def test_the_course_rests_crouches_jumps_walks_eight_steps_and_stops_and_no_foot_slides():
    figure, stores = strider()
    after = edited(figure, stores, {"kind": "make_course"})
    motion, rig = after.motions[0], compile_rig(after, stores)
    words = [mark.words for mark in motion.marks]
    assert words[:5] == ["rest", "crouch", "jump", "land", "walk"]
    assert 8 <= sum(word.endswith("down") for word in words) <= 9
    hips = {
        word: pose_on(rig.program, motion, mark.at).channels for word, mark in zip(words, motion.marks, strict=True)
    }
    high = next(name for name in hips["crouch"] if name.endswith("move.y"))
    assert hips["crouch"][high] > 40
    assert pose_on(rig.program, motion, 30).channels[high] < -50  # in the air
    assert not foot_faults(rig, motion_named(after, "course"), stores)
    two = edited(after, stores, {"kind": "make_course"})
    assert [one.name for one in two.motions] == ["course", "course 2"]


def test_figures_without_legs_say_so():
    figure, stores = two_piece_arm()
    with pytest.raises(EditRefused, match="lay a reach on each leg"):
        edited(figure, stores, {"kind": "make_course"})


def test_two_revisions_are_compared_over_a_motion_and_what_reads_worse_is_named(arm, tmp_path):
    figure, stores = arm
    lower = figure.bones[1].name
    covered = edited(figure, stores, {"kind": "lay_cover", "bone": lower})
    write_archive(tmp_path / "one.zip", covered, stores)
    asked = ["compare", str(tmp_path / "one.zip"), str(tmp_path / "one.zip"), "-o", str(tmp_path / "c.json")]
    done = CliRunner().invoke(cli, asked)
    assert done.exit_code == 0, done.output
    data = json.loads((tmp_path / "c.json").read_text())
    assert data["apart"] == 0
    assert data["cells"] == []
    assert len(data["frames"]) == 96
    page, data = comparison((covered, stores), (figure, stores), None, no_progress)
    played = json.loads(page.split('id="frames">')[1].split("</script>")[0])  # all of it is there to be played
    assert len(played["pictures"]) == len(played["words"]) == len(data["frames"]) == 96
    assert played["rate"] == data["rate"] == 24
    row = next(one for one in data["cells"] if one["name"] == lower)
    assert row["after"] > row["before"] + 1
    assert max(one["otherwise"] for one in data["frames"]) > 10


def test_what_changes_at_one_leg_lets_the_cells_of_what_is_far_from_it_be(monkeypatch):
    figure, stores = arms()
    known, read = {row["mark"]: row for row in proven(figure, stores, quiet)}, []
    plain = Prover.read
    monkeypatch.setattr(Prover, "read", lambda self, cell: (read.append(cell.name), plain(self, cell))[1])
    limits = {"kind": "set_limits", "bones": ["near 2"], "limits": {"low": -20, "high": 90}}
    proven(edited(figure, stores, limits), stores, quiet, known=known)
    assert set(read) == {"near", "near 2"}
    read.clear()
    cut = {"kind": "set_tolerances", "tolerances": {"gap": 5.0}}
    proven(edited(figure, stores, cut), stores, quiet, known=known)
    assert {"near 2", "far 2"} <= set(read)  # by another measure all is read again


def test_each_facing_is_read_on_its_own_and_what_it_has_on_loan_is_not_read_again(arm, monkeypatch):
    figure, stores = arm
    side = {"kind": "add_facing", "name": "back", "angle": 180}
    figure = edited(figure, stores, {"kind": "lay_cover", "bone": "arm 2"}, side)
    reads, read = [], Prover.read
    monkeypatch.setattr(Prover, "read", lambda self, cell: reads.append(cell.name) or read(self, cell))
    rows = proven(figure, stores, quiet)
    names = [row["name"] for row in rows if not row["side"]]
    assert [row["name"] for row in rows if row["side"]] == [f"back: {name}" for name in names]
    assert len(reads) == len(names)
    away = {"kind": "move_parts", "parts": ["forearm"], "by": [0, 18]}
    apart = edited(figure, stores, {"kind": "in_facing", "facing": 2, "edit": away})
    after = {row["name"]: row["worst"] for row in proven(apart, stores, quiet)}
    before = {row["name"]: row["worst"] for row in rows}
    assert after["back: arm 2"] > before["back: arm 2"] + 1
    assert after["arm 2"] == before["arm 2"]
