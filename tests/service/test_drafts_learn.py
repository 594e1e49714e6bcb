"""What drafts learn from other servers with the same gamebook, and from changes that were rolled back."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest

from tests.cli.command import zerrit
from tests.quick import TOO_MUCH, Quick, quick_stack
from tests.zips import zipped


@pytest.fixture
def quick(tmp_path: Path) -> Iterator[Quick]:
    with quick_stack(tmp_path, games=("reef", "cove")) as stack:
        yield stack


def test_a_value_that_was_rolled_back_is_warned_of(quick: Quick) -> None:
    client = quick.zerrit
    for name in ("reef", "cove"):
        quick.add(name)
    client.import_defaults("reef", "1", zipped(quick.files("reef")))
    assert "rolled back" not in client.draft_gamebook("reef").text
    run = quick.deploy(f"sea/1.yml#holds={TOO_MUCH}", name="cove")
    assert run.state == "rolled-back"
    text = client.draft_gamebook("reef").text
    assert f"change {quick.zerrit.changes('cove')[0].id} of cove" in text
    (found,) = [one for one in client.suggestions("reef") if one.rule.part == "advice"]
    assert client.suggestions("cove") == [], "it has no defaults to draft from"
    client.decide("reef", [found.id], accept=True)
    change = quick.change(f"sea/1.yml#holds={TOO_MUCH}", name="reef")
    said = [one.message for one in client.check(change).findings if one.code == "meaning.advice"]
    assert len(said) == 1
    assert f"{TOO_MUCH} was rolled back on cove on " in said[0]
    assert quick.deploy("sea/1.yml#holds=7", name="cove").state == "deployed"
    assert "rolled back" in client.draft_gamebook("reef").text


def test_what_does_not_fit_on_another_server_is_told_with_each_rule(quick: Quick) -> None:
    client = quick.zerrit
    for name in ("reef", "cove"):
        quick.add(name)
    client.import_defaults("reef", "1", zipped(quick.files("reef")))
    day = [one for one in client.suggestions("reef") if "DayLength" in one.rule.text]
    assert [one.evidence.count("exception") for one in day] == [0]
    assert quick.deploy("station.ini#World/DayLength=96000", name="cove").state == "deployed"
    (told,) = [one for one in client.suggestions("reef") if "DayLength" in one.rule.text]
    assert told.evidence.endswith("; 1 exception in cove")
    assert told.elsewhere == 1
    assert client.suggestions("reef")[-1].id == told.id, "what does not fit everywhere comes last"
    assert told.exceptions == [], "here it holds"


def test_the_files_of_a_server_beside_the_defaults_by_command(tmp_path: Path) -> None:
    for name, amber in (("defaults", 3), ("north", 30_000)):
        (tmp_path / name).mkdir()
        text = f"stall:\n  amber: {amber}\n  birch: 4\n  cedar: 5\n"
        (tmp_path / name / "stall.yml").write_text(text)
    drafted = zerrit("gamebook", "draft", "defaults", "--server-files", "north", cwd=tmp_path)
    (line,) = [line for line in drafted.out.splitlines() if "amber" in line]
    assert line.endswith("; 1 exception in north")
    assert drafted.out.count("exception") == 1
