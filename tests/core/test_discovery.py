"""What the files of an unknown game look like."""

from __future__ import annotations

import pytest

from zerrit.core.discovery import SeenFile, Sort, discover, sort_of


@pytest.mark.parametrize(
    ("path", "sort"),
    [
        ("rules.ini", Sort.SETTINGS),
        ("mods/a/settings.YML", Sort.SETTINGS),
        ("start_hives.sh", Sort.SCRIPT),
        ("Run Server.bat", Sort.SCRIPT),
        ("logs/today.txt", Sort.LOG),
        ("hive.log", Sort.LOG),
        ("hive.log.3", Sort.LOG),
        ("server-console.txt", Sort.LOG),
        ("catalog.txt", Sort.OTHER),
        ("dialog.xml", Sort.SETTINGS),
        ("crash-2/stack.txt", Sort.CRASH),
        ("a.dmp", Sort.CRASH),
        ("core.4711", Sort.CRASH),
        ("core.js", Sort.OTHER),
        ("honey.sqlite", Sort.DATABASE),
        ("bees.pak", Sort.OTHER),
    ],
)
def test_a_file_is_taken_for_what_it_looks_like(path: str, sort: Sort) -> None:
    assert sort_of(path) is sort


def test_the_likely_folder_of_the_game_has_a_start_script_and_most_settings() -> None:
    paths = [
        "readme.txt",
        "tools/start.sh",
        "tools/a.ini",
        "hive/launch.bat",
        "hive/a.ini",
        "hive/b/c.xml",
        "hive/d.json",
    ]
    found = discover([SeenFile(path, 1) for path in paths], ["hive/Logs", "hive/CrashDumps"])
    assert found.roots == ("hive", "tools")
    assert (found.log_folders, found.crash_folders) == (("hive/Logs",), ("hive/CrashDumps",))
    assert found.counts[Sort.SETTINGS] == 4
    assert found.named[Sort.SCRIPT] == ("hive/launch.bat", "tools/start.sh")


def test_a_script_that_starts_nothing_makes_no_root() -> None:
    assert discover([SeenFile("clean.sh", 1), SeenFile("a.ini", 1)]).roots == ()
    assert discover([SeenFile("start.sh", 1), SeenFile("a.ini", 1)]).roots == ("",)


def test_only_some_of_very_many_are_named_and_all_are_counted() -> None:
    found = discover(SeenFile(f"n{number}.ini", 1) for number in range(1000))
    assert (found.counts[Sort.SETTINGS], len(found.named[Sort.SETTINGS])) == (1000, 40)
