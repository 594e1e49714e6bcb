"""
Games that no one has seen: things, recipes, limits and stalls in six shapes of files, a next version of each, and slips.

Everything comes from a seed. The words are everyday ones, many of them a letter apart from each other.
"""

from __future__ import annotations

import json
import random
import re
from collections.abc import Iterator, Mapping
from copy import deepcopy
from dataclasses import dataclass, field
from typing import Final

from fuzzing.mistakes import misspelled

SHAPES: Final = 6
_EVERYDAY: Final = (
    "anchor apron arrow axe bag ball basket bead bell belt bench blade blanket board boat bolt bone book boot bottle bowl "
    "box bread brick bridge broom brush bucket button cable cage cake candle canvas cap card carpet cart chain chair chalk "
    "cheese chest chisel cloak clock cloth coal coat coin comb copper cord cork cotton cup desk dish door drill drum dye egg "
    "feather fence fish flag flask flint floor flour fork frame fuel gate gear glass glove glue goat gold grain grape grease "
    "hammer handle hat hay helmet herb hide hinge honey hook horn hose ink iron ivory jar jug kettle key ladder lamp lantern "
    "lead leather lens lever lid lime linen lock log map mask mast meat milk mirror nail needle net nut oar oil oven paint pan "
    "paper paste pen pickaxe pipe plank plate plough pot pump quill rack rag rake rod roof rope rug sack saddle sail salt sand "
    "saw scale scarf seed shaft shell shirt shoe shovel sieve silk silver slate soap spade spice spoon spring stamp steel "
    "stone stool stove straw string sugar table tar tea tent thread tile tin tongs torch towel tray trowel tub valve wax wedge "
    "wheel whip wick wire wool yarn"
)
WORDS: Final = tuple(_EVERYDAY.split())
PLACES: Final = (
    "North Quay", "South Quay", "Old Mill", "New Mill", "Upper Ford", "Lower Ford", "Hill Fort", "Salt Flats", "Green Wood",
    "Long Bridge", "East Gate",
)  # fmt: skip
KINDS: Final = ("tool", "food", "cloth", "part")
MAKES: Final = ("small", "big", "old", "fine")
Values = dict[str, object]


@dataclass
class Game:
    """What a game is made of; `suffixed`: the names of its things have a second part."""

    shape: int
    suffixed: bool
    things: dict[str, Values] = field(default_factory=dict)
    recipes: list[tuple[str, int, dict[str, int]]] = field(default_factory=list)
    limits: dict[str, int] = field(default_factory=dict)
    server: Values = field(default_factory=dict)


