"""Pulling at the art on the posed sheet: at vertices, those of lines alone, or handles of warps."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Annotated, Literal

import cv2
import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from kunstgriff.artwork.ink import part_ink
from kunstgriff.binding.placing import Placing
from kunstgriff.control.shape_edits import (
    mesh_of,
    need_corrective,
    offsets_of,
    sampled,
    sculpted,
    turns_now,
    with_sample,
    with_shape,
)
from kunstgriff.evaluate.state import AS_IT_IS, RigState, compile_rig
from kunstgriff.figure.channels import addressed
from kunstgriff.figure.controls import Sculpt, Shape
from kunstgriff.figure.edit import Edit, EditRefused, need_part
from kunstgriff.figure.model import Figure, Part, Point, Weighted
from kunstgriff.figure.pose import Pose
from kunstgriff.figure.stores import Stores

Floats = NDArray[np.float64]
SHIFTS = ("shift.x", "shift.y")  # of a handle of a warp
SLIGHT = 0.05  # of a shape that is laid on too little to be pulled at


def laid_on(rig: RigState, shape: Shape) -> float:
    """How far a shape is laid on in the pose last evaluated, else EditRefused."""
    amount = float(rig.values[rig.program.channels.index[addressed(shape.id, "amount")]])
    if abs(amount) < SLIGHT:
        raise EditRefused(f"“{shape.name}” is not laid on here; lay it on first, then pull.")
    return amount


def lined(part: Part, stores: Stores) -> Floats:
    """How far a line runs at each vertex (n,) of a part's mesh, 0 to 1: as near as the mesh goes beyond the art."""
    split = part_ink(part, stores)
    beyond = part.binding.margin if isinstance(part.binding, Weighted) else 0.0
    reach = 1 + round(beyond + split.line_width / 2)
    found = cv2.dilate(split.coverage, cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * reach + 1, 2 * reach + 1)))
    height, width = found.shape
    columns, rows = np.rint(stores.get_array(mesh_of(part).vertices)).astype(int).T
    return np.asarray(found[rows.clip(0, height - 1), columns.clip(0, width - 1)], np.float64)


def pulled_at(
    rig: RigState, part: Part, start: Point, by: Point, radius: float, amount: float, held: Floats | None = None
) -> Floats | None:
    """What is added to the offsets (n, 2) of a part's mesh where its posed vertices within `radius` px of a spot are
    pulled, the most there and less and less outwards; None where there are none. `amount` is how far it is laid on,
    `held` (n,) by which share each goes along."""
    block = rig.program.blocks[part.id]
    rows = slice(block.start, block.start + block.count)
    posed = rig.vertices[rows].astype(np.float64)
    share = np.clip(1 - np.hypot(*(posed - start).T) ** 2 / radius**2, 0, 1) ** 2
    share = share if held is None else share * held
    if not share.any():
        return None
    return unturned(rig, part, share[:, None] * np.asarray(by)) / amount


def unturned(rig: RigState, part: Part, moved: Floats) -> Floats:
    """Moves (n, 2) of a part's vertices as they are posed, each in the frame that turns with its vertex."""
    block = rig.program.blocks[part.id]
    rows = slice(block.start, block.start + block.count)
    moved = moved @ np.linalg.inv(_placed_by(rig, block.number)).T
    nets = rig.program.nets
    weights = nets.weights[rows].astype(np.float64)
    duals = rig.dual_numbers[nets.bones[rows]].astype(np.float64)
    half = (weights * (duals[..., 0] + 1j * duals[..., 1])).sum(1)
    half = np.where(half == 0, 1, half)  # what follows no bone
    turned = (moved[:, 0] + 1j * moved[:, 1]) * (half.conj() / np.abs(half)) ** 2
    return np.stack([turned.real, turned.imag], 1)


def _placed_by(rig: RigState, number: int) -> Floats:
    """The matrix (2, 2) of what a block is posed by itself, on top of what it follows."""
    affine = np.array(AS_IT_IS)
    for node in rig.program.nodes:
        for block in node.placed if isinstance(node, Placing) else ():
            if block.number == number and block.is_posed(rig):
                affine = block.done(rig)
    return affine[:4].reshape(2, 2).T


