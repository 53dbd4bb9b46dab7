"""The joints of a glTF file: bones, one for each rider, one that stands still; and their motion.

A bone that gets longer or wider has a node of its own for that below its joint, turned along it: what follows the bone
follows that node, and bones that hang on it take on neither its stretch nor a shear from it.

Whatever is not always seen has a skeleton of its own with the joints it needs, under a node whose scale turns it on and
off: where that is nothing, all its joints and so all its vertices lie in one point.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, field

import numpy as np
import pygltflib as gl
from numpy.typing import NDArray

from kunstgriff.delivery.gltf_build import Builder
from kunstgriff.evaluate.state import RigState
from kunstgriff.figure.model import Figure, Rider
from kunstgriff.skeleton.kinematics import posed

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class Skeleton:
    """Joints by number and the `nodes` (theirs) they became, in the order of the `skin`; `root` is the node above.
    `grown` are those nodes of joints that are stretched."""

    nodes: dict[int, int]
    grown: dict[int, int]
    skin: int
    root: int

    def places(self, numbers: NDArray[np.int64]) -> NDArray[np.int64]:
        """Places among the skin's joints of joints given by number."""
        place = np.zeros(max(self.nodes) + 1, np.int64)
        place[list(self.nodes)] = np.arange(len(self.nodes))
        return np.asarray(place[numbers])


@dataclass
class Joints:
    """Every joint by number: bones first, then one for each rider, then one that stands still (`still`).

    `rest` (n, 2) px is where they are at rest, `parents` (n,) their parents, -1 for none; `along` (bones,) rad where
    bones point; `stretched` are those joints that ever are; `skeletons` what was made of them, the one that is always
    seen first.
    """

    names: Sequence[str]
    rest: Floats
    parents: NDArray[np.int64]
    riders: dict[str, int]
    along: Floats
    stretched: list[int] = field(default_factory=list)
    skeletons: list[Skeleton] = field(default_factory=list)

    @property
    def still(self) -> int:
        return len(self.rest) - 1

    def above(self, numbers: Iterable[int]) -> list[int]:
        """Some joints and all those above them, parents first."""
        found: set[int] = set()
        for number in numbers:
            while number >= 0 and number not in found:
                found.add(number)
                number = int(self.parents[number])
        return sorted(found)

    def lay(self, build: Builder, numbers: Sequence[int], root: int) -> Skeleton:
        """Make nodes of some joints, with all those above them, under the node `root`, and a skin of them."""
        nodes: dict[int, int] = {}
        for number in numbers:
            parent = int(self.parents[number])
            x, y = self.rest[number] - (self.rest[parent] if parent >= 0 else 0)
            node = gl.Node(name=self.names[number], translation=[float(x), float(-y), 0.0], children=[])
            nodes[number] = build.node(node, nodes[parent] if parent >= 0 else root)
        grown, ways = dict[int, int](), np.zeros(len(nodes))
        for place, number in enumerate(nodes):
            if number in self.stretched:
                ways[place] = -self.along[number]  # y up turns the sense round
                turn = [0.0, 0.0, float(np.sin(ways[place] / 2)), float(np.cos(ways[place] / 2))]
                node = gl.Node(name=f"{self.names[number]} along", rotation=turn, scale=[1.0] * 3, children=[])
                grown[number] = build.node(node, nodes[number])
        x, y = self.rest[list(nodes)].T * ((1.0,), (-1.0,))
        c, s = np.cos(ways), np.sin(ways)
        inverse = np.tile(np.eye(4), (len(nodes), 1, 1))  # columns lie one after another in memory
        inverse[:, 0, 0], inverse[:, 0, 1], inverse[:, 1, 0], inverse[:, 1, 1] = c, -s, s, c
        inverse[:, 3, 0], inverse[:, 3, 1] = -c * x - s * y, s * x - c * y
        build.gltf.skins.append(
            gl.Skin(
                joints=[grown.get(number, node) for number, node in nodes.items()],
                inverseBindMatrices=build.accessor(inverse.reshape(-1, 16).astype("<f4"), gl.MAT4),
                skeleton=root,
            )
        )
        self.skeletons.append(Skeleton(nodes, grown, len(build.gltf.skins) - 1, root))
        return self.skeletons[-1]

    def world(self, rig: RigState, matrices: Floats) -> tuple[Floats, Floats]:
        """Where each joint is in figure space and how far it is turned (rad), riders read off their posed corners."""
        count = len(matrices)
        places, angles = self.rest.copy(), np.zeros(len(self.rest))
        places[:count] = posed(rig.program.skeleton.joints, matrices)
        angles[:count] = rig.angles
        for ref, joint in self.riders.items():
            start = rig.program.blocks[ref].start
            rest = rig.program.rest[start : start + 2].astype(np.float64)
            now = rig.vertices[start : start + 2].astype(np.float64)
            (ux, uy), (vx, vy) = rest[1] - rest[0], now[1] - now[0]
            angle = np.arctan2(ux * vy - uy * vx, ux * vx + uy * vy)
            dx, dy = self.rest[joint] - rest[0]
            c, s = np.cos(angle), np.sin(angle)
            places[joint] = now[0] + (c * dx - s * dy, s * dx + c * dy)
            angles[joint] = angle
        return places, angles

    def motions(self, places: Floats, angles: Floats) -> Iterator[tuple[int, Floats | None, Floats | None]]:
        """Of each joint the turn (frames, 4) as a quaternion and the place (frames, 3) relative to its parent, None for
        what does not change; by its `places` (frames, n, 2) and `angles` (frames, n) in figure space."""
        zero = np.zeros(len(places))
        for joint, parent in enumerate(self.parents):
            turn, offset = angles[:, joint], places[:, joint]
            if parent >= 0:
                turn, offset = turn - angles[:, parent], offset - places[:, parent]
                c, s = np.cos(angles[:, parent]), np.sin(angles[:, parent])
                offset = np.stack([c * offset[:, 0] + s * offset[:, 1], c * offset[:, 1] - s * offset[:, 0]], 1)
            half = -np.unwrap(turn) / 2  # y up turns the sense round
            turns = np.ptp(turn) > 1e-9 or abs(turn[0]) > 1e-9
            moves = np.ptp(offset, 0).max() > 1e-6
            yield (
                joint,
                np.stack([zero, zero, np.sin(half), np.cos(half)], 1) if turns else None,
                np.stack([offset[:, 0], -offset[:, 1], zero], 1) if moves else None,
            )


def joints_of(rig: RigState, figure: Figure) -> Joints:
    """The joints a figure needs in glTF."""
    riders = [(part, part.binding) for part in figure.parts if isinstance(part.binding, Rider)]
    spots = np.array([binding.spot for _, binding in riders]).reshape(-1, 2)
    rest = np.concatenate([rig.program.skeleton.joints, spots, np.zeros((1, 2))])
    parents = np.concatenate([rig.program.skeleton.parents, np.full(len(riders) + 1, -1)]).astype(np.int64)
    names = [bone.name for bone in figure.bones] + [f"{part.name} rides" for part, _ in riders] + ["still"]
    numbers = {part.id: len(figure.bones) + n for n, (part, _) in enumerate(riders)}
    return Joints(names, rest, parents, numbers, rig.program.skeleton.directions)
