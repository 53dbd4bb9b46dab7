"""Motions as a person makes them: keys that come by themselves, the strip scrubbed, played round and round."""

from __future__ import annotations

import pytest
from selenium.webdriver.common.keys import Keys

from kunstgriff.trial.keys import EASES, eased_by
from tests.browser.hand import until
from tests.core.test_film import animated
from tests.core.test_sound import clicks

TALLOW, SOOT = 4, 5  # of the figures of the demo


def tracks(hand):
    """Of the motion worked on: by the words of its channels the frames, values and ways of their keys."""
    return hand.script(
        """const { bench } = kunstgriff, name = (channel) => bench.page.boneName(channel.split('.')[0]);
        return Object.fromEntries(bench.motions.one.tracks.map(({ channel, at, values, ways }) =>
            [`${name(channel)} ${channel.split('.').slice(1).join('.')}`, [at, values, ways]]));"""
    )


def go_to(hand, frame):
    hand.script("kunstgriff.bench.strip.goTo(arguments[0])", frame)
    until(lambda: hand.script("return kunstgriff.bench.strip.frame") == frame, "the frame is gone to")


def posed(hand, name, degrees):
    """A bone turned, and the keys that come of it."""
    ref = hand.script("return kunstgriff.bench.page.figure.bones.find((one) => one.name === arguments[0]).id", name)
    hand.changed(lambda: hand.script("kunstgriff.bench.posing.poseTurn(arguments[0], arguments[1])", ref, degrees))
    return ref


def test_a_motion_is_made_by_posing_on_frames_scrubbed_eased_and_played_round(hand):
    hand.open_bench(TALLOW)
    hand.click("Trial")
    hand.fill("#new-motion", "nod")
    hand.changed(lambda: hand.click("Make a motion"), "a motion is made")
    until(
        lambda: hand.script("return kunstgriff.bench.motions.one && kunstgriff.bench.motions.one.name") == "nod",
        "it is chosen",
    )
    bone = hand.script("return kunstgriff.bench.page.figure.bones.at(-1).name")
    go_to(hand, 12)
    ref = posed(hand, bone, 20)
    until(lambda: tracks(hand).get(f"{bone} turn", [[]])[0] == [0, 12], "it goes there from where it was")
    go_to(hand, 30)
    posed(hand, bone, -10)
    until(lambda: tracks(hand)[f"{bone} turn"][:2] == [[0, 12, 30], [0, 20, -10]], "another key")
    box = hand.find(".times .frames").rect
    hand.drag((box["x"] + 2, box["y"] + 8), (box["x"] + box["width"] * 12 / 48, box["y"] + 8))
    until(lambda: hand.script("return kunstgriff.bench.strip.frame") == 12, "the strip is scrubbed")
    until(
        lambda: hand.script("return kunstgriff.bench.posing.turnOf(arguments[0])", ref) == 20,
        "the sheet shows that frame",
    )
    hand.find(f'[aria-label="{bone}: turn, key on frame 12, smooth"]').click()
    hand.changed(lambda: hand.choose("#key-way", "ease"), "how it goes on is said")
    assert tracks(hand)[f"{bone} turn"][2] == ["smooth", "ease", "smooth"]
    hand.find(f'[aria-label="{bone}: turn, key on frame 12, ease"]').click()
    hand.changed(lambda: hand.keys(Keys.ARROW_RIGHT), "the key goes a frame later")
    assert tracks(hand)[f"{bone} turn"][0] == [0, 13, 30]
    hand.changed(lambda: hand.click("Undo"))
    assert tracks(hand)[f"{bone} turn"][0] == [0, 12, 30]
    hand.changed(lambda: hand.find("#motion-loop").click(), "it is a loop")
    hand.click("Play it")
    until(lambda: hand.script("return kunstgriff.engine.swing && kunstgriff.engine.swing.clock > 8"), "it plays")
    until(lambda: "Stop" in hand.words(), "it can be stopped")
    hand.click("Stop")
    hand.click("Delivery")
    assert "nod" in hand.words()
    assert not hand.complaints()


