"""
What the comment on a setting says of its values: a range, the words that it may be, a default, a unit, a warning, when a new
one takes effect; and what the comments of a file say of the whole file.

Only forms that can hardly mean anything else are read, and only where the value that is there agrees with them: a comment may
speak of something else, or be older than the setting.
"""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import dataclass
from decimal import Decimal
from typing import Final

from zerrit.core.documents.scalars import as_number, as_switch
from zerrit.core.units import UNIT_WORDS, unit_of

_NUMBER: Final = r"(-?\d+(?:\.\d+)?)"
_RANGES: Final = (
    re.compile(rf"\bfrom\s+{_NUMBER}\s+(?:up\s+)?to\s+{_NUMBER}(?![\d:%])", re.IGNORECASE),
    re.compile(rf"\bbetween\s+{_NUMBER}\s+and\s+{_NUMBER}(?![\d:%])", re.IGNORECASE),
    re.compile(rf"[(\[]\s*{_NUMBER}\s*(?:to|\.\.\.?|–|-)\s*{_NUMBER}\s*[)\]]", re.IGNORECASE),
    re.compile(
        rf"\b(?:range|values?|allowed|valid)\b\s*(?:is|are)?\s*[:=]?\s*{_NUMBER}\s*(?:to|\.\.\.?|–|-)\s*{_NUMBER}(?![\d:%])",
        re.IGNORECASE,
    ),
    re.compile(rf"(?:^|[,;])\s*{_NUMBER}\s*(?:to|\.\.\.?|–|-)\s*{_NUMBER}\s*(?=$|[,;]|\.(?!\d))", re.MULTILINE),
)
_LEAST: Final = re.compile(
    rf"\b(?:min(?:imum)?|at least|not below)\s*(?:is|:|=)?\s*{_NUMBER}(?![\d:%.])", re.IGNORECASE
)
_MOST: Final = re.compile(rf"\b(?:max(?:imum)?|at most|not above)\s*(?:is|:|=)?\s*{_NUMBER}(?![\d:%.])", re.IGNORECASE)
_LISTED: Final = re.compile(
    r"\b(?:one of|either|options?|allowed|values?|can be|may be)\b\s*(?:are|is)?\s*[:=]?\s*([^.;()\n]+)", re.IGNORECASE
)
_VALUE: Final = r"[\"'`]?(-?\d+(?:\.\d+)?|[A-Za-z][\w-]*)[\"'`]?"
_DEFAULTS: Final = (
    re.compile(rf"(?<!\bby )\bdefaults?(?:\s+value)?\s*(?:is|are|to|:|=)?\s*{_VALUE}(?![\d:]|\s*%)", re.IGNORECASE),
    re.compile(rf"(?<![\w.-]){_VALUE}\s*(?:=\s*|is\s+|\(\s*)(?:the\s+)?default\b", re.IGNORECASE),
)
_WARNS: Final = re.compile(
    r"(?<!\bnot )(?<!\bno )(?<!\bnever )(?<!\bnothing )\b(?:(?P<over>above|over|beyond|(?:more|higher|greater) than)|below|under|(?:less|lower|fewer) than)\s+"
    r"(?P<number>-?\d+(?:\.\d+)?)(?![\d:%]|\.\d)",
    re.IGNORECASE,
)
_UNIT: Final = f"({UNIT_WORDS})"
_UNIT_FORMS: Final = (
    re.compile(rf"\bin\s+(?:whole\s+)?{_UNIT}(?![\w%])", re.IGNORECASE),
    re.compile(rf"(?<!\w)[(\[]\s*(?:in\s+)?{_UNIT}\s*[)\]]", re.IGNORECASE),
    re.compile(rf"\b(?:number of|how many)\s+{_UNIT}(?![\w%])", re.IGNORECASE),
    re.compile(rf"(?:^|[,;:])\s*{_UNIT}\s*(?=$|[,;.])", re.IGNORECASE | re.MULTILINE),
    re.compile(
        rf"(?:^|\.\s+)\s*{_UNIT}\s+(?:between|until|before|after|for which|that)\b", re.IGNORECASE | re.MULTILINE
    ),
)
_AFTER: Final = r"(?:after|at|on|with|from|upon)\s+(?:a|an|the|each|every)?\s*(?:next\s+)?"
_NEW_WORLD: Final = r"(?:new (?:world|map|save)s?|world is (?:made|created|generated))"
_EFFECTS: Final = (
    (
        "reload",
        rf"\btakes? effect {_AFTER}reload|\breload (?:is enough|suffices|will do)|\b(?:no|without a?) ?restart\b|"
        r"\brestart is not needed|\bread again (?:at|on|with) (?:a |each )?reload",
    ),
    (
        "new world",
        rf"\btakes? effect (?:only )?(?:in|for|{_AFTER})\s*(?:a )?{_NEW_WORLD}|\b(?:needs|requires) a {_NEW_WORLD}|"
        rf"\bonly (?:for|in) (?:a )?{_NEW_WORLD}|\bonly (?:used )?when the {_NEW_WORLD}",
    ),
    ("map change", rf"\btakes? effect {_AFTER}(?:map change|change of (?:the )?map)|\bneeds a map change"),
    (
        "rejoin",
        rf"\btakes? effect {_AFTER}(?:rejoin|reconnect)|\bplayers (?:have to|must) (?:rejoin|reconnect|join again)",
    ),
    (
        "restart",
        rf"\btakes? effect {_AFTER}restart|\b(?:needs|requires) a (?:full )?restart|\brestart (?:is )?(?:needed|required)",
    ),
)
_OF_FILE: Final = re.compile(
    r"\b(?:this file|(?:all|these) settings|(?:all )?changes|edits)\b(?! (?:of|to) (?!this file|it))", re.IGNORECASE
)
_WRITTEN: Final = re.compile(
    r"\b(?:(?:over)?written|rewritten|saved|re-?generated|writes|saves|overwrites|rewrites)\b[^.;!\n]*?"
    r"\b(?:stops?|stopped|stopping|shut ?down|shuts down|exits?|closes|closed|closing|ends)\b",
    re.IGNORECASE,
)
_NOT: Final = re.compile(r"\b(?:not|never|cannot)\b|n't\b", re.IGNORECASE)
_SENTENCE: Final = re.compile(r"(?<=[.!;])\s+|\n")
_WORD: Final = re.compile(r"[A-Za-z][\w-]*\Z")
_BARS: Final = re.compile(r"[\w-]+(?:\s*\|\s*[\w-]+)+")
_SPLIT: Final = re.compile(r"\s*(?:,|\||/|\bor\b)\s*")
MOST_WORDS: Final = 24
MAX_COMMENT: Final = 2000
MAX_SENTENCE: Final = 200


