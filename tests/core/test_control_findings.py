"""Findings about controls: they see the fault, and say nothing where there is none."""

from __future__ import annotations

import pytest

from kunstgriff.evaluate.sharing import program_key
from kunstgriff.figure.edit import EditRefused, apply_edit
from kunstgriff.figure.findings import findings
from tests.art import edited
from tests.core.test_shapes import pulled
from tests.outside.test_reaches import walker


def told(figure, stores):
    return [one.sentence for one in findings(figure, stores) if one.stage == "controls"]


def remedied(figure, stores, word):
    """The figure with every finding about controls mended by the button with a word."""
    for one in findings(figure, stores):
        for remedy in one.remedies:
            if one.stage == "controls" and remedy.word == word:
                figure = apply_edit(remedy.edit, figure, stores)
    return figure


def test_what_moves_nothing_is_told_until_it_does_or_is_taken_off():
    figure, stores = walker()
    figure = edited(
        figure, stores, {"kind": "lay_lever", "name": "brow"}, {"kind": "make_shape", "name": "smile"},
        {"kind": "make_corrective", "bones": ["near 2"], "name": "knee"},
    )  # fmt: skip
    assert sorted(told(figure, stores)) == [
        "The corrective “knee” moves nothing yet", "The lever “brow” moves nothing yet",
        "The shape “smile” moves nothing yet",
    ]  # fmt: skip
    assert not told(remedied(figure, stores, "Take it off"), stores)
    assert not told(remedied(figure, stores, "It is meant so"), stores)
    driving = edited(figure, stores, {"kind": "drive", "by": "brow", "channel": "hips.turn", "points": [[1, 4]]})
    assert len(told(driving, stores)) == 2
    bare, held, pull = pulled()
    assert not told(edited(bare, held, pull), held)


def test_a_reach_whose_chain_was_cut_is_told_and_taken_off():
    figure, stores = walker()
    figure = edited(figure, stores, {"kind": "lay_reach", "tip": "near 2", "name": "foot"},
                    {"kind": "hang_bone", "bone": "near 2", "parent": None})  # fmt: skip
    (sentence,) = told(figure, stores)
    assert "“foot” reaches no more" in sentence
    more = edited(figure, stores, {"kind": "lay_reach", "tip": "far 2", "name": "other"},
                  {"kind": "lay_lever", "name": "brow", "axes": "x"},
                  {"kind": "drive", "by": "far 3", "channel": "body.move.x", "points": [[9, 1]]},
                  {"kind": "take_pose", "pose": {"hips.turn": 5}})  # fmt: skip
    assert [one.name for one in more.reaches] == ["foot", "other"]  # one that is broken hinders no other
    assert not told(remedied(figure, stores, "Take it off"), stores)


def test_a_leg_that_jumps_is_told_with_px_and_place_and_one_that_does_not_is_not():
    figure, stores = walker()
    limits = [{"kind": "set_limits", "bones": [name], "limits": {"low": low, "high": high}}
              for name, low, high in (("far", -70, 70), ("far 2", -70, 70), ("far 3", -50, 50))]  # fmt: skip
    free = edited(figure, stores, {"kind": "lay_reach", "tip": "far 2", "name": "foot"})
    assert not told(free, stores)
    long = edited(figure, stores, *limits, {"kind": "lay_reach", "tip": "far 3", "name": "long", "bones": 3})
    (sentence,) = told(long, stores)
    assert "jumps" in sentence
    assert "“long”" in sentence


def test_a_drawing_that_no_control_shows_is_told_once_there_are_controls():
    figure, stores = walker()
    figure = edited(figure, stores, {"kind": "make_set", "name": "legs", "drawings": ["far leg", "near leg"]})
    assert not told(figure, stores)
    figure = edited(figure, stores, {"kind": "lay_lever", "name": "pick", "low": 0},
                    {"kind": "drive", "by": "pick", "channel": "hips.turn", "points": [[1, 4]]})  # fmt: skip
    assert told(figure, stores) == ["No control and no kept pose shows “near leg” of “legs”"]
    shown = edited(figure, stores, {"kind": "drive", "by": "pick", "channel": "legs.shows", "points": [[0.5, 2]]})
    assert not told(shown, stores)
    kept = edited(figure, stores, {"kind": "keep_pose", "name": "other", "pose": {"legs.shows": 2}})
    assert not told(kept, stores)


def test_a_goal_has_a_colour_of_its_own_that_changes_no_picture():
    figure, stores = walker()
    figure = edited(figure, stores, {"kind": "lay_reach", "tip": "near 2", "name": "foot"})
    tinted = edited(figure, stores, {"kind": "set_reach", "reach": "foot", "hue": 140})
    assert tinted.reaches[0].hue == 140
    assert program_key(tinted) == program_key(figure)
    with pytest.raises(EditRefused, match="incomplete or wrong"):
        apply_edit({"kind": "set_reach", "reach": "foot", "hue": 400}, figure, stores)
