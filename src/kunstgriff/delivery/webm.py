"""A motion as WebM: VP9 with alpha, through PyAV."""

from __future__ import annotations

from pathlib import Path

import av
import cv2
import numpy as np
from numpy.typing import NDArray

from kunstgriff.delivery.frames import Filmed
from kunstgriff.figure.stores import Stores
from kunstgriff.trial.keys import KeyedMotion
from kunstgriff.trial.motion import Motion, frame_count
from kunstgriff.trial.sound import heard

OPUS_RATE = 48_000  # the one rate Opus has
BLEED = 9  # px; colour is carried this far past the edge, since VP9 halves the colour's resolution


def write_webm(target: Path, film: Filmed, stores: Stores, motion: Motion, rate: int) -> None:
    """Write a motion at a rate, with its sound; sizes are even, since VP9 with alpha halves both for colour."""
    sound = heard(stores, motion.motion) if isinstance(motion, KeyedMotion) else None
    with av.open(str(target), "w", format="webm") as container:
        stream = container.add_stream("libvpx-vp9", rate=rate)
        (stream.width, stream.height), stream.pix_fmt = film.view.size, "yuva420p"
        stream.options = {
            "auto-alt-ref": "0", "crf": "24", "b": "0", "deadline": "realtime", "cpu-used": "6",
            "row-mt": "1", "threads": "2",
        }  # fmt: skip
        voice = _Voice(container, *sound, film.numbers.start / rate) if sound is not None else None
        for number, rgba in enumerate(film.pictures):
            if voice is not None:
                voice.up_to((number + 1) / rate)
            frame = av.VideoFrame.from_ndarray(bled(rgba), format="rgba").reformat(format="yuva420p")
            for packet in stream.encode(frame):
                container.mux(packet)
        for packet in stream.encode():
            container.mux(packet)
        if voice is not None:
            if film.numbers.stop == frame_count(motion, rate):  # what is heard after the last frame
                voice.up_to(voice.seconds)
            voice.end()


class _Voice:
    """Sound written into a film beside its pictures, as Opus, from so many seconds of it on."""

    def __init__(
        self, container: av.container.OutputContainer, samples: NDArray[np.int16], rate: int, begins: float
    ) -> None:
        self.container, self.samples, self.rate, self.done = container, samples[round(begins * rate) :], rate, 0
        self.layout = "stereo" if samples.shape[1] == 2 else "mono"
        self.stream = container.add_stream("libopus", rate=OPUS_RATE)
        self.stream.layout = self.layout
        self.resampler = av.AudioResampler(format="s16", layout=self.layout, rate=OPUS_RATE)

    @property
    def seconds(self) -> float:
        """How long it is."""
        return len(self.samples) / self.rate

    def up_to(self, seconds: float) -> None:
        """Write what is heard until then."""
        until = min(round(seconds * self.rate), len(self.samples))
        if until > self.done:
            piece = np.ascontiguousarray(self.samples[self.done : until].reshape(1, -1))
            frame = av.AudioFrame.from_ndarray(piece, format="s16", layout=self.layout)
            frame.sample_rate, frame.pts = self.rate, self.done
            self._encode(frame)
            self.done = until

    def end(self) -> None:
        """Write what is left in the coder."""
        self._encode(None)
        for packet in self.stream.encode(None):
            self.container.mux(packet)

    def _encode(self, frame: av.AudioFrame | None) -> None:
        for resampled in self.resampler.resample(frame):
            for packet in self.stream.encode(resampled):
                self.container.mux(packet)


def bled(rgba: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """The picture with its colours carried on into the see-through pixels beside them, so that no edge turns dark."""
    alpha = rgba[..., 3:].astype(np.float32) / 255
    colour = cv2.blur(rgba[..., :3] * alpha, (BLEED, BLEED))
    weight = cv2.blur(alpha, (BLEED, BLEED))[..., None]
    around = colour / np.maximum(weight, 1e-4)
    rgb = np.where(alpha > 0.5, rgba[..., :3], np.clip(around, 0, 255))
    return np.dstack([rgb.astype(np.uint8), rgba[..., 3]])
