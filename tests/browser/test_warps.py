"""The Warps stage by hand: a lattice laid, dragged at rest and posed, tied to a bone, changed, taken off again."""

from __future__ import annotations

import numpy as np
from selenium.webdriver.common.keys import Keys

from tests.browser.hand import until


def lattice(hand):
    return hand.script("return JSON.parse(JSON.stringify(kunstgriff.bench.warps.one))")


def place(hand, column, row):
    """Where a handle of the chosen lattice shows, counted from 1; figure space."""
    number = (row - 1) * lattice(hand)["columns"] + column - 1
    return hand.script(
        "const { warps, handles } = kunstgriff.bench; return [...handles.placeOf(warps.one.handles[arguments[0]].id)]",
        number,
    )


def pull(hand, column, row, by):
    """Drag a handle by so many px of the window."""
    start = hand.to_window(place(hand, column, row))
    hand.drag(start, (start[0] + by[0], start[1] + by[1]))


def choose(hand, *names):
    """Choose parts as clicks in the tree do."""
    hand.script(
        "const { page, selection } = kunstgriff.bench;"
        "selection.parts = page.figure.parts.filter((part) => arguments[0].includes(part.name)).map((part) => part.id);",
        list(names),
    )


def head_of(hand):
    hand.click("Warps")
    choose(hand, "head base", "brow", "near ear")
    until(lambda: "Lay it around 3 parts" in hand.words(), "the card offers it")
    hand.changed(lambda: hand.click("Lay it around 3 parts"), "it is laid")
    until(lambda: lattice(hand), "it is chosen")


def test_a_lattice_is_dragged_at_rest_and_posed_and_taken_off_again(hand):
    hand.open_bench()
    count = len(hand.state()["warps"])
    head_of(hand)
    bones = {one["id"]: one["name"] for one in hand.state()["bones"]}
    assert bones[lattice(hand)["bone"]] == "head"
    before = place(hand, 4, 2)
    rest = np.array(hand.vertices())
    hand.changed(lambda: pull(hand, 4, 2, (24, 6)), "the rest is reshaped")
    assert place(hand, 4, 2)[0] > before[0] + 20
    moved = np.abs(np.array(hand.vertices()) - rest).max()
    assert moved > 10
    hand.changed(lambda: hand.keys(Keys.ARROW_RIGHT, Keys.ARROW_RIGHT), "arrow keys are one move")
    hand.changed(lambda: hand.click("Undo"))
    hand.changed(lambda: hand.click("Undo"))
    assert np.allclose(place(hand, 4, 2), before)
    hand.keys("r")
    start = hand.to_window(place(hand, 1, 2))
    hand.drag(start, (start[0] - 30, start[1]))
    until(
        lambda: place(hand, 1, 2)[0] < hand.script("return kunstgriff.bench.warps.one.handles[4].place[0]") - 20,
        "posed",
    )
    channels = hand.script("return { ...kunstgriff.bench.posing.pose.channels }")
    assert [name.split(".", 1)[1] for name in channels] == ["shift.x", "shift.y"]
    hand.keys("r")
    hand.changed(lambda: hand.click("Take it off"))
    assert hand.script("return kunstgriff.bench.warps.all.length") == count
    assert not hand.complaints()


def test_a_grid_is_changed_and_its_handles_tied_by_a_share(hand):
    hand.open_bench()
    head_of(hand)
    hand.changed(lambda: hand.fill('[aria-label="Columns"]', "6"), "it has more columns")
    assert len(lattice(hand)["handles"]) == 24
    corners = [hand.to_window(place(hand, column, row)) for column, row in ((1, 4), (6, 4))]
    hand.drag((corners[0][0] - 14, corners[0][1] - 14), (corners[1][0] + 14, corners[1][1] + 14))
    until(lambda: "6 handles" in hand.words(), "a box takes the lowest row")
    hand.choose("#tie-bone", "chest")
    hand.changed(lambda: hand.click("Tie"), "they are tied")
    assert "Follows chest" in hand.words()
    field = hand.find("[id^=tie-b]:not(#tie-bone)")
    assert float(field.get_property("value")) == 1
    hand.changed(lambda: hand.fill("[id^=tie-b]:not(#tie-bone)", "0.4"), "by a share")
    assert {tie["share"] for one in lattice(hand)["handles"] for tie in one["ties"]} == {0.4}
    hand.changed(lambda: hand.click("Undo"))
    hand.changed(lambda: hand.click("Take it off"))
    assert not hand.complaints()


