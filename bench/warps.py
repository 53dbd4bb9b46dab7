"""Figures of warps: lattices and cages beside linear skinning of the same vertices, tacks beside libigl, hems, and the
demo posed with and without its warps."""

from __future__ import annotations

import json
from functools import partial
from statistics import median

import numpy as np
from shapely.geometry import LineString, MultiPolygon, box

from bench.core import DEMO
from bench.timing import Row, in_turn, seconds
from kunstgriff.binding.blending import linear
from kunstgriff.binding.mesh import build_mesh
from kunstgriff.evaluate.frame import packed
from kunstgriff.evaluate.state import AS_IT_IS, RigState, compile_rig
from kunstgriff.figure.archive import read_archive
from kunstgriff.figure.edit import apply_edit
from kunstgriff.figure.pose import Pose, parse_pose
from kunstgriff.figure.warps import Handle, Lattice
from kunstgriff.warp.cage import Polygon, harmonic
from kunstgriff.warp.hem.laying import shares_of
from kunstgriff.warp.hem.reading import HemReader, read_hem
from kunstgriff.warp.hem.tuning import tuned
from kunstgriff.warp.lattice import Grid
from kunstgriff.warp.tacks import patches, spots_of
from kunstgriff.warp.tiers import LAST, Tiers
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
    """A sheet and a strip of 2,000 vertices held at spots, beside libigl's as-rigid-as-possible with as many rounds, and
    how far both are from where that ends; at many targets, since one drag may be an easy one."""
    import igl

    rng, rows = np.random.default_rng(1), list[Row]()
    sheet = [(80, 80), (400, 60), (720, 80), (100, 1120), (400, 1140), (700, 1120)]
    strip = LineString([(x, 60 * np.sin(x / 150)) for x in range(0, 900, 20)]).buffer(45)
    for what, outline, edge, places, reach in (
        ("tacks on a sheet", box(0, 0, 800, 1200), 23.0, sheet, 40),
        ("tacks on a strip", strip, 7.6, [(10, 0), (440, 0), (880, 0)], 60),
    ):
        mesh = build_mesh(MultiPolygon([outline]), 12, None, (), edge, 1.0)
        vertices, triangles = np.asarray(mesh.vertices, np.float64), mesh.triangles.astype(np.int32)
        spots = spots_of(patches(np.array(places, np.float64), vertices, triangles))
        ours, out, end = Tiers.of(vertices, triangles, spots), np.empty_like(vertices), np.empty_like(vertices)
        data, held = igl.ARAPData(), np.unique(spots.vertices).astype(np.int32)
        data.max_iter = LAST
        igl.arap_precomputation(vertices, triangles.astype(np.int64), 2, held, data)
        away, targets = [], spots.seen(vertices)
        for _ in range(16):
            targets = spots.seen(vertices) + rng.normal(0, reach, (len(places), 2))
            ours.fine.settle(vertices, targets, end, 600, steady=0.0)
            ours.settle(vertices, targets, out)
            away.append(float(np.abs(out - end).max()))
        taken, floor = in_turn(
            partial(ours.settle, vertices, targets, out),
            partial(igl.arap_solve, vertices[held] + 20.0, data, vertices.copy()),
            rounds=15,
        )
        rows += [
            Row(f"{what} of {len(vertices):,} vertices", f"{taken * 1e3:.1f} ms, {taken / floor:.2f} times",
                f"{floor * 1e3:.1f} ms libigl, {LAST} rounds", "≤ 0.5 times, 4 ms",
                taken / floor <= 0.5 and taken <= 0.004),
            Row("… away from where it ends, at 16 wild targets", f"{median(away):.2f} px, {max(away):.1f} at the most",
                "", "median ≤ 1 px", median(away) <= 1),
        ]  # fmt: skip
    return rows


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


def posed_demo() -> list[Row]:
    """The demo with its lattice and two more, cage, two curves and six tacks, beside the same meshes without them: each
    bone dragged in turn while the figure stands in a kept pose, from a message of the live socket to its answer; and
    posed anew from head to foot with a handle of each warp, evaluating alone."""
    figure, stores = read_archive(DEMO / "pell.zip")
    for ear in ("near ear", "far ear"):
        figure = apply_edit({"kind": "lay_lattice", "parts": [ear], "name": ear}, figure, stores)
    bare = figure.replace(warps=(), poses=())
    standing = figure.poses[0].pose.restricted_to({bone.id for bone in figure.bones}).channels
    drags = [
        json.dumps({"pose": {**standing, f"{bone.id}.turn": degrees}}) for bone in figure.bones for degrees in range(12)
    ]

    def answered(rig: RigState) -> None:
        for message in drags:
            pose = parse_pose(json.loads(message)["pose"]).restricted_to(rig.program.posable)
            packed(bytes(12), rig.evaluate(pose).changes)

    with_them, without = compile_rig(figure, stores), compile_rig(bare, stores)
    live, floor = in_turn(partial(answered, with_them), partial(answered, without), rounds=5)
    anew = {f"{bone.id}.turn": 7.0 for bone in figure.bones}
    handles = {"face 2,2.shift.x": 30, "brow 2.shift.y": -20, "lips 2.shift.y": 12, "belly 5.shift.x": 40}
    poses = Pose(channels=anew), Pose(channels=anew).merged(parse_pose(handles).by_id(figure))

    def both(rig: RigState, pose: Pose) -> None:
        rig.evaluate(Pose())
        rig.evaluate(pose)

    whole, plain = in_turn(partial(both, with_them, poses[1]), partial(both, without, poses[0]), rounds=31, repeats=20)
    return [
        Row("live posing of the demo with its warps", f"{live / len(drags) * 1e6:.0f} µs, {live / floor:.2f} times",
            f"{floor / len(drags) * 1e6:.0f} µs without them", "≤ 1.35 times", live / floor <= 1.35),
        Row("… all of it posed anew, with a handle of each, evaluating alone",
            f"{whole * 5e5:.0f} µs, {whole / plain:.2f} times", f"{plain * 5e5:.0f} µs", "", None),
    ]  # fmt: skip


def warps() -> list[Row]:
    return [lattice_of(4), lattice_of(8), *cages(), *tacks(), *hems(), *posed_demo()]
