"""Write docs/formats/edits.md and figure.schema.json anew from the code.

.venv/bin/python docs/write_formats.py
"""

from __future__ import annotations

import inspect
import json
from pathlib import Path

from kunstgriff.commands import describe_field
from kunstgriff.figure.archive import schema
from kunstgriff.figure.channels import quantities
from kunstgriff.figure.edit import edit_kinds
from kunstgriff.stages import install

FORMATS = Path(__file__).parent / "formats"


def main() -> None:
    install()
    lines = [
        "# Every edit",
        "",
        "A list of these in JSON is what `kunstgriff edit FIG.zip EDITS.json -o FIG2.zip` takes; the bench makes the very",
        "same ones. Parts and bones are named by name or by id. Points are figure space: px, x right, y down, origin at",
        "the standing point. This page is written from the code by `docs/write_formats.py`.",
    ]
    for kind, edit in sorted(edit_kinds().items()):
        lines += ["", f"## {kind}", "", inspect.getdoc(edit) or "", ""]
        lines += [f"- `{name}`: {describe_field(edit, name)}" for name in edit.model_fields if name != "kind"]
    (FORMATS / "channels.md").write_text(channels())
    (FORMATS / "edits.md").write_text("\n".join(lines) + "\n")
    (FORMATS / "figure.schema.json").write_text(json.dumps(schema(), indent=1) + "\n")


def channels() -> str:
    """The page on poses: every quantity with its unit, rest and ends."""
    lines = [
        "# Channels and poses",
        "",
        "Everything that can be posed is a channel. Its address is what it is of, by name or id, and a quantity:",
        "`near forearm.turn`. A pose is a mapping of addresses to numbers; what it does not name is at rest:",
        '`{"near forearm.turn": 40, "hips.move.x": 10}`. In the figure\'s own document it stands under `channels`. Poses',
        'as they were written before, `{"turn": {"near forearm": 40}, "move": {"hips": [10, 0]}}`, are read everywhere.',
        "`kunstgriff channels FIG.zip` lists those of a figure. This page is written from the code.",
        "",
        "| quantity | of a | what it is | unit | at rest | from | to |",
        "|---|---|---|---|---|---|---|",
    ]
    for quantity in quantities().values():
        lines.append(
            f"| `{quantity.name}` | {', '.join(quantity.of)} | {quantity.word} | {quantity.unit} | {quantity.rest:g} | {quantity.low:g} | {quantity.high:g} |"
        )
    return "\n".join(lines) + "\n"


if __name__ == "__main__":
    main()
