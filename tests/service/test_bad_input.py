"""What goes wrong gets a clear problem, and nothing is lost or half written."""

from __future__ import annotations

import io
import zipfile

import httpx
import pytest
from pydantic import SecretStr

from zerrit import api
from zerrit.client import Client, ProblemError
from zerrit.demo.stack import ADMIN, HOST_PASSWORD, PASSWORD, DemoStack, defaults_zip
from zerrit.web import configure_log

HOLDS = "sea/finds.xml#shelf[brass]/find[Copper Gimbal]/@holds"
Shared = tuple[DemoStack, Client]


@pytest.mark.parametrize(
    ("step", "status", "kind", "detail"),
    [
        ({"address": "sea/finds.xml#shelf[brass]/find[Coper Gimbal]/@worth", "operation": "=1"}, 422, "refused", "Nearest: shelf[brass]/find[Copper Gimbal], "),
        ({"address": "sea/finds.xml#shelf[brass]/find[Zz*]/@worth", "operation": "=1"}, 422, "refused", "sea/finds.xml#shelf[brass] has no find that fits [Zz*]."),
        ({"address": "sea/fnds.xml#find", "operation": "=1"}, 422, "refused", "The server has no file sea/fnds.xml. Nearest: sea/finds.xml"),
        ({"address": "sea/finds.xml#find[", "operation": "=1"}, 422, "refused", "a bracket `[` is never closed"),
        ({"address": "sea/finds.xml#shelf[brass]/find[Copper Gimbal]/@name", "operation": "+1"}, 422, "refused", "`Copper Gimbal` is not a number"),
        ({"address": HOLDS, "operation": "more"}, 422, "refused", "`more` is not an operation."),
        ({"address": HOLDS, "operation": "=12..30"}, 422, "refused", "it is so already; the step would change nothing."),
        ({"kind": "put-file", "address": "../outside.xml", "content": "<a/>"}, 422, "refused", "../outside.xml"),
        ({"kind": "put-file", "address": "/etc/outside.xml", "content": "<a/>"}, 422, "refused", "/etc/outside.xml"),
        ({"kind": "merge", "address": "station.ini", "snippet": "[Pumps]\nSpill=((To="}, 422, "refused", "The snippet cannot be read as INI, line 2: "),
        ({"kind": "dance", "address": "a"}, 422, "request-invalid", "kind: Input should be"),
        ({"adress": "a"}, 422, "request-invalid", "adress: Extra inputs are not permitted"),
    ],
)  # fmt: skip
def test_an_impossible_step_is_refused_and_the_change_stays(
    shared: Shared, step: dict[str, str], status: int, kind: str, detail: str
) -> None:
    stack, zerrit = shared
    before = zerrit.change(1)
    token = zerrit.token(ADMIN, PASSWORD).token
    answer = httpx.post(
        f"{stack.url}/api/v1/changes/1/steps", json={"kind": "set"} | step, headers={"Authorization": f"Bearer {token}"}
    )
    problem = answer.json()
    assert (answer.status_code, problem["type"]) == (status, f"urn:zerrit:problem:{kind}")
    assert detail in problem["detail"]
    assert zerrit.change(1) == before


def expect(kind: str, status: int) -> pytest.RaisesExc[ProblemError]:
    return pytest.RaisesExc(ProblemError, check=lambda error: (error.kind, error.problem.status) == (kind, status))


def server(stack: DemoStack, **connection: object) -> api.ServerIn:
    given = stack.server_in("coral-gate")
    return given.model_copy(update={"id": "other", "connection": given.connection.model_copy(update=connection)})


def test_a_server_that_cannot_be_reached_is_not_added(shared: Shared) -> None:
    stack, zerrit = shared
    with expect("connection-unreachable", 502):
        zerrit.add_server(server(stack, port=1))
    with expect("connection-sign-in", 502):
        zerrit.add_server(server(stack).model_copy(update={"connection_secret": SecretStr("wrong")}))
    with expect("control-failed", 502):
        zerrit.add_server(server(stack).model_copy(update={"control_secret": SecretStr("wrong")}))
    for url in ("http://127.0.0.1:1", "http://["):
        with expect("control-failed", 502):
            zerrit.add_server(server(stack).model_copy(update={"control": api.HttpControl(url=url)}))
    assert [s.id for s in zerrit.servers()] == ["coral-gate", "lantern-shelf"]


def test_an_unknown_server_is_answered_with_the_nearest(shared: Shared) -> None:
    _, zerrit = shared
    with pytest.raises(ProblemError, match=r"There is no server coral-gat\. Did you mean 'coral-gate'\?"):
        zerrit.fetch("coral-gat")


def test_a_snapshot_of_another_server_is_not_put_back(shared: Shared) -> None:
    _, zerrit = shared
    other = zerrit.snapshots("lantern-shelf")[-1].id
    with expect("not-found", 404):
        zerrit.rollback("coral-gate", other)


