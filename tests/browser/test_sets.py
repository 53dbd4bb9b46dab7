"""Sets and parts posed by themselves, by hand: swapped, dragged, added to by a picture."""

from __future__ import annotations

import io

import numpy as np
from PIL import Image
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.keys import Keys

from tests.browser.hand import until


def shown(hand) -> set[str]:
    """The names of all parts that are painted now."""
    return set(hand.script(
        """const { engine, scene } = kunstgriff;
        const seen = engine.stage.listed().filter((one) => engine.stage.opacityOf(one) > 0).map((one) => one.part);
        return scene.figure.parts.filter((one) => seen.includes(one.id)).map((one) => one.name);"""
    ))  # fmt: skip


def pose(hand) -> dict[str, float]:
    return hand.script("return { ...kunstgriff.bench.posing.pose.channels }")


def chosen(hand, part):
    return next(one for one in hand.state()["parts"] if one["name"] == part)


def middle(hand, part) -> list[float]:
    """A spot in the middle of a part's art as it is shown: in that of its triangles nearest to the mean of its mesh."""
    return hand.script(
        """const { scene, engine } = kunstgriff; const { indices } = scene.geometry;
        const item = engine.stage.items.find((one) => one.part === arguments[0] && one.variant === 'full');
        const spots = [];
        for (let k = item.first; k < item.first + item.count; k += 3)
            spots.push([0, 1].map((axis) => [0, 1, 2].reduce((sum, c) => sum + scene.vertices[2 * indices[k + c] + axis] / 3, 0)));
        const mean = [0, 1].map((axis) => spots.reduce((sum, one) => sum + one[axis] / spots.length, 0));
        const away = (one) => Math.hypot(one[0] - mean[0], one[1] - mean[1]);
        return spots.reduce((best, one) => (away(one) < away(best) ? one : best));""",
        chosen(hand, part)["id"],
    )  # fmt: skip


def test_a_drawing_is_swapped_at_rest_and_posed_and_the_art_dragged_moves_what_the_hint_says(hand):
    hand.open_bench()
    hand.click("Binding")
    hand.find('[aria-label="mouth smile"]').click()
    assert "mouth smile" in shown(hand)
    assert "mouth open" not in shown(hand)
    hand.keys("d")
    until(lambda: "mouth open" in shown(hand) and "mouth smile" not in shown(hand), "the next drawing shows at rest")
    revision = hand.revision()
    hand.keys("r")
    until(lambda: hand.script("return Boolean(kunstgriff.engine.carried)"), "the server tells how it is carried")
    assert "mouth open" in shown(hand)
    assert "Dragging the art moves mouth open" in hand.words()
    before = middle(hand, "mouth open")
    start = hand.to_window(before)
    hand.drag(start, (start[0] + 12, start[1] + 8))
    until(lambda: abs(middle(hand, "mouth open")[0] - before[0]) > 20, "the mouth is moved")
    now, scale = middle(hand, "mouth open"), hand.script("return kunstgriff.engine.camera.scale")
    assert abs((now[0] - before[0]) * scale - 12) < 1.5, "as far as the pointer"
    assert abs((now[1] - before[1]) * scale - 8) < 1.5
    hand.keys("e")
    until(lambda: "moves the group mouth" in hand.words(), "E goes on to its group")
    hand.fill("#placed-size\\.x", "1.5")
    until(lambda: any(name.endswith("size.x") and value == 1.5 for name, value in pose(hand).items()), "it is wider")
    hand.find("#sheet").click()
    hand.find('[aria-label="mouth open"]').click()
    hand.keys("e")
    until(lambda: "turns its bone head" in hand.words(), "and then to its bone")
    assert hand.revision() == revision, "posing is no edit"
    hand.keys("0")
    until(lambda: not pose(hand), "all is at rest")
    until(lambda: "mouth smile" in shown(hand), "the first drawing shows at rest")
    hand.keys("r", Keys.ESCAPE)


