"""The figure as glTF 2.0 binary: skinned meshes, joints, unlit materials, textures, the swing as animation.

Figure px become units of a thousandth; y points up and triangles turn the other way, texture coordinates stay. Parts
lie one behind another along z in draw order. Riders and still parts get a joint of their own, so that every vertex is
placed by joints alone, but for bends that linear blending cannot say, which are morph targets (see `gltf_shapes`;
Khronos glTF 2.0, KHR_materials_unlit).
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

import numpy as np
import pygltflib as gl
from numpy.typing import NDArray

from kunstgriff.artwork.looks import mixed
from kunstgriff.artwork.sheet import Progress, no_progress
from kunstgriff.delivery.gltf_shapes import Target, bend_targets
from kunstgriff.evaluate.items import DrawItem
from kunstgriff.evaluate.pose import Pose
from kunstgriff.evaluate.rig import Rig, compile_rig
from kunstgriff.figure.model import Figure, Rider
from kunstgriff.figure.stores import Stores, decode_png, encode_png
from kunstgriff.skeleton.kinematics import posed
from kunstgriff.trial.swing import frame_count, play

UNIT = 0.001  # glTF units per px: a figure 2,000 px high stands 2 m tall
LAYER_STEP = 0.5  # px along z between draw items

Floats = NDArray[np.float64]


@dataclass
class _Builder:
    """Collects buffer views into one binary chunk."""

    gltf: gl.GLTF2 = field(default_factory=gl.GLTF2)
    chunk: bytearray = field(default_factory=bytearray)

    def view(self, data: bytes, target: int | None = None) -> int:
        self.chunk += bytes(-len(self.chunk) % 4)
        self.gltf.bufferViews.append(
            gl.BufferView(buffer=0, byteOffset=len(self.chunk), byteLength=len(data), target=target)
        )
        self.chunk += data
        return len(self.gltf.bufferViews) - 1

    def accessor(self, array: NDArray[Any], kind: str, target: int | None = None, bounds: bool = False) -> int:
        component = {"f4": gl.FLOAT, "u2": gl.UNSIGNED_SHORT, "u4": gl.UNSIGNED_INT}[array.dtype.str[1:]]
        accessor = gl.Accessor(
            bufferView=self.view(np.ascontiguousarray(array).tobytes(), target),
            componentType=component,
            count=len(array),
            type=kind,
        )
        if bounds:
            table = array.reshape(len(array), -1)
            accessor.min, accessor.max = table.min(0).tolist(), table.max(0).tolist()
        self.gltf.accessors.append(accessor)
        return len(self.gltf.accessors) - 1


def write_glb(target: Path, figure: Figure, stores: Stores, progress: Progress = no_progress) -> None:
    """Write the figure. Hidden parts are left out.

    Tints are painted into the pictures; a group's opacity becomes that of each of its parts. glTF has no blend modes:
    blended parts are laid on plainly. Treatments are written as `plain_items` tells.
    """
    rig = compile_rig(figure, stores)
    build = _Builder()
    gltf = build.gltf
    gltf.asset = gl.Asset(version="2.0", generator="Kunstgriff")
    gltf.extensionsUsed = ["KHR_materials_unlit"]
    gltf.extras = {
        "name": figure.name,
        "standing_point": list(figure.sheet.standing_point),
        "pixels_per_unit": 1 / UNIT,
    }
    joints = _joints(build, rig, figure)
    scene = [0]
    textures: dict[object, int] = {}
    see_through = {group.id: group.opacity for group in figure.groups}
    targets = bend_targets(rig, figure)
    bending: dict[int, list[Target]] = {}
    items = plain_items(rig)
    for depth, item in enumerate(items):
        item = replace(item, opacity=item.opacity * math.prod(see_through[group] for group in item.layers))
        progress(depth, len(items), "writing the meshes")
        texture = _texture(build, item, textures, stores)
        shapes = targets.get(item.part, [])
        scene.append(_mesh_node(build, rig, item, depth, joints, texture, shapes))
        if shapes:
            bending[scene[-1]] = shapes
    gltf.scenes = [gl.Scene(name=figure.name, nodes=scene)]
    gltf.scene = 0
    _animate(build, rig, figure, joints, bending, progress)
    gltf.buffers = [gl.Buffer(byteLength=len(build.chunk))]
    gltf.set_binary_blob(bytes(build.chunk))
    gltf.save_binary(str(target))


def plain_items(rig: Rig) -> list[DrawItem]:
    """The draw list at rest in what glTF can say: what is trimmed is covered instead by the fill it is trimmed with.

    Clips, knockouts and what comes on in a pose only have no words in glTF and are left out.
    """
    frame = rig.evaluate(Pose())
    items: list[DrawItem] = []
    for item in frame.items:
        if frame.opacity(item) <= 0:
            continue
        items.append(replace(item, opacity=frame.opacity(item)))
        items += [replace(one, tint=item.tint) for mask in item.masks if mask.ink_only for one in mask.shapes]
    return items


@dataclass(frozen=True)
class _Joints:
    """`node` of each joint; bones first, then one joint for each rider, then one that stands still."""

    riders: dict[str, int]
    rest: Floats
    still: int


def _joints(build: _Builder, rig: Rig, figure: Figure) -> _Joints:
    """Nodes 0 (the figure, scaled) and 1… (joints, each relative to its parent), and the skin."""
    gltf = build.gltf
    count = len(figure.bones)
    riders = [(part, part.binding) for part in figure.parts if isinstance(part.binding, Rider)]
    rest = np.concatenate(
        [rig.joints, np.array([binding.spot for _, binding in riders]).reshape(-1, 2), np.zeros((1, 2))]
    )
    gltf.nodes.append(gl.Node(name=figure.name, scale=[UNIT] * 3, children=[]))
    names = [bone.name for bone in figure.bones] + [f"{part.name} rides" for part, _ in riders] + ["still"]
    for number, name in enumerate(names):
        parent = int(rig.parents[number]) if number < count else -1
        x, y = rest[number] - (rest[parent] if parent >= 0 else 0)
        gltf.nodes.append(gl.Node(name=name, translation=[float(x), float(-y), 0.0], children=[]))
        gltf.nodes[parent + 1 if parent >= 0 else 0].children.append(number + 1)
    inverse = np.tile(np.eye(4, dtype=np.float32), (len(rest), 1, 1))
    inverse[:, 3, 0], inverse[:, 3, 1] = -rest[:, 0], rest[:, 1]  # columns lie one after another in memory
    gltf.skins.append(
        gl.Skin(
            joints=list(range(1, len(rest) + 1)),
            inverseBindMatrices=build.accessor(inverse.reshape(-1, 16).astype("<f4"), gl.MAT4),
            skeleton=0,
        )
    )
    return _Joints({part.id: count + n for n, (part, _) in enumerate(riders)}, rest, len(rest) - 1)


def _texture(build: _Builder, item: DrawItem, known: dict[object, int], stores: Stores) -> int:
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
            png = encode_png(mixed(decode_png(png), item.tint))
        gltf.images.append(gl.Image(bufferView=build.view(png), mimeType="image/png"))
        gltf.textures.append(gl.Texture(sampler=0, source=len(gltf.images) - 1))
        known[key] = len(gltf.textures) - 1
    return known[key]


def _mesh_node(
    build: _Builder, rig: Rig, item: DrawItem, depth: int, joints: _Joints, texture: int, shapes: list[Target]
) -> int:
    gltf = build.gltf
    faces = rig.indices[item.first : item.first + item.count].reshape(-1, 3)
    used, again = np.unique(faces, return_inverse=True)
    part = rig.blocks[item.part].part
    position = np.zeros((len(used), 3), "<f4")
    position[:, 0], position[:, 1], position[:, 2] = rig.rest[used, 0], -rig.rest[used, 1], depth * LAYER_STEP
    bones, weights = rig.bones[used].copy(), rig.weights[used].astype(np.float64)
    if not weights.any():  # a rider, or what follows nothing
        bones[:, 0] = joints.riders.get(part.id, joints.still)
        weights[:, 0] = 1
    bones[weights == 0] = 0
    shares = (weights / weights.sum(1, keepdims=True)).astype("<f4")
    indices = again.reshape(-1, 3)[:, ::-1].reshape(-1)
    gltf.materials.append(
        gl.Material(
            name=part.name,
            alphaMode="BLEND",
            alphaCutoff=None,
            doubleSided=True,
            pbrMetallicRoughness=gl.PbrMetallicRoughness(
                baseColorTexture=gl.TextureInfo(index=texture),
                baseColorFactor=[1.0, 1.0, 1.0, item.opacity],
                metallicFactor=0.0,
                roughnessFactor=1.0,
            ),
            extensions={"KHR_materials_unlit": {}},
        )
    )
    primitive = gl.Primitive(
        attributes=gl.Attributes(
            POSITION=build.accessor(position, gl.VEC3, gl.ARRAY_BUFFER, bounds=True),
            TEXCOORD_0=build.accessor(rig.uv[used].astype("<f4"), gl.VEC2, gl.ARRAY_BUFFER),
            JOINTS_0=build.accessor(bones.astype("<u2"), gl.VEC4, gl.ARRAY_BUFFER),
            WEIGHTS_0=build.accessor(shares, gl.VEC4, gl.ARRAY_BUFFER),
        ),
        indices=build.accessor(indices.astype("<u4"), gl.SCALAR, gl.ELEMENT_ARRAY_BUFFER),
        material=len(gltf.materials) - 1,
        targets=[{"POSITION": _shape(build, one, used - rig.blocks[item.part].start)} for one in shapes],
    )
    name = part.name if item.variant == "full" else f"{part.name} cover"
    gltf.meshes.append(gl.Mesh(name=name, primitives=[primitive], weights=[0.0] * len(shapes)))
    # where in the rig's vertex buffer the mesh's vertices come from, so that a reader can compare
    gltf.nodes.append(gl.Node(name=name, mesh=len(gltf.meshes) - 1, skin=0, extras={"rig_vertices": used.tolist()}))
    return len(gltf.nodes) - 1


def _shape(build: _Builder, target: Target, vertices: NDArray[np.integer[Any]]) -> int:
    offsets = np.zeros((len(vertices), 3), "<f4")
    offsets[:, 0], offsets[:, 1] = target.offsets[vertices, 0], -target.offsets[vertices, 1]
    return build.accessor(offsets, gl.VEC3, gl.ARRAY_BUFFER, bounds=True)


def _animate(
    build: _Builder, rig: Rig, figure: Figure, joints: _Joints, bending: dict[int, list[Target]], progress: Progress
) -> None:
    """The swing: each joint's rotation and place relative to its parent, and how far shapes are on, at every frame."""
    count = frame_count(figure.rate)
    places = np.zeros((count, len(joints.rest), 2))
    angles = np.zeros((count, len(joints.rest)))
    turns = np.zeros((count, len(figure.bones)))
    for number, frame in enumerate(play(rig)):
        progress(number, count, "writing the swing")
        places[number], angles[number] = _world(rig, joints, frame.matrices)
        turns[number] = rig.turn
    parents = np.concatenate([rig.parents, np.full(len(joints.rest) - len(rig.parents), -1)]).astype(int)
    animation = gl.Animation(name="test swing", channels=[], samplers=[])
    times = build.accessor((np.arange(count) / figure.rate).astype("<f4"), gl.SCALAR, bounds=True)
    for joint, parent in enumerate(parents):
        turn, offset = angles[:, joint], places[:, joint]
        if parent >= 0:
            turn, offset = turn - angles[:, parent], offset - places[:, parent]
            c, s = np.cos(angles[:, parent]), np.sin(angles[:, parent])
            offset = np.stack([c * offset[:, 0] + s * offset[:, 1], c * offset[:, 1] - s * offset[:, 0]], 1)
        half = -np.unwrap(turn) / 2  # y up turns the sense round
        zero = np.zeros(count)
        if np.ptp(turn) > 1e-9 or abs(turn[0]) > 1e-9:
            _channel(
                build, animation, joint + 1, "rotation", times, np.stack([zero, zero, np.sin(half), np.cos(half)], 1)
            )
        if np.ptp(offset, 0).max() > 1e-6:
            _channel(
                build, animation, joint + 1, "translation", times, np.stack([offset[:, 0], -offset[:, 1], zero], 1)
            )
    for node, shapes in bending.items():
        on = np.stack([shape.weights(turns[:, shape.bone]) for shape in shapes], 1)
        if on.any():
            _channel(build, animation, node, "weights", times, on.reshape(-1, 1))
    if animation.channels:
        build.gltf.animations.append(animation)


