"""New text takes the manner of its neighbours, in every format and every odd place."""

from __future__ import annotations

from collections.abc import Callable

import pytest

from zerrit.core import read_document
from zerrit.core.addresses import parse_node_address as at
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
from zerrit.core.errors import AddressNotFound, EditRefused, ZerritError

Do = Callable[[Document], Edit]


def put(address: str, value: str) -> Do:
    return lambda document: set_values(document, at(address), parse_operation(f"={value}"))


def entry(where: str, name: str, /, **fields: str) -> Do:
    return lambda document: add_entry(document, at(where) if where else (), name, fields)


def field(where: str, name: str, value: str) -> Do:
    return lambda document: add_field(document, at(where) if where else (), name, value)


def gone(address: str) -> Do:
    return lambda document: remove_nodes(document, at(address))


def copied(address: str, key: str) -> Do:
    return lambda document: copy_entry(document, at(address), key)


CASES = {
    "xml: an element in an empty root": ("a.xml", "<a/>", entry("", "b", n="1"), '<a>\n  <b n="1"/>\n</a>'),
    "xml: an element between its siblings' kind": ("a.xml", '<a>\n\t<b n="x"/>\n\t<c/>\n</a>', entry("", "b", n="y"), '<a>\n\t<b n="x"/>\n\t<b n="y"/>\n\t<c/>\n</a>'),
    "xml: fields as elements where the neighbour has them": ("a.xml", "<a>\n  <b>\n    <id>x</id>\n    <h>1</h>\n  </b>\n</a>", entry("", "b", h="2", id="y"), "<a>\n  <b>\n    <id>x</id>\n    <h>1</h>\n  </b>\n  <b>\n    <id>y</id>\n    <h>2</h>\n  </b>\n</a>"),
    "xml: all on one line": ("a.xml", "<a><b n='x'/></a>", entry("", "b", n="y"), "<a><b n='x'/><b n=\"y\"/></a>"),
    "xml: a field as an element": ("a.xml", "<a>\n  <b>\n    <c/>\n  </b>\n</a>", field("b", "h", "1 < 2"), "<a>\n  <b>\n    <c/>\n    <h>1 &lt; 2</h>\n  </b>\n</a>"),
    "xml: an attribute of the root": ("a.xml", "<a>\n  <b/>\n</a>", field("", "@v", "2"), '<a v="2">\n  <b/>\n</a>'),
    "xml: a line break in an attribute": ("a.xml", '<a b="1"/>', put("@b", "x\ny"), '<a b="x&#10;y"/>'),
    "xml: an attribute taken out": ("a.xml", '<a b="1"\n   c="2"/>', gone("@c"), '<a b="1"/>'),
    "xml: one element of a line": ("a.xml", "<a><b/><c/></a>", gone("b"), "<a><c/></a>"),
    "xml: with the comment that documents it": ("a.xml", "<a>\n  <!-- of b -->\n  <b/>\n  <c/>\n</a>", gone("b"), "<a>\n  <c/>\n</a>"),
    "xml: a copy with children": ("a.xml", '<a>\r\n  <b name="x">\r\n    <c/>\r\n  </b>\r\n</a>', copied("b[x]", "y"), '<a>\r\n  <b name="x">\r\n    <c/>\r\n  </b>\r\n  <b name="y">\r\n    <c/>\r\n  </b>\r\n</a>'),
    "json: the first item of a list": ("a.json", '{"l": []}', field("l", "", "x"), '{"l": ["x"]}'),
    "json: the first field of an object on lines": ("a.json", '{\n    "a": 1,\n    "o": {}\n}', field("o", "k", "2"), '{\n    "a": 1,\n    "o": {\n        "k": 2\n    }\n}'),
    "json: a text that looks like a number stays one beside texts": ("a.json", '{"l": [{"n": "x", "v": "7"}]}', entry("l", "", n="y", v="8"), '{"l": [{"n": "x", "v": "7"}, {"n": "y", "v": "8"}]}'),
    "json: true is not text": ("a.json", '{"on": false}', put("on", "true"), '{"on": true}'),
    "json: characters that must be escaped": ("a.json", '{"t": "x"}', put("t", 'say "hi"\t\\'), '{"t": "say \\"hi\\"\\t\\\\"}'),
    "json: letters beyond ASCII stay readable": ("a.json", '{"t": "x"}', put("t", "Tide é"), '{"t": "Tide é"}'),
    "json: the only item": ("a.json", '{\n  "l": [\n    1\n  ]\n}', gone("l/[#1]"), '{\n  "l": []\n}'),
    "json: the middle one of a line": ("a.json", "[1, 2, 3]", gone("[#2]"), "[1, 3]"),
    "yaml: a key at the end": ("a.yml", "a: 1\nb: 2\n", field("", "c", "x: y"), 'a: 1\nb: 2\nc: "x: y"\n'),
    "yaml: without a last line ending": ("a.yml", "a: 1", field("", "b", "2"), "a: 1\nb: 2"),
    "yaml: the first key of an empty one": ("a.yml", "a:\nb: 1\n", field("a", "k", "2"), "a:\n  k: 2\nb: 1\n"),
    "yaml: a mapping by name": ("a.yml", "s:\n    one:\n        v: 1\n", entry("s", "two", v="2"), "s:\n    one:\n        v: 1\n    two:\n        v: 2\n"),
    "yaml: an item in flow style": ("a.yml", "l: [{n: a, v: 1}]\n", entry("l", "", n="b", v="2"), "l: [{n: a, v: 1}, {n: b, v: 2}]\n"),
    "yaml: a comma in flow style": ("a.yml", "l: [a]\n", field("l", "", "b, c"), 'l: [a, "b, c"]\n'),
    "yaml: single quotes stay": ("a.yml", "a: 'x'\n", put("a", "it's"), "a: 'it''s'\n"),
    "yaml: a quoted number stays text": ("a.yml", 'a: "5"\n', put("a", "6"), 'a: "6"\n'),
    "yaml: a word that older readers take for a switch": ("a.yml", "a: word\n", put("a", "yes"), "a: yes\n"),
    "yaml: text with a hash": ("a.yml", "a: x\n", put("a", "b # c"), 'a: "b # c"\n'),
    "yaml: an empty text": ("a.yml", "a: x\n", put("a", ""), 'a: ""\n'),
    "yaml: a key of a list item": ("a.yml", "l:\n  - n: a\n    v: 1\n  - n: b\n", gone("l/[a]/v"), "l:\n  - n: a\n  - n: b\n"),
    "yaml: the first key of a list item": ("a.yml", "l:\n  - n: a\n    v: 1\n", gone("l/[a]/n"), "l:\n  - v: 1\n"),
    "yaml: an item that is deeper": ("a.yml", "l:\n- n: a\n  m:\n    x: 1\n- n: b\n", copied("l/[a]", "c"), "l:\n- n: a\n  m:\n    x: 1\n- n: c\n  m:\n    x: 1\n- n: b\n"),
    "ini: a setting in an empty section": ("a.ini", "[A]\n\n[B]\nx=1\n", field("A", "y", "2"), "[A]\ny=2\n\n[B]\nx=1\n"),
    "ini: a setting before any section": ("a.ini", "[A]\nx=1\n", field("", "y", "2"), "y=2\n[A]\nx=1\n"),
    "ini: a second one of the same name": ("a.ini", "[A]\n+L=x\n", field("A", "+L", "y"), "[A]\n+L=x\n+L=y\n"),
    "ini: a struct like its neighbour": ("a.ini", '[A]\nC=(Name="x",H=1)\n', entry("A", "C", H="2", Name="y z"), '[A]\nC=(Name="x",H=1)\nC=(Name="y z",H=2)\n'),
    "ini: a field of a struct": ("a.ini", '[A]\nC=(Name="x")\n', field("A/C[x]", "D", "a b"), '[A]\nC=(Name="x",D="a b")\n'),
    "ini: quotes stay": ("a.ini", '[A]\nt="x"\n', put("A/t", "y ; z"), '[A]\nt="y ; z"\n'),
    "ini: with its comment above": ("a.ini", "[A]\n; of x\nx=1\ny=2\n", gone("A/x"), "[A]\ny=2\n"),
    "properties: a value with a line break": ("a.properties", "a=1\n", put("a", "x\\y\nz"), "a=x\\\\y\\nz\n"),
    "properties: a value over two lines": ("a.properties", "# c\na=1 \\\n  2\nb=3\n", put("a", "4"), "# c\na=4\nb=3\n"),
    "properties: a setting in the manner of the first": ("a.properties", "a : 1\n", field("", "b.c", "2"), "a : 1\nb.c : 2\n"),
    "properties: with its comment above": ("a.properties", "# of a\na=1\nb=2\n", gone("a"), "b=2\n"),
    "env: a word with a space": (".env", "A=1\n", put("A", "x y"), "A='x y'\n"),
    "env: between its marks": (".env", 'A="x" # c\n', put("A", "y z"), 'A="y z" # c\n'),
    "env: exported like the others": (".env", "export A=1\n", field("", "B", "2"), "export A=1\nexport B=2\n"),
    "keywords: quotes stay": ("a.cfg", 'title "The Quay"\nseats 24 // c\n', put("title", "Low Tide"), 'title "Low Tide"\nseats 24 // c\n'),
    "keywords: a sign that ends the line stays": ("a.cfg", "seats 24;\nport 1;\n", put("seats", "30"), "seats 30;\nport 1;\n"),
    "keywords: a value that needs quotes": ("a.cfg", "title Quay\nseats 24\n", put("title", "Low Tide"), 'title "Low Tide"\nseats 24\n'),
    "keywords: one more of its kind": ("a.cfg", 'load "a"\nload "b"\nseats 1\n', field("", "load", "c"), 'load "a"\nload "b"\nload "c"\nseats 1\n'),
    "keywords: a line with several values": ("a.cfg", 'admin "Ada" 5\nadmin "Bo" 1\n', entry("", "admin", **{"1": "Cy", "2": "3"}), 'admin "Ada" 5\nadmin "Bo" 1\nadmin "Cy" 3\n'),
    "keywords: a copy": ("a.cfg", 'admin "Ada" 5\nadmin "Bo" 1\n', copied("admin[Ada]", "Cy"), 'admin "Ada" 5\nadmin "Cy" 5\nadmin "Bo" 1\n'),
    "keywords: a line taken out": ("a.cfg", "// of a\nadmin A 5\nadmin B 1\n", gone("admin[A]"), "admin B 1\n"),
    "braces: a value": ("a.cfg", '"a"\n{\n\t"b"\t"1" // c\n}\n', put("a/b", 'x "y"'), '"a"\n{\n\t"b"\t"x \\"y\\"" // c\n}\n'),
    "braces: a field in the manner of the others": ("a.cfg", '"a"\n{\n\t"b"\t\t"1"\n}\n', field("a", "c", "2"), '"a"\n{\n\t"b"\t\t"1"\n\t"c"\t\t"2"\n}\n'),
    "braces: an entry": ("a.cfg", '"a"\n{\n\t"i"\n\t{\n\t\t"name" "x"\n\t}\n}\n', entry("a", "i", name="y"), '"a"\n{\n\t"i"\n\t{\n\t\t"name" "x"\n\t}\n\t"i"\n\t{\n\t\t"name" "y"\n\t}\n}\n'),
    "braces: a group on one line": ("a.cfg", '"a" { "b" "1" }\n', field("a", "c", "2"), '"a" { "b" "1" "c" "2" }\n'),
    "braces: into an empty group": ("a.cfg", '"a"\n{\n}\n"b"\n{\n\t"x" "1"\n}\n', field("a", "y", "2"), '"a"\n{\n\t"y" "2"\n}\n"b"\n{\n\t"x" "1"\n}\n'),
    "classes: the semicolon stays": ("a.cfg", "class A\n{\n\tmax = 40; // c\n};\n", put("A/max", "50"), "class A\n{\n\tmax = 50; // c\n};\n"),
    "classes: quotes stay and are doubled": ("a.cfg", 'class A {\n  t = "x";\n};\n', put("A/t", 'say "hi"'), 'class A {\n  t = "say ""hi""";\n};\n'),
    "classes: a value in the manner of the others": ("a.cfg", "class A {\n  x=1;\n};\n", field("A", "y", "two words"), 'class A {\n  x=1;\n  y="two words";\n};\n'),
    "classes: an item of a list": ("a.cfg", 'l[] = {"a","b"};\n', field("l", "", "c"), 'l[] = {"a","b", "c"};\n'),
    "classes: the last item of a list taken out": ("a.cfg", 'l[] = {\n  "a",\n  "b"\n};\n', gone("l/[b]"), 'l[] = {\n  "a"\n};\n'),
    "classes: a class with what it builds on": ("a.cfg", "class A\n{\n  class B: Z\n  {\n    x = 1;\n  };\n};\n", entry("A", "C", **{"@base": "Z", "x": "2"}), "class A\n{\n  class B: Z\n  {\n    x = 1;\n  };\n  class C: Z\n  {\n    x = 2;\n  };\n};\n"),
    "classes: what a class builds on": ("a.cfg", "class A {\n  x = 1;\n};\n", field("A", "@base", "Z"), "class A: Z {\n  x = 1;\n};\n"),
    "classes: into an empty class": ("a.cfg", "class A\n{\n};\nclass B\n{\n  x = 1;\n};\n", field("A", "y", "2"), "class A\n{\n  y = 2;\n};\nclass B\n{\n  x = 1;\n};\n"),
    "text: a line behind the last": ("a.sh", "one\ntwo\n", field("", "line", "three"), "one\ntwo\nthree\n"),
    "text: the first line": ("a.txt", "", field("", "line", "one"), "one\n"),
    "text: a line taken out": ("a.sh", "one\r\ntwo\r\nthree\r\n", gone("line[#2]"), "one\r\nthree\r\n"),
    "text: the last line without an ending": ("a.sh", "one\ntwo", gone("line[#2]"), "one"),
}  # fmt: skip


