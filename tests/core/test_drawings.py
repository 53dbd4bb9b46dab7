"""Drawings that come to a set: drawn over a pose they come back as they lie at rest, and are set up as their like."""

from __future__ import annotations

import numpy as np
import pytest

from kunstgriff.artwork.renewing import match_sheet, renewal
from kunstgriff.binding.taken_sets import taken_from
from kunstgriff.delivery.frames import painter
from kunstgriff.evaluate.state import compile_rig
from kunstgriff.figure.edit import EditRefused, apply_edit
from kunstgriff.figure.findings import findings
from kunstgriff.figure.model import Weighted
from kunstgriff.figure.pose import parse_pose
from kunstgriff.figure.stores import encode_png
from kunstgriff.paint.painter import sheet_view
from tests.art import FILL, INK, at, capsule, drawn, edited, figure_of, sheet_of

POSES = [  # nothing of the arm leaves the sheet in them
    {"arm.turn": 10, "arm 2.turn": 40},
    {"arm.turn": -20, "arm 2.turn": -25, "arm.move.y": 40, "arm 2.stretch.along": 1.1},
]


def spotted(a, b, radius, spots=3):
    """A limb piece with dots along it, so that every place of it can be told."""
    along = np.linspace(0.15, 0.85, spots)
    dots = "".join(
        f'<circle cx="{a[0] + t * (b[0] - a[0]):.1f}" cy="{a[1] + t * (b[1] - a[1]):.1f}" r="9" fill="#c0392b"/>'
        for t in along
    )
    return drawn(capsule(a, b, radius, 5) + dots)


def armed(weighted):
    """An arm of two bones along x whose whole, or only whose hand, is a set of two drawings; plain, the second hidden."""
    plain, other = drawn(capsule((90, 200), (310, 200), 26, 5)), spotted((90, 200), (310, 200), 26, 6)
    figure, stores = figure_of({"arm plain": plain, "arm bare": plain})
    figure = edited(
        figure, stores,
        {"kind": "draw_chain", "name": "arm", "joints": at(figure, (80, 200), (200, 200), (320, 200))},
        {"kind": "bind_weighted", "parts": ["arm plain"], "influences": ["arm", "arm 2"], "count": 260} if weighted
        else {"kind": "bind_rigid", "parts": ["arm plain"], "bone": "arm 2"},
        {"kind": "make_set", "drawings": ["arm plain", "arm bare"], "name": "arm"},
    )  # fmt: skip
    return figure, stores, other


def painted_over(figure, stores, pixels, pose):
    """What an illustrator draws over the posed figure: the drawing where the part's own would be painted."""
    part = figure.part("p1")
    drawn_as = edited(figure, stores, {"kind": "take_from_set", "drawing": "arm bare"})
    left, top = (round(one) for one in np.add(part.drawing.place, figure.sheet.standing_point))
    cut = np.ascontiguousarray(pixels[top : top + part.drawing.size[1], left : left + part.drawing.size[0]])
    other = part.with_drawing(picture=stores.put_picture(encode_png(cut)))
    shown = drawn_as.replace(parts=tuple(other if one.id == "p1" else one.model_copy(update={"visible": False}) for one in drawn_as.parts))  # fmt: skip
    rig = compile_rig(shown, stores)
    return painter().paint(rig, rig.evaluate(pose), sheet_view(figure), stores)


@pytest.mark.parametrize("weighted", [True, False])
@pytest.mark.parametrize("pose", POSES)
def test_what_is_drawn_over_a_pose_comes_back_where_it_lies_at_rest(weighted, pose):
    figure, stores, other = armed(weighted)
    posed = parse_pose(pose).by_id(figure)
    over = painted_over(figure, stores, other, posed)
    picture = stores.put_picture(encode_png(over))
    after = edited(
        figure, stores, {"kind": "add_drawing", "set": "arm", "picture": picture, "name": "arm dots", "pose": pose}
    )
    part = next(one for one in after.parts if one.name == "arm dots")
    whole = np.zeros_like(other)
    left, top = (round(one) for one in np.add(part.drawing.place, figure.sheet.standing_point))
    whole[top : top + part.drawing.size[1], left : left + part.drawing.size[0]] = stores.get_pixels(
        part.drawing.picture
    )
    unlike = np.abs(whole[..., 3].astype(int) - other[..., 3]) > 100
    assert unlike.sum() < 0.012 * (other[..., 3] > 128).sum()
    red = [(one[..., 0] > 150) & (one[..., 1] < 110) & (one[..., 3] > 128) for one in (whole, other)]
    assert (red[0] & red[1]).sum() > 0.85 * red[1].sum()
    middles = [np.argwhere(one[:, :200]).mean(0) for one in red]
    np.testing.assert_allclose(middles[0], middles[1], atol=0.6)
    # posed again it lies where it was drawn
    shows = after.groups[-1].drawings[-1].number
    rig = compile_rig(after, stores)
    again = painter().paint(
        rig, rig.evaluate(posed.merged(parse_pose({f"{after.groups[-1].id}.shows": shows}))), sheet_view(after), stores
    )
    off = np.abs(again[..., 3].astype(int) - over[..., 3]) > 128
    assert off.sum() < 0.02 * (over[..., 3] > 128).sum()


