"""Questions about the tree of bones."""

from __future__ import annotations

import math

from kunstgriff.figure.model import Bone, Figure

SHORTEST_BONE = 1.0  # px; below that a bone has no direction to speak of
GOLDEN_ANGLE = 137.50776405003785  # degrees; neighbours in the count get colours far apart


def bone_hue(ordinal: int) -> float:
    """Hue in degrees on the OKLCH circle for the nth bone made."""
    return round((200.0 + ordinal * GOLDEN_ANGLE) % 360.0, 2)


def colour_of(hue: float, lightness: float = 0.62, chroma: float = 0.12) -> tuple[int, int, int]:
    """sRGB (0 to 255) of an OKLCH colour (Björn Ottosson 2020, "A perceptual color space for image processing").

    >>> colour_of(0, 1.0, 0.0)
    (255, 255, 255)
    """
    a, b = chroma * math.cos(math.radians(hue)), chroma * math.sin(math.radians(hue))
    cone_l = (lightness + 0.3963377774 * a + 0.2158037573 * b) ** 3
    cone_m = (lightness - 0.1055613458 * a - 0.0638541728 * b) ** 3
    cone_s = (lightness - 0.0894841775 * a - 1.2914855480 * b) ** 3
    linear = (
        4.0767416621 * cone_l - 3.3077115913 * cone_m + 0.2309699292 * cone_s,
        -1.2684380046 * cone_l + 2.6097574011 * cone_m - 0.3413193965 * cone_s,
        -0.0041960863 * cone_l - 0.7034186147 * cone_m + 1.7076147010 * cone_s,
    )

    def encode(value: float) -> int:
        value = min(max(value, 0.0), 1.0)
        value = 12.92 * value if value <= 0.0031308 else 1.055 * value ** (1 / 2.4) - 0.055
        return round(value * 255)

    return encode(linear[0]), encode(linear[1]), encode(linear[2])


def length_of(bone: Bone) -> float:
    """Length in px at rest."""
    return math.dist(bone.joint, bone.tip)


def children_of(figure: Figure, ref: str | None) -> list[Bone]:
    """The bones that hang on one; on None the roots."""
    return [bone for bone in figure.bones if bone.parent == ref]


def with_descendants(figure: Figure, ref: str) -> list[Bone]:
    """The bone and all that hang on it, parents before children."""
    within = {ref}
    found = []
    for bone in figure.bones:
        if bone.id in within or bone.parent in within:
            within.add(bone.id)
            found.append(bone)
    return found


def ancestors(figure: Figure, ref: str) -> list[Bone]:
    """The bones a bone hangs on, from its parent on."""
    found = []
    bone = figure.bone(ref)
    while bone is not None and (bone := figure.bone(bone.parent or "")) is not None:
        found.append(bone)
    return found


def chain_from(figure: Figure, ref: str) -> list[Bone]:
    """The bone and those that carry on from it one after another, up to the first fork or end."""
    bone = figure.bone(ref)
    chain = []
    while bone is not None:
        chain.append(bone)
        following = children_of(figure, bone.id)
        bone = following[0] if len(following) == 1 else None
    return chain


def is_joined(bone: Bone, parent: Bone) -> bool:
    """Whether the bone's joint sits on its parent's tip, so that moving one moves the other."""
    return math.dist(bone.joint, parent.tip) < 1e-6


def parents_first(bones: list[Bone]) -> list[Bone]:
    """The bones ordered so that parents come before children, otherwise as they were."""
    placed: set[str | None] = {None}
    waiting, ordered = list(bones), []
    while waiting:
        ready = [bone for bone in waiting if bone.parent in placed]
        if not ready:
            raise ValueError("Bones hang on one another in a circle.")
        ordered += ready
        placed |= {bone.id for bone in ready}
        waiting = [bone for bone in waiting if bone.id not in placed]
    return ordered