def test_a_cage_is_laid_its_corner_dragged_one_added_and_removed(hand):
    hand.open_bench()
    hand.click("Warps")
    choose(hand, "coat")
    hand.choose("#warp-kind", "cage: an outline")
    until(lambda: "Lay it around coat" in hand.words(), "the card offers it")
    hand.changed(lambda: hand.click("Lay it around coat"), "it is laid")
    until(lambda: lattice(hand), "it is chosen")
    count = len(lattice(hand)["handles"])
    rest = np.array(hand.vertices())

    def corner(number):
        found = "const { warps, handles } = kunstgriff.bench; return [...handles.placeOf(warps.one.handles[arguments[0]].id)]"
        return hand.to_window(hand.script(found, number))

    start = corner(2)
    hand.changed(lambda: hand.drag(start, (start[0] - 30, start[1] + 8)), "the rest is reshaped")
    assert np.abs(np.array(hand.vertices())[: len(rest)] - rest[: len(hand.vertices())]).max() > 5
    hand.changed(lambda: hand.click("Add a corner after it"))
    assert len(lattice(hand)["handles"]) == count + 1
    hand.changed(lambda: hand.keys(Keys.DELETE), "the chosen corner goes")
    assert len(lattice(hand)["handles"]) == count
    hand.changed(lambda: hand.click("Take it off"))
    assert not hand.complaints()


def test_a_curve_is_drawn_along_the_art_widened_and_posed(hand):
    hand.open_bench()
    hand.click("Warps")
    choose(hand, "near ear")
    hand.choose("#warp-kind", "curve: a line along it")
    until(lambda: "Lay it along near ear" in hand.words(), "the card offers it")
    hand.click("Draw its line")
    root, tip = (hand.bone_place(name, along) for name, along in (("near ear", 0.0), ("near ear 3", 1.0)))
    hand.changed(lambda: hand.drag(root, tip), "it is laid along the stroke")
    until(lambda: lattice(hand), "it is chosen")
    assert lattice(hand)["kind"] == "curve"
    last = "const { warps, handles } = kunstgriff.bench; return [...handles.placeOf(warps.one.handles.at(-1).id)]"
    assert np.hypot(*np.subtract(hand.to_window(hand.script(last)), tip)) < 8
    hand.click_at(hand.to_window(hand.script(last)))
    until(lambda: "One handle" in hand.words(), "its last handle is chosen")
    hand.changed(lambda: hand.fill("#handle-width", "1.5"))
    assert lattice(hand)["handles"][-1]["width"] == 1.5
    hand.changed(lambda: hand.choose("#handle-rides", "forelock"))
    assert lattice(hand)["handles"][-1]["rides"]
    hand.changed(lambda: hand.fill("#curve-handles", "6"), "it has more handles")
    assert len(lattice(hand)["handles"]) == 6
    hand.click_at(hand.to_window(hand.script(last)))
    hand.keys("r")
    start = hand.to_window(hand.script(last))
    hand.drag(start, (start[0] - 40, start[1] + 20))
    channels = until(lambda: hand.script("return { ...kunstgriff.bench.posing.pose.channels }"), "posed")
    assert {name.split(".", 1)[1] for name in channels} == {"shift.x", "shift.y"}
    hand.keys("r")
    hand.changed(lambda: hand.click("Take it off"))
    assert not hand.complaints()


def test_tacks_are_proposed_set_renamed_and_told_what_they_hold(hand):
    hand.open_bench()
    hand.click("Warps")
    choose(hand, "scarf tail back")
    hand.choose("#warp-kind", "tacks: spots that hold it")
    hand.changed(lambda: hand.click("Propose tacks for scarf tail back"), "they are proposed")
    until(lambda: lattice(hand), "they are chosen")
    count = len(lattice(hand)["handles"])
    assert count >= 3
    hand.click("Set tacks")
    hand.changed(lambda: hand.click_at(hand.bone_place("scarf tail back 2")), "one more is set")
    assert len(lattice(hand)["handles"]) == count + 1
    hand.click("Drag handles")
    hand.click_at(hand.bone_place("scarf tail back 2"))
    until(lambda: "One handle" in hand.words(), "it is chosen")
    hand.changed(lambda: hand.fill("#tack-name", "middle"))
    hand.changed(lambda: hand.choose("#tack-carries", "its place and turn"))
    assert [lattice(hand)["handles"][-1][key] for key in ("name", "carries")] == ["middle", "turn"]
    hand.click("Stiffen")
    start = hand.bone_place("scarf tail back 2")
    hand.changed(lambda: hand.drag(start, (start[0] + 12, start[1] + 12)), "it is stiffer there")
    assert lattice(hand)["stiff"]
    hand.click("Drag handles")
    hand.click_at(hand.bone_place("scarf tail back 2"))
    hand.keys("r")
    hand.drag(start, (start[0] - 20, start[1]))
    until(
        lambda: [one for one in hand.words().split("\n") if "middle holds" in one and "holds 0.0" not in one],
        "it holds",
    )
    hand.keys("r")
    hand.changed(lambda: hand.click("Take it off"))
    assert not hand.complaints()
