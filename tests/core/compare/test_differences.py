"""What differs, in every format: by address, told for what it is, and nothing else."""

from __future__ import annotations

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from zerrit.core import read_document
from zerrit.core.compare import Difference, FileSet, compare_documents, compare_files, differences_at, require_place
from zerrit.core.documents import Document
from zerrit.core.errors import AddressNotFound
from zerrit.demo.world_files import default_files, server_files

JSON = '{\n  "store": "Cellar",\n  "open": true,\n  "goods": [\n    {"name": "Mead", "low": 1},\n    {"name": "Cider", "low": 2},\n    {"name": "Rum", "low": 3}\n  ]\n}\n'
YAML = "# bells\nsettings:\n  volume: 0.7 # loud\n  quiet: {from: '23', to: 7}\n  ring: [30, 10, 5]\n"
INI = '; station\n[Pumps]\nBus=40\nC=(Name="Gate",P=((R=4),(R=5)),D=Night)\nC=(Name="Moon",P=((R=6)),D=Day)\n'
LUA = "local stalls = {\n  quay = { price = 5 },\n  pier = { price = 7 },\n}\nrun()\n"
SH = "#!/bin/sh\nCHART=coral\nexec ./fathomline\n"

CASES = [
    pytest.param("a.json", JSON, '"low": 2', '"low": 5', [("changed", "goods/[Cider]/low", "2", "5", "+3")], id="json: a number"),
    pytest.param("a.json", JSON, '"low": 2', '"low": "2"', [("changed", "goods/[Cider]/low", "2", '"2"', "")], id="json: a number that became text"),
    pytest.param("a.json", JSON, '    {"name": "Cider", "low": 2},\n', "", [("removed", "goods/[Cider]", '{"name": "Cider", "low": 2}', None, "")], id="json: an item gone"),
    pytest.param("a.json", JSON, '"open": true', '"open": true,\n  "deck": 2', [("added", "deck", None, '"deck": 2', "")], id="json: a key come"),
    pytest.param("a.json", JSON, '  "store": "Cellar",\n  "open": true,\n', '  "open": true,\n  "store": "Cellar",\n', [("moved", "store", None, None, "")], id="json: keys in another order"),
    pytest.param("a.json", JSON, '    {"name": "Mead", "low": 1},\n    {"name": "Cider", "low": 2},\n', '    {"name": "Cider", "low": 2},\n    {"name": "Mead", "low": 1},\n', [("moved", "goods/[Mead]", None, None, "")], id="json: items in another order"),
    pytest.param("a.json", JSON, '"Cider"', '"Perry"', [("renamed", "goods/[Perry]", "Cider", "Perry", "")], id="json: an item renamed"),
    pytest.param("a.yml", YAML, "0.7", "0.5", [("changed", "settings/volume", "0.7", "0.5", "-0.2")], id="yaml: a number"),
    pytest.param("a.yml", YAML, "# loud", "# soft", [("comment", "settings/volume", "loud", "soft", "")], id="yaml: a comment"),
    pytest.param("a.yml", YAML, "{from: '23', to: 7}", "\n    from: '23'\n    to: 7", [("layout", "settings/quiet", None, None, "")], id="yaml: braces or lines"),
    pytest.param("a.yml", YAML, "'23'", '"23"', [("layout", "settings/quiet/from", None, None, "")], id="yaml: other quotes"),
    pytest.param("a.yml", YAML, "'23'", "23", [("changed", "settings/quiet/from", "'23'", "23", "")], id="yaml: a text that became a number"),
    pytest.param("a.yml", YAML, "[30, 10, 5]", "[30, 5]", [("removed", "settings/ring/[#2]", "10", None, "")], id="yaml: an item without a key"),
    pytest.param("a.ini", INI, "(R=5)", "(R=9)", [("changed", "Pumps/C[Gate]/P/[#2]/R", "5", "9", "+4")], id="ini: deep in a struct"),
    pytest.param("a.ini", INI, "D=Day", "D=Always", [("changed", "Pumps/C[Moon]/D", "Day", "Always", "")], id="ini: one of two of the same name"),
    pytest.param("a.ini", INI, "Bus=40\n", "\n\nBus = 40\n", [("layout", "Pumps/Bus", None, None, "")], id="ini: spaces and blank lines"),
    pytest.param("a.ini", INI, "Bus=40\n", "Bus=40\nSpare=1\n", [("added", "Pumps/Spare", None, "Spare=1", "")], id="ini: a setting come"),
    pytest.param("a.sh", SH, "CHART=coral", "CHART=shelf", [("changed", "CHART", "coral", "shelf", "")], id="script: a setting"),
    pytest.param("a.sh", SH, "exec ./fathomline", "exec ./other", [("changed", "line[exec ./other]", "exec ./fathomline", "exec ./other", "")], id="script: a line"),
    pytest.param("a.sh", SH, "exec ./fathomline\n", "", [("removed", "line[exec ./fathomline]", "exec ./fathomline", None, "")], id="script: a line gone"),
    pytest.param("a.sh", SH + "run --bay 1\n", "run --bay 1", "walk --bay 1", [("changed", "bay", "run --bay 1", "walk --bay 1", "")], id="script: code beside an option"),
    pytest.param("a.lua", LUA, "price = 5", "price = 6", [("changed", "stalls/quay/price", "5", "6", "+1")], id="table: a value"),
    pytest.param("a.lua", LUA, "local stalls", "stalls", [("changed", "stalls", "local stalls = …", "stalls = …", "")], id="table: code around it"),
    pytest.param("a.lua", LUA, "run()\n", "walk()\n", [("changed", "line", "run()", "walk()", "")], id="table: code beside it"),
    pytest.param("a.lua", LUA, LUA, "run()\n" + LUA.removesuffix("run()\n"), [("moved", "stalls", None, None, "")], id="table: code behind it is before it now"),
    pytest.param("a.lua", LUA, "  pier", "  mole = { price = 9 },\n  pier", [("added", "stalls/mole", None, "mole = { price = 9 }", "")], id="table: an entry come"),
]  # fmt: skip


