"""Deliveries: whole or none, with alpha, the right length, and readable by others."""

from __future__ import annotations

import av
import numpy as np
import pygltflib as gl
import pytest
from PIL import Image

from kunstgriff.delivery.deliver import DeliveryOrder, deliver
from kunstgriff.delivery.png import pose_picture
from kunstgriff.figure.archive import read_archive
from kunstgriff.figure.pose import Pose, parse_pose
from kunstgriff.figure.refusal import DeliveryRefused
from kunstgriff.figure.stores import decode_png
from kunstgriff.trial.motion import motion_named
from tests.art import edited, two_piece_arm


@pytest.fixture
def arm():
    figure, stores = two_piece_arm()
    return edited(
        figure, stores, {"kind": "lay_cover", "bone": "arm 2"}, {"kind": "set_spring", "bone": "arm 2"}
    ), stores


def test_webm_has_alpha_and_the_whole_swing(arm, tmp_path):
    target = tmp_path / "swing.webm"
    deliver(target, DeliveryOrder(*arm, size=(120, 120)))
    with av.open(str(target)) as container:
        stream = container.streams.video[0]
        assert stream.metadata.get("alpha_mode") == "1"
        decoder = av.CodecContext.create("libvpx-vp9", "r")
        frames = [frame for packet in container.demux(stream) if packet.size for frame in decoder.decode(packet)]
    assert len(frames) == 96
    first = frames[0].to_ndarray(format="rgba")
    wanted = pose_picture(*arm, Pose(), (120, 120))
    assert np.abs(first[..., 3].astype(int) - wanted[..., 3]).mean() < 3
    opaque = wanted[..., 3] == 255
    assert np.abs(first[..., :3][opaque].astype(int) - wanted[..., :3][opaque]).mean() < 14


def test_webp_lasts_four_seconds_and_loops(arm, tmp_path):
    target = tmp_path / "swing.webp"
    deliver(target, DeliveryOrder(*arm, size=(120, 120)))
    with Image.open(target) as image:
        assert image.info["loop"] == 0
        durations = []
        for number in range(image.n_frames):
            image.seek(number)
            image.load()
            durations.append(image.info["duration"])
        image.seek(0)
        assert image.convert("RGBA").getpixel((1, 1))[3] == 0
    assert sum(durations) == 4000


def test_png_has_the_sheets_size_unless_told_otherwise(arm, tmp_path):
    deliver(tmp_path / "a.png", DeliveryOrder(*arm, pose=parse_pose({"turn": {"arm 2": 40}})))
    assert Image.open(tmp_path / "a.png").size == (400, 400)
    deliver(tmp_path / "b.png", DeliveryOrder(*arm, size=(80, 60)))
    assert Image.open(tmp_path / "b.png").size == (80, 60)


def test_an_archive_delivered_is_the_figure(arm, tmp_path):
    deliver(tmp_path / "arm.zip", DeliveryOrder(*arm))
    assert read_archive(tmp_path / "arm.zip")[0] == arm[0]


@pytest.mark.parametrize("ending", ["webm", "webp", "glb"])
def test_a_delivery_stopped_half_way_leaves_nothing(arm, tmp_path, ending):
    class Enough(Exception):
        pass

    def stop(done, total, stage):
        if "swing" in stage and done >= 3:
            raise Enough

    with pytest.raises(Enough):
        deliver(tmp_path / f"swing.{ending}", DeliveryOrder(*arm, size=(64, 64), progress=stop))
    assert not list(tmp_path.iterdir())


def test_an_unknown_ending_and_an_unwritable_place_are_refused(arm, tmp_path):
    with pytest.raises(DeliveryRefused, match="ends in"):
        deliver(tmp_path / "arm.mov", DeliveryOrder(*arm))
    with pytest.raises(DeliveryRefused, match="Nothing can be written"):
        deliver(tmp_path / "nowhere" / "arm.png", DeliveryOrder(*arm))


def test_a_turnaround_sheet_of_a_figure_with_one_side_is_refused_and_leaves_nothing(arm, tmp_path):
    with pytest.raises(DeliveryRefused, match="one side only"):
        deliver(tmp_path / "arm.turnaround.png", DeliveryOrder(*arm))
    assert not list(tmp_path.iterdir())


