"""Known settings that a file does not have: shown beside their group and added as they hold now, through the client and commands."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest

from tests.cli.command import zerrit
from tests.quick import ADMIN, PASSWORD, Quick, quick_stack
from tests.worlds import world
from zerrit import api
from zerrit.client import ProblemError

BOOK = """gamebook: 1
game: choir
files:
  evenings.toml:
    entries:
      tickets:
        fields:
          plain: {is: integer}
          family: {is: integer, max: 40, default: 20, note: for two and their children}
      heating:
        fields:
          degrees: {is: integer, default: 18}
          coal: {}
"""


@pytest.fixture
def quick(tmp_path: Path) -> Iterator[Quick]:
    with quick_stack(tmp_path) as stack:
        stack.add_with(world("choir"))
        stack.zerrit.save_as_gamebook("reef", BOOK)
        yield stack


def test_what_is_absent_is_shown_and_added(quick: Quick) -> None:
    client = quick.zerrit
    (family,) = client.about("reef", "evenings.toml#tickets").absent
    note = "for two and their children"
    assert (family.parent, family.name, family.default, family.note) == ("evenings.toml#tickets", "family", "20", note)
    of_file = client.about("reef", "evenings.toml#").absent
    assert [(one.parent, one.name, one.is_below_nothing) for one in of_file] == [
        ("evenings.toml#tickets", "family", False),
        ("evenings.toml#heating", "degrees", True),
    ]
    with pytest.raises(ProblemError, match=r"does not have `heating/degrees`\. The game takes 18 then"):
        client.about("reef", "evenings.toml#heating/degrees")
    change = client.create_change("reef", "Families").id
    client.add_step(change, api.StepIn(kind="add", address=family.parent, name=family.name, value=family.default))
    assert client.about("reef", "evenings.toml#tickets", change).absent == []
    there = client.about("reef", "evenings.toml#tickets/family", change)
    assert (there.shown.value, there.default_of_game) == ("20", "20")
    assert client.about("reef", "evenings.toml#tickets").absent == [family], "on the server it is absent still"


def test_by_commands(quick: Quick, tmp_path: Path) -> None:
    signed = {"ZERRIT_URL": quick.url, "ZERRIT_TOKEN": quick.zerrit.token(ADMIN, PASSWORD).token}
    shown = zerrit("about", "reef:evenings.toml#tickets", cwd=tmp_path, **signed)
    assert "    family: the game takes 20; for two and their children\n" in shown.out
    command = "zerrit change add CHANGE 'evenings.toml#tickets' family --value 20"
    assert command in shown.out
    change = str(quick.zerrit.create_change("reef", "Families").id)
    added = zerrit("change", "add", change, "evenings.toml#tickets", "family", "--value", "20", cwd=tmp_path, **signed)
    assert added.code == 0, added.err
    missing = zerrit("about", "reef:evenings.toml#tickets/family", cwd=tmp_path, **signed)
    assert (missing.code != 0, "The game takes 20 then" in missing.err) == (True, True)
