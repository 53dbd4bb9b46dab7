"""OpenRaster in: every layer in its place, and nothing in a stranger's file is believed."""

from __future__ import annotations

import io
import zipfile

import numpy as np
import pytest
from PIL import Image

from kunstgriff.artwork.ora import read_ora, write_ora
from kunstgriff.artwork.sheet import ArtSheet, ArtworkRefused, Layer, composite, figure_from_sheet
from kunstgriff.figure.stores import MemoryStores, encode_png


def block(width: int, height: int, colour: tuple[int, int, int, int]) -> np.ndarray:
    return np.full((height, width, 4), colour, np.uint8)


def ora(stack: str, pictures: dict[str, bytes] | None = None, mimetype: bytes = b"image/openraster") -> io.BytesIO:
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w") as archive:
        archive.writestr("mimetype", mimetype)
        archive.writestr("stack.xml", stack)
        for name, data in (pictures or {}).items():
            archive.writestr(name, data)
    buffer.seek(0)
    return buffer


def image(inside: str, w: int | str = 20, h: int | str = 20) -> str:
    return f'<image w="{w}" h="{h}"><stack>{inside}</stack></image>'


DOT = encode_png(block(4, 4, (255, 0, 0, 255)))


def test_layers_come_in_with_place_order_opacity_groups_and_names():
    inside = (
        '<layer name="front" src="data/a.png" x="1" y="2" opacity="0.5"/>'
        '<stack name="head" x="3" visibility="hidden"><layer name="eye" src="/data/a.png" x="4" y="5"/></stack>'
        '<layer name="back" src="data/a.png"/>'
    )
    sheet = read_ora(ora(image(inside), {"data/a.png": DOT}))
    assert [layer.name for layer in sheet.layers] == ["back", "eye", "front"]
    assert [layer.offset for layer in sheet.layers] == [(0, 0), (7, 5), (1, 2)]
    assert [layer.visible for layer in sheet.layers] == [True, False, True]
    assert sheet.layers[2].opacity == 0.5
    assert [group for _, group in sheet.layers[1].groups] == ["head"]


def test_a_figure_made_from_a_sheet_stands_on_its_lowest_edge():
    sheet = ArtSheet((100, 100), [Layer.of("leg", block(10, 30, (9, 9, 9, 255)), (40, 50))])
    figure = figure_from_sheet(sheet, "leg", MemoryStores())
    assert figure.sheet.standing_point == (45, 80)
    assert figure.parts[0].drawing.place == (-5, -30)


def test_writing_and_reading_again_keeps_every_pixel():
    rng = np.random.default_rng(3)
    layers = [
        Layer.of(
            f"layer {n}",
            rng.integers(0, 256, (9, 7, 4), np.uint8),
            (n, 2 * n),
            ((1, "group"),) if n else (),
            0.25 * n + 0.25,
        )
        for n in range(3)
    ]
    buffer = io.BytesIO()
    write_ora(buffer, ArtSheet((30, 30), layers))
    buffer.seek(0)
    again = read_ora(buffer)
    for old, new in zip(layers, again.layers, strict=True):
        assert np.array_equal(old.pixels, new.pixels)
        assert (old.name, old.offset, old.opacity) == (new.name, new.offset, new.opacity)


def test_the_written_file_has_what_the_specification_asks_for():
    # OpenRaster specification (freedesktop.org): mimetype first and stored, mergedimage.png, a thumbnail of at most 256 px
    buffer = io.BytesIO()
    sheet = ArtSheet((600, 300), [Layer.of("a", block(50, 50, (0, 128, 255, 200)), (5, 6))])
    write_ora(buffer, sheet)
    with zipfile.ZipFile(buffer) as archive:
        first = archive.infolist()[0]
        assert (first.filename, first.compress_type) == ("mimetype", zipfile.ZIP_STORED)
        assert np.array_equal(np.asarray(Image.open(archive.open("mergedimage.png"))), composite(sheet))
        assert max(Image.open(archive.open("Thumbnails/thumbnail.png")).size) <= 256


def test_two_layers_with_one_name_are_told_apart_and_said():
    sheet = ArtSheet((20, 20), [Layer.of("arm", block(4, 4, (1, 2, 3, 255)), (0, 0)) for _ in range(2)])
    figure = figure_from_sheet(sheet, "x", MemoryStores())
    assert [part.name for part in figure.parts] == ["arm", "arm 2"]
    assert "arm 2" in sheet.notices[0]


def test_an_empty_layer_is_left_out_and_said_and_nothing_painted_is_refused():
    sheet = ArtSheet((20, 20), [Layer.of("air", block(4, 4, (1, 2, 3, 0)), (0, 0))])
    with pytest.raises(ArtworkRefused, match="anything painted"):
        figure_from_sheet(sheet, "x", MemoryStores())
    sheet.layers.append(Layer.of("arm", block(4, 4, (1, 2, 3, 255)), (0, 0)))
    assert [part.name for part in figure_from_sheet(sheet, "x", MemoryStores()).parts] == ["arm"]
    assert any("air" in notice for notice in sheet.notices)


