"""
From the values of a field to what it may hold.

Each thing inferred must hold for everything that was seen, and be worth saying: a range leaves room, since a draft
that cries at the next version is thrown away; a closed list of words needs each word several times; an order between
two fields needs ranges that overlap, or it would only repeat them.
"""

from __future__ import annotations

import keyword
import math
import re
from bisect import bisect_left
from collections import Counter
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from decimal import Decimal
from typing import Final

from zerrit.core.documents.measures import Measure, measured
from zerrit.core.documents.scalars import as_number
from zerrit.core.drafting.comment_inference import Warned, said_in
from zerrit.core.drafting.observations import OWN_NAME, Column, Entries
from zerrit.core.nearest import apart
from zerrit.core.wording import counted

FEW: Final = 5  #: entries; with fewer, nothing is said of what all of them have
MANY: Final = 20
FLAG_SEEN: Final = 8  #: values, for 0 and 1 to be no and yes
MOST_WORDS: Final = 24  #: of a closed list
WORD_SEEN: Final = 3  #: times that each word of a closed list was seen, on the average
SWITCHES: Final = (frozenset(("yes", "no")), frozenset(("true", "false")), frozenset(("on", "off")))
MOST_UNITS: Final = 6
APART_SHARE: Final = 0.7  #: of names that are no slips of each other
MOST_NAMES: Final = 400  #: of a field; more of them are too many to be written down
CHANCE: Final = 0.001  #: an order between two fields that is likelier than this by chance is not drafted
_UNITS_OF_TIME: Final = frozenset(("s", "m", "h", "d", "w", "ms"))
_NAME: Final = re.compile(r"(?=.{3,40}\Z)[^\W_][\w '&-]*[\w]\Z")
_ZERO_IN_FRONT: Final = re.compile(r"(?<![\d.])0\d")
MOST_OF_A_NOTE: Final = 200  #: characters of a comment
_INTEGER: Final = re.compile(r"-?\d+\Z")


@dataclass
class Knowledge:
    """What was inferred of one field."""

    column: Column
    kind: str = ""
    least: Decimal | None = None
    most: Decimal | None = None
    words: tuple[str, ...] = ()
    usual: tuple[str, ...] = ()
    units: tuple[str, ...] = ()
    plain: bool = False
    matches: str = ""
    always: bool = False
    default: str = ""  #: what is taken where it is absent
    unit: str = ""  #: what a number counts, in words
    takes_effect: str = ""
    note: str = ""  #: help for whoever adds it
    warned: tuple[Warned, ...] = ()
    notes: list[str] = field(default_factory=list)


def confidence(support: int) -> float:
    """How sure a rule is that held `support` times out of as many: the rule of succession, (n + 1) / (n + 2)."""
    return (support + 1) / (support + 2)


def infer(entries: Entries, column: Column) -> Knowledge:
    """What one field of a kind of entries may hold."""
    known = Knowledge(column)
    values = list(column.values)
    support = sum(column.counts.values())
    if not any(values):
        return known  # what was always empty may be filled one day, also with more than a value
    is_kept = entries.count == 1 and len(entries.rows) > 1 and entries.is_script
    is_usual = (entries.count >= FEW or is_kept) and not entries.is_mixed
    known.always = is_usual and all(column.place in row for row in entries.rows)
    numbers = [as_number(value) for value in values]
    if any({value.lower() for value in values} <= pair for pair in SWITCHES) or _is_flag(column):
        known.kind = "switch"
    elif any(_ZERO_IN_FRONT.search(value) for value in values) and all(number is not None for number in numbers):
        known.matches = _digits(values)  # codes, or a notation of its own: it is not said how large they are
        known.notes += [f"{counted(support, 'value')} of this form"] if known.matches else []
    elif values and all(number is not None for number in numbers):
        found = [number for number in numbers if number is not None]
        known.kind = "integer" if all(_INTEGER.match(value) for value in values) else "number"
        if support > 1 or found[0] != 0:  # a single zero may be a counter that has not begun
            known.least, known.most = _range(min(found), max(found), support)
        known.notes.append(f"{min(found):f} to {max(found):f} in {counted(support, 'value')}")
    elif (kind := _measure_of(column, support)) is not None:
        _infer_measure(known, kind, support)
    elif _mixed(column)[0]:
        known.matches, note = _mixed(column)
        known.notes.append(note)
    elif _shape(values, support):
        known.matches = _shape(values, support)
        known.notes.append(f"{counted(support, 'value')} of this form")
    elif _is_closed(column):
        known.words = tuple(sorted(values))
        known.notes.append(f"{len(values)} words in {counted(support, 'value')}")
    _hear(known)
    _compare_versions(known, entries)
    if not (known.kind or known.words or known.matches):
        known.usual = _usual(values, support)
    return known


