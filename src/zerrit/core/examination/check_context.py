"""
One examination of files: what the checks ask for, each thing worked out once.

A check of a server after the edit of one value must not look at all other files again. So everything that is worked
out is a *unit* with a key and the inputs that it came from (documents, words of lists), and a later examination takes
a unit over when its inputs are the very same. Documents are values that no one changes; a file that a step did not
touch is the same object after it.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Hashable, Iterable, Sequence
from functools import cached_property, lru_cache, partial
from pathlib import PurePosixPath
from typing import TYPE_CHECKING, Any, Final, TypeVar

from zerrit.core.addresses import parse_address
from zerrit.core.documents import CODES, Document, Finding, Node
from zerrit.core.documents.selection import select
from zerrit.core.documents.source import Splice
from zerrit.core.examination.address_values import Values, plain_values
from zerrit.core.examination.condition_fields import NO_FIELDS
from zerrit.core.examination.game_files import Documents, Files, QueryRefused
from zerrit.core.examination.plain_values import Plain, plain_root
from zerrit.core.expressions import ExpressionInvalid, Fields, worked_out
from zerrit.core.nearest import did_you_mean, folded
from zerrit.core.paths import folders_of
from zerrit.core.wildcards import path_matches
from zerrit.core.wording import counted

if TYPE_CHECKING:
    from zerrit.core.gamebooks import Gamebook
    from zerrit.core.rules import Rule, SqlQuery

T = TypeVar("T")
Placed = tuple[Document, Node]
_PLAIN_WORD: Final = re.compile(r"[\w .'-]+\Z")
_BRACES: Final = re.compile(r"\{([^{}]{1,80})\}")


class Unknown(Exception):
    """What a rule needs cannot be known now, since a file that it looks at is broken or cannot be read."""


class Examination:
    """The files, the gamebook, and what was worked out from them.

    `before` are the files before a change, where one is examined. `earlier` is an examination of other states of the
    same files, from which what is still true is taken over.
    """

    def __init__(
        self,
        files: Files,
        gamebook: Gamebook,
        before: Documents | None = None,
        earlier: Examination | None = None,
        *,
        uses_plain: bool = True,
        between: Callable[[], None] | None = None,
    ) -> None:
        self.between = between  #: called between two parts of the work
        self.uses_plain = uses_plain  #: the tests put this off, to hold one way beside the other
        self.files = files
        self.documents = files.documents
        self.gamebook = gamebook
        self.before = before
        self.faults: dict[tuple[int, int], Finding] = {}  #: of the gamebook itself, by line and column
        self._units: dict[Hashable, tuple[tuple[object, ...], Any]] = {}
        is_same_book = earlier is not None and earlier.gamebook is gamebook
        self._earlier = earlier._units if earlier is not None and is_same_book else {}
        self._plain: dict[str, Plain | None] = {}
        self.passing: dict[Hashable, Any] = {}  #: what is only kept while it is examined, for other modules
        #: What is wrong with a value of a field, by the identity of its rules and its words; the same in all files.
        self.verdicts: dict[tuple[int, frozenset[str] | None], dict[str, list[tuple[str, str]]]] = {}
        self._texts: tuple[str, ...] = tuple(files.documents)
        self.paths: tuple[str, ...] = tuple(sorted({*files.documents, *files.others}))

    def once(self, key: Hashable, inputs: tuple[object, ...], make: Callable[[], T]) -> T:
        """What `make` gives, or what it gave before for the same inputs."""
        kept = self._units.get(key)
        if kept is None:
            kept = self._earlier.get(key)
            if kept is None or not _are_same(kept[0], inputs):
                made = make()
                # An equal result keeps its identity, so that what depends on it need not be worked out again either.
                kept = (inputs, kept[1] if kept is not None and type(made) is tuple and kept[1] == made else made)
            self._units[key] = kept
        return kept[1]  # type: ignore[no-any-return]  # the unit of a key is always of the type that its `make` gives

    def findings_of(
        self, key: Hashable, inputs: tuple[object, ...], look: Callable[..., Iterable[Finding]], *more: Any
    ) -> tuple[Finding, ...]:
        """The findings that `look(self, *more)` yields, once."""
        if self.between is not None:
            self.between()
        return self.once(key, inputs, lambda: tuple(look(self, *more)))

    def forget_earlier(self) -> None:
        """Let go of what was taken over, and of plain values; called when the examination is complete."""
        self._earlier = {}
        self._plain = {}
        self.verdicts = {}
        self.passing = {}

    @cached_property
    def folders(self) -> tuple[str, ...]:
        """Every folder that a file is in."""
        return tuple(sorted(folders_of(self.paths)))

    # --- places ---------------------------------------------------------------------------------------------------

    def matching(self, pattern: str) -> tuple[Document, ...]:
        """The documents whose path fits a pattern."""
        found = self.once(
            ("paths", pattern),
            self._texts,
            lambda: tuple(path for path in self.documents if path_matches(pattern, path)),
        )
        return tuple(self.documents[path] for path in found)

    def sound(self, *addresses: str) -> tuple[Document, ...]:
        """The documents that addresses lead into.

        Raises Unknown: one of them is broken, or is not among these files, where they are not all that there are. What
        follows from half of the truth would be wrong.
        """
        matching = [self.matching(_path(text)) for text in addresses]
        if not self.files.is_whole and not all(matching):
            raise Unknown
        found = tuple(document for documents in matching for document in documents)
        if not all(document.ok for document in found):
            raise Unknown
        return found

    def nodes_in(self, document: Document, address: str) -> tuple[Node, ...]:
        """The nodes of one document that an address leads to."""

        def look() -> tuple[Node, ...]:
            segments = parse_address(address).segments
            return tuple(select(document.root, document.keys, segments)) if document.ok else ()

        return self.once(("nodes", address, document.path), (document,), look)

    def nodes(self, address: str) -> list[Placed]:
        """The nodes that an address leads to in all sound documents."""
        return [
            (document, node) for document in self.matching(_path(address)) for node in self.nodes_in(document, address)
        ]

    def plain(self, document: Document) -> Plain | None:
        """The plain values of a document, where they can be had; let go of when the examination is complete."""
        if document.path not in self._plain:
            self._plain[document.path] = plain_root(document) if self.uses_plain else None
        return self._plain[document.path]

    def values_in(self, document: Document, address: str) -> Values:
        """The values at an address in one document; nodes are made only for those that someone asks for."""
        return self.once(("values", address, document.path), (document,), partial(self._values, document, address))

    def _values(self, document: Document, address: str) -> Values:
        segments = parse_address(address).segments
        root = self.plain(document) if document.ok and segments else None
        found = plain_values(root, segments, is_xml=document.format.traits.attributes) if root is not None else None
        if found is None:
            nodes = [node for node in self.nodes_in(document, address) if node.value is not None]
            return Values(document, segments, tuple(node.value or "" for node in nodes))
        return Values(document, segments, tuple(found))

    def address(self, document: Document, node: Node) -> str:
        text = document.keys.address_of(node)
        return f"{document.path}#{text}" if text else document.path

    # --- databases ----------------------------------------------------------------------------------------------------

    def rows(self, sql: SqlQuery, location: tuple[int | str, ...]) -> tuple[tuple[str, ...], ...]:
        """The rows of a query of the gamebook. A failure is a fault of the gamebook.

        Raises Unknown.
        """
        document = self.files.documents.get(sql.database)
        data = document.to_bytes() if document is not None else self.files.data(sql.database)
        if data is None:
            raise Unknown  # that the file is missing is told as of every file

        def ask() -> tuple[tuple[str, ...], ...] | str:
            try:
                return tuple(self.files.query(data, sql.query))
            except QueryRefused as refused:
                return str(refused)

        found = self.once(("rows", sql.database, sql.query), (data,), ask)
        if isinstance(found, str):
            self.fault(location, f"The query on {sql.database} does not work: {found}")
            raise Unknown
        return found

    # --- findings -------------------------------------------------------------------------------------------------

    def fault(self, location: tuple[int | str, ...], message: str, hint: str = "") -> None:
        """Note a fault of the gamebook itself that showed while it was applied."""
        self.note(self.gamebook.fault(location, message, hint))

    def note(self, fault: Finding) -> None:
        self.faults.setdefault((fault.line, fault.column), fault)  # one for each place of the gamebook is enough

    def finding(
        self,
        rule: Rule,
        code: str,
        place: Placed | str,
        message: str,
        hint: str = "",
        fields: Fields = NO_FIELDS,
        fix: Splice | None = None,
        *,
        says_why: bool = False,
    ) -> Finding:
        """A breach of a rule at a node, or in a file as a whole. `fields` fill the braces of the rule's own message.

        `says_why`: the message says why the rule could not be applied, so the rule's own would be wrong.
        """
        has_own = bool(rule.message) and not says_why
        said = _BRACES.sub(lambda match: worked_out(match.group(1), fields), rule.message) if has_own else message
        severity = CODES[code].severity if says_why else self.gamebook.severity(rule, code)
        identity = self.gamebook.place_of(rule).id
        if isinstance(place, str):
            path = place.partition("#")[0]
            return Finding(code, severity, said, path, address=place, hint=hint, rule=identity, reason=rule.reason)
        document, node = place
        at = node.value_start if node.is_value and node.value_start >= 0 else node.start
        line, column = document.source.locate(at)
        address = self.address(document, node)
        return Finding(code, severity, said, document.path, line, column, address, hint, fix, identity, rule.reason)

    def is_skipped(self, finding: Finding) -> bool:
        """The rule behind it does not speak of the file that it is in."""
        rule = self.gamebook.by_id.get(finding.rule) if finding.rule else None
        return rule is not None and rule.rule.skips(finding.path)

    def not_worked_out(self, rule: Rule, place: Placed, error: ExpressionInvalid) -> Finding:
        """A fault of the gamebook: the conditions of a rule mean nothing at a place."""
        location = self.gamebook.place_of(rule).location
        return self.gamebook.fault(location, f"This rule cannot be worked out at {self.address(*place)}: {error}")

    def strays_beside(self, path: str) -> list[str]:
        """Paths that no rule of a file fits: one of them may be the missing one under a wrong name."""
        folder = PurePosixPath(path).parent
        return [p for p in self.paths if PurePosixPath(p).parent == folder and self.gamebook.file(p) is None]

    def unknown_word(
        self, rule: Rule, place: Placed, list_name: str, words: Sequence[str], fields: Fields, *, name: bool = False
    ) -> Finding:
        """A value that is not a word of a list, with the nearest one; where only the letter case differs, a safe fix.

        `name`: the name at the place is what must be a word.
        """
        value = place[1].name.removeprefix("@") if name else place[1].value or ""
        known = f"{len(words)} names are known" if len(words) != 1 else "one name is known"
        return self.finding(
            rule,
            "meaning.unknown-name",
            place,
            f"`{value}` is not among the {list_name} ({known})."
            if list_name
            else f"`{value}` is none of {listed(words)}.",
            did_you_mean(value, words),
            fields,
            case_fix(place[1], words) if not name else None,
        )


def case_fix(node: Node, words: Iterable[str]) -> Splice | None:
    """The splice that puts a value right which differs from one known word, and only one, in letter case or blanks."""
    wanted = folded(node.value or "")
    same = [word for word in words if folded(word) == wanted]
    if len(same) != 1 or node.value_start < 0 or not _PLAIN_WORD.match(same[0]):
        return None
    return Splice(node.value_start, node.value_end, same[0])


def listed(words: Sequence[str], most: int = 6) -> str:
    """`a, b and 3 others`."""
    shown = ", ".join(words[:most])
    return f"{shown} and {counted(len(words) - most, 'other')}" if len(words) > most else shown


def _are_same(old: tuple[object, ...], new: tuple[object, ...]) -> bool:
    return len(old) == len(new) and all(a is b or a == b for a, b in zip(old, new, strict=True))


@lru_cache(maxsize=4096)
def _path(address: str) -> str:
    return parse_address(address).path
