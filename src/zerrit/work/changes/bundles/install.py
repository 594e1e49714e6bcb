"""Installing a kept bundle, or putting it in the place of another version, by a change."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace

from sqlalchemy import select

from zerrit.core.archives import programs_of
from zerrit.core.bundles.installed import InstalledBundle
from zerrit.core.bundles.installing import BundleInstall, Sources, plan_install
from zerrit.core.bundles.inventory import BundlePart, Inventory, opened_inside
from zerrit.core.bundles.placement import Placement, in_folder, kind_called, placed
from zerrit.core.paths import INSIDE, name_matches
from zerrit.core.rules.bundles import BundleRules
from zerrit.core.wording import counted
from zerrit.records import Bundle, Change, load_content
from zerrit.work.base.errors import Refused
from zerrit.work.base.workspace import Workspace
from zerrit.work.changes.bundles.kept import KeptArchive, get_bundle, list_bundles, require_bounded
from zerrit.work.changes.bundles.on_server import source_of
from zerrit.work.changes.bundles.view import ServerView, looked, server_view
from zerrit.work.changes.changes import create_with_steps, reader
from zerrit.work.snapshots.contents import save_content


@dataclass(frozen=True, slots=True)
class Choice:
    """Which part of a bundle, and where it goes; what is empty is recognised or was chosen before.

    `strip_top`: the one folder that everything is in is left out on the way into the folder `to`.
    """

    part: str | None = None
    kind: str = ""
    name: str = ""
    to: str = ""
    strip_top: bool = False
    if_refused: str = "fail"
    choices: Mapping[str, str] = field(default_factory=dict)
    rest: str = ""


@dataclass(frozen=True, slots=True)
class Installation:
    """What installing comes to; `change` is the one that was opened for it."""

    placement: Placement
    version: str
    old: InstalledBundle | None
    plan: BundleInstall
    needs_off: tuple[str, ...]
    needs_missing: tuple[str, ...]
    refused: tuple[str, ...]
    change: Change | None = None


def install(
    workspace: Workspace,
    person: str,
    server_id: str,
    bundle_id: int,
    choice: Choice,
    *,
    title: str = "",
    create: bool = False,
) -> Installation:
    """Install a kept bundle on a server, or put it in the place of the version that is there; with `create` as a change.

    Raises NotFound. Refused: it is not clear where it goes, a conflict is undecided, or nothing would change. EditRefused.
    MergeRefused.
    """
    with workspace.session() as session:
        bundle = get_bundle(session, bundle_id)
        here = server_view(workspace, session, server_id)
        kept = [get_bundle(session, one.id) for one in list_bundles(session)]
    part, rules, placement = _placed(workspace, bundle, here, choice)
    old = next((one for one in here.installed if (one.kind, one.name) == (placement.kind, placement.name)), None)
    needs = part.manifest.needs if part is not None else ()
    base = _base(workspace, here, kept, old) if old is not None else None
    digests = _digests_of(workspace, bundle, placement)
    programs = programs_of(KeptArchive(workspace, bundle).members)
    sources = Sources(here.files, reader(here.gamebook), lambda digest: _content_of(workspace, digest), programs)

    def planned(choices: Mapping[str, str]) -> BundleInstall:
        return plan_install(
            rules,
            placement,
            digests,
            sources,
            here.installed,
            base,
            needs=needs,
            choices=choices,
            if_refused=choice.if_refused,
        )

    plan = planned(choice.choices)
    if choice.rest and plan.conflicts:
        plan = planned({**{one.address: choice.rest for one in plan.conflicts}, **choice.choices})
    states = {one.name: one.state for one in here.installed if one.kind == placement.kind}
    patterns = here.server.maintenance.refused_files
    refused = tuple(path for path in placement.paths if any(name_matches(pattern, path) for pattern in patterns))
    found = Installation(
        placement,
        (part.manifest.version if part is not None else "") or bundle.version,
        old,
        plan,
        tuple(name for name in needs if states.get(name) in ("off", "unclear")),
        tuple(name for name in needs if name not in states),
        refused,
    )
    if not create:
        return found
    if plan.conflicts:
        shown = ", ".join(one.address for one in plan.conflicts[:5])
        raise Refused(
            f"{counted(len(plan.conflicts), 'conflict')} to be decided first: {shown}. Choose mine or theirs."
        )
    if not plan.steps:
        raise Refused(f"{server_id} has all of {bundle.file_name} already; nothing would change.")
    verb = "Upgrade" if old is not None else "Install"
    said = title or f"{verb} {placement.name or bundle.name} {found.version}".strip()
    change = create_with_steps(workspace, person, server_id, said, plan.steps)
    _remember(workspace, bundle.id, choice)
    return replace(found, change=change)


def _digests_of(workspace: Workspace, bundle: Bundle, placement: Placement) -> dict[str, str]:
    """The digests of a bundle's files by their path in it; what is in an archive in it is stored first."""
    digests = {file.path: file.digest for file in bundle.files}
    archive = KeptArchive(workspace, bundle)
    inner = {source.partition(INSIDE)[0] for source in placement.files.values() if INSIDE in source}
    for path in sorted(inner):
        with opened_inside(archive, path) as opened:
            if opened is not None:
                require_bounded(opened)
            for member, data in opened.contents() if opened is not None else ():
                digests[f"{path}{INSIDE}{member.path}"] = save_content(workspace, member.path, data)
    return digests