def test_a_new_drawing_is_bound_as_its_like_and_shows_with_its_number():
    figure, stores, other = armed(True)
    picture = stores.put_picture(encode_png(other))
    after = edited(figure, stores, {"kind": "add_drawing", "set": "arm", "picture": picture, "name": "arm dots"})
    part = next(one for one in after.parts if one.name == "arm dots")
    assert isinstance(part.binding, Weighted)
    assert part.binding.influences == figure.part("p1").binding.influences
    assert [one.number for one in after.groups[-1].drawings] == [1, 2, 3]


@pytest.mark.parametrize(
    ("more", "says"),
    [
        ({"pose": {"nobody.turn": 3}}, "does not have"),
        ({"pose": {"arm.turn": 20}, "small": True}, "as large as the sheet, 400 x 400 px"),
        ({"pose": {"arm.turn": 20}, "empty": True}, "Nothing is painted"),
        ({"like": "nobody"}, "no part"),
    ],
)
def test_what_cannot_come_to_a_set_is_refused_with_a_sentence(more, says):
    figure, stores, other = armed(True)
    pixels = np.ascontiguousarray(other[:50, :50]) if more.pop("small", False) else other
    pixels = np.zeros_like(other) if more.pop("empty", False) else pixels
    edit = {"kind": "add_drawing", "set": "arm", "picture": stores.put_picture(encode_png(pixels)), "name": "x", **more}
    with pytest.raises(EditRefused, match=says):
        apply_edit(edit, figure, stores)


def test_drawings_bound_otherwise_and_such_as_jump_are_told_with_what_mends_them():
    mouth = drawn(f'<rect x="180" y="180" width="60" height="30" fill="{FILL}" stroke="{INK}" stroke-width="4"/>')
    aside = drawn(f'<rect x="250" y="180" width="60" height="30" fill="{FILL}" stroke="{INK}" stroke-width="4"/>')
    figure, stores = figure_of({"mouth shut": mouth, "mouth open": mouth, "mouth far": aside})
    figure = edited(
        figure, stores, {"kind": "draw_chain", "name": "head", "joints": at(figure, (200, 300), (200, 100))},
        {"kind": "draw_chain", "name": "jaw", "joints": at(figure, (200, 200), (200, 240))},
        {"kind": "bind_rigid", "parts": ["mouth shut", "mouth far"], "bone": "head"},
        {"kind": "bind_rigid", "parts": ["mouth open"], "bone": "jaw"},
        {"kind": "make_set", "drawings": ["mouth shut", "mouth open", "mouth far"], "name": "mouth"},
    )  # fmt: skip
    told = {one.sentence: one for one in findings(figure, stores)}
    bound = told["“mouth open” follows jaw, “mouth shut”, the first of the set “mouth”, head."]
    assert "“mouth far” jumps 70 px when it is swapped for the first of “mouth”." in told
    mended = edited(figure, stores, dict(bound.remedies[0].edit))
    left = [one.sentence for one in findings(mended, stores)]
    assert not any("follows jaw" in one for one in left)
    meant = edited(
        mended, stores, *(dict(one.remedies[-1].edit) for one in findings(mended, stores) if "jumps" in one.sentence)
    )
    assert not any("jumps" in one.sentence for one in findings(meant, stores))


def test_a_new_sheet_that_holds_one_drawing_more_of_a_set_makes_the_set_grow():
    shut, wide = (drawn(f'<rect x="180" y="180" width="60" height="{h}" fill="{FILL}"/>') for h in (20, 50))
    figure, stores = figure_of(
        {"mouth shut": shut, "mouth open": shut, "body": drawn(capsule((200, 250), (200, 330), 40, 5))}
    )
    figure = edited(figure, stores, {"kind": "make_set", "drawings": ["mouth shut", "mouth open"], "name": "mouth"})
    sheet = sheet_of(
        {
            "mouth shut": shut,
            "mouth open": shut,
            "mouth wide": wide,
            "body hair": shut,
            "body": drawn(capsule((200, 250), (200, 330), 40, 5)),
        }
    )
    edit = renewal(figure, sheet, match_sheet(figure, sheet, stores), stores)
    after = edited(figure, stores, edit.model_dump(mode="json"))
    names = {part.id: part.name for part in after.parts}
    assert [names[one.of] for one in after.groups[0].drawings] == ["mouth shut", "mouth open", "mouth wide"]


