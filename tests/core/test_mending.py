"""Mending, merging, straightening and locking: what a rigger does to drawings before the first bone."""

from __future__ import annotations

import io

import numpy as np
import pytest

from kunstgriff.artwork.blending import laid, premultiplied, straightened
from kunstgriff.artwork.facts import facts_of
from kunstgriff.artwork.ink import lifted, part_ink
from kunstgriff.artwork.meetings import suggested_pivot
from kunstgriff.artwork.ora import read_ora, write_ora
from kunstgriff.artwork.renewing import match_sheet, renewal
from kunstgriff.artwork.rescaling import rescaled
from kunstgriff.artwork.sheet import ArtSheet, GroupLook, Layer, composite, figure_from_sheet
from kunstgriff.artwork.sheet_records import sheet_from_data, sheet_to_data
from kunstgriff.artwork.svg import read_svg
from kunstgriff.delivery.deliver import DeliveryOrder, deliver
from kunstgriff.delivery.png import pose_picture
from kunstgriff.figure.archive import read_archive, write_archive
from kunstgriff.figure.edit import EditRefused, apply_edit
from kunstgriff.figure.findings import findings
from kunstgriff.figure.model import Unbound
from kunstgriff.figure.pose import Pose, parse_pose
from kunstgriff.figure.stores import MemoryStores
from tests.art import FILL, INK, at, capsule, drawn, edited, figure_of, two_piece_arm
from tests.conftest import DEMO

STROKE = f'stroke="{INK}" stroke-width="8"'
LOCK = drawn(
    f'<path d="M60 300 C 60 150 160 80 300 110 C 340 118 352 150 330 160 C 220 140 160 180 140 300 C 130 330 70 330 60 300 Z" fill="#b08040" {STROKE}/>'
)


def picture(figure, stores):
    return pose_picture(figure, stores, Pose())


def difference(one, other) -> float:
    """Mean difference of two pictures in steps of 255, colours weighed by their alpha."""
    return float(np.abs(premultiplied(one) - premultiplied(other)).mean() * 255)


def test_layers_named_ink_and_fill_become_one_part_that_knows_both():
    body = drawn(capsule((100, 100), (300, 100), 40, 8))[56:144, 56:344]
    split = part_ink(figure_of({"arm": body})[0].parts[0], (stores := figure_of({"arm": body})[1]))
    ink = np.dstack([np.full_like(body[..., :3], 43), np.rint(split.coverage * body[..., 3]).astype(np.uint8)])
    sheet = ArtSheet((400, 400), [Layer.of("fill of arm", lifted(body, split)), Layer.of("Ink of arm", ink)])
    figure = figure_from_sheet(sheet, "arm", stores)
    (part,) = figure.parts
    assert (part.name, part.drawing.split is not None, sheet.notices) == ("arm", True, [])
    again = part_ink(part, stores)
    assert np.abs(again.coverage - (ink[..., 3] / np.maximum(body[..., 3], 1))).mean() < 0.02
    assert difference(stores.get_pixels(part.drawing.picture), body) < 1


@pytest.mark.parametrize(
    ("name", "told"),
    [
        ("sketch, leave out", {"name": "sketch", "left_out": True}),
        ("arm, far", {"name": "far arm"}),
        ("grin, alternate of mouth", {"name": "grin", "alternate_of": "p1"}),
        ("head side, facing of mouth", {"name": "head side", "visible": False, "facing_of": "p1"}),
        ("salt, pepper", {"name": "salt, pepper", "visible": True}),
    ],
)
def test_hints_in_names_are_understood_and_taken_out(name, told):
    dot = drawn('<circle cx="200" cy="200" r="30"/>')
    figure, _ = figure_of({"mouth": dot, name: dot})
    assert {key: getattr(figure.parts[1], key) for key in told} == told


def test_a_half_without_its_other_half_is_said():
    sheet = ArtSheet((400, 400), [Layer.of("ink of arm", drawn('<circle cx="200" cy="200" r="30"/>'))])
    assert figure_from_sheet(sheet, "x", MemoryStores()).parts[0].name == "arm"
    assert "fill of arm" in sheet.notices[0]


