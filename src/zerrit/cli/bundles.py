"""Commands on bundles: plugins, mods, maps and packs."""

from __future__ import annotations

import hashlib
import sys
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Literal

import click

from zerrit.cli.files import FILE, load_gamebook
from zerrit.cli.local_folder import ChosenFiles, opened_bundle, sending
from zerrit.cli.output import echo, output_option, print_json, print_table, short
from zerrit.cli.session import connect
from zerrit.core.bundles.installed import InstalledBundle
from zerrit.core.bundles.inventory import Inventory, look_into
from zerrit.core.bundles.manifest import Manifest
from zerrit.core.wording import counted

# A look into an archive needs neither the service nor a gamebook, whose models take longer to import than the look takes.
# ruff: noqa: PLC0415
if TYPE_CHECKING:
    from zerrit import api
    from zerrit.client import Client
    from zerrit.core.gamebooks import Gamebook

MOST_NAMED = 8
_SORTS = {"others": "other files"}


@click.group()
def bundle() -> None:
    """Bundles: look into an archive, install it, switch it on or off, remove it."""


# --- archives ---------------------------------------------------------------------------------------------------------


@bundle.command()
@click.argument("file", type=click.Path(exists=True, path_type=Path))
@click.option(
    "--server", "server_id", metavar="SERVER", help="Also where it goes on a server, and what is there already."
)
@click.option("--gamebook", type=FILE, help="Recognise it by a gamebook; needs no service.")
@output_option
def look(file: Path, server_id: str | None, gamebook: Path | None, output: str) -> None:
    """Look into an archive or folder before any of it goes to a server. Nothing is sent or kept.

    Shows its files, its manifest, the bundles in it, programs, and the readme. Exit code 1 when something of it
    collides or is refused.
    """
    with opened_bundle(file) as archive:
        if server_id is not None:
            with connect() as zerrit:
                here = _server_view(zerrit, server_id)
        else:
            here = _Here(load_gamebook(gamebook) if gamebook else None)
        kinds = here.gamebook.rules.bundles if here.gamebook is not None else ()
        found = look_into(archive, file.name, kinds, here.installed, here.paths, here.refused)
    if output == "json":
        from zerrit.report.inventory import inventory

        print_json(inventory(found).model_dump(mode="json"))
    else:
        _print_inventory(found, file.name, here.game, is_beside_server=server_id is not None)
    sys.exit(1 if found.refused or any(part.collisions for part in found.parts) else 0)


@dataclass(frozen=True, slots=True)
class _Here:
    """What of a server is needed to look into an archive beside it; `game` is the version of its newest defaults."""

    gamebook: Gamebook | None
    installed: Sequence[InstalledBundle] = ()
    paths: Sequence[str] = ()
    refused: Sequence[str] = ()
    game: str = ""


def _server_view(zerrit: Client, server_id: str) -> _Here:
    from zerrit.core.gamebooks import read_gamebook

    server = zerrit.server(server_id)
    text = zerrit.gamebook_overview(server_id).text.encode() if server.gamebook else b""
    book = read_gamebook(text, base_of=lambda name: zerrit.gamebook_text(name).text.encode())[0] if text else None
    installed = [
        InstalledBundle(
            one.kind,
            one.name,
            one.state,
            Manifest(one.name, one.title, one.version, tuple(one.needs), one.game),
            tuple(one.files),
            tuple(one.on_paths),
            one.place,
            one.doubt,
        )
        for one in zerrit.server_bundles(server_id)
    ]
    paths = [file.path for file in zerrit.files(server_id)]
    game = server.defaults[0] if server.defaults else ""
    return _Here(book, installed, paths, server.maintenance.refused_files, game)


