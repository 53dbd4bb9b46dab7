"""Cages: what an outline of corners does to the art in it, how it is laid and edited."""

from __future__ import annotations

import numpy as np
import pytest
from shapely.geometry import Polygon as Outline

from kunstgriff.artwork.outline import part_outline
from kunstgriff.figure.edit import EditRefused, apply_edit
from kunstgriff.warp.warping import form_of, shape_of
from tests.art import at, capsule, drawn, edited, figure_of
from tests.core.test_lattices import POSE, affine, block, head, seen

LAY = {"kind": "lay_cage", "parts": ["head"], "name": "cage", "corners": 10}


def u_shape(gap):
    """Two legs of one part with a gap between them, joined above."""
    middle = 200 - gap / 2 - 30, 200 + gap / 2 + 30
    body = capsule((middle[0], 320), (middle[0], 120), 30, 4) + capsule((middle[1], 320), (middle[1], 120), 30, 4)
    return figure_of({"legs": drawn(body + capsule((middle[0], 100), (middle[1], 100), 40, 4))})


def test_a_cage_is_laid_around_the_art_with_no_more_corners_than_asked_for():
    for count in (4, 6, 10, 20):
        figure, stores = head(LAY | {"corners": count})
        (cage,) = figure.warps
        assert 3 <= len(cage.laid) <= count
        part = figure.parts[0]
        outline = Outline(np.array(cage.laid) - part.drawing.place)
        assert outline.is_valid
        assert outline.contains(part_outline(part, stores))


def test_a_cage_at_rest_moves_nothing_in_any_pose():
    figure, stores = head(LAY)
    plain = figure.replace(warps=())
    for pose in ({}, POSE):
        assert np.array_equal(seen(figure, stores, pose), seen(plain, stores, pose))


def test_corners_moved_by_an_affine_map_do_just_that_to_all_in_it():
    figure, stores = head(LAY)
    matrix, shift = [[1.1, 0.2], [-0.15, 0.9]], [7.0, -4.0]
    rows, rest = block(figure, stores, "head"), seen(figure, stores)
    expected = rest[rows] @ np.array(matrix).T + shift
    assert np.abs(seen(figure, stores, affine({}, figure.warps[0], matrix, shift))[rows] - expected).max() < 2e-3


def test_what_is_dragged_at_rest_is_what_the_same_drag_posed_does():
    figure, stores = head(LAY)
    ref = figure.warps[0].handles[2].id
    dragged = edited(figure, stores, {"kind": "move_handles", "handles": ["cage 3"], "by": [30, -25]})
    posed = seen(dragged.replace(warps=(dragged.warps[0].model_copy(update={"handles": figure.warps[0].handles}),)), stores,
                 {f"{ref}.shift.x": 30.0, f"{ref}.shift.y": -25.0})  # fmt: skip
    assert np.abs(seen(dragged, stores) - posed).max() < 2e-3
    assert np.abs(seen(dragged, stores) - seen(dragged.replace(warps=()), stores)).max() > 5


def test_across_a_gap_the_far_side_stays_where_it_is():
    figure, stores = u_shape(30)
    corners = at(figure, (110, 70), (290, 70), (290, 365), (205, 365), (205, 150), (195, 150), (195, 365), (110, 365))
    figure = edited(figure, stores, {"kind": "lay_cage", "parts": ["legs"], "name": "cage", "points": corners})
    assert figure.warps[0].harmonic
    rows, rest = block(figure, stores, "legs"), seen(figure, stores)
    pull = {"cage 3.shift.x": 60.0, "cage 4.shift.x": 60.0}  # the right leg's end
    moved = np.abs(seen(figure, stores, pull)[rows] - rest[rows])[:, 0]
    left_end = (rest[rows][:, 0] < np.median(rest[rows][:, 0])) & (
        rest[rows][:, 1] > np.percentile(rest[rows][:, 1], 85)
    )
    assert moved[left_end].max() < 1.5
    mean_value = edited(figure, stores, {"kind": "set_cage", "warp": "cage", "harmonic": False})
    dragged = np.abs(
        seen(mean_value, stores, pull)[block(mean_value, stores, "legs")]
        - seen(mean_value, stores)[block(mean_value, stores, "legs")]
    )
    assert dragged[:, 0].max() > 30
    assert moved.max() > 30


