"""Springs that swing while someone poses: the same steps as in a motion, however many pictures come through."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from kunstgriff.evaluate.state import RigState
from kunstgriff.figure.pose import Pose
from kunstgriff.follow.spring import Simulation

Floats = NDArray[np.float64]

LONGEST = 0.5  # s that pass at once at the most: after a pause things go on, they do not catch up
WOBBLES = 0.5  # px/s
STILL = 2e-3  # rad/s: nothing is seen to move


class LiveSprings:
    """The chains of a figure from a pose on; it is told the pose moment by moment, and poses its rig."""

    def __init__(self, rig: RigState, pose: Pose, now: float) -> None:
        self.rig, self.simulation, self.now = rig, Simulation(rig), now
        self.row = self._row(pose)
        self.simulation.begin(self.row, settled=rig.program.figure.wind is None)

    def _row(self, pose: Pose) -> Floats:
        row = self.rig.program.channels.rest.copy()
        self.rig.program.channels.set(row, pose)
        return row

    def at(self, pose: Pose, now: float) -> bool:
        """Let the time go on to `now` (s) while the pose changes to another; returns whether anything still moves."""
        h, row = self.simulation.h, self._row(pose)
        self.now = max(self.now, now - LONGEST)
        count = int((now - self.now) / h + 1e-9)
        if count > 0:
            shares = np.arange(1, count + 1)[:, None] / count
            rows = self.row + shares * (row - self.row)
            stepped = self.rig.program.channels.stepped
            rows[:, stepped] = row[stepped]
            self.simulation.step(rows)
            self.row, self.now = row, self.now + count * h
        return self.moves

    @property
    def moves(self) -> bool:
        """Whether anything swings still, or ever does."""
        simulation = self.simulation
        if simulation.gusts is not None or any(run.spring.cycle for run in simulation.runs.values()):
            return True
        swings = float(np.abs(simulation.swing.rates).max(initial=0.0)) > STILL
        return swings or float(np.abs(simulation.jelly.rate).max(initial=0.0)) > WOBBLES
