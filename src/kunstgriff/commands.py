"""The shell command: the same reading, editing, posing and delivering as the bench, for pipelines."""

from __future__ import annotations

import json
import re
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import click

from kunstgriff.artwork.importing import read_artwork
from kunstgriff.artwork.renewing import match_sheet, renewal
from kunstgriff.artwork.sheet import Progress, figure_from_sheet
from kunstgriff.binding.auto_binding import DEFAULT_COUNT
from kunstgriff.binding.mesh import COUNT_LIMIT
from kunstgriff.delivery.deliver import DeliveryOrder, deliver, write_whole
from kunstgriff.delivery.frames import Shot, painter
from kunstgriff.delivery.lists import deliver_list, read_list
from kunstgriff.delivery.proof import as_html, as_json, comparison, known_from, processes, proven, verdict, worst_shakes
from kunstgriff.delivery.telling import Delivered, tell_beside
from kunstgriff.evaluate.state import compile_rig
from kunstgriff.figure.archive import read_archive
from kunstgriff.figure.channels import Quantity, addressed, quantities
from kunstgriff.figure.edit import Edit, EditRefused, apply_edit, edit_kinds, need_bone
from kunstgriff.figure.model import Bone, Figure, Group, Part, Tolerances, Unbound
from kunstgriff.figure.pose import Pose, parse_pose, posable
from kunstgriff.figure.refusal import DeliveryRefused, Refusal
from kunstgriff.figure.stores import MemoryStores, Stores, encode_png
from kunstgriff.paint.painter import sheet_view
from kunstgriff.reading.bends import read_bends
from kunstgriff.reading.fan import bend_fan
from kunstgriff.reading.following import Following, read_following
from kunstgriff.reading.proposing import Proposal, treated_as_proposed
from kunstgriff.reading.seams import Seam, joints_with_seams, read_seams, sentence_of
from kunstgriff.reading.together import read_together
from kunstgriff.trial import film
from kunstgriff.trial.film_edits import on_the_sheet
from kunstgriff.trial.motion import motion_named
from kunstgriff.trial.motion_edits import need_motion
from kunstgriff.trial.sound import LARGEST, kept_sound
from kunstgriff.warp.hem.edits import need_hem
from kunstgriff.warp.hem.reading import HemReader, read_hem

JSON_LIMIT = 64 * 1024 * 1024
POSES_LIMIT = 10_000
NUMBER = re.compile(r"%(?:0(\d{1,2}))?d")


class Sentence(click.ClickException):
    """A refusal: one sentence on standard error, exit code 1."""

    def show(self, file: Any = None) -> None:
        click.echo(self.message, err=True)


@contextmanager
def sentences() -> Iterator[None]:
    """Turn refusals of the core into one sentence each."""
    try:
        yield
    except Refusal as error:
        raise Sentence(str(error)) from error
    except (OSError, ValueError) as error:
        raise Sentence(f"{error}") from error


@contextmanager
def bar() -> Iterator[Progress]:
    """A progress bar on standard error, shown only when someone is looking."""
    if not sys.stderr.isatty():
        yield lambda done, total, stage: None
        return
    shown: list[Any] = []

    def tell(done: int, total: int, stage: str) -> None:
        if not shown or shown[-1].label != stage:
            if shown:
                shown.pop().render_finish()
            shown.append(click.progressbar(length=max(total, 1), label=stage, file=sys.stderr))
        shown[-1].pos = done
        shown[-1].render_progress()

    try:
        yield tell
    finally:
        if shown:
            shown[-1].render_finish()


def parse_size(context: click.Context, parameter: click.Parameter, value: str | None) -> tuple[int, int] | None:
    """`WIDTHxHEIGHT` in px."""
    if value is None:
        return None
    width, _, height = value.lower().partition("x")
    if not (re.fullmatch(r"[0-9]{1,6}", width) and re.fullmatch(r"[0-9]{1,6}", height) and int(width) and int(height)):
        raise click.BadParameter("a size reads like 800x1200")
    return int(width), int(height)


def parse_angles(context: click.Context, parameter: click.Parameter, value: str | None) -> tuple[float, ...] | None:
    """`-60,0,60` in degrees."""
    if value is None:
        return None
    try:
        angles = tuple(float(one) for one in value.split(","))
    except ValueError as error:
        raise click.BadParameter("angles read like -60,0,60") from error
    if len(angles) > 361 or not all(abs(one) <= 360 for one in angles):
        raise click.BadParameter("at most 361 angles, each from -360 to 360 degrees")
    return angles


