"""In the hand: the tree of bones and parts, selecting, looking, rigging by keys, parts cut and turned."""

from __future__ import annotations

import time

import numpy as np
import pytest
from selenium.webdriver.common.keys import Keys

from tests.browser.hand import until
from tests.strangers.painting import openraster
from tests.strangers.plans import stranger

DROP = """const [from, onto] = [...arguments].map((word) => [...document.querySelectorAll('.tree li')].find((one) => one.innerText.includes(word)));
const carried = new DataTransfer();
const tell = (row, kind) => row.dispatchEvent(new DragEvent(kind, { bubbles: true, cancelable: true, dataTransfer: carried }));
tell(from, 'dragstart'); tell(onto, 'dragover'); tell(onto, 'drop'); tell(from, 'dragend');"""


def row(hand, name):
    look = "return [...document.querySelectorAll('.tree .tree-name')].find((one) => one.innerText.trim() === arguments[0]) || null"
    return until(lambda: hand.script(look, name), f"the tree lists {name}", 5)


def rows(hand):
    return hand.script("return [...document.querySelectorAll('.tree .tree-name')].map((one) => one.innerText.trim())")


def selected(hand):
    return hand.script(
        "const { page, selection } = kunstgriff.bench; return [selection.bones.map((id) => page.boneName(id)), selection.parts.map((id) => page.partName(id))]"
    )


def bone(hand, name):
    return next(one for one in hand.state()["bones"] if one["name"] == name)


@pytest.fixture(scope="module")
def crane(studio, shared_driver, tmp_path_factory):
    """A stranger's figure in pieces, imported as its illustrator drew it."""
    one = stranger(6)
    file = tmp_path_factory.mktemp("art") / "crane.ora"
    file.write_bytes(openraster(one))
    return one, file


def test_the_tree_folds_finds_renames_down_the_list_and_hangs_by_dragging(hand):
    hand.open_bench()
    hand.click("Bones")
    whole = rows(hand)
    assert {"hips", "near ear 3", "satchel"} <= set(whole)
    row(hand, "head").send_keys(Keys.ARROW_LEFT)
    until(lambda: "near ear 3" not in rows(hand), "the head folds")
    row(hand, "head").send_keys(Keys.ARROW_RIGHT)
    until(lambda: rows(hand) == whole, "and unfolds")
    hand.find(".tree-find").send_keys("near ear 3")
    until(
        lambda: rows(hand) == ["hips", "spine", "chest", "neck", "head", "near ear", "near ear 2", "near ear 3"],
        "found with what it hangs on",
    )
    hand.find(".tree-find").send_keys(Keys.CONTROL, "a", Keys.DELETE)
    row(hand, "near ear 2").send_keys(Keys.F2)
    until(lambda: hand.script("return document.activeElement.classList.contains('tree-field')"), "a field for its name")
    hand.keys("ear middle", Keys.TAB)
    until(lambda: hand.script("return document.activeElement.value") == "near ear 3", "Tab goes on to the next")
    hand.changed(lambda: hand.keys("ear end", Keys.ENTER))
    until(lambda: {"ear middle", "ear end"} <= set(hand.names()), "both are renamed, and no other")
    assert "near ear" in hand.names()
    was = bone(hand, "ear end")["parent"]
    hand.changed(lambda: hand.script(DROP, "ear end", "hips"))
    assert bone(hand, "ear end")["parent"] == bone(hand, "hips")["id"] != was
    for _ in range(3):
        hand.changed(lambda: hand.click("Undo"))
    assert "near ear 3" in hand.names()
    assert not hand.complaints()


def test_boxes_beneath_and_the_tree_by_keys_select(hand):
    hand.open_bench()
    hand.click("Artwork")
    eye = next(one for one in hand.state()["parts"] if one["name"] == "pupil")
    middle = hand.to_window(list(np.add(eye["drawing"]["place"], np.divide(eye["drawing"]["size"], 2))))
    hand.click_at(middle)
    until(lambda: selected(hand)[1] == ["pupil"], "the part in front")
    hand.click_at(middle)
    until(lambda: selected(hand)[1] == ["eye white"], "another click takes what lies beneath")
    hand.click_at(middle)
    until(lambda: selected(hand)[1] == ["head base"], "and what lies beneath that")
    low, high = hand.to_window([180, -960]), hand.to_window([560, -640])
    hand.drag(low, high)
    until(lambda: "satchel" in selected(hand)[1], "a box takes all in it")
    assert "pupil" not in selected(hand)[1]
    hand.click_at(middle)
    hand.keys(Keys.PAGE_UP)
    hand.keys(Keys.PAGE_UP)
    until(lambda: len(selected(hand)[1]) > 1 or selected(hand)[0], "up the tree")
    hand.click("Bones")
    hand.drag(hand.to_window([-520, -700]), hand.to_window([-60, -1200]))
    until(lambda: len(selected(hand)[0]) >= 2, "a box of bones")
    assert not hand.complaints()


