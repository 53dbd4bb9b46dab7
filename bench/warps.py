"""Figures of warps: lattices and cages beside linear skinning of the same vertices, tacks beside libigl, hems, and the
demo posed with and without its warps."""

from __future__ import annotations

import numpy as np
from shapely.geometry import MultiPolygon, box

from bench.core import DEMO
from bench.timing import Row, in_turn, seconds
from kunstgriff.binding.blending import linear
from kunstgriff.binding.mesh import build_mesh
from kunstgriff.evaluate.state import AS_IT_IS, compile_rig
from kunstgriff.figure.archive import read_archive
from kunstgriff.figure.pose import parse_pose
from kunstgriff.figure.warps import Handle, Lattice
from kunstgriff.warp.cage import Polygon, harmonic
from kunstgriff.warp.hem.laying import shares_of
from kunstgriff.warp.hem.reading import HemReader, read_hem
from kunstgriff.warp.hem.tuning import tuned
from kunstgriff.warp.lattice import Grid
from kunstgriff.warp.rigid import FEWEST, WORK, Sheet, Spots
from kunstgriff.warp.warping import add_turned

MANY = 100_000


def lattice_of(count: int) -> Row:
    """One lattice of so many columns and rows on many vertices."""
    rng = np.random.default_rng(4)
    rest = rng.uniform(0, 1000, (MANY, 2)).astype(np.float32)
    bones, weights = rng.integers(0, 40, (MANY, 4)).astype(np.int32), rng.random((MANY, 4)).astype(np.float32)
    weights /= weights.sum(1, keepdims=True)
    transforms, vertices = rng.random((40, 4)).astype(np.float32), np.empty_like(rest)
    corners = ((0.0, 0.0), (1000.0, 0.0), (0.0, 1000.0))
    handles = tuple(Handle(id=f"h{k}", place=(0, 0)) for k in range(count * count))
    grid = Grid.of(Lattice(id="w1", name="x", of=("p1",), corners=corners, columns=count, rows=count, handles=handles))
    at, carrier = grid.coordinates(rest.astype(np.float64)).astype(np.float32), np.array(AS_IT_IS)
    out, rows = np.empty((2, MANY), np.float32), np.arange(MANY, dtype=np.int32)
    moves = rng.uniform(-50, 50, (count * count, 2))

    def ours() -> None:
        grid.sums(grid.ready(moves).astype(np.float32), at, out)
        add_turned(out, carrier, rows, vertices)

    taken, floor = in_turn(ours, lambda: linear(rest, bones, weights, transforms, vertices), rounds=25)
    limit = 1.3 if count <= 4 else 3.0
    what = f"lattice {count}×{count} on {MANY:,} vertices"
    beside = f"{floor * 1e3:.2f} ms linear skinning of the same"
    reached = f"{taken * 1e3:.2f} ms, {taken / floor:.2f} times"
    return Row(what, reached, beside, f"≤ {limit:g} times", taken / floor <= limit)


def cages() -> list[Row]:
    """A cage of 24 corners on 10,000 vertices: its coordinates, and posing it beside linear skinning."""
    turns = np.linspace(0, 2 * np.pi, 24, endpoint=False)
    corners = np.column_stack([500 + 480 * np.cos(turns), 500 + 480 * np.sin(turns)])
    rng = np.random.default_rng(4)
    rest = (rng.uniform(200, 800, (10_000, 2))).astype(np.float32)
    bones, weights = rng.integers(0, 40, (10_000, 4)).astype(np.int32), rng.random((10_000, 4)).astype(np.float32)
    transforms, vertices = rng.random((40, 4)).astype(np.float32), np.empty_like(rest)
    polygon, moves, carrier = Polygon(corners), rng.uniform(-50, 50, (24, 2)), np.array(AS_IT_IS)
    points, none = rest.astype(np.float64), np.zeros((24, 2))
    _, held = polygon.holding(points, none)
    out, rows = np.empty((2, 10_000), np.float32), np.arange(10_000, dtype=np.int32)

    def ours() -> None:
        held.sums(moves, out)
        add_turned(out, carrier, rows, vertices)

    taken, floor = in_turn(ours, lambda: linear(rest, bones, weights, transforms, vertices), rounds=41, repeats=20)
    laid, harmonious = in_turn(lambda: polygon.holding(points, none), lambda: _harmonic(corners, points), rounds=5)
    return [
        Row("cage of 24 corners on 10,000 vertices", f"{taken * 1e6:.0f} µs, {taken / floor:.2f} times",
            f"{floor * 1e6:.0f} µs linear skinning of the same", "≤ 1.5 times", taken / floor <= 1.5),
        Row("… its coordinates", f"{laid * 1e3:.1f} ms", "", "≤ 8 ms", laid <= 0.008),
        Row("… harmonic ones", f"{harmonious * 1e3:.0f} ms", "", "≤ 200 ms", harmonious <= 0.2),
    ]  # fmt: skip


