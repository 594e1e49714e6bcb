"""The client for programs that do several things at once."""

from __future__ import annotations

import asyncio
from collections.abc import AsyncIterator, Mapping, Sequence
from datetime import datetime
from types import TracebackType
from typing import Any, Self, TypeVar

import httpx
from httpx_sse import aconnect_sse

from zerrit import api
from zerrit.client import calls
from zerrit.client.answers import POLL, answer, connection, unreachable
from zerrit.client.calls import Call
from zerrit.client.errors import ProblemError

T = TypeVar("T")


class AsyncClient:
    """The same as `Client`, for asyncio."""

    def __init__(self, url: str, token: str = "", *, timeout: float = 120.0) -> None:
        """`url` is the service's address, such as http://127.0.0.1:8750; `token` comes from `zerrit sign-in`.

        Raises ServiceUnreachable: `url` is not an address.
        """
        self._http = httpx.AsyncClient(**connection(url, token, timeout))

    async def send(self, call: Call[T]) -> T:
        """Send a call. Raises ProblemError, ServiceUnreachable."""
        try:
            response = await self._http.request(
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

    async def close(self) -> None:
        await self._http.aclose()

    async def __aenter__(self) -> Self:
        return self

    async def __aexit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        await self.close()

    async def follow(self, run_id: int) -> AsyncIterator[api.RunOut]:
        """The run at every step of its progress, until it has ended."""
        seen: api.RunOut | None = None
        while seen is None or seen.state == "running":
            now = await self.run(run_id)
            if now != seen:
                seen = now
                yield now
            if now.state == "running":
                await asyncio.sleep(POLL)

    async def events(self) -> AsyncIterator[tuple[str, dict[str, Any]]]:
        """What happens in the service, as it happens: the kind and what it is about. Ends with the connection."""
        try:
            async with aconnect_sse(self._http, "GET", "/events", timeout=None) as source:
                if source.response.is_error:
                    await source.response.aread()
                    raise ProblemError.of(source.response)
                async for event in source.aiter_sse():
                    yield event.event, event.json()
        except httpx.HTTPError as error:
            raise unreachable(self._http.base_url, error) from error

    async def token(self, name: str, password: str, label: str = "") -> api.TokenOut:
        return await self.send(calls.token(name, password, label))

    async def tokens(self) -> list[api.KeptTokenOut]:
        return await self.send(calls.tokens())

    async def revoke_token(self, token_id: int) -> None:
        return await self.send(calls.revoke_token(token_id))

    async def sign_out(self) -> None:
        return await self.send(calls.sign_out())

    async def change_password(self, old: str, new: str) -> None:
        return await self.send(calls.change_password(old, new))

    async def verify_activity(self) -> api.ChainOut:
        return await self.send(calls.verify_activity())

    async def me(self) -> api.PersonOut:
        return await self.send(calls.me())

    async def gamebooks(self) -> list[api.GamebookOut]:
        return await self.send(calls.gamebooks())

    async def save_gamebook(self, name: str, text: str) -> None:
        return await self.send(calls.save_gamebook(name, text))

    async def servers(self) -> list[api.ServerOut]:
        return await self.send(calls.servers())

    async def server(self, server_id: str) -> api.ServerOut:
        return await self.send(calls.server(server_id))

    async def add_server(self, given: api.ServerIn) -> api.ServerOut:
        return await self.send(calls.add_server(given))

    async def change_server(self, given: api.ServerIn) -> api.ServerOut:
        return await self.send(calls.change_server(given))

    async def game_state(self, server_id: str) -> dict[str, str]:
        return await self.send(calls.game_state(server_id))

    async def fetch(self, server_id: str, thorough: bool = False) -> api.FetchOut:
        return await self.send(calls.fetch(server_id, thorough))

    async def import_defaults(self, server_id: str, label: str, archive: bytes) -> api.SnapshotOut:
        return await self.send(calls.import_defaults(server_id, label, archive))

    async def files(self, server_id: str) -> list[api.FileStateOut]:
        return await self.send(calls.files(server_id))

    async def file(self, server_id: str, path: str, change: int | None = None) -> api.FileOut:
        return await self.send(calls.file(server_id, path, change))

    async def entries(self, server_id: str, path: str, kind: str = "", change: int | None = None) -> api.EntriesOut:
        return await self.send(calls.entries(server_id, path, kind, change))

    async def show(self, server_id: str, address: str) -> list[api.PlaceOut]:
        return await self.send(calls.show(server_id, address))

    async def changes(self, server_id: str) -> list[api.ChangeOut]:
        return await self.send(calls.changes(server_id))

    async def create_change(self, server_id: str, title: str) -> api.ChangeOut:
        return await self.send(calls.create_change(server_id, title))

    async def change(self, change_id: int) -> api.ChangeDetail:
        return await self.send(calls.change(change_id))

    async def add_step(self, change_id: int, step: api.StepIn, version: int | None = None) -> api.ChangeDetail:
        return await self.send(calls.add_step(change_id, step, version))

    async def remove_step(self, change_id: int, step_id: int, version: int | None = None) -> api.ChangeDetail:
        return await self.send(calls.remove_step(change_id, step_id, version))

    async def plan_merge(self, change_id: int, path: str, snippet: str, into: str = "") -> api.MergePlanOut:
        return await self.send(calls.plan_merge(change_id, path, snippet, into))

    async def try_step(self, change_id: int, step: api.StepIn) -> api.OutcomeOut:
        return await self.send(calls.try_step(change_id, step))

    async def replay(self, change_id: int, given: api.ReplayIn) -> api.ReplayOut:
        return await self.send(calls.replay(change_id, given))

    async def upgrade_plan(self, server_id: str, given: api.UpgradeIn) -> api.UpgradeOut:
        return await self.send(calls.upgrade_plan(server_id, given))

    async def open_upgrade(self, server_id: str, given: api.UpgradeIn) -> api.ChangeDetail:
        return await self.send(calls.open_upgrade(server_id, given))

    async def balance(self, server_id: str, address: str, by: str = "", change: int | None = None) -> api.TallyOut:
        return await self.send(calls.balance(server_id, address, by, change))

    async def odds(self, server_id: str, table: str = "", change: int | None = None) -> list[api.OddsOut]:
        return await self.send(calls.odds(server_id, table, change))

    async def derived(
        self, server_id: str, name: str, amount: str = "", change: int | None = None
    ) -> list[api.DerivedOut]:
        return await self.send(calls.derived(server_id, name, amount, change))

    async def free_numbers(
        self, server_id: str, addresses: Sequence[str], change: int | None = None
    ) -> list[api.FreeNumberOut]:
        return await self.send(calls.free_numbers(server_id, addresses, change))

    async def distances(
        self,
        server_id: str,
        address: str,
        axes: Sequence[str],
        centre: Sequence[str],
        radius: str = "",
        change: int | None = None,
    ) -> list[api.DistanceOut]:
        return await self.send(calls.distances(server_id, address, axes, centre, radius, change))

    async def check(self, change_id: int) -> api.ChangeDetail:
        return await self.send(calls.check(change_id))

    async def waive(
        self, change_id: int, code: str, address: str, reason: str, until: datetime | None = None
    ) -> api.ChangeDetail:
        return await self.send(calls.waive(change_id, code, address, reason, until))

    async def check_server(self, server_id: str) -> api.CheckOut:
        return await self.send(calls.check_server(server_id))

    async def waivers(self, server_id: str) -> list[api.WaiverOut]:
        return await self.send(calls.waivers(server_id))

    async def waive_on(
        self, server_id: str, code: str, address: str, reason: str, until: datetime | None = None
    ) -> list[api.WaiverOut]:
        return await self.send(calls.waive_on(server_id, code, address, reason, until))

    async def remove_waiver(self, server_id: str, waiver: int) -> None:
        await self.send(calls.remove_waiver(server_id, waiver))

    async def about(self, server_id: str, address: str) -> api.AboutOut:
        return await self.send(calls.about(server_id, address))

    async def complete(self, server_id: str, typed: str, value: str | None = None) -> list[str]:
        return await self.send(calls.complete(server_id, typed, value))

    async def gamebook_text(self, name: str) -> api.GamebookTextOut:
        return await self.send(calls.gamebook_text(name))

    async def gamebook_overview(self, server_id: str) -> api.GamebookOverview:
        return await self.send(calls.gamebook_overview(server_id))

    async def test_gamebook(self, server_id: str, text: str) -> api.GamebookTrial:
        return await self.send(calls.test_gamebook(server_id, text))

    async def draft_gamebook(self, server_id: str) -> api.GamebookTextOut:
        return await self.send(calls.draft_gamebook(server_id))

    async def review(self, server_id: str) -> list[api.FileReviewOut]:
        return await self.send(calls.review(server_id))

    async def review_file(self, server_id: str, path: str) -> list[api.SettingOut]:
        return await self.send(calls.review_file(server_id, path))

    async def mark_read(self, server_id: str, path: str, addresses: Sequence[str] | None = None) -> api.ReadOut:
        return await self.send(calls.mark_read(server_id, path, addresses))

    async def update(self, change_id: int) -> api.ChangeDetail:
        return await self.send(calls.update(change_id))

    async def withdraw(self, change_id: int) -> api.ChangeDetail:
        return await self.send(calls.withdraw(change_id))

    async def differences(self, change_id: int, against: str = "base", texts: bool = False) -> api.ComparisonOut:
        return await self.send(calls.differences(change_id, against, texts))

    async def comparison(self, old: str, new: str, only: str = "", texts: bool = False) -> api.ComparisonOut:
        return await self.send(calls.comparison(old, new, only, texts))

    async def state(self, state: str, known: Mapping[str, str]) -> bytes:
        return await self.send(calls.state(state, known))

    async def run(self, run_id: int) -> api.RunOut:
        return await self.send(calls.run(run_id))

    async def runs(self, server_id: str) -> list[api.RunOut]:
        return await self.send(calls.runs(server_id))

    async def snapshots(self, server_id: str) -> list[api.SnapshotOut]:
        return await self.send(calls.snapshots(server_id))

    async def activity(self, server_id: str) -> list[api.ActivityOut]:
        return await self.send(calls.activity(server_id))

    async def deploy(self, change_id: int, options: api.OptionsIn | None = None) -> api.RunOut:
        return await self.send(calls.deploy(change_id, options))

    async def deploy_together(
        self, server_id: str, changes: Sequence[int], options: api.OptionsIn | None = None
    ) -> api.RunOut:
        return await self.send(calls.deploy_together(server_id, changes, options))

    async def rollback(self, server_id: str, snapshot: int, options: api.OptionsIn | None = None) -> api.RunOut:
        return await self.send(calls.rollback(server_id, snapshot, options))

    async def restart(self, server_id: str, options: api.OptionsIn | None = None) -> api.RunOut:
        return await self.send(calls.restart(server_id, options))

    async def cancel(self, run_id: int) -> api.RunOut:
        return await self.send(calls.cancel(run_id))

    async def report_state(self, server_id: str, is_running: bool, is_sure: bool = False) -> dict[str, str]:
        return await self.send(calls.report_state(server_id, is_running, is_sure))

    async def upload(self, server_id: str, shown: Mapping[str, bytes], gone: Sequence[str] = ()) -> api.UploadOut:
        return await self.send(calls.upload(server_id, shown, gone))

    async def upload_zip(self, server_id: str, archive: bytes) -> api.UploadOut:
        return await self.send(calls.upload_zip(server_id, archive))

    async def evidence_file(self, run_id: int, path: str) -> bytes:
        return await self.send(calls.evidence_file(run_id, path))

    async def instructions(self, run_id: int) -> bytes:
        return await self.send(calls.instructions(run_id))

    async def accept_identity(self, server_id: str, identity: str) -> api.ServerOut:
        return await self.send(calls.accept_identity(server_id, identity))

    async def answer_checklist(self, change_id: int, item_id: int, is_right: bool, note: str = "") -> api.ChangeDetail:
        return await self.send(calls.answer_checklist(change_id, item_id, is_right, note))

    async def mark_in_effect(self, change_id: int, pending_id: int) -> api.ChangeDetail:
        return await self.send(calls.mark_in_effect(change_id, pending_id))

    async def confirm(self, change_id: int, note: str) -> api.ChangeDetail:
        return await self.send(calls.confirm(change_id, note))

    async def take_snapshot(self, server_id: str, reason: str = "", pin: bool = False) -> api.SnapshotOut:
        return await self.send(calls.take_snapshot(server_id, reason, pin))

    async def pin_snapshot(self, server_id: str, snapshot: int, reason: str) -> api.SnapshotOut:
        return await self.send(calls.pin_snapshot(server_id, snapshot, reason))

    async def export_snapshot(self, server_id: str, snapshot: int) -> bytes:
        return await self.send(calls.export_snapshot(server_id, snapshot))

    async def import_snapshot(self, server_id: str, archive: bytes) -> api.SnapshotOut:
        return await self.send(calls.import_snapshot(server_id, archive))

    async def plan_pruning(self, server_id: str) -> api.PruningOut:
        return await self.send(calls.plan_pruning(server_id))

    async def prune(self, server_id: str) -> api.PruningOut:
        return await self.send(calls.prune(server_id))

    async def verify_all(self) -> api.IntegrityOut:
        return await self.send(calls.verify_all())

    async def backup(self) -> bytes:
        return await self.send(calls.backup())

    async def restore_part(self, server_id: str, snapshot: int, what: str, title: str = "") -> api.ChangeDetail:
        return await self.send(calls.restore_part(server_id, snapshot, what, title))

    async def revert(self, change_id: int, given: api.RevertIn) -> api.RevertOut:
        return await self.send(calls.revert(change_id, given))

    async def drift(self, server_id: str, snapshot: int | None = None) -> api.DriftOut:
        return await self.send(calls.drift(server_id, snapshot))

    async def adopt_drift(self, server_id: str, snapshot: int | None = None, title: str = "") -> api.ChangeDetail:
        return await self.send(calls.adopt_drift(server_id, snapshot, title))

    async def revert_drift(self, server_id: str, snapshot: int | None = None, title: str = "") -> api.ChangeDetail:
        return await self.send(calls.revert_drift(server_id, snapshot, title))

    async def schedule(self, server_id: str) -> list[api.TaskOut]:
        return await self.send(calls.schedule(server_id))

    async def add_task(self, server_id: str, given: api.TaskIn) -> api.TaskOut:
        return await self.send(calls.add_task(server_id, given))

    async def remove_task(self, server_id: str, task: int) -> None:
        return await self.send(calls.remove_task(server_id, task))

    async def queue(self, change_id: int) -> api.ChangeDetail:
        return await self.send(calls.queue(change_id))

    async def unqueue(self, change_id: int) -> api.ChangeDetail:
        return await self.send(calls.unqueue(change_id))

    async def begin_rollout(self, given: api.RolloutIn) -> api.RolloutOut:
        return await self.send(calls.begin_rollout(given))

    async def rollouts(self) -> list[api.RolloutOut]:
        return await self.send(calls.rollouts())

    async def rollout(self, rollout_id: int) -> api.RolloutOut:
        return await self.send(calls.rollout(rollout_id))

    async def server_values(
        self, address: str, servers: Sequence[str] = (), only_odd: bool = False
    ) -> api.ServerValuesOut:
        return await self.send(calls.server_values(address, servers, only_odd))
