"""The drawing changes: what hangs on a part stays, what is made from its picture is made anew."""

from __future__ import annotations

import json
from dataclasses import replace

import numpy as np
import pytest

from kunstgriff.artwork.ora import write_ora
from kunstgriff.artwork.renewing import match_sheet, renewal
from kunstgriff.artwork.sheet import ArtSheet, Layer
from kunstgriff.binding.refit import carry_weights
from kunstgriff.cli import cli
from kunstgriff.delivery.png import pose_picture
from kunstgriff.delivery.sheet import sheet_of
from kunstgriff.figure.archive import read_archive, write_archive
from kunstgriff.figure.edit import apply_edit
from kunstgriff.figure.findings import findings
from kunstgriff.figure.model import Figure
from kunstgriff.figure.pose import Pose, parse_pose
from tests.art import capsule, drawn, edited, two_piece_arm, version_1
from tests.art import sheet_of as layered
from tests.outside.test_seams import ink_inside


def arm():
    figure, stores = two_piece_arm()
    return edited(
        figure, stores, {"kind": "lay_cover", "bone": "arm 2"}, {"kind": "set_spring", "bone": "arm 2"}
    ), stores


def redrawn(figure, stores, **changed) -> ArtSheet:
    """The figure's sheet with some layers painted anew."""
    sheet = sheet_of(figure, stores, Pose())
    layers = [
        Layer.of(one.name, changed.pop(one.name.replace(" ", "_"), None), (0, 0))
        if one.name.replace(" ", "_") in changed
        else one
        for one in sheet.layers
    ]
    layers += [Layer.of(name.replace("_", " "), pixels, (0, 0)) for name, pixels in changed.items()]
    return replace(sheet, layers=layers)


def taken_over(figure, stores, sheet):
    matching = match_sheet(figure, sheet, stores)
    return matching, apply_edit(renewal(figure, sheet, matching, stores), figure, stores)


def test_the_same_sheet_changes_nothing():
    figure, stores = arm()
    matching, after = taken_over(figure, stores, sheet_of(figure, stores, Pose()))
    assert len(matching.same) == 2
    assert (matching.changed, matching.new, matching.missing) == ((), (), ())
    assert after == figure


def test_a_longer_forearm_keeps_weights_cover_and_spring_and_bends_without_a_line():
    figure, stores = arm()
    longer = drawn(capsule((200, 200), (370, 200), 40, 8, fill="#b8c3d4"))
    matching, after = taken_over(figure, stores, redrawn(figure, stores, forearm=longer))
    assert [figure.part(ref).name for ref, _ in matching.changed] == ["forearm"]
    old, new = figure.parts[0], after.parts[0]
    assert new.binding.influences == old.binding.influences
    assert new.binding.mesh != old.binding.mesh, "the outline left the mesh, so it was refitted"
    assert after.covers[0].picture != figure.covers[0].picture
    assert after.springs == figure.springs
    for degrees in (0, 60):
        picture = pose_picture(after, stores, parse_pose({"turn": {"arm 2": degrees}}))
        assert ink_inside(picture, 40, 8) == 0
    rest = pose_picture(after, stores, Pose())
    assert rest[200, 400 - 1 - 5, 3] == 255, "the new end is painted"


def test_a_recoloured_part_keeps_its_mesh():
    figure, stores = arm()
    blue = drawn(capsule((200, 200), (340, 200), 40, 8, fill="#5577aa"))
    _, after = taken_over(figure, stores, redrawn(figure, stores, forearm=blue))
    assert after.parts[0].binding == figure.parts[0].binding
    assert after.parts[0].drawing.picture != figure.parts[0].drawing.picture


def test_a_layer_with_another_name_is_known_by_its_looks_and_place():
    figure, stores = arm()
    sheet = sheet_of(figure, stores, Pose())
    slightly = drawn(capsule((60, 200), (200, 200), 41, 8))
    sheet.layers[1] = Layer.of("sleeve", slightly, (0, 0))
    matching, _ = taken_over(figure, stores, sheet)
    assert [(figure.part(ref).name, cut.name) for ref, cut in matching.changed] == [("upper arm", "sleeve")]


