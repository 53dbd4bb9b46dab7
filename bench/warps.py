"""Figures of warps: lattices beside linear skinning of the same vertices, and the demo posed with and without them."""

from __future__ import annotations

import numpy as np

from bench.core import DEMO
from bench.timing import Row, in_turn
from kunstgriff.binding.blending import linear
from kunstgriff.evaluate.state import AS_IT_IS, compile_rig
from kunstgriff.figure.archive import read_archive
from kunstgriff.figure.edit import apply_edit
from kunstgriff.figure.pose import parse_pose
from kunstgriff.figure.warps import Handle, Lattice
from kunstgriff.warp.lattice import Grid
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


def posed_demo() -> Row:
    """The demo posed with three lattices, beside the same meshes without them."""
    figure, stores = read_archive(DEMO / "pell.zip")
    for edit in (
        {"kind": "lay_lattice", "groups": ["head"], "name": "one"},
        {"kind": "lay_lattice", "groups": ["scarf"], "name": "two", "columns": 3, "rows": 3},
        {"kind": "lay_lattice", "parts": ["coat"], "name": "three", "columns": 5, "rows": 5, "local": True},
    ):
        figure = apply_edit(edit, figure, stores)
    bare = figure.replace(warps=())
    with_them, without = compile_rig(figure, stores), compile_rig(bare, stores)
    with_them.set_pose(
        parse_pose({"one 2,2.shift.x": 30, "two 2,2.shift.y": 20, "three 3,3.shift.x": 25}).by_id(figure)
    )
    taken, floor = in_turn(with_them.evaluate, without.evaluate, rounds=31, repeats=100)
    reached = f"{taken * 1e6:.0f} µs, {taken / floor:.2f} times"
    beside = f"{floor * 1e6:.0f} µs without them"
    return Row("pose the demo with 3 lattices", reached, beside, "≤ 1.35 times", taken / floor <= 1.35)


def warps() -> list[Row]:
    return [lattice_of(4), lattice_of(8), posed_demo()]
