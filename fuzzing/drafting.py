"""
How good drafts are: `make drafting`.

For the demo, each world of tests/worlds and random games: how many planted slips a draft of the default files finds, how many the draft finds once all
its suggestions are accepted and nothing is written by anyone, and how often it cries on the files that it was made from and on the
next version. A slip is found where a finding is within three lines of it.
"""

from __future__ import annotations

import argparse
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path

from fuzzing.mistakes import Mistake, mistakes
from fuzzing.mistakes import World as MistakeWorld
from fuzzing.random_games import files_of, game, next_version, slips
from tests.worlds import world
from tests.worlds.slips import SLIPS
from zerrit.core.checks import check_files_of, gather_files
from zerrit.core.documents import Document, Finding, Format, read_document
from zerrit.core.drafting import draft
from zerrit.core.gamebooks import Gamebook, read_gamebook
from zerrit.demo.world_files import default_files, next_default_files

OUT = Path(__file__).parent.parent / "benchmarks" / "DRAFTING.md"
NEAR = 3  # lines
SEED = 1
RANDOM_GAMES = 60
Trees = Sequence[Mapping[str, bytes]]


@dataclass(frozen=True, slots=True)
class Quality:
    """What a draft of a game finds. `accepted` is the same with both versions and all suggestions."""

    name: str
    slips: int
    alone: int
    accepted: int
    on_sources: int
    on_next: int
    entries: int

    @property
    def cries(self) -> float:
        """Findings in the next version by entry."""
        return self.on_next / self.entries if self.entries else 0.0


def book_of(text: str) -> Gamebook:
    book, faults = read_gamebook(text.encode())
    if book is None:
        raise SystemExit(f"The draft cannot be read: {faults[0].line}: {faults[0].message}")
    return book


def found(book: Gamebook, files: Mapping[str, bytes]) -> tuple[Finding, ...]:
    return check_files_of(gather_files(files, book), book).findings


def alarms(book: Gamebook, files: Mapping[str, bytes]) -> list[Finding]:
    """What the draft finds in sound files; what is wrong with a file whatever the rules is not its doing."""
    return [one for one in found(book, files) if one.code.startswith(("meaning.", "gamebook."))]


def accepted(trees: Trees, name: str) -> Gamebook:
    """The draft of all versions with every rule of it approved, which is what accepting all suggestions makes."""
    return book_of(draft(trees, name, "all versions").replace("drafted:", "# drafted:", 1))


def with_slip(files: Mapping[str, bytes], path: str, old: str, new: str) -> tuple[dict[str, bytes], int]:
    """The files with one slip in them, and its line."""
    document = read_document(files[path], path)
    at = document.text.index(old)
    text = document.text.replace(old, new, 1)
    data = document.with_text(text).to_bytes() if document.format is Format.DATABASE else text.encode()
    return {**files, path: data}, document.text.count("\n", 0, at) + 1


def count(book: Gamebook, files: Mapping[str, bytes], slips: Sequence[tuple[str, str, str]]) -> int:
    known = {(one.path, one.line, one.code) for one in found(book, files)}
    many = 0
    for path, old, new in slips:
        broken, line = with_slip(files, path, old, new)
        many += any(
            one.path == path and abs(one.line - line) <= NEAR and (one.path, one.line, one.code) not in known
            for one in found(book, broken)
        )
    return many


def entries_in(documents: Mapping[str, Document]) -> int:
    return sum(bool(node.children) for document in documents.values() for node in document.root.walk())


def quality(name: str) -> Quality:
    first, second = world(name, 1), world(name, 2)
    slips = SLIPS[name]
    alone = book_of(draft([first], name, "1"))
    both = accepted([first, second], name)
    return Quality(
        name,
        len(slips),
        count(alone, first, slips),
        count(both, first, slips),
        sum(len(alarms(book, files)) for book, files in ((alone, first), (both, first), (both, second))),
        len(alarms(alone, second)),
        entries_in(gather_files(second, alone).documents),
    )