def _content_of(workspace: Workspace, digest: str) -> bytes:
    """The bytes with a digest."""
    with workspace.session() as session:
        return load_content(session, digest)


def _remember(workspace: Workspace, bundle_id: int, choice: Choice) -> None:
    """How it was placed is proposed for its next version."""
    given = {
        "part": choice.part,
        "kind": choice.kind,
        "name": choice.name,
        "to": choice.to,
        "strip_top": choice.strip_top,
    }
    if any(given.values()):
        with workspace.writing() as session:
            get_bundle(session, bundle_id).placement = given


def _placed(
    workspace: Workspace, bundle: Bundle, here: ServerView, choice: Choice
) -> tuple[BundlePart | None, BundleRules | None, Placement]:
    """The part of a bundle and where its files go: as chosen, as recognised, or as it was chosen for another version."""
    inventory = looked(workspace, bundle, here)
    if not (choice.kind or choice.to or choice.name or choice.part is not None) and not inventory.parts:
        choice = _chosen_before(workspace, bundle, choice)
    part = _part(inventory, choice)
    paths = [file.path for file in bundle.files]
    top = _only_folder(paths)
    if part is not None and choice.part is not None:  # of the archive only what was chosen
        paths, top = list(part.placement.files.values()), part.root
    elif choice.part is not None:
        top = choice.part
    if choice.to:
        is_part = choice.part is not None
        return part, None, in_folder(choice.to, top if is_part or choice.strip_top else "", paths)
    if choice.kind:
        rules = kind_called(here.kinds, choice.kind)
        name = choice.name or (part.name if part is not None else "") or inventory.name
        root = part.root if part is not None else top
        return part, rules, placed(rules, name, root, paths, version=inventory.version)
    if part is None:
        raise Refused(
            f"It is not clear where {bundle.file_name} goes on {here.server.id}: nothing in it is like a bundle that the "
            "gamebook knows. Say of which kind it is (--kind), or in which folder it goes (--to)."
        )
    found = next((one for one in here.kinds if one.kind == part.kind), None)
    if choice.name and choice.name != part.name and found is not None:
        return (
            part,
            found,
            placed(found, choice.name, part.root, list(part.placement.files.values()), version=part.manifest.version),
        )
    return part, found, part.placement


def _chosen_before(workspace: Workspace, bundle: Bundle, choice: Choice) -> Choice:
    with workspace.session() as session:
        query = select(Bundle).where(Bundle.name == bundle.name).order_by(Bundle.id.desc())
        earlier = next((one.placement for one in session.scalars(query) if one.placement), None)
    return replace(choice, **earlier) if earlier else choice


def _part(inventory: Inventory, choice: Choice) -> BundlePart | None:
    parts = inventory.parts
    if choice.part is not None:
        chosen = [one for one in parts if choice.part in (one.root, one.name)]
        if not chosen and parts:
            raise Refused(f"There is no part `{choice.part}` in it. {_parts_named(parts)}")
        parts = tuple(chosen)
    if choice.name and len(parts) > 1:
        parts = tuple(one for one in parts if one.name == choice.name) or parts
    if len(parts) > 1 and not choice.to:
        raise Refused(f"It holds {len(parts)} bundles. Choose one. {_parts_named(parts)}")
    return parts[0] if parts else None


def _parts_named(parts: Sequence[BundlePart]) -> str:
    return "It has: " + ", ".join(f"{one.name} ({one.kind or 'files'})" for one in parts) + "."


def _only_folder(paths: Sequence[str]) -> str:
    """The one folder that everything is in, which is not a part of what it holds."""
    tops = {path.partition("/")[0] for path in paths}
    return next(iter(tops)) if len(tops) == 1 and all("/" in path for path in paths) else ""


def _base(
    workspace: Workspace, here: ServerView, kept: Sequence[Bundle], old: InstalledBundle
) -> dict[str, str] | None:
    """The files of the installed version as they came, by their paths on the server; None where that is not known."""
    parts = [(bundle, part) for bundle in kept for part in looked(workspace, bundle, here).parts]
    source = source_of(old, parts)
    if source is None:
        return None
    bundle, part = source
    digests = _digests_of(workspace, bundle, part.placement)
    return {path: digests[inside] for path, inside in part.placement.files.items()}
