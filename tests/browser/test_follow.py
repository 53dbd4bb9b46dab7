"""Follow-through as a person makes it: a chain springy in one click and as wished, live, in the wind, off the head."""

from __future__ import annotations

import math

import pytest
from selenium.webdriver.common.action_chains import ActionChains

from tests.browser.hand import until

TALLOW = 4  # of the figures of the demo
CARRIED = """const { scene } = kunstgriff, k = 6 * scene.boneIndex[arguments[0]], m = scene.matrices.slice(k, k + 6);
    const [x, y] = arguments[1];
    return [m[0] * x + m[2] * y + m[4], m[1] * x + m[3] * y + m[5]];"""


def chosen(hand, name):
    ref = hand.script("return kunstgriff.bench.page.figure.bones.find((one) => one.name === arguments[0]).id", name)
    hand.script("kunstgriff.bench.selection.pickBone(arguments[0])", ref)
    return ref


def spring(hand, ref):
    return hand.script(
        "return kunstgriff.bench.page.figure.springs.find((one) => one.bones.includes(arguments[0])) || null", ref
    )


def test_a_chain_is_looked_at_in_silk_made_springy_and_does_as_wished(hand):
    hand.open_bench(TALLOW)
    hand.click("Follow-through")
    ref = chosen(hand, "ribbon back")
    hand.changed(lambda: hand.click("Take the spring off"))
    assert spring(hand, ref) is None
    hand.click("silk")
    until(lambda: "Would: settles in" in hand.words(), "the curve of silk is drawn before it is chosen")
    hand.changed(lambda: hand.click("Make it springy"), "it is springy in one click")
    assert spring(hand, ref)["wish"]["settles"] == 26
    hand.fill("#wish-settles", "20")
    hand.fill("#wish-overshoots", "30")
    hand.changed(lambda: hand.click("Have it so"), "it does as wished")
    seen = "const { seen } = kunstgriff.bench.wishes; return seen && [seen.settles / 20, seen.overshoots / 0.3]"
    until(lambda: hand.script(seen) == pytest.approx([1, 1], abs=0.06), "its curve is drawn, as wished")
    hand.fill("#wish-settles", "2")
    hand.fill("#wish-overshoots", "80")
    hand.click("Have it so")
    until(lambda: "the nearest one settles in" in hand.words(), "what cannot be is told with what can")
    hand.find("#spring-more").click()
    hand.changed(lambda: hand.fill("#spring-weight", "0.5"), "by numbers, too")
    assert spring(hand, ref)["weight"] == 0.5
    hand.complaints()  # the refusal's own


def test_springs_swing_while_one_poses_the_vane_is_pulled_and_chains_are_read(hand):
    hand.open_bench(TALLOW)
    hand.click("Follow-through")
    ref = chosen(hand, "head")
    tip = """const { bench, scene } = kunstgriff, k = bench.page.figure.bones.findIndex(({ name }) => name === 'ribbon back 2');
        return [...scene.matrices.slice(6 * k, 6 * k + 6)];"""
    hand.script("kunstgriff.bench.posing.turnOver()")
    hand.script("kunstgriff.bench.posing.poseTurn(arguments[0], 20)", ref)
    first = hand.script(tip)
    until(lambda: hand.script(tip) != first, "it swings on by itself")
    chosen(hand, "ribbon back")
    hand.find("#way-drawn").click()
    off = "return Math.max(0, ...kunstgriff.bench.swung.moments.map(([, degrees]) => Math.abs(degrees)))"
    hand.script("kunstgriff.bench.posing.poseTurn(arguments[0], -20)", ref)
    until(lambda: hand.script(off) > 8, "how far its end was off is kept")
    assert "In the last 3 s off by up to" in hand.words()
    assert hand.script("return document.querySelector('polyline.did').points.length") > 2
    hand.changed(lambda: hand.find("#floor-on").click(), "chains lie on the ground")
    assert hand.state()["floor"]["at"] == [0, 0]
    hand.changed(lambda: hand.find("#floor-on").click(), "and sink through it again")
    chosen(hand, "head")
    hand.script("kunstgriff.bench.posing.poseTurn(arguments[0], 20)", ref)
    hand.find("#springs-live").click()
    until(lambda: hand.script("return kunstgriff.engine.live.inFlight === null"), "it is still")
    held = hand.script(tip)
    hand.script("return new Promise((done) => setTimeout(done, 300))")
    assert hand.script(tip) == held, "a switch turns it off"
    hand.find("#springs-live").click()
    hand.changed(lambda: hand.click("Let the wind blow"), "it is windy")
    grip = until(lambda: hand.driver.find_elements("css selector", ".vane .grip"), "a vane stands on the sheet")[0]
    hand.changed(
        lambda: ActionChains(hand.driver).click_and_hold(grip).move_by_offset(-60, 50).release().perform(),
        "it is turned and pulled",
    )
    wind = hand.script("return kunstgriff.bench.page.figure.wind")
    assert wind["towards"] > 30
    hand.changed(lambda: hand.click("Calm it"))
    hand.changed(lambda: hand.click("Take all off"))
    hand.changed(lambda: hand.click("Lay them along the art"), "colliders are laid")
    assert "colliders keep chains out" in hand.words()
    hand.click("Drag colliders")
    one = max(hand.state()["colliders"], key=lambda each: math.dist(each["start"], each["end"]))

    def now():
        return next(each for each in hand.state()["colliders"] if each["id"] == one["id"])

    end = hand.to_window(hand.script(CARRIED, one["bone"], one["end"]))
    hand.changed(lambda: hand.drag(end, (end[0] + 24, end[1])), "an end of one is dragged")
    after = now()
    assert after["start"] == one["start"]
    assert after["end"] != one["end"]
    assert after["part"] is None  # laid by hand from now on
    hand.changed(lambda: hand.click("Undo"))
    hand.click("Turn")
    hand.choose("#play-motion", "sudden stop")
    hand.click("Read the chains")
    until(lambda: "ribbon back lags" in hand.words().replace("\n", " "), "every chain is told")
    drawn = """const canvas = document.getElementById('follow-plot');
        return canvas.getContext('2d').getImageData(0, 0, canvas.width, canvas.height).data.some((value) => value > 0);"""
    assert hand.script(drawn), "and plotted"
    assert not hand.complaints()


