"""Edits of the Seams stage."""

from __future__ import annotations

from typing import Annotated, Any, Literal

import numpy as np
from pydantic import Field
from shapely.geometry import Point as Spot

from kunstgriff.artwork.ink import part_ink
from kunstgriff.artwork.meetings import half_width as limb_half_width
from kunstgriff.artwork.outline import part_outline
from kunstgriff.figure.edit import Edit, EditRefused, need_bone, need_part
from kunstgriff.figure.model import Bone, Cover, Figure, Part, Rigid, Weighted
from kunstgriff.figure.stores import Stores, decode_png, encode_png
from kunstgriff.seam.cover import REACH, SOFT, cover_picture

REACHES = 3.0  # px a part may end short of a joint and still meet another there


class LayCover(Edit):
    """At a bone's joint, lay an ink-less copy of the part behind in front of the part before it.

    The two parts are those that follow the bone and its parent and lie at the joint; `source` and `over` name them
    otherwise. `radius` and `soft` (px) limit the copy to the joint; left out, they follow the limb's width.
    """

    kind: Literal["lay_cover"] = "lay_cover"
    bone: str
    source: str | None = None
    over: str | None = None
    radius: Annotated[float, Field(gt=0, le=10_000)] | None = None
    soft: Annotated[float, Field(ge=0, le=1_000)] | None = None

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        bone = need_bone(figure, self.bone)
        source, over = self._pair(figure, bone, stores)
        half = min(half_width(part, bone, stores) for part in (source, over))
        rgba = decode_png(stores.get_picture(source.picture))
        radius = self.radius if self.radius is not None else round(REACH * half + 8, 1)
        soft = self.soft if self.soft is not None else round(SOFT * half, 1)
        joint = np.subtract(bone.joint, source.place)
        copied = cover_picture(rgba, part_ink(source, stores), (joint[0], joint[1]), radius, soft)
        picture = stores.put_picture(encode_png(copied))
        kept = tuple(one for one in figure.covers if (one.bone, one.source) != (bone.id, source.id))
        cover = Cover(
            id=f"c{figure.next_id}",
            bone=bone.id,
            source=source.id,
            over=over.id,
            radius=radius,
            soft=soft,
            picture=picture,
        )
        return figure.replace(covers=(*kept, cover), next_id=figure.next_id + 1)

    def _pair(self, figure: Figure, bone: Bone, stores: Stores) -> tuple[Part, Part]:
        if self.source is not None and self.over is not None:
            source, over = need_part(figure, self.source), need_part(figure, self.over)
            if source.id == over.id:
                raise EditRefused("A part cannot cover itself.")
            return source, over
        if bone.parent is None:
            raise EditRefused(f"“{bone.name}” hangs on no other bone, so no two parts meet at its joint.")
        pair = pair_at(figure, bone, stores)
        if pair is None:
            raise EditRefused(f"No two parts meet at the joint of “{bone.name}”; bind one to each of its bones first.")
        child, parent = pair
        order = [part.id for part in figure.parts]
        return (child, parent) if order.index(child.id) < order.index(parent.id) else (parent, child)

    def told(self, figure: Figure) -> str:
        return f"cover at {need_bone(figure, self.bone).name}"


class LiftCover(Edit):
    """Take covers off a bone's joint again."""

    kind: Literal["lift_cover"] = "lift_cover"
    bone: str

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        bone = need_bone(figure, self.bone)
        left = tuple(cover for cover in figure.covers if cover.bone != bone.id)
        if len(left) == len(figure.covers):
            raise EditRefused(f"No cover lies at the joint of “{bone.name}”.")
        return figure.replace(covers=left)

    def told(self, figure: Figure) -> str:
        return f"lift the cover at {need_bone(figure, self.bone).name}"


def pair_at(figure: Figure, bone: Bone, stores: Stores) -> tuple[Part, Part] | None:
    """The two parts that meet at a bone's joint: the one that follows it and the one that follows its parent."""
    if bone.parent is None:
        return None
    child, parent = (_part_at(figure, ref, bone, stores) for ref in (bone.id, bone.parent))
    return (child, parent) if child is not None and parent is not None and child.id != parent.id else None


def half_width(part: Part, bone: Bone, stores: Stores) -> float:
    """Half the limb's width at a bone's joint in px, at least 4."""
    x, y = np.subtract(bone.joint, part.place)
    return max(limb_half_width(part_outline(part, stores), (float(x), float(y))), 4.0)


def _part_at(figure: Figure, ref: str, at: Bone, stores: Stores) -> Part | None:
    """The visible part that follows bone `ref` and has the joint of `at` deepest inside its outline."""
    best: tuple[float, Part] | None = None
    for part in figure.parts:
        if not part.is_shown or _follows(part, stores) != ref:
            continue
        joint = np.subtract(at.joint, part.place)
        spot, outline = Spot(joint[0], joint[1]), part_outline(part, stores)
        depth = float(outline.boundary.distance(spot)) * (1 if outline.contains(spot) else -1)
        if depth > -REACHES and (best is None or depth > best[0]):
            best = (depth, part)
    return best[1] if best else None


def _follows(part: Part, stores: Stores) -> str | None:
    """The bone a part follows most."""
    binding: Any = part.binding
    if isinstance(binding, Rigid):
        return binding.bone
    if isinstance(binding, Weighted):
        return binding.influences[int(stores.get_array(binding.weights).sum(0).argmax())]
    return None
