"""Snippets and versions in formats of lines and of braces: merged like any other, twice as once."""

from __future__ import annotations

import pytest

from zerrit.core import read_document
from zerrit.core.documents import Format
from zerrit.core.errors import MergeRefused
from zerrit.core.merge import apply_plan, merge_three, plan_merge

ROTA = 'class Rota\n{\n\topens = 6; // hour\n\tcrew[] = {"ada", "bo"};\n\tclass Night\n\t{\n\t\topens = 0;\n\t};\n};\n'
MOULDS = '"Moulds"\n{\n\t"mould"\n\t{\n\t\t"name"\t"Bell"\n\t\t"weight"\t"8"\t// kilograms\n\t}\n}\n'
TOML = (
    'seats = 24\n\n[night]\nopens = 0\n\n[[lamp]]\nname = "north"\nprice = 5\n\n[[lamp]]\nname = "south"\nprice = 7\n'
)
LUA = (
    'Seats = 24\nStalls = {\n  ["quay"] = { price = 5 },\n  ["pier"] = { price = 7 }, -- the old one\n}\n'
    "function open() return Stalls end\nreturn Stalls\n"
)
GATE = 'hostname "Copper Lane"\nseats 24\nadmin "Ada" 5 build\nadmin "Bo" 1 look\nload "a"\nload "b"\n'


@pytest.mark.parametrize(
    ("path", "text", "snippet", "expected", "actions"),
    [
        pytest.param(
            "rota.cfg",
            ROTA,
            "```\nclass Rota\n{\n\topens = 7;\n\tclass Dawn\n\t{\n\t\topens = 4;\n\t};\n};\n```\n",
            ROTA.replace("opens = 6", "opens = 7").replace(
                "0;\n\t};\n", "0;\n\t};\n\tclass Dawn\n\t{\n\t\topens = 4;\n\t};\n"
            ),
            ["combine", "add"],
            id="a class that is there, with a new one in it",
        ),
        pytest.param(
            "rota.cfg",
            ROTA,
            "class Night\n{\n\topens = 1;\n\tcloses = 5;\n};\n",
            ROTA.replace("opens = 0;\n", "opens = 1;\n\t\tcloses = 5;\n"),
            ["combine"],
            id="an inner class alone",
        ),
        pytest.param(
            "moulds.cfg",
            MOULDS,
            '"mould"\n{\n\t"name" "Gong"\n\t"weight" "12"\n}\n"mould"\n{\n\t"name" "Bell"\n\t"weight" "9"\n}\n',
            MOULDS.replace('"8"', '"9"').replace(
                "\t}\n}\n", '\t}\n\t"mould"\n\t{\n\t\t"name" "Gong"\n\t\t"weight" "12"\n\t}\n}\n'
            ),
            ["add", "combine"],
            id="entries of a group",
        ),
        pytest.param(
            "gate.cfg",
            GATE,
            'seats 30\nadmin "Cy" 2 look\nadmin "Bo" 4 look\nload "c"\nload "a"\n',
            GATE.replace("24", "30").replace('"Bo" 1 look\n', '"Bo" 4 look\nadmin "Cy" 2 look\n') + 'load "c"\n',
            ["combine", "add", "combine", "add", "same"],
            id="keyword lines",
        ),
        pytest.param(
            "a.properties",
            "# x\na.b=1\nc=2\n",
            "c=3\nd=4\n",
            "# x\na.b=1\nc=3\nd=4\n",
            ["combine", "add"],
            id="properties",
        ),
        pytest.param(
            "a.toml",
            TOML,
            '[[lamp]]\nname = "west"\nprice = 9\n\n[[lamp]]\nname = "north"\nprice = 6\n',
            TOML.replace("price = 5", "price = 6").rstrip() + '\n\n[[lamp]]\nname = "west"\nprice = 9\n',
            ["add", "combine"],
            id="entries of TOML",
        ),
        pytest.param(
            "a.toml",
            TOML,
            "seats = 30\n[night]\ncloses = 6\n",
            TOML.replace("24", "30").replace("opens = 0\n", "opens = 0\ncloses = 6\n"),
            ["combine", "combine"],
            id="settings and a table of TOML",
        ),
        pytest.param(
            "a.lua",
            LUA,
            "Stalls = {\n  ['mole'] = { price = 4 },\n  ['quay'] = { price = 6 },\n}\nSeats = 30\n",
            LUA.replace("price = 5", "price = 6")
            .replace("}, -- the old one\n", "}, -- the old one\n  ['mole'] = { price = 4 },\n")
            .replace("24", "30"),
            ["add", "combine", "combine"],
            id="a table and a setting of a script",
        ),
        pytest.param(
            "a.lua",
            LUA,
            '  ["mole"] = { price = 4 },\n',
            LUA.replace("}, -- the old one\n", '}, -- the old one\n  ["mole"] = { price = 4 },\n'),
            ["add"],
            id="an entry of a table in a script, without its table",
        ),
        pytest.param(
            "a.js",
            "f();\nregister('x', [\n  { id: 'a', n: 1 },\n  { id: 'b', n: 2 }\n]);\n",
            "{ id: 'c', n: 3 },\n",
            "f();\nregister('x', [\n  { id: 'a', n: 1 },\n  { id: 'b', n: 2 },\n  { id: 'c', n: 3 }\n]);\n",
            ["add"],
            id="an entry of a list that no comma ends",
        ),
    ],
)
def test_a_snippet_is_merged_and_merged_again_changes_nothing(
    path: str, text: str, snippet: str, expected: str, actions: list[str]
) -> None:
    target = read_document(text.encode(), path)
    plan = plan_merge(target, snippet)
    assert [action.kind for action in plan.actions] == actions
    merged = apply_plan(target, plan)
    assert merged.text == expected
    assert apply_plan(merged, plan_merge(merged, snippet)).text == expected


def test_versions_that_a_guess_takes_for_different_formats_are_read_alike() -> None:
    base = read_document(GATE.encode(), "gate.cfg")
    mine = read_document(GATE.replace("24", "30").encode(), "gate.cfg")
    prose = GATE + "This is what we agreed on for the time being.\n" * 9
    theirs = read_document(prose.replace('"Ada" 5', '"Ada" 6').encode(), "gate.cfg")
    assert (mine.format, theirs.format) == (Format.KEYWORDS, Format.TEXT)
    merged = merge_three(base, mine, theirs)
    assert "seats 30\n" in merged.document.text
    assert 'admin "Ada" 6 build\n' in merged.document.text
    said = read_document(GATE.encode(), "gate.cfg", format=Format.KEYWORDS)
    with pytest.raises(MergeRefused, match="Theirs is read as INI, mine as keyword lines"):
        merge_three(said, said, read_document(b"[A]\nx=1\n", "gate.ini"))


def test_a_guessed_file_with_a_fault_is_not_merged() -> None:
    broken = read_document(ROTA.replace("opens = 6;", "opens = 6").encode(), "rota.cfg")
    assert broken.is_guessed
    with pytest.raises(MergeRefused, match="Mine has a fault in line 3"):
        merge_three(None, broken, read_document(ROTA.encode(), "rota.cfg"))
