"""The present pose taken as the new rest: bones stay where they are, pictures are redrawn as posed, all bound anew."""

from __future__ import annotations

import math
from collections.abc import Iterable
from typing import Any, Literal

import cv2
import numpy as np
from numba import njit
from numpy.typing import NDArray

from kunstgriff.artwork.blending import premultiplied, straightened
from kunstgriff.artwork.edits import with_parts
from kunstgriff.binding.mesh import spots_on
from kunstgriff.binding.remeshing import Net
from kunstgriff.evaluate.state import RigState, compile_rig
from kunstgriff.figure.channels import addressed, parted, quantities
from kunstgriff.figure.edit import Edit, EditRefused
from kunstgriff.figure.model import Bone, Figure, InkFillSplit, KeptPose, Part, Point, Rider, Weighted
from kunstgriff.figure.motions import FigureMotion, Track
from kunstgriff.figure.pose import Pose, rest_of
from kunstgriff.figure.references import from_new_rest
from kunstgriff.figure.renewal import set_at_rest
from kunstgriff.figure.stores import PICTURE_PIXELS_LIMIT, Stores, encode_png
from kunstgriff.skeleton.kinematics import posed

STILL = 1e-6  # degrees, px or times a bone may be off rest and count as at rest

Floats = NDArray[np.float64]
Floats32 = NDArray[np.float32]


class TakePose(Edit):
    """Take a pose as the new rest.

    Every part is redrawn as it is posed, once; meshes, weights, riders, pivots and covers go along. Springs and names
    stay; limits, kept poses and what switches treatments are counted from the new rest.
    """

    kind: Literal["take_pose"] = "take_pose"
    pose: Pose

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        pose = self.pose.by_id(figure)
        if pose.at_rest:
            raise EditRefused("The figure is at rest; pose it first.")
        laid_on = next((one for one in figure.shapes if one.sculpts and pose.channels.get(f"{one.id}.amount")), None)
        if laid_on is not None:
            raise EditRefused(f"“{laid_on.name}” pulls at the art; lay it off before a pose becomes the rest.")
        rig = compile_rig(figure, stores)
        rig.evaluate(pose)
        changed = {part.id: self._redrawn(figure, rig, part, stores) for part in figure.parts}
        after = with_parts(_counted_anew(figure, rig, pose), changed)
        for part in after.parts:
            if isinstance(part.binding, Weighted) and part.drawing.strip is None:
                after = with_parts(after, {part.id: Net.of(part.binding, stores).bound(after, part, stores)})
        return set_at_rest(figure, after, stores)

    def _redrawn(self, figure: Figure, rig: RigState, part: Part, stores: Stores) -> Part:
        block = rig.program.blocks[part.id]
        rows = slice(block.start, block.start + block.count)
        before, now = rig.program.rest[rows].astype(np.float64), rig.vertices[rows].astype(np.float64)
        drawn = rig.program.nets.drawn[rows].astype(np.float64)
        if np.allclose(drawn, now, atol=1e-3):
            return part
        if part.drawing.strip is not None:
            raise EditRefused(f"“{part.name}” is straightened and cannot be redrawn as posed; leave it curved first.")
        faces = block.triangles - block.start
        low, high = np.floor(now.min(0)) - 1, np.ceil(now.max(0)) + 1
        size = (int(high[0] - low[0]), int(high[1] - low[1]))
        if size[0] * size[1] > PICTURE_PIXELS_LIMIT:
            raise EditRefused(f"“{part.name}” would become larger than a picture may be.")
        source = np.full((size[1], size[0], 2), -10.0, np.float32)
        _trace(now - low, drawn - part.drawing.place, faces.astype(np.int32), source)

        def redrawn(digest: str) -> str:
            pixels = premultiplied(stores.get_pixels(digest))
            moved = cv2.remap(
                pixels, source[..., 0], source[..., 1], cv2.INTER_CUBIC, borderMode=cv2.BORDER_CONSTANT, borderValue=0
            )
            return stores.put_picture(encode_png(straightened(moved.clip(0, 1))))

        was = part.drawing
        drawing: dict[str, Any] = {"picture": redrawn(was.picture), "place": _point(low), "size": size, "remade": ()}
        if was.split is not None:
            drawing["split"] = InkFillSplit(
                ink_picture=redrawn(was.split.ink_picture), fill_picture=redrawn(was.split.fill_picture)
            )
        if was.pivot is not None:
            drawing["pivot"] = _carried(before, now, faces, was.pivot)
        changes: dict[str, Any] = {"drawing": was.model_copy(update=drawing), "shelved": ()}
        if part.mesh is not None:
            changes["mesh"] = part.mesh.model_copy(update={"vertices": stores.put_array(now - low)})
        changes["binding"] = self._taken(rig, part, part.binding, now - low, stores)
        return part.model_copy(update=changes)

    def _taken(self, rig: RigState, part: Part, binding: Any, own: Floats, stores: Stores) -> Any:
        if isinstance(binding, Weighted):
            mesh = binding.mesh.model_copy(update={"vertices": stores.put_array(own)})
            return binding.model_copy(update={"mesh": mesh})
        if isinstance(binding, Rider):
            before, now, faces = _carrier(rig, binding)
            spot = _carried(before, now, faces, binding.spot)
            pivot = None
            if binding.pivot is not None:
                pivot = (binding.pivot[0] + spot[0] - binding.spot[0], binding.pivot[1] + spot[1] - binding.spot[1])
            return binding.model_copy(update={"spot": spot, "pivot": pivot})
        return binding

    def describe(self, figure: Figure) -> str:
        return "take the pose as the new rest"


