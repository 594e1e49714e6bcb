"""Files that a person carries: taking in what they show, handing out what they should put on the server."""

from __future__ import annotations

import io
import zipfile
from collections.abc import Sequence

from zerrit.core.errors import PathRefused
from zerrit.core.paths import safe_path
from zerrit.core.wording import counted
from zerrit.records import Run
from zerrit.work.activity import note
from zerrit.work.archives import unpack
from zerrit.work.errors import Conflict, Refused
from zerrit.work.runs import get_run
from zerrit.work.servers import get_server
from zerrit.work.stages import StageName
from zerrit.work.taking import Held
from zerrit.work.workspace import Workspace


def take_in(
    workspace: Workspace, person: str, server_id: str, given: Sequence[tuple[str, bytes]], gone: Sequence[str]
) -> list[str]:
    """Take in files as they are on the server now, each under its path; one without a path is a ZIP of many.

    Nothing is taken in when one of them is refused. Raises NotFound, Refused. Returns the paths.
    """
    with workspace.session() as session:
        server = get_server(session, server_id)
    if server.link["kind"] != "hand":
        raise Refused(
            f"The files of {server_id} are fetched over its link ({server.link['kind']}); nothing is taken in by hand."
        )
    files: dict[str, bytes] = {}
    try:
        for path, data in given:
            files.update({safe_path(path): data} if path else dict(unpack(data)))
        away = [safe_path(path) for path in gone]
    except PathRefused as error:
        raise Refused(f"Nothing was taken in: {error}") from error
    with workspace.hand_link(server_id) as link:
        for path, data in files.items():
            link.take_in(path, data)
        for path in away:
            link.let_go(path)
    with workspace.session() as session:
        said = counted(len(files), "file") + (f", {len(away)} gone" if away else "")
        note(workspace, session, person, "server.taken-in", server_id, said)
    workspace.publish("server", {"server": server_id})
    return sorted(files)


def hand_out(workspace: Workspace, run_id: int) -> bytes:
    """The files that a run asks a person to put on the server, as a ZIP with numbered steps.

    Raises NotFound, Conflict: the run asks for nothing.
    """
    with workspace.session() as session:
        run = get_run(session, run_id)
        back = run.stage == StageName.RESTORE
        writes = {file.path: file.old if back else file.new for file in run.files}
        if not run.asks or run.stage not in (StageName.WRITE, StageName.RESTORE):
            raise Conflict(f"Run {run_id} does not ask for files to be carried now (it is at {run.stage}).")
    held = Held(workspace, {path: digest for path, digest in writes.items() if digest is not None})
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as packed:
        packed.writestr("STEPS.txt", _steps(run, {path: digest is not None for path, digest in writes.items()}))
        for path, data in held.items():
            packed.writestr(f"files/{path}", data)
    return buffer.getvalue()


def _steps(run: Run, writes: dict[str, bool]) -> str:
    lines = [f"Run {run.id} on {run.server_id}: what to do by hand", ""]
    number = 0
    for path, is_there in writes.items():
        number += 1
        folder = path.rpartition("/")[0]
        where = f"the folder {folder}" if folder else "the main folder"
        if is_there:
            lines.append(f"{number}. Upload files/{path} into {where} of the server. Replace the file that is there.")
        else:
            lines.append(f"{number}. Delete {path} on the server.")
    lines += [
        f"{number + 1}. Download these files again from the server, so that you have what really lies there.",
        f"{number + 2}. Show them to Zerrit: zerrit take-in {run.server_id} FOLDER, or drop them on the server's page.",
        "",
        "Zerrit compares every file with what it should be, and goes on by itself when all are right.",
        "",
    ]
    return "\n".join(lines)
