"""Room for a sum, balances by conditions and inner fields, distances in boxes and on floors, numbers that move together."""

from __future__ import annotations

from decimal import Decimal

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from zerrit.core.coupled_numbers import order_in
from zerrit.core.documents import Document, read_document
from zerrit.core.errors import FigureRefused
from zerrit.core.figures import Facing, Measured, distances_at, make_room, room_in_words, tally
from zerrit.core.gamebooks import read_gamebook
from zerrit.core.steps import OutcomeKind, Replay, Step, StepKind, replay


def files(text: str, name: str = "a.xml") -> dict[str, Document]:
    return {name: read_document(text.encode(), name)}


# --- room -------------------------------------------------------------------------------------------------------------


@settings(max_examples=150, deadline=None)
@given(
    st.lists(st.decimals(0, 400, places=1), min_size=1, max_size=12),
    st.decimals(0, 900, places=1),
    st.sampled_from(["share", "order", "age"]),
)
def test_the_sum_stays_within_its_limit_and_nothing_is_lowered_in_vain(
    numbers: list[Decimal], limit: Decimal, by: str
) -> None:
    text = "<a>" + "".join(f'<t n="t{number}" w="{one}"/>' for number, one in enumerate(numbers)) + "</a>"
    if not any(numbers):
        return
    found = make_room(files(text), "a.xml#t/@w", limit, by=by)  # type: ignore[arg-type]
    assert found.total == sum(numbers)
    assert found.after <= max(limit, Decimal(0)) or found.missing
    assert found.missing == 0
    assert all(0 <= one.new < one.old for one in found.lowered)
    if found.lowered:
        assert limit - found.after < 1, "no more than the last decimal of each is given away"


def test_what_is_needed_least_gives_first_and_leaves_its_least() -> None:
    text = "<a>" + "".join(f'<t n="t{n}" w="{n * 10}" k="{"old" if n > 3 else "new"}"/>' for n in range(1, 6)) + "</a>"
    found = make_room(
        files(text), "a.xml#t/@w", Decimal(70), first=["a.xml#t[k=old]", "a.xml#t[t1]"], least_of=lambda *_: Decimal(5)
    )
    assert {one.address: (one.old, one.new, one.reason) for one in found.lowered} == {
        "a.xml#t[t4]/@w": (40, 5, "1st in the list · gives all that it can"),
        "a.xml#t[t5]/@w": (50, 5, "1st in the list · gives all that it can"),
    }
    short = make_room(files(text), "a.xml#t/@w", Decimal(20), first=["a.xml#t[k=old]"])
    assert room_in_words(short).endswith("That is 40 more than 20: nothing more can be given.")
    oldest = make_room(files(text), "a.xml#t/@w", Decimal(140), by="age", ages={"a.xml#t[t2]/@w": 9})
    assert [(one.address, one.new, one.reason) for one in oldest.lowered] == [("a.xml#t[t2]/@w", 10, "1st oldest")]
    spared = make_room(files(text), "a.xml#t/@w", Decimal(100), spare={"a.xml#t[t5]/@w"})
    assert spared.spared == 1
    assert all(one.address != "a.xml#t[t5]/@w" for one in spared.lowered)
    with pytest.raises(FigureRefused, match="None of the numbers"):
        make_room(files(text), "a.xml#t/@w", Decimal(1), first=["a.xml#t[k=none]"])


# --- balance ----------------------------------------------------------------------------------------------------------

SHOP = (
    '<a><t n="rope" w="5" k="cloth"><part of="hemp"/></t><t n="sail" w="7" k="cloth"><part of="linen"/><part of="hemp"/></t>'
    '<t n="axe" w="12" k="tool"/></a>'
)


