"""The rig: a figure sorted once into flat arrays, ready to be evaluated many times.

Stages take part through two registries: a `@geometry` turns a part's binding into vertices, a `@step` does one thing
per frame, and a `@drawing` adds items to the draw list. Nothing here knows which stages there are.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, field, replace
from typing import Any, Literal, Protocol

import numpy as np
from numpy.typing import NDArray

from kunstgriff.artwork.looks import shares_of
from kunstgriff.evaluate.pose import Pose
from kunstgriff.figure.edit import group_path
from kunstgriff.figure.model import Figure, Part
from kunstgriff.figure.stores import Stores

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


@dataclass(frozen=True)
class DrawItem:
    """One thing to paint: triangles `first` to `first + count` (in indices) of the rig, with a picture.

    `layers` are the groups painted by themselves it lies in, outermost first; `tint` is straight colour and share.
    """

    id: str
    part: str
    picture: str
    variant: Literal["full", "ink-less"]
    opacity: float
    blend: str = "normal"
    tint: tuple[float, float, float, float] = (0.0, 0.0, 0.0, 0.0)
    layers: tuple[str, ...] = ()
    first: int = 0
    count: int = 0


def item_of(figure: Figure, part: Part, **changes: Any) -> DrawItem:
    """The draw item of a part as it is, or with some fields changed (a cover's picture, another's place)."""
    item = DrawItem(
        id=part.id,
        part=part.id,
        picture=part.strip.picture if part.strip else part.picture,
        variant="full",
        opacity=part.opacity,
        blend=part.blend,
        tint=shares_of(part.tint),
        layers=layers_around(figure, part.group),
    )
    return replace(item, **changes)


def layers_around(figure: Figure, group: str | None) -> tuple[str, ...]:
    """The groups around that are painted by themselves first, outermost first."""
    plain = {one.id for one in figure.groups if one.is_plain}
    return tuple(ref for ref in group_path(figure, group) if ref not in plain)


@dataclass
class Frame:
    """One evaluated moment. Arrays belong to the rig and are overwritten by its next evaluation.

    `matrices` (bones, 6) take rest to posed as x' = a x + c y + e, y' = b x + d y + f in the order a b c d e f;
    `vertices` (n, 2) float32 figure space; `items` is the draw list, back to front.
    """

    matrices: NDArray[np.float64]
    vertices: Floats32
    items: tuple[DrawItem, ...]


class Step(Protocol):
    """One stage's share of an evaluation; it reads and writes the rig's buffers and allocates nothing big."""

    def run(self, rig: Rig) -> None: ...


StepMaker = Callable[["Rig", Figure, Stores], Step | None]
Geometrist = Callable[[Figure, Part, dict[str, int], Stores], Geometry]
Drawer = Callable[["Rig", Figure, Stores], Iterable[tuple[float, DrawItem, Ints32]]]

_steps: list[tuple[int, StepMaker]] = []
_geometries: dict[str, Geometrist] = {}
_drawings: list[Drawer] = []


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


@dataclass
class Rig:
    """Flat arrays of a figure. `turn` (degrees), `move` (px) and `stretch` (along, across) are the pose being
    evaluated, by bone index; forward kinematics fills `matrices`, `angles`, `turns`, `motors` and `stretches`."""

    figure: Figure
    bone_index: dict[str, int]
    parents: Ints32
    joints: NDArray[np.float64]
    tips: NDArray[np.float64]
    directions: NDArray[np.float64]
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
    steps: tuple[Step, ...] = ()

    def set_pose(self, pose: Pose) -> None:
        """Load a pose that names bones by id; bones not named are at rest."""
        self.turn[:] = 0.0
        self.move[:] = 0.0
        self.stretch[:] = 1.0
        for ref, degrees in pose.turn.items():
            self.turn[self.bone_index[ref]] = degrees
        for ref, offset in pose.move.items():
            self.move[self.bone_index[ref]] = offset
        for ref, (along, across) in pose.stretch.items():
            self.stretch[self.bone_index[ref]] = along, across

    def evaluate(self, pose: Pose | None = None) -> Frame:
        """Evaluate `pose`, or what is already in `turn` and `move`."""
        if pose is not None:
            self.set_pose(pose)
        for one in self.steps:
            one.run(self)
        return Frame(self.matrices, self.vertices, self.items)


def compile_rig(figure: Figure, stores: Stores) -> Rig:
    """Sort a figure into a rig. Raises Missing when a store lacks an array."""
    bone_index = {bone.id: number for number, bone in enumerate(figure.bones)}
    made = [(part, _geometries[part.binding.kind](figure, part, bone_index, stores)) for part in figure.parts]
    blocks, start = {}, 0
    for part, shape in made:
        blocks[part.id] = Block(part, start, len(shape.vertices), shape.triangles + start)
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
    rig = Rig(
        figure=figure,
        bone_index=bone_index,
        parents=np.array([bone_index[b.parent] if b.parent else -1 for b in figure.bones], np.int32),
        joints=joints,
        tips=tips,
        directions=np.arctan2(tips[:, 1] - joints[:, 1], tips[:, 0] - joints[:, 0]),
        turn=np.zeros(count),
        move=np.zeros((count, 2)),
        stretch=np.ones((count, 2)),
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
    items, triangles, first = [], [], 0
    for _, item, faces in drawn:
        items.append(replace(item, first=first, count=faces.size))
        triangles.append(faces.reshape(-1))
        first += faces.size
    rig.items = tuple(items)
    rig.indices = np.concatenate(triangles).astype(np.int32) if triangles else rig.indices
    rig.steps = tuple(one for _, maker in _steps if (one := maker(rig, figure, stores)) is not None)
    return rig


def _floats(arrays: Sequence[NDArray[Any]], width: int) -> Floats32:
    """Arrays one under another, (n, width) float32."""
    return np.concatenate([np.zeros((0, width)), *arrays]).astype(np.float32)
