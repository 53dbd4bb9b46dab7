"""A stranger's figure taken the whole way, in this process: import, bones, binding, treating, posing, measuring."""

from __future__ import annotations

import tempfile
import time
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np

from kunstgriff.artwork.importing import read_artwork
from kunstgriff.artwork.sheet import figure_from_sheet
from kunstgriff.delivery.frames import painter
from kunstgriff.evaluate.state import RigState, compile_rig
from kunstgriff.figure.edit import EditRefused, apply_edit
from kunstgriff.figure.model import Bone, Figure
from kunstgriff.figure.pose import Pose
from kunstgriff.figure.stores import MemoryStores
from kunstgriff.paint.painter import View
from kunstgriff.reading.bends import bend_misses
from kunstgriff.reading.proposing import treated_as_proposed
from kunstgriff.reading.seams import joints_with_seams, read_seam_at
from kunstgriff.seam.joints import pair_at
from tests.strangers.artist import Joint, Stranger
from tests.strangers.measuring import Measured, Pixels, Truth, angles_of
from tests.strangers.painting import openraster


@dataclass(frozen=True)
class Tried:
    """One joint at one angle: what was measured, whether that passes, and what our readings say (None: good)."""

    joint: str
    two_piece: bool
    angle: float
    found: Measured
    clean: bool
    told: str | None

    @property
    def blind(self) -> bool:
        return not self.clean and self.told is None


@dataclass
class Way:
    """How far one stranger came."""

    one: Stranger
    error: str = ""
    parts_right: int = 0
    parts_wrong: list[str] = field(default_factory=list)
    seams: int = 0
    seams_due: int = 0
    tried: list[Tried] = field(default_factory=list)
    seconds: float = 0.0

    @property
    def clean(self) -> int:
        return sum(one.clean for one in self.tried)

    @property
    def blind(self) -> int:
        return sum(one.blind for one in self.tried)

    @property
    def alarms(self) -> int:
        """Clean poses that our readings call bad."""
        return sum(one.clean and one.told is not None for one in self.tried)


def imported(one: Stranger) -> tuple[Figure, MemoryStores]:
    with tempfile.TemporaryDirectory() as folder:
        file = Path(folder) / "stranger.ora"
        file.write_bytes(openraster(one))
        sheet = read_artwork(file, 1, lambda done, total, stage: None)
    stores = MemoryStores()
    return figure_from_sheet(sheet, f"stranger {one.seed}", stores), stores


def rigged(one: Stranger) -> tuple[Figure, MemoryStores]:
    """Imported, its chains drawn where its truth has them, and bound in one go."""
    figure, stores = imported(one)
    ground = np.array(figure.sheet.standing_point)
    for chain in one.chains:
        joints = [tuple((np.array(spot) - ground).tolist()) for spot in chain.joints]
        edit = {"kind": "draw_chain", "joints": joints, "name": chain.name, "parent": chain.parent}
        figure = apply_edit(edit, figure, stores)
    return apply_edit({"kind": "bind_figure"}, figure, stores), stores


def walk(one: Stranger, bones: set[str] | None = None) -> Way:
    """The whole way, treating the seams of all bones or of those named; what goes wrong ends in `error`."""
    way, began = Way(one), time.process_time()
    try:
        figure, stores = rigged(one)
        way.parts_right, way.parts_wrong = _bound_as_told(one, figure)
        asked = [bone for bone in joints_with_seams(figure, stores) if bones is None or bone.name in bones]
        figure, _ = treated_as_proposed(figure, stores, painter(), asked)
        way.seconds = time.process_time() - began
        way.tried = list(_try(one, way, figure, stores))
    except Exception as error:  # all that can go wrong is what is asked here
        way.error = f"{type(error).__name__}: {error}"
    return way


def _bound_as_told(one: Stranger, figure: Figure) -> tuple[int, list[str]]:
    """How many parts follow exactly the bones they should, and the names of those that do not with what they do."""
    right, wrong = 0, []
    names = {bone.id: bone.name for bone in figure.bones}
    # by their order: a double name is told apart on import
    for piece, part in zip(one.pieces, figure.parts, strict=True):
        follows = sorted(names[ref] for ref in part.followed)
        if follows == sorted(piece.bones):
            right += 1
        else:
            wrong.append(f"{part.name}: {', '.join(follows) or 'nothing'} instead of {', '.join(piece.bones)}")
    return right, wrong


def _try(one: Stranger, way: Way, figure: Figure, stores: MemoryStores) -> Iterator[Tried]:
    names = [piece.name for piece in one.pieces]
    rig = compile_rig(figure, stores)
    bones = {bone.name: bone for bone in figure.bones}
    for joint in one.joints:
        if not all(names.count(name) == 1 for name in (joint.upper, joint.lower)):
            continue
        bone = bones[joint.bone]
        if joint.two_piece:
            way.seams_due += 1
            way.seams += pair_at(figure, bone, stores) is not None
        truth = Truth(one, joint)
        rest = _painted(figure, rig, stores, truth, None)
        told = _readings(joint, figure, stores, bone)
        for angle in angles_of(joint):
            found = truth.measure(
                _painted(figure, rig, stores, truth, Pose.of_bones(turn={bone.id: angle})), rest, angle
            )
            yield Tried(joint.bone, joint.two_piece, angle, found, truth.is_clean(found), told.get(angle))


def _painted(figure: Figure, rig: RigState, stores: MemoryStores, truth: Truth, pose: Pose | None) -> Pixels:
    left, top, right, bottom = truth.box
    x, y = figure.sheet.standing_point
    view = View((right - left, bottom - top), 1.0, (left - x, top - y))
    return painter().paint(rig, rig.evaluate(pose or Pose()), view, stores)


def _readings(joint: Joint, figure: Figure, stores: MemoryStores, bone: Bone) -> dict[float, str]:
    """What our own readings miss at each angle, in words; nothing where they call it good."""
    angles = angles_of(joint)
    try:
        if joint.two_piece:
            return read_seam_at(figure, stores, bone, painter(), angles)
        return bend_misses(figure, stores, bone, painter(), angles)
    except EditRefused as error:
        return dict.fromkeys(angles, str(error)) if joint.two_piece and joint.bone in str(error) else {}