def _counted_anew(figure: Figure, rig: RigState, taken: Pose) -> Figure:
    """The figure with its bones as the rig has them, and all turns, moves and stretches counted from there."""
    index = rig.program.bone_index
    # what turns of bones drive is counted from the new rest by itself
    turns, sizes = rig.turned - rig.driven[:, 0], rig.grown - rig.driven[:, 1:]
    turned = {ref: float(turns[number]) for ref, number in index.items()}
    stretched = {ref: (float(sizes[number][0]), float(sizes[number][1])) for ref, number in index.items()}
    poses = tuple(_of_every_bone(figure, one) for one in figure.poses)
    resting = [ref for ref in index if abs(turned[ref]) > STILL or max(abs(one - 1) for one in stretched[ref]) > STILL]
    motions = tuple(_of_some_bones(one, resting) for one in figure.motions)
    after = from_new_rest(figure.model_copy(update={"poses": poses, "motions": motions}), turned, stretched)
    bones = tuple(_at_rest(rig, bone) for bone in after.bones)
    moved = zip(after.poses, figure.poses, strict=True)
    return after.replace(bones=bones, poses=tuple(_moved(figure, rig, now, before, taken) for now, before in moved))


def _at_rest(rig: RigState, bone: Bone) -> Bone:
    matrix = rig.matrices[[rig.program.bone_index[bone.id]] * 2]
    joint, tip = posed(np.array([bone.joint, bone.tip], np.float64), matrix)
    limits = bone.limits
    if limits is not None:  # the new rest lies within them
        limits = limits.model_copy(update={"low": min(limits.low, 0.0), "high": max(limits.high, 0.0)})
    return bone.model_copy(update={"joint": _point(joint), "tip": _point(tip), "limits": limits})


def _of_every_bone(figure: Figure, pose: KeptPose) -> KeptPose:
    """A kept pose that says of bones at rest, too, that they are."""
    rest = Pose(
        channels={
            addressed(bone.id, one.name): one.rest
            for bone in figure.bones
            for one in quantities().values()
            if "bone" in one.of
        }
    )
    return pose.model_copy(update={"pose": rest.merged(pose.pose)})


def _of_some_bones(motion: FigureMotion, refs: Iterable[str]) -> FigureMotion:
    """A motion that says of some bones at rest, too, that they are."""
    there = {one.channel for one in motion.tracks}
    said = (addressed(ref, name) for ref in refs for name in ("turn", "stretch.along", "stretch.across"))
    more = tuple(
        Track(channel=channel, at=(0.0,), values=(rest_of(channel),), ways=("smooth",))
        for channel in said
        if channel not in there
    )
    return motion.model_copy(update={"tracks": (*motion.tracks, *more)})