def _hear(known: Knowledge) -> None:
    """What the comment on a setting says of it, where that is more than what was seen."""
    said = said_in(known.column.comments, known.column.values)
    if known.kind in ("integer", "number") and (said.least is not None or said.most is not None):
        known.least = said.least if said.least is not None else known.least
        known.most = said.most if said.most is not None else known.most
        known.notes.append("limits by its comment")
    elif not known.kind and not known.matches and said.words:
        known.words = said.words
        known.notes.append("words by its comment")
    number = as_number(said.default)
    is_outside = number is not None and (
        (known.least is not None and number < known.least) or (known.most is not None and number > known.most)
    )
    is_no_word = bool(known.words) and said.default not in known.words
    if said.default and not known.always and not known.matches and not is_outside and not is_no_word:
        known.default = said.default
        known.notes.append("default by its comment")
    known.warned = said.warned
    known.takes_effect = said.takes_effect
    if said.unit and known.kind in ("integer", "number"):
        known.unit = said.unit
        known.notes.append("unit by its comment")
    if known.default:
        known.note = _comment_of(known)


def _comment_of(known: Knowledge) -> str:
    return " ".join(" ".join(known.column.comments).split())[:MOST_OF_A_NOTE]


def _compare_versions(known: Knowledge, entries: Entries) -> None:
    """A setting that one version ships and another one does not: what it is there is taken where it is absent."""
    place, values = known.column.place, known.column.values
    trees = list(entries.rows_of_tree.values())
    is_single = all(len(rows) == 1 for rows in trees) and not entries.is_map and not entries.is_one_of_many
    if known.default or known.always or not is_single or len(values) != 1 or OWN_NAME in trees[0][0]:
        return
    (value,) = values
    if (
        all(place in rows[0] for rows in trees)
        or not value
        or known.matches
        or (known.words and value not in known.words)
    ):
        return
    known.default = value
    known.notes.append("default as a version that has it ships it")
    known.note = _comment_of(known) if known.column.entries else "Only an older version ships it."


def _is_flag(column: Column) -> bool:
    """0 and 1, both of them, and nothing else."""
    return set(column.values) == {"0", "1"} and sum(column.counts.values()) >= FLAG_SEEN


def _measure_of(column: Column, support: int) -> Measure | None:
    """Ranges or quantities, where all values are such, some perhaps a number alone; None where it may be anything else.

    A hyphen is between many things, and a letter behind many numbers: codes, dates, house numbers.
    """
    words = [value for value in column.values if as_number(value) is None]
    if not words or support < FEW or 2 * len(words) < len(column.values):
        return None
    if any(_ZERO_IN_FRONT.search(value) for value in column.values):
        return None  # codes and dates
    for measure in (Measure.RANGE, Measure.QUANTITY):
        found = [measured(value, measure) for value in words]
        known = [one for one in found if one is not None]
        if len(known) < len(words):
            continue
        if measure is Measure.RANGE:
            is_clear = all(measured(value) is not None for value in words) or len(words) >= 2 * FEW
            return measure if is_clear and all(one.low <= one.high for one in known) else None
        units = {one.unit for one in known}
        is_clear = len(units) == 1 or units <= _UNITS_OF_TIME or all(len(unit) > 1 or unit == "%" for unit in units)
        return measure if is_clear and len(units) <= MOST_UNITS else None
    return None


