"""Sets: one of several drawings shows, by a stepped channel; nothing of the others is painted, read or left over."""

from __future__ import annotations

import json

import numpy as np
import pytest

from kunstgriff.artwork.ora import read_ora
from kunstgriff.artwork.sheet import figure_from_sheet
from kunstgriff.delivery.deliver import DeliveryOrder, deliver
from kunstgriff.delivery.frames import painter
from kunstgriff.evaluate.state import compile_rig
from kunstgriff.figure.edit import EditRefused
from kunstgriff.figure.findings import findings
from kunstgriff.figure.model import Rigid, Weighted
from kunstgriff.figure.pose import Pose, parse_pose
from kunstgriff.figure.sets import set_of, waiting
from kunstgriff.figure.stores import MemoryStores
from kunstgriff.paint.painter import sheet_view
from kunstgriff.seam.joints import pair_at
from kunstgriff.trial.motion import IntoPose, motion_named, play
from tests.art import at, capsule, drawn, edited, figure_of

COLOURS = {"smile": "#c00000", "open": "#00c000", "worried": "#0000c0"}


def mouths():
    """Three mouths of different colours at one place, the teeth of the open one a part of their own."""
    layers = {
        f"mouth {name}": drawn(f'<rect x="150" y="150" width="60" height="40" fill="{colour}"/>')
        for name, colour in COLOURS.items()
    }
    layers["teeth"] = drawn('<rect x="160" y="160" width="40" height="10" fill="#ffffff"/>')
    figure, stores = figure_of(layers)
    figure = edited(
        figure, stores, {"kind": "group_parts", "parts": ["mouth open", "teeth"], "group": "open mouth"},
        {"kind": "make_set", "drawings": ["mouth smile", "open mouth", "mouth worried"], "name": "mouth"},
    )  # fmt: skip
    return figure, stores


def seen(figure, stores, shows):
    """The colour in the middle of the mouth and on the teeth, as painted."""
    rig = compile_rig(figure, stores)
    pose = parse_pose({"group:mouth.shows": shows}).by_id(figure)
    pixels = painter().paint(rig, rig.evaluate(pose), sheet_view(figure), stores)
    return "#" + bytes(pixels[180, 155, :3]).hex(), pixels[165, 180, :3].tolist()


def test_one_drawing_shows_at_a_time_and_one_may_be_of_several_parts():
    figure, stores = mouths()
    assert [seen(figure, stores, k)[0] for k in (0, 1, 2, 3)] == [
        COLOURS["smile"], COLOURS["smile"], COLOURS["open"], COLOURS["worried"],
    ]  # fmt: skip
    assert [seen(figure, stores, k)[1] == [255, 255, 255] for k in (1, 2, 3)] == [False, True, False]
    assert seen(figure, stores, 99)[0] == COLOURS["smile"], "a number that none has shows the first"


def test_numbers_stay_what_they_are_when_drawings_come_go_and_are_put_in_another_order():
    figure, stores = mouths()
    kept = edited(figure, stores, {"kind": "keep_pose", "name": "worry", "pose": {"group:mouth.shows": 3}})
    after = edited(kept, stores, {"kind": "order_set", "drawing": "mouth worried", "position": 0},
                   {"kind": "take_from_set", "drawing": "open mouth"})  # fmt: skip
    group = next(one for one in after.groups if one.name == "mouth")
    assert [one.number for one in group.drawings] == [3, 1]
    assert after.poses[0].pose.channels == {f"{group.id}.shows": 3.0}
    again = edited(after, stores, {"kind": "add_to_set", "set": "mouth", "drawing": "open mouth"})
    assert [one.number for one in again.groups[-1].drawings or group.drawings][:2] == [3, 1]
    numbers = [one.number for one in next(one for one in again.groups if one.id == group.id).drawings]
    assert numbers == [3, 1, 4]
    gone = edited(again, stores, {"kind": "delete_parts", "parts": ["mouth worried"]})
    assert [one.number for one in next(one for one in gone.groups if one.id == group.id).drawings] == [1, 4]


