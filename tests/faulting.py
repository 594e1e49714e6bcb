"""
Every fault of the stand-in host, at every stage of a deploy, by every kind of connection: `python -m tests.faulting [--write]`.
Where a person carries the files, the host's control can fail, and the person can slip.

A fault begins when a stage begins. In one pass it is over when the run turns back, in the other it stays until the run
has ended. Whatever happens: the run ends, the server holds exactly the new files or exactly the old ones or the record
says that it holds neither and which rollback fixes it, that rollback works once the fault is over, no temporary file is
left then, and the outcome says what went wrong and what to do.
"""

from __future__ import annotations

import argparse
import logging
import multiprocessing
import random
import sys
import tempfile
import time
from collections import Counter
from collections.abc import Callable, Iterator, Mapping
from concurrent.futures import ProcessPoolExecutor
from contextlib import AbstractContextManager, contextmanager, nullcontext
from dataclasses import dataclass, field
from functools import partial
from pathlib import Path
from unittest.mock import patch

from tests.carrier import NOT_DELETED, SLIPS, Carrier
from tests.quick import WORLD, Quick, pack_of, quick_stack
from tests.reliability import write_part
from zerrit import api
from zerrit.connections import PART_PREFIX
from zerrit.records import open_for_rescue
from zerrit.standin import Faults
from zerrit.web import configure_log
from zerrit.work.deploy import run_context
from zerrit.work.deploy.journal import Journal, Stage
from zerrit.work.deploy.stages import StageName

KINDS = ("folder", "ftp", "ftps", "sftp", "manual")
STAGES = ("preflight", "stop", "read", "snapshot", "write", "verify", "start", "watch")
BACK = (StageName.RELEASE, StageName.STOP_AGAIN)
OF_CONNECTION: Mapping[str, dict[str, object]] = {
    "drops each transfer": {"drop_after": 50},
    "stalls in each transfer": {"stall_after": 50},
    "lets no one in": {"refuse": "connections", "drop_after": 50},
    "refuses the sign-in": {"refuse": "sign-in", "drop_after": 50},
    "refuses to write": {"refuse": "writes"},
    "has a full disk": {"full_after": 100},
    "lists wrong sizes": {"size_off": 7},
    "lists for people only": {"no_facts": True},
    "renames over no file": {"no_replace": True},
    "is of its renames": {"rename_lies": 3},
    "lets one connection in": {"connections": 1},
    "ignores letter case": {"any_case": True},
    "has a clock that is off": {"clock_off": 7200},
    "is slow": {"slow": 0.02},
    "shows another identity": {},
}
OF_CONTROL: Mapping[str, dict[str, object]] = {
    "does not stop the game": {"stop_hangs": True},
    "does not start the game": {"start_refused": True},
    "has no control any more": {"control_down": True},
    "lets the game die later": {"dies_after": 0.15},
    "never says it is ready": {"silent": True},
    "fills the log with noise": {"noise": 500},
}
ALL = (*OF_CONNECTION, *OF_CONTROL, *SLIPS)
#: Where a slip of a person happens, and whether they slip once or as long as they try.
SLIPPED = {"write, once": ("write", False), "write, always": ("write", True), "restore, once": ("restore", False)}
#: What a connection copes with; there is no way back on which it could be over.
COPED_WITH = (
    "lists wrong sizes", "lists for people only", "renames over no file", "lets one connection in", "ignores letter case",
    "has a clock that is off", "is slow", "fills the log with noise",
)  # fmt: skip
#: With these no deploy can end well, unless they begin only when the game is watched.
NEVER_DEPLOYED = ("does not start the game", "lets the game die later", "never says it is ready")
#: What an outcome must offer: something that a person can do next.
NEXT_STEPS = (
    "Try again", "try again", "Is the host up", "Make room", "Does this user", "Correct", "accept it", "Is there room",
    "zerrit rollback", "zerrit restart", "zerrit change", "tart it yourself", "deploy it again",
)  # fmt: skip


@dataclass
class Cell:
    """What became of the runs of one fault at one stage by one connection: with the fault passing, and staying."""

    passing: str = "?"
    staying: str = "?"


