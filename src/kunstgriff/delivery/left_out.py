"""What a delivery leaves out or changes of the figure, in sentences."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from kunstgriff.figure.channels import parted
from kunstgriff.figure.model import Figure, Part, Weighted
from kunstgriff.trial.keys import KeyedMotion
from kunstgriff.trial.motion import SWING, IntoPose, Motion, rate_of

FILMS = (".webm", ".webp", ".apng", ".frames.zip", ".contact.png")


def left_out(figure: Figure, ending: str, size: tuple[int, int] | None, motion: Motion = SWING) -> tuple[str, ...]:
    """All that whoever gets such a delivery should know; nothing where it is all there as on the bench."""
    return tuple(_told(figure, ending, size, motion))


def _told(figure: Figure, ending: str, size: tuple[int, int] | None, motion: Motion) -> Iterator[str]:
    shown = [part for part in figure.parts if part.is_shown]
    gone = [part for part in figure.parts if part.left_out]
    if gone and ending != ".zip":
        yield f"{_names(gone)} left out, as on the bench."
    sheet = (figure.sheet.width, figure.sheet.height)
    if size is not None and size != sheet and ending in (".png", *FILMS):
        yield f"Painted {size[0]} x {size[1]} px; the sheet has {sheet[0]} x {sheet[1]}."
    if ending in FILMS and rate_of(motion, figure) != 24:
        yield f"{rate_of(motion, figure)} frames per second."
    if ending in (*FILMS, ".glb") and motion != SWING:
        yield f"Its motion is “{motion.name}”."
    facings = () if figure.turnaround is None else figure.turnaround.facings
    if len(facings) > 1 and ending in (".glb", ".findings.ora", ".voids.ora"):
        yield f"Only the first of {len(facings)} facings."
    if ending == ".glb":
        yield from _of_gltf(figure, shown)
        posed = {parted(address) for address in _posed(motion)}
        if placed := _called(figure, {ref for ref, name in posed if name not in ("shows", "forward", "opacity")}):
            yield f"glTF is not told what is posed by itself: {_list(placed)} only with what it follows."
        if faded := _called(figure, {ref for ref, name in posed if name == "opacity"}):
            yield f"glTF knows nothing that fades: {_list(faded)} as opaque as at rest."


def _posed(motion: Motion) -> Iterable[str]:
    """The addresses of channels that a motion takes off rest."""
    if isinstance(motion, IntoPose):
        return motion.pose.sparse().channels
    return [track.channel for track in motion.motion.tracks] if isinstance(motion, KeyedMotion) else ()


def _called(figure: Figure, refs: set[str]) -> list[str]:
    """The names of parts, groups and warps, these by what they are or by their handles."""
    drawn = [one.name for some in (figure.parts, figure.groups) for one in some if one.id in refs]
    return drawn + [one.name for one in figure.warps if any(handle.id in refs for handle in one.handles)]


def _of_gltf(figure: Figure, shown: list[Part]) -> Iterator[str]:
    blended = [part for part in shown if part.blend != "normal"]
    blended_groups = [group for group in figure.groups if group.blend != "normal"]
    if blended or blended_groups:
        names = [*(part.name for part in blended), *(group.name for group in blended_groups)]
        yield f"glTF knows no blend modes: {_list(names)} laid on plainly."
    clips = figure.treated("clip")
    if clips:
        parts = [part for one in clips if (part := figure.part(one.part)) is not None]
        yield f"glTF knows no clips: {_names(parts)} drawn whole."
    mushed = [part for part in shown if isinstance(part.binding, Weighted) and part.deformers]
    if mushed:
        yield f"{_names(mushed)} without delta mush."
    tied = [one.name for one in figure.warps if any(handle.ties for handle in one.handles)]
    if tied:
        yield f"glTF is not told what bones do to {_list(tied)}: only what was dragged at rest."
    if figure.jellies:
        names = [one.name for one in figure.jellies]
        yield f"glTF is not told how {_list(names)} wobbles: it stays as it was drawn."
    switches = (getattr(one, "switch", None) for one in figure.treatments)
    fading = [one for one in switches if one is not None and one.fade > 0]
    if fading:
        yield f"{len(fading)} switched drawings come at once instead of fading in."


def _names(parts: list[Part]) -> str:
    return _list([part.name for part in parts])


def _list(names: list[str]) -> str:
    """
    >>> _list(["lid"]), _list(["lid", "pupil", "brow", "nose", "ear"])
    ('lid', 'lid, pupil, brow and 2 more')
    """
    return ", ".join(names[:3]) + (f" and {len(names) - 3} more" if len(names) > 3 else "")
