"""Switching bundles on and off, removing them, and having the same set as another server, by changes."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace

from zerrit.core.bundles.installed import InstalledBundle
from zerrit.core.bundles.placement import kind_called
from zerrit.core.bundles.switching import needed_by, steps_to_remove, steps_to_switch
from zerrit.core.nearest import did_you_mean
from zerrit.core.steps import Step, StepKind, replay
from zerrit.records import Bundle, Change
from zerrit.work.base.errors import NotFound, Refused
from zerrit.work.base.workspace import Workspace
from zerrit.work.changes.bundles.kept import get_bundle, list_bundles
from zerrit.work.changes.bundles.on_server import digest_on
from zerrit.work.changes.bundles.view import ServerView, looked, server_view
from zerrit.work.changes.changes import create_with_steps, reader


@dataclass(frozen=True, slots=True)
class Switching:
    """What switching or removing comes to. `needed_by` are those that are on and need it, `differs` those that another
    server has in another version.
    """

    bundles: tuple[InstalledBundle, ...]
    steps: tuple[Step, ...]
    needs_off: tuple[str, ...] = ()
    needs_missing: Mapping[str, str] = field(default_factory=dict)
    needed_by: tuple[str, ...] = ()
    differs: tuple[str, ...] = ()
    change: Change | None = None


def switch(
    workspace: Workspace,
    person: str,
    server_id: str,
    name: str,
    *,
    on: bool,
    kind: str = "",
    with_needed: bool = False,
    create: bool = False,
) -> Switching:
    """Switch a bundle on or off; with `with_needed`, also what it needs and is off. With `create` as a change.

    Raises NotFound. Refused: it is so already. EditRefused: the gamebook knows no way to switch it.
    """
    with workspace.session() as session:
        here = server_view(workspace, session, server_id)
        kept = [get_bundle(session, one.id) for one in list_bundles(session)]
    bundle = _called(here, name, kind)
    if bundle.state == ("on" if on else "off"):
        raise Refused(f"{bundle.name} is {bundle.state} already.")
    chosen, missing = [bundle], set[str]()
    off: set[str] = set()
    if on:
        chosen, off, missing = _with_needs(here, bundle, with_needed=with_needed)
    steps = _switched(here, chosen, on=on)
    result = Switching(
        tuple(chosen),
        steps,
        tuple(sorted(off)),
        {one: _where_it_is_kept(workspace, here, kept, bundle.kind, one) for one in sorted(missing)},
        () if on else tuple(needed_by(bundle, here.installed)),
    )
    if not create:
        return result
    change = create_with_steps(
        workspace, person, server_id, f"Switch {'on' if on else 'off'} {', '.join(one.name for one in chosen)}", steps
    )
    return replace(result, change=change)


def _with_needs(
    here: ServerView, bundle: InstalledBundle, *, with_needed: bool
) -> tuple[list[InstalledBundle], set[str], set[str]]:
    """What is switched on, in the order in which one needs another; what else is off; and what is not there."""
    by_name = {one.name: one for one in here.installed if one.kind == bundle.kind}
    chosen: list[InstalledBundle] = []
    off: set[str] = set()
    missing: set[str] = set()
    pending, seen = [bundle], {bundle.name}
    while pending:
        one = pending.pop()
        chosen.insert(0, one)
        for need in one.manifest.needs:
            if need not in by_name:
                missing.add(need)
            elif by_name[need].state != "on" and need not in seen:
                seen.add(need)
                if with_needed:
                    pending.append(by_name[need])
                else:
                    off.add(need)
    return chosen, off, missing


def _switched(
    here: ServerView, chosen: Sequence[InstalledBundle], *, on: bool, before: Sequence[Step] = ()
) -> tuple[Step, ...]:
    """The steps for several, each on the files as those before it leave them."""
    read, others = reader(here.gamebook), here.files.others
    documents = replay(here.files.documents, before, read, others).documents
    steps: list[Step] = []
    for one in chosen:
        made = steps_to_switch(kind_called(here.kinds, one.kind), one, documents, read, here.installed, on=on)
        documents = replay(documents, made, read, others).documents
        steps += made
    return tuple(steps)


def _where_it_is_kept(workspace: Workspace, here: ServerView, kept: Sequence[Bundle], kind: str, name: str) -> str:
    """Where a bundle that a server lacks can be had: among those that are kept."""
    for bundle in kept:
        for part in looked(workspace, bundle, here).parts:
            if (part.kind, part.name) == (kind, name):
                return f"bundle {bundle.id}: {bundle.file_name}"
    return ""


def _called(here: ServerView, name: str, kind: str) -> InstalledBundle:
    found = [one for one in here.installed if one.name == name and kind in ("", one.kind)]
    if not found:
        names = [one.name for one in here.installed]
        hint = did_you_mean(name, names)
        raise NotFound(f"{here.server.id} has no bundle called {name}. {hint}".rstrip())
    if len(found) > 1:
        raise Refused(f"{name} is there as {' and as '.join(one.kind for one in found)}. Say which kind (--kind).")
    return found[0]


def remove(
    workspace: Workspace, person: str, server_id: str, name: str, *, kind: str = "", create: bool = False
) -> Switching:
    """Remove a bundle with all that belongs to it; with `create` as a change. Raises NotFound, Refused."""
    with workspace.session() as session:
        here = server_view(workspace, session, server_id)
    bundle = _called(here, name, kind)
    steps = steps_to_remove(kind_called(here.kinds, bundle.kind), bundle, here.files.documents)
    result = Switching((bundle,), steps, needed_by=tuple(needed_by(bundle, here.installed)))
    if not create:
        return result
    return replace(result, change=create_with_steps(workspace, person, server_id, f"Remove {bundle.name}", steps))


def same_as(workspace: Workspace, person: str, server_id: str, other_id: str, *, create: bool = False) -> Switching:
    """The bundles that are on at another server, on here too and no others; with `create` as a change.

    What is not here is taken from the other server's files, as far as they are kept. What differs in version is named and
    left as it is.

    Raises NotFound. Refused: the set is the same already.
    """
    with workspace.session() as session:
        here, there = server_view(workspace, session, server_id), server_view(workspace, session, other_id)
    own = {(one.kind, one.name): one for one in here.installed}
    theirs = {(one.kind, one.name): one for one in there.installed if one.state == "on"}
    to_off = [one for key, one in own.items() if one.state == "on" and key not in theirs]
    to_on = [own[key] for key in theirs if key in own and own[key].state != "on"]
    off_steps = _switched(here, to_off, on=False)
    copied: list[Step] = []
    lacking: dict[str, str] = {}
    for key, bundle in theirs.items():
        if key in own:
            continue
        files = {path: digest_on(there.files, path) for path in bundle.on_paths}
        unknown = [path for path, digest in files.items() if not digest]
        if unknown:
            lacking[bundle.name] = f"{unknown[0]} is only watched on {other_id}, so its content is not kept"
            continue
        copied += [Step(StepKind.PUT_FILE, path, digest=digest) for path, digest in files.items()]
        to_on.append(replace(bundle, state="off", files=()))
    named = [one for one in to_on if kind_called(here.kinds, one.kind).can_be_off]
    on_steps = _switched(here, named, on=True, before=off_steps)
    steps = (*off_steps, *copied, *on_steps)
    other_version = [
        f"{one.name} ({own[key].manifest.version or 'unknown'} here, {one.manifest.version or 'unknown'} there)"
        for key, one in theirs.items()
        if key in own and own[key].manifest.version != one.manifest.version
    ]
    result = Switching((*to_off, *to_on), steps, (), lacking, differs=tuple(other_version))
    if not create:
        return result
    if not steps:
        raise Refused(f"{server_id} has the bundles of {other_id} on already, and no others.")
    return replace(
        result, change=create_with_steps(workspace, person, server_id, f"The same bundles as {other_id}", steps)
    )
