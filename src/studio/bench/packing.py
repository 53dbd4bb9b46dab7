"""Arrays for the browser: a JSON header and raw little-endian buffers in one body."""

from __future__ import annotations

import json
from typing import Any

import numpy as np
from numpy.typing import NDArray


def pack(arrays: dict[str, NDArray[Any]]) -> bytes:
    """Header length (uint32), header JSON {name: {dtype, shape, offset}}, then each buffer, aligned to 4 bytes."""
    header, chunks, offset = {}, [], 0
    for name, array in arrays.items():
        data = np.ascontiguousarray(array)
        body = data.astype(data.dtype.newbyteorder("<"), copy=False).tobytes()
        body += bytes(-len(body) % 4)
        header[name] = {"dtype": data.dtype.name, "shape": list(data.shape), "offset": offset}
        chunks.append(body)
        offset += len(body)
    head = json.dumps(header).encode()
    head += b" " * (-len(head) % 4)
    return len(head).to_bytes(4, "little") + head + b"".join(chunks)
