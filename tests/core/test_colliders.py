"""Colliders laid along the art by themselves, what chains do among them, and how a motion's chains are read."""

from __future__ import annotations

import json

import numpy as np
import pytest
from click.testing import CliRunner

from kunstgriff.cli import cli
from kunstgriff.evaluate.state import compile_rig
from kunstgriff.figure.archive import write_archive
from kunstgriff.figure.edit import EditRefused, apply_edit
from kunstgriff.reading.following import read_following
from kunstgriff.trial.ground import Ground
from kunstgriff.trial.keys import KeyedMotion
from kunstgriff.trial.motion import SWING, motion_named, play
from tests.art import at, capsule, drawn, edited, figure_of


@pytest.fixture(scope="module")
def braided():
    """A round head on a neck, and a braid that hangs beside it and would swing into it."""
    shapes = {
        "neck": drawn(capsule((200, 300), (200, 380), 24, 3)), "head": drawn(capsule((200, 200), (200, 210), 80, 3)),
        "braid": drawn(capsule((310, 150), (310, 360), 12, 3)),
    }  # fmt: skip
    figure, stores = figure_of(shapes)
    figure = edited(
        figure, stores, {"kind": "draw_chain", "name": "neck", "joints": at(figure, (200, 380), (200, 300))},
        {"kind": "draw_chain", "name": "head", "parent": "neck", "joints": at(figure, (200, 300), (200, 130))},
        {"kind": "draw_chain", "name": "braid", "parent": "head", "joints": at(figure, (310, 150), (310, 220), (310, 290), (310, 360))},
        {"kind": "bind_rigid", "parts": ["neck"], "bone": "neck"}, {"kind": "bind_rigid", "parts": ["head"], "bone": "head"},
        {"kind": "bind_weighted", "parts": ["braid"], "influences": ["braid", "braid 2", "braid 3"]},
        {"kind": "set_spring", "bone": "braid", "frequency": 1.0, "damping_ratio": 0.12},
        {"kind": "make_motion", "name": "shake", "frames": 60},
        {"kind": "set_keys", "motion": "shake", "at": 0, "pose": {"neck.turn": 0}},
        {"kind": "set_keys", "motion": "shake", "at": 6, "pose": {"neck.turn": 38}},
        {"kind": "set_keys", "motion": "shake", "at": 12, "pose": {"neck.turn": -30}},
        {"kind": "set_keys", "motion": "shake", "at": 20, "pose": {"neck.turn": 24}},
    )  # fmt: skip
    return figure, stores


def test_a_collider_lies_in_the_art_of_its_bone(braided):
    figure, stores = braided
    figure = edited(figure, stores, {"kind": "lay_colliders"})
    found = {one.name: one for one in figure.colliders}
    assert set(found) == {"neck", "head"}, "what is springy gets none"
    head = found["head"]
    middle = np.add(head.start, head.end) / 2
    assert middle == pytest.approx(at(figure, (200, 205))[0], abs=4)
    assert head.radius == pytest.approx(80, abs=6)
    again = edited(figure, stores, {"kind": "lay_colliders"})
    assert len(again.colliders) == 2, "what was laid by itself is laid anew"
    by_hand = edited(figure, stores, {"kind": "set_collider", "collider": "head", "radius": 60})
    assert edited(by_hand, stores, {"kind": "lay_colliders"}).colliders[0].radius == 60, "what was laid by hand stays"


def test_a_braid_lies_on_the_ground_when_its_figure_goes_down_and_one_that_sinks_is_told(braided):
    figure, stores = braided
    (_, level), tip = at(figure, (0, 380))[0], 380 - 360
    figure = edited(
        figure, stores, {"kind": "make_motion", "name": "kneel", "frames": 60},
        {"kind": "set_keys", "motion": "kneel", "at": 0, "pose": {"neck.move.y": 0}},
        {"kind": "set_keys", "motion": "kneel", "at": 12, "pose": {"neck.move.y": 90}},
    )  # fmt: skip
    on = edited(figure, stores, {"kind": "set_floor", "at": (0, level)})
    deepest = []
    for one in (figure, on):
        rig, lowest = compile_rig(one, stores), 0.0
        last = rig.program.bone_index[next(bone.id for bone in one.bones if bone.name == "braid 3")]
        for frame in play(rig, motion_named(one, "kneel")):
            x, y = one.bones[last].tip
            lowest = max(lowest, frame.matrices[last] @ [0, x, 0, y, 0, 1] - level)
        deepest.append(lowest)
    assert deepest[0] == pytest.approx(90 - tip, abs=6)
    assert deepest[1] == pytest.approx(0, abs=0.1)
    assert not read_following(compile_rig(on, stores), motion_named(on, "kneel")).faults
    sunk = read_following(compile_rig(edited(on, stores, {"kind": "remove_spring", "bone": "braid"},
        {"kind": "set_spring", "bone": "braid", "frequency": 20.0, "damping_ratio": 2.0}), stores), motion_named(on, "kneel"))  # fmt: skip
    assert sunk.chains[0].deepest < 0.2, "however stiff it is"
    with pytest.raises(EditRefused, match="sink through the ground already"):
        apply_edit({"kind": "set_floor", "on": False}, figure, stores)
    assert edited(on, stores, {"kind": "set_floor", "on": False}).floor is None


