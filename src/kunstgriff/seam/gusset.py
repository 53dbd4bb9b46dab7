"""The gusset: a piece of the part behind laid over the joint, its outer end cut away, its line running into that of the
other.

It hides the line of the part in front as a cover does, and brings its own side lines with it; they are not drawn where
the other part's fill lies. It may follow the other part's bone by a share; it never reaches beyond the two parts.
"""

from __future__ import annotations

import math
from collections.abc import Iterable
from itertools import pairwise
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import Delaunay

from kunstgriff.artwork.ink import Pixels
from kunstgriff.evaluate.items import Mask, around, item_of
from kunstgriff.evaluate.program import Build, Drawn, Geometry
from kunstgriff.figure.edit import Edit, EditRefused, need_bone, need_part
from kunstgriff.figure.model import Bone, Figure, Part, Share
from kunstgriff.figure.sets import in_place_of
from kunstgriff.figure.stores import Stores
from kunstgriff.figure.treatments import Gusset, Inks, Line, Reach, Softness
from kunstgriff.seam.drawn import bare_picture, drawn, fill_picture, near_joint, nearness, triangles_near
from kunstgriff.seam.joints import follows_most, half_width, limit_at, need_pair, need_unstraightened
from kunstgriff.seam.recipes import UNMADE, kept_picture, new_id, with_treatment
from kunstgriff.seam.trim import fill_shape

CUT_TO = 75.0  # degrees to either side of the limb's middle that the cut runs around the joint
INSIDE = 1.5  # line widths that the cut lies inside the piece's own round end
CELLS = 24  # cells of the net of a gusset that follows both bones, across its picture


def made_gusset(figure: Figure, gusset: Gusset, stores: Stores) -> dict[str, Any]:
    """The pictures of a gusset, from its parts as they are drawn now. Raises EditRefused where nothing is left."""
    source, over, bone = (
        need_part(figure, gusset.source),
        need_part(figure, gusset.over),
        need_bone(figure, gusset.bone),
    )
    rgba, split = drawn(figure, source, stores, gusset.inks)
    y, x = np.mgrid[: rgba.shape[0], : rgba.shape[1]] + 0.5
    spots = np.stack([x, y], -1) + source.drawing.place
    kept = np.clip(_beyond(np.array(gusset.cut), _inwards(figure, gusset, bone, stores), spots) + 0.5, 0, 1)
    near = near_joint(bone.joint, source.drawing.place, gusset.radius, gusset.soft)
    # the soft edge of the part itself is painted below already: laid twice it would be too dense
    kept = kept * nearness(rgba.shape, near) * np.clip(split.depth - 1, 0, 1)

    def cut(picture: Pixels) -> str:
        return kept_picture(np.dstack([picture[..., :3], np.rint(picture[..., 3] * kept).astype(np.uint8)]), stores)

    if not (rgba[..., 3] * kept).any():
        raise EditRefused(f"Nothing of “{source.name}” is left where the gusset should be.")
    reach = near_joint(bone.joint, over.drawing.place, gusset.radius, gusset.soft)
    return {
        "picture": cut(rgba),
        "bare": cut(bare_picture(rgba, split)),
        "fills": tuple(
            kept_picture(fill_picture(*drawn(figure, part, stores), limit), stores)
            for part, limit in ((source, near), (over, reach))
        ),
    }


def _inwards(figure: Figure, gusset: Gusset, bone: Bone, stores: Stores) -> NDArray[np.float64]:
    """From the joint along the bone that the piece is of, as a unit vector."""
    parent = figure.bone(bone.parent or "")
    source = need_part(figure, gusset.source)
    follows = follows_most(source, stores)
    towards = bone.tip if follows == bone.id or parent is None else parent.joint
    direction = np.subtract(towards, bone.joint)
    return np.asarray(direction / max(float(np.hypot(*direction)), 1e-9))


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


def gusset_nets(figure: Figure, bone_index: dict[str, int], stores: Stores) -> Iterable[tuple[str, Part, Geometry]]:
    """The net of each gusset that follows both bones: a grid over its picture, passing from one to the other."""
    for gusset in figure.treated("gusset"):
        bone, source, over = figure.bone(gusset.bone), figure.part(gusset.source), figure.part(gusset.over)
        own, other = (follows_most(part, stores) if part else None for part in (source, over))
        if gusset.share == 0 or bone is None or source is None or own is None or other is None:
            continue
        x, y = np.meshgrid(*(np.linspace(0, side, CELLS + 1) for side in source.drawing.size))
        spots = np.stack([x.ravel(), y.ravel()], 1)
        vertices = spots + source.drawing.place
        outwards = (vertices - bone.joint) @ -_inwards(figure, gusset, bone, stores)
        t = np.clip((outwards / gusset.radius + 1) / 2, 0, 1)
        share = gusset.share * t * t * (3 - 2 * t)
        bones, weights = np.zeros((len(spots), 4), np.int32), np.zeros((len(spots), 4), np.float32)
        bones[:, 0], bones[:, 1] = bone_index[own], bone_index[other]
        weights[:, 0], weights[:, 1] = 1 - share, share
        yield (
            gusset.id,
            source,
            Geometry(
                vertices.astype(np.float32),
                Delaunay(spots).simplices.astype(np.int32),
                bones,
                weights,
                (spots / source.drawing.size).astype(np.float32),
                np.ones(len(spots), np.float32),
            ),
        )


