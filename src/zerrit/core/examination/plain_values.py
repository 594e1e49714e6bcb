"""
The plain values of a sound JSON or XML document, for rules that look at every entry of a long file.

Making a node for each value takes ten times as long as finding out that a file is sound, and nearly all values are as
they should be. So they are looked at as the standard readers of JSON and XML (both in C) give them; nodes are made only
for the entries that something is wrong with. What these readers give must be what the nodes would: documents with
anything out of the ordinary are not looked at in this way, and the tests hold both ways beside each other.
"""

from __future__ import annotations

import json
import re
from collections.abc import Sequence
from typing import Any, Final
from xml.etree import ElementTree

from zerrit.core.addresses import Segment, branch_of
from zerrit.core.documents import Document, Format

_DECODER: Final = json.JSONDecoder(parse_int=str, parse_float=str, parse_constant=str)
_WORDS: Final = {True: "true", False: "false", None: "null"}
#: In XML: what a reader of the standard would change in an attribute, or name in another way than it is written.
_UNUSUAL: Final = re.compile(r"<!DOCTYPE|xmlns|<!\[CDATA\[|\"[^\"<>]*[\t\r\n][^\"<>]*\"")

Plain = Any  #: a dict, list or text of JSON, or an element of XML


def plain_root(document: Document) -> Plain | None:
    """The outermost value of a document; None where its values cannot be had in this way."""
    if not document.ok or document.findings:
        return None
    if document.format is Format.JSON:
        try:
            return _DECODER.decode(document.text.removeprefix("\ufeff"))
        except (ValueError, RecursionError):
            return None
    if document.format is Format.XML and _UNUSUAL.search(document.text) is None:
        try:
            return ElementTree.fromstring(document.text)  # noqa: S314  # sound, and without a DTD
        except (ElementTree.ParseError, ValueError):
            return None
    return None


def text_of(value: Plain) -> str | None:
    """The value of a plain JSON value as its node has it; None for objects and arrays."""
    if isinstance(value, str):
        return value
    return None if isinstance(value, dict | list) else _WORDS[value]


def entries_at(root: Plain, segments: Sequence[Segment]) -> list[Plain] | None:
    """What plain segments lead to, in the order of the text; None where they are not plain or meet attributes."""
    found = [root]
    for segment in segments:
        if segment.keys or segment.ordinal or segment.is_deep or segment.name.startswith("@"):
            return None
        if (
            segment.chooses
            or segment.choices
            or segment.is_name_pattern
            or (segment.is_any_name and isinstance(root, ElementTree.Element))
        ):
            return None
        found = _step(found, segment)
    return found


def _step(parents: list[Plain], segment: Segment) -> list[Plain]:
    found: list[Plain] = []
    name, is_any = segment.name, segment.is_any_name
    for parent in parents:
        if isinstance(parent, dict):
            if is_any:
                found.extend(parent.values())
            elif name in parent:
                found.append(parent[name])
        elif isinstance(parent, list):
            if is_any:
                found.extend(parent)
        elif isinstance(parent, ElementTree.Element):
            found.extend(element for element in parent if element.tag == name)
    return found


def field_values(entries: Sequence[Plain], name: str, *, is_xml: bool) -> list[str | None] | None:
    """The value of a field in each entry, None where it has none; None for all where it cannot be told in this way.

    In XML only attributes can: the value of an element depends on what is in it.
    """
    if is_xml:
        if not name.startswith("@"):
            return None
        attribute = name[1:]
        return [entry.get(attribute) for entry in entries]
    if set(map(type, entries)) != {dict}:
        entries = [entry if type(entry) is dict else {} for entry in entries]
    found = [entry.get(name, _ABSENT) for entry in entries]
    if set(map(type, found)) <= {str}:
        return found
    return [value if isinstance(value, str) else None if value is _ABSENT else text_of(value) for value in found]


def values_in(entry: Plain) -> list[str]:
    """All values in an entry, whatever their names."""
    inner = entry.values() if isinstance(entry, dict) else entry if isinstance(entry, list) else ()
    return [text for value in inner if (text := text_of(value)) is not None]


_ABSENT: Final = object()


def has_stranger(root: Plain, tree: dict[str, Any]) -> bool:
    """Some name below is nowhere in the tree of known names; a branch without names of its own is not looked at."""
    stack = [(root, tree)]
    while stack:
        value, known = stack.pop()
        anything = known.get("")
        if isinstance(value, dict):
            if _has_strange_name(value, known, stack):
                return True
        elif isinstance(value, list):
            if value and anything is None:
                return True
            if anything and set(map(type, value)) == {dict}:
                # Items of a list mostly have the same names, and mostly there is nothing below them.
                shapes = set(map(tuple, value))
                flat = [names for names in shapes if _is_flat(names, anything)]
                if len(flat) == len(shapes):
                    continue
            if anything:
                stack.extend((item, anything) for item in value if isinstance(item, dict | list))
        elif isinstance(value, ElementTree.Element):
            if any(branch_of(known, f"@{name}") is None for name in value.attrib):
                return True
            for element in value:
                branch = branch_of(known, element.tag)
                if branch is None:
                    return True
                if branch:
                    stack.append((element, branch))
    return False


def _has_strange_name(
    value: dict[str, Plain], known: dict[str, Any], stack: list[tuple[Plain, dict[str, Any]]]
) -> bool:
    """Some name of an object is not known; what is below the others is put on the stack."""
    if known == {"": {}}:
        return False  # any name will do, and nothing is known of what is below
    for name, below in value.items():
        branch = branch_of(known, name)
        if branch is None:
            return True
        if branch and isinstance(below, dict | list):
            stack.append((below, branch))
    return False


def _is_flat(names: Sequence[str], known: dict[str, Any]) -> bool:
    """All of these names are known, and nothing is known of what is below them."""
    return all((branch := branch_of(known, name)) is not None and not branch for name in names)
