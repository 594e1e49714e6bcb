"""Run `zerrit` as a process."""

from __future__ import annotations

import json
import os
import subprocess
import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from tests.cli.prepared import run_prepared


@dataclass(frozen=True)
class Done:
    code: int
    out: str
    err: str

    @property
    def data(self) -> Any:
        return json.loads(self.out)


def signed_in(url: str, token: str, cwd: Path) -> Callable[..., Done]:
    """Commands of a signed-in person, in a folder."""

    def command(*arguments: str, stdin: str | bytes = "", **environment: str) -> Done:
        return zerrit(*arguments, cwd=cwd, stdin=stdin, ZERRIT_URL=url, ZERRIT_TOKEN=token, **environment)

    return command


def zerrit(*arguments: str, cwd: Path, stdin: str | bytes = "", **environment: str) -> Done:
    """One command, with no sign-in of this machine in reach."""
    given = stdin.encode() if isinstance(stdin, str) else stdin
    env = os.environ | {"ZERRIT_CONFIG": str(cwd / "config"), "COLUMNS": "200"} | environment
    code, out, err = run_prepared(list(arguments), cwd, env, given)
    return Done(code, out.decode(), err.decode())


@contextmanager
def process(*arguments: str, **environment: str) -> Iterator[subprocess.Popen[str]]:
    """A long-running program; ended at the end whatever happens."""
    given = os.environ | {"PYTHONUNBUFFERED": "1"} | environment
    running = subprocess.Popen(
        [sys.executable, *arguments], stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True, env=given
    )
    try:
        yield running
    finally:
        running.kill()
        running.communicate()
