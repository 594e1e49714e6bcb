"""Commands that find things: what needs a person, names, text in files, the entries of a file."""

from __future__ import annotations

import sys

import click

from zerrit import api
from zerrit.cli.absent_settings import print_absent
from zerrit.cli.output import echo, output_option, print_json, print_table, short
from zerrit.cli.session import connect
from zerrit.core.wording import counted

MOST_WIDTH = 60


@click.command()
@output_option
def overview(output: str) -> None:
    """Show what needs you, over all servers. Exit code 1 when something does."""
    with connect() as zerrit:
        found = zerrit.overview()
    if output == "json":
        print_json(found.model_dump(mode="json"))
    elif not found.items:
        ended = found.last_run_ended
        echo("Nothing needs attention." + (f" The last run ended {ended:%Y-%m-%d %H:%M} UTC." if ended else ""))
    else:
        rows = [
            (one.server or "(service)", one.kind, one.message, f"{one.since:%Y-%m-%d %H:%M}" if one.since else "")
            for one in found.items
        ]
        print_table(("server", "what", "message", "since (UTC)"), rows, whole=("server", "what"))
    sys.exit(1 if found.items else 0)


@click.command()
@click.argument("words", nargs=-1, required=True)
@click.option("--server", "server_id", default="", help="Search only this server.")
@click.option("--in-files", is_flag=True, help="Search the text of the files of --server, line by line.")
@click.option("--files", default="", help="With --in-files: only these paths, with wildcards, such as '*.xml,*.yml'.")
@click.option("--whole-word", is_flag=True, help="With --in-files: only complete words.")
@click.option("--match-case", is_flag=True, help="With --in-files: capital and small letters differ.")
@click.option("--pattern", is_flag=True, help="With --in-files: the words are an RE2 pattern.")
@click.option("--change", "change_id", type=int, help="With --in-files: the files as this change leaves them.")
@output_option
def search(
    words: tuple[str, ...],
    server_id: str,
    in_files: bool,
    files: str,
    whole_word: bool,
    match_case: bool,
    pattern: bool,
    change_id: int | None,
    output: str,
) -> None:
    """Find servers, files, entries, settings, changes and snapshots by name or value.

    An address, such as '*.xml#thing[kind=cloth]', finds the places that it leads to.

    With --in-files, search the text of a server's files. Exit code 1 when nothing is found.
    """
    text = " ".join(words)
    if in_files:
        if not server_id:
            raise click.UsageError("Say which server's files to search: --server ID.")
        query = api.TextSearchQuery(
            text=text, word=whole_word, case=match_case, pattern=pattern, files=files, change=change_id
        )
        _search_files(server_id, query, output)
    if files or whole_word or match_case or pattern or change_id is not None:
        raise click.UsageError("--files, --whole-word, --match-case, --pattern and --change go with --in-files.")
    with connect() as zerrit:
        found = zerrit.search(text, server_id)
    if output == "json":
        print_json(found.model_dump(mode="json"))
    else:
        rows = [(one.kind, one.server, short(one.title, MOST_WIDTH), _where(one)) for one in found.hits]
        print_table(("kind", "server", "name", "where"), rows, whole=("where",))
        if not found.is_complete:
            echo("Not every file is indexed yet; search again in a moment.", err=True)
    sys.exit(0 if found.hits else 1)


def _where(hit: api.NameHitOut) -> str:
    """What leads there: an address that other commands take."""
    if hit.address:
        return f"{hit.server}:{hit.path}#{hit.address}"
    return f"{hit.server}:{hit.path}" if hit.path else hit.detail


def _search_files(server_id: str, query: api.TextSearchQuery, output: str) -> None:
    with connect() as zerrit:
        found = zerrit.search_files(server_id, query)
    if output == "json":
        print_json(found.model_dump(mode="json"))
    else:
        for hit in found.hits:
            echo(f"{hit.path}:{hit.line}:{hit.column}: {(hit.before + hit.match + hit.after).strip()}")
        shown = f"; the first {len(found.hits):,} are shown" if found.total > len(found.hits) else ""
        places, in_files = counted(found.total, "place"), counted(len(found.counts), "file")
        echo(f"{places} in {in_files} of {found.files:,} searched{shown}.", err=True)
    sys.exit(0 if found.hits else 1)


