"""Lattices against splines of a general library: Bernstein polynomials and uniform cubic B-splines of SciPy.

Cages against the definition of their coordinates, curves against splines and the exact ring. Sources: Hormann & Floater
2006 (mean value coordinates); Sederberg & Parry 1986 (free-form deformation by Bernstein polynomials); Lee, Wolberg &
Shin 1997 (uniform cubic B-splines over a lattice); Fritsch & Butland 1984 (monotone cubics); `scipy.interpolate`.
"""

from __future__ import annotations

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.interpolate import BPoly, BSpline, CubicSpline, PchipInterpolator
from shapely.geometry import Polygon as Outline

from kunstgriff.figure.warps import Handle, Lattice
from kunstgriff.warp.basis import carried_on, sums_at
from kunstgriff.warp.cage import Polygon, harmonic, mean_values
from kunstgriff.warp.curve import Line
from kunstgriff.warp.lattice import Grid
from kunstgriff.warp.line import ALONG, monotone, spline, table_of
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


def half_circle(count):
    """A straight line of handles that is laid on a half circle of 100 px, the moves (k, 3) that do it."""
    laid = np.column_stack([np.linspace(0, 100 * np.pi, count), np.zeros(count)])
    turns = np.linspace(0, np.pi, count)
    to = np.column_stack([100 * np.sin(turns), 100 * np.cos(turns) - 100])
    return Line(laid, False), np.column_stack([to - laid, np.zeros(count)])


@pytest.mark.parametrize("count", [3, 5, 9, 12])
def test_a_curve_is_the_cubic_spline_over_chord_lengths(count):
    places = np.cumsum(np.random.default_rng(count).uniform(-40, 80, (count, 2)), 0)
    spans, second = spline(places)
    knots = np.r_[0, np.cumsum(spans)]
    same = CubicSpline(knots, places, bc_type=((2, second[0]), (2, second[-1])))
    assert np.abs(same(knots, 2) - second).max() < 1e-12
    assert (second[0] == second[1]).all()
    table = table_of(places, 0.0)
    fine = same(np.linspace(0, knots[-1], 40_001))
    assert table[-1, ALONG] == pytest.approx(np.hypot(*np.diff(fine, axis=0).T).sum(), rel=1e-4)


def test_along_a_curve_the_art_is_spread_by_a_monotone_cubic():
    rng = np.random.default_rng(8)
    places, values, out = np.sort(rng.uniform(0, 10, 7)), rng.normal(0, 3, 7), np.empty(300)
    at = np.linspace(places[0], places[-1], 300)
    monotone(places, values, at, out)
    assert np.abs(PchipInterpolator(places, values)(at) - out).max() < 1e-12


@pytest.mark.parametrize("side", [-50.0, -20.0, 0.0, 20.0, 50.0])
def test_a_strip_on_a_half_circle_is_the_exact_ring(side):
    line, moves = half_circle(9)
    along = np.linspace(0, 100 * np.pi, 2_000)
    spots = np.column_stack([along, np.full(2_000, side)])
    now = spots + line.moved(moves, spots)
    radius = np.hypot(*(now - (0, -100)).T)
    assert np.abs(radius - (100 + side)).max() < 0.005 * abs(side) + 0.05  # widths to 0.5 %
    length = np.hypot(*np.diff(now, axis=0).T).sum()
    assert length == pytest.approx((100 + side) * np.pi, rel=5e-3 if side else 1e-3)


def test_art_that_keeps_its_length_has_it_along_any_line():
    line, moves = half_circle(9)
    moves[:, :2] += np.random.default_rng(2).normal(0, 12, (9, 2))
    spots = np.column_stack([np.linspace(0, 150, 3_000), np.zeros(3_000)])
    kept = Line(line.even, True)
    now = spots + kept.moved(moves, spots)
    assert np.hypot(*np.diff(now, axis=0).T).sum() == pytest.approx(150, rel=1e-3)
