"""Commands for servers that a person carries files to, or whose game a person stops and starts."""

from __future__ import annotations

import zipfile
from pathlib import Path

import click

from zerrit.cli.files import contents_of
from zerrit.cli.output import echo
from zerrit.cli.servers import server
from zerrit.cli.session import connect
from zerrit.core.wording import counted


@server.command("report")
@click.argument("server_id")
@click.argument("state", type=click.Choice(["running", "stopped"]))
@click.option("--sure", is_flag=True, help="Report it even if its log says otherwise.")
def report(server_id: str, state: str, sure: bool) -> None:
    """Report the state of a game that you stop and start yourself. Its log is checked first."""
    with connect() as zerrit:
        answer = zerrit.report_state(server_id, state == "running", sure)
    echo(f"{server_id}: {answer['state']}")


@server.command("upload")
@click.argument("server_id")
@click.argument("source", type=click.Path(exists=True, path_type=Path))
@click.option("--as", "path", default="", help="The path on the server of a single file.")
@click.option("--gone", multiple=True, metavar="PATH", help="A file that is not on the server any more.")
def upload(server_id: str, source: Path, path: str, gone: tuple[str, ...]) -> None:
    """Upload the files of a server with a manual connection. SOURCE is a folder, a ZIP, or one file with --as PATH."""
    with connect() as zerrit:
        if source.is_dir():
            uploaded = zerrit.upload(server_id, contents_of(source), gone)
        elif path:
            uploaded = zerrit.upload(server_id, {path: source.read_bytes()}, gone)
        elif zipfile.is_zipfile(source):
            uploaded = zerrit.upload_zip(server_id, source.read_bytes())
        else:
            raise click.UsageError(f"{source} is one file. Give its path on the server: --as PATH.")
    echo(f"{counted(len(uploaded.stored), 'file')} uploaded from {source}.")
