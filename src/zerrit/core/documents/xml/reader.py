"""
Read XML text into nodes: quickly where it is well-formed, patiently where it is not.

expat alone would not do: it stops at the first fault and names the place where it noticed, which is often
hundreds of lines below the place where a person has to fix something. But it is quick to tell that there is no fault.
So sound text, which nearly all text is, goes to `sound.py`, and everything else to `faulty.py`.
"""

from __future__ import annotations

import codecs
import re
from bisect import bisect_left
from collections.abc import Sequence
from typing import Final

from zerrit.core.documents.findings import Report
from zerrit.core.documents.node import Node
from zerrit.core.documents.reading import Reading
from zerrit.core.documents.source import Source, Splice
from zerrit.core.documents.xml.fast_reader import is_well_formed, read_sound, read_sound_again
from zerrit.core.documents.xml.text import SPACE

_ENCODING: Final = re.compile(
    r"""<\?xml[ \t\r\n][^>]*?[ \t\r\n]encoding[ \t\r\n]*=[ \t\r\n]*["']([A-Za-z][A-Za-z0-9._-]*)["']"""
)
#: A `>` behind a `>` with no `<` between them, the second ending what may be a tag or comment.
_TWO_ENDS: Final = re.compile(r""">([^<>]*+)(?:(?<=[/"'>])|(?<=--))(?=>)""")
_PLAIN_COMMENT: Final = re.compile(r"<!--[^<>]*-->")
#: Tags, in whose values a `>` may be, and what is not text.
_NOT_TEXT: Final = re.compile(
    r"""<!--.*?-->|<!\[CDATA\[.*?\]\]>|<\?.*?\?>|<[^>"']*+(?:"[^"]*+"[^>"']*+|'[^']*+'[^>"']*+)*+>""", re.DOTALL
)
_LOST_TAG: Final = re.compile(
    r"""[A-Za-z_][\w.:-]*(?:[ \t\r\n]+[\w.:-]+[ \t\r\n]*=[ \t\r\n]*(?:"[^"]*"|'[^']*'))*[ \t\r\n]*/>|/[A-Za-z_][\w.:-]*[ \t\r\n]*>"""
)


def read(source: Source, report: Report, _reading: Reading) -> Node:
    """Read the text; the root node is the outermost element, or an empty group where there is none."""
    _check_encoding(source, report)
    root = read_sound(source) if is_well_formed(source.text) else None
    if root is None:
        # Its patterns take long to compile, and nearly all text is sound.
        from zerrit.core.documents.xml.recovering_reader import read_faulty  # noqa: PLC0415

        root = read_faulty(source, report)
    if not report.findings:
        _check_stray_ends(source, report)
    return root


#: What begins or ends a comment, an instruction or a section. Where an edit touches one, what follows it may change.
_MARKUP: Final = re.compile(r"<[!?]|--|\?>|\]\]")
_NEAR: Final = 3  # characters beside an edit that can make such a sign with it


def read_again(old: Node, old_text: str, source: Source, pieces: Sequence[Splice]) -> Node | None:
    """Read a text that `pieces`, in order, made out of a sound one, `old_text`, where that is quick.

    None where the whole text has to be read.
    """
    text = source.text
    shift = 0
    for piece in pieces:
        start = piece.start + shift
        shift += len(piece.text) - (piece.end - piece.start)
        was = old_text[max(0, piece.start - _NEAR) : piece.end + _NEAR]
        now = text[max(0, start - _NEAR) : piece.end + shift + _NEAR]
        if _MARKUP.search(was) or _MARKUP.search(now):
            return None
        window = text[max(text.rfind("<", 0, start), 0) : text.find("<", piece.end + shift) + 1]
        if _TWO_ENDS.search(window):
            return None
    return read_sound_again(old, source, pieces)


def _check_stray_ends(source: Source, report: Report) -> None:
    """`item at="left"/>` and `rare -->` are well-formed as text; what was meant is a tag and a comment."""
    if _has_no_stray_end(source.text):
        return
    passed_over: list[tuple[int, int]] | None = None
    for match in _TWO_ENDS.finditer(source.text):
        if passed_over is None:
            passed_over = [found.span() for found in _NOT_TEXT.finditer(source.text)]
        start, end = match.start() + 1, match.end() + 1
        before = bisect_left(passed_over, (end, 0)) - 1  # the last one that begins before
        if before >= 0 and end <= passed_over[before][1]:
            continue
        body = match.group(1).strip(SPACE)
        place = start + match.group(1).index(body) if body else end - 1
        is_tag = bool(_LOST_TAG.match(body + ">"))
        report.add(
            "xml.stray-end",
            place,
            f"`{(body + '>')[:40]}` is here as text; it looks like a {'comment' if body.endswith('--') else 'tag'} "
            "whose beginning is missing. The game does not see it.",
            hint="Add `<` here." if is_tag else "Remove it." if not body else "",
            fix=Splice(place, place, "<") if is_tag else Splice(end - 1, end, "") if not body else None,
        )


def _has_no_stray_end(text: str) -> bool:
    """A quick answer for most texts: tags and plain comments have one `<` and one `>` each."""
    return (
        text.count("<") == text.count(">")
        and "<![" not in text
        and text.count("<!--") == sum(1 for _ in _PLAIN_COMMENT.finditer(text))
    )


def _check_encoding(source: Source, report: Report) -> None:
    """XML is what its first line says, or UTF-8 where it says nothing; an 8-bit file that does not say so is broken."""
    declared = _ENCODING.match(source.text)
    if source.is_guessed:
        says = f"The first line says {declared.group(1)}" if declared else "XML whose first line does not say is UTF-8"
        report.add(
            "xml.encoding",
            0,
            f"{says}, but this file is not. A game stops at the first letter that is not plain ASCII.",
            hint='Save the file as UTF-8, or say encoding="windows-1252" in its first line.',
        )
    elif declared and not _is_called(source, declared.group(1)):
        actual = source.encoding.removesuffix("-le").removesuffix("-be").upper()
        report.add(
            "xml.encoding",
            declared.start(1),
            f"The first line says {declared.group(1)}, but the file is {actual}.",
            hint=f"Write {actual}.",
            fix=Splice(declared.start(1), declared.end(1), actual),
        )


def _is_called(source: Source, name: str) -> bool:
    """`name` is a name of the encoding that the text came in."""
    try:
        named = codecs.lookup(name).name
    except LookupError:
        return False
    return named == codecs.lookup(source.encoding).name or (named == "utf-16" and source.encoding.startswith("utf-16"))
