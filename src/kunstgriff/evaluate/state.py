"""The state of a rig: the buffers in which one bench or one delivery poses a program."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, TypeVar

import numpy as np
from numpy.typing import NDArray

from kunstgriff.evaluate.frame import Frame
from kunstgriff.evaluate.program import RigProgram, compile_program
from kunstgriff.evaluate.stale import Watch
from kunstgriff.figure.model import Figure
from kunstgriff.figure.pose import Pose
from kunstgriff.figure.stores import Stores

T = TypeVar("T")

MARKS = 9  # spots on a bone by which one sees where it is lengthened
AS_IT_IS = (1.0, 0.0, 0.0, 1.0, 0.0, 0.0)  # the affine map that changes nothing, a b c d e f


class RigState:
    """One pose of a program, and what it makes of it.

    `values` hold the pose being evaluated, as controls make it; `turn` (n,) degrees, `move` (n, 2) px and `stretch`
    (n, 2) (along, across) are those of its bones, `turned`, `moved` and `grown` the same as reaches have them, and
    `driven` (n, 3) what turns of other bones add to turn and stretch. Forward kinematics fills `matrices`,
    `angles`, `transforms`, `dual_numbers` and `stretches`. `placings` (parts and groups, 6) are what each is posed
    by itself, `placed` (n,) whether it is, `handles` (h, 2) where those of warps lie, `holds` (h,) px by which each
    tack moves the spot under it, `goals` (r, 2) where those of reaches lie, `levers` (l, 2) where levers stand; the
    first `marked` of `marks` (n, 9, 2) are spots on bones whose art is lengthened, even along each at rest.
    `watch` tells which blocks are stale in this pose: the others keep their vertices from the last one. States of
    one program do not touch each other.
    """

    def __init__(self, program: RigProgram) -> None:
        self.program = program
        channels = program.channels
        count = len(program.skeleton.parents)
        self.values = channels.rest.copy()
        self.turn, self.move, self.stretch = (
            channels.seen(self.values, name)[:count] for name in ("turn", "move", "stretch")
        )
        self.placed_turn, self.placed_move = (channels.seen(self.values, name)[count:] for name in ("turn", "move"))
        self.size, self.skew, self.opacity, self.forward, self.shows, self.levers = (
            channels.seen(self.values, name) for name in ("size", "skew", "opacity", "forward", "shows", "lever")
        )
        self.turned, self.moved, self.grown = np.zeros(count), np.zeros((count, 2)), np.ones((count, 2))
        self.driven = np.zeros((count, 3))
        self.matrices = np.tile(AS_IT_IS, (count, 1))
        self.angles = np.zeros(count)
        self.transforms: NDArray[np.float32] = np.zeros((max(count, 1), 4), np.float32)
        self.dual_numbers: NDArray[np.float32] = np.zeros((max(count, 1), 4), np.float32)
        self.stretches = program.skeleton.unstretched if count else np.zeros((1, 13), np.float32)
        self.placings = np.tile(AS_IT_IS, (len(self.placed_turn), 1))
        self.placed = np.zeros(len(self.placings), np.bool_)
        self.handles = np.zeros((len(program.figure.handles), 2))
        self.holds = np.zeros(len(self.handles))
        self.goals = np.zeros((len(program.figure.reaches), 2))
        self.watched, self.carried = -1, (0.0, 0.0, 1.0, 0.0)  # whoever is held, by its row; see binding.grip
        self.vertices = program.rest.copy()
        self.stretched = False  # whether any bone is
        self.marks, self.marked = np.zeros((count, MARKS, 2), np.float32), 0
        self.amounts = np.ones(len(program.board), np.float32)
        self.watch = Watch(program.dependence)
        self._buffers: dict[int, Any] = {}
        program.board.read(self.angles, self.stretch, self.shows, self.amounts)

    def buffer(self, owner: object, make: Callable[[], T]) -> T:
        """What a node of the program needs of its own in this state, made once."""
        known: T | None = self._buffers.get(id(owner))
        if known is None:
            known = self._buffers[id(owner)] = make()
        return known

    def set_pose(self, pose: Pose) -> None:
        """Load a pose that names things by id; what it does not name is at rest. Controls drive what they move."""
        self.program.channels.set(self.values, pose)
        self.program.drive(self.values[None])

    def evaluate(self, pose: Pose | None = None) -> Frame:
        """Evaluate `pose`, or what is already in the channels."""
        if pose is not None:
            self.set_pose(pose)
        program, watch = self.program, self.watch
        dependence = watch.dependence
        for node in dependence.before:
            node.run(self)
        held = self.watched if self.watched < len(program.figure.parts) else -1  # a group has no block
        watch.look(self.matrices, self.angles, self.grown, self.values, self.stretched, held)
        program.board.read(self.angles, self.grown, self.shows, self.amounts)
        for node, block in dependence.after:
            if block < 0 or watch.stale[block]:
                node.run(self)
        watch.whole = True
        order = self.order()
        return Frame(
            self.matrices,
            self.vertices,
            program.listed(order),
            self.amounts,
            order,
            self.placings,
            self.handles,
            self.holds,
            self.goals,
            self.levers,
            self.marks[: self.marked],
            self.watch.stale,
            program.nets.spans,
            np.clip(self.opacity, 0.0, 1.0).astype(np.float32),
            program.faded(self.opacity),
        )

    def order(self, amounts: NDArray[np.float32] | None = None) -> tuple[int, ...]:
        """The numbers of the items as they are painted, back to front: in the pose last evaluated, or with switches on
        by other `amounts` (k,)."""
        return self.program.order(self.amounts if amounts is None else amounts, self.forward)


def compile_rig(figure: Figure, stores: Stores) -> RigState:
    """A figure's program with a state of its own. Raises Missing when a store lacks an array."""
    return RigState(compile_program(figure, stores))
