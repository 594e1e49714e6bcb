"""What an archive holds, where it goes, and the steps that install, upgrade, switch and remove, on an unknown game."""

from __future__ import annotations

import pytest

from tests.core.bundles.greenhouse import House, crate, tarred, zipped
from zerrit.core.bundles.installing import plan_install
from zerrit.core.bundles.manifest import name_and_version, newer
from zerrit.core.bundles.placement import kind_called, placed
from zerrit.core.bundles.switching import needed_by, steps_to_remove, steps_to_switch
from zerrit.core.errors import EditRefused

# The lists of beds of this test name them alike, so the start line has no sign before the name.
HOUSE = House(
    {**House().contents, "start.bat": b"@echo off\r\nhouse.exe -beds=fern;moss -port=7\r\n"},
)


def test_what_is_on_and_what_is_off_is_known_with_version_and_place() -> None:
    found = {one.name: (one.kind, one.state, one.manifest.version, one.place) for one in HOUSE.installed}
    assert found == {
        "mist": ("sprayer", "on", "3.2", None),
        "fog": ("sprayer", "off", "1.1", None),
        "fern": ("bed", "on", "1.0", 1),
        "moss": ("bed", "on", "2.1", 2),
    }
    assert HOUSE.called("fog").manifest.needs == ("mist",)
    assert HOUSE.called("fern").files == ("@fern/bed.lua", "@fern/water.ini", "keys/fern.key")
    assert HOUSE.called("fog").on_paths == ("sprayers/fog.crate",)


def test_one_that_only_some_lists_name_is_neither_on_nor_off() -> None:
    house = House({**HOUSE.contents, "house.json": b'{"watered": ["moss"]}'})
    fern = house.called("fern")
    assert (fern.state, fern.doubt) == ("unclear", "start.bat#beds names it, and house.json#watered does not")


@pytest.mark.parametrize(
    ("name", "wanted"),
    [
        ("lamp-pack-1.4.2.zip", ("lamp-pack", "1.4.2")),
        ("Lamps v2.tar.gz", ("Lamps", "2")),
        ("lamps_3.0-beta1.tgz", ("lamps", "3.0-beta1")),
        ("lamps.zip", ("lamps", "")),
        ("area51.zip", ("area51", "")),
        ("fern", ("fern", "")),
    ],
)
def test_name_and_version_of_a_file_name(name: str, wanted: tuple[str, str]) -> None:
    assert name_and_version(name) == wanted


@pytest.mark.parametrize(
    ("new", "old", "is_newer"),
    [
        ("1.10", "1.9", True),
        ("1.9", "1.10", False),
        ("2.0", "2", False),
        ("2.0", "2.0-beta", True),
        ("2.0-rc1", "2.0-beta", True),
        ("2.0a", "2.0", True),
        ("v1.2", "1.1", True),
        ("", "1", False),
        ("1", "", False),
    ],
)
def test_which_version_is_newer(new: str, old: str, is_newer: bool) -> None:
    assert newer(new, old) is is_newer


# --- looking ----------------------------------------------------------------------------------------------------------


def test_a_plugin_that_says_what_it_is_inside_its_packed_file() -> None:
    found = HOUSE.look(
        zipped({"drip.crate": crate("drip", "0.9", "mist, fog", "2"), "READ ME.txt": "Put it in."}), "drip.zip"
    )
    (part,) = found.parts
    assert (part.kind, part.name, dict(part.placement.files)) == (
        "sprayer",
        "drip",
        {"sprayers/drip.crate": "drip.crate"},
    )
    assert (part.manifest.version, part.manifest.needs, part.manifest.game) == ("0.9", ("mist", "fog"), "2")
    assert found.readme == ("READ ME.txt", "Put it in.")
    assert found.rest == ("READ ME.txt",)


