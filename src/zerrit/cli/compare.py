"""The command that compares files, folders, and states of servers; and how comparisons are printed."""

from __future__ import annotations

import hashlib
import io
import json
import re
import sys
import zipfile
from collections import Counter
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path, PurePosixPath
from typing import TYPE_CHECKING, Final

import click

from zerrit.cli.files import FILE_OR_FOLDER, contents_of, save
from zerrit.cli.output import echo, print_json, print_table, short, sign
from zerrit.core.compare import (
    Difference,
    FileSet,
    OtherFile,
    compare_file_sets,
    differences_at,
    require_place,
    text_difference,
    undecided,
)
from zerrit.core.documents import Document, read_document
from zerrit.core.documents.database import LOG_ENDINGS, is_database
from zerrit.core.nearest import did_you_mean
from zerrit.core.wording import counted

if TYPE_CHECKING:
    from zerrit import api
    from zerrit.client import Client

#: A state of a server: SERVER@live, SERVER@latest, SERVER@12, SERVER@defaults, SERVER@defaults:2.1
_STATE: Final = re.compile(r"[a-z0-9][a-z0-9-]*@(?:\d+|live|latest|defaults(?::[^/\\]+)?)(?:/.+)?\Z")
#: A file of it: SERVER@live/PATH
_STATE_FILE: Final = re.compile(r"(?P<state>[a-z0-9][a-z0-9-]*@[^/\\]+)/(?P<path>.+)\Z")
_PACKED: Final = "files/"  #: where the files are in an exported snapshot, and in a state that the service sends
LARGE: Final = 16 << 20  #: bytes from which databases are compared by the rows that differ only
_MANIFEST: Final = "zerrit-snapshot.json"
WITH_TEXTS: Final = ("text", "html")

comparison_output = click.option(
    "--output",
    type=click.Choice(["table", "json", "text", "html"]),
    default="table",
    show_default=True,
    help="By entry, for programs, as lines of text, or a page to print.",
)
save_comparison = click.option(
    "--save-to", type=click.Path(dir_okay=False, path_type=Path), help="Write the html or text into this file."
)


@dataclass(frozen=True, slots=True)
class Compared:
    """Two states, and what differs between them; `texts` are the text differences by path."""

    old: str
    new: str
    differences: Sequence[Difference] | Sequence[api.DifferenceOut]
    texts: Mapping[str, str]
    notes: Sequence[str] = ()


@click.command()
@click.argument("old")
@click.argument("new")
@click.option("--only", default="", metavar="ADDRESS", help="Only what is at or below this place; may be a pattern.")
@comparison_output
@save_comparison
def compare(old: str, new: str, only: str, output: str, save_to: Path | None) -> None:
    """Compare files, folders, ZIPs and states of servers. Differences are listed by address; exit code 1 when there are any.

    \b
    zerrit compare OLD NEW                          files, folders, or ZIPs such as an exported snapshot
    zerrit compare SERVER@12 SERVER@live            a state of a server is its snapshot's number, latest, live,
    zerrit compare SERVER@defaults:2.0 SERVER@latest    defaults, or defaults:LABEL
    zerrit compare FOLDER SERVER@live               one with the other
    zerrit compare FILE SERVER@live/PATH            a file of a state; without /PATH the one of that name
    """
    with_texts = output in WITH_TEXTS
    is_state = [bool(_STATE.match(text)) and not Path(text).exists() for text in (old, new)]
    if all(is_state) and not any(_STATE_FILE.match(text) for text in (old, new)):
        found = _remote(old, new, only, with_texts=with_texts)
    elif any(is_state):
        found = _mixed((old, new), is_state, only, with_texts=with_texts)
    else:
        first, second = (FILE_OR_FOLDER.convert(text, None, click.get_current_context()) for text in (old, new))
        found = _local(first, second, only, with_texts=with_texts)
    show(found, output, save_to)
    sys.exit(1 if found.differences else 0)


def _remote(old: str, new: str, only: str, *, with_texts: bool) -> Compared:
    # What talks to the service is a heavy import that local comparisons do not need.
    from zerrit.cli.session import connect  # noqa: PLC0415

    with connect() as zerrit:
        return compared(zerrit.comparison(old, new, only, with_texts))


def compared(found: api.ComparisonOut) -> Compared:
    """A comparison of the service in the shape of a local one."""
    return Compared(found.old, found.new, found.differences, {one.path: one.text for one in found.texts}, found.notes)


# --- local files, and states of servers beside them -------------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class _Side:
    """The bytes by path of one side, and the sizes and hashes of files whose bytes are not here."""

    name: str
    contents: Mapping[str, bytes]
    others: Mapping[str, OtherFile]
    is_single: bool = False  #: one file, whatever it is called


def _local(old: Path, new: Path, only: str, *, with_texts: bool) -> Compared:
    if all(map(_is_large_database, (old, new))):
        return _large_databases(old, new, only)
    return _compared(_local_side(old), _local_side(new), only, read_document, with_texts=with_texts)


