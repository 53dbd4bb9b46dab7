"""The figure as glTF 2.0 binary: skinned meshes, joints, unlit materials, textures, the swing as animation.

Figure px become units of a thousandth; y points up and triangles turn the other way, texture coordinates stay. Parts
lie one behind another along z in draw order. Riders and still parts get a joint of their own, so that every vertex is
placed by joints alone (`gltf_joints`), but for bends that linear blending cannot say, which are morph targets
(`gltf_shapes`). What the pose turns on and off is told in `gltf_switches` (Khronos glTF 2.0, KHR_materials_unlit).
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
import pygltflib as gl
from numpy.typing import NDArray

from kunstgriff.artwork.looks import mixed
from kunstgriff.artwork.sheet import Progress, no_progress
from kunstgriff.delivery.gltf_build import Animated, Builder
from kunstgriff.delivery.gltf_joints import Joints, Skeleton, joints_of
from kunstgriff.delivery.gltf_shapes import Target, bend_targets
from kunstgriff.delivery.gltf_switches import Entry, Order, entries_of, orders_of, told_of
from kunstgriff.evaluate.items import DrawItem
from kunstgriff.evaluate.state import RigState, compile_rig
from kunstgriff.figure.model import Figure
from kunstgriff.figure.pose import Pose
from kunstgriff.figure.stores import Stores, encode_png
from kunstgriff.trial.motion import SWING, Motion, frame_count, play, rate_of
from kunstgriff.warp.warping import dragged_alone

UNIT = 0.001  # glTF units per px: a figure 2,000 px high stands 2 m tall
LAYER_STEP = 0.5  # px along z between draw items

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class _Course:
    """The motion at `rate` frames per second: `places` (frames, joints, 2) px and `angles` (frames, joints) rad of the
    joints, of bones the `turns` (frames, bones) in degrees and how they are `stretched` (frames, bones, 2) along and
    across, and for each frame the order items are painted in with how far each switch is on."""

    places: Floats
    angles: Floats
    turns: Floats
    stretched: Floats
    painted: list[tuple[Order, NDArray[np.float32]]]
    rate: int


def write_glb(
    target: Path, figure: Figure, stores: Stores, progress: Progress = no_progress, motion: Motion = SWING
) -> None:
    """Write the figure with a motion as its animation. Hidden parts are left out.

    Tints are painted into the pictures; a group's opacity becomes that of each of its parts. glTF has no blend modes
    and no masks: blended and clipped parts are laid on plainly.
    """
    figure = dragged_alone(figure)
    rig = compile_rig(figure, stores)
    build = Builder()
    gltf = build.gltf
    gltf.asset = gl.Asset(version="2.0", generator="Kunstgriff")
    gltf.extensionsUsed = ["KHR_materials_unlit"]
    gltf.extras = {
        "name": figure.name,
        "standing_point": list(figure.sheet.standing_point),
        "pixels_per_unit": 1 / UNIT,
    }
    root = build.node(gl.Node(name=figure.name, scale=[UNIT] * 3, children=[]))
    joints = joints_of(rig, figure)
    course = _course(rig, figure, joints, progress, motion)
    joints.stretched = np.flatnonzero(np.abs(course.stretched - 1).max((0, 2), initial=0.0) > 1e-6).tolist()
    joints.lay(build, range(len(joints.rest)), root)
    frame = rig.evaluate(Pose())
    rest, amounts = rig.order(), frame.amounts.copy()
    orders = orders_of(rig, amounts, (order for order, _ in course.painted))
    scene = [root]
    textures: dict[object, int] = {}
    see_through = {group.id: group.opacity for group in figure.groups}
    targets = bend_targets(compile_rig(figure.by_bones, stores) if figure.reaches else rig, figure)
    bending: dict[int, list[Target]] = {}
    switched: list[tuple[Entry, int]] = []
    entries = entries_of(rig.program.items, orders)
    for depth, entry in enumerate(entries):
        item = entry.item
        opacity = item.opacity * math.prod(see_through[group] for group in item.layers)
        progress(depth, len(entries), "writing the meshes")
        texture = _texture(build, item, textures, stores)
        shapes = targets.get(item.block, [])
        used, bones, weights = _followed(rig, item, joints)
        skeleton = joints.skeletons[0]
        if not entry.always:
            shown = [1.0] * 3 if entry.shown(rest, amounts) else [0.0] * 3
            extras = {"shown": told_of(rig, entry, rest)}
            node = gl.Node(name=f"{_name(rig, item)} shown", scale=shown, children=[], extras=extras)
            switched.append((entry, build.node(node, root)))
            skeleton = joints.lay(build, joints.above(np.unique(bones[weights > 0]).tolist()), switched[-1][1])
        mesh = _Mesh(item, depth, opacity, texture, shapes, used, skeleton)
        scene.append(mesh.write(build, rig, bones, weights))
        if shapes:
            bending[scene[-1]] = shapes
    gltf.scenes = [gl.Scene(name=figure.name, nodes=scene)]
    gltf.scene = 0
    _animate(build, figure, joints, course, bending, switched, motion.name)
    gltf.buffers = [gl.Buffer(byteLength=len(build.chunk))]
    gltf.set_binary_blob(bytes(build.chunk))
    gltf.save_binary(str(target))


def _course(rig: RigState, figure: Figure, joints: Joints, progress: Progress, motion: Motion) -> _Course:
    rate = rate_of(motion, figure)
    count = frame_count(motion, rate)
    course = _Course(
        np.zeros((count, len(joints.rest), 2)),
        np.zeros((count, len(joints.rest))),
        np.zeros((count, len(figure.bones))),
        np.ones((count, len(figure.bones), 2)),
        [],
        rate,
    )
    for number, frame in enumerate(play(rig, motion)):
        progress(number, count, f"playing the {motion.name}")
        course.places[number], course.angles[number] = joints.world(rig, frame.matrices)
        course.turns[number], course.stretched[number] = rig.turn, rig.grown
        course.painted.append((rig.order(), frame.amounts.copy()))
    return course


def _followed(
    rig: RigState, item: DrawItem, joints: Joints
) -> tuple[NDArray[np.int64], NDArray[np.int64], NDArray[np.float64]]:
    """The vertices (n,) an item uses, the joints (n, 4) each follows and by which weights (n, 4)."""
    used = np.unique(rig.program.indices[item.first : item.first + item.count]).astype(np.int64)
    bones, weights = rig.program.nets.bones[used].astype(np.int64), rig.program.nets.weights[used].astype(np.float64)
    if not weights.any():  # a rider, or what follows nothing
        bones[:, 0] = joints.riders.get(item.block, joints.still)
        weights[:, 0] = 1
    return used, bones, weights / weights.sum(1, keepdims=True)


def _texture(build: Builder, item: DrawItem, known: dict[object, int], stores: Stores) -> int:
    gltf, key = build.gltf, (item.picture, item.tint)
    if key not in known:
        if not gltf.samplers:
            gltf.samplers.append(
                gl.Sampler(
                    magFilter=gl.LINEAR,
                    minFilter=gl.LINEAR_MIPMAP_LINEAR,
                    wrapS=gl.CLAMP_TO_EDGE,
                    wrapT=gl.CLAMP_TO_EDGE,
                )
            )
        png = stores.get_picture(item.picture)
        if item.tint[3] > 0:
            png = encode_png(mixed(stores.get_pixels(item.picture), item.tint))
        gltf.images.append(gl.Image(bufferView=build.view(png), mimeType="image/png"))
        gltf.textures.append(gl.Texture(sampler=0, source=len(gltf.images) - 1))
        known[key] = len(gltf.textures) - 1
    return known[key]


def _name(rig: RigState, item: DrawItem) -> str:
    name = rig.program.blocks[item.block].part.name
    return name if item.variant == "full" else f"{name} {'cover' if item.variant == 'ink-less' else item.variant}"


@dataclass(frozen=True)
class _Mesh:
    """An item at its depth (how many lie behind it), how it looks and bends, and the rig's vertices (n,) it uses."""

    item: DrawItem
    depth: int
    opacity: float
    texture: int
    shapes: list[Target]
    used: NDArray[np.int64]
    skeleton: Skeleton

    def write(self, build: Builder, rig: RigState, bones: NDArray[np.int64], weights: Floats) -> int:
        """The node of its mesh; its vertices follow the joints `bones` (n, 4) by `weights` (n, 4)."""
        gltf, name = build.gltf, _name(rig, self.item)
        faces = rig.program.indices[self.item.first : self.item.first + self.item.count].reshape(-1, 3)
        corners = np.searchsorted(self.used, faces)[:, ::-1].reshape(-1)
        position = np.zeros((len(self.used), 3), "<f4")
        position[:, 0], position[:, 1] = rig.program.rest[self.used, 0], -rig.program.rest[self.used, 1]
        position[:, 2] = self.depth * LAYER_STEP
        first = next(iter(self.skeleton.nodes))  # what is followed by nothing must name some joint
        places = self.skeleton.places(np.where(weights > 0, bones, first))
        gltf.materials.append(
            gl.Material(
                name=name,
                alphaMode="BLEND",
                alphaCutoff=None,
                doubleSided=True,
                pbrMetallicRoughness=gl.PbrMetallicRoughness(
                    baseColorTexture=gl.TextureInfo(index=self.texture),
                    baseColorFactor=[1.0, 1.0, 1.0, self.opacity],
                    metallicFactor=0.0,
                    roughnessFactor=1.0,
                ),
                extensions={"KHR_materials_unlit": {}},
            )
        )
        vertices = self.used - rig.program.blocks[self.item.block].start
        primitive = gl.Primitive(
            attributes=gl.Attributes(
                POSITION=build.accessor(position, gl.VEC3, gl.ARRAY_BUFFER, bounds=True),
                TEXCOORD_0=build.accessor(rig.program.nets.uv[self.used].astype("<f4"), gl.VEC2, gl.ARRAY_BUFFER),
                JOINTS_0=build.accessor(places.astype("<u2"), gl.VEC4, gl.ARRAY_BUFFER),
                WEIGHTS_0=build.accessor(weights.astype("<f4"), gl.VEC4, gl.ARRAY_BUFFER),
            ),
            indices=build.accessor(corners.astype("<u4"), gl.SCALAR, gl.ELEMENT_ARRAY_BUFFER),
            material=len(gltf.materials) - 1,
            targets=[{"POSITION": _shape(build, one, vertices)} for one in self.shapes],
        )
        # where in the rig's vertex buffer the mesh's vertices come from, so that a reader can compare
        extras = {"rig_vertices": self.used.tolist()}
        node = gl.Node(name=name, mesh=len(gltf.meshes), skin=self.skeleton.skin, extras=extras)
        number = build.node(node)
        gltf.meshes.append(gl.Mesh(name=node.name, primitives=[primitive], weights=[0.0] * len(self.shapes)))
        return number


