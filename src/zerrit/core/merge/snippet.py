"""
Merge a published snippet into a document: a plan first, then the splices.

The plan has one action per entry. It is found from the content of the snippet alone: entries meet those of the
target by their keys, so merging twice is the same as once. Nothing of the target that the snippet does not name
is touched.
"""

from __future__ import annotations

import textwrap
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from enum import StrEnum
from typing import Final

from zerrit.core.addresses import Segment, keyed_segment, parse_node_address, print_segments
from zerrit.core.documents.closed_text import is_opened_lines
from zerrit.core.documents.document import Document
from zerrit.core.documents.entry_keys import Keys
from zerrit.core.documents.format import Format
from zerrit.core.documents.format_writer import dedented, source_of, writer_of
from zerrit.core.documents.lookup import find
from zerrit.core.documents.node import Node, NodeKind
from zerrit.core.documents.source import Splice
from zerrit.core.documents.value_edits import ValueChange, rewrite
from zerrit.core.errors import EditRefused, SnippetRefused
from zerrit.core.merge.snippet_cleaning import clean
from zerrit.core.merge.snippet_reading import Reading, is_section, read_snippet

MOST_ASKED: Final = 50  # places that someone is asked to choose from


class ActionKind(StrEnum):
    ADD = "add"
    COMBINE = "combine"  #: the fields it names change, the rest stays
    REPLACE = "replace"  #: the whole entry becomes the snippet's
    SAME = "same"  #: nothing to do
    SKIP = "skip"  #: left out by choice
    ASK = "ask"  #: it conflicts; someone must choose


MOST_NOTES: Final = 20
FEW_SIBLINGS: Final = 5  # of fewer, nothing is concluded
_CHANGING: Final = (ActionKind.COMBINE, ActionKind.REPLACE, ActionKind.ASK)
_DOING: Final = (ActionKind.ADD, ActionKind.COMBINE, ActionKind.REPLACE)


@dataclass(frozen=True, slots=True)
class Action:
    """What happens to one entry of the snippet. `changes` are the places it touches, with old and new values.

    `result` is the line of the target as it will read, where the entry is one line.
    """

    kind: ActionKind
    address: str
    line: int  #: in the cleaned snippet, 1-based
    changes: tuple[ValueChange, ...] = ()
    reason: str = ""
    result: str = ""


@dataclass(frozen=True, slots=True)
class MergePlan:
    """The plan, with the cleaned snippet and where it belongs."""

    actions: tuple[Action, ...]
    notes: tuple[str, ...]
    cleaned: str
    _pairs: tuple[tuple[Node, Node | None, Node], ...]  # (snippet node, its twin in the target, the target's parent)
    _snippet: Document
    left_out: frozenset[int] = frozenset()  #: the numbers of actions on entries that are not taken

    @property
    def keys(self) -> Keys:
        """How the entries of the snippet are told apart."""
        return self._snippet.keys

    def entries(self) -> list[tuple[Node, Node]]:
        """For each action the entry of the snippet, and the group of the target that it belongs to."""
        return [(node, parent) for node, _, parent in self._pairs]

    @property
    def is_open(self) -> bool:
        """Some action still asks."""
        return any(action.kind is ActionKind.ASK for action in self.actions)

    def decided(self, choices: Mapping[str, ActionKind]) -> MergePlan:
        """The plan with other actions for the named addresses.

        Raises SnippetRefused: the plan has no such address.
        """
        known = [action.address for action in self.actions]
        for address in choices:
            if address not in known:
                raise SnippetRefused(
                    f"The snippet has no entry {address}, so no action can be chosen for it. It has: {', '.join(known[:8])}."
                )
        actions = tuple(replace(a, kind=choices[a.address]) if a.address in choices else a for a in self.actions)
        return replace(self, actions=actions)


#: New text by the place where it goes: below which parent, behind which sibling.
_Additions = dict[tuple[int, int], tuple[Node, list[str], Node | None]]


