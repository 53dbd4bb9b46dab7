"""What the pose turns on and off, or brings to the front, in what glTF can say.

glTF 2.0 has no masks, no visibility and one fixed order of meshes. So what is trimmed is covered instead by the fill it
is trimmed with; an item that other poses paint elsewhere is written once for each place; and whatever is not seen in
every pose hangs on bones of its own (`gltf_joints`) under a node that is scaled to nothing while it is off.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from difflib import SequenceMatcher
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kunstgriff.evaluate.items import DrawItem
from kunstgriff.evaluate.state import RigState
from kunstgriff.evaluate.switching import BoneSwitch, SetSwitch, share_of

HALF = 0.5  # how far a switch must be on for its item to be there: glTF shows a mesh wholly or not at all

Order = tuple[int, ...]  # numbers of the rig's items as they are painted, back to front


@dataclass(frozen=True)
class Entry:
    """One mesh: an `item` of the rig (its `number`) at one place among the others, for the `orders` that have it there.

    `always` tells that it is seen in every pose.
    """

    item: DrawItem
    number: int
    orders: frozenset[Order]
    always: bool

    def shown(self, order: Order, amounts: NDArray[np.float32]) -> bool:
        """Whether it is seen where items are painted in that order and switches are on by those `amounts` (k,)."""
        return order in self.orders and share_of(self.item.switches, amounts) >= HALF


def orders_of(rig: RigState, amounts: NDArray[np.float32], seen: Iterable[Order]) -> list[Order]:
    """Every order worth writing: that at rest, where switches are on by `amounts` (k,), first; those `seen`; and those
    each switch of an order by pose makes alone."""
    alone = []
    for switch in sorted({rule.switch for rule in rig.program.rules}):
        on = amounts.copy()
        on[switch] = 1
        alone.append(rig.order(on))
    return list(dict.fromkeys([rig.order(amounts), *seen, *alone]))


def entries_of(items: Sequence[DrawItem], orders: Sequence[Order]) -> list[Entry]:
    """The meshes to be written, back to front, so that each order is found among them.

    Clips and knockouts have no words in glTF and are left out; what they cut is written whole.
    """
    numbers: list[int] = []
    used: list[set[Order]] = []
    for order in orders:
        merged: list[int] = []
        merged_used: list[set[Order]] = []
        for _, start, stop, first, last in SequenceMatcher(None, numbers, order, autojunk=False).get_opcodes():
            same = numbers[start:stop] == list(order[first:last])
            merged += numbers[start:stop]
            merged_used += [one | {order} for one in used[start:stop]] if same else used[start:stop]
            if not same:
                merged += order[first:last]
                merged_used += [{order} for _ in order[first:last]]
        numbers, used = merged, merged_used
    entries = []
    for number, where in zip(numbers, used, strict=True):
        item = items[number]
        always = len(where) == len(orders) and not item.switches
        entries.append(Entry(item, number, frozenset(where), always))
        for mask in item.masks:
            if mask.out and all(one.variant == "ink-less" for one in mask.shapes):  # a trim, whether of ink or of all
                covers = (replace(one, tint=item.tint, switches=item.switches) for one in mask.shapes)
                entries += [Entry(cover, number, frozenset(where), always) for cover in covers]
    return entries


def told_of(rig: RigState, entry: Entry, rest: Order) -> dict[str, list[dict[str, Any]]]:
    """When an entry is seen, for whoever reads the file: `while` bones are turned (degrees) and stretched so far, and
    not once others are."""
    program = rig.program
    told: dict[str, list[dict[str, Any]]] = {"while": [], "until": []}

    def tell(number: int, where: str) -> None:
        reading = program.board.readings[number]
        if isinstance(reading, SetSwitch):
            group = next(one for one in program.figure.groups if one.id == reading.ref)
            told[where].append({"set": group.name, "drawing": reading.number})
            return
        one = reading.switch
        bone = program.figure.bones[reading.bone].name
        told[where].append({"bone": bone, "from": one.low, "to": one.high, "stretch": one.stretch or 1.0})

    for number in entry.item.switches:
        reading = program.board.readings[number]
        tell(number, "until" if isinstance(reading, BoneSwitch) and reading.until else "while")
    for number in sorted({rule.switch for rule in program.rules if rule.part == entry.item.anchor}):
        if rest not in entry.orders:
            tell(number, "while")
        elif not entry.always and not entry.item.switches:
            tell(number, "until")
    return told
