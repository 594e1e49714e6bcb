"""The evening of an admin with bundles, by every way in and every connection.

A lamp is switched on that needs another one, an upgrade meets an edit, a folder is replaced and packed, 800 files are
installed while the connection drops; and everything is rolled back, byte for byte.
"""

from __future__ import annotations

import io
import zipfile
from collections.abc import Callable, Iterator, Mapping
from hashlib import sha256
from pathlib import Path
from typing import Any, Protocol

import httpx
import pytest

from tests.carrier import Carrier
from tests.cli.command import Done, signed_in
from tests.quick import ADMIN, PASSWORD, Quick, quick_stack
from tests.service.test_bundles import BOOK, lamp
from tests.zips import zipped
from zerrit import api
from zerrit.connections import ConnectionFailed, FtpConnection, NewFile

STORY_BOOK = f"""{BOOK}
packed:
  - {{folder: charts, into: charts.zip, packed_by: zerrit}}
"""
CHARTS = {"north.yml": b"depth: 4\n", "deep/south.dat": b"\x00south", "deep/far/east.yml": b"depth: 9\n"}
PROGRAMS = frozenset({"lamps/atlas/tools/view.exe", "lamps/atlas/tools/setup.exe"})


def atlas(plates_in_it: int) -> dict[str, bytes]:
    """Many files, of which a host refuses two."""
    numbers = range(plates_in_it)
    plates = {f"plates/{number // 100}/{number:03}.dat": b"\x00plate %d" % number * 40 for number in numbers}
    return lamp("atlas", "3.0", **plates, **{"tools/view.exe": b"MZ\x00view", "tools/setup.exe": b"MZ\x00setup"})


class Face(Protocol):
    """One way to do everything of the story; each gives the number of the change that it opened."""

    def install(self, file_name: str, files: Mapping[str, bytes], **more: str) -> int: ...

    def switch_on(self, name: str) -> int: ...

    def replace_folder(self, path: str, files: Mapping[str, bytes]) -> int: ...

    def deploy(self, change: int) -> str: ...

    def roll_back(self, snapshot: int) -> str: ...


class ByClient:
    def __init__(self, quick: Quick, person: Carrier | None = None) -> None:
        self._quick, self._zerrit, self._person = quick, quick.zerrit, person

    def install(self, file_name: str, files: Mapping[str, bytes], **more: str) -> int:
        kept = self._zerrit.keep_bundle(file_name, files)
        done = self._zerrit.install_bundle(
            "reef", api.InstallIn.model_validate({"bundle": kept.id, "create": True, **more})
        )
        return _number(done.change)

    def switch_on(self, name: str) -> int:
        given = api.SwitchIn(name=name, on=True, with_needed=True, create=True)
        return _number(self._zerrit.switch_bundle("reef", given).change)

    def replace_folder(self, path: str, files: Mapping[str, bytes]) -> int:
        change = self._zerrit.create_change("reef", f"Another {path}").id
        self._zerrit.put_folder(change, path, files, replace_all=True)
        return change

    def deploy(self, change: int) -> str:
        return self._ended(self._zerrit.deploy(change)).state

    def roll_back(self, snapshot: int) -> str:
        return self._ended(self._zerrit.rollback("reef", snapshot)).state

    def _ended(self, run: api.RunOut) -> api.RunOut:
        return self._person.to_the_end(run) if self._person is not None else self._quick.end_of(run)


