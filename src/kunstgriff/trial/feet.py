"""Feet in motion: soles that slide or sink are read; a foot is planted, or the whole figure moved so that one holds."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from typing import Annotated, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field
from scipy.ndimage import binary_opening

from kunstgriff.control.edits import need_reach
from kunstgriff.control.reaching import bones_of
from kunstgriff.control.taking_over import as_hung, as_reached
from kunstgriff.evaluate.state import RigState, compile_rig
from kunstgriff.figure.channels import addressed, parted, quantities
from kunstgriff.figure.controls import Reach
from kunstgriff.figure.edit import Edit, EditRefused, need_bone
from kunstgriff.figure.model import Figure
from kunstgriff.figure.motions import FigureMotion, Moment, Way
from kunstgriff.figure.pose import Pose, rest_of
from kunstgriff.figure.stores import Stores
from kunstgriff.skeleton.bones import ancestors, with_descendants
from kunstgriff.skeleton.kinematics import posed
from kunstgriff.trial.ground import Ground
from kunstgriff.trial.keys import KeyedMotion, pose_on
from kunstgriff.trial.motion import Motion, frame_count, play, rate_of
from kunstgriff.trial.motion_edits import SAME, Keys, keys_of, need_motion, put, with_keys, with_motion

Floats = NDArray[np.float64]
NEAR, ON = 0.012, 0.003  # of the figure's height within which a sole is near the ground, and on it
# of that height a foot goes in a frame that steps, near the ground and on it; slower is a slide; common practice
CREEPS, STRIDE = 0.006, 0.05
LOW = 0.12  # of it above the ground within which a leg that reaches ends
BAND = 0.006  # of it from its lowest spot up that a sole is
SOLID = 127  # of the alpha from which art is solid
CREPT = 3  # frames that a foot creeps near the ground, at the least
LANDS = 0.01  # of it a foot may go in the frame in which it comes down or leaves
SLIDES = 0.5  # px a frame that nobody sees
LONGEST = 2_400  # frames that are read, or a foot is held over, at once: some seconds of work
SHORT = 0.5  # px by which a planted foot may miss its place
PLACED = ("goal.x", "goal.y", "foot", "share", "hang")


@dataclass(frozen=True)
class FootFault:
    """What a sole does wrong from one frame to another: it `slides` by so many px a frame at the most, or `sinks` in by
    so many px."""

    bone: str
    name: str
    kind: Literal["slides", "sinks"]
    first: int
    last: int
    px: float

    @property
    def sentence(self) -> str:
        """In words, with its frames."""
        where = f"frame {self.first}" if self.first == self.last else f"frames {self.first} to {self.last}"
        far = f"slides {self.px:.1f} px a frame" if self.kind == "slides" else f"sinks {self.px:.0f} px into the ground"
        return f"“{self.name}” {far}, {where}."


def soles_of(rig: RigState, stores: Stores, near: float = NEAR) -> dict[str, Floats]:
    """The two ends of the sole, left and right (2, 2) px, by each bone whose art stands on the ground at rest: as
    it is painted, and of a leg the last bone alone. What is within `near` of the figure's height stands there."""
    program, height = rig.program, _height(rig.program.rest)
    feet = {one.foot or one.tip for one in program.figure.reaches if isinstance(one, Reach)}
    found: dict[str, list[Floats]] = {}
    for part in program.figure.parts:
        if not part.is_shown or len(part.followed) != 1 or part.id not in program.blocks:
            continue
        above = (LOW if part.followed[0] in feet else near) * height  # feet further away are drawn higher
        if part.drawing.place[1] + part.drawing.size[1] < -above:
            continue
        spots = _lowest(stores.get_pixels(part.drawing.picture)[..., 3] > SOLID, BAND * height)
        if len(spots) and (spots := spots + np.array(part.drawing.place))[:, 1].max() >= -above:
            found.setdefault(part.followed[0], []).append(spots)
    further = {ref: {one.id for one in with_descendants(program.figure, ref)} - {ref} for ref in found}
    ends = {}
    for ref, some in found.items():
        if not further[ref] & set(found):
            spots = np.concatenate(some)
            ends[ref] = spots[[int(spots[:, 0].argmin()), int(spots[:, 0].argmax())]]
    return ends


