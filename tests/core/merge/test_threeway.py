"""Merging three documents: nothing lost, nothing by luck, mine's layout kept, conflicts told with their three values."""

from __future__ import annotations

import random

import pytest

from tests.core.merge.threeway_cases import FORMATS, KINDS, as_rendered, is_same, make, model_of, read, render
from zerrit.core import read_document
from zerrit.core.errors import MergeRefused
from zerrit.core.merge import Conflict, Merged, merge_three

SEEDS = 1_300  # times the formats


def merge(path: str, base: str, mine: str, theirs: str, **choices: str) -> Merged:
    """The merge, with LF; with CRLF it comes out the same."""
    sides = (base, mine, theirs)
    merged = merge_three(*(read_document(text.encode(), path) for text in sides), choices or None)
    if not any("\r" in text for text in sides):
        with_cr = merge_three(
            *(read_document(text.replace("\n", "\r\n").encode(), path) for text in sides), choices or None
        )
        assert with_cr.document.text == merged.document.text.replace("\n", "\r\n")
        assert (with_cr.left, len(with_cr.conflicts)) == (merged.left, len(merged.conflicts))
    return merged


@pytest.mark.parametrize("form", FORMATS)
def test_random_cases_come_out_as_they_must(form: str) -> None:
    for seed in range(SEEDS):
        chance = random.Random(seed)
        kind = chance.choice(KINDS)
        case = make(chance, kind)
        layouts = chance.choice([(0, 1, 0), (0, 0, 1), (0, 1, 1), (1, 0, 0)]) if kind == "reformat" else (0, 0, 0)
        sides = (case.base, case.mine, case.theirs)
        base, mine, theirs = (
            read(render(side, form, layout), form) for side, layout in zip(sides, layouts, strict=True)
        )
        merged = merge_three(base, mine, theirs)
        assert merged.document.ok
        expected = as_rendered(case.expected, form)
        assert is_same(model_of(merged.document, form), expected, form), (seed, kind)
        assert len(merged.conflicts) == len(case.conflicts), (seed, kind)
        for conflict, (entry, name) in zip(merged.conflicts, case.conflicts, strict=True):
            assert entry in conflict.address.replace("_", "-")
            if name:
                values = tuple(side[entry][name] for side in sides)
                assert (conflict.base, conflict.mine, conflict.theirs) == values, seed
        if case.conflicts:
            ((address),) = {conflict.address for conflict in merged.conflicts}
            chosen = merge_three(base, mine, theirs, {address: "theirs"})
            assert chosen.conflicts == ()
            assert model_of(chosen.document, form) == {**case.expected, **case.theirs} or any(
                not name for _, name in case.conflicts
            )


def test_mine_keeps_its_layout_and_its_comments() -> None:
    merged = merge(
        "a.xml",
        '<a>\n  <b name="x" holds="1" worth="2"/>\n  <b name="y" holds="1"/>\n</a>\n',
        "<a>\n\t<!-- ours -->\n\t<b worth='2' name='x' holds='1'/>\n\n\t<b name='y' holds='5'/>\n</a>\n",
        '<a><b name="x" holds="1" worth="3"/><b name="y" holds="1"/>\n<!-- new -->\n<b name="z"/></a>\n',
    )
    assert merged.document.text == (
        "<a>\n\t<!-- ours -->\n\t<b worth='3' name='x' holds='1'/>\n\n\t<b name='y' holds='5'/>\n"
        '\t<!-- new -->\n\t<b name="z"/>\n</a>\n'
    )
    assert [change.address for change in merged.applied] == ["b[x]/@worth", "b[z]"]


