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
    assert treatments(hand) == ["clip", *["cover"] * (len(proposed) - 1), "order", "order"]
    hand.changed(lambda: hand.click("Undo"))
    hand.click_at(hand.bone_place("near leg 2"))
    hand.click("Show it on the sheet")
    missing = unpainted(hand)
    grow = until(lambda: hand.button("Grow near thigh by 27 px"), "the remedy is offered")
    hand.changed(grow.click)
    hand.click_at(hand.bone_place("near leg 2"))
    hand.click("Show it on the sheet")
    assert unpainted(hand) < missing / 4
    hand.changed(lambda: hand.click("Undo"))
    assert not hand.complaints()


def test_folds_clips_and_order_are_made_by_hand_and_taken_off(hand):
    hand.open_bench(MOTH)
    hand.click("Seams")
    hand.click_at(hand.bone_place("far leg 2"))
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
