"""Safe fixes: the one repair that there is, or none."""

from __future__ import annotations

import sys

import pytest

from fuzzing.fix_seeds import FILES
from fuzzing.fixes import run_chunk
from tests.core.mistakes import in_ini, in_json, in_xml, in_yaml
from zerrit.core import read_document
from zerrit.core.documents.fixes import safe_fixes
from zerrit.core.documents.fixes.strict_readers import StrictIni, StrictJson, StrictReading, StrictXml, StrictYaml

_WANTS = "".join(f"  <want>{number}</want>\n" for number in range(12))


@pytest.mark.parametrize(
    ("path", "broken", "fixed"),
    [
        ("a.json", '{"a": 1 "b": [1, 2,],}', '{"a": 1, "b": [1, 2]}'),
        ("a.json", "{'a': True, b: 5, \u201cc\u201d: \"x\"}", '{"a": true, "b": 5, "c": "x"}'),
        ("a.json", '{\n  "a": {"b": 1}\n', '{\n  "a": {"b": 1}\n}\n'),
        ("a.xml", "<a>\n  <b x=1 y='2'/>\n</a>\n", "<a>\n  <b x=\"1\" y='2'/>\n</a>\n"),
        ("a.xml", f"<a>\n{_WANTS}  <want>10/want>\n{_WANTS}</a>\n", f"<a>\n{_WANTS}  <want>10</want>\n{_WANTS}</a>\n"),
        ("a.ini", "[A\nb=1\n[B]\nc=2\n", "[A]\nb=1\n[B]\nc=2\n"),
        ("a.ini", "[A]\nb=(C=1,D=(2,3)),\n", "[A]\nb=(C=1,D=(2,3)),\n"),
    ],
)
def test_what_has_one_repair_is_fixed(path: str, broken: str, fixed: str) -> None:
    assert safe_fixes(read_document(broken.encode(), path)).document.text == fixed


@pytest.mark.parametrize(
    ("path", "text"),
    [
        pytest.param("a.cfg", 'endpoint "0.0.0.0:27000"\n', id="keywords with an address"),
        pytest.param("a.cfg", '[x]\nadmin "a:1:2345"  "50:q"\n', id="keywords below a header"),
        pytest.param("a.ini", 'Pipe=12"\n', id="inches"),
        pytest.param("a.ini", "a==b\n[x]\n", id="a value that begins with an equals sign"),
        pytest.param("a.ini", "[A]\nb=(P=((x=1),(y=2),D=(2,3))\n", id="a parenthesis lost in the middle"),
        pytest.param("a.lua", 'say("he said \u201chi\u201d")\n', id="typographic marks inside of a text"),
        pytest.param("a.sh", "echo \u201chi\u201d (\n", id="a shell prints them"),
        pytest.param("a.json", '{"open": yes}', id="a switch or a text"),
        pytest.param("a.json", '{"open": ture}', id="a word mistyped"),
        pytest.param("a.json", "[3, 4, ]", id="a value lost, or a comma too many"),
        pytest.param("a.json", '{"a": {"b": 1}', id="cut off"),
        pytest.param("a.json", '{"a": [1 2]}', id="a comma or a number in two"),
        pytest.param("a.yml", "draws: 3 weight: 4\n", id="two settings or one text"),
        pytest.param("a.yml", "a:\n  b: 1\n   c: 2\n", id="whose is c"),
        pytest.param("a.xml", '<a x="1" x="2"/>', id="which attribute"),
        pytest.param("a.xml", "<a>\n<!-- b\n<c/>\n</a>", id="where a comment ends"),
        pytest.param("a.xml", "<a>\n<b>1</b>\n", id="the end of the file is missing"),
        pytest.param("a.xml", "<a><b><c/><d/></a>", id="where an element ends"),
    ],
)
def test_where_more_than_one_repair_would_do_none_is_offered(path: str, text: str) -> None:
    document = read_document(text.encode(), path)
    assert safe_fixes(document).document is document


def test_a_torn_closing_tag_is_named_where_it_is() -> None:
    text = f"<a>\n{_WANTS}  <want>10/want>\n{_WANTS}</a>\n"
    (finding,) = read_document(text.encode(), "a.xml").findings
    assert (finding.line, finding.column, finding.hint) == (14, 11, "Add `<` here.")


def test_what_is_tolerated_stays() -> None:
    document = read_document(b'{"a": 1,} // x', "a.json", tolerate=["json.comma-extra", "json.comment"])
    assert safe_fixes(document).document is document


def test_a_fault_beside_tolerated_ones_is_fixed_alone() -> None:
    document = read_document(
        b'{"a": 1, // x\n "b": 2 "c": 3,}\n', "a.json", tolerate=["json.comma-extra", "json.comment"]
    )
    assert safe_fixes(document).document.text == '{"a": 1, // x\n "b": 2, "c": 3,}\n'


@pytest.mark.parametrize(
    ("path", "table", "reading"),
    [
        ("a.xml", in_xml, StrictXml()),
        ("a.json", in_json, StrictJson()),
        ("a.yml", in_yaml, StrictYaml()),
        ("a.ini", in_ini, StrictIni()),
    ],
)
def test_a_mistake_made_by_hand_is_undone_or_left(path: str, table: object, reading: StrictReading) -> None:
    base: str = table.BASE  # type: ignore[attr-defined]
    for what, old, new in table.MISTAKES:  # type: ignore[attr-defined]
        fixed = safe_fixes(read_document(base.replace(old, new, 1).encode(), path))
        if fixed.findings and what != "quote inside a text":  # it added a word, which stays
            assert reading.data(fixed.document.text) == reading.data(base), what


@pytest.mark.parametrize("name", FILES)
def test_one_broken_token_is_put_right_or_left(name: str) -> None:
    assert run_chunk(name, seed=7, cases=150)["cases"] == 150


def test_torn_tags_are_fixed_and_what_may_be_meant_stays() -> None:
    torn, sign = "  <want>10/want>\n", "  <want>7</want>>\n"  # `>` may be in a text
    text = f"<a>\n{_WANTS}{torn}{_WANTS}{sign}{_WANTS}{torn}</a>\n"
    fixed = safe_fixes(read_document(text.encode(), "a.xml")).document.text
    assert fixed == text.replace(torn, "  <want>10</want>\n")


def test_a_fix_that_changes_a_value_elsewhere_is_not_safe_even_if_no_other_repair_is_known(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    monkeypatch.setattr(sys.modules["zerrit.core.documents.fixes.safe_fixes"], "has_other_repair", lambda *_: False)
    text = '{"a": {\n"b": 1,\n"c": 1\n2],\n"d": "e"\n}\n}\n'  # `2` stands for itself in one reading, in a list in the other
    document = read_document(text.encode(), "a.json")
    assert safe_fixes(document).document is document