@pytest.mark.parametrize(
    ("path", "base", "mine", "theirs", "result"),
    [
        pytest.param("a.txt", "a\nb\nc\n", "a\nB\nc\n", "a\nb\nc\nd\n", "a\nB\nc\nd\n", id="lines"),
        pytest.param("a.txt", "a\nb\nc\nd\n", "a\nb\nc\n", "x\na\nb\nc\nd\n", "x\na\nb\nc\n", id="lines at both ends"),
        pytest.param("a.json", "[1, 2, 3]", "[1, 2, 3, 4]", "[0, 1, 2, 3]", "[0, 1, 2, 3, 4]", id="numbers in a list"),
        pytest.param("a.yml", "m:\n  - a\n  - b\n", "m:\n  - a\n  - b\n  - mine\n", "m: [a, b, theirs]\n", "m:\n  - a\n  - b\n  - mine\n  - theirs\n", id="both add to a list"),
        pytest.param("a.yml", "a: 1\n", "# mine\na: 1\n", 'a: "1"\n', '# mine\na: "1"\n', id="a number becomes a text"),
        pytest.param("a.ini", "[A]\nx=1\n", "[A]\nx=1\ny=2\n", "[A]\nx=3\n\n[B]\nz=1\n", "[A]\nx=3\ny=2\n\n[B]\nz=1\n", id="a new section"),
        pytest.param("a.ini", "[A]\nc=(N=a,R=1)\nc=(N=b,R=1)\n", "[A]\nc=(N=a,R=2)\nc=(N=b,R=1)\n", "[A]\nc=(N=a,R=1)\nc=(N=b,R=5)\nc=(N=c,R=9)\n", "[A]\nc=(N=a,R=2)\nc=(N=b,R=5)\nc=(N=c,R=9)\n", id="structs by their names"),
        pytest.param("a.json", '{"a": {"x": 1}}', '{"a": {"x": 1, "y": 2}}', '{"a": {"x": 1, "z": [3]}}', '{"a": {"x": 1, "y": 2, "z": [3]}}', id="both add a field"),
        pytest.param("a.xml", "<a><b/></a>", "<a><b/></a>", '<a><b><c v="1"/></b></a>', '<a><b><c v="1"/></b></a>', id="an element gets content"),
    ],
)  # fmt: skip
def test_both_sides_are_in_the_result(path: str, base: str, mine: str, theirs: str, result: str) -> None:
    merged = merge(path, base, mine, theirs)
    assert merged.conflicts == ()
    assert merged.document.text == result
    again = merge(path, theirs, merged.document.text, theirs)
    assert (again.document.text, again.applied) == (result, ())


@pytest.mark.parametrize(
    ("path", "base", "mine", "theirs", "conflict"),
    [
        ("a.yml", "a: 1\n", "a: 2\n", "a: 3\n", Conflict("a", "1", "2", "3", "both sides gave it another value")),
        ("a.yml", "b: 0\n", "b: 0\na: 2\n", "b: 0\na: 3\n", Conflict("a", None, "2", "3", "both sides added it")),
        ("a.yml", "a: 1\nb: 1\n", "b: 1\n", "a: 3\nb: 1\n", Conflict("a", "1", None, "3", "it was removed here and changed there")),
        ("a.yml", "a: 1\nb: 1\n", "a: 2\nb: 1\n", "b: 1\n", Conflict("a", "1", "2", None, "it was changed here and removed there")),
        ("a.json", '{"a": 1}', '{"a": [1]}', '{"a": {"b": 1}}', Conflict("a", "1", '"a": [1]', '"a": {"b": 1}', "both sides changed what is here")),
        ("a.json", "[1, 2]", "[3]", "[4, 5, 6]", Conflict("[#1]", "1\n2", "3", "4\n5\n6", "both sides changed this part of the list")),
    ],
)  # fmt: skip
def test_a_conflict_has_its_three_values_and_mine_stays(
    path: str, base: str, mine: str, theirs: str, conflict: Conflict
) -> None:
    merged = merge(path, base, mine, theirs)
    assert merged.conflicts == (conflict,)
    assert merged.document.text == mine
    documents = [read_document(text.encode(), path) for text in (base, mine, theirs)]
    kept = merge_three(documents[0], documents[1], documents[2], {conflict.address: "mine"})
    assert (kept.conflicts, kept.document.text) == ((), mine)
    taken = merge_three(documents[0], documents[1], documents[2], {conflict.address: "theirs"})
    assert taken.conflicts == ()
    assert taken.document.to_data() == documents[2].to_data()