def test_parts_left_out_are_neither_painted_nor_checked_and_can_be_taken_in_again():
    figure, stores = figure_of({"arm": drawn(capsule((100, 100), (300, 100), 40, 8)), "Layer 3": LOCK})
    out = edited(figure, stores, {"kind": "leave_out_parts", "parts": ["Layer 3"]})
    assert not [one for one in findings(out, stores) if "Layer 3" in one.sentence]
    assert not picture(out, stores)[300:].any()
    back = edited(out, stores, {"kind": "leave_out_parts", "parts": ["Layer 3"], "out": False})
    assert back == figure


def test_a_locked_part_keeps_its_drawing_and_place_but_may_be_bound():
    figure, stores = two_piece_arm()
    locked = edited(figure, stores, {"kind": "lock_parts", "parts": ["forearm"]})
    for edit in (
        {"kind": "move_parts", "parts": ["forearm"], "by": [1, 0]},
        {"kind": "rename_part", "part": "forearm", "name": "x"},
        {"kind": "delete_parts", "parts": ["forearm"]},
        {"kind": "merge_parts", "parts": ["forearm", "upper arm"]},
        {"kind": "make_cap", "part": "forearm"},
    ):
        with pytest.raises(EditRefused, match="locked"):
            apply_edit(edit, locked, stores)
    bound = edited(locked, stores, {"kind": "bind_rigid", "parts": ["forearm"], "bone": "arm 2"})
    assert bound.parts[0].binding.kind == "rigid"
    free = edited(bound, stores, {"kind": "lock_parts", "parts": ["forearm"], "locked": False})
    assert edited(free, stores, {"kind": "move_parts", "parts": ["forearm"], "by": [1, 0]}).parts[0].drawing.place != (
        0,
        0,
    )


def test_a_multiplied_part_is_flattened_onto_the_one_below_as_it_was_painted():
    shade = drawn('<circle cx="220" cy="200" r="60" fill="#8090c0"/>')
    figure, stores = figure_of({"coat": drawn(capsule((100, 200), (300, 200), 60, 8)), "shade": shade})
    figure = edited(
        figure, stores, {"kind": "blend_parts", "parts": ["shade"], "blend": "multiply"},
        {"kind": "set_opacity", "parts": ["shade"], "opacity": 0.7},
    )  # fmt: skip
    merged = edited(figure, stores, {"kind": "merge_parts", "parts": ["shade", "coat"]})
    assert [part.name for part in merged.parts] == ["coat"]
    assert difference(picture(merged, stores), picture(figure, stores)) < 0.5
    plain = edited(figure, stores, {"kind": "blend_parts", "parts": ["shade"], "blend": "normal"})
    assert difference(picture(plain, stores), picture(figure, stores)) > 1


def test_merging_keeps_binding_and_covers_of_the_hindmost():
    figure, stores = two_piece_arm()
    dot = figure_of({"dot": drawn('<circle cx="300" cy="200" r="9" fill="#fff"/>')}, (400, 400))
    part = dot[0].parts[0]
    stores.pictures |= dot[1].pictures
    place = tuple(np.subtract((291, 191), figure.sheet.standing_point))
    figure = figure.replace(parts=(*figure.parts, part.with_drawing(place=place).model_copy(update={"id": "p99"})))
    figure = edited(figure, stores, {"kind": "lay_cover", "bone": "arm 2"})
    merged = edited(figure, stores, {"kind": "merge_parts", "parts": ["forearm", "dot"]})
    assert merged.parts[0].binding.kind == "weighted"
    assert len(merged.covers) == 1


def test_a_group_half_transparent_is_so_as_a_whole():
    figure, stores = two_piece_arm()
    figure = edited(
        figure, stores, {"kind": "group_parts", "parts": ["forearm", "upper arm"], "group": "arm"},
        {"kind": "paint_group", "group": "arm", "opacity": 0.5},
    )  # fmt: skip
    alpha = picture(figure, stores)[200, 100:320, 3]
    assert np.ptp(alpha.astype(int)) <= 1, "where the two overlap nothing is darker"
    assert alpha[0] == 128


