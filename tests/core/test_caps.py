"""Round ends about a joint: a recipe on the drawing, taken off again, made anew with it."""

from __future__ import annotations

import numpy as np
import pytest
from shapely.geometry import MultiPolygon, box

from kunstgriff.artwork.ends import RoundEnd
from kunstgriff.artwork.mending import with_cap
from kunstgriff.artwork.outline import part_solid
from kunstgriff.artwork.rescaling import rescaled
from kunstgriff.delivery.frames import painter
from kunstgriff.figure.edit import EditRefused, apply_edit, need_bone, need_part
from kunstgriff.figure.model import Figure
from kunstgriff.figure.renewal import redrawn
from kunstgriff.figure.stores import MemoryStores, encode_png
from kunstgriff.reading.proposing import propose
from kunstgriff.reading.seam import SeamReader
from kunstgriff.reading.seams import read_seam, read_seam_at
from kunstgriff.reading.unhidden import unhidden
from kunstgriff.seam.cap import needs_cap
from kunstgriff.seam.treating import treatment_now
from tests.art import FILL, INK, at, capsule, drawn, edited, figure_of

RADIUS, STROKE = 30, 6


def off_middle(off: float) -> tuple[Figure, MemoryStores]:
    """Two round-ended pieces of one limb about (200, 200), whose bones meet `off` px beside it."""
    upper, fore = capsule((80, 200), (200, 200), RADIUS, STROKE), capsule((200, 200), (320, 200), RADIUS, STROKE)
    figure, stores = figure_of({"upper": drawn(upper), "fore": drawn(fore)})
    chain = {"kind": "draw_chain", "name": "arm", "joints": at(figure, (70, 200), (200, 200 + off), (330, 200))}
    rigid = [
        {"kind": "bind_rigid", "parts": [part], "bone": bone} for part, bone in (("upper", "arm"), ("fore", "arm 2"))
    ]
    return edited(figure, stores, chain, *rigid), stores


def test_a_joint_beside_the_limb_s_middle_is_seen_and_moved_there_in_the_same_step():
    # plane geometry: turned by 90° about a spot 12 px off, round ends lie 12 √2 px apart
    figure, stores = off_middle(12)
    bone = need_bone(figure, "arm 2")
    covered = edited(figure, stores, {"kind": "lay_cover", "bone": "arm 2"})
    seen = read_seam(covered, stores, bone, painter(), 30)
    assert max(max(one.beyond, one.short) for one in seen.readings) > 6
    found = propose(figure, stores, bone, painter())
    assert found.chosen.to == pytest.approx(at(figure, (200, 200))[0], abs=0.6)
    assert found.chosen.by == pytest.approx(12, abs=0.6)
    assert not found.chosen.seam.misses
    after = edited(
        figure,
        stores,
        {"kind": "treat_joints", "joints": [{"bone": "arm 2", "treatment": found.best, "to": found.chosen.to}]},
    )
    assert need_bone(after, "arm").tip == need_bone(after, "arm 2").joint == found.chosen.to
    assert not propose(after, stores, need_bone(after, "arm 2"), painter()).changes


def test_a_joint_on_the_limb_s_middle_stays_where_a_person_put_it():
    figure, stores = off_middle(0.5)
    assert propose(figure, stores, need_bone(figure, "arm 2"), painter()).chosen.to is None


@pytest.mark.parametrize("low", [-110, 0])
def test_round_about_a_joint_beside_the_middle_keeps_each_side_s_distance(low):
    # what keeps its distance from the pivot stays on one circle: outside of a limb that turns to one side only
    outline = MultiPolygon([box(100, 100, 300, 160)])
    end = RoundEnd.of(outline, (120, 145), turns=(-low, 110.0))
    assert (end.left, end.right) == pytest.approx((15, 45), abs=0.5)
    spots = np.array(end.shape.exterior.coords) - (120, 145)
    far = spots[(spots[:, 1] < 0) & (spots[:, 0] < 0)]
    steep = np.degrees(np.arctan2(np.abs(far[:, 0]), -far[:, 1]))
    assert np.hypot(*far[steep < (50 if low else 70)].T) == pytest.approx(45, abs=0.5)
    assert end.shape.difference(box(0, 100, 400, 160)).is_empty  # nothing stands out at rest


