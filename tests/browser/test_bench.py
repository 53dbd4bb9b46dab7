"""The bench used as a rigger uses it, in a real browser on the whole running studio."""

from __future__ import annotations

import os
import re
import signal
import time
from pathlib import Path

import numpy as np
import pytest
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.keys import Keys

from kunstgriff.delivery.frames import painter
from kunstgriff.evaluate.state import compile_rig
from kunstgriff.figure.pose import Pose, parse_pose
from kunstgriff.paint.painter import sheet_view
from tests.browser.hand import until
from tests.conftest import DEMO

pytestmark = pytest.mark.browser
AXE = Path(__file__).parents[1] / "outside" / "node" / "node_modules" / "axe-core" / "axe.min.js"


def violations(hand) -> list[str]:
    """axe-core's serious findings (WCAG 2.2 A and AA) on the page as it is."""
    hand.script(AXE.read_text())
    found = hand.driver.execute_async_script(
        """const done = arguments[arguments.length - 1];
        axe.run(document, { runOnly: ['wcag2a', 'wcag2aa', 'wcag21aa', 'wcag22aa'] }).then((r) => done(r.violations));"""
    )
    return [f"{one['id']}: {one['nodes'][0]['target']} {one['help']}" for one in found]


POSE = {
    "near forearm": -50.0,
    "head": 10.0,
    "near ear": -20.0,
    "near ear 2": -20.0,
    "near leg": -30.0,
    "near shin": 50.0,
}


FADED = {"lamp pole group.opacity": 0.6, "eye.opacity": 0.4, "coat.opacity": 0.7, "near forearm.forward": -9}


@pytest.mark.parametrize(("turns", "others"), [({}, {}), (POSE, {}), (POSE, FADED)])
def test_the_browser_paints_what_the_server_paints(hand, pell, turns, others):
    figure, stores = pell
    hand.open_bench()
    ids = {bone["name"]: bone["id"] for bone in hand.state()["bones"]}
    if turns:
        hand.keys("r")
        turned = Pose.of_bones(turn={ids[name]: value for name, value in turns.items()})
        posed = turned.merged(parse_pose(others).by_id(figure)).model_dump(mode="json")
        hand.script("kunstgriff.engine.live.send({ seen: kunstgriff.scene.revision, pose: arguments[0] });", posed)
        until(
            lambda: hand.script("return kunstgriff.scene.vertices !== kunstgriff.scene.geometry.rest"),
            "the pose arrives",
        )
        until(lambda: hand.script("return kunstgriff.engine.live.inFlight === null"), "the newest pose is there")
    rig = compile_rig(figure, stores)
    frame = rig.evaluate(parse_pose({"turn": turns}).by_id(figure).merged(parse_pose(others).by_id(figure)))
    assert np.abs(np.array(hand.vertices()).reshape(-1, 2) - frame.vertices).max() < 1e-3
    size = (400, 600)
    view = sheet_view(figure, size)
    browser = hand.painted(size, view.scale, view.origin)
    server = painter().paint_premultiplied(rig, frame, view, stores).astype(int)
    off = np.abs(browser - server)
    assert server[..., 3].any()
    assert off.mean() < 1
    assert (off.max(2) > 8).mean() < 0.001
    assert not hand.complaints()