def test_limits_and_settings_are_given_to_many_in_one_step(hand):
    hand.open_bench()
    hand.click("Bones")
    row(hand, "near shin").click()
    field = hand.find('[aria-label="Limit, clockwise"]')
    hand.changed(lambda: field.send_keys(Keys.CONTROL, "a") or field.send_keys("80", Keys.TAB))
    hand.click("Copy its settings")
    row(hand, "far shin").click()
    hand.changed(lambda: hand.click("Give them those of near shin"))
    assert bone(hand, "far shin")["limits"] == bone(hand, "near shin")["limits"] != None  # noqa: E711
    for _ in range(2):
        hand.changed(lambda: hand.click("Undo"))
    assert not hand.complaints()


def test_the_view_is_turned_and_mirrored_and_the_hand_finds_what_it_sees(hand):
    hand.open_bench()
    hand.click("Artwork")
    before = hand.state()["parts"]
    hand.script("document.activeElement.blur()")
    hand.keys("x", "t", "t")
    until(lambda: "mirrored, turned 30°" in hand.words(), "it is told")
    satchel = next(one for one in hand.state()["parts"] if one["name"] == "satchel")
    x, y = hand.script(
        """const c = kunstgriff.engine.camera; const [lx, ly] = c.toScreen(...arguments[0]);
        const box = document.getElementById('sheet').getBoundingClientRect();
        const [dx, dy] = [lx - c.width / 2, ly - c.height / 2]; const [k, s] = [Math.cos(Math.PI / 6), Math.sin(Math.PI / 6)];
        return [box.left + box.width / 2 - (k * dx - s * dy), box.top + box.height / 2 + s * dx + k * dy];""",
        list(np.add(satchel["drawing"]["place"], np.divide(satchel["drawing"]["size"], 2))),
    )
    hand.click_at((round(x), round(y)))
    until(lambda: selected(hand)[1] == ["satchel"], "a click in the turned and mirrored view")
    hand.changed(lambda: hand.keys("+"), "one step to the front")
    names = [one["name"] for one in hand.state()["parts"]]
    assert names.index("satchel") == [one["name"] for one in before].index("satchel") + 1
    hand.changed(lambda: hand.keys("-"))
    assert hand.state()["parts"] == before, "the drawing is untouched"
    hand.chord(Keys.SHIFT, "T")
    until(lambda: "mirrored" not in hand.words(), "upright again")
    assert not hand.complaints()


def test_a_stranger_is_rigged_by_keys_alone(hand, crane):
    one, file = crane
    hand.find("#art").send_keys(str(file))
    until(lambda: "/bench/" in hand.driver.current_url, "the import opens on the bench", 40)
    hand.wait_for_bench()
    hand.keys(Keys.TAB, Keys.ENTER)  # to the sheet, past the rail
    for _ in range(6):
        hand.keys(Keys.TAB)
        if hand.script("return document.activeElement.innerText") == "Draw chain":
            break
    hand.keys(Keys.ENTER)
    until(lambda: "arrows aim" in hand.words(), "the tool says how by keys")
    hand.keys(Keys.ARROW_LEFT, Keys.ENTER, *[Keys.ARROW_RIGHT] * 6, Keys.ENTER, *[Keys.ARROW_UP] * 6, Keys.ENTER)
    hand.changed(lambda: hand.keys(Keys.ENTER), "Enter on the same spot ends the chain")
    first = hand.state()["bones"]
    assert len(first) == 2
    assert first[0]["tip"] == first[1]["joint"]
    hand.changed(lambda: hand.chord(Keys.CONTROL, "z"))
    hand.chord(Keys.CONTROL, "k")
    until(lambda: hand.script("return document.activeElement.id === 'finder-input'"), "the finder is open")
    hand.changed(lambda: hand.keys("bones from", Keys.ENTER), "bones of the parts by one action")
    bones = {bone["name"]: bone for bone in hand.state()["bones"]}
    truth = {joint.lower: joint for joint in one.joints if joint.two_piece}
    ground = hand.state()["sheet"]["standing_point"]
    for name, joint in truth.items():
        assert np.allclose(bones[name]["joint"], np.subtract(joint.at, ground), atol=0.1 * joint.half), name
        assert bones[name]["parent"] == bones[joint.upper]["id"]
    assert all(part["binding"]["kind"] == "rigid" for part in hand.state()["parts"])
    hand.keys("r")
    row(hand, next(iter(truth))).click()
    hand.keys(*[Keys.ARROW_RIGHT] * 3)
    until(lambda: hand.find("#bone-turn").get_attribute("value") == "3", "posed by arrows")
    hand.keys("r")
    assert not hand.complaints()


