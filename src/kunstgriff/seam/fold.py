"""Folds: small lines at elbow and knee that ride one of the parts and fade in as the joint bends."""

from __future__ import annotations

import math
from typing import Annotated, Any, Literal

import numpy as np
import scipy
from pydantic import Field
from scipy.spatial import cKDTree

from kunstgriff.artwork.lines import runs_along, spots_at
from kunstgriff.evaluate.items import item_of
from kunstgriff.evaluate.program import Build, Drawn
from kunstgriff.figure.budget import budget
from kunstgriff.figure.edit import Edit, EditRefused, need_bone, need_part
from kunstgriff.figure.model import Bone, Figure, Part
from kunstgriff.figure.stores import Stores
from kunstgriff.figure.treatments import Fold, Line, Switch
from kunstgriff.figure.values import Colour
from kunstgriff.seam.clip import switch_of
from kunstgriff.seam.drawn import drawn, ink_colour, triangles_near
from kunstgriff.seam.joints import half_width, need_unstraightened, pair_at
from kunstgriff.seam.recipes import UNMADE, kept_picture, new_id, with_treatment

BEGINS, FULL = 25.0, 65.0  # degrees of bend at which a fold begins to show and shows wholly; common practice, no source
# where a fold runs, in half widths of the limb: across from its middle and back along it from the joint. At 80° the
# inner side of a limb is creased at tan 40° = 0.84 from the joint.
CREASE = ((0.98, 0.84), (0.72, 0.62), (0.36, 0.5))
DARK = "#2b2a33"  # where a part has no line to go by
SHARE_OF_LINE = 0.7  # of the part's line; folds are drawn thinner than outlines; common practice, no source


def made_fold(figure: Figure, fold: Fold, stores: Stores) -> dict[str, Any]:
    """The line alone, in a picture of the part's size: smooth through its points, thinning towards both ends."""
    part = need_part(figure, fold.part)
    rgba, _ = drawn(figure, part, stores)
    spots = _smooth(np.subtract(fold.line, part.drawing.place))
    runs = runs_along(spots)
    height, width = rgba.shape[:2]
    y, x = np.mgrid[:height, :width] + 0.5
    away, nearest = cKDTree(spots).query(np.stack([x.ravel(), y.ravel()], 1), distance_upper_bound=fold.width + 2)
    share = runs[np.minimum(nearest, len(runs) - 1)] / max(runs[-1], 1e-9)
    half = fold.width / 2 * np.sin(np.pi * (0.06 + 0.88 * share)) ** 0.6
    line = np.where(np.isfinite(away), np.clip(half - away + 0.5, 0, 1), 0).reshape(height, width)
    colour = np.array([int(fold.colour[k : k + 2], 16) for k in (1, 3, 5)], np.uint8)
    alpha = np.rint(line * rgba[..., 3]).astype(np.uint8)
    if not alpha.any():
        raise EditRefused(f"The fold lies outside of “{part.name}”.")
    return {"picture": kept_picture(np.dstack([np.broadcast_to(colour, (height, width, 3)), alpha]), stores)}


def _smooth(points: np.ndarray[Any, Any]) -> np.ndarray[Any, Any]:
    """Spots every half px along a smooth way through points (n, 2)."""
    runs = runs_along(points)
    budget().line(float(runs[-1]), "The fold")
    if len(points) > 2 and (np.diff(runs) > 1e-6).all():
        fine = scipy.interpolate.make_interp_spline(runs, points, k=min(3, len(points) - 1))(
            np.linspace(0, runs[-1], 8 * len(points))
        )
        points, runs = fine, runs_along(fine)
    return spots_at(points, runs, np.arange(0, runs[-1] + 0.5, 0.5))


