"""The reference reader, plain Python without our code, against the archive and what we make of it."""

from __future__ import annotations

import ast
import importlib.util
import subprocess
import sys
import zipfile
from pathlib import Path

import numpy as np
import pytest

from kunstgriff.evaluate.state import compile_rig
from kunstgriff.figure.archive import read_archive
from kunstgriff.figure.pose import Pose

ROOT = Path(__file__).parents[2]
READER = ROOT / "docs" / "formats" / "reader.py"
TURNS = {"neck": 12.0, "head": -9.0, "near ear": 14.0}


@pytest.fixture(scope="module")
def reader():
    spec = importlib.util.spec_from_file_location("reader", READER)
    module = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(module)
    return module


def test_it_is_short_and_has_nothing_of_ours():
    source = READER.read_text()
    assert len(source.splitlines()) <= 300
    names = {one.names[0].name if isinstance(one, ast.Import) else one.module for one in ast.walk(ast.parse(source)) if isinstance(one, ast.Import | ast.ImportFrom)}  # fmt: skip
    assert names <= set(sys.stdlib_module_names)


@pytest.mark.parametrize("name", ["pell", "tallow", "soot", "simmer"])
def test_it_finds_bones_vertices_triangles_and_weights_where_we_have_them(reader, name):
    archive, (figure, stores) = (
        reader.Archive(ROOT / "demo" / f"{name}.zip"),
        read_archive(ROOT / "demo" / f"{name}.zip"),
    )
    rig, compared = compile_rig(figure, stores), 0
    assert [one["id"] for one in archive.document["bones"]] == [one.id for one in figure.bones]
    for part in figure.parts:
        told = archive.parts[part.name]
        assert archive.picture_size(told) == part.drawing.size
        block = rig.program.blocks.get(part.id)
        if block is None or part.binding.kind != "weighted" or block.count != len(archive.rest(told)):
            continue
        span = slice(block.start, block.start + block.count)
        np.testing.assert_allclose(np.array(archive.rest(told)), rig.program.rest[span], atol=1e-3)
        ours = np.zeros((block.count, len(figure.bones)))
        np.add.at(ours, (np.arange(block.count)[:, None], rig.program.nets.bones[span]), rig.program.nets.weights[span])
        index = {bone.id: k for k, bone in enumerate(figure.bones)}
        theirs = np.zeros_like(ours)
        for row, shares in enumerate(archive.weights(told)):
            for bone, share in shares.items():
                theirs[row, index[bone]] = share
        np.testing.assert_allclose(theirs, ours, atol=1e-3)
        compared += 1
    assert compared > 0 or name in ("soot", "simmer")


def test_it_poses_bones_as_we_do(reader):
    archive, (figure, stores) = reader.Archive(ROOT / "demo" / "pell.zip"), read_archive(ROOT / "demo" / "pell.zip")
    ids = {bone.name: bone.id for bone in figure.bones}
    frame = compile_rig(figure, stores).evaluate(Pose(channels={f"{ids[name]}.turn": by for name, by in TURNS.items()}))
    theirs = archive.posed(TURNS)
    ours = dict(zip((bone.id for bone in figure.bones), frame.matrices, strict=True))
    for ref, matrix in theirs.items():
        np.testing.assert_allclose(matrix, ours[ref], atol=1e-6)
    skinned = np.array(archive.skinned(archive.parts["head base"], theirs))
    assert np.abs(skinned - np.array(archive.rest(archive.parts["head base"]))).max() > 10


def test_it_lists_a_figure_from_the_shell_and_finds_what_was_changed(reader, tmp_path):
    told = subprocess.run([sys.executable, "-I", str(READER), str(ROOT / "demo" / "soot.zip")], capture_output=True, text=True, check=True)  # fmt: skip
    assert told.stdout.startswith("Soot, chimney owl: 13 parts, 12 bones")
    with zipfile.ZipFile(ROOT / "demo" / "soot.zip") as old, zipfile.ZipFile(tmp_path / "spoilt.zip", "w") as new:
        for entry in old.infolist():
            data = old.read(entry)
            new.writestr(entry, data[:-1] + bytes([data[-1] ^ 1]) if entry.filename.startswith("pictures/") else data)
    spoilt = reader.Archive(tmp_path / "spoilt.zip")
    with pytest.raises(reader.Unreadable, match="does not hold"):
        spoilt.picture(spoilt.parts["tail"])
    with zipfile.ZipFile(tmp_path / "other.zip", "w") as other:
        other.writestr("hello.txt", "hello")
    with pytest.raises(reader.Unreadable, match="no figure archive"):
        reader.Archive(tmp_path / "other.zip")