def plan_merge(target: Document, snippet: str, into: str = "") -> MergePlan:
    """Work out what merging `snippet` would do; the target stays as it is.

    `into` is the node address of the group that the snippet's entries belong to, for when its content does not
    say it.

    Raises SnippetRefused: the snippet is empty, broken, cut off, or could belong to several places.
    """
    cleaned = clean(snippet, target.format, target.reading.tolerate)
    text = textwrap.dedent(cleaned.text)
    if not text.strip():
        raise SnippetRefused("The snippet is empty. Paste the block that you want to merge.")
    if target.format.traits.line_based and not target.format.traits.script:
        raise SnippetRefused(f"{target.path} is a plain text file; a snippet can only be merged into entries.")
    home = _named_place(target, into) if into else None
    reading = read_snippet(target, text, is_item=home is not None and home.kind is NodeKind.LIST)
    if home is None and (target.format.traits.unique_names or reading.is_fragment):
        home = _list_of(target, reading.tops[0])
        if home is not None and reading.tops[0].kind is not NodeKind.LIST:
            reading = read_snippet(target, text, is_item=True)
    parents = [home for _ in reading.tops] if home is not None else _places(target, reading.tops)
    pairs: list[tuple[Node, Node | None, Node]] = []
    actions: list[Action] = []
    for top, parent in zip(reading.tops, parents, strict=True):
        for action, pair in _plan_below(target, reading, top, parent):
            actions.append(action)
            pairs.append(pair)
    actions = _told_once(reading, actions, pairs)
    if not actions:
        raise SnippetRefused("The snippet holds no entry and no setting; it may be only a comment.")
    notes = (*cleaned.notes, *_comments_left_out(target, actions, pairs))
    plan = MergePlan(tuple(actions), notes, text, tuple(pairs), reading.document)
    return replace(plan, actions=tuple(_with_result(target, plan, number) for number in range(len(actions))))


MOST_RESULTS: Final = 50  # lines of a target that are worked out for a plan to show


def _with_result(target: Document, plan: MergePlan, number: int) -> Action:
    """The action with the line that it makes, where it changes an entry of one line in parentheses."""
    action, (node, twin, parent) = plan.actions[number], plan._pairs[number]
    is_struct = twin is not None and not twin.is_value and target.format is Format.INI
    if twin is None or not is_struct or action.kind not in _CHANGING or number >= MOST_RESULTS:
        return action
    kind = ActionKind.COMBINE if action.kind is ActionKind.ASK else action.kind
    try:
        done = rewrite(target, _splices(target, plan._snippet, ((kind, (node, twin, parent)),)))
    except EditRefused:
        return action
    line = done.text[target.source.line_start(twin.start) : done.source.line_end(twin.start)]
    return replace(action, result=line.strip())


def _comments_left_out(
    target: Document, actions: list[Action], pairs: list[tuple[Node, Node | None, Node]]
) -> list[str]:
    """Comments of the snippet above what the target has already: they are not taken over, and that is said."""
    notes = []
    for action, (node, twin, _) in zip(actions, pairs, strict=True):
        if twin is None or action.kind is ActionKind.SKIP:
            continue
        for place in node.walk():
            if place.comment and place.comment not in target.text:
                shown = place.comment.split("\n")[0][:80]
                notes.append(
                    f"The comment `{shown}` on {action.address} is not taken over; {target.path} keeps its own."
                )
    return notes[:MOST_NOTES]


def apply_plan(target: Document, plan: MergePlan) -> Document:
    """Do what the plan says.

    Raises SnippetRefused: an action still asks. EditRefused: the result would be broken.
    """
    if plan.is_open:
        asked = next(action for action in plan.actions if action.kind is ActionKind.ASK)
        raise SnippetRefused(f"{asked.address}: {asked.reason} Choose an action for it first.")
    meant: set[object] = set()
    for action, pair in zip(plan.actions, plan._pairs, strict=True):
        if action.kind in _DOING:
            if _meant(action, pair) in meant:
                raise SnippetRefused(f"{action.address} occurs twice in the snippet; skip one of the two.")
            meant.add(_meant(action, pair))
    planned = zip((action.kind for action in plan.actions), plan._pairs, strict=True)
    return rewrite(target, _splices(target, plan._snippet, tuple(planned)))


