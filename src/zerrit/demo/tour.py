"""
The main job from beginning to end, without a person: `make tour`.

Every step is a real command, run as a process of its own against a fresh demo, and printed with what it answers.
A command that ends otherwise than it should ends the tour with exit code 1.
"""

from __future__ import annotations

import os
import shlex
import subprocess
import sys
import tempfile
from collections.abc import Callable, Mapping, Sequence
from pathlib import Path
from typing import Final

from zerrit.demo import world_files
from zerrit.demo.stack import ADMIN, HOST_PASSWORD, PASSWORD, DemoStack, write_files
from zerrit.web import configure_log

SHOWN_LINES: Final = 22
FINDS: Final = "sea/finds.xml#shelf"
GIMBAL: Final = f"{FINDS}[brass]/find[Copper Gimbal]"


#: Runs one command, given its arguments and its environment: its exit code, and what it printed.
Command = Callable[[Sequence[str], Mapping[str, str]], tuple[int, str]]


def as_process(arguments: Sequence[str], environment: Mapping[str, str]) -> tuple[int, str]:
    """Run a command as people do."""
    done = subprocess.run(  # noqa: S603 (our own command)
        [sys.executable, "-m", "zerrit", *arguments],
        capture_output=True,
        text=True,
        env=environment,
        timeout=180,
        check=False,
    )
    return done.returncode, done.stdout + done.stderr


class Tour:
    def __init__(self, stack: DemoStack, folder: Path, command: Command) -> None:
        self.stack = stack
        self.command = command
        self.folder = folder
        self.environment = os.environ | {
            "ZERRIT_CONFIG": str(folder / "config"),
            "ZERRIT_URL": stack.url,
            "COLUMNS": "150",
        }

    def say(self, text: str) -> None:
        print(f"\n# {text}", flush=True)

    def run(self, *arguments: str, ends: int = 0, must_say: str = "", secret: dict[str, str] | None = None) -> str:
        """Run one command; end the tour when it ends otherwise or does not say what it must."""
        shown = [f"{name}=…" for name in secret or {}] + [
            "zerrit",
            *(shlex.quote(a).replace(str(self.folder), "…") for a in arguments),
        ]
        print(f"\n$ {' '.join(shown)}", flush=True)
        code, printed = self.command(arguments, self.environment | (secret or {}))
        text = printed.replace(str(self.folder), "…")
        lines = text.splitlines()
        for line in lines[:SHOWN_LINES]:
            print(f"  {line.rstrip()}", flush=True)
        if len(lines) > SHOWN_LINES:
            print(f"  … {len(lines) - SHOWN_LINES} more lines", flush=True)
        if code != ends or must_say not in text:
            sys.exit(f"tour: this should have ended with {ends} and said {must_say!r}; it ended with {code}\n{text}")
        return text


def tour(stack: DemoStack, folder: Path, command: Command = as_process) -> None:
    """The story, step by step."""
    here = Tour(stack, folder, command)
    files = _prepare(folder)
    _add_server(here, files)
    _describe(here, files)
    for chapter in (_check, _compare, _deploy, _break, _roll_back):
        chapter(here)
    print("\nThe tour is over: the game runs with the files of snapshot 1.", flush=True)


def _add_server(here: Tour, files: Path) -> None:
    here.say("1. Add a server: its connection, its control, its gamebook. Its files are fetched and stored.")
    here.run("sign-in", "--url", here.stack.url, "--name", ADMIN, secret={"ZERRIT_PASSWORD": PASSWORD})
    here.run("gamebook", "save", "fathomline", str(files / "fathomline.yml"))
    here.run(
        "server",
        "add",
        "coral-gate",
        "--title",
        "Coral Gate",
        "--gamebook",
        "fathomline",
        "--ftp",
        f"127.0.0.1:{here.stack.host.ftp_port}",
        "--user",
        "coral-gate",
        "--control",
        f"http://127.0.0.1:{here.stack.host.control_port}/coral-gate",
        secret={"ZERRIT_CONNECTION_PASSWORD": HOST_PASSWORD, "ZERRIT_CONTROL_TOKEN": HOST_PASSWORD},
    )
    here.run("fetch", "coral-gate", must_say="Snapshot 1")
    here.run("defaults", "coral-gate", str(files / "defaults"), "--label", world_files.VERSION, must_say="Defaults 2.1")
    here.run("files", "coral-gate", must_say="changed")


