"""Settings that a gamebook knows and a file does not have, with what the game takes instead."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from itertools import islice
from typing import Final

from zerrit.core.addresses import (
    Segment,
    fits_kind,
    is_open_kind,
    kind_of,
    parse_node_address,
    print_segments,
    quote_name,
)
from zerrit.core.documents import Document, Node
from zerrit.core.documents.selection import below, select
from zerrit.core.gamebooks.gamebook import Gamebook
from zerrit.core.rules import EntryRules, FieldRules

MOST_ABSENT: Final = 200  #: of a place, that are told


@dataclass(frozen=True, slots=True)
class AbsentSetting:
    """A known setting that is not there.

    It would be `name` below the entry or group `parent`, an address in its file (empty: the file itself). `default` is
    what the game takes as long as it is absent; empty where the gamebook does not say. `is_below_nothing`: the parent
    is not there either.
    """

    parent: str
    name: str
    default: str
    note: str
    is_below_nothing: bool = False

    @property
    def address(self) -> str:
        """The address in its file that it would have."""
        name = quote_name(self.name)
        return f"{self.parent}/{name}" if self.parent else name


def absent_settings(gamebook: Gamebook, document: Document, node: Node) -> Iterator[AbsentSetting]:
    """The known settings that an entry or group of a file does not have; of the file itself those of all groups with fixed names."""
    rules = gamebook.file(document.path)
    if rules is None or node.is_value:
        return
    keyed = {kind_of(names) for names, entry in rules.entries.items() if entry.key}
    for names, entry in rules.entries.items():
        kind = kind_of(names)
        if fits_kind(node.names, kind):
            yield from _below(document, node, document.keys.address_of(node), entry)
        elif (
            node.parent is None
            and not is_open_kind(kind)
            and not any(kind[:depth] in keyed for depth in range(1, len(kind) + 1))
        ):
            nodes = _first_two(document, parse_node_address(names))
            if not nodes:
                yield from _of_absent_group(names, entry)
            elif len(nodes) == 1 and not document.keys.address_of(nodes[0]).endswith("]"):  # of entries, none is meant
                yield from _below(document, nodes[0], document.keys.address_of(nodes[0]), entry)


def first_absent(gamebook: Gamebook | None, document: Document, node: Node) -> tuple[AbsentSetting, ...]:
    """The same, as many as are told of one place; none where the file cannot be read."""
    if gamebook is None or not document.ok:
        return ()
    return tuple(islice(absent_settings(gamebook, document, node), MOST_ABSENT))


def _first_two(document: Document, segments: Sequence[Segment]) -> list[Node]:
    """What the segments lead to, or the first two where that is more, so that of many entries no node is made for it."""
    nodes = [document.root]
    for segment in segments:
        nodes = list(islice(below(document.keys, nodes, segment), 2))
        if len(nodes) != 1:
            break
    return nodes


def _below(document: Document, node: Node, address: str, entry: EntryRules) -> Iterator[AbsentSetting]:
    for field, known in entry.fields.items():
        segments = parse_node_address(known.path or field)
        if not _is_one_place(segments) or select(node, document.keys, segments):
            continue
        inner = segments[:-1]
        is_below_nothing = bool(inner) and not select(node, document.keys, inner)
        yield _absent(address, segments, known, is_below_nothing)


def _of_absent_group(names: str, entry: EntryRules) -> Iterator[AbsentSetting]:
    """Only what has a default: of what the file may hold without its group, nothing else is known."""
    for field, known in entry.fields.items():
        segments = parse_node_address(known.path or field)
        if known.default and _is_one_place(segments):
            yield _absent(names, segments, known, is_below_nothing=True)


def _is_one_place(segments: Sequence[Segment]) -> bool:
    """The place is given by names alone, so that it is certain what would have to be there."""
    return all(one.name and one == Segment(one.name) for one in segments)


def _absent(address: str, segments: Sequence[Segment], known: FieldRules, is_below_nothing: bool) -> AbsentSetting:
    parent = "/".join(part for part in (address, print_segments(segments[:-1])) if part)
    return AbsentSetting(parent, segments[-1].name, known.default, known.note, is_below_nothing)
