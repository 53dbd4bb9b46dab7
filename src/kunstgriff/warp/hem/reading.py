"""A hem read: what shows through it, what opens in it, how it jumps, what moves that should not, how its cloth lies.

Everything is read off the figure as it is posed: the outlines of panels and legs are carried by their meshes, and areas
are those of polygons. A leg, as far as it follows the thighs, shows through where it is above the line of the hem and
under no panel; a wedge is what two panels leave open above the line between their nearest corners.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry import LineString, Polygon
from shapely.geometry.base import BaseGeometry

from kunstgriff.artwork.outline import part_outline
from kunstgriff.binding.mesh import spots_on
from kunstgriff.binding.triangles import signed_areas
from kunstgriff.control.taking_over import plain_poses
from kunstgriff.evaluate.frame import Frame
from kunstgriff.evaluate.program import Node, RigProgram, compile_program
from kunstgriff.evaluate.state import RigState
from kunstgriff.figure.channels import addressed
from kunstgriff.figure.edit import EditRefused, need_bone
from kunstgriff.figure.hems import Hem
from kunstgriff.figure.model import Bone, Figure
from kunstgriff.figure.pose import Pose
from kunstgriff.figure.stores import Stores
from kunstgriff.warp.hem.laying import CORNERS, HEMS, WAISTS, Shares, drawings_of, tacks_with
from kunstgriff.warp.tack_edits import tacks_of
from kunstgriff.warp.tacks import NEXT_TO, Tacked, gone_by, ties_of

STEPS = 13  # turns of each thigh that a hem is read over
WIDEST = 60.0  # degrees of a thigh without limits
SIMPLE = 1.0  # px that an outline may be off
OPEN = 30.0  # px² from which a wedge or a leg is told of

READINGS = ("leg", "wedge", "waist", "folded", "least", "greatest")

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class HemReading:
    """A hem in one pose: px² of leg that shows through, px² of wedge, px that its waist moves off its pelvis, triangles
    folded over, least and greatest stretch of its cloth, and where its corners and knees lie (k, 2)."""

    leg: float
    wedge: float
    waist: float
    folded: int
    least: float
    greatest: float
    corners: Floats
    knees: Floats


@dataclass(frozen=True)
class _Outline:
    """The outline of a part's art, ring by ring, between the corners of triangles of its mesh."""

    rings: tuple[int, ...]
    corners: NDArray[np.int32]
    shares: Floats

    def seen(self, vertices: Floats) -> BaseGeometry:
        spots = (self.shares[..., None] * vertices[self.corners]).sum(1)
        rings = np.split(spots, np.cumsum(self.rings)[:-1])
        return shapely.union_all([shapely.make_valid(Polygon(ring)) for ring in rings])


# where the handles of a panel begin, the numbers of its hem's tacks from left to right, the rows of its waist
_Panel = tuple[int, list[int], NDArray[np.intp]]


