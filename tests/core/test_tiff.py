"""TIFFs of several pages, folders left out, and sides told by any words.

The files are written by Pillow and by tifffile-free hand (TIFF 6.0, sections 2, 8 and 12), read by ours.
"""

from __future__ import annotations

import io
import random
import struct
from contextlib import suppress

import numpy as np
import pytest
from PIL import Image, TiffImagePlugin

from kunstgriff.artwork.checks import sides_not_told_apart
from kunstgriff.artwork.importing import read_artwork
from kunstgriff.artwork.sheet import ArtworkRefused, Layer, figure_from_sheet
from kunstgriff.artwork.tiff import read_tiff
from kunstgriff.figure.edit import EditRefused, apply_edit
from kunstgriff.figure.sides import other_side, side_of
from kunstgriff.figure.stores import MemoryStores
from kunstgriff.seam.treating import like_of
from tests.art import at, capsule, drawn, edited, figure_of, sheet_of
from tests.core.test_fuzz import broken

PAGES = {"body/torso": ((40, 30), 100.0), "body/arm": ((10, 55), 100.0), "lamp": ((0, 0), 72.0)}


def tiff(pages=PAGES, full=(120, 90), **how) -> bytes:
    """Pages with names and positions, in inches at so many px per inch; each is a plain rectangle, see-through around."""
    made, buffer = [], io.BytesIO()
    for number, ((x, y), per) in enumerate(pages.values()):
        rgba = np.zeros((20, 30, 4), np.uint8)
        rgba[2:-2, 3:-3] = (200 - 60 * number, 90, 40, 255)
        image = Image.fromarray(rgba)
        info = TiffImagePlugin.ImageFileDirectory_v2()
        info[285], info[282], info[283], info[296] = list(pages)[number], per, per, 2
        info[286], info[287] = TiffImagePlugin.IFDRational(x, int(per)), TiffImagePlugin.IFDRational(y, int(per))
        info[33300], info[33301] = full
        image.encoderinfo = {"tiffinfo": info}
        made.append(image)
    first, *others = made
    first.save(buffer, "TIFF", save_all=True, append_images=others, tiffinfo=first.encoderinfo["tiffinfo"], **how)
    return buffer.getvalue()


@pytest.mark.parametrize(
    "how", [{}, {"compression": "tiff_lzw"}, {"compression": "tiff_adobe_deflate"}, {"compression": "packbits"}]
)
def test_pages_are_layers_where_they_lie_and_what_they_are_called(how, tmp_path):
    (tmp_path / "figure.TIF").write_bytes(tiff(**how))
    sheet = read_artwork(tmp_path / "figure.TIF")
    assert sheet.size == (120, 90)
    assert [(layer.name, [name for _, name in layer.groups]) for layer in sheet.layers] == [
        ("torso", ["body"]), ("arm", ["body"]), ("lamp", []),
    ]  # fmt: skip
    assert [layer.offset for layer in sheet.layers] == [(43, 32), (13, 57), (3, 2)]  # cut to what is painted
    assert sheet.layers[0].size == (24, 16)
    assert (sheet.layers[1].pixels == (140, 90, 40, 255)).all()
    figure = figure_from_sheet(sheet, "figure", MemoryStores())
    assert [part.name for part in figure.parts] == ["torso", "arm", "lamp"]


def test_a_page_without_name_and_position_lies_at_the_corner():
    buffer = io.BytesIO()
    Image.fromarray(np.full((8, 12, 3), 90, np.uint8)).save(buffer, "TIFF")
    sheet = read_tiff(io.BytesIO(buffer.getvalue()))
    assert (sheet.size, sheet.layers[0].name, sheet.layers[0].offset) == ((12, 8), "page 1", (0, 0))


def test_a_tiff_that_claims_too_much_or_goes_round_in_circles_is_refused_with_a_sentence():
    whole = bytearray(tiff())
    huge = io.BytesIO()
    Image.fromarray(np.zeros((4, 4, 4), np.uint8)).save(huge, "TIFF")
    data = bytearray(huge.getvalue())
    (directory,) = struct.unpack("<I", data[4:8])
    (count,) = struct.unpack("<H", data[directory : directory + 2])
    for entry in range(count):
        place = directory + 2 + 12 * entry
        tag, kind = struct.unpack("<HH", data[place : place + 4])
        if tag in (256, 257):
            data[place + 2 : place + 12] = struct.pack("<HII", 4, 1, 4_000_000_000 if tag == 256 else 3_000_000)
    with pytest.raises(ArtworkRefused, match=r"more than allowed|damaged"):
        read_tiff(io.BytesIO(bytes(data)))
    (directory,) = struct.unpack("<I", whole[4:8])
    (count,) = struct.unpack("<H", whole[directory : directory + 2])
    end = directory + 2 + 12 * count
    whole[end : end + 4] = struct.pack("<I", directory)  # the next page is this one
    with suppress(ArtworkRefused):
        assert len(read_tiff(io.BytesIO(bytes(whole))).layers) < 10
    rng, sentences = random.Random(5), []
    for _ in range(600):
        try:
            read_tiff(io.BytesIO(broken(tiff(), rng)))
        except ArtworkRefused as error:
            sentences.append(str(error))
    assert len(sentences) < 600
    assert not [one for one in sentences if not one.endswith(".")]


def test_a_folder_left_out_leaves_out_all_in_it():
    sheet = sheet_of({"arm": drawn(capsule((100, 200), (300, 200), 20, 4))})
    folder = ((1, "roughs, leave out"),)
    sheet.layers.append(Layer.of("idea", drawn(capsule((50, 50), (80, 80), 9, 2)), groups=folder))
    figure = figure_from_sheet(sheet, "x", MemoryStores())
    assert [(part.name, part.left_out) for part in figure.parts] == [("arm", False), ("idea", True)]
    assert figure.groups[0].name == "roughs"


def test_sides_are_told_by_the_words_a_figure_says():
    limbs = {
        name: drawn(capsule((100, y), (300, y), 20, 4)) for name, y in (("arm_L", 100), ("arm_R", 200), ("leg", 320))
    }
    figure, stores = figure_of(limbs)
    assert side_of("arm_L", figure.sides) is None
    figure = edited(
        figure, stores, {"kind": "set_sides", "sides": [["L", "R"], ["front", "back"]]},
        {"kind": "draw_chain", "name": "arm_L", "joints": at(figure, (110, 100), (290, 100))},
        {"kind": "mirror_bones", "bones": ["arm_L"]},
    )  # fmt: skip
    assert [bone.name for bone in figure.bones] == ["arm_L", "arm_R"]
    assert other_side("Front paw", figure.sides) == "Back paw"
    assert like_of(figure, figure.bones[0], stores) is None  # nothing meets there yet
    findings = list(sides_not_told_apart(figure, stores))
    assert not findings
    with pytest.raises(EditRefused, match="one side only"):
        apply_edit({"kind": "set_sides", "sides": [["L", "R"], ["R", "B"]]}, figure, stores)
    with pytest.raises(EditRefused):
        apply_edit({"kind": "set_sides", "sides": [["a b", "R"]]}, figure, stores)
