"""Figures of what follows through: many links, among colliders, live, and loops that close."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from bench.timing import Row, in_turn, seconds
from kunstgriff.evaluate.state import RigState, compile_rig
from kunstgriff.figure.archive import read_archive
from kunstgriff.figure.follow import Collider, Spring
from kunstgriff.figure.model import Bone, Figure, Sheet
from kunstgriff.figure.pose import Pose
from kunstgriff.figure.stores import MemoryStores
from kunstgriff.follow.looping import settle_into_loop
from kunstgriff.follow.rods import rods_of
from kunstgriff.follow.spring import Simulation
from kunstgriff.reading.following import read_following
from kunstgriff.trial.live_springs import LiveSprings
from kunstgriff.trial.motion import motion_named

Floats = NDArray[np.float64]

DEMO = Path(__file__).parent.parent / "demo" / "pell.zip"
CHAINS, LINKS, LONG = 100, 6, 30.0


def tasselled(
    colliders: int = 0, chains: int = CHAINS, links: int = LINKS, long: float = LONG, tie: bool = False
) -> RigState:
    """A bar with many chains under it, each tied to the next or not, and circles between them."""
    bones = [Bone(id="b1", name="bar", joint=(0, 0), tip=(50, 0), hue=0)]
    springs, roots = [], [f"b{2 + chain * links}" for chain in range(chains)]
    for chain, root in enumerate(roots):
        refs, parent, x = [], "b1", 40.0 * chain
        for link in range(links):
            ref = f"b{int(root[1:]) + link}"
            bones.append(
                Bone(id=ref, name=ref, parent=parent, joint=(x, long * link), tip=(x, long * (link + 1)), hue=0)
            )
            refs.append(ref)
            parent = ref
        tied = tuple(roots[chain + 1 : chain + 2]) if tie else ()
        springs.append(
            Spring(id=f"s{9000 + chain}", bones=tuple(refs), frequency=1.4, damping_ratio=0.2, gravity=980.0, tied=tied)
        )
    around = tuple(
        Collider(
            id=f"c{8000 + k}", name=f"c{k}", bone="b1", start=(200.0 * k + 20, 90), end=(200.0 * k + 20, 90), radius=14
        )
        for k in range(colliders)
    )
    sheet = Sheet(width=4000, height=400, standing_point=(0, 0))
    figure = Figure(
        name="tassels", sheet=sheet, bones=tuple(bones), springs=tuple(springs), colliders=around, next_id=9900
    )
    return compile_rig(figure, MemoryStores())


def swaying(rig: RigState, steps: int) -> Floats:
    """The bar moved to and fro, a row a step."""
    rows = np.tile(rig.program.channels.rest, (steps, 1))
    rows[:, rig.program.channels.index["b1.move.x"]] = 30 * np.sin(np.arange(steps) / 30)
    return rows


def batched() -> Iterator[Floats]:
    """The same chains, a step each time it is asked, all at once by NumPy's own solver."""
    made = rods_of(
        np.full(LINKS, LONG), np.full(LINKS, np.pi / 2), 1.4, 0.2, np.ones(LINKS), np.ones(LINKS), 0.0, 1 / 240
    )
    h, angles, rates = 1 / 240, np.full((CHAINS, LINKS), np.pi / 2), np.zeros((CHAINS, LINKS))
    stiff, damp, solid = made.stiffness[0], made.damping[0], made.solid[0]
    while True:
        change = np.zeros_like(rates)
        resting = (angles + h / 2 * rates - np.pi / 2) @ stiff + rates @ damp
        for _ in range(2):
            middle = rates + change / 2
            at = angles + h / 2 * middle
            apart = at[:, :, None] - at[:, None, :]
            force = made.moment * 980 * np.cos(at) - resting
            force -= np.einsum("cij,cj->ci", made.weights * np.sin(apart), middle**2)
            change = np.linalg.solve(made.weights * np.cos(apart) + solid, h * force[..., None])[..., 0]
        angles, rates = angles + h * (rates + change / 2), rates + change
        yield angles


