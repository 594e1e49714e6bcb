"""
Mistakes put into the demo world, and how many of them the checks find.

    python -m fuzzing.mistakes [--seed 5] [--write] [--missed]

Each mistake is one that people make every week: a slip of a letter, the wrong letter case, a zero too many, an entry
that is missing in the other file, two mods in the wrong order. The table is made by a seeded generator out of the
places where such a mistake can be made in the files, at most `MOST` of each kind. A mistake is found when a check
reports something at its place that it does not report without it; a finding elsewhere counts for nothing.
"""

from __future__ import annotations

import argparse
import random
import re
import sqlite3
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Final

from zerrit.core.checks import Checked, Files, check_files_of
from zerrit.core.documents import Finding
from zerrit.core.drafting import draft
from zerrit.core.gamebooks import Gamebook, read_gamebook
from zerrit.databases import query
from zerrit.demo.world_files import default_files, gamebook, next_default_files

MOST: Final = 16  #: mistakes of one kind
NEAR: Final = 2  #: lines that a finding about a lost sign may be away from it
ANYWHERE: Final = -1

Tree = dict[str, bytes]


@dataclass(frozen=True)
class Mistake:
    """One mistake. `note` is the field note that it belongs to; `places` are paths with lines, `ANYWHERE` for any.

    `slack` is by how many lines a finding may miss.
    """

    note: str
    title: str
    files: Mapping[str, bytes | None]
    places: tuple[tuple[str, int], ...]
    slack: int = 0

    def is_found(self, findings: list[Finding]) -> bool:
        return any(
            f.path == path and (line == ANYWHERE or abs(f.line - line) <= self.slack)
            for f in findings
            for path, line in self.places
        )


class World:
    """The untouched files, as text where they are text."""

    def __init__(self, files: Tree) -> None:
        self.files = files
        self.lines: dict[str, list[str]] = {}
        for path, data in files.items():
            if b"\0" not in data:
                self.lines[path] = data.decode().split("\n")

    def with_line(self, path: str, number: int, line: str | None) -> dict[str, bytes | None]:
        """The file with another line in the place of one (1-based), or without it."""
        lines = list(self.lines[path])
        lines[number - 1 : number] = [] if line is None else [line]
        return {path: "\n".join(lines).encode()}

    def matching(self, pattern: str, paths: str = "") -> Iterator[tuple[str, int, re.Match[str]]]:
        """Every match of a pattern in a line: path, line, match."""
        for path, lines in self.lines.items():
            if re.search(paths, path):
                for number, line in enumerate(lines, 1):
                    for match in re.finditer(pattern, line):
                        yield path, number, match


Make = Callable[[World, random.Random], Iterator[Mistake]]


def _replaced(
    world: World, path: str, number: int, match: re.Match[str], text: str, group: int = 1
) -> dict[str, bytes | None]:
    line = world.lines[path][number - 1]
    return world.with_line(path, number, line[: match.start(group)] + text + line[match.end(group) :])


def _slip(word: str, rng: random.Random) -> str:
    """A letter left out, doubled, or changed for the next one."""
    at = rng.randrange(1, len(word))
    return rng.choice(
        (
            word[:at] + word[at + 1 :],
            word[:at] + word[at - 1] + word[at:],
            word[: at - 1] + word[at] + word[at - 1] + word[at + 1 :],
        )
    )


def misspelled(word: str, rng: random.Random) -> str:
    for _ in range(20):
        slipped = _slip(word, rng)
        if slipped != word:
            return slipped
    return word + word[-1]


# --- signs and commas -------------------------------------------------------------------------------------------------


