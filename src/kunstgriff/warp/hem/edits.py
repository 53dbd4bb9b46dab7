"""Edits of hems: laying one over two legs, tuning it, its shares by hand, taking it off."""

from __future__ import annotations

from dataclasses import fields, replace
from typing import Literal

from kunstgriff.figure.edit import Edit, EditRefused, free_name, need_bone, need_part
from kunstgriff.figure.hems import Hem
from kunstgriff.figure.model import Figure, Name
from kunstgriff.figure.stores import Stores
from kunstgriff.figure.values import Share
from kunstgriff.warp.hem.laying import Shares, shares_of, with_hem, with_shares
from kunstgriff.warp.hem.reading import HemReader
from kunstgriff.warp.hem.tuning import tuned
from kunstgriff.warp.laying import without_meshes
from kunstgriff.warp.tack_edits import tacks_of
from kunstgriff.warp.warping import without_warps


def need_hem(figure: Figure, key: str) -> Hem:
    """The hem with this id or name, else EditRefused."""
    for hem in figure.hems:
        if key in (hem.id, hem.name):
            return hem
    raise EditRefused(f"There is no hem “{key}”.")


class LayHem(Edit):
    """Lay a hem over two legs: what it hangs on carries it, two thighs move it.

    That is a skirt, or its panel in front and the one behind. The waist is tacked to the pelvis, the hem to both knees;
    where a panel is one part with the chest, that stays as it is. Two panels are cut to one line by a mask that goes
    with the pelvis. That is what both thighs hang on, unless another bone is named.
    """

    kind: Literal["lay_hem"] = "lay_hem"
    panel: str
    behind: str | None = None
    near: str
    far: str
    pelvis: str | None = None
    name: Name | None = None

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        panel = need_part(figure, self.panel)
        behind = need_part(figure, self.behind) if self.behind is not None else None
        near, far = need_bone(figure, self.near), need_bone(figure, self.far)
        if behind is not None and behind.id == panel.id:
            raise EditRefused("The panel in front and the one behind are two parts; name one alone for a skirt.")
        if near.id == far.id:
            raise EditRefused("A hem lies over two legs; choose two thighs.")
        ref = need_bone(figure, self.pelvis).id if self.pelvis is not None else near.parent
        if ref is None or (self.pelvis is None and ref != far.parent):
            raise EditRefused(f"{near.name} and {far.name} hang on no bone together; say which one is the pelvis.")
        locked = next((one for one in (panel, behind) if one is not None and one.locked), None)
        if locked is not None:
            raise EditRefused(f"“{locked.name}” is locked; unlock it first.")
        hem = Hem(
            id=f"w{figure.next_id}", name=free_name(self.name or "hem", {one.name for one in figure.hems}),
            panel=panel.id, behind=behind.id if behind is not None else None, pelvis=ref, near=near.id, far=far.id,
        )  # fmt: skip
        above = tuple(one for one in figure.bones if one.parent == ref and one.id not in (near.id, far.id))
        return with_hem(figure.replace(next_id=figure.next_id + 1), hem, above, stores)

    def describe(self, figure: Figure) -> str:
        return f"lay a hem over {need_part(figure, self.panel).name}"


class SetHem(Edit):
    """Say by how much of each leg a hem goes, or its name."""

    kind: Literal["set_hem"] = "set_hem"
    hem: str
    name: Name | None = None
    own: Share | None = None
    other: Share | None = None
    lead: Share | None = None
    middle_own: Share | None = None
    middle_other: Share | None = None

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        hem = need_hem(figure, self.hem)
        if self.name is not None:
            if any(one.name == self.name and one.id != hem.id for one in figure.hems):
                raise EditRefused(f"Another hem is called “{self.name}” already.")
            after = hem.model_copy(update={"name": self.name})
            figure = figure.replace(hems=tuple(after if one.id == hem.id else one for one in figure.hems))
        said = {one.name: value for one in fields(Shares) if (value := getattr(self, one.name)) is not None}
        return with_shares(figure, hem, replace(shares_of(figure, hem), **said))

    def describe(self, figure: Figure) -> str:
        return f"shares of {need_hem(figure, self.hem).name}"


class TuneHem(Edit):
    """Find the shares of the legs at which a hem shows least of them, opens least and is drawn out least."""

    kind: Literal["tune_hem"] = "tune_hem"
    hem: str

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        hem = need_hem(figure, self.hem)
        return with_shares(figure, hem, tuned(HemReader(figure, hem, stores), shares_of(figure, hem)))

    def describe(self, figure: Figure) -> str:
        return f"tune {need_hem(figure, self.hem).name}"


class LiftHem(Edit):
    """Take a hem off: its tacks, and its mask."""

    kind: Literal["lift_hem"] = "lift_hem"
    hem: str

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        hem = need_hem(figure, self.hem)
        tacks = (tacks_of(figure, ref) for ref in hem.panels)
        kept = tuple(one for one in figure.hems if one.id != hem.id)
        bare = without_warps(figure.replace(hems=kept), *(warp for warp in tacks if warp is not None))
        return without_meshes(bare.without([] if hem.mask is None else [hem.mask]))

    def describe(self, figure: Figure) -> str:
        return f"take off {need_hem(figure, self.hem).name}"