def test_a_swap_falls_on_a_frame_and_never_shows_two_or_none():
    figure, stores = mouths()
    group = next(one for one in figure.groups if one.name == "mouth")
    rig = compile_rig(figure, stores)
    motion = IntoPose("worry", Pose(channels={f"{group.id}.shows": 3.0}))
    shown = {tuple(frame.opacity(item) for item in frame.items) for frame in play(rig, motion)}
    assert all(sorted(one)[-2:] in ([0.0, 1.0], [1.0, 1.0]) for one in shown)
    assert len(shown) == 2


def hands():
    """An arm of two pieces that meet at the wrist, the hand in two drawings."""
    layers = {
        "fist": drawn(capsule((220, 200), (280, 200), 26, 4)),
        "palm": drawn(capsule((220, 200), (320, 200), 26, 4)),
        "forearm": drawn(capsule((80, 200), (220, 200), 26, 4)),
    }
    figure, stores = figure_of(layers)
    return edited(
        figure, stores,
        {"kind": "draw_chain", "name": "arm", "joints": at(figure, (80, 200), (220, 200), (300, 200))},
        {"kind": "bind_rigid", "parts": ["forearm"], "bone": "arm"},
        {"kind": "bind_rigid", "parts": ["fist", "palm"], "bone": "arm 2"},
        {"kind": "make_set", "drawings": ["fist", "palm"], "name": "hand"},
        {"kind": "unbind", "parts": ["palm"]},
        {"kind": "lay_cover", "bone": "arm 2"},
    ), stores  # fmt: skip


def test_bindings_and_treatments_of_one_drawing_are_given_to_the_others_and_each_shows_with_its_own():
    figure, stores = hands()
    assert [part.name for part in pair_at(figure, figure.bones[1], stores)] == ["fist", "forearm"]
    alike = edited(figure, stores, {"kind": "set_up_alike", "like": "fist"})
    palm, fist = (next(one for one in alike.parts if one.name == name) for name in ("palm", "fist"))
    assert palm.binding == fist.binding == Rigid(bone=alike.bones[1].id)
    assert sorted(one.source for one in alike.covers) == sorted((palm.id, fist.id))
    rig = compile_rig(alike, stores)
    group = set_of(alike, palm.id)
    for number, part in ((1, fist), (2, palm)):
        frame = rig.evaluate(Pose(channels={f"{group.id}.shows": number}))
        visible = {item.part for item in frame.items if frame.opacity(item) > 0}
        assert visible == {part.id, next(one.id for one in alike.parts if one.name == "forearm")}
    again = edited(alike, stores, {"kind": "set_up_alike", "like": "fist"})
    assert len(again.covers) == 2, "done once more, nothing is there twice"
    treated = edited(alike, stores, {"kind": "treat_joints", "joints": [{"bone": "arm 2", "treatment": "trim"}]})
    assert [one.source for one in treated.covers] == [palm.id], "the other drawing keeps what it has"


def test_a_weighted_drawing_gives_its_weights_anew_to_the_other_drawing():
    figure, stores = hands()
    figure = edited(figure, stores, {"kind": "bind_weighted", "parts": ["fist"], "influences": ["arm", "arm 2"]},
                    {"kind": "set_up_alike", "like": "fist"})  # fmt: skip
    fist, palm = (next(one for one in figure.parts if one.name == name) for name in ("fist", "palm"))
    assert isinstance(palm.binding, Weighted)
    assert set(palm.binding.influences) <= set(fist.binding.influences) | {figure.bones[1].id}
    table = stores.get_array(palm.binding.weights)
    assert np.allclose(table.sum(1), 1, atol=1e-5)
    assert palm.binding.mesh != fist.binding.mesh, "the palm is longer: its net is its own"


