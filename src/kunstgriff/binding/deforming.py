"""The deformers of parts, in their order, after the parts follow their bones; extra nets have those of their part."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Any

from kunstgriff.evaluate.program import Build, Node
from kunstgriff.figure.model import Figure, Weighted
from kunstgriff.figure.stage import Stages, of_stages
from kunstgriff.figure.stores import Stores


@dataclass(frozen=True)
class DeformerNode:
    """How a `kind` of deformer becomes a node: `make(build, ref, deformer)` for one block of vertices."""

    kind: str
    make: Callable[[Build, str, Any], Node]


@of_stages
def _kinds(there: Stages) -> dict[str, DeformerNode]:
    return {one.kind: one for one in there.all(DeformerNode)}


def deformers(build: Build, figure: Figure, stores: Stores) -> Iterator[Node]:
    """A node for each deformer of each net of a part with a mesh; those of one net change it in their order."""
    for ref, block in build.nets.blocks.items():
        if isinstance(block.part.binding, Weighted):
            for deformer in block.part.deformers:
                yield _kinds()[deformer.kind].make(build, ref, deformer)
