"""What a person does at the bench, for the tests and for the pictures in the docs."""

from __future__ import annotations

import base64
import contextlib
import shutil
import time
from collections.abc import Callable
from typing import Any

import numpy as np
from selenium import webdriver
from selenium.common.exceptions import ElementClickInterceptedException, StaleElementReferenceException
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

REPAINTS = ("Make the cap", "Fill the hole")  # words of remedies that ask first
NAME, PASSWORD = "pell", "lamplighter"
FLAGS = (
    "--headless=new", "--no-sandbox", "--disable-dev-shm-usage", "--disable-gpu", "--enable-unsafe-swiftshader",
    "--hide-scrollbars", "--force-color-profile=srgb", "--force-device-scale-factor=1", "--disable-background-networking",
    "--no-first-run", "--disable-component-update", "--disable-sync", "--disable-quic",
)  # fmt: skip


def chromium(width: int, height: int) -> webdriver.Chrome:
    options = webdriver.ChromeOptions()
    for flag in (*FLAGS, f"--window-size={width},{height}"):
        options.add_argument(flag)
    options.set_capability("goog:loggingPrefs", {"browser": "ALL"})
    driver = webdriver.Chrome(options=options, service=webdriver.ChromeService(shutil.which("chromedriver")))
    driver.set_window_size(width, 2 * height - driver.execute_script("return innerHeight"))
    driver.set_script_timeout(30)
    return driver


def until(condition: Callable[[], Any], what: str, seconds: float = 120) -> Any:
    """Wait until a condition holds and give its value; long, since only what fails waits so long."""
    deadline = time.monotonic() + seconds
    while time.monotonic() < deadline:
        value = condition()
        if value:
            return value
        time.sleep(0.05)
    raise AssertionError(f"waited {seconds:.0f} s in vain until {what}")