@pytest.mark.parametrize("pack", [zipped, tarred])
@pytest.mark.parametrize("above", ["", "Rose Bed v2/", "pack/x/"])
def test_a_folder_is_recognised_wherever_it_is_in_the_archive(above: str, pack: object) -> None:
    files = {
        f"{above}@rose/bed.lua": 'name = "rose"\nversion = "1.2"\n',
        f"{above}@rose/water.ini": "Daily=1\n",
        f"{above}keys/rose.key": "k",
        f"{above}tools/fix.exe": "MZ",
    }
    found = HOUSE.look(pack(files), "roses.zip", ["*.exe"])  # type: ignore[operator]
    (part,) = found.parts
    assert (part.kind, part.name, part.manifest.version) == ("bed", "rose", "1.2")
    assert set(part.placement.files) == {"@rose/bed.lua", "@rose/water.ini", "keys/rose.key"}
    assert part.settings == ("@rose/water.ini",)
    assert found.programs == found.refused == (f"{above}tools/fix.exe",)


def test_several_bundles_in_one_archive_are_told_apart() -> None:
    archive = zipped(
        {f"all/{name}.crate": crate(name, "1") for name in ("a", "b", "c")} | {"all/@rose/bed.lua": 'name = "rose"\n'}
    )
    found = HOUSE.look(archive, "all.zip")
    assert {(part.kind, part.name) for part in found.parts} == {
        ("sprayer", "a"), ("sprayer", "b"), ("sprayer", "c"), ("bed", "rose"),
    }  # fmt: skip


def test_another_version_of_what_is_there_and_what_it_leaves_over() -> None:
    found = HOUSE.look(zipped({"@fern/bed.lua": 'name = "fern"\nversion = "1.5"\n'}), "fern-1.5.zip")
    (part,) = found.parts
    assert part.installed is not None
    assert part.installed.manifest.version == "1.0"
    assert part.left_over == ("@fern/water.ini", "keys/fern.key")
    assert part.collisions == ()


def test_loose_files_are_wrapped_with_a_manifest_from_the_template() -> None:
    rules = kind_called(HOUSE.gamebook.rules.bundles, "bed")
    placement = placed(rules, "lily", "", ["water.ini", "seeds.dat"], version="3")
    assert set(placement.files) == {"@lily/water.ini", "@lily/seeds.dat"}
    assert placement.made == {"@lily/bed.lua": 'name = "lily"\nversion = "3"\n'}


def test_what_no_gamebook_knows_is_said_to_be_unknown_or_goes_where_the_folders_are() -> None:
    nothing = HOUSE.look(zipped({"thing/a.dat": "x"}), "thing.zip")
    assert nothing.parts == ()
    alike = HOUSE.look(zipped({"up/keys/x.key": "k", "up/read me.md": "r"}), "up.zip")
    assert [dict(part.placement.files) for part in alike.parts] == [{"keys/x.key": "up/keys/x.key"}]


def test_without_a_gamebook_a_manifest_is_guessed_and_said_to_be() -> None:
    house = House(gamebook="gamebook: 1\ngame: other\n")
    found = house.look(zipped({"x/plugin.json": '{"name": "drip", "version": "2.0", "depends": ["mist"]}'}), "drip.zip")
    assert found.manifest is not None
    assert (found.manifest.name, found.manifest.version, found.manifest.needs) == ("drip", "2.0", ("mist",))
    assert found.manifest.is_guessed


# --- installing -------------------------------------------------------------------------------------------------------


def _install(house: House, archive: bytes, name: str, **more: object) -> tuple[House, object]:
    part = house.look(archive, name).parts[0]
    rules = kind_called(house.gamebook.rules.bundles, part.kind)
    digests = house.keep(archive)
    plan = plan_install(
        rules,
        part.placement,
        digests,
        house.sources,
        house.installed,
        needs=part.manifest.needs,
        **more,  # type: ignore[arg-type]
    )
    return (house.after(plan.steps) if not plan.conflicts else house), plan