def test_from_dropped_artwork_to_a_delivery(hand):
    hand.find("#art").send_keys(str(DEMO / "pell.ora"))
    until(lambda: "/bench/" in hand.driver.current_url, "the import opens on the bench", 40)
    hand.wait_for_bench()
    assert "36 parts, 0 bones" in hand.words()
    until(lambda: "wait for a chain to be drawn" in hand.words(), "the findings are told")
    # bones: a chain by clicking, a branch from it, names, moves, undo that survives a reload
    hand.click("Draw a chain")
    for point in ([90, -710], [90, -1100], [110, -1350]):
        hand.click_at(hand.to_window(point))
    hand.changed(lambda: hand.keys(Keys.ENTER), "the chain is there")
    first, second = hand.names()  # after the parts they run through
    assert first == "coat"
    assert second in ("scarf tail", "coat 2"), (
        "which it is depends on whether the last click found something to snap to"
    )
    hand.keys("s")
    if second != "coat 2":
        hand.click_at(hand.bone_place(second))
        hand.changed(lambda: hand.fill("#thing-name", "coat 2"))
    hand.click_at(hand.bone_place("coat"))
    assert "renames the one numbered after it, too" in hand.words()
    hand.changed(lambda: hand.fill("#thing-name", "spine"))
    assert hand.names() == ["spine", "spine 2"]
    hand.click_at(hand.bone_place("spine 2"))
    hand.keys("c")
    for point in ([66, -1227], [-150, -1031]):
        hand.click_at(hand.to_window(point))
    hand.click_at(hand.to_window([-306, -855]))
    hand.changed(lambda: hand.keys(Keys.ENTER), "the branch is there")
    arm = hand.state()["bones"][2]
    assert hand.state()["bones"][1]["id"] == arm["parent"]
    assert hand.names()[2:] == ["near upper arm", "near forearm"]
    for name, own in (("near upper arm", "near arm"), ("near forearm", "near arm 2")):
        hand.click_at(hand.bone_place(name))
        hand.changed(lambda own=own: hand.fill("#thing-name", own))
    hand.click_at(hand.bone_place("near arm"))
    hand.click("Move joint")
    before = hand.state()["bones"][2]["tip"]
    x, y = hand.bone_place("near arm", 1.0)
    hand.changed(lambda: hand.drag((x, y), (x + 12, y + 6)))
    assert hand.state()["bones"][2]["tip"] != before
    assert hand.state()["bones"][2]["tip"] == hand.state()["bones"][3]["joint"]
    hand.driver.refresh()
    hand.wait_for_bench()
    hand.changed(lambda: hand.chord(Keys.CONTROL, "z"), "undo reaches across the reload")
    assert hand.state()["bones"][2]["tip"] == before
    # binding: the parts of the arm by weights, each to the bone that runs through it
    hand.click("Binding")
    hand.find('[aria-label="near upper arm"]').click()
    hand.changed(lambda: hand.click("Bind by weights"))
    hand.find('[aria-label="near forearm"]').click()
    hand.changed(lambda: hand.click("Bind by weights"))
    bound = {part["name"]: part["binding"] for part in hand.state()["parts"]}
    assert bound["near upper arm"]["influences"] == [hand.state()["bones"][2]["id"]]
    hand.find('[aria-label="near hand"]').click()
    hand.click_at(hand.bone_place("near arm 2"))  # picked on the sheet while the part stays selected
    hand.changed(lambda: hand.click("Bind to the bone"))
    # posing: building is locked, the picture follows the drag, the way back to rest
    hand.keys("r")
    hand.find('[aria-label="near hand"]').click()
    assert not hand.button("Bind by weights").is_enabled()
    assert "Building is done at rest" in hand.words()
    rest = hand.vertices()
    hand.keys("s")
    start = hand.bone_place("near arm 2", 0.6)
    hand.drag(start, (start[0] + 60, start[1] + 20))
    until(lambda: hand.vertices() != rest, "the picture follows")
    hand.click("Back to rest")
    until(lambda: np.allclose(hand.vertices(), rest, atol=1e-3), "all is back at rest")
    hand.keys("r")
    # one seam, one spring, one delivery
    hand.click("Seams")
    hand.click_at(hand.bone_place("near arm 2"))
    until(lambda: "Cover here and at its like" in hand.words(), "the ways are tried", 40)
    hand.changed(lambda: hand.click("Cover here and at its like"))
    until(lambda: "lies a cover" in hand.words(), "the seam is read anew", 30)
    hand.click("Follow-through")
    hand.changed(lambda: hand.click("Make it springy"))
    hand.click("Play it")
    until(lambda: re.search(r"frame \d+ of 96", hand.words()), "the swing plays")
    hand.click("Delivery")
    hand.click("PNG")
    until(lambda: "done," in hand.words(), "the picture is delivered", 40)
    assert hand.find(".job a").get_attribute("href").endswith("/file/")
    assert not hand.complaints()


