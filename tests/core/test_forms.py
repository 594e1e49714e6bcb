"""Entry forms: drafted from one entry, filled in for another, and taken back with nothing left behind."""

from __future__ import annotations

import pytest

from tests.core.documents.test_database import database
from zerrit.core import Document, read_document
from zerrit.core.forms import FormRefused, draft_form, form_steps, known_answers, removal_of, renaming_of
from zerrit.core.gamebooks import read_gamebook
from zerrit.core.rules.forms import FormRules
from zerrit.core.steps import replay

FILES = {
    "shop/stalls.lua": b"""Stalls = {
  ["quay"] = { price = 5, owner = "Ada", icon = "img/QUAY.png" },
  ["pier"] = { price = 7, owner = "Bo", icon = "img/PIER.png" },
}
Order = { "pier", "quay" }
""",
    "shop/stalls.xml": b"""<stalls>
  <stall name="pier" price="7"/>
  <stall name="quay" price="5">
    <ware name="herring" at="quay"/>
  </stall>
</stalls>
""",
    "texts/en.yml": b"names:\n  stall_pier: The Pier\n  stall_quay: The Quay\n",
    "order.json": b'{"open": ["pier", "quay"]}\n',
    "icons/quay.yml": b"icon: quay\nsize: 3\n",
    "notes.txt": b"The quay is closed on Mondays.\n",
    "stock.db": database(
        "CREATE TABLE stalls (id INTEGER PRIMARY KEY, word TEXT UNIQUE NOT NULL, price REAL);"
        "CREATE TABLE sold (at TEXT, word TEXT);"
        "INSERT INTO stalls VALUES (4, 'pier', 7), (7, 'quay', 5);"
        "INSERT INTO sold VALUES ('1', 'quay'), ('2', 'quay'), ('3', 'pier');"
    ),
}


def read() -> dict[str, Document]:
    return {path: read_document(data, path) for path, data in FILES.items()}


def drafted() -> FormRules:
    return draft_form(read(), "shop/stalls.lua#Stalls[quay]")


def test_a_form_is_drafted_from_an_entry_and_finds_all_its_places() -> None:
    form = drafted()
    assert [place.copy_of or place.add or place.file for place in form.places] == [
        "shop/stalls.lua#Stalls/quay",
        "order.json#open",
        "shop/stalls.lua#Order",
        "shop/stalls.xml#stall[quay]",
        "stock.db",
        "texts/en.yml#names/stall_quay",
        "icons/{word}.yml",
    ]
    assert list(form.ask) == ["word", "price", "owner", "number_stalls"]
    assert known_answers(form, read()) == {"word": "", "price": "5", "owner": "Ada", "number_stalls": "8"}


def test_a_form_fills_every_place_and_takes_all_back() -> None:
    form, documents = drafted(), read()
    steps = form_steps(form, {"word": "cove", "price": "9"}, documents, read_document)
    done = replay(documents, steps, read_document)
    assert done.is_whole
    now = {path: document.text for path, document in done.documents.items()}
    assert '  ["cove"] = { price = 9, owner = "Ada", icon = "img/COVE.png" },\n' in now["shop/stalls.lua"]
    assert 'Order = { "pier", "quay", "cove" }' in now["shop/stalls.lua"]
    assert '<stall name="cove" price="9">\n    <ware name="herring" at="cove"/>' in now["shop/stalls.xml"]
    assert now["texts/en.yml"].endswith("  stall_cove: The Cove\n")
    assert now["order.json"] == '{"open": ["pier", "quay", "cove"]}\n'
    assert now["icons/cove.yml"] == "icon: cove\nsize: 3\n"
    assert 'stalls: id=8, word="cove", price=9.0' in now["stock.db"]
    assert now["notes.txt"] == FILES["notes.txt"].decode(), "a text that only mentions the word is no place"
    assert removal_of(form, "pier", documents).left == ("icons/pier.yml",)
    back = replay(done.documents, removal_of(form, "cove", done.documents).steps, read_document)
    assert back.is_whole
    assert {path: document.text for path, document in back.documents.items()} == {
        p: d.text for p, d in documents.items()
    }


@pytest.mark.parametrize(
    ("answers", "message"),
    [
        ({}, "There is no answer to word"),
        ({"word": "pier"}, "Place 1 of the form: shop/stalls.lua#Stalls has pier already."),
        ({"word": "cove", "price": "dear"}, "`dear` is no number, and price is one."),
        ({"word": "cove", "colour": "red"}, "The form asks nothing called colour. It asks for word, price, owner, number_stalls."),
        ({"word": "cove", "number_stalls": "4"}, "Place 5 of the form: "),
    ],
)  # fmt: skip
def test_what_a_form_cannot_take_is_said(answers: dict[str, str], message: str) -> None:
    with pytest.raises(FormRefused) as caught:
        form_steps(drafted(), answers, read(), read_document)
    assert str(caught.value).startswith(message)


