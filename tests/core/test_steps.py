"""Steps are edits that can be replayed on other text."""

from __future__ import annotations

from collections.abc import Mapping

import pytest

from zerrit.core import read_document
from zerrit.core.documents import Document
from zerrit.core.steps import Outcome, Replay, Step, StepKind, replay, touched_paths

XML = '<finds>\n  <find name="A" w="1">\n    <band d="x" h="3"/>\n  </find>\n  <find name="B" w="2"/>\n</finds>\n'
INI = '[Pumps]\nBus=40\nC=(Name="Gate",R=4)\n'


def read(data: bytes, path: str) -> Document:
    return read_document(data, path, keys={"find/band": "@d"})


def world(**changed: str) -> dict[str, Document]:
    texts = {"sea/finds.xml": XML, "station.ini": INI, "a.yml": "k: 1\n"}
    texts |= {path.replace("__", "/").replace("_", "."): text for path, text in changed.items()}
    return {path: read(text.encode(), path) for path, text in texts.items()}


def play(*steps: Step, on: Mapping[str, Document] | None = None) -> Replay:
    return replay(on if on is not None else world(), steps, read)


STEPS = [
    pytest.param(Step(StepKind.SET, "sea/finds.xml#find[*]/@w", operation="+1"), [("sea/finds.xml#find[A]/@w", "1", "2"), ("sea/finds.xml#find[B]/@w", "2", "3")], id="set, by a pattern"),
    pytest.param(Step(StepKind.ADD, "sea/finds.xml#find[B]", name="band", fields={"d": "z", "h": "1"}), [("sea/finds.xml#find[B]/band[z]", None, '<band d="z" h="1"/>')], id="add an entry"),
    pytest.param(Step(StepKind.ADD, "station.ini#Pumps", name="Spare", value="yes"), [("station.ini#Pumps/Spare", None, "Spare=yes")], id="add a field"),
    pytest.param(Step(StepKind.COPY, "sea/finds.xml#find[B]", key="C"), [("sea/finds.xml#find[C]", None, '<find name="C" w="2"/>')], id="copy"),
    pytest.param(Step(StepKind.REMOVE, "sea/finds.xml#find[B]"), [("sea/finds.xml#find[B]", '<find name="B" w="2"/>', None)], id="remove"),
    pytest.param(Step(StepKind.MERGE, "station.ini", snippet="[Pumps]\nBus=44\n"), [("station.ini#Pumps/Bus", "40", "44")], id="merge"),
    pytest.param(Step(StepKind.PUT_FILE, "a.yml", content="k: 2\nl: 3\n"), [("a.yml", "1 line", "2 lines")], id="put over a file"),
    pytest.param(Step(StepKind.PUT_FILE, "new/b.yml", content="k: 2\n"), [("new/b.yml", None, "1 line")], id="put a new file"),
]  # fmt: skip


@pytest.mark.parametrize(("step", "changes"), STEPS)
def test_a_step_says_what_it_changed(step: Step, changes: list[tuple[str, str | None, str | None]]) -> None:
    before = world()
    replayed = play(step, on=before)
    (outcome,) = replayed.outcomes
    assert (outcome.kind, outcome.message) == ("done", "")
    assert [(c.address, c.old, c.new) for c in outcome.changes] == changes
    assert replayed.touched == {step.address.partition("#")[0]}
    assert {path: document.text for path, document in before.items()} == {p: d.text for p, d in world().items()}


@pytest.mark.parametrize("name", ["add an entry", "merge", "put over a file", "put a new file"])
def test_such_a_step_made_twice_is_the_same_as_once(name: str) -> None:
    step = next(param.values[0] for param in STEPS if param.id == name)
    assert isinstance(step, Step)
    once, twice = play(step), play(step, step)
    assert twice.outcomes[1].kind == "same"
    assert {p: d.text for p, d in twice.documents.items()} == {p: d.text for p, d in once.documents.items()}


@pytest.mark.parametrize(
    ("step", "message"),
    [
        (Step(StepKind.SET, "sea/find.xml#find", operation="=1"), "The server has no file sea/find.xml. Nearest: sea/finds.xml."),
        (Step(StepKind.SET, "sea/finds.xml#find[C]/@w", operation="=1"), "sea/finds.xml has no find that fits [C]."),
        (Step(StepKind.SET, "sea/finds.xml#find[A]/@w", operation="twice"), "`twice` is not an operation."),
        (Step(StepKind.SET, "sea/finds.xml#find[A]/@name", operation="*2"), "sea/finds.xml#find[A]/@name: `A` is not a number"),
        (Step(StepKind.REMOVE, "sea/finds.xml"), "sea/finds.xml is a complete file; name an entry or a field in it."),
        (Step(StepKind.PUT_FILE, "sea/*.xml", content=""), "sea/*.xml is not one file; write the path of a file or folder alone."),
        (Step(StepKind.PUT_FILE, "sea/finds.xml#find[A]", content=""), "is not one file; write the path of a file or folder alone."),
        (Step(StepKind.PUT_FILE, "../a.xml", content=""), "`../a.xml` leaves the server's folder"),
        (Step(StepKind.MERGE, "station.ini", snippet="???"), "The snippet cannot be read as INI"),
        (Step(StepKind.MERGE, "station.ini", snippet="[Pumps]\nBus=1\n", choices={"Pumps/Bsu": "skip"}), "The snippet has no entry Pumps/Bsu, so no action can be chosen for it. It has: Pumps/Bus."),
    ],
)  # fmt: skip
def test_an_impossible_step_says_why_and_the_rest_goes_on(step: Step, message: str) -> None:
    after = Step(StepKind.SET, "station.ini#Pumps/Bus", operation="=50")
    replayed = play(step, after)
    assert [outcome.kind for outcome in replayed.outcomes] == ["impossible", "done"]
    assert message in replayed.outcomes[0].message
    assert not replayed.is_whole
    assert replayed.touched == {"station.ini"}


def test_steps_are_made_on_what_the_ones_before_left() -> None:
    add = Step(StepKind.ADD, "sea/finds.xml#find[B]", name="band", fields={"d": "z", "h": "1"})
    raise_it = Step(StepKind.SET, "sea/finds.xml#find[B]/band[z]/@h", operation="*3")
    outcomes: tuple[Outcome, ...] = play(add, raise_it).outcomes
    assert outcomes[1].changes[0].new == "3"


def test_the_same_steps_go_on_other_text() -> None:
    """What the other side changed stays; that is what carries a change over a file that was rewritten in the meantime."""
    other = world(station_ini=INI.replace("Bus=40", "Bus=60") + "\n[Tide]\nClock=812\n")
    step = Step(StepKind.SET, "station.ini#Pumps/C[Gate]/R", operation="+2")
    replayed = play(step, on=other)
    assert replayed.documents["station.ini"].text == '[Pumps]\nBus=60\nC=(Name="Gate",R=6)\n\n[Tide]\nClock=812\n'


def test_a_step_back_to_the_old_text_touches_nothing() -> None:
    there = Step(StepKind.SET, "a.yml#k", operation="=2")
    back = Step(StepKind.SET, "a.yml#k", operation="=1")
    assert play(there, back).touched == frozenset()


def test_a_file_that_is_gone_afterwards_counts_as_touched() -> None:
    one, other = read_document(b"a=1\n", "a.ini"), read_document(b"b=1\n", "b.ini")
    assert touched_paths({"a.ini": one, "b.ini": other}, {"a.ini": one}) == {"b.ini"}
