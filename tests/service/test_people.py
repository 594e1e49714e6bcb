"""Helpers: what they may ask for, what they may bring to a server, and how an admin says so."""

from __future__ import annotations

import json
import re
from collections.abc import Iterator
from pathlib import Path

import httpx
import pytest

from tests.cli.command import Done
from tests.cli.command import zerrit as command
from tests.quick import ADMIN, Quick, quick_stack
from zerrit import api
from zerrit.client import Client, ProblemError
from zerrit.work.base.accounts import people
from zerrit.work.base.errors import NotAllowed
from zerrit.work.changes.changes import get_change
from zerrit.work.changes.rights import require_rights

WORD = "a-long-night"


@pytest.fixture
def quick(tmp_path: Path) -> Iterator[Quick]:
    with quick_stack(tmp_path) as stack:
        stack.add()
        yield stack


def helper(quick: Quick, *places: str, name: str = "tamsin") -> Client:
    quick.zerrit.add_person(api.PersonIn(name=name, password=WORD, may_change=list(places)))  # type: ignore[arg-type]
    with Client(quick.url) as anonymous:
        return Client(quick.url, anonymous.token(name, WORD).token)


def refused(error: pytest.ExceptionInfo[ProblemError], status: int = 403) -> str:
    assert error.value.problem.status == status
    assert status != 403 or error.value.kind == "not-allowed"
    return str(error.value)


def change_of(client: Client, *settings: str) -> int:
    change = client.create_change("reef", "A try").id
    for text in settings:
        address, _, value = text.rpartition("=")
        client.add_step(change, api.StepIn(kind="set", address=address, operation=f"={value}"))
    return change


def test_a_helper_deploys_what_stays_at_their_places_and_nothing_else(quick: Quick) -> None:
    with helper(quick, "sea/*.yml#holds", "cove:station.ini") as client:
        inside = change_of(client, "sea/1.yml#holds=5")
        assert client.change(inside).beyond_rights == []
        assert quick.end_of(client.deploy(inside)).state == "deployed"
        assert b"holds: 5" in quick.files()["sea/1.yml"]

        beyond = change_of(client, "sea/2.yml#holds=5", "station.ini#World/DayLength=7", "sea/3.yml#number=9")
        assert client.change(beyond).beyond_rights == ["sea/3.yml#number", "station.ini"]
        assert not client.change(beyond).blocking, "nothing is wrong with it"
        before = quick.files()
        for deploy in (
            lambda: client.deploy(beyond),
            lambda: client.deploy_together("reef", [beyond]),
            lambda: client.queue(beyond),
        ):
            with pytest.raises(ProblemError) as error:
                deploy()
            said = refused(error)
            assert said.startswith(f"Change {beyond} goes beyond what you may change: sea/3.yml#number, station.ini. ")
        assert quick.files() == before
        assert quick.zerrit.change(beyond).beyond_rights, "an admin sees it, too"
        assert quick.end_of(quick.zerrit.deploy(beyond)).state == "deployed", "and may deploy it"


def test_other_places_count_from_the_next_request_on(quick: Quick) -> None:
    with helper(quick) as client:
        change = change_of(client, "sea/1.yml#holds=5")
        with pytest.raises(ProblemError) as error:
            client.deploy(change)
        refused(error)
        quick.zerrit.edit_person("tamsin", ["sea/1.yml"])
        assert client.me().may_change == ["sea/1.yml"]
        assert quick.end_of(client.deploy(change)).state == "deployed"


def test_a_helper_works_on_their_own_changes(quick: Quick) -> None:
    own = quick.change("sea/1.yml#holds=5")
    with helper(quick, "**") as client:
        assert client.change(own).author == ADMIN
        step = api.StepIn(kind="set", address="sea/2.yml#holds", operation="=6")
        for work in (lambda: client.add_step(own, step), lambda: client.withdraw(own), lambda: client.deploy(own)):
            with pytest.raises(ProblemError) as error:
                work()
            assert refused(error) == f"Change {own} is of {ADMIN}. You may work on changes of your own."
        assert quick.zerrit.change(own).state == "draft"
        with pytest.raises(ProblemError) as error:
            client.add_step(99, step)
        refused(error, 404)


def test_what_is_not_named_only_an_admin_may_do(quick: Quick) -> None:
    """Every call of the API that writes, but for those that are known to stay in a change of one's own."""
    with helper(quick, "**") as client:
        token = client.token("tamsin", WORD).token
        document = httpx.get(f"{quick.url}/api/v1/openapi.json", headers={"Authorization": f"Bearer {token}"}).json()
        allowed, others = [], []
        for path, methods in document["paths"].items():
            for method in methods:
                if method in ("get", "head"):
                    continue
                url = quick.url + re.sub(r"\{\w*_id\}", "9", path).replace("/servers/9", "/servers/reef")
                url = re.sub(r"\{\w+\}", "x", url)
                answer = httpx.request(method, url, headers={"Authorization": f"Bearer {token}"}, json={})
                is_forbidden = answer.status_code == 403 and "Only an admin may do this." in answer.text
                (others if is_forbidden else allowed).append(f"{method} {path.removeprefix('/api/v1')}")
                token = client.token("tamsin", WORD).token if path.endswith("/session") else token
        assert len(others) > 30
        assert not [
            one for one in allowed if "gamebook" in one or "people" in one or "bundles" in one or "rollback" in one
        ]
        assert sorted(one for one in allowed if "/servers/" in one) == [
            "post /servers/{server_id}/changes",
            "post /servers/{server_id}/deploy",
            "post /servers/{server_id}/fetch",
            "post /servers/{server_id}/review",
            "post /servers/{server_id}/typed",
        ]
    assert quick.zerrit.server("reef").id == "reef"


