"""A glTF document being put together: nodes, accessors, and one binary chunk behind them (Khronos glTF 2.0)."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

import numpy as np
import pygltflib as gl
from numpy.typing import NDArray


@dataclass
class Builder:
    """Collects buffer views into one binary chunk."""

    gltf: gl.GLTF2 = field(default_factory=gl.GLTF2)
    chunk: bytearray = field(default_factory=bytearray)
    names: set[str] = field(default_factory=set)

    def view(self, data: bytes, target: int | None = None) -> int:
        self.chunk += bytes(-len(self.chunk) % 4)
        self.gltf.bufferViews.append(
            gl.BufferView(buffer=0, byteOffset=len(self.chunk), byteLength=len(data), target=target)
        )
        self.chunk += data
        return len(self.gltf.bufferViews) - 1

    def accessor(self, array: NDArray[Any], kind: str, target: int | None = None, bounds: bool = False) -> int:
        component = {"f4": gl.FLOAT, "u2": gl.UNSIGNED_SHORT, "u4": gl.UNSIGNED_INT}[array.dtype.str[1:]]
        accessor = gl.Accessor(
            bufferView=self.view(np.ascontiguousarray(array).tobytes(), target),
            componentType=component,
            count=len(array),
            type=kind,
        )
        if bounds:
            table = array.reshape(len(array), -1)
            accessor.min, accessor.max = table.min(0).tolist(), table.max(0).tolist()
        self.gltf.accessors.append(accessor)
        return len(self.gltf.accessors) - 1

    def node(self, node: gl.Node, parent: int | None = None) -> int:
        """The number of a node laid into the document, under its parent where it has one; its name is made its own.

        Readers that tell nodes by name number those of one name themselves, and run into others: scarf_tail_2.
        """
        names = (node.name, *(f"{node.name} ({number})" for number in range(2, len(self.names) + 3)))
        node.name = next(name for name in names if name not in self.names)
        self.names.add(node.name)
        self.gltf.nodes.append(node)
        number = len(self.gltf.nodes) - 1
        if parent is not None:
            self.gltf.nodes[parent].children.append(number)
        return number


@dataclass
class Animated:
    """An animation being put together: every channel shares its `times`, the number of an accessor."""

    build: Builder
    animation: gl.Animation
    times: int

    def sampler(self, values: NDArray[np.float64], steps: bool = False) -> int:
        """A sampler of values (frames, k); between frames they are blended, unless it `steps`."""
        kind = {1: gl.SCALAR, 3: gl.VEC3, 4: gl.VEC4}[values.shape[1]]
        output = self.build.accessor(values.astype("<f4"), kind)
        interpolation = "STEP" if steps else "LINEAR"
        self.animation.samplers.append(
            gl.AnimationSampler(input=self.times, output=output, interpolation=interpolation)
        )
        return len(self.animation.samplers) - 1

    def drive(self, node: int, path: str, sampler: int) -> None:
        target = gl.AnimationChannelTarget(node=node, path=path)
        self.animation.channels.append(gl.AnimationChannel(sampler=sampler, target=target))
