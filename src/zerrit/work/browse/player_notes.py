"""What a change means for the players, as text to be posted: what is new, what is gone, what has another value, and from when on."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from typing import Final

from zerrit.core.addresses import parse_address
from zerrit.core.compare import Difference, DifferenceKind
from zerrit.core.errors import AddressInvalid
from zerrit.core.wording import counted, effect_in_words
from zerrit.work.base.workspace import Workspace
from zerrit.work.browse.state_comparison import compare_change
from zerrit.work.changes.changes import get_change, preview

MOST_LINES: Final = 60
MOST_FIELDS: Final = 6
_TOLD: Final = (DifferenceKind.CHANGED, DifferenceKind.ADDED, DifferenceKind.REMOVED, DifferenceKind.RENAMED)


def player_notes(workspace: Workspace, change_id: int) -> str:
    """The notes as Markdown, for a person to read over: nothing in them says more than the difference does. Raises NotFound."""
    with workspace.session() as session:
        change = get_change(session, change_id)
        title, effects = change.title, preview(workspace, session, change).effects
    found = compare_change(workspace, change_id, "base")
    lines = [f"# {title}", ""]
    waits = [effect_in_words(one.takes_effect) for one in effects]
    if waits:
        lines += [f"Takes effect {' and '.join(dict.fromkeys(waits))}.", ""]
    told = [line for _, lines_of in _by_entry(found.differences) for line in lines_of]
    lines += told[:MOST_LINES] or ["Players will notice no difference."]
    if len(told) > MOST_LINES:
        lines.append(f"* and {counted(len(told) - MOST_LINES, 'more change')}")
    return "\n".join(lines) + "\n"


def _by_entry(differences: Iterable[Difference]) -> Iterator[tuple[str, list[str]]]:
    groups: dict[str, list[Difference]] = {}
    for one in differences:
        if one.kind in _TOLD:
            groups.setdefault(one.entry, []).append(one)
    for entry, members in groups.items():
        yield entry, list(_lines(entry, members))


def _lines(entry: str, members: Sequence[Difference]) -> Iterator[str]:
    name = _name(entry)
    values = [one for one in members if one.kind is DifferenceKind.CHANGED]
    for one in members:
        if one.kind is DifferenceKind.RENAMED:
            yield f"* {one.old} is called {one.new} now"
        elif one.kind is not DifferenceKind.CHANGED:
            word = "New" if one.kind is DifferenceKind.ADDED else "Removed"
            inner = "" if one.address == entry else f" {_name(one.address)}"
            yield f"* {word}: {name}{inner}"
    if values:
        fields = [f"{_field(one, entry)} {one.old} → {one.new}".strip() for one in values[:MOST_FIELDS]]
        rest = f", and {counted(len(values) - MOST_FIELDS, 'other value')}" if len(values) > MOST_FIELDS else ""
        yield f"* {name}: {', '.join(fields)}{rest}"


def _field(one: Difference, entry: str) -> str:
    """What of the entry it is; nothing where the difference is of the entry's own value."""
    return one.address.removeprefix(entry).strip("/").replace("@", "")


def _name(address: str) -> str:
    """What people call it: the key of the entry, else its name; of a file its path."""
    try:
        segments = parse_address(address).segments
    except AddressInvalid:
        return address
    if not segments:
        return address
    keyed = next((one for one in reversed(segments) if one.keys), None)
    if keyed is not None:
        return keyed.keys[0].text
    return " / ".join(one.name.removeprefix("@") for one in segments[-2:] if one.name) or address