def _print_inventory(found: Inventory, file_name: str, game: str, *, is_beside_server: bool) -> None:
    by_count = sorted(found.sorts.items(), key=lambda one: -one[1])
    what = ", ".join(f"{_SORTS.get(sort, sort)} {many:,}" for sort, many in by_count)
    echo(f"{file_name}: {counted(found.files, 'file')}, {_size(found.size)} unpacked ({what})")
    if found.manifest is not None and not found.parts:
        guessed = "guessed" if found.manifest.is_guessed else "by the gamebook"
        echo(f"Manifest {found.manifest.path} ({guessed}): {_titled(found.manifest)}")
    for folder, files, size in [one for one in found.folders if "/" not in one[0]][:MOST_NAMED]:
        echo(f"  {folder}/   {counted(files, 'file')}, {_size(size)}")
    for part in found.parts:
        echo()
        echo(f"{part.kind or 'Files'} {part.name}  {_titled(part.manifest)}".rstrip())
        echo(f"  recognised: {part.why}")
        _print_list("  goes to", _folders(part.placement.paths))
        _print_list("  settings it brings", part.settings)
        if part.placement.made:
            _print_list("  made for it from the template of the gamebook", list(part.placement.made))
        if part.manifest.needs:
            echo(f"  needs: {', '.join(part.manifest.needs)}")
        if part.manifest.game:
            other = f"; the newest defaults of the server are {game}" if game and game != part.manifest.game else ""
            echo(f"  made for version {part.manifest.game} of the game{other}")
        if part.installed is not None:
            version = part.installed.manifest.version or "a version that it does not say"
            echo(f"  {version} is on the server now ({part.installed.state})")
        _print_list("  files of that version that this one does not have", part.left_over)
        _print_list("  collides with what is on the server", part.collisions)
    if not found.parts:
        echo()
        said = "the gamebook of the server" if is_beside_server else "a gamebook (--gamebook, or --server)"
        echo(
            f"No bundle was recognised in it by {said}. Install it as it is: zerrit bundle install SERVER FILE --to FOLDER"
        )
    echo()
    _print_list("Programs in it", found.programs)
    _print_list("The host refuses", found.refused)
    _print_list("Archives in it", found.archives)
    if found.parts:
        _print_list("Belongs to no bundle", found.rest)
    if found.readme is not None:
        echo(f"{found.readme[0]}:")
        for line in found.readme[1].splitlines()[:12]:
            echo(f"  {line}")


def _folders(paths: Sequence[str]) -> list[str]:
    """The folders that paths are in, each once, with how many files go there."""
    counts: dict[str, int] = {}
    for path in paths:
        folder = "/".join(path.split("/")[:2]) if path.count("/") > 1 else path.rpartition("/")[0]
        counts[folder] = counts.get(folder, 0) + 1
    return [f"{folder}/ ({counted(many, 'file')})" for folder, many in counts.items()]


def _print_list(title: str, names: Sequence[str]) -> None:
    if names:
        more = f" and {len(names) - MOST_NAMED:,} more" if len(names) > MOST_NAMED else ""
        echo(f"{title}: {', '.join(names[:MOST_NAMED])}{more}")


def _titled(manifest: Manifest) -> str:
    title = manifest.title if manifest.title and manifest.title != manifest.name else ""
    return " ".join(word for word in (f"({title})" if title else "", manifest.version) if word)


def _size(size: int) -> str:
    return (
        f"{size / (1 << 20):.1f} MB"
        if size >= 1 << 20
        else f"{size / 1024:.1f} kB"
        if size >= 1024
        else f"{size} bytes"
    )


@bundle.command()
@click.argument("file", type=click.Path(exists=True, path_type=Path))
@click.option("--origin", default="", help="Where it was downloaded; kept with it.")
def keep(file: Path, origin: str) -> None:
    """Keep an archive, folder or file as a bundle, with its hash. What the service has already is not sent again.

    A kept bundle can be installed on any server, and lets the next version tell your edits from what came with it.
    """
    with connect() as zerrit:
        kept = _kept(zerrit, file, origin)
    echo(
        f"Bundle {kept.id}: {kept.file_name}, {kept.name} {kept.version}, {counted(kept.files, 'file')}, {_size(kept.size)}"
    )


