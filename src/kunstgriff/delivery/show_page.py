"""A show page: one HTML file without outside references that plays a figure's motions.

Each motion lies in it as an animated WebP, which the page takes apart with the browser's own decoder (W3C WebCodecs,
ImageDecoder), so that it is no larger than that film and is scrubbed to any frame all the same.
"""

from __future__ import annotations

import base64
import html
import json
import tempfile
from itertools import pairwise
from pathlib import Path
from typing import Any

import cv2
import numpy as np

from kunstgriff.artwork.sheet import Progress
from kunstgriff.delivery.animated import write_animated
from kunstgriff.delivery.frames import Shot, filmed, fitted_size
from kunstgriff.figure.model import Figure
from kunstgriff.figure.stores import Stores
from kunstgriff.trial.keys import KeyedMotion
from kunstgriff.trial.motion import SWING, Motion, rate_of

HERE = Path(__file__).parent / "show"
TALL = 720  # px of its pictures unless a size is asked for


def write_show(
    target: Path, figure: Figure, stores: Stores, size: tuple[int, int] | None, progress: Progress, motion: Motion,
    facing: int, shot: Shot,
) -> None:  # fmt: skip
    """Write a page that plays one motion; where that is the test swing, all of the figure's own if it has any."""
    some: list[Motion] = [motion]
    if motion == SWING and figure.motions:
        some = [KeyedMotion(one) for one in figure.motions]
    told = [
        _played(figure, stores, size or fitted_size(figure, 1280, TALL), progress, each, facing, shot) for each in some
    ]
    target.write_text(_page(figure.name, told))


def _played(
    figure: Figure, stores: Stores, size: tuple[int, int], progress: Progress, motion: Motion, facing: int, shot: Shot
) -> dict[str, Any]:
    """A motion as the page has it: `pictures` tells for each frame which of the film's pictures it is."""
    rate, film = rate_of(motion, figure), filmed(figure, stores, size, progress, motion, facing, shot)
    count = len(film.numbers)
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "film.webp"
        write_animated(path, film, rate, "WEBP", progress)
        _, animation = cv2.imreadanimation(str(path))
        data = path.read_bytes()
    ends = np.cumsum([0, *(float(one) for one in animation.durations)]) if count > 1 else np.array([0.0, 1e9])
    middles = [(one + other) * 500 / rate for one, other in pairwise(range(count + 1))]
    pictures = np.clip(np.searchsorted(ends, middles, side="right") - 1, 0, len(ends) - 2)
    loops = isinstance(motion, KeyedMotion) and motion.motion.loop
    return {
        "name": motion.name, "count": count, "rate": rate, "loop": loops, "size": film.view.size,
        "pictures": pictures.tolist(), "data": base64.b64encode(data).decode(),
    }  # fmt: skip


def _page(name: str, told: list[dict[str, Any]]) -> str:
    speeds = "".join(
        f'<option value="{by}">{word}</option>' for by, word in ((1, "full"), (0.5, "half"), (0.25, "quarter"))
    )
    motions = "".join(f"<option>{html.escape(one['name'])}</option>" for one in told)
    data = json.dumps(told).replace("<", "\\u003c")
    title, style, script = html.escape(name), (HERE / "show.css").read_text(), (HERE / "show.js").read_text()
    return f"""<!doctype html>
<html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width">
<title>{title}</title><style>{style}</style></head>
<body><h1>{title}</h1>
<canvas id="sheet" aria-label="The figure in motion"></canvas><img id="plainly" alt="The figure in motion">
<div class="row scrub"><input id="strip" type="range" min="0" value="0" step="1" aria-label="Frame"></div>
<div class="row">
<span class="scrub"><button id="play" type="button">Play</button></span>
<label>Motion <select id="motion">{motions}</select></label>
<label class="scrub">Speed <select id="speed">{speeds}</select></label>
<label class="scrub"><input id="loop" type="checkbox"> round and round</label>
<label class="scrub"><input id="ghosts" type="checkbox"> ghosts</label>
<label class="scrub"><input id="see-through" type="checkbox" checked> see-through</label>
<label class="scrub">on <input id="ground" type="color" value="#f7f2e8"></label>
<span class="scrub"><button id="whole" type="button">Whole</button></span>
<span id="told" class="scrub"></span></div>
<script type="application/json" id="motions">{data}</script>
<script>{script}</script></body></html>
"""
