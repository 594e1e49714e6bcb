"""Each kind of rule in a gamebook, on the smallest files that keep and break it."""

from __future__ import annotations

import sqlite3
import textwrap

import pytest

from zerrit.core.checks import check, check_files_of, gather_files
from zerrit.core.documents import Finding
from zerrit.core.gamebooks import Gamebook, read_gamebook
from zerrit.core.word_forms import form_fault, with_word, word_in
from zerrit.databases import query

FINDS = '<finds>\n  <find name="A" w="1.5" on="yes">\n    <band d="deep" at="Flats" least="1" holds="2"/>\n    <band d="abyss" at="Lip" least="1" holds="3"/>\n  </find>\n</finds>\n'
CHART = '<chart>\n  <ground name="Flats"/>\n  <ground name="Lip"/>\n</chart>\n'
STORE = '{"goods": [{"name": "Mead", "low": 1, "high": 2}]}\n'
MENU = '{"dishes": [{"dish": "Soup", "from": "cellar"}]}\n'
FILES = {"sea/finds.xml": FINDS, "sea/chart.xml": CHART, "stores/cellar.json": STORE, "menus/feast.json": MENU}


def book(rules: str) -> Gamebook:
    text = f"gamebook: 1\ngame: fathomline\n{textwrap.dedent(rules)}"
    found, faults = read_gamebook(text.encode())
    assert found is not None, faults
    return found


def findings_of(rules: str, **changed: str) -> tuple[Finding, ...]:
    gamebook = book(rules)
    files = FILES | {path.replace("__", "/").replace("_", "."): text for path, text in changed.items()}
    documents = {path: gamebook.read(text.encode(), path) for path, text in files.items()}
    return check(documents, gamebook)


def found_in(rules: str, **changed: str) -> list[tuple[str, str, int, str]]:
    return [(f.code, f.path, f.line, f.message) for f in findings_of(rules, **changed)]


FIELDS = """
    files:
      sea/finds.xml:
        entries:
          find:
            key: "@name"
            fields:
              weight: {path: "@w", is: number, min: 0.1, max: 60}
              on: {path: "@on", is: switch}
          find/band:
            key: "@d"
            fields:
              place: {path: "@at", list: grounds}
              least: {path: "@least", is: integer}
              holds: {path: "@holds", is: integer, min: 0}
            must:
              - {condition: least <= holds, message: "least {least} is above holds {holds}"}
    lists:
      grounds: {source: "sea/chart.xml#ground/@name"}
"""


def test_files_that_keep_all_rules_have_no_finding() -> None:
    assert found_in(FIELDS) == []


@pytest.mark.parametrize(
    ("old", "new", "code", "line", "message"),
    [
        ('w="1.5"', 'w="0"', "meaning.range", 2, "weight is 0; it must be from 0.1 to 60."),
        ('w="1.5"', 'w="heavy"', "meaning.type", 2, "weight is a number, but `heavy` is here."),
        ('holds="3"', 'holds="-1"', "meaning.range", 4, "holds is -1; it must be at least 0."),
        ('holds="3"', 'holds="3.5"', "meaning.type", 4, "holds is a whole number, but 3.5 is here."),
        ('on="yes"', 'on="often"', "meaning.type", 2, "on is a switch (yes or no), but `often` is here."),
        ('at="Lip"', 'at="lip"', "meaning.unknown-name", 4, "`lip` is not among the grounds (2 names are known)."),
        ('least="1" holds="2"', 'least="5" holds="2"', "meaning.must", 3, "least 5 is above holds 2"),
    ],
)
def test_a_broken_field_rule_is_one_finding_at_its_place(
    old: str, new: str, code: str, line: int, message: str
) -> None:
    found = found_in(FIELDS, sea__finds_xml=FINDS.replace(old, new))
    assert (code, "sea/finds.xml", line, message) in found
    assert len([f for f in found if f[0] == code]) == 1


def test_a_name_is_known_once_the_list_has_it() -> None:
    slip = {"sea__finds_xml": FINDS.replace('at="Lip"', 'at="Sill"')}
    assert len(found_in(FIELDS, **slip)) == 1
    assert found_in(FIELDS, **slip, sea__chart_xml=CHART.replace('name="Lip"', 'name="Sill"')) == []