def test_someone_is_added_gets_another_password_and_is_removed(quick: Quick) -> None:
    admin = quick.zerrit
    with helper(quick, "sea/*.yml") as client:
        assert [(one.name, one.role, one.may_change) for one in client.people()] == [
            (ADMIN, "admin", []),
            ("tamsin", "helper", ["sea/*.yml"]),
        ]
        admin.edit_person("tamsin", password="another-night")
        with pytest.raises(ProblemError) as error:
            client.people()
        refused(error, 401)
        with Client(quick.url) as anonymous:
            again = Client(quick.url, anonymous.token("tamsin", "another-night").token)
    admin.remove_person("tamsin")
    with again, pytest.raises(ProblemError) as error:
        again.people()
    refused(error, 401)
    with helper(quick, name="second") as client, pytest.raises(ProblemError) as error:
        client.add_person(api.PersonIn(name="third", password=WORD, role="admin"))  # type: ignore[arg-type]
    refused(error)


@pytest.mark.parametrize(
    ("given", "said"),
    [
        ({"name": ADMIN}, f"There is someone with the name {ADMIN} already."),
        ({"name": " x"}, "A name has printable characters, and no blank before or behind it."),
        ({"password": "short"}, "A password has at least 8 characters."),
        ({"may_change": ["sea.yml#["]}, "a bracket `[` is never closed"),
        ({"role": "admin", "may_change": ["sea.yml"]}, "An admin may change everything; places are for helpers."),
    ],
)
def test_what_makes_no_person(quick: Quick, given: dict[str, object], said: str) -> None:
    with pytest.raises(ProblemError) as error:
        quick.zerrit.add_person(api.PersonIn.model_validate({"name": "tamsin", "password": WORD} | given))
    assert said in refused(error, 422)
    assert len(quick.zerrit.people()) == 1


def test_an_admin_keeps_themselves(quick: Quick) -> None:
    with pytest.raises(ProblemError) as error:
        quick.zerrit.remove_person(ADMIN)
    assert "You cannot remove yourself" in refused(error, 422)
    with pytest.raises(ProblemError) as error:
        quick.zerrit.edit_person(ADMIN, password=WORD)
    assert "zerrit password" in refused(error, 422)
    with pytest.raises(ProblemError) as error:
        quick.zerrit.edit_person("nobody", ["a"])
    assert "There is no one with the name nobody" in refused(error, 404)


def test_by_command(quick: Quick, tmp_path: Path) -> None:
    def run(*words: str) -> Done:
        return command(*words, cwd=tmp_path, ZERRIT_NEW_PASSWORD=WORD)

    sign = ("sign-in", "--url", quick.url, "--name")
    assert run(*sign, ADMIN, "--password", "mind-the-tide").code == 0
    added = run("people", "add", "tamsin", "--may-change", "sea/*.yml#holds")
    assert (
        added.out == "tamsin may sign in. tamsin may prepare changes, and deploy those that stay at: sea/*.yml#holds.\n"
    )
    assert "sea/*.yml#holds" in run("people").out
    assert run("people", "set", "tamsin").code != 0
    assert "an admin deploys them" in run("people", "set", "tamsin", "--nothing").out
    assert json.loads(run("people", "--output", "json").out)[1]["may_change"] == []
    assert run(*sign, "tamsin", "--password", WORD).code == 0
    assert run("change", "create", "reef", "More").code == 0
    run("change", "set", "1", "sea/1.yml#holds", "=3")
    shown = run("change", "check", "1").out
    assert "It goes beyond what tamsin may change (sea/1.yml), so an admin has to deploy it." in shown
    refused_ = run("change", "deploy", "1", "--yes")
    assert refused_.code != 0
    assert "goes beyond what you may change: sea/1.yml." in refused_.err
    assert "Only an admin may do this." in run("people", "remove", ADMIN).err


def test_someone_who_was_removed_meanwhile_may_change_nothing(quick: Quick) -> None:
    with helper(quick, "**") as client:
        change = change_of(client, "sea/1.yml#holds=5")
    with quick.workspace.session() as session:
        gone = next(one for one in people(session) if one.name == "tamsin")
        found = get_change(session, change)
        require_rights(quick.workspace, session, gone, found)
    quick.zerrit.remove_person("tamsin")
    with quick.workspace.session() as session, pytest.raises(NotAllowed):
        require_rights(quick.workspace, session, gone, get_change(session, change))


def test_what_a_helper_queued_goes_with_the_next_restart(quick: Quick) -> None:
    quick.zerrit.add_task("reef", api.TaskIn(task="restart", times=["05:00"]))
    with helper(quick, "sea/*.yml") as client:
        change = change_of(client, "sea/1.yml#holds=5")
        assert client.queue(change).state == "queued"
        more = api.StepIn(kind="set", address="station.ini#World/DayLength", operation="=7")
        with pytest.raises(ProblemError) as error:
            client.add_step(change, more)
        refused(error, 409)
        client.unqueue(change)
        client.add_step(change, more)
        with pytest.raises(ProblemError) as error:
            client.queue(change)
        assert "station.ini" in refused(error)
