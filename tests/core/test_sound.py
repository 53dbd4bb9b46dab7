"""Sound beside a motion: read within limits, heard in the film in step with what is drawn, mouths placed to it."""

from __future__ import annotations

import io
import itertools

import av
import numpy as np
import pytest
import soundfile
from click.testing import CliRunner

from kunstgriff.cli import cli
from kunstgriff.delivery.deliver import DeliveryOrder, deliver
from kunstgriff.figure.archive import read_archive, write_archive
from kunstgriff.figure.edit import EditRefused
from kunstgriff.figure.stores import MemoryStores
from kunstgriff.trial.motion import motion_named
from kunstgriff.trial.sound import heard, kept_sound, peaks, read_sound
from tests.art import at, capsule, drawn, edited, figure_of

RATE = 22_050
CLICKS = (12, 20, 31)  # frames at 24 a second


def clicks(seconds=2.0, rate=RATE, frames=CLICKS):
    """A track with a click on each of some frames, as a WAV file."""
    samples = np.zeros(round(seconds * rate), np.float32)
    for frame in frames:
        begins = round(frame / 24 * rate)
        samples[begins : begins + 60] = 0.9 * np.sin(np.arange(60))
    buffer = io.BytesIO()
    soundfile.write(buffer, samples, rate, format="WAV")
    return buffer.getvalue()


@pytest.fixture(scope="module")
def talking():
    """A head with two mouths, a wide and a narrow one, at different heights."""
    shapes = {
        "head": drawn(capsule((60, 60), (60, 100), 40, 3)), "shut": drawn(capsule((50, 90), (70, 90), 4, 2)),
        "open": drawn(capsule((50, 30), (70, 30), 14, 2)),
    }  # fmt: skip
    figure, stores = figure_of(shapes)
    figure = edited(
        figure, stores, {"kind": "draw_chain", "name": "head", "joints": at(figure, (60, 110), (60, 40))},
        {"kind": "bind_rigid", "parts": ["head", "shut", "open"], "bone": "head"},
        {"kind": "make_set", "drawings": ["shut", "open"], "name": "mouth"},
        {"kind": "make_motion", "name": "talk", "frames": 48},
    )  # fmt: skip
    sound = kept_sound(stores, "clicks", clicks())
    return edited(figure, stores, {"kind": "set_sound", "motion": "talk", "sound": sound.model_dump()}), stores


def shows(figure):
    track = next(one for one in figure.motions[0].tracks if one.channel.endswith("shows"))
    return list(zip(track.at, track.values, strict=True))


def place(drawing, at_frame, **more):
    return {"kind": "place_drawing", "motion": "talk", "group": "mouth", "drawing": drawing, "at": at_frame, **more}


def test_in_the_film_what_is_drawn_changes_within_a_frame_of_what_is_heard(talking, tmp_path):
    figure, stores = talking
    for number, frame in enumerate(CLICKS):
        figure = edited(figure, stores, place(2 - number % 2, frame, early=0))
    target = tmp_path / "talk.webm"
    deliver(target, DeliveryOrder(figure, stores, size=(120, 140), motion=motion_named(figure, "talk")))
    with av.open(str(target)) as film:
        heard_at = []
        samples = [frame.to_ndarray() for frame in film.decode(audio=0)]
    loud = np.abs(np.concatenate(samples, 1).astype(float)).max(0)
    onsets = np.flatnonzero(loud > 0.3 * loud.max())
    heard_at = [onsets[0], *onsets[1:][np.diff(onsets) > 4_000]]
    with av.open(str(target)) as film:
        pictures = [(float(frame.time), frame.to_ndarray(format="rgb24").astype(int)) for frame in film.decode(video=0)]
    differs = [np.abs(one - other).mean() for (_, one), (_, other) in itertools.pairwise(pictures)]
    drawn_at = [pictures[k + 1][0] for k in np.argsort(differs)[-3:]]
    np.testing.assert_allclose(np.array(heard_at) / 48_000, np.array(CLICKS) / 24, atol=0.02)  # Opus keeps its time
    np.testing.assert_allclose(sorted(drawn_at), np.array(CLICKS) / 24, atol=1 / 24)
    assert len(pictures) == 48


