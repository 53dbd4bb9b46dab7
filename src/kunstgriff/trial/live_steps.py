"""Legs that step while someone drags the body: nobody knows where it goes, so it goes on as it goes, ever slower."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from kunstgriff.control.reaching import bones_of
from kunstgriff.evaluate.state import RigState
from kunstgriff.figure.channels import addressed
from kunstgriff.figure.controls import Reach
from kunstgriff.figure.model import Point
from kunstgriff.figure.pose import Pose
from kunstgriff.figure.stores import Stores
from kunstgriff.skeleton.kinematics import posed
from kunstgriff.trial.stepping import Walker
from kunstgriff.trial.walking import body_of, footing_of, placed

GOES_ON = 8.0  # frames in which a body that is let go of would have come to a stand
STEADIES = 0.4  # how much of a new speed is believed at once
KEPT = 64  # moments of the way that are kept
LONGEST = 48.0  # frames that pass at once at the most
COMES_UP = 0.35  # of the way that a body comes up again in a frame
DEEPEST = 0.7  # of how long a leg is, that a body goes down at the most


class LiveSteps:
    """The legs of a figure from a pose on; `at` is told the pose of the body moment by moment. Raises EditRefused where
    it has no legs."""

    def __init__(self, rig: RigState, stores: Stores, pose: Pose, now: float, ground: Sequence[Point] = ()) -> None:
        figure = rig.program.figure
        self.rig, self.program = rig, rig.program
        self.footing = footing_of(rig, figure.stepper, stores, ground)
        legs = self.footing.legs
        self.root = body_of(figure, legs)
        self.reaches = {one.id: one for one in figure.reaches if isinstance(one, Reach)}
        self.rows = [rig.program.bone_index[bones_of(figure, self.reaches[leg.reach])[0].id] for leg in legs]
        numbers = [self.footing.number_in(figure, leg) for leg in legs]
        rig.evaluate(pose)
        self.footing.begins = [self.footing.under(leg, float(rig.goals[k, 0])) for leg, k in enumerate(numbers)]
        self.walker = Walker(legs, self.footing.gait, list(self.footing.begins), now=now)
        self.times, self.way, self.speed, self.dip = [now], [self._x(pose)], 0.0, 0.0

    def _x(self, pose: Pose) -> float:
        return pose.channels.get(addressed(self.root.id, "move.x"), 0.0)

    def body(self, frame: float) -> float:
        """Where the body was, or will be if it goes on."""
        past = frame - self.times[-1]
        if past > 0:
            return self.way[-1] + self.speed * GOES_ON * (1 - math.exp(-past / GOES_ON))
        return float(np.interp(frame, self.times, self.way))

    def at(self, pose: Pose, now: float) -> Pose:
        """The pose with feet and body as they are by now; what was before stays as it was."""
        now = min(max(now, self.times[-1]), self.times[-1] + LONGEST)
        passed = now - self.times[-1]
        if passed > 1e-6:
            speed = (self._x(pose) - self.way[-1]) / passed
            self.speed += (speed - self.speed) * (1 - (1 - STEADIES) ** passed)
            self.times, self.way = [*self.times[-KEPT:], now], [*self.way[-KEPT:], self._x(pose)]
            begun = self.walker.advance(now, self.body)
            self.footing.steps = [*(one for one in self.footing.steps if one.lands > now - KEPT), *begun]
        channels = placed(self.footing, self.reaches, now)
        high, lean = self.footing.heights(now)
        stepper = self.footing.gait.stepper
        moved = {"move.y": stepper.height * high, "turn": stepper.tilt * lean}
        for name, by in moved.items():
            address = addressed(self.root.id, name)
            channels[address] = pose.channels.get(address, 0.0) + by
        self._go_down(pose.merged(Pose(channels=channels)), now, passed)
        channels[addressed(self.root.id, "move.y")] += self.dip
        return Pose(channels=channels)

    def _go_down(self, pose: Pose, now: float, passed: float) -> None:
        """How far the body goes down so that its legs are long enough: at once, and up again by and by."""
        self.rig.evaluate(pose)
        needed = 0.0
        hips = posed(self.program.skeleton.joints[self.rows], self.rig.matrices[self.rows])
        for leg, (hip, one) in enumerate(zip(hips, self.footing.legs, strict=True)):
            x, y, _ = self.footing.at(leg, now)
            room = max(one.long**2 - (x - hip[0]) ** 2, 0.0)
            needed = max(needed, min(y - hip[1] - math.sqrt(room), DEEPEST * one.long))
        up = (self.dip - needed) * (1 - (1 - COMES_UP) ** passed)
        self.dip = max(needed, self.dip - max(up, 0.0))