def load(path: str) -> tuple[Figure, MemoryStores]:
    """A figure archive and its stores. Raises ArchiveRefused."""
    return read_archive(Path(path))


def read_json(path: str) -> Any:
    """JSON from a file, or from standard input for “-”."""
    with click.open_file(path, "rb") as stream:
        data = stream.read(JSON_LIMIT + 1)
    if len(data) > JSON_LIMIT:
        raise Sentence(f"“{path}” is larger than 64 MB.")
    try:
        return json.loads(data)
    except ValueError as error:
        raise Sentence(f"“{path}” is no JSON: {error}.") from error


size_option = click.option("--size", callback=parse_size, metavar="WxH", help="Size in px; the sheet's unless given.")
out_option = click.option("-o", "--out", required=True, type=click.Path(dir_okay=False), help="The file to write.")


COMMANDS = click.Group()


@COMMANDS.command("import")
@click.argument("art", type=click.Path(exists=True, dir_okay=False))
@out_option
@click.option("--name", help="The figure's name; the file's unless given.")
@click.option("--scale", type=click.Choice(["1", "2", "4"]), default="1", help="Size at which an SVG is read.")
@click.option("--onto", type=click.Path(exists=True, dir_okay=False), help="A figure archive this is a new drawing of.")
def import_art(art: str, out: str, name: str | None, scale: str, onto: str | None) -> None:
    """Make a figure archive from layered artwork: .ora, .svg, .tif, .png, or a .zip of PNGs with places.json.

    With --onto the artwork is a new version of that figure's sheet: bindings, weights and covers are kept.
    """
    with sentences(), bar() as progress:
        sheet = read_artwork(Path(art), int(scale), progress)
        if onto is None:
            stores = MemoryStores()
            figure = figure_from_sheet(sheet, name or Path(art).stem, stores, progress)
            told = sheet.notices
        else:
            before, stores = load(onto)
            matching = match_sheet(before, sheet, stores)
            figure = apply_edit(renewal(before, sheet, matching, stores), before, stores)
            told = matching.told(before) + sheet.notices
        deliver(_archive_path(out), DeliveryOrder(figure, stores))
    for sentence in told:
        click.echo(sentence, err=True)


def _archive_path(out: str) -> Path:
    if Path(out).suffix.lower() != ".zip":
        raise DeliveryRefused("A figure archive ends in .zip.")
    return Path(out)


def edit_help() -> str:
    """Every edit with its fields, from the edits themselves."""
    lines = []
    for kind, edit in sorted(edit_kinds().items()):
        lines.append(f"{kind}: {(edit.__doc__ or '').strip().splitlines()[0]}")
        lines += [f"    {name}  {describe_field(edit, name)}" for name in edit.model_fields if name != "kind"]
        lines.append("")
    return "\n".join(lines)


def describe_field(edit: type[Edit], name: str) -> str:
    """What a field of an edit takes, in words, from its JSON Schema."""
    schema = edit.model_json_schema()["properties"][name]
    options = [one for one in schema.get("anyOf", [schema]) if one.get("type") != "null"]
    info = edit.model_fields[name]
    if info.is_required():
        fallback = "required"
    else:
        fallback = "may be left out" if info.default is None else f"{json.dumps(info.default)} unless given"
    return f"{' or '.join(_words(one) for one in options)}, {fallback}"


def _words(schema: dict[str, Any]) -> str:
    if "enum" in schema:
        return " or ".join(json.dumps(value) for value in schema["enum"])
    if schema.get("type") == "array":
        if "prefixItems" in schema:
            return "a point [x, y]"
        return "a list of points [x, y]" if schema["items"].get("type") == "array" else "a list of names"
    words = {"string": "a name", "number": "a number", "integer": "a whole number", "boolean": "true or false"}
    low, high = schema.get("minimum", schema.get("exclusiveMinimum")), schema.get("maximum")
    bounds = f" from {low:g}" + (f" to {high:g}" if high is not None else " up") if low is not None else ""
    return words.get(schema.get("type", ""), "a value") + bounds


