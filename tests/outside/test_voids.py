"""Void maps on drawn limbs of known shape (plane geometry)."""

from __future__ import annotations

import numpy as np
import pytest

from kunstgriff.artwork.ora import read_ora
from kunstgriff.artwork.renewing import match_sheet, renewal
from kunstgriff.artwork.sheet import Layer
from kunstgriff.delivery.deliver import DeliveryOrder, deliver
from kunstgriff.delivery.frames import painter
from kunstgriff.evaluate.state import compile_rig
from kunstgriff.figure.edit import apply_edit
from kunstgriff.figure.stores import decode_png
from kunstgriff.reading.opened import OpenedReader
from kunstgriff.reading.seams import read_seam
from kunstgriff.reading.sentences import seam_findings
from kunstgriff.reading.voids import joints_behind, together, void_map
from kunstgriff.seam.joints import need_meeting
from kunstgriff.trial.motion import motion_named
from tests.art import FILL, at, capsule, drawn, edited, figure_of, two_piece_arm
from tests.outside.test_seam_readings import RADIUS, flat_ended_arm


def mapped(figure, stores, *angles):
    return void_map(figure, stores, figure.bones[1], painter(), angles)


@pytest.mark.parametrize("degrees", [30.0, 60.0, -75.0])
def test_a_wedge_opens_and_is_mapped_back_to_where_the_paint_is_missing(degrees):
    # two bars butted at the joint open a sector of θ r² / 2, which belongs to the part behind where the other lay
    figure, stores = flat_ended_arm()
    found = mapped(figure, stores, degrees)
    assert found.area == pytest.approx(np.radians(abs(degrees)) * RADIUS**2 / 2, rel=0.05)
    rows, columns = np.nonzero(found.unpainted)
    spots = np.stack([columns, rows], 1) + 0.5 + found.corner - figure.bones[1].joint
    assert np.hypot(*spots.T).max() < RADIUS + 1
    assert not found.painted[found.unpainted].any()
    beyond = 1 if found.part.name == "upper arm" else -1  # which way the part behind ends
    assert (spots[:, 0] * beyond > -1).all()


def test_concentric_round_ends_lack_nothing_and_bring_nothing_hidden_to_light():
    found = mapped(*two_piece_arm(), -90.0, -45.0, 45.0, 90.0)
    assert found.area == 0
    assert found.lit.sum() < 60  # soft edges


def test_what_reaches_far_under_its_neighbour_comes_to_light():
    layers = {
        "forearm": drawn(capsule((150, 200), (340, 200), 40, 8)),
        "upper arm": drawn(capsule((60, 200), (200, 200), 40, 8)),
    }
    figure, stores = figure_of(layers)
    figure = edited(
        figure, stores, {"kind": "draw_chain", "name": "arm", "joints": at(figure, (60, 200), (200, 200), (340, 200))},
        {"kind": "bind_rigid", "parts": ["upper arm"], "bone": "arm"},
        {"kind": "bind_rigid", "parts": ["forearm"], "bone": "arm 2"},
    )  # fmt: skip
    found = mapped(figure, stores, 90.0)
    # plane geometry: turned by 90°, of the end (half width 44, 50 px further on) all shows that reaches past the other's
    # band, a strip of 6 px and a half disc, and what lies beside the other's round end
    expected = 6 * 88 + np.pi * 44**2 / 2 + (1 - np.pi / 4) * 44**2
    assert found.lit.sum() == pytest.approx(expected, rel=0.08)
    assert found.area == 0


def test_a_part_grown_underneath_by_the_remedy_of_the_finding_opens_no_gap_at_any_angle():
    figure, stores = flat_ended_arm()
    bone = figure.bones[1]
    (finding,) = seam_findings(
        figure, [(read_seam(figure, stores, bone, painter()), need_meeting(figure, bone, stores))]
    )
    assert "opens a gap" in finding.sentence
    grown = edited(figure, stores, finding.remedies[0].edit)
    left = [miss.what for miss in read_seam(grown, stores, bone, painter()).misses]
    assert "opens a gap" not in left  # its square corners stand out as drawn: that is another matter
    assert mapped(grown, stores, -40.0, 40.0).area == 0


def test_what_is_painted_on_the_sheet_with_voids_closes_the_gap_when_it_comes_back(tmp_path):
    figure, stores = flat_ended_arm()
    bone = figure.bones[1]
    deliver(tmp_path / "arm.voids.ora", DeliveryOrder(figure, stores))
    sheet = read_ora(tmp_path / "arm.voids.ora")
    ((number, void),) = [(k, layer) for k, layer in enumerate(sheet.layers) if "void" in layer.name]
    behind = sheet.layers[number - 1]
    assert void.name == f"void of {behind.name}, not a part"
    # the illustrator fills where the layer tells, on the part's own layer
    canvas = np.zeros((400, 400, 4), np.uint8)
    for layer in (behind, void):
        pixels, (x, y) = decode_png(layer.png), layer.offset
        canvas[y : y + layer.size[1], x : x + layer.size[0]][pixels[..., 3] > 0] = decode_png(behind.png)[20, 20]
    sheet.layers[number - 1] = Layer.of(behind.name, canvas)
    again = apply_edit(renewal(figure, sheet, match_sheet(figure, sheet, stores), stores).model_dump(), figure, stores)
    assert [part.name for part in again.parts] == [part.name for part in figure.parts]
    before, after = (read_seam(one, stores, bone, painter()) for one in (figure, again))
    assert "opens a gap" in [miss.what for miss in before.misses]
    assert "opens a gap" not in [miss.what for miss in after.misses]


