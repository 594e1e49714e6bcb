"""Drafts and rules on games of other shapes: nothing on their own files, next to nothing on the next version."""

from __future__ import annotations

import pytest

from tests.worlds import NAMES, ROOT, world
from tests.worlds.slips import SLIPS
from zerrit.core import read_document
from zerrit.core.checks import check_files_of, gather_files, statistics_of
from zerrit.core.documents import Finding, Format, Severity
from zerrit.core.drafting import draft
from zerrit.core.gamebooks import Gamebook, read_gamebook


def book_of(text: str) -> Gamebook:
    book, faults = read_gamebook(text.encode())
    assert book is not None, [(fault.line, fault.message) for fault in faults]
    return book


def found(book: Gamebook, files: dict[str, bytes]) -> tuple[Finding, ...]:
    return check_files_of(gather_files(files, book), book).findings


@pytest.mark.parametrize("name", NAMES)
def test_a_draft_finds_nothing_in_its_own_files_and_next_to_nothing_in_the_next(name: str) -> None:
    book = book_of(draft([world(name)], name, "1"))
    assert found(book, world(name)) == ()
    entries = sum(
        bool(node.children)
        for document in gather_files(world(name, 2), book).documents.values()
        for node in document.root.walk()
    )
    assert len(found(book, world(name, 2))) <= 0.01 * entries


def missed(book: Gamebook, name: str) -> list[tuple[str, str]]:
    """The planted slips of a world that are not found at their place, within three lines."""
    files = world(name)
    lost = []
    for path, old, new in SLIPS[name]:
        document = read_document(files[path], path)
        line = document.text.count("\n", 0, document.text.index(old)) + 1
        text = document.text.replace(old, new, 1)
        data = document.with_text(text).to_bytes() if document.format is Format.DATABASE else text.encode()
        findings = found(book, {**files, path: data})
        if not any(one.path == path and abs(one.line - line) <= 3 for one in findings):
            lost.append((path, new))
    return lost


@pytest.mark.parametrize("name", SLIPS)
def test_slips_are_found_where_they_are(name: str) -> None:
    """Most by a draft alone, nearly all by the gamebook that someone made of it; nothing in sound files."""
    assert len(SLIPS[name]) >= 30
    lost = missed(book_of(draft([world(name)], name, "1")), name)
    assert len(lost) <= 0.15 * len(SLIPS[name]), lost
    book = book_of((ROOT / name / "gamebook.yml").read_text())
    assert found(book, world(name)) == found(book, world(name, 2)) == ()
    lost = missed(book, name)
    assert len(lost) <= 0.05 * len(SLIPS[name]), lost


def test_what_a_database_demands_is_in_the_draft() -> None:
    text = draft([world("mill")], "mill", "1")
    assert '{every: "data/store.db#loads/farm", list: store farms id}' in text
    assert '{every: "mill.lua#Mill.Stones/*/grain", list: store grains name}' in text
    assert '{name: store grains name, over: ["data/store.db#grains/name"]}' in text


def test_of_several_places_the_odd_one_is_told() -> None:
    files = {f"{n}.yml": b"hall: north\n" for n in "abc"} | {"0.yml": b"hall: south\n"}
    book = book_of(f"{PLAIN}agree:\n  - ['0.yml#hall', 'a.yml#hall', 'b.yml#hall', 'c.yml#hall']\n")
    (finding,) = found(book, files)
    assert (finding.path, finding.line) == ("0.yml", 1)


@pytest.mark.parametrize(
    ("line", "place", "message"),
    [
        ("Mill.Hands = nine", 2, "Mill.Hands has no plain value here"),
        ("t = { open = yes }", 2, "open is a switch, but `yes` is the name of something in a script"),
        ("t = { price = 5,5, b = 1 }", 2, "5,5 are two values; the decimal sign is a point"),
    ],
)
def test_slips_of_scripts_that_are_sound_lua(line: str, place: int, message: str) -> None:
    book = book_of(
        f"{PLAIN}files:\n  a.lua:\n    entries:\n      '.': {{fields: {{hands: {{path: Mill.Hands, always: true}}}}}}\n"
        "      t: {fields: {open: {is: switch}}}\n"
    )
    files = {"a.lua": f"-- x\n{line}\n{'' if 'Hands' in line else 'Mill.Hands = 3'}\n".encode()}
    (finding,) = found(book, files)
    assert (finding.line, message in finding.message) == (place, True), finding
    sound = line.replace("nine", "9").replace("yes", "'yes'").replace("5,5", "5.5")
    assert found(book, {"a.lua": files["a.lua"].replace(line.encode(), sound.encode())}) == ()


