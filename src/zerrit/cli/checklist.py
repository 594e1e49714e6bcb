"""The checklist of a deployed change, and what of it is still pending."""

from __future__ import annotations

from zerrit import api
from zerrit.cli.output import echo
from zerrit.core.wording import effect_in_words


def print_checklist(detail: api.ChangeDetail) -> None:
    """The checklist of a change, and what is still pending."""
    for number, one in enumerate(detail.checklist, 1):
        word = {None: "to do", True: "right", False: "wrong"}[one.is_right]
        seen = f"   ({one.person}: {one.note})" if one.note else ""
        echo(f"  {number:>2}. [{word:<5}] {one.text}{seen}")
    for wait in detail.pending:
        if wait.in_effect_at is None:
            echo(f"  pending, {effect_in_words(wait.takes_effect)}: {', '.join(wait.addresses)}")
    if any(one.is_right is False for one in detail.checklist):
        before = next((run.before for run in detail.runs if run.state == "deployed"), None)
        echo(f"  Not as it should be? Revert the change: zerrit change revert {detail.id}")
        echo(f"  Or roll the server back: zerrit rollback {detail.server} {before}")
    if detail.state == "deployed" and not detail.checklist:
        echo(
            f"Change {detail.id} has no checklist. Confirm it in your own words: zerrit change checklist {detail.id} --note …"
        )
    echo(f"Change {detail.id} is {detail.state}.")
