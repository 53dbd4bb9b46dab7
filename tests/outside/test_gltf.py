"""Our .glb before foreign judges: the Khronos validator (npm gltf-validator) and three.js's own skinning."""

from __future__ import annotations

import json
import subprocess
from pathlib import Path

import numpy as np
import pygltflib
import pytest

from kunstgriff.delivery.deliver import DeliveryOrder, deliver
from kunstgriff.delivery.gltf import UNIT
from kunstgriff.evaluate.state import compile_rig
from kunstgriff.trial.motion import motion_named, play
from tests.art import at, capsule, drawn, edited, figure_of, two_piece_arm
from tests.core.test_feet import strider

NODE = Path(__file__).parent / "node"


def judge(*words: str):
    done = subprocess.run(
        ["node", "judge.js", *words], cwd=NODE, capture_output=True, text=True, check=True, timeout=120
    )
    return json.loads(done.stdout)


@pytest.fixture(scope="module")
def glb(pell, tmp_path_factory) -> Path:
    target = tmp_path_factory.mktemp("glb") / "pell.glb"
    deliver(target, DeliveryOrder(*pell))
    return target


def test_the_khronos_validator_has_no_error_and_no_warning(glb):
    issues = judge("validate", str(glb))
    assert (issues["numErrors"], issues["numWarnings"]) == (0, 0), issues["messages"][:5]


FRAMES = [0, 7, 20, 41, 60, 94]  # at its very end the clip begins anew


def seen_by_three(glb: Path, figure) -> list[list[tuple[str, list[int], np.ndarray]]]:
    """What three.js shows in a few frames of the swing, back to front: names, vertices of the rig, where they are, px.

    What is off lies in one point.
    """
    told = judge("pose", str(glb), *(str(number / figure.rate) for number in FRAMES))
    meshes = [
        [
            (
                m["name"].split("_(")[0].replace("_", " "),
                m["rig"],
                np.array(m["vertices"]).reshape(-1, 2) / UNIT * (1, -1),
            )
            for m in f
        ]
        for f in told
    ]
    return [[one for one in frame if np.ptp(one[2], axis=0).max() > 1e-6] for frame in meshes]


def seen_by_us(figure, stores) -> list[tuple[list[str], np.ndarray]]:
    """What we paint in the same frames, back to front, and all vertices; trims are said as covers."""
    rig = compile_rig(figure, stores)
    found = []
    for frame in play(rig):
        names = []
        for item in frame.items:
            if frame.share(item.switches) >= 0.5:
                names.append(rig.program.blocks[item.block].part.name)
                names += [
                    rig.program.blocks[s.block].part.name for mask in item.masks if mask.ink_only for s in mask.shapes
                ]
        found.append((names, frame.vertices.astype(np.float64)))
    return [found[number] for number in FRAMES]


def farthest_apart(glb: Path, figure, stores) -> float:
    """px between where three.js and we put any vertex in any of a few frames of the swing."""
    worst = 0.0
    for (names, vertices), meshes in zip(seen_by_us(figure, stores), seen_by_three(glb, figure), strict=True):
        assert len(meshes) == len(names)
        worst = max(worst, *(np.abs(placed - vertices[rig]).max() for _, rig, placed in meshes))
    return worst


def test_three_js_skins_every_vertex_where_we_do(pell, tmp_path):
    figure, stores = pell
    parts = [
        part.model_copy(update={"binding": part.binding.model_copy(update={"zones": ()})})
        if part.binding.kind == "weighted" else part
        for part in figure.parts
    ]  # fmt: skip
    springs = tuple(one.model_copy(update={"stretch": 0.0}) for one in figure.springs)
    # what tacks do in a pose glTF is not told
    plain = figure.replace(parts=tuple(parts), springs=springs, warps=(), poses=(), levers=())
    deliver(tmp_path / "plain.glb", DeliveryOrder(plain, stores))
    assert farthest_apart(tmp_path / "plain.glb", plain, stores) < 1e-3


def test_three_js_bends_elbows_as_we_do(glb, pell):
    # between two of its morph targets, 10° apart, a bend is told to a third of a px; where links that give meet, the
    # stretch of one goes over into that of the next a little otherwise than linear blending has it
    figure, stores = pell
    known = figure.replace(warps=(), poses=(), levers=())  # what tacks do it is not told
    assert farthest_apart(glb, known, stores) < 0.7


