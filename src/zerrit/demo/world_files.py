"""
The files of the made-up game Fathomline: its shipped defaults, and two servers that have been run for a while.

The hand-written files lie in `world/`. What a game ships by the hundred (400 finds, 30 stores) is written here
from lists of words with a fixed seed, so that every copy of the world is the same to the byte.
"""

from __future__ import annotations

import io
import json
import random
import sqlite3
import zipfile
from collections.abc import Iterator, Mapping
from functools import cache
from importlib.resources import files
from importlib.resources.abc import Traversable
from typing import Final

from zerrit.core import read_document
from zerrit.core.addresses import parse_node_address
from zerrit.core.documents.value_edits import parse_operation, set_values
from zerrit.core.steps import replay, step_from_words

SEED: Final = 21
VERSION: Final = "2.1"
NEXT_VERSION: Final = "2.2"  #: what the game ships next; the demo has its defaults too, to carry changes over

_FAMILIES: Final = {
    "brass": ("instruments and fittings", 1.4, ("Copper", "Brass", "Tarnished", "Captain's"),
              ("Gimbal", "Sextant", "Speaking Tube", "Porthole Ring", "Valve Wheel", "Log Clock", "Plumb Bob", "Dividers", "Bell Clapper", "Oil Lamp", "Hinge Plate", "Reading Glass")),
    "amber": ("washed up from the orchard", 0.3, ("Clear", "Clouded", "Red", "Honey"),
              ("Amber Drop", "Amber Bead", "Amber Slab", "Resin Knot", "Amber Comb", "Amber Pin", "Resin Tear", "Amber Cameo", "Amber Button", "Resin Seal", "Amber Prism", "Amber Ring")),
    "glass": ("from the foundry", 0.6, ("Green", "Smoked", "Milk", "Cracked"),
              ("Bottle", "Lens", "Decanter", "Lamp Chimney", "Marble", "Vial", "Window Pane", "Tumbler", "Stopper", "Ink Pot", "Prism", "Bead String")),
    "shell": ("grown here", 0.2, ("Striped", "Pale", "Giant", "Ribbed"),
              ("Cone", "Nautilus", "Scallop", "Cowrie", "Whelk", "Limpet", "Razor", "Turban", "Auger", "Moon Shell", "Top Shell", "Olive")),
    "bone": ("leave the big ones to the museum crews", 2.2, ("Bleached", "Carved", "Dark", "Split"),
              ("Rib", "Jaw", "Tooth", "Ear Bone", "Fluke", "Spine Disc", "Tusk", "Baleen", "Skull Cap", "Finger", "Comb Bone", "Whistle")),
    "tool": ("still of use", 3.1, ("Rusted", "Diver's", "Rigger's", "Heavy"),
              ("Marlinspike", "Hatchet", "Caulking Iron", "Shackle", "Block", "Crowbar", "Mallet", "Line Reel", "Grapnel", "Auger Bit", "Rasp", "Clamp")),
    "stone": ("from below the break", 4.8, ("Banded", "Green", "Black", "Speckled"),
              ("Agate", "Obsidian", "Serpentine", "Geode", "Jet Lump", "Hone Stone", "Flint Core", "Beryl", "Onyx", "Sinker", "Quern", "Tablet")),
    "cloth": ("dry them slowly", 0.9, ("Tarred", "Silk", "Faded", "Knotted"),
              ("Pennant", "Net", "Sail Scrap", "Rope Coil", "Signal Flag", "Hammock", "Kit Bag", "Sash", "Canvas Roll", "Lanyard", "Chart Case", "Tarpaulin")),
}  # fmt: skip
_SIZES: Final = ("Small", "Broad", "Great")
_FLOATS: Final = ("Amber Float", "Glass Float", "Cork Float", "Copper Float", "Tin Float")
_GROUNDS: Final = {
    "shallow": (
        "Ribbonweed Flats",
        "Lantern Meadow",
        "Pilgrim Sands",
        "Saltgrass Reach",
        "Cuttle Garden",
        "Old Orchard",
    ),
    "middle": ("Coral Gate", "Needle Arch", "Chapel Wall", "Twin Buttress", "Whistling Stair"),
    "deep": ("Wreck of the Patience", "Wreck of the Morrow", "Barge Row", "Drowned Foundry"),
    "abyss": ("Trench Lip", "Blackwater Sill", "Bone Terrace", "Hadal Steps", "Silent Fan"),
}
_STORES: Final = {
    "air-and-lamps": ("Air Bottle", "Lamp Oil", "Wick", "Suit Patch", "Scrubber Salt", "Flare"),
    "bakehouse": ("Ship Biscuit", "Seed Loaf", "Rye Round", "Yeast", "Salt Crust", "Honey Cake"),
    "cold-room": ("Pressed Eel", "Smoked Ling", "Roe Jar", "Ice Block", "Kelp Butter", "Curd"),
    "garden-deck": ("Sea Kale", "Samphire", "Dwarf Tomato", "Onion String", "Mint", "Radish"),
    "dry-store": ("Split Peas", "Barley", "Rice Sack", "Salt Tub", "Dried Plum", "Lentils"),
    "spice-locker": ("Pepper", "Clove", "Fennel Seed", "Mustard", "Ginger", "Cinnamon"),
    "cellar": ("Small Beer", "Plum Wine", "Cider", "Ginger Cordial", "Rum Cask", "Vinegar"),
    "kelp-lines": ("Sugar Kelp", "Dulse", "Agar Block", "Sea Lettuce", "Kelp Stock", "Nori"),
    "shell-beds": ("Oyster", "Mussel", "Clam", "Whelk Meat", "Limpet Stew", "Cockle"),
    "tea-chest": ("Black Tea", "Green Tea", "Rosehip", "Camomile", "Smoked Tea", "Nettle"),
}
_MENUS: Final = {
    "breakfast": ("Kelp Porridge", "Bell Toast", "Smoked Ling on Rye", "Watch Tea", "Barley Milk", "Radish Plate"),
    "supper": ("Pea Soup", "Whelk Pot", "Sea Kale Bake", "Eel Pie", "Lentil Stew", "Samphire Rice", "Plum Dumpling"),
    "feast": ("Oyster Tray", "Great Ling", "Fennel Clams", "Honey Cake Tower", "Plum Wine Jelly", "Ginger Crab"),
}


