"""
Edits that change where or under which name something is: rename, move, comment out, comment in.

Like all edits they are splices, after which the text is read again; one that would break the document is refused.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from enum import StrEnum
from typing import Final

from zerrit.core.addresses import Segment, print_segments
from zerrit.core.documents.closed_text import is_cut_out
from zerrit.core.documents.document import Document
from zerrit.core.documents.format_writer import insert_before, source_of, writer_of
from zerrit.core.documents.lookup import node_at
from zerrit.core.documents.node import Node, NodeKind
from zerrit.core.documents.scripts.languages import comment_sign
from zerrit.core.documents.scripts.options import is_option, option_before
from zerrit.core.documents.source import Splice, splice
from zerrit.core.documents.text.slot_edits import added_before, is_repeated
from zerrit.core.documents.value_edits import Edit, ValueChange, opened, place_of, rewrite, single
from zerrit.core.errors import AddressNotFound, EditRefused

MOST_TRIED: Final = 200  # commented places that are looked at for an entry to bring back


class Where(StrEnum):
    """Where something is moved to, seen from another place."""

    BEFORE = "before"
    AFTER = "after"
    INTO = "into"


def rename(document: Document, segments: tuple[Segment, ...], new_name: str) -> Edit:
    """Give an entry another key, or what has no key another name.

    Raises AddressNotFound, EditRefused: a sibling is called so already.
    """
    splices, change = renaming_of(document, single(document, segments), new_name)
    return Edit(rewrite(document, splices), (change,)) if change is not None else Edit(document, ())


def renaming_of(document: Document, node: Node, new_name: str) -> tuple[list[Splice], ValueChange | None]:
    """What is to be written so that a node has another key or name, and what changes; nothing where it has it.

    Raises EditRefused: a sibling is called so already.
    """
    parent = node.parent
    if parent is None:
        raise EditRefused(f"{document.path} as a whole has no name that could be changed by an address in it.")
    writer = writer_of(document.format)
    key_field = document.keys.field_for(node.names)
    key = document.keys.key_of(node)
    if key_field and key:
        if new_name == key:
            return [], None
        if document.keys.siblings(parent, node.name).called(new_name):
            raise EditRefused(f"{place_of(document, parent)} has {node.name}[{new_name}] already. Choose another key.")
        holder = node if key_field == "=" else node.child(key_field)
        if holder is None:
            raise EditRefused(f"{place_of(document, node)} lacks the field {key_field} that names it.")
        splices = writer.set_value(document, holder, new_name)
        old = key
    else:
        old = node.name.removeprefix("@")
        if new_name.removeprefix("@") == old:
            return [], None
        prefix = "@" if node.name.startswith("@") else ""
        wanted = prefix + new_name.removeprefix("@")
        if not old or (
            parent.child(wanted) is not None and parent.kind is NodeKind.GROUP and _is_unique(document, node)
        ):
            what = f"has {wanted} already" if old else "is a list, whose entries have no names"
            raise EditRefused(f"{place_of(document, parent)} {what}.")
        splices = writer.rename(document, node, wanted.removeprefix("@"))
    return splices, ValueChange(document.keys.address_of(node), old, new_name)


def _is_unique(document: Document, node: Node) -> bool:
    """Two siblings cannot share the name."""
    return document.format.traits.unique_names or node.name.startswith("@")


def move(document: Document, segments: tuple[Segment, ...], where: Where, target: tuple[Segment, ...]) -> Edit:
    """Move one entry before or after another, or to the end of a group, with the comments that document it.

    Raises AddressNotFound, EditRefused: the target is inside what is moved, or of a kind that cannot hold it.
    """
    node = single(document, segments)
    goal = single(document, target)
    if node.parent is None:
        raise EditRefused("A file as a whole cannot be moved by an address in it.")
    if any(ancestor is node for ancestor in _lineage(goal)):
        raise EditRefused(f"{place_of(document, goal)} is inside of what is to be moved.")
    if where is not Where.INTO and goal.parent is None:
        raise EditRefused("Nothing can be before or after the whole file.")
    if where is not Where.INTO and (node.name.startswith("@") or goal.name.startswith("@")):
        raise EditRefused("Attributes have no order; move one into another entry with `into`.")
    if not document.format.traits.ordered:
        raise EditRefused(f"The rows of {document.path} have no order.")
    if document.format.traits.key and any(_is_numbered(one) for one in (node, goal)):
        raise EditRefused("The values of a line are told by their number. Set them instead of moving one.")
    if is_cut_out(document, node) != is_cut_out(document, goal):
        raise EditRefused(
            f"{place_of(document, node)} cannot be there: what is a part of a line is moved among its like."
        )
    if _is_there(node, where, goal):
        return Edit(document, ())
    old = document.keys.address_of(node)
    moved = _moved(document, node, where, goal)
    if document.format.traits.script and opened(moved.root) != opened(document.root):
        raise EditRefused(
            f"{place_of(document, node)} cannot be there: the script would have another meaning, or could not be read in that place."
        )
    return Edit(moved, (ValueChange(old, old, f"{where.value} {print_segments(target)}"),))


def _is_numbered(node: Node) -> bool:
    return node.parent is not None and node.parent.parent is not None


def _lineage(node: Node | None) -> Iterator[Node]:
    while node is not None:
        yield node
        node = node.parent


def _index(node: Node) -> int:
    siblings = node.parent.children if node.parent else (node,)
    return next(i for i, sibling in enumerate(siblings) if sibling is node)


def _next(node: Node) -> Node | None:
    siblings = node.parent.children if node.parent else ()
    index = _index(node) + 1
    return siblings[index] if index < len(siblings) else None


def _is_there(node: Node, where: Where, goal: Node) -> bool:
    if where is Where.INTO:
        return node.parent is goal and goal.children[-1] is node
    if node.parent is not goal.parent:
        return False
    return _index(node) == _index(goal) + (1 if where is Where.AFTER else -1)


def _removed_before(document: Document, node: Node, goal: Node) -> int:
    """How many characters the removal of `node` takes from before `goal`."""
    splices = writer_of(document.format).remove(document, node)
    return sum(piece.end - piece.start - len(piece.text) for piece in splices if piece.end <= goal.start)


def _moved(document: Document, node: Node, where: Where, goal: Node) -> Document:
    source = source_of(document, node)
    if document.format.traits.sections and where is not Where.INTO:
        _require_alike(document, node, goal)
    without = rewrite(document, writer_of(document.format).remove(document, node))
    twin = node_at(without, goal.start - _removed_before(document, node, goal), goal.name)
    parent = twin if where is Where.INTO else twin.parent
    after = None if where is Where.INTO else twin
    if parent is None or (parent.is_value and parent.value):
        raise EditRefused(f"{place_of(document, goal)} holds nothing that it could be among.")
    if document.format.traits.sections and is_section(without, twin) and where is not Where.INTO:
        return rewrite(without, [_section_splice(without, twin, where, source)])
    if where is Where.BEFORE and document.format.traits.line_based and is_repeated(without, twin):
        return rewrite(without, [added_before(without, twin, source)])
    if where is Where.BEFORE and is_option(without, twin):
        return rewrite(without, [option_before(without, twin, source)])
    if where is Where.BEFORE:
        return rewrite(without, [insert_before(without, twin, [source])])
    return rewrite(without, writer_of(document.format).insert(without, parent, [source], after))


def is_section(document: Document, node: Node) -> bool:
    """The node is a section with a header of its own."""
    return (
        document.format.traits.sections and node.parent is document.root and document.text.startswith("[", node.start)
    )


def _has_header(document: Document, node: Node) -> bool:
    """A section, or a table with a header of its own that is in one."""
    is_inner = node.kind is NodeKind.GROUP and node.value_start > node.start
    return is_section(document, node) or (is_inner and document.text.startswith("[", node.start))


def _require_alike(document: Document, node: Node, goal: Node) -> None:
    """A section goes among sections; a setting beside one would come to belong to it."""
    if _has_header(document, node) != _has_header(document, goal):
        raise EditRefused(
            f"{place_of(document, node)} cannot be there: sections are moved among sections, and settings into one."
        )


def _section_splice(document: Document, goal: Node, where: Where, source: str) -> Splice:
    """A section with a blank line between it and its neighbour."""
    newline = document.source.newline_near(goal.start)
    text = newline.join(re.split(r"\r\n|\r|\n", source))
    if where is Where.BEFORE:
        at = document.source.line_start(goal.lead_start)
        return Splice(at, at, text + newline + newline)
    at = document.source.line_end(goal.end)
    return Splice(at, at, newline + newline + text)


# --- comments -------------------------------------------------------------------------------------------


def comment_out(document: Document, segments: tuple[Segment, ...]) -> Edit:
    """Turn an entry or setting into a comment, so that the game does not see it and a person can bring it back.

    Raises AddressNotFound, EditRefused: the format has no comments, or the place cannot be one.
    """
    splices, change = comments_for(document, single(document, segments))
    return Edit(rewrite(document, splices), (change,))


def comments_for(document: Document, node: Node, sign: str | None = None) -> tuple[list[Splice], ValueChange]:
    """What is to be written so that a node is a comment, and what changes.

    Raises EditRefused: the format has no comments, or the place cannot be one.
    """
    if node.parent is None or node.name.startswith("@"):
        raise EditRefused(f"{place_of(document, node)} cannot be made a comment; remove it instead.")
    address = document.keys.address_of(node)
    source = document.text[node.start : node.end]
    if document.format.traits.block_comments:
        if "--" in source:
            raise EditRefused(
                f"{place_of(document, node)} holds a comment or two hyphens, which a comment cannot hold. Remove it "
                "instead."
            )
        splices = [Splice(node.start, node.start, "<!-- "), Splice(node.end, node.end, " -->")]
    else:
        splices = list(_line_comments(document, node, sign if sign is not None else line_sign(document)))
    moved = [Splice(piece.start - node.start, piece.end - node.start, piece.text) for piece in splices[1:]]
    commented = splices[0].text + splice(source, moved)
    return splices, ValueChange(address, source, commented)


def line_sign(document: Document) -> str:
    """The comment sign of the format, as the file uses it; empty where comments have an end of their own.

    Raises EditRefused: the format has no comments.
    """
    if document.format.traits.block_comments:
        return ""
    signs = document.format.traits.line_comments
    if signs is None:
        sign = comment_sign(document.format, document.text)
        if not sign:
            raise EditRefused(f"How comments are written in {document.path} is not known. Remove the line instead.")
        return sign
    if not signs:
        raise EditRefused(
            f"{document.format.label} has no comments. Remove the entry instead; a rollback brings it back."
        )
    found = re.search(rf"^[ \t]*({'|'.join(map(re.escape, signs))})", document.text, re.MULTILINE)
    return found.group(1) if found else signs[0]


def _line_comments(document: Document, node: Node, sign: str) -> Iterator[Splice]:
    """The sign before every line of the node, all of them in one column."""
    text = document.text
    source = document.source
    start = source.line_start(node.start)
    before = text[start : node.start].strip(" \t")
    after = text[node.end : source.line_end(node.end)].strip(" \t")
    signs = document.format.traits.line_comments or (sign,)
    has_own_lines = before in ("", "-") and (not after.lstrip(",") or after.lstrip(", \t").startswith(signs))
    if not has_own_lines or (is_cut_out(document, node) and node.is_value):
        raise EditRefused(f"{place_of(document, node)} shares its line with others. Remove it instead.")
    column = len(source.indent_at(start))
    at = start
    while at < node.end:
        end = source.line_end(at)
        if text[at:end].strip():
            place = at + min(column, len(source.indent_at(at)))
            yield Splice(place, place, f"{sign} ")
        at = source.after_line(at)


def comment_in(document: Document, segments: tuple[Segment, ...]) -> Edit:
    """Bring back what was made a comment: the address says what it is called without the comment signs.

    Raises AddressNotFound: no comment holds such an entry. EditRefused: it is not a comment now.
    """
    parent_segments = segments[:-1]
    parent = single(document, parent_segments) if parent_segments else document.root
    for splices, start, end in _commented(document, parent):
        after = document.with_splices(splices)
        if len(after.faults) > len(document.faults):
            continue
        found = [node for node in after.select(print_segments(segments)) if start <= node.start < end]
        if found:
            edited = rewrite(document, splices)
            return Edit(
                edited, (ValueChange(print_segments(segments), None, after.text[found[0].start : found[0].end]),)
            )
    if document.select(print_segments(segments)):
        return Edit(document, ())
    raise AddressNotFound(
        f"No comment in {place_of(document, parent)} holds {print_segments(segments[-1:])}.",
        f"{document.path}#{print_segments(segments)}",
        document.path,
        document.line_of(parent),
        (),
    )


def _commented(document: Document, parent: Node) -> Iterator[tuple[list[Splice], int, int]]:
    """Ways to bring back a comment of a group: the splices, and what they span. The longest way comes first."""
    start = 0 if parent.parent is None else parent.start
    end = _end_of_region(document, parent)
    if document.format.traits.block_comments:
        for comment in list(re.compile(r"<!--\s*(.*?)\s*-->", re.DOTALL).finditer(document.text, start, end))[
            :MOST_TRIED
        ]:
            yield (
                [
                    Splice(comment.start(), comment.start(1), ""),
                    Splice(comment.end(1), comment.end(), ""),
                ],
                comment.start(),
                comment.end(),
            )
        return
    sign = re.escape(line_sign(document))
    lines = list(re.compile(rf"^([ \t]*){sign} ?([^\r\n]*)", re.MULTILINE).finditer(document.text, start, end))
    tried = 0
    for index, first in enumerate(lines):
        last = index
        while last + 1 < len(lines) and _goes_on(document, lines[index : last + 1], lines[last + 1]):
            last += 1
        for stop in range(last, index - 1, -1):
            tried += 1
            if tried > MOST_TRIED:
                return
            chosen = lines[index : stop + 1]
            yield [Splice(m.end(1), m.start(2), "") for m in chosen], first.start(), chosen[-1].end()


def _end_of_region(document: Document, parent: Node) -> int:
    """Where comments behind a group no longer belong to it: at what follows it, or at the end of the text."""
    node: Node | None = parent
    while node is not None and node.parent is not None:
        following = _next(node)
        if following is not None:
            return following.start
        node = node.parent
    return len(document.text)


def _goes_on(document: Document, taken: list[re.Match[str]], following: re.Match[str]) -> bool:
    """The commented line belongs to the same entry: it follows at once, indented further than the first, or in its braces."""
    first, line = taken[0], taken[-1]
    gap = document.text[line.end() : following.start()]
    text = "".join(one.group(2) for one in taken)
    is_open = any(text.count(opening) > text.count(closing) for opening, closing in ("{}", "[]", "()")) or any(
        text.count(marks) % 2 for marks in ('"""', "'''")
    )
    if document.format.traits.braces or (is_open and not document.format.traits.indented):
        begins = document.format.traits.braces and len(taken) == 1 and following.group(2).lstrip().startswith("{")
        return (is_open or begins) and not gap.strip() and gap.count("\n") <= 1
    if document.format.traits.sections and first.group(2).startswith("["):
        # the settings of a section, as far as they go, and the tables in it
        is_in_it = following.group(2).lstrip("[ ").startswith(f"{first.group(2).strip('[] ')}.")
        return not gap.strip() and (is_in_it or not following.group(2).startswith("["))
    depth = len(following.group(2)) - len(following.group(2).lstrip(" "))
    own = len(first.group(2)) - len(first.group(2).lstrip(" "))
    return not gap.strip() and gap.count("\n") <= 1 and depth > own


