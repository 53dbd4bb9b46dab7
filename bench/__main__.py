"""Print every figure of the project beside its target."""

from __future__ import annotations

import sys

import kunstgriff.stages  # noqa: F401 - registers every edit and step
from bench import core
from bench.bends import bends
from bench.seams import seams
from bench.studio import studio
from bench.timing import table


def main() -> int:
    rows = [
        core.evaluate(),
        *studio(),
        core.bind(),
        *bends(),
        *seams(),
        *core.mesh_and_weights(),
        core.paint(),
        *core.artwork(),
        *core.checks(),
        *core.import_of_many_layers(),
    ]
    print(table(rows))
    return 0 if all(row.met for row in rows) else 1


if __name__ == "__main__":
    sys.exit(main())
