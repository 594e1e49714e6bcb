"""
Read XML text into nodes: quickly where it is well-formed, patiently where it is not.

expat alone would not do: it stops at the first fault and names the place where it noticed, which is often
hundreds of lines below the place where a person has to mend. But it is quick to tell that there is no fault.
So sound text, which nearly all text is, goes to `xml_sound`, and everything else to `xml_faulty`.
"""

from __future__ import annotations

import codecs
import re
from typing import Final

from zerrit.core.documents.findings import Report
from zerrit.core.documents.node import Node
from zerrit.core.documents.source import Source, Splice
from zerrit.core.documents.xml_faulty import read_faulty
from zerrit.core.documents.xml_sound import is_well_formed, read_again, read_sound

__all__ = ["read", "read_again"]

_ENCODING: Final = re.compile(r"""<\?xml\s[^>]*?\sencoding\s*=\s*["']([A-Za-z][A-Za-z0-9._-]*)["']""")


def read(source: Source, report: Report) -> Node:
    """Read the text; the root node is the outermost element, or an empty group where there is none."""
    _check_encoding(source, report)
    root = read_sound(source) if is_well_formed(source.text) else None
    return root if root is not None else read_faulty(source, report)


def _check_encoding(source: Source, report: Report) -> None:
    """XML is what its first line says, or UTF-8 where it says nothing; an 8-bit file that does not say so is broken."""
    declared = _ENCODING.match(source.text)
    if source.is_guessed:
        says = f"The first line says {declared.group(1)}" if declared else "XML whose first line does not say is UTF-8"
        report.add(
            "xml.encoding",
            0,
            f"{says}, but this file is not. A game stops at the first letter that is no plain ASCII.",
            hint='Save the file as UTF-8, or say encoding="windows-1252" in its first line.',
        )
    elif declared and not _is_called(source, declared.group(1)):
        actual = source.encoding.removesuffix("-le").removesuffix("-be").upper()
        report.add(
            "xml.encoding",
            declared.start(1),
            f"The first line says {declared.group(1)}, but the file is {actual}.",
            hint=f"Write {actual}.",
            mend=Splice(declared.start(1), declared.end(1), actual),
        )


def _is_called(source: Source, name: str) -> bool:
    """`name` is a name of the encoding that the text came in."""
    try:
        named = codecs.lookup(name).name
    except LookupError:
        return False
    return named == codecs.lookup(source.encoding).name or (named == "utf-16" and source.encoding.startswith("utf-16"))
