"""Skeletons made by themselves on strangers: from the parts, and from templates by their names."""

from __future__ import annotations

import math

import numpy as np
import pytest
from shapely import affinity, union_all
from shapely.geometry import LineString, Point

from kunstgriff.artwork.outline import part_outline
from kunstgriff.figure.edit import apply_edit
from tests.strangers.artist import Stranger
from tests.strangers.plans import stranger
from tests.strangers.way import imported


def truth_of(one: Stranger, figure) -> dict[str, tuple[str, np.ndarray, float]]:
    """By the name of each piece that hangs on another by a joint of two: that one, the joint, half its width."""
    names = {part.name for part in figure.parts}
    ground = np.array(figure.sheet.standing_point)
    return {
        joint.lower: (joint.upper, np.array(joint.at) - ground, joint.half)
        for joint in one.joints
        if joint.two_piece and {joint.upper, joint.lower} <= names
    }


@pytest.mark.parametrize("seed", [0, 1, 2, 4, 6, 9, 10])
def test_bones_of_parts_turn_and_hang_as_the_stranger_was_drawn(seed):
    one = stranger(seed)
    figure, stores = imported(one)
    made = apply_edit({"kind": "bones_from_parts"}, figure, stores)
    bones, names = {bone.name: bone for bone in made.bones}, {bone.id: bone.name for bone in made.bones}
    truth = truth_of(one, figure)
    assert truth
    off = {name: math.dist(bones[name].joint, at) / half for name, (_, at, half) in truth.items()}
    assert max(off.values()) < 0.15, off
    assert {name: names[bones[name].parent] for name in truth} == {name: upper for name, (upper, _, _) in truth.items()}
    assert all(part.followed for part in made.parts)


@pytest.mark.parametrize(
    ("seed", "template", "least"),
    [
        (0, "biped", 17),
        (1, "biped", 17),
        (8, "biped", 13),
        (9, "biped", 17),
        (3, "bird", 13),
        (2, "four-legged", 6),
        (10, "four-legged", 5),
    ],
)
def test_a_template_lies_on_the_art_and_its_spine_on_the_trunk_s_middle(seed, template, least):
    figure, stores = imported(stranger(seed))
    made = apply_edit({"kind": "fit_template", "template": template}, figure, stores)
    shapes = {
        part.name: affinity.translate(part_outline(part, stores).buffer(0), *part.drawing.place) for part in made.parts
    }
    art = union_all(list(shapes.values()))
    bones = {bone.name: bone for bone in made.bones}
    assert len(bones) >= least
    beside = {bone.name: LineString([bone.joint, bone.tip]).difference(art).length for bone in made.bones}
    assert {name: length for name, length in beside.items() if length > 10 and name != "neck"} == {}
    near = art.buffer(4)  # a neck may bridge what was left open between head and trunk
    assert all(near.contains(Point(end)) for bone in made.bones for end in (bone.joint, bone.tip))
    assert shapes["skull"].contains(LineString([bones["head"].joint, bones["head"].tip]).centroid)
    if template == "biped":
        cut = LineString([(-1e4, bones["chest"].joint[1]), (1e4, bones["chest"].joint[1])]).intersection(
            shapes["torso"]
        )
        left, _, right, _ = cut.bounds
        assert bones["chest"].joint[0] == pytest.approx((left + right) / 2, abs=0.06 * (right - left))
