"""The form of gamebooks: conditions, lists, ids, bad gamebooks, and the pages and the schema that are made of it."""

from __future__ import annotations

import json
import textwrap
from pathlib import Path

import jsonschema
import pytest

from zerrit.core import read_document
from zerrit.core.checks import check_files_of, gather_files, statistics_of
from zerrit.core.expressions import (
    ExpressionInvalid,
    NotApplicable,
    PatternInvalid,
    compile_pattern,
    parse_expression,
    worked_out,
)
from zerrit.core.gamebooks import Gamebook, json_schema, read_gamebook
from zerrit.databases import query
from zerrit.demo.world_files import default_files, gamebook

DOCS = Path(__file__).parents[3] / "docs"


def book(rules: str) -> Gamebook:
    found, faults = read_gamebook(f"gamebook: 1\ngame: x\n{textwrap.dedent(rules)}".encode(), "x.yml")
    assert found is not None, faults
    return found


def faults_of(rules: str) -> list[tuple[int, str, str]]:
    found, faults = read_gamebook(f"gamebook: 1\ngame: x\n{textwrap.dedent(rules)}".encode(), "x.yml")
    assert found is None
    assert all(fault.path == "x.yml" and fault.code == "gamebook.invalid" for fault in faults)
    return [(fault.line, fault.message, fault.hint) for fault in faults]


def found_in(rules: str, files: dict[str, str | bytes]) -> list[tuple[str, str, int, str]]:
    contents = {path: text.encode() if isinstance(text, str) else text for path, text in files.items()}
    found = check_files_of(gather_files(contents, book(rules), query=query), book(rules)).findings
    return [(f.code, f.path, f.line, f.message) for f in found]


# --- conditions -------------------------------------------------------------------------------------------------------

FIELDS = {"holds": ["4", "6"], "least": ["3"], "name": ["Copper Gimbal"], "on": ["yes"], "off": ["no"]}


@pytest.mark.parametrize(
    ("text", "value"),
    [
        ("sum(holds) == 10 and min(holds) == 4 and max(holds) == 6 and count(holds) == 2", True),
        ("1 < least < 4", True),
        ("least * 2 - 1 == 5 and least % 2 == 1 and least / 2 == 1.5 and -least < 0", True),
        ("is_on(on) and not is_on(off)", True),
        ("has(least) and not has(most)", True),
        ("count(most) == 0", True),
        ("name == 'Copper Gimbal' and length(name) == 13 and lower(name) == 'copper gimbal'", True),
        ("abs(0 - least) == 3 and round(least / 2) == 2", True),
        ("least > 3 or least == 2", False),
    ],
)
def test_a_condition_is_worked_out_exactly(text: str, value: bool) -> None:
    assert parse_expression(text).holds(FIELDS) is value


@pytest.mark.parametrize(
    ("text", "error"),
    [
        ("most > 1", NotApplicable),
        ("sum(most) > 1", NotApplicable),
        ("holds > 1", ExpressionInvalid),
        ("name > 1", ExpressionInvalid),
        ("1 / (least - 3) > 1", ExpressionInvalid),
        ("abs(name) > 1", ExpressionInvalid),
    ],
)
def test_a_condition_without_an_answer_says_so(text: str, error: type[Exception]) -> None:
    with pytest.raises(error):
        parse_expression(text).holds(FIELDS)


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("__import__('os')", "the functions are"),
        ("name.upper()", "the functions are"),
        ("lambda: 1", "do not have"),
        ("[x for x in holds]", "do not have"),
        ("holds[0]", "do not have"),
        ("True", "neither a number nor a word"),
        ("2 ** 9999999", "do not have"),
        ("sum(1 + 1)", "is of a field"),
        ("least / 0 > 1", "divides by zero"),
        ("least % (2 - 2) > 1", "divides by zero"),
        ("1 +", "is not a condition"),
        ("not " * 100 + "least", "nested too deeply"),
        ("a" * 600, "at most 500"),
        ("least\0", "is not a condition"),
    ],
)
def test_what_is_no_condition_is_refused(text: str, said: str) -> None:
    with pytest.raises(ExpressionInvalid, match=said):
        parse_expression(text)


def test_a_message_is_filled_with_what_can_be_worked_out() -> None:
    assert worked_out("sum(holds) / 4", FIELDS) == "2.5"
    assert worked_out("most", FIELDS) == "{most}"
    assert worked_out("import os", FIELDS) == "{import os}"


