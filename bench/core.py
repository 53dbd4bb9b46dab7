"""Figures of the core: evaluating, binding, meshing and weighing, painting."""

from __future__ import annotations

import io
import json
import zipfile
from pathlib import Path
from statistics import median

import cv2
import igl
import numpy as np
from PIL import Image

from bench.timing import Row, in_turn, seconds
from kunstgriff.artwork import outline
from kunstgriff.artwork.ink import split_ink
from kunstgriff.artwork.ora import read_ora
from kunstgriff.artwork.outline import outline_of
from kunstgriff.artwork.renewing import match_sheet, renewal
from kunstgriff.artwork.sheet import figure_from_sheet
from kunstgriff.binding import influences
from kunstgriff.binding.mesh import build_mesh, smallest_angles
from kunstgriff.binding.skinning import skin
from kunstgriff.binding.weights import biharmonic_weights, held_vertices, spine_points, trimmed_bones
from kunstgriff.evaluate.rig import compile_rig
from kunstgriff.figure.archive import read_archive
from kunstgriff.figure.edit import apply_edit
from kunstgriff.figure.stores import MemoryStores, decode_png
from kunstgriff.follow.spring import SpringChains, steps_for
from kunstgriff.paint.painter import Painter, sheet_view
from kunstgriff.trial.swing import swung_bones

DEMO = Path(__file__).resolve().parents[1] / "demo"


def evaluate() -> Row:
    figure, stores = read_archive(DEMO / "pell.zip")
    rig = compile_rig(figure, stores)
    chains = SpringChains(rig, figure)
    steps = steps_for(24)
    driven = np.zeros((steps, len(figure.bones)))
    for ref, degrees in swung_bones(figure).items():  # as the test swing drives it
        driven[:, rig.bone_index[ref]] = degrees * np.sin(np.arange(steps) / 40)
    moves = np.zeros((steps, len(figure.bones), 2))

    def frame() -> None:
        chains.advance(driven, moves)
        rig.evaluate()

    def kernel() -> None:
        skin(rig.rest, rig.bones, rig.weights, rig.matrices, rig.vertices)

    ours, floor = in_turn(frame, kernel, rounds=31, repeats=200)
    what = f"evaluate the demo ({len(figure.parts)} parts, {len(rig.rest)} vertices, {len(figure.bones)} bones, springs on)"
    beside = f"{floor * 1e6:.0f} µs bare skinning kernel, same vertices"
    return Row(what, f"{ours * 1e6:.0f} µs, {ours / floor:.2f} times", beside, "≤ 2.5 times", ours / floor <= 2.5)


def bind() -> Row:
    sheet = read_ora(DEMO / "pell.ora")
    edits = json.loads((DEMO / "pell-rig.json").read_text())
    binding = [edit for edit in edits if edit["kind"].startswith("bind_")]
    others = [edit for edit in edits if edit["kind"] in ("draw_chain", "rename_bone")]
    taken = []
    for _ in range(3):
        stores = MemoryStores()
        figure = figure_from_sheet(sheet, "Pell", stores)
        for edit in others:
            figure = apply_edit(edit, figure, stores)
        outline._outline.cache_clear()
        influences._measured.cache_clear()

        def all_of_it(figure=figure, stores=stores) -> None:
            for edit in binding:
                figure = apply_edit(edit, figure, stores)

        taken.append(seconds(all_of_it))
    reached = median(taken)
    return Row("bind the whole demo figure (all meshes and weights)", f"{reached:.2f} s", "", "≤ 3 s", reached <= 3)


