"""Templates of skeletons, open JSON files, fitted to the art by part names and pivots.

A template tells each bone's length as a share of stature, its direction, its limits and the words its part may be
called by. Where a part of that name is found the bone goes through it; a bone between two that were found reaches from
the one to the other; limbs of which no part is found are left out.
"""

from __future__ import annotations

import json
import math
from functools import cache
from importlib.resources import files
from itertools import pairwise
from typing import Annotated, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field, ValidationError
from shapely import affinity
from shapely.geometry import LineString
from shapely.geometry import Point as Spot
from shapely.ops import nearest_points

from kunstgriff.artwork.limbs import reach
from kunstgriff.artwork.lines import runs_along, spots_at
from kunstgriff.artwork.meetings import suggested_pivot
from kunstgriff.artwork.outline import part_outline
from kunstgriff.figure.edit import Edit, EditRefused, free_name, tell
from kunstgriff.figure.model import Bone, Figure, Limits, Name, Part, Point, Value
from kunstgriff.figure.sides import side_of, words_of
from kunstgriff.figure.stores import Stores
from kunstgriff.skeleton.along import middle_of
from kunstgriff.skeleton.bones import SHORTEST_BONE, bone_hue
from kunstgriff.skeleton.edits import BONES_LIMIT

SLENDER = 4.2  # square of half the outline by the area, from which a part is a limb; a square has 4
ALONG = 24  # spots of a bone at which it is looked at whether it lies on the art
TOUCHES = 3.0  # px beside the art that a bone may lie

Floats = NDArray[np.float64]


class TemplateBone(Value):
    """One bone of a template. `length` and `offset` (from the parent's tip) are shares of stature, `angle` its
    direction (degrees, 0 to the right, 90 down), `limits` degrees from there; `words` are names its part may have, each
    a set of words. A `sided` bone is made for each side the art has; `along` makes so many bones down one part."""

    name: Name
    parent: Name | None = None
    length: Annotated[float, Field(gt=0, le=2)]
    angle: Annotated[float, Field(ge=-360, le=360)]
    limits: tuple[float, float] | None = None
    words: tuple[tuple[str, ...], ...] = ()
    sided: bool = False
    offset: tuple[float, float] = (0.0, 0.0)
    along: Annotated[int, Field(ge=1, le=20)] = 1


class Template(Value):
    """A skeleton to be fitted; `root_height` is how high its root stands, as a share of stature."""

    format: Literal["kunstgriff.template/1"] = "kunstgriff.template/1"
    name: Name
    title: Name
    source: str = ""
    root_height: Annotated[float, Field(ge=0, le=1)]
    bones: Annotated[tuple[TemplateBone, ...], Field(min_length=1, max_length=200)]


@cache
def templates() -> dict[str, Template]:
    """The templates that ship with Kunstgriff, by name."""
    found = {}
    for file in sorted(files("kunstgriff.skeleton").joinpath("templates").iterdir(), key=lambda one: one.name):
        if file.name.endswith(".json"):
            template = Template.model_validate_json(file.read_text("utf-8"))
            found[template.name] = template
    return found


def parse_template(text: str) -> Template:
    """A template of one's own. Raises EditRefused with a sentence."""
    try:
        template = Template.model_validate(json.loads(text))
    except ValidationError as error:
        raise EditRefused(f"This is not a template: {tell(error)}") from error
    except (ValueError, RecursionError) as error:
        raise EditRefused("This is not a template: the file is not JSON.") from error
    known: set[str | None] = {None}
    for bone in template.bones:
        if bone.parent not in known:
            raise EditRefused(f"In the template “{bone.name}” hangs on a bone that does not come before it.")
        known.add(bone.name)
    return template


class FitTemplate(Edit):
    """Fit a template's skeleton to the art: bones through the parts named like its limbs, turning at their pivots.

    `template` is one that ships with Kunstgriff, or `custom` one of your own; limits come along unless
    `limits` is false.
    """

    kind: Literal["fit_template"] = "fit_template"
    template: str = ""
    custom: Template | None = None
    limits: bool = True

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        template = self._template()
        bones = _Fit(figure, template, stores).bones(with_limits=self.limits)
        if not bones:
            raise EditRefused(
                f"No part is named like a limb of “{template.title}”; name the parts, or draw chains over them."
            )
        if len(figure.bones) + len(bones) > BONES_LIMIT:
            raise EditRefused(f"A figure may have {BONES_LIMIT} bones at most.")
        return figure.replace(bones=(*figure.bones, *bones), next_id=figure.next_id + len(bones))

    def _template(self) -> Template:
        if self.custom is not None:
            return parse_template(self.custom.model_dump_json())
        if self.template not in templates():
            raise EditRefused(f"There is no template “{self.template}”; there are {', '.join(templates())}.")
        return templates()[self.template]

    def describe(self, figure: Figure) -> str:
        return f"fit {self._template().title.lower()}"


