"""Joints that no treatment hides, told to whoever draws: what is seen, and how the two ends would have to be drawn."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from kunstgriff.artwork.sheet import Progress, no_progress
from kunstgriff.figure.edit import EditRefused
from kunstgriff.figure.findings import Finding
from kunstgriff.figure.model import Bone, Figure
from kunstgriff.figure.stores import Stores
from kunstgriff.paint.painter import Painter
from kunstgriff.reading.proposing import QUICK, propose
from kunstgriff.reading.seams import joints_with_seams, read_seam, sentence_of
from kunstgriff.reading.sentences import weight_of
from kunstgriff.seam.cap import needs_cap, round_end
from kunstgriff.seam.joints import melts_at, need_meeting

ALIKE = 0.85  # of the wider end's width from which two ends are drawn alike; common practice, no source


def unhidden(figure: Figure, stores: Stores, painter: Painter, progress: Progress = no_progress) -> Iterator[Finding]:
    """One finding for each joint of one limb that shows however it is treated."""
    bones = [bone for bone in joints_with_seams(figure, stores) if melts_at(figure, bone, stores)]
    for number, bone in enumerate(bones):
        progress(number, len(bones), "looking for what no treatment hides")
        seam = read_seam(figure, stores, bone, painter, QUICK)
        if seam.worst is None:
            continue
        try:
            found = propose(figure, stores, bone, painter, QUICK, every=False).chosen
        except EditRefused:
            continue
        if found.seam is None or found.seam.worst is None:
            continue  # treated as proposed nothing would show
        pair = need_meeting(figure, bone, stores)
        miss, how = found.seam.worst, "; ".join(faults(figure, bone, stores))
        yield Finding(
            key=f"unhidden {bone.id}",
            stage="seams",
            sentence=f"{sentence_of(found.seam, miss)}, however it is treated: {how}",
            weight=weight_of(miss.times),
            parts=tuple(part.id for part in pair),
            bones=(bone.id,),
            angle=miss.angle,
        )


def faults(figure: Figure, bone: Bone, stores: Stores) -> list[str]:
    """How two ends at a bone's joint would have to be drawn to look like one limb as it turns."""
    pair = need_meeting(figure, bone, stores)
    ends = [round_end(part, bone, stores) for part in pair]
    told = []
    for part, end in zip(pair, ends, strict=True):
        if needs_cap(part, bone, stores):
            x, y = np.add(np.add(end.middle, part.drawing.place), figure.sheet.standing_point)
            told.append(f"draw the end of {part.name} round about ({x:.0f}, {y:.0f}), {end.half:.0f} px to its edge")
    (narrow, thin), (wide, thick) = sorted(
        ((part, end) for part, end in zip(pair, ends, strict=True)), key=lambda one: one[1].half
    )
    if thin.half < ALIKE * thick.half:
        told.append(
            f"{wide.name} is {2 * thick.half:.0f} px wide there and {narrow.name} {2 * thin.half:.0f}: draw them alike"
        )
    return told or ["look at it turned so far, and draw what is seen there on the part behind"]