@pytest.mark.parametrize(
    ("by", "sums"),
    [
        (["k"], {"cloth": 12, "tool": 12}),
        (["part/@of"], {"hemp": 5, "hemp + linen": 7, "(without)": 12}),
        (["[k=cloth][w>6]", "[k=cloth]"], {"[k=cloth]": 5, "[k=cloth][w>6]": 7, "(others)": 12}),
        (["file"], {"a.xml": 24}),
    ],
)
def test_a_balance_by_field_inner_field_or_condition(by: list[str], sums: dict[str, int]) -> None:
    found = tally(files(SHOP), files(SHOP), "a.xml#t/@w", by)
    assert {row.group: row.sum_after for row in found.rows} == sums


@pytest.mark.parametrize(
    ("by", "said"), [(["k", "n"], "Group by one field"), (["[rope]"], "is not a condition"), (["nope"], "has a field")]
)
def test_groups_that_are_none_are_refused(by: list[str], said: str) -> None:
    with pytest.raises(FigureRefused, match=said):
        tally(files(SHOP), files(SHOP), "a.xml#t/@w", by)


# --- places -----------------------------------------------------------------------------------------------------------

MAP = '{"spots": [{"id": "a", "at": [0, 2, 0], "yaw": 90}, {"id": "b", "at": [3, 9, 4], "yaw": 0}, {"id": "c", "at": [30, 2, 40], "yaw": 0}]}'
AXES = ["at/[#1]", "at/[#3]"]


def spots() -> dict[str, Document]:
    return files(MAP, "m.json")


def test_coordinates_of_a_list_boxes_floors_and_facing() -> None:
    origin = [Decimal(0), Decimal(0)]
    found = distances_at(
        spots(),
        "m.json#spots/*",
        Measured(
            AXES, origin, box=[Decimal(n) for n in (-1, -1, 10, 10)], height="at/[#2]", floors=[Decimal(0), Decimal(5)]
        ),
    )
    assert [(one.distance, one.is_inside, one.floor) for one in found] == [(0, True, 1), (5, True, 2), (50, False, 1)]
    turned = distances_at(spots(), "m.json#spots/*", Measured(AXES, [Decimal(3), Decimal(0)], facing=Facing("yaw")))
    by_name = {one.address[-2]: one.turned for one in turned}
    assert by_name == {"a": Decimal("0.00"), "b": Decimal("180.00"), "c": Decimal("145.98")}
    left = distances_at(
        spots(), "m.json#spots/[a]", Measured(AXES, [Decimal(3), Decimal(0)], facing=Facing("yaw", to_the_right=False))
    )
    assert left[0].turned == 180


def test_the_nearest_other_entry_is_found() -> None:
    found = distances_at(spots(), "m.json#spots/*", Measured(AXES, to="m.json#spots/*"))
    assert [(one.address[-2], one.nearest[-2], one.distance) for one in found] == [
        ("a", "b", 5),
        ("b", "a", 5),
        ("c", "b", Decimal("45.00")),
    ]


@pytest.mark.parametrize(
    ("asked", "said"),
    [
        (Measured(AXES), "Say where to measure from"),
        (Measured(AXES, [Decimal(1)]), "The centre has 1 number"),
        (Measured(AXES, [Decimal(1)] * 2, box=[Decimal(1)] * 3), "A box has two corners"),
        (Measured(AXES, [Decimal(1)] * 2, floors=[Decimal(1)]), "Floors need both"),
        (Measured(AXES[:1], [Decimal(1)], facing=Facing("yaw")), "needs two axes"),
        (Measured(["x"], to="m.json#spots/*"), "has the coordinates x"),
    ],
)
def test_questions_that_do_not_fit_are_refused(asked: Measured, said: str) -> None:
    with pytest.raises(FigureRefused, match=said):
        distances_at(spots(), "m.json#spots/*", asked)


# --- numbers that move together ---------------------------------------------------------------------------------------

