"""What is typed becomes steps by meaning, and they give exactly the typed text."""

from __future__ import annotations

import random

import pytest

from tests.worlds import NAMES, world
from zerrit.core.documents import Document, Format, read_document
from zerrit.core.errors import EditRefused
from zerrit.core.steps import OutcomeKind, Replay, Step, StepKind, replay
from zerrit.core.typed_text import steps_of_typing

XML = """<stalls>
  <!-- open all day -->
  <stall name="Rope" price="4"/>
  <stall name="Lamp" price="9"><note>brass</note></stall>
  <stall name="Tar" price="2"/>
</stalls>
"""
YAML = "# prices of the quay\nrope: 4\nlamp:\n  price: 9\n  words: [brass, tin]\ntar: 2\n"
JSON = '{\n  "rope": 4,\n  "lamp": {"price": 9},\n  "tar": 2\n}\n'
INI = "; the quay\r\n[Quay]\r\nRope=4\r\nLamp=9\r\n\r\n[Yard]\r\nOpen=yes\r\n"


def made(before: Document, steps: tuple[Step, ...]) -> Replay:
    return replay({before.path: before}, steps, read_document)


def typed(path: str, text: str, old: str, new: str) -> list[str]:
    """The steps for one edit, as words; they give exactly the typed text."""
    before = read_document(text.encode(), path)
    after = before.with_text(text.replace(old, new, 1))
    assert after.text != before.text
    steps = steps_of_typing(before, after)
    done = made(before, steps)
    assert done.documents[path].text == after.text
    assert all(outcome.kind is OutcomeKind.DONE for outcome in done.outcomes)
    return [
        f"{step.kind} {step.address.partition('#')[2]} {step.operation or step.name or step.where}".strip()
        for step in steps
    ]


@pytest.mark.parametrize(
    ("path", "text", "old", "new", "steps"),
    [
        ("q.xml", XML, 'price="4"', 'price="40"', ["set stall[Rope]/@price =40"]),
        ("q.xml", XML, ">brass<", ">tin<", ["set stall[Lamp]/note =tin"]),
        ("q.xml", XML, '  <stall name="Tar" price="2"/>\n', "", ["remove stall[Tar]"]),
        ("q.xml", XML, 'name="Tar"', 'name="Pitch"', ["rename stall[Tar] Pitch"]),
        ("q.xml", XML, "open all day", "shut at night", ["comment stall[Rope]"]),
        ("q.xml", XML, "  <!-- open all day -->\n", "", ["comment stall[Rope]"]),
        ("q.xml", XML, '"2"/>\n', '"2"/>\n  <stall name="Oar" price="7"/>\n', ["add  stall"]),
        (
            "q.xml",
            XML,
            '  <stall name="Tar"',
            '  <stall name="Oar" price="7"/>\n  <stall name="Tar"',
            ["add  stall", "move stall[Oar] after"],
        ),
        ("q.xml", XML, 'price="2"/>', 'price="2" />', ["text"]),
        ("q.xml", XML, "</stall>", "</stal>", ["text"]),
        ("q.yml", YAML, "rope: 4", "rope: 5", ["set rope =5"]),
        ("q.yml", YAML, "tin]", "tin, lead]", ["add lamp/words"]),
        ("q.yml", YAML, "tar: 2\n", "tar: 2\noar: 7\n", ["add  oar"]),
        ("q.yml", YAML, "lamp:\n", "", ["text"]),  # what was in the lamp is not gone: it stands elsewhere
        ("q.json", JSON, '"rope": 4', '"rope": 5', ["set rope =5"]),
        ("q.json", JSON, '  "rope": 4,\n', "", ["remove rope"]),
        ("q.ini", INI, "Rope=4", "Rope=5", ["set Quay/Rope =5"]),
        ("q.ini", INI, "Lamp=9\r\n", "Lamp=9\r\nOar=7\r\n", ["add Quay Oar"]),
        ("q.ini", INI, "[Quay]\r\n", "", ["text"]),
        ("q.txt", "one\ntwo\nthree\n", "two\n", "", ["remove line[two]"]),
        ("q.txt", "", "", "", []),
    ],
)
def test_an_edit_becomes_the_step_that_says_it(path: str, text: str, old: str, new: str, steps: list[str]) -> None:
    if not steps:
        document = read_document(text.encode(), path)
        assert steps_of_typing(document, document) == ()
        return
    assert typed(path, text, old, new) == steps