def default_files() -> dict[str, bytes]:
    """The game's files as it ships them, by path."""
    result = dict(_walk(files("zerrit.demo").joinpath("world"), ""))
    result["sea/finds.xml"] = _finds().encode()
    result.update(_galley())
    rng = random.Random(SEED)  # noqa: S311 (stand-ins for big binaries)
    result["mods/deepsong.pak"] = b"PAK\0" + rng.randbytes(4096)
    result["mods/surveyor-kit.pak"] = b"PAK\0" + rng.randbytes(2048)
    result["ledger.db"] = _ledger()
    for chart in ("coral-gate", "lantern-shelf"):
        result[f"charts/{chart}.zip"] = _packed(result, f"charts/{chart}/")
    return result


def next_default_files() -> dict[str, bytes]:
    """The files as the game ships them in its next version: settings come and go, numbers move, a menu is renamed."""
    result = default_files()
    for path, address, *words in _NEXT:
        document = read_document(result[path], path)
        outcome = replay({path: document}, [step_from_words(f"{path}#{address}", words)], read_document)
        if not outcome.is_whole:
            raise ValueError(outcome.outcomes[0].message)
        result[path] = outcome.documents[path].to_bytes()
    for path, old, new in _NEXT_TEXTS:
        text = result[path].decode()
        if old not in text:
            raise ValueError(f"{path} has no {old!r}")
        result[path] = text.replace(old, new, 1).encode()
    result["galley/menus/banquet.json"] = result.pop("galley/menus/feast.json")
    result["addins/lampwatch/settings.yml"] = _LAMPWATCH.encode()
    return result


_NEXT: Final = (
    ("sea/finds.xml", "find[Copper Gimbal]/@house", "=40"),
    ("sea/finds.xml", "find[Copper Gimbal]/band[shallow]/@renew", "=2400"),
    ("sea/finds.xml", "find[Brass Sextant]/@house", "+15"),
    ("sea/finds.xml", "find[*Cork Float]/band[shallow]/@holds", "+2"),
    ("sea/finds.xml", "find[Black *]/@weight", "*1.1"),
    ("sea/finds.xml", "find[Cracked Vial]", "remove"),
    ("sea/finds.xml", "find[Brass Sextant]", "copy", "Salt Lantern"),
    ("craft.xml", "hull[Skiff]/@crush", "=65"),
    ("galley/specials.json", "specials/[Feast of Lamps]/menu", "=banquet"),
    ("craft.xml", "hull[Lugger]", "copy", "Reef Tug"),
    ("station.ini", "World/DayLength", "=90"),
    ("station.ini", "Multipliers/HaulWeight", "remove"),
    ("dredge/hauls.yml", "sets/[Old Iron]/entries/[Copper Gimbal]/weight", "=2"),
)
_NEXT_TEXTS: Final = (
    ("sea/finds.xml", "FATHOMLINE 2.1", "FATHOMLINE 2.2"),
    ("dredge/hauls.yml", "FATHOMLINE 2.1", "FATHOMLINE 2.2"),
    ("station.ini", "; Fathomline 2.1", "; Fathomline 2.2"),
    (
        "station.ini",
        "BendsChance=0.4\n",
        "BendsChance=0.4\n; How fast the water clouds behind a crew. 0 is never. New in 2.2.\nSiltRate=0.6\n",
    ),
    (
        "addins/tidebell/settings.yml",
        "volume: 0.7\n",
        "volume: 0.6\n  # Seconds until a stroke has died away.\n  fade: 3\n",
    ),
)
_LAMPWATCH: Final = (
    "# Turns the lamps of the gallery down when no one is in it.\nsettings:\n  after_minutes: 10\n  glow: 0.2\n"
)


