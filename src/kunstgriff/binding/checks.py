"""Findings of the Binding stage: what would be left behind when the figure moves."""

from __future__ import annotations

from collections.abc import Iterator
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from kunstgriff.binding.brush import Neighbours
from kunstgriff.binding.geometries import bone_of_group
from kunstgriff.binding.islets import beside_limbs
from kunstgriff.binding.weights import islands
from kunstgriff.binding.zones import influences_of, points_of
from kunstgriff.figure.findings import Finding, Remedy, about
from kunstgriff.figure.model import Figure, Part, Unbound, Weighted
from kunstgriff.figure.stores import Beside, Stores

ODD = 0.6  # share of a vertex that goes elsewhere than its neighbours from which it is told; looked at on the demo


def unbound_parts(figure: Figure, stores: Stores) -> Iterator[Finding]:
    """Parts that follow nothing while there are bones."""
    loose = [
        part
        for part in figure.parts
        if isinstance(part.binding, Unbound)
        and not part.left_out
        and not part.binding.stays
        and bone_of_group(figure, part) is None
    ]
    if not figure.bones or not loose:
        return
    told = {part.id: part.binding.why for part in loose if isinstance(part.binding, Unbound) and part.binding.why}
    for part in (one for one in loose if one.id in told):
        sentence = f"{part.name} follows nothing: {told[part.id]}"
        yield Finding(
            stage="binding", sentence=sentence, weight=0.65, parts=(part.id,), remedies=(_to_the_nearest([part]),)
        )
    rest = [part for part in loose if part.id not in told]
    if len(rest) > 4:
        sentence = f"{len(rest)} of {len(figure.parts)} parts follow nothing yet and would be left behind"
        refs, remedies = tuple(part.id for part in rest), (Remedy(word="Bind all", edit={"kind": "bind_figure"}),)
        yield Finding(
            stage="binding", sentence=sentence, weight=0.6, parts=refs, remedies=(*remedies, _to_the_nearest(rest))
        )
        return
    for part in rest:
        sentence = f"{part.name} follows nothing and would be left behind"
        yield Finding(
            stage="binding", sentence=sentence, weight=0.6, parts=(part.id,), remedies=(_to_the_nearest([part]),)
        )


def _to_the_nearest(parts: list[Part]) -> Remedy:
    """One click that binds parts to what lies next to them."""
    word = "Bind it to what lies next to it" if len(parts) == 1 else "Bind each to what lies next to it"
    return Remedy(word=word, edit={"kind": "bind_nearest", "parts": [part.id for part in parts[:1_000]]})


def left_behind(figure: Figure, stores: Stores) -> Iterator[Finding]:
    """Vertices and islands of weighted parts that would not go with what is around them."""
    for part in figure.parts:
        if isinstance(part.binding, Weighted) and not part.left_out:
            yield from _left_behind(part, part.binding, Beside((stores,)))
            yield from _torn(figure, part, part.binding, stores)


def _torn(figure: Figure, part: Part, binding: Weighted, stores: Stores) -> Iterator[Finding]:
    """Islands beside a limb that go by halves with two of its bones."""
    points, weights = points_of(part, binding, stores), stores.get_array(binding.weights)
    joints = np.array([bone.joint for bone in influences_of(figure, binding)])
    torn = list(beside_limbs(weights, points, stores.get_array(binding.mesh.triangles), joints))
    if torn:
        what = "An island" if len(torn) == 1 else f"{len(torn)} islands"
        sentence = f"{what} of {part.name} beside the limb would turn by part with one bone, by part with another"
        whole = Remedy(word="Let it follow as a whole", edit={"kind": "settle_islands", "part": part.id})
        apart = Remedy(word="Make it a part", edit={"kind": "split_islands", "parts": [part.id]})
        yield about(part, f"torn {binding.weights[:8]}", sentence, 0.45, whole, apart, stage="binding")


