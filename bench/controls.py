"""Figures of controls: what a reach adds to a whole evaluation, and what levers cost."""

from __future__ import annotations

from functools import partial
from pathlib import Path

import numpy as np

from bench.timing import Row, in_turn
from kunstgriff.control.edits import need_reach
from kunstgriff.control.reach_map import PLACES, reach_map
from kunstgriff.evaluate.state import RigState, compile_rig
from kunstgriff.figure.archive import read_archive
from kunstgriff.figure.controls import Axis, Drive, Knot, Lever, Reach
from kunstgriff.figure.edit import apply_edit
from kunstgriff.figure.model import Bone, Figure, Limits, Sheet
from kunstgriff.figure.pose import Pose, parse_pose
from kunstgriff.figure.stores import MemoryStores

LIMBS = 40
DEMO = Path(__file__).parents[1] / "demo" / "pell.zip"


def limbs(count: int, limit: float | None) -> Figure:
    """So many limbs of some bones each on one root, and a reach on each of them."""
    bones = [Bone(id="b0", name="root", joint=(0, 0), tip=(0, -50), hue=0)]
    reaches = []
    for limb in range(LIMBS):
        parent, x, y = "b0", 30.0 * limb, 0.0
        for number in range(count):
            name, (dx, dy) = f"b{100 * limb + number + 1}", (6.0 if number % 2 else -4.0, 40.0)
            limits = Limits(low=-limit, high=limit) if limit else None
            bones.append(
                Bone(id=name, name=name, parent=parent, joint=(x, y), tip=(x + dx, y + dy), hue=0, limits=limits)
            )
            parent, x, y = name, x + dx, y + dy
        reaches.append(Reach(id=f"k{limb}", name=f"k{limb}", tip=parent, bones=count))
    sheet = Sheet(width=100, height=100, standing_point=(0, 0))
    return Figure(name="limbs", sheet=sheet, bones=tuple(bones), reaches=tuple(reaches))


def reach_of(count: int, limit: float | None, most: float) -> Row:
    """What one reach of so many bones costs, its goal elsewhere each time, of many in one evaluation."""
    figure, stores, rng = limbs(count, limit), MemoryStores(), np.random.default_rng(3)
    away = 12.0 * count
    poses = [
        Pose(channels={f"k{limb}.goal.{axis}": float(rng.uniform(-away, 0)) for limb in range(LIMBS) for axis in "xy"})
        for _ in range(20)
    ]

    def posed(rig: RigState, values: list[np.ndarray]) -> None:
        for row in values:
            rig.values[:] = row
            rig.evaluate()

    rig, bare = compile_rig(figure, stores), compile_rig(figure.by_bones, stores)
    rows = []
    for pose in poses:
        rig.set_pose(pose)
        rows.append(rig.values.copy())
    plain = [bare.values.copy() for _ in poses]
    with_them, without = in_turn(partial(posed, rig, rows), partial(posed, bare, plain), rounds=21, repeats=3)
    each = (with_them - without) / len(poses) / LIMBS
    held = f" with limits of ±{limit:g}°" if limit else ""
    return Row(
        f"a reach of {count} bones{held}, inside an evaluation",
        f"{each * 1e6:.2f} µs",
        "",
        f"≤ {most:g} µs",
        each * 1e6 <= most,
    )


def levers(count: int = 200, each: int = 10, most: float = 0.1) -> Row:
    """What levers cost that are all off their rest and drive so many channels each by a curve through four knots."""
    bones = tuple(Bone(id=f"b{k}", name=f"b{k}", joint=(k, 0), tip=(k, 50), hue=0) for k in range(count * each))
    figure = Figure(name="levers", sheet=Sheet(width=100, height=100, standing_point=(0, 0)), bones=bones)
    refs = [bone.id for bone in figure.bones]
    some = []
    for number in range(count):
        drives = tuple(
            Drive(channel=f"{ref}.turn", knots=tuple(Knot(at=at, by=20 * at) for at in (-1.0, 0.0, 0.5, 1.0)))
            for ref in refs[number * each : (number + 1) * each]
        )
        some.append(Lever(id=f"k{5000 + number}", name=f"{number}", y=Axis(drives=drives)))
    rig = compile_rig(figure.replace(levers=tuple(some)), MemoryStores())
    off = Pose(channels={f"{one.id}.lever.y": 0.3 for one in some})
    rig.program.channels.set(rig.values, off)
    row = rig.values[None].copy()
    driven, copied = in_turn(lambda: rig.program.drive(row.copy()), row.copy, rounds=31, repeats=20)
    taken = driven - copied
    return Row(
        f"{count} levers driving {count * each:,} channels",
        f"{taken * 1e3:.3f} ms",
        "",
        f"≤ {most:g} ms",
        taken * 1e3 <= most,
    )


