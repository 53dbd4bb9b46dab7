"""The process that renders SVG layers: it gives up its own rights to memory and time first.

Standard input: JSON {"scale", "size", "box", "may_cut", "pages"}; `pages` are lists of versions of a layer, with
`PLACES` where their size and view box belong. Each layer is drawn small first, to find where on the sheet it lies, then
only there. Standard output for each layer: x and y in px, then for each version the length and the PNG; numbers are
8 bytes, little endian.
"""

from __future__ import annotations

import ctypes
import io
import json
import math
import resource
import signal
import sys
from typing import Any

MEMORY_LIMIT = 1024**3  # bytes of address space; a sheet of 64 megapixels takes 256 MB
PROCESSOR_LIMIT = 45  # s
PLACES = ("@width", "@height", "@box")
COARSE = 8  # px of the sheet to one of the small drawing
ROOM = 2  # px of the small drawing left free around what is painted


def main() -> None:
    """Render what is asked for on standard input, until it ends."""
    import resvg_py

    ctypes.CDLL(None).prctl(1, signal.SIGKILL)  # PR_SET_PDEATHSIG of linux/prctl.h: it ends with who waits for it
    resource.setrlimit(resource.RLIMIT_AS, (MEMORY_LIMIT, MEMORY_LIMIT))
    resource.setrlimit(resource.RLIMIT_CPU, (PROCESSOR_LIMIT, PROCESSOR_LIMIT))
    resource.setrlimit(resource.RLIMIT_NOFILE, (16, 16))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    job = json.load(sys.stdin.buffer)

    def draw(page: str, area: tuple[float, float, float, float], zoom: float) -> bytes:
        filled = in_frame(page, area, job)
        return bytes(resvg_py.svg_to_bytes(svg_string=filled, zoom=zoom, skip_system_fonts=True))

    for versions in job["pages"]:
        whole = (0.0, 0.0, *job["size"])
        area = painted_area(draw(versions[0], whole, 1 / COARSE), whole) if job["may_cut"] else whole
        for side in area[:2]:
            sys.stdout.buffer.write(int(side * job["scale"]).to_bytes(8, "little"))
        for page in versions:
            png = draw(page, area, job["scale"])
            sys.stdout.buffer.write(len(png).to_bytes(8, "little") + png)


def in_frame(page: str, area: tuple[float, float, float, float], job: dict[str, Any]) -> str:
    """A page that shows an area (x, y, w, h in px at scale 1) of the sheet alone."""
    (x, y, w, h), box = area, job["box"]
    unit_x, unit_y = box[2] / job["size"][0], box[3] / job["size"][1]
    view = f"{box[0] + x * unit_x:.9g} {box[1] + y * unit_y:.9g} {w * unit_x:.9g} {h * unit_y:.9g}"
    for place, value in zip(PLACES, (f"{w:.9g}", f"{h:.9g}", view), strict=True):
        page = page.replace(f'"{place}"', f'"{value}"', 1)
    return page


def painted_area(small: bytes, whole: tuple[float, float, float, float]) -> tuple[float, float, float, float]:
    """Where on the sheet a small drawing has paint, in whole px, with room around; all of it where it has none."""
    from PIL import Image

    found = Image.open(io.BytesIO(small)).getchannel("A").getbbox()
    if found is None:
        return whole
    left, top = (max(side - ROOM, 0) * COARSE for side in found[:2])
    right, bottom = (min((found[2 + axis] + ROOM) * COARSE, math.ceil(whole[2 + axis])) for axis in (0, 1))
    return float(left), float(top), float(right - left), float(bottom - top)


if __name__ == "__main__":
    main()