class EditCommand(click.Command):
    """The command whose help tells every edit."""

    def format_epilog(self, context: click.Context, formatter: click.HelpFormatter) -> None:
        formatter.write_paragraph()
        formatter.write("The edits:\n\n")
        formatter.write(edit_help())


@COMMANDS.command("edit", cls=EditCommand)
@click.argument("figure", type=click.Path(exists=True, dir_okay=False))
@click.argument("edits", type=click.Path(exists=True, dir_okay=False, allow_dash=True))
@out_option
def edit_figure(figure: str, edits: str, out: str) -> None:
    """Apply a JSON list of edits, the very ones the bench makes, to a figure archive.

    An edit is an object with its "kind" and its fields; parts and bones are named by name or by id. Either all edits
    are made or none.
    """
    with sentences(), bar() as progress:
        value, stores = load(figure)
        listed = read_json(edits)
        if not isinstance(listed, list):
            raise EditRefused("The edits must be a JSON list.")
        for number, item in enumerate(listed, 1):
            progress(number - 1, len(listed), "editing")
            try:
                value = apply_edit(item, value, stores)
            except EditRefused as error:
                raise EditRefused(f"Edit {number} of {len(listed)}: {error}") from error
        deliver(_archive_path(out), DeliveryOrder(value, stores))


@COMMANDS.command("bind")
@click.argument("figure", type=click.Path(exists=True, dir_okay=False))
@out_option
@click.option("--anew", is_flag=True, help="Bind parts again that are bound already.")
@click.option("--count", type=click.IntRange(12, COUNT_LIMIT), default=DEFAULT_COUNT, help="Vertices of a mesh, about.")
def bind_whole(figure: str, out: str, anew: bool, count: int) -> None:
    """Bind every part to the bones that run through it, as the bench does, and say which are left over."""
    with sentences():
        value, stores = load(figure)
        value = apply_edit({"kind": "bind_figure", "anew": anew, "count": count}, value, stores)
        deliver(_archive_path(out), DeliveryOrder(value, stores))
    left = [part for part in value.parts if not part.left_out and isinstance(part.binding, Unbound)]
    for part in left:
        why = part.binding.why if isinstance(part.binding, Unbound) else ""
        click.echo(f"“{part.name}” follows nothing. {why or 'No bone runs through it: bind it to one.'}", err=True)
    click.echo(f"{len(value.parts) - len(left)} of {len(value.parts)} parts are bound.")


@COMMANDS.command("treat")
@click.argument("figure", type=click.Path(exists=True, dir_okay=False))
@click.option("-o", "--out", type=click.Path(dir_okay=False), help="The figure archive to write.")
@click.option("--joint", "joints", multiple=True, metavar="NAME", help="Only the joint of this bone; may be repeated.")
@click.option("--dry-run", is_flag=True, help="Say what would be done and write nothing.")
@click.option("--json", "as_json", is_flag=True, help="The proposals as an array of objects.")
def treat_seams(figure: str, out: str | None, joints: tuple[str, ...], dry_run: bool, as_json: bool) -> None:
    """Treat every seam as the bench proposes: each joint tried in all ways, the one that reads best taken."""
    if out is None and not dry_run:
        raise click.UsageError("Say with -o where to write the figure, or that this is a --dry-run.")
    with sentences(), bar() as progress:
        value, stores = load(figure)
        bones = [need_bone(value, one) for one in joints] if joints else None
        treated, proposals = treated_as_proposed(value, stores, painter(), bones, progress)
        if out is not None and not dry_run:
            deliver(_archive_path(out), DeliveryOrder(treated, stores))
    names = {bone.id: bone.name for bone in value.bones}
    if as_json:
        click.echo(json.dumps([_proposal_row(names[one.bone], one) for one in proposals], indent=1))
        return
    for proposal in proposals:
        misses = proposal.chosen.seam.misses if proposal.chosen.seam is not None else ()
        words = "; ".join(f"still {miss.what} of {miss.value:g} px at {miss.angle:g}°" for miss in misses)
        moved = (
            f"joint moved {proposal.chosen.by:.1f} px to where both outlines agree, "
            if proposal.chosen.to is not None
            else ""
        )
        click.echo(f"{names[proposal.bone]}: {moved}{proposal.best}{', ' + words if words else ''}")
    click.echo(f"{sum(one.changes for one in proposals)} of {len(proposals)} joints are treated otherwise now.")


