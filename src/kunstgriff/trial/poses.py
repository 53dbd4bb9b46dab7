"""Trial poses kept with the figure, by name: extreme ones first. Seams are read in each of them."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Field

from kunstgriff.figure.edit import Edit, EditRefused
from kunstgriff.figure.model import Figure, KeptPose, Name
from kunstgriff.figure.pose import parse_pose
from kunstgriff.figure.stores import Stores

MOST = 200  # poses a figure keeps; common practice, no source


class KeepPose(Edit):
    """Keep a pose under a name, in the place of one of that name."""

    kind: Literal["keep_pose"] = "keep_pose"
    name: Name
    pose: dict[str, Any]

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        pose = parse_pose(self.pose).by_id(figure)
        if pose.at_rest:
            raise EditRefused("That is the rest pose, which is there anyway: turn some bones first.")
        others = tuple(one for one in figure.poses if one.name != self.name)
        if len(others) >= MOST:
            raise EditRefused(f"A figure keeps {MOST} poses at most; forget one first.")
        kept = KeptPose(name=self.name, pose=pose.sparse())
        return figure.replace(poses=(*others, kept))

    def describe(self, figure: Figure) -> str:
        return f"keep the pose {self.name}"


class ForgetPose(Edit):
    """Forget a kept pose."""

    kind: Literal["forget_pose"] = "forget_pose"
    name: Name

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        left = tuple(one for one in figure.poses if one.name != self.name)
        if len(left) == len(figure.poses):
            raise EditRefused(f"No pose is called “{self.name}”.")
        return figure.replace(poses=left)

    def describe(self, figure: Figure) -> str:
        return f"forget the pose {self.name}"


class KeepPoses(Edit):
    """Keep several poses, each under its name."""

    kind: Literal["keep_poses"] = "keep_poses"
    poses: Annotated[dict[Name, dict[str, Any]], Field(min_length=1, max_length=MOST)]

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        for name, pose in self.poses.items():
            figure = KeepPose(name=name, pose=pose).apply(figure, stores)
        return figure

    def describe(self, figure: Figure) -> str:
        return f"keep {len(self.poses)} poses"
