"""What a bend of one drawn piece misses, in sentences: the readings of a joint held against what is tolerated."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from kunstgriff.figure.model import Bone, Figure, Weighted
from kunstgriff.figure.stores import Stores
from kunstgriff.paint.painter import Painter
from kunstgriff.reading.joint import JointReader, JointReading
from kunstgriff.reading.silhouette import tolerated

WIDTH = 0.95  # of the ideal width that a bend must keep; measured on drawn limbs, whose good bends keep 0.97
SWELLS = 0.05  # of the ideal area about the joint by which a bend may be off; common practice, no source
WAVES = (0.03, 1.5)  # of half the limb's width, and px, of wave that are not told from the pixels' own; measured

Told = tuple[float, str]  # how many times what is tolerated, and in words


def bend_misses(
    figure: Figure, stores: Stores, bone: Bone, painter: Painter, angles: Iterable[float]
) -> dict[float, str]:
    """What a bend misses at each of some angles (degrees), in a sentence; angles at which all is well are left out.

    Raises EditRefused where nothing bends at that joint.
    """
    reader = JointReader(figure, stores, bone, painter)
    told = {}
    for reading, _ in reader.read(angles):
        misses = list(misses_of(figure, bone, reader, reading))
        if misses:
            told[reading.angle] = f"{bone.name} {max(misses)[1]} at {reading.angle:.0f}°"
    return told


def misses_of(figure: Figure, bone: Bone, reader: JointReader, reading: JointReading) -> Iterator[Told]:
    """All that is beyond what is tolerated at one angle.

    Where a bend is drawn out to an arc on purpose, its outline is held against no elbow.
    """
    if reading.width_kept < WIDTH:
        yield (1 - reading.width_kept) / (1 - WIDTH), f"keeps {reading.width_kept:.0%} of its width"
    if reader.bent is None or is_arc(figure, bone):
        return
    half, tolerances = reader.bent.half_width, figure.tolerances
    shape, share = tolerated(tolerances.shape, half), tolerances.shape / 0.06
    if reading.departs > shape:
        yield reading.departs / shape, f"departs by {reading.departs:.1f} px from one limb"
    if abs(reading.swells) > SWELLS * share:
        more = "more" if reading.swells > 0 else "less"
        yield abs(reading.swells) / (SWELLS * share), f"has {abs(reading.swells):.0%} {more} area than one limb"
    waves = max(WAVES[0] * half, WAVES[1])
    if reading.waves > waves:
        yield reading.waves / waves, f"has a wave of {reading.waves:.1f} px in its outline"


def is_arc(figure: Figure, bone: Bone) -> bool:
    """Whether a part bends at a bone's joint in an arc rather than in an elbow."""
    zones = (part.binding.zone(bone.id) for part in figure.parts if isinstance(part.binding, Weighted))
    return any(zone is not None and zone.curve > 0 for zone in zones)