@dataclass
class Matrix:
    cells: dict[tuple[str, str, str], Cell] = field(default_factory=dict)
    slips: dict[tuple[str, str], str] = field(default_factory=dict)
    said: dict[str, str] = field(default_factory=dict)
    faults: list[str] = field(default_factory=list)
    runs: int = 0


@contextmanager
def struck(quick: Quick, name: str, stage: str, fault: str, *, stays: bool) -> Iterator[None]:
    """While a run goes on, the fault begins with its stage, and ends with its turn."""
    real = Journal.begin
    given = (OF_CONNECTION | OF_CONTROL)[fault]

    def begin(journal: Journal, at: StageName) -> Stage:
        found = real(journal, at)
        if at == stage:
            quick.host.games[name].wrong.set(Faults.model_validate(given))
            if fault == "shows another identity":
                quick.host.change_identity()
                quick.host.drop_connections()
        if at in BACK and not stays:
            lift(quick, name, fault)
        return found

    Journal.begin = begin  # type: ignore[method-assign]
    try:
        yield
    finally:
        Journal.begin = real  # type: ignore[method-assign]
        lift(quick, name, fault)


def lift(quick: Quick, name: str, fault: str) -> None:
    quick.host.games[name].wrong.set(Faults())
    if fault == "shows another identity":
        quick.host.restore_identity()


def slipped(quick: Quick, matrix: Matrix, slip: str, where: str) -> str:
    """One run whose files are carried by a person who slips; returns its letter."""
    at, stays = SLIPPED[where]
    carrier = Carrier(quick, "manual", slip, at, stays=stays)
    return once(quick, matrix, "manual", slip, f"{slip}, at {where}", nullcontext(), carrier.to_the_end)


def struck_once(quick: Quick, matrix: Matrix, kind: str, stage: str, fault: str, *, stays: bool) -> str:
    """One run in which a host does something wrong; returns its letter."""
    where = f"{fault}, at {stage}, by {kind}, {'staying' if stays else 'passing'}"
    follow = Carrier(quick, kind).to_the_end if kind == "manual" else quick.end_of
    letter = once(quick, matrix, kind, fault, where, struck(quick, kind, stage, fault, stays=stays), follow)
    if letter == "D" and fault in NEVER_DEPLOYED and stage != "watch":
        matrix.faults.append(f"{where}: called deployed")
    return letter


