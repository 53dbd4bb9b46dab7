"""Edits of how parts and groups are painted, and the lock."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np
from numpy.typing import NDArray

from kunstgriff.artwork.edits import with_all, with_group
from kunstgriff.artwork.ink import rgb_of
from kunstgriff.figure.edit import Edit, PartKeys, need_group, these
from kunstgriff.figure.model import Blend, Figure, Share, Tint
from kunstgriff.figure.stores import Stores


def tinted(rgba: NDArray[np.uint8], tint: Tint) -> NDArray[np.uint8]:
    """Straight-alpha pixels (h, w, 4) with a tint painted in, as the shader does."""
    return mixed(rgba, shares_of(tint))


def shares_of(tint: Tint | None) -> tuple[float, float, float, float]:
    """A tint as straight colour in [0, 1] and share, as the draw list has it; all 0 for none."""
    if tint is None:
        return (0.0, 0.0, 0.0, 0.0)
    red, green, blue = (one / 255 for one in rgb_of(tint.colour).tolist())
    return red, green, blue, tint.amount


def mixed(rgba: NDArray[np.uint8], tint: tuple[float, float, float, float]) -> NDArray[np.uint8]:
    """The same for a tint as `shares_of` gives it."""
    colour = rgba[..., :3] * (1 - tint[3]) + np.multiply(tint[:3], 255 * tint[3])
    return np.dstack([np.rint(colour).astype(np.uint8), rgba[..., 3]])


class LockParts(Edit):
    """Lock parts, so that their drawing and place cannot be changed by accident, or unlock them."""

    heeds_locks: ClassVar[bool] = False
    kind: Literal["lock_parts"] = "lock_parts"
    parts: PartKeys
    locked: bool = True

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        return with_all(figure, self.parts, locked=self.locked)

    def describe(self, figure: Figure) -> str:
        return ("lock " if self.locked else "unlock ") + these(figure, self.parts)


class TintParts(Edit):
    """Lay a colour over parts by a share; without a tint, take it off."""

    kind: Literal["tint_parts"] = "tint_parts"
    parts: PartKeys
    tint: Tint | None = None

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        tint = self.tint if self.tint and self.tint.amount > 0 else None
        return with_all(figure, self.parts, tint=tint)

    def describe(self, figure: Figure) -> str:
        return f"tint {these(figure, self.parts)}"


class BlendParts(Edit):
    """Blend parts with what lies behind them by a mode of W3C Compositing and Blending."""

    kind: Literal["blend_parts"] = "blend_parts"
    parts: PartKeys
    blend: Blend

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        return with_all(figure, self.parts, blend=self.blend)

    def describe(self, figure: Figure) -> str:
        return f"blend {these(figure, self.parts)} by {self.blend}"


class PaintGroup(Edit):
    """Say how a group is painted: as opaque as that, blended as a whole, isolated or not."""

    kind: Literal["paint_group"] = "paint_group"
    group: str
    opacity: Share = 1.0
    blend: Blend = "normal"
    isolated: bool = False

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        group = need_group(figure, self.group)
        look = {"opacity": self.opacity, "blend": self.blend, "isolated": self.isolated}
        return with_group(figure, group.model_copy(update=look))

    def describe(self, figure: Figure) -> str:
        return f"paint group {need_group(figure, self.group).name}"
