"""
The service, killed at random points of deploys and rollbacks: `python -m tests.killing [--kills 300]`.

A real service process is killed with SIGKILL while it carries a run out, started again over the same data, and left to
bring the run to its end. Then the server's files must be exactly those of one snapshot, the one that the record names;
no temporary file may be left, and no journal may be open. The host is the stand-in, outside of the killed process; its
games are replaced by ones that stop and start at once and rewrite a file when they stop, so that hundreds of kills take
minutes and not hours.
"""

from __future__ import annotations

import argparse
import json
import logging
import multiprocessing
import os
import random
import signal
import sys
import tempfile
import time
from collections import Counter
from contextlib import suppress
from dataclasses import dataclass, field
from pathlib import Path

import httpx

from tests.ports import free_port
from tests.quick import ADMIN, GAMEBOOK, PASSWORD, SECRET, WORLD, QuickGame, connection_to, lay_out, pack_of
from tests.reliability import write_part
from zerrit import api
from zerrit.client import Client
from zerrit.connections import PART_PREFIX
from zerrit.records import open_for_rescue
from zerrit.standin import StandinHost

SERVERS = ("by-folder", "by-ftp", "by-sftp")


@dataclass
class Result:
    """What the kills came to."""

    kills: int = 0
    ended: Counter[str] = field(default_factory=Counter)
    stages: Counter[str] = field(default_factory=Counter)
    faults: list[str] = field(default_factory=list)


def serve(data: str, port: int) -> None:
    """The process that is killed."""
    from zerrit.web import Service, Settings, bound_socket, configure_log, create_app

    configure_log(as_json=True, least="critical")
    settings = Settings(Path(data), ADMIN, PASSWORD, settle=0.05, tick=60)
    Service(create_app(settings)).run(sockets=[bound_socket("127.0.0.1", port)])


