"""Drafts of games that are made of a seed: most slips are found, and the next version is hardly cried at."""

from __future__ import annotations

from fuzzing.drafting import random_games


def test_drafts_of_games_that_no_one_has_seen() -> None:
    found = random_games(1000, 1006)
    assert found.slips > 60
    assert found.alone >= 0.85 * found.slips
    assert found.accepted >= found.alone
    assert found.on_sources == 0
    assert found.cries <= 0.005