def server_files(server_id: str) -> dict[str, bytes]:
    """The files of one of the two demo servers: the defaults, with what its admin changed over the months."""
    result = default_files()
    changes = {
        "coral-gate": (
            ("station.ini", "Multipliers/FindRate", "=1.4"),
            ("station.ini", "Station/Welcome", "=Coral Gate: mind the tide, sign the slate."),
            ("sea/finds.xml", "find[Copper Gimbal]/@house", "=45"),
            ("sea/finds.xml", "find[*Cork Float]/band[shallow]/@holds", "+6"),
            ("sea/happenings/highwater.xml", "happening[Milk Bloom]/@runs", "on"),
            ("craft.xml", "hull[Skiff]/@stock", "=16"),
            ("addins/tidebell/settings.yml", "settings/volume", "=0.5"),
        ),
        "lantern-shelf": (
            ("station.ini", "Station/Name", "=Lantern Shelf"),
            ("station.ini", "Station/Port", "=27150"),
            ("station.ini", "World/Chart", "=lantern-shelf"),
            ("station.ini", "World/Season", "=Ice Water"),
            ("launch.sh", "line[#3]", '=CHART="lantern-shelf"'),
            ("sea/happenings/icewater.xml", "happening[*]/@runs", "on"),
        ),
    }[server_id]
    for path, address, operation in changes:
        document = read_document(result[path], path)
        edit = set_values(document, parse_node_address(address), parse_operation(operation))
        result[path] = edit.document.to_bytes()
    return result


def snippet(name: str) -> str:
    """A snippet as someone published it, spoilt the way that real ones are."""
    return files("zerrit.demo").joinpath("snippets", name).read_text("utf-8")


def gamebook() -> bytes:
    """The gamebook of the game."""
    return files("zerrit.demo").joinpath("fathomline.yml").read_bytes()


def _walk(folder: Traversable, prefix: str) -> Iterator[tuple[str, bytes]]:
    for item in sorted(folder.iterdir(), key=lambda entry: entry.name):
        if item.is_dir():
            yield from _walk(item, f"{prefix}{item.name}/")
        else:
            yield prefix + item.name, item.read_bytes()


@cache
def _ledger() -> bytes:
    """The game's own database: what the harbour office keeps of the berths, and what the crews have in their purses."""
    connection = sqlite3.connect(":memory:")
    connection.execute("CREATE TABLE berths (code TEXT PRIMARY KEY, draught INTEGER NOT NULL, fee INTEGER NOT NULL)")
    connection.execute("CREATE TABLE purses (crew TEXT PRIMARY KEY, coins INTEGER NOT NULL)")
    berths = (("CG-01", 6, 12), ("CG-02", 6, 12), ("RF-01", 3, 5), ("NA-01", 5, 9), ("TL-01", 9, 30), ("SR-01", 4, 6))
    connection.executemany("INSERT INTO berths VALUES (?, ?, ?)", berths)
    connection.executemany("INSERT INTO purses VALUES (?, ?)", (("Lamp and Line", 420), ("The Slow Bells", 95)))
    connection.commit()
    data = connection.serialize()
    connection.close()
    return data


def _packed(files: Mapping[str, bytes], folder: str) -> bytes:
    """A folder as the ZIP that the game reads, the same to the byte each time."""
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as packed:
        for path in sorted(path for path in files if path.startswith(folder)):
            packed.writestr(zipfile.ZipInfo(path.removeprefix(folder), (2000, 1, 1, 0, 0, 0)), files[path])
    return buffer.getvalue()


