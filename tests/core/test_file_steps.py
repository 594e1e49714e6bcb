"""Steps on whole files and folders, of any bytes."""

from __future__ import annotations

from collections.abc import Mapping

import pytest

from zerrit.core.checks import touched
from zerrit.core.documents import Document, read_document
from zerrit.core.file_steps import TOO_LARGE, Marks
from zerrit.core.steps import OutcomeKind, Replay, Step, StepKind, replay

PACK, NEWER = b"PK\x03\x04\x00\x00one", b"PK\x03\x04\x00\x00two"
CONTENTS = {"a" * 64: PACK, "b" * 64: NEWER, "c" * 64: b"lamps: 3\n", "d" * 64: b"\xef\xbb\xbflamps: 4\r\n"}
OLD, NEW, TEXT, MARKED = CONTENTS


def texts() -> dict[str, Document]:
    given = {"kit/lamps.yml": b"lamps: 2\n", "kit/deep/notes.txt": b"dim\n", "hut.ini": b"[Hut]\nrope=2\n"}
    return {path: read_document(data, path) for path, data in given.items()}


OTHERS: Mapping[str, str] = {"kit/shell.pak": OLD, "maps/far.pak": TOO_LARGE}


MARKS = Marks(frozenset({"kit/deep/notes.txt"}), frozenset({"kit/spare", "maps/old/none"}))


def made(*steps: Step) -> Replay:
    return replay(texts(), steps, read_document, OTHERS, CONTENTS.__getitem__, marks=MARKS)


def files(replayed: Replay) -> dict[str, bytes]:
    found = {path: document.to_bytes() for path, document in replayed.documents.items()}
    return found | {path: CONTENTS.get(digest, b"?") for path, digest in replayed.others.items()}


BEFORE = files(made())


def test_a_file_of_any_bytes_is_put_and_a_text_becomes_one() -> None:
    done = made(
        Step(StepKind.PUT_FILE, "kit/shell.pak", digest=NEW),
        Step(StepKind.PUT_FILE, "kit/lamps.yml", digest=MARKED),
        Step(StepKind.PUT_FILE, "hut.ini", digest=OLD),
        Step(StepKind.PUT_FILE, "new/one.yml", digest=TEXT),
    )
    assert done.is_whole
    put = {"kit/shell.pak": NEWER, "kit/lamps.yml": CONTENTS[MARKED], "hut.ini": PACK, "new/one.yml": CONTENTS[TEXT]}
    assert files(done) == BEFORE | put
    assert done.touched == put.keys()
    assert "hut.ini" not in done.documents
    assert [one.new for one in done.outcomes[0].changes] == ["9 bytes"]


def test_another_encoding_of_the_same_text_is_another_file() -> None:
    marked = b"\xef\xbb\xbf" + texts()["kit/lamps.yml"].to_bytes()
    step = Step(StepKind.PUT_FILE, "kit/lamps.yml", digest="m")
    done = replay(texts(), [step], read_document, OTHERS, {"m": marked}.__getitem__)
    assert (done.outcomes[0].kind, done.touched) == (OutcomeKind.DONE, {"kit/lamps.yml"})
    assert touched(texts(), done.documents) == ["kit/lamps.yml"]
    assert done.documents["kit/lamps.yml"].to_bytes() == marked


def test_what_is_so_already_changes_nothing() -> None:
    done = made(
        Step(StepKind.PUT_FILE, "kit/shell.pak", digest=OLD),
        Step(StepKind.PUT_FILE, "kit/lamps.yml", content="lamps: 2\n"),
        Step(StepKind.REMOVE_FILE, "kit/none.pak"),
        Step(StepKind.PUT_FOLDER, "kit", files={"shell.pak": OLD}),
    )
    assert {one.kind for one in done.outcomes} == {OutcomeKind.SAME}
    assert (files(done), done.touched) == (BEFORE, frozenset())


def test_a_folder_is_put_beside_what_is_there_or_in_place_of_it() -> None:
    beside = made(Step(StepKind.PUT_FOLDER, "kit/", files={"shell.pak": NEW, "more/lamps.yml": TEXT}))
    assert files(beside) == BEFORE | {"kit/shell.pak": NEWER, "kit/more/lamps.yml": CONTENTS[TEXT]}
    whole = made(Step(StepKind.PUT_FOLDER, "kit", files={"lamps.yml": TEXT}, replace_all=True))
    assert files(whole).keys() == {"hut.ini", "maps/far.pak", "kit/lamps.yml"}
    assert [(one.address, one.new) for one in whole.outcomes[0].changes] == [
        ("kit/deep/notes.txt", None),
        ("kit/shell.pak", None),
        ("kit/spare/", None),
        ("kit/lamps.yml", "1 line"),
    ]


