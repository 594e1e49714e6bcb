"""Bundles: plugins, mods, maps and packs."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Literal

from pydantic import BaseModel, Field

from zerrit.api.models import ConflictOut, Digest, KeyNoteOut
from zerrit.api.request_model import Number, Sent

_Path = Annotated[str, Field(min_length=1, max_length=2000)]
_Word = Annotated[str, Field(max_length=200)]


class BundleFileIn(Sent):
    """One file of a bundle, whose content was sent before."""

    path: _Path
    digest: Digest
    is_program: bool = False


class BundleIn(Sent):
    """A bundle to be kept. `digest` is that of its archive, `origin` where it was downloaded."""

    file_name: Annotated[str, Field(min_length=1, max_length=300)]
    digest: Digest
    origin: Annotated[str, Field(max_length=500)] = ""
    files: Annotated[list[BundleFileIn], Field(min_length=1, max_length=20_000)]


class BundleOut(BaseModel):
    """A kept bundle; `size` in bytes, unpacked."""

    id: int
    file_name: str
    name: str
    version: str
    origin: str
    digest: str
    size: int
    files: int
    person: str
    kept_at: datetime


class ManifestOut(BaseModel):
    """What the manifest of a bundle says; `is_guessed`: no gamebook says where its manifest is."""

    name: str
    title: str
    version: str
    needs: list[str]
    game: str
    path: str
    is_guessed: bool


class BundlePartOut(BaseModel):
    """One bundle of an archive: where its files go, and what of it is on the server.

    `why` says how it was recognised. `collisions` are on the server and belong to something else; `left_over` are files of
    the installed version that this one does not have.
    """

    root: str
    kind: str
    name: str
    why: str
    manifest: ManifestOut
    files: dict[str, str]
    made: list[str]
    settings: list[str]
    collisions: list[str]
    installed_version: str | None
    installed_state: str | None
    left_over: list[str]


class FolderOut(BaseModel):
    """A folder of an archive, with the files and bytes in it."""

    path: str
    files: int
    size: int


class InventoryOut(BaseModel):
    """What a bundle holds. `sorts` counts its files by what they are; `rest` belongs to no part."""

    name: str
    version: str
    files: int
    size: int
    sorts: dict[str, int]
    folders: list[FolderOut]
    parts: list[BundlePartOut]
    manifest: ManifestOut | None
    readme_path: str
    readme: str
    programs: list[str]
    refused: list[str]
    archives: list[str]
    rest: list[str]


class ServerBundleOut(BaseModel):
    """A bundle of a server. `edited` are files that are not as they came; null where it is not known how they came.

    `is_loaded` is null where no log of a start says it. `newer_on` are servers with a newer version, `newer_kept` the kept
    bundle that is newer.
    """

    kind: str
    name: str
    title: str
    version: str
    state: Literal["on", "off", "unclear"]
    doubt: str
    place: int | None
    needs: list[str]
    game: str
    files: list[str]
    on_paths: list[str]
    edited: list[str] | None
    is_loaded: bool | None
    newer_on: dict[str, str]
    newer_kept: int | None
    newer_version: str
    kept: int | None
    reload: str


class InstallIn(Sent):
    """Install a kept bundle. What is not said is recognised, or was chosen for another version of it.

    `part`: the folder or name of the part, where it holds several. `kind` and `name`: as what; `to`: as it is, into a folder,
    with `strip_top` without the one folder that everything is in.
    `choices` decides conflicts by address (mine, theirs, or =VALUE), `rest` all others. With `create` as a change.
    """

    bundle: Number
    part: Annotated[str, Field(max_length=2000)] | None = None
    kind: _Word = ""
    name: _Word = ""
    to: Annotated[str, Field(max_length=2000)] = ""
    strip_top: bool = False
    if_refused: Literal["fail", "leave-out"] = "fail"
    choices: dict[str, Annotated[str, Field(max_length=100_000)]] = Field(default_factory=dict)
    rest: Literal["", "mine", "theirs"] = ""
    title: _Word = ""
    create: bool = False


class PlannedStepOut(BaseModel):
    """A step as it will be: its kind, its place, and more of it in words."""

    kind: str
    address: str
    summary: str


class InstallOut(BaseModel):
    """What installing comes to; `change` was opened for it.

    `old_version` is that which it replaces, null for a new one. `left` are files of the old version that stay, with the
    reason. `is_base_known`: it is known how the installed version came, so that one's own edits are told from it.
    """

    kind: str
    name: str
    version: str
    old_version: str | None
    steps: list[PlannedStepOut]
    new: list[str]
    replaced: list[str]
    removed: list[str]
    kept: list[str]
    merged: list[str]
    left: dict[str, str]
    added: list[KeyNoteOut]
    dropped: list[KeyNoteOut]
    conflicts: list[ConflictOut]
    is_base_known: bool
    needs_off: list[str]
    needs_missing: list[str]
    refused: list[str]
    change: int | None


class SwitchIn(Sent):
    """Switch a bundle on or off; `with_needed`: also on what it needs and is off. With `create` as a change."""

    name: Annotated[str, Field(min_length=1, max_length=200)]
    kind: _Word = ""
    on: bool
    with_needed: bool = False
    create: bool = False


class RemoveBundleIn(Sent):
    """Remove a bundle with all that belongs to it; with `create` as a change."""

    name: Annotated[str, Field(min_length=1, max_length=200)]
    kind: _Word = ""
    create: bool = False


class SameBundlesIn(Sent):
    """Have the bundles on that are on at another server; with `create` as a change."""

    server: Annotated[str, Field(min_length=1, max_length=63)]
    create: bool = False


class SwitchOut(BaseModel):
    """What switching, removing or having the same set comes to; `change` was opened for it.

    `needs_off`: what it needs and is off. `needs_missing`: what it needs and is not there, with where it can be had.
    `needed_by`: what is on and needs it. `differs`: bundles of another version at the other server.
    """

    bundles: list[str]
    steps: list[PlannedStepOut]
    needs_off: list[str]
    needs_missing: dict[str, str]
    needed_by: list[str]
    differs: list[str]
    change: int | None
