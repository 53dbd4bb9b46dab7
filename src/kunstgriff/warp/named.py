"""What edits of warps have in common: warps and handles by id or name, what one is laid around."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Any

from pydantic import Field

from kunstgriff.figure.edit import EditRefused, free_name, need_bone, need_group, need_part
from kunstgriff.figure.model import Figure, Group, Part, Rider
from kunstgriff.figure.sets import parts_of_drawing
from kunstgriff.figure.stores import Stores
from kunstgriff.figure.warps import MOST_TIES, Cage, Curve, Handle, Lattice, Tie, Warp
from kunstgriff.warp.laying import carrier_of, with_meshes
from kunstgriff.warp.warping import covered

HandleKeys = Annotated[tuple[str, ...], Field(min_length=1, max_length=1_000)]  # by id or name
GroupKeys = Annotated[tuple[str, ...], Field(max_length=200)]
Keys = Annotated[tuple[str, ...], Field(max_length=1_000)]


def need_warp(figure: Figure, key: str) -> Warp:
    """The warp with this id or name, else EditRefused."""
    for warp in figure.warps:
        if key in (warp.id, warp.name):
            return warp
    raise EditRefused(f"There is no warp “{key}”.")


def need_lattice(figure: Figure, key: str) -> Lattice:
    """The lattice with this id or name, else EditRefused."""
    warp = need_warp(figure, key)
    if not isinstance(warp, Lattice):
        raise EditRefused(f"“{warp.name}” is no lattice.")
    return warp


def need_cage(figure: Figure, key: str) -> Cage:
    """The cage with this id or name, else EditRefused."""
    warp = need_warp(figure, key)
    if not isinstance(warp, Cage):
        raise EditRefused(f"“{warp.name}” is no cage.")
    return warp


def need_curve(figure: Figure, key: str) -> Curve:
    """The curve with this id or name, else EditRefused."""
    warp = need_warp(figure, key)
    if not isinstance(warp, Curve):
        raise EditRefused(f"“{warp.name}” is no curve.")
    return warp


def with_warp(figure: Figure, warp: Warp) -> Figure:
    """The figure with a warp replaced by id."""
    return figure.replace(warps=tuple(warp if one.id == warp.id else one for one in figure.warps))


def need_handles(figure: Figure, keys: tuple[str, ...]) -> frozenset[str]:
    """The ids of handles by id or name (“head 2,1”), else EditRefused."""
    known = {key: one.id for one in figure.handles for key in (one.id, one.name)}
    for key in keys:
        if key not in known:
            raise EditRefused(f"There is no handle “{key}”.")
    return frozenset(known[key] for key in keys)


def with_handles(figure: Figure, changed: Mapping[str, Handle]) -> Figure:
    """The figure with handles replaced by id."""
    warps = []
    for warp in figure.warps:
        handles = tuple(changed.get(one.id, one) for one in warp.handles)
        warps.append(warp if handles == warp.handles else warp.model_copy(update={"handles": handles}))
    return figure.replace(warps=tuple(warps))


def with_tie(handle: Handle, bone: str, share: float) -> Handle:
    """A handle that follows a bone by a share, at 0 no more. Raises EditRefused where it follows too many."""
    ties = tuple(tie for tie in handle.ties if tie.bone != bone)
    if share > 0:
        ties += (Tie(bone=bone, share=share),)
    if len(ties) > MOST_TIES:
        raise EditRefused(f"A handle follows {MOST_TIES} bones at most; untie it from one first.")
    return handle.model_copy(update={"ties": ties, "lost": ()})


def around(
    figure: Figure, groups: tuple[str, ...], parts: tuple[str, ...], name: str | None, bone: str | None
) -> tuple[tuple[str, ...], list[Part], dict[str, Any]]:
    """What a warp is laid around: the ids it is told by, the parts that lie in it, and its id, name and bone. Raises
    EditRefused where there is nothing, or something is locked."""
    chosen: list[Group | Part] = [
        *(need_group(figure, key) for key in groups),
        *(need_part(figure, key) for key in parts),
    ]
    of = tuple(dict.fromkeys(one.id for one in chosen))
    if not of:
        raise EditRefused("Say which parts or groups the warp shall lie around.")
    there = [part for ref in of for part in parts_of_drawing(figure, ref) if not part.left_out]
    if not there:
        raise EditRefused("Nothing that takes part in the figure lies in that warp.")
    locked = next((part for part in there if part.locked), None)
    if locked is not None:
        raise EditRefused(f"“{locked.name}” is locked; unlock it first.")
    said = {
        "id": f"w{figure.next_id}",
        "name": free_name(name or chosen[0].name, {one.name for one in figure.warps}),
        "bone": need_bone(figure, bone).id if bone is not None else carrier_of(figure, there),
    }
    return of, there, said


def laid_over(figure: Figure, warp: Warp, stores: Stores) -> Figure:
    """The figure with one more warp, and meshes fine enough for it: the last, but for a curve, which bends art inside
    the lattices and cages around it."""
    parts, at = covered(figure, warp), len(figure.warps)
    if isinstance(warp, Curve):
        others = ((k, one) for k, one in enumerate(figure.warps) if not isinstance(one, Curve))
        at = next((k for k, one in others if covered(figure, one) & parts), at)
    figure = figure.replace(
        warps=(*figure.warps[:at], warp, *figure.warps[at:]), next_id=figure.next_id + 1 + len(warp.handles)
    )
    return with_meshes(figure, warp, stores)


def refuse_circles(figure: Figure) -> None:
    """Raises EditRefused where a part, by the handles that reshape it and what it rides on, waits for itself."""
    waits: dict[str, set[str]] = {
        part.id: {part.binding.carrier} if isinstance(part.binding, Rider) else set() for part in figure.parts
    }
    for warp in figure.warps:
        ridden = {one.rides for one in warp.handles if one.rides is not None}
        for ref in covered(figure, warp):
            waits[ref] |= ridden
    for part in figure.parts:
        reached, fresh = set[str](), {*waits[part.id]}
        while fresh:
            reached |= fresh
            fresh = {one for ref in fresh for one in waits.get(ref, ())} - reached
        if part.id in reached:
            raise EditRefused(f"“{part.name}” would ride on itself: what reshapes it hangs on it again.")


def told_of(what: str, groups: tuple[str, ...], parts: tuple[str, ...]) -> str:
    """What is laid around what, in a few words."""
    keys = (*groups, *parts)
    return f"{what} around {keys[0] if len(keys) == 1 else f'{len(keys)} things'}"[:200]


def named(figure: Figure, warp: Warp, name: str | None, bone: str | None) -> dict[str, object]:
    """What changes of a warp by another name or bone. Raises EditRefused where another has that name."""
    changes: dict[str, object] = {}
    if name is not None:
        if any(one.name == name and one.id != warp.id for one in figure.warps):
            raise EditRefused(f"Another warp is called “{name}” already.")
        changes["name"] = name
    if bone is not None:
        changes["bone"] = need_bone(figure, bone).id if bone else None
    return changes
