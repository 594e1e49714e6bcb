"""Each of the hand-made mistakes is found once, within two lines of where it was made; a safe fix fixes it."""

from __future__ import annotations

from collections.abc import Iterator

import pytest

from tests.core.mistakes import (
    in_braces,
    in_classes,
    in_ini,
    in_json,
    in_keywords,
    in_properties,
    in_scripts,
    in_tables,
    in_toml,
    in_xml,
    in_yaml,
)
from zerrit.core import Finding, Severity, read_document
from zerrit.core.documents import Format
from zerrit.core.documents.source import splice

_BASES = {
    "a.xml": in_xml.BASE,
    "a.json": in_json.BASE,
    "a.yml": in_yaml.BASE,
    "a.ini": in_ini.BASE,
    "a.toml": in_toml.BASE,
    "a.classes": in_classes.BASE,
    "a.braces": in_braces.BASE,
    "a.keywords": in_keywords.BASE,
    "a.properties": in_properties.PROPERTIES,
    "a.env": in_properties.ENV,
    "a.sh": in_scripts.SHELL,
    "a.lua": in_scripts.LUA,
    "a.js": in_scripts.C_LIKE,
    "tables/a.lua": in_tables.LUA,
    "tables/a.js": in_tables.JAVASCRIPT,
}
_TABLES = {
    "a.xml": in_xml.MISTAKES,
    "a.json": in_json.MISTAKES,
    "a.yml": in_yaml.MISTAKES,
    "a.ini": in_ini.MISTAKES,
    "a.toml": in_toml.MISTAKES,
    "a.classes": in_classes.MISTAKES,
    "a.braces": in_braces.MISTAKES,
    "a.keywords": in_keywords.MISTAKES,
}
#: No name says these formats; here a gamebook would.
_FORMATS = {f"a.{one}": one for one in (Format.CLASSES, Format.BRACES, Format.KEYWORDS)}


def _cases() -> Iterator[object]:
    rows = [(path, *mistake) for path, mistakes in _TABLES.items() for mistake in mistakes]
    rows += [*in_properties.MISTAKES, *in_scripts.MISTAKES]
    rows += [(f"tables/{path}", *mistake) for path, *mistake in in_tables.MISTAKES]
    for path, what, old, new in rows:
        yield pytest.param(path, old, new, id=f"{path.replace('a.', '')}: {what}")


def faults(text: str, path: str) -> list[Finding]:
    document = read_document(text.encode(), path, format=_FORMATS.get(path))
    return [f for f in document.findings if f.severity is not Severity.NOTICE]


@pytest.mark.parametrize("path", _BASES)
def test_the_sound_file_has_no_finding(path: str) -> None:
    assert faults(_BASES[path], path) == []


@pytest.mark.parametrize(("path", "old", "new"), list(_cases()))
def test_a_mistake_is_found_once_and_where_it_was_made(path: str, old: str, new: str) -> None:
    base = _BASES[path]
    assert base.count(old) >= 1
    text = base.replace(old, new, 1)
    start = base.index(old)
    same = next((i for i, (a, b) in enumerate(zip(old, new, strict=False)) if a != b), min(len(old), len(new)))
    made_on = base.count("\n", 0, start + same) + 1
    found = faults(text, path)
    assert len(found) == 1, [(f.line, f.code, f.message) for f in found]
    assert abs(found[0].line - made_on) <= 2, (made_on, found[0].line, found[0].message)
    fix = found[0].fix
    if fix is not None:
        assert faults(splice(text, [fix]), path) == []


def test_there_are_forty_of_each() -> None:
    assert all(
        len(mistakes) >= 40
        for mistakes in (*_TABLES.values(), in_properties.MISTAKES, in_scripts.MISTAKES, in_tables.MISTAKES)
    )
