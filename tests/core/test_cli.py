"""The shell does what the bench does, from artwork to delivery, and refuses with one sentence and exit code 1."""

from __future__ import annotations

import json
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest
from click.testing import CliRunner
from PIL import Image

from kunstgriff.artwork.ora import read_ora, write_ora
from kunstgriff.artwork.sheet import composite
from kunstgriff.cli import cli
from kunstgriff.figure.archive import read_archive
from kunstgriff.figure.edit import edit_kinds
from tests.art import capsule, drawn, sheet_of

DOCS = Path(__file__).resolve().parents[2] / "docs"


@pytest.fixture
def shell(tmp_path, monkeypatch):
    monkeypatch.chdir(tmp_path)
    layers = {
        "forearm": drawn(capsule((200, 200), (340, 200), 40, 8)),
        "upper arm": drawn(capsule((60, 200), (200, 200), 40, 8)),
    }
    write_ora(tmp_path / "arm.ora", sheet_of(layers))
    edits = [
        {"kind": "draw_chain", "name": "arm", "joints": [[-140, -40], [0, -40], [140, -40]]},
        {"kind": "bind_weighted", "parts": ["upper arm", "forearm"], "count": 120},
        {"kind": "lay_cover", "bone": "arm 2"},
        {"kind": "set_spring", "bone": "arm 2", "frequency": 2},
    ]
    (tmp_path / "bad.ora").write_text("just words")
    (tmp_path / "edits.json").write_text(json.dumps(edits))
    return lambda *words: CliRunner().invoke(cli, words)


def test_artwork_becomes_a_posed_picture_without_a_database(shell):
    assert shell("import", "arm.ora", "-o", "arm.zip").exit_code == 0
    sheet = composite(read_ora(Path("arm.ora")))
    Path("rest.json").write_text("{}")
    assert shell("pose", "arm.zip", "rest.json", "-o", "rest.png").exit_code == 0
    rest = np.asarray(Image.open("rest.png"))
    assert rest.shape == sheet.shape
    assert np.abs(rest.astype(int) - sheet).mean() < 1
    result = shell("edit", "arm.zip", "edits.json", "-o", "arm2.zip")
    assert result.exit_code == 0, result.output
    Path("pose.json").write_text('{"turn": {"arm 2": 70}}')
    assert shell("pose", "arm2.zip", "pose.json", "-o", "bent.png", "--size", "200x200").exit_code == 0
    assert Image.open("bent.png").size == (200, 200)
    assert shell("deliver", "arm2.zip", "-o", "arm.glb").exit_code == 0
    assert Path("arm.glb").read_bytes()[:4] == b"glTF"


def test_seams_are_checked_for_pipelines(shell):
    shell("import", "arm.ora", "-o", "arm.zip")
    edits = json.loads(Path("edits.json").read_text())
    Path("bare.json").write_text(json.dumps(edits[:2]))
    shell("edit", "arm.zip", "bare.json", "-o", "bare.zip")
    bare = shell("check", "bare.zip")
    assert bare.exit_code == 1
    assert "shows a line across" in bare.output
    rows = json.loads(shell("read", "bare.zip", "--json").output)
    assert {row["joint"] for row in rows} == {"arm 2"}
    assert max(row["gap_disc"] for row in rows) < 4, "the joint lies 4 px beside the middle of its round ends"
    lax = shell("check", "bare.zip", "--gap", "10", "--ink", "1000", "--notch", "10", "--step", "9", "--shape", "1")
    assert (lax.exit_code, "1 of 1 seams" in lax.output) == (0, True)


def test_a_pipeline_reads_kept_poses_and_holds_the_figures_own_tolerances(shell):
    shell("import", "arm.ora", "-o", "arm.zip")
    edits = json.loads(Path("edits.json").read_text())
    edits += [
        {"kind": "keep_pose", "name": "reach up", "pose": {"turn": {"arm": -30, "arm 2": -70}}},
        {"kind": "lift_cover", "bone": "arm 2"},
        {"kind": "set_tolerances", "tolerances": {"ink": 500, "notch": 9, "gap": 9, "step": 9, "shape": 1}},
    ]
    Path("more.json").write_text(json.dumps(edits))
    assert shell("edit", "arm.zip", "more.json", "-o", "lax.zip").exit_code == 0
    rows = json.loads(shell("read", "lax.zip", "--json").output)
    assert {row["joint"] for row in rows} == {"arm 2", "arm 2 in reach up"}
    assert [row["angle"] for row in rows if "reach up" in row["joint"]] == [-70, 0]
    lax = shell("check", "lax.zip")
    assert (lax.exit_code, "2 of 2 seams" in lax.output) == (0, True)
    strict = shell("check", "lax.zip", "--ink", "3")
    assert strict.exit_code == 1
    worst, *others, count = strict.output.strip().splitlines()
    assert "times what is tolerated" in worst
    assert count == f"{2 - len(others) - 1} of 2 seams are within what is tolerated."
    assert shell("check", "lax.zip", "--ink", "-1").exit_code == 2
    assert "no figure archive" in shell("check", "edits.json").output
    assert "no figure archive" in shell("read", "edits.json", "--json").output


def test_the_figures_own_place_on_the_sheet_is_kept(shell):
    shell("import", "arm.ora", "-o", "arm.zip", "--name", "An arm")
    figure, _ = read_archive(Path("arm.zip"))
    assert figure.name == "An arm"
    assert (figure.sheet.width, figure.sheet.height) == (400, 400)


