"""Seams that miss, told as findings: a sentence with its number, and the ways to mend it."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from kunstgriff.figure.findings import Finding, Remedy, meant
from kunstgriff.figure.model import Figure, Part
from kunstgriff.reading.seams import Miss, Seam, miss_key, sentence_of
from kunstgriff.seam.joints import back_and_front

LEAST, MOST = 0.4, 0.7  # weights of findings: a seam just beyond what is tolerated, and one far beyond
FAR = 10.0  # times what is tolerated from which a seam is far beyond it
WORDS = {"cover": "Lay a cover", "trim": "Trim it", "gusset": "Lay a gusset"}


def weight_of(times: float) -> float:
    """The weight of a finding about what is so many times what is tolerated."""
    return LEAST + (MOST - LEAST) * min(times / FAR, 1.0)


def seam_findings(figure: Figure, seams: Iterable[tuple[Seam, tuple[Part, Part]]]) -> Iterator[Finding]:
    """One finding for the worst miss of each seam; each seam comes with the two parts that meet there.

    Where a seam comes more than once (with others turned as well), the same kind of miss is told once, where it is
    worst.
    """
    worst: dict[str, Finding] = {}
    for seam, pair in seams:
        if seam.worst is not None:
            found = _finding(figure, seam, seam.worst, pair)
            if found.key not in worst or found.weight > worst[found.key].weight:
                worst[found.key] = found
    yield from worst.values()


def _finding(figure: Figure, seam: Seam, miss: Miss, pair: tuple[Part, Part]) -> Finding:
    key = miss_key(seam.bone, miss.kind, pair)
    remedies = [
        Remedy(word=word, edit={"kind": "treat_joints", "joints": [{"bone": seam.bone, "treatment": one}]})
        for one, word in WORDS.items()
        if seam.melts and one not in seam.treated
    ]
    behind, front = back_and_front(figure, *pair)
    if miss.kind == "gap":
        by = round(seam.radius, 1)
        grow = {"kind": "grow_under", "part": behind.id, "neighbour": front.id, "by": by}
        remedies.insert(0, Remedy(word=f"Grow {behind.name} underneath", edit=grow))
    if miss.kind == "jump":
        remedies = [
            Remedy(word="Draw the piece anew", edit={"kind": "make_stand_in", **one.switch.model_dump()})
            if one.made
            else Remedy(word="Take the piece off", edit={"kind": "lift_treatment", "treatment": one.id})
            for one in figure.treated("stand_in")
            if one.switch.bone == seam.bone
        ]
    accept = meant(key)
    return Finding(
        key=key,
        stage="seams",
        sentence=sentence_of(seam, miss),
        weight=weight_of(miss.times),
        parts=(behind.id, front.id),
        bones=(seam.bone,),
        angle=miss.angle,
        remedies=(*remedies[:2], accept),
    )