def test_feet_are_read_looked_at_and_planted(hand):
    hand.open_bench(TALLOW)
    hand.click("Trial")
    hand.changed(lambda: hand.click("Make a motion"), "a motion is made")
    until(lambda: hand.script("return Boolean(kunstgriff.bench.motions.one)"), "it is there")
    motion, foot = hand.script(
        "const { bench } = kunstgriff; return [bench.motions.one.id, bench.page.figure.reaches.find((one) => one.name === 'near foot').id]"
    )
    for frame, x in ((0, 0), (24, 60)):
        edit = {"kind": "set_keys", "motion": motion, "at": frame, "pose": {f"{foot}.goal.x": x}, "way": "linear"}
        hand.changed(lambda edit=edit: hand.script("kunstgriff.bench.history.edit(arguments[0])", edit))
    hand.click("Read the feet")
    sentence = "“near foot” slides 2.5 px a frame, frames 1 to 24."
    until(lambda: sentence in hand.words(), "it is told that it slides")
    hand.click(sentence)
    until(lambda: hand.script("return kunstgriff.bench.strip.frame") == 1, "it is looked at")
    hand.choose("#planted-foot", "near foot")
    for field, value in (("#plant-first", "0"), ("#plant-last", "24")):
        hand.fill(field, value)
    hand.changed(lambda: hand.click("Plant it"), "it is planted")
    hand.click("Read the feet")
    until(lambda: "No sole slides or sinks." in hand.words(), "it stands")
    assert not hand.complaints()


def test_legs_walk_by_a_click_step_live_and_ghosts_and_curves_show_them(hand):
    hand.open_bench(TALLOW)
    hand.click("Trial")
    hand.changed(lambda: hand.click("Make a motion"), "a motion is made")
    until(lambda: hand.script("return Boolean(kunstgriff.bench.motions.one)"), "it is there")
    for field, value in (("#walk-first", "2"), ("#walk-last", "46"), ("#walk-speed", "12")):
        hand.fill(field, value)
    hand.changed(lambda: hand.click("Let them walk"), "a walk is laid")
    assert "foot down" in hand.find(".times .mark.down").get_attribute("title")
    go_to(hand, 20)
    hand.find("#ghosts-shown").click()
    until(
        lambda: hand.script("return kunstgriff.engine.ghosts && Object.keys(kunstgriff.engine.ghosts).length") == 4,
        "ghosts show",
    )
    hand.find("#curves-shown").click()
    until(lambda: hand.script("return Boolean(kunstgriff.bench.curves.data)"), "curves show")
    values = hand.script("return Object.values(kunstgriff.bench.curves.data.values).map((one) => one.length)")
    assert values
    assert set(values) == {48 * 4 + 1}
    # a key of a curve is dragged up and later, in one step
    lifted = "return kunstgriff.bench.motions.one.tracks.find(({ channel }) => channel.endsWith('goal.y'))"
    before = hand.script(lifted)
    spot = hand.script(
        """const { curves, strip } = kunstgriff.bench, box = document.querySelector('.times .curves canvas').getBoundingClientRect();
        const track = curves.tracks.find(({ channel }) => channel.endsWith('goal.y'));
        const k = track.ways.findIndex((way) => way !== 'hold') + 1, [x, y] = curves.place(track.channel, track.at[k], track.values[k]);
        return [box.left + x, box.top + y];"""
    )
    hand.changed(lambda: hand.drag(spot, (spot[0] + 20, spot[1] - 12)), "a key is dragged")
    assert hand.script(lifted) != before
    hand.changed(lambda: hand.click("Undo"))
    assert hand.script(lifted) == before
    hand.find("#curves-shown").click()
    go_to(hand, 0)
    hand.find("#steps-live").click()
    hips = hand.script("return kunstgriff.bench.page.figure.bones.find(({ parent }) => parent === null).id")
    for k in range(12):
        hand.script("kunstgriff.bench.posing.poseMove(arguments[0], [arguments[1], 0])", hips, 40 * k)
    foot = "Object.entries(kunstgriff.bench.steps.channels).find(([name]) => name.endsWith('goal.x'))"
    until(lambda: (hand.script(f"const one = {foot}; return one ? one[1] : 0") or 0) > 250, "its feet come after")
    hand.changed(lambda: hand.find("#steps-live").click(), "the way it went is laid as keys")
    walked = tracks(hand)
    hips = hand.script("return kunstgriff.bench.page.boneName(arguments[0])", hips)
    assert len(walked[f"{hips} move.x"][0]) >= 2
    assert max(walked[f"{hips} move.x"][1]) == pytest.approx(440, abs=1)
    goals = hand.script(
        "return kunstgriff.bench.motions.one.tracks.filter(({ channel }) => channel.endsWith('goal.x')).map(({ at }) => at.length)"
    )
    assert len([count for count in goals if count > 1]) == 2, "both feet went"
    assert not hand.complaints()