def test_mouths_come_two_frames_early_and_none_is_shorter_than_two_frames(talking):
    figure, stores = talking
    after = edited(figure, stores, place(2, 12), place(1, 20), place(2, 21), place(1, 1))
    assert shows(after) == [(0, 1), (10, 2), (19, 2)]  # the one from 18 on would have lasted a frame
    close = edited(figure, stores, place(2, 12, early=0, shortest=1), place(1, 13, early=0, shortest=1))
    assert shows(close) == [(0, 0), (12, 2), (13, 1)]


def test_a_sound_is_kept_in_the_archive_cut_to_the_motion_and_keeps_its_time_at_another_rate(talking):
    figure, stores = talking
    buffer = io.BytesIO()
    write_archive(buffer, figure, stores)
    buffer.seek(0)
    again, known = read_archive(buffer)
    samples, rate = heard(known, again.motions[0])
    assert rate == RATE
    assert len(samples) == 2 * RATE
    np.testing.assert_array_equal(samples, read_sound(clicks())[0])
    later = figure.motions[0].sound.model_copy(update={"begins": 12.0})
    late = edited(figure, stores, {"kind": "set_sound", "motion": "talk", "sound": later.model_dump()})
    found, _ = heard(stores, late.motions[0])
    assert not found[: RATE // 2].any()
    np.testing.assert_array_equal(found[RATE // 2 :], samples[: len(found) - RATE // 2])
    slower = edited(late, stores, {"kind": "set_motion", "motion": "talk", "rate": 12})
    assert slower.motions[0].sound.begins == 6.0
    np.testing.assert_array_equal(heard(stores, slower.motions[0])[0], found)
    loud = peaks(samples, 48)
    assert {k for k, one in enumerate(loud) if one > 0.5} == set(CLICKS)


@pytest.mark.parametrize(("data", "why"), [
    (b"", "no sound"), (b"RIFF" + b"\0" * 60, "no sound"), (clicks()[:40], "no sound|nothing to hear"),
    (clicks(frames=(), seconds=0.0), "nothing to hear"), (clicks(rate=4_000), "8 to 96 kHz"),
])  # fmt: skip
def test_what_is_no_sound_is_refused(data, why):
    with pytest.raises(EditRefused, match=why):
        read_sound(data)


def test_three_hours_are_refused_before_anything_is_read():
    header = bytearray(clicks(seconds=0.01, frames=()))
    count = 3 * 3600 * RATE * 2
    header[40:44] = count.to_bytes(4, "little")  # the size of its data, RIFF WAVE
    header[4:8] = (count + 36).to_bytes(4, "little")
    assert len(read_sound(bytes(header) + b"\0" * 1000)[0]) < 2_000  # what it only claims is not there
    long = io.BytesIO()
    soundfile.write(long, np.zeros(8_000 * 400, np.int16), 8_000, format="FLAC")
    with pytest.raises(EditRefused, match="lasts 7 minutes"):
        read_sound(long.getvalue())


def test_what_is_kept_of_something_else_is_no_sound(talking):
    figure, stores = talking
    other = stores.put_array(np.zeros((3, 2)))
    sound = {"name": "x", "sound": other, "seconds": 1.0}
    with pytest.raises(EditRefused, match="no sound"):
        edited(figure, stores, {"kind": "set_sound", "motion": "talk", "sound": sound})
    with pytest.raises(EditRefused, match="2 drawings"):
        edited(figure, stores, place(3, 4))
    with pytest.raises(EditRefused, match="longer first"):
        edited(figure, stores, place(1, 60))
    assert MemoryStores().arrays == {}


def test_the_shell_lays_a_sound(talking, tmp_path):
    figure, stores = talking
    silent = edited(figure, stores, {"kind": "set_sound", "motion": "talk"})
    write_archive(tmp_path / "head.zip", silent, stores)
    (tmp_path / "line.wav").write_bytes(clicks())
    asked = ["sound", str(tmp_path / "head.zip"), str(tmp_path / "line.wav"), "--motion", "talk"]
    done = CliRunner().invoke(cli, [*asked, "-o", str(tmp_path / "out.zip")])
    assert done.exit_code == 0, done.output
    after, known = read_archive(tmp_path / "out.zip")
    assert after.motions[0].sound.name == "line"
    assert heard(known, after.motions[0]) is not None
