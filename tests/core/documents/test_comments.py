"""Which comment documents which node: it is the help that people read."""

from __future__ import annotations

import pytest

from zerrit.core import read_document


@pytest.mark.parametrize(
    ("path", "text", "address", "comment"),
    [
        pytest.param("a.xml", "<a>\n  <!-- one -->\n  <!-- two -->\n  <b n='x'/>\n</a>", "b", "one\ntwo", id="several above, XML"),
        pytest.param("a.xml", "<a>\n  <!-- a heading -->\n\n  <b/>\n</a>", "b", "", id="a heading, separated by a blank line"),
        pytest.param("a.xml", "<a>\n  <b/> <!-- beside -->\n</a>", "b", "beside", id="beside, XML"),
        pytest.param("a.xml", "<a>\n  <b/> <!-- of b -->\n  <c/>\n</a>", "c", "", id="not that of the line above"),
        pytest.param("a.xml", "<a>\n  <!--\n    ==== Brass ====\n    fittings\n  -->\n  <b/>\n</a>", "b", "Brass\nfittings", id="without its ornament"),
        pytest.param("a.yml", "# for a\na: 1\nb: 2 # for b\n", "a", "for a", id="above, YAML"),
        pytest.param("a.yml", "# for a\na: 1\nb: 2 # for b\n", "b", "for b", id="beside, YAML"),
        pytest.param("a.yml", "a:\n  - x\n  # of y\n  - y\n", "a/[y]", "of y", id="of an item, YAML"),
        pytest.param("a.yml", "a: 'x # y'\nb: 1\n", "a", "", id="a hash in a text is none"),
        pytest.param("a.json", '{\n  // for a\n  "a": 1,\n  "b": 2 // for b\n}', "a", "for a", id="above, JSON"),
        pytest.param("a.json", '{\n  // for a\n  "a": 1,\n  "b": 2, // for b\n  "c": 3\n}', "b", "for b", id="beside, behind the comma"),
        pytest.param("a.json", '{\n  /* for\n     all */\n  "a": {}\n}', "a", "for\nall", id="a block, JSON"),
        pytest.param("a.ini", "; file\n\n; of it\n[A]\nx=1\n", "A", "of it", id="of a section"),
        pytest.param("a.ini", "[A]\n# one\n// two\nx=1 ; three\n", "A/x", "one\ntwo", id="three signs, INI"),
        pytest.param("a.ini", "[A]\nurl=http://a/b\n", "A/url", "", id="two slashes in an address are none"),
    ],
)  # fmt: skip
def test_a_comment_is_on_the_node_that_it_documents(path: str, text: str, address: str, comment: str) -> None:
    (node,) = read_document(text.encode(), path).select(address)
    assert node.comment == comment


def test_what_documents_an_entry_goes_with_it() -> None:
    document = read_document(b"<a>\n  <!-- head -->\n\n  <!-- of b -->\n  <b/>\n</a>", "a.xml")
    (node,) = document.select("b")
    assert document.text[node.lead_start : node.end] == "<!-- of b -->\n  <b/>"
