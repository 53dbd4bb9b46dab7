"""The Seams stage used by hand, on the moth whose every seam is open."""

from __future__ import annotations

import re

import pytest
from selenium.webdriver.common.keys import Keys

from tests.browser.hand import until
from tests.browser.test_bench import violations

pytestmark = pytest.mark.browser
MOTH = 3


@pytest.fixture(autouse=True)
def fresh_log(hand):
    """What earlier tests made the browser complain of is theirs."""
    hand.complaints()


def treatments(hand):
    return sorted(one["kind"] for one in hand.state()["treatments"])


def unpainted(hand) -> int:
    """px² that the void map tells are not painted."""
    told = until(
        lambda: re.search(r"and (\d+) px² beyond are not painted|all of it is painted", hand.words()),
        "the void is told",
    )
    return int(told[1] or 0)


def test_every_joint_is_treated_on_consent_and_a_void_is_grown_shut(hand):
    hand.open_bench(MOTH)
    hand.click("Seams")
    until(lambda: "3 joints read, 3 beyond what is tolerated" in hand.words(), "every seam is read", 60)
    until(lambda: any("opens a gap" in one for one in hand.findings()), "what misses is told as findings")
    assert not violations(hand), "the Seams stage"
    hand.click("Treat all joints …")
    until(lambda: hand.driver.find_elements("css selector", ".proposal"), "ways are proposed", 60)
    until(lambda: "Stop trying" not in hand.words(), "all are tried", 60)
    proposed = hand.driver.find_elements("css selector", ".proposal input")
    proposed[0].click()  # not that one
    hand.changed(lambda: hand.click(f"Treat {len(proposed) - 1} joint" + ("s" if len(proposed) > 2 else "")))
    laid = treatments(hand)  # the moth's limbs end flat: they are made round, then covered
    assert laid.count("cover") == len(proposed) - 1
    assert [one for one in laid if one not in ("cap", "cover")] == ["clip", "order", "order"]
    assert "cap" in laid
    hand.changed(lambda: hand.click("Undo"))
    assert treatments(hand) == ["clip", "order", "order"]
    hand.click_at(hand.bone_place("near leg 2"))
    hand.click("Show it on the sheet")
    missing = unpainted(hand)
    until(lambda: "nothing shows" in hand.words() or "× what may show" in hand.words(), "the card is at rest", 60)
    hand.changed(lambda: hand.click("Grow near thigh by 27 px"))
    hand.click_at(hand.bone_place("near leg 2"))
    hand.click("Show it on the sheet")
    assert unpainted(hand) < missing / 4
    hand.changed(lambda: hand.click("Undo"))
    assert not hand.complaints()


def test_folds_clips_and_order_are_made_by_hand_and_taken_off(hand):
    hand.open_bench(MOTH)
    hand.click("Seams")
    hand.click_at(hand.bone_place("far leg 2"))
    until(
        lambda: "back to the parts" in hand.words(), "its pictures are there, and the sheet is as high as it stays", 60
    )
    hand.click("Fold")
    hand.changed(lambda: hand.drag(hand.to_window([384, -250]), hand.to_window([370, -215])))
    fold = next(one for one in hand.state()["treatments"] if one["kind"] == "fold")
    assert fold["switch"]["bone"] == next(one["id"] for one in hand.state()["bones"] if one["name"] == "far leg 2")
    hand.keys(Keys.ESCAPE, Keys.ESCAPE)
    hand.find('[aria-label="spots"]').click()
    hand.choose("#clip-by", "far wing")
    hand.changed(lambda: hand.click("Clip it to that"))
    assert "spots shows only inside far wing" in hand.words()
    hand.changed(lambda: hand.click("To the back"))
    assert hand.names("parts")[0] == "spots"
    row = next(one for one in hand.driver.find_elements("css selector", ".treatment-row") if "far wing" in one.text)
    hand.changed(row.find_element("css selector", "button").click)
    assert treatments(hand) == ["clip", "fold", "order", "order"]
    for _ in range(4):
        hand.changed(lambda: hand.click("Undo"))
    assert not hand.complaints()


def test_a_seam_is_read_while_its_joint_is_dragged_and_the_reading_of_all_can_be_stopped(hand):
    hand.open_bench(MOTH)
    hand.click("Seams")
    until(lambda: "joints read" in hand.words(), "reading begins")
    if "3 joints read," not in hand.words():  # it may be done before one can stop it
        hand.click("Stop reading")
        until(lambda: "stopped" in hand.words(), "it is stopped")
        hand.click("Read on")
    until(lambda: "3 joints read," in hand.words(), "every seam is read", 60)
    hand.click_at(hand.bone_place("near leg 2"))
    until(
        lambda: "back to the parts" in hand.words(), "its pictures are there, and the sheet is as high as it stays", 60
    )
    hand.keys("r")
    until(lambda: "The seam now" in hand.words(), "the joint is read as it lies")
    start = hand.bone_place("near leg 2", 0.8)
    revision = hand.revision()

    def turned() -> str:
        return hand.find(".seam-figures dd").text

    hand.drag(start, (start[0] + 40, start[1] - 6), release=False)
    for step in range(3):
        before = until(turned, "the angle is told")
        hand.drag_on((start[0] + 40 + 20 * step, start[1] - 6), (start[0] + 60 + 20 * step, start[1] - 30), steps=2)
        until(lambda before=before: turned() != before, "it is read anew", 30)
    assert hand.revision() == revision, "nothing was built meanwhile"
    assert hand.script("return document.getElementById('seam-live').width") > 100
    hand.let_go()
    assert "line across" in hand.find(".seam-figures").text
    assert not violations(hand), "the seam now"
    hand.keys("0", "r", Keys.ESCAPE)
    assert not hand.complaints()


