"""Input that means harm, or is broken beyond use: a finding at most, never a crash, and every byte comes back."""

from __future__ import annotations

import pytest

from zerrit.core import Document, read_document
from zerrit.core.documents import Format
from zerrit.core.documents.fixes import safe_fixes

LONG = 10_000_000  # characters on one line
DEEP = 100_000  # brackets in a row


#: No name says these formats.
FORMATS = {f"a.{one}": one for one in (Format.KEYWORDS, Format.BRACES, Format.CLASSES)}


def survives(path: str, data: bytes) -> Document:
    """Read, walk, address, fix: everything that looks at a file."""
    document = read_document(data, path, format=FORMATS.get(path))
    assert document.to_bytes() == data
    nodes = [node for node, _ in zip(document.root.walk(), range(200), strict=False)]
    for node in nodes:
        document.keys.address_of(node)
    document.to_data()
    return document


@pytest.mark.parametrize(
    ("path", "head", "tail"),
    [
        ("a.xml", '<a b="', '"/>'),
        ("a.xml", "<a>", "</a>"),
        ("a.xml", '<a b="', ""),
        ("a.xml", "<a><!--", ""),
        ("a.json", '{"a": "', '"}'),
        ("a.json", '{"a": "', ""),
        ("a.json", "[", "]"),
        ("a.yml", 'a: "', '"'),
        ("a.yml", "a: ", ""),
        ("a.yml", "a: '", ""),
        ("a.yml", "[", ""),
        ("a.ini", "a=", ""),
        ("a.ini", "[", ""),
        ("a.ini", "a=(b=", ")"),
        ("a.sh", 'a="', '"'),
        ("a.txt", "", ""),
        ("a.properties", "a=", ""),
        ("a.properties", "", ""),
        (".env", 'A="', ""),
        (".env", "A=", ""),
        ("a.keywords", 'a "', '"'),
        ("a.keywords", "a ", ""),
        ("a.braces", '"a" "', '"'),
        ("a.braces", '"a" {', "}"),
        ("a.classes", 'a = "', '";'),
        ("a.classes", "a[] = {", "};"),
        ("a.classes", "a = ", ""),
        ("a.cfg", "", ""),
    ],
)
@pytest.mark.parametrize("filling", ["x", "x ", "\\", "\u00e9"])
def test_one_very_long_line(path: str, head: str, tail: str, filling: str) -> None:
    count = LONG // 10 // len(filling) if filling != "x" else LONG
    survives(path, (head + filling * count + tail).encode())


@pytest.mark.parametrize(
    ("path", "unit"),
    [
        ("a.xml", "<a>"),
        ("a.xml", "<"),
        ("a.xml", "<a "),
        ("a.xml", "<!--"),
        ("a.xml", "</a>"),
        ("a.xml", "&"),
        ("a.xml", "<![CDATA["),
        ("a.properties", "a\\\n"),
        ("a.properties", "a="),
        (".env", 'A="'),
        (".env", 'A="\n'),
        ("a.keywords", '"a"'),
        ("a.keywords", "a;"),
        ("a.keywords", '"a";'),
        ("a.keywords", "a\n"),
        ("a.braces", "{"),
        ("a.braces", "}"),
        ("a.braces", '"a" '),
        ("a.braces", '"a" {'),
        ("a.braces", '"'),
        ("a.braces", "a {\n"),
        ("a.braces", "/*"),
        ("a.classes", "{"),
        ("a.classes", "};"),
        ("a.classes", "class a {"),
        ("a.classes", 'a = "b";'),
        ("a.classes", 'a = "b"c";'),
        ("a.classes", 'a[] = {"b" '),
        ("a.classes", "a[] = {b;"),
        ("a.classes", "a[] = {1 2,"),
        ("a.classes", "a[]={};"),
        ("a.classes", "class a\n"),
        ("a.classes", '"'),
        ("a.cfg", "class a {"),
        ("a.cfg", '"a" {'),
        ("a.cfg", "a b "),
        ("a.json", "["),
        ("a.json", '{"a":'),
        ("a.xml", "<!-- <x/> -->"),
        ("a.json", "]"),
        ("a.json", '"'),
        ("a.json", ","),
        ("a.yml", "["),
        ("a.yml", "{a: "),
        ("a.yml", "- "),
        ("a.yml", "? "),
        ("a.yml", "a: &a\n "),
        ("a.yml", "'"),
        ("a.ini", "("),
        ("a.ini", "["),
        ("a.sh", "("),
        ("a.sh", "'"),
        ("a.sh", "\u201c"),
    ],
)
def test_the_same_sign_many_times(path: str, unit: str) -> None:
    survives(path, (unit * DEEP).encode())
    survives(path, ("a=" + unit * DEEP).encode())


@pytest.mark.parametrize("path", ["a.xml", "a.json", "a.yml", "a.ini", "a.sh", "a.txt"])
@pytest.mark.parametrize(
    "data",
    [
        pytest.param(b"", id="empty"),
        pytest.param(b"\0" * 1000, id="NUL"),
        pytest.param(b"\xff\xfe", id="only a mark"),
        pytest.param(b"\xef\xbb\xbf", id="only the UTF-8 mark"),
        pytest.param("\ud800".encode("utf-16-le", "surrogatepass").join([b"\xff\xfe", b"a\0"]), id="a lone surrogate"),
        pytest.param(b"\xed\xa0\x80", id="a surrogate in UTF-8"),
        pytest.param(b"\xc3\x28\xa0\xa1", id="invalid UTF-8"),
        pytest.param(bytes(range(256)), id="every byte"),
        pytest.param("<a/>\n".encode("utf-16-be"), id="UTF-16 without a mark"),
        pytest.param(b"\r\r\n\n\r", id="line ends"),
        pytest.param(b"\t\t\t", id="tabs"),
        pytest.param(b"# only a comment", id="only a comment"),
        pytest.param(b"<!-- only a comment -->", id="only an XML comment"),
    ],
)
def test_bytes_that_are_hardly_text(path: str, data: bytes) -> None:
    document = survives(path, data)
    fixed = safe_fixes(document)
    assert len(fixed.document.findings) <= len(document.findings)
    assert bool(fixed.findings) == (fixed.document.text != document.text)


def test_entities_and_outside_files_are_refused() -> None:
    bomb = (
        '<!DOCTYPE a [<!ENTITY b "bb"><!ENTITY c "&b;&b;&b;"><!ENTITY d SYSTEM "file:///etc/passwd">]>\n<a>&c;&d;</a>'
    )
    document = survives("a.xml", bomb.encode())
    assert "xml.doctype" in [finding.code for finding in document.findings]
    assert document.root.value == "&c;&d;"


def test_many_faults_are_bounded_and_one_file_is_not_read_twice() -> None:
    document = survives("a.json", b"[" + b"x " * 20_000 + b"]")
    assert 0 < len(document.findings) <= 500


def test_a_file_that_is_too_large_is_a_finding() -> None:
    document = read_document(b" " * (64 * 1024 * 1024 + 1), "a.ini")
    assert [finding.code for finding in document.findings] == ["text.too-large"]
    assert document.root.children == ()
