"""The rig: a figure sorted once into flat arrays, ready to be evaluated many times.

Stages take part through two registries: a `@geometry` turns a part's binding into vertices, a `@step` does one thing
per frame, a `@drawing` adds items to the draw list and a `@dressing` changes those that are
there. Nothing here knows which stages there are.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property, lru_cache
from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray

from kunstgriff.evaluate.items import DrawItem
from kunstgriff.evaluate.posing import Posed
from kunstgriff.evaluate.switching import Reading, Rule, Switchboard, ordering, share_of
from kunstgriff.figure.model import Bone, Figure, Part
from kunstgriff.figure.pose import Pose
from kunstgriff.figure.stores import Stores
from kunstgriff.figure.treatments import Switch

Floats32 = NDArray[np.float32]
Ints32 = NDArray[np.int32]


@dataclass(frozen=True)
class Geometry:
    """A part's vertices as bound: `vertices` (n, 2) figure space, `triangles` (m, 3), `bones` (n, 4) indices into the
    rig's bones with `weights` (n, 4), strongest first; -1 bones at weight 0 mean standing still. `uv` (n, 2) are
    picture coordinates in [0, 1], those of the vertices' own places unless given; `rigidity` (n,) is the share of
    rigid blending, none unless given."""

    vertices: Floats32
    triangles: Ints32
    bones: Ints32
    weights: Floats32
    uv: Floats32 | None = None
    rigidity: Floats32 | None = None


@dataclass(frozen=True)
class Block:
    """Where a part's vertices lie in the packed buffer."""

    part: Part
    start: int
    count: int
    triangles: Ints32


@dataclass
class Frame:
    """One evaluated moment. Arrays belong to the rig and are overwritten by its next evaluation.

    `matrices` (bones, 6) take rest to posed as x' = a x + c y + e, y' = b x + d y + f in the order a b c d e f;
    `vertices` (n, 2) float32 figure space; `items` is the draw list, back to front; `amounts` (k,) tells how far each
    switch of the rig is on.
    """

    matrices: NDArray[np.float64]
    vertices: Floats32
    items: tuple[DrawItem, ...]
    amounts: Floats32

    def opacity(self, item: DrawItem) -> float:
        """How opaque an item is now: its own opacity by all its switches."""
        return item.opacity * self.share(item.switches)

    def share(self, switches: tuple[int, ...]) -> float:
        """How far all of these switches are on together, in [0, 1]."""
        return share_of(switches, self.amounts)


def turned_by(rig: Rig, bone: Bone, matrices: NDArray[np.float64]) -> float:
    """How far a bone is really turned against its parent, degrees clockwise: soft limits take some of a turn."""
    turns = [
        math.atan2(*matrices[rig.bone_index[ref], [1, 0]]) if ref is not None else 0.0 for ref in (bone.id, bone.parent)
    ]
    return math.degrees(math.remainder(turns[0] - turns[1], 2 * math.pi))


class Step(Protocol):
    """One stage's share of an evaluation; it reads and writes the rig's buffers and allocates nothing big."""

    def run(self, rig: Rig) -> None: ...


StepMaker = Callable[["Rig", Figure, Stores], Step | None]
Geometrist = Callable[[Figure, Part, dict[str, int], Stores], Geometry]
Drawn = tuple[float, DrawItem, Ints32]
Drawer = Callable[["Rig", Figure, Stores], Iterable[Drawn]]
Dresser = Callable[["Rig", Figure, Stores, list[Drawn]], list[Drawn]]
Annex = Callable[[Figure, dict[str, int], Stores], Iterable[tuple[str, Part, Geometry]]]

_steps: list[tuple[int, StepMaker]] = []
_geometries: dict[str, Geometrist] = {}
_drawings: list[Drawer] = []
_dressings: list[tuple[int, Dresser]] = []
_annexes: list[Annex] = []


