"""Checks within one file: its fields, the conditions between them, and names that nobody knows."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from decimal import Decimal

from zerrit.core.checks.examination import Examination, Unknown, listed
from zerrit.core.documents import Document, Finding, Format, Node
from zerrit.core.documents.node import fields_of
from zerrit.core.documents.scalars import as_number, as_switch
from zerrit.core.gamebooks import (
    EntryRules,
    ExpressionInvalid,
    FieldRules,
    FileRules,
    MustRule,
    NotApplicable,
    Rule,
    compile_pattern,
    kind_of,
)
from zerrit.core.nearest import did_you_mean, nearest


def check_files(examination: Examination) -> Iterator[Finding]:
    """Everything that the rules of a file say of the file alone."""
    for path, document in examination.documents.items():
        rules = examination.gamebook.file(path)
        if rules is None or not document.ok:
            continue
        words = tuple(_words(examination, name) for name in _lists_of(rules))
        yield from examination.findings_of(("file", path), (document, *words), _check_file, document, rules)


def _lists_of(rules: FileRules) -> list[str]:
    fields = (one for entry in rules.entries.values() for one in entry.fields.values())
    return sorted({one.within for one in fields if isinstance(one.within, str)})


def _words(examination: Examination, name: str) -> tuple[str, ...] | None:
    try:
        return examination.words(name)
    except Unknown:
        return None


def _check_file(examination: Examination, document: Document, rules: FileRules) -> Iterator[Finding]:
    for names, entry in rules.entries.items():
        nodes = document.select(names)
        if not nodes:
            continue
        is_closed = rules.closed is not None or entry.closed is not None
        columns = {name: _Column(document, nodes, one.at or name) for name, one in entry.fields.items()}
        for name, one in entry.fields.items():
            yield from _check_column(examination, document, nodes, columns[name], name, one, entry, is_closed)
        for number, must in enumerate(entry.must):
            yield from _check_must(examination, document, nodes, columns, must, number)
    yield from _check_names(examination, document, rules)


# --- fields -----------------------------------------------------------------------------------------------------------


class _Column:
    """The values of one field in many entries.

    Where an entry can have the field only once, its values are read without making nodes for it; those are made for
    the entries that something is wrong with.
    """

    def __init__(self, document: Document, nodes: Sequence[Node], place: str) -> None:
        self._nodes = nodes
        self._place = place
        is_single = "/" not in place and place != "*"
        self.is_single = is_single and (place.startswith("@") or document.format in (Format.JSON, Format.YAML))
        self._values: Sequence[str | None] = fields_of(nodes, place) if self.is_single else ()
        self._groups: list[list[Node]] = [] if self.is_single else [_below(node, place) for node in nodes]

    def values(self, index: int) -> Sequence[str]:
        """The values of the field in the entry with this number."""
        if self.is_single:
            value = self._values[index]
            return () if value is None else (value,)
        return [node.value or "" for node in self._groups[index]]

    def nodes(self, index: int) -> list[Node]:
        return _below(self._nodes[index], self._place) if self.is_single else self._groups[index]

    def __iter__(self) -> Iterator[tuple[int, int, str]]:
        """Number of the entry, number of the value in it, value."""
        if self.is_single:
            for index, value in enumerate(self._values):
                if value is not None:
                    yield index, 0, value
            return
        for index, group in enumerate(self._groups):
            for number, node in enumerate(group):
                yield index, number, node.value or ""

    def absent(self) -> Iterator[int]:
        """The numbers of entries that do not have it."""
        holders: Sequence[object] = [None if v is None else v for v in self._values] if self.is_single else self._groups
        if self.is_single:
            yield from (
                i for i, value in enumerate(holders) if value is None and self._nodes[i].child(self._place) is None
            )
        else:
            yield from (i for i, group in enumerate(holders) if not group)


def _below(node: Node, place: str) -> list[Node]:
    nodes = [node]
    for name in place.split("/"):
        nodes = [child for parent in nodes for child in parent.children if name in ("*", child.name)]
    return [found for found in nodes if found.value is not None]


def _check_column(
    examination: Examination,
    document: Document,
    nodes: Sequence[Node],
    column: _Column,
    name: str,
    rules: FieldRules,
    entry: EntryRules,
    is_closed: bool,
) -> Iterator[Finding]:
    known_names = {(one.at or field).partition("/")[0] for field, one in entry.fields.items()} | {entry.key}
    words: Sequence[str] | None = None
    if isinstance(rules.within, tuple):
        words = rules.within
    elif rules.within:
        words = _words(examination, rules.within)
    known = frozenset(words) if words is not None else None
    good: set[str] = set()
    for index, number, value in column:
        if value in good:
            continue
        faults = list(_faults(value, name, rules))
        if known is not None and value not in known:
            faults.insert(0, ("meaning.unknown-name", ""))
        if not faults:
            good.add(value)
            continue
        place = (document, column.nodes(index)[number])
        fields = {name: (value,), "value": (value,)}
        for code, message in faults:
            if code == "meaning.unknown-name" and words is not None:
                list_name = rules.within if isinstance(rules.within, str) else ""
                yield examination.unknown_word(rules, place, list_name, words, fields)
            else:
                yield examination.finding(rules, code, place, message, fields=fields)
    if rules.always:
        for index in column.absent():
            wanted = _last(rules.at or name)
            strangers = [
                child.name.removeprefix("@") for child in nodes[index].children if child.name not in known_names
            ]
            meant = nearest(wanted, strangers, most=1)
            if meant and is_closed:
                continue  # the misspelt name is reported as what it is, and one finding is enough
            message = f"`{wanted}` is missing here; all others of its kind have it."
            hint = f"Is `{meant[0]}` meant?" if meant else ""
            yield examination.finding(rules, "meaning.missing-field", (document, nodes[index]), message, hint)


def _last(place: str) -> str:
    return place.rpartition("/")[2].removeprefix("@")


def _faults(value: str, name: str, rules: FieldRules) -> Iterator[tuple[str, str]]:
    """What is wrong with one value, as codes and messages."""
    if rules.kind == "switch" and as_switch(value) is None:
        yield "meaning.type", f"{name} is a switch (yes or no), but `{value}` stands here."
    number = as_number(value)
    is_number = rules.kind in ("integer", "number") or rules.least is not None or rules.most is not None
    if is_number and number is None:
        yield "meaning.type", f"{name} is a number, but `{value}` stands here."
    elif number is not None and is_number:
        if rules.kind == "integer" and number != number.to_integral_value():
            yield "meaning.type", f"{name} is a whole number, but {value} stands here."
        low, high = rules.least, rules.most
        if (low is not None and number < low) or (high is not None and number > high):
            yield "meaning.range", f"{name} is {value}; it must be {_range(low, high)}."
    if rules.matches and not compile_pattern(rules.matches).fullmatch(value):
        form = rules.form or f"the form {rules.matches}"
        yield "meaning.form", f"{name} is `{value}`; it must be {form}."


def _range(low: Decimal | None, high: Decimal | None) -> str:
    if low is not None and high is not None:
        return f"from {low:f} to {high:f}"
    return f"at least {low:f}" if low is not None else f"at most {high:f}"


# --- conditions -------------------------------------------------------------------------------------------------------


class _Row:
    """The fields of one entry, out of the columns."""

    def __init__(self, columns: Mapping[str, _Column], index: int) -> None:
        self._columns = columns
        self._index = index

    def get(self, name: str, otherwise: Sequence[str]) -> Sequence[str]:
        column = self._columns.get(name)
        return column.values(self._index) if column is not None else otherwise


def _check_must(
    examination: Examination,
    document: Document,
    nodes: Sequence[Node],
    columns: Mapping[str, _Column],
    must: MustRule,
    number: int,
) -> Iterator[Finding]:
    names = sorted(must.that.names | (must.when.names if must.when else frozenset()))
    good: set[tuple[tuple[str, ...], ...]] = set()  # many entries hold the same numbers
    for index, node in enumerate(nodes):
        seen = tuple(tuple(columns[name].values(index)) for name in names)
        if seen in good:
            continue
        row = _Row(columns, index)
        try:
            holds = (must.when is not None and not must.when.holds(row)) or must.that.holds(row)
        except NotApplicable:
            holds = True
        except ExpressionInvalid as error:
            location = examination.gamebook.place_of(must).location
            where = examination.address(document, node)
            yield examination.gamebook.fault(location, f"This rule cannot be worked out at {where}: {error}")
            return
        if holds:
            good.add(seen)
            continue
        yield examination.finding(
            must, "meaning.must", (document, node), f"{must.that.text} does not hold here.", fields=row
        )


# --- names ------------------------------------------------------------------------------------------------------------

_Tree = dict[str, "_Tree"]


def _check_names(examination: Examination, document: Document, rules: FileRules) -> Iterator[Finding]:
    """Names that stand in a closed file or entry and that no rule speaks of."""
    if rules.closed is None and not any(entry.closed is not None for entry in rules.entries.values()):
        return
    tree: _Tree = {}
    for names, entry in rules.entries.items():
        for place in _places(names, entry):
            at = tree
            for part in kind_of(place).split("/"):
                at = at.setdefault(part, {})
    if rules.closed is not None:
        yield from _strangers(examination, document, document.root, tree, rules.closed)
        return
    for names, entry in rules.entries.items():
        if entry.closed is None:
            continue
        at = tree
        for part in kind_of(names).split("/"):
            at = at[part]
        for node in document.select(names):
            yield from _strangers(examination, document, node, at, entry.closed)


def _places(names: str, entry: EntryRules) -> Iterator[str]:
    yield names
    if entry.key and entry.key != "=":
        yield f"{names}/{entry.key}"
    for name, one in entry.fields.items():
        yield f"{names}/{one.at or name}"


def _strangers(examination: Examination, document: Document, top: Node, tree: _Tree, rule: Rule) -> Iterator[Finding]:
    stack = [(top, tree)]
    while stack:
        node, known = stack.pop()
        if not known:
            continue
        for child in node.children:
            below = known.get(child.name, known.get(""))
            if below is not None:
                if below:
                    stack.append((child, below))
                continue
            present = {one.name for one in node.children}
            absent = [name for name in known if name not in present] or list(known)
            name = child.name.removeprefix("@") or child.value or "an item"
            hint = did_you_mean(child.name, absent).replace("'@", "'") or f"Known here: {listed(_shown(known))}."
            yield examination.finding(
                rule,
                "meaning.unknown-field",
                (document, child),
                f"`{name}` is nothing that the game is known to read here; a misspelt name changes nothing.",
                hint,
            )


def _shown(names: Mapping[str, object]) -> list[str]:
    return [name.removeprefix("@") for name in names]
