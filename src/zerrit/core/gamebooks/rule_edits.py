"""
Edits of a gamebook by its parts: a rule is added, changed or removed, and everything else stays byte for byte.

A gamebook is text that people write, with comments that say why. So a part is never written anew together with its
neighbours: what changes is spliced into the text, and the result is read back. Where it does not say exactly what was
asked for, the edit is refused.
"""

from __future__ import annotations

import json
import re
from collections.abc import Mapping, Sequence
from typing import Any, Final

from zerrit.core.documents import Document, Format, Node, NodeKind, read_document
from zerrit.core.documents.format_writer import writer_of
from zerrit.core.documents.source import Splice
from zerrit.core.errors import EditRefused
from zerrit.core.gamebooks.source_lines import Location, locate

_PLAIN: Final = re.compile(r"[A-Za-z](?:[\w .-]*\w)?\Z")
_WORDS_OF_YAML: Final = frozenset(("true", "false", "yes", "no", "on", "off", "null", "y", "n"))
_NAME: Final = re.compile(r"""(?:"(?:[^"\\\r\n]|\\.)*"|'[^'\r\n]*'|[^\s:#'"](?:[^:#\r\n]|:(?!\s)|(?<!\s)#)*):(?=\s)""")
_WRITER: Final = writer_of(Format.YAML)


def scalar(text: str) -> str:
    """A YAML scalar that is read back as this text, in any place."""
    return text if _PLAIN.match(text) and text.lower() not in _WORDS_OF_YAML else json.dumps(text, ensure_ascii=False)


def in_one_line(data: Any) -> str:
    """Data as YAML in one line: `{every: "a.xml#b", list: words}`."""
    if isinstance(data, Mapping):
        return f"{{{', '.join(f'{scalar(str(name))}: {in_one_line(value)}' for name, value in data.items())}}}"
    if isinstance(data, Sequence) and not isinstance(data, str):
        return f"[{', '.join(map(in_one_line, data))}]"
    if data is None or isinstance(data, bool):
        return json.dumps(data)
    return scalar(data) if isinstance(data, str) else str(data)


def data_at(text: str, location: Location) -> Any:
    """What stands at a place of a gamebook; None where nothing does."""
    return part_of(read_document(text.encode(), "gamebook.yml", format=Format.YAML).to_data(), location)


def part_of(data: Any, location: Location) -> Any:
    """What stands at a place of a gamebook that is given as plain values; None where nothing does."""
    for part in location:
        if isinstance(part, int):
            data = data[part] if isinstance(data, list) and part < len(data) else None
        else:
            data = data.get(part) if isinstance(data, dict) else None
    return data


def with_part(text: str, location: Location, data: Any) -> str:
    """The text of a gamebook in which `data` stands at a place; what the place is in is made where it is absent.

    A number behind the last item of a list adds one. Of a part that is there only what differs is changed.

    Raises EditRefused: the text is written in a way in which this cannot be done.
    """
    document = read_document(text.encode(), "gamebook.yml", format=Format.YAML)
    old = document.to_data()
    edited = _put(document, location, data)
    return _proved(edited, _with(old, location, data), location)


def without_part(text: str, location: Location) -> str:
    """The text of a gamebook without what stands at a place, and without the comment that documents it.

    A list or group that is empty then goes, too. Raises EditRefused: nothing is there, or it cannot be removed.
    """
    document = read_document(text.encode(), "gamebook.yml", format=Format.YAML)
    old = document.to_data()
    if part_of(old, location) is None:
        raise EditRefused(f"Nothing is at {_words(location)} in the gamebook.")
    while len(location) > 1 and len(part_of(old, location[:-1])) == 1 and _may_go(location[:-1]):
        location = location[:-1]
    _, node = locate(document, location)
    parent = node.parent
    if parent is not None and parent.parent is not None and len(parent.children) == 1:
        edited = _emptied(document, parent)
    else:
        edited = _spliced(document, _WRITER.remove(document, node))
    return _proved(edited, _without(old, location), location)


def _may_go(location: Location) -> bool:
    """An empty part means the same as one that is absent; an entry or a file that is named is known, even so."""
    return len(location) == 1 or location[-1] in ("fields", "must", "entries")


def _emptied(document: Document, node: Node) -> Document:
    """A named part that holds nothing any more: `name: {}`, since a name without a value would be something else."""
    name = _NAME.match(document.text, node.start)
    if name is None:
        raise EditRefused(f"`{node.name}` is written in a way that cannot be edited by its parts. Edit the text.")
    nothing = "[]" if node.kind is NodeKind.LIST else "{}"
    end = max(node.end, name.end())
    line_end = document.source.line_end(end)
    if document.text[end:line_end].lstrip(" \t").startswith("#"):
        end = line_end  # what the comment was about is gone
    return _spliced(document, [Splice(name.end(), end, f" {nothing}")])


