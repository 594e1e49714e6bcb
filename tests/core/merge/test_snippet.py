"""Where a snippet belongs, what is done with each of its entries, and what is done to it before."""

from __future__ import annotations

import pytest

from zerrit.core import read_document
from zerrit.core.documents import Document, Format
from zerrit.core.errors import SnippetRefused
from zerrit.core.merge import ActionKind, apply_plan, clean, plan_merge

XML = '<finds>\n  <find name="A" w="1">\n    <band d="x" h="3"/>\n    <band d="y" h="4"/>\n  </find>\n  <find name="B" w="2"/>\n</finds>\n'
JSON = (
    '{\n  "store": "Cellar",\n  "goods": [\n    {"name": "Mead", "low": 1},\n    {"name": "Cider", "low": 2}\n  ]\n}\n'
)
YAML = "settings:\n  volume: 0.7\n  quiet: {min: 23, max: 7}\n  places:\n    - name: Moon Pool\n      echo: 2\n"
INI = '[Station]\nName=Coral\nBerths=24\n\n[Pumps]\nC=(Name="Gate",R=4)\n\n[Lamps]\nC=(Name="Gate",W=9)\n'


def doc(text: str, path: str) -> Document:
    return read_document(text.encode(), path)


MERGED = [
    pytest.param("a.xml", XML, '<finds><find name="C" w="3"/></finds>', "", XML.replace("</finds>", '  <find name="C" w="3"/>\n</finds>'), id="with its root"),
    pytest.param("a.xml", XML, '<find name="A"><band d="y" h="9"/></find>', "", XML.replace('h="4"', 'h="9"'), id="one field of an inner entry"),
    pytest.param("a.xml", XML, '<!-- rare -->\n<find name="C"/>', "", XML.replace("</finds>", '  <!-- rare -->\n  <find name="C"/>\n</finds>'), id="with the comment that documents it"),
    pytest.param("a.xml", XML, '<band d="z" h="1"/>', "find[B]", XML.replace('<find name="B" w="2"/>', '<find name="B" w="2">\n    <band d="z" h="1"/>\n  </find>'), id="into an element that closes itself"),
    pytest.param("a.json", JSON, '{"name": "Rum", "low": 3}', "goods", JSON.replace('"low": 2}', '"low": 2},\n    {"name": "Rum", "low": 3}'), id="an item into a list"),
    pytest.param("a.json", JSON, '"store": "Cellar, deck 2",', "", JSON.replace('"Cellar"', '"Cellar, deck 2"'), id="a line with its comma"),
    pytest.param("a.yml", YAML, "settings:\n  volume: 1\n", "", YAML.replace("0.7", "1"), id="one setting"),
    pytest.param("a.yml", YAML, "volume: 1\n", "settings", YAML.replace("0.7", "1"), id="a setting into its group"),
    pytest.param("a.yml", YAML, "settings:\n  places:\n    - name: Galley\n      echo: 0\n", "", YAML + "    - name: Galley\n      echo: 0\n", id="an item of a list"),
    pytest.param("a.yml", YAML, "extra:\n  on: true\n", "", YAML + "extra:\n  on: true\n", id="a new key"),
    pytest.param("a.ini", INI, "[Station]\nBerths=30\nDock=4\n", "", INI.replace("Berths=24", "Berths=30\nDock=4"), id="a section that is there"),
    pytest.param("a.ini", INI, "[Tide]\nHigh=6\n", "", INI + "\n[Tide]\nHigh=6\n", id="a new section"),
    pytest.param("a.ini", INI, "Berths=30\n", "", INI.replace("24", "30"), id="a loose setting that only one section has"),
    pytest.param("a.ini", INI, 'C=(Name="Moon",R=2)\n', "Pumps", INI.replace("R=4)", 'R=4)\nC=(Name="Moon",R=2)'), id="a loose one into its section"),
]  # fmt: skip


