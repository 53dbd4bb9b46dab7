"""Motions of a figure that is seen from several sides: it may turn from one facing to another on the way.

Each facing that comes up runs from the beginning, whether it is seen or not, so that what follows through goes on in it
when the figure turns. Which one is seen changes on the border of a frame.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from kunstgriff.evaluate.frame import Frame
from kunstgriff.evaluate.program import RigProgram
from kunstgriff.evaluate.state import RigState, compile_rig
from kunstgriff.figure.channels import addressed
from kunstgriff.figure.flipping import flipped_ids, flipped_pose, sign_of
from kunstgriff.figure.mirroring import in_mirror, mirrored_pose
from kunstgriff.figure.model import Figure
from kunstgriff.figure.pose import Pose
from kunstgriff.figure.stores import Stores
from kunstgriff.figure.turning import turned_to
from kunstgriff.trial.motion import Motion, Playback, frame_count, rate_of

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class Side:
    """A figure from one facing, its pose told as it is there, and whether it is seen in a mirror."""

    figure: Figure
    pose: Pose
    mirrored: bool


@dataclass(frozen=True)
class AsSeen:
    """How the channels of a program (k,) are posed where it is seen from a facing: the `places` their values go to, and
    the factors `signs`. Things may be flipped there and, in a mirror, each side does what the other did."""

    places: NDArray[np.intp]
    signs: Floats

    @classmethod
    def of(cls, program: RigProgram, told: frozenset[str], mirrored: bool) -> AsSeen:
        """That of a facing, for what is posed as where the things `told` are flipped."""
        index, changed = program.channels.index, in_mirror(program.figure)
        flipped = flipped_ids(program.figure) ^ told
        places, signs = np.arange(len(index)), np.ones(len(index))
        for address, place in index.items():
            there, sign = changed(address) if mirrored else (address, 1.0)
            places[place], signs[place] = index[there], sign * sign_of(address, flipped)
        return cls(places, signs)

    def rows(self, rows: Floats) -> Floats:
        """Rows of values (r, k) as they are seen."""
        found = np.empty_like(rows)
        found[:, self.places] = rows * self.signs
        return found


def facing_in(figure: Figure, pose: Pose) -> int:
    """The number of the facing a pose shows, 0 where it says none."""
    turnaround = figure.turnaround
    return 0 if turnaround is None else int(pose.channels.get(addressed(turnaround.id, "facing"), 0))


def side_in(figure: Figure, pose: Pose) -> Side:
    """A figure from the facing that a pose shows."""
    number = facing_in(figure, pose)
    there = turned_to(figure, number)
    mirrored = figure.turnaround is not None and figure.turnaround.is_mirrored(number)
    if figure.turnaround is not None:
        pose = pose.without({figure.turnaround.id})
        pose = pose.restricted_to(there.posed_ids)
    pose = flipped_pose(pose, flipped_ids(there) ^ flipped_ids(figure))
    return Side(there, mirrored_pose(there, pose) if mirrored else pose, mirrored)


def play_around(
    figure: Figure, stores: Stores, motion: Motion, facing: int = 0, rate: int | None = None, settled: bool = False
) -> Iterator[tuple[RigState, Frame, bool]]:
    """A motion frame by frame, each with the rig it is of and whether it is seen in a mirror. The figure is seen from
    `facing` wherever the motion says no other; what swings may have `settled` before it begins."""
    turnaround, rate = figure.turnaround, rate or rate_of(motion, figure)
    told = flipped_ids(figure)
    sides = dict[int, tuple[Playback, bool]]()  # by what is drawn, a mirrored one's number negative

    def side_of(number: int) -> tuple[Playback, bool]:
        mirrored = turnaround is not None and turnaround.is_mirrored(number)
        key = 0 if turnaround is None else turnaround.drawn(number).number * (-1 if mirrored else 1)
        if key not in sides:
            rig = compile_rig(turned_to(figure, number), stores)
            sides[key] = Playback(rig, motion, rate, AsSeen.of(rig.program, told, mirrored).rows, settled), mirrored
        return sides[key]

    count = frame_count(motion, rate)
    shown = (
        facings_shown(compile_rig(figure, stores).program, motion, facing, count, rate) if turnaround else [0] * count
    )
    wanted = list(dict.fromkeys(shown))
    for number in range(count):
        for each in wanted:
            side_of(each)[0].go_to(number)
        playback, mirrored = side_of(shown[number])
        yield playback.rig, playback.rig.evaluate(), mirrored


def facings_shown(program: RigProgram, motion: Motion, facing: int, count: int, rate: int) -> list[int]:
    """The facing that is seen in each frame of a motion."""
    turnaround = program.figure.turnaround
    if turnaround is None:
        return [0] * count
    address = addressed(turnaround.id, "facing")
    said = motion.course(program, np.arange(count) / rate)[:, program.channels.index[address]]
    return [int(one) or facing for one in said]
