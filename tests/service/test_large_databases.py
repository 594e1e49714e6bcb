"""A database of more than 64 MB: kept where the gamebook says so, compared by rows, brought back byte for byte."""

from __future__ import annotations

import sqlite3
from collections.abc import Iterator
from contextlib import closing
from pathlib import Path

import pytest

from tests.cli.command import zerrit
from tests.quick import ADMIN, GAMEBOOK, PASSWORD, Quick, quick_stack
from zerrit import api

KEEPING = GAMEBOOK.replace("files:\n", "files:\n  stock.db: {keep_large: true, optional: true}\n")


def play(path: Path, *statements: str) -> None:
    with closing(sqlite3.connect(path)) as connection:
        for statement in statements:
            connection.execute(statement)
        connection.commit()


@pytest.fixture(scope="module")
def large(tmp_path_factory: pytest.TempPathFactory) -> bytes:
    path = tmp_path_factory.mktemp("large") / "stock.db"
    play(
        path,
        "CREATE TABLE crates (id INTEGER PRIMARY KEY, owner TEXT NOT NULL, seal BLOB)",
        "WITH RECURSIVE n (i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < 700)"
        " INSERT INTO crates SELECT i, 'Ada', zeroblob(100000) FROM n",
    )
    assert path.stat().st_size > 64 << 20
    return path.read_bytes()


@pytest.fixture(params=["folder"])
def quick(tmp_path: Path, large: bytes, request: pytest.FixtureRequest) -> Iterator[Quick]:
    with quick_stack(tmp_path, patience=30) as stack:
        stack.workspace.limits = stack.workspace.limits.__class__(timeout=20)
        stack.zerrit.save_gamebook("quick", KEEPING)
        (stack.game().folder / "stock.db").write_bytes(large)
        stack.add(kind=request.param)
        yield stack


def kept(quick: Quick) -> list[str]:
    return sorted(path.name for path in (quick.folder / "data/large").iterdir())


def test_it_is_kept_compared_by_rows_and_brought_back(quick: Quick, large: bytes) -> None:
    client = quick.zerrit
    path = quick.game().folder / "stock.db"
    assert len(kept(quick)) == 1
    play(path, "UPDATE crates SET owner = 'Bo' WHERE id = 7", "DELETE FROM crates WHERE id = 9")
    client.fetch("reef")
    assert len(kept(quick)) == 2
    drifted = {one.address: (one.kind, one.old, one.new) for one in client.drift("reef").differences}
    assert drifted["stock.db#crates[7]/owner"] == ("changed", "Ada", "Bo")
    assert drifted["stock.db#crates[9]"][0] == "removed"
    compared = client.comparison("reef@1", "reef@latest", "", False).differences
    assert [one.address for one in compared] == ["stock.db#crates[7]/owner", "stock.db#crates[9]"]
    assert client.comparison("reef@latest", "reef@live", "", False).differences == []
    end = quick.end_of(client.rollback("reef", 1))
    assert end.state == "done", [stage.detail for stage in end.stages]
    assert path.read_bytes() == large
    token = client.token(ADMIN, PASSWORD).token
    signed = {"ZERRIT_URL": quick.url, "ZERRIT_TOKEN": token}
    saved = zerrit("backup", "--save-to", "all.db", cwd=quick.folder, **signed)
    assert saved.code == 0, saved.err
    out = zerrit("rescue", "all.db", "1", "--save-to", "out", cwd=quick.folder)
    assert out.code == 0, out.err
    assert (quick.folder / "out/stock.db").read_bytes() == large, "a backup is one file, with all that is kept"
    beside = zerrit("rescue", "data/zerrit.db", "1", "--save-to", "beside", cwd=quick.folder)
    assert (beside.code, (quick.folder / "beside/stock.db").read_bytes() == large) == (0, True)


def test_what_no_snapshot_needs_any_more_goes_and_damage_is_told(quick: Quick, large: bytes) -> None:
    client = quick.zerrit
    path = quick.game().folder / "stock.db"
    for owner in ("Bo", "Cy"):
        play(path, f"UPDATE crates SET owner = '{owner}' WHERE id = 7")  # noqa: S608 (words of ours)
        client.fetch("reef")
    assert len(kept(quick)) == 3
    (quick.folder / "data/large/.part-of-a-kill").write_bytes(b"x")
    server = client.server("reef")
    client.change_server(
        api.ServerIn(
            id="reef",
            gamebook="quick",
            connection=server.connection,
            control=server.control,
            maintenance=api.Maintenance(retention=api.Retention(last=1, daily=0, weekly=0, monthly=0)),
        )
    )
    client.prune("reef")
    assert len(kept(quick)) == 1, kept(quick)
    assert client.verify_all().damaged == {}
    (one,) = (quick.folder / "data/large").iterdir()
    with one.open("r+b") as file:
        file.seek(50_000_000)
        file.write(b"spoilt")
    assert [*client.verify_all().damaged.values()] == [["stock.db"]]


def test_without_the_word_of_the_gamebook_it_is_only_watched(tmp_path: Path, large: bytes) -> None:
    with quick_stack(tmp_path) as quick:
        (quick.game().folder / "stock.db").write_bytes(large)
        quick.add()
        assert not (quick.folder / "data/large").exists()
