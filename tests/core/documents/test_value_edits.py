"""Edits: exactly what they say, and nothing else."""

from __future__ import annotations

from collections.abc import Callable

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zerrit.core import read_document
from zerrit.core.addresses import parse_node_address as at
from zerrit.core.compare import compare_documents
from zerrit.core.documents import Document
from zerrit.core.documents.value_edits import (
    Edit,
    add_entry,
    add_field,
    copy_entry,
    parse_operation,
    remove_nodes,
    set_values,
)
from zerrit.core.errors import EditRefused
from zerrit.demo.world_files import default_files

XML = '<a>\n  <!-- ring -->\n  <f name="A" w="1">\n    <b d="x" h="3"/>\n    <b d="y" h="4"/> <!-- y -->\n  </f>\n  <f name="B"/>\n</a>\n'
JSON = '{\n  "a": [1, 2],\n  "d": [\n    {"name": "x", "p": 3},\n    {"name": "y", "p": "as-house"}\n  ]\n}\n'
YAML = "s:\n  a: 1 # doc\n  b: [1, 2]\n  e:\n  l:\n  - name: x\n    v: 1\n  - name: y\n    v: 2\n"
INI = '[P]\r\n; gate\r\nC=(Name="G",P=((R=4),(R=6)),D=Night)\r\nRate=1.5 ; fast\r\n\r\n[B]\r\nx=1'

Do = Callable[[Document], Edit]


def setting(address: str, operation: str) -> Do:
    return lambda document: set_values(document, at(address), parse_operation(operation))


CASES: list[tuple[str, str, Do, str, str]] = [
    ("a.xml", XML, setting("f[A]/b[*]/@h", "+10"), 'h="3"|h="4"', 'h="13"|h="14"'),
    ("a.xml", XML, lambda d: add_entry(d, at("f[A]"), "b", {"h": "9", "d": "z"}), "<!-- y -->\n", '<!-- y -->\n    <b d="z" h="9"/>\n'),
    ("a.xml", XML, lambda d: add_entry(d, at("f[B]"), "b", {"d": "z"}), '<f name="B"/>', '<f name="B">\n    <b d="z"/>\n  </f>'),
    ("a.xml", XML, lambda d: add_field(d, at("f[B]"), "@w", 'a"&<'), '<f name="B"/>', '<f name="B" w="a&quot;&amp;&lt;"/>'),
    ("a.xml", XML, lambda d: remove_nodes(d, at("f[A]/b[x]")), '    <b d="x" h="3"/>\n', ""),
    ("a.xml", XML, lambda d: remove_nodes(d, at("f[B]")), '  <f name="B"/>\n', ""),
    ("a.xml", XML, lambda d: copy_entry(d, at("f[B]"), "C"), '<f name="B"/>\n', '<f name="B"/>\n  <f name="C"/>\n'),
    ("a.json", JSON, setting("d/*/p", "=7"), '3}|"as-house"', "7}|7"),
    ("a.json", JSON, setting("d/[x]/p", "=as-house"), '"p": 3', '"p": "as-house"'),
    ("a.json", JSON, lambda d: add_entry(d, at("d"), "", {"name": "z", "p": "1"}), '"as-house"}', '"as-house"},\n    {"name": "z", "p": 1}'),
    ("a.json", JSON, lambda d: remove_nodes(d, at("d/[y]")), ',\n    {"name": "y", "p": "as-house"}', ""),
    ("a.json", JSON, lambda d: remove_nodes(d, at("d/[x]")), '    {"name": "x", "p": 3},\n', ""),
    ("a.json", JSON, lambda d: remove_nodes(d, at("a/*")), "[1, 2]", "[]"),
    ("a.yml", YAML, setting("s/a", "=x: y"), "a: 1 #", 'a: "x: y" #'),
    ("a.yml", YAML, setting("s/e", "=3"), "  e:\n", "  e: 3\n"),
    ("a.yml", YAML, lambda d: add_entry(d, at("s/l"), "", {"name": "z", "v": "1"}), "v: 2\n", "v: 2\n  - name: z\n    v: 1\n"),
    ("a.yml", YAML, lambda d: remove_nodes(d, at("s/l/[x]")), "  - name: x\n    v: 1\n", ""),
    ("a.yml", YAML, lambda d: copy_entry(d, at("s/l/[x]"), "q"), "v: 1\n", "v: 1\n  - name: q\n    v: 1\n"),
    ("a.ini", INI, setting("P/C[G]/P/*/R", "+1"), "R=4|R=6", "R=5|R=7"),
    ("a.ini", INI, setting("P/Rate", "*1.5"), "1.5 ;", "2.25 ;"),
    ("a.ini", INI, lambda d: copy_entry(d, at("P/C[G]"), "H"), "D=Night)\r\n", 'D=Night)\r\nC=(Name="H",P=((R=4),(R=6)),D=Night)\r\n'),
    ("a.ini", INI, lambda d: remove_nodes(d, at("P/C[G]/P/[#1]")), "(R=4),", ""),
    ("a.ini", INI, lambda d: add_field(d, at("B"), "y", "2"), "x=1", "x=1\r\ny=2"),
    ("a.ini", INI, lambda d: remove_nodes(d, at("B/x")), "[B]\r\nx=1", "[B]"),
    ("a.sh", "one\r\ntwo\r\n", setting("line[#2]", "=2"), "two", "2"),
    ("a.xml", "<a><v> 5\n</v></a>", setting("v", "+1"), "5", "6"),
    ("a.yml", "x: &a 5\ny: !!str '6'\nz: *a\n", setting("x", "+1"), "5", "6"),
    ("a.yml", "x: &a 5\ny: !!str '6'\nz: *a\n", setting("y", "=it's"), "'6'", "'it''s'"),
    ("a.yml", "l: !t [1, 2]\n", lambda d: add_field(d, at("l"), "", "3"), "2]", "2, 3]"),
    ("a.ini", "[S]\nk=v\n[S]\nk=w\n", setting("S[#2]/k", "=x"), "k=w", "k=x"),
    ("a.ini", "[S]\nName=v\n[S]\nName=w\nr=1\n", setting("S[w]/r", "+1"), "r=1", "r=2"),
]  # fmt: skip


