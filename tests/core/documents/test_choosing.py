"""Entries chosen by what they are, and edits made at all of them at once."""

from __future__ import annotations

import json
import re
import shlex
from decimal import Decimal
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.worlds import world
from zerrit.core import Document, read_document
from zerrit.core.addresses import parse_node_address, print_segments
from zerrit.core.documents.lookup import find
from zerrit.core.errors import AddressInvalid, AddressNotFound
from zerrit.core.steps import Outcome, OutcomeKind, replay, step_from_words

XML = b"""<a>
  <thing name="A" kind="cloth" want="5"><flags crafted="0"/></thing>
  <thing name="B" kind="tool" want="12"><flags crafted="1"/><spot name="Farm"/></thing>
  <thing name="C" kind="tool" want="many" old="1"><spot name="Mill"/><spot name="Farm"/><tag>red</tag><tag>blue</tag></thing>
</a>
"""
YAML = b"items:\n  rope: {kind: cloth, want: 5}\n  axe:\n    kind: tool\n    want: 12\n  saw:\n    kind: tool\n    want: 30\n"


def doc(data: bytes = XML, path: str = "a.xml") -> Document:
    return read_document(data, path)


@pytest.mark.parametrize(
    ("address", "names"),
    [
        ("thing[kind=cloth]", "A"),
        ("thing[want>10][kind=tool]", "B"),
        ("thing[want>=5]", "AB"),
        ("thing[want<=5]", "A"),
        ("thing[want=5.0]", "A"),
        ("thing[want!=5]", "BC"),
        ("thing[flags/@crafted=0]", "A"),
        ("thing[spot/@name=Farm]", "BC"),
        ("thing[spot/name=Mill]", ""),
        ("thing[tag=blue]", "C"),
        ("thing[!old]", "AB"),
        ("thing[!B]", "AC"),
        ("thing[A,B][!B]", "A"),
        ("thing[*][!?]", ""),
        ("thing[kind=*o*]", "ABC"),
        ("thing[kind=cloth,tool]", "ABC"),
        ('thing[kind="cl*"]', ""),
        ('thing[name~"^[AB]$"]', "AB"),
        ('thing[name!~"^[AB]$"]', "C"),
        ("thing[kind=*]", "ABC"),
        ("thing[old=*]", "C"),
        ("thing[#-1]", "C"),
        ("thing[#-3]", "A"),
        ("thing[#-4]", ""),
        ("thing[kind=tool][#1]", "B"),
        ("thing[kind=tool][#-1]", "C"),
        ("*[kind=cloth]", "A"),
        ("t*[kind=cloth]", "A"),
        ("(thing,other)[kind=cloth]", "A"),
        ("**/thing[kind=cloth]", "A"),
    ],
)
def test_conditions_choose(address: str, names: str) -> None:
    document = doc()
    found = document.select(address)
    assert [node.field("@name") for node in found] == list(names)
    assert document.select(print_segments(parse_node_address(address))) == found
    assert parse_node_address(address)[-1].is_pattern or "#" in address


@pytest.mark.parametrize(
    ("address", "found"),
    [
        ("thing[A]/@(want,kind)", ["thing[A]/@kind", "thing[A]/@want"]),
        ("thing[A]/@w*", ["thing[A]/@want"]),
        ("thing[kind=tool]/spot[name=Mill]/@name", ["thing[C]/spot[Mill]/@name"]),
    ],
)
def test_fields_of_chosen_entries(address: str, found: list[str]) -> None:
    document = doc()
    assert [document.keys.address_of(node) for node in find(document, parse_node_address(address))] == found


@pytest.mark.parametrize(
    ("address", "message"),
    [
        ("thing[wnat>3]", "None of them has a value at `wnat`. Is `want` meant?"),
        ("thing[kind>3]", "`kind` is not a number in any of them, such as `cloth`."),
        ("thing[want>100]", "has 3 entries at `thing`, and none that fits `thing[want>100]`."),
        ("thing[kind=clth]", "`kind` is `cloth` there."),
        ("thing[kind=cloth][want>10]", "Each bracket fits some of them, but no entry fits all."),
        ("thang[kind=cloth]", "a.xml has no `thang`"),
    ],
)
def test_what_fits_nothing_says_why(address: str, message: str) -> None:
    with pytest.raises(AddressNotFound, match=re.escape(message)):
        find(doc(), parse_node_address(address))


