"""A pose: the values of channels, each by its address; what is not named is at rest."""

from __future__ import annotations

from collections.abc import Container, Iterator, Mapping, Sequence
from typing import Annotated, Any, Protocol

from pydantic import Field, ValidationError, model_validator

from kunstgriff.figure.channels import Of, addressed, parted, quantities
from kunstgriff.figure.references import Means
from kunstgriff.figure.refusal import EditRefused, tell
from kunstgriff.figure.values import Value

Address = Annotated[str, Field(min_length=3, max_length=130), Means("channel", subject=True)]
Amount = Annotated[float, Field(allow_inf_nan=False, ge=-1e6, le=1e6), Means("channel value")]
BEFORE = {"turn": ("turn",), "move": ("move.x", "move.y"), "stretch": ("stretch.along", "stretch.across")}


class Named(Protocol):
    """What has an id and a name."""

    @property
    def id(self) -> str: ...
    @property
    def name(self) -> str: ...


class Posable(Protocol):
    """A figure, as far as a pose has to know it."""

    @property
    def bones(self) -> Sequence[Named]: ...
    @property
    def parts(self) -> Sequence[Named]: ...
    @property
    def groups(self) -> Sequence[Named]: ...
    @property
    def handles(self) -> Sequence[Named]: ...
    @property
    def reaches(self) -> Sequence[Named]: ...
    @property
    def levers(self) -> Sequence[Named]: ...
    @property
    def shapes(self) -> Sequence[Named]: ...
    @property
    def springs(self) -> Sequence[Named]: ...
    @property
    def jellies(self) -> Sequence[Named]: ...
    @property
    def winds(self) -> Sequence[Named]: ...
    @property
    def turnarounds(self) -> Sequence[Named]: ...
    @property
    def handles_elsewhere(self) -> Container[str]: ...


def posable(figure: Posable) -> dict[Of, Sequence[Named]]:
    """All things of a figure that can be posed, by what they are."""
    return {
        "bone": figure.bones,
        "part": figure.parts,
        "group": figure.groups,
        "handle": figure.handles,
        "reach": figure.reaches,
        "lever": figure.levers,
        "shape": figure.shapes,
        "spring": [*figure.springs, *figure.jellies],
        "wind": figure.winds,
        "figure": figure.turnarounds,
    }