class HemReader:
    """Reads a hem in any pose; compiled once. Raises EditRefused where its tacks are gone."""

    def __init__(self, figure: Figure, hem: Hem, stores: Stores) -> None:
        self.figure, self.hem, self.poses = figure, hem, plain_poses(figure, stores)
        thighs, cloth = {hem.near, hem.far}, {ref: drawings_of(figure, ref) for ref in hem.panels}
        panels = {ref for refs in cloth.values() for ref in refs}
        drawn = (part for part in figure.parts if part.is_shown and part.id not in panels)
        self.legs = tuple(part.id for part in drawn if thighs & {*part.followed})
        needed = {*panels, *self.legs}
        small = figure.by_bones.without([part.id for part in figure.parts if part.id not in needed])
        self.small = small.replace(treatments=(), springs=(), colliders=(), wind=None, hems=())
        self.program = compile_program(self.small, stores)
        self.rig = RigState(self.program)
        self.outlines = {ref: _outline(self.program, ref, stores) for ref in needed}
        self.cloth = [{ref: self._panel(ref) for ref in refs} for refs in cloth.values()]
        self.near, self.far = (need_bone(figure, ref) for ref in (hem.near, hem.far))
        rest = self.rig.evaluate(Pose()).vertices.astype(np.float64)
        self.reach = shapely.union_all([self.outlines[ref].seen(rest) for ref in hem.panels]).bounds
        self.maps = {ref: _maps(rest[self.program.blocks[ref].triangles]) for ref in panels}

    def _panel(self, ref: str) -> _Panel:
        """A drawing of a panel."""
        warp = tacks_of(self.small, ref)
        names = [tack.name for tack in warp.handles] if warp is not None else []
        wanted = [f"{HEMS} {corner}" for corner in CORNERS]
        if warp is None or not {*wanted, f"{WAISTS} left"} <= {*names}:
            raise EditRefused(f"The tacks of “{self.hem.name}” are gone or have other names; lay the hem anew.")
        first = 0
        for one in self.small.warps:
            if one.id == warp.id:
                break
            first += len(one.handles)
        block = self.program.blocks[ref]
        rows = np.arange(block.start, block.start + block.count)
        line = warp.handles[names.index(f"{WAISTS} left")].place[1]
        return first, [first + names.index(name) for name in wanted], rows[self.program.rest[rows, 1] <= line]

    def with_shares(self, shares: Shares) -> HemReader:
        """The same reader of the hem with other shares, without compiling it anew."""
        nodes: list[Node] = []
        for node in self.program.nodes:
            if isinstance(node, Tacked):
                panel, ref = next(
                    (panel, ref)
                    for panel, drawings in zip(self.hem.panels, self.cloth, strict=True)
                    for ref, (first, _, _) in drawings.items()
                    if first == node.first
                )
                warp = tacks_of(self.small, ref)
                assert warp is not None
                after = tacks_with(warp, self.hem, panel, shares)
                aims = replace(node.aims, **ties_of(after, self.program.skeleton))
                node = replace(node, aims=aims, reads=node.reads | gone_by(after))
            nodes.append(node)
        other = object.__new__(HemReader)
        other.__dict__.update(self.__dict__)
        other.program = replace(self.program, nodes=tuple(nodes))
        other.rig = RigState(other.program)
        return other

    def read(self, pose: Pose) -> HemReading:
        """The hem in a pose."""
        frame = self.rig.evaluate(pose.restricted_to(self.program.posable))
        vertices = frame.vertices.astype(np.float64)
        refs = [self._shown(frame, drawings) for drawings in self.cloth]
        panels = [drawings[ref] for ref, drawings in zip(refs, self.cloth, strict=True)]
        cloth = shapely.union_all([self.outlines[ref].seen(vertices) for ref in refs])
        corners = np.array([frame.handles[numbers] for _, numbers, _ in panels])
        legs = shapely.union_all([self.outlines[ref].seen(vertices) for ref in self.legs])
        stretches, folded = [], 0
        for ref in refs:
            block = self.program.blocks[ref]
            areas = signed_areas(vertices, block.triangles)
            folded += int((areas * signed_areas(self.program.rest, block.triangles) < 0).sum())
            stretches.append(_stretches(self.maps[ref], vertices[block.triangles]))
        found = np.concatenate(stretches)
        index = self.program.bone_index
        pelvis = frame.matrices[index[self.hem.pelvis]]
        waist = 0.0
        for _, _, rows in panels:
            there = self.program.rest[rows] @ pelvis[:4].reshape(2, 2) + pelvis[4:]
            waist = max(waist, float(np.hypot(*(vertices[rows] - there).T).max(initial=0.0)))
        knees = [
            np.array(bone.tip) @ frame.matrices[index[bone.id]][:4].reshape(2, 2) + frame.matrices[index[bone.id]][4:]
            for bone in (self.near, self.far)
        ]
        return HemReading(
            leg=_shown(legs, cloth, corners, self.reach, _waist(panels, frame.handles)),
            wedge=_wedge(cloth, corners),
            waist=waist,
            folded=folded,
            least=float(found.min()),
            greatest=float(found.max()),
            corners=corners.reshape(-1, 2),
            knees=np.array(knees),
        )

    def _shown(self, frame: Frame, drawings: Mapping[str, _Panel]) -> str:
        """Which of the drawings of a panel shows."""
        if len(drawings) == 1:
            return next(iter(drawings))
        shown = {item.part for item in frame.items if item.part in drawings and frame.share(item.switches) > 0.5}
        return next(ref for ref in drawings if ref in shown)

    def row(self, near: float, far: Floats) -> tuple[HemReading, ...]:
        """The near thigh at one turn, the far one at each of its (n,), degrees."""
        return tuple(self.read(self.pose(near, float(other))) for other in far)

    def kept(self) -> dict[str, HemReading]:
        """The hem in the kept poses, by name."""
        return {name: self.read(pose) for name, pose in self.poses.items()}

    def turns(self, steps: int = STEPS, inner: float = 1.0) -> tuple[Floats, Floats]:
        """The turns (steps,) of the near and the far thigh a hem is read at, degrees; the `inner` share of them."""
        (a, b), (c, d) = _limits(self.near), _limits(self.far)
        return np.linspace(inner * a, inner * b, steps), np.linspace(inner * c, inner * d, steps)

    def pose(self, near: float, far: float) -> Pose:
        """Both thighs turned, degrees; all else at rest."""
        return Pose(channels={addressed(self.near.id, "turn"): near, addressed(self.far.id, "turn"): far})


