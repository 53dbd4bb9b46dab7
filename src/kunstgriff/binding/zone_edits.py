"""Edits of what passes between bones: influences, bend zones, self-tuning."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from kunstgriff.artwork.edits import with_parts
from kunstgriff.binding.auto_binding import UNSOLVED, BindingOptions, automatic, settled, zones_wanted
from kunstgriff.binding.mesh import COUNT_LIMIT, PartMesh, mean_edge
from kunstgriff.binding.tuning import rezoned, tuned, with_rows
from kunstgriff.binding.zones import influences_of, joint_frames
from kunstgriff.figure.edit import BoneKeys, Edit, EditRefused, PartKeys, need_bone, need_part, these
from kunstgriff.figure.model import Bone, Figure, Part, Weighted, WeightWay, Zone
from kunstgriff.figure.stores import Stores

Vertex = Annotated[int, Field(ge=0, lt=COUNT_LIMIT)]
Vertices = Annotated[tuple[Vertex, ...], Field(min_length=1, max_length=COUNT_LIMIT)]


def need_weighted(figure: Figure, key: str) -> tuple[Part, Weighted]:
    """The part of this id or name and its weighted binding, else EditRefused."""
    part = need_part(figure, key)
    if not isinstance(part.binding, Weighted):
        raise EditRefused(f"“{part.name}” is not bound by weights; bind it so first.")
    return part, part.binding


def require_vertices(part: Part, binding: Weighted, vertices: tuple[int, ...]) -> None:
    """EditRefused for a vertex the part's mesh does not have."""
    if vertices and max(vertices) >= binding.mesh.vertex_count:
        raise EditRefused(f"“{part.name}” has {binding.mesh.vertex_count} vertices only.")


class SetInfluences(Edit):
    """Put bones on the lists of those that may move parts, or take them off; weights are found anew on the same mesh.

    Vertices weighted by hand keep their weights, but for shares of bones taken off.
    """

    kind: Literal["set_influences"] = "set_influences"
    parts: PartKeys
    add: tuple[str, ...] = ()
    remove: tuple[str, ...] = ()
    way: WeightWay | None = None

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        added = [need_bone(figure, key) for key in self.add]
        removed = {need_bone(figure, key).id for key in self.remove}
        for bone in added:
            if bone.connector:
                raise EditRefused(f"“{bone.name}” only links other bones; it moves no part.")
        changed = {}
        for key in self.parts:
            part, binding = need_weighted(figure, key)
            wanted = {*binding.influences, *(bone.id for bone in added)} - removed
            if not wanted:
                raise EditRefused(f"Nothing would move “{part.name}” any more; leave it one bone, or unbind it.")
            bones = [bone for bone in figure.bones if bone.id in wanted]
            way = self.way or binding.way
            changed[part.id] = part.model_copy(update={"binding": reweighed(figure, part, bones, way, stores)})
        return with_parts(figure, changed)

    def describe(self, figure: Figure) -> str:
        return f"change what moves {these(figure, self.parts)}"


def reweighed(figure: Figure, part: Part, bones: list[Bone], way: WeightWay, stores: Stores) -> Weighted:
    """A weighted part's binding for other bones on the same mesh."""
    binding = part.binding
    assert isinstance(binding, Weighted)
    mesh = PartMesh(stores.get_array(binding.mesh.vertices), stores.get_array(binding.mesh.triangles))
    zones = zones_wanted(figure, part, bones, binding.zones, stores)
    options = BindingOptions.as_bound(binding).model_copy(update={"way": way})
    weights = automatic(figure, part, mesh, mean_edge(mesh), bones, zones, options, stores)
    if binding.manual_mask is not None:
        weights = _with_manual(binding, weights, bones, stores)
    known = {bone.id for bone in bones}
    changed = binding.model_copy(
        update={
            "influences": tuple(bone.id for bone in bones),
            "weights": stores.put_array(weights),
            "way": way,
            "zones": tuple(zone for _, zone in zones.values()),
            "locked": tuple(ref for ref in binding.locked if ref in known),
            "stacked": tuple(ref for ref in binding.stacked if ref in known),
        }
    )
    return settled(figure, part, changed, stores)


