"""One measurement of `bench.core.import_of_many_layers`, in a process of its own: seconds and MB at most."""

from __future__ import annotations

import io
import resource
import sys
import zipfile
from pathlib import Path

import numpy as np
from PIL import Image

from bench.timing import seconds
from kunstgriff.artwork.ora import read_ora
from kunstgriff.artwork.sheet import figure_from_sheet
from kunstgriff.figure.stores import MemoryStores


def bare(path: Path) -> None:
    with zipfile.ZipFile(path) as archive:
        for name in archive.namelist():
            if name.startswith("data/"):
                np.asarray(Image.open(io.BytesIO(archive.read(name))).convert("RGBA"))


def whole(path: Path) -> None:
    figure_from_sheet(read_ora(path), "big", MemoryStores())


if __name__ == "__main__":
    way, path = {"bare": bare, "import": whole}[sys.argv[1]], Path(sys.argv[2])
    print(seconds(lambda: way(path)), resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024)