def test_corners_are_added_put_elsewhere_and_removed_and_the_art_stays():
    figure, stores = head(LAY)
    more = edited(figure, stores, {"kind": "add_corner", "handle": "cage 2"})
    assert len(more.warps[0].laid) == len(figure.warps[0].laid) + 1
    put = edited(more, stores, {"kind": "move_handles", "handles": ["cage 3"], "by": [4, -12], "alone": True})
    assert np.array_equal(seen(put, stores), seen(put.replace(warps=()), stores))
    assert np.abs(shape_of(put.warps[0], form_of(put.warps[0]))).max() < 1e-9
    fewer = edited(put, stores, {"kind": "remove_corners", "handles": ["cage 3", "cage 5"]})
    assert len(fewer.warps[0].laid) == len(figure.warps[0].laid) - 1
    assert np.array_equal(seen(fewer, stores), seen(fewer.replace(warps=()), stores))


def test_a_corner_follows_a_bone_by_a_share():
    figure, stores = head(LAY)
    low = [one.name for one in figure.handles if one.name.startswith("cage")]
    places = dict(zip(low, (one.place[1] for one in figure.warps[0].handles), strict=True))
    lowest = max(places, key=places.get)
    tied = edited(figure, stores, {"kind": "tie_handles", "handles": [lowest], "bone": "jaw", "share": 0.5})
    moved = seen(tied, stores, {"jaw.move.y": 40.0}) - seen(tied, stores)
    assert 2 < np.abs(moved).max() <= 20.01


@pytest.mark.parametrize(
    ("edit", "words"),
    [
        (LAY | {"points": [[0, 0], [100, 100], [100, 0], [0, 100]]}, "crosses itself"),
        (LAY | {"points": [[0, 0], [50, 0], [100, 0]]}, "crosses itself|no size"),
        (LAY | {"points": [[0, 0], [50, 0]]}, "incomplete or wrong"),
        (LAY | {"corners": 41}, "incomplete or wrong"),
        (LAY | {"parts": ["wing"]}, "no part"),
    ],
)
def test_cages_that_cannot_be_are_refused_in_a_sentence(edit, words):
    figure, stores = head()
    with pytest.raises(EditRefused, match=words):
        apply_edit(edit, figure, stores)


def test_a_cage_that_would_cross_itself_or_lose_its_corners_stays_as_it_is():
    figure, stores = head(LAY | {"corners": 4})
    first, second, third, _ = np.array(figure.warps[0].laid)
    beyond = ((second + third) / 2 + 0.5 * ((second + third) / 2 - first)).tolist()
    with pytest.raises(EditRefused, match="cross itself"):
        apply_edit({"kind": "move_handles", "handles": ["cage 1"], "to": beyond, "alone": True}, figure, stores)
    with pytest.raises(EditRefused, match="3 corners at the least"):
        apply_edit({"kind": "remove_corners", "handles": ["cage 1", "cage 2"]}, figure, stores)
    with pytest.raises(EditRefused, match="no lattice"):
        apply_edit({"kind": "set_lattice", "warp": "cage", "columns": 3}, figure, stores)
    lattice, stores = head({"kind": "lay_lattice", "parts": ["head"], "name": "grid"})
    with pytest.raises(EditRefused, match="no cage"):
        apply_edit({"kind": "add_corner", "handle": "grid 1,1"}, lattice, stores)
    with pytest.raises(EditRefused, match="no cage"):
        apply_edit({"kind": "move_handles", "handles": ["grid 1,1"], "by": [1, 1], "alone": True}, lattice, stores)


def test_a_cage_that_leaves_art_outside_is_refused_however_it_comes_about():
    figure, stores = head(LAY | {"corners": 8})
    low, high = (np.array(figure.warps[0].laid).min(0), np.array(figure.warps[0].laid).max(0))
    half = [[low[0], low[1]], [high[0], low[1]], [high[0], (low[1] + high[1]) / 2], [low[0], (low[1] + high[1]) / 2]]
    with pytest.raises(EditRefused, match=r"\d+% of “head” outside"):
        apply_edit({"kind": "lay_cage", "parts": ["head"], "points": half}, figure, stores)
    middle = ((low + high) / 2).tolist()
    with pytest.raises(EditRefused, match="of “head” outside"):
        apply_edit({"kind": "move_handles", "handles": ["cage 1"], "to": middle, "alone": True}, figure, stores)
    gone = {"kind": "remove_corners", "handles": ["cage 1", "cage 2", "cage 3", "cage 4"]}
    with pytest.raises(EditRefused, match="of “head” outside"):
        apply_edit(gone, figure, stores)
