"""
Send requests made from the product's own OpenAPI document, and see that each answer is one that it documents.

The requests come from a public property-based tester (schemathesis), which makes what fits the document and what does
not. The service runs on data of its own, may run no commands and uses only the folders of its own games. Left out is only what
would end the tester's own session, and the stream of events, which has no end.
"""

from __future__ import annotations

import argparse
import tempfile
from collections import Counter
from pathlib import Path
from typing import Any

import schemathesis
from hypothesis import HealthCheck, Phase, given, seed, settings, strategies
from schemathesis.checks import not_a_server_error
from schemathesis.core.failures import FailureGroup
from schemathesis.specs.openapi.checks import (
    content_type_conformance,
    response_schema_conformance,
    status_code_conformance,
)

from tests.reliability import write_part
from zerrit.demo.stack import DemoStack
from zerrit.web import configure_log
from zerrit.work.base.workspace import Bounds

LEFT_OUT = {("DELETE", "/api/v1/session"), ("DELETE", "/api/v1/tokens/{token_id}"), ("GET", "/api/v1/events")}
CHECKS = [not_a_server_error, status_code_conformance, content_type_conformance, response_schema_conformance]
#: The answers of hosts that are not there, which are no fault of the service: 502 with a problem that says so.
UNREACHABLE = 502
KNOWN = {
    "server_id": "coral-gate",
    "change_id": 1,
    "run_id": 1,
    "snapshot_id": 1,
    "rollout_id": 1,
    "name": "fathomline",
}


def run(requests: int, start: int) -> tuple[Counter[int], dict[str, str]]:
    """The statuses of all answers, and what was wrong, by call: the first finding of each."""
    statuses: Counter[int] = Counter()
    wrong: dict[str, str] = {}
    with tempfile.TemporaryDirectory() as folder:
        bounds = Bounds(commands=False, folders_below=(Path(folder) / "demo" / "host",))
        with DemoStack(Path(folder) / "demo", settle=0.1, bounds=bounds) as stack, stack.client() as client:
            stack.seed()
            headers = {"Authorization": client._http.headers["Authorization"]}
            schema = schemathesis.openapi.from_url(f"{stack.url}/api/v1/openapi.json", headers=headers)
            operations = [found.ok() for found in schema.get_all_operations()]  # type: ignore[union-attr]  # our own document is sound
            operations = [one for one in operations if (one.method.upper(), one.path) not in LEFT_OUT]
            while (left := requests - statuses.total()) > 0:  # some calls have few different requests
                for operation in operations:
                    _try(operation, -(-left // len(operations)), start, headers, statuses, wrong)
                start += 1
    return statuses, wrong


def _try(
    operation: Any, each: int, start: int, headers: dict[str, str], statuses: Counter[int], wrong: dict[str, str]
) -> None:
    name = f"{operation.method.upper()} {operation.path}"

    @seed(start)
    @settings(
        max_examples=each,
        deadline=None,
        database=None,
        phases=[Phase.explicit, Phase.generate],
        suppress_health_check=list(HealthCheck),
    )
    @given(case=operation.as_strategy(), is_known=strategies.booleans())
    def send(case: Any, is_known: bool) -> None:
        if is_known:  # names that the tester makes up lead nowhere; behind those that are there is the rest
            case.path_parameters.update({name: KNOWN[name] for name in case.path_parameters if name in KNOWN})
        response = case.call(headers=headers, timeout=120)
        statuses[response.status_code] += 1
        if response.status_code == UNREACHABLE and b"urn:zerrit:problem:" in response.content:
            return
        try:
            case.validate_response(response, checks=CHECKS)
        except (Exception, FailureGroup) as error:
            wrong.setdefault(name, f"{response.status_code}: {error}")

    send()


def main() -> None:
    configure_log(as_json=False, least="error")
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--requests", type=int, default=10_000)
    parser.add_argument("--start", type=int, default=1)
    parser.add_argument("--write", action="store_true", help="put the figure into docs/reliability.md")
    given_ = parser.parse_args()
    statuses, wrong = run(given_.requests, given_.start)
    for name, said in wrong.items():
        print(f"--- {name}\n{said[:2500]}\n")
    shares = ", ".join(f"{times:,} with {status}" for status, times in sorted(statuses.items()))
    errors = sum(times for status, times in statuses.items() if status >= 500 and status != UNREACHABLE)
    text = (
        f"{sum(statuses.values()):,} requests made from the OpenAPI document: {errors} server errors, "
        f"{len(wrong)} calls with an answer that is not documented. Answered: {shares}."
    )
    print(text)
    if given_.write:
        write_part("api", text)
    raise SystemExit(1 if wrong else 0)


if __name__ == "__main__":
    main()