def _splices(
    target: Document, snippet: Document, planned: tuple[tuple[ActionKind, tuple[Node, Node | None, Node]], ...]
) -> list[Splice]:
    """What doing the actions changes in the text of the target."""
    splices: list[Splice] = []
    additions: _Additions = {}
    writer = writer_of(target.format)
    for kind, (node, twin, parent) in planned:
        if kind is ActionKind.ADD:
            _add(snippet, node, parent, additions)
        elif kind is ActionKind.REPLACE and twin is not None:
            splices.append(_replacement(target, twin, _plain_source(snippet, node)))
        elif kind is ActionKind.COMBINE and twin is not None:
            for source_node, target_node, target_parent in _field_pairs(target, node, twin):
                if target_node is None:
                    _add(snippet, source_node, target_parent, additions)
                elif _is_whole_list(target, source_node, target_node):
                    if _content(source_node) != _content(target_node):
                        splices.append(_replacement(target, target_node, _plain_source(snippet, source_node)))
                elif (source_node.value or "") != (target_node.value or ""):
                    splices += writer.set_value(target, target_node, source_node.value or "")
    # A block and the blocks inside it may end at the same place; what belongs deepest comes first there.
    for parent, sources, after in sorted(additions.values(), key=lambda addition: -len(addition[0].names)):
        is_top = target.format.traits.script and parent is target.root  # code may end the file, as a `return` does
        splices += writer.insert(target, parent, sources, after or (_last_opened(target) if is_top else None))
    return splices


def _last_opened(target: Document) -> Node | None:
    return next((one for one in reversed(target.root.children) if is_opened_lines(target, one)), None)


def _plain_source(snippet: Document, node: Node) -> str:
    return dedented(snippet, node.start, snippet.text[node.start : node.end])


# --- where it belongs ---------------------------------------------------------------------------------------------------


def _named_place(target: Document, into: str) -> Node:
    nodes = find(target, parse_node_address(into))
    if len(nodes) != 1 or nodes[0].name.startswith("@") or (nodes[0].is_value and not target.format.traits.attributes):
        raise SnippetRefused(f"{target.path}#{into} is not one group that entries can be added to.")
    return nodes[0]


def _places(target: Document, tops: tuple[Node, ...]) -> list[Node | None]:
    """For each top of the snippet the group of the target that its children belong to; None: a new section."""
    if target.format is Format.INI:
        return [_ini_place(target, top) for top in tops]
    return [_place_by_content(target, tops[0])]


def _ini_place(target: Document, top: Node) -> Node | None:
    if top.parent is not None:
        return next((s for s in target.root.children if s.name == top.name and is_section(target, s)), None)
    names = {
        child.name for child in top.children if (not child.name.startswith("[") and child.is_value) or child.children
    }
    homes = [
        section
        for section in (target.root, *target.root.children)
        if (section is target.root or is_section(target, section))
        and any(child.name in names and not is_section(target, child) for child in section.children)
    ]
    return _only(target, homes, sorted(names))


def _list_of(target: Document, top: Node) -> Node | None:
    """The list of the target that the snippet's items belong to: the one whose items have such fields.

    A group with the fields of such an item is one of them. None where it is not a matter of lists.

    Raises SnippetRefused: no list, or several, have such items.
    """
    is_list = top.kind is NodeKind.LIST
    items = [item for item in top.children if item.children] if is_list else [top]
    if target.root.kind is NodeKind.LIST:
        return target.root
    if is_list and not items:
        raise SnippetRefused(
            "The snippet is a list of plain values; which list it belongs to is not said. Name it with `into`."
        )
    names = {child.name for item in items for child in item.children}
    if not is_list and names & {child.name for child in target.root.children}:
        return None
    homes = [node for node in target.root.walk() if node.kind is NodeKind.LIST and names <= _item_fields(node)]
    if not is_list and not homes:
        return None
    homes = _with_all(target, homes, items)
    return _only(target, homes, sorted(names))


def _item_fields(node: Node) -> set[str]:
    return {child.name for item in node.children for child in item.children}


def _entry_fields(node: Node) -> set[str]:
    """The fields of the named entries that a table holds."""
    entries = [child for child in node.children if child.name and not child.is_value]
    return {part.name for entry in entries for part in entry.children}


def _place_by_content(target: Document, top: Node) -> Node:
    names = {child.name for child in top.children}
    own = {child.name for child in target.root.children}
    if names & own or top.name == target.root.name != "" or not names:
        return target.root
    homes = [
        node
        for node in target.root.walk()
        if not node.is_value and names <= {c.name for c in node.children} and "" not in names
    ]
    if not homes and target.format.traits.script:
        fields = {part.name for child in top.children for part in child.children} - {""}
        homes = [node for node in target.root.walk() if fields and node.name and fields <= _entry_fields(node)]
    if not homes and target.format.traits.unique_names:
        return target.root
    return _only(target, _with_all(target, homes, top.children), sorted(names))


def _with_all(target: Document, homes: list[Node], entries: Sequence[Node]) -> list[Node]:
    """Of several places those that have all these entries already, by their keys; all of them where none has."""
    keyed = [
        home
        for home in homes
        if all(
            target.keys.key_among(home.names, entry) and _twins(target, home.names, entry, home) for entry in entries
        )
    ]
    return keyed or homes


