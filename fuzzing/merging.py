"""
Merge mutated files of the demo world and hold the results to what must always be true.

    python -m fuzzing.merging [--cases 40000] [--seed 1]

Of each case a file is mutated twice, line by line, into mine and theirs. Then: nothing but a refusal in words is raised;
a merge gives a sound file; where theirs changed nothing, mine stays to the byte; where mine changed nothing, the result
holds what theirs holds; a stretch of theirs that merges as a snippet changes nothing when it is merged again.
"""

from __future__ import annotations

import random
import sys
import time
from collections import Counter
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor
from typing import Final

import click

from fuzzing.run import Broken
from zerrit.core import Document, ZerritError, read_document
from zerrit.core.compare import DifferenceKind, compare_documents
from zerrit.core.merge import apply_plan, merge_three, plan_merge
from zerrit.demo.world_files import default_files

CHUNK: Final = 1_000
LONGEST_FILE: Final = 20_000  # bytes; a longer one only makes fewer cases
#: What says nothing of what a file holds.
_FORM: Final = (DifferenceKind.LAYOUT, DifferenceKind.COMMENT, DifferenceKind.MOVED)
_COMMENTS: Final = ("# c\n", "; c\n", "  <!-- c -->\n", "\n")
_BESIDE: Final = (" # b", " ; b", " <!-- b -->", " ")


def mutate(chance: random.Random, text: str) -> str:
    """Change, remove, repeat and move lines, and put comments among and beside them."""
    lines = text.splitlines(keepends=True)
    for _ in range(chance.randrange(1, 5)):
        if not lines:
            break
        at = chance.randrange(len(lines))
        kind = chance.random()
        if kind < 0.25:
            lines[at] = lines[at].replace(chance.choice("0123456789ae"), chance.choice("0123456789xy"), 1)
        elif kind < 0.4:
            del lines[at]
        elif kind < 0.55:
            lines.insert(at, lines[chance.randrange(len(lines))])
        elif kind < 0.75:
            stop = min(len(lines), at + chance.randrange(1, 6))
            block = lines[at:stop]
            del lines[at:stop]
            to = chance.randrange(len(lines) + 1)
            lines[to:to] = block
        elif kind < 0.85:
            lines.insert(at, chance.choice(_COMMENTS))
        else:
            lines[at] = lines[at].rstrip("\n") + chance.choice(_BESIDE) + "\n"
    return "".join(lines)


def hold_merge(base: Document, mine: Document, theirs: Document) -> str:
    """Merge, and say how it came out. Raises Broken."""
    try:
        merged = merge_three(base, mine, theirs)
    except ZerritError:
        return "refused"
    if not merged.document.ok:
        raise Broken("the result has a fault")
    if merge_three(base, mine, base).document.text != mine.text:
        raise Broken("theirs changed nothing, and mine was changed")
    taken = merge_three(base, base, theirs)
    others = [one for one in compare_documents(taken.document, theirs) if one.kind not in _FORM]
    if taken.conflicts or (others and not taken.left):
        raise Broken(f"mine changed nothing, and the result is not theirs: {others[:2]}")
    return "conflict" if merged.conflicts else "merged"


def hold_snippet(target: Document, snippet: str) -> None:
    """Merge a snippet twice. Raises Broken."""
    try:
        plan = plan_merge(target, snippet)
        if plan.is_open:
            return
        once = apply_plan(target, plan)
        again = plan_merge(once, snippet)
        twice = once if again.is_open else apply_plan(once, again)
    except ZerritError:
        return
    if twice.text != once.text:
        raise Broken(f"merging a snippet again changes something:\n{snippet}")


def run_chunk(seed: int, cases: int) -> Counter[str]:
    """One piece of work, in a process of its own."""
    files = [
        (path, data.decode())
        for path, data in default_files().items()
        if len(data) < LONGEST_FILE and b"\0" not in data
    ]
    outcomes: Counter[str] = Counter()
    for number in range(cases):
        chance = random.Random(seed * 1_000_003 + number)
        path, text = chance.choice(files)
        texts = (text, mutate(chance, text), mutate(chance, text))
        base, mine, theirs = (read_document(one.encode(), path) for one in texts)
        if not (mine.ok and theirs.ok):
            outcomes["spoilt"] += 1
            continue
        lines = texts[2].splitlines(keepends=True)
        at = chance.randrange(len(lines) + 1)
        try:
            outcomes[hold_merge(base, mine, theirs)] += 1
            hold_snippet(mine, "".join(lines[at : at + chance.randrange(1, 12)]))
        except Exception as error:
            raise Broken(f"{path}, seed {seed}, case {number}: {type(error).__name__}: {error}") from error
    return outcomes


def _chunks(cases: int, seed: int) -> Iterator[tuple[int, int]]:
    for number, done in enumerate(range(0, cases, CHUNK)):
        yield seed * 10_000 + number, min(CHUNK, cases - done)


@click.command()
@click.option("--cases", default=40_000, show_default=True)
@click.option("--seed", default=1, show_default=True)
def main(cases: int, seed: int) -> None:
    """Merge mutated files and say how it came out."""
    start = time.perf_counter()
    with ProcessPoolExecutor() as pool:
        outcomes = sum(pool.map(run_chunk, *zip(*_chunks(cases, seed), strict=True)), Counter[str]())
    told = ", ".join(f"{number:,} {word}" for word, number in outcomes.most_common())
    sys.stdout.write(f"{outcomes.total():,} merges ({told}) in {time.perf_counter() - start:.0f} s, nothing broken.\n")


if __name__ == "__main__":
    main()
