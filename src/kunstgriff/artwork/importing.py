"""One door for everything an illustrator may hand over; the file's ending says how it is read."""

from __future__ import annotations

from pathlib import Path

from kunstgriff.artwork.ora import read_ora
from kunstgriff.artwork.pngs import read_pngs, single_picture
from kunstgriff.artwork.sheet import ArtSheet, ArtworkRefused, Progress, no_progress
from kunstgriff.artwork.svg import read_svg
from kunstgriff.artwork.tiff import read_tiff
from kunstgriff.figure.budget import Budget, drawing_on

ENDINGS = (".ora", ".svg", ".tif", ".tiff", ".zip", ".png")


def read_artwork(path: Path, scale: int = 1, progress: Progress = no_progress) -> ArtSheet:
    """Layers of an OpenRaster file, an SVG (at `scale` 1, 2 or 4), the pages of a TIFF, a zip of PNGs, or one PNG.

    Raises ArtworkRefused with a sentence.
    """
    with drawing_on(Budget(ArtworkRefused)) as spending:

        def told(done: int, total: int, stage: str) -> None:
            spending.tick()
            progress(done, total, stage)

        return _read(path, scale, told)


def _read(path: Path, scale: int, progress: Progress) -> ArtSheet:
    ending = path.suffix.lower()
    if ending == ".svg":
        return read_svg(path, scale, progress)
    if scale != 1:
        raise ArtworkRefused("Only an SVG can be read at another scale.")
    if ending == ".ora":
        return read_ora(path, progress)
    if ending == ".zip":
        return read_pngs(path, progress)
    if ending in (".tif", ".tiff"):
        return read_tiff(path, progress)
    if ending == ".png":
        return single_picture(path)
    raise ArtworkRefused(f"Kunstgriff reads {', '.join(ENDINGS)}; “{path.name}” is none of these.")
