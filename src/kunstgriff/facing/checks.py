"""What is wrong between the facings of a figure: joints that jump from one to the next, sizes that differ, what follows
nothing."""

from __future__ import annotations

import math
from collections.abc import Iterator

import numpy as np

from kunstgriff.facing.around import Seen, all_seen, expected
from kunstgriff.figure.findings import Finding, Remedy, meant
from kunstgriff.figure.model import Figure, Rigid, Unbound, Weighted
from kunstgriff.figure.stores import Stores

HEIGHT = 0.03  # of the figure's height by which a joint may lie higher or lower than on other facings
ASIDE = 0.05  # the same to the side; common practice, no source
SIZES = 0.12  # share by which a part may be taller or shorter than on other facings,
LARGE = 0.03  # as far as that is so much of the figure's height


def height_of(figure: Figure) -> float:
    """How tall a figure is, px, from its highest part to its lowest."""
    shown = [part for part in figure.parts if part.is_shown] or list(figure.parts)
    if not shown:
        return 1.0
    return max(
        max(part.drawing.place[1] + part.drawing.size[1] for part in shown)
        - min(part.drawing.place[1] for part in shown),
        1.0,
    )


def turnaround_findings(figure: Figure) -> list[Finding]:
    """What is wrong between the facings of a figure, worst first."""
    seen = all_seen(figure)
    if len(seen) < 2:
        return []
    found = [*_jumping_joints(figure, seen), *_differing_sizes(figure, seen), *_bound_otherwise(seen)]
    return sorted(found, key=lambda one: -one.weight)


def misplaced(figure: Figure, stores: Stores) -> Iterator[Finding]:
    """What is wrong between the facings of a figure."""
    yield from turnaround_findings(figure)


def _jumping_joints(figure: Figure, seen: list[Seen]) -> Iterator[Finding]:
    """The joint of each bone that lies otherwise on one facing than all others say; on which, is told by where the
    others agree best without it."""
    allowed = np.array([ASIDE, HEIGHT]) * height_of(figure)
    drawn = [one for one in seen if not one.mirrored]
    said = [expected(figure, one.facing.number, seen) for one in drawn]
    for row, bone in enumerate(figure.bones):
        found = []
        for one, (spots, spread) in zip(drawn, said, strict=True):
            there = next(each for each in one.figure.bones if each.id == bone.id)
            if bone.id in one.loans:
                continue
            off = np.nan_to_num(np.subtract(there.joint, spots[row, 0]))
            for axis, disagree in ((0, spread[row]), (1, 0.0)):
                times = abs(off[axis]) / allowed[axis]
                if times > 1 and disagree <= allowed[axis]:
                    found.append((disagree, -times, one.facing.number, axis, float(off[axis])))
        if not found:
            continue
        _, times, number, axis, by = min(found)
        key = f"facing-joint:{bone.id}:{number}"
        if key in figure.accepted:
            continue
        facing = next(one.facing for one in drawn if one.facing.number == number)
        how = ("further right", "lower")[axis] if by > 0 else ("further left", "higher")[axis]
        yield Finding(
            key=key,
            stage="controls",
            sentence=f"The joint of “{bone.name}” lies {abs(by):.0f} px {how} on “{facing.name}” than the others say.",
            weight=min(0.3 - 0.1 * times, 0.9),
            bones=(bone.id,),
            remedies=(
                Remedy(word="Line it up", edit={"kind": "line_up", "bones": [bone.id], "facing": number}),
                meant(key),
            ),
        )


def _differing_sizes(figure: Figure, seen: list[Seen]) -> Iterator[Finding]:
    drawn = [one for one in seen if not one.mirrored]
    for part in figure.parts:
        tall = {
            column: there.drawing.size[1]
            for column, one in enumerate(drawn)
            if part.id not in one.loans and (there := one.figure.part(part.id)) is not None and there.is_shown
        }
        if len(tall) < 2:
            continue
        others = {one: float(np.median([tall[each] for each in tall if each != one])) for one in tall}
        column = max(reversed(tall), key=lambda one: round(abs(math.log(tall[one] / others[one])), 6))
        size, usual = tall[column], others[column]
        facing = drawn[column].facing
        share = size / usual - 1
        key = f"facing-size:{part.id}:{facing.number}"
        if abs(share) <= SIZES or abs(size - usual) < LARGE * height_of(figure) or key in figure.accepted:
            continue
        word = "taller" if share > 0 else "shorter"
        yield Finding(
            key=key,
            stage="controls",
            sentence=f"“{part.name}” is {abs(share):.0%} {word} on the facing “{facing.name}” than on the others.",
            weight=0.2,
            parts=(part.id,),
            remedies=(meant(key),),
        )


def _bound_otherwise(seen: list[Seen]) -> Iterator[Finding]:
    """Parts that follow something on one facing and nothing on another where they have a drawing of their own."""
    drawn = [one for one in seen if not one.mirrored]
    for part in drawn[0].figure.parts:
        bound = None
        for one in drawn:
            there = one.figure.part(part.id)
            if there is not None and isinstance(there.binding, Rigid | Weighted):
                bound = one
                break
        if bound is None:
            continue
        for one in drawn:
            there = one.figure.part(part.id)
            if there is None or not there.is_shown or not isinstance(there.binding, Unbound) or there.binding.stays:
                continue
            key = f"facing-bound:{part.id}:{one.facing.number}"
            if key in one.figure.accepted:
                continue
            yield Finding(
                key=key,
                stage="binding",
                sentence=f"“{part.name}” follows nothing on “{one.facing.name}”, but it does on “{bound.facing.name}”.",
                weight=0.5,
                parts=(part.id,),
                remedies=(
                    Remedy(
                        word=f"Bind it as on “{bound.facing.name}”",
                        edit={
                            "kind": "in_facing",
                            "facing": one.facing.number,
                            "edit": {"kind": "bind_as_on", "parts": [part.id], "facing": bound.facing.number},
                        },
                    ),
                    meant(key),
                ),
            )