class Hand:
    def __init__(self, driver: webdriver.Chrome, url: str) -> None:
        self.driver = driver
        self.url = url

    def sign_in(self, name: str = NAME, password: str = PASSWORD) -> None:
        self.driver.get(f"{self.url}/figures/")
        if "sign-in" in self.driver.current_url:
            self.find("#id_username").send_keys(name)
            self.find("#id_password").send_keys(password, Keys.ENTER)
            until(lambda: self.driver.current_url.endswith("/figures/"), "the library opens")

    def find(self, selector: str) -> Any:
        return self.driver.find_element(By.CSS_SELECTOR, selector)

    def script(self, text: str, *values: Any) -> Any:
        return self.driver.execute_script(text, *values)

    def open_bench(self, figure_id: int | str = 1) -> None:
        page = f"{self.url}/bench/{figure_id}/"
        if not self.driver.current_url.startswith(self.url):  # a tab just opened
            self.driver.get(page)
        self.script("sessionStorage.clear()")
        self.driver.get(page)
        self.wait_for_bench()

    def wait_for_bench(self) -> None:
        ready = """const k = window.kunstgriff;
        return Boolean(k && k.scene.geometry && k.engine.live && k.engine.live.socket.readyState === 1
          && k.engine.stage.textures.size && ![...k.engine.stage.textures.values()].includes(null));"""
        until(lambda: self.script(ready), "the bench is painted")
        # the findings come a moment later, and fold where there are none: the sheet has its place from then on
        told = "return kunstgriff.bench.findings.found !== null"
        until(lambda: self.script(told), "the findings are told")

    def state(self) -> dict[str, Any]:
        """The figure document on the bench."""
        return self.script("return JSON.parse(JSON.stringify(kunstgriff.scene.figure))")

    def names(self, kind: str = "bones") -> list[str]:
        return [one["name"] for one in self.state()[kind]]

    def revision(self) -> str:
        """What the page has taken over; the sheet may show a newer state a moment before."""
        return self.script("return kunstgriff.bench.page.state.seen")

    def changed(self, act: Callable[[], Any], what: str = "the figure changes") -> None:
        """Do something that makes an edit, and wait until the bench shows it and its cards know of it."""
        before = self.revision()
        act()
        until(lambda: self.revision() != before, what)

    def button(self, word: str) -> Any:
        """The button that says a word, waited for a little; found in one look, since findings come and go meanwhile."""
        look = """return [...document.querySelectorAll('button')].find((one) => one.offsetParent
            && one.innerText.trim().split('\\n')[0].replace(/[0-9 ]+$/, '') === arguments[0]) || null;"""
        # a stage also tells how many findings are open
        return until(lambda: self.script(look, word), f"a button says “{word}”", 60)

    def click(self, word: str) -> None:
        """Click the button that says a word, again where the card was just filling and pushed it away."""

        def done() -> bool:
            with contextlib.suppress(ElementClickInterceptedException, StaleElementReferenceException):
                button = self.button(word)
                self.script("arguments[0].scrollIntoView({ block: 'nearest' })", button)
                button.click()
                return True
            return False

        until(done, f"“{word}” is clicked", 60)

    def keys(self, *keys: str) -> None:
        ActionChains(self.driver, duration=10).send_keys(*keys).perform()

    def chord(self, *keys: str) -> None:
        chain = ActionChains(self.driver, duration=10)
        for key in keys[:-1]:
            chain.key_down(key)
        chain.send_keys(keys[-1])
        for key in keys[:-1]:
            chain.key_up(key)
        chain.perform()

    def fill(self, selector: str, value: str) -> None:
        field = self.find(selector)
        field.send_keys(Keys.CONTROL, "a")  # as a person does; clear() would make a change of its own
        field.send_keys(value, Keys.TAB)

    def choose(self, selector: str, value: str) -> None:
        for option in self.find(selector).find_elements(By.TAG_NAME, "option"):
            if option.text.strip() == value:
                option.click()
                return
        raise AssertionError(f"{selector} has no choice “{value}”")

    def to_window(self, point: list[float]) -> tuple[int, int]:
        """Window place of a figure point."""
        x, y = self.script(
            """const box = document.getElementById('sheet').getBoundingClientRect();
            const p = kunstgriff.engine.camera.toScreen(...arguments[0]); return [p[0] + box.left, p[1] + box.top];""",
            list(point),
        )
        return round(x), round(y)

    def bone_place(self, name: str, along: float = 0.55) -> tuple[int, int]:
        """Window place of a spot along a bone as it is posed now."""
        point = self.script(
            """const { scene } = kunstgriff; const b = scene.figure.bones.find((one) => one.name === arguments[0]);
            const m = scene.matrices.subarray(scene.boneIndex[b.id] * 6, scene.boneIndex[b.id] * 6 + 6);
            const x = b.joint[0] + arguments[1] * (b.tip[0] - b.joint[0]), y = b.joint[1] + arguments[1] * (b.tip[1] - b.joint[1]);
            return [m[0] * x + m[2] * y + m[4], m[1] * x + m[3] * y + m[5]];""",
            name, along,
        )  # fmt: skip
        return self.to_window(point)

    def click_at(self, place: tuple[int, int]) -> None:
        chain = ActionChains(self.driver, duration=10)
        chain.w3c_actions.pointer_action.move_to_location(*place)
        chain.w3c_actions.pointer_action.pointer_down()
        chain.w3c_actions.pointer_action.pointer_up()
        chain.perform()

    def drag(self, start: tuple[int, int], stop: tuple[int, int], steps: int = 6, release: bool = True) -> None:
        chain = ActionChains(self.driver, duration=15)
        pointer = chain.w3c_actions.pointer_action
        pointer.move_to_location(*start)
        pointer.pointer_down()
        for step in range(1, steps + 1):
            share = step / steps
            pointer.move_to_location(
                round(start[0] + share * (stop[0] - start[0])), round(start[1] + share * (stop[1] - start[1]))
            )
        if release:
            pointer.pointer_up()
        chain.perform()

    def press(self, place: tuple[int, int]) -> None:
        """Press the button and hold it, long enough for the bench to see what lies there."""
        chain = ActionChains(self.driver, duration=15)
        chain.w3c_actions.pointer_action.move_to_location(*place)
        chain.w3c_actions.pointer_action.pointer_down()
        chain.perform()
        time.sleep(0.6)

    def drag_on(self, start: tuple[int, int], stop: tuple[int, int], steps: int = 5) -> None:
        """Move the pointer on with the button held."""
        chain = ActionChains(self.driver, duration=15)
        for step in range(1, steps + 1):
            share = step / steps
            chain.w3c_actions.pointer_action.move_to_location(
                round(start[0] + share * (stop[0] - start[0])), round(start[1] + share * (stop[1] - start[1]))
            )
        chain.perform()

    def findings(self) -> list[str]:
        """The sentences of what still needs a look."""
        return self.script(
            "return [...document.querySelectorAll('.finding:not(.told) > span')].map((one) => one.textContent)"
        )

    def remedy(self, sentence: str, word: str) -> None:
        """Press a button of a finding."""
        button = self.script(
            """const finding = [...document.querySelectorAll('.finding')].find((one) => one.textContent.includes(arguments[0]));
            const button = finding && [...finding.querySelectorAll('button')].find((one) => one.textContent === arguments[1]);
            if (button) button.scrollIntoView({ block: 'center' });
            return button || null;""",
            sentence, word,
        )  # fmt: skip
        if button is not None:
            button.click()
            if word in REPAINTS:  # what would be repainted is shown first
                until(
                    lambda: self.script("return document.querySelectorAll('.preview-tile').length") == 3, "it is shown"
                )
                self.click("Do it")
            return
        raise AssertionError(f"“{sentence}” has no button “{word}”")

    def painted(self, size: tuple[int, int], scale: float, origin: tuple[float, float]) -> np.ndarray:
        """Premultiplied pixels (h, w, 4) the bench's stage paints of a view."""
        encoded = self.script(
            """const p = kunstgriff.engine.stage.read(...arguments); let s = '';
            for (let k = 0; k < p.length; k += 8192) s += String.fromCharCode(...p.subarray(k, k + 8192)); return btoa(s);""",
            *size, scale, list(origin),
        )  # fmt: skip
        return np.frombuffer(base64.b64decode(encoded), np.uint8).reshape(size[1], size[0], 4).astype(int)

    def by_turns(self) -> None:
        """Let all limbs go by turns in the pose on the sheet, as if nothing reached."""
        self.script(
            "const { bench } = kunstgriff; bench.reaches.all.forEach(({ id }) => bench.posing.setChannels(id, { share: 0 }))"
        )

    def let_go(self) -> None:
        chain = ActionChains(self.driver, duration=10)
        chain.w3c_actions.pointer_action.pointer_up()
        chain.perform()

    def vertices(self) -> list[float]:
        return self.script("return [...kunstgriff.scene.vertices]")

    def words(self) -> str:
        """Everything the page says now."""
        return str(self.script("return document.body.innerText"))  # WebDriver's own looks at each element by itself

    def complaints(self) -> list[str]:
        """What the browser's console held against the page, and words on it that no person wrote."""
        harmless = (
            "GPU stall",
            "favicon",
            "409 (Conflict)",
            "503",
            "ERR_CONNECTION_REFUSED",
            "WebSocket connection",
            "400 (Bad",
        )
        slips = [word for word in ("undefined", "NaN", "[object") if word in self.words()]
        return slips + [
            entry["message"] for entry in self.driver.get_log("browser")
            if entry["level"] == "SEVERE" and not any(word in entry["message"] for word in harmless)
        ]  # fmt: skip
