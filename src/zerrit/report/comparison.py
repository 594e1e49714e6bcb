"""A comparison as a page that can be printed, or sent to someone who does not have Zerrit."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator, Mapping, Sequence
from functools import lru_cache
from itertools import groupby
from typing import Final, Protocol

from jinja2 import Environment, PackageLoader, Template

from zerrit.core.wording import counted

SIGNS: Final = {
    "changed": "◆",
    "added": "▲",
    "removed": "▼",
    "moved": "↕",
    "renamed": "≡",
    "comment": "¶",
    "layout": "·",
}
MOST_LINES: Final = 400  # of the text difference of one file


class ShownDifference(Protocol):
    """A difference of the core, or of the service."""

    @property
    def kind(self) -> str: ...
    @property
    def address(self) -> str: ...
    @property
    def old(self) -> str | None: ...
    @property
    def new(self) -> str | None: ...
    @property
    def delta(self) -> str: ...
    @property
    def entry(self) -> str: ...


def comparison_page(
    old: str,
    new: str,
    differences: Sequence[ShownDifference],
    texts: Mapping[str, str],
    notes: Iterable[str] = (),
) -> str:
    """The HTML of a comparison between the states called `old` and `new`; `texts` are text differences by path."""
    counts = Counter(str(one.kind) for one in differences)
    entries = len({one.entry for one in differences})
    summary = (
        f"{counted(len(differences), 'difference')} in {counted(entries, 'entry', 'entries')}" if differences else ""
    )
    return _template().render(
        old=old,
        new=new,
        notes=list(notes),
        summary=summary,
        counts=[(SIGNS.get(kind, "•"), kind, number) for kind, number in counts.most_common()],
        files=list(_by_file(differences, texts)),
        signs=SIGNS,
    )


def _by_file(
    differences: Sequence[ShownDifference], texts: Mapping[str, str]
) -> Iterator[tuple[str, list[tuple[str, list[ShownDifference]]], list[str], int]]:
    """(path, differences by entry, the lines of its text difference, lines left out) of each file."""
    for path, found in groupby(differences, key=lambda one: one.address.partition("#")[0]):
        entries = [(entry.partition("#")[2], list(ones)) for entry, ones in groupby(found, key=lambda one: one.entry)]
        lines = texts.get(path, "").splitlines()
        yield path, entries, lines[:MOST_LINES], max(0, len(lines) - MOST_LINES)


@lru_cache(maxsize=1)
def _template() -> Template:
    environment = Environment(loader=PackageLoader("zerrit.report"), autoescape=True, trim_blocks=True)
    return environment.get_template("comparison.html")
