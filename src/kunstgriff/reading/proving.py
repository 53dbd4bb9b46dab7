"""A rig proved: every cell of its range sheet read, its motions' feet and frames, and random poses; what fails is told.

What a figure is used for counts in full: its kept poses, its motions, and of each joint the range that these use. What
fails beyond that is told as a limit, with the angle from which it fails; where nothing uses a joint all of its range
counts, or as far as a joint without limits is usually turned.
"""

from __future__ import annotations

import base64
import hashlib
from collections.abc import Iterable, Iterator
from contextlib import suppress
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from kunstgriff.control.taking_over import as_plain
from kunstgriff.evaluate.sharing import program_key
from kunstgriff.evaluate.state import RigState, compile_rig
from kunstgriff.figure.channels import addressed
from kunstgriff.figure.edit import EditRefused
from kunstgriff.figure.model import Bone, Figure
from kunstgriff.figure.motions import FigureMotion
from kunstgriff.figure.pose import Pose
from kunstgriff.figure.stores import Stores
from kunstgriff.paint.painter import Painter, View
from kunstgriff.reading.around import MEANING, mark_of
from kunstgriff.reading.bends import misses_of
from kunstgriff.reading.joint import JointReader, range_angles
from kunstgriff.reading.opened import OpenedReader, frames_of
from kunstgriff.reading.seam import SeamReader, SeamReading
from kunstgriff.reading.seams import joints_with_seams, read_seam, seam_of, sentence_of
from kunstgriff.reading.strain import StrainReader
from kunstgriff.seam.joints import limb_radius, pair_at
from kunstgriff.skeleton.bones import with_descendants
from kunstgriff.trial.cells import Cell, cells_of, plainly, range_of, shaken
from kunstgriff.trial.feet import foot_faults
from kunstgriff.trial.keys import KeyedMotion, pose_on

TILE = 168  # px of a cell's picture
ROOM = 12.0  # px of the figure around it
MOVED, AROUND, CLOSEST = 2.0, 1.15, 0.3  # px that count as moved; times what is moved, and of the height, that is shown
PAPER = np.array([247, 242, 232], np.float32)
STILL = 0.5  # degrees a joint is turned to be read in a pose
LOOKS, OPENED = 8, 32  # frames of a motion that are read as poses, and for joints that open
SLACK = 1.0  # degrees beyond what is used that count as used
PROOF = 2  # raised whenever what is told of a cell comes to mean something else


@dataclass(frozen=True)
class Fault:
    """What is beyond what is tolerated: in words, how many `times`, and of a joint alone the angle from which it is."""

    words: str
    times: float
    begins: float | None = None


@dataclass(frozen=True)
class Proven:
    """A cell as it was read: its faults, worst first, whether they count `in_full`, readings by name, its picture
    (h, w, 4) at its worst, and a `mark` of all it depends on."""

    cell: Cell
    faults: tuple[Fault, ...]
    in_full: bool
    readings: dict[str, float]
    picture: NDArray[np.uint8]
    mark: str

    @property
    def worst(self) -> float:
        """How many times what is tolerated its worst fault is; 0 without any."""
        return self.faults[0].times if self.faults else 0.0


def everything(figure: Figure, shakes: int = 0, seed: int = 1) -> list[Cell]:
    """The cells of the range sheet, of the figure's motions and of random poses."""
    rig_cells = cells_of(figure)
    moving = [Cell("pose", f"motion {one.name}", Pose(), one.id) for one in figure.motions]
    return [*rig_cells, *moving, *(shaken(figure, shakes, seed) if shakes else ())]