def _proposal_row(name: str, one: Proposal) -> dict[str, Any]:
    """What is proposed for a joint, with what every way tried would still miss."""
    tried = {
        trial.key: trial.refused if trial.seam is None else {"cost": round(trial.cost, 3), "sum": round(trial.sum, 3)}
        for trial in one.trials
    }
    return {"joint": name, "now": one.now, "proposed": one.best, "to": one.chosen.to, "ways": tried}


@COMMANDS.command("pose")
@click.argument("figure", type=click.Path(exists=True, dir_okay=False))
@click.argument("pose", type=click.Path(exists=True, dir_okay=False, allow_dash=True))
@out_option
@size_option
def pose_figure(figure: str, pose: str, out: str, size: tuple[int, int] | None) -> None:
    """Paint a figure in a pose as PNG, or in a list of poses as so many of them.

    POSE is JSON: {"near forearm.turn": 40, "hips.move.x": 10}, degrees clockwise and px, on top of rest; `channels`
    lists what can be posed. An empty pose {} is the rest pose. For a list the file's name has a place for the number,
    as in out_%03d.png.
    """
    with sentences():
        value, stores = load(figure)
        if Path(out).suffix.lower() != ".png":
            raise DeliveryRefused("A pose is written as .png.")
        asked = read_json(pose)
        poses = [parse_pose(one).by_id(value) for one in (asked if isinstance(asked, list) else [asked])]
        if len(poses) > POSES_LIMIT:
            raise DeliveryRefused(f"At most {POSES_LIMIT} poses are painted in one go; these are {len(poses)}.")
        names = _numbered(out, len(poses)) if isinstance(asked, list) else [out]
        rig = compile_rig(value, stores)
        view = sheet_view(value, size)
        for name, each_name in zip(names, poses, strict=True):
            pixels = painter().paint(rig, rig.evaluate(each_name), view, stores)
            write_whole(Path(name), encode_png(pixels))


def _numbered(out: str, count: int) -> list[str]:
    """File names for so many pictures from one with a place for the number."""
    match = NUMBER.search(Path(out).name)
    if match is None or NUMBER.search(Path(out).name, match.end()):
        raise DeliveryRefused("A list of poses wants one place for the number in the file's name, as in out_%03d.png.")
    name, width = Path(out).name, int(match[1] or 1)
    return [
        str(Path(out).with_name(f"{name[: match.start()]}{number:0{width}d}{name[match.end() :]}"))
        for number in range(count)
    ]


@COMMANDS.command("channels")
@click.argument("figure", type=click.Path(exists=True, dir_okay=False))
@click.option("--json", "as_json", is_flag=True, help="An array of objects instead of a table.")
def list_channels(figure: str, as_json: bool) -> None:
    """List what of a figure can be posed: each channel's address, unit, value at rest and ends."""
    with sentences():
        value, _ = load(figure)
        rows = [
            {"channel": addressed(name, one.name), "unit": one.unit, "rest": one.rest, **_ends(of, one)}
            for kind, name, of in _posable(value)
            for one in quantities().values()
            if kind in one.of and (one.name != "shows" or _is_set(of))
        ]
        if as_json:
            click.echo(json.dumps(rows, indent=1, ensure_ascii=False))
            return
        for row in rows:
            click.echo(f"{row['channel']:40} {row['rest']:g} {row['unit']}, {row['low']:g} to {row['high']:g}")


def _posable(figure: Figure) -> Iterator[tuple[str, str, Any]]:
    """All that can be posed, each with what it is and the name a pose may use: one that a bone has, too, says what it
    is of."""
    taken: set[str] = set()
    for kind, some in posable(figure).items():
        for item in some:
            yield kind, (f"{kind}:{item.name}" if item.name in taken else item.name), item
        taken |= {one.name for one in some}


def _is_set(of: Bone | Part | Group) -> bool:
    return isinstance(of, Group) and bool(of.drawings)


def _ends(of: Bone | Part | Group, one: Quantity) -> dict[str, float]:
    """How far a channel of a bone goes: its limits where it has some, else as far as the quantity does."""
    limits = of.limits if one.kind == "turn" and isinstance(of, Bone) else None
    return {"low": limits.low if limits else one.low, "high": limits.high if limits else one.high}


