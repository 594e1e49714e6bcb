"""
Clean a snippet that was copied from a web page or a chat, and say what was cleaned.

Publishing does things to text that its author never sees: quotation marks are bent, spaces become no-break
spaces, the block is fenced or wrapped in tags. None of that belongs into a server's file.
"""

from __future__ import annotations

import html
import re
from collections.abc import Collection
from dataclasses import dataclass, field
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
_ENTITY: Final = re.compile(r"&(?:#[0-9]{1,7}|#[xX][0-9a-fA-F]{1,6}|[A-Za-z][A-Za-z0-9]{1,31});")
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
    washed = _Washed(text.replace("\r\n", "\n").replace("\r", "\n"))
    _unwrap(washed)
    if format is not Format.TEXT:  # a numbered list may be what the file is
        washed.becomes(_without_numbers(washed.text), "Removed the line numbers that were copied along.")
    washed.becomes(_without_prompt(washed.text), "Removed the prompt signs at the start of the lines.")
    if format is not Format.XML or _is_escaped_xml(washed.text):
        _without_page(washed)
    _plain_signs(washed)
    if format is Format.YAML:
        untabbed = _TABS.sub(lambda match: match.group().replace("\t", "  "), washed.text)
        washed.becomes(untabbed, "Replaced tabs at the start of lines by two spaces each.")
    if format is Format.JSON:
        _plain_json(washed, tolerate)
    return Cleaned(washed.text.strip("\n"), tuple(washed.notes))


@dataclass
class _Washed:
    """A text that is being cleaned, and what was done to it."""

    text: str
    notes: list[str] = field(default_factory=list)

    def becomes(self, text: str, note: str) -> None:
        if text != self.text:
            self.notes.append(note)
            self.text = text


def _unwrap(washed: _Washed) -> None:
    """Without the fence or the tags around all of it."""
    fenced = _FENCE.match(washed.text)
    if fenced:
        washed.becomes(fenced.group(1), "Removed the code fence (```).")
    wrapped = _HTML_WRAP.match(washed.text)
    while wrapped:
        washed.becomes(wrapped.group(2), f"Removed the web page's <{wrapped.group(1).lower()}> tags.")
        wrapped = _HTML_WRAP.match(washed.text)


def _is_escaped_xml(text: str) -> bool:
    return "&lt;" in text and not _HTML_INSIDE.sub("", text).strip().startswith("<")


def _without_page(washed: _Washed) -> None:
    """Without what a web page put around the words and into them."""
    washed.becomes(_HTML_INSIDE.sub("", washed.text), "Removed the tags with which a web page had coloured it.")
    washed.becomes(_HTML_BREAK.sub("\n", washed.text), "Replaced the web page's <br> by line ends.")
    washed.becomes(
        _ENTITY.sub(lambda match: html.unescape(match.group()), washed.text),
        "Replaced the web page's entities (&quot; and the like) by their characters.",
    )


def _plain_signs(washed: _Washed) -> None:
    straight = re.sub("|".join(_SMART), lambda match: _SMART[match.group()], washed.text)
    washed.becomes(straight, "Straightened bent quotation marks.")
    washed.becomes(_SPACES.sub(" ", washed.text), "Replaced no-break spaces by plain ones.")
    washed.becomes(_INVISIBLE.sub("", washed.text), "Removed invisible characters.")


def _plain_json(washed: _Washed, tolerate: Collection[str]) -> None:
    if "json.comment" not in tolerate:
        plain = _without_json_pieces(washed.text, _JSON_COMMENT)
        washed.becomes(plain, "Removed comments, which JSON does not have.")
    if "json.comma-extra" not in tolerate:
        plain = _without_json_pieces(washed.text, _JSON_LAST_COMMA)
        washed.becomes(plain, "Removed a comma behind the last entry.")


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