def gussets(build: Build, figure: Figure, stores: Stores) -> list[Drawn]:
    """Each gusset in front of the part that lies in front, and of the covers there."""
    depth = {part.id: float(number) for number, part in enumerate(figure.parts)}
    found = []
    for gusset in figure.treated("gusset"):
        source, over = figure.part(gusset.source), figure.part(gusset.over)
        if source is None or over is None or not (source.is_shown and over.is_shown):
            continue
        block = build.nets.blocks.get(gusset.id, build.nets.blocks[source.id])
        joint = np.asarray(build.skeleton.joints[build.skeleton.index[gusset.bone]])
        reach = gusset.radius + gusset.soft
        own, other = (
            fill_shape(build, figure, part, fill, build.nets.blocks[part.id].triangles)
            for part, fill in zip((source, over), gusset.fills, strict=True)
        )
        lines = (gusset.picture, gusset.bare, Mask((other,), out=True, ink_only=True))
        # one that follows both bones leaves the outline to the two parts
        picture, bare, mask = lines if gusset.share == 0 else (gusset.bare, None, Mask((own, other), out=False))
        item = item_of(
            figure, source, id=gusset.id, picture=picture, bare=bare, variant="gusset", anchor=over.id,
            block=gusset.id if gusset.id in build.nets.blocks else source.id, blend="normal",
            masks=(mask,), **around(figure, over.group),
        )  # fmt: skip
        found.append(
            (
                depth[over.id] + 0.94,
                item,
                block.triangles[triangles_near(build.nets.rest[block.triangles], joint, reach)],
            )
        )
    return found


class LayGusset(Edit):
    """At a bone's joint, lay a piece of the part behind over the part in front, its outer end cut away.

    `source` and `over` name the two otherwise. `cut` is the line across the limb (figure space at rest) beyond which
    the piece is cut away, `radius` and `soft` (px) how far it reaches; left out, they follow the limb's width. Beyond
    the joint it follows the other part's bone by `share`.
    """

    kind: Literal["lay_gusset"] = "lay_gusset"
    bone: str
    source: str | None = None
    over: str | None = None
    cut: Line | None = None
    radius: Reach | None = None
    soft: Softness | None = None
    share: Share = 0.0
    inks: Inks | None = None

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        bone = need_bone(figure, self.bone)
        source, over = need_pair(figure, bone, stores, self.source, self.over)
        need_unstraightened(source, over)
        radius, soft = limit_at((source, over), bone, stores)
        gusset = Gusset(
            id=new_id(figure),
            bone=bone.id,
            source=source.id,
            over=over.id,
            radius=self.radius or radius,
            soft=soft if self.soft is None else self.soft,
            cut=self.cut or ((0.0, 0.0), (1.0, 0.0)),
            share=self.share,
            inks=self.inks,
            picture=UNMADE,
            bare=UNMADE,
            fills=(),
        )
        if self.cut is None:
            gusset = gusset.model_copy(update={"cut": _round_end(figure, gusset, bone, stores)})
        return with_treatment(
            figure,
            gusset,
            stores,
            lambda known: (
                isinstance(known, Gusset)
                and known.bone == bone.id
                and not in_place_of(figure, known.used_parts, gusset.used_parts)
            ),
        )

    def describe(self, figure: Figure) -> str:
        return f"gusset at {need_bone(figure, self.bone).name}"


def _round_end(figure: Figure, gusset: Gusset, bone: Bone, stores: Stores) -> tuple[tuple[float, float], ...]:
    """A line around the joint inside the round end of the piece."""
    source = need_part(figure, gusset.source)
    line = drawn(figure, source, stores)[1].line_width
    radius = max(half_width(source, bone, stores) - INSIDE * line, 2.0)
    out = -_inwards(figure, gusset, bone, stores)
    turns = np.radians(np.linspace(-CUT_TO, CUT_TO, 9)) + math.atan2(out[1], out[0])
    spots = np.array(bone.joint) + radius * np.stack([np.cos(turns), np.sin(turns)], 1)
    return tuple((round(float(x), 1), round(float(y), 1)) for x, y in spots)
