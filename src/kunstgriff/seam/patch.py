"""The patch: a small piece over a joint, drawn from the two parts' outlines, that follows both bones by a share."""

from __future__ import annotations

import math
from collections.abc import Iterable
from itertools import pairwise
from typing import Any, Literal

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.spatial import Delaunay

from kunstgriff.artwork.ink import InkSplit, Pixels, edge_depth, nearest_colour
from kunstgriff.evaluate.items import item_of, layers_around
from kunstgriff.evaluate.rig import Drawn, Geometry, Rig, annex, drawing
from kunstgriff.figure.edit import Edit, EditRefused, need_bone, need_part
from kunstgriff.figure.model import Bone, Figure, Part, Share
from kunstgriff.figure.stores import PICTURE_PIXELS_LIMIT, Stores
from kunstgriff.figure.treatments import Inks, Line, Patch, Reach, Softness
from kunstgriff.seam.drawn import drawn
from kunstgriff.seam.joints import half_width, need_pair, need_unstraightened
from kunstgriff.seam.recipes import UNMADE, kept_picture, maker, new_id, with_treatment

CUT_AT = 1.3  # half widths from the joint at which the piece is cut away; its neighbour's round end lies at 1
ENDS_AT = 1.6  # half widths from the joint to which it reaches along the lower part
CELLS = 10  # cells of its net to its end


@maker("patch")
def made_patch(figure: Figure, patch: Patch, stores: Stores) -> dict[str, Any]:
    """The piece's picture: both parts laid together at rest, with one line along their common outline."""
    bone, parent = need_bone(figure, patch.bone), need_bone(figure, need_bone(figure, patch.bone).parent or "")
    reach = math.ceil(patch.radius + patch.soft + max(math.dist(bone.joint, spot) for spot in patch.cut))
    corner = np.floor(np.subtract(bone.joint, reach))
    side = 2 * reach
    if side * side > PICTURE_PIXELS_LIMIT:
        raise EditRefused("The patch would become larger than Kunstgriff takes.")
    over, source = need_part(figure, patch.over), need_part(figure, patch.source)
    picture = laid_together(figure, over, source, corner, side, stores, patch.inks)
    y, x = np.mgrid[:side, :side] + 0.5
    spots = np.stack([x, y], -1) + corner
    kept = np.clip(_beyond(np.array(patch.cut), np.subtract(bone.tip, parent.joint), spots) + 0.5, 0, 1)
    away = np.hypot(*np.moveaxis(spots - bone.joint, -1, 0))
    kept *= np.clip((patch.radius - away) / max(patch.soft, 1e-6) + 0.5, 0, 1)
    picture[..., 3] = np.rint(picture[..., 3] * kept)
    if not picture[..., 3].any():
        raise EditRefused("Nothing of the two parts lies where the patch should be.")
    return {
        "picture": kept_picture(picture, stores),
        "corner": (float(corner[0]), float(corner[1])),
        "size": (side, side),
    }


def laid_together(
    figure: Figure,
    upper: Part,
    lower: Part,
    corner: NDArray[np.float64],
    side: int,
    stores: Stores,
    inks: tuple[str, ...] | None = None,
) -> Pixels:
    """Two parts at rest in one drawing (side, side, 4) whose top left is `corner`, with one line around both."""
    both = [_laid(figure, part, corner, side, stores, inks) for part in (upper, lower)]
    return _together(both[0], both[1])


def _laid(
    figure: Figure, part: Part, corner: NDArray[np.float64], side: int, stores: Stores, inks: tuple[str, ...] | None
) -> tuple[Pixels, InkSplit]:
    """A part's picture and ink on a square of `side` px at `corner`."""
    rgba, split = drawn(figure, part, stores, inks)
    x, y = np.subtract(part.place, corner)
    move = np.array([[1, 0, x], [0, 1, y]], np.float64)

    def moved(array: NDArray[Any]) -> NDArray[Any]:
        return np.asarray(cv2.warpAffine(array, move, (side, side), flags=cv2.INTER_LINEAR))

    alpha = rgba[..., 3:].astype(np.float32) / 255
    colour = moved(np.dstack([rgba[..., :3] * alpha, alpha]).astype(np.float32))
    fill = moved(split.fill)
    straight = np.divide(
        colour[..., :3], colour[..., 3:], out=np.zeros_like(colour[..., :3]), where=colour[..., 3:] > 0.01
    )
    picture = np.dstack([np.rint(straight), np.rint(colour[..., 3] * 255)]).astype(np.uint8)
    return picture, InkSplit(moved(split.coverage), fill, moved(split.depth), split.line_width)


