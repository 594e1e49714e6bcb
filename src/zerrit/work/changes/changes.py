"""Changes: their steps, their findings, their difference."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, fields, replace
from datetime import datetime
from typing import Any, Final

from sqlalchemy import select
from sqlalchemy.orm import Session

from zerrit.core.checks import Checked, Effect, Files, check_files_of, effects, looks, touched
from zerrit.core.compare import Difference, compare_files
from zerrit.core.documents import Document, Finding, read_document
from zerrit.core.documents.findings import known_again
from zerrit.core.file_steps import NOT_KEPT, TOO_LARGE, Read
from zerrit.core.gamebooks import Gamebook
from zerrit.core.merge import ActionKind, MergePlan, Taking, plan_merge, taken
from zerrit.core.paths import pack_of
from zerrit.core.states import EDITABLE, ChangeState
from zerrit.core.steps import (
    Outcome,
    OutcomeKind,
    Replay,
    Step,
    StepKind,
    remarked,
    replay,
    touched_others,
    touched_paths,
)
from zerrit.records import Change, Snapshot, load_content
from zerrit.records import Step as StepRow
from zerrit.work.base.activity_log import note
from zerrit.work.base.errors import NotFound, Outdated, Refused, WrongState
from zerrit.work.base.workspace import WorkedOut, WorkKey, Workspace
from zerrit.work.changes.finding_status import JudgedFinding, judge
from zerrit.work.changes.refused_files import refused_by
from zerrit.work.servers.servers import get_server
from zerrit.work.servers.stored_gamebooks import gamebook_of
from zerrit.work.snapshots.live_files import Held
from zerrit.work.snapshots.snapshots import (
    checked_in,
    differing_paths,
    digests,
    documents_of,
    files_of,
    latest_snapshot,
    require_latest,
)

MAX_STEPS: Final = 2000


@dataclass(frozen=True, slots=True)
class Preview:
    """A change worked out on files: what its steps did, the files before and after, what is found."""

    before: Mapping[str, Document]
    replayed: Replay
    findings: tuple[JudgedFinding, ...]
    fixed: tuple[Finding, ...]  #: found before the change and no longer after it
    effects: tuple[Effect, ...]  #: what its values wait for once they are written
    looks: tuple[str, ...]  #: what to look at in the game then

    @property
    def blocking(self) -> list[str]:
        """Why it may not be deployed, one sentence each."""
        reasons = impossible_steps(self.replayed)
        reasons += [said(judged.finding) for judged in self.findings if judged.blocks]
        return reasons


def impossible_steps(replayed: Replay) -> list[str]:
    """The steps that cannot be made, one sentence each."""
    return [
        f"step {number} is impossible: {outcome.message}"
        for number, outcome in enumerate(replayed.outcomes, 1)
        if outcome.kind is OutcomeKind.IMPOSSIBLE
    ]


def said(finding: Finding) -> str:
    """A finding as one line: its place, what is wrong, and the fix if there is one."""
    place = f"{finding.path}, line {finding.line}" if finding.line else finding.path
    return f"{place}: {finding.message} {finding.hint}".rstrip()


def create_change(workspace: Workspace, person: str, server_id: str, title: str) -> Change:
    """Open a change on the latest snapshot of a server."""
    if not title.strip():
        raise Refused("Give the change a title that says what it is for.")
    with workspace.session() as session:
        get_server(session, server_id)
        now = workspace.now()
        change = Change(
            server_id=server_id,
            title=title.strip()[:200],
            state=ChangeState.DRAFT,
            base_id=require_latest(session, server_id).id,
            author=person,
            created_at=now,
            updated_at=now,
            checklist=[],
            pending=[],
        )
        session.add(change)
        session.flush()
        note(workspace, session, person, "change.opened", server_id, f"{change.id}: {change.title}")
        change.steps = []
    workspace.publish("change", {"change": change.id, "server": server_id})
    return change


def get_change(session: Session, change_id: int) -> Change:
    """A change. Raises NotFound."""
    change = session.get(Change, change_id)
    if change is None:
        raise NotFound(f"There is no change {change_id}.")
    return change


def list_changes(session: Session, server_id: str) -> list[Change]:
    """The changes of a server, the newest first."""
    query = select(Change).where(Change.server_id == server_id).order_by(Change.id.desc())
    return list(session.scalars(query))


def add_step(workspace: Workspace, person: str, change_id: int, step: Step, *, version: int | None = None) -> Change:
    """Append a step. It is tried on the change's files first; an impossible one is refused with the reason.

    Raises NotFound, WrongState, Outdated, Refused.
    """
    return add_steps(workspace, person, change_id, [step], version=version)


def add_steps(
    workspace: Workspace, person: str, change_id: int, steps: Sequence[Step], *, version: int | None = None
) -> Change:
    """Append several steps, or none of them where one is impossible or changes nothing.

    Raises NotFound, WrongState, Outdated, Refused.
    """
    with workspace.editing.of(change_id):
        change = _added_steps(workspace, person, change_id, steps, version)
    workspace.publish("change", {"change": change_id, "server": change.server_id})
    return change


def _added_steps(
    workspace: Workspace, person: str, change_id: int, steps: Sequence[Step], version: int | None
) -> Change:
    """Try the steps without holding up others, then append them if nothing has changed since."""
    with workspace.session() as session:
        change = _editable(session, change_id, version)
        if len(change.steps) + len(steps) > MAX_STEPS:
            raise Refused(f"A change holds at most {MAX_STEPS} steps. Open another.")
        seen = change.version
        known = worked_out(workspace, session, change)
        gamebook, gamebook_digest = gamebook_of(session, get_server(session, change.server_id))
        tried = _tried(workspace, session, known, steps, gamebook, change.server_id)
    with workspace.writing() as session:
        change = _editable(session, change_id, seen)
        position = max((row.position for row in change.steps), default=0)
        for number, step in enumerate(steps, position + 1):
            change.steps.append(row_of_step(step, number, person, workspace.now()))
            _edited(workspace, session, change, person, f"step {number}: {step.kind.value} {step.address}")
        key = _work_key(change, gamebook_digest)
    touched = touched_paths(known.before, tried.documents) | touched_others(known.files.others, tried.others)
    touched |= remarked(known.files.marks, tried)
    whole = replace(tried, outcomes=(*known.replayed.outcomes, *tried.outcomes), touched=touched)
    checked = _after(workspace, known.files, whole, gamebook, known.checked)
    workspace.worked_out.keep(key, WorkedOut(known.files, whole, known.checked_before, checked))
    return change


def _tried(
    workspace: Workspace,
    session: Session,
    known: WorkedOut,
    steps: Sequence[Step],
    gamebook: Gamebook | None,
    server_id: str,
) -> Replay:
    """The steps made on the files as a change leaves them. Raises Refused: one cannot be made, or changes nothing."""
    tried = replayed_on(session, gamebook, files_after(workspace, known.files, known.replayed), steps)
    for step, outcome in zip(steps, tried.outcomes, strict=True):
        if outcome.kind is OutcomeKind.IMPOSSIBLE:
            raise Refused(outcome.message)
        if outcome.kind is OutcomeKind.SAME:
            raise Refused(f"{step.address}: it is so already; the step would change nothing.")
    _require_kept(gamebook, server_id, tried.touched)
    return tried


def _require_kept(gamebook: Gamebook | None, server_id: str, paths: Collection[str]) -> None:
    """What steps touch must be files that a rollback could take back."""
    for path in sorted(paths):
        if gamebook is not None and gamebook.is_ignored(path):
            raise Refused(
                f"{path} is none of the files that Zerrit keeps for {server_id} (see `ignore` in the gamebook), so a rollback "
                "could not take it back. Choose another path."
            )
        if pack_of(path) and (gamebook is None or not gamebook.is_opened(pack_of(path))):
            raise Refused(
                f"{path} is in a packed file that is not opened, so nothing in it can be changed. Add {pack_of(path)} to `opened` "
                "in the gamebook and fetch the files again."
            )


def create_with_steps(workspace: Workspace, person: str, server_id: str, title: str, steps: Sequence[Step]) -> Change:
    """Open a change with all these steps, or none at all.

    Raises NotFound, Refused: a step cannot be made, or changes nothing.
    """
    with workspace.session() as session:
        server = get_server(session, server_id)
        gamebook, _ = gamebook_of(session, server)
        newest = files_of(workspace, session, server, require_latest(session, server_id))
        tried = replayed_on(session, gamebook, newest, steps)
    _require_kept(gamebook, server_id, tried.touched)
    for step, outcome in zip(steps, tried.outcomes, strict=True):
        if outcome.kind is not OutcomeKind.DONE:
            why = outcome.message or "it is so already; the step would change nothing."
            raise Refused(f"{step.kind.value} {step.address}: {why} No change was opened.")
    change = create_change(workspace, person, server_id, title)
    return add_steps(workspace, person, change.id, steps)


def try_step(workspace: Workspace, change_id: int, step: Step) -> Outcome:
    """What a step would do to the files as the change leaves them, place by place; nothing is kept."""
    with workspace.session() as session:
        change = get_change(session, change_id)
        known = worked_out(workspace, session, change)
        gamebook, _ = gamebook_of(session, get_server(session, change.server_id))
        tried = replayed_on(session, gamebook, files_after(workspace, known.files, known.replayed), [step])
    return tried.outcomes[0]


@dataclass(frozen=True, slots=True)
class ReplayedElsewhere:
    """The steps of a change on another server's latest files. `change` is the one that was opened for them there."""

    steps: tuple[Step, ...]
    outcomes: tuple[Outcome, ...]
    findings: tuple[JudgedFinding, ...]  #: those that the steps bring in
    change: Change | None = None


