"""Requests made from the OpenAPI document; `make api-fuzz` sends ten thousand of them."""

from __future__ import annotations

from fuzzing.api import run


def test_requests_made_from_the_document_are_answered_as_it_says() -> None:
    statuses, wrong = run(120, 7)
    assert wrong == {}
    assert sum(statuses.values()) >= 50
