"""The program of a figure: all that posing it needs, sorted once into flat arrays and never changed after.

Stages take part by what they bring: a `Geometry` for each kind of binding, `Extra` nets, `Nodes` that each do one thing
in an evaluation, `Drawer`s that add to the draw list and `DrawPass`es that change what is there. Nothing here knows
which stages there are. Nodes say what they read and write, and a figure's are put in order once for it.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property, lru_cache
from typing import TYPE_CHECKING, Any, Protocol

import numpy as np
from numpy.typing import NDArray

from kunstgriff.evaluate.items import DrawItem
from kunstgriff.evaluate.posing import Channels
from kunstgriff.evaluate.stale import Dependence
from kunstgriff.evaluate.switching import Board, BoneSwitch, Rule, SetSwitch, ordering, share_of
from kunstgriff.figure.model import Bone, Figure, Part
from kunstgriff.figure.schedule import scheduled
from kunstgriff.figure.sets import parts_of_drawing
from kunstgriff.figure.stage import Stages, of_stages, stages
from kunstgriff.figure.stores import Stores
from kunstgriff.figure.treatments import Switch

if TYPE_CHECKING:
    from kunstgriff.evaluate.state import RigState

Floats = NDArray[np.float64]
Floats32 = NDArray[np.float32]
Ints32 = NDArray[np.int32]


class Node(Protocol):
    """One thing to do in an evaluation. It changes the state's buffers only, and allocates nothing big.

    What it reads and writes has names (`evaluate.stale`). It goes by nothing else: where none of that has changed, what
    it did for the last pose stays as it is."""

    @property
    def reads(self) -> frozenset[str]: ...
    @property
    def writes(self) -> frozenset[str]: ...
    def run(self, rig: RigState) -> None: ...


@dataclass(frozen=True)
class Geometry:
    """A part's vertices as bound: `vertices` (n, 2) figure space, `triangles` (m, 3), `bones` (n, 4) indices into the
    figure's bones with `weights` (n, 4), strongest first; -1 bones at weight 0 mean standing still. `uv` (n, 2) are
    picture coordinates in [0, 1], those of the vertices' own places unless given; `rigidity` (n,) is the share of
    rigid blending, none unless given; `thins` (n,) how much each comes in where art thins (see `binding.girth`)."""

    vertices: Floats32
    triangles: Ints32
    bones: Ints32
    weights: Floats32
    uv: Floats32 | None = None
    rigidity: Floats32 | None = None
    thins: Floats32 | None = None


@dataclass(frozen=True)
class Block:
    """Where the vertices of a part, or of an extra net that goes with it, lie in the packed buffer: the `number` of the
    block, its first vertex and how many it has."""

    part: Part
    number: int
    start: int
    count: int
    triangles: Ints32


Drawn = tuple[float, DrawItem, Ints32]  # depth (a part's own is its index), what is drawn, its triangles


@dataclass(frozen=True)
class GeometryBuilder:
    """How a `kind` of binding becomes vertices."""

    kind: str
    build: Callable[[Figure, Part, dict[str, int], Stores], Geometry]


@dataclass(frozen=True)
class ExtraGeometry:
    """Vertices that are no part's own: each with a reference, the part it is of and its geometry."""

    build: Callable[[Figure, dict[str, int], Stores], Iterable[tuple[str, Part, Geometry]]]


@dataclass(frozen=True)
class RestShaper:
    """What reshapes vertices at rest before anything poses them: `run(figure, blocks, rest) -> rest` (n, 2)."""

    run: Callable[[Figure, dict[str, Block], Floats32], Floats32]


@dataclass(frozen=True)
class Controls:
    """What drives channels before anything goes by them: `make(figure, channels)` gives what does so in rows of values
    (r, k) in place, or nothing where a figure has none."""

    make: Callable[[Figure, Channels], Callable[[Floats], None] | None]


@dataclass(frozen=True)
class Nodes:
    """What a stage does in an evaluation of a figure."""

    make: Callable[[Build, Figure, Stores], Iterable[Node]]