def limb(end: str, upper: float = RADIUS) -> tuple[Figure, MemoryStores]:
    """A forearm whose upper end is drawn flat at the joint (200, 200) or square beyond it, on a round upper arm."""
    start = 200 if end == "flat" else 170
    box = f'x="{start}" y="170" width="{340 - start}" height="60"'
    fore = f'<rect {box} fill="#d8c3a4" stroke="{INK}" stroke-width="{STROKE}"/>'
    layers = {"upper": drawn(capsule((80, 200), (200, 200), upper, STROKE)), "fore": drawn(fore)}
    figure, stores = figure_of(layers)
    chain = {"kind": "draw_chain", "name": "arm", "joints": at(figure, (70, 200), (200, 200), (330, 200))}
    rigid = [
        {"kind": "bind_rigid", "parts": [part], "bone": bone} for part, bone in (("upper", "arm"), ("fore", "arm 2"))
    ]
    return edited(figure, stores, chain, *rigid), stores


@pytest.mark.parametrize("end", ["flat", "square"])
def test_an_end_is_made_round_about_the_joint_and_given_back(end):
    figure, stores = limb(end)
    bone = need_bone(figure, "arm 2")
    assert needs_cap(need_part(figure, "fore"), bone, stores)
    assert not needs_cap(need_part(figure, "upper"), bone, stores)
    after = edited(figure, stores, {"kind": "lay_cap", "bone": "arm 2"})
    part = need_part(after, "fore")
    assert [one.kind for one in after.treatments] == ["cap"]
    outline = np.array(part_solid(part, stores).geoms[0].exterior.coords) + part.drawing.place - bone.joint
    behind = outline[outline[:, 0] < -2]
    assert np.abs(np.hypot(*behind.T) - (RADIUS + STROKE / 2)).max() < 1.2  # a circle about the joint, line and all
    assert part.drawing.picture != need_part(figure, "fore").drawing.picture
    lifted = edited(after, stores, {"kind": "lift_treatment", "treatment": after.treatments[0].id})
    assert need_part(lifted, "fore") == need_part(figure, "fore")
    with pytest.raises(EditRefused, match="round about it already"):
        apply_edit({"kind": "lay_cap", "bone": "arm 2"}, after, stores)


def test_what_would_show_at_rest_beside_the_two_parts_is_not_proposed():
    # a round end of the wider piece stands out beside the narrower one, where nothing was drawn: (30² - 18²) π / 2 px²
    figure, stores = limb("flat", upper=18)
    found = propose(figure, stores, need_bone(figure, "arm 2"), painter())
    capped = [one for one in found.trials if "cap" in one.treatment]
    assert capped
    assert all("otherwise at rest" in one.refused for one in capped)
    assert "cap" not in found.best


def test_a_seam_at_a_soft_limit_is_held_against_the_turn_that_is_really_made():
    figure, stores = limb("flat")
    figure = edited(figure, stores, {"kind": "lay_cap", "bone": "arm 2"},
                    {"kind": "set_limits", "bones": ["arm 2"], "limits": {"low": -30, "high": 40, "soft": 20}})  # fmt: skip
    told = read_seam_at(figure, stores, need_bone(figure, "arm 2"), painter(), [-30.0, 40.0])
    assert not any("one limb" in words for words in told.values())


