"""The ideal outline of a bend, and readings held against it: they must see what is wrong with a bend, and only that."""

from __future__ import annotations

import numpy as np
import pytest
from shapely import affinity
from shapely.geometry import LineString, MultiPolygon, Point

from kunstgriff.delivery.frames import painter
from kunstgriff.reading.bends import bend_misses
from kunstgriff.reading.bent import Bent
from kunstgriff.reading.joint import JointReader
from tests.elbows import JOINT, LIMBS, WIDTH, bound, ideal

BACK, AHEAD = np.array([-1.0, 0.0]), np.array([1.0, 0.0])
ANGLES = (-120.0, -60.0, 60.0, 120.0)


def about(limb, joint):
    return affinity.translate(limb, -joint[0], -joint[1])


@pytest.mark.parametrize("name", LIMBS)
@pytest.mark.parametrize("angle", ANGLES)
def test_the_ideal_outline_is_that_traced_along_both_banks(name, angle):
    # tests/elbows.py traces both banks, arc and crease as one ring; the core joins and cuts areas
    limb = LIMBS[name]()
    joint = limb.joints[1]
    bent = Bent.at(MultiPolygon([limb.shape]), joint, BACK, AHEAD)
    due = about(ideal(limb, angle), joint)
    assert bent.ideal(angle).symmetric_difference(due).area < 0.004 * due.area


def test_a_capsule_bent_gains_the_sector_outside_and_loses_what_both_sides_share():
    # plane geometry: r² θ / 2 outside; both sides share two triangles r² tan(θ/2) / 2 inside
    r, angle = WIDTH / 2, 70.0
    shape = LineString([JOINT - (400, 0), JOINT + (400, 0)]).buffer(r, 128)
    bent = Bent.at(MultiPolygon([shape]), JOINT, BACK, AHEAD)
    theta = np.radians(angle)
    assert bent.ideal(angle).area == pytest.approx(shape.area + r**2 * (theta / 2 - np.tan(theta / 2)), rel=1e-3)
    assert bent.crease(angle) == pytest.approx(
        r / np.cos(theta / 2) * np.array([-np.sin(theta / 2), np.cos(theta / 2)]), abs=0.5
    )


def test_no_limb_no_ideal():
    shape = MultiPolygon([Point(0, 0).buffer(50)])
    assert Bent.at(shape, (200.0, 0.0), BACK, AHEAD) is None  # the joint lies outside
    assert Bent.at(shape, (0.0, 47.0), BACK, AHEAD) is None  # on its very rim: no limb to both sides
    assert Bent.at(shape, (0.0, 0.0), AHEAD, AHEAD) is None  # folded back onto its parent


def with_weights(change):
    """A drawn limb as bound, its weights of the forearm changed by `change(x, share)`, its solved shapes left out."""
    figure, stores = bound(LIMBS["6:1"]())
    part = figure.parts[0]
    x = stores.get_array(part.binding.mesh.vertices)[:, 0] + part.drawing.place[0] - figure.bones[1].joint[0]
    share = change(x, stores.get_array(part.binding.weights)[:, 1].astype(np.float64)).clip(0, 1)
    table = stores.put_array(np.column_stack([1 - share, share]).astype(np.float32))
    binding = part.binding.model_copy(update={"weights": table, "zones": ()})
    return figure.replace(parts=(part.model_copy(update={"binding": binding}),)), stores


def test_the_bend_as_bound_misses_nothing():
    for name in LIMBS:
        figure, stores = bound(LIMBS[name]())
        assert bend_misses(figure, stores, figure.bones[1], painter(), ANGLES) == {}, name


def test_blending_over_half_the_limb_departs_by_what_the_cosine_takes():
    # Magnenat-Thalmann et al. 1988: shared evenly, what lies at r comes to lie at r cos(θ/2) from the joint
    figure, stores = with_weights(lambda x, share: np.clip((x + 150) / 300, 0, 1))
    reading, _ = next(JointReader(figure, stores, figure.bones[1], painter()).read([90.0]))
    r = WIDTH / 2 + 4
    assert reading.departs > r * (1 - np.cos(np.radians(45)))
    assert reading.width_kept < 0.9
    assert "departs" in bend_misses(figure, stores, figure.bones[1], painter(), [90.0])[90.0]


def test_ripples_in_the_weights_are_seen_as_waves():
    figure, stores = bound(LIMBS["6:1"]())
    part = figure.parts[0]
    clean = next(JointReader(figure, stores, figure.bones[1], painter()).read([60.0]))[0]
    vertices = stores.get_array(part.binding.mesh.vertices)
    x = vertices[:, 0] + part.drawing.place[0] - figure.bones[1].joint[0]
    share = stores.get_array(part.binding.weights)[:, 1] + 0.03 * np.sin(x / 6) * (np.abs(x) > 90) * (np.abs(x) < 170)
    table = stores.put_array(np.column_stack([1 - share, share]).astype(np.float32))
    rippled = part.model_copy(update={"binding": part.binding.model_copy(update={"weights": table})})
    wavy = next(JointReader(figure.replace(parts=(rippled,)), stores, figure.bones[1], painter()).read([60.0]))[0]
    assert clean.waves < 1.5 < wavy.waves


def test_a_hole_is_no_narrow_place_and_an_off_centre_bone_no_thin_limb():
    for name in ("with a hole", "off centre", "far off centre"):
        figure, stores = bound(LIMBS[name]())
        for reading, _ in JointReader(figure, stores, figure.bones[1], painter()).read([-75.0, 75.0]):
            assert reading.width_kept == pytest.approx(1, abs=0.03), name
