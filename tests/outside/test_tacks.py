"""Tacks against libigl's as-rigid-as-possible deformation, and against what its energy promises.

Sources: Sorkine & Alexa 2007 and Liu et al. 2008 (the energy, and that every round lowers it); libigl (the same energy over
triangles, spots held exactly, from the places as drawn).
"""

from __future__ import annotations

import igl
import numpy as np
import pytest
import shapely
from scipy.sparse import csc_array
from scipy.sparse.linalg import spsolve
from shapely.geometry import MultiPolygon, Polygon, box

from kunstgriff.binding.mesh import build_mesh
from kunstgriff.warp.rigid import Factor, Sheet, Spots, solve
from kunstgriff.warp.tacks import patches, spots_of
from kunstgriff.warp.tiers import FEW, LAST, Tiers

CLOTH = box(0, 0, 800, 1000)
BELT = Polygon([(0, 0), (900, 120), (1000, 420), (700, 380), (640, 240), (0, 140)])


def mesh_of(outline, edge):
    mesh = build_mesh(MultiPolygon([outline]), 12, None, (), edge, 1.0)
    return np.asarray(mesh.vertices, np.float64), mesh.triangles.astype(np.int32)


def held(vertices, triangles, places, **more):
    """A sheet held at the vertices next to places, and the numbers of these."""
    rows = np.array([np.hypot(*(vertices - place).T).argmin() for place in places], np.int32)
    spots = Spots(np.arange(len(rows) + 1, dtype=np.int32), rows, np.ones(len(rows)))
    return Sheet.of(vertices, triangles, spots, **more), rows


def settled(sheet, vertices, targets, rounds=None):
    out = np.empty_like(vertices)
    sheet.settle(vertices, targets, out, **({} if rounds is None else {"rounds": rounds, "steady": 0.0}))
    return out


CASES = [
    (CLOTH, [(100, 80), (400, 60), (700, 80), (120, 900), (680, 900)], [(0, 0)] * 3 + [(120, -40), (60, 30)]),
    (BELT, [(40, 70), (500, 140), (940, 380)], [(0, 0), (-15, 45), (-60, -80)]),
]


@pytest.mark.parametrize(("outline", "places", "moves"), CASES)
def test_spots_deform_a_mesh_as_libigl_does(outline, places, moves):
    vertices, triangles = mesh_of(outline, 40)
    sheet, rows = held(vertices, triangles, places)
    targets = vertices[rows] + moves
    data = igl.ARAPData()
    data.max_iter = 2_000
    igl.arap_precomputation(vertices, triangles.astype(np.int64), 2, rows, data)
    theirs = igl.arap_solve(targets, data, vertices.copy())
    assert np.abs(settled(sheet, vertices, targets, 400) - theirs).max() < 0.01  # px of 1,000
    assert np.abs(settled(sheet, vertices, targets) - theirs).max() < 0.5  # as it is worked out live


COMB = box(0, 0, 700, 200).union(box(0, 0, 120, 900)).union(box(200, 0, 320, 900)).union(box(580, 0, 700, 900))
BIG = [
    (CLOTH, 19, CASES[0][1], CASES[0][2], 1.0),
    (BELT, 9, CASES[1][1], CASES[1][2], 5.0),  # all of its bend comes to lie at one corner, which no coarse mesh has
    (COMB, 16, [(350, 20), (60, 880), (260, 880), (640, 880)], [(0, 0), (-60, 0), (40, -20), (90, -60)], 1.0),
]


@pytest.mark.parametrize(("outline", "edge", "places", "moves", "within"), BIG)
def test_a_big_mesh_is_settled_within_a_pixel_of_where_it_ends(outline, edge, places, moves, within):
    vertices, triangles = mesh_of(outline, edge)
    assert len(vertices) > 4 * FEW
    spots = spots_of(patches(np.array(places, float), vertices, triangles))
    tiers, targets = Tiers.of(vertices, triangles, spots), spots.seen(vertices) + moves
    end = settled(tiers.fine, vertices, targets, 1_000)
    away = np.abs(settled(tiers, vertices, targets) - end).max()
    assert away < within
    assert away < 0.6 * np.abs(settled(tiers.fine, vertices, targets, LAST) - end).max()  # as many on the mesh alone


def test_a_coarse_mesh_hangs_together_as_the_fine_one_does():
    vertices, triangles = mesh_of(COMB, 16)
    tiers = Tiers.of(vertices, triangles, held(vertices, triangles, BIG[2][2])[0].spots)
    corners = vertices[tiers.coarse.seeds][tiers.coarse.sheet.triangles]
    middles = shapely.points(corners.mean(1))
    assert COMB.buffer(1).contains(middles).all()  # no triangle over a gap
    assert shapely.union_all([shapely.Polygon(one) for one in corners]).area > 0.7 * COMB.area


@pytest.mark.parametrize(("outline", "places", "moves"), CASES)
def test_no_round_raises_the_energy(outline, places, moves):
    vertices, triangles = mesh_of(outline, 40)
    sheet, rows = held(vertices, triangles, places)
    targets = vertices[rows] + moves
    energies = [sheet.energy(vertices, settled(sheet, vertices, targets, rounds)) for rounds in range(1, 30)]
    assert (np.diff(energies) <= 1e-6 * energies[0]).all()


def test_a_common_turn_of_all_spots_is_a_turn_of_the_whole():
    vertices, triangles = mesh_of(CLOTH, 60)
    sheet, rows = held(vertices, triangles, [(0, 0), (800, 0), (300, 700)])
    for degrees in (10, 90, 179, -140):
        way = np.radians(degrees)
        turn = np.array([[np.cos(way), -np.sin(way)], [np.sin(way), np.cos(way)]])
        out = settled(sheet, vertices, vertices[rows] @ turn.T + (70, -30))
        assert np.abs(out - (vertices @ turn.T + (70, -30))).max() < 1e-6


def test_the_energy_is_that_of_libigls_cotangent_matrix_where_nothing_turns():
    vertices, triangles = mesh_of(BELT, 40)
    sheet, _ = held(vertices, triangles, [(40, 70), (500, 140)])
    out = vertices * (1.2, 1.0)
    laplacian = -igl.cotmatrix(vertices, triangles.astype(np.int64))
    by = out - vertices
    assert sheet.energy(vertices, out) == pytest.approx(float((by * (laplacian @ by)).sum()) / 2, rel=1e-9)


def test_the_factored_matrix_solves_as_scipys_does():
    rng = np.random.default_rng(3)
    pairs = rng.integers(0, 300, (900, 2))
    rows = csc_array((np.ones(900), (np.arange(900), pairs[:, 0])), (900, 300))
    rows = rows - csc_array((np.ones(900), (np.arange(900), pairs[:, 1])), (900, 300))
    matrix = csc_array(rows.T @ rows + csc_array(np.eye(300)))
    right = rng.normal(size=(300, 2))
    factor, found = Factor.of(matrix), right.copy()
    solve(factor.order, factor.starts, factor.rows, factor.values, factor.inverse, found, np.empty((300, 2)))
    assert np.abs(found - spsolve(matrix, right)).max() < 1e-9


def test_spots_that_reach_so_far_leave_the_rest_where_it_is():
    vertices, triangles = mesh_of(CLOTH, 40)
    sheet, rows = held(vertices, triangles, [(400, 500)], reach=100.0)
    moved = np.hypot(*(settled(sheet, vertices, vertices[rows] + (50, 0)) - vertices).T)
    away = np.hypot(*(vertices - (400, 500)).T)
    assert moved.max() == pytest.approx(50, abs=1e-3)
    assert moved[away > 350].max() < 5