@pytest.mark.parametrize(("path", "text", "snippet", "into", "expected"), MERGED)
def test_a_snippet_goes_where_it_belongs(path: str, text: str, snippet: str, into: str, expected: str) -> None:
    target = read_document(text.encode(), path, keys={"find/band": "@d"})
    merged = apply_plan(target, plan_merge(target, snippet, into))
    assert merged.text == expected
    assert apply_plan(merged, plan_merge(merged, snippet, into)).text == expected


@pytest.mark.parametrize(
    ("path", "text", "snippet", "into", "message"),
    [
        pytest.param("a.ini", INI, 'C=(Name="Moon",R=2)\n', "", "C could belong to several places of a.ini: Pumps, Lamps. Name one with `into`.", id="two homes"),
        pytest.param("a.ini", INI, "Foo=1\n", "", "Nothing in a.ini holds Foo, so the place of the snippet is unknown.", id="no home"),
        pytest.param("a.ini", INI, "; only a comment\n", "", "The snippet cannot be read as INI, it holds no entry that can be read.", id="only a comment"),
        pytest.param("a.xml", XML, "<find name='C'/>", "find[A]/@w", "a.xml#find[A]/@w is not one group that entries can be added to.", id="into a value"),
        pytest.param("a.xml", XML, "<find name='C'>\n  <band d='x'/>\n", "", "The snippet cannot be read as XML, line ", id="cut off, XML"),
        pytest.param("a.json", JSON, '"goods": [\n  {"name": "Rum",\n', "", "The snippet cannot be read as JSON, line ", id="cut off, JSON"),
        pytest.param("a.yml", YAML, "settings:\n  places: [1,\n", "", "The snippet cannot be read as YAML, line ", id="cut off, YAML"),
        pytest.param("a.ini", INI, "[Pumps]\nC=(Name=\"Moon\",R=(1\n", "", "The snippet cannot be read as INI, line 2: ", id="cut off, INI"),
        pytest.param("a.ini", INI, " \n\t\n", "", "The snippet is empty.", id="nothing but space"),
    ],
)  # fmt: skip
def test_a_snippet_that_could_go_wrong_is_refused(path: str, text: str, snippet: str, into: str, message: str) -> None:
    target = doc(text, path)
    with pytest.raises(SnippetRefused) as caught:
        apply_plan(target, plan_merge(target, snippet, into))
    assert str(caught.value).startswith(message)


TWINS = (
    '<finds>\n  <find name="A" w="1"/>\n  <find name="A" w="2"/>\n'
    + "".join(f'  <find name="n{i}"/>\n' for i in range(40))
    + "</finds>\n"
)


def test_an_entry_that_stands_twice_asks() -> None:
    target = doc(TWINS, "a.xml")
    plan = plan_merge(target, '<find name="A" w="9"/>')
    (action,) = plan.actions
    assert (action.kind, action.reason) == (ActionKind.ASK, "2 entries of a.xml have this name.")
    with pytest.raises(SnippetRefused, match="Choose an action for it first"):
        apply_plan(target, plan)
    assert apply_plan(target, plan.decided({action.address: ActionKind.SKIP})).text == TWINS


def test_another_kind_of_content_asks_and_can_be_replaced() -> None:
    target = doc(YAML, "a.yml")
    plan = plan_merge(target, "settings:\n  volume: {left: 1, right: 2}\n")
    (action,) = plan.actions
    assert (action.kind, action.reason) == (ActionKind.ASK, "The snippet has another kind of content here.")


def test_replace_takes_the_whole_entry_and_skip_none_of_it() -> None:
    target = doc(XML, "a.xml")
    plan = plan_merge(target, '<find name="A" w="8"/><find name="B" w="9"/>')
    chosen = plan.decided({"find[A]": ActionKind.REPLACE, "find[B]": ActionKind.SKIP})
    assert apply_plan(target, chosen).text == '<finds>\n  <find name="A" w="8"/>\n  <find name="B" w="2"/>\n</finds>\n'


