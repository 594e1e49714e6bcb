"""One suite for every link: a folder, and FTP against the stand-in host."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest

from zerrit.core.errors import PathRefused
from zerrit.links import PART_PREFIX, FolderLink, FtpLink, Link, LinkError, LinkFault
from zerrit.standin import StandinHost


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    game = tmp_path / "game"
    (game / "sea").mkdir(parents=True)
    (game / "sea" / "a.xml").write_bytes(b"<a/>")
    (game / "b \u00e9.txt").write_bytes(b"tide")
    return game


@pytest.fixture(params=["folder", "ftp"])
def link(request: pytest.FixtureRequest, folder: Path) -> Iterator[Link]:
    if request.param == "folder":
        yield FolderLink(folder)
        return
    host = StandinHost(folder.parent, ("game",), "keys")
    host.games["game"].start = lambda: None  # type: ignore[method-assign]  # these files are no game
    host.start()
    with FtpLink("127.0.0.1", host.ftp_port, "game", "keys") as opened:
        yield opened
    host.stop()


def test_files_are_listed_read_written_and_removed(link: Link, folder: Path) -> None:
    assert [(file.path, file.size) for file in link.list()] == [("b \u00e9.txt", 4), ("sea/a.xml", 4)]
    link.write("sea/new/c.bin", bytes(range(256)) * 50)
    assert link.read("sea/new/c.bin") == bytes(range(256)) * 50
    link.write("sea/a.xml", b"<b/>")
    assert (folder / "sea/a.xml").read_bytes() == b"<b/>"
    link.remove("sea/a.xml")
    link.remove("sea/a.xml")
    assert [file.path for file in link.list()] == ["b \u00e9.txt", "sea/new/c.bin"]
    assert not list(folder.rglob(f"{PART_PREFIX}*"))


def test_left_over_parts_are_not_listed_and_are_swept(link: Link, folder: Path) -> None:
    (folder / "sea" / f"{PART_PREFIX}a.xml").write_bytes(b"half")
    assert [file.path for file in link.list()] == ["b \u00e9.txt", "sea/a.xml"]
    assert link.sweep() == 1
    assert not list(folder.rglob(f"{PART_PREFIX}*"))


def test_a_missing_file_is_said(link: Link) -> None:
    with pytest.raises(LinkError, match=r"sea/none\.xml") as caught:
        link.read("sea/none.xml")
    assert caught.value.fault is LinkFault.MISSING


@pytest.mark.parametrize("path", ["../a", "/etc/a", "sea/../../a", "a\r\nDELE b", "a\\b", "", "c:/a", "a/./b"])
def test_a_path_that_leaves_the_folder_is_refused(link: Link, path: str) -> None:
    for act in (lambda: link.read(path), lambda: link.write(path, b"x"), lambda: link.remove(path)):
        with pytest.raises(PathRefused, match="such a path is refused"):
            act()


def test_a_link_out_of_the_folder_is_not_followed(folder: Path, tmp_path: Path) -> None:
    (tmp_path / "secret").write_text("keys")
    (folder / "out").symlink_to(tmp_path)
    (folder / "direct").symlink_to(tmp_path / "secret")
    link = FolderLink(folder)
    assert "secret" not in str([file.path for file in link.list()])
    for path in ("out/secret", "direct"):
        with pytest.raises(PathRefused, match="leads out of the server's folder"):
            link.read(path)


def test_the_host_refuses_programs_and_the_file_before_stays(folder: Path) -> None:
    host = StandinHost(folder.parent, ("game",), "keys")
    host.games["game"].start = lambda: None  # type: ignore[method-assign]
    host.start()
    with FtpLink("127.0.0.1", host.ftp_port, "game", "keys") as link, pytest.raises(LinkError) as caught:
        link.write("tool.exe", b"MZ")
    host.stop()
    assert caught.value.fault is LinkFault.DENIED
    assert "Programs are refused" in str(caught.value)
    assert not list(folder.rglob("*.exe*"))


def test_an_unreachable_host_and_a_wrong_password_are_told_apart(folder: Path) -> None:
    with pytest.raises(LinkError, match=r"No FTP server answers at 127\.0\.0\.1:1"):
        FtpLink("127.0.0.1", 1, "game", "keys")
    host = StandinHost(folder.parent, ("game",), "keys")
    host.games["game"].start = lambda: None  # type: ignore[method-assign]
    host.start()
    with pytest.raises(LinkError, match="refuses the user `game` or its password") as caught:
        FtpLink("127.0.0.1", host.ftp_port, "game", "wrong")
    host.stop()
    assert caught.value.fault is LinkFault.SIGN_IN