def test_three_js_stretches_bones_as_we_do_and_what_hangs_on_them_goes_along(tmp_path):
    figure, stores = figure_of({"rod": drawn(capsule((200, 60), (200, 160), 20, 4)), "end": drawn(capsule((200, 180), (240, 300), 16, 4))})  # fmt: skip
    figure = edited(
        figure, stores, {"kind": "draw_chain", "name": "hold", "joints": at(figure, (200, 20), (200, 60), (210, 170), (245, 300))},
        {"kind": "bind_rigid", "parts": ["rod"], "bone": "hold 2"}, {"kind": "bind_rigid", "parts": ["end"], "bone": "hold 3"},
        {"kind": "set_spring", "bone": "hold 2", "frequency": 1.5, "damping_ratio": 0.1, "stretch": 0.5, "bounce": 1.2},
    )  # fmt: skip
    told = deliver(tmp_path / "rod.glb", DeliveryOrder(figure, stores))
    assert not [one for one in told if "stretch" in one]
    assert farthest_apart(tmp_path / "rod.glb", figure, stores) < 1e-3
    rigid = figure.replace(springs=tuple(one.model_copy(update={"stretch": 0.0}) for one in figure.springs))
    assert farthest_apart(tmp_path / "rod.glb", rigid, stores) > 2, "without it they would lie elsewhere"
    issues = judge("validate", str(tmp_path / "rod.glb"))
    assert (issues["numErrors"], issues["numWarnings"]) == (0, 0), issues["messages"][:5]


def test_what_the_pose_turns_on_and_brings_to_the_front_comes_and_goes_in_three_js(tmp_path):
    figure, stores = two_piece_arm()
    figure = edited(
        figure, stores,
        {"kind": "make_stand_in", "bone": "arm 2", "name": "whole"},
        {"kind": "stand_in_for", "part": "whole", "parts": ["forearm"], "switch": {"bone": "arm", "low": -360, "high": -6}},
        {"kind": "order_by_pose", "part": "forearm", "in_front_of": "upper arm", "switch": {"bone": "arm", "low": 6}},
    )  # fmt: skip
    deliver(tmp_path / "arm.glb", DeliveryOrder(figure, stores))
    ours = [names for names, _ in seen_by_us(figure, stores)]
    assert {tuple(names) for names in ours} == {
        ("forearm", "upper arm"), ("upper arm", "forearm"), ("upper arm", "whole"),
    }  # fmt: skip
    theirs = [[name for name, _, _ in frame] for frame in seen_by_three(tmp_path / "arm.glb", figure)]
    assert theirs == ours
    issues = judge("validate", str(tmp_path / "arm.glb"))
    assert (issues["numErrors"], issues["numWarnings"]) == (0, 0), issues["messages"][:5]
    nodes = pygltflib.GLTF2().load(str(tmp_path / "arm.glb")).nodes
    told = {node.name: node.extras["shown"] for node in nodes if "shown" in (node.extras or {})}
    assert told["whole shown"]["while"] == [{"bone": "arm", "from": -360.0, "to": -6.0, "stretch": 1.0}]


@pytest.mark.parametrize("whole", [False, True])
def test_a_trim_is_said_as_a_cover_of_the_neighbours_fill(tmp_path, whole):
    figure, stores = two_piece_arm()
    deliver(tmp_path / "bare.glb", DeliveryOrder(figure, stores))
    trimmed = edited(figure, stores, {"kind": "lay_trim", "bone": "arm 2", "whole": whole})
    deliver(tmp_path / "arm.glb", DeliveryOrder(trimmed, stores))
    meshes = {
        name: [mesh.name for mesh in pygltflib.GLTF2().load(str(tmp_path / f"{name}.glb")).meshes]
        for name in ("bare", "arm")
    }
    assert meshes["arm"] == [*meshes["bare"], "forearm cover"]


def test_a_walk_on_reaches_plays_in_three_js_as_here_at_every_frame(tmp_path):
    figure, stores = strider()
    figure = edited(
        figure, stores, {"kind": "make_motion", "name": "act", "frames": 60},
        {"kind": "walk", "motion": "act", "first": 4, "last": 56, "speed": 5},
    )  # fmt: skip
    motion = motion_named(figure, "act")
    deliver(tmp_path / "walk.glb", DeliveryOrder(figure, stores, motion=motion))
    frames = list(range(59))  # at its very end the clip begins anew
    told = judge("pose", str(tmp_path / "walk.glb"), *(str(number / figure.rate) for number in frames))
    worst = 0.0
    for meshes, frame in zip(told, play(compile_rig(figure, stores), motion), strict=False):
        for mesh in meshes:
            there = np.array(mesh["vertices"]).reshape(-1, 2) / UNIT * (1, -1)
            worst = max(worst, float(np.abs(there - frame.vertices[mesh["rig"]]).max()))
    assert worst <= 0.5
