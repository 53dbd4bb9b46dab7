"""What a document refers to, told by its types: nothing is forgotten when something goes, moves, grows or is copied."""

from __future__ import annotations

import math
import types
from pathlib import Path
from typing import Annotated, Union, get_args, get_origin, get_type_hints

import numpy as np
import pytest
from PIL import Image
from pydantic import BaseModel, ConfigDict

from kunstgriff.artwork.rescaling import rescaled
from kunstgriff.delivery.frames import painter
from kunstgriff.evaluate.state import compile_rig
from kunstgriff.figure.archive import read_archive, write_archive
from kunstgriff.figure.edit import need_bone, need_part
from kunstgriff.figure.model import DeltaMush, Figure, InkFillSplit, KeptPose, Value
from kunstgriff.figure.pose import Pose
from kunstgriff.figure.references import Means, content, mentions, named_by, renamed, walk
from kunstgriff.figure.refusal import DeliveryRefused, Refusal
from kunstgriff.figure.stores import MemoryStores
from kunstgriff.figure.values import ArrayDigest, BoneRef, Name
from kunstgriff.paint.painter import View
from kunstgriff.reading.seams import read_seam
from tests.art import at, capsule, drawn, edited, figure_of, two_piece_arm, version_1, version_2, version_3

ARCHIVES = Path(__file__).parent.parent / "archives"
SAYS_NOTHING = (str, bool, Name)


def models_under(model: type[BaseModel], found: set[type[BaseModel]]) -> set[type[BaseModel]]:
    """All models a document is made of."""
    if model not in found:
        found.add(model)
        for hint in get_type_hints(model, include_extras=True).values():
            for leave in leaves(hint):
                if isinstance(leave, type) and issubclass(leave, BaseModel):
                    models_under(leave, found)
    return found


def leaves(hint):
    """The types within a type, down to those that are marked or hold no other."""
    if get_origin(hint) is Annotated:
        base, *notes = get_args(hint)
        if any(isinstance(note, Means) for note in notes):
            return
        yield from leaves(base)
    elif get_origin(hint) in (Union, types.UnionType, tuple, dict):
        for get_arg in get_args(hint):
            yield from leaves(get_arg)
    else:
        yield hint


def test_every_number_and_reference_of_a_document_says_what_it_is():
    """A field nobody marked would be left out of archives, copies and other scales."""
    models = models_under(Figure, set())
    assert len(models) > 30
    for model in models:
        hints = get_type_hints(model, include_extras=True)
        for name in model.model_fields:
            unmarked = [one for one in leaves(hints[name]) if one in (int, float)]
            assert not unmarked, f"{model.__name__}.{name} does not say what its numbers are"
            texts = [one for one in leaves(hints[name]) if one is str]
            patterns = str(model.model_fields[name]) + str(hints[name])
            assert not texts or ("{64}" not in patterns and "[a-z][0-9]{1,9}" not in patterns), (
                f"{model.__name__}.{name} does not say what it refers to"
            )


def test_a_new_kind_of_array_goes_into_archives_by_its_type_alone():
    class Bumps(Value):
        model_config = ConfigDict(frozen=True)
        heights: ArrayDigest
        on: BoneRef

    one = Bumps(heights="a" * 64, on="b3")
    assert content(one) == (frozenset(), {"a" * 64})
    assert mentions(renamed(one, {"b3": "b7"})) == [("bone", "b7")]


@pytest.mark.parametrize("name", ["first", "version-1", "version-2", "version-3"])
def test_archives_of_old_open_and_look_the_same(name, tmp_path):
    figure, stores = read_archive(ARCHIVES / f"{name}.zip")
    then = np.asarray(Image.open(ARCHIVES / f"{name}.png")).astype(int)
    assert np.abs(pictures(figure, stores) - then).mean() < 0.2
    write_archive(tmp_path / "again.zip", figure, stores)
    again, _ = read_archive(tmp_path / "again.zip")
    assert again == figure


def test_what_version_2_said_of_smoothing_hand_weights_and_ink_is_said_today():
    figure, _ = read_archive(ARCHIVES / "version-2.zip")
    smoothed = next(part for part in figure.parts if part.deformers)
    assert smoothed.deformers == (DeltaMush(rounds=6, amount=0.8),)
    assert smoothed.binding.manual_mask is not None
    split = InkFillSplit(ink_picture="a" * 64, fill_picture="b" * 64)
    changed = figure.replace(parts=(figure.parts[0].with_drawing(split=split), *figure.parts[1:]))
    assert Figure.model_validate(version_2(changed)) == changed


def test_what_version_3_said_of_a_part_is_said_of_its_drawing_today_on_every_facing():
    figure, _ = read_archive(ARCHIVES / "version-3.zip")
    facings = figure.turnaround.facings
    assert sum(bool(one.parts) for one in facings) >= 3
    assert all(part.drawing.picture for one in facings for part in one.parts)
    assert Figure.model_validate(version_3(figure)) == figure


