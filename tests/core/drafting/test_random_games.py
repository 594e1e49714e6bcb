"""Drafts of games that are made of a seed: most slips are found, and the next version is hardly cried at."""

from __future__ import annotations

import json
import random
from xml.sax.saxutils import quoteattr

import pytest

from fuzzing.drafting import alarms, book_of, random_games
from zerrit.core.drafting import draft


def test_drafts_of_games_that_no_one_has_seen() -> None:
    found = random_games(1000, 1006)
    assert found.slips > 60
    assert found.alone >= 0.85 * found.slips
    assert found.accepted >= found.alone
    assert found.on_sources == 0
    assert found.cries <= 0.005


ODD = (
    "a", "b", "x:y", "p/q", "k[1]", 'q"t', "it's", "#h", "*", "a*b", "{}", "{z}", "0", "1", "true", "null", "é", "名前", "a b",
    "  lead", "trail ", "-", "@at", "%", "a=b", "c;d", "e,f", "net[g]", "g:1", ".", "..", "~", "?", "<t>", "&amp", "yes", "None",
)  # fmt: skip


def odd_files(seed: int) -> dict[str, bytes]:
    """Files whose names and values hold every sign that means something to someone."""
    rng = random.Random(seed)
    names = rng.sample(ODD, rng.randint(3, 12))

    def value() -> object:
        name = rng.choice(names)
        return rng.choice(
            [name, rng.randint(0, 99), f"{name}:{rng.randint(0, 9)}", f"box[{name}]", rng.random() < 0.5, None]
        )

    main = {
        "groups": {name: {"v": value(), "w": value()} for name in names},
        "list": [{"name": name, "p": value()} for name in names],
        "map": {name: value() for name in names},
    }
    few = {"uses": [value() for _ in range(5)], "map": {name: rng.randint(1, 9) for name in names[:4]}, "one": value()}
    items = "".join(f"<i n={quoteattr(name)} v={quoteattr(str(value()))}/>" for name in names)
    settings = "".join(f"k{number}={name}\n" for number, name in enumerate(names))
    texts = {
        "main.json": json.dumps(main),
        "far/few.yml": json.dumps(few, ensure_ascii=False),
        "near/few.yml": json.dumps(few | {"uses": [rng.choice(names) for _ in range(5)]}),
        "set.ini": f"[S]\n{settings}[T one]\na=1\n[T two]\na=2\n[T three]\na=3\n",
        "items.xml": f"<r>{items}</r>",
    }
    return {path: text.encode() for path, text in texts.items()}


@pytest.mark.parametrize("seed", range(40))
def test_odd_names_make_no_wrong_draft(seed: int) -> None:
    files = odd_files(seed)
    book = book_of(draft([files], "g", "1"))
    assert alarms(book, files) == []
