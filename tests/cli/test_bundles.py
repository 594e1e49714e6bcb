"""Bundles and packed folders from the terminal, each command as a process against the demo."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from pathlib import Path

import pytest

from tests.cli.command import Done, signed_in, zerrit
from tests.files import files_of
from zerrit.client import Client
from zerrit.demo.downloads import downloads
from zerrit.demo.stack import ADMIN, PASSWORD, DemoStack

Run = Callable[..., Done]


@pytest.fixture(scope="module")
def demo(tmp_path_factory: pytest.TempPathFactory) -> Iterator[tuple[DemoStack, Client]]:
    """A demo of its own, since what is installed stays."""
    with DemoStack(tmp_path_factory.mktemp("bundles") / "demo", settle=0.3) as running:
        running.seed()
        with running.client() as client:
            yield running, client


@pytest.fixture
def run(demo: tuple[DemoStack, Client], tmp_path: Path) -> Run:
    for name, archive in downloads().items():
        (tmp_path / name).write_bytes(archive)
    return signed_in(demo[0].url, demo[1].token(ADMIN, PASSWORD).token, tmp_path)


@pytest.mark.parametrize(
    ("archive", "code", "texts"),
    [
        (
            "wreck-atlas-3.0.0.zip",
            0,
            (
                "801 files",
                "add-in wreck-atlas  (Wreck Atlas) 3.0.0",
                "goes to: addins/wreck-atlas/ (800 files)",
                "needs: wreckmarks",
                "Programs in it: wreck-atlas/tools/plate-viewer.exe, wreck-atlas/tools/install.exe",
                "Put the folder wreck-atlas into addins.",
            ),
        ),
        (
            "ship-parts-1.2.tar.gz",
            0,
            ("add-in part-keel", "add-in part-winch", "Belongs to no bundle: ship-parts/about.txt"),
        ),
        ("kelp-songs-0.9.zip", 0, ("made for version 3.0 of the game; the newest defaults of the server are 2.1",)),
        ("harbour-pack-2.zip", 0, ("add-in crane", "Archives in it: harbour-pack/quay.zip")),
        ("tidebell-1.5.0.zip", 0, ("1.4.2 is on the server now (on)",)),
        ("storm-settings.zip", 0, ("No bundle was recognised in it",)),
        ("slipway-1.0.zip", 2, ("`../../launch.sh` leaves the server's folder",)),
    ],
)
def test_an_archive_is_looked_into_beside_a_server(run: Run, archive: str, code: int, texts: tuple[str, ...]) -> None:
    done = run("bundle", "look", archive, "--server", "coral-gate")
    assert done.code == code, done.err
    for text in texts:
        assert text in done.out + done.err


def test_a_look_needs_no_service_and_gives_json(tmp_path: Path) -> None:
    (tmp_path / "tidebell-1.5.0.zip").write_bytes(downloads()["tidebell-1.5.0.zip"])
    book = Path(__file__).parents[2] / "src/zerrit/demo/fathomline.yml"
    found = zerrit("bundle", "look", "tidebell-1.5.0.zip", "--gamebook", str(book), "--output", "json", cwd=tmp_path)
    assert found.code == 0, found.err
    (part,) = found.data["parts"]
    assert (part["kind"], part["name"], part["manifest"]["version"]) == ("add-in", "tidebell", "1.5.0")


def test_the_way_of_an_add_in_from_its_archive_to_a_rollback(run: Run, demo: tuple[DemoStack, Client]) -> None:
    host = demo[0].host_folder / "coral-gate"
    before = {path: data for path, data in files_of(host).items() if not path.startswith(("station.ini", "logs"))}
    kept = run("bundle", "keep", "tidebell-1.4.2.zip", "--origin", "the author's page")
    assert "tidebell-1.4.2.zip, tidebell 1.4.2, 3 files" in kept.out
    assert "the author's page" in run("bundle", "list").out
    assert "1 edited" in run("bundle", "list", "coral-gate").out

    asked = run("bundle", "install", "coral-gate", "tidebell-1.5.0.zip")
    assert asked.code == 1
    assert "addins/tidebell/settings.yml#settings/volume  0.7         0.5   0.8" in asked.out
    assert "new setting: addins/tidebell/settings.yml#settings/twice_at_low_water = true" in asked.out
    assert "no longer a setting: addins/tidebell/settings.yml#settings/ring_for_restart = true" in asked.out
    wrong = run("bundle", "install", "coral-gate", "tidebell-1.5.0.zip", "--choose", "x=mine")
    assert (wrong.code, "there is no such conflict" in wrong.err) == (2, True)
    upgraded = run("bundle", "install", "coral-gate", "tidebell-1.5.0.zip", "--rest", "mine")
    assert upgraded.code == 0, upgraded.out + upgraded.err
    change = upgraded.out.rpartition("zerrit change show ")[2].strip()
    assert "deployed." in run("change", "deploy", change, "--yes").out
    text = (host / "addins/tidebell/settings.yml").read_text()
    assert "volume: 0.5" in text
    assert "twice_at_low_water: true" in text

    lacking = run("bundle", "switch-on", "coral-gate", "nightbell")
    assert (lacking.code, "needs fogsignal, which is there and off" in lacking.out) == (1, True)
    both = run("bundle", "switch-on", "coral-gate", "nightbell", "--with-needed")
    assert "Switch on fogsignal, nightbell on coral-gate" in both.out
    switched = both.out.rpartition("zerrit change show ")[2].strip()
    deployed = run("change", "deploy", switched, "--yes")
    assert deployed.code == 0, deployed.out + deployed.err
    assert (host / "addins/nightbell/card.yml").exists()
    assert not (host / "shelved/nightbell").exists()

    needed = run("bundle", "switch-off", "coral-gate", "deepsong", "--dry-run")
    assert "surveyor-kit is on and needs it" in needed.out
    assert "remove launch.sh#mod[deepsong]" in needed.out
    first = demo[1].snapshots("coral-gate")[-1]
    oldest = min(one.id for one in demo[1].snapshots("coral-gate") if one.kind == "server")
    assert first is not None
    back = run("rollback", "coral-gate", str(oldest), "--yes")
    assert back.code == 0, back.out + back.err
    after = {path: data for path, data in files_of(host).items() if not path.startswith(("station.ini", "logs"))}
    assert after == before


def test_a_part_of_several_and_files_into_a_folder(run: Run, demo: tuple[DemoStack, Client]) -> None:
    several = run("bundle", "install", "coral-gate", "ship-parts-1.2.tar.gz", "--dry-run")
    assert (several.code, "It holds 7 bundles. Choose one." in several.err) == (2, True), several.err
    part = run("bundle", "install", "coral-gate", "ship-parts-1.2.tar.gz", "--part", "part-keel", "--dry-run")
    assert "put-folder addins/part-keel 2 files" in part.out
    inner = run("bundle", "install", "coral-gate", "harbour-pack-2.zip", "--part", "ferry", "--dry-run")
    assert "put-folder addins/ferry 2 files" in inner.out
    loose = run("bundle", "install", "coral-gate", "storm-settings.zip", "--to", "stormy", "--dry-run")
    assert "Install files into stormy on coral-gate: 2 new files" in loose.out
    assert "stormy/happenings/highwater.xml" in loose.out
    over = run(
        "bundle", "install", "coral-gate", "storm-settings.zip", "--to", "sea/happenings", "--strip-top", "--dry-run"
    )
    assert (over.code, "sea/happenings/highwater.xml#happening[" in over.out) == (1, True), (
        "what differs is asked about"
    )
    none = run("bundle", "install", "coral-gate", "nowhere.zip")
    assert (none.code, "neither a file or folder here nor the number" in none.err) == (2, True)
    same = run("bundle", "same-as", "lantern-shelf", "coral-gate", "--dry-run")
    assert same.code == 0


def test_files_are_saved_as_they_are_stored(run: Run, tmp_path: Path) -> None:
    got = run("files", "get", "lantern-shelf", "craft.xml", "--save-to", "mine.xml")
    assert got.code == 0, got.err
    assert (tmp_path / "mine.xml").read_bytes().startswith(b"<?xml")
    folder = run("files", "get", "lantern-shelf", "galley/recipes")
    assert folder.out.startswith("recipes.zip: "), folder.err
    assert "craft.xml" in run("files", "lantern-shelf").out
    missing = run("files", "get", "lantern-shelf", "craf.xml")
    assert (missing.code, "Did you mean 'craft.xml'?" in missing.err) == (2, True), missing.err
    watched = run("files", "get", "lantern-shelf", "mods/deepsong.pak")
    assert "mods/deepsong.pak is only watched, so its content is not kept" in watched.err


def test_how_one_is_loaded_again_is_said_where_the_gamebook_does(demo: tuple[DemoStack, Client], run: Run) -> None:
    zerrit = demo[1]
    known = zerrit.gamebook_overview("coral-gate").text
    zerrit.save_gamebook(
        "fathomline", known.replace("  - kind: add-in\n", "  - kind: add-in\n    reload: load {} again\n")
    )
    listed = run("bundle", "list", "coral-gate").out
    assert "reload with: load hullwatch again" in listed
    assert "load fogsignal again" not in listed, "it is off"
    zerrit.save_gamebook("fathomline", known)