def test_two_tabs_keep_each_other_up_to_date_even_in_the_middle_of_a_drag(hand, studio):
    hand.open_bench()
    first = hand.driver.current_window_handle
    hand.click("Move joint")
    x, y = hand.bone_place("near ear 3", 1.0)
    hand.drag((x, y), (x - 20, y + 5), release=False)
    hand.driver.switch_to.new_window("tab")
    hand.open_bench()
    hand.click("Artwork")
    hand.find('[aria-label="brow"]').click()
    hand.changed(lambda: hand.fill("#thing-name", "eyebrow"))
    hand.driver.close()
    hand.driver.switch_to.window(first)
    until(lambda: "eyebrow" in hand.names("parts"), "the first tab catches up")
    tip = next(bone["tip"] for bone in hand.state()["bones"] if bone["name"] == "near ear 3")
    hand.changed(hand.let_go, "the drag still becomes an edit")
    assert next(bone["tip"] for bone in hand.state()["bones"] if bone["name"] == "near ear 3") != tip
    assert "eyebrow" in hand.names("parts")
    hand.changed(lambda: hand.click("Undo"))
    hand.changed(lambda: hand.click("Undo"))


def test_the_keyboard_alone_turns_a_bone_and_finds_any_action(hand):
    hand.open_bench()
    hand.script("document.querySelector('[data-bone]').focus()")
    hand.keys(Keys.ENTER)
    assert hand.script("return document.querySelector('.bone.selected') !== null")
    hand.keys("r")
    hand.keys(Keys.ARROW_RIGHT)
    hand.chord(Keys.SHIFT, Keys.ARROW_RIGHT)
    until(lambda: hand.find("#bone-turn").get_attribute("value") == "11", "the arrows turn by 1 and with Shift by 10")
    hand.chord(Keys.CONTROL, "k")
    until(lambda: hand.script("return document.activeElement.id === 'finder-input'"), "the finder is open")
    hand.keys("seams")
    hand.keys(Keys.ENTER)
    until(lambda: hand.find('.ruler [aria-current="true"]').text.startswith("Seams"), "the action is found by its word")


def test_undo_in_one_tab_reaches_the_other_and_fields_undo_their_own_typing(hand):
    hand.open_bench()
    first = hand.driver.current_window_handle
    before = hand.names("parts")
    hand.click("Artwork")
    hand.find('[aria-label="brow"]').click()
    hand.changed(lambda: hand.fill("#thing-name", "eyebrow"))
    hand.driver.switch_to.new_window("tab")
    hand.open_bench()
    hand.changed(lambda: hand.click("Undo"))
    hand.driver.switch_to.window(first)
    until(lambda: hand.names("parts") == before, "the undo of the other tab is here")
    hand.driver.switch_to.window(next(one for one in hand.driver.window_handles if one != first))
    hand.driver.close()
    hand.driver.switch_to.window(first)
    field = hand.find("#thing-name")
    field.send_keys("x")
    revision = hand.revision()
    hand.chord(Keys.CONTROL, "z")
    time.sleep(0.4)
    assert hand.revision() == revision, "the field's own"
    hand.keys(Keys.ESCAPE)


def test_arrow_presses_are_one_move_and_one_step_to_undo(hand):
    hand.open_bench()
    hand.click("Artwork")
    hand.find('[aria-label="satchel"]').click()

    def place():
        return next(one["drawing"]["place"] for one in hand.state()["parts"] if one["name"] == "satchel")

    before = place()
    hand.script("document.activeElement.blur()")
    hand.changed(lambda: hand.keys(*[Keys.ARROW_RIGHT] * 5), "five presses are a move")
    assert np.allclose(np.subtract(place(), before), [5, 0])
    hand.changed(lambda: hand.click("Undo"))
    assert place() == before


def test_find_knows_several_words_walks_by_arrows_and_finds_bones(hand):
    hand.open_bench()
    hand.chord(Keys.CONTROL, "k")
    until(lambda: hand.script("return document.activeElement.id === 'finder-input'"), "the finder is open")
    hand.keys("skin")
    until(lambda: hand.find(".finder li.first").text.startswith("Bind the whole figure"), "another word is known")
    hand.keys(Keys.ARROW_DOWN)
    until(lambda: "Paint weights" in hand.find(".finder li.first").text, "the arrow walks on")
    hand.script(
        "const one = document.getElementById('finder-input'); one.value = 'qqq'; one.dispatchEvent(new Event('input'))"
    )
    until(lambda: "Nothing found" in hand.find(".finder:not(.preview)").text, "it is said that nothing is found")
    hand.script(
        "const one = document.getElementById('finder-input'); one.value = 'near ear 2'; one.dispatchEvent(new Event('input'))"
    )
    until(lambda: "near ear 2" in hand.find(".finder:not(.preview)").text, "a bone is found by its name")
    hand.keys(Keys.ENTER)
    until(lambda: hand.find(".card-panel h2").text == "near ear 2", "it is selected")


