"""Laid-on shapes and correctives: made from a pose, pulled at on the posed sheet, changed, taken off."""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator, Sequence
from typing import Annotated, Any, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from kunstgriff.control.handles import values_of
from kunstgriff.control.lever_edits import refuse_tangles
from kunstgriff.control.sculpting import mixed_at, pulled_by
from kunstgriff.evaluate.state import RigState
from kunstgriff.figure.channels import parted, quantities
from kunstgriff.figure.controls import Corrective, Sample, Sculpt, Shape
from kunstgriff.figure.edit import Edit, EditRefused, free_name, need_bone, need_part, placed
from kunstgriff.figure.model import Figure, Mesh, Name, Part, Rider
from kunstgriff.figure.pose import Pose
from kunstgriff.figure.stores import Stores

Floats = NDArray[np.float64]
SAME = 0.5  # degrees within which a turn is that of a sample


def need_shape(figure: Figure, key: str) -> Shape:
    """The laid-on shape with this id or name, else EditRefused."""
    found = next((one for one in figure.shapes if key in (one.id, one.name)), None)
    if found is None:
        raise EditRefused(f"There is no shape “{key}” to lay on.")
    return found


def need_corrective(figure: Figure, key: str) -> Corrective:
    """The corrective with this id or name, else EditRefused."""
    found = next((one for one in figure.correctives if key in (one.id, one.name)), None)
    if found is None:
        raise EditRefused(f"There is no corrective “{key}”.")
    return found


def with_shape(figure: Figure, one: Shape) -> Figure:
    """The figure with a shape, in the place of the one with its id where there is one. Raises EditRefused where
    channels then move each other in a circle."""
    shapes = placed(figure.shapes, one)
    after = figure.replace(shapes=shapes, next_id=figure.next_id + len(shapes) - len(figure.shapes))
    refuse_tangles(after)
    return after


def with_corrective(figure: Figure, one: Corrective) -> Figure:
    """The figure with a corrective, in the place of the one with its id."""
    return figure.replace(correctives=placed(figure.correctives, one))


def mesh_of(part: Part) -> Mesh:
    """The mesh a part is pulled at by, else EditRefused."""
    if isinstance(part.binding, Rider):
        raise EditRefused(f"“{part.name}” rides on something; pull at what carries it.")
    if part.mesh_now is None:
        raise EditRefused(f"“{part.name}” has no mesh to pull at; bind it with weights first.")
    return part.mesh_now


def sculpted(part: Part, offsets: Floats, stores: Stores) -> Sculpt:
    """How its mesh as it is now is pulled, by offsets (n, 2)."""
    mesh = mesh_of(part)
    stored = stores.put_array(offsets.astype(np.float32))
    return Sculpt(
        part=part.id, place=part.drawing.place, vertices=mesh.vertices, triangles=mesh.triangles, offsets=stored
    )


def points_of(part: Part, stores: Stores) -> Floats:
    """The vertices (n, 2) of its mesh on the figure at rest."""
    return np.asarray(stores.get_array(mesh_of(part).vertices).astype(np.float64) + part.drawing.place)


def offsets_of(sculpts: Iterable[Sculpt], part: Part, stores: Stores) -> Floats:
    """How far (n, 2) some sculpts pull the mesh that a part has now."""
    return pulled_by(sculpts, part.id, points_of(part, stores), stores)


def turns_now(rig: RigState, bones: Sequence[str]) -> tuple[float, ...]:
    """How far bones are turned against their parents in the pose last evaluated, degrees."""
    rows, parents = [rig.program.bone_index[ref] for ref in bones], rig.program.skeleton.parents
    turns = (rig.angles[row] - (rig.angles[parents[row]] if parents[row] >= 0 else 0.0) for row in rows)
    return tuple(round(math.degrees(one), 2) for one in turns)