def lost_signs(world: World, rng: random.Random) -> Iterator[Mistake]:
    del rng
    for path, number, match in world.matching(r'([<>"])', r"\.xml$"):
        if "<!--" not in world.lines[path][number - 1] and "<?" not in world.lines[path][number - 1] and number > 8:
            files = _replaced(world, path, number, match, "")
            yield Mistake("2", f"{match.group()} lost in {path}:{number}", files, ((path, number),), NEAR)
    for path, number, match in world.matching(r'(["{}\[\]:])', r"\.json$"):
        files = _replaced(world, path, number, match, "")
        yield Mistake("2", f"{match.group()} lost in {path}:{number}", files, ((path, number),), NEAR)
    for path, number, match in world.matching(r"=(\(|.*\)$)", r"station\.ini$"):
        files = _replaced(
            world, path, number, match, match.group(1)[1:] if match.group(1) == "(" else match.group(1)[:-1]
        )
        yield Mistake("2", f"parenthesis lost in {path}:{number}", files, ((path, number),), NEAR)
    for path, number, match in world.matching(r"\w(:) \S", r"(hauls|stewards|parties|settings)\.yml$"):
        if not world.lines[path][number - 1].lstrip().startswith("#"):
            files = _replaced(world, path, number, match, "")
            yield Mistake("2", f"colon lost in {path}:{number}", files, ((path, number),), NEAR)


def commas(world: World, rng: random.Random) -> Iterator[Mistake]:
    del rng
    for path, number, match in world.matching(r"\}(,)$", r"\.json$"):
        files = _replaced(world, path, number, match, "")
        yield Mistake("27", f"comma lost in {path}:{number}", files, ((path, number),), 1)
    for path, number, match in world.matching(r"\}()$", r"\.json$"):
        if world.lines[path][number - 1].startswith("    "):
            files = _replaced(world, path, number, match, ",")
            yield Mistake("27", f"comma after the last entry in {path}:{number}", files, ((path, number),), 1)


def pasted(world: World, rng: random.Random) -> Iterator[Mistake]:
    finds = world.lines["sea/finds.xml"]
    starts = [n for n, line in enumerate(finds, 1) if line.startswith("  <shelf ")]
    for start in rng.sample(starts, 4):
        end = next(n for n in range(start, len(finds)) if finds[n - 1].strip() == "</shelf>")
        block = finds[start - 1 : end]
        twice = "\n".join([*finds[:end], *block, *finds[end:]]).encode()
        yield Mistake(
            "7", f"block pasted twice at {start}", {"sea/finds.xml": twice}, (("sea/finds.xml", end + 1),), NEAR
        )
        cut = "\n".join([*finds[: end - 1], *finds[end:]]).encode()
        yield Mistake(
            "7",
            f"pasted without its last line at {start}",
            {"sea/finds.xml": cut},
            (("sea/finds.xml", start), ("sea/finds.xml", end)),
            NEAR,
        )
        tagged = "\n".join([*finds[: start - 1], "  <pre>" + finds[start - 1].strip(), *finds[start:]]).encode()
        yield Mistake(
            "7",
            f"pasted with a tag of its page at {start}",
            {"sea/finds.xml": tagged},
            (("sea/finds.xml", start),),
            NEAR,
        )
        rooted = "\n".join([*finds[: start - 1], "<finds>", *block, "</finds>", *finds[end:]]).encode()
        yield Mistake(
            "7", f"pasted with its root at {start}", {"sea/finds.xml": rooted}, (("sea/finds.xml", start),), NEAR
        )
    station = world.lines["station.ini"]
    for section, key in (("Pumps", "Bus=40"), ("Multipliers", "FindRate=1.0"), ("World", "DayLength=96")):
        twice = "\n".join([*station, f"[{section}]", key, ""]).encode()
        yield Mistake(
            "7",
            f"[{section}] pasted with its header",
            {"station.ini": twice},
            (("station.ini", len(station) + 1),),
            NEAR,
        )


# --- names ------------------------------------------------------------------------------------------------------------


