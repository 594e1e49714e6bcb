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
    """About `size` bytes of XML; 6,000,000 of them hold 20,000 entries and 180,000 elements."""
    chance = random.Random(SEED)
    parts = ['<?xml version="1.0" encoding="UTF-8"?>\n<finds>\n']
    length = 0
    number = 0
    while length < size - 40:
        number += 1
        name = f"{_phrase(chance, 2).title()} {number:05d}"
        entry = (
            f'  <find name="{name}">\n'
            f"    <kind>{chance.choice(_WORDS)}</kind>\n"
            f"    <worth>{chance.randrange(5, 900)}</worth>\n"
            f"    <lasts>{chance.randrange(300, 9000)}</lasts>\n"
            f"    <note>{_phrase(chance, 3)}</note>\n"
            + "".join(
                f'    <band at="{ground}" holds="{chance.randrange(0, 80)}"/>\n'
                for ground in chance.sample(_GROUNDS, 3)
            )
            + f"    <loss>{chance.random():.2f}</loss>\n"
            "  </find>\n"
        )
        parts.append(entry)
        length += len(entry)
    parts.append("</finds>\n")
    return "".join(parts).encode()


def hauls_yaml(size: int) -> bytes:
    """About `size` bytes of YAML: mappings, lists of mappings, some quoted text, comments."""
    chance = random.Random(SEED)
    parts = ["# draw tables\nhauls:\n"]
    length = 0
    number = 0
    while length < size:
        number += 1
        entry = (
            f"  {chance.choice(_WORDS)}-{number:05d}:\n"
            f"    title: {_phrase(chance, 3).capitalize()}\n"
            f"    draws: {chance.randrange(1, 9)}    # sets drawn\n"
            f'    phrase: "{_phrase(chance, 5)}"\n'
            "    of:\n"
            + "".join(
                f"      - thing: {_phrase(chance, 2)}\n        weight: {chance.randrange(1, 90)}\n"
                f"        count: [{chance.randrange(1, 3)}, {chance.randrange(3, 9)}]\n"
                for _ in range(3)
            )
        )
        parts.append(entry)
        length += len(entry)
    return "".join(parts).encode()


def stores_json(size: int) -> bytes:
    """About `size` bytes of JSON, indented by two."""
    chance = random.Random(SEED)
    stores: list[dict[str, Any]] = []
    length = 0
    while length < size:
        store = {
            "name": f"{_phrase(chance, 2).title()} {len(stores):05d}",
            "open": chance.random() < 0.5,
            "tags": [chance.choice(_WORDS) for _ in range(3)],
            "dishes": [
                {"name": _phrase(chance, 2), "price": chance.randrange(1, 500), "share": round(chance.random(), 3)}
                for _ in range(4)
            ],
            "note": None,
        }
        stores.append(store)
        length += len(json.dumps(store, indent=2)) + 2 * 28
    return json.dumps({"stores": stores}, indent=2).encode()


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
    places = chance.sample(list(re.finditer(r'holds="(\d+)"', text)), entries)
    for place in sorted(places, key=lambda match: -match.start()):
        text = f"{text[: place.start(1)]}{int(place.group(1)) + 5}{text[place.end(1) :]}"
    return text.encode()