@lru_cache(maxsize=512)
def _left_behind(part: Part, binding: Weighted, beside: Beside[tuple[Stores]]) -> tuple[Finding, ...]:
    (stores,) = beside.value
    weights = stores.get_array(binding.weights).astype(np.float64)
    triangles = stores.get_array(binding.mesh.triangles)
    auto_bind = {"kind": "set_influences", "parts": [part.id]}
    made = []
    loose = np.flatnonzero(weights.sum(1) < 1e-6)
    if len(loose):
        sentence = f"{len(loose)} vertices of {part.name} follow nothing and would be left behind"
        anew = {**auto_bind, "add": list(binding.influences)}
        remedy = Remedy(word="Weigh them", edit=anew)
        made.append(about(part, f"loose {binding.weights[:8]}", sentence, 0.7, remedy, stage="binding"))
    odd = np.setdiff1d(disagreeing(weights, triangles), loose)
    if len(odd):
        even = {"kind": "even_weights", "part": part.id, "rounds": 8, "vertices": odd.tolist()}
        sentence = f"{len(odd)} vertices of {part.name} follow other bones than all those around them"
        remedy = Remedy(word="Even them out", edit=even)
        made.append(about(part, f"odd {binding.weights[:8]}", sentence, 0.55, remedy, stage="binding"))
    strange = strange_islands(weights, stores.get_array(binding.mesh.vertices), triangles)
    if strange:
        sentence = f"{strange} islands of {part.name} follow other bones than what is around them"
        if strange == 1:
            sentence = f"An island of {part.name} follows another bone than what is around it"
        apart = Remedy(word="Make it a part", edit={"kind": "split_islands", "parts": [part.id]})
        made.append(about(part, f"island {binding.weights[:8]}", sentence, 0.5, apart, stage="binding"))
    return tuple(made)


def disagreeing(weights: NDArray[np.float64], triangles: NDArray[np.int32]) -> NDArray[np.intp]:
    """Vertices that differ from the mean of their neighbours by more than `ODD`, while those agree with one another.

    Half the sum of the differences of all shares is how much of a vertex goes elsewhere.
    """
    near = Neighbours(triangles, len(weights))
    owner = np.repeat(np.arange(len(weights)), np.diff(near.starts))
    counts = np.maximum(np.diff(near.starts), 1)[:, None]
    mean = np.stack([np.bincount(owner, column[near.others], len(weights)) for column in weights.T], 1) / counts
    apart = np.abs(weights[near.others] - mean[owner]).sum(1) / 2
    spread = np.bincount(owner, apart, len(weights)) / counts[:, 0]
    off = np.abs(weights - mean).sum(1) / 2
    return np.flatnonzero((off > ODD) & (spread < ODD / 2))


def strange_islands(weights: NDArray[np.float64], vertices: NDArray[np.float64], triangles: NDArray[np.int32]) -> int:
    """How many islands of a mesh follow mostly another bone than the nearest vertices of its largest one."""
    island = islands(triangles, len(vertices))
    sizes = np.bincount(island)
    largest = int(sizes.argmax())
    main = island == largest
    count = 0
    for number in np.unique(island):
        if number == largest:
            continue
        own = island == number
        nearest = cKDTree(vertices[main]).query(vertices[own])[1]
        count += int(weights[own].sum(0).argmax() != weights[main][nearest].sum(0).argmax())
    return count


def redrawn_beyond_the_mesh(figure: Figure, stores: Stores) -> Iterator[Finding]:
    """Bound parts whose outline a new drawing moved further than a mesh's margin."""
    for part in figure.parts:
        if part.shifted == 0 or isinstance(part.binding, Unbound):
            continue
        remedies = []
        if isinstance(part.binding, Weighted):
            bind = {
                "kind": "bind_weighted",
                "parts": [part.id],
                "influences": list(part.binding.influences),
                "count": max(part.binding.mesh.vertex_count, 12),
            }
            remedies.append(Remedy(word="Bind it anew", edit=bind))
        sentence = f"{part.name} was redrawn up to {part.shifted:.0f} px away from where it was bound"
        yield about(part, "shifted", sentence, 0.45, *remedies, stage="binding")


def no_bones(figure: Figure, stores: Stores) -> Iterator[Finding]:
    """A figure without bones cannot move."""
    if not figure.bones:
        sentence = f"No bones yet: {len(figure.parts)} parts wait for a chain to be drawn"
        yield Finding(stage="bones", sentence=sentence, weight=0.9)