def misspelled_names(world: World, rng: random.Random) -> Iterator[Mistake]:
    """Names of fields: the game says nothing, and nothing changes."""
    patterns = (
        (r' (\w{4,})="', r"\.xml$"),
        (r'"(\w{3,})": ', r"galley/(board|messes|evenings)\.json$"),
        (r"^(\w{4,})=", r"station\.ini$"),
        (r"^ *(?:- \{?)?(\w{4,}):", r"(hauls|stewards|parties|settings)\.yml$"),
    )
    for pattern, paths in patterns:
        for path, number, match in world.matching(pattern, paths):
            if world.lines[path][number - 1].startswith("<?"):
                continue
            files = _replaced(world, path, number, match, misspelled(match.group(1), rng))
            yield Mistake("28", f"name {match.group(1)} misspelled in {path}:{number}", files, ((path, number),), 1)


def misspelled_words(world: World, rng: random.Random) -> Iterator[Mistake]:
    """Words that must be one of a list, or stand in another file."""
    patterns = (
        (r'(?:at|ground|family|part|lamp)="([^"]+)"', r"\.xml$"),
        (r'"recipe": "([^"]+)"', r"galley/board\.json$"),
        (r'"on": true, "dish": "([^"]+)"', r"galley/evenings\.json$"),
        (r"(?:thing|mess): ([A-Z][\w' ]+)[,}]", r"\.yml$"),
        (r'thing: "net\[([\w ]+)\]"', r"\.yml$"),
        (r"Manned=(\w+ Watch)$", r"station\.ini$"),
        (r"rights: .*?(\w{4,})[,)]", r"wardens\.txt$"),
        (r"^([A-Z]{2}-\d\d) ", r"wardens\.txt$"),
        (r"^(\w[\w -]+)$", r"(order|rotation)\.txt$"),
    )
    for pattern, paths in patterns:
        for path, number, match in world.matching(pattern, paths):
            files = _replaced(world, path, number, match, misspelled(match.group(1), rng))
            yield Mistake("28", f"word {match.group(1)} misspelled in {path}:{number}", files, ((path, number),))


def wrong_case(world: World, rng: random.Random) -> Iterator[Mistake]:
    """A category must be the name of a file, in the same letter case."""
    del rng
    for path, number, match in world.matching(r'"recipe": "([a-z]+[^"]*)"', r"galley/board\.json$"):
        files = _replaced(world, path, number, match, match.group(1).title())
        yield Mistake("14", f"{match.group(1)} in another case in {path}:{number}", files, ((path, number),))
    for path in [path for path in world.files if path.startswith("galley/recipes/")]:
        stem = path.rpartition("/")[2].removesuffix(".json")
        users = [(p, n) for p, n, m in world.matching(rf'"recipe": "({stem})"', r"galley/board")]
        if users:
            renamed = {path: None, path.replace(stem, stem.title()): world.files[path]}
            yield Mistake("14", f"file {path} renamed in case", renamed, tuple(users))


def gone_elsewhere(world: World, rng: random.Random) -> Iterator[Mistake]:
    """An entry is taken out that another file still names."""
    del rng
    for path, number, match in world.matching(r'<ground name="([^"]+)"', r"chart\.xml$"):
        users = tuple(
            (p, n)
            for p, n, m in world.matching(r' (?:at|ground)="([^"]+)"', r"\.xml$")
            if m.group(1) == match.group(1) and p != path
        )
        if users:
            yield Mistake("28", f"ground {match.group(1)} taken out", world.with_line(path, number, None), users)


# --- numbers ----------------------------------------------------------------------------------------------------------


