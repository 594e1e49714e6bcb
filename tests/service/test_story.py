"""The main job from beginning to end, over real FTP: through the client library, and through plain HTTP."""

from __future__ import annotations

import asyncio

import httpx
import pytest
from sqlalchemy import select

from tests.files import files_of
from zerrit import api
from zerrit.client import AsyncClient, Client, ProblemError, ServiceUnreachable
from zerrit.demo import world_files
from zerrit.demo.stack import ADMIN, HOST_PASSWORD, PASSWORD, DemoStack, crashing_step, defaults_zip, story_steps
from zerrit.records import load_content, open_database
from zerrit.records.models import SnapshotFile

FINDS = "sea/finds.xml"
NEW_GROUND = f"{FINDS}#shelf[brass]/find[Slate Gimbal]/@ground"


def test_the_story_through_the_client(stack: DemoStack) -> None:
    game = stack.host_folder / "coral-gate"
    at_first = files_of(game)
    with stack.client() as zerrit:
        zerrit.save_gamebook("fathomline", world_files.gamebook().decode())
        added = zerrit.add_server(stack.server_in("coral-gate"))
        port = stack.host.ftp_port
        assert added.connection == api.FtpConnection(host="127.0.0.1", port=port, user="coral-gate")
        assert "clear text" in added.notes[0]
        first = zerrit.fetch("coral-gate")
        assert (first.is_new, first.snapshot.files) == (True, 79)
        assert zerrit.import_defaults("coral-gate", "2.1", defaults_zip("2.1")).label == "2.1"
        states = {file.path: file.state for file in zerrit.files("coral-gate")}
        assert states[FINDS] == "changed"
        assert states["sea/chart.xml"] == "as-shipped"
        assert states["mods/deepsong.pak"] == "watched"

        (place,) = zerrit.show("coral-gate", f"{FINDS}#shelf[brass]/find[Copper Gimbal]/@holds")
        assert (place.value, place.default, place.allowed) == ("12..40", "12..40", "a range of numbers from 0 to 120")
        change = zerrit.create_change("coral-gate", "Wet evenings")
        for step in story_steps():
            zerrit.add_step(change.id, step)

        checked = zerrit.check(change.id)
        (finding,) = checked.findings
        assert (checked.state, finding.path, finding.line, finding.column) == ("draft", FINDS, 79, 39)
        assert finding.hint == "Did you mean 'Ribbonweed Flats'?"
        with pytest.raises(ProblemError) as refused:
            zerrit.deploy(change.id)
        assert refused.value.kind == "blocked-by-findings"
        zerrit.add_step(change.id, api.StepIn(kind="set", address=NEW_GROUND, operation="=Ribbonweed Flats"))
        assert zerrit.check(change.id).state == "checked"

        live = zerrit.differences(change.id, "live", texts=True)
        by_address = {d.address.partition("#")[2]: (d.kind, d.delta) for d in live.differences}
        assert by_address["shelf[brass]/find[Copper Gimbal]/@holds"] == ("changed", "upper end -10")
        assert by_address["shelf[brass]/find[Slate Gimbal]"] == ("added", "")
        assert by_address['"Circuit Sump Six"'] == ("added", "")
        assert "+[Circuit Wet Lab]" in "".join(text.text for text in live.texts)
        assert len(zerrit.differences(change.id, "defaults").differences) > len(live.differences)

        *_, run = zerrit.follow(zerrit.deploy(change.id).id)
        assert run.state == "deployed"
        assert [s.name for s in run.stages] == [
            "preflight",
            "stop",
            "read",
            "snapshot",
            "write",
            "verify",
            "start",
            "watch",
        ]
        assert zerrit.change(change.id).state == "deployed"
        assert 'ground="Ribbonweed Flats" holds="2..8"' in (game / FINDS).read_text()
        station = (game / "station.ini").read_text()
        assert "Starts=1" in station, "what the game wrote when it stopped is kept beside our circuits"
        assert "Sump Six" in station

        second = zerrit.create_change("coral-gate", "Stronger pumps everywhere")
        zerrit.add_step(second.id, crashing_step())
        assert zerrit.check(second.id).state == "checked"
        *_, failed = zerrit.follow(zerrit.deploy(second.id).id)
        assert failed.state == "rolled-back"
        assert "breaker tripped" in failed.evidence.log
        assert len(failed.evidence.crash_files) == 1
        kept = zerrit.change(second.id)
        assert (kept.state, "breaker tripped" in kept.runs[0].evidence.log) == ("rolled-back", True)
        assert zerrit.game_state("coral-gate").state == "running"
        assert files_of(game) == snapshot_files(stack, failed.before) | {
            path: data for path, data in at_first.items() if path.endswith(".pak")
        }

        *_, back = zerrit.follow(zerrit.rollback("coral-gate", first.snapshot.id).id)
        assert back.state == "done"
        assert files_of(game) == at_first
        assert zerrit.game_state("coral-gate").state == "running"


def snapshot_files(stack: DemoStack, snapshot: int | None) -> dict[str, bytes]:
    """The tracked files of a snapshot, straight from the database."""
    database = open_database(stack.folder / "data" / "zerrit.db")
    with database.session() as session:
        rows = session.scalars(
            select(SnapshotFile).where(SnapshotFile.snapshot_id == snapshot, SnapshotFile.digest.is_not(None))
        )
        found = {row.path: load_content(session, row.digest or "") for row in rows}
    database.close()
    return found


