"""A word renamed throughout: with every place that the gamebook ties to it, and with what is not certain said."""

from __future__ import annotations

from collections.abc import Mapping

from zerrit.core.documents import Document
from zerrit.core.examination.game_files import gather_files
from zerrit.core.gamebooks import Gamebook, read_gamebook
from zerrit.core.steps import Outcome, OutcomeKind, Replay, Step, StepKind, replay

BOOK = b"""
gamebook: 1
game: kiln
files:
  glazes.json:
    entries:
      glazes/*: {key: code}
  shelves/*.yml:
    entries:
      pots/*:
        fields:
          glaze: {list: glazes}
  rooms.xml:
    entries:
      room: {key: "@id"}
lists:
  glazes: {source: "glazes.json#glazes/*/code"}
  rooms: {source: "rooms.xml#room", take: key}
  kilns: {folders: "kilns/*"}
  stamps: {file_names: "stamps/*.png"}
  limits: {source: "limits.ini#Limits/*", take: name}
refers:
  - {every: "orders.xml#order/@glaze", list: glazes, within: "glaze:{}"}
  - {every: "orders.xml#order/@room", list: rooms, only_if: 'kind == "pick-up"'}
  - {every: "fire.sh#kiln", list: kilns}
  - {every: "orders.xml#order/@stamp", list: stamps}
  - {every: "hints.yml#warn/*", list: limits}
  - {every: "mixes.yml#of/*", list: glazes, within: "{}:*"}
  - {every: "prices.json#*", list: glazes, take: name}
present:
  - {file: "recipes/{}.txt", list: glazes}
agree:
  - {every: "kilns/*/kiln.yml#name"}
  - ["start.ini#Start/Room", "rooms.xml#first/@is"]
in_use:
  - {files: "kilns/{}/**", value: "fire.sh#kiln"}
needs:
  - {each: "kilns/*/kiln.yml#", name: name, requires: "after/*", list: kilns}
"""
BOOK = BOOK.replace(b'{each: "kilns/*/kiln.yml#", ', b'{each: "kilns/*/kiln.yml#kiln", ').replace(
    b"kiln.yml#name", b"kiln.yml#kiln/name"
)

FILES: Mapping[str, bytes] = {
    "glazes.json": b'{"glazes": [{"code": "ash", "price": 3}, {"code": "salt", "price": 4}]}\n',
    "shelves/north.yml": b"# ash pots\npots:\n  - {name: jug, glaze: ash}\n  - {name: cup, glaze: salt}\n",
    "shelves/south.yml": b"pots:\n  - {name: bowl, glaze: ash}   # the good ash\n",
    "orders.xml": b"""<orders>
  <order id="1" kind="pick-up" glaze="glaze:ash" room="front" stamp="leaf"/>
  <order id="2" kind="sent" glaze="glaze:salt" room="front" stamp="wave"/>
</orders>
""",
    "rooms.xml": b'<rooms>\n  <room id="front" seats="4"/>\n  <room id="back" seats="2"/>\n  <first is="front"/>\n</rooms>\n',
    "recipes/ash.txt": b"wood ash, clay\n",
    "recipes/salt.txt": b"salt\n",
    "stamps/leaf.png": b"\x89PNG\r\n\x1a\n\0leaf",
    "stamps/wave.png": b"\x89PNG\r\n\x1a\n\0wave",
    "kilns/big/kiln.yml": b"kiln:\n  name: big\n  after: []\n",
    "kilns/big/log/notes.txt": b"slow\n",
    "kilns/old/kiln.yml": b"kiln:\n  name: old\n  after: [big]\n",
    "fire.sh": b"#!/bin/sh\nrun --kiln big --hot\n",
    "start.ini": b"[Start]\nRoom=front\n",
    "limits.ini": b"[Limits]\nHeat=900\nHours=12\n",
    "hints.yml": b"warn:\n  - Heat\n  - Hours\n",
    "mixes.yml": b"of:\n  - ash:2\n  - salt:ash\n",
    "prices.json": b'{"ash": 3, "salt": 4}\n',
}


def _gamebook() -> Gamebook:
    text = BOOK.replace(
        b"  rooms.xml:\n", b'  fire.sh:\n    slots:\n      kiln: {pattern: "--kiln {} "}\n  rooms.xml:\n', 1
    )
    book, faults = read_gamebook(text)
    assert book is not None, faults
    return book


def _renamed(address: str, name: str, *leave: str, files: Mapping[str, bytes] = FILES, is_known: bool = True) -> Replay:
    book = _gamebook() if is_known else None
    held = gather_files(files, book)
    step = Step(StepKind.RENAME, address, name=name, throughout=True, leave=leave)
    return replay(held.documents, [step], _read(book), dict.fromkeys(held.others, "x"), gamebook=book)