def test_an_installed_bundle_is_in_every_list_behind_what_it_needs_and_before_what_needs_it() -> None:
    rose = zipped({"@rose/bed.lua": 'name = "rose"\nversion = "1"\nafter = "fern"\n', "keys/rose.key": "k"})
    house, _ = _install(HOUSE, rose, "rose.zip")
    assert house.called("rose").state == "on"
    assert house.contents["start.bat"] == b"@echo off\r\nhouse.exe -beds=fern;moss;rose -port=7\r\n"
    assert house.contents["house.json"].count(b'"rose"') == 1
    assert b'<plot bed="rose"/>' in house.contents["plots.xml"]
    assert house.contents["keys/rose.key"] == b"k"

    lacking = House({**HOUSE.contents, "@moss/bed.lua": b'name = "moss"\nversion = "2.1"\nafter = "rose"\n'})
    before, _ = _install(lacking, rose, "rose.zip")
    assert b"-beds=fern;rose;moss" in before.contents["start.bat"]
    assert before.contents["house.json"].index(b"rose") < before.contents["house.json"].index(b"moss")
    assert before.contents["plots.xml"].index(b"rose") < before.contents["plots.xml"].index(b"moss")


def test_an_order_that_cannot_be_is_said() -> None:
    house = House({**HOUSE.contents, "@fern/bed.lua": b'name = "fern"\nversion = "1"\nafter = "rose"\n'})
    with pytest.raises(
        EditRefused, match=r"rose needs moss, which is behind fern in start\.bat#beds; but fern needs rose"
    ):
        _install(house, zipped({"@rose/bed.lua": 'name = "rose"\nafter = "moss"\n'}), "rose.zip")


OLD = {
    "@fern/bed.lua": 'name = "fern"\nversion = "1.0"\n',
    "@fern/water.ini": "; litres a day\nDaily=2\nNight=1\n",
    "@fern/old.dat": "o",
}
NEW = {
    "@fern/bed.lua": 'name = "fern"\nversion = "1.5"\n',
    "@fern/water.ini": "; litres a day\nDaily=2\n; litres at noon\nNoon=3\n",
    "@fern/seed.dat": "s",
}


def _with_fern(water: str) -> House:
    contents = {path: data for path, data in HOUSE.contents.items() if not path.startswith("@fern")}
    return House({**contents, **{p: d.encode() for p, d in OLD.items()}, "@fern/water.ini": water.encode()})


def test_an_upgrade_keeps_the_edits_brings_new_keys_and_removes_what_came_and_goes() -> None:
    house = _with_fern("; litres a day\nDaily=7\nNight=1\n")
    digests = house.keep(zipped(OLD))
    after, plan = _install(house, zipped(NEW), "fern-1.5.zip", base=digests)
    assert after.contents["@fern/water.ini"].decode().splitlines() == [
        "; litres a day",
        "Daily=7",
        "; litres at noon",
        "Noon=3",
    ]
    assert "@fern/old.dat" not in after.contents
    assert after.contents["@fern/seed.dat"] == b"s"
    assert after.contents["keys/fern.key"] == b"fern-key\n", "it did not come with the old version"
    assert plan.left == {"keys/fern.key": "it did not come with the version that is installed"}  # type: ignore[attr-defined]
    assert [(one.address, one.value, one.comment) for one in plan.added] == [  # type: ignore[attr-defined]
        ("@fern/water.ini#Noon", "3", "litres at noon")
    ]
    assert [one.address for one in plan.dropped] == ["@fern/water.ini#Night"]  # type: ignore[attr-defined]


def test_where_both_changed_it_is_asked() -> None:
    house = _with_fern("; litres a day\nDaily=7\nNight=1\n")
    digests = house.keep(zipped(OLD))
    newer_water = zipped({**NEW, "@fern/water.ini": "; litres a day\nDaily=9\nNight=1\n"})
    _, plan = _install(house, newer_water, "fern-1.5.zip", base=digests)
    (conflict,) = plan.conflicts  # type: ignore[attr-defined]
    assert (conflict.address, conflict.base, conflict.mine, conflict.theirs) == ("@fern/water.ini#Daily", "2", "7", "9")
    after, _ = _install(house, newer_water, "fern-1.5.zip", base=digests, choices={"@fern/water.ini#Daily": "mine"})
    assert b"Daily=7" in after.contents["@fern/water.ini"]


def test_a_file_that_was_edited_is_not_removed_with_the_old_version() -> None:
    house = House({**_with_fern(OLD["@fern/water.ini"]).contents, "@fern/old.dat": b"mine"})
    after, plan = _install(house, zipped(NEW), "fern-1.5.zip", base=house.keep(zipped(OLD)))
    assert after.contents["@fern/old.dat"] == b"mine"
    assert plan.left["@fern/old.dat"] == "it was edited here"  # type: ignore[attr-defined]


