"""Where arrays and pictures live: by the SHA-256 of their content, so copies and revisions share them."""

from __future__ import annotations

import hashlib
import io
import math
from dataclasses import dataclass
from typing import Any, Generic, Protocol, TypeVar

import numpy as np
from numpy.typing import NDArray
from PIL import Image

ARRAY_BYTES_LIMIT = 256 * 1024 * 1024  # per array, far above any real mesh; common practice, no source
PICTURE_PIXELS_LIMIT = 120_000_000  # one picture; 10,954 px square


Carried = TypeVar("Carried")


class Missing(KeyError):
    """The store holds nothing under this digest."""

    def __str__(self) -> str:
        return f"The store holds nothing under {self.args[0]}."


class Stores(Protocol):
    """What an edit may read from and add to; nothing is ever changed or removed through it."""

    def get_array(self, digest: str) -> NDArray[Any]: ...
    def put_array(self, array: NDArray[Any]) -> str: ...
    def get_picture(self, digest: str) -> bytes: ...
    def put_picture(self, png: bytes) -> str: ...
    def get_pixels(self, digest: str) -> NDArray[np.uint8]: ...


def digest_of(data: bytes) -> str:
    """SHA-256 of bytes, in hex (FIPS 180-4)."""
    return hashlib.sha256(data).hexdigest()


def pack_array(array: NDArray[Any]) -> bytes:
    """The array as a .npy file, C order, little endian: the same array always gives the same bytes."""
    array = np.ascontiguousarray(array)
    buffer = io.BytesIO()
    np.save(buffer, array.astype(array.dtype.newbyteorder("<"), copy=False), allow_pickle=False)
    return buffer.getvalue()


def unpack_array(data: bytes) -> NDArray[Any]:
    """Read a .npy file back, read-only. Raises ValueError on anything that is not a plain array."""
    if len(data) > ARRAY_BYTES_LIMIT:
        raise ValueError("An array is larger than any mesh needs.")
    try:
        file = io.BytesIO(data)
        version = np.lib.format.read_magic(file)
        read = np.lib.format.read_array_header_1_0 if version == (1, 0) else np.lib.format.read_array_header_2_0
        shape, by_columns, dtype = read(file)
        if math.prod(shape) * dtype.itemsize != len(data) - file.tell() or dtype.hasobject:
            raise ValueError("An array says it is larger or smaller than it is.")
        flat = np.frombuffer(data, dtype, math.prod(shape), file.tell())  # on the bytes themselves: read-only
        return flat.reshape(shape, order="F" if by_columns else "C")
    except ValueError:
        raise
    except Exception as error:  # whatever a damaged header makes of its reader
        raise ValueError("An array is damaged.") from error


def encode_png(rgba: NDArray[np.uint8]) -> bytes:
    """Straight-alpha sRGB pixels (h, w, 4) as PNG."""
    buffer = io.BytesIO()
    Image.fromarray(np.ascontiguousarray(rgba)).save(buffer, "PNG", compress_level=4)
    return buffer.getvalue()


def decode_png(png: bytes) -> NDArray[np.uint8]:
    """PNG bytes as straight-alpha pixels (h, w, 4) uint8. Raises ValueError on anything but a sane PNG."""
    try:
        with Image.open(io.BytesIO(png), formats=["PNG"]) as image:
            if image.width * image.height > PICTURE_PIXELS_LIMIT:
                raise ValueError(f"A picture of {image.width} x {image.height} px is larger than Kunstgriff takes.")
            return np.asarray(image.convert("RGBA"))
    except (OSError, SyntaxError, Image.DecompressionBombError) as error:
        raise ValueError("A picture is damaged or is no PNG.") from error


@dataclass(frozen=True, eq=False)
class Beside(Generic[Carried]):
    """What a cached function needs to do its work and does not count in its key: equal to any other.

    The other arguments (digests, offsets) must say all there is to say about it.
    """

    value: Carried

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Beside)

    def __hash__(self) -> int:
        return 0


class Decoding:
    """Stores that decode their pictures when pixels are asked for."""

    def get_picture(self, digest: str) -> bytes:
        raise NotImplementedError

    def get_pixels(self, digest: str) -> NDArray[np.uint8]:
        """A picture as straight-alpha pixels (h, w, 4). Raises Missing, and ValueError where it is damaged."""
        return decode_png(self.get_picture(digest))


class Trying(Decoding):
    """Stores that lend all that another has and keep what is added to themselves: for what may never come to be."""

    def __init__(self, lender: Stores) -> None:
        self.lender, self.own = lender, MemoryStores()

    def get_array(self, digest: str) -> NDArray[Any]:
        return self.own.get_array(digest) if digest in self.own.arrays else self.lender.get_array(digest)

    def put_array(self, array: NDArray[Any]) -> str:
        return self.own.put_array(array)

    def get_picture(self, digest: str) -> bytes:
        return self.own.get_picture(digest) if digest in self.own.pictures else self.lender.get_picture(digest)

    def put_picture(self, png: bytes) -> str:
        return self.own.put_picture(png)


class MemoryStores(Decoding):
    """Stores in memory, for the shell and for tests."""

    def __init__(self) -> None:
        self.arrays: dict[str, bytes] = {}
        self.pictures: dict[str, bytes] = {}

    def get_array(self, digest: str) -> NDArray[Any]:
        if digest not in self.arrays:
            raise Missing(digest)
        return unpack_array(self.arrays[digest])

    def put_array(self, array: NDArray[Any]) -> str:
        data = pack_array(array)
        digest = digest_of(data)
        self.arrays[digest] = data
        return digest

    def get_picture(self, digest: str) -> bytes:
        if digest not in self.pictures:
            raise Missing(digest)
        return self.pictures[digest]

    def put_picture(self, png: bytes) -> str:
        digest = digest_of(png)
        self.pictures[digest] = png
        return digest
