"""What else an illustrator may hand over, how it is arranged, and how it leaves again."""

from __future__ import annotations

import io
import json
import zipfile

import numpy as np
import pytest

from kunstgriff.artwork.importing import read_artwork
from kunstgriff.artwork.ora import read_ora
from kunstgriff.artwork.pngs import read_pngs
from kunstgriff.artwork.sheet import ArtworkRefused, composite, figure_from_sheet
from kunstgriff.artwork.svg import read_svg
from kunstgriff.delivery.deliver import DeliveryOrder, deliver
from kunstgriff.delivery.png import pose_picture
from kunstgriff.figure.edit import EditRefused, apply_edit
from kunstgriff.figure.findings import findings
from kunstgriff.figure.pose import Pose, parse_pose
from kunstgriff.figure.stores import MemoryStores, encode_png
from tests.art import capsule, drawn, edited, figure_of, two_piece_arm
from tests.conftest import DEMO


def svg(inside: str, head: str = 'width="100" height="100"') -> io.BytesIO:
    return io.BytesIO(f'<svg xmlns="http://www.w3.org/2000/svg" xmlns:k="urn:k" {head}>{inside}</svg>'.encode())


BOX = '<rect x="10" y="20" width="30" height="40" fill="#c00"/>'


def test_groups_with_an_id_or_a_label_are_layers_and_nested_ones_groups():
    sheet = read_svg(
        svg(
            f'<g id="body" opacity="0.5"><g id="arm" opacity="0.5">{BOX}</g>{BOX}</g>'
            f'<g k:label="head piece" visibility="hidden">{BOX}</g>'
        )
    )
    assert [layer.name for layer in sheet.layers] == ["arm", "body shape", "head piece"]
    assert [layer.visible for layer in sheet.layers] == [True, True, False]
    assert [[name for _, name in layer.groups] for layer in sheet.layers] == [["body"], ["body"], []]
    assert [(path[-1][1], look.opacity) for path, look in sheet.looks.items()] == [("body", 0.5)]
    assert int(sheet.layers[0].pixels[..., 3].max()) == 128, "a layer's own opacity is in its pixels"
    assert sheet.layers[2].offset == (10, 20)


def test_a_layer_keeps_what_it_refers_to_and_the_transforms_around_it():
    inside = (
        '<defs><linearGradient id="g"><stop stop-color="#00f"/></linearGradient></defs>'
        f'<g transform="translate(40 0)"><g id="a" transform="scale(0.5)"><use href="#r" fill="url(#g)"/></g><g id="b">{BOX}</g></g>'
        '<symbol id="unused"/><defs><rect id="r" width="20" height="20"/></defs>'
    )
    layer = read_svg(svg(inside)).layers[0]
    assert (layer.offset, layer.pixels.shape[:2]) == ((40, 0), (10, 10))
    assert layer.pixels[5, 5].tolist() == [0, 0, 255, 255]


@pytest.mark.parametrize("scale", [1, 2, 4])
def test_an_svg_is_read_at_the_scale_chosen_and_capsules_have_their_exact_area(scale):
    # SVG 1.1: a stroke of width w with round caps over a line of length l covers l w + π (w/2)²
    body = '<g id="limb"><line x1="30" y1="50" x2="70" y2="50" stroke="#000" stroke-width="24" stroke-linecap="round"/></g>'
    sheet = read_svg(svg(body), scale)
    assert sheet.size == (100 * scale, 100 * scale)
    covered = sheet.layers[0].pixels[..., 3].sum() / 255 / scale**2
    assert covered == pytest.approx(40 * 24 + np.pi * 12**2, rel=0.005)


def test_the_demo_drawing_is_its_layered_sheet(pell_drawing):
    again, shipped = pell_drawing, read_ora(DEMO / "pell.ora")
    assert [layer.name for layer in again.layers] == [layer.name for layer in shipped.layers]
    assert np.array_equal(composite(again), composite(shipped))


@pytest.mark.parametrize(
    ("source", "sentence"),
    [
        (io.BytesIO(b"no svg"), "no SVG"),
        (io.BytesIO(b"<html/>"), "no SVG"),
        (io.BytesIO(b'<!DOCTYPE svg [<!ENTITY a "b">]><svg xmlns="http://www.w3.org/2000/svg"/>'), "document type"),
        (svg("<g>" * 20_000 + "</g>" * 20_000), "nested deeper"),
        (svg("<g/>" * 60_000), "elements"),
        (svg(BOX, 'width="60000" height="60000"'), "16000 px a side"),
        (svg(BOX, 'width="wide"'), "neither a size"),
        (svg(f'<g id="a">{BOX}</g>' * 401), "401 layers"),
    ],
)
def test_a_hostile_svg_gets_a_sentence(source, sentence):
    with pytest.raises(ArtworkRefused, match=sentence):
        read_svg(source)


