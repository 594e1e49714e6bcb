"""What is regular in a script has an address and is changed by it; code stays closed, and separators are always right."""

from __future__ import annotations

from difflib import ndiff

import pytest

from tests.worlds import world
from zerrit.core import read_document
from zerrit.core.addresses import parse_node_address
from zerrit.core.documents.structural_edits import comment_out
from zerrit.core.documents.value_edits import recased
from zerrit.core.errors import EditRefused
from zerrit.core.steps import OutcomeKind, Replay, replay, step_from_words

WORLD = world("cannery")
LUA, JS, C, SH, BAT, PY = (
    "scripts/settings.lua",
    "scripts/belts.js",
    "scripts/jars.c",
    "start.sh",
    "start.bat",
    "tasks.py",
)


def made(path: str, address: str, *words: str, text: str = "") -> Replay:
    document = read_document(text.encode() if text else WORLD[path], path)
    return replay({path: document}, [step_from_words(f"{path}#{address}", words)], read_document)


def lines_of(path: str, done: Replay, text: str = "") -> tuple[list[str], list[str]]:
    """The lines that are gone, and those that have come, without their margins."""
    before = text or WORLD[path].decode()
    differing = list(ndiff(before.splitlines(), done.documents[path].text.splitlines()))
    return [one[2:].strip() for one in differing if one[0] == "-"], [
        one[2:].strip() for one in differing if one[0] == "+"
    ]


@pytest.mark.parametrize(
    ("path", "address", "words", "gone", "come"),
    [
        (LUA, "feature[shipments]", ("=false",), ["shipments = true,"], ["shipments = false,"]),
        (LUA, "feature/steam_whistle", ('=it\'s "noon"',), ['steam_whistle = "at noon",'], ['steam_whistle = "it\'s \\"noon\\"",']),
        (LUA, "Settings[Night Shift]", ("on",), ['Settings["Night Shift"] = false'], ['Settings["Night Shift"] = true']),
        (LUA, "crates[kx1]/price", ("+500",), ['{ id = "kx1", size = 4, price = 30 },'], ['{ id = "kx1", size = 4, price = 530 },']),
        (LUA, "crates/[kx3]/price", ("=99",), ['{ id = "kx3", size = 9, price = base * 2 + fee(3), limit = nil },'], ['{ id = "kx3", size = 9, price = 99, limit = nil },']),
        (LUA, "crates[kx1]", ("copy", "kx9"), [], ['{ id = "kx9", size = 4, price = 30 },']),
        (LUA, "Market.Stalls[quay]", ("copy", "cove"), [], ['["cove"] = { price = 5, owner = "Ada", wares = { "herring", "sprat" } },']),
        (LUA, "AddRecipe[smoked eel]", ("copy", "smoked cod"), [], ['AddRecipe("smoked cod", { salt = 1, wood = 3 })']),
        (LUA, "Market.Stalls", ("add", "bay", "price=3", "owner=Zoe"), [], ["},", '["bay"] = {', "price = 3,", 'owner = "Zoe",']),
        (LUA, "Market.Stalls/mole/wares", ("add", "-", "=crab"), ["wares = {},"], ['wares = { "crab" },']),
        (LUA, "Market.Stalls/pier", ("rename", "old pier"), ['["pier"] = { price = 7, owner = \'Bo\', wares = { "eel" } }, -- closed in winter'], ['["old pier"] = { price = 7, owner = \'Bo\', wares = { "eel" } }, -- closed in winter']),
        (LUA, "Market.Stalls/pier", ("comment-out",), ['["pier"] = { price = 7, owner = \'Bo\', wares = { "eel" } }, -- closed in winter'], ['-- ["pier"] = { price = 7, owner = \'Bo\', wares = { "eel" } }, -- closed in winter']),
        (LUA, "", ("add", "Settings.Most", "=7"), [], ["Settings.Most = 7"]),
        (JS, "belts/south/items", ("add", "-", "=jar"), ["south: { length: 25, items: [], motor: null },"], ['south: { length: 25, items: ["jar"], motor: null },']),
        (JS, 'belts/"old one"', ("remove",), ['"old one": { length: 8, items: ["crate"], broken: true },'], []),
        (JS, "belts/north", ("copy", "west"), [], ['west: { length: 40, items: ["lid", "jar"], motor: \'a"b\' },']),
        (JS, "SPEED", ("=2",), ["const SPEED = 1.5;"], ["const SPEED = 2;"]),
        (C, "NAMES", ("add", "-", "=flat"), ['const char *NAMES[] = {"small", "wide", "tall"};'], ['const char *NAMES[] = {"small", "wide", "tall", "flat"};']),
        (C, "lids/[tin]", ("copy", "iron"), [], ['{ .name = "iron", .price = 3 },']),
        (C, "MAX_JARS", ("+1",), ["static const int MAX_JARS = 4000; // on one pallet"], ["static const int MAX_JARS = 4001; // on one pallet"]),
        (C, "JAR_SIZE", ("=300",), ["#define JAR_SIZE 250"], ["#define JAR_SIZE 300"]),
        (PY, "tasks/sweep", ("copy", "mop"), [], ['"mop": {"at": "03:00", "rooms": ["hall", "dock"]},']),
        (SH, "HALL", ("=the north",), ['HALL="north"'], ['HALL="the north"']),
        (SH, "HALL", ('=a"b$c',), ['HALL="north"'], ["HALL='a\"b$c'"]),
        (SH, "LOADED", ("add", "-", "=lids"), ["LOADED='base;belts;jars'"], ["LOADED='base;belts;jars;lids'"]),
        (SH, "belt", ("=a b",), ["--with 'the choir' +belt north --quiet"], ["--with 'the choir' +belt \"a b\" --quiet"]),
        (SH, "quiet", ("remove",), ["--with 'the choir' +belt north --quiet"], ["--with 'the choir' +belt north"]),
        (BAT, "load", ("add", "-", "=lids"), ['cannery.exe --hall=%HALL% -port=7700 --load=base;belts;jars -name "The Old Cannery" --with night-crew --with choir'], ['cannery.exe --hall=%HALL% -port=7700 --load=base;belts;jars;lids -name "The Old Cannery" --with night-crew --with choir']),
        (BAT, "with[night-crew]", ("remove",), ['cannery.exe --hall=%HALL% -port=7700 --load=base;belts;jars -name "The Old Cannery" --with night-crew --with choir'], ['cannery.exe --hall=%HALL% -port=7700 --load=base;belts;jars -name "The Old Cannery" --with choir']),
        (BAT, "", ("add", "with", "=cats"), ['cannery.exe --hall=%HALL% -port=7700 --load=base;belts;jars -name "The Old Cannery" --with night-crew --with choir'], ['cannery.exe --hall=%HALL% -port=7700 --load=base;belts;jars -name "The Old Cannery" --with night-crew --with choir --with cats']),
        (BAT, "TITLE", ("=The New One",), ['set "TITLE=The Old Cannery"'], ['set "TITLE=The New One"']),
    ],
)  # fmt: skip
def test_one_step_changes_its_place_and_no_other(
    path: str, address: str, words: tuple[str, ...], gone: list[str], come: list[str]
) -> None:
    done = made(path, address, *words)
    assert done.is_whole, done.outcomes
    assert lines_of(path, done) == (gone, come)
    after = done.documents[path]
    assert read_document(after.to_bytes(), path).findings == ()
    again = replay(done.documents, [step_from_words(f"{path}#{address}", words)], read_document)
    assert again.outcomes[0].kind in (OutcomeKind.SAME, OutcomeKind.IMPOSSIBLE, OutcomeKind.DONE)


