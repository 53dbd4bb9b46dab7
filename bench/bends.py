"""Figures of bones and binding: bound and tuned, skinning by kernel, the bend fan, a tuned elbow."""

from __future__ import annotations

from functools import partial
from statistics import median

import cv2
import igl
import numba
import numpy as np
from tests.art import edited, one_piece_arm

from bench.core import DEMO, boned_demo
from bench.timing import Row, in_turn, seconds
from kunstgriff.artwork.outline import outline_of
from kunstgriff.binding.blending import dual_numbers_of, linear, linear_threads, rigid
from kunstgriff.binding.mesh import build_mesh
from kunstgriff.binding.weights import automatic_weights, held_vertices, spine_points, trimmed_bones
from kunstgriff.delivery.frames import painter
from kunstgriff.figure.archive import read_archive
from kunstgriff.figure.edit import apply_edit, need_bone
from kunstgriff.reading.fan import bend_fan
from kunstgriff.reading.joint import JointReader


def bound_and_tuned() -> Row:
    """From bare parts and bones to bound and tuned, as the demo is."""
    taken = []
    for _ in range(3):
        figure, stores = boned_demo("draw_chain", "rename_bone", "set_limits")
        taken.append(seconds(partial(apply_edit, {"kind": "bind_figure"}, figure, stores)))
    reached = median(taken)
    return Row("whole demo from bare parts and bones to bound and tuned", f"{reached:.1f} s", "", "≤ 6 s", reached <= 6)


def weights_alone() -> Row:
    alpha = np.zeros((1000, 700), np.uint8)
    cv2.rectangle(alpha, (50, 50), (650, 350), 255, -1)
    cv2.rectangle(alpha, (50, 350), (348, 950), 255, -1)
    cv2.rectangle(alpha, (352, 350), (650, 950), 255, -1)
    bones = [((350.0, 80.0), (350.0, 330.0)), ((200.0, 360.0), (200.0, 900.0)), ((500.0, 360.0), (500.0, 900.0))]
    shape = outline_of(alpha)
    trimmed = trimmed_bones(shape, bones)
    mesh = build_mesh(shape, 5000, spine_points(trimmed, 10.5))
    held_by = held_vertices(mesh.vertices, trimmed, 10.5)
    held = np.flatnonzero(held_by >= 0).astype(np.int64)
    values, faces = np.eye(3)[held_by[held]], mesh.triangles.astype(np.int64)
    mine, theirs = in_turn(
        lambda: automatic_weights(mesh, trimmed, 10.5), lambda: igl.bbw(mesh.vertices, faces, held, values), rounds=5
    )
    beside = f"{theirs * 1e3:.0f} ms libigl bounded biharmonic"
    reached = f"{mine * 1e3:.0f} ms, {mine / theirs:.3f} times"
    return Row(f"weights alone, {len(mesh.vertices)} vertices", reached, beside, "≤ 0.1 times", mine / theirs <= 0.1)


def skinning() -> list[Row]:
    """100,000 vertices with 4 influences each, in the order of a limb's mesh."""
    count, bones = 100_000, 40
    rng = np.random.default_rng(0)
    rest = (rng.normal(size=(count, 2)) * 300).astype(np.float32)
    which = (np.sort(rng.integers(0, bones - 4, count))[:, None] + np.arange(4)).astype(np.int32)
    weights = rng.dirichlet(np.ones(4), count).astype(np.float32)
    angles, offsets = rng.normal(size=bones), rng.normal(size=(bones, 2)) * 50
    turns = np.column_stack([np.cos(angles), np.sin(angles), offsets]).astype(np.float32)
    dual_numbers = dual_numbers_of(angles, offsets).astype(np.float32)
    posed = np.empty_like(rest)
    arrays = (rest, which, weights, posed)
    copies = [np.empty_like(one) for one in arrays]

    def copy() -> None:
        for source, target in zip(arrays, copies, strict=True):
            np.copyto(target, source)

    one, floor = in_turn(lambda: linear(rest, which, weights, turns, posed), copy, rounds=41, repeats=5)
    numba.set_num_threads(min(2, numba.config.NUMBA_NUM_THREADS))
    two, floor_two = in_turn(lambda: linear_threads(rest, which, weights, turns, posed), copy, rounds=41, repeats=5)
    stiff, plain = in_turn(
        lambda: rigid(rest, which, weights, dual_numbers, posed), lambda: linear(rest, which, weights, turns, posed),
        rounds=41, repeats=5,
    )  # fmt: skip
    copied = "copy of the same arrays"
    return [
        Row("linear skinning, 100,000 vertices, one thread", f"{one * 1e6:.0f} µs, {one / floor:.2f} times",
            f"{floor * 1e6:.0f} µs {copied}", "≤ 3 times", one / floor <= 3),
        Row("… two threads", f"{two * 1e6:.0f} µs, {two / floor_two:.2f} times",
            f"{floor_two * 1e6:.0f} µs {copied}", "≤ 1.5 times", two / floor_two <= 1.5),
        Row("rigid blending, the same", f"{stiff * 1e6:.0f} µs, {stiff / plain:.2f} times",
            f"{plain * 1e6:.0f} µs linear", "≤ 1.6 times", stiff / plain <= 1.6),
    ]  # fmt: skip


def fan() -> Row:
    figure, stores = read_archive(DEMO / "pell.zip")
    bone = need_bone(figure, "near ear 2")

    def painted() -> None:
        bend_fan(figure, stores, bone, painter(), tile=300)

    painted()
    reached = median(seconds(painted) for _ in range(7))
    return Row("bend fan of 9 pictures of 300 x 300", f"{reached * 1e3:.0f} ms", "", "≤ 400 ms", reached <= 0.4)


def elbow() -> list[Row]:
    """The capsule arm of the tests, spoilt and tuned."""
    figure, stores = one_piece_arm()
    worse = {"kind": "set_zone", "bone": "arm 2", "inner": 0.5, "outer": 0.5, "mix": 0, "solve": False}
    figure = edited(figure, stores, worse, {"kind": "tune_joints"})
    rows = []
    for reading, _ in JointReader(figure, stores, figure.bones[1], painter()).read((90.0, 120.0)):
        width, area = (0.92, 0.95) if reading.angle == 90 else (0.85, 0.92)
        met = reading.width_kept >= width and reading.area_kept >= area and reading.folded == 0
        told = f"{reading.width_kept:.2f} / {reading.area_kept:.3f} / {reading.folded}"
        target = f"≥ {width} / ≥ {area} / 0"
        rows.append(Row(f"tuned elbow at {reading.angle:.0f}°: width, area, folded", told, "", target, met))
    return rows


def bends() -> list[Row]:
    return [bound_and_tuned(), weights_alone(), *skinning(), fan(), *elbow()]