@dataclass(frozen=True)
class Drawer:
    """A source of draw items."""

    draw: Callable[[Build, Figure, Stores], Iterable[Drawn]]


@dataclass(frozen=True)
class DrawPass:
    """A change to what is drawn: all entries in, all out. What it `reads` and `writes` says which come first."""

    run: Callable[[Build, Figure, Stores, list[Drawn]], list[Drawn]]
    reads: frozenset[str] = frozenset()
    writes: frozenset[str] = frozenset()


@of_stages
def _passes(there: Stages) -> tuple[DrawPass, ...]:
    order, circles = scheduled(there.all(DrawPass))
    if circles:
        raise TypeError("Changes to what is drawn wait for each other in a circle.")
    return order


@of_stages
def _builders(there: Stages) -> dict[str, GeometryBuilder]:
    return {one.kind: one for one in there.all(GeometryBuilder)}


@dataclass(frozen=True)
class Skeleton:
    """The bones of a figure at rest: `parents` (n,), `joints` and `tips` (n, 2) px, `directions` (n,) rad; `keeps` (n,)
    the share by which area is kept of those whose art is lengthened in its middle, -1 of those where it all is."""

    index: dict[str, int]
    parents: Ints32
    joints: Floats
    tips: Floats
    directions: Floats
    keeps: Floats

    @classmethod
    def of(cls, figure: Figure) -> Skeleton:
        index = {bone.id: number for number, bone in enumerate(figure.bones)}
        joints = np.array([bone.joint for bone in figure.bones], np.float64).reshape(-1, 2)
        tips = np.array([bone.tip for bone in figure.bones], np.float64).reshape(-1, 2)
        parents = np.array([index[one.parent] if one.parent else -1 for one in figure.bones], np.int32)
        directions = np.arctan2(tips[:, 1] - joints[:, 1], tips[:, 0] - joints[:, 0])
        lengthened = figure.lengthened
        keeps = np.array([lengthened.get(bone.id, -1.0) for bone in figure.bones], np.float64)
        return cls(index, parents, joints, tips, directions, keeps)

    @property
    def unstretched(self) -> Floats32:
        """What stretches art along each bone where none is (n, 13): see `binding.blending.lengthened`."""
        along = self.tips - self.joints
        lengths = np.hypot(*along.T)
        table = np.zeros((len(self.parents), 13))
        table[:, [0, 3, 12]] = 1.0
        table[:, 6:8], table[:, 8:10] = self.joints, along / np.maximum(lengths, 1e-9)[:, None]
        table[:, 10], table[:, 11] = lengths, np.where(lengths > 0, self.keeps, -1.0)
        return table.astype(np.float32)


@dataclass(frozen=True)
class Nets:
    """All vertices of a figure, one block after another, each from and to a row (`spans`, blocks × 2): `rest` (n, 2),
    perhaps reshaped from how they were `drawn` (n, 2), `uv` (n, 2), the `bones` they follow with their `weights`
    (n, 4), the share of rigid blending (n,), and how much it `thins` (n,)."""

    blocks: dict[str, Block]
    spans: Ints32
    rest: Floats32
    drawn: Floats32
    uv: Floats32
    bones: Ints32
    weights: Floats32
    rigidity: Floats32
    thins: Floats32

    @classmethod
    def of(cls, figure: Figure, bone_index: dict[str, int], stores: Stores) -> Nets:
        builders = _builders()
        shaped = [
            (part.id, part, builders[part.binding.kind].build(figure, part, bone_index, stores))
            for part in figure.parts
        ]
        shaped += [one for extra in stages().all(ExtraGeometry) for one in extra.build(figure, bone_index, stores)]
        blocks, start = dict[str, Block](), 0
        for ref, part, shape in shaped:
            blocks[ref] = Block(part, len(blocks), start, len(shape.vertices), shape.triangles + start)
            start += len(shape.vertices)
        uv = [
            (shape.vertices - np.array(part.drawing.place)) / np.array(part.drawing.size)
            if shape.uv is None
            else shape.uv
            for _, part, shape in shaped
        ]
        rigidity = [_or_all(shape.rigidity, 0.0, shape) for _, _, shape in shaped]
        thins = [_or_all(shape.thins, 1.0, shape) for _, _, shape in shaped]
        drawn = _floats([shape.vertices for _, _, shape in shaped], 2)
        rest = drawn
        for shaper in stages().all(RestShaper):
            rest = shaper.run(figure, blocks, rest)
        return cls(
            blocks=blocks,
            spans=np.array([(one.start, one.start + one.count) for one in blocks.values()], np.int32).reshape(-1, 2),
            rest=rest,
            drawn=drawn,
            uv=_floats(uv, 2),
            bones=_floats([shape.bones for _, _, shape in shaped], 4).astype(np.int32),
            weights=_floats([shape.weights for _, _, shape in shaped], 4),
            rigidity=np.concatenate([np.zeros(0, np.float32), *rigidity]),
            thins=np.concatenate([np.zeros(0, np.float32), *thins]),
        )


