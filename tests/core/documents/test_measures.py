"""Ranges and quantities: read, checked, compared, adjusted, summed and drafted, in files of other shapes."""

from __future__ import annotations

from decimal import Decimal

import pytest

from tests.worlds import world
from zerrit.core.checks import check_files_of, gather_files, statistics_of
from zerrit.core.compare import compare_documents
from zerrit.core.documents import Document, Severity
from zerrit.core.documents.measures import Declared, Measure, delta, measured
from zerrit.core.documents.value_edits import parse_operation
from zerrit.core.errors import EditRefused
from zerrit.core.figures import tally
from zerrit.core.gamebooks import Gamebook, read_gamebook

BOOK = """\
gamebook: 1
game: pottery
files:
  glazes.xml:
    entries:
      glaze:
        key: "@id"
        fields:
          id: {path: "@id"}
          heat: {path: "@heat", is: range, min: 800, max: 1300}
          jars: {path: "@jars", is: range}
          soak: {path: "@soak", is: quantity, units: [min], max: 90}
          spoils: {path: "@spoils", is: quantity, plain: true}
        must:
          - {only_if: soak > 50, condition: max(jars) <= 5, message: "{id} soaks {soak} and gives {jars}, up to {max(jars)}."}
balance:
  - {sum: "glazes.xml#glaze/@jars", keep_within: "1"}
advice:
  - {every: "glazes.xml#glaze/@soak", condition: value >= 60}
  - {every: "glazes.xml#glaze/@heat", condition: max(value) > 1200}
"""


def book(text: str = BOOK) -> Gamebook:
    found, faults = read_gamebook(text.encode())
    assert found is not None, faults
    return found


def glazes(*rows: str) -> bytes:
    return ("<workshop>\n" + "\n".join(f"  <glaze {row}/>" for row in rows) + "\n</workshop>\n").encode()


def found_in(*rows: str, text: str = BOOK) -> list[tuple[str, str]]:
    files = gather_files({"glazes.xml": glazes(*rows)}, book(text), is_whole=False)
    return [(f.code, f.message) for f in check_files_of(files, book(text)).findings]


@pytest.mark.parametrize(
    ("text", "measure", "numbers"),
    [
        ("12..40", None, ("12", "40", "")),
        (" 1 ... 3 ", None, ("1", "3", "")),
        ("25%", None, ("25", "25", "%")),
        ("12-40", None, None),
        ("3 tides", None, None),
        ("12-40", Measure.RANGE, ("12", "40", "")),
        ("-5--2", Measure.RANGE, ("-5", "-2", "")),
        ("5 to 9", Measure.RANGE, ("5", "9", "")),
        ("12 – 40", Measure.RANGE, ("12", "40", "")),
        ("3 tides", Measure.RANGE, None),
        ("3 tides", Measure.QUANTITY, ("3", "3", "tides")),
        ("2.5m", Measure.QUANTITY, ("2.5", "2.5", "m")),
        ("12..40", Measure.QUANTITY, None),
        ("1e5", Measure.QUANTITY, None),
        ("1.2.3", Measure.RANGE, None),
        ("..", Measure.RANGE, None),
        ("1.." + "9" * 60, Measure.RANGE, None),
    ],
)
def test_what_is_a_number_in_a_value(text: str, measure: Measure | None, numbers: tuple[str, str, str] | None) -> None:
    found = measured(text, measure)
    assert (found and (str(found.low), str(found.high), found.unit)) == numbers


