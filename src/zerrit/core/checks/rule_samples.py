"""What a rule speaks of, by example: some places with their values, so that a person sees what it is about."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

from zerrit.core.addresses import FILE_ITSELF, parse_address, place_in_kind
from zerrit.core.checks.checker import Checked
from zerrit.core.errors import AddressInvalid
from zerrit.core.examination.check_context import Examination, Unknown
from zerrit.core.gamebooks import PlacedRule
from zerrit.core.rules import FieldRules, ListedRule, MustRule, ReferRule, Rule

MOST_SAMPLES: Final = 5
MOST_LOOKED_AT: Final = 2000  #: places of one address; the values after that hardly differ


@dataclass(frozen=True, slots=True)
class Sample:
    """A value at a place, and how many places of the rule have the same one. `line` is 1-based."""

    address: str
    line: int
    value: str
    count: int


def samples_of(checked: Checked, placed: PlacedRule) -> tuple[Sample, ...]:
    """Values at the places of a rule, the most frequent first; empty where it speaks of none."""
    if checked.examination is None:
        return ()
    found: list[Sample] = []
    for address in _addresses(placed):
        found += _at(checked.examination, address, placed.rule)
        if len(found) >= MOST_SAMPLES:
            break
    return tuple(found[:MOST_SAMPLES])


def _addresses(placed: PlacedRule) -> list[str]:
    rule, location = placed.rule, placed.location
    if isinstance(rule, FieldRules):
        return [f"{location[1]}#{place_in_kind(str(location[3]), rule.path or str(location[-1]))}"]
    if isinstance(rule, MustRule) and location[0] == "files":
        return [str(location[1]) if location[3] == FILE_ITSELF else f"{location[1]}#{location[3]}"]
    return [named.text for named in rule.addresses()] if isinstance(rule, ListedRule) else []


def _at(examination: Examination, address: str, rule: Rule) -> list[Sample]:
    by_value: dict[str, Sample] = {}
    try:
        documents = examination.matching(parse_address(address).path)
    except (Unknown, AddressInvalid):
        return []
    for document in documents:
        for node in examination.nodes_in(document, address)[:MOST_LOOKED_AT]:
            is_name = node.value is None or (isinstance(rule, ReferRule) and rule.take == "name")
            value = document.keys.key_of(node) or node.name.removeprefix("@") if is_name else node.value or ""
            known = by_value.get(value)
            line = document.line_of(node)
            by_value[value] = (
                Sample(known.address, known.line, value, known.count + 1)
                if known is not None
                else Sample(examination.address(document, node), line, value, 1)
            )
    return sorted(by_value.values(), key=lambda one: -one.count)