def _infer_measure(known: Knowledge, measure: Measure, support: int) -> None:
    values = known.column.values
    found = [one for value in values if (one := measured(value, measure)) is not None]
    known.kind = measure.value
    known.plain = any(not one.is_range and not one.unit for one in found)
    least, most = min(one.low for one in found), max(one.high for one in found)
    units: Counter[str] = Counter()
    for one in found:
        units[one.unit] += known.column.counts[one.text]
    del units[""]  # of numbers alone, and of ranges
    if units and min(units.values()) >= WORD_SEEN:
        known.units = tuple(sorted(units))
    if measure is Measure.RANGE or len(known.units) == 1:
        known.least, known.most = _range(least, most, support)
    what = "ranges" if measure is Measure.RANGE else "numbers with units"
    known.notes.append(f"{what}, {least:f} to {most:f} in {counted(support, 'value')}")


def _range(least: Decimal, most: Decimal, support: int) -> tuple[Decimal, Decimal]:
    """A range with room: more of it where less was seen. Prices rise from one version to the next, and small numbers get
    smaller; what a range can tell is a zero too many and a sign too much.
    """
    room = 4 if support >= MANY else 6 if support >= MANY / 2 else 8
    top = max(abs(least), abs(most))
    high = _rounded(most * room, up=True) if most > 0 else Decimal(0) if most == 0 and least < 0 else most
    if most == 0 == least:
        high = Decimal(room)
    if least < 0:
        low = -_rounded(top * room, up=True)
        return low, max(high, _rounded(top * room, up=True))
    return Decimal(0), high


def _rounded(number: Decimal, *, up: bool) -> Decimal:
    """To two digits, away from or towards zero."""
    if number == 0:
        return Decimal(0)
    step = Decimal(10) ** (math.floor(number.log10()) - 1)
    steps = number / step
    whole = steps.to_integral_value(rounding="ROUND_CEILING" if up else "ROUND_FLOOR")
    return (whole * step).normalize() + Decimal(0)


def _mixed(column: Column) -> tuple[str, str]:
    """Whole numbers and a few words that are in their place: their form, and a note; both empty for others."""
    words = [value for value in column.values if as_number(value) is None]
    numbers = [value for value in column.values if as_number(value) is not None]
    if not 0 < len(words) <= 2 or len(numbers) < FEW or not all(re.fullmatch(r"\d+", value) for value in numbers):
        return "", ""
    if any(column.values[word] < WORD_SEEN for word in words):
        return "", ""
    digits = max(len(value) for value in numbers)
    matches = "|".join([*(re.escape(word).replace("\\ ", " ") for word in sorted(words)), f"[0-9]{{1,{digits}}}"])
    return matches.replace(r"\-", "-"), f"numbers, and {', '.join(sorted(words))} in their place"


def _digits(values: Sequence[str]) -> str:
    """The form of values of digits alone, where all have as many of them."""
    lengths = {len(value) if value.isdecimal() and value.isascii() else 0 for value in values}
    return f"[0-9]{{{lengths.pop()}}}" if len(lengths) == 1 and 0 not in lengths and len(values) > 1 else ""


def _shape(values: list[str], support: int) -> str:
    """The one form of all values that hold letters and digits: a code such as `AB-07`."""
    shapes = {_shape_of(value) for value in values}
    if len(shapes) != 1 or support < 3 or len(values) < 3:
        return ""
    shape = shapes.pop()
    return shape if "[0-9]" in shape and re.search(r"\[[A-Za-z]|[A-Z]", shape) else ""


def _shape_of(value: str) -> str:
    parts = []
    for run in re.finditer(r"[0-9]+|[A-Z]+|[a-z]+|[^0-9A-Za-z]+", value):
        text = run.group()
        sign = "[0-9]" if text[0].isdigit() else "[A-Z]" if text[0].isupper() else "[a-z]" if text[0].islower() else ""
        count = f"{{{len(text)}}}" if len(text) > 1 else ""
        parts.append(f"{sign}{count}" if sign else re.escape(text).replace(r"\-", "-"))
    return "".join(parts)


