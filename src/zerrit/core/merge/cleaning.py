"""
Clean a snippet that was copied from a web page or a chat, and say what was cleaned.

Publishing does things to text that its author never sees: quotation marks are bent, spaces become no-break
spaces, the block is fenced or wrapped in tags. None of that belongs into a server's file.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import Final

_FENCE: Final = re.compile(r"\A\s*```[^\n]*\n(.*?)\n?```\s*\Z", re.DOTALL)
_HTML_WRAP: Final = re.compile(
    r"\A\s*<(pre|code|p|div|blockquote)(?:\s[^>]*)?>(.*)</\1>\s*\Z", re.DOTALL | re.IGNORECASE
)
_HTML_BREAK: Final = re.compile(r"<br\s*/?>(?:\r\n|\n)?", re.IGNORECASE)
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
_INVISIBLE: Final = re.compile("[\u200b\u200c\u200d\u2060\ufeff]")


@dataclass(frozen=True, slots=True)
class Cleaned:
    """A snippet's text with LF line endings, and in `notes` what was done to it, one sentence each."""

    text: str
    notes: tuple[str, ...]


def clean(text: str, *, is_xml: bool = False) -> Cleaned:
    """Clean a snippet. `is_xml` leaves entities and tags alone that are part of the content."""
    notes: list[str] = []

    def done(changed: str, note: str) -> None:
        nonlocal text
        if changed != text:
            notes.append(note)
            text = changed

    text = text.replace("\r\n", "\n").replace("\r", "\n")
    fenced = _FENCE.match(text)
    if fenced:
        done(fenced.group(1), "Took off the code fence (```).")
    wrapped = _HTML_WRAP.match(text)
    while wrapped:
        done(wrapped.group(2), f"Took off the web page's <{wrapped.group(1).lower()}> tags.")
        wrapped = _HTML_WRAP.match(text)
    if not is_xml:
        done(_HTML_BREAK.sub("\n", text), "Turned the web page's <br> into line ends.")
        if re.search(r"&(?:quot|lt|gt|amp|nbsp|#39);", text):
            for entity, sign in (
                ("&quot;", '"'),
                ("&lt;", "<"),
                ("&gt;", ">"),
                ("&nbsp;", " "),
                ("&#39;", "'"),
                ("&amp;", "&"),
            ):
                text = text.replace(entity, sign)
            notes.append("Turned the web page's entities (&quot; and the like) into their characters.")
    done(re.sub("|".join(_SMART), lambda m: _SMART[m.group()], text), "Straightened bent quotation marks.")
    done(_SPACES.sub(" ", text), "Replaced no-break spaces by plain ones.")
    done(_INVISIBLE.sub("", text), "Removed invisible characters.")
    return Cleaned(text.strip("\n"), tuple(notes))
