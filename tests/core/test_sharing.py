"""Figures that differ in words only share a program: what is left out of its key is nothing that a picture shows."""

from __future__ import annotations

import numpy as np

from kunstgriff.evaluate.program import compile_program
from kunstgriff.evaluate.sharing import program_key, shared_with
from kunstgriff.evaluate.state import RigState
from kunstgriff.figure.model import Figure, Tolerances
from kunstgriff.figure.motions import FigureMotion
from kunstgriff.figure.pose import Pose
from tests.art import edited, one_piece_arm, two_piece_arm


def reworded(figure: Figure) -> Figure:
    """The figure with everything else that no picture shows: other names, nothing kept, said or locked."""
    return figure.replace(
        name="Nobody",
        rate=12,
        next_id=figure.next_id + 7,
        tolerances=Tolerances(gap=9, step=0.9),
        poses=(),
        motions=(FigureMotion(id="m999", name="act", frames=4),),
        reference=None,
        accepted=("anything",),
        groups=tuple(one.model_copy(update={"name": f"g{k}"}) for k, one in enumerate(figure.groups)),
        parts=tuple(
            one.with_drawing(remade=()).model_copy(update={"name": f"p{k}", "locked": not one.locked, "shelved": ()})
            for k, one in enumerate(figure.parts)
        ),
        levers=tuple(
            one.model_copy(update={"name": f"l{k}", "place": None, "hangs_on": None, "hue": 3.0})
            for k, one in enumerate(figure.levers)
        ),
        bones=tuple(
            one.model_copy(update={"name": f"b{k}", "locked": not one.locked}) for k, one in enumerate(figure.bones)
        ),
    )


def posed(program, pose):
    rig = RigState(program)
    rig.set_pose(pose)
    frame = rig.evaluate()
    return frame.vertices.copy(), frame.items, frame.order, frame.amounts.copy()


def test_another_wording_has_the_same_key_and_compiles_to_the_same(pell):
    figure, stores = pell
    other = reworded(figure)
    assert program_key(other) == program_key(figure)
    pose = Pose.model_validate({"turn": {figure.bones[4].id: 40, figure.bones[9].id: -30}})
    first, second = (posed(compile_program(one, stores), pose) for one in (figure, other))
    assert np.array_equal(first[0], second[0])
    assert first[1] == second[1]
    assert first[2] == second[2]
    assert np.array_equal(first[3], second[3])


def test_a_shared_program_is_its_own_figures_in_every_word(pell):
    figure, stores = pell
    program = compile_program(figure, stores)
    other = reworded(figure)
    shared = shared_with(program, other)
    assert shared.figure is other
    assert shared.rest is program.rest
    assert [block.part.name for ref, block in shared.blocks.items() if ref in {p.id for p in other.parts}] == [
        part.name for part in other.parts
    ]


def test_whatever_a_picture_shows_changes_the_key():
    figure, stores = two_piece_arm()
    arm, other = figure.parts[0].name, figure.parts[1].name
    bone = figure.bones[1].name
    keys = {program_key(figure)}
    for edit in (
        {"kind": "move_parts", "parts": [arm], "by": [3, 0]},
        {"kind": "set_opacity", "parts": [arm], "opacity": 0.5},
        {"kind": "reorder_parts", "parts": [arm], "to": "front"},
        {"kind": "bind_weighted", "parts": [other]},
        {"kind": "set_limits", "bones": [bone], "limits": {"low": -20, "high": 30}},
        {"kind": "set_spring", "bone": bone},
    ):
        keys.add(program_key(edited(figure, stores, edit)))
    assert len(keys) == 7
    bent, bent_stores = one_piece_arm()
    widened = {"kind": "set_zone", "bone": bent.bones[1].name, "inner": 2.0}
    assert program_key(edited(bent, bent_stores, widened)) != program_key(bent)
