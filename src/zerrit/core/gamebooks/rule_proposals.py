"""
Rules from what a person points at: a word that is right after all, a file that a rule does not speak of, two fields.

Each is a list of parts to put into the gamebook; nothing is written here. What cannot be said by a rule is refused with
the way that is left.
"""

from __future__ import annotations

import re
from collections.abc import Collection, Iterable, Iterator, Sequence
from dataclasses import dataclass
from enum import StrEnum
from typing import Any, Final

from zerrit.core.addresses import FILE_ITSELF, fits_kind, kind_of, print_kind
from zerrit.core.documents import Document, Finding, Node, Severity
from zerrit.core.documents.codes import TOLERANCES
from zerrit.core.documents.measures import amount
from zerrit.core.documents.scalars import as_number
from zerrit.core.errors import EditRefused
from zerrit.core.expressions import ExpressionInvalid, parse_expression
from zerrit.core.gamebooks.gamebook import Gamebook
from zerrit.core.gamebooks.rule_edits import part_of, with_part
from zerrit.core.gamebooks.rule_list import PlacedRule
from zerrit.core.gamebooks.source_lines import Location
from zerrit.core.rules import AgreeRule, FieldRules, ListSource, ReferRule

Placed = tuple[Document, Node]
_NO_NAME: Final = re.compile(r"\W+")


class Relation(StrEnum):
    """What two fields have to do with each other, seen from the first one."""

    EQUAL = "equal"
    AT_MOST = "at-most"
    REFERS_TO = "refers-to"


@dataclass(frozen=True, slots=True)
class Part:
    """What is to stand at a place of a gamebook."""

    location: Location
    data: Any


def with_parts(text: str, parts: Iterable[Part]) -> str:
    """The text of a gamebook with all parts in it, one after the other. Raises EditRefused."""
    for part in parts:
        text = with_part(text, part.location, part.data)
    return text


# --- from a finding -----------------------------------------------------------------------------------------------------


def allowing(gamebook: Gamebook, finding: Finding, node: Node) -> tuple[Part, ...]:
    """The parts after which the rule behind a finding accepts what is at its place: a word more, or a wider range.

    Raises EditRefused: the finding is not about a value that could be allowed.
    """
    placed = _rule_of(gamebook, finding)
    rule, location = placed.rule, placed.location
    value = rule.text_of(node) if isinstance(rule, ReferRule) else node.value or ""
    if isinstance(rule, ReferRule) and finding.code == rule.code:
        if "*" in value or "?" in value:
            raise EditRefused(
                f"`{value}` holds a sign that stands for any text. Write the exception into the gamebook."
            )
        return (Part((*location, "exceptions", len(rule.exceptions)), value),)
    if isinstance(rule, FieldRules) and finding.code == "meaning.unknown-name":
        if isinstance(rule.allowed, tuple):
            return (Part((*location, "list", len(rule.allowed)), value),)
        if rule.allowed is not None:
            words = gamebook.rules.lists[rule.allowed].words
            return (Part(("lists", rule.allowed, "words", len(words)), value),)
    if isinstance(rule, FieldRules) and finding.code == "meaning.misspelled":
        return (Part((*location, "usual", len(rule.usual)), value),)
    if isinstance(rule, FieldRules) and finding.code == "meaning.range" and rule.kind not in ("range", "quantity"):
        number = as_number(value.strip())
        if number is not None and rule.max is not None and number > rule.max:
            return (Part((*location, "max"), _plain(number)),)
        if number is not None and rule.min is not None and number < rule.min:
            return (Part((*location, "min"), _plain(number)),)
    raise EditRefused(
        "This finding is not about one word or number that could be allowed. Change the rule in the gamebook, or "
        "accept the finding at this place with a reason."
    )


def _plain(number: Any) -> int | float | str:
    text = f"{number:f}"
    return int(text) if number == number.to_integral_value() else float(text)


def weighing(gamebook: Gamebook, finding: Finding, severity: Severity) -> tuple[Part, ...]:
    """The parts after which the rule behind a finding is as severe as asked. Raises EditRefused: no rule is behind it."""
    placed = _rule_of(gamebook, finding)
    more: dict[str, Any] = {"severity": severity.value}
    if gamebook.rules.drafted and severity is not Severity.NOTICE:
        more["approved"] = True
    return _more(gamebook, placed, more)


def _more(gamebook: Gamebook, placed: PlacedRule, data: dict[str, Any]) -> tuple[Part, ...]:
    """Keys that a rule gets; one that has a short form is written in its long one."""
    if isinstance(part_of(gamebook.data, placed.location), dict):
        return tuple(Part((*placed.location, name), value) for name, value in data.items())
    return (Part(placed.location, as_mapping(gamebook, placed) | data),)


