"""Drawn limbs and figures for the tests: exact shapes with known strokes, rendered by resvg."""

from __future__ import annotations

import io
from typing import Any

import numpy as np
import resvg_py
from numpy.typing import NDArray
from PIL import Image

from kunstgriff.artwork.sheet import ArtSheet, Layer, figure_from_sheet
from kunstgriff.evaluate.state import compile_rig
from kunstgriff.figure.edit import apply_edit
from kunstgriff.figure.model import Figure
from kunstgriff.figure.pose import Pose, parse_pose
from kunstgriff.figure.stores import MemoryStores
from kunstgriff.stages import install

install()

INK = "#2b2a33"
FILL = "#d8c3a4"


def drawn(body: str, size: tuple[int, int] = (400, 400)) -> NDArray[np.uint8]:
    """Pixels (h, w, 4) of SVG shapes on a see-through sheet."""
    svg = f'<svg xmlns="http://www.w3.org/2000/svg" width="{size[0]}" height="{size[1]}">{body}</svg>'
    png = resvg_py.svg_to_bytes(svg_string=svg, skip_system_fonts=True)
    return np.asarray(Image.open(io.BytesIO(png)).convert("RGBA"))


def capsule(a: tuple[float, float], b: tuple[float, float], radius: float, stroke: float, fill: str = FILL) -> str:
    """A limb piece: a capsule of half width `radius` to the middle of its outline, which is `stroke` px wide."""
    ends = f'x1="{a[0]}" y1="{a[1]}" x2="{b[0]}" y2="{b[1]}" stroke-linecap="round"'
    return (
        f'<line {ends} stroke="{INK}" stroke-width="{2 * radius + stroke}"/>'
        f'<line {ends} stroke="{fill}" stroke-width="{2 * radius - stroke}"/>'
    )


def sheet_of(layers: dict[str, NDArray[np.uint8]], size: tuple[int, int] = (400, 400)) -> ArtSheet:
    return ArtSheet(size, [Layer.of(name, pixels, (0, 0)) for name, pixels in layers.items()])


def figure_of(layers: dict[str, NDArray[np.uint8]], size: tuple[int, int] = (400, 400)) -> tuple[Figure, MemoryStores]:
    """A figure from layers back to front; `at` turns sheet px into its figure space."""
    stores = MemoryStores()
    return figure_from_sheet(sheet_of(layers, size), "test", stores), stores


def at(figure: Figure, *points: tuple[float, float]) -> list[tuple[float, float]]:
    x, y = figure.sheet.standing_point
    return [(px - x, py - y) for px, py in points]


def edited(figure: Figure, stores: MemoryStores, *edits: dict[str, object]) -> Figure:
    for edit in edits:
        figure = apply_edit(edit, figure, stores)
    return figure


def two_piece_arm(radius: float = 40, stroke: float = 8) -> tuple[Figure, MemoryStores]:
    """Forearm behind upper arm, straight along x, concentric round ends at the elbow (200, 200)."""
    figure, stores = figure_of(
        {
            "forearm": drawn(capsule((200, 200), (340, 200), radius, stroke)),
            "upper arm": drawn(capsule((60, 200), (200, 200), radius, stroke)),
        }
    )
    return edited(
        figure,
        stores,
        {"kind": "draw_chain", "name": "arm", "joints": at(figure, (60, 200), (200, 200), (340, 200))},
        {"kind": "bind_weighted", "parts": ["upper arm"], "influences": ["arm"], "count": 150},
        {"kind": "bind_weighted", "parts": ["forearm"], "influences": ["arm 2"], "count": 150},
    ), stores


def one_piece_arm(count: int = 220, **zone: object) -> tuple[Figure, MemoryStores]:
    """A capsule arm, length to width 4 to 1, in one piece along x with its joint in the middle (200, 200), bound.

    `zone` shapes its bend otherwise than usual.
    """
    figure, stores = figure_of({"arm": drawn(capsule((80, 200), (320, 200), 36, 8))})
    figure = edited(
        figure, stores, {"kind": "draw_chain", "name": "arm", "joints": at(figure, (60, 200), (200, 200), (340, 200))},
        {"kind": "bind_weighted", "parts": ["arm"], "influences": ["arm", "arm 2"], "count": count},
    )  # fmt: skip
    if zone:
        figure = edited(figure, stores, {"kind": "set_zone", "bone": "arm 2", **zone})
    return figure, stores


def vertices_of(figure: Figure, stores: MemoryStores, **pose: object) -> NDArray[np.float64]:
    """All vertices (n, 2) of a figure in a pose that names bones."""
    rig = compile_rig(figure, stores)
    return rig.evaluate(parse_pose(pose).by_id(figure)).vertices.astype(np.float64).copy()


def version_1(figure: Figure) -> dict[str, Any]:
    """The document as it was written before there were versions: poses by bone, a gusset called a patch."""
    document = version_2(figure) | {"format": "kunstgriff.figure/1"}
    document["poses"] = [{"name": kept.name, **_by_bone(kept.pose)} for kept in figure.poses]
    for item in document["treatments"]:
        item["kind"] = "patch" if item["kind"] == "gusset" else item["kind"]
    return document


def version_2(figure: Figure) -> dict[str, Any]:
    """The document as it was written when delta mush stood in the binding, vertices were held, ink and fill apart."""
    document = version_3(figure) | {"format": "kunstgriff.figure/2"}
    for part in document["parts"]:
        part["apart"] = part.pop("split")
        mush = next((dict(one) for one in part.pop("deformers") if one["kind"] == "delta_mush"), None)
        for binding in (part["binding"], *part["shelved"]):
            if binding["kind"] == "weighted":
                binding["held"] = binding.pop("manual_mask")
                binding["mush"] = None
        if mush is not None:
            part["binding"]["mush"] = {name: value for name, value in mush.items() if name != "kind"}
    return document


def version_3(figure: Figure) -> dict[str, Any]:
    """The document as it was written when a part was its drawing as well."""
    document = figure.model_dump(mode="json") | {"format": "kunstgriff.figure/3"}
    facings = document["turnaround"]["facings"] if document["turnaround"] else []
    for part in [*document["parts"], *(part for facing in facings for part in facing["parts"])]:
        part |= part.pop("drawing")
    return document


def _by_bone(pose: Pose) -> dict[str, Any]:
    told: dict[str, Any] = {"turn": pose.of("turn")}
    for group, names, rest in (("move", ("x", "y"), 0.0), ("stretch", ("along", "across"), 1.0)):
        first, second = (pose.of(f"{group}.{name}") for name in names)
        told[group] = {ref: [first.get(ref, rest), second.get(ref, rest)] for ref in {**first, **second}}
    return told