def test_patterns_take_a_time_that_grows_with_the_text() -> None:
    assert compile_pattern("(a+)+b").fullmatch("a" * 100_000) is None
    for text in ("(", "(?=a)b", "a{1000}{1000}", "x" * 1001):
        with pytest.raises(PatternInvalid):
            compile_pattern(text)


# --- lists ------------------------------------------------------------------------------------------------------------

REFERS = "refers:\n  - {every: 'menu.json#from', list: stores}\n"


@pytest.mark.parametrize(
    ("source", "files"),
    [
        ("{words: [cellar]}", {}),
        ("{source: 'stores.json#stores/*/name'}", {"stores.json": '{"stores": [{"name": "cellar"}, {"name": "attic"}]}'}),
        ("{source: ['a.json#x', 'b.json#x']}", {"a.json": '{"x": "attic"}', "b.json": '{"x": "cellar"}'}),
        ("{source: 'stores.json#*', take: name}", {"stores.json": '{"cellar": 1, "attic": 2}'}),
        (
            "{source: 'stores.json#stores/*/name', only_if: is_on(open) and deck < 3}",
            {"stores.json": '{"stores": [{"name": "cellar", "open": true, "deck": 1}, {"name": "attic", "open": false, "deck": 1}]}'},
        ),
        ("{file_names: 'stores/*.json'}", {"stores/cellar.json": "{}"}),
        ("{folders: 'stores/*'}", {"stores/cellar/a.txt": "x"}),
        ("{csv: {file: stores.csv, column: store}}", {"stores.csv": "deck;store\n1;cellar\n2;attic\n"}),
        ("{csv: {file: stores.csv, column: store}}", {"stores.csv": 'store,deck\r\n"cellar",1\r\n'}),
        ("{sql: {database: ledger.db, query: \"SELECT 'cellar'\"}}", {"ledger.db": default_files()["ledger.db"]}),
    ],
)  # fmt: skip
def test_a_list_is_filled_from_each_kind_of_source(source: str, files: dict[str, str | bytes]) -> None:
    rules = f"lists:\n  stores: {source}\n{REFERS}"
    assert found_in(rules, {"menu.json": '{"from": "cellar"}', **files}) == []
    ((code, path, _, message),) = found_in(rules, {"menu.json": '{"from": "celar"}', **files})
    assert (code, path) == ("meaning.unknown-name", "menu.json")
    assert message.startswith("`celar` is not among the stores")


@pytest.mark.parametrize(
    ("source", "files", "said"),
    [
        ("{csv: {file: stores.csv, column: stor}}", {"stores.csv": "deck;store\n"}, "stores.csv has no column `stor`."),
        (
            "{sql: {database: ledger.db, query: SELECT x FROM berths}}",
            {"ledger.db": default_files()["ledger.db"]},
            "The query on ledger.db does not work: no such column: x.",
        ),
        (
            "{source: 'stores.json#stores/*/name', only_if: deck / (deck - 1) > 0}",
            {"stores.json": '{"stores": [{"name": "cellar", "deck": 1}]}'},
            "The list stores cannot be worked out: `deck / (deck - 1) > 0` divides by zero or leaves the range of numbers.",
        ),
    ],
)
def test_a_list_that_cannot_be_filled_is_a_fault_of_the_gamebook_at_its_line(
    source: str, files: dict[str, str | bytes], said: str
) -> None:
    found = found_in(f"lists:\n  stores: {source}\n{REFERS}", {"menu.json": '{"from": "cellar"}', **files})
    assert ("gamebook.invalid", "x.yml", 4, said) in found


def test_a_database_that_is_not_there_is_a_missing_file() -> None:
    rules = f"lists:\n  stores: {{sql: {{database: ledger.db, query: SELECT 1}}}}\n{REFERS}"
    assert found_in(rules, {"menu.json": '{"from": "cellar"}'}) == [
        ("gamebook.file-missing", "ledger.db", 0, "The gamebook looks into ledger.db, but it is not there.")
    ]


def test_a_list_from_a_broken_file_makes_no_findings() -> None:
    rules = f"lists:\n  stores: {{source: 'stores.json#*', take: name}}\n{REFERS}"
    found = found_in(rules, {"menu.json": '{"from": "cellar"}', "stores.json": '{"cellar": 1, "attic" 2}'})
    assert [(code, path) for code, path, _, _ in found] == [("json.colon-missing", "stores.json")]


