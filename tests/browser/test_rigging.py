"""Bones and binding at the bench, as a rigger does it: by hand, on the demo."""

from __future__ import annotations

import time

from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.keys import Keys

from tests.browser.hand import until


def chosen(hand, part):
    return next(one for one in hand.state()["parts"] if one["name"] == part)


def test_a_stroke_of_the_brush_shows_at_once_and_is_one_step_to_undo(hand):
    hand.open_bench()
    hand.click("Binding")
    hand.find('[aria-label="coat"]').click()
    until(lambda: hand.driver.find_elements("css selector", ".influence-row .name-button"), "the influences are listed")
    hand.find(".influence-row .name-button").click()
    hand.click("Brush")
    before = chosen(hand, "coat")["binding"]["weights"]
    revision = hand.revision()
    hand.press(hand.to_window([60, -900]))
    hand.drag_on(hand.to_window([60, -900]), hand.to_window([220, -1000]))
    until(lambda: hand.script("return Boolean(kunstgriff.engine.tint)"), "the colours of the stroke come back")
    assert hand.revision() == revision, "nothing is kept before the pointer is lifted"
    hand.changed(hand.let_go, "the stroke is kept")
    assert chosen(hand, "coat")["binding"]["weights"] != before
    assert chosen(hand, "coat")["binding"]["manual_mask"]
    hand.changed(lambda: hand.click("Undo"), "the stroke is taken back")
    assert chosen(hand, "coat")["binding"]["weights"] == before
    hand.keys(Keys.ESCAPE, Keys.ESCAPE)


def test_a_bend_zone_is_set_by_number_and_the_fan_tells_before_and_now(hand):
    hand.open_bench()
    hand.click("Binding")
    hand.click_at(hand.bone_place("near ear 2"))
    until(lambda: hand.driver.find_elements("css selector", ".fan-tile"), "the fan is painted")
    hand.changed(lambda: hand.fill('[aria-label="Inner length, limb widths"]', "0.6"), "the zone is shorter")
    zones = chosen(hand, "near ear")["binding"]["zones"]
    assert 0.6 in [zone["inner"] for zone in zones]
    until(lambda: "Before and now" in hand.words(), "before and now are told")
    hand.changed(lambda: hand.click("Tune this joint"), "the joint is tuned")
    assert 0.6 not in [zone["inner"] for zone in chosen(hand, "near ear")["binding"]["zones"]]
    for _ in range(2):
        hand.changed(lambda: hand.click("Undo"), "undone")
    hand.keys(Keys.ESCAPE)


def test_vertices_are_chosen_by_a_loop_and_their_weights_typed(hand):
    hand.open_bench()
    hand.click("Binding")
    hand.find('[aria-label="near ear"]').click()
    hand.click("Vertices")
    corners = [hand.to_window(point) for point in ([-40, -2200], [90, -2200], [90, -2080], [-40, -2080])]
    action = ActionChains(hand.driver, duration=20)
    pointer = action.w3c_actions.pointer_action
    pointer.move_to_location(*corners[0])
    pointer.pointer_down()
    for corner in (*corners[1:], corners[0]):
        pointer.move_to_location(*corner)
    pointer.pointer_up()
    action.perform()
    until(lambda: hand.driver.find_elements("css selector", ".weight-table tbody tr"), "the table of weights")
    cell = hand.find(".weight-table tbody input")
    word = cell.get_attribute("aria-label")
    hand.changed(lambda: hand.fill(f'[aria-label="{word}"]', "0.4"), "the typed weight is kept")
    until(lambda: hand.find(f'[aria-label="{word}"]').get_attribute("value") == "0.4", "the table shows it")
    hand.changed(lambda: hand.click("Undo"), "undone")
    hand.keys(Keys.ESCAPE, Keys.ESCAPE)


def test_a_limb_is_split_limited_and_set_up_alike_with_a_preview(hand):
    hand.open_bench()
    hand.click("Bones")
    hand.click_at(hand.bone_place("near shin"))
    hand.changed(lambda: hand.click("Split it"), "the bone is split")
    assert "near shin 2" in hand.names()
    hand.changed(lambda: hand.click("Undo"), "undone")
    hand.click_at(hand.bone_place("near leg"))
    hand.changed(lambda: hand.fill('[aria-label="Limit, clockwise"]', "30"), "the limit is set")
    leg = next(bone for bone in hand.state()["bones"] if bone["name"] == "near leg")
    assert leg["limits"]["high"] == 30
    hand.click("Show what matches")
    until(lambda: "far shin" in hand.find(".matches-list").text, "the matches are shown")
    hand.changed(lambda: hand.click("Set it up"), "the other limb is set up")
    hand.changed(lambda: hand.click("Undo"), "undone")
    hand.changed(lambda: hand.click("Undo"), "undone")
    hand.keys(Keys.ESCAPE)


def test_a_stroke_down_a_limb_draws_a_chain_and_a_pose_becomes_the_new_rest(hand):
    hand.open_bench()
    hand.click("Bones")
    count = len(hand.names())
    hand.click("Draw along")
    places = [hand.to_window(point) for point in ([10, -660], [0, -400], [5, -150])]
    hand.press(places[0])
    hand.drag_on(places[0], places[1])
    hand.drag_on(places[1], places[2])
    hand.changed(hand.let_go, "the chain is drawn")
    assert len(hand.names()) > count
    hand.changed(lambda: hand.click("Undo"), "undone")
    hand.keys(Keys.ESCAPE, "r")
    hand.click_at(hand.bone_place("near ear 2"))
    hand.fill("#bone-turn", "25")
    time.sleep(0.3)
    hand.changed(lambda: hand.click("Take this pose as the new rest"), "the pose is the rest")
    hand.changed(lambda: hand.click("Undo"), "undone")
    hand.keys("r")


def test_the_figure_stays_when_something_else_is_changed_while_weights_are_shown(hand):
    # the tint's buffer went with the old geometry while its attribute stayed on, and every drawing failed from there
    hand.open_bench()
    hand.click("Binding")
    hand.click_at(hand.bone_place("near ear 2"))
    hand.keys("w")
    time.sleep(0.3)
    hand.click("Bones")
    hand.click_at(hand.bone_place("near leg"))
    hand.changed(lambda: hand.fill('[aria-label="Limit, clockwise"]', "30"), "the limit is set")
    time.sleep(0.5)
    painted = """
      const stage = kunstgriff.engine.stage;
      stage.paint(stage.canvas.width, stage.canvas.height, 0.3, [-700, -2400], -1);
      const error = stage.gl.getError();
      const pixels = stage.read(200, 300, 0.12, [-700, -2400]);
      return [error, pixels.filter((one, k) => k % 4 === 3 && one > 128).length];
    """
    error, solid = hand.script(painted)
    assert error == 0
    assert solid > 2_000
    # and should anything break the arrays all the same, it is told and healed
    hand.script("const gl = kunstgriff.engine.stage.gl; kunstgriff.engine.stage.buffers.attribs && gl.deleteBuffer(kunstgriff.engine.stage.buffers.attribs.a_position.buffer); kunstgriff.engine.stage.broken(1)")  # fmt: skip
    until(lambda: "handed to the screen anew" in hand.words(), "it is told")
    time.sleep(0.3)
    error, solid = hand.script(painted)
    assert error == 0
    assert solid > 2_000
    hand.changed(lambda: hand.click("Undo"), "undone")
