"""
Measure the readers against general-purpose yardsticks, print the table, write `benchmarks/RESULTS.md`.

    make bench

Every figure is a ratio of two times (or two sizes) that were taken in turn within one run, the best of several
rounds each: machines differ and are shared, ratios less so. The garbage collector runs as it does in the service.
"""

from __future__ import annotations

import configparser
import json
import platform
import random
import subprocess
import sys
import tempfile
import time
import tracemalloc
import xml.etree.ElementTree as ET
from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from pathlib import Path
from typing import Final

from ruamel.yaml import YAML

from benchmarks.bundles import AT_ONCE, MEMBER, MEMBERS, BundleCost
from benchmarks.bundles import FILES as PIECES
from benchmarks.bundles import SIZE as PIECE
from benchmarks.bundles import measure as measure_bundles
from benchmarks.comparing import CompareCost
from benchmarks.comparing import measure as measure_comparing
from benchmarks.inputs import board_json, changed_in, finds_xml, nets_yaml, station_ini
from benchmarks.keeping import FILES, KeepingCost
from benchmarks.keeping import measure as measure_keeping
from benchmarks.scripts_and_rows import (
    CHANGED,
    ENTRIES,
    MANY_ROWS,
    ROWS,
    LargeCost,
    RowsCost,
    ScriptCost,
    large_cost,
    rows_cost,
    script_cost,
)
from benchmarks.server import CheckCost
from benchmarks.server import measure as measure_checks
from benchmarks.threeway import measure as measure_merges
from tests.core.merge.threeway_cases import FORMATS
from zerrit.core import Document, read_document
from zerrit.core.addresses import parse_node_address
from zerrit.core.documents.value_edits import parse_operation, set_values
from zerrit.core.figures import find_loops, read_trades
from zerrit.core.gamebooks import read_gamebook
from zerrit.core.merge import apply_plan, plan_merge

RESULTS: Final = Path(__file__).with_name("RESULTS.md")
MB: Final = 1_000_000
XML_SIZE: Final = 6 * MB


@dataclass(frozen=True, slots=True)
class Row:
    """One comparison: ours against the yardstick, in seconds (or bytes), and what the ratio may be at most."""

    what: str
    yardstick: str
    ours: float
    theirs: float
    target: float
    unit: str = "s"

    @property
    def ratio(self) -> float:
        return self.ours / self.theirs

    @property
    def is_met(self) -> bool:
        return self.ratio <= self.target


def best(run: Callable[[], object], rounds: int = 5) -> float:
    """The shortest of several rounds, in seconds."""
    times: list[float] = []
    for _ in range(rounds):
        start = time.perf_counter()
        run()
        times.append(time.perf_counter() - start)
    return min(times)


def peak(run: Callable[[], object]) -> int:
    """The most memory that was held at one time, in bytes, the result included."""
    tracemalloc.start()
    kept = run()
    size = tracemalloc.get_traced_memory()[1]
    tracemalloc.stop()
    del kept
    return size


def walk(document: Document) -> int:
    return sum(1 for _ in document.root.walk())


def edit_once(document: Document, address: str) -> bytes:
    """One value set by its address, on a document that no one has looked into yet: text to text."""
    return set_values(document, parse_node_address(address), parse_operation("=77")).document.to_bytes()


def edit_time(data: bytes, address: str, rounds: int = 5) -> float:
    times: list[float] = []
    for _ in range(rounds):
        document = read_document(data, "finds.xml")
        start = time.perf_counter()
        edit_once(document, address)
        times.append(time.perf_counter() - start)
    return min(times)