def _lowest(art: NDArray[np.bool_], band: float) -> Floats:
    """The pixels (n, 2) of the lowest `band` px of some art (h, w), as they lie in it."""
    rows = np.flatnonzero(art.any(1))
    if not len(rows):
        return np.zeros((0, 2))
    first = max(int(rows[-1] - band), 0)
    y, x = np.nonzero(art[first:])
    return np.stack([x + 0.5, y + first + 1.0], 1)


def carried(rig: RigState, soles: dict[str, Floats]) -> Floats:
    """Where the ends of soles lie (n, 2, 2) in the pose last evaluated."""
    rows = [rig.program.bone_index[ref] for ref in soles for _ in range(2)]
    return posed(np.concatenate(list(soles.values())), rig.matrices[rows]).reshape(-1, 2, 2)


def path_of(rig: RigState, motion: Motion, bone: str) -> Floats:
    """Where the tip of a bone lies on each frame of a motion, (frames, 2) px, springs following. Raises EditRefused for
    a motion that is too long."""
    _need_short(rig.program.figure, motion)
    return np.array([_tip(rig, bone) for _ in play(rig, motion)])


def _tip(rig: RigState, bone: str) -> Floats:
    """Where the tip of a bone lies (2,) in the pose last evaluated."""
    row = [rig.program.bone_index[bone]]
    return np.asarray(posed(rig.program.skeleton.tips[row], rig.matrices[row])[0])


def _need_short(figure: Figure, motion: Motion) -> None:
    frames = frame_count(motion, rate_of(motion, figure))
    if frames > LONGEST:
        raise EditRefused(f"“{motion.name}” has {frames:,} frames; {LONGEST:,} at most are read at once.")


def _height(rest: NDArray[np.float32]) -> float:
    return float(np.ptp(rest[:, 1])) if len(rest) else 1.0


def foot_faults(rig: RigState, motion: Motion, stores: Stores) -> list[FootFault]:
    """What soles do wrong in a motion, read off its painted frames with springs following: those on the ground that
    move over it slower than a step and faster than nobody sees, and those that sink in. Worst first. Raises EditRefused
    for a motion that is too long."""
    soles, names = soles_of(rig, stores), {bone.id: bone.name for bone in rig.program.figure.bones}
    height = _height(rig.program.rest)
    if not soles:
        return []
    _need_short(rig.program.figure, motion)
    course = np.array([carried(rig, soles) for _ in play(rig, motion)])
    ground = Ground()
    if isinstance(motion, KeyedMotion):
        ground, passed = Ground(motion.motion.ground), motion.motion.travels * motion.motion.rate
        course[..., 0] += passed / rate_of(motion, rig.program.figure) * np.arange(len(course))[:, None, None]
    course[..., 1] -= ground.heights(course[..., 0])
    found = list[FootFault]()
    for k, ref in enumerate(soles):
        ends = course[:, k]  # (frames, 2, 2)
        lowest = ends[..., 1].argmax(1)
        down = ends[..., 1].max(1) - float(soles[ref][:, 1].max())  # below where it stands at rest
        moved = np.hypot(*np.diff(ends, axis=0)[np.arange(len(ends) - 1), lowest[:-1]].T)
        slides = _slides(down / height, np.diff(ends, axis=0)[np.arange(len(ends) - 1), lowest[:-1]] / height)
        slides &= moved > SLIDES
        found += [FootFault(ref, names[ref], "slides", a + 1, b + 1, px) for a, b, px in _runs(slides, moved)]
        found += [FootFault(ref, names[ref], "sinks", a, b, px) for a, b, px in _runs(down > NEAR * height, down)]
    return sorted(found, key=lambda one: -one.px * (1 + one.last - one.first))


