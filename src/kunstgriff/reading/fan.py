"""The bend fan: small pictures of a limb through the range of a joint, with what was read at each angle."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict, dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from kunstgriff.figure.model import Bone, Figure
from kunstgriff.figure.stores import Stores
from kunstgriff.paint.painter import Painter, unmultiply
from kunstgriff.reading.bends import Told, misses_of
from kunstgriff.reading.joint import JointReader, JointReading, range_angles


@dataclass(frozen=True)
class Fan:
    """`readings` in the order of the angles, `told` what each misses in words (worst first; "" where all is well),
    `worst` the worst of all with its angle (None where all is well), `strip` their pictures side by side
    (tile, tile * n, 4)."""

    readings: tuple[JointReading, ...]
    told: tuple[str, ...]
    worst: tuple[Told, float] | None
    strip: NDArray[np.uint8]

    def rows(self) -> list[dict[str, float | str]]:
        """The readings as plain data, each with what it misses in words."""
        return [
            {**{key: round(value, 4) for key, value in asdict(one).items()}, "told": told}
            for one, told in zip(self.readings, self.told, strict=True)
        ]


def bend_fan(
    figure: Figure,
    stores: Stores,
    bone: Bone,
    painter: Painter,
    angles: Sequence[float] | None = None,
    tile: int = 300,
) -> Fan:
    """The fan of a bone's joint, at `angles` or through its range. Raises EditRefused where nothing bends there."""
    readings, told, tiles = [], [], []
    worst: tuple[Told, float] | None = None
    reader = JointReader(figure, stores, bone, painter)
    for reading, picture in reader.read(angles if angles is not None else range_angles(bone)):
        readings.append(reading)
        misses = sorted(misses_of(figure, reader, reading), reverse=True)
        if misses and (worst is None or misses[0] > worst[0]):
            worst = misses[0], reading.angle
        told.append(", ".join(words for _, words in misses))
        tiles.append(_fitted(picture, tile))
    return Fan(tuple(readings), tuple(told), worst, np.concatenate(tiles, axis=1))


def _fitted(picture: NDArray[np.uint8], tile: int) -> NDArray[np.uint8]:
    """The picture (h, w, 4) no larger than it is, fitted into the middle of a square."""
    height, width = picture.shape[:2]
    scale = min(1.0, tile / max(height, width))
    size = (max(round(width * scale), 1), max(round(height * scale), 1))
    small = np.dstack(
        [cv2.multiply(picture[..., :3], cv2.merge([picture[..., 3]] * 3), scale=1 / 255), picture[..., 3]]
    )
    small = np.ascontiguousarray(cv2.resize(small, size, interpolation=cv2.INTER_AREA))
    unmultiply(small)
    square = np.zeros((tile, tile, 4), np.uint8)
    top, left = (tile - size[1]) // 2, (tile - size[0]) // 2
    square[top : top + size[1], left : left + size[0]] = small
    return square