class Pull(Edit):
    """Pull at the art as it is posed.

    The vertices of some parts within `radius` px of a spot go `by` so much, the most at the spot and less and less
    outwards; with `lines` only those where a line is drawn. It goes `into` a laid-on shape, which must be laid on in
    the pose, or into a corrective, for how its bones are turned there.
    """

    kind: Literal["pull"] = "pull"
    into: str
    pose: Pose
    parts: Annotated[tuple[str, ...], Field(min_length=1, max_length=200)]
    start: Point
    by: Point
    radius: Annotated[float, Field(gt=0, le=20_000)]
    lines: bool = False

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        parts = [need_part(figure, key) for key in self.parts]
        for part in parts:
            mesh_of(part)
        rig = compile_rig(figure, stores)
        rig.evaluate(self.pose.by_id(figure))
        shape = next((one for one in figure.shapes if self.into in (one.id, one.name)), None)
        if shape is not None:
            sculpts = self._pulled(rig, parts, shape.sculpts, laid_on(rig, shape), stores)
            return with_shape(figure, shape.model_copy(update={"sculpts": sculpts}))
        corrective = need_corrective(figure, self.into)
        corrective, sample = sampled(figure, corrective, turns_now(rig, corrective.bones), stores)
        sculpts = self._pulled(rig, parts, sample.sculpts, 1.0, stores)
        return with_sample(figure, corrective, sample.model_copy(update={"sculpts": sculpts}))

    def _pulled(
        self, rig: RigState, parts: Sequence[Part], sculpts: tuple[Sculpt, ...], amount: float,
        stores: Stores,
    ) -> tuple[Sculpt, ...]:  # fmt: skip
        found = 0
        for part in parts:
            held = lined(part, stores) if self.lines else None
            more = pulled_at(rig, part, self.start, self.by, self.radius, amount, held)
            if more is None:
                continue
            found += 1
            offsets = offsets_of(sculpts, part, stores) + more
            sculpts = (*(one for one in sculpts if one.part != part.id), sculpted(part, offsets, stores))
        if not found:
            what = "No line" if self.lines else "Nothing"
            raise EditRefused(f"{what} of these parts lies there; pull nearer to them, or with a larger radius.")
        return sculpts

    def describe(self, figure: Figure) -> str:
        return f"pull at {need_part(figure, self.parts[0]).name}"


class PullHandles(Edit):
    """Pull at handles of warps as the figure is posed.

    Each goes by so much more, [right, down] px as it is shifted. It goes `into` a laid-on shape, which must be laid on
    in the pose, or into a corrective, for how its bones are turned there.
    """

    kind: Literal["pull_handles"] = "pull_handles"
    into: str
    pose: Pose
    handles: Annotated[dict[str, Point], Field(min_length=1, max_length=400)]

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        moves = {ref: zip(SHIFTS, by, strict=True) for ref, by in self.handles.items()}
        pulled = {addressed(ref, name): far for ref, some in moves.items() for name, far in some}
        more = Pose(channels=pulled).by_id(figure).channels
        rig = compile_rig(figure, stores)
        rig.evaluate(self.pose.by_id(figure))
        shape = next((one for one in figure.shapes if self.into in (one.id, one.name)), None)
        if shape is not None:
            on_top = _moved(shape.on_top, more, laid_on(rig, shape))
            return with_shape(figure, shape.model_copy(update={"on_top": on_top}))
        corrective = need_corrective(figure, self.into)
        corrective, sample = sampled(figure, corrective, turns_now(rig, corrective.bones), stores)
        channels = _moved(sample.channels, more, 1.0)
        return with_sample(figure, corrective, sample.model_copy(update={"channels": channels}))

    def describe(self, figure: Figure) -> str:
        return (
            f"pull at {next(iter(self.handles))}" if len(self.handles) == 1 else f"pull at {len(self.handles)} handles"
        )


def _moved(channels: Mapping[str, float], more: Mapping[str, float], amount: float) -> dict[str, float]:
    """Channels moved by so much more where what moves them is laid on by an amount."""
    return {**channels, **{address: channels.get(address, 0.0) + by / amount for address, by in more.items()}}
