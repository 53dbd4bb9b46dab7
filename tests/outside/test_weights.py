"""Weights and skinning against libigl (Jacobson et al. 2011, bounded biharmonic weights; linear blend skinning)."""

from __future__ import annotations

import igl
import numpy as np
import pytest

from kunstgriff.artwork.outline import outline_of
from kunstgriff.binding.blending import linear
from kunstgriff.binding.mesh import build_mesh
from kunstgriff.binding.weights import automatic_weights, laplacian, linked_bones, spine_points, trimmed_bones
from tests.art import capsule, drawn
from tests.core.test_binding import LEG_BONES, legs

ARM_BONES = [((40.0, 200.0), (200.0, 200.0)), ((200.0, 200.0), (360.0, 200.0))]


def bound(alpha, bones, count, edge):
    outline = outline_of(alpha)
    trimmed = trimmed_bones(outline, bones)
    mesh = build_mesh(outline, count, spine_points(trimmed, edge))
    weights = automatic_weights(mesh, trimmed, edge, linked=linked_bones(bones))
    held = np.flatnonzero(
        (weights == 1).any(1) & (np.abs(mesh.vertices[:, None] - _samples(trimmed)).min(1).sum(1) < edge)
    )
    return mesh, weights, held


def _samples(bones):
    return np.concatenate([np.linspace(a, b, 60) for a, b in bones])[None]


@pytest.mark.parametrize(
    ("alpha", "bones", "near", "rough"),
    [
        (drawn(capsule((50, 200), (350, 200), 40, 0))[..., 3], ARM_BONES, 0.01, 1.05),
        # what keeps one leg's bone out of the other costs smoothness: 2.2 times the energy (measured)
        (legs(), LEG_BONES, 0.05, 2.5),
    ],
)
def test_our_weights_are_near_libigls_bounded_biharmonic_ones_on_the_same_mesh(alpha, bones, near, rough):
    mesh, weights, held = bound(alpha, bones, 700, 16)
    values = np.eye(len(bones))[weights[held].argmax(1)]
    bounded = igl.bbw(mesh.vertices, mesh.triangles.astype(np.int64), held.astype(np.int64), values)
    bounded = bounded / bounded.sum(1, keepdims=True)
    assert np.abs(bounded - weights).mean() < near
    stiffness, area = laplacian(mesh)

    def roughness(table):
        bent = stiffness @ table
        return float((bent**2 / area[:, None]).sum())

    # the same energy, without the quadratic program
    assert roughness(weights.astype(float)) < rough * roughness(bounded)


def test_our_laplacian_is_libigls():
    mesh, _, _ = bound(legs(), LEG_BONES, 300, 30)
    ours, area = laplacian(mesh)
    vertices = np.column_stack([mesh.vertices, np.zeros(len(mesh.vertices))])
    faces = mesh.triangles.astype(np.int64)
    assert np.abs(ours + igl.cotmatrix(vertices, faces)).max() < 1e-9
    assert area.sum() == pytest.approx(igl.doublearea(vertices, faces).sum() / 2)


def test_our_skinning_is_libigls_linear_blend_skinning():
    rng = np.random.default_rng(5)
    rest = rng.uniform(-1000, 1000, (500, 2)).astype(np.float32)
    weights = rng.dirichlet(np.ones(4), 500).astype(np.float32)
    bones = np.tile(np.arange(4, dtype=np.int32), (500, 1))
    angles = rng.uniform(-3, 3, 4)
    c, s = np.cos(angles), np.sin(angles)
    shift = rng.uniform(-200, 200, (4, 2))
    matrices = np.stack([c, s, -s, c, shift[:, 0], shift[:, 1]], 1)
    ours = np.empty_like(rest)
    linear(rest, bones, weights, np.column_stack([c, s, shift]).astype(np.float32), ours)
    transforms = np.concatenate([np.array([[m[0], m[1]], [m[2], m[3]], [m[4], m[5]]]) for m in matrices])
    theirs = igl.lbs_matrix(rest.astype(float), weights.astype(float)) @ transforms
    assert np.abs(ours - theirs).max() < 2e-4, "float32 of about 2,000 px"


@pytest.mark.parametrize("degrees", [45, 90, 120])
def test_a_half_half_vertex_keeps_cos_half_theta_of_its_distance(degrees):
    # geometry: two equal shares of a point turned by 0 and by θ meet at cos(θ/2) of the distance; 0.924, 0.707, 0.5
    theta = np.radians(degrees)
    turns = np.array([[1, 0, 0, 0], [np.cos(theta), np.sin(theta), 0, 0]], np.float32)
    vertex = np.empty((1, 2), np.float32)
    half = np.array([[0.5, 0.5, 0, 0]], np.float32)
    linear(np.array([[0, 100]], np.float32), np.array([[0, 1, 0, 0]], np.int32), half, turns, vertex)
    assert np.hypot(*vertex[0]) / 100 == pytest.approx(np.cos(theta / 2), abs=1e-6)