def numbers(world: World, rng: random.Random) -> Iterator[Mistake]:
    """A zero too many, a letter among digits, a sign in front."""
    patterns = (
        (r'(?:worth|lasts|every|draught|crush|stock|crew)="([\d.]+)"', r"\.xml$"),
        (r'holds="\d+\.\.(\d+)"', r"\.xml$"),
        (r'(?:returns|heft)="([\d.]+) ', r"\.xml$"),
        (r'"(?:morning|evening|night|radius)": (\d+)', r"galley/(board|messes)\.json$"),
        (r'"(?:larder|hours)": "\d+\.\.(\d+)"', r"galley/(board|evenings)\.json$"),
        (r"^(?:Berths|DayLength|FindRate|AirUse|BendsChance|Bus|Rating|Hands)=([\d.]+)$", r"station\.ini$"),
        (r"share: (\d+)", r"hauls\.yml$"),
    )
    for pattern, paths in patterns:
        for path, number, match in world.matching(pattern, paths):
            value = match.group(1)
            if float(value) == 0:
                continue
            slipped = rng.choice(
                (f"{value}0", f"{value}00", value.replace("0", "o") if "0" in value else f"{value}o", f"-{value}")
            )
            if "." in value:
                slipped = rng.choice((value.replace(".", ","), value.replace(".", "") + "0", f"-{value}"))
            yield Mistake(
                "number",
                f"{value} became {slipped} in {path}:{number}",
                _replaced(world, path, number, match, slipped),
                ((path, number),),
            )


def orders(world: World, rng: random.Random) -> Iterator[Mistake]:
    """The two ends of a range in the wrong order."""
    del rng
    for path, number, match in world.matching(r'"(\d+)\.\.(\d+)"', r"(finds\.xml|board\.json|evenings\.json)$"):
        if int(match.group(1)) < int(match.group(2)):
            line = world.lines[path][number - 1]
            swapped = line.replace(match.group(), f'"{match.group(2)}..{match.group(1)}"')
            yield Mistake(
                "order",
                f"the ends of a range swapped in {path}:{number}",
                world.with_line(path, number, swapped),
                ((path, number),),
            )


def variants(world: World, rng: random.Random) -> Iterator[Mistake]:
    """The same edit over three sizes slips on one of them."""
    lines = world.lines["sea/finds.xml"]
    for number, line in enumerate(lines, 1):
        if "Float" in line:
            match = re.search(r'holds="\d+\.\.(\d+)"', line)
            if match:
                other = str(int(match.group(1)) + rng.choice((1, 2, 4)))
                changed = _replaced(world, "sea/finds.xml", number, match, other)
                yield Mistake("9", f"one size of a float differs at {number}", changed, (("sea/finds.xml", number),))


# --- between files ----------------------------------------------------------------------------------------------------


def codes(world: World, rng: random.Random) -> Iterator[Mistake]:
    """A code that is borne twice, over several files; a number that is equal in two."""
    taken = [m.group(1) for _, _, m in world.matching(r'code="([A-Z]{2}-\d\d)"', r"(chart|buoys)\.xml$")]
    for path, number, match in world.matching(r'code="([A-Z]{2}-\d\d)"', r"(chart|buoys)\.xml$"):
        other = rng.choice([code for code in taken if code != match.group(1)])
        places = (
            (path, number),
            *((p, n) for p, n, m in world.matching(r'code="([A-Z]{2}-\d\d)"') if m.group(1) == other),
        )
        yield Mistake("10", f"{match.group(1)} became {other}", _replaced(world, path, number, match, other), places)
    for path, number, match in world.matching(r'draught="(\d+)"', r"chart\.xml$"):
        yield Mistake(
            "10",
            f"draught at {number} changed in one place",
            _replaced(world, path, number, match, str(int(match.group(1)) + 1)),
            ((path, number),),
        )


def one_word(world: World, rng: random.Random) -> Iterator[Mistake]:
    """Folder, file, setting and start parameter must be one word."""
    ends = (("station.ini", r"^Chart=(.+)$"), ("launch.sh", r"--chart (\S+)"))
    places = tuple((p, n) for path, pattern in ends for p, n, _ in world.matching(pattern, rf"^{path}$"))
    for path, pattern in ends:
        for _, number, match in world.matching(pattern, rf"^{path}$"):
            for word in ("lantern-shelf", misspelled(match.group(1), rng)):
                yield Mistake("11", f"{path} says {word}", _replaced(world, path, number, match, word), places)
    for path in ("addins/tidebell/card.yml", "addins/wreckmarks/card.yml"):
        for _, number, match in world.matching(r"  name: (\w+)", rf"^{path}$"):
            yield Mistake(
                "11",
                f"name in {path}",
                _replaced(world, path, number, match, misspelled(match.group(1), rng)),
                ((path, number),),
            )