def mesh_and_weights() -> list[Row]:
    alpha = np.zeros((1000, 700), np.uint8)
    cv2.rectangle(alpha, (50, 50), (650, 350), 255, -1)
    cv2.rectangle(alpha, (50, 350), (346, 950), 255, -1)
    cv2.rectangle(alpha, (354, 350), (650, 950), 255, -1)
    bones = [((350.0, 80.0), (350.0, 330.0)), ((200.0, 360.0), (200.0, 900.0)), ((500.0, 360.0), (500.0, 900.0))]
    edge = 10.5
    kept: dict[str, np.ndarray] = {}

    def ours() -> None:
        outline = outline_of(alpha)
        trimmed = trimmed_bones(outline, bones)
        kept["mesh"] = build_mesh(outline, 5000, spine_points(trimmed, edge))
        kept["weights"] = biharmonic_weights(kept["mesh"], trimmed, edge)

    ours()
    mesh, weights = kept["mesh"], kept["weights"]
    held_by = held_vertices(mesh.vertices, trimmed_bones(outline_of(alpha), bones), edge)
    held = np.flatnonzero(held_by >= 0)
    values = np.eye(3)[held_by[held]]

    def peer() -> None:
        igl.bbw(mesh.vertices, mesh.triangles.astype(np.int64), held.astype(np.int64), values)

    mine, theirs = in_turn(ours, peer, rounds=5)
    angle = smallest_angles(mesh).min()
    right = (mesh.vertices[:, 0] > 350) & (mesh.vertices[:, 1] > 380)
    leak = weights[right, 1].max()
    count = len(mesh.vertices)
    return [
        Row(f"mesh of one part, {count} vertices: least angle", f"{angle:.1f}°", "", "≥ 28°", angle >= 28),
        Row("… weight leaked to a leg 8 px away", f"{leak:.3f}", "", "≤ 0.05", leak <= 0.05),
        Row(
            "… outline, mesh and weights together",
            f"{mine * 1e3:.0f} ms, {mine / theirs:.3f} times",
            f"{theirs * 1e3:.0f} ms libigl bounded biharmonic, weights alone",
            "≤ 0.15 times",
            mine / theirs <= 0.15,
        ),
    ]


def artwork() -> list[Row]:
    def bare_decode() -> None:
        with zipfile.ZipFile(DEMO / "pell.ora") as archive:
            for name in archive.namelist():
                if name.startswith("data/"):
                    Image.open(io.BytesIO(archive.read(name))).convert("RGBA").load()

    def whole_import() -> None:
        figure_from_sheet(read_ora(DEMO / "pell.ora"), "Pell", MemoryStores())

    ours, floor = in_turn(whole_import, bare_decode, rounds=7)
    figure, stores = read_archive(DEMO / "pell.zip")

    def renew() -> None:
        sheet = read_ora(DEMO / "pell-2.ora")
        apply_edit(renewal(figure, sheet, match_sheet(figure, sheet, stores), stores), figure, stores)

    renew()
    again = median(seconds(renew) for _ in range(5))
    part = max(figure.parts, key=lambda one: one.size[0] * one.size[1])
    pixels = decode_png(stores.get_picture(part.picture))
    split = median(seconds(lambda: split_ink(pixels)) for _ in range(5)) / (pixels.shape[0] * pixels.shape[1] / 1e6)
    return [
        Row(
            "import the demo (35 layers)",
            f"{ours:.2f} s, {ours / floor:.1f} times",
            f"{floor:.2f} s bare decoding",
            "",
            True,
        ),
        Row("ink split", f"{split * 1e3:.0f} ms a megapixel", "", "", True),
        Row("re-import the demo, three parts changed or new", f"{again:.2f} s", "", "≤ 2 s", again <= 2),
    ]


def paint() -> Row:
    figure, stores = read_archive(DEMO / "pell.zip")
    rig = compile_rig(figure, stores)
    painter = Painter()
    view = sheet_view(figure, (1920, 1080))
    frame = rig.evaluate()
    painter.paint(rig, frame, view, stores)
    taken = median(seconds(lambda: painter.paint(rig, frame, view, stores), 5) for _ in range(9))
    renderer = painter.context.info["GL_RENDERER"]
    return Row(
        "paint one 1080p frame of the demo on the server",
        f"{1 / taken:.1f} frames/s",
        renderer,
        "≥ 20 frames/s",
        taken <= 1 / 20,
    )
