"""
Break important lines one at a time and see that a test fails.

`mutants.tsv` is a table of file, line as it is, line as broken, and the tests nearest to it. Each line is broken in a
copy of the project; where all of its tests still pass, the mutant has survived, and the promise behind the line is not
guarded. A line that is not there any more, or is there twice, is an error of the table.
"""

from __future__ import annotations

import argparse
import os
import queue
import shutil
import subprocess
import sys
import tempfile
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path

from tests.reliability import write_part

ROOT = Path(__file__).parent.parent
TABLE = Path(__file__).parent / "mutants.tsv"
COPIED = ("src", "tests", "fuzzing", "benchmarks", "docs", "pyproject.toml", "Makefile")
PATIENCE = 600  # seconds for the tests of one mutant


@dataclass(frozen=True, slots=True)
class Mutant:
    file: str
    line: str
    broken: str
    tests: tuple[str, ...]


def read_table() -> list[Mutant]:
    rows = [line.split("\t") for line in TABLE.read_text("utf-8").splitlines() if line and not line.startswith("#")]
    return [Mutant(file, line, broken, tuple(tests.split(" "))) for file, line, broken, tests in rows]


def apply(mutant: Mutant, folder: Path) -> str:
    """Break the line in a copy; returns the text of the file as it was. Raises ValueError: the table is wrong."""
    path = folder / mutant.file
    text = path.read_text("utf-8")
    lines = text.splitlines(keepends=True)
    places = [number for number, line in enumerate(lines) if line.strip() == mutant.line]
    if len(places) != 1:
        raise ValueError(f"{mutant.file}: `{mutant.line}` is there {len(places)} times")
    found = lines[places[0]]
    lines[places[0]] = found.replace(mutant.line, mutant.broken)
    path.write_text("".join(lines), "utf-8")
    return text


def survives(mutant: Mutant, folder: Path) -> bool:
    text = apply(mutant, folder)
    files = sorted({test.partition("::")[0] for test in mutant.tests if "::" in test or test.endswith(".py")})
    words = [test for test in mutant.tests if not test.endswith(".py") and "::" not in test]
    chosen = ["-k", " or ".join(words)] if words else []
    try:
        done = subprocess.run(
            [sys.executable, "-m", "pytest", "-x", "-q", "-p", "no:cacheprovider", *files, *chosen],
            cwd=folder,
            env=os.environ | {"PYTHONPATH": f"{folder / 'src'}:{folder}", "PYTHONDONTWRITEBYTECODE": "1"},
            capture_output=True,
            timeout=PATIENCE,
            check=False,
        )
    except subprocess.TimeoutExpired:
        return False  # it hangs, which no one would miss
    finally:
        (folder / mutant.file).write_text(text, "utf-8")
    if done.returncode not in (0, 1):
        raise ValueError(f"{mutant.file}: `{mutant.line}`: the tests cannot be run:\n{done.stdout.decode()[-1500:]}")
    return done.returncode == 0


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--write", action="store_true", help="put the figure into docs/reliability.md")
    parser.add_argument("--only", default="", help="only those of files with this in their name")
    parser.add_argument("--at-once", type=int, default=2)
    given = parser.parse_args()
    mutants = [one for one in read_table() if given.only in one.file]
    survivors: list[Mutant] = []
    wrong: list[str] = []
    folders: queue.Queue[Path] = queue.Queue()
    with tempfile.TemporaryDirectory() as place:
        for number in range(given.at_once):
            folder = Path(place) / str(number)
            for name in COPIED:
                source, ignored = ROOT / name, shutil.ignore_patterns("__pycache__")
                if source.is_dir():
                    shutil.copytree(source, folder / name, ignore=ignored)
                else:
                    shutil.copy(source, folder / name)
            folders.put(folder)

        def tried(mutant: Mutant) -> None:
            folder = folders.get()
            try:
                if survives(mutant, folder):
                    survivors.append(mutant)
                    print(f"survived: {mutant.file}: {mutant.line}", flush=True)
            except ValueError as error:
                wrong.append(str(error))
                print(f"wrong: {error}", flush=True)
            finally:
                folders.put(folder)

        with ThreadPoolExecutor(given.at_once) as pool:
            list(pool.map(tried, mutants))
    text = f"{len(mutants) - len(wrong)} lines broken, one at a time: {len(survivors)} survived."
    print(text)
    if given.write:
        write_part("mutants", text)
    raise SystemExit(1 if survivors or wrong else 0)


if __name__ == "__main__":
    main()