@dataclass
class Prover:
    """Reads cells of one figure; what is at rest is known once."""

    figure: Figure
    stores: Stores
    painter: Painter
    _seams: dict[str, tuple[SeamReader, SeamReading]] = field(default_factory=dict)

    def __post_init__(self) -> None:
        self.rig = compile_rig(self.figure, self.stores)
        self.strain = StrainReader(self.rig)
        self.names = {part.id: part.name for part in self.figure.parts}
        self.joints = joints_with_seams(self.figure, self.stores)
        self.used = used_ranges(self.rig)

    def mark(self, cell: Cell) -> str:
        """A digest of all that is read of a cell: the same as long as nothing of that changes."""
        motion = self._motion(cell)
        known = self._of_joints(cell) if cell.kind in ("joint", "pair") else program_key(self.figure)
        told = f"{cell} {motion.model_dump_json() if motion else ''} {self.used.get(cell.bone or '')} {known}"
        return hashlib.sha256(f"{PROOF} {MEANING} {self.figure.tolerances} {told}".encode()).hexdigest()

    def _of_joints(self, cell: Cell) -> str:
        """What of the figure the joints of a cell depend on: what hangs on them and what they hang on, how that is
        treated and warped, and what lies at their seams. What else is seen around them in its picture is not."""
        figure, turned = self.figure, set(cell.pose.of("turn"))
        below = {one.id for ref in turned for one in with_descendants(figure, ref)}
        moved = below | {bone.parent or "" for bone in figure.bones if bone.id in turned}
        parts = [part for part in figure.parts if moved & set(part.followed)]
        refs = {part.id for part in parts}
        seams = [bone for bone in self.joints if bone.id in turned or bone.parent in turned]
        pairs = ((bone, pair_at(figure, bone, self.stores)) for bone in seams)
        some = (
            *parts, *(bone for bone in figure.bones if bone.id in moved),
            *(one for one in figure.treatments if refs & one.used_parts),
            *figure.warps, *figure.correctives, *figure.by_turns,
        )  # fmt: skip
        marks = [mark_of(figure, pair, bone, limb_radius(pair, bone, self.stores)) for bone, pair in pairs if pair]
        sprung = sorted(ref for spring in figure.springs for ref in spring.bones if ref in turned)
        return " ".join([*(one.model_dump_json() for one in some), *marks, *sprung])

    def _motion(self, cell: Cell) -> FigureMotion | None:
        return next((one for one in self.figure.motions if one.id == cell.bone), None)

    def read(self, cell: Cell) -> Proven:
        """One cell."""
        motion = self._motion(cell)
        if motion is not None:
            return self._read_motion(cell, motion)
        if cell.kind == "joint":
            return self._read_joint(cell)
        faults, readings = self._read_pose(cell.pose)
        return self._proven(cell, faults, cell.kind in ("pose", "lever", "set", "shape"), readings, cell.pose)

    def _proven(
        self, cell: Cell, faults: Iterable[Fault], in_full: bool, readings: dict[str, float], pose: Pose
    ) -> Proven:
        worst = tuple(sorted(faults, key=lambda one: -one.times))
        return Proven(cell, worst, in_full, readings, self.tile(pose), self.mark(cell))

    def _read_joint(self, cell: Cell) -> Proven:
        """A joint through all of its range: its seam, its bend, and the meshes at both ends."""
        bone = self.figure.bone(cell.bone or "")
        assert bone is not None
        faults, readings = list[Fault](), dict[str, float]()
        worst = 0.0, 0.0
        if bone in self.joints:
            seam = read_seam(self.figure, self.stores, bone, self.painter, rough=False)
            for miss in seam.misses:
                faults.append(Fault(sentence_of(seam, miss), miss.times, miss.begins))
                worst = max(worst, (miss.times, miss.angle))
            for name in ("gap_disc", "ink_length", "notch", "beyond", "short"):
                readings[name] = round(max(getattr(one, name) for one in seam.readings), 3)
        with suppress(EditRefused):  # where nothing that is painted bends
            reader = JointReader(self.figure, self.stores, bone, self.painter)
            told = dict[str, list[tuple[float, float, str]]]()
            for reading, _ in reader.read(range_angles(bone)):
                for times, words in misses_of(self.figure, reader, reading):
                    told.setdefault(words.split()[0], []).append((times, reading.angle, words))
                readings["width"] = round(min(readings.get("width", 1.0), reading.width_kept), 3)
                readings["area"] = round(min(readings.get("area", 1.0), reading.area_kept), 3)
            for some in told.values():
                times, angle, words = max(some)
                faults.append(
                    Fault(f"{bone.name} {words} at {angle:.0f}°", times, min((a for _, a, _ in some), key=abs))
                )
                worst = max(worst, (times, angle))
        for end in range_of(bone):
            self.rig.evaluate(self._alone(bone, end))
            for times, words in self._strained(readings):
                faults.append(Fault(f"{words} with {bone.name} at {end:.0f}°", times, end))
                worst = max(worst, (times, end))
        low, high = self.used.get(bone.id) or range_of(bone)
        in_full = any(one.begins is None or low - SLACK <= one.begins <= high + SLACK for one in faults)
        return self._proven(cell, faults, in_full, readings, self._alone(bone, worst[1]) if faults else cell.pose)

    def _alone(self, bone: Bone, turn: float) -> Pose:
        return Pose(channels={**plainly(self.figure, {bone.id}), addressed(bone.id, "turn"): turn})

    def _strained(self, readings: dict[str, float]) -> Iterator[tuple[float, str]]:
        for one in self.strain.read():
            yield from one.misses(self.names[one.part])
            readings["folded"] = round(max(readings.get("folded", 0.0), one.folded), 4)
            readings["drawn out"] = round(max(readings.get("drawn out", 1.0), one.long), 2)

    def _read_pose(self, pose: Pose) -> tuple[list[Fault], dict[str, float]]:
        """A pose: its meshes, and the seam at each joint that is turned, or whose neighbour is."""
        self.rig.evaluate(pose)
        readings: dict[str, float] = {}
        faults = [Fault(words, times) for times, words in self._strained(readings)]
        plain = as_plain(self.rig, pose)
        turns = plain.of("turn")
        moved = {ref for ref, turn in turns.items() if abs(turn) > STILL}
        for bone in self.joints:
            if not moved & {bone.id, bone.parent or ""}:
                continue
            reader, rest = self._reader(bone)
            angle = turns.get(bone.id, 0.0)
            (now,) = reader.read([angle], plain)
            readings_of = (now,) if angle == 0.0 else (rest, now)
            seam = seam_of(self.figure, self.stores, bone, (reader.radius, reader.line), readings_of, only=angle)
            faults += [Fault(sentence_of(seam, miss), miss.times) for miss in seam.misses]
            for name in ("gap_disc", "ink_length"):
                readings[name] = round(max(readings.get(name, 0.0), getattr(now, name)), 3)
        return faults, readings

    def _reader(self, bone: Bone) -> tuple[SeamReader, SeamReading]:
        """What reads a seam, and what it read at rest."""
        if bone.id not in self._seams:
            reader = SeamReader(self.figure, self.stores, bone, self.painter, rough=True)
            (rest,) = reader.read([0.0])
            self._seams[bone.id] = reader, rest
        return self._seams[bone.id]

    @cached_property
    def _opened(self) -> OpenedReader:
        return OpenedReader(RigState(self.rig.program), self.stores, self.painter, self.joints)

    def _read_motion(self, cell: Cell, motion: FigureMotion) -> Proven:
        """A motion: its feet on every frame, joints that open, springs and all, and some of its frames as poses."""
        faults, readings, worst = list[Fault](), dict[str, float](), (0.0, 0.0)
        try:
            for foot in foot_faults(RigState(self.rig.program), KeyedMotion(motion), self.stores):
                faults.append(Fault(f"{foot.sentence[:-1]} of {motion.name}", max(foot.px, 1.0)))
        except EditRefused as refused:
            faults.append(Fault(str(refused), 1.0))
        tolerated = max(self.figure.tolerances.gap, 0.01)
        for joint in self._opened.over(KeyedMotion(motion), frames_of(self.rig, KeyedMotion(motion), OPENED)):
            if joint.disc > tolerated:
                words = f"{joint.bone.name} is open by {joint.disc:.1f} px, frame {joint.frame} of {motion.name}"
                faults.append(Fault(words, joint.disc / tolerated))
                worst = max(worst, (joint.disc / tolerated, joint.frame))
        told: dict[str, Fault] = {}
        for frame in frames_of(self.rig, KeyedMotion(motion), LOOKS):
            found, numbers = self._read_pose(pose_on(self.rig.program, motion, frame))
            for name, value in numbers.items():
                readings[name] = max(readings.get(name, value), value)
            for one in found:
                key = one.words.split(" at ")[0]
                if key not in told or one.times > told[key].times:
                    told[key] = Fault(f"{one.words}, frame {frame:.0f} of {motion.name}", one.times)
                    worst = max(worst, (one.times, frame))
        return self._proven(
            cell, [*faults, *told.values()], True, readings, pose_on(self.rig.program, motion, worst[1])
        )

    def tile(self, pose: Pose) -> NDArray[np.uint8]:
        """What a pose moves, fitted into a square (TILE, TILE, 4), with what lies around it."""
        frame = self.rig.evaluate(pose)
        rest, now = self.rig.program.rest, frame.vertices
        moved = np.abs(now - rest).max(1) > MOVED if len(now) else np.zeros(0, bool)
        seen = np.vstack([now[moved], rest[moved]]) if moved.any() else now
        low, high = seen.min(0), seen.max(0)
        side = max(float((high - low).max()) * AROUND, CLOSEST * float(np.ptp(rest[:, 1]))) + 2 * ROOM
        scale = 2 * TILE / side
        corner = (low + high) / 2 - side / 2
        view = View((2 * TILE, 2 * TILE), scale, (float(corner[0]), float(corner[1])))
        large = self.painter.paint_premultiplied(self.rig, frame, view, self.stores)
        small = cv2.resize(large, (TILE, TILE), interpolation=cv2.INTER_AREA).astype(np.float32)
        flat = small[..., :3] + PAPER * (1 - small[..., 3:] / 255)
        return np.dstack([np.rint(flat).clip(0, 255), np.full((TILE, TILE), 255)]).astype(np.uint8)


