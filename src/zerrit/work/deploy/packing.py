"""Packing as a part of a deploy: folders that Zerrit packs, and packed files of which a change touches what is in them."""

from __future__ import annotations

import subprocess
import tempfile
from collections.abc import Collection, Mapping
from pathlib import Path
from typing import Final

from zerrit.core.archives import unpack
from zerrit.core.checks import Files
from zerrit.core.errors import ArchiveRefused
from zerrit.core.gamebooks import Gamebook
from zerrit.core.packing import form_in, pack, sums_of, unpack_as
from zerrit.core.paths import INSIDE, pack_of
from zerrit.core.rules import PackedRule
from zerrit.core.rules.packed import unlike
from zerrit.core.wording import counted
from zerrit.records import Server, load_content, store_content
from zerrit.work.base.workspace import Workspace
from zerrit.work.deploy.journal import StageFailed

Writes = dict[str, str | None]  #: digest by path of files to write; None removes a file

PATIENCE: Final = 120.0  #: seconds that a packing command may take
_FROM_OUTPUT: Final = 300  #: characters of what a command says that are shown when it fails


def with_packed_paths(gamebook: Gamebook | None, paths: Collection[str]) -> set[str]:
    """The files that a run writes where it touches these: packed files with what is in them, and folders packed by Zerrit."""
    own = {pack_of(path) or path for path in paths}
    rules = gamebook.rules.of(PackedRule) if gamebook is not None else ()
    return own | {rule.into for rule in rules if rule.packed_by == "zerrit" and any(map(rule.is_inside, own))}


def with_packs(
    workspace: Workspace,
    server: Server,
    gamebook: Gamebook | None,
    writes: Writes,
    after: Files,
    left_out: Collection[str] = (),
) -> Writes:
    """What is to be written, with the packed files that belong to it; the files in them are none of their own.

    `left_out` are files that are not written, since the host refuses them.

    Raises StageFailed: a folder cannot be packed, or the result does not hold what the folder holds.
    """
    own = {path: digest for path, digest in writes.items() if not pack_of(path) and path not in left_out}
    if gamebook is None:
        return own
    for path in sorted({pack_of(path) for path in writes if pack_of(path)} - own.keys()):
        if path in after.others:
            changed = {inside: digest for inside, digest in writes.items() if pack_of(inside) == path}
            own[path] = _repacked(workspace, path, changed, after)
    for rule in gamebook.rules.of(PackedRule):
        if rule.packed_by == "zerrit" and any(rule.is_inside(path) for path in own):
            contents = _contents(after, f"{rule.folder.rstrip('/')}/", left_out)
            if contents:
                own[rule.into] = _packed(workspace, server, rule, contents)
            elif own.get(rule.into, "") is not None:
                raise StageFailed(
                    f"Nothing would be left in {rule.folder}, so it cannot be packed. Remove {rule.into} with the same change"
                )
    return own


def _repacked(workspace: Workspace, path: str, changed: Writes, after: Files) -> str:
    """A packed file as it is, with what changes in it."""
    data = after.data(path)
    if data is None:
        raise StageFailed(f"{path} is only watched, so nothing in it can be changed. Let the gamebook track it.")
    try:
        inside = unpack(data)
    except ArchiveRefused as error:
        raise StageFailed(f"{path} cannot be unpacked: {error}") from error
    for one, digest in changed.items():
        name = one[len(path) + len(INSIDE) :]
        if digest is None:
            inside.pop(name, None)
        else:
            with workspace.session() as session:
                inside[name] = load_content(session, digest)
    if not inside:
        raise StageFailed(f"Nothing would be left in {path}. Remove the file itself instead.")
    form = form_in(data)
    if form is None:
        raise StageFailed(
            f"{path} is packed in a way that Zerrit only reads (bzip2 or xz). Pack it as ZIP, TAR or TAR.GZ."
        )
    packed = pack(form, inside)
    _require_same(path, unpack(packed), inside)
    return _stored(workspace, packed)


