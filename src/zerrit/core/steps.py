"""
Steps: edits that can be replayed on other text.

A change is its steps, not its result. Replaying them on what the server holds *now* is what makes a change
survive a file that the game rewrote in the meantime, and what carries it to another server.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from enum import StrEnum
from hashlib import sha256
from types import MappingProxyType
from typing import TYPE_CHECKING, Final

from zerrit.core.addresses import Address, Segment, parse_address, parse_node_address
from zerrit.core.coupled_numbers import Coupling, order_in, set_coupled
from zerrit.core.documents import Document, Format, Node
from zerrit.core.documents.field_copy import copy_fields
from zerrit.core.documents.lookup import find
from zerrit.core.documents.many_places import (
    add_field_at,
    can_gather,
    comment_out_at,
    in_turn,
    places_of,
    rename_at,
)
from zerrit.core.documents.structural_edits import (
    Where,
    comment_in,
    comment_out,
    move,
    rename,
    set_comment,
    with_comment,
)
from zerrit.core.documents.text_replacement import Replacement, replace_text
from zerrit.core.documents.value_edits import (
    Edit,
    ValueChange,
    add_entry,
    add_field,
    copy_entry,
    parse_operation,
    remove_nodes,
    set_each,
    single,
)
from zerrit.core.errors import AddressNotFound, EditRefused, MergeRefused, SnippetRefused, ZerritError
from zerrit.core.file_steps import (
    FileState,
    Load,
    Marks,
    Read,
    add_folder,
    move_file,
    no_contents,
    put_file,
    put_folder,
    remove_file,
    set_executable,
)
from zerrit.core.nearest import nearest
from zerrit.core.value_templates import fields_of_entry, plain, template_of
from zerrit.core.wildcards import path_matches

if TYPE_CHECKING:
    from zerrit.core.gamebooks import Gamebook

NO_MARKS: Final = Marks()


class StepKind(StrEnum):
    SET = "set"  #: `operation` on every value that the address leads to
    #: An entry called `name` with `fields`, or a field called `name` with a `value`, below the address; `content` are the words
    #: of a comment above that field, where the file can have one.
    ADD = "add"
    COPY = "copy"  #: the entry under the new `key`, behind the original; `throughout`: with the new word all over it
    REMOVE = "remove"
    RENAME = "rename"  #: an entry gets another key, or what has no key the other `name`; `throughout`: with all that means it
    MOVE = "move"  #: an entry goes `where` (before, after, into) the `target`, an address in the same file
    COPY_FIELDS = "copy-fields"  #: the fields `names` of the entry (all, where none is given) to those at `target`
    COMMENT_OUT = "comment-out"  #: an entry or setting becomes a comment
    COMMENT_IN = "comment-in"  #: a comment becomes the entry again that the address names
    COMMENT = "comment"  #: the comment above an entry or setting becomes `content`, written with its comment signs
    TEXT = "text"  #: `replacements`, each an old stretch of the file's text and a new one
    #: A `snippet`, published at `origin`, into the file; `into` names the group, `choices` the actions. Of a large one only
    #: what is at the addresses in `take`; `existing` says what is done with entries that are there.
    MERGE = "merge"
    MERGE_VERSION = "merge-version"  #: what `content`, another version of the file, changed since `base`; `choices` decide conflicts
    PUT_FILE = "put-file"  #: the file becomes the text `content`, or the bytes with the `digest`
    PUT_FOLDER = (
        "put-folder"  #: `files` of a folder, digests by path in it; with `replace_all`, what else is in it goes
    )
    MOVE_FILE = "move-file"  #: a file, or a folder with all that is in it, gets the path `target`
    REMOVE_FILE = "remove-file"  #: a file, or a folder with all that is in it, is taken away
    ADD_FOLDER = "add-folder"  #: an empty folder
    SET_EXECUTABLE = "set-executable"  #: a file becomes `executable`, or is not so any more


@dataclass(frozen=True, slots=True)
class Step:
    """One step. Which of the fields are used depends on the kind."""

    kind: StepKind
    address: str
    operation: str = ""
    name: str = ""
    value: str | None = None
    fields: Mapping[str, str] = field(default_factory=dict)
    key: str = ""
    where: str = ""
    target: str = ""
    snippet: str = ""
    origin: str = ""
    into: str = ""
    take: Sequence[str] = ()
    existing: str = ""
    choices: Mapping[str, str] = field(default_factory=dict)
    names: Sequence[str] = ()
    base: str = ""
    content: str = ""
    replacements: Sequence[Replacement] = ()
    digest: str = ""
    files: Mapping[str, str] = field(default_factory=dict)
    folders: Sequence[str] = ()  #: of a folder that is put: the empty ones in it
    executable: bool | None = None  #: whether the file may be run as a program; None leaves that as it is
    executables: Sequence[str] = ()  #: of a folder that is put: those of its `files` that may be run
    replace_all: bool = False
    #: Of a renaming: everything that the gamebook ties to it, but for the places in `leave`. Of a copy: the old word
    #: becomes the new one wherever it stands in the entry.
    throughout: bool = False
    leave: Sequence[str] = ()
    #: Of a value that is set: orders such as `floor <= want`, and fields in one proportion, of the same entry, which move along;
    #: without `alone`, so does what the gamebook keeps. What is made of a text or another state stays to the letter.
    keep: Sequence[str] = ()
    keep_ratio: Sequence[str] = ()
    alone: bool = True
    if_refused: str = ""  #: `leave-out`: where the host refuses a file, the deploy goes on without it; else it fails


class OutcomeKind(StrEnum):
    DONE = "done"
    SAME = "same"  #: it was so already
    IMPOSSIBLE = "impossible"


@dataclass(frozen=True, slots=True)
class Outcome:
    """What became of one step. `changes` have full addresses; `message` says why it was impossible."""

    kind: OutcomeKind
    changes: tuple[ValueChange, ...] = ()
    message: str = ""
    notes: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Replay:
    """All files after the steps, and the outcome of each step in order."""

    documents: Mapping[str, Document]
    outcomes: tuple[Outcome, ...]
    touched: frozenset[str]  #: paths of files that are not as before
    others: Mapping[str, str] = field(default_factory=dict)  #: the files that are no text, with their digests
    marks: Marks = field(default_factory=Marks)
    moved: Mapping[str, str] = field(
        default_factory=dict
    )  #: files that are no text and were only moved: the new and the old path
    left: frozenset[str] = frozenset()  #: paths and folders that steps took away

    @property
    def is_whole(self) -> bool:
        """Every step could be made."""
        return not any(outcome.kind is OutcomeKind.IMPOSSIBLE for outcome in self.outcomes)


def step_from_words(address: str, words: Sequence[str]) -> Step:
    """The step that a person writes behind an address: `=40`, `+10 from 0 to 400`, `copy KEY [throughout]`, `remove`, `rename NAME`,
    `add NAME FIELD=VALUE …`, `copy-fields PLACES FIELD …`, `move before|after|into PLACE`, `comment-out`, `comment-in`.

    Raises EditRefused: the words are none of these, or some are missing.
    """
    verb, *rest = words
    if verb in ("remove", "comment-out", "comment-in") and not rest:
        return Step(StepKind(verb), address)
    if verb == "copy" and (len(rest) == 1 or rest[1:] == ["throughout"]):
        return Step(StepKind.COPY, address, key=rest[0], throughout=len(rest) == 2)
    if verb == "rename" and len(rest) == 1:
        return Step(StepKind.RENAME, address, name=rest[0])
    if verb == "move" and len(rest) == 2 and rest[0] in list(Where):
        return Step(StepKind.MOVE, address, where=rest[0], target=rest[1])
    if verb == "copy-fields" and rest:
        return Step(StepKind.COPY_FIELDS, address, target=rest[0], names=tuple(rest[1:]))
    if verb == "add" and rest:
        return _addition(address, rest)
    if verb in _FORMS:
        raise EditRefused(f"`{' '.join(words)}` is not complete. Write: {_FORMS[verb]}.")
    operation = " ".join(words) if not verb.startswith("=") else verb
    return Step(StepKind.SET, address, operation=operation, alone=False)


_FORMS: Final[Mapping[str, str]] = {
    "remove": "remove",
    "comment-out": "comment-out",
    "comment-in": "comment-in",
    "copy": "copy KEY, or copy KEY throughout",
    "copy-fields": "copy-fields PLACES FIELD …, or copy-fields PLACES for all fields",
    "rename": "rename NAME",
    "move": "move before|after|into PLACE",
    "add": "add NAME FIELD=VALUE …, or add NAME =VALUE for a single field",
}


def _addition(address: str, words: Sequence[str]) -> Step:
    name = "" if words[0] == "-" else words[0]
    if len(words) == 2 and words[1].startswith("="):
        return Step(StepKind.ADD, address, name=name, value=words[1][1:])
    fields: dict[str, str] = {}
    for word in words[1:]:
        field_name, equals, value = word.partition("=")
        if not equals or not field_name:
            raise EditRefused(f"`{word}` is not a field; write FIELD=VALUE, such as price=40.")
        fields[field_name] = value
    return Step(StepKind.ADD, address, name=name, fields=fields)


def replay(
    documents: Mapping[str, Document],
    steps: Iterable[Step],
    read: Read,
    others: Mapping[str, str] = MappingProxyType({}),
    load: Load = no_contents,
    gamebook: Gamebook | None = None,
    marks: Marks = NO_MARKS,
) -> Replay:
    """Make the steps one after the other. An impossible one is reported and left out; the rest goes on.

    `read` reads a file that a step brings along, `load` loads its bytes by their digest. `others` are the files that are no
    text, with the digests of their contents; empty where a content is not kept. The `gamebook` says what means a name that is
    renamed throughout.
    """
    state = FileState(
        read, load, dict(documents), dict(others), gamebook, set(marks.executable), set(marks.empty_folders)
    )
    outcomes: list[Outcome] = []
    for step in steps:
        state, outcome = _attempt(state, step)
        outcomes.append(outcome)
    touched = touched_paths(documents, state.documents) | touched_others(others, state.others)
    found = Replay(
        state.documents, tuple(outcomes), touched, state.others, state.marks, state.moved, frozenset(state.left)
    )
    return replace(found, touched=touched | remarked(marks, found))


def whole_file(path: str, document: Document) -> Step:
    """The step that makes a file what a document is: by its text, or by the digest of its bytes where it is a database."""
    if document.format is Format.DATABASE:
        return Step(StepKind.PUT_FILE, path, digest=sha256(document.to_bytes()).hexdigest())
    return Step(StepKind.PUT_FILE, path, content=document.text)


def is_touched_by(step: Step, path: str) -> bool:
    """Whether a step on complete files replaces, moves or removes a file, as far as the step alone says.

    A renaming throughout may touch any.
    """
    at = step.address.rstrip("/")
    is_below = path.startswith(f"{at}/")
    match step.kind:
        case StepKind.PUT_FILE:
            return path == at
        case StepKind.PUT_FOLDER:
            return is_below and (step.replace_all or path[len(at) + 1 :] in step.files)
        case StepKind.MOVE_FILE | StepKind.REMOVE_FILE:
            return path == at or is_below
        case StepKind.RENAME:
            return step.throughout
    return False


def remarked(before: Marks, after: Replay) -> frozenset[str]:
    """Paths of files that are executable and were not, or the other way round."""
    return frozenset(
        path for path in before.executable ^ after.marks.executable if path in after.documents or path in after.others
    )


def touched_others(before: Mapping[str, str], after: Mapping[str, str]) -> frozenset[str]:
    """Paths of files that are no text and are new, differ or are gone."""
    changed = {path for path, digest in after.items() if before.get(path) != digest}
    return frozenset(changed | (before.keys() - after.keys()))


def touched_paths(before: Mapping[str, Document], after: Mapping[str, Document]) -> frozenset[str]:
    """Paths of files that are new, whose bytes differ, or that are gone."""
    changed = {p for p, d in after.items() if p not in before or not d.is_same_file(before[p])}
    return frozenset(changed | (before.keys() - after.keys()))


def _attempt(state: FileState, step: Step) -> tuple[FileState, Outcome]:
    """A step made on files, or found to be impossible, with the files then."""
    try:
        if step.throughout and step.kind not in (StepKind.RENAME, StepKind.COPY):
            raise EditRefused(f"`{step.kind.value}` is not made throughout; only a renaming and a copy are.")
        if step.kind in _FILE_STEPS or (step.throughout and step.kind is StepKind.RENAME):
            return _made_on_files(state, step)
        address = parse_address(step.address)
        current = state.documents
        changes: list[ValueChange] = []
        notes: tuple[str, ...] = ()
        edited: dict[str, Document] = {}
        for path in _paths(current, address):
            if step.kind is StepKind.MERGE:
                edit, notes = _merge(current[path], step)
            elif step.kind is StepKind.MERGE_VERSION:
                edit, notes = _carry(current[path], step)
            elif step.kind is StepKind.SET:
                edit = _set(current[path], address, step, state.gamebook)
            else:
                edit = _EDITS[step.kind](current[path], address, step)
            edited[path] = edit.document
            changes.extend(
                ValueChange(f"{path}#{change.address}" if change.address else path, change.old, change.new)
                for change in edit.changes
            )
    except ZerritError as error:
        return state, Outcome(OutcomeKind.IMPOSSIBLE, message=str(error))
    current.update(edited)  # only now: a step over several files is made in all of them or in none
    return state, Outcome(OutcomeKind.DONE if changes else OutcomeKind.SAME, tuple(changes), notes=notes)


def _made_on_files(state: FileState, step: Step) -> tuple[FileState, Outcome]:
    """A step on complete files: on a copy first, since it is made on all of them or on none."""
    tried = state.copy()
    changes, notes = _renamed_throughout(tried, step) if step.throughout else (_FILE_STEPS[step.kind](tried, step), ())
    if changes:
        tried.require_no_file_in_the_place_of_a_folder()
        tried.require_movable()
    return tried, Outcome(OutcomeKind.DONE if changes else OutcomeKind.SAME, tuple(changes), notes=notes)


def _renamed_throughout(state: FileState, step: Step) -> tuple[list[ValueChange], tuple[str, ...]]:
    from zerrit.core.renaming import rename_throughout  # noqa: PLC0415  # few steps rename a word in many files

    return rename_throughout(state, state.gamebook, step.address, step.name, frozenset(step.leave))


def _paths(current: Mapping[str, Document], address: Address) -> list[str]:
    paths = [path for path in current if path_matches(address.path, path)]
    if not paths:
        close = nearest(address.path, current)
        hint = f" Nearest: {', '.join(close)}." if close else ""
        raise AddressNotFound(f"The server has no file {address.path}.{hint}", str(address), address.path, 0, close)
    return paths


def _merge(document: Document, step: Step) -> tuple[Edit, tuple[str, ...]]:
    from zerrit.core.merge import (  # noqa: PLC0415  # few commands merge
        ActionKind,
        Existing,
        Taking,
        apply_plan,
        plan_merge,
        taken,
    )

    if step.existing and step.existing not in list(Existing):
        raise SnippetRefused(
            f"`{step.existing}` is not known; entries that are there are combined, replaced or skipped."
        )
    taking = Taking(tuple(step.take), Existing(step.existing or Existing.COMBINE))
    plan = taken(document, plan_merge(document, step.snippet, step.into), taking)
    for kind in step.choices.values():
        if kind not in list(ActionKind):
            raise SnippetRefused(f"`{kind}` is not a known action; write add, combine, replace or skip.")
    plan = plan.decided({address: ActionKind(kind) for address, kind in step.choices.items()})
    merged = apply_plan(document, plan)
    idle = (ActionKind.SAME, ActionKind.SKIP)
    changes = tuple(change for action in plan.actions if action.kind not in idle for change in action.changes)
    return Edit(merged, changes), plan.notes


def _carry(document: Document, step: Step) -> tuple[Edit, tuple[str, ...]]:
    from zerrit.core.merge import merge_three  # noqa: PLC0415  # few commands merge

    base, theirs = document.with_text(step.base), document.with_text(step.content)
    merged = merge_three(base, document, theirs, step.choices, only_fitting=True)
    if merged.conflicts:
        conflict = merged.conflicts[0]
        more = f", and {len(merged.conflicts) - 1} more" if len(merged.conflicts) > 1 else ""
        raise MergeRefused(
            f"{document.path}#{conflict.address}: {conflict.reason} ({conflict.base} before, {conflict.mine} here, {conflict.theirs} "
            f"there){more}. Choose which of them holds."
        )
    return Edit(merged.document, merged.applied), merged.left


def _set(document: Document, address: Address, step: Step, gamebook: Gamebook | None) -> Edit:
    nodes = places_of(document, address.segments)
    couplings = _couplings(document, step, gamebook)
    if couplings:
        return set_coupled(document, nodes, _new_value(document, step), couplings)
    return set_each(document, nodes, _new_value(document, step))


def _couplings(document: Document, step: Step, gamebook: Gamebook | None) -> list[Coupling]:
    """What moves along with a value that is set: as the step says, and as the gamebook does for its entries.

    Raises EditRefused: the step says it in a form that is not one.
    """
    wrong = next((text for text in step.keep if not order_in(text)), None)
    if wrong is not None:
        raise EditRefused(f"`{wrong}` is not an order. Write it such as `floor <= want`.")
    if len(step.keep_ratio) == 1:
        raise EditRefused(f"`{step.keep_ratio[0]}` has a proportion to another field only; name two or more.")
    own = [Coupling(order_in(text)) for text in step.keep]
    own += [Coupling(ratio=tuple(step.keep_ratio))] if step.keep_ratio else []
    known = gamebook.keeps(document.path) if gamebook is not None and not step.alone else ()
    return [*own, *known]


def _new_value(document: Document, step: Step) -> Callable[[Node, str], str]:
    """What a step makes of each value. Raises EditRefused: its operation is none."""
    text = step.operation.removeprefix("=")
    template = template_of(text) if step.operation.startswith("=") else None
    if template is None:
        operation = f"={plain(text)}" if step.operation.startswith("=") else step.operation
        made = parse_operation(operation)
        return lambda node, old: made.apply(old, document.declared_of(node))
    return lambda node, old: template.filled(fields_of_entry(document, node.parent, old))


def _add(document: Document, address: Address, step: Step) -> Edit:
    if not _is_over_many(address):
        return _add_one(document, address.segments, step)
    nodes = places_of(document, address.segments)
    if step.value is None or not step.name or step.content or not can_gather(document):
        return in_turn(document, nodes, lambda current, segments: _add_one(current, segments, step))
    value = step.value
    return add_field_at(document, nodes, step.name, lambda node: _filled(document, node, value))


def _add_one(document: Document, segments: tuple[Segment, ...], step: Step) -> Edit:
    (entry,) = find(document, segments)[:1] if segments else [document.root]
    if step.value is not None:
        edit = add_field(document, segments, step.name, _filled(document, entry, step.value))
        return with_comment(edit, (*segments, Segment(step.name)), step.content) if step.content else edit
    fields = {name: _filled(document, entry, value) for name, value in step.fields.items()}
    return add_entry(document, segments, step.name, fields)


def _is_over_many(address: Address) -> bool:
    """The address says itself that it may lead to several places. One that leads to several by chance is refused."""
    return any(segment.is_pattern for segment in address.segments)


def _filled(document: Document, entry: Node, text: str) -> str:
    """A text for one entry, where it is a template."""
    template = template_of(text)
    return plain(text) if template is None else template.filled(fields_of_entry(document, entry))


def _copy(document: Document, address: Address, step: Step) -> Edit:
    return copy_entry(document, address.segments, step.key, throughout=step.throughout)


def _copy_fields(document: Document, address: Address, step: Step) -> Edit:
    _require_place(address, step)
    return copy_fields(document, address.segments, _in_same_file(step.target, address), step.names)


def _remove(document: Document, address: Address, step: Step) -> Edit:
    _require_place(address, step)
    return remove_nodes(document, address.segments)


def _rename(document: Document, address: Address, step: Step) -> Edit:
    _require_place(address, step)
    if not step.name:
        raise EditRefused("A new name is missing.")
    nodes = places_of(document, address.segments) if _is_over_many(address) else [single(document, address.segments)]
    if len(nodes) == 1 and template_of(step.name) is None:
        return rename(document, document.keys.segments_of(nodes[0]), plain(step.name))

    def name_of(node: Node) -> str:
        template = template_of(step.name)
        own = document.keys.key_of(node) or node.name.removeprefix("@")
        return template.filled(fields_of_entry(document, node, own)) if template is not None else plain(step.name)

    if can_gather(document):
        return rename_at(document, nodes, name_of)
    names = {document.keys.segments_of(node): name_of(node) for node in nodes}
    return in_turn(document, nodes, lambda current, segments: rename(current, segments, names[segments]))


def _move(document: Document, address: Address, step: Step) -> Edit:
    _require_place(address, step)
    if step.where not in list(Where):
        raise EditRefused(f"`{step.where}` says not where to move it; write before, after or into.")
    where, target = Where(step.where), _in_same_file(step.target, address)
    if not _is_over_many(address):
        return move(document, address.segments, where, target)
    nodes = places_of(document, address.segments)
    if any(segment.ordinal for node in nodes for segment in document.keys.segments_of(node)):
        raise EditRefused(
            f"{step.address} leads to entries that are only told by their number, which changes with each move. Move them one by one."
        )
    if where is Where.AFTER:  # the last is moved first, so that they keep their order
        return in_turn(document, nodes, lambda current, segments: move(current, segments, where, target))
    return in_turn(document, nodes[::-1], lambda current, segments: move(current, segments, where, target))


def _in_same_file(text: str, address: Address) -> tuple[Segment, ...]:
    """A place in the file of another address; the file may be named once more."""
    before, _, _ = text.partition("#")
    if before == text or "[" in before:  # no file is before it, as in find[#3]
        return parse_node_address(text)
    target = parse_address(text)
    if target.path != address.path:
        raise EditRefused(f"{text} is in another file; this step stays inside of one.")
    return target.segments


def _comment_out(document: Document, address: Address, step: Step) -> Edit:
    _require_place(address, step)
    if not _is_over_many(address):
        return comment_out(document, address.segments)
    nodes = places_of(document, address.segments)
    if can_gather(document):
        return comment_out_at(document, nodes)
    return in_turn(document, nodes, comment_out)


def _comment_in(document: Document, address: Address, step: Step) -> Edit:
    _require_place(address, step)
    return comment_in(document, address.segments)


def _comment(document: Document, address: Address, step: Step) -> Edit:
    _require_place(address, step)
    return set_comment(document, address.segments, step.content)


def _text(document: Document, address: Address, step: Step) -> Edit:
    if address.segments or address.is_pattern:
        raise EditRefused(f"{step.address} is not one file; text is replaced in one file at a time.")
    return replace_text(document, step.replacements)


def _require_place(address: Address, step: Step) -> None:
    if not address.segments:
        raise EditRefused(f"{step.address} is a complete file; name an entry or a field in it.")


_EDITS: Final[Mapping[StepKind, Callable[[Document, Address, Step], Edit]]] = {
    StepKind.ADD: _add,
    StepKind.COPY: _copy,
    StepKind.COPY_FIELDS: _copy_fields,
    StepKind.REMOVE: _remove,
    StepKind.RENAME: _rename,
    StepKind.MOVE: _move,
    StepKind.COMMENT_OUT: _comment_out,
    StepKind.COMMENT_IN: _comment_in,
    StepKind.COMMENT: _comment,
    StepKind.TEXT: _text,
}

_FILE_STEPS: Final[Mapping[StepKind, Callable[[FileState, Step], list[ValueChange]]]] = {
    StepKind.PUT_FILE: lambda state, step: put_file(
        state, step.address, step.content, step.digest, is_executable=step.executable
    ),
    StepKind.PUT_FOLDER: lambda state, step: put_folder(
        state,
        step.address,
        step.files,
        replace_all=step.replace_all,
        folders=step.folders,
        executable=step.executables,
    ),
    StepKind.MOVE_FILE: lambda state, step: move_file(state, step.address, step.target),
    StepKind.REMOVE_FILE: lambda state, step: remove_file(state, step.address),
    StepKind.ADD_FOLDER: lambda state, step: add_folder(state, step.address),
    StepKind.SET_EXECUTABLE: lambda state, step: set_executable(state, step.address, wanted=bool(step.executable)),
}