def test_a_map_of_named_entries_gets_one_set_of_rules() -> None:
    book = book_of(draft([world("apiary")], "apiary", "1"))
    assert len(book.placed) <= 20
    entry = book.rules.files["items.json"].entries["items/*"]
    assert (entry.fields["cost"].kind, entry.fields["rare"].kind) == ("integer", "switch")


def test_sections_with_odd_names_count_like_any_other() -> None:
    files = world("tramway")
    book = book_of(draft([files], "tramway", "1"))
    broken = {**files, "lines.ini": files["lines.ini"].replace(b"Bays = 12", b"Bays = twelve", 1)}
    (finding,) = found(book, broken)
    assert finding.message == "Bays is a number, but `twelve` is here."


def test_a_flag_of_noughts_and_ones_is_a_flag() -> None:
    book = book_of(draft([world("orchard")], "orchard", "1"))
    assert book.rules.files["data/species.xml"].entries["species"].fields["frost"].kind == "switch"


def test_of_two_equal_sets_of_words_the_draft_asks_which_is_the_source() -> None:
    rows = "".join(f"  - {{name: {word}, wax: 1}}\n" for word in ("amber", "birch", "cedar", "dew", "elm", "fern"))
    text = draft([{"a.yml": f"a:\n{rows}".encode(), "b.yml": f"b:\n{rows}".encode()}], "x", "1")
    assert text.count("Which is the source?") == 1
    assert book_of(text).rules.refers == ()


def test_a_drafted_rule_that_fails_is_a_notice() -> None:
    files = world("apiary")
    book = book_of(draft([files], "apiary", "1"))
    broken = {**files, "items.json": files["items.json"].replace(b'"stack": 1,', b'"stack": "many",', 1)}
    assert {finding.severity for finding in found(book, broken)} == {Severity.NOTICE}


# --- rules that could not be measured -----------------------------------------------------------------------------------

PLAIN = "gamebook: 1\ngame: x\n"


@pytest.mark.parametrize(
    ("rule", "reason"),
    [
        ("near:\n- {each: a.yml#keepers/*, coordinates: [x], target: a.yml#posts/*, distance: 5}", "has no `x`"),
        ("near:\n- {each: a.yml#keepers/*, coordinates: ['pos/[#1]'], target: a.yml#none/*, distance: 5}", "nothing is at a.yml#none/*"),
        ("near:\n- {each: a.yml#keepers/*, coordinates: ['pos/[#3]'], target: a.yml#posts/*, distance: 5}", "which is not a number"),
        ("refers:\n- {every: a.yml#keepers/*/nme, list: words}\nlists:\n  words: {words: [a]}", "nothing is at a.yml#keepers/*/nme"),
        ("refers:\n- {every: a.yml#keepers/*/name, list: words}\nlists:\n  words: {source: 'a.yml#empty/*'}", "the list words has no words"),
        ("must:\n- {let: {n: a.yml#nowhere}, condition: n > 1}", "nothing is at a.yml#nowhere"),
        ("balance:\n- {sum: a.yml#keepers/*/name}", "holds no number"),
        ("unique:\n- {name: names, over: b.yml#x}", "there is no file b.yml"),
        ("alike:\n- {each: a.yml#keepers/*, group_by: '(.+)', fields: [weight]}", "nothing is at a.yml#keepers/*/weight"),
        ("same_values:\n- {name: n, table: {each: a.yml#keepers/*, key: name, value: wage}, other: {each: a.yml#posts/*, key: name, value: wage}}", "nothing is at a.yml#keepers/*/wage"),
        ("advice:\n- {condition: 'a.yml#limits/most > 3'}", "nothing is at a.yml#limits/most"),
        ("files:\n  a.yml:\n    entries:\n      keepers/*:\n        fields: {wage: {is: integer}}", "nothing is at a.yml#keepers/*/wage"),
    ],
)  # fmt: skip
def test_a_rule_that_could_not_be_measured_says_so(rule: str, reason: str) -> None:
    files = {
        "a.yml": b"keepers:\n- {name: ada, pos: [1, 2, up]}\n- {name: bo, pos: [3, 4, up]}\n"
        b"posts:\n- {name: north, pos: [1, 2, 3], x: 4}\nempty: []\n"
    }
    book = book_of(f"{PLAIN}{rule}\n")
    (held,) = statistics_of(check_files_of(gather_files(files, book), book))
    assert reason in held.unmeasured
    assert held.violations == 0


