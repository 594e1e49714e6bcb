"""Routes of bundles: plugins, mods, maps and packs."""

from __future__ import annotations

import hashlib
from typing import Annotated

from fastapi import APIRouter, File, Form, UploadFile

from zerrit import api
from zerrit.core.archives import open_archive
from zerrit.core.steps import Step
from zerrit.core.wording import counted
from zerrit.records import Bundle
from zerrit.report.inventory import inventory
from zerrit.web.context import PersonDep, WorkspaceDep
from zerrit.work.base.workspace import Workspace
from zerrit.work.changes import bundles

router = APIRouter(
    prefix="/api/v1",
    tags=["bundles"],
    responses={"4XX": {"model": api.Problem}, "5XX": {"model": api.Problem}},
)


@router.get("/bundles")
def list_bundles(here: WorkspaceDep, _who: PersonDep) -> list[api.BundleOut]:
    """The kept bundles, the newest first."""
    with here.session() as session:
        return [_bundle(one) for one in bundles.list_bundles(session)]


@router.post("/bundles", status_code=201)
def save_bundle(given: api.BundleIn, here: WorkspaceDep, who: PersonDep) -> api.BundleOut:
    """Keep a bundle whose contents were sent before (`POST /contents`); the same archive is kept once."""
    files = [bundles.GivenFile(file.path, file.digest, file.is_program) for file in given.files]
    kept = bundles.keep_bundle(here, who.name, given.file_name, given.digest, files, origin=given.origin)
    return _read(here, kept.id)


@router.post("/bundles/archive", status_code=201)
def save_archive(
    here: WorkspaceDep,
    who: PersonDep,
    file: Annotated[UploadFile, File()],
    origin: Annotated[str, Form(max_length=500)] = "",
) -> api.BundleOut:
    """Keep a bundle from its archive (ZIP or TAR), which is unpacked here."""
    hashed = hashlib.sha256()
    while block := file.file.read(1 << 20):
        hashed.update(block)
    file.file.seek(0)
    with open_archive(file.file) as archive:
        kept = bundles.keep_archive(here, who.name, file.filename or "bundle", archive, hashed.hexdigest(), origin)
    return _read(here, kept.id)


@router.get("/bundles/{bundle_id}")
def get_bundle(bundle_id: api.Number, here: WorkspaceDep, _who: PersonDep) -> api.BundleOut:
    """A kept bundle."""
    return _read(here, bundle_id)


@router.delete("/bundles/{bundle_id}", status_code=204)
def forget_bundle(bundle_id: api.Number, here: WorkspaceDep, who: PersonDep) -> None:
    """Keep a bundle no longer; what is installed of it stays."""
    bundles.forget_bundle(here, who.name, bundle_id)


@router.get("/bundles/{bundle_id}/inventory")
def bundle_inventory(bundle_id: api.Number, here: WorkspaceDep, _who: PersonDep, server: str = "") -> api.InventoryOut:
    """What a bundle holds: files, manifest, parts; beside a server also where they go and what is there already."""
    return inventory(bundles.look(here, bundle_id, server))


@router.get("/servers/{server_id}/bundles")
def server_bundles(server_id: str, here: WorkspaceDep, _who: PersonDep) -> list[api.ServerBundleOut]:
    """The bundles of a server: version, on or off, place in the order, edited files, loaded at the last start."""
    return [_server_bundle(one) for one in bundles.server_bundles(here, server_id)]


