"""No false alarms: two hundred sound scripts in eight syntaxes have no finding, and every piece of them for itself has none."""

from __future__ import annotations

import pytest

from tests.core.documents.sound_scripts import EACH, SYNTAXES, sound_scripts
from zerrit.core import read_document


@pytest.mark.parametrize("path", SYNTAXES)
def test_a_sound_piece_has_no_finding(path: str) -> None:
    for piece in SYNTAXES[path]:
        for text in (piece, piece.replace("\n", "\r\n")):
            document = read_document(text.encode(), path)
            assert [(piece, one.code, one.message) for one in document.findings] == []
            assert document.to_bytes() == text.encode()


def test_two_hundred_sound_scripts_have_no_finding() -> None:
    scripts = list(sound_scripts())
    assert len(scripts) == EACH * len(SYNTAXES) == 200
    alarms = [
        (path, one.message, text) for path, text in scripts for one in read_document(text.encode(), path).findings
    ]
    assert alarms == []
