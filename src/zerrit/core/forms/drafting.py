"""
From an existing entry to a form: where else its word is, and which of its values are asked for.

A place is an entry whose key or name is the word (in one of its letter cases), an entry of which one field is the word and
no other entry beside it has that field so, a value of a list, or a text file that is called so. What only mentions the word
in the middle of a text is no place.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from itertools import islice
from typing import Final

from zerrit.core.addresses import parse_address, print_segments
from zerrit.core.documents import Document, Format, Node, NodeKind
from zerrit.core.documents.closed_text import are_lines
from zerrit.core.documents.database import ROW
from zerrit.core.documents.scalars import as_number
from zerrit.core.documents.value_edits import recased
from zerrit.core.forms.filling import FormRefused
from zerrit.core.rules.forms import FormPlace, FormRules, QuestionRules

MOST_PLACES: Final = 100
FILES_ALIKE: Final = 3  # files with the same name at the same place are of one form, and the name is a part of that
MOST_ASKED: Final = 12
_NAME: Final = re.compile(r"[A-Za-z_]\w*\Z")


@dataclass(frozen=True, slots=True)
class _Found:
    """A place of the word: the address of an entry, or of a value in a list."""

    path: str
    node: Node
    case: str  #: how the word is written there: `{word}`, `{word.lower}` …


def draft_form(documents: Mapping[str, Document], address: str) -> FormRules:
    """The form by which another entry like the one at `address` would be made.

    Raises FormRefused: nothing, or no entry, is there.
    """
    at = parse_address(address)
    document = documents.get(at.path)
    nodes = document.select(print_segments(at.segments)) if document is not None else []
    if document is None or len(nodes) != 1 or nodes[0].parent is None:
        raise FormRefused(f"{address} is not one entry.")
    word = document.keys.key_of(nodes[0]) or nodes[0].name.rpartition(".")[2]
    if not word or as_number(word) is not None:
        word = _word_in(nodes[0]) or word
    if not word:
        raise FormRefused(f"{address} has no name or key.")
    if _is_part(documents, document, nodes[0]):
        raise FormRefused(f"{address} is a part that other entries have, too. Name the entry that it is in.")
    questions = {"word": QuestionRules(title="what it is called"), **_questions(document, nodes[0], word)}
    places: list[FormPlace] = []
    own = _Found(at.path, nodes[0], "{word}")
    for found in [own, *(one for one in _places(documents, word) if one.node is not nodes[0])][:MOST_PLACES]:
        place, asked = _place(documents[found.path], found, word, questions)
        places.append(place)
        questions |= asked
    places += _files(documents, word)
    return FormRules(about=f"another one like {word}", like=word, ask=questions, places=tuple(places))


def _word_in(node: Node) -> str:
    """The first field of a row that is a name and no number."""
    return next(
        (child.value for child in node.children if child.value and child.is_quoted and as_number(child.value) is None),
        "",
    )


def _cases(word: str) -> dict[str, str]:
    cases = {word: "{word}"}
    for text, case in ((word.lower(), "lower"), (word.upper(), "upper"), (word[:1].upper() + word[1:], "title")):
        cases.setdefault(text, f"{{word.{case}}}")
    for sign, case in ("-", "dashes"), ("_", "underscores"):
        if " " in word:
            cases.setdefault(word.lower().replace(" ", sign), f"{{word.{case}}}")
    return cases


def _named(text: str, cases: Mapping[str, str]) -> str:
    """A key or name with the word in braces, where it is the word, or ends with it behind a prefix; else empty."""
    if text in cases:
        return cases[text]
    for case, template in cases.items():
        before = text[: len(text) - len(case)]
        if text.endswith(case) and before and not before[-1].isalnum() and before[-1] not in " ./":
            return before + template
    return ""


def _places(documents: Mapping[str, Document], word: str) -> Iterator[_Found]:
    cases = _cases(word)
    for path, document in sorted(documents.items()):
        if not any(case in document.text for case in cases):
            continue
        stack = [document.root]
        while stack:
            node = stack.pop()
            for child in node.children:
                case = _case_at(document, node, child, cases)
                if case and not _is_part(documents, document, child):
                    yield _Found(path, child, case)
                elif child.has_children and child.name != "line":
                    stack.append(child)


def _case_at(document: Document, parent: Node, child: Node, cases: Mapping[str, str]) -> str:
    """How the word names a child; empty where it does not."""
    if child.name == "line" or child.name.startswith("@"):
        return ""
    if child.is_value and not child.name:
        return cases.get(child.value or "", "") if parent.kind is NodeKind.LIST else ""
    key = document.keys.key_of(child)
    if key and _named(key, cases):
        return _named(key, cases)
    is_table = not child.is_value or not are_lines(document, parent)  # not an option of a command that is called so
    if not key and is_table and _named(child.name.rpartition(".")[2], cases):
        return _named(child.name.rpartition(".")[2], cases)
    if key and as_number(key) is not None:
        field = next((one for one in child.children if one.is_value and one.value in cases), None)
        if field is not None and _is_alone(parent, child, field):
            return cases[field.value or ""]
    return ""


def _is_part(documents: Mapping[str, Document], document: Document, node: Node) -> bool:
    """It is told by a name that others of its kind have, too: a field such as `price`, and no thing that is called so."""
    if document.keys.key_of(node) or not node.name:
        return False
    if sum(1 for _ in islice(_of_kind(document, node.names), 2)) > 1:
        return True
    others = (one for one in documents.values() if one is not document and one.format is document.format)
    alike = (one for one in others if next(_of_kind(one, node.names), None) is not None)
    return sum(1 for _ in islice(alike, FILES_ALIKE - 1)) >= FILES_ALIKE - 1


def _of_kind(document: Document, names: Sequence[str]) -> Iterator[Node]:
    """The nodes with these names from the root down."""
    nodes = [document.root]
    for name in names[:-1]:
        nodes = [child for node in nodes for child in node.children if child.name == name]
    yield from (child for node in nodes for child in node.children if child.name == names[-1])


def _is_alone(parent: Node, child: Node, field: Node) -> bool:
    """No other entry of its kind has the field so."""
    same = [one for one in parent.children if one.name == child.name and one.field(field.name) == field.value]
    return len(same) == 1


def _questions(document: Document, node: Node, word: str) -> dict[str, QuestionRules]:
    """The values of the entry that another one would have others of."""
    key = document.keys.field_for(node.names)
    found: dict[str, QuestionRules] = {}
    for child in node.children:
        name = child.name.removeprefix("@")
        if not child.is_value or child.name == key or not _NAME.match(name) or not child.value or name in found:
            continue
        if recased(child.value, word, "") != child.value or name == "word" or len(found) >= MOST_ASKED:
            continue
        kind = "number" if as_number(child.value) is not None else "text"
        found[name] = QuestionRules.model_validate({"title": name, "default": child.value, "is": kind})
    return found


def _place(
    document: Document, found: _Found, word: str, questions: Mapping[str, QuestionRules]
) -> tuple[FormPlace, dict[str, QuestionRules]]:
    """A place of the form, and what is asked for it besides."""
    node = found.node
    address = f"{found.path}#{document.keys.address_of(node)}"
    if node.is_value and not node.name and node.parent is not None:
        holder = document.keys.address_of(node.parent)
        return FormPlace.model_validate({"add": f"{found.path}#{holder}", "value": found.case}), {}
    fields = {
        child.name: f"{{{child.name.removeprefix('@')}}}"
        for child in node.children
        if child.is_value
        and child.name.removeprefix("@") in questions
        and _is_same(child.value or "", questions[child.name.removeprefix("@")].default)
    }
    key = document.keys.key_of(node)
    if key and as_number(key) is not None:
        field = document.keys.field_for(node.names) or ""
        kind = "/".join(node.names)
        name = f"number_{re.sub(r'[^a-z0-9]+', '_', kind.lower()).strip('_')}"
        asked = QuestionRules.model_validate(
            {"title": f"{field} of {kind}", "next_of": [f"{found.path}#{kind}/{field}"], "is": "number"}
        )
        if document.format is Format.DATABASE:
            row = {
                child.name: fields.get(child.name, recased(child.value or "", word, "{word}"))
                for child in _columns(node)
            }
            row[field] = f"{{{name}}}"
            return FormPlace.model_validate({"add": found.path, "name": node.name, "set": row}), {name: asked}
        named = {child.name: found.case for child in node.children if child.value == word}
        return FormPlace.model_validate({"copy": address, "as": f"{{{name}}}", "set": named | fields}), {name: asked}
    return FormPlace.model_validate({"copy": address, "as": found.case, "set": fields}), {}


def _is_same(value: str, other: str) -> bool:
    """The two are the same text or number."""
    numbers = as_number(value), as_number(other)
    return value == other or (numbers[0] is not None and numbers[0] == numbers[1])


def _columns(node: Node) -> list[Node]:
    """The columns of a row that are written into a new one."""
    return [
        child
        for child in node.children
        if child.name != ROW and (child.is_quoted or not (child.value or "").startswith(("blob:", "null")))
    ]


def _files(documents: Mapping[str, Document], word: str) -> list[FormPlace]:
    """Text files that are called by the word."""
    places = []
    for path in sorted(documents):
        folder, _, name = path.rpartition("/")
        stem, dot, ending = name.partition(".")
        for case, template in _cases(word).items():
            if stem == case:
                new = f"{folder}/{template}{dot}{ending}".removeprefix("/")
                places.append(FormPlace.model_validate({"file": new, "from": path}))
                break
    return places
