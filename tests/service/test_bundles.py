"""Bundles through the service: kept, looked into, installed, upgraded, switched, removed, the same set elsewhere."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from pathlib import Path

import pytest

from tests.quick import GAMEBOOK, Quick, quick_stack
from tests.zips import zipped
from zerrit import api
from zerrit.client import ProblemError

BOOK = f"""{GAMEBOOK}
bundles:
  - kind: lamp
    when_on: lamps/{{}}
    when_off: lamps-off/{{}}
    manifest: {{file: "lamps/{{}}/lamp.json", name: lamp, version: version, needs: needs, game: station}}
    settings: ["*.ini"]
    loaded: "read (?P<name>\\\\S+)"
  - kind: tide
    when_on: tides/{{}}.bin
    beside: ["tides/{{}}.sum"]
    listed: [tides/order.txt#tide]
"""
BOOK = BOOK.replace("packs/*.big", "tides/*.bin").replace(
    "  live/*.yml:", '  tides/order.txt: {slots: {tide: {pattern: "^{}"}}}\n  live/*.yml:', 1
)
SERVERS = ("reef", "bank")


def lamp(name: str, version: str, needs: str = "", bright: int = 5, **more: bytes) -> dict[str, bytes]:
    """The files of a bundle of the kind lamp, in a folder of its name."""
    card = f'{{"lamp": "{name}", "version": "{version}", "needs": [{needs}], "station": "1"}}\n'
    files = {"lamp.json": card.encode(), "bright.ini": f"; how bright\nBright={bright}\n".encode(), **more}
    return {f"{name}/{path}": data for path, data in files.items()}


@pytest.fixture
def quick(tmp_path: Path) -> Iterator[Quick]:
    with quick_stack(tmp_path, SERVERS) as running:
        running.zerrit.save_gamebook("quick", BOOK)
        for name in SERVERS:
            folder = running.game(name).folder
            (folder / "tides").mkdir()
            (folder / "tides/order.txt").write_text("ebb\n")
            (folder / "tides/ebb.bin").write_bytes(b"\x00ebb")
            (folder / "tides/ebb.sum").write_text("ebb 1\n")
            (folder / "lamps-off/fog").mkdir(parents=True)
            for path, data in lamp("fog", "1.0").items():
                (folder / "lamps-off" / path).write_bytes(data)
            running.add(name, "ftp")
        yield running


def _install(quick: Quick, files: Mapping[str, bytes], name: str, **more: object) -> api.InstallOut:
    kept = quick.zerrit.keep_bundle(name, files)
    given = api.InstallIn.model_validate({"bundle": kept.id, "create": True, **more})
    return quick.zerrit.install_bundle("reef", given)


def _deployed(quick: Quick, change: int | None) -> api.RunOut:
    assert change is not None
    run = quick.end_of(quick.zerrit.deploy(change))
    assert run.state == "deployed", run.outcome
    return run


def _states(quick: Quick, server: str = "reef") -> dict[str, tuple[str, str]]:
    return {one.name: (one.version, one.state) for one in quick.zerrit.server_bundles(server)}


def _without_own(files: dict[str, bytes]) -> dict[str, bytes]:
    return {path: data for path, data in files.items() if path != "station.ini"}


def test_a_bundle_is_kept_once_and_only_what_lacks_is_sent(quick: Quick) -> None:
    first = quick.zerrit.keep_bundle(
        "bell-1.2.zip", lamp("bell", "1.2"), origin="its page", programs=["bell/lamp.json"]
    )
    assert (first.name, first.version, first.files, first.origin) == ("bell", "1.2", 2, "its page")
    assert quick.zerrit.keep_bundle("again.zip", lamp("bell", "1.2")).id == first.id
    archived = quick.zerrit.save_archive("bell-1.3.zip", zipped(lamp("bell", "1.3")))
    assert [one.id for one in quick.zerrit.bundles()] == [archived.id, first.id]
    quick.zerrit.prune("reef")
    assert quick.zerrit.bundle_inventory(first.id, "reef").parts[0].manifest.version == "1.2"
    quick.zerrit.forget_bundle(first.id)
    with pytest.raises(ProblemError, match="There is no bundle"):
        quick.zerrit.bundle(first.id)


def test_installed_upgraded_with_edits_switched_removed_and_rolled_back_byte_for_byte(quick: Quick) -> None:
    before = quick.files()
    many = {f"parts/{number}.dat": b"\x00%d" % number for number in range(60)}
    first = _install(quick, lamp("bell", "1.2", **many), "bell-1.2.zip")
    assert (first.kind, first.name, first.old_version, len(first.new)) == ("lamp", "bell", None, 62)
    start = _deployed(quick, first.change)
    assert _states(quick)["bell"] == ("1.2", "on")

    edit = quick.zerrit.create_change("reef", "Brighter").id
    quick.zerrit.add_step(edit, api.StepIn(kind="set", address="lamps/bell/bright.ini#Bright", operation="=9"))
    _deployed(quick, edit)
    (bell,) = (one for one in quick.zerrit.server_bundles("reef") if one.name == "bell")
    assert bell.edited == ["lamps/bell/bright.ini"]

    fewer = {path: data for path, data in many.items() if path != "parts/7.dat"}
    newer = lamp("bell", "1.3", **fewer)
    newer["bell/bright.ini"] = b"; how bright\nBright=5\n; how long\nLong=3\n"
    upgraded = _install(quick, newer, "bell-1.3.zip")
    assert (upgraded.old_version, upgraded.version, upgraded.merged) == ("1.2", "1.3", ["lamps/bell/bright.ini"])
    assert upgraded.removed == ["lamps/bell/parts/7.dat"]
    assert [(one.address, one.comment) for one in upgraded.added] == [("lamps/bell/bright.ini#Long", "how long")]
    _deployed(quick, upgraded.change)
    now = quick.files()
    assert now["lamps/bell/bright.ini"] == b"; how bright\nBright=9\n; how long\nLong=3\n"
    assert "lamps/bell/parts/7.dat" not in now

    off = quick.zerrit.switch_bundle("reef", api.SwitchIn(name="bell", on=False, create=True))
    _deployed(quick, off.change)
    assert _states(quick)["bell"] == ("1.3", "off")
    removed = quick.zerrit.remove_bundle("reef", api.RemoveBundleIn(name="bell", create=True))
    _deployed(quick, removed.change)
    assert _without_own(quick.files()) == _without_own(before)

    back = quick.end_of(quick.zerrit.rollback("reef", start.after or 0))
    assert back.state == "done"
    assert {path: quick.files()[f"lamps/bell/{path}"] for path in many} == many


def test_a_conflict_is_decided_before_a_change_is_opened(quick: Quick) -> None:
    _deployed(quick, _install(quick, lamp("bell", "1.2"), "bell-1.2.zip").change)
    _deployed(quick, quick.change("lamps/bell/bright.ini#Bright=9"))
    kept = quick.zerrit.keep_bundle("bell-1.3.zip", lamp("bell", "1.3", bright=7))
    planned = quick.zerrit.install_bundle("reef", api.InstallIn(bundle=kept.id))
    assert [(one.base, one.mine, one.theirs) for one in planned.conflicts] == [("5", "9", "7")]
    with pytest.raises(ProblemError, match="1 conflict to be decided first"):
        quick.zerrit.install_bundle("reef", api.InstallIn(bundle=kept.id, create=True))
    done = quick.zerrit.install_bundle("reef", api.InstallIn(bundle=kept.id, create=True, rest="mine"))
    _deployed(quick, done.change)
    assert b"Bright=9" in quick.files()["lamps/bell/bright.ini"]


def test_switching_on_brings_what_it_needs_or_says_where_it_is(quick: Quick) -> None:
    _deployed(quick, _install(quick, lamp("bell", "1.2", '"fog", "gong"'), "bell-1.2.zip").change)
    _deployed(quick, quick.zerrit.switch_bundle("reef", api.SwitchIn(name="bell", on=False, create=True)).change)
    gong = quick.zerrit.keep_bundle("gong-1.zip", lamp("gong", "1"))
    found = quick.zerrit.switch_bundle("reef", api.SwitchIn(name="bell", on=True))
    assert found.needs_off == ["fog"]
    assert found.needs_missing == {"gong": f"bundle {gong.id}: gong-1.zip"}
    both = quick.zerrit.switch_bundle("reef", api.SwitchIn(name="bell", on=True, with_needed=True, create=True))
    assert both.bundles == ["fog", "bell"]
    _deployed(quick, both.change)
    assert {name: state for name, (_, state) in _states(quick).items()} == {"fog": "on", "bell": "on", "ebb": "on"}
    off = quick.zerrit.switch_bundle("reef", api.SwitchIn(name="fog", on=False))
    assert off.needed_by == ["bell"]


def test_a_watched_bundle_in_a_list_is_installed_and_the_same_set_comes_to_another_server(quick: Quick) -> None:
    planned = _install(quick, {"flood.bin": b"\x00flood", "flood.sum": b"flood 1\n"}, "flood.zip")
    assert [(step.kind, step.address) for step in planned.steps] == [
        ("put-file", "tides/flood.bin"),
        ("put-file", "tides/flood.sum"),
        ("add", "tides/order.txt"),
    ]
    _deployed(quick, planned.change)
    assert quick.files()["tides/order.txt"] == b"ebb\nflood\n"
    _deployed(quick, quick.zerrit.switch_bundle("reef", api.SwitchIn(name="fog", on=True, create=True)).change)

    same = quick.zerrit.same_bundles("bank", api.SameBundlesIn(server="reef", create=True))
    assert set(same.bundles) == {"flood", "fog"}
    _deployed(quick, same.change)
    files = {path: data for path, data in quick.files("reef").items() if path.startswith(("tides", "lamps"))}
    assert {path: data for path, data in quick.files("bank").items() if path.startswith(("tides", "lamps"))} == files
    with pytest.raises(ProblemError, match="on already, and no others"):
        quick.zerrit.same_bundles("bank", api.SameBundlesIn(server="reef", create=True))


def test_what_the_last_start_loaded_and_where_a_newer_version_is(quick: Quick) -> None:
    (quick.game("bank").folder / "lamps-off/fog/lamp.json").write_bytes(lamp("fog", "1.4")["fog/lamp.json"])
    quick.zerrit.fetch("bank")
    _deployed(quick, quick.zerrit.switch_bundle("reef", api.SwitchIn(name="fog", on=True, create=True)).change)
    (quick.game().folder / "sea/fog-1.0.yml").write_text("holds: 1\n")  # the game says that it read it
    quick.zerrit.fetch("reef")
    _deployed(quick, quick.change("live/bell.yml#volume=3", "sea/1.yml#holds=1"))
    kept = quick.zerrit.keep_bundle("fog-2.zip", lamp("fog", "2.0"))
    (fog,) = (one for one in quick.zerrit.server_bundles("reef") if one.name == "fog")
    assert (fog.is_loaded, fog.newer_on, fog.newer_kept, fog.newer_version) == (True, {"bank": "1.4"}, kept.id, "2.0")


def test_what_is_not_recognised_is_asked_once_and_remembered(quick: Quick) -> None:
    loose = {"thing.dat": b"\x00a", "notes.txt": b"x\n"}
    kept = quick.zerrit.keep_bundle("gadget-1.zip", loose)
    with pytest.raises(ProblemError, match=r"not clear where gadget-1\.zip goes"):
        quick.zerrit.install_bundle("reef", api.InstallIn(bundle=kept.id))
    first = quick.zerrit.install_bundle("reef", api.InstallIn(bundle=kept.id, to="gadgets/one", create=True))
    assert first.new == ["gadgets/one/thing.dat", "gadgets/one/notes.txt"]
    _deployed(quick, first.change)
    second = quick.zerrit.keep_bundle("gadget-2.zip", {**loose, "thing.dat": b"\x00b"})
    again = quick.zerrit.install_bundle("reef", api.InstallIn(bundle=second.id))
    assert again.replaced == ["gadgets/one/thing.dat"]


@pytest.mark.parametrize(
    ("archive", "why"),
    [
        (zipped({"../up.txt": b"x"}), "leaves the server's folder"),
        (zipped({"lamps/con.txt": b"x"}), "not a file name on every host"),
        (zipped({"a.txt": b"x", "A.TXT": b"y"}), "twice"),
        (b"PK\x03\x04 no", "neither a ZIP nor a TAR"),
        (zipped({}), "no file"),
    ],
)
def test_a_hostile_archive_is_refused_and_nothing_of_it_is_kept(quick: Quick, archive: bytes, why: str) -> None:
    with pytest.raises(ProblemError, match=why):
        quick.zerrit.save_archive("evil.zip", archive)
    assert quick.zerrit.bundles() == []


def test_a_bundle_with_a_content_that_was_not_sent_is_refused(quick: Quick) -> None:
    file = api.BundleFileIn(path="a.txt", digest="0" * 64)
    with pytest.raises(ProblemError, match=r"content of a\.txt was not sent"):
        quick.zerrit.save_bundle(api.BundleIn(file_name="x.zip", digest="1" * 64, files=[file]))
    twice = [file, api.BundleFileIn(path="A.txt", digest="0" * 64)]
    with pytest.raises(ProblemError, match="twice"):
        quick.zerrit.save_bundle(api.BundleIn(file_name="x.zip", digest="1" * 64, files=twice))


def test_a_chosen_part_goes_into_a_folder_without_its_own_and_the_newest_version_is_named(quick: Quick) -> None:
    two = {**lamp("bell", "1.2"), **lamp("gong", "2.0")}
    kept = quick.zerrit.keep_bundle("two.zip", {f"all/{path}": data for path, data in two.items()})
    part = quick.zerrit.install_bundle("reef", api.InstallIn(bundle=kept.id, part="gong", to="spare"))
    assert part.new == ["spare/lamp.json", "spare/bright.ini"]
    every = quick.zerrit.install_bundle("reef", api.InstallIn(bundle=kept.id, to="spare"))
    assert "spare/all/gong/lamp.json" in every.new
    quick.zerrit.keep_bundle("fog-1.5.zip", lamp("fog", "1.5"))
    newest = quick.zerrit.keep_bundle("fog-2.zip", lamp("fog", "2.0"))
    quick.zerrit.keep_bundle("fog-1.9.zip", lamp("fog", "1.9"))
    (fog,) = (one for one in quick.zerrit.server_bundles("reef") if one.name == "fog")
    assert (fog.newer_kept, fog.newer_version) == (newest.id, "2.0")
    assert not quick.zerrit.bundle_inventory(newest.id, "reef").refused
    server = quick.zerrit.server("reef")
    refuses = server.maintenance.model_copy(update={"refused_files": ["*.ini"]})
    quick.zerrit.change_server(
        api.ServerIn(
            id="reef", gamebook="quick", connection=server.connection, control=server.control, maintenance=refuses
        )
    )
    assert quick.zerrit.bundle_inventory(newest.id, "reef").refused == ["fog/bright.ini"]


def test_copied_bundles_come_in_the_order_in_which_they_need_each_other(quick: Quick) -> None:
    book = BOOK.replace(
        'beside: ["tides/{}.sum"]',
        'beside: ["tides/{}.sum"]\n    manifest: {file: "tides/{}.sum", needs: "needs {}"}',
    )
    quick.zerrit.save_gamebook("quick", book)
    folder = quick.game().folder / "tides"
    for name, text in (("aa", "needs bb\n"), ("bb", "needs cc\n"), ("cc", "cc 1\n")):
        (folder / f"{name}.bin").write_bytes(b"\x00" + name.encode())
        (folder / f"{name}.sum").write_text(text)
    (folder / "order.txt").write_text("ebb\ncc\nbb\naa\n")
    quick.zerrit.save_gamebook("quick", book.replace('watch: ["tides/*.bin", "worlds/**"]', "watch: []"))
    quick.zerrit.fetch("reef")
    same = quick.zerrit.same_bundles("bank", api.SameBundlesIn(server="reef", create=True))
    _deployed(quick, same.change)
    assert quick.files("bank")["tides/order.txt"] == b"ebb\ncc\nbb\naa\n"
