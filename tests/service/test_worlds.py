"""Six small games, each with a program that reads its files with readers of its own: from the gamebook to a deploy and back."""

from __future__ import annotations

import os
import sys
from collections.abc import Iterator
from pathlib import Path

import pytest

from tests.quick import Quick, quick_stack
from tests.worlds import ROOT, world
from zerrit import api

TROUBLE = """
trouble:
  log: logs/game.log
  ready_pattern: all is read
  log_patterns: [fault]
ignore: [logs/**, game.pid]
"""
Words = tuple[str, ...]
#: Steps in each world, and what the program must read then and must not read any more.
CASES: dict[str, tuple[list[api.StepIn], Words, Words]] = {
    "cannery": (
        [
            api.StepIn(kind="set", address="scripts/settings.lua#feature/shipments", operation="=false"),
            api.StepIn(kind="set", address="scripts/settings.lua#crates[kx1]/price", operation="+500"),
            api.StepIn(kind="copy", address="scripts/settings.lua#Market.Stalls[quay]", key="cove"),
            api.StepIn(kind="remove", address="scripts/settings.lua#Market.Stalls[pier]"),
            api.StepIn(kind="set", address="scripts/belts.js#belts/north/length", operation="=44"),
            api.StepIn(kind="set", address="scripts/jars.c#MAX_JARS", operation="=4100"),
            api.StepIn(kind="set", address="tasks.py#KEEP_DAYS", operation="=20"),
            api.StepIn(kind="add", address="start.sh#load", value="jars"),
        ],
        (
            "scripts/settings.lua#feature.shipments=false",
            "scripts/settings.lua#crates.kx1.price=530.0",
            "scripts/settings.lua#Market.Stalls.cove.owner=Ada",
            "scripts/belts.js#belts.north.length=44.0",
            "scripts/jars.c#MAX_JARS=4100.0",
            "tasks.py#KEEP_DAYS=20.0",
            "start.sh#word.6=--load=base;belts;jars",
        ),
        ("scripts/settings.lua#Market.Stalls.pier.price=7.0",),
    ),
    "choir": (
        [
            api.StepIn(kind="set", address="songs.cfg#Songs/song[Carol]/fee", operation="=5"),
            api.StepIn(kind="set", address="singers.js#singers/bo/pay", operation="=4"),
            api.StepIn(kind="add", address="singers.js#singers/ed/songs", value="Carol"),
            api.StepIn(kind="set", address="evenings.toml#tickets/front", operation="=12"),
            api.StepIn(kind="remove", address="start.bat#song[Jig]"),
        ],
        (
            "songs.cfg#Songs.Carol.fee=5",
            "singers.js#singers.bo.pay=4.0",
            "singers.js#singers.ed.songs.1=Carol",
            "evenings.toml#tickets.front=12",
        ),
        ("start.bat#word.8=Jig",),
    ),
    "ferry": (
        [
            api.StepIn(kind="set", address="ferry.cfg#pier[Clover]/4", operation="=5"),
            api.StepIn(kind="set", address="boats.cfg#Boats/Swan/seats", operation="+2"),
            api.StepIn(kind="copy", address="boats.cfg#Boats/Swan", key="Stork"),
            api.StepIn(kind="set", address=".env#FERRY_PORT", operation="=26201"),
            api.StepIn(kind="set", address="start.sh#port", operation="=26201"),
        ],
        (
            "ferry.cfg#pier.Clover=6.5 wood 5",
            "boats.cfg#Boats.Swan.seats=42",
            "boats.cfg#Boats.Stork.captain=Ada",
            ".env#FERRY_PORT=26201",
            "start.sh#word.3=26201",
        ),
        (),
    ),
    "foundry": (
        [
            api.StepIn(kind="set", address="moulds.cfg#Moulds/mould[Bell]/weight", operation="=9"),
            api.StepIn(kind="set", address="shifts.cfg#Shifts/Birch/opens", operation="=11"),
            api.StepIn(kind="set", address="gate.cfg#pour[Dial]/2", operation="=7"),
            api.StepIn(kind="set", address="foundry.properties#save.every", operation="=20"),
            api.StepIn(kind="set", address=".env#FOUNDRY_TITLE", operation="=Tin Lane"),
        ],
        (
            "moulds.cfg#Moulds.Bell.weight=9",
            "shifts.cfg#Shifts.Birch.opens=11",
            "gate.cfg#pour.Dial=7 evening",
            "foundry.properties#save.every=20",
            ".env#FOUNDRY_TITLE=Tin Lane",
        ),
        (),
    ),
    "lantern": (
        [
            api.StepIn(kind="set", address="lantern.toml#lamp[north]/price", operation="=6"),
            api.StepIn(kind="copy", address="lantern.toml#lamp[north]", key="east"),
            api.StepIn(kind="set", address="lantern.toml#hours.night/quiet", operation="=false"),
            api.StepIn(kind="add", address="lantern.toml#crew", value="Cy"),
        ],
        (
            "lantern.toml#lamp.north.price=6",
            "lantern.toml#lamp.east.wick.most=400",
            "lantern.toml#hours.night.quiet=false",
            "lantern.toml#crew.3=Cy",
        ),
        (),
    ),
    "mill": (
        [
            api.StepIn(kind="set", address="data/store.db#grains[1]/price", operation="=5"),
            api.StepIn(kind="copy", address="data/store.db#loads[3]", key="90"),
            api.StepIn(kind="remove", address="data/store.db#loads[4]"),
            api.StepIn(kind="set", address="mill.lua#Mill.Stones/old/speed", operation="=64"),
            api.StepIn(kind="set", address="mill.lua#Mill.Flours[dark]/price", operation="=6.5"),
            api.StepIn(kind="set", address="mill.properties#water.least", operation="=18"),
        ],
        (
            "data/store.db#grains.1.price=5.0",
            "data/store.db#loads.90.grain=rye",
            "mill.lua#Mill.Stones.old.speed=64.0",
            "mill.lua#Mill.Flours.dark.price=6.5",
            "mill.properties#water.least=18",
        ),
        ("data/store.db#loads.4.sacks=7",),
    ),
}