class Killer:
    def __init__(self, folder: Path, seed: int) -> None:
        self.folder = folder
        self.random = random.Random(seed)
        self.port = free_port()
        self.context = multiprocessing.get_context("forkserver")
        self.context.set_forkserver_preload(["zerrit.web", "zerrit.work.deploy.run_engine"])
        for name in SERVERS:
            lay_out(folder / "host" / name)
            (folder / "host" / name / "worlds").mkdir()
            (folder / "host" / name / "worlds/sea.big").write_bytes(WORLD)
        self.host = StandinHost(folder / "host", SERVERS, "keys")
        for name, game in self.host.games.items():
            quick = QuickGame(game.id, game.folder, game.dumps, wrong=game.wrong)
            self.host.games[name] = quick
        self.process: multiprocessing.process.BaseProcess | None = None
        self.token = ""

    def __enter__(self) -> Killer:
        self.start_service()
        self.host.start()
        self.seed_service()
        return self

    def __exit__(self, *_: object) -> None:
        self.kill()
        self.host.stop()

    def start_service(self) -> None:
        self.process = self.context.Process(target=serve, args=(str(self.folder / "data"), self.port), daemon=True)
        self.process.start()
        deadline = time.monotonic() + 60
        while True:
            with suppress(httpx.HTTPError):
                if httpx.get(f"http://127.0.0.1:{self.port}/api/v1/health", trust_env=False).is_success:
                    return
            if time.monotonic() > deadline:
                raise RuntimeError("the service did not start")
            time.sleep(0.02)

    def kill(self) -> None:
        assert self.process is not None
        assert self.process.pid is not None
        self.process.kill()
        self.process.join()
        assert self.process.exitcode == -signal.SIGKILL

    def client(self) -> Client:
        url = f"http://127.0.0.1:{self.port}"
        if not self.token:
            with Client(url) as anonymous:
                self.token = anonymous.token(ADMIN, PASSWORD).token
        return Client(url, self.token)

    def seed_service(self) -> None:
        host = self.host
        with self.client() as zerrit:
            zerrit.save_gamebook("quick", GAMEBOOK)
            for name in SERVERS:
                control = api.HttpControl(url=f"http://127.0.0.1:{host.control_port}/{name}")
                kind = name.removeprefix("by-")
                zerrit.add_server(
                    api.ServerIn(
                        id=name,
                        gamebook="quick",
                        connection=connection_to(kind, host, name),
                        connection_secret=SECRET,
                        control=control,
                        control_secret=SECRET,
                    )
                )
                zerrit.fetch(name)

    def unhurt(self) -> float:
        """How long a run takes that no one kills, in seconds; a kill falls somewhere into that time."""
        times = []
        for name in SERVERS:
            with self.client() as zerrit:
                run = self.begin(zerrit, name)
                began = time.monotonic()
                *_, ended = zerrit.follow(run.id)
                assert ended.state in ("deployed", "done"), ended.outcome
                times.append(time.monotonic() - began)
        return max(times)

    # --- one kill -----------------------------------------------------------------------------------------------------

    def begin(self, zerrit: Client, name: str) -> api.RunOut:
        """A deploy of several files, one that the game rewrites among them; one that needs no stop; or a rollback."""
        kind = self.random.choice(("deploy", "deploy", "reload", "rollback"))
        snapshots = [one for one in zerrit.snapshots(name) if one.kind == "server"]
        if kind == "rollback" and len(snapshots) > 1:
            return zerrit.rollback(name, self.random.choice(snapshots[1:6]).id)
        change = zerrit.create_change(name, "A try").id
        value = self.random.randrange(1, 10**6)
        if kind == "reload":
            zerrit.add_step(change, api.StepIn(kind="set", address="live/bell.yml#volume", operation=f"={value}"))
            return zerrit.deploy(change)
        for number in self.random.sample(range(12), 5):
            zerrit.add_step(change, api.StepIn(kind="set", address=f"sea/{number}.yml#holds", operation=f"={value}"))
        zerrit.add_step(change, api.StepIn(kind="set", address="station.ini#World/DayLength", operation=f"={value}"))
        new = api.StepIn(kind="put-file", address=f"sea/new-{value}.yml", content="holds: 1\n", executable=True)
        zerrit.add_step(change, new)
        (world,) = (one.path for one in zerrit.files(name) if one.path.startswith("worlds/"))
        zerrit.add_step(change, api.StepIn(kind="move-file", address=world, target=f"worlds/{value}/sea.big"))
        zerrit.add_step(change, api.StepIn(kind="add-folder", address=f"saves/{value}"))
        zerrit.put_folder(change, "packs", pack_of(value), replace_all=True)
        zerrit.add_step(change, api.StepIn(kind="move-file", address="packs/deep", target=f"moved/{value}"))
        return zerrit.deploy(change)

    def once(self, result: Result, longest: float) -> None:
        """One run, killed once or twice."""
        name = self.random.choice(SERVERS)
        with self.client() as zerrit:
            zerrit.fetch(name)
            run = self.begin(zerrit, name)
        time.sleep(self.random.uniform(0, longest))
        self.kill()
        result.kills += 1
        result.stages[self.stage_of(run.id)] += 1
        if self.random.random() < 0.3:  # now and then the service dies once more while it puts things right
            self.start_service()
            time.sleep(self.random.uniform(0, longest))
            self.kill()
            result.kills += 1
            result.stages[self.stage_of(run.id)] += 1
        self.start_service()
        with self.client() as zerrit:
            for ended in zerrit.follow(run.id):
                last = ended
        result.ended[last.state] += 1
        result.faults += [f"{name}, run {run.id} ({last.state}): {fault}" for fault in self.faults_of(name, last)]

    def stage_of(self, run_id: int) -> str:
        import sqlite3

        path = self.folder / "data/zerrit.db"
        connection = sqlite3.connect(path)
        (stage, state) = connection.execute("SELECT stage, state FROM runs WHERE id = ?", (run_id,)).fetchone()
        connection.close()
        return str(stage) if state == "running" else "over"

    def faults_of(self, name: str, run: api.RunOut) -> list[str]:
        """What is not as it must be."""
        folder = self.host.games[name].folder
        everything = {
            str(path.relative_to(folder)): path.read_bytes()
            for path in folder.rglob("*")
            if path.is_file() and path.parent.name != "logs"
        }
        held = {path: data for path, data in everything.items() if not path.startswith("worlds/")}
        worlds = {path: data for path, data in everything.items() if path not in held}
        faults = [f"{path} is left" for path in held if PART_PREFIX in path]
        wanted = run.after if run.state in ("deployed", "done") else run.before
        if wanted is None:
            if not run.outcome.startswith("Nothing was written"):
                faults.append(f"no snapshot is named: {run.outcome}")
            with self.client() as zerrit:
                found = zerrit.fetch(name)
            drift = [path for path in (*found.changed, *found.added, *found.removed) if path != "station.ini"]
            return faults + [f"{path} is not as it was" for path in drift]
        if run.before is not None and run.state == "failed":
            faults.append(f"it failed: {run.outcome}")
        with open_for_rescue(self.folder / "data/zerrit.db") as records:
            snapshot = {path: data for path, data, _ in records.files(wanted)}
        unlike = sorted(p for p in held.keys() | snapshot.keys() if held.get(p) != snapshot.get(p))
        faults += [f"{path} is not as in snapshot {wanted}" for path in unlike]
        faults += self.faults_besides(folder, worlds, wanted)
        faults += [f"stage {stage.name} is open" for stage in run.stages if stage.state == "running"]
        if self.host.games[name].state != "running":
            faults.append("the game does not run")
        return faults

    def faults_besides(self, folder: Path, worlds: dict[str, bytes], wanted: int) -> list[str]:
        """What of moved files, folders and rights is not as in a snapshot."""
        import sqlite3

        connection = sqlite3.connect(self.folder / "data/zerrit.db")
        query = "SELECT path FROM snapshot_files WHERE snapshot_id = ?"
        watched = [path for (path,) in connection.execute(f"{query} AND path LIKE 'worlds/%'", (wanted,))]
        programs = {path for (path,) in connection.execute(f"{query} AND is_executable", (wanted,))}
        (empty,) = connection.execute("SELECT empty_folders FROM snapshots WHERE id = ?", (wanted,)).fetchone()
        connection.close()
        faults = [] if worlds == dict.fromkeys(watched, WORLD) else [f"{sorted(worlds)} are there, not {watched}"]
        run = {
            str(path.relative_to(folder)) for path in folder.rglob("*.*") if path.is_file() and os.access(path, os.X_OK)
        }
        faults += [f"{path} may be run, or may not" for path in run ^ programs]
        here = {
            str(path.relative_to(folder))
            for path in folder.rglob("*")
            if path.is_dir()
            and not any(path.iterdir())
            and "worlds" not in path.parts  # what is watched is not of the set-up
        }
        return faults + [f"the folder {path} is, or is not, there" for path in here ^ set(json.loads(empty))]


