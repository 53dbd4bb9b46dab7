"""Facings as a person works with them: turned to, posed in a mirror, worked on, ghosted, and painted as they are seen."""

from __future__ import annotations

import numpy as np
import pytest

from tests.browser.hand import until

TALLOW, SOOT = 4, 5  # of the figures of the demo


@pytest.fixture
def soot(hand):
    hand.open_bench(SOOT)
    hand.script("kunstgriff.bench.page.goTo('controls')")
    return hand


def turn_to(hand, name):
    hand.script(
        "const { rows } = kunstgriff.bench.facings; kunstgriff.bench.facings.turnTo(rows.find((one) => one.name === arguments[0]).number)",
        name,
    )
    until(lambda: hand.script("return kunstgriff.bench.facings.one.name") == name, f"the facing {name} is shown")


def seen(hand):
    """The canvas as it is seen on the screen, mirrored or not: what is opaque, column by column."""
    shot = hand.painted((400, 450), 0.5, (-400, -846))
    mirrored = hand.script("return kunstgriff.bench.sheet.mirrored")
    return shot[:, ::-1] if mirrored else shot


def test_turning_shows_each_side_and_a_mirrored_one_is_the_mirror_picture(soot):
    hand = soot
    names = hand.script("return kunstgriff.bench.facings.rows.map((one) => one.name)")
    assert names == [
        "half back, left",
        "side, left",
        "half front, left",
        "front",
        "half front",
        "side",
        "half back",
        "back",
    ]
    turn_to(hand, "side")
    side = seen(hand)
    turn_to(hand, "side, left")
    left = seen(hand)
    assert np.abs(side[:, ::-1].astype(int) - left).max() <= 40
    assert np.abs(side.astype(int) - left).max() > 200
    bones = dict(
        zip(
            *(
                hand.script(f"return kunstgriff.bench.page.figure.bones.map((one) => one.{key})")
                for key in ("id", "name")
            ),
            strict=True,
        )
    )
    turn_to(hand, "side")
    here = dict(
        zip(
            *(
                hand.script(f"return kunstgriff.bench.page.figure.bones.map((one) => one.{key})")
                for key in ("id", "name")
            ),
            strict=True,
        )
    )
    swapped = {ref for ref in bones if bones[ref] != here[ref]}
    assert {here[ref] for ref in swapped} >= {"left wing", "right wing", "left tuft"}


def test_a_pose_goes_along_to_the_mirror_and_back_and_says_the_same_there(soot):
    hand = soot
    turn_to(hand, "half front")
    hand.keys("r")
    head, wing = (hand.script("return kunstgriff.bench.page.figure.bones.find((one) => one.name === arguments[0]).id", name)
                  for name in ("head", "left wing"))  # fmt: skip
    hand.script("kunstgriff.bench.posing.setChannels(arguments[0], { turn: 14 })", head)
    hand.script("kunstgriff.bench.posing.setChannels(arguments[0], { turn: -30 })", wing)
    told = hand.script("return kunstgriff.bench.facings.poseOf(true).channels")
    turn_to(hand, "half front, left")
    there = hand.script("return kunstgriff.bench.posing.pose.channels")
    right = hand.script("return kunstgriff.bench.page.figure.bones.find((one) => one.name === 'left wing').id")
    assert there == {f"{head}.turn": -14, f"{right}.turn": 30}
    again = hand.script("return kunstgriff.bench.facings.poseOf(true).channels")
    assert {one: value for one, value in again.items() if "facing" not in one} == {
        one: value for one, value in told.items() if "facing" not in one
    }
    turn_to(hand, "front")
    assert hand.script("return kunstgriff.bench.posing.pose.channels") == {f"{head}.turn": 14, f"{wing}.turn": -30}
    turn_to(hand, "back")  # where all turns the other way round
    assert hand.script("return kunstgriff.bench.posing.pose.channels") == {f"{head}.turn": -14, f"{wing}.turn": 30}
    hand.script("kunstgriff.bench.selection.pickBone(arguments[0])", wing)
    hand.keys("r")
    hand.changed(lambda: hand.click("Turn as on the first"))
    assert wing not in hand.script("return kunstgriff.bench.facings.told.flipped")
    turn_to(hand, "front")
    assert hand.script("return kunstgriff.bench.posing.pose.channels") == {f"{head}.turn": 14, f"{wing}.turn": 30}


def test_what_is_done_on_a_side_stays_there_and_a_ghost_of_another_lies_over_it(soot):
    hand = soot
    turn_to(hand, "back")
    place = "return kunstgriff.bench.page.figure.parts.find((one) => one.name === 'tail').drawing.place"
    before = hand.script(place)
    tail = hand.script("return kunstgriff.bench.page.figure.parts.find((one) => one.name === 'tail').id")
    hand.changed(
        lambda: hand.script(
            "kunstgriff.bench.history.edit({ kind: 'move_parts', parts: [arguments[0]], by: [0, 6] })", tail
        )
    )
    assert hand.script(place)[1] == before[1] + 6
    assert hand.script("return kunstgriff.bench.history.undoWord") == "Undo: move tail, back"
    hand.choose("#ghost", "side")
    until(lambda: hand.script("return kunstgriff.bench.ghost.of && !kunstgriff.bench.ghost.busy"), "the ghost is there")
    turn_to(hand, "front")
    assert hand.script(place)[1] != before[1] + 6 or hand.script(place)[0] != before[0]
    hand.changed(lambda: hand.click("Undo"))
    assert hand.script("return kunstgriff.bench.facings.one.name") == "front"
    assert hand.complaints() == []


def test_a_side_is_added_named_and_taken_away(hand):
    hand.open_bench(TALLOW)
    hand.script("kunstgriff.bench.page.goTo('controls')")
    hand.changed(lambda: hand.click("half front"))
    until(lambda: hand.script("return kunstgriff.bench.facings.rows.length") == 2, "two facings are there")
    turn_to(hand, "half front")
    assert "of" in hand.script("return kunstgriff.bench.facingCard.loanWords")
    hand.changed(lambda: hand.fill("#facing-name", "three quarter"))
    assert hand.script("return kunstgriff.bench.facings.one.name") == "three quarter"
    hand.changed(lambda: hand.click("Take this facing away"))
    until(lambda: not hand.script("return Boolean(kunstgriff.bench.facings.told)"), "one side is left")
    assert hand.complaints() == []
