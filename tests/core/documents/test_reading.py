"""Reading: exact bytes, the tree, and faults at the place of the fix."""

from __future__ import annotations

import json

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from zerrit.core import read_document
from zerrit.core.documents import Document, Format, Node

SAMPLES = {
    Format.XML: '<?xml version="1.0"?>\n<finds>\n  <!-- a ring -->\n  <find name="A" w="1">\n    <band depth="x" holds="3"/>\n  </find>\n</finds>\n',
    Format.JSON: '{\n  "a": [1, 2.5, true],\n  "goods": [{"name": "x", "low": 1}]\n}\n',
    Format.YAML: "settings:\n  # doc\n  a: 1\n  list:\n    - name: x\n      v: 'y'\n",
    Format.INI: '; head\n[Pumps]\nRate=1.5 ; fast\nCircuit=(Name="Gate",Pumps=((Rating=4),(Rating=6)))\n',
    Format.PROPERTIES: "# head\nmost.seats=24\nmotd = calm \\\n  seas\n",
    Format.KEYWORDS: '// head\ntitle "The Quay" // shown\nseats 24\nadmin "Ada" 5 build\nadmin "Bo" 1 look\n',
    Format.BRACES: '"Shop"\n{\n\t// things\n\t"item" { "name" "Rope" "price" "5" [$WIDE] }\n\topen 1\n}\n',
    Format.CLASSES: '#include "a.hpp"\nclass Crew: Base\n{\n  // how many\n  seats = 24;\n  decks[] = {"a", {1, 2}};\n};\n',
    Format.TEXT: "one\ntwo\n",
}


def validate(document: Document) -> None:
    """What holds of every node of every document."""
    for node in document.root.walk():
        assert 0 <= node.lead_start <= node.start <= node.end <= len(document.text)
        if node.value_span:
            assert node.start <= node.value_start <= node.value_end <= node.end
        for child in node.children:
            assert child.parent is node


def names(node: Node) -> list[str]:
    return [child.name for child in node.children]


@pytest.mark.parametrize("format", SAMPLES)
@given(data=st.binary(max_size=300))
def test_any_bytes_are_read_without_error_and_given_back(format: Format, data: bytes) -> None:
    document = read_document(data, f"any.{format}", format=format)
    assert document.to_bytes() == data
    validate(document)


@pytest.mark.parametrize("format", SAMPLES)
@settings(max_examples=200)
@given(data=st.data())
def test_a_sound_file_with_a_few_characters_changed_is_still_read(format: Format, data: st.DataObject) -> None:
    text = SAMPLES[format]
    at = data.draw(st.integers(0, len(text) - 1))
    put = data.draw(
        st.sampled_from(
            ["", "<", ">", '"', "{", "}", "(", ")", "[", ":", ";", ",", "=", "\\", "\t", "\n", "&", "--", "/*", "\0"]
        )
    )
    mutated = text[:at] + put + text[at + data.draw(st.integers(0, 3)) :]
    document = read_document(mutated.encode(), format=format)
    assert document.to_bytes() == mutated.encode()
    validate(document)


@pytest.mark.parametrize(
    ("data", "encoding"),
    [
        pytest.param(b"\xef\xbb\xbf<a/>", "utf-8", id="UTF-8 with a byte order mark"),
        pytest.param("<a b='\u00e9'/>".encode("utf-16"), "utf-16-le", id="UTF-16"),
        pytest.param(
            b'<?xml version="1.0" encoding="iso-8859-15"?><a b="\xa4"/>', "iso-8859-15", id="named in the declaration"
        ),
        pytest.param(
            b"<?xml version='1.0' encoding='windows-1252'?><a b='caf\xe9'/>", "windows-1252", id="named 8-bit"
        ),
    ],
)
def test_the_encoding_is_recognised_and_kept(data: bytes, encoding: str) -> None:
    document = read_document(data, "a.xml")
    assert document.source.encoding == encoding
    assert document.ok
    assert document.to_bytes() == data


@pytest.mark.parametrize("newline", ["\n", "\r\n", "\r"])
def test_lines_are_counted_with_any_ending(newline: str) -> None:
    document = read_document(newline.join(["<a>", "<b", "c='1' c='2'/>", "</a>"]).encode(), "a.xml")
    assert [(f.code, f.line) for f in document.findings] == [("xml.attribute-twice", 3)]


