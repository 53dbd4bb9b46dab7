"""Laying picture on picture, held against published formulas and Pillow's operators."""

from __future__ import annotations

import io

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image, ImageChops

from kunstgriff.artwork.blending import MODES, laid
from kunstgriff.artwork.ora import read_ora, write_ora
from kunstgriff.artwork.sheet import ArtSheet, GroupLook, Layer, composite, figure_from_sheet
from kunstgriff.delivery.png import pose_picture
from kunstgriff.figure.pose import Pose, parse_pose
from kunstgriff.figure.stores import MemoryStores
from tests.art import edited, figure_of

RNG = np.random.default_rng(11)


def pixel(*values: float) -> np.ndarray:
    return np.array([[values]], np.float64)


# Porter & Duff 1984, premultiplied: (Fa, Fb) of result = source Fa + backdrop Fb; from memory
PORTER_DUFF = {
    "normal": lambda a, b: (1, 1 - a),
    "source-atop": lambda a, b: (b, 1 - a),
    "destination-in": lambda a, b: (0, a),
    "destination-out": lambda a, b: (0, 1 - a),
    "destination-atop": lambda a, b: (1 - b, a),
}


@pytest.mark.parametrize("mode", PORTER_DUFF)
@pytest.mark.parametrize("over", [0.0, 0.3, 1.0])
@pytest.mark.parametrize("under", [0.0, 0.6, 1.0])
def test_porter_duff_operators_weigh_by_their_published_fractions(mode, over, under):
    source, backdrop = pixel(0.2 * over, 0.9 * over, 0.5 * over, over), pixel(0.7 * under, 0.1 * under, 0, under)
    of_source, of_backdrop = PORTER_DUFF[mode](over, under)
    assert laid(mode, backdrop, source) == pytest.approx(source * of_source + backdrop * of_backdrop)


# W3C Compositing and Blending Level 1, section 9, worked by hand on backdrop 0.25 (or as given) and source 0.75, opaque
WORKED = [
    ("multiply", 0.25, 0.75, 0.1875), ("screen", 0.25, 0.75, 0.8125), ("darken", 0.25, 0.75, 0.25),
    ("lighten", 0.25, 0.75, 0.75), ("difference", 0.25, 0.75, 0.5), ("exclusion", 0.25, 0.75, 0.625),
    ("hard-light", 0.25, 0.75, 0.625), ("hard-light", 0.75, 0.25, 0.375), ("overlay", 0.25, 0.75, 0.375),
    ("overlay", 0.75, 0.25, 0.625), ("color-dodge", 0.25, 0.75, 1.0), ("color-dodge", 0.25, 0.5, 0.5),
    ("color-dodge", 0.0, 1.0, 0.0), ("color-burn", 0.75, 0.5, 0.5), ("color-burn", 0.25, 0.75, 0.0),
    ("color-burn", 1.0, 0.0, 1.0), ("soft-light", 0.25, 0.75, 0.375), ("soft-light", 0.64, 0.75, 0.72),
    ("soft-light", 0.5, 0.25, 0.375), ("plus-lighter", 0.5, 0.75, 1.0),
]  # fmt: skip


@pytest.mark.parametrize(("mode", "backdrop", "source", "result"), WORKED)
def test_separable_blends_give_the_worked_values(mode, backdrop, source, result):
    found = laid(mode, pixel(backdrop, backdrop, backdrop, 1), pixel(source, source, source, 1))
    assert found[0, 0].tolist() == pytest.approx([result] * 3 + [1])


def test_non_separable_blends_keep_the_luminosity_and_saturation_they_say():
    # the specification: Lum = 0.3 R + 0.59 G + 0.11 B, Sat = max - min
    def lum(colour):
        return float(np.dot(colour, (0.3, 0.59, 0.11)))

    backdrop, source = np.array([0.6, 0.45, 0.5]), np.array([0.35, 0.5, 0.4])
    for mode, same_lum_as in (("hue", backdrop), ("saturation", backdrop), ("color", backdrop), ("luminosity", source)):
        found = laid(mode, pixel(*backdrop, 1), pixel(*source, 1))[0, 0, :3]
        assert lum(found) == pytest.approx(lum(same_lum_as), abs=1e-6)
        if mode == "saturation":
            assert np.ptp(found) == pytest.approx(np.ptp(source), abs=1e-6)
        if mode == "hue":
            assert np.ptp(found) == pytest.approx(np.ptp(backdrop), abs=1e-6)


@pytest.mark.parametrize(
    ("mode", "peer"),
    [("multiply", ImageChops.multiply), ("screen", ImageChops.screen), ("darken", ImageChops.darker),
     ("lighten", ImageChops.lighter), ("difference", ImageChops.difference), ("hard-light", ImageChops.hard_light),
     ("overlay", ImageChops.overlay), ("plus-lighter", ImageChops.add)],
)  # fmt: skip
def test_opaque_blends_agree_with_pillow(mode, peer):
    below, above = (RNG.integers(0, 256, (20, 20, 3), np.uint8) for _ in range(2))
    theirs = np.asarray(peer(Image.fromarray(below), Image.fromarray(above))).astype(int)
    opaque = [np.dstack([one / 255, np.ones((20, 20))]) for one in (below, above)]
    assert np.abs(laid(mode, *opaque)[..., :3] * 255 - theirs).max() < 2.1, "Pillow rounds down in between"


