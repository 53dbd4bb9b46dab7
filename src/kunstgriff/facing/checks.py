"""What is wrong between the facings of a figure: joints that jump from one to the next, sizes that differ, what follows
nothing."""

from __future__ import annotations

import math
from collections.abc import Iterator

import numpy as np

from kunstgriff.facing.around import Floats, Seen, all_seen, expected
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
    return max(max(part.place[1] + part.size[1] for part in shown) - min(part.place[1] for part in shown), 1.0)


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
    """The joint of each bone where it is worst: where one facing has it otherwise than all others say."""
    tall = height_of(figure)
    allowed = np.array([ASIDE, HEIGHT]) * tall
    drawn = [one for one in seen if not one.mirrored]
    off = np.array([_off(figure, one, seen) for one in drawn])  # (facings, bones, 2)
    for row, bone in enumerate(figure.bones):
        times = np.nan_to_num(np.abs(off[:, row]) / allowed)
        column, axis = np.unravel_index(int(times.argmax()), times.shape)
        facing, by = drawn[column].facing, off[column, row, axis]
        key = f"facing-joint:{bone.id}:{facing.number}"
        if times[column, axis] <= 1 or key in figure.accepted:
            continue
        how = ("further right", "lower")[axis] if by > 0 else ("further left", "higher")[axis]
        yield Finding(
            key=key,
            stage="controls",
            sentence=f"The joint of “{bone.name}” lies {abs(by):.0f} px {how} on “{facing.name}” than the others say.",
            weight=float(min(0.3 + 0.1 * times[column, axis], 0.9)),
            bones=(bone.id,),
            remedies=(
                Remedy(word="Line it up", edit={"kind": "line_up", "bones": [bone.id], "facing": facing.number}),
                meant(key),
            ),
        )


def _off(figure: Figure, one: Seen, seen: list[Seen]) -> Floats:
    """How far each joint (bones, 2) px lies on one facing from where the others say; nan for one on loan there."""
    said = expected(figure, one.facing.number, seen)[:, 0]
    lies = [(np.nan, np.nan) if bone.id in one.loans else bone.joint for bone in one.figure.bones]
    return np.asarray(np.array(lies).reshape(-1, 2) - said)


def _differing_sizes(figure: Figure, seen: list[Seen]) -> Iterator[Finding]:
    drawn = [one for one in seen if not one.mirrored]
    for part in figure.parts:
        tall = {
            column: there.size[1]
            for column, one in enumerate(drawn)
            if part.id not in one.loans and (there := one.figure.part(part.id)) is not None and there.is_shown
        }
        if len(tall) < 2:
            continue
        usual = float(np.median(list(tall.values())))
        column, size = max(tall.items(), key=lambda item: abs(math.log(item[1] / usual)))
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
