"""Controls by hand: a leg reaches, its goal is dragged, the hips go down and the foot stays."""

from __future__ import annotations

import math

import pytest
from selenium.webdriver.common.keys import Keys

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
    lift = "kunstgriff.bench.history.edit({ kind: 'lift_reach', reach: 'near foot' })"
    hand.changed(lambda: hand.script(lift), "the leg reaches no more")
    hand.click_at(hand.bone_place("near shin", 0.2))
    hand.fill("#reach-links", "2")
    hand.changed(lambda: hand.click("Let near shin reach"), "a reach is laid")
    hand.changed(lambda: hand.choose("#reach-foot", "near foot"), "its foot is chosen")
    rest = tip(hand, "near shin")
    ring = hand.to_window(hand.script("return [...kunstgriff.bench.reaches.placeOf(kunstgriff.bench.reaches.one)]"))
    hand.drag(ring, (ring[0] + 50, ring[1] - 40))
    assert hand.script("return kunstgriff.bench.posing.posed")  # dragging a ring turns the sheet over
    until(lambda: tip(hand, "near shin")[0] > rest[0] + 50, "the leg has gone along")
    goal = hand.script("return [...kunstgriff.bench.reaches.placeOf(kunstgriff.bench.reaches.one)]")
    until(lambda: tip(hand, "near shin") == pytest.approx(goal, abs=0.5), "the foot is at the goal")
    hand.click("Goal back")
    until(lambda: tip(hand, "near shin") == pytest.approx(rest, abs=0.5), "the leg is at rest")
    hips = tip(hand, "hips")
    hand.script(
        """const { bench } = kunstgriff, hips = bench.page.figure.bones.find((one) => one.name === 'hips');
        bench.posing.setChannels(hips.id, { 'move.y': 60 });"""
    )  # fmt: skip
    until(lambda: tip(hand, "hips")[1] == pytest.approx(hips[1] + 60, abs=0.5), "the hips have gone down")
    assert tip(hand, "near shin") == pytest.approx(rest, abs=0.5)
    for side in ("counterclockwise", "clockwise"):  # the limits of the knee hold all the same
        hand.changed(lambda: hand.click_at(wedge(hand)), "its wedge is clicked")
        assert hand.script("return kunstgriff.bench.reaches.one.side") == side
    before = tip(hand, "near leg")
    hand.click("Go on by turns")
    until(lambda: hand.script("return kunstgriff.bench.reaches.value('share')") == 0, "the bones turn by themselves")
    assert tip(hand, "near leg") == pytest.approx(before, abs=0.5)
    hand.keys("0")
    hand.keys("r")
    hand.changed(lambda: hand.click("Take it off"), "the reach is off")
    for _ in range(6):
        hand.changed(lambda: hand.click("Undo"), "undone")
    assert hand.state()["reaches"][0]["name"] == "near foot"
    assert not hand.complaints()


def wedge(hand) -> tuple[int, int]:
    """Where the mark of the chosen reach is in the window: 20 px from its knee, to where that bends."""
    knee, ankle = tip(hand, "near leg"), tip(hand, "near shin")
    side = hand.script("return kunstgriff.bench.reaches.one.side")
    hip = hand.script("return [...kunstgriff.bench.page.figure.bones.find(({ name }) => name === 'near leg').joint]")
    x, y = hand.to_window(knee)
    down, right = ankle[1] - hip[1] - 60, ankle[0] - hip[0]
    sign = (1 if side == "clockwise" else -1) / math.hypot(down, right)
    return round(x + 20 * sign * down), round(y - 20 * sign * right)


