"""Merging and comparing scripts: tables by their entries, code by its lines, and nothing lost between the two."""

from __future__ import annotations

import random

import pytest

from zerrit.core import read_document
from zerrit.core.compare import compare_documents
from zerrit.core.merge import Merged, merge_three

LUA = (
    "-- the quay\n",
    "local base = require('base')\n",
    "Base.Hands = 12 -- how many\n",
    "feature = { steam = true, rain = false }\n",
    "Stalls = {\n  quay = { price = 5 },\n  pier = { price = 7, open = { 6, 18 } },\n}\n",
    "local function fee(n)\n  return n * 2\nend\n",
    "AddRecipe('eel', {\n  salt = 1,\n  wood = 3,\n})\n",
    "run(base, feature)\n",
    'limit = "none"\n',
    "return Stalls\n",
)
LUA_EDITS = (
    ("-- the quay", "-- the old quay"),
    ("require('base')", "require('other')"),
    ("12", "14"),
    ("rain = false", "rain = true"),
    ("price = 7", "price = 9"),
    ("n * 2", "n * 3"),
    ("wood = 3", "wood = 4"),
    ("run(base", "walk(base"),
    ('"none"', '"some"'),
    ("return Stalls", "return feature"),
)
SHELL = (
    "#!/bin/sh\n",
    'HALL="north"\n',
    "cd hall || exit 1\n",
    "export PORT=7700\n",
    'if [ -f "$HALL" ]; then\n  exit 1\nfi\n',
    "./check --fast --limit 5\n",
    "echo starting\n",
    './cannery --hall "$HALL" --load=base,belts \\\n  --with choir\n',
    "echo done\n",
)
SHELL_EDITS = (
    ("/bin/sh", "/bin/bash"),
    ("north", "south"),
    ("cd hall", "cd halls"),
    ("7700", "7701"),
    ("exit 1", "exit 2"),
    ("limit 5", "limit 6"),
    ("starting", "begins"),
    ("base,belts", "base,belts,jars"),
    ("done", "over"),
)
SCRIPTS = {"a.lua": (LUA, LUA_EDITS), "a.sh": (SHELL, SHELL_EDITS)}
NEW = {
    "a.lua": ("print('new')\n", "New = { one = 1 }\n", "New.Count = 3\n"),
    "a.sh": ("echo new\n", "NEW=1\n", "./other --new 1\n"),
}


def merge(path: str, base: str, mine: str, theirs: str) -> Merged:
    return merge_three(*(read_document(text.encode(), path) for text in (base, mine, theirs)))


def edited(chance: random.Random, path: str, blocks: list[str], place: int) -> str:
    """Change, remove, or add to the block at a place; what was done."""
    kind = chance.choice(["change", "change", "remove", "add"])
    if kind == "change":
        old, new = SCRIPTS[path][1][place]
        assert old in blocks[place]
        blocks[place] = blocks[place].replace(old, new, 1)
    elif kind == "remove":
        blocks[place] = ""
    else:
        blocks[place] += chance.choice(NEW[path])
    return kind


@pytest.mark.parametrize("path", SCRIPTS)
def test_edits_of_different_places_come_together_to_the_letter(path: str) -> None:
    blocks = SCRIPTS[path][0]
    for seed in range(1_500):
        chance = random.Random(seed)
        here, there = chance.sample(range(1, len(blocks)), 2)
        if abs(here - there) < 2:
            continue
        mine, theirs = list(blocks), list(blocks)
        kinds = edited(chance, path, mine, here), edited(chance, path, theirs, there)
        both = [one if one != old else other for old, one, other in zip(blocks, mine, theirs, strict=True)]
        merged = merge(path, "".join(blocks), "".join(mine), "".join(theirs))
        assert (merged.document.text, merged.conflicts) == ("".join(both), ()), (seed, here, there, kinds)


@pytest.mark.parametrize("path", SCRIPTS)
def test_no_change_of_a_text_goes_untold(path: str) -> None:
    blocks = SCRIPTS[path][0]
    base = read_document("".join(blocks).encode(), path)
    for seed in range(300):
        chance = random.Random(seed)
        other = list(blocks)
        place = chance.randrange(len(blocks))
        edited(chance, path, other, place)
        if chance.random() < 0.3:
            other.insert(chance.randrange(len(blocks)), other.pop(place))
        document = read_document("".join(other).encode(), path)
        if document.text != base.text:
            found = compare_documents(base, document)
            assert [one for one in found if one.kind.value != "layout"], (seed, place)


@pytest.mark.parametrize(
    ("path", "base", "mine", "theirs"),
    [
        pytest.param("a.lua", "a = { x = 1 }\n", "a = { x = 2 }\n", "a = { x = 3 }\n", id="a value of a table"),
        pytest.param("a.lua", "a = { x = 1 }\n", "a = { x = 2 }\n", "local a = { x = 1 }\n", id="a table and the code around it"),
        pytest.param("a.lua", "a = 1\n", "a = 2\n", "a = 3\n", id="a setting"),
        pytest.param("a.sh", "run --a 1\n", "run --a 2\n", "run --a 3\n", id="an option"),
        pytest.param("a.sh", "run --a 1\n", "run --a 2\n", "walk --a 1\n", id="an option and the code around it"),
        pytest.param("a.lua", "f(1)\n", "f(2)\n", "f(3)\n", id="a line"),
    ],
)  # fmt: skip
def test_edits_of_one_place_are_a_conflict_and_mine_stays(path: str, base: str, mine: str, theirs: str) -> None:
    merged = merge(path, base, mine, theirs)
    assert (len(merged.conflicts), merged.document.text) == (1, mine)


def test_tables_in_another_order_are_no_ones_loss() -> None:
    base = "a = { x = 1 }\nb = { y = 1 }\n"
    merged = merge("a.lua", base, base.replace("x = 1", "x = 2"), "b = { y = 1 }\na = { x = 1 }\n")
    assert "x = 2" in merged.document.text
    assert merged.conflicts or merged.document.text.count("a =") == 1
