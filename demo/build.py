"""Make the demo files anew: pell.svg → pell.ora (one layer a group) → pell.zip (boned, bound, covered, springy).

.venv/bin/python demo/build.py
"""

from __future__ import annotations

import copy
import io
import json
from pathlib import Path
from xml.etree.ElementTree import Element, register_namespace, tostring

import numpy as np
import resvg_py
from defusedxml.ElementTree import parse
from PIL import Image

import kunstgriff.stages  # noqa: F401 - registers every edit
from kunstgriff.artwork.ora import read_ora, write_ora
from kunstgriff.artwork.sheet import ArtSheet, Layer, figure_from_sheet, trimmed
from kunstgriff.figure.archive import write_archive
from kunstgriff.figure.edit import apply_edit
from kunstgriff.figure.stores import MemoryStores

HERE = Path(__file__).parent
GROUP = "{http://www.w3.org/2000/svg}g"


def build_sheet(svg: Path) -> ArtSheet:
    """Every group with an id and no such group inside it is a layer; those around it are groups."""
    register_namespace("", GROUP[1:-2])
    root = parse(svg).getroot()
    sheet = ArtSheet((int(root.get("width")), int(root.get("height"))))

    def walk(element: Element, above: list[Element], groups: tuple[tuple[int, str], ...]) -> None:
        for number, child in enumerate(element):
            if child.tag != GROUP or not child.get("id"):
                continue
            if any(inner.tag == GROUP and inner.get("id") for inner in child):
                inside = groups if child.get("id") == "sheet" else (*groups, (number, child.get("id", "")))
                walk(child, [*above, child], inside)
            else:
                sheet.layers.append(rendered(root, child, above, groups))

    walk(root, [], ())
    return sheet


def rendered(root: Element, group: Element, above: list[Element], groups: tuple[tuple[int, str], ...]) -> Layer:
    page = Element(root.tag, dict(root.attrib))
    inner = page
    for outer in above:
        around = Element(GROUP, dict(outer.attrib))
        inner.append(around)
        inner = around
    shown = copy.deepcopy(group)
    visible = shown.attrib.pop("visibility", "visible") != "hidden"
    inner.append(shown)
    png = resvg_py.svg_to_bytes(svg_string=tostring(page, encoding="unicode"), skip_system_fonts=True)
    cut = trimmed(np.asarray(Image.open(io.BytesIO(png)).convert("RGBA")))
    if cut is None:
        raise ValueError(f"Group {group.get('id')} paints nothing.")
    return Layer(group.get("id", ""), cut[0], cut[1], groups, 1.0, visible)


def main() -> None:
    write_ora(HERE / "pell.ora", build_sheet(HERE / "pell.svg"))
    stores = MemoryStores()
    figure = figure_from_sheet(read_ora(HERE / "pell.ora"), "Pell, lamplighter", stores)
    for edit in json.loads((HERE / "pell-rig.json").read_text()):
        figure = apply_edit(edit, figure, stores)
    write_archive(HERE / "pell.zip", figure, stores)
    print(f"{len(figure.parts)} parts, {len(figure.bones)} bones, {len(figure.covers)} covers")


if __name__ == "__main__":
    main()