def step(order: int) -> Callable[[StepMaker], StepMaker]:
    """Register a step of evaluation. Orders: levers 10, keys 20, limits 25, forward kinematics 30, reaches 40,
    plants 60, springs 70, correctives 80, skinning 90, smoothing 95, warps 100, riders 110."""

    def register(maker: StepMaker) -> StepMaker:
        _steps.append((order, maker))
        _steps.sort(key=lambda entry: entry[0])
        return maker

    return register


def geometry(kind: str) -> Callable[[Geometrist], Geometrist]:
    """Register how a kind of binding becomes vertices."""

    def register(maker: Geometrist) -> Geometrist:
        _geometries[kind] = maker
        return maker

    return register


def drawing(drawer: Drawer) -> Drawer:
    """Register a source of draw items; each comes with its depth (a part's own is its index) and triangles."""
    _drawings.append(drawer)
    return drawer


def dressing(order: int) -> Callable[[Dresser], Dresser]:
    """Register a change to what is drawn: all entries in, all entries out. Orders: openings 10, trims 20, clips 30,
    stand-ins 40."""

    def register(dresser: Dresser) -> Dresser:
        _dressings.append((order, dresser))
        _dressings.sort(key=lambda entry: entry[0])
        return dresser

    return register


def annex(maker: Annex) -> Annex:
    """Register vertices that are no part's own: each with a reference, the part it goes with and its geometry."""
    _annexes.append(maker)
    return maker


@dataclass
class Rig:
    """Flat arrays of a figure. `channels` hold the pose being evaluated, of which `turn` (degrees), `move` (px) and
    `stretch` (along, across) are those of bones, by bone index; forward kinematics fills `matrices`, `angles`, `turns`,
    `motors` and `stretches`."""

    figure: Figure
    bone_index: dict[str, int]
    parents: Ints32
    joints: NDArray[np.float64]
    tips: NDArray[np.float64]
    directions: NDArray[np.float64]
    channels: Posed
    turn: NDArray[np.float64]
    move: NDArray[np.float64]
    stretch: NDArray[np.float64]
    matrices: NDArray[np.float64]
    angles: NDArray[np.float64]
    turns: Floats32
    motors: Floats32
    stretches: Floats32
    blocks: dict[str, Block]
    rest: Floats32
    uv: Floats32
    bones: Ints32
    weights: Floats32
    rigidity: Floats32
    vertices: Floats32
    stretched: bool = False
    indices: Ints32 = field(default_factory=lambda: np.zeros(0, np.int32))
    items: tuple[DrawItem, ...] = ()
    board: Switchboard = field(default_factory=Switchboard)
    rules: list[Rule] = field(default_factory=list)
    pool: list[Ints32] = field(default_factory=list)
    steps: tuple[Step, ...] = ()

    def set_pose(self, pose: Pose) -> None:
        """Load a pose that names things by id; what it does not name is at rest."""
        self.channels.set(pose)

    def evaluate(self, pose: Pose | None = None) -> Frame:
        """Evaluate `pose`, or what is already in the channels."""
        if pose is not None:
            self.set_pose(pose)
        for one in self.steps:
            one.run(self)
        self.board.read(self.angles, self.stretch)
        items = self._listed(self.order()) if self.rules else self.items
        return Frame(self.matrices, self.vertices, items, self.board.amounts)

    def order(self, amounts: Floats32 | None = None) -> tuple[int, ...]:
        """The numbers of the items as they are painted, back to front: in the pose last evaluated, or with switches on
        by other `amounts` (k,)."""
        return self._ordered(self.board.amounts if amounts is None else amounts)

    @cached_property
    def _ordered(self) -> Callable[[Floats32], tuple[int, ...]]:
        return ordering([item.anchor for item in self.items], self.rules)

    @cached_property
    def _listed(self) -> Callable[[tuple[int, ...]], tuple[DrawItem, ...]]:
        return lru_cache(maxsize=64)(lambda order: tuple(self.items[k] for k in order))

    def switched(self, switch: Switch | None, until: bool = False) -> tuple[int, ...]:
        """The number of a switch, as the switches of an item; none where it is always on."""
        if switch is None:
            return ()
        bone = self.bone_index[switch.bone]
        return (self.board.add(Reading(bone, int(self.parents[bone]), switch, until)),)

    def pooled(self, item: DrawItem, faces: Ints32) -> DrawItem:
        """The item with its triangles (m, 3) laid into the rig's."""
        first = sum(one.size for one in self.pool)
        self.pool.append(faces.reshape(-1))
        return replace(item, first=first, count=faces.size)


