"""
Slots: the parts of a text file that a gamebook cuts out of it.

A start script is not understood, but one of its lines may hold the list of mods. A slot names such a part by the
text around it, `--mods={}`, so that the part can be addressed, checked and changed like any other value, while
all the rest of the line stays closed. The form is not a regular expression: people can write it without knowing
one, and no form can take long to match.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass, field
from functools import lru_cache
from typing import Final

PLACE: Final = "{}"
KEY: Final = "{key}"
LONGEST_KEY: Final = 200  # characters
LINE_START: Final = "^"
_BLANKS: Final = re.compile(r"[ \t]+")
_QUOTED: Final = re.compile(r"\"[^\"]*\"|'[^']*'")
_WORD: Final = re.compile(r"[^\s\"';]*")
_LIST: Final = re.compile(r"[^\s\"']*")


@dataclass(frozen=True, slots=True)
class Slot:
    """Where a part of a line is: `pattern` is the text around it, with `{}` in its place.

    `^{}` is at the beginning of the line and goes up to the text behind it, or to the end of the line.
    With `{key}` in it, before the place, each line that it fits is an entry: what is there is its key, as in
    `price of {key} = {}`. `separator`: what separates the entries of a list, such as `;`; empty for a single value.
    """

    pattern: str
    separator: str = ""

    @property
    def has_key(self) -> bool:
        return KEY in self.pattern


@dataclass(frozen=True, slots=True)
class Cut:
    """A slot found in a line. Offsets in characters of the text; `items` is empty for a single value.

    `key` is where the key of an entry is; of a slot without one, nowhere.
    """

    start: int
    end: int
    items: tuple[tuple[int, int], ...] = field(default=())
    key: tuple[int, int] = (0, 0)


def check_form(at: str) -> str:
    """What is wrong with the form of a slot, in a sentence; empty when nothing is."""
    before, place, _ = at.partition(PLACE)
    if not place:
        return f"`{at}` has no {{}} where the value is, as in --mods={{}}."
    if at.count(KEY) > 1 or KEY in at.partition(PLACE)[2]:
        return f"`{at}`: write {{key}} once, before {{}}, as in {{key}} = {{}}."
    if KEY + PLACE in at:
        return f"`{at}` has nothing between the key and the value by which they could be told apart."
    if KEY in at:
        return ""
    if at.count(PLACE) > 1:
        return f"`{at}` has more than one {{}}; write a slot for each value."
    if before == LINE_START:
        return ""
    return "" if before.strip() else f"`{at}` has no text before {{}} by which the value could be found."


def cuts(slot: Slot, text: str, start: int, end: int) -> Iterator[Cut]:
    """All places of one line where the form of the slot fits. Behind `{}` at the end, a word is the value."""
    if slot.has_key:
        yield from _with_key(slot, text, start, end)
        return
    before, after = _patterns(slot.pattern)
    at = start
    if slot.pattern.startswith(LINE_START + PLACE):
        closing = after.search(text, start, end) if after is not None else None
        stop = closing.start() if closing is not None else start if after is not None else end
        if text[start:stop].strip():
            yield Cut(start, stop, tuple(_items(text, start, stop, slot.separator)))
        return
    while match := before.search(text, at, end):
        begin = match.end()
        quoted = _QUOTED.match(text, begin, end) if after is None else None
        if quoted is not None:  # the value is what is inside
            begin, stop = quoted.start() + 1, quoted.end() - 1
            at = quoted.end()
        elif after is None:
            # What parts the entries of a list does not end it, though it may end a command elsewhere.
            word = (_LIST if slot.separator.strip() else _WORD).match(text, begin, end)
            stop = at = word.end() if word else begin
        else:
            closing = after.search(text, begin, end)
            if closing is None:
                return
            stop, at = closing.span()
        yield Cut(begin, stop, tuple(_items(text, begin, stop, slot.separator)))
        at = max(at, begin)


def _with_key(slot: Slot, text: str, start: int, end: int) -> Iterator[Cut]:
    """The entry that a line is; a line is one or none."""
    match = _keyed(slot.pattern, slot.separator).match(text, start, end)
    if match is None:
        return
    name = next(name for name in ("double", "single", "word") if match.group(name) is not None)
    first, last = match.span(name)
    yield Cut(first, last, tuple(_items(text, first, last, slot.separator)), match.span("key"))


@lru_cache(maxsize=256)
def _keyed(pattern: str, separator: str) -> re.Pattern[str]:
    """The form of a line with a key and a value, from its beginning; a run of blanks fits any other."""

    def literal(part: str) -> str:
        return r"[ \t]+".join(re.escape(piece) for piece in _BLANKS.split(part))

    before, _, rest = pattern.removeprefix(LINE_START).partition(KEY)
    between, _, after = rest.partition(PLACE)
    value = r"[^\s\"']+" if separator.strip() else r"[^\s\"';,]+"
    if after.strip():
        value = rf"[^\r\n]{{0,{10 * LONGEST_KEY}}}?"
    return re.compile(
        rf"[ \t]*{literal(before)}(?P<key>[^\r\n]{{1,{LONGEST_KEY}}}?){literal(between)}"
        rf"(?:\"(?P<double>[^\"\r\n]*)\"|'(?P<single>[^'\r\n]*)'|(?P<word>{value})){literal(after)}"
    )


def around(slot: Slot, text: str, start: int, end: int, value: tuple[int, int]) -> tuple[int, int]:
    """Where the text of a slot around a value begins and ends in its line, the marks around a quoted value included."""
    first, last = value
    before, after = _patterns(slot.pattern)
    is_quoted = text[first - 1 : first] in ("'", '"') and text[first - 1 : first] == text[last : last + 1]
    begins = [match for match in before.finditer(text, start, end) if match.end() in (first, first - is_quoted)]
    closing = after.match(text, last, end) if after is not None else None
    stop = closing.end() if closing is not None else last + is_quoted
    return (begins[-1].start() if begins else first), stop


@lru_cache(maxsize=256)
def _patterns(at: str) -> tuple[re.Pattern[str], re.Pattern[str] | None]:
    """What is before and behind the place; a run of blanks fits any other."""

    def literal(part: str) -> str:
        return r"[ \t]+".join(re.escape(piece) for piece in _BLANKS.split(part))

    before, _, after = at.partition(PLACE)
    return re.compile(literal(before)), re.compile(literal(after)) if after.strip() or (
        after and at.startswith(LINE_START)
    ) else None


def _items(text: str, start: int, end: int, split: str) -> Iterator[tuple[int, int]]:
    if not split:
        return
    at = start
    while at <= end:
        found = text.find(split, at, end)
        stop = found if found >= 0 else end
        raw = text[at:stop]
        body = raw.strip(" \t")
        if body:
            first = at + raw.index(body)
            yield first, first + len(body)
        at = stop + len(split)
