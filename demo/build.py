"""Make the demo files anew: pell.svg → pell.ora (one layer a group) → pell.zip (boned, bound, covered, springy), and
so tallow.svg, whose skirt is hemmed; faulty.svg → faulty.ora, a sheet with every fault the checks know.

.venv/bin/python demo/build.py
"""

from __future__ import annotations

import json
from dataclasses import replace
from pathlib import Path

from kunstgriff.artwork.ora import read_ora, write_ora
from kunstgriff.artwork.sheet import figure_from_sheet
from kunstgriff.artwork.svg import read_svg
from kunstgriff.figure.archive import write_archive
from kunstgriff.figure.edit import apply_edit
from kunstgriff.figure.stores import MemoryStores
from kunstgriff.stages import install

HERE = Path(__file__).parent


def main() -> None:
    install()
    for name in ("pell", "pell-2", "tallow"):  # the second has a striped scarf, a longer forearm and one more mouth
        write_ora(HERE / f"{name}.ora", read_svg(HERE / f"{name}.svg"))
    faulty = read_svg(HERE / "faulty.svg")
    # SVG cannot show what lies beside its sheet, OpenRaster can
    faulty.layers = [
        replace(layer, offset=(-400, layer.offset[1])) if layer.name == "button" else layer for layer in faulty.layers
    ]
    write_ora(HERE / "faulty.ora", faulty)
    for name, title in (("pell", "Pell, lamplighter"), ("tallow", "Dame Tallow, candle maker")):
        stores = MemoryStores()
        figure = figure_from_sheet(read_ora(HERE / f"{name}.ora"), title, stores)
        for edit in json.loads((HERE / f"{name}-rig.json").read_text()):
            figure = apply_edit(edit, figure, stores)
        write_archive(HERE / f"{name}.zip", figure, stores)
        print(f"{title}: {len(figure.parts)} parts, {len(figure.bones)} bones, {len(figure.warps)} warps")


if __name__ == "__main__":
    main()
