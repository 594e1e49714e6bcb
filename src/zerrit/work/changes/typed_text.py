"""Text that is typed into a file of a change: checked while it is typed, and stored as steps by meaning."""

from __future__ import annotations

import hashlib
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Final

from sqlalchemy.orm import Session

from zerrit.core.checks import Checked, Files, check_files_of
from zerrit.core.documents import Document, Finding
from zerrit.core.documents.findings import known_again
from zerrit.core.documents.fixes import safe_fixes
from zerrit.core.documents.source import Splice, splice
from zerrit.core.errors import EditRefused
from zerrit.core.nearest import did_you_mean
from zerrit.core.paths import safe_path
from zerrit.core.steps import OutcomeKind, Step, StepKind, replay
from zerrit.core.typed_text import same_ends, steps_of_typing
from zerrit.records import Change
from zerrit.work.base.errors import NotFound, Outdated, Refused
from zerrit.work.base.workspace import Workspace
from zerrit.work.changes.changes import add_steps, files_after, get_change, reader, worked_out
from zerrit.work.servers.servers import get_server
from zerrit.work.servers.stored_gamebooks import gamebook_of
from zerrit.work.snapshots.snapshots import checked_in, files_of, require_latest

_NEWLINE: Final = re.compile(r"\r\n|\r|\n")


@dataclass(frozen=True, slots=True)
class TypedPiece:
    """One edit of an editor. Lines and columns are 1-based; columns count UTF-16 units, as editors in browsers do."""

    from_line: int
    from_column: int
    to_line: int
    to_column: int
    text: str


@dataclass(frozen=True, slots=True)
class Typed:
    """What was typed into a file: its complete `text`, or the `pieces` by which it differs from the text before.

    `digest` is that of the text before. `base` is that text itself, which is needed where the file has changed since.
    """

    path: str
    digest: str
    text: str | None = None
    pieces: Sequence[TypedPiece] = ()
    base: str | None = None


@dataclass(frozen=True, slots=True)
class TypedCheck:
    """What is found in the files with the typed text. `elsewhere` are the new findings in other files."""

    document: Document
    findings: tuple[Finding, ...]
    elsewhere: tuple[Finding, ...]


@dataclass(frozen=True, slots=True)
class OfferedFix:
    """The safe fixes of a file as one edit of its text, and how many findings they remove."""

    piece: TypedPiece
    findings: int


@dataclass(frozen=True, slots=True)
class SavedText:
    """Typed text that is stored as steps. `is_exact`: the file has exactly the typed text; else others edited it, too."""

    change: Change
    steps: tuple[Step, ...]
    document: Document
    is_exact: bool


def text_digest(text: str) -> str:
    """By which an editor says what text it began with."""
    return hashlib.sha256(text.encode("utf-8", "surrogatepass")).hexdigest()


def check_typed(workspace: Workspace, server_id: str, change_id: int | None, typed: Typed) -> TypedCheck:
    """Check the files of a server, or of a change, with the typed text in one of them; nothing is stored.

    Raises NotFound, Outdated: the file is not the one that was typed into. Refused: a place is not in it.
    """
    with workspace.session() as session:
        gamebook, _ = gamebook_of(session, get_server(session, server_id))
        files, checked = present_files(workspace, session, server_id, change_id)
    before = files.documents.get(typed.path)
    if before is None:
        raise _no_file(server_id, typed.path, files.documents)
    after = before.with_text(_typed_text(before, typed))
    documents = {**files.documents, typed.path: after}
    found = check_files_of(replace(files, documents=documents), gamebook, before=files.documents, earlier=checked)
    is_known = known_again(checked.findings, found.findings)
    others = [one for one, known in zip(found.findings, is_known, strict=True) if not known and one.path != typed.path]
    return TypedCheck(after, tuple(one for one in found.findings if one.path == typed.path), tuple(others))


def offered_fix(document: Document) -> OfferedFix | None:
    """The safe fixes of a file, for an editor; None where there is none."""
    fixed = safe_fixes(document)
    if fixed.document is document:
        return None
    start, end = same_ends(document.text, fixed.document.text)
    new = fixed.document.text[start : len(fixed.document.text) - end]
    first, last = _place(document, start), _place(document, len(document.text) - end)
    return OfferedFix(TypedPiece(*first, *last, _NEWLINE.sub("\n", new)), len(fixed.findings))


def _place(document: Document, offset: int) -> tuple[int, int]:
    """Line and column of an offset, the column in UTF-16 units."""
    line, column = document.source.locate(offset)
    before = document.text[offset - column + 1 : offset]
    return line, len(before.encode("utf-16-le", "surrogatepass")) // 2 + 1


def present_files(
    workspace: Workspace, session: Session, server_id: str, change_id: int | None
) -> tuple[Files, Checked]:
    """The files of a server as a change leaves them, or the latest ones, with their check."""
    if change_id is None:
        server, snapshot = get_server(session, server_id), require_latest(session, server_id)
        return files_of(workspace, session, server, snapshot), checked_in(workspace, session, server, snapshot)
    change = get_change(session, change_id)
    if change.server_id != server_id:
        raise NotFound(f"Change {change_id} belongs to {change.server_id}, not to {server_id}.")
    known = worked_out(workspace, session, change)
    return files_after(workspace, known.files, known.replayed), known.checked