def _kept(zerrit: Client, file: Path, origin: str = "") -> api.BundleOut:
    digest = ""
    if file.is_file():
        with file.open("rb") as opened:
            digest = hashlib.file_digest(opened, "sha256").hexdigest()
    with opened_bundle(file) as archive:
        if not archive.members:
            raise click.UsageError(f"{file} holds no file.")
        files = ChosenFiles(archive, archive.members)
        return zerrit.keep_bundle(
            file.name, files, digest=digest, origin=origin, programs=files.programs, progress=sending(files.size)
        )


@bundle.command("list")
@click.argument("server_id", required=False)
@output_option
def list_(server_id: str | None, output: str) -> None:
    """The kept bundles; with SERVER_ID the bundles of that server: version, on or off, place, edited files, loaded."""
    with connect() as zerrit:
        if server_id is None:
            kept = zerrit.bundles()
            if output == "json":
                print_json([one.model_dump(mode="json") for one in kept])
                return
            rows = [
                (
                    str(one.id),
                    one.name,
                    one.version,
                    one.file_name,
                    str(one.files),
                    _size(one.size),
                    f"{one.kept_at:%Y-%m-%d}",
                    one.origin,
                )
                for one in kept
            ]
            if not rows:
                echo("No bundle is kept yet: zerrit bundle keep FILE.")
                return
            print_table(
                ("id", "name", "version", "file", "files", "size", "kept", "origin"),
                rows,
                right=("id", "files", "size"),
            )
            return
        found = zerrit.server_bundles(server_id)
    if output == "json":
        print_json([one.model_dump(mode="json") for one in found])
        return
    if not found:
        echo(f"The gamebook of {server_id} names no kind of bundle (`bundles`), or nothing of such a kind is on it.")
        return
    rows = [
        (
            one.kind,
            one.name,
            one.version,
            one.state,
            str(one.place or ""),
            _edited(one),
            _loaded(one),
            _more(one),
        )
        for one in found
    ]
    print_table(
        ("kind", "name", "version", "state", "place", "edited", "loaded", ""), rows, right=("place",), whole=("name",)
    )


def _edited(one: api.ServerBundleOut) -> str:
    if one.edited is None:
        return "not known"
    return f"{len(one.edited)} edited" if one.edited else "as it came"


def _loaded(one: api.ServerBundleOut) -> str:
    return {None: "", True: "yes", False: "no" if one.state == "on" else ""}[one.is_loaded]


def _more(one: api.ServerBundleOut) -> str:
    said = [one.doubt] if one.doubt else []
    if one.newer_kept is not None:
        said.append(f"{one.newer_version} is kept as bundle {one.newer_kept}")
    said += [f"{version} is on {server}" for server, version in one.newer_on.items()]
    said += [f"reload with: {one.reload}"] if one.reload and one.state == "on" else []
    return "; ".join(said)


@bundle.command()
@click.argument("bundle_id", type=int)
def forget(bundle_id: int) -> None:
    """Keep a bundle no longer. What is installed of it stays on the servers."""
    with connect() as zerrit:
        zerrit.forget_bundle(bundle_id)
    echo(f"Bundle {bundle_id} is kept no longer.")


# --- on a server ------------------------------------------------------------------------------------------------------


