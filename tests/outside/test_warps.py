"""Lattices against splines of a general library: Bernstein polynomials and uniform cubic B-splines of SciPy.

Cages against the definition of their coordinates. Sources: Hormann & Floater 2006 (mean value coordinates); Sederberg & Parry 1986 (free-form deformation by Bernstein polynomials); Lee, Wolberg & Shin 1997 (uniform cubic
B-splines over a lattice); `scipy.interpolate.BPoly` and `BSpline`.
"""

from __future__ import annotations

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.interpolate import BPoly, BSpline
from shapely.geometry import Polygon as Outline

from kunstgriff.figure.warps import Handle, Lattice
from kunstgriff.warp.basis import carried_on, sums_at
from kunstgriff.warp.cage import Polygon, harmonic, mean_values
from kunstgriff.warp.lattice import Grid
from kunstgriff.warp.warping import Under

SIZES = [(2, 2), (3, 5), (4, 4), (8, 8), (12, 12)]


def spots(count=400, seed=5):
    return np.random.default_rng(seed).uniform(-1, 1, (2, count))


def each_axis(lines, columns):
    """A tensor product: `lines` (rows, n) summed by a basis in the other direction (rows, n)."""
    return (lines * columns).sum(0)


@pytest.mark.parametrize("size", SIZES)
def test_smooth_grids_are_tensor_products_of_bernstein_polynomials(size):
    rows, columns = size
    across, down = spots()
    values = np.random.default_rng(1).normal(0, 30, (2, rows, columns))
    found = sums_at(across, down, values, smooth=True)
    for axis in (0, 1):
        lines = np.stack([BPoly(values[axis, row][:, None], [-1, 1])(across) for row in range(rows)])
        basis = np.stack([BPoly(np.eye(rows)[row][:, None], [-1, 1])(down) for row in range(rows)])
        assert np.abs(found[axis] - each_axis(lines, basis)).max() < 1e-9


@pytest.mark.parametrize("size", SIZES)
def test_local_grids_are_uniform_cubic_b_splines(size):
    rows, columns = size
    across, down = spots()
    values = np.random.default_rng(2).normal(0, 30, (2, rows, columns))
    found = sums_at(across, down, values, smooth=False)
    wide = carried_on(values)

    def spline(coefficients, at, count):
        return BSpline(np.arange(-3.0, len(coefficients) + 1), coefficients, 3)((at + 1) / 2 * (count - 1))

    for axis in (0, 1):
        lines = np.stack([spline(one, across, columns) for one in wide[axis]])
        basis = np.stack([spline(one, down, rows) for one in np.eye(rows + 2)])
        assert np.abs(found[axis] - each_axis(lines, basis)).max() < 1e-10


@pytest.mark.parametrize("size", SIZES)
def test_cell_by_cell_a_local_grid_is_the_same(size):
    rows, columns = size
    corners = ((0.0, 0.0), (300.0, 0.0), (0.0, 200.0))
    handles = tuple(Handle(id=f"h{k}", place=(0, 0)) for k in range(rows * columns))
    grid = Grid.of(Lattice(id="w1", name="x", of=("p1",), corners=corners, columns=columns, rows=rows, local=True,
                           handles=handles))  # fmt: skip
    points = np.random.default_rng(8).uniform(-20, 320, (3_000, 2))
    moves = np.random.default_rng(9).normal(0, 30, (rows * columns, 2))
    under = Under.of(grid, [np.arange(3_000, dtype=np.int32)], points, np.zeros((rows * columns, 2)))
    out = np.empty((2, 3_000), np.float32)
    under.held.sums(moves, out)
    assert np.abs(out.T - grid.moved(moves, points[under.rows])).max() < 1e-3


@settings(max_examples=60, deadline=None)
@given(
    st.integers(2, 12), st.integers(2, 12), st.booleans(),
    st.lists(st.floats(-200, 200), min_size=6, max_size=6),
)  # fmt: skip
def test_every_affine_map_of_the_handles_is_that_of_what_lies_between(rows, columns, smooth, numbers):
    a, b, c, d, e, f = numbers
    x, y = np.meshgrid(np.linspace(-1, 1, columns), np.linspace(-1, 1, rows))
    values = np.stack([a * x + b * y + e, c * x + d * y + f])
    across, down = spots(60)
    found = sums_at(across, down, values, smooth)
    exact = np.stack([a * across + b * down + e, c * across + d * down + f])
    assert np.abs(found - exact).max() < 1e-9


@pytest.mark.parametrize("smooth", [True, False])
def test_no_point_between_is_moved_further_than_the_furthest_handle(smooth):
    """Both bases are positive and sum to one inside; the spline's edge, carried on evenly, may go a sixth beyond."""
    values = np.random.default_rng(9).uniform(-1, 1, (2, 6, 7))
    across, down = spots(2_000)
    assert np.abs(sums_at(across, down, values, smooth)).max() <= (1.0 if smooth else 16 / 9)


CONVEX = np.array([[0.0, 0.0], [180, -20], [240, 90], [150, 200], [-30, 150]])
CONCAVE = np.array([[0.0, 0.0], [200, 0], [200, 200], [110, 200], [110, 60], [90, 60], [90, 200], [0, 200]])


def within(corners, count=500):
    spots = np.random.default_rng(6).uniform(corners.min(0), corners.max(0), (6 * count, 2))
    return spots[shapely.contains_xy(Outline(corners), spots)][:count]


def coordinates(points, corners):
    found = np.empty((len(points), len(corners)))
    mean_values(np.ascontiguousarray(points), corners, found)
    return found


@pytest.mark.parametrize("corners", [CONVEX, CONCAVE])
def test_mean_value_coordinates_sum_to_one_and_reproduce_the_place(corners):
    spots = within(corners)
    found = coordinates(spots, corners)
    assert np.abs(found.sum(1) - 1).max() < 1e-12
    assert np.abs(found @ corners - spots).max() < 1e-9


@pytest.mark.parametrize("corners", [CONVEX, CONCAVE])
def test_mean_value_coordinates_are_those_of_their_formula(corners):
    """w = (tan(a before / 2) + tan(a after / 2)) / r, by the angles themselves (Hormann & Floater 2006, eq. 11)."""
    spots = within(corners, 40)
    for spot, found in zip(spots, coordinates(spots, corners), strict=True):
        away = (corners - spot) @ (1, 1j)
        turned = np.angle(np.roll(away, -1) / away)
        w = (np.tan(np.roll(turned, 1) / 2) + np.tan(turned / 2)) / np.abs(away)
        assert np.abs(found - w / w.sum()).max() < 1e-12


def test_each_corner_has_itself_alone_and_an_edge_its_two_ends():
    assert np.array_equal(coordinates(CONVEX, CONVEX), np.eye(5))
    middle = (CONVEX[0] + 3 * CONVEX[1]) / 4
    assert np.allclose(coordinates(middle[None], CONVEX)[0], [0.25, 0.75, 0, 0, 0], atol=1e-12)
    assert coordinates(within(CONVEX), CONVEX).min() > 0, "positive inside a convex cage"


def test_harmonic_coordinates_reproduce_places_and_stay_positive_where_mean_value_ones_do_not():
    cage = Polygon(CONCAVE, *harmonic(CONCAVE))
    spots = within(Outline(CONCAVE).buffer(-6).exterior.coords[:-1] @ np.eye(2))
    found = cage.coordinates(spots)
    assert np.abs(found.sum(1) - 1).max() < 1e-9
    assert np.abs(found @ CONCAVE - spots).max() < 0.5
    assert found.min() > -0.01
    assert coordinates(spots, CONCAVE).min() < -0.2