def test_a_reference_to_a_file_name_wants_its_letter_case() -> None:
    rules = 'lists: {stores: {file_names: "stores/*.json"}}\nrefers:\n  - {every: "menus/*.json#dishes/*/from", list: stores}\n'
    assert found_in(rules) == []
    assert found_in(rules, menus__feast_json=MENU.replace("cellar", "Cellar")) == [
        ("meaning.unknown-name", "menus/feast.json", 1, "`Cellar` is not among the stores (one name is known).")
    ]


def test_a_family_is_unique_over_several_files() -> None:
    rules = 'unique:\n  - {name: names, over: ["sea/chart.xml#ground/@name", "sea/finds.xml#find/@name"]}\n'
    assert found_in(rules) == []
    assert found_in(rules, sea__finds_xml=FINDS.replace('name="A"', 'name="Lip"')) == [
        (
            "meaning.duplicate",
            "sea/finds.xml",
            2,
            "`Lip` occurs twice among the names; the first is in sea/chart.xml, line 3.",
        )
    ]


def test_a_list_adds_up_from_words_addresses_and_file_names() -> None:
    rules = """
        files:
          menus/feast.json: {entries: {dishes/*: {fields: {from: {list: all}}}}}
        lists:
          all: {words: [larder], source: "sea/chart.xml#ground/@name", file_names: "stores/*.json"}
    """
    for word in ("larder", "Flats", "cellar"):
        assert found_in(rules, menus__feast_json=MENU.replace("cellar", word)) == []
    assert found_in(rules, menus__feast_json=MENU.replace("cellar", "attic"))[0][3] == (
        "`attic` is not among the all (4 names are known)."
    )


def test_a_file_that_the_gamebook_knows_by_name_is_missed() -> None:
    assert found_in("files: {craft.xml: {purpose: hulls}}\n") == [
        ("gamebook.file-missing", "craft.xml", 0, "The gamebook knows craft.xml (hulls), but it is not there.")
    ]
    assert found_in('files: {"craft/*.xml": {}}\n') == []


def test_a_tolerated_fault_is_a_notice_and_does_not_block() -> None:
    rules = "files:\n  menus/feast.json: {tolerate: [json.comma-extra]}\n"
    extra = {"menus__feast_json": MENU.replace('"cellar"}', '"cellar"},')}
    documents = book(rules).read(extra["menus__feast_json"].encode(), "menus/feast.json")
    assert documents.ok
    assert [f[0] for f in found_in(rules, **extra)] == ["json.comma-extra"]


def test_a_field_that_is_absent_breaks_no_condition() -> None:
    assert found_in(FIELDS, sea__finds_xml=FINDS.replace(' least="1" holds="2"', ' holds="2"')) == []


def test_files_are_tracked_watched_or_ignored_by_pattern() -> None:
    gamebook = book('ignore: ["logs/**"]\nwatch: ["mods/**"]\n')
    assert [gamebook.is_tracked(path) for path in ("a.xml", "logs/a.log", "mods/a.pak")] == [True, False, False]
    assert gamebook.is_watched("mods/a.pak")
    assert gamebook.is_ignored("logs/x/a.log")


def test_an_entry_without_a_name_that_leads_elsewhere_is_told_and_no_trace() -> None:
    rules = """
        derived:
          - {name: price, each: "stores/cellar.json#goods/*", value: price, sentinel: as-house, fallback: "house.json#prices/{name}"}
    """
    store = '{"goods": [{"name": "", "price": "as-house"}]}\n'
    found = found_in(rules, stores__cellar_json=store, house_json='{"prices": {"Mead": 3}}')
    assert found == [
        (
            "meaning.sentinel",
            "stores/cellar.json",
            1,
            "`as-house` sends the game to house.json#prices/{name}, but nothing is there.",
        )
    ]


CHAIN = """
    derived:
      - {name: price, each: "board.json#dishes/*", value: price/night, where_absent: true, sentinel: ask,
         fallback: ["house.json#prices/{dish}", "desk.json#prices/{dish}"]}
"""


