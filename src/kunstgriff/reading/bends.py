"""What a bend of one drawn piece misses, in sentences: the readings of a joint held against what is tolerated."""

from __future__ import annotations

import hashlib
from collections.abc import Iterable, Iterator

from kunstgriff.figure.edit import EditRefused
from kunstgriff.figure.findings import Finding, Remedy, meant
from kunstgriff.figure.model import Bone, Figure, Weighted
from kunstgriff.figure.stores import Stores
from kunstgriff.paint.painter import Painter
from kunstgriff.reading.around import MEANING
from kunstgriff.reading.joint import JointReader, JointReading, range_angles
from kunstgriff.reading.sentences import weight_of
from kunstgriff.reading.silhouette import tolerated
from kunstgriff.skeleton.bones import with_descendants

WIDTH = 0.94  # of the ideal width that a bend must keep; measured on drawn limbs, whose good bends keep 0.97
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
        misses = list(misses_of(figure, reader, reading))
        if misses:
            told[reading.angle] = f"{bone.name} {max(misses)[1]} at {reading.angle:.0f}°"
    return told


def misses_of(figure: Figure, reader: JointReader, reading: JointReading) -> Iterator[Told]:
    """All that is beyond what is tolerated at one angle."""
    if reading.width_kept < WIDTH and (reader.bent is not None or reader.is_arc):
        yield (1 - reading.width_kept) / (1 - WIDTH), f"keeps {reading.width_kept:.0%} of its width"
    if reader.bent is None:
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


def bend_mark(figure: Figure, bone: Bone) -> str:
    """A digest of all that is read of the bend at a bone's joint: the same as long as nothing of it changes."""
    parts = [part for part in figure.parts if part.is_shown and {bone.id, bone.parent} & set(part.followed)]
    refs = {part.id for part in parts}
    moved = {ref for part in parts for ref in part.followed} | {one.id for one in with_descendants(figure, bone.id)}
    known = [
        *(part.model_dump_json(exclude={"name", "shelved"}) for part in parts),
        *(one.model_dump_json(exclude={"name", "hue"}) for one in figure.bones if one.id in moved | {bone.parent}),
        *(one.model_dump_json() for one in figure.treatments if refs & one.used_parts),
        figure.tolerances.model_dump_json(), str(any(bone.id in spring.bones for spring in figure.springs)),
    ]  # fmt: skip
    return hashlib.sha256(f"{MEANING} {bone.id} {known}".encode()).hexdigest()


def bend_finding(figure: Figure, bone: Bone, told: Told, angle: float) -> Finding:
    """A bend that misses, as a finding: joints are tuned, or it is meant so."""
    times, words = told
    parts = tuple(part.id for part in figure.parts if part.is_shown and {bone.id, bone.parent} <= set(part.followed))
    key = f"bend {bone.id} {bend_mark(figure, bone)[:16]}"
    return Finding(
        key=key,
        stage="binding",
        sentence=f"{bone.name} {words} at {angle:.0f}°",
        weight=weight_of(times),
        parts=parts,
        bones=(bone.id,),
        angle=angle,
        remedies=(
            Remedy(word="Tune the joint", edit={"kind": "tune_joints", "bones": [bone.id]}),
            meant(key),
        ),
    )


def bending_bones(figure: Figure) -> list[Bone]:
    """Bones at whose joints a part bends: it follows the bone and its parent."""
    followed = [set(part.followed) for part in figure.parts if part.is_shown and isinstance(part.binding, Weighted)]
    return [bone for bone in figure.bones if bone.parent and any({bone.id, bone.parent} <= one for one in followed)]


def read_bends(figure: Figure, stores: Stores, painter: Painter) -> Iterator[tuple[Bone, Told | None, float]]:
    """Every joint at which a part bends, with the worst it misses through its range and at how many degrees."""
    for bone in bending_bones(figure):
        worst: tuple[Told | None, float] = (None, 0.0)
        try:
            reader = JointReader(figure, stores, bone, painter)
        except EditRefused:
            continue  # what bends there is not painted
        for reading, _ in reader.read(range_angles(bone)):
            for miss in misses_of(figure, reader, reading):
                if worst[0] is None or miss > worst[0]:
                    worst = miss, reading.angle
        yield bone, *worst
