"""What a change still waits for once it is written, and what to look at in the game afterwards."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Final

from zerrit.core.addresses import Segment, parse_address, parse_node_address
from zerrit.core.compare import Difference, DifferenceKind
from zerrit.core.documents import Document, Node
from zerrit.core.documents.selection import select
from zerrit.core.examination.condition_fields import Around, with_more
from zerrit.core.examination.game_files import Documents, touched
from zerrit.core.expressions import Fields, worked_out
from zerrit.core.gamebooks import Gamebook
from zerrit.core.rules import ChecklistRule
from zerrit.core.wildcards import path_matches

_BRACES: Final = re.compile(r"\{([^{}]{1,80})\}")
_SILENT: Final = (DifferenceKind.LAYOUT, DifferenceKind.COMMENT)
MOST_LOOKS: Final = 200


@dataclass(frozen=True, slots=True)
class Effect:
    """When written changes hold: `restart`, `reload`, `map change`, `new world`, `rejoin`; and which they are."""

    takes_effect: str
    addresses: tuple[str, ...]


def effects(gamebook: Gamebook | None, differences: Iterable[Difference], after: Documents) -> list[Effect]:
    """What the differences of a change wait for, the longest wait first."""
    found: dict[str, list[str]] = {}
    for difference in differences:
        if gamebook is None or difference.kind in _SILENT:
            continue
        path, _, node_address = difference.address.partition("#")
        document = after.get(path)
        nodes = (
            select(document.root, document.keys, parse_node_address(node_address)) if document and node_address else []
        )
        when = gamebook.takes_effect(path, nodes[0] if nodes else None)
        if when:
            found.setdefault(when, []).append(difference.address)
    order = ("new world", "map change", "restart", "rejoin", "reload")
    return [Effect(when, tuple(found[when])) for when in order if when in found]


def looks(gamebook: Gamebook | None, before: Documents, after: Documents) -> list[str]:
    """What to look at in the game: for each entry that a change touches, what the gamebook says to do."""
    if gamebook is None:
        return []
    found: dict[str, None] = {}
    changed = touched(before, after)
    for rule in gamebook.rules.of(ChecklistRule):
        address = parse_address(rule.entries)
        for path in changed:
            if path in after and path_matches(address.path, path) and after[path].ok:
                for node in _altered(before.get(path), after[path], address.segments):
                    found[_filled(rule.do, _with_key(after[path], node))] = None
    return list(found)[:MOST_LOOKS]


def _altered(before: Document | None, after: Document, segments: tuple[Segment, ...]) -> list[Node]:
    """The entries that are there with another text than before.

    Most are as they were, and working out the address of each takes longer than all the rest: only those are named whose
    text is there more often than before.
    """
    old = _entries(before, segments) if before is not None and before.ok else []
    new = _entries(after, segments)
    grown = Counter(text for text, _ in new) - Counter(text for text, _ in old)
    if not grown or before is None:
        return [node for text, node in new if text in grown]
    known = {before.keys.address_of(node) for text, node in old if text in grown}
    return [node for text, node in new if text in grown and after.keys.address_of(node) not in known]


def _entries(document: Document, segments: tuple[Segment, ...]) -> list[tuple[str, Node]]:
    nodes = select(document.root, document.keys, segments)
    return [(document.text[node.start : node.end], node) for node in nodes]


def _with_key(document: Document, node: Node) -> Fields:
    return with_more(Around(document, node), key=document.keys.key_of(node))


def _filled(text: str, fields: Fields) -> str:
    return _BRACES.sub(lambda match: worked_out(match.group(1), fields), text)
