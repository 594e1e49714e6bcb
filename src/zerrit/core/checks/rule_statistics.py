"""How often each rule of a gamebook holds in the files as they are: what a person looks at before keeping a rule."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass, replace
from typing import Any, Final

from zerrit.core.addresses import FILE_ITSELF, place_in_kind
from zerrit.core.checks.checker import Checked
from zerrit.core.checks.unmeasured_rules import why_unmeasured
from zerrit.core.documents import Severity
from zerrit.core.examination.check_context import Examination, Unknown, listed
from zerrit.core.gamebooks import Gamebook, PlacedRule
from zerrit.core.gamebooks.rule_proposals import as_mapping
from zerrit.core.gamebooks.source_lines import Location
from zerrit.core.rules import FieldRules, ListedRule
from zerrit.core.wording import counted

NOT_MEASURED: Final = "meaning.not-measured"
#: The code that a breach of a part of a file usually has.
_CODES: Final = {"field": "meaning.range", "closed": "meaning.unknown-field"}
_KIND_WORDS: Final = {
    "integer": "a whole number",
    "number": "a number",
    "range": "a range of numbers",
    "quantity": "a number with a unit",
    "switch": "yes or no",
    "text": "text",
}


@dataclass(frozen=True, slots=True)
class RuleStatistic:
    """A rule in plain words, its place in the gamebook and how it is written there, the number of places that it speaks of, and of those where it does not hold.

    `severity` is how severe a breach is; None for what is only to be looked at. `places` is None where the rule does not
    speak of places that could be counted. `unmeasured` says why nothing, or not everything, could be measured; a rule with
    such a reason is not satisfied, whatever its violations.
    """

    id: str
    part: str
    text: str
    message: str
    reason: str
    approved: bool
    severity: Severity | None
    line: int
    location: Location
    data: dict[str, Any]
    places: int | None
    violations: int
    unmeasured: str = ""


def statistics_of(checked: Checked) -> list[RuleStatistic]:
    """Every rule with how often it holds, in the order of the gamebook."""
    examination = checked.examination
    if examination is None:
        return []
    gamebook = examination.gamebook
    measured = [finding for finding in checked.findings if finding.rule and finding.code != NOT_MEASURED]
    violations = Counter(finding.rule for finding in measured)
    partly = Counter(finding.rule for finding in checked.findings if finding.code == NOT_MEASURED)
    found = []
    for placed in gamebook.placed:
        if not placed.says_something:
            continue
        rule = placed.rule
        found.append(
            RuleStatistic(
                placed.id,
                placed.part,
                rule_in_words(placed),
                rule.message,
                rule.reason,
                rule.approved,
                _severity(gamebook, placed),
                gamebook.line_of(placed.location),
                placed.location,
                as_mapping(gamebook, placed),
                _places(examination, placed),
                violations[placed.id],
                why_unmeasured(examination, placed) or _partly(partly[placed.id]),
            )
        )
    return found


def _partly(entries: int) -> str:
    return f"{counted(entries, 'entry', 'entries')} could not be measured" if entries else ""


# --- in plain words ---------------------------------------------------------------------------------------------------


def _severity(gamebook: Gamebook, placed: PlacedRule) -> Severity | None:
    """How severe a breach usually is; other codes of a field are as severe. None for what is only to be looked at."""
    code = placed.rule.code if isinstance(placed.rule, ListedRule) else _CODES[placed.part]
    return gamebook.severity(placed.rule, code) if code else None


def rule_in_words(placed: PlacedRule) -> str:
    """What a rule asks for, in a sentence."""
    rule, location = placed.rule, placed.location
    if rule.skip_files:
        plain = replace(placed, rule=rule.model_copy(update={"skip_files": ()}))
        return f"{rule_in_words(plain)}, except in {listed(rule.skip_files)}"
    named = (str(part) for part in location[1:4:2] if part != FILE_ITSELF)
    where = " / ".join(named) if location[0] == "files" else ""
    if isinstance(rule, FieldRules):
        value = value_in_words(rule)
        if rule.always and not value:
            return f"{where}: {location[-1]} is always there"
        always = ", and is always there" if rule.always else ""
        absent = f"; the game takes {rule.default} where it is absent" if rule.default else ""
        return f"{where}: {location[-1]} is {value or 'anything'}{always}{absent}"
    if isinstance(rule, ListedRule):
        return f"{f'{where}: ' if where else ''}{rule.sentence()}"
    return f"{where or location[1]}: it holds nothing but what is named"


MOST_USUAL: Final = 5  #: words that are named


def value_in_words(rule: FieldRules, known: int | None = None) -> str:
    """What a field may hold: `a whole number from 0 to 400`. `known` is how many words its list has."""
    first = _kind_in_words(rule)
    if rule.min is not None:
        first += f" from {rule.min:f}"
    if rule.max is not None:
        first += f" to {rule.max:f}" if rule.min is not None else f", at most {rule.max:f}"
    parts = [first]
    if isinstance(rule.allowed, str):
        parts.append(f"one of the {f'{known} ' if known is not None else ''}{rule.allowed}")
    elif rule.allowed:
        parts.append(f"one of {', '.join(rule.allowed)}")
    if rule.matches:
        parts.append(rule.form or f"of the form {rule.matches}")
    if rule.usual:
        parts.append(f"usually one of {listed(rule.usual, MOST_USUAL)}")
    return ", ".join(part for part in parts if part)


def _kind_in_words(rule: FieldRules) -> str:
    kind = _KIND_WORDS.get(rule.kind or "", "")
    if rule.units:
        kind = f"a number with a unit ({', '.join(rule.units)})"
    if not kind and (rule.min is not None or rule.max is not None):
        kind = "a number"
    if rule.unit:
        kind = f"{kind or 'a number'} of {rule.unit}"
    return f"{kind} or a number alone" if rule.plain else kind


# --- counting ---------------------------------------------------------------------------------------------------------


def _places(examination: Examination, placed: PlacedRule) -> int | None:
    rule, location = placed.rule, placed.location
    try:
        if isinstance(rule, FieldRules):
            return _in_files(examination, placed, place_in_kind(str(location[3]), rule.path or str(location[-1])))
        if location[0] != "files":
            return _of_listed(examination, rule) if isinstance(rule, ListedRule) else None
        names = str(location[3]) if len(location) > 3 else ""
        documents = [one for one in examination.matching(str(location[1])) if not rule.skips(one.path)]
        return _in_files(examination, placed, names) if names else len(documents)
    except Unknown:
        return 0


def _of_listed(examination: Examination, rule: ListedRule) -> int | None:
    count = rule.count(examination)
    first = next(rule.addresses(), None)
    if not count or not rule.skip_files or first is None:
        return count
    return count - sum(rule.skips(document.path) for document, _ in examination.nodes(first.text))


def _in_files(examination: Examination, placed: PlacedRule, names: str) -> int:
    pattern = str(placed.location[1])
    return sum(
        1 if names == FILE_ITSELF else len(examination.nodes_in(document, f"{document.path}#{names}"))
        for document in examination.matching(pattern)
        if not placed.rule.skips(document.path)
        and examination.gamebook.file(document.path) is examination.gamebook.rules.files[pattern]
    )