@pytest.mark.parametrize(("path", "text", "edit", "expected"), CASES.values(), ids=CASES)
def test_new_text_fits_in(path: str, text: str, edit: Do, expected: str) -> None:
    document = read_document(text.encode(), path)
    edited = edit(document).document
    assert edited.text == expected
    assert edited.ok


REFUSED = {
    "xml: a name with a space": ("a.xml", "<a/>", entry("", "two words"), "`two words` cannot be a name in XML"),
    "xml: a control character": ("a.xml", '<a b="1"/>', put("@b", "\x01"), "holds a character (code 1) that XML does not allow"),
    "xml: text of an element that holds others": ("a.xml", "<a><b><c/></b></a>", put("b", "x"), "<b> holds other elements"),
    "xml: an attribute that is there": ("a.xml", '<a b="1"/>', field("", "@b", "2"), "a.xml#@b is there already with the value `1`"),
    "json: a whole object as a value": ("a.json", '{"o": {"k": 1}}', put("o", "x"), "a.json#o is a group, no single value. Its fields are: k."),
    "json: into a single value": ("a.json", '{"o": 1}', field("o", "k", "2"), "`o` is a single value; nothing can be added to it."),
    "ini: two lines": ("a.ini", "[A]\nx=1\n", put("A/x", "a\nb"), "A setting in an INI file is one line"),
    "ini: a quotation mark between quotes": ("a.ini", '[A]\nx="1"\n', put("A/x", 'a"b'), "cannot hold one itself"),
    "ini: a quotation mark in a struct": ("a.ini", "[A]\nx=(B=1)\n", put("A/x/B", 'a"b c'), "cannot hold a quotation mark"),
    "properties: an entry": ("a.properties", "a=1\n", entry("", "b", c="1"), "has settings and no entries"),
    "env: a name with a hyphen at its start": (".env", "A=1\n", field("", "-b", "1"), "cannot be the name of a setting in an env file"),
    "env: both kinds of marks": (".env", "A=1\n", put("A", "it's \"so\""), "holds both kinds of quotation marks"),
    "keywords: a value before others taken out": ("a.cfg", "admin A 5 x\nadmin B 1 y\n", gone("admin[A]/2"), "The values behind it would move forward"),
    "keywords: a line with a value left out": ("a.cfg", "admin A 5\nadmin B 1\n", entry("", "admin", **{"1": "C", "3": "1"}), "are numbered: 1=…, 2=…, with none left out"),
    "keywords: two lines for a value": ("a.cfg", "seats 5\nport 1\n", put("seats", "1\n2"), "A keyword line is one line"),
    "braces: a whole group as a value": ("a.cfg", '"a" { "b" "1" }\n', put("a", "x"), "a.cfg#a is a group, no single value"),
    "classes: a name with a space": ("a.cfg", "class A {\n  x = 1;\n};\n", field("A", "two words", "1"), "`two words` cannot be a name in a class config"),
    "classes: into a class that is only named": ("a.cfg", "class A;\nclass B { x = 1; };\n", field("A", "x", "1"), "is only named here"),
    "text: an entry": ("a.sh", "one\n", entry("", "line", a="1"), "A plain text file has lines and no entries"),
    "text: the file as a whole": ("a.sh", "one\n", lambda d: set_values(d, (), parse_operation("=x")), "a.sh is a group, no single value. Its fields are: line."),
    "text: two lines for one": ("a.sh", "one\n", put("line[#1]", "a\nb"), "is to replace one line, but holds a line break"),
    "a copy of what has no key": ("a.xml", "<a><b><c/></b></a>", copied("b", "x"), "has no key by which a copy could be told from it"),
    "a copy under a key that is taken": ("a.xml", '<a><b n="x"/><b n="y"/></a>', copied("b[x]", "y"), "has an entry [y] already"),
    "several places where one is needed": ("a.xml", '<a><b n="x"/><b n="y"/></a>', field("b[*]", "@h", "1"), "leads to 2 places; this step needs exactly one"),
}  # fmt: skip


@pytest.mark.parametrize(("path", "text", "edit", "reason"), REFUSED.values(), ids=REFUSED)
def test_what_cannot_be_written_is_refused_and_nothing_changes(path: str, text: str, edit: Do, reason: str) -> None:
    document = read_document(text.encode(), path)
    with pytest.raises(EditRefused) as caught:
        edit(document)
    assert reason in str(caught.value)
    assert document.text == text


@pytest.mark.parametrize("format", ["xml", "json", "yaml", "ini"])
def test_a_wrong_address_is_the_same_error_in_every_format(format: str) -> None:
    text = {"xml": "<a><b/></a>", "json": '{"b": 1}', "yaml": "b: 1\n", "ini": "[b]\nx=1\n"}[format]
    document = read_document(text.encode(), f"a.{format}")
    for act in (put("c", "1"), field("c", "@d" if format == "xml" else "d", "1"), gone("c"), copied("c", "d")):
        with pytest.raises(AddressNotFound, match=rf"a\.{format} has no `c`") as caught:
            act(document)
        assert isinstance(caught.value, ZerritError)
        assert caught.value.path == f"a.{format}"
