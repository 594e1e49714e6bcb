"""
Break one token of a sound file and ask for the safe fixes: what comes out is the original, or nothing was offered.

    python -m fuzzing.fixes [--cases 200000] [--seed 1] [--write]

A token is a sign that separates or encloses, a tag, a comment mark, a word, a line end or a typographic mark; it is
deleted, doubled, mistyped, put where it does not belong, or exchanged with its neighbour. Broken are the small files of
`FILES`, in shapes of many games, and the made-up worlds of the tests. The first wrong fix ends the run and is printed.
"""

from __future__ import annotations

import random
import re
import sys
import time
from collections import Counter
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path
from typing import Final

import click

from fuzzing.fix_seeds import FILES
from tests.reliability import write_part
from zerrit.core import read_document
from zerrit.core.documents.fixes import safe_fixes
from zerrit.core.documents.fixes.strict_readers import StrictIni, StrictJson, StrictReading, StrictXml, StrictYaml

CHUNK: Final = 2_000
_TOKEN: Final = re.compile(r"""<!--|-->|</?[A-Za-z][\w.]*|/>|[{}\[\]()<>"',:;=/&#\\-]|\r?\n|[\w.]+|[ \t]+""")
_SIGNS: Final = "{}[]()<>\"',:;=/&#\\-"
_READINGS: Final[dict[str, StrictReading]] = {
    ".json": StrictJson(),
    ".xml": StrictXml(),
    ".yml": StrictYaml(),
    ".ini": StrictIni(),
}


class WrongFix(Exception):
    """A fix was offered that does not give the original back."""


def break_token(chance: random.Random, text: str) -> str:
    """`text` with one token deleted, doubled, mistyped or cut, or one added."""
    tokens = [match.span() for match in _TOKEN.finditer(text)]
    start, end = chance.choice(tokens)
    token = text[start:end]
    match chance.randrange(6):
        case 0 | 1:
            return f"{text[:start]}{text[end:]}"
        case 2:
            return f"{text[:end]}{token}{text[end:]}"
        case 3:
            return f"{text[:start]}{chance.choice(_SIGNS)}{text[end:]}"
        case 4:
            return f"{text[:start]}{chance.choice((*_SIGNS, ' ', chr(10)))}{text[start:]}"
        case _:
            return text[: start + 1] + text[end:] if chance.random() < 0.5 else text[:start] + text[end - 1 :]


def run_chunk(name: str, seed: int, cases: int) -> Counter[str]:
    """One piece of work, in a process of its own."""
    chance = random.Random(seed)
    texts = FILES[name]
    reading = _READINGS.get(Path(name).suffix)
    counts: Counter[str] = Counter()
    for _ in range(cases):
        original = chance.choice(texts)
        broken = break_token(chance, original)
        document = read_document(broken.encode(), name)
        fixed = safe_fixes(document)
        counts["cases"] += 1
        if not fixed.findings:
            continue
        counts["offered"] += 1
        result = fixed.document.text
        counts["to the byte"] += result == original
        if result != original and (reading is None or reading.data(result) != reading.data(original)):
            raise WrongFix(f"{name}, seed {seed}\n--- original\n{original}\n--- broken\n{broken}\n--- fixed\n{result}")
    return counts


@click.command()
@click.option("--cases", default=200_000, show_default=True)
@click.option("--seed", default=1, show_default=True)
@click.option("--write", is_flag=True, help="Put the figures into docs/reliability.md.")
def main(cases: int, seed: int, write: bool) -> None:
    """Break one token of sound files and count the fixes that are offered."""
    start = time.perf_counter()
    each = cases // len(FILES)
    work = [
        (name, seed * 1_000_000 + number, min(CHUNK, each - done))
        for number, done in enumerate(range(0, each, CHUNK))
        for name in FILES
    ]
    with ProcessPoolExecutor() as pool:
        results = list(pool.map(run_chunk, *zip(*work, strict=True)))
    lines = ["| file | cases | safe fix offered | the original to the byte | wrong |", "|---|---:|---:|---:|---:|"]
    total: Counter[str] = Counter()
    for name in FILES:
        mine = sum((found for (of, _, _), found in zip(work, results, strict=True) if of == name), Counter[str]())
        total += mine
        lines.append(f"| `{name}` | {mine['cases']:,} | {mine['offered']:,} | {mine['to the byte']:,} | 0 |")
    lines.append(f"| all | {total['cases']:,} | {total['offered']:,} | {total['to the byte']:,} | 0 |")
    table = "\n".join(lines)
    took = time.perf_counter() - start
    sys.stdout.write(f"{table}\n\n{total['cases']:,} cases in {took:.0f} s, no wrong fix.\n")
    if write:
        write_part("fixes", f"`python -m fuzzing.fixes --seed {seed}`:\n\n{table}")


if __name__ == "__main__":
    main()
