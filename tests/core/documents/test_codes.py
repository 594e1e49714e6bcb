"""The catalogue of codes is true: every wrong example gives its code, every right one gives no finding."""

from __future__ import annotations

from pathlib import Path

import pytest

from zerrit.core import Finding, read_document
from zerrit.core.checks import check
from zerrit.core.documents import CODES, TOLERANCES, Severity
from zerrit.core.gamebooks import read_gamebook

_SHOWN = [name for name, code in CODES.items() if not code.is_told]


def findings_of(name: str, text: str) -> list[Finding]:
    code = CODES[name]
    if not code.gamebook:
        return list(read_document(text.encode(), code.path).findings)
    gamebook, faults = read_gamebook(code.gamebook.encode())
    assert gamebook is not None, faults
    return list(check({code.path: gamebook.read(text.encode(), code.path)}, gamebook))


@pytest.mark.parametrize("name", _SHOWN)
def test_the_wrong_example_gives_the_code_and_nothing_else(name: str) -> None:
    assert [(f.code, f.severity) for f in findings_of(name, CODES[name].wrong)] == [(name, CODES[name].severity)]


@pytest.mark.parametrize("name", _SHOWN)
def test_the_right_example_gives_no_finding(name: str) -> None:
    assert findings_of(name, CODES[name].right) == []


@pytest.mark.parametrize("name", sorted(TOLERANCES))
def test_a_tolerance_turns_the_fault_into_a_notice(name: str) -> None:
    code = CODES[name]
    if code.is_told:
        pytest.skip("told in words")
    gamebook = read_gamebook(code.gamebook.encode())[0] if code.gamebook else None
    format = gamebook.read(b"", code.path).format if gamebook is not None else None
    (finding,) = read_document(code.wrong.encode(), code.path, format=format, tolerate=[name]).findings
    assert finding.severity is Severity.NOTICE


def test_the_page_of_the_documentation_is_current() -> None:
    from zerrit.cli.findings_page import page

    assert (Path(__file__).parents[3] / "docs" / "findings.md").read_text() == page(), "run `make docs`"