def test_the_plan_says_what_each_action_touches() -> None:
    plan = plan_merge(doc(INI, "a.ini"), "[Station]\nName=Coral\nBerths=30\nDock=4\n")
    assert [(a.kind, a.address, a.line, [(c.old, c.new) for c in a.changes]) for a in plan.actions] == [
        ("same", "Station/Name", 2, []),
        ("combine", "Station/Berths", 3, [("24", "30")]),
        ("add", "Station/Dock", 4, [(None, "Dock=4")]),
    ]


@pytest.mark.parametrize(
    ("text", "cleaned", "note"),
    [
        ("```ini\na=1\n```", "a=1", "Removed the code fence (```)."),
        ("<pre class='x'><code>a=1\n</code></pre>", "a=1", "Removed the web page's <code> tags."),
        ("a=1<br>b=2<br/>\nc=3", "a=1\nb=2\nc=3", "Replaced the web page's <br> by line ends."),
        ("a=&quot;x&quot; &amp; y", 'a="x" & y', "Replaced the web page's entities (&quot; and the like) by their characters."),
        ("a=\u201ex\u201d \u2018y\u2019", "a=\"x\" 'y'", "Straightened bent quotation marks."),
        ("  1 [A]\n  2 a=1\n  3\n  4 b=2", "[A]\na=1\n\nb=2", "Removed the line numbers that were copied along."),
        ("12: [A]\n13: a=1", "[A]\na=1", "Removed the line numbers that were copied along."),
        ("> [A]\n> a=1\n>\n> b=2", "[A]\na=1\n\nb=2", "Removed the prompt signs at the start of the lines."),
        ("<span class='k'>a</span>=<b>1</b>", "a=1", "Removed the tags with which a web page had coloured it."),
        ("a=1\ufeff\nb=\u00ad2", "a=1\nb=2", "Removed invisible characters."),
        ("a\u00a0=\u202f1", "a = 1", "Replaced no-break spaces by plain ones."),
        ("a\u200b=\ufeff1", "a=1", "Removed invisible characters."),
    ],
)  # fmt: skip
def test_what_publishing_did_to_it_is_undone_and_said(text: str, cleaned: str, note: str) -> None:
    found = clean(text, Format.INI)
    assert (found.text, found.notes[-1]) == (cleaned, note)


def test_what_is_clean_stays_without_a_note() -> None:
    assert clean("a=1\r\nb=2\r\n").text == "a=1\nb=2"
    assert clean("a=1\nb=2").notes == ()
    assert clean('<find t="a &quot; b"/>', Format.XML).text == '<find t="a &quot; b"/>'


@pytest.mark.parametrize(
    ("text", "format", "cleaned"),
    [
        ("a:\n\tb: 1\n\t\tc: 2", Format.YAML, "a:\n  b: 1\n    c: 2"),
        ("&lt;find name=&quot;A&quot;/&gt;", Format.XML, '<find name="A"/>'),
        ("<span class=t>&lt;find</span> name=&quot;A &amp;amp; B&quot;/&gt;", Format.XML, '<find name="A &amp; B"/>'),
        ('<find t="1 &lt; 2"/>', Format.XML, '<find t="1 &lt; 2"/>'),
        ("1=2\n3=4", Format.INI, "1=2\n3=4"),
        ("1: coral\n2: lantern", Format.YAML, "1: coral\n2: lantern"),
        ("1 a=1\n2 b=2", Format.TEXT, "1 a=1\n2 b=2"),
        ("10 a\n20 b", Format.TEXT, "10 a\n20 b"),
        ("1\n2\n4", Format.TEXT, "1\n2\n4"),
        ("> a\nb", Format.TEXT, "> a\nb"),
        ("a:\tb", Format.INI, "a:\tb"),
    ],
)
def test_what_may_be_content_is_left_alone(text: str, format: Format, cleaned: str) -> None:
    assert clean(text, format).text == cleaned