def replay_on(
    workspace: Workspace, person: str, change_id: int, server_id: str, *, title: str = "", create: bool = False
) -> ReplayedElsewhere:
    """Replay a change on another server: each step is done, was so already, or is impossible, with the reason.

    With `create`, a change is opened there with the steps that do something.

    Raises NotFound, Refused: nothing could be done there.
    """
    with workspace.session() as session:
        original = get_change(session, change_id)
        steps = [step_of(row) for row in original.steps]
        server = get_server(session, server_id)
        latest = require_latest(session, server_id)
        gamebook, _ = gamebook_of(session, server)
        files = files_of(workspace, session, server, latest)
        replayed = replayed_on(session, gamebook, files, steps)
        old = checked_in(workspace, session, server, latest)
        new = _after(workspace, files, replayed, gamebook, old) if replayed.touched else old
        found_there = judge(workspace, session, server, old.findings, new.findings, lambda: replayed.documents)
        judged = tuple(one for one in found_there if one.is_new)
    found = ReplayedElsewhere(tuple(steps), replayed.outcomes, judged)
    if not create:
        return found
    doing = [step for step, outcome in zip(steps, replayed.outcomes, strict=True) if outcome.kind is OutcomeKind.DONE]
    if not doing:
        raise Refused(f"None of the {len(steps)} steps does anything on {server_id}, so no change was opened there.")
    return replace(found, change=create_with_steps(workspace, person, server_id, title or original.title, doing))