def test_a_new_drawing_gets_the_cap_anew():
    figure, stores = limb("flat")
    figure = edited(figure, stores, {"kind": "lay_cap", "bone": "arm 2"})
    part = need_part(figure, "fore")
    first = figure.treatments[0]
    rgba = stores.get_pixels(first.picture).copy()
    rgba[..., 1] //= 2  # the same shape in another colour
    tinted = part.with_drawing(picture=stores.put_picture(encode_png(rgba)), place=first.place, size=first.size)
    after = redrawn(figure, tinted, stores)
    now, cap = need_part(after, "fore"), after.treatments[0]
    assert cap.picture == tinted.drawing.picture
    assert now.drawing.picture == cap.made != tinted.drawing.picture
    assert now.drawing.size == part.drawing.size
    assert now.drawing.picture == with_cap(tinted, need_bone(after, "arm 2").joint, None, stores).drawing.picture


def test_a_joint_is_treated_with_round_ends_in_one_step_and_as_drawn_again():
    figure, stores = limb("square")
    capped = edited(figure, stores, {"kind": "treat_joints", "joints": [{"bone": "arm 2", "treatment": "cap_cover"}]})
    ref = need_bone(figure, "arm 2").id
    assert treatment_now(capped, ref) == "cap_cover"
    plain = edited(capped, stores, {"kind": "treat_joints", "joints": [{"bone": "arm 2", "treatment": "nothing"}]})
    assert treatment_now(plain, ref) == "nothing"
    assert need_part(plain, "fore") == need_part(figure, "fore")


def two_widths(upper: float, fore: float, fill: str = FILL) -> tuple[Figure, MemoryStores]:
    """A limb of two round-ended pieces of so many px half width, their joint at (200, 200)."""
    pieces = {
        "fore": capsule((200, 200), (350, 200), fore, STROKE, fill),
        "upper": capsule((80, 200), (200, 200), upper, STROKE),
    }
    figure, stores = figure_of({name: drawn(piece) for name, piece in pieces.items()})
    return edited(
        figure, stores, {"kind": "draw_chain", "name": "arm", "joints": at(figure, (70, 200), (200, 200), (360, 200))},
        {"kind": "bind_rigid", "parts": ["upper"], "bone": "arm"},
        {"kind": "bind_rigid", "parts": ["fore"], "bone": "arm 2"},
    ), stores  # fmt: skip


@pytest.mark.parametrize(("upper", "fore"), [(60, 40), (42, 60), (50, 42)])
def test_pieces_of_two_widths_are_blended_into_one_limb(upper, fore):
    figure, stores = two_widths(upper, fore)
    bone = need_bone(figure, "arm 2")
    found = propose(figure, stores, bone, painter())
    assert "blend_cover" in [one.key for one in found.trials]
    assert found.best != "blend_cover"  # it changes what was drawn: shown, not taken, where another hides all
    after = edited(figure, stores, {"kind": "treat_joints", "joints": [{"bone": "arm 2", "treatment": "blend_cover"}]})
    assert treatment_now(after, bone.id) == "blend_cover"
    assert not propose(after, stores, bone, painter(), 20, every=False).changes  # what hides all stays as it was laid
    narrow, wide = ("fore", "upper") if fore < upper else ("upper", "fore")
    assert need_part(after, wide) == need_part(figure, wide)
    angles = [-100.0, -60.0, 0.0, 60.0, 100.0]
    before, now = (
        list(SeamReader(one, stores, bone, painter()).read(angles))
        for one in (edited(figure, stores, {"kind": "lay_cover", "bone": "arm 2"}), after)
    )
    assert max(one.corner for one in before) > 20
    assert max(one.corner for one in now) < 16
    assert max(one.outline_step for one in now) < 0.1 * STROKE + 0.2
    assert not read_seam(after, stores, bone, painter(), 30).misses
    (cap,) = after.treated("cap")
    far = np.abs(np.arange(400) + 0.5 - 200) > cap.widens + 1
    sheets = []
    for item in (figure, after):
        part = need_part(item, narrow)
        sheets.append(np.zeros((400, 400, 4), np.uint8))
        x, y = (round(place) for place in np.add(part.drawing.place, item.sheet.standing_point))
        pixels = stores.get_pixels(part.drawing.picture)
        sheets[-1][y : y + part.drawing.size[1], x : x + part.drawing.size[0]] = np.where(
            pixels[..., 3:] > 0, pixels, 0
        )
    assert np.array_equal(sheets[0][:, far], sheets[1][:, far])  # beyond what widens nothing is painted anew
    lifted = edited(after, stores, {"kind": "treat_joints", "joints": [{"bone": "arm 2", "treatment": "nothing"}]})
    assert need_part(lifted, narrow) == need_part(figure, narrow)


