"""Draw tables out of a game's files, as its gamebook describes them."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from fractions import Fraction
from typing import Final

from zerrit.core.addresses import parse_node_address
from zerrit.core.documents.document import Document
from zerrit.core.documents.file_selection import below, values_at
from zerrit.core.documents.measures import Measure, measured
from zerrit.core.documents.node import Node
from zerrit.core.documents.scalars import as_number, as_switch
from zerrit.core.documents.selection import select
from zerrit.core.errors import FigureRefused
from zerrit.core.figures.odds import Chance, Prize, Range, Table, odds, reached
from zerrit.core.gamebooks import Gamebook
from zerrit.core.rules import DrawRules, RangeAt, SetRules
from zerrit.core.rules.draws import ALL, OWN_NAME, OWN_VALUE, prize_nodes

MAX_SETS: Final = 40  # sets in sets


@dataclass(slots=True)
class DrawTables:
    """The draw tables of a game in one case. `outer` are those that no other leads to: what a player opens.

    `cases` are all words that decide whether a prize is there; `case` the one that holds, empty for none of them. `missing` are
    addresses at which the gamebook looks for tables, and none is.
    """

    tables: dict[str, Table] = field(default_factory=dict)
    outer: list[str] = field(default_factory=list)
    cases: dict[str, None] = field(default_factory=dict)
    case: str = ""
    missing: tuple[str, ...] = ()
    conditional: set[str] = field(default_factory=set)  #: addresses of tables that hold a prize which depends on a case
    met: int = 0  #: words of cases that were read

    def depends(self, name: str) -> bool:
        """Whether anything that a table brings depends on a case."""
        return any(table.address in self.conditional for table in reached(self.tables, name))


def read_tables(gamebook: Gamebook, documents: Mapping[str, Document], case: str = "") -> DrawTables:
    """All draw tables by their names. One that has no name of its own is called by its address.

    Raises FigureRefused: a table cannot be read, or a prize leads to a name that several have; the message names the place.
    """
    found = DrawTables(case=case)
    named: dict[str, list[Table]] = {}
    for rules in gamebook.rules.draws:
        nodes = list(values_at(rules.tables, documents))
        if not nodes:
            found.missing = (*found.missing, rules.tables)
        for document, node in nodes:
            reader = _Reader(document, rules, found)
            table = reader.table(node, rules)
            named.setdefault(table.name, []).append(table)
    for name, several in named.items():
        for table in several:
            known = name if len(several) == 1 and name not in found.tables else table.address
            found.tables[known] = replace(table, name=known)
    led_to = {prize.table: (table, prize) for table in found.tables.values() for prize in table.prizes if prize.table}
    for name, (table, prize) in led_to.items():
        if len(named.get(name, ())) > 1:
            places = ", ".join(one.address for one in named[name][:3])
            raise FigureRefused(
                f"{prize.address or table.address} leads to {name}, and several tables are called so: {places}."
            )
    found.outer = [name for name in found.tables if name not in led_to]
    return found


def odds_by_table(
    gamebook: Gamebook, documents: Mapping[str, Document], name: str = "", case: str | None = None
) -> dict[str, list[Chance]]:
    """The odds of one table, or of each that a player opens; where there are cases, in each of them.

    Raises FigureRefused: the gamebook describes no draw tables, there is none of that name, or one cannot be read.
    """
    return {titled(one, given): odds(given.tables, one) for one, given in opened(gamebook, documents, name, case)}


def opened(
    gamebook: Gamebook, documents: Mapping[str, Document], name: str = "", case: str | None = None
) -> list[tuple[str, DrawTables]]:
    """The one table, or each that a player opens; one that depends on a case, in each of them.

    Raises FigureRefused.
    """
    found: list[tuple[str, DrawTables]] = []
    for number, given in enumerate(tables_by_case(gamebook, documents, case)):
        names = [name] if name else given.outer
        found += [(one, given) for one in names if number == 0 or given.depends(one)]
    return found


def tables_by_case(gamebook: Gamebook, documents: Mapping[str, Document], case: str | None = None) -> list[DrawTables]:
    """The draw tables in one case, or in each that the files know, and in none of them.

    Raises FigureRefused.
    """
    if not gamebook.rules.draws:
        raise FigureRefused("The gamebook describes no draw tables. Its part `draws` says where they are.")
    first = read_tables(gamebook, documents, case or "")
    if not first.tables:
        places = ", ".join(rules.tables for rules in gamebook.rules.draws)
        raise FigureRefused(f"No draw table is at {places}.")
    if case and case not in first.cases:
        known = ", ".join(first.cases) or "none"
        raise FigureRefused(f"No prize depends on {case}. The cases in the files are: {known}.")
    if case is not None:
        return [first]
    return [first, *(read_tables(gamebook, documents, one) for one in first.cases)]


def titled(name: str, tables: DrawTables) -> str:
    """What a table is called in one case."""
    return f"{name}, {tables.case or 'in no case'}" if tables.depends(name) else name


def table_nodes(gamebook: Gamebook, document: Document) -> Iterator[tuple[DrawRules, Node]]:
    """Where in a file its draw tables are."""
    for rules in gamebook.rules.draws:
        for _, node in values_at(rules.tables, {document.path: document}):
            yield rules, node


def name_of_table(document: Document, node: Node, rules: DrawRules) -> str:
    """What a table is called in its file."""
    if rules.called:
        found = below(node, rules.called) or below(node, f"@{rules.called}")
        return (found.value if found is not None else "") or _address(document, node)
    return document.keys.key_of(node) or node.name or _address(document, node)


def prize_at(document: Document, table: Node, node: Node, rules: DrawRules) -> Prize | None:
    """The prize of a table that a node is, or is in; None where it is in none. Raises FigureRefused: it cannot be read."""
    by_address: dict[str, Prize] = {}
    reader = _Reader(document, rules, DrawTables())
    top = reader.table(table, rules)
    for one in (*reader.found.tables.values(), top):
        by_address |= {prize.address: prize for prize in one.prizes}
    at: Node | None = node
    while at is not None and at is not table:
        prize = by_address.get(_address(document, at))
        if prize is not None:
            return prize
        at = at.parent
    return None


class _Reader:
    """Reads a table of a file with the sets in it, which become tables of their own."""

    def __init__(self, document: Document, rules: DrawRules, found: DrawTables) -> None:
        self.document = document
        self.rules = rules
        self.found = found

    def table(self, node: Node, rules: SetRules, depth: int = 0) -> Table:
        if depth > MAX_SETS:
            raise FigureRefused(f"{_place(self.document, node)}: the sets nest deeper than {MAX_SETS} levels.")
        address = _address(self.document, node)
        name = name_of_table(self.document, node, self.rules) if depth == 0 else address
        takes_all, draws = self._draws(node, rules)
        met = self.found.met
        prizes = tuple(self._parallel(node, rules) if rules.parallel else self._prizes(node, rules, depth))
        if self.found.met > met:
            self.found.conditional.add(address)
        return Table(name, draws, prizes, self._repeats(node, rules), takes_all, address)

    # --- prizes ---------------------------------------------------------------------------------------------------

    def _prizes(self, node: Node, rules: SetRules, depth: int) -> Iterator[Prize]:
        for child in prize_nodes(self.document, node, rules):
            prize = self._prize(child, rules, depth)
            if prize is not None:
                yield prize

    def _prize(self, node: Node, rules: SetRules, depth: int) -> Prize | None:
        if not self._is_there(node, rules):
            return None
        thing, table = (self._text(node, place) for place in (rules.thing, rules.table))
        before, _, after = rules.nested.partition("{}")
        if rules.nested and thing.startswith(before) and thing.endswith(after) and len(thing) > len(before + after):
            thing, table = "", thing[len(before) : len(thing) - len(after)]
        inner = rules.below()
        if not thing and not table and inner is not None and self._has_prizes(node, inner):
            inside = self.table(node, inner, depth + 1)
            self.found.tables[inside.name] = inside
            table = inside.name
        if bool(thing) is bool(table):
            wanted = " or ".join(place for place in (rules.thing, rules.table) if place)
            what = "says both what it brings and which table it leads to" if thing else "does not say what it brings"
            raise FigureRefused(f"{_place(self.document, node)} {what} ({wanted or 'it holds no set'}).")
        variant = self._text(node, rules.variant)
        return Prize(
            self._number(node, rules.weight, Fraction(1)),
            thing,
            table,
            self._range(node, rules.counts),
            variant,
            self._share(node, rules.variant_chance, rules, Fraction()) if variant else Fraction(),
            rules.variant_beside,
            self._share(node, rules.chance, rules, Fraction(1)),
            self._quality(node, rules) if not table else None,
            _address(self.document, node),
            self._written_at(node, rules.weight),
            self._written_at(node, rules.chance),
        )

    def _has_prizes(self, node: Node, rules: SetRules) -> bool:
        try:
            return bool(prize_nodes(self.document, node, rules))
        except FigureRefused:
            return False

    def _is_there(self, node: Node, rules: SetRules) -> bool:
        """Whether a prize is there in the case that holds."""
        if not rules.when:
            return True
        place = below(node, rules.when) or below(node, f"@{rules.when}")
        if place is None:
            return True
        return self._fits_case([place.value] if place.value is not None else [child.value for child in place.children])

    def _fits_case(self, texts: Sequence[str | None]) -> bool:
        words = [word.strip() for text in texts if text for word in text.split(",") if word.strip()]
        self.found.met += len(words)
        self.found.cases |= dict.fromkeys(word.removeprefix("!") for word in words)
        fitting = [word for word in words if not word.startswith("!")]
        return f"!{self.found.case}" not in words and (not fitting or self.found.case in fitting)

    def _parallel(self, node: Node, rules: SetRules) -> Iterator[Prize]:
        """Prizes whose things, weights and so on are in lists beside each other."""
        places = [rules.thing, rules.table, rules.weight, rules.chance, rules.variant, rules.variant_chance, rules.when]
        for given in (rules.counts, rules.quality):
            places += [given.min, given.max] if isinstance(given, RangeAt) else []
        given_lists = {place: self._list(node, place) for place in dict.fromkeys(places) if place}
        lists = {place: found for place, found in given_lists.items() if found is not None}
        main = rules.thing if rules.thing in lists else rules.table
        if main not in lists:
            raise FigureRefused(f"{_place(self.document, node)} has no list {rules.thing or rules.table}.")
        for place, found in lists.items():
            if len(found) != len(lists[main]):
                raise FigureRefused(
                    f"{_place(self.document, node)}: {main} has {len(lists[main])} values and {place} has {len(found)}; "
                    "they belong together one by one."
                )
        for number in range(len(lists[main])):
            line = _Line(self, {place: found[number] for place, found in lists.items()})
            prize = line.prize(rules)
            if prize is not None:
                yield prize

    def _list(self, node: Node, place: str) -> list[Node] | None:
        found = below(node, place)
        if found is None:
            return None
        values = [child for child in found.children if child.value is not None]
        if not values and found.value is not None:
            raise FigureRefused(f"{_place(self.document, found)} is one value and not a list.")
        return values

    # --- values ---------------------------------------------------------------------------------------------------

    def _draws(self, node: Node, rules: SetRules) -> tuple[bool, Range]:
        takes = rules.takes
        if takes == ALL:
            return True, Range()
        if isinstance(takes, int):
            return False, Range(takes, takes)
        at = takes if isinstance(takes, RangeAt) else RangeAt(min=takes)
        if rules.takes_all and self._text(node, at.min) == rules.takes_all:
            return True, Range()
        drawn = self._range(node, at)
        if not drawn.is_whole:
            raise FigureRefused(f"{_place(self.document, node)}: {at.min} should be a whole number of draws.")
        return False, drawn

    def _repeats(self, node: Node, rules: SetRules) -> bool:
        if isinstance(rules.repeats, bool):
            return rules.repeats
        place = rules.repeats.removeprefix("!")
        is_opposite = place != rules.repeats
        text = self._text(node, place)
        if not text:
            return True
        answer = as_switch(text)
        if answer is None:
            raise FigureRefused(f"{_place(self.document, node)}: {place} is `{text}`, which is neither yes nor no.")
        return answer is not is_opposite

    def _range(self, node: Node, at: int | RangeAt) -> Range:
        if isinstance(at, int):
            return Range(at, at)
        ranged = measured(self._text(node, at.min), Measure.RANGE) if not at.max else None
        if ranged is not None:
            least, most = Fraction(ranged.low), Fraction(ranged.high)
        else:
            least = self._number(node, at.min, Fraction(1))
            most = self._number(node, at.max, least)
        if most < least:
            raise FigureRefused(
                f"{_place(self.document, node)}: {at.min} is {_shown(least)}, above {at.max or 'its other end'} ({_shown(most)})."
            )
        whole = least.denominator == most.denominator == 1
        return Range(int(least), int(most)) if whole else Range(least, most)

    def _quality(self, node: Node, rules: SetRules) -> Range | None:
        if rules.quality is None or not self._text(node, rules.quality.min):
            return None
        return self._range(node, rules.quality)

    def _share(self, node: Node, place: str, rules: SetRules, otherwise: Fraction) -> Fraction:
        """A chance: what is written in per cent is one already, all else is of the number that means certain."""
        text = self._text(node, place)
        if not text:
            return otherwise
        number = self._number(node, place, otherwise)
        return number if text.rstrip().endswith("%") else number / Fraction(rules.chance_of)

    def _number(self, node: Node, place: str, otherwise: Fraction) -> Fraction:
        text = self._text(node, place)
        if not text:
            return otherwise
        is_share = text.endswith("%")
        number = as_number(text.removesuffix("%"))
        if number is None:
            raise FigureRefused(f"{_place(self.document, node)}: {place} is `{text}`, which is not a number.")
        return Fraction(number) / (100 if is_share else 1)

    def _text(self, node: Node, place: str) -> str:
        found = self.at(node, place)
        if place == OWN_NAME:
            return self.document.keys.key_of(node) or node.name.removeprefix("@")
        return found.value or "" if found is not None else ""

    def _written_at(self, node: Node, place: str) -> str:
        found = self.at(node, place)
        return _address(self.document, found) if found is not None and found.value is not None else ""

    def at(self, node: Node, place: str) -> Node | None:
        """The node at a place of a table, set or prize; an attribute is found with or without its @."""
        if not place or place == OWN_NAME:
            return None
        if place == OWN_VALUE:
            return node
        found = below(node, place) or below(node, f"@{place}")
        if found is None and "[" in place:
            found = next(iter(select(node, self.document.keys, parse_node_address(place))), None)
        return found


class _Line(_Reader):
    """One number of parallel lists, read as a prize."""

    def __init__(self, reader: _Reader, nodes: Mapping[str, Node]) -> None:
        super().__init__(reader.document, reader.rules, reader.found)
        self.nodes = nodes

    def prize(self, rules: SetRules) -> Prize | None:
        main = self.nodes.get(rules.thing) or self.nodes[rules.table]
        case = self.nodes.get(rules.when)
        if case is not None and not self._fits_case([case.value]):
            return None
        return self._prize(main, rules.model_copy(update={"when": ""}), 0)

    def at(self, node: Node, place: str) -> Node | None:
        return self.nodes.get(place)


def _shown(number: Fraction) -> str:
    return str(int(number)) if number.denominator == 1 else f"{float(number):g}"


def _address(document: Document, node: Node) -> str:
    return f"{document.path}#{document.keys.address_of(node)}"


def _place(document: Document, node: Node) -> str:
    return f"{_address(document, node)} (line {document.line_of(node)})"