def test_nothing_outside_the_file_is_ever_followed(tmp_path):
    secret = tmp_path / "secret.png"
    secret.write_bytes(encode_png(np.full((50, 50, 4), (1, 200, 3, 255), np.uint8)))
    layers = read_svg(
        svg(
            f'<g id="a">{BOX}<image href="{secret}" width="50" height="50"/><image href="file://{secret}" width="9" height="9"/>'
            f'<rect width="9" height="9" fill="url({secret})" onload="x()"/><script>x()</script></g><style>@import "x";</style>'
        )
    )
    assert not (layers.layers[0].pixels[..., 1] > 150).any()
    assert len(layers.notices) == 3


def test_a_drawing_that_refers_to_itself_a_billion_times_is_given_up():
    nest = "".join(f'<g id="n{n}">' + f'<use href="#n{n - 1}"/>' * 10 + "</g>" for n in range(1, 12))
    with pytest.raises(ArtworkRefused, match=r"rendered|longer|layers"):
        read_svg(svg(f'<defs><rect id="n0" width="1" height="1"/>{nest}</defs><g id="boom"><use href="#n11"/></g>'))


def pngs(pictures: dict[str, bytes], places: object = None) -> io.BytesIO:
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w") as archive:
        for name, data in pictures.items():
            archive.writestr(name, data)
        if places is not None:
            archive.writestr("places.json", places if isinstance(places, str) else json.dumps(places))
    buffer.seek(0)
    return buffer


DOT = encode_png(np.full((4, 6, 4), (9, 8, 7, 255), np.uint8))


def test_a_set_of_pngs_lies_where_places_json_says_or_by_its_shared_size():
    places = {"width": 50, "height": 40, "standing_point": [20, 40], "places": [
        {"file": "b.png", "name": "hand", "x": 5, "y": -2, "group": "body/arm"}, {"file": "a.png", "opacity": 0.5}]}  # fmt: skip
    sheet = read_pngs(pngs({"a.png": DOT, "b.png": DOT}, places))
    assert (sheet.size, sheet.standing_point) == ((50, 40), (20, 40))
    assert [(one.name, one.offset, one.opacity) for one in sheet.layers] == [("hand", (5, -2), 1.0), ("a", (0, 0), 0.5)]
    assert [name for _, name in sheet.layers[0].groups] == ["body", "arm"]
    assert [one.name for one in read_pngs(pngs({"2.png": DOT, "1.png": DOT})).layers] == ["1", "2"]


@pytest.mark.parametrize(
    ("source", "sentence"),
    [
        (io.BytesIO(b"x"), "no zip"),
        (pngs({"a.txt": b"x"}), "no PNG"),
        (pngs({"a.png": b"x"}), "damaged"),
        (pngs({"a.png": DOT, "b.png": encode_png(np.zeros((1, 1, 4), np.uint8))}), "differ in size"),
        (pngs({"a.png": DOT}, "{"), "places.json is wrong"),
        (pngs({"a.png": DOT}, {"width": 9, "height": 9, "places": [{"file": "../a.png"}]}), "not in the file"),
        (pngs({"a.png": DOT}, {"width": 10**9, "height": 9, "places": []}), "places.json is wrong"),
    ],
)
def test_a_broken_set_of_pngs_gets_a_sentence(source, sentence):
    with pytest.raises(ArtworkRefused, match=sentence):
        read_pngs(source)


def test_an_unknown_ending_is_refused(tmp_path):
    with pytest.raises(ArtworkRefused, match="none of these"):
        read_artwork(tmp_path / "art.doc")
    with pytest.raises(ArtworkRefused, match="another scale"):
        read_artwork(DEMO / "pell.ora", 2)


