"""Follow-through: springs lag, overshoot, settle, and do so the same every time."""

from __future__ import annotations

import numpy as np
import pytest

from kunstgriff.evaluate.rig import compile_rig
from kunstgriff.figure.edit import EditRefused, apply_edit
from kunstgriff.trial.swing import SWING_SECONDS, frame_count, play, swing_at, swung_bones


def turns(pell, bone: str, rate: int = 24) -> np.ndarray:
    figure, stores = pell
    rig = compile_rig(figure, stores)
    index = [one.name for one in figure.bones].index(bone)
    return np.array([rig.turn[index] for _ in play(rig, rate)])


def test_the_swing_turns_the_head_most_and_ends_before_the_springs_do(pell):
    figure, _ = pell
    names = {bone.id: bone.name for bone in figure.bones}
    swung = {names[ref]: degrees for ref, degrees in swung_bones(figure).items()}
    assert max(swung, key=lambda name: swung[name]) == "head"
    assert "hips" not in swung, "the feet stay where they are"
    times = np.linspace(0, 4, 400)
    assert swing_at(times)[times > SWING_SECONDS].max() == 0
    assert frame_count(24) == 96


def test_the_ear_lags_overshoots_and_settles(pell):
    head, ear = turns(pell, "head"), turns(pell, "near ear")
    first = int(np.argmax(head[:12]))
    assert ear[first - 2] < 0, "while the head turns one way the ear stays behind"
    still = int(24 * SWING_SECONDS)
    assert np.abs(head[still:]).max() < 1e-9
    assert np.abs(ear[still : still + 12]).max() > 1, "the ear swings on when the head is still"
    assert np.abs(ear[-6:]).max() < 0.25 * np.abs(ear[still : still + 12]).max(), "and comes to rest"


def test_a_figure_at_rest_stays_at_rest_under_gravity(pell):
    figure, stores = pell
    rig = compile_rig(figure, stores)
    rest = rig.rest.copy()
    assert np.allclose(next(iter(play(rig))).vertices, rest, atol=1e-3)


def test_the_same_swing_comes_out_every_time(pell):
    assert np.array_equal(turns(pell, "near ear 2"), turns(pell, "near ear 2"))


def test_springs_need_something_to_hang_on_and_cannot_be_doubled(pell):
    figure, stores = pell
    with pytest.raises(EditRefused, match="hangs on nothing"):
        apply_edit({"kind": "set_spring", "bone": "hips"}, figure, stores)
    with pytest.raises(EditRefused, match="springy already"):
        apply_edit({"kind": "set_spring", "bone": "near ear 2"}, figure, stores)
    changed = apply_edit({"kind": "set_spring", "bone": "near ear", "frequency": 3}, figure, stores)
    assert len(changed.springs) == len(figure.springs)
    removed = apply_edit({"kind": "remove_spring", "bone": "near ear 2"}, figure, stores)
    assert len(removed.springs) == len(figure.springs) - 1
    with pytest.raises(EditRefused, match="not springy"):
        apply_edit({"kind": "remove_spring", "bone": "head"}, figure, stores)
