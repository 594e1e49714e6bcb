"""The command that shows which settings no one has looked at, and marks them as read."""

from __future__ import annotations

from collections.abc import Sequence

import click

from zerrit import api
from zerrit.cli.output import echo, output_option, print_json, print_table, short
from zerrit.cli.session import connect
from zerrit.core.wording import counted


@click.command()
@click.argument("server_id")
@click.argument("path", required=False)
@click.option("--read", "read", multiple=True, metavar="ADDRESS", help="Mark a setting as read; may be given again.")
@click.option("--read-all", is_flag=True, help="Mark all settings of the file as read.")
@click.option("--unread", "only_unread", is_flag=True, help="Show only settings that no one has read.")
@output_option
def review(
    server_id: str, path: str | None, read: tuple[str, ...], read_all: bool, only_unread: bool, output: str
) -> None:
    """Show which settings no one has reviewed since their defaults were imported.

    Without a file: how far each file is. With one: its settings. A setting that an upgrade brings, or whose default
    changes, is shown again.
    """
    if (read or read_all) and path is None:
        raise click.UsageError("Name the file whose settings were read.")
    with connect() as zerrit:
        if path is None:
            _print_files(zerrit.review(server_id), output)
            return
        marked = zerrit.mark_read(server_id, path, None if read_all else read).marked if read or read_all else 0
        settings = zerrit.review_file(server_id, path)
    shown = [one for one in settings if one.state == "unread"] if only_unread else settings
    if output == "json":
        print_json([one.model_dump(mode="json") for one in shown])
        return
    if marked:
        echo(f"Marked as read: {counted(marked, 'setting')}.")
    _print_settings(shown)
    unread = sum(one.state == "unread" for one in settings)
    echo(f"{unread} of {counted(len(settings), 'setting')} unread.")


def _print_settings(shown: Sequence[api.SettingOut]) -> None:
    columns = ("setting", "value", "default", "state", "what it is")
    print_table(columns, [_row(one) for one in shown], whole=("setting",))


def _print_files(files: Sequence[api.FileReviewOut], output: str) -> None:
    if output == "json":
        print_json([file.model_dump(mode="json") for file in files])
        return
    rows = [(f.path, str(f.settings), str(f.unread) if f.unread else "-", f.purpose) for f in files]
    print_table(("file", "settings", "unread", "what it is"), rows, right=("settings", "unread"), whole=("file",))
    echo(f"{counted(sum(f.unread for f in files), 'setting')} that no one has looked at.")


def _row(one: api.SettingOut) -> tuple[str, ...]:
    state = {"unread": "unread", "read": "read", "own": "own value"}[one.state]
    return (
        one.address.partition("#")[2],
        short(one.value, 30),
        short(one.default, 30) if one.value != one.default else "",
        f"{state} by {one.person}" if one.person else state,
        short(one.note or one.comment, 60),
    )