def test_sets_come_from_the_names_of_layers_and_go_back_into_them(tmp_path):
    dot = {name: drawn(f'<rect x="{x}" y="20" width="30" height="30"/>') for name, x in (("grin", 20), ("frown", 60))}
    figure, stores = figure_of({"mouth": drawn('<rect x="20" y="20" width="80" height="30"/>'),
                                **{f"{name}, alternate of mouth": pixels for name, pixels in dot.items()}})  # fmt: skip
    group = next(one for one in figure.groups if one.drawings)
    assert group.name == "mouth"
    assert [figure.part(one.of).name for one in group.drawings] == ["mouth", "grin", "frown"]
    assert waiting(figure) == {one.id for one in figure.parts if one.name != "mouth"}
    deliver(tmp_path / "sheet.ora", DeliveryOrder(figure, stores))
    sheet = read_ora(tmp_path / "sheet.ora")
    assert [layer.visible for layer in sheet.layers] == [True, False, False]
    again = figure_from_sheet(sheet, "again", MemoryStores())
    assert [len(one.drawings) for one in again.groups if one.drawings] == [3]


def test_hidden_drawings_named_alike_are_offered_as_a_set():
    layers = {f"mouth {name}": drawn('<rect x="150" y="150" width="60" height="40"/>') for name in COLOURS}
    figure, stores = figure_of(layers)
    figure = edited(figure, stores, {"kind": "show_parts", "parts": ["mouth open", "mouth worried"], "visible": False})
    found = [one for one in findings(figure, stores) if one.key.startswith("set:")]
    assert len(found) == 1
    assert "“mouth open”, “mouth worried” are hidden" in found[0].sentence
    after = edited(figure, stores, found[0].remedies[0].edit)
    assert [one.name for one in after.groups] == ["mouth"]
    assert not [one for one in findings(after, stores) if one.key.startswith("set:")]


@pytest.mark.parametrize(
    ("edit", "told"),
    [
        ({"kind": "make_set", "drawings": ["teeth"]}, "two drawings at least"),
        ({"kind": "make_set", "drawings": ["teeth", "teeth"]}, "two drawings at least"),
        ({"kind": "make_set", "drawings": ["teeth", "nobody"]}, "no part or group “nobody”"),
        ({"kind": "make_set", "drawings": ["mouth smile", "teeth"]}, "a drawing of the set “mouth” already"),
        ({"kind": "make_set", "drawings": ["mouth", "teeth"]}, "lies in another of the drawings"),
        ({"kind": "add_to_set", "set": "open mouth", "drawing": "teeth"}, "is no set"),
        ({"kind": "add_to_set", "set": "mouth", "drawing": "mouth"}, "lies in “mouth” itself"),
        ({"kind": "take_from_set", "drawing": "teeth"}, "is in no set"),
        ({"kind": "order_set", "drawing": "mouth smile", "position": 0}, "is there already"),
        ({"kind": "set_up_alike", "like": "teeth"}, "is in no set"),
        ({"kind": "set_up_alike", "like": "mouth smile", "drawings": ["mouth smile"]}, "as itself"),
    ],
)
def test_what_makes_no_set_is_refused_in_a_sentence(edit, told):
    figure, stores = mouths()
    with pytest.raises(EditRefused, match=told):
        edited(figure, stores, edit)


def test_a_set_shows_whole_numbers_only():
    with pytest.raises(EditRefused, match="whole numbers only"):
        parse_pose({"mouth.shows": 1.5})


def test_dissolved_a_set_leaves_its_first_drawing_shown():
    figure, stores = mouths()
    after = edited(figure, stores, {"kind": "dissolve_set", "set": "mouth"})
    assert {one.name: one.visible for one in after.parts} == {
        "mouth smile": True, "mouth open": False, "mouth worried": False, "teeth": False,
    }  # fmt: skip
    assert json.loads(after.model_dump_json())["groups"][1]["drawings"] == []