def _together(upper: tuple[Pixels, InkSplit], lower: tuple[Pixels, InkSplit]) -> Pixels:
    """One drawing of two parts (each (h, w, 4)): the lower's fill over the upper's, a line along what they cover."""
    widths = [split.line_width for _, split in (upper, lower) if split.line_width]
    width = float(np.mean(widths)) if widths else 0.0
    alpha = np.maximum(upper[0][..., 3], lower[0][..., 3])
    over = (lower[0][..., 3:] / 255.0) * (lower[1].depth[..., None] > lower[1].line_width / 2)
    fill = (upper[1].fill * (1 - over) + lower[1].fill * over).astype(np.float32)
    core = np.zeros(alpha.shape, bool)
    for picture, split in (upper, lower):
        core |= (split.coverage < 0.01) & (picture[..., 3] > 250)
    if core.any():
        fill = nearest_colour(fill, core)
    depth = edge_depth(np.dstack([fill.astype(np.uint8), alpha]))
    inked = [(picture[..., :3][(split.at_edge > 0.9) & (picture[..., 3] > 250)]) for picture, split in (upper, lower)]
    colours = np.concatenate(inked).astype(np.float64)
    line = np.clip(width + 0.5 - depth, 0, 1)[..., None] * (len(colours) > 0)
    colour = fill * (1 - line) + (colours.mean(0) if len(colours) else 0.0) * line
    return np.dstack([np.rint(colour), alpha]).astype(np.uint8)


def _beyond(cut: NDArray[np.float64], ahead: NDArray[np.float64], spots: NDArray[np.float64]) -> NDArray[np.float64]:
    """How far spots (h, w, 2) lie beyond a line (n, 2) in the direction `ahead`, px, negative before it."""
    best = np.full(spots.shape[:2], np.inf)
    side = np.zeros(spots.shape[:2])
    for start, end in pairwise(cut):
        along = end - start
        length = max(float(np.hypot(*along)), 1e-9)
        normal = np.array([-along[1], along[0]]) / length
        if normal @ ahead < 0:
            normal = -normal
        run = np.clip(((spots - start) @ along) / length**2, 0, 1)
        away = np.hypot(*np.moveaxis(spots - start - run[..., None] * along, -1, 0))
        nearer = away < best
        best = np.where(nearer, away, best)
        side = np.where(nearer, (spots - start) @ normal, side)
    return np.asarray(np.copysign(best, side))


@annex
def patch_nets(figure: Figure, bone_index: dict[str, int], stores: Stores) -> Iterable[tuple[str, Part, Geometry]]:
    """The net of each patch: a grid over its picture, passing from the upper bone to the lower one along the limb."""
    for patch in figure.treated("patch"):
        bone, part = figure.bone(patch.bone), figure.part(patch.source)
        parent = figure.bone(bone.parent) if bone and bone.parent else None
        if bone is None or parent is None or part is None:
            continue
        width, height = patch.size
        count = max(round(CELLS * width / patch.radius), 2)
        x, y = np.meshgrid(np.linspace(0, width, count + 1), np.linspace(0, height, count + 1))
        spots = np.stack([x.ravel(), y.ravel()], 1)
        vertices = spots + patch.corner
        share = _followed(vertices, bone, parent, patch.radius, patch.share)
        bones = np.zeros((len(vertices), 4), np.int32)
        bones[:, 0], bones[:, 1] = bone_index[bone.id], bone_index[parent.id]
        weights = np.zeros((len(vertices), 4), np.float32)
        weights[:, 0], weights[:, 1] = share, 1 - share
        triangles = Delaunay(spots).simplices.astype(np.int32)
        uv = (spots / patch.size).astype(np.float32)
        yield (
            patch.id,
            part,
            Geometry(vertices.astype(np.float32), triangles, bones, weights, uv, np.ones(len(vertices), np.float32)),
        )