def test_source_over_agrees_with_pillow():
    layers = [Layer.of(str(n), RNG.integers(0, 256, (20, 20, 4), np.uint8)) for n in range(3)]
    theirs = Image.new("RGBA", (20, 20))
    for layer in layers:
        theirs = Image.alpha_composite(theirs, Image.fromarray(layer.pixels))
    ours = composite(ArtSheet((20, 20), layers)).astype(int)
    assert np.abs(ours - np.asarray(theirs)).max() <= 3


LOOK = st.builds(GroupLook, st.sampled_from([0.0, 0.25, 0.5, 1.0]), st.sampled_from(["normal", *MODES]), st.booleans())
TREE = st.recursive(
    st.tuples(
        st.integers(-6, 14), st.integers(-6, 14), st.integers(1, 12), st.integers(1, 12), st.sampled_from([0.3, 1.0]),
        st.booleans(), st.sampled_from(["normal", "normal", *MODES]), st.integers(0, 2**31),
    ),
    lambda inner: st.tuples(LOOK, st.lists(inner, min_size=1, max_size=3)),
    max_leaves=6,
)  # fmt: skip


def sheet_from(trees: list) -> ArtSheet:
    sheet, number = ArtSheet((16, 16)), iter(range(1, 1000))

    def add(tree, path):
        if len(tree) == 2:
            here = (*path, (next(number), "group"))
            sheet.looks[here] = tree[0]
            for item in tree[1]:
                add(item, here)
            return
        x, y, w, h, opacity, visible, blend, seed = tree
        pixels = np.random.default_rng(seed).integers(0, 256, (h, w, 4), np.uint8)
        pixels[..., 3] |= 1  # the painted area stays what it is
        sheet.layers.append(Layer.of(f"layer {next(number)}", pixels, (x, y), path, opacity, visible, blend))

    for tree in trees:
        add(tree, ())
    return sheet


@settings(max_examples=60, deadline=None)
@given(st.lists(TREE, min_size=1, max_size=4))
def test_any_tree_of_layers_paints_the_same_before_import_and_after(trees):
    sheet = sheet_from(trees)
    before = composite(sheet).astype(int)
    buffer = io.BytesIO()
    write_ora(buffer, sheet)
    buffer.seek(0)
    read = read_ora(buffer)
    assert np.abs(composite(read).astype(int) - before)[..., 3].max() <= 1
    figure = figure_from_sheet(read, "tree", stores := MemoryStores())
    after = pose_picture(figure, stores, Pose()).astype(int)
    # eight bits a channel in every layer of the painter; colours of nearly see-through pixels mean little
    weight = np.maximum(before[..., 3:], after[..., 3:]) / 255
    assert np.abs(after - before)[..., 3].max() <= 4
    assert (np.abs(after - before)[..., :3] * weight).mean() < 2.5


def test_what_is_posed_see_through_is_laid_on_by_porter_and_duffs_over_and_a_group_as_a_whole():
    layers = {"low": np.zeros((6, 12, 4), np.uint8), "high": np.zeros((6, 12, 4), np.uint8)}
    layers["low"][:, 0:8], layers["high"][:, 4:12] = (200, 40, 0, 255), (0, 80, 240, 255)
    figure, stores = figure_of(layers, (12, 6))
    figure = edited(figure, stores, {"kind": "group_parts", "parts": ["low", "high"], "group": "pair"})

    def seen(**opacity):
        pose = parse_pose({f"{name}.opacity": value for name, value in opacity.items()})
        return pose_picture(figure, stores, pose.by_id(figure))[3, [2, 6, 10]].astype(float)

    low, high = np.array([200, 40, 0]), np.array([0, 80, 240])
    alone = seen(high=0.25)  # over an opaque colour the mean of both, over nothing its own at that alpha
    assert alone[:, 3] == pytest.approx([255, 255, 0.25 * 255], abs=1.5)
    assert alone[1, :3] == pytest.approx(0.25 * high + 0.75 * low, abs=1.5)
    together = seen(pair=0.5)  # the low one is not seen through the high one
    assert together[:, 3] == pytest.approx([127.5] * 3, abs=1.5)
    assert together[:, :3] == pytest.approx(np.array([low, high, high]), abs=2.5)
    both = seen(pair=0.5, high=0.5)
    assert both[1, :3] == pytest.approx(0.5 * high + 0.5 * low, abs=2.5)
    assert both[:, 3] == pytest.approx([127.5, 127.5, 0.25 * 255], abs=1.5)
    assert seen(low=0, high=0)[:, 3] == pytest.approx([0, 0, 0])
