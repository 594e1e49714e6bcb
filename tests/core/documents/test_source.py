"""Bytes to text and back; places in the text."""

from __future__ import annotations

from decimal import Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zerrit.core.documents.scalars import as_number, as_switch, spell_number, spell_switch, typed
from zerrit.core.documents.source import Source, decode


@given(st.binary(max_size=400))
def test_any_bytes_decode_to_a_text_that_encodes_back(data: bytes) -> None:
    assert decode(data).to_bytes() == data


@pytest.mark.parametrize(
    ("data", "encoding", "is_guessed"),
    [
        pytest.param(b"plain", "utf-8", False, id="ASCII"),
        pytest.param("tide é".encode(), "utf-8", False, id="UTF-8"),
        pytest.param(b"caf\xe9", "cp1252", True, id="Western 8-bit"),
        pytest.param(b"caf\x81\xe9", "latin-1", True, id="bytes that cp1252 does not know"),
        pytest.param(b"\xff\xfea\0b", "cp1252", True, id="an odd byte after a UTF-16 mark"),
        pytest.param(b'<?xml version="1.0" encoding="nonsense"?><a/>', "utf-8", False, id="an unknown name in a declaration"),
    ],
)  # fmt: skip
def test_the_likeliest_encoding_is_taken(data: bytes, encoding: str, is_guessed: bool) -> None:
    source = decode(data)
    assert (source.encoding, source.is_guessed) == (encoding, is_guessed)
    assert source.to_bytes() == data


@pytest.mark.parametrize(
    ("offset", "place"),
    [(0, (1, 1)), (2, (1, 3)), (3, (2, 1)), (5, (3, 1)), (6, (4, 1)), (8, (4, 3))],
)
def test_a_place_is_counted_as_editors_count(offset: int, place: tuple[int, int]) -> None:
    assert Source("ab\nc\r\rde").locate(offset) == place


def test_lines_begin_and_end_where_they_do() -> None:
    source = Source("one\r\n\ttwo\nthree")
    assert source.line_starts == [0, 5, 10]
    assert (source.line_start(7), source.line_end(7), source.after_line(7)) == (5, 9, 10)
    assert source.indent_at(8) == "\t"
    assert (source.line_end(12), source.after_line(12)) == (15, 15)


def test_a_new_line_is_written_as_its_neighbours_are() -> None:
    source = Source("a\r\nb\nc\n")
    assert source.newline == "\r\n"
    assert [source.newline_near(offset) for offset in (1, 3, 5)] == ["\r\n", "\r\n", "\n"]
    assert Source("one line").newline == "\n"


@pytest.mark.parametrize(
    ("text", "number"),
    [("4", "4"), (" -2.50 ", "-2.50"), ("+7", "7"), (".5", "0.5"), ("5.", "5"), ("1e3", None), ("0x10", None), ("", None), ("1O", None), ("9" * 60, None)],
)  # fmt: skip
def test_a_number_is_what_people_write_as_one(text: str, number: str | None) -> None:
    found = as_number(text)
    assert (format(found, "f") if found is not None else None) == number


@pytest.mark.parametrize(
    ("value", "like", "written"),
    [
        ("60", "40", "60"),
        ("6.5", "4", "7"),
        ("-6.5", "4", "-7"),
        ("2.1", "1.4", "2.1"),
        ("2", "1.40", "2.00"),
        ("0.33333333", "1.0", "0.333333"),
        ("1000000", "1", "1000000"),
    ],
)
def test_a_number_is_written_in_the_manner_of_the_old_one(value: str, like: str, written: str) -> None:
    number = as_number(value)
    assert number is not None
    assert spell_number(number, like) == written


@pytest.mark.parametrize(
    ("like", "on", "off"),
    [("no", "yes", "no"), ("FALSE", "TRUE", "FALSE"), ("Off", "On", "Off"), ("0", "1", "0"), ("enabled", "enabled", "disabled")],
)  # fmt: skip
def test_a_switch_is_written_in_the_words_of_the_file(like: str, on: str, off: str) -> None:
    assert (spell_switch(True, like), spell_switch(False, like)) == (on, off)
    assert as_switch(on) is True
    assert as_switch(off) is False
    assert as_switch("maybe") is None


@pytest.mark.parametrize(
    ("text", "format", "value"),
    [
        ("5", "json", 5),
        ("5", "yaml", 5),
        ("5", "xml", "5"),
        ("0x1F", "yaml", 31),
        ("0o17", "yaml", 15),
        ("-.inf", "yaml", float("-inf")),
        ("True", "yaml", True),
        ("True", "json", "True"),
        ("~", "yaml", None),
        ("null", "json", None),
        ("1" * 5000, "json", Decimal("1" * 5000)),
    ],
    ids=lambda value: str(value)[:12],
)
def test_a_plain_value_has_the_type_that_its_format_gives_it(text: str, format: str, value: object) -> None:
    assert typed(text, False, format) == value
    assert typed(text, True, format) == text
