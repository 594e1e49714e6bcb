"""Commands on servers; they talk to the service."""

from __future__ import annotations

import hashlib
import io
import zipfile
from collections import Counter
from dataclasses import replace
from pathlib import Path
from typing import Any, Final

import click

from zerrit import api
from zerrit.cli.absent_settings import print_absent
from zerrit.cli.completion import complete_address
from zerrit.cli.files import FILE, OUT, contents_of, load_gamebook, read_files, save
from zerrit.cli.output import echo, output_option, print_findings, print_json, print_table, short, sign
from zerrit.cli.session import connect
from zerrit.core.addresses import parse_address
from zerrit.core.checks import check_files_of, value_in_words
from zerrit.core.documents.binary import LOOKED_AT, describe_binary
from zerrit.core.documents.format_writer import dedented
from zerrit.core.documents.lookup import find
from zerrit.core.errors import ZerritError
from zerrit.core.gamebooks.absent_settings import first_absent
from zerrit.core.wording import counted

_WORDS: Final = {"as-shipped": "as shipped", "unknown": "no defaults known"}


@click.command()
@click.option(
    "--data",
    type=click.Path(file_okay=False, path_type=Path),
    default="zerrit-data",
    show_default=True,
    help="Folder of the database.",
)
@click.option(
    "--host", default="127.0.0.1", show_default=True, help="Address to listen on; the default is this machine only."
)
@click.option("--port", default=8750, show_default=True)
@click.option("--admin", default="admin", show_default=True, help="Name of the first admin, made at the first start.")
@click.option(
    "--admin-password",
    envvar="ZERRIT_ADMIN_PASSWORD",
    help="Password of the first admin; made up and shown where none is given.",
)
@click.option("--log-json", is_flag=True, help="Log in JSON lines.")
@click.option("--no-commands", is_flag=True, help="Run no commands on this machine, whatever a server's settings say.")
@click.option(
    "--folders-below",
    type=click.Path(file_okay=False, path_type=Path),
    multiple=True,
    help="Use folders of this machine only below this one; may be given more than once.",
)
@click.option(
    "--allow-host",
    "hosts",
    metavar="NAME",
    multiple=True,
    help="Answer under this name too, beside localhost and the name of this machine; may be given more than once.",
)
@click.option(
    "--tls-cert", type=click.Path(path_type=Path), help="PEM file of the certificate: the service then speaks HTTPS."
)
@click.option("--tls-key", type=click.Path(path_type=Path), help="PEM file of its private key.")
@click.option("--new-key", is_flag=True, help="Make a new key where the old one is lost; passwords must be set again.")
def serve(no_commands: bool, folders_below: tuple[Path, ...], log_json: bool, **given: Any) -> None:
    """Start the service with the console; Ctrl-C ends it."""
    # The service is a heavy import that no other command needs.
    from zerrit.cli.serve import serve_forever  # noqa: PLC0415

    serve_forever(**given, commands=not no_commands, folders_below=folders_below, log_json=log_json)


@click.command()
@click.argument("server_id")
@click.option("--all", "thorough", is_flag=True, help="Read every file, whatever its time says.")
def fetch(server_id: str, thorough: bool) -> None:
    """Fetch a server's files. What differs from the last time becomes a new snapshot."""
    with connect() as zerrit:
        found = zerrit.fetch(server_id, thorough)
    number = found.snapshot.id
    for path, reason in found.left_out.items():
        echo(f"left out: {path}: {reason}", err=True)
    if not found.is_new:
        echo(f"Nothing changed on {server_id} since snapshot {number}.")
        return
    echo(f"Snapshot {number} of {server_id}: {counted(found.snapshot.files, 'file')}.")
    wrong = [counted(n, word) for n, word in ((found.errors, "error"), (found.warnings, "warning")) if n]
    if wrong:
        echo(f"Found in them: {' and '.join(wrong)}. See them: zerrit check {server_id}:")
    marked = (
        [(sign("changed"), p) for p in found.changed]
        + [(sign("added"), p) for p in found.added]
        + [(sign("removed"), p) for p in found.removed]
    )
    if marked:
        echo("Different from the last snapshot:")
        print_table(("kind", "file"), marked)
        echo(f"What was changed outside Zerrit, and what to do about it: zerrit drift {server_id}")


@click.command()
@click.argument("server_id")
@click.argument("source", type=click.Path(exists=True, path_type=Path))
@click.option("--label", required=True, help="The version that they belong to, such as 2.1.")
def defaults(server_id: str, source: Path, label: str) -> None:
    """Import the files that a game ships. They come from a folder or a ZIP, under a version label."""
    with connect() as zerrit:
        snapshot = zerrit.import_defaults(server_id, label, _zipped(source))
    echo(f"Defaults {label} of {server_id}: {counted(snapshot.files, 'file')}.")


def _zipped(source: Path) -> bytes:
    if source.is_file():
        return source.read_bytes()
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as packed:
        for path, data in contents_of(source).items():
            packed.writestr(path, data)
    return buffer.getvalue()


class _Files(click.Group):
    """`files SERVER` lists; what is no command is the id of a server."""

    def parse_args(self, ctx: click.Context, args: list[str]) -> list[str]:
        if args and args[0] not in (*self.commands, *ctx.help_option_names):
            args = ["list", *args]
        return super().parse_args(ctx, args)


@click.group(cls=_Files)
def files() -> None:
    """List a server's files (`files SERVER`), or save one (`files get`)."""


