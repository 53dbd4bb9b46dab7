"""Laid-on shapes and correctives as edits: pulled at, refused in sentences, taken over by new meshes and new drawings."""

from __future__ import annotations

import numpy as np
import pytest

from kunstgriff.artwork.rescaling import rescaled
from kunstgriff.evaluate.program import compile_program
from kunstgriff.evaluate.state import RigState, compile_rig
from kunstgriff.figure.archive import ArchiveRefused, read_archive, write_archive
from kunstgriff.figure.controls import Axis, Drive, Knot, Lever, Shape
from kunstgriff.figure.edit import EditRefused, apply_edit
from kunstgriff.figure.model import KeptPose
from kunstgriff.figure.pose import parse_pose
from kunstgriff.figure.renewal import redrawn
from tests.art import at, capsule, drawn, edited, figure_of
from tests.core.test_stale import walk
from tests.outside.test_correctives import arm

BENT = {"arm 2.turn": 80.0}


def pulled(into="elbow", pose=BENT, by=(0.0, 12.0), **more):
    """The arm with a corrective of its elbow, pulled at where the bend is."""
    figure, stores = arm()
    figure = edited(
        figure, stores, {"kind": "make_corrective", "bones": ["arm 2"], "name": "elbow"}, *more.get("first", ())
    )
    return figure, stores, {"kind": "pull", "into": into, "pose": dict(pose), "parts": ["arm"],
                            "start": at(figure, (200, 168))[0], "by": by, "radius": 50.0}  # fmt: skip


def departures(figure, without, stores, pose):
    """How far (n,) each vertex lies from where it lies without the controls, px."""
    named = parse_pose(pose).by_id(figure)
    plain = named.without([one.id for one in (*figure.shapes, *figure.levers)])
    now, bare = compile_rig(figure, stores).evaluate(named), compile_rig(without, stores).evaluate(plain)
    return np.linalg.norm(now.vertices - bare.vertices, axis=1)


@pytest.mark.parametrize(
    ("changes", "told"),
    [
        ({"pose": {}}, "At rest a corrective does nothing"),
        ({"into": "knee"}, "no corrective “knee”"),
        ({"parts": ["leg"]}, "leg"),
        ({"start": (9000, 9000)}, "Nothing of these parts lies there"),
        ({"radius": 0}, "radius"),
        ({"by": (float("inf"), 0)}, "finite"),
        ({"into": "smile"}, "not laid on here"),
        ({"kind": "make_corrective", "bones": ["arm", "arm"]}, "is one bone"),
        ({"kind": "make_corrective", "bones": ["tail"]}, "no bone"),
        ({"kind": "forget_sample", "corrective": "elbow", "at": [33]}, "no sample at 33°"),
        ({"kind": "make_shape", "name": "x", "pose": {"smile.amount": 1, "x.turn": 4}}, "does not have"),
        ({"kind": "lift_shape", "shape": "frown"}, "no shape “frown”"),
        ({"kind": "set_shape", "shape": "smile", "high": 5}, "high"),
    ],
)
def test_what_cannot_be_pulled_or_laid_on_is_refused_in_a_sentence(changes, told):
    figure, stores, pull = pulled(first=[{"kind": "make_shape", "name": "smile"}])
    edit = changes if "kind" in changes else pull | changes
    with pytest.raises(EditRefused, match=told):
        apply_edit(edit, figure, stores)


def test_only_the_line_is_pulled_where_lines_are_meant_and_the_fill_stays():
    figure, stores, pull = pulled()
    whole, lines = (apply_edit(pull | {"lines": one}, figure, stores) for one in (False, True))
    rest = compile_rig(figure, stores).program.rest
    inside = np.abs(rest[:, 1] - np.median(rest[:, 1])) < 14  # of a limb 64 px wide with a line of 6
    moved, drawn = (departures(one, figure, stores, BENT) for one in (whole, lines))
    assert moved[inside].max() > 0.5
    assert drawn[inside].max() < 0.05
    outline = (np.abs(rest[:, 1] - np.median(rest[:, 1])) > 27) & (moved > 1)
    assert outline.sum() > 3
    np.testing.assert_allclose(drawn[outline], moved[outline], rtol=0.05)
    with pytest.raises(EditRefused, match="No line of these parts"):
        apply_edit(pull | {"lines": True, "start": at(figure, (120, 200))[0], "radius": 8.0}, figure, stores)