def _is_closed(column: Column) -> bool:
    """Few words, each of them seen again and again: another one would be a surprise. Of names with a blank in them, others come."""
    values, support = column.values, sum(column.counts.values())
    once = sum(number == 1 for number in column.counts.values())
    return (
        1 < len(values) <= MOST_WORDS
        and support >= WORD_SEEN * len(values)
        and once * 100 <= support
        and all(value and len(value) <= 60 and " " not in value for value in values)
    )


def _usual(values: Sequence[str], support: int) -> tuple[str, ...]:
    """Names of which others may be slips of the pen; nothing where many of them could be slips of each other.

    One name alone is usual where many entries have it.
    """
    names = sorted(value for value in values if value)
    if not (2 if support < FEW else 1) <= len(names) <= MOST_NAMES:
        return ()
    if not all(_NAME.match(name) and name.count(" ") < 4 for name in names):
        return ()
    far = apart(names)
    return far if len(far) >= APART_SHARE * len(names) else ()


# --- fields beside each other -----------------------------------------------------------------------------------------


def orders(entries: Entries, known: dict[str, Knowledge]) -> Iterator[tuple[str, str, int]]:
    """Pairs of places of which the first is never the larger, with the number of entries that say so."""
    numeric = [
        place for place, one in known.items() if one.kind in ("integer", "number") and one.column.most_in_entry == 1
    ]
    for small in numeric:
        for large in numeric:
            if small == large:
                continue
            pairs = _pairs(entries, small, large)
            if any(one > other for one, other in pairs):
                continue
            if len(pairs) >= 2 and _are_ends(small, large):
                yield small, large, len(pairs)
                continue
            if len(pairs) < 2 * FEW:
                continue
            overlap = max(one for one, _ in pairs) > min(other for _, other in pairs)
            if overlap and any(one < other for one, other in pairs) and _chance_of_order(pairs) < CHANCE:
                yield small, large, len(pairs)


def _pairs(entries: Entries, small: str, large: str) -> list[tuple[Decimal, Decimal]]:
    """Two numbers of each entry of the newest tree, and of older ones those that differ: what stayed says nothing new."""
    found: Counter[tuple[Decimal, Decimal]] = Counter()
    for rows in entries.rows_of_tree.values():
        found |= Counter((Decimal(row[small]), Decimal(row[large])) for row in rows if small in row and large in row)
    return list(found.elements())


_ENDS: Final = (
    ("min", "max"),
    ("minimum", "maximum"),
    ("least", "most"),
    ("low", "high"),
    ("lower", "upper"),
    ("first", "last"),
)


def _are_ends(small: str, large: str) -> bool:
    """Two names that differ in the two words for the ends of a range alone: `min_depth` and `max_depth`, `least` and `most`."""
    one, other = (re.sub(r"[\W_]", "", re.sub(r"(?<=[a-z])(?=[A-Z])", "_", name)).casefold() for name in (small, large))
    return any(low in one and one.replace(low, high, 1) == other for low, high in _ENDS)


def _chance_of_order(pairs: Sequence[tuple[Decimal, Decimal]]) -> float:
    """How probable it is that no first number is larger than its second, were the second ones dealt out by chance."""
    larger = sorted(other for _, other in pairs)
    fitting = [(len(larger) - bisect_left(larger, one)) / len(larger) for one, _ in pairs]
    return math.prod(fitting)


def field_name(place: str, taken: set[str]) -> str:
    """A name for conditions, out of the place of a field."""
    name = re.sub(r"\W+", "_", place.removeprefix("@")).strip("_") or "value"
    if keyword.iskeyword(name) or name[0].isdigit():
        name = f"{name}_" if keyword.iskeyword(name) else f"_{name}"
    while name in taken:
        name += "_"
    taken.add(name)
    return name
