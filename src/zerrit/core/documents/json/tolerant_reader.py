"""
Read JSON that is sound but for comments and commas after last values, which many games allow.

Such files are large as often as others, so they must not go to the slow reader: comments and those commas are
blanked out, each by as many spaces, and what is left is read as sound text; every place stays what it was.
"""

from __future__ import annotations

import re
from typing import Final

from zerrit.core.documents.comments import tidy_block
from zerrit.core.documents.findings import Report
from zerrit.core.documents.json.fast_reader import Remark, read_sound_text
from zerrit.core.documents.node import Node
from zerrit.core.documents.source import Source, Splice

# A text or a comment without its end goes on to the end of the line or file: tried anew from each sign in it, a file of
# nothing else would take hours.
_STRING: Final = r'"(?:[^"\\\r\n]|\\.)*+"?'
_COMMENT: Final = re.compile(rf"{_STRING}|(//[^\r\n]*|/\*[\s\S]*?(?:\*/|(?P<open>\Z))|#[^\r\n]*)")
_LAST_COMMA: Final = re.compile(rf"{_STRING}|(?<=[^\s\[{{,:])[ \t\r\n]*(,)(?=[ \t\r\n]*[\]}}])")
_SEEN: Final = re.compile(r"[^\r\n]")


def read_relaxed(source: Source, report: Report) -> Node | None:
    """The value of the text, its comments and superfluous commas reported; None where something else is wrong."""
    remarks: list[Remark] = []
    commas: list[int] = []
    unclosed: list[int] = []

    def blank_comment(match: re.Match[str]) -> str:
        if match.group(1) is None:
            return match.group()
        if match.group("open") is not None:
            unclosed.append(match.start())
        body = match.group(1).removeprefix("/*").removesuffix("*/").lstrip("/#")
        remarks.append(Remark(match.start(), match.end(), tidy_block(body)))
        return _SEEN.sub(" ", match.group())

    def blank_comma(match: re.Match[str]) -> str:
        if match.group(1) is None:
            return match.group()
        commas.append(match.start(1))
        return match.group().replace(",", " ")

    text = _COMMENT.sub(blank_comment, source.text)
    if unclosed:
        return None
    text = _LAST_COMMA.sub(blank_comma, text)
    if not remarks and not commas:
        return None
    root = read_sound_text(text, remarks, source)
    if root is None:
        return None
    for remark in remarks:
        report_comment(report, remark.start)
    for at in commas:
        report_last_comma(report, at)
    return root


def report_comment(report: Report, at: int) -> None:
    """Report a comment, which JSON does not have."""
    report.add("json.comment", at, "A comment is here; plain JSON has none, and many games stop at it.")


def report_last_comma(report: Report, at: int) -> None:
    """Report a comma behind the last entry."""
    report.add(
        "json.comma-extra",
        at,
        "A comma is after the last value; only values that are followed by another have one.",
        hint="Remove the comma.",
        fix=Splice(at, at + 1, ""),
    )