def game(seed: int) -> Game:
    """A game in one of the shapes."""
    rng = random.Random(seed)
    made = Game(seed % SHAPES, suffixed=seed % 2 == 1)
    kinds = KINDS[: rng.randint(2, len(KINDS))]
    for name in rng.sample(WORDS, rng.randint(8, 60)):
        made.things[_full(name, made, rng)] = _thing(rng, kinds, PLACES[:6])
    names = list(made.things)
    for name in rng.sample(names, len(names) // 2):
        made.recipes.append((name, rng.randint(1, 90), {one: rng.randint(1, 6) for one in rng.sample(names, 3)}))
        made.limits[rng.choice(names)] = rng.randint(1, 50)
    made.server = {
        "Rate": round(rng.uniform(0.5, 3), 1),
        "Night": rng.random() < 0.5,
        "Title": rng.choice(PLACES),
        "Port": rng.randint(2000, 30_000),
    }
    return made


def next_version(one: Game, seed: int) -> Game:
    """The same game a version later: prices move, some things are elsewhere, three are new, and all fits together."""
    rng = random.Random(seed)
    made = deepcopy(one)
    for thing in made.things.values():
        if rng.random() < 0.25:
            thing["price"] = max(1, int(int(str(thing["price"])) * rng.uniform(0.6, 1.6)))
        if rng.random() < 0.05:
            thing["at"] = rng.choice(PLACES[:7])
    taken = {name.partition("_")[0] for name in made.things}
    for word in rng.sample([word for word in WORDS if word not in taken], 3):
        name = _full(word, made, rng)
        made.things[name] = _thing(rng, tuple({str(thing["kind"]) for thing in one.things.values()}), PLACES[:7])
        parts = {part: rng.randint(1, 6) for part in rng.sample(list(made.things), 3)}
        made.recipes.append((name, rng.randint(1, 100), parts))
        if rng.random() < 0.5:
            made.limits[name] = rng.randint(1, 60)
    made.server["Title"] = rng.choice(PLACES)
    return made


def _full(word: str, of: Game, rng: random.Random) -> str:
    return f"{word}_{rng.choice(MAKES)}" if of.suffixed else word


def _thing(rng: random.Random, kinds: tuple[str, ...], places: tuple[str, ...]) -> Values:
    return {
        "price": rng.randint(1, 400),
        "weight": round(rng.uniform(0.1, 9), 1),
        "kind": rng.choice(sorted(kinds)),
        "at": rng.choice(places),
        "crafted": rng.random() < 0.5,
    }


# --- as files ---------------------------------------------------------------------------------------------------------


def files_of(one: Game) -> dict[str, bytes]:
    """The files of a game: how things and recipes are written depends on its shape."""
    write = (_as_maps, _as_attributes, _as_tables)[one.shape // 2]
    limits = "".join(f"{name}={number}\n" for name, number in one.limits.items())
    server = "".join(f"{name}={_text(value)}\n" for name, value in one.server.items())
    stalls = "".join(
        f'  <stall of="{name}" price="{thing["price"]}" place="{thing["at"]}"/>\n' for name, thing in one.things.items()
    )
    texts = {
        **write(one),
        "limits.ini": f"[Limits]\n{limits}[Server]\n; default 1, at most 10\n{server}",
        "stalls.xml": f"<stalls>\n{stalls}</stalls>\n",
    }
    return {path: text.encode() for path, text in texts.items()}


def _as_maps(one: Game) -> dict[str, str]:
    things = "".join(
        f"  {name}:\n" + "".join(f"    {key}: {_text(value)}\n" for key, value in thing.items())
        for name, thing in one.things.items()
    )
    recipes = [
        {"makes": name, "minutes": minutes, "of": [f"{part}:{number}" for part, number in parts.items()]}
        for name, minutes, parts in one.recipes
    ]
    return {"things.yml": f"things:\n{things}", "recipes.json": json.dumps({"recipes": recipes}, indent=1)}


def _as_attributes(one: Game) -> dict[str, str]:
    things = "".join(
        f'  <thing name="{name}" {" ".join(f"{key}={json.dumps(_text(value))}" for key, value in thing.items())}/>\n'
        for name, thing in one.things.items()
    )
    recipes = "".join(
        f"  - makes: {name}\n    minutes: {minutes}\n    of:\n"
        + "".join(f"      {part}: {number}\n" for part, number in parts.items())
        for name, minutes, parts in one.recipes
    )
    return {"things.xml": f"<things>\n{things}</things>\n", "recipes.yml": f"recipes:\n{recipes}"}


def _as_tables(one: Game) -> dict[str, str]:
    things = "".join(
        f'  ["{name}"] = {{ {", ".join(f"{key} = {json.dumps(value)}" for key, value in thing.items())} }},\n'
        for name, thing in one.things.items()
    )
    recipes = [
        {"makes": name, "minutes": minutes, "of": [{"part": part, "n": number} for part, number in parts.items()]}
        for name, minutes, parts in one.recipes
    ]
    return {"things.lua": f"Things = {{\n{things}}}\n", "recipes.json": json.dumps({"recipes": recipes}, indent=1)}


def _text(value: object) -> str:
    return str(value).lower() if isinstance(value, bool) else str(value)


# --- slips ------------------------------------------------------------------------------------------------------------


def slips(files: Mapping[str, bytes], seed: int, most: int) -> Iterator[tuple[str, int, bytes]]:
    """A word with a letter wrong or a number with two zeros too many: the path, the line, and the file with it."""
    rng = random.Random(seed)
    for _ in range(most):
        path = rng.choice(sorted(files))
        lines = files[path].decode().split("\n")
        number = rng.randrange(len(lines))
        line = lines[number]
        words = [] if line.startswith(";") else list(re.finditer(r"[A-Za-z]{4,}", line))
        numbers = [] if line.startswith(";") else list(re.finditer(r"(?<![\w.])\d+(?![\w.])", line))
        if not words and not numbers:
            continue
        found = rng.choice(numbers if numbers and (not words or rng.random() < 0.3) else words)
        wrong = f"{found.group()}00" if found.group().isdigit() else misspelled(found.group(), rng)
        broken = [*lines[:number], line[: found.start()] + wrong + line[found.end() :], *lines[number + 1 :]]
        yield path, number + 1, "\n".join(broken).encode()