def folds(build: Build, figure: Figure, stores: Stores) -> list[Drawn]:
    """Each fold on the net of the part it rides, in front of all that lies at its joint."""
    depth = {part.id: float(number) for number, part in enumerate(figure.parts)}
    found = []
    for fold in figure.treated("fold"):
        part, bone = figure.part(fold.part), figure.bone(fold.switch.bone)
        if part is None or not part.is_shown:
            continue
        pair = (pair_at(figure, bone, stores) if bone else None) or (part,)
        front = max((part, *pair), key=lambda one: depth[one.id])
        item = item_of(
            figure, part, id=fold.id, picture=fold.picture, variant="fold", anchor=front.id, blend="normal",
            tint=(0.0, 0.0, 0.0, 0.0), switches=build.switched(fold.switch),
        )  # fmt: skip
        faces, line = build.nets.blocks[part.id].triangles, np.array(fold.line)
        # a smooth way through a few points strays from them by less than they lie apart
        reach = fold.width + float(np.ptp(line, axis=0).max())
        near = triangles_near(build.nets.rest[faces], (line.min(0) + line.max(0)) / 2, reach)
        found.append((depth[front.id] + 0.97, item, faces[near]))
    return found


class DrawFold(Edit):
    """Draw a fold on a part: a small line that fades in as a joint bends.

    At a bone's joint it rides the part of the bone's parent, unless `part` names another. Without a `line` (points in
    figure space at rest) it is drawn from the inner side of the bend inwards; `width` (px) and `colour` are those of
    the part's line. `begins` and `full` are the degrees at which it begins to show and shows wholly; negative ones for
    a joint that bends the other way.
    """

    kind: Literal["draw_fold"] = "draw_fold"
    bone: str
    part: str | None = None
    line: Line | None = None
    width: Annotated[float, Field(gt=0, le=200)] | None = None
    colour: Colour | None = None
    begins: Annotated[float, Field(ge=-180, le=180)] | None = None
    full: Annotated[float, Field(ge=-180, le=180)] | None = None

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        bone = need_bone(figure, self.bone)
        part = self._part(figure, bone, stores)
        need_unstraightened(part)
        side = _bends_to(bone) if self.begins is None else math.copysign(1, self.begins)
        begins = BEGINS * side if self.begins is None else self.begins
        full = begins + (FULL - BEGINS) * side if self.full is None else self.full
        if (full - begins) * side <= 0:
            raise EditRefused("A fold shows wholly at a greater bend than it begins at.")
        ends = {"low": begins} if side > 0 else {"high": begins}
        switch = switch_of(figure, Switch(bone=bone.id, fade=abs(full - begins), **ends))
        assert switch is not None
        rgba, split = drawn(figure, part, stores)
        colour = self.colour or ink_colour(rgba, split) or DARK
        fold = Fold(
            id=new_id(figure),
            part=part.id,
            line=self.line or _across(figure, bone, half_width(part, bone, stores), side),
            width=self.width or round(max(SHARE_OF_LINE * split.line_width, 1.0), 1),
            colour=colour,
            switch=switch,
            picture=UNMADE,
        )
        return with_treatment(figure, fold, stores)

    def _part(self, figure: Figure, bone: Bone, stores: Stores) -> Part:
        if self.part is not None:
            return need_part(figure, self.part)
        pair = pair_at(figure, bone, stores)
        if pair is None:
            raise EditRefused(f"No two parts meet at the joint of “{bone.name}”: say which part the fold rides.")
        return pair[1]

    def describe(self, figure: Figure) -> str:
        return f"fold at {need_bone(figure, self.bone).name}"


def _bends_to(bone: Bone) -> float:
    """1 for a joint that bends clockwise, −1 for one that bends the other way, by its limits."""
    return -1.0 if bone.limits is not None and bone.limits.high < -bone.limits.low else 1.0


def _across(figure: Figure, bone: Bone, half: float, side: float) -> tuple[tuple[float, float], ...]:
    """From near the inner side of the bend towards the limb's middle, a little along the parent."""
    parent = figure.bone(bone.parent or "")
    back = np.subtract(bone.joint, parent.joint if parent else bone.tip)
    along = back / max(float(np.hypot(*back)), 1e-9)
    inner = side * np.array([-along[1], along[0]])
    spots = [np.array(bone.joint) + half * (inner * across - along * back_by) for across, back_by in CREASE]
    return tuple((round(float(x), 1), round(float(y), 1)) for x, y in spots)
