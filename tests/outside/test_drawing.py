"""What is read from and painted on artwork, held against geometry, shapely, W3C SVG and scikit-image's pictures."""

from __future__ import annotations

import io

import numpy as np
import pytest
import shapely
from shapely.geometry import LineString, Point, Polygon
from skimage import data

from kunstgriff.artwork.blending import laid, premultiplied, straightened
from kunstgriff.artwork.facts import facts_of
from kunstgriff.artwork.ink import line_widths, split_ink
from kunstgriff.artwork.meetings import Meeting, gap_area, gap_turn, meetings, read_meeting
from kunstgriff.artwork.ora import read_ora, write_ora
from kunstgriff.artwork.outline import outline_of
from kunstgriff.artwork.pngs import read_pngs, write_pngs
from kunstgriff.artwork.sheet import ArtSheet, Layer, composite, figure_from_sheet
from kunstgriff.artwork.svg import read_svg
from kunstgriff.delivery.png import pose_picture
from kunstgriff.figure.findings import findings
from kunstgriff.figure.pose import Pose
from kunstgriff.figure.stores import MemoryStores, decode_png
from tests.art import FILL, INK, at, capsule, drawn, edited, figure_of
from tests.conftest import DEMO

TURNS = 720


@pytest.mark.parametrize(
    ("body", "shape"),
    [
        ('<circle cx="200" cy="200" r="120"/>', Point(200, 200).buffer(120, quad_segs=64)),
        ('<path d="M50 60 L350 90 L300 320 L90 280 Z"/>', Polygon([(50, 60), (350, 90), (300, 320), (90, 280)])),
        (
            '<path fill-rule="evenodd" d="M50 50 H350 V350 H50 Z M150 150 H250 V250 H150 Z"/>',
            Polygon(shapely.box(50, 50, 350, 350).exterior, [shapely.box(150, 150, 250, 250).exterior]),
        ),
        (capsule((100, 200), (300, 240), 50, 10), LineString([(100, 200), (300, 240)]).buffer(55, quad_segs=64)),
    ],
)
def test_outlines_lie_within_two_pixels_of_the_drawn_shape(body, shape):
    # shapely: Hausdorff distance and areas
    outline = outline_of(drawn(body)[..., 3])
    assert shapely.hausdorff_distance(outline.boundary, shape.boundary) <= 2
    assert outline.area == pytest.approx(shape.area, rel=0.02)


@pytest.mark.parametrize("stroke", [3, 6, 9, 13, 18])
def test_the_line_is_as_wide_as_the_stroke_that_drew_it(stroke):
    # W3C SVG: a stroke of width w covers w / 2 on each side of its path; here all of it lies within the part
    rgba = drawn(capsule((110, 180), (290, 230), 60, stroke))
    widths = line_widths(rgba, split_ink(rgba))
    assert np.median(widths) == pytest.approx(stroke, abs=0.3)
    assert np.subtract(*np.percentile(widths, [75, 25])) < 0.5
    assert (widths > 0).all(), "the outline is closed"


def test_an_open_end_is_known_by_its_missing_line():
    body = (
        f'<path d="M100 150 H300 V250 H100" fill="{FILL}" stroke="{INK}" stroke-width="8"/>'
        f'<rect x="98" y="154" width="6" height="92" fill="{FILL}"/>'
    )
    figure, stores = figure_of({"sleeve": drawn(body)})
    read = facts_of(figure.parts[0], stores)
    assert read.line_width == pytest.approx(8, abs=0.3)
    assert read.inked == pytest.approx(1 - 100 / 600, abs=0.05), "100 of 600 px of edge have no line"


def on_circles(radius: int, inside) -> np.ndarray:
    """Samples as `gap_turn` takes them, from a test on (radius, angle)."""
    r, angle = np.arange(0.5, radius)[:, None], (np.arange(TURNS) * 2 * np.pi / TURNS)[None]
    return np.broadcast_to(inside(r, angle), (radius, TURNS))


@pytest.mark.parametrize("degrees", [10, 30, 60, 90])
def test_flat_ends_open_a_wedge_of_half_theta_r_squared(degrees):
    # geometry: two half discs butted at the joint open a sector of area θ r² / 2
    right = on_circles(50, lambda r, a: (np.cos(a) >= 0) & (r > 0))
    left = on_circles(50, lambda r, a: (np.cos(a) < 0) & (r > 0))
    assert gap_area(right, left, degrees) == pytest.approx(np.radians(degrees) * 50**2 / 2, rel=0.03)
    assert gap_turn(right, left) <= 4


def test_concentric_round_ends_never_open_a_gap():
    # geometry: a disc turned about its middle is the same disc
    whole = on_circles(50, lambda r, a: (r > 0) & (a < 10))
    left = on_circles(50, lambda r, a: (np.cos(a) < 0) & (r > 0))
    assert gap_turn(whole, left) is None


