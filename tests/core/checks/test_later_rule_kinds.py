"""Gates, lengths of lists, lists in one order, what children have to be, and old words, on files of made-up games."""

from __future__ import annotations

import pytest

from zerrit.core.checks import Checked, check_files_of
from zerrit.core.documents import Document, read_document
from zerrit.core.examination.game_files import Files
from zerrit.core.gamebooks import Gamebook, read_gamebook

LOOM = """\
storms: {runs: false, strength: 4, every: 30}
rain: {runs: true, depth: 2}
looms:
  - {id: a, threads: [red, blue], counts: [4, 5], size: 2}
  - {id: b, threads: [red, blue, grey], counts: [4, 5], size: 3}
orders: [a, b]
loaded: [b, a]
parts:
  - {id: p, needs: [{of: iron, many: 2}, {of: sand, many: 1}]}
  - {id: q, needs: []}
weather: fog
"""


def book(text: str) -> Gamebook:
    found, faults = read_gamebook(f"gamebook: 1\ngame: loom\n{text}".encode())
    assert found is not None, faults
    return found


def faults(text: str) -> str:
    found, faults = read_gamebook(f"gamebook: 1\ngame: loom\n{text}".encode())
    assert found is None
    return " ".join(one.message for one in faults)


def files(text: str = LOOM) -> dict[str, Document]:
    return {"loom.yml": read_document(text.encode(), "loom.yml")}


def told(rule: str, text: str = LOOM) -> list[tuple[str, int, str]]:
    return [(one.code, one.line, one.message) for one in check_files_of(Files(files(text)), book(rule)).findings]


@pytest.mark.parametrize(
    ("rule", "expected"),
    [
        (
            "counts: [{each: 'loom.yml#looms/*', of: [threads, counts]}]",
            [
                (
                    "meaning.count",
                    5,
                    "threads has 3 values, counts has 2 values; they go by number, so they have to be equally long.",
                )
            ],
        ),
        ("counts: [{each: 'loom.yml#looms/*', number: size, of: [threads]}]", []),
        (
            "counts: [{each: 'loom.yml#looms/*', number: size, of: [counts]}]",
            [("meaning.count", 5, "size is 3, and counts has 2 values.")],
        ),
        (
            "same_order: [{first: 'loom.yml#orders/*', second: 'loom.yml#loaded/*'}]",
            [
                (
                    "meaning.same-order",
                    6,
                    "Number 1 is `a` here and `b` at loom.yml#loaded/[b]; both lists have to be the same.",
                )
            ],
        ),
        (
            "same_order: [{first: 'loom.yml#looms/*/id', second: 'loom.yml#orders/[a]'}]",
            [("meaning.same-order", 5, "`b` is number 2 here, and loom.yml#orders/[a] ends before it.")],
        ),
        (
            "children: [{each: 'loom.yml#parts/*', over: needs/*, none: '[of=sand]'}]",
            [("meaning.children", 9, "This is [of=sand], which no needs/* here may be.")],
        ),
        (
            "children: [{each: 'loom.yml#parts/*', over: needs/*, every: '[many>1]'}]",
            [("meaning.children", 9, "This is not [many>1], as every needs/* here has to be.")],
        ),
        (
            "children: [{each: 'loom.yml#parts/*', over: needs/*, any: '[of=iron]'}]",
            [("meaning.children", 10, "None of its 0 needs/* is [of=iron]; at least one has to be.")],
        ),
        (
            "old_words: [{at: 'loom.yml#weather', words: {fog: mist}, since: '2.0'}]",
            [("meaning.old-word", 11, "`fog` is an old word since 2.0.")],
        ),
        (
            "old_words: [{at: 'loom.yml#rain', words: {depth: ''}, names: true}]",
            [("meaning.old-word", 2, "`depth` is an old word.")],
        ),
        (
            "gates: [{gate: loom.yml#storms/runs, settings: 'loom.yml#storms/(strength,every)', always: true}]",
            [("meaning.gate", 1, "This has no effect while loom.yml#storms/runs is false.")] * 2,
        ),
        ("gates: [{gate: loom.yml#rain/runs, settings: loom.yml#rain/depth, always: true}]", []),
        ("gates: [{gate: loom.yml#storms/runs, settings: loom.yml#storms/strength}]", []),
    ],
)
def test_what_breaks_a_rule_is_told_at_its_place(rule: str, expected: list[tuple[str, int, str]]) -> None:
    assert told(rule) == expected


def changed(rule: str, text: str) -> Checked:
    return check_files_of(Files(files(text)), book(rule), before=files())


def test_a_gate_is_told_where_a_change_sets_what_is_behind_it() -> None:
    rule = "gates: [{gate: loom.yml#storms/runs, settings: 'loom.yml#storms/(strength,every)'}]"
    (finding,) = changed(rule, LOOM.replace("strength: 4", "strength: 9")).findings
    assert (finding.code, finding.address, finding.severity) == ("meaning.gate", "loom.yml#storms/strength", "notice")
    opened = LOOM.replace("runs: false, strength: 4", "runs: true, strength: 9")
    assert changed(rule, opened).findings == ()
    other = "gates: [{gate: 'loom.yml#(storms,rain)/runs', settings: loom.yml#storms/strength}]"
    assert changed(other, LOOM.replace("strength: 4", "strength: 9")).findings == (), "one of several switches is on"
    by_word = "gates: [{gate: loom.yml#weather, shut: [fog], settings: loom.yml#rain/depth}]"
    assert len(changed(by_word, LOOM.replace("depth: 2", "depth: 3")).findings) == 1


@pytest.mark.parametrize(
    ("rule", "said"),
    [
        ("counts: [{each: 'a.yml#b', of: [c]}]", "Name two lists or more"),
        ("counts: [{each: 'a.yml#b', number: n}]", "Name what is counted"),
        ("children: [{each: 'a.yml#b', over: c}]", "Say one of `every`, `any` and `none`"),
        ("children: [{each: 'a.yml#b', over: c, any: '[x=1]', none: '[y=2]'}]", "Say one of"),
        ("children: [{each: 'a.yml#b', over: c, any: 'x=1'}]", "is not a condition"),
        ("children: [{each: 'a.yml#b', over: c, any: '[x]'}]", "is not a condition"),
        ("old_words: [{at: 'a.yml#b', words: {}}]", "at least 1"),
        ("gates: [{gate: 'a.yml#b[', settings: a.yml#c}]", "never closed"),
    ],
)
def test_a_rule_that_says_nothing_is_a_fault(rule: str, said: str) -> None:
    assert said in faults(rule)
