"""Entry forms through the client, plain HTTP and commands: all places at once, or none."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import httpx
import pytest

from tests.cli.command import zerrit
from tests.core.test_forms import FILES
from tests.quick import ADMIN, PASSWORD, Quick, quick_stack
from zerrit import api
from zerrit.client import ProblemError

LIKE = "shop/stalls.lua#Stalls[quay]"


@pytest.fixture
def quick(tmp_path: Path) -> Iterator[Quick]:
    with quick_stack(tmp_path) as stack:
        stack.add_with(FILES)
        yield stack


def test_one_sheet_fills_all_places_and_a_rollback_takes_them_back(quick: Quick) -> None:
    client = quick.zerrit
    before = quick.files()
    drafted = client.drafted_form("reef", LIKE)
    assert [(one.name, one.answer) for one in drafted.form.questions] == [
        ("word", ""),
        ("price", "5"),
        ("owner", "Ada"),
        ("number_stalls", "8"),
    ]
    change = quick.change("order.json#open/[pier]=pier ")
    given = api.FormIn(like=LIKE, answers={"word": "cove", "price": "9"})
    tried = client.fill_form(change, given.model_copy(update={"dry_run": True}))
    assert (tried.is_saved, len(client.change(change).step_list)) == (False, 1)
    filled = client.fill_form(change, given)
    assert filled.is_saved
    assert [one.kind for one in filled.outcomes] == ["done"] * len(filled.steps)
    assert len(client.change(change).step_list) == 1 + len(filled.steps)
    assert quick.end_of(client.deploy(change)).state == "deployed"
    now = quick.files()
    assert b'["cove"] = { price = 9' in now["shop/stalls.lua"]
    assert now["icons/cove.yml"] == b"icon: cove\nsize: 3\n"
    assert [one.value for one in client.show("reef", "stock.db#stalls[8]/word")] == ["cove"]
    taken = client.create_change("reef", "back").id
    removed = client.fill_form(taken, api.FormIn(like=LIKE, answers={"word": "cove"}, remove=True))
    assert ({one.kind for one in removed.steps}, removed.left) == ({"remove", "remove-file"}, [])
    renamed = client.create_change("reef", "inlet").id
    given = api.FormIn(like=LIKE, answers={"word": "cove"}, rename_to="inlet")
    assert client.fill_form(renamed, given).left == []
    assert quick.end_of(client.deploy(renamed)).state == "deployed"
    now = quick.files()
    assert b'["inlet"] = { price = 9' in now["shop/stalls.lua"]
    assert ("icons/cove.yml" in now, now["icons/inlet.yml"]) == (False, b"icon: inlet\nsize: 3\n")
    assert [one.value for one in client.show("reef", "stock.db#stalls[8]/word")] == ["inlet"]
    assert quick.end_of(client.rollback("reef", 1)).state == "done"
    assert quick.files() == before


def test_an_answer_that_cannot_be_adds_nothing(quick: Quick) -> None:
    change = quick.zerrit.create_change("reef", "none").id
    for answers, message in (({"word": "pier"}, "has pier already"), ({}, "There is no answer to word")):
        with pytest.raises(ProblemError, match=message):
            quick.zerrit.fill_form(change, api.FormIn(like=LIKE, answers=answers))
    with pytest.raises(ProblemError, match="Name a form of the gamebook, or the address"):
        quick.zerrit.fill_form(change, api.FormIn())
    with pytest.raises(ProblemError, match="has no form called a stall"):
        quick.zerrit.fill_form(change, api.FormIn(name="a stall", answers={"word": "x"}))
    assert quick.zerrit.change(change).step_list == []
    (quick.game().folder / "icons/cove.yml").write_bytes(b"\0picture")
    quick.zerrit.fetch("reef")
    on_it = quick.zerrit.create_change("reef", "taken").id
    with pytest.raises(ProblemError, match=r"icons/cove\.yml is there already, and is no text file"):
        quick.zerrit.fill_form(on_it, api.FormIn(like=LIKE, answers={"word": "cove"}))


def test_the_same_by_commands_and_plain_http(quick: Quick, tmp_path: Path) -> None:
    token = quick.zerrit.token(ADMIN, PASSWORD).token
    signed = {"ZERRIT_URL": quick.url, "ZERRIT_TOKEN": token}
    none = zerrit("forms", "reef", cwd=tmp_path, **signed)
    assert none.out.strip() == "The gamebook of reef has no forms. Draft one: zerrit forms reef --like ADDRESS"
    drafted = zerrit("forms", "reef", "--like", LIKE, cwd=tmp_path, **signed)
    assert "  asks price: a number, else 5" in drafted.out
    assert "  fills the file icons/{word}.yml, made from icons/quay.yml" in drafted.out
    text = quick.zerrit.gamebook_text("quick").text + "\n" + drafted.out.partition("\n\n")[2]
    quick.zerrit.save_gamebook("quick", text)
    listed = zerrit("forms", "reef", cwd=tmp_path, **signed)
    assert listed.out.startswith("another one like quay: another one like quay\n")
    change = str(quick.zerrit.create_change("reef", "cove").id)
    wrong = zerrit("form", change, "another one like quay", "word", cwd=tmp_path, **signed)
    assert (wrong.code, "`word`: write QUESTION=ANSWER" in wrong.err) == (2, True)
    tried = zerrit("form", change, "another one like quay", "word=cove", "--dry-run", cwd=tmp_path, **signed)
    assert "stock.db#stalls[8]: new: " in tried.out
    assert tried.out.rstrip().endswith("nothing was added (dry run).")
    done = zerrit("form", change, "another one like quay", "word=cove", cwd=tmp_path, **signed)
    assert done.out.rstrip().endswith(f"steps added to change {change}.")
    other = str(quick.zerrit.create_change("reef", "pier").id)
    gone = zerrit("form", other, "another one like quay", "word=pier", "--remove", "--dry-run", cwd=tmp_path, **signed)
    assert "Not found there for sure, so it stays as it is: icons/pier.yml" in gone.out
    named = zerrit("form", other, "another one like quay", "word=pier", "--rename-to", "mole", cwd=tmp_path, **signed)
    assert "Has the old word still: stock.db#sold[3]/word" in named.out
    both = zerrit(
        "form", other, "another one like quay", "word=x", "--rename-to", "y", "--remove", cwd=tmp_path, **signed
    )
    assert (both.code, "not both" in both.err) == (2, True)
    with httpx.Client(base_url=quick.url, headers={"Authorization": f"Bearer {token}"}) as plain:
        assert plain.get("/api/v1/servers/reef/forms").json()[0]["like"] == "quay"
        assert plain.get("/api/v1/servers/reef/forms/draft", params={"address": "none.xml#a"}).status_code == 400
        assert plain.post(f"/api/v1/changes/{change}/form", json={"name": "x", "toad": 1}).status_code == 422
