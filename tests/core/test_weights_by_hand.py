"""Weights by hand: every tool leaves rows that sum to 1, touches what it should, and what a person set stays."""

from __future__ import annotations

import numpy as np
import pytest

from kunstgriff.figure.edit import EditRefused, apply_edit
from kunstgriff.figure.findings import findings
from tests.art import at, capsule, drawn, edited, figure_of, one_piece_arm


def table(figure, stores, part=0):
    return stores.get_array(figure.parts[part].binding.weights)


def places(figure, stores, part=0):
    one = figure.parts[part]
    return stores.get_array(one.binding.mesh.vertices) + np.asarray(one.drawing.place)


def near(figure, stores, spot, radius):
    return np.hypot(*(places(figure, stores) - at(figure, spot)[0]).T) < radius


STROKE = {
    "kind": "paint_weights",
    "part": "arm",
    "bone": "arm 2",
    "brush": {"mode": "set", "radius": 30, "strength": 1},
}


@pytest.mark.parametrize("mode", ["add", "take", "even", "set", "pull"])
def test_a_stroke_changes_what_it_touches_and_nothing_else(mode):
    figure, stores = one_piece_arm(300)
    spots = at(figure, (180, 190), (190, 200))
    brush = {"mode": mode, "radius": 30, "strength": 0.6}
    after = edited(figure, stores, {**STROKE, "brush": brush, "spots": spots})
    before, now = table(figure, stores), table(after, stores)
    touched = near(figure, stores, (180, 190), 30) | near(figure, stores, (190, 200), 30)
    assert np.array_equal(before[~touched], now[~touched])
    assert np.abs(now.sum(1) - 1).max() < 1e-6
    assert now.min() >= 0
    change = (now - before)[touched, 1].sum()
    assert {"add": change > 0, "take": change < 0, "set": change > 0}.get(mode, abs(change) > 0)


def test_a_mirrored_stroke_touches_both_sides_of_the_limb_alike():
    figure, stores = one_piece_arm(300)
    brush = {"mode": "set", "radius": 22, "strength": 1, "mirrored": True}
    after = edited(figure, stores, {**STROKE, "brush": brush, "spots": at(figure, (150, 180))})
    moved = np.abs(table(after, stores) - table(figure, stores)).max(1) > 1e-6
    held = places(figure, stores)[moved][:, 1] - at(figure, (0, 200))[0][1]
    assert (held < -5).any()
    assert (held > 5).any()


def test_vertices_weighted_by_hand_stay_when_the_program_weighs_again():
    figure, stores = one_piece_arm(300)
    painted = edited(figure, stores, {**STROKE, "spots": at(figure, (120, 200))})
    by_hand = near(figure, stores, (120, 200), 12)
    for edit in (
        {"kind": "tune_joints"},
        {"kind": "set_zone", "bone": "arm 2", "inner": 1.0, "outer": 1.0},
        {"kind": "set_influences", "parts": ["arm"], "way": "heat"},
    ):
        try:
            after = apply_edit(edit, painted, stores)
        except EditRefused:
            continue
        assert np.abs(table(after, stores)[by_hand] - table(painted, stores)[by_hand]).max() < 1e-5
    free = edited(painted, stores, {"kind": "let_go", "part": "arm"}, {"kind": "set_influences", "parts": ["arm"]})
    assert np.abs(table(free, stores)[by_hand] - table(painted, stores)[by_hand]).max() > 0.5


def test_a_locked_bones_weights_stay_and_typed_ones_are_what_was_typed():
    figure, stores = one_piece_arm()
    chosen = [3, 7, 11]
    typed = edited(
        figure, stores, {"kind": "set_weights", "part": "arm", "bone": "arm 2", "weight": 0.25, "vertices": chosen}
    )
    assert np.allclose(table(typed, stores)[chosen, 1], 0.25, atol=1e-6)
    locked = edited(typed, stores, {"kind": "lock_weights", "part": "arm", "bones": ["arm 2"]})
    with pytest.raises(EditRefused, match="locked"):
        apply_edit({**STROKE, "spots": at(figure, (180, 200))}, locked, stores)
    other = {**STROKE, "bone": "arm", "spots": at(figure, (200, 200))}
    assert np.array_equal(table(edited(locked, stores, other), stores)[:, 1], table(locked, stores)[:, 1])


def test_a_gradient_rises_evenly_from_joint_to_joint():
    figure, stores = one_piece_arm()
    start, end = at(figure, (160, 200), (240, 200))
    figure = edited(
        figure, stores, {"kind": "gradient_weights", "part": "arm", "bone": "arm 2", "start": start, "end": end}
    )
    x = places(figure, stores)[:, 0]
    assert np.abs(table(figure, stores)[:, 1] - np.clip((x - start[0]) / 80, 0, 1)).max() < 1e-4