def _or_all(values: Floats32 | None, otherwise: float, shape: Geometry) -> Floats32:
    """A value for each vertex of a shape, all the same where it says none."""
    return np.full(len(shape.vertices), otherwise, np.float32) if values is None else values


@dataclass
class Build:
    """A program being made: what stages go by and add to."""

    figure: Figure
    skeleton: Skeleton
    nets: Nets
    readings: list[BoneSwitch | SetSwitch] = field(default_factory=list)
    rules: list[Rule] = field(default_factory=list)
    pool: list[Ints32] = field(default_factory=list)

    def switched(self, switch: Switch | None, until: bool = False) -> tuple[int, ...]:
        """The number of a switch, as the switches of an item; none where it is always on."""
        if switch is None:
            return ()
        bone = self.skeleton.index[switch.bone]
        return (self.number_of(BoneSwitch(bone, int(self.skeleton.parents[bone]), switch, until)),)

    def number_of(self, reading: BoneSwitch | SetSwitch) -> int:
        """The number of what is read; the same one is kept once."""
        if reading not in self.readings:
            self.readings.append(reading)
        return self.readings.index(reading)

    def pooled(self, item: DrawItem, faces: Ints32) -> DrawItem:
        """The item with its triangles (m, 3) laid into the program's."""
        first = sum(one.size for one in self.pool)
        self.pool.append(faces.reshape(-1))
        return replace(item, first=first, count=faces.size)


@dataclass(frozen=True)
class RigProgram:
    """A figure ready to be posed by any number of states at once (`evaluate.state`)."""

    figure: Figure
    skeleton: Skeleton
    nets: Nets
    channels: Channels
    indices: Ints32
    items: tuple[DrawItem, ...]
    board: Board
    rules: tuple[Rule, ...]
    nodes: tuple[Node, ...]
    controls: tuple[Callable[[Floats], None], ...]

    def drive(self, rows: Floats) -> None:
        """Let controls drive rows of values (r, k) of its channels, in place: what is posed becomes what is meant."""
        for control in self.controls:
            control(rows)

    @property
    def blocks(self) -> dict[str, Block]:
        return self.nets.blocks

    @property
    def rest(self) -> Floats32:
        return self.nets.rest

    @property
    def bone_index(self) -> dict[str, int]:
        return self.skeleton.index

    @cached_property
    def dependence(self) -> Dependence:
        """What each bone, channel and block takes along."""
        return Dependence.of(self)

    @cached_property
    def posable(self) -> frozenset[str]:
        """The ids of all that can be posed: bones, parts, groups, handles of warps."""
        return frozenset(self.figure.posed_ids)

    @cached_property
    def drawn(self) -> frozenset[str]:
        """The ids of what can be posed by itself: parts and groups."""
        return frozenset(self._ids)

    def order(self, amounts: Floats32, forward: Floats) -> tuple[int, ...]:
        """The numbers of the items as they are painted, back to front, with switches on by `amounts` (k,) and parts and
        groups so many steps `forward` (n,)."""
        order = self._ordered(amounts) if self.rules else self._as_listed
        for row in np.flatnonzero(forward):
            order = stepped_forward(self.items, order, self._moved(int(row)), int(forward[row]), amounts)
        return order

    def listed(self, order: tuple[int, ...]) -> tuple[DrawItem, ...]:
        """The items in an order."""
        return self.items if order is self._as_listed else self._listed(order)

    def faded(self, opacity: Floats) -> dict[str, float]:
        """Of parts and groups, posed to be so opaque (n,), those that are less than wholly so, by id."""
        return {self._ids[row]: max(float(opacity[row]), 0.0) for row in np.flatnonzero(opacity < 1.0)}

    @cached_property
    def _ids(self) -> tuple[str, ...]:
        return (*(one.id for one in self.figure.parts), *(one.id for one in self.figure.groups))

    def _moved(self, row: int) -> frozenset[str]:
        """The parts that are moved in the order with the part or group of a row."""
        return frozenset(one.id for one in parts_of_drawing(self.figure, self._ids[row]))

    @cached_property
    def _as_listed(self) -> tuple[int, ...]:
        return tuple(range(len(self.items)))

    @cached_property
    def _ordered(self) -> Callable[[Floats32], tuple[int, ...]]:
        return ordering([item.anchor for item in self.items], self.rules)

    @cached_property
    def _listed(self) -> Callable[[tuple[int, ...]], tuple[DrawItem, ...]]:
        return lru_cache(maxsize=64)(lambda order: tuple(self.items[k] for k in order))


