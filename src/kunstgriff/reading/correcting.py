"""A corrective proposed where a bend misses: the shape that brings the limb's outline to that of one drawn limb.

At an angle the painted outline is held against the ideal one (see `bent`): each of its spots is to go to the nearest
spot of that. What the vertices are pulled by is found from these moves, smooth over the mesh and less towards the
middle of the limb, turned back by each vertex's own blending; then the bend is read again, and what does not read
better is left.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from kunstgriff.control.pulling import unturned
from kunstgriff.control.shape_edits import sculpted
from kunstgriff.figure.controls import Sample
from kunstgriff.figure.edit import EditRefused, apply_edit
from kunstgriff.figure.model import Bone, Figure, Weighted
from kunstgriff.figure.stores import Stores
from kunstgriff.paint.painter import Painter
from kunstgriff.reading.bends import Told, misses_of
from kunstgriff.reading.joint import JointReader, range_angles

REACHES = 2.4  # half widths about the joint in which anything is pulled
INWARDS = 0.8  # half widths from the outline at which a pull has lost all but a third
FARTHEST = 0.8  # half widths a spot is moved at the most; more is another drawing
FADES = 0.6  # half widths over which pulls end at the rim of that
ROUNDS = 3  # of smoothing over the mesh
PASSES = 6  # over which a shape comes to what is wanted
BETTER = 0.85  # of what a bend misses that may be left
ZOOM = 2  # px of the picture for one of the figure, in which outlines are followed

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class Corrected:
    """An edit that lays a corrective, and what it does: at each angle the worst that was missed and that still is."""

    edit: dict[str, Any]
    before: dict[float, Told]
    after: dict[float, Told | None]


def proposed_corrective(
    figure: Figure, stores: Stores, bone: Bone, painter: Painter, angles: Iterable[float] | None = None
) -> Corrected:
    """The corrective that mends what the bend at a bone's joint misses. Raises EditRefused where nothing bends there,
    nothing is missed, or nothing found reads better."""
    reader = JointReader(figure, stores, bone, painter)
    if reader.bent is None:
        raise EditRefused(f"At the joint of “{bone.name}” no limb bends whose outline could be told.")
    before: dict[float, Told] = {}
    for reading, _ in reader.read(angles if angles is not None else range_angles(bone)):
        misses = list(misses_of(figure, reader, reading))
        if misses and abs(reading.angle) > 5:
            before[reading.angle] = max(misses)
    if not before:
        raise EditRefused(f"The bend of “{bone.name}” misses nothing that could be mended.")
    known = next((one for one in figure.correctives if one.bones == (bone.id,)), None)
    samples, after = dict[float, Sample](), dict[float, Told | None]()
    for angle in sorted(before):
        sample, left = _solved(figure, stores, bone, painter, angle, before[angle])
        if sample is not None:
            samples[angle], after[angle] = sample, left
    if not samples:
        raise EditRefused(f"Nothing found reads better than the bend of “{bone.name}” as it is.")
    edit = _laying(bone, known.name if known is not None else bone.name, samples.values())
    return Corrected(edit, {angle: before[angle] for angle in samples}, after)


def _solved(
    figure: Figure, stores: Stores, bone: Bone, painter: Painter, angle: float, miss: Told
) -> tuple[Sample | None, Told | None]:
    """The sample at one angle that reads best, with what is still missed there; none where all read worse."""
    offsets = dict[str, Floats]()
    best: tuple[float, Sample | None, Told | None] = (BETTER * miss[0], None, None)
    for _ in range(PASSES):
        reader = JointReader(_with_sample(figure, stores, bone, angle, offsets), stores, bone, painter)
        for ref, more in _moves(reader, angle).items():
            offsets[ref] = offsets.get(ref, 0.0) + more
        sample = _sample(figure, stores, angle, offsets)
        trial = JointReader(_laid(figure, stores, bone, sample), stores, bone, painter)
        ((reading, _),) = trial.read([angle])
        left = max(misses_of(figure, trial, reading), default=None)
        if (left[0] if left is not None else 0.0) < best[0]:
            best = left[0] if left is not None else 0.0, sample, left
        if left is None:
            break
    return best[1], best[2]


def _moves(reader: JointReader, angle: float) -> dict[str, Floats]:
    """By how much the vertices of each part that bends are to be pulled at an angle, (n, 2) px in the frame that turns
    with each."""
    held = reader.held(angle, ZOOM)
    if held is None:
        return {}
    spots, wanted, joint = held
    assert reader.bent is not None
    half = reader.bent.half_width
    away = np.hypot(*(spots - joint).T)
    near = away < REACHES * half
    if not near.any():
        return {}
    moves = wanted[near] - spots[near]
    lengths = np.maximum(np.hypot(*moves.T), 1e-9)
    moves *= (np.minimum(lengths, FARTHEST * half) / lengths * _faded(away[near], half))[:, None]
    tree, found = cKDTree(spots[near]), dict[str, Floats]()
    for part in reader.figure.parts:
        if part.id not in reader.parts or not isinstance(part.binding, Weighted):
            continue
        block = reader.rig.program.blocks[part.id]
        posed = reader.rig.vertices[block.start : block.start + block.count].astype(np.float64)
        off, nearest = tree.query(posed, k=min(6, int(near.sum())))
        off, nearest = off.reshape(len(posed), -1), nearest.reshape(len(posed), -1)
        share = np.exp(-((off[:, 0] / (INWARDS * half)) ** 2)) * _faded(np.hypot(*(posed - joint).T), half)
        pulled = share[:, None] * moves[nearest].mean(1)
        faces = block.triangles - block.start
        found[part.id] = unturned(reader.rig, part, _smoothed(pulled, faces))
    return found


def _faded(away: Floats, half: float) -> Floats:
    """How much of a pull is left so far (px) from the joint."""
    t = np.clip((REACHES * half - away) / (FADES * half), 0, 1)
    return np.asarray(t * t * (3 - 2 * t))


def _smoothed(values: Floats, faces: NDArray[np.int32]) -> Floats:
    """Values (n, 2) at vertices, each brought to the middle of its own and those beside it, some times."""
    edges = np.concatenate([faces[:, pair] for pair in ((0, 1), (1, 2), (2, 0))])
    edges = np.unique(np.sort(edges, 1), axis=0)
    degree = np.bincount(edges.ravel(), minlength=len(values)).astype(np.float64)
    for _ in range(ROUNDS):
        around = np.zeros_like(values)
        np.add.at(around, edges[:, 0], values[edges[:, 1]])
        np.add.at(around, edges[:, 1], values[edges[:, 0]])
        values = np.where(degree[:, None] > 0, 0.5 * values + 0.5 * around / np.maximum(degree, 1)[:, None], values)
    return values


def _sample(figure: Figure, stores: Stores, angle: float, offsets: dict[str, Floats]) -> Sample:
    sculpts = (sculpted(part, offsets[part.id], stores) for part in figure.parts if part.id in offsets)
    return Sample(at=(round(angle, 2),), sculpts=tuple(sculpts))


def _with_sample(figure: Figure, stores: Stores, bone: Bone, angle: float, offsets: dict[str, Floats]) -> Figure:
    return _laid(figure, stores, bone, _sample(figure, stores, angle, offsets)) if offsets else figure


def _laid(figure: Figure, stores: Stores, bone: Bone, sample: Sample) -> Figure:
    return apply_edit(_laying(bone, bone.name, [sample]), figure, stores)


def _laying(bone: Bone, name: str, samples: Iterable[Sample]) -> dict[str, Any]:
    """The edit that lays samples at a bone."""
    told = [one.model_dump(mode="json") for one in samples]
    return {"kind": "lay_samples", "bones": [bone.id], "name": name, "samples": told}
