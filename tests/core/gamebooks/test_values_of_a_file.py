"""Values that stand directly in a file, in no entry: they have rules, are drafted, and get rules by decision, as all others."""

from __future__ import annotations

from collections.abc import Mapping

import pytest

from zerrit.core.checks import Files, check_files_of, rule_in_words, rules_of_place, samples_of, statistics_of
from zerrit.core.drafting import draft
from zerrit.core.gamebooks import Gamebook, read_gamebook
from zerrit.core.gamebooks.rule_edits import with_part
from zerrit.core.gamebooks.rule_proposals import place_of_field

FILES = {
    "dock.yml": b"max_crew: 40\nleast_crew: 4\nwelcome: hello\nopen: true\nports:\n  game: 2001\n",
    "dock.json": b'{"max_crew": 40, "least_crew": 4, "welcome": "hello", "open": true, "ports": {"game": 2001}}',
    "dock.ini": b"max_crew=40\nleast_crew=4\nwelcome=hello\nopen=true\n\n[ports]\ngame=2001\n",
    "dock.xml": b'<dock max_crew="40" open="true"><least_crew>4</least_crew><welcome>hello</welcome><ports game="2001"/></dock>',
}
BOOK = """gamebook: 1
game: dock
files:
  "dock.*":
    closed: true
    entries:
      ".":
        fields:
          max_crew: {%sis: integer, min: 1, max: 100}
          least_crew: {is: integer}
          welcome: {}
          open: {%sis: switch}
        must:
          - {condition: "least_crew <= max_crew"}
      ports:
        fields:
          game: {%s}
"""
NAMES = tuple(FILES)


def book_for(name: str) -> Gamebook:
    at = (
        [f'path: "@{field}", ' for field in ("max_crew", "open")] + ['path: "@game"']
        if name.endswith("xml")
        else [""] * 3
    )
    return read(BOOK % tuple(at))


def read(text: str) -> Gamebook:
    book, faults = read_gamebook(text.encode(), "dock.yml")
    assert book is not None and not faults, faults
    return book


def check(book: Gamebook, files: Mapping[str, bytes]) -> list[tuple[str, str]]:
    documents = {path: book.read(data, path) for path, data in files.items()}
    return [(one.code, one.address) for one in check_files_of(Files(documents), book).findings]


@pytest.mark.parametrize("name", NAMES)
def test_rules_hold_for_the_values_of_a_file(name: str) -> None:
    book, data = book_for(name), FILES[name]
    sign = "@" if name.endswith("xml") else ""
    assert check(book, {name: data}) == []
    assert check(book, {name: data.replace(b"40", b"400")}) == [("meaning.range", f"{name}#{sign}max_crew")]
    assert [code for code, _ in check(book, {name: data.replace(b"true", b"7")})] == ["meaning.type"]
    assert [code for code, _ in check(book, {name: data.replace(b"40", b"3")})] == ["meaning.must"]
    strange = data.replace(b"welcome", b"wellcome")
    assert [code for code, _ in check(book, {name: strange})] == ["meaning.unknown-field"]


@pytest.mark.parametrize("name", NAMES)
def test_what_is_known_of_a_value_of_a_file_is_told_at_its_place(name: str) -> None:
    book = book_for(name)
    document = book.read(FILES[name], name)
    checked = check_files_of(Files({name: document}), book)
    sign = "@" if name.endswith("xml") else ""
    (node,) = document.select(f"{sign}max_crew")
    assert [rule_in_words(one) for one in rules_of_place(book, document, node)][:1] == [
        "dock.*: max_crew is a whole number from 1 to 100"
    ]
    assert {one.places for one in statistics_of(checked) if one.part in ("field", "must")} == {1}
    (placed,) = [one for one in book.placed if one.location[-1] == "max_crew"]
    assert [one.value for one in samples_of(checked, placed)] == ["40"]
    assert place_of_field(book, (document, node)).location == ("files", "dock.*", "entries", ".", "fields", "max_crew")


