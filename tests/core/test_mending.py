"""Mending: only what is sure, only for the better, and tolerated faults stay."""

from __future__ import annotations

import pytest

from tests.core.mistakes import in_ini, in_json, in_xml, in_yaml
from zerrit.core import read_document
from zerrit.core.documents.mending import mend


@pytest.mark.parametrize(
    ("path", "broken", "mended"),
    [
        ("a.json", '{"a": 1 "b": [1, 2,],}', '{"a": 1, "b": [1, 2]}'),
        ("a.json", "{'a': True, b: .5, \u201cc\u201d: \"x\ty\"}", '{"a": true, "b": 0.5, "c": "x\\ty"}'),
        ("a.xml", "<a>\n  <b x=1 y='2/>\n  <c>d & e</c>\n</a>\n</a>\n", "<a>\n  <b x=\"1\" y='2'/>\n  <c>d &amp; e</c>\n</a>\n"),
        ("a.yml", "a: [1, 2\nb:3\nc: \"x\n", 'a: [1, 2]\nb: 3\nc: "x"\n'),
        ("a.ini", "[A\nb=(C=1 D=(2,3)\nd=\u201cx\u201d\n", '[A]\nb=(C=1,D=(2,3))\nd="x"\n'),
    ],
)  # fmt: skip
def test_several_sure_mends_go_together(path: str, broken: str, mended: str) -> None:
    done = mend(read_document(broken.encode(), path))
    assert done.document.text == mended
    assert done.document.ok
    assert done.mended


@pytest.mark.parametrize(
    ("path", "text"),
    [
        ("a.json", '{"open": yes}'),  # a switch or a text?
        ("a.json", '{"open": ture}'),
        ("a.yml", "draws: 3 weight: 4\n"),  # two settings or one text?
        ("a.yml", "a:\n  b: 1\n   c: 2\n"),  # whose is c?
        ("a.xml", '<a x="1" x="2"/>'),  # which one holds?
        ("a.xml", "<a>\n<!-- b\n<c/>\n</a>"),  # where does it end?
        ("a.sh", "echo (\n"),
    ],
)
def test_where_there_are_two_ways_a_person_decides(path: str, text: str) -> None:
    document = read_document(text.encode(), path)
    assert document.findings
    assert mend(document).document is document


def test_what_is_tolerated_stays() -> None:
    document = read_document(b'{"a": 1,} // x', "a.json", tolerate=["json.comma-extra", "json.comment"])
    assert mend(document).document is document


@pytest.mark.parametrize(
    ("path", "table"), [("a.xml", in_xml), ("a.json", in_json), ("a.yml", in_yaml), ("a.ini", in_ini)]
)
def test_a_file_with_many_mistakes_never_gets_worse(path: str, table: object) -> None:
    base: str = table.BASE  # type: ignore[attr-defined]
    text = base
    for _, old, new in table.MISTAKES[::5]:  # type: ignore[attr-defined]
        text = text.replace(old, new, 1)
    document = read_document(text.encode(), path)
    done = mend(document)
    assert len(done.document.findings) < len(document.findings)
    assert {f.code for f in done.document.findings} <= {f.code for f in document.findings}