def test_an_entry_without_coordinates_is_told_as_not_measured() -> None:
    rule = (
        "near:\n- {each: a.yml#keepers/*, coordinates: ['pos/[#1]', 'pos/[#2]'], target: a.yml#posts/*, distance: 5}\n"
    )
    files = {"a.yml": b"keepers:\n- {name: ada, pos: [1, 2]}\n- {name: bo}\nposts:\n- {name: north, pos: [1, 2]}\n"}
    book = book_of(PLAIN + rule)
    (finding,) = found(book, files)
    assert (finding.code, finding.message) == ("meaning.not-measured", "Not measured: `bo` has no `pos/[#1]`.")
    (held,) = statistics_of(check_files_of(gather_files(files, book), book))
    assert held.unmeasured == "1 entry could not be measured"


def test_slots_of_a_file_that_is_read_in_another_way_are_told() -> None:
    book = book_of(f"{PLAIN}files:\n  a.ini:\n    slots: {{mods: {{pattern: '--mods={{}}'}}}}\n")
    (finding,) = found(book, {"a.ini": b"[A]\nx=--mods=1\n"})
    assert "The slots of a.ini are not used: the file is read as INI." in finding.message


@pytest.mark.parametrize(
    "rule",
    [
        "alike:\n- {each: a.yml#x, group_by: '(.+)', fields: ['band[']}",
        "derived:\n- {name: n, each: a.yml#x, value: 'x['}",
        "trouble: {loaded: [{line: '(?P<name>.+)', list: nothing}]}",
        "advice:\n- {every: 'a.yml#[', condition: value > 1}",
        "must:\n- {let: {n: 'a.yml#['}, condition: n > 1}",
        "same_values:\n- {name: n, table: {each: a.yml#x, key: 'k[', value: v}, other: {each: a.yml#y, key: k, value: v}}",
        "checklist:\n- {after: 'a.yml#[', do: look}",
        "near:\n- {each: a.yml#x, coordinates: ['x['], target: a.yml#y, distance: 5}",
        "draws:\n- {name: d, tables: a.yml#x, weight: 'w['}",
        "needs:\n- {each: a.yml#x, name: 'n[', requires: m, list: l}\nlists: {l: {words: [a]}}",
    ],
)
def test_every_address_of_a_gamebook_is_checked_where_it_is(rule: str) -> None:
    book, faults = read_gamebook(f"{PLAIN}{rule}\n".encode())
    assert book is None
    assert faults[0].line >= 3
    assert "[" in faults[0].message or "nothing" in faults[0].message


# --- findings known again -------------------------------------------------------------------------------------------------


def test_a_line_deleted_above_an_old_finding_does_not_make_it_new() -> None:
    from zerrit.core import read_document
    from zerrit.core.documents.findings import known_again

    text = "<a>\n<!-- x -->\n<berth>\n<c>\n</c>\n</a>\n"
    old = read_document(text.encode(), "a.xml").findings
    new = read_document(text.replace("<!-- x -->\n", "").encode(), "a.xml").findings
    assert old[0].message != new[0].message, "the message names the line"
    assert known_again(old, new) == [True] * len(new)
    assert known_again(old, [*new, new[0]]) == [*[True] * len(new), False], "one more of a kind is new"