def once(
    quick: Quick,
    matrix: Matrix,
    kind: str,
    fault: str,
    where: str,
    struck: AbstractContextManager[None],
    follow: Callable[[api.RunOut], api.RunOut],
) -> str:
    """One run; returns its letter: D deployed, B back, N nothing written, F failed and fixed by the rollback it names."""
    if kind == "manual":
        quick.show(kind)
    quick.zerrit.fetch(kind)
    before = quick.files(kind)
    quiet = Carrier(quick, kind).to_the_end if kind == "manual" else quick.end_of
    value = random.randrange(1, 10**6)
    change = quick.change(f"sea/1.yml#holds={value}", f"sea/2.yml#holds={value}", name=kind)
    quick.zerrit.add_step(change, api.StepIn(kind="put-file", address=f"sea/new-{value}.yml", content="holds: 1\n"))
    quick.zerrit.put_folder(change, "packs", pack_of(value), replace_all=True)
    quick.zerrit.add_step(change, api.StepIn(kind="move-file", address="packs/deep", target=f"moved/{value}"))
    if kind != "manual":  # a person who carries files sends what a host would only rename
        (world,) = (path for path in before if path.startswith("worlds/"))
        quick.zerrit.add_step(change, api.StepIn(kind="move-file", address=world, target=f"worlds/{value}/sea.big"))
        quick.zerrit.add_step(change, api.StepIn(kind="add-folder", address=f"saves/{value}"))
    with struck:
        run = follow(quick.zerrit.deploy(change))
    matrix.runs += 1
    now = quick.files(kind)
    wrong = [f"{path} is left" for path in now if PART_PREFIX in path and run.state != "failed"]
    wrong += [f"stage {one.name} is open" for one in run.stages if one.state == "running"]
    if run.state == "deployed":
        letter = "D"
        wrong += _unlike(quick, now, run.after, kind)
        if kind != "manual" and now.get(f"worlds/{value}/sea.big") != WORLD:
            wrong.append("the world was not moved")
    else:
        if fault not in SLIPS:
            matrix.said.setdefault(fault, run.outcome)
        if not run.cancelled_by and not any(step in run.outcome for step in NEXT_STEPS):
            wrong.append(f"no next step in: {run.outcome}")
        failed = [one.name for one in run.stages if one.state == "failed"]
        if not failed or f"at {failed[0]}: " not in run.outcome:
            wrong.append(f"no stage named: {run.outcome}")
        if run.state == "rolled-back":
            letter = "B"
            wrong += _unlike(quick, now, run.before, kind)
            wrong += [f"{path} was moved" for path in before if path.startswith("worlds/") and path not in now]
        elif run.outcome.startswith("Nothing was written"):
            letter = "N"
            wrong += [f"{p} differs" for p in now.keys() | before.keys() if p != "station.ini" and now.get(p) != before.get(p) and PART_PREFIX not in p]  # fmt: skip
        else:
            letter = "F"
            if run.before is None or (f"snapshot {run.before}" not in run.outcome):
                wrong.append(f"no snapshot named: {run.outcome}")
            else:
                fixed = quiet(quick.zerrit.rollback(kind, run.before))
                now = quick.files(kind)
                wrong += [] if fixed.state == "done" else [f"the rollback ended {fixed.state}: {fixed.outcome}"]
                wrong += [f"{path} is left" for path in now if PART_PREFIX in path]
                wrong += _unlike(quick, now, fixed.after, kind)
    if quick.game(kind).state != "running":
        quiet(quick.zerrit.restart(kind))
    matrix.faults += [f"{where}: {one}" for one in wrong]
    return letter


def _unlike(quick: Quick, now: dict[str, bytes], snapshot: int | None, kind: str) -> list[str]:
    if snapshot is None:
        return ["no snapshot is named"]
    with open_for_rescue(quick.folder / "data/zerrit.db") as records:
        kept = {path: data for path, data, _ in records.files(snapshot)}
    # What a game rewrites is in no snapshot before a person has shown it.
    known = {path for path in now.keys() | kept.keys() if not path.startswith("worlds/")}
    known -= {"station.ini"} if kind == "manual" else set()
    wrong = [f"{p} is not as in snapshot {snapshot}" for p in known if now.get(p) != kept.get(p)]
    worlds = {path: data for path, data in now.items() if path.startswith("worlds/")}
    return (
        wrong if kind == "manual" or list(worlds.values()) == [WORLD] else [*wrong, f"the worlds are {sorted(worlds)}"]
    )


def fill(
    folder: Path, kinds: tuple[str, ...], stages: tuple[str, ...], faults: tuple[str, ...], *, is_loud: bool
) -> Matrix:
    matrix = Matrix()
    with quick_stack(folder, kinds, patience=0.8) as quick, patch.object(run_context, "MANUAL_POLL", 0.1):
        for kind in kinds:
            if kind == "manual":
                quick.carry(kind)
            else:
                (quick.game(kind).folder / "worlds").mkdir()
                (quick.game(kind).folder / "worlds/sea.big").write_bytes(WORLD)
                quick.add(kind, kind)
        for fault in faults:
            for kind in kinds:
                if fault in SLIPS:
                    for where in SLIPPED if kind == "manual" else ():
                        if fault != NOT_DELETED or where.startswith("restore"):  # on the way there nothing is deleted
                            matrix.slips[fault, where] = slipped(quick, matrix, fault, where)
                    continue
                if fault in OF_CONNECTION and kind in ("folder", "manual"):
                    continue  # these have no host that could do that; a full disk is tested apart
                if fault == "shows another identity" and kind == "ftp":
                    continue  # FTP has none
                for stage in stages:
                    cell = matrix.cells[fault, stage, kind] = Cell()
                    cell.staying = struck_once(quick, matrix, kind, stage, fault, stays=True)
                    is_coped = fault in COPED_WITH
                    cell.passing = (
                        cell.staying if is_coped else struck_once(quick, matrix, kind, stage, fault, stays=False)
                    )
            if is_loud:
                print(f"{matrix.runs:>5} runs, {len(matrix.faults)} faults; {', '.join(kinds)}: {fault}", flush=True)
    return matrix


