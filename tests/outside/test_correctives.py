"""Correctives and laid-on shapes: exact at their samples, nothing at rest, between them SciPy's monotone cubic or the
normalised radial basis functions of Lewis, Cordner & Fong (2000) written down in NumPy."""

from __future__ import annotations

from functools import cache

import numpy as np
import pytest
from scipy.interpolate import PchipInterpolator

from kunstgriff.control.shape_edits import sculpted
from kunstgriff.delivery.frames import painter
from kunstgriff.evaluate.state import compile_rig
from kunstgriff.figure.archive import read_archive, write_archive
from kunstgriff.figure.controls import Corrective, Sample, Shape
from kunstgriff.figure.edit import EditRefused, apply_edit
from kunstgriff.figure.pose import parse_pose
from kunstgriff.reading.bends import bend_misses
from kunstgriff.reading.correcting import proposed_corrective
from tests.art import at, capsule, drawn, edited, figure_of, one_piece_arm


@cache
def arm():
    """A bound arm of one piece, with a shoulder and an elbow."""
    figure, stores = figure_of({"arm": drawn(capsule((60, 200), (340, 200), 32, 6))})
    figure = edited(
        figure, stores,
        {"kind": "draw_chain", "name": "arm", "joints": at(figure, (60, 200), (200, 200), (340, 200))},
        {"kind": "bind_weighted", "parts": ["arm"], "count": 300},
    )  # fmt: skip
    return figure, stores


def bone(figure, name):
    return next(one.id for one in figure.bones if one.name == name)


def some_offsets(figure, stores, rng, count):
    part = figure.parts[0]
    return [rng.normal(0, 5, (part.binding.mesh.vertex_count, 2)) for _ in range(count)]


def bare_and(figure, stores, **controls):
    return compile_rig(figure, stores), compile_rig(figure.replace(**controls), stores)


def turned_with(rig, offsets):
    """Offsets (n, 2) as they turn with each vertex's own blended rotation: by the angle of the blended unit numbers."""
    nets = rig.program.nets
    halves = (nets.weights[..., None].astype(float) * rig.dual_numbers[nets.bones][..., :2]).sum(1)
    angle = 2 * np.arctan2(halves[:, 1], halves[:, 0])
    c, s = np.cos(angle), np.sin(angle)
    return np.stack([c * offsets[:, 0] - s * offsets[:, 1], s * offsets[:, 0] + c * offsets[:, 1]], 1)


def test_a_corrective_of_one_bone_is_scipys_monotone_cubic_exact_at_its_samples_and_nothing_at_rest():
    figure, stores = arm()
    elbow, rng = bone(figure, "arm 2"), np.random.default_rng(2)
    turns = [-80.0, -30.0, 45.0, 110.0]
    offsets = some_offsets(figure, stores, rng, len(turns))
    samples = [
        Sample(at=(turn,), sculpts=(sculpted(figure.parts[0], one, stores),))
        for turn, one in zip(turns, offsets, strict=True)
    ]
    bare, rig = bare_and(
        figure, stores, correctives=(Corrective(id="k900", name="elbow", bones=(elbow,), samples=samples),)
    )
    knots = sorted([*turns, 0.0])
    rows = [np.zeros_like(offsets[0]) if one == 0 else offsets[turns.index(one)] for one in knots]
    curve = PchipInterpolator(knots, np.stack(rows))
    for turn in [*turns, 0.0, *rng.uniform(-80, 110, 20), -120.0, 150.0]:
        pose = parse_pose({f"{elbow}.turn": turn, f"{bone(figure, 'arm')}.turn": 20})
        plain = bare.evaluate(pose).vertices.astype(float)
        wanted = plain + turned_with(bare, curve(np.clip(turn, -80, 110)))
        assert np.abs(rig.evaluate(pose).vertices - wanted).max() < 2e-3
    assert np.array_equal(rig.evaluate(parse_pose({})).vertices, bare.evaluate(parse_pose({})).vertices)


