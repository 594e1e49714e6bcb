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
            yield self._at(location, f"`{text}` is a whole file; a place in it is meant, such as {text}#NAME.")

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
            yield self._at(placed.location, f"the id `{placed.id}` is borne by the rule in line {line} too.")

    def _of_entry(self, entry: EntryRules, base: Location, names: str) -> Iterator[Finding]:
        yield from self._address(f"file#{names}", base)
        for name, one in entry.fields.items():
            yield from self._address(f"file#{one.at or name}", (*base, "fields", name))
            if isinstance(one.within, str):
                yield from self._list(one.within, (*base, "fields", name, "in"))
            if one.least is not None and one.most is not None and one.least > one.most:
                yield self._at((*base, "fields", name), f"the range from {one.least} to {one.most} holds no number.")
        for number, must in enumerate(entry.must):
            for part, expression in (("that", must.that), ("when", must.when)):
                yield from self._names(expression, entry.fields, (*base, "must", number, part), "fields above")

    def _of_lists(self) -> Iterator[Finding]:
        for name, source in self.rules.lists.items():
            for address in source.source:
                yield from self._address(address, ("lists", name, "from"))
            if source.where is not None and not source.source:
                yield self._at(("lists", name, "where"), "`where` chooses among `from`, which is not given.")

    def _of_rules(self) -> Iterator[Finding]:
        rules = self.rules
        for number, refer in enumerate(rules.refers):
            yield from self._list(refer.to, ("refers", number, "to"))
            yield from self._address(refer.every, ("refers", number, "every"))
        yield from self._of_addresses("unique", [rule.over for rule in rules.unique], "over")
        for number, agree in enumerate(rules.agree):
            texts = [place for place in agree.places if isinstance(place, str)] + ([agree.every] if agree.every else [])
            yield from (fault for text in texts for fault in self._address(text, ("agree", number)))
        for number, same in enumerate(rules.same):
            for part, table in (("table", same.table), ("as", same.other)):
                yield from self._of_table(table, ("same", number, part))
        for number, must in enumerate(rules.must):
            yield from self._of_must(must, ("must", number))
        for number, need in enumerate(rules.needs):
            yield from self._address(need.each, ("needs", number, "each"))
            yield from self._list(need.among, ("needs", number, "among"))
            yield from self._list(need.off, ("needs", number, "off"))
        for number, one_of in enumerate(rules.one_of):
            yield from self._list(one_of.among, ("one_of", number, "among"))
        for number, present in enumerate(rules.present):
            yield from self._list(present.each, ("present", number, "for"))
        for number, file_name in enumerate(rules.file_names):
            yield from self._list(file_name.names, ("file_names", number, "names"))
        for number, near in enumerate(rules.near):
            if near.of_at and len(near.of_at) != len(near.at):
                yield self._at(("near", number), "`at` and `of_at` name different numbers of coordinates.")
            yield from self._places(near.at, ("near", number, "at"))
            yield from self._places(near.of_at, ("near", number, "of_at"))
            yield from self._places([near.by], ("near", number, "by"))
            yield from self._places([near.within] if isinstance(near.within, str) else [], ("near", number, "within"))
        for number, need in enumerate(rules.needs):
            yield from self._places([need.name, need.needs], ("needs", number))
        for number, alike in enumerate(rules.alike):
            yield from self._places(alike.fields, ("alike", number, "fields"))
        for number, draw in enumerate(rules.draws):
            yield from self._of_draw(draw, ("draws", number))
        for number, loaded in enumerate(rules.trouble.loaded):
            yield from self._list(loaded.expect, ("trouble", "loaded", number, "expect"))
        if rules.rehearse is not None and rules.rehearse.port_at:
            yield from self._address(rules.rehearse.port_at, ("rehearse", "port_at"))
        yield from self._of_addresses("in_use", [(rule.by,) for rule in rules.in_use], "by")
        yield from self._of_addresses("alike", [(rule.each,) for rule in rules.alike], "each")
        yield from self._of_addresses("near", [(rule.each, rule.of) for rule in rules.near], "")
        yield from self._of_addresses("balance", [(rule.sum,) for rule in rules.balance], "sum")
        yield from self._of_addresses("draws", [(rule.tables,) for rule in rules.draws], "tables")
        yield from self._of_addresses("look", [(rule.after,) for rule in rules.look], "after")
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
                yield from self._places([value.least, value.most], (*location, field))
        if isinstance(draw.repeats, str):
            yield from self._places([draw.repeats], (*location, "repeats"))

    def _of_must(self, must: MustRule, location: Location) -> Iterator[Finding]:
        for name, text in must.let.items():
            yield from self._address(text, (*location, "let", name))
        for part, expression in (("that", must.that), ("when", must.when)):
            yield from self._names(expression, must.let, (*location, part), "names under `let`")

    def _of_advice(self, advice: AdviceRule, location: Location) -> Iterator[Finding]:
        if not advice.every:
            yield self._at(location, "give `every`, the address of the values.")
            return
        yield from self._address(advice.every, (*location, "when"))
        yield from self._names(advice.when, ("value",), (*location, "when"), "names here; the value is called `value`")

    # --- circles --------------------------------------------------------------------------------------------------

    def _of_derived(self) -> Iterator[Finding]:
        leads: dict[int, list[int]] = {}
        values: list[Address | None] = []
        for number, rule in enumerate(self.rules.derived):
            faults = [
                *self._address(rule.each, ("derived", number, "each")),
                *(self._address(with_any(rule.otherwise), ("derived", number, "otherwise")) if rule.otherwise else ()),
            ]
            yield from faults
            values_at = [*self._places([rule.value], ("derived", number, "value"))]
            if rule.between is not None:
                values_at += self._places([rule.between.low, rule.between.high], ("derived", number, "between"))
            yield from values_at
            faults += values_at
            if bool(rule.sentinel) is not bool(rule.otherwise):
                yield self._at(("derived", number), "`sentinel` and `otherwise` go together.")
            values.append(None if faults else parse_address(f"{rule.each}/{rule.value}"))
        for number, rule in enumerate(self.rules.derived):
            if rule.otherwise and values[number] is not None:
                elsewhere = parse_address(with_any(rule.otherwise))
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