def test_keys_are_copied_onto_the_other_side_shifted_and_words_put_on_a_frame(hand):
    hand.open_bench(TALLOW)
    hand.click("Trial")
    hand.changed(lambda: hand.click("Make a motion"), "a motion is made")
    until(lambda: hand.script("return Boolean(kunstgriff.bench.motions.one)"), "it is there")
    go_to(hand, 10)
    posed(hand, "near arm", 25)
    until(lambda: tracks(hand).get("near arm turn", [[]])[0] == [0, 10], "keys are set")
    hand.find('[aria-label^="near arm: turn, key on frame 10"]').click()
    hand.click("Copy keys")
    go_to(hand, 30)
    hand.changed(lambda: hand.click("Paste on the other side"), "pasted")
    assert tracks(hand)["far arm turn"][:2] == [[30], [-25]]
    one = hand.find('[aria-label^="far arm: turn, key on frame 30"]')
    place = (one.rect["x"] + 5, one.rect["y"] + 7)
    wide = hand.find(".times .frames").rect["width"]
    hand.changed(lambda: hand.drag(place, (place[0] + wide * 4 / 48, place[1])), "a key is dragged along the strip")
    assert tracks(hand)["far arm turn"][0] == [34]
    hand.changed(lambda: hand.click("Undo"))
    hand.changed(lambda: hand.click("All later keys a frame later"), "shifted")
    assert tracks(hand)["far arm turn"][0] == [31]
    assert tracks(hand)["near arm turn"][0] == [0, 10]
    hand.changed(lambda: hand.fill("#frame-mark", "lifts the tray"), "a mark")
    assert "lifts the tray" in hand.find(".times .marks").text
    assert not hand.complaints()


def test_a_sound_is_laid_beside_a_motion_heard_in_step_and_a_beak_placed_to_it(hand, tmp_path):
    hand.open_bench(TALLOW)
    hand.click("Trial")
    hand.changed(lambda: hand.click("Make a motion"), "a motion is made")
    until(lambda: hand.script("return Boolean(kunstgriff.bench.motions.one)"), "it is there")
    (tmp_path / "line.wav").write_bytes(clicks())
    hand.changed(lambda: hand.find("#sound-file").send_keys(str(tmp_path / "line.wav")), "a sound is laid beside it")
    until(lambda: "line, 2 s" in hand.words(), "it is told")
    until(lambda: max(hand.script("return kunstgriff.bench.sound.peaks") or [0]) > 0.5, "its waveform shows")
    until(
        lambda: hand.script("return kunstgriff.bench.sound.audio ? kunstgriff.bench.sound.audio.readyState : 0") >= 2,
        "it can be heard",
    )
    hand.script(
        """const { bench } = kunstgriff, { sheet, playing, sound } = bench, show = sheet.showFrame;
        window.heard = [];
        sheet.showFrame = function (frame) {
            if (playing.playing && !sound.audio.paused) heard.push([playing.frameNumber, sound.audio.currentTime]);
            return show.call(this, frame);
        };
        playing.playSwing();"""
    )
    seen = until(lambda: (found := hand.script("return heard")) and len(found) > 12 and found, "it plays")
    # what is painted is what is heard, within 20 ms of the time that its frame has
    assert all(frame / 24 - 0.02 <= at <= (frame + 1) / 24 + 0.02 for frame, at in seen), seen
    assert seen[-1][0] > seen[0][0]
    hand.script("kunstgriff.bench.playing.stopSwing()")
    until(lambda: hand.script("return kunstgriff.bench.sound.audio.paused"), "it stops")
    go_to(hand, 20)
    hand.script("document.activeElement.blur()")
    hand.changed(lambda: hand.keys("2"), "a drawing is placed by its number")
    row = "return kunstgriff.bench.motions.one.tracks.find(({ channel }) => channel.endsWith('.shows'))"
    placed = hand.script(row)
    assert [placed["at"], placed["values"]] == [[0, 18], [0, 2]]
    assert not hand.complaints()


