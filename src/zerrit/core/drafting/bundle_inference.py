"""Which folders of a tree are plugins or mods: folders side by side with the same file in them that says their own name."""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Final

from zerrit.core.documents import Document, Node, read_document
from zerrit.core.documents.node import NodeKind

FEWEST: Final = 2  #: folders that must say their own name
_VERSION: Final = re.compile(r"v?\d+(\.\d+)+([-.+]\w+)?")
_OFF: Final = re.compile(r"off|disabled|inactive|shel[fv]|store|unused|parked|spare", re.IGNORECASE)
_MANIFESTS: Final = ("yml", "yaml", "json", "xml", "ini", "properties")


@dataclass(frozen=True)
class Bundles:
    """Folders that are one kind of bundle. `name`, `version` and `needs` are places in the manifest; empty if not seen."""

    on: str
    off: str
    manifest: str
    name: str
    version: str
    needs: str
    support: int


def bundles(tree: Mapping[str, bytes]) -> Iterator[Bundles]:
    """The kinds of bundles of a tree, those with the most folders first."""
    by_file: dict[str, dict[str, dict[str, str]]] = defaultdict(lambda: defaultdict(dict))
    for path in tree:
        pieces = path.split("/")
        if len(pieces) >= 3 and pieces[-1].rpartition(".")[2].lower() in _MANIFESTS:
            by_file[pieces[-1]]["/".join(pieces[:-2])][pieces[-2]] = path
    found: list[Bundles] = []
    for file, parents in by_file.items():
        one = _kind(tree, file, parents)
        if one is not None:
            found.append(one)
    taken: set[str] = set()
    for one in sorted(found, key=lambda one: (-one.support, one.on)):
        if one.on not in taken:
            taken.add(one.on)
            yield one


def _kind(tree: Mapping[str, bytes], file: str, parents: Mapping[str, Mapping[str, str]]) -> Bundles | None:
    """Folders whose files of one name say the name of their folder, in one parent or in two."""
    documents = {
        parent: {name: read_document(tree[path], path) for name, path in folders.items()}
        for parent, folders in parents.items()
    }
    places = {
        parent: set.intersection(*(_places_of(document, name) for name, document in inside.items()))
        for parent, inside in documents.items()
    }
    alike = {parent: inside for parent, inside in documents.items() if places[parent]}
    if not alike or sum(map(len, alike.values())) < FEWEST:
        return None
    place = min(set.intersection(*(places[parent] for parent in alike)) or {""}, key=len)
    ordered = sorted(alike, key=lambda parent: (bool(_OFF.search(parent)), -len(alike[parent]), parent))
    if not place or len(ordered) > 2 or len(alike[ordered[0]]) < FEWEST:
        return None
    every = [document for inside in alike.values() for document in inside.values()]
    names = {name for inside in alike.values() for name in inside}
    off = ordered[1] if len(ordered) == 2 else ""
    return Bundles(
        ordered[0], off, file, place, _version_place(every), _needs_place(every, names), sum(map(len, alike.values()))
    )


def _places_of(document: Document, value: str) -> set[str]:
    """The places of a file that hold a value."""
    return {"/".join(node.names) for node in _values(document.root) if node.value == value and "" not in node.names}


def _values(node: Node) -> Iterator[Node]:
    for child in node.children:
        if child.value is not None:
            yield child
        yield from _values(child)


def _version_place(documents: list[Document]) -> str:
    """The place at which every file has a version."""
    found = [
        {"/".join(node.names) for node in _values(document.root) if _VERSION.fullmatch(node.value or "")}
        for document in documents
    ]
    common = set.intersection(*found)
    return min(common, key=lambda place: ("version" not in place.lower(), len(place))) if common else ""


def _needs_place(documents: list[Document], names: set[str]) -> str:
    """The list that names nothing but others of them, and at least one."""
    words: dict[str, list[str]] = defaultdict(list)
    for document in documents:
        for node in _lists(document.root):
            words["/".join(node.names)] += [child.value or "" for child in node.children]
    fitting = [place for place, found in words.items() if found and set(found) <= names]
    return min(fitting, key=len) if fitting else ""


def _lists(node: Node) -> Iterator[Node]:
    for child in node.children:
        if child.kind is NodeKind.LIST and "" not in child.names:
            yield child
        yield from _lists(child)
