"""The Artwork stage as a rigger uses it: what is wrong with the drawing, and mending it."""

from __future__ import annotations

import numpy as np
import pytest
from PIL import Image
from selenium.webdriver.common.keys import Keys

from kunstgriff.artwork.ora import read_ora
from kunstgriff.artwork.sheet import figure_from_sheet
from kunstgriff.delivery.frames import painter
from kunstgriff.evaluate.state import compile_rig
from kunstgriff.figure.model import Figure
from kunstgriff.figure.stores import MemoryStores
from kunstgriff.paint.painter import sheet_view
from tests.browser.hand import until
from tests.conftest import DEMO

SHIN = "near shin"


@pytest.fixture
def moth(hand):
    """The faulty sheet on the bench; whatever is done to it is undone again."""
    hand.open_bench(2)
    hand.click("Artwork")
    until(lambda: hand.findings(), "the findings are told")
    before = hand.state()
    yield hand
    while hand.state() != before:
        hand.changed(lambda: hand.click("Undo"))


def part(hand, name):
    return next(one for one in hand.state()["parts"] if one["name"] == name)


def middle(one):
    return [one["drawing"]["place"][axis] + one["drawing"]["size"][axis] / 2 for axis in (0, 1)]


def test_a_finding_is_looked_at_and_mended_by_its_button(moth):
    assert moth.find(".count").text.isdigit()
    sentence = next(one for one in moth.findings() if "near shin and near thigh overlap" in one)
    moth.remedy(sentence, "Look")
    assert moth.script("return document.querySelectorAll('.tile [aria-pressed=true]').length") == 2
    moth.changed(lambda: moth.remedy(sentence, "Make the cap"))
    until(lambda: sentence not in moth.findings(), "the finding is gone")
    hole = next(one for one in moth.findings() if "hole" in one)
    moth.changed(lambda: moth.remedy(hole, "It is meant so"))
    until(lambda: hole not in moth.findings(), "what is meant so is not told again")


def test_a_pivot_is_clicked_and_the_turn_tried_without_changing_anything(moth):
    moth.find(f'[aria-label="{SHIN}"]').click()
    moth.click("Pivot")
    shin = part(moth, SHIN)
    right = [shin["drawing"]["place"][0] + shin["drawing"]["size"][0] - 20, middle(shin)[1]]
    moth.changed(lambda: moth.click_at(moth.to_window(right)))
    assert part(moth, SHIN)["drawing"]["pivot"] == pytest.approx(right, abs=3)
    revision, rest = moth.revision(), moth.vertices()
    moth.click("Try the turn")
    start = moth.to_window([shin["drawing"]["place"][0] + 30, middle(shin)[1]])
    moth.press(start)
    moth.drag_on(start, (start[0] + 20, start[1] + 60))
    until(lambda: moth.vertices() != rest, "the part turns under the hand")
    moth.let_go()
    until(lambda: moth.vertices() == rest, "and falls back")
    assert moth.revision() == revision


def test_parts_are_moved_locked_tinted_merged_and_viewed_alone(moth):
    moth.find('[aria-label="spots"]').click()
    moth.click("Move")
    spots = part(moth, "spots")
    start = moth.to_window([spots["drawing"]["place"][0] + 20, middle(spots)[1]])
    moth.press(start)
    moth.changed(lambda: (moth.drag_on(start, (start[0] + 30, start[1] + 10)), moth.let_go()))
    assert part(moth, "spots")["drawing"]["place"][0] > spots["drawing"]["place"][0] + 30
    moth.changed(lambda: moth.keys(Keys.ARROW_RIGHT))
    moth.changed(lambda: moth.click("Lock"))
    moth.keys(Keys.ARROW_RIGHT)
    until(lambda: "is locked" in moth.words(), "a locked part says so")
    moth.changed(lambda: moth.click("Unlock"))
    moth.changed(lambda: moth.fill('[aria-label="Amount of tint"]', "0.5"))
    assert part(moth, "spots")["tint"]["amount"] == 0.5
    moth.click("View alone")
    painted = moth.script("const s = kunstgriff.engine.stage; return s.items.length")
    assert painted > 1
    moth.click("View alone")
    moth.chord(Keys.CONTROL, "a")
    assert "parts" in moth.find(".card-panel h2").text
    moth.find('[aria-label="tail tip"]').click()
    moth.script(
        "document.querySelector('[aria-label=\"tail root\"]').dispatchEvent(new MouseEvent('click', { bubbles: true, shiftKey: true }))"
    )
    moth.changed(lambda: moth.click("Merge"))
    assert "tail tip" not in moth.names("parts")


