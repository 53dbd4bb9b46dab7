"""Draw order: independent of groups and bones, kept when these or the drawing change, and turned about by the pose."""

from __future__ import annotations

from itertools import pairwise
from types import SimpleNamespace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from kunstgriff.artwork.renewing import match_sheet, renewal
from kunstgriff.delivery.gltf_switches import entries_of
from kunstgriff.delivery.sheet import sheet_of
from kunstgriff.evaluate.state import compile_rig
from kunstgriff.evaluate.switching import Board, BoneSwitch, Rule, ordering
from kunstgriff.figure.edit import EditRefused, apply_edit
from kunstgriff.figure.model import GROUP_LAYERS_LIMIT, Group
from kunstgriff.figure.pose import Pose, parse_pose
from kunstgriff.figure.treatments import Switch
from kunstgriff.trial.motion import motion_named, play
from tests.art import at, drawn, edited, figure_of

NAMES = "abcde"


def stacked():
    """Five blocks side by side, each on a bone of its own; b and c in one group."""
    layers = {
        name: drawn(f'<rect x="{20 * n}" width="30" height="30" fill="#a33"/>', (140, 40))
        for n, name in enumerate(NAMES)
    }
    figure, stores = figure_of(layers, (140, 40))
    return edited(
        figure, stores,
        *({"kind": "draw_chain", "name": f"bone {name}", "joints": at(figure, (20 * n + 5, 10), (20 * n + 25, 10))}
          for n, name in enumerate(NAMES)),
        *({"kind": "bind_rigid", "parts": [name], "bone": f"bone {name}"} for name in NAMES),
        {"kind": "group_parts", "parts": ["b", "c"], "group": "pair"},
    ), stores  # fmt: skip


def order(figure) -> str:
    return "".join(part.name for part in figure.parts)


def painted(figure, stores, **turn) -> str:
    rig = compile_rig(figure, stores)
    names = {part.id: part.name for part in figure.parts}
    bones = {bone.name: bone.id for bone in figure.bones}
    frame = rig.evaluate(Pose.of_bones(turn={bones[f"bone {name}"]: degrees for name, degrees in turn.items()}))
    return "".join(names[item.id] for item in frame.items)


def stepped(figure, stores, **steps) -> str:
    rig = compile_rig(figure, stores)
    names = {part.id: part.name for part in figure.parts}
    frame = rig.evaluate(parse_pose({f"{name}.forward": many for name, many in steps.items()}).by_id(figure))
    return "".join(names[item.id] for item in frame.items)


def test_a_pose_steps_parts_and_groups_past_others_and_no_further_than_there_are():
    figure, stores = stacked()
    assert stepped(figure, stores) == "abcde"
    assert stepped(figure, stores, a=2) == "bcade"
    assert stepped(figure, stores, e=-3) == "aebcd"
    assert stepped(figure, stores, d=200) == "abced"
    assert stepped(figure, stores, d=-200) == "dabce"
    assert stepped(figure, stores, pair=1) == "adbce"  # together
    assert stepped(figure, stores, pair=-1, e=-1) == "bcaed"


def test_drawings_that_do_not_show_are_no_step_and_a_key_swaps_the_order_on_its_frame():
    figure, stores = stacked()
    figure = edited(figure, stores, {"kind": "make_set", "drawings": ["d", "c"], "name": "mouth"})
    assert stepped(figure, stores, b=1) == "acdbe"  # c lies beside d and does not show
    figure = edited(
        figure, stores, {"kind": "make_motion", "name": "past", "frames": 9},
        {"kind": "set_keys", "motion": "past", "at": 0, "pose": {"a.forward": 0}},
        {"kind": "set_keys", "motion": "past", "at": 4, "pose": {"a.forward": 1}},
    )  # fmt: skip
    rig, motion = compile_rig(figure, stores), motion_named(figure, "past")
    names = {part.id: part.name for part in figure.parts}
    first = ["".join(names[item.id] for item in frame.items)[0] for frame in play(rig, motion)]
    assert first == ["a"] * 4 + ["b"] * 5


