"""Rules that check nothing: an address in the gamebook is misspelled, and everybody believes that it is watched."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial

from zerrit.core.addresses import parse_address
from zerrit.core.documents import CODES, Finding
from zerrit.core.documents.lookup import find
from zerrit.core.errors import AddressNotFound
from zerrit.core.examination.check_context import Examination, Unknown
from zerrit.core.examination.word_lists import words_of
from zerrit.core.gamebooks import Gamebook
from zerrit.core.rules import ReferRule
from zerrit.core.rules.listed import is_somewhere


def check_idle_rules(examination: Examination) -> Iterator[Finding]:
    """Every address of a rule leads somewhere, where its file is there at all."""
    if not examination.files.is_whole:
        return
    for place, said in _unread_slots(examination):
        yield _notice(examination, place, said, "")
    for place, said in _wordless(examination):
        yield _notice(examination, place, said, "")
    for location, text in _addresses(examination.gamebook):
        documents = examination.matching(parse_address(text).path)
        if not documents or not all(document.ok for document in documents):
            continue
        hint = examination.once(("idle", text), documents, partial(_idle, examination, text))
        if hint is not None:
            yield _notice(examination, location, f"Nothing is at {text}, so this rule checks nothing.", hint)


def _notice(examination: Examination, location: tuple[int | str, ...], message: str, hint: str) -> Finding:
    fault = examination.gamebook.fault(location, message, hint)
    code = "gamebook.checks-nothing"
    return Finding(code, CODES[code].severity, fault.message, fault.path, fault.line, fault.column, hint=hint)


def _idle(examination: Examination, text: str) -> str | None:
    """A hint where an address leads nowhere; None where it leads somewhere."""
    if any(is_somewhere(examination, document, text) for document in examination.matching(parse_address(text).path)):
        return None
    address = parse_address(text)
    first = examination.matching(address.path)[0]
    try:
        find(first, address.segments)
    except AddressNotFound as error:
        return str(error)
    return ""


def _addresses(gamebook: Gamebook) -> Iterator[tuple[tuple[int | str, ...], str]]:
    """The addresses that rules and lists look at, with their places in the gamebook.

    Not those of conditions, advice and looks: a setting that is not there may be left out on purpose. That such a rule
    was not measured is told with the rule.
    """
    for name, source in gamebook.rules.lists.items():
        yield from ((("lists", name, "source"), text) for text in source.source)
    for number, rule in gamebook.rules.listed():
        yield from (((rule.part, number, *key), text) for key, text in rule.is_idle_without())
    yield from ((("draws", number, "tables"), draw.tables) for number, draw in enumerate(gamebook.rules.draws))


def _wordless(examination: Examination) -> Iterator[tuple[tuple[int | str, ...], str]]:
    """Lists without words, against which values should be held: none of them can be judged."""
    rules = examination.gamebook.rules
    fields = [one for file in rules.files.values() for entry in file.entries.values() for one in entry.fields.values()]
    used = {one.allowed for one in fields if isinstance(one.allowed, str)} | {
        rule.list_name for rule in rules.of(ReferRule)
    }
    for name in sorted(used & rules.lists.keys()):
        try:
            words = words_of(examination, name)
        except Unknown:
            continue
        if not words:
            yield ("lists", name), f"The list `{name}` has no words, so no value can be held against it."


def _unread_slots(examination: Examination) -> Iterator[tuple[tuple[int | str, ...], str]]:
    """Slots of files that are read in another way than as text, where no slot is ever cut out."""
    for pattern, file in examination.gamebook.rules.files.items():
        other = (
            next((d for d in examination.matching(pattern) if not d.format.traits.line_based), None)
            if file.slots
            else None
        )
        if other is not None:
            yield (
                ("files", pattern, "slots"),
                f"The slots of {other.path} are not used: the file is read as {other.format.label}. Address its "
                "values instead.",
            )
