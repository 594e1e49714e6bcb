"""
Merge three documents: what *theirs* changed since *base* is brought into *mine*, by meaning.

The three trees are walked together. Entries and fields meet by identity (all three share one choice of keys), lists
without keys by alignment, and an entry that one side renamed meets itself under its new name. Only what theirs changed becomes a splice on the text of mine, so mine keeps its layout,
and reformatting on either side is not a change at all. What both sides changed differently is a *conflict* with its three
values; it is decided by a choice, never by luck and never by a marker in the file.

The alignment of lists is the classic three-way comparison of sequences: items that all three share part the lists
into stretches, and a stretch is taken from the side that changed it.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from difflib import SequenceMatcher
from typing import Final

from zerrit.core.addresses import print_segments
from zerrit.core.documents.closed_text import are_lines, cut_lines, frame_of, is_cut_out, is_opened_lines
from zerrit.core.documents.comments import comment_texts
from zerrit.core.documents.document import Document
from zerrit.core.documents.entry_keys import Keys
from zerrit.core.documents.equality import Contents, meaning_of
from zerrit.core.documents.format_writer import insert_before, insert_lines, source_of, writer_of, written, written_span
from zerrit.core.documents.lookup import node_at
from zerrit.core.documents.node import Node, NodeKind
from zerrit.core.documents.source import Splice
from zerrit.core.documents.value_edits import ValueChange, rewrite
from zerrit.core.errors import EditRefused, MergeRefused, ZerritError
from zerrit.core.merge.comment_transfer import comment_splice
from zerrit.core.merge.moved_entries import Identity, Move, carry_out, moved

MINE: Final = "mine"
THEIRS: Final = "theirs"

#: More moved entries than this are an order of its own, which is not taken over entry by entry.
MOST_MOVED: Final = 200


@dataclass(frozen=True, slots=True)
class Conflict:
    """One place that both sides changed differently. A value is None where the side does not have the place."""

    address: str
    base: str | None
    mine: str | None
    theirs: str | None
    reason: str


@dataclass(frozen=True, slots=True)
class Merged:
    """Mine with what theirs changed, what was taken from theirs, and what is undecided (mine's value is there).

    `left`: what theirs changed that was left as mine has it (an order or a comment that mine changed too), a sentence
    each.
    """

    document: Document
    applied: tuple[ValueChange, ...]
    conflicts: tuple[Conflict, ...]
    left: tuple[str, ...] = ()


def _read_alike(document: Document, mine: Document) -> Document:
    """The document in the format of mine, where a guess took the two for different ones."""
    if document.format is mine.format or not (document.is_guessed or mine.is_guessed):
        return document
    return mine.other_version(document.to_bytes())


def merge_three(
    base: Document | None,
    mine: Document,
    theirs: Document,
    choices: Mapping[str, str] | None = None,
    *,
    only_fitting: bool = False,
) -> Merged:
    """Bring what `theirs` changed since `base` into `mine`; without a base, both have come to the file by themselves.

    `choices` decides conflicts by address: `mine`, `theirs`, or `=VALUE`. With `only_fitting` those that fit no conflict
    are passed over, as where they were made for other text.

    Raises MergeRefused: one of the three has a fault, they are of different formats, a choice fits no conflict, or the
    pieces do not fit together.
    """
    base, theirs = _read_alike(base, mine) if base is not None else None, _read_alike(theirs, mine)
    for document, role in ((base, "The base"), (mine, "Mine"), (theirs, "Theirs")):
        if document is None:
            continue
        fault = next(iter(document.faults), None)
        if fault is not None:
            raise MergeRefused(f"{role} has a fault in line {fault.line}: {fault.message} Fix it first.")
        if document.format is not mine.format:
            raise MergeRefused(
                f"{role} is read as {document.read_as}, mine as {mine.read_as}; they must be of one format."
            )
    given = mine
    if _is_changed_around(base, mine, theirs):
        base, mine, theirs = base and base.read_uncut(), mine.read_uncut(), theirs.read_uncut()
    merge = _Merge(base or mine, mine, theirs, choices or {})
    merge.node(base.root if base is not None else None, mine.root, theirs.root)
    unknown = [address for address in choices or {} if address not in merge.decided]
    if unknown and not only_fitting:
        place = f"{mine.path}#{unknown[0]}" if mine.path else unknown[0]
        raise MergeRefused(f"There is no conflict at {place}, so nothing can be chosen there.")
    is_theirs = base is not None and mine.text == base.text and not merge.conflicts
    try:
        # A line says all of a text, to the last blank one, which is nothing in a tree.
        whole = is_theirs and mine.format.traits.line_based
        document = mine.with_text(theirs.text) if whole else merge.applied()
    except EditRefused as refusal:
        # The edits do not fit together, as where a heading went and what stood below it stayed.
        if not is_theirs:
            raise MergeRefused(f"What theirs changed cannot be put into mine piece by piece. {refusal}") from refusal
        document = mine.with_text(theirs.text)
    if mine is not given:
        document = given.with_text(document.text)
    lost = _lost_comments(base, mine, theirs, document) if base is not None else []
    left = [*merge.left, *_told(text for text in lost if text not in merge.left_comments)]
    return Merged(document, tuple(merge.done), tuple(merge.conflicts), tuple(left))


def _lost_comments(base: Document, mine: Document, theirs: Document, merged: Document) -> list[str]:
    """Comments that a side has, that neither side removed, and that are not in the result."""
    was, own, other, now = (comment_texts(one.text, one.format) for one in (base, mine, theirs, merged))
    lost = []
    for text in own | other:
        kept = own[text] - max(0, was[text] - other[text])
        wanted = max(kept, other[text] if other[text] > was[text] else 0)
        if other[text] == was[text] > own[text]:
            wanted = own[text]
        if now[text] < wanted:
            lost.append(text)
    return lost


def _told(texts: Iterable[str]) -> Iterator[str]:
    lost = [text.split("\n")[0][:80] for text in texts]
    yield from (f"The comment `{text}` is not in the result; put it where it belongs." for text in lost[:MOST_LOST])
    if len(lost) > MOST_LOST:
        yield f"{len(lost) - MOST_LOST} more comments are not in the result."


MOST_LOST: Final = 20  # lost comments that are named


def _is_changed_around(base: Document | None, mine: Document, theirs: Document) -> bool:
    """Theirs changed a line around what is cut out of it; then whole lines are merged."""
    if not mine.format.traits.line_based:
        return False
    frames = [[line.frame for line in cut_lines(one)] for one in (base or mine, theirs)]
    return frames[0] != frames[1] and (base is None or mine.text != base.text)


class _Merge:
    def __init__(self, base: Document, mine: Document, theirs: Document, choices: Mapping[str, str]) -> None:
        self.base = base
        self.mine = mine
        self.theirs = theirs
        self.choices = choices
        self.keys = Keys.of([base, mine, theirs])
        self.writer = writer_of(mine.format)
        self.conflicts: list[Conflict] = []
        self.done: list[ValueChange] = []
        self.left: list[str] = []
        self.left_comments: set[str] = set()  #: those of theirs that `left` names already
        self.decided: set[str] = set()
        self._changed: list[Splice] = []
        self._leads: list[Splice] = []  #: comments above entries
        self._moves: list[Move] = []
        self._removed: list[Node] = []
        self._inserted: dict[tuple[int, int, bool], tuple[Node, Node | None, list[str]]] = {}
        self._contents = Contents(self.keys)

    # --- the walk ---------------------------------------------------------------------------------------------------

    def node(self, b: Node | None, m: Node, t: Node) -> None:
        """One place that mine and theirs have; `b` is None where both came to it by themselves."""
        is_line = m.parent is not None and are_lines(self.mine, m.parent)  # comments above it are lines themselves
        if b is not None and not is_line and t.comment not in (b.comment, m.comment):
            self._take_comment(b, m, t)
        if self._is_framed_otherwise(b, m, t):
            self._reframed(b, m, t)
            return
        if self._same(m, self.mine, t, self.theirs) or (b is not None and self._same(b, self.base, t, self.theirs)):
            if b is not None and self._reads_otherwise(b, t):
                self._children(b, m, t)  # for comments and order; what it means is the same
            return
        is_untouched = b is not None and self._same(b, self.base, m, self.mine)
        if _is_opened(m) and _is_opened(t) and (b is None or _is_opened(b)) and m.kind is t.kind:
            if m.value != t.value and (b is None or t.value != b.value):
                self._value(b, m, t)
            self._children(b, m, t)
        elif m.is_value and t.is_value and (b is None or b.is_value):
            self._value(b, m, t)
        elif is_untouched:
            self._replace(m, t)
        else:
            self._conflict(b, m, t, "both sides changed what is here")

    def _frame(self, node: Node | None, document: Document) -> str:
        return frame_of(document, node) if node is not None and is_opened_lines(document, node) else ""

    def _is_framed_otherwise(self, b: Node | None, m: Node, t: Node) -> bool:
        """Theirs changed the code around a table or setting of a script, which is below no node."""
        theirs = self._frame(t, self.theirs)
        return theirs not in (self._frame(m, self.mine), self._frame(b, self.base) if b is not None else None)

    def _reframed(self, b: Node | None, m: Node, t: Node) -> None:
        is_untouched = b is not None and self._same(b, self.base, m, self.mine)
        if is_untouched and self._frame(b, self.base) == self._frame(m, self.mine):
            source = self.theirs.text[t.start : t.end]
            self.done.append(ValueChange(self.keys.address_of(m), source_of(self.mine, m), source))
            self._changed.append(Splice(m.start, m.end, source))
        else:
            self._conflict(b, m, t, "the code around it was changed too")

    def _reads_otherwise(self, b: Node, t: Node) -> bool:
        """The texts differ, comments before and beside the nodes included."""
        if b.parent is None:
            return self.base.text != self.theirs.text
        return _with_comments(self.base, b) != _with_comments(self.theirs, t)

    def _value(self, b: Node | None, m: Node, t: Node) -> None:
        if b is not None and meaning_of(b, self.base) == meaning_of(m, self.mine):
            self._set(m, t)
        else:
            self._conflict(b, m, t, "both sides gave it another value" if b is not None else "both sides added it")

    def _children(self, b: Node | None, m: Node, t: Node) -> None:
        if m.parent is None and self.mine.format.traits.line_based:
            self._lines(b, m, t)
            return
        bases, base_lists = self._met(b, self.base)
        mines, mine_lists = self._met(m, self.mine)
        theirs, their_lists = self._met(t, self.theirs)
        mines = self._renamed_back(bases, mines, self.mine)
        theirs = self._renamed_back(bases, theirs, self.theirs)
        for identity, old in bases.items():
            own, other = mines.get(identity), theirs.get(identity)
            if own is not None and other is not None:
                self._take_name(old, own, other)
                self.node(old, own, other)
            elif own is not None:
                self._gone_there(old, own)
            elif other is not None and not self._same(old, self.base, other, self.theirs):
                self._conflict(old, None, other, "it was removed here and changed there", parent=m)
        for identity, other in theirs.items():
            if identity in bases:
                continue
            own = mines.get(identity)
            if own is not None:
                self.node(None, own, other)
            else:
                self._insert(m, other, self._anchor(t, other, mines, theirs, bases))
        self._plan_moves(m, bases, mines, theirs)
        for name in dict.fromkeys([*base_lists, *their_lists]):
            self._sequence(m, base_lists.get(name, []), mine_lists.get(name, []), their_lists.get(name, []))

    def _plan_moves(
        self,
        m: Node,
        bases: Mapping[Identity, Node],
        mines: Mapping[Identity, Node],
        theirs: Mapping[Identity, Node],
    ) -> None:
        """Note which entries theirs moved, and behind which neighbour each of them is now."""
        if not self.mine.format.traits.ordered:
            return
        shared = [i for i in bases if i in mines and i in theirs and not i[0].startswith("@")]
        known = set(shared)
        their_order = [identity for identity in theirs if identity in known]
        my_order = [identity for identity in mines if identity in known]
        if their_order in (shared, my_order):
            return
        here, there = moved(shared, my_order), moved(shared, their_order)
        if len(there) > MOST_MOVED:
            self.left.append(f"{self._named(m)}: theirs put its entries into another order; mine's stays.")
            return
        for place, identity in enumerate(their_order):
            if identity not in there:
                continue
            if identity in here:
                self.left.append(f"{self._named(mines[identity])}: both sides moved it; it stays where mine has it.")
                continue
            self._moves.append(Move(self._lineage(m), identity, their_order[place - 1] if place else None))

    def _lineage(self, m: Node) -> tuple[Identity, ...]:
        """The identities that lead from the root of mine down to a node."""
        found: list[Identity] = []
        while m.parent is not None:
            known, _ = self._met(m.parent, self.mine)
            found.append(next((identity for identity, node in known.items() if node is m), (m.name, "", 0)))
            m = m.parent
        return tuple(reversed(found))

    def _renamed_back(
        self, bases: Mapping[Identity, Node], side: dict[Identity, Node], document: Document
    ) -> dict[Identity, Node]:
        """The children of a side, those that it renamed under their old identity, in their order.

        Renamed is what is gone under its old name and has come under a new one with all its content, if only one such
        pair fits.
        """
        gone = [i for i in bases if i not in side and _is_opened(bases[i])]
        come = [i for i in side if i not in bases and _is_opened(side[i])] if gone else []
        if not come:
            return side
        old_by_content: dict[object, list[Identity]] = {}
        for identity in gone:
            content = self._contents.nameless(bases[identity], self.base)
            old_by_content.setdefault(content, []).append(identity)
        new_by_content: dict[object, list[Identity]] = {}
        for identity in come:
            content = self._contents.nameless(side[identity], document)
            new_by_content.setdefault(content, []).append(identity)
        back = {
            new_by_content[content][0]: old[0]
            for content, old in old_by_content.items()
            if len(old) == len(new_by_content.get(content, ())) == 1
        }
        return {back.get(identity, identity): node for identity, node in side.items()} if back else side

    def _take_name(self, b: Node, m: Node, t: Node) -> None:
        """Where the name is the identity, as with the keys of a mapping: take the one that theirs gave it."""
        if t.name in (b.name, m.name):
            return
        if m.name == b.name:
            self.done.append(ValueChange(self.keys.address_of(m), m.name, t.name))
            self._changed += self.writer.rename(self.mine, m, t.name)
        else:
            self.left.append(f"{self._named(m)}: theirs calls it {t.name}; mine's name stays.")

    def _take_comment(self, b: Node, m: Node, t: Node) -> None:
        """Theirs documents it otherwise; where mine had not changed that, take it."""
        if m.comment != b.comment:
            self.left_comments.update(t.comment.split("\n"), [t.comment])
            self.left.append(f"{self._named(m)}: both sides changed its comment; mine's stays.")
            return
        carried = comment_splice(self.mine, m, self.theirs, t)
        if carried is None:
            self.left_comments.update(t.comment.split("\n"), [t.comment])
            self.left.append(f"{self._named(m)}: theirs has another comment; mine's stays.")
            return
        self.done.append(ValueChange(self.keys.address_of(m), m.comment or None, t.comment or None))
        (self._changed if carried.start >= m.end else self._leads).append(carried)

    def _named(self, m: Node) -> str:
        return self.keys.address_of(m) or self.mine.path or "the file"

    def _gone_there(self, old: Node, own: Node) -> None:
        if self._same(old, self.base, own, self.mine):
            self._remove(own)
        else:
            self._conflict(old, own, None, "it was changed here and removed there")

    def _met(self, parent: Node | None, document: Document) -> tuple[dict[Identity, Node], dict[str, list[Node]]]:
        """The children with an identity, and those without one by their name."""
        known: dict[Identity, Node] = {}
        lists: dict[str, list[Node]] = {}
        if parent is None:
            return known, lists
        names: dict[str, int] = {}
        for child in parent.children:
            names[child.name] = names.get(child.name, 0) + 1
        counts: dict[tuple[str, str], int] = {}
        has_lines = are_lines(document, parent)
        for child in parent.children:
            key = "" if has_lines else self.keys.key_of(child)
            is_repeated = parent.kind is NodeKind.LIST or self.keys.is_repeated(child.names)
            if not key and (is_repeated or names[child.name] > 1 or has_lines):
                lists.setdefault(child.name, []).append(child)
                continue
            number = counts.get((child.name, key), 0)
            counts[child.name, key] = number + 1
            known[child.name, key, number] = child
        return known, lists

    # --- lists without keys -------------------------------------------------------------------------------------

    def _lines(self, b: Node | None, m: Node, t: Node) -> None:
        """The lines of a text, and what is in their place, in the order of the text; what is cut out of lines by its name."""
        sides = [
            _Lines(root.children if root is not None else (), document)
            for root, document in ((b, self.base), (m, self.mine), (t, self.theirs))
        ]
        shared = _in_one_order(sides if b is not None else sides[1:])
        anchor: Node | None = None
        for number, (bs, ms, ts) in enumerate(zip(*(side.between(shared) for side in sides), strict=True)):
            self._sequence(m, bs, ms, ts, anchor)
            if number < len(shared):
                old, own, other = (side.marked.get(shared[number]) for side in sides)
                anchor = own
                if own is not None and other is not None and is_opened_lines(self.mine, own):
                    self.node(old, own, other)
        for name in dict.fromkeys([*sides[0].cut, *sides[2].cut]):
            bs, ms, ts = (side.cut.get(name, []) for side in sides)
            self._sequence(m, bs, ms, ts)

    def _token(self, node: Node, document: Document) -> object:
        content = self._contents.of(node, document)
        return (node.name, frame_of(document, node), content) if is_opened_lines(document, node) else content

    def _sequence(
        self,
        parent: Node,
        bs: Sequence[Node],
        ms: Sequence[Node],
        ts: Sequence[Node],
        anchor: Node | None = None,
    ) -> None:
        """Merge what has no names; `anchor` is what is before all of it in mine."""
        base, mine, theirs = (
            [self._token(node, document) for node in nodes]
            for nodes, document in ((bs, self.base), (ms, self.mine), (ts, self.theirs))
        )
        for (i1, i2), (j1, j2), (k1, k2) in _stretches(base, mine, theirs):
            if theirs[k1:k2] in (base[i1:i2], mine[j1:j2]):
                continue
            before = ms[j1 - 1] if j1 > 0 else anchor
            if i2 - i1 == j2 - j1 == k2 - k1:
                for b, m, t in zip(bs[i1:i2], ms[j1:j2], ts[k1:k2], strict=True):
                    self.node(b, m, t)
            elif mine[j1:j2] == base[i1:i2]:
                self._take_stretch(parent, (bs[i1:i2], ms[j1:j2], ts[k1:k2]), before)
            elif i1 == i2:
                last = ms[j2 - 1] if j2 > 0 else anchor
                for number in range(k1, k2):
                    if theirs[number] not in mine[j1:j2]:
                        self._insert(parent, ts[number], last)
            else:
                self._conflict_of_lists(parent, bs[i1:i2], ms[j1:j2], ts[k1:k2])

    def _take_stretch(
        self, parent: Node, stretch: tuple[Sequence[Node], Sequence[Node], Sequence[Node]], before: Node | None
    ) -> None:
        """Mine has the stretch as the base had it, theirs changed it."""
        bs, ms, ts = stretch
        mine = [self._token(node, self.mine) for node in ms]
        theirs = [self._token(node, self.theirs) for node in ts]
        for tag, j1, j2, k1, k2 in SequenceMatcher(None, mine, theirs, autojunk=False).get_opcodes():
            if tag == "equal":
                continue
            shared = min(j2 - j1, k2 - k1)
            for number in range(shared):
                self.node(bs[j1 + number], ms[j1 + number], ts[k1 + number])
            for own in ms[j1 + shared : j2]:
                self._remove(own)
            anchor = ms[j1 + shared - 1] if j1 + shared > 0 else before
            for other in ts[k1 + shared : k2]:
                self._insert(parent, other, anchor)

    def _conflict_of_lists(self, parent: Node, bs: Sequence[Node], ms: Sequence[Node], ts: Sequence[Node]) -> None:
        base, mine, theirs = (
            "\n".join(source_of(document, node) for node in nodes)
            for nodes, document in ((bs, self.base), (ms, self.mine), (ts, self.theirs))
        )
        address = self.keys.address_of(ms[0]) if ms else self.keys.address_of(parent)
        choice = self._choice(address)
        if choice is None:
            self.conflicts.append(Conflict(address, base, mine, theirs, "both sides changed this part of the list"))
        elif choice == THEIRS:
            before = next((node for node in reversed(parent.children) if ms and node.start < ms[0].start), None)
            for node in ms:
                self._remove(node)
            for node in ts:
                self._insert(parent, node, ms[-1] if ms else before)
        elif choice != MINE:
            raise MergeRefused(f"{address} is a part of a list; choose mine or theirs.")

    # --- what is done --------------------------------------------------------------------------------------------

    def _set(self, m: Node, t: Node) -> None:
        try:
            splices = self._value_splices(m, t)
        except EditRefused:  # mine's quotation marks cannot hold it; theirs' way of writing it can
            self._replace(m, t)
            return
        self.done.append(ValueChange(self.keys.address_of(m), m.value, t.value))
        self._changed += splices

    def _value_splices(self, m: Node, t: Node) -> list[Splice]:
        if self.mine.format.traits.unique_names:
            text = written(self.theirs, t)
            place = written_span(self.mine, m)
            if place[0] < place[1] and text and "\n" not in text and not text.startswith(("|", ">", "*")):
                return [Splice(*place, text)]
        return self.writer.set_value(self.mine, m, t.value or "")

    def _replace(self, m: Node, t: Node) -> None:
        """The whole of mine becomes the whole of theirs: it goes, and theirs comes behind it."""
        if m.parent is None:
            self._conflict(None, m, t, "the files are of another kind")
            return
        self._remove(m)
        self._insert(m.parent, t, m)

    def _remove(self, m: Node) -> None:
        self.done.append(ValueChange(self.keys.address_of(m), source_of(self.mine, m), None))
        self._removed.append(m)

    def _insert(self, parent: Node, t: Node, anchor: Node | None) -> None:
        source = source_of(self.theirs, t)
        self.done.append(ValueChange(self.keys.address_of(t), None, source))
        if t.name.startswith("@"):
            anchor = None
        place = self._inserted.setdefault((id(parent), id(anchor), self._is_line(t)), (parent, anchor, []))
        place[2].append(source)

    def _is_line(self, t: Node) -> bool:
        """It is put between lines, and not into one."""
        is_top = t.parent is not None and t.parent.parent is None
        return is_top and self.theirs.format.traits.line_based and not is_cut_out(self.theirs, t)

    @staticmethod
    def _anchor(
        parent: Node,
        node: Node,
        mines: Mapping[Identity, Node],
        theirs: Mapping[Identity, Node],
        bases: Mapping[Identity, Node],
    ) -> Node | None:
        """The neighbour in mine behind which a new entry of theirs goes.

        The nearest one before it that mine has; behind that, what mine itself has added there.
        """
        own_additions = {id(own) for identity, own in mines.items() if identity not in bases and identity not in theirs}
        identities = {id(other): identity for identity, other in theirs.items()}
        anchor: Node | None = None
        for sibling in parent.children:
            if sibling is node:
                break
            own = mines.get(identities.get(id(sibling), ("", "", -1)))
            if own is not None and not own.name.startswith("@"):
                anchor = own
        if anchor is not None and anchor.parent is not None:
            siblings = anchor.parent.children
            at = next(i for i, sibling in enumerate(siblings) if sibling is anchor)
            while at + 1 < len(siblings) and id(siblings[at + 1]) in own_additions:
                at += 1
            anchor = siblings[at]
        return anchor

    # --- conflicts --------------------------------------------------------------------------------------------------

    def _choice(self, address: str) -> str | None:
        self.decided.add(address)
        return self.choices.get(address)

    def _conflict(
        self, b: Node | None, m: Node | None, t: Node | None, reason: str, parent: Node | None = None
    ) -> None:
        node = m if m is not None else t
        if node is None:
            raise ValueError("a conflict needs a node")
        address = print_segments(self.keys.segments_of(node))
        choice = self._choice(address)
        if choice is None:
            base, mine, theirs = (
                None if one is None else (one.value if one.is_value else source_of(document, one))
                for one, document in ((b, self.base), (m, self.mine), (t, self.theirs))
            )
            self.conflicts.append(Conflict(address, base, mine, theirs, reason))
        elif choice.startswith("=") and m is not None and m.value is not None:
            self.done.append(ValueChange(address, m.value, choice[1:]))
            self._changed += self.writer.set_value(self.mine, m, choice[1:])
        elif choice == THEIRS:
            self._take(m, t, parent)
        elif choice != MINE:
            raise MergeRefused(f"`{choice}` cannot be chosen for {address}; write mine, theirs, or =VALUE for a value.")

    def _take(self, m: Node | None, t: Node | None, parent: Node | None) -> None:
        if m is not None and t is not None:
            if m.is_value and t.is_value:
                self._set(m, t)
            else:
                self._replace(m, t)
        elif m is not None:
            self._remove(m)
        elif t is not None and parent is not None:
            self._insert(parent, t, parent.children[-1] if parent.children else None)

    # --- meaning -----------------------------------------------------------------------------------------------------

    def _same(self, a: Node, a_document: Document, b: Node, b_document: Document) -> bool:
        return self._contents.is_same(a, a_document, b, b_document)

    # --- the new text ---------------------------------------------------------------------------------------------

    def applied(self) -> Document:
        """Mine with all that was planned: values first, then what comes, then what goes, the last of it first."""
        splices = [*self._changed, *self._insertions(), *self._leads]
        if not self.mine.format.traits.ordered:  # each entry has its own line, and is put where the file has it
            return rewrite(
                self.mine, [*splices, *(s for node in self._removed for s in self.writer.remove(self.mine, node))]
            )
        document = rewrite(self.mine, splices)
        for node in sorted(self._removed, key=lambda node: -node.start):
            shift = sum(len(piece.text) - (piece.end - piece.start) for piece in splices if piece.end <= node.start)
            twin = node_at(document, node.start + shift, node.name)
            document = rewrite(document, self.writer.remove(document, twin))
        for planned in self._moves:
            document = self._move(document, planned)
        return document

    def _move(self, document: Document, planned: Move) -> Document:
        try:
            edit = carry_out(document, self.keys, planned)
        except ZerritError:
            name = planned.identity[1] or planned.identity[0]
            self.left.append(f"{name}: theirs has it at another place; it stays where mine has it.")
            return document
        self.done += edit.changes
        return edit.document

    def _insertions(self) -> Iterator[Splice]:
        deepest_first = sorted(self._inserted.items(), key=lambda item: -len(item[1][0].names))
        for (_, _, is_line), (parent, anchor, sources) in deepest_first:
            if is_line and anchor is not None and is_cut_out(self.mine, anchor):
                yield insert_lines(self.mine, anchor, sources, "")
                continue
            first = next((child for child in parent.children if not child.name.startswith("@")), None)
            is_attribute = not sources[0].startswith("<") and self.mine.format.traits.attributes
            if anchor is None and first is not None and not is_attribute:
                yield insert_before(self.mine, first, sources)
            else:
                yield from self.writer.insert(self.mine, parent, sources, anchor)


def _with_comments(document: Document, node: Node) -> str:
    """The text of a node with the comments above it and the rest of its last line, where one may be beside it."""
    return document.text[node.lead_start : document.source.line_end(node.end)]


def _is_opened(node: Node) -> bool:
    return bool(node.children) or not node.is_value


class _Lines:
    """The lines of a text with what is in their place.

    `marked`: by a mark that no other line has, a table or setting of a script by its name, and a line that something is cut
    out of by what is left of it. `cut`: what is cut out of lines, by its name.
    """

    def __init__(self, nodes: Sequence[Node], document: Document) -> None:
        self._items: list[tuple[str, Node]] = []
        self.cut: dict[str, list[Node]] = {}
        frames = {id(line.first): line.frame for line in cut_lines(document)}
        for node in nodes:
            if is_cut_out(document, node):
                self.cut.setdefault(node.name, []).append(node)
                if id(node) in frames:
                    self._items.append((f"around {frames[id(node)]}", node))
            else:
                self._items.append((f"named {node.name}" if node.name != "line" else "", node))
        counts = Counter(mark for mark, _ in self._items)
        self.marked = {mark: node for mark, node in self._items if mark and counts[mark] == 1}

    def between(self, marks: Sequence[str]) -> list[list[Node]]:
        """The nodes before, between and behind the lines with these marks; cut lines are no nodes of their own."""
        parts: list[list[Node]] = [[]]
        known = set(marks)
        for mark, node in self._items:
            if mark in known:
                parts.append([])
            elif not mark.startswith("around "):
                parts[-1].append(node)
        return [*parts, *([] for _ in range(len(marks) + 1 - len(parts)))]


def _in_one_order(sides: Sequence[_Lines]) -> list[str]:
    """The marks that all sides have, in their order; none where the sides have them in different orders."""
    known = set(sides[0].marked).intersection(*(side.marked for side in sides[1:]))
    kept = [[mark for mark in side.marked if mark in known] for side in sides]
    return kept[0] if all(order == kept[0] for order in kept) else []


def _stretches(
    base: Sequence[object], mine: Sequence[object], theirs: Sequence[object]
) -> Iterator[tuple[tuple[int, int], tuple[int, int], tuple[int, int]]]:
    """The stretches between items that all three share: ranges of indices in base, mine and theirs."""
    in_mine = _matches(base, mine)
    in_theirs = _matches(base, theirs)
    i = j = k = 0
    for index in [*range(len(base)), len(base)]:
        if index == len(base):
            ends = (index, len(mine), len(theirs))
        elif index in in_mine and index in in_theirs:
            ends = (index, in_mine[index], in_theirs[index])
        else:
            continue
        if (i, j, k) != ends:
            yield (i, ends[0]), (j, ends[1]), (k, ends[2])
        i, j, k = (end + 1 for end in ends)


def _matches(old: Sequence[object], new: Sequence[object]) -> dict[int, int]:
    matcher = SequenceMatcher(None, old, new, autojunk=False)
    return {a + n: b + n for a, b, size in matcher.get_matching_blocks() for n in range(size)}