GOODS = (
    '<a><t n="rope" k="cloth" price="5" min="1" max="9" resale="2.50"/><t n="sail" k="cloth" price="40" min="2" max="80" '
    'resale="20.00"/><t n="axe" k="tool" price="12" min="1" max="none"/></a>'
)
KEPT = (
    "gamebook: 1\ngame: g\nkeep:\n  - {each: 'a.xml#t', keep: min <= price <= max}\n"
    "  - {each: 'a.xml#t[k=cloth]', keep_ratio: [price, resale]}\n"
)


def made(step: Step, gamebook: str = KEPT) -> Replay:
    book, faults = read_gamebook(gamebook.encode())
    assert book is not None, faults
    return replay(files(GOODS), [step, step], read_document, gamebook=book)


def values(found: Replay) -> dict[str, str]:
    return {change.address[6:]: change.new or "" for change in found.outcomes[0].changes}


def test_an_order_and_a_proportion_are_kept() -> None:
    found = made(Step(StepKind.SET, "a.xml#t/@price", operation="=60", alone=False))
    assert values(found) == {
        "t[rope]/@price": "60",
        "t[rope]/@max": "60",
        "t[rope]/@resale": "30.00",
        "t[sail]/@price": "60",
        "t[sail]/@resale": "30.00",
        "t[axe]/@price": "60",
    }
    assert found.outcomes[1].kind is OutcomeKind.SAME, "made again, it changes nothing"


def test_a_step_says_itself_what_moves_along() -> None:
    step = Step(StepKind.SET, "a.xml#t[axe]/@price", operation="=0", keep=["min <= price"])
    assert values(made(step)) == {"t[axe]/@price": "0", "t[axe]/@min": "0"}
    ratio = Step(StepKind.SET, "a.xml#t[sail]/@price", operation="=10", keep_ratio=["price", "max"])
    assert values(made(ratio)) == {"t[sail]/@price": "10", "t[sail]/@max": "20"}
    assert values(made(Step(StepKind.SET, "a.xml#t[sail]/@price", operation="=90"))) == {"t[sail]/@price": "90"}


@pytest.mark.parametrize(
    ("step", "said"),
    [
        (Step(StepKind.SET, "a.xml#t/@price", operation="=1", keep=["min < price"]), "is not an order"),
        (Step(StepKind.SET, "a.xml#t/@price", operation="=1", keep_ratio=["price"]), "name two or more"),
        (
            Step(StepKind.SET, "a.xml#t[rope]/@(min,max)", operation="=:{8 - old}", keep=["min <= price <= max"]),
            "not keep",
        ),
        (
            Step(
                StepKind.SET,
                "a.xml#t[rope]/@price",
                operation="=20",
                keep=["price <= max"],
                keep_ratio=["price", "max"],
            ),
            "not keep",
        ),
    ],
)
def test_what_cannot_be_kept_is_refused_and_nothing_changes(step: Step, said: str) -> None:
    found = made(step, "gamebook: 1\ngame: g\n")
    assert found.outcomes[0].kind is OutcomeKind.IMPOSSIBLE
    assert said in found.outcomes[0].message
    assert found.documents["a.xml"].text == GOODS


@pytest.mark.parametrize(
    ("rule", "said"),
    [
        ("keep: 'a < b'", "is not an order"),
        ("keep_ratio: [a]", "two numbers or more"),
        ("keep: 'a <= b', keep_ratio: [a, b]", "one of the two"),
    ],
)
def test_a_gamebook_that_keeps_nothing_is_at_fault(rule: str, said: str) -> None:
    book, faults = read_gamebook(f"gamebook: 1\ngame: g\nkeep: [{{each: 'a.xml#t', {rule}}}]".encode())
    assert book is None
    assert said in faults[0].message


@pytest.mark.parametrize(
    ("text", "fields"),
    [("a <= b<=c/d", ("a", "b", "c/d")), ("a < b", ()), ("a", ()), ("a <= ", ()), ("a <= b = c", ())],
)
def test_the_form_of_an_order(text: str, fields: tuple[str, ...]) -> None:
    assert order_in(text) == fields
