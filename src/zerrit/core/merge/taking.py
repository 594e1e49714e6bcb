"""Part of a large pack: the entries that are taken, chosen by addresses, and what is done with those that are there already."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from enum import StrEnum

from zerrit.core.addresses import Segment, parse_node_address
from zerrit.core.documents.conditions import chosen_of
from zerrit.core.documents.document import Document
from zerrit.core.documents.node import Node
from zerrit.core.documents.selection import select
from zerrit.core.errors import SnippetRefused
from zerrit.core.merge.snippet import Action, ActionKind, MergePlan
from zerrit.core.wording import counted


class Existing(StrEnum):
    """What is done with entries that the target has already."""

    COMBINE = "combine"  #: the fields that the pack names change, the rest stays
    REPLACE = "replace"  #: they become those of the pack
    SKIP = "skip"  #: they stay; only what is new is added


@dataclass(frozen=True, slots=True)
class Taking:
    """Which entries of a pack are taken: those at the addresses (all where none is given), and how those that are there are.

    An address is that of an entry in the target, as the pack leaves it; one without groups before it fits in any group.
    """

    addresses: tuple[str, ...] = ()
    existing: Existing = Existing.COMBINE

    @property
    def is_all(self) -> bool:
        return not self.addresses and self.existing is Existing.COMBINE


def taken(target: Document, plan: MergePlan, taking: Taking) -> MergePlan:
    """The plan with all other entries left out.

    Raises SnippetRefused, AddressInvalid: an address fits no entry of the pack.
    """
    if taking.is_all:
        return plan
    chosen = _chosen(target, plan, taking.addresses) if taking.addresses else range(len(plan.actions))
    numbers = frozenset(chosen)
    actions = tuple(
        _as_wanted(action, taking.existing) if number in numbers else replace(action, kind=ActionKind.SKIP, reason="")
        for number, action in enumerate(plan.actions)
    )
    return replace(plan, actions=actions, left_out=frozenset(range(len(actions))) - numbers)


def _as_wanted(action: Action, existing: Existing) -> Action:
    """The action on an entry that is there already, as it is wanted for all of them."""
    if action.kind is ActionKind.COMBINE and existing is not Existing.COMBINE:
        return replace(action, kind=ActionKind(existing.value))
    if (
        action.kind is ActionKind.ASK
        and existing is Existing.SKIP
        and action.changes
        and action.changes[0].old is not None
    ):
        return replace(action, kind=ActionKind.SKIP)
    return action


def _chosen(target: Document, plan: MergePlan, addresses: Sequence[str]) -> Iterable[int]:
    found: dict[int, None] = {}
    for address in addresses:
        numbers = [number for number, action in enumerate(plan.actions) if action.address == address]
        numbers = numbers or _fitting(target, plan, parse_node_address(address))
        if not numbers:
            shown = ", ".join(action.address for action in plan.actions[:6])
            more = f" and {len(plan.actions) - 6} more" if len(plan.actions) > 6 else ""
            raise SnippetRefused(f"Nothing in the snippet is at {address}. It has: {shown}{more}.")
        found |= dict.fromkeys(numbers)
    return found


def _fitting(target: Document, plan: MergePlan, segments: tuple[Segment, ...]) -> list[int]:
    *groups, last = segments
    homes = None
    if groups:
        homes = {id(node) for node in select(target.root, target.keys, tuple(groups))}
    return [
        number
        for number, (node, parent) in enumerate(plan.entries())
        if (homes is None or id(parent) in homes) and _fits(target, plan, node, parent, last)
    ]


def _fits(target: Document, plan: MergePlan, node: Node, parent: Node, segment: Segment) -> bool:
    """Whether an entry of the pack is what one segment of an address names."""
    if segment.is_deep or segment.ordinal or not segment.fits_name(node.name):
        return False
    key = target.keys.key_among(parent.names, node)
    if segment.keys and not any(pattern.matches(key) for pattern in segment.keys):
        return False
    if any(pattern.matches(key) for pattern in segment.excluded):
        return False
    return not segment.chooses or bool(chosen_of(plan.keys, [node], segment))


# --- in words ---------------------------------------------------------------------------------------------------------


def plan_in_words(plan: MergePlan) -> str:
    """What a plan adds, changes, replaces and leaves, in one sentence."""
    kinds = Counter(action.kind for number, action in enumerate(plan.actions) if number not in plan.left_out)
    fields = sum(len(action.changes) for action in plan.actions if action.kind is ActionKind.COMBINE)
    said: Mapping[ActionKind, str] = {
        ActionKind.ADD: "added",
        ActionKind.COMBINE: f"overridden in {counted(fields, 'place')}",
        ActionKind.REPLACE: "replaced",
        ActionKind.ASK: "to be decided",
        ActionKind.SAME: "there already, the same",
        ActionKind.SKIP: "skipped",
    }
    parts = [f"{kinds[kind]:,} {words}" for kind, words in said.items() if kinds[kind]]
    parts += [f"{len(plan.left_out):,} of the snippet not taken"] if plan.left_out else []
    return f"{', '.join(parts)}." if parts else "Nothing is taken."
