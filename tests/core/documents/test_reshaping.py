"""Rename, move, comment out and in: exact text, in every format, and refused where it would do harm."""

from __future__ import annotations

import pytest

from zerrit.core import read_document
from zerrit.core.errors import ZerritError
from zerrit.core.steps import Step, StepKind, replay, step_from_words

XML = """<finds>
  <!-- of brass -->
  <find name="A">
    <band at="shelf" holds="3"/>
  </find>

  <find name="B">
    <band at="slope" holds="4"/>
  </find>

  <find name="C"/>
</finds>
"""
YAML = """hauls:
  # small
  net:
    draws: 3
  box:
    draws: 2 # sets
    of:
      - thing: rope
        weight: 1
      - thing: bell
        weight: 2
"""
JSON = '{\n  "goods": [\n    {"name": "x", "low": 1},\n    {"name": "y", "low": 2},\n    {"name": "z", "low": 3}\n  ],\n  "open": true\n}\n'
INI = '; all\n[Crew]\nBerths=24\nMotd="Ahoy"\nRoster=(Who="Oda",From=8)\n\n[Pumps]\nRate=1.5\n'
TEXT = "#!/bin/sh\nMODS=a\nrun\n"


def after(path: str, text: str, address: str, *words: str) -> str:
    step = step_from_words(f"{path}#{address}", words)
    done = replay({path: read_document(text.encode(), path)}, [step], read_document)
    if not done.is_whole:
        raise ZerritError(done.outcomes[0].message)
    return done.documents[path].text


@pytest.mark.parametrize(
    ("path", "text", "address", "name", "old", "new"),
    [
        ("a.xml", XML, "find[B]", "Bee", 'name="B"', 'name="Bee"'),
        ("a.xml", "<a><lamp>x</lamp></a>", "lamp", "light", "<lamp>x</lamp>", "<light>x</light>"),
        ("a.xml", "<a><lamp/></a>", "lamp", "light", "<lamp/>", "<light/>"),
        ("a.xml", XML, "find[B]/band/@holds", "most", 'holds="4"', 'most="4"'),
        ("a.yml", YAML, "hauls/net", "trawl", "  net:", "  trawl:"),
        ("a.yml", YAML, "hauls/box/of/[bell]", "gong", "thing: bell", "thing: gong"),
        ("a.yml", "'a b': 1\n", '"a b"', "c: d", "'a b': 1", '"c: d": 1'),
        ("a.json", JSON, "open", "shut", '"open": true', '"shut": true'),
        ("a.json", JSON, "goods/[y]", "reason", '"name": "y"', '"name": "reason"'),
        ("a.ini", INI, "Crew", "Hands", "[Crew]", "[Hands]"),
        ("a.ini", INI, "Crew/Berths", "Beds", "Berths=24", "Beds=24"),
        ("a.ini", INI, "Crew/Roster/From", "Since", "From=8", "Since=8"),
    ],
)  # fmt: skip
def test_a_rename_changes_the_name_alone(path: str, text: str, address: str, name: str, old: str, new: str) -> None:
    assert after(path, text, address, "rename", name) == text.replace(old, new, 1)


@pytest.mark.parametrize(
    ("path", "text", "address", "words", "reason"),
    [
        ("a.xml", XML, "find[B]", ("rename", "C"), "a.xml has find[C] already"),
        ("a.xml", XML, "find[B]/band", ("rename", "2nd"), "cannot be a name in XML"),
        ("a.yml", YAML, "hauls/net", ("rename", "box"), "hauls has box already"),
        ("a.json", JSON, "open", ("rename", "goods"), "has goods already"),
        ("a.ini", INI, "Crew/Berths", ("rename", "a=b"), "cannot be the name of a setting"),
        ("a.txt", "run\nrun\n", "line[#2]", ("rename", "x"), "have no names"),
        ("a.xml", XML, "find[B]", ("move", "into", "find[B]/band"), "is inside of what is to be moved"),
        ("a.xml", XML, "find[B]/band/@at", ("move", "before", "find[C]"), "Attributes have no order"),
        ("a.xml", XML, "find[B]", ("move", "after", "find[Z]"), "no find that fits [Z]"),
        ("a.ini", INI, "Crew/Berths", ("move", "after", "Pumps"), "sections are moved among sections"),
        ("a.xml", XML, "find[B]", ("move", "after", "b.xml#find[C]"), "in another file"),
        ("a.json", JSON, "goods/[y]", ("comment-out",), "JSON has no comments"),
        ("a.xml", XML, "find[A]/band/@holds", ("comment-out",), "cannot be made a comment"),
        ("a.xml", "<a><b><!-- c --></b></a>", "b", ("comment-out",), "holds a comment"),
        ("a.yml", "a: {b: 1, c: 2}\n", "a/b", ("comment-out",), "shares its line"),
        ("a.txt", "one\ntwo\n", "line[#1]", ("comment-out",), "is not known"),
        ("a.xml", XML, "find[Z]", ("comment-in",), "No comment in a.xml holds find[Z]"),
        ("a.xml", XML, "find[B]", ("move", "after"), "Write: move before|after|into PLACE"),
    ],
)  # fmt: skip
def test_what_would_do_harm_is_refused(path: str, text: str, address: str, words: tuple[str, ...], reason: str) -> None:
    with pytest.raises(ZerritError) as refusal:
        after(path, text, address, *words)
    assert reason in str(refusal.value)


