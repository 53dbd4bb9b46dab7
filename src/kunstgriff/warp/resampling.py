"""Another grid for a lattice: more or fewer columns and rows, smooth or local, with what was shaped, posed and tied.

The new handles are put so that the new grid makes of the figure what the old one made, as nearly as it can (least
squares over a dense net of spots); more columns and rows of a smooth lattice lose nothing (degree elevation).
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from kunstgriff.figure.channels import addressed, parted
from kunstgriff.figure.model import Figure, KeptPose, Point
from kunstgriff.figure.pose import Pose
from kunstgriff.figure.warps import Handle, Lattice, Tie
from kunstgriff.warp.basis import sums_at
from kunstgriff.warp.channels import SHIFTS
from kunstgriff.warp.lattice import Grid
from kunstgriff.warp.warping import shape_of

SPOTS = 25  # across and down, at which both grids are compared
LEAST = 0.004  # of a share that a handle is still tied by

Floats = NDArray[np.float64]


def carried_over(columns: int, rows: int, local: bool, to_columns: int, to_rows: int, to_local: bool) -> Floats:
    """What the moves of one grid's handles become as moves of another's (to_rows * to_columns, rows * columns)."""
    before = _table(columns, rows, not local)
    after = _table(to_columns, to_rows, not to_local)
    return np.asarray(np.linalg.lstsq(after, before, rcond=None)[0], np.float64)


def _table(columns: int, rows: int, smooth: bool) -> Floats:
    """How much of each handle's move each of many spots makes (spots, rows * columns)."""
    across, down = (one.ravel() for one in np.meshgrid(*[np.linspace(-1, 1, SPOTS)] * 2))
    table = np.empty((len(across), rows * columns))
    for number in range(rows * columns):
        values = np.zeros((2, rows, columns))
        values[0].flat[number] = 1.0
        table[:, number] = sums_at(across, down, values, smooth)[0]
    return table


def _between(columns: int, rows: int, to_columns: int, to_rows: int) -> Floats:
    """What the shares of one grid's handles become as those of another's: straight between neighbours."""

    def line(count: int, to: int) -> Floats:
        place = np.linspace(0, count - 1, to)
        return np.asarray(np.maximum(1 - np.abs(place[:, None] - np.arange(count)), 0.0))

    return np.asarray(np.kron(line(rows, to_rows), line(columns, to_columns)), np.float64)


def resampled(figure: Figure, lattice: Lattice, columns: int, rows: int, local: bool) -> Figure:
    """The figure with a lattice of other columns and rows; what was shaped, tied and posed is kept."""
    over = carried_over(lattice.columns, lattice.rows, lattice.local, columns, rows, local)
    grid = Grid.of(lattice)
    fresh = Grid(grid.origin, grid.inverse, columns, rows, local)
    places = fresh.even + over @ shape_of(lattice, grid)
    same = (columns, rows) == (lattice.columns, lattice.rows)
    ids = [one.id for one in lattice.handles] if same else [f"h{figure.next_id + k}" for k in range(columns * rows)]
    ties = [one.ties for one in lattice.handles] if same else _ties(lattice, columns, rows)
    after = lattice.model_copy(
        update={
            "columns": columns,
            "rows": rows,
            "local": local,
            "handles": tuple(
                Handle(id=ref, place=_point(place), ties=tie) for ref, place, tie in zip(ids, places, ties, strict=True)
            ),
        }
    )
    old = [one.id for one in lattice.handles]
    return figure.replace(
        warps=tuple(after if one.id == lattice.id else one for one in figure.warps),
        poses=tuple(_pose(kept, old, ids, over) for kept in figure.poses),
        next_id=figure.next_id + (0 if same else len(ids)),
    )


def _ties(lattice: Lattice, columns: int, rows: int) -> list[tuple[Tie, ...]]:
    bones = list(dict.fromkeys(tie.bone for one in lattice.handles for tie in one.ties))
    shares = np.zeros((len(lattice.handles), len(bones)))
    for row, one in enumerate(lattice.handles):
        for tie in one.ties:
            shares[row, bones.index(tie.bone)] = tie.share
    made = _between(lattice.columns, lattice.rows, columns, rows) @ shares
    return [
        tuple(Tie(bone=bone, share=round(float(one), 4)) for bone, one in zip(bones, row, strict=True) if one > LEAST)
        for row in made
    ]


def _pose(kept: KeptPose, before: list[str], after: list[str], over: Floats) -> KeptPose:
    """A kept pose with what it says of one grid's handles said of another's."""
    channels = dict(kept.pose.channels)
    if not any(parted(address)[0] in before for address in channels):
        return kept
    for name in SHIFTS:
        values = np.array([channels.pop(addressed(ref, name), 0.0) for ref in before])
        for ref, value in zip(after, over @ values, strict=True):
            channels[addressed(ref, name)] = round(float(value), 6)
    return kept.model_copy(update={"pose": Pose(channels=channels).sparse(1e-6)})


def _point(place: Floats) -> Point:
    return float(place[0]), float(place[1])