@dataclass(frozen=True, slots=True)
class Warned:
    """Values that a comment warns of: a condition on `value`, and the sentence."""

    condition: str
    sentence: str


@dataclass(frozen=True, slots=True)
class Said:
    """What a comment says: the ends of a range, or the words; what is taken where the setting is absent; what it warns of.

    `unit` is what a number counts, in words; `takes_effect` when a new value does, empty where that is not said.
    """

    least: Decimal | None = None
    most: Decimal | None = None
    words: tuple[str, ...] = ()
    default: str = ""
    warned: tuple[Warned, ...] = ()
    unit: str = ""
    takes_effect: str = ""


def said_in(comments: Iterable[str], values: Iterable[str]) -> Said:
    """What the one comment on a setting says of its values, where those that were seen agree; nothing where there are several."""
    texts = [one for one in comments if one.strip()]
    seen = [value for value in values if value]
    if len(texts) != 1 or not seen or len(texts[0]) > MAX_COMMENT:
        return Said()
    (text,) = texts
    numbers = [as_number(value) for value in seen]
    known = [one for one in numbers if one is not None]
    effect = effect_in(text)
    if len(known) == len(seen):
        least, most = _bounds(text, min(known), max(known))
        warned = _warned(text, min(known), max(known))
        return Said(least, most, (), _default(text, is_number=True), warned, _unit(text), effect)
    words = _words(text)
    words = words if all(value in words for value in seen) else ()
    default = _default(text, is_number=False)
    is_known = default in (words or seen) or (as_switch(default) is not None and as_switch(seen[0]) is not None)
    return Said(words=words, default=default if is_known else "", takes_effect=effect)


