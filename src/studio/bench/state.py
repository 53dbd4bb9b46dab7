"""What the bench needs to know of a figure at one revision."""

from __future__ import annotations

from dataclasses import asdict
from functools import lru_cache
from typing import Any

import numpy as np
from django.urls import reverse
from numpy.typing import NDArray

from kunstgriff.artwork.blending import MODES
from kunstgriff.binding.contours import LEVELS, contour_crossings
from kunstgriff.binding.mesh import mesh_edges
from kunstgriff.evaluate.program import RigProgram, compile_program
from kunstgriff.evaluate.sharing import program_key, shared_with
from kunstgriff.evaluate.state import RigState
from kunstgriff.evaluate.switching import SetSwitch
from kunstgriff.figure.channels import quantities
from kunstgriff.figure.flipping import flipped_ids
from kunstgriff.figure.mirroring import one_way, other_sides
from kunstgriff.figure.model import Figure as FigureValue
from kunstgriff.figure.model import Weighted
from kunstgriff.figure.stores import Beside
from kunstgriff.figure.turning import on_loan, seen_from
from kunstgriff.follow.intent import MATERIALS
from kunstgriff.skeleton.bones import chain_from, colour_of
from kunstgriff.trial.motion import Trying, frame_count, motions_of, rate_of
from kunstgriff.trial.swing import swung_bones
from studio.bench.colours import blended_colours
from studio.bench.seen import Seen
from studio.library.actions import value_of
from studio.library.models import Figure, Revision
from studio.library.stores import DatabaseStores

KEPT = 24  # programs that stay compiled; of the demo each is some 3 MB


def bench_state(figure: Figure, may_edit: bool, facing: int = 0) -> dict[str, Any]:
    """The document, as it is seen from a facing, with what the browser must not work out for itself: colours, draw
    list, findings, undo."""
    head = Revision.objects.defer("document").get(pk=figure.newest_id)
    seen = seen_at(head.pk, facing)
    value, program = compiled(seen)
    rest = RigState(program)
    following = head.children.order_by("-pk").defer("document").first()
    sheet = figure.art_sheets.filter(sheet__isnull=True).order_by("-pk").first()
    waiting = figure.art_sheets.filter(sheet__isnull=False).order_by("-pk").first()
    return {
        "revision": head.pk,
        "seen": str(seen),
        "facings": facings_told(value, seen.facing),
        "saved": head.created.isoformat(),
        "changed": figure.changed.timestamp(),
        "mayEdit": may_edit,
        "undo": head.told if head.parent_id else None,
        "redo": following.told if following else None,
        "figure": value.model_dump(mode="json", exclude={"turnaround": {"facings"}}),
        "geometry": _keyed(seen)[1],
        "colours": {bone.id: "#{:02x}{:02x}{:02x}".format(*colour_of(bone.hue)) for bone in value.bones},
        "chains": {bone.id: [one.id for one in chain_from(value, bone.id)] for bone in value.bones},
        "items": [asdict(item) for item in program.items],
        "amounts": rest.amounts.tolist(),
        "order": rest.order() if program.rules else [],
        "layers": {group.id: [group.opacity, MODES.index(group.blend)] for group in value.groups},
        "drawn": [one.id for some in (value.parts, value.groups) for one in some],
        "modes": MODES,
        "blocks": {ref: [block.start, block.count] for ref, block in program.blocks.items()},
        "showing": [
            [number, one.ref, one.number]
            for number, one in enumerate(program.board.readings)
            if isinstance(one, SetSwitch)
        ],
        "notices": sheet.notices if sheet else [],
        "source": figure.art_sheets.exclude(source="").exists(),
        "renewal": _renewal(figure.pk, waiting.pk, seen) if waiting and may_edit else "",
        "quantities": {name: asdict(one) for name, one in quantities().items()},
        "swing": {"bones": swung_bones(value)},
        "rate": value.rate,
        "materials": {name: one.word for name, one in MATERIALS.items()},
        "motions": [
            {
                "name": one.name,
                "frames": frame_count(one, rate_of(one, value)),
                "rate": rate_of(one, value),
                "about": one.about if isinstance(one, Trying) else "",
            }
            for one in motions_of(value)
        ],
    }


def _renewal(figure: int, sheet: int, seen: Seen) -> str:
    """Where a new sheet is taken over on the facing that is shown."""
    asked = f"?facing={seen.facing}" if seen.facing else ""
    return f"{reverse('renewal', args=[figure, sheet])}{asked}"