def address_in(data: bytes) -> str:
    """A value in the middle of the file."""
    root = read_document(data, "finds.xml").root
    shelf = root.children[len(root.children) // 2]
    find = next(child for child in shelf.children if child.name == "find")
    return f"shelf[{shelf.field('@family')}]/find[{find.field('@name')}]/@holds"


def compare_times(data: bytes, rounds: int = 5) -> tuple[float, float]:
    """Seconds of `zerrit compare` and of `git diff --no-index` on two files that differ in 50 entries."""
    with tempfile.TemporaryDirectory() as name:
        old, new = Path(name, "old.xml"), Path(name, "new.xml")
        old.write_bytes(data)
        new.write_bytes(changed_in(data, 50))
        ours = [sys.executable, "-m", "zerrit", "compare", str(old), str(new)]
        theirs = ["git", "diff", "--no-index", str(old), str(new)]

        def run(command: list[str]) -> None:
            done = subprocess.run(command, capture_output=True, check=False)
            if done.returncode != 1:  # 1 is what both end with where files differ; what ends otherwise was not measured
                raise RuntimeError(f"{command[0]} ended with {done.returncode}: {done.stderr.decode()[:300]}")

        return in_turn(partial(run, ours), partial(run, theirs), rounds)


def snippet_times(data: bytes, rounds: int = 7) -> tuple[float, float]:
    """Seconds of reading the file and merging a snippet of ten entries, eight of which are there; and of reading alone."""
    root = read_document(data, "finds.xml").root
    shelves = root.children[5 :: len(root.children) // 8][:8]
    entries = [
        f'<shelf family="{shelf.field("@family")}"><find name="{shelf.children[7].field("@name")}" holds="7..77"/></shelf>'
        for shelf in shelves
    ]
    new = "".join(f'<find name="Brand New {number}"><worth>5</worth></find>' for number in (1, 2))
    entries.append(f'<shelf family="{shelves[0].field("@family")}">{new}</shelf>')
    snippet = "\n".join(entries)

    def run() -> bytes:
        target = read_document(data, "finds.xml")
        return apply_plan(target, plan_merge(target, snippet)).to_bytes()

    return in_turn(run, lambda: read_document(data, "finds.xml"), rounds)


def start_times(rounds: int = 7) -> tuple[float, float]:
    """A command on a small file, and Python that does nothing, each a process."""
    with tempfile.TemporaryDirectory() as folder:
        file = Path(folder) / "small.xml"
        file.write_text("<list>\n" + '  <item name="a" count="1"/>\n' * 20 + "</list>\n")

        def run(*words: str) -> None:
            subprocess.run([sys.executable, *words], check=False, capture_output=True)

        return in_turn(lambda: run("-m", "zerrit", "check", str(file)), lambda: run("-c", "pass"), rounds)


def in_turn(ours: Callable[[], object], theirs: Callable[[], object], rounds: int) -> tuple[float, float]:
    """The shortest of several rounds of both, taken in turn: what slows the machine for a while slows both."""
    pairs = [(best(ours, 1), best(theirs, 1)) for _ in range(rounds)]
    return min(pair[0] for pair in pairs), min(pair[1] for pair in pairs)


def measure() -> list[Row]:
    xml = finds_xml(XML_SIZE)
    yaml = nets_yaml(330_000)
    board = board_json(5 * MB)
    ini = station_ini(2 * MB)
    read_xml, element_tree = in_turn(
        lambda: read_document(xml, "finds.xml"),
        lambda: ET.fromstring(xml),  # noqa: S314 - our own bytes
        5,
    )

    def read_ini() -> None:
        parser = configparser.ConfigParser(interpolation=None, strict=False)
        parser.read_string(ini.decode())

    return [
        Row(
            "read 6 MB of XML, 20,000 entries",
            "xml.etree.ElementTree.fromstring",
            read_xml,
            element_tree,
            1.5,
        ),
        Row(
            "the same, and every node made",
            "xml.etree.ElementTree.fromstring",
            best(lambda: walk(read_document(xml, "finds.xml")), 2),
            best(lambda: ET.fromstring(xml)),  # noqa: S314
            float("inf"),
        ),
        Row("peak memory of reading it", "its size", peak(lambda: read_document(xml, "finds.xml")), len(xml), 25, "B"),
        Row(
            "the same, and every node made",
            "its size",
            peak(lambda: [document := read_document(xml, "finds.xml"), walk(document)]),
            len(xml),
            25,
            "B",
        ),
        Row("one edit in it, read again", "reading it once", edit_time(xml, address_in(xml)), read_xml, 1.2),
        Row(
            "read 330 kB of YAML",
            "ruamel.yaml, round trip",
            *in_turn(lambda: read_document(yaml, "nets.yml"), lambda: YAML().load(yaml), 3),
            0.2,
        ),
        Row(
            "read 5 MB of JSON",
            "json.loads",
            *in_turn(lambda: read_document(board, "board.json"), lambda: json.loads(board), 5),
            10,
        ),
        Row(
            "the same, and every node made",
            "json.loads",
            best(lambda: walk(read_document(board, "board.json")), 2),
            best(lambda: json.loads(board)),
            float("inf"),
        ),
        Row(
            "compare two such XML files that differ in 50 entries, cold, a process each",
            "git diff --no-index",
            *compare_times(xml),
            3,
        ),
        Row("a snippet of 10 entries into it, text to text", "reading it once", *snippet_times(xml), 1.5),
        Row("check a file of 20 entries, a process each", "python -c pass", *start_times(), 10),
        Row("read 2 MB of INI", "configparser", *in_turn(lambda: read_document(ini, "station.ini"), read_ini, 5), 1.5),
        *choosing_rows(),
        *loop_rows(),
        *script_rows(script_cost()),
        *database_rows(rows_cost()),
        *large_rows(large_cost()),
    ]


def choosing_rows() -> list[Row]:
    """A condition over 20,000 entries beside the same pattern without one; each in a file that is just read."""
    entries = "".join(
        f'  <thing name="T{n}" kind="{("cloth", "tool", "light")[n % 3]}" want="{n % 40}"><part of="iron"/></thing>\n'
        for n in range(20_000)
    )
    data = f"<things>\n{entries}</things>\n".encode()

    def chosen(address: str) -> float:
        times = []
        for _ in range(5):
            document = read_document(data, "things.xml")
            start = time.process_time()
            document.select(address)
            times.append(time.process_time() - start)
        return min(times)

    plain = chosen("thing[*]/@want")
    return [
        Row(
            "choose by `[want>10][kind=tool]` among 20,000 entries",
            "the same address with `[*]`",
            chosen("thing[want>10][kind=tool]/@want"),
            plain,
            1.5,
        ),
        Row(
            "the same by a regular expression",
            "the same address with `[*]`",
            chosen('thing[kind~"^(tool|light)$"]/@want'),
            plain,
            1.5,
        ),
    ]


def loop_rows() -> list[Row]:
    """Loops among 30,000 trades of 10,000 things: read out of a file, searched, and shown that there is no other one."""
    chance = random.Random(18)
    rows = []
    for number in range(10_000):
        price = chance.randint(20, 400)
        pays = price * 11 // 10 if number % 2000 == 7 else price // 3
        parts = "".join(f'<part of="t{chance.randrange(10_000)}"/>' for _ in range(3))
        rows.append(f'<thing name="t{number}" price="{price}" pays="{pays}">{parts}</thing>\n')
    files = {"things.xml": read_document(f"<things>\n{''.join(rows)}</things>\n".encode(), "things.xml")}
    book, _ = read_gamebook(LOOP_BOOK.encode())
    if book is None:
        raise SystemExit("The gamebook of the loops cannot be read.")
    start = time.process_time()
    trades = read_trades(book, files, book.rules.loops[0]).trades
    found = find_loops(trades)
    spent = time.process_time() - start
    if not found.loops or len(trades) != 30_000:
        raise SystemExit(f"{len(found.loops)} loops in {len(trades)} trades; five were planted.")
    return [
        Row(f"{len(found.loops)} loops among 30,000 trades of 10,000 things, out of a file", "10 s", spent, 10.0, 1)
    ]


LOOP_BOOK = """\
gamebook: 1
game: loops
loops:
  - name: all
    trades:
      - {name: buy, each: things.xml#thing, gives: [{money: price}], gets: [{thing: ":name"}]}
      - {name: sell, each: things.xml#thing, gives: [{thing: ":name"}], gets: [{money: pays}]}
      - {name: make, each: things.xml#thing, gives: [{list: part*, thing: of}], gets: [{thing: ":name"}]}
"""


def script_rows(cost: ScriptCost) -> list[Row]:
    """The table of a script beside a pass over its tokens, and beside YAML of the same things, byte for byte."""
    what = f"read {cost.size / MB:.1f} MB of a Lua table, {ENTRIES:,} entries, every node made"
    same = cost.yaml * cost.size / cost.yaml_size
    return [
        Row(what, "a plain pass over its tokens with `re`", cost.read, cost.tokens, 10),
        Row("the same", "our YAML reader on as many bytes of the same things", cost.read, same, 1),
    ]


def database_rows(cost: RowsCost) -> list[Row]:
    """A database by its rows beside SQLite's own copy of it in memory."""
    what = f"a SQLite database of {cost.size / MB:.0f} MB, {ROWS:,} rows"
    return [
        Row(f"read {what}, as text by row", "sqlite3.Connection.backup", cost.read, cost.backup, float("inf")),
        Row(f"compare two, {CHANGED} rows changed", "reading one", cost.compared, cost.read, 1),
    ]


def large_rows(cost: LargeCost) -> list[Row]:
    """Two databases that are too large to be read whole, by the rows that differ, in a process of its own."""
    what = f"compare two SQLite databases of {cost.size / MB:.0f} MB, {MANY_ROWS:,} rows, {CHANGED} changed"
    return [
        Row(what, "five seconds", cost.compared, 5, 1),
        Row("the first snapshot of one, by a fetch", "sqlite3.Connection.backup", cost.snapshot, cost.backup, 2),
    ]


def measure_growth() -> list[tuple[int, float, float]]:
    """(size in bytes, seconds of reading, seconds of one edit) from 1 MB to 50 MB of XML."""
    rows: list[tuple[int, float, float]] = []
    for size in (1, 2, 5, 10, 20, 50):
        data = finds_xml(size * MB)
        reading = best(partial(read_document, data, "finds.xml"), 3)
        rows.append((len(data), reading, edit_time(data, address_in(data), 2)))
    return rows


def table(rows: list[Row], growth: list[tuple[int, float, float]]) -> str:
    lines = [
        "# Results of `make bench`",
        "",
        f"Python {platform.python_version()} on {platform.machine()}. Figures of one run; the ratios are what counts.",
        "",
        "| what | yardstick | ours | yardstick's | ratio | at most | |",
        "|---|---|---:|---:|---:|---:|---|",
    ]
    for row in rows:
        shown = [f"{value / MB:.1f} MB" if row.unit == "B" else f"{value:.3f} s" for value in (row.ours, row.theirs)]
        limit = "" if row.target == float("inf") else f"{row.target:g}"
        verdict = "" if not limit else "met" if row.is_met else "**missed**"
        lines.append(
            f"| {row.what} | {row.yardstick} | {shown[0]} | {shown[1]} | {row.ratio:.2f} | {limit} | {verdict} |"
        )
    lines += [
        "",
        "Cost by size (XML of the same kind):",
        "",
        "| size | read | per MB | one edit | per MB |",
        "|---:|---:|---:|---:|---:|",
    ]
    for size, read, edit in growth:
        lines.append(
            f"| {size / MB:.0f} MB | {read:.3f} s | {1000 * read * MB / size:.0f} ms | {edit:.3f} s | "
            f"{1000 * edit * MB / size:.0f} ms |"
        )
    return "\n".join(lines) + "\n"


def merge_table() -> str:
    """How three-way merges with a known right answer come out."""
    ours, theirs = measure_merges()
    lines = [
        "",
        f"Three-way merges, {ours.total():,} random cases with a known answer in {len(FORMATS)} formats:",
        "",
        "| | right | needless conflict | wrong |",
        "|---|---:|---:|---:|",
    ]
    for name, tally in (("zerrit merge --base", ours), ("git merge-file", theirs)):
        lines.append(f"| {name} | {tally['right']:,} | {tally['needless conflict']:,} | {tally['wrong']:,} |")
    return "\n".join(lines) + "\n"


SHARES: Final = (0.25, 0.5, 1.0)


def check_table(costs: list[CheckCost]) -> str:
    """What the check of a server costs beside reading it, by size."""
    lines = [
        "",
        "Checks of a server by the demo gamebook. Reading finds out that files are sound and leaves the inside of entries",
        "unread; beside it is what it takes when every node is made. The last column is the check after an edit of one",
        "value, taking over from the check before.",
        "",
        "| files | size | read | and every node made | check | check / read | per MB | after one edit |",
        "|---:|---:|---:|---:|---:|---:|---:|---:|",
    ]
    for cost in costs:
        lines.append(
            f"| {cost.files} | {cost.megabytes:.1f} MB | {cost.read:.2f} s | {cost.read_nodes:.2f} s | {cost.check:.2f} s | "
            f"{cost.ratio:.2f} | {1000 * cost.check / cost.megabytes:.0f} ms | {1000 * cost.check_after_edit:.0f} ms |"
        )
    return "\n".join(lines) + "\n"


def keeping_rows(cost: KeepingCost) -> list[Row]:
    """What a server of 5,000 files costs beside git and beside a plain listing."""
    tree = f"{FILES:,} files, {cost.megabytes:.0f} MB"
    return [
        Row(f"first snapshot of {tree}", "git add and commit", cost.snapshot, cost.git, 1.5),
        Row("what it takes on the disk", "git's objects", cost.stored, cost.git_stored, 1.1, "B"),
        Row(
            f"fetch of {FILES:,} unchanged files, by folder",
            "os.scandir and stat, recursive",
            cost.fetch,
            cost.listing,
            2,
        ),
    ]


def comparing_rows(cost: CompareCost) -> list[Row]:
    """What it takes to see what a change of one value does."""
    what = f"compare a change of one value, server of {cost.megabytes:.0f} MB"
    return [
        Row(what, "git diff --no-index of two folders", cost.later, cost.git, 1),
        Row("the same, by a service that has read no file yet", "the same", cost.first, cost.git, float("inf")),
    ]


def bundle_rows(cost: BundleCost) -> list[Row]:
    """What a bundle of many files costs."""
    tree = f"{PIECES} files, {PIECES * PIECE / 1e6:.0f} MB"
    archive = f"look into an archive of {MEMBERS:,} files, {MEMBERS * MEMBER / 1e6:.0f} MB"
    return [
        Row(f"write {tree} over FTP", f"a plain upload over {AT_ONCE} connections", cost.written, cost.uploaded, 1.5),
        Row(f"{archive}, TAR.GZ", "python -m tarfile --list", cost.looked_tar, cost.listed_tar, 2),
        Row(f"{archive}, ZIP", "zipfile.ZipFile.printdir", cost.looked_zip, cost.listed_zip, 2),
        Row(
            "the same as a command, with its start",
            "python -m zipfile --list",
            cost.zip_command,
            cost.zip_list_command,
            float("inf"),
        ),
        Row("the most memory of these looks", "the archive itself", cost.memory, MEMBERS * MEMBER, 0.5, "B"),
    ]


def keeping_note(cost: KeepingCost) -> str:
    sent = cost.sent
    return (
        f"\nA deploy of one changed file among {FILES:,} by FTP sent {sent['files sent']} file ({sent['bytes sent']:,} bytes) "
        f"and read {sent['files read']} back ({sent['bytes read']:,} bytes); all others were only listed.\n"
    )


def main() -> None:
    keeping = measure_keeping()
    compared = measure_comparing()
    costs = [measure_checks(share) for share in SHARES]
    largest = costs[-1]
    what = f"check {largest.files} files, {largest.megabytes:.0f} MB, by the demo gamebook"
    rows = [
        *measure(),
        Row(what, "reading them", largest.check, largest.read, 2),
        Row("the same", "reading them, every node made", largest.check, largest.read_nodes, float("inf")),
        *keeping_rows(keeping),
        *comparing_rows(compared),
        *bundle_rows(measure_bundles()),
    ]
    text = table(rows, measure_growth()) + check_table(costs) + keeping_note(keeping) + merge_table()
    # The waits in the console are measured by `make bench-console`, which writes its own section.
    section = RESULTS.read_text().partition("\n## The console\n")
    RESULTS.write_text(text + "".join(section[1:]))
    sys.stdout.write(text)
    sys.exit(0 if all(row.is_met for row in rows) else 1)


if __name__ == "__main__":
    main()