def pictures(figure: Figure, stores: MemoryStores) -> np.ndarray:
    """The figure at rest and in three poses side by side, a quarter as large."""
    rig, (x, y) = compile_rig(figure, stores), figure.sheet.standing_point
    rng = np.random.default_rng(7)
    shown = []
    for number in range(4):
        turn = {bone.id: float(rng.uniform(-40, 40)) for bone in figure.bones} if number else {}
        size = round(figure.sheet.width / 4), round(figure.sheet.height / 4)
        shown.append(painter().paint(rig, rig.evaluate(Pose(turn=turn)), View(size, 0.25, (-x, -y)), stores))
    return np.concatenate(shown, 1).astype(int)


def arm():
    """A bound arm with a kept pose, a switched clip and order, a spring's gravity and tolerances of its own."""
    figure, stores = two_piece_arm()
    return edited(
        figure, stores,
        {"kind": "clip_part", "part": "forearm", "by": "upper arm", "switch": {"bone": "arm 2", "low": 20, "high": 90}},
        {"kind": "keep_pose", "name": "up", "pose": {
            "turn": {"arm 2": 50, "arm": 10}, "move": {"arm": [6, -4], "arm 2": [3, 1]}, "stretch": {"arm": [1.5, 0.8]}}},
        {"kind": "set_tolerances", "tolerances": {"gap": 2, "ink": 5, "jump": 3}},
        {"kind": "say_meeting", "bones": ["arm 2"], "meets_as": "limb"},
    ), stores  # fmt: skip


def test_another_scale_scales_moves_tolerances_and_margins():
    figure, stores = arm()
    twice = rescaled(figure, 2, stores)
    pose, was = twice.poses[0].pose, figure.poses[0].pose
    assert set(pose.channels) == set(was.channels)
    for address, value in was.channels.items():
        assert pose.channels[address] == (2 * value if ".move." in address else value)
    assert (twice.tolerances.gap, twice.tolerances.ink, twice.tolerances.jump) == (4, 10, 6)
    assert twice.tolerances.step == figure.tolerances.step
    assert need_part(twice, "forearm").binding.margin == 2 * need_part(figure, "forearm").binding.margin
    posed = [pictures_of(one, stores, one.pose_of(one.poses[0]), scale) for one, scale in ((figure, 2), (twice, 1))]
    assert np.abs(posed[0] - posed[1]).mean() < 2.5  # the same pose, twice as large, but for resampling
    rest = pictures_of(figure, stores, Pose(), 2)
    assert np.abs(posed[0] - rest).mean() > 10


def pictures_of(figure: Figure, stores: MemoryStores, pose: Pose, scale: float) -> np.ndarray:
    rig, (x, y) = compile_rig(figure, stores), figure.sheet.standing_point
    size = round(figure.sheet.width * scale), round(figure.sheet.height * scale)
    return painter().paint(rig, rig.evaluate(pose), View(size, scale, (-x, -y)), stores).astype(int)


def test_deleting_bones_leaves_nothing_that_names_them():
    figure, stores = arm()
    gone = need_bone(figure, "arm 2").id
    after = edited(figure, stores, {"kind": "delete_bones", "bones": ["arm 2"]})
    assert gone not in {named_by(one) for one in walk(after)}
    assert set(after.poses[0].pose.of("turn")) == {need_bone(figure, "arm").id}
    assert not after.meetings
    assert not after.treated("clip")  # switched by it: on for good would be another thing


@pytest.mark.parametrize(
    "taken", [{"turn": {"arm 2": 30}}, {"turn": {"arm": -20, "arm 2": 45}, "move": {"arm": [12, 5]}}]
)
def test_taking_a_pose_as_rest_leaves_kept_poses_and_switches_where_they_were(taken):
    figure, stores = arm()
    figure = edited(figure, stores, {"kind": "keep_pose", "name": "down", "pose": {"turn": {"arm": 25, "arm 2": -35}}})
    after = edited(figure, stores, {"kind": "take_pose", "pose": taken})
    for kept in figure.poses[1:]:  # a pose without stretches, which a redrawn limb has in its picture
        now = next(one for one in after.poses if one.name == kept.name)
        tips = [tips_of(one, stores, one.pose_of(pose)) for one, pose in ((figure, kept), (after, now))]
        assert np.abs(tips[0] - tips[1]).max() < 1e-3
    (clip,), turned = after.treated("clip"), taken["turn"]["arm 2"]
    assert (clip.switch.low, clip.switch.high) == (20 - turned, 90 - turned)


def tips_of(figure: Figure, stores: MemoryStores, pose: Pose) -> np.ndarray:
    """Where the tips of all bones lie in a pose."""
    rig = compile_rig(figure, stores)
    rig.evaluate(pose)
    found = []
    for bone in figure.bones:
        a, b, c, d, e, f = rig.matrices[rig.program.bone_index[bone.id]]
        found.append((a * bone.tip[0] + c * bone.tip[1] + e, b * bone.tip[0] + d * bone.tip[1] + f))
    return np.array(found)