@pytest.mark.parametrize(
    ("price", "house", "desk", "told"),
    [
        ('{"night": 4}', "{}", "{}", ""),
        ("{}", '{"Soup": 3}', "{}", ""),
        ("{}", '{"Soup": "ask"}', '{"Soup": 3}', ""),
        ("{}", "{}", '{"Soup": 3}', ""),
        ('{"night": "ask"}', "{}", '{"Soup": 3}', ""),
        ("{}", "{}", "{}", "Without price/night, this sends the game to desk.json#prices/Soup, but nothing is there."),
        ('{"night": "ask"}', "{}", "{}", "`ask` sends the game to desk.json#prices/Soup, but nothing is there."),
        ("{}", '{"Soup": "ask"}', '{"Soup": "ask"}', "Without price/night, this sends the game to desk.json#prices/Soup, where `ask` leads nowhere."),
        ("{}", '{"Soup": 1, "Soup": 2}', "{}", "Without price/night, this sends the game to house.json#prices/Soup, where there are 2 values."),
    ],
)  # fmt: skip
def test_a_value_is_followed_from_place_to_place(price: str, house: str, desk: str, told: str) -> None:
    found = found_in(
        CHAIN,
        board_json=f'{{"dishes": [{{"dish": "Soup", "price": {price}}}]}}',
        house_json=f'{{"prices": {house}}}',
        desk_json=f'{{"prices": {desk}}}',
    )
    assert [message for code, _, _, message in found if code == "meaning.sentinel"] == ([told] if told else [])


def test_a_word_inside_other_text_is_one_of_a_list_and_the_rest_is_not_asked() -> None:
    rules = """
        lists:
          things: {words: [Rope, Bell]}
          boxes: {source: "box.json#*", take: name}
        refers:
          - {every: "draw.json#of/*", list: things, exceptions: ["box[*]"]}
          - {every: "draw.json#of/*", list: boxes, within: "box[{}]"}
    """
    boxes = '{"Old": 1, "New": 2}'
    assert found_in(rules, draw_json='{"of": ["Rope", "box[Old]"]}', box_json=boxes) == []
    found = found_in(rules, draw_json='{"of": ["Roe", "box[Odl]", "box[]"]}', box_json=boxes)
    assert [message for _, _, _, message in found] == [
        "`Roe` is not among the things (2 names are known).",
        "`box[Odl]` is not among the boxes (2 names are known).",
        "`box[]` is not among the boxes (2 names are known).",
    ]


def test_names_may_be_what_has_to_be_words() -> None:
    rules = """
        lists:
          things: {words: [Rope, Bell]}
        refers:
          - {every: "box.json#*", take: name, list: things}
    """
    assert found_in(rules, box_json='{"Rope": "Bll", "Bell": 2}') == []
    ((code, _, line, message),) = found_in(rules, box_json='{\n "Rope": 1,\n "bell": "Rope"\n}')
    assert (code, line) == ("meaning.unknown-name", 3)
    assert message == "`bell` is not among the things (2 names are known)."


def test_any_text_may_be_around_a_word() -> None:
    rules = """
        lists:
          things: {words: [Rope, Bell]}
        refers:
          - {every: "draw.json#of/*", list: things, within: "{}:*"}
          - {every: "draw.json#at/*", list: things, within: "*/{}"}
    """
    assert found_in(rules, draw_json='{"of": ["Rope:0", "Bell:a:b", "Roe"], "at": ["a/b/Rope"]}') == []
    found = found_in(rules, draw_json='{"of": ["Roe:0", ":1"], "at": ["Rope/x"]}')
    assert [message.partition("` ")[0] for *_, message in found] == ["`Roe:0", "`:1", "`Rope/x"]
    assert "more than one `*`" in form_fault("*/{}*")


