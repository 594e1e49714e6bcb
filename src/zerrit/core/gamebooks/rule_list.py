"""All rules of a gamebook in one list, each with an id and its place."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from zerrit.core.addresses import place_in_kind
from zerrit.core.gamebooks.schema import GamebookFile
from zerrit.core.gamebooks.source_lines import Location
from zerrit.core.rules import FieldRules, Rule


@dataclass(frozen=True, slots=True)
class PlacedRule:
    """A rule with its id, the part of the gamebook that it is in, and its place there."""

    id: str
    part: str  #: `field`, `closed`, `must`, `refers` …
    rule: Rule
    location: Location

    @property
    def says_something(self) -> bool:
        """It limits something; a field that is only named does not."""
        rule = self.rule
        if not isinstance(rule, FieldRules):
            return True
        limits = (rule.kind, rule.allowed, rule.matches, rule.min, rule.max, rule.default)
        return any(limit not in (None, "") for limit in limits) or rule.always or bool(rule.usual)


def placed_rules(rules: GamebookFile) -> Iterator[PlacedRule]:
    """Every rule of a gamebook file, each with its own id or, by default, the name of its place."""
    for path, file in rules.files.items():
        if file.closed is not None:
            yield PlacedRule(file.closed.id or f"{path} closed", "closed", file.closed, ("files", path, "closed"))
        for names, entry in file.entries.items():
            base = ("files", path, "entries", names)
            if entry.closed is not None:
                identity = entry.closed.id or f"{path}#{names} closed"
                yield PlacedRule(identity, "closed", entry.closed, (*base, "closed"))
            for name, one in entry.fields.items():
                yield PlacedRule(
                    one.id or f"{path}#{place_in_kind(names, one.path or name)}", "field", one, (*base, "fields", name)
                )
            for number, must in enumerate(entry.must):
                identity = must.id or f"{path}#{names} must {number + 1}"
                yield PlacedRule(identity, "must", must, (*base, "must", number))
    for number, rule in rules.listed():
        yield PlacedRule(rule.id or f"{rule.part} {rule.title or number + 1}", rule.part, rule, (rule.part, number))