def _is_large_database(path: Path) -> bool:
    if not path.is_file() or path.stat().st_size < LARGE:
        return False
    with path.open("rb") as file:
        return is_database(file.read(16))


def _large_databases(old: Path, new: Path, only: str) -> Compared:
    """Two databases by the rows that differ; all others are not even read."""
    from zerrit.core.documents.database.large import rows_that_differ  # noqa: PLC0415  # few comparisons are of these
    from zerrit.core.documents.document import read_rows  # noqa: PLC0415

    before, after = ({new.name: read_rows(rows, new.name)} for rows in rows_that_differ(old, new))
    sides = FileSet(before, {}), FileSet(after, {})
    found = compare_file_sets(*sides)
    if only:
        found = differences_at(found, _with_file(only, new.name), *sides)
    logs = [f"{path}{ending}" for path in (old, new) for ending in LOG_ENDINGS if Path(f"{path}{ending}").exists()]
    notes = [f"{log} is beside its database; the rows in it were left out." for log in logs]
    return Compared(str(old), str(new), found, {}, notes)


def _local_side(path: Path) -> _Side:
    """A folder, a ZIP (of an exported snapshot its files), or one file."""
    if path.is_dir():
        return _Side(str(path), contents_of(path), {})
    data = path.read_bytes()
    if path.suffix.lower() == ".zip" and data.startswith(b"PK"):
        from zerrit.core.archives import unpack  # noqa: PLC0415  # few comparisons are of archives

        files_in = unpack(data)
        inside = {name.removeprefix(_PACKED): data for name, data in files_in.items() if name.startswith(_PACKED)}
        return _Side(str(path), inside if inside and _MANIFEST in files_in else files_in, {})
    return _Side(str(path), {path.name: data}, {}, is_single=True)


def _mixed(texts: tuple[str, str], is_state: list[bool], only: str, *, with_texts: bool) -> Compared:
    """One of the two is local, or a single file of a state: the files of states come here, and are compared here."""
    from zerrit.cli.session import connect  # noqa: PLC0415  # local comparisons need no client

    for text, state in zip(texts, is_state, strict=True):
        if not state and not Path(text).exists():
            raise click.UsageError(f"There is no file or folder {text}.")
    local = [None if state else _local_side(Path(text)) for text, state in zip(texts, is_state, strict=True)]
    with connect() as zerrit:
        sides = [
            side if side is not None else _state_side(zerrit, text, next((one for one in local if one), None))
            for text, side in zip(texts, local, strict=True)
        ]
        servers = [text.partition("@")[0] for text, state in zip(texts, is_state, strict=True) if state]
        read = _reader_of(zerrit, servers[0])
    return _compared(sides[0], sides[1], only, read, with_texts=with_texts)


def _state_side(zerrit: Client, text: str, beside: _Side | None) -> _Side:
    """The files of a state; those that the other side has the same are not sent."""
    match = _STATE_FILE.match(text)
    state, path = (match["state"], match["path"]) if match else (text, "")
    have = {hashlib.sha256(data).hexdigest(): data for data in beside.contents.values()} if beside is not None else {}
    known = {name: hashlib.sha256(data).hexdigest() for name, data in beside.contents.items()} if beside else {}
    with zipfile.ZipFile(io.BytesIO(zerrit.state(state, known))) as packed:
        about = json.loads(packed.read("state.json"))
        sent = {name.removeprefix(_PACKED): packed.read(name) for name in packed.namelist() if name.startswith(_PACKED)}
    contents: dict[str, bytes] = {}
    others: dict[str, OtherFile] = {}
    for name, size, digest in about["files"]:
        data = sent.get(name, have.get(digest) if digest else None)
        if data is not None:
            contents[name] = data
        else:
            others[name] = OtherFile(size, digest)
    if not path:
        return _Side(about["name"], contents, others)
    if path not in contents and path not in others:
        close = did_you_mean(path, [*contents, *others])
        raise click.UsageError(f"{about['name']} has no file {path}. {close}".rstrip())
    one = {path: contents[path]} if path in contents else {}
    return _Side(f"{path} of {about['name']}", one, {} if one else {path: others[path]}, is_single=True)


def _reader_of(zerrit: Client, server_id: str) -> Callable[[bytes, str], Document]:
    """How the server's gamebook reads files."""
    name = zerrit.server(server_id).gamebook
    if not name:
        return read_document
    from zerrit.core.gamebooks import read_gamebook  # noqa: PLC0415  # its models are a heavy import

    gamebook, _ = read_gamebook(
        zerrit.gamebook_text(name).text.encode(), base_of=lambda base: zerrit.gamebook_text(base).text.encode()
    )
    return gamebook.read if gamebook is not None else read_document