def test_files_and_folders_are_moved_and_removed() -> None:
    moved = made(
        Step(StepKind.MOVE_FILE, "kit", target="stored/kit"), Step(StepKind.MOVE_FILE, "hut.ini", target="HUT.ini")
    )
    assert files(moved) == {
        path.replace("kit/", "stored/kit/").replace("hut", "HUT"): data for path, data in BEFORE.items()
    }
    assert moved.documents["stored/kit/lamps.yml"].path == "stored/kit/lamps.yml"
    removed = made(Step(StepKind.REMOVE_FILE, "kit/"))
    assert files(removed).keys() == {"hut.ini", "maps/far.pak"}
    assert removed.touched == {"kit/lamps.yml", "kit/deep/notes.txt", "kit/shell.pak"}


@pytest.mark.parametrize(
    ("step", "why"),
    [
        (Step(StepKind.PUT_FILE, "kit/x.pak", digest="e" * 64), "is not stored any more. Put the file again"),
        (Step(StepKind.PUT_FILE, "../x.pak", digest=OLD), "leaves the server's folder"),
        (Step(StepKind.PUT_FOLDER, "kit", files={"../../x": OLD}), "leaves the server's folder"),
        (Step(StepKind.PUT_FOLDER, "hut.ini", files={"x": OLD}), "is a file on the server"),
        (Step(StepKind.PUT_FOLDER, "kit", files={}), "no files"),
        (Step(StepKind.PUT_FILE, "kit", digest=OLD), "kit would be a file and a folder"),
        (Step(StepKind.PUT_FILE, "hut.ini/deep.txt", content="x"), "hut.ini would be a file and a folder"),
        (Step(StepKind.PUT_FOLDER, "new", files={"a": OLD, "a/b": OLD}), "new/a would be a file and a folder"),
        (Step(StepKind.MOVE_FILE, "kit/lamps.yml", target="hut.ini/x"), "hut.ini would be a file and a folder"),
        (Step(StepKind.PUT_FOLDER, "maps", files={"x": OLD}, replace_all=True), "far.pak is larger than"),
        (Step(StepKind.PUT_FILE, "maps/far.pak", digest=OLD), "is larger than"),
        (Step(StepKind.REMOVE_FILE, "maps"), "is larger than"),
        (Step(StepKind.MOVE_FILE, "kit/lamp.yml", target="x.yml"), "Nearest: kit/lamps.yml"),
        (Step(StepKind.MOVE_FILE, "kit/dep", target="x"), "Nearest: kit/deep"),
        (Step(StepKind.MOVE_FILE, "kit/lamps.yml", target="hut.ini"), "is there already"),
        (Step(StepKind.MOVE_FILE, "hut.ini", target="kit"), "Write the new path of the file: kit/hut.ini"),
        (Step(StepKind.MOVE_FILE, "kit", target="kit/inner"), "into itself"),
        (Step(StepKind.MOVE_FILE, "kit", target="../kit"), "leaves the server's folder"),
        (Step(StepKind.REMOVE_FILE, "kit/*"), "is not one file"),
    ],
)
def test_what_cannot_be_done_says_why_and_changes_nothing(step: Step, why: str) -> None:
    done = made(step)
    (outcome,) = done.outcomes
    assert outcome.kind is OutcomeKind.IMPOSSIBLE
    assert why in outcome.message
    assert (files(done), done.touched) == (BEFORE, frozenset())


def test_a_step_over_many_files_is_made_on_all_or_none() -> None:
    done = made(
        Step(StepKind.PUT_FOLDER, "kit", files={"a.yml": TEXT, "shell.pak": NEW, "z.pak": "e" * 64}, replace_all=True)
    )
    assert (files(done), done.touched) == (BEFORE, frozenset())


