"""Edits and merges that keep what surrounds a value, never mix two entries, and say what they left out."""

from __future__ import annotations

import pytest

from zerrit.core import read_document
from zerrit.core.compare import compare_documents
from zerrit.core.documents import Document, Slot
from zerrit.core.documents.value_edits import add_entry, add_field, parse_operation, set_values
from zerrit.core.errors import EditRefused
from zerrit.core.merge import ActionKind, apply_plan, merge_three, plan_merge
from zerrit.core.steps import OutcomeKind, Step, StepKind, replay, step_from_words

SCRIPT = '#!/bin/sh\nrun "--load=Beta;Alpha" --name "old name" --port 2000 # why\n'
SLOTS = {
    "load": Slot('--load={}"', ";"),
    "name": Slot("--name {}"),
    "port": Slot("--port {}"),
}


def edited(text: str, path: str, address: str, *words: str, slots: dict[str, Slot] | None = None) -> str:
    document = read_document(text.encode(), path, slots=slots or {})
    replayed = replay({path: document}, [step_from_words(f"{path}#{address}", words)], read_document)
    (outcome,) = replayed.outcomes
    if outcome.kind is OutcomeKind.IMPOSSIBLE:
        raise EditRefused(outcome.message)
    return replayed.documents[path].text


@pytest.mark.parametrize(
    ("address", "words", "line"),
    [
        ("load/[#2]", ("move", "before", "load/[#1]"), '"--load=Alpha;Beta"'),
        ("load/[#1]", ("move", "after", "load/[#2]"), '"--load=Alpha;Beta"'),
        ("load", ("add", "-", "=Gamma"), '"--load=Beta;Alpha;Gamma"'),
        ("load/[#1]", ("remove",), '"--load=Alpha"'),
        ("load/[#2]", ("remove",), '"--load=Beta"'),
        ("load/[#2]", ("=Delta",), '"--load=Beta;Delta"'),
        ("name", ("=new name",), '--name "new name"'),
        ("port", ("=2001",), "--port 2001 # why"),
    ],
)
@pytest.mark.parametrize("newline", ["\n", "\r\n"])
def test_a_list_in_a_line_stays_in_its_line(address: str, words: tuple[str, ...], line: str, newline: str) -> None:
    text = SCRIPT.replace("\n", newline)
    after = edited(text, "launch.sh", address, *words, slots=SLOTS)
    assert line in after
    assert after.count(newline) == text.count(newline)
    assert after.startswith(f"#!/bin/sh{newline}run ")
    assert after.endswith(f" # why{newline}")


@pytest.mark.parametrize(
    ("address", "words", "reason"),
    [
        ("load", ("add", "-", "=Alpha"), "has the value `Alpha` already"),
        ("port", ("=20 01",), "more than one word"),
        ("name", ('=a "b"',), "cannot hold one itself"),
    ],
)
def test_what_would_break_a_line_of_a_script_is_refused(address: str, words: tuple[str, ...], reason: str) -> None:
    with pytest.raises(EditRefused, match=reason):
        edited(SCRIPT, "launch.sh", address, *words, slots=SLOTS)


@pytest.mark.parametrize(
    ("line", "value", "after"),
    [
        ("max = 60;", "50", "max = 50;"),
        ("max = 60 ; why", "50", "max = 50 ; why"),
        ('title = "a";', "b", 'title = "b";'),
        ("paths = a;b;", "c", "paths = c"),
        ('title="a" ; b', "c", 'title="c" ; b'),
    ],
)
def test_a_set_value_keeps_what_surrounds_it(line: str, value: str, after: str) -> None:
    text = f"[A]\n{line}\nlast = 1\n"
    name = line.partition("=")[0].strip()
    assert edited(text, "a.ini", f"A/{name}", f"={value}") == f"[A]\n{after}\nlast = 1\n"


def test_a_switch_changes_the_value_of_a_flag_and_never_its_name() -> None:
    slots = {"flag": Slot("^{}=")}
    assert edited("pvp=false\n", "flags.txt", "flag", "=true", slots=slots) == "pvp=true\n"
    assert edited("pvp=false\n", "flags.txt", "flag", "=raids", slots=slots) == "raids=false\n"


