"""Meshes by hand: whatever one does they stay whole, and weights go along."""

from __future__ import annotations

from contextlib import suppress

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from kunstgriff.binding.mesh import boundary_edges, smallest_angles
from kunstgriff.binding.remeshing import Net
from kunstgriff.figure.edit import EditRefused, apply_edit
from tests.art import at, capsule, drawn, edited, figure_of, one_piece_arm, vertices_of


def mesh(figure, stores):
    return Net.of(figure.parts[0].binding, stores)


def assert_whole(net: Net) -> None:
    """Triangles turn one way, do not overlap, fill the outline, and Euler's V - E + F = 1 holds for a disc."""
    assert net.is_valid()
    covered = shapely.union_all(shapely.polygons(net.vertices[net.triangles]))
    corners = net.vertices[net.triangles]
    u, v = corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
    assert np.abs(u[:, 0] * v[:, 1] - u[:, 1] * v[:, 0]).sum() / 2 == pytest.approx(covered.area, rel=1e-4)
    edges = np.unique(np.sort(np.concatenate([net.triangles[:, [a, (a + 1) % 3]] for a in range(3)]), 1), axis=0)
    assert len(net.vertices) - len(edges) + len(net.triangles) == 1
    assert np.abs(net.weights.sum(1) - 1).max() < 1e-5


def test_joint_rows_lie_across_the_limb_alike_on_both_sides():
    figure, stores = one_piece_arm(300, rows=3, spacing=0.25)
    joint = np.array(at(figure, (200, 200))[0]) - figure.parts[0].drawing.place
    points = mesh(figure, stores).vertices - joint
    for off in (-20, 0, 20):
        row = points[np.abs(points[:, 0] - off) < 0.6]
        above, below = (row[:, 1] > 1).sum(), (row[:, 1] < -1).sum()
        assert above == below >= 2, off
    more, _ = one_piece_arm(300, rows=5, spacing=0.15)
    assert more.parts[0].binding.zones[0].rows == 5


def test_a_mesh_is_finer_at_its_joint():
    figure, stores = one_piece_arm(400)
    net = mesh(figure, stores)
    joint = np.array(at(figure, (200, 200))[0]) - figure.parts[0].drawing.place
    corners = net.vertices[net.triangles]
    size = np.sqrt(shapely.area(shapely.polygons(corners)))
    away = np.hypot(*(corners.mean(1) - joint).T)
    assert np.median(size[away < 40]) < 0.7 * np.median(size[away > 100])


def test_edge_length_may_be_asked_for_and_too_many_vertices_are_refused():
    figure, stores = one_piece_arm()
    bind = {"kind": "bind_weighted", "parts": ["arm"]}
    long, short = (edited(figure, stores, {**bind, "edge": edge}) for edge in (20, 10))
    assert long.parts[0].binding.mesh.vertex_count < short.parts[0].binding.mesh.vertex_count / 2
    assert smallest_angles(mesh(short, stores)).min() >= 27
    with pytest.raises(EditRefused, match="more than 20000 vertices"):
        apply_edit({**bind, "edge": 1}, *big_figure())


def big_figure():
    figure, stores = figure_of({"arm": drawn(capsule((80, 400), (920, 400), 70, 8), (1000, 800))}, (1000, 800))
    return edited(
        figure, stores, {"kind": "draw_chain", "name": "bone", "joints": at(figure, (60, 400), (500, 400), (940, 400))}
    ), stores


@pytest.mark.parametrize("margin", [2, 12])
def test_a_mesh_reaches_past_the_art_by_its_margin(margin):
    figure, stores = one_piece_arm()
    figure = edited(figure, stores, {"kind": "bind_weighted", "parts": ["arm"], "margin": margin})
    top = at(figure, (0, 160))[0][1] - figure.parts[0].drawing.place[1]  # the capsule's own upper edge
    assert top - mesh(figure, stores).vertices[:, 1].min() == pytest.approx(margin, abs=5)
    again = edited(figure, stores, {"kind": "remesh", "parts": ["arm"], "count": 90})
    assert again.parts[0].binding.margin == margin


