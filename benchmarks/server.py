"""
A made-up server of 500 files and 20 MB, of the shapes that the demo gamebook knows, and what its check costs.

The check is held against reading the same files: finding out that each is sound, and leaving the inside of entries unread.
What it takes to make every node is given beside.
"""

from __future__ import annotations

import json
import random
import time
from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import TypeVar

from zerrit.core.checks import Files, check_files_of, gather_files
from zerrit.core.gamebooks import Gamebook, read_gamebook
from zerrit.databases import query
from zerrit.demo.world_files import default_files, gamebook

T = TypeVar("T")
SEED = 31
ROUNDS = 5
GOODS = 700


def server_files(share: float) -> dict[str, bytes]:
    """The demo world with more of everything: at 1.0 it has 500 files and 20 MB."""
    rng = random.Random(SEED)
    files = default_files()
    names = [f"Good {number}" for number in range(GOODS)]
    files["galley/house.json"] = json.dumps(
        {"prices": {name: rng.randrange(1, 99) for name in names}}, indent=2
    ).encode()
    for path in [path for path in files if path.startswith("galley/stores/")]:
        del files[path]
    for number in range(round(300 * share)):
        rows = [_good(rng, name) for name in rng.sample(names, 680)]
        body = ",\n".join("    " + json.dumps(row) for row in rows)
        head = f'{{\n  "store": "Store {number}",\n  "deck": {number % 9},\n  "open": true,\n  "goods": [\n'
        files[f"galley/stores/store-{number}.json"] = f"{head}{body}\n  ]\n}}\n".encode()
    stores = [f"store-{number}" for number in range(round(300 * share))]
    for number in range(round(75 * share)):
        dishes = [{"dish": f"Dish {n}", "from": rng.choice(stores), "price": rng.randrange(1, 60)} for n in range(400)]
        body = ",\n".join("    " + json.dumps(row) for row in dishes)
        text = f'{{\n  "menu": "Menu {number}",\n  "dishes": [\n{body}\n  ]\n}}\n'
        files[f"galley/menus/menu-{number}.json"] = text.encode()
    grounds = ("Coral Gate", "Needle Arch", "Pilgrim Sands", "Trench Lip", "Silent Fan")
    for number in range(round(92 * share)):
        rows_ = [
            f'  <happening name="Happening {n}" runs="{rng.choice(("yes", "no"))}" at="{rng.choice(grounds)}" '
            f'every="{rng.randrange(60, 400)}" lasts="{rng.randrange(2, 50)}"/>'
            for n in range(300)
        ]
        text = f'<season name="Season {number}">\n' + "\n".join(rows_) + "\n</season>\n"
        files[f"sea/happenings/season-{number}.xml"] = text.encode()
    finds = files["sea/finds.xml"].decode()
    block = finds[finds.index("  <find ") : finds.index("</finds>")]
    more = "".join(block.replace('<find name="', f'<find name="{n} ') for n in range(round(22 * share)))
    files["sea/finds.xml"] = finds.replace("</finds>", f"{more}</finds>").encode()
    for key in ("galley/counters.json", "crew/keepers.yml", "galley/specials.json"):
        files.pop(key)
    return files


def _good(rng: random.Random, name: str) -> dict[str, object]:
    low = rng.randrange(1, 40)
    return {
        "name": name,
        "low": low,
        "high": low * 4,
        "price": "as-house" if rng.random() < 0.2 else rng.randrange(2, 90),
    }


@dataclass(frozen=True)
class CheckCost:
    """Seconds, of the fastest of some rounds each."""

    files: int
    megabytes: float
    read: float
    read_nodes: float
    check: float
    check_after_edit: float

    @property
    def ratio(self) -> float:
        """The check beside reading."""
        return self.check / self.read


def measure(share: float) -> CheckCost:
    book, faults = read_gamebook(gamebook())
    if book is None:
        raise SystemExit(faults[0].message)
    contents = server_files(share)
    costs = [_one(contents, book) for _ in range(ROUNDS)]
    best = [min(cost[i] for cost in costs) for i in range(4)]
    size = sum(map(len, contents.values())) / 1_000_000
    return CheckCost(len(contents), size, *best)


def _one(contents: dict[str, bytes], book: Gamebook) -> tuple[float, float, float, float]:
    files, read = _timed(lambda: gather_files(contents, book, query=query))
    checked, check = _timed(lambda: check_files_of(files, book))
    path = next(path for path in files.documents if path.startswith("galley/stores/"))
    document = files.documents[path]
    edited = document.with_text(document.text.replace('"low": ', '"low": 1', 1))
    after = replace(files, documents={**files.documents, path: edited})
    _, again = _timed(lambda: check_files_of(after, book, before=files.documents, earlier=checked))
    fresh, reading = _timed(lambda: gather_files(contents, book, query=query))
    _, nodes = _timed(lambda: _make_nodes(fresh))
    return read, reading + nodes, check, again


def _make_nodes(files: Files) -> int:
    return sum(1 for document in files.documents.values() for _ in document.root.walk())


def _timed(run: Callable[[], T]) -> tuple[T, float]:
    start = time.perf_counter()
    result = run()
    return result, time.perf_counter() - start