def _slides(down: Floats, moved: Floats) -> NDArray[np.bool_]:
    """From which frames (n - 1,) on a sole slides to the next, by how far it is `down` (n,) below the ground and how it
    `moved` (n - 1, 2), in shares of the figure's height."""
    least, far = np.minimum(down[:-1], down[1:]), np.hypot(*moved.T)
    level = np.abs(moved[:, 1]) < 0.5 * np.abs(moved[:, 0])
    up = np.concatenate([[False], down < -ON, [False]])  # of a frame k that is up[k + 1]
    stepping = (up[:-3] | up[3:]) & (far < LANDS)  # the last of coming down, or the first of leaving
    on = (least > -ON) & (far < STRIDE) & ~stepping
    creeps = (least > -NEAR) & (far < CREEPS) & level & (far > 0)
    return np.asarray(on | binary_opening(creeps, np.ones(CREPT)))


def _runs(told: NDArray[np.bool_], by: Floats) -> Iterator[tuple[int, int, float]]:
    """The first and last number of each run of what is told, with the most there."""
    edges = np.flatnonzero(np.diff(np.concatenate([[False], told, [False]]).astype(np.int8)))
    for first, end in zip(edges[::2].tolist(), edges[1::2].tolist(), strict=True):
        yield first, end - 1, float(by[first:end].max())


class Plant(Edit):
    """Let a foot hold its place and angle on the ground from one frame to another while the body moves.

    The goal of its reach stays in the world where the foot is on the first of them; knees bend as they must. Where the
    reach has no keys it goes there and away over `ease` frames; where it has some as these do, or, if it is said how it
    `eases`, as it does without the plant until so many frames before, and again so many after. Raises EditRefused where
    the leg is too short, with how much and when.
    """

    kind: Literal["plant"] = "plant"
    motion: str
    foot: str
    first: Moment
    last: Moment
    ease: Annotated[float, Field(allow_inf_nan=False, ge=0, le=240)] = 4.0
    eases: Way | None = None

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        motion, one = need_motion(figure, self.motion), need_reach(figure, self.foot)
        _need_span(motion, self.first, self.last)
        rig = compile_rig(figure, stores)
        world = world_of(one)
        pose = as_reached(rig, pose_on(rig.program, motion, self.first), one)
        planted = as_hung(rig, pose, one, world).merged(Pose(channels={addressed(one.id, "hang"): float(world)}))
        changed = {}
        for name in PLACED:
            address = addressed(one.id, name)
            value = planted.channels.get(address, rest_of(address))
            changed[address] = self._held(rig, motion, address, value)
        if one.foot is not None:  # it is turned by the reach alone
            turn = addressed(one.foot, "turn")
            changed[turn] = self._held(rig, motion, turn, planted.channels.get(turn, 0.0))
        after = with_keys(motion, changed)
        self._need_reached(rig, one, after)
        return with_motion(figure, after)

    def _held(self, rig: RigState, motion: FigureMotion, address: str, value: float) -> Keys:
        """The keys of a channel that holds a value over the frames that are meant."""
        keys = next((keys_of(each) for each in motion.tracks if each.channel == address), [])
        before = max((key for key in keys if key[0] <= self.last + SAME), default=None, key=lambda key: key[0])
        way: Way = "hold" if quantities()[parted(address)[1]].stepped else before[2] if before else "ease-in-out"
        others = [key for key in keys if not self.first - SAME <= key[0] <= self.last + SAME]
        if not keys:  # elsewhere it stays as it was
            around = (max(self.first - self.ease, 0.0), min(self.last + self.ease, float(motion.frames)))
            others = [(at, rest_of(address), way) for at in around if not self.first <= at <= self.last]
        elif self.eases is not None and way != "hold":
            return self._eased(rig, motion, address, value, others)
        return put(others, [(self.first, value, "hold"), (self.last, value, way)])

    def _eased(self, rig: RigState, motion: FigureMotion, address: str, value: float, others: Keys) -> Keys:
        """The same among `others`, left and landed on as is said."""
        assert self.eases is not None
        start, end = max(self.first - self.ease, 0.0), min(self.last + self.ease, float(motion.frames))
        around: Keys = [(self.first, value, "hold"), (self.last, value, self.eases)]
        for at, way in ((start, self.eases), (end, others[-1][2] if others else self.eases)):
            if not self.first <= at <= self.last:
                there = pose_on(rig.program, motion, at).channels.get(address, rest_of(address))
                around.append((at, there, way))
        return put([key for key in others if not start < key[0] < end], around)

    def _need_reached(self, rig: RigState, one: Reach, motion: FigureMotion) -> None:
        number = next(k for k, each in enumerate(rig.program.figure.reaches) if each.id == one.id)
        worst, when = 0.0, 0.0
        for frame in np.arange(np.ceil(self.first), self.last + SAME):
            rig.evaluate(pose_on(rig.program, motion, float(frame)))
            off = float(np.hypot(*(rig.goals[number] - _tip(rig, one.tip))))
            if off > worst:
                worst, when = off, float(frame)
        if worst > SHORT:
            raise EditRefused(
                f"“{one.name}” cannot stay there: on frame {when:g} it is {worst:.0f} px short. Let the body come"
                " nearer, let the leg stretch, or plant it for fewer frames."
            )

    def describe(self, figure: Figure) -> str:
        return f"plant {need_reach(figure, self.foot).name} from frame {self.first:g} to {self.last:g}"