# --- bad gamebooks ----------------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("rules", "line", "message", "hint"),
    [
        ("refers:\n  - {every: 'a.xml#b', list: gronds}\nlists:\n  grounds: {words: [a]}\n", 4, "refers / 1 / list: there is no list `gronds`.", "Did you mean 'grounds'?"),
        ("refers:\n  - {every: 'a.xml#b[', list: a}\nlists:\n  a: {words: [a]}\n", 4, "refers / 1 / every: b[ is not an address: a bracket `[` is never closed, at character 3.", ""),
        ("unique:\n  - {name: ids, over: 'a.xml'}\n", 4, "unique / 1 / over: `a.xml` is a complete file; a place in it is meant, such as a.xml#NAME.", ""),
        ("unique:\n  - {name: ids, over: 'coral-gate:a.xml#b'}\n", 4, "unique / 1 / over: `coral-gate:a.xml#b` names a server; a gamebook speaks of the files of any server.", ""),
        ("must:\n  - {let: {bus: 'a.ini#Bus'}, condition: buss > 1}\n", 4, "must / 1 / condition: `buss` is none of the names under `let`.", "Did you mean 'bus'?"),
        ("must:\n  - {let: {bus: 'a.ini#Bus'}, condition: bus / 0 > 1}\n", 4, "must / 1 / condition: `bus / 0 > 1` divides by zero", ""),
        ("must:\n  - {let: {bus: 'a.ini#Bus'}, condition: bus >}\n", 4, "must / 1 / condition: `bus >` is not a condition; write for example `least <= most`", ""),
        ("file_names:\n  - {id: a, files: 'x/*', only: y}\n  - {id: a, files: 'z/*', only: y}\n", 5, "file_names / 2: the id `a` is used by the rule in line 4 too.", ""),
        ("files:\n  a.ini:\n    entries:\n      Pumps:\n        fields: {Bus: {min: 9, max: 3}}\n", 7, "files / a.ini / entries / Pumps / fields / Bus: the range from 9 to 3 has no number in it.", ""),
        ("files:\n  a.ini:\n    entries:\n      Pumps:\n        fields: {Bus: {form: ten}, Rate: {is: integr}}\n", 7, "files / a.ini / entries / Pumps / fields / Rate / is: Input should be 'integer', 'number', 'range', 'quantity', 'switch' or 'text'", ""),
        ("files:\n  a.ini:\n    entries:\n      Pumps:\n        fields: {Bus: {matches: '['}}\n", 7, "files / a.ini / entries / Pumps / fields / Bus / matches: `[` is not a regular expression: missing ]: [", ""),
        ("lists:\n  a: {sql: {database: x.db, query: DROP TABLE x}}\n", 4, "lists / a / sql / query: a query begins with SELECT; nothing else is run on a game's database", ""),
        ("present:\n  - {file: 'seals/{}.seal'}\n", 4, "present / 1: `file` has {} where a word of the list `list` is, and neither goes without the other", ""),
        ("agree:\n  - ['a.xml#b']\n", 4, "agree / 1: give two sources that must agree, or `every` and `name_of`", ""),
        ("advice:\n  - {condition: a.ini > 3}\n", 4, "advice / 1: `condition` is ADDRESS and a comparison (`server.ini#Section/Setting > 60`), or give `every`", ""),
        ("near:\n  - {each: 'a.xml#b', coordinates: ['@x', '@z'], target: 'a.xml#c', target_coordinates: '@x', distance: 3}\n", 4, "near / 1: `coordinates` and `target_coordinates` name different numbers of coordinates.", ""),
        ("refers: {every: 'a.xml#b', list: a}\n", 3, "refers: A list should be here.", ""),
        ("fils: {}\n", 3, "`fils` is not a known key here.", "Did you mean 'files'?"),
        ("lists:\n  a: {sorce: 'a.xml#b'}\n", 4, "lists / a: `sorce` is not a known key here.", "Did you mean 'source'?"),
    ],
)  # fmt: skip
def test_a_bad_gamebook_is_told_in_plain_words(rules: str, line: int, message: str, hint: str) -> None:
    assert faults_of(rules) == [(line, message, hint)]


