"""Controls by hand: a leg reaches, its goal is dragged, the hips go down and the foot stays."""

from __future__ import annotations

import pytest

from tests.browser.hand import until


def tip(hand, bone) -> list[float]:
    """Where a bone's tip is as it is shown."""
    return hand.script(
        """const { scene } = kunstgriff, bone = scene.figure.bones.find((one) => one.name === arguments[0]);
        const m = scene.matrices.subarray(6 * scene.boneIndex[bone.id]);
        return [0, 1].map((k) => m[k] * bone.tip[0] + m[2 + k] * bone.tip[1] + m[4 + k]);""",
        bone,
    )  # fmt: skip


def test_a_leg_reaches_its_goal_is_dragged_and_the_foot_stays_when_the_hips_go_down(hand):
    hand.open_bench()
    hand.click("Controls")
    hand.click_at(hand.bone_place("near shin"))
    hand.fill("#reach-links", "2")
    hand.changed(lambda: hand.click("Let near shin reach"), "a reach is laid")
    hand.changed(lambda: hand.choose("#reach-foot", "near foot"), "its foot is chosen")
    rest = tip(hand, "near shin")
    ring = hand.to_window(hand.script("return [...kunstgriff.bench.reaches.placeOf(kunstgriff.bench.reaches.one)]"))
    hand.drag(ring, (ring[0] + 50, ring[1] - 40))
    assert hand.script("return kunstgriff.bench.posing.posed")  # dragging a ring turns the sheet over
    until(lambda: tip(hand, "near shin")[0] > rest[0] + 50, "the leg has gone along")
    goal = hand.script("return [...kunstgriff.bench.reaches.placeOf(kunstgriff.bench.reaches.one)]")
    assert tip(hand, "near shin") == pytest.approx(goal, abs=0.5)
    hand.click("Goal back")
    until(lambda: tip(hand, "near shin") == pytest.approx(rest, abs=0.5), "the leg is at rest")
    hips = tip(hand, "hips")
    hand.script(
        """const { bench } = kunstgriff, hips = bench.page.figure.bones.find((one) => one.name === 'hips');
        bench.posing.setChannels(hips.id, { 'move.y': 60 });"""
    )  # fmt: skip
    until(lambda: tip(hand, "hips")[1] == pytest.approx(hips[1] + 60, abs=0.5), "the hips have gone down")
    assert tip(hand, "near shin") == pytest.approx(rest, abs=0.5)
    before = tip(hand, "near leg")
    hand.click("Go on by turns")
    until(lambda: hand.script("return kunstgriff.bench.reaches.value('share')") == 0, "the bones turn by themselves")
    assert tip(hand, "near leg") == pytest.approx(before, abs=0.5)
    hand.keys("0")
    hand.keys("r")
    hand.changed(lambda: hand.click("Take it off"), "the reach is off")
    assert not hand.complaints()
