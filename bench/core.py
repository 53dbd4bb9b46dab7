"""Figures of the core: evaluating, binding, meshing and weighing, painting."""

from __future__ import annotations

import io
import json
import subprocess
import sys
import tempfile
import zipfile
from functools import partial
from pathlib import Path
from statistics import median

import cv2
import igl
import numpy as np
from numpy.typing import NDArray

from bench import importing
from bench.timing import Row, in_turn, seconds
from kunstgriff.artwork import facts, ink, joint_checks, meetings, middle, outline, straight
from kunstgriff.artwork.ink import split_ink
from kunstgriff.artwork.ora import read_ora
from kunstgriff.artwork.outline import outline_of
from kunstgriff.artwork.renewing import match_sheet, renewal
from kunstgriff.artwork.sheet import figure_from_sheet
from kunstgriff.binding import influences
from kunstgriff.binding.mesh import PartMesh, build_mesh, smallest_angles
from kunstgriff.binding.skinning import Skinning
from kunstgriff.binding.weights import automatic_weights, held_vertices, spine_points, trimmed_bones
from kunstgriff.evaluate.program import compile_program
from kunstgriff.evaluate.state import RigState, compile_rig
from kunstgriff.figure.archive import read_archive
from kunstgriff.figure.edit import apply_edit
from kunstgriff.figure.findings import findings
from kunstgriff.figure.model import Figure
from kunstgriff.figure.stores import MemoryStores, encode_png
from kunstgriff.follow.spring import Simulation, steps_for
from kunstgriff.paint.painter import Painter, sheet_view
from kunstgriff.trial.swing import swung_bones

DEMO = Path(__file__).resolve().parents[1] / "demo"


def evaluate() -> Row:
    figure, stores = read_archive(DEMO / "pell.zip")
    rig = compile_rig(figure, stores)
    simulation = Simulation(rig)
    steps = steps_for(24)
    channels = rig.program.channels
    course = np.tile(channels.rest, (steps, 1))
    for ref, degrees in swung_bones(figure).items():  # as the test swing drives it
        course[:, channels.index[f"{ref}.turn"]] = degrees * np.sin(np.arange(steps) / 40)

    def frame() -> None:
        simulation.step(course)
        rig.evaluate()

    skinning = next(one for one in rig.program.nodes if isinstance(one, Skinning))

    def kernel() -> None:
        rig.watch.stale[:] = True
        skinning.run(rig)

    ours, floor = in_turn(frame, kernel, rounds=31, repeats=200)
    what = f"evaluate the demo ({len(figure.parts)} parts, {len(rig.program.rest)} vertices, {len(figure.bones)} bones, springs on)"
    beside = f"{floor * 1e6:.0f} µs blending and bends alone, same vertices"
    return Row(what, f"{ours * 1e6:.0f} µs, {ours / floor:.2f} times", beside, "≤ 2.5 times", ours / floor <= 2.5)


def compile_demo() -> list[Row]:
    """A figure compiled, and one more bench on it: a state of the program that is there."""
    figure, stores = read_archive(DEMO / "pell.zip")
    program = compile_program(figure, stores)
    whole, again = in_turn(lambda: compile_program(figure, stores), lambda: RigState(program), rounds=9)
    return [
        Row("compile the demo", f"{whole * 1e3:.0f} ms", "", "≤ 60 ms", whole <= 0.06),
        Row("… one more bench on it", f"{again * 1e3:.2f} ms", "", "≤ 30 ms", again <= 0.03),
    ]


def boned_demo(*kinds: str) -> tuple[Figure, MemoryStores]:
    """The demo's parts with its bones, made by edits of these kinds, and nothing of them remembered from before."""
    stores = MemoryStores()
    figure = figure_from_sheet(read_ora(DEMO / "pell.ora"), "Pell", stores)
    for edit in json.loads((DEMO / "pell-rig.json").read_text()):
        if edit["kind"] in kinds:
            figure = apply_edit(edit, figure, stores)
    outline._outline.cache_clear()
    influences._fit.cache_clear()
    influences._spots.cache_clear()
    return figure, stores


def bind() -> Row:
    edits = json.loads((DEMO / "pell-rig.json").read_text())
    binding = [edit for edit in edits if edit["kind"].startswith("bind_")]
    taken = []
    for _ in range(3):

        def all_of_it(figure: Figure, stores: MemoryStores) -> None:
            for edit in binding:
                figure = apply_edit(edit, figure, stores)

        start = boned_demo("draw_chain", "rename_bone")
        taken.append(seconds(partial(all_of_it, *start)))
    reached = median(taken)
    return Row("bind the whole demo figure (all meshes and weights)", f"{reached:.2f} s", "", "≤ 3 s", reached <= 3)


