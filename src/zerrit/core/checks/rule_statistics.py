"""How often each rule of a gamebook holds in the files as they are: what a person looks at before keeping a rule."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass
from typing import Final

from zerrit.core.checks.check_context import Examination, Unknown, listed
from zerrit.core.checks.checker import Checked
from zerrit.core.checks.unmeasured_rules import why_unmeasured
from zerrit.core.checks.word_lists import words_of
from zerrit.core.documents import Severity
from zerrit.core.gamebooks import (
    AdviceRule,
    AgreeRule,
    AlikeRule,
    BalanceRule,
    ChecklistRule,
    DerivedRules,
    FieldRules,
    FileNameRule,
    InUseRule,
    MustRule,
    NearRule,
    NeedsRule,
    OneOfRule,
    PackedRule,
    PlacedRule,
    PresentRule,
    ReferRule,
    Rule,
    SameRule,
    UniqueRule,
)
from zerrit.core.wildcards import path_matches
from zerrit.core.wording import counted

NOT_MEASURED: Final = "meaning.not-measured"
#: The code that a breach of a rule usually has, by the part of the gamebook; other codes of a field are as severe.
_CODES: Final = {
    "field": "meaning.range",
    "closed": "meaning.unknown-field",
    "must": "meaning.must",
    "refers": "meaning.unknown-name",
    "unique": "meaning.duplicate",
    "agree": "meaning.disagree",
    "same_values": "meaning.not-same",
    "needs": "meaning.needs",
    "one_of": "meaning.one-of",
    "present": "meaning.file-missing",
    "file_names": "meaning.file-name",
    "in_use": "meaning.not-in-use",
    "packed": "meaning.packed",
    "alike": "meaning.alike",
    "near": "meaning.far",
    "balance": "meaning.balance",
    "advice": "meaning.advice",
    "derived": "meaning.sentinel",
}


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
                gamebook.severity(rule, _CODES[placed.part]) if placed.part in _CODES else None,
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


def rule_in_words(placed: PlacedRule) -> str:  # noqa: C901, PLR0912  # a table of cases
    """What a rule asks for, in a sentence."""
    rule, location = placed.rule, placed.location
    where = " / ".join(str(part) for part in location[1:4:2]) if location[0] == "files" else ""
    match rule:
        case FieldRules():
            always = ", and is always there" if rule.always else ""
            return f"{where}: {location[-1]} is {value_in_words(rule) or 'anything'}{always}"
        case MustRule():
            when = f", while {rule.only_if}" if rule.only_if is not None else ""
            return f"{f'{where}: ' if where else ''}{rule.condition}{when}"
        case ReferRule():
            when = f", where {rule.only_if}" if rule.only_if is not None else ""
            return f"every {rule.every} is one of the {rule.list_name}{when}"
        case UniqueRule():
            return f"no {rule.name} occur twice: {', '.join(rule.over)}"
        case AgreeRule():
            if rule.every:
                return f"every {rule.every} is the name of its {rule.name_of}"
            places = [
                place if isinstance(place, str) else next(iter(place.model_dump().values())) for place in rule.sources
            ]
            return f"these have the same words: {', '.join(places)}"
        case SameRule():
            return f"{rule.name} are the same in two places"
        case NeedsRule():
            order = ", and before it" if rule.in_order else ""
            return f"what {rule.each} needs is among the {rule.list_name}{order}"
        case OneOfRule():
            return f"only one version of each thing is among the {rule.list_name}"
        case PresentRule():
            return f"{rule.file} is there" + (f" for each of the {rule.list_name}" if rule.list_name else "")
        case FileNameRule():
            return f"{rule.files}: only {listed([*rule.only, *([rule.list_name] if rule.list_name else [])])} are read"
        case InUseRule():
            return f"{rule.files}: the folder in use is what {rule.value} says"
        case PackedRule():
            return f"{rule.into} holds what {rule.folder} holds"
        case AlikeRule():
            return f"variants of {rule.each} are alike in {', '.join(rule.fields)}"
        case NearRule():
            return f"{rule.each} lie within {rule.distance} of {rule.target}"
        case BalanceRule():
            kept = f"stays within {rule.keep_within}" if rule.keep_within else ""
            most = f"is at most {rule.max:f}" if rule.max is not None else ""
            return f"the sum of {rule.sum} {' and '.join(part for part in (most, kept) if part)}"
        case AdviceRule():
            return f"advice: {rule.every}, {rule.condition}"
        case DerivedRules():
            return f"{rule.each}: where {rule.value} is {rule.sentinel}, it is at {rule.fallback}"
        case ChecklistRule():
            return f"after a change of {rule.after}: {rule.do}"
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
        match rule:
            case FieldRules():
                return _in_files(examination, str(location[1]), f"{location[3]}/{rule.path or location[-1]}")
            case MustRule() if location[0] == "files":
                return _in_files(examination, str(location[1]), str(location[3]))
            case ReferRule() | AdviceRule():
                return len(examination.nodes(rule.every))
            case UniqueRule():
                return sum(len(examination.nodes(address)) for address in rule.over)
            case AgreeRule() if rule.every:
                return len(examination.nodes(rule.every))
            case NeedsRule() | AlikeRule() | NearRule() | DerivedRules():
                return len(examination.nodes(rule.each))
            case OneOfRule():
                return len(words_of(examination, rule.list_name))
            case PresentRule():
                return len(words_of(examination, rule.list_name)) if rule.list_name else 1
            case FileNameRule():
                return sum(path_matches(rule.files, path) for path in examination.paths)
            case BalanceRule():
                return len(examination.nodes(rule.sum))
            case ChecklistRule():
                return len(examination.nodes(rule.after))
            case Rule() if placed.part == "closed" and location[-1] == "closed":
                names = str(location[3]) if len(location) > 3 else ""
                documents = examination.matching(str(location[1]))
                return _in_files(examination, str(location[1]), names) if names else len(documents)
    except Unknown:
        return 0
    return None


def _in_files(examination: Examination, pattern: str, names: str) -> int:
    return sum(
        len(examination.nodes_in(document, f"{document.path}#{names}"))
        for document in examination.matching(pattern)
        if examination.gamebook.file(document.path) is examination.gamebook.rules.files[pattern]
    )
