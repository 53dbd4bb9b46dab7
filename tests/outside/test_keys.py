"""Keys in play against SciPy's splines and the definition of CSS easing curves (W3C, CSS Easing Functions Level 1)."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.interpolate import CubicHermiteSpline, PchipInterpolator
from scipy.optimize import brentq

from kunstgriff.evaluate.state import compile_rig
from kunstgriff.figure.motions import FigureMotion, Track
from kunstgriff.trial.keys import EASES, KeyedMotion, eased_by
from tests.outside.test_reaches import walker

AT, VALUES = (0.0, 4.0, 10.0, 11.0, 40.0), (0.0, 30.0, -10.0, -10.0, 55.0)


def course(ways, frames, at=AT, values=VALUES, channel="turn", **more):
    """The turn of the walker's hips in a motion with keys on it alone, at some frames."""
    figure, stores = walker()
    address = f"{next(one.id for one in figure.bones if one.name == 'hips')}.{channel}"
    track = Track(channel=address, at=at, values=values, ways=ways)
    motion = KeyedMotion(FigureMotion(id="m900", name="m", frames=48, tracks=(track,), **more))
    program = compile_rig(figure, stores).program
    rows = motion.course(program, np.asarray(frames, float) / motion.rate)
    place = program.channels.index[address]
    others = np.delete(rows, place, axis=1)
    assert (others == np.delete(program.channels.rest, place)).all()
    return rows[:, place]


def test_smooth_keys_are_scipys_monotone_cubic_and_stay_at_their_ends():
    frames = np.linspace(0, 40, 201)
    assert np.abs(course(("smooth",) * 5, frames) - PchipInterpolator(AT, VALUES)(frames)).max() < 1e-9
    assert course(("smooth",) * 5, [40, 44, 48]).tolist() == [55.0] * 3


def test_straight_keys_are_numpys_and_held_ones_wait_for_the_next():
    frames = np.linspace(0, 48, 97)
    assert np.abs(course(("linear",) * 5, frames) - np.interp(frames, AT, VALUES)).max() < 1e-9
    held = course(("hold",) * 5, [0, 3.99, 4, 9.99, 10, 39.9, 40])
    assert held.tolist() == [0, 0, 30, 30, -10, -10, 55]


def test_handles_at_thirds_of_the_time_are_scipys_hermite_spline():
    # a Bézier curve whose time goes evenly is the cubic with the slopes 3 y1 and 3 (1 - y2) of the way over the time
    ways, frames = [(1 / 3, 0.4, 2 / 3, 1.3), (1 / 3, -0.2, 2 / 3, 0.9)], np.linspace(0, 10, 101)
    found = course((*ways, "hold"), frames, AT[:3], VALUES[:3])
    for k, (_, y1, _, y2) in enumerate(ways):
        width, rise = AT[k + 1] - AT[k], VALUES[k + 1] - VALUES[k]
        spline = CubicHermiteSpline(
            AT[k : k + 2], VALUES[k : k + 2], [3 * y1 * rise / width, 3 * (1 - y2) * rise / width]
        )
        inside = (frames >= AT[k]) & (frames < AT[k + 1])
        assert np.abs(found[inside] - spline(frames[inside])).max() < 1e-9


@given(handles=st.tuples(st.floats(0, 1), st.floats(-2, 3), st.floats(0, 1), st.floats(-2, 3)), time=st.floats(0, 1))
@settings(max_examples=300, deadline=None)
def test_an_easing_curve_is_the_bezier_curve_of_its_definition(handles, time):
    x1, y1, x2, y2 = handles

    def along(t, one, other):
        return 3 * (1 - t) ** 2 * t * one + 3 * (1 - t) * t * t * other + t**3

    t = brentq(lambda t: along(t, x1, x2) - time, 0, 1, xtol=1e-15) if 0 < time < 1 else time
    steep = abs(along(min(t + 1e-6, 1), x1, x2) - along(max(t - 1e-6, 0), x1, x2)) > 1e-9  # else no time tells where
    if steep:
        assert eased_by(time, *handles) == pytest.approx(along(t, y1, y2), abs=1e-6)


def test_the_words_of_css_are_its_curves():
    # W3C, CSS Easing Functions Level 1, table of keywords; half way: worked out with those curves
    assert EASES["ease"] == (0.25, 0.1, 0.25, 1.0)
    assert EASES["ease-in-out"] == (0.42, 0.0, 0.58, 1.0)
    half = course(("ease", "ease-in-out", "hold"), [2, 7], AT[:3], VALUES[:3])
    assert half[0] == pytest.approx(30 * 0.8024, abs=0.01)
    assert half[1] == pytest.approx(10, abs=1e-9)  # symmetric


def test_a_loop_goes_on_from_its_end_at_its_beginning_without_a_step():
    at, values = (6.0, 20.0, 36.0), (0.0, 20.0, -15.0)
    frames = np.linspace(0, 48, 481)
    found = course(("smooth",) * 3, frames, at, values, loop=True)
    around = PchipInterpolator([-28, -12, 6, 20, 36, 54, 68], [20, -15, 0, 20, -15, 0, 20])
    assert np.abs(found - around(frames)).max() < 1e-9
    assert found[0] == pytest.approx(found[-1], abs=1e-12)
    later = course(("smooth",) * 3, frames + 48, at, values, loop=True)
    np.testing.assert_allclose(later, found, atol=1e-9)


def test_a_channel_that_is_gone_moves_nothing():
    figure, stores = walker()
    track = Track(channel="b999.turn", at=(0.0, 10.0), values=(0.0, 50.0), ways=("linear", "linear"))
    motion = KeyedMotion(FigureMotion(id="m900", name="m", frames=10, tracks=(track,)))
    program = compile_rig(figure, stores).program
    assert (motion.course(program, np.array([0.0, 0.2])) == program.channels.rest).all()
    assert math.isclose(motion.seconds, 10 / 24)
