"""Our .glb before foreign judges: the Khronos validator (npm gltf-validator) and three.js's own skinning."""

from __future__ import annotations

import json
import subprocess
from pathlib import Path

import numpy as np
import pytest

from kunstgriff.delivery.deliver import Order, deliver
from kunstgriff.delivery.gltf import UNIT, plain_items
from kunstgriff.evaluate.rig import compile_rig
from kunstgriff.trial.swing import play

NODE = Path(__file__).parent / "node"


def judge(*words: str):
    done = subprocess.run(
        ["node", "judge.js", *words], cwd=NODE, capture_output=True, text=True, check=True, timeout=120
    )
    return json.loads(done.stdout)


@pytest.fixture(scope="module")
def glb(pell, tmp_path_factory) -> Path:
    target = tmp_path_factory.mktemp("glb") / "pell.glb"
    deliver(target, Order(*pell))
    return target


def test_the_khronos_validator_has_no_error_and_no_warning(glb):
    issues = judge("validate", str(glb))
    assert (issues["numErrors"], issues["numWarnings"]) == (0, 0), issues["messages"][:5]


def farthest_apart(glb: Path, figure, stores) -> float:
    """px between where three.js and we put any vertex in any of a few frames of the swing."""
    frames = [0, 7, 20, 41, 60, 94]  # at its very end the clip begins anew
    rig = compile_rig(figure, stores)
    drawn = len(plain_items(rig))
    ours = [frame.vertices.astype(np.float64) for frame in play(rig)]
    theirs = judge("pose", str(glb), *(str(number / figure.rate) for number in frames))
    worst = 0.0
    for number, meshes in zip(frames, theirs, strict=True):
        assert len(meshes) == drawn
        for mesh in meshes:
            placed = np.array(mesh["vertices"]).reshape(-1, 2) / UNIT * (1, -1)
            worst = max(worst, np.abs(placed - ours[number][mesh["rig"]]).max())
    return worst


def test_three_js_skins_every_vertex_where_we_do(pell, tmp_path):
    figure, stores = pell
    parts = [
        part.model_copy(update={"binding": part.binding.model_copy(update={"zones": ()})})
        if part.binding.kind == "weighted" else part
        for part in figure.parts
    ]  # fmt: skip
    plain = figure.replace(parts=tuple(parts))
    deliver(tmp_path / "plain.glb", Order(plain, stores))
    assert farthest_apart(tmp_path / "plain.glb", plain, stores) < 1e-3


def test_three_js_bends_elbows_as_we_do(glb, pell):
    # between two of its morph targets, 10° apart, a bend is told to a third of a px
    assert farthest_apart(glb, *pell) < 0.35
