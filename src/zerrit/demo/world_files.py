"""
The files of the made-up game Fathomline: its shipped defaults, and two servers that have been run for a while.

The hand-written files lie in `world/`. What a game ships by the hundred (400 finds, 30 recipes) is written here
from lists of words with a fixed seed, so that every copy of the world is the same to the byte.
"""

from __future__ import annotations

import io
import json
import random
import sqlite3
import zipfile
from collections.abc import Callable, Iterator, Mapping
from functools import cache, wraps
from importlib.resources import files
from importlib.resources.abc import Traversable
from typing import Final, ParamSpec

from zerrit.core.addresses import parse_node_address
from zerrit.core.documents.value_edits import parse_operation, set_values
from zerrit.core.gamebooks import Gamebook, read_gamebook
from zerrit.core.steps import replay, step_from_words

SEED: Final = 21
VERSION: Final = "2.1"
_FIRST_FIND: Final = "Copper Gimbal"  #: the find of the story, whose values are set by hand
_ASK: Final = "ask the purser"
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
_DISHES: Final = {
    "morning": ("Kelp Porridge", "Bell Toast", "Smoked Ling on Rye", "Watch Tea", "Barley Milk", "Radish Plate", "Seed Loaf", "Curd and Mint"),
    "evening": ("Pea Soup", "Whelk Pot", "Sea Kale Bake", "Eel Pie", "Lentil Stew", "Samphire Rice", "Plum Dumpling", "Oyster Tray", "Great Ling", "Fennel Clams", "Honey Cake Tower", "Ginger Crab"),
    "night": ("Salt Biscuit", "Dulse Broth", "Cold Mussels", "Onion Pocket", "Black Tea", "Ginger Cordial", "Rosehip Cup", "Smoked Eel Roll"),
}  # fmt: skip
_STORES: Final = (
    "Split Peas", "Barley", "Rice", "Salt", "Dried Plum", "Lentils", "Kelp", "Dulse", "Samphire", "Ling", "Eel", "Whelk",
    "Mussel", "Oyster", "Mint", "Onion", "Ginger", "Fennel", "Honey", "Rye", "Curd", "Tea",
)  # fmt: skip
_WATCHES: Final = ("morning", "evening", "night")


P = ParamSpec("P")


def _made_once(make: Callable[P, dict[str, bytes]]) -> Callable[P, dict[str, bytes]]:
    """The files are the same every time and take a third of a second to make; each caller gets a mapping of its own."""
    made = cache(make)

    @wraps(make)
    def copied(*args: P.args, **kwargs: P.kwargs) -> dict[str, bytes]:
        return dict(made(*args, **kwargs))  # type: ignore[arg-type]  # of the caller, whose arguments are hashable

    return copied


@_made_once
def default_files() -> dict[str, bytes]:
    """The game's files as it ships them, by path."""
    result = dict(_walk(files("zerrit.demo").joinpath("world"), ""))
    result["sea/finds.xml"] = _finds().encode()
    result.update(_galley())
    rng = random.Random(SEED)  # noqa: S311 (stand-ins for big binaries)
    result["mods/deepsong.pak"] = b"PAK\0" + rng.randbytes(4096)
    result["mods/surveyor-kit.pak"] = b"PAK\0" + rng.randbytes(2048)
    result["mods/undertow.pak"] = b"PAK\0" + rng.randbytes(1024)
    result["ledger.db"] = _ledger()
    for chart in ("coral-gate", "lantern-shelf"):
        result[f"charts/{chart}.zip"] = _packed(result, f"charts/{chart}/")
    return result


@_made_once
def next_default_files() -> dict[str, bytes]:
    """The files as the game ships them in its next version: settings come and go, numbers move, a dish is renamed."""
    result = default_files()
    for path, address, *words in _NEXT:
        document = _game().read(result[path], path)
        outcome = replay({path: document}, [step_from_words(f"{path}#{address}", words)], _game().read)
        if not outcome.is_whole:
            raise ValueError(outcome.outcomes[0].message)
        result[path] = outcome.documents[path].to_bytes()
    for path, old, new in _NEXT_TEXTS:
        text = result[path].decode()
        if old not in text:
            raise ValueError(f"{path} has no {old!r}")
        result[path] = text.replace(old, new, 1).encode()
    result["galley/recipes/lamp-tray.json"] = result.pop("galley/recipes/oyster-tray.json")
    result["addins/lampwatch/settings.yml"] = _LAMPWATCH.encode()
    return result