def test_a_braid_that_is_held_far_aside_for_long_is_told_and_one_that_lies_there_for_a_moment_is_not(braided):
    figure, stores = braided
    (_, level) = at(figure, (0, 380))[0]
    figure = edited(figure, stores, {"kind": "set_floor", "at": (0, level)})
    for rises, told in ((60, True), (7, False)):
        keys = ((0, 0), (6, 150), (rises, 150), (rises + 6, 0))
        acted = edited(
            figure, stores, {"kind": "make_motion", "name": "down", "frames": 90},
            *({"kind": "set_keys", "motion": "down", "at": f, "pose": {"neck.move.y": y}} for f, y in keys),
        )  # fmt: skip
        found = read_following(compile_rig(acted, stores), motion_named(acted, "down"))
        held = [one for one in found.faults if "is held aside by the ground" in one.sentence]
        assert bool(held) == told
        if held:
            assert 45 < found.chains[0].pressed <= 66
            assert 2 <= held[0].frame <= 12


def test_a_braid_is_drawn_over_ground_that_is_not_even(braided):
    figure, stores = braided
    (_, level), steps = (
        at(figure, (0, 380))[0],
        [[100, 0], [150, -30], [190, -30], [230, 0], [260, 0], [290, -24], [330, 0]],
    )
    keys = ((0, 0, 0), (8, 0, 40), (50, 260, 40))
    figure = edited(
        figure, stores, {"kind": "make_motion", "name": "stroll", "frames": 60}, {"kind": "set_floor", "at": (0, level)},
        *({"kind": "set_keys", "motion": "stroll", "at": f, "pose": {"neck.move.x": x, "neck.move.y": y}} for f, x, y in keys),
    )  # fmt: skip
    ground = edited(figure, stores, {"kind": "set_ground", "motion": "stroll", "points": steps})
    deepest, highest = [], []
    for one in (figure, ground):
        rig, off = compile_rig(one, stores), []
        last = rig.program.bone_index[next(bone.id for bone in one.bones if bone.name == "braid 3")]
        x, y = one.bones[last].tip
        for frame in play(rig, motion_named(one, "stroll")):
            spot = frame.matrices[last] @ np.array([[x, 0], [0, x], [y, 0], [0, y], [1, 0], [0, 1]])
            off.append(spot[1] - level - Ground(steps).at(spot[0]))
        deepest.append(max(off))
        highest.append(min(off[20:]))
    assert deepest[0] > 20  # on even ground it goes through the cobbles
    assert deepest[1] < 3  # of which what a ball of 25 px rounds is the most
    assert highest[1] < -1
    assert not read_following(compile_rig(ground, stores), motion_named(ground, "stroll")).faults


def test_a_braid_swings_into_a_head_without_a_collider_and_stays_out_with_one(braided):
    figure, stores = braided
    figure = edited(figure, stores, {"kind": "set_spring", "bone": "braid", "thickness": 12})
    laid = edited(figure, stores, {"kind": "lay_colliders"})

    def nearest(one):
        rig = compile_rig(one, stores)
        bones = [bone.id for bone in one.bones if bone.name.startswith("braid")]
        rows = [rig.program.bone_index[ref] for ref in bones]
        head = rig.program.bone_index[next(bone.id for bone in one.bones if bone.name == "head")]
        least = np.inf
        for _ in play(rig, motion_named(one, "shake")):
            a, b, c, d, x, y = rig.matrices[head]
            middle = np.array([[a, c], [b, d]]) @ at(figure, (200, 205))[0] + [x, y]
            for row in rows:
                a, b, c, d, x, y = rig.matrices[row]
                tip = np.array([[a, c], [b, d]]) @ rig.program.skeleton.tips[row] + [x, y]
                least = min(least, float(np.hypot(*(tip - middle))))
        return least

    assert nearest(figure) < 75, "it swings through the head"
    radius = next(one.radius for one in laid.colliders if one.name == "head")
    assert nearest(laid) > radius - 0.5
    read = read_following(compile_rig(laid, stores), motion_named(laid, "shake"))
    assert read.chains[0].deepest <= 0.5
    assert read.chains[0].jitter <= 0.05