@pytest.mark.parametrize(
    ("path", "address", "words", "message"),
    [
        (LUA, "crates/[kx3]/price", ("=base * 3",), "is worked out by the script. Write a number, one of true, false, nil"),
        (LUA, "Market.Stalls[quay]", ("copy", "pier"), "has pier already. Choose another name."),
        (LUA, "Market.Stalls", ("=5",), "is a group, no single value."),
        (BAT, "name", ('=My "x"',), "holds a sign that a batch file takes for something else"),
        (SH, "load", ("=5",), "is a list, no single value"),
        (SH, "load", ("add", "-", "=a;b"), "cannot be a word of the list load"),
        (SH, "quiet", ("=5",), "is an option without a value"),
        (SH, "with[night-crew]", ("move", "before", "HALL"), "what is a part of a line is moved among its like"),
    ],
)  # fmt: skip
def test_what_would_not_be_what_is_meant_is_refused(
    path: str, address: str, words: tuple[str, ...], message: str
) -> None:
    done = made(path, address, *words)
    assert done.outcomes[0].kind is OutcomeKind.IMPOSSIBLE
    assert message in done.outcomes[0].message
    assert done.documents[path].to_bytes() == WORLD[path]


@pytest.mark.parametrize(
    ("path", "text", "expected"),
    [
        ("a.lua", "A = A or { x = 1 }\n", {"A/x": "1"}),
        ("a.lua", "local a, b = { x = 1 }, { y = 2 }\n", {}),
        ("a.lua", "if x or { 1 } then f() end\n", {}),
        ("a.lua", "return {\n  x = 1,\n}\n", {"return/x": "1"}),
        ("a.lua", "f{ x = 1 }\ng 'n' { x = 2 }\n", {"f/x": "1", "g.n/x": "2"}),
        ("a.lua", "t = { x = 1, -- c }\n  y = `z`, z = [==[ ]] ]==] }\n", {"t/x": "1", "t/y": "z", "t/z": " ]] "}),
        ("a.lua", "t = {\n  f = function() return { a = 1 } end,\n  x = 2,\n}\n", {"t/f": "function() return { a = 1 } end", "t/x": "2"}),
        ("a.js", "const t = { r: /a[}]/g, x: a ? { y: 1 } : 2, z: 3 };\n", {"t/r": "/a[}]/g", "t/x": "a ? { y: 1 } : 2", "t/z": "3"}),
        ("a.js", "function f({ a = 1, b }) { return a; }\n", {}),
        ("a.js", "const { a = 1 } = f();\nlet x = y[0];\n", {}),
        ("a.js", "if (x) { y: 1 }\n", {}),
        ("a.c", "int f() { return 1; }\nenum E { A = 1, B };\n", {}),
        ("a.cs", 'var d = new Dictionary<string, int> { ["a"] = 1, ["b"] = 2 };\n', {"d/a": "1", "d/b": "2"}),
        ("a.py", "def f(x={}, y=[]):\n    g({})\n", {}),
        ("a.lua", "t = {}\nf({})\n", {}),
        ("a.c", "const int m[2][2] = {{1, 2}, {3, 4}};\n", {"m/[#1]/[#1]": "1", "m/[#1]/[#2]": "2", "m/[#2]/[#1]": "3", "m/[#2]/[#2]": "4"}),
        ("a.sh", "cp -r --parents a b\nls --color=auto\n", {}),
        ("a.sh", "exec java -Xms1G -Xmx\"$M\" -jar s.jar --port 70\n", {"Xms1G": "", "jar": "s.jar", "port": "70"}),
        ("a.sh", './s "-crates=a;b" -name "x y" +seed 5 >> log 2>&1 --not 1\n', {"crates/[a]": "a", "crates/[b]": "b", "name": "x y", "seed": "5"}),
        ("a.sh", "A=$(date)\nB=5 # five\nC=\n", {"B": "5", "C": ""}),
        ("a.bat", 'start "" /high "C:\\S\\s.exe" -port=5 "-dir=C:\\p q"\nset /p X=Who?\n', {"port": "5", "dir": "C:\\p q"}),
        ("a.ps1", '& ./s.exe -Port 5 `\n  --load "a,b"\n', {"Port": "5", "load/[a]": "a", "load/[b]": "b"}),
    ],
)  # fmt: skip
def test_what_is_opened_and_what_stays_closed(path: str, text: str, expected: dict[str, str]) -> None:
    document = read_document(text.encode(), path)
    assert document.findings == ()
    found = {
        document.keys.address_of(node): node.value
        for node in document.root.walk()
        if node.is_value and node.name != "line"
    }
    assert found == expected
    assert document.to_bytes() == text.encode()