def _only(target: Document, homes: list[Node], names: list[str]) -> Node:
    shown = ", ".join(names[:4])
    if not homes:
        raise SnippetRefused(
            f"Nothing in {target.path} holds {shown}, so the place of the snippet is unknown. Name it with `into`."
        )
    if len(homes) > 1:
        places = tuple(target.keys.address_of(home) for home in homes[:MOST_ASKED])
        listed = ", ".join(place or "the top" for place in places[:5])
        raise SnippetRefused(
            f"{shown} could belong to several places of {target.path}: {listed}. Name one with `into`.", places
        )
    return homes[0]


# --- the plan ---------------------------------------------------------------------------------------------------------

_Planned = tuple[Action, tuple[Node, Node | None, Node]]


def _plan_below(target: Document, reading: Reading, top: Node, parent: Node | None) -> Iterator[_Planned]:
    document = reading.document
    if parent is None:
        source = source_of(document, top)
        address = print_segments((Segment(top.name),))
        change = ValueChange(address, None, source)
        yield (
            Action(ActionKind.ADD, address, reading.line_of(top), (change,), "a new section"),
            (top, None, target.root),
        )
        return
    for child in top.children:
        if top.parent is not None or target.format is not Format.INI or not is_section(document, child):
            yield from _plan_child(target, reading, child, parent)


def _plan_child(target: Document, reading: Reading, child: Node, parent: Node) -> Iterator[_Planned]:
    document, names = reading.document, parent.names
    twins = _twins(target, names, child, parent)
    if not target.keys.key_among(names, child) and parent.kind is NodeKind.LIST:
        twins = twins[:1]  # items without a key that are alike are interchangeable
    address = _address_under(target, parent, names, child)
    line = reading.line_of(child)
    if twins and child.is_value and target.keys.key_of(parent) and child.value == twins[0].value:
        return  # the key, or another field, of an entry that holds the entries which the snippet is about
    if not twins:
        change = ValueChange(address, None, source_of(document, child))
        lacking = _lacking_key(target, names, child)
        kind = ActionKind.ASK if lacking else ActionKind.ADD
        yield Action(kind, address, line, (change,), lacking or _strange(child, parent)), (child, None, parent)
    elif len(twins) > 1:
        why = f"{len(twins)} entries of {target.path} have this name."
        yield Action(ActionKind.ASK, address, line, (), why), (child, twins[0], parent)
    elif _is_container(target, twins[0], child):
        yield from _plan_below(target, reading, child, twins[0])
    else:
        yield _plan_entry(target, reading, child, twins[0], parent, address), (child, twins[0], parent)


def _strange(node: Node, parent: Node) -> str:
    """What is said of a new entry with fields that none of its many siblings has: it may be made for another version."""
    siblings = [child for child in parent.children if child.name == node.name and not child.is_value]
    known = {field.name for sibling in siblings for field in sibling.children}
    strange = dict.fromkeys(field.name for field in node.children if field.name and field.name not in known)
    if len(siblings) < FEW_SIBLINGS or not strange:
        return ""
    shown = ", ".join(list(strange)[:3])
    return f"None of the {len(siblings)} others here has {shown}. Is it made for another version?"


def _lacking_key(target: Document, parent_names: tuple[str, ...], node: Node) -> str:
    """What is said of a new entry without the field that names all its siblings; it is mostly misspelled."""
    field = _key_lacked(target, parent_names, node)
    return (
        f"It has no {field}, by which the others are told apart. Is that misspelled? Add it or skip it."
        if field
        else ""
    )


def _key_lacked(target: Document, parent_names: tuple[str, ...], node: Node) -> str:
    field = target.keys.field_for((*parent_names, node.name))
    if not field or field == "=" or target.keys.key_among(parent_names, node) or not node.children:
        return ""
    return field


def _told_once(reading: Reading, actions: list[Action], pairs: list[tuple[Node, Node | None, Node]]) -> list[Action]:
    """What occurs twice in the snippet is done once; where the two differ, someone must choose."""
    first: dict[object, Node] = {}
    told: list[Action] = []
    for action, pair in zip(actions, pairs, strict=True):
        node = pair[0]
        twin = first.setdefault(_meant(action, pair), node)
        if twin is node or action.kind not in _DOING:
            told.append(action)
        elif _content(twin) == _content(node):
            told.append(replace(action, kind=ActionKind.SAME, reason="It occurs twice in the snippet."))
        else:
            line = reading.line_of(twin)
            why = f"It occurs twice in the snippet, in line {line} with other values. Skip one of the two."
            told.append(replace(action, kind=ActionKind.ASK, reason=why))
    return told


