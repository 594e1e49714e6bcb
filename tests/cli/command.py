"""Run `zerrit` as a process."""

from __future__ import annotations

import json
import os
import subprocess
import sys
from dataclasses import dataclass
from pathlib import Path
from typing import Any


@dataclass(frozen=True)
class Done:
    code: int
    out: str
    err: str

    @property
    def data(self) -> Any:
        return json.loads(self.out)


def zerrit(*arguments: str, cwd: Path, stdin: str | bytes = "", **environment: str) -> Done:
    """One command, with no sign-in of this machine in reach."""
    given = stdin.encode() if isinstance(stdin, str) else stdin
    done = subprocess.run(
        [sys.executable, "-m", "zerrit", *arguments],
        cwd=cwd,
        input=given,
        capture_output=True,
        timeout=120,
        check=False,
        env=os.environ | {"ZERRIT_CONFIG": str(cwd / "config"), "COLUMNS": "200"} | environment,
    )
    return Done(done.returncode, done.stdout.decode(), done.stderr.decode())
