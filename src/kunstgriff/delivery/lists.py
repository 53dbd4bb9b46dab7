"""Delivery lists: several deliveries saved under a name, made in one go and again of the next revision."""

from __future__ import annotations

import json
import os
import shutil
import tempfile
from pathlib import Path
from typing import Annotated, Any

from pydantic import Field, ValidationError

from kunstgriff.artwork.sheet import Progress, no_progress
from kunstgriff.delivery.deliver import WRITERS, DeliveryOrder, deliver, ending_of
from kunstgriff.delivery.frames import Shot
from kunstgriff.delivery.names import file_stem
from kunstgriff.delivery.telling import Delivered, tell_beside
from kunstgriff.figure.model import Figure
from kunstgriff.figure.pose import Pose
from kunstgriff.figure.refusal import DeliveryRefused, EditRefused, tell
from kunstgriff.figure.stores import Stores
from kunstgriff.figure.values import Name, Value
from kunstgriff.paint.painter import SIDE_LIMIT
from kunstgriff.trial.motion import motion_named

MOST = 40  # deliveries in a list
LONGEST = 120  # letters of a file's name
EVERY = "*"  # all motions of the figure's own
LARGEST = 1024 * 1024  # bytes of a list
OF_NO_FIGURE = (".compared.html",)  # what takes more than a figure

Side = Annotated[int, Field(ge=1, le=SIDE_LIMIT)]


class Listed(Shot):
    """One delivery of a list: the `file` it becomes, whose ending says what it is; {figure}, {motion} and {list} in it
    stand for their names. Of which `motion`, the test swing without one, “*” for each of the figure's own; in which
    kept `pose`; how large, at what rate, and how it is filmed."""

    file: Annotated[str, Field(min_length=1, max_length=LONGEST)]
    motion: Annotated[str, Field(max_length=80)] | None = None
    pose: Annotated[str, Field(max_length=80)] | None = None
    size: tuple[Side, Side] | None = None
    rate: Annotated[int, Field(ge=1, le=240)] | None = None


class DeliveryList(Value):
    """Deliveries that are made in one go."""

    name: Name
    files: Annotated[tuple[Listed, ...], Field(min_length=1, max_length=MOST)]


def read_list(text: str | bytes) -> DeliveryList:
    """A list from its JSON. Raises DeliveryRefused for what is none."""
    if len(text) > LARGEST:
        raise DeliveryRefused("That is no delivery list: it is far too long.")
    try:
        return list_of(json.loads(text))
    except (ValueError, RecursionError) as error:
        if isinstance(error, DeliveryRefused):
            raise
        raise DeliveryRefused("That is no delivery list: it is no JSON.") from error


def list_of(data: Any) -> DeliveryList:
    """A list from plain data. Raises DeliveryRefused for what is none."""
    try:
        return DeliveryList.model_validate(data)
    except ValidationError as error:
        raise DeliveryRefused(f"That is no delivery list: {tell(error)}") from error


def orders(one: DeliveryList, figure: Figure, stores: Stores, progress: Progress) -> list[tuple[str, DeliveryOrder]]:
    """The files of a list and what each is an order for. Raises DeliveryRefused for a motion or pose that is gone, an
    ending that there is not, and two files of one name."""
    found = list[tuple[str, DeliveryOrder]]()
    for listed in one.files:
        names: list[str | None] = [listed.motion]
        if listed.motion == EVERY:
            names = [motion.name for motion in figure.motions]
            if not names:
                raise DeliveryRefused(f"“{listed.file}” is of every motion, and “{figure.name}” has none of its own.")
        for name in names:
            try:
                motion = motion_named(figure, name)
            except EditRefused as error:
                raise DeliveryRefused(f"“{listed.file}” of the list “{one.name}”: {error}") from error
            file = listed.file
            for word, stands_for in (("figure", figure.name), ("motion", motion.name), ("list", one.name)):
                file = file.replace(f"{{{word}}}", file_stem(stands_for))
            if Path(file).name != file or file.startswith(".") or not file.isprintable():
                raise DeliveryRefused(f"“{listed.file[:80]}” is no name for a file; it lies in the folder itself.")
            if (ending := ending_of(file)) is None or ending in OF_NO_FIGURE:
                raise DeliveryRefused(f"“{listed.file[:80]}” ends in nothing that is delivered: {', '.join(WRITERS)}.")
            order = DeliveryOrder(
                figure, stores, _pose(listed, figure), listed.size, progress, listed.rate, motion, shot=listed,
            )  # fmt: skip
            if file in [known for known, _ in found]:
                raise DeliveryRefused(f"Two deliveries of the list “{one.name}” would be called “{file}”.")
            found.append((file, order))
    return found


def _pose(listed: Listed, figure: Figure) -> Pose:
    if listed.pose is None:
        return Pose()
    kept = next((one.pose for one in figure.poses if listed.pose == one.name), None)
    if kept is None:
        raise DeliveryRefused(f"“{listed.file}” is of the pose “{listed.pose}”, which is not there any more.")
    return kept


def deliver_list(
    folder: Path, one: DeliveryList, figure: Figure, stores: Stores, progress: Progress = no_progress
) -> list[Delivered]:
    """Make all deliveries of a list in a folder, with what is told of them; all or none.

    Files that the same list made there before are replaced. Raises DeliveryRefused for what `orders` does, where a
    file would replace one that is not of this list, and where nothing can be written.
    """
    asked = orders(one, figure, stores, progress)
    stem = file_stem(one.name)
    mine = _made_before(folder / f"{stem}.told.json")
    for file, _ in asked:
        if (folder / file).exists() and file not in mine:
            raise DeliveryRefused(
                f"“{file}” is in that folder already and is not of the list “{one.name}”; take another folder."
            )
    try:
        folder.mkdir(parents=True, exist_ok=True)
        unfinished = Path(tempfile.mkdtemp(prefix=".delivery-", dir=folder))
    except OSError as error:
        raise DeliveryRefused(f"Nothing can be written to “{folder}”: {error.strerror}.") from error
    try:
        made = [Delivered(unfinished / file, deliver(unfinished / file, order)) for file, order in asked]
        beside = tell_beside(unfinished / stem, figure.name, made)
        for path in (*(each.file for each in made), *beside):
            os.replace(path, folder / path.name)
        for gone in mine - {file for file, _ in asked}:
            (folder / gone).unlink(missing_ok=True)
    except OSError as error:
        raise DeliveryRefused(f"The deliveries could not be written: {error.strerror or error}.") from error
    finally:
        shutil.rmtree(unfinished, ignore_errors=True)
    return [Delivered(folder / each.file.name, each.told) for each in made]


def _made_before(told: Path) -> set[str]:
    """The files that a list made in a folder before, by what it told of them."""
    try:
        files = {str(each["file"]) for each in json.loads(told.read_text())["files"]}
    except (OSError, ValueError, KeyError, TypeError):
        return set()
    return {file for file in files if Path(file).name == file}