class _Fit:
    """One template on one figure."""

    def __init__(self, figure: Figure, template: Template, stores: Stores) -> None:
        self.figure, self.template, self.stores = figure, template, stores
        self.parts = [part for part in figure.parts if part.is_shown and not part.alternate_of and not part.facing_of]
        sides = {side for part in self.parts if (side := side_of(part.name, figure.sides))}
        # ears may be near and far on a figure whose legs are left and right
        self.sides = [word for pair in figure.sides for one in pair if (word := one.casefold()) in sides]

    def bones(self, *, with_limits: bool) -> list[Bone]:
        sides: list[str | None] = [*self.sides] or [None]
        wanted = [(one, side) for one in self.template.bones for side in (sides if one.sided else [None])]
        found = {(one.name, side): self._part(one, side) for one, side in wanted}
        self._say_sides_once(found)
        kept = self._limbs(found)
        if not any(found.values()):
            return []
        self._measure([part for part in found.values() if part is not None])
        placed: dict[tuple[str, str | None], list[tuple[Point, Point]]] = {}
        made: list[Bone] = []
        ids: dict[tuple[str, str | None], str] = {}
        taken = {bone.name for bone in self.figure.bones}
        for item, side in wanted:
            key = (item.name, side)
            if key not in kept:
                continue
            over = self._over(item, side, placed)
            before = placed.get(over) if over else None
            segments = self._inside(self._segments(item, side, found, before))
            if not segments:
                continue
            if before and found[key] is not None and found[key] == found.get(over or key) and not item.sided:
                centred = self._centred(found[key], before[-1][0], segments[0])
                before[-1] = (before[-1][0], centred)
                segments[0] = (centred, segments[0][1])
                made[-1] = made[-1].model_copy(update={"tip": centred})
            placed[key] = segments
            parent = ids.get(over) if over else None
            for joint, tip in segments:
                name = free_name(f"{side} {item.name}" if side else item.name, taken)
                taken.add(name)
                number = len(made)
                low, high = item.limits or (0.0, 0.0)
                made.append(
                    Bone(
                        id=f"b{self.figure.next_id + number}",
                        name=name,
                        parent=parent,
                        joint=joint,
                        tip=tip,
                        hue=bone_hue(len(self.figure.bones) + number),
                        limits=Limits(low=min(low, 0), high=max(high, 0)) if with_limits and item.limits else None,
                    )
                )
                parent = made[-1].id
            ids[key] = str(parent)
        return made

    def _say_sides_once(self, found: dict[tuple[str, str | None], Part | None]) -> None:
        """A part without a side is one bone's, not one for each side."""
        taken = set[tuple[str, str]]()
        for (name, side), part in list(found.items()):
            if side is not None and part is not None and side_of(part.name, self.figure.sides) is None:
                if (name, part.id) in taken:
                    found[name, side] = None
                taken.add((name, part.id))

    def _inside(self, segments: list[tuple[Point, Point]]) -> list[tuple[Point, Point]]:
        """Bones as far as they lie on the art; none that begins beside it."""
        kept = []
        for joint, tip in segments:
            spots = [np.add(joint, share * np.subtract(tip, joint)) for share in np.linspace(0, 1, ALONG)]
            on = [any(shape.contains(Spot(spot)) for shape in self.art) for spot in spots]
            if not any(on[: ALONG // 3]):
                break
            last = max(number for number, one in enumerate(on) if one)
            if last < ALONG - 1:
                tip = (round(float(spots[last][0]), 1), round(float(spots[last][1]), 1))
            if math.dist(joint, tip) < SHORTEST_BONE:
                break
            kept.append((joint, tip))
        return kept

    def _centred(self, part: Part | None, start: Point, following: tuple[Point, Point]) -> Point:
        """Where two bones of one trunk meet, moved across it to the middle between its sides."""
        joint, tip = following
        direction = np.subtract(tip, start)
        if part is None or not np.hypot(*direction):
            return joint
        aside = np.array([-direction[1], direction[0]]) / np.hypot(*direction)
        local = (joint[0] - part.drawing.place[0], joint[1] - part.drawing.place[1])
        left, right = (reach(part_outline(part, self.stores), local, side) for side in (aside, -aside))
        if not (left and right):
            return joint
        x, y = np.add(joint, aside * (left - right) / 2)
        return round(float(x), 1), round(float(y), 1)

    def _measure(self, parts: list[Part]) -> None:
        """How tall the parts that were found stand together, px, and where their middle is."""
        self.art = [
            affinity.translate(part_outline(part, self.stores), *part.drawing.place).buffer(TOUCHES)
            for part in self.parts
        ]
        corners = np.array([(*part.drawing.place, *np.add(part.drawing.place, part.drawing.size)) for part in parts])
        self.middle = float((corners[:, 0].min() + corners[:, 2].max()) / 2)
        self.stature = max(float(corners[:, 3].max() - corners[:, 1].min()), 1.0)
        self.ground = float(corners[:, 3].max())

    def _limbs(self, found: dict[tuple[str, str | None], Part | None]) -> set[tuple[str, str | None]]:
        """Bones with a part, and those between such a one and the root."""
        by_name = {one.name: one for one in self.template.bones}
        kept: set[tuple[str, str | None]] = set()
        for (name, side), part in found.items():
            here: str | None = name
            while part is not None and here is not None:
                kept.add((here, side if by_name[here].sided else None))
                here = by_name[here].parent
        return kept

    def _part(self, bone: TemplateBone, side: str | None) -> Part | None:
        """The part a bone is for: all words of one of its names and the side in the part's, the fewest others."""
        best: tuple[int, int, Part] | None = None
        for rank, words in enumerate(bone.words):
            for part in self.parts:
                own = set(words_of(part.name))
                if set(words) <= own and (side is None or side in own or side_of(part.name, self.figure.sides) is None):
                    entry = (rank, len(own - set(words) - {side}), part)
                    if best is None or entry[:2] < best[:2]:
                        best = entry
        return best[2] if best else None

    def _over(
        self, bone: TemplateBone, side: str | None, placed: dict[tuple[str, str | None], list[tuple[Point, Point]]]
    ) -> tuple[str, str | None] | None:
        return next((key for key in ((bone.parent or "", side), (bone.parent or "", None)) if key in placed), None)

    def _segments(
        self,
        bone: TemplateBone,
        side: str | None,
        found: dict[tuple[str, str | None], Part | None],
        over: list[tuple[Point, Point]] | None,
    ) -> list[tuple[Point, Point]]:
        """Joint and tip of each bone made for one of the template."""
        part = found.get((bone.name, side))
        guess = self._guess(bone, side, found, over)
        joint = guess[0]
        before = found.get((bone.parent or "", side)) or found.get((bone.parent or "", None))
        tip = None
        if part is not None and part == before:  # a part two bones run through: the second goes on from the first
            tip = self._next_joint(bone, side, found) or self._way_out(part, *guess)
        elif part is not None:
            following = self._next_joint(bone, side, found)
            joint = self._pivot(part, following) or self._begins(part, guess[0])
            tip = following or self._ends_at(part, joint, guess)
        share = self._share_of_part(bone, side, part, found)
        if tip is not None and share < 1:
            tip = (joint[0] + share * (tip[0] - joint[0]), joint[1] + share * (tip[1] - joint[1]))
        if tip is None or math.dist(joint, tip) < SHORTEST_BONE:
            tip = (joint[0] + guess[1][0] - guess[0][0], joint[1] + guess[1][1] - guess[0][1])
        if bone.along > 1:
            line = self._line(part, joint, tip)
            runs = runs_along(line)
            ends = spots_at(line, runs, np.linspace(0, runs[-1], bone.along + 1))
            points = [(round(float(x), 1), round(float(y), 1)) for x, y in ends]
            return list(pairwise(points))
        return [((round(joint[0], 1), round(joint[1], 1)), (round(tip[0], 1), round(tip[1], 1)))]

    def _share_of_part(
        self, bone: TemplateBone, side: str | None, part: Part | None, found: dict[tuple[str, str | None], Part | None]
    ) -> float:
        """Which share of a part a bone has where those that follow it run through the same one."""
        lengths, here = [bone.length], bone
        while part is not None:
            following = [one for one in self.template.bones if one.parent == here.name and not one.sided]
            alike = [one for one in following if found.get((one.name, side)) == part]
            if not alike:
                break
            here = alike[0]
            lengths.append(here.length)
        return lengths[0] / sum(lengths)

    def _guess(
        self,
        bone: TemplateBone,
        side: str | None,
        found: dict[tuple[str, str | None], Part | None],
        over: list[tuple[Point, Point]] | None,
    ) -> tuple[Point, Point]:
        """Where the template alone would put it; a root goes to the middle of the limbs that hang on it."""
        if over is None:
            limbs = [one for one in self.template.bones if one.parent == bone.name and one.sided]
            pivots = [
                pivot
                for one in limbs
                for other in self.sides
                if (part := found.get((one.name, other)))
                and (pivot := part.drawing.pivot or suggested_pivot(self.figure, part, self.stores))
            ]
            x, y = self.middle, self.ground - self.template.root_height * self.stature
            if pivots:
                x, y = float(np.mean([one[0] for one in pivots])), float(np.mean([one[1] for one in pivots]))
        else:
            x, y = over[-1][1]
        x, y = x + bone.offset[0] * self.stature, y + bone.offset[1] * self.stature
        length, angle = bone.length * self.stature, math.radians(bone.angle)
        parent = next((one for one in self.template.bones if one.name == bone.parent), None)
        if over is not None and parent is not None and parent.sided == bone.sided:
            # as the limb really lies, turned from it as the template's bone is
            (ax, ay), (bx, by) = over[-1]
            angle += math.atan2(by - ay, bx - ax) - math.radians(parent.angle)
        return (x, y), (x + length * math.cos(angle), y + length * math.sin(angle))

    def _next_joint(
        self, bone: TemplateBone, side: str | None, found: dict[tuple[str, str | None], Part | None]
    ) -> Point | None:
        """Where the next bone of the same limb begins, if there is just one and its part says so."""
        following = [one for one in self.template.bones if one.parent == bone.name and one.sided == bone.sided]
        if not following:
            return None
        part = found.get((following[0].name, side))
        if part is None or part == found.get((bone.name, side)):
            return None
        return part.drawing.pivot or suggested_pivot(self.figure, part, self.stores)

    def _pivot(self, part: Part, following: Point | None) -> Point | None:
        """Where a part turns by itself or by its overlaps, unless that is where the next one turns on it."""
        if part.drawing.pivot is not None:
            return part.drawing.pivot
        found = suggested_pivot(self.figure, part, self.stores)
        if found is not None and following is not None and math.dist(found, following) < 0.25 * max(part.drawing.size):
            return None
        return found

    def _begins(self, part: Part, guess: Point) -> Point:
        """Where a part is begun: at its nearer end if it is slender, else where the limb before it ends inside it."""
        outline = part_outline(part, self.stores)
        spot = Spot(np.subtract(guess, part.drawing.place))
        if not self._is_slender(part) and outline.contains(spot):
            return guess
        ends = self._ends(part)
        near = min(ends, key=lambda end: math.dist(end, guess))
        if self._is_slender(part):
            return near
        inside = nearest_points(outline.buffer(-0.25 * math.sqrt(outline.area)) or outline, spot)[0]
        return (inside.x + part.drawing.place[0], inside.y + part.drawing.place[1]) if not inside.is_empty else near

    def _ends_at(self, part: Part, joint: Point, guess: tuple[Point, Point]) -> Point:
        """Its far end if a part is slender, else where the template's direction leaves it."""
        if self._is_slender(part):
            return max(self._ends(part), key=lambda end: math.dist(end, joint))
        tip = (joint[0] + guess[1][0] - guess[0][0], joint[1] + guess[1][1] - guess[0][1])
        return self._way_out(part, joint, tip)

    def _way_out(self, part: Part, joint: Point, towards: Point) -> Point:
        """Where the way from `joint` in a direction leaves a part; `towards` itself where it does not pass it."""
        length = max(math.dist(joint, towards), 1e-9)
        far = 3 * math.hypot(*part.drawing.size)
        ray = LineString(
            [
                np.subtract(joint, part.drawing.place),
                np.subtract(joint, part.drawing.place) + far / length * np.subtract(towards, joint),
            ]
        )
        inside = ray.intersection(part_outline(part, self.stores))
        if inside.is_empty or inside.length == 0:
            return towards
        pieces = [one for one in getattr(inside, "geoms", [inside]) if one.length > 0]
        x, y = max(pieces[0].coords, key=lambda end: math.dist(end, ray.coords[0]))
        return (x + part.drawing.place[0], y + part.drawing.place[1])

    def _is_slender(self, part: Part) -> bool:
        outline = part_outline(part, self.stores)
        return bool((outline.length / 2) ** 2 > SLENDER * outline.area)

    def _ends(self, part: Part) -> list[Point]:
        line = middle_of(part, self.stores)
        if line is None:
            centre = (
                part.drawing.place[0] + part.drawing.size[0] / 2,
                part.drawing.place[1] + part.drawing.size[1] / 2,
            )
            return [centre, (centre[0], centre[1] - part.drawing.size[1] / 2)]
        return [(float(line[0][0]), float(line[0][1])), (float(line[-1][0]), float(line[-1][1]))]

    def _line(self, part: Part | None, joint: Point, tip: Point) -> Floats:
        line = middle_of(part, self.stores) if part is not None else None
        if line is None:
            return np.array([joint, tip])
        ahead = math.dist(tuple(line[0]), joint) <= math.dist(tuple(line[-1]), joint)
        return line if ahead else line[::-1]
