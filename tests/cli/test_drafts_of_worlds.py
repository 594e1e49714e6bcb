"""What a draft guesses from the logs of programs that read the made-up games: each knows only its own words."""

from __future__ import annotations

import shutil
import signal
import subprocess
import sys
from pathlib import Path

import pytest

from tests.cli.command import zerrit
from tests.worlds import ROOT
from zerrit.core.gamebooks import read_gamebook
from zerrit.core.rules import GuessRule

#: In each world a file and what breaks it for its program.
BROKEN = {
    "cannery": ("scripts/settings.lua", "{"),
    "choir": ("evenings.toml", "["),
    "ferry": ("boats.cfg", "{"),
    "foundry": ("moulds.cfg", "{"),
    "lantern": ("", ""),
    "mill": ("mill.lua", "{"),
}


def log_of(files: Path, folder: Path, name: str) -> Path:
    """What the program of a world says of files, up to where it waits or gives up."""
    running = subprocess.Popen([sys.executable, str(ROOT / "programs.py"), str(files)])
    log = files / "logs/game.log"
    try:
        while running.poll() is None and not (log.exists() and log.read_text().endswith("all is read\n")):
            pass
    finally:
        running.send_signal(signal.SIGTERM)
        running.wait(10)
    return Path(shutil.move(log, folder / f"{name}.log"))


@pytest.mark.parametrize("name", [name for name, (path, _) in BROKEN.items() if path])
def test_the_words_of_a_program_are_found_in_its_logs(name: str, tmp_path: Path) -> None:
    path, sign = BROKEN[name]
    first, second, broken = (tmp_path / one for one in ("first", "second", "broken"))
    for folder, version in ((first, "1"), (second, "2"), (broken, "1")):
        shutil.copytree(ROOT / name / version, folder)
    at = (broken / path).read_text().index(sign)
    (broken / path).write_text((broken / path).read_text()[: at + len(sign)])
    good = [log_of(folder, tmp_path, folder.name).name for folder in (first, second)]
    failed = log_of(broken, tmp_path, "broken")
    assert "fault in" in failed.read_text()
    drafted = zerrit(
        *("gamebook", "draft", "first", "second", "--save-to", "book.yml"),
        *(word for log in good for word in ("--good-log", log)),
        *("--failed-log", failed.name),
        cwd=tmp_path,
    )
    assert drafted.code == 0, drafted.err
    book, faults = read_gamebook((tmp_path / "book.yml").read_bytes())
    assert book is not None, faults
    guessed = {one.at[-1]: one.content for one in book.rules.of(GuessRule)}
    assert guessed["ready_pattern"] == "all is read"
    assert guessed["log_patterns"] == "fault in"