def mods(world: World, rng: random.Random) -> Iterator[Mistake]:
    """Order, checksums, versions."""
    del rng
    swapped = b"surveyor-kit\ndeepsong\n"
    yield Mistake("12", "mods in the wrong order", {"mods/order.txt": swapped}, (("mods/order.txt", ANYWHERE),))
    for mod in ("deepsong", "surveyor-kit"):
        yield Mistake(
            "12",
            f"checksum of {mod} missing",
            {f"mods/{mod}.sum": None},
            (("mods/order.txt", ANYWHERE), (f"mods/{mod}.sum", 0)),
        )
    both = world.files["mods/order.txt"] + b"surveyor-kit-1.3\n"
    pak = {"mods/surveyor-kit-1.3.pak": b"PAK\0new", "mods/surveyor-kit-1.3.sum": b"surveyor-kit-1.3 0\n"}
    yield Mistake("12", "two versions on", {"mods/order.txt": both, **pak}, (("mods/order.txt", ANYWHERE),))


def files_by_name(world: World, rng: random.Random) -> Iterator[Mistake]:
    """A file must have exactly one name."""
    del rng
    for path in (
        "crew/wardens.txt",
        "crew/stewards.yml",
        "crew/parties.yml",
        "station.ini",
        "launch.sh",
        "sea/chart.xml",
        "mods/order.txt",
        "charts/rotation.txt",
        "dredge/hauls.yml",
        "galley/house.json",
        "craft.xml",
        "sea/buoys.xml",
    ):
        folder, _, name = path.rpartition("/")
        for other in (name.capitalize(), f"{name}.txt", name.replace(".", "s.", 1)):
            new = f"{folder}/{other}".lstrip("/")
            if new != path:
                yield Mistake(
                    "25",
                    f"{path} is called {other}",
                    {path: None, new: world.files[path]},
                    ((path, ANYWHERE), (new, ANYWHERE)),
                )


def addins(world: World, rng: random.Random) -> Iterator[Mistake]:
    """An add-in is on that needs one among those that are off."""
    del rng
    moved: dict[str, bytes | None] = {}
    for path, data in world.files.items():
        if path.startswith("addins/tidebell/"):
            moved |= {path: None, path.replace("addins/", "shelved/"): data}
    yield Mistake("19", "tidebell is shelved, wreckmarks needs it", moved, (("addins/wreckmarks/card.yml", ANYWHERE),))
    card = world.files["addins/tidebell/card.yml"].replace(b"[]", b"[fogsignal]")
    yield Mistake(
        "19",
        "tidebell needs what is shelved",
        {"addins/tidebell/card.yml": card},
        (("addins/tidebell/card.yml", ANYWHERE),),
    )


def sentinels(world: World, rng: random.Random) -> Iterator[Mistake]:
    """A price that is not there means: look in another file, and there is nothing."""
    for path, number, match in world.matching(r'"([^"]+)": \d+', r"galley/house\.json$"):
        users = tuple(
            (p, n)
            for p, n, m in world.matching(r'"dish": "([^"]+)".*"price": {(.*)}', r"galley/board")
            if m.group(1) == match.group(1) and m.group(2).count(":") < 3
        )
        if users:
            slipped = _replaced(world, path, number, match, misspelled(match.group(1), rng))
            yield Mistake("17", f"price of {match.group(1)} misspelled elsewhere", slipped, (*users, (path, number)))


