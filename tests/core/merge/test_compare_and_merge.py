"""Comparing by meaning; merging published snippets."""

from __future__ import annotations

import pytest

from zerrit.core import read_document
from zerrit.core.compare import compare_documents, text_difference
from zerrit.core.documents import Document
from zerrit.core.errors import SnippetRefused
from zerrit.core.merge import ActionKind, apply_plan, clean, plan_merge
from zerrit.demo.world_files import default_files, server_files, snippet

FINDS = '<finds>\n  <find name="A" w="1">\n    <band d="x" h="3"/>\n    <band d="y" h="4"/>\n  </find>\n  <find name="B" w="2"/>\n  <find name="C" w="3"/>\n</finds>\n'


def doc(text: str, path: str = "a.xml") -> Document:
    return read_document(text.encode(), path)


@pytest.mark.parametrize(
    ("old", "new", "kinds"),
    [
        pytest.param('h="3"', 'h="13"', [("changed", "find[A]/band[x]/@h", "3", "13", "+10")], id="a number, with its delta"),
        pytest.param('<find name="B" w="2"/>\n  ', "", [("removed", "find[B]", '<find name="B" w="2"/>', None, "")], id="an entry gone"),
        pytest.param('<find name="B" w="2"/>', '<find name="B" w="2"/><find name="D"/>', [("added", "find[D]", None, '<find name="D"/>', "")], id="an entry come"),
        pytest.param('name="B"', 'name="Bb"', [("renamed", "find[Bb]", "B", "Bb", "")], id="the same under another key"),
        pytest.param('<find name="B" w="2"/>\n  <find name="C" w="3"/>', '<find name="C" w="3"/>\n  <find name="B" w="2"/>', [("moved", "find[B]", None, None, "")], id="another place"),
        pytest.param('name="B" w="2"', 'w="2"   name="B"', [("layout", "find[B]", None, None, "")], id="attributes in another order"),
        pytest.param('  <find name="B"', '  <!-- new -->\n  <find name="B"', [("comment", "find[B]", "", "new", "")], id="a comment"),
    ],
)  # fmt: skip
def test_a_difference_is_named_for_what_it_is(old: str, new: str, kinds: list[tuple[str, ...]]) -> None:
    found = compare_documents(doc(FINDS), doc(FINDS.replace(old, new)))
    assert [(d.kind, d.address.partition("#")[2], d.old, d.new, d.delta) for d in found] == kinds


def test_equal_documents_do_not_differ() -> None:
    assert compare_documents(doc(FINDS), doc(FINDS)) == []


def test_a_list_written_in_another_style_is_layout_only() -> None:
    found = compare_documents(doc("a: [1, 2]\n", "a.yml"), doc("a:\n  - 1\n  - 2\n", "a.yml"))
    assert [d.kind for d in found] == ["layout"]


def test_differences_are_grouped_by_their_entry() -> None:
    found = compare_documents(doc(FINDS), doc(FINDS.replace('h="3"', 'h="5"').replace('h="4"', 'h="6"')))
    assert {d.entry for d in found} == {"a.xml#find[A]"}


def test_the_text_difference_names_both_sides() -> None:
    assert (
        text_difference("a\nb\n", "a\nc", "old", "new")
        == "--- old\n+++ new\n@@ -1,2 +1,2 @@\n a\n-b\n+c\n\\ no line ending here\n"
    )


STATION = read_document(server_files("coral-gate")["station.ini"], "station.ini")
BOARD = read_document(default_files()["galley/board.json"], "galley/board.json")
BELL = read_document(default_files()["addins/tidebell/settings.yml"], "addins/tidebell/settings.yml")

