"""Part of a large pack: chosen by address, by what an entry is, and by what is there already."""

from __future__ import annotations

import pytest

from zerrit.core.documents import Document, read_document
from zerrit.core.errors import SnippetRefused
from zerrit.core.merge import Existing, Taking, apply_plan, filled, plan_in_words, plan_merge, require_parameters, taken
from zerrit.core.steps import OutcomeKind, Step, StepKind, replay

SHOP = (
    "<shop>\n"
    + "".join(f'  <thing name="t{n}" kind="{"cloth" if n % 2 else "tool"}" price="{n}"/>\n' for n in range(1, 9))
    + '  <shelf name="top">\n    <box name="a" size="1"/>\n    <box name="b" size="2"/>\n  </shelf>\n</shop>\n'
)
PACK = (
    "".join(f'<thing name="p{n}" kind="{"cloth" if n < 4 else "tool"}" price="{n * 10}"/>\n' for n in range(1, 7))
    + '<thing name="t1" kind="cloth" price="1"/>\n<thing name="t2" kind="tool" price="99"/>\n'
)


def shop() -> Document:
    return read_document(SHOP.encode(), "shop.xml")


def added(*take: str, existing: Existing = Existing.COMBINE) -> tuple[set[str], str]:
    target = shop()
    plan = taken(target, plan_merge(target, PACK), Taking(take, existing))
    result = apply_plan(target, plan)
    before = {line.strip() for line in SHOP.splitlines()}
    return {line.split('"')[1] for line in result.text.splitlines() if line.strip() not in before}, plan_in_words(plan)


@pytest.mark.parametrize(
    ("take", "names"),
    [
        (("thing[p1]",), {"p1"}),
        (("thing[p1,p5]",), {"p1", "p5"}),
        (("thing[kind=cloth]",), {"p1", "p2", "p3"}),
        (("thing[p*][price>30]",), {"p4", "p5", "p6"}),
        (("thing[p*][!p1]", "thing[t2]"), {"p2", "p3", "p4", "p5", "p6", "t2"}),
        (("thing[t1]",), set()),
        ((), {"p1", "p2", "p3", "p4", "p5", "p6", "t2"}),
    ],
)
def test_only_what_is_chosen_is_taken(take: tuple[str, ...], names: set[str]) -> None:
    assert added(*take)[0] == names


def test_it_is_said_what_is_added_overridden_and_left() -> None:
    assert added("thing[t*]", "thing[p1]")[1] == (
        "1 added, 1 overridden in 1 place, 1 there already, the same, 5 of the snippet not taken."
    )
    names, words = added(existing=Existing.SKIP)
    assert (names, words) == ({f"p{n}" for n in range(1, 7)}, "6 added, 1 there already, the same, 1 skipped.")
    assert added("thing[t2]", existing=Existing.REPLACE) == ({"t2"}, "1 replaced, 7 of the snippet not taken.")


def test_a_place_that_is_not_in_the_pack_is_refused_with_what_there_is() -> None:
    with pytest.raises(SnippetRefused, match=r"Nothing in the snippet is at thing\[q\]. It has: thing\[p1\]"):
        added("thing[q]")
    with pytest.raises(SnippetRefused, match="Nothing in the snippet is at thing"):
        added("thing[kind=glass]")


def test_groups_before_an_entry_choose_the_group() -> None:
    target = shop()
    pack = '<shelf name="top"><box name="b" size="9"/><box name="c" size="3"/></shelf>'
    plan = plan_merge(target, pack)
    assert [action.address for action in plan.actions] == ["shelf[top]/box[b]", "shelf[top]/box[c]"] or len(
        plan.actions
    ) == 1
    if len(plan.actions) == 2:
        one = taken(target, plan, Taking(("shelf[top]/box[c]",)))
        assert 'size="9"' not in apply_plan(target, one).text
        with pytest.raises(SnippetRefused):
            taken(target, plan, Taking(("shelf[low]/box[size>2]",)))


def test_an_entry_with_fields_that_no_other_has_is_told() -> None:
    target = shop()
    plan = plan_merge(target, '<thing name="new" kind="cloth" price="4" magic="1"/>')
    assert plan.actions[0].reason == "None of the 8 others here has @magic. Is it made for another version?"


def test_a_step_takes_the_same_part_again() -> None:
    step = Step(StepKind.MERGE, "shop.xml", snippet=PACK, take=["thing[kind=cloth]"], existing="skip")
    found = replay({"shop.xml": shop()}, [step, step], read_document)
    assert [outcome.kind for outcome in found.outcomes] == [OutcomeKind.DONE, OutcomeKind.SAME]
    assert found.documents["shop.xml"].text.count('name="p') == 3
    wrong = replay(
        {"shop.xml": shop()}, [Step(StepKind.MERGE, "shop.xml", snippet=PACK, existing="mix")], read_document
    )
    assert "combined, replaced or skipped" in wrong.outcomes[0].message


# --- parameters -------------------------------------------------------------------------------------------------------


def test_parameters_are_filled_and_other_braces_stay() -> None:
    text = '{"name": "{word}", "price": {price}, "set": {"a": 1}, "raw": "{other}"}'
    assert filled(text, {"word": "", "price": "5"}, {"word": "oar"}) == (
        '{"name": "oar", "price": 5, "set": {"a": 1}, "raw": "{other}"}'
    )
    assert filled(text, {}, {}) == text


@pytest.mark.parametrize(
    ("values", "said"),
    [
        ({}, "A value is missing for word"),
        ({"word": 'oar", "x": "'}, "is not a plain word"),
        ({"word": "a<b"}, "is not a plain word"),
        ({"word": "a", "wrod": "b"}, "has no parameter wrod"),
        ({"word": "a" * 600}, "is not a plain word"),
    ],
)
def test_values_that_could_change_the_meaning_are_refused(values: dict[str, str], said: str) -> None:
    with pytest.raises(SnippetRefused, match=said):
        filled("<a n='{word}'/>", {"word": ""}, values)


def test_parameters_have_to_be_in_the_text() -> None:
    with pytest.raises(SnippetRefused, match=r"has no \{price\}"):
        require_parameters("<a/>", {"price": ""})
    with pytest.raises(SnippetRefused, match="is not a name of a parameter"):
        require_parameters("<a n='{A b}'/>", {"A b": ""})