def test_a_corrective_of_two_bones_is_normalised_radial_basis_functions_as_published():
    figure, stores = arm()
    both, rng = (bone(figure, "arm"), bone(figure, "arm 2")), np.random.default_rng(4)
    places = [(60.0, 0.0), (0.0, 70.0), (60.0, 70.0), (-40.0, 35.0)]
    offsets = some_offsets(figure, stores, rng, len(places))
    samples = [
        Sample(at=place, sculpts=(sculpted(figure.parts[0], one, stores),))
        for place, one in zip(places, offsets, strict=True)
    ]
    bare, rig = bare_and(figure, stores, correctives=(Corrective(id="k900", name="both", bones=both, samples=samples),))
    # the transcription: basis functions about all samples and rest, divided by their sum, fitted to be exact
    centres = np.array([(0.0, 0.0), *places])
    values = np.stack([np.zeros_like(offsets[0]), *offsets]).reshape(len(centres), -1)
    away = np.array([[np.linalg.norm(a - b) for b in centres] for a in centres])
    apart = np.mean([min(one for one in row if one > 0) for row in away])

    def basis(distances):
        found = np.exp(-np.sqrt(distances**2 + (0.1 * apart) ** 2) / apart)
        return found / found.sum()

    fitted = np.linalg.solve(np.array([basis(row) for row in away]), values)
    for place in [(0.0, 0.0), *places, *rng.uniform(-90, 90, (20, 2))]:
        pose = parse_pose({f"{ref}.turn": turn for ref, turn in zip(both, place, strict=True)})
        plain = bare.evaluate(pose).vertices.astype(float)
        mixed = (basis(np.linalg.norm(centres - place, axis=1)) @ fitted).reshape(-1, 2)
        assert np.abs(rig.evaluate(pose).vertices - plain - turned_with(bare, mixed)).max() < 2e-3


def latticed():
    """The arm with a lattice over it, and a corrective begun of its elbow."""
    figure, stores = arm()
    return edited(
        figure, stores,
        {"kind": "lay_lattice", "parts": ["arm"], "name": "grid", "columns": 4, "rows": 3},
        {"kind": "make_corrective", "bones": ["arm 2"], "name": "elbow"},
        {"kind": "make_corrective", "bones": ["arm", "arm 2"], "name": "both"},
    ), stores  # fmt: skip


def pull_at(into, pose, **handles):
    named = {name.replace("_", " ").replace("x", ","): by for name, by in handles.items()}
    return {"kind": "pull_handles", "into": into, "pose": pose, "handles": named}


def test_handles_pulled_by_the_turn_of_a_bone_go_by_scipys_monotone_cubic_and_not_at_rest():
    figure, stores = latticed()
    knots, far = [-70.0, 0.0, 40.0, 100.0], [-18.0, 0.0, 9.0, 30.0]
    after = edited(
        figure,
        stores,
        *(
            pull_at("elbow", {"arm 2.turn": at}, grid_2x2=[by, -by / 2])
            for at, by in zip(knots, far, strict=True)
            if at
        ),
    )
    sample = {one.at: one.channels for one in after.correctives[0].samples}
    handle = next(one.id for one in after.handles if one.name == "grid 2,2")
    told = [sample[at,][f"{handle}.shift.x"] if at else 0.0 for at in knots]
    curve = PchipInterpolator(knots, told)
    bare, rig = compile_rig(figure, stores), compile_rig(after, stores)
    for turn in (*knots, -120.0, 130.0, *np.random.default_rng(3).uniform(-70, 100, 12)):
        pose = {"arm 2.turn": turn, "grid 2,2.shift.y": 3.0}
        by = float(curve(np.clip(turn, -70, 100)))
        moved = pose | {"grid 2,2.shift.x": by, "grid 2,2.shift.y": 3.0 - by / 2}
        wanted = bare.evaluate(parse_pose(moved).by_id(figure)).vertices
        assert np.abs(rig.evaluate(parse_pose(pose).by_id(after)).vertices - wanted).max() < 1e-3
        assert np.abs(rig.evaluate(parse_pose(pose).by_id(after)).vertices - wanted).max() < 1e-3  # and not added up
    assert told == pytest.approx([-18, 0, 9, 39])  # past 40° the curve stayed at 9 when it was pulled by 30 more


def test_handles_pulled_by_two_bones_together_are_exact_there_and_at_rest_as_drawn():
    figure, stores = latticed()
    places = [(30.0, 60.0), (-20.0, 40.0)]
    after = figure
    for k, (one, other) in enumerate(places):
        after = edited(after, stores, pull_at("both", {"arm.turn": one, "arm 2.turn": other}, grid_3x2=[10.0 + k, 4.0]))
    bare, rig = compile_rig(figure, stores), compile_rig(after, stores)
    handle = next(one.id for one in after.handles if one.name == "grid 3,2")
    for sample in after.correctives[1].samples:
        pose = dict(zip(("arm.turn", "arm 2.turn"), sample.at, strict=True))
        there = parse_pose(pose | sample.channels).by_id(figure)
        wanted = bare.evaluate(there).vertices
        assert np.abs(rig.evaluate(parse_pose(pose).by_id(after)).vertices - wanted).max() < 1e-3
        assert handle in "".join(sample.channels)
    assert np.array_equal(rig.evaluate(parse_pose({})).vertices, bare.evaluate(parse_pose({})).vertices)


