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
STORES = 2_000
DISHES = 6_000


def server_files(share: float) -> dict[str, bytes]:
    """The demo world with more of everything: at 1.0 it has 500 files and 20 MB."""
    rng = random.Random(SEED)
    files = default_files()
    for path in [path for path in files if path.startswith("galley/") and path != "galley/messes.json"]:
        del files[path]
    recipes = [f"recipe-{number}" for number in range(round(375 * share))]
    stores = [f"Store {number}" for number in range(STORES)]
    for recipe in recipes:
        rows = [f'    "{name}": "{rng.randrange(1, 4)}..{rng.randrange(4, 9)}"' for name in rng.sample(stores, 1_700)]
        text = '{\n  "minutes": 20,\n  "takes": {\n' + ",\n".join(rows) + "\n  }\n}\n"
        files[f"galley/recipes/{recipe}.json"] = text.encode()
    dishes = [f"Dish {number}" for number in range(DISHES)]
    board = ",\n".join("    " + json.dumps(_dish(rng, dish, rng.choice(recipes))) for dish in dishes)
    files["galley/board.json"] = f'{{\n  "board": [\n{board}\n  ]\n}}\n'.encode()
    prices = {dish: rng.randrange(1, 99) for dish in dishes}
    files["galley/house.json"] = json.dumps({"prices": prices}, indent=2).encode()
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
    lines = [line for line in finds.splitlines(keepends=True) if line.startswith("    <find ")]
    more = "".join(line.replace('name="', f'name="{n} ', 1) for n in range(round(22 * share)) for line in lines)
    head, _, tail = finds.rpartition("  </shelf>")
    files["sea/finds.xml"] = f"{head}{more}  </shelf>{tail}".encode()
    return files


def _dish(rng: random.Random, dish: str, recipe: str) -> dict[str, object]:
    fewest = rng.randrange(1, 40)
    prices = {watch: rng.randrange(2, 60) for watch in ("morning", "evening", "night") if rng.random() < 0.8}
    return {
        "dish": dish,
        "deck": rng.randrange(1, 9),
        "recipe": recipe,
        "larder": f"{fewest}..{fewest * 4}",
        "price": prices,
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
    path = next(path for path in files.documents if path.startswith("galley/recipes/"))
    document = files.documents[path]
    edited = document.with_text(document.text.replace('"minutes": ', '"minutes": 1', 1))
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