def mesh_and_weights() -> list[Row]:
    alpha = np.zeros((1000, 700), np.uint8)
    cv2.rectangle(alpha, (50, 50), (650, 350), 255, -1)
    cv2.rectangle(alpha, (50, 350), (346, 950), 255, -1)
    cv2.rectangle(alpha, (354, 350), (650, 950), 255, -1)
    bones = [((350.0, 80.0), (350.0, 330.0)), ((200.0, 360.0), (200.0, 900.0)), ((500.0, 360.0), (500.0, 900.0))]
    edge = 10.5

    def ours() -> tuple[PartMesh, NDArray[np.float32]]:
        outline = outline_of(alpha)
        trimmed = trimmed_bones(outline, bones)
        made = build_mesh(outline, 5000, spine_points(trimmed, edge))
        return made, automatic_weights(made, trimmed, edge)

    mesh, weights = ours()
    held_by = held_vertices(mesh.vertices, trimmed_bones(outline_of(alpha), bones), edge)
    held = np.flatnonzero(held_by >= 0)
    values = np.eye(3)[held_by[held]]

    def peer() -> None:
        igl.bbw(mesh.vertices, mesh.triangles.astype(np.int64), held.astype(np.int64), values)

    mine, theirs = in_turn(ours, peer, rounds=5)
    angle = smallest_angles(mesh).min()
    right = (mesh.vertices[:, 0] > 354) & (mesh.vertices[:, 1] > 380)  # the art itself: its net goes to mid gap
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
    path = DEMO / "pell.ora"
    ours, floor = in_turn(lambda: importing.whole(path), lambda: importing.bare(path), rounds=7)
    figure, stores = read_archive(DEMO / "pell.zip")

    def renew() -> None:
        sheet = read_ora(DEMO / "pell-2.ora")
        apply_edit(renewal(figure, sheet, match_sheet(figure, sheet, stores), stores), figure, stores)

    renew()
    again = median(seconds(renew) for _ in range(5))
    part = max(figure.parts, key=lambda one: one.drawing.size[0] * one.drawing.size[1])
    pixels = stores.get_pixels(part.drawing.picture)
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


def big_sheet() -> bytes:
    """OpenRaster with 100 layers of 2000 x 2000 px: limbs of many sizes, lightly grained, as paint is."""
    rng = np.random.default_rng(1)
    pictures = []
    for _ in range(12):
        alpha, colour = np.zeros((2000, 2000), np.uint8), np.zeros((2000, 2000, 3), np.uint8)
        start, end = rng.integers(400, 1600, (2, 2)).tolist()
        width = int(rng.uniform(120, 440))
        cv2.line(alpha, start, end, 255, width, cv2.LINE_AA)
        cv2.line(colour, start, end, (43, 42, 51), width, cv2.LINE_AA)
        cv2.line(colour, start, end, (216, 195, 164), width - 28, cv2.LINE_AA)
        grain = rng.normal(0, 2, alpha.shape)[..., None]
        rgba = np.dstack([np.clip(colour + grain, 0, 255).astype(np.uint8) * (alpha[..., None] > 0), alpha])
        pictures.append(encode_png(rgba))
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w") as archive:
        archive.writestr("mimetype", "image/openraster")
        layers = "".join(f'<layer name="limb {n} x" src="data/{n}.png"/>' for n in range(100))
        archive.writestr("stack.xml", f'<image w="2000" h="2000"><stack>{layers}</stack></image>')
        for number in range(100):
            archive.writestr(f"data/{number}.png", pictures[number % len(pictures)])
    return buffer.getvalue()


def import_of_many_layers() -> list[Row]:
    """Import against bare decoding, each in a process of its own so that its greatest memory can be told."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "big.ora"
        path.write_bytes(big_sheet())
        measured: dict[str, list[tuple[float, float]]] = {}
        for way in ("bare", "import", "bare", "import"):
            done = subprocess.run(
                [sys.executable, "-m", "bench.importing", way, str(path)], capture_output=True, text=True, check=True
            )
            taken, memory = (float(one) for one in done.stdout.split())
            measured.setdefault(way, []).append((taken, memory))
    ours, floor = (min(taken for taken, _ in measured[way]) for way in ("import", "bare"))
    memory = max(memory for _, memory in measured["import"])
    return [
        Row(
            "import 100 layers of 2000 x 2000 px",
            f"{ours:.1f} s, {ours / floor:.2f} times",
            f"{floor:.1f} s bare decoding",
            "≤ 2.5 times",
            ours / floor <= 2.5,
        ),
        Row("… memory at most", f"{memory:.0f} MB", "", "< 2000 MB", memory < 2000),
    ]


def checks() -> list[Row]:
    """All findings of the Artwork stage with nothing known, and again after one part changed."""
    figure, stores = read_archive(DEMO / "pell.zip")
    more = figure.parts[:5]  # 40 parts, as the target has
    copied = {"kind": "copy_parts", "parts": [part.id for part in more], "mirror": True}
    figure = apply_edit(copied, figure, stores)

    def forget() -> None:
        for kept in (facts._facts, middle._bend, straight._can, meetings._joint_of, meetings._reading,
                     joint_checks._cut_length, joint_checks._depth, outline._outline, outline._alpha, ink._split):  # fmt: skip
            kept.cache_clear()

    taken = []
    for _ in range(3):
        forget()
        taken.append(seconds(lambda: findings(figure, stores)))
    whole = median(taken)
    changed = apply_edit({"kind": "redraw_line", "part": figure.parts[20].id, "width": 16}, figure, stores)
    again = seconds(lambda: findings(changed, stores))
    count = len(figure.parts)
    return [
        Row(
            f"all checks of {count} parts, 1600 x 2400 px",
            f"{whole:.1f} s, {whole / count * 1e3:.0f} ms a part",
            "",
            "≤ 4 s",
            whole <= 4,
        ),
        Row("… after one part changed", f"{again:.2f} s, {again / whole:.2f} of it", "", "", True),
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