def test_a_file_without_text_that_only_moves_is_known_by_its_first_path() -> None:
    done = made(
        Step(StepKind.MOVE_FILE, "maps/far.pak", target="maps/near.pak"),
        Step(StepKind.MOVE_FILE, "maps", target="charts"),
    )
    assert done.is_whole
    assert done.moved == {"charts/near.pak": "maps/far.pak"}
    put = made(
        Step(StepKind.MOVE_FILE, "kit/shell.pak", target="kit/hull.pak"),
        Step(StepKind.PUT_FILE, "kit/hull.pak", digest=NEW),
    )
    assert put.moved == {}


def test_nothing_comes_in_the_place_of_what_only_a_host_can_move() -> None:
    move = Step(StepKind.MOVE_FILE, "maps/far.pak", target="maps/near.pak")
    done = made(move, Step(StepKind.PUT_FILE, "maps/far.pak", digest=OLD))
    assert [one.kind for one in done.outcomes] == [OutcomeKind.DONE, OutcomeKind.IMPOSSIBLE]
    assert "larger than" in done.outcomes[1].message
    assert done.others["maps/near.pak"] == TOO_LARGE
    over = made(
        Step(StepKind.REMOVE_FILE, "kit/shell.pak"), Step(StepKind.MOVE_FILE, "maps/far.pak", target="kit/shell.pak")
    )
    assert over.outcomes[1].kind is OutcomeKind.IMPOSSIBLE


def test_empty_folders_are_added_moved_and_removed() -> None:
    done = made(
        Step(StepKind.ADD_FOLDER, "saves/today"),
        Step(StepKind.MOVE_FILE, "kit", target="gear"),
        Step(StepKind.REMOVE_FILE, "maps/old"),
    )
    assert done.is_whole
    assert done.marks.empty_folders == {"saves/today", "gear/spare"}
    assert [(one.address, one.new) for one in done.outcomes[0].changes] == [("saves/today/", "an empty folder")]
    assert [one.address for one in done.outcomes[2].changes] == ["maps/old/none/"]


def test_a_folder_is_empty_no_more_once_something_is_in_it() -> None:
    done = made(Step(StepKind.PUT_FILE, "kit/spare/hook.txt", content="one\n"), Step(StepKind.ADD_FOLDER, "maps/old"))
    assert [one.kind for one in done.outcomes] == [OutcomeKind.DONE, OutcomeKind.SAME]
    assert done.marks.empty_folders == {"maps/old/none"}
    assert made(Step(StepKind.ADD_FOLDER, "hut.ini")).outcomes[0].kind is OutcomeKind.IMPOSSIBLE
    assert made(Step(StepKind.PUT_FILE, "kit/spare", content="x\n")).outcomes[0].kind is OutcomeKind.IMPOSSIBLE


def test_a_file_becomes_executable_and_takes_that_along() -> None:
    done = made(
        Step(StepKind.SET_EXECUTABLE, "hut.ini", executable=True),
        Step(StepKind.MOVE_FILE, "kit/deep/notes.txt", target="notes.txt"),
        Step(StepKind.PUT_FILE, "run.sh", content="#!/bin/sh\n", executable=True),
    )
    assert done.is_whole
    assert done.marks.executable == {"hut.ini", "notes.txt", "run.sh"}
    assert {"hut.ini", "notes.txt", "run.sh"} <= done.touched
    assert [(one.old, one.new) for one in done.outcomes[0].changes] == [("not executable", "executable")]
    assert (
        made(Step(StepKind.SET_EXECUTABLE, "kit/deep/notes.txt", executable=True)).outcomes[0].kind is OutcomeKind.SAME
    )
    assert (
        made(Step(StepKind.SET_EXECUTABLE, "kit/none.txt", executable=True)).outcomes[0].kind is OutcomeKind.IMPOSSIBLE
    )
    gone = made(Step(StepKind.REMOVE_FILE, "kit/deep/notes.txt"))
    assert gone.marks.executable == frozenset()


def test_a_folder_is_put_with_its_empty_folders_and_programs() -> None:
    step = Step(
        StepKind.PUT_FOLDER,
        "kit",
        files={"run.sh": TEXT},
        folders=("data/saves",),
        executables=("run.sh",),
        replace_all=True,
    )
    done = made(step)
    assert done.is_whole
    assert done.marks == Marks(frozenset({"kit/run.sh"}), frozenset({"kit/data/saves", "maps/old/none"}))
    assert "kit/spare/" in [one.address for one in done.outcomes[0].changes]
