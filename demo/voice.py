"""Pell's line, spoken by a small synthesiser: a buzz through three resonances for each vowel (source and filter, Fant
1960; the resonances are from memory, of a small throat), with breath between.

.venv/bin/python demo/voice.py
"""

from __future__ import annotations

from pathlib import Path

import numpy as np
import soundfile
from scipy.signal import lfilter

RATE = 16_000
VOWELS = {"a": (900, 1400, 2900), "e": (600, 2300, 3100), "i": (400, 2700, 3400), "o": (560, 1000, 2800)}
# when each syllable begins, how long it is (s), its vowel and its pitch (Hz): "The lamps are lit, the night is long."
LINE = (
    (0.25, 0.12, "e", 210), (0.42, 0.30, "a", 235), (0.78, 0.14, "a", 215), (0.98, 0.34, "i", 250),
    (1.62, 0.12, "e", 205), (1.80, 0.34, "a", 225), (2.20, 0.14, "i", 205), (2.40, 0.55, "o", 180),
)  # fmt: skip
SECONDS = 3.25


def syllable(seconds: float, vowel: str, pitch: float) -> np.ndarray:
    """One vowel, (n,) between -1 and 1: its pitch falls a little, it swells and dies away."""
    t = np.arange(round(seconds * RATE)) / RATE
    phase = np.cumsum(pitch * (1 - 0.12 * t / seconds) / RATE)
    sound = 2 * (phase % 1.0) - 1
    for resonance in VOWELS[vowel]:
        radius = np.exp(-np.pi * 110 / RATE)
        angle = 2 * np.pi * resonance / RATE
        sound = lfilter([1 - radius], [1, -2 * radius * np.cos(angle), radius**2], sound)
    sound *= np.clip(np.minimum(t / 0.03, (seconds - t) / 0.08), 0, 1)
    return sound / max(np.abs(sound).max(), 1e-9)


def main() -> None:
    voice = 0.004 * np.random.default_rng(5).standard_normal(round(SECONDS * RATE))
    for begins, seconds, vowel, pitch in LINE:
        spoken = syllable(seconds, vowel, pitch)
        first = round(begins * RATE)
        voice[first : first + len(spoken)] += 0.6 * spoken
    soundfile.write(Path(__file__).parent / "pell-line.flac", voice.astype(np.float32), RATE, subtype="PCM_16")


if __name__ == "__main__":
    main()
