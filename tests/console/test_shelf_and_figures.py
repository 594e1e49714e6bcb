"""The shelf, part of a pack, and figures with questions, in the console on a made-up game."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

from tests.browser import sign_in
from tests.quick import ADMIN, PASSWORD, Quick, quick_stack
from tests.service.test_figures import BARREL, BOOK
from tests.worlds import world
from zerrit import api


@pytest.fixture
def quick(tmp_path: Path) -> Iterator[Quick]:
    with quick_stack(tmp_path) as stack:
        stack.add_with(world("mill") | {"barrels.xml": BARREL.encode()})
        stack.zerrit.save_as_gamebook("reef", BOOK)
        yield stack


@pytest.fixture
def at(page: Page, quick: Quick) -> Page:
    sign_in(page, quick.url, ADMIN, PASSWORD)
    return page


def figure(page: Page, name: str) -> None:
    page.get_by_role("combobox", name="Figure").click()
    page.get_by_role("option", name=name).click()


def test_a_snippet_is_kept_and_put_into_a_change(at: Page, quick: Quick) -> None:
    at.goto(f"{quick.url}/shelf")
    at.get_by_label("Name", exact=True).fill("flour")
    at.get_by_label("Title").fill("A flour")
    at.get_by_label("For the file").fill("*.lua")
    at.get_by_label("Text").fill(
        'Mill.Flours = {\n  { name = "{word}", from = "oats", sieves = 2, price = {price} },\n}\n'
    )
    at.get_by_label("Words in braces").fill("word, price=4")
    at.get_by_role("button", name="Keep it").click()
    expect(at.get_by_role("row", name="flour A flour *.lua word, price 0")).to_be_visible()
    change = quick.zerrit.create_change("reef", "A new flour").id
    at.goto(f"{quick.url}/changes/{change}")
    at.get_by_role("button", name="Put from the shelf").click()
    at.get_by_label("Snippet").click()
    at.get_by_role("option", name="A flour").click()
    at.get_by_label("word").fill("blue")
    at.get_by_role("button", name="Show the plan").click()
    expect(at.get_by_text("1 added.")).to_be_visible()
    at.get_by_role("button", name="Add step").click()
    expect(at.get_by_role("tab", name="Steps (1)")).to_be_visible()
    quick.end_of(quick.zerrit.deploy(change))
    kept = quick.zerrit.shelf_snippet("flour")
    newer = api.KeptIn(
        text=kept.text.replace("oats", "rye"), title="A flour", path="*.lua", parameters={"word": "", "price": "4"}
    )
    quick.zerrit.keep_on_shelf("flour", newer)
    at.goto(f"{quick.url}/shelf?snippet=flour")
    expect(at.get_by_text("(word=blue): an older text, put there")).to_be_visible()
    expect(at.get_by_text(". 1 value differs.")).to_be_visible()
    at.get_by_role("button", name="What would change?").click()
    expect(at.get_by_text("1 value changes")).to_be_visible()
    at.get_by_role("button", name="Create changes").click()
    expect(at.get_by_role("link", name="change 2").first).to_be_visible()


def test_part_of_a_pack_is_taken(at: Page, quick: Quick) -> None:
    change = quick.zerrit.create_change("reef", "Some fish").id
    at.goto(f"{quick.url}/changes/{change}")
    at.get_by_role("button", name="Add a step").click()
    at.get_by_label("What to do").click()
    at.get_by_role("option", name="Merge a published snippet").click()
    at.get_by_label("File (path on the server)").fill("mill.lua")
    rows = "".join(f'  {{ name = "p{n}", from = "oats", sieves = {n}, price = {n} }},\n' for n in range(1, 31))
    at.get_by_label("Paste the snippet here").fill(f"Mill.Flours = {{\n{rows}}}\n")
    at.get_by_label("Of a large pack").fill("Mill.Flours/[sieves>28]")
    at.get_by_role("button", name="Show the plan").click()
    expect(at.get_by_text("2 added, 28 of the snippet not taken.")).to_be_visible()
    expect(at.get_by_text("Mill.Flours/[p30]").first).to_be_visible()
    expect(at.get_by_text("Mill.Flours/[p1]")).to_have_count(0)
    at.get_by_role("button", name="Add step").click()
    expect(at.get_by_role("tab", name="Steps (1)")).to_be_visible()
    assert len(quick.zerrit.change(change).step_list[0].outcome.changes) == 2


def test_loops_questions_and_room(at: Page, quick: Quick) -> None:
    change = quick.zerrit.create_change("reef", "Dear wheat").id
    quick.zerrit.add_step(change, api.StepIn(kind="set", address="data/store.db#grains[1]/price", operation="+2"))
    at.goto(f"{quick.url}/changes/{change}")
    at.get_by_role("tab", name="Figures").click()
    figure(at, "Loops of trades")
    expect(at.get_by_role("region", name="Loop 3")).to_contain_text("a round gains 0.25 money")
    expect(at.get_by_text("Ended by this change (1)")).to_be_visible()
    figure(at, "Odds of draw")
    questions = at.get_by_role("region", name="Questions")
    questions.get_by_label("Thing").click()
    at.get_by_role("option", name="eel").click()
    questions.get_by_label("Of draws").fill("60")
    questions.get_by_role("button", name="Calculate").click()
    expect(
        questions.get_by_text("Most likely the setting is not in effect, or it means something else.").first
    ).to_be_visible()
    figure(at, "Make room")
    at.get_by_label("Address of the numbers").fill("data/store.db#farms/credit")
    at.get_by_role("button", name="Calculate").click()
    at.get_by_label("New value of data/store.db#farms[103]/credit").fill("100")
    expect(at.get_by_text("The sum is 686 then; the limit is 700.")).to_be_visible()
    at.get_by_role("button", name="Add to this change").click()
    expect(at.get_by_role("tab", name="Steps (9)")).to_be_visible()
    figure_steps = {one.address: one.summary for one in quick.zerrit.change(change).step_list}
    assert "100" in figure_steps["data/store.db#farms[103]/credit"]


def test_search_and_the_table_take_conditions(at: Page, quick: Quick) -> None:
    at.goto(f"{quick.url}/servers/reef/files/data/store.db")
    at.get_by_label("Search entries").fill("[grain=spelt][sacks>5]")
    expect(at.get_by_role("gridcell", name="spelt").first).to_be_visible()
    expect(at.get_by_role("gridcell", name="wheat", exact=True)).to_have_count(0)
    at.keyboard.press("Control+k")
    at.get_by_role("dialog").get_by_role("combobox").fill("*.lua#Mill.Stones/*[speed>100]/grain")
    expect(at.get_by_role("option", name="barley")).to_be_visible()


POSTS = """posts:
  - {name: sack door, kind: door, pos: [2, 1, 0], yaw: 90}
  - {name: stone, kind: wheel, pos: [0, 4, 3], yaw: 0}
  - {name: loft hatch, kind: door, pos: [-4, 7, 0], yaw: 270}
