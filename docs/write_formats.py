"""Write docs/formats/edits.md and figure.schema.json anew from the code.

.venv/bin/python docs/write_formats.py
"""

from __future__ import annotations

import inspect
import json
from pathlib import Path

import kunstgriff.stages  # noqa: F401 - registers every edit
from kunstgriff.commands import describe_field
from kunstgriff.figure.archive import schema
from kunstgriff.figure.edit import Edit

FORMATS = Path(__file__).parent / "formats"


def main() -> None:
    lines = [
        "# Every edit",
        "",
        "A list of these in JSON is what `kunstgriff edit FIG.zip EDITS.json -o FIG2.zip` takes; the bench makes the very",
        "same ones. Parts and bones are named by name or by id. Points are figure space: px, x right, y down, origin at",
        "the standing point. This page is written from the code by `docs/write_formats.py`.",
    ]
    for kind, edit in sorted(Edit.registry.items()):
        lines += ["", f"## {kind}", "", inspect.getdoc(edit) or "", ""]
        lines += [f"- `{name}`: {describe_field(edit, name)}" for name in edit.model_fields if name != "kind"]
    (FORMATS / "edits.md").write_text("\n".join(lines) + "\n")
    (FORMATS / "figure.schema.json").write_text(json.dumps(schema(), indent=1) + "\n")


if __name__ == "__main__":
    main()
