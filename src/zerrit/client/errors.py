"""How a call of the client fails."""

from __future__ import annotations

from typing import Any, Self

import httpx

from zerrit.api import Problem


class ClientError(Exception):
    """Base: the call did not give an answer that can be used."""


class ServiceUnreachable(ClientError):
    """No service answers at the address."""


class ProblemError(ClientError):
    """The service refused or failed; `problem` is what it said (RFC 9457)."""

    def __init__(self, problem: Problem) -> None:
        super().__init__(problem.detail)
        self.problem = problem

    def __reduce__(self) -> tuple[type[Self], tuple[Problem]]:
        """So that it can pass between processes: an exception is rebuilt from its text otherwise."""
        return type(self), (self.problem,)

    @property
    def kind(self) -> str:
        """The last part of the problem type, such as `drifted`."""
        return self.problem.type.rpartition(":")[2]

    @property
    def facts(self) -> dict[str, Any]:
        return self.problem.facts

    @classmethod
    def of(cls, response: httpx.Response) -> Self:
        try:
            return cls(Problem.model_validate(response.json()))
        except ValueError:
            text = f"The service answered {response.status_code} without saying why."
            return cls(
                Problem(type="urn:zerrit:problem:unknown", title="Unknown", status=response.status_code, detail=text)
            )
