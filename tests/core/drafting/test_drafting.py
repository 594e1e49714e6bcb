"""Drafts: what they see, what they leave alone, and that they never cry over what they were made of."""

from __future__ import annotations

import pytest

from tests.worlds import world
from zerrit.core.checks import check_files_of, gather_files
from zerrit.core.documents import Severity
from zerrit.core.drafting import draft
from zerrit.core.gamebooks import Gamebook, read_gamebook
from zerrit.databases import query
from zerrit.demo.world_files import default_files, next_default_files, server_files

OLD, NEW = default_files(), next_default_files()


def drafted(*trees: dict[str, bytes]) -> Gamebook:
    book, faults = read_gamebook(draft(trees, "fathomline", "defaults").encode(), "draft.yml")
    assert book is not None, faults
    return book


def alarms(book: Gamebook, files: dict[str, bytes]) -> list[str]:
    found = check_files_of(gather_files(files, book, query=query), book).findings
    told = [finding for finding in found if finding.rule]
    assert all(finding.severity is Severity.NOTICE for finding in told), "a draft never blocks"
    return [f"{f.path}: {f.message}" for f in told]


@pytest.mark.parametrize("trees", [(OLD,), (NEW,), (OLD, NEW)], ids=["2.1", "2.2", "both"])
def test_a_draft_finds_nothing_in_what_it_was_made_of(trees: tuple[dict[str, bytes], ...]) -> None:
    book = drafted(*trees)
    for tree in trees:
        assert alarms(book, tree) == []


def test_two_versions_sharpen_a_draft() -> None:
    assert len(alarms(drafted(OLD), NEW)) == 1, "a setting of an add-in that came with 2.2"
    both = drafted(OLD, NEW)
    for server in ("coral-gate", "lantern-shelf"):
        assert alarms(both, server_files(server)) == [], "what admins changed is within what was seen"


def test_a_draft_sees_what_a_person_would() -> None:
    book = drafted(OLD)
    rules = book.rules
    finds = rules.files["sea/finds.xml"].entries["shelf/find"]
    assert finds.key == "@name"
    assert finds.fields["holds"].kind == "range"
    assert (finds.fields["returns"].kind, finds.fields["returns"].units) == ("quantity", ("tides",))
    happening = rules.files["sea/happenings/*.xml"].entries["happening"]
    assert (happening.fields["runs"].kind, happening.fields["runs"].always) == ("switch", True)
    assert rules.files["sea/chart.xml"].entries["berth"].fields["code"].matches == "[A-Z]{2}-[0-9]{2}"
    assert rules.files["galley/house.json"].entries["prices"].fields["each"].matches == "ask the purser|[0-9]{1,2}"
    assert rules.files["galley/recipes/*.json"].entries["takes"].fields["each"].kind == "range"
    refers = {
        (rule.every, rules.lists[rule.list_name].source or rules.lists[rule.list_name].file_names)
        for rule in rules.refers
    }
    assert ("sea/finds.xml#shelf/find/@ground", ("sea/chart.xml#ground/@name",)) in refers
    assert ("galley/board.json#board/*/recipe", "galley/recipes/*.json") in refers
    assert ("mods/order.txt#order", "mods/*.sum") in refers
    (newcomers,) = [rule for rule in rules.refers if rule.every == "crew/parties.yml#newcomers"]
    assert str(rules.lists[newcomers.list_name].only_if) == "is_on(open)"
    assert [rule.over for rule in rules.unique if "codes" in rule.name] == [
        ("sea/buoys.xml#buoy/@code", "sea/chart.xml#berth/@code", "ledger.db#stewards/post"),
        ("ledger.db#berths/code",),
    ]
    assert {(rule.every, rule.name_of) for rule in rules.agree if rule.every} == {
        ("addins/*/card.yml#card/name", "folder"),
        ("shelved/*/card.yml#card/name", "folder"),
        ("mods/*.yml#mod", "file"),
    }
    assert [(rule.files, rule.value) for rule in rules.in_use] == [("charts/{}/**", "launch.sh#chart")]
    assert [rule.into for rule in rules.packed] == ["charts/coral-gate.zip", "charts/lantern-shelf.zip"]
    assert [(rule.each, rule.in_order) for rule in rules.needs] == [
        ("addins/*/card.yml#card", False),
        ("mods/*.yml#**", True),
        ("mods/*.yml#**", True),
    ], "what is needed is in front in both lists"
    (alike,) = rules.alike
    assert alike.fields == ("@holds",)
    circuits = rules.files["station.ini"].entries["Circuit *"]
    assert (circuits.fields["Rating"].kind, circuits.closed is not None) == ("integer", True)
    assert set(rules.files["station.ini"].entries["* Watch"].fields) == {"Hours", "Hands"}
    assert [slot.pattern for slot in rules.files["launch.sh"].slots.values()] == ["--chart {}", "--with {}"]
    assert rules.files["sea/buoys.xml"].tolerate == ("xml.comment-double-hyphen",)


def test_what_speaks_for_a_rule_stands_behind_it() -> None:
    text = draft([OLD], "fathomline", "defaults 2.1")
    line = next(one for one in text.splitlines() if "shelf/find/@ground" in one)
    assert line.endswith("# 399 values, 20 of 20 words; confidence 0.998")
    assert text.startswith("# A draft")
    assert "drafted: defaults 2.1" in text


@pytest.mark.parametrize(
    "tree",
    [
        {"a.txt": b""},
        {"a.bin": b"\0\1\2"},
        {"a.xml": b"<a><b"},
        {"a.json": b"[]", "b.json": b"{}", "c.json": b"3"},
        {"a.yml": b"on: yes\n'a: b': 1\n? x\n: y\n", "b.ini": b'[x/y]\na[1]=2\n[*]\n"q"=3\n'},
        {"we ird/#1.json": b'{"a/b": {"c#d": 1, "": 2, "true": 3}, "*": [[1, 2], [3]]}'},
        {"big.csv": b"a;b\n" * 2000, "a/b/c/d.txt": b"x"},
    ],
)
def test_odd_files_give_a_valid_draft(tree: dict[str, bytes]) -> None:
    book, faults = read_gamebook(draft([tree], "x", "odd").encode(), "draft.yml")
    assert book is not None, faults
    found = check_files_of(gather_files(tree, book), book).findings
    broken = {f.code for f in found if not f.code.startswith(("meaning", "gamebook"))}
    assert [f for f in found if f.code not in broken and f.severity is not Severity.NOTICE] == []


@pytest.mark.parametrize("name", ["post", "pottery", "mill", "choir"])
def test_files_of_one_name_in_several_folders_are_told_apart(name: str) -> None:
    """A game with a file `settings` in each folder is the rule; no two rules or lists may have one name."""
    once = world(name)
    twice = {f"{folder}/{path}": data for folder in ("north", "south/far") for path, data in once.items()}
    book = drafted(twice)
    assert alarms(book, twice) == []
    assert len(book.rules.lists) >= 2 * len(drafted(once).rules.lists)
