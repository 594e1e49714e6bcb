"""
Look for another repair than the proposed one.

A fault is nearly always one sign too few, too many or mistyped; in XML also a whole tag. So every repair of that kind is
tried in the part of the text where it could help, and each that gives a sound file with other content is a reason to
leave the decision to a person. What cannot be searched within `MOST_WORK` counts as undecided.

Where the search may begin: a parser that reads from left to right notices a fault at the first sign that cannot follow
what it has read. A repair behind that sign is too late, and what is before the innermost part that is open there
has no say in it.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import Final

from zerrit.core.documents.fixes.strict_readers import StrictIni, StrictJson, StrictReading, StrictXml, StrictYaml
from zerrit.core.documents.source import Splice, splice

MOST_WORK: Final = 30_000_000  # trials times characters; about a second
WHOLE: Final = 1_500  # characters; a text up to this length is searched from its beginning
MOST_SEARCHED: Final = 6_000  # characters
_PARENT_AND_CHILD: Final = 2
_ENDS_TAG: Final = re.compile(r"[<>/]")
_BRACKET: Final = re.compile(r"[{}\[\]]")
_JSON_TOKEN: Final = re.compile(r'"(?:[^"\\]|\\.)*+"|[{}\[\],]', re.DOTALL)
_TAG: Final = re.compile(
    r"<!--.*?-->|<!\[CDATA\[.*?\]\]>|<\?.*?\?>|<(/?)([^\s<>/!?]+)(?:[^<>\"']|\"[^\"]*\"|'[^']*')*?(/?)>", re.DOTALL
)
_LONE_COMMA: Final = re.compile(r"[\[:{]\s*(,)")
_SIGN: Final = re.compile(r"[^\w\s,]")
_GAP: Final = re.compile(r",(\s*)(?=(\S))")
_SOUND_TAG: Final = re.compile(r"</?[^\s<>/!?='\"]+(?:\s+[^\s<>/='\"]+=(?:\"[^\"<]*\"|'[^'<]*'))*\s*/?>")
_BOUNDARY: Final = re.compile(r"(?<=[>\s])|(?=[<\s])|\A|\Z")
_YAML_LINES: Final = 4  # above and below: a quotation mark or bracket is rarely forgotten further away


def has_other_repair(reading: StrictReading, broken: str, fixed: str, fix: Splice) -> bool:
    """Whether one sign makes `broken` a sound text that does not say what `fixed` says, or whether that stays unknown.

    `fix` is where the search begins.
    """
    if _may_be_cut_off(reading, broken, fix):
        return True
    broken, fixed, fix = _smaller(reading, broken, fixed, fix)
    wanted = reading.data(fixed)
    window = _window(reading, broken, fix)
    if wanted is None or reading.has_torn_markup(wanted) or window is None:
        return True
    first, last = window
    pieces = _nearest_first(_repairs(reading, broken, first, last), fix.start)
    if len(pieces) * (len(broken) + 200) > MOST_WORK:
        return True
    found = (reading.data(splice(broken, [piece])) for piece in pieces)
    return any(each not in (None, wanted) and not reading.has_torn_markup(each) for each in found)


def _may_be_cut_off(reading: StrictReading, broken: str, fix: Splice) -> bool:
    """What a fix adds at the very end may be all that is missing, or the beginning of it.

    A JSON text that ends with a line end behind a value without a comma lacks only brackets.
    """
    if broken[fix.end :].strip() or not fix.text:
        return False
    is_complete = isinstance(reading, StrictJson) and broken.endswith(("\n", "\r"))
    return not (is_complete or isinstance(reading, StrictIni))


def _nearest_first(pieces: Iterator[Splice], at: int) -> list[Splice]:
    return sorted(pieces, key=lambda piece: abs(piece.start - at))


# --- a smaller text with the same question -----------------------------------------------------------------------------


def _smaller(reading: StrictReading, broken: str, fixed: str, fix: Splice) -> tuple[str, str, Splice]:
    """The part of a long text that the fault and all its repairs lie in, sound for itself once it is fixed."""
    part: tuple[int, int, str, str] | None = None
    if len(broken) > WHOLE and splice(broken, [fix]) == fixed:
        if isinstance(reading, StrictJson) and not _BRACKET.search(broken[fix.start : fix.end] + fix.text):
            part = _json_part(fixed, fix)
        elif isinstance(reading, StrictXml):
            part = _xml_part(reading, broken, fixed, fix)
    if part is None:
        return broken, fixed, fix
    first, last, before, after = part
    shift = len(fix.text) - (fix.end - fix.start)
    if not first <= fix.start or fix.end > last - shift:
        return broken, fixed, fix
    moved = Splice(fix.start - first + len(before), fix.end - first + len(before), fix.text)
    return before + broken[first : last - shift] + after, before + fixed[first:last] + after, moved


def _json_part(fixed: str, fix: Splice) -> tuple[int, int, str, str] | None:
    """The entry that is fixed with its neighbours, in the brackets around them."""
    opened: list[tuple[str, list[int]]] = []
    inside: tuple[str, list[int]] | None = None
    depth = 0
    for match in _JSON_TOKEN.finditer(fixed):
        sign = match.group()
        if inside is None and match.end() > fix.start and opened and sign not in "{[":
            inside, depth = opened[-1], len(opened)
        if sign in "{[":
            opened.append((sign, [match.end()]))
        elif sign == "," and opened:
            opened[-1][1].append(match.end())
        elif sign in "}]" and opened:
            if inside is not None and len(opened) == depth:
                inside[1].append(match.end())
            opened.pop()
        if inside is not None:
            behind = [cut for cut in inside[1] if cut > fix.end + len(fix.text) + 1]
            if len(behind) > 1 or len(opened) < depth:
                break
    if inside is None:
        return None
    sign, cuts = inside
    first = max((cut for cut in cuts[:-1] if cut <= fix.start), default=cuts[0])
    first = max((cut for cut in cuts if cut < first), default=first)
    behind = [cut for cut in cuts if cut > fix.end + len(fix.text) + 1]
    if not behind:
        return None
    return first, behind[min(1, len(behind) - 1)] - 1, sign, "}" if sign == "{" else "]"


def _xml_part(reading: StrictXml, broken: str, fixed: str, fix: Splice) -> tuple[int, int, str, str] | None:
    """The element around the innermost one that is open where the fault shows; the one whose attribute is at fault."""
    if _ENDS_TAG.search(broken[fix.start : fix.end] + fix.text):
        opened = _open_elements(broken, min(reading.fault_at(broken), len(broken)))
        if len(opened) < _PARENT_AND_CHILD:
            return None
        first = opened[-2]
    else:
        first = max(fixed.rfind("<", 0, fix.start), 0)
    depth = 0
    for match in _TAG.finditer(fixed, first):
        closing, name, empty = match.groups()
        if name is not None and not empty:
            depth += -1 if closing else 1
        if name is not None and depth == 0:
            return first, match.end(), "", ""
    return None


# --- where ------------------------------------------------------------------------------------------------------------


def _window(reading: StrictReading, broken: str, fix: Splice) -> tuple[int, int] | None:
    match reading:
        case StrictJson():
            last = min(max(reading.fault_at(broken), fix.end), len(broken))
            first = 0 if last <= WHOLE else _json_start(broken, last)
        case StrictXml():
            last = min(max(reading.fault_at(broken), fix.end), len(broken))
            first = 0 if last <= WHOLE else _xml_start(broken, last)
        case StrictIni():
            first = max(broken.rfind("\n", 0, fix.start), broken.rfind("\r", 0, fix.start)) + 1
            last = _line_end(broken, fix.end)
        case _:
            first, last = _lines_around(broken, fix)
    return (min(first, fix.start), last) if last - first <= MOST_SEARCHED else None


def _json_start(text: str, last: int) -> int:
    """The beginning of the innermost bracket that is open at `last`."""
    opened: list[int] = []
    for match in _JSON_TOKEN.finditer(text, 0, last):
        sign = match.group()
        if sign in "{[":
            opened.append(match.start())
        elif sign in "}]" and opened:
            opened.pop()
    return opened[-1] if opened else 0


def _xml_start(text: str, last: int) -> int:
    """The beginning of the innermost element that is open before the tag at which the fault shows."""
    opened = _open_elements(text, last)
    return opened[-1] if opened else 0


def _open_elements(text: str, last: int) -> list[int]:
    """Where the elements begin that are open before the last tag that begins before `last`, the outermost first."""
    opened: list[int] = []
    before = text.rfind("<", 0, max(last - 1, 0))
    for match in _TAG.finditer(text, 0, max(before, 0)):
        closing, name, empty = match.groups()
        if name is None or empty:
            continue
        if not closing:
            opened.append(match.start())
        elif opened:
            opened.pop()
    return opened


def _line_end(text: str, at: int) -> int:
    ends = [found for found in (text.find("\n", at), text.find("\r", at)) if found >= 0]
    return min(ends, default=len(text))


def _lines_around(text: str, fix: Splice) -> tuple[int, int]:
    if len(text) <= WHOLE // 2:
        return 0, len(text)
    first, last = fix.start, fix.end
    for _ in range(_YAML_LINES):
        first = max(text.rfind("\n", 0, max(first - 1, 0)) + 1, 0)
        last = min(_line_end(text, last) + 1, len(text))
    return first, last


# --- what -------------------------------------------------------------------------------------------------------------


def _repairs(reading: StrictReading, text: str, first: int, last: int) -> Iterator[Splice]:
    for at in range(first, last + 1):
        for sign in reading.signs:
            if text[at - 1 : at] != sign or at == first:  # behind its like it gives the same text
                yield Splice(at, at, sign)
        found = text[at : at + 1]
        if found and at < last and not found.isalnum() and not found.isspace():
            yield Splice(at, at + 1, "")
            yield from (Splice(at, at + 1, sign) for sign in reading.signs if sign != found)
            if isinstance(reading, StrictIni) and text[at + 1 : at + 2].isspace():
                yield Splice(at, at + 1, ";")
            if isinstance(reading, StrictYaml):
                yield Splice(at, at + 1, "  ")
        elif found and found in "\t\r\n" and isinstance(reading, StrictJson):
            yield Splice(at, at + 1, "")  # of no account but inside of a text
        elif found in " \t" and text[at - 1 : at].isalnum() and text[at + 1 : at + 2].isalnum():
            yield Splice(at, at + 1, "")
    if isinstance(reading, StrictJson):
        yield from _lost_values(text, first, last)
    if isinstance(reading, StrictXml):
        yield from _tag_repairs(text, first, last)


def _lost_values(text: str, first: int, last: int) -> Iterator[Splice]:
    """A value lost behind a comma: the white space in front of it, as the other commas have it, is still there.

    Or one that was replaced by a sign.
    """
    gaps = {match.group(1) for match in _GAP.finditer(text) if match.group(2) not in "]},"}
    for match in _GAP.finditer(text, max(first - 1, 0), last + 1):
        if match.group(2) in "]}," and any(match.group(1).startswith(gap) for gap in gaps or {""}):
            yield Splice(match.end(1), match.end(1), "0")
    for match in _LONE_COMMA.finditer(text, first, last):
        yield Splice(match.start(1), match.start(1), "0")
        yield Splice(match.start(1), match.end(1), "0")
    for match in _SIGN.finditer(text, first, last):
        yield Splice(match.start(), match.end(), "0")


def _tag_repairs(text: str, first: int, last: int) -> Iterator[Splice]:
    """A whole tag lost, added, or with the name of another."""
    names: set[str] = set()
    for match in _TAG.finditer(text, first, last):
        name = match.group(2)
        if name is None:
            continue
        names.add(name)
        if _SOUND_TAG.fullmatch(match.group()):
            yield Splice(match.start(), match.end(), "")
    for match in _TAG.finditer(text, first, last):
        if match.group(2) is not None:
            yield from (Splice(match.start(2), match.end(2), name) for name in names if name != match.group(2))
    for boundary in _BOUNDARY.finditer(text, first, last):
        at = boundary.start()
        for name in names:
            yield Splice(at, at, f"</{name}>")
            yield Splice(at, at, f"<{name}>")
