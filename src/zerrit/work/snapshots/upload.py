"""Upload the files of a server with a manual connection."""

from __future__ import annotations

from collections.abc import Sequence

from zerrit.core.archives import unpack
from zerrit.core.errors import PathRefused
from zerrit.core.paths import safe_path
from zerrit.core.wording import counted
from zerrit.settings import ManualConnection
from zerrit.work.base.activity_log import note
from zerrit.work.base.errors import Refused
from zerrit.work.base.workspace import Workspace
from zerrit.work.servers.servers import get_server


def upload(
    workspace: Workspace, person: str, server_id: str, given: Sequence[tuple[str, bytes]], gone: Sequence[str]
) -> list[str]:
    """Upload files as they are on the server now, each under its path; one without a path is a ZIP of many.

    Nothing is uploaded when one of them is refused. Raises NotFound, Refused. Returns the paths.
    """
    with workspace.session() as session:
        server = get_server(session, server_id)
    if not isinstance(server.connection, ManualConnection):
        raise Refused(
            f"The files of {server_id} are fetched over its connection ({server.connection.kind}); upload is for manual connections only."
        )
    files: dict[str, bytes] = {}
    try:
        for path, data in given:
            files.update({safe_path(path): data} if path else unpack(data))
        away = [safe_path(path) for path in gone]
    except PathRefused as error:
        raise Refused(f"Nothing was uploaded: {error}") from error
    with workspace.hand_connection(server_id) as connection:
        connection.upload(files, away)
    with workspace.session() as session:
        said = counted(len(files), "file") + (f", {len(away)} gone" if away else "")
        note(workspace, session, person, "server.uploaded", server_id, said)
    workspace.publish("server", {"server": server_id})
    return sorted(files)
