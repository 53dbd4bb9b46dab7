"""A reader of the live socket's messages, written from their description alone (kunstgriff/evaluate/frame.py)."""

from __future__ import annotations

import struct

import numpy as np

KINDS = {"f32": "<f4", "u32": "<u4", "u8": "<u1"}


def sections(data: bytes) -> dict:
    """Serial, frame number, revision, facing, and the sections by name."""
    serial, frame, revision, facing, count = struct.unpack_from("<IIIII", data)
    found = {"serial": serial, "frame": frame, "revision": revision, "facing": facing}
    for number in range(count):
        name, letters, start, size = struct.unpack_from("<12s4sII", data, 20 + 24 * number)
        kind = KINDS[letters.rstrip(b"\0").decode()]
        found[name.rstrip(b"\0").decode()] = np.frombuffer(data, kind, size, start)
    return found
