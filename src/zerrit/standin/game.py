"""
The made-up game as a process: `python -m zerrit.standin.game FOLDER`.

With `--dies-after SECONDS` it goes down automatically after it was ready, with `--silent` it never says that it is ready,
with `--noise LINES` its log fills up at the start. SIGHUP makes it read the files again that it can read while it runs.

It reads its files with readers of its own, never with Zerrit's, so that Zerrit cannot agree with itself. At a
broken file it writes a crash file and ends with 1. When it is told to stop (SIGTERM) it writes `station.ini` back
from what it read at its start, as many games do; whoever edited the file in the meantime loses the edit.
"""

from __future__ import annotations

import argparse
import json
import os
import re
import signal
import sys
import threading
import time
import traceback
from collections.abc import Iterator
from datetime import UTC, datetime
from pathlib import Path
from typing import Final
from xml.etree import ElementTree

import yaml

_RATING: Final = re.compile(r"^Rating=(\d+)", re.MULTILINE)


class Trip(Exception):
    """The station cannot start."""


class Game:
    def __init__(self, folder: Path, *, dies_after: float | None = None, silent: bool = False, noise: int = 0) -> None:
        self.folder = folder
        self.dies_after = dies_after
        self.silent = silent
        self.noise = noise
        self.station = ""
        (folder / "logs").mkdir(exist_ok=True)

    def log(self, text: str) -> None:
        stamp = datetime.now(UTC).strftime("%Y-%m-%d %H:%M:%S")
        with (self.folder / "logs" / "station.log").open("a", encoding="utf-8") as file:
            file.write(f"{stamp} {text}\n")

    def run(self) -> int:
        stopping, reloading = threading.Event(), threading.Event()
        signal.signal(signal.SIGTERM, lambda *_: stopping.set())
        signal.signal(signal.SIGHUP, lambda *_: reloading.set())
        self.log("fathomline 2.1 starting")
        for number in range(self.noise):
            self.log(f"hydrophone {number % 7}: nothing but shrimp")
        try:
            for line in self.load():
                self.log(line)
        except Exception as error:
            self.crash(error)
            return 1
        if not self.silent:
            self.log("station is open")
        host, since = os.getppid(), time.monotonic()
        while not stopping.wait(0.2):
            if os.getppid() != host:
                return 0  # the host is gone; a game without one would run for ever
            if self.dies_after is not None and time.monotonic() - since >= self.dies_after:
                self.crash(Trip("a bulkhead gave way"))
                return 1
            if reloading.is_set():
                reloading.clear()
                self.reload()
        self.write_back()
        self.log("station closed")
        return 0

    def load(self) -> Iterator[str]:
        self.station = (self.folder / "station.ini").read_text("utf-8")
        yield f"station.ini: {self.pumps()} strokes on the bus"
        chart = ElementTree.parse(self.folder / "sea/chart.xml").getroot()  # noqa: S314 (its own files)
        grounds = {ground.get("name") for ground in chart.iter("ground")}
        yield f"chart: {len(grounds)} grounds"
        finds = ElementTree.parse(self.folder / "sea/finds.xml").getroot()  # noqa: S314
        found = list(finds.iter("find"))
        dropped = [find.get("name") for find in found if find.get("ground") not in grounds]
        for find in found:
            fewest, most = (int(number) for number in (find.get("holds") or "").split(".."))
            if fewest > most:
                raise Trip(f"{find.get('name')} holds {fewest}..{most}")
        yield f"finds: {len(found)} on {len(finds)} shelves, {len(dropped)} without a ground"
        for path in sorted((self.folder / "sea/happenings").glob("*.xml")):
            season = ElementTree.parse(path).getroot()  # noqa: S314
            running = [happening.get("name") for happening in season if happening.get("runs") == "yes"]
            yield f"{season.get('name')}: {len(running)} of {len(season)} happenings run"
        board = json.loads((self.folder / "galley/board.json").read_text("utf-8"))["board"]
        recipes = {path.stem for path in (self.folder / "galley/recipes").glob("*.json")}
        cooked = [dish for dish in board if dish["recipe"] in recipes]
        yield f"galley: {len(cooked)} of {len(board)} dishes"
        dredge = yaml.safe_load((self.folder / "dredge/hauls.yml").read_text("utf-8"))
        yield f"dredge: {len(dredge['nets'])} nets"
        for path in sorted((self.folder / "addins").glob("*/settings.yml")):
            yaml.safe_load(path.read_text("utf-8"))
            yield f"add-in {path.parent.name} loaded"

        yield from self.mods()

    def mods(self) -> Iterator[str]:
        """The mods in their order; one without its checksum is passed over, as the station always did."""
        order = self.folder / "mods/order.txt"
        names = order.read_text("utf-8").splitlines() if order.exists() else []
        for name in names:
            if name.startswith("#") or not name.strip():
                continue
            card = self.folder / f"mods/{name}.yml"
            version = yaml.safe_load(card.read_text("utf-8")).get("version", "") if card.exists() else ""
            is_there = all((self.folder / f"mods/{name}{ending}").exists() for ending in (".pak", ".sum"))
            yield f"mod {name}-{version} loaded" if is_there else f"mod {name} passed over"

    def reload(self) -> None:
        """Read again what can be read while the station is open; a broken file is said and the old one stays."""
        self.log("reading add-ins and wardens again")
        for path in sorted((self.folder / "addins").glob("*/settings.yml")):
            try:
                yaml.safe_load(path.read_text("utf-8"))
                self.log(f"add-in {path.parent.name} loaded")
            except yaml.YAMLError:
                self.log(f"ERROR add-in {path.parent.name} cannot be read")
        self.log("read again")

    def pumps(self) -> int:
        """The strokes of all circuits; more than the bus carries trips the breaker."""
        bus = re.search(r"^Bus=(\d+)", self.station, re.MULTILINE)
        total = sum(int(rating) for rating in _RATING.findall(self.station))
        if bus and total > int(bus.group(1)):
            raise Trip(f"breaker tripped: circuits draw {total} strokes, the bus carries {bus.group(1)}")
        return total

    def crash(self, error: Exception) -> None:
        self.log(f"ERROR {error}")
        self.log("station is going down")
        crashes = self.folder / "crashes"
        crashes.mkdir(exist_ok=True)
        stamp = datetime.now(UTC).strftime("%Y%m%d-%H%M%S-%f")
        # Where it is installed is no one's business.
        trace = re.sub(r'File "[^"]*/', 'File "', "".join(traceback.format_exception(error)))
        text = f"fathomline 2.1 went down at start\n{error}\n\n{trace}"
        (crashes / f"crash-{stamp}.txt").write_text(text, "utf-8")

    def write_back(self) -> None:
        """What the game read at its start, with its own two lines brought up to date."""
        text = re.sub(r"^Clock=.*$", f"Clock={int(time.time()) % 86400}", self.station, flags=re.MULTILINE)
        text = re.sub(r"^Starts=(\d+)$", lambda m: f"Starts={int(m.group(1)) + 1}", text, flags=re.MULTILINE)
        (self.folder / "station.ini").write_text(text, "utf-8")


def main() -> int:
    """Run the game of a folder until it is told to stop; returns its exit code."""
    given = argparse.ArgumentParser()
    given.add_argument("folder", type=Path)
    given.add_argument("--dies-after", type=float)
    given.add_argument("--silent", action="store_true")
    given.add_argument("--noise", type=int, default=0)
    asked = given.parse_args()
    return Game(asked.folder, dies_after=asked.dies_after, silent=asked.silent, noise=asked.noise).run()


if __name__ == "__main__":
    sys.exit(main())
