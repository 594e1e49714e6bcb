"""Random structural edits on the demo world: what is asked for happens, and every other value stays what it was."""

from __future__ import annotations

from collections import Counter

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.worlds import world
from zerrit.core import Document, read_document
from zerrit.core.documents import Format, Node
from zerrit.core.documents.closed_text import are_lines
from zerrit.core.documents.structural_edits import Where, comment_in, comment_out, move
from zerrit.core.documents.value_edits import Edit, copy_entry, remove_nodes
from zerrit.core.errors import ZerritError
from zerrit.demo.world_files import server_files


def _beside(name: str) -> dict[str, bytes]:
    """The files of a world in a folder of its own, since several have a `start.sh`."""
    return {f"{name}/{path}": data for path, data in world(name).items()}


WORLD = {
    path: document
    for name in ("coral-gate", "cannery", "choir", "ferry", "foundry", "lantern", "mill")
    for path, data in (server_files(name) if name == "coral-gate" else _beside(name)).items()
    if (document := read_document(data, path)).format not in (Format.TEXT, Format.DATABASE)
    and document.ok
    and len(data) < 20_000
}
#: Not the lines of code, of which one may change what those around it mean, and not the words of an option, of which the
#: last is its value.
PLACES = [
    (path, node)
    for path, document in WORLD.items()
    for node in document.root.walk()
    if node.parent is not None and node.name != "line" and not (node.name == "" and are_lines(document, node.parent))
]


def values(node: Node, without: Node | None = None) -> Counter[tuple[tuple[str, ...], str]]:
    """Every value below a node with the names that lead to it; groups and lists count only when they are empty."""
    found: Counter[tuple[tuple[str, ...], str]] = Counter()
    stack = [node]
    while stack:
        one = stack.pop()
        if one is without or one.name == "line":  # a comment is a line
            continue
        if not one.children:
            found[one.names, one.value or ""] += 1
        stack.extend(one.children)
    return found


def edited(document: Document, edit: Edit) -> Document:
    """The document after the edit, which reads the same from its bytes."""
    again = document.other_version(edit.document.to_bytes())
    assert [repr(node) for node in again.root.walk()] == [repr(node) for node in edit.document.root.walk()]
    assert again.ok
    return again


def emptied(node: Node) -> Counter[tuple[tuple[str, ...], str]]:
    """What stands for the parent of the only child once that is gone."""
    parent = node.parent
    return Counter({(parent.names, ""): 1}) if parent is not None and len(parent.children) == 1 else Counter()


@settings(max_examples=300)
@given(st.sampled_from(PLACES))
def test_a_removal_takes_its_own_values_and_no_other(place: tuple[str, Node]) -> None:
    path, node = place
    document = WORLD[path]
    try:
        after = edited(document, remove_nodes(document, document.keys.segments_of(node)))
    except ZerritError:
        return
    assert values(after.root) == values(document.root, without=node) + emptied(node)
    assert "\n\n\n" not in after.text.replace("\r", "") or "\n\n\n" in document.text.replace("\r", "")


@settings(max_examples=200)
@given(st.sampled_from(PLACES))
def test_a_copy_adds_the_values_of_its_original(place: tuple[str, Node]) -> None:
    path, node = place
    document = WORLD[path]
    try:
        after = edited(document, copy_entry(document, document.keys.segments_of(node), "twin"))
    except ZerritError:
        return
    added = values(after.root) - values(document.root)
    assert not values(document.root) - values(after.root)
    assert added.total() == values(node).total()


@settings(max_examples=200)
@given(st.sampled_from(PLACES), st.data())
def test_a_move_changes_no_value(place: tuple[str, Node], data: st.DataObject) -> None:
    path, node = place
    document = WORLD[path]
    parent = node.parent
    assert parent is not None
    target = data.draw(st.sampled_from(list(parent.children)))
    where = data.draw(st.sampled_from([Where.BEFORE, Where.AFTER]))
    segments = document.keys.segments_of
    try:
        after = edited(document, move(document, segments(node), where, segments(target)))
    except ZerritError:
        return
    assert values(after.root) == values(document.root)


@settings(max_examples=200)
@given(st.sampled_from(PLACES))
def test_what_is_commented_out_comes_back_byte_for_byte(place: tuple[str, Node]) -> None:
    path, node = place
    document = WORLD[path]
    segments = document.keys.segments_of(node)
    try:
        out = comment_out(document, segments)
    except ZerritError:
        return
    assert values(out.document.root) == values(document.root, without=node) + emptied(node)
    if segments[-1].ordinal:
        return  # its number is taken by the next one now
    if node.parent is not None and document.keys.field_for(node.parent.names) == node.name:
        return  # without its key its entry is another one
    assert comment_in(out.document, segments).document.text == document.text


def test_the_world_has_enough_places() -> None:
    assert len(PLACES) > 500
    assert {document.format for document in WORLD.values()} == set(Format) - {Format.TEXT, Format.DATABASE}


@pytest.mark.parametrize("path", WORLD)
def test_an_address_leads_back_to_its_node(path: str) -> None:
    document = WORLD[path]
    for node in document.root.walk():
        if node.parent is not None:
            assert document.select(document.keys.address_of(node)) == [node]
