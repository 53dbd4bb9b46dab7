"""Take the pictures in docs/screenshots anew, from the demo: ./run shots"""

from __future__ import annotations

import shutil
import tempfile
import time
from pathlib import Path

from selenium.webdriver.common.keys import Keys

from kunstgriff.delivery.deliver import DeliveryOrder, deliver
from kunstgriff.figure.archive import read_archive
from kunstgriff.stages import install
from kunstgriff.trial.motion import motion_named
from studio.launch.mariadb import free_port
from tests.browser.conftest import ROOT, Studio
from tests.browser.hand import Hand, chromium, until

TARGET = ROOT / "docs" / "screenshots"


def main() -> None:
    install()
    folder = Path(tempfile.mkdtemp())
    studio = Studio(folder, free_port())
    driver = chromium(1280, 800)
    hand = Hand(driver, studio.url)
    try:
        hand.sign_in()
        save(hand, "library")
        hand.open_bench()
        hand.click("Artwork")
        hand.find('[aria-label="satchel"]').click()
        until(lambda: "on 100 % of the edge" in hand.words(), "the part is read")
        save(hand, "artwork")
        hand.open_bench()
        hand.click("Bones")
        hand.click_at(hand.bone_place("near arm"))
        save(hand, "bench-at-rest")
        hand.click("Binding")
        hand.find('[aria-label="coat"]').click()
        until(lambda: driver.find_elements("css selector", ".influence-row .name-button"), "the influences are listed")
        driver.find_elements("css selector", ".influence-row .name-button")[1].click()
        hand.click("Brush")
        hand.press(hand.to_window([40, -1120]))
        hand.drag_on(hand.to_window([40, -1120]), hand.to_window([230, -1160]))
        save(hand, "weights-by-hand", wait=1.0)
        hand.changed(hand.let_go)
        hand.changed(lambda: hand.click("Undo"))
        hand.keys(Keys.ESCAPE, Keys.ESCAPE)
        hand.click("Weights")
        hand.click_at(hand.bone_place("near ear 2"))
        until(lambda: hand.script("return document.querySelectorAll('.fan-tile').length") == 9, "the fan is painted")
        save(hand, "bend-fan", wait=1.5)
        hand.keys("r")
        hand.keys("s")
        for bone, way in (
            ("near forearm", (70, -30)),
            ("head", (20, 4)),
            ("near ear", (-40, 8)),
            ("near ear 2", (-26, 18)),
        ):
            start = hand.bone_place(bone, 0.7)
            hand.drag(start, (start[0] + way[0], start[1] + way[1]))
        hand.keys(Keys.ESCAPE)
        hand.find('[aria-label="near ear"]').click()
        hand.driver.execute_script(
            "document.querySelector('[aria-label=\"coat\"]').dispatchEvent(new MouseEvent('click', { bubbles: true, shiftKey: true }))"
        )
        hand.click("Weights")
        hand.click("Mesh")
        hand.click("Weights")
        hand.click("Mesh")
        hand.find('[aria-label="mouth smile"]').click()
        hand.keys("d")
        look_at(hand, 330, -1640, 0.42)
        hand.keys("f", "0", "r", Keys.ESCAPE)
        warped_head(hand)
        hand.click("Seams")
        hand.click_at(hand.bone_place("near forearm"))
        until(lambda: "joints read," in hand.words(), "every seam is read", 120)
        until(lambda: "nothing shows" in hand.words(), "the ways are tried", 60)
        hand.find('.way[aria-label^="As drawn"]').click()
        save(hand, "seams", wait=4)
        hand.click("back to the parts")
        hand.keys(Keys.ESCAPE)
        hemmed_skirt(hand)
        hand.open_bench(3)
        hand.click("Seams")
        until(lambda: "joints read," in hand.words(), "every seam is read", 60)
        hand.click_at(hand.bone_place("near leg 2"))
        until(lambda: "back to the parts" in hand.find(".tray").text, "its pictures are there", 60)
        hand.click("back to the parts")
        hand.click("Show it on the sheet")
        until(lambda: "are not painted" in hand.words(), "the void is told")

        look_at(hand, 5, -345, 2.2)
        save(hand, "void-map", wait=1.5)
        hand.keys(Keys.ESCAPE)
        hand.open_bench()
        hand.click("Follow-through")
        hand.click_at(hand.bone_place("near ear"))
        hand.click("silk")
        until(lambda: "Would: settles in" in hand.words(), "the curve of silk is drawn")
        hand.find("#way-drawn").click()
        hand.script("kunstgriff.bench.playing.playSwing()")
        until(lambda: "frame 3" in hand.script("return kunstgriff.bench.playing.frameWords"), "the swing is on its way")
        hand.script("kunstgriff.bench.playing.speed = 0.01")
        hand.script("document.querySelector('.swing-curve').scrollIntoView({ block: 'center' })")
        save(hand, "follow-through", wait=0.5)
        hand.script("kunstgriff.bench.playing.speed = 1")
        hand.click("Trial")
        until(lambda: hand.script("return kunstgriff.bench.strip.rows.length") > 3, "the strip is there")
        hand.script("kunstgriff.bench.selection.pickNothing(); kunstgriff.bench.strip.goTo(16)")
        save(hand, "trial", wait=1.5)
        walking_kettle(hand)
        proved_lady(hand, folder)
        hand.open_bench()
        hand.click("Delivery")
        listed_deliveries(hand)
        shown_walk(hand, folder)
        reaching_legs(hand)
        turned_owl(hand)
    finally:
        driver.quit()
        studio.stop()
        shutil.rmtree(folder, ignore_errors=True)