@COMMANDS.command("read")
@click.argument("figure", type=click.Path(exists=True, dir_okay=False))
@click.option("--joint", metavar="NAME", help="The bone that is turned at its joint; without it every seam is read.")
@click.option(
    "--angles", callback=parse_angles, metavar="A,B,…", help="Degrees; unless given nine through its limits, or ±120."
)
@click.option("--motion", metavar="NAME", help="Play this motion and read how every chain follows through.")
@click.option("--json", "as_json", is_flag=True, help="JSON instead of a table.")
@click.option("--picture", type=click.Path(dir_okay=False), help="Also write the bend fan as .png.")
def read_joint(
    figure: str, joint: str | None, angles: tuple[float, ...] | None, motion: str | None, as_json: bool,
    picture: str | None,
) -> None:  # fmt: skip
    """Turn a joint through its range and read what becomes of the limb, or read every seam of the figure.

    Of a joint at each angle: width kept (share of that of one limb), area kept (share of that at rest), folded
    triangles, how far the outline departs from that of one limb and its waves (px). Of seams: gap (px²) and its largest
    disc, ink across (px²) and its length, step of the line, notch and bump (px), width and area kept, folded triangles,
    the outline's jump to one piece (px). Of chains over a motion: lag (frames), how far they go off where the pose
    holds them (degrees), overshoot, how deep they go into colliders and how much they tremble (px).
    """
    with sentences():
        value, stores = load(figure)
        if motion is not None:
            _tell_following(read_following(compile_rig(value, stores), motion_named(value, motion)), as_json)
            return
        if joint is None:
            seams = _every_seam(value, stores, value.tolerances)
            if as_json:
                click.echo(json.dumps([row for seam in seams for row in seam.rows()], indent=1))
            else:
                _tell(seams)
            return
        fan = bend_fan(value, stores, need_bone(value, joint), painter(), angles or None)
        rows = fan.rows()
        if picture is not None:
            if Path(picture).suffix.lower() != ".png":
                raise DeliveryRefused("A bend fan is written as .png.")
            Path(picture).write_bytes(encode_png(fan.strip))
        if as_json:
            click.echo(json.dumps(rows, indent=1))
            return
        click.echo("angle  width kept  area kept  folded  departs  waves  misses")
        for reading, told in zip(fan.readings, fan.told, strict=True):
            shares = f"{reading.angle:5.0f}  {reading.width_kept:10.3f}  {reading.area_kept:9.3f}  {reading.folded:6d}"
            click.echo(f"{shares}  {reading.departs:7.2f}  {reading.waves:5.2f}  {told}")


def _tell_following(found: Following, as_json: bool) -> None:
    if as_json:
        click.echo(json.dumps(found.data, indent=1))
        return
    click.echo("   lag  furthest  overshoot   deep  trembles  chain")
    for one in found.chains:
        lag, over, jitter = (
            "–" if each is None else f"{each:.{places}f}"
            for each, places in ((one.lag, 1), (one.overshoot, 2), (one.jitter, 3))
        )
        click.echo(f"{lag:>6}  {one.furthest:7.1f}°  {over:>9}  {one.deepest:5.2f}  {jitter:>8}  {one.name}")
    for each in found.jellies:
        click.echo(f"{each.furthest:7.1f} px off its place on frame {each.furthest_at}: {each.name}")
    for fault in found.faults:
        click.echo(fault.sentence)