def _read(book: Gamebook | None):  # type: ignore[no-untyped-def]
    from zerrit.core.documents import read_document

    return book.read if book is not None else read_document


def _outcome(replayed: Replay) -> Outcome:
    (outcome,) = replayed.outcomes
    return outcome


def _done(replayed: Replay) -> dict[str, str | None]:
    outcome = _outcome(replayed)
    assert outcome.kind is OutcomeKind.DONE, outcome.message
    return {change.address: change.new for change in outcome.changes}


def _text(replayed: Replay, path: str) -> str:
    document: Document = replayed.documents[path]
    return document.text


def test_an_entry_is_renamed_with_all_that_refers_to_it_in_other_formats() -> None:
    found = _renamed("glazes.json#glazes/[ash]", "oak ash")
    assert _done(found) == {
        "glazes.json#glazes/[ash]/code": "oak ash",
        "shelves/north.yml#pots/[jug]/glaze": "oak ash",
        "shelves/south.yml#pots/[bowl]/glaze": "oak ash",
        "orders.xml#order[1]/@glaze": "glaze:oak ash",
        "mixes.yml#of/[ash:2]": "oak ash:2",
        "prices.json#ash": "oak ash",
        "recipes/ash.txt": "recipes/oak ash.txt",
    }
    assert _text(found, "shelves/south.yml") == "pots:\n  - {name: bowl, glaze: oak ash}   # the good ash\n"
    assert 'glaze="glaze:oak ash"' in _text(found, "orders.xml")
    assert "recipes/ash.txt" not in found.documents


def test_what_only_reads_alike_is_named_and_stays() -> None:
    outcome = _outcome(_renamed("glazes.json#glazes/[ash]", "oak"))
    (note,) = outcome.notes
    # The comment on the line that is changed anyway is not told again; those on other lines are.
    assert "3 other lines" in note
    assert "shelves/north.yml:1" in note
    assert "recipes/ash.txt:1" in note


def test_a_reference_leads_to_the_same_renaming_as_the_entry() -> None:
    from_entry = _renamed("glazes.json#glazes/[ash]", "oak")
    from_use = _renamed("shelves/south.yml#pots/[bowl]/glaze", "oak")
    assert _done(from_entry) == _done(from_use)


def test_only_what_fulfils_the_condition_of_a_rule_is_a_reference() -> None:
    found = _renamed("rooms.xml#room[front]", "hall")
    assert _done(found) == {"rooms.xml#room[front]/@id": "hall", "orders.xml#order[1]/@room": "hall"}
    assert 'id="2" kind="sent" glaze="glaze:salt" room="front"' in _text(found, "orders.xml")


def test_a_folder_is_renamed_with_the_parameter_and_the_names_in_its_files() -> None:
    found = _renamed("kilns/big", "huge")
    assert _done(found) == {
        "fire.sh#kiln": "huge",
        "kilns/big/kiln.yml#kiln/name": "huge",
        "kilns/old/kiln.yml#kiln/after/[big]": "huge",
        "kilns/big/kiln.yml": "kilns/huge/kiln.yml",
        "kilns/big/log/notes.txt": "kilns/huge/log/notes.txt",
    }
    assert _text(found, "fire.sh") == "#!/bin/sh\nrun --kiln huge --hot\n"
    assert _text(found, "kilns/huge/kiln.yml") == "kiln:\n  name: huge\n  after: []\n"
    assert _text(found, "kilns/old/kiln.yml") == "kiln:\n  name: old\n  after: [huge]\n"


def test_a_start_parameter_leads_to_the_folder() -> None:
    assert _done(_renamed("fire.sh#kiln", "huge")) == _done(_renamed("kilns/big", "huge"))


def test_a_file_of_any_bytes_is_renamed_with_what_names_it() -> None:
    found = _renamed("stamps/leaf.png", "fern.png")
    assert _done(found) == {"orders.xml#order[1]/@stamp": "fern", "stamps/leaf.png": "stamps/fern.png"}
    assert set(found.others) == {"stamps/fern.png", "stamps/wave.png"}


def test_a_setting_is_renamed_with_what_names_the_setting() -> None:
    found = _renamed("limits.ini#Limits/Heat", "Warmth")
    assert _done(found) == {"limits.ini#Limits/Heat": "Warmth", "hints.yml#warn/[Heat]": "Warmth"}
    assert _text(found, "limits.ini") == "[Limits]\nWarmth=900\nHours=12\n"


def test_values_that_must_agree_are_renamed_together() -> None:
    assert _done(_renamed("start.ini#Start/Room", "yard")) == {
        "start.ini#Start/Room": "yard",
        "rooms.xml#first/@is": "yard",
    }


def test_a_place_can_be_left_as_it_is() -> None:
    found = _renamed("glazes.json#glazes/[ash]", "oak", "shelves/south.yml#pots/[bowl]/glaze", "recipes/ash.txt")
    assert "shelves/south.yml#pots/[bowl]/glaze" not in _done(found)
    assert _text(found, "shelves/south.yml") == FILES["shelves/south.yml"].decode()
    assert "recipes/ash.txt" in found.documents