def told(found: list[Difference]) -> list[tuple[str, str, str | None, str | None, str]]:
    return [(d.kind.value, d.address.partition("#")[2], d.old, d.new, d.delta) for d in found]


@pytest.mark.parametrize(("path", "text", "old", "new", "expected"), CASES)
def test_a_difference_is_told_for_what_it_is(
    path: str, text: str, old: str, new: str, expected: list[tuple[str, str, str | None, str | None, str]]
) -> None:
    assert old in text
    before, after = (read_document(t.encode(), path) for t in (text, text.replace(old, new, 1)))
    assert told(compare_documents(before, after)) == expected


@pytest.mark.parametrize(("path", "text", "old", "new", "expected"), CASES)
def test_no_difference_is_overlooked_the_other_way_round(
    path: str, text: str, old: str, new: str, expected: object
) -> None:
    before, after = (read_document(t.encode(), path) for t in (text, text.replace(old, new, 1)))
    assert compare_documents(after, before) != []
    assert compare_documents(after, after) == []


def test_files_that_came_and_went_are_one_difference_each() -> None:
    def docs(*paths: str) -> dict[str, Document]:
        return {path: read_document(f"{path[0]}: 1\n".encode(), path) for path in paths}

    found = compare_files(docs("a.yml", "b.yml"), docs("b.yml", "c.yml"))
    assert [(d.kind, d.address, d.old, d.new) for d in found] == [
        ("removed", "a.yml", "file", None),
        ("added", "c.yml", None, "file"),
    ]


def test_the_demo_servers_differ_from_the_defaults_in_what_their_admins_changed() -> None:
    def docs(files: dict[str, bytes]) -> dict[str, Document]:
        return {path: read_document(data, path) for path, data in files.items() if not path.startswith("mods/")}

    found = compare_files(docs(default_files()), docs(server_files("coral-gate")))
    assert {d.address: (d.old, d.new) for d in found if "Cork" not in d.address} == {
        "addins/tidebell/settings.yml#settings/volume": ("0.7", "0.5"),
        "craft.xml#hull[Skiff]/@stock": ("12", "16"),
        "sea/finds.xml#shelf[brass]/find[Copper Gimbal]/@worth": ("35", "45"),
        "sea/happenings/highwater.xml#happening[Milk Bloom]/@runs": ("no", "yes"),
        "station.ini#Multipliers/FindRate": ("1.0", "1.4"),
        "station.ini#Station/Welcome": ("Mind the tide, sign the slate.", "Coral Gate: mind the tide, sign the slate."),
    }


NAMES = st.lists(st.sampled_from("ABCDEFGH"), unique=True, max_size=8)