@pytest.mark.parametrize(
    ("path", "text", "parent", "name", "value"),
    [
        ("a.ini", "[A]\nx=1\n", "A", "x", "2"),
        ("a.json", '{"mods": ["alpha", "beta"]}', "mods", "", "beta"),
        ("a.yml", "mods:\n- alpha\n- beta\n", "mods", "", "beta"),
        ("mods.txt", "alpha\n\n\nbeta\n", "", "", "beta"),
    ],
)
def test_what_is_there_already_is_not_added_once_more(path: str, text: str, parent: str, name: str, value: str) -> None:
    document = read_document(text.encode(), path)
    segments = document.keys.segments_of(document.select(parent)[0]) if parent else ()
    with pytest.raises(EditRefused, match="already"):
        add_field(document, segments, name, value)


def test_a_setting_that_repeats_by_its_form_can_be_added() -> None:
    assert edited("[A]\n+Load=x\n", "a.ini", "A", "add", "+Load", "=y") == "[A]\n+Load=x\n+Load=y\n"


# --- snippets ---------------------------------------------------------------------------------------------------------

CRAFTS = (
    '[Craft]\nRecipe=(Name="Lamp",Time=4,Parts=((Thing="Glass",Count=2),(Thing="Oil",Count=1)))\n'
    'Recipe=(Name="Rope",Time=1,Parts=((Thing="Hemp",Count=3)))\n'
)


def planned(text: str, path: str, snippet: str) -> tuple[Document, list[tuple[ActionKind, str]]]:
    document = read_document(text.encode(), path)
    plan = plan_merge(document, snippet)
    kinds = [(action.kind, action.result) for action in plan.actions]
    return (apply_plan(document, plan) if not plan.is_open else document), kinds


@pytest.mark.parametrize("newline", ["\n", "\r\n"])
def test_a_published_recipe_takes_the_place_of_the_old_one(newline: str) -> None:
    new = 'Recipe=(Name="Lamp",Time=5,Parts=((Thing="Crystal",Count=1)))'
    text = CRAFTS.replace("\n", newline)
    merged, kinds = planned(text, "a.ini", new)
    assert kinds == [(ActionKind.COMBINE, new)]
    assert merged.text == newline.join(["[Craft]", new, *text.split(newline)[2:]])
    again, kinds = planned(merged.text, "a.ini", new)
    assert (again.text, [kind for kind, _ in kinds]) == (merged.text, [ActionKind.SAME])


def test_a_recipe_that_would_mix_with_the_old_one_asks() -> None:
    text = '[Craft]\nRecipe=(Name="Lamp",Parts=((Thing="Glass",Count=2)),Tools=((Thing="Saw")))\n'
    document, kinds = planned(text, "a.ini", 'Recipe=(Name="Lamp",Parts=((Thing="Crystal",Count=1)))')
    assert [kind for kind, _ in kinds] == [ActionKind.ASK]
    assert document.text == text


@pytest.mark.parametrize(
    ("snippet", "kind"),
    [
        ('{"crates": [{"id": "a", "goods": ["x", "y", "z"]}]}', ActionKind.ASK),
        ('{"crates": [{"id": "a", "goods": ["x", "y", "z"], "counts": [1, 2, 3]}]}', ActionKind.COMBINE),
        ('{"crates": [{"id": "a", "goods": ["v", "w"]}]}', ActionKind.ASK),
    ],
)
def test_lists_that_go_by_number_keep_one_length(snippet: str, kind: ActionKind) -> None:
    text = (
        '{"crates": [{"id": "a", "goods": ["x", "y"], "counts": [1, 2]}, {"id": "b", "goods": ["q"], "counts": [1]}]}'
    )
    _, kinds = planned(text, "a.json", snippet)
    assert [one for one, _ in kinds] == [kind]