@files.command("get")
@click.argument("server_id")
@click.argument("path")
@click.option("--snapshot", type=int, default=None, help="Of an earlier snapshot; by default the last one.")
@click.option("--save-to", type=OUT, default=None, help="Where to save it; by default under its own name here.")
def get_file(server_id: str, path: str, snapshot: int | None, save_to: Path | None) -> None:
    """Save a file of a server as it is stored, of any kind, or a folder as a ZIP."""
    with connect() as zerrit:
        data = zerrit.stored(server_id, path, snapshot)
        is_file = any(file.path == path for file in zerrit.files(server_id))
    name = path.rstrip("/").rpartition("/")[2]
    target = save_to or Path(name if is_file or not data.startswith(b"PK") else f"{name}.zip")
    save(target, data)
    echo(f"{target}: {len(data):,} bytes")


@files.command("list")
@click.argument("server_id")
@output_option
def list_files(server_id: str, output: str) -> None:
    """List a server's files with their state against the defaults."""
    with connect() as zerrit:
        found = zerrit.files(server_id)
        empty = zerrit.empty_folders(server_id)
    if output == "json":
        print_json([file.model_dump(mode="json") for file in found])
        return
    rows = [(f.path, _state_of(f), f"{f.size:,}", _problems(f), f.purpose) for f in found]
    print_table(("file", "state", "bytes", "findings", "what it is"), rows, right=("bytes",), whole=("file",))
    states = Counter(_WORDS.get(f.state, f.state) for f in found)
    echo(f"{counted(len(found), 'file')}: {', '.join(f'{n} {word}' for word, n in states.most_common())}.")
    if empty:
        echo(f"Empty folders: {', '.join(empty)}")


def _state_of(file: api.FileStateOut) -> str:
    return _WORDS.get(file.state, file.state) + (", executable" if file.is_executable else "")


def _problems(file: api.FileStateOut) -> str:
    parts = [counted(n, w) for n, w in ((file.errors, "error"), (file.warnings, "warning")) if n]
    return ", ".join(parts) or "-"


@click.command()
@click.argument("address", shell_complete=complete_address)
@click.option("--gamebook", "gamebook_file", type=FILE, help="For a local file: what is known of its fields.")
@output_option
def show(address: str, gamebook_file: Path | None, output: str) -> None:
    """Show the entry or value at SERVER:path#node, or in a local file."""
    parsed = parse_address(address)
    if parsed.server:
        with connect() as zerrit:
            found = zerrit.show(parsed.server, address.strip().partition(":")[2])
        places = [place.model_copy(update={"address": f"{parsed.server}:{place.address}"}) for place in found]
    else:
        places = _local_places(parsed.path, address, gamebook_file)
    if output == "json":
        print_json([place.model_dump(mode="json") for place in places])
        return
    for number, place in enumerate(places):
        if number:
            echo()
        _print_place(place, is_server=bool(parsed.server))


def _local_places(path: str, address: str, gamebook_file: Path | None) -> list[api.ShownOut]:
    file = Path(path)
    if not file.is_file():
        raise ZerritError(f"There is no file {path}. For a file on a server write SERVER:{path}.")
    book = load_gamebook(gamebook_file) if gamebook_file else None
    files = read_files(file, book)
    if not files.documents:
        data = file.read_bytes()
        said = describe_binary(data[:LOOKED_AT], len(data), hashlib.sha256(data).hexdigest())
        return [_binary_place(path, said)]
    (document,) = files.documents.values()
    findings = check_files_of(files, book).findings
    return [
        api.ShownOut(
            address=f"{path}#{document.keys.address_of(node)}",
            kind=node.kind.value,
            value=node.value,
            source=dedented(document, node.start, document.text[node.start : node.end]),
            comment=node.comment,
            note=rules.note if rules is not None else "",
            line=document.line_of(node),
            default=None,
            allowed=value_in_words(rules) if rules is not None else "",
            findings=[
                api.FindingOut.model_validate(finding, from_attributes=True)
                for finding in findings
                if document.line_of(node) <= finding.line <= document.source.line_at(node.end)
            ],
            read_as=document.read_as,
            absent=[
                api.AbsentOut.model_validate(replace(one, parent=f"{path}#{one.parent}"), from_attributes=True)
                for one in first_absent(book, document, node)
            ],
        )
        for node in find(document, parse_address(address).segments)
        for rules in (book.field_rules(document.path, node) if book is not None else None,)
    ]


def _binary_place(path: str, said: str) -> api.ShownOut:
    return api.ShownOut(
        address=path,
        kind="binary",
        value=None,
        source=said,
        comment="",
        note="",
        line=0,
        default=None,
        allowed="",
        findings=[],
    )


def _print_place(place: api.ShownOut, *, is_server: bool) -> None:
    if place.kind == "binary":
        echo(f"{place.address}\n    {place.source}")
        return
    guessed = f", read as: {place.read_as}" if place.read_as.endswith("(guessed)") else ""
    echo(f"{place.address}   (line {place.line}{guessed})")
    shown = place.source if place.kind != "value" else f"{place.value}"
    for line in shown.splitlines():
        echo(f"    {line}")
    for word, text in (
        ("default", place.default),
        ("allowed", place.allowed),
        ("note", place.note),
        ("comment", place.comment),
    ):
        if text and not (word == "default" and text == place.value):
            echo(f"  {word}: {short(text, 200)}")
    print_absent(place.absent, place.address, server=is_server)
    print_findings(place.findings)


COMMANDS = (serve, fetch, defaults, files, show)