def used_ranges(rig: RigState) -> dict[str, tuple[float, float]]:
    """From where to where each joint is turned in the kept poses and motions of a figure, by its id; rest is in it.
    What nothing of that turns has none."""
    figure, found = rig.program.figure, dict[str, tuple[float, float]]()
    poses: list[Pose] = [kept.pose for kept in figure.poses]
    for motion in figure.motions:
        frames = np.unique(np.linspace(0, motion.frames - 1, 3 * LOOKS).round())
        poses += [pose_on(rig.program, motion, float(frame)) for frame in frames]
    for pose in poses:
        rig.evaluate(pose)
        for bone in figure.bones:
            turn = float(rig.turned[rig.program.bone_index[bone.id]])
            if abs(turn) > STILL:
                low, high = found.get(bone.id, (0.0, 0.0))
                found[bone.id] = min(low, turn), max(high, turn)
    return found


def told(one: Proven) -> dict[str, Any]:
    """A cell as plain data; its picture as a data URI."""
    return {
        "kind": one.cell.kind, "name": one.cell.name, "fails": bool(one.faults and one.in_full),
        "limit": bool(one.faults and not one.in_full), "worst": round(one.worst, 2),
        "faults": [{"words": f.words, "times": round(f.times, 2), "begins": f.begins} for f in one.faults],
        "readings": one.readings, "pose": one.cell.pose.channels, "mark": one.mark, "picture": as_uri(one.picture),
    }  # fmt: skip


def as_uri(picture: NDArray[np.uint8]) -> str:
    """A picture (h, w, 4) as it can stand in a page: a data URI."""
    bgr = cv2.cvtColor(picture, cv2.COLOR_RGBA2BGR)
    _, data = cv2.imencode(".webp", bgr, [cv2.IMWRITE_WEBP_QUALITY, 80])
    return f"data:image/webp;base64,{base64.b64encode(data.tobytes()).decode()}"
