"""Faults of a gamebook that no single part of it shows: lists that are not there, two rules with one id, circles."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence

from pydantic import ValidationError

from zerrit.core.addresses import FILE_ITSELF, Address, Segment, may_meet, parse_address
from zerrit.core.documents import Document, Finding
from zerrit.core.documents.codes import CODES
from zerrit.core.errors import AddressInvalid
from zerrit.core.expressions.address_templates import with_any
from zerrit.core.gamebooks.rule_list import placed_rules
from zerrit.core.gamebooks.schema import GamebookFile
from zerrit.core.gamebooks.source_lines import Location, finding_at, locate
from zerrit.core.nearest import did_you_mean
from zerrit.core.rules import DerivedRules, DrawRules, EntryRules, GuessRule
from zerrit.core.rules.loops import LoopRules
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
        yield from self._of_guesses()
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

    # --- the parts of a gamebook ----------------------------------------------------------------------------------

    def _of_ids(self) -> Iterator[Finding]:
        first: dict[str, Location] = {}
        for placed in placed_rules(self.rules):
            if not placed.says_something:
                continue  # a field that is only named, for a condition, may have a rule elsewhere
            if placed.id not in first:
                first[placed.id] = placed.location
                continue
            _, node = locate(self.document, first[placed.id])
            line = self.document.line_of(node)
            yield self._at(placed.location, f"the id `{placed.id}` is used by the rule in line {line} too.")

    def _of_entry(self, entry: EntryRules, base: Location, names: str) -> Iterator[Finding]:
        if names != FILE_ITSELF:
            yield from self._address(f"file#{names}", base)
        for name, one in entry.fields.items():
            yield from self._address(f"file#{one.path or name}", (*base, "fields", name))
            if isinstance(one.allowed, str):
                yield from self._list(one.allowed, (*base, "fields", name, "list"))
            if one.min is not None and one.max is not None and one.min > one.max:
                yield self._at((*base, "fields", name), f"the range from {one.min} to {one.max} has no number in it.")
        for number, must in enumerate(entry.must):
            for fault in must.unknown_names(entry.fields, "fields above"):
                yield self._at(
                    (*base, "must", number, *fault.key), fault.message, did_you_mean(fault.wrong, fault.known)
                )

    def _of_lists(self) -> Iterator[Finding]:
        for name, source in self.rules.lists.items():
            for address in source.source:
                yield from self._address(address, ("lists", name, "source"))
            if source.only_if is not None and not source.source:
                yield self._at(("lists", name, "only_if"), "`only_if` chooses among `source`, which is not given.")

    def _of_rules(self) -> Iterator[Finding]:
        for number, rule in self.rules.listed():
            at = (rule.part, number)
            for key, name in rule.lists():
                yield from self._list(name, (*at, *key))
            for key, text in rule.addresses():
                yield from self._address(text, (*at, *key))
            for key, place in rule.places():
                yield from self._places([place], (*at, *key))
            for fault in rule.faults():
                yield self._at((*at, *fault.key), fault.message, did_you_mean(fault.wrong, fault.known))
        for number, case in enumerate(self.rules.cases):
            for index, text in enumerate(case.finds):
                code = text.partition(" ")[0]
                if code not in CODES:
                    message = f"`{code}` is not the code of a finding."
                    yield self._at(("cases", number, "finds", index), message, did_you_mean(code, tuple(CODES)))
        for number, kept in enumerate(self.rules.keep):
            yield from self._address(kept.each, ("keep", number, "each"))
            if kept.fault:
                yield self._at(("keep", number), kept.fault)
        for number, loops in enumerate(self.rules.loops):
            yield from self._of_loops(loops, ("loops", number))
        for number, draw in enumerate(self.rules.draws):
            yield from self._address(draw.tables, ("draws", number, "tables"))
            yield from self._of_draw(draw, ("draws", number))
        for number, loaded in enumerate(self.rules.trouble.loaded):
            yield from self._list(loaded.list_name, ("trouble", "loaded", number, "list"))
        if self.rules.rehearse is not None and self.rules.rehearse.port_at:
            yield from self._address(self.rules.rehearse.port_at, ("rehearse", "port_at"))

    def _of_guesses(self) -> Iterator[Finding]:
        """Guesses that would not make a valid gamebook if they were accepted."""
        for number, guess in enumerate(self.rules.of(GuessRule)):
            data: object = guess.value if guess.add is None else [guess.add]
            for part in reversed(guess.at):
                data = {part: data}
            try:
                GamebookFile.model_validate({"gamebook": 1, "game": self.rules.game, **data})  # type: ignore[dict-item]
            except ValidationError as error:
                first = error.errors()[0]
                where = " / ".join(str(one) for one in first["loc"])
                is_unknown = first["type"] == "extra_forbidden"
                why = "there is no such key" if is_unknown else first["msg"].removeprefix("Value error, ")
                yield self._at(("guesses", number), f"this would not be a valid gamebook: {where}: {why}.")

    def _of_loops(self, loops: LoopRules, location: Location) -> Iterator[Finding]:
        known = tuple(rule.name for rule in self.rules.of(DerivedRules))
        for number, trade in enumerate(loops.trades):
            at = (*location, "trades", number)
            yield from self._address(trade.each, (*at, "each"))
            for key, message in trade.faults():
                yield self._at((*at, *key), message)
            for side, amounts in (("gives", trade.gives), ("gets", trade.gets)):
                for index, amount in enumerate(amounts):
                    if amount.price and amount.price not in known:
                        message = f"`{amount.price}` is not one of the derived values."
                        yield self._at((*at, side, index, "price"), message, did_you_mean(amount.price, known))
                    for text in amount.money:
                        if "#" in text:
                            yield from self._address(with_any(text), (*at, side, index, "money"))

    def _of_draw(self, draw: DrawRules, location: Location) -> Iterator[Finding]:
        for at, rules in draw.all_sets():
            for field, message in rules.faults():
                yield self._at((*location, *at, field), message)

    # --- circles --------------------------------------------------------------------------------------------------

    def _of_derived(self) -> Iterator[Finding]:
        """Values that are worked out from each other; a fallback that is no address is told here, too."""
        leads: dict[int, list[int]] = {}
        derived = self.rules.of(DerivedRules)
        values: list[Address | None] = []
        for number, rule in enumerate(derived):
            at = ("derived", number, "fallback")
            faults = [fault for address in rule.fallback for fault in self._address(with_any(address), at)]
            for key, text in rule.sources():
                if "#" in text:
                    yield from self._address(with_any(text), ("derived", number, key))
            yield from faults
            faults += self._address(rule.each, ("derived", number))
            faults += self._places([rule.value], ("derived", number))
            values.append(None if faults else parse_address(f"{rule.each}/{rule.value}"))
        for number, rule in enumerate(derived):
            if values[number] is not None:
                ways = [parse_address(with_any(address)) for address in rule.fallback]
                leads[number] = [
                    n
                    for n, value in enumerate(values)
                    if value is not None and any(_overlap(way, value) for way in ways)
                ]
        for number in _in_circles(leads):
            names = ", ".join(derived[other].name for other in leads[number])
            yield self._at(
                ("derived", number),
                f"`{derived[number].name}` is worked out from {names}, which leads back to it: a circle.",
            )


def _overlap(one: Address, other: Address) -> bool:
    """Both may lead to the same place."""
    same_file = path_matches(one.path, other.path) or path_matches(other.path, one.path)
    is_same_depth = len(one.segments) == len(other.segments)
    return (
        same_file
        and is_same_depth
        and may_meet(one.segments, other.segments)
        and not any(map(_choose_apart, one.segments, other.segments))
    )


def _choose_apart(one: Segment, other: Segment) -> bool:
    """Two segments ask the same field for other values, so no entry is meant by both."""
    return any(
        mine.operator == theirs.operator == "="
        and mine.place == theirs.place
        and all(value.is_plain for value in (*mine.values, *theirs.values))
        and not {value.text for value in mine.values} & {value.text for value in theirs.values}
        for mine in one.conditions
        for theirs in other.conditions
    )


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
