"""Islands of a part beside the limb it is of: a button, a badge, a drop of paint that no joint lies in."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from kunstgriff.binding.weights import islands

TORN = 0.15  # share of an island that follows other bones than its strongest from which it is torn between them

Floats = NDArray[np.float64]


def beside_limbs(
    weights: NDArray[np.floating], points: Floats, triangles: NDArray[np.int32], joints: Floats
) -> Iterator[NDArray[np.intp]]:
    """The vertices of each island that no joint lies in, and that follows more than one bone.

    `weights` (n, influences), `points` (n, 2) and `joints` (j, 2) in one space, `triangles` (m, 3).
    """
    island = islands(triangles, len(points))
    limbs = {int(island[np.hypot(*(points - joint).T).argmin()]) for joint in joints}
    limbs.add(int(np.bincount(island).argmax()))
    for number in range(int(island.max()) + 1):
        own = np.flatnonzero(island == number)
        if number in limbs or len(own) < 3:
            continue
        shares = weights[own].sum(0)
        if 1 - shares.max() / max(float(shares.sum()), 1e-9) > TORN:
            yield own