def test_ink_is_picked_on_the_picture_and_lifted_off(moth):
    moth.find('[aria-label="body"]').click()
    body = part(moth, "body")
    moth.click("Pick an ink")
    edge = [body["drawing"]["place"][0] + 4, middle(body)[1]]
    moth.changed(lambda: moth.click_at(moth.to_window(edge)))
    assert [ink["colour"] for ink in part(moth, "body")["drawing"]["inks"]] == ["#2b2a33"]
    moth.click("Ink lifted")
    until(
        lambda: moth.script("const s = kunstgriff.engine.stage; return s.instead && Object.keys(s.instead).length"),
        "the ink is off",
    )
    moth.click("Ink lifted")


def test_a_reference_picture_lies_under_or_over_the_work(moth, tmp_path):
    Image.fromarray(np.full((50, 40, 3), 120, np.uint8)).save(tmp_path / "photo.jpg")
    moth.changed(lambda: moth.find("#reference-file").send_keys(str(tmp_path / "photo.jpg")))
    assert moth.state()["reference"]["above"] is False
    moth.changed(lambda: moth.click("Lay it over"))
    assert moth.state()["reference"]["above"] is True
    (tmp_path / "bad.png").write_bytes(b"no picture")
    moth.find("#reference-file").send_keys(str(tmp_path / "bad.png"))
    until(lambda: "no PNG or JPEG" in moth.words(), "what is no picture is said")


def test_blended_parts_and_groups_are_painted_as_on_the_server(moth):
    moth.find('[aria-label="collar"]').click()
    moth.changed(lambda: moth.choose("#part-blend", "multiply"))
    moth.find('[aria-label="far thigh"]').click()
    moth.changed(lambda: moth.fill("#group-opacity", "0.5"))
    figure_from_sheet(read_ora(DEMO / "faulty.ora"), "moth", stores := MemoryStores())
    figure = Figure.model_validate(moth.state())
    rig, view = compile_rig(figure, stores), sheet_view(figure, (450, 450))
    server = painter().paint_premultiplied(rig, rig.evaluate(), view, stores).astype(int)
    off = np.abs(moth.painted((450, 450), view.scale, view.origin) - server)
    assert off.mean() < 1
    assert (off.max(2) > 8).mean() < 0.001


def test_an_svg_is_imported_at_twice_its_size_and_read_again_at_once(hand):
    hand.choose("#scale", "2 ×")
    hand.fill("#figure-name", "Moth by lamplight")
    hand.find("#art").send_keys(str(DEMO / "faulty.svg"))
    until(lambda: "/bench/" in hand.driver.current_url, "the drawing opens on the bench", 40)
    hand.wait_for_bench()
    assert (hand.state()["name"], hand.state()["sheet"]["width"]) == ("Moth by lamplight", 1800)
    assert part(hand, "body")["drawing"]["split"], "strokes and fills came apart"
    hand.click("Artwork")
    hand.choose("#sheet-scale", "1 ×")
    until(lambda: "/renewal/" in hand.driver.current_url, "the matches are shown", 40)
    hand.find('[name="take-over"]').click()
    hand.wait_for_bench()
    assert hand.state()["sheet"]["width"] == 900


def test_a_wrong_match_is_corrected_on_the_page(hand):
    hand.open_bench(2)
    hand.click("Artwork")
    before = hand.state()
    hand.find("#new-sheet").send_keys(str(DEMO / "faulty.ora"))
    until(lambda: "/renewal/" in hand.driver.current_url, "the matches are shown", 40)
    row = next(
        one for one in hand.driver.find_elements("css selector", ".matches tbody tr") if one.text.startswith("ribbon")
    )
    select = row.find_element("css selector", "select")
    next(one for one in select.find_elements("css selector", "option") if one.text == "a new part").click()
    hand.find('[name="take-over"]').click()
    hand.wait_for_bench()
    assert set(hand.names("parts")) - {one["name"] for one in before["parts"]} == {"ribbon 2"}
    hand.click("Artwork")
    hand.changed(lambda: hand.click("Undo"))
    assert hand.state() == before