def facings_told(figure: FigureValue, number: int) -> dict[str, Any] | None:
    """The facings of a figure that is seen from one of them: each with its name and angle, which one is shown and
    whether in a mirror, what in it is on loan, and how a pose changes sides. None where it has one side only."""
    turnaround = figure.turnaround
    if turnaround is None:
        return None
    shown = turnaround.facing(number) or turnaround.facing(turnaround.first)
    assert shown is not None
    return {
        "address": f"{turnaround.id}.facing",
        "first": turnaround.first,
        "shown": shown.number,
        "mirrored": shown.mirrors is not None,
        "facings": [
            {"number": one.number, "name": one.name, "angle": one.angle, "mirrors": one.mirrors}
            for one in turnaround.facings
        ],
        "loans": sorted(on_loan(figure)),
        "flipped": sorted(flipped_ids(figure)),
        "otherSides": other_sides(figure),
        "oneWay": sorted(one_way(figure)),
    }


@lru_cache(maxsize=KEPT)
def compiled(seen: Seen) -> tuple[FigureValue, RigProgram]:
    """Figure and program of a revision, from one facing; revisions never change."""
    value, key = _keyed(seen)
    program = shared_program(key, Beside(value))
    return value, program if program.figure is value else shared_with(program, value)


def seen_at(revision: int, facing: int) -> Seen:
    """A revision from the facing of that number, the first where it has none such."""
    turnaround = value_of(Revision.objects.defer("document").get(pk=revision)).turnaround
    if turnaround is None or turnaround.facing(facing) is None or facing == turnaround.first:
        return Seen(revision)
    return Seen(revision, facing)


@lru_cache(maxsize=KEPT)
def _keyed(seen: Seen) -> tuple[FigureValue, str]:
    """Figure of a revision from one facing, and the key of its program."""
    value = value_of(Revision.objects.defer("document").get(pk=seen.revision))
    if value.turnaround is not None:
        value = seen_from(value, seen.facing)
    return value, program_key(value)


@lru_cache(maxsize=KEPT)
def shared_program(_key: str, beside: Beside[FigureValue]) -> RigProgram:
    """The program of all figures with one key."""
    return compile_program(beside.value, DatabaseStores())


def bench_geometry(seen: Seen) -> dict[str, NDArray[Any]]:
    """Vertices at rest, picture coordinates, triangles, and how weights look: tints and contour lines."""
    value, program = compiled(seen)
    tint = blended_colours(value, program.nets.bones, program.nets.weights)
    following = np.rint(program.nets.weights.sum(1)).astype(np.uint8) * 255
    lines, shares, levels, bones = _contours(value, program)
    return {
        "rest": program.rest,
        "uv": program.nets.uv,
        "indices": program.indices.astype(np.uint32),
        "tint": np.column_stack([np.rint(tint).astype(np.uint8), following]),
        "meshEdges": _mesh_edges(program),
        "contourEdges": lines,
        "contourShares": shares,
        "contourLevels": levels,
        "contourBones": bones,
        "joints": program.skeleton.joints.astype(np.float32),
        "tips": program.skeleton.tips.astype(np.float32),
    }


def _mesh_edges(program: RigProgram) -> NDArray[np.uint32]:
    """Each edge of each part's mesh once, (k, 2)."""
    faces = np.concatenate([block.triangles for block in program.blocks.values()] or [np.zeros((0, 3), np.int32)])
    return mesh_edges(faces)[0].astype(np.uint32)


def _contours(value: FigureValue, program: RigProgram) -> tuple[NDArray[Any], NDArray[Any], NDArray[Any], NDArray[Any]]:
    """Contour segments of every weighted part and influence: edges (k, 2, 2), shares (k, 2), level and bone (k,)."""
    edges, shares, levels, bones = [], [], [], []
    for part in value.parts:
        if not isinstance(part.binding, Weighted) or len(part.binding.influences) < 2:
            continue
        block = program.blocks[part.id]
        table = DatabaseStores().get_array(part.binding.weights)
        for column, ref in enumerate(part.binding.influences):
            for level in LEVELS:
                found, share = contour_crossings(block.triangles - block.start, table[:, column], level)
                edges.append(found + block.start)
                shares.append(share)
                levels.append(np.full(len(found), level, np.float32))
                bones.append(np.full(len(found), program.bone_index[ref], np.int32))
    if not edges:
        return (
            np.zeros((0, 2, 2), np.uint32), np.zeros((0, 2), np.float32), np.zeros(0, np.float32),
            np.zeros(0, np.int32),
        )  # fmt: skip
    return (
        np.concatenate(edges).astype(np.uint32),
        np.concatenate(shares),
        np.concatenate(levels),
        np.concatenate(bones),
    )
