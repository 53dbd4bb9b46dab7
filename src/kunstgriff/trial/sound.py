"""Sound beside a motion: read from outside within limits, kept as FLAC, cut to what is heard of it."""

from __future__ import annotations

import io
import itertools

import numpy as np
import soundfile
from numpy.typing import NDArray

from kunstgriff.figure.motions import LONGEST_SOUND, FigureMotion, Sound
from kunstgriff.figure.refusal import EditRefused
from kunstgriff.figure.stores import Stores

Samples = NDArray[np.int16]
LARGEST = 64 * 1024 * 1024  # bytes of a file from outside
FORMATS = ("WAV", "WAVEX", "FLAC", "OGG")
RATES, CHANNELS = (8_000, 96_000), 2


def read_sound(data: bytes) -> tuple[Samples, int]:
    """The samples (n, channels) of a WAV, FLAC or Ogg file and how many make a second. Raises EditRefused for what is
    none, or too large or long."""
    if len(data) > LARGEST:
        raise EditRefused(f"A sound of {len(data) / 1e6:.0f} MB is too large; {LARGEST // 1024**2} MB at most.")
    try:
        with soundfile.SoundFile(io.BytesIO(data)) as opened:
            rate, count = opened.samplerate, opened.frames
            if opened.format not in FORMATS or not RATES[0] <= rate <= RATES[1] or opened.channels > CHANNELS:
                raise EditRefused("Sound is taken as WAV, FLAC or Ogg, mono or stereo, 8 to 96 kHz.")
            if count > LONGEST_SOUND * rate:
                minutes = count / rate / 60
                raise EditRefused(f"The sound lasts {minutes:.0f} minutes; {LONGEST_SOUND / 60:.0f} at most are taken.")
            samples = opened.read(min(count, LONGEST_SOUND * rate), dtype="int16", always_2d=True)
    except (soundfile.SoundFileError, RuntimeError, TypeError, ValueError) as error:
        raise EditRefused("This is no sound that could be read; take WAV, FLAC or Ogg.") from error
    if not len(samples):
        raise EditRefused("There is nothing to hear in this file.")
    return samples, rate


def kept_sound(stores: Stores, name: str, data: bytes) -> Sound:
    """A sound from outside, in the stores as FLAC. Raises EditRefused as `read_sound` does."""
    samples, rate = read_sound(data)
    buffer = io.BytesIO()
    soundfile.write(buffer, samples, rate, format="FLAC", subtype="PCM_16")
    digest = stores.put_array(np.frombuffer(buffer.getvalue(), np.uint8))
    return Sound(name=name[:80] or "sound", sound=digest, seconds=len(samples) / rate)


def flac_of(stores: Stores, sound: Sound) -> bytes:
    """A kept sound as a file. Raises EditRefused where what is kept is none."""
    kept = stores.get_array(sound.sound)
    if kept.dtype != np.uint8 or kept.ndim != 1:
        raise EditRefused(f"What is kept of “{sound.name}” is no sound.")
    return kept.tobytes()


def heard(stores: Stores, motion: FigureMotion) -> tuple[Samples, int] | None:
    """What is heard of a motion's sound from its first frame to its last: samples (n, channels), so many a second; None
    without any."""
    if motion.sound is None:
        return None
    samples, rate = read_sound(flac_of(stores, motion.sound))
    due = round(motion.frames / motion.rate * rate)
    before = round(motion.sound.begins / motion.rate * rate)
    found = np.zeros((due, samples.shape[1]), np.int16)
    there = samples[: max(due - before, 0)]
    found[before : before + len(there)] = there
    return found, rate


def peaks(samples: Samples, count: int) -> list[float]:
    """How loud it is in each of so many even pieces, 0 to 1."""
    loud = np.abs(samples.astype(np.float64)).max(1) / 32768
    edges = np.linspace(0, len(loud), count + 1).astype(int)
    return [float(loud[a : max(b, a + 1)].max(initial=0.0)) for a, b in itertools.pairwise(edges)]