@pytest.mark.parametrize(
    ("address", "message"),
    [
        ("thing[want>ten]", "`>` needs one number behind it, not `ten`"),
        ("thing[want>1,2]", "`>` needs one number behind it"),
        ('thing[kind~"("]', "is not a valid regular expression"),
        ("thing[=3]", "a field is missing before `=`"),
        ("thing[A][B]", "a name has one bracket with keys"),
        ("thing[#1][A]", "is the last bracket of a name"),
        ("thing[#0]", "is followed by a number from 1"),
        ("thing[kind=cloth", "a bracket `[` is never closed"),
        ('thing[kind~"a"x]', "a bracket `[` is never closed"),
        ("thing[kind/=cloth]", "a name is missing"),
    ],
)
def test_conditions_that_are_none_are_told(address: str, message: str) -> None:
    with pytest.raises(AddressInvalid, match=re.escape(message)):
        parse_node_address(address)


def test_a_key_that_looks_like_a_condition_is_still_a_key() -> None:
    document = read_document(b"PORT=7700\n!all\nHOST=a,b\n", "start.txt")
    for node in document.root.children:
        assert document.select(document.keys.address_of(node)) == [node]
    assert [node.value for node in document.select("line[PORT=7700]")] == ["PORT=7700"]
    assert [node.value for node in document.select("line[!all]")] == ["!all"]


OPERATORS = {
    "=": lambda a, b: a == b or _number(a) == _number(b) is not None,
    "!=": lambda a, b: not (a == b or _number(a) == _number(b) is not None),
    ">": lambda a, b: _number(a) is not None and _number(a) > _number(b),
    "<": lambda a, b: _number(a) is not None and _number(a) < _number(b),
    ">=": lambda a, b: _number(a) is not None and _number(a) >= _number(b),
    "<=": lambda a, b: _number(a) is not None and _number(a) <= _number(b),
}


def _number(text: str) -> Decimal | None:
    return Decimal(text) if re.fullmatch(r"-?\d+(\.\d+)?", text) else None


FIELDS = st.dictionaries(
    st.sampled_from(["kind", "want", "old"]),
    st.sampled_from(["1", "2", "10", "2.0", "-3", "tool", "cloth"]),
    max_size=3,
)


@given(
    st.lists(FIELDS, min_size=1, max_size=8),
    st.lists(
        st.tuples(st.sampled_from(["kind", "want", "old"]), st.sampled_from(list(OPERATORS))), min_size=1, max_size=2
    ),
    st.sampled_from(["1", "2", "10", "-3"]),
)
def test_a_chosen_set_is_that_of_a_plain_evaluation(
    entries: list[dict[str, str]], conditions: list[tuple[str, str]], value: str
) -> None:
    wanted = [
        n for n, one in enumerate(entries) if all(f in one and OPERATORS[o](one[f], value) for f, o in conditions)
    ]
    brackets = "".join(f"[{field}{operator}{value}]" for field, operator in conditions)
    forms = {
        "a.json": json.dumps({"t": [{"id": n, **one} for n, one in enumerate(entries)]}),
        "a.yml": "t:\n" + "".join(f"  - {json.dumps({'id': n, **one})}\n" for n, one in enumerate(entries)),
        "a.xml": "<a>" + "".join(
            f'<t id="{n}" {" ".join(f"{k}={json.dumps(v)}" for k, v in one.items())}/>' for n, one in enumerate(entries)
        ) + "</a>",
    }  # fmt: skip
    for path, text in forms.items():
        document = read_document(text.encode(), path)
        found = document.select(f"t{brackets}" if path.endswith("xml") else f"t/{brackets}")
        assert [int(node.field("@id") or node.field("id") or "") for node in found] == wanted, (path, brackets)


def test_conditions_work_in_every_kind_of_file() -> None:
    mill, ferry, lantern = world("mill"), world("ferry"), world("lantern")
    cases = [
        (mill["data/store.db"], "store.db", "grains[price>5]", 3),
        (mill["data/store.db"], "store.db", "loads[grain=wheat][sacks<9]", 1),
        (mill["mill.lua"], "mill.lua", "Mill.Stones/*[speed>=90]", 3),
        (mill["mill.lua"], "mill.lua", "Mill.Flours/[sieves=3]", 2),
        (ferry["ferry.cfg"], "ferry.cfg", "pier[3=stone]", 4),
        (lantern["lantern.toml"], "lantern.toml", "lamp[oil=rape]", 2),
        (b"[Plot North]\nSize=3\n[Plot South]\nSize=9\n", "a.ini", "Plot*[Size>5]", 1),
    ]
    for data, path, address, number in cases:
        assert len(read_document(data, path).select(address)) == number, address