def _followed(
    vertices: NDArray[np.float64], bone: Bone, parent: Bone, reach: float, share: float
) -> NDArray[np.float64]:
    """How much each vertex follows the bone: none before the joint, wholly beyond it, `share` at it (n,)."""
    ahead = np.subtract(bone.tip, bone.joint) / max(math.dist(bone.tip, bone.joint), 1e-9)
    back = np.subtract(bone.joint, parent.joint) / max(math.dist(bone.joint, parent.joint), 1e-9)
    axis = ahead + back
    axis = axis / max(float(np.hypot(*axis)), 1e-9)
    t = np.clip(((vertices - bone.joint) @ axis / reach + 1) / 2, 0, 1)
    even = t * t * (3 - 2 * t)
    bounded = min(max(share, 1e-3), 1 - 1e-3)
    return np.asarray(even ** (math.log(bounded) / math.log(0.5)))


@drawing
def patches(rig: Rig, figure: Figure, stores: Stores) -> list[Drawn]:
    """Each patch in front of the foremost of its two parts and of their covers."""
    depth = {part.id: float(number) for number, part in enumerate(figure.parts)}
    found = []
    for patch in figure.treated("patch"):
        pair = [figure.part(ref) for ref in (patch.source, patch.over)]
        if patch.id not in rig.blocks or any(part is None or not part.is_shown for part in pair):
            continue
        front = max((part for part in pair if part), key=lambda part: depth[part.id])
        item = item_of(
            figure, front, id=patch.id, part=patch.source, picture=patch.picture, variant="patch", block=patch.id,
            layers=layers_around(figure, front.group), anchor=front.id, blend="normal",
        )  # fmt: skip
        found.append((depth[front.id] + 0.94, item, rig.blocks[patch.id].triangles))
    return found


class LayPatch(Edit):
    """At a bone's joint, lay a piece over both parts, drawn from their outlines.

    `source` and `over` name the lower and the upper part otherwise. `cut` is the line across the limb beyond which the
    piece is cut away, `radius` and `soft` (px) how far it reaches; left out, they follow the limb's width. It follows
    the bone by `share` at the joint and its parent by the rest.
    """

    kind: Literal["lay_patch"] = "lay_patch"
    bone: str
    source: str | None = None
    over: str | None = None
    cut: Line | None = None
    radius: Reach | None = None
    soft: Softness | None = None
    share: Share = 0.5
    inks: Inks | None = None

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        bone = need_bone(figure, self.bone)
        one, other = need_pair(figure, bone, stores, self.source, self.over)
        need_unstraightened(one, other)
        parent = figure.bone(bone.parent or "")
        if parent is None:
            raise EditRefused(f"“{bone.name}” hangs on no other bone, so no two parts meet at its joint.")
        lower, upper = (one, other) if self.source or bone.id in one.followed else (other, one)
        half = min(half_width(part, bone, stores) for part in (one, other))
        patch = Patch(
            id=new_id(figure),
            bone=bone.id,
            source=lower.id,
            over=upper.id,
            radius=self.radius or round(ENDS_AT * half, 1),
            soft=round(0.1 * half, 1) if self.soft is None else self.soft,
            cut=self.cut or _cut_across(bone, parent, half),
            share=self.share,
            inks=self.inks,
            picture=UNMADE,
            corner=(0.0, 0.0),
            size=(1, 1),
        )
        return with_treatment(figure, patch, stores, lambda known: isinstance(known, Patch) and known.bone == bone.id)

    def told(self, figure: Figure) -> str:
        return f"patch at {need_bone(figure, self.bone).name}"


def _cut_across(bone: Bone, parent: Bone, half: float) -> tuple[tuple[float, float], ...]:
    """A line across the limb on the upper side of its joint, bent around the joint."""
    back = np.subtract(parent.joint, bone.joint) / max(math.dist(parent.joint, bone.joint), 1e-9)
    way = math.atan2(back[1], back[0])
    turns = np.radians(np.linspace(-75, 75, 7)) + way
    spots = np.array(bone.joint) + CUT_AT * half * np.stack([np.cos(turns), np.sin(turns)], 1)
    return tuple((round(float(x), 1), round(float(y), 1)) for x, y in spots)
