"""Which treatment reads best at a joint: each tried, the seam read, the best proposed."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

from kunstgriff.artwork.sheet import Progress, no_progress
from kunstgriff.figure.edit import EditRefused, need_bone
from kunstgriff.figure.model import Bone, Figure, Point
from kunstgriff.figure.stores import Stores
from kunstgriff.paint.painter import Painter
from kunstgriff.reading.resting import AtRest
from kunstgriff.reading.seams import Seam, joints_with_seams, read_seam
from kunstgriff.seam.cap import needs_cap
from kunstgriff.seam.joints import melts_at, pair_at
from kunstgriff.seam.pivot import better_pivot, with_joint_at
from kunstgriff.seam.treating import BLENDED, CAPPED, TREATMENTS, JointTreatment, treated, treatment_now
from kunstgriff.seam.widths import widths_at

STEP = 15.0  # degrees between the angles one is tried at; the one taken is read finely afterwards
QUICK = 20.0  # the same where many joints are treated in one go
MOVED = "moved_"
WORTH_CHANGING = 0.5  # of what still shows under which one must get to be worth moving the joint for it
# what they leave of the outline is the same
LIKE: dict[JointTreatment, JointTreatment] = {"trim": "cover", "cap_trim": "cap_cover"}
OUTLINES = frozenset({"beyond", "short", "gap"})
BETTER = 0.9  # of what another misses by that one must stay under to be worth more than a simpler one


@dataclass(frozen=True)
class Trial:
    """One treatment of a joint tried: its seam so treated, or the sentence why it cannot be. `to` is where the joint is
    moved first (figure space), `by` how far that is, px."""

    treatment: JointTreatment
    seam: Seam | None
    refused: str = ""
    to: Point | None = None
    by: float = 0.0

    @property
    def key(self) -> str:
        """It in a word, told apart from the same where the joint lies now."""
        return self.treatment if self.to is None else f"{MOVED}{self.treatment}"

    @property
    def cost(self) -> float:
        return self.seam.cost if self.seam is not None else float("inf")

    @property
    def sum(self) -> float:
        """How many times beyond what is tolerated all that misses is together."""
        return sum(one.times for one in self.seam.misses) if self.seam is not None else float("inf")


@dataclass(frozen=True)
class Proposal:
    """All treatments tried at a joint, the simplest first, which it has now (None: none of these), which reads best."""

    bone: str
    now: JointTreatment | None
    chosen: Trial
    trials: tuple[Trial, ...]

    @property
    def best(self) -> JointTreatment:
        return self.chosen.treatment

    @property
    def changes(self) -> bool:
        """Whether what is proposed is not there already."""
        return self.best != self.now or self.chosen.to is not None


def propose(
    figure: Figure, stores: Stores, bone: Bone, painter: Painter, step: float = STEP, *, every: bool = True
) -> Proposal:
    """Try every treatment of a bone's joint, or unless `every` is asked for, until one misses nothing.

    Where a part only lies on another, nothing is proposed. Raises EditRefused where no two parts meet there.
    """
    melts = melts_at(figure, bone, stores)
    bare = treated(figure, bone.id, TREATMENTS[0], stores)
    trials = [_tried(figure, stores, bone, painter, TREATMENTS[0], step)]
    rest = None
    if melts and (every or trials[0].cost > 0):  # else no other treatment is tried
        rest = AtRest(bare, stores, bone, painter)

    def go_on(treatments: Sequence[JointTreatment]) -> None:
        for treatment in treatments:
            if every or (min(one.cost for one in trials) > 0 and _may_help(treatment, trials)):
                trials.append(_tried(figure, stores, bone, painter, treatment, step, rest))

    go_on(TREATMENTS[1:] if melts else ())
    pair = pair_at(bare, bone, stores)
    # round ends are a change to the drawing: tried where nothing else hides all
    if melts and pair and _best(trials).cost > 0 and any(needs_cap(part, bone, stores) for part in pair):
        go_on(CAPPED)
    best = _best(trials)
    now = treatment_now(figure, bone.id)
    # widening a piece changes what was drawn beside the joint: shown to who looks, taken where half of what shows goes
    if melts and pair and (every or best.cost > 0) and widths_at(bare, bone, stores):
        trials.append(_tried(figure, stores, bone, painter, BLENDED, step, rest))
        best = trials[-1] if _halves(trials[-1], best) else best
    if melts and best.cost > 0:
        moved = _moved(figure, stores, bone, painter, step, best)
        trials += moved
        best = _best([best, *moved])
    if best.cost == 0 and now is not None and now != best.treatment:  # what a person laid and hides all stays
        kept = next((one for one in trials if one.treatment == now), None)
        if kept is None or (kept.cost > 0 and step == QUICK):  # a rough look is not enough to take it off
            trials = [one for one in trials if one.treatment != now]
            trials.append(kept := _tried(figure, stores, bone, painter, now, STEP, rest))
        best = kept if kept.cost == 0 else best
    if best.seam is None:
        raise EditRefused(best.refused)
    return Proposal(bone.id, now, best, tuple(trials))


def _may_help(treatment: JointTreatment, trials: Sequence[Trial]) -> bool:
    """Whether one could hide what those tried before it do not.

    To the outline a trim is what a cover is, and round ends alone hide no line.
    """
    tried = {one.treatment: one.seam for one in trials if one.seam is not None}
    covered = tried.get(LIKE[treatment]) if treatment in LIKE else None
    if covered is not None:
        return any(miss.kind not in OUTLINES for miss in covered.misses)
    bare = tried.get("nothing")
    return treatment != "cap" or bare is None or all(miss.kind in OUTLINES for miss in bare.misses)


def _moved(
    figure: Figure, stores: Stores, bone: Bone, painter: Painter, step: float, still: Trial
) -> tuple[Trial, ...]:
    """The best one with the joint moved to where its two parts agree best, if that is worth it: bones are a person's,
    and stay where they are unless half of what shows goes."""
    to = better_pivot(figure, bone, stores)
    if to is None:
        return ()
    try:
        there = with_joint_at(figure, bone, to, stores)
        found = propose(there, stores, need_bone(there, bone.id), painter, step, every=False).chosen
    except EditRefused:
        return ()
    if not _halves(found, still):
        return ()
    return (replace(found, to=to, by=math.dist(to, bone.joint)),)


def _halves(one: Trial, still: Trial) -> bool:
    """Whether so much less shows with one than with another that it is worth a change to bones or to the drawing."""
    less = one.cost <= WORTH_CHANGING * still.cost and one.sum <= WORTH_CHANGING * still.sum
    return one.seam is not None and less and still.cost > 0


def _best(trials: list[Trial]) -> Trial:
    """The trial that misses least, the simpler one where others are hardly better."""
    best = trials[0]
    for trial in trials[1:]:
        as_bad = trial.cost <= best.cost * (2 - BETTER)
        if trial.cost < BETTER * best.cost or (as_bad and trial.sum < BETTER * best.sum) or best.seam is None:
            best = trial
    return best


def treated_as_proposed(
    figure: Figure,
    stores: Stores,
    painter: Painter,
    bones: Sequence[Bone] | None = None,
    progress: Progress = no_progress,
) -> tuple[Figure, tuple[Proposal, ...]]:
    """The figure with every seam (or those at the joints of `bones`) treated as proposed, one after another, and the
    proposals. Treating stays off a joint where nothing reads better than what is there."""
    asked = joints_with_seams(figure, stores) if bones is None else bones
    found = []
    for number, bone in enumerate(asked):
        progress(number, len(asked), "trying ways to treat the joints")
        try:
            one = propose(figure, stores, bone, painter, QUICK, every=False)
        except EditRefused:  # what was done at another joint left no two parts to meet at this one
            continue
        found.append(one)
        if one.changes:
            figure = treated(figure, bone.id, one.best, stores, one.chosen.to)
    return figure, tuple(found)


def _tried(
    figure: Figure,
    stores: Stores,
    bone: Bone,
    painter: Painter,
    treatment: JointTreatment,
    step: float,
    rest: AtRest | None = None,
) -> Trial:
    """One tried; refused, too, where the drawing at `rest` would look otherwise beside the two parts."""
    try:
        after = treated(figure, bone.id, treatment, stores)
        if rest is not None and (off := rest.disturbed(after, treatment == BLENDED)) > rest.may:
            return Trial(treatment, None, f"{off:.0f} px² beside the two parts would look otherwise at rest.")
        return Trial(treatment, read_seam(after, stores, bone, painter, step, rough=step == QUICK))
    except EditRefused as error:
        return Trial(treatment, None, str(error))
