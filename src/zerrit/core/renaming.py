"""Renaming a word throughout: an entry, a value, a file or a folder, with everything that the gamebook knows to mean it."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from typing import Final

from zerrit.core.addresses import Address, parse_address
from zerrit.core.checks.word_families import word_families
from zerrit.core.documents import Document, Node
from zerrit.core.documents.format_writer import writer_of
from zerrit.core.documents.source import Splice
from zerrit.core.documents.structural_edits import rename
from zerrit.core.documents.value_edits import ValueChange, place_of, rewrite, single
from zerrit.core.errors import EditRefused
from zerrit.core.examination.check_context import Examination
from zerrit.core.examination.game_files import Files
from zerrit.core.file_steps import FileState, move_file
from zerrit.core.gamebooks import Gamebook
from zerrit.core.paths import safe_path
from zerrit.core.rules import PackedRule, PathsLike, PresentRule, ValuesAt, WordFamily, WordUse
from zerrit.core.wording import counted

MOST_PLACES: Final = 20_000  #: one step may touch this number; a word that stands in more is surely a slip
MOST_NAMED: Final = 8  #: places that are named in a note


@dataclass(frozen=True, slots=True)
class _Spot:
    """A word in a file: the value of a node, or its name. It is known by where it is, since nodes are made anew."""

    path: str
    start: int
    name: str
    is_name: bool


@dataclass(frozen=True, slots=True)
class _Turn:
    """Something that becomes another word: a spot with its node, or a path."""

    old: str
    new: str
    place: tuple[Document, Node] | None = None
    is_name: bool = False

    @property
    def spot(self) -> _Spot:
        assert self.place is not None  # noqa: S101 (only asked of one in a file)
        document, node = self.place
        return _Spot(document.path, node.start, node.name, self.is_name)


@dataclass
class _Renaming:
    """What is to be renamed, while it is gathered."""

    examination: Examination
    families: list[WordFamily]
    left: frozenset[str]  #: addresses and paths that stay as they are
    spots: dict[_Spot, _Turn] = field(default_factory=dict)
    moves: dict[str, str] = field(default_factory=dict)
    joined: set[tuple[int, str]] = field(default_factory=set)
    notes: list[str] = field(default_factory=list)
    words: dict[str, None] = field(default_factory=dict)  #: the old words, in the order in which they were met
    _kept: dict[tuple[int, str], dict[_Spot, tuple[Document, Node]]] = field(default_factory=dict)

    def gather(self, first: list[_Turn]) -> None:
        """Follow each word to all that must be called the same, until nothing is new."""
        waiting = list(first)
        while waiting:
            turn = waiting.pop()
            if not self._is_new(turn):
                continue
            for number, family in enumerate(self.families):
                for old, new in self._words_of(family, turn):
                    if (number, old) not in self.joined:
                        self.joined.add((number, old))
                        self.words.setdefault(old)
                        waiting += self._of_family(family, old, new)

    def _is_new(self, turn: _Turn) -> bool:
        if turn.place is None:
            if self.moves.get(turn.old, turn.new) != turn.new:
                raise EditRefused(
                    f"{turn.old} would have to become {self.moves[turn.old]} and {turn.new} at the same time."
                )
            if turn.old in self.moves or turn.old in self.left:
                return False
            self.moves[turn.old] = turn.new
            return True
        if turn.spot in self.spots or self.examination.address(*turn.place) in self.left:
            return False
        if len(self.spots) >= MOST_PLACES:
            raise EditRefused(
                f"The word stands in more than {MOST_PLACES:,} places. Rename it in fewer files at a time."
            )
        self.spots[turn.spot] = turn
        return True

    def _words_of(self, family: WordFamily, turn: _Turn) -> Iterator[tuple[str, str]]:
        """The old and the new word of a family that a place stands for; nothing where it is none of its places."""
        for use in family.places:
            old = use.word_in(turn.old)
            if old is None or not self._is_of(use, turn, old):
                continue
            new = use.word_in(turn.new)
            if new is None:
                raise EditRefused(
                    f"`{turn.new}` does not fit {use.pattern if isinstance(use, PathsLike) else use.form}, as {turn.old} does, so "
                    f"what means it ({family.what}) could not follow. Choose another name."
                )
            if new != old:
                yield old, new

    def _is_of(self, use: WordUse, turn: _Turn, word: str) -> bool:
        if isinstance(use, PathsLike):
            return turn.place is None and turn.old in use.find(self.examination, word)
        if turn.place is None:
            return False
        return turn.spot in self._found(use, word)

    def _found(self, use: ValuesAt, word: str) -> dict[_Spot, tuple[Document, Node]]:
        """Where a word stands by one use; looked for once, since every place of it is asked for."""
        found = self._kept.get((id(use), word))
        if found is None:
            found = self._kept[id(use), word] = {}
            for document, node in use.find(self.examination, word):
                holder, is_name = _holder(document, node, use)
                if holder is not None:
                    found[_Spot(document.path, holder.start, holder.name, is_name)] = (document, holder)
        return found

    def is_tied(self, turn: _Turn) -> bool:
        """The gamebook ties the place to others."""
        return any(True for family in self.families for _ in self._words_of(family, turn))

    def _of_family(self, family: WordFamily, old: str, new: str) -> Iterator[_Turn]:
        """Everything that stands for a word of a family. Raises EditRefused: the new word is taken."""
        for use in family.places:
            self._require_free(use, family, new)
            if isinstance(use, PathsLike):
                for path in use.find(self.examination, old):
                    yield _Turn(path, use.with_word(path, new))
                continue
            for spot, place in self._found(use, old).items():
                text = place[1].name.removeprefix("@") if spot.is_name else place[1].value or ""
                yield _Turn(text, use.with_word(text, new), place, spot.is_name)
        if old in family.fixed:
            self.notes.append(
                f"The gamebook names `{old}` itself among the {family.what}; change that word there, too."
            )
        if family.elsewhere:
            self.notes.append(
                f"The {family.what} come from {', '.join(family.elsewhere)}, too, which no step changes: look for `{old}` there."
            )

    def _require_free(self, use: WordUse, family: WordFamily, new: str) -> None:
        if isinstance(use, PathsLike):
            taken = next(iter(use.find(self.examination, new)), None)
        else:
            place = next(use.find(self.examination, new), None)
            taken = self.examination.address(*place) if place is not None else None
        if taken is not None:
            raise EditRefused(f"`{new}` is one of the {family.what} already: {taken}. Choose another name.")


def rename_throughout(
    state: FileState, gamebook: Gamebook | None, text: str, name: str, left: frozenset[str]
) -> tuple[list[ValueChange], tuple[str, ...]]:
    """Rename what is at an address, or a file or folder, and everything that the gamebook ties to it; places `left` stay.

    Returns what changed, and notes on what was not looked at.

    Raises EditRefused: the new name is taken, or cannot follow everywhere. AddressNotFound.
    """
    if not name:
        raise EditRefused("A new name is missing.")
    book = gamebook or _no_rules()
    examination = Examination(Files(state.documents, state.others), book)
    renaming = _Renaming(examination, list(word_families(examination)), left)
    address = parse_address(text.rstrip("/") or text)
    if address.is_pattern:
        raise EditRefused(f"{text} leads to several places; one word is renamed at a time.")
    if address.segments:
        first = _first_in_file(state, renaming, address, name)
    else:
        first = _first_path(state, address.path, name)
    if first.old == first.new:
        return [], ()
    renaming.words.setdefault(_bare(first))
    renaming.gather([first])
    mentions = _mentions(state.documents, renaming)
    named = list(_named_by_path(book, renaming.moves))
    changes = _applied(state, renaming)
    return changes, (*dict.fromkeys(renaming.notes), *named, *_unread(state.documents, gamebook), *mentions)


def _no_rules() -> Gamebook:
    from zerrit.core.gamebooks import read_gamebook  # noqa: PLC0415  # only where a server has none

    empty, _ = read_gamebook(b"gamebook: 1\ngame: none\n")
    assert empty is not None  # noqa: S101 (it is sound)
    return empty


def _first_path(state: FileState, path: str, name: str) -> _Turn:
    if "/" in name:
        raise EditRefused(f"`{name}` is not a valid name: it has a `/`. To put it in another folder, move it instead.")
    folder = path.rpartition("/")[0]
    new = safe_path(f"{folder}/{name}" if folder else name)
    if path not in state and not state.below(path):
        move_file(state, path, new)  # says which path is near
    return _Turn(path, new)


def _first_in_file(state: FileState, renaming: _Renaming, address: Address, name: str) -> _Turn:
    """The key of an entry; else a value that the gamebook knows as a word, or an item of a list; else the name of a setting."""
    document = state.documents.get(address.path)
    if document is None:
        raise EditRefused(f"The server has no text file {address.path}.")
    node = single(document, address.segments)
    holder, _ = _holder(document, node, ValuesAt("", "key"))
    if holder is not None:
        rename(document, address.segments, name)  # refuses a key that a sibling has
        return _Turn(holder.value or "", name, (document, holder))
    if node.value is not None:
        as_value = _Turn(node.value, name, (document, node))
        if _is_item(node) or renaming.is_tied(as_value):
            return as_value
    prefix = "@" if node.name.startswith("@") else ""
    if (
        node.parent is not None and node.parent.child(prefix + name) is not None
    ):  # some formats allow it twice; here it is a slip
        raise EditRefused(f"{place_of(document, node.parent)} has {name} already. Choose another name.")
    return _Turn(node.name.removeprefix("@"), name, (document, node), is_name=True)


def _is_item(node: Node) -> bool:
    """One of several values without names of their own."""
    beside = node.parent.children if node.parent is not None else ()
    return not node.name or sum(one.name == node.name for one in beside) > 1


def _holder(document: Document, node: Node, use: ValuesAt) -> tuple[Node | None, bool]:
    """The node whose value or name is the word; with whether it is the name."""
    if use.take == "value":
        return node, False
    if use.take == "name":
        return node, True
    key_field = document.keys.field_for(node.names)
    if not key_field or not document.keys.key_of(node):
        return None, False
    return (node if key_field == "=" else node.child(key_field)), False


def _bare(turn: _Turn) -> str:
    return turn.old.rpartition("/")[2] if turn.place is None else turn.old


# --- making it --------------------------------------------------------------------------------------------------------


def _applied(state: FileState, renaming: _Renaming) -> list[ValueChange]:
    by_path: dict[str, list[_Turn]] = {}
    for spot, turn in renaming.spots.items():
        by_path.setdefault(spot.path, []).append(turn)
    changes: list[ValueChange] = []
    for path in sorted(by_path):
        document, made = _edited(state.documents[path], by_path[path])
        changes += made
        state.documents[path] = document
    # A file before the folder that it is in: its path is then still the one that was found.
    for old, new in sorted(renaming.moves.items(), key=lambda move: -move[0].count("/")):
        if state.below(new):
            raise EditRefused(f"{new} is there already. Choose another name.")
        changes += move_file(state, old, new)
    return changes


def _edited(document: Document, turns: list[_Turn]) -> tuple[Document, list[ValueChange]]:
    writer = writer_of(document.format)
    splices: list[Splice] = []
    changes: list[ValueChange] = []
    for turn in turns:
        assert turn.place is not None  # noqa: S101 (only those in files come here)
        node = turn.place[1]
        splices += (
            writer.rename(document, node, turn.new) if turn.is_name else writer.set_value(document, node, turn.new)
        )
        changes.append(ValueChange(f"{document.path}#{document.keys.address_of(node)}", turn.old, turn.new))
    return rewrite(document, splices), changes


# --- what is not certain ----------------------------------------------------------------------------------------------


def _named_by_path(gamebook: Gamebook, moves: Mapping[str, str]) -> Iterator[str]:
    """Files that the gamebook speaks of by the path that they lose: so may the game."""
    known = [*gamebook.rules.files, *(rule.file for rule in gamebook.rules.of(PresentRule)), *gamebook.binaries]
    known += [rule.folder for rule in gamebook.rules.of(PackedRule)]
    for path in dict.fromkeys(known):
        if any(path == old or path.startswith(f"{old}/") for old in moves):
            yield (
                f"The gamebook knows {path} by its old path. Make sure that the game finds it under the new one, and change the "
                "gamebook."
            )


def _unread(documents: Mapping[str, Document], gamebook: Gamebook | None) -> Iterator[str]:
    """What could not be looked into."""
    if gamebook is None:
        yield "The server has no gamebook, so nothing is known of what means this name. Look at the other places yourself."
    broken = sorted(path for path, document in documents.items() if not document.ok)
    if broken:
        named = ", ".join(broken[:MOST_NAMED]) + (", …" if len(broken) > MOST_NAMED else "")
        yield f"Not looked into, since {'they have' if len(broken) > 1 else 'it has'} errors: {named}."


def _mentions(documents: Mapping[str, Document], renaming: _Renaming) -> Iterator[str]:
    """Where else the old word stands as a whole word, which the gamebook does not tie to it."""
    changed: dict[str, set[int]] = {}
    for spot, turn in renaming.spots.items():
        assert turn.place is not None  # noqa: S101 (a spot is in a file)
        node = turn.place[1]
        changed.setdefault(spot.path, set()).add(turn.place[0].line_of(node))
    notes: list[str] = []
    for word in renaming.words:
        pattern = re.compile(rf"(?<!\w){re.escape(word)}(?!\w)", re.IGNORECASE)
        places = [
            f"{path}:{line}"
            for path, document in sorted(documents.items())
            for line in _lines_with(pattern, document)
            if line not in changed.get(path, ())
        ]
        if places:
            shown = ", ".join(places[:MOST_NAMED]) + (", …" if len(places) > MOST_NAMED else "")
            notes.append(
                f"`{word}` also stands on {counted(len(places), 'other line')} that the gamebook does not tie to it. Nothing is "
                f"changed there: {shown}."
            )
    return iter(notes)


def _lines_with(pattern: re.Pattern[str], document: Document) -> list[int]:
    lines = (document.source.locate(found.start())[0] for found in pattern.finditer(document.text))
    return list(dict.fromkeys(lines))
