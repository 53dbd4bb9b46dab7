"""Springs by intent: what is asked for is what is seen on the standard swing, or a sentence says what could be."""

from __future__ import annotations

import pytest

from kunstgriff.evaluate.state import compile_rig
from kunstgriff.figure.edit import EditRefused, apply_edit
from kunstgriff.figure.follow import Wish
from kunstgriff.follow.intent import MATERIALS, on_standard_swing, tuned
from kunstgriff.trial.motion import play
from tests.art import capsule, drawn, edited, figure_of


def seen(figure, spring):
    return on_standard_swing(figure, spring, [(spring.frequency, spring.damping_ratio)])[0]


def chain(count, length=40.0, **more):
    """A figure of a holder and a chain under it, its first rods longer."""
    figure, stores = figure_of({"rod": drawn(capsule((200, 100), (200, 300), 20, 4))})
    joints, y = [[0, -380], [0, -300]], -300.0
    for k in range(count):
        y += length * (1.3 - 0.1 * k)
        joints.append([8 * k, y])
    figure = edited(figure, stores, {"kind": "draw_chain", "name": "hold", "joints": joints})
    return edited(figure, stores, {"kind": "set_spring", "bone": "hold 2", **more}), stores


@pytest.mark.parametrize(
    ("count", "wish", "more"),
    [
        (1, Wish(settles=14, overshoots=0.25), {}),
        (3, Wish(settles=14, overshoots=0.25), {}),
        (5, Wish(settles=24, overshoots=0.3), {"weight": 0.5}),
        (3, Wish(settles=18, overshoots=0.15), {"air": 2.0}),
        (2, Wish(overshoots=0.3, lags=1.2), {}),
        (3, Wish(settles=16, lags=1.5), {"gravity": 0}),
    ],
)
def test_what_is_wished_is_what_is_seen(count, wish, more):
    figure, _ = chain(count, **more)
    found = tuned(figure, figure.springs[0], wish)
    does = seen(figure, found)
    if wish.settles is not None:
        assert does.settles == pytest.approx(wish.settles, abs=0.6)  # it jumps from one swing to the next
    if wish.overshoots is not None:
        assert does.overshoots == pytest.approx(wish.overshoots, abs=0.01)
    if wish.lags is not None:
        assert does.lags == pytest.approx(wish.lags, abs=0.15)
    assert found.wish == wish


def test_a_wish_that_contradicts_itself_is_told_with_what_comes_nearest():
    figure, stores = chain(2)
    with pytest.raises(EditRefused, match=r"No spring on this chain does that; the nearest one settles in \d+ frames"):
        apply_edit({"kind": "wish_spring", "bone": "hold 2", "settles": 3, "overshoots": 0.7}, figure, stores)
    with pytest.raises(EditRefused, match="Say two of three"):
        apply_edit({"kind": "wish_spring", "bone": "hold 2", "settles": 14}, figure, stores)
    with pytest.raises(EditRefused, match="no material “marble”; there are stiff felt, "):
        apply_edit({"kind": "wish_spring", "bone": "hold 2", "material": "marble"}, figure, stores)


def test_materials_differ_as_their_words_say(pell):
    figure, stores = pell
    does = {}
    for material in MATERIALS:
        after = apply_edit({"kind": "wish_spring", "bone": "near ear", "material": material}, figure, stores)
        does[material] = seen(after, after.springs[0])
    assert does["stiff felt"].settles < does["heavy wool"].settles < does["silk"].settles < does["chain"].settles
    assert does["stiff felt"].overshoots < does["heavy wool"].overshoots < does["long ear"].overshoots
    assert does["antenna"].overshoots == max(one.overshoots for one in does.values())


def test_all_springs_are_tuned_together_and_twice_as_tight_is_twice_as_fast(pell):
    figure, stores = pell
    tight = apply_edit({"kind": "tune_springs", "tight": 2}, figure, stores)
    for before, after in zip(figure.springs, tight.springs, strict=True):
        assert after.frequency == pytest.approx(2 * before.frequency)
    heavy = apply_edit({"kind": "tune_springs", "heavy": 2}, figure, stores)
    spring = figure.springs[0]
    assert seen(figure, heavy.springs[0]).lags > seen(figure, spring).lags
    bare = figure.without({one.id for one in figure.springs})
    with pytest.raises(EditRefused, match="Nothing of this figure is springy"):
        apply_edit({"kind": "tune_springs", "tight": 2}, bare, stores)


@pytest.mark.parametrize(
    ("edit", "sentence"),
    [
        ({"kind": "set_spring", "bone": "hold 2", "frequency": 0}, "frequency"),
        ({"kind": "set_spring", "bone": "hold 2", "damping_ratio": 10}, "damping"),
        ({"kind": "set_spring", "bone": "hold 2", "firmness": [0.0]}, "firmness"),
        ({"kind": "set_wind", "strength": 1e9}, "strength"),
        ({"kind": "hang_end", "bone": "hold 2", "on": "hold", "place": [4000, 0]}, "cannot hang at a place"),
        ({"kind": "hang_end", "bone": "hold 2", "on": "hold 3"}, "hangs on the chain itself"),
        ({"kind": "hang_end", "bone": "hold", "on": "hold"}, "is not springy"),
        ({"kind": "set_collider", "bone": "hold", "start": [0, 0]}, "a place and a radius"),
        ({"kind": "set_collider", "collider": "c77", "radius": 3}, "no collider “c77”"),
        ({"kind": "lift_colliders"}, "There is no collider"),
        ({"kind": "set_wind", "strength": 0}, "calm already"),
    ],
)
def test_what_no_spring_could_be_is_refused_in_a_sentence(edit, sentence):
    figure, stores = chain(2)
    with pytest.raises(EditRefused, match=sentence):
        apply_edit(edit, figure, stores)


def test_a_chain_of_one_bone_of_no_length_and_a_collider_about_its_root_do_no_harm():
    figure, stores = chain(1, length=1.5)
    figure = edited(
        figure, stores, {"kind": "set_collider", "bone": "hold", "start": [0, -300], "radius": 50},
        {"kind": "set_wind", "strength": 20000},
    )  # fmt: skip
    rig = compile_rig(figure, stores)
    for frame in play(rig):
        assert abs(frame.vertices).max() < 1e5
