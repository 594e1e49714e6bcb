"""References in words with other text around them: `box[rope]` beside plain names, `rope:0`, `goods/rope`."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Sequence
from typing import Final

from zerrit.core.drafting.observations import Column, Sort, columns_of
from zerrit.core.drafting.reference_inference import REFERENCE_FROM, Knowledges, Reference, Target, address
from zerrit.core.word_forms import word_in

_BRACKETS: Final = re.compile(r"([^\[\](){}<>]*)([\[({<])[^\[\](){}<>]+([\])}>])")
_SIGNS: Final = ":@/#|="
ROOM: Final = 4  #: how many times the largest number a number may become
MOST_FORMS: Final = 12  #: of a column; more of them are no forms


def embedded_references(
    sorts: Sequence[Sort], known: Knowledges, targets: Sequence[Target], found: Sequence[Reference]
) -> Iterator[Reference]:
    """References of fields whose words are partly or all of one form; of fields that refer to nothing otherwise.

    A form counts where two words of one list are in it. Where the words that are not of the form are all of another list, both
    rules come, each for its own words.
    """
    referring = {id(reference.column) for reference in found}
    for sort, entries, column in columns_of(sorts):
        knowledge = known.get(id(column))
        if id(column) not in referring and not entries.is_map and knowledge is not None and not knowledge.kind:
            yield from _embedded(column, address(sort, entries, column.place), targets)


def _embedded(column: Column, where: str, targets: Sequence[Target]) -> list[Reference]:
    newest, every = frozenset(+column.counts), frozenset(column.values)
    for form in _forms(newest):
        inner = _inner(newest, form)
        target = _fitting(inner, _inner(every, form), targets, column)
        if target is None:
            continue
        support = sum(times for value, times in column.counts.items() if word_in(form, value) is not None)
        numbers = _numbers_behind(every, form)
        found = [Reference(where, target, support, column, within=form, matches=numbers)]
        rest, all_rest = (frozenset(one for one in words if word_in(form, one) is None) for words in (newest, every))
        other = _fitting(rest, all_rest, targets, column)
        if other is not None:
            exceptions = (form.replace("{}", "*"),)
            count = sum(column.counts[value] for value in rest)
            found.append(Reference(where, other, count, column, exceptions=exceptions))
        return found
    return []


def _forms(words: Iterable[str]) -> Iterator[str]:
    """Forms that the words may have, those with more fixed text first."""
    found: dict[str, int] = {}
    for word in words:
        bracketed = _BRACKETS.fullmatch(word)
        if bracketed:
            before, opening, closing = bracketed.groups()
            found[f"{before}{opening}{{}}{closing}"] = 0
        at = next((place for place, sign in enumerate(word) if sign in _SIGNS), -1)
        if 0 <= at < len(word) - 1:
            last = max(place for place, sign in enumerate(word) if sign in _SIGNS)
            found.setdefault(f"{word[: at + 1]}{{}}", 1)
            found.setdefault(f"{{}}{word[at]}*", 2)
            found.setdefault(f"*{word[last]}{{}}", 3)
        if len(found) > MOST_FORMS * 4:
            break
    fixed = [form for form in found if "*" not in form and form.count("{}") == 1]
    free = [form for form in found if "*" in form and form.count("*") == 1 and form.count("{}") == 1]
    yield from sorted(fixed[:MOST_FORMS], key=found.__getitem__)
    yield from sorted(free[:MOST_FORMS], key=found.__getitem__)


def _numbers_behind(words: Iterable[str], form: str) -> str:
    """A form with numbers of some digits behind the words, where all of them have such; else empty."""
    sign = form.removeprefix("{}").removesuffix("*")
    if form != f"{{}}{sign}*" or not sign:
        return ""
    behind = [word.partition(sign)[2] for word in words]
    if not all(text.isascii() and text.isdigit() for text in behind):
        return ""
    digits = len(str(max(map(int, behind)) * ROOM))
    return f"[^{sign}]+{sign}[0-9]{{1,{digits}}}"


def _inner(words: Iterable[str], form: str) -> frozenset[str]:
    return frozenset(inner for word in words if (inner := word_in(form, word)) is not None)


def _fitting(newest: frozenset[str], every: frozenset[str], targets: Sequence[Target], column: Column) -> Target | None:
    """The smallest list that holds all of the words; None for too few of them."""
    if len(newest) < REFERENCE_FROM:
        return None
    fitting = [target for target in targets if target.column is not column and target.has(newest, every)]
    return min(fitting, key=lambda target: target.rank, default=None)
