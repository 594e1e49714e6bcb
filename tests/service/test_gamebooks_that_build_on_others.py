"""Gamebooks that build on others, and cases that are tried when one is saved, through the client and commands."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest

from tests.cli.command import zerrit
from tests.quick import ADMIN, PASSWORD, Quick, quick_stack
from tests.worlds import world
from zerrit import api
from zerrit.client import ProblemError

BASE = "gamebook: 1\ngame: choir\nfiles:\n  songs.cfg:\n    entries:\n      Songs/song: {fields: {fee: {is: integer, max: 5}}}\n"
OWN = "gamebook: 1\ngame: choir\nextends: choir-base\n"
CASE = (
    'cases:\n  - name: a fee that is too large\n    files: {songs.cfg: "\\"Songs\\"\\n{\\n\\"song\\" { \\"name\\" \\"A\\" \\"fee\\" \\"9\\" }\\n}\\n"}\n'
    "    finds: [meaning.range]\n"
)


@pytest.fixture
def quick(tmp_path: Path) -> Iterator[Quick]:
    with quick_stack(tmp_path) as stack:
        stack.add_with(world("choir"))
        yield stack


def found(quick: Quick) -> int:
    return sum(one.code == "meaning.range" for one in quick.zerrit.check_server("reef").findings)


def test_a_gamebook_follows_the_one_that_it_builds_on(quick: Quick, tmp_path: Path) -> None:
    client = quick.zerrit
    with pytest.raises(ProblemError, match="There is no gamebook choir-base"):
        client.save_as_gamebook("reef", OWN)
    client.save_gamebook("choir-base", BASE)
    client.save_as_gamebook("reef", OWN)
    many = found(quick)
    assert many > 0
    client.save_gamebook("choir-base", BASE.replace("max: 5", "max: 2"))
    assert found(quick) > many, "a newer edition of the base holds at once"
    with pytest.raises(ProblemError, match="in a circle"):
        client.save_gamebook("choir-base", BASE + f"extends: {client.server('reef').gamebook}\n")
    change = client.create_change("reef", "Dear").id
    client.add_step(change, api.StepIn(kind="set", address="songs.cfg#Songs/song[Carol]/fee", operation="=50"))
    assert client.change(change).blocking


def test_cases_keep_a_gamebook_from_being_saved_wrong(quick: Quick, tmp_path: Path) -> None:
    client = quick.zerrit
    client.save_gamebook("choir-base", BASE + CASE)
    wrong = BASE.replace("max: 5", "max: 50") + CASE
    with pytest.raises(
        ProblemError, match="1 of the cases of choir-base failed: line 8: a fee that is too large: not found"
    ):
        client.save_gamebook("choir-base", wrong)
    client.save_as_gamebook("reef", BASE + CASE)
    trial = client.test_gamebook("reef", wrong)
    assert [one.name for one in trial.failed_cases] == ["a fee that is too large"]
    (tmp_path / "book.yml").write_text(wrong)
    (tmp_path / "sound.yml").write_text(BASE + CASE)
    signed = {"ZERRIT_URL": quick.url, "ZERRIT_TOKEN": client.token(ADMIN, PASSWORD).token}
    done = zerrit("gamebook", "test", "book.yml", cwd=tmp_path)
    assert (done.code, "1 case, 1 failed." in done.out) == (1, True)
    sound = zerrit("gamebook", "test", "sound.yml", cwd=tmp_path)
    assert (sound.code, sound.out.strip()) == (0, "1 case, 0 failed.")
    on_server = zerrit("gamebook", "test", "reef", "book.yml", cwd=tmp_path, **signed)
    assert (on_server.code, "case failed, line 8" in on_server.out) == (1, True)