def sampled(figure: Figure, one: Corrective, at: tuple[float, ...], stores: Stores) -> tuple[Corrective, Sample]:
    """The corrective with a sample at turns of its bones, which looks as it did: the one within half a degree, or a new
    one. Raises EditRefused near rest."""
    if max(map(abs, at)) < SAME:
        raise EditRefused("At rest a corrective does nothing; turn the joint to where it looks wrong first.")
    known = next(
        (each for each in one.samples if max(abs(a - b) for a, b in zip(each.at, at, strict=True)) < SAME), None
    )
    if known is not None:
        return one, known
    sculpts = []
    for part in figure.parts:
        if any(each.part == part.id for sample in one.samples for each in sample.sculpts):
            offsets = {sample.at: offsets_of(sample.sculpts, part, stores) for sample in one.samples}
            sculpts.append(sculpted(part, mixed_at(offsets, at), stores))
    addresses = list(dict.fromkeys(address for sample in one.samples for address in sample.channels))
    channels = dict[str, float]()
    if addresses:
        mixed = mixed_at({sample.at: values_of(sample.channels, addresses) for sample in one.samples}, at)
        channels = dict(zip(addresses, mixed.tolist(), strict=True))
    sample = Sample(at=at, sculpts=tuple(sculpts), channels=channels)
    return Corrective(**{**dict(one), "samples": (*one.samples, sample)}), sample


def with_sample(figure: Figure, one: Corrective, sample: Sample) -> Figure:
    """The figure with a sample of a corrective in place of the one at the same turns."""
    samples = tuple(sample if each.at == sample.at else each for each in one.samples)
    return with_corrective(figure, one.model_copy(update={"samples": samples}))


class MakeShape(Edit):
    """Make a shape that is laid on by an amount, from what is posed.

    It comes on top of whatever else poses the figure, or `instead` of it; what comes in steps always does. Of the
    `pose` all channels count that are off rest; with `only` those of these things. It goes from `low` to `high`.
    """

    kind: Literal["make_shape"] = "make_shape"
    name: Name = "shape"
    pose: Pose | None = None
    only: Annotated[tuple[str, ...], Field(max_length=5_000)] | None = None
    instead: bool = False
    low: Annotated[float, Field(ge=-2, le=0)] = 0.0
    high: Annotated[float, Field(gt=0, le=2)] = 1.0
    like: Name | None = None

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        pose = (self.pose or Pose()).by_id(figure).sparse()
        if self.only is not None:
            pose = pose.restricted_to(self.only)
        on_top, instead = dict[str, float](), dict[str, float]()
        for channel, value in pose.channels.items():
            known = quantities()[parted(channel)[1]]
            if self.instead or known.stepped:
                instead[channel] = value
            else:
                on_top[channel] = value - known.rest
        name = free_name(self.name, {other.name for other in figure.shapes})
        shape = Shape(
            id=f"k{figure.next_id}", name=name, low=self.low, high=self.high, on_top=on_top, instead=instead,
            like=self.like,
        )  # fmt: skip
        return with_shape(figure, shape)

    def describe(self, figure: Figure) -> str:
        return f"make the shape {self.name}"


class SetShape(Edit):
    """Change a laid-on shape; what is not named stays. An empty `like` makes it like no other."""

    kind: Literal["set_shape"] = "set_shape"
    shape: str
    name: Name | None = None
    low: Annotated[float, Field(ge=-2, le=0)] | None = None
    high: Annotated[float, Field(gt=0, le=2)] | None = None
    like: Annotated[str, Field(max_length=80)] | None = None

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        return with_shape(figure, need_shape(figure, self.shape).model_copy(update=dict(self._changes())))

    def _changes(self) -> Iterator[tuple[str, Any]]:
        for name in ("name", "low", "high"):
            if (value := getattr(self, name)) is not None:
                yield name, value
        if self.like is not None:
            yield "like", self.like.strip() or None

    def describe(self, figure: Figure) -> str:
        return f"settings of {need_shape(figure, self.shape).name}"


class LiftShape(Edit):
    """Take a laid-on shape off."""

    kind: Literal["lift_shape"] = "lift_shape"
    shape: str

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        return figure.without([need_shape(figure, self.shape).id])

    def describe(self, figure: Figure) -> str:
        return f"take {need_shape(figure, self.shape).name} off"


