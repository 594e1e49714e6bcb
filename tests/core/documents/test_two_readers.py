"""What is read quickly is read the same: the quick reader and the patient one, the entry again and the whole."""

from __future__ import annotations

import json
import re
from typing import Any

from hypothesis import given, settings
from hypothesis import strategies as st

from zerrit.core import Document, read_document
from zerrit.core.documents import Node
from zerrit.core.documents.findings import Report, in_reading_order
from zerrit.core.documents.json.fast_reader import read_sound as read_sound_json
from zerrit.core.documents.json.recovering_reader import read_faulty as read_faulty_json
from zerrit.core.documents.json.tolerant_reader import read_relaxed
from zerrit.core.documents.source import Splice, decode
from zerrit.core.documents.xml.fast_reader import is_well_formed, read_sound
from zerrit.core.documents.xml.recovering_reader import read_faulty as read_faulty_xml


def shape(node: Node) -> tuple[Any, ...]:
    """All that a node says, and all below it."""
    own = (node.kind, node.name, node.start, node.end, node.value, node.value_start, node.value_end)
    return (*own, node.is_quoted, node.comment, node.lead_start, [shape(child) for child in node.children])


_NAMES = st.sampled_from(["find", "finds", "band", "a", "\u00e9"])
_GAPS = st.sampled_from(["", "\n", "\n  ", " ", "\r\n", "\n\n", ","])
_ATTRIBUTES = st.lists(st.sampled_from(['x="1"', "y = 'a > b'", 'z="&lt;/find>"']), unique=True, max_size=3)
_MARKUP = st.sampled_from(
    ["<!-- of brass -->", "<!--><find>-->", "<![CDATA[</find> & <a>]]>", "<?sort </a>?>", "text &amp; more"]
)


@st.composite
def elements(draw: st.DrawFn, depth: int = 0) -> str:
    name = draw(_NAMES)
    tag = " ".join([name, *draw(_ATTRIBUTES)])
    if draw(st.booleans()):
        return f"<{tag}{draw(_GAPS).strip(',')}/>"
    inside = st.one_of(_MARKUP, elements(depth + 1)) if depth < 4 else _MARKUP
    parts = draw(st.lists(st.tuples(_GAPS, inside), max_size=4))
    return f"<{tag}>{''.join(gap + part for gap, part in parts)}{draw(_GAPS)}</{name}>"


@settings(max_examples=400)
@given(elements(), st.sampled_from(["", '<?xml version="1.0"?>\n', "<!-- head -->\n"]))
def test_both_readers_of_xml_make_the_same_tree(element: str, head: str) -> None:
    source = decode((head + element + "\n").encode())
    assert is_well_formed(source.text)
    quick = read_sound(source)
    report = Report(source, "a.xml")
    patient = read_faulty_xml(source, report)
    assert report.findings == []
    assert quick is not None
    assert shape(quick) == shape(patient)


_VALUES = st.recursive(
    st.one_of(st.none(), st.booleans(), st.integers(), st.floats(allow_nan=False, allow_infinity=False), st.text()),
    lambda inner: st.one_of(st.lists(inner, max_size=4), st.dictionaries(st.text(max_size=4), inner, max_size=4)),
    max_leaves=20,
)


@settings(max_examples=300)
@given(_VALUES, st.sampled_from([None, 2, "\t"]), st.booleans())
def test_both_readers_of_json_make_the_same_tree(value: Any, indent: Any, is_ascii: bool) -> None:
    source = decode(json.dumps(value, indent=indent, ensure_ascii=is_ascii).encode("utf-8", "surrogatepass"))
    quick = read_sound_json(source)
    report = Report(source, "a.json")
    patient = read_faulty_json(source, report)
    assert report.findings == []
    assert quick is not None
    assert shape(quick) == shape(patient)


@settings(max_examples=400)
@given(_VALUES, st.sampled_from([None, 2]), st.data())
def test_comments_and_last_commas_change_nothing_of_that(value: Any, indent: Any, data: st.DataObject) -> None:
    text = json.dumps(value, indent=indent)
    gaps = [match.end() for match in re.finditer(r'"(?:[^"\\]|\\.)*"|[\[\]{},:]|[^\s",:\[\]{}]+', text)]
    for at in sorted(data.draw(st.lists(st.sampled_from([0, *gaps]), max_size=4, unique=True)), reverse=True):
        remark = data.draw(st.sampled_from(["/* a, ] */", " // b\n", " # c\n", "\n// d\n\n", ",", "\n"]))
        if remark != "," or re.match(r"\s*[\]}]", text[at:]):
            text = text[:at] + remark + text[at:]
    source = decode(text.encode())
    quick_report, report = Report(source, "a.json"), Report(source, "a.json")
    quick = read_relaxed(source, quick_report)
    if quick is not None:
        patient = read_faulty_json(source, report)
        assert in_reading_order(quick_report.findings) == in_reading_order(report.findings)
        assert shape(quick) == shape(patient)


def fresh(document: Document) -> Document:
    return read_document(document.to_bytes(), document.path)


@settings(max_examples=400)
@given(st.lists(elements(3), min_size=1, max_size=4), st.data())
def test_reading_one_entry_again_is_reading_the_whole_again(entries: list[str], data: st.DataObject) -> None:
    text = "<root>\n  " + "\n  <!-- c --> ".join(entries) + " <!-- d -->\n</root>\n"
    document = read_document(text.encode(), "a.xml")
    for node in data.draw(st.lists(st.sampled_from(list(document.root.walk())), max_size=2)):
        assert node.children is not None  # some insides are read before the edit, some are not
    start = data.draw(st.integers(0, len(text)))
    end = data.draw(st.integers(start, min(start + 6, len(text))))
    piece = data.draw(
        st.sampled_from(["", "x", "<a/>", "</find>", "<!-- y -->", "&amp;", '"', "\n", ">", "<find>z</find>"])
    )
    edited = document.with_splices([Splice(start, end, piece)])
    again = fresh(edited)
    assert edited.findings == again.findings
    assert shape(edited.root) == shape(again.root)
