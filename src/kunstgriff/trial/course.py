"""The course: rest, crouch, jump, land, walk eight steps, stop; made for any figure with legs in one go."""

from __future__ import annotations

import math
from contextlib import suppress
from typing import Literal

import numpy as np

from kunstgriff.control.edits import LayReach
from kunstgriff.control.reaching import bones_of
from kunstgriff.evaluate.state import compile_rig
from kunstgriff.figure.channels import addressed
from kunstgriff.figure.edit import Edit, EditRefused
from kunstgriff.figure.model import Bone, Figure, Name
from kunstgriff.figure.motions import FigureMotion, Mark, Way
from kunstgriff.figure.stores import Stores
from kunstgriff.skeleton.bones import ancestors, length_of, with_descendants
from kunstgriff.trial.feet import soles_of
from kunstgriff.trial.motion_edits import Keys, MakeMotion, with_keys, with_motion
from kunstgriff.trial.stepping_edits import Walk, gone_down
from kunstgriff.trial.walking import FALLS, RISES, Footing, body_of, footing_of, legs_of

# seconds at which things are; common practice, no source
CROUCHED, LEAVES, HIGHEST, LANDS, CUSHIONED, STANDS, WALKS = 0.7, 1.0, 1.25, 1.5, 1.65, 2.15, 2.4
STOPS = 0.6  # s that it stands at the end
DEEP, CUSHION, HIGH, TUCK = 0.30, 0.22, 0.34, 1.2  # of a leg: crouch, landing, jump; and how much more the feet go up
LEAN, STRETCH = 14.0, -5.0  # degrees the back leans in the crouch, and in the air
STEPS = 8
AWAY = 0.05  # of the figure's height above the ground within which legs end that are further away
FOOT = 0.75  # of the bone above it that one is long at the most that is a foot


class MakeCourse(Edit):
    """Make the course, a standard motion: rest, crouch, jump, land, walk eight steps, stop.

    It goes by the legs that end near the ground and by how long they are; where none of them reaches, reaches are laid
    on them first. Raises EditRefused where there are none, or where a leg is too short for its stride.
    """

    kind: Literal["make_course"] = "make_course"
    name: Name = "course"

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        figure = legs_reaching(figure, stores)
        rig = compile_rig(figure, stores)
        footing = footing_of(rig, figure.stepper, stores)
        root, rate = body_of(figure, footing.legs), figure.rate
        gait = footing.gait
        begins = round(WALKS * rate)
        walking = round(gait.stepper.period * (STEPS / gait.sets + 0.5))
        frames = begins + walking + round(STOPS * rate)
        made = MakeMotion(name=self.name, frames=frames).apply(figure, stores)
        motion = with_keys(made.motions[-1], self._jump(figure, footing, root))
        still = Footing(footing.legs, gait, footing.ground, list(footing.begins))
        for first, last in ((0.0, LEAVES), (LANDS, WALKS)):
            motion = gone_down(rig, motion, still, root, np.arange(math.ceil(first * rate), last * rate + 1), False)
        words = {0.0: "rest", CROUCHED: "crouch", LEAVES: "jump", LANDS: "land", WALKS: "walk"}
        marks = tuple(Mark(at=float(round(at * rate)), words=word) for at, word in words.items())
        motion = FigureMotion(**{**dict(motion), "marks": marks})
        way = _faces(footing)
        walk = Walk(
            motion=motion.id, first=float(begins), last=float(begins + walking), speed=way * gait.speed
        )  # fmt: skip
        return walk.apply(with_motion(made, motion), stores)

    def _jump(self, figure: Figure, footing: Footing, root: Bone) -> dict[str, Keys]:
        """The keys of the body, the back and the feet up to where the walk begins."""
        rate, long = figure.rate, footing.gait.stride / footing.gait.stepper.stride

        def row(*keys: tuple[float, float, Way]) -> Keys:
            return [(float(round(at * rate)), value, way) for at, value, way in keys]

        high = -HIGH * long
        found = {
            addressed(root.id, "move.y"): row(
                (0, 0, "ease-in-out"), (CROUCHED, DEEP * long, "ease-in"), (LEAVES, 0, RISES), (HIGHEST, high, FALLS),
                (LANDS, 0, "ease-out"), (CUSHIONED, CUSHION * long, "ease-in-out"), (STANDS, 0, "hold"),
            )
        }  # fmt: skip
        for bone in _back(figure, footing, root):
            lean = _faces(footing)
            found[addressed(bone.id, "turn")] = row(
                (0, 0, "ease-in-out"), (CROUCHED, lean * LEAN, "ease-in-out"), (HIGHEST, lean * STRETCH, "ease-in-out"),
                (CUSHIONED, lean * LEAN * 0.7, "ease-in-out"), (STANDS, 0, "hold"),
            )  # fmt: skip
        for leg in footing.legs:
            up = row((0, 0, "hold"), (LEAVES, 0, RISES), (HIGHEST, TUCK * high, FALLS), (LANDS, 0, "hold"))
            found[addressed(leg.reach, "goal.y")] = up
        return found

    def describe(self, figure: Figure) -> str:
        return f"make the course {self.name}"


def legs_reaching(figure: Figure, stores: Stores) -> Figure:
    """The figure with a reach on each leg, where it has no leg that reaches: two bones back from what stands on the
    ground, without the foot where there is one."""
    with suppress(EditRefused):
        legs_of(compile_rig(figure, stores), figure.stepper, stores)
        return figure
    parts = [part for part in figure.parts if part.is_shown]
    for ref in soles_of(compile_rig(figure, stores), stores, AWAY):
        bone = figure.bone(ref)
        above = ancestors(figure, ref)
        if bone is None or len(above) < 2 or not any(part.followed == (ref,) for part in parts):
            continue
        is_foot = len(above) > 2 and length_of(bone) < FOOT * length_of(above[0])
        tip = above[0] if is_foot else bone
        lay = LayReach(tip=tip.id, name=bone.name, foot=bone.id if is_foot else None)
        with suppress(EditRefused):
            figure = lay.apply(figure, stores)
    return figure


def _faces(footing: Footing) -> float:
    """1 where feet point to the right, -1 where to the left."""
    ahead = sum(leg.sole[0] + leg.sole[1] for leg in footing.legs)
    return -1.0 if ahead < 0 else 1.0


def _back(figure: Figure, footing: Footing, root: Bone) -> list[Bone]:
    """The bones of the back, if there is one: from the root to where most of what is no leg hangs."""
    reaches = {one.id: one for one in figure.reaches}
    legs = {bone.id for leg in footing.legs for bone in bones_of(figure, reaches[leg.reach])}
    back, here = list[Bone](), root
    while True:
        hanging = [bone for bone in figure.bones if bone.parent == here.id and bone.id not in legs]
        upward = [bone for bone in hanging if bone.tip[1] < bone.joint[1] and bone.joint[1] < -abs(bone.joint[0]) / 2]
        if not upward or len(back) == 2:
            return back
        here = max(upward, key=lambda bone: len(with_descendants(figure, bone.id)))
        back.append(here)
