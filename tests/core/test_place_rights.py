"""What is outside of places that someone may change, whatever kind of step does it."""

from __future__ import annotations

import itertools
import random
from collections.abc import Mapping
from pathlib import Path

import pytest

from tests.worlds import ROOT
from zerrit.core.documents import read_document
from zerrit.core.examination.game_files import Files
from zerrit.core.place_rights import outside, places_on
from zerrit.core.steps import Step, StepKind, replay

STALLS = b"""<stalls>
  <!-- cheap -->
  <ware name="jug" kind="clay"><price>4</price><wants>2</wants></ware>
  <ware name="sail" kind="cloth"><price>90</price><wants>1</wants></ware>
  <ware name="cap" kind="cloth"><price>7</price><wants>9</wants></ware>
  <rent>5</rent>
</stalls>
"""
HOURS = b"open: 8\nclose: 20\nguests:\n  - ann\n  - bo\n"
WARES = b'{"wares": [{"id": "a", "n": 1}, {"id": "b", "n": 2}], "note": "x, y"}\n'
START = b"#!/bin/sh\nport=7000\n./kiln --hot $port\n"
FILES = {"stalls.xml": STALLS, "hours.yml": HOURS, "wares.json": WARES, "start.sh": START}


def beyond(places: list[str], *steps: Step, files: Mapping[str, bytes] = FILES) -> list[str]:
    documents = {path: read_document(data, path) for path, data in files.items()}
    others = {"sky.png": "0" * 64}
    done = replay(documents, steps, read_document, others)
    assert done.is_whole, [one.message for one in done.outcomes]
    return outside(places_on(places, "reef"), Files(documents, others), done)


def put(address: str, operation: str) -> Step:
    return Step(StepKind.SET, address, operation=operation)


@pytest.mark.parametrize(
    ("places", "address", "operation", "expected"),
    [
        (["stalls.xml#ware/price"], "stalls.xml#ware[jug]/price", "=5", []),
        (["stalls.xml#ware/price"], "stalls.xml#ware/price", "*2", []),
        (["stalls.xml#ware/price"], "stalls.xml#ware[jug]/wants", "=5", ["stalls.xml#ware[jug]/wants"]),
        (["stalls.xml#ware/price"], "stalls.xml#rent", "=5000", ["stalls.xml#rent"]),
        (["stalls.xml#ware[kind=cloth]/price"], "stalls.xml#ware[cap]/price", "=5", []),
        (["stalls.xml#ware[kind=cloth]/price"], "stalls.xml#ware[jug]/price", "=5", ["stalls.xml#ware[jug]/price"]),
        (["stalls.xml#ware[kind=cloth]"], "stalls.xml#ware[cap]/wants", "=5", []),
        # What it is may not be changed, or anything could be made one of these.
        (["stalls.xml#ware[kind=cloth]"], "stalls.xml#ware[cap]/@kind", "=clay", ["stalls.xml#ware[cap]"]),
        (["stalls.xml#ware[price<10]/price"], "stalls.xml#ware[cap]/price", "=500", ["stalls.xml#ware[cap]/price"]),
        (["stalls.xml"], "stalls.xml#rent", "=9", []),
        (["*.xml"], "stalls.xml#rent", "=9", []),
        (["*.xml"], "hours.yml#open", "=9", ["hours.yml"]),
        ([], "hours.yml#open", "=9", ["hours.yml"]),
        (["cove:hours.yml"], "hours.yml#open", "=9", ["hours.yml"]),
        (["reef:hours.yml#open"], "hours.yml#open", "=9", []),
        (["hours.yml#guests"], "hours.yml#guests[bo]", "=cy", []),
        (["hours.yml#guests/*"], "hours.yml#guests[bo]", "=cy", []),
        (["wares.json#wares[a]"], "wares.json#wares[b]/n", "=3", ["wares.json#wares/[b]/n"]),
        (["start.sh#port"], "start.sh#port", "=7001", []),
    ],
)
def test_values(places: list[str], address: str, operation: str, expected: list[str]) -> None:
    found = beyond(places, put(address, operation))
    assert (found == []) is (expected == [])
    assert not expected or found[0].startswith(expected[0])


