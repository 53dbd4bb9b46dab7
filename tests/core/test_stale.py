"""What a new pose leaves as it was is not worked out anew, and no number tells the difference."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from kunstgriff.evaluate.program import compile_program
from kunstgriff.evaluate.stale import MATRICES
from kunstgriff.evaluate.state import RigState, compile_rig
from kunstgriff.figure.archive import read_archive
from kunstgriff.figure.channels import quantities
from kunstgriff.figure.pose import Pose, parse_pose, posable
from kunstgriff.trial.motion import motion_named, play
from tests.art import at, edited
from tests.core.test_placing import face

DEMO = Path(__file__).resolve().parents[2] / "demo"
ARRAYS = ("vertices", "matrices", "placings", "handles", "holds", "amounts")


def strange():
    """A face that is posed by itself with a rider on it, and an arm with delta mush under two warps, of which one rides
    on the mouth."""
    figure, stores = face()
    figure = edited(
        figure, stores,
        {"kind": "set_delta_mush", "parts": ["arm"], "rounds": 3, "amount": 0.5},
        {"kind": "lay_lattice", "parts": ["arm"], "name": "grid", "columns": 3, "rows": 2},
        {"kind": "lay_lattice", "groups": ["face"], "name": "mask", "columns": 2, "rows": 2},
        {"kind": "set_tack", "part": "arm", "at": at(figure, (320, 280))[0], "bones": ["arm", "head"], "name": "cuff"},
        {"kind": "ride_handles", "handles": ["grid 1,1"], "part": "mouth"},
    )  # fmt: skip
    return figure, stores


def figure_called(name):
    return strange() if name == "strange" else read_archive(DEMO / f"{name}.zip")


def walk(figure, rng, steps):
    """Poses of a figure, each with some channels of the one before let go and some others set."""
    there = {kind: [one.id for one in some] for kind, some in posable(figure).items()}
    channels = [(ref, one) for one in quantities().values() for kind in one.of for ref in there[kind]]
    channels = [(f"{ref}.{one.name}", one) for ref, one in channels]
    pose: dict[str, float] = {}
    for _ in range(steps):
        pose = {address: value for address, value in pose.items() if rng.random() < 0.7}
        for k in rng.integers(0, len(channels), rng.integers(0, 4)):
            address, one = channels[k]
            reach = 0.3 if one.rest == 1.0 else 25.0
            value = float(np.clip(one.rest + rng.uniform(-reach, reach), one.low, one.high))
            pose[address] = float(round(value)) if one.stepped else value
        yield Pose(channels=dict(pose))


@pytest.mark.parametrize(("name", "least"), [("strange", 0.02), ("pell", 0.3), ("tallow", 0.3)])
def test_a_frame_is_the_same_whatever_was_posed_before(name, least):
    figure, stores = figure_called(name)
    program = compile_program(figure, stores)
    rig, left = RigState(program), 0
    for number, pose in enumerate(walk(figure, np.random.default_rng(5), 120)):
        went_on, anew = rig.evaluate(pose), RigState(program).evaluate(pose)
        for array in ARRAYS:
            assert np.array_equal(getattr(went_on, array), getattr(anew, array)), (number, array, pose)
        assert went_on.order == anew.order
        left += int((~went_on.stale).sum())
    assert left > least * 120 * len(program.blocks)  # so many were left alone, or nothing was tried


def test_only_what_a_bone_carries_is_worked_out_anew():
    figure, stores = read_archive(DEMO / "pell.zip")
    rig = compile_rig(figure, stores)
    rig.evaluate(Pose())
    rest = rig.vertices.copy()
    frame = rig.evaluate(parse_pose({"near ear 2.turn": 20}).by_id(figure))
    moved = {ref for ref, one in rig.program.blocks.items()
             if not np.array_equal(rest[one.start : one.start + one.count], rig.vertices[one.start : one.start + one.count])}  # fmt: skip
    anew = {ref for (ref, _), stale in zip(rig.program.blocks.items(), frame.stale, strict=True) if stale}
    assert moved <= anew
    assert len(anew) <= 3
    assert not rig.evaluate(parse_pose({"near ear 2.turn": 20}).by_id(figure)).stale.any()


def test_after_a_failed_evaluation_all_is_worked_out_anew(monkeypatch):
    figure, stores = strange()
    program = compile_program(figure, stores)
    rig, pose = RigState(program), parse_pose({"arm 2.turn": 40, "grid 1,2.shift.y": 9}).by_id(figure)
    rig.evaluate(Pose())
    last, _ = program.dependence.after[-1]

    def failing(self, rig):
        raise MemoryError

    with monkeypatch.context() as patched:
        patched.setattr(type(last), "run", failing)
        with pytest.raises(MemoryError):
            rig.evaluate(pose)
    assert np.array_equal(rig.evaluate(pose).vertices, RigState(program).evaluate(pose).vertices)


def test_bones_posed_after_vertices_are_found_out():
    class Late:
        reads, writes = frozenset({MATRICES}), frozenset({MATRICES})

        def run(self, rig):
            rig.matrices[:] = 0.0

    figure, stores = strange()
    program = compile_program(figure, stores)
    with pytest.raises(TypeError, match="after vertices"):
        RigState(replace(program, nodes=(*program.nodes, Late())))


def test_a_motion_with_springs_goes_the_same_way_on_a_rig_that_was_posed():
    figure, stores = read_archive(DEMO / "pell.zip")
    program = compile_program(figure, stores)
    posed = RigState(program)
    posed.evaluate(parse_pose({"chest.turn": 25, "lips 2.shift.y": -12, "near hand.turn": 30}).by_id(figure))
    for one, other in zip(
        play(posed, motion_named(figure, None)), play(RigState(program), motion_named(figure, None)), strict=True
    ):
        assert np.array_equal(one.vertices, other.vertices)
