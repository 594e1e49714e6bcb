"""Every mix of folder, file, ZIP, snapshot and server is compared; what is not text is told by size and hash."""

from __future__ import annotations

import hashlib
from collections.abc import Iterator
from pathlib import Path

import pytest

from tests.cli.command import Done, zerrit
from tests.quick import ADMIN, PASSWORD, Quick, quick_stack
from zerrit import api
from zerrit.client import Client

PACK = b"\x00\x01pack" * 50


@pytest.fixture(scope="module")
def quick(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Quick]:
    with quick_stack(tmp_path_factory.mktemp("mixed")) as stack:
        (stack.game().folder / "mods.pak").write_bytes(PACK)
        stack.add()
        yield stack


@pytest.fixture
def mine(quick: Quick, tmp_path: Path) -> Path:
    """A copy of the server's files, with one value, one binary and one new file."""
    for path, data in quick.files().items():
        (tmp_path / "mine" / path).parent.mkdir(parents=True, exist_ok=True)
        (tmp_path / "mine" / path).write_bytes(data)
    (tmp_path / "mine/sea/3.yml").write_bytes(quick.files()["sea/3.yml"].replace(b"holds: 0", b"holds: 9"))
    (tmp_path / "mine/mods.pak").write_bytes(PACK + b"!")
    (tmp_path / "mine/notes.txt").write_text("mine\n")
    return tmp_path


def compare(quick: Quick, cwd: Path, *words: str) -> Done:
    with Client(quick.url) as anonymous:
        token = anonymous.token(ADMIN, PASSWORD).token
    return zerrit("compare", *words, cwd=cwd, ZERRIT_URL=quick.url, ZERRIT_TOKEN=token)


def test_a_folder_is_compared_with_the_live_server(quick: Quick, mine: Path) -> None:
    done = compare(quick, mine, "mine", "reef@live", "--output", "json")
    found = {one["address"]: (one["kind"], one["old"], one["new"]) for one in done.data["differences"]}
    size, digest = len(PACK), hashlib.sha256(PACK).hexdigest()[:12]
    other = hashlib.sha256(PACK + b"!").hexdigest()[:12]
    assert found == {
        "mods.pak": ("changed", f"{size + 1:,} bytes, SHA-256 {other}", f"{size:,} bytes, SHA-256 {digest}"),
        "notes.txt": ("removed", "file", None),
        "sea/3.yml#holds": ("changed", "9", "0"),
    }
    assert done.code == 1


@pytest.mark.parametrize(
    ("words", "code", "said"),
    [
        (("reef@latest", "mine"), 1, "sea/3.yml#holds"),
        (("mine/sea/3.yml", "reef@latest/sea/3.yml"), 1, "3.yml#holds"),
        (("mine/sea/3.yml", "reef@live"), 1, "3.yml#holds"),
        (("reef@live/sea/1.yml", "reef@latest/sea/2.yml"), 1, "2.yml#number"),
        (("mine/sea/1.yml", "mine"), 0, "No difference."),
        (("mine/mods.pak", "reef@live"), 1, "SHA-256"),
        (("mine", "reef@live", "--only", "sea/3.yml#holds"), 1, "1 difference"),
        (("mine", "reef@live/sea/none.yml"), 2, "has no file sea/none.yml"),
        (("nowhere", "reef@live"), 2, "There is no file or folder nowhere"),
        (("mine/notes.txt", "reef@live"), 2, "no file of that name"),
    ],
)
def test_every_mix_is_compared(quick: Quick, mine: Path, words: tuple[str, ...], code: int, said: str) -> None:
    done = compare(quick, mine, *words)
    assert (done.code, said in done.out + done.err) == (code, True), done.out + done.err


def test_an_exported_snapshot_is_compared_like_a_folder(quick: Quick, mine: Path) -> None:
    newest = quick.zerrit.snapshots("reef")[0].id
    (mine / "copy.zip").write_bytes(quick.zerrit.export_snapshot("reef", newest))
    assert "No difference." in compare(quick, mine, "copy.zip", f"reef@{newest}").out
    assert "3 differences" in compare(quick, mine, "copy.zip", "mine").out