def _put(document: Document, location: Location, data: Any) -> Document:
    node, depth = document.root, 0
    for part in location:
        children = node.children
        child = children[part] if isinstance(part, int) and part < len(children) else None
        if isinstance(part, str):
            child = node.child(part)
        if child is None:
            break
        node, depth = child, depth + 1
    rest = location[depth:]
    if not rest:
        return _changed(document, location, node, data)
    if node.is_value and node.value:
        raise EditRefused(f"{_words(location[:depth])} is a single value in the gamebook. Edit the text.")
    in_brackets = _in_brackets(document, node)
    if in_brackets and not node.children:
        return _spliced(document, [Splice(node.value_start, node.value_end, in_one_line(_wrapped(rest, data)))])
    return _spliced(document, _WRITER.insert(document, node, [_source(rest, data, in_brackets)], None))


def _wrapped(location: Location, data: Any) -> Any:
    """Data with what it is in around it."""
    for part in reversed(location):
        data = [data] if isinstance(part, int) else {part: data}
    return data


def _in_brackets(document: Document, node: Node) -> bool:
    at: Node | None = node
    while at is not None:
        if not at.is_value and document.text.startswith(("{", "["), at.value_start):
            return True
        at = at.parent
    return False


def _source(location: Location, data: Any, in_brackets: bool) -> str:
    """The text of a new part: what it is in as lines, itself in one line."""
    name, *rest = location
    if in_brackets:
        body = in_one_line(_wrapped(tuple(rest), data))
        return body if isinstance(name, int) else f"{scalar(name)}: {body}"
    lines = _block(tuple(rest), data)
    if isinstance(name, int):
        return "\n".join(lines)  # the writer puts the dash before it
    if not rest:
        return f"{scalar(name)}: {lines[0]}"
    return "\n".join([f"{scalar(name)}:", *(f"  {line}" for line in lines)])


def _block(location: Location, data: Any) -> list[str]:
    if not location:
        return [in_one_line(data)]
    name, *rest = location
    below = _block(tuple(rest), data)
    if isinstance(name, int):
        return [f"- {below[0]}", *(f"  {line}" for line in below[1:])]
    if not rest:
        return [f"{scalar(name)}: {below[0]}"]
    return [f"{scalar(name)}:", *(f"  {line}" for line in below)]


def _changed(document: Document, location: Location, node: Node, data: Any) -> Document:
    """What stands at a place becomes `data`, key by key, so that comments between the keys stay."""
    if isinstance(data, Mapping) and node.kind is NodeKind.GROUP and node.children:
        old = part_of(document.to_data(), location)
        for name in [name for name in old if name not in data]:
            document = _spliced(document, _WRITER.remove(document, locate(document, (*location, name))[1]))
        for name, value in data.items():
            if name not in old or old[name] != value:
                document = _put(document, (*location, name), value)
        return document
    if node.is_value and not isinstance(data, Mapping | list | tuple):
        start, end = node.value_start, node.value_end
        if node.is_quoted:
            start, end = start - 1, end + 1
        gap = " " if document.text[start - 1 : start] == ":" else ""
        return _spliced(document, [Splice(start, end, gap + in_one_line(data))])
    start, end = (node.value_start, node.value_end) if node.value_start >= 0 else (node.start, node.end)
    if node.is_quoted:
        start, end = start - 1, end + 1
    if not node.is_value and not document.text.startswith(("{", "["), start):
        raise EditRefused(f"{_words(location)} is written over several lines. Edit it in the text of the gamebook.")
    gap = " " if document.text[start - 1 : start] == ":" else ""
    return _spliced(document, [Splice(start, end, gap + in_one_line(data))])


def _spliced(document: Document, splices: Sequence[Splice]) -> Document:
    edited = document.with_splices(splices)
    if not edited.ok:
        raise EditRefused("The gamebook is written in a way that cannot be edited by its parts. Edit the text.")
    return edited


def _proved(edited: Document, wanted: Any, location: Location) -> str:
    """The text, which says exactly what was asked for and nothing else."""
    if edited.to_data() != wanted:
        raise EditRefused(
            f"{_words(location)} cannot be written there without changing more. Edit the text of the gamebook."
        )
    return edited.text


def _words(location: Location) -> str:
    return " / ".join(str(part + 1) if isinstance(part, int) else part for part in location)


# --- the same on plain data, to compare with ---------------------------------------------------------------------------


def _with(data: Any, location: Location, value: Any) -> Any:
    if not location:
        return _as_read(value)
    first, rest = location[0], location[1:]
    if isinstance(first, int):
        items = list(data or [])
        below = _with(items[first] if first < len(items) else None, rest, value)
        return [*items[:first], below, *items[first + 1 :]]
    return {**(data or {}), first: _with((data or {}).get(first), rest, value)}


def _as_read(value: Any) -> Any:
    """Data as a YAML reader gives it."""
    if isinstance(value, Mapping):
        return {str(name): _as_read(one) for name, one in value.items()}
    if isinstance(value, list | tuple):
        return [_as_read(one) for one in value]
    return value


def _without(data: Any, location: Location) -> Any:
    first, rest = location[0], location[1:]
    if not rest:
        if isinstance(first, int):
            return [one for number, one in enumerate(data) if number != first]
        return {name: one for name, one in data.items() if name != first}
    if isinstance(first, int):
        return [_without(one, rest) if number == first else one for number, one in enumerate(data)]
    return {name: _without(one, rest) if name == first else one for name, one in data.items()}
