"""
Commands as processes of their own that need not import the program first: each is forked from one that has.

Hundreds of commands run in the tests, and nearly all of their time would go into imports. Started as a program, this
imports every command, then reads a line of JSON for each one to run, and answers with a line that has its exit code.
"""

from __future__ import annotations

import json
import os
import subprocess
import sys
import traceback
from functools import cache
from importlib import import_module
from pathlib import Path
from tempfile import TemporaryDirectory
from threading import Lock, Timer
from typing import Any

ROOT = Path(__file__).parent.parent.parent
PATIENCE = 120.0  # seconds
_one_at_a_time = Lock()


@cache
def _program() -> subprocess.Popen[str]:
    return subprocess.Popen(
        [sys.executable, "-m", "tests.cli.prepared"], cwd=ROOT, stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True
    )


def run_prepared(
    arguments: list[str], cwd: Path, environment: dict[str, str], stdin: bytes
) -> tuple[int, bytes, bytes]:
    """Run one command: its exit code, what it printed, and what it printed as errors."""
    with _one_at_a_time, TemporaryDirectory() as scratch:
        program = _program()
        assert program.stdin is not None
        assert program.stdout is not None
        streams = [Path(scratch, name) for name in ("stdin", "stdout", "stderr")]
        streams[0].write_bytes(stdin)
        asked = {"arguments": arguments, "cwd": str(cwd), "env": environment, "streams": list(map(str, streams))}
        alarm = Timer(PATIENCE, program.kill)
        alarm.start()
        program.stdin.write(json.dumps(asked) + "\n")
        program.stdin.flush()
        answer = program.stdout.readline()
        alarm.cancel()
        assert answer, f"zerrit {' '.join(arguments)} did not end within {PATIENCE:g} s"
        return int(answer), streams[1].read_bytes(), streams[2].read_bytes()


def _be_the_command(asked: dict[str, Any]) -> None:
    """In a process of its own: become the command, and end with its exit code."""
    for number, (path, flags) in enumerate(
        zip(asked["streams"], (os.O_RDONLY, os.O_WRONLY | os.O_CREAT, os.O_WRONLY | os.O_CREAT), strict=True)
    ):
        os.dup2(os.open(path, flags, 0o600), number)
    sys.stdin, sys.stdout, sys.stderr = os.fdopen(0), os.fdopen(1, "w"), os.fdopen(2, "w")
    os.chdir(asked["cwd"])
    os.environ.clear()
    os.environ.update(asked["env"])
    sys.argv = ["zerrit", *asked["arguments"]]
    from zerrit.cli import main

    code = 1
    try:
        main(prog_name="zerrit")
    except SystemExit as end:
        code = end.code if isinstance(end.code, int) else 0 if end.code is None else 1
        if isinstance(end.code, str):
            print(end.code, file=sys.stderr)
    except BaseException:
        traceback.print_exc()
    sys.stdout.flush()
    sys.stderr.flush()
    os._exit(code)


def serve() -> None:
    """Run commands until there are no more."""
    from zerrit.cli.main import SECTIONS

    for commands in SECTIONS.values():
        for module, _ in commands.values():
            import_module(module if "." in module else f"zerrit.cli.{module}")
    for line in sys.stdin:
        child = os.fork()
        if child == 0:
            _be_the_command(json.loads(line))
        _, status = os.waitpid(child, 0)
        print(os.waitstatus_to_exitcode(status), flush=True)


if __name__ == "__main__":
    serve()