def _meant(action: Action, pair: tuple[Node, Node | None, Node]) -> object:
    """What an action is about: an entry of the target, or a new one by its key; new ones without a key are themselves."""
    node, twin, _ = pair
    if twin is not None:
        return id(twin)
    return action.address if action.address.endswith("]") and not action.address.endswith("[new]") else id(node)


def _plan_entry(target: Document, reading: Reading, node: Node, twin: Node, parent: Node, address: str) -> Action:
    document, line = reading.document, reading.line_of(node)
    if node.kind is not twin.kind and (node.is_value or twin.is_value):
        change = ValueChange(address, source_of(target, twin), source_of(document, node))
        return Action(ActionKind.ASK, address, line, (change,), "The snippet has another kind of content here.")
    changes: list[ValueChange] = []
    for source_node, target_node, target_parent in _field_pairs(target, node, twin):
        if target_node is None:
            where = _address_under(target, target_parent, target_parent.names, source_node)
            changes.append(ValueChange(where, None, source_of(document, source_node)))
        elif _is_whole_list(target, source_node, target_node):
            if _content(source_node) != _content(target_node):
                old, new = source_of(target, target_node), source_of(document, source_node)
                changes.append(ValueChange(target.keys.address_of(target_node), old, new))
        elif (source_node.value or "") != (target_node.value or ""):
            changes.append(ValueChange(target.keys.address_of(target_node), target_node.value, source_node.value))
    doubt = _doubt(target, node, twin) if changes else ""
    kind = ActionKind.ASK if doubt else ActionKind.COMBINE if changes else ActionKind.SAME
    return Action(kind, address, line, tuple(changes), doubt)


def _doubt(target: Document, node: Node, twin: Node) -> str:
    """Why a person has to say whether the entry is combined or replaced; empty where combining is plain.

    A published entry with a list of its own is a whole: with fields that it does not have left from the old one, the two
    would be mixed. Lists that go by number beside one another must keep one length.
    """
    mixed = _mixed_list(target, node, twin) or _nameless_part(target, node, twin)
    if mixed:
        return mixed
    lists = [(s, t) for s, t, _ in _field_pairs(target, node, twin) if t is not None and _is_whole_list(target, s, t)]
    changed = [(s, t) for s, t in lists if _content(s) != _content(t)]
    if not changed:
        return ""
    named = {child.name for child in node.children}
    left = [child.name for child in twin.children if child.name not in named and not child.is_value and child.name]
    shown = ", ".join(dict.fromkeys(s.name or "the list" for s, _ in changed))
    if left:
        return f"It brings {shown} and would keep {', '.join(left)} of the old entry. Combine, replace or skip it."
    kept = [
        child
        for child in twin.children
        if child.kind is NodeKind.LIST and child.name not in {s.name for s, _ in changed}
    ]
    for source, own in changed:
        for other in kept:
            if len(own.children) == len(other.children) > 1 and len(source.children) != len(other.children):
                return (
                    f"{source.name} would have {len(source.children)} items beside {len(other.children)} of {other.name}; "
                    "now both have the same number. Combine, replace or skip it."
                )
    return ""


def _mixed_list(target: Document, node: Node, twin: Node) -> str:
    """A list in which the old and the new entry each have items that the other has not."""
    for source in node.children:
        own = twin.child(source.name) if source.name else None
        if own is None or source.kind is not NodeKind.LIST or _is_whole_list(target, source, own):
            continue
        new = {target.keys.key_among(own.names, item) for item in source.children} - {""}
        old = {target.keys.key_of(item) for item in own.children} - {""}
        if new - old and old - new:
            return (
                f"{source.name} has {', '.join(sorted(new - old)[:3])}, and the old entry {', '.join(sorted(old - new)[:3])}. "
                "Combine keeps both, replace takes the new entry alone, or skip it."
            )
    return ""


def _nameless_part(target: Document, node: Node, twin: Node) -> str:
    """A new part of the entry without the field that names the parts beside it; it is mostly misspelled."""
    for source, own, parent in _field_pairs(target, node, twin):
        field = _key_lacked(target, parent.names, source) if own is None else ""
        if field:
            what = source.name or "item"
            return f"A new {what} in it has no {field}, by which the others are told apart. Is that misspelled? Combine or skip it."
    return ""


