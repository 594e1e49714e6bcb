"""Files of nothing but beginnings: the time to read them grows with their length, not with its square."""

from __future__ import annotations

import time

import pytest

from zerrit.core import read_document
from zerrit.core.documents import Format
from zerrit.core.documents.comments import comment_texts

MANY = 40_000
SECONDS = 12  # of the processor; read anew from each beginning to the end, each of these takes a minute and more

UNCLOSED = {
    "start tags": ("a.xml", "<r>", "<a>"),
    "comments": ("a.xml", "<r>", "<!-- a\n"),
    "instructions": ("a.xml", "<r>", "<?a \n"),
    "character data": ("a.xml", "<r>", "<![CDATA[ a\n"),
    "quoted values": ("a.xml", "<r>", "<a b='\n"),
    "objects": ("a.json", "", '{"a":'),
    "comments of JSON": ("a.json", '{"x": ', "/* a\n"),
    "texts of JSON": ("a.json", "", '"\\'),
    "texts and comments": ("a.json", "", '"/*'),
    "lists of YAML": ("a.yaml", "", "a: [\n"),
    "texts of YAML": ("a.yaml", "", 'a: "b\n'),
    "comments of scripts": ("a.js", "", "/* a\n"),
    "long brackets": ("a.lua", "", "--[[ a\n"),
    "long texts": ("a.lua", "", "x = [==[ a\n"),
    "tables in one line": ("a.lua", "", "f({}) "),
    "tables in one call": ("a.js", "f({a:1}", ", {a:1}"),
    "lists in lists": ("a.js", "x = ", "["),
    "names of tables": ("a.lua", "", "a" * 300 + "{}"),
    "functions": ("a.lua", "", "function f()\n"),
    "commands": ("a.sh", "run ", "--a \\\n"),
    "here-documents": ("a.sh", "", "cat <<END\n\n"),
    "triple quotes": ("a.py", "", '"""a\\"\n'),
    "sections": ("a.ini", "", "[a\n"),
    "structures": ("a.ini", "[a]\nb=", "(x="),
}


@pytest.mark.parametrize("kind", UNCLOSED)
def test_what_is_never_closed_costs_no_more_than_it_is_long(kind: str) -> None:
    path, before, unit = UNCLOSED[kind]
    began = time.process_time()
    read_document((before + unit * MANY).encode(), path)
    assert time.process_time() - began < SECONDS


@pytest.mark.parametrize(("format", "unit"), [(Format.XML, "<!-- a\n"), (Format.JSON, "/* a\n"), (Format.JSON, '"\\')])
def test_comments_are_counted_in_one_go(format: Format, unit: str) -> None:
    began = time.process_time()
    comment_texts(unit * MANY, format)
    assert time.process_time() - began < SECONDS


@pytest.mark.parametrize(
    ("path", "text"),
    [
        ("a.lua", "local a = 1\n--[[ not closed\nlocal b = 2\n"),
        ("a.js", "let a = 1\n/* not closed\nlet b = 2\n"),
        ("a.py", 'a = 1\nb = """not closed\nc = 2\n'),
        ("a.sh", "a=1\ncat <<END\nnot closed\n"),
    ],
)
def test_what_runs_on_to_the_end_of_a_script_is_said(path: str, text: str) -> None:
    (finding,) = read_document(text.encode(), path).findings
    assert (finding.code, finding.line) == ("text.quote-not-closed", 2)
    assert "is never closed, so everything to the end of the file belongs to it" in finding.message


@pytest.mark.parametrize("text", ['{"a": 1} /* not closed', '{"a": 1 /* not closed\n}', '/* not closed\n{"a": 1}'])
@pytest.mark.parametrize("tolerate", [(), ("json.comment",)])
def test_a_json_comment_without_end_is_an_error_even_where_comments_are_tolerated(
    text: str, tolerate: tuple[str, ...]
) -> None:
    found = read_document(text.encode(), "a.json", tolerate=tolerate).findings
    assert "json.comment-not-closed" in [finding.code for finding in found if finding.severity == "error"]