def listed_deliveries(hand: Hand) -> None:
    """A delivery list that was made, and what was made of it."""
    hand.script("kunstgriff.bench.playing.motionName = 'walks the street'")
    hand.script("Object.assign(kunstgriff.bench.deliveries.deliverySize, { width: 480, height: 720 })")
    for word in ("webm", "show.html", "glb"):
        hand.script("kunstgriff.bench.lists.add(arguments[0])", word)
    hand.fill("#list-name", "for the game")
    hand.script("kunstgriff.bench.deliveries.order('png')")
    hand.click("Make all of it")
    until(lambda: hand.words().count("done,") >= 2, "the list is made", 120)
    hand.script("document.querySelector('#list-chosen').closest('section').scrollIntoView()")
    save(hand, "delivery", wait=0.4)


def shown_walk(hand: Hand, folder: Path) -> None:
    """The show page of the walk, on a frame with ghosts of those beside it."""
    figure, stores = read_archive(ROOT / "demo" / "pell.zip")
    deliver(folder / "walk.show.html", DeliveryOrder(figure, stores, motion=motion_named(figure, "walks the street")))
    hand.driver.get(f"file://{folder / 'walk.show.html'}")
    shown = "return Number(document.getElementById('sheet').dataset.frame)"
    until(lambda: hand.script(shown) > 1, "it plays")
    hand.script(
        "document.getElementById('ghosts').click(); const strip = document.getElementById('strip');"
        "strip.value = 9; strip.dispatchEvent(new Event('input'))"
    )
    save(hand, "show-page", wait=1.0)


def walking_kettle(hand: Hand) -> None:
    """Legs that step over cobbles, with ghosts, and the curves of a walk."""
    hand.open_bench(6)
    hand.click("Trial")
    until(lambda: hand.script("return kunstgriff.bench.strip.rows.length") > 3, "the strip is there")
    hand.script("kunstgriff.bench.selection.pickNothing(); kunstgriff.bench.strip.goTo(46)")
    hand.find("#ghosts-shown").click()
    until(lambda: hand.script("return Boolean(kunstgriff.engine.ghosts)"), "ghosts show", 30)
    hand.script(
        "[...document.querySelectorAll('h3')].find((one) => one.textContent === 'Legs that step').scrollIntoView()"
    )
    save(hand, "stepper", wait=1.5)
    hand.open_bench(4)
    hand.click("Trial")
    until(lambda: hand.script("return kunstgriff.bench.strip.rows.length") > 3, "the strip is there")
    hand.script("kunstgriff.bench.selection.pickNothing(); kunstgriff.bench.strip.goTo(9)")
    hand.find("#curves-shown").click()
    until(lambda: hand.script("return Boolean(kunstgriff.bench.curves.data)"), "curves show", 30)
    save(hand, "curves", wait=1.5)


def proved_lady(hand: Hand, folder: Path) -> None:
    """The report that a supervisor signs."""
    figure, stores = read_archive(ROOT / "demo" / "tallow.zip")
    deliver(folder / "lady.proof.html", DeliveryOrder(figure, stores))
    hand.driver.get((folder / "lady.proof.html").as_uri())
    save(hand, "range-sheet")


