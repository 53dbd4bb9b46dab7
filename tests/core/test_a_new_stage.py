"""A stage of the work added from outside, in this one file: nothing of another stage is touched for it.

It is the worked example of `docs/architecture.md`: shivering. A bone has one more channel, by which it trembles; an
edit takes a figure's tremble into a kept pose, a check finds figures that cannot tremble, and what trembles turns pale.
"""

from __future__ import annotations

import json
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, replace
from typing import ClassVar, Literal

import numpy as np
import pytest
from click.testing import CliRunner

from kunstgriff.commands import COMMANDS
from kunstgriff.evaluate.program import Build, Drawn, DrawPass, Node, Nodes
from kunstgriff.evaluate.stale import TURN
from kunstgriff.evaluate.state import RigState, compile_rig
from kunstgriff.figure.archive import write_archive
from kunstgriff.figure.channels import Quantity, quantities
from kunstgriff.figure.edit import Edit, Edits, apply_edit
from kunstgriff.figure.findings import Check, Finding, findings
from kunstgriff.figure.model import Figure, KeptPose
from kunstgriff.figure.pose import Pose, parse_pose
from kunstgriff.figure.stage import Stage, Stages, install
from kunstgriff.figure.stores import Stores
from kunstgriff.stages import STAGES
from kunstgriff.trial.motion import IntoPose, play
from tests.art import figure_of, two_piece_arm

SHIVER = Quantity("shiver", "shiver", "°", 0.0, -20.0, 20.0, array="shiver", mirrored=-1.0)


@dataclass(frozen=True)
class Shivering:
    """Adds each bone's shiver to its turn, before limits and forward kinematics go by it."""

    reads: ClassVar[frozenset[str]] = frozenset()
    writes: ClassVar[frozenset[str]] = frozenset({TURN})

    def run(self, rig: RigState) -> None:
        rig.turn += rig.program.channels.seen(rig.values, "shiver")


def shivering(build: Build, figure: Figure, stores: Stores) -> Iterator[Node]:
    if figure.bones:
        yield Shivering()


def pale(build: Build, figure: Figure, stores: Stores, entries: list[Drawn]) -> list[Drawn]:
    return [(depth, replace(item, tint=(1.0, 1.0, 1.0, 0.2)), faces) for depth, item, faces in entries]


class ShiverAll(Edit):
    """Keep a pose in which every bone shivers by so many degrees."""

    kind: Literal["shiver_all"] = "shiver_all"
    degrees: float

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        pose = Pose(channels={f"{bone.id}.shiver": self.degrees for bone in figure.bones})
        return figure.replace(poses=(*figure.poses, KeptPose(name="shivering", pose=pose)))

    def describe(self, figure: Figure) -> str:
        return "let it shiver"


def nothing_shivers(figure: Figure, stores: Stores) -> Iterable[Finding]:
    if not figure.bones:
        yield Finding(stage="shiver", sentence="0 bones shiver.", weight=0.1)


STAGE = Stage(
    "shiver",
    (
        SHIVER,
        Edits(ShiverAll),
        Nodes(shivering),
        DrawPass(pale, reads=frozenset({"pictures"}), writes=frozenset({"pictures"})),
        Check(nothing_shivers),
    ),
)


@pytest.fixture(autouse=True)
def with_the_stage():
    install(Stages(*STAGES.stages, STAGE))
    yield
    install(STAGES)


def test_its_channel_is_posed_parsed_kept_and_played_like_any_other():
    figure, stores = two_piece_arm()
    rig = compile_rig(figure, stores)
    shivered = rig.evaluate(parse_pose({"arm 2.shiver": 12.0}).by_id(figure)).vertices.copy()
    turned = rig.evaluate(parse_pose({"arm 2.turn": 12.0}).by_id(figure)).vertices.copy()
    assert np.array_equal(shivered, turned)
    kept = apply_edit({"kind": "shiver_all", "degrees": 8}, figure, stores)
    assert set(kept.poses[0].pose.channels.values()) == {8.0}
    most = max(float(frame.matrices[1, 1]) for frame in play(rig, IntoPose("shivering", kept.poses[0].pose)))
    assert most == pytest.approx(np.sin(np.radians(16)), abs=1e-6)
    assert quantities()["shiver"].unit == "°"


def test_the_shell_knows_its_edit_and_its_channel(tmp_path):
    figure, stores = two_piece_arm()
    write_archive(tmp_path / "arm.zip", figure, stores)
    (tmp_path / "edits.json").write_text(json.dumps([{"kind": "shiver_all", "degrees": 8}]))
    paths = [str(tmp_path / name) for name in ("arm.zip", "edits.json", "out.zip")]
    shell = CliRunner()
    assert shell.invoke(COMMANDS, ["edit", paths[0], paths[1], "-o", paths[2]]).exit_code == 0
    assert "arm 2.shiver" in shell.invoke(COMMANDS, ["channels", paths[2]]).output


def test_its_finding_is_told_and_its_pass_changes_what_is_painted():
    figure, stores = two_piece_arm()
    assert {item.tint[3] for item in compile_rig(figure, stores).program.items} == {0.2}
    bare, stores = figure_of({"stone": np.full((40, 40, 4), 255, np.uint8)}, (40, 40))
    assert "0 bones shiver." in [one.sentence for one in findings(bare, stores)]


def test_without_it_nothing_is_left_of_it():
    install(STAGES)
    figure, stores = two_piece_arm()
    assert "shiver" not in quantities()
    assert {item.tint[3] for item in compile_rig(figure, stores).program.items} == {0.0}
