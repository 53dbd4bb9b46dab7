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
from kunstgriff.figure.channels import addressed, parted, quantities
from kunstgriff.figure.mirroring import mirrored_pose, one_way, other_sides
from kunstgriff.figure.model import Figure
from kunstgriff.figure.pose import Pose
from kunstgriff.figure.stores import Stores
from kunstgriff.figure.turning import turned_to
from kunstgriff.follow.spring import Simulation, moments
from kunstgriff.trial.motion import Motion, frame_count

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class Side:
    """A figure from one facing, its pose told as it is there, and whether it is seen in a mirror."""

    figure: Figure
    pose: Pose
    mirrored: bool


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
    return Side(there, mirrored_pose(there, pose) if mirrored else pose, mirrored)


def play_around(
    figure: Figure, stores: Stores, motion: Motion, facing: int = 0, rate: int | None = None
) -> Iterator[tuple[RigState, Frame, bool]]:
    """A motion frame by frame, each with the rig it is of and whether it is seen in a mirror. The figure is seen from
    `facing` wherever the motion says no other."""
    turnaround, rate = figure.turnaround, rate or figure.rate
    rigs = dict[int, tuple[RigState, Simulation]]()  # by the number of what is drawn, a mirrored one's negative

    def rig_of(number: int) -> tuple[RigState, Simulation, bool]:
        mirrored = turnaround is not None and turnaround.is_mirrored(number)
        key = 0 if turnaround is None else turnaround.drawn(number).number * (-1 if mirrored else 1)
        if key not in rigs:
            rig = compile_rig(turned_to(figure, number), stores)
            rigs[key] = rig, Simulation(rig)
        return (*rigs[key], mirrored)

    count = frame_count(motion, rate)
    shown = _facings(figure, stores, motion, facing, count, rate)
    wanted = list(dict.fromkeys(shown))
    for number, times in enumerate(moments(count, rate)):
        for each in wanted:
            rig, simulation, mirrored = rig_of(each)
            values = motion.course(rig.program, times)
            simulation.step(mirrored_rows(rig.program, values) if mirrored else values)
        rig, _, mirrored = rig_of(shown[number])
        yield rig, rig.evaluate(), mirrored


def _facings(figure: Figure, stores: Stores, motion: Motion, facing: int, count: int, rate: int) -> list[int]:
    """The facing that is seen in each frame of a motion."""
    if figure.turnaround is None:
        return [0] * count
    program = compile_rig(figure, stores).program
    address = addressed(figure.turnaround.id, "facing")
    said = motion.course(program, np.arange(count) / rate)[:, program.channels.index[address]]
    return [int(one) or facing for one in said]


def mirrored_rows(program: RigProgram, rows: Floats) -> Floats:
    """Rows of values (r, k) of a program's channels as in a mirror: each side does what the other did."""
    figure, index, known = program.figure, program.channels.index, quantities()
    other, one_sided = other_sides(figure), one_way(figure)
    flipped = rows.copy()
    for address, place in index.items():
        ref, name = parted(address)
        there = addressed(other.get(ref, ref), name)
        sign = 1.0 if there in one_sided else known[name].mirrored
        flipped[:, index[there]] = sign * rows[:, place]
    return flipped
