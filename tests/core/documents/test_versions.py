"""A second version of a file, read on the strength of the first, is what reading it afresh gives."""

from __future__ import annotations

import random

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from zerrit.core import read_document
from zerrit.core.documents import Node
from zerrit.core.documents.source import Splice, splice
from zerrit.core.documents.text_delta import pieces_between

LINES = st.lists(st.sampled_from(["a\n", "b\n", "\n", "c c\r\n", "d"]), max_size=40)


@settings(max_examples=300)
@given(LINES, LINES)
def test_the_pieces_turn_one_text_into_the_other(old: list[str], new: list[str]) -> None:
    one, other = "".join(old), "".join(new)
    pieces = pieces_between(one, other)
    assert pieces is not None
    assert splice(one, pieces) == other
    assert pieces_between(one, one) == []


def test_texts_with_nothing_in_common_are_left_to_a_full_reading() -> None:
    assert pieces_between("a\n" * 20_000, "b\n" * 20_000) is None


def tree(node: Node) -> tuple[object, ...]:
    place = (node.start, node.end, node.value_start, node.value_end, node.lead_start)
    return node.kind, node.name, node.value, node.comment, node.is_quoted, place, tuple(map(tree, node.children))


def finds(chance: random.Random) -> list[str]:
    lines = ["<finds>\n"]
    for number in range(30):
        if chance.random() < 0.2:
            lines.append(f"  <!-- about {number} -->\n")
        lines += [f'  <find name="f{number}">\n', f'    <band at="shelf" holds="{number}"/>\n', "  </find>\n"]
    return [*lines, "</finds>\n"]


def vary(chance: random.Random, lines: list[str]) -> None:
    place = chance.randrange(len(lines))
    match chance.randrange(7):
        case 0:
            lines[place] = lines[place].replace("shelf", "abyss")
        case 1:
            del lines[place]
        case 2:
            lines.insert(place, lines[place])
        case 3:
            lines.insert(place, "  <!-- new -->\n")
        case 4:
            lines[place] = lines[place].rstrip("\n") + " <!-- beside -->\n"
        case 5:
            block = lines[place : place + 6]
            del lines[place : place + 6]
            at = chance.randrange(len(lines) + 1)
            lines[at:at] = block
        case _:
            lines[place] = lines[place].replace(">", "", 1)


@pytest.mark.parametrize("seed", range(250))
def test_another_version_is_read_as_if_afresh(seed: int) -> None:
    chance = random.Random(seed)
    lines = finds(chance)
    first = read_document("".join(lines).encode(), "finds.xml")
    assert first.ok
    for _ in range(chance.randrange(1, 5)):
        vary(chance, lines)
    data = "".join(lines).encode()
    version, afresh = first.other_version(data), read_document(data, "finds.xml")
    assert version.to_bytes() == data
    assert version.findings == afresh.findings
    assert tree(version.root) == tree(afresh.root)


@given(
    st.integers(0, 200),
    st.integers(0, 12),
    st.sampled_from(["", "<!-->", "-->", "<!--", "-", "]]>", "<?", ">", "<", "&", "x", "<b/>"]),
)
def test_an_edit_of_xml_is_read_as_the_whole_text_would_be(start: int, size: int, put: str) -> None:
    text = '<a>\n  <!-- c -->\n  <b n="1">x</b><!-- d -->\n  <b n="2"><![CDATA[z]]></b>\n  <?p q?>\n  <c k="&amp;"/>\n  <c k="v"/>\n</a>\n'
    document = read_document(text.encode(), "a.xml")
    at = min(start, len(text))
    edited = document.with_splices([Splice(at, min(at + size, len(text)), put)])
    again = read_document(edited.text.encode(), "a.xml")
    assert [(f.code, f.line, f.column) for f in edited.findings] == [(f.code, f.line, f.column) for f in again.findings]
    assert tree(edited.root) == tree(again.root)


def test_a_comment_cut_short_is_found_after_an_edit_too() -> None:
    document = read_document(b"<a>\n<b/><!-- c -->\n<b/>\n</a>\n", "a.xml")
    at = document.text.index(" c --")
    edited = document.with_splices([Splice(at, at + 5, "")])
    assert edited.text == "<a>\n<b/><!-->\n<b/>\n</a>\n"
    assert [finding.code for finding in edited.findings][:1] == ["xml.comment-not-closed"]
