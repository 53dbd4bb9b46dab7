"""The colours of bones, and of vertices by their weights."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from kunstgriff.figure.model import Figure
from kunstgriff.skeleton.bones import colour_of

Floats = NDArray[np.float64]


def bone_colours(figure: Figure) -> Floats:
    """The colour (bones, 3) of each bone, 0 to 255; one of no bone where there is none."""
    return np.array([colour_of(bone.hue) for bone in figure.bones] or [(0, 0, 0)], np.float64)


def blended_colours(figure: Figure, bones: NDArray[np.int32], weights: NDArray[np.float32]) -> Floats:
    """The colours (n, 3) of the bones of vertices, by their weights."""
    return np.asarray((bone_colours(figure)[bones] * weights[..., None]).sum(1))