@bundle.command()
@click.argument("server_id")
@click.argument("source", metavar="FILE_OR_ID")
@click.option("--part", default=None, help="Which of its bundles, by name or folder, where it holds several.")
@click.option("--kind", default="", help="What it is, in the words of the gamebook; for files that are not recognised.")
@click.option("--name", default="", help="Its name on the server.")
@click.option("--to", default="", metavar="FOLDER", help="Put its files into a folder of the server as they are.")
@click.option("--strip-top", is_flag=True, help="With --to: without the one folder that everything is in.")
@click.option(
    "--if-refused",
    type=click.Choice(["fail", "leave-out"]),
    default="fail",
    show_default=True,
    help="What a deploy does where the host refuses one of the files.",
)
@click.option(
    "--choose", multiple=True, metavar="ADDRESS=SIDE", help="Decide a conflict: mine, theirs, or ADDRESS==VALUE."
)
@click.option("--rest", type=click.Choice(["mine", "theirs"]), default=None, help="Decide all other conflicts alike.")
@click.option("--origin", default="", help="Where it was downloaded; kept with it.")
@click.option("--dry-run", "is_dry_run", is_flag=True, help="Only show what it comes to.")
@output_option
def install(
    server_id: str,
    source: str,
    part: str | None,
    kind: str,
    name: str,
    to: str,
    strip_top: bool,
    if_refused: Literal["fail", "leave-out"],
    choose: tuple[str, ...],
    rest: Literal["mine", "theirs"] | None,
    origin: str,
    is_dry_run: bool,
    output: str,
) -> None:
    """Install a bundle, or upgrade the version that is there: opens a change with all that belongs to it.

    FILE_OR_ID is an archive, folder or file, which is kept first, or the number of a kept bundle. Your edits to its
    settings are carried over. Exit code 1 while something conflicts.
    """
    from zerrit import api
    from zerrit.cli.upgrade import chosen_side

    with connect() as zerrit:
        bundle_id = int(source) if source.isdigit() else _kept(zerrit, _existing(source), origin).id
        given = api.InstallIn(
            bundle=bundle_id,
            part=part,
            kind=kind,
            name=name,
            to=to,
            strip_top=strip_top,
            if_refused=if_refused,
            rest=rest or "",
        )
        if choose:
            open_ = zerrit.install_bundle(server_id, given.model_copy(update={"rest": ""})).conflicts
            given = given.model_copy(update={"choices": dict(chosen_side(text, open_) for text in choose)})
        planned = zerrit.install_bundle(server_id, given)
        if not planned.conflicts and not is_dry_run:
            planned = zerrit.install_bundle(server_id, given.model_copy(update={"create": True}))
    if output == "json":
        print_json(planned.model_dump(mode="json"))
    else:
        _print_install(planned, server_id)
    sys.exit(1 if planned.conflicts else 0)


def _existing(source: str) -> Path:
    path = Path(source)
    if not path.exists():
        raise click.UsageError(f"{source} is neither a file or folder here nor the number of a kept bundle.")
    return path


def _print_install(planned: api.InstallOut, server_id: str) -> None:
    what = f"{planned.kind} {planned.name}" if planned.kind else f"files into {planned.name}"
    if planned.old_version is None:
        said = f"{what} {planned.version}".strip() if planned.kind else what
        echo(f"Install {said} on {server_id}: {counted(len(planned.new), 'new file')}")
    else:
        old = planned.old_version or "a version that it does not say"
        echo(f"Upgrade {what} on {server_id} from {old} to {planned.version}")
    for title, paths in (
        ("new", planned.new),
        ("replaced", planned.replaced),
        ("your edits carried over", planned.merged),
        ("kept as you edited it", planned.kept),
        ("removed, since the new version does not have it", planned.removed),
        ("refused by the host", planned.refused),
    ):
        _print_list(f"  {title}", paths)
    for path, reason in list(planned.left.items())[:MOST_NAMED]:
        echo(f"  stays: {path} ({reason})")
    for title, notes in (("new setting", planned.added), ("no longer a setting", planned.dropped)):
        for one in notes:
            echo(f"  {title}: {one.address} = {short(one.value, 60)}")
            if one.comment:
                echo(f"      {short(one.comment, 110)}")
    if not planned.is_base_known:
        echo(
            "  It is not known how the installed version came, so your edits cannot be told from it. Keep its archive first "
            "(zerrit bundle keep FILE) if you still have it."
        )
    _print_needs(planned.needs_off, dict.fromkeys(planned.needs_missing, ""))
    if planned.conflicts:
        echo()
        rows = [
            (
                one.address,
                *("(none)" if value is None else short(value, 40) for value in (one.base, one.mine, one.theirs)),
            )
            for one in planned.conflicts
        ]
        print_table(("conflict", "as it came", "here", "new"), rows, whole=("conflict",))
        echo("Decide with --choose ADDRESS=mine, ADDRESS=theirs, ADDRESS==VALUE, or --rest mine for all others.")
        return
    _print_steps(planned.steps, planned.change)


def _print_needs(off: Sequence[str], missing: dict[str, str]) -> None:
    for name in off:
        echo(f"  needs {name}, which is there and off")
    for name, where in missing.items():
        echo(f"  needs {name}, which is not there" + (f"; it is kept as {where}" if where else ""))