def folder_of(quick: Quick, name: str) -> Path:
    folder = quick.folder / name
    for path, data in world(name).items():
        (folder / path).parent.mkdir(parents=True, exist_ok=True)
        (folder / path).write_bytes(data)
    return folder


def control_of(folder: Path) -> api.CommandControl:
    """Start, stop and ask for the program as an admin's shell would."""
    program = f"exec {sys.executable} -m tests.worlds.programs {folder}"
    alive = f"kill -0 $(cat {folder}/game.pid) 2> /dev/null"
    return api.CommandControl(
        use_shell=True,
        commands=api.Commands(
            state=[f"{alive} || exit 3"],
            start=[f"cd {ROOT.parent.parent}; {{ {program} > /dev/null 2>&1 & echo $! > {folder}/game.pid; }}"],
            stop=[f"kill $(cat {folder}/game.pid); while {alive}; do sleep 0.02; done"],
        ),
    )


@pytest.fixture
def quick(tmp_path: Path) -> Iterator[Quick]:
    with quick_stack(tmp_path, patience=20) as stack:
        yield stack
    for pid in tmp_path.glob("*/game.pid"):
        try:
            os.kill(int(pid.read_text()), 15)
        except ProcessLookupError:
            continue


def begun(quick: Quick, name: str) -> Path:
    folder = folder_of(quick, name)
    quick.zerrit.save_gamebook(name, (ROOT / name / "gamebook.yml").read_text() + TROUBLE)
    quick.zerrit.add_server(
        api.ServerIn(
            id=name, gamebook=name, connection=api.FolderConnection(folder=str(folder)), control=control_of(folder)
        )
    )
    quick.zerrit.restart(name)
    quick.end_of(quick.zerrit.runs(name)[0])
    quick.zerrit.fetch(name)
    return folder


def last_start(folder: Path) -> list[str]:
    """What the program said at its last start."""
    said = (folder / "logs/game.log").read_text().splitlines()
    assert said[-1] == "all is read", said[-3:]
    begins = max(
        (n + 1 for n, line in enumerate(said[:-1]) if line == "all is read" or line.startswith("fault")), default=0
    )
    return said[begins:]


def held(folder: Path, name: str) -> dict[str, bytes]:
    return {path: (folder / path).read_bytes() for path in world(name)}


@pytest.mark.parametrize("name", CASES)
def test_a_change_is_what_the_game_reads_at_its_next_start(quick: Quick, name: str) -> None:
    steps, wanted, unwanted = CASES[name]
    client = quick.zerrit
    folder = begun(quick, name)
    before, first = held(folder, name), last_start(folder)
    change = client.create_change(name, "A try").id
    for step in steps:
        client.add_step(change, step)
    assert client.check(change).state == "checked"
    end = quick.end_of(client.deploy(change))
    assert end.state == "deployed", [stage.detail for stage in end.stages]
    now = last_start(folder)
    assert [one for one in wanted if one in first or one not in now] == []
    assert [one for one in unwanted if one not in first or one in now] == []
    values = len(now) - len(first)
    assert abs(values) < 20, "all else is read as before"
    assert quick.end_of(client.rollback(name, end.before or 0)).state == "done"
    assert held(folder, name) == before
    assert last_start(folder) == first


def test_what_the_game_does_not_understand_is_taken_back(quick: Quick) -> None:
    """Nothing in the files or the gamebook says that the class is needed; the game does."""
    folder = begun(quick, "foundry")
    before = held(folder, "foundry")
    change = quick.zerrit.create_change("foundry", "No common class").id
    quick.zerrit.add_step(change, api.StepIn(kind="remove", address="shifts.cfg#Shift"))
    end = quick.end_of(quick.zerrit.deploy(change))
    assert end.state == "rolled-back", [stage.detail for stage in end.stages]
    assert any(
        "there is no class Shift" in one
        for one in [end.outcome, *(stage.detail for stage in end.stages), end.evidence.model_dump_json()]
    )
    assert held(folder, "foundry") == before
    assert last_start(folder)