STEPS = st.lists(
    st.one_of(
        st.tuples(st.just("move"), st.integers(0, 400), st.floats(-25, 25), st.floats(-25, 25)),
        st.tuples(st.just("add"), st.floats(60, 340), st.floats(150, 250)),
        st.tuples(st.just("remove"), st.integers(0, 400)),
        st.tuples(st.just("keep"), st.integers(0, 400), st.integers(0, 400)),
        st.tuples(st.just("region"), st.floats(100, 300), st.floats(5, 30)),
    ),
    min_size=1,
    max_size=6,
)


@settings(max_examples=12, deadline=None, derandomize=True)
@given(STEPS)
def test_whatever_one_does_to_a_mesh_it_stays_whole_or_says_why_not(steps):
    figure, stores = one_piece_arm(80)
    for step in steps:
        count = figure.parts[0].binding.mesh.vertex_count
        edit: dict[str, object] = {"part": "arm"}
        if step[0] == "move":
            edit |= {"kind": "move_vertices", "vertices": [step[1] % count], "by": [step[2], step[3]]}
        elif step[0] == "add":
            edit |= {"kind": "add_vertex", "at": at(figure, (step[1], step[2]))[0]}
        elif step[0] == "remove":
            edit |= {"kind": "remove_vertices", "vertices": [step[1] % count]}
        elif step[0] == "keep":
            edit |= {"kind": "keep_edge", "ends": [step[1] % count, step[2] % count]}
        else:
            edit |= {"kind": "remesh_region", "at": at(figure, (step[1], 200))[0], "radius": 40, "edge": step[2]}
        with suppress(EditRefused):
            figure = apply_edit(edit, figure, stores)
        assert_whole(mesh(figure, stores))


@pytest.mark.parametrize(
    "lay",
    [
        {"kind": "remesh", "parts": ["arm"], "count": 500},
        {"kind": "set_zone", "bone": "arm 2", "rows": 5, "spacing": 0.2},
    ],
)
def test_a_mesh_laid_anew_keeps_what_was_weighted_by_hand(lay):
    figure, stores = one_piece_arm(300)
    brush = {"mode": "set", "radius": 40, "strength": 1, "fall_off": 0}
    stroke = {"kind": "paint_weights", "part": "arm", "bone": "arm 2", "brush": brush, "spots": at(figure, (130, 200))}
    net = mesh(edited(figure, stores, stroke, lay), stores)
    spot = np.array(at(figure, (130, 200))[0]) - figure.parts[0].drawing.place
    painted = np.hypot(*(net.vertices - spot).T) < 20
    assert painted.sum() > 3
    assert net.manual[painted].all()
    assert (net.weights[painted, 1] > 0.95).all()


def test_an_edge_that_must_stay_stays():
    figure, stores = one_piece_arm(80)
    net = mesh(figure, stores)
    inner = np.setdiff1d(np.arange(len(net.vertices)), boundary_edges(net.triangles))
    a, b = (int(inner[np.argmin(np.abs(net.vertices[inner, 0] - x))]) for x in (60, 110))
    figure = edited(figure, stores, {"kind": "keep_edge", "part": "arm", "ends": [a, b]})
    figure = edited(figure, stores, {"kind": "add_vertex", "part": "arm", "at": at(figure, (230, 205))[0]})
    net = mesh(figure, stores)
    edges = np.sort(np.concatenate([net.triangles[:, [k, (k + 1) % 3]] for k in range(3)]), 1)
    assert (edges == sorted((a, b))).all(1).any()
    figure, stores, ends = bent_figure()
    with pytest.raises(EditRefused, match="out of the mesh"):
        apply_edit({"kind": "keep_edge", "part": "arm", "ends": ends}, figure, stores)


BENT = '<path d="M100 300 V100 H300" fill="none" stroke="#333" stroke-width="60"/>'