def table(matrix: Matrix) -> str:
    """One row for each fault, one column for each stage; in a cell the letters of the connections, passing/staying."""
    lines = [
        f"| the host … | {' | '.join(STAGES)} |",
        f"|---|{'---|' * len(STAGES)}",
    ]
    for fault in (*OF_CONNECTION, *OF_CONTROL):
        row = []
        for stage in STAGES:
            cells = [matrix.cells.get((fault, stage, kind)) for kind in KINDS]
            passing = "".join(cell.passing if cell else "·" for cell in cells)
            staying = "".join(cell.staying if cell else "·" for cell in cells)
            row.append(passing if passing == staying else f"{passing} / {staying}")
        lines.append(f"| {fault} | {' | '.join(row)} |")
    return "\n".join(lines)


def slip_table(matrix: Matrix) -> str:
    """One row for each slip of a person who carries files."""
    lines = [f"| the person … | {' | '.join(SLIPPED)} |", f"|---|{'---|' * len(SLIPPED)}"]
    for slip in SLIPS:
        lines.append(f"| {slip} | {' | '.join(matrix.slips.get((slip, where), '·') for where in SLIPPED)} |")
    return "\n".join(lines)


def summary(matrix: Matrix) -> str:
    """How the runs ended."""
    letters = Counter(matrix.slips.values())
    for (fault, _, _), cell in matrix.cells.items():
        letters.update([cell.staying] if fault in COPED_WITH else [cell.staying, cell.passing])
    return (
        f"{letters.total()} runs: {letters['D']} deployed anyway, {letters['B']} went back, {letters['N']} wrote "
        f"nothing, {letters['F']} failed and were repaired by the rollback that they name. Nothing was lost in any of them."
    )


def _fill_one(faults: tuple[str, ...], kind: str) -> Matrix:
    """The cells of one connection, in a process of its own."""
    configure_log(as_json=True, least="critical")
    for name in ("paramiko", "uvicorn.error", "pyftpdlib"):
        logging.getLogger(name).setLevel(logging.CRITICAL)
    with tempfile.TemporaryDirectory(prefix="zerrit-faults-") as folder:
        return fill(Path(folder), (kind,), STAGES, faults, is_loud=True)


def main() -> int:
    given = argparse.ArgumentParser()
    given.add_argument("--write", action="store_true", help="put the table into docs/reliability.md")
    given.add_argument("--only", nargs="+", choices=ALL, help="these faults; nothing is written then")
    asked = given.parse_args()
    began = time.monotonic()
    matrix = Matrix()
    with ProcessPoolExecutor(2, multiprocessing.get_context("spawn")) as workers:
        for part in workers.map(partial(_fill_one, tuple(asked.only or ALL)), KINDS):
            matrix.cells |= part.cells
            matrix.slips |= part.slips
            matrix.said |= part.said
            matrix.faults += part.faults
            matrix.runs += part.runs
    said = [f"* **{fault}**: {text}" for fault, text in matrix.said.items()]
    print(
        f"{matrix.runs} runs in {(time.monotonic() - began) / 60:.0f} min, {len(matrix.faults)} faults",
        *matrix.faults[:60],
        sep="\n",
    )
    parts = [
        summary(matrix),
        "",
        table(matrix),
        "",
        slip_table(matrix),
        "",
        "What is said, for one run of each:",
        "",
        *said,
    ]
    if asked.only:
        print(*parts, sep="\n")
    elif asked.write:
        write_part("faults", "\n".join(parts))
    return 1 if matrix.faults else 0


if __name__ == "__main__":
    sys.exit(main())
