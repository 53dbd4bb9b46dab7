"""The door of the shell: says what there is at once, and loads what a command needs only when it is called."""

from __future__ import annotations

from collections.abc import Callable
from importlib import import_module
from typing import Any

import click

from kunstgriff import __version__

COMMANDS = {  # as each command's own first line says it; the tests hold them together
    "bind": "Bind every part to the bones that run through it, as the bench does, and say which are left over.",
    "channels": "List what of a figure can be posed: each channel's address, unit, value at rest and ends.",
    "check": "Read every seam and every bend over its joint's range; ends with 1 when one is beyond what is tolerated.",
    "compare": "Play two revisions of a figure through one motion and tell how far they depart.",
    "deliver": "Write a delivery; the ending of the file says which.",
    "edit": "Apply a JSON list of edits, the very ones the bench makes, to a figure archive.",
    "film": "Lay a film, or numbered pictures, under a motion to go by.",
    "hem": "Read skirts over all turns of both legs: where a leg shows through, a wedge opens, cloth folds over.",
    "import": "Make a figure archive from layered artwork: .ora, .svg, .tif, .png, or a .zip of PNGs with places.json.",
    "pose": "Paint a figure in a pose as PNG, or in a list of poses as so many of them.",
    "prove": "Drive every joint and control through its range, read what is seen, and write the report.",
    "read": "Turn a joint through its range and read what becomes of the limb, or read every seam of the figure.",
    "sound": "Lay a sound (WAV, FLAC or Ogg) beside a motion.",
    "treat": "Treat every seam as the bench proposes: each joint tried in all ways, the one that reads best taken.",
}


class Door(click.Group):
    """A group whose commands are loaded when they are called."""

    def list_commands(self, context: click.Context) -> list[str]:
        return list(COMMANDS)

    def get_command(self, context: click.Context, name: str) -> click.Command | None:
        found: click.Command | None = None
        if name in COMMANDS:
            import_module("kunstgriff.stages").install()
            found = import_module("kunstgriff.commands").COMMANDS.commands[name]
        return found

    def format_commands(self, context: click.Context, formatter: click.HelpFormatter) -> None:
        with formatter.section("Commands"):
            formatter.write_dl(list(COMMANDS.items()))


@click.group(cls=Door, context_settings={"help_option_names": ["-h", "--help"]})
@click.version_option(__version__)
def cli(**_: Any) -> None:
    """Kunstgriff in the shell. Exit code 0: done; 1: refused, with a sentence; 2: wrong usage."""


main: Callable[[], None] = cli