"""


def test_distances_by_floor_and_facing_and_shares_with_targets(at: Page, quick: Quick) -> None:
    (quick.game().folder / "posts.yml").write_text(POSTS)
    quick.zerrit.fetch("reef")
    at.goto(f"{quick.url}/servers/reef/figures")
    figure(at, "Distances")
    at.get_by_label("Address of the entries").fill("posts.yml#posts/*")
    at.get_by_label("Axes").fill("pos/[#1],pos/[#3]")
    at.get_by_label("Height", exact=True).fill("pos/[#2]")
    at.get_by_label("Floors begin at").fill("0,3,6")
    at.get_by_label("Facing").fill("yaw")
    at.get_by_role("button", name="Calculate").click()
    expect(at.get_by_role("columnheader", name="Faces away by")).to_be_visible()
    row = at.get_by_role("row", name="posts.yml#posts/[stone]")
    expect(row).to_contain_text("3")
    asked = quick.zerrit.distances(
        "reef",
        "posts.yml#posts/*",
        ["pos/[#1]", "pos/[#3]"],
        centre=["0", "0"],
        height="pos/[#2]",
        floors=["0", "3", "6"],
        facing="yaw",
    )
    for one in asked:
        cells = at.get_by_role("row", name=one.address).get_by_role("cell").all_inner_texts()
        assert cells[3:5] == [str(one.floor), f"{one.turned}°"], cells
    figure(at, "Balance")
    at.get_by_label("Address of the numbers").fill("data/store.db#grains/price")
    at.get_by_label("Group by").fill("bolted")
    at.get_by_label("Wanted shares").fill("1=30")
    at.get_by_role("button", name="Calculate").click()
    expect(at.get_by_role("columnheader", name="wanted")).to_be_visible()
    expect(at.get_by_role("cell", name="30.0 %")).to_be_visible()