@pytest.mark.parametrize("newline", ["\n", "\r\n"])
def test_a_pasted_fragment_of_json_is_cleaned_and_told(newline: str) -> None:
    document = read_document(
        b'{"goods": [{"id": "a", "cost": 1, "url": ""}, {"id": "b", "cost": 2, "url": "y"}]}', "a.json"
    )
    snippet = '  // from the forum\n  {"id": "a", "cost": 5, /* was 1 */ "url": "x://y"},\n'.replace("\n", newline)
    plan = plan_merge(document, snippet)
    assert "Removed comments, which JSON does not have." in plan.notes
    merged = apply_plan(document, plan)
    assert merged.ok
    assert '"cost": 5' in merged.text
    assert '"url": "x://y"' in merged.text


def test_a_comment_of_a_snippet_that_is_not_taken_over_is_told() -> None:
    document = read_document(b"[A]\nx=1\n", "a.ini")
    plan = plan_merge(document, "[A]\n; never above 3\nx=2\n")
    assert [note for note in plan.notes if "never above 3" in note]


# --- order and comments -------------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("path", "old", "new", "address"),
    [
        ("a.ini", "[A]\nx=1\n[B]\ny=1\n", "[B]\ny=1\n[A]\nx=1\n", "A"),
        ("a.ini", "[A]\nx=1\ny=2\n", "[A]\ny=2\nx=1\n", "A/x"),
        ("a.yml", "a: 1\nb: 2\n", "b: 2\na: 1\n", "a"),
        ("a.json", '{"a": 1, "b": 2}', '{"b": 2, "a": 1}', "a"),
    ],
)
def test_sections_and_keys_in_another_order_are_told_as_moved(path: str, old: str, new: str, address: str) -> None:
    found = compare_documents(read_document(old.encode(), path), read_document(new.encode(), path))
    assert [(one.kind.value, one.address) for one in found] == [("moved", f"{path}#{address}")]


def test_a_comment_that_would_vanish_is_told() -> None:
    base, mine, theirs = "a: 1\n\nb: 2\n", "a: 5\n\nb: 2\n", "a: 1\n\n# a heading of its own\n\nb: 2\n"
    merged = merge_three(*(read_document(text.encode(), "a.yml") for text in (base, mine, theirs)))
    assert merged.document.text == mine
    assert merged.left == ("The comment `a heading of its own` is not in the result; put it where it belongs.",)


def test_removing_a_file_that_is_no_text_is_a_step() -> None:
    step = Step(StepKind.REMOVE_FILE, "mods/a.pak")
    replayed = replay({}, [step, step], read_document, {"mods/a.pak": "a" * 64})
    assert [one.kind for one in replayed.outcomes] == [OutcomeKind.DONE, OutcomeKind.SAME]
    assert (replayed.others, replayed.touched) == ({}, {"mods/a.pak"})


def test_long_numbers_of_json_stay_numbers() -> None:
    digits = "9" * 60
    document = read_document(f'{{"a": {digits}}}'.encode(), "a.json")
    assert document.to_data() == {"a": int(digits)}
    old = read_document(f'{{"a": "{digits}"}}'.encode(), "a.json")
    assert [one.kind.value for one in compare_documents(old, document)] == ["changed"], "a text became a number"


def test_white_space_of_xml_is_that_of_the_standard() -> None:
    document = read_document("<a>\n<b>\u00a0x\u2003</b><c>\u00a0</c>\n</a>".encode(), "a.xml")
    assert document.ok
    assert [node.value for node in document.root.children] == ["\u00a0x\u2003", "\u00a0"]
    assert not read_document("<a><b\u00a0x='1'/></a>".encode(), "a.xml").ok


def test_adding_an_entry_of_the_same_key_is_refused() -> None:
    document = read_document(CRAFTS.encode(), "a.ini")
    with pytest.raises(EditRefused, match="already"):
        add_entry(
            document, document.keys.segments_of(document.select("Craft")[0]), "Recipe", {"Name": "Rope", "Time": "9"}
        )
    assert (
        set_values(
            document, document.keys.segments_of(document.select("Craft/Recipe[Rope]/Time")[0]), parse_operation("=1")
        ).changes
        == ()
    )
