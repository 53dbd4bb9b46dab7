"""Figures of seams: every reading of the demo, one joint changed, what treatments cost, what misses in the end."""

from __future__ import annotations

from functools import partial
from statistics import median

import numpy as np

from bench.core import DEMO
from bench.timing import Row, in_turn, seconds
from kunstgriff.delivery.frames import painter
from kunstgriff.evaluate.state import compile_rig
from kunstgriff.figure.archive import read_archive
from kunstgriff.figure.edit import apply_edit, need_bone
from kunstgriff.figure.pose import Pose
from kunstgriff.paint.painter import sheet_view
from kunstgriff.reading.proposing import propose
from kunstgriff.reading.seams import Seam, joints_with_seams, read_seam, read_seams
from kunstgriff.seam.treating import TREATMENTS


def seams() -> list[Row]:
    figure, stores = read_archive(DEMO / "pell.zip")
    list(read_seams(figure, stores, painter(), step=45))  # kernels and pictures
    found: list[Seam] = []
    taken = seconds(lambda: found.extend(read_seams(figure, stores, painter())))
    trimmed = {"kind": "treat_joints", "joints": [{"bone": "near forearm", "treatment": "trim"}], "alike": False}
    changed = apply_edit(trimmed, figure, stores)
    joint = need_bone(changed, "near forearm")
    again = median(seconds(partial(read_seam, changed, stores, joint, painter())) for _ in range(3))
    count = sum(len(one.readings) for one in found)
    return [
        Row(f"all readings, {len(found)} joints, {count} angles", f"{taken:.1f} s", "", "≤ 20 s", taken <= 20),
        Row("a changed joint alone", f"{again:.2f} s", f"{len(found)} joints", "≤ 1 s", again <= 1),
        *cost(),
        treated_by_itself(),
    ]


def cost() -> list[Row]:
    """The same poses with all treatments and with none: evaluating, and evaluating and painting the sheet."""
    figure, stores = read_archive(DEMO / "pell.zip")
    plain = figure.replace(treatments=())
    rigs = [compile_rig(one, stores) for one in (figure, plain)]
    joints = [bone.id for bone in joints_with_seams(figure, stores)]
    poses = [Pose.of_bones(turn={ref: 8.0 * np.sin(number + k) for k, ref in enumerate(joints)}) for number in range(8)]
    view = sheet_view(figure, (720, 1080))

    def posed(number: int, painting: bool) -> None:
        for pose in poses:
            frame = rigs[number].evaluate(pose)
            if painting:
                painter().paint_premultiplied(rigs[number], frame, view, stores)

    rows = []
    for painting, what in ((False, "evaluating"), (True, "evaluating and painting")):
        treated, bare = in_turn(partial(posed, 0, painting), partial(posed, 1, painting), rounds=9)
        reached = f"{treated / len(poses) * 1e3:.2f} ms, {treated / bare:.2f} times"
        beside = f"{bare / len(poses) * 1e3:.2f} ms without"
        rows.append(Row(f"live posing with treatments: {what}", reached, beside, "≤ 1.3 times", treated / bare <= 1.3))
    return rows


def treated_by_itself() -> Row:
    """The demo with nothing at its joints, each treated as proposed: how many are inside tolerance."""
    figure, stores = read_archive(DEMO / "pell.zip")
    after = figure.replace(treatments=tuple(one for one in figure.treatments if one.kind not in TREATMENTS))
    for bone in joints_with_seams(figure, stores):
        found = propose(after, stores, bone, painter())
        if found.best != found.now:
            joint = {"bone": bone.id, "treatment": found.best}
            after = apply_edit({"kind": "treat_joints", "joints": [joint], "alike": False}, after, stores)
    read = list(read_seams(after, stores, painter()))
    inside = sum(not one.misses for one in read)
    return Row(
        "joints inside tolerance after “treat all joints”", f"{inside} of {len(read)}", "", "all", inside == len(read)
    )
