"""Which format a file has: by its name, by a gamebook, else by its content, which is a guess and blocks nothing."""

from __future__ import annotations

import pytest

from tests.worlds import world
from zerrit.core import read_document
from zerrit.core.addresses import parse_node_address as at
from zerrit.core.documents import Format, Severity
from zerrit.core.documents.value_edits import add_field, parse_operation, set_values
from zerrit.core.errors import EditRefused
from zerrit.core.gamebooks import Gamebook, read_gamebook
from zerrit.demo.world_files import server_files


def book_of(text: str) -> Gamebook:
    book, faults = read_gamebook(f"gamebook: 1\ngame: x\n{text}".encode())
    assert book is not None, faults
    return book


@pytest.mark.parametrize(
    ("path", "text", "format", "is_guessed"),
    [
        pytest.param("a.properties", "x", Format.PROPERTIES, False, id="by its ending"),
        pytest.param("up/.env", "A=1", Format.PROPERTIES, False, id="by its name"),
        pytest.param(".env.local", "A=1", Format.PROPERTIES, False, id="by the beginning of its name"),
        pytest.param("things.dat", '<?xml version="1.0"?>\n<a><b/></a>', Format.XML, True, id="XML"),
        pytest.param("things", "<a>\n <b c='1'/>\n</a>\n", Format.XML, True, id="XML without an ending"),
        pytest.param("things", '{"a": [1, 2]}', Format.JSON, True, id="JSON without an ending"),
        pytest.param("things", '[\n  {"a": 1}\n]', Format.JSON, True, id="a list in JSON"),
        pytest.param("a.cfg", "[A]\nx=1\n[B]\ny = 2\n", Format.INI, True, id="INI"),
        pytest.param("a.cfg", "title \"A b\"\nseats 24\nload x\n", Format.KEYWORDS, True, id="keyword lines"),
        pytest.param("a.cfg", '"a"\n{\n "b" "1"\n}\n', Format.BRACES, True, id="braced key-values"),
        pytest.param("a.cfg", "class A {\n x = 1;\n};\n", Format.CLASSES, True, id="a class config"),
        pytest.param("a.cfg", "max = 40;\nname = \"x\";\n", Format.CLASSES, True, id="statements without a class"),
        pytest.param("a.hpp2", "class A: B\n{\n x = 1;\n};\n", Format.CLASSES, True, id="a class config by its content alone"),
        pytest.param("notes.txt", "title \"A\"\nseats 24\n", Format.TEXT, False, id="what may be prose"),
        pytest.param("LICENSE", "You may use this.\nAs you like.\n", Format.TEXT, False, id="prose"),
        pytest.param("a.cfg", "This is what we agreed on last week.\nIt is to stay so for a while.\n", Format.TEXT, False, id="prose in a .cfg"),
        pytest.param("a.sh", "A=1\nB=2\n", Format.SHELL, False, id="a script by its ending"),
        pytest.param("run", "#!/bin/sh\nA=1\n", Format.SHELL, False, id="a script by its first line"),
        pytest.param("a.js", "class A {\n x = 1;\n};\n", Format.JAVASCRIPT, False, id="code that looks like a class config"),
        pytest.param("shop.rules", "Shop = {\n  open = true,\n  prices = { 5, 6 },\n}\n", Format.LUA, True, id="Lua by its content"),
        pytest.param("shop.cfg", "local n = 5\nif n > 3 then\n  print(n)\nend\n", Format.LUA, True, id="Lua in a .cfg"),
        pytest.param("shop.rules", "const n = 5;\nexport const shop = {\n  open: true,\n};\n", Format.JAVASCRIPT, True, id="JavaScript by its content"),
        pytest.param("shop.rules", '#include "base.h"\nstatic const int LIMIT = 5;\n', Format.C, True, id="C by its content"),
        pytest.param("a.lua", "[A]\nx=1\n", Format.LUA, False, id="a script, whatever it looks like"),
        pytest.param("a.cfg", "", Format.TEXT, False, id="nothing"),
    ],
)  # fmt: skip
def test_a_file_is_read_as_what_it_is(path: str, text: str, format: Format, is_guessed: bool) -> None:
    document = read_document(text.encode(), path)
    assert (document.format, document.is_guessed) == (format, is_guessed)


def test_a_gamebook_says_how_a_file_is_read() -> None:
    book = book_of("files:\n  maps/*.dat: {read_as: ini}\n  list.cfg:\n    slots: {mods: {pattern: '--mods={}'}}\n")
    document = book.read(b"[A\nx=1\n", "maps/north.dat")
    assert (document.format, document.is_guessed, document.ok) == (Format.INI, False, False)
    assert document.with_text("[A]\nx=2\n").format is Format.INI
    sliced = book.read(b"run --mods=a\nseats 24\nport 7\n", "list.cfg")
    assert (sliced.format, sliced.is_guessed) == (Format.TEXT, False), "its slots are cut out of lines"
    assert read_gamebook(b"gamebook: 1\ngame: x\nfiles:\n  a: {read_as: toad}\n")[0] is None


def test_a_guess_blocks_nothing_and_yet_no_edit_may_break_it() -> None:
    text = "class A {\n  x = 1\n  y = 2;\n};\n"
    guessed = read_document(text.encode(), "a.cfg")
    assert [(f.code, f.severity) for f in guessed.findings] == [("classes.semicolon-missing", Severity.NOTICE)]
    assert not guessed.ok
    assert not read_document(text.encode(), "a.cfg", format=Format.CLASSES).ok
    sound = read_document(b"class A {\n  x = f;\n};\n", "a.cfg")
    with pytest.raises(EditRefused, match="cannot be a name in a class config"):
        add_field(sound, at("A"), "b c", "1")
    edited = set_values(sound, at("A/x"), parse_operation("=a;b")).document
    assert edited.text == 'class A {\n  x = "a;b";\n};\n'


def test_files_that_are_not_guessed_at_stay_as_they_were() -> None:
    for path, data in server_files("coral-gate").items():
        document = read_document(data, path)
        assert not document.is_guessed or document.is_binary, path


@pytest.mark.parametrize("version", [1, 2])
def test_the_files_of_a_world_are_sound(version: int) -> None:
    read = {path: read_document(data, path) for path, data in world("foundry", version).items()}
    assert [f for document in read.values() for f in document.findings] == []
    assert {document.format for document in read.values()} == {
        Format.PROPERTIES,
        Format.KEYWORDS,
        Format.BRACES,
        Format.CLASSES,
    }