def test_outlines_are_opened_and_gussets_cut_by_strokes_and_numbers_typed(hand):
    hand.open_bench(MOTH)
    hand.click("Seams")
    hand.find('[aria-label="far thigh"]').click()
    hand.click("Open outline")
    part = next(one for one in hand.state()["parts"] if one["name"] == "far thigh")
    left, top = part["drawing"]["place"]
    width, height = part["drawing"]["size"]
    stroke = [left + 2, top + 0.35 * height], [left + 2, top + 0.6 * height]
    hand.changed(lambda: hand.drag(*(hand.to_window(list(spot)) for spot in stroke)))
    opened = next(one for one in hand.state()["treatments"] if one["kind"] == "opening")
    assert opened["part"] == part["id"]
    hand.keys(Keys.ESCAPE, Keys.ESCAPE)
    hand.click_at(hand.bone_place("far leg 2"))
    chosen = "const { oneBone } = kunstgriff.bench.selection; return oneBone && oneBone.name"
    until(lambda: hand.script(chosen) == "far leg 2", "its bone is chosen")
    joint = next(one for one in hand.state()["bones"] if one["name"] == "far leg 2")["joint"]
    hand.click("Gusset cut")
    across = [joint[0] - 40, joint[1] - 20], [joint[0] + 40, joint[1] - 20]
    hand.changed(lambda: hand.drag(*(hand.to_window(list(spot)) for spot in across)))
    gusset = next(one for one in hand.state()["treatments"] if one["kind"] == "gusset")
    assert len(gusset["cut"]) >= 2
    until(lambda: hand.find("#laid-radius").is_displayed(), "its numbers are on the card")
    hand.changed(lambda: hand.fill("#laid-radius", "55"))
    hand.changed(lambda: hand.fill("#laid-share", "0.5"))
    again = next(one for one in hand.state()["treatments"] if one["kind"] == "gusset")
    assert (again["radius"], again["share"], again["cut"]) == (55, 0.5, gusset["cut"])
    hand.fill("#laid-radius", "-4")
    until(
        lambda: [one for one in hand.driver.find_elements("css selector", ".hint.warn") if one.text.endswith(".")],
        "a wrong number is refused with a sentence",
    )
    for _ in range(4):
        hand.changed(lambda: hand.click("Undo"))
    assert treatments(hand) == ["clip", "order", "order"]


def test_a_pose_is_kept_and_joints_are_read_together(hand):
    hand.open_bench(MOTH)
    hand.click("Seams")
    until(lambda: "3 joints read," in hand.words(), "every seam is read", 60)
    hand.keys("r")
    start = hand.bone_place("near leg 2", 0.7)
    hand.drag(start, (start[0] + 60, start[1] - 10))
    hand.keys(Keys.ESCAPE)
    next(one for one in hand.driver.find_elements("css selector", "summary") if "trial poses" in one.text).click()
    hand.fill("#pose-name", "hop")
    hand.changed(lambda: hand.click("Keep this pose"))
    assert [one["name"] for one in hand.state()["poses"]] == ["hop"]
    hand.keys("0", "r")
    hand.click("Read them together")
    told = until(lambda: re.search(r"(\d+) readings, (\d+) beyond", hand.words()), "they are read", 60)
    assert int(told[1]) >= int(told[2]) > 0
    assert " in hop " in hand.words() or " with " in hand.words()
    hand.changed(lambda: hand.click("Undo"))


def test_look_turns_the_joint_zooms_to_it_and_the_strip_shows_it_large(hand):
    hand.open_bench(3)
    hand.click("Seams")
    until(lambda: "3 joints read," in hand.words(), "every seam is read", 60)
    until(lambda: any("opens a gap" in one for one in hand.findings()), "it is told")
    sentence = next(one for one in hand.findings() if "opens a gap" in one)
    scale = hand.script("return kunstgriff.engine.camera.scale")
    hand.remedy(sentence, "Look")
    until(lambda: hand.find("#bone-turn").get_attribute("value") not in ("", "0"), "the joint is turned")
    assert hand.script("return kunstgriff.engine.camera.scale") > scale
    hand.keys("r")  # the strip comes at rest, so that nothing moves under the hand of who poses
    shown = "return document.body.classList.contains('with-strip')"
    until(lambda: hand.script(shown), "the strip is there", 60)
    width = hand.script("return document.querySelector('.strip .seam-tile').getBoundingClientRect().width")
    assert width >= 220
    hand.click("back to the parts")
    until(lambda: hand.find("#tray").is_displayed(), "the parts are back")
    hand.keys("0")


def test_what_two_parts_are_is_changed_by_one_click(hand):
    hand.open_bench(3)
    hand.click("Seams")
    hand.click_at(hand.bone_place("near leg 2"))
    until(lambda: "It lies under the other" in hand.words(), "it is told what they are", 60)
    assert hand.button("One limb").get_attribute("aria-pressed") == "true"
    hand.changed(lambda: hand.click("It lies over the other"))
    until(lambda: "As you said" in hand.words(), "what was said is shown", 60)
    assert {one["kind"] for one in hand.state()["meetings"]} == {"lies_over"}
    hand.changed(lambda: hand.click("Undo"))
