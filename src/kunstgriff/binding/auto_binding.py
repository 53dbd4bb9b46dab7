"""From an outline and bones to a weighted binding: mesh, weights, bend zones and their solved shapes."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from kunstgriff.artwork.outline import part_outline, part_solid
from kunstgriff.binding.bending import range_of
from kunstgriff.binding.fineness import Fine
from kunstgriff.binding.mesh import PartMesh, build_mesh, strip_mesh
from kunstgriff.binding.outline import MARGIN
from kunstgriff.binding.sweep import Sweep, solve_zone
from kunstgriff.binding.weights import automatic_weights, linked_bones, spine_points, strongest, trimmed_bones
from kunstgriff.binding.zones import JointFrame, influences_of, joint_frames, passed_over, points_of, rigidity_of
from kunstgriff.figure.edit import EditRefused
from kunstgriff.figure.model import Bone, Figure, Mesh, Part, Solved, Value, Weighted, WeightWay, Zone
from kunstgriff.figure.stores import Stores
from kunstgriff.skeleton.bones import ancestors, with_descendants

DEFAULT_COUNT = 220  # vertices of a part unless asked otherwise; common practice, no source
FINE_REACH = 1.7  # half widths around a joint in which the mesh is finest
ROUND = 0.22  # half widths of a limb that edges may be long, away from its joints, so that it bends round; measured
SMALLEST = 9.0  # px of such edges at least; what is smaller is not seen
RAISED = 2.05  # times the vertices asked for that a mesh may have so
SHORTEST = 1.0  # half widths a zone must have room for, to be laid by itself; a limb wider than long has no elbow
ROW_REACH = 4.0  # half widths a joint row reaches to each side at most

Floats = NDArray[np.float64]
UNSOLVED = Solved(low=0, high=0, members="0" * 64, shapes="0" * 64)  # of a zone that is still to be solved


class BindingOptions(Value):
    """What is asked of a weighted binding. `edge` (px) goes before `count`; `zones` are those other than usual."""

    count: int = DEFAULT_COUNT
    edge: float | None = None
    way: WeightWay = "biharmonic"
    most: int = 4
    margin: float = MARGIN
    zones: tuple[Zone, ...] = ()

    @classmethod
    def as_bound(cls, binding: Weighted) -> BindingOptions:
        """What a binding was asked to be, to make it anew."""
        return cls(
            count=max(binding.mesh.vertex_count, 12),
            way=binding.way,
            most=binding.most,
            zones=binding.zones,
            margin=binding.margin,
        )


def auto_bind(figure: Figure, part: Part, bones: list[Bone], options: BindingOptions, stores: Stores) -> Weighted:
    """Mesh, weights and bend zones of a part for these bones. Raises EditRefused when none of them can move it."""
    bones = [bone for bone in bones if not bone.connector]
    if not bones:
        raise EditRefused(f"No bone runs through “{part.name}”; draw one through it, or bind it to a bone as a whole.")
    zones = zones_wanted(figure, part, bones, options.zones, stores)
    mesh, edge = lay_mesh(part, bones, zones, options, stores)
    weights = automatic(figure, part, mesh, edge, bones, zones, options, stores)
    used = np.flatnonzero(weights.max(0) > 0)
    kept = tuple(bones[column].id for column in used)
    binding = Weighted(
        mesh=stored(mesh, stores),
        influences=kept,
        weights=stores.put_array(np.ascontiguousarray(weights[:, used])),
        way=options.way,
        most=options.most,
        margin=options.margin,
        zones=tuple(zone for ref, (_, zone) in zones.items() if ref in kept and _parent(figure, ref) in kept),
    )
    return settled(figure, part, binding, stores)


def _parent(figure: Figure, ref: str) -> str | None:
    bone = figure.bone(ref)
    return bone.parent if bone is not None else None


def stored(mesh: PartMesh, stores: Stores, kept: NDArray[np.int32] | None = None) -> Mesh:
    """The mesh as the document holds it."""
    return Mesh(
        vertices=stores.put_array(mesh.vertices),
        triangles=stores.put_array(mesh.triangles),
        vertex_count=len(mesh.vertices),
        kept=stores.put_array(kept.astype(np.int32)) if kept is not None and len(kept) else None,
    )


def zones_wanted(
    figure: Figure, part: Part, bones: list[Bone], wanted: tuple[Zone, ...], stores: Stores
) -> dict[str, tuple[JointFrame, Zone]]:
    """The zone of every elbow in a part by its bone: as wanted, or as usual and to be solved."""
    given = {zone.bone: zone for zone in wanted}
    found = joint_frames(figure, part, bones, stores)
    return {
        ref: (joint_frame, given.get(ref, Zone(bone=ref, solved=UNSOLVED)))
        for ref, joint_frame in found.items()
        if ref in given or joint_frame.longest >= SHORTEST
    }


def lay_mesh(
    part: Part, bones: list[Bone], zones: dict[str, tuple[JointFrame, Zone]], options: BindingOptions, stores: Stores
) -> tuple[PartMesh, float]:
    """A mesh with vertices along the bones and joint rows at the zones, and its edge length in px."""
    outline = part_outline(part, stores)
    segments = _segments(part, bones, stores)
    edge = options.edge or float(np.sqrt(outline.area * 2 / np.sqrt(3) / options.count))
    if part.drawing.strip is not None:
        edge = max(edge, part.drawing.strip.half_width)
    fine = tuple(_fine(part, joint_frame, zone) for joint_frame, zone in zones.values())
    finest = min((max(ROUND * joint_frame.half_width, SMALLEST) for joint_frame, _ in zones.values()), default=edge)
    count = options.count
    if options.edge is None and finest < edge:
        count = round(count * min((edge / finest) ** 2, RAISED))
    try:
        mesh = strip_mesh(part) or build_mesh(
            outline, count, spine_points(segments, edge), fine, options.edge, options.margin, part_solid(part, stores)
        )
    except ValueError as error:
        raise EditRefused(f"“{part.name}” cannot have a mesh: {error}") from error
    return mesh, edge


def _segments(part: Part, bones: list[Bone], stores: Stores) -> list[tuple[tuple[float, float], tuple[float, float]]]:
    return trimmed_bones(part_outline(part, stores), _placed(part, bones))


def _placed(part: Part, bones: list[Bone]) -> list[tuple[tuple[float, float], tuple[float, float]]]:
    """Joints and tips in the part's own space."""
    x, y = part.drawing.place
    return [((b.joint[0] - x, b.joint[1] - y), (b.tip[0] - x, b.tip[1] - y)) for b in bones]


