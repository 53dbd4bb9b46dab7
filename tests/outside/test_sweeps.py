"""Bends of drawn limbs held against plane geometry: both outlines continued, round outside, creased inside."""

from __future__ import annotations

import math

import numpy as np
import pytest
import shapely
from shapely import affinity
from shapely.geometry import LineString, MultiPolygon

from kunstgriff.binding.banks import banks_at
from kunstgriff.binding.mesh import build_mesh
from kunstgriff.binding.sweep import Sweep
from kunstgriff.binding.zones import JointFrame
from kunstgriff.figure.model import Zone
from tests.elbows import LIMBS, bound, looks, posed


@pytest.mark.parametrize("kind", LIMBS)
def test_any_drawn_limb_bends_along_its_own_outline(kind):
    limb = LIMBS[kind]()
    figure, stores = bound(limb)
    for angle in (-120.0, -60.0, 60.0, 120.0):
        seen = looks(limb, posed(figure, stores, angle), angle)
        assert abs(seen.area) <= 0.006, angle
        assert seen.away <= (3.0 if "off" in kind else 2.2), (
            angle
        )  # px; the small radius of an off-centre bone is coarse
        assert seen.wave <= 1.8, angle


def elbow_of_capsule(turn: float = 0.0, flip: bool = False) -> tuple[JointFrame, object]:
    """A capsule of half width 20 about the origin, turned, or mirrored first."""
    shape = affinity.rotate(LineString([(-80, 0), (80, 0)]).buffer(20, 32), turn, origin=(0, 0), use_radians=True)
    outline = MultiPolygon([shape])
    ahead, back = turn, turn + math.pi
    banks = banks_at(outline, (0.0, 0.0), ahead, back, 75.0)
    return JointFrame((0.0, 0.0), ahead, back, 20.0, -1 if flip else 1, 3.75, banks), outline


@pytest.mark.parametrize("turn", [0.0, 0.7, 2.5])
def test_turning_a_limb_turns_its_bend(turn):
    elbow, outline = elbow_of_capsule()
    mesh = build_mesh(outline, 200)
    other, _ = elbow_of_capsule(turn)
    c, s = math.cos(turn), math.sin(turn)
    back = np.array([[c, s], [-s, c]])
    zone = Zone(bone="b1")
    made = []
    for item, points in ((elbow, mesh.vertices), (other, mesh.vertices @ back)):
        runs, depths = item.coordinates(points)
        share = item.passage(zone, runs, depths)
        sweep = Sweep(points, mesh.triangles, item, zone, share, 0 * share, share * 0 + 1, (-150, 150))
        made.append((sweep.members, sweep.at(1.4)))
    assert np.array_equal(made[0][0], made[1][0])
    assert np.abs(made[0][1] @ back - made[1][1]).max() < 0.6  # px: outlines are read in whole steps


def test_at_rest_nothing_moves_and_beyond_the_zone_a_limb_is_stiff():
    elbow, outline = elbow_of_capsule()
    mesh = build_mesh(outline, 300)
    zone = Zone(bone="b1", inner=2.0, outer=2.0)
    runs, depths = elbow.coordinates(mesh.vertices)
    share = elbow.passage(zone, runs, depths)
    sweep = Sweep(mesh.vertices, mesh.triangles, elbow, zone, share, 0 * share, share * 0 + 1, (-60, 60))
    assert np.abs(sweep.at(0.0) - mesh.vertices[sweep.members]).max() < 1e-9
    beyond = (np.abs(runs) > 46).all(0)
    assert set(share[beyond].tolist()) <= {0.0, 1.0}


def test_the_crease_of_a_straight_limb_lies_at_r_tan_of_half_the_angle():
    # plane geometry: two parallels at distance r from the joint cross at r tan(θ/2) from their feet
    elbow, outline = elbow_of_capsule()
    mesh = build_mesh(outline, 100)
    share = np.zeros(len(mesh.vertices))
    sweep = Sweep(mesh.vertices, mesh.triangles, elbow, Zone(bone="b1"), share, share, share, (-150, 150))
    for degrees in (30, 60, 90, 120):
        for sign in (1, -1):
            found = sweep.crease(0 if sign > 0 else 1, sign * math.radians(degrees))
            assert found == pytest.approx([20 * math.tan(math.radians(degrees) / 2)] * 2, abs=0.8)


def test_a_bent_net_folds_nowhere_the_art_is_seen():
    limb = LIMBS["6:1"]()
    figure, stores = bound(limb, 480)
    part = figure.parts[0]
    triangles = stores.get_array(part.binding.mesh.triangles)
    vertices = stores.get_array(part.binding.mesh.vertices)
    art = shapely.buffer(affinity.translate(limb.shape, -part.drawing.place[0], -part.drawing.place[1]), 4)
    x, y = figure.sheet.standing_point
    art = affinity.translate(art, -x, -y)
    seen = shapely.intersects(shapely.polygons(vertices[triangles]), art)

    def areas(points):
        a, b, c = (points[triangles[:, k]].astype(float) for k in range(3))
        return (b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (b[:, 1] - a[:, 1]) * (c[:, 0] - a[:, 0])

    from tests.art import vertices_of

    for angle in (-120, -90, 90, 120):
        now = areas(vertices_of(figure, stores, turn={"arm 2": angle}))
        assert (now[seen] > 0).mean() > 0.98, angle
