"""
Why a rule could not be measured: its places exist in no file, its list has no words, what it compares cannot be read.

Such a rule has no violations, but it is not satisfied either; whoever reads "satisfied" believes that someone looked.
"""

from __future__ import annotations

from collections.abc import Iterator

from zerrit.core.addresses import place_in_kind
from zerrit.core.examination.check_context import Examination
from zerrit.core.gamebooks import PlacedRule
from zerrit.core.rules import EntryRules, FieldRules, ListedRule, MustRule
from zerrit.core.rules.listed import nowhere, wordless


def why_unmeasured(examination: Examination, placed: PlacedRule) -> str:
    """The first reason why a rule was not measured, without a full stop; empty where it was."""
    return next(_reasons(examination, placed), "")


def _reasons(examination: Examination, placed: PlacedRule) -> Iterator[str]:
    rule, location = placed.rule, placed.location
    if isinstance(rule, FieldRules):
        yield from nowhere(examination, [_in_entry(location, rule.path or str(location[-1]))])
        yield from wordless(examination, rule.allowed if isinstance(rule.allowed, str) else "")
    elif isinstance(rule, MustRule) and location[0] == "files":
        yield from _unknown_fields(examination, rule, location)
    elif isinstance(rule, ListedRule):
        yield from rule.unmeasured(examination)


def _in_entry(location: tuple[int | str, ...], place: str) -> str:
    return f"{location[1]}#{place_in_kind(str(location[3]), place)}"


def _unknown_fields(examination: Examination, rule: MustRule, location: tuple[int | str, ...]) -> Iterator[str]:
    entry: EntryRules = examination.gamebook.rules.files[str(location[1])].entries[str(location[3])]
    places = [entry.fields[name].path or name for name in rule.spoken if name in entry.fields]
    yield from nowhere(examination, [_in_entry(location, place) for place in places])