def test_edits_are_made_whole_or_not_at_all(shell):
    shell("import", "arm.ora", "-o", "arm.zip")
    Path("bad.json").write_text('[{"kind": "rename_figure", "name": "x"}, {"kind": "lay_cover", "bone": "tail"}]')
    result = shell("edit", "arm.zip", "bad.json", "-o", "out.zip")
    assert result.exit_code == 1
    assert "Edit 2 of 2: There is no bone “tail”." in result.output
    assert not Path("out.zip").exists()


@pytest.mark.parametrize(
    ("words", "sentence"),
    [
        (("import", "edits.json", "-o", "x.zip"), "none of these"),
        (("import", "bad.ora", "-o", "x.zip"), "no OpenRaster"),
        (("import", "arm.ora", "-o", "x.tar"), "ends in .zip"),
        (("edit", "arm.ora", "edits.json", "-o", "x.zip"), "lacks figure.json"),
        (("pose", "edits.json", "edits.json", "-o", "x.png"), "no figure archive"),
        (("deliver", "edits.json", "-o", "x.glb"), "no figure archive"),
    ],
)
def test_refusals_are_one_sentence_with_exit_code_1(shell, words, sentence):
    result = shell(*words)
    assert result.exit_code == 1
    assert sentence in result.output
    assert len(result.output.strip().splitlines()) == 1


def test_wrong_usage_ends_with_exit_code_2_and_every_command_helps(shell):
    assert shell("import", "nothing.ora", "-o", "x.zip").exit_code == 2
    assert shell("pose", "arm.ora", "edits.json", "-o", "x.png", "--size", "wide").exit_code == 2
    for command in ("import", "edit", "pose", "deliver"):
        assert "--out" in shell(command, "--help").output


def test_help_and_the_page_in_docs_tell_every_edit_with_its_fields(shell):
    help_text = shell("edit", "--help").output
    page = (DOCS / "formats" / "edits.md").read_text()
    for kind, edit in edit_kinds().items():
        assert f"{kind}:" in help_text
        assert f"## {kind}" in page
        for field in edit.model_fields:
            assert field == "kind" or (field in help_text and f"`{field}`" in page), (kind, field)


def test_the_door_of_the_shell_tells_what_its_commands_tell_of_themselves():
    from kunstgriff.cli import COMMANDS as DOOR
    from kunstgriff.commands import COMMANDS

    assert list(DOOR) == sorted(COMMANDS.commands)
    for name, words in DOOR.items():
        assert " ".join((COMMANDS.commands[name].help or "").split("\n\n")[0].split()) == words


def test_version_and_help_load_nothing_heavy():
    for asked in (["--version"], ["--help"]):
        code = f"import sys; from kunstgriff.cli import cli; cli({asked}, standalone_mode=False); print([m for m in ('numba', 'scipy', 'numpy') if m in sys.modules])"
        done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
        assert done.stdout.strip().endswith("[]")


def test_a_figure_is_bound_and_treated_and_posed_many_times_without_a_bench(shell):
    shell("import", "arm.ora", "-o", "arm.zip")
    chain = [{"kind": "draw_chain", "name": "arm", "joints": [[-140, -44], [0, -44], [140, -44]]}]
    Path("chain.json").write_text(json.dumps(chain))
    shell("edit", "arm.zip", "chain.json", "-o", "boned.zip")
    bound = shell("bind", "boned.zip", "-o", "bound.zip")
    assert bound.exit_code == 0, bound.output
    assert "2 of 2 parts are bound." in bound.output
    asked = shell("treat", "bound.zip", "--dry-run", "--json")
    rows = json.loads(asked.output)
    assert [(row["joint"], row["now"], row["proposed"]) for row in rows] == [("arm 2", "nothing", "cover")]
    assert rows[0]["ways"]["cover"]["cost"] < 1 < rows[0]["ways"]["nothing"]["cost"]
    treated = shell("treat", "bound.zip", "-o", "treated.zip", "--joint", "arm 2")
    assert treated.exit_code == 0, treated.output
    assert "arm 2: cover" in treated.output
    assert [one.kind for one in read_archive(Path("treated.zip"))[0].treatments] == ["cover"]
    Path("poses.json").write_text('[{}, {"turn": {"arm 2": 60}}, {"turn": {"arm 2": -60}}]')
    assert shell("pose", "treated.zip", "poses.json", "-o", "out_%03d.png").exit_code == 0
    assert sorted(path.name for path in Path().glob("out_*.png")) == ["out_000.png", "out_001.png", "out_002.png"]


@pytest.mark.parametrize(
    ("words", "sentence"),
    [
        (("bind", "arm.zip", "-o", "x.zip"), "There are no bones yet"),
        (("treat", "arm.zip"), "Say with -o"),
        (("treat", "arm.zip", "--dry-run", "--joint", "leg"), "There is no bone “leg”"),
        (("pose", "arm.zip", "many.json", "-o", "out.png"), "one place for the number"),
        (("pose", "arm.zip", "many.json", "-o", "%d_%d.png"), "one place for the number"),
        (("pose", "arm.zip", "many.json", "-o", "%03d.jpg"), "written as .png"),
        (("pose", "arm.zip", "odd.json", "-o", "%03d.png"), "not a pose"),
    ],
)
def test_wrong_words_to_bind_treat_and_pose_get_a_sentence(shell, words, sentence):
    shell("import", "arm.ora", "-o", "arm.zip")
    Path("many.json").write_text("[{}, {}]")
    Path("odd.json").write_text('[{}, {"turn": 3}]')
    result = shell(*words)
    assert result.exit_code in (1, 2)
    assert sentence in result.output
    assert "Traceback" not in result.output