def test_shapes_that_lay_each_other_on_are_refused():
    figure, stores, _ = pulled(first=[{"kind": "make_shape", "name": "a"}])
    figure = edited(figure, stores, {"kind": "make_shape", "name": "b", "pose": {"a.amount": 1}},
                    {"kind": "lay_lever", "name": "lever"},
                    {"kind": "drive", "by": "lever", "channel": "b.amount", "points": [[1, 1]]})  # fmt: skip
    shape = figure.shapes[0]
    with pytest.raises(EditRefused, match="circle"):
        edited(figure, stores, {"kind": "set_shape", "shape": "a", "like": "mouth"},
               {"kind": "set_shape", "shape": "b", "like": "mouth"})  # fmt: skip
    rig = compile_rig(figure, stores)
    rig.set_pose(parse_pose({"lever.lever.y": 0.5}).by_id(figure))
    assert rig.values[rig.program.channels.index[f"{shape.id}.amount"]] == pytest.approx(0.5, abs=0.2)


def test_a_corrective_is_taken_over_by_another_mesh_another_size_and_the_archive(tmp_path):
    bare, stores, pull = pulled()
    figure = apply_edit(pull, bare, stores)
    most = departures(figure, bare, stores, BENT).max()
    assert most > 8
    for count in (120, 900):  # a mesh made anew with other vertices
        anew, plain = (
            edited(one, stores, {"kind": "bind_weighted", "parts": ["arm"], "count": count}) for one in (figure, bare)
        )
        assert departures(anew, plain, stores, BENT).max() == pytest.approx(most, rel=0.12)
    twice, plain = (rescaled(one, 2.0, stores) for one in (figure, bare))
    assert departures(twice, plain, stores, BENT).max() == pytest.approx(2 * most, rel=0.02)
    write_archive(tmp_path / "arm.zip", figure, stores)
    read, held = read_archive(tmp_path / "arm.zip")
    assert read.correctives == figure.correctives
    assert departures(read, bare, held, BENT).max() == pytest.approx(most)


def test_a_redrawn_arm_keeps_its_corrective_and_a_part_that_goes_takes_its_own_along():
    bare, stores, pull = pulled()
    figure = apply_edit(pull, bare, stores)
    most = departures(figure, bare, stores, BENT).max()
    other, held = figure_of({"arm": drawn(capsule((60, 200), (340, 200), 37, 6))})  # a little stouter
    drawing = other.parts[0].drawing
    assert drawing.size != figure.parts[0].drawing.size
    stores.put_picture(held.get_picture(drawing.picture))
    anew, plain = (redrawn(one, one.parts[0].model_copy(update={"drawing": drawing}), stores) for one in (figure, bare))
    assert departures(anew, plain, stores, BENT).max() == pytest.approx(most, rel=0.12)
    gone = figure.without([figure.parts[0].id])
    assert not any(sample.sculpts for one in gone.correctives for sample in one.samples)
    assert not edited(figure, stores, {"kind": "delete_bones", "bones": ["arm 2"]}).correctives


def test_half_of_a_shape_is_half_of_what_was_pulled_and_a_pose_keeps_it():
    bare, stores, _ = pulled(first=[{"kind": "make_shape", "name": "swell", "low": -1}])
    _, _, pull = pulled()
    figure = apply_edit(pull | {"into": "swell", "pose": {"swell.amount": 0.5}, "by": (0.0, -6.0)}, bare, stores)
    whole, half, less = (
        departures(figure, bare, stores, {"swell.amount": amount}).max() for amount in (1.0, 0.5, -0.5)
    )
    assert half == pytest.approx(6.0, rel=0.05)  # it was pulled by 6 px where it was half laid on
    assert whole == pytest.approx(2 * half, rel=1e-3)
    assert less == pytest.approx(half, rel=1e-3)
    pose = KeptPose(name="swollen", pose=parse_pose({"swell.amount": 1}).by_id(figure))
    lifted = edited(figure.replace(poses=(pose,)), stores, {"kind": "lift_shape", "shape": "swell"})
    assert not lifted.poses[0].pose.channels


