"""All four warps alike: laid and taken off in any order, turned, moved and mirrored, copied to another limb."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from kunstgriff.figure.edit import EditRefused, apply_edit
from kunstgriff.warp.cage import Polygon
from kunstgriff.warp.curve import Line
from kunstgriff.warp.lattice import Grid
from kunstgriff.warp.rigid import Sheet, Spots
from tests.art import at, edited
from tests.core.test_lattices import block, head, seen, two_arms
from tests.outside.test_tacks import BELT, mesh_of

LAYING = {
    "lattice": {"kind": "lay_lattice", "parts": ["head"], "name": "lattice", "columns": 3, "rows": 3},
    "cage": {"kind": "lay_cage", "parts": ["head"], "name": "cage", "corners": 6},
    "curve": {"kind": "lay_curve", "parts": ["head"], "name": "curve", "handles": 3},
    "tacks": {"kind": "set_tack", "part": "head", "at": None, "bones": ["jaw"]},
}


@given(laid=st.permutations(list(LAYING)), lifted=st.permutations(list(LAYING)))
@settings(max_examples=6, deadline=None)
def test_any_order_of_laying_and_lifting_gives_back_the_same_figure(laid, lifted):
    plain, stores = head()
    figure = plain
    for kind in laid:
        edit = LAYING[kind] | ({"at": at(figure, (200, 160))[0]} if kind == "tacks" else {})
        figure = edited(figure, stores, edit)
    assert len(figure.warps) == 4
    assert np.abs(seen(figure, stores) - seen(figure.replace(warps=()), stores)).max() < 1e-6
    for kind in lifted:
        name = next(one.name for one in figure.warps if one.kind == kind)
        figure = edited(figure, stores, {"kind": "lift_warp", "warp": name})
    assert figure.replace(next_id=plain.next_id) == plain


def forms():
    """One of each kind as numbers, around art of about 400 px, with drags of their handles."""
    rng = np.random.default_rng(6)
    turns = np.linspace(0, 2 * np.pi, 7, endpoint=False)
    cage = np.column_stack([200 + 260 * np.cos(turns), 200 + 260 * np.sin(turns)])
    grid = Grid(np.zeros(2), np.eye(2) / 400, 4, 4, True)
    line = np.array([[20, 180], [150, 220], [280, 170], [390, 210.0]])
    drags = [rng.normal(0, 25, (len(one), 2)) for one in (grid.even, cage, line)]
    drags[2] = np.column_stack([drags[2], rng.normal(0, 0.2, 4)])
    return [grid, Polygon(cage), Line(line, False), Line(line, True)], [*drags, drags[2]]


@pytest.mark.parametrize("kind", range(4))
@given(
    degrees=st.floats(-180, 180), shift=st.tuples(st.floats(-500, 500), st.floats(-500, 500)), mirrored=st.booleans()
)
@settings(max_examples=12, deadline=None)
def test_a_figure_turned_moved_and_mirrored_is_reshaped_just_so(kind, degrees, shift, mirrored):
    form, moves = (one[kind] for one in forms())
    way = np.radians(degrees)
    matrix = np.array([[np.cos(way), -np.sin(way)], [np.sin(way), np.cos(way)]]) @ np.diag(
        [-1.0 if mirrored else 1.0, 1]
    )
    points = np.random.default_rng(1).uniform(40, 360, (60, 2)) * (1, 0.3) + (0, 140)

    def there(spots):
        return spots @ matrix.T + shift

    if isinstance(form, Grid):
        frame = matrix @ np.linalg.inv(form.inverse)
        other = Grid(there(form.origin[None])[0], np.linalg.inv(frame), form.columns, form.rows, form.local)
    elif isinstance(form, Polygon):
        other = Polygon(there(form.corners))
    else:
        other = Line(there(form.even), form.keeps_length)
    turned = np.column_stack([moves[:, :2] @ matrix.T, moves[:, 2:]])
    expected = form.moved(moves, points) @ matrix.T
    assert np.abs(other.moved(turned, there(points)) - expected).max() < 1e-6


@given(degrees=st.floats(-180, 180), mirrored=st.booleans())
@settings(max_examples=8, deadline=None)
def test_a_part_with_tacks_turned_and_mirrored_settles_just_so(degrees, mirrored):
    vertices, triangles = mesh_of(BELT, 60)
    rows = np.array([0, len(vertices) // 2, len(vertices) - 1], np.int32)
    spots = Spots(np.arange(4, dtype=np.int32), rows, np.ones(3))
    targets = vertices[rows] + [(0, 0), (-12, 30), (-40, -50)]
    way = np.radians(degrees)
    matrix = np.array([[np.cos(way), -np.sin(way)], [np.sin(way), np.cos(way)]]) @ np.diag(
        [-1.0 if mirrored else 1.0, 1]
    )
    here, there = np.empty_like(vertices), np.empty_like(vertices)
    Sheet.of(vertices, triangles, spots).settle(vertices, targets, here)
    Sheet.of(vertices @ matrix.T, triangles, spots).settle(vertices @ matrix.T, targets @ matrix.T, there)
    assert np.abs(here @ matrix.T - there).max() < 0.02  # rounds end when they move nothing by more than that


def test_a_set_up_copied_to_another_limb_takes_its_curve_and_its_tacks_along():
    figure, stores = two_arms()
    figure = edited(
        figure, stores,
        {"kind": "lay_curve", "parts": ["near arm"], "name": "sleeve", "handles": 4},
        {"kind": "set_tack", "part": "near arm", "name": "cuff", "at": at(figure, (120, 280))[0], "bones": ["near arm"], "carries": "turn"},
        {"kind": "copy_setup", "bone": "near arm", "find": "near", "put": "far"},
    )  # fmt: skip
    kinds = {
        one.kind: one for one in figure.warps if one.of == (next(p.id for p in figure.parts if p.name == "far arm"),)
    }
    assert kinds.keys() == {"curve", "tacks"}
    bones = {one.id: one.name for one in figure.bones}
    (cuff,) = kinds["tacks"].handles
    assert [(bones[tie.bone], tie.share) for tie in cuff.ties] == [("far arm", 1.0)]
    assert np.subtract(cuff.place, at(figure, (280, 280))[0]) == pytest.approx([0, 0], abs=3)
    near = next(one for one in figure.warps if one.name == "sleeve")
    assert np.abs(np.subtract(kinds["curve"].laid, near.laid) - (160, 0)).max() < 3


def test_no_warp_is_laid_over_what_is_locked_or_left_out():
    figure, stores = head()
    spot = {"at": at(figure, (200, 160))[0]}
    for change, words in (({"locked": True}, "locked"), ({"left_out": True}, "takes part")):
        parts = tuple(one.model_copy(update=change) if one.name == "head" else one for one in figure.parts)
        barred = figure.replace(parts=parts)
        for edit in LAYING.values():
            with pytest.raises(EditRefused, match=words):
                apply_edit(edit | (spot if "at" in edit else {}), barred, stores)


def test_a_part_moved_on_the_sheet_takes_its_warps_along():
    figure, stores = head()
    for edit in LAYING.values():
        figure = edited(figure, stores, edit | ({"at": at(figure, (200, 160))[0]} if "at" in edit else {}))
    figure = edited(figure, stores, {"kind": "move_handles", "handles": ["curve 2"], "by": [0, 25]})
    there = edited(figure, stores, {"kind": "move_parts", "parts": ["head"], "by": [40, -30]})
    before, after = (seen(one, stores)[block(one, stores, "head")] for one in (figure, there))
    assert np.abs(after - before - (40, -30)).max() < 2e-3