def _harmonic(corners: np.ndarray, points: np.ndarray) -> None:
    Polygon(corners, *harmonic(corners)).coordinates(points)


def tacks() -> list[Row]:
    """A sheet of 2,000 vertices held at six spots, beside libigl's as-rigid-as-possible with as many rounds, and how far
    both are from where that ends."""
    import igl

    mesh = build_mesh(MultiPolygon([box(0, 0, 800, 1200)]), 12, None, (), 23.0, 1.0)
    vertices, triangles = np.asarray(mesh.vertices, np.float64), mesh.triangles.astype(np.int32)
    places = [(80, 80), (400, 60), (720, 80), (100, 1120), (400, 1140), (700, 1120)]
    rows = np.array([np.hypot(*(vertices - place).T).argmin() for place in places], np.int32)
    sheet = Sheet.of(vertices, triangles, Spots(np.arange(7, dtype=np.int32), rows, np.ones(6)))
    targets = vertices[rows] + np.repeat([(0, 0), (160, -40)], 3, axis=0)
    rounds, out = max(WORK // len(vertices), FEWEST), np.empty_like(vertices)
    data, ending = igl.ARAPData(), igl.ARAPData()
    data.max_iter, ending.max_iter = rounds, 3_000
    for one in (data, ending):
        igl.arap_precomputation(vertices, triangles.astype(np.int64), 2, rows, one)
    taken, floor = in_turn(
        lambda: sheet.settle(vertices, targets, out), lambda: igl.arap_solve(targets, data, vertices.copy()), rounds=15
    )
    end = igl.arap_solve(targets, ending, vertices.copy())
    away, theirs = (float(np.abs(one - end).max()) for one in (out, igl.arap_solve(targets, data, vertices.copy())))
    return [
        Row(f"tacks on {len(vertices):,} vertices, {rounds} rounds", f"{taken * 1e3:.1f} ms, {taken / floor:.2f} times",
            f"{floor * 1e3:.1f} ms libigl", "≤ 0.5 times, 4 ms", taken / floor <= 0.5 and taken <= 0.004),
        Row("… away from where it ends", f"{away:.2f} px", f"{theirs:.1f} px libigl", "≤ 1 px", away <= 1),
    ]  # fmt: skip


def hems() -> list[Row]:
    """Dame Tallow's skirt read over its whole grid, and tuned."""
    figure, stores = read_archive(DEMO / "tallow.zip")
    hem = figure.hems[0]
    reader = HemReader(figure, hem, stores)
    read_hem(reader, 2)
    read, tuning = seconds(lambda: read_hem(reader)), seconds(lambda: tuned(reader, shares_of(figure, hem)))
    return [
        Row("a hem read, 13 × 13 poses and the kept ones", f"{read:.2f} s", "", "≤ 2 s", read <= 2),
        Row("… tuned", f"{tuning:.1f} s", "", "≤ 15 s", tuning <= 15),
    ]


def posed_demo() -> Row:
    """The demo posed with its lattice, cage, two curves and six tacks, beside the same meshes without them."""
    figure, stores = read_archive(DEMO / "pell.zip")
    with_them, without = compile_rig(figure, stores), compile_rig(figure.replace(warps=(), poses=()), stores)
    posed = {"face 2,2.shift.x": 30, "brow 2.shift.y": -20, "lips 2.shift.y": 12, "belly 5.shift.x": 40}
    with_them.set_pose(parse_pose(posed | {"scarf tail 2.turn": 30, "chest.turn": 8}).by_id(figure))
    without.set_pose(parse_pose({"scarf tail 2.turn": 30, "chest.turn": 8}).by_id(figure))
    taken, floor = in_turn(with_them.evaluate, without.evaluate, rounds=31, repeats=100)
    reached = f"{taken * 1e6:.0f} µs, {taken / floor:.2f} times"
    beside = f"{floor * 1e6:.0f} µs without them"
    return Row("pose the demo with its warps", reached, beside, "≤ 1.35 times", taken / floor <= 1.35)


def warps() -> list[Row]:
    return [lattice_of(4), lattice_of(8), *cages(), *tacks(), *hems(), posed_demo()]
