"""Trees in which anything may be anywhere: names, paths, numbers, comments, other versions, logs. No draft of them is wrong."""

from __future__ import annotations

import json
import random
from collections.abc import Callable
from xml.sax.saxutils import quoteattr

import pytest

from fuzzing.drafting import alarms, book_of
from zerrit.core.drafting import KeptLog, draft

SIGNS = "abcXYZ019 _-.:#/\\\"'[]{}()*?&!|<>=,;%@~`^$+\té漢😀"
COMMENTS = (
    "Seconds", "in ms", "1 = default, 0 to 10", "Takes effect after a reload", "This file is written by the game when it stops",
    "one of: a, b", "Above 3 {x} breaks", "default 05",
)  # fmt: skip
NUMBERS = ("0", "1", "05", "0.5", "-3", "1e5", "10%", "3 kg", "1..4", "", " 7", "1,5")


class Trees:
    """What a seed makes."""

    def __init__(self, seed: int) -> None:
        self.rng = random.Random(seed)

    def word(self, most: int = 6) -> str:
        return "".join(self.rng.choice(SIGNS) for _ in range(self.rng.randint(1, most)))

    def number(self) -> str:
        return self.rng.choice([*NUMBERS, str(self.rng.randint(0, 10 ** self.rng.randint(1, 12)))])

    def value(self) -> str:
        return self.rng.choice([self.number(), self.word(), "true", "off", "alpha", "beta", "gamma"])

    def comment(self) -> str:
        return self.rng.choice([*COMMENTS, self.word(20)])

    def json(self) -> bytes:
        names = [self.word() for _ in range(self.rng.randint(1, 4))]
        choose = self.rng.choice
        rows = [
            {
                name: choose([self.value(), self.rng.randint(0, 99), self.rng.random(), True, None, [1, 2]])
                for name in names
            }
            for _ in range(self.rng.randint(1, 8))
        ]
        amounts = {self.word(): self.rng.randint(0, 99) for _ in range(self.rng.randint(1, 14))}
        return json.dumps({self.word(): rows, self.word(): amounts}, ensure_ascii=self.rng.random() < 0.5).encode()

    def ini(self) -> bytes:
        lines = [f"; {self.comment()}"]
        for _ in range(self.rng.randint(1, 4)):
            lines.append(f"[{self.word()}]")
            for _ in range(self.rng.randint(1, 5)):
                lines += [f"; {self.comment()}", f"{self.word()}={self.value()}"]
        return "\n".join(lines).encode()

    def yaml(self) -> bytes:
        lines = [f"# {self.comment()}"]
        for _ in range(self.rng.randint(1, 8)):
            lines.append(f"{json.dumps(self.word())}: {json.dumps(self.value())} # {self.comment()}")
        return ("\n".join(lines) + "\n").encode()

    def xml(self) -> bytes:
        parts = [f"<r><!-- {self.comment().replace('--', '')} -->"]
        for _ in range(self.rng.randint(1, 7)):
            inner = "".join(f"<p s={quoteattr(self.number())}/>" for _ in range(2))
            parts.append(f"<e n={quoteattr(self.value())} k={quoteattr(self.word())}>{inner}</e>")
        return "".join([*parts, "</r>"]).encode()

    def tree(self) -> dict[str, bytes]:
        made: dict[str, bytes] = {}
        for _ in range(self.rng.randint(1, 8)):
            content, ending = self._kind()
            folders = ["".join(sign for sign in self.word(5) if sign not in "/\\\t") or "x" for _ in range(3)]
            made["/".join(folders[: self.rng.randint(1, 3)]) + ending] = content()
        return made

    def older(self, tree: dict[str, bytes]) -> dict[str, bytes]:
        """Another version: some files are gone, some hold something else."""
        kept = {path: data for path, data in tree.items() if self.rng.random() < 0.8}
        return {path: data if self.rng.random() < 0.6 else self._kind()[0]() for path, data in (kept or tree).items()}

    def logs(self) -> list[KeptLog]:
        return [
            KeptLog(self._log(), self.rng.random() < 0.6, self.rng.choice(["", "logs/a.log"]), self._log())
            for _ in range(self.rng.randint(0, 4))
        ]

    def _log(self) -> str:
        said = ("ready", "stopped", f"ERROR {self.word(10)}", f"loaded {self.word(5)}", f"reload {self.word(4)}.ini")
        return "\n".join(
            self.rng.choice(["[20:01:02] ", "", "Nov 3 1:2:3 "]) + self.rng.choice([self.word(30), *said])
            for _ in range(self.rng.randint(0, 30))
        )

    def _kind(self) -> tuple[Callable[[], bytes], str]:
        return self.rng.choice([(self.json, ".json"), (self.ini, ".ini"), (self.yaml, ".yml"), (self.xml, ".xml")])


@pytest.mark.parametrize("seed", range(150))
def test_no_draft_of_an_odd_tree_is_wrong(seed: int) -> None:
    trees = Trees(seed)
    newest = trees.tree()
    versions = [newest] if trees.rng.random() < 0.5 else [trees.older(newest), newest]
    book = book_of(draft(versions, trees.word(), trees.word(), logs=trees.logs()))
    assert alarms(book, newest) == []


def test_a_word_that_only_an_older_version_has_is_none_of_the_newest() -> None:
    def tree(*names: str) -> dict[str, bytes]:
        wares = {"wares": [{"id": name, "price": 3} for name in names]}
        stalls = {"stalls": [{"at": at, "sells": name} for at, name in enumerate(("milk jug", "oil jar", "wine cup"))]}
        return {"wares.json": json.dumps(wares).encode(), "stalls.json": json.dumps(stalls).encode()}

    every, fewer = tree("milk jug", "oil jar", "wine cup", "salt pot"), tree("milk jug", "wine cup", "salt pot")
    assert "refers:" in draft([every], "kiln", "1")
    text = draft([every, fewer], "kiln", "1 and 2")
    assert "refers:" not in text, "the newest version refutes it"
    assert alarms(book_of(text), fewer) == []
    assert "refers:" in draft([fewer, every], "kiln", "2 and 1"), "what it lacked once says nothing"
