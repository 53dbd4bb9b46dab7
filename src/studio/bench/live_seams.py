"""A seam read while its joint is dragged: only at the angle it is turned to now."""

from __future__ import annotations

import base64
from dataclasses import asdict
from functools import lru_cache
from typing import Any

from kunstgriff.figure.edit import need_bone
from kunstgriff.figure.pose import Pose
from kunstgriff.figure.stores import Beside, encode_png
from kunstgriff.paint.painter import Painter
from kunstgriff.reading.seam import SeamReader, SeamReading
from kunstgriff.reading.seams import seam_of, sentence_of
from kunstgriff.reading.showing import seam_tile
from studio.bench.seen import Seen
from studio.bench.state import compiled
from studio.library.stores import DatabaseStores
from studio.painting import painted

TILE = 232  # px; as wide as the card


def seam_now(seen: Seen, bone_id: str, pose: Pose) -> dict[str, Any]:
    """What is read of a seam in a pose, what of it misses, and how it looks (PNG, base64).

    Raises EditRefused where no two parts meet, PainterMissing where nothing can be painted.
    """

    def read(painter: Painter) -> dict[str, Any]:
        figure, _ = compiled(seen)
        reader, rest = _opened(seen, bone_id, Beside(painter))
        turn = pose.of("turn").get(bone_id, 0.0)
        beside = pose.without({bone_id}) if pose.sparse().without({bone_id}).channels else None
        reader.pose(turn, beside)
        turned = round(float(reader.rig.turn[reader.rig.program.bone_index[bone_id]]), 2)  # its limits may hold it back
        (now,) = reader.read([turned], beside)
        bone, sizes = need_bone(figure, bone_id), (reader.radius, reader.line)
        readings = (now,) if turned == 0 else (rest, now)
        seam = seam_of(figure, DatabaseStores(), bone, sizes, readings, only=turned)
        misses = [{"kind": miss.kind, "sentence": sentence_of(seam, miss)} for miss in seam.misses]
        picture = base64.b64encode(encode_png(seam_tile(reader, now, TILE, figure.tolerances))).decode()
        return {"bone": bone_id, "reading": asdict(now), "misses": misses, "picture": picture}

    return painted(read)


@lru_cache(maxsize=4)
def _opened(seen: Seen, bone_id: str, beside: Beside[Painter]) -> tuple[SeamReader, SeamReading]:
    """The reader of a joint at a revision and what it read at rest; the web process has one painter."""
    figure, _ = compiled(seen)
    reader = SeamReader(figure, DatabaseStores(), need_bone(figure, bone_id), beside.value)
    (rest,) = reader.read([0.0])
    return reader, rest