_NEXT: Final = (
    ("sea/finds.xml", "shelf[brass]/find[Copper Gimbal]/@worth", "=40"),
    ("sea/finds.xml", "shelf[brass]/find[Copper Gimbal]/@returns", "=4 tides"),
    ("sea/finds.xml", "shelf[brass]/find[Brass Sextant]/@worth", "+15"),
    ("sea/finds.xml", "shelf[float]/find[*Cork Float]/@holds", "+2"),
    ("sea/finds.xml", "shelf[stone]/find[Black *]/@heft", "*1.1"),
    ("sea/finds.xml", "shelf[glass]/find[Cracked Vial]", "remove"),
    ("sea/finds.xml", "shelf[brass]/find[Brass Sextant]", "copy", "Salt Lantern"),
    ("craft.xml", "hull[Skiff]/@crush", "=65"),
    ("galley/evenings.json", "evenings/[Feast of Lamps]/dish", "=Lamp Tray"),
    ("galley/board.json", "board/[Oyster Tray]/dish", "=Lamp Tray"),
    ("galley/board.json", "board/[Lamp Tray]/recipe", "=lamp-tray"),
    ("galley/house.json", 'prices/"Oyster Tray"', "rename", "Lamp Tray"),
    ("ledger.db", "larder[Oyster Tray]", "rename", "Lamp Tray"),
    ("craft.xml", "hull[Lugger]", "copy", "Reef Tug"),
    ("station.ini", "World/DayLength", "=90"),
    ("station.ini", "Multipliers/HaulWeight", "remove"),
    ("dredge/hauls.yml", "nets/[Old Iron]/of/[Copper Gimbal]/share", "=2"),
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


@_made_once
def server_files(server_id: str) -> dict[str, bytes]:
    """The files of one of the two demo servers: the defaults, with what its admin changed over the months."""
    result = default_files()
    changes = {
        "coral-gate": (
            ("station.ini", "Multipliers/FindRate", "=1.4"),
            ("station.ini", "Station/Welcome", "=Coral Gate: mind the tide, sign the slate."),
            ("sea/finds.xml", "shelf[brass]/find[Copper Gimbal]/@worth", "=45"),
            ("sea/finds.xml", "shelf[float]/find[*Cork Float]/@holds", "+6"),
            ("sea/happenings/highwater.xml", "happening[Milk Bloom]/@runs", "on"),
            ("craft.xml", "hull[Skiff]/@stock", "=16"),
            ("addins/tidebell/settings.yml", "settings/volume", "=0.5"),
        ),
        "lantern-shelf": (
            ("station.ini", "Station/Name", "=Lantern Shelf"),
            ("station.ini", "Station/Port", "=27150"),
            ("station.ini", "World/Chart", "=lantern-shelf"),
            ("station.ini", "World/Season", "=Ice Water"),
            ("launch.sh", "chart", "=lantern-shelf"),
            ("sea/happenings/icewater.xml", "happening[*]/@runs", "on"),
        ),
    }[server_id]
    for path, address, operation in changes:
        document = _game().read(result[path], path)
        edit = set_values(document, parse_node_address(address), parse_operation(operation))
        result[path] = edit.document.to_bytes()
    return result


def snippet(name: str) -> str:
    """A snippet as someone published it, spoilt the way that real ones are."""
    return files("zerrit.demo").joinpath("snippets", name).read_text("utf-8")


def gamebook() -> bytes:
    """The gamebook of the game."""
    return files("zerrit.demo").joinpath("fathomline.yml").read_bytes()


@cache
def _game() -> Gamebook:
    found, _ = read_gamebook(gamebook())
    if found is None:
        raise ValueError("the gamebook of the demo cannot be used")
    return found


def _walk(folder: Traversable, prefix: str) -> Iterator[tuple[str, bytes]]:
    for item in sorted(folder.iterdir(), key=lambda entry: entry.name):
        if item.is_dir():
            yield from _walk(item, f"{prefix}{item.name}/")
        else:
            yield prefix + item.name, item.read_bytes()


@cache
def _ledger() -> bytes:
    """The game's own database: the berths of the harbour office, the purses of the crews, stewards and larder."""
    connection = sqlite3.connect(":memory:")
    connection.execute("CREATE TABLE berths (code TEXT PRIMARY KEY, draught INTEGER NOT NULL, fee INTEGER NOT NULL)")
    connection.execute("CREATE TABLE purses (crew TEXT PRIMARY KEY, coins INTEGER NOT NULL)")
    berths = (("CG-01", 6, 12), ("CG-02", 6, 12), ("RF-01", 3, 5), ("NA-01", 5, 9), ("TL-01", 9, 30), ("SR-01", 4, 6))
    connection.executemany("INSERT INTO berths VALUES (?, ?, ?)", berths)
    connection.execute(
        "CREATE TABLE stewards (post TEXT PRIMARY KEY, name TEXT NOT NULL UNIQUE, wage INTEGER NOT NULL)"
    )
    connection.execute("CREATE TABLE larder (dish TEXT PRIMARY KEY, held INTEGER NOT NULL)")
    wages = (("ST-01", "Odile", 9), ("ST-02", "Bram", 8), ("ST-03", "Ysolde", 11), ("ST-04", "Corwin", 8))
    connection.executemany("INSERT INTO stewards VALUES (?, ?, ?)", wages)
    held = ((dish, 25) for served in _DISHES.values() for dish in served)
    connection.executemany("INSERT OR IGNORE INTO larder VALUES (?, ?)", held)
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
        f"  FATHOMLINE {VERSION}: what is on the sea bed, a shelf for each family.",
        "  ground: where it is; the floor of the ground is its depth.   holds: from the fewest to the most of it there.",
        "  returns: tides until one is there again.   worth: coins that the purser pays.",
        "-->",
        "<finds>",
        "",
        "  <!-- Floats: each in three sizes; keep the three alike, crews compare them. -->",
        '  <shelf family="float">',
    ]
    for name in _FLOATS:
        for number, size in enumerate(_SIZES):
            lines.append(_find(rng, f"{size} {name}", 0.4 + 0.8 * number, random.Random(name)))  # noqa: S311
    lines.append("  </shelf>")
    for family, (remark, weight, firsts, seconds) in _FAMILIES.items():
        lines += ["", f"  <!-- {family.title()}: {remark}. -->", f'  <shelf family="{family}">']
        for name in (f"{first} {second}" for second in seconds for first in firsts):
            if name == _FIRST_FIND:
                lines.append("    <!-- Swings in a fixed ring. Crews learn to find with it; do not make it rare. -->")
            lines.append(_find(rng, name, weight))
        lines.append("  </shelf>")
    lines.append("</finds>")
    return "\n".join(lines) + "\n"


