"""What the content of a file looks like, where its name does not say its format."""

from __future__ import annotations

import re
from io import StringIO
from itertools import islice
from typing import Final

from zerrit.core.documents.format import Format

_LOOKED_AT: Final = 200  # lines
_LONGEST: Final = 400  # characters of a line that are looked at
_ENOUGH: Final = 0.7  # of the lines; the others may be broken
_MOST_WORDS: Final = 6  # of a keyword line without quotation marks; sentences have more
_REMARK: Final = (";", "#", "//", "/*", "*")
_XML_START: Final = re.compile(r"<(?:\?xml\b|!--|!DOCTYPE\b|[A-Za-z_][\w.:-]*(?:[\s/>]))")
_JSON_START: Final = re.compile(
    r'\{\s*(?:"(?:[^"\\\r\n]|\\.)*"\s*:|\})|\[\s*(?:[{\["]|-?\d[^\]\r\n]*[,\]]\s*$)', re.MULTILINE
)
_INI_LINE: Final = re.compile(r"\[[^\]]*\]?(?:\s*[;#].*)?\Z|[^\s=\"'{}();][^=\"'{}();]*=(?!.*[{;]\s*\Z)")
_CLASS_LINE: Final = re.compile(r"class\s+\w+(?:\s*:\s*\w+)?\s*(?:[{;]|\Z)")
_STATEMENT: Final = re.compile(
    r"\w+(?:\[\])?\s*\+?=.*;\s*(?://.*)?\Z|\w+(?:\[\])?\s*\+?=\s*\{|[{}]|\};|class\b|enum\b"
    r'|(?:"(?:[^"]|"")*"|-?\d[\d.]*)\s*,?\s*(?://.*)?\Z'
)
_BRACES_LINE: Final = re.compile(r'(?:"(?:[^"\\]|\\.)*+"|[\w.$/:*+-]++|[{}]|[ \t]++|\[[^\]]*\])+?(?://.*)?\Z')
_KEYWORD_LINE: Final = re.compile(
    r'[A-Za-z_][\w.+-]*(?:[ \t]+(?:"(?:[^"\\]|\\.)*"|[^\s"=]+))*[ \t]*(?:(?://|#|;).*)?\Z'
)
#: What only code of a language looks like, and what most of its lines look like.
_SCRIPTS: Final = {
    Format.LUA: (
        re.compile(
            r"local\s+[\w, ]+=|(?:local\s+)?function\b[\w.: ]*\(.*\)|(?:else)?if\b.*\bthen\Z|[\w.]+(?:\[\"[^\"]*\"\])?\s*=\s*\{\Z"
            r"|return\s+\{\Z|--\[\["
        ),
        re.compile(
            r"local\b|function\b|end\b|else|if\b.*\bthen\b|for\b.*\bdo\b|while\b.*\bdo\b|repeat\b|until\b|return\b|--"
            r"|(?:[\w.]+|\[.*\])\s*=[^=].*(?<!;)\Z|[{}]|[\w.:]+\s*[({\"'].*\Z|[\"'].*[\"'][,;]?\Z"
        ),
    ),
    Format.JAVASCRIPT: (
        re.compile(
            r"(?:export\s+)?(?:const|let|var)\s+(?:[\w$]+\s*=|[{\[])|(?:export\s+)?(?:async\s+)?function\b.*\{|module\.exports\b|import\s.*\sfrom\s"
        ),
        re.compile(r".*[;{},(\[)\]]\Z|//|/?\*|(?:case|default)\b.*:"),
    ),
    Format.C: (
        re.compile(
            r"#\s*(?:include|define|pragma)\b|(?:static|const|public|private|void|int|float|bool)\s+[\w<>]+[\s*&]+\w"
        ),
        re.compile(r".*[;{},()]\Z|//|/?\*|#|(?:case|default|public|private)\b.*:|(?:class|struct|enum)\b"),
    ),
}
_SENTENCE_END: Final = (".", "!", "?", ":", ",")


def likely_format(text: str) -> Format | None:
    """The format that a text looks like; None where it could be anything, prose and code above all."""
    start = text.lstrip(" \t\r\n\ufeff")
    if _XML_START.match(start):
        return Format.XML if "</" in text or "/>" in text else None
    if _JSON_START.match(start):
        return Format.JSON
    lines = [line.strip() for line in islice(StringIO(text), _LOOKED_AT)]
    said = [line[:_LONGEST] for line in lines if line and not line.startswith(_REMARK)]
    if not said:
        return None
    classes = sum(1 for line in said if _CLASS_LINE.match(line))
    if _fit(said, _STATEMENT) and (classes or any(line.rstrip().endswith(";") for line in said)):
        return Format.CLASSES
    if "{" in "".join(said) and _fit(said, _BRACES_LINE) and any('"' in line for line in said):
        return Format.BRACES
    for language, (certain, line) in _SCRIPTS.items():
        if any(certain.match(one) for one in said) and _fit(said, line):
            return language
    if _fit(said, _INI_LINE):
        return Format.INI
    if _fit(said, _KEYWORD_LINE) and not any(_is_sentence(line) for line in said):
        return Format.KEYWORDS
    return None


def _fit(lines: list[str], pattern: re.Pattern[str]) -> bool:
    return sum(1 for line in lines if pattern.match(line)) >= _ENOUGH * len(lines)


def _is_sentence(line: str) -> bool:
    return '"' not in line and (len(line.split()) > _MOST_WORDS or line.endswith(_SENTENCE_END))