class ByHttp:
    """Nothing of Zerrit's own: the requests as the document of the API says them."""

    def __init__(self, quick: Quick) -> None:
        token = quick.zerrit.token(ADMIN, PASSWORD).token
        self._quick = quick
        self._http = httpx.Client(
            base_url=f"{quick.url}/api/v1", headers={"Authorization": f"Bearer {token}"}, timeout=120
        )

    def _post(self, path: str, body: Mapping[str, Any]) -> Any:
        answer = self._http.post(path, json=body)
        assert answer.is_success, answer.text
        return answer.json()

    def _digests(self, files: Mapping[str, bytes]) -> dict[str, str]:
        digests = {path: sha256(data).hexdigest() for path, data in files.items()}
        missing = set(self._post("/contents/missing", {"digests": list(digests.values())}))
        left = {digest: files[path] for path, digest in digests.items() if digest in missing}
        parts = [("files", (digest, data)) for digest, data in left.items()]
        for start in range(0, len(parts), 500):
            assert self._http.post("/contents", files=parts[start : start + 500]).status_code == 201
        return digests

    def install(self, file_name: str, files: Mapping[str, bytes], **more: str) -> int:
        listed = [{"path": path, "digest": digest} for path, digest in self._digests(files).items()]
        own = sha256(repr(sorted(files.items())).encode()).hexdigest()
        kept = self._post("/bundles", {"file_name": file_name, "digest": own, "files": listed})
        done = self._post("/servers/reef/bundles/install", {"bundle": kept["id"], "create": True, **more})
        return _number(done["change"])

    def switch_on(self, name: str) -> int:
        given = {"name": name, "on": True, "with_needed": True, "create": True}
        return _number(self._post("/servers/reef/bundles/switch", given)["change"])

    def replace_folder(self, path: str, files: Mapping[str, bytes]) -> int:
        change = int(self._post("/servers/reef/changes", {"title": f"Another {path}"})["id"])
        step = {"kind": "put-folder", "address": path, "files": self._digests(files), "replace_all": True}
        self._post(f"/changes/{change}/steps", step)
        return change

    def deploy(self, change: int) -> str:
        return self._ended(self._post(f"/changes/{change}/deploy", {}))

    def roll_back(self, snapshot: int) -> str:
        return self._ended(self._post("/servers/reef/rollback", {"snapshot": snapshot}))

    def _ended(self, run: Any) -> str:
        return self._quick.end_of(self._quick.zerrit.run(run["id"])).state


class ByCommand:
    def __init__(self, quick: Quick, folder: Path) -> None:
        self._quick, self._folder = quick, folder
        self._run: Callable[..., Done] = signed_in(quick.url, quick.zerrit.token(ADMIN, PASSWORD).token, folder)

    def _done(self, *words: str) -> str:
        done = self._run(*words)
        assert done.code == 0, done.out + done.err
        return done.out

    def _newest(self) -> int:
        return self._quick.zerrit.changes("reef")[0].id

    def install(self, file_name: str, files: Mapping[str, bytes], **more: str) -> int:
        (self._folder / file_name).write_bytes(zipped(files))
        self._done("bundle", "install", "reef", file_name, *(f"--{k.replace('_', '-')}={v}" for k, v in more.items()))
        return self._newest()

    def switch_on(self, name: str) -> int:
        self._done("bundle", "switch-on", "reef", name, "--with-needed")
        return self._newest()

    def replace_folder(self, path: str, files: Mapping[str, bytes]) -> int:
        for inside, data in files.items():
            file = self._folder / "prepared" / inside
            file.parent.mkdir(parents=True, exist_ok=True)
            file.write_bytes(data)
        self._done("change", "create", "reef", f"Another {path}")
        change = self._newest()
        self._done("change", "put-folder", str(change), path, "prepared", "--replace-all")
        return change

    def deploy(self, change: int) -> str:
        assert "deployed." in self._done("change", "deploy", str(change), "--yes")
        return "deployed"

    def roll_back(self, snapshot: int) -> str:
        self._done("rollback", "reef", str(snapshot), "--yes")
        return self._quick.zerrit.runs("reef")[0].state


def _number(change: int | None) -> int:
    assert change is not None
    return change


@pytest.fixture
def quick(tmp_path: Path) -> Iterator[Quick]:
    yield from quick_with_bundles(tmp_path)


def quick_with_bundles(folder: Path) -> Iterator[Quick]:
    """A host with two lamps that are off, a tide that is on, and a folder that is packed."""
    with quick_stack(folder) as running:
        running.zerrit.save_gamebook("quick", STORY_BOOK)
        root = running.game().folder
        given = {
            f"lamps-off/{path}": data for path, data in {**lamp("fog", "1.0"), **lamp("gong", "1", '"fog"')}.items()
        }
        given |= {f"charts/{path}": data for path, data in CHARTS.items()}
        given |= {
            "charts.zip": _packed(CHARTS),
            "tides/order.txt": b"ebb\n",
            "tides/ebb.bin": b"\x00",
            "tides/ebb.sum": b"1\n",
        }
        for path, data in given.items():
            (root / path).parent.mkdir(parents=True, exist_ok=True)
            (root / path).write_bytes(data)
        yield running