@pytest.mark.parametrize(
    ("old", "operation", "measure", "new"),
    [
        ("12..40", "+10", None, "12..50"),
        ("12..40", "-10", None, "12..30"),
        ("12..40", "*1.5", None, "18..60"),
        ("12..40", "*10 from 0 to 300", None, "120..300"),
        (" 3 - 7 ", "+1", Measure.RANGE, " 3 - 8 "),
        ("1.5..2.5", "*2", None, "3.0..5.0"),
        ("3 tides", "+1", Measure.QUANTITY, "4 tides"),
        ("25%", "*2", None, "50%"),
        ("2h", "*1.5", Measure.QUANTITY, "3h"),
    ],
)
def test_adjustments_keep_everything_around_the_numbers(
    old: str, operation: str, measure: Measure | None, new: str
) -> None:
    assert parse_operation(operation).apply(old, measure and Declared(measure)) == new


def test_an_adjustment_that_would_turn_a_range_round_is_refused() -> None:
    with pytest.raises(EditRefused, match=r"`-30` would make `12\.\.40` into `12\.\.10`, whose ends are the wrong way"):
        parse_operation("-30").apply("12..40")
    with pytest.raises(EditRefused, match="or say `is: quantity` of it in the gamebook"):
        parse_operation("+1").apply("3 tides")
    with pytest.raises(
        EditRefused, match=r"`Ash` is not a number, so `\+1` cannot be done\. Set a value with = instead\.$"
    ):
        parse_operation("+1").apply("Ash")


def test_sound_values_give_no_finding() -> None:
    assert found_in('id="Ash" heat="900 - 1040" jars="3..5" soak="40 min" spoils="5%"', 'id="Elm" spoils="4"') == []


@pytest.mark.parametrize(
    ("row", "code", "message"),
    [
        ('jars="5..3"', "meaning.range", "jars is 5..3: its first number is larger than its second."),
        ('jars="4"', "meaning.type", "jars is a range such as 12..40, but `4` is here."),
        ('jars="3.5"', "meaning.type", "jars is a range such as 12..40, but `3.5` is here."),
        ('heat="700-900"', "meaning.range", "heat is 700-900; it must be from 800 to 1300."),
        ('heat="900-1400"', "meaning.range", "heat is 900-1400; it must be from 800 to 1300."),
        ('soak="40"', "meaning.type", "soak is a number with a unit, but `40` is here."),
        ('soak="40 mim"', "meaning.form", "soak is `40 mim`; its unit must be one of min. Did you mean 'min'?"),
        ('soak="95 min" jars="1..2"', "meaning.range", "soak is 95 min; it must be at most 90."),
        ('spoils="none"', "meaning.type", "spoils is a number with a unit, but `none` is here."),
        ('soak="55 min" jars="2..6"', "meaning.must", "Ash soaks 55 min and gives 2..6, up to 6."),
        ('soak="60 min"', "meaning.advice", "Take care: 60 min >= 60."),
        ('heat="900-1250"', "meaning.advice", "Take care: max(900-1250) > 1200."),
    ],
)
def test_what_is_wrong_with_a_range_or_quantity(row: str, code: str, message: str) -> None:
    assert (code, message) in found_in(f'id="Ash" {row}')


def test_a_range_in_a_condition_needs_an_end() -> None:
    said = found_in(
        'id="Ash" jars="3..5"', text=BOOK.replace("max(jars) <= 5", "jars <= 5").replace("only_if: soak > 50, ", "")
    )
    assert [code for code, _ in said] == ["gamebook.invalid"]
    assert "`jars` is a range; use min(jars) or max(jars)." in said[0][1]


def test_what_may_have_several_units_is_never_reckoned_with() -> None:
    several = BOOK.replace("units: [min], max: 90", "units: [min, h]")
    assert found_in('id="Ash" soak="2 h"', text=several.replace("only_if: soak > 50, ", ""))[0][0] == "gamebook.invalid"
    said = found_in('id="Ash" soak="2 h" jars="1..2"', text=several)
    assert {code for code, _ in said} == {"gamebook.invalid"}
    assert "`soak` may have several units" in said[0][1]
    assert read_gamebook(several.replace("[min, h]", "[min, h], max: 90").encode())[0] is None
    mixed = book(several).read(
        glazes('id="Ash" soak="2 h"', 'id="Elm" soak="30 min"', 'id="Fir" soak="5"'), "glazes.xml"
    )
    found = tally({}, {"glazes.xml": mixed}, "glazes.xml#glaze/@soak")
    assert (found.total.sum_after, len(found.skipped)) == (Decimal(5), 2)