def test_springs_of_a_motion_are_knocked_begin_anew_and_are_baked_to_keys(hand):
    hand.open_bench(TALLOW)
    hand.click("Trial")
    hand.changed(lambda: hand.click("Make a motion"), "a motion is made")
    until(lambda: hand.script("return Boolean(kunstgriff.bench.motions.one)"), "it is there")
    one = "return kunstgriff.bench.motions.one"
    hand.script("return kunstgriff.bench.strip.goTo(10)")
    hand.changed(lambda: hand.click("Knock them on this frame"))
    assert [(blow["at"], blow["way"]) for blow in hand.script(one)["blows"]] == [(10, [800, 0])]
    hand.script("return kunstgriff.bench.strip.goTo(30)")
    hand.changed(lambda: hand.click("Begin anew on this frame"))
    assert "knocked on 10" in hand.words()
    hand.changed(lambda: hand.click("Bake them to keys"), "the swing is laid as keys")
    channels = [track["channel"] for track in hand.script(one)["tracks"]]
    assert any(channel.endswith(".swings") for channel in channels)
    hand.changed(lambda: hand.click("Let them swing again"))
    assert hand.script(one)["tracks"] == []
    hand.changed(lambda: hand.click("Swing on through this frame"))
    assert hand.script(one)["cuts"] == []
    assert not hand.complaints()


def test_chains_are_untied_and_tied_as_cloth_and_a_lattice_is_made_jelly(hand):
    hand.open_bench()
    hand.click("Follow-through")
    near, far = chosen(hand, "coat tail near"), chosen(hand, "coat tail far")
    assert "Tied across to coat tail near." in hand.words()
    hand.changed(lambda: hand.click("Untie"))
    assert spring(hand, far)["tied"] == spring(hand, near)["tied"] == []
    hand.script("kunstgriff.bench.selection.bones.push(arguments[0])", near)
    until(lambda: "2 springy chains are chosen." in hand.words(), "both are chosen")
    hand.fill("#cloth-give", "30")
    hand.changed(lambda: hand.click("Tie them across"))
    assert sorted([spring(hand, far)["tied"], spring(hand, near)["tied"]]) in ([[], [near]], [[], [far]])
    how = "return kunstgriff.bench.page.figure.warps.find(({ name }) => name === 'face').jelly"
    box = hand.driver.find_element("xpath", "//label[span[text()='face']]/input")
    hand.changed(lambda: box.click(), "the face is jelly")
    assert hand.script(how) == {"frequency": 2.4, "damping_ratio": 0.15, "rim": True}
    hand.keys("r")
    ref = chosen(hand, "head")
    hand.script("kunstgriff.bench.posing.poseTurn(arguments[0], 12)", ref)
    until(lambda: hand.script("return kunstgriff.engine.live.inFlight === null"), "it wobbles and comes to rest")
    hand.changed(lambda: hand.click("Undo"))
    assert hand.script(how) is None
    assert not hand.complaints()