def test_a_lever_is_made_taught_by_a_pose_dragged_and_found_on_the_slip(hand):
    hand.open_bench()
    hand.click("Controls")
    hand.click_at(hand.bone_place("near ear 2"))
    hand.fill("#lever-new", "ear")
    hand.changed(lambda: hand.click("Make the lever"), "a lever is made")
    hand.fill("#lever-y + input", "1")
    before = tip(hand, "near ear 2")
    hand.script("kunstgriff.bench.posing.poseTurn(kunstgriff.bench.selection.oneBone.id, 40)")
    until(lambda: tip(hand, "near ear 2") != pytest.approx(before, abs=5), "the ear is turned")
    bent = tip(hand, "near ear 2")
    hand.changed(lambda: hand.click("Learn this pose at"), "it has learned")
    lever, other = (
        hand.script(f"return kunstgriff.bench.{one}")
        for one in ("levers.chosen", "page.figure.bones.find((one) => one.name === 'near ear 2').id")
    )
    until(
        lambda: hand.script("return kunstgriff.bench.posing.pose.channels") == {f"{lever}.lever.y": 1},
        "what was posed is the lever's",
    )
    until(lambda: tip(hand, "near ear 2") == pytest.approx(bent, abs=0.5), "and looks the same")
    knob = knob_of(hand)
    half = hand.script("return Math.min(Math.max(190 * kunstgriff.engine.camera.scale, 34), 72) / 2")
    hand.drag(knob, (knob[0], knob[1] + round(half)))  # half its way down is its middle, where it rests and catches
    until(lambda: tip(hand, "near ear 2") == pytest.approx(before, abs=0.5), "the ear is as it was")
    assert hand.script("return kunstgriff.bench.levers.axes[0].now") == 0
    hand.script("document.activeElement.blur()")
    hand.keys(Keys.ARROW_UP, Keys.ARROW_UP)
    until(lambda: hand.script("return kunstgriff.bench.levers.axes[0].now") > 0, "arrow keys move it")
    points = f"#drive-y-{other}\\.turn"
    hand.changed(lambda: hand.fill(points, "1: 40, -1: -20"), "its curve is typed")
    assert hand.script("return kunstgriff.bench.drives.rows[0].points") == "-1: -20, 1: 40"
    assert "ear near ear 2: turn" in hand.script("return document.querySelector('.card-panel').innerText")
    hand.keys("0")
    hand.keys("r")
    hand.changed(lambda: hand.click("Take it off"), "the lever is off")
    assert not hand.complaints()


def knob_of(hand) -> tuple[int, int]:
    """Where the knob of the chosen lever is in the window, by its place and how far it stands from its middle."""
    at = hand.script(
        """const { bench, engine } = kunstgriff, lever = bench.levers.one;
        const [x, y] = bench.levers.placeOf(lever), [, up] = bench.levers.standOf(lever);
        return [x, y - up * 95 * Math.min(Math.max(190 * engine.camera.scale, 34), 72) / 190 / engine.camera.scale];"""
    )
    return hand.to_window(at)


def test_a_corrective_is_pulled_where_a_knee_is_bent_and_a_shape_is_made_and_laid_on(hand):
    hand.open_bench()
    hand.click("Controls")
    hand.click_at(hand.bone_place("near shin", 0.2))
    rest = tip(hand, "near shin")
    hand.changed(lambda: hand.click("Begin a corrective of near shin"), "a corrective is begun")
    assert hand.script("return kunstgriff.bench.posing.posed")  # pulling is done on the posed side
    hand.by_turns()
    hand.script("kunstgriff.bench.posing.poseTurn(kunstgriff.bench.selection.oneBone.id, 75)")
    hand.fill("#corrective-radius", "160")
    joint = until(lambda: knee(hand, 75), "the knee is bent")
    start = hand.to_window([joint[0] + 70, joint[1]])
    before = hand.vertices()
    hand.drag(start, (start[0] + 12, start[1] - 4), release=False)
    until(lambda: hand.vertices() != before, "the art goes along")
    hand.changed(hand.let_go, "it is pulled")
    assert hand.script("return kunstgriff.bench.correctives.rows.map((one) => one.words)") == ["75°"]
    assert {"near shin", "near thigh"} <= set(
        hand.script("return kunstgriff.bench.correctives.rows[0].parts.split(', ')")
    )
    hand.fill("#shape-new", "step")
    hand.changed(lambda: hand.click("Make a shape of how the selected are posed"), "a shape is made")
    hand.click("Back to rest")
    until(lambda: tip(hand, "near shin") == pytest.approx(rest, abs=0.5), "the leg is at rest")
    hand.by_turns()
    hand.fill("#shape-amount + input", "0.5")
    until(lambda: tip(hand, "near shin") != pytest.approx(rest, abs=20), "half of it is laid on")
    assert "step near shin: turn" in hand.words()
    hand.click("All controls to rest")
    until(lambda: tip(hand, "near shin") == pytest.approx(rest, abs=0.5), "and off again")
    hand.changed(lambda: hand.click("Take it off"), "the shape is gone")
    assert not hand.complaints()