def test_the_story_through_plain_http(stack: DemoStack) -> None:
    game = stack.host_folder / "coral-gate"
    at_first = files_of(game)
    base = f"{stack.url}/api/v1"
    token = httpx.post(f"{base}/tokens", json={"name": ADMIN, "password": PASSWORD}).json()["token"]
    with httpx.Client(base_url=base, headers={"Authorization": f"Bearer {token}"}, timeout=60) as http:
        assert http.put("/gamebooks/fathomline", json={"text": world_files.gamebook().decode()}).status_code == 204
        server = {
            "id": "coral-gate",
            "gamebook": "fathomline",
            "connection": {
                "kind": "ftp",
                "host": "127.0.0.1",
                "port": stack.host.ftp_port,
                "user": "coral-gate",
            },
            "connection_secret": HOST_PASSWORD,
            "control": {"kind": "http", "url": f"http://127.0.0.1:{stack.host.control_port}/coral-gate"},
            "control_secret": HOST_PASSWORD,
        }
        assert http.post("/servers", json=server).status_code == 201
        assert http.post("/servers/coral-gate/fetch").json()["snapshot"]["id"] == 1
        upload = {"archive": ("defaults.zip", defaults_zip("2.1"))}
        assert http.post("/servers/coral-gate/defaults", data={"label": "2.1"}, files=upload).status_code == 201
        shown = http.get(
            "/servers/coral-gate/show", params={"address": f"{FINDS}#shelf[brass]/find[Copper Gimbal]"}
        ).json()
        assert shown[0]["comment"].startswith("Swings in a fixed ring.")
        assert http.post("/servers/coral-gate/changes", json={"title": "Wet evenings"}).json()["id"] == 1
        for step in story_steps():
            made = http.post("/changes/1/steps", json=step.model_dump(exclude_defaults=True) | {"kind": step.kind})
            assert made.status_code == 201, made.text
        found = http.post("/changes/1/check").json()["findings"][0]
        assert (found["line"], found["hint"]) == (79, "Did you mean 'Ribbonweed Flats'?")
        refused = http.post("/changes/1/deploy")
        assert (refused.status_code, refused.headers["content-type"]) == (409, "application/problem+json")
        assert refused.json()["type"] == "urn:zerrit:problem:blocked-by-findings"
        waiver = {
            "code": found["code"],
            "address": found["waiver_address"],
            "reason": "the new chart brings it tonight",
        }
        assert http.post("/changes/1/waivers", json=waiver).json()["blocking"] == []
        http.post("/changes/1/steps", json={"kind": "set", "address": NEW_GROUND, "operation": "=Ribbonweed Flats"})
        assert http.post("/changes/1/check").json()["state"] == "checked"
        live = http.get("/changes/1/differences", params={"against": "live", "texts": True}).json()
        assert ("added", 'station.ini#"Circuit Wet Lab"') in {(d["kind"], d["address"]) for d in live["differences"]}
        shipped = http.get("/changes/1/differences", params={"against": "defaults:2.1", "texts": True}).json()
        assert "+FindRate=1.4" in "".join(one["text"] for one in shipped["texts"])
        run = finished(http, http.post("/changes/1/deploy").json()["id"])
        assert run["state"] == "deployed"
        http.post("/servers/coral-gate/changes", json={"title": "Stronger pumps"})
        http.post("/changes/2/steps", json={"kind": "set", "address": crashing_step().address, "operation": "+3"})
        assert finished(http, http.post("/changes/2/deploy").json()["id"])["state"] == "rolled-back"
        assert (
            finished(http, http.post("/servers/coral-gate/rollback", json={"snapshot": 1}).json()["id"])["state"]
            == "done"
        )
    assert files_of(game) == at_first


def finished(http: httpx.Client, run_id: int) -> dict[str, object]:
    """Follow the event stream until a run has ended; its last look is the answer."""
    with http.stream("GET", "/events", timeout=60) as stream:
        for line in stream.iter_lines():
            if line.startswith("data:"):
                run: dict[str, object] = http.get(f"/runs/{run_id}").json()
                if run["state"] != "running":
                    return run
    raise AssertionError("the event stream ended before the run")


def test_the_async_client_does_the_same(stack: DemoStack) -> None:
    async def story() -> list[str]:
        async with AsyncClient(stack.url) as anonymous:
            token = (await anonymous.token(ADMIN, PASSWORD)).token
        async with AsyncClient(stack.url, token) as zerrit:
            change = await zerrit.create_change("lantern-shelf", "Later regattas")
            step = story_steps("Ribbonweed Flats")[0]
            await zerrit.add_step(change.id, step)
            run = await zerrit.deploy(change.id)
            return [seen.state async for seen in zerrit.follow(run.id)]

    stack.seed()
    assert asyncio.run(story())[-1] == "deployed"


def test_a_client_says_when_no_service_answers() -> None:
    with (
        Client("http://127.0.0.1:1") as zerrit,
        pytest.raises(ServiceUnreachable, match=r"No Zerrit service answers at http://127.0.0.1:1"),
    ):
        zerrit.servers()
