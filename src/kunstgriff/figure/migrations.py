"""Documents of older versions as they would be written today. Every document ever written is still read.

Each step takes plain data of one version to the next and trusts nothing about it: what is not as that version had it is
left for the model to refuse.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Final, Literal

TODAY: Final[Literal["kunstgriff.figure/4"]] = "kunstgriff.figure/4"
OF_DRAWINGS = ("picture", "place", "size", "pivot", "inks", "split", "remade", "strip")
BY_BONE = ("turn", "move", "stretch")  # a pose as it was written before there were channels, which `Pose` still reads

MISSES = {
    "opens-a-gap": "gap", "has-a-jump-to-one-piece": "jump", "shows-a-line-across": "ink",
    "has-a-line-of-two-widths": "step", "has-a-notch": "notch", "stands-out-beyond-one-limb": "beyond",
    "falls-short-of-one-limb": "short",
}  # fmt: skip

Document = dict[str, Any]


def lifted(data: Any) -> Any:
    """A document of any version as today's, or what it is where it is none."""
    if not isinstance(data, dict):
        return data
    while (step := STEPS.get(str(data.get("format", TODAY)))) is not None:
        data = step(dict(data))
    return data


def _from_1(data: Document) -> Document:
    """Covers stood by themselves before there were other treatments, a gusset was called a patch, kept poses were told
    by bone, and they, meetings and halves of a drawing could name what was gone."""
    covers = data.pop("covers", None)
    if isinstance(covers, list):
        found = [{"kind": "cover", **one} if isinstance(one, dict) else one for one in covers]
        data["treatments"] = [*found, *data.get("treatments", ())]
    treatments = data.get("treatments")
    if isinstance(treatments, list):
        data["treatments"] = [{**one, "kind": "gusset"} if _is_patch(one) else one for one in treatments]
    bones = {one.get("id") for one in _dicts(data.get("bones")) if isinstance(one.get("id"), str)}
    if "poses" in data:
        data["poses"] = [_of_bones(dict(one), bones) if isinstance(one, dict) else one for one in _list(data["poses"])]
    if "meetings" in data:
        data["meetings"] = [
            one for one in _list(data["meetings"]) if not isinstance(one, dict) or one.get("bone") in bones
        ]
    parts = {one.get("id") for one in _dicts(data.get("parts")) if isinstance(one.get("id"), str)}
    if "parts" in data:
        data["parts"] = [_of_parts(one, parts) if isinstance(one, dict) else one for one in _list(data["parts"])]
    if isinstance(data.get("accepted"), list):
        data["accepted"] = [by_kind(one) for one in data["accepted"]]
    data["format"] = "kunstgriff.figure/2"
    return data


def _from_2(data: Document) -> Document:
    """Delta mush stood in the binding, vertices weighted by hand were held, and ink and fill were apart."""
    if "parts" in data:
        data["parts"] = [_deformed(dict(one)) if isinstance(one, dict) else one for one in _list(data["parts"])]
    data["format"] = "kunstgriff.figure/3"
    return data


def _from_3(data: Document) -> Document:
    """A part was its drawing as well, on every facing."""
    _parts_drawn(data)
    if isinstance(data.get("turnaround"), dict):
        turnaround = data["turnaround"] = dict(data["turnaround"])
        if isinstance(turnaround.get("facings"), list):
            turnaround["facings"] = [dict(one) if isinstance(one, dict) else one for one in turnaround["facings"]]
            for one in _dicts(turnaround["facings"]):
                _parts_drawn(one)
    data["format"] = TODAY
    return data


def _parts_drawn(of: Document) -> None:
    """Say of what lists parts that each has a drawing."""
    if "parts" in of:
        of["parts"] = [_with_drawing(dict(one)) if isinstance(one, dict) else one for one in _list(of["parts"])]


def _with_drawing(part: Document) -> Document:
    part["drawing"] = {name: part.pop(name) for name in OF_DRAWINGS if name in part}
    return part


def _deformed(part: Document) -> Document:
    """A part with its deformers beside its binding."""
    if "apart" in part:
        part["split"] = part.pop("apart")
    binding = part.get("binding")
    if isinstance(binding, dict) and binding.get("mush") is not None:
        mush = binding["mush"]
        part["deformers"] = [{**mush, "kind": "delta_mush"} if isinstance(mush, dict) else mush]
    if isinstance(binding, dict):
        part["binding"] = _by_hand(binding)
    if isinstance(part.get("shelved"), list):
        part["shelved"] = [_by_hand(one) if isinstance(one, dict) else one for one in part["shelved"]]
    return part


def _by_hand(binding: Document) -> Document:
    binding = {name: value for name, value in binding.items() if name != "mush"}
    if "held" in binding:
        binding["manual_mask"] = binding.pop("held")
    return binding


def by_kind(key: Any) -> Any:
    """The key of an accepted finding about a seam, which once had words in it, by the kind of what misses."""
    if not isinstance(key, str) or not key.startswith("seam:"):
        return key
    steps = key.split(":")
    return ":".join(MISSES.get(one, one) if place == 2 else one for place, one in enumerate(steps))


def _of_parts(part: Document, parts: set[Any]) -> Document:
    """A part whose drawing was cut off that of one that is there, or of none."""
    if not isinstance(part.get("remade"), list):
        return part
    steps = [
        {**one, "of": None} if isinstance(one, dict) and one.get("of", None) not in (None, *parts) else one
        for one in part["remade"]
    ]
    return {**part, "remade": steps}


def _of_bones(kept: Document, bones: set[Any]) -> Document:
    """A kept pose of bones that are there, as a pose was written then."""
    tables = {name: kept.pop(name) for name in BY_BONE if name in kept}
    of_them = {
        name: {ref: one for ref, one in table.items() if ref in bones} if isinstance(table, dict) else table
        for name, table in tables.items()
    }
    return {**kept, "pose": of_them}


def _is_patch(treatment: Any) -> bool:
    return isinstance(treatment, dict) and treatment.get("kind") == "patch"


def _list(value: Any) -> list[Any]:
    return value if isinstance(value, list) else []


def _dicts(value: Any) -> list[Document]:
    return [one for one in _list(value) if isinstance(one, dict)]


STEPS: dict[str, Callable[[Document], Document]] = {
    "kunstgriff.figure/1": _from_1,
    "kunstgriff.figure/2": _from_2,
    "kunstgriff.figure/3": _from_3,
}