def bent_figure():
    """An arm bent at a right angle, and two vertices whose straight connection leads out of it."""
    figure, stores = figure_of({"arm": drawn(BENT)})
    figure = edited(
        figure, stores, {"kind": "draw_chain", "name": "bone", "joints": at(figure, (100, 300), (100, 100), (300, 100))},
        {"kind": "bind_weighted", "parts": ["arm"], "influences": ["bone", "bone 2"], "count": 60},
    )  # fmt: skip
    vertices = mesh(figure, stores).vertices
    slope = vertices[:, 1] - vertices[:, 0]
    return figure, stores, [int(slope.argmax()), int(slope.argmin())]


def test_thinning_keeps_the_posed_shape_within_what_was_allowed():
    figure, stores = one_piece_arm(600)
    thin = edited(figure, stores, {"kind": "thin_mesh", "parts": ["arm"], "tolerance": 1.0})
    before, after = mesh(figure, stores), mesh(thin, stores)
    assert len(after.vertices) < 0.75 * len(before.vertices)
    assert_whole(after)
    for angle in (60, -120):
        outlines = []
        for item in (figure, thin):
            posed = vertices_of(item, stores, turn={"arm 2": angle})
            net = mesh(item, stores)
            outlines.append(shapely.union_all(shapely.polygons(posed[net.triangles])))
        assert shapely.hausdorff_distance(*(one.boundary for one in outlines)) < 2.0
    with pytest.raises(EditRefused, match="needed"):
        apply_edit({"kind": "thin_mesh", "parts": ["arm"], "tolerance": 0.05}, thin, stores)


def test_a_drawing_of_a_set_that_a_kept_pose_shows_is_thinned_as_it_is_alone():
    more = drawn('<rect x="100" y="90" width="60" height="20" fill="#333"/>')
    figure, stores = figure_of({"arm": drawn(BENT), "other": more})
    figure = edited(
        figure, stores, {"kind": "draw_chain", "name": "bone", "joints": at(figure, (100, 300), (100, 100), (300, 100))},
        {"kind": "bind_weighted", "parts": ["arm"], "influences": ["bone", "bone 2"], "count": 600},
    )  # fmt: skip
    among = edited(
        figure, stores, {"kind": "make_set", "drawings": ["arm", "other"], "name": "arms"},
        {"kind": "keep_pose", "name": "other", "pose": {"bone 2.turn": 40, "arms.shows": 2}},
    )  # fmt: skip
    thinned = [
        edited(one, stores, {"kind": "thin_mesh", "parts": ["arm"], "tolerance": 1.0}) for one in (figure, among)
    ]
    alone, of_set = (len(mesh(one, stores).vertices) for one in thinned)
    assert alone == of_set < len(mesh(figure, stores).vertices)


def test_a_mesh_of_one_triangle_and_a_part_3_px_wide_do_not_break():
    figure, stores = figure_of({"line": drawn('<rect x="100" y="199" width="200" height="2" fill="#333"/>')})
    figure = edited(
        figure, stores, {"kind": "draw_chain", "name": "bone", "joints": at(figure, (100, 200), (200, 200), (300, 200))},
        {"kind": "bind_weighted", "parts": ["line"], "influences": ["bone", "bone 2"], "count": 30},
    )  # fmt: skip
    posed = vertices_of(figure, stores, turn={"bone 2": 90})
    assert np.isfinite(posed).all()
    figure, stores = one_piece_arm(12)
    while figure.parts[0].binding.mesh.vertex_count > 3:
        try:
            figure = edited(figure, stores, {"kind": "remove_vertices", "part": "arm", "vertices": [0]})
        except EditRefused:
            break
    every = list(range(figure.parts[0].binding.mesh.vertex_count))
    with pytest.raises(EditRefused, match="three vertices"):
        apply_edit({"kind": "remove_vertices", "part": "arm", "vertices": every}, figure, stores)
    assert np.isfinite(vertices_of(figure, stores, turn={"arm 2": 120})).all()