def remove_steps(
    workspace: Workspace, person: str, change_id: int, step_ids: Collection[int], *, version: int | None = None
) -> list[Step]:
    """Remove steps, all or none; they are returned in their order. Raises NotFound, WrongState, Outdated."""
    with workspace.editing.of(change_id), workspace.writing() as session:
        change = _editable(session, change_id, version)
        rows = [row for row in change.steps if row.id in step_ids]
        missing = sorted(set(step_ids) - {row.id for row in rows})
        if missing:
            raise NotFound(f"Change {change_id} has no step with the number {missing[0]}.")
        removed = [step_of(row) for row in rows]
        for row in rows:
            change.steps.remove(row)
            _edited(workspace, session, change, person, f"removed: {row.kind} {row.address}")
        server = change.server_id
    workspace.publish("change", {"change": change_id, "server": server})
    return removed


def preview(workspace: Workspace, session: Session, change: Change) -> Preview:
    """Work the change out on the snapshot that it is based on."""
    known = worked_out(workspace, session, change)
    server = get_server(session, change.server_id)
    refused = refused_by(server, [step_of(row) for row in change.steps], known.replayed).findings()
    judged = judge(
        workspace,
        session,
        server,
        known.old_findings,
        [*known.findings, *refused],
        lambda: known.replayed.documents,
    )
    gamebook, _ = gamebook_of(session, server)
    return Preview(
        known.before,
        known.replayed,
        judged,
        _gone(known),
        tuple(effects(gamebook, _differences(known), known.replayed.documents)),
        tuple(looks(gamebook, known.before, known.replayed.documents)),
    )


def _gone(known: WorkedOut) -> tuple[Finding, ...]:
    is_left = known_again(known.findings, known.old_findings)
    return tuple(one for one, is_known in zip(known.old_findings, is_left, strict=True) if not is_known)


def _differences(known: WorkedOut) -> list[Difference]:
    changed = touched(known.before, known.replayed.documents)
    before = {path: known.before[path] for path in changed if path in known.before}
    after = {path: known.replayed.documents[path] for path in changed if path in known.replayed.documents}
    return list(compare_files(before, after))


