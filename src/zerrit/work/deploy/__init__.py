"""Runs: plan, stages, journal, watch, rollback, rehearsal, checklist, schedule, rollouts."""
