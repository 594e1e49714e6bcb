"""What the text of a single value means: its type, its truth, its number."""

from __future__ import annotations

import re
from decimal import ROUND_HALF_UP, Decimal, InvalidOperation
from typing import Final

JSON_NUMBER: Final = re.compile(r"-?(?:0|[1-9]\d*)(?:\.\d+)?(?:[eE][+-]?\d+)?\Z")  # RFC 8259, section 6
YAML_INT: Final = re.compile(r"[-+]?\d+\Z|0o[0-7]+\Z|0x[0-9a-fA-F]+\Z")  # YAML 1.2.2, section 10.3.2
YAML_FLOAT: Final = re.compile(
    r"[-+]?(?:\.\d+|\d+(?:\.\d*)?)(?:[eE][-+]?\d+)?\Z|[-+]?\.(?:inf|Inf|INF)\Z|\.(?:nan|NaN|NAN)\Z"
)
YAML_NULL: Final = frozenset(("", "null", "Null", "NULL", "~"))
YAML_TRUE: Final = frozenset(("true", "True", "TRUE"))
YAML_FALSE: Final = frozenset(("false", "False", "FALSE"))
YAML_OLD_BOOLEANS: Final = frozenset(
    word for base in ("yes", "no", "on", "off", "y", "n") for word in (base, base.title(), base.upper())
)

#: Pairs of words with which files say on and off, the on-word first.
SWITCH_WORDS: Final = (("yes", "no"), ("true", "false"), ("on", "off"), ("1", "0"), ("enabled", "disabled"))

_PLAIN_NUMBER: Final = re.compile(r"[-+]?(?:\d+\.?\d*|\.\d+)\Z")
MOST_PLACES: Final = 6
MAX_DIGITS: Final = 40  # Python refuses to turn very long digit runs into numbers; text stays text


def typed(text: str, is_quoted: bool, format: str) -> object:
    """The plain Python value of a scalar; quoted text, and every value in XML and INI, stays text."""
    if is_quoted or format not in ("json", "yaml"):
        return text
    if format == "json" and len(text) > MAX_DIGITS and JSON_NUMBER.match(text):
        return Decimal(text)  # exact, and of any length; Python refuses to make an int of very long digit runs
    if len(text) > MAX_DIGITS:
        return text
    if format == "json":
        if text in ("true", "false", "null"):
            return {"true": True, "false": False, "null": None}[text]
        if JSON_NUMBER.match(text):
            return int(text) if re.match(r"-?\d+\Z", text) else float(text)
        return text
    if text in YAML_NULL:
        return None
    if text in YAML_TRUE or text in YAML_FALSE:
        return text in YAML_TRUE
    if YAML_INT.match(text):
        return int(text, 0) if text[:2] in ("0x", "0o") else int(text)
    if YAML_FLOAT.match(text):
        return float(
            text.replace(".inf", "inf")
            .replace(".Inf", "inf")
            .replace(".INF", "inf")
            .replace(".nan", "nan")
            .replace(".NaN", "nan")
            .replace(".NAN", "nan")
        )
    return text


def as_number(text: str) -> Decimal | None:
    """The number that a value spells in decimal, or None."""
    stripped = text.strip()
    if len(stripped) > MAX_DIGITS or not _PLAIN_NUMBER.match(stripped):
        return None
    try:
        return Decimal(stripped)
    except InvalidOperation:
        return None


def spell_number(value: Decimal, like: str) -> str:
    """Write a number in the manner of `like`.

    A whole number stays whole (halves are rounded away from zero), since a game that counts things reads `6`
    where `6.5` stops it. A number with places keeps at least as many, and at most `MOST_PLACES`.
    """
    places = len(like.strip().partition(".")[2])
    if places:
        exact = -int(value.normalize().as_tuple().exponent)
        places = min(max(places, exact), MOST_PLACES)
    return format(value.quantize(Decimal(1).scaleb(-places), rounding=ROUND_HALF_UP), "f")


def as_switch(text: str) -> bool | None:
    """True or False when the value is a word for on or off, else None."""
    word = text.strip().lower()
    for on, off in SWITCH_WORDS:
        if word in (on, off):
            return word == on
    return None


def spell_switch(is_on: bool, like: str) -> str:
    """The word for on or off out of the pair that the file uses, in the letter case that it uses."""
    word = like.strip()
    for pair in SWITCH_WORDS:
        if word.lower() in pair:
            chosen = pair[0] if is_on else pair[1]
            if word.isupper():
                return chosen.upper()
            return chosen.title() if word[:1].isupper() else chosen
    raise ValueError(f"{like!r} is not a switch")