def _print_steps(steps: Sequence[api.PlannedStepOut], change: int | None) -> None:
    for number, step in enumerate(steps, 1):
        echo(f"  {number}. {step.kind} {step.address} {step.summary}".rstrip())
    if change is not None:
        echo(f"Change {change} has these steps: zerrit change show {change}")
    elif not steps:
        echo("Nothing would change.")


@bundle.command("switch-on")
@click.argument("server_id")
@click.argument("name")
@click.option("--kind", default="", help="Which kind, where two have that name.")
@click.option("--with-needed", is_flag=True, help="Also switch on what it needs and is off.")
@click.option("--dry-run", "is_dry_run", is_flag=True, help="Only show what it comes to.")
def switch_on(server_id: str, name: str, kind: str, with_needed: bool, is_dry_run: bool) -> None:
    """Open a change that switches a bundle on: its folder, and its place in every list. Exit code 1 if it needs more."""
    from zerrit import api

    given = api.SwitchIn(name=name, kind=kind, on=True, with_needed=with_needed)
    with connect() as zerrit:
        planned = zerrit.switch_bundle(server_id, given)
        lacks = bool(planned.needs_off or planned.needs_missing)
        if not is_dry_run and not lacks:
            planned = zerrit.switch_bundle(server_id, given.model_copy(update={"create": True}))
    echo(f"Switch on {', '.join(planned.bundles)} on {server_id}")
    _print_needs(planned.needs_off, planned.needs_missing)
    if planned.needs_off:
        echo("  Add --with-needed to switch these on too.")
    if lacks and not is_dry_run:
        echo("No change was opened.")
        sys.exit(1)
    _print_steps(planned.steps, planned.change)


@bundle.command("switch-off")
@click.argument("server_id")
@click.argument("name")
@click.option("--kind", default="", help="Which kind, where two have that name.")
@click.option("--dry-run", "is_dry_run", is_flag=True, help="Only show what it comes to.")
def switch_off(server_id: str, name: str, kind: str, is_dry_run: bool) -> None:
    """Open a change that switches a bundle off; its files stay where such bundles are when they are off."""
    from zerrit import api

    with connect() as zerrit:
        given = api.SwitchIn(name=name, kind=kind, on=False, create=not is_dry_run)
        _print_switched(f"Switch off {name} on {server_id}", zerrit.switch_bundle(server_id, given))


@bundle.command()
@click.argument("server_id")
@click.argument("name")
@click.option("--kind", default="", help="Which kind, where two have that name.")
@click.option("--dry-run", "is_dry_run", is_flag=True, help="Only show what it comes to.")
def remove(server_id: str, name: str, kind: str, is_dry_run: bool) -> None:
    """Open a change that removes a bundle with all that belongs to it. A rollback brings it back."""
    from zerrit import api

    with connect() as zerrit:
        given = api.RemoveBundleIn(name=name, kind=kind, create=not is_dry_run)
        _print_switched(f"Remove {name} from {server_id}", zerrit.remove_bundle(server_id, given))


@bundle.command("same-as")
@click.argument("server_id")
@click.argument("other_id")
@click.option("--dry-run", "is_dry_run", is_flag=True, help="Only show what it comes to.")
def same_as(server_id: str, other_id: str, is_dry_run: bool) -> None:
    """Open a change after which the same bundles are on at SERVER_ID as at OTHER_ID."""
    from zerrit import api

    with connect() as zerrit:
        given = api.SameBundlesIn(server=other_id, create=not is_dry_run)
        planned = zerrit.same_bundles(server_id, given)
    for text in planned.differs:
        echo(f"  another version: {text}")
    _print_switched(f"The bundles of {other_id} on {server_id}", planned)


def _print_switched(title: str, planned: api.SwitchOut) -> None:
    echo(title)
    for name in planned.needed_by:
        echo(f"  {name} is on and needs it")
    _print_needs(planned.needs_off, planned.needs_missing)
    _print_steps(planned.steps, planned.change)