def test_a_tint_is_painted_as_it_leaves_in_layers(tmp_path):
    figure, stores = two_piece_arm()
    figure = edited(figure, stores, {"kind": "tint_parts", "parts": ["forearm"], "tint": {"colour": "#2040c0", "amount": 0.4}})  # fmt: skip
    painted = picture(figure, stores)
    assert painted[200, 300].tolist()[:3] == pytest.approx([0.6 * 0xD8 + 0.4 * 0x20, 0.6 * 0xC3 + 0.4 * 0x40, 0.6 * 0xA4 + 0.4 * 0xC0], abs=1.5)  # fmt: skip
    deliver(tmp_path / "arm.ora", DeliveryOrder(figure, stores))
    assert difference(composite(read_ora(tmp_path / "arm.ora")), painted) < 0.5


def test_a_straightened_lock_looks_as_drawn_bends_by_rows_and_comes_back_exactly():
    figure, stores = figure_of({"lock": LOCK})
    straight = edited(figure, stores, {"kind": "straighten", "parts": ["lock"]})
    assert difference(picture(straight, stores), picture(figure, stores)) < 1
    chain = {"kind": "draw_chain", "name": "lock", "joints": at(figure, (100, 290), (120, 200), (190, 140), (300, 135))}
    bound = edited(straight, stores, chain, {"kind": "bind_weighted", "parts": ["lock"]})
    assert difference(picture(bound, stores), picture(figure, stores)) < 1
    posed = pose_picture(bound, stores, parse_pose({"turn": {"lock 2": -20}}).by_id(bound))
    assert posed[..., 3].mean() == pytest.approx(picture(bound, stores)[..., 3].mean(), rel=0.1)
    curved = edited(bound, stores, {"kind": "leave_curved", "parts": ["lock"]})
    assert curved.parts[0].drawing.picture == figure.parts[0].drawing.picture
    assert curved.parts[0].drawing.strip is None
    assert curved.parts[0].binding.influences == bound.parts[0].binding.influences


def test_a_line_of_ones_own_is_still_ones_own_at_another_scale():
    figure, stores = figure_of({"lock": LOCK})
    t = np.linspace(0, 1, 24)[:, None]
    curve = (1 - t) ** 2 * (100, 290) + 2 * t * (1 - t) * (130, 150) + t**2 * (300, 135)
    line = [list(spot) for spot in at(figure, *(tuple(spot) for spot in curve.tolist()))]
    straight = edited(figure, stores, {"kind": "straighten", "parts": ["lock"], "line": line})
    (was,), (now,) = straight.parts, rescaled(straight, 2, stores).parts
    assert was.drawing.strip.own
    assert now.drawing.strip.own
    assert np.allclose(now.drawing.strip.line, 2 * np.array(was.drawing.strip.line))
    assert (now.drawing.strip.half_width, now.drawing.strip.end) == pytest.approx(
        (2 * was.drawing.strip.half_width, 2 * was.drawing.strip.end)
    )


def test_a_blob_cannot_be_straightened_and_says_why():
    figure, stores = figure_of({"ball": drawn('<circle cx="200" cy="200" r="90"/>')})
    with pytest.raises(EditRefused, match="ball"):
        apply_edit({"kind": "straighten", "parts": ["ball"]}, figure, stores)


def test_several_inks_are_lifted_each_on_or_off():
    red = "#c02020"
    body = capsule((100, 200), (300, 200), 60, 8) + f'<path d="M120 200 C 160 170 220 230 280 200" fill="none" stroke="{red}" stroke-width="6"/>'  # fmt: skip
    figure, stores = figure_of({"coat": drawn(body)})
    part = figure.parts[0]
    assert part_ink(part, stores).coverage[:, 150].sum() == pytest.approx(16, abs=1.5), "only the dark outline"
    (spot,) = at(figure, (190, 200))
    (edge,) = at(figure, (200, 138))
    picked = edited(figure, stores, {"kind": "pick_ink", "part": "coat", "at": list(edge)},
                    {"kind": "pick_ink", "part": "coat", "at": list(spot)})  # fmt: skip
    assert [ink.colour for ink in picked.parts[0].drawing.inks] == [INK, red]
    assert part_ink(picked.parts[0], stores).coverage[:, 150].sum() > 20
    bare = lifted(stores.get_pixels(part.drawing.picture), part_ink(picked.parts[0], stores))
    inside = bare[20:110, 60:240, :3].reshape(-1, 3).astype(int)
    assert np.abs(inside - (0xD8, 0xC3, 0xA4)).max(1).mean() < 3, "no halo is left"
    off = [{"colour": INK, "on": True}, {"colour": red, "on": False}]
    only = edited(picked, stores, {"kind": "set_inks", "parts": ["coat"], "inks": off})
    assert part_ink(only.parts[0], stores).coverage[:, 150].sum() == pytest.approx(16, abs=1.5)
    with pytest.raises(EditRefused, match="already"):
        apply_edit({"kind": "pick_ink", "part": "coat", "at": list(spot)}, picked, stores)
    with pytest.raises(EditRefused, match="nothing painted"):
        apply_edit({"kind": "pick_ink", "part": "coat", "at": [900, 900]}, picked, stores)