@dataclass(frozen=True)
class HemReport:
    """A hem over its whole grid: the turns (n,) of both thighs, its readings row by row (a row for each turn of the
    near one), those in the kept poses by name, and the hem's jump: px that a corner moves for a px of a knee, at most.
    """

    near: Floats
    far: Floats
    grid: tuple[tuple[HemReading, ...], ...]
    kept: dict[str, HemReading]

    def table(self, name: str) -> Floats:
        """One reading over the grid (n, n)."""
        return np.array([[float(getattr(one, name)) for one in row] for row in self.grid])

    @property
    def jump(self) -> float:
        corners = np.array([[one.corners for one in row] for row in self.grid])
        knees = np.array([[one.knees for one in row] for row in self.grid])
        most = 0.0
        for axis in (0, 1):
            moved = np.hypot(*np.moveaxis(np.diff(corners, axis=axis), -1, 0)).max(-1)
            turned = np.hypot(*np.moveaxis(np.diff(knees, axis=axis), -1, 0)).max(-1)
            most = max(most, float((moved / np.maximum(turned, 1e-6)).max()))
        return most

    def rows(self, name: str) -> Iterator[dict[str, float | str]]:
        """Each reading of the grid by name, with the turns it was read at."""
        for near, row in zip(self.near, self.grid, strict=True):
            for far, one in zip(self.far, row, strict=True):
                told: dict[str, float | str] = {"hem": name, "near": round(float(near), 2), "far": round(float(far), 2)}
                yield told | {key: round(float(getattr(one, key)), 3) for key in READINGS}

    def sentences(self, name: str) -> Iterator[str]:
        """Where the hem breaks, in words, with the pose."""
        apart = np.abs(self.near[:, None] - self.far[None])
        for reading, words in (("wedge", "a wedge of {:.0f} px² opens"), ("leg", "{:.0f} px² of leg show")):
            table = self.table(reading)
            if (table > OPEN).any():
                at = np.where(table > OPEN, apart, np.inf).argmin()
                first = table.ravel()[at]
                yield (
                    f"{name}: from {apart.ravel()[at]:.0f}° apart {words.format(first)}, at most "
                    f"{table.max():.0f} px² ({_turned(self, int(table.argmax()))})"
                )
        folded = self.table("folded")
        if folded.any():
            yield f"{name}: {int(folded.max())} triangles fold over ({_turned(self, int(folded.argmax()))})"
        for kept, one in self.kept.items():
            if one.wedge > OPEN or one.leg > OPEN:
                yield f"{name}: {one.wedge:.0f} px² of wedge and {one.leg:.0f} px² of leg in the pose “{kept}”"