def test_a_reading_sees_a_chain_that_is_put_into_what_it_must_not_enter(braided):
    figure, stores = braided
    laid = edited(figure, stores, {"kind": "lay_colliders"})
    posed = edited(
        laid, stores, {"kind": "set_keys", "motion": "shake", "at": 30, "pose": {"braid.turn": 80}},
        {"kind": "set_keys", "motion": "shake", "at": 30, "pose": {f"{laid.springs[0].id}.swings": 0}},
    )  # fmt: skip
    read = read_following(compile_rig(posed, stores), motion_named(posed, "shake"))
    assert read.chains[0].deepest > 5
    assert "px into “head” on frame" in read.faults[0].sentence
    passing = edited(posed, stores, {"kind": "pass_colliders", "bone": "braid", "colliders": [read.faults[0].collider]})
    left = read_following(compile_rig(passing, stores), motion_named(posed, "shake")).faults
    assert not any(one.collider == "head" for one in left)
    again = edited(passing, stores, {"kind": "lay_colliders"})
    assert len(again.springs[0].passes) == 1, "laid anew it is passed as before"


def test_chains_are_read_from_the_shell_with_lag_and_overshoot(braided, tmp_path):
    figure, stores = braided
    write_archive(tmp_path / "braid.zip", figure, stores)
    told = CliRunner().invoke(cli, ["read", str(tmp_path / "braid.zip"), "--motion", "shake", "--json"])
    assert told.exit_code == 0, told.output
    data = json.loads(told.output)
    one = data["chains"][0]
    assert one["name"] == "braid"
    assert 0 < one["lag"] < 12
    assert one["overshoot"] > 0.1
    assert len(one["plot"]) == data["frames"] == 60
    assert CliRunner().invoke(cli, ["read", str(tmp_path / "braid.zip"), "--motion", "shake"]).exit_code == 0


def test_springs_are_baked_to_few_keys_and_swing_again_when_those_are_taken_off(braided):
    figure, stores = braided
    swung = [frame.vertices.copy() for frame in play(compile_rig(figure, stores), motion_named(figure, "shake"))]
    baked = edited(figure, stores, {"kind": "bake_springs", "motion": "shake", "error": 3})
    held = [frame.vertices.copy() for frame in play(compile_rig(baked, stores), motion_named(baked, "shake"))]
    off = max(float(np.abs(a - b).max()) for a, b in zip(swung, held, strict=True))
    assert 0.01 < off <= 3
    tracks = {one.channel: one for one in baked.motions[0].tracks}
    bones = figure.springs[0].bones
    assert all(len(tracks[f"{ref}.turn"].at) < 55 for ref in bones), "fewer than frames"
    again = edited(baked, stores, {"kind": "lift_baked", "motion": "shake"})
    assert again.motions == figure.motions
    with pytest.raises(Exception, match="Nothing is baked"):
        apply_edit({"kind": "lift_baked", "motion": "shake"}, figure, stores)


def test_a_swing_that_shows_by_half_is_half_as_far_off(braided):
    figure, stores = braided
    spring = figure.springs[0]
    half = edited(
        figure, stores, {"kind": "set_keys", "motion": "shake", "at": 0, "pose": {f"{spring.id}.swings": 0.5}}
    )
    rigs = [compile_rig(one, stores) for one in (figure, half)]
    row = rigs[0].program.bone_index[spring.bones[0]]
    turns = [
        [rig.turn[row] for _ in play(rig, KeyedMotion(one.motions[0]))]
        for rig, one in zip(rigs, (figure, half), strict=True)
    ]
    assert np.array(turns[1]) == pytest.approx(np.array(turns[0]) / 2, abs=1e-6)
    assert SWING.seconds == 4