def _packed(workspace: Workspace, server: Server, rule: PackedRule, contents: Mapping[str, bytes]) -> str:
    if rule.command:
        return _stored(workspace, _packed_by_command(server, rule, contents))
    form = rule.known_form
    assert form is not None  # noqa: S101 (only a command has none)
    data = pack(form, contents)
    _require_same(rule.into, unpack_as(form, data), contents)
    return _stored(workspace, data)


def _contents(after: Files, start: str, left_out: Collection[str]) -> dict[str, bytes]:
    """The files below a path, by their paths from there."""
    found: dict[str, bytes] = {}
    for path in (*after.documents, *after.others):
        if path.startswith(start) and path not in left_out:
            document = after.documents.get(path)
            data = document.to_bytes() if document is not None else after.data(path)
            if data is None:
                raise StageFailed(
                    f"{path} is only watched, so {start.rstrip('/')} cannot be packed. Let the gamebook track it."
                )
            found[path[len(start) :]] = data
    return found


def _require_same(path: str, packed: Mapping[str, bytes], contents: Mapping[str, bytes]) -> None:
    """What was packed is read back before anything is written."""
    if packed != contents:
        raise StageFailed(f"{path} was packed and does not hold what was packed; nothing was written")


def _stored(workspace: Workspace, data: bytes) -> str:
    with workspace.storing.shared(), workspace.session() as session:
        return store_content(session, data)


def _packed_by_command(server: Server, rule: PackedRule, contents: Mapping[str, bytes]) -> bytes:
    if not server.maintenance.may_pack:
        raise StageFailed(
            f"The gamebook packs {rule.folder} with a command, which the settings of {server.id} do not allow "
            f"(zerrit server set {server.id} --may-pack)"
        )
    with tempfile.TemporaryDirectory(prefix="zerrit-packing-") as scratch:
        folder, result = Path(scratch, "folder"), Path(scratch, "packed")
        for path, data in contents.items():
            target = folder.joinpath(*path.split("/"))
            target.parent.mkdir(parents=True, exist_ok=True)
            target.write_bytes(data)
        words = [word.replace("{folder}", str(folder)).replace("{file}", str(result)) for word in rule.command]
        try:
            done = subprocess.run(  # noqa: S603 (the gamebook's command, which the server's admin has allowed)
                words, cwd=scratch, stdin=subprocess.DEVNULL, capture_output=True, timeout=PATIENCE, check=False
            )
        except (OSError, subprocess.TimeoutExpired) as error:
            raise StageFailed(f"{rule.folder} could not be packed: the command {words[0]} failed ({error})") from error
        if done.returncode or not result.is_file():
            said = (done.stderr or done.stdout).decode("utf-8", "replace").strip()[:_FROM_OUTPUT]
            raise StageFailed(
                f"{rule.folder} could not be packed: the command {words[0]} ended with {done.returncode}. {said}"
            )
        return result.read_bytes()


def packed_by_host(workspace: Workspace, gamebook: Gamebook | None, digests: Mapping[str, str]) -> list[str]:
    """What the host should have packed at the start and did not, one sentence for each folder."""
    doubts: list[str] = []
    for rule in gamebook.rules.of(PackedRule) if gamebook is not None else ():
        if rule.packed_by != "host" or rule.known_form is None or not any(rule.is_inside(path) for path in digests):
            continue
        if rule.into not in digests:
            doubts.append(f"the host has not packed {rule.folder}: {rule.into} is not there")
            continue
        with workspace.session() as session:
            contents = {path: load_content(session, digest) for path, digest in digests.items() if rule.is_inside(path)}
            data = load_content(session, digests[rule.into])
        try:
            packed = sums_of(rule.known_form, data)
        except ArchiveRefused as error:
            doubts.append(f"{rule.into} cannot be read after the start: {error}")
            continue
        wrong = [said for _, said in unlike(rule, contents, packed, set(contents))]
        if wrong:
            more = f", and {counted(len(wrong) - 1, 'more file')}" if len(wrong) > 1 else ""
            doubts.append(f"the host has not packed {rule.folder} at the start: {wrong[0]}{more}")
    return doubts
