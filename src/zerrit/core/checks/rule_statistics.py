"""How often each rule of a gamebook holds in the files as they are: what a person looks at before keeping a rule."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass
from typing import Final

from zerrit.core.checks.checker import Checked
from zerrit.core.checks.unmeasured_rules import why_unmeasured
from zerrit.core.documents import Severity
from zerrit.core.examination.check_context import Examination, Unknown
from zerrit.core.gamebooks import Gamebook, PlacedRule
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
class Holding:
    """A rule in plain words, the number of places that it speaks of, and of those where it does not hold.

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
    places: int | None
    violations: int
    unmeasured: str = ""


def holdings(checked: Checked) -> list[Holding]:
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
        if isinstance(placed.rule, FieldRules) and not _says_something(placed.rule):
            continue
        rule = placed.rule
        found.append(
            Holding(
                placed.id,
                placed.part,
                rule_in_words(placed),
                rule.message,
                rule.reason,
                rule.approved,
                _severity(gamebook, placed),
                gamebook.line_of(placed.location),
                _places(examination, placed),
                violations[placed.id],
                why_unmeasured(examination, placed) or _partly(partly[placed.id]),
            )
        )
    return found


def _partly(entries: int) -> str:
    return f"{counted(entries, 'entry', 'entries')} could not be measured" if entries else ""


def _says_something(rule: FieldRules) -> bool:
    limits = (rule.kind, rule.allowed, rule.matches, rule.min, rule.max)
    return any(limit not in (None, "") for limit in limits) or rule.always


# --- in plain words ---------------------------------------------------------------------------------------------------


def _severity(gamebook: Gamebook, placed: PlacedRule) -> Severity | None:
    """How severe a breach usually is; other codes of a field are as severe. None for what is only to be looked at."""
    code = placed.rule.code if isinstance(placed.rule, ListedRule) else _CODES[placed.part]
    return gamebook.severity(placed.rule, code) if code else None


def rule_in_words(placed: PlacedRule) -> str:
    """What a rule asks for, in a sentence."""
    rule, location = placed.rule, placed.location
    where = " / ".join(str(part) for part in location[1:4:2]) if location[0] == "files" else ""
    if isinstance(rule, FieldRules):
        always = ", and is always there" if rule.always else ""
        return f"{where}: {location[-1]} is {value_in_words(rule) or 'anything'}{always}"
    if isinstance(rule, ListedRule):
        return f"{f'{where}: ' if where else ''}{rule.sentence()}"
    return f"{where or location[1]}: it holds nothing but what is named"


def value_in_words(rule: FieldRules, known: int | None = None) -> str:
    """What a field may hold: `a whole number from 0 to 400`. `known` is how many words its list has."""
    parts = [_KIND_WORDS.get(rule.kind or "", "")]
    if rule.units:
        parts[0] = f"a number with a unit ({', '.join(rule.units)})"
    if rule.plain:
        parts[0] += " or a number alone"
    if rule.min is not None:
        parts.append(f"from {rule.min:f}")
    if rule.max is not None:
        parts.append(f"to {rule.max:f}" if rule.min is not None else f"at most {rule.max:f}")
    if isinstance(rule.allowed, str):
        parts.append(f"one of the {f'{known} ' if known is not None else ''}{rule.allowed}")
    elif rule.allowed:
        parts.append(f"one of {', '.join(rule.allowed)}")
    if rule.matches:
        parts.append(rule.form or f"of the form {rule.matches}")
    if not parts[0] and (rule.min is not None or rule.max is not None):
        parts[0] = "a number"
    return ", ".join(part for part in parts if part).replace(", from", " from").replace(", to ", " to ")


# --- counting ---------------------------------------------------------------------------------------------------------


def _places(examination: Examination, placed: PlacedRule) -> int | None:
    rule, location = placed.rule, placed.location
    try:
        if isinstance(rule, FieldRules):
            return _in_files(examination, str(location[1]), f"{location[3]}/{rule.path or location[-1]}")
        if location[0] != "files":
            return rule.count(examination) if isinstance(rule, ListedRule) else None
        names = str(location[3]) if len(location) > 3 else ""
        documents = examination.matching(str(location[1]))
        return _in_files(examination, str(location[1]), names) if names else len(documents)
    except Unknown:
        return 0


def _in_files(examination: Examination, pattern: str, names: str) -> int:
    return sum(
        len(examination.nodes_in(document, f"{document.path}#{names}"))
        for document in examination.matching(pattern)
        if examination.gamebook.file(document.path) is examination.gamebook.rules.files[pattern]
    )