SNIPPETS = [
    pytest.param(STATION, snippet("pump-circuits.txt"), "", {'"Circuit Wet Lab"': "add", '"Circuit Sump Six"': "add"}, id="fenced, with smart quotes"),
    pytest.param(STATION, "Spill=((To=Sea,After=60))\n", "", {"Pumps/Spill": "combine"}, id="no section header"),
    pytest.param(STATION, "[Signals]\nLit=yes\n", "", {"Signals": "add"}, id="a new section"),
    pytest.param(doc(FINDS), '<find name="A"><band d="y" h="9"/><band d="z" h="1"/></find>', "", {"find[A]": "combine"}, id="an entry without the root"),
    pytest.param(doc(FINDS), FINDS, "", {"find[A]": "same", "find[B]": "same", "find[C]": "same"}, id="what is there already"),
    pytest.param(doc(FINDS), '<band d="z" h="1"/>', "find[A]", {"find[A]/band[z]": "add"}, id="into a named place"),
    pytest.param(BOARD, '"board": [{"dish": "Mead", "deck": 2, "larder": "5..20"}],', "", {"board/[Mead]": "add"}, id="JSON without braces"),
    pytest.param(BELL, "<pre>settings:\n  volume: 1\n  places:\n    - name: Dock\n      echo: 1\n</pre>", "", {"settings/volume": "combine", "settings/places/[Dock]": "add"}, id="YAML in web tags"),
]  # fmt: skip


@pytest.mark.parametrize(("target", "text", "into", "actions"), SNIPPETS)
def test_a_snippet_finds_its_place_and_merging_twice_is_the_same_as_once(
    target: Document, text: str, into: str, actions: dict[str, str]
) -> None:
    plan = plan_merge(target, text, into)
    assert {action.address: action.kind.value for action in plan.actions} == actions
    merged = apply_plan(target, plan)
    assert merged.ok
    again = plan_merge(merged, text, into)
    assert {action.kind for action in again.actions} == {ActionKind.SAME}
    assert apply_plan(merged, again).text == merged.text


def test_a_loose_setting_with_its_comment_stays_before_the_sections() -> None:
    target = doc("top=1\n[A]\nx=1\n", "a.ini")
    merged = apply_plan(target, plan_merge(target, "top=1\n; of other\nother=2\n"))
    assert merged.text == "top=1\n; of other\nother=2\n[A]\nx=1\n"


def test_what_a_snippet_does_not_name_stays() -> None:
    merged = apply_plan(doc(FINDS), plan_merge(doc(FINDS), '<find name="B" w="7"/>'))
    assert merged.text == FINDS.replace('name="B" w="2"', 'name="B" w="7"')


@pytest.mark.parametrize(
    ("target", "text", "message"),
    [
        (doc(FINDS), "", "The snippet is empty. Paste the block that you want to merge."),
        (doc(FINDS), '<find name="A"><band', "The snippet cannot be read as XML, line 1: "),
        (
            doc(FINDS),
            '<lamp x="1"/>',
            "Nothing in a.xml holds lamp, so the place of the snippet is unknown. Name it with `into`.",
        ),
        (BOARD, '{"board": [{"dish": "Mead"', "The snippet cannot be read as JSON, line 1: "),
        (doc("one\n", "a.sh"), "two", "The snippet holds code, and code is not merged."),
        (doc("a = { x = 1 }\n", "a.lua"), "a = { x = 2\n", "The snippet cannot be read, line 1: `{` opened on line 1"),
        (doc("one\n", "a.txt"), "two", "a.txt is a plain text file; a snippet can only be merged into entries."),
    ],
)
def test_a_snippet_that_cannot_be_merged_is_refused(target: Document, text: str, message: str) -> None:
    with pytest.raises(SnippetRefused) as caught:
        plan_merge(target, text)
    assert str(caught.value).startswith(message)


def test_a_choice_replaces_the_proposed_action() -> None:
    plan = plan_merge(doc(FINDS), '<find name="B" w="7"/>').decided({"find[B]": ActionKind.SKIP})
    assert apply_plan(doc(FINDS), plan).text == FINDS


def test_each_cleaning_is_reported() -> None:
    cleaned = clean("```\n<pre>a\u00a0=\u201cx\u201d\u200b</pre>\n```")
    assert cleaned.text == 'a ="x"'
    assert cleaned.notes == (
        "Removed the code fence (```).",
        "Removed the web page's <pre> tags.",
        "Straightened bent quotation marks.",
        "Replaced no-break spaces by plain ones.",
        "Removed invisible characters.",
    )