def test_pivots_are_suggested_where_limbs_overlap_and_move_along():
    figure, stores = two_piece_arm()
    bare = figure.replace(bones=(), parts=tuple(p.model_copy(update={"binding": Unbound()}) for p in figure.parts))  # fmt: skip
    (elbow,) = at(figure, (200, 200))
    lone = bare.parts[0] if suggested_pivot(bare, bare.parts[0], stores) else bare.parts[1]
    assert suggested_pivot(bare, lone, stores) == pytest.approx(elbow, abs=3)
    placed = edited(bare, stores, {"kind": "suggest_pivots", "parts": [lone.name]},
                    {"kind": "move_parts", "parts": [lone.name], "by": [5, -3]},
                    {"kind": "set_standing_point", "to": [10, 10]})  # fmt: skip
    moved = placed.part(lone.id).drawing.pivot
    assert moved == pytest.approx((elbow[0] - 5, elbow[1] - 13), abs=3)


def test_a_finding_meant_so_is_not_told_again_until_the_drawing_changes():
    holed = (
        f'<path fill-rule="evenodd" d="M100 100 H300 V300 H100 Z M170 170 H230 V230 H170 Z" fill="{FILL}" {STROKE}/>'
    )
    figure, stores = figure_of({"ring": drawn(holed)})
    (hole,) = [one for one in findings(figure, stores) if "hole" in one.sentence]
    accepted = edited(figure, stores, hole.remedies[-1].edit)
    assert not [one for one in findings(accepted, stores) if "hole" in one.sentence]
    redrawn = edited(accepted, stores, {"kind": "redraw_line", "part": "ring", "width": 14})
    assert [one for one in findings(redrawn, stores) if "hole" in one.sentence]


def test_a_line_is_redrawn_in_the_width_asked_for():
    figure, stores = figure_of({"arm": drawn(capsule((100, 200), (300, 200), 60, 6))})
    for width in (4.0, 12.0):
        redrawn = edited(figure, stores, {"kind": "redraw_line", "part": "arm", "width": width})
        assert facts_of(redrawn.parts[0], stores).line_width == pytest.approx(width, abs=0.5)


def test_growing_underneath_changes_nothing_that_shows():
    hair = drawn(f'<path d="M100 250 V130 A100 100 0 0 1 300 130 V250 H270 V130 A70 70 0 0 0 130 130 V250 Z" fill="#b08040" {STROKE}/>')  # fmt: skip
    head = drawn(f'<path d="M130 250 V130 A70 70 0 0 1 270 130 V250 A70 60 0 0 1 130 250 Z" fill="{FILL}" {STROKE}/>')
    figure, stores = figure_of({"hair": hair, "head": head})
    grown = edited(figure, stores, {"kind": "grow_under", "part": "hair", "neighbour": "head", "by": 24})
    assert difference(picture(grown, stores), picture(figure, stores)) < 0.4
    assert facts_of(grown.parts[0], stores).line_width == pytest.approx(8, abs=0.5)
    away = {"kind": "show_parts", "parts": ["head"], "visible": False}
    more = picture(edited(grown, stores, away), stores)[..., 3].astype(int).sum()
    assert more > picture(edited(figure, stores, away), stores)[..., 3].astype(int).sum() + 255 * 24 * 200


