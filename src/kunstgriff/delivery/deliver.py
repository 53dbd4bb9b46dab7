"""One door to all deliveries: the file's ending says the format, and the file appears whole or not at all."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path

from kunstgriff.artwork.sheet import Progress, no_progress
from kunstgriff.delivery.animated import write_animated
from kunstgriff.delivery.checking import read_back
from kunstgriff.delivery.frames import Filmed, Shot, filmed
from kunstgriff.delivery.gltf import write_glb
from kunstgriff.delivery.left_out import FILMS, left_out
from kunstgriff.delivery.png import write_png
from kunstgriff.delivery.proof import SHAKES, write_comparison, write_proof
from kunstgriff.delivery.sequence import write_contact, write_frames
from kunstgriff.delivery.sheet import write_openraster, write_png_set, write_with_findings, write_with_voids
from kunstgriff.delivery.show_page import write_show
from kunstgriff.delivery.turnaround import write_turnaround
from kunstgriff.delivery.webm import write_webm
from kunstgriff.figure.archive import write_archive
from kunstgriff.figure.model import Figure
from kunstgriff.figure.pose import Pose
from kunstgriff.figure.refusal import DeliveryRefused
from kunstgriff.figure.stores import Stores
from kunstgriff.trial.around import facing_in
from kunstgriff.trial.keys import KeyedMotion
from kunstgriff.trial.motion import SWING, Motion, rate_of


@dataclass(frozen=True)
class DeliveryOrder:
    """What is to be delivered. `size` (w, h) px is the sheet's unless given, `rate` (frames per second) the figure's;
    `pose` is for single pictures, and the facing it shows for all, `motion` for what moves. A proof goes on from what
    the file `memory` says was read before, and keeps there what it reads; a comparison is with what was `before`. What
    moves is filmed as `shot` says."""

    figure: Figure
    stores: Stores
    pose: Pose = Pose()
    size: tuple[int, int] | None = None
    progress: Progress = no_progress
    rate: int | None = None
    motion: Motion = SWING
    memory: Path | None = None
    before: Figure | None = None
    shot: Shot = Shot()

    def film(self, even: bool = False) -> Filmed:
        """Its motion as it is filmed."""
        return filmed(self.figure, self.stores, self.size, self.progress, self.motion, self.facing, self.shot, even)

    @property
    def frame_rate(self) -> int:
        """Frames per second."""
        return rate_of(self.motion, self.figure)

    @property
    def facing(self) -> int:
        """The number of the facing its pose shows."""
        return facing_in(self.figure, self.pose)

    @property
    def own_motion(self) -> Motion | None:
        """The motion, if it is of the figure's own."""
        return self.motion if isinstance(self.motion, KeyedMotion) else None


Writer = Callable[[Path, "DeliveryOrder"], None]
WRITERS: dict[str, Writer] = {
    ".turnaround.png": lambda path, order: write_turnaround(
        path, order.figure, order.stores, order.pose, order.size, order.progress
    ),
    ".png": lambda path, order: write_png(path, order.figure, order.stores, order.pose, order.size),
    ".webm": lambda path, order: write_webm(path, order.film(even=True), order.stores, order.motion, order.frame_rate),
    ".webp": lambda path, order: write_animated(path, order.film(), order.frame_rate, "WEBP", order.progress),
    ".apng": lambda path, order: write_animated(path, order.film(), order.frame_rate, "PNG", order.progress),
    ".frames.zip": lambda path, order: write_frames(
        path, order.film(), order.frame_rate, order.motion.name, order.shot.premultiplied
    ),
    ".show.html": lambda path, order: write_show(
        path, order.figure, order.stores, order.size, order.progress, order.motion, order.facing, order.shot
    ),
    ".contact.png": lambda path, order: write_contact(path, order.film()),
    ".glb": lambda path, order: write_glb(path, order.figure, order.stores, order.progress, order.motion),
    ".findings.ora": lambda path, order: write_with_findings(path, order.figure, order.stores, order.progress),
    ".voids.ora": lambda path, order: write_with_voids(
        path, order.figure, order.stores, order.progress, order.own_motion
    ),
    ".compared.html": lambda path, order: write_comparison(
        path, order.before, order.figure, order.stores, order.motion.name, order.progress, order.memory
    ),
    ".proof.html": lambda path, order: write_proof(path, order.figure, order.stores, order.progress, order.memory),
    ".shaken.json": lambda path, order: write_proof(
        path, order.figure, order.stores, order.progress, order.memory, SHAKES
    ),
    ".ora": lambda path, order: write_openraster(path, order.figure, order.stores, order.pose, order.progress),
    ".png.zip": lambda path, order: write_png_set(path, order.figure, order.stores, order.pose, order.progress),
    ".zip": lambda path, order: write_archive(path, order.figure, order.stores),
}


def ending_of(name: str) -> str | None:
    """The ending by which a file of that name is delivered, if there is one."""
    return max((one for one in WRITERS if name.lower().endswith(one)), key=len, default=None)


def deliver(target: Path, order: DeliveryOrder) -> tuple[str, ...]:
    """Write one delivery; what it leaves out or changes of the figure, in sentences.

    It is read back by another library than wrote it. Raises DeliveryRefused for an unknown ending, a place that cannot
    be written, what the figure does not have or what cannot be read back.
    """
    ending = ending_of(target.name)
    if ending is None:
        raise DeliveryRefused(f"A delivery ends in {', '.join(WRITERS)}; “{target.name}” does not.")
    if order.rate is not None:
        order = replace(order, motion=order.motion.at_rate(order.rate))

    def write(unfinished: Path) -> None:
        WRITERS[ending](unfinished, order)
        films = ending in FILMS and ending != ".contact.png"
        frames = len(order.shot.frames(order.motion, order.figure)) if films else None
        read_back(unfinished, ending, frames, order.frame_rate, order.size if films and ending != ".webm" else None)

    write_to(target, write)
    return left_out(order.figure, ending, order.size, order.motion)


def write_whole(target: Path, data: bytes) -> None:
    """Write a file so that it appears whole or not at all. Raises DeliveryRefused where nothing can be written."""
    write_to(target, lambda unfinished: unfinished.write_bytes(data))


def write_to(target: Path, write: Callable[[Path], object]) -> None:
    """Let `write` fill a file beside the target and move it there. Raises DeliveryRefused where it cannot be."""
    try:
        handle, name = tempfile.mkstemp(prefix=".delivery-", suffix=target.suffix, dir=target.parent)
    except OSError as error:
        raise DeliveryRefused(f"Nothing can be written to “{target.parent}”: {error.strerror}.") from error
    os.close(handle)
    unfinished = Path(name)
    try:
        write(unfinished)
        unfinished.chmod(0o644)
        unfinished.replace(target)
    except OSError as error:
        raise DeliveryRefused(f"“{target.name}” could not be written: {error.strerror or error}.") from error
    finally:
        unfinished.unlink(missing_ok=True)