def test_comments_document_what_stands_below_or_beside_them() -> None:
    for path, text, address, comment in [
        ("a.xml", SAMPLES[Format.XML], "find[A]", "a ring"),
        ("a.yml", SAMPLES[Format.YAML], "settings/a", "doc"),
        ("a.ini", SAMPLES[Format.INI], "Pumps/Rate", "fast"),
        ("a.properties", SAMPLES[Format.PROPERTIES], "most.seats", "head"),
        ("a.cfg", SAMPLES[Format.KEYWORDS], "seats", ""),
        ("a.cfg", SAMPLES[Format.BRACES], "Shop/item[Rope]", "things"),
        ("a.cfg", SAMPLES[Format.CLASSES], "Crew/seats", "how many"),
    ]:
        (node,) = read_document(text.encode(), path).select(address)
        assert node.comment == comment, path


def test_plain_values_of_json_and_yaml() -> None:
    assert read_document(SAMPLES[Format.JSON].encode(), "a.json").to_data() == {
        "a": [1, 2.5, True],
        "goods": [{"name": "x", "low": 1}],
    }
    text = "a: 012\nb: yes\nc: ~\nd: '5'\ne: 1e3\nf: |\n  two\n  lines\n"
    data = read_document(text.encode(), "a.yml").to_data()
    assert data == {"a": 12, "b": "yes", "c": None, "d": "5", "e": 1000.0, "f": "two\nlines\n"}


def test_structs_in_ini_open_into_nodes() -> None:
    document = read_document(SAMPLES[Format.INI].encode(), "a.ini")
    assert [n.value for n in document.select("Pumps/Circuit[Gate]/Pumps/*/Rating")] == ["4", "6"]


def test_an_unclosed_entry_names_both_lines() -> None:
    document = read_document(b"<a>\n<f>\n<g/>\n\n<f>\n</f>\n</a>", "a.xml")
    (finding,) = document.findings
    assert finding.message == "<f> opened on line 2 is never closed; the next <f> starts on line 5."
    assert finding.hint == "Add </f> here."
    assert names(document.root) == ["f", "f"]


def test_a_tolerated_fault_is_only_a_notice() -> None:
    text = b'<a b="x & y"/>'
    assert not read_document(text, "a.xml").ok
    assert read_document(text, "a.xml", tolerate=["xml.stray-ampersand"]).ok


@pytest.mark.parametrize(
    ("path", "text"),
    [
        ("a.xml", "<a>" * 100_000),
        ("a.json", "[" * 100_000),
        ("a.yml", "[" * 20_000),
        ("a.ini", "a=" + "(" * 100_000),
    ],
    ids=lambda value: str(value)[:8],
)
def test_absurd_nesting_is_a_finding_and_no_crash(path: str, text: str) -> None:
    document = read_document(text.encode(), path)
    assert any(finding.code == "text.too-deep" for finding in document.findings)
    document.to_data()


def test_an_alias_bomb_does_not_grow() -> None:
    lines = ["a0: &a0 [x, x]"] + [f"a{i}: &a{i} [*a{i - 1}, *a{i - 1}]" for i in range(1, 60)]
    document = read_document("\n".join(lines).encode(), "a.yml")
    data = document.to_data()
    assert data["a1"] == [["x", "x"], ["x", "x"]]
    assert "*a58" in data["a59"]  # far beyond what is followed
    assert len(json.dumps(data)) < 20_000_000


def test_pairs_and_a_closing_brace_may_share_a_line() -> None:
    text = b'"a"\n{\n  "b" "1" "c" "2" }\n"d" { e f g h }\n'
    document = read_document(text, "a.cfg", format=Format.BRACES)
    assert document.findings == ()
    assert [node.value for node in document.select("*/*")] == ["1", "2", "f", "h"]


def test_a_list_that_begins_with_numbers_is_the_way_of_that_file() -> None:
    numbered = read_document(b"1001 build\n1002 look\n1003 look\n", "a.cfg", format=Format.KEYWORDS)
    assert numbered.findings == ()
    (odd,) = read_document(b"seats 24\nport 7\n24 seats\n", "a.cfg", format=Format.KEYWORDS).findings
    assert (odd.code, odd.line) == ("keywords.odd-keyword", 3)