# --- steps ----------------------------------------------------------------------------------------------------------------------


def made(address: str, *words: str, data: bytes = XML, path: str = "a.xml") -> tuple[Outcome, str]:
    done = replay({path: doc(data, path)}, [step_from_words(f"{path}#{address}", words)], read_document)
    return done.outcomes[0], done.documents[path].text


def test_a_value_is_worked_out_for_each_place() -> None:
    outcome, text = made("thing[want<20]/@want", "=:{clamp(old * 3, 1, 20)}")
    assert [(one.old, one.new) for one in outcome.changes] == [("5", "15"), ("12", "20")]
    assert 'want="15"' in text
    _, text = made("thing[kind=tool]", "add", "@icon", "=:{lower(key)}_{kind}.png")
    assert text.count("_tool.png") == 2
    _, text = made("thing[kind=cloth]/@want", "=:{round(want / 3)}")
    assert 'name="A" kind="cloth" want="2"' in text
    _, text = made("thing[A]/@kind", "=::{x}")
    assert 'kind=":{x}"' in text
    _, text = made("thing[A]/@kind", "={x}")
    assert 'kind="{x}"' in text, "braces alone are no template"


@pytest.mark.parametrize(
    ("address", "words", "message"),
    [
        ("thing/@want", ["=:{wnat}"], "`{wnat}` has no value here: it has no wnat"),
        ("thing/@kind", ["=:{old * 2}"], "`{old * 2}` reckons with a word here"),
        ("thing[A]/@want", ["=:{old / 0}"], "divides by zero"),
        ("thing[A]/@want", ["=:{import os}"], "is not a condition"),
        ("thing[A]/@want", ["=:{clamp(old)}"], "clamp is of three numbers"),
        ("thing[kind=tool]", ["rename", "X"], "would both be called X"),
        ("thing[kind=tool]", ["rename", "A"], "has thing[A] already"),
        ("thing[*]", ["add", "@want", "=1"], "Choose those without it: [!want]"),
    ],
)
def test_what_cannot_be_at_one_place_is_made_at_none(address: str, words: list[str], message: str) -> None:
    outcome, text = made(address, *words)
    assert (outcome.kind, message in outcome.message) == (OutcomeKind.IMPOSSIBLE, True), outcome.message
    assert text == XML.decode()


def test_steps_over_a_pattern_are_made_at_all_its_places() -> None:
    outcome, text = made("thing[kind=tool]", "comment-out")
    assert (len(outcome.changes), text.count("<!-- <thing")) == (2, 2)
    _, text = made("thing[kind=tool]", "rename", ":Old {key}")
    assert ('name="Old B"' in text, 'name="Old C"' in text) == (True, True)
    _, text = made("thing[want<20]", "move", "after", "thing[C]")
    assert re.findall(r'thing name="(.)"', text) == ["C", "A", "B"]
    _, text = made("thing[!old]", "remove")
    assert re.findall(r'thing name="(.)"', text) == ["C"]
    _, text = made("thing[A]", "copy-fields", "thing[kind=tool]", "kind")
    assert text.count('kind="cloth"') == 3
    _, text = made("thing[!flags]", "add", "flags", "crafted=0")
    assert text.count('crafted="0"') == 2
    again, _ = made("thing[kind=tool]", "add", "@kind", "=tool")
    assert again.kind is OutcomeKind.SAME


def test_steps_over_a_pattern_in_yaml_and_in_a_script() -> None:
    outcome, text = made("items/*[kind=tool]", "add", "note", "=new", data=YAML, path="a.yml")
    assert (len(outcome.changes), text.count("note: new")) == (2, 2)
    _, text = made("items/*[kind=tool]", "rename", ":{key}_2", data=YAML, path="a.yml")
    assert ("  axe_2:" in text, "  saw_2:" in text) == (True, True)
    _, text = made("items/*[kind=tool]", "comment-out", data=YAML, path="a.yml")
    assert text.count("# ") == 6
    lua = world("mill")["mill.lua"]
    outcome, text = made("Mill.Stones/*[speed>=90]/hours", "=:{old + 1}", data=lua, path="mill.lua")
    assert [one.new for one in outcome.changes] == ["13", "15", "13"]
    outcome, text = made("Mill.Stones/*[speed>=90]", "add", "spare", "=true", data=lua, path="mill.lua")
    assert (outcome.kind, text.count("spare = true")) == (OutcomeKind.DONE, 3), outcome.message


