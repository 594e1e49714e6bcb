"""Write into scripts: into the tables, settings and options that are opened, and whole lines."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from typing import Final

from zerrit.core.documents.bracket_writer import insert_entries, remove_entry, separator_behind
from zerrit.core.documents.closed_text import quoted_part, setting_beside
from zerrit.core.documents.document import Document
from zerrit.core.documents.format_writer import (
    field_order,
    indent_unit,
    whole_lines,
)
from zerrit.core.documents.node import Node, NodeKind
from zerrit.core.documents.scripts.languages import BATCH, LANGUAGES, Language, Tables
from zerrit.core.documents.scripts.literals import quoted
from zerrit.core.documents.scripts.options import is_option, option_behind, option_removed
from zerrit.core.documents.source import Splice
from zerrit.core.documents.text.writer import TextWriter, insert_words, remove_word
from zerrit.core.errors import EditRefused

_NUMBER: Final = re.compile(r"[-+]?(?:0[xX][0-9a-fA-F]+|\d+(?:\.\d*)?(?:[eE][-+]?\d+)?|\.\d+)[fFuUlL]{0,2}\Z")
_NAME: Final = re.compile(r"[A-Za-z_$][\w$]*(?:(?:\.|::)[A-Za-z_$][\w$]*)*\Z")
_NEEDS_MARKS: Final = re.compile(r"[\s;&|<>()$`\"'\\*?#!{}\[\]~%^=]|^$")
_COMMENT: Final = re.compile(r"--|//|/\*|#")
_STATEMENT_HEAD: Final = re.compile(
    r"\s*(?:(?:local|const|let|var|export|static|readonly|public|private|protected|final|unsigned|ref|struct)\s+)*"
    r"[\w$.:<>\[\]\"' ]+?(?:=\s*(?:new\b[^;={}]*)?|[ \t]*\(?\s*(?:[\"'][^\"'\r\n]*[\"']\s*,?\s*)?|)\s*\Z"
)
_STATEMENT_TAIL: Final = re.compile(r"\s*\)?\s*[;,]?\s*(?:(?:--|//|#)[^\r\n]*)?\Z")


class ScriptWriter:
    """Dispatches: a line is a text's, an option a command's, anything else a table's or a setting's."""

    def __init__(self) -> None:
        self._text = TextWriter()

    def set_value(self, document: Document, node: Node, value: str) -> list[Splice]:
        if _is_text(document, node):
            return self._text.set_value(document, node, value)
        if not node.is_value:
            raise EditRefused(f"`{node.name}` holds other values. Address one of them instead.")
        tables = _language(document).tables
        if tables is None:
            return _set_word(document, node, value)
        start, end = _written_span(document, node)
        return [Splice(start, end, _spelled(document, value, node, tables))]

    def render(self, document: Document, name: str, fields: Mapping[str, str], like: Node | None) -> str:
        tables = _language(document).tables
        if tables is None or name in document.reading.slots:
            return self._text.render(document, name, fields, like)
        parts = [
            _field_key(document, field, like, tables)
            + _spelled(document, value, like.child(field) if like else None, tables)
            for field, value in field_order(fields, like)
        ]
        if like is not None and "\n" in document.text[like.value_start : like.value_end]:
            unit = indent_unit(document)
            end = "," if separator_behind(document, like.children[-1]) is not None else ""
            body = "{\n" + ",\n".join(unit + part for part in parts) + end + "\n}"
        else:
            body = "{ " + ", ".join(parts) + " }"
        return (_key(name, tables, like=_text_of(document, like)) if name else "") + body

    def render_field(self, document: Document, parent: Node, name: str, value: str) -> str:
        if parent.parent is None:
            return self._render_line(document, parent, name, value)
        if _is_text(document, parent):
            return self._text.render_field(document, parent, name, value)
        if _is_words(document, parent):
            return self._render_word(document, parent, value)
        tables = _language(document).tables
        if tables is None:
            return value
        last = parent.children[-1] if parent.children else None
        key = _key(name, tables, like=_text_of(document, last)) if name else ""
        return key + _spelled(document, value, None if name else last, tables)

    def _render_word(self, document: Document, parent: Node, value: str) -> str:
        sign = _sign_between(document, parent)
        if sign in value or re.search(r"[\s\"']", value):
            raise EditRefused(
                f"`{value}` cannot be a word of the list {parent.name}, which has `{sign}` between its words."
            )
        return value

    def _render_line(self, document: Document, root: Node, name: str, value: str) -> str:
        if name == "line" or not name or name in document.reading.slots:
            return self._text.render_field(document, root, name, value)
        like = next((child for child in reversed(root.children) if child.name == name), None)
        if like is not None and is_option(document, like):
            return _option_like(document, like, value)
        beside = setting_beside(document)
        if beside is None or not _NAME.match(name):
            raise EditRefused(
                f"{document.path} has no setting beside which {name} could be written. Add a line with its text instead."
            )
        return _setting_like(document, beside, name, value)

    def insert(self, document: Document, parent: Node, sources: Sequence[str], after: Node | None) -> list[Splice]:
        if parent.parent is None:
            if after is not None and is_option(document, after):
                return [option_behind(document, after, source) for source in sources]
            return self._text.insert(document, parent, sources, after)
        if _is_text(document, parent):
            return self._text.insert(document, parent, sources, after)
        if _is_words(document, parent):
            return insert_words(parent, sources, after, _sign_between(document, parent))
        if parent.is_value:
            what = (
                " Set it to a list, such as =a;b, if the program takes one."
                if _language(document).tables is None
                else ""
            )
            raise EditRefused(f"`{parent.name}` is a single value; nothing can be added to it.{what}")
        return insert_entries(document, parent, sources, after)

    def rename(self, document: Document, node: Node, name: str) -> list[Splice]:
        if _is_text(document, node) or (node.parent is not None and not node.name):
            return self._text.rename(document, node, name)
        text = document.text
        if node.parent is not None and node.parent.parent is None:
            part = quoted_part(document, node)
            if part is not None:
                last = name.removeprefix(node.name[: len(node.name) - (part[1] - part[0])])
                if re.search(r"[\"'\\\r\n]", last):
                    raise EditRefused(f"`{last}` cannot be a name between the quotation marks there.")
                return [Splice(*part, last)]
            place = re.compile(rf"(?<![\w$]){re.escape(node.name)}(?![\w$])").search(text, node.start, node.value_start)
            if place is None or not re.fullmatch(r"[\w.$-]+", name):
                raise EditRefused(f"{node.name} cannot be given the name {name} by this step. Set the line instead.")
            return [Splice(place.start(), place.end(), name)]
        tables = _language(document).tables
        key = tables.key.match(text, node.start) if tables is not None else None
        if tables is None or key is None:
            raise EditRefused(f"`{node.name}` is not written as a name in front of a value.")
        dot = "." if text.startswith(".", node.start) else ""
        written = key.group()
        gap = written[len(written.rstrip(tables.sign.strip() + " \t")) :]
        new = _key(name, tables, like=written).removesuffix(tables.sign)
        return [Splice(key.start(), key.end(), dot + new + gap)]

    def remove(self, document: Document, node: Node) -> list[Splice]:
        parent = node.parent
        if parent is None or _is_text(document, node):
            return self._text.remove(document, node)
        if is_option(document, node):
            return option_removed(document, node)
        if _is_words(document, parent):
            return remove_word(node, parent)
        if parent.parent is None:
            return [_remove_statement(document, node)]
        return remove_entry(document, node, parent)


def _option_like(document: Document, like: Node, value: str) -> str:
    """An option of the same name with another value."""
    own = document.text[like.start : like.end]
    first, last = like.value_start - like.start, like.value_end - like.start
    if first >= len(own):
        raise EditRefused(f"The option {like.name} has no value here, and is there already.")
    is_in_marks = like.is_quoted and _mark(document, like) not in value
    if not is_in_marks and _NEEDS_MARKS.search(value):
        raise EditRefused(f"`{value}` needs quotation marks; add it as a line instead.")
    return own[:first] + value + own[last:]


def _setting_like(document: Document, like: Node, name: str, value: str) -> str:
    """The line of another setting with this name and value."""
    start, end = _written_span(document, like)
    head, tail = document.text[like.start : start], document.text[end : like.end]
    at = head.rindex(like.name)
    tables = _language(document).tables
    written = _spelled(document, value, None, tables) if tables else _word(document, like, value)
    tail = _COMMENT.split(tail, maxsplit=1)[0].rstrip()
    return head[:at] + name + head[at + len(like.name) :] + written + tail


def _language(document: Document) -> Language:
    return LANGUAGES[document.format]


def _is_text(document: Document, node: Node) -> bool:
    """The node is a line, a slot or in one, or the file itself."""
    if node.parent is None:
        return True
    while node.parent is not None and node.parent.parent is not None:
        node = node.parent
    return node.name == "line" or node.name in document.reading.slots


def _is_words(document: Document, parent: Node) -> bool:
    """The list is of words in a command or setting, and no table of the language."""
    is_top = parent.parent is not None and parent.parent.parent is None
    return (
        parent.kind is NodeKind.LIST
        and is_top
        and document.text[parent.value_start : parent.value_start + 1] not in ("{", "[")
    )


def _written_span(document: Document, node: Node) -> tuple[int, int]:
    """Where a value is, with the marks around it."""
    if not node.is_quoted:
        return node.value_start, node.value_end
    if document.text[node.value_start - 1] == "[" or document.text.startswith("]", node.value_end):
        margin = re.search(r"\[=*\[\Z", document.text[max(0, node.value_start - 40) : node.value_start])
        width = len(margin.group()) if margin is not None else 1
        return node.value_start - width, node.value_end + width
    return node.value_start - 1, node.value_end + 1


def _mark(document: Document, node: Node) -> str:
    return document.text[node.value_start - 1] if node.is_quoted else '"'


# --- values of tables and settings ------------------------------------------------------------------------------------------


def _spelled(document: Document, value: str, like: Node | None, tables: Tables) -> str:
    """A value as the language writes it: a text stays a text, a number and a word of the language stay bare.

    Raises EditRefused: what is there is worked out by the script, and the new value is neither of these.
    """
    is_bare = value in tables.words or bool(_NUMBER.match(value))
    if like is not None and like.is_value and like.is_quoted:
        mark = _mark(document, like)
        if mark == "[":  # a long text
            start, end = _written_span(document, like)
            closing = document.text[like.value_end : end]
            if closing not in value and not value.startswith("\n"):
                return document.text[start : like.value_start] + value + closing
            mark = '"'
        return quoted(value, mark)
    if is_bare:
        return value
    old = (like.value or "") if like is not None and like.is_value else ""
    if old and old not in tables.words and not _NUMBER.match(old):
        if value[:1] in ("'", '"') and value[-1:] == value[:1] and len(value) > 1:
            return value
        if _NAME.match(old) and _NAME.match(value):
            return value
        raise EditRefused(
            f"`{old.splitlines()[0][:60]}` is worked out by the script. Write a number, one of {', '.join(tables.words)}, or a "
            "text in quotation marks."
        )
    return quoted(value, _usual_mark(document))


def _usual_mark(document: Document) -> str:
    return "'" if document.text.count("'") > document.text.count('"') else '"'


def _field_key(document: Document, field: str, like: Node | None, tables: Tables) -> str:
    own = like.child(field) if like is not None else None
    dot = "." if own is not None and document.text.startswith(".", own.start) else ""
    return dot + _key(field, tables, like=_text_of(document, own))


def _text_of(document: Document, node: Node | None) -> str:
    return document.text[node.start : node.value_start] if node is not None else ""


def _key(name: str, tables: Tables, like: str = "") -> str:
    """A name with the sign behind it, in quotation marks where it needs them or where that of its neighbour has some."""
    marked = re.match(r"\[?\s*([\"'])", like)
    if tables.plain_key.match(name) and not marked:
        return name + tables.sign
    if re.fullmatch(r"\d+", name) and tables.is_always_literal:
        return f"[{name}]{tables.sign}"
    return tables.quoted_key.format(quoted(name, marked.group(1) if marked else '"')) + tables.sign


# --- words of commands and settings of a shell -----------------------------------------------------------------------------


def _set_word(document: Document, node: Node, value: str) -> list[Splice]:
    if (
        is_option(document, node)
        and node.value_start == node.end
        and not node.is_quoted
        and document.text[node.end - 1 : node.end] not in "=:"
    ):
        raise EditRefused(f"{node.name} is an option without a value. Remove it, or set the line.")
    start, end = _written_span(document, node) if _is_own(document, node) else (node.value_start, node.value_end)
    return [Splice(start, end, _word(document, node, value))]


def _is_own(document: Document, node: Node) -> bool:
    """The quotation marks around the value are around nothing else."""
    return node.is_quoted and node.parent is not None and node.parent.parent is None


def _word(document: Document, like: Node, value: str) -> str:
    """A value as a command or an assignment has it.

    Raises EditRefused: it cannot be written there.
    """
    if "\n" in value or "\r" in value:
        raise EditRefused("The value is to be in one line, but holds a line break.")
    language = _language(document)
    mark = _mark(document, like)
    text = document.text
    if not _is_own(document, like) and like.parent is not None and like.parent.parent is not None:
        sign = _sign_between(document, like.parent)
        if sign in value or re.search(r"[\s\"']", value):
            raise EditRefused(f"`{value}` cannot be one word of a list that has `{sign}` between its words.")
        return value
    if language is BATCH:
        if '"' in value or "^" in value or ("%" in value and "%" not in (like.value or "")):
            raise EditRefused(
                f"`{value}` holds a sign that a batch file takes for something else. Set the line instead."
            )
        is_in_marks = like.is_quoted or text[like.start : like.value_start].count('"') % 2 == 1
        if is_in_marks:
            return f'"{value}"' if like.is_quoted else value
        if is_option(document, like):
            return f'"{value}"' if _NEEDS_MARKS.search(value.replace(";", "")) else value
        if re.search(r"[&|<>]", value):
            raise EditRefused(
                f"`{value}` holds a sign that a batch file takes for something else. Set the line instead."
            )
        return value
    if not like.is_quoted and text[like.start : like.value_start].count('"') % 2 == 1:
        if re.search(r"[$`\\\"]", value):
            raise EditRefused(
                f"`{value}` holds a sign that a shell takes for something else there. Set the line instead."
            )
        return value
    if (
        like.is_quoted
        and mark not in value
        and not (mark == '"' and re.search(r"[$`\\!]", value) and not _has_places(like))
    ):
        return f"{mark}{value}{mark}"
    if not like.is_quoted and not _NEEDS_MARKS.search(value):
        return value
    if re.search(r"[$`\\!\"]", value) and not _has_places(like):
        if "'" in value:
            raise EditRefused(f"`{value}` cannot be written between quotation marks of a shell. Set the line instead.")
        return f"'{value}'"
    return f'"{value}"'


def _has_places(like: Node) -> bool:
    """The value has variables in it already, so that a `$` in the new one is meant as one."""
    return "$" in (like.value or "")


def _sign_between(document: Document, parent: Node) -> str:
    children = parent.children
    if len(children) < 2:
        return ";"
    return document.text[children[0].end : children[1].start].strip() or ";"


def _remove_statement(document: Document, node: Node) -> Splice:
    """Take the lines of a table or setting out, where nothing else is in them."""
    text, source = document.text, document.source
    start, end = _written_span(document, node) if node.is_value else (node.value_start, node.value_end)
    head = text[source.line_start(node.start) : start]
    tail = text[end : source.line_end(node.end)]
    is_alone = node.is_value or (_STATEMENT_HEAD.match(head) and _STATEMENT_TAIL.match(tail))
    lines = whole_lines(document, node)
    if lines is None or not is_alone:
        raise EditRefused(f"`{node.name}` shares its lines with other code. Remove what is in it, or change the lines.")
    return lines


WRITER: Final = ScriptWriter()
