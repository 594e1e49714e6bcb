"""
Bundles of many files: written over FTP beside a plain parallel upload, and looked into beside a plain listing.

The host runs in a process of its own, so that it takes no time from either side.
"""

from __future__ import annotations

import ftplib
import gc
import io
import multiprocessing
import random
import subprocess
import sys
import tarfile
import tempfile
import time
import zipfile
from collections.abc import Callable, Iterator, Mapping
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager, redirect_stdout
from dataclasses import dataclass
from multiprocessing.connection import Connection as Pipe
from pathlib import Path
from threading import local
from typing import Final

from benchmarks.keeping import workspace_of
from zerrit.core.archives import open_archive
from zerrit.core.bundles.inventory import look_into
from zerrit.core.paths import folders_of
from zerrit.records import store_contents
from zerrit.standin import StandinHost
from zerrit.web import configure_log
from zerrit.work.deploy.file_writing import write_files
from zerrit.work.servers.servers import get_server

FILES: Final = 800
SIZE: Final = 50_000  # bytes of a file: 40 MB in all
AT_ONCE: Final = 4  # connections, as many as a server's connection uses
MEMBERS: Final = 5_000
MEMBER: Final = 100_000  # bytes of a member: 500 MB in all
ROUNDS: Final = 3
MANY_ROUNDS: Final = 15  # of what takes a moment
SEED: Final = 23


@dataclass(frozen=True)
class BundleCost:
    """Seconds of the fastest of some rounds each; the most memory of a command, in bytes."""

    written: float
    uploaded: float
    looked_zip: float
    listed_zip: float
    zip_command: float
    zip_list_command: float
    looked_tar: float
    listed_tar: float
    memory: int


def _serve(folder: str, pipe: Pipe) -> None:
    host = StandinHost(Path(folder), ("reef",), "keys")
    host.games["reef"].start = lambda: None  # type: ignore[method-assign]
    host.start()
    pipe.send(host.ftp_port)
    pipe.recv()
    host.stop()


@contextmanager
def _host(folder: Path) -> Iterator[int]:
    here, there = multiprocessing.Pipe()
    process = multiprocessing.get_context("spawn").Process(target=_serve, args=(str(folder), there), daemon=True)
    process.start()
    yield here.recv()
    here.send(None)
    process.join(10)


def _upload(port: int, files: Mapping[str, bytes]) -> None:
    """What anybody would write: the folders, then each file over one of some connections."""
    held = local()

    def connection() -> ftplib.FTP:
        if not hasattr(held, "ftp"):
            held.ftp = ftplib.FTP()  # noqa: S321 (the host of this measurement)
            held.ftp.connect("127.0.0.1", port)
            held.ftp.login("reef", "keys")
        return held.ftp  # type: ignore[no-any-return]

    def send(item: tuple[str, bytes]) -> None:
        connection().storbinary(f"STOR /{item[0]}", io.BytesIO(item[1]))

    for folder in sorted(folders_of(files)):
        connection().mkd(f"/{folder}")
    with ThreadPoolExecutor(AT_ONCE) as pool:
        list(pool.map(send, files.items()))


def _timed(run: Callable[[], object]) -> float:
    start = time.perf_counter()
    run()
    return time.perf_counter() - start


def _in_turn(
    ours: Callable[[int], object], theirs: Callable[[int], object], rounds: int = ROUNDS
) -> tuple[float, float]:
    found = [(_timed(lambda: ours(number)), _timed(lambda: theirs(number))) for number in range(rounds)]  # noqa: B023
    return min(one for one, _ in found), min(other for _, other in found)


def _writing(root: Path) -> tuple[float, float]:
    game = root / "host" / "reef"
    game.mkdir(parents=True)
    rng = random.Random(SEED)
    files = {f"pieces/{number // 50:02}/piece-{number:03}.dat": rng.randbytes(SIZE) for number in range(FILES)}
    with _host(root / "host") as port:
        connection = {"kind": "ftp", "host": "127.0.0.1", "port": port, "user": "reef", "folder": "/"}
        with workspace_of(root / "data", connection) as workspace:
            with workspace.session() as session:
                digests = dict(zip(files, store_contents(session, list(files.values())), strict=True))
                server = get_server(session, "reef")

            def write(number: int) -> None:
                with workspace.connection_to(server) as opened:
                    writes = {f"ours-{number}/{path}": digest for path, digest in digests.items()}
                    write_files(workspace, opened, dict(writes), lambda _: None, new=writes.keys())

            return _in_turn(write, lambda number: _upload(port, {f"theirs-{number}/{p}": d for p, d in files.items()}))


def _member(number: int, rng: random.Random) -> tuple[str, bytes]:
    if number == 0:
        return "atlas/atlas.yml", b"name: atlas\nversion: 2.1\n"
    return f"atlas/plates/{number // 100:02}/plate-{number:04}.dat", rng.randbytes(MEMBER)


def _archives(root: Path) -> tuple[Path, Path]:
    zipped, tarred = root / "atlas-2.1.zip", root / "atlas-2.1.tar.gz"
    rng = random.Random(SEED)
    with zipfile.ZipFile(zipped, "w") as as_zip, tarfile.open(tarred, "w:gz", compresslevel=1) as as_tar:
        for number in range(MEMBERS):
            name, data = _member(number, rng)
            as_zip.writestr(name, data)
            about = tarfile.TarInfo(name)
            about.size = len(data)
            as_tar.addfile(about, io.BytesIO(data))
    return zipped, tarred


def _look(file: Path) -> None:
    with file.open("rb") as opened, open_archive(opened) as archive:
        look_into(archive, file.name)


def _list(file: Path) -> None:
    with redirect_stdout(io.StringIO()), zipfile.ZipFile(file) as archive:
        archive.printdir()


def _run(*words: str) -> None:
    subprocess.run([sys.executable, "-m", *words], check=True, capture_output=True)


#: A command that says at its end how much memory it had at most. Not by `getrusage`, which counts that of the process that
#: started it, too.
_PEAK: Final = """
import atexit, re, sys
atexit.register(lambda: sys.stderr.write(re.search(r"VmHWM:\\s*(\\d+)", open("/proc/self/status").read())[1]))
from zerrit.cli import main
main(sys.argv[1:], prog_name="zerrit")
"""


def _peak_memory(*words: str) -> int:
    """Bytes that a command of ours had at most."""
    done = subprocess.run([sys.executable, "-c", _PEAK, *words], check=True, capture_output=True, text=True)
    return int(done.stderr.split()[-1]) * 1024


def measure() -> BundleCost:
    configure_log(as_json=True, least="error")
    with tempfile.TemporaryDirectory(prefix="zerrit-bench-") as name:
        root = Path(name)
        written, uploaded = _writing(root)
        zipped, tarred = _archives(root)
        gc.disable()  # as in every command
        looked_zip, listed_zip = _in_turn(lambda _: _look(zipped), lambda _: _list(zipped), MANY_ROUNDS)
        gc.enable()
        zip_command, zip_list_command = _in_turn(
            lambda _: _run("zerrit", "bundle", "look", str(zipped)), lambda _: _run("zipfile", "--list", str(zipped))
        )
        looked_tar, listed_tar = _in_turn(
            lambda _: _run("zerrit", "bundle", "look", str(tarred)), lambda _: _run("tarfile", "--list", str(tarred))
        )
        memory = max(_peak_memory("bundle", "look", str(file)) for file in (zipped, tarred))
    return BundleCost(
        written, uploaded, looked_zip, listed_zip, zip_command, zip_list_command, looked_tar, listed_tar, memory
    )