def _describe(here: Tour, files: Path) -> None:
    here.say("2. Find the entry that matters, then describe the change. Nothing happens on the server yet.")
    here.run("show", "coral-gate:sea/finds.xml#shelf[brass]/find[Copper Gimbal]", must_say="Ribbonweed Flats")
    here.run(
        "show",
        "coral-gate:sea/finds.xml#shelf[brass]/find[Copper Gimball]",
        ends=2,
        must_say="Nearest: shelf[brass]/find[Copper Gimbal]",
    )
    here.run("change", "create", "coral-gate", "Wet evenings: fewer gimbals, two pump circuits", must_say="Change 1")
    here.run("change", "set", "1", f"{GIMBAL}/@holds", "-10", must_say="12..40 -> 12..30")
    here.run("change", "set", "1", f"{GIMBAL}/@returns", "*2", must_say="3 tides -> 6 tides")
    here.run(
        "change",
        "set",
        "1",
        f"{FINDS}[float]/find[*Cork Float]/@holds",
        "+5",
        must_say="find[Great Cork Float]",
    )
    here.run(
        "change",
        "add",
        "1",
        f"{FINDS}[brass]",
        "find",
        "name=Slate Gimbal",
        "ground=Ribbonwed Flats",
        "holds=2..8",
        "returns=6 tides",
        "heft=1.9 kg",
        "worth=60",
        must_say="find[Slate Gimbal]",
    )
    here.run(
        "change", "set", "1", "sea/happenings/icewater.xml#happening[Lantern Fall]/@runs", "on", must_say="no -> yes"
    )
    here.run("change", "merge", "1", "station.ini", str(files / "pump-circuits.txt"), must_say="Circuit Wet Lab")


def _check(here: Tour) -> None:
    here.say("3. Check. A slip in the name of a ground is found, with its place and the nearest right name; it blocks.")
    here.run("change", "check", "1", ends=1, must_say="Did you mean 'Ribbonweed Flats'?")
    here.run("change", "deploy", "1", "--yes", ends=1, must_say="blocked")
    here.run("change", "set", "1", f"{FINDS}[brass]/find[Slate Gimbal]/@ground", "=Ribbonweed Flats")
    here.run("change", "check", "1", must_say="Change 1 is checked")


def _compare(here: Tour) -> None:
    here.say(
        "4. Look at the difference: against what runs now, and against the game's defaults; by entry, and as text."
    )
    here.run("change", "compare", "1", "--against", "live", must_say="find[Slate Gimbal]")
    here.run("change", "compare", "1", "--against", "defaults", must_say="FindRate")
    here.run("change", "compare", "1", "--against", "live", "--output", "text", must_say="+[Circuit Wet Lab]")


def _deploy(here: Tour) -> None:
    here.say("5. Deploy: stop, read again, snapshot, write, read back, start, watch.")
    here.run("change", "deploy", "1", "--yes", must_say="deployed")


def _break(here: Tour) -> None:
    here.say(
        "6. A second change passes the check, but the game goes down at its start. Zerrit rolls back automatically."
    )
    here.run("change", "create", "coral-gate", "Stronger pumps everywhere", must_say="Change 2")
    here.run("change", "set", "2", "station.ini#Circuit */Rating", "+6")
    here.run("change", "check", "2", must_say="Change 2 is checked")
    here.run("change", "deploy", "2", "--yes", ends=1, must_say="byte for byte")
    here.run("change", "show", "2", must_say="breaker tripped")


def _roll_back(here: Tour) -> None:
    here.say("7. Roll the server back to its very first snapshot, manually.")
    here.run("timeline", "coral-gate", must_say="rolled back")
    here.run("rollback", "coral-gate", "1", "--yes", must_say="done")
    here.run("fetch", "coral-gate")


def _prepare(folder: Path) -> Path:
    files = folder / "files"
    write_files(
        files,
        {
            "fathomline.yml": world_files.gamebook(),
            "pump-circuits.txt": world_files.snippet("pump-circuits.txt").encode(),
        },
    )
    write_files(files / "defaults", world_files.default_files())
    return files


def main() -> None:
    """Run the tour from the command line."""
    configure_log(as_json=False, least="warning")
    with tempfile.TemporaryDirectory(prefix="zerrit-tour-") as name:
        folder = Path(name)
        with DemoStack(folder / "demo", settle=1.0) as stack:
            tour(stack, folder)


if __name__ == "__main__":
    main()