def test_a_blend_no_standard_has_is_told_not_silently_dropped():
    inside = '<layer name="glow" src="a.png" composite-op="own:dazzle"/>'
    assert "own:dazzle" in read_ora(ora(image(inside), {"a.png": DOT})).notices[0]


HUGE_PNG = bytearray(DOT)
HUGE_PNG[16:24] = (90_000).to_bytes(4, "big") * 2
ONE = '<layer name="one" src="a.png"/>'


@pytest.mark.parametrize(
    ("source", "sentence"),
    [
        (io.BytesIO(b"this is no zip at all"), "no OpenRaster"),
        (io.BytesIO(b""), "no OpenRaster"),
        (ora(image(ONE), {"a.png": DOT}, b"image/png"), "does not say"),
        (ora(image(ONE)), "not in the file"),
        (ora(image('<layer name="one" src="../../etc/passwd"/>')), "not in the file"),
        (ora(image(ONE), {"a.png": b"not a picture"}), "damaged"),
        (ora(image(ONE), {"a.png": DOT[:-30]}), "damaged"),
        (ora(image(ONE), {"a.png": bytes(HUGE_PNG)}), "damaged|more than allowed"),
        (ora(image(ONE, 100_000, 100_000), {"a.png": DOT}), "100000 x 100000"),
        (ora(image(ONE, "wide", 20), {"a.png": DOT}), "no number"),
        (ora(image(ONE, "1e999", 20), {"a.png": DOT}), "no number"),
        (ora(image('<layer src="a.png" opacity="nan"/>'), {"a.png": DOT}), "opacity"),
        (
            ora("<image w='20' h='20'>" + "<stack>" * 1000 + ONE + "</stack>" * 1000 + "</image>", {"a.png": DOT}),
            "nested",
        ),
        (ora('<!DOCTYPE x [<!ENTITY e "boo">]>' + image(ONE), {"a.png": DOT}), "entities"),
        (ora(image("<layer"), {"a.png": DOT}), "damaged"),
        (ora(image(ONE * 1001), {"a.png": DOT}), "1001 layers"),
        (ora("<svg/>"), "no image"),
    ],
)
def test_a_hostile_file_gets_a_sentence(source, sentence):
    with pytest.raises(ArtworkRefused, match=sentence):
        read_ora(source)


def test_a_file_that_lacks_its_list_of_layers_is_refused():
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w") as archive:
        archive.writestr("mimetype", "image/openraster")
    with pytest.raises(ArtworkRefused, match=r"stack\.xml"):
        read_ora(buffer)


def test_a_zip_bomb_is_stopped_before_it_swells():
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("mimetype", "image/openraster")
        archive.writestr("stack.xml", image(ONE))
        archive.writestr("a.png", bytes(300 * 1024 * 1024))
    with pytest.raises(ArtworkRefused, match="larger than"):
        read_ora(buffer)


def test_a_file_cut_anywhere_is_refused(tmp_path):
    whole = ora(image(ONE), {"a.png": DOT}).getvalue()
    for length in range(0, len(whole), 37):
        with pytest.raises(ArtworkRefused):
            read_ora(io.BytesIO(whole[:length]))


def test_what_odd_but_legal_writers_do_is_read():
    # leading slashes, no names, offsets as decimals, no opacity, unknown attributes and elements, other entries,
    # a byte order mark, grey, indexed and 16-bit pictures, no merged picture
    grey, indexed, deep = io.BytesIO(), io.BytesIO(), io.BytesIO()
    Image.new("LA", (4, 4), (90, 255)).save(grey, "PNG")
    Image.new("P", (4, 4), 3).save(indexed, "PNG")
    Image.new("I;16", (4, 4), 40_000).save(deep, "PNG")
    inside = (
        '<layer src="/data/grey.png" x="3.0" y="-1.5" edit-locked="true" selected="1"/>'
        '<stack><layer name=" two  words " src="data/indexed.png" visibility="visible"/><filter type="blur"/></stack>'
        '<layer src="data/deep.png" composite-op="svg:src-over" alpha-preserve="true"/>'
    )
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("Thumbnails/thumbnail.png", DOT)
        for name, data in (("data/grey.png", grey), ("/data/indexed.png", indexed), ("data/deep.png", deep)):
            archive.writestr(name, data.getvalue())
        archive.writestr("stack.xml", b"\xef\xbb\xbf" + image(inside).encode())
        archive.writestr("mimetype", "image/openraster\n")
        archive.writestr("palette.gpl", "colours")
    buffer.seek(0)
    sheet = read_ora(buffer)
    assert [layer.name for layer in sheet.layers] == ["layer 5", "two words", "layer 2"]
    assert [layer.offset for layer in sheet.layers] == [(0, 0), (0, 0), (3, -1)]
    assert sheet.layers[2].pixels[0, 0].tolist() == [90, 90, 90, 255]
    assert not sheet.notices
