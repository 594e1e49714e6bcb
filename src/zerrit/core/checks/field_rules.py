"""Checks within one file: its fields, the conditions between them, and names that no one knows."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from decimal import Decimal
from typing import Final

from zerrit.core.addresses import branch_of, kind_of, place_in_kind
from zerrit.core.documents import Document, Finding, Node
from zerrit.core.documents.measures import Measure, MeasuredText, measured
from zerrit.core.documents.scalars import as_number, as_switch
from zerrit.core.examination.check_context import Examination, Unknown, listed
from zerrit.core.examination.entry_rows import Column, Rows, nodes_of_kind
from zerrit.core.examination.plain_values import has_stranger
from zerrit.core.examination.word_lists import known_words, words_of
from zerrit.core.expressions import ExpressionInvalid, Fields, NotApplicable, compile_pattern
from zerrit.core.nearest import did_you_mean, nearest, slip_of
from zerrit.core.rules import EntryRules, FieldRules, FileRules, MustRule, Rule
from zerrit.core.units import as_plain_number

_ZERO_IN_FRONT: Final = re.compile(r"-?0\d+\Z")
_NO_LITERALS: Final = frozenset({"yes", "no", "on", "off"})


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
    return sorted({one.allowed for one in fields if isinstance(one.allowed, str)})


def _words(examination: Examination, name: str) -> tuple[str, ...] | None:
    try:
        return words_of(examination, name) or None  # of a list without words no value can be judged
    except Unknown:
        return None


def _check_file(examination: Examination, document: Document, rules: FileRules) -> Iterator[Finding]:
    for names, entry in rules.entries.items():
        rows = Rows.of(examination, document, names)
        if not rows:
            continue
        is_closed = rules.closed is not None or entry.closed is not None
        columns = {name: rows.column(one.path or name) for name, one in entry.fields.items()}
        for name, one in entry.fields.items():
            yield from _check_column(examination, rows, columns[name], name, one, entry, is_closed)
        for must in entry.must:
            yield from _check_must(examination, rows, columns, entry, must)
    yield from _check_names(examination, document, rules)


# --- fields -----------------------------------------------------------------------------------------------------------


def _check_column(
    examination: Examination,
    rows: Rows,
    column: Column,
    name: str,
    rules: FieldRules,
    entry: EntryRules,
    is_closed: bool,
) -> Iterator[Finding]:
    words, known = _allowed(examination, rules)
    verdicts = examination.verdicts.setdefault((id(rules), known), {})
    wrong: dict[str, list[tuple[str, str]]] = {}
    for value in column.distinct():
        found = verdicts.get(value)
        if found is None:
            found = verdicts[value] = _wrong(value, name, rules, known)
        if found:
            wrong[value] = found
    for index, number, value in column if wrong else ():
        faults = wrong.get(value)
        if faults is None:
            continue
        place = (rows.document, column.node(index, number))
        own = _as_declared(value, rules)
        fields = {name: (own,), "value": (own,)}
        for code, message in faults:
            if code == "meaning.unknown-name" and words is not None:
                list_name = rules.allowed if isinstance(rules.allowed, str) else ""
                yield examination.unknown_word(rules, place, list_name, words, fields)
            else:
                yield examination.finding(rules, code, place, message, fields=fields)
    if rules.kind in ("integer", "number", "range", "quantity"):
        yield from _numbers_with_a_zero_in_front(examination, rows, column, name, rules)
    if rules.kind == "switch" and rows.document.format.traits.script:
        yield from _names_for_switches(examination, rows, column, name, rules)
    if rules.always:
        known_names = {(one.path or field).partition("/")[0] for field, one in entry.fields.items()} | {entry.key}
        for index in column.absent():
            wanted = _last(rules.path or name)
            node = rows.node(index)
            strangers = [child.name.removeprefix("@") for child in node.children if child.name not in known_names]
            meant = nearest(wanted, strangers, most=1)
            if meant and is_closed:
                continue  # the misspelled name is reported as what it is, and one finding is enough
            message = f"`{wanted}` is missing here; all others of its kind have it."
            hint = f"Is `{meant[0]}` meant?" if meant else ""
            closed = _line_that_names(rows.document, node, wanted)
            if closed is not None:
                node = closed
                message = f"{wanted} has no plain value here; what the script works out is not known."
            yield examination.finding(rules, "meaning.missing-field", (rows.document, node), message, hint)


def _numbers_with_a_zero_in_front(
    examination: Examination, rows: Rows, column: Column, name: str, rules: FieldRules
) -> Iterator[Finding]:
    """A number such as `020` where no other of the field is written so: mostly a point is missing, and games differ in what they
    take it for.
    """
    found = {value: number for value in column.distinct() if (number := _zero_in_front(value, rules))}
    if len(found) != 1:
        return  # there is none, or that is how numbers are written here
    ((value, written),) = found.items()
    sign, digits = ("-", written[1:]) if written.startswith("-") else ("", written)
    message = f"{name} is `{value}`, a number with a zero in front; games differ in what they take that for."
    meant = (value.replace(written, f"{sign}{one}", 1) for one in (f"0.{digits[1:]}", digits.lstrip("0") or "0"))
    hint = f"Is {' meant, or '.join(meant)}?"
    for index, place_in_entry, one in column:
        if one == value:
            place = (rows.document, column.node(index, place_in_entry))
            yield examination.finding(rules, "meaning.zero-in-front", place, message, hint, says_why=True)


def _zero_in_front(value: str, rules: FieldRules) -> str:
    """The number in a value that has a zero in front, as it is written; empty where none has."""
    if "0" not in value:
        return ""
    if rules.declared is None:
        return value.strip() if _ZERO_IN_FRONT.match(value.strip()) else ""
    found = measured(value, rules.declared.measure)
    written = [found.text[start:end] for start, end in found.spans] if found is not None else []
    return next((one for one in written if _ZERO_IN_FRONT.match(one)), "")


def _names_for_switches(
    examination: Examination, rows: Rows, column: Column, name: str, rules: FieldRules
) -> Iterator[Finding]:
    """Words such as `yes` that are switches in a settings file, and in a script the names of something."""
    if not any(value.lower() in _NO_LITERALS for value in column.distinct()):
        return
    for index, number, value in column:
        node = column.node(index, number)
        if value.lower() in _NO_LITERALS and not node.is_quoted:
            message = f"{name} is a switch, but `{value}` is the name of something in a script. Write true or false."
            yield examination.finding(rules, "meaning.type", (rows.document, node), message)


def _line_that_names(document: Document, node: Node, wanted: str) -> Node | None:
    """The line of a script in which a setting is given something else than a plain value."""
    if node.parent is not None or not document.format.traits.script:
        return None
    named = re.compile(rf"(?:[a-z]+[ \t]+)*\$?{re.escape(wanted)}[ \t]*==?(?!=)")
    return next((one for one in node.children if one.name == "line" and named.match(one.value or "")), None)


def _allowed(examination: Examination, rules: FieldRules) -> tuple[Sequence[str] | None, frozenset[str] | None]:
    """The words that a field may hold, in their order and to look up in; None where any will do or they are unknown."""
    if isinstance(rules.allowed, tuple):
        return rules.allowed, frozenset(rules.allowed)
    words = _words(examination, rules.allowed) if rules.allowed else None
    return words, known_words(examination, rules.allowed or "") if words is not None else None


def _wrong(value: str, name: str, rules: FieldRules, known: frozenset[str] | None) -> list[tuple[str, str]]:
    faults = list(_faults(value, name, rules))
    return [("meaning.unknown-name", ""), *faults] if known is not None and value not in known else faults


def _last(place: str) -> str:
    return place.rpartition("/")[2].removeprefix("@")


def _faults(value: str, name: str, rules: FieldRules) -> Iterator[tuple[str, str]]:
    """What is wrong with one value, as codes and messages."""
    if rules.kind == "switch" and as_switch(value) is None:
        yield "meaning.type", f"{name} is a switch (yes or no), but `{value}` is here."
    if rules.declared is not None:
        yield from _measure_faults(value, name, rules, rules.declared.measure)
        return
    number = as_number(value)
    is_number = rules.kind in ("integer", "number") or rules.min is not None or rules.max is not None
    if is_number and number is None:
        plain = as_plain_number(value, rules.unit) if rules.unit else ""
        so = f" It counts {rules.unit}, so that is {plain}." if plain else ""
        yield "meaning.type", f"{name} is a number, but `{value}` is here.{so}"
    elif number is not None and is_number:
        if rules.kind == "integer" and number != number.to_integral_value():
            yield "meaning.type", f"{name} is a whole number, but {value} is here."
        low, high = rules.min, rules.max
        if (low is not None and number < low) or (high is not None and number > high):
            unit = f" {rules.unit}" if rules.unit else ""
            yield "meaning.range", f"{name} is {value}; it must be {_range(low, high)}{unit}."
    yield from _form_faults(value, name, rules)
    usual = slip_of(value, rules.usual) if rules.usual else None
    if usual is not None:
        yield "meaning.misspelled", f"{name} is `{value}`, which is nearly `{usual}`. Is it misspelled?"


def _measure_faults(value: str, name: str, rules: FieldRules, measure: Measure) -> Iterator[tuple[str, str]]:
    """What is wrong with a range or a quantity."""
    found = measured(value, measure)
    example = "a range such as 12..40" if measure is Measure.RANGE else "a number with a unit"
    if found is None or not (found.is_range or found.unit or rules.plain):
        yield "meaning.type", f"{name} is {example}, but `{value}` is here."
        return
    if found.low > found.high:
        yield "meaning.range", f"{name} is {value}: its first number is larger than its second."
    if rules.units and found.unit and found.unit not in rules.units:
        hint = did_you_mean(found.unit, rules.units)
        yield "meaning.form", f"{name} is `{value}`; its unit must be one of {', '.join(rules.units)}. {hint}".rstrip()
    low, high = rules.min, rules.max
    if found.unit and found.unit not in rules.units:
        low = high = None  # of another unit than the limits are
    if (low is not None and found.low < low) or (high is not None and found.high > high):
        yield "meaning.range", f"{name} is {value}; it must be {_range(low, high)}."
    yield from _form_faults(value, name, rules)


def _form_faults(value: str, name: str, rules: FieldRules) -> Iterator[tuple[str, str]]:
    if rules.matches and not compile_pattern(rules.matches).fullmatch(value):
        form = rules.form or f"the form {rules.matches}"
        yield "meaning.form", f"{name} is `{value}`; it must be {form}."


def _range(low: Decimal | None, high: Decimal | None) -> str:
    if low is not None and high is not None:
        return f"from {low:f} to {high:f}"
    return f"at least {low:f}" if low is not None else f"at most {high:f}"


def _as_declared(value: str, rules: FieldRules) -> str:
    """The text of a value, with what the gamebook says of its numbers."""
    return MeasuredText(value, rules.declared) if rules.declared is not None else value


# --- conditions -------------------------------------------------------------------------------------------------------


class _Row:
    """The fields of one entry, out of the columns."""

    def __init__(self, columns: Mapping[str, Column], entry: EntryRules, index: int) -> None:
        self._columns = columns
        self._fields = entry.fields
        self._index = index

    def get(self, name: str, otherwise: Sequence[str]) -> Sequence[str]:
        column = self._columns.get(name)
        if column is None:
            return otherwise
        return [_as_declared(value, self._fields[name]) for value in column.values(self._index)]


def _check_must(
    examination: Examination, rows: Rows, columns: Mapping[str, Column], entry: EntryRules, must: MustRule
) -> Iterator[Finding]:
    names = sorted(must.condition.names | (must.only_if.names if must.only_if else frozenset()))
    if _holds_everywhere(must, [columns[name] for name in names], names, entry):
        return
    for index in range(len(rows)):
        row = _Row(columns, entry, index)
        try:
            holds = _holds(must, row)
        except ExpressionInvalid as error:
            location = examination.gamebook.place_of(must).location
            where = examination.address(rows.document, rows.node(index))
            yield examination.gamebook.fault(location, f"This rule cannot be worked out at {where}: {error}")
            return
        if not holds:
            place, message = (rows.document, rows.node(index)), f"{must.condition.text} does not hold here."
            yield examination.finding(must, "meaning.must", place, message, fields=row)


def _holds(must: MustRule, fields: Fields) -> bool:
    try:
        return (must.only_if is not None and not must.only_if.holds(fields)) or must.condition.holds(fields)
    except NotApplicable:
        return True


def _holds_everywhere(must: MustRule, columns: Sequence[Column], names: Sequence[str], entry: EntryRules) -> bool:
    """Looks at each combination of values once, since many entries hold the same numbers."""
    if not all(column.is_single for column in columns):
        return False
    try:
        for values in set(zip(*(column.single for column in columns), strict=True)):
            fields = {
                name: (_as_declared(value, entry.fields[name]),)
                for name, value in zip(names, values, strict=True)
                if value is not None
            }
            if not _holds(must, fields):
                return False
    except ExpressionInvalid:
        return False
    return True


# --- names ------------------------------------------------------------------------------------------------------------

_Tree = dict[str, "_Tree"]


def _check_names(examination: Examination, document: Document, rules: FileRules) -> Iterator[Finding]:
    """Names that are in a closed file or entry and that no rule speaks of."""
    if rules.closed is None and not any(entry.closed is not None for entry in rules.entries.values()):
        return
    tree: _Tree = {}
    for names, entry in rules.entries.items():
        for place in _places(names, entry):
            at = tree
            for part in kind_of(place):
                at = at.setdefault(part, {})
    root = examination.plain(document)
    if root is not None and not has_stranger(root, tree):
        return  # nothing is found, and no node need be made to find it
    if rules.closed is not None:
        yield from _strangers(examination, document, document.root, tree, rules.closed)
        return
    for names, entry in rules.entries.items():
        if entry.closed is None:
            continue
        at = tree
        for part in kind_of(names):
            at = at[part]
        for node in nodes_of_kind(document, names):
            yield from _strangers(examination, document, node, at, entry.closed)


def _places(names: str, entry: EntryRules) -> Iterator[str]:
    yield names
    if entry.key and entry.key != "=":
        yield place_in_kind(names, entry.key)
    for name, one in entry.fields.items():
        yield place_in_kind(names, one.path or name)


def _strangers(examination: Examination, document: Document, top: Node, tree: _Tree, rule: Rule) -> Iterator[Finding]:
    stack = [(top, tree)]
    while stack:
        node, known = stack.pop()
        if not known:
            continue
        for child in node.children:
            below = branch_of(known, child.name)
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
                f"`{name}` is not known to be read by the game here; a misspelled name changes nothing.",
                hint,
            )


def _shown(names: Mapping[str, object]) -> list[str]:
    return [name.removeprefix("@") for name in names]