def skipping(gamebook: Gamebook, finding: Finding) -> tuple[Part, ...]:
    """The parts after which a finding of this kind never comes in this file again.

    Raises EditRefused: it is a fault that the game itself could not read past.
    """
    if finding.rule:
        placed = _rule_of(gamebook, finding)
        skipped = placed.rule.skip_files
        if skipped:
            return (Part((*placed.location, "skip_files", len(skipped)), finding.path),)
        return _more(gamebook, placed, {"skip_files": [finding.path]})
    if finding.code not in TOLERANCES:
        raise EditRefused(
            f"No file can do without `{finding.code}`: it says that the file itself is damaged. Fix it, or accept the "
            "finding at this place with a reason."
        )
    pattern = next((one for one, rules in gamebook.rules.files.items() if rules is gamebook.file(finding.path)), "")
    known = gamebook.rules.files[pattern].tolerate if pattern else ()
    if finding.code in known:
        raise EditRefused(f"The gamebook says already that the game accepts `{finding.code}` in {finding.path}.")
    return (Part(("files", pattern or finding.path, "tolerate", len(known)), finding.code),)


def _rule_of(gamebook: Gamebook, finding: Finding) -> PlacedRule:
    placed = gamebook.by_id.get(finding.rule)
    if placed is None:
        raise EditRefused(f"`{finding.code}` comes from no rule of the gamebook, so there is none to change.")
    return placed


def as_mapping(gamebook: Gamebook, placed: PlacedRule) -> dict[str, Any]:
    """A rule as it is written, with its keys; a short form becomes the long one."""
    data = part_of(gamebook.data, placed.location)
    if isinstance(data, list):
        return {"sources": data} if isinstance(placed.rule, AgreeRule) else {}
    return dict(data) if isinstance(data, dict) else {}


# --- from two fields ------------------------------------------------------------------------------------------------------


def relating(gamebook: Gamebook, relation: Relation, first: Placed, second: Placed) -> tuple[Part, ...]:
    """The parts of a rule that the value of one field and that of another must obey; the rule itself is the last of them.

    Two fields of one entry make a condition for every entry of that kind; others a rule between the two places.

    Raises EditRefused: it is one and the same field.
    """
    if first[1] is second[1]:
        raise EditRefused("These are one and the same field. Choose two.")
    if relation is Relation.REFERS_TO:
        return _reference(gamebook, first, second)
    _require_comparable(relation, first, second)
    entry = _common(first[1], second[1]) if first[0] is second[0] else None
    if entry is not None and entry.parent is not None:
        return tuple(_condition(gamebook, relation, first, second, entry))
    here, there = (f"{document.path}#{document.keys.address_of(node)}" for document, node in (first, second))
    if relation is Relation.EQUAL:
        return (Part(("agree", len(gamebook.rules.of(AgreeRule))), [here, there]),)
    number = len(gamebook.rules.must)  # type: ignore[attr-defined]  # the parts of listed rules are made from their kinds
    return (Part(("must", number), {"let": {"first": here, "second": there}, "condition": "first <= second"}),)


def _require_comparable(relation: Relation, first: Placed, second: Placed) -> None:
    """A number is compared with a number, and a word with a word."""
    values = [(node.value or "", document.declared_of(node)) for document, node in (first, second)]
    words = [text for text, declared in values if amount(text, declared) is None]
    if words and (relation is Relation.AT_MOST or len(words) == 1):
        raise EditRefused(
            f"`{words[0]}` is not a number, so it cannot be compared with the other value. Choose another field."
        )


def _reference(gamebook: Gamebook, first: Placed, second: Placed) -> tuple[Part, ...]:
    every, source = _every(gamebook, first), _every(gamebook, second)
    known = gamebook.rules.lists
    alike = ListSource(source=(source,))
    name = next((one for one, words in known.items() if words == alike), "") or _free(
        " ".join(one.removeprefix("@") for one in second[1].names[-2:] if one) or "words", known, second[0].path
    )
    parts = [] if name in known else [Part(("lists", name), {"source": source})]
    return (*parts, Part(("refers", len(gamebook.rules.of(ReferRule))), {"every": every, "list": name}))


def _every(gamebook: Gamebook, placed: Placed) -> str:
    """The address of all fields of the same kind, in all files that the gamebook knows by the same pattern."""
    document, node = placed
    pattern = next((one for one, rules in gamebook.rules.files.items() if rules is gamebook.file(document.path)), "")
    kind = (*_kind_with(node.parent, [node.names[-1]]), node.names[-1]) if node.parent is not None else node.names
    return f"{pattern or document.path}#{print_kind(kind)}"


def _free(name: str, taken: Collection[str], path: str) -> str:
    stem = path.rpartition("/")[2].rpartition(".")[0] or path
    options = (name, f"{name} of {stem}", *(f"{name} of {stem} {number}" for number in range(2, 1000)))
    return next(one for one in options if one not in taken)


