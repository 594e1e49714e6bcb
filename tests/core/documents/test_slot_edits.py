"""Values of a slot in a script are added, removed and moved with the text around them, and the command stays one."""

from __future__ import annotations

import pytest

from zerrit.core.documents import Slot, read_document
from zerrit.core.steps import OutcomeKind, replay, step_from_words

SLOTS = {"pack": Slot("--use {}"), "map": Slot("map={}")}
LINES = "run ./g \\\n  --use one \\\n  --use two \\\n  --port 7\n"
BATCH = "run g.exe ^\r\n  --use one ^\r\n  --use two\r\n"
IN_LINE = 'run ./g --use one --use "second one" --port 7\n'
FIRST = "--use one --use two\n"
ALONE = "# maps\nmap=one\nmap=two\n"


@pytest.mark.parametrize(
    ("text", "address", "words", "wanted"),
    [
        (LINES, "pack[one]", "remove", "run ./g \\\n  --use two \\\n  --port 7\n"),
        (LINES, "pack[two]", "remove", "run ./g \\\n  --use one \\\n  --port 7\n"),
        (LINES, "", "add pack =three", LINES.replace("two", "two \\\n  --use three")),
        (
            LINES,
            "pack[two]",
            "move before pack[one]",
            LINES.replace("one", "x").replace("two", "one").replace("x", "two"),
        ),
        (
            LINES,
            "pack[one]",
            "move after pack[two]",
            LINES.replace("one", "x").replace("two", "one").replace("x", "two"),
        ),
        (BATCH, "pack[two]", "remove", "run g.exe ^\r\n  --use one\r\n"),
        (BATCH, "", "add pack =three", BATCH.replace("two", "two ^\r\n  --use three")),
        (IN_LINE, "pack[one]", "remove", 'run ./g --use "second one" --port 7\n'),
        (IN_LINE, "pack[second one]", "remove", "run ./g --use one --port 7\n"),
        (IN_LINE, "pack[one]", "copy three", 'run ./g --use one --use three --use "second one" --port 7\n'),
        (IN_LINE, "", "add pack =fourth", 'run ./g --use one --use "second one" --use "fourth" --port 7\n'),
        (FIRST, "pack[one]", "remove", "--use two\n"),
        (ALONE, "map[one]", "remove", "# maps\nmap=two\n"),
        (ALONE, "", "add map =three", "# maps\nmap=one\nmap=two\nmap=three\n"),
        (ALONE, "map[two]", "move before map[one]", "# maps\nmap=two\nmap=one\n"),
    ],
)
def test_a_value_comes_and_goes_with_the_text_around_it(text: str, address: str, words: str, wanted: str) -> None:
    document = read_document(text.encode(), "start.sh", slots=SLOTS)
    place = f"start.sh#{address}" if address else "start.sh"
    (outcome,) = (
        made := replay({"start.sh": document}, [step_from_words(place, words.split(" "))], read_document)
    ).outcomes
    assert outcome.kind is OutcomeKind.DONE, outcome.message
    assert made.documents["start.sh"].text == wanted


@pytest.mark.parametrize("value", ["two words", 'with"mark'])
def test_a_value_that_would_be_two_words_is_refused(value: str) -> None:
    document = read_document(LINES.encode(), "start.sh", slots=SLOTS)
    (outcome,) = replay(
        {"start.sh": document}, [step_from_words("start.sh", ["add", "pack", f"={value}"])], read_document
    ).outcomes
    assert outcome.kind is OutcomeKind.IMPOSSIBLE
    assert "more than one word" in outcome.message