def _turned(report: HemReport, at: int) -> str:
    row, column = divmod(at, len(report.far))
    return f"thighs at {report.near[row]:.0f}° and {report.far[column]:.0f}°"


def read_hem(
    reader: HemReader, steps: int = STEPS, going_on: Callable[[float], bool] = lambda done: True
) -> HemReport | None:
    """A hem read over its whole grid and in the kept poses; `going_on` is told what share is done, and None comes of it
    where that says no."""
    near, far = reader.turns(steps)
    grid = []
    for number, turn in enumerate(near):
        grid.append(reader.row(float(turn), far))
        if not going_on((number + 1) / steps):
            return None
    return HemReport(near, far, tuple(grid), reader.kept())


def _waist(panels: Sequence[_Panel], handles: Floats) -> float:
    """The height at which the waist lies, px."""
    return float(max(handles[first : first + 3, 1].max() for first, _, _ in panels))


def _limits(bone: Bone) -> tuple[float, float]:
    if bone.limits is None:
        return -WIDEST, WIDEST
    return max(bone.limits.low, -90.0), min(bone.limits.high, 90.0)


def _outline(program: RigProgram, ref: str, stores: Stores) -> _Outline:
    block = program.blocks[ref]
    art = part_outline(block.part, stores).simplify(SIMPLE)
    rings = [np.array(piece.exterior.coords)[:-1] for piece in shapely.get_parts(art) if piece.area > 0]
    spots = np.concatenate(rings) + block.part.drawing.place
    rest = program.rest.astype(np.float64)
    corners, shares = spots_on(rest, block.triangles, spots, NEXT_TO)
    return _Outline(tuple(len(ring) for ring in rings), corners, shares)


def _maps(corners: Floats) -> Floats:
    """The inverse (m, 2, 2) of the edges of triangles (m, 3, 2) at rest."""
    edges = np.stack([corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]], -1)
    return np.asarray(np.linalg.pinv(edges))


def _stretches(inverse: Floats, corners: Floats) -> Floats:
    """The singular values (m, 2) of the maps of triangles (m, 3, 2) from their rest."""
    edges = np.stack([corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]], -1)
    found = edges @ inverse
    a, b, c, d = found[:, 0, 0], found[:, 0, 1], found[:, 1, 0], found[:, 1, 1]
    total, apart = np.hypot(a + d, c - b), np.hypot(a - d, b + c)
    return np.column_stack([np.abs(total - apart) / 2, (total + apart) / 2])


def _shown(legs: BaseGeometry, cloth: BaseGeometry, corners: Floats, reach: tuple[float, ...], waist: float) -> float:
    """px² of legs above the line of the hem that no panel is over."""
    line = corners.reshape(-1, 2)
    line = line[np.argsort(line[:, 0])]
    wide = reach[2] - reach[0]
    ends = [(line[0, 0] - wide, line[0, 1]), *line.tolist(), (line[-1, 0] + wide, line[-1, 1])]
    above = shapely.make_valid(Polygon([*ends, (ends[-1][0], waist), (ends[0][0], waist)]))
    return float(legs.difference(cloth).intersection(above).area)


def _wedge(cloth: BaseGeometry, corners: Floats) -> float:
    """px² that two panels (2, 3, 2) leave open above the line between their nearest corners."""
    if len(corners) < 2:
        return 0.0
    first, second = sorted(corners, key=lambda one: float(one[1, 0]))
    if first[2, 0] >= second[0, 0]:
        return 0.0  # they still overlap
    closed = shapely.union_all([cloth, LineString([first[2], second[0]]).buffer(0.5)])
    return float(sum(Polygon(ring).area for piece in shapely.get_parts(closed) for ring in piece.interiors))
