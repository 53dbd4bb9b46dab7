"""Binding: what follows what. Weights never reach a part or a limb they have no business in."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from numpy.typing import NDArray

from kunstgriff.artwork.outline import outline_of
from kunstgriff.binding.influences import default_influences
from kunstgriff.binding.judging import Judge
from kunstgriff.binding.mesh import build_mesh, smallest_angles
from kunstgriff.binding.outline import MARGIN
from kunstgriff.binding.weights import automatic_weights, spine_points, trimmed_bones
from kunstgriff.delivery.frames import painter
from kunstgriff.evaluate.state import compile_rig
from kunstgriff.figure.edit import EditRefused, apply_edit
from kunstgriff.figure.findings import findings
from kunstgriff.figure.model import Figure
from kunstgriff.figure.pose import Pose, parse_pose
from kunstgriff.paint.painter import View
from tests.art import at, capsule, drawn, edited, figure_of


def legs(gap: int = 8) -> np.ndarray:
    """Trousers: two legs of 300 px, `gap` px apart, under a 600 px wide hip."""
    alpha = np.zeros((1000, 700), np.uint8)
    cv2.rectangle(alpha, (50, 50), (650, 350), 255, -1)
    cv2.rectangle(alpha, (50, 350), (349 - gap // 2, 950), 255, -1)
    cv2.rectangle(alpha, (350 + gap // 2, 350), (650, 950), 255, -1)
    return alpha


def ring_and_island() -> np.ndarray:
    alpha = np.zeros((600, 900), np.uint8)
    cv2.circle(alpha, (300, 300), 250, 255, -1)
    cv2.circle(alpha, (300, 300), 120, 0, -1)
    cv2.circle(alpha, (750, 300), 100, 255, -1)
    return alpha


LEG_BONES = [((350.0, 80.0), (350.0, 330.0)), ((200.0, 360.0), (200.0, 900.0)), ((500.0, 360.0), (500.0, 900.0))]


def test_one_leg_does_not_follow_the_bone_of_the_other():
    for gap in (4, 8):
        outline = outline_of(legs(gap))
        bones = trimmed_bones(outline, LEG_BONES)
        mesh = build_mesh(outline, 1000, spine_points(bones, 18))
        weights = automatic_weights(mesh, bones, 18)
        right, left = mesh.vertices[:, 0] > 349 + gap // 2, mesh.vertices[:, 0] < 351 - gap // 2
        low = mesh.vertices[:, 1] > 380
        assert weights[right & low, 1].max() <= 0.03, gap
        assert weights[left & low, 2].max() <= 0.03, gap


def test_weights_lie_between_0_and_1_and_sum_to_1():
    outline = outline_of(legs())
    bones = trimmed_bones(outline, LEG_BONES)
    mesh = build_mesh(outline, 800, spine_points(bones, 20))
    weights = automatic_weights(mesh, bones, 20)
    assert weights.min() >= 0
    assert weights.max() <= 1
    assert np.abs(weights.sum(1) - 1).max() < 1e-6


@pytest.mark.parametrize("shape", [legs(), ring_and_island()])
@pytest.mark.parametrize("count", [60, 400, 2500])
def test_meshes_are_even_cover_the_art_and_have_about_the_count_asked_for(shape, count):
    outline = outline_of(shape)
    mesh = build_mesh(outline, count)
    assert smallest_angles(mesh).min() >= 28
    # a deep narrow gap takes up to some 240 vertices of its own, however few are asked for (measured)
    assert 0.85 * count - 10 <= len(mesh.vertices) <= 1.15 * count + 250
    covered = np.zeros(tuple(np.add(shape.shape, 200)), np.uint8)
    for triangle in mesh.vertices[mesh.triangles] + 100:
        cv2.fillConvexPoly(covered, np.rint(triangle * 16).astype(np.int32), 255, shift=4)
    art = np.pad(shape, 100)
    near = cv2.dilate(art, np.ones((3, 3), np.uint8))
    assert not (near & ~covered).any(), "the mesh reaches past the art on every side"


def test_islands_and_holes_stay_as_drawn():
    outline = outline_of(ring_and_island())
    assert len(outline.geoms) == 2
    assert sum(len(one.interiors) for one in outline.geoms) == 1
    # the exact areas of the discs drawn: π (250² - 120² + 100²)
    assert outline.area == pytest.approx(np.pi * (250**2 - 120**2 + 100**2), rel=0.01)
    mesh = build_mesh(outline, 300)
    middle = mesh.vertices[mesh.triangles].mean(1)
    assert not (np.hypot(*(middle - 300).T) < 120 - MARGIN - 25).any(), "the hole stays open"


def test_an_island_no_bone_touches_moves_as_one_with_its_nearest_neighbour():
    outline = outline_of(ring_and_island())
    bones = trimmed_bones(outline, [((60.0, 300.0), (170.0, 300.0)), ((430.0, 300.0), (540.0, 300.0))])
    mesh = build_mesh(outline, 300, spine_points(bones, 25))
    weights = automatic_weights(mesh, bones, 25)
    island = mesh.vertices[:, 0] > 620
    assert (weights[island] == weights[island][0]).all()
    assert weights[island][0, 1] > 0.9


def puppet():
    """A trunk, an arm hanging before it, and a satchel."""
    figure, stores = figure_of(
        {
            "trunk": drawn(capsule((200, 120), (200, 300), 90, 6)),
            "arm": drawn(capsule((180, 120), (180, 300), 22, 6)),
            "satchel": drawn('<rect x="220" y="230" width="60" height="50" fill="#955"/>'),
        }
    )
    spine = {"kind": "draw_chain", "name": "spine", "joints": at(figure, (200, 330), (200, 210), (200, 60))}
    arm = {
        "kind": "draw_chain",
        "name": "limb",
        "joints": at(figure, (180, 120), (180, 210), (180, 300)),
        "parent": "spine 2",
    }
    return edited(figure, stores, spine, arm), stores


def test_an_arm_bone_never_pulls_the_torso_behind_it():
    figure, stores = puppet()
    trunk, arm, _ = figure.parts
    assert [bone.name for bone in default_influences(figure, trunk, stores)] == ["spine", "spine 2"]
    assert [bone.name for bone in default_influences(figure, arm, stores)] == ["limb", "limb 2"]


def test_a_part_named_as_a_bone_owns_it():
    figure, stores = puppet()
    figure = edited(
        figure, stores, {"kind": "rename_part", "part": "arm", "name": "near arm"},
        {"kind": "rename_part", "part": "trunk", "name": "limb trunk"},
    )  # fmt: skip
    assert "limb" in [bone.name for bone in default_influences(figure, figure.parts[0], stores)]
    assert not default_influences(figure, figure.parts[1], stores)


def test_weights_asked_of_a_part_no_bone_touches_are_refused():
    figure, stores = puppet()
    with pytest.raises(EditRefused, match="No bone runs through “satchel”"):
        apply_edit({"kind": "bind_weighted", "parts": ["satchel"]}, figure, stores)


def test_a_part_too_small_for_a_mesh_is_refused_or_meshed_but_never_breaks():
    figure, stores = figure_of({"speck": drawn('<rect x="200" y="200" width="1" height="1" fill="#333"/>')})
    figure = edited(figure, stores, {"kind": "draw_chain", "joints": at(figure, (190, 200), (210, 200))})
    meshed = apply_edit(
        {"kind": "bind_weighted", "parts": ["speck"], "influences": ["bone"], "count": 12}, figure, stores
    )
    assert meshed.parts[0].binding.mesh.vertex_count >= 3
    with pytest.raises(EditRefused, match="count"):
        apply_edit({"kind": "bind_weighted", "parts": ["speck"], "count": 20_001}, figure, stores)


def test_a_rider_stays_on_its_spot_and_turns_with_it():
    figure, stores = puppet()
    spot = at(figure, (250, 250))[0]
    figure = edited(
        figure, stores, {"kind": "bind_weighted", "parts": ["trunk"], "count": 300},
        {"kind": "bind_rider", "parts": ["satchel"], "carrier": "trunk", "spot": spot},
    )  # fmt: skip
    rig = compile_rig(figure, stores)
    rest = rig.program.rest.copy()
    block = rig.program.blocks[figure.parts[2].id]
    assert np.allclose(rig.evaluate(parse_pose({})).vertices, rest, atol=1e-4)
    posed = rig.evaluate(parse_pose({"turn": {"spine": 30}}).by_id(figure)).vertices
    (ux, uy), (vx, vy) = rest[block.start + 1] - rest[block.start], posed[block.start + 1] - posed[block.start]
    turned = np.degrees(np.arctan2(ux * vy - uy * vx, ux * vx + uy * vy))
    # the spot lies beside the lower bone, so it turns nearly as that does and stays as large as it was
    assert 20 < turned <= 30.5
    assert np.hypot(vx, vy) == pytest.approx(np.hypot(ux, uy), rel=1e-4)
    with pytest.raises(EditRefused, match="itself"):
        apply_edit({"kind": "bind_rider", "parts": ["trunk"], "carrier": "trunk", "spot": spot}, figure, stores)
    with pytest.raises(EditRefused, match="“trunk” on “satchel” on “trunk”"):
        apply_edit({"kind": "bind_rider", "parts": ["trunk"], "carrier": "satchel", "spot": spot}, figure, stores)


def test_a_part_that_lies_over_itself_is_painted_child_over_parent_or_as_told():
    # a strip folded right over: where both halves lie on one another the child's colour is seen, and none of the
    # parent's ink; told otherwise, the parent's
    halves = (
        '<rect x="60" y="180" width="140" height="40" fill="#cc3333"/>',
        '<rect x="200" y="180" width="140" height="40" fill="#3333cc"/>',
    )
    figure, stores = figure_of({"strip": drawn("".join(halves))})
    chain = {"kind": "draw_chain", "name": "strip", "joints": at(figure, (70, 200), (200, 200), (330, 200))}
    figure = edited(figure, stores, chain, {"kind": "bind_figure"})

    def seen(one: Figure) -> NDArray[np.uint8]:
        rig = compile_rig(one, stores)
        view = View((20, 10), 1.0, tuple(at(one, (65, 195))[0]))
        return painter().paint(rig, rig.evaluate(parse_pose({"turn": {"strip 2": 178}}).by_id(one)), view, stores)

    child, parent = (
        seen(figure),
        seen(edited(figure, stores, {"kind": "stack_bones", "parts": ["strip"], "bones": ["strip"]})),
    )
    assert (child[..., 2] > 150).all()
    assert (child[..., 0] < 100).all()
    assert (parent[..., 0] > 150).all()
    stack = {"kind": "stack_by_pose", "part": "strip", "bones": ["strip"]}
    early = edited(figure, stores, {**stack, "switch": {"bone": "strip 2", "low": 20, "high": 90}})
    late = edited(figure, stores, {**stack, "switch": {"bone": "strip 2", "low": 120, "high": 180}})
    assert (seen(early) == child).all()
    assert (seen(late) == parent).all()
    other = {"kind": "draw_chain", "name": "other", "joints": at(figure, (10, 10), (50, 10))}
    loose = edited(figure, stores, other)
    with pytest.raises(EditRefused, match="does not move"):
        apply_edit({"kind": "stack_bones", "parts": ["strip"], "bones": ["other"]}, loose, stores)
    with pytest.raises(EditRefused, match="does not move"):
        apply_edit({**stack, "bones": ["other"], "switch": {"bone": "strip"}}, loose, stores)


def test_a_bend_that_flings_vertices_far_off_is_judged_in_a_picture_of_bounded_size():
    # a chain that folds back near a joint once asked for an array larger than any machine has
    mesh = build_mesh(outline_of(legs()), 200)
    ends = (np.array([200.0, 300.0]), np.array([200.0, 600.0]))
    judge = Judge(mesh.vertices, mesh.triangles, np.array([200.0, 450.0]), ends, 0.02)
    flung = mesh.vertices.copy()
    flung[::3] *= 1e7
    assert judge.look(flung, ends).width >= 0
    flung[:] = np.nan
    assert judge.look(flung, ends).area == 0


def test_an_island_beside_a_bend_is_told_and_follows_as_a_whole_or_becomes_a_part():
    arm = capsule((80, 200), (320, 200), 30, 6)
    button = '<rect x="190" y="244" width="40" height="24" fill="#b03a2e"/>'
    figure, stores = figure_of({"arm": drawn(arm + button)})
    chain = {"kind": "draw_chain", "name": "arm", "joints": at(figure, (70, 200), (200, 200), (330, 200))}
    figure = edited(figure, stores, chain, {"kind": "bind_weighted", "parts": ["arm"], "influences": ["arm", "arm 2"]})
    (told,) = [one for one in findings(figure, stores) if "beside the limb" in one.sentence]
    whole, apart = (next(one for one in told.remedies if word in one.word) for word in ("whole", "part"))
    settled = apply_edit(whole.edit, figure, stores)
    corners = button_of(settled, 70.0, stores)
    rest = button_of(settled, 0.0, stores)
    assert np.hypot(*(corners[0] - corners[-1])) == pytest.approx(np.hypot(*(rest[0] - rest[-1])), abs=0.01)
    assert not [one for one in findings(settled, stores) if "beside the limb" in one.sentence]
    split = apply_edit(apart.edit, figure, stores)
    assert len(split.parts) == 2


def button_of(figure, angle, stores):
    """Where the vertices of the island below y = 240 of the sheet lie when the forearm is turned."""
    rig = compile_rig(figure, stores)
    below = rig.program.rest[:, 1] + figure.sheet.standing_point[1] > 240
    return rig.evaluate(Pose.of_bones(turn={figure.bones[1].id: angle})).vertices[below].copy()