def test_a_word_of_another_list_is_told_as_such() -> None:
    rules = """
        lists:
          cloths: {words: [nylon, silk]}
          banks: {source: "banks.json#*"}
        refers:
          - {every: "kites.json#*/at", list: banks}
          - {every: "kites.json#*/cloth", list: cloths}
    """
    files = {
        "banks_json": '["North Bank"]',
        "kites_json": '[{"at": "silk", "cloth": "North Bank"}, {"at": "slk", "cloth": "silk"}]',
    }
    hints = [one.hint for one in findings_of(rules, **files)]
    assert hints == [
        "It is one of the cloths.",
        "It is one of the banks.",
        "",
    ]


SECTIONS = """
    files:
      farm.ini:
        closed: true
        entries:
          Plot *: {fields: {size: {is: range, min: 1, max: 9, always: true}, crop: {list: crops}}}
          "* Barn": {fields: {size: {is: integer}}}
    lists:
      crops: {source: "farm.ini#* Barn", take: name}
"""


@pytest.mark.parametrize(
    ("old", "new", "code", "line"),
    [
        ("size=2..4", "size=2..14", "meaning.range", 2),
        ("size=2..4", "siez=2..4", "meaning.unknown-field", 2),
        ("size=2..4\n", "", "meaning.missing-field", 1),
        ("crop=Old Barn", "crop=Odl Barn", "meaning.unknown-name", 3),
        ("[Old Barn]", "[Old Bran]", "meaning.unknown-field", 4),
        ("size=7", "size=seven", "meaning.type", 5),
    ],
)
def test_sections_whose_names_fit_a_pattern_share_their_rules(old: str, new: str, code: str, line: int) -> None:
    farm = "[Plot North]\nsize=2..4\ncrop=Old Barn\n[Old Barn]\nsize=7\n"
    assert found_in(SECTIONS, farm_ini=farm) == []
    assert (code, line) in [(found, at) for found, _, at, _ in found_in(SECTIONS, farm_ini=farm.replace(old, new))]
    gamebook = book(SECTIONS)
    document = gamebook.read(farm.encode(), "farm.ini")
    (size,) = document.select("Plot */size")
    known = gamebook.field_rules("farm.ini", size)
    assert known is not None and known.kind == "range"


@pytest.mark.parametrize(
    ("form", "text", "word", "turned"),
    [
        ("box[{}]", "box[Old]", "Old", "box[New]"),
        ("box[{}]", "Old", None, "Old"),
        ("box[{}]", "box[]", "", "box[New]"),
        ("{}:*", "Old:0:1", "Old", "New:0:1"),
        ("*/{}", "a/b/Old", "Old", "a/b/New"),
        ("{}", "a.*", "a.*", "New"),
        ("{}:*", "Old:\n2", "Old", "New:\n2"),
        ("{}:*", "x" * 20_000 + ":1", None, "x" * 20_000 + ":1"),
    ],
)
def test_a_word_in_its_form(form: str, text: str, word: str | None, turned: str) -> None:
    assert word_in(form, text) == word
    assert with_word(form, text, "New") == turned


@pytest.mark.parametrize("turned", [False, True])
def test_a_value_of_a_query_is_told_at_the_place_that_it_differs_from(turned: bool) -> None:
    connection = sqlite3.connect(":memory:")
    connection.execute("CREATE TABLE berths (code, deep)")
    connection.execute("INSERT INTO berths VALUES ('A', 8)")
    connection.commit()
    files = {"a.yml": b"berths:\n  - {code: A, deep: 6}\n", "b.yml": b"berths:\n  - {code: A, deep: 6}\n"}
    tables = [
        "{each: '*.yml#berths/*', key: code, value: deep}",
        "{sql: {database: book.db, query: 'SELECT code, deep FROM berths'}}",
    ]
    one, other = reversed(tables) if turned else tables
    gamebook = book(f"same_values:\n  - {{name: depths, table: {one}, other: {other}}}\n")
    found = check_files_of(gather_files({**files, "book.db": connection.serialize()}, gamebook, query=query), gamebook)
    told = [(one.path, one.line, one.message) for one in found.findings if one.code == "meaning.not-same"]
    assert told
    for path, line, message in told:
        assert (path, line) in {("a.yml", 2), ("b.yml", 2)}
        assert message == "depths: `A` has 6 here, but 8 in book.db. The two must be the same."