def warped_head(hand: Hand) -> None:
    """The lattice around the face and the curves in it, two handles dragged on the posed side."""
    hand.click("Warps")
    hand.script("const { warps } = kunstgriff.bench; warps.choose(warps.all.find((one) => one.name === 'face').id)")
    hand.choose("#warps-shown", "all")
    hand.script("document.activeElement.blur()")
    hand.keys("r")
    look_at(hand, 330, -1640, 0.42)
    for number, by in ((5, (14, 4)), (6, (12, 2)), (9, (16, 2)), (10, (14, 4))):
        place = "const { warps, handles } = kunstgriff.bench; return [...handles.placeOf(warps.one.handles[arguments[0]].id)]"
        start = hand.to_window(hand.script(place, number))
        hand.drag(start, (start[0] + by[0], start[1] + by[1]))
    save(hand, "warps", wait=1.2)
    hand.choose("#warps-shown", "the chosen one")
    hand.script("document.activeElement.blur()")
    hand.keys("f", "0", "r")
    hand.keys(Keys.ESCAPE)


def reaching_legs(hand: Hand) -> None:
    """Both legs and the lamp arm on goals, the hips let down and a foot raised by its ring."""
    hand.open_bench()
    hand.click("Controls")
    chosen = (
        "const { slip, reaches } = kunstgriff.bench; slip.choose({ kind: 'reach', id: reaches.all[arguments[0]].id })"
    )
    hand.script(chosen, 0)
    hand.click("Reach map")
    until(lambda: hand.script("return kunstgriff.bench.reachMap.shown"), "the map is there")
    save(hand, "reach-map", wait=1.2)
    hand.click("Reach map")
    hand.click("Drag controls")
    ring = hand.to_window(hand.script("return [...kunstgriff.bench.reaches.placeOf(kunstgriff.bench.reaches.one)]"))
    hand.drag(ring, (ring[0] + 62, ring[1] - 34))
    hand.script(
        """const { bench } = kunstgriff, hips = bench.page.figure.bones.find((one) => one.name === 'hips');
        bench.posing.setChannels(hips.id, { 'move.y': 70 });
        for (const [name, to] of [['gaze', { x: 0.9, y: -0.8 }], ['ears', { y: -0.45 }], ['mouth', { y: 1 }]])
          bench.levers.move(bench.levers.all.find((one) => one.name === name), to);"""
    )  # fmt: skip
    save(hand, "controls", wait=5)  # the first frame with everything posed takes its time


def turned_owl(hand: Hand) -> None:
    """Soot from half in front, and all his sides side by side."""
    hand.open_bench(5)
    hand.click("Controls")
    hand.script("kunstgriff.bench.facings.turnTo(2)")
    until(lambda: hand.script("return kunstgriff.bench.facings.shown") == 2, "he has turned")
    hand.click("Turnaround sheet")
    until(lambda: hand.script("return document.querySelector('.turnaround img').naturalWidth") > 800, "it is painted")
    save(hand, "turnaround", wait=1.0)
    hand.click("Close")


def hemmed_skirt(hand: Hand) -> None:
    """Dame Tallow in a wide step, her skirt read over all turns of both legs."""
    hand.open_bench(4)
    hand.click("Warps")
    hand.find('[aria-label="skirt near"]').click()
    hand.script(
        "const { warps } = kunstgriff.bench; warps.choose(warps.all.find((one) => one.name === 'skirt near').id)"
    )
    hand.click("Read it")
    until(lambda: "px for a px of a knee" in hand.words(), "the hem is read", 60)
    hand.script(
        "const { hems } = kunstgriff.bench; hems.show(hems.cellsOf(hems.read)[13 * 10 + 2]);"
        "kunstgriff.bench.handles.ids = [];"
    )
    hand.script("[...document.querySelectorAll('.hem-grid')].at(-1).scrollIntoView({ block: 'center' })")
    save(hand, "hem", wait=1.5)


def look_at(hand: Hand, x: float, y: float, scale: float) -> None:
    """Bring a figure point to the middle of the window."""
    hand.script("Object.assign(kunstgriff.engine.camera, { fitted: null, x: arguments[0], y: arguments[1], scale: arguments[2] }); dispatchEvent(new Event('resize'))", x, y, scale)  # fmt: skip


def save(hand: Hand, name: str, wait: float = 0.8) -> None:
    time.sleep(wait)
    hand.driver.save_screenshot(str(TARGET / f"{name}.png"))


if __name__ == "__main__":
    main()
