"""First use of numba and SciPy costs seconds; pay it behind the first page, not in front of it."""

from __future__ import annotations

import threading


def warm_up() -> None:
    """Run every compiled kernel once on a figure of nothing much."""
    import numpy as np

    from kunstgriff.artwork.ink import split_ink
    from kunstgriff.control.edits import need_reach
    from kunstgriff.control.reach_map import reach_map
    from kunstgriff.evaluate.state import compile_rig
    from kunstgriff.figure.edit import apply_edit
    from kunstgriff.figure.model import Drawing, Figure, Part, Sheet
    from kunstgriff.figure.pose import Pose
    from kunstgriff.figure.stores import MemoryStores, encode_png
    from kunstgriff.stages import install
    from kunstgriff.trial.motion import motion_named, play

    install()

    stores = MemoryStores()
    pixels = np.zeros((60, 40, 4), np.uint8)
    pixels[5:55, 5:35] = (200, 180, 150, 255)
    picture = stores.put_picture(encode_png(pixels))
    drawing = Drawing(picture=picture, place=(0, 0), size=(40, 60))
    parts = tuple(Part(id=f"p{n}", name=f"part {n}", drawing=drawing) for n in (1, 2))
    figure = Figure(name="warm-up", sheet=Sheet(width=40, height=60, standing_point=(0, 0)), parts=parts, next_id=9)
    for edit in (
        {"kind": "draw_chain", "name": "bone", "joints": [[20, 10], [20, 30], [20, 50]]},
        {"kind": "bind_weighted", "parts": ["p1"], "count": 40},
        {"kind": "bind_rider", "parts": ["p2"], "carrier": "p1", "spot": [20, 40]},
        {"kind": "set_spring", "bone": "bone 2"},
        {"kind": "lay_curve", "parts": ["p1"], "name": "curve", "stroke": [[20, 8], [22, 30], [20, 52]], "handles": 3},
        {"kind": "lay_lattice", "parts": ["p1"], "name": "local", "columns": 3, "rows": 3, "local": True},
        {"kind": "lay_lattice", "parts": ["p2"], "name": "smooth", "columns": 3, "rows": 3},
        {"kind": "lay_cage", "parts": ["p2"], "name": "cage", "corners": 4},
        {"kind": "set_tack", "part": "p1", "name": "tack", "at": [20, 20], "bones": ["bone 2"], "carries": "turn"},
        {"kind": "set_tack", "part": "p1", "name": "other", "at": [20, 45]},
        {"kind": "lay_reach", "tip": "bone 2", "name": "goal"},
        {"kind": "lay_lever", "name": "lever"},
        {"kind": "drive", "by": "lever", "channel": "bone.turn", "points": [[1, 20]]},
        {"kind": "drive", "by": "bone 2", "channel": "part:part 2.move.x", "points": [[90, 5]]},
        {"kind": "make_motion", "name": "motion"},
        {"kind": "set_keys", "motion": "motion", "at": 0, "pose": {"bone.turn": 4}, "way": "ease"},
        {"kind": "make_corrective", "bones": ["bone 2"], "name": "corrective"},
        {"kind": "pull", "into": "corrective", "parts": ["part 1"], "start": [20, 40], "by": [1, 0], "radius": 90,
         "pose": {"bone 2.turn": 40, "goal.share": 0}},
    ):  # fmt: skip
        figure = apply_edit(edit, figure, stores)
    split_ink(pixels)
    rig = compile_rig(figure, stores)
    for name in (None, "motion"):
        next(iter(play(rig, motion_named(figure, name))))
    warped = {"curve 2": 3.0, "local 2,2": 2.0, "smooth 2,2": 2.0, "cage 1": 2.0, "part 1 tack": 4.0}
    rig.evaluate(Pose(channels={f"{name}.shift.x": by for name, by in warped.items()}).by_id(figure))
    reach_map(rig, Pose(), need_reach(figure, "goal"))


def warm_up_behind_the_first_page() -> None:
    """Warm up in a thread of its own."""
    threading.Thread(target=warm_up, name="warm-up", daemon=True).start()