def _moved(figure: Figure, rig: RigState, kept: KeptPose, before: KeptPose, taken: Pose) -> KeptPose:
    """A kept pose counted from the new rest, with its moves; what is at rest in it left out.

    A bone's move in the new rest turns with its parent, so it is taken off as that lies in the kept pose.
    """
    turn, right, down = (before.pose.of(name) for name in ("turn", "move.x", "move.y"))
    moves, angle = {}, dict[str | None, float]({None: 0.0})
    for bone in figure.bones:
        angle[bone.id] = angle[bone.parent] + math.radians(turn.get(bone.id, 0.0))
        number = rig.program.bone_index[bone.id]
        carried = angle[bone.parent] - (float(rig.angles[rig.program.skeleton.parents[number]]) if bone.parent else 0.0)
        off = complex(*rig.moved[number]) * complex(math.cos(carried), math.sin(carried))
        moved = complex(right.get(bone.id, 0.0), down.get(bone.id, 0.0)) - off
        moves[bone.id] = moved.real, moved.imag
    left = kept.pose.merged(Pose.of_bones(move=moves))
    drawn = {  # what handles of warps are shifted by is drawn into the art
        address: _counted_from(value, left.channels.get(address), quantities()[parted(address)[1]].rest)
        for address, value in taken.channels.items()
        if "handle" in quantities()[parted(address)[1]].of
    }
    return kept.model_copy(update={"pose": left.merged(Pose(channels=drawn)).sparse(STILL)})


def _counted_from(taken: float, value: float | None, rest: float) -> float:
    """A value counted from what was taken as the rest: what is 0 at rest by how much more, what is 1 by how often."""
    now = rest if value is None else value
    return now / taken if rest else now - taken


def _point(point: Floats) -> Point:
    return (round(float(point[0]), 4), round(float(point[1]), 4))


def _carrier(rig: RigState, binding: Rider) -> tuple[Floats, Floats, NDArray[np.int32]]:
    if binding.carrier in rig.program.blocks:
        block = rig.program.blocks[binding.carrier]
        rows = slice(block.start, block.start + block.count)
        faces = (block.triangles - block.start).astype(np.int32)
        return rig.program.rest[rows].astype(np.float64), rig.vertices[rows].astype(np.float64), faces
    bone = rig.program.bone_index[binding.carrier]
    square = np.array([[0, 0], [1, 0], [1, 1], [0, 1]]) * 100.0 + binding.spot - 50.0
    return square, posed(square, rig.matrices[[bone] * 4]), np.array([[0, 1, 2], [0, 2, 3]], np.int32)


def _carried(before: Floats, now: Floats, faces: NDArray[np.int32], point: Point) -> Point:
    """Where a mesh takes a point: by the triangle it lies in, else by the nearest one."""
    corners, shares = spots_on(before, faces, np.array([point], np.float64))
    return _point(shares[0] @ now[corners[0]])


@njit(cache=True)
def _trace(corners: Floats, origins: Floats, faces: NDArray[np.int32], source: Floats32) -> None:
    """Fill `source` (h, w, 2) with where each pixel of the new picture comes from in the old, px for cv2.remap."""
    for t in range(faces.shape[0]):
        a, b, c = faces[t, 0], faces[t, 1], faces[t, 2]
        ax, ay = corners[a, 0], corners[a, 1]
        bx, by = corners[b, 0], corners[b, 1]
        cx, cy = corners[c, 0], corners[c, 1]
        area = (bx - ax) * (cy - ay) - (by - ay) * (cx - ax)
        if area == 0.0:
            continue
        left, right = (
            max(math.floor(min(ax, bx, cx) - 0.5), 0),
            min(math.ceil(max(ax, bx, cx) + 0.5), source.shape[1] - 1),
        )
        top, bottom = (
            max(math.floor(min(ay, by, cy) - 0.5), 0),
            min(math.ceil(max(ay, by, cy) + 0.5), source.shape[0] - 1),
        )
        for y in range(top, bottom + 1):
            for x in range(left, right + 1):
                px, py = x + 0.5, y + 0.5
                v = ((px - ax) * (cy - ay) - (py - ay) * (cx - ax)) / area
                w = ((bx - ax) * (py - ay) - (by - ay) * (px - ax)) / area
                if v >= -1e-6 and w >= -1e-6 and v + w <= 1.000001:
                    u = 1.0 - v - w
                    source[y, x, 0] = np.float32(u * origins[a, 0] + v * origins[b, 0] + w * origins[c, 0] - 0.5)
                    source[y, x, 1] = np.float32(u * origins[a, 1] + v * origins[b, 1] + w * origins[c, 1] - 0.5)
