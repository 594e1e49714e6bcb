"""What a draft sees in the names of files, and in numbers that always have the same sum."""

from __future__ import annotations

import json

import pytest

from zerrit.core.checks import check_files_of
from zerrit.core.drafting import draft
from zerrit.core.drafting.file_name_inference import name_forms
from zerrit.core.examination.game_files import gather_files
from zerrit.core.gamebooks import Gamebook, read_gamebook

Tree = dict[str, bytes]


def drafted(*trees: Tree) -> Gamebook:
    book, faults = read_gamebook(draft(trees, "kiln", "some").encode())
    assert book is not None, faults
    for tree in trees:
        assert found_in(book, tree) == [], "a draft finds nothing in what it was made of"
    return book


def found_in(book: Gamebook, tree: Tree) -> list[str]:
    return [one.message for one in check_files_of(gather_files(tree, book), book).findings if one.rule]


# --- names of files ---------------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("names", "form"),
    [
        (["glaze_red", "glaze_blue", "glaze_grey", "glaze_white", "glaze_black"], r"glaze_[a-z]+\.json"),
        (["01-jug", "02-cup", "03-bowl", "04-plate", "17-pot"], r"[0-9]{2}-[a-z]+\.json"),
        (["v1.Jug", "v12.Cup", "v3.Bowl", "v4.Plate", "v5.Pot"], r"v[0-9]+\.[A-Z][A-Za-z]*\.json"),
        (["red", "blue", "grey", "white", "black"], ""),  # any word: that tells nothing
        (["glaze_red", "glaze_blue", "glaze_grey", "glaze_white"], ""),  # so few may be chance
        (["glaze_red", "glaze_blue", "glaze_grey", "glaze_white", "other"], ""),
        (["x1", "x2", "xa", "x4", "x5"], ""),
    ],
)
def test_the_form_of_the_names_in_a_folder(names: list[str], form: str) -> None:
    found = [one.matches for one in name_forms([f"glazes/{name}.json" for name in names])]
    assert found == ([form] if form else [])


def test_a_name_of_another_form_is_told() -> None:
    tree = {f"glazes/glaze_{name}.json": b'{"heat": 900}' for name in ("red", "blue", "grey", "white", "black")}
    book = drafted(tree)
    assert [one.sentence() for one in book.rules.file_names] == [  # type: ignore[attr-defined]
        r"glazes/*: only names of the form glaze_[a-z]+\.json are read"
    ]
    for name in ("glaze_green.json.old", "glaze_green (2).json", "glase_green.json", "glaze_Green.json"):
        (said,) = [
            one for one in found_in(book, {**tree, f"glazes/{name}": b'{"heat": 900}'}) if "form of the names" in one
        ]
        assert said == rf"`{name}` does not have the form of the names that the game reads here: glaze_[a-z]+\.json."
    assert found_in(book, {**tree, "glazes/glaze_green.json": b'{"heat": 900}'}) == []


def test_an_older_version_refutes_a_form_and_other_endings_narrow_it() -> None:
    names = [f"glazes/glaze_{name}.json" for name in ("red", "blue", "grey", "white", "black")]
    assert list(name_forms(names, ["glazes/common.json"])) == []
    assert [one.files for one in name_forms(names, ["glazes/read me.txt"])] == ["glazes/*.json"]
    assert list(name_forms([name.removeprefix("glazes/") for name in names])) == [], "the top folder holds anything"


# --- sums -------------------------------------------------------------------------------------------------------------


def mixes(*rows: tuple[int, int, int]) -> Tree:
    listed = [{"name": f"mix {n}", "sand": a, "clay": b, "ash": c} for n, (a, b, c) in enumerate(rows)]
    return {"mixes.json": json.dumps({"mixes": listed}).encode()}


def rooms(*shares: str) -> Tree:
    inner = "".join(
        f'<room name="r{n}">{"".join(f"<part share={chr(34)}{s}{chr(34)}/>" for s in one.split())}</room>'
        for n, one in enumerate(shares)
    )
    return {"rooms.xml": f"<rooms>{inner}</rooms>".encode()}


def stall(*prices: int) -> Tree:
    return {"stall.yml": ("prices:\n" + "".join(f"  p{n}: {one}\n" for n, one in enumerate(prices))).encode()}


def conditions(book: Gamebook) -> list[str]:
    entries = [entry for file in book.rules.files.values() for entry in file.entries.values()]
    return [str(must.condition) for entry in entries for must in entry.must]


def test_fields_that_always_add_up_to_the_same() -> None:
    tree = mixes((30, 50, 20), (10, 75, 15), (25, 25, 50), (40, 40, 20))
    book = drafted(tree)
    assert conditions(book) == ["sand + clay + ash == 100"]
    assert len(found_in(book, mixes((30, 50, 20), (10, 70, 15), (25, 25, 50), (40, 40, 20)))) == 1
    assert conditions(drafted(mixes((30, 50, 20), (10, 75, 15), (25, 25, 50), (40, 40, 21)))) == []
    assert conditions(drafted(mixes((30, 50, 20), (30, 50, 20), (30, 50, 20)))) == [], "they are one and the same"
    assert conditions(drafted(tree, mixes((30, 50, 30)))) == [], "another version refutes it"


def test_parts_of_each_entry_that_add_up_to_the_same() -> None:
    book = drafted(rooms("0.5 0.5", "0.2 0.8", "0.1 0.3 0.6"))
    assert conditions(book) == ["sum(part_share) == 1.0"]
    assert len(found_in(book, rooms("0.5 0.5", "0.2 0.8", "0.1 0.3 0.9"))) == 1
    assert conditions(drafted(rooms("0.5 0.5", "0.2 0.8"))) == [], "two may be chance"
    assert conditions(drafted(rooms("0.5 0.5", "0.2 0.8", "1.0"))) == [], "a single part is no sum"


def test_a_sum_that_versions_keep() -> None:
    book = drafted(stall(10, 20, 30, 40), stall(15, 15, 30, 40))
    assert [one.sentence() for one in book.rules.balance] == ["the sum of stall.yml#prices/* stays within 0"]  # type: ignore[attr-defined]
    assert drafted(stall(11, 20, 30, 40), stall(16, 15, 30, 40)).rules.balance == (), "101 may be chance"  # type: ignore[attr-defined]
    three = drafted(stall(11, 20, 30, 40), stall(16, 15, 30, 40), stall(16, 15, 20, 50))
    assert len(three.rules.balance) == 1  # type: ignore[attr-defined]
    assert drafted(stall(10, 20, 30, 40), stall(10, 20, 30, 40)).rules.balance == (), "nothing changed"  # type: ignore[attr-defined]
    assert drafted(stall(10, 20, 30, 40), stall(20, 10, 30, 40)).rules.balance == (), "the same numbers"  # type: ignore[attr-defined]
