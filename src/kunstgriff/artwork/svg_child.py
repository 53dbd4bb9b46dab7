"""The process that renders SVG pages: it gives up its own rights to memory and time first.

Standard input: JSON {"scale", "pages"}; standard output: for each page 8 bytes of length, little endian, and a PNG.
"""

from __future__ import annotations

import json
import resource
import sys

import resvg_py

MEMORY_LIMIT = 3 * 1024**3  # bytes of address space; a sheet of 64 megapixels takes 256 MB
PROCESSOR_LIMIT = 110  # s


def main() -> None:
    resource.setrlimit(resource.RLIMIT_AS, (MEMORY_LIMIT, MEMORY_LIMIT))
    resource.setrlimit(resource.RLIMIT_CPU, (PROCESSOR_LIMIT, PROCESSOR_LIMIT))
    resource.setrlimit(resource.RLIMIT_NOFILE, (16, 16))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    job = json.load(sys.stdin.buffer)
    for page in job["pages"]:
        png = resvg_py.svg_to_bytes(svg_string=page, zoom=job["scale"], skip_system_fonts=True)
        sys.stdout.buffer.write(len(png).to_bytes(8, "little") + bytes(png))


if __name__ == "__main__":
    main()