@pytest.mark.parametrize(
    ("places", "step", "is_inside"),
    [
        (["hours.yml#guests"], Step(StepKind.ADD, "hours.yml#guests", name="", value="cy"), True),
        (["hours.yml#guests/*"], Step(StepKind.ADD, "hours.yml#guests", name="", value="cy"), True),
        (["hours.yml#open"], Step(StepKind.ADD, "hours.yml#guests", name="", value="cy"), False),
        (["hours.yml#guests/*"], Step(StepKind.REMOVE, "hours.yml#guests[ann]"), True),
        (["stalls.xml#ware[kind=cloth]"], Step(StepKind.REMOVE, "stalls.xml#ware[cap]"), True),
        (["stalls.xml#ware[kind=cloth]"], Step(StepKind.REMOVE, "stalls.xml#ware[jug]"), False),
        (["stalls.xml#ware"], Step(StepKind.COMMENT_OUT, "stalls.xml#ware[sail]"), True),
        (["wares.json#wares/*"], Step(StepKind.REMOVE, "wares.json#wares[b]"), True),
        (
            ["wares.json#wares/*"],
            Step(StepKind.MOVE, "wares.json#wares[b]", where="before", target="wares.json#wares[a]"),
            True,
        ),
        (
            ["wares.json#wares[a]"],
            Step(StepKind.MOVE, "wares.json#wares[b]", where="before", target="wares.json#wares[a]"),
            True,
        ),
        (["*.json"], Step(StepKind.REMOVE_FILE, "wares.json"), True),
        (["wares.json#wares"], Step(StepKind.REMOVE_FILE, "wares.json"), False),
        (["*.json"], Step(StepKind.REMOVE_FILE, "sky.png"), False),
        (["*.png"], Step(StepKind.REMOVE_FILE, "sky.png"), True),
        (["wares.json"], Step(StepKind.MOVE_FILE, "wares.json", target="goods.json"), False),
        (["*.json"], Step(StepKind.MOVE_FILE, "wares.json", target="goods.json"), True),
        (
            ["start.sh#port"],
            Step(StepKind.PUT_FILE, "start.sh", content="#!/bin/sh\nport=7001\n./kiln --cold $port\n"),
            False,
        ),
        (
            ["start.sh#port"],
            Step(StepKind.PUT_FILE, "start.sh", content="#!/bin/sh\nport=7001\n./kiln  --hot $port\n"),
            False,
        ),
        (
            ["start.sh#port"],
            Step(StepKind.PUT_FILE, "start.sh", content="#!/bin/sh\nport=7001\n./kiln --hot $port\n"),
            True,
        ),
        (["start.sh#port"], Step(StepKind.SET_EXECUTABLE, "start.sh", executable=True), False),
        (["start.sh"], Step(StepKind.SET_EXECUTABLE, "start.sh", executable=True), True),
        (["*.yml"], Step(StepKind.ADD_FOLDER, "more"), False),
        (["hours.yml#open"], Step(StepKind.PUT_FILE, "hours.yml", content=HOURS.decode().replace("8", "9")), True),
        (["hours.yml#open"], Step(StepKind.PUT_FILE, "hours.yml", content=HOURS.decode() + "# a secret\n"), False),
        (["hours.yml#open"], Step(StepKind.PUT_FILE, "hours.yml", content="open: [\n"), False),
        (
            ["wares.json#wares"],
            Step(StepKind.PUT_FILE, "wares.json", content=WARES.decode().replace("x, y", "xy")),
            False,
        ),
    ],
)
def test_any_kind_of_step(places: list[str], step: Step, is_inside: bool) -> None:
    found = beyond(places, step)
    assert (found == []) is is_inside, found


def test_the_first_of_many_are_named() -> None:
    rows = b"<list>" + b"".join(b"<row n='%d'><v>1</v></row>" % n for n in range(500)) + b"</list>"
    assert len(beyond(["list.xml#none"], put("list.xml#row/v", "=2"), files={"list.xml": rows})) == 20


WORLDS = [
    path
    for path in sorted(ROOT.rglob("*"))
    if path.is_file() and path.parent != ROOT and "__pycache__" not in path.parts and path.name != "gamebook.yml"
]


@pytest.mark.parametrize("path", WORLDS, ids=lambda path: path.relative_to(ROOT).as_posix())
def test_in_files_of_any_shape_a_value_is_inside_of_its_own_place_and_of_no_other(path: Path) -> None:
    document = read_document(path.read_bytes(), path.name)
    values = [node for node in document.root.walk() if node.is_value and node.value and node.name != "line"]
    rng = random.Random(path.name)
    rng.shuffle(values)
    for node, other in itertools.pairwise(values[:8]):
        own, far = (f"{path.name}#{document.keys.address_of(one)}" for one in (node, other))
        step = put(own, "=7" if node.value != "7" else "=8")
        done = replay({path.name: document}, [step], read_document)
        if not done.is_whole or not done.touched:
            continue  # the format takes no such value there
        files = Files({path.name: document})
        assert outside(places_on([far], "reef"), files, done), f"{own} is not at {far}"
        if node.value and node.value not in own.replace('""', '"'):  # what names an entry is another place afterwards
            assert outside(places_on([own], "reef"), files, done) == []
