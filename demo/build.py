"""Make the demo files anew: pell.svg → pell.ora (one layer a group) → pell.zip (boned, bound, covered, springy), and
so tallow.svg, whose skirt is hemmed; soot-front.svg and four more from other sides → soot.zip with eight facings;
simmer.svg → simmer.zip on six legs; what Pell says is spoken by voice.py;
faulty.svg → faulty.ora, a sheet with every fault the checks know.

.venv/bin/python demo/build.py
"""

from __future__ import annotations

import json
from dataclasses import replace
from pathlib import Path

from kunstgriff.artwork.ora import read_ora, write_ora
from kunstgriff.artwork.renewing import match_sheet, renewal
from kunstgriff.artwork.sheet import ArtSheet, figure_from_sheet
from kunstgriff.artwork.svg import read_svg
from kunstgriff.figure.archive import write_archive
from kunstgriff.figure.edit import apply_edit
from kunstgriff.figure.model import Figure
from kunstgriff.figure.stores import MemoryStores, Stores
from kunstgriff.figure.turning import turned_to
from kunstgriff.stages import install
from kunstgriff.trial.sound import kept_sound

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
        rigged(name, title, read_ora(HERE / f"{name}.ora"))
    rigged("soot", "Soot, chimney owl", read_svg(HERE / "soot-front.svg"))
    rigged("simmer", "Simmer, kettle on six legs", read_svg(HERE / "simmer.svg"))


def rigged(name: str, title: str, sheet: ArtSheet) -> None:
    """A figure from its sheet and the edits written beside it."""
    stores = MemoryStores()
    figure = figure_from_sheet(sheet, title, stores)
    for edit in json.loads((HERE / f"{name}-rig.json").read_text()):
        if edit["kind"] == "drawn":
            edit = drawn(figure, edit["facing"], read_svg(HERE / f"{edit['sheet']}.svg"), stores)
        elif edit["kind"] == "heard":
            sound = kept_sound(stores, Path(edit["file"]).stem, (HERE / edit["file"]).read_bytes())
            edit = {"kind": "set_sound", "motion": edit["motion"], "sound": sound.model_dump()}
        figure = apply_edit(edit, figure, stores)
    write_archive(HERE / f"{name}.zip", figure, stores)
    print(f"{title}: {len(figure.parts)} parts, {len(figure.bones)} bones, {len(figure.warps)} warps")


def drawn(figure: Figure, facing: int, sheet: ArtSheet, stores: Stores) -> dict[str, object]:
    """The edit that takes a drawing of another facing over."""
    seen = turned_to(figure, facing)
    edit = renewal(seen, sheet, match_sheet(seen, sheet, stores), stores, from_elsewhere=True)
    return {"kind": "in_facing", "facing": facing, "edit": edit.model_dump(mode="json")}


if __name__ == "__main__":
    main()
