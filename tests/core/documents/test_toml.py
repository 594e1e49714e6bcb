"""TOML: what Python's own reader takes is read to the same values, and what it does not take has a finding."""

from __future__ import annotations

import random
import tomllib
from typing import Any

import pytest

from tests.core.mistakes import in_toml
from tests.worlds import world
from zerrit.core import read_document
from zerrit.core.documents import Node, NodeKind
from zerrit.core.steps import replay, step_from_words

WORDS = ("north", "oil", "price", "kind", "most", "lamp", "wick")


def value(chance: random.Random, depth: int = 0) -> str:
    kind = chance.randrange(12 if depth < 3 else 9)
    texts = ('"a # b"', "'it\\s'", '"é \\" \\u00e9"', '"""\none\n  two\\\n   three"""', "'''x\ny'''", '""')
    if kind < 3:
        return chance.choice(texts)
    if kind < 6:
        return chance.choice(("0", "-17", "+3", "1_000", "0xFF", "0o17", "3.5", "-0.1e5", "inf", "nan"))
    if kind < 9:
        return chance.choice(
            ("true", "false", "1979-05-27", "07:32:00", "1979-05-27T07:32:00Z", "1979-05-27 07:32:00.5")
        )
    inner = [value(chance, depth + 1) for _ in range(chance.randrange(4))]
    if kind == 9:
        return "{" + ", ".join(f"k{number} = {one}" for number, one in enumerate(inner) if "\n" not in one) + "}"
    gap = chance.choice(("", " ", "\n  ", " # why\n"))
    return "[" + ",".join(gap + one for one in inner) + (("," + gap) if inner and chance.random() < 0.4 else "") + "]"


def text(chance: random.Random) -> str:
    lines: list[str] = []
    number = 0

    def settings() -> None:
        nonlocal number
        for _ in range(chance.randrange(4)):
            number += 1
            name = f"{chance.choice(WORDS)}{number}"
            path = chance.choice((name, f'"{name}"', f"'{name}'", f"{name}.x", f'{name} . "y z"'))
            lines.append(f"{path}{chance.choice((' = ', '='))}{value(chance)}{chance.choice(('', ' # so'))}")

    settings()
    for _ in range(chance.randrange(5)):
        number += 1
        name = f"{chance.choice(WORDS)}{number}"
        for _ in range(chance.randrange(1, 3)):
            lines.extend(["", f"[[{name}]]"])
            settings()
            if chance.random() < 0.5:
                lines.append(f"[ {name}.sub ]")
                settings()
        lines.append(f"[{name}t.'a b']")
        settings()
    return "\n".join(lines) + chance.choice(("\n", ""))


def leaves(data: Any) -> list[str]:
    """What a value of Python's reader comes to: its texts as they are, anything else by its kind."""
    if isinstance(data, dict):
        return [one for inner in data.values() for one in leaves(inner)]
    if isinstance(data, list):
        return [one for inner in data for one in leaves(inner)]
    return [f"text {data}" if isinstance(data, str) else "other"]


def read_leaves(node: Node) -> list[str]:
    if node.kind is NodeKind.VALUE:
        return [f"text {node.value}" if node.is_quoted else "other"]
    return [one for child in node.children for one in read_leaves(child)]


def test_what_is_toml_is_read_to_the_same_values() -> None:
    for seed in range(3_000):
        written = text(random.Random(seed))
        data = tomllib.loads(written)
        document = read_document(written.encode(), "a.toml")
        assert document.findings == (), (seed, written)
        assert sorted(read_leaves(document.root)) == sorted(leaves(data)), (seed, written)
        if "nan" not in written:
            assert document.to_data() == data
        with_cr = read_document(written.replace("\n", "\r\n").encode(), "a.toml")
        assert (len(list(with_cr.root.walk())), with_cr.findings) == (len(list(document.root.walk())), ())


@pytest.mark.parametrize("seed", range(20))
def test_what_is_no_toml_has_a_fault(seed: int) -> None:
    chance = random.Random(seed)
    for _ in range(150):
        letters = list(text(chance) or "a = 1\n")
        for _ in range(chance.randrange(1, 4)):
            at = chance.randrange(len(letters))
            letters[at] = chance.choice(["", "[", "]", '"', "=", ",", "\n", "x", "."])
        written = "".join(letters)
        document = read_document(written.encode(), "a.toml")
        try:
            tomllib.loads(written)
        except tomllib.TOMLDecodeError:
            assert not document.ok, written
        else:
            assert document.findings == (), written


def test_the_entries_of_a_list_of_tables_hold_the_tables_that_belong_to_them() -> None:
    document = read_document(world("lantern")["lantern.toml"], "lantern.toml")
    (kind,) = document.select("lamp[north]/wick/kind")
    assert kind.value == "cotton"
    assert [node.value for node in document.select("lamp/name")] == ["north", "south", "west"]
    (closes,) = document.select("hours[night]/closes")
    assert document.keys.address_of(closes) == "hours.night/closes"


def test_a_table_is_not_moved_before_a_setting_which_would_come_to_belong_to_it() -> None:
    document = read_document(world("lantern")["lantern.toml"], "lantern.toml")
    for place in ("lamp[north]/name", "title"):
        step = step_from_words("lantern.toml#lamp[north]/wick", ["move", "before", place])
        done = replay({"lantern.toml": document}, [step], read_document)
        assert "sections are moved among sections" in done.outcomes[0].message
        assert done.documents["lantern.toml"].text == document.text


def test_the_base_of_the_mistakes_is_toml() -> None:
    assert tomllib.loads(in_toml.BASE)["berth"][1]["price"] == 7