def test_without_the_old_archive_settings_are_asked_about_and_nothing_is_removed() -> None:
    house = _with_fern("; litres a day\nDaily=7\n")
    _, plan = _install(house, zipped(NEW), "fern-1.5.zip")
    assert not plan.is_base_known  # type: ignore[attr-defined]
    assert [one.address for one in plan.conflicts] == ["@fern/water.ini#Daily"]  # type: ignore[attr-defined]
    assert plan.removed == ()  # type: ignore[attr-defined]
    assert "@fern/old.dat" in plan.left  # type: ignore[attr-defined]


def test_without_the_old_archive_what_only_one_of_both_has_is_kept_and_written() -> None:
    house = _with_fern("; litres a day\nDaily=2\nMine=1\n")
    after, plan = _install(house, zipped({**NEW, "@fern/water.ini": "Daily=2\nNoon=3\n"}), "fern-1.5.zip")
    written = after.contents["@fern/water.ini"]
    assert b"Noon=3" in written
    assert b"Mine=1" in written
    assert [merge.path for merge in plan.merges] == ["@fern/water.ini"]  # type: ignore[attr-defined]


def test_an_upgrade_of_what_is_off_stays_off() -> None:
    house, _ = _install(HOUSE, zipped({"fog.crate": crate("fog", "2.0", "mist")}), "fog.zip")
    assert (house.called("fog").state, house.called("fog").manifest.version) == ("off", "2.0")


# --- switching --------------------------------------------------------------------------------------------------------


def _switch(house: House, name: str, *, on: bool) -> House:
    bundle = house.called(name)
    rules = kind_called(house.gamebook.rules.bundles, bundle.kind)
    switched = steps_to_switch(rules, bundle, house.files.documents, house.gamebook.read, house.installed, on=on)
    return house.after(switched)


def test_off_and_on_again_gives_the_same_files() -> None:
    off = _switch(HOUSE, "mist", on=False)
    assert (off.called("mist").state, "store/mist.crate.off" in off.contents) == ("off", True)
    assert _switch(off, "mist", on=True).contents == HOUSE.contents

    away = _switch(HOUSE, "moss", on=False)
    assert away.called("moss").state == "off"
    assert b"moss" not in away.contents["start.bat"] + away.contents["house.json"] + away.contents["plots.xml"]
    again = _switch(away, "moss", on=True)
    assert again.called("moss").state == "on"
    assert again.contents["start.bat"] == HOUSE.contents["start.bat"]
    assert again.contents["house.json"] == HOUSE.contents["house.json"]


def test_what_needs_it_is_said() -> None:
    assert needed_by(HOUSE.called("fern"), HOUSE.installed) == ["moss"]


def test_a_kind_without_a_way_to_be_off_says_so() -> None:
    house = House({**HOUSE.contents, "pictures/sunset/a.png": b"\x89PNG\x00"})
    rules = kind_called(house.gamebook.rules.bundles, "picture")
    with pytest.raises(EditRefused, match="does not say where bundles of the kind picture are when they are off"):
        steps_to_switch(
            rules, house.called("sunset"), house.files.documents, house.gamebook.read, house.installed, on=False
        )


def test_removing_takes_all_that_belongs_to_it() -> None:
    bundle = HOUSE.called("fern")
    rules = kind_called(HOUSE.gamebook.rules.bundles, "bed")
    after = HOUSE.after(steps_to_remove(rules, bundle, HOUSE.files.documents))
    assert not [path for path in after.contents if "fern" in path]
    assert b"fern" not in after.contents["start.bat"] + after.contents["house.json"] + after.contents["plots.xml"]


def test_a_list_that_is_empty_is_not_guessed_at() -> None:
    house = House({**HOUSE.contents, "plots.xml": b"<plots/>\n"})
    with pytest.raises(EditRefused, match=r"plots\.xml#plot/@bed is empty or not there"):
        _install(house, zipped({"@rose/bed.lua": 'name = "rose"\n'}), "rose.zip")