def swung(figure, stores, turns, ref):
    """Which drawing a set shows, frame by frame, as a bone goes through turns; by what is opaque in the draw list."""
    rig = compile_rig(figure, stores)
    found = []
    for turn in turns:
        frame = rig.evaluate(parse_pose({"arm 2.turn": turn}).by_id(figure))
        shown = {item.part for item in frame.items if frame.opacity(item) > 0}
        found.append("p2" in shown)
        assert len(shown & {"p1", "p2"}) == 1
    return found


def test_a_drawing_that_a_bones_turn_brings_does_not_flicker_about_where_it_comes():
    figure, stores, _ = armed(False)
    shows = {"kind": "drive", "by": "arm 2", "channel": "group:arm.shows", "points": [[30, 2]]}
    still = edited(figure, stores, {**shows, "dead": 6})
    trembling = [0, 20, 29, 31, 29, 31.5, 28, 32, 34, 31, 29, 25, 23, 29, 20]
    #            before       past it, and back within the zone    |  left it
    assert swung(still, stores, trembling, "arm") == [False] * 3 + [True] * 9 + [False] * 3
    eager = edited(figure, stores, {**shows, "dead": 0})
    assert swung(eager, stores, trembling, "arm") == [abs(one) > 30 for one in trembling]
    assert edited(figure, stores, shows).by_turns[0].drives[0].dead == 2.0


def test_a_set_taken_by_the_pose_stays_as_it_is_about_where_another_is_due():
    figure, stores, _ = armed(False)
    take = {"kind": "take_drawings", "set": "arm", "bones": ["arm", "arm 2"], "since": {"arm bare": 30}}
    still = edited(figure, stores, {**take, "dead": 6})
    turns = [0, 29, 31, 32, 34, 31, 29, 28, 26, 31]
    assert swung(still, stores, turns, "arm") == [False] * 2 + [True] * 7 + [True]
    assert swung(still, stores, [31, 25, 23.9, 29], "arm") == [True, True, False, False]
    assert swung(edited(figure, stores, {**take, "dead": 0}), stores, turns, "arm") == [one >= 30 for one in turns]


def test_a_set_is_taken_over_from_another_figure_and_lies_about_the_bone_of_its_name_there():
    figure, stores, other = armed(False)
    target, _ = figure_of({"body": drawn(capsule((200, 250), (200, 330), 40, 5)), "arm plain": other})
    for digest, data in _.pictures.items():
        stores.pictures[digest] = data
    target = edited(
        target, stores,
        {"kind": "draw_chain", "name": "arm", "joints": at(target, (120, 120), (180, 120), (240, 120))},
    )  # fmt: skip
    edit = taken_from(figure, "arm", target)
    after = edited(target, stores, edit.model_dump(mode="json"))
    group = after.groups[0]
    assert (group.name, group.bone, len(group.drawings)) == ("arm", target.bones[1].id, 2)
    assert [part.name for part in after.parts[-2:]] == ["arm plain 2", "arm bare"]
    was, now = figure.part("p1"), after.parts[-2]
    scale = 60 / 120  # of the bones' lengths
    assert now.drawing.size[0] == pytest.approx(was.drawing.size[0] * scale, abs=3)
    joint, there = figure.bones[1].joint, target.bones[1].joint
    assert np.subtract(now.drawing.place, there) == pytest.approx(np.subtract(was.drawing.place, joint) * scale, abs=2)
    # it moves with that bone
    rig = compile_rig(after, stores)
    block = rig.program.blocks[now.id]
    rest = rig.program.rest[block.start : block.start + block.count].copy()
    moved = rig.evaluate(parse_pose({"arm 2.turn": 30}).by_id(after)).vertices[block.start : block.start + block.count]
    assert np.abs(moved - rest).max() > 10
    twice = edited(after, stores, edit.model_dump(mode="json"))
    assert [one.name for one in twice.groups] == ["arm", "arm 2"]


def test_a_set_of_another_figure_that_is_none_or_lacks_its_drawings_is_refused():
    figure, stores, _ = armed(False)
    with pytest.raises(EditRefused, match="no group"):
        taken_from(figure, "nobody", figure)
    edit = taken_from(figure, "arm", figure).model_dump(mode="json")
    edit["drawings"][0]["of"] = "p999"
    with pytest.raises(EditRefused, match="no drawing p999"):
        apply_edit(edit, figure, stores)
    edit = taken_from(figure, "arm", figure).model_dump(mode="json")
    edit["parts"][0]["drawing"]["picture"] = "0" * 64
    with pytest.raises(EditRefused, match="not there"):
        apply_edit(edit, figure, stores)