def test_a_part_behind_at_two_joints_has_one_map():
    layers = {"strap": drawn(f'<rect x="60" y="180" width="280" height="40" fill="{FILL}"/>')}
    layers |= {
        name: drawn(capsule(a, b, 30, 6))
        for name, a, b in (("left", (30, 200), (90, 200)), ("right", (310, 200), (370, 200)))
    }
    figure, stores = figure_of(layers)
    figure = edited(
        figure, stores,
        {"kind": "draw_chain", "name": "strap", "joints": at(figure, (200, 200), (200, 120))},
        {"kind": "draw_chain", "name": "left", "parent": "strap", "joints": at(figure, (75, 200), (30, 200))},
        {"kind": "draw_chain", "name": "right", "parent": "strap", "joints": at(figure, (325, 200), (370, 200))},
        *({"kind": "bind_rigid", "parts": [name], "bone": name} for name in layers),
    )  # fmt: skip
    joints = joints_behind(figure, stores)[figure.parts[0].id]
    assert [bone.name for bone in joints] == ["left", "right"]
    maps = [void_map(figure, stores, bone, painter(), [-60.0, 60.0]) for bone in joints]
    whole = together(maps)
    assert whole.lit.sum() == sum(one.lit.sum() for one in maps) > 0
    assert whole.bones == tuple(bone.id for bone in joints)


def moved(figure, stores, *keys, loop=False):
    """The figure with a motion of two seconds, and that."""
    made = [{"kind": "make_motion", "name": "act", "frames": 48}]
    figure = edited(figure, stores, *made, *({"kind": "set_keys", "motion": "act", **one} for one in keys))
    return figure, motion_named(figure, "act")


def test_over_a_motion_paint_is_missing_where_the_joint_is_turned_however_the_whole_limb_moves():
    figure, stores = flat_ended_arm()
    figure, motion = moved(
        figure, stores, {"at": 0, "pose": {"arm 2.turn": 0, "arm.turn": 0, "arm.move.x": 0}},
        {"at": 24, "pose": {"arm 2.turn": 60, "arm.turn": 140, "arm.move.x": 900}},
    )  # fmt: skip
    bone = figure.bones[1]
    found = void_map(figure, stores, bone, painter(), (), motion)
    assert found.area == pytest.approx(mapped(figure, stores, 60.0).area, rel=0.05)
    (open_,) = OpenedReader(compile_rig(figure, stores), stores, painter(), [bone]).over(motion, range(0, 48, 2))
    # common geometry: the largest circle in a sector of 60° and radius r has r/3; its corner is cut by the circle's edge
    assert open_.frame >= 24
    assert open_.disc == pytest.approx(2 * 0.85 * RADIUS / 3, rel=0.1)


def test_what_a_spring_or_a_part_that_hides_brings_to_light_is_seen_too():
    figure, stores = flat_ended_arm()
    figure = edited(figure, stores, {"kind": "set_spring", "bone": "arm 2", "frequency": 1.0, "damping_ratio": 0.1})
    bone, keys = figure.bones[1], ({"at": 0, "pose": {"arm.turn": 0}}, {"at": 6, "pose": {"arm.turn": 50}})
    figure, motion = moved(figure, stores, *keys)
    assert void_map(figure, stores, bone, painter(), (0.0,)).area == 0
    assert void_map(figure, stores, bone, painter(), (), motion).area > 200, "no key turns it, its spring does"
    stiff = edited(figure, stores, {"kind": "remove_spring", "bone": "arm 2"})
    assert void_map(stiff, stores, bone, painter(), (), motion_named(stiff, "act")).area == 0


def test_a_gap_that_a_swapped_drawing_leaves_bare_is_seen():
    layers = {
        "forearm": drawn(f'<rect x="212" y="160" width="128" height="80" fill="{FILL}"/>'),
        "upper arm": drawn(f'<rect x="60" y="160" width="140" height="80" fill="{FILL}"/>'),
        "wide": drawn(f'<rect x="170" y="150" width="60" height="100" fill="{FILL}"/>'),
        "narrow": drawn(f'<rect x="100" y="150" width="60" height="100" fill="{FILL}"/>'),
    }
    figure, stores = figure_of(layers)
    figure = edited(
        figure, stores, {"kind": "draw_chain", "name": "arm", "joints": at(figure, (60, 200), (214, 200), (340, 200))},
        {"kind": "bind_rigid", "parts": ["upper arm", "wide", "narrow"], "bone": "arm"},
        {"kind": "bind_rigid", "parts": ["forearm"], "bone": "arm 2"},
        {"kind": "make_set", "drawings": ["wide", "narrow"], "name": "band"},
    )  # fmt: skip
    figure, motion = moved(figure, stores, {"at": 0, "pose": {"band.shows": 1}}, {"at": 10, "pose": {"band.shows": 2}})
    reader = OpenedReader(compile_rig(figure, stores), stores, painter(), [figure.bones[1]])
    (open_,) = reader.over(motion, range(20))
    assert (open_.frame, open_.disc) == (10, pytest.approx(12, abs=1.5)), "what lay over the gap is gone"
    assert not reader.over(motion, range(10))
