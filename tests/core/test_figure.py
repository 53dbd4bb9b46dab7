"""The figure as a value: edits are pure, archives open again as they were, and hostile ones are refused."""

from __future__ import annotations

import io
import json
import zipfile

import pytest

from kunstgriff.figure.archive import ArchiveRefused, read_archive, schema, write_archive
from kunstgriff.figure.edit import EditRefused, apply_edit, edit_kinds, parse_edit
from tests.art import capsule, drawn, edited, figure_of, two_piece_arm


def archived(figure, stores) -> bytes:
    buffer = io.BytesIO()
    write_archive(buffer, figure, stores)
    return buffer.getvalue()


def rewritten(data: bytes, change) -> io.BytesIO:
    """The archive with its entries passed through `change(name, data) -> data or None`."""
    out = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(data)) as old, zipfile.ZipFile(out, "w") as new:
        for name in old.namelist():
            body = change(name, old.read(name))
            if body is not None:
                new.writestr(name, body)
    out.seek(0)
    return out


def test_an_archive_opens_again_as_the_identical_figure(pell):
    figure, stores = pell
    data = archived(figure, stores)
    again, again_stores = read_archive(io.BytesIO(data))
    assert again == figure
    assert again_stores.pictures == {digest: stores.pictures[digest] for digest in again_stores.pictures}
    assert archived(again, again_stores) == data


def test_the_published_schema_describes_the_document_in_the_archive(pell):
    figure, stores = pell
    with zipfile.ZipFile(io.BytesIO(archived(figure, stores))) as archive:
        assert json.loads(archive.read("figure.schema.json")) == json.loads(json.dumps(schema()))
        assert archive.namelist()[0] == "mimetype"


@pytest.mark.parametrize(
    ("change", "sentence"),
    [
        (lambda name, data: None if name == "figure.json" else data, "lacks figure.json"),
        (lambda name, data: None if name.startswith("pictures/") else data, "lacks pictures/"),
        (lambda name, data: data + b"x" if name.startswith("arrays/") else data, "not what it says"),
        (lambda name, data: data.replace(b'"bones"', b'"boons"') if name == "figure.json" else data, "not a figure"),
        (lambda name, data: b"{" if name == "figure.json" else data, "not a figure"),
    ],
)
def test_a_lying_archive_is_refused_with_a_sentence(change, sentence):
    figure, stores = two_piece_arm()
    with pytest.raises(ArchiveRefused, match=sentence):
        read_archive(rewritten(archived(figure, stores), change))


def test_a_cut_off_archive_is_refused():
    figure, stores = two_piece_arm()
    data = archived(figure, stores)
    for length in (0, 10, len(data) // 2, len(data) - 30):
        with pytest.raises(ArchiveRefused):
            read_archive(io.BytesIO(data[:length]))


def test_an_archive_cannot_bring_weights_that_do_not_fit_its_mesh():
    figure, stores = two_piece_arm()
    part = figure.parts[0]
    short = stores.put_array(stores.get_array(part.binding.weights)[:-1])
    wrong = part.binding.model_copy(update={"weights": short})
    figure = figure.replace(parts=(part.model_copy(update={"binding": wrong}), figure.parts[1]))
    with pytest.raises(ArchiveRefused, match="does not fit"):
        read_archive(io.BytesIO(archived(figure, stores)))


def test_edits_leave_the_figure_they_were_given_untouched():
    figure, stores = two_piece_arm()
    before = figure.model_dump_json()
    after = edited(figure, stores, {"kind": "rename_figure", "name": "other"}, {"kind": "lay_cover", "bone": "arm 2"})
    assert figure.model_dump_json() == before
    assert after.name == "other"
    assert len(after.covers) == 1


def test_the_same_edits_give_the_same_figure():
    assert two_piece_arm()[0] == two_piece_arm()[0]


@pytest.mark.parametrize(
    "data",
    [None, [], {}, {"kind": "no_such"}, {"kind": "rename_part"}, {"kind": ["x"]}, {"kind": "rename_part", "part": "p1"},
     {"kind": "rename_part", "part": "p1", "name": ""}, {"kind": "rename_part", "part": "p1", "name": "x", "extra": 1},
     {"kind": "draw_chain", "joints": [[0, 0], [float("nan"), 1]]}, {"kind": "draw_chain", "joints": [[0, 0]]}],
)  # fmt: skip
def test_what_is_no_edit_is_refused_with_a_sentence(data):
    with pytest.raises(EditRefused, match=r"\.$"):
        parse_edit(data)


def test_every_edit_tells_what_it_is_for():
    for kind, edit in edit_kinds().items():
        assert edit.__doc__, kind
        assert edit.__doc__.strip().splitlines()[0].endswith((".", ";")), kind


def test_parts_keep_their_names_apart_and_order_is_independent_of_groups():
    figure, stores = figure_of({name: drawn(capsule((100, 100), (200, 100), 20, 4)) for name in ("a", "b", "c")})
    with pytest.raises(EditRefused, match="already"):
        apply_edit({"kind": "rename_part", "part": "a", "name": "b"}, figure, stores)
    figure = apply_edit({"kind": "order_part", "part": "a", "position": 2}, figure, stores)
    assert [part.name for part in figure.parts] == ["b", "c", "a"]
    figure = edited(
        figure, stores, {"kind": "show_parts", "parts": ["a", "b"], "visible": False},
        {"kind": "set_opacity", "parts": ["c"], "opacity": 0.5},
    )  # fmt: skip
    assert [part.visible for part in figure.parts] == [False, True, False]
    assert figure.parts[1].opacity == 0.5