def _finds() -> str:
    rng = random.Random(SEED)  # noqa: S311 (sample data)
    lines = [
        '<?xml version="1.0" encoding="UTF-8"?>',
        "<!--",
        f"  FATHOMLINE {VERSION}: what is on the sea bed.",
        "  holds: how many may lie in a band at once.   least: below this many the sea fills up again.",
        "  renew: seconds until one is there again.   house: price in the station's own store.",
        "-->",
        "<finds>",
        "  <!-- Floats: each in three sizes; keep the three alike, crews compare them. -->",
        "",
    ]
    for name in _FLOATS:
        for number, size in enumerate(_SIZES):
            lines += _find(
                rng,
                f"{size} {name}",
                "glass" if "Glass" in name else "amber" if "Amber" in name else "tool",
                0.4 + 0.8 * number,
            )
    for family, (remark, weight, firsts, seconds) in _FAMILIES.items():
        lines += ["", f"  <!-- {family.title()}: {remark}. -->", ""]
        names = [f"{first} {second}" for second in seconds for first in firsts]
        for name in names:
            lines += _find(rng, name, family, weight)
    lines.append("</finds>")
    return "\n".join(lines) + "\n"


def _find(rng: random.Random, name: str, family: str, weight: float) -> list[str]:
    depths = ["shallow", "middle", "deep", "abyss"]
    start = rng.randrange(3)
    count = rng.choice((1, 2, 2, 3))
    if name == "Copper Gimbal" or "Float" in name:
        start, count = 0, 2
    alike = random.Random(name.partition(" ")[2]) if "Float" in name else None  # noqa: S311 (the sizes of a float)
    lines = []
    if name == "Copper Gimbal":
        lines.append("    <!-- Swings in a fixed ring. Crews learn to find with it; do not make it rare. -->")
    house = 35 if name == "Copper Gimbal" else rng.randrange(3, 60) * 5
    kilograms = round(weight * rng.uniform(0.7, 1.5), 1)
    lines.append(f'  <find name="{name}" family="{family}" weight="{kilograms}" house="{house}">')
    for depth in depths[start : start + count]:
        holds = rng.randrange(2, 13) * 4
        least = holds // rng.choice((2, 3, 4))
        renew = rng.choice((900, 1200, 1800, 2700, 3600, 5400, 7200))
        if name == "Copper Gimbal":
            holds, least, renew = (40, 12, 1800) if depth == "shallow" else (16, 4, 3600)
        elif alike is not None:
            holds = alike.randrange(2, 13) * 4
            least, renew = holds // alike.choice((2, 3, 4)), alike.choice((900, 1200, 1800, 2700, 3600))
        place = "Ribbonweed Flats" if name == "Copper Gimbal" and depth == "shallow" else rng.choice(_GROUNDS[depth])
        lines.append(f'    <band depth="{depth}" at="{place}" least="{least}" holds="{holds}" renew="{renew}"/>')
    lines.append("  </find>")
    if lines[0].startswith("    <!--"):
        lines[0] = lines[0][2:]
    return lines


def _galley() -> Iterator[tuple[str, bytes]]:
    rng = random.Random(SEED + 1)  # noqa: S311 (sample data)
    for deck in (1, 2, 3):
        for store, goods in _STORES.items():
            rows = []
            for name in goods:
                low = rng.randrange(1, 9) * 5
                price: int | str = rng.randrange(2, 40)
                rows.append(
                    {
                        "name": name,
                        "low": low,
                        "high": low * rng.choice((3, 4, 5)),
                        "price": "as-house" if rng.random() < 0.2 else price,
                    }
                )
            body = ",\n".join("    " + json.dumps(row) for row in rows)
            text = f'{{\n  "store": "{store.replace("-", " ").title()}, deck {deck}",\n  "deck": {deck},\n  "open": true,\n  "goods": [\n{body}\n  ]\n}}\n'
            yield f"galley/stores/{store}-{deck}.json", text.encode()
    prices = ",\n".join(
        f"    {json.dumps(name)}: {rng.randrange(2, 40)}" for goods in _STORES.values() for name in goods
    )
    yield "galley/house.json", f'{{\n  "prices": {{\n{prices}\n  }}\n}}\n'.encode()
    for menu, dishes in _MENUS.items():
        rows = [
            {
                "dish": dish,
                "from": f"{rng.choice(list(_STORES))}-{rng.choice((1, 2, 3))}",
                "price": rng.randrange(3, 30),
            }
            for dish in dishes
        ]
        body = ",\n".join("    " + json.dumps(row) for row in rows)
        yield f"galley/menus/{menu}.json", f'{{\n  "menu": "{menu.title()}",\n  "dishes": [\n{body}\n  ]\n}}\n'.encode()