def many_links() -> list[Row]:
    rig, among = tasselled(), tasselled(20)
    free, struck = Simulation(rig), Simulation(among)
    ten, four = free.prepared(swaying(rig, 10)), free.prepared(swaying(rig, 4))
    hit = struck.prepared(swaying(among, 10))
    steps = batched()
    frame, peer = in_turn(lambda: free.go(ten), lambda: [next(steps) for _ in range(10)], rounds=15)
    beside, _ = in_turn(lambda: struck.go(hit), lambda: free.go(ten), rounds=15)
    quick, _ = in_turn(lambda: free.go(four), lambda: None, rounds=15)
    what = f"{CHAINS * LINKS} links, a frame at 24/s (10 steps)"
    return [
        Row(what, f"{frame * 1e6:.0f} µs", f"{peer * 1e6:.0f} µs batched in NumPy", "≤ 800 µs", frame <= 800e-6),
        Row("… 4 steps", f"{quick * 1e6:.0f} µs", "", "≤ 300 µs", quick <= 300e-6),
        Row("… against NumPy", f"{frame / peer:.3f} times", "", "≤ 0.15 times", frame / peer <= 0.15),
        Row("… among 20 colliders", f"{beside / frame:.2f} times", "", "≤ 2.5 times", beside / frame <= 2.5),
    ]


def cloth() -> Row:
    """Eight chains of twenty rods tied across, ten steps, against the same chains that are not."""

    def stepping(rig: RigState) -> Callable[[], None]:
        simulation, rows = Simulation(rig), swaying(rig, 10)
        simulation.step(swaying(rig, 100))
        simulation.knock((600.0, 0.0), "s9000")
        return lambda: simulation.step(rows)

    tied, untied = (stepping(tasselled(0, 8, 20, 12.0, tie)) for tie in (True, False))
    ours, loose = in_turn(tied, untied, rounds=21, repeats=10)
    beside = f"{loose * 1e6:.0f} µs untied"
    return Row("8 × 20 links tied across, a frame", f"{ours * 1e6:.0f} µs", beside, "≤ 250 µs", ours <= 250e-6)


def demo_live() -> Row:
    figure, stores = read_archive(DEMO)
    rig, plain = compile_rig(figure, stores), compile_rig(figure, stores)
    head = next(bone.id for bone in figure.bones if bone.name == "head")
    live, number = LiveSprings(rig, Pose(), 0.0), [0]

    def swung() -> None:
        number[0] += 1
        live.at(Pose(channels={f"{head}.turn": 20 * np.sin(number[0] / 4)}), number[0] / 24)
        rig.evaluate()

    def posed() -> None:
        number[0] += 1
        plain.evaluate(Pose(channels={f"{head}.turn": 20 * np.sin(number[0] / 4)}))

    ours, floor = in_turn(swung, posed, rounds=21, repeats=20)
    beside = f"{floor * 1e6:.0f} µs the pose alone"
    return Row(
        "pose the demo with its springs, live", f"{ours / floor:.2f} times", beside, "≤ 1.5 times", ours / floor <= 1.5
    )


def demo_loop() -> list[Row]:
    figure, stores = read_archive(DEMO)
    rig, motion = compile_rig(figure, stores), motion_named(figure, "walks the street")
    steps = round(motion.seconds * 24) * 10
    cycle = motion.course(rig.program, np.arange(1, steps + 1) % steps / 240)
    simulation = Simulation(rig, period=motion.seconds)
    settle_into_loop(simulation, cycle)
    found: list[float] = []
    spent = seconds(lambda: found.append(settle_into_loop(simulation, cycle)))
    read = read_following(compile_rig(figure, stores), motion)
    course = read_following(compile_rig(figure, stores), motion_named(figure, "course"))
    deepest = max((one.deepest for one in read.chains), default=0.0)
    trembles = max((one.jitter or 0.0 for one in course.chains), default=0.0)
    return [
        Row(
            f"exact loop of {steps // 10} frames, demo",
            f"{spent:.2f} s",
            f"open by {found[-1]:.1e} px",
            "≤ 0.3 s",
            spent <= 0.3,
        ),
        Row("deepest in a collider over the demo's walk", f"{deepest:.2f} px", "", "≤ 0.5 px", deepest <= 0.5),
        Row("jitter at rest", f"{trembles:.4f} px", "", "≤ 0.05 px", trembles <= 0.05),
    ]


def follow() -> list[Row]:
    """All figures of what follows through."""
    return [*many_links(), cloth(), demo_live(), *demo_loop()]
