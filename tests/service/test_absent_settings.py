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
    (family,) = client.about("reef", "evenings.toml#tickets").shown.absent
    note = "for two and their children"
    assert (family.parent, family.name, family.default, family.note) == ("evenings.toml#tickets", "family", "20", note)
    of_file = client.about("reef", "evenings.toml#").shown.absent
    assert [(one.parent, one.name, one.is_below_nothing) for one in of_file] == [
        ("evenings.toml#tickets", "family", False),
        ("evenings.toml#heating", "degrees", True),
    ]
    with pytest.raises(ProblemError, match=r"does not have `heating/degrees`\. The game takes 18 then"):
        client.about("reef", "evenings.toml#heating/degrees")
    change = client.create_change("reef", "Families").id
    step = api.StepIn(kind="add", address=family.parent, name=family.name, value=family.default, content=family.note)
    client.add_step(change, step)
    assert f"# {note}\nfamily = 20\n" in client.file("reef", "evenings.toml", change).text
    assert client.about("reef", "evenings.toml#tickets", change).shown.absent == []
    there = client.about("reef", "evenings.toml#tickets/family", change)
    assert (there.shown.value, there.default_of_game) == ("20", "20")
    assert client.about("reef", "evenings.toml#tickets").shown.absent == [family], "on the server it is absent still"


def test_the_table_and_the_search_tell_them_too(quick: Quick) -> None:
    client = quick.zerrit
    table = client.entries("reef", api.EntriesQuery(path="evenings.toml"))
    assert [one.name for one in table.absent] == ["family", "degrees"]
    assert client.entries("reef", api.EntriesQuery(path="songs.cfg")).absent == []
    (place,) = client.show("reef", "evenings.toml#tickets")
    assert [one.name for one in place.absent] == ["family"]
    (hit,) = [one for one in client.search("degrees").hits if one.kind == "absent"]
    assert (hit.path, hit.address) == ("evenings.toml", "")
    assert hit.detail == "not in evenings.toml#heating; the game takes 18"
    assert [one.kind for one in client.search("family").hits if one.title == "family"] == ["absent"]


def test_by_commands(quick: Quick, tmp_path: Path) -> None:
    signed = {"ZERRIT_URL": quick.url, "ZERRIT_TOKEN": quick.zerrit.token(ADMIN, PASSWORD).token}
    shown = zerrit("about", "reef:evenings.toml#tickets", cwd=tmp_path, **signed)
    assert "    family: the game takes 20; for two and their children\n" in shown.out
    command = (
        "zerrit change add CHANGE 'evenings.toml#tickets' family --value 20 --comment 'for two and their children'"
    )
    assert command in shown.out
    assert command in zerrit("show", "reef:evenings.toml#tickets", cwd=tmp_path, **signed).out
    assert (
        "known settings that are not here:\n  tickets/family:"
        in zerrit("entries", "reef", "evenings.toml", cwd=tmp_path, **signed).out
    )
    change = str(quick.zerrit.create_change("reef", "Families").id)
    words = ("evenings.toml#tickets", "family", "--value", "20", "--comment", "for two")
    added = zerrit("change", "add", change, *words, cwd=tmp_path, **signed)
    assert added.code == 0, added.err
    assert "# for two\nfamily = 20" in quick.zerrit.file("reef", "evenings.toml", int(change)).text
    refused = zerrit(
        "change", "add", change, "evenings.toml#tickets", "x", "a=1", "--comment", "y", cwd=tmp_path, **signed
    )
    assert (refused.code, "--comment goes with --value" in refused.err) == (2, True)
    missing = zerrit("about", "reef:evenings.toml#tickets/family", cwd=tmp_path, **signed)
    assert (missing.code != 0, "The game takes 20 then" in missing.err) == (True, True)


def test_of_a_file_on_this_machine(tmp_path: Path) -> None:
    (tmp_path / "evenings.toml").write_bytes(world("choir")["evenings.toml"])
    (tmp_path / "book.yml").write_text(BOOK)
    shown = zerrit("show", "evenings.toml#tickets", "--gamebook", "book.yml", cwd=tmp_path)
    command = "zerrit edit evenings.toml tickets add family =20"
    assert f"Add one: {command}\n" in shown.out
    assert zerrit(*command.split()[1:], cwd=tmp_path).code == 0
    assert (
        "family"
        not in zerrit("show", "evenings.toml#tickets", "--gamebook", "book.yml", cwd=tmp_path).out.partition(
            "known settings"
        )[2]
    )