def test_a_gamebooks_slot_goes_before_what_a_line_looks_like() -> None:
    from zerrit.core.documents.slots import Slot

    text = "./s --load=a;b --port 5\nload = 3\n"
    document = read_document(text.encode(), "a.sh", slots={"load": Slot("--load={}", ";")})
    found = [document.keys.address_of(node) for node in document.root.walk() if node.is_value and node.name != "line"]
    assert found == ["load/[a]", "load/[b]", "port"]


@pytest.mark.parametrize(
    ("text", "old", "new", "expected"),
    [
        ("kx1 KX1 Kx1 kx12 akx1 kx1_wheel Kx1Wheel", "kx1", "zed", "zed ZED Zed kx12 akx1 zed_wheel ZedWheel"),
        ("myQuay quay-side QUAY_ID aquay", "quay", "cove", "myCove cove-side COVE_ID aquay"),
        ("The Quay, the quay", "Quay", "Old Cove", "The Old Cove, the old cove"),
    ],
)
def test_a_word_is_replaced_in_each_of_its_letter_cases(text: str, old: str, new: str, expected: str) -> None:
    assert recased(text, old, new) == expected


def test_a_copy_throughout_has_the_new_word_all_over_it() -> None:
    text = 'Stalls = {\n  quay = { id = "quay", icon = "img/QUAY.png", on = "open_quay", note = "Quays" },\n}\n'
    done = made("a.lua", "Stalls[quay]", "copy", "cove", "throughout", text=text)
    assert lines_of("a.lua", done, text)[1] == [
        'cove = { id = "cove", icon = "img/COVE.png", on = "open_cove", note = "Quays" },'
    ]


def test_an_entry_that_becomes_a_comment_leaves_the_rest_of_its_table() -> None:
    document = read_document(b'tasks = {\n    "sweep": {"at": 3},\n    "count": {"at": 4},\n}\n', "tasks.py")
    after = comment_out(document, parse_node_address("tasks/sweep")).document
    assert [node.value for node in after.select("tasks/count/at")] == ["4"]


def test_an_option_behind_another_one_is_no_comment() -> None:
    document = read_document(b"& ./mill.exe --speed 4 `\n  --load wheat --quiet\n", "start.ps1")
    with pytest.raises(EditRefused, match="shares its line with others"):
        comment_out(document, parse_node_address("load"))