def test_a_name_of_several_words_is_found_as_files_and_ids_have_it() -> None:
    files = {
        "board.json": b'{"board": [{"name": "Black Tea", "cost": 2}, {"name": "Eel Pie", "cost": 9}]}\n',
        "recipes/black-tea.json": b'{"id": "black_tea", "takes": ["leaf"]}\n',
        "recipes/eel-pie.json": b'{"id": "eel_pie", "takes": ["eel"]}\n',
        "recipes/dulse-broth.json": b'{"id": "dulse_broth", "takes": ["dulse"]}\n',
    }
    documents = {path: read_document(data, path) for path, data in files.items()}
    form = draft_form(documents, "board.json#board/[Black Tea]")
    done = replay(documents, form_steps(form, {"word": "Green Tea"}, documents, read_document), read_document)
    assert done.documents["recipes/green-tea.json"].text == '{"id": "green_tea", "takes": ["leaf"]}\n'
    with pytest.raises(FormRefused, match="is a part that other entries have, too"):
        draft_form(documents, "recipes/eel-pie.json#takes")


def test_what_is_no_entry_or_is_in_no_place_is_said() -> None:
    with pytest.raises(FormRefused, match="is not one entry"):
        draft_form(read(), "shop/stalls.lua#Stalls[mole]")
    with pytest.raises(FormRefused, match="`mole` is in none of the places of this form"):
        removal_of(drafted(), "mole", read())


def test_forms_are_part_of_a_gamebook_and_checked_there() -> None:
    text = """gamebook: 1
game: x
forms:
  a stall:
    like: quay
    ask:
      word: {title: what it is called, matches: "[a-z]+"}
      price: {is: number, default: "4"}
    places:
      - {copy: "shop/stalls.lua#Stalls/quay", set: {price: "{price}"}}
      - {add: "shop/stalls.lua#Order", value: "{word}"}
      - {file: "icons/{word}.yml", from: icons/quay.yml}
"""
    book, faults = read_gamebook(text.encode())
    assert book is not None, faults
    form = book.rules.forms["a stall"]
    done = replay(read(), form_steps(form, {"word": "cove"}, read(), read_document), read_document)
    assert '["cove"] = { price = 4,' in done.documents["shop/stalls.lua"].text
    with pytest.raises(FormRefused, match="`Cove 2` does not have the form that word"):
        form_steps(form, {"word": "Cove 2"}, read(), read_document)
    for wrong in ("{copy: a, add: b, value: c}", "{file: a}", "{add: a}"):
        assert read_gamebook(text.replace('{add: "shop/stalls.lua#Order", value: "{word}"}', wrong).encode())[0] is None
    assert read_gamebook(text.replace("      word:", "      name:").encode())[0] is None


def test_a_form_gives_a_thing_another_word_in_all_its_places() -> None:
    documents = read()
    renamed = renaming_of(drafted(), "quay", "cove", documents, read_document)
    done = replay(documents, renamed.steps, read_document)
    assert done.is_whole
    now = {path: document.text for path, document in done.documents.items()}
    assert '  ["cove"] = { price = 5, owner = "Ada", icon = "img/COVE.png" },\n' in now["shop/stalls.lua"]
    assert 'Order = { "pier", "cove" }' in now["shop/stalls.lua"]
    assert '<stall name="cove" price="5">\n    <ware name="herring" at="cove"/>' in now["shop/stalls.xml"]
    assert now["texts/en.yml"] == "names:\n  stall_pier: The Pier\n  stall_cove: The Cove\n"
    assert now["order.json"] == '{"open": ["pier", "cove"]}\n'
    assert (now["icons/cove.yml"], "icons/quay.yml" in now) == ("icon: cove\nsize: 3\n", False)
    assert 'stalls: id=7, word="cove", price=5.0' in now["stock.db"]
    assert renamed.left == ()
    assert renamed.named == ("stock.db#sold[1]/word", "stock.db#sold[2]/word"), "what is no place of the form is told"
    assert now["notes.txt"] == FILES["notes.txt"].decode()


def test_a_word_that_is_taken_or_not_there_is_refused() -> None:
    form, documents = drafted(), read()
    with pytest.raises(FormRefused, match=r"pier.* is there already"):
        renaming_of(form, "quay", "pier", documents, read_document)
    with pytest.raises(FormRefused, match=r"is in none of the places"):
        renaming_of(form, "moor", "cove", documents, read_document)
    with pytest.raises(FormRefused, match="another word than it has"):
        renaming_of(form, "quay", "quay", documents, read_document)