def test_a_film_is_laid_under_a_motion_and_seen_in_step_with_it(hand, tmp_path):
    hand.open_bench(SOOT)
    hand.click("Trial")
    hand.changed(lambda: hand.click("Make a motion"), "a motion is made")
    until(lambda: hand.script("return Boolean(kunstgriff.bench.motions.one)"), "it is there")
    hand.fill("#motion-frames", "36")
    # the side that a frame shows is known a moment later than the motion, and is news to the page, too
    until(lambda: hand.script("return kunstgriff.bench.motions.one.frames") == 36, "it is as long as one types")
    (tmp_path / "flight.webp").write_bytes(animated("WEBP", [250] * 4))  # four pictures a second
    hand.changed(lambda: hand.find("#film-file").send_keys(str(tmp_path / "flight.webp")), "it is laid under it")
    until(lambda: "flight, 4 pictures, 4 a second" in hand.words(), "it is told")
    grey = """const { sheet, bench } = kunstgriff, paper = document.getElementById('paper');
        const { place, scale, size } = bench.motions.one.film, { camera } = kunstgriff.engine;
        const at = camera.toScreen(place[0] + 0.1 * size[0] * scale, place[1] + 0.1 * size[1] * scale);
        return paper.getContext('2d').getImageData(...at.map((x) => Math.round(x * devicePixelRatio)), 1, 1).data[0];"""
    seen = []
    hand.changed(lambda: hand.fill("#film-opacity", "1"), "it covers the paper")
    for frame in (0, 7, 20):  # frames at 24 a second: 6 a picture
        go_to(hand, frame)
        until(lambda: hand.script("return Boolean(kunstgriff.bench.film.shown())"), "the picture has come")
        hand.script("return new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(done)))")
        seen.append(round((hand.script(grey) - 10) / 20))
    assert seen == [0, 1, 3]
    go_to(hand, 30)
    assert hand.script("return kunstgriff.bench.film.wanted") == "", "after its end nothing shows"
    (tmp_path / "torn.webm").write_bytes(b"\x1a\x45\xdf\xa3 torn")
    hand.find("#film-file").send_keys(str(tmp_path / "torn.webm"))
    until(lambda: "no film that could be read" in hand.words(), "what is none is told")
    hand.changed(lambda: hand.click("Take the film away"))
    until(lambda: "None yet" in hand.words(), "it is gone")
    hand.complaints()  # the refusal's own


def test_a_course_is_made_in_one_click_and_the_rig_is_shaken_and_its_worst_poses_kept(hand):
    hand.open_bench(SOOT)
    hand.click("Trial")
    hand.click("Make the course")
    until(lambda: "lay a reach on each leg" in hand.words(), "it is told that an owl without reaches walks nowhere")
    hand.open_bench(TALLOW)
    hand.click("Trial")
    hand.changed(lambda: hand.click("Make the course"), "the course is made")
    until(lambda: hand.script("return kunstgriff.bench.motions.one.name") == "course", "it is chosen")
    assert "crouch" in hand.find(".times .marks").text
    hand.click("Prove it")
    until(lambda: "reading the range sheet" in hand.words(), "it is read", 60)
    hand.click("Stop")
    until(lambda: hand.script("return kunstgriff.bench.proof.jobs[0].state") == "stopped", "it is stopped", 60)
    assert not hand.complaints()


@pytest.mark.parametrize("word", [*EASES, "cubic-bezier(0.7, -0.4, 0.2, 1.6)"])
def test_easing_is_that_of_the_browsers_own_animations(hand, word):
    # Chromium's Web Animations as a peer for the curves of CSS Easing Functions Level 1
    handles = EASES.get(word) or (0.7, -0.4, 0.2, 1.6)
    times = [*(k / 20 for k in range(20)), 0.999]
    found = hand.script(
        """const animation = document.body.animate([{ opacity: 0 }, { opacity: 1 }], { duration: 1000, easing: 'linear' });
        animation.effect.updateTiming({ easing: arguments[0] });
        animation.pause();
        const found = arguments[1].map((time) => {
            animation.currentTime = 1000 * time;
            return animation.effect.getComputedTiming().progress;
        });
        animation.cancel();
        return found;""",
        word,
        times,
    )
    assert found == pytest.approx([eased_by(time, *handles) for time in times], abs=2e-4)