def demo_with_controls(most: float = 1.25) -> Row:
    """What 4 reaches, 7 levers and 8 correctives of the demo cost, all of them at work, against the same pose done by
    plain channels; its sets are there either way."""
    figure, stores = read_archive(DEMO)
    figure = figure.without([one.id for one in (*figure.reaches, *figure.correctives)])  # laid anew here, more of them
    edits: list[dict[str, object]] = [
        {"kind": "lay_reach", "tip": tip, "name": f"{tip} goal"}
        for tip in ("near shin", "far shin", "near forearm", "far forearm")
    ]
    turns = {}
    for part, bone, turn in (
        ("near shin", "near shin", 70.0), ("far shin", "far shin", 60.0), ("near forearm", "near forearm", -50.0),
        ("far forearm", "far forearm", -40.0), ("near ear", "near ear 2", 30.0), ("far ear", "far ear 2", 30.0),
        ("coat", "spine", 12.0), ("scarf tail", "scarf tail 2", 35.0),
    ):  # fmt: skip
        joint = next(one.joint for one in figure.bones if one.name == bone)
        edits.append({"kind": "make_corrective", "bones": [bone], "name": f"{bone} corrective"})
        edits.append(
            {"kind": "pull", "into": f"{bone} corrective", "pose": {f"{bone}.turn": turn}, "parts": [part],
             "start": joint, "by": [8, 0], "radius": 300}
        )  # fmt: skip
        turns[f"{bone}.turn"] = turn * 0.6
    for edit in edits[4:] + edits[:4]:
        figure = apply_edit(edit, figure, stores)
    goals = {f"{one.name}.goal.{axis}": 30.0 for one in figure.reaches for axis in "xy"}
    stands = {f"{one.name}.lever.{way[-1]}": 0.6 for one in figure.levers for way, _ in one.axes}
    rig = compile_rig(figure, stores)
    bare_figure = figure.by_bones.replace(correctives=())
    bare = compile_rig(bare_figure, stores)
    rng, poses, plain = np.random.default_rng(2), [], []
    for _ in range(12):
        said = {name: value * float(rng.uniform(0.5, 1)) for name, value in {**goals, **stands, **turns}.items()}
        pose = parse_pose(said).by_id(figure)
        rig.evaluate(pose)
        channels = {f"{ref}.turn": float(rig.turned[row]) for ref, row in rig.program.bone_index.items()}
        for address in bare.program.channels.index:
            if address not in channels:
                channels[address] = float(rig.values[rig.program.channels.index[address]])
        poses.append(pose)
        plain.append(Pose(channels=channels).sparse())

    def run(one: RigState, some: list[Pose]) -> None:
        for pose in some:
            one.evaluate(pose)

    with_them, without = in_turn(partial(run, rig, poses), partial(run, bare, plain), rounds=21)
    ratio = with_them / without
    return Row(
        "the demo with 4 reaches, 7 levers, 8 correctives, 2 sets",
        f"{ratio:.2f} times",
        f"{without / len(poses) * 1e3:.2f} ms without",
        f"≤ {most:g}",
        ratio <= most,
    )


def map_of(most: float = 0.1) -> Row:
    """The reach map of a leg with limits, against one evaluation of its figure for each of its places."""
    figure, stores = read_archive(DEMO)
    rig, one = compile_rig(figure, stores), need_reach(figure, "near foot")
    pose = parse_pose({"near foot.goal.x": 60}).by_id(figure)
    taken, evaluated = in_turn(lambda: reach_map(rig, Pose(), one), lambda: rig.evaluate(pose), rounds=7)
    return Row(
        f"a reach map, {PLACES} × {PLACES} places",
        f"{taken:.3f} s",
        f"{evaluated * PLACES**2:.2f} s by evaluations",
        f"≤ {most:g} s",
        taken <= most,
    )


def controls() -> list[Row]:
    return [reach_of(2, None, 0.5), reach_of(8, 60.0, 10.0), levers(), demo_with_controls(), map_of()]