def random_games(first: int, last: int) -> Quality:
    """The same over games that are made of a seed, 16 slips in each."""
    total = Quality(f"{last - first} random games", 0, 0, 0, 0, 0, 0)
    for seed in range(first, last):
        one = game(seed)
        before, after = files_of(one), files_of(next_version(one, seed))
        alone, both = book_of(draft([before], "g", "1")), accepted([before, after], "g")
        planted = list(slips(before, seed, 16))
        total = Quality(
            total.name,
            total.slips + len(planted),
            total.alone + _noticed(alone, before, planted),
            total.accepted + _noticed(both, before, planted),
            total.on_sources
            + sum(len(alarms(book, files)) for book, files in ((alone, before), (both, before), (both, after))),
            total.on_next + len(alarms(alone, after)),
            total.entries + entries_in(gather_files(after, alone).documents),
        )
    return total


def _noticed(book: Gamebook, files: Mapping[str, bytes], planted: Sequence[tuple[str, int, bytes]]) -> int:
    known = {(one.path, one.line, one.code, one.message) for one in found(book, files)}
    return sum(
        any(
            one.path == path
            and abs(one.line - line) <= NEAR
            and (one.path, one.line, one.code, one.message) not in known
            for one in found(book, {**files, path: data})
        )
        for path, line, data in planted
    )


def demo() -> Quality:
    """The demo with the mistakes of `make mistakes`, most of which no one can see without knowing the game."""
    first, second = default_files(), next_default_files()
    alone, both = book_of(draft([first], "demo", "1")), accepted([first, second], "demo")
    planted = mistakes(MistakeWorld(dict(first)), SEED)
    return Quality(
        "demo",
        len(planted),
        _told(alone, first, planted),
        _told(both, first, planted),
        sum(len(alarms(book, files)) for book, files in ((alone, first), (both, first), (both, second))),
        len(alarms(alone, second)),
        entries_in(gather_files(second, alone).documents),
    )


def _told(book: Gamebook, files: Mapping[str, bytes], planted: Sequence[Mistake]) -> int:
    known = {(one.path, one.line, one.code, one.message) for one in found(book, files)}
    many = 0
    for mistake in planted:
        broken = {path: data for path, data in {**files, **mistake.files}.items() if data is not None}
        new = [one for one in found(book, broken) if (one.path, one.line, one.code, one.message) not in known]
        many += mistake.is_found(new)
    return many


def report(rows: Sequence[Quality]) -> str:
    lines = [
        "# How good drafts are",
        "",
        "Made by `make drafting`. A draft is made of the default files alone. *Accepted*: of both versions, with all suggestions accepted and no",
        "rule written by anyone. A slip is found where a finding is within three lines of it, and was not there before. The random games are made",
        "of seeds (fuzzing/random_games.py), with slips in any word or number, also in titles of which anything may be right.",
        "",
        "| game | slips | draft alone | accepted | findings in the files it was made of | in the next version, by entry |",
        "|---|---|---|---|---|---|",
    ]
    for row in rows:
        alone, both = (f"{many} ({many / row.slips:.0%})" for many in (row.alone, row.accepted))
        lines.append(
            f"| {row.name} | {row.slips} | {alone} | {both} | {row.on_sources} | {row.on_next} of {row.entries} ({row.cries:.1%}) |"
        )
    slips, alone, both = (sum(getattr(row, field) for row in rows) for field in ("slips", "alone", "accepted"))
    cries, entries = (sum(getattr(row, field) for row in rows) for field in ("on_next", "entries"))
    lines.append(
        f"| all | {slips} | {alone} ({alone / slips:.0%}) | {both} ({both / slips:.0%}) | "
        f"{sum(row.on_sources for row in rows)} | {cries} of {entries} ({cries / entries:.1%}) |"
    )
    return "\n".join(lines) + "\n"


def main() -> None:
    options = argparse.ArgumentParser(description=__doc__)
    options.add_argument("--write", action="store_true", help="write benchmarks/DRAFTING.md")
    text = report([demo(), *(quality(name) for name in sorted(SLIPS)), random_games(0, RANDOM_GAMES)])
    print(text)
    if options.parse_args().write:
        OUT.write_text(text)


if __name__ == "__main__":
    main()