@COMMANDS.command("hem")
@click.argument("figure", type=click.Path(exists=True, dir_okay=False))
@click.option("--hem", "names", multiple=True, metavar="NAME", help="Only this hem; may be repeated.")
@click.option("--tune", is_flag=True, help="Find the shares at which least of the legs shows; needs --out.")
@click.option("-o", "--out", type=click.Path(dir_okay=False), help="The figure archive to write, tuned.")
@click.option("--json", "as_json", is_flag=True, help="Every reading of the grid as an array of objects.")
def read_hems(figure: str, names: tuple[str, ...], tune: bool, out: str | None, as_json: bool) -> None:
    """Read skirts over all turns of both legs: where a leg shows through, a wedge opens, cloth folds over.

    Areas are px²; angles are those of the thighs, in degrees from rest.
    """
    with sentences():
        if tune != (out is not None):
            raise Sentence("What is tuned is written to a file of its own; say --tune and --out together.")
        value, stores = load(figure)
        chosen = [need_hem(value, name) for name in names] or list(value.hems)
        if not chosen:
            raise Sentence("The figure has no hem; lay one with an edit of kind lay_hem.")
        rows: list[dict[str, Any]] = []
        for hem in chosen:
            if tune:
                value = apply_edit({"kind": "tune_hem", "hem": hem.id}, value, stores)
            report = read_hem(HemReader(value, hem, stores))
            assert report is not None
            rows += report.rows(hem.name)
            if not as_json:
                click.echo("\n".join(report.sentences(hem.name)) or f"{hem.name} breaks nowhere")
                click.echo(f"{hem.name}: moves at the most {report.jump:.2f} px for a px of a knee")
        if as_json:
            click.echo(json.dumps(rows, indent=1))
        if out is not None:
            deliver(_archive_path(out), DeliveryOrder(value, stores))


def _every_seam(figure: Figure, stores: Stores, tolerances: Tolerances) -> list[Seam]:
    """The seams one by one over their range, then with their neighbours turned and in the kept poses."""
    figure = figure.replace(tolerances=tolerances)
    seams = list(read_seams(figure, stores, painter()))
    for bone in joints_with_seams(figure, stores):
        seams += read_together(figure, stores, painter(), bone)
    return seams


def _tell(seams: list[Seam]) -> None:
    """What misses, worst first, then how many seams are within what is tolerated."""
    for seam in sorted(seams, key=lambda one: -one.cost):
        for miss in seam.misses:
            click.echo(f"{sentence_of(seam, miss)}, {miss.times:g} times what is tolerated")
    click.echo(f"{sum(not seam.misses for seam in seams)} of {len(seams)} seams are within what is tolerated.")


@COMMANDS.command("check")
@click.argument("figure", type=click.Path(exists=True, dir_okay=False))
@click.option("--gap", type=click.FloatRange(0), help="Diameter of the largest gap tolerated, px.")
@click.option("--ink", type=click.FloatRange(0), help="Length of line across a joint tolerated, px.")
@click.option("--step", type=click.FloatRange(0), help="Step of the line tolerated, as a share of it.")
@click.option("--notch", type=click.FloatRange(0), help="Notch tolerated, as a share of the half width.")
@click.option("--jump", type=click.FloatRange(0), help="Jump of the outline to one piece tolerated, px.")
@click.option("--shape", type=click.FloatRange(0), help="Departure from one limb tolerated, share of the half width.")
def check_figure(figure: str, **given: float | None) -> None:
    """Read every seam and every bend over its joint's range; ends with 1 when one is beyond what is tolerated.

    What is tolerated is kept with the figure; a number given here holds instead.
    """
    with sentences():
        value, stores = load(figure)
        asked = {name: one for name, one in given.items() if one is not None}
        seams = _every_seam(value, stores, value.tolerances.model_copy(update=asked))
        _tell(seams)
        bends = list(read_bends(value, stores, painter()))
        for bone, miss, angle in bends:
            if miss is not None:
                click.echo(f"{bone.name} {miss[1]} at {angle:.0f}°, {miss[0]:.2f} times what is tolerated")
        if bends:
            click.echo(
                f"{sum(miss is None for _, miss, _ in bends)} of {len(bends)} bends are within what is tolerated."
            )
    if any(seam.misses for seam in seams) or any(miss is not None for _, miss, _ in bends):
        raise SystemExit(1)