def test_derived_values_that_lead_in_a_circle_are_told() -> None:
    circle = """
        derived:
          - {name: price, each: "a.json#goods/*", value: price, sentinel: as-house, fallback: "b.json#prices/{name}/price"}
          - {name: house, each: "b.json#prices/*", value: price, sentinel: as-store, fallback: "a.json#goods/{name}/price"}
    """
    assert [(line, message.partition(":")[2].strip()) for line, message, _ in faults_of(circle)] == [
        (5, "`price` is worked out from house, which leads back to it: a circle."),
        (6, "`house` is worked out from price, which leads back to it: a circle."),
    ]


@pytest.mark.parametrize("data", [b"", b"- 1\n- 2\n", b"just words", b"\0\0", b"gamebook: 2\ngame: x\n", b"a: [1, 2"])
def test_what_is_no_gamebook_at_all_is_told(data: bytes) -> None:
    found, faults = read_gamebook(data, "x.yml")
    assert found is None
    assert all(fault.path == "x.yml" and fault.message for fault in faults) and faults


def test_a_gamebook_of_ten_thousand_rules_is_read_and_checked() -> None:
    rules = "".join(f"  - {{every: 'a.json#x{n % 50}', list: words}}\n" for n in range(10_000))
    many = book(f"lists:\n  words: {{words: [w]}}\nrefers:\n{rules}")
    assert len(many.placed) == 10_000
    files = gather_files({"a.json": b'{"x1": "w", "x2": "no"}'}, many)
    found = check_files_of(files, many).findings
    assert sum(f.code == "meaning.unknown-name" for f in found) == 200


def test_a_rule_that_cannot_be_worked_out_for_an_entry_is_told_once_at_its_own_line() -> None:
    rules = "files:\n  a.json:\n    entries:\n      x/*:\n        fields: {a: {}, b: {}}\n        must:\n          - {condition: a / b > 1}\n"
    found = found_in(rules, {"a.json": '{"x": [{"name": "p", "a": 1, "b": 0}, {"name": "q", "a": 1, "b": 0}]}'})
    assert found == [
        ("gamebook.invalid", "x.yml", 9, "This rule cannot be worked out at a.json#x/[p]: `a / b > 1` divides by zero or leaves the range of numbers.")
    ]  # fmt: skip


def test_drafted_rules_are_notices_and_kept_ones_block() -> None:
    rules = "drafted: somewhere\nunique:\n  - {name: ids, over: 'a.json#a/*', KEPT}\n"
    files: dict[str, str | bytes] = {"a.json": '{"a": ["x", "x"]}'}
    for kept, severity in (("approved: true", "error"), ("approved: false", "notice"), ("severity: notice", "notice")):
        one = book(rules.replace("KEPT", kept))
        found = check_files_of(gather_files({p: str(t).encode() for p, t in files.items()}, one), one).findings
        assert [f.severity for f in found] == [severity]


# --- what is made from it ---------------------------------------------------------------------------------------------


def test_the_schema_accepts_the_demo_gamebook_and_refuses_a_misspelled_one() -> None:
    schema = json.loads(json.dumps(json_schema()))
    jsonschema.Draft202012Validator.check_schema(schema)
    plain = read_document(gamebook(), "fathomline.yml").to_data()
    jsonschema.validate(plain, schema)
    with pytest.raises(jsonschema.ValidationError):
        jsonschema.validate({**plain, "refer": []}, schema)


def test_the_pages_of_the_documentation_are_current() -> None:
    from zerrit.report.gamebook_page import page

    assert (DOCS / "gamebook.md").read_text() == page(), "run `make docs`"
    assert json.loads((DOCS / "gamebook.schema.json").read_text()) == json.loads(json.dumps(json_schema())), (
        "run `make docs`"
    )


def test_every_rule_of_the_demo_gamebook_is_told_in_words() -> None:
    demo, _ = read_gamebook(gamebook(), "fathomline.yml")
    assert demo is not None
    files = gather_files(default_files(), demo, query=query)
    rules = statistics_of(check_files_of(files, demo))
    assert all(rule.text and "None" not in rule.text for rule in rules)
    assert all(rule.violations == 0 for rule in rules)
    unused = [rule.id for rule in rules if rule.places == 0]
    assert unused == [], "a rule that looks at nothing"