def run_kills(kills: int, seed: int, folder: Path, *, is_loud: bool = False) -> Result:
    """Kill the service so many times."""
    result = Result()
    with Killer(folder, seed) as killer:
        longest = killer.unhurt()
        while result.kills < kills:
            killer.once(result, longest)
            if is_loud and sys.stdout.isatty():
                print(f"\r{result.kills} kills, {len(result.faults)} faults", end="", flush=True)
    return result


def main() -> int:
    logging.getLogger("paramiko").setLevel(logging.CRITICAL)  # that its peer is gone is what is done here
    given = argparse.ArgumentParser()
    given.add_argument("--kills", type=int, default=300)
    given.add_argument("--seed", type=int, default=random.randrange(10**6))
    given.add_argument("--write", action="store_true", help="put the figures into docs/reliability.md")
    asked = given.parse_args()
    began = time.monotonic()
    with tempfile.TemporaryDirectory(prefix="zerrit-kills-") as folder:
        result = run_kills(asked.kills, asked.seed, Path(folder), is_loud=True)
    lines = [
        f"{result.kills} kills (seed {asked.seed}), {(time.monotonic() - began) / 60:.0f} min, {len(result.faults)} faults",
        f"runs ended as: {', '.join(f'{state} {times}' for state, times in sorted(result.ended.items()))}",
        f"killed at: {', '.join(f'{stage} {times}' for stage, times in result.stages.most_common())}",
    ]
    print("\n".join(["", *lines, *result.faults[:40]]))
    if asked.write:
        write_part("kills", "\n".join(f"* {line}" for line in lines))
    return 1 if result.faults else 0


if __name__ == "__main__":
    sys.exit(main())
