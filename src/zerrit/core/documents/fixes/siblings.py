"""
Where several repairs would do, the siblings of a torn entry may show the true one.

Only the plainest case is decided this way: an XML element without children, on one line, whose own tags are torn but for
one sign (`<want>10/want>`, `<want>10</want`), and beside it several of the same name that all have the same form.
"""

from __future__ import annotations

import re
from typing import Final

from zerrit.core.documents.fixes.strict_readers import StrictReading, StrictXml
from zerrit.core.documents.source import Splice, splice

ENOUGH: Final = 5  # siblings of one form that speak for it
_LEAF: Final = re.compile(r"<([A-Za-z_][\w.\-]*)((?:\s+[\w.:\-]+=(?:\"[^\"<]*\"|'[^'<]*'))*)>([^<>\r\n]*)</\1>")
_NUMBER: Final = re.compile(r"\s*[+-]?[\d.]+\s*")
_PUNCTUATION: Final = re.compile(r"[/<>=\"]")


def follows_siblings(reading: StrictReading, broken: str, fix: Splice) -> bool:
    """The fix gives the torn line one more element of a form that is alone on the lines of many siblings."""
    if not isinstance(reading, StrictXml) or len(fix.text) + fix.end - fix.start > 1:
        return False
    start = broken.rfind("\n", 0, fix.start) + 1
    end = broken.find("\n", fix.start)
    end = end if end >= 0 else len(broken)
    line = splice(broken[start:end], [Splice(fix.start - start, fix.end - start, fix.text)])
    torn = _LEAF.fullmatch(line.strip())
    if torn is None:
        return False
    alike = other = 0
    for match in _LEAF.finditer(broken):
        if match.group(1) == torn.group(1):
            if _form(match) == _form(torn):
                alike += 1
            else:
                other += 1
    return alike >= ENOUGH and other == 0


def _form(leaf: re.Match[str]) -> tuple[object, ...]:
    names = tuple(re.findall(r"([\w.:\-]+)=", leaf.group(2)))
    text = leaf.group(3)
    return names, bool(_NUMBER.fullmatch(text)), bool(_PUNCTUATION.search(text)), bool(text.strip())
