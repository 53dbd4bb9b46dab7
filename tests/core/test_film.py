"""A film to go by under a motion: read within limits from what others wrote, its pictures due when they were shown."""

from __future__ import annotations

import io

import av
import numpy as np
import pytest
from click.testing import CliRunner
from PIL import Image

from kunstgriff.cli import cli
from kunstgriff.figure.archive import read_archive, write_archive
from kunstgriff.figure.edit import EditRefused, apply_edit
from kunstgriff.figure.stores import MemoryStores
from kunstgriff.trial import film
from kunstgriff.trial.film import Named, kept_film, still_of
from kunstgriff.trial.film_edits import on_the_sheet
from tests.art import capsule, drawn, edited, figure_of


def picture(number: int, size=(120, 80)) -> Image.Image:
    """One that says its number by how grey it is."""
    return Image.new("RGB", size, (20 * number + 10,) * 3)


def file_of(image: Image.Image, kind: str = "PNG", **options) -> bytes:
    buffer = io.BytesIO()
    image.save(buffer, kind, **options)
    return buffer.getvalue()


def animated(kind: str, lasts: list[int]) -> bytes:
    frames = [picture(number) for number in range(len(lasts))]
    return file_of(frames[0], kind, save_all=True, append_images=frames[1:], duration=lasts, lossless=True)


def webm(count: int, rate: int, codec: str = "libvpx-vp9") -> bytes:
    buffer = io.BytesIO()
    with av.open(buffer, "w", format="webm" if codec.startswith("libvpx") else "matroska") as container:
        stream = container.add_stream(codec, rate=rate)
        stream.width, stream.height, stream.pix_fmt = 120, 80, "yuv420p"
        for number in range(count):
            for packet in stream.encode(av.VideoFrame.from_image(picture(number)).reformat(format="yuv420p")):
                container.mux(packet)
        for packet in stream.encode():
            container.mux(packet)
    return buffer.getvalue()


def seen(stores, kept) -> list[int]:
    """The numbers that the kept pictures say."""
    stills = (Image.open(io.BytesIO(still_of(stores, kept, number))) for number in range(kept.pictures))
    return [round((np.asarray(still.convert("L"), float).mean() - 10) / 20) for still in stills]


def test_pictures_are_taken_by_their_numbers_at_the_rate_of_the_motion():
    stores = MemoryStores()
    names = ["walk-10", "walk-9", "walk-11"]  # 9 comes before 10
    kept = kept_film(stores, [Named(f"{name}.png", file_of(picture(int(name[5:]) - 9))) for name in names], 12)
    assert (kept.pictures, kept.rate, kept.size) == (3, 12, (120, 80))
    assert seen(stores, kept) == [0, 1, 2]


@pytest.mark.parametrize("kind", ["WEBP", "PNG", "GIF"])
def test_an_animated_picture_keeps_its_times(kind):
    stores = MemoryStores()
    kept = kept_film(stores, [Named("wave", animated(kind, [100] * 6))], 24)
    assert kept.rate == pytest.approx(10, rel=0.01)
    assert seen(stores, kept) == [0, 1, 2, 3, 4, 5]
    uneven = kept_film(stores, [Named("wave", animated(kind, [100, 300, 100, 100]))], 24)  # one stays longer
    assert uneven.rate == pytest.approx(4 / 0.6, rel=0.01)
    assert seen(stores, uneven).count(1) == 2


@pytest.mark.parametrize(("codec", "rate"), [("libvpx-vp9", 24), ("libvpx", 12)])
def test_a_webm_keeps_its_rate_and_every_picture(codec, rate):
    stores = MemoryStores()
    kept = kept_film(stores, [Named("step.webm", webm(10, rate, codec))], 24)
    assert (kept.name, kept.rate) == ("step", rate)
    assert seen(stores, kept) == list(range(10))


def test_what_is_large_is_made_smaller_and_lies_as_wide_as_the_sheet():
    figure, stores = figure_of({"rod": drawn(capsule((20, 20), (20, 80), 10, 2))})
    kept = kept_film(stores, [Named("wide.png", file_of(picture(1, (2000, 500))))], 24)
    assert kept.size == (720, 180)
    laid = on_the_sheet(kept, figure)
    assert laid.scale * laid.size[0] == pytest.approx(figure.sheet.width)
    assert laid.place == tuple(-one for one in figure.sheet.standing_point)


@pytest.mark.parametrize(
    ("files", "sentence"),
    [
        ([], "Choose a film"),
        ([Named("a.webm", b"\x1a\x45\xdf\xa3" + b"nothing" * 40)], "no film that could be read"),
        ([Named("a.png", b"neither")], "no film that could be read"),
        ([Named("a.png", file_of(picture(1))[:60])], "no film that could be read"),
        ([Named("a.mkv", webm(3, 12, "mpeg4"))], "VP8, VP9 or AV1"),
        ([Named("1.png", file_of(picture(1))), Named("2.png", b"torn")], "no film that could be read"),
        ([Named("1.png", bytes(film.LARGEST + 1))], "64 MB of film"),
        ([Named("1.png", file_of(Image.new("1", (8192, 4096))))], "too large"),
        ([Named(f"{n}.png", b"") for n in range(film.MOST_PICTURES + 1)], "1500 pictures at most"),
    ],
)
def test_what_is_no_film_or_too_much_of_one_is_refused_in_a_sentence(files, sentence):
    with pytest.raises(EditRefused, match=sentence):
        kept_film(MemoryStores(), files, 24)


def test_a_film_goes_along_in_the_archive_and_is_laid_from_the_shell(tmp_path):
    figure, stores = figure_of({"rod": drawn(capsule((20, 20), (20, 80), 10, 2))})
    figure = edited(figure, stores, {"kind": "make_motion", "name": "hop", "frames": 24})
    write_archive(tmp_path / "before.zip", figure, stores)
    pictures = [tmp_path / f"p{number}.png" for number in range(3)]
    for number, path in enumerate(pictures):
        path.write_bytes(file_of(picture(number)))
    args = ["film", str(tmp_path / "before.zip"), *map(str, pictures), "--motion", "hop", "--begins", "4"]
    told = CliRunner().invoke(cli, [*args, "-o", str(tmp_path / "after.zip")])
    assert told.exit_code == 0, told.output
    again, stores = read_archive(tmp_path / "after.zip")
    laid = again.motions[0].film
    assert (laid.begins, laid.pictures, laid.rate) == (4, 3, 24)
    assert seen(stores, laid) == [0, 1, 2]
    without = apply_edit({"kind": "set_film", "motion": "hop"}, again, stores)
    assert without.motions[0].film is None
    wrong = {**laid.model_dump(), "pictures": 9}
    with pytest.raises(EditRefused, match="no picture 9"):
        apply_edit({"kind": "set_film", "motion": "hop", "film": wrong}, again, stores)
