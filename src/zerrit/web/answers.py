"""From records and values of the core to the shapes of the API."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import fields, replace
from datetime import UTC, datetime
from decimal import Decimal
from hashlib import sha256
from typing import Final, Literal, TypeVar

from sqlalchemy import ColumnElement, Select, func, select, true
from sqlalchemy.orm import Session

from zerrit import api
from zerrit.core.compare import Difference
from zerrit.core.documents import Finding
from zerrit.core.documents.value_edits import ValueChange
from zerrit.core.gamebooks.absent_settings import AbsentSetting
from zerrit.core.merge import plan_in_words
from zerrit.core.states import ChangeState, RunState, result_of
from zerrit.core.steps import Outcome, Step
from zerrit.core.wording import counted
from zerrit.records import Change, PendingEffect, Person, Run, RunEvidence, RunFile, Server, Snapshot, SnapshotFile
from zerrit.records import Step as StepRow
from zerrit.work.base import run_records
from zerrit.work.browse import entry_table, file_browser, state_comparison
from zerrit.work.changes import changes as change_work
from zerrit.work.changes import typed_text, upgrades
from zerrit.work.changes.changes import Preview, SeenMerge
from zerrit.work.changes.finding_status import JudgedFinding, place_of
from zerrit.work.deploy import run_requests
from zerrit.work.deploy.stages import BEFORE_WRITING, StageName
from zerrit.work.servers import servers


def server(session: Session, row: Server) -> api.ServerOut:
    """A server as it is answered."""
    return all_servers(session, [row])[0]


def all_servers(session: Session, rows: Sequence[Server]) -> list[api.ServerOut]:
    """Servers as they are answered; a few queries for all of them, since an overview of 30 is looked at all the time."""
    ids = [row.id for row in rows]
    latest = _newest_of_each(session, Snapshot, ids, Snapshot.kind == "server")
    last_runs = _newest_of_each(session, Run, ids, true())
    files = _file_counts(session, [one.id for one in latest.values()])
    named = select(Snapshot.server_id, Snapshot.label).where(
        Snapshot.server_id.in_(ids), Snapshot.kind == "defaults", Snapshot.label.is_not(None)
    )
    defaults: dict[str, list[str]] = {}
    for server_id, label in session.execute(named.order_by(Snapshot.id.desc())):
        defaults.setdefault(server_id, []).append(label or "")
    is_open = Change.state.in_((ChangeState.DRAFT, ChangeState.CHECKED))
    counted = select(Change.server_id, func.count(Change.id)).where(Change.server_id.in_(ids), is_open)
    open_changes = _by_first(session, counted.group_by(Change.server_id))
    pending = _pending(session, ids)
    return [
        api.ServerOut(
            id=row.id,
            title=row.title,
            gamebook=row.gamebook,
            connection=row.connection,
            control=row.control,
            database=row.database,
            maintenance=row.maintenance,
            notes=servers.notes_of(row),
            files=files.get(latest[row.id].id, 0) if row.id in latest else 0,
            last_snapshot=_snapshot(latest[row.id], files) if row.id in latest else None,
            defaults=defaults.get(row.id, []),
            open_changes=open_changes.get(row.id, 0),
            pending=pending[row.id],
            last_run=run(last_runs[row.id]) if row.id in last_runs else None,
        )
        for row in rows
    ]


K = TypeVar("K")
_Owned = TypeVar("_Owned", Snapshot, Run)


def _newest_of_each(
    session: Session, kind: type[_Owned], server_ids: Sequence[str], which: ColumnElement[bool]
) -> dict[str, _Owned]:
    """The newest record of each server, of those that `which` is true of."""
    newest = select(func.max(kind.id)).where(kind.server_id.in_(server_ids), which).group_by(kind.server_id)
    return {one.server_id: one for one in session.scalars(select(kind).where(kind.id.in_(newest)))}


def snapshot(session: Session, row: Snapshot) -> api.SnapshotOut:
    """A snapshot as it is answered."""
    return all_snapshots(session, [row])[0]


def all_snapshots(session: Session, rows: Sequence[Snapshot]) -> list[api.SnapshotOut]:
    """Snapshots as they are answered."""
    files = _file_counts(session, [row.id for row in rows])
    return [_snapshot(row, files) for row in rows]


def _snapshot(row: Snapshot, files: Mapping[int, int]) -> api.SnapshotOut:
    return api.SnapshotOut(
        id=row.id,
        server=row.server_id,
        kind=_snapshot_kind(row.kind),
        label=row.label,
        reason=row.reason,
        pinned=row.pinned,
        is_good=row.is_good,
        taken_at=row.taken_at,
        files=files.get(row.id, 0),
    )


def _snapshot_kind(kind: str) -> Literal["server", "defaults", "imported"]:
    return "defaults" if kind == "defaults" else "imported" if kind == "imported" else "server"


def _file_counts(session: Session, snapshot_ids: Sequence[int]) -> dict[int, int]:
    """How many files each snapshot has, where it has any."""
    of_each = select(SnapshotFile.snapshot_id, func.count()).where(SnapshotFile.snapshot_id.in_(snapshot_ids))
    return _by_first(session, of_each.group_by(SnapshotFile.snapshot_id))


def _by_first(session: Session, query: Select[K, int]) -> dict[K, int]:
    return {first: number for first, number in session.execute(query)}  # noqa: C416  # rows are no pairs to a type checker


def change(row: Change) -> api.ChangeOut:
    """A change as lists show it."""
    return api.ChangeOut(
        id=row.id,
        server=row.server_id,
        title=row.title,
        state=row.state,
        base=row.base_id,
        author=row.author,
        version=row.version,
        steps=len(row.steps),
        created_at=row.created_at,
        updated_at=row.updated_at,
    )


def person(row: Person) -> api.PersonOut:
    """Someone who may sign in."""
    return api.PersonOut(name=row.name, role=row.role, may_change=row.may_change)


def change_detail(session: Session, row: Change, seen: Preview, beyond: list[str]) -> api.ChangeDetail:
    """A change with everything that its page shows."""
    new = [judged for judged in seen.findings if judged.is_new]
    own_runs = run_records.runs_of_change(session, row.id)
    return api.ChangeDetail(
        **change(row).model_dump(),
        step_list=[step(s, came) for s, came in zip(row.steps, seen.replayed.outcomes, strict=True)],
        findings=[judged_finding(judged) for judged in new],
        old_findings=len(seen.findings) - len(new),
        fixed=[finding(one) for one in seen.fixed],
        touched=sorted(seen.replayed.touched),
        blocking=seen.blocking,
        effects=[api.EffectOut(takes_effect=e.takes_effect, addresses=list(e.addresses)) for e in seen.effects],
        checklist_preview=list(seen.looks),
        is_outdated=change_work.is_outdated(session, row),
        runs=[run(r) for r in own_runs],
        checklist=[api.ChecklistItemOut.model_validate(look, from_attributes=True) for look in row.checklist],
        pending=[api.PendingOut.model_validate(wait, from_attributes=True) for wait in row.pending],
        beyond_rights=beyond,
    )


def step(row: StepRow, came: Outcome) -> api.StepOut:
    """A step with what it did."""
    return api.StepOut(
        id=row.id,
        position=row.position,
        kind=row.kind,
        address=row.address,
        summary=_summary(row),
        author=row.author,
        outcome=outcome(came),
    )


def step_as_given(step: Step) -> api.StepIn:
    """A step as it was sent."""
    given = {one.name: getattr(step, one.name) for one in fields(step)}
    return api.StepIn.model_validate(
        given | {"kind": step.kind.value, "fields": dict(step.fields), "choices": dict(step.choices)}
    )


PAGE: Final = 20_000  #: places of a step that are answered at once


def outcome(found: Outcome, offset: int = 0) -> api.OutcomeOut:
    """What a step did, of very many places a page."""
    return api.OutcomeOut(
        kind=found.kind.value,
        message=found.message,
        notes=list(found.notes),
        changes=value_changes(found.changes[offset : offset + PAGE]),
        places=len(found.changes),
        offset=offset,
    )


def replayed(server_id: str, found: change_work.ReplayedElsewhere) -> api.ReplayOut:
    """What the steps of a change would do on another server."""
    return api.ReplayOut(
        server=server_id,
        steps=[
            api.ReplayedStepOut(position=number, kind=step.kind.value, address=step.address, outcome=outcome(one))
            for number, (step, one) in enumerate(zip(found.steps, found.outcomes, strict=True), 1)
        ],
        findings=[judged_finding(judged) for judged in found.findings],
        change=found.change.id if found.change else None,
    )


def upgrade(found: upgrades.Upgrade) -> api.UpgradeOut:
    """What an upgrade changes, merges and leaves to decide."""
    return api.UpgradeOut(
        server=found.server,
        old=found.old,
        new=found.new,
        files=[_upgrade_file(file) for file in found.files],
        conflicts=[api.ConflictOut.model_validate(conflict, from_attributes=True) for conflict in found.conflicts],
        remaining=list(found.remaining),
    )


def _upgrade_file(file: upgrades.UpgradeFile) -> api.UpgradeFileOut:
    merged = file.merge.merged
    return api.UpgradeFileOut.model_validate(
        {
            "path": file.path,
            "state": file.state.value,
            "vendor": [difference(one) for one in file.vendor],
            "own": [difference(one) for one in file.own],
            "applied": value_changes(merged.applied) if merged else [],
            "left": list(merged.left) if merged else [],
            "conflicts": len(file.merge.conflicts),
            "added": [api.KeyNoteOut.model_validate(one, from_attributes=True) for one in file.added],
            "dropped": [api.KeyNoteOut.model_validate(one, from_attributes=True) for one in file.dropped],
        }
    )


def _summary(row: StepRow) -> str:
    """What the step does, apart from its address, in a few words."""
    given = change_work.step_of(row)
    match row.kind:
        case "set":
            return given.operation
        case "add" if given.value is not None:
            return f"{given.name}: {given.value}".removeprefix(": ")
        case "add":
            return f"{given.name} " + ", ".join(f"{name} {value}" for name, value in given.fields.items())
        case "copy":
            return f"as {given.key}" + (" throughout" if given.throughout else "")
        case "rename":
            return f"to {given.name}" + (" throughout" if given.throughout else "")
        case "move":
            return f"{given.where} {given.target}"
        case "merge":
            lines = (
                f"a snippet of {counted(len(given.snippet.splitlines()), 'line')} (SHA-256 {_digest(given.snippet)}…)"
            )
            return f"{lines} from {given.origin}" if given.origin else lines
        case "copy-fields":
            return f"to {given.target}: {', '.join(given.names) or 'all fields'}"
        case "merge-version":
            return "what the other version changed"
        case "comment":
            return "comment removed" if not given.content else given.content.splitlines()[0].strip()
        case "text":
            return f"{counted(len(given.replacements), 'place')} replaced"
    return _file_summary(given)


def _file_summary(given: Step) -> str:
    """The same of a step on complete files."""
    match given.kind:
        case "put-file" if given.digest:
            return f"SHA-256 {given.digest[:12]}…" + (", executable" if given.executable else "")
        case "put-file":
            return counted(len(given.content.splitlines()), "line") + (", executable" if given.executable else "")
        case "put-folder":
            also = f" and {counted(len(given.folders), 'empty folder')}" if given.folders else ""
            return (
                counted(len(given.files), "file")
                + also
                + (", in place of all that is there" if given.replace_all else "")
            )
        case "set-executable":
            return "on" if given.executable else "off"
        case "move-file":
            return f"to {given.target}"
    return ""


def _digest(text: str) -> str:
    """The beginning of the hash, by which a published snippet is known again."""
    return sha256(text.encode()).hexdigest()[:12]


def value_changes(found: Iterable[ValueChange]) -> list[api.ValueChangeOut]:
    """Places with their old and new values."""
    return [api.ValueChangeOut(address=c.address, old=c.old, new=c.new) for c in found]


def place(found: file_browser.Place) -> api.ShownOut:
    """A place in a file with its text and comment."""
    apart = ("findings", "absent")
    known = {field.name: getattr(found, field.name) for field in fields(found) if field.name not in apart}
    path = found.address.partition("#")[0]
    return api.ShownOut(**known, findings=[finding(one) for one in found.findings], absent=absent(path, found.absent))


def absent(path: str, settings: Iterable[AbsentSetting]) -> list[api.AbsentOut]:
    """Known settings that a file does not have."""
    return [
        api.AbsentOut.model_validate(replace(one, parent=f"{path}#{one.parent}"), from_attributes=True)
        for one in settings
    ]


def finding(found: Finding) -> api.FindingOut:
    """A finding of a file alone."""
    return api.FindingOut(
        code=found.code,
        severity=found.severity.value,
        message=found.message,
        path=found.path,
        line=found.line,
        column=found.column,
        address=found.address,
        hint=found.hint,
        waiver_address=place_of(found),
        blocks=found.blocks,
        rule=found.rule,
        reason=found.reason,
    )


def judged_finding(judged: JudgedFinding) -> api.FindingOut:
    """A finding with what it means for a change: new, shipped, waived, blocking."""
    waived = f"{judged.waiver.author}: {judged.waiver.reason}" if judged.waiver else None
    return finding(judged.finding).model_copy(
        update={
            "is_new": judged.is_new,
            "blocks": judged.blocks,
            "waived": waived,
            "is_shipped": judged.is_shipped,
        }
    )


def merge_plan(seen: SeenMerge) -> api.MergePlanOut:
    """The plan of a merge, entry by entry."""
    plan = seen.plan
    actions = [
        api.MergeActionOut(
            kind=a.kind.value,
            address=a.address,
            line=a.line,
            reason=a.reason,
            result=a.result,
            changes=value_changes(a.changes),
            is_taken=number not in plan.left_out,
            older=seen.older.get(number, ""),
        )
        for number, a in enumerate(plan.actions)
    ]
    return api.MergePlanOut(actions=actions, notes=list(plan.notes), words=plan_in_words(plan))


def difference(found: Difference) -> api.DifferenceOut:
    """One difference."""
    return api.DifferenceOut(
        kind=found.kind.value, address=found.address, old=found.old, new=found.new, delta=found.delta, entry=found.entry
    )


def comparison(found: state_comparison.Comparison) -> api.ComparisonOut:
    """The differences between two states."""
    return api.ComparisonOut(
        old=found.old_name,
        new=found.new_name,
        notes=list(found.notes),
        differences=[difference(d) for d in found.differences],
        texts=[api.TextDifferenceOut(path=path, text=text) for path, text in found.texts.items()],
        sides=api.SidesOut.model_validate(found.sides, from_attributes=True) if found.sides is not None else None,
    )


def _pending(session: Session, server_ids: Sequence[str]) -> Counter[str]:
    """How many values of each server wait for something before they take effect."""
    waiting = (
        select(Change.server_id, PendingEffect.addresses)
        .join(Change, Change.id == PendingEffect.change_id)
        .where(Change.server_id.in_(server_ids), PendingEffect.in_effect_at.is_(None))
    )
    pending: Counter[str] = Counter()
    for server_id, addresses in session.execute(waiting):
        pending[server_id] += len(addresses)
    return pending


def run(row: Run, live_log: str = "") -> api.RunOut:
    """A run with its stages and its evidence, and what its game says just now."""
    known = set(api.EvidenceOut.model_fields)
    return api.RunOut.model_validate(
        {
            "id": row.id,
            "server": row.server_id,
            "kind": row.kind,
            "state": row.state,
            "result": result_of(row.kind, RunState(row.state), has_written=_has_written(row)),
            "stage": row.stage,
            "asks": row.asks,
            "cancelled_by": row.cancelled_by,
            "on_cancel": run_requests.on_cancel(row),
            "changes": row.change_ids,
            "target": row.target_id,
            "before": row.before_id,
            "after": row.after_id,
            "person": row.person,
            "started_at": row.started_at,
            "ended_at": row.ended_at,
            "outcome": row.outcome,
            "stages": [api.StageOut.model_validate(stage, from_attributes=True) for stage in row.stages],
            "files": [api.RunFileOut(path=file.path, kind=_kind_of(file)) for file in row.files],
            "evidence_files": [_evidence_file(one) for one in row.written_by_start],
            "evidence": row.evidence.model_dump(include=known),
            "live_log": live_log,
        }
    )


def _evidence_file(row: RunEvidence) -> api.EvidenceFileOut:
    return api.EvidenceFileOut(
        path=row.path,
        kind="added" if row.kind == "added" else "changed",
        size=row.size,
        modified=datetime.fromtimestamp(row.modified, UTC),
        is_kept=row.digest is not None,
        note=row.note,
    )


def _has_written(row: Run) -> bool:
    """A run that failed got as far as writing, so the files may be other ones than before."""
    at = row.evidence.failed_at
    return not at or StageName(at) not in BEFORE_WRITING


def _kind_of(file: RunFile) -> Literal["changed", "added", "removed"]:
    if file.new is None:
        return "removed"
    return "changed" if file.old is not None else "added"


def _plain(number: Decimal | None) -> str:
    return format(number, "f") if number is not None else ""


def offered_fix(found: typed_text.OfferedFix | None) -> api.OfferedFixOut | None:
    """The safe fixes of a file as one edit."""
    return api.OfferedFixOut.model_validate(found, from_attributes=True) if found is not None else None


def address_in_text(found: file_browser.TextPlace) -> api.AddressOut:
    """The entry or field at a place in a text."""
    known = _column(found.column) if found.column is not None and found.column.rules is not None else None
    return api.AddressOut(
        address=found.address,
        kind=found.kind,
        value=found.value,
        line=found.line,
        last_line=found.last_line,
        known=known,
    )


def entries(path: str, found: entry_table.EntryPage) -> api.EntriesOut:
    """The entries of a file as rows of cells."""
    rows = [
        api.RowOut(
            address=r.address,
            trail=r.trail,
            line=r.line,
            comment=r.comment,
            cells=dict(r.cells),
            parts={kind: list(keys) for kind, keys in r.parts.items()},
            changed=sorted(r.changed),
            findings=dict(r.findings),
            known=_column(r.known) if r.known is not None and r.known.rules is not None else None,
        )
        for r in found.rows
    ]
    columns = [_column(column) for column in found.columns]
    return api.EntriesOut(
        kinds=dict(found.kinds),
        kind=found.kind,
        columns=columns,
        parts=list(found.parts),
        rows=rows,
        total=found.total,
        matching=found.matching,
        offset=found.offset,
        is_complete=found.is_complete,
        absent=absent(path, found.absent),
    )


def _column(column: file_browser.Column) -> api.ColumnOut:
    rules = column.rules
    return api.ColumnOut(
        field=column.field,
        kind=(rules.kind if rules else "") or "",
        least=_plain(rules.min) if rules else "",
        most=_plain(rules.max) if rules else "",
        note=rules.note if rules else "",
        allowed=file_browser.allowed_text(column),
        words=list(column.words),
    )