@pytest.mark.parametrize(
    ("path", "base", "mine", "theirs", "result"),
    [
        ("a.xml", '<a><b name="x"/><b name="y"/></a>', '<a><b name="x"/><b name="y" h="1"/></a>', '<a><b name="y"/><b name="x"/></a>', '<a><b name="y" h="1"/><b name="x"/></a>'),
        ("a.xml", '<a><b name="x"/><b name="y"/></a>', '<a><b name="y"/><b name="x"/></a>', '<a><b name="y"/><b name="x"/></a>', '<a><b name="y"/><b name="x"/></a>'),
        ("a.yml", "# old\na: 1\n", "# old\na: 2\n", "# new\na: 1\n", "# new\na: 2\n"),
        ("a.yml", "# old\na: 1\n", "# new\na: 1\n", "# new\na: 2\n", "# new\na: 2\n"),
        ("a.yml", "a: 1\nb: 2\n", "a: 1 # mine\nb: 2\n", "a: 1\nb: 2 # theirs\n", "a: 1 # mine\nb: 2 # theirs\n"),
        ("a.yml", "a: 1 # what it is\n", "a: 5 # what it is\n", "a: 1 # what it was\n", "a: 5 # what it was\n"),
        ("a.ini", "[A]\nx=1 ; old\n", "[A]\nx=2 ; old\n", "[A]\nx=1\n", "[A]\nx=2\n"),
        ("a.yml", "a: 1\nb: 2\n", "a: 1\nb: 2\n", "b: 2\na: 1\n", "b: 2\na: 1\n"),
        ("a.json", '{"a": 1, "b": 2, "c": 3}', '{"a": 1, "b": 5, "c": 3}', '{"c": 3, "a": 1, "b": 2}', '{"c": 3, "a": 1, "b": 5}'),
        ("a.ini", "[A]\nx=1\n\n[B]\ny=1\nz=2\n", "[A]\nx=7\n\n[B]\ny=1\nz=2\n", "[B]\nz=2\ny=1\n\n[A]\nx=1\n", "[B]\nz=2\ny=1\n\n[A]\nx=7\n"),
        ("a.json", '{"old": {"x": 1, "y": 2}}', '{"old": {"x": 5, "y": 2}}', '{"new": {"x": 1, "y": 2}}', '{"new": {"x": 5, "y": 2}}'),
        ("a.json", '{"old": {"x": 1, "y": 2}}', '{"new": {"x": 1, "y": 2}}', '{"old": {"x": 1, "y": 9}}', '{"new": {"x": 1, "y": 9}}'),
    ],
)  # fmt: skip
def test_order_names_and_comments_are_taken_too(path: str, base: str, mine: str, theirs: str, result: str) -> None:
    merged = merge(path, base, mine, theirs)
    assert (merged.document.text, merged.conflicts, merged.left) == (result, (), ())


@pytest.mark.parametrize(
    ("path", "base", "mine", "theirs", "left"),
    [
        ("a.yml", "# old\na: 1\n", "# mine\na: 1\n", "# theirs\na: 1\n", "a: both sides changed its comment; mine's stays."),
        ("a.json", '[{"id": "a"}, {"id": "b"}, {"id": "c"}]', '[{"id": "c"}, {"id": "a"}, {"id": "b"}]', '[{"id": "a"}, {"id": "c"}, {"id": "b"}]', "[c]: both sides moved it; it stays where mine has it."),
    ],
)  # fmt: skip
def test_what_is_left_as_mine_has_it_is_said(path: str, base: str, mine: str, theirs: str, left: str) -> None:
    merged = merge(path, base, mine, theirs)
    assert (merged.document.text, merged.left, merged.conflicts) == (mine, (left,), ())


def test_a_conflict_is_decided_by_a_value_of_ones_own() -> None:
    merged = merge("a.yml", "a: 1 # x\n", "a: 2 # x\n", "a: 3 # x\n", a="=7")
    assert (merged.document.text, merged.conflicts) == ("a: 7 # x\n", ())


@pytest.mark.parametrize(
    ("sides", "choices", "reason"),
    [
        (("a: [", "a: 1", "a: 1"), {}, "The base has a fault in line 1"),
        (("a: 1", "a: 1", 'a: "'), {}, "Theirs has a fault in line 1"),
        (("a: 1", "a: 2", "a: 3"), {"b": "mine"}, "There is no conflict at a.yml#b"),
        (("a: 1", "a: 2", "a: 3"), {"a": "both"}, "write mine, theirs, or =VALUE"),
    ],
)
def test_what_cannot_be_merged_is_refused(sides: tuple[str, str, str], choices: dict[str, str], reason: str) -> None:
    with pytest.raises(MergeRefused, match=reason):
        merge("a.yml", *sides, **choices)


def test_documents_of_two_formats_are_refused() -> None:
    with pytest.raises(MergeRefused, match="they must be of one format"):
        merge_three(read_document(b"a: 1", "a.yml"), read_document(b"{}", "a.json"), read_document(b"{}", "a.json"))