def test_a_gltf_file_tells_which_drawing_shows_when(tmp_path):
    figure, stores = mouths()
    figure = edited(figure, stores, {"kind": "draw_chain", "name": "jaw", "joints": at(figure, (180, 150), (180, 200))})
    deliver(tmp_path / "mouth.glb", DeliveryOrder(figure, stores))
    data = (tmp_path / "mouth.glb").read_bytes()
    document = json.loads(data[20 : 20 + int.from_bytes(data[12:16], "little")])
    told = [node["extras"]["shown"]["while"] for node in document["nodes"] if "shown" in node.get("extras", {})]
    assert [{"set": "mouth", "drawing": 2}] in told


def test_a_gltf_file_says_that_it_is_not_told_what_is_posed_by_itself(tmp_path):
    figure, stores = mouths()
    figure = edited(
        figure, stores, {"kind": "draw_chain", "name": "jaw", "joints": at(figure, (180, 150), (180, 200))},
        {"kind": "keep_pose", "name": "wide", "pose": {"group:mouth.size.x": 1.5, "group:mouth.shows": 2, "group:mouth.opacity": 0.5}},
    )  # fmt: skip
    told = deliver(tmp_path / "mouth.glb", DeliveryOrder(figure, stores, motion=motion_named(figure, "into wide")))
    assert any("posed by itself: mouth" in sentence for sentence in told)
    assert any("nothing that fades: mouth" in sentence for sentence in told)


def walking():
    """The mouths on two bones that turn from the same joint; the open one due from 30° apart, the worried from 70°."""
    figure, stores = mouths()
    return edited(
        figure, stores,
        {"kind": "draw_chain", "name": "one", "joints": at(figure, (180, 250), (180, 350))},
        {"kind": "draw_chain", "name": "other", "joints": at(figure, (180, 250), (220, 350))},
        {"kind": "take_drawings", "set": "mouth", "bones": ["one", "other"], "since": {"open mouth": 30, "mouth worried": 70}},
    ), stores  # fmt: skip


def test_a_set_is_taken_by_how_far_two_bones_are_apart_unless_its_channel_says_what_shows():
    figure, stores = walking()
    rig = compile_rig(figure, stores)

    def shown(pose):
        frame = rig.evaluate(parse_pose(pose).by_id(figure))
        names = {part.id: part.name for part in figure.parts}
        return {names[item.part] for item in frame.items if frame.share(item.switches) > 0}

    assert shown({}) == shown({"one.turn": 40, "other.turn": 40}) == {"mouth smile"}
    assert shown({"one.turn": 29.9}) == {"mouth smile"}
    assert shown({"one.turn": 20, "other.turn": -10.1}) == {"mouth open", "teeth"}
    assert shown({"other.turn": 75}) == shown({"one.turn": -285}) == {"mouth worried"}
    assert shown({"other.turn": 75, "group:mouth.shows": 1}) == {"mouth smile"}


def test_what_takes_a_set_is_named_in_sentences_and_goes_with_its_bones():
    figure, stores = walking()
    for edit, told in (
        ({"bones": ["one", "one"], "since": {"open mouth": 1}}, "apart from itself"),
        ({"bones": ["one", "other"]}, "Say since"),
        ({"bones": ["one", "other"], "since": {"teeth": 10}}, "no drawing of"),
        ({"bones": ["one", "tail"], "since": {"open mouth": 1}}, "no bone"),
    ):
        with pytest.raises(EditRefused, match=told):
            edited(figure, stores, {"kind": "take_drawings", "set": "mouth", **edit})
    without = edited(figure, stores, {"kind": "delete_bones", "bones": ["other"]})
    assert next(one for one in without.groups if one.name == "mouth").taken_by is None
    assert compile_rig(without, stores).evaluate().items
    by_hand = edited(figure, stores, {"kind": "take_drawings", "set": "mouth"})
    group = next(one for one in by_hand.groups if one.name == "mouth")
    assert group.taken_by is None
    assert {one.since for one in group.drawings} == {None}
