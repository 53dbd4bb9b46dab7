"""What a new pose leaves as it was, so that an evaluation works out only the rest.

What nodes read and write has names. Each block of vertices depends on the bones, channels and blocks that the nodes
which write it read; all that happens to a block happens again when any of these has changed, since nodes change its
vertices where they lie. The result is that of an evaluation from the beginning, number for number.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence, Sized
from dataclasses import dataclass
from typing import TYPE_CHECKING, Protocol, runtime_checkable

import numpy as np
from numba import njit
from numpy.typing import NDArray

from kunstgriff.figure.channels import parted

if TYPE_CHECKING:
    from kunstgriff.evaluate.program import Node, RigProgram

Floats = NDArray[np.float64]
Ints32 = NDArray[np.int32]
Bools = NDArray[np.bool_]

TURN = "turn"  # of the bones, held within their limits
MATRICES = "matrices"  # and all else that forward kinematics fills, of all bones


def matrix_of(bone: str) -> str:
    """What forward kinematics fills of one bone."""
    return f"matrix {bone}"


def channels_of(ref: str) -> str:
    """What a handle, a part or a group is posed by itself."""
    return f"channels {ref}"


def vertices_of(ref: str) -> str:
    """What a node reads or writes that has to do with a part's vertices, or an extra net's: as it is deformed."""
    return f"vertices {ref}"


def placed_of(ref: str) -> str:
    """The same as it is seen: posed by itself on top of what it follows."""
    return f"placed {ref}"


@runtime_checkable
class ByBlock(Protocol):
    """A node that shapes many blocks, each by itself: what it reads for each. It heeds what is stale on its own."""

    @property
    def by_block(self) -> Mapping[str, frozenset[str]]: ...


def starts_of(rows: Iterable[Sized]) -> Ints32:
    """Where each of some rows begins when they are laid one after another, and where the last ends (n + 1,)."""
    return np.cumsum([0, *map(len, rows)]).astype(np.int32)


@dataclass(frozen=True)
class Lists:
    """Numbers listed for each of some rows, one row after another: row k has those from `starts[k]` (n + 1) on."""

    starts: Ints32
    numbers: Ints32

    @classmethod
    def of(cls, rows: Sequence[Iterable[int]]) -> Lists:
        """Those of some rows, each in order."""
        listed = [sorted(row) for row in rows]
        return cls(starts_of(listed), np.array([number for row in listed for number in row], np.int32))


@dataclass(frozen=True)
class Dependence:
    """Which blocks each bone, each channel and each block takes along. Nodes that write no vertices come `before` it is
    looked for what is stale; those `after` each run where the block of their number is stale, or always (-1)."""

    by_bone: Lists
    by_channel: Lists
    by_block: Lists
    before: tuple[Node, ...]
    after: tuple[tuple[Node, int], ...]

    @classmethod
    def of(cls, program: RigProgram) -> Dependence:
        """That of a program. Raises TypeError where bones are posed after vertices that go by them."""
        blocks = {ref: block.number for ref, block in program.blocks.items()}
        written = {name(ref): number for ref, number in blocks.items() for name in (vertices_of, placed_of)}
        reads = [set[str]() for _ in blocks]
        along = [set[int]() for _ in blocks]  # what is stale with each
        nodes = list[tuple["Node", int]]()
        for node in program.nodes:
            if isinstance(node, ByBlock):
                for ref, read in node.by_block.items():
                    reads[blocks[ref]] |= read
                nodes.append((node, -1))
                continue
            shaped = sorted({written[name] for name in node.writes if name in written})
            for number in shaped:  # all it shapes is stale together
                reads[number] |= node.reads
                along[shaped[0]].add(number)
                along[number].add(shaped[0])
            nodes.append((node, shaped[0] if shaped else -1))
        takes_along = _taken(reads, along, written)
        of_bone, of_channel = [set[int]() for _ in program.bone_index], [set[int]() for _ in program.channels.rest]
        named = _named(program, of_bone, of_channel)
        for number, names in enumerate(reads):
            for name in names:
                for row in named.get(name, ()):
                    row.add(number)
        first = next(
            (k for k, (node, number) in enumerate(nodes) if number >= 0 or isinstance(node, ByBlock)), len(nodes)
        )
        before = tuple(node for node, _ in nodes[:first])
        if any(MATRICES in node.writes for node, _ in nodes[first:]):
            raise TypeError("Bones are posed by a node that comes after vertices were.")
        return cls(Lists.of(of_bone), Lists.of(of_channel), Lists.of(takes_along), before, tuple(nodes[first:]))


def _taken(reads: Sequence[set[str]], along: Sequence[set[int]], written: Mapping[str, int]) -> list[set[int]]:
    """All blocks that each block takes along when it is stale, itself among them."""
    for number, names in enumerate(reads):
        for name in names:
            other = written.get(name, number)
            along[other].add(number)
            if name.startswith("vertices "):  # it is read as it was before it was placed, so it is worked out as well
                along[number].add(other)
    found = []
    for number in range(len(reads)):
        taken, ahead = {number}, [number]
        while ahead:
            new = along[ahead.pop()] - taken
            taken |= new
            ahead += new
        found.append(taken)
    return found


def _named(program: RigProgram, bones: list[set[int]], channels: list[set[int]]) -> dict[str, list[set[int]]]:
    """The sets of bones and of channels, in their order, by the names under which nodes read them."""
    named = {MATRICES: bones, **{matrix_of(bone): [bones[row]] for bone, row in program.bone_index.items()}}
    for address, place in program.channels.index.items():
        named.setdefault(channels_of(parted(address)[0]), []).append(channels[place])
    return named


@njit(cache=True, nogil=True)
def compared(
    matrices: Floats, angles: Floats, stretch: Floats, values: Floats, bones: Floats, channels: Floats,
    bone_starts: Ints32, of_bone: Ints32, channel_starts: Ints32, of_channel: Ints32, block_starts: Ints32,
    of_block: Ints32, stale: Bools,
) -> None:  # fmt: skip
    """Mark the blocks of bones (n, 9) and channels (k,) that are not as they were seen, and all that those take along.
    What was seen is as it is now then."""
    for row in range(len(angles)):
        same = angles[row] == bones[row, 8]
        bones[row, 8] = angles[row]
        for k in range(8):
            now = matrices[row, k] if k < 6 else stretch[row, k - 6]
            same = same and now == bones[row, k]
            bones[row, k] = now
        if not same:
            for at in range(bone_starts[row], bone_starts[row + 1]):
                stale[of_bone[at]] = True
    for place in range(len(values)):
        if values[place] != channels[place]:
            channels[place] = values[place]
            for at in range(channel_starts[place], channel_starts[place + 1]):
                stale[of_channel[at]] = True
    known = stale.copy()
    for block in range(len(stale)):
        if known[block]:
            for at in range(block_starts[block], block_starts[block + 1]):
                stale[of_block[at]] = True


class Watch:
    """What a state's last evaluation went by, and which blocks are `stale` (blocks,) in this one."""

    def __init__(self, dependence: Dependence) -> None:
        self.dependence = dependence
        self.bones = np.zeros((len(dependence.by_bone.starts) - 1, 9))
        self.channels = np.zeros(len(dependence.by_channel.starts) - 1)
        self.stale: Bools = np.ones(len(dependence.by_block.starts) - 1, np.bool_)
        self.stretched = self.whole = False  # whether any bone was stretched; whether all was worked out to the end

    def look(
        self, matrices: Floats, angles: Floats, stretch: Floats, values: Floats, stretched: bool, held: int
    ) -> None:
        """Mark what is stale in a pose of bones with `matrices` (n, 6), `angles` (n,) and `stretch` (n, 2) and of
        channels (k,). A block that is `held`, by its number, always is. Where any bone begins or ceases to be stretched
        all are: others are blended in another way then."""
        on, stale = self.dependence, self.stale
        stale[:] = not self.whole or stretched != self.stretched
        self.whole, self.stretched = False, stretched
        if 0 <= held < len(stale):
            stale[held] = True
        compared(
            matrices, angles, stretch, values, self.bones, self.channels, on.by_bone.starts, on.by_bone.numbers,
            on.by_channel.starts, on.by_channel.numbers, on.by_block.starts, on.by_block.numbers, stale,
        )  # fmt: skip