def save_typed(
    workspace: Workspace, person: str, change_id: int, typed: Typed, *, version: int | None = None
) -> SavedText:
    """Store what was typed as steps of a change.

    Where the file has changed since it was opened, the steps are made from `typed.base` and replayed on what is there
    now, so that two people can edit one file.

    Raises NotFound, WrongState, Outdated: the file has changed and `base` is not given, Refused: what was typed does not
    fit what others did, or changes nothing.
    """
    safe_path(typed.path)
    with workspace.session() as session:
        change = get_change(session, change_id)
        known = worked_out(workspace, session, change)
        gamebook, _ = gamebook_of(session, get_server(session, change.server_id))
    current = known.replayed.documents.get(typed.path)
    if current is None:
        if typed.path in known.files.others or typed.text is None or typed.digest:
            raise _no_file(change.server_id, typed.path, known.replayed.documents)
        steps: tuple[Step, ...] = (Step(StepKind.PUT_FILE, typed.path, content=typed.text),)
        wanted = reader(gamebook)(typed.text.encode(), typed.path)
    else:
        before = current
        if typed.base is not None and typed.digest and text_digest(current.text) != typed.digest:
            # An editor may have read its line endings as LF, so the text that it began with has another digest.
            before = current.with_text(typed.base)
            typed = replace(typed, digest=text_digest(typed.base))
        wanted = before.with_text(_typed_text(before, typed))
        _require_encodable(wanted)
        steps = steps_of_typing(before, wanted)
        if before is not current:
            steps = _fitting(current, steps)
    if not steps:
        raise Refused(f"{typed.path} has this text already; nothing was saved.")
    changed = add_steps(workspace, person, change_id, steps, version=version)
    with workspace.session() as session:
        after = worked_out(workspace, session, get_change(session, change_id)).replayed.documents[typed.path]
    return SavedText(changed, steps, after, after.text == wanted.text)


def _fitting(current: Document, steps: Sequence[Step]) -> tuple[Step, ...]:
    """The steps that do something to a file that others edited in the meantime."""
    made = replay({current.path: current}, steps, lambda data, path: current.other_version(data))
    refused = [one.message for one in made.outcomes if one.kind is OutcomeKind.IMPOSSIBLE]
    if refused or any(step.kind is StepKind.PUT_FILE for step in steps):
        why = refused[0] if refused else "what was typed replaces the complete file."
        raise Refused(
            f"{current.path} has changed since you opened it, and your text does not fit: {why} Copy your text, open the "
            "file again and put it in there."
        )
    return tuple(step for step, one in zip(steps, made.outcomes, strict=True) if one.kind is OutcomeKind.DONE)


def _typed_text(before: Document, typed: Typed) -> str:
    """The complete text after typing. Untouched lines keep their line endings."""
    if not typed.digest:
        raise Refused(f"{typed.path} is there already. Open it, so that it is clear what your text replaces.")
    if text_digest(before.text) != typed.digest:
        raise Outdated(
            f"{typed.path} has changed since you opened it. Your text is not lost: send what you began with as well, or "
            "open the file again."
        )
    if typed.text is not None:
        return typed.text
    try:
        return splice(before.text, [_splice(before, piece) for piece in typed.pieces])
    except ValueError as error:
        raise Refused(f"{typed.path}: the edits overlap. Open the file again.") from error


def _splice(document: Document, piece: TypedPiece) -> Splice:
    start = _offset(document, piece.from_line, piece.from_column)
    end = _offset(document, piece.to_line, piece.to_column)
    if end < start:
        raise Refused(f"{document.path}: an edit ends before it begins. Open the file again.")
    newline = document.source.newline_near(start)
    return Splice(start, end, _NEWLINE.sub(lambda _: newline, piece.text))


def _offset(document: Document, line: int, column: int) -> int:
    """The offset of a place in the text; columns are in UTF-16 units."""
    starts = document.source.line_starts
    if not 1 <= line <= len(starts):
        raise Refused(f"{document.path} has no line {line:,}. Open the file again.")
    start, end = starts[line - 1], document.source.line_end(starts[line - 1])
    text = document.text[start:end]
    if text.isascii():
        offset = column - 1
    else:
        units = text.encode("utf-16-le", "surrogatepass")[: 2 * (column - 1)]
        offset = len(units.decode("utf-16-le", "surrogatepass"))
        if 2 * (column - 1) > len(units):
            offset = len(text) + 1
    if not 0 <= offset <= len(text):
        raise Refused(f"{document.path}, line {line:,} has no column {column:,}. Open the file again.")
    return start + offset


def _require_encodable(document: Document) -> None:
    try:
        document.to_bytes()
    except UnicodeEncodeError as error:
        character = error.object[error.start : error.end]
        raise EditRefused(
            f"`{character}` cannot be written in the encoding of {document.path} ({document.source.encoding}). "
            "Nothing was saved."
        ) from error


def _no_file(server_id: str, path: str, files: Mapping[str, Document]) -> NotFound:
    return NotFound(f"{server_id} has no text file {path}. {did_you_mean(path, files)}".strip())