def order(path: str, text: str, address: str) -> list[str]:
    document = read_document(text.encode(), path)
    return [document.keys.key_of(node) or node.name for node in document.select(address)]


@pytest.mark.parametrize(
    ("path", "text", "address", "where", "target", "listed", "expected"),
    [
        ("a.xml", XML, "find[A]", "after", "find[C]", "find[*]", ["B", "C", "A"]),
        ("a.xml", XML, "find[C]", "before", "find[A]", "find[*]", ["C", "A", "B"]),
        ("a.xml", XML, "find[#1]", "after", "find[#3]", "find[*]", ["B", "C", "A"]),
        ("a.xml", XML, "find[A]", "after", "a.xml#find[B]", "find[*]", ["B", "A", "C"]),
        ("a.xml", XML, "find[C]", "after", "find[A]", "find[*]", ["A", "C", "B"]),
        ("a.xml", XML, "find[A]/band", "into", "find[B]", "find[B]/band", ["slope", "shelf"]),
        ("a.yml", YAML, "hauls/net", "after", "hauls/box", "hauls/*", ["box", "net"]),
        ("a.yml", YAML, "hauls/box/of/[bell]", "before", "hauls/box/of/[rope]", "hauls/box/of/[*]", ["bell", "rope"]),
        ("a.json", JSON, "goods/[z]", "before", "goods/[x]", "goods/[*]", ["z", "x", "y"]),
        ("a.json", JSON, "goods/[x]", "after", "goods/[z]", "goods/[*]", ["y", "z", "x"]),
        ("a.ini", INI, "Crew/Berths", "into", "Pumps", "Pumps/*", ["Rate", "Berths"]),
        ("a.ini", INI, "Crew/Motd", "before", "Crew/Berths", "Crew/*", ["Motd", "Berths", "Roster"]),
    ],
)  # fmt: skip
def test_a_move_changes_the_order_and_no_value(
    path: str, text: str, address: str, where: str, target: str, listed: str, expected: list[str]
) -> None:
    moved = after(path, text, address, "move", where, target)
    assert order(path, moved, listed) == expected
    assert read_document(moved.encode(), path).findings == read_document(text.encode(), path).findings
    assert sorted(moved.replace(",", "").split()) == sorted(text.replace(",", "").split())


def test_a_moved_entry_takes_its_comment_along_and_leaves_no_scar() -> None:
    assert after("a.xml", XML, "find[A]", "move", "after", "find[B]") == (
        "<finds>\n"
        '  <find name="B">\n    <band at="slope" holds="4"/>\n  </find>\n'
        '  <!-- of brass -->\n  <find name="A">\n    <band at="shelf" holds="3"/>\n  </find>\n'
        '\n  <find name="C"/>\n</finds>\n'
    )


@pytest.mark.parametrize(
    ("path", "text", "address", "commented"),
    [
        ("a.xml", XML, "find[B]", XML.replace('<find name="B">\n    <band at="slope" holds="4"/>\n  </find>', '<!-- <find name="B">\n    <band at="slope" holds="4"/>\n  </find> -->')),
        ("a.yml", YAML, "hauls/net", YAML.replace("  net:\n    draws: 3\n", "  # net:\n  #   draws: 3\n")),
        ("a.yml", YAML, "hauls/box/of/[bell]", YAML.replace("      - thing: bell\n        weight: 2\n", "      # - thing: bell\n      #   weight: 2\n")),
        ("a.ini", INI, "Crew/Berths", INI.replace("Berths", "; Berths")),
        ("a.sh", TEXT, "MODS", TEXT.replace("MODS", "# MODS")),
        ("a.sh", TEXT, "line[run]", TEXT.replace("run", "# run")),
    ],
)  # fmt: skip
def test_what_is_commented_out_can_be_brought_back(path: str, text: str, address: str, commented: str) -> None:
    key = read_document(text.encode(), path)
    named = key.keys.address_of(key.select(address)[0])
    assert after(path, text, address, "comment-out") == commented
    assert after(path, commented, named, "comment-in") == text
    assert after(path, text, named, "comment-in") == text  # it is so already


@pytest.mark.parametrize(
    ("value", "operation", "result"),
    [
        ("10", "*1.5 from 0 to 12", "12"),
        ("10", "-30 from 0", "0"),
        ("10", "+1 to 400", "11"),
        ("500", "+10 to 400", "500"),
        ("500", "-10 to 400", "490"),
        ("1.5", "*2 to 2.25", "2.25"),
    ],
)
def test_an_adjustment_goes_no_further_than_its_bounds(value: str, operation: str, result: str) -> None:
    document = read_document(f'<a><b x="{value}"/></a>'.encode(), "a.xml")
    done = replay({"a.xml": document}, [Step(StepKind.SET, "a.xml#b/@x", operation=operation)], read_document)
    assert done.documents["a.xml"].select("b/@x")[0].value == result
