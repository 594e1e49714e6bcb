"""A person who carries files manually while a run goes on: who does what it asks for, with the slips that people make."""

from __future__ import annotations

import io
import re
import time
import zipfile
from collections import Counter
from typing import Final

from tests.quick import Quick
from zerrit import api
from zerrit.client import ProblemError

ONE_ONLY: Final = "carries one file of several"
HALF: Final = "uploads half of a file"
LINE_ENDS: Final = "lets an editor change the line ends"
OLD_SHOWN: Final = "shows the files of before"
NOT_DELETED: Final = "forgets to delete a file"
SLIPS: Final = (ONE_ONLY, HALF, LINE_ENDS, OLD_SHOWN, NOT_DELETED)
PAUSE: Final = 0.15  # seconds between two looks at the run
MOST_SHOWN: Final = 8  #: so often a log is shown that does not say that the game is up, before the person has enough


class Carrier:
    """`slip` happens at the stage `at`: at the first try, or as long as the person tries at all."""

    def __init__(self, quick: Quick, name: str, slip: str = "", at: str = "write", *, stays: bool = False) -> None:
        self._quick = quick
        self._name = name
        self._slip, self._at, self._stays = slip, at, stays

    def to_the_end(self, run: api.RunOut) -> api.RunOut:
        tries: Counter[str] = Counter()
        while run.ended_at is None:
            if run.asks and run.on_cancel != "nothing":
                tries[run.stage] += 1
                self._answer(run, tries[run.stage])
            time.sleep(PAUSE)
            run = self._quick.zerrit.run(run.id)
        return run

    def _answer(self, run: api.RunOut, times: int) -> None:
        if run.stage in ("write", "restore"):
            is_here = run.stage == self._at
            if is_here and self._stays and times > 2:
                self._quick.zerrit.cancel(run.id)
                return
            self._carry(run, self._slip if is_here and (times == 1 or self._stays) else "")
            return
        self._quick.show(self._name)
        has_enough = run.stage.startswith("watch") and times > MOST_SHOWN
        if has_enough or (run.stage == "watch" and self._at == "restore"):
            self._quick.zerrit.cancel(run.id)

    def _carry(self, run: api.RunOut, slip: str) -> None:
        """Do what the step sheet says, and show what is there then."""
        try:
            given = self._quick.zerrit.instructions(run.id)
        except ProblemError as error:
            if error.kind == "wrong-state":  # the run went on since it was asked for; it will ask again
                return
            raise
        with zipfile.ZipFile(io.BytesIO(given)) as packed:
            sheet = packed.read("STEPS.txt").decode()
            files = {
                name.removeprefix("files/"): packed.read(name)
                for name in packed.namelist()
                if name.startswith("files/")
            }
        if slip == OLD_SHOWN:
            self._quick.show(self._name)
        folder = self._quick.game(self._name).folder
        for path, data in sorted(files.items())[: 1 if slip == ONE_ONLY else None]:
            sent = data[: len(data) // 2] if slip == HALF else data
            (folder / path).parent.mkdir(parents=True, exist_ok=True)
            (folder / path).write_bytes(sent.replace(b"\n", b"\r\n") if slip == LINE_ENDS else sent)
        if slip not in (NOT_DELETED, ONE_ONLY):
            for path in re.findall(r"\d+\. Delete (.+) on the server\.", sheet):
                (folder / path).unlink(missing_ok=True)
        if slip != OLD_SHOWN:
            self._quick.show(self._name)
