"""The client for programs that do several things at once."""

from __future__ import annotations

import asyncio
from collections.abc import AsyncIterator, Collection, Mapping
from types import TracebackType
from typing import Any, Literal, Self, TypeVar

import httpx
from httpx_sse import aconnect_sse

from zerrit import api
from zerrit.client.answers import POLL, answer, connection, unreachable
from zerrit.client.calls import Call
from zerrit.client.endpoints import Endpoints
from zerrit.client.errors import ProblemError
from zerrit.client.uploads import Progress, bundle_of, digests_by_path, folder_step, no_progress, parts_of

T = TypeVar("T")


class AsyncClient(Endpoints):
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

    async def put_file(
        self, change_id: int, path: str, data: bytes, *, is_executable: bool | None = None
    ) -> api.ChangeDetail:
        """Add a step to a change that puts a file of any bytes. `is_executable` says whether it may be run as a program; None
        leaves that as it is. Raises ProblemError.
        """
        await self._upload({path: data})
        digest = digests_by_path({path: data})[path]
        step = api.StepIn(kind="put-file", address=path, digest=digest, executable=is_executable)
        return await self.add_step(change_id, step)

    async def put_folder(
        self,
        change_id: int,
        path: str,
        files: Mapping[str, bytes],
        *,
        folders: Collection[str] = (),
        programs: Collection[str] = (),
        replace_all: bool = False,
        if_refused: Literal["fail", "leave-out"] = "fail",
        progress: Progress = no_progress,
    ) -> api.ChangeDetail:
        """Add a step to a change that puts files into a folder, by their paths in it; only what the service lacks is sent.

        `files` may read each content when it is asked for. `folders` are empty folders in it, `programs` those of the files
        that may be executed. With `replace_all`, what else is in the folder is removed. `if_refused` says what a deploy does
        where the host refuses a file: it fails, or it goes on without it. `progress` is told how many bytes are sent. Raises
        ProblemError.
        """
        digests = await self._upload(files, progress)
        step = folder_step(
            path, digests, folders=folders, programs=programs, replace_all=replace_all, if_refused=if_refused
        )
        return await self.add_step(change_id, step)

    async def keep_bundle(
        self,
        file_name: str,
        files: Mapping[str, bytes],
        *,
        digest: str = "",
        origin: str = "",
        programs: Collection[str] = (),
        progress: Progress = no_progress,
    ) -> api.BundleOut:
        """Keep a bundle by its files; only what the service lacks is sent. `digest` is the SHA-256 of its archive.

        `files` may read each content when it is asked for, so that no large archive is in memory. `programs` are paths that
        may be executed; `progress` is told how many bytes of how many are sent. Raises ProblemError.
        """
        digests = await self._upload(files, progress)
        return await self.save_bundle(bundle_of(file_name, digest, origin, digests, programs))

    async def _upload(self, files: Mapping[str, bytes], progress: Progress = no_progress) -> dict[str, str]:
        digests = digests_by_path(files)
        sent = 0
        for part in parts_of(files, digests, await self.missing_contents(list(digests.values()))):
            await self.save_contents(part)
            sent += sum(len(data) for data in part.values())
            progress(sent)
        return digests

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