@click.command()
@click.argument("server_id")
@click.argument("path")
@click.option("--kind", default="", help="The kind of entries; without it, the main one of the file.")
@click.option("--search", "words", default="", help="Only entries with all these words.")
@click.option(
    "--where",
    multiple=True,
    metavar="FIELD:CONDITION",
    help="Only entries whose field fits: '@price:>10', 'kind:=cloth'.",
)
@click.option("--sort", default="", help="Sort by this field.")
@click.option("--descending", is_flag=True, help="From the largest to the smallest.")
@click.option("--offset", default=0, show_default=True, help="How many entries to skip.")
@click.option("--limit", default=50, show_default=True, type=click.IntRange(1, 1000), help="How many to show.")
@click.option("--group-by", default="", metavar="FIELD", help="Count the entries by the value of this field instead.")
@click.option(
    "--sum", "sum_of", default="", metavar="FIELD", help="With --group-by: the sum of this field in each group."
)
@click.option("--change", "change_id", type=int, help="The file as this change leaves it.")
@output_option
def entries(
    server_id: str,
    path: str,
    kind: str,
    words: str,
    where: tuple[str, ...],
    sort: str,
    descending: bool,
    offset: int,
    limit: int,
    group_by: str,
    sum_of: str,
    change_id: int | None,
    output: str,
) -> None:
    """List the entries of a file as a table, filtered and sorted."""
    if group_by:
        asked = api.GroupsQuery(
            path=path, by=group_by, sum=sum_of, kind=kind, search=words, where=list(where), change=change_id
        )
        _print_groups(server_id, asked, output)
        return
    query = api.EntriesQuery(
        path=path,
        kind=kind,
        search=words,
        where=list(where),
        sort=sort,
        descending=descending,
        offset=offset,
        limit=limit,
        change=change_id,
    )
    with connect() as zerrit:
        found = zerrit.entries(server_id, query)
    if output == "json":
        print_json(found.model_dump(mode="json"))
        return
    names = [column.field for column in found.columns]
    rows = [
        (
            row.trail,
            *(short(row.cells.get(name, ""), 40) for name in names),
            *(_parts(row, part) for part in found.parts),
        )
        for row in found.rows
    ]
    print_table((found.kind, *names, *found.parts), rows, whole=(found.kind,))
    others = ", ".join(f"{name} ({found.kinds[name]:,})" for name in found.kinds if name != found.kind)
    last = found.offset + len(found.rows)
    echo(
        f"{found.offset + 1 if found.rows else 0:,} to {last:,} of {found.matching:,}"
        + (f"; also {others}" if others else "")
    )
    print_absent(found.absent, path, indent="")


def _parts(row: api.RowOut, kind: str) -> str:
    return short(", ".join(row.parts.get(kind, [])), 40)


def _print_groups(server_id: str, asked: api.GroupsQuery, output: str) -> None:
    """Groups with their counts, and with the sum before and after where one is asked for."""
    with connect() as zerrit:
        found = zerrit.entry_groups(server_id, asked)
    if output == "json":
        print_json(found.model_dump(mode="json"))
        return
    columns = [asked.by, "entries", *(["entries after"] if found.has_change else [])]
    if asked.sum:
        columns += [f"sum of {asked.sum}", *(["sum after"] if found.has_change else []), "without a number"]

    def cells(one: api.GroupOut, name: str) -> tuple[str, ...]:
        first, last = (one.before, one.after) if found.has_change else (one.after, one.after)
        counts = [f"{first.entries:,}", *([f"{last.entries:,}"] if found.has_change else [])]
        sums = [first.total, *([last.total] if found.has_change else []), str(last.without or "")] if asked.sum else []
        return (name, *counts, *sums)

    rows = [cells(one, "(absent)" if one.is_absent else one.value) for one in found.groups]
    print_table(tuple(columns), [*rows, cells(found.all, "all")], right=tuple(columns[1:]))