def odd_settings(world: World, rng: random.Random) -> Iterator[Mistake]:
    """Stewards outside their mess, parties closed, dishes dropped, chances raised, advice, the wrong chart, packed folders."""
    for path, number, match in world.matching(r" (?:x): (-?[\d.]+)", r"stewards\.yml$"):
        yield Mistake(
            "15",
            f"steward moved at {number}",
            _replaced(world, path, number, match, f"{float(match.group(1)) + rng.choice((40, -60)):g}"),
            ((path, number),),
        )
    for path, number, match in world.matching(r"chance: ([\d.]+)%", r"hauls\.yml$"):
        yield Mistake(
            "16",
            f"chance raised at {number}",
            _replaced(world, path, number, match, f"{float(match.group(1)) * 2:g}"),
            ((path, number),),
        )
    for path, number, match in world.matching(r"Shallow Party, open: (true)", r"parties\.yml$"):
        yield Mistake(
            "18",
            "the party of newcomers is closed",
            _replaced(world, path, number, match, "false"),
            ((path, ANYWHERE),),
        )
    for path, number, match in world.matching(r"^newcomers: (.+)$", r"parties\.yml$"):
        for word in ("Trench Party", "Wall Pary"):
            yield Mistake(
                "18", f"newcomers join {word}", _replaced(world, path, number, match, word), ((path, number),)
            )
    for path, number, match in world.matching(r"^FindRate=(.+)$", r"station\.ini$"):
        for rate in ("3.5", "4.5"):
            yield Mistake("20", f"FindRate {rate}", _replaced(world, path, number, match, rate), ((path, number),))
    for path, number, match in world.matching(r"^Rating=(6)$", r"station\.ini$"):
        yield Mistake("20", "a pump above 18", _replaced(world, path, number, match, "19"), ((path, number),))
    for dish in ("Oyster Tray", "Kelp Porridge"):
        places = tuple((p, n) for p, n, m in world.matching(rf'"dish": "{dish}"', r"evenings\.json$"))
        for path, number, _ in world.matching(rf'"dish": "({dish})"', r"board\.json$"):
            yield Mistake("21", f"dish {dish} dropped", world.with_line(path, number, None), places)
    for chart in ("coral-gate", "lantern-shelf"):
        path = f"charts/{chart}/bearings.txt"
        for number, match in ((n, m) for _, n, m in world.matching(r"= (\d+)$", rf"^{path}$")):
            note = "22" if chart == "coral-gate" else "8"
            yield Mistake(
                note, f"bearing in {path}:{number}", _replaced(world, path, number, match, "99"), ((path, ANYWHERE),)
            )


def rows(world: World, rng: random.Random) -> Iterator[Mistake]:
    """A row of the game's database must carry the same number."""
    del rng
    for code in ("CG-01", "RF-01", "TL-01"):
        for change in ("UPDATE berths SET draught = draught + 2 WHERE code = ?", "DELETE FROM berths WHERE code = ?"):
            connection = sqlite3.connect(":memory:")
            connection.deserialize(world.files["ledger.db"])
            connection.execute(change, (code,))
            connection.commit()
            data = connection.serialize()
            connection.close()
            places = tuple((p, n) for p, n, _ in world.matching(rf'berth code="{code}"', r"chart\.xml$"))
            yield Mistake("23", f"{change[:6]} {code}", {"ledger.db": data}, places)


def too_much(world: World, rng: random.Random) -> Iterator[Mistake]:
    """Things are added and nothing is taken away."""
    del rng
    text = world.files["sea/finds.xml"].decode()
    for number in (60, 150, 390):
        block = "".join(re.findall(r"    <find .*/>\n", text)[5 : 5 + number]).replace(
            '<find name="', '<find name="Odd '
        )
        more = text.replace("</finds>", f'  <shelf family="odd">\n{block}  </shelf>\n</finds>').encode()
        yield Mistake("6", f"{number} finds added", {"sea/finds.xml": more}, (("sea/finds.xml", ANYWHERE),))