def test_a_sheet_is_kept_as_data_and_comes_back_the_same():
    layers = [
        Layer.of("arm", LOCK, (3, 4), ((1, "body"),), 0.5, False, "screen", (LOCK, LOCK)),
        Layer.of("air", LOCK * 0),
    ]
    sheet = ArtSheet((500, 500), layers, [], (1.0, 2.0), {((1, "body"),): GroupLook(0.5, "multiply", True)}, 2)
    stores = MemoryStores()
    assert sheet_from_data(sheet_to_data(sheet, stores), stores) == sheet


def test_a_wrong_match_can_be_corrected_before_the_sheet_is_taken_over():
    figure, stores = two_piece_arm()
    swapped = ArtSheet((400, 400), [Layer.of("upper arm", drawn(capsule((200, 200), (340, 200), 40, 8))),
                                    Layer.of("lower arm", drawn(capsule((60, 200), (200, 200), 40, 8)))])  # fmt: skip
    refs = {part.name: part.id for part in figure.parts}
    guessed = match_sheet(figure, swapped, stores)
    assert {cut.name: ref for ref, cut in guessed.changed}["upper arm"] == refs["upper arm"], "by its name"
    settled = match_sheet(figure, swapped, stores, {0: refs["forearm"], 1: refs["upper arm"]})
    assert {cut.name: ref for ref, cut in settled.same} == {
        "upper arm": refs["forearm"],
        "lower arm": refs["upper arm"],
    }
    new = match_sheet(figure, swapped, stores, {1: None})
    assert [cut.name for cut in new.new] == ["lower arm"]
    assert new.without({1}).new == ()


def test_an_svg_read_again_at_twice_the_scale_keeps_everything_made_on_it():
    def sheet(scale):
        svg = '<svg xmlns="http://www.w3.org/2000/svg" width="400" height="400">' + "".join(
            f'<g id="{name}">{capsule(a, b, 40, 8)}</g>'
            for name, a, b in (("forearm", (200, 200), (340, 200)), ("upper arm", (60, 200), (200, 200)))
        ) + "</svg>"  # fmt: skip
        return read_svg(io.BytesIO(svg.encode()), scale)

    stores = MemoryStores()
    figure = figure_from_sheet(sheet(1), "arm", stores)
    figure = edited(
        figure, stores, {"kind": "draw_chain", "name": "arm", "joints": at(figure, (60, 200), (200, 200), (340, 200))},
        {"kind": "bind_weighted", "parts": ["upper arm"], "influences": ["arm"], "count": 150},
        {"kind": "bind_rigid", "parts": ["forearm"], "bone": "arm 2"},
        {"kind": "lay_cover", "bone": "arm 2"}, {"kind": "set_spring", "bone": "arm 2"},
    )  # fmt: skip
    double = sheet(2)
    larger = apply_edit(renewal(figure, double, match_sheet(figure, double, stores), stores), figure, stores)
    assert (larger.sheet.width, larger.sheet.scale) == (800, 2)
    assert larger.bones[1].joint == tuple(2 * one for one in figure.bones[1].joint)
    assert larger.springs[0].gravity == 2 * figure.springs[0].gravity
    assert larger.parts[0].drawing.picture == stores.put_picture(double.layers[0].png), "drawn anew, not blown up"
    pose = {"turn": {"arm 2": 50}}
    small = pose_picture(figure, stores, parse_pose(pose).by_id(figure), (400, 400))
    large = pose_picture(larger, stores, parse_pose(pose).by_id(larger), (400, 400))
    assert difference(small, large) < 1.5


def test_everything_a_part_knows_survives_the_archive():
    figure, stores = figure_of({"lock": LOCK, "arm": drawn(capsule((100, 200), (300, 200), 60, 6))})
    figure = edited(
        figure, stores, {"kind": "straighten", "parts": ["lock"]}, {"kind": "lock_parts", "parts": ["lock"]},
        {"kind": "set_pivot", "part": "arm", "to": [3, 4]}, {"kind": "accept_finding", "key": "a"},
        {"kind": "set_reference", "reference": {"picture": figure.parts[0].drawing.picture, "place": [0, 0]}},
    )  # fmt: skip
    buffer = io.BytesIO()
    write_archive(buffer, figure, stores)
    buffer.seek(0)
    again, shelves = read_archive(buffer)
    assert again == figure
    assert np.array_equal(picture(again, shelves), picture(figure, stores))