def _channel(build: _Builder, animation: gl.Animation, node: int, path: str, times: int, values: Floats) -> None:
    output = build.accessor(values.astype("<f4"), {1: gl.SCALAR, 3: gl.VEC3, 4: gl.VEC4}[values.shape[1]])
    animation.samplers.append(gl.AnimationSampler(input=times, output=output, interpolation="LINEAR"))
    animation.channels.append(
        gl.AnimationChannel(sampler=len(animation.samplers) - 1, target=gl.AnimationChannelTarget(node=node, path=path))
    )


def _world(rig: Rig, joints: _Joints, matrices: Floats) -> tuple[Floats, Floats]:
    """Where each joint is in figure space and how far it is turned (rad), riders read off their posed corners."""
    count = len(matrices)
    places, angles = joints.rest.copy(), np.zeros(len(joints.rest))
    places[:count] = posed(rig.joints, matrices)
    angles[:count] = np.arctan2(matrices[:, 1], matrices[:, 0])
    for ref, joint in joints.riders.items():
        start = rig.blocks[ref].start
        rest = rig.rest[start : start + 2].astype(np.float64)
        now = rig.vertices[start : start + 2].astype(np.float64)
        (ux, uy), (vx, vy) = rest[1] - rest[0], now[1] - now[0]
        angle = np.arctan2(ux * vy - uy * vx, ux * vx + uy * vy)
        dx, dy = joints.rest[joint] - rest[0]
        c, s = np.cos(angle), np.sin(angle)
        places[joint] = now[0] + (c * dx - s * dy, s * dx + c * dy)
        angles[joint] = angle
    return places, angles
