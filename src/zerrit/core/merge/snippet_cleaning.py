"""
Clean a snippet that was copied from a web page or a chat, and say what was cleaned.

Publishing does things to text that its author never sees: quotation marks are bent, spaces become no-break
spaces, the block is fenced or wrapped in tags. None of that belongs into a server's file.
"""

from __future__ import annotations

import re
from collections.abc import Collection
from dataclasses import dataclass
from itertools import pairwise
from typing import Final

from zerrit.core.documents.format import Format

_FENCE: Final = re.compile(r"\A\s*```[^\n]*\n(.*?)\n?```\s*\Z", re.DOTALL)
_HTML_WRAP: Final = re.compile(
    r"\A\s*<(pre|code|p|div|blockquote)(?:\s[^>]*)?>(.*)</\1>\s*\Z", re.DOTALL | re.IGNORECASE
)
_HTML_BREAK: Final = re.compile(r"<br\s*/?>(?:\r\n|\n)?", re.IGNORECASE)
#: Tags with which web pages colour code; no file of settings has them.
_HTML_INSIDE: Final = re.compile(r"</?(?:span|font|strong|em|b|i|u|mark|code|pre)(?:\s[^<>]*)?>", re.IGNORECASE)
_ENTITIES: Final = {"&quot;": '"', "&#34;": '"', "&lt;": "<", "&gt;": ">", "&nbsp;": " ", "&#39;": "'", "&apos;": "'"}
_ENTITY: Final = re.compile("|".join([*_ENTITIES, "&amp;"]))
_SMART: Final = {
    "\u201c": '"',
    "\u201d": '"',
    "\u201e": '"',
    "\u2033": '"',
    "\u2018": "'",
    "\u2019": "'",
    "\u201a": "'",
}
_SPACES: Final = re.compile("[\u00a0\u2007\u202f]")
_INVISIBLE: Final = re.compile("[\u00ad\u200b-\u200f\u202a-\u202e\u2060\u2066-\u2069\ufeff]")
_NUMBERED: Final = re.compile(r"[ \t]*(\d{1,6})(?:[.:|)\u2502]|(?=[ \t]|\Z))[ \t]?(.*)\Z", re.DOTALL)
_LOOKS_LIKE_CODE: Final = re.compile(r"[=:<>\[\]{}\"#;]|^\s*-")
_JSON_TEXT: Final = r'"(?:[^"\\\n]|\\.)*+"'
_JSON_COMMENT: Final = re.compile(
    rf"{_JSON_TEXT}|(?P<piece>(?<![^\n])[ \t]*//[^\n]*\n|[ \t]*//[^\n]*|(?<![^\n])[ \t]*/\*(?:(?!\*/)[\s\S])*\*/[ \t]*\n"
    r"|[ \t]*/\*(?:(?!\*/)[\s\S])*\*/)"
)
_JSON_LAST_COMMA: Final = re.compile(rf"{_JSON_TEXT}|(?P<piece>,(?=\s*[}}\]]))")
_PROMPT: Final = re.compile(r"([$>%]|\w[\w.-]*@[\w.-]+:[^\s$#]*[$#])[ \t]")
_TABS: Final = re.compile(r"^[ ]*\t[ \t]*", re.MULTILINE)


@dataclass(frozen=True, slots=True)
class Cleaned:
    """A snippet's text with LF line endings, and in `notes` what was done to it, one sentence each."""

    text: str
    notes: tuple[str, ...]


def clean(text: str, format: Format = Format.TEXT, tolerate: Collection[str] = ()) -> Cleaned:
    """Clean a snippet that goes into a file of `format`; what may be content of that format is left alone.

    `tolerate` are the departures from the format that the file's game accepts.
    """
    notes: list[str] = []

    def done(changed: str, note: str) -> None:
        nonlocal text
        if changed != text:
            notes.append(note)
            text = changed

    text = text.replace("\r\n", "\n").replace("\r", "\n")
    fenced = _FENCE.match(text)
    if fenced:
        done(fenced.group(1), "Removed the code fence (```).")
    wrapped = _HTML_WRAP.match(text)
    while wrapped:
        done(wrapped.group(2), f"Removed the web page's <{wrapped.group(1).lower()}> tags.")
        wrapped = _HTML_WRAP.match(text)
    if format is not Format.TEXT:  # a numbered list may be what the file is
        done(_without_numbers(text), "Removed the line numbers that were copied along.")
    done(_without_prompt(text), "Removed the prompt signs at the start of the lines.")
    is_escaped = format is not Format.XML or ("&lt;" in text and not _HTML_INSIDE.sub("", text).strip().startswith("<"))
    if is_escaped:
        done(_HTML_INSIDE.sub("", text), "Removed the tags with which a web page had coloured it.")
        done(_HTML_BREAK.sub("\n", text), "Replaced the web page's <br> by line ends.")
        done(
            _ENTITY.sub(lambda match: _ENTITIES.get(match.group(), "&"), text),
            "Replaced the web page's entities (&quot; and the like) by their characters.",
        )
    done(re.sub("|".join(_SMART), lambda m: _SMART[m.group()], text), "Straightened bent quotation marks.")
    done(_SPACES.sub(" ", text), "Replaced no-break spaces by plain ones.")
    done(_INVISIBLE.sub("", text), "Removed invisible characters.")
    if format is Format.YAML:
        done(
            _TABS.sub(lambda match: match.group().replace("\t", "  "), text),
            "Replaced tabs at the start of lines by two spaces each.",
        )
    if format is Format.JSON:
        if "json.comment" not in tolerate:
            done(_without_json_pieces(text, _JSON_COMMENT), "Removed comments, which JSON does not have.")
        if "json.comma-extra" not in tolerate:
            done(_without_json_pieces(text, _JSON_LAST_COMMA), "Removed a comma behind the last entry.")
    return Cleaned(text.strip("\n"), tuple(notes))


def _without_json_pieces(text: str, pieces: re.Pattern[str]) -> str:
    """Without what the group `piece` finds outside of texts; a line that is empty then goes as well."""

    def kept(match: re.Match[str]) -> str:
        return match.group() if match.group("piece") is None else ""

    return pieces.sub(kept, text)


def _without_numbers(text: str) -> str:
    """Line numbers, where every line that is not empty has one and they count up."""
    lines = text.strip("\n").split("\n")
    found = [_NUMBERED.match(line) for line in lines]
    numbers = [int(match.group(1)) for match in found if match is not None]
    filled = [line for line in lines if line.strip()]
    counts_up = all(b - a == 1 for a, b in pairwise(numbers))
    if len(filled) < 2 or len(numbers) < len(filled) or not counts_up:
        return text
    rests = [match.group(2) for match in found if match is not None and match.group(2).strip()]
    if not all(_LOOKS_LIKE_CODE.search(rest) for rest in rests):
        return text  # `1: red` is a setting on its own
    return "\n".join(match.group(2) if match is not None else "" for match in found)


def _without_prompt(text: str) -> str:
    """The sign of a shell, or of a quoted message, where every line that is not empty begins with it."""
    lines = text.split("\n")
    signs = {match.group(1) if (match := _PROMPT.match(f"{line} ")) else "" for line in lines if line.strip()}
    if len(signs) != 1 or "" in signs:
        return text
    (sign,) = signs
    return "\n".join(line.removeprefix(sign).removeprefix(" ") for line in lines)
