"""Deliveries as whoever gets them sees them, and lists of them as a person puts them together."""

from __future__ import annotations

import base64
import io

import numpy as np
import pytest
from PIL import Image

from kunstgriff.artwork.sheet import no_progress
from kunstgriff.delivery.deliver import DeliveryOrder, deliver
from kunstgriff.delivery.frames import filmed
from kunstgriff.trial.motion import motion_named
from tests.art import edited, two_piece_arm
from tests.browser.hand import until

SIMMER = 6  # of the figures of the demo


@pytest.fixture(scope="module")
def waver():
    figure, stores = two_piece_arm()
    keys = [{"kind": "set_keys", "motion": "waves", "at": at, "pose": {"arm 2.turn": by}} for at, by in ((0, 0), (8, 70), (20, 70), (29, 0))]  # fmt: skip
    makes = [{"kind": "make_motion", "name": name, "frames": 30} for name in ("waves", "stands </script> still")]
    return edited(figure, stores, *makes, *keys), stores


def test_a_show_page_plays_from_disk_without_a_network_and_is_scrubbed_to_the_very_frames(hand, waver, tmp_path):
    figure, stores = waver
    deliver(tmp_path / "waver.show.html", DeliveryOrder(figure, stores, size=(160, 120)))
    driver = hand.driver
    driver.execute_cdp_cmd("Network.enable", {})
    driver.execute_cdp_cmd("Network.emulateNetworkConditions", {"offline": True, "latency": 0, "downloadThroughput": 0, "uploadThroughput": 0})  # fmt: skip
    try:
        driver.get(f"file://{tmp_path / 'waver.show.html'}")
        shown = "return Number(document.getElementById('sheet').dataset.frame)"
        first = until(lambda: hand.script(shown), "it plays by itself")
        until(lambda: hand.script(shown) != first, "it plays on")
        painted = list(filmed(figure, stores, (160, 120), no_progress, motion_named(figure, "waves")).pictures)
        for frame in (4, 15, 28):  # in the middle of them the arm stands still, and frames alike are one picture
            hand.script(
                "const strip = document.getElementById('strip'); strip.value = arguments[0]; strip.dispatchEvent(new Event('input'))", frame
            )  # fmt: skip
            until(lambda frame=frame: hand.script(shown) == frame, "it is scrubbed")
            data = hand.script("return document.getElementById('sheet').toDataURL('image/png')").split(",")[1]
            seen = np.asarray(Image.open(io.BytesIO(base64.b64decode(data))).convert("RGBA")).astype(int)
            assert seen.shape == painted[frame].shape
            assert np.abs(seen[..., 3] - painted[frame][..., 3]).mean() < 1.5
            apart = [np.abs(seen[..., 3] - one[..., 3].astype(int)).mean() for one in painted]
            assert apart[frame] == min(apart), "this frame, and no other"
        hand.script("const one = document.getElementById('motion'); one.selectedIndex = 1; one.dispatchEvent(new Event('change'))")  # fmt: skip
        until(lambda: hand.script("return document.getElementById('strip').max") == "29", "another motion is chosen")
        assert not hand.complaints()
    finally:
        driver.execute_cdp_cmd("Network.emulateNetworkConditions", {"offline": False, "latency": 0, "downloadThroughput": -1, "uploadThroughput": -1})  # fmt: skip


def test_a_list_is_put_together_saved_and_made_again(hand):
    hand.open_bench(SIMMER)
    hand.click("Delivery")
    for number in (0, 6):
        hand.script("document.querySelectorAll('[aria-label^=\"Put \"]')[arguments[0]].click()", number)
    hand.click("Make all of it")
    until(lambda: "Give the list a name" in hand.words(), "it wants a name")
    hand.fill("#list-name", "for the supervisor")
    hand.fill("#listed-0", "{figure}-at-rest.png")
    hand.click("Save the list")
    until(lambda: hand.script("return kunstgriff.bench.lists.asSaved"), "it is saved")
    hand.open_bench(SIMMER)
    hand.click("Delivery")
    until(lambda: hand.script("return kunstgriff.bench.lists.saved.length") == 1, "it is there again")
    hand.choose("#list-chosen", "for the supervisor")
    hand.click("Make all of it")
    job = "return kunstgriff.bench.deliveries.jobs[0]"
    until(lambda: (hand.script(job) or {}).get("over"), "it is made")
    assert hand.script(job)["state"] == "done"
    assert hand.script(job)["sentence"].startswith("2 files")
    hand.click("Delete the list")
    until(lambda: hand.script("return kunstgriff.bench.lists.saved.length") == 0, "it is gone")
    assert not [one for one in hand.complaints() if "400" not in one]