@COMMANDS.command("prove")
@click.argument("figure", type=click.Path(exists=True, dir_okay=False))
@click.option("-o", "--out", required=True, type=click.Path(dir_okay=False), help="The report, .html or .json.")
@click.option("--shake", type=click.IntRange(0, 2_000), default=0, help="So many random poses within limits as well.")
@click.option("--seed", type=int, default=1, show_default=True, help="Of the random poses.")
@click.option(
    "--keep-worst", type=click.Path(dir_okay=False), help="The figure with the worst ten of these kept, .zip."
)
@click.option("--strict", is_flag=True, help="What fails beyond what the figure is used for counts, too.")
@click.option(
    "--workers", type=click.IntRange(1, 64), help="Processes that read at once; one for each core unless given."
)
def prove_figure(
    figure: str, out: str, shake: int, seed: int, keep_worst: str | None, strict: bool, workers: int | None
) -> None:
    """Drive every joint and control through its range, read what is seen, and write the report.

    Ends with 1 when something is beyond what is tolerated. Kept poses and motions count in full, and of each joint the
    range they use. A report as .json is gone on from: only what changed is read again.
    """
    target = Path(out)
    if target.suffix.lower() not in (".html", ".json"):
        raise Sentence("A proof is written as .html or .json.")
    with sentences(), bar() as progress:
        value, stores = load(figure)
        data = target.with_suffix(".json")
        rows = proven(
            value, stores, progress, shake, seed, known_from(data), workers or processes(),
            lambda some: write_whole(data, as_json(value, some).encode()),
        )  # fmt: skip
        write_whole(data, as_json(value, rows).encode())
        if target.suffix.lower() == ".html":
            write_whole(target, as_html(value, rows).encode())
        for row in worst_shakes(rows) if keep_worst is not None else ():
            value = apply_edit({"kind": "keep_pose", "name": row["name"], "pose": row["pose"]}, value, stores)
        if keep_worst is not None:
            deliver(_archive_path(keep_worst), DeliveryOrder(value, stores))
    for row in sorted((row for row in rows if row["fails"]), key=lambda row: -row["worst"]):
        for fault in row["faults"][:3]:
            click.echo(f"{fault['words']}, {fault['times']:g} times what is tolerated")
    click.echo(verdict(rows))
    if any(row["fails"] or (strict and row["limit"]) for row in rows):
        raise SystemExit(1)


@COMMANDS.command("compare")
@click.argument("before", type=click.Path(exists=True, dir_okay=False))
@click.argument("after", type=click.Path(exists=True, dir_okay=False))
@click.option("--motion", metavar="NAME", help="A motion that both have; the test swing unless given.")
@click.option("-o", "--out", required=True, type=click.Path(dir_okay=False), help="The report, .html or .json.")
def compare_figures(before: str, after: str, motion: str | None, out: str) -> None:
    """Play two revisions of a figure through one motion and tell how far they depart.

    Frame by frame in px, with pictures of those that depart most, and what reads better or worse.
    """
    target = Path(out)
    if target.suffix.lower() not in (".html", ".json"):
        raise Sentence("A comparison is written as .html or .json.")
    with sentences(), bar() as progress:
        page, data = comparison(load(before), load(after), motion, progress)
        write_whole(target, (page if target.suffix.lower() == ".html" else json.dumps(data, indent=1)).encode())
    worse = sum(row["after"] > row["before"] for row in data["cells"])
    click.echo(f"Outlines depart by {data['apart']:.1f} px at the most; {worse} cells read worse,"
               f" {len(data['cells']) - worse} better.")  # fmt: skip


@COMMANDS.command("sound")
@click.argument("figure", type=click.Path(exists=True, dir_okay=False))
@click.argument("sound", type=click.Path(exists=True, dir_okay=False))
@click.option("--motion", required=True, metavar="NAME", help="The motion of the figure's own that it goes with.")
@click.option("--begins", type=click.FloatRange(0), default=0.0, help="The frame on which it begins.")
@click.option("-o", "--out", required=True, type=click.Path(dir_okay=False), help="The figure archive to write.")
def lay_sound(figure: str, sound: str, motion: str, begins: float, out: str) -> None:
    """Lay a sound (WAV, FLAC or Ogg) beside a motion."""
    with sentences():
        value, stores = load(figure)
        source = Path(sound)
        if source.stat().st_size > LARGEST:
            raise Sentence(f"A sound of {source.stat().st_size / 1e6:.0f} MB is too large.")
        kept = kept_sound(stores, source.stem, source.read_bytes()).model_copy(update={"begins": begins})
        asked = {"kind": "set_sound", "motion": motion, "sound": kept.model_dump()}
        deliver(_archive_path(out), DeliveryOrder(apply_edit(asked, value, stores), stores))


