"""Edits of whole columns of the weight table: which bones count, how many, and weights taken from elsewhere."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np
from pydantic import Field

from kunstgriff.artwork.edits import with_parts
from kunstgriff.binding.auto_binding import UNSOLVED, settled
from kunstgriff.binding.refit import carry_weights
from kunstgriff.binding.weight_edits import Table, with_part
from kunstgriff.binding.weights import strongest
from kunstgriff.binding.zone_edits import need_weighted
from kunstgriff.figure.edit import BoneKeys, Edit, EditRefused, PartKeys, need_bone, need_part, these
from kunstgriff.figure.model import Figure, Part, Weighted
from kunstgriff.figure.stores import Stores


class LockWeights(Edit):
    """Lock the weights of bones in a part, so that hand tools leave them alone, or unlock them."""

    kind: Literal["lock_weights"] = "lock_weights"
    part: str
    bones: BoneKeys
    locked: bool = True

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        part, binding = need_weighted(figure, self.part)
        named = {need_bone(figure, key).id for key in self.bones}
        now = {*binding.locked, *named} if self.locked else set(binding.locked) - named
        kept = tuple(ref for ref in binding.influences if ref in now)
        return with_part(figure, part.model_copy(update={"binding": binding.model_copy(update={"locked": kept})}))

    def describe(self, figure: Figure) -> str:
        return f"{'lock' if self.locked else 'unlock'} weights of {need_bone(figure, self.bones[0]).name}"


class PruneWeights(Edit):
    """Drop weights below `least`, and let no vertex follow more than `most` bones."""

    kind: Literal["prune_weights"] = "prune_weights"
    parts: PartKeys
    least: Annotated[float, Field(ge=0, lt=0.5)] = 0.02
    most: Annotated[int, Field(ge=1, le=4)] = 4

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        changed = {}
        for key in self.parts:
            table = Table(figure, key, stores)
            table.weights = strongest(table.weights.astype(np.float64), self.most, self.least)
            table.binding = table.binding.model_copy(update={"most": self.most})
            part = table.close(np.zeros(0, int), hold=False)
            changed[part.id] = part
        return with_parts(figure, changed)

    def describe(self, figure: Figure) -> str:
        return f"prune the weights of {these(figure, self.parts)}"


class MirrorWeights(Edit):
    """Copy weights from one side of a part to the other, across the vertical through `x` (figure space).

    That is its pivot or middle unless given; `pairs` names bones that stand for each other on the two sides.
    """

    kind: Literal["mirror_weights"] = "mirror_weights"
    part: str
    to: Literal["left", "right"]
    x: float | None = None
    pairs: tuple[tuple[str, str], ...] = ()

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        table = Table(figure, self.part, stores)
        part = table.part
        x = (
            self.x
            if self.x is not None
            else (part.drawing.pivot[0] if part.drawing.pivot else part.drawing.place[0] + part.drawing.size[0] / 2)
        )
        target = table.points[:, 0] < x if self.to == "left" else table.points[:, 0] > x
        if not target.any():
            raise EditRefused(f"“{part.name}” has no vertex on the {self.to} of that line.")
        mirrored = table.points[target] * (-1, 1) + (2 * x, 0)
        triangles = stores.get_array(table.binding.mesh.triangles)
        carried = carry_weights(table.points, triangles, table.weights, mirrored)
        order = np.arange(len(table.binding.influences))
        for pair, other in self.pairs:
            a, b = table.column(pair)[0], table.column(other)[0]
            order[[a, b]] = order[[b, a]]
        table.weights[target] = carried[:, order]
        return with_part(figure, table.close(np.flatnonzero(target)))

    def describe(self, figure: Figure) -> str:
        return f"mirror the weights of {need_part(figure, self.part).name}"


class CopyWeights(Edit):
    """Give a weighted part the weights another has at the same place (a sleeve those of the arm in it).

    Bones that move the other become influences here; beyond its edge the nearest spot of the other counts.
    """

    kind: Literal["copy_weights"] = "copy_weights"
    source: str
    parts: PartKeys

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        source = Table(figure, self.source, stores)
        triangles = stores.get_array(source.binding.mesh.triangles)
        changed = {}
        for key in self.parts:
            table = Table(figure, key, stores)
            if table.part.id == source.part.id:
                raise EditRefused(f"“{source.part.name}” has its own weights already.")
            carried = strongest(carry_weights(source.points, triangles, source.weights, table.points), 4)
            binding = table.binding.model_copy(
                update={
                    "influences": source.binding.influences,
                    "weights": stores.put_array(carried),
                    "most": source.binding.most,
                    "zones": tuple(zone.model_copy(update={"solved": None}) for zone in source.binding.zones),
                    "locked": (),
                    "manual_mask": None,
                }
            )
            changed[table.part.id] = _resolved(figure, table.part, binding, source.binding, stores)
        return with_parts(figure, changed)

    def describe(self, figure: Figure) -> str:
        return f"copy weights from {need_part(figure, self.source).name}"


def _resolved(figure: Figure, part: Part, binding: Weighted, source: Weighted, stores: Stores) -> Part:
    """The part with bend shapes of its own solved wherever the source has some."""
    solved = {zone.bone for zone in source.zones if zone.solved}
    zones = tuple(
        zone.model_copy(update={"solved": UNSOLVED}) if zone.bone in solved else zone for zone in binding.zones
    )
    bound = binding.model_copy(update={"zones": zones})
    return part.model_copy(update={"binding": settled(figure, part, bound, stores)})


class SwapBones(Edit):
    """Let two bones change places in parts: what followed the one follows the other."""

    kind: Literal["swap_bones"] = "swap_bones"
    parts: PartKeys
    one: str
    other: str

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        one, other = need_bone(figure, self.one).id, need_bone(figure, self.other).id
        names = {one: other, other: one}
        changed = {}
        for key in self.parts:
            part, binding = need_weighted(figure, key)
            if not set(names) & set(binding.influences):
                raise EditRefused(f"Neither bone moves “{part.name}”.")
            influences = tuple(names.get(ref, ref) for ref in binding.influences)
            locked = tuple(names.get(ref, ref) for ref in binding.locked)
            zones = tuple(zone for zone in binding.zones if zone.bone not in names)
            update = {"influences": influences, "locked": locked, "zones": zones}
            changed[part.id] = part.model_copy(update={"binding": binding.model_copy(update=update)})
        return with_parts(figure, changed)

    def describe(self, figure: Figure) -> str:
        return f"swap {need_bone(figure, self.one).name} and {need_bone(figure, self.other).name}"


class MergeInfluence(Edit):
    """Give all of one bone's weight in parts to another, and take the first off their lists."""

    kind: Literal["merge_influence"] = "merge_influence"
    parts: PartKeys
    bone: str
    into: str

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        gone, heir = need_bone(figure, self.bone), need_bone(figure, self.into)
        if gone.id == heir.id:
            raise EditRefused(f"“{gone.name}” cannot be merged into itself.")
        changed = {}
        for key in self.parts:
            table = Table(figure, key, stores)
            column, _ = table.column(gone.id)
            influences = list(table.binding.influences)
            if heir.id in influences:
                table.weights[:, influences.index(heir.id)] += table.weights[:, column]
                kept = [number for number in range(len(influences)) if number != column]
                table.weights = table.weights[:, kept]
                influences.pop(column)
            else:
                influences[column] = heir.id
            table.binding = table.binding.model_copy(
                update={
                    "influences": tuple(influences),
                    "zones": tuple(zone for zone in table.binding.zones if zone.bone != gone.id),
                    "locked": tuple(ref for ref in table.binding.locked if ref != gone.id),
                    "stacked": tuple(ref for ref in table.binding.stacked if ref != gone.id),
                }
            )
            part = table.close(np.zeros(0, int), hold=False)
            changed[part.id] = part
        return with_parts(figure, changed)

    def describe(self, figure: Figure) -> str:
        return f"merge {need_bone(figure, self.bone).name} into {need_bone(figure, self.into).name}"
