"""Where a change raises the chance of a variant, the thing itself gets rarer; few expect that."""

from __future__ import annotations

from collections.abc import Iterator
from decimal import Decimal

from zerrit.core.addresses import parse_address
from zerrit.core.documents import CODES, Document, Finding, Node
from zerrit.core.documents.file_selection import below
from zerrit.core.documents.scalars import as_number
from zerrit.core.documents.selection import select
from zerrit.core.errors import FigureRefused
from zerrit.core.examination.check_context import Examination
from zerrit.core.examination.game_files import touched
from zerrit.core.rules import DrawRules
from zerrit.core.rules.draws import prize_nodes
from zerrit.core.wildcards import path_matches


def check_variants(examination: Examination) -> Iterator[Finding]:
    """Where a change raises the chance of a variant, the thing itself gets rarer; few expect that."""
    if examination.before is None:
        return
    changed = touched(examination.before, examination.documents)
    for rules in examination.gamebook.rules.draws:
        has_variants = rules.variant and rules.variant_chance and not rules.variant_beside and not rules.parallel
        for path in changed if has_variants else ():
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
        try:
            prizes = prize_nodes(document, table, rules)
        except FigureRefused:
            continue  # the figures say what is missing there
        for prize in prizes:
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