def _shape(build: Builder, target: Target, vertices: NDArray[np.integer[Any]]) -> int:
    offsets = np.zeros((len(vertices), 3), "<f4")
    offsets[:, 0], offsets[:, 1] = target.offsets[vertices, 0], -target.offsets[vertices, 1]
    return build.accessor(offsets, gl.VEC3, gl.ARRAY_BUFFER, bounds=True)


def _animate(
    build: Builder,
    figure: Figure,
    joints: Joints,
    course: _Course,
    bending: dict[int, list[Target]],
    switched: list[tuple[Entry, int]],
    name: str,
) -> None:
    """The motion: each joint's turn and place, how far shapes are on, and what comes and goes, at every frame."""
    times = build.accessor((np.arange(len(course.turns)) / course.rate).astype("<f4"), gl.SCALAR, bounds=True)
    animated = Animated(build, gl.Animation(name=name, channels=[], samplers=[]), times)
    for joint, turn, place in joints.motions(course.places, course.angles):
        for path, values in (("rotation", turn), ("translation", place)):
            if values is not None:
                sampler = animated.sampler(values)
                for skeleton in joints.skeletons:
                    if joint in skeleton.nodes:
                        animated.drive(skeleton.nodes[joint], path, sampler)
    for joint in joints.stretched:
        scale = np.dstack([course.stretched, np.ones(course.turns.shape)])[:, joint]
        sampler = animated.sampler(scale)
        for skeleton in joints.skeletons:
            if joint in skeleton.grown:
                animated.drive(skeleton.grown[joint], "scale", sampler)
    for node, shapes in bending.items():
        on = np.stack([shape.weights(course.turns[:, shape.bone]) for shape in shapes], 1)
        if on.any():
            animated.drive(node, "weights", animated.sampler(on.reshape(-1, 1)))
    for entry, node in switched:
        shown = np.array([entry.shown(*painted) for painted in course.painted], np.float64)
        if np.ptp(shown):
            animated.drive(node, "scale", animated.sampler(np.tile(shown[:, None], 3), steps=True))
    if animated.animation.channels:
        build.gltf.animations.append(animated.animation)