def stepped_forward(
    items: Sequence[DrawItem], order: tuple[int, ...], parts: frozenset[str], steps: int, amounts: Floats32
) -> tuple[int, ...]:
    """The `order` with what is anchored at some parts, together, past so many other parts towards the front; parts of
    which nothing shows do not count."""
    moved = [number for number in order if items[number].anchor in parts]
    if not moved:
        return order
    left = [number for number in order if items[number].anchor not in parts]
    place = order.index(moved[0])  # all before it are left
    ahead = left[place:] if steps > 0 else left[:place][::-1]
    past, seen = 0, dict[str, None]()
    for number in ahead:
        item = items[number]
        if share_of(item.switches, amounts) > 0:
            seen.setdefault(item.anchor)
        if len(seen) > abs(steps):
            break
        past += 1
    place += past if steps > 0 else -past
    return (*left[:place], *moved, *left[place:])


def compile_program(figure: Figure, stores: Stores) -> RigProgram:
    """Sort a figure into its program. Raises Missing when a store lacks an array."""
    skeleton = Skeleton.of(figure)
    build = Build(figure, skeleton, Nets.of(figure, skeleton.index, stores))
    drawn = sorted(
        (entry for one in stages().all(Drawer) for entry in one.draw(build, figure, stores)), key=lambda entry: entry[0]
    )
    for draw_pass in _passes():
        drawn = draw_pass.run(build, figure, stores, drawn)
    items = tuple(build.pooled(item, faces) for _, item, faces in drawn)
    nodes, _ = scheduled([node for one in stages().all(Nodes) for node in one.make(build, figure, stores)])
    channels = Channels.of(figure)
    made = (one.make(figure, channels) for one in stages().all(Controls))
    return RigProgram(
        figure=figure,
        skeleton=skeleton,
        nets=build.nets,
        channels=channels,
        indices=np.concatenate(build.pool).astype(np.int32) if build.pool else np.zeros(0, np.int32),
        items=items,
        board=Board.of(build.readings),
        rules=tuple(build.rules),
        nodes=nodes,
        controls=tuple(one for one in made if one is not None),
    )


def turned_by(program: RigProgram, bone: Bone, matrices: Floats) -> float:
    """How far a bone is really turned against its parent, degrees clockwise: soft limits take some of a turn."""
    index = program.bone_index
    turns = [math.atan2(*matrices[index[ref], [1, 0]]) if ref is not None else 0.0 for ref in (bone.id, bone.parent)]
    return math.degrees(math.remainder(turns[0] - turns[1], 2 * math.pi))


def _floats(arrays: Sequence[NDArray[Any]], width: int) -> Floats32:
    """Arrays one under another, (n, width) float32."""
    return np.concatenate([np.zeros((0, width)), *arrays]).astype(np.float32)