@router.post("/servers/{server_id}/bundles/install")
def install_bundle(server_id: str, given: api.InstallIn, here: WorkspaceDep, who: PersonDep) -> api.InstallOut:
    """What installing a kept bundle comes to; with `create` a change is opened for it."""
    choice = bundles.Choice(**given.model_dump(exclude={"bundle", "title", "create"}))
    found = bundles.install(here, who.name, server_id, given.bundle, choice, title=given.title, create=given.create)
    plan = found.plan
    return api.InstallOut.model_validate(
        {
            "kind": found.placement.kind,
            "name": found.placement.name,
            "version": found.version,
            "old_version": found.old.manifest.version if found.old is not None else None,
            "steps": [_step(step) for step in plan.steps],
            **{name: list(getattr(plan, name)) for name in ("new", "replaced", "removed", "kept")},
            "merged": [merge.path for merge in plan.merges if not merge.conflicts],
            "left": dict(plan.left),
            "added": [api.KeyNoteOut.model_validate(one, from_attributes=True) for one in plan.added],
            "dropped": [api.KeyNoteOut.model_validate(one, from_attributes=True) for one in plan.dropped],
            "conflicts": [api.ConflictOut.model_validate(one, from_attributes=True) for one in plan.conflicts],
            "is_base_known": plan.is_base_known,
            "needs_off": list(found.needs_off),
            "needs_missing": list(found.needs_missing),
            "refused": list(found.refused),
            "change": found.change.id if found.change is not None else None,
        }
    )


@router.post("/servers/{server_id}/bundles/switch")
def switch_bundle(server_id: str, given: api.SwitchIn, here: WorkspaceDep, who: PersonDep) -> api.SwitchOut:
    """What switching a bundle on or off comes to; with `create` a change is opened for it."""
    return _switched(
        bundles.switch(
            here,
            who.name,
            server_id,
            given.name,
            on=given.on,
            kind=given.kind,
            with_needed=given.with_needed,
            create=given.create,
        )
    )


@router.post("/servers/{server_id}/bundles/remove")
def remove_bundle(server_id: str, given: api.RemoveBundleIn, here: WorkspaceDep, who: PersonDep) -> api.SwitchOut:
    """What removing a bundle comes to; with `create` a change is opened for it."""
    return _switched(bundles.remove(here, who.name, server_id, given.name, kind=given.kind, create=given.create))


@router.post("/servers/{server_id}/bundles/same")
def same_bundles(server_id: str, given: api.SameBundlesIn, here: WorkspaceDep, who: PersonDep) -> api.SwitchOut:
    """What it takes to have the same bundles on as another server; with `create` a change is opened for it."""
    return _switched(bundles.same_as(here, who.name, server_id, given.server, create=given.create))


# --- as answers -------------------------------------------------------------------------------------------------------


def _read(here: Workspace, bundle_id: int) -> api.BundleOut:
    with here.session() as session:
        return _bundle(bundles.get_bundle(session, bundle_id))


def _bundle(one: Bundle) -> api.BundleOut:
    named = {name: getattr(one, name) for name in api.BundleOut.model_fields if name != "files"}
    return api.BundleOut(**named, files=len(one.files))


def _server_bundle(one: bundles.ServerBundle) -> api.ServerBundleOut:
    bundle = one.bundle
    return api.ServerBundleOut.model_validate(
        {
            **{name: getattr(bundle, name) for name in ("kind", "name", "state", "doubt", "place")},
            **{name: getattr(bundle.manifest, name) for name in ("title", "version", "game")},
            "needs": list(bundle.manifest.needs),
            "files": list(bundle.files),
            "on_paths": list(bundle.on_paths),
            "edited": list(one.edited) if one.edited is not None else None,
            "is_loaded": one.is_loaded,
            "newer_on": dict(one.newer_on),
            "newer_kept": one.newer_kept[0] if one.newer_kept is not None else None,
            "newer_version": one.newer_kept[1] if one.newer_kept is not None else "",
            "kept": one.kept,
            "reload": one.reload,
        }
    )


def _switched(found: bundles.Switching) -> api.SwitchOut:
    return api.SwitchOut(
        bundles=[one.name for one in found.bundles],
        steps=[_step(step) for step in found.steps],
        needs_off=list(found.needs_off),
        needs_missing=dict(found.needs_missing),
        needed_by=list(found.needed_by),
        differs=list(found.differs),
        change=found.change.id if found.change is not None else None,
    )


def _step(step: Step) -> api.PlannedStepOut:
    more = {
        "move-file": f"to {step.target}",
        "move": f"{step.where} {step.target}",
        "put-folder": counted(len(step.files), "file"),
        "add": f"{step.name} {step.value or ''}".strip(),
        "merge-version": "what the new version changed, with your edits kept",
    }.get(step.kind.value, "")
    return api.PlannedStepOut(kind=step.kind.value, address=step.address, summary=more)