def check_change(workspace: Workspace, person: str, change_id: int) -> tuple[Change, Preview]:
    """Check the change; without blocking findings its state becomes `checked`."""
    with workspace.editing.of(change_id):
        with workspace.session() as session:
            change = get_change(session, change_id)
            if change.state not in EDITABLE:
                raise WrongState(
                    f"Change {change_id} is {change.state}; only a change that is still open can be checked."
                )
            seen = preview(workspace, session, change)
        change = _checked(workspace, person, change_id, change.version, seen)
    workspace.publish("change", {"change": change_id, "server": change.server_id})
    return change, seen


def _checked(workspace: Workspace, person: str, change_id: int, version: int, seen: Preview) -> Change:
    with workspace.writing() as session:
        change = _editable(session, change_id, version)
        if change.steps and not seen.blocking:
            change.state = ChangeState.CHECKED
        else:
            change.state = ChangeState.DRAFT
        note(workspace, session, person, "change.checked", change.server_id, f"{change_id}: {change.state}")
    return change


def withdraw(workspace: Workspace, person: str, change_id: int) -> Change:
    """Withdraw a change. It stays readable."""
    with workspace.editing.of(change_id), workspace.writing() as session:
        change = _editable(session, change_id, None)
        change.state = ChangeState.WITHDRAWN
        change.updated_at = workspace.now()
        note(workspace, session, person, "change.withdrawn", change.server_id, str(change_id))
    return change


def refresh(workspace: Workspace, person: str, change_id: int) -> Change:
    """Put a change on the latest snapshot of its server; its steps are then worked out on those files."""
    with workspace.editing.of(change_id), workspace.writing() as session:
        change = _editable(session, change_id, None)
        change.base_id = require_latest(session, change.server_id).id
        _edited(workspace, session, change, person, f"put on snapshot {change.base_id}")
    return change


@dataclass(frozen=True, slots=True)
class SeenMerge:
    """The plan of a merge. `older` names, by the number of an action, the earlier state in which its entry was as in the snippet."""

    plan: MergePlan
    older: Mapping[int, str]


MOST_EARLIER = 30  #: states of a file that a snippet is held against


def preview_merge(
    workspace: Workspace, change_id: int, path: str, snippet: str, into: str, taking: Taking
) -> SeenMerge:
    """The plan of merging a snippet, or part of it, into a file of the change, as its steps so far leave it."""
    with workspace.session() as session:
        change = get_change(session, change_id)
        replayed = worked_out(workspace, session, change).replayed
        document = replayed.documents.get(path)
        if document is None:
            raise NotFound(f"{change.server_id} has no file {path}.")
        plan = taken(document, plan_merge(document, snippet, into), taking)
        return SeenMerge(plan, _older(workspace, session, change.server_id, path, plan))


def _older(workspace: Workspace, session: Session, server_id: str, path: str, plan: MergePlan) -> dict[int, str]:
    """Which entries of a snippet are as they once were here, though they are others now."""
    waiting = {
        number: action.changes
        for number, action in enumerate(plan.actions)
        if action.kind in (ActionKind.COMBINE, ActionKind.REPLACE)
        and all(one.old is not None for one in action.changes)
    }
    found: dict[int, str] = {}
    server = get_server(session, server_id)
    seen: set[str] = set()
    query = select(Snapshot).where(Snapshot.server_id == server_id).order_by(Snapshot.id.desc())
    for snapshot in session.scalars(query):
        digest = digests(session, snapshot).get(path) if waiting else None
        if digest is None or digest in seen or len(seen) >= MOST_EARLIER:
            continue
        seen.add(digest)
        earlier = documents_of(workspace, session, server, {path: digest}).get(path)
        for number, changes in list(waiting.items()) if earlier is not None else ():
            values = [earlier.select(one.address) for one in changes] if earlier is not None else []
            if all(len(nodes) == 1 and nodes[0].value == one.new for nodes, one in zip(values, changes, strict=True)):
                label = f"defaults {snapshot.label}" if snapshot.kind == "defaults" else f"snapshot {snapshot.id}"
                found[number] = label
                del waiting[number]
    return found


def row_of_step(step: Step, position: int, person: str, at: datetime) -> StepRow:
    """A step as it is stored."""
    return StepRow(
        position=position,
        kind=step.kind.value,
        address=step.address,
        data=_data(step),
        author=person,
        created_at=at,
    )


def step_of(row: StepRow) -> Step:
    """A stored step as the core replays it."""
    return Step(StepKind(row.kind), row.address, **row.data)


def _data(step: Step) -> dict[str, Any]:
    """What a step says besides its kind and address, as far as it says anything."""
    empty = Step(StepKind.SET, "")
    given = {one.name: getattr(step, one.name) for one in fields(step) if one.name not in ("kind", "address")}
    return {name: _plain(value) for name, value in given.items() if value != getattr(empty, name)}


