"""Rows of tables of a database server as a text: settled as the server would give them, hostile texts included."""

from __future__ import annotations

from decimal import Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zerrit.core import read_document
from zerrit.core.documents import Document
from zerrit.core.documents.database.rows import RowsSource, spelt_text
from zerrit.core.documents.database.server_rows import spelt_number, undone
from zerrit.core.errors import EditRefused

TEXT = """# Tables of a database server
# kilns: id INTEGER default next, name VARCHAR(8), heat NUMERIC(5,1) null default 20, lit BOOLEAN default false; key id; unique name
kilns: id=1, name="old", heat=20, lit=false
kilns: id=3, name="new", heat=7.5, lit=true
# pots: kiln INTEGER -> kilns.id, slot INTEGER, glaze TEXT null default "?", above INTEGER null -> pots.slot; key kiln, slot
pots: @row="1/1", kiln=1, slot=1, glaze="ash", above=null
pots: @row="1/2", kiln=1, slot=2, glaze=null, above=1
# "odd; name": "a b" TEXT, "c""d" BIGINT null; key "a b"
""".replace('"c""d"', '"c\\"d"')


def document(text: str = TEXT) -> Document:
    return read_document(text.encode(), "shop.rows")


def test_the_text_is_read_by_rows_and_its_bytes_are_kept() -> None:
    read = document()
    assert read.ok
    assert read.to_bytes() == TEXT.encode()
    assert [one.value for one in read.select("kilns[3]/heat")] == ["7.5"]
    assert [one.value for one in read.select("pots[1/2]/above")] == ["1"]
    assert isinstance(read.source, RowsSource)
    assert list(read.source.tables or {}) == ["kilns", "pots", "odd; name"]


@pytest.mark.parametrize(
    ("old", "new", "settled"),
    [
        ("heat=7.5", "heat=+07.50", "heat=7.5"),
        ('name="old"', 'name="\\u006fak"', 'name="oak"'),
        ("kilns: id=1,", 'kilns: name="third"\nkilns: id=1,', 'kilns: id=4, name="third", heat=20, lit=false'),
        ("kilns: id=3,", 'kilns: id=2, name="a", lit=true\nkilns: id=3,', 'id=2, name="a", heat=20, lit=true\nkilns: id=3'),
        ('pots: @row="1/2"', 'pots: kiln=1, slot=9, glaze="x"\npots: @row="1/2"', 'pots: @row="1/9", kiln=1, slot=9, glaze="x"'),
    ],
)  # fmt: skip
def test_rows_are_settled_as_the_server_gives_them(old: str, new: str, settled: str) -> None:
    after = document().with_text(TEXT.replace(old, new))
    assert settled in after.text
    assert document(after.text).with_text(after.text).text == after.text


@pytest.mark.parametrize(
    ("old", "new", "problem"),
    [
        ('name="old"', 'name="new"', "Two rows of kilns would have name"),
        ('name="old"', 'name="much too long"', "name holds 8 characters"),
        ('name="old"', "name=null", "name cannot be null"),
        ("heat=7.5", "heat=7.55", "7.55 does not fit into heat"),
        ("heat=7.5", "heat=99999", "99999 does not fit into heat"),
        ("heat=7.5", 'heat="warm"', "is no number"),
        ("heat=7.5", "heat=1e999999999", "is no number"),
        ("lit=true", "lit=1", "neither true nor false"),
        ("id=3", "id=99999999999", "too large for id"),
        ("id=3", "id=1", "kilns has a row 1 already|unique|the same"),
        ('kilns: id=1, name="old", heat=20, lit=false\n', "", "would refer to kilns.id=1"),
        ("above=1", "above=7", "would refer to pots.slot=7"),
        ("slot=2", "slot=5", "slot tells the rows of pots apart"),
        ("# kilns", "# ovens", "cannot be changed"),
        ("pots: @row", "lids: @row", "There is no table lids"),
        ("above=1", "below=1", "has no column below"),
        ("pots: @row=\"1/1\"", "pots: kiln=1, slot=4\npots: @row=\"1/1\"", "give it a value"),
    ],
)  # fmt: skip
def test_what_the_server_would_refuse_is_refused(old: str, new: str, problem: str) -> None:
    with pytest.raises(EditRefused, match=problem):
        document().with_text(TEXT.replace(old, new))