def _is_whole_list(target: Document, source: Node, own: Node) -> bool:
    """A list that is taken as a whole, never item by item.

    Of such kind are lists whose items nothing tells apart but their order, and all lists inside of a value in parentheses:
    that is published as one line, and the parts of two recipes would make a third.
    """
    if source.kind is not NodeKind.LIST or own.kind is not NodeKind.LIST or own.parent is None:
        return False
    if target.format is Format.INI or _goes_by_number(own):
        return True
    return not any(target.keys.key_of(child) for child in own.children)


def _goes_by_number(own: Node) -> bool:
    """A list of values beside another of the same length: the first belongs to the first."""
    beside = own.parent.children if own.parent is not None else ()
    return all(child.is_value for child in own.children) and any(
        other is not own and other.kind is NodeKind.LIST and len(other.children) == len(own.children) > 1
        for other in beside
    )


def _field_pairs(target: Document, node: Node, twin: Node) -> Iterator[tuple[Node, Node | None, Node]]:
    """Every value of the snippet's entry with the one it meets; what meets nothing comes with its parent-to-be."""
    if (node.is_value and not node.children) or _is_whole_list(target, node, twin):
        yield node, twin, twin
        return
    names = twin.names
    if node.value is not None and node.value.strip():
        yield node, twin, twin
    used: set[int] = set()
    for child in node.children:
        same = _twins(target, names, child, twin, by_place=True)
        twins = [candidate for candidate in same if id(candidate) not in used]
        if not twins:
            yield child, None, twin
            continue
        used.add(id(twins[0]))
        yield from _field_pairs(target, child, twins[0])


def _twins(
    target: Document, parent_names: tuple[str, ...], node: Node, parent: Node, *, by_place: bool = False
) -> list[Node]:
    """The children of `parent` that are the same entry as `node`.

    What nothing tells apart but its content meets its equal. Inside an entry (`by_place`) its number decides where
    there is none; among entries that would be luck, so there it is a new one.
    """
    key = target.keys.key_among(parent_names, node)
    if key:
        return target.keys.siblings(parent, node.name).called(key)
    by_place = by_place and not _key_lacked(target, parent_names, node)
    same = [child for child in parent.children if child.name == node.name]
    if parent.kind is NodeKind.LIST or (node.name and len(same) > 1):
        equal = [child for child in same if _content(child) == _content(node)]
        siblings = [child for child in node.parent.children if child.name == node.name] if node.parent else []
        index = next((i for i, sibling in enumerate(siblings) if sibling is node), 0)
        return equal or (same[index : index + 1] if by_place else [])
    return same


def _content(node: Node) -> tuple[object, ...]:
    return (node.name, node.value if not node.children else "", *(_content(child) for child in node.children))


def _is_container(target: Document, twin: Node, node: Node) -> bool:
    """A group that holds others: its children are planned one by one.

    It has no identity of its own, or it has many entries, so that people see it as a shelf of things and not as a thing of
    parts.
    """
    if twin.is_value or node.is_value or not any(child.children or not child.is_value for child in node.children):
        return False
    if target.format is Format.INI and not is_section(target, twin):
        return False  # a value in parentheses is published as one line
    return not target.keys.key_of(twin) or target.keys.holds_entries(twin)


def _address_under(target: Document, parent: Node, parent_names: tuple[str, ...], node: Node) -> str:
    prefix = target.keys.address_of(parent) if parent.parent is not None else ""
    key = target.keys.key_among(parent_names, node)
    segment = Segment(node.name)
    if key:
        segment = keyed_segment(node.name, key)
    elif not node.name:
        return f"{prefix}/[new]".removeprefix("/")
    return f"{prefix}/{segment}" if prefix else str(segment)


def _add(document: Document, node: Node, parent: Node, additions: _Additions) -> None:
    after = next((child for child in reversed(parent.children) if child.name == node.name), None)
    entry = additions.setdefault((id(parent), id(after)), (parent, [], after))
    entry[1].append(source_of(document, node))


def _replacement(target: Document, twin: Node, source: str) -> Splice:
    indent = target.source.indent_at(twin.start)
    newline = target.source.newline_near(twin.start)
    lines = source.splitlines() or [""]
    return Splice(twin.start, twin.end, (newline + indent).join(lines))
