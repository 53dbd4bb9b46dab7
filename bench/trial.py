"""Figures of the trial: what keys cost, frame by frame, and how long a long motion takes to be opened."""

from __future__ import annotations

import time
from pathlib import Path

import numpy as np

from bench.timing import Row, in_turn
from kunstgriff.artwork.sheet import no_progress
from kunstgriff.delivery.proof import proven
from kunstgriff.evaluate.frame import packed
from kunstgriff.evaluate.state import compile_rig
from kunstgriff.figure.archive import read_archive
from kunstgriff.figure.model import Bone, Figure, Sheet
from kunstgriff.figure.motions import FigureMotion, Track, Way
from kunstgriff.figure.stores import MemoryStores
from kunstgriff.trial.keys import KeyedMotion
from kunstgriff.trial.motion import motion_named, play

DEMO = Path(__file__).parent.parent / "demo" / "pell.zip"
WAYS: tuple[Way, ...] = ("smooth", "linear", "ease-in-out", "hold", (0.2, 0.1, 0.7, 1.2))


def keyed_figure(channels: int, keys: int, frames: int) -> Figure:
    """So many bones whose turns have so many keys each, of all ways there are."""
    rng = np.random.default_rng(5)
    bones = tuple(Bone(id=f"b{k}", name=f"b{k}", joint=(k, 0), tip=(k, 50), hue=0) for k in range(channels))
    tracks = tuple(
        Track(
            channel=f"{bone.id}.turn",
            at=tuple(np.linspace(0, frames, keys).tolist()),
            values=tuple(rng.uniform(-60, 60, keys).tolist()),
            ways=tuple(WAYS[k % len(WAYS)] for k in range(keys)),
        )
        for bone in bones
    )
    motion = FigureMotion(id="m9000", name="act", frames=frames, tracks=tracks)
    sheet = Sheet(width=100, height=100, standing_point=(0, 0))
    return Figure(name="keys", sheet=sheet, bones=bones, motions=(motion,))


def keys(channels: int = 300, each: int = 40, most: float = 0.15) -> Row:
    """What one frame of a motion costs beyond the values of a pose at rest."""
    figure = keyed_figure(channels, each, 480)
    program = compile_rig(figure, MemoryStores()).program
    motion, times = KeyedMotion(figure.motions[0]), iter(np.random.default_rng(3).uniform(0, 20, 1_000_000))
    rest = program.channels.rest

    def frame() -> np.ndarray:
        return motion.course(program, np.array([next(times)]))

    taken, copied = in_turn(frame, lambda: rest[None].copy(), rounds=31, repeats=50)
    spent = (taken - copied) * 1e3
    what = f"one frame of a motion, {channels} channels of {each} keys"
    return Row(what, f"{spent:.3f} ms", "", f"≤ {most:g} ms", spent <= most)


def opened(most: float = 1.5) -> Row:
    """How long a motion of 2,000 frames takes from its document to its first frame."""
    text = keyed_figure(300, 200, 2_000).model_dump_json()

    def begun() -> None:
        figure = Figure.model_validate_json(text)
        program = compile_rig(figure, MemoryStores()).program
        KeyedMotion(figure.motions[0]).course(program, np.zeros(1))

    taken, read = in_turn(begun, lambda: Figure.model_validate_json(text), rounds=5)
    what = f"a motion of 2,000 frames, 60,000 keys, opened ({len(text) / 1e6:.1f} MB)"
    return Row(what, f"{taken:.2f} s", f"{read:.2f} s of it to read", f"≤ {most:g} s", taken <= most)


def played(most: float = 0.4) -> Row:
    """How much of one core playing the demo's walk takes on the server at 24 frames a second, packed for the browser."""
    figure, stores = read_archive(DEMO)
    rig, motion = compile_rig(figure, stores), motion_named(figure, "walks the street")

    def round_once() -> None:
        for frame in play(rig, motion):
            packed(b"0" * 16, frame.sections)

    taken, _ = in_turn(round_once, lambda: None, rounds=9)
    share = taken / motion.seconds
    return Row("the demo's walk played, of one core", f"{share:.0%}", "", f"≤ {most:.0%}", share <= most)


def proved(shakes: int = 0, most: float = 60.0) -> Row:
    """How long the range sheet of the demo takes on two cores, or that many random poses more."""
    figure, stores = read_archive(DEMO)
    known: dict[str, dict[str, object]] = {}
    if shakes:  # what the range sheet has is known
        known = {row["mark"]: row for row in proven(figure, stores, no_progress, workers=2)}
    began = time.perf_counter()
    rows = proven(figure, stores, no_progress, shakes, known=known, workers=2)
    taken = time.perf_counter() - began
    what = f"{shakes} random poses of the demo read" if shakes else f"the range sheet of the demo, {len(rows)} cells"
    return Row(what, f"{taken:.0f} s", "", f"≤ {most:.0f} s", taken <= most)


def trial() -> list[Row]:
    return [keys(), opened(), played(), proved(), proved(200)]
