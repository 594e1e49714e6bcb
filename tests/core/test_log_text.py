"""Logs as people read them."""

from __future__ import annotations

import time

import pytest

from zerrit.core.log_text import log_text


@pytest.mark.parametrize(
    ("data", "text"),
    [
        (b"plain\r\n", "plain\r\n"),
        (b"\x1b[0;31mERROR\x1b[0m no wood\n", "ERROR no wood\n"),
        (b"\x1b]0;the kiln\x07open\x1b[K\n", "open\n"),
        (b"\x1b[2J\x1b[1;1Hopen", "open"),
        ("Ofen geöffnet\n".encode(), "Ofen geöffnet\n"),
        ("Ofen geöffnet\n".encode("utf-16"), "Ofen geöffnet\n"),
        ("Ofen geöffnet\n".encode("utf-16-le"), "Ofen geöffnet\n"),
        ("Ofen geöffnet\n".encode("utf-16-be"), "Ofen geöffnet\n"),
        (b"\xef\xbb\xbfopen\n", "open\n"),
        (b"caf\xe9\n", "caf\ufffd\n"),
        (b"a\x1b", "a\x1b"),
        (b"\x1b[31", "\x1b[31"),
        (b"", ""),
    ],
)
def test_the_text_of_a_log(data: bytes, text: str) -> None:
    assert log_text(data) == text


def test_its_cost_is_that_of_its_length() -> None:
    began = time.perf_counter()
    for part in (b"\x1b[", b"\x1b]", b"\x1b[1;", b"\x1b]0;aaaa", b"\x1b"):
        log_text(part * 200_000)
    assert time.perf_counter() - began < 20