@COMMANDS.command("film")
@click.argument("figure", type=click.Path(exists=True, dir_okay=False))
@click.argument("pictures", nargs=-1, required=True, type=click.Path(exists=True, dir_okay=False))
@click.option("--motion", required=True, metavar="NAME", help="The motion of the figure's own that it goes under.")
@click.option("--begins", type=click.FloatRange(0), default=0.0, help="The frame on which it begins.")
@click.option("-o", "--out", required=True, type=click.Path(dir_okay=False), help="The figure archive to write.")
def lay_film(figure: str, pictures: tuple[str, ...], motion: str, begins: float, out: str) -> None:
    """Lay a film, or numbered pictures, under a motion to go by."""
    with sentences():
        value, stores = load(figure)
        sources = [Path(one) for one in pictures]
        if sum(one.stat().st_size for one in sources) > film.LARGEST:
            raise Sentence(f"{film.LARGEST // 1024**2} MB of film are taken at most.")
        files = [film.Named(one.name, one.read_bytes()) for one in sources]
        kept = film.kept_film(stores, files, need_motion(value, motion).rate)
        laid = on_the_sheet(kept, value).model_copy(update={"begins": begins})
        asked = {"kind": "set_film", "motion": motion, "film": laid.model_dump()}
        deliver(_archive_path(out), DeliveryOrder(apply_edit(asked, value, stores), stores))


@COMMANDS.command("deliver")
@click.argument("figure", type=click.Path(exists=True, dir_okay=False))
@click.option("-o", "--out", type=click.Path(dir_okay=False), help="The file to write.")
@size_option
@click.option("--rate", type=click.IntRange(1, 240), help="Frames per second, the figure's unless given.")
@click.option(
    "--motion", metavar="NAME", help="The test swing unless given; “into POSE” goes into a kept pose and back."
)
@click.option("--first", type=click.IntRange(0), default=0, help="The frame a film begins with.")
@click.option("--last", type=click.IntRange(0), help="The frame a film ends with.")
@click.option("--background", metavar="COLOUR", help="What is behind the figure, as #F7F2E8; see-through without.")
@click.option("--cropped", is_flag=True, help="No more than what moves, instead of the sheet.")
@click.option("--settled", is_flag=True, help="Springs have come to rest in the first pose before it begins.")
@click.option("--premultiplied", is_flag=True, help="Colours of single frames are multiplied by alpha.")
@click.option("--list", "listed", type=click.Path(exists=True, dir_okay=False), help="A delivery list; needs -d.")
@click.option("-d", "--folder", type=click.Path(file_okay=False), help="The folder for the files of a list.")
def deliver_figure(
    figure: str, out: str | None, size: tuple[int, int] | None, rate: int | None, motion: str | None, first: int,
    last: int | None, background: str | None, cropped: bool, settled: bool, premultiplied: bool, listed: str | None,
    folder: str | None,
) -> None:  # fmt: skip
    """Write a delivery; the ending of the file says which.

    With --list it is all deliveries of a list, into a folder. What it leaves out is told beside it, in FILE.told.txt
    and FILE.told.json, with checksums in FILE.sha256.

    \b
    .glb   glTF 2.0: bones, weights and the motion
    .webm  the motion as VP9 video with alpha
    .webp, .apng  the motion as a picture that moves
    .frames.zip  the motion as numbered PNGs
    .contact.png  frames of the motion side by side
    .show.html  a page of its own that plays the motions
    .png   the rest pose
    .ora   the sheet as OpenRaster
    .findings.ora  the same with a layer of findings for the illustrator
    .png.zip  the sheet as a zip of PNGs with places.json
    .zip   the figure archive
    """
    if (listed is None) != (folder is None) or (out is None) == (listed is None):
        raise click.UsageError("Say -o FILE, or --list LIST.json with -d FOLDER.")
    with sentences(), bar() as progress:
        value, stores = load(figure)
        if listed is not None and folder is not None:
            made = deliver_list(Path(folder), read_list(Path(listed).read_bytes()), value, stores, progress)
        elif out is not None:
            shot = Shot(
                first=first, last=last, background=background, cropped=cropped, settled=settled,
                premultiplied=premultiplied,
            )  # fmt: skip
            played, target = motion_named(value, motion), Path(out)
            asked = DeliveryOrder(value, stores, Pose(), size, progress, rate, played, shot=shot)
            made = [Delivered(target, deliver(target, asked))]
            tell_beside(target, value.name, made)
    for one in made:
        for sentence in one.told:
            click.echo(sentence if len(made) == 1 else f"{one.file.name}: {sentence}", err=True)