def compile_rig(figure: Figure, stores: Stores) -> Rig:
    """Sort a figure into a rig. Raises Missing when a store lacks an array."""
    bone_index = {bone.id: number for number, bone in enumerate(figure.bones)}
    shaped = [(p.id, p, _geometries[p.binding.kind](figure, p, bone_index, stores)) for p in figure.parts]
    shaped += [one for maker in _annexes for one in maker(figure, bone_index, stores)]
    made = [(part, shape) for _, part, shape in shaped]
    blocks, start = {}, 0
    for ref, part, shape in shaped:
        blocks[ref] = Block(part, start, len(shape.vertices), shape.triangles + start)
        start += len(shape.vertices)
    count = len(figure.bones)
    rest = _floats([shape.vertices for _, shape in made], 2)
    uv = _floats(
        [
            (shape.vertices - np.array(part.place)) / np.array(part.size) if shape.uv is None else shape.uv
            for part, shape in made
        ],
        2,
    )
    joints = np.array([bone.joint for bone in figure.bones], np.float64).reshape(count, 2)
    tips = np.array([bone.tip for bone in figure.bones], np.float64).reshape(count, 2)
    rigidity = [
        shape.rigidity if shape.rigidity is not None else np.zeros(len(shape.vertices), np.float32) for _, shape in made
    ]
    channels = Posed.of(figure)
    rig = Rig(
        figure=figure,
        bone_index=bone_index,
        parents=np.array([bone_index[b.parent] if b.parent else -1 for b in figure.bones], np.int32),
        joints=joints,
        tips=tips,
        directions=np.arctan2(tips[:, 1] - joints[:, 1], tips[:, 0] - joints[:, 0]),
        channels=channels,
        turn=channels.arrays["turn"],
        move=channels.arrays["move"],
        stretch=channels.arrays["stretch"],
        matrices=np.tile(np.array([1.0, 0, 0, 1, 0, 0]), (max(count, 1), 1))[:count],
        angles=np.zeros(count),
        turns=np.zeros((max(count, 1), 4), np.float32),
        motors=np.zeros((max(count, 1), 4), np.float32),
        stretches=np.zeros((max(count, 1), 6), np.float32),
        blocks=blocks,
        rest=rest,
        uv=uv,
        bones=_floats([shape.bones for _, shape in made], 4).astype(np.int32),
        weights=_floats([shape.weights for _, shape in made], 4),
        rigidity=np.concatenate([np.zeros(0, np.float32), *rigidity]),
        vertices=rest.copy(),
    )
    drawn = sorted((entry for drawer in _drawings for entry in drawer(rig, figure, stores)), key=lambda entry: entry[0])
    for _, dresser in _dressings:
        drawn = dresser(rig, figure, stores, drawn)
    rig.items = tuple(rig.pooled(item, faces) for _, item, faces in drawn)
    rig.indices = np.concatenate(rig.pool).astype(np.int32) if rig.pool else rig.indices
    rig.board.read(rig.angles, rig.stretch)
    rig.steps = tuple(one for _, maker in _steps if (one := maker(rig, figure, stores)) is not None)
    return rig


def _floats(arrays: Sequence[NDArray[Any]], width: int) -> Floats32:
    """Arrays one under another, (n, width) float32."""
    return np.concatenate([np.zeros((0, width)), *arrays]).astype(np.float32)