#: The mistakes in words, by field note; those that only a server that stops and starts can show are tests by name.
NOTES: Final = {
    "2": "2, a bracket, quote or colon lost",
    "27": "27, a comma after the last entry, none before it",
    "7": "7, pasted twice, with its header, its root, a tag of its page, or cut off",
    "28": "28, a misspelled name or word; an entry gone that others name",
    "14": "14, a category in another letter case than its file",
    "number": "a zero too many, a letter among digits, a minus in front",
    "order": "the two ends of a range swapped",
    "9": "9, one of several equal edits forgotten",
    "10": "10, an id that is borne twice, or unequal in two places",
    "11": "11, folder, file and start parameter are not one word",
    "12": "12, order, checksum and versions of mods",
    "25": "25, a file under another name",
    "19": "19, what is needed is switched off",
    "17": "17, a word sends the game elsewhere, and nothing is there",
    "15": "15, a steward outside the mess",
    "16": "16, the chance of a variant raised",
    "18": "18, newcomers join a closed party",
    "20": "20, a value that veterans warn of",
    "21": "21, a switch is on for what the game dropped",
    "22": "22, a packed folder not packed again",
    "8": "8, the file of the wrong chart",
    "23": "23, a row of the database with another number",
    "6": "6, things added and nothing taken away",
}
HEADING: Final = "## Mistakes of every week"
PAGE: Final = Path(__file__).parents[1] / "docs" / "reliability.md"

KINDS: Final[tuple[Make, ...]] = (
    lost_signs, commas, pasted, misspelled_names, misspelled_words, wrong_case, gone_elsewhere, numbers, orders, variants,
    codes, one_word, mods, files_by_name, addins, sentinels, odd_settings, rows, too_much,
)  # fmt: skip


def mistakes(world: World, seed: int) -> list[Mistake]:
    """The table: of each kind and note at most `MOST`, chosen by the seed."""
    chosen: list[Mistake] = []
    for make in KINDS:
        rng = random.Random(f"{seed} {make.__name__}")
        by_note: dict[str, list[Mistake]] = {}
        for mistake in make(world, rng):
            by_note.setdefault(mistake.note, []).append(mistake)
        for listed in by_note.values():
            chosen += rng.sample(listed, min(MOST, len(listed)))
    return chosen


# --- checking ---------------------------------------------------------------------------------------------------------


class Bench:
    """One gamebook with the check of the untouched world."""

    def __init__(self, files: Tree, book: Gamebook) -> None:
        self.files = files
        self.book = book
        self.documents = {path: book.read(data, path) for path, data in files.items() if book.is_tracked(path)}
        self.base = self._check(self.files, {})
        self.known = {f.identity for f in self.base.findings}

    def _check(self, files: Tree, changed: Mapping[str, bytes | None]) -> Checked:
        documents = {path: one for path, one in self.documents.items() if path not in changed}
        for path, data in changed.items():
            if data is not None and self.book.is_tracked(path):
                documents[path] = self.book.read(data, path)
        documents = {path: one for path, one in documents.items() if not one.is_binary}
        others = {path: "" for path in files if path not in documents}
        before = {path: one for path, one in self.documents.items() if not one.is_binary} if changed else None
        earlier = self.base if changed else None
        return check_files_of(Files(documents, others, files.get, query), self.book, before=before, earlier=earlier)

    def new_findings(self, mistake: Mistake) -> list[Finding]:
        files = {**self.files, **{path: data for path, data in mistake.files.items() if data is not None}}
        files = {path: data for path, data in files.items() if mistake.files.get(path, b"") is not None}
        found = self._check(files, mistake.files).findings
        return [f for f in found if f.identity not in self.known]


def read(text: bytes) -> Gamebook:
    book, faults = read_gamebook(text)
    if book is None:
        raise SystemExit("\n".join(f"{fault.line}: {fault.message}" for fault in faults))
    return book


def false_alarms(files: Tree, book: Gamebook) -> int:
    """Findings in untouched files, tolerated ones apart."""
    return sum(finding.severity.value != "notice" for finding in Bench(files, book).base.findings)


