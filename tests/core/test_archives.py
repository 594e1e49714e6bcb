"""ZIPs from outside: bounded, and refused whole where anything about them is odd."""

from __future__ import annotations

import io
import zipfile

import pytest

from zerrit.core import archives
from zerrit.core.archives import unpack
from zerrit.core.errors import ArchiveRefused


def packed(*files: tuple[str, bytes]) -> bytes:
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as zipped:
        for name, data in files:
            zipped.writestr(name, data)
    return buffer.getvalue()


def test_files_come_out_under_their_paths() -> None:
    assert unpack(packed(("a.xml", b"<a/>"), ("b/c.ini", b"x=1"))) == {"a.xml": b"<a/>", "b/c.ini": b"x=1"}


@pytest.mark.parametrize(
    ("bound", "said"),
    [("MOST_MEMBERS", "more than 2 files"), ("MOST_UNPACKED", "which is the most that is unpacked")],
)
def test_an_archive_has_bounds(monkeypatch: pytest.MonkeyPatch, bound: str, said: str) -> None:
    three = packed(*((f"{number}.txt", b"xx") for number in range(3)))
    assert len(unpack(three)) == 3
    monkeypatch.setattr(archives, bound, 2)
    with pytest.raises(ArchiveRefused, match=said):
        unpack(three)


@pytest.mark.filterwarnings("ignore:Duplicate name")
@pytest.mark.parametrize(
    ("files", "said"),
    [
        ([("a.xml", b"1"), ("a.xml", b"2")], "holds `a.xml` twice"),
        ([("a.xml", b"1"), ("A.xml", b"2")], "twice"),
        ([("../a.xml", b"1")], "refused"),
        ([("/a.xml", b"1")], "refused"),
        ([("c:/a.xml", b"1")], "refused"),
        *(
            ([(name, b"1")], "not a file name on every host")
            for name in ("a/con", "AUX.txt", "lpt1.dat/x", " nul .x/y", "a./b", "a/b ")
        ),
        ([], "holds no file"),
    ],
)
def test_odd_names_are_refused(files: list[tuple[str, bytes]], said: str) -> None:
    with pytest.raises(ArchiveRefused, match=said):
        unpack(packed(*files))


def test_names_that_only_look_like_devices_are_taken() -> None:
    names = ["console/falcon.txt", "com0", "con-1.ini", "aux_.xml", "a b/é (2).txt", ".env"]
    assert list(unpack(packed(*((name, b"1") for name in names)))) == names


def test_members_that_overlap_are_refused() -> None:
    """Two entries of the directory that lead to the same bytes."""
    data = bytearray(packed(("a.xml", b"<a/>"), ("b.xml", b"<b/>")))
    second = data.rfind(b"PK\x01\x02")
    data[second + 42 : second + 46] = (0).to_bytes(4, "little")
    with pytest.raises(ArchiveRefused, match="overlap"):
        unpack(bytes(data))


@pytest.mark.parametrize("cut", [1, 30, 60])
def test_a_damaged_archive_is_refused(cut: int) -> None:
    data = packed(("a.xml", b"<a/>" * 100))
    with pytest.raises(ArchiveRefused):
        unpack(data[:-cut])
