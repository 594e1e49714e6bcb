"""Figures, upgrades and replays as commands; plan files; figures of local folders without a service."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest

from tests.cli.command import Done, zerrit
from zerrit.demo.stack import defaults_zip, write_files
from zerrit.demo.world_files import default_files, gamebook, server_files

FINDS = "sea/finds.xml"
HOLDS = f"{FINDS}#shelf/find/@holds"


@pytest.fixture(scope="module")
def world(tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("figures")
    write_files(folder / "defaults", default_files())
    write_files(folder / "mine", server_files("coral-gate"))
    (folder / "fathomline.yml").write_bytes(gamebook())
    return folder


def test_the_balance_of_two_local_folders(world: Path) -> None:
    done = zerrit("figures", "balance", "mine", HOLDS, "--by", "family", "--before", "defaults", cwd=world)
    assert (done.code, done.err) == (1, "")
    rows = [line.split() for line in done.out.splitlines()]
    assert rows[0] == ["from", "defaults", "to", "mine:"]
    assert rows[2][:5] == ["float", "15", "528", "546", "+18"]
    assert rows[-1] == ["all", "399", "11596", "11614", "+18"]
    even = zerrit("figures", "balance", "defaults", HOLDS, "--output", "json", cwd=world)
    assert (even.code, even.data["total"]["delta"]) == (0, "0")


def test_the_odds_of_a_local_folder_come_with_bars(world: Path) -> None:
    done = zerrit("figures", "odds", "mine", "Deep Sweep", "--gamebook", "fathomline.yml", cwd=world)
    assert done.code == 0
    lines = done.out.splitlines()
    assert lines[0].startswith("Deep Sweep: chance of at least one")
    assert lines[2].startswith("Dark Rib") and " 80.2 %" in lines[2] and lines[2].rstrip().endswith("█▌")
    found = zerrit("figures", "odds", "mine", "--gamebook", "fathomline.yml", "--output", "json", cwd=world).data
    assert [one["table"] for one in found] == ["Harbour Sweep", "Deep Sweep"]


def test_derived_values_free_numbers_and_distances(world: Path) -> None:
    price = zerrit(
        "figures", "derived", "mine", "night price", "--gamebook", "fathomline.yml", "--amount", "0", cwd=world
    )
    assert (price.code, price.out.splitlines()[-1]) == (0, "28 values.")
    assert 'galley/house.json#prices/"Radish Plate"' in price.out
    free = zerrit("figures", "next", "mine", "sea/chart.xml#berth/@code", cwd=world)
    assert "CG-00       2  CG-03  none" in free.out
    far = zerrit("figures", "distance", "mine", "sea/chart.xml#ground", "--from", "0,0", "--radius", "450", cwd=world)
    assert far.code == 1
    assert far.out.count("within") == 3


@pytest.mark.parametrize(
    ("arguments", "code", "said"),
    [
        (("balance", "mine", f"{FINDS}#shelf/fnid/@holds"), 2, "Nothing is at"),
        (("balance", "mine", HOLDS, "--change", "1"), 2, "--change is for servers"),
        (("odds", "mine"), 2, "Give the gamebook of the folder with --gamebook"),
        (
            ("derived", "mine", "cost", "--gamebook", "fathomline.yml"),
            2,
            "derives no value called cost. It has: morning price, evening price, night price.",
        ),
        (
            ("derived", "mine", "night price", "--gamebook", "fathomline.yml", "--amount", "many"),
            2,
            "`many` is not a number",
        ),
        (("distance", "mine", "sea/chart.xml#ground", "--from", "0,x"), 2, "`x` is not a number"),
        (
            ("distance", "mine", "sea/chart.xml#ground", "--from", "1"),
            2,
            "The centre has 1 number, but there should be one for each of 2 axes",
        ),
        (("next", "mine", f"{FINDS}#shelf/find/@name"), 2, "has no family of numbered ids"),
    ],
)
def test_a_figure_that_cannot_be_worked_out_says_why(
    world: Path, arguments: tuple[str, ...], code: int, said: str
) -> None:
    done = zerrit("figures", *arguments, cwd=world)
    assert (done.code, done.out) == (code, "")
    assert said in done.err
    assert "Traceback" not in done.err


def test_a_plan_file_is_written_edited_and_followed(world: Path, tmp_path: Path) -> None:
    snippet = tmp_path / "snippet.ini"
    snippet.write_text("[World]\nDayLength=120\nSeason=Ice Water\n[Tide]\nHigh=6\n")
    plan, out = tmp_path / "plan.yml", tmp_path / "out.ini"
    target = str(world / "mine/station.ini")
    done = zerrit("merge", target, str(snippet), "--plan-to", str(plan), cwd=tmp_path)
    assert (done.code, out.exists()) == (0, False)
    assert "- entry: World/DayLength\n  do: combine\n  line: 2\n" in plan.read_text()
    plan.write_text(plan.read_text().replace("World/DayLength\n  do: combine", "World/DayLength\n  do: skip"))
    done = zerrit("merge", target, str(snippet), "--plan", str(plan), "--save-to", str(out), cwd=tmp_path)
    assert done.code == 0
    assert "× skip     World/DayLength" in done.out
    text = out.read_text()
    assert ("DayLength=96" in text, "Season=Ice Water" in text, "High=6" in text) == (True, True, True)
    for spoilt, said in (
        (
            "do: skip",
            "do: maybe",
        ),
        ("World/Season", "World/Saison"),
        ("actions:", "acts:"),
        ("actions:", "actions: ["),
    ):
        other = tmp_path / "spoilt.yml"
        other.write_text(plan.read_text().replace(spoilt, said, 1))
        wrong = zerrit("merge", target, str(snippet), "--plan", str(other), cwd=tmp_path)
        assert (wrong.code, "spoilt.yml" in wrong.err) == (2, True)


def test_an_upgrade_is_shown_decided_and_opened(run: Callable[..., Done], tmp_path: Path) -> None:
    (tmp_path / "next.zip").write_bytes(defaults_zip("2.2"))
    assert run("defaults", "lantern-shelf", "next.zip", "--label", "2.2").code == 0
    shown = run("upgrade", "lantern-shelf", "--from", "2.1", "--to", "2.2")
    assert shown.code == 0  # what this server changed, the vendor left alone
    assert "galley/recipes/oyster-tray.json is not shipped any more; it stays on the server." in shown.out
    assert "How fast the water clouds behind a crew" in shown.out
    told = run("upgrade", "lantern-shelf", "--from", "2.1", "--to", "2.2", "--details").out
    assert "station.ini, the vendor changed:" in told
    assert "◆ changed  station.ini#World/Chart" in told.partition("station.ini, changed here:")[2]
    opened = run("upgrade", "lantern-shelf", "--from", "2.1", "--to", "2.2", "--create", "To 2.2")
    assert "on lantern-shelf: To 2.2, 11 steps." in opened.out
    wrong = run("upgrade", "lantern-shelf", "--from", "2.1", "--to", "2.2", "--choose", "craft.xml#hull[Skiff]=mine")
    assert (wrong.code, "there is no such conflict; there is none at all" in wrong.err) == (2, True)


def test_a_change_is_replayed_from_the_command_line(run: Callable[..., Done]) -> None:
    done = run("change", "replay", "1", "lantern-shelf")
    assert done.code == 0
    assert "5. set    sea/happenings/icewater.xml#happening[Lantern Fall]/@runs   [set already]" in done.out
    assert "meaning.unknown-name" in done.out
    assert done.out.splitlines()[-1] == "Nothing was changed; --create creates a change on lantern-shelf."


def test_a_step_is_tried_from_the_command_line(run: Callable[..., Done]) -> None:
    place = f"{FINDS}#shelf[float]/find[*Cork Float]/@holds"
    done = run("change", "set", "1", place, "*1.5", "--dry-run")
    assert done.out.splitlines()[-1] == "3 places would change. Nothing was added to the change."
    wrong = run(
        "change",
        "copy-fields",
        "1",
        f"{FINDS}#shelf[float]/find[Small Cork Float]",
        "shelf[float]/find[Big*]",
        "--dry-run",
    )
    assert (wrong.code, "no find that fits [Big*]" in wrong.err) == (2, True)
