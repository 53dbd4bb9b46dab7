"""Edits of the Binding stage."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np
from pydantic import Field

from kunstgriff.artwork.edits import with_all, with_parts
from kunstgriff.artwork.outline import part_outline
from kunstgriff.binding.influences import default_influences
from kunstgriff.binding.mesh import COUNT_LIMIT, build_mesh, strip_mesh
from kunstgriff.binding.weights import biharmonic_weights, spine_points, trimmed_bones
from kunstgriff.figure.edit import Edit, EditRefused, PartKeys, need_bone, need_part, these
from kunstgriff.figure.model import Bone, Figure, Mesh, Part, Point, Rider, Rigid, Unbound, Weighted
from kunstgriff.figure.stores import Stores

DEFAULT_COUNT = 220  # vertices of a part unless asked otherwise; common practice, no source


def _told(figure: Figure, keys: tuple[str, ...], how: str) -> str:
    return f"bind {these(figure, keys)} {how}"


class BindRigid(Edit):
    """Let whole parts follow one bone."""

    kind: Literal["bind_rigid"] = "bind_rigid"
    parts: PartKeys
    bone: str

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        return with_all(figure, self.parts, shifted=0.0, binding=Rigid(bone=need_bone(figure, self.bone).id))

    def told(self, figure: Figure) -> str:
        return _told(figure, self.parts, f"to {need_bone(figure, self.bone).name}")


class BindWeighted(Edit):
    """Give parts a mesh of about `count` vertices, weighted between bones.

    `influences` are the bones that may move the parts; left out, they are those that run through each part.
    """

    kind: Literal["bind_weighted"] = "bind_weighted"
    parts: PartKeys
    influences: Annotated[tuple[str, ...], Field(min_length=1)] | None = None
    count: Annotated[int, Field(ge=12, le=COUNT_LIMIT)] = DEFAULT_COUNT

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        chosen = [need_bone(figure, key) for key in self.influences] if self.influences is not None else None
        changed = {}
        for key in self.parts:
            part = need_part(figure, key)
            bones = default_influences(figure, part, stores) if chosen is None else chosen
            changed[part.id] = part.model_copy(
                update={"shifted": 0.0, "binding": weigh(part, bones, self.count, stores)}
            )
        return with_parts(figure, changed)

    def told(self, figure: Figure) -> str:
        return _told(figure, self.parts, "by weights")


class BindRider(Edit):
    """Let parts ride on a spot (figure space, at rest) of another part, turning as the art there turns."""

    kind: Literal["bind_rider"] = "bind_rider"
    parts: PartKeys
    carrier: str
    spot: Point

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        carrier = need_part(figure, self.carrier)
        if isinstance(carrier.binding, Rider):
            raise EditRefused(f"“{carrier.name}” rides on another part itself; choose the part that carries it.")
        changed = {}
        for key in self.parts:
            part = need_part(figure, key)
            if part.id == carrier.id:
                raise EditRefused(f"“{part.name}” cannot ride on itself.")
            if any(isinstance(other.binding, Rider) and other.binding.carrier == part.id for other in figure.parts):
                raise EditRefused(f"“{part.name}” carries another part and so cannot ride itself.")
            changed[part.id] = part.model_copy(
                update={"shifted": 0.0, "binding": Rider(carrier=carrier.id, spot=self.spot)}
            )
        return with_parts(figure, changed)

    def told(self, figure: Figure) -> str:
        return _told(figure, self.parts, f"to ride on {need_part(figure, self.carrier).name}")


class Unbind(Edit):
    """Let parts follow nothing."""

    kind: Literal["unbind"] = "unbind"
    parts: PartKeys

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        return with_all(figure, self.parts, shifted=0.0, binding=Unbound())

    def told(self, figure: Figure) -> str:
        return _told(figure, self.parts, "to nothing")


def weigh(part: Part, bones: list[Bone], count: int, stores: Stores) -> Weighted:
    """Outline, mesh and weights of a part for these bones. Raises EditRefused when no bone reaches it."""
    if not bones:
        raise EditRefused(f"No bone runs through “{part.name}”; draw one through it, or bind it to a bone as a whole.")
    outline = part_outline(part, stores)
    joints = [(np.subtract(bone.joint, part.place), np.subtract(bone.tip, part.place)) for bone in bones]
    segments = trimmed_bones(outline, [((a[0], a[1]), (b[0], b[1])) for a, b in joints])
    edge = float(np.sqrt(outline.area * 2 / np.sqrt(3) / count))
    if part.strip is not None:
        edge = max(edge, part.strip.half_width)
    try:
        mesh = strip_mesh(part) or build_mesh(outline, count, spine_points(segments, edge))
    except ValueError as error:
        raise EditRefused(f"“{part.name}” cannot have a mesh: {error}") from error
    weights = biharmonic_weights(mesh, segments, edge)
    used = np.flatnonzero(weights.max(0) > 0)
    return Weighted(
        mesh=Mesh(
            vertices=stores.put_array(mesh.vertices),
            triangles=stores.put_array(mesh.triangles),
            vertex_count=len(mesh.vertices),
        ),
        influences=tuple(bones[column].id for column in used),
        weights=stores.put_array(np.ascontiguousarray(weights[:, used])),
    )
