"""The values at one address on several servers, beside each other."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Final

from zerrit.core.addresses import parse_address
from zerrit.core.documents.selection import select as select_nodes
from zerrit.core.wildcards import path_matches
from zerrit.work.base.errors import NotFound, Refused
from zerrit.work.base.workspace import Workspace
from zerrit.work.servers.servers import get_server, list_servers
from zerrit.work.snapshots.snapshots import documents, latest_snapshot

MOST_CELLS: Final = 20_000


@dataclass(frozen=True, slots=True)
class GridRow:
    """One setting over all servers; None where a server does not have it. `odd` are the servers that differ from most."""

    address: str
    values: Mapping[str, str | None]
    odd: frozenset[str]
    is_split: bool  #: no value is the one of most


def grid(
    workspace: Workspace, address: str, server_ids: Sequence[str] = (), *, only_odd: bool = False
) -> tuple[list[str], list[GridRow]]:
    """The values at an address, which may be a pattern, on several servers or all.

    Raises NotFound: a server, or nothing is there on any. Refused: too much at once.
    """
    where = parse_address(address)
    cells: dict[str, dict[str, str | None]] = {}
    with workspace.session() as session:
        chosen = list(server_ids) or [server.id for server in list_servers(session)]
        for server_id in chosen:
            server = get_server(session, server_id)
            snapshot = latest_snapshot(session, server_id)
            if snapshot is None:
                continue
            for path, document in documents(workspace, session, server, snapshot).items():
                if not path_matches(where.path, path) or not document.ok:
                    continue
                for node in select_nodes(document.root, document.keys, where.segments):
                    if node.value is not None:
                        place = f"{path}#{document.keys.address_of(node)}"
                        cells.setdefault(place, dict.fromkeys(chosen))[server_id] = node.value
            if len(cells) * len(chosen) > MOST_CELLS:
                raise Refused(f"More than {MOST_CELLS:,} values are there; name a narrower address.")
    if not cells:
        raise NotFound(f"No server has a value at {address}, as far as their files are known.")
    rows = [_row(place, values) for place, values in cells.items()]
    return chosen, [row for row in rows if row.odd or row.is_split or not only_odd]


def _row(address: str, values: Mapping[str, str | None]) -> GridRow:
    counts = Counter(values.values()).most_common()
    usual, most = counts[0]
    is_split = len(counts) > 1 and most * 2 <= len(values)
    odd = frozenset() if is_split else frozenset(one for one, value in values.items() if value != usual)
    return GridRow(address, values, odd, is_split)