def test_a_corrective_takes_handles_of_a_warp_too_and_they_come_with_the_bend(hand):
    hand.open_bench()
    hand.click("Controls")
    hand.click_at(hand.bone_place("near shin", 0.2))
    shin = hand.script("return kunstgriff.bench.page.figure.parts.find((one) => one.name === 'near shin').id")
    edit = {"kind": "lay_lattice", "parts": [shin], "name": "calf", "columns": 3, "rows": 4}
    hand.changed(lambda: hand.script("kunstgriff.bench.history.edit(arguments[0])", edit), "a lattice is laid")
    hand.changed(lambda: hand.click("Begin a corrective of near shin"), "a corrective is begun")
    until(lambda: hand.find("#corrective-radius").is_displayed(), "its card is in view")
    hand.by_turns()
    hand.script("kunstgriff.bench.posing.poseTurn(kunstgriff.bench.selection.oneBone.id, 75)")
    until(lambda: knee(hand, 75), "the knee is bent")
    place = """const { bench } = kunstgriff, warp = bench.warps.all.find(({ name }) => name === 'calf');
               return bench.handles.placeOf(warp.handles[5].id)"""
    start, before = hand.to_window(hand.script(place)), hand.vertices()
    hand.drag(start, (start[0] + 24, start[1] - 8), release=False)
    until(lambda: hand.vertices() != before, "the art goes along")
    hand.changed(hand.let_go, "it is pulled")
    rows = hand.script("return kunstgriff.bench.correctives.rows.map((one) => [one.words, one.parts])")
    assert rows == [["75°", "handles of calf"]]
    bent = hand.vertices()
    hand.script("kunstgriff.bench.posing.poseTurn(kunstgriff.bench.selection.oneBone.id, 0)")
    until(lambda: knee(hand, 0), "the knee is straight")
    hand.script("kunstgriff.bench.posing.poseTurn(kunstgriff.bench.selection.oneBone.id, 75)")
    until(lambda: knee(hand, 75) and hand.vertices() == bent, "it comes by itself with the bend")
    assert not hand.complaints()


def knee(hand, degrees) -> list[float] | None:
    """Where the near shin begins as it is shown, as soon as it is turned so far."""
    return hand.script(
        """const { bench, scene } = kunstgriff, bone = bench.page.figure.bones.find(({ name }) => name === 'near shin');
        const m = scene.matrices.subarray(6 * scene.boneIndex[bone.id]), [x, y] = bone.joint;
        if (Math.abs(Math.atan2(m[1], m[0]) * 180 / Math.PI - arguments[0]) > 1) return null;
        return [m[0] * x + m[2] * y + m[4], m[1] * x + m[3] * y + m[5]];""",
        degrees,
    )  # fmt: skip