def test_a_name_that_is_taken_is_refused_with_its_place() -> None:
    found = _renamed("glazes.json#glazes/[ash]", "salt")
    assert _outcome(found).kind is OutcomeKind.IMPOSSIBLE
    assert "[salt] already" in _outcome(found).message
    by_use = _renamed("shelves/south.yml#pots/[bowl]/glaze", "salt")
    assert "glazes already" in _outcome(by_use).message
    assert found.touched == frozenset()
    taken = {**FILES, "recipes/oak.txt": b"another\n"}
    assert "recipes/oak.txt" in _outcome(_renamed("glazes.json#glazes/[ash]", "oak", files=taken)).message


def test_a_key_or_name_that_a_sibling_has_is_refused_without_a_gamebook_too() -> None:
    for address, taken in (("rooms.xml#room[front]", "back"), ("limits.ini#Limits/Heat", "Hours")):
        found = _renamed(address, taken, is_known=False)
        assert _outcome(found).kind is OutcomeKind.IMPOSSIBLE, address
        assert "already" in _outcome(found).message
        assert found.touched == frozenset()


def test_a_file_whose_new_name_says_nothing_to_the_gamebook_is_refused() -> None:
    outcome = _outcome(_renamed("stamps/leaf.png", "leaf.jpg"))
    assert outcome.kind is OutcomeKind.IMPOSSIBLE
    assert "stamps/*.png" in outcome.message


def test_a_path_is_no_name() -> None:
    assert "move it instead" in _outcome(_renamed("stamps/leaf.png", "other/leaf.png")).message
    assert "no file or folder kilns/bog" in _outcome(_renamed("kilns/bog", "marsh")).message
    assert _outcome(_renamed("stamps/leaf.png", "..")).kind is OutcomeKind.IMPOSSIBLE


def test_broken_files_and_a_missing_gamebook_are_said() -> None:
    broken = {**FILES, "orders.xml": b"<orders><order glaze='glaze:ash'></orders>"}
    outcome = _outcome(_renamed("glazes.json#glazes/[ash]", "oak", files=broken))
    assert outcome.kind is OutcomeKind.DONE
    assert any("orders.xml" in note and "error" in note for note in outcome.notes)
    found = _renamed("glazes.json#glazes/[ash]", "oak", is_known=False)
    assert _done(found) == {"glazes.json#glazes/[ash]/code": "oak"}
    assert any("no gamebook" in note for note in _outcome(found).notes)


def test_words_that_no_step_can_change_are_said() -> None:
    text = BOOK.replace(
        b'  glazes: {source: "glazes.json#glazes/*/code"}',
        b'  glazes: {source: "glazes.json#glazes/*/code", words: [ash], sql: {database: shop.db, query: select code from glazes}}',
    )
    book, faults = read_gamebook(text)
    assert book is not None, faults
    held = gather_files(FILES, book)
    step = Step(StepKind.RENAME, "glazes.json#glazes/[ash]", name="oak", throughout=True)
    (outcome,) = replay(held.documents, [step], book.read, dict.fromkeys(held.others, "x"), gamebook=book).outcomes
    said = " ".join(outcome.notes)
    assert "names `ash` itself" in said
    assert "shop.db" in said


def test_a_renaming_made_twice_is_impossible_and_changes_nothing() -> None:
    book = _gamebook()
    held = gather_files(FILES, book)
    step = Step(StepKind.RENAME, "glazes.json#glazes/[ash]", name="oak", throughout=True)
    once = replay(held.documents, [step], book.read, gamebook=book)
    again = replay(once.documents, [step], book.read, gamebook=book)
    assert again.outcomes[0].kind is OutcomeKind.IMPOSSIBLE
    assert again.touched == frozenset()
    same = Step(StepKind.RENAME, "glazes.json#glazes/[ash]", name="ash", throughout=True)
    assert replay(held.documents, [same], book.read, gamebook=book).outcomes[0].kind is OutcomeKind.SAME


def test_a_name_that_must_be_that_of_its_own_folder_is_not_renamed_in_another_folder() -> None:
    book, faults = read_gamebook(b'gamebook: 1\ngame: kiln\nagree:\n  - {every: "kilns/*/kiln.yml#kiln/name"}\n')
    assert book is not None, faults
    held = gather_files({**FILES, "kilns/old/kiln.yml": b"kiln:\n  name: big\n"}, book)
    step = Step(StepKind.RENAME, "kilns/big", name="huge", throughout=True)
    found = replay(held.documents, [step], book.read, gamebook=book)
    assert [one.address for one in found.outcomes[0].changes if "#" in one.address] == ["kilns/big/kiln.yml#kiln/name"]