def test_a_reference_picture_is_never_delivered():
    figure, stores = two_piece_arm()
    plain = picture(figure, stores)
    edit = {
        "kind": "set_reference",
        "reference": {"picture": figure.parts[0].drawing.picture, "place": [-50, -50], "above": True},
    }
    assert np.array_equal(picture(edited(figure, stores, edit), stores), plain)


def test_ink_and_fill_joined_by_hand_are_laid_over_one_another():
    figure, stores = figure_of({"colour": drawn('<circle cx="200" cy="200" r="60" fill="#c96"/>'),
                                "line": drawn('<circle cx="200" cy="200" r="60" fill="none" stroke="#222" stroke-width="8"/>')})  # fmt: skip
    joined = edited(figure, stores, {"kind": "join_ink_and_fill", "ink": "line", "fill": "colour"})
    (part,) = joined.parts
    assert part.drawing.split is not None
    assert difference(picture(joined, stores), picture(figure, stores)) < 0.3
    halves = [
        premultiplied(stores.get_pixels(one))
        for one in (part.drawing.split.fill_picture, part.drawing.split.ink_picture)
    ]
    assert difference(straightened(laid("normal", *halves)), stores.get_pixels(part.drawing.picture)) < 0.5


def test_a_file_written_with_blended_groups_reads_the_same():
    sheet = ArtSheet((400, 400), [Layer.of("a", LOCK, (0, 0), ((1, "g"),)), Layer.of("b", LOCK, (9, 9), ((1, "g"),), blend="screen")],
                     looks={((1, "g"),): GroupLook(0.5, "multiply", True)})  # fmt: skip
    buffer = io.BytesIO()
    write_ora(buffer, sheet)
    buffer.seek(0)
    again = read_ora(buffer)
    assert list(again.looks.values()) == [GroupLook(0.5, "multiply", True)]
    assert [layer.blend for layer in again.layers] == ["normal", "screen"]


def test_a_whole_limb_is_copied_with_its_group_under_the_other_sides_name():
    arm = drawn(capsule((250, 100), (350, 100), 30, 8))
    figure, stores = figure_of({"near upper arm": arm, "near forearm": arm})
    names = ["near upper arm", "near forearm"]
    figure = edited(
        figure, stores, {"kind": "group_parts", "parts": names, "group": "near arm"},
        {"kind": "copy_parts", "parts": names, "find": "near", "put": "far", "mirror": True},
    )  # fmt: skip
    groups = {group.id: group.name for group in figure.groups}
    assert {part.name: groups[part.group] for part in figure.parts} == {
        "near upper arm": "near arm", "near forearm": "near arm", "far upper arm": "far arm", "far forearm": "far arm",
    }  # fmt: skip


def test_the_layer_of_findings_is_for_the_illustrator_and_no_part_when_it_comes_back(tmp_path):
    figure = figure_from_sheet(read_ora(DEMO / "faulty.ora"), "moth", stores := MemoryStores())
    deliver(tmp_path / "moth.findings.ora", DeliveryOrder(figure, stores))
    sheet = read_ora(tmp_path / "moth.findings.ora")
    assert sheet.layers[-1].name == "findings, not a part"
    assert sheet.layers[-1].pixels[..., 3].any()
    matching = match_sheet(figure, sheet, stores)
    assert (len(matching.same), matching.changed, matching.new, matching.missing) == (len(figure.parts), (), (), ())


def test_a_reference_picture_stays_where_it_lies_when_the_standing_point_moves():
    figure, stores = two_piece_arm()
    lain = {"kind": "set_reference", "reference": {"picture": figure.parts[0].drawing.picture, "place": [-50, -30]}}
    moved = edited(figure, stores, lain, {"kind": "set_standing_point", "to": [12, 5]})
    on_sheet = np.add(moved.reference.place, moved.sheet.standing_point)
    assert tuple(on_sheet) == tuple(np.add((-50, -30), figure.sheet.standing_point))