def test_a_set_up_is_copied_with_what_was_laid_by_hand():
    """Openings, clips, folds, caps and orders by pose lie on the other limb as they lie on the one."""
    layers, joints = {}, {}
    for side, x in (("left", 120), ("right", 280)):
        layers[f"{side} upper"] = drawn(capsule((x, 60), (x, 180), 26, 6))
        layers[f"{side} fore"] = drawn(capsule((x, 180), (x, 320), 26, 6))
        joints[side] = [(x, 50), (x, 180), (x, 330)]
    figure, stores = figure_of(layers)
    figure = edited(
        figure, stores,
        *({"kind": "draw_chain", "name": f"{side} arm", "joints": at(figure, *joints[side])} for side in joints),
        {"kind": "bind_rigid", "parts": ["left upper"], "bone": "left arm"},
        {"kind": "bind_rigid", "parts": ["left fore"], "bone": "left arm 2"},
        {"kind": "open_outline", "part": "left fore", "start": at(figure, (94, 190))[0], "end": at(figure, (94, 240))[0]},
        {"kind": "clip_part", "part": "left fore", "by": "left upper", "erased": True,
         "switch": {"bone": "left arm 2", "low": 150}},
        {"kind": "draw_fold", "bone": "left arm 2"},
        {"kind": "order_by_pose", "part": "left fore", "in_front_of": "left upper",
         "switch": {"bone": "left arm 2", "low": 30}},
    )  # fmt: skip
    done = edited(figure, stores, {"kind": "copy_setup", "bone": "left arm", "find": "left", "put": "right"})
    side = {need_part(done, f"{name} {piece}").id: name for name in joints for piece in ("upper", "fore")}
    for kind in ("opening", "clip", "fold", "order"):
        assert sorted(side[one.part] for one in done.treated(kind)) == ["left", "right"], kind
    for opening, other in zip(done.treated("opening")[0:1], done.treated("opening")[1:2], strict=True):
        assert np.subtract(other.start, opening.start) == pytest.approx((160, 0), abs=1)
    again = edited(done, stores, {"kind": "copy_setup", "bone": "left arm", "find": "left", "put": "right"})
    assert len(again.treatments) == len(done.treatments)


def test_a_kept_pose_of_old_that_names_a_bone_that_is_gone_is_read_without_it():
    figure, _ = arm()
    document = version_1(figure)
    document["poses"][0]["turn"]["b999"] = 12.0
    document["meetings"].append({"bone": "b998", "kind": "limb"})
    read = Figure.model_validate(document)
    assert read == figure
    pose = KeptPose.model_validate({"name": "up", "pose": {"turn": {"b999": 12.0}}})
    with pytest.raises(ValueError, match="refers to a part, bone, handle or control that does not exist"):
        figure.replace(poses=(pose,))


def test_turns_are_counted_from_the_rest_a_person_sees():
    # geometry: turns about one joint add up, so 50° from the old rest are 20° from one that is 30° on
    figure, stores = arm()
    after = edited(figure, stores, {"kind": "take_pose", "pose": {"turn": {"arm 2": 30}}})
    assert after.poses[0].pose.of("turn")[need_bone(after, "arm 2").id] == pytest.approx(20)
    assert math.dist(*(need_bone(after, "arm 2").joint, need_bone(figure, "arm 2").joint)) < 1e-3


def test_what_was_accepted_in_words_of_old_stays_accepted():
    figure, stores = two_piece_arm()
    bone = need_bone(figure, "arm 2")
    miss = next(one for one in read_seam(figure, stores, bone, painter()).misses if one.kind == "ink")
    marks = ".".join(sorted(part.drawing.picture[:8] for part in figure.parts))
    old = version_1(figure)
    old["accepted"] = [f"seam:{bone.id}:shows-a-line-across:{marks}", "ink:p1"]
    read = Figure.model_validate(old)
    assert read.accepted == (f"seam:{bone.id}:ink:{marks}", "ink:p1")
    assert miss.kind not in {one.kind for one in read_seam(read, stores, bone, painter()).misses}
    said = edited(figure, stores, {"kind": "accept_finding", "key": f"seam:{bone.id}:shows-a-line-across:{marks}"})
    assert said.accepted == read.accepted[:1]


def test_refusals_have_one_root_and_a_code_each():
    found, pending = {DeliveryRefused}, [Refusal]
    while pending:
        one = pending.pop()
        pending += one.__subclasses__()
        found.add(one)
    codes = [one.code for one in found]
    assert len(found) >= 6
    assert len(set(codes)) == len(codes)
    assert all(str(one("a \udc80 name")) for one in found), "a lone surrogate is no error of its own"


def test_a_stretched_rest_counts_lengths_and_widths_of_kept_poses_each_by_its_own():
    # what was 1.5 times as long and 0.8 times as wide is so against what is 1.2 and 0.9 times as much: by division
    figure, stores = arm()
    after = edited(figure, stores, {"kind": "take_pose", "pose": {"arm.stretch.along": 1.2, "arm.stretch.across": 0.9}})
    pose, bone = after.poses[0].pose, need_bone(after, "arm").id
    assert pose.of("stretch.along")[bone] == pytest.approx(1.5 / 1.2)
    assert pose.of("stretch.across")[bone] == pytest.approx(0.8 / 0.9)
