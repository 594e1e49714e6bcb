"""What a person has to put on a server with a manual connection, and what of it is still missing."""

from __future__ import annotations

import io
import zipfile
from collections.abc import Mapping, Sequence
from difflib import SequenceMatcher

from zerrit.connections import Connection
from zerrit.records import Run, digest_of
from zerrit.work.base.errors import WrongState
from zerrit.work.base.run_records import get_run
from zerrit.work.base.workspace import Workspace
from zerrit.work.deploy.stages import StageName
from zerrit.work.snapshots.live_files import Held


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
    lines = [f"Run {run.id} on {run.server_id}: what to do manually", ""]
    number = 0
    for number, path in enumerate(paths, 1):
        folder = path.rpartition("/")[0]
        where = f"the folder {folder}" if folder else "the main folder"
        if path in held:
            lines.append(f"{number}. Upload files/{path} into {where} of the server. Replace the file that is there.")
            if blocks.get(path):
                lines.append(f"   If only an editor is offered: blocks/{path}.txt says what to find and what to paste.")
        else:
            lines.append(f"{number}. Delete {path} on the server.")
    lines += [
        f"{number + 1}. Download these files again from the server, so that you have what really is there.",
        f"{number + 2}. Show them to Zerrit: zerrit server upload {run.server_id} FOLDER",
        "   Or pack them into a ZIP, and take that in on the page of the change.",
        "",
        "Zerrit compares every file with what it should be, and goes on automatically when all are right.",
        "",
    ]
    return "\n".join(lines)
