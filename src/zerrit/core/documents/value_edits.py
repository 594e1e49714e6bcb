"""
Edits through addresses.

Every edit is worked out as splices on the text; then the text is read again, and an edit after which the file
has a fault that it did not have before is refused. So an edit either gives a sound document or changes nothing.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal
from enum import StrEnum
from itertools import pairwise
from typing import Final

from zerrit.core.addresses import Segment, print_segments
from zerrit.core.documents.closed_text import are_lines, full_name, is_cut_out, setting_beside
from zerrit.core.documents.document import Document
from zerrit.core.documents.format_writer import dedented, source_of, writer_of
from zerrit.core.documents.lookup import find, node_at
from zerrit.core.documents.measures import Declared, Measure, Measured, measured
from zerrit.core.documents.node import Node, NodeKind
from zerrit.core.documents.scalars import as_number, as_switch, spell_number, spell_switch
from zerrit.core.documents.source import Splice, splice
from zerrit.core.errors import EditRefused

MOST_IN_TURN: Final = 500  #: places that are edited one after the other
MOST_READ: Final = 400_000_000  #: characters that are read again for them
MOST_PLACES: Final = 100_000  # that one step changes; a pattern that fits more is surely a slip


_ADJUSTMENT: Final = re.compile(
    r"([+\-*])\s*(\d{1,40}(?:\.\d{1,40})?)(?:\s+from\s+(-?\d{1,40}(?:\.\d{1,40})?))?"
    r"(?:\s+to\s+(-?\d{1,40}(?:\.\d{1,40})?))?\Z"
)


class OperationKind(StrEnum):
    SET = "="
    ADD = "+"
    SUBTRACT = "-"
    MULTIPLY = "*"
    SWITCH = "switch"


@dataclass(frozen=True, slots=True)
class Operation:
    """What is done to a value: `=40`, `+10`, `-10`, `*1.5`, `on`, `off`.

    An adjustment can be bounded: `*1.5 from 0 to 400` goes no further than that. A value that is outside already
    stays where it is rather than jump to the bound. Of a range `+` and `-` move the upper end, `*` both ends; a
    quantity keeps its unit.
    """

    kind: OperationKind
    operand: str
    low: str = ""
    high: str = ""

    def __str__(self) -> str:
        text = self.operand if self.kind is OperationKind.SWITCH else f"{self.kind.value}{self.operand}"
        return text + (f" from {self.low}" if self.low else "") + (f" to {self.high}" if self.high else "")

    def apply(self, old: str, declared: Declared | None = None) -> str:
        """The new value. White space around the old one, which an element of XML may hold, stays.

        `declared` is what a gamebook says of the value. Raises EditRefused: the old value is not a number or no switch
        where the operation needs one.
        """
        if self.kind is OperationKind.SET:
            return self.operand
        body = old.strip()
        start = old.index(body)
        return (
            old[:start]
            + self._applied(body, declared.measure if declared is not None else None)
            + old[start + len(body) :]
        )

    def _applied(self, old: str, measure: Measure | None) -> str:
        if self.kind is OperationKind.SWITCH:
            if as_switch(old) is None:
                raise EditRefused(
                    f"`{old}` is not a switch (yes/no, true/false, on/off, 1/0). Set a value with = instead."
                )
            return spell_switch(self.operand == "on", old)
        found = measured(old, measure)
        if found is None:
            other = next((one for one in Measure if measured(old, one) is not None), None)
            more = (
                f", or say `is: {other.value}` of it in the gamebook" if other is not None and measure is None else ""
            )
            raise EditRefused(f"`{old}` is not a number, so `{self}` cannot be done. Set a value with = instead{more}.")
        if not found.is_range:
            return found.respelled(lambda _, number, text: self._adjusted(number, text))
        return self._adjusted_range(found)

    def _adjusted_range(self, found: Measured) -> str:
        is_scaled = self.kind is OperationKind.MULTIPLY
        result = found.respelled(
            lambda index, number, text: self._adjusted(number, text) if is_scaled or index == 1 else text
        )
        after = measured(result, Measure.RANGE)
        if found.low <= found.high and (after is None or after.low > after.high):
            raise EditRefused(
                f"`{self}` would make `{found.text}` into `{result}`, whose ends are the wrong way round. "
                "Set the range with = instead."
            )
        return result

    def _adjusted(self, number: Decimal, old: str) -> str:
        """One number of a value after the adjustment."""
        by = Decimal(self.operand)
        if self.kind is OperationKind.MULTIPLY:
            return self._bounded(number, number * by, old)
        result = number + by if self.kind is OperationKind.ADD else number - by
        finer = self.operand if len(self.operand.partition(".")[2]) > len(old.partition(".")[2]) else old
        return self._bounded(number, result, finer)

    def _bounded(self, number: Decimal, result: Decimal, like: str) -> str:
        """Spell the result, cut at the bound that is between the old value and it."""
        spelt = spell_number(result, like)
        if self.high and Decimal(spelt) > Decimal(self.high):
            return spell_number(Decimal(self.high) if number <= Decimal(self.high) else min(number, result), like)
        if self.low and Decimal(spelt) < Decimal(self.low):
            return spell_number(Decimal(self.low) if number >= Decimal(self.low) else max(number, result), like)
        return spelt


def parse_operation(text: str) -> Operation:
    """Read `=40`, `+10`, `-10`, `*1.5`, `on` or `off`.

    Raises EditRefused: it is none of these.
    """
    if text.startswith("="):
        return Operation(OperationKind.SET, text[1:])
    if text in ("on", "off"):
        return Operation(OperationKind.SWITCH, text)
    match = _ADJUSTMENT.match(text.strip())
    if match:
        kind, operand, low, high = match.groups()
        if low and high and Decimal(low) > Decimal(high):
            raise EditRefused(f"`{text}`: the bounds are the wrong way round; write the smaller one after `from`.")
        return Operation(OperationKind(kind), operand, low or "", high or "")
    raise EditRefused(
        f"`{text}` is not an operation. Write =40 to set, +10 or -10 to adjust, *1.5 to multiply (with bounds: "
        "*1.5 from 0 to 400), on or off to switch."
    )


@dataclass(frozen=True, slots=True)
class ValueChange:
    """One place that an edit changed; `old` is None for what is new, `new` is None for what is gone."""

    address: str
    old: str | None
    new: str | None


@dataclass(frozen=True, slots=True)
class Edit:
    """The document after an edit, and what changed. No changes: it was so already."""

    document: Document
    changes: tuple[ValueChange, ...]


def set_values(document: Document, segments: tuple[Segment, ...], operation: Operation) -> Edit:
    """Do `operation` on every value that the segments lead to.

    Raises AddressNotFound, EditRefused; the document is then as it was.
    """
    return set_each(
        document, find(document, segments), lambda node, old: operation.apply(old, document.declared_of(node))
    )


def require_few(count: int) -> None:
    """Raises EditRefused: a pattern fits more places than one step changes."""
    if count > MOST_PLACES:
        raise EditRefused(f"The pattern fits {count:,} places; at most {MOST_PLACES:,} are changed in one step.")


def set_each(document: Document, nodes: Sequence[Node], new_of: Callable[[Node, str], str]) -> Edit:
    """Give every value another one, which `new_of` makes of the node and its value.

    Raises EditRefused; the document is then as it was.
    """
    require_few(len(nodes))
    writer = writer_of(document.format)
    splices: list[Splice] = []
    changes: list[ValueChange] = []
    for node in nodes:
        if node.value is None and (node.children or not node.is_value) and not document.format.traits.attributes:
            raise _holds_others(document, node)
        old = node.value if node.value is not None else ""
        try:
            new = new_of(node, old)
            if new == old:
                continue
            splices += writer.set_value(document, node, new)
        except EditRefused as refusal:
            raise EditRefused(f"{place_of(document, node)}: {refusal}") from refusal
        changes.append(ValueChange(document.keys.address_of(node), old, new))
    return Edit(rewrite(document, splices), tuple(changes))


def add_entry(document: Document, parent_segments: tuple[Segment, ...], name: str, fields: Mapping[str, str]) -> Edit:
    """Add an entry called `name` (empty for an item of a list) with `fields` behind its siblings.

    No change when the same entry is there already.

    Raises AddressNotFound, EditRefused: also when another entry with that key is there.
    """
    parent = single(document, parent_segments)
    if any(_has_fields(document, child, fields) for child in parent.children if child.name == name):
        return Edit(document, ())
    siblings = [child for child in parent.children if child.name == name]
    # In a table of a script the entries differ in their names and are alike in what they have.
    beside = parent.children if document.format.traits.script and parent.parent is not None else siblings
    like = next((child for child in reversed(beside) if not child.is_value or child.children), None)
    writer = writer_of(document.format)
    source = writer.render(document, name, fields, like)
    return _added(document, parent, name, source, siblings[-1] if siblings else None)


def _has_fields(document: Document, node: Node, fields: Mapping[str, str]) -> bool:
    """It has all these fields with these values, and the one that names it is among them."""
    key = document.keys.field_for(node.names)
    wanted = {name.removeprefix("@"): value for name, value in fields.items()}
    own = {child.name.removeprefix("@"): child.value for child in node.children}
    return key is not None and key.removeprefix("@") in wanted and wanted.items() <= own.items()


def add_field(document: Document, parent_segments: tuple[Segment, ...], name: str, value: str) -> Edit:
    """Add one field with a value to an entry, or one value to a list (`name` empty).

    Raises AddressNotFound, EditRefused: also when the field is there already.
    """
    parent = single(document, parent_segments)
    existing = parent.child(name) if name and not are_lines(document, parent) else None
    if existing is not None and not _may_repeat(document, parent, name):
        raise EditRefused(
            f"{place_of(document, existing)} is there already with the value `{existing.value}`. Set it instead."
        )
    twin = next((child for child in _equals(document, parent, name) if child.value == value), None)
    if twin is not None:
        raise EditRefused(f"{place_of(document, twin)} has the value `{value}` already.")
    source = writer_of(document.format).render_field(document, parent, name, value)
    # A value of a slot or option is known by the text around it, which is beside its like.
    has_place = are_lines(document, parent) or bool(document.format.traits.key)
    after = next((child for child in reversed(parent.children) if child.name == name), None) if has_place else None
    if after is None and document.format.traits.script and parent.parent is None and name not in ("", "line"):
        after = setting_beside(document)
    return _added(document, parent, name, source, after)


def _may_repeat(document: Document, parent: Node, name: str) -> bool:
    """A setting can be there several times where its form says so, or where it is already."""
    if not document.format.traits.may_repeat or document.format.traits.attributes:
        return False
    return name[0] in "+-!." or sum(child.name == name for child in parent.children) > 1


def _equals(document: Document, parent: Node, name: str) -> list[Node]:
    """The values beside which an equal one would say nothing new: those of a list of different words."""
    kind = name or ("line" if document.format.traits.line_based and parent.parent is None else "")
    own = [child for child in parent.children if child.name == kind and (child.value or "").strip()]
    values = [child.value for child in own]
    are_words = all(child.is_value and as_number(child.value or "") is None for child in own)
    return own if are_words and len(set(values)) == len(values) else []


def copy_entry(document: Document, segments: tuple[Segment, ...], new_key: str, *, throughout: bool = False) -> Edit:
    """Copy one entry under a new key, or what is told by its name under a new name, and put it behind the original.

    `throughout`: the old word becomes the new one wherever it stands in the entry, in each of its letter cases.

    Raises AddressNotFound, EditRefused: the entry has no key, or the new key is taken.
    """
    node = single(document, segments)
    field = document.keys.field_for(node.names)
    parent = node.parent
    if parent is not None and (field is None or not document.keys.key_of(node)) and _is_told_by_name(document, node):
        return _copied_by_name(document, node, parent, new_key, throughout=throughout)
    if field is None or parent is None:
        raise EditRefused(f"{place_of(document, node)} has no key by which a copy could be told from it.")
    if any(document.keys.key_of(child) == new_key for child in parent.children if child.name == node.name):
        raise EditRefused(f"{place_of(document, parent)} has an entry [{new_key}] already. Choose another key.")
    writer = writer_of(document.format)
    bare = document.text[node.start : node.end]
    key_node = node if field == "=" else node.child(field)
    if key_node is None:
        raise EditRefused(f"{place_of(document, node)} lacks the field {field} that names it.")
    rekeyed = splice(
        bare,
        [
            Splice(s.start - node.start, s.end - node.start, s.text)
            for s in writer.set_value(document, key_node, new_key)
        ],
    )
    if throughout:
        rekeyed = _recased_all_over(bare, document.keys.key_of(node), new_key)
    source = dedented(document, node.start, rekeyed)
    return _added(document, parent, node.name, source, node)


def _is_told_by_name(document: Document, node: Node) -> bool:
    """Its name tells it from its siblings, as the keys of a mapping do."""
    if not node.name or node.name.startswith("@") or node.parent is None or is_cut_out(document, node):
        return False
    is_alone = sum(child.name == node.name for child in node.parent.children) == 1
    return document.format.traits.named_parts and is_alone


def _copied_by_name(document: Document, node: Node, parent: Node, new_name: str, *, throughout: bool) -> Edit:
    new_name = full_name(document, node, new_name)
    if any(child.name == new_name for child in parent.children):
        raise EditRefused(f"{place_of(document, parent)} has {new_name} already. Choose another name.")
    bare = document.text[node.start : node.end]
    renaming = writer_of(document.format).rename(document, node, new_name)
    pieces = [Splice(one.start - node.start, one.end - node.start, one.text) for one in renaming]
    renamed = splice(bare, pieces)
    if throughout:
        head = max(piece.start + len(piece.text) for piece in pieces)
        renamed = renamed[:head] + _recased_all_over(renamed[head:], node.name, new_name)
    return _added(document, parent, new_name, dedented(document, node.start, renamed), node)


def _recased_all_over(text: str, old: str, new: str) -> str:
    """The new word for the old one; where both begin or end with the same words, for what differs between them, too."""
    done = recased(text, old, new)
    start = max(
        (at + 1 for at in range(min(len(old), len(new))) if old[: at + 1] == new[: at + 1] and not old[at].isalnum()),
        default=0,
    )
    rest, other = old[start:], new[start:]
    end = max(
        (at for at in range(1, min(len(rest), len(other))) if rest[-at:] == other[-at:] and not rest[-at].isalnum()),
        default=0,
    )
    word, new_word = rest[: len(rest) - end], other[: len(other) - end]
    return recased(done, word, new_word) if (start or end) and word and new_word else done


def recased(text: str, old: str, new: str) -> str:
    """The text with another word for `old`, in each of its letter cases.

    A word is not a part of another: in `kx12` there is no `kx1`, in `kx1_wheel` and `Kx1Wheel` there is.
    """
    cases = {old: new}
    for case in (str.lower, str.upper, _first_upper, _first_lower):
        cases.setdefault(case(old), case(new))
    for sign in "-_" if " " in old else "":  # as names of files and ids have them
        cases.setdefault(old.lower().replace(" ", sign), new.lower().replace(" ", sign))
    words = "|".join(re.escape(word) for word in sorted(cases, key=len, reverse=True))
    pattern = re.compile(
        rf"(?<![A-Za-z0-9])(?:{words})(?![a-z0-9])|(?<=[a-z0-9])(?:{re.escape(_first_upper(old))})(?![a-z0-9])"
    )
    return pattern.sub(lambda match: _in_word(match, cases), text)


def _in_word(match: re.Match[str], cases: Mapping[str, str]) -> str:
    """The new word; a part of a word in capitals only where it is one itself."""
    found, following = match.group(), match.string[match.end() : match.end() + 1]
    is_part = following.isupper() and found.isupper()
    return found if is_part else cases[found]


def _first_upper(word: str) -> str:
    return word[:1].upper() + word[1:]


def _first_lower(word: str) -> str:
    return word[:1].lower() + word[1:]


def remove_nodes(document: Document, segments: tuple[Segment, ...]) -> Edit:
    """Take out everything that the segments lead to, with the comments that document it.

    Raises AddressNotFound, EditRefused.
    """
    nodes = find(document, segments)
    if any(node.parent is None for node in nodes):
        raise EditRefused("The whole file cannot be removed by an address inside it.")
    writer = writer_of(document.format)
    current = document
    changes: list[ValueChange] = []
    # Several items between the same commas share splices, so they go one after the other, the last first.
    for node in nodes:
        changes.append(ValueChange(document.keys.address_of(node), source_of(document, node), None))
    require_few(len(nodes))
    needs_turns = len({id(node.parent) for node in nodes}) < len(nodes) and document.format.traits.named_parts
    together = _removed_together(document, nodes) if needs_turns else None
    if together is not None:
        current = together
    elif needs_turns:
        require_turns(document, len(nodes))
        for node in sorted(nodes, key=lambda n: -n.start):
            twin = node_at(current, node.start, node.name)
            current = rewrite(current, writer.remove(current, twin))
    else:
        current = rewrite(document, [s for node in nodes for s in writer.remove(document, node)])
    if document.format.traits.script:
        rest = opened(document.root)
        for node in nodes:
            rest.subtract(opened(node))
        if rest - opened(current.root):
            raise EditRefused(
                f"Without {place_of(document, nodes[0])} the rest of the script could not be read any more."
            )
    return Edit(current, tuple(changes))


def _removed_together(document: Document, nodes: Sequence[Node]) -> Document | None:
    """The document without the nodes, written at once; None where what is written at one touches the next, or leaves another rest.

    It is read again, and everything else has to be there as before.
    """
    writer = writer_of(document.format)
    pieces = sorted((s for node in nodes for s in writer.remove(document, node)), key=lambda piece: piece.start)
    if any(one.end > other.start for one, other in pairwise(pieces)):
        return None
    try:
        after = rewrite(document, pieces)
    except EditRefused:
        return None
    rest = _all_of(document.root)
    for node in nodes:
        rest.subtract(_all_of(node))
    parents = {id(node.parent): node.parent for node in nodes if node.parent is not None}
    left = _all_of(after.root)
    # A group that nothing is left in may be read as an empty value.
    may_differ = sum(all(child in nodes for child in parent.children) for parent in parents.values())
    return after if (rest - left).total() + (left - rest).total() <= 2 * may_differ else None


def _all_of(root: Node) -> Counter[tuple[tuple[str, ...], str | None]]:
    return Counter((node.names, node.value) for node in root.walk())


def require_turns(document: Document, count: int) -> None:
    """Raises EditRefused: the places are too many to be edited one after the other."""
    if count > MOST_IN_TURN or count * len(document.text) > MOST_READ:
        raise EditRefused(
            f"The pattern fits {count:,} places; in a file of this kind and size fewer are changed in one step. Choose fewer."
        )


def opened(root: Node) -> Counter[tuple[str, str | None]]:
    """The names and values that are read in a part of a script, besides its code."""
    return Counter((one.name, one.value) for one in root.walk() if one.name != "line")


def rewrite(document: Document, splices: Iterable[Splice]) -> Document:
    """Apply splices and read again.

    Raises EditRefused: the text would have a fault that it does not have now, or cannot be written in its encoding.
    """
    pieces = list(splices)
    if not pieces:
        return document
    after = document.with_splices(pieces)
    before = Counter(finding.code for finding in document.faults)
    for finding in after.faults:
        before[finding.code] -= 1
        if before[finding.code] < 0:
            raise EditRefused(
                f"The edit would break {document.path or 'the file'}, line {finding.line}: {finding.message} Nothing was changed."
            )
    try:
        after.to_bytes()
    except UnicodeEncodeError as error:
        character = error.object[error.start : error.end]
        raise EditRefused(
            f"`{character}` cannot be written in the encoding of {document.path} ({document.source.encoding}). Nothing was changed."
        ) from error
    return after


def _added(document: Document, parent: Node, name: str, source: str, after: Node | None) -> Edit:
    splices = writer_of(document.format).insert(document, parent, [source], after)
    edited = rewrite(document, splices)
    # By its place: what is added may be a part of the address, as in the lines of a text.
    new_parent = node_at(edited, parent.start, parent.name) if parent.parent is not None else edited.root
    same = [child for child in new_parent.children if child.name == name]
    number = sum(child.name == name for child in parent.children)
    if len(same) != number + 1:
        raise EditRefused(f"`{source}` cannot be added to {place_of(document, parent)}. Nothing was changed.")
    index = next(i for i, child in enumerate(parent.children) if child is after) if after is not None else -1
    added = new_parent.children[index + 1] if after is not None else same[-1]
    if number == 0:  # a section goes to the end of its file
        added = same[0]
    elif not document.format.traits.ordered:  # it is where its key puts it
        known = {document.text[child.start : child.end] for child in parent.children if child.name == name}
        added = next(child for child in same if edited.text[child.start : child.end] not in known)
    # By the keys as they were: a twin would make its kind choose another key field, and so hide itself.
    key = document.keys.key_among(parent.names, added)
    if key and any(document.keys.key_of(child) == key for child in parent.children if child.name == name):
        raise EditRefused(
            f"{place_of(document, parent)} has {name}[{key}] already. Set its fields, or choose another key."
        )
    return Edit(edited, (ValueChange(edited.keys.address_of(added), None, source),))


def single(document: Document, segments: tuple[Segment, ...]) -> Node:
    """The one node that the segments lead to.

    Raises AddressNotFound, EditRefused: they lead to several.
    """
    nodes = find(document, segments) if segments else [document.root]
    if len(nodes) > 1:
        raise EditRefused(
            f"{document.path}#{print_segments(segments)} leads to {len(nodes)} places; this step needs exactly one."
        )
    return nodes[0]


def _holds_others(document: Document, node: Node) -> EditRefused:
    fields = [child.name for child in node.children if child.name][:6]
    what = f" Its fields are: {', '.join(fields)}." if fields else ""
    kind = "list" if node.kind is NodeKind.LIST else "group"
    return EditRefused(f"{place_of(document, node)} is a {kind}, no single value.{what}")


def place_of(document: Document, node: Node) -> str:
    """How a place is named in a message: the file and the address in it."""
    address = document.keys.address_of(node)
    return f"{document.path}#{address}" if address else (document.path or "the file")