def test_units_and_plain_need_their_kind() -> None:
    for wrong in ("{is: range, units: [m]}", "{is: number, plain: true}"):
        found, faults = read_gamebook(
            f"gamebook: 1\ngame: g\nfiles: {{a.xml: {{entries: {{b: {{fields: {{c: {wrong}}}}}}}}}}}\n".encode()
        )
        assert found is None
        assert faults[0].severity is Severity.ERROR


def read(*rows: str) -> Document:
    return book().read(glazes(*rows), "glazes.xml")


def test_compare_says_how_far_each_end_moved() -> None:
    old = read('id="Ash" jars="3..5" soak="40 min"', 'id="Elm" jars="1..2" soak="1 h"')
    new = read('id="Ash" jars="3..9" soak="55 min"', 'id="Elm" jars="2..4" soak="20 min"')
    assert [(d.address, d.delta) for d in compare_documents(old, new)] == [
        ("glazes.xml#glaze[Ash]/@jars", "upper end +4"),
        ("glazes.xml#glaze[Ash]/@soak", "+15 min"),
        ("glazes.xml#glaze[Elm]/@jars", "lower end +1, upper end +2"),
        ("glazes.xml#glaze[Elm]/@soak", ""),  # another unit: what the difference is, no one knows
    ]
    assert delta("12", "15") == "+3"


def test_sums_count_the_upper_end() -> None:
    before, after = (
        read('id="Ash" jars="3..5"', 'id="Elm" jars="1..2"'),
        read('id="Ash" jars="3..9"', 'id="Elm" jars="1..2"'),
    )
    found = tally({"glazes.xml": before}, {"glazes.xml": after}, "glazes.xml#glaze/@jars")
    assert (found.total.sum_before, found.total.sum_after, found.skipped) == (Decimal(7), Decimal(11), ())
    files = gather_files({"glazes.xml": after.to_bytes()}, book(), is_whole=False)
    moved = check_files_of(files, book(), before={"glazes.xml": before}).findings
    assert [(f.code, "goes from 7 to 11 (+4" in f.message) for f in moved] == [("meaning.balance", True)]


def test_a_rule_says_in_words_what_it_asks_for() -> None:
    files = gather_files({"glazes.xml": glazes('id="Ash"')}, book(), is_whole=False)
    said = [one.text for one in statistics_of(check_files_of(files, book()))][:4]
    assert said == [
        "glazes.xml / glaze: heat is a range of numbers from 800 to 1300",
        "glazes.xml / glaze: jars is a range of numbers",
        "glazes.xml / glaze: soak is a number with a unit (min), at most 90",
        "glazes.xml / glaze: spoils is a number with a unit or a number alone",
    ]


def test_a_draft_sees_ranges_and_quantities() -> None:
    from zerrit.core.drafting import draft

    fields = book(draft([world("pottery")], "pottery", "1")).rules.files["glazes.xml"].entries["glaze"].fields
    assert {name: (one.kind, one.units) for name, one in fields.items() if one.kind} == {
        "heat": ("range", ()),
        "jars": ("range", ()),
        "soak": ("quantity", ("min",)),
        "spoils": ("quantity", ("%",)),
    }
    yard = book(
        draft(
            [
                {
                    "a.xml": b"<a>"
                    + b"".join(b'<door no="%da"/>' % n + b'<door no="%db"/>' % n for n in range(9))
                    + b"</a>"
                }
            ],
            "g",
            "1",
        )
    )
    assert yard.rules.files["a.xml"].entries["door"].fields["no"].kind is None  # house numbers
