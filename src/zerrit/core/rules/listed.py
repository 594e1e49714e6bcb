"""
A kind of rule: everything that is known of it stands in its own module.

Each kind says in which part of the gamebook it is listed, which code a breach of it has, which addresses, places and lists it
names, what it asks for in a sentence, how many places it speaks of, when it cannot be measured, and how it is checked. The
schema of gamebooks, the checks, the search for rules that check nothing, the statistics and the documentation are made from
that. A new kind is a module here, and its class in `KINDS`.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import TYPE_CHECKING, Any, ClassVar, Final, NamedTuple

from zerrit.core.addresses import parse_address
from zerrit.core.examination.check_context import Unknown
from zerrit.core.examination.word_lists import words_of
from zerrit.core.rules.base import Rule
from zerrit.core.rules.word_uses import WordUse

if TYPE_CHECKING:
    from zerrit.core.documents import Document, Finding
    from zerrit.core.examination.check_context import Examination
    from zerrit.core.rules.sources import SqlQuery


class Named(NamedTuple):
    """Something that a rule names: an address, a place below an entry, or a list; and the key that it stands under."""

    key: tuple[int | str, ...]
    text: str


class Fault(NamedTuple):
    """What is wrong with a rule as it is written; `known` are the names among which the nearest is offered."""

    key: tuple[int | str, ...]
    message: str
    wrong: str = ""
    known: tuple[str, ...] = ()


class ListedRule(Rule):
    """A rule that is listed in a part of the gamebook. What a kind does not say is as here."""

    part: ClassVar[str]  #: the key in the gamebook
    about: ClassVar[str]  #: what the part is, for the documentation
    code: ClassVar[str] = ""  #: of the finding of a breach; empty where there is none

    @classmethod
    def annotation(cls) -> Any:
        """What the part is a list of; a kind with a short form says more than its class."""
        return cls

    @property
    def title(self) -> str:
        """What names the rule where it has no id; empty for its number."""
        return ""

    # --- what it names ----------------------------------------------------------------------------------------------

    def addresses(self) -> Iterator[Named]:
        """The addresses in it. The first is that of the places that it speaks of."""
        yield from ()

    def places(self) -> Iterator[Named]:
        """Places below an entry."""
        yield from ()

    def lists(self) -> Iterator[Named]:
        yield from ()

    def queries(self) -> Iterator[SqlQuery]:
        """Queries on a database of the game."""
        yield from ()

    def binaries(self) -> Iterator[str]:
        """Paths of files that are no text and that it looks into."""
        yield from (query.database for query in self.queries())

    def word_uses(self) -> Iterator[tuple[str, WordUse]]:
        """Where words stand by this rule, each with its list; an empty name is for those that only the rule ties together."""
        yield from ()

    def faults(self) -> Iterator[Fault]:
        """What is wrong with it as it is written, besides addresses and lists that are not there."""
        yield from ()

    def is_idle_without(self) -> Iterator[Named]:
        """The addresses without which it checks nothing; not those of values that may be left out on purpose."""
        yield from self.addresses()

    # --- what it asks for -------------------------------------------------------------------------------------------

    def sentence(self) -> str:
        """What it asks for, in a sentence."""
        raise NotImplementedError

    def count(self, examination: Examination) -> int | None:
        """The number of places that it speaks of; None where these cannot be counted. Raises Unknown."""
        first = next(self.addresses(), None)
        return len(examination.nodes(first.text)) if first is not None else None

    def unmeasured(self, examination: Examination) -> Iterator[str]:
        """Reasons why it cannot be measured, each without a full stop."""
        yield from nowhere(examination, (named.text for named in self.addresses()))
        for named in self.lists():
            yield from wordless(examination, named.text)

    def check(self, examination: Examination, number: int) -> Iterable[Finding]:
        """What breaks it. `number` is its place in its part."""
        del examination, number
        return ()


# --- reasons ----------------------------------------------------------------------------------------------------------


HAS_ERROR: Final = "has an error"


def nowhere(examination: Examination, addresses: Iterable[str]) -> Iterator[str]:
    """Addresses at which nothing is, in any file."""
    for text in addresses:
        documents = examination.matching(parse_address(text).path)
        broken = next((document.path for document in documents if not document.ok), "")
        if broken:
            yield f"{broken} {HAS_ERROR}"
        elif not documents:
            yield f"there is no file {parse_address(text).path}"
        elif not any(is_somewhere(examination, document, text) for document in documents):
            yield f"nothing is at {text}"


def is_somewhere(examination: Examination, document: Document, text: str) -> bool:
    """Something is at the address in one document; most have values, which are looked at already."""
    return bool(examination.values_in(document, text).texts) or bool(examination.nodes_in(document, text))


def wordless(examination: Examination, name: str) -> Iterator[str]:
    """A list that has no words, or cannot be read; nothing for an empty name."""
    if not name:
        return
    try:
        words = words_of(examination, name)
    except Unknown:
        yield f"the list {name} cannot be read"
        return
    if not words:
        yield f"the list {name} has no words"
