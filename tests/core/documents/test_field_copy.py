"""The fields of one entry copied to its siblings: all that were asked for, in every format, and nothing else."""

from __future__ import annotations

import pytest

from zerrit.core import ZerritError, parse_address, read_document
from zerrit.core.documents.field_copy import copy_fields

XML = """<finds>
  <find name="Red" house="3"><band depth="deep" holds="4"/><band depth="shallow" holds="9"/></find>
  <!-- stays -->
  <find name="Blue" house="5"><band depth="deep" holds="1"/></find>
  <find name="Green" house="7" note="x">
    <band depth="shallow" holds="9"/>
  </find>
</finds>
"""


def copied(path: str, text: str, source: str, targets: str, *names: str) -> str:
    document = read_document(text.encode(), path)
    segments = (parse_address(f"{path}#{one}").segments for one in (source, targets))
    return copy_fields(document, *segments, names).document.text


def test_all_fields_come_along_and_the_name_stays() -> None:
    assert copied("a.xml", XML, "find[Red]", "find[Blue,Green]") == (
        "<finds>\n"
        '  <find name="Red" house="3"><band depth="deep" holds="4"/><band depth="shallow" holds="9"/></find>\n'
        "  <!-- stays -->\n"
        '  <find name="Blue" house="3"><band depth="deep" holds="4"/><band depth="shallow" holds="9"/></find>\n'
        '  <find name="Green" house="3" note="x">\n'
        '    <band depth="shallow" holds="9"/>\n'
        '    <band depth="deep" holds="4"/>\n'
        "  </find>\n</finds>\n"
    )


@pytest.mark.parametrize(
    ("path", "text", "source", "targets", "names", "result"),
    [
        ("a.xml", XML, "find[Red]", "find[*]", ("house",), XML.replace('"5"', '"3"').replace('"7"', '"3"')),
        ("a.json", '[{"id": "a", "x": 1, "y": [1, 2]}, {"id": "b", "x": 2}]', "[a]", "[b]", (), '[{"id": "a", "x": 1, "y": [1, 2]}, {"id": "b", "x": 1,"y": [1, 2]}]'),
        ("a.yml", "- id: a\n  x: 1\n  y: 2\n- id: b\n  x: 5 # why\n", "[a]", "[*]", (), "- id: a\n  x: 1\n  y: 2\n- id: b\n  x: 1 # why\n  y: 2\n"),
        ("a.ini", "[A]\nx=1\ny=2\n\n[B]\nx=7\n", "A", "B", ("x",), "[A]\nx=1\ny=2\n\n[B]\nx=1\n"),
        ("a.ini", "[A]\nc=(N=a,R=1,S=2)\nc=(N=b,R=5,S=2)\n", "A/c[a]", "A/c[*]", (), "[A]\nc=(N=a,R=1,S=2)\nc=(N=b,R=1,S=2)\n"),
    ],
)  # fmt: skip
def test_fields_are_copied_in_every_format(
    path: str, text: str, source: str, targets: str, names: tuple[str, ...], result: str
) -> None:
    assert copied(path, text, source, targets, *names).replace(", ", ",") == result.replace(", ", ",")
    assert copied(path, result, source, targets, *names) == result


@pytest.mark.parametrize(
    ("source", "targets", "names", "reason"),
    [
        ("find[Red]", "find[Red]", (), "no other entry"),
        ("find[Red]", "find[*]", ("prise",), "has no field prise"),
        ("find[Red]", "find[Rde]", (), "no find that fits"),
        ("find[*]", "find[Blue]", (), "needs exactly one"),
        ("find[Red]/@house", "find[Blue]", (), "has no fields"),
    ],
)
def test_what_cannot_be_copied_is_refused(source: str, targets: str, names: tuple[str, ...], reason: str) -> None:
    with pytest.raises(ZerritError, match=reason):
        copied("a.xml", XML, source, targets, *names)
