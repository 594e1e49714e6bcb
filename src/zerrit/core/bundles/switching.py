"""Steps that switch a bundle on or off, or remove it, with its place in every list that names it."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence

from zerrit.core.addresses import parse_address
from zerrit.core.bundles.installed import InstalledBundle, listed_names
from zerrit.core.bundles.paths import path_for
from zerrit.core.documents import Document, Node, NodeKind
from zerrit.core.documents.selection import select
from zerrit.core.errors import EditRefused
from zerrit.core.file_steps import Read
from zerrit.core.rules.bundles import BundleRules
from zerrit.core.steps import OutcomeKind, Step, StepKind, replay

Documents = Mapping[str, Document]


def steps_to_switch(
    rules: BundleRules,
    bundle: InstalledBundle,
    documents: Documents,
    read: Read,
    others: Sequence[InstalledBundle],
    *,
    on: bool,
) -> tuple[Step, ...]:
    """Switch one on or off. `others` are all bundles of the server.

    Raises EditRefused: the gamebook knows no way to switch such a bundle, or a list that names it cannot be written.
    """
    if not rules.can_be_off:
        raise EditRefused(
            f"The gamebook does not say where bundles of the kind {rules.kind} are when they are off. Add `when_off` or `listed` "
            "to the kind, or remove the bundle."
        )
    steps = list(_moves(rules, bundle, on=on))
    if on:
        steps += names_added(rules, bundle.name, bundle.manifest.needs, documents, read, others)
    else:
        steps += names_removed(rules, bundle.name, documents)
    return tuple(steps)


def needed_by(bundle: InstalledBundle, others: Iterable[InstalledBundle]) -> list[str]:
    """The names of those that are on and need it."""
    return [
        one.name
        for one in others
        if one.kind == bundle.kind and one.state == "on" and bundle.name in one.manifest.needs
    ]


def steps_to_remove(rules: BundleRules, bundle: InstalledBundle, documents: Documents) -> tuple[Step, ...]:
    """Remove a bundle with all files that belong to it, and its name from every list."""
    paths: list[str] = []
    for pattern in (*rules.when_on, *rules.when_off, *rules.beside):
        path = path_for(pattern, bundle.name)
        if any(file == path or file.startswith(f"{path}/") for file in bundle.files):
            paths.append(path)
    removals = [Step(StepKind.REMOVE_FILE, path) for path in dict.fromkeys(paths)]
    return (*names_removed(rules, bundle.name, documents), *removals)


def _moves(rules: BundleRules, bundle: InstalledBundle, *, on: bool) -> Iterable[Step]:
    for home, away in zip(rules.when_on, rules.when_off, strict=False):
        source, target = (away, home) if on else (home, away)
        path = path_for(source, bundle.name)
        if any(file == path or file.startswith(f"{path}/") for file in bundle.files):
            yield Step(StepKind.MOVE_FILE, path, target=path_for(target, bundle.name))


# --- lists that name what is on ---------------------------------------------------------------------------------------


def names_removed(rules: BundleRules, name: str, documents: Documents) -> list[Step]:
    """The steps that take a name out of every list of its kind."""
    steps: list[Step] = []
    for address in rules.listed:
        for path, document, node in _places(address, documents):
            # From the last to the first: an address with a number holds as long as only later ones are gone.
            for found in reversed(_named(node, name)):
                entry = _entry_of(found)
                steps.append(Step(StepKind.REMOVE, f"{path}#{document.keys.address_of(entry)}"))
    return steps


def names_added(
    rules: BundleRules,
    name: str,
    needs: Sequence[str],
    documents: Documents,
    read: Read,
    others: Sequence[InstalledBundle],
) -> list[Step]:
    """The steps that put a name into every list of its kind: behind what it needs, and before what needs it.

    Raises EditRefused: a list is empty or not there, so that it is not known how a name is written in it; or what it needs
    comes behind what needs it.
    """
    dependents = {one.name for one in others if one.kind == rules.kind and name in one.manifest.needs}
    steps: list[Step] = []
    for address, words in listed_names(rules, documents):
        if name in words:
            continue
        addition = _addition(rules, address, name, documents)
        steps.append(addition)
        behind = max((words.index(need) for need in needs if need in words), default=-1)
        before = next((word for word in words if word in dependents), None)
        if before is None:
            continue
        if words.index(before) < behind:
            raise EditRefused(
                f"{name} needs {words[behind]}, which is behind {before} in {address}; but {before} needs {name}. Put "
                f"{words[behind]} before {before} first."
            )
        steps.append(_moved_before(address, addition, name, before, documents, read))
    return steps


def _addition(rules: BundleRules, address: str, name: str, documents: Documents) -> Step:
    found = list(_places(address, documents))
    if not found:
        raise EditRefused(
            f"{address} is empty or not there, so it is not known how a name is written there. Write the first one yourself."
        )
    path, document, node = found[-1]
    if node.kind is NodeKind.LIST:
        return Step(StepKind.ADD, f"{path}#{document.keys.address_of(node)}", value=name)
    entry, parent = _entry_of(node), node.parent
    if entry is not node:
        group = entry.parent
        where = f"{path}#{document.keys.address_of(group)}" if group is not None and group.parent is not None else path
        return Step(StepKind.ADD, where, name=entry.name, fields={node.name: name})
    if parent is not None and parent.kind is NodeKind.LIST:
        return Step(StepKind.ADD, f"{path}#{document.keys.address_of(parent)}", value=name)
    where = f"{path}#{document.keys.address_of(parent)}" if parent is not None and parent.parent is not None else path
    return Step(StepKind.ADD, where, name=node.name, value=name)


def _moved_before(address: str, addition: Step, name: str, before: str, documents: Documents, read: Read) -> Step:
    """The step that moves a name that was just added before another one."""
    made = replay(documents, [addition], read)
    if made.outcomes[0].kind is not OutcomeKind.DONE:
        raise EditRefused(f"{name} cannot be added to {address}: {made.outcomes[0].message}")
    after = made.documents
    path, document, _ = next(iter(_places(address, after)))
    nodes = [found for _, _, node in _places(address, after) for found in (*_named(node, name), *_named(node, before))]
    by_value = {node.value: _entry_of(node) for node in nodes}
    source, target = (document.keys.address_of(by_value[word]) for word in (name, before))
    return Step(StepKind.MOVE, f"{path}#{source}", where="before", target=target)


def _places(address_text: str, documents: Documents) -> Iterable[tuple[str, Document, Node]]:
    address = parse_address(address_text)
    document = documents.get(address.path)
    if document is None:
        return
    for node in select(document.root, document.keys, address.segments):
        yield address.path, document, node


def _named(node: Node, name: str) -> list[Node]:
    """The values in a place that are the name: the place itself, or items of its list."""
    if node.value is not None:
        return [node] if node.value == name else []
    return [child for child in node.children if child.value == name]


def _entry_of(node: Node) -> Node:
    """What comes and goes with a name: the name itself, or the entry that it is a field of, such as an XML element."""
    parent = node.parent
    if node.name.startswith("@") and parent is not None and parent.parent is not None:
        return parent
    is_item = (
        parent is not None and parent.parent is not None and parent.parent.kind is NodeKind.LIST and not parent.name
    )
    return parent if is_item and parent is not None and node.name else node