def test_several_edits_are_steps_of_their_own() -> None:
    before = read_document(XML.encode(), "q.xml")
    after = before.with_text(XML.replace('"4"', '"5"').replace('"2"', '"3"'))
    assert [step.operation for step in steps_of_typing(before, after)] == ["=5", "=3"]


def test_steps_of_typing_fit_a_file_that_another_person_edited() -> None:
    before = read_document(XML.encode(), "q.xml")
    steps = steps_of_typing(before, before.with_text(XML.replace('"4"', '"5"').replace("brass", "tin")))
    other = before.with_text(XML.replace('"9"', '"8"').replace("all day", "at dawn"))
    done = made(other, steps).documents["q.xml"].text
    assert done == XML.replace('"4"', '"5"').replace("brass", "tin").replace('"9"', '"8"').replace("all day", "at dawn")


def test_a_text_step_is_refused_where_its_text_is_not_or_is_twice() -> None:
    step = Step(StepKind.TEXT, "q.txt", replacements=(("two\n", "2\n"),))
    for text, why in (("one\nthree\n", "is not in the file any more"), ("two\ntwo\n", "is in the file 2 times")):
        (outcome,) = made(read_document(text.encode(), "q.txt"), (step,)).outcomes
        assert outcome.kind is OutcomeKind.IMPOSSIBLE
        assert why in outcome.message
    (outcome,) = made(read_document(b"one\n2\n", "q.txt"), (step,)).outcomes
    assert outcome.kind is OutcomeKind.SAME


def test_a_text_step_takes_the_line_endings_of_the_file() -> None:
    step = Step(StepKind.TEXT, "q.txt", replacements=(("one\ntwo\n", "one\n2\n"),))
    done = made(read_document(b"one\r\ntwo\r\nthree\r\n", "q.txt"), (step,))
    assert done.documents["q.txt"].text == "one\r\n2\r\nthree\r\n"


def test_a_comment_that_would_be_more_than_a_comment_is_refused() -> None:
    for content in ("<!-- a --><stall name='Evil'/>", "<stall name='Evil'/>"):
        step = Step(StepKind.COMMENT, "q.xml#stall[Lamp]", content=content)
        (outcome,) = made(read_document(XML.encode(), "q.xml"), (step,)).outcomes
        assert outcome.kind is OutcomeKind.IMPOSSIBLE


def _garbled(text: str, chance: random.Random) -> str:
    """A few edits as people and cats make them: letters, lines moved, doubled and lost."""
    for _ in range(chance.randint(1, 4)):
        lines = text.splitlines(keepends=True) or [""]
        number = chance.randrange(len(lines))
        match chance.randrange(6):
            case 0:
                del lines[number]
            case 1:
                lines.insert(chance.randrange(len(lines) + 1), lines[number])
            case 2:
                lines.insert(chance.randrange(len(lines)), lines.pop(number))
            case 3:
                at = chance.randrange(len(lines[number]) + 1)
                lines[number] = lines[number][:at] + chance.choice('x7"<>{}:=\n\t é') + lines[number][at:]
            case 4:
                at = chance.randrange(len(lines[number]) + 1)
                lines[number] = lines[number][:at] + lines[number][at + 1 :]
            case _:
                lines[number] = lines[number].replace("1", "2").replace("a", "b")
        text = "".join(lines)
    return text


@pytest.mark.parametrize("name", NAMES)
def test_whatever_is_typed_comes_out_exactly(name: str) -> None:
    chance = random.Random(name)
    for path, data in world(name).items():
        before = read_document(data, path)
        if before.is_binary:
            continue
        for _ in range(12):
            try:
                after = before.with_text(_garbled(before.text, chance))
            except EditRefused:
                assert before.format is Format.DATABASE  # whose tables and conditions hold
                continue
            steps = steps_of_typing(before, after)
            assert made(before, steps).documents[path].text == after.text, (path, steps)