def test_groups_that_fade_in_one_another_are_as_many_pictures_as_may_be_and_fade_all_the_same():
    figure, stores = stacked()
    nested = [Group(id=f"g{900 + n}", name=f"g{n}", parent=f"g{899 + n}" if n else None) for n in range(12)]
    parts = [part.model_copy(update={"group": "g911"}) if part.name == "a" else part for part in figure.parts]
    figure = figure.replace(groups=(*figure.groups, *nested), parts=tuple(parts), next_id=1000)
    rig = compile_rig(figure, stores)
    frame = rig.evaluate(
        parse_pose({f"{one.name}.opacity": 0.9 for one in figure.groups if one.name != "pair"}).by_id(figure)
    )
    item = next(one for one in frame.items if one.part == figure.parts[0].id)
    assert len(frame.layers(item)) == GROUP_LAYERS_LIMIT < len(item.groups)
    alone = np.prod([frame.faded[ref] for ref in frame.layers(item)])
    assert frame.opacity(item) * alone == pytest.approx(0.9 ** len(item.groups))


def test_a_group_posed_see_through_is_so_in_a_layered_sheet_and_its_parts_are_not_twice():
    figure, stores = stacked()
    pair = next(one for one in figure.groups if one.name == "pair")
    sheet = sheet_of(figure, stores, parse_pose({"pair.opacity": 0.5, "b.opacity": 0.8}).by_id(figure))
    ((path, look),) = sheet.looks.items()
    assert (path[-1][1], look.opacity, look.isolated) == (pair.name, 0.5, True)
    strongest = {layer.name: int(layer.pixels[..., 3].max()) for layer in sheet.layers}
    assert strongest["b"] == pytest.approx(0.8 * 255, abs=1)
    assert strongest["c"] == strongest["a"] == 255


def test_parts_of_a_group_need_not_lie_together():
    figure, stores = stacked()
    apart = edited(figure, stores, {"kind": "reorder_parts", "parts": ["b"], "to": "front"})
    assert order(apart) == painted(apart, stores) == "acdeb"
    assert [one.name for one in apart.groups] == ["pair"]
    assert {part.group for part in apart.parts if part.name in "bc"} == {apart.groups[0].id}


def test_several_parts_are_moved_together_and_keep_their_order_among_themselves():
    figure, stores = stacked()
    moved = edited(
        figure, stores, {"kind": "reorder_parts", "parts": ["d", "a"], "to": "just_in_front_of", "other": "b"}
    )
    assert order(moved) == "badce"
    assert order(edited(moved, stores, {"kind": "reorder_parts", "parts": ["d", "b"], "to": "back"})) == "bdace"
    for wrong in ({"to": "just_behind"}, {"to": "just_behind", "other": "a"}, {"to": "just_behind", "other": "zzz"}):
        with pytest.raises(EditRefused):
            edited(figure, stores, {"kind": "reorder_parts", "parts": ["a"], **wrong})


def test_the_order_is_kept_when_bones_and_groups_change():
    figure, stores = stacked()
    mixed = edited(figure, stores, {"kind": "reorder_parts", "parts": ["a", "d"], "to": "front"})
    assert order(mixed) == "bcead"
    after = edited(
        mixed, stores, {"kind": "hang_bone", "bone": "bone b", "parent": "bone e"},
        {"kind": "group_parts", "parts": ["a", "e"], "group": "other"},
        {"kind": "group_parts", "parts": ["b"], "group": None},
        {"kind": "rename_bone", "bone": "bone c", "name": "renamed"},
    )  # fmt: skip
    assert order(after) == "bcead"


def test_the_order_is_kept_when_the_drawing_comes_anew_and_what_is_new_finds_its_place():
    figure, stores = stacked()
    mixed = edited(
        figure, stores, {"kind": "reorder_parts", "parts": ["e"], "to": "back"},
        {"kind": "order_by_pose", "part": "a", "in_front_of": "d", "switch": {"bone": "bone a", "low": 30}},
    )  # fmt: skip
    sheet = sheet_of(figure, stores, Pose())  # as the illustrator has it: in the order of before
    again = apply_edit(renewal(mixed, sheet, match_sheet(mixed, sheet, stores), stores), mixed, stores)
    assert order(again) == "eabcd"
    assert painted(again, stores, a=40) == "ebcda"


def test_an_order_by_pose_holds_beyond_its_angle_and_only_there():
    figure, stores = stacked()
    crossing = edited(
        figure,
        stores,
        {"kind": "order_by_pose", "part": "a", "in_front_of": "c", "switch": {"bone": "bone a", "low": 30}},
    )
    assert [painted(crossing, stores, a=degrees) for degrees in (0.0, 29.9, 30.1, 90.0, -60.0)] == [
        "abcde", "abcde", "bcade", "bcade", "abcde",
    ]  # fmt: skip
    in_front_already = edited(
        figure,
        stores,
        {"kind": "order_by_pose", "part": "e", "in_front_of": "a", "switch": {"bone": "bone a", "low": 30}},
    )
    assert painted(in_front_already, stores, a=50) == "abcde"
    for wrong in ({"part": "a", "in_front_of": "a"}, {"part": "a", "in_front_of": "nobody"}):
        with pytest.raises(EditRefused):
            edited(figure, stores, {"kind": "order_by_pose", **wrong, "switch": {"bone": "bone a", "low": 30}})
    bad = {"bone": "bone a", "low": 30, "high": 10}
    with pytest.raises(EditRefused, match="smaller to a greater"):
        edited(figure, stores, {"kind": "order_by_pose", "part": "a", "in_front_of": "b", "switch": bad})