def test_a_pulled_handle_that_goes_is_forgotten_and_one_that_is_not_there_is_refused(tmp_path):
    figure, stores = latticed()
    after = edited(figure, stores, pull_at("elbow", {"arm 2.turn": 60}, grid_2x2=[10.0, 0.0], grid_3x1=[4.0, 2.0]))
    write_archive(tmp_path / "arm.zip", after, stores)
    assert read_archive(tmp_path / "arm.zip")[0] == after
    assert sorted(after.correctives[0].samples[0].channels.values()) == [0.0, 2.0, 4.0, 10.0]
    lifted = edited(after, stores, {"kind": "lift_warp", "warp": "grid"})
    assert lifted.correctives[0].samples[0].channels == {}
    for edit, told in (
        (pull_at("elbow", {"arm 2.turn": 60}, grid_9x9=[1.0, 1.0]), "does not have"),
        (pull_at("elbow", {}, grid_2x2=[1.0, 1.0]), "At rest"),
        (pull_at("knee", {"arm 2.turn": 60}, grid_2x2=[1.0, 1.0]), "no corrective"),
        (pull_at("elbow", {"arm 2.turn": 60}) | {"handles": {}}, "at least 1"),
    ):
        with pytest.raises(EditRefused, match=told):
            apply_edit(edit, after, stores)


def test_a_handle_pulled_into_a_shape_goes_by_its_amount():
    figure, stores = latticed()
    shaped = edited(figure, stores, {"kind": "make_shape", "name": "bulge"})
    after = edited(shaped, stores, pull_at("bulge", {"bulge.amount": 0.5}, grid_2x2=[10.0, 0.0]))
    bare, rig = compile_rig(figure, stores), compile_rig(after, stores)
    for amount in (0.5, 1.0):
        wanted = bare.evaluate(parse_pose({"grid 2,2.shift.x": 20.0 * amount}).by_id(figure)).vertices
        assert np.abs(rig.evaluate(parse_pose({"bulge.amount": amount}).by_id(after)).vertices - wanted).max() < 1e-3


def test_laid_on_shapes_add_up_and_those_that_are_alike_never_past_one():
    figure, stores = arm()
    elbow, rng = bone(figure, "arm 2"), np.random.default_rng(6)
    one, other = some_offsets(figure, stores, rng, 2)
    shapes = tuple(
        Shape(id=f"k{900 + k}", name=f"{k}", low=-1, sculpts=(sculpted(figure.parts[0], each, stores),), on_top=on_top)
        for k, (each, on_top) in enumerate([(one, {f"{elbow}.turn": 40.0}), (other, {f"{elbow}.turn": -10.0})])
    )
    bare, rig = bare_and(figure, stores, shapes=shapes)
    for a, b in [(1, 0), (0.5, 0.25), (-1, 0.5), (1, 1)]:
        plain = bare.evaluate(parse_pose({f"{elbow}.turn": 5 + 40 * a - 10 * b})).vertices.astype(float)
        wanted = plain + turned_with(bare, a * one + b * other)
        pose = parse_pose({f"{elbow}.turn": 5, "k900.amount": a, "k901.amount": b})
        assert np.abs(rig.evaluate(pose).vertices - wanted).max() < 2e-3
    alike = tuple(shape.model_copy(update={"like": "mouth"}) for shape in shapes)
    held = compile_rig(figure.replace(shapes=alike), stores)
    half = rig.evaluate(parse_pose({"k900.amount": 0.5, "k901.amount": -0.5})).vertices.copy()
    assert np.abs(held.evaluate(parse_pose({"k900.amount": 1, "k901.amount": -1})).vertices - half).max() < 1e-4


def test_instead_brings_a_channel_to_its_value_by_the_amount():
    figure, stores = arm()
    elbow = bone(figure, "arm 2")
    figure = edited(
        figure, stores,
        {"kind": "make_shape", "name": "bent", "pose": {"arm 2.turn": 80}, "instead": True},
        {"kind": "make_shape", "name": "back", "pose": {"arm 2.turn": -20}, "instead": True},
    )  # fmt: skip
    rig = compile_rig(figure, stores)
    for bent, back in [(0, 0), (1, 0), (0.5, 0), (0.25, 0.25), (1, 1), (0.5, 0.5)]:
        rig.set_pose(parse_pose({"arm 2.turn": 30, "bent.amount": bent, "back.amount": back}).by_id(figure))
        share = bent + back
        assert rig.turn[rig.program.bone_index[elbow]] == pytest.approx(
            30 * (1 - min(share, 1)) + (80 * bent - 20 * back) / max(share, 1)
        )


