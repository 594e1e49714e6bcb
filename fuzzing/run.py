"""
Read mutated files of every format and hold what comes out to what must always be true.

    python -m fuzzing.run [--inputs 250000] [--seed 1]

For each input: the bytes come back exactly; every node is in its parent and in the text; every finding has a
place that exists; the plain data can be made; an address leads back to its node; and it takes no longer than
`LONGEST` seconds. The first input that breaks one of these ends the run and is printed.
"""

from __future__ import annotations

import random
import signal
import sys
import time
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from types import FrameType
from typing import Final

import click

from fuzzing.seeds import PIECES, SEEDS
from zerrit.core import Document, read_document
from zerrit.core.documents import Format, NodeKind

LONGEST: Final = 5  # seconds for one input of a few hundred characters; a hang, on any machine
CHUNK: Final = 10_000
FORMATS: Final = {f"a.{one}": one for one in (Format.KEYWORDS, Format.BRACES, Format.CLASSES)}  #: no name says them
MOST_ADDRESSED: Final = 25  # nodes of one input whose address is followed back


class Broken(Exception):
    """Something that must always hold does not."""


@dataclass(frozen=True, slots=True)
class Count:
    """What one piece of work did. `slowest` is in seconds."""

    path: str
    inputs: int
    sound: int
    proposed: int
    slowest: float


def mutate(chance: random.Random, text: str) -> str:
    """Delete, insert, repeat and swap pieces, mostly once or twice."""
    for _ in range(chance.choice((1, 1, 1, 2, 2, 3, 8))):
        at = chance.randrange(len(text) + 1)
        to = min(len(text), at + chance.choice((1, 1, 2, 5, 20)))
        kind = chance.random()
        if kind < 0.35:
            text = text[:at] + text[to:]
        elif kind < 0.75:
            text = text[:at] + chance.choice(PIECES) + text[at:]
        elif kind < 0.9:
            other = chance.randrange(len(text) + 1)
            text = text[:other] + text[at:to] + text[other:]
        else:
            text = text[:at] + text[at:to][::-1] + text[to:]
    return text


def spoil(chance: random.Random, data: bytes) -> bytes:
    """Now and then break the encoding too: a byte too many, a cut, UTF-16."""
    kind = chance.random()
    if kind < 0.03:
        at = chance.randrange(len(data) + 1)
        return data[:at] + bytes([chance.randrange(256)]) + data[at:]
    if kind < 0.05:
        return data[: chance.randrange(len(data) + 1)]
    if kind < 0.06:
        return data.decode(errors="replace").encode("utf-16")
    return data


def hold(document: Document, data: bytes) -> None:
    """Raise Broken where something that must always be true is not."""
    if document.to_bytes() != data:
        raise Broken("the bytes do not come back")
    length = len(document.text)
    lines = len(document.source.line_starts)
    for finding in document.findings:
        if not 1 <= finding.line <= lines or finding.column < 1:
            raise Broken(f"a finding at line {finding.line}, column {finding.column}")
        if finding.fix is not None and not 0 <= finding.fix.start <= finding.fix.end <= length:
            raise Broken(f"a fix at {finding.fix}")
    nodes = list(document.root.walk())
    for node in nodes:
        if not 0 <= node.start <= node.end <= length or node.lead_start > node.start:
            raise Broken(f"{node!r} is outside of the text")
        if node.value_start >= 0 and not node.value_start <= node.value_end <= length:
            raise Broken(f"{node!r} has a value at {node.value_start}-{node.value_end}")
        if node.kind is NodeKind.VALUE and node.value is None:
            raise Broken(f"{node!r} is a value and has none")
    for node in nodes[1 : MOST_ADDRESSED + 1]:
        if document.select(document.keys.address_of(node)) != [node]:
            raise Broken(f"{document.keys.address_of(node)} does not lead back to {node!r}")
    document.to_data()


def run_chunk(path: str, seed: int, inputs: int) -> Count:
    """One piece of work, in a process of its own."""
    chance = random.Random(seed)
    sound = proposed = 0
    slowest = 0.0
    signal.signal(signal.SIGALRM, _too_long)
    for _ in range(inputs):
        data = spoil(chance, mutate(chance, chance.choice(SEEDS[path])).encode("utf-8", "surrogatepass"))
        start = time.perf_counter()
        signal.alarm(LONGEST)
        try:
            document = read_document(data, path, format=FORMATS.get(path))
            hold(document, data)
            proposed += any(finding.fix for finding in document.findings)
        except BaseException as error:
            raise Broken(f"{path}, seed {seed}: {type(error).__name__}: {error}\n{data!r}") from error
        finally:
            signal.alarm(0)
        sound += document.ok
        slowest = max(slowest, time.perf_counter() - start)
    return Count(path, inputs, sound, proposed, slowest)


def _too_long(_signal: int, _frame: FrameType | None) -> None:
    raise Broken(f"longer than {LONGEST} seconds")


def _chunks(inputs: int, seed: int) -> Iterator[tuple[str, int, int]]:
    for path in SEEDS:
        for number, done in enumerate(range(0, inputs, CHUNK)):
            yield path, seed * 1_000_000 + number, min(CHUNK, inputs - done)


@click.command()
@click.option("--inputs", default=250_000, show_default=True, help="For each of the formats.")
@click.option("--seed", default=1, show_default=True)
def main(inputs: int, seed: int) -> None:
    """Read mutated files of every format and say what was found."""
    start = time.perf_counter()
    with ProcessPoolExecutor() as pool:
        counts = list(pool.map(run_chunk, *zip(*_chunks(inputs, seed), strict=True)))
    total = 0
    for path in SEEDS:
        mine = [done for done in counts if done.path == path]
        read = sum(done.inputs for done in mine)
        total += read
        sys.stdout.write(
            f"{path:8} {read:>9,} inputs, {sum(c.sound for c in mine):>9,} without an error, "
            f"{sum(c.proposed for c in mine):>9,} with a proposed repair, slowest {1000 * max(c.slowest for c in mine):.0f} ms\n"
        )
    sys.stdout.write(f"{total:,} inputs in {time.perf_counter() - start:.0f} s, nothing broken.\n")


if __name__ == "__main__":
    main()