def _plain(value: Any) -> Any:
    if isinstance(value, Mapping):
        return dict(value)
    return list(value) if isinstance(value, tuple) else value


def worked_out(workspace: Workspace, session: Session, change: Change) -> WorkedOut:
    """A change on the files that it is built on; kept, since everything that looks at a change asks for it."""
    server = get_server(session, change.server_id)
    gamebook, gamebook_digest = gamebook_of(session, server)
    key = _work_key(change, gamebook_digest)

    def work_out() -> WorkedOut:
        base = base_of(session, change)
        files, old = files_of(workspace, session, server, base), checked_in(workspace, session, server, base)
        replayed = replayed_on(session, gamebook, files, [step_of(row) for row in change.steps])
        new = _after(workspace, files, replayed, gamebook, old) if replayed.touched else old
        return WorkedOut(files, replayed, old, new)

    return workspace.worked_out.get_or_make(key, work_out)


def work_key(session: Session, change: Change) -> WorkKey:
    """By what `worked_out` keeps a change."""
    return _work_key(change, gamebook_of(session, get_server(session, change.server_id))[1])


def _work_key(change: Change, gamebook_digest: str) -> WorkKey:
    """By what the steps are, never by a number that an edit that failed could have used too."""
    steps = [[row.kind, row.address, row.data] for row in change.steps]
    digest = hashlib.sha256(json.dumps(steps, sort_keys=True, ensure_ascii=False).encode("utf-8", "surrogatepass"))
    return change.id, digest.hexdigest(), change.base_id, gamebook_digest


def replayed_on(session: Session, gamebook: Gamebook | None, files: Files, steps: Sequence[Step]) -> Replay:
    """Steps made on files, with the contents that they bring along."""
    return replay(
        files.documents,
        steps,
        reader(gamebook),
        files.others,
        lambda digest: load_content(session, digest),
        gamebook,
        files.marks,
    )


def files_after(workspace: Workspace, files: Files, replayed: Replay) -> Files:
    """What steps made of files."""
    unknown = (NOT_KEPT, TOO_LARGE)
    put = {path: one for path, one in replayed.others.items() if one not in unknown and files.others.get(path) != one}
    held = Held(workspace, put)

    def data(path: str) -> bytes | None:
        if path in held:
            return held[path]
        # What steps took away is not there any more, though its bytes are still kept.
        return files.data(path) if path in replayed.others or path in replayed.documents else None

    return replace(files, documents=replayed.documents, others=replayed.others, data=data, marks=replayed.marks)


def _after(
    workspace: Workspace, files: Files, replayed: Replay, gamebook: Gamebook | None, earlier: Checked
) -> Checked:
    """The check of what steps made of files."""
    after = files_after(workspace, files, replayed)
    return check_files_of(after, gamebook, before=files.documents, earlier=earlier)


def reader(gamebook: Gamebook | None) -> Read:
    """How files that a step brings along are read."""
    return gamebook.read if gamebook else read_document


def base_of(session: Session, change: Change) -> Snapshot:
    """The snapshot that a change is built on."""
    snapshot = session.get(Snapshot, change.base_id)
    if snapshot is None:
        raise NotFound(f"The snapshot {change.base_id} that change {change.id} is built on is gone.")
    return snapshot


def _editable(session: Session, change_id: int, version: int | None) -> Change:
    change = get_change(session, change_id)
    if change.state not in EDITABLE:
        raise WrongState(f"Change {change_id} is {change.state} and is not edited any more. Open a new one.")
    if version is not None and version != change.version:
        raise Outdated(
            f"Change {change_id} was edited in the meantime (now version {change.version}). Read it again first."
        )
    return change


def _edited(workspace: Workspace, session: Session, change: Change, person: str, what: str) -> None:
    change.version += 1
    change.state = ChangeState.DRAFT
    change.updated_at = workspace.now()
    note(workspace, session, person, "change.edited", change.server_id, f"{change.id}: {what}")


def is_outdated(session: Session, change: Change) -> bool:
    """The latest files of the server are not those that an open change is built on.

    Files that the game rewrites automatically do not count: they differ after every stop, and are merged at the deploy.
    """
    latest = latest_snapshot(session, change.server_id)
    if change.state not in EDITABLE or latest is None or latest.id == change.base_id:
        return False
    gamebook, _ = gamebook_of(session, get_server(session, change.server_id))
    differing = differing_paths(digests(session, base_of(session, change)), digests(session, latest)).all
    return any(gamebook is None or not gamebook.is_rewritten(path) for path in differing)
