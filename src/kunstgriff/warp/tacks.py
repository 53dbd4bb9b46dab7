"""Tacks in an evaluation: spots of a part that are held where bones take them, the part as rigid as possible between.

A tack is a small patch of the part's mesh, so that the part does not come to a point there. It is aimed at where its
bones take it by their shares and what carries the warp by the rest; what it takes to lie there is worked out by itself.
One that carries its turn aims every vertex of its patch, turned as those together turn it. At rest all are where they
are aimed at. The rest of the part is as its bones have it, deformed as little as that allows; with a `reach` only near
the tacks.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any, get_args

import numpy as np
from numba import njit
from numpy.typing import NDArray

from kunstgriff.binding.mesh import spots_on
from kunstgriff.evaluate.program import Block, Build, Floats32, Skeleton
from kunstgriff.evaluate.stale import channels_of, matrix_of, vertices_of
from kunstgriff.evaluate.state import AS_IT_IS, RigState
from kunstgriff.figure.references import refs
from kunstgriff.figure.warps import Carries, Dab, Tack, Tacks, Warp
from kunstgriff.warp.rigid import Spots
from kunstgriff.warp.tiers import Tiers

PATCH = 0.03  # of the part's size that a tack holds around it
STIFFEST = 60.0  # times as stiff as the rest where the brush was used in full
GLIDE = 0.15  # of the length of two bones that one is moved further by, when it leads nearly alone
NEXT_TO = 12  # triangles among which that is found which a vertex of an extra net lies on
HELD = 1e-3  # px within which a tack holds nothing

Floats = NDArray[np.float64]
Ints = NDArray[np.intp]
Ints32 = NDArray[np.int32]
CARRIES = get_args(Carries)


@dataclass(frozen=True)
class Aims:
    """What tacks are aimed by: for each `row` (r,) of spots its tack, where it is at rest and whether it `follows` the
    turn and size; for each tack where it lies at rest, its base bone (-1: none), what it carries; ties by tack."""

    tack: Ints
    rest: Floats
    places: Floats
    base: Ints
    carries: Ints
    ties: tuple[Ints, Ints, Floats]
    leads: Leads


@dataclass(frozen=True)
class Leads:
    """Ties numbered `at` (l, 2) that share `share` (l,) between two `bones` (l, 2) by which of their `tips` (l, 2, 2)
    is moved furthest to one side: `sign` (l,) 1 for the right; nearly in full where that is by `glide` (l,) px."""

    at: Ints
    bones: Ints
    tips: Floats
    sign: Floats
    share: Floats
    glide: Floats


def patches(places: Floats, mesh: Floats, triangles: NDArray[np.int32]) -> list[tuple[Ints, Floats]]:
    """For each place (k, 2) on a mesh (n, 2) the vertices and shares whose mean it is: those nearby, at the least the
    corners of the triangle it lies in."""
    radius = PATCH * float(np.ptp(mesh, axis=0).max())
    found = []
    for place in places:
        away = np.hypot(*(mesh - place).T)
        near = np.flatnonzero(away < radius)
        shares = (1 - (away[near] / radius) ** 2) ** 2
        if len(near) > 3:
            shares = _meaning(mesh[near] - place, shares)
        if len(near) <= 3 or shares.min() < 0:
            corners, inside = spots_on(mesh, triangles, place[None])
            near, shares = corners[0].astype(np.intp), inside[0]
        found.append((near, shares))
    return found


def _meaning(off: Floats, shares: Floats) -> Floats:
    """Shares (k,) changed as little as can be so that the mean of what lies `off` (k, 2) is nothing."""
    terms = np.column_stack([np.ones(len(off)), off])
    wanted = np.array([1.0, 0.0, 0.0]) - terms.T @ (shares / shares.sum())
    weighted = terms * shares[:, None]
    solved = np.linalg.lstsq(terms.T @ weighted, wanted, rcond=1e-9)[0]
    return np.asarray(shares / shares.sum() + weighted @ solved)


def stiffness_of(dabs: tuple[Dab, ...], at: Floats) -> Floats:
    """How many times as stiff as the rest places (m, 2) are, one dab of the brush laid over the other."""
    amount = np.zeros(len(at))
    for dab in dabs:
        share = np.clip(1 - (np.hypot(*(at - dab.place).T) / dab.radius) ** 2, 0, 1) ** 2
        share = np.minimum(2 * share, 1)
        amount += share * (dab.amount - amount)
    return np.asarray(STIFFEST**amount)


@njit(cache=True, nogil=True)
def aimed(
    tack: Ints, rest: Floats, places: Floats, base: Ints, carries: Ints, handles: Ints, bones: Ints, shares: Floats,
    shifts: Floats, matrices: Floats, angles: Floats, carrier: Floats, targets: Floats,
) -> None:  # fmt: skip
    """Fill `targets` (r, 2) with where spots are aimed at; tacks are shifted by `shifts` (k, 2) besides, in the frame
    of `carrier` (6,)."""
    count = len(places)
    aims, turns, sizes = np.empty((count, 2)), np.zeros(count), np.ones(count)
    for k in range(count):
        x, y = places[k]
        aims[k, 0], aims[k, 1] = x, y
        if base[k] >= 0:
            m = matrices[base[k]]
            aims[k, 0], aims[k, 1] = m[0] * x + m[2] * y + m[4], m[1] * x + m[3] * y + m[5]
            turns[k] = angles[base[k]]
            sizes[k] = math.sqrt(abs(m[0] * m[3] - m[1] * m[2]))
    based, based_turns, based_sizes = aims.copy(), turns.copy(), sizes.copy()
    for j in range(len(handles)):
        k, m = handles[j], matrices[bones[j]]
        x, y = places[k]
        aims[k, 0] += shares[j] * (m[0] * x + m[2] * y + m[4] - based[k, 0])
        aims[k, 1] += shares[j] * (m[1] * x + m[3] * y + m[5] - based[k, 1])
        turns[k] += shares[j] * (angles[bones[j]] - based_turns[k])
        sizes[k] += shares[j] * (math.sqrt(abs(m[0] * m[3] - m[1] * m[2])) - based_sizes[k])
    for k in range(count):
        aims[k, 0] += carrier[0] * shifts[k, 0] + carrier[2] * shifts[k, 1]
        aims[k, 1] += carrier[1] * shifts[k, 0] + carrier[3] * shifts[k, 1]
    for r in range(len(tack)):
        k = tack[r]
        x, y = rest[r, 0] - places[k, 0], rest[r, 1] - places[k, 1]
        targets[r, 0], targets[r, 1] = aims[k, 0], aims[k, 1]
        if carries[k] > 0:
            size = sizes[k] if carries[k] > 1 else 1.0
            cos, sin = size * math.cos(turns[k]), size * math.sin(turns[k])
            targets[r, 0] += cos * x - sin * y
            targets[r, 1] += sin * x + cos * y


@njit(cache=True, nogil=True)
def led(
    at: Ints, bones: Ints, tips: Floats, sign: Floats, share: Floats, glide: Floats, matrices: Floats, carrier: Floats,
    shares: Floats,
) -> None:  # fmt: skip
    """Fill in the `shares` of ties that leads divide, as bones lie in the frame of `carrier` (6,)."""
    size = math.hypot(carrier[0], carrier[1])
    for k in range(len(at)):
        along = np.empty(2)
        for b in range(2):
            m, (x, y) = matrices[bones[k, b]], tips[k, b]
            px, py = m[0] * x + m[2] * y + m[4] - x, m[1] * x + m[3] * y + m[5] - y
            along[b] = sign[k] * (px * carrier[0] + py * carrier[1]) / max(size, 1e-9)
        first = 1 / (1 + math.exp(-4 * min(max((along[0] - along[1]) / glide[k], -10.0), 10.0)))
        shares[at[k, 0]], shares[at[k, 1]] = share[k] * first, share[k] * (1 - first)


@njit(cache=True, nogil=True)
def off_by(
    at: Ints32, spots: Ints32, shares: Floats, vertices: Floats32, first: int, targets: Floats, seen: Floats
) -> float:
    """Fill `seen` (k, 2) with where spots lie on vertices from row `first` on, and tell how far the one furthest from
    its target (k, 2) is, px."""
    most = 0.0
    for k in range(len(targets)):
        x = y = 0.0
        for j in range(at[k], at[k + 1]):
            x += shares[j] * vertices[first + spots[j], 0]
            y += shares[j] * vertices[first + spots[j], 1]
        seen[k, 0], seen[k, 1] = x, y
        most = max(most, abs(targets[k, 0] - x), abs(targets[k, 1] - y))
    return most


@dataclass(frozen=True)
class Other:
    """Vertices of an extra net (from `start`) that lie on the part's mesh: the `corners` (n, 3) each lies between, with
    its shares (n, 3)."""

    start: int
    corners: Ints
    shares: Floats


@dataclass(frozen=True)
class Tacked:
    """The tacks of one part in an evaluation."""

    sheet: Tiers
    aims: Aims
    tacks: Spots
    first: int
    carrier: int
    block: slice
    others: tuple[Other, ...]
    reads: frozenset[str]
    writes: frozenset[str]

    def run(self, rig: RigState) -> None:
        matrix = rig.matrices[self.carrier] if self.carrier >= 0 else _STILL
        aims = self.aims
        targets, seen, shifts, before, holds = rig.buffer(self, lambda: self._views(rig))
        shares = aims.ties[2]
        if len(aims.leads.at):
            shares = rig.buffer(aims, shares.copy)
            lead = aims.leads
            led(lead.at, lead.bones, lead.tips, lead.sign, lead.share, lead.glide, rig.matrices, matrix, shares)
        aimed(aims.tack, aims.rest, aims.places, aims.base, aims.carries, *aims.ties[:2], shares, shifts, rig.matrices,
              rig.angles, matrix, targets)  # fmt: skip
        first, spots, tacks = self.block.start, self.sheet.spots, self.tacks
        off_by(tacks.starts, tacks.vertices, tacks.shares, rig.vertices, first, before, before)
        holds[:] = 0.0
        if off_by(spots.starts, spots.vertices, spots.shares, rig.vertices, first, targets, seen) < HELD:
            return
        drawn = rig.vertices[self.block].astype(np.float64)
        out = np.empty_like(drawn)
        self.sheet.settle(drawn, targets, out)
        after = tacks.seen(out)
        holds[:] = np.hypot(*(after - before).T)
        before[:] = after
        rig.vertices[self.block] = out
        for other in self.others:
            moves = (out - drawn)[other.corners]
            rig.vertices[other.start : other.start + len(moves)] += (other.shares[..., None] * moves).sum(1)

    def _views(self, rig: RigState) -> tuple[Floats, Floats, Floats, Floats, Floats]:
        """Room for where spots are aimed at and seen, and what of a state is of its tacks: shifts, places, px held."""
        mine, count = slice(self.first, self.first + len(self.aims.places)), len(self.aims.tack)
        shifts = rig.program.channels.seen(rig.values, "shift")[mine]
        return np.empty((count, 2)), np.empty((count, 2)), shifts, rig.handles[mine], rig.holds[mine]


_STILL = np.array(AS_IT_IS)


def tacked(build: Build, warp: Tacks, part: str, first: int) -> Tacked:
    """A node for the tacks of a part. Raises ValueError where its mesh has no triangles."""
    blocks, index = build.nets.blocks, build.skeleton.index
    own = blocks[part]
    rows = slice(own.start, own.start + own.count)
    triangles = (own.triangles - own.start).astype(np.int32)
    drawn, rest = (one[rows].astype(np.float64) for one in (build.nets.drawn, build.nets.rest))
    carrier = index[warp.bone] if warp.bone is not None else -1
    found = patches(np.array([one.place for one in warp.handles], np.float64), drawn, triangles)
    tacks = spots_of(found)
    held, owners = list[tuple[Ints, Floats]](), list[int]()
    for number, (tack, (vertices, shares)) in enumerate(zip(warp.handles, found, strict=True)):
        each = [(vertices, shares)]
        if tack.carries != "place":
            each = [(vertices[k : k + 1], np.ones(1)) for k in range(len(vertices))]
        held += each
        owners += [number] * len(each)
    spots = spots_of(held)
    stiff = stiffness_of(warp.stiff, drawn[triangles].mean(1)) if warp.stiff else None
    nets = [ref for ref, block in blocks.items() if block.part.id == part and ref != part]
    touched = frozenset(vertices_of(ref) for ref in (part, *nets))
    return Tacked(
        sheet=Tiers.of(rest, triangles, spots, stiff, warp.reach),
        aims=Aims(
            tack=np.array(owners, np.intp),
            rest=spots.seen(rest),
            places=tacks.seen(rest),
            base=np.array([-1 if one.still else carrier for one in warp.handles], np.intp),
            carries=np.array([CARRIES.index(one.carries) for one in warp.handles], np.intp),
            **ties_of(warp, build.skeleton),
        ),
        tacks=tacks,
        first=first,
        carrier=carrier,
        block=rows,
        others=tuple(_on(blocks[ref], build.nets.rest, rest, triangles) for ref in nets),
        reads=touched | gone_by(warp),
        writes=touched,
    )


def gone_by(warp: Warp) -> frozenset[str]:
    """What handles are posed, and the bones that they and what carries them go by, as nodes read it."""
    return frozenset({*map(channels_of, (one.id for one in warp.handles)), *map(matrix_of, refs(warp, "bone"))})


def tie_arrays(ties: list[tuple[int, int, float]]) -> tuple[Ints, Ints, Floats]:
    """Ties by handle, bone and share as arrays (k,)."""
    handles, bones, shares = ([one[k] for one in ties] for k in range(3))
    return np.array(handles, np.intp), np.array(bones, np.intp), np.array(shares, np.float64)


def ties_of(warp: Tacks, skeleton: Skeleton) -> dict[str, Any]:
    """What tacks are moved by: their ties and leads, for their `Aims`."""
    index = skeleton.index
    ties = [(k, index[tie.bone], tie.share) for k, one in enumerate(warp.handles) for tie in one.ties]
    led = [(k, one.lead) for k, one in enumerate(warp.handles) if one.lead is not None]
    bones = np.array([(index[lead.one], index[lead.other]) for _, lead in led], np.intp).reshape(-1, 2)
    first = len(ties)
    ties += [(k, bone, 0.0) for (k, _), pair in zip(led, bones, strict=True) for bone in pair]
    tips = skeleton.tips[bones]
    return {
        "ties": tie_arrays(ties),
        "leads": Leads(
            at=first + np.arange(2 * len(led), dtype=np.intp).reshape(-1, 2),
            bones=bones,
            tips=tips,
            sign=np.array([1.0 if lead.toward == "right" else -1.0 for _, lead in led]),
            share=np.array([lead.share for _, lead in led], np.float64),
            glide=GLIDE * np.hypot(*np.moveaxis(tips - skeleton.joints[bones], 2, 0)).mean(1).reshape(-1),
        ),
    }


def spots_of(found: list[tuple[Ints, Floats]]) -> Spots:
    """Spots by the vertices and shares of each."""
    starts = np.concatenate([[0], np.cumsum([len(one) for one, _ in found])])
    return Spots(
        starts.astype(np.int32),
        np.concatenate([one for one, _ in found]).astype(np.int32),
        np.concatenate([one for _, one in found]).astype(np.float64),
    )


def _on(block: Block, nets: Floats32, rest: Floats, triangles: NDArray[np.int32]) -> Other:
    """An extra net as it lies on a mesh (n, 2); what lies outside goes with the triangle next to it."""
    points = nets[block.start : block.start + block.count].astype(np.float64)
    corners, shares = spots_on(rest, triangles, points, NEXT_TO)
    shares = np.clip(shares, 0, None)
    return Other(block.start, corners.astype(np.intp), shares / shares.sum(1, keepdims=True))


def is_on(place: tuple[float, float], mesh: Floats, triangles: NDArray[np.int32]) -> bool:
    """Whether a place lies on a mesh (n, 2)."""
    _, shares = spots_on(mesh, triangles, np.array([place], np.float64))
    return bool(shares.min() >= -1e-9)


def with_ties_of(tack: Tack, source: Tack) -> Tack:
    """A tack with the settings of another: what it follows and what it carries."""
    return tack.model_copy(
        update={"ties": source.ties, "lead": source.lead, "still": source.still, "carries": source.carries}
    )