def set_comment(document: Document, segments: tuple[Segment, ...], comment: str) -> Edit:
    """Put `comment`, with its comment signs, above an entry or setting in place of the one that is there.

    The lines of the comment are unindented; an empty one takes the comment away.

    Raises AddressNotFound, EditRefused: the comment would be something else than a comment there.
    """
    node = single(document, segments)
    if node.parent is None or node.name.startswith("@"):
        raise EditRefused(f"{place_of(document, node)} cannot have a comment above it; write one above its entry.")
    start = document.source.line_start(node.start)
    lead = min(document.source.line_start(node.lead_start), start)
    indent = document.source.indent_at(node.start)
    newline = document.source.newline_near(node.start)
    lines = re.split(r"\r\n|\r|\n", comment) if comment else []
    text = "".join(f"{indent}{line}{newline}" if line else newline for line in lines)
    if document.text[lead:start] == text:
        return Edit(document, ())
    edited = rewrite(document, [Splice(lead, start, text)])
    twin = node_at(edited, node.start + len(text) - (start - lead), node.name)
    if twin.parent is None or _texts(document, node.parent) != _texts(edited, twin.parent):
        raise EditRefused(
            f"{place_of(document, node)}: `{comment[:80]}` is more than a comment. Edit the text instead."
        )
    return Edit(edited, (ValueChange(document.keys.address_of(node), node.comment, twin.comment),))


def with_comment(edit: Edit, segments: tuple[Segment, ...], words: str) -> Edit:
    """The same edit with a comment in plain words above what it made; without it where the file has no place for one."""
    document, node = edit.document, single(edit.document, segments)
    if document.text[document.source.line_start(node.start) : node.start].strip():
        return edit  # a comment above its line would be one on what it shares the line with
    try:
        sign = line_sign(document)
        lines = [line.strip() for line in words.splitlines() if line.strip()]
        written = [f"{sign} {line}" if sign else f"<!-- {line.replace('--', '- -')} -->" for line in lines]
        return Edit(set_comment(document, segments, "\n".join(written)).document, edit.changes)
    except EditRefused:
        return edit


def _texts(document: Document, parent: Node) -> list[str]:
    """What the children of a node are, without the comments between them."""
    return [document.text[child.start : child.end] for child in parent.children]