def test_the_art_alone_while_a_key_is_held_and_each_piece_in_a_colour_of_its_own(hand):
    hand.open_bench()
    hand.script("document.activeElement.blur()")
    chain = ActionChains(hand.driver, duration=10)
    chain.key_down("h").perform()
    until(lambda: hand.script("return document.getElementById('overlay').classList.contains('clean')"), "bones go")
    ActionChains(hand.driver, duration=10).key_up("h").perform()
    until(lambda: not hand.script("return document.getElementById('overlay').classList.contains('clean')"), "they come")
    view = ([240, 300], 0.4, [-300, -1300])

    def colours():
        """How much of the figure its twelve commonest colours cover, and how many pixels it has."""
        picture = hand.painted(*view)
        solid = picture[picture[..., 3] > 250][:, :3]
        counts = np.sort(np.unique(solid // 4, axis=0, return_counts=True)[1])[::-1]
        return counts[:12].sum() / len(solid), len(solid)

    hand.keys("k")
    until(lambda: hand.script("return Boolean(kunstgriff.engine.stage.flat)"), "false colours are on")
    hand.keys("k")
    until(lambda: not hand.script("return Boolean(kunstgriff.engine.stage.flat)"), "they are off again")
    inks = hand.painted(*view)
    dark = ((inks[..., :3].astype(int).sum(2) < 180) & (inks[..., 3] > 250)).sum()
    hand.keys("k")
    until(lambda: hand.script("return Boolean(kunstgriff.engine.stage.flat)"), "false colours are on")
    flat, solid = colours()
    assert solid > 1000
    assert flat > 0.6, "each piece is one colour, edges aside"
    flat_inks = hand.painted(*view)
    assert ((flat_inks[..., :3].astype(int).sum(2) < 180) & (flat_inks[..., 3] > 250)).sum() < dark / 10, (
        "lines are gone"
    )
    hand.keys("k")


def test_dragging_the_disc_of_the_root_moves_the_whole_figure(hand):
    hand.open_bench()
    hand.keys("r")
    hand.by_turns()
    time.sleep(0.5)
    rest = np.array(hand.vertices()).reshape(-1, 2)
    x, y = hand.bone_place("hips", 0.0)
    hand.drag((x, y), (x + 40, y - 10))
    until(lambda: hand.vertices() != rest.ravel().tolist(), "the figure moves")
    moved = np.array(hand.vertices()).reshape(-1, 2) - rest
    assert np.ptp(moved, axis=0).max() < 0.01
    assert moved[0, 0] > 20
    assert moved[0, 1] < -5


def test_the_artwork_is_arranged_on_the_sheet(hand):
    hand.open_bench()
    hand.click("Artwork")
    hand.find('[aria-label="near hand"]').click()
    hand.changed(lambda: hand.click("Mirror"))
    assert "far hand 2" in hand.names("parts"), "the sides change places in the copy's name"
    hand.find('[aria-label="far hand 2"]').click()
    hand.changed(lambda: hand.fill("#part-group", "spare"))
    hand.changed(lambda: hand.fill('[aria-label="Place x"]', "120"))
    copy = next(part for part in hand.state()["parts"] if part["name"] == "far hand 2")
    assert copy["drawing"]["place"][0] == 120
    hand.click("Standing point")
    joint = hand.state()["bones"][0]["joint"]
    hand.changed(lambda: hand.click_at(hand.to_window([40, -10])))
    assert hand.state()["bones"][0]["joint"][0] == pytest.approx(joint[0] - 40, abs=4)
    for _ in range(4):
        hand.changed(lambda: hand.click("Undo"))
    assert "far hand 2" not in hand.names("parts")


def test_a_new_version_of_the_sheet_is_taken_over_with_all_bindings(hand):
    hand.open_bench()
    hand.click("Artwork")
    before = {part["name"]: part for part in hand.state()["parts"]}
    laid = [one["kind"] for one in hand.state()["treatments"]]
    hand.find("#new-sheet").send_keys(str(DEMO / "pell-2.ora"))
    until(lambda: "/renewal/" in hand.driver.current_url, "the matches are shown")
    assert "2 changed, 1 new, 34 as they were, 0 missing" in hand.words()
    assert not violations(hand), "the page of matches"
    hand.find('[name="take-over"]').click()
    hand.wait_for_bench()
    hand.click("Artwork")
    after = {part["name"]: part for part in hand.state()["parts"]}
    assert set(after) - set(before) == {"mouth grin"}
    assert after["scarf"]["binding"]["influences"] == before["scarf"]["binding"]["influences"]
    assert [one["kind"] for one in hand.state()["treatments"]] == laid
    hand.changed(lambda: hand.click("Undo"))


def test_pages_meet_wcag_aa_by_axe(hand):
    assert not violations(hand), "library"
    hand.open_bench()
    for theme in ("lamplight", "daylight"):
        hand.script("document.documentElement.dataset.theme = arguments[0]", theme)
        for stage in ("Artwork", "Bones", "Binding", "Seams", "Follow-through", "Delivery"):
            hand.click(stage)
            hand.find('[aria-label="coat"]').click()
            assert not violations(hand), f"{stage} by {theme}"


def test_an_edit_made_while_the_database_restarts_is_not_lost(hand, studio):
    hand.open_bench()
    hand.click("Artwork")
    hand.find('[aria-label="lid"]').click()
    before = hand.revision()
    (database,) = studio.children("mariadbd")
    os.kill(database, signal.SIGKILL)
    hand.fill("#thing-name", "upper lid")
    until(lambda: hand.revision() != before, "the edit is saved after all", 40)
    assert "upper lid" in hand.names("parts")
    until(lambda: "saved " in hand.find(".saved").text, "the bench says so")
    hand.driver.refresh()
    hand.wait_for_bench()
    assert "upper lid" in hand.names("parts")
    hand.changed(lambda: hand.click("Undo"))


def test_a_worker_killed_in_the_middle_of_a_delivery_leaves_a_whole_result_all_the_same(hand, studio):
    hand.open_bench(2)
    hand.click("Delivery")
    hand.click("WebP")
    until(lambda: "painting the test swing" in hand.words(), "the delivery is under way", 30)
    (worker,) = studio.children("django work")
    os.kill(worker, signal.SIGKILL)
    until(lambda: "done," in hand.find(".job").text, "another worker finishes it", 90)
    folder = studio.var / "media" / "deliveries"
    assert len(list(folder.glob("*/*.webp"))) == 1
    assert not list(folder.glob(".unfinished*")), "and nothing of the first attempt"


def test_a_figure_deleted_in_another_tab_is_said(hand, studio):
    hand.find("#art").send_keys(str(DEMO / "pell.zip"))
    until(lambda: "/bench/" in hand.driver.current_url, "the archive opens on the bench", 40)
    hand.wait_for_bench()
    figure = hand.driver.current_url.rstrip("/").rsplit("/", 1)[1]
    deleted = hand.driver.execute_async_script(
        """const done = arguments[arguments.length - 1]; const body = new FormData();
        body.set('name', 'Pell, lamplighter');
        const token = document.cookie.match(/csrftoken=([^;]+)/)[1];
        fetch(`/figures/${arguments[0]}/delete/`, { method: 'POST', body, headers: { 'X-CSRFToken': token } }).then((r) => done(r.ok));""",
        figure,
    )
    assert deleted
    hand.click("Artwork")
    hand.find('[aria-label="lid"]').click()
    hand.fill("#thing-name", "upper lid")
    until(lambda: "was deleted" in hand.words(), "the bench says that the figure is gone")


def test_nonsense_is_answered_with_a_sentence_on_the_page(hand, tmp_path):
    bad = tmp_path / "not-a-picture.ora"
    bad.write_bytes(b"just some words")
    hand.find("#art").send_keys(str(bad))
    until(lambda: "This is no OpenRaster file" in hand.words(), "the page says so")
    hand.open_bench()
    hand.click("Bones")
    hand.click_at(hand.bone_place("near arm"))
    hand.fill("#thing-name", "head")
    until(lambda: "Another bone is called “head” already." in hand.words(), "the bench says so")