def test_a_cap_is_the_half_disc_about_the_pivot_and_closes_the_gap():
    stroke = f'stroke="{INK}" stroke-width="8"'
    flat = drawn(f'<path d="M200 160 H340 V240 H200 Z" fill="{FILL}" {stroke}/>')
    upper = drawn(f'<path d="M60 160 H200 V240 H60 Z" fill="{FILL}" {stroke}/>')
    figure, stores = figure_of({"upper arm": upper, "forearm": flat})
    (pivot,) = at(figure, (200, 200))
    before = figure.part(figure.parts[1].id)
    meeting = Meeting(before, figure.parts[0], pivot)
    assert read_meeting(meeting, stores).turn < 40
    capped = edited(figure, stores, {"kind": "make_cap", "part": "forearm", "pivot": list(pivot)})
    after = capped.parts[1]
    reading = read_meeting(Meeting(after, capped.parts[0], pivot), stores)
    assert (reading.turn, reading.departure < 1) == (None, True)
    # from the pivot on, the half disc of half the limb's outer width takes the place of the flat end
    outer = 44
    expected = (344 - 200) * 88 + np.pi * outer**2 / 2
    painted = stores.get_pixels(after.drawing.picture)[..., 3].sum() / 255
    assert painted == pytest.approx(expected, rel=0.005)
    widths = facts_of(after, stores)
    assert (widths.line_width, widths.inked) == (pytest.approx(8, abs=0.4), 1.0), "the line runs around the cap"
    assert after.drawing.pivot == (round(pivot[0], 1), round(pivot[1], 1))


def test_strokes_and_fills_of_the_demo_laid_together_are_the_whole(pell_drawing):
    sheet = pell_drawing
    apart = [layer for layer in sheet.layers if layer.split]
    assert len(apart) > 25
    for layer in apart:
        ink, fill = (premultiplied(decode_png(one)) for one in layer.split)
        whole = premultiplied(layer.pixels)
        difference = np.abs(laid("normal", fill, ink) - whole) * 255
        assert difference.mean() < 1, layer.name


def test_strokes_and_fills_are_exact_under_group_opacity_masks_gradients_and_occlusion():
    body = (
        '<defs><mask id="m"><rect width="60" height="100" fill="#fff"/><rect x="60" width="40" height="100" fill="#888"/></mask>'
        '<linearGradient id="g"><stop stop-color="#fc0"/><stop offset="1" stop-color="#f40" stop-opacity="0.5"/></linearGradient>'
        "<style>.a{fill:url(#g)} rect.b{stroke:#123;stroke-width:4}</style></defs>"
        '<g id="lamp" stroke="#222" stroke-width="4"><g opacity="0.6" mask="url(#m)">'
        '<rect class="a b" x="10" y="10" width="60" height="60"/><circle cx="62" cy="60" r="20" fill="#9ab"/></g>'
        '<path d="M20 92 H80" fill="none"/></g>'
    )
    svg = f'<svg xmlns="http://www.w3.org/2000/svg" width="100" height="100">{body}<g id="n"/></svg>'
    (layer, *_) = read_svg(io.BytesIO(svg.encode())).layers
    ink, fill = (premultiplied(decode_png(one)) for one in layer.split)
    assert (np.abs(laid("normal", fill, ink) - premultiplied(layer.pixels)) * 255).mean() < 1
    # inside the circle lies no ink, though the rectangle's stroke runs underneath it
    x, y = 70 - layer.offset[0], 60 - layer.offset[1]
    assert ink[y, x, 3] == 0
    assert straightened(fill)[y, x, :3].tolist() == pytest.approx([0x99, 0xAA, 0xBB], abs=2)


@pytest.mark.parametrize("name", ["astronaut", "chelsea", "coffee"])
def test_a_picture_cut_into_parts_and_put_together_again_has_not_a_changed_pixel(name):
    # scikit-image's bundled photographs, which have every colour there is
    picture = getattr(data, name)()[:300, :400]
    height, width = picture.shape[:2]
    rng = np.random.default_rng(2)
    owner = np.kron(rng.integers(0, 5, (6, 8)), np.ones((50, 50), int))[:height, :width]
    layers = [
        Layer.of(f"piece {n}", np.dstack([picture, np.where(owner == n, 255, 0).astype(np.uint8)])) for n in range(5)
    ]
    sheet = ArtSheet((width, height), layers)
    for write, read in ((write_ora, read_ora), (write_pngs, read_pngs)):
        buffer = io.BytesIO()
        write(buffer, sheet)
        buffer.seek(0)
        again = read(buffer)
        assert np.array_equal(composite(again)[..., :3], picture)
        figure = figure_from_sheet(again, name, stores := MemoryStores())
        assert np.array_equal(pose_picture(figure, stores, Pose())[..., :3], picture)


def test_the_demo_limbs_meet_at_their_joints_and_never_open(pell):
    figure, stores = pell
    at_joint = {one.child.name: (one.parent.name, read_meeting(one, stores)) for one in meetings(figure, stores)}
    for child, parent in (("near forearm", "near upper arm"), ("near shin", "near thigh"), ("far shin", "far thigh")):
        name, reading = at_joint[child]
        assert name == parent
        assert reading.turn is None, "their ends were drawn round about the joint"
        assert reading.departure < 0.03 * reading.radius


def test_every_finding_of_the_faulty_sheet_is_raised_and_every_remedy_mends_it():
    figure = figure_from_sheet(read_ora(DEMO / "faulty.ora"), "moth", stores := MemoryStores())
    found = [one for one in findings(figure, stores) if one.stage == "artwork"]
    raised = {one.key.split(":")[0].split(" ")[0] for one in found}
    assert raised == {
        "off", "block", "strays", "islands", "holes", "soft", "name", "sides", "side", "overlap", "cap", "lines", "cut",
        "bent",
    }  # fmt: skip
    for item in found:
        *mending, accept = item.remedies
        for remedy in [*mending, accept]:
            after = edited(figure, stores, remedy.edit)
            what = item.key.split(":")[0]
            left = [
                other.sentence
                for other in findings(after, stores)
                if other.key.split(":")[0] == what and set(other.parts) & set(item.parts)
            ]
            assert not left, (remedy.word, left)