def test_a_tint_and_a_groups_opacity_leave_with_the_rig(arm, tmp_path):
    figure, stores = arm
    figure = edited(
        figure, stores, {"kind": "tint_parts", "parts": ["forearm"], "tint": {"colour": "#ff0000", "amount": 1}},
        {"kind": "group_parts", "parts": ["forearm"], "group": "arm"}, {"kind": "paint_group", "group": "arm", "opacity": 0.5},
    )  # fmt: skip
    deliver(tmp_path / "arm.glb", DeliveryOrder(figure, stores))
    scene = gl.GLTF2().load(str(tmp_path / "arm.glb"))
    material = next(one for one in scene.materials if one.name == "forearm")
    assert material.pbrMetallicRoughness.baseColorFactor[3] == 0.5
    view = scene.bufferViews[
        scene.images[scene.textures[material.pbrMetallicRoughness.baseColorTexture.index].source].bufferView
    ]
    pixels = decode_png(scene.binary_blob()[view.byteOffset : view.byteOffset + view.byteLength])
    assert pixels[pixels[..., 3] > 0][:, :3].mean(0).tolist() == [255, 0, 0]


def test_what_a_delivery_leaves_out_is_told(pell, tmp_path):
    figure, stores = pell
    told = " ".join(deliver(tmp_path / "pell.glb", DeliveryOrder(figure, stores)))
    clipped = {figure.part(one.part).name for one in figure.treated("clip")}
    assert clipped
    assert "glTF knows no clips" in told
    assert any(name in told for name in clipped)
    assert "fading in" in told
    assert deliver(tmp_path / "pell.png", DeliveryOrder(figure, stores)) == ()
    (sized,) = deliver(tmp_path / "small.png", DeliveryOrder(figure, stores, size=(64, 96)))
    assert sized.startswith("Painted 64 x 96 px; the sheet has ")
    assert deliver(tmp_path / "pell.zip", DeliveryOrder(figure, stores)) == ()


def test_a_swing_is_delivered_at_the_rate_asked_for(tmp_path):
    figure, stores = two_piece_arm()
    for rate in (12, 30):
        told = deliver(tmp_path / "arm.webp", DeliveryOrder(figure, stores, size=(32, 32), rate=rate))
        with Image.open(tmp_path / "arm.webp") as picture:
            steps = []
            for number in range(picture.n_frames):
                picture.seek(number)
                picture.load()  # tells how long this one is shown
                steps.append(picture.info["duration"])
        assert sum(steps) == pytest.approx(4_000, abs=20)  # the swing takes 4 s; what looks alike is one frame
        assert min(steps) == pytest.approx(1_000 / rate, abs=1)
        assert f"{rate} frames per second." in told
    assert figure.rate == 24


def test_another_motion_than_the_swing_is_delivered_and_told(arm, tmp_path):
    figure, stores = arm
    pose = {"arm 2.turn": 80, "arm 2.stretch.along": 1.3}
    figure = edited(figure, stores, {"kind": "keep_pose", "name": "salute", "pose": pose})
    motion = motion_named(figure, "into salute")
    told = deliver(tmp_path / "a.webp", DeliveryOrder(figure, stores, size=(120, 120), motion=motion))
    assert "Its motion is “into salute”." in told
    with Image.open(tmp_path / "a.webp") as image:
        image.seek(24)  # after a second it is in the pose and stays there
        shown = np.asarray(image.convert("RGBA")).astype(int)
    wanted = pose_picture(figure, stores, parse_pose(pose), (120, 120)).astype(int)
    rest = pose_picture(figure, stores, Pose(), (120, 120)).astype(int)
    assert np.abs(shown[..., 3] - wanted[..., 3]).mean() < 0.3 * np.abs(rest[..., 3] - wanted[..., 3]).mean()
    told = deliver(tmp_path / "a.glb", DeliveryOrder(figure, stores, motion=motion))
    assert not any("stretched bones" in one for one in told)
    (animation,) = gl.GLTF2().load(str(tmp_path / "a.glb")).animations
    assert animation.name == "into salute"