@pytest.mark.parametrize("name", NAMES)
def test_a_value_of_an_unknown_file_gets_a_rule(name: str) -> None:
    empty = read("gamebook: 1\ngame: dock\n")
    document = empty.read(FILES[name], name)
    (node,) = document.select("@max_crew" if name.endswith("xml") else "max_crew")
    part = place_of_field(empty, (document, node))
    assert part.location[:4] == ("files", name, "entries", ".")
    book = read(with_part(empty.source.text, part.location, {**part.data, "is": "integer", "max": 30}))
    assert [code for code, _ in check(book, {name: FILES[name]})] == ["meaning.range"]


@pytest.mark.parametrize("name", NAMES)
def test_a_draft_knows_the_sorts_of_the_values_of_a_file(name: str) -> None:
    book = read(draft([{name: FILES[name]}], "dock", "test"))
    assert check(book, {name: FILES[name]}) == []
    for old, new in ((b"40", b"4000"), (b"true", b"7"), (b"welcome", b"wellcome")):
        assert len(check(book, {name: FILES[name].replace(old, new)})) == 1


def test_files_of_one_kind_that_hold_one_entry_each_are_drafted_together() -> None:
    files = {
        f"lamps/lamp-{n}.json": f'{{"glow": {n % 9 + 1}, "oil": "{("whale", "rape")[n % 2]}", "lit": {"true" if n % 3 else "false"}}}'.encode()
        for n in range(30)
    }
    book = read(draft([files], "lamps", "test"))
    assert check(book, files) == []
    wrong = {
        "glow": b'{"glow": 900, "oil": "whale", "lit": true}',
        "oil": b'{"glow": 3, "oil": "whael", "lit": true}',
        "lit": b'{"glow": 3, "oil": "whale", "lit": "perhaps"}',
    }
    for field, data in wrong.items():
        found = check(book, files | {"lamps/lamp-3.json": data})
        assert [address for _, address in found] == [f"lamps/lamp-3.json#{field}"]


@pytest.mark.parametrize(
    ("name", "data"),
    [
        ("dot.ini", b".=3\nother=4\n"),
        ("dot.yml", b'".": 3\nother: 4\n'),
        ("dot.json", b'{".": {"depth": 3}, "other": 4}'),
    ],
)
def test_what_is_called_a_dot_is_not_taken_for_the_file_itself(name: str, data: bytes) -> None:
    book = read(draft([{name: data}], "dots", "test"))
    assert check(book, {name: data}) == []
    assert [code for code, _ in check(book, {name: data.replace(b"3", b"9999")})] == ["meaning.range"]
    assert [code for code, _ in check(book, {name: data.replace(b"4", b"9999")})] == ["meaning.range"]


def test_usual_words_defaults_and_names_are_said_in_words() -> None:
    text = """gamebook: 1
game: g
files:
  a.yml:
    entries:
      press: {fields: {fruit: {usual: [apple, pear, quince, sloe, medlar, plum, "fig, to go"], default: pear}, bars: {is: number, min: 1, max: 9}}}
lists:
  fruits: {words: [apple, pear]}
refers:
  - {every: "a.yml#kept/*", take: name, list: fruits}
"""
    book, faults = read_gamebook(text.encode())
    assert book is not None, faults
    said = [rule_in_words(one) for one in book.placed if one.says_something]
    assert said == [
        "a.yml / press: fruit is usually one of apple, pear, quince, sloe, medlar and 2 others; the game takes pear where it is absent",
        "a.yml / press: bars is a number from 1 to 9",
        "the name of every a.yml#kept/* is one of the fruits",
    ]
    documents = {"a.yml": book.read(b"press: {fruit: pear}\nkept: {apple: 3, pear: 4}\n", "a.yml")}
    checked = check_files_of(Files(documents), book)
    assert [one.value for one in samples_of(checked, book.placed[-1])] == ["apple", "pear"]