@pytest.mark.parametrize(
    ("path", "text", "edit", "old", "new"), CASES, ids=[f"{c[0]} {i}" for i, c in enumerate(CASES)]
)
def test_an_edit_changes_just_this(path: str, text: str, edit: Do, old: str, new: str) -> None:
    expected = text
    for before, after in zip(old.split("|"), new.split("|"), strict=True):
        assert before in expected
        expected = expected.replace(before, after)
    result = edit(read_document(text.encode(), path))
    assert result.document.to_bytes().decode() == expected
    assert result.document.ok


@pytest.mark.parametrize(
    ("path", "text", "edit", "message"),
    [
        ("a.xml", XML, setting("f[A]/@name", "+1"), "a.xml#f[A]/@name: `A` is not a number, so `+1` cannot be done. Set a value with = instead."),
        ("a.xml", XML, setting("f[A]/@w", "ten"), "`ten` is not an operation. Write =40 to set, +10 or -10 to adjust, *1.5 to multiply (with bounds: *1.5 from 0 to 400), on or off to switch."),
        ("a.xml", XML, setting("f[A]", "=1"), "a.xml#f[A]: <f> holds other elements, so it has no value of its own. Address one of its fields instead."),
        ("a.xml", XML, lambda d: add_entry(d, at("f[A]"), "b", {"d": "x", "h": "9"}), "a.xml#f[A] has b[x] already. Set its fields, or choose another key."),
        ("a.xml", XML, lambda d: add_entry(d, (), "not a name", {}), "`not a name` cannot be a name in XML: it begins with a letter and holds no spaces."),
        ("a.xml", XML, lambda d: copy_entry(d, at("f[A]"), "B"), "a.xml has an entry [B] already. Choose another key."),
        ("a.ini", INI, setting("P/Rate", "=1\n[X]"), "a.ini#P/Rate: A setting in an INI file is one line; the value holds a line break."),
        ("a.json", JSON, setting("d", "=1"), "a.json#d is a list, no single value."),
    ],
)  # fmt: skip
def test_what_does_not_fit_is_refused_with_the_reason(path: str, text: str, edit: Do, message: str) -> None:
    with pytest.raises(EditRefused) as caught:
        edit(read_document(text.encode(), path))
    assert str(caught.value) == message


def test_a_character_that_the_encoding_lacks_is_refused() -> None:
    document = read_document(b'<a b="caf\xe9"/>', "a.xml")
    with pytest.raises(EditRefused, match=r"cannot be written in the encoding of a.xml"):
        set_values(document, at("@b"), parse_operation("=\u4e2d"))


def test_adding_an_entry_twice_is_adding_it_once() -> None:
    document = read_document(XML.encode(), "a.xml")
    once = add_entry(document, at("f[A]"), "b", {"d": "z", "h": "9"})
    again = add_entry(once.document, at("f[A]"), "b", {"d": "z", "h": "9"})
    assert (again.document, again.changes) == (once.document, ())
    with pytest.raises(EditRefused, match=r"f\[A\] has b\[z\] already"):
        add_entry(once.document, at("f[A]"), "b", {"d": "z", "h": "8"})


def test_an_alias_is_not_overwritten_by_a_word() -> None:
    document = read_document(b"x: &a 5\nz: *a\n", "a.yml")
    with pytest.raises(EditRefused, match="stands for the value that has the anchor &a"):
        set_values(document, at("z"), parse_operation("=6"))


WORLD = {
    path: read_document(data, path)
    for path, data in default_files().items()
    if path.endswith((".xml", ".ini", ".json", ".yml"))
}
VALUES = [
    (path, n) for path, document in WORLD.items() for n in document.root.walk() if n.is_value and n.parent and n.value
]


@given(
    place=st.sampled_from(VALUES),
    value=st.text(st.characters(codec="utf-8", exclude_characters='"\\', min_codepoint=32), min_size=1, max_size=12),
)
def test_a_random_value_lands_in_its_place_and_nowhere_else(place: tuple[str, object], value: str) -> None:
    path, node = place
    document = WORLD[path]
    try:
        edit = set_values(document, document.keys.segments_of(node), parse_operation(f"={value}"))  # type: ignore[arg-type]
    except EditRefused:
        return
    before, after = document.text, edit.document.text
    start, end = node.value_start - 1, len(before) - node.value_end - 1  # type: ignore[attr-defined]
    assert after[:start] == before[:start]
    assert after[len(after) - end :] == before[len(before) - end :]
    found = compare_documents(document, edit.document)
    assert len({d.entry for d in found}) <= 2


def test_the_end_of_character_data_is_text_like_any_other() -> None:
    """`]]>` must not be in the text of an element as it is."""
    document = read_document(b"<a><b>x</b></a>", "a.xml")
    edit = set_values(document, at("b"), parse_operation("=a]]>b"))
    assert edit.document.text == "<a><b>a]]&gt;b</b></a>"
    assert [node.value for node in edit.document.root.children] == ["a]]>b"]
    assert edit.document.findings == ()
