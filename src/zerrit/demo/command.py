"""The command `zerrit demo`: the stand-in host with its games, and the service with demo data."""

from __future__ import annotations

import signal
import sys
import threading
from pathlib import Path

import click

from zerrit.demo.stack import ADMIN, PASSWORD, DemoStack, Ports, PortTaken
from zerrit.web import configure_log


@click.command()
@click.option(
    "--folder",
    type=click.Path(file_okay=False, path_type=Path),
    default=Path(".demo"),
    show_default=True,
    help="Folder for the demo data.",
)
@click.option("--port", default=8750, show_default=True, help="Port of the service and console.")
@click.option("--ftp-port", default=8721, show_default=True, help="Port of the stand-in host's FTP server.")
@click.option("--control-port", default=8780, show_default=True, help="Port of the stand-in host's control.")
def demo(folder: Path, port: int, ftp_port: int, control_port: int) -> None:
    """Start a demo: a stand-in host with two games, and the service with demo data. Ctrl-C ends it."""
    configure_log(as_json=False, least="warning")
    stop = threading.Event()
    for number in (signal.SIGINT, signal.SIGTERM):
        signal.signal(number, lambda *_: stop.set())
    folder.mkdir(parents=True, exist_ok=True)
    try:
        stack = DemoStack(folder, Ports(port, ftp_port, control_port))
    except PortTaken as error:
        click.echo(f"demo: {error}", err=True)
        sys.exit(3)
    with stack:
        stack.seed()
        click.echo(f"""
  Zerrit is ready:   {stack.url}
  Sign in as:        {ADMIN}   password: {PASSWORD}

  Two games run on the stand-in host: coral-gate (by FTP on port {stack.host.ftp_port}) and lantern-shelf (by folder).
  The game's files:  {stack.host_folder}
  Archives to try:   {stack.folder / "downloads"}
  From a terminal:   zerrit sign-in --url {stack.url} --name {ADMIN} --password {PASSWORD}
                     zerrit server list

  Ctrl-C ends everything; the data stays in {folder} for the next time.
""")
        stop.wait()
        click.echo("Stopping ...")