def test_a_corrective_is_begun_from_the_bend_fan_which_shows_with_and_without(hand):
    hand.open_bench()
    hand.click("Binding")
    hand.click_at(hand.bone_place("near ear 2"))
    tiles = "return [...document.querySelectorAll('.fan-angle')].map((one) => one.innerText)"
    until(lambda: len(hand.script(tiles)) == 9, "the fan is painted", 60)
    hand.changed(
        lambda: hand.script("[...document.querySelectorAll('.fan-angle')].at(-1).click()"), "a corrective is begun"
    )
    until(lambda: hand.script("return kunstgriff.bench.tools.toolKey") == "pull", "it is pulled at")
    bone = "const bone = kunstgriff.bench.page.figure.bones.find(({ name }) => name === 'near ear 2');"
    assert hand.script(bone + "return kunstgriff.bench.posing.turnOf(bone.id)") == pytest.approx(70, abs=1)
    spot = until(
        lambda: hand.script(
            bone + """const { scene } = kunstgriff, m = scene.matrices.subarray(6 * scene.boneIndex[bone.id]);
            if (m[1] < 0.5) return null;
            const [x, y] = bone.joint; return [m[0] * x + m[2] * y + m[4], m[1] * x + m[3] * y + m[5]];"""
        ),
        "the ear is bent",
    )  # fmt: skip
    start = hand.to_window(spot)
    hand.changed(lambda: hand.drag(start, (start[0] + 9, start[1] - 9)), "it is pulled")
    hand.keys("0", "r")
    hand.click("Binding")
    until(lambda: "without its correctives" in hand.words(), "the fan knows of it")
    read = "const { fanRead } = kunstgriff.bench.fan; return fanRead && fanRead.picture"
    until(lambda: (hand.script(read) or "").endswith(".png"), "the fan is painted with it", 60)
    hand.script("kunstgriff.bench.fan.bare = true; kunstgriff.bench.fan.loadFan()")
    until(lambda: (hand.script(read) or "").endswith("?bare"), "and without", 60)
    hand.script("kunstgriff.bench.fan.bare = false")
    assert not hand.complaints()


def test_poses_are_copied_pasted_with_sides_changed_and_kept_ones_laid_on_by_a_share(hand):
    hand.open_bench()
    hand.click("Controls")
    hand.click_at(hand.bone_place("near shin", 0.2))
    rest = {name: tip(hand, name) for name in ("near shin", "far shin")}
    hand.script("kunstgriff.bench.posing.posed || kunstgriff.bench.posing.turnOver()")
    hand.by_turns()
    hand.script("kunstgriff.bench.posing.poseTurn(kunstgriff.bench.selection.oneBone.id, 40)")
    hand.click("Copy")
    hand.click("Back to rest")
    until(lambda: tip(hand, "near shin") == pytest.approx(rest["near shin"], abs=0.5), "the leg is at rest")
    hand.by_turns()
    hand.click("Paste with sides changed")
    until(lambda: tip(hand, "far shin") != pytest.approx(rest["far shin"], abs=40), "the other shin is turned")
    assert tip(hand, "near shin") == pytest.approx(rest["near shin"], abs=0.5)
    hand.click("Back to rest")
    until(lambda: tip(hand, "far shin") == pytest.approx(rest["far shin"], abs=0.5), "it is at rest")
    hand.by_turns()
    hand.script("kunstgriff.bench.posing.poseTurn(kunstgriff.bench.selection.oneBone.id, 40)")
    hand.click("The other side alike")
    until(lambda: tip(hand, "far shin") != pytest.approx(rest["far shin"], abs=40), "both shins are turned")
    assert tip(hand, "near shin") != pytest.approx(rest["near shin"], abs=40)
    hand.click("Back to rest")
    hand.fill("#pose-share", "0.5")
    hand.click("stride")
    leg = hand.script(
        """const { bench } = kunstgriff, leg = bench.page.figure.bones.find(({ name }) => name === 'near leg');
        return bench.posing.turnOf(leg.id);"""
    )  # fmt: skip
    assert leg == pytest.approx(13)  # half of the 26° it has in the pose
    hand.click("Back to rest")
    assert not hand.complaints()