def test_a_joint_off_the_limb_is_moved_as_proposed_and_a_part_is_cut_turned_and_joined_again(hand, crane):
    one, file = crane
    hand.find("#art").send_keys(str(file))
    until(lambda: "/bench/" in hand.driver.current_url, "the import opens on the bench", 40)
    hand.wait_for_bench()
    hand.click("Bones")
    hand.changed(lambda: hand.click("Bones from the parts"))
    joint = next(joint for joint in one.joints if joint.two_piece and joint.upper != "torso")
    row(hand, joint.lower).click()
    start = bone(hand, joint.lower)
    way = np.subtract(start["tip"], start["joint"])
    off = np.array([-way[1], way[0]]) / np.hypot(*way) * 0.4 * joint.half
    x, y = np.round(np.add(start["joint"], off), 1)
    hand.changed(lambda: hand.fill('[aria-label="Joint x"]', str(x)))
    hand.changed(lambda: hand.fill('[aria-label="Joint y"]', str(y)))
    hand.click("Seams")
    row(hand, joint.lower).click()
    until(lambda: "Joint moved" in hand.words(), "moving the joint is proposed, with how far", 60)
    assert "off where the outlines of both pieces agree" in hand.words()
    button = hand.find(".way[aria-pressed='true']")
    assert "Joint moved" in button.text
    hand.changed(
        lambda: hand.script(
            "[...document.querySelectorAll('.btn-brass')].find((one) => one.offsetParent && one.innerText.startsWith('Joint moved')).click()"
        )
    )
    assert np.allclose(bone(hand, joint.lower)["joint"], start["joint"], atol=0.1 * joint.half)
    # a part turned by its numbers, cut across by a stroke, joined again
    hand.click("Artwork")
    hand.script(
        "[...document.querySelectorAll('.tree .part-name')].find((one) => one.innerText.trim() === arguments[0]).click()",
        joint.lower,
    )
    whole = next(part for part in hand.state()["parts"] if part["name"] == joint.lower)
    hand.changed(lambda: hand.fill("#drawn-turn", "20"))
    part = next(part for part in hand.state()["parts"] if part["name"] == joint.lower)
    turned = part["drawing"]["remade"][
        -1
    ]  # its handles are turned with it: a corner pulled away from the pivot scales it evenly
    drawn_at = np.add(part["drawing"]["place"], turned["offset"])
    about = drawn_at + turned["about"]
    c, s = np.cos(np.radians(20)), np.sin(np.radians(20))
    from_pivot = np.array([[c, -s], [s, c]]) @ (drawn_at + turned["size"] - about)
    hand.click("Turn, scale")
    hand.changed(
        lambda: hand.drag(hand.to_window(list(about + from_pivot)), hand.to_window(list(about + 1.25 * from_pivot)))
    )
    (pulled,) = next(part for part in hand.state()["parts"] if part["name"] == joint.lower)["drawing"]["remade"]
    assert pulled["turn"] == 20
    assert np.allclose(pulled["scale"], 1.25, atol=0.06)
    hand.changed(lambda: hand.click("As drawn"))
    assert (
        next(part for part in hand.state()["parts"] if part["name"] == joint.lower)["drawing"]["picture"]
        == whole["drawing"]["picture"]
    )
    hand.click("Cut in two")
    middle = np.add(whole["drawing"]["place"], np.divide(whole["drawing"]["size"], 2))
    reach = np.hypot(*whole["drawing"]["size"]) / 2
    across = off / np.hypot(*off) * reach
    hand.changed(
        lambda: hand.drag(hand.to_window(list(middle - across)), hand.to_window(list(middle + across)), steps=12)
    )
    assert f"{joint.lower} 2" in hand.names("parts")
    time.sleep(0.3)
    hand.changed(lambda: hand.click("Join it again"))
    assert f"{joint.lower} 2" not in hand.names("parts")
    assert not hand.complaints()