@pytest.mark.parametrize(
    ("name", "said"),
    [
        ("../evil.xml", "leaves the server's folder"),
        ("/etc/evil.xml", "leaves the server's folder"),
        ("", "neither a ZIP nor a TAR"),
    ],
)
def test_a_hostile_archive_is_refused(shared: Shared, name: str, said: str) -> None:
    _, zerrit = shared
    buffer = io.BytesIO()
    if name:
        with zipfile.ZipFile(buffer, "w") as packed:
            packed.writestr(name, b"<a/>")
    else:
        buffer.write(b"PK\x03\x04 and then nothing")
    with pytest.raises(ProblemError, match=said):
        zerrit.import_defaults("coral-gate", "9.9", buffer.getvalue())
    with expect("wrong-state", 409):
        zerrit.import_defaults("coral-gate", "2.1", defaults_zip("2.1"))


def test_a_broken_gamebook_is_refused_with_its_lines(shared: Shared) -> None:
    _, zerrit = shared
    with pytest.raises(ProblemError, match="line 3: `filez` is not a known key here"):
        zerrit.save_gamebook("fathomline", "gamebook: 1\ngame: x\nfilez: {}\n")


def test_two_people_do_not_overwrite_each_other(shared: Shared) -> None:
    _, zerrit = shared
    change = zerrit.create_change("lantern-shelf", "Two hands")
    step = api.StepIn(kind="set", address=HOLDS, operation="=20")
    zerrit.add_step(change.id, step, version=change.version)
    with expect("outdated", 412):
        zerrit.add_step(change.id, step.model_copy(update={"operation": "=12..30"}), version=change.version)


def test_signing_in(shared: Shared) -> None:
    stack, _ = shared
    base = f"{stack.url}/api/v1"
    for body in ({"name": ADMIN, "password": "wrong"}, {"name": "no one", "password": PASSWORD}):
        answer = httpx.post(f"{base}/session", json=body)
        assert (answer.status_code, answer.json()["detail"]) == (401, "The name or the password is wrong.")
    for path in ("/servers", "/events", "/changes/1"):
        answer = httpx.get(base + path)
        assert (answer.status_code, answer.json()["type"]) == (401, "urn:zerrit:problem:not-signed-in")
    with httpx.Client(base_url=base) as browser:
        answer = browser.post("/session", json={"name": ADMIN, "password": PASSWORD})
        assert "HttpOnly" in answer.headers["set-cookie"]
        assert "SameSite=strict" in answer.headers["set-cookie"]
        assert browser.get("/me").json() == {"name": ADMIN, "role": "admin", "may_change": []}
        elsewhere = browser.post("/servers/coral-gate/fetch", headers={"Origin": "https://elsewhere.example"})
        assert elsewhere.status_code == 403
        assert browser.delete("/session").status_code == 204
        assert browser.get("/me").status_code == 401


def test_secrets_stand_nowhere_in_clear(stack: DemoStack, capfd: pytest.CaptureFixture[str]) -> None:
    configure_log(as_json=True, least="info")
    stack.seed()
    with stack.client() as zerrit:
        zerrit.fetch("coral-gate")
        answers = "".join(s.model_dump_json() for s in zerrit.servers())
        invalid = httpx.post(f"{stack.url}/api/v1/session", json={"name": ADMIN, "password": PASSWORD, "extra": 1})
    configure_log(as_json=True, least="error")
    printed = capfd.readouterr()
    kept = b"".join(path.read_bytes() for path in (stack.folder / "data").iterdir())
    for secret in (HOST_PASSWORD, PASSWORD):
        assert secret not in answers
        assert secret not in printed.out + printed.err
        assert secret.encode() not in kept
        assert secret not in invalid.text
    assert '"event": "request"' in printed.err


def test_a_change_on_files_that_drifted_is_not_deployed(zerrit: Client, stack: DemoStack) -> None:
    change = zerrit.create_change("coral-gate", "Fewer gimbals")
    zerrit.add_step(change.id, api.StepIn(kind="set", address=HOLDS, operation="-10"))
    finds = stack.host_folder / "coral-gate/sea/finds.xml"
    finds.write_text(finds.read_text().replace('holds="12..40"', 'holds="12..36"'))
    edited = finds.read_bytes()
    with pytest.raises(ProblemError) as caught:
        zerrit.deploy(change.id)
    assert (caught.value.kind, caught.value.facts["paths"]) == ("drifted", ["sea/finds.xml"])
    assert f"zerrit change update {change.id}" in str(caught.value)
    assert finds.read_bytes() == edited
    assert zerrit.fetch("coral-gate").changed == ["sea/finds.xml"]
    assert zerrit.change(change.id).is_outdated
    refreshed = zerrit.update(change.id)
    assert refreshed.step_list[0].outcome.changes[0].new == "12..26"
    *_, run = zerrit.follow(zerrit.deploy(change.id).id)
    assert run.state == "deployed"


def test_a_broken_file_can_be_put_only_with_a_waiver_for_its_fault(zerrit: Client) -> None:
    change = zerrit.create_change("lantern-shelf", "A broken file")
    detail = zerrit.add_step(
        change.id, api.StepIn(kind="put-file", address="craft.xml", content="<craft>\n<hull>\n</craft>\n")
    )
    assert [(f.code, f.line, f.blocks) for f in detail.findings if f.path == "craft.xml"] == [
        ("xml.not-closed", 2, True)
    ]
    with expect("blocked-by-findings", 409):
        zerrit.deploy(change.id)
