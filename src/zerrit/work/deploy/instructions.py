"""What a person has to put on a server with a manual connection, and what of it is still missing."""

from __future__ import annotations

import io
import zipfile
from collections import Counter
from collections.abc import Collection, Iterator, Mapping, Sequence
from difflib import SequenceMatcher
from typing import Final

from zerrit.connections import Connection
from zerrit.core.paths import folders_of
from zerrit.records import Run, digest_of
from zerrit.work.base.errors import WrongState
from zerrit.work.base.run_records import get_run
from zerrit.work.base.workspace import Workspace
from zerrit.work.deploy.stages import StageName
from zerrit.work.snapshots.live_files import Held

MANY: Final = 10  #: files in a folder from which on it is uploaded as a whole


def lacking(connection: Connection, writes: Mapping[str, str | None]) -> list[str]:
    """The paths that do not lie on a server as they should."""
    present = {file.path for file in connection.files()}
    return [
        path
        for path, digest in writes.items()
        if (path in present) != (digest is not None)
        or (digest is not None and digest_of(connection.read(path)) != digest)
    ]


def instructions(workspace: Workspace, run_id: int) -> bytes:
    """The files that a run asks a person to put on the server, as a ZIP with numbered steps. What was shown to lie there as
    it should is left out.

    Raises NotFound, WrongState: the run asks for nothing.
    """
    with workspace.session() as session:
        run = get_run(session, run_id)
        back = run.stage == StageName.RESTORE
        writes = {file.path: file.old if back else file.new for file in run.files}
        if not run.asks or run.stage not in (StageName.WRITE, StageName.RESTORE):
            raise WrongState(f"Run {run_id} does not ask for files to be carried now (it is at {run.stage}).")
    with workspace.hand_connection(run.server_id) as connection:
        wanted = lacking(connection, writes)
        lying = {file.path: connection.read(file.path) for file in connection.files() if file.path in wanted}
    held = Held(workspace, {path: digest for path in wanted if (digest := writes[path]) is not None})
    blocks = {path: blocks_to_paste(lying[path], data) for path, data in held.items() if path in lying}
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as packed:
        packed.writestr("STEPS.txt", _steps(run, wanted, held, blocks))
        for path, data in held.items():
            packed.writestr(f"files/{path}", data)
            if blocks.get(path):
                packed.writestr(f"blocks/{path}.txt", blocks[path])
    return buffer.getvalue()


def blocks_to_paste(old: bytes, new: bytes) -> str:
    """What differs between two texts as blocks to find and paste, numbered, from the last line to the first: so the line
    numbers stay true while one works. Empty where one of them is not text.
    """
    if b"\0" in old + new:
        return ""
    try:
        before, after = old.decode().splitlines(), new.decode().splitlines()
    except UnicodeDecodeError:
        return ""
    codes = [one for one in SequenceMatcher(None, before, after, autojunk=False).get_opcodes() if one[0] != "equal"]
    lines: list[str] = []
    for number, (_, start, end, first, last) in enumerate(reversed(codes), 1):
        if end > start:
            lines += [
                f"{number}. Find these lines (from line {start + 1} on) and take them out:",
                "",
                *before[start:end],
                "",
            ]
            lines += ["   In their place paste:" if last > first else "   Nothing comes in their place.", ""]
        else:
            lines += [f"{number}. Behind line {start} paste:", ""]
        lines += [*after[first:last], ""] if last > first else []
    return "\n".join(lines)


def _steps(run: Run, paths: Sequence[str], held: Mapping[str, bytes], blocks: Mapping[str, str]) -> str:
    steps = [*_uploads(paths, held, blocks), *_beside_contents(run)]
    steps += [
        "Download these files again from the server, so that you have what really is there.",
        f"Show them to Zerrit: zerrit server upload {run.server_id} FOLDER\n"
        "   Or pack them into a ZIP, and take that in on the page of the change.",
    ]
    lines = [f"Run {run.id} on {run.server_id}: what to do manually", ""]
    lines += [f"{number}. {step}" for number, step in enumerate(steps, 1)]
    lines += [
        "",
        "Zerrit compares every file with what it should be, and goes on automatically when all are right.",
        "",
    ]
    return "\n".join(lines)


def _uploads(paths: Sequence[str], held: Mapping[str, bytes], blocks: Mapping[str, str]) -> Iterator[str]:
    """What to upload and to delete; a folder with many files is one step."""
    whole = {path for path in paths if path in held and not blocks.get(path)}
    folders = _with_many(whole)
    told: set[str] = set()
    for path in paths:
        folder = next((one for one in folders if path in whole and path.startswith(f"{one}/")), "")
        if folder in told:
            continue
        if folder:
            told.add(folder)
            count = sum(one.startswith(f"{folder}/") for one in whole)
            yield (
                f"Upload the folder files/{folder} with its {count} files into {_folder_of(folder)} of the server. Replace the "
                "files that are there."
            )
        elif path in held:
            said = f"Upload files/{path} into {_folder_of(path)} of the server. Replace the file that is there."
            if blocks.get(path):
                said += f"\n   If only an editor is offered: blocks/{path}.txt says what to find and what to paste."
            yield said
        else:
            yield f"Delete {path} on the server."


def _folder_of(path: str) -> str:
    folder = path.rpartition("/")[0]
    return f"the folder {folder}" if folder else "the main folder"


def _with_many(paths: Collection[str]) -> list[str]:
    """The folders that are uploaded as a whole: each the lowest one that holds all of its many files."""
    counts = Counter(folder for path in paths for folder in folders_of([path]))
    found: list[str] = []
    for folder in sorted(counts, key=lambda one: (one.count("/"), one)):
        below = any(one.startswith(f"{folder}/") and counts[one] == counts[folder] for one in counts)
        if counts[folder] >= MANY and not below and not any(folder.startswith(f"{one}/") for one in found):
            found.append(folder)
    return found


def _beside_contents(run: Run) -> Iterator[str]:
    """Folders and rights, which Zerrit cannot see where a person carries the files."""
    facts = run.evidence
    executable = {file.path: file.is_executable for file in run.files if file.is_executable is not None} | facts.marked
    if run.stage == StageName.RESTORE:
        yield from (f"Make the empty folder {folder} on the server." for folder in facts.folders_gone)
        return
    yield from (f"Make the empty folder {folder} on the server." for folder in facts.folders_new)
    yield from (f"Delete the folder {folder} on the server: nothing is left in it." for folder in facts.folders_gone)
    for path, wanted in sorted(executable.items()):
        yield f"Make {path} {'executable' if wanted else 'not executable any more'} on the server, where it has such a right."
