"""Checks of a change: sums that it moves, folders that the game does not read, chances that eat into each other."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from decimal import Decimal
from functools import partial

from zerrit.core.addresses import parse_address
from zerrit.core.checks.check_context import Examination, Unknown
from zerrit.core.documents import CODES, Document, Finding, Node
from zerrit.core.documents.file_selection import below
from zerrit.core.documents.measures import Declared, amount
from zerrit.core.documents.scalars import as_number
from zerrit.core.documents.selection import select
from zerrit.core.game_files import Documents
from zerrit.core.gamebooks import BalanceRule, DrawRules, kind_of
from zerrit.core.wildcards import path_matches, word_in_path


def touched(before: Documents, after: Documents) -> list[str]:
    """The paths of files that a change adds, alters or takes away."""
    return [
        path
        for path in sorted(before.keys() | after.keys())
        if before.get(path) is not after.get(path)
        and (path not in before or path not in after or before[path].text != after[path].text)
    ]


# --- balance ----------------------------------------------------------------------------------------------------------


def check_balance(examination: Examination) -> Iterator[Finding]:
    """Sums stay within their limits, and a change moves them no further than it may."""
    for number, rule in enumerate(examination.gamebook.rules.balance):
        try:
            documents = examination.sound(rule.sum)
        except Unknown:
            continue
        total = sum((_sum(examination, document, rule, number) for document in documents), Decimal(0))
        fields = {"sum": (format(total, "f"),)}
        if rule.max is not None and total > rule.max:
            message = f"The sum over {rule.sum} is {total:f}; the game accepts {rule.max:f}."
            yield examination.finding(rule, "meaning.sum", rule.sum, message, fields=fields)
        if rule.keep_within and examination.before is not None:
            yield from _moved(examination, rule, number, total)


def _moved(examination: Examination, rule: BalanceRule, number: int, total: Decimal) -> Iterator[Finding]:
    path = parse_address(rule.sum).path
    before = [document for name, document in (examination.before or {}).items() if path_matches(path, name)]
    old = sum((_sum_before(examination, document, rule, number) for document in before), Decimal(0))
    share = rule.keep_within.endswith("%")
    allowed = Decimal(rule.keep_within.rstrip("%")) * (abs(old) / 100 if share else 1)
    moved = total - old
    if abs(moved) <= allowed:
        return
    part = f", {moved / old * 100:+.1f} %" if old else ""
    message = (
        f"The sum over {rule.sum} goes from {old:f} to {total:f} ({moved:+f}{part}); "
        f"it should stay within {rule.keep_within}. Was something added and nothing taken away?"
    )
    fields = {"sum": (format(total, "f"),), "before": (format(old, "f"),), "moved": (format(moved, "f"),)}
    yield examination.finding(rule, "meaning.balance", rule.sum, message, fields=fields)


def _sum(examination: Examination, document: Document, rule: BalanceRule, number: int) -> Decimal:
    values = examination.values_in(document, rule.sum)
    declared = document.reading.measures.of(kind_of(rule.sum.partition("#")[2]))
    return examination.once(("sum", number, document.path), (document,), partial(_added, values.texts, declared))


def _sum_before(examination: Examination, document: Document, rule: BalanceRule, number: int) -> Decimal:
    """The same of a document before the change; mostly it is that after it, too, or was summed by the check before."""
    if examination.documents.get(document.path) is document:
        return _sum(examination, document, rule, number)

    def add() -> Decimal:
        nodes = select(document.root, document.keys, parse_address(rule.sum).segments)
        return _added(
            (node.value or "" for node in nodes), document.reading.measures.of(kind_of(rule.sum.partition("#")[2]))
        )

    return examination.once(("sum before", number, document.path), (document,), add)


def _added(texts: Iterable[str], declared: Declared | None) -> Decimal:
    return sum((number for text in texts if (number := amount(text, declared)) is not None), Decimal(0))


# --- folders in use ---------------------------------------------------------------------------------------------------


def check_in_use(examination: Examination) -> Iterator[Finding]:
    """A change alters files that the game reads now."""
    if examination.before is None:
        return
    changed = touched(examination.before, examination.documents)
    for rule in examination.gamebook.rules.in_use:
        try:
            examination.sound(rule.value)
        except Unknown:
            continue
        used = {node.value: document for document, node in examination.nodes(rule.value) if node.value}
        for path in changed:
            word = word_in_path(rule.files, path)
            if word is None or not used or word in used:
                continue
            message = (
                f"This file belongs to {word}, but {rule.value} says {', '.join(map(str, used))}: "
                "the change has no effect on the game as it is set now."
            )
            fields = {"word": (word,), "used": tuple(map(str, used))}
            yield examination.finding(rule, "meaning.not-in-use", path, message, fields=fields)


# --- variants that eat into a thing -----------------------------------------------------------------------------------


def check_variants(examination: Examination) -> Iterator[Finding]:
    """Where a change raises the chance of a variant, the thing itself gets rarer; few expect that."""
    if examination.before is None:
        return
    changed = touched(examination.before, examination.documents)
    for rules in examination.gamebook.rules.draws:
        for path in changed if rules.variant and rules.variant_chance else ():
            if path_matches(rules.tables.partition("#")[0], path) and path in examination.documents:
                yield from _variants(examination, rules, path)


def _variants(examination: Examination, rules: DrawRules, path: str) -> Iterator[Finding]:
    before = (examination.before or {}).get(path)
    document = examination.documents[path]
    old = _chances(before, rules) if before is not None and before.ok else {}
    for (table, thing), (prize, chance) in _chances(document, rules).items():
        known = old.get((table, thing))
        was, now = (_number(known[1]) if known is not None else Decimal(0)), _number(chance)
        if was is None or now is None or now <= was:
            continue
        variant = below(prize, rules.variant)
        name = (variant.value if variant is not None else "") or "its variant"
        line, column = document.source.locate(chance.start)
        yield Finding(
            "meaning.variant",
            CODES["meaning.variant"].severity,
            f"{name} now comes in place of {thing} in {_shown(now * 100)} of 100 draws ({_shown(was * 100)} before), "
            f"so {thing} itself comes up less often.",
            path,
            line,
            column,
            examination.address(document, chance),
            "`zerrit figures odds` shows both before and after.",
        )


def _chances(document: Document, rules: DrawRules) -> dict[tuple[str, str], tuple[Node, Node]]:
    """The prize and the chance of its variant, by table and thing."""
    found: dict[tuple[str, str], tuple[Node, Node]] = {}
    if not document.ok:
        return found
    for table in select(document.root, document.keys, parse_address(rules.tables).segments):
        group = below(table, rules.prizes) if rules.prizes else table
        for prize in group.children if group is not None else ():
            thing, chance = below(prize, rules.thing), below(prize, rules.variant_chance)
            if thing is not None and chance is not None:
                found[(document.keys.key_of(table) or table.name, thing.value or "")] = (prize, chance)
    return found


def _shown(number: Decimal) -> str:
    return format(number.normalize(), "f")


def _number(node: Node) -> Decimal | None:
    text = (node.value or "").strip()
    number = as_number(text.removesuffix("%"))
    return None if number is None else number / 100 if text.endswith("%") else number