class Pose(Value):
    """`channels`: values by address, in the unit of their quantity: `{"b4.turn": 40, "b4.move.x": 10}`.

    What they are of is named by id, or from outside by name. An empty pose is the rest pose. Poses as they were written
    before, by bone under `turn`, `move` and `stretch`, are read.
    """

    channels: Annotated[dict[Address, Amount], Field(max_length=40_000)] = {}

    @model_validator(mode="before")
    @classmethod
    def _as_written_today(cls, data: Any) -> Any:
        if isinstance(data, Mapping) and data and set(data) <= set(BEFORE):
            return {"channels": dict(_by_address(data))}
        if isinstance(data, Mapping) and data and all(isinstance(one, int | float) for one in data.values()):
            return {"channels": dict(data)}
        return data

    @classmethod
    def of_bones(
        cls,
        turn: Mapping[str, float] | None = None,
        move: Mapping[str, tuple[float, float]] | None = None,
        stretch: Mapping[str, tuple[float, float]] | None = None,
    ) -> Pose:
        """Bones turned (degrees), moved (x, y px) and stretched (times along, across), by id or name."""
        return cls(channels=dict(_by_address({"turn": turn or {}, "move": move or {}, "stretch": stretch or {}})))

    def of(self, name: str) -> dict[str, float]:
        """The values of one quantity by what they are of."""
        return {
            ref: value for address, value in self.channels.items() for ref, one in (parted(address),) if one == name
        }

    @property
    def at_rest(self) -> bool:
        """Whether nothing is posed."""
        return all(value == rest_of(address) for address, value in self.channels.items())

    def merged(self, other: Pose) -> Pose:
        """This pose with the other's channels over its own."""
        return self.model_copy(update={"channels": {**self.channels, **other.channels}})

    def restricted_to(self, refs: Container[str]) -> Pose:
        """What of the pose is of some things, by id."""
        kept = {address: value for address, value in self.channels.items() if parted(address)[0] in refs}
        return self.model_copy(update={"channels": kept})

    def without(self, refs: Container[str]) -> Pose:
        """What of the pose is not of some things, by id."""
        kept = {address: value for address, value in self.channels.items() if parted(address)[0] not in refs}
        return self.model_copy(update={"channels": kept})

    def swapped(self, other_side: Mapping[str, str]) -> Pose:
        """The pose with sides changed: each channel at its like on the other side, as it is."""
        flipped = {}
        for address, value in self.channels.items():
            ref, name = parted(address)
            flipped[addressed(other_side.get(ref, ref), name)] = value
        return self.model_copy(update={"channels": flipped})

    def by_id(self, figure: Posable) -> Pose:
        """The pose with everything named by id. Where a bone, a part and a group share a name, the bone is meant, then
        the part; `part:` or `group:` before the name says otherwise. What other facings have is taken by its id.
        Raises EditRefused for what the figure does not have, and for what is no channel."""
        named: dict[tuple[Of, str], str] = {}
        things = posable(figure)
        for kind, some in things.items():
            named |= {(kind, one.id): one.id for one in some} | {(kind, one.name): one.id for one in some}
        channels = {}
        for address, value in self.channels.items():
            ref, name = parted(address)
            known = quantities().get(name)
            if known is None:
                raise EditRefused(f"“{address[:60]}” names no channel.")
            kinds: tuple[Of, ...] = known.of
            said, _, rest = ref.partition(":")
            if said in kinds and (said, rest) in named:
                kinds, ref = (said,), rest
            found = next((named[kind, ref] for kind in kinds if (kind, ref) in named), None)
            if found is None and ref in figure.handles_elsewhere:
                found = ref
            if found is None:
                raise EditRefused(f"The pose names a {' or '.join(kinds)} “{ref}”, which the figure does not have.")
            channels[addressed(found, name)] = value
        return self.model_copy(update={"channels": channels})

    def sparse(self, within: float = 0.0) -> Pose:
        """The pose without channels that are at rest, or `within` so much of it."""
        kept = {address: one for address, one in self.channels.items() if abs(one - rest_of(address)) > within}
        return self.model_copy(update={"channels": kept})


def rest_of(address: str) -> float:
    """The value of a channel at rest."""
    known = quantities().get(parted(address)[1])
    return known.rest if known is not None else 0.0


def _by_address(before: Mapping[str, Any]) -> Iterator[tuple[str, Any]]:
    """The channels of a pose as it was written before."""
    for group, names in BEFORE.items():
        table = before.get(group, {})
        if not isinstance(table, Mapping):
            raise ValueError(f"{group}: this is no table of bones.")
        for ref, value in table.items():
            values = (value,) if len(names) == 1 else value
            if not isinstance(values, list | tuple) or len(values) != len(names):
                raise ValueError(f"{group} {ref}: {len(names)} numbers are wanted.")
            for name, each_name in zip(names, values, strict=True):
                yield addressed(str(ref), name), each_name


def parse_pose(data: Any) -> Pose:
    """A pose from plain data, each channel one there is and within its ends. Raises EditRefused with a sentence."""
    try:
        pose = Pose.model_validate(data)
    except ValidationError as error:
        raise EditRefused(f"This is not a pose: {tell(error)}") from error
    for address, value in pose.channels.items():
        known = quantities().get(parted(address)[1])
        if known is None:
            raise EditRefused(f"“{address[:60]}” names no channel; there are {', '.join(quantities())}.")
        if not known.low <= value <= known.high:
            raise EditRefused(f"“{address[:60]}” goes from {known.low:g} to {known.high:g} {known.unit}.")
        if known.stepped and value != int(value):
            raise EditRefused(f"“{address[:60]}” has whole numbers only.")
    return pose
