"""
Inputs for the benchmarks, made from a seed so that every run measures the same bytes.

They have the shapes of the demo world, not its files: what counts is the mix of groups, fields and values.
"""

from __future__ import annotations

import json
import random
import re
from typing import Any

SEED = 20_000
_WORDS = [
    "copper",
    "brass",
    "coral",
    "amber",
    "tide",
    "drift",
    "silt",
    "lantern",
    "gimbal",
    "valve",
    "anchor",
    "rope",
    "chart",
    "buoy",
    "keel",
    "shelf",
]
_GROUNDS = ("shallow", "shelf", "slope", "abyss", "trench")


def _phrase(chance: random.Random, words: int) -> str:
    return " ".join(chance.choice(_WORDS) for _ in range(words))


def finds_xml(size: int) -> bytes:
    """About `size` bytes of XML; 6,000,000 of them hold 20,000 entries, in shelves of 50, and 180,000 elements."""
    chance = random.Random(SEED)
    parts = ['<?xml version="1.0" encoding="UTF-8"?>\n<finds>\n']
    length = 0
    number = 0
    while length < size - 60:
        if number % 50 == 0:
            shelf = f'  <shelf family="{chance.choice(_WORDS)}-{number // 50:03d}">\n'
            parts.append(f"  </shelf>\n{shelf}" if number else shelf)
            length += len(parts[-1])
        number += 1
        fewest = chance.randrange(0, 40)
        entry = (
            f'    <find name="{_phrase(chance, 2).title()} {number:05d}" '
            f'holds="{fewest}..{fewest + chance.randrange(1, 40)}">\n'
            f"      <heft>{chance.randrange(1, 90) / 10} kg</heft>\n"
            f"      <worth>{chance.randrange(5, 900)}</worth>\n"
            f"      <note>{_phrase(chance, 1)}</note>\n"
            + "".join(
                f'      <drift to="{ground}" share="{chance.randrange(1, 80)}"/>\n'
                for ground in chance.sample(_GROUNDS, 3)
            )
            + f"      <back>{chance.randrange(2, 9)} tides</back>\n"
            f"      <loss>{chance.randrange(1, 99)}%</loss>\n"
            "    </find>\n"
        )
        parts.append(entry)
        length += len(entry)
    parts.append("  </shelf>\n</finds>\n")
    return "".join(parts).encode()


def nets_yaml(size: int) -> bytes:
    """About `size` bytes of YAML: a list of mappings with lists of mappings in them, some quoted text, comments."""
    chance = random.Random(SEED)
    parts = ["# what a haul brings up\nnets:\n"]
    length = 0
    number = 0
    while length < size:
        number += 1
        entry = (
            f"  - net: {chance.choice(_WORDS).title()} {number:05d}\n"
            f"    title: {_phrase(chance, 3).capitalize()}\n"
            f"    draws: 1..{chance.randrange(2, 9)}    # of what is in it\n"
            f'    phrase: "{_phrase(chance, 5)}"\n'
            "    of:\n"
            + "".join(
                f"      - thing: {_phrase(chance, 2)}\n        share: {chance.randrange(1, 90)}\n"
                f"        pieces: {chance.randrange(1, 3)}..{chance.randrange(3, 9)}\n"
                for _ in range(3)
            )
        )
        parts.append(entry)
        length += len(entry)
    return "".join(parts).encode()


def board_json(size: int) -> bytes:
    """About `size` bytes of JSON, indented by two."""
    chance = random.Random(SEED)
    board: list[dict[str, Any]] = []
    length = 0
    while length < size:
        dish = {
            "dish": f"{_phrase(chance, 2).title()} {len(board):05d}",
            "open": chance.random() < 0.5,
            "takes": [chance.choice(_WORDS) for _ in range(3)],
            "prices": [
                {"watch": _phrase(chance, 2), "price": chance.randrange(1, 500), "share": round(chance.random(), 3)}
                for _ in range(4)
            ],
            "note": None,
        }
        board.append(dish)
        length += len(json.dumps(dish, indent=2)) + 2 * 28
    return json.dumps({"board": board}, indent=2).encode()


def station_ini(size: int) -> bytes:
    """About `size` bytes of INI that configparser reads too: sections of plain settings, comments."""
    chance = random.Random(SEED)
    parts: list[str] = []
    length = 0
    number = 0
    while length < size:
        number += 1
        section = f"; {_phrase(chance, 4)}\n[{chance.choice(_WORDS).title()}.{number:05d}]\n" + "".join(
            f"{_phrase(chance, 2).title().replace(' ', '')}{index}={chance.randrange(1, 9999)}\n" for index in range(18)
        )
        parts.append(section + "\n")
        length += len(section) + 1
    return "".join(parts).encode()


def changed_in(xml: bytes, entries: int) -> bytes:
    """The same with a number changed in so many places."""
    text = xml.decode()
    chance = random.Random(SEED)
    places = chance.sample(list(re.finditer(r'holds="\d+\.\.(\d+)"', text)), entries)
    for place in sorted(places, key=lambda match: -match.start()):
        text = f"{text[: place.start(1)]}{int(place.group(1)) + 5}{text[place.end(1) :]}"
    return text.encode()