def test_what_is_pulled_on_the_posed_sheet_moves_there_by_as_much():
    figure, stores = arm()
    figure = edited(figure, stores, {"kind": "make_corrective", "bones": ["arm 2"]})
    pose = parse_pose({"arm 2.turn": 90, "arm.turn": -30}).by_id(figure)
    before = compile_rig(figure, stores).evaluate(pose).vertices.astype(float)
    start = before[np.argmax(before[:, 0])]
    pull = {"kind": "pull", "into": "arm 2", "pose": pose.model_dump(), "parts": ["arm"], "start": start.tolist(),
            "by": [9.0, -14.0], "radius": 60.0}  # fmt: skip
    after = apply_edit(pull, figure, stores)
    moved = compile_rig(after, stores).evaluate(pose).vertices - before
    share = np.clip(1 - (np.linalg.norm(before - start, axis=1) / 60) ** 2, 0, 1) ** 2
    assert np.abs(moved - share[:, None] * [9.0, -14.0]).max() < 2e-3
    rest, bare = compile_rig(after, stores), compile_rig(figure, stores)
    assert np.array_equal(rest.evaluate(parse_pose({})).vertices, bare.evaluate(parse_pose({})).vertices)
    between = parse_pose({"arm 2.turn": 40, "arm.turn": -30}).by_id(figure)
    was = rest.evaluate(between).vertices.copy()
    there = {"pose": between.model_dump(), "start": was[0].tolist(), "by": [1e-7, 0.0]}
    again = apply_edit({**pull, **there}, after, stores)
    assert len(again.correctives[0].samples) == 2  # a sample laid between others looks as it did
    assert np.abs(compile_rig(again, stores).evaluate(between).vertices - was).max() < 1e-3


def test_where_a_bend_misses_a_corrective_is_proposed_that_reads_better_and_a_good_bend_gets_none():
    """Held against the ideal limb (both outlines continued, an arc outside): common practice, no source."""
    good, stores = one_piece_arm()
    elbow = good.bones[1]
    with pytest.raises(EditRefused, match="misses nothing"):
        proposed_corrective(good, stores, elbow, painter(), [90])
    part = good.parts[0]
    spots = stores.get_array(part.binding.mesh.vertices) + np.array(part.drawing.place)
    beyond = np.flatnonzero((spots[:, 0] > elbow.joint[0] + 20) & (spots[:, 0] < elbow.joint[0] + 70))
    spoilt = edited(
        good,
        stores,
        {"kind": "set_weights", "part": "arm", "bone": "arm 2", "weight": 0.45, "vertices": beyond.tolist()},
    )
    found = proposed_corrective(spoilt, stores, elbow, painter(), [90])
    assert found.before[90][0] > 8  # it keeps a third of its width
    assert found.after[90][0] < 0.65 * found.before[90][0]
    mended = edited(spoilt, stores, found.edit)
    told = bend_misses(mended, stores, elbow, painter(), [90])
    assert found.after[90][1] in told[90]  # what was promised is what is read
    rest = compile_rig(mended, stores)
    np.testing.assert_array_equal(rest.evaluate().vertices, compile_rig(spoilt, stores).evaluate().vertices)
    again = edited(mended, stores, found.edit)
    assert again.correctives == mended.correctives


def test_samples_that_fit_no_mesh_or_lie_at_rest_are_refused():
    figure, stores = arm()
    offsets = np.zeros((figure.parts[0].binding.mesh.vertex_count, 2))
    whole = sculpted(figure.parts[0], offsets, stores)
    short = whole.model_copy(update={"offsets": stores.put_array(np.zeros((3, 2), np.float32))})
    lay = {"kind": "lay_samples", "bones": ["arm 2"], "name": "elbow"}
    for places, sculpt, says in (
        ((90,), short, "does not fit"),
        ((0.1,), whole, "At rest"),
        ((90, 20), whole, "samples are not"),
    ):
        sample = Sample(at=places, sculpts=(sculpt,)).model_dump(mode="json")
        with pytest.raises(EditRefused, match=says):
            apply_edit({**lay, "samples": [sample]}, figure, stores)