def _packed(files: Mapping[str, bytes]) -> bytes:
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as packed:
        for path, data in files.items():
            packed.writestr(path, data)
    return buffer.getvalue()


def _own(quick: Quick) -> dict[str, bytes]:
    """All files but the one that the game rewrites at each stop."""
    return {path: data for path, data in quick.files().items() if path != "station.ini"}


def tell(quick: Quick, face: Face, *, plates: int = 30, refused: frozenset[str] = frozenset()) -> None:
    """The evening, with one face. `refused` are the files that the host does not take."""
    before = _own(quick)
    start = quick.zerrit.snapshots("reef")[0].id
    assert face.deploy(face.switch_on("gong")) == "deployed"
    states = {one.name: one.state for one in quick.zerrit.server_bundles("reef")}
    assert (states["gong"], states["fog"]) == ("on", "on")
    assert "lamps-off/fog/lamp.json" not in quick.files()

    assert face.deploy(face.install("bell-1.2.zip", lamp("bell", "1.2", **{"old.dat": b"\x00"}))) == "deployed"
    edit = quick.change("lamps/bell/bright.ini#Bright=9")
    assert face.deploy(edit) == "deployed"
    newer = lamp("bell", "1.3", bright=7)
    newer["bell/bright.ini"] += b"; how long\nLong=3\n"
    assert face.deploy(face.install("bell-1.3.zip", newer, rest="mine")) == "deployed"
    now = quick.files()
    assert now["lamps/bell/bright.ini"] == b"; how bright\nBright=9\n; how long\nLong=3\n"
    assert "lamps/bell/old.dat" not in now

    prepared = {"north.yml": b"depth: 5\n", "new/west.dat": b"\x00west"}
    assert face.deploy(face.replace_folder("charts", prepared)) == "deployed"
    now = quick.files()
    assert {path: data for path, data in now.items() if path.startswith("charts/")} == {
        f"charts/{path}": data for path, data in prepared.items()
    }
    with zipfile.ZipFile(io.BytesIO(now["charts.zip"])) as packed:
        assert {name: packed.read(name) for name in packed.namelist()} == prepared

    files = atlas(plates)
    install = face.install("atlas-3.0.zip", files, if_refused="leave-out")
    assert face.deploy(install) == "deployed"
    assert quick.zerrit.runs("reef")[0].evidence.refused.keys() == refused
    wanted = {f"lamps/{path}": data for path, data in files.items() if f"lamps/{path}" not in refused}
    assert {path: data for path, data in quick.files().items() if "/atlas/" in path} == wanted

    assert face.roll_back(start) == "done"
    assert _own(quick) == before


def test_by_the_client_over_ftp_with_800_files_and_a_drop(quick: Quick, monkeypatch: pytest.MonkeyPatch) -> None:
    quick.add("reef", "ftp")
    real, written = FtpConnection._write_or_refused, list[str]()

    def write(connection: FtpConnection, file: NewFile) -> int | ConnectionFailed:
        written.append(file.path)
        if len(written) == 300:  # as many drops as the tries of one file and of those beside it
            quick.misbehave(drop_after=20, times=9)
        return real(connection, file)

    monkeypatch.setattr(FtpConnection, "_write_or_refused", write)
    tell(quick, ByClient(quick), plates=796, refused=PROGRAMS)
    assert len(written) < 900, "what was written before the drop is not written again"


def test_by_plain_http_over_sftp(quick: Quick) -> None:
    quick.add("reef", "sftp")
    tell(quick, ByHttp(quick))


def test_by_commands_over_ftp_with_tls(quick: Quick, tmp_path: Path) -> None:
    quick.add("reef", "ftps")
    (tmp_path / "work").mkdir()
    tell(quick, ByCommand(quick, tmp_path / "work"), refused=PROGRAMS)


def test_by_a_person_who_carries_the_files(quick: Quick) -> None:
    quick.carry("reef")
    tell(quick, ByClient(quick, Carrier(quick, "reef")))