def effect_in(text: str) -> str:
    """When a new value takes effect, as a comment says it; empty where it does not, or says two things."""
    found = {
        effect
        for sentence in _SENTENCE.split(text)
        for effect, pattern in _EFFECTS
        if re.search(pattern, sentence, re.IGNORECASE) and (not _NOT.search(sentence) or "not needed" in sentence)
    }
    return found.pop() if len(found) == 1 else ""


@dataclass(frozen=True, slots=True)
class SaidOfFile:
    """What the comments of a file say of the whole file, each with its sentence; empty where they do not."""

    takes_effect: str = ""
    effect_said: str = ""
    written_said: str = ""


def said_of_file(comments: Iterable[str]) -> SaidOfFile:
    """What sentences about the file itself say in its comments, given line by line in their order."""
    text = ""
    for line in (line for one in comments if len(one) <= MAX_COMMENT for line in one.splitlines()):
        text += f"{' ' if line[:1].islower() else chr(10)}{line}"  # a sentence goes on with a small letter
    found = (" ".join(one.split()).strip(" .;!") for one in _SENTENCE.split(text))
    sentences = [one for one in found if len(one) <= MAX_SENTENCE and _OF_FILE.search(one)]
    effects = {effect: one for one in sentences if (effect := effect_in(one))}
    written = next((one for one in sentences if _WRITTEN.search(one) and not _NOT.search(one)), "")
    effect, said = effects.popitem() if len(effects) == 1 else ("", "")
    return SaidOfFile(effect, said, written)


def _unit(text: str) -> str:
    """What a number counts, as its comment says; empty where it does not, or names two."""
    found = {unit_of(word) for pattern in _UNIT_FORMS for word in pattern.findall(text)}
    return found.pop() if len(found) == 1 else ""


def _default(text: str, *, is_number: bool) -> str:
    """The one value that a comment calls the default; empty where there is none, or several."""
    found = {value for pattern in _DEFAULTS for value in pattern.findall(text)}
    found = {value for value in found if (as_number(value) is not None) is is_number}
    return found.pop() if len(found) == 1 else ""


def _warned(text: str, least_seen: Decimal, most_seen: Decimal) -> tuple[Warned, ...]:
    """Sentences of the form `above 3 the nets tear`, where no value that was seen is above 3."""
    warned = []
    for sentence in _SENTENCE.split(text):
        found = list(_WARNS.finditer(sentence))
        if len(found) != 1 or "{" in sentence or len(sentence) > MAX_SENTENCE:
            continue
        number, over = Decimal(found[0]["number"]), bool(found[0]["over"])
        if most_seen <= number if over else least_seen >= number:
            warned.append(Warned(f"value {'>' if over else '<'} {number}", sentence.strip(" .;!")))
    return tuple(warned)


def _bounds(text: str, least_seen: Decimal, most_seen: Decimal) -> tuple[Decimal | None, Decimal | None]:
    ranges = {(Decimal(low), Decimal(high)) for pattern in _RANGES for low, high in pattern.findall(text)}
    if len(ranges) > 1:
        return None, None  # of two, one is of something else
    least: Decimal | None
    most: Decimal | None
    if ranges:
        ((least, most),) = ranges
    else:
        lows, highs = (set(map(Decimal, pattern.findall(text))) for pattern in (_LEAST, _MOST))
        least, most = (next(iter(found)) if len(found) == 1 else None for found in (lows, highs))
    if least is not None and most is not None and least >= most:
        return None, None
    fits = (least is None or least <= least_seen) and (most is None or most >= most_seen)
    return (least, most) if fits else (None, None)


def _words(text: str) -> tuple[str, ...]:
    bars = _BARS.findall(text)
    candidates = bars if len(bars) == 1 else _LISTED.findall(text)
    if len(candidates) != 1:
        return ()
    words = [word.strip().strip("\"'`") for word in _SPLIT.split(candidates[0])]
    words = [word for word in words if word]
    is_list = 2 <= len(words) <= MOST_WORDS and all(_WORD.match(word) for word in words)
    return tuple(dict.fromkeys(words)) if is_list else ()