def test_pieces_of_one_width_have_nothing_to_blend():
    figure, stores = two_widths(50, 50)
    with pytest.raises(EditRefused, match="as wide there"):
        apply_edit({"kind": "blend_widths", "bone": "arm 2"}, figure, stores)
    found = propose(figure, stores, need_bone(figure, "arm 2"), painter())
    assert "blend_cover" not in [one.key for one in found.trials]


def test_a_new_drawing_and_another_scale_are_widened_anew():
    figure, stores = two_widths(60, 40)
    after = edited(figure, stores, {"kind": "blend_widths", "bone": "arm 2"})
    (cap,) = after.treated("cap")
    tinted, others = two_widths(60, 40, "#9aa5c4")
    part = need_part(tinted, "fore")
    picture = stores.put_picture(others.get_picture(part.drawing.picture))
    anew = need_part(after, "fore").with_drawing(picture=picture, place=part.drawing.place, size=part.drawing.size)
    renewed = redrawn(after, anew, stores)
    solids = [part_solid(need_part(one, "fore"), stores) for one in (after, renewed)]
    assert solids[0].symmetric_difference(solids[1]).area < 0.002 * solids[0].area
    half = rescaled(after, 0.5, stores)
    assert half.treated("cap")[0].widens == pytest.approx(cap.widens / 2)
    assert half.treated("cap")[0].radius == pytest.approx(cap.radius / 2)


def test_what_no_treatment_hides_is_said_to_whoever_draws():
    figure, stores = limb("flat", upper=14)
    figure = edited(figure, stores, {"kind": "say_meeting", "bones": ["arm 2"], "meets_as": "limb"})
    told = list(unhidden(figure, stores, painter()))
    assert len(told) == 1
    assert "however it is treated" in told[0].sentence
    assert "draw the end of fore round about (200, 200), 33 px" in told[0].sentence
    assert "fore is 66 px wide there and upper 33: draw them alike" in told[0].sentence
    assert not list(unhidden(*limb("square"), painter()))  # round ends hide that


def test_a_line_that_a_round_end_left_inside_the_limb_is_seen():
    # a bar as wide as the line across the flat end, painted back into the picture with the cap: 50 px of it, 6 wide
    figure, stores = limb("flat")
    figure = edited(figure, stores, {"kind": "treat_joints", "joints": [{"bone": "arm 2", "treatment": "cap_cover"}]})
    bone = need_bone(figure, "arm 2")
    assert not read_seam(figure, stores, bone, painter(), 30).misses
    part = need_part(figure, "fore")
    x, y = (round(one) for one in np.subtract(bone.joint, part.drawing.place))
    pixels = stores.get_pixels(part.drawing.picture).copy()
    pixels[y - 18 : y + 18, x - 2 : x + 3, :3] = (0x2B, 0x2A, 0x33)
    marked = stores.put_picture(encode_png(pixels))
    (cap,) = figure.treated("cap")
    barred = figure.replace(
        parts=tuple(one.with_drawing(picture=marked) if one.id == part.id else one for one in figure.parts),
        treatments=tuple(
            one.model_copy(update={"made": marked}) if one.id == cap.id else one for one in figure.treatments
        ),
    )
    seen = read_seam(edited(barred, stores, {"kind": "lift_cover", "bone": "arm 2"}), stores, bone, painter(), 30)
    clean = read_seam(edited(figure, stores, {"kind": "lift_cover", "bone": "arm 2"}), stores, bone, painter(), 30)
    assert max(one.ink for one in seen.readings) > max(one.ink for one in clean.readings) + 100
