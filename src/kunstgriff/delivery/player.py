"""Pictures that are played in a page of its own: a frame after the other, to and fro by hand, by keys."""

from __future__ import annotations

import html
import json
from collections.abc import Iterator, Sequence

SCRIPT = """
{
  const frames = JSON.parse(document.getElementById('frames').textContent);
  const picture = document.getElementById('frame');
  const told = document.getElementById('told');
  const strip = document.getElementById('strip');
  const button = document.getElementById('play');
  let begun = null;
  const show = (number) => {
    strip.value = number;
    picture.src = frames.pictures[number];
    told.textContent = frames.words[number];
  };
  const play = (on) => {
    begun = on ? performance.now() - (Number(strip.value) * 1000) / frames.rate : null;
    button.textContent = on ? 'Stop' : 'Play';
    if (on) requestAnimationFrame(step);
  };
  const step = (now) => {
    if (begun === null) return;
    show(Math.max(Math.floor(((now - begun) * frames.rate) / 1000), 0) % frames.pictures.length);
    requestAnimationFrame(step);
  };
  button.addEventListener('click', () => play(begun === null));
  strip.addEventListener('input', () => { play(false); show(Number(strip.value)); });
  show(Number(strip.value));
}
"""


def player(pictures: Sequence[str], words: Sequence[str], rate: int, begins: int = 0) -> Iterator[str]:
    """Pieces of a page that play `pictures` (data URIs), each with words of its own, at a `rate` of frames a second;
    the one it `begins` with stands still. The strip is a slider: arrow keys go a frame on or back."""
    if not pictures:
        return
    data = json.dumps({"pictures": list(pictures), "words": list(words), "rate": rate}).replace("<", "\\u003c")
    yield f'<figure><img id="frame" alt="" src="{pictures[begins]}"><figcaption>'
    yield '<button id="play" type="button">Play</button> <span id="told"></span><br>'
    yield f'<input id="strip" type="range" min="0" max="{len(pictures) - 1}" value="{begins}" step="1"'
    yield ' style="width:100%" aria-label="frame"></figcaption></figure>'
    yield f"<noscript>{html.escape(words[begins])}</noscript>"
    yield f'<script type="application/json" id="frames">{data}</script><script>{SCRIPT}</script>'
