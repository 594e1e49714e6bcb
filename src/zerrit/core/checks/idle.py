"""Rules that check nothing: an address in the gamebook is misspelt, and everybody believes that it is watched."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial

from zerrit.core.addresses import parse_address
from zerrit.core.checks.examination import Examination
from zerrit.core.documents import CODES, Document, Finding
from zerrit.core.documents.lookup import find
from zerrit.core.errors import AddressNotFound
from zerrit.core.gamebooks import Gamebook, Rule


def check_idle_rules(examination: Examination) -> Iterator[Finding]:
    """Every address of a rule leads somewhere, where its file is there at all."""
    if not examination.files.is_whole:
        return
    for location, text in _addresses(examination.gamebook):
        documents = examination.matching(parse_address(text).path)
        if not documents or not all(document.ok for document in documents):
            continue
        hint = examination.once(("idle", text), documents, partial(_idle, examination, text))
        if hint is not None:
            code = CODES["gamebook.checks-nothing"]
            fault = examination.gamebook.fault(
                location, f"Nothing stands at {text}, so this rule checks nothing.", hint
            )
            yield Finding(
                "gamebook.checks-nothing", code.severity, fault.message, fault.path, fault.line, fault.column, hint=hint
            )


def _idle(examination: Examination, text: str) -> str | None:
    """A hint where an address leads nowhere; None where it leads somewhere."""
    if any(_stands(examination, document, text) for document in examination.matching(parse_address(text).path)):
        return None
    address = parse_address(text)
    first = examination.matching(address.path)[0]
    try:
        find(first, address.segments)
    except AddressNotFound as error:
        return str(error)
    return ""


def _stands(examination: Examination, document: Document, text: str) -> bool:
    """Something stands at the address; most have values, which are looked at already."""
    return bool(examination.values_in(document, text).texts) or bool(examination.nodes_in(document, text))


def _addresses(gamebook: Gamebook) -> Iterator[tuple[tuple[int | str, ...], str]]:
    """The addresses that rules and lists look at, with their places in the gamebook."""
    rules = gamebook.rules
    for name, source in rules.lists.items():
        yield from ((("lists", name, "from"), text) for text in source.source)
    single: tuple[tuple[str, str, tuple[Rule, ...]], ...] = (
        ("refers", "every", rules.refers),
        ("needs", "each", rules.needs),
        ("alike", "each", rules.alike),
        ("near", "each", rules.near),
        ("near", "of", rules.near),
        ("balance", "sum", rules.balance),
        ("in_use", "by", rules.in_use),
        ("derived", "each", rules.derived),
    )
    for part, field, listed in single:
        yield from (((part, number, field), getattr(rule, field)) for number, rule in enumerate(listed))
    for number, unique in enumerate(rules.unique):
        yield from ((("unique", number, "over"), text) for text in unique.over)
    for number, agree in enumerate(rules.agree):
        yield from (
            (("agree", number), text) for text in (*agree.places, agree.every) if isinstance(text, str) and text
        )
