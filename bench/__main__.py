"""Print every figure of the project beside its target, or take strangers' figures the whole way."""

from __future__ import annotations

import argparse
import sys

from bench import core, strangers
from bench.bends import bends
from bench.controls import controls
from bench.crowd import crowd
from bench.follow import follow
from bench.seams import seams
from bench.shell import shell
from bench.studio import studio
from bench.timing import table
from bench.trial import trial
from bench.warps import warps
from kunstgriff.stages import install


def main() -> int:
    install()
    asked = argparse.ArgumentParser(prog="./run bench", description=__doc__)
    asked.add_argument("--strangers", type=int, metavar="N", help="take so many strangers' figures the whole way")
    asked.add_argument("--from", dest="first", type=int, default=0, metavar="SEED", help="the first one's seed")
    asked.add_argument("--plan", help="one body plan for all of them")
    given = asked.parse_args()
    if given.strangers is not None:
        return strangers.main(given.strangers, given.first, given.plan)
    rows = [
        *shell(),
        core.evaluate(),
        *core.compile_demo(),
        *studio(),
        *crowd(),
        core.bind(),
        *bends(),
        *seams(),
        *core.mesh_and_weights(),
        *warps(),
        *controls(),
        *trial(),
        *follow(),
        core.paint(),
        *core.artwork(),
        *core.checks(),
        *core.import_of_many_layers(),
    ]
    print(table(rows))
    return 1 if any(row.met is False for row in rows) else 0


if __name__ == "__main__":
    sys.exit(main())