@settings(max_examples=150)
@given(NAMES, NAMES, st.integers(0, 9))
def test_entries_meet_by_name_whatever_their_order(old: list[str], new: list[str], number: int) -> None:
    def doc(names: list[str], value: int) -> Document:
        rows = "".join(f'  <find name="{name}" w="{value if name == "A" else 5}"/>\n' for name in names)
        return read_document(f"<finds>\n{rows}</finds>\n".encode(), "a.xml")

    found = compare_documents(doc(old, 0), doc(new, number))
    by_kind = {
        kind: {d.address for d in found if d.kind == kind} for kind in ("added", "removed", "renamed", "changed")
    }
    came, went = set(new) - set(old), set(old) - set(new)
    assert len(by_kind["added"]) + len(by_kind["renamed"]) == len(came)
    assert len(by_kind["removed"]) + len(by_kind["renamed"]) == len(went)
    assert by_kind["changed"] == ({"a.xml#find[A]/@w"} if "A" in old and "A" in new and number else set())


def test_a_file_under_another_name_is_one_difference() -> None:
    old = {"old.yml": read_document(b"a: 1\n", "old.yml"), "b.yml": read_document(b"b: 1\n", "b.yml")}
    new = {"new.yml": read_document(b"a: 1\n", "new.yml"), "b.yml": read_document(b"b: 1\n", "b.yml")}
    assert told_files(compare_files(old, new)) == [("renamed", "new.yml", "old.yml", "new.yml")]


def told_files(found: list[Difference]) -> list[tuple[str, str, str | None, str | None]]:
    return [(d.kind.value, d.address, d.old, d.new) for d in found]


FINDS = """<finds>
  <find name="Copper Gimbal"><band depth="deep" holds="4"/><band depth="shallow" holds="9"/></find>
  <find name="Amber Drop"><band depth="deep" holds="2"/></find>
  <find name="Jet Lump"><band depth="deep" holds="1"/></find>
</finds>
"""


@pytest.mark.parametrize(
    ("pattern", "kept"),
    [
        ("a.xml", ["find[Jet Lump]", "find[Amber Drop]/band[deep]/@holds", "find[Copper Gimbal]/band[deep]/@holds"]),
        ("*.xml#find[Copper*]", ["find[Copper Gimbal]/band[deep]/@holds"]),
        ("a.xml#**/@holds", ["find[Jet Lump]", "find[Amber Drop]/band[deep]/@holds", "find[Copper Gimbal]/band[deep]/@holds"]),
        ("a.xml#find[*]/band[shallow]", ["find[Jet Lump]"]),
        ("a.xml#find[Amber Drop,Jet Lump]/band", ["find[Jet Lump]", "find[Amber Drop]/band[deep]/@holds"]),
        ("b.xml", []),
    ],
)  # fmt: skip
def test_differences_are_narrowed_by_an_address_pattern(pattern: str, kept: list[str]) -> None:
    """An entry that came or went may hold what the pattern names, so it stays."""
    new = FINDS.replace('holds="4"', 'holds="5"').replace('holds="2"', 'holds="3"')
    new = "\n".join(line for line in new.splitlines() if "Jet Lump" not in line) + "\n"
    old_document, new_document = (read_document(text.encode(), "a.xml") for text in (FINDS, new))
    found = differences_at(
        compare_documents(old_document, new_document),
        pattern,
        FileSet({old_document.path: old_document}),
        FileSet({new_document.path: new_document}),
    )
    assert {d.address.partition("#")[2] for d in found} == set(kept)


def test_a_pattern_that_leads_nowhere_is_told_from_one_without_a_difference() -> None:
    files = FileSet({"a.xml": read_document(FINDS.encode(), "a.xml")})
    require_place("a.xml#find[Copper*]", files, files)
    with pytest.raises(AddressNotFound, match=r"Nearest: find\[Copper Gimbal\]"):
        require_place("a.xml#find[Coper Gimbal]", files, files)
    with pytest.raises(AddressNotFound, match=r"There is no file b\.xml"):
        require_place("b.xml", files, files)


def test_a_file_laid_out_anew_is_one_difference_in_layout() -> None:
    rows = "".join(f'<find name="f{number}" w="1"/>\n' for number in range(100))
    laid_out = rows.replace(' w="1"', "\n   w='1'")
    old, new = (read_document(f"<finds>\n{text}</finds>\n".encode(), "a.xml") for text in (rows, laid_out))
    assert told(compare_documents(old, new)) == [("layout", "", None, "100 places", "")]
    changed = read_document(f"<finds>\n{laid_out.replace(chr(39) + '1', chr(39) + '2', 1)}</finds>\n".encode(), "a.xml")
    assert [d.kind for d in compare_documents(old, changed)] == ["changed", "layout"]
