"""Entries grouped by a field, with counts and exact sums before and after a change."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from decimal import Decimal
from typing import Final

from zerrit.core.documents import Document, Node
from zerrit.core.documents.measures import amount
from zerrit.work.base.errors import Refused
from zerrit.work.base.workspace import Workspace
from zerrit.work.browse.entry_table import TableQuery, fitting_entries
from zerrit.work.browse.file_browser import states_of, text_file_in
from zerrit.work.servers.servers import get_server

MOST_GROUPS: Final = 1000


@dataclass(slots=True)
class Side:
    """One group in one state: its entries, the sum of the field, and how many of them have no number there."""

    entries: int = 0
    total: Decimal = Decimal(0)
    without: int = 0


@dataclass(frozen=True, slots=True)
class Group:
    """The entries with one value of the field, as they are and as the change leaves them; `is_absent` where the field is not there."""

    value: str
    is_absent: bool
    before: Side = field(default_factory=Side)
    after: Side = field(default_factory=Side)


@dataclass(frozen=True, slots=True)
class Grouped:
    """All groups, the one with the most entries first, and all of them together. `has_change`: before and after may differ."""

    groups: tuple[Group, ...]
    all: Group
    has_change: bool


def group_entries(
    workspace: Workspace,
    server_id: str,
    path: str,
    query: TableQuery,
    by: str,
    sum_of: str = "",
    change_id: int | None = None,
) -> Grouped:
    """Group the entries that a query fits by the value of a field; with `sum_of`, with the sum of another one.

    A number in a sum is that of the value; of a range it is the upper end, as in a balance.

    Raises NotFound. Refused: there are too many groups, or a condition cannot be read.
    """
    with workspace.session() as session:
        server = get_server(session, server_id)
        states = states_of(workspace, session, server, change_id)
    after = text_file_in(states.after, path)
    before = states.before.get(path)
    groups: dict[str | None, Group] = {}
    everything = Group("", is_absent=False)
    for document, is_before in ((before, True), (after, False)):
        if document is None:
            continue
        for node, cells in fitting_entries(document, query):
            key = cells.get(by)
            group = groups.get(key)
            if group is None:
                if len(groups) >= MOST_GROUPS:
                    raise Refused(f"{by} has more than {MOST_GROUPS:,} different values. Group by another field.")
                group = groups[key] = Group(key or "", is_absent=key is None)
            for one in (group, everything):
                _count(
                    one.before if is_before else one.after, _number(document, node, cells, sum_of) if sum_of else None
                )
    listed = sorted(
        groups.values(), key=lambda one: (-max(one.before.entries, one.after.entries), one.is_absent, one.value)
    )
    return Grouped(tuple(listed), everything, before is not None and before.text != after.text)


def _number(document: Document, node: Node, cells: Mapping[str, str], name: str) -> Decimal | None:
    """What the value of a field counts as in a sum; a gamebook may say how a text is a number."""
    text = cells.get(name)
    if text is None:
        return None
    return amount(text, document.reading.measures.of((*node.names, *name.split("/"))))


def _count(side: Side, number: Decimal | None) -> None:
    side.entries += 1
    if number is None:
        side.without += 1
    else:
        side.total += number