@pytest.mark.parametrize(
    "words", [("rename", "x"), ("comment-out",), ("add", "note", "=x"), ("move", "after", "e[#1]")]
)
def test_an_address_that_leads_to_several_by_chance_is_refused(words: tuple[str, ...]) -> None:
    data = b'<a><e x="1"/><e x="2"/><e x="2"/></a>'
    outcome, text = made("e", *words, data=data)
    assert (outcome.kind, "leads to 3 places" in outcome.message) == (OutcomeKind.IMPOSSIBLE, True), outcome.message
    assert text == data.decode()


def test_entries_without_keys_are_not_moved_together() -> None:
    outcome, _ = made("e[x>1]", "move", "after", "e[#1]", data=b'<a><e x="1"/><e x="2"/><e x="2"/></a>')
    assert "are only told by their number" in outcome.message


def test_the_examples_of_the_page_lead_where_it_says() -> None:
    page = (Path(__file__).parents[3] / "docs/addresses.md").read_text()
    shop = page.split("```xml\n")[1].split("```")[0]
    document = read_document(shop.encode(), "shop.xml")
    rows = re.findall(r"^\| `(.+?)` \| (.*?) ?\|$", page, re.MULTILINE)
    assert len(rows) >= 40
    for written, leads in rows:
        address = written.replace("\\|", "|")
        wanted = re.findall(r"`([^`]+)`", leads)
        assert [document.keys.address_of(node) for node in document.select(address)] == wanted, address
    for words in re.findall(r"^zerrit edit shop\.xml (.+)$", page, re.MULTILINE):
        place, *rest = shlex.split(words)
        done = replay({"shop.xml": document}, [step_from_words(f"shop.xml#{place}", rest)], read_document)
        assert done.outcomes[0].kind is OutcomeKind.DONE, (words, done.outcomes[0].message)


@pytest.mark.parametrize("path", ["a.xml", "a.yml", "a.json"])
@pytest.mark.parametrize("words", [("remove",), ("rename", ":N{key}"), ("add", "note", "=x"), ("=:{old}1",)])
def test_thousands_of_places_are_edited_at_once(path: str, words: tuple[str, ...]) -> None:
    """As one would edit them by hand: each third entry, all in one step, with nothing else changed."""
    things = [{"name": f"T{n}", "kind": ("cloth", "tool", "light")[n % 3], "want": n % 40 + 1} for n in range(3000)]
    data = {
        "a.json": json.dumps({"t": things}, indent=1),
        "a.yml": "t:\n" + "".join(f"  - {{name: {t['name']}, kind: {t['kind']}, want: {t['want']}}}\n" for t in things),
        "a.xml": "<a>\n" + "".join(f'  <t name="{t["name"]}" kind="{t["kind"]}" want="{t["want"]}"/>\n' for t in things) + "</a>\n",
    }[path]  # fmt: skip
    is_xml = path == "a.xml"
    place = "t[kind=tool]" if is_xml else "t/[kind=tool]"
    if words[0].startswith("="):
        place += "/@want" if is_xml else "/want"
    words = tuple("@note" if is_xml and word == "note" else word for word in words)
    outcome, text = made(place, *words, data=data.encode(), path=path)
    assert (outcome.kind, len(outcome.changes)) == (OutcomeKind.DONE, 1000), outcome.message
    after = doc(text.encode(), path)
    wanted = [dict(one) for one in things if words[0] != "remove" or one["kind"] != "tool"]
    for one in wanted:
        if one["kind"] == "tool" and words[0] == "rename":
            one["name"] = f"N{one['name']}"
        elif one["kind"] == "tool" and words[0] == "add":
            one["note"] = "x"
        elif one["kind"] == "tool" and words[0].startswith("="):
            one["want"] = int(f"{one['want']}1")
    group = after.root if is_xml else after.root.children[0]
    entries = [{child.name.removeprefix("@"): child.value for child in node.children} for node in group.children]
    assert entries == [{name: str(value) for name, value in one.items()} for one in wanted]
