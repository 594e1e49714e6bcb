"""The steps of docs/guide.md, one after the other, on a game that is not the demo and that commands stop and start."""

from __future__ import annotations

import contextlib
import os
import re
import shutil
import signal
import sys
from collections.abc import Iterator
from pathlib import Path

import pytest

from tests.cli.command import Done, zerrit
from tests.quick import ADMIN, PASSWORD, running_service
from tests.worlds import ROOT as WORLDS

GUIDE = Path(__file__).parents[2] / "docs" / "guide.md"
#: A game that reads one file when it starts, says that it is ready, and dies of a value that it does not like.
GAME = """
import os, pathlib, re, signal, subprocess, sys, time
folder, act = pathlib.Path(sys.argv[1]), sys.argv[2]
pid = folder.parent / "pid"
def alive():
    try:
        os.kill(int(pid.read_text()), 0)
    except (OSError, ValueError):
        return False
    return pathlib.Path(f"/proc/{pid.read_text()}/stat").read_text().split(") ")[1][0] != "Z"
if act == "state":
    sys.exit(0 if alive() else 3)
if act == "stop":
    os.kill(int(pid.read_text()), signal.SIGTERM)
if act == "start":
    game = subprocess.Popen([sys.executable, __file__, str(folder), "run"], start_new_session=True,
                            stdin=subprocess.DEVNULL, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    pid.write_text(str(game.pid))
if act == "run":
    (folder / "logs").mkdir(exist_ok=True)
    with (folder / "logs/game.log").open("a") as log:
        if 'jars="9..9"' in (folder / "glazes.xml").read_text():
            (folder / "crash.txt").write_text("too many jars")
            log.write("ERROR too many jars\\n")
            sys.exit(1)
        log.write("server is ready\\n")
    signal.signal(signal.SIGTERM, lambda *_: sys.exit(0))
    while True:
        time.sleep(0.05)
"""
MORE = """
trouble:
  log: logs/game.log
  ready_pattern: "server is ready"
  log_patterns: ["(?i)\\\\berror\\\\b"]
  crash_files: ["crash*.txt"]
ignore: ["logs/**", "crash*.txt"]
"""


class Guide:
    """A person with the guide: the folder they work in, and the commands that they type."""

    def __init__(self, folder: Path, url: str) -> None:
        self.folder, self.url = folder, url
        self.game, self.defaults = folder / "server" / "game", folder / "DEFAULTS"
        shutil.copytree(WORLDS / "pottery" / "1", self.defaults)
        shutil.copytree(self.defaults, self.game)
        (folder / "game.py").write_text(GAME)
        words = [sys.executable, str(folder / "game.py"), str(self.game)]
        (folder / "commands.yml").write_text("".join(f"{act}: {[*words, act]}\n" for act in ("state", "stop", "start")))

    def __call__(self, *words: str, code: int = 0, stdin: str = "") -> str:
        done: Done = zerrit(*words, cwd=self.folder, stdin=stdin, ZERRIT_PASSWORD=PASSWORD)
        assert done.code == code, f"zerrit {' '.join(words)}\n{done.out}{done.err}"
        return done.out + done.err

    def jars_of(self, name: str) -> str:
        found = re.search(rf'id="{name}".*?jars="(.*?)"', (self.game / "glazes.xml").read_text())
        assert found is not None
        return found[1]

    def end(self) -> None:
        with contextlib.suppress(OSError):
            os.kill(int((self.game.parent / "pid").read_text()), signal.SIGKILL)


@pytest.fixture
def guide(tmp_path: Path) -> Iterator[Guide]:
    with running_service(tmp_path / "data", patience=10) as (url, _):
        person = Guide(tmp_path / "work", url)
        yield person
        person.end()


def test_a_first_server_from_nothing_to_a_deploy_and_back(guide: Guide) -> None:
    zerrit_ = guide
    zerrit_("sign-in", "--url", guide.url, "--name", ADMIN)
    zerrit_("gamebook", "draft", "DEFAULTS", "--save-to", "my-game.yml")
    book = guide.folder / "my-game.yml"
    book.write_text(re.sub(r"^drafted: .*\n", "", book.read_text(), flags=re.MULTILINE) + MORE)
    assert "0 findings" in zerrit_("check", "DEFAULTS", "--gamebook", "my-game.yml")
    zerrit_("gamebook", "save", "my-game", "my-game.yml")
    added = ("server", "add", "my-server", "--title", "My server", "--gamebook", "my-game", "--folder", str(guide.game))
    assert "Now fetch its files" in zerrit_(*added, "--commands", "commands.yml")
    assert "Snapshot 1 of my-server: 3 files." in zerrit_("fetch", "my-server")
    zerrit_("defaults", "my-server", "DEFAULTS", "--label", "1.0")
    assert "3 as shipped" in zerrit_("files", "my-server")
    assert "0 findings" in zerrit_("check", "my-server:")
    zerrit_("restart", "my-server", "--yes")

    zerrit_("change", "create", "my-server", "More jars")
    assert "1..4 -> 1..6" in zerrit_("change", "set", "1", "glazes.xml#glaze[Ash]/@jars", "+2")
    assert "Nothing blocks this change." in zerrit_("change", "check", "1")
    assert "upper end +2" in zerrit_("change", "compare", "1")
    assert "deployed. 1 file written and read back; the game is up." in zerrit_("change", "deploy", "1", "--yes")
    assert guide.jars_of("Ash") == "1..6"

    zerrit_("change", "create", "my-server", "A slip")
    zerrit_("change", "set", "2", "glazes.xml#glaze[Ash]/@soak", "=40 mim")
    assert "Did you mean 'min'?" in zerrit_("change", "check", "2", code=1)
    assert "is blocked" in zerrit_("change", "deploy", "2", "--yes", code=1)
    zerrit_("change", "withdraw", "2")

    assert "rollback" in zerrit_("rollback", "my-server", "1", "--yes") + zerrit_("timeline", "my-server")
    assert guide.jars_of("Ash") == "1..4"


def test_a_start_that_fails_puts_the_old_files_back_by_itself(guide: Guide) -> None:
    zerrit_ = guide
    zerrit_("sign-in", "--url", guide.url, "--name", ADMIN)
    (guide.folder / "my-game.yml").write_text(f"gamebook: 1\ngame: pottery\nfiles: {{glazes.xml: {{}}}}\n{MORE}")
    zerrit_("gamebook", "save", "my-game", "my-game.yml")
    zerrit_(
        "server", "add", "my-server", "--gamebook", "my-game", "--folder", str(guide.game), "--commands", "commands.yml"
    )
    zerrit_("fetch", "my-server")
    zerrit_("restart", "my-server", "--yes")
    zerrit_("change", "create", "my-server", "Far too many jars")
    zerrit_("change", "set", "1", "glazes.xml#glaze[Ash]/@jars", "=9..9")
    said = zerrit_("change", "deploy", "1", "--yes", code=1)
    assert "failed: rolled back" in said
    assert "too many jars" in said
    assert guide.jars_of("Ash") == "1..4"
    assert "crash.txt" in zerrit_("run", "evidence", "2")


def test_the_guide_names_only_commands_that_exist() -> None:
    typed = re.findall(r"^zerrit ((?:[a-z-]+ )*[a-z-]+)", GUIDE.read_text(), re.MULTILINE)
    assert len(typed) > 15
    for words in typed:
        path = words.split()[: 2 if words.split()[0] in ("server", "gamebook", "change", "schedule", "run") else 1]
        done = zerrit(*path, "--help", cwd=GUIDE.parent)
        assert done.code == 0, words