def _find(rng: random.Random, name: str, weight: float, alike: random.Random | None = None) -> str:
    """One find; `alike` gives what the sizes of one thing have in common."""
    heft, worth = round(weight * rng.uniform(0.7, 1.5), 1), rng.randrange(3, 60) * 5
    common = alike or rng
    ground = common.choice(_GROUNDS[common.choice(("shallow", "shallow", "middle", "deep", "abyss"))])
    most = common.randrange(2, 13) * 4
    fewest, tides = most // common.choice((2, 3, 4)), common.choice((2, 2, 3, 4, 6, 8))
    if name == _FIRST_FIND:
        ground, fewest, most, tides, worth = "Ribbonweed Flats", 12, 40, 3, 35
    return (
        f'    <find name="{name}" ground="{ground}" holds="{fewest}..{most}" returns="{tides} tides" '
        f'heft="{heft} kg" worth="{worth}"/>'
    )


def _galley() -> Iterator[tuple[str, bytes]]:
    rng = random.Random(SEED + 1)  # noqa: S311 (sample data)
    dishes = [(watch, dish) for watch, served in _DISHES.items() for dish in served]
    board, house, purser = [], {}, {}
    for watch, dish in dishes:
        fewest, price = rng.randrange(1, 9) * 5, rng.randrange(3, 30)
        word = dish.lower().replace(" ", "-")
        prices = {one: price + rng.randrange(0, 4) for one in _WATCHES if one == watch or rng.random() < 0.4}
        if rng.random() < 0.2:
            prices.pop(watch)
        larder = f"{fewest}..{fewest * rng.choice((3, 4, 5))}"
        board.append({"dish": dish, "deck": rng.choice((1, 2, 3)), "recipe": word, "larder": larder, "price": prices})
        house[dish] = price if rng.random() < 0.8 else _ASK
        if house[dish] == _ASK:
            purser[dish] = price + 2
        takes = {one: f"{rng.randrange(1, 3)}..{rng.randrange(3, 6)}" for one in rng.sample(_STORES, 3)}
        yield (
            f"galley/recipes/{word}.json",
            _json({"minutes": rng.randrange(2, 12) * 5, "takes": takes}),
        )
    yield "galley/board.json", _json({"board": board})
    yield "galley/house.json", _json({"prices": house})
    yield "galley/purser.json", _json({"prices": purser})


def _json(value: Mapping[str, object]) -> bytes:
    """JSON as people write it: each entry of a list, and each of many names, on a line of its own."""

    def lines(inner: object) -> str:
        if isinstance(inner, list):
            return "[\n" + ",\n".join(f"    {json.dumps(one)}" for one in inner) + "\n  ]"
        if isinstance(inner, dict) and len(inner) > len(_WATCHES):
            return (
                "{\n"
                + ",\n".join(f"    {json.dumps(name)}: {json.dumps(one)}" for name, one in inner.items())
                + "\n  }"
            )
        return json.dumps(inner)

    body = ",\n".join(f"  {json.dumps(name)}: {lines(inner)}" for name, inner in value.items())
    return f"{{\n{body}\n}}\n".encode()