def _fine(part: Part, joint_frame: JointFrame, zone: Zone) -> Fine:
    """Where the mesh of a part is finer for a zone, with its joint rows, in the part's own space."""
    at = np.subtract(joint_frame.at, part.drawing.place)
    sector = (joint_frame.back - joint_frame.ahead) % (2 * math.pi)
    rows = []
    for number in range(zone.rows):
        off = (number - (zone.rows - 1) / 2) * zone.spacing * 2 * joint_frame.half_width
        if abs(off) < 1e-9:
            middle, across = at, joint_frame.ahead + sector / 2
        else:
            direction = joint_frame.ahead if off > 0 else joint_frame.back
            middle = at + abs(off) * np.array([math.cos(direction), math.sin(direction)])
            across = direction + math.pi / 2
        far = ROW_REACH * joint_frame.half_width * np.array([math.cos(across), math.sin(across)])
        rows.append((middle, middle + far, middle - far))
    return Fine((float(at[0]), float(at[1])), FINE_REACH * joint_frame.half_width, tuple(rows))


def automatic(
    figure: Figure,
    part: Part,
    mesh: PartMesh,
    edge: float,
    bones: list[Bone],
    zones: dict[str, tuple[JointFrame, Zone]],
    options: BindingOptions,
    stores: Stores,
) -> NDArray[np.float32]:
    """Weights (n, bones) of a mesh in the part's space, passed over at the zones."""
    linked = linked_bones(_placed(part, bones))
    found = automatic_weights(mesh, _segments(part, bones, stores), edge, options.way, linked)
    weights = found.astype(np.float64)
    points = mesh.vertices + np.asarray(part.drawing.place)
    return strongest(passed_over(figure, weights, bones, zones, points, mesh.triangles), options.most)


def settled(figure: Figure, part: Part, binding: Weighted, stores: Stores) -> Weighted:
    """The binding with the shapes of those zones solved that have any: after its mesh, weights or zones changed."""
    if not any(zone.solved for zone in binding.zones):
        return binding
    found = joint_frames(figure, part, influences_of(figure, binding), stores)
    bound = part.model_copy(update={"binding": binding})
    points = points_of(part, binding, stores)
    weights = stores.get_array(binding.weights)
    triangles = stores.get_array(binding.mesh.triangles)
    rigidity = rigidity_of(figure, bound, points)
    zones = []
    for zone in binding.zones:
        bone, joint_frame = figure.bone(zone.bone), found.get(zone.bone)
        if zone.solved is None or bone is None or joint_frame is None:
            zones.append(zone.model_copy(update={"solved": None}))
            continue
        share, others = shares_at(figure, binding, weights, bone)
        sweep = Sweep(points, triangles, joint_frame, zone, share, others, rigidity, range_of(bone))
        zones.append(solve_zone(sweep, bone, zone, stores))
    return binding.model_copy(update={"zones": tuple(zones)})


def shares_at(figure: Figure, binding: Weighted, weights: NDArray[np.float32], bone: Bone) -> tuple[Floats, Floats]:
    """How much of each vertex (n,) goes with a bone and all that hangs on it, and how much with bones beside the chain
    it is in: none of that and none the bone hangs on."""
    beyond = {one.id for one in with_descendants(figure, bone.id)}
    chain = beyond | {one.id for one in ancestors(figure, bone.id)}
    share = weights[:, [ref in beyond for ref in binding.influences]].sum(1, dtype=np.float64)
    others = weights[:, [ref not in chain for ref in binding.influences]].sum(1, dtype=np.float64)
    return share, others
