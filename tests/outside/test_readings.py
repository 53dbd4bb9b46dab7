"""Joints read through their range, held against exact shapes."""

from __future__ import annotations

import json

import numpy as np
import pytest
from click.testing import CliRunner
from shapely import affinity
from shapely.geometry import LineString

from kunstgriff.cli import cli
from kunstgriff.delivery.frames import painter
from kunstgriff.figure.archive import write_archive
from kunstgriff.figure.edit import EditRefused
from kunstgriff.figure.model import Figure
from kunstgriff.figure.stores import MemoryStores
from kunstgriff.reading.fan import bend_fan
from kunstgriff.reading.joint import JointReader
from tests.art import at, capsule, drawn, edited, figure_of, two_piece_arm

ANGLES = (0.0, 30.0, 60.0, 90.0, -90.0, 120.0)
READ = ANGLES[1:]


def readings(figure: Figure, stores: MemoryStores, angles=ANGLES, bone="arm 2"):
    found = next(one for one in figure.bones if one.name == bone)
    return {one.angle: one for one, _ in JointReader(figure, stores, found, painter()).read(angles)}


def test_two_rigid_pieces_with_round_ends_keep_their_width_and_the_area_of_their_union():
    # shapely: the union of two capsules about one joint; 44 px is half the outer width
    figure, stores = two_piece_arm()
    upper, fore = (LineString([a, (200, 200)]).buffer(44, quad_segs=64) for a in ((60, 200), (340, 200)))
    rest = upper.union(fore).area
    for angle, read in readings(figure, stores).items():
        union = upper.union(affinity.rotate(fore, angle, origin=(200, 200))).area
        assert read.area_kept == pytest.approx(union / rest, abs=0.005)
        assert read.width_kept == pytest.approx(1, abs=0.02)
        assert read.folded == 0


def test_a_joint_at_rest_reads_one_and_nothing_folded():
    figure, stores = two_piece_arm()
    read = readings(figure, stores, (0.0,))[0.0]
    assert (read.width_kept, read.area_kept, read.folded, read.departs, read.swells) == (1, 1, 0, 0, 0)


def one_piece_arm(weights) -> tuple[Figure, MemoryStores]:
    """A capsule arm 4 to 1 in one piece, its joint in the middle, weighted by `weights(x)` (px along it) to the forearm."""
    figure, stores = figure_of({"arm": drawn(capsule((80, 200), (320, 200), 36, 8))})
    figure = edited(
        figure, stores, {"kind": "draw_chain", "name": "arm", "joints": at(figure, (60, 200), (200, 200), (340, 200))},
        {"kind": "bind_weighted", "parts": ["arm"], "influences": ["arm", "arm 2"], "count": 1500},
    )  # fmt: skip
    part = figure.parts[0]
    vertices = stores.get_array(part.binding.mesh.vertices) + np.array(part.drawing.place) + figure.sheet.standing_point
    share = weights(vertices[:, 0])
    table = stores.put_array(np.column_stack([1 - share, share]).astype(np.float32))
    binding = part.binding.model_copy(update={"weights": table, "zones": ()})
    return figure.replace(parts=(part.model_copy(update={"binding": binding}),)), stores


@pytest.mark.parametrize("angle", [45.0, 60.0, 90.0])
def test_half_and_half_weights_lose_width_by_the_cosine_of_half_the_angle(angle):
    # Magnenat-Thalmann et al. 1988, geometry: a vertex shared evenly lies at cos(θ/2) of its distance from the joint.
    # Over a long even stretch the limb is that much thinner across its new direction.
    figure, stores = one_piece_arm(lambda x: np.clip((x - 140) / 120, 0, 1))
    read = readings(figure, stores, (angle,))[angle]
    assert read.width_kept == pytest.approx(np.cos(np.radians(angle / 2)), abs=0.12)
    assert read.width_kept < 0.97


def test_a_hard_crease_folds_and_a_wide_passage_does_not_but_departs():
    hard = readings(*one_piece_arm(lambda x: (x > 200).astype(float)), (90.0,))[90.0]
    soft = readings(*one_piece_arm(lambda x: np.clip((x - 120) / 160, 0, 1)), (90.0,))[90.0]
    assert hard.folded > soft.folded == 0
    assert soft.departs > 36 * (1 - np.cos(np.radians(45)))  # as the cosine says, for half a limb of 36 px


def test_what_does_not_bend_is_said():
    figure, stores = two_piece_arm()
    bones = {bone.name: bone for bone in figure.bones}
    with pytest.raises(EditRefused, match="hangs on no other bone"):
        JointReader(figure, stores, bones["arm"], painter())
    bare = edited(figure, stores, {"kind": "unbind", "parts": ["forearm", "upper arm"]})
    with pytest.raises(EditRefused, match="bind one first"):
        JointReader(bare, stores, bones["arm 2"], painter())


def test_the_fan_has_a_square_for_each_angle():
    figure, stores = two_piece_arm()
    fan = bend_fan(figure, stores, figure.bones[1], painter(), READ, tile=90)
    assert fan.strip.shape == (90, 90 * len(READ), 4)
    for place in range(len(READ)):
        assert fan.strip[:, 90 * place : 90 * place + 90, 3].any()


def test_the_shell_reads_a_joint_as_data(tmp_path):
    figure, stores = two_piece_arm()
    write_archive(tmp_path / "arm.zip", figure, stores)
    run = ["read", str(tmp_path / "arm.zip"), "--joint", "arm 2", "--angles", "-60,0,60"]
    rows = json.loads(CliRunner().invoke(cli, [*run, "--json", "--picture", str(tmp_path / "fan.png")]).output)
    assert [row["angle"] for row in rows] == [-60, 0, 60]
    assert set(rows[0]) == {"angle", "width_kept", "area_kept", "folded", "departs", "waves", "swells", "told"}
    assert (tmp_path / "fan.png").exists()
    assert CliRunner().invoke(cli, [*run[:-1], "a,b"]).exit_code == 2
    refused = CliRunner().invoke(cli, ["read", str(tmp_path / "arm.zip"), "--joint", "knee"])
    assert (refused.exit_code, "no bone “knee”" in refused.output) == (1, True)