def entries_of(files: Tree) -> int:
    """How many groups with values the files have: what a person would call entries."""
    book = read(gamebook())
    documents = (book.read(data, path) for path, data in files.items() if book.is_tracked(path))
    return sum(
        1
        for document in documents
        if not document.is_binary
        for node in document.root.walk()
        if not node.is_value and any(child.value is not None for child in node.children)
    )


def _found_table(table: list[Mistake], books: Mapping[str, Gamebook], found: Mapping[str, list[bool]]) -> Iterator[str]:
    yield f"| field note | mistakes | {' | '.join(books)} |"
    yield f"|---|---:|{'---:|' * len(books)}"
    for note in NOTES:
        at = [index for index, mistake in enumerate(table) if mistake.note == note]
        cells = " | ".join(str(sum(found[name][index] for index in at)) for name in books)
        yield f"| {NOTES[note]} | {len(at)} | {cells} |"
    cells = " | ".join(f"{sum(hits)} ({sum(hits) / len(table):.1%})" for hits in found.values())
    yield f"| all | {len(table)} | {cells} |"


def _alarm_table(books: Mapping[str, Gamebook], trees: Mapping[str, Tree]) -> Iterator[str]:
    yield f"| false alarms in the untouched defaults | {' | '.join(books)} |"
    yield f"|---|{'---:|' * len(books)}"
    for label, files in trees.items():
        entries = entries_of(files)
        alarms = [false_alarms(files, book) for book in books.values()]
        yield f"| {label}, {entries:,} entries | {' | '.join(f'{n} ({n / entries:.2%})' for n in alarms)} |"


def _write(lines: list[str], seed: int) -> None:
    """Put the tables into the page, in the place of the last ones."""
    text = PAGE.read_text()
    before, _, rest = text.partition(f"{HEADING}\n")
    after = rest.partition("\n## ")
    intro = (
        f"`make mistakes` (`fuzzing/mistakes.py`, seed {seed}) puts mistakes into the demo world, one at a time, and counts how\n"
        "many a check finds at their true place. At most 16 of a kind are taken. The demo gamebook was written manually by those\n"
        "who wrote the table; a draft is made from the defaults alone. The notes 1, 4, 13, 24 and 26 are about a server that\n"
        "stops and starts, 5 about when a value holds, 3 about what must *not* be found; these are tests by name (`tests/core/test_field_notes.py`,\n"
        "`tests/service/test_field_notes.py`), as is every other note.\n"
    )
    PAGE.write_text("\n".join([f"{before}{HEADING}", "", intro, *lines, "", f"## {after[2]}"]))


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__.partition("\n\n")[0])
    parser.add_argument("--seed", type=int, default=5)
    parser.add_argument("--missed", action="store_true", help="list what was not found")
    parser.add_argument("--write", action="store_true", help="put the tables into docs/reliability.md")
    given = parser.parse_args()
    old, new = default_files(), next_default_files()
    world = World(old)
    books = {
        "demo gamebook": read(gamebook()),
        "draft of 2.1": read(draft([old], "fathomline", "defaults 2.1").encode()),
        "draft of 2.1 and 2.2": read(draft([old, new], "fathomline", "defaults 2.1 and 2.2").encode()),
    }
    benches = {name: Bench(old, book) for name, book in books.items()}
    table = mistakes(world, given.seed)
    found = {
        name: [mistake.is_found(bench.new_findings(mistake)) for mistake in table] for name, bench in benches.items()
    }
    lines = [*_found_table(table, books, found), "", *_alarm_table(books, {"2.1": old, "2.2": new})]
    print("\n".join(lines))
    if given.write:
        _write(lines, given.seed)
    if given.missed:
        for name, hits in found.items():
            for mistake, hit in zip(table, hits, strict=True):
                if not hit:
                    print(f"{name}: note {mistake.note}: {mistake.title}")


if __name__ == "__main__":
    main()
