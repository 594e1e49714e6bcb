"""The client for programs that wait for each answer."""

from __future__ import annotations

import time
from collections.abc import Iterator, Mapping, Sequence
from datetime import datetime
from types import TracebackType
from typing import Any, Self, TypeVar

import httpx
from httpx_sse import connect_sse

from zerrit import api
from zerrit.client import calls
from zerrit.client.answers import POLL, answer, connection, unreachable
from zerrit.client.calls import Call
from zerrit.client.errors import ProblemError

T = TypeVar("T")


class Client:
    """A typed client of the service; one method for each call, errors as exceptions."""

    def __init__(self, url: str, token: str = "", *, timeout: float = 120.0) -> None:
        """`url` is the service's address, such as http://127.0.0.1:8750; `token` comes from `zerrit sign-in`.

        Raises ServiceUnreachable: `url` is not an address.
        """
        self._http = httpx.Client(**connection(url, token, timeout))

    def send(self, call: Call[T]) -> T:
        """Send a call. Raises ProblemError, ServiceUnreachable."""
        try:
            response = self._http.request(
                call.method,
                call.path,
                params=dict(call.params),
                json=call.json,
                data=call.data,
                files=call.files,
                headers=dict(call.headers),
            )
        except httpx.HTTPError as error:
            raise unreachable(self._http.base_url, error) from error
        return answer(call, response)

    def close(self) -> None:
        self._http.close()

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()

    def follow(self, run_id: int) -> Iterator[api.RunOut]:
        """The run at every step of its progress, until it has ended."""
        seen: api.RunOut | None = None
        while seen is None or seen.state == "running":
            now = self.run(run_id)
            if now != seen:
                seen = now
                yield now
            if now.state == "running":
                time.sleep(POLL)

    def events(self) -> Iterator[tuple[str, dict[str, Any]]]:
        """What happens in the service, as it happens: the kind and what it is about. Ends with the connection."""
        try:
            with connect_sse(self._http, "GET", "/events", timeout=None) as source:
                if source.response.is_error:
                    source.response.read()
                    raise ProblemError.of(source.response)
                for event in source.iter_sse():
                    yield event.event, event.json()
        except httpx.HTTPError as error:
            raise unreachable(self._http.base_url, error) from error

    def token(self, name: str, password: str, label: str = "") -> api.TokenOut:
        return self.send(calls.token(name, password, label))

    def tokens(self) -> list[api.KeptTokenOut]:
        return self.send(calls.tokens())

    def revoke_token(self, token_id: int) -> None:
        return self.send(calls.revoke_token(token_id))

    def sign_out(self) -> None:
        return self.send(calls.sign_out())

    def change_password(self, old: str, new: str) -> None:
        return self.send(calls.change_password(old, new))

    def verify_activity(self) -> api.ChainOut:
        return self.send(calls.verify_activity())

    def me(self) -> api.PersonOut:
        return self.send(calls.me())

    def gamebooks(self) -> list[api.GamebookOut]:
        return self.send(calls.gamebooks())

    def save_gamebook(self, name: str, text: str) -> None:
        return self.send(calls.save_gamebook(name, text))

    def servers(self) -> list[api.ServerOut]:
        return self.send(calls.servers())

    def server(self, server_id: str) -> api.ServerOut:
        return self.send(calls.server(server_id))

    def add_server(self, given: api.ServerIn) -> api.ServerOut:
        return self.send(calls.add_server(given))

    def change_server(self, given: api.ServerIn) -> api.ServerOut:
        return self.send(calls.change_server(given))

    def game_state(self, server_id: str) -> dict[str, str]:
        return self.send(calls.game_state(server_id))

    def fetch(self, server_id: str, thorough: bool = False) -> api.FetchOut:
        return self.send(calls.fetch(server_id, thorough))

    def import_defaults(self, server_id: str, label: str, archive: bytes) -> api.SnapshotOut:
        return self.send(calls.import_defaults(server_id, label, archive))

    def files(self, server_id: str) -> list[api.FileStateOut]:
        return self.send(calls.files(server_id))

    def file(self, server_id: str, path: str, change: int | None = None) -> api.FileOut:
        return self.send(calls.file(server_id, path, change))

    def entries(self, server_id: str, path: str, kind: str = "", change: int | None = None) -> api.EntriesOut:
        return self.send(calls.entries(server_id, path, kind, change))

    def show(self, server_id: str, address: str) -> list[api.PlaceOut]:
        return self.send(calls.show(server_id, address))

    def changes(self, server_id: str) -> list[api.ChangeOut]:
        return self.send(calls.changes(server_id))

    def create_change(self, server_id: str, title: str) -> api.ChangeOut:
        return self.send(calls.create_change(server_id, title))

    def change(self, change_id: int) -> api.ChangeDetail:
        return self.send(calls.change(change_id))

    def add_step(self, change_id: int, step: api.StepIn, version: int | None = None) -> api.ChangeDetail:
        return self.send(calls.add_step(change_id, step, version))

    def remove_step(self, change_id: int, step_id: int, version: int | None = None) -> api.ChangeDetail:
        return self.send(calls.remove_step(change_id, step_id, version))

    def plan_merge(self, change_id: int, path: str, snippet: str, into: str = "") -> api.MergePlanOut:
        return self.send(calls.plan_merge(change_id, path, snippet, into))

    def try_step(self, change_id: int, step: api.StepIn) -> api.OutcomeOut:
        return self.send(calls.try_step(change_id, step))

    def replay(self, change_id: int, given: api.ReplayIn) -> api.ReplayOut:
        return self.send(calls.replay(change_id, given))

    def upgrade_plan(self, server_id: str, given: api.UpgradeIn) -> api.UpgradeOut:
        return self.send(calls.upgrade_plan(server_id, given))

    def open_upgrade(self, server_id: str, given: api.UpgradeIn) -> api.ChangeDetail:
        return self.send(calls.open_upgrade(server_id, given))

    def balance(self, server_id: str, address: str, by: str = "", change: int | None = None) -> api.TallyOut:
        return self.send(calls.balance(server_id, address, by, change))

    def odds(self, server_id: str, table: str = "", change: int | None = None) -> list[api.OddsOut]:
        return self.send(calls.odds(server_id, table, change))

    def derived(self, server_id: str, name: str, amount: str = "", change: int | None = None) -> list[api.DerivedOut]:
        return self.send(calls.derived(server_id, name, amount, change))

    def free_numbers(
        self, server_id: str, addresses: Sequence[str], change: int | None = None
    ) -> list[api.FreeNumberOut]:
        return self.send(calls.free_numbers(server_id, addresses, change))

    def distances(
        self,
        server_id: str,
        address: str,
        axes: Sequence[str],
        centre: Sequence[str],
        radius: str = "",
        change: int | None = None,
    ) -> list[api.DistanceOut]:
        return self.send(calls.distances(server_id, address, axes, centre, radius, change))

    def check(self, change_id: int) -> api.ChangeDetail:
        return self.send(calls.check(change_id))

    def waive(
        self, change_id: int, code: str, address: str, reason: str, until: datetime | None = None
    ) -> api.ChangeDetail:
        return self.send(calls.waive(change_id, code, address, reason, until))

    def check_server(self, server_id: str) -> api.CheckOut:
        return self.send(calls.check_server(server_id))

    def waivers(self, server_id: str) -> list[api.WaiverOut]:
        return self.send(calls.waivers(server_id))

    def waive_on(
        self, server_id: str, code: str, address: str, reason: str, until: datetime | None = None
    ) -> list[api.WaiverOut]:
        return self.send(calls.waive_on(server_id, code, address, reason, until))

    def remove_waiver(self, server_id: str, waiver: int) -> None:
        self.send(calls.remove_waiver(server_id, waiver))

    def about(self, server_id: str, address: str) -> api.AboutOut:
        return self.send(calls.about(server_id, address))

    def complete(self, server_id: str, typed: str, value: str | None = None) -> list[str]:
        return self.send(calls.complete(server_id, typed, value))

    def gamebook_text(self, name: str) -> api.GamebookTextOut:
        return self.send(calls.gamebook_text(name))

    def gamebook_overview(self, server_id: str) -> api.GamebookOverview:
        return self.send(calls.gamebook_overview(server_id))

    def test_gamebook(self, server_id: str, text: str) -> api.GamebookTrial:
        return self.send(calls.test_gamebook(server_id, text))

    def draft_gamebook(self, server_id: str) -> api.GamebookTextOut:
        return self.send(calls.draft_gamebook(server_id))

    def review(self, server_id: str) -> list[api.FileReviewOut]:
        return self.send(calls.review(server_id))

    def review_file(self, server_id: str, path: str) -> list[api.SettingOut]:
        return self.send(calls.review_file(server_id, path))

    def mark_read(self, server_id: str, path: str, addresses: Sequence[str] | None = None) -> api.ReadOut:
        return self.send(calls.mark_read(server_id, path, addresses))

    def update(self, change_id: int) -> api.ChangeDetail:
        return self.send(calls.update(change_id))

    def withdraw(self, change_id: int) -> api.ChangeDetail:
        return self.send(calls.withdraw(change_id))

    def differences(self, change_id: int, against: str = "base", texts: bool = False) -> api.ComparisonOut:
        return self.send(calls.differences(change_id, against, texts))

    def comparison(self, old: str, new: str, only: str = "", texts: bool = False) -> api.ComparisonOut:
        return self.send(calls.comparison(old, new, only, texts))

    def state(self, state: str, known: Mapping[str, str]) -> bytes:
        return self.send(calls.state(state, known))

    def run(self, run_id: int) -> api.RunOut:
        return self.send(calls.run(run_id))

    def runs(self, server_id: str) -> list[api.RunOut]:
        return self.send(calls.runs(server_id))

    def snapshots(self, server_id: str) -> list[api.SnapshotOut]:
        return self.send(calls.snapshots(server_id))

    def activity(self, server_id: str) -> list[api.ActivityOut]:
        return self.send(calls.activity(server_id))

    def deploy(self, change_id: int, options: api.OptionsIn | None = None) -> api.RunOut:
        return self.send(calls.deploy(change_id, options))

    def deploy_together(
        self, server_id: str, changes: Sequence[int], options: api.OptionsIn | None = None
    ) -> api.RunOut:
        return self.send(calls.deploy_together(server_id, changes, options))

    def rollback(self, server_id: str, snapshot: int, options: api.OptionsIn | None = None) -> api.RunOut:
        return self.send(calls.rollback(server_id, snapshot, options))

    def restart(self, server_id: str, options: api.OptionsIn | None = None) -> api.RunOut:
        return self.send(calls.restart(server_id, options))

    def cancel(self, run_id: int) -> api.RunOut:
        return self.send(calls.cancel(run_id))

    def report_state(self, server_id: str, is_running: bool, is_sure: bool = False) -> dict[str, str]:
        return self.send(calls.report_state(server_id, is_running, is_sure))

    def upload(self, server_id: str, shown: Mapping[str, bytes], gone: Sequence[str] = ()) -> api.UploadOut:
        return self.send(calls.upload(server_id, shown, gone))

    def upload_zip(self, server_id: str, archive: bytes) -> api.UploadOut:
        return self.send(calls.upload_zip(server_id, archive))

    def evidence_file(self, run_id: int, path: str) -> bytes:
        return self.send(calls.evidence_file(run_id, path))

    def instructions(self, run_id: int) -> bytes:
        return self.send(calls.instructions(run_id))

    def accept_identity(self, server_id: str, identity: str) -> api.ServerOut:
        return self.send(calls.accept_identity(server_id, identity))

    def answer_checklist(self, change_id: int, item_id: int, is_right: bool, note: str = "") -> api.ChangeDetail:
        return self.send(calls.answer_checklist(change_id, item_id, is_right, note))

    def mark_in_effect(self, change_id: int, pending_id: int) -> api.ChangeDetail:
        return self.send(calls.mark_in_effect(change_id, pending_id))

    def confirm(self, change_id: int, note: str) -> api.ChangeDetail:
        return self.send(calls.confirm(change_id, note))

    def take_snapshot(self, server_id: str, reason: str = "", pin: bool = False) -> api.SnapshotOut:
        return self.send(calls.take_snapshot(server_id, reason, pin))

    def pin_snapshot(self, server_id: str, snapshot: int, reason: str) -> api.SnapshotOut:
        return self.send(calls.pin_snapshot(server_id, snapshot, reason))

    def export_snapshot(self, server_id: str, snapshot: int) -> bytes:
        return self.send(calls.export_snapshot(server_id, snapshot))

    def import_snapshot(self, server_id: str, archive: bytes) -> api.SnapshotOut:
        return self.send(calls.import_snapshot(server_id, archive))

    def plan_pruning(self, server_id: str) -> api.PruningOut:
        return self.send(calls.plan_pruning(server_id))

    def prune(self, server_id: str) -> api.PruningOut:
        return self.send(calls.prune(server_id))

    def verify_all(self) -> api.IntegrityOut:
        return self.send(calls.verify_all())

    def backup(self) -> bytes:
        return self.send(calls.backup())

    def restore_part(self, server_id: str, snapshot: int, what: str, title: str = "") -> api.ChangeDetail:
        return self.send(calls.restore_part(server_id, snapshot, what, title))

    def revert(self, change_id: int, given: api.RevertIn) -> api.RevertOut:
        return self.send(calls.revert(change_id, given))

    def drift(self, server_id: str, snapshot: int | None = None) -> api.DriftOut:
        return self.send(calls.drift(server_id, snapshot))

    def adopt_drift(self, server_id: str, snapshot: int | None = None, title: str = "") -> api.ChangeDetail:
        return self.send(calls.adopt_drift(server_id, snapshot, title))

    def revert_drift(self, server_id: str, snapshot: int | None = None, title: str = "") -> api.ChangeDetail:
        return self.send(calls.revert_drift(server_id, snapshot, title))

    def schedule(self, server_id: str) -> list[api.TaskOut]:
        return self.send(calls.schedule(server_id))

    def add_task(self, server_id: str, given: api.TaskIn) -> api.TaskOut:
        return self.send(calls.add_task(server_id, given))

    def remove_task(self, server_id: str, task: int) -> None:
        return self.send(calls.remove_task(server_id, task))

    def queue(self, change_id: int) -> api.ChangeDetail:
        return self.send(calls.queue(change_id))

    def unqueue(self, change_id: int) -> api.ChangeDetail:
        return self.send(calls.unqueue(change_id))

    def begin_rollout(self, given: api.RolloutIn) -> api.RolloutOut:
        return self.send(calls.begin_rollout(given))

    def rollouts(self) -> list[api.RolloutOut]:
        return self.send(calls.rollouts())

    def rollout(self, rollout_id: int) -> api.RolloutOut:
        return self.send(calls.rollout(rollout_id))

    def server_values(self, address: str, servers: Sequence[str] = (), only_odd: bool = False) -> api.ServerValuesOut:
        return self.send(calls.server_values(address, servers, only_odd))