def _with_manual(
    binding: Weighted, weights: NDArray[np.float32], bones: list[Bone], stores: Stores
) -> NDArray[np.float32]:
    """New weights, but for vertices weighted by hand the old ones among the bones that are left."""
    assert binding.manual_mask is not None
    old, manual = stores.get_array(binding.weights), stores.get_array(binding.manual_mask)
    kept = np.zeros_like(weights)
    for column, bone in enumerate(bones):
        if bone.id in binding.influences:
            kept[:, column] = old[:, binding.influences.index(bone.id)]
    total = kept.sum(1, keepdims=True)
    usable = manual[:, None] & (total > 1e-6)
    return np.where(usable, kept / np.maximum(total, 1e-6), weights).astype(np.float32)


class SetZone(Edit):
    """Shape the bend zone at a bone's joint, in all weighted parts it bends or in those named.

    `inner` and `outer` are lengths in limb widths, or in px with `px`; what is left out stays. `solve` says whether the
    bend's shapes are worked out, else the bones are only blended, rigidly by the share `mix`. `rows` and `spacing` of
    joint rows lay the mesh anew.
    """

    kind: Literal["set_zone"] = "set_zone"
    bone: str
    parts: PartKeys | None = None
    inner: Annotated[float, Field(gt=0, le=10_000)] | None = None
    outer: Annotated[float, Field(gt=0, le=10_000)] | None = None
    px: bool = False
    curve: Annotated[float, Field(ge=0, le=1)] | None = None
    mix: Annotated[float, Field(ge=0, le=1)] | None = None
    rows: Annotated[int, Field(ge=0, le=9)] | None = None
    spacing: Annotated[float, Field(ge=0.05, le=2)] | None = None
    solve: bool | None = None

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        bone = need_bone(figure, self.bone)
        changed = {}
        for part in bending_parts(figure, bone, self.parts):
            binding = part.binding
            assert isinstance(binding, Weighted)
            joint_frame = joint_frames(figure, part, influences_of(figure, binding), stores).get(bone.id)
            if joint_frame is None:
                continue
            width = 2 * joint_frame.half_width if self.px else 1.0
            before = binding.zone(bone.id) or Zone(bone=bone.id, mix=0.0)
            given = {
                "inner": self.inner / width if self.inner is not None else None,
                "outer": self.outer / width if self.outer is not None else None,
                **{name: getattr(self, name) for name in ("curve", "mix", "rows", "spacing")},
            }
            fields = {**before.model_dump(), **{name: value for name, value in given.items() if value is not None}}
            if self.solve is not None:
                fields["solved"] = UNSOLVED.model_dump() if self.solve else None
            zone = Zone.model_validate(fields)
            zones = (*(one for one in binding.zones if one.bone != bone.id), zone)
            rowed = (zone.rows, zone.spacing) != (before.rows, before.spacing) and part.drawing.strip is None
            made = with_rows if rowed else rezoned
            changed[part.id] = made(figure, part, zones, stores)
        if not changed:
            raise EditRefused(f"No part bends at the joint of “{bone.name}”.")
        return with_parts(figure, changed)

    def describe(self, figure: Figure) -> str:
        return f"shape the bend of {need_bone(figure, self.bone).name}"


def bending_parts(figure: Figure, bone: Bone, keys: tuple[str, ...] | None) -> list[Part]:
    """Weighted parts that both a bone and its parent move, all of them or those named."""
    parts = figure.parts if keys is None else [need_part(figure, key) for key in keys]
    return [
        part
        for part in parts
        if isinstance(part.binding, Weighted) and {bone.id, bone.parent} <= set(part.binding.influences)
    ]


class TuneJoints(Edit):
    """Let the program try settings at joints and keep the best: all joints, those of `bones`, or of `parts`."""

    kind: Literal["tune_joints"] = "tune_joints"
    bones: BoneKeys | None = None
    parts: PartKeys | None = None

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        bones = [need_bone(figure, key) for key in self.bones] if self.bones is not None else list(figure.bones)
        only = {bone.id for bone in bones} if self.bones is not None else None
        parts = {part.id for bone in bones for part in bending_parts(figure, bone, self.parts)}
        before = figure
        for ref in sorted(parts):
            figure = tuned(figure, ref, only, stores)
        if not parts:
            raise EditRefused("No weighted part bends at a joint there; bind one by weights first.")
        if figure == before:
            raise EditRefused("Every joint there is as good as the program can make it already.")
        return figure

    def describe(self, figure: Figure) -> str:
        if self.bones is None:
            return "tune the joints"
        return f"tune {need_bone(figure, self.bones[0]).name}" + (" and more" if len(self.bones) > 1 else "")
