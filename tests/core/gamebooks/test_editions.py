"""Editions of gamebooks: signed, changed since, and merged with a newer one of another author; decisions that travel in them."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.cli.command import zerrit
from zerrit.core.checks import check_files_of
from zerrit.core.documents import Document, read_document
from zerrit.core.examination.game_files import Files
from zerrit.core.gamebooks import Gamebook, edition_of, read_gamebook, signed, without_edition

TEXT = """\
# What is known of looms.
gamebook: 1
game: loom
files:
  loom.yml:
    purpose: the looms
    entries:
      "looms/*": {key: id, fields: {size: {is: integer, min: 1, max: 4}}}
decisions:
  - {at: "loom.yml#looms/[a]/size", why: "the frame holds no more", by: Ada, since: "2.1"}
advice:
  - {condition: "loom.yml#looms/[b]/size > 3", message: "it shakes", confirmed_by: [Ada], refuted_by: [Bo]}
cases:
  - {name: sound, files: {loom.yml: "looms: [{id: c, size: 2}]"}}
"""


def book_of(text: str) -> Gamebook:
    book, faults = read_gamebook(text.encode())
    assert book is not None, faults
    return book


def test_an_edition_tells_whether_it_was_changed_since() -> None:
    text = signed(book_of(TEXT), "Ada", "3")
    assert str(edition_of(book_of(text))) == "Edition 3 of Ada, unchanged since."
    assert text.startswith("# What is known of looms.\n")
    as_written = text.replace("# What is known of looms.", "# Other words.").replace(
        "  loom.yml:\n", "  loom.yml:   # here\n"
    )
    assert str(edition_of(book_of(as_written))) == "Edition 3 of Ada, unchanged since.", "only what it says counts"
    for changed in (
        text.replace("max: 4", "max: 5"),
        text.replace('version: "3"', 'version: "4"'),
        text.replace("Ada, since", "Bo, since"),
    ):
        state = edition_of(book_of(changed))
        assert state is not None
        assert state.is_unchanged is False
    assert edition_of(book_of(TEXT)) is None
    assert without_edition(text) == TEXT
    assert str(edition_of(book_of(TEXT + "edition: {author: Bo}\n"))) == "An edition of Bo, without a digest."


def loom(a: int, b: int = 1) -> dict[str, Document]:
    return {
        "loom.yml": read_document(f"looms:\n  - {{id: a, size: {a}}}\n  - {{id: b, size: {b}}}\n".encode(), "loom.yml")
    }


def test_a_decision_is_told_to_whoever_changes_the_value() -> None:
    book = book_of(TEXT)
    (finding,) = check_files_of(Files(loom(3)), book, before=loom(2)).findings
    assert (finding.code, finding.severity, finding.address) == (
        "meaning.decision",
        "notice",
        "loom.yml#looms/[a]/size",
    )
    assert finding.message == "This was 2 on purpose: the frame holds no more (Ada, 2.1)."
    assert check_files_of(Files(loom(2)), book, before=loom(2)).findings == ()
    assert check_files_of(Files(loom(2)), book).findings == ()
    (advice,) = check_files_of(Files(loom(2, 4)), book).findings
    assert (advice.code, advice.hint) == ("meaning.advice", "confirmed by Ada, refuted by Bo")


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    old = signed(book_of(TEXT), "Ada", "1")
    (tmp_path / "old.yml").write_text(old)
    (tmp_path / "theirs.yml").write_text(signed(book_of(without_edition(old).replace("max: 4", "max: 5")), "Ada", "2"))
    (tmp_path / "mine.yml").write_text(old.replace("purpose: the looms", "purpose: mine"))
    return tmp_path


def test_a_newer_edition_is_merged(folder: Path) -> None:
    done = zerrit("gamebook", "merge", "old.yml", "mine.yml", "theirs.yml", "--save-to", "out.yml", cwd=folder)
    assert done.code == 0, done.err
    merged = (folder / "out.yml").read_text()
    assert ("purpose: mine" in merged, "max: 5" in merged, "edition" in merged) == (True, True, False)
    checked = zerrit("gamebook", "check", "mine.yml", cwd=folder)
    assert "Edition 1 of Ada, changed since." in checked.out
    again = zerrit("gamebook", "sign", "out.yml", "--author", "Bo", "--edition", "1", cwd=folder)
    assert "Edition 1 of Bo, unchanged since." in again.out


def test_conflicts_and_failing_cases_write_nothing(folder: Path) -> None:
    mine = folder / "mine.yml"
    mine.write_text(mine.read_text().replace("max: 4", "max: 7"))
    words = ("gamebook", "merge", "old.yml", "mine.yml", "theirs.yml", "--save-to", "out.yml")
    done = zerrit(*words, cwd=folder)
    assert (done.code, "conflict: files/loom.yml/entries" in done.out, (folder / "out.yml").exists()) == (
        1,
        True,
        False,
    )
    place = 'files/loom.yml/entries/"looms/*"/fields/size/max'
    chosen = zerrit(*words, "--choose", f"{place}=mine", cwd=folder)
    assert chosen.code == 0, chosen.out + chosen.err
    assert "max: 7" in (folder / "out.yml").read_text()
    mine.write_text(mine.read_text().replace("size: 2}]", "size: 20}]").replace("max: 7", "max: 4"))
    (folder / "out.yml").unlink()
    failed = zerrit(*words, cwd=folder)
    assert (failed.code, "case failed" in failed.out, (folder / "out.yml").exists()) == (1, True, False)
    assert "write ADDRESS=mine" in zerrit(*words, "--choose", "x=both", cwd=folder).err