def _compared(
    old: _Side, new: _Side, only: str, read: Callable[[bytes, str], Document], *, with_texts: bool
) -> Compared:
    old, new = _facing(old, new), _facing(new, old)
    name = ""
    if old.is_single and new.is_single:
        # The two stand for one file, so that their addresses are alike.
        name = next(iter([*new.contents, *new.others]))
        old = _Side(
            old.name,
            dict.fromkeys([name], next(iter(old.contents.values()), b"")) if old.contents else {},
            dict.fromkeys([name], next(iter(old.others.values()))) if old.others else {},
            is_single=True,
        )
    before, after = _file_sets(old, new, read)
    found = compare_file_sets(before, after)
    if only:
        pattern = _with_file(only, name)
        found = differences_at(found, pattern, before, after)
        require_place(pattern, before, after)
    paths = sorted({one.address.partition("#")[0] for one in found}) if with_texts else []
    texts = {
        path: _text_of(path, before.documents.get(path), after.documents.get(path))
        for path in paths
        if path not in before.others and path not in after.others
    }
    unsure = undecided(before, after)
    notes = [f"Compared by size only, since their content is not kept: {', '.join(unsure[:5])}"] if unsure else []
    return Compared(old.name, new.name, found, texts, notes)


def _with_file(only: str, name: str) -> str:
    """The address with its file, where it is only a place in the one file; `thing[#3]` has a `#` and names none."""
    names_file = "#" in only.partition("[")[0]
    return only if names_file or not name else f"{name}#{only}"


def _facing(side: _Side, other: _Side) -> _Side:
    """A side with many files beside a single one: only the file of that name counts."""
    if side.is_single or not other.is_single:
        return side
    wanted = PurePosixPath(next(iter([*other.contents, *other.others])))
    paths = [*side.contents, *side.others]
    fits = [path for path in paths if path == str(wanted)] or [p for p in paths if PurePosixPath(p).name == wanted.name]
    if len(fits) != 1:
        count = f"{len(fits)} files of that name" if fits else "no file of that name"
        more = f": {', '.join(fits[:4])}. Name one, as SERVER@live/PATH or its own path." if fits else "."
        raise click.UsageError(f"{other.name} is one file, and {side.name} has {count}{more}")
    path = fits[0]
    contents = {path: side.contents[path]} if path in side.contents else {}
    others = {path: side.others[path]} if path in side.others else {}
    return _Side(f"{side.name} ({path})", contents, others, is_single=True)


def _file_sets(old: _Side, new: _Side, read: Callable[[bytes, str], Document]) -> tuple[FileSet, FileSet]:
    before: dict[str, Document] = {}
    after: dict[str, Document] = {}
    one, other = dict(old.others), dict(new.others)
    for path, data in old.contents.items():
        document = read(data, path)
        if document.is_binary:
            one[path] = _other(data)
        else:
            before[path] = document
    for path, data in new.contents.items():
        known = before.get(path)
        if known is not None and old.contents[path] == data:
            after[path] = known
            continue
        document = known.other_version(data) if known is not None else read(data, path)
        if document.is_binary:
            other[path] = _other(data)
        else:
            after[path] = document
    return FileSet(before, one), FileSet(after, other)


def _other(data: bytes) -> OtherFile:
    return OtherFile(len(data), hashlib.sha256(data).hexdigest())


def _text_of(path: str, old: Document | None, new: Document | None) -> str:
    return text_difference(old.text if old else "", new.text if new else "", f"{path} (old)", f"{path} (new)")


def show(found: Compared, output: str, save_to: Path | None) -> None:
    """Print a comparison, or save it."""
    if output == "json":
        print_json(_listed(found))
    elif output == "table":
        for sentence in found.notes:
            echo(f"note: {sentence}")
        _print(found.differences)
    else:
        if output == "html":
            from zerrit.report.comparison import comparison_page  # noqa: PLC0415  # needed for this output only

            page = comparison_page(found.old, found.new, found.differences, found.texts, found.notes)
        else:
            page = "".join(found.texts.values())
        if save_to is None:
            echo(page, is_content=True)
        else:
            save(save_to, page.encode())
            echo(f"Written to {save_to}: {_summary(found.differences)}")


def _listed(found: Compared) -> dict[str, object]:
    keys = ("kind", "address", "old", "new", "delta", "entry")
    counts = Counter(str(one.kind) for one in found.differences)
    entries = len({one.entry for one in found.differences})
    return {
        "differences": [{key: getattr(one, key) for key in keys} for one in found.differences],
        "summary": {"differences": len(found.differences), "entries": entries, "kinds": dict(counts)},
        "notes": list(found.notes),
    }


def _print(differences: Sequence[Difference] | Sequence[api.DifferenceOut]) -> None:
    rows = [(sign(str(one.kind)), one.address, short(one.old), short(one.new), one.delta) for one in differences]
    if rows:
        print_table(("kind", "address", "old", "new", "delta"), rows, right=("delta",), whole=("kind", "address"))
    echo(_summary(differences))


def _summary(differences: Sequence[Difference] | Sequence[api.DifferenceOut]) -> str:
    if not differences:
        return "No difference."
    entries = len({one.entry for one in differences})
    files = len({one.address.partition("#")[0] for one in differences})
    kinds = ", ".join(f"{number} {kind}" for kind, number in Counter(str(d.kind) for d in differences).most_common())
    where = f" of {files} files" if files > 1 else ""
    return f"{counted(len(differences), 'difference')} in {counted(entries, 'entry', 'entries')}{where}: {kinds}."