@pytest.mark.parametrize("ending", ["ora", "png.zip"])
def test_the_sheet_leaves_as_it_came_and_keeps_where_the_figure_stands(pell, tmp_path, ending):
    figure, stores = pell
    figure = apply_edit({"kind": "set_standing_point", "to": [30, -12]}, figure, stores)
    target = tmp_path / f"pell.{ending}"
    deliver(target, DeliveryOrder(figure, stores))
    sheet = read_artwork(target)
    again = figure_from_sheet(sheet, "Pell", MemoryStores())
    assert again.sheet == figure.sheet
    assert [(part.name, part.drawing.picture, part.drawing.place) for part in again.parts] == [
        (part.name, part.drawing.picture, part.drawing.place) for part in figure.parts
    ]
    names = {group.id: group.name for group in (*figure.groups, *again.groups)}
    assert [names.get(part.group or "") for part in again.parts] == [
        names.get(part.group or "") for part in figure.parts
    ]


def test_a_posed_figure_leaves_as_layers_that_paint_the_pose(tmp_path):
    figure, stores = two_piece_arm()
    figure = edited(figure, stores, {"kind": "lay_cover", "bone": "arm 2"})
    pose = parse_pose({"turn": {"arm 2": 50}}).by_id(figure)
    deliver(tmp_path / "posed.ora", DeliveryOrder(figure, stores, pose))
    sheet = read_ora(tmp_path / "posed.ora")
    assert [layer.name for layer in sheet.layers] == ["forearm", "upper arm", "forearm cover"]
    assert np.abs(composite(sheet).astype(int) - pose_picture(figure, stores, pose)).mean() < 1


def three():
    return figure_of(
        {name: drawn(capsule((120, 100), (200, 100), 20, 4)) for name in ("near arm", "near leg", "Layer 12")}
    )


def test_the_standing_point_moves_and_the_picture_does_not(pell):
    figure, stores = pell
    moved = apply_edit({"kind": "set_standing_point", "to": [50, -20]}, figure, stores)
    assert moved.sheet.standing_point == tuple(np.add(figure.sheet.standing_point, (50, -20)))
    assert np.array_equal(pose_picture(moved, stores, Pose()), pose_picture(figure, stores, Pose()))
    pose = parse_pose({"turn": {"spine": 20, "near arm": 30}})
    assert np.abs(pose_picture(moved, stores, pose).astype(int) - pose_picture(figure, stores, pose)).mean() < 0.05


def test_names_are_replaced_by_the_dozen_and_never_made_equal():
    figure, stores = three()
    far = apply_edit({"kind": "replace_in_names", "find": "near", "put": "far"}, figure, stores)
    assert [part.name for part in far.parts] == ["far arm", "far leg", "Layer 12"]
    for find, put, sentence in (
        ("arm", "leg", "Two things"),
        ("tail", "x", "No name"),
        ("near arm", "", "without a name"),
    ):
        with pytest.raises(EditRefused, match=sentence):
            apply_edit({"kind": "replace_in_names", "find": find, "put": put}, figure, stores)


def test_a_mirrored_copy_is_independent_and_lies_on_the_other_side():
    figure, stores = three()
    figure = edited(
        figure, stores, {"kind": "copy_parts", "parts": ["near arm"], "find": "near", "put": "far", "mirror": True},
        {"kind": "group_parts", "parts": ["near arm", "far arm"], "group": "arms"},
        {"kind": "move_parts", "parts": ["near arm"], "by": [5, 0]},
    )  # fmt: skip
    near, far = figure.parts[:2]
    assert far.name == "far arm"
    assert far.drawing.place[0] == pytest.approx(-(near.drawing.place[0] - 5) - near.drawing.size[0])
    assert near.group == far.group
    assert len(figure.groups) == 1
    figure = apply_edit({"kind": "delete_parts", "parts": ["near arm"]}, figure, stores)
    assert [part.name for part in figure.parts] == ["far arm", "near leg", "Layer 12"]
    with pytest.raises(EditRefused, match="at least one"):
        apply_edit({"kind": "delete_parts", "parts": ["far arm", "near leg", "Layer 12"]}, figure, stores)


def test_names_that_say_nothing_and_parts_off_the_sheet_are_found():
    figure, stores = three()
    figure = edited(figure, stores, {"kind": "move_parts", "parts": ["near leg"], "by": [5000, 0]},
                    {"kind": "copy_parts", "parts": ["near arm"]})  # fmt: skip
    sentences = [finding.sentence for finding in findings(figure, stores)]
    assert any("Layer 12" in sentence for sentence in sentences)
    assert any("near leg lies 100 % off" in sentence for sentence in sentences)
    assert any("near arm and near arm 2" in sentence for sentence in sentences)