def test_bytes_of_a_binary_are_never_printed(quick: Quick, mine: Path) -> None:
    (mine / "old.pak").write_bytes(PACK)
    for output in ("table", "json", "text", "html"):
        done = compare(quick, mine, "old.pak", "mine/mods.pak", "--output", output)
        assert (done.code, "\x01" in done.out, "pack" in done.out.replace(".pak", "")) == (1, False, False)


def test_a_binary_is_shown_by_kind_size_and_hash(quick: Quick, mine: Path) -> None:
    (mine / "a.zip").write_bytes(b"PK\x03\x04\x00\x00")
    shown = zerrit("show", "a.zip", cwd=mine)
    assert (shown.code, "ZIP archive, 6 bytes, SHA-256" in shown.out) == (0, True)
    (place,) = quick.zerrit.show("reef", "mods.pak")
    assert (place.kind, place.source) == (
        "binary",
        f"binary file, {len(PACK):,} bytes, SHA-256 {hashlib.sha256(PACK).hexdigest()}",
    )


def test_a_changed_binary_is_a_difference_between_snapshots(quick: Quick) -> None:
    before = quick.zerrit.snapshots("reef")[0].id
    (quick.game().folder / "mods.pak").write_bytes(PACK * 2)
    after = quick.zerrit.fetch("reef").snapshot.id
    found = quick.zerrit.comparison(f"reef@{before}", f"reef@{after}")
    assert [(one.kind, one.address) for one in found.differences] == [("changed", "mods.pak")]
    assert found.texts == []
    (quick.game().folder / "mods.pak").write_bytes(PACK)
    quick.zerrit.fetch("reef")


def test_the_lines_that_differ_are_worked_out_only_when_asked_for(quick: Quick) -> None:
    change = quick.change("sea/1.yml#holds=7")
    assert quick.zerrit.differences(change).texts == []
    (text,) = quick.zerrit.differences(change, texts=True).texts
    assert "-holds: 0\n+holds: 7\n" in text.text


def test_a_step_that_removes_a_binary_is_deployed_and_can_be_taken_back(quick: Quick) -> None:
    change = quick.zerrit.create_change("reef", "Without the pack").id
    quick.zerrit.add_step(change, api.StepIn(kind="remove-file", address="mods.pak"))
    assert [(one.kind, one.address) for one in quick.zerrit.differences(change).differences] == [
        ("removed", "mods.pak")
    ]
    run = quick.end_of(quick.zerrit.deploy(change))
    assert (run.state, "mods.pak" in quick.files()) == ("deployed", False), run.outcome
    back = quick.end_of(quick.zerrit.rollback("reef", run.before or 0))
    assert (back.state, quick.files()["mods.pak"]) == ("done", PACK)


def test_only_what_is_chosen_by_what_it_is(tmp_path: Path) -> None:
    for name, want in (("old.xml", 1), ("new.xml", 2)):
        entries = "".join(
            f'<thing name="{key}" kind="{kind}" want="{want}"/>' for key, kind in zip("ABC", "xyx", strict=True)
        )
        (tmp_path / name).write_text(f"<a>{entries}</a>")
    done = zerrit("compare", "old.xml", "new.xml", "--only", "thing[kind=x]", cwd=tmp_path)
    assert [key for key in "ABC" if f"thing[{key}]" in done.out] == ["A", "C"]
    last = zerrit("compare", "old.xml", "new.xml", "--only", "thing[#-1]/@want", cwd=tmp_path)
    assert [key for key in "ABC" if f"thing[{key}]" in last.out] == ["C"]
    none = zerrit("compare", "old.xml", "new.xml", "--only", "thing[kind=z]", cwd=tmp_path)
    assert "none that fits" in none.err