class MakeCorrective(Edit):
    """Begin a corrective, which comes with the turn of one bone or of two together."""

    kind: Literal["make_corrective"] = "make_corrective"
    bones: Annotated[tuple[str, ...], Field(min_length=1, max_length=2)]
    name: Name | None = None

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        bones = [need_bone(figure, key) for key in self.bones]
        if len({bone.id for bone in bones}) < len(bones):
            raise EditRefused(f"“{bones[0].name}” is one bone; a corrective of two goes by two different ones.")
        name = free_name(
            self.name or " and ".join(bone.name for bone in bones), {one.name for one in figure.correctives}
        )
        made = Corrective(id=f"k{figure.next_id}", name=name, bones=tuple(bone.id for bone in bones))
        return figure.replace(correctives=(*figure.correctives, made), next_id=figure.next_id + 1)

    def describe(self, figure: Figure) -> str:
        return f"begin a corrective of {' and '.join(need_bone(figure, key).name for key in self.bones)}"


class LaySamples(Edit):
    """Lay a corrective of some bones with samples that were worked out, in place of those at the same turns.

    What they pull by is in the stores already. Without a corrective of these bones one is made.
    """

    kind: Literal["lay_samples"] = "lay_samples"
    bones: Annotated[tuple[str, ...], Field(min_length=1, max_length=2)]
    name: Name
    samples: Annotated[tuple[Sample, ...], Field(min_length=1, max_length=60)]

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        bones = tuple(need_bone(figure, key).id for key in self.bones)
        one = next((each for each in figure.correctives if each.bones == bones), None)
        if one is None:
            figure = MakeCorrective(bones=bones, name=self.name).apply(figure, stores)
            one = figure.correctives[-1]
        for sample in self.samples:
            for sculpt in sample.sculpts:
                mesh_of(need_part(figure, sculpt.part))
                _require_fitting(sculpt, stores)
            if len(sample.at) == len(bones) and max(map(abs, sample.at)) < SAME:
                raise EditRefused("At rest a corrective does nothing.")
        kept = [
            each
            for each in one.samples
            if not any(
                len(each.at) == len(new.at) and max(abs(a - b) for a, b in zip(each.at, new.at, strict=True)) < SAME
                for new in self.samples
            )
        ]
        return with_corrective(figure, Corrective(**{**dict(one), "samples": (*kept, *self.samples)}))

    def describe(self, figure: Figure) -> str:
        return f"correct {' and '.join(need_bone(figure, key).name for key in self.bones)}"


def _require_fitting(sculpt: Sculpt, stores: Stores) -> None:
    """Raise EditRefused where what pulls a mesh has not one finite move for each of its vertices."""
    points, offsets = (stores.get_array(one) for one in (sculpt.vertices, sculpt.offsets))
    faces = stores.get_array(sculpt.triangles)
    plane = points.ndim == 2 and points.shape[1] == 2 and offsets.shape == points.shape
    net = faces.ndim == 2 and faces.shape[1] == 3 and faces.dtype.kind == "i" and len(faces) > 0
    if not (plane and net and np.isfinite(offsets).all() and faces.min() >= 0 and faces.max() < len(points)):
        raise EditRefused("What shall be pulled does not fit its mesh.")


class ForgetSample(Edit):
    """Take out what a corrective lays on at one turn (degrees) of its bones."""

    kind: Literal["forget_sample"] = "forget_sample"
    corrective: str
    at: Annotated[tuple[float, ...], Field(min_length=1, max_length=2)]

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        one = need_corrective(figure, self.corrective)
        left = tuple(each for each in one.samples if each.at != self.at)
        if len(left) == len(one.samples):
            raise EditRefused(f"“{one.name}” has no sample at {' and '.join(f'{at:g}°' for at in self.at)}.")
        return with_corrective(figure, one.model_copy(update={"samples": left}))

    def describe(self, figure: Figure) -> str:
        return f"what {need_corrective(figure, self.corrective).name} lays on at {self.at[0]:g}°"


class LiftCorrective(Edit):
    """Take a corrective off."""

    kind: Literal["lift_corrective"] = "lift_corrective"
    corrective: str

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        return figure.without([need_corrective(figure, self.corrective).id])

    def describe(self, figure: Figure) -> str:
        return f"take the corrective {need_corrective(figure, self.corrective).name} off"