def world_of(one: Reach) -> int:
    """The number by which a goal hangs on the world. Raises EditRefused where it never does."""
    if one.hangs_on is None and one.hangs_at is None:
        return 0
    found = next((each.number for each in one.others if each.bone is None and each.part is None), None)
    if found is None:
        raise EditRefused(f"The goal of “{one.name}” never hangs on the world; let it hang on that as well first.")
    return found


def _need_span(motion: FigureMotion, first: float, last: float) -> None:
    if last <= first:
        raise EditRefused("A foot is planted from one frame to a later one.")
    if last - first > LONGEST:
        raise EditRefused(f"A foot is held over {LONGEST:,} frames at most; do it piece by piece.")
    if last > motion.frames:
        raise EditRefused(f"“{motion.name}” ends after {motion.frames} frames; make it longer first.")


class HoldFoot(Edit):
    """Move the whole figure so that the tip of a bone stays where it is on the first of some frames, until the last.

    Between poses that know nothing of one another the figure is carried along by its root, frame by frame; what comes
    later stays as far along. For a foot that no reach poses.
    """

    kind: Literal["hold_foot"] = "hold_foot"
    motion: str
    bone: str
    first: Moment
    last: Moment

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        motion, bone = need_motion(figure, self.motion), need_bone(figure, self.bone)
        _need_span(motion, self.first, self.last)
        above = ancestors(figure, bone.id)
        if not above:
            raise EditRefused(f"“{bone.name}” hangs on nothing; choose a foot of the figure.")
        chain = {bone.id, *(one.id for one in above)}
        for one in figure.reaches:
            if isinstance(one, Reach) and any(each.id in chain for each in bones_of(figure, one)):
                raise EditRefused(f"“{one.name}” poses that leg; plant it instead.")
        rig, root = compile_rig(figure, stores), above[-1]
        frames = [float(frame) for frame in np.arange(np.ceil(self.first), np.floor(self.last) + 1)]
        spots, moves = [], []
        for frame in frames:
            pose = pose_on(rig.program, motion, frame)
            rig.evaluate(pose)
            spots.append(_tip(rig, bone.id))
            moves.append([pose.channels.get(addressed(root.id, name), 0.0) for name in ("move.x", "move.y")])
        carried = np.array(moves) + spots[0] - np.array(spots)
        changed = {}
        for axis, name in enumerate(("move.x", "move.y")):
            address = addressed(root.id, name)
            keys = next((keys_of(each) for each in motion.tracks if each.channel == address), [])
            further = float(carried[-1, axis] - np.array(moves)[-1, axis])
            held: Keys = [(at, by, "linear") for at, by in zip(frames, carried[:, axis].tolist(), strict=True)]
            changed[address] = put(_beside(keys, frames[0], frames[-1], further), held)
        return with_motion(figure, with_keys(motion, changed))

    def describe(self, figure: Figure) -> str:
        return f"hold {need_bone(figure, self.bone).name} from frame {self.first:g} to {self.last:g}"


def _beside(keys: Iterable[tuple[float, float, Way]], first: float, last: float, further: float) -> Keys:
    """The keys before some frames as they are, those after them so much further."""
    return [(at, value if at < first else value + further, way) for at, value, way in keys if not first <= at <= last]