def test_a_part_under_shift_is_turned_about_its_pivot_however_its_bone_is_turned(hand):
    hand.open_bench()
    hand.click("Binding")
    hand.keys("r")
    bone = next(one["id"] for one in hand.state()["bones"] if one["name"] == "head")
    hand.script("kunstgriff.bench.posing.poseTurn(arguments[0], 30)", bone)
    hand.find('[aria-label="mouth smile"]').click()
    until(lambda: hand.script("return Boolean(kunstgriff.engine.carried)"), "the server tells how it is carried")
    x, y = hand.to_window(middle(hand, "mouth smile"))
    ActionChains(hand.driver).key_down(Keys.SHIFT).perform()
    hand.drag((x + 5, y), (x - 1, y + 18))
    ActionChains(hand.driver).key_up(Keys.SHIFT).perform()
    part = chosen(hand, "mouth smile")["id"]
    until(lambda: abs(pose(hand).get(f"{part}.turn", 0)) > 20, "it is turned")
    hand.keys("0", "r", Keys.ESCAPE)


def test_a_picture_dropped_on_a_set_becomes_its_drawing_and_is_set_up_like_the_others(hand, tmp_path):
    hand.open_bench()
    hand.click("Binding")
    hand.find('[aria-label="mouth smile"]').click()
    painted = np.zeros((40, 80, 4), np.uint8)
    painted[5:35, 10:70] = (120, 30, 30, 255)
    picture = tmp_path / "mouth whistling.png"
    Image.fromarray(painted).save(picture)
    hand.changed(lambda: hand.find("#new-drawing").send_keys(str(picture)), "the drawing is added")
    part = chosen(hand, "mouth whistling")
    assert part["drawing"]["size"] == [60, 30]
    assert "mouth whistling" not in shown(hand)
    assert chosen(hand, "mouth whistling")["binding"] == chosen(hand, "mouth smile")["binding"]
    until(lambda: hand.script("return document.querySelectorAll('.drawing').length") == 4, "four drawings are shown")
    hand.script("document.querySelectorAll('.drawing')[3].click()")
    until(lambda: "mouth whistling" in shown(hand), "it shows when it is chosen")
    nothing = tmp_path / "nothing.png"
    buffer = io.BytesIO()
    Image.new("RGBA", (20, 20)).save(buffer, "PNG")
    nothing.write_bytes(buffer.getvalue())
    hand.find("#new-drawing").send_keys(str(nothing))
    until(lambda: "Nothing is painted on this picture" in hand.words(), "an empty picture is refused")
    words = tmp_path / "words.png"
    words.write_text("no picture at all")
    hand.find("#new-drawing").send_keys(str(words))
    until(lambda: "no PNG or JPEG picture" in hand.words(), "what is no picture is refused")
    hand.changed(lambda: hand.click("Undo"), "undone")
    assert "mouth whistling" not in hand.names("parts")


def test_chosen_parts_are_made_a_set_that_grows_by_an_svg_and_it_is_dissolved_again(hand, tmp_path):
    hand.open_bench()
    hand.click("Binding")
    hand.find('[aria-label="eye white"]').click()
    ActionChains(hand.driver).key_down(Keys.SHIFT).click(hand.find('[aria-label="brow"]')).key_up(Keys.SHIFT).perform()
    hand.changed(lambda: hand.click("Make them a set"), "they are a set")
    assert [len(group["drawings"]) for group in hand.state()["groups"] if group["drawings"]] == [3, 2, 2, 2]
    assert "brow" not in shown(hand)
    picture = tmp_path / "eye shut.svg"
    picture.write_text(
        '<svg xmlns="http://www.w3.org/2000/svg" width="60" height="20"><ellipse cx="30" cy="10" rx="26" ry="6"/></svg>'
    )
    hand.changed(
        lambda: hand.find("#new-drawing").send_keys(str(picture)), "both are chosen still, and a third is added"
    )
    assert hand.script("return kunstgriff.bench.sets.rows.map(({ name }) => name)")[2] == "eye shut"
    hand.changed(lambda: hand.click("Undo"), "undone")
    hand.find('[aria-label="eye white"]').click()
    hand.changed(lambda: hand.click("No set any more"), "it is none any more")
    for _ in range(2):
        hand.changed(lambda: hand.click("Undo"), "undone")
    assert "brow" in shown(hand)
    hand.keys(Keys.ESCAPE)