def _common(first: Node, second: Node) -> Node | None:
    above: list[Node] = []
    at = first.parent
    while at is not None:
        above.append(at)
        at = at.parent
    at = second.parent
    while at is not None and not any(at is one for one in above):
        at = at.parent
    return at


def place_of_field(gamebook: Gamebook, field: Placed) -> Part:
    """Where the rule of a field stands in the gamebook, as it is written; or where one would stand, and what it begins with.

    Raises EditRefused: a gamebook has no rules for such a place.
    """
    document, node = field
    own = gamebook.field_rules(document.path, node)
    placed = next((one for one in gamebook.placed if one.rule is own), None) if own is not None else None
    if placed is not None:
        return Part(placed.location, as_mapping(gamebook, placed))
    if node.parent is None:
        raise EditRefused("A gamebook has rules for values, and this is a complete file. Choose a value in it.")
    base, known = _entry_of(gamebook, document, node.parent, [node.names[-1]])
    place = print_kind(node.names[-1:])
    name = place if _is_name(place) else _field_name(place, known)
    return Part((*base, "fields", name), {} if name == place else {"path": place})


def _entry_of(
    gamebook: Gamebook, document: Document, entry: Node, fields: Sequence[str]
) -> tuple[Location, dict[str, str]]:
    """Where the rules of an entry stand, and the places of its known fields by their names.

    What the gamebook does not know yet is named so that its siblings, which have the same `fields`, are meant, too.
    """
    rules = gamebook.file(document.path)
    pattern = next((one for one, known in gamebook.rules.files.items() if known is rules), document.path)
    kinds = rules.entries if rules is not None else {}
    kind = next(
        (one for one in kinds if fits_kind(entry.names, kind_of(one))),
        print_kind(_kind_with(entry, fields)) or FILE_ITSELF,
    )
    known = kinds[kind].fields if kind in kinds else {}
    return ("files", pattern, "entries", kind), {name: one.path or name for name, one in known.items()}


MOST_ALIKE: Final = 2000  # siblings that are looked at


def _kind_with(entry: Node, fields: Sequence[str]) -> tuple[str, ...]:
    """The names that lead to an entry, without those that are data: the names of siblings that hold the same fields."""
    names = list(entry.names)
    node, below = entry, list[str]()
    for depth in range(len(names) - 1, -1, -1):
        siblings = node.parent.children[:MOST_ALIKE] if node.parent is not None else []
        alike = {one.name for one in siblings if one.name and _has(one, below, fields)}
        if names[depth] and len(alike) > 2:
            names[depth] = ""
        below.insert(0, node.name)
        node = node.parent or node
    return tuple(names)


def _has(node: Node, below: Sequence[str], fields: Sequence[str]) -> bool:
    """The node, or what is at some names below it, has all fields."""
    for name in below:
        found = node.child(name) if name else next(iter(node.children), None)
        if found is None:
            return False
        node = found
    return all(node.child(field) is not None for field in fields)


def _condition(gamebook: Gamebook, relation: Relation, first: Placed, second: Placed, entry: Node) -> Iterator[Part]:
    heads = [node.names[len(entry.names)] for _, node in (first, second)]
    base, taken = _entry_of(gamebook, first[0], entry, heads)
    names: list[str] = []
    for _, node in (first, second):
        place = print_kind(node.names[len(entry.names) :])
        name = next((one for one, there in taken.items() if there == place and _is_name(one)), "")
        if not name:
            name = _field_name(place, taken)
            yield Part((*base, "fields", name), {"path": place} if place != name else {})
        taken[name] = place
        names.append(name)
    sign = "==" if relation is Relation.EQUAL else "<="
    count = len(part_of(gamebook.data, (*base, "must")) or ())
    yield Part((*base, "must", count), {"condition": f"{names[0]} {sign} {names[1]}"})


def _field_name(place: str, taken: Collection[str]) -> str:
    """A name that a condition can use."""
    plain = _NO_NAME.sub("_", place.replace("@", "")).strip("_").lower() or "value"
    plain = plain if plain[0].isalpha() else f"field_{plain}"
    options = (plain, *(f"{plain}_{n}" for n in range(2, 1000)))
    return next(one for one in options if one not in taken and _is_name(one))


def _is_name(text: str) -> bool:
    """A condition takes it for a name; `from` and `and` are words of its own language."""
    try:
        return text in parse_expression(f"{text} <= 1").names
    except ExpressionInvalid:
        return False


def located(document: Document, address: str) -> Node:
    """The one node at the node part of an address. Raises EditRefused: there is none, or several."""
    found: Sequence[Node] = document.select(address)
    if len(found) != 1 or found[0].value is None:
        what = "several places are" if len(found) > 1 else "no single value is"
        raise EditRefused(f"{what.capitalize()} at {document.path}#{address}. Choose one field.")
    return found[0]
