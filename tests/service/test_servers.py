"""The settings of a server: tried before they are kept, secrets only for whom they are for."""

from __future__ import annotations

from pathlib import Path

import pytest
from pydantic import SecretStr

from zerrit import api
from zerrit.client import Client, ProblemError
from zerrit.demo.stack import DemoStack, Ports

Shared = tuple[DemoStack, Client]
NOTHING = SecretStr("")


def settings(stack: DemoStack, control: dict[str, object] | None = None, **connection: object) -> api.ServerIn:
    """Those of coral-gate, without its secrets but for those that are given as `password` and `token`."""
    given = stack.server_in("coral-gate")
    changed = dict(control or {})
    secrets = {
        "connection_secret": connection.pop("password", NOTHING),
        "control_secret": changed.pop("token", NOTHING),
    }
    return given.model_copy(
        update={
            "connection": given.connection.model_copy(update=connection),
            "control": given.control.model_copy(update=changed),
            **secrets,
        }
    )


def test_a_secret_that_is_left_empty_stays(shared: Shared) -> None:
    stack, zerrit = shared
    changed = zerrit.change_server(settings(stack).model_copy(update={"title": "Coral Gate, deck 2"}))
    assert changed.title == "Coral Gate, deck 2"
    assert zerrit.fetch("coral-gate").is_new is False
    assert zerrit.activity("coral-gate")[0].action == "server.changed"


@pytest.mark.parametrize(
    ("connection", "control", "kind", "said"),
    [
        ({"password": SecretStr("wrong")}, {}, "connection-sign-in", "refuses the user `coral-gate` or its password"),
        ({"port": 1, "password": SecretStr("keys")}, {}, "connection-unreachable", "No FTP server answers"),
        ({"port": 1}, {}, "refused", "Give the connection's password again"),
        ({}, {"token": SecretStr("wrong")}, "control-failed", "refuses the token"),
        ({"host": "127.0.0.2"}, {}, "refused", "Give the connection's password again"),
        ({"user": "lantern-shelf"}, {}, "refused", "Give the connection's password again"),
        ({}, {"url": "https://127.0.0.1:1/x"}, "refused", "Give the control's token again"),
        ({}, {"url": "http://127.0.0.2:1/x"}, "refused", "Give the control's token again"),
    ],
)
def test_settings_that_do_not_work_leave_the_old_ones(
    shared: Shared, connection: dict[str, object], control: dict[str, object], kind: str, said: str
) -> None:
    stack, zerrit = shared
    before = zerrit.server("coral-gate")
    with pytest.raises(ProblemError) as caught:
        zerrit.change_server(settings(stack, control, **connection))
    assert caught.value.kind == kind
    assert said in str(caught.value)
    after = zerrit.server("coral-gate")
    assert (after.connection, after.control, after.gamebook) == (before.connection, before.control, before.gamebook)
    assert zerrit.fetch("coral-gate").is_new is False


def test_a_kept_token_does_not_go_over_another_scheme(shared: Shared) -> None:
    stack, zerrit = shared
    control = stack.server_in("coral-gate").control
    assert isinstance(control, api.HttpControl)
    with pytest.raises(ProblemError, match="Give the control's token again"):
        zerrit.change_server(settings(stack, {"url": control.url.replace("http:", "https:")}))


def test_a_way_that_needs_no_secret_asks_for_none_and_lets_the_kept_one_go(stack: DemoStack, zerrit: Client) -> None:
    given = stack.server_in("coral-gate")
    is_manual = given.model_copy(update={"connection": api.ManualConnection(), "control": api.ManualControl()})
    zerrit.change_server(is_manual)
    assert zerrit.server("coral-gate").connection.kind == "manual"
    again = settings(stack)
    with pytest.raises(ProblemError, match=r"refuses the user `coral-gate` or its password"):
        zerrit.change_server(again)
    assert zerrit.change_server(given).connection.kind == "ftp"


def test_an_unknown_gamebook_or_server_is_said(shared: Shared) -> None:
    stack, zerrit = shared
    with pytest.raises(ProblemError, match=r"There is no gamebook fathomlin\. Did you mean 'fathomline'\?"):
        zerrit.change_server(settings(stack).model_copy(update={"gamebook": "fathomlin"}))
    with pytest.raises(ProblemError, match=r"There is no gamebook without a name; leave it out"):
        zerrit.change_server(settings(stack).model_copy(update={"gamebook": ""}))
    with pytest.raises(ProblemError, match=r"There is no server coral-gat\. Did you mean 'coral-gate'\?"):
        zerrit.change_server(settings(stack).model_copy(update={"id": "coral-gat"}))


def test_the_demo_goes_on_when_it_is_started_on_other_ports(tmp_path: Path) -> None:
    with DemoStack(tmp_path / "demo", settle=0.3) as stack, stack.client() as zerrit:
        stack.seed()
        first = stack.host.ftp_port
        own = zerrit.add_server(stack.server_in("coral-gate").model_copy(update={"id": "mine", "title": "My own"}))
    with DemoStack(tmp_path / "demo", Ports(ftp=0), settle=0.3) as stack:
        stack.seed()
        with stack.client() as zerrit:
            connection = zerrit.server("coral-gate").connection
            assert isinstance(connection, api.FtpConnection)
            assert connection.port == stack.host.ftp_port
            assert stack.host.ftp_port != first
            assert zerrit.server("mine").connection == own.connection, (
                "servers that the demo did not add are left alone"
            )
            zerrit.fetch("coral-gate")
            assert [change.title for change in zerrit.changes("coral-gate")] == [
                "Wet evenings: fewer gimbals, two pump circuits"
            ]