def test_a_sleeve_takes_its_weights_from_the_arm_in_it():
    sleeve = drawn(capsule((120, 200), (280, 200), 44, 6))
    figure, stores = figure_of({"arm": drawn(capsule((80, 200), (320, 200), 36, 8)), "sleeve": sleeve})
    figure = edited(
        figure, stores, {"kind": "draw_chain", "name": "arm", "joints": at(figure, (60, 200), (200, 200), (340, 200))},
        {"kind": "bind_weighted", "parts": ["arm"], "count": 400},
        {"kind": "bind_weighted", "parts": ["sleeve"], "influences": ["arm"], "count": 200},
        {"kind": "copy_weights", "source": "arm", "parts": ["sleeve"]},
    )  # fmt: skip
    inside = np.abs(places(figure, stores, 1)[:, 1] - at(figure, (0, 200))[0][1]) < 36
    share = table(figure, stores, 1)[:, 1]
    x = places(figure, stores, 1)[:, 0] - at(figure, (200, 0))[0][0]
    assert (share[inside & (x > 60)] > 0.75).all()
    assert (share[inside & (x < -60)] < 0.25).all()


def test_bones_swap_and_merge_without_losing_weight():
    figure, stores = one_piece_arm()
    ids = [bone.id for bone in figure.bones]
    swapped = edited(figure, stores, {"kind": "swap_bones", "parts": ["arm"], "one": "arm", "other": "arm 2"})
    assert list(swapped.parts[0].binding.influences) == ids[::-1]
    merged = edited(figure, stores, {"kind": "merge_influence", "parts": ["arm"], "bone": "arm 2", "into": "arm"})
    assert merged.parts[0].binding.influences == (ids[0],)
    assert np.allclose(table(merged, stores), 1)


def test_pruning_leaves_at_most_so_many_bones_a_vertex():
    figure, stores = figure_of({"snake": drawn(capsule((60, 200), (340, 200), 30, 6))})
    figure = edited(
        figure, stores,
        {"kind": "draw_chain", "name": "snake", "joints": at(figure, *[(60 + 56 * k, 200) for k in range(6)])},
        {"kind": "bind_weighted", "parts": ["snake"], "count": 200},
        {"kind": "even_weights", "part": "snake", "rounds": 30},
    )  # fmt: skip
    assert (table(figure, stores) > 0).sum(1).max() >= 3
    pruned = edited(figure, stores, {"kind": "prune_weights", "parts": ["snake"], "most": 2, "least": 0.05})
    assert (table(pruned, stores) > 0).sum(1).max() <= 2
    assert np.abs(table(pruned, stores).sum(1) - 1).max() < 1e-6


def test_no_tool_gives_weight_to_a_bone_that_is_not_listed():
    figure, stores = one_piece_arm()
    figure = edited(figure, stores, {"kind": "draw_chain", "name": "tail", "joints": at(figure, (10, 10), (60, 10))})
    for edit in (
        {**STROKE, "bone": "tail", "spots": at(figure, (180, 200))},
        {"kind": "set_weights", "part": "arm", "bone": "tail", "weight": 1},
        {"kind": "gradient_weights", "part": "arm", "bone": "tail", "other": "arm", "start": [0, 0], "end": [9, 0]},
    ):
        with pytest.raises(EditRefused, match="not among the bones"):
            apply_edit(edit, figure, stores)
    with pytest.raises(EditRefused, match="Nothing would move"):
        apply_edit({"kind": "set_influences", "parts": ["arm"], "remove": ["arm", "arm 2"]}, figure, stores)


def test_a_vertex_that_would_be_left_behind_is_found_and_mended():
    figure, stores = one_piece_arm(300)
    assert not [one for one in findings(figure, stores) if one.stage == "binding"]
    vertex = int(np.hypot(*(places(figure, stores) - at(figure, (110, 200))[0]).T).argmin())
    weights = table(figure, stores).copy()
    for row, word in (((0, 0), "follow nothing"), ((0, 1), "follow other bones")):
        weights[vertex] = row
        binding = figure.parts[0].binding.model_copy(update={"weights": stores.put_array(weights)})
        spoilt = figure.replace(parts=(figure.parts[0].model_copy(update={"binding": binding}),))
        [found] = [one for one in findings(spoilt, stores) if one.stage == "binding"]
        assert word in found.sentence
        mended = apply_edit(found.remedies[0].edit, spoilt, stores)
        assert not [one for one in findings(mended, stores) if one.stage == "binding"]


def test_an_island_bound_elsewhere_than_its_surroundings_is_found():
    shapes = capsule((80, 200), (320, 200), 36, 8) + '<circle cx="90" cy="120" r="16" fill="#333"/>'
    figure, stores = figure_of({"arm": drawn(shapes)})
    figure = edited(
        figure, stores, {"kind": "draw_chain", "name": "arm", "joints": at(figure, (60, 200), (200, 200), (340, 200))},
        {"kind": "bind_weighted", "parts": ["arm"], "influences": ["arm", "arm 2"], "count": 300},
    )  # fmt: skip
    assert not [one for one in findings(figure, stores) if "island" in one.sentence]
    button = np.flatnonzero(places(figure, stores)[:, 1] < at(figure, (0, 145))[0][1]).tolist()
    strange = {"kind": "set_weights", "part": "arm", "bone": "arm 2", "weight": 1, "vertices": button}
    [found] = [one for one in findings(edited(figure, stores, strange), stores) if "island" in one.sentence]
    assert found.stage == "binding"
