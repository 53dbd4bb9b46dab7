"""Findings of the Seams stage about what was laid down: orders that contradict, switches that never come on."""

from __future__ import annotations

from collections.abc import Iterator

from kunstgriff.evaluate.items import layers_around
from kunstgriff.figure.edit import need_bone, need_part
from kunstgriff.figure.findings import Finding, Remedy
from kunstgriff.figure.model import Figure
from kunstgriff.figure.stores import Stores
from kunstgriff.figure.treatments import Order, Switch, Treatment


def orders_agree(figure: Figure, stores: Stores) -> Iterator[Finding]:
    """Orders by pose that contradict one another, or cannot take effect."""
    orders: tuple[Order, ...] = figure.treated("order")
    for number, order in enumerate(orders):
        part, other = need_part(figure, order.part), need_part(figure, order.in_front_of)
        for rival in orders[number + 1 :]:
            if (rival.part, rival.in_front_of) == (order.in_front_of, order.part) and _both_on(
                order.switch, rival.switch
            ):
                yield _told(
                    f"{part.name} goes in front of {other.name} and {other.name} in front of {part.name} in one pose",
                    0.5, (order, rival),
                )  # fmt: skip
        if layers_around(figure, part.group) != layers_around(figure, other.group):
            yield _told(
                f"{part.name} and {other.name} lie in groups blended by themselves: no order by pose across them",
                0.45, (order,),
            )  # fmt: skip
    for treatment in figure.treatments:
        switch: Switch | None = getattr(treatment, "switch", None)
        if switch is not None and _never_on(figure, switch):
            bone = need_bone(figure, switch.bone)
            yield _told(
                f"The {treatment.kind.replace('_', ' ')} from {switch.low:.0f}° of {bone.name} never comes on: "
                f"its limits end before",
                0.3, (treatment,),
            )  # fmt: skip


def _both_on(one: Switch, other: Switch) -> bool:
    """Whether two switches can be on in one pose."""
    return one.bone != other.bone or max(one.low, other.low) < min(one.high, other.high)


def _never_on(figure: Figure, switch: Switch) -> bool:
    limits = need_bone(figure, switch.bone).limits
    return limits is not None and (switch.low >= limits.high or switch.high <= limits.low)


def _told(sentence: str, weight: float, treatments: tuple[Treatment, ...]) -> Finding:
    key = "treatments:" + ":".join(one.id for one in treatments)
    remedies = [
        Remedy(word="Take it off" if len(treatments) == 1 else f"Take the {word} one off",
               edit={"kind": "lift_treatment", "treatment": one.id})
        for one, word in zip(treatments, ("first", "second"), strict=False)
    ]  # fmt: skip
    return Finding(
        key=key, stage="seams", sentence=sentence, weight=weight, remedies=tuple(remedies),
        parts=tuple(sorted({ref for one in treatments for ref in one.used_parts})),
        bones=tuple(sorted({ref for one in treatments for ref in one.used_bones})),
    )  # fmt: skip