def test_only_what_changed_is_worked_out_anew_with_correctives_shapes_levers_and_turns():
    bare, stores, pull = pulled(first=[{"kind": "make_shape", "name": "swell", "pose": {"arm.turn": 4}}])
    figure = edited(
        bare, stores, pull, pull | {"into": "swell", "pose": {"swell.amount": 1}},
        {"kind": "lay_lever", "name": "lever"},
        {"kind": "drive", "by": "lever", "channel": "swell.amount", "points": [[1, 1]]},
        {"kind": "drive", "by": "arm 2", "channel": "arm.move.x", "points": [[90, 30]], "smooth": False},
    )  # fmt: skip
    program = compile_program(figure, stores)
    rig = RigState(program)
    for pose in walk(figure, np.random.default_rng(7), 60):
        assert np.array_equal(rig.evaluate(pose).vertices, RigState(program).evaluate(pose).vertices)


def test_a_corrective_looks_the_same_from_a_new_rest_pose():
    bare, stores, pull = pulled()
    figure = apply_edit(pull, bare, stores)
    figure = apply_edit(pull | {"pose": {"arm 2.turn": -60.0}, "by": (0.0, -9.0)}, figure, stores)
    taken = edited(figure, stores, {"kind": "take_pose", "pose": {"arm 2.turn": 40.0, "arm.turn": -15.0}})
    assert sorted(sample.at for sample in taken.correctives[0].samples) == [(-100.0,), (-40.0,), (40.0,)]
    seen, at_rest = [], []
    for one, turns in ((figure, (80.0, 10.0)), (taken, (40.0, 25.0))):
        rig = compile_rig(one, stores)
        at_rest.append(rig.evaluate(parse_pose({})).vertices.copy())
        pose = {"arm 2.turn": turns[0], "arm.turn": turns[1]}
        seen.append(rig.evaluate(parse_pose(pose).by_id(one)).vertices.copy())
    posed = compile_rig(figure, stores).evaluate(parse_pose({"arm 2.turn": 40, "arm.turn": -15}).by_id(figure)).vertices
    assert np.abs(at_rest[1] - posed).max() < 0.1
    bump = departures(taken, edited(bare, stores, {"kind": "take_pose", "pose": {"arm 2.turn": 40.0, "arm.turn": -15.0}}),
                      stores, {"arm 2.turn": 40.0, "arm.turn": 25.0})  # fmt: skip
    assert bump.max() > 8
    assert np.median(np.linalg.norm(seen[0] - seen[1], axis=1)) < 2  # bends are solved anew from another rest
    shaped = edited(figure, stores, {"kind": "make_shape", "name": "swell"},
                    pull | {"into": "swell", "pose": {"swell.amount": 1}})  # fmt: skip
    with pytest.raises(EditRefused, match="lay it off"):
        edited(shaped, stores, {"kind": "take_pose", "pose": {"swell.amount": 1}})


def test_a_figure_from_elsewhere_whose_pulls_or_channels_are_none_is_refused_or_moves_nothing(tmp_path):
    bare, stores, pull = pulled()
    figure = apply_edit(pull, bare, stores)
    (sculpt,) = figure.correctives[0].samples[0].sculpts
    for changes in ({"offsets": sculpt.triangles}, {"triangles": sculpt.offsets}, {"vertices": sculpt.triangles}):
        sample = figure.correctives[0].samples[0].model_copy(update={"sculpts": (sculpt.model_copy(update=changes),)})
        odd = figure.replace(correctives=(figure.correctives[0].model_copy(update={"samples": (sample,)}),))
        write_archive(tmp_path / "odd.zip", odd, stores)
        with pytest.raises(ArchiveRefused, match="pulled"):
            read_archive(tmp_path / "odd.zip")
    elbow = figure.correctives[0].bones[0]
    knots = (Knot(at=0, by=0), Knot(at=1, by=5))
    lever = Lever(id="k900", name="odd", y=Axis(drives=(Drive(channel=f"{elbow}.glow", knots=knots),)))
    odd = figure.replace(levers=(lever,), shapes=(Shape(id="k901", name="odd", on_top={f"{elbow}.glow": 4.0},
                                                        instead={f"{elbow}.shine": 2.0}),))  # fmt: skip
    write_archive(tmp_path / "odd.zip", odd, stores)
    read, held = read_archive(tmp_path / "odd.zip")
    assert compile_rig(read, held).evaluate(parse_pose({"k900.lever.y": 1, "k901.amount": 1})).vertices.size
