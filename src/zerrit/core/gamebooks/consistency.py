"""Faults of a gamebook that no single part of it shows: lists that are not there, two rules with one id, circles."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence

from zerrit.core.addresses import Address, may_meet, parse_address
from zerrit.core.documents import Document, Finding
from zerrit.core.errors import AddressInvalid
from zerrit.core.gamebooks.address_templates import with_any
from zerrit.core.gamebooks.conditions import Expression
from zerrit.core.gamebooks.rule_list import placed_rules
from zerrit.core.gamebooks.rules import AdviceRule, DrawRules, EntryRules, MustRule, RangeAt, Table
from zerrit.core.gamebooks.schema import GamebookFile
from zerrit.core.gamebooks.source_lines import Location, finding_at, locate
from zerrit.core.nearest import did_you_mean
from zerrit.core.wildcards import path_matches


def faults_across(document: Document, rules: GamebookFile) -> list[Finding]:
    """All such faults, each at its place in the gamebook."""
    search = _Search(document, rules)
    return [*search.faults()]


class _Search:
    def __init__(self, document: Document, rules: GamebookFile) -> None:
        self.document = document
        self.rules = rules

    def faults(self) -> Iterator[Finding]:
        yield from self._of_ids()
        for path, file in self.rules.files.items():
            for names, entry in file.entries.items():
                yield from self._of_entry(entry, ("files", path, "entries", names), names)
        yield from self._of_lists()
        yield from self._of_rules()
        yield from self._of_derived()

    # --- small questions ------------------------------------------------------------------------------------------

    def _at(self, location: Location, message: str, hint: str = "") -> Finding:
        words, _ = locate(self.document, location)
        return finding_at(self.document, location, f"{words}: {message}", hint)

    def _list(self, name: str, location: Location) -> Iterator[Finding]:
        if name and name not in self.rules.lists:
            yield self._at(location, f"there is no list `{name}`.", did_you_mean(name, self.rules.lists))

    def _address(self, text: str, location: Location, *, needs_node: bool = True) -> Iterator[Finding]:
        try:
            address = parse_address(text)
        except AddressInvalid as error:
            yield self._at(location, str(error))
            return
        if address.server:
            yield self._at(location, f"`{text}` names a server; a gamebook speaks of the files of any server.")
        elif needs_node and not address.segments:
            yield self._at(location, f"`{text}` is a complete file; a place in it is meant, such as {text}#NAME.")

    def _places(self, texts: Iterable[str], location: Location) -> Iterator[Finding]:
        """Places below an entry, each at the same location."""
        for text in texts:
            if text:
                yield from self._address(f"file#{text}", location)

    def _names(
        self, expression: Expression | None, known: Iterable[str], location: Location, what: str
    ) -> Iterator[Finding]:
        names = list(known)
        for missing in sorted(expression.names - set(names)) if expression else ():
            yield self._at(location, f"`{missing}` is none of the {what}.", did_you_mean(missing, names))

    # --- the parts of a gamebook ----------------------------------------------------------------------------------

    def _of_ids(self) -> Iterator[Finding]:
        first: dict[str, Location] = {}
        for placed in placed_rules(self.rules):
            if placed.id not in first:
                first[placed.id] = placed.location
                continue
            _, node = locate(self.document, first[placed.id])
            line = self.document.line_of(node)
            yield self._at(placed.location, f"the id `{placed.id}` is used by the rule in line {line} too.")

    def _of_entry(self, entry: EntryRules, base: Location, names: str) -> Iterator[Finding]:
        yield from self._address(f"file#{names}", base)
        for name, one in entry.fields.items():
            yield from self._address(f"file#{one.path or name}", (*base, "fields", name))
            if isinstance(one.allowed, str):
                yield from self._list(one.allowed, (*base, "fields", name, "list"))
            if one.min is not None and one.max is not None and one.min > one.max:
                yield self._at((*base, "fields", name), f"the range from {one.min} to {one.max} has no number in it.")
        for number, must in enumerate(entry.must):
            for part, expression in (("condition", must.condition), ("only_if", must.only_if)):
                yield from self._names(expression, entry.fields, (*base, "must", number, part), "fields above")

    def _of_lists(self) -> Iterator[Finding]:
        for name, source in self.rules.lists.items():
            for address in source.source:
                yield from self._address(address, ("lists", name, "source"))
            if source.only_if is not None and not source.source:
                yield self._at(("lists", name, "only_if"), "`only_if` chooses among `source`, which is not given.")

    def _of_rules(self) -> Iterator[Finding]:  # noqa: C901, PLR0912  # a table of cases
        rules = self.rules
        for number, refer in enumerate(rules.refers):
            yield from self._list(refer.list_name, ("refers", number, "list"))
            yield from self._address(refer.every, ("refers", number, "every"))
        yield from self._of_addresses("unique", [rule.over for rule in rules.unique], "over")
        for number, agree in enumerate(rules.agree):
            texts = [place for place in agree.sources if isinstance(place, str)] + (
                [agree.every] if agree.every else []
            )
            yield from (fault for text in texts for fault in self._address(text, ("agree", number)))
        for number, same in enumerate(rules.same_values):
            for part, table in (("table", same.table), ("other", same.other)):
                yield from self._of_table(table, ("same_values", number, part))
        for number, must in enumerate(rules.must):
            yield from self._of_must(must, ("must", number))
        for number, need in enumerate(rules.needs):
            yield from self._address(need.each, ("needs", number, "each"))
            yield from self._list(need.list_name, ("needs", number, "list"))
            yield from self._list(need.off_list, ("needs", number, "off_list"))
        for number, one_of in enumerate(rules.one_of):
            yield from self._list(one_of.list_name, ("one_of", number, "list"))
        for number, present in enumerate(rules.present):
            yield from self._list(present.list_name, ("present", number, "list"))
        for number, file_name in enumerate(rules.file_names):
            yield from self._list(file_name.list_name, ("file_names", number, "list"))
        for number, near in enumerate(rules.near):
            if near.target_coordinates and len(near.target_coordinates) != len(near.coordinates):
                yield self._at(
                    ("near", number), "`coordinates` and `target_coordinates` name different numbers of coordinates."
                )
            yield from self._places(near.coordinates, ("near", number, "coordinates"))
            yield from self._places(near.target_coordinates, ("near", number, "target_coordinates"))
            yield from self._places([near.target_field], ("near", number, "target_field"))
            yield from self._places(
                [near.distance] if isinstance(near.distance, str) else [], ("near", number, "distance")
            )
        for number, need in enumerate(rules.needs):
            yield from self._places([need.name, need.requires], ("needs", number))
        for number, alike in enumerate(rules.alike):
            yield from self._places(alike.fields, ("alike", number, "fields"))
        for number, draw in enumerate(rules.draws):
            yield from self._of_draw(draw, ("draws", number))
        for number, loaded in enumerate(rules.trouble.loaded):
            yield from self._list(loaded.list_name, ("trouble", "loaded", number, "list"))
        if rules.rehearse is not None and rules.rehearse.port_at:
            yield from self._address(rules.rehearse.port_at, ("rehearse", "port_at"))
        yield from self._of_addresses("in_use", [(rule.value,) for rule in rules.in_use], "value")
        yield from self._of_addresses("alike", [(rule.each,) for rule in rules.alike], "each")
        yield from self._of_addresses("near", [(rule.each, rule.target) for rule in rules.near], "")
        yield from self._of_addresses("balance", [(rule.sum,) for rule in rules.balance], "sum")
        yield from self._of_addresses("draws", [(rule.tables,) for rule in rules.draws], "tables")
        yield from self._of_addresses("checklist", [(rule.after,) for rule in rules.checklist], "after")
        for number, advice in enumerate(rules.advice):
            yield from self._of_advice(advice, ("advice", number))

    def _of_addresses(self, part: str, texts: Sequence[Sequence[str]], field: str) -> Iterator[Finding]:
        for number, listed in enumerate(texts):
            for text in listed:
                yield from self._address(text, (part, number, field) if field else (part, number))

    def _of_table(self, table: Table, location: Location) -> Iterator[Finding]:
        if table.each:
            yield from self._address(table.each, (*location, "each"))
            yield from self._places([table.key], (*location, "key"))
            yield from self._places([table.value], (*location, "value"))

    def _of_draw(self, draw: DrawRules, location: Location) -> Iterator[Finding]:
        for field in ("prizes", "weight", "thing", "table", "variant", "variant_chance"):
            yield from self._places([getattr(draw, field)], (*location, field))
        for field in ("takes", "counts"):
            value = getattr(draw, field)
            if isinstance(value, RangeAt):
                yield from self._places([value.min, value.max], (*location, field))
        if isinstance(draw.repeats, str):
            yield from self._places([draw.repeats], (*location, "repeats"))

    def _of_must(self, must: MustRule, location: Location) -> Iterator[Finding]:
        for name, text in must.let.items():
            yield from self._address(text, (*location, "let", name))
        for part, expression in (("condition", must.condition), ("only_if", must.only_if)):
            yield from self._names(expression, must.let, (*location, part), "names under `let`")

    def _of_advice(self, advice: AdviceRule, location: Location) -> Iterator[Finding]:
        if not advice.every:
            yield self._at(location, "give `every`, the address of the values.")
            return
        yield from self._address(advice.every, (*location, "condition"))
        yield from self._names(
            advice.condition, ("value",), (*location, "condition"), "names here; the value is called `value`"
        )

    # --- circles --------------------------------------------------------------------------------------------------

    def _of_derived(self) -> Iterator[Finding]:
        leads: dict[int, list[int]] = {}
        values: list[Address | None] = []
        for number, rule in enumerate(self.rules.derived):
            faults = [
                *self._address(rule.each, ("derived", number, "each")),
                *(self._address(with_any(rule.fallback), ("derived", number, "fallback")) if rule.fallback else ()),
            ]
            yield from faults
            values_at = [*self._places([rule.value], ("derived", number, "value"))]
            if rule.between is not None:
                values_at += self._places([rule.between.low, rule.between.high], ("derived", number, "between"))
            yield from values_at
            faults += values_at
            if bool(rule.sentinel) is not bool(rule.fallback):
                yield self._at(("derived", number), "`sentinel` and `fallback` go together.")
            values.append(None if faults else parse_address(f"{rule.each}/{rule.value}"))
        for number, rule in enumerate(self.rules.derived):
            if rule.fallback and values[number] is not None:
                elsewhere = parse_address(with_any(rule.fallback))
                leads[number] = [
                    n for n, value in enumerate(values) if value is not None and _overlap(elsewhere, value)
                ]
        for number in _in_circles(leads):
            names = ", ".join(self.rules.derived[other].name for other in leads[number])
            yield self._at(
                ("derived", number),
                f"`{self.rules.derived[number].name}` is worked out from {names}, which leads back to it: a circle.",
            )


def _overlap(one: Address, other: Address) -> bool:
    """Both may lead to the same place."""
    same_file = path_matches(one.path, other.path) or path_matches(other.path, one.path)
    return same_file and len(one.segments) == len(other.segments) and may_meet(one.segments, other.segments)


def _in_circles(leads: Mapping[int, Sequence[int]]) -> list[int]:
    """The numbers from which a way leads back to themselves."""

    def leads_back(start: int) -> bool:
        seen: set[int] = set()
        stack = list(leads.get(start, ()))
        while stack:
            number = stack.pop()
            if number == start:
                return True
            if number not in seen:
                seen.add(number)
                stack.extend(leads.get(number, ()))
        return False

    return [number for number in leads if leads_back(number)]