@pytest.mark.parametrize(
    "line",
    [
        "# kilns",
        "# kilns: ;",
        "# kilns: id INTEGER; key other",
        "# kilns: id INTEGER;",
        "# kilns: id integer; key id",
        "# kilns: id INTEGER default now(); key id",
        "# " + "k" * 100_000 + ": id",
        "# kilns: " + "a INTEGER, " * 50_000 + "; key a",
        "# kilns: " + '"' * 50_000,
        "# kilns: id INTEGER; key id\n# kilns: id INTEGER; key id",
    ],
)
def test_a_damaged_text_is_told_and_changes_nothing(line: str) -> None:
    data = f"# Tables of a database server\n{line}\nkilns: id=1\n".encode()
    read = read_document(data, "shop.rows")
    assert [finding.code for finding in read.findings] == ["database.damaged"]
    assert read.to_bytes() == data
    with pytest.raises(EditRefused):
        read.with_text(read.text + "kilns: id=2\n")


@pytest.mark.parametrize("row", ['kilns: id=3, name="new"', 'kilns: @row="3", id=3', "kilns: heat", "cups: id=1"])
def test_rows_that_are_damaged_are_not_built_on(row: str) -> None:
    read = document(TEXT.replace('kilns: id=3, name="new", heat=7.5, lit=true', row))
    with pytest.raises(EditRefused):
        read.with_text(read.text.replace("heat=20, lit", "heat=21, lit"))


def test_what_a_deploy_wrote_is_undone_and_other_rows_stay() -> None:
    before = document()
    planned = before.with_text(TEXT.replace("heat=7.5", "heat=9").replace('glaze="ash"', 'glaze="tin"'))
    assert isinstance(before.source, RowsSource)
    tables = before.source.tables or {}
    now = planned.with_text(planned.text.replace('glaze="tin"', 'glaze="salt"').replace('name="old"', 'name="elder"'))
    back, left = undone(tables, before.text, planned.text, now.text)
    assert left == ["pots[1/1]"]
    assert back == before.text.replace('glaze="ash"', 'glaze="salt"').replace('name="old"', 'name="elder"')
    sold = before.with_text(TEXT.replace('name="old"', 'name="elder"'))
    assert undone(tables, before.text, planned.text, sold.text) == (sold.text, []), "it was never written"


@given(st.lists(st.tuples(st.text(max_size=6), st.integers(-(2**63), 2**63 - 1) | st.none()), max_size=8))
def test_any_values_come_back_and_the_same_rows_are_the_same_bytes(rows: list[tuple[str, int | None]]) -> None:
    unique = dict(rows)
    lines = [
        f'"odd; name": "a b"={spelt_text(key)}, "c\\"d"={"null" if value is None else value}'
        for key, value in unique.items()
    ]
    one = document().with_text(TEXT + "\n".join([*lines, ""]))
    other = document().with_text(TEXT + "\n".join([*reversed(lines), ""]))
    assert one.text == other.text
    again = document(one.text)
    assert again.ok
    found = {node.children[0].value: node.children[1].value for node in again.root.children if node.name == "odd; name"}
    assert found == {key: "null" if value is None else str(value) for key, value in unique.items()}


@given(st.decimals(allow_nan=False, allow_infinity=False, places=6, min_value=-(10**9), max_value=10**9))
def test_a_number_is_spelt_in_one_way(number: Decimal) -> None:
    assert Decimal(spelt_number(number)) == number
    assert "E" not in spelt_number(number)
