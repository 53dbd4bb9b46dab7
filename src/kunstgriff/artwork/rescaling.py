"""A figure at another scale: everything in px grows or shrinks alike, pictures are drawn in another size."""

from __future__ import annotations

from typing import Any

import numpy as np

from kunstgriff.artwork.blending import resized
from kunstgriff.figure.edit import EditRefused
from kunstgriff.figure.model import (
    Apart,
    Binding,
    Bone,
    Figure,
    Part,
    Point,
    Remaking,
    Rider,
    Solved,
    Turned,
    Weighted,
)
from kunstgriff.figure.stores import PICTURE_PIXELS_LIMIT, Stores, encode_png
from kunstgriff.figure.treatments import Treatment, placed

LEAST, MOST = 0.1, 8.0  # times


def rescaled(figure: Figure, by: float, stores: Stores) -> Figure:
    """The figure `by` times as large, pictures resampled. Raises EditRefused for a scale that makes no sense."""
    if by == 1:
        return figure
    if not LEAST <= by <= MOST:
        raise EditRefused(f"A figure is rescaled by {LEAST:g} to {MOST:g} times.")
    if any(part.size[0] * part.size[1] * by * by > PICTURE_PIXELS_LIMIT for part in figure.parts):
        raise EditRefused("At that scale a picture would be larger than Kunstgriff takes.")

    def at(place: Point) -> Point:
        return place[0] * by, place[1] * by

    def picture(digest: str, size: tuple[int, int] | None = None) -> str:
        pixels = stores.get_pixels(digest)
        size = size or (max(round(pixels.shape[1] * by), 1), max(round(pixels.shape[0] * by), 1))
        return stores.put_picture(encode_png(resized(pixels, size)))

    def part_at(part: Part) -> Part:
        size = (max(round(part.size[0] * by), 1), max(round(part.size[1] * by), 1))
        changes: dict[str, Any] = {"size": size, "place": at(part.place), "picture": picture(part.picture, size)}
        if part.pivot:
            changes["pivot"] = at(part.pivot)
        if part.apart:
            changes["apart"] = Apart(
                ink_picture=picture(part.apart.ink_picture, size), fill_picture=picture(part.apart.fill_picture, size)
            )
        if part.strip:
            strip = part.strip
            moved = {"picture": picture(strip.picture), "line": tuple(at(one) for one in strip.line)}
            longer = {"half_width": strip.half_width * by, "end": strip.end * by}
            changes["strip"] = strip.model_copy(update={**moved, **longer})
        changes["remade"] = tuple(step_at(one) for one in part.remade)
        changes["binding"] = binding_at(part.binding)
        changes["shelved"] = tuple(binding_at(one) for one in part.shelved)
        return part.model_copy(update=changes)

    def step_at(step: Remaking) -> Remaking:
        size = (max(round(step.size[0] * by), 1), max(round(step.size[1] * by), 1))
        moved = {"picture": picture(step.picture, size), "size": size, "offset": at(step.offset)}
        if isinstance(step, Turned):
            return step.model_copy(update={**moved, "about": at(step.about)})
        radius = step.radius and step.radius * by
        return step.model_copy(update={**moved, "line": tuple(at(one) for one in step.line), "radius": radius})

    def binding_at(binding: Binding) -> Binding:
        if isinstance(binding, Weighted):
            vertices = stores.put_array(stores.get_array(binding.mesh.vertices) * by)
            mesh = binding.mesh.model_copy(update={"vertices": vertices})
            zones = tuple(zone.model_copy(update={"solved": solved_at(zone.solved)}) for zone in binding.zones)
            return binding.model_copy(update={"mesh": mesh, "zones": zones})
        if isinstance(binding, Rider):
            pivot = at(binding.pivot) if binding.pivot else None
            return binding.model_copy(update={"spot": at(binding.spot), "pivot": pivot})
        return binding

    def solved_at(solved: Solved | None) -> Solved | None:
        if solved is None:
            return None
        return solved.model_copy(update={"shapes": stores.put_array(stores.get_array(solved.shapes) * np.float32(by))})

    def treatment_at(one: Treatment) -> Treatment:
        given = {name: value for name in type(one).model_fields if (value := getattr(one, name)) is not None}
        changes: dict[str, object] = {name: given[name] * by for name in one.lengths if name in given}
        changes |= placed(one, at)
        for name in (name for name in one.pictures if name in given):
            is_one = isinstance(given[name], str)
            changes[name] = picture(given[name]) if is_one else tuple(picture(digest) for digest in given[name])
        return one.model_copy(update=changes)

    def bone_at(bone: Bone) -> Bone:
        return bone.model_copy(update={"joint": at(bone.joint), "tip": at(bone.tip)})

    sheet = figure.sheet.model_copy(
        update={
            "width": max(round(figure.sheet.width * by), 1),
            "height": max(round(figure.sheet.height * by), 1),
            "standing_point": at(figure.sheet.standing_point),
            "scale": figure.sheet.scale * by,
        }
    )
    reference = figure.reference
    if reference is not None:
        reference = reference.model_copy(update={"place": at(reference.place), "scale": reference.scale * by})
    return figure.replace(
        sheet=sheet,
        parts=tuple(part_at(part) for part in figure.parts),
        bones=tuple(bone_at(bone) for bone in figure.bones),
        treatments=tuple(treatment_at(one) for one in figure.treatments),
        springs=tuple(one.model_copy(update={"gravity": one.gravity * by}) for one in figure.springs),
        reference=reference,
    )
