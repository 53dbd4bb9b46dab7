"""Meshes never cross see-through ground: fingers a few px apart do not drag one another, whatever the vertex count."""

from __future__ import annotations

import numpy as np
import pytest
from shapely.geometry import LineString, MultiPolygon, Point, box
from shapely.ops import unary_union

from kunstgriff.binding.mesh import build_mesh, smallest_angles
from kunstgriff.binding.slits import cut, slit_lines
from kunstgriff.binding.weights import automatic_weights, islands
from tests.art import at, drawn, edited, figure_of, vertices_of

WIDE, LONG = 40, 250


def comb(gap: float, fingers: int = 4) -> MultiPolygon:
    """Fingers of one piece with a palm, `gap` px apart."""
    xs = [number * (WIDE + gap) for number in range(fingers)]
    palm = box(-WIDE / 2, 0, xs[-1] + WIDE / 2, 120)
    fingers_drawn = [LineString([(x, 20), (x, -LONG)]).buffer(WIDE / 2) for x in xs]
    return MultiPolygon([unary_union([palm, *fingers_drawn])])


def open_ring(gap: float) -> MultiPolygon:
    ring = Point(0, 0).buffer(120, 64).difference(Point(0, 0).buffer(80, 64))
    return MultiPolygon([ring.difference(box(0, -gap / 2, 200, gap / 2))])


@pytest.mark.parametrize("gap", [2, 4, 8, 18, 32])
@pytest.mark.parametrize("count", [220, 900])
def test_fingers_have_no_triangle_in_common(gap, count):
    mesh = build_mesh(comb(gap), count)
    corners = mesh.vertices[mesh.triangles]
    middle = (corners[..., 1] < -20).all(1) & (corners[..., 1] > -LONG + 30).all(1)
    # the finger each corner lies nearest to: its middle within half a finger and half a gap
    finger = np.clip(np.round(corners[middle][..., 0] / (WIDE + gap)), 0, 3)
    assert (finger.max(1) == finger.min(1)).all()
    assert len(mesh.vertices) <= 2.2 * count
    assert np.mean(smallest_angles(mesh) < 28) < 0.002
    assert len(np.unique(islands(mesh.triangles, len(mesh.vertices)))) == 1


@pytest.mark.parametrize("gap", [2, 6, 11, 24])
def test_an_open_ring_stays_open(gap):
    mesh = build_mesh(open_ring(gap), 300)
    corners = mesh.vertices[mesh.triangles]
    near = (corners[..., 0] > 85).all(1) & (corners[..., 0] < 115).all(1)
    above, below = (corners[near][..., 1] > 0.4).any(1), (corners[near][..., 1] < -0.4).any(1)
    assert not (above & below).any()


def test_a_bent_finger_leaves_its_neighbours_where_they_are():
    # leak: px that anything of the other fingers moves while one is turned by 20° at its knuckle
    for gap in (2, 6, 20):
        width = 26
        xs = [120 + number * (width + gap) for number in range(4)]
        body = f'<rect x="{xs[0] - 13}" y="260" width="{xs[-1] - xs[0] + 26}" height="100" fill="#c96"/>'
        body += "".join(f'<rect x="{x - 13}" y="60" width="26" height="210" rx="13" fill="#c96"/>' for x in xs)
        figure, stores = figure_of({"hand": drawn(body)})
        palm = {"kind": "draw_chain", "name": "palm", "joints": at(figure, (xs[0] + 40, 350), (xs[0] + 40, 280))}
        chains = [
            {
                "kind": "draw_chain",
                "name": f"finger {letter}",
                "parent": "palm",
                "joints": at(figure, (x, 262), (x, 165), (x, 66)),
            }
            for letter, x in zip("abcd", xs, strict=True)
        ]
        figure = edited(figure, stores, palm, *chains, {"kind": "bind_figure"})
        rest, posed = (vertices_of(figure, stores, turn=turn) for turn in ({}, {"finger b 2": 20}))
        moved = np.hypot(*(posed - rest).T)
        middle = np.array(at(figure, (xs[1], 0))[0])[0]
        others = np.abs(rest[:, 0] - middle) > width / 2 + 0.75 * gap  # the ground between is cut about its middle
        assert moved[others].max() <= 0.5, gap


def test_a_cut_mesh_comes_apart_along_the_line_and_nowhere_else():
    points = np.array([[x, y] for y in range(5) for x in range(5)], float)
    triangles = np.array(
        [[a, a + 1, a + 6] for a in range(19) if a % 5 < 4] + [[a, a + 6, a + 5] for a in range(19) if a % 5 < 4]
    )
    vertices, faces = cut(points, triangles.astype(np.int32), LineString([(2, 0), (2, 2)]))
    assert len(faces) == len(triangles)
    assert len(vertices) == len(points) + 2  # the slit's end inside stays one vertex
    whole = LineString([(2, -1), (2, 5)])
    halves, faces = cut(points, triangles.astype(np.int32), whole)
    assert len(np.unique(islands(faces, len(halves)))) == 2


def test_plain_shapes_have_no_slits_and_weights_do_not_mind_them():
    assert slit_lines(MultiPolygon([Point(0, 0).buffer(80)]), 10, 1.0).is_empty
    bones = [((0.0, -20.0), (0.0, -200.0)), ((44.0, -20.0), (44.0, -200.0))]
    mesh = build_mesh(comb(4), 300)
    weights = automatic_weights(mesh, bones, 18)
    assert np.abs(weights.sum(1) - 1).max() < 1e-6