def test_new_layers_take_their_place_and_missing_parts_are_kept():
    figure, stores = arm()
    sheet = redrawn(figure, stores, gusset=drawn('<circle cx="60" cy="60" r="20" fill="#0a0"/>'))
    sheet.layers = [sheet.layers[0], sheet.layers[2]]
    matching, after = taken_over(figure, stores, sheet)
    assert [part.name for part in after.parts] == ["forearm", "gusset", "upper arm"]
    assert [figure.part(ref).name for ref in matching.missing] == ["upper arm"]
    assert "missing from the sheet and kept: upper arm" in " ".join(matching.told(figure))


def test_weights_carried_to_other_points_are_linear_inside_and_nearest_outside():
    vertices = np.array([[0, 0], [10, 0], [0, 10], [10, 10]], float)
    triangles = np.array([[0, 1, 2], [1, 3, 2]], np.int32)
    weights = np.column_stack([1 - vertices[:, 0] / 10, vertices[:, 0] / 10]).astype(np.float32)
    points = np.array([[2.5, 3], [7, 8], [-4, 5], [15, 5]], float)
    assert carry_weights(vertices, triangles, weights, points)[:, 1] == pytest.approx([0.25, 0.7, 0, 1], abs=1e-6)


def test_the_same_from_the_shell(tmp_path, monkeypatch):
    from click.testing import CliRunner

    monkeypatch.chdir(tmp_path)
    figure, stores = arm()
    write_archive(tmp_path / "arm.zip", figure, stores)
    write_ora(tmp_path / "new.ora", redrawn(figure, stores, forearm=drawn(capsule((200, 200), (360, 200), 40, 8))))
    result = CliRunner().invoke(cli, ["import", "new.ora", "--onto", "arm.zip", "-o", "arm2.zip"])
    assert result.exit_code == 0, result.output
    assert "1 changed: forearm." in result.output
    after, _ = read_archive(tmp_path / "arm2.zip")
    assert after.covers
    assert after.parts[0].drawing.size != figure.parts[0].drawing.size


def test_what_moved_beyond_the_mesh_is_a_finding_until_it_is_bound_anew():
    figure, stores = two_piece_arm()
    longer = {
        "forearm": drawn(capsule((200, 200), (365, 200), 40, 8)),
        "upper arm": drawn(capsule((60, 200), (200, 200), 40, 8)),
    }
    sheet = layered(longer)
    after = apply_edit(renewal(figure, sheet, match_sheet(figure, sheet, stores), stores), figure, stores)
    (found,) = [one for one in findings(after, stores) if "redrawn" in one.sentence]
    assert "forearm was redrawn up to 22 px away" in found.sentence
    mended = apply_edit(found.remedies[0].edit, after, stores)
    assert not [one for one in findings(mended, stores) if "redrawn" in one.sentence]


def test_what_was_written_when_a_gusset_was_a_patch_is_still_read(pell):
    figure, stores = pell
    bone = next(one for one in figure.bones if one.name == "near shin")
    laid = apply_edit({"kind": "treat_joints", "joints": [{"bone": bone.id, "treatment": "patch"}]}, figure, stores)
    assert "gusset" in {one.kind for one in laid.treatments}
    assert apply_edit({"kind": "lay_patch", "bone": bone.id}, figure, stores).treated("gusset")
    bones = {one.id for one in laid.bones}  # nothing else could be posed then
    kept = tuple(one.model_copy(update={"pose": one.pose.restricted_to(bones)}) for one in laid.poses)
    laid = laid.replace(poses=kept)
    old = version_1(laid)
    assert "patch" in {one["kind"] for one in old["treatments"]}
    assert Figure.model_validate_json(json.dumps(old)) == laid
    assert Figure.model_validate(old) == laid
