"""Several steps at once: added or removed together, all or none, and added again as they were."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest

from tests.quick import Quick, quick_stack
from zerrit import api
from zerrit.client import ProblemError


@pytest.fixture
def quick(tmp_path: Path) -> Iterator[Quick]:
    with quick_stack(tmp_path) as stack:
        stack.add()
        yield stack


def holds(number: int, value: str) -> api.StepIn:
    return api.StepIn(kind="set", address=f"sea/{number}.yml#holds", operation=value)


def test_steps_are_added_together_or_not_at_all(quick: Quick) -> None:
    change = quick.zerrit.create_change("reef", "several").id
    detail = quick.zerrit.add_steps(change, [holds(1, "=5"), holds(2, "+3"), holds(1, "*2")])
    assert [step.summary for step in detail.step_list] == ["=5", "+3", "*2"]
    assert quick.zerrit.file("reef", "sea/1.yml", change).text.count("holds: 10") == 1
    for wrong in (holds(2, "=3"), api.StepIn(kind="set", address="sea/1.yml#nothing", operation="=1")):
        with pytest.raises(ProblemError, match=r"it is so already|nothing"):
            quick.zerrit.add_steps(change, [holds(1, "=7"), wrong])
    assert len(quick.zerrit.change(change).step_list) == 3


def test_removed_steps_come_back_as_they_were(quick: Quick) -> None:
    change = quick.zerrit.create_change("reef", "undo and redo").id
    text = quick.zerrit.file("reef", "sea/1.yml").text
    put = api.StepIn(kind="put-file", address="sea/1.yml", content=text.replace("holds: 0", "holds: 8"))
    detail = quick.zerrit.add_steps(change, [holds(2, "=5"), put])
    after = quick.zerrit.file("reef", "sea/1.yml", change).text
    removed = quick.zerrit.remove_steps(change, [step.id for step in detail.step_list])
    assert quick.zerrit.change(change).step_list == []
    assert removed.steps == [holds(2, "=5"), put]
    quick.zerrit.add_steps(change, removed.steps)
    assert quick.zerrit.file("reef", "sea/1.yml", change).text == after


def test_a_step_that_is_not_there_removes_nothing(quick: Quick) -> None:
    change = quick.zerrit.create_change("reef", "one").id
    step = quick.zerrit.add_step(change, holds(1, "=5")).step_list[0]
    with pytest.raises(ProblemError, match="has no step with the number 999"):
        quick.zerrit.remove_steps(change, [step.id, 999])
    assert len(quick.zerrit.change(change).step_list) == 1


def test_what_is_known_of_a_place_is_told_as_a_change_leaves_it(quick: Quick) -> None:
    change = quick.zerrit.create_change("reef", "about").id
    quick.zerrit.add_step(change, holds(1, "=5"))
    assert quick.zerrit.about("reef", "sea/1.yml#holds").shown.value == "0"
    assert quick.zerrit.about("reef", "sea/1.yml#holds", change).shown.value == "5"


def test_a_table_opens_at_the_kind_and_page_of_the_place_that_is_looked_for(quick: Quick) -> None:
    rows = "".join(f'<crate name="c{n}" weight="{n}"><lock code="k{n}"/><lock code="m{n}"/></crate>' for n in range(90))
    change = quick.zerrit.create_change("reef", "a file").id
    put = api.StepIn(kind="put-file", address="cargo.xml", content=f"<cargo>{rows}</cargo>")
    quick.zerrit.add_step(change, put)

    def page(address: str) -> api.EntriesOut:
        return quick.zerrit.entries(
            "reef", api.EntriesQuery(path="cargo.xml", change=change, address=address, limit=20)
        )

    weight = page("crate[c47]/@weight")
    assert (weight.kind, weight.offset) == ("crate", 40)
    lock = page("crate[c60]/lock[k60]/@code")
    assert (lock.kind, lock.offset) == ("crate/lock", 120)
    assert page("crate[gone]").kind == page("not [ an address").kind == "crate"


def test_findings_are_told_by_file_as_a_change_leaves_it(quick: Quick) -> None:
    change = quick.zerrit.create_change("reef", "spoilt").id
    put = api.StepIn(kind="put-file", address="cargo.xml", content='<cargo><crate name="c1" weight=2/></cargo>')
    quick.zerrit.add_step(change, put)
    assert [one.code for one in quick.zerrit.findings("reef", "cargo.xml", change).findings] == ["xml.value-unquoted"]
    assert "xml.value-unquoted" in {one.code for one in quick.zerrit.findings("reef", change=change).findings}
    assert quick.zerrit.findings("reef", "sea/1.yml", change) == api.FindingsOut(findings=[], total=0)
    worse = '<cargo><crate name="c1" weight=2/><crate name="c2" weight=3/></cargo>'
    quick.zerrit.add_step(change, put.model_copy(update={"content": worse}))
    first = quick.zerrit.findings("reef", "cargo.xml", change, limit=1)
    assert (len(first.findings), first.total) == (1, 2)
    with pytest.raises(ProblemError, match=r"There is no text file cargo\.xml"):
        quick.zerrit.findings("reef", "cargo.xml")
