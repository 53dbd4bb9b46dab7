"""What a bend of one drawn piece misses, in sentences: the readings of a joint held against what is tolerated."""

from __future__ import annotations

from collections.abc import Iterable

from kunstgriff.figure.model import Bone, Figure
from kunstgriff.figure.stores import Stores
from kunstgriff.paint.painter import Painter
from kunstgriff.reading.joint import JointReader, JointReading

WIDTH = 0.92  # of the width at rest that a bend must keep; common practice, no source


def bend_misses(
    figure: Figure, stores: Stores, bone: Bone, painter: Painter, angles: Iterable[float]
) -> dict[float, str]:
    """What a bend misses at each of some angles (degrees), in a sentence; angles at which all is well are left out.

    Raises EditRefused where nothing bends at that joint.
    """
    reader = JointReader(figure, stores, bone, painter)
    told = {}
    for reading, _ in reader.read(angles):
        if (sentence := sentence_of_bend(bone, reading)) is not None:
            told[reading.angle] = sentence
    return told


def sentence_of_bend(bone: Bone, reading: JointReading) -> str | None:
    """What is wrong with a bend, worst first; None where nothing is."""
    if reading.width_kept < WIDTH:
        return f"{bone.name} keeps {reading.width_kept:.0%} of its width at {reading.angle:.0f}°"
    return None