rules_drawn = st.lists(
    st.tuples(st.sampled_from(NAMES), st.sampled_from(NAMES)).filter(lambda pair: pair[0] != pair[1]), max_size=5
)


@given(rules_drawn, st.lists(st.booleans(), min_size=5, max_size=5))
@settings(max_examples=150, deadline=None)
def test_whatever_rules_are_on_nothing_is_lost_or_doubled_and_the_last_one_holds(pairs, on):
    rules = [Rule(part, other, number) for number, (part, other) in enumerate(pairs)]
    found = ordering(list(NAMES), rules)(np.array(on, np.float32))
    assert sorted(found) == list(range(len(NAMES)))
    active = [rule for rule in rules if on[rule.switch]]
    if active:
        places = {NAMES[number]: place for place, number in enumerate(found)}
        assert places[active[-1].part] > places[active[-1].other]
    else:
        assert found == tuple(range(len(NAMES)))


switches = st.builds(
    lambda low, span, fade, stretch: Switch(bone="b1", low=low, high=low + span, fade=fade, stretch=stretch),
    st.floats(-170, 170), st.floats(1, 180), st.floats(0, 60), st.none() | st.floats(1, 2),
)  # fmt: skip


def amounts(switch: Switch, degrees: list[float], along: float = 1.0, until: bool = False) -> list[float]:
    board, on = Board.of([BoneSwitch(1, 0, switch, until)]), np.zeros(1, np.float32)
    told = []
    for turn in degrees:
        board.read(np.radians([20.0, 20.0 + turn]), np.array([[1.0, 1.0], [along, 1.0]]), np.zeros(0), on)
        told.append(float(on[0]))
    return told


@given(switches, st.floats(0.5, 3))
@settings(max_examples=200, deadline=None)
def test_a_switch_is_off_outside_its_range_rises_steadily_and_never_jumps_where_it_fades(switch, along):
    turns = np.linspace(switch.low - 20, switch.high + 20, 401).tolist()
    found = amounts(switch, turns, along)
    assert all(0 <= one <= 1 for one in found)
    if switch.stretch is not None and along < switch.stretch:
        assert not any(found)
        return
    assert not any(
        one for turn, one in zip(turns, found, strict=True) if not switch.low - 1e-6 <= turn <= switch.high + 1e-6
    )
    middle = (switch.low + switch.high) / 2
    rising = [one for turn, one in zip(turns, found, strict=True) if turn <= middle]
    assert all(after >= before - 1e-6 for before, after in pairwise(rising))
    if switch.fade > 5:
        steepest = max(abs(after - before) for before, after in pairwise(found))
        assert steepest <= 1.01 * (turns[1] - turns[0]) / switch.fade + 1e-6


@given(switches)
@settings(max_examples=60, deadline=None)
def test_what_it_replaces_stays_until_a_stand_in_is_wholly_there(switch):
    turns = np.linspace(switch.low - 20, switch.high + 20, 161).tolist()
    for on, left in zip(amounts(switch, turns, 3.0), amounts(switch, turns, 3.0, until=True), strict=True):
        assert left == (1.0 if on < 1 else 0.0)


def _drawn(count):
    """Items that know their number, for the writer of glTF's orders."""
    return [SimpleNamespace(number=n, switches=(), masks=()) for n in range(count)]


@given(st.lists(st.permutations(range(6)), min_size=1, max_size=5))
@settings(max_examples=120, deadline=None)
def test_a_file_with_one_order_of_meshes_holds_every_order_that_poses_make(orders):
    orders = list(dict.fromkeys(tuple(one) for one in orders))
    entries = entries_of(_drawn(6), orders)
    for order in orders:
        assert tuple(one.number for one in entries if one.shown(order, np.zeros(0, np.float32))) == order
    assert len(entries) <= 6 * len(orders)
    if len(orders) == 1:
        assert all(one.always for one in entries)
