"""Bundles as they were downloaded: kept with their origin, listed, forgotten."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Final

from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from zerrit.core.archives import MOST_MEMBERS, Archive, Member
from zerrit.core.bundles.manifest import name_and_version
from zerrit.core.errors import PathRefused
from zerrit.core.paths import safe_path
from zerrit.core.wording import counted
from zerrit.records import Bundle, BundleFile, content_sizes, known_digests, load_content
from zerrit.work.base.activity_log import note
from zerrit.work.base.errors import NotFound, Refused
from zerrit.work.base.workspace import Workspace
from zerrit.work.snapshots.contents import save_content

MOST_KEPT: Final = 2 << 30  #: bytes of all files of a bundle


@dataclass(frozen=True, slots=True)
class GivenFile:
    """A file of a bundle whose content is stored already."""

    path: str
    digest: str
    is_program: bool = False


class KeptArchive:
    """The files of a kept bundle, read like an archive."""

    def __init__(self, workspace: Workspace, bundle: Bundle) -> None:
        self._workspace = workspace
        self.digests = {file.path: file.digest for file in bundle.files}
        self.members = tuple(Member(file.path, file.size, file.is_program) for file in bundle.files)
        self.empty_folders: tuple[str, ...] = ()

    def read(self, path: str) -> bytes:
        """The bytes of a file."""
        with self._workspace.session() as session:
            return load_content(session, self.digests[path])

    def contents(self) -> Iterator[tuple[Member, bytes]]:
        """All files with their bytes, one after the other."""
        for member in self.members:
            yield member, self.read(member.path)


def keep_bundle(
    workspace: Workspace, person: str, file_name: str, digest: str, files: Sequence[GivenFile], *, origin: str = ""
) -> Bundle:
    """Keep a bundle whose contents are stored; the same archive is kept once.

    Raises Refused: it has no file, a path leaves it, or a content was not sent.
    """
    _require_sound(files)
    with workspace.storing.shared(), workspace.writing() as session:
        known = session.scalar(select(Bundle).where(Bundle.digest == digest))
        if known is not None:
            _loaded(known)
            return known
        lacking = {file.digest for file in files} - set(known_digests(session, [file.digest for file in files]))
        if lacking:
            path = next(file.path for file in files if file.digest in lacking)
            raise Refused(
                f"The content of {path} was not sent, and of {counted(len(lacking), 'file')} in all. Send it first."
            )
        sizes = content_sizes(session, [file.digest for file in files])
        name, version = name_and_version(file_name)
        bundle = Bundle(
            file_name=file_name[:300],
            name=name[:200],
            version=version[:100],
            origin=origin.strip()[:500],
            digest=digest,
            size=sum(sizes[file.digest] for file in files),
            placement={},
            person=person,
            kept_at=workspace.now(),
        )
        bundle.files = [
            BundleFile(
                path=file.path,
                position=number,
                digest=file.digest,
                size=sizes[file.digest],
                is_program=file.is_program,
            )
            for number, file in enumerate(files)
        ]
        session.add(bundle)
        session.flush()
        note(workspace, session, person, "bundle.kept", None, f"{bundle.id}: {bundle.file_name}")
    workspace.publish("bundle", {"bundle": bundle.id})
    return bundle


def _require_sound(files: Sequence[GivenFile]) -> None:
    if not files:
        raise Refused("The bundle has no file.")
    if len(files) > MOST_MEMBERS:
        raise Refused(f"The bundle has {len(files):,} files; at most {MOST_MEMBERS:,} are taken.")
    seen: set[str] = set()
    for file in files:
        try:
            folded = safe_path(file.path).casefold()
        except PathRefused as error:
            raise Refused(f"The bundle is refused: {error}") from error
        if folded in seen:
            raise Refused(f"The bundle holds `{file.path}` twice. Nothing of it was kept.")
        seen.add(folded)


def require_bounded(archive: Archive) -> None:
    """Raises Refused: unpacked, the archive would be larger than a bundle may be."""
    size = sum(member.size for member in archive.members)
    if size > MOST_KEPT:
        raise Refused(
            f"Unpacked, it has {size >> 20:,} MB; a bundle may have {MOST_KEPT >> 20:,} MB. Nothing of it was kept."
        )


def keep_archive(
    workspace: Workspace, person: str, file_name: str, archive: Archive, digest: str, origin: str
) -> Bundle:
    """Keep a bundle from its archive, one file after the other. Raises ArchiveRefused, Refused."""
    with workspace.session() as session:
        known = session.scalar(select(Bundle).where(Bundle.digest == digest))
        if known is not None:
            _loaded(known)
            return known
    require_bounded(archive)
    files = [
        GivenFile(member.path, save_content(workspace, member.path, data), member.is_program)
        for member, data in archive.contents()
    ]
    return keep_bundle(workspace, person, file_name, digest, files, origin=origin)


def _loaded(bundle: Bundle) -> None:
    """Have its files with it when its session is closed."""
    list(bundle.files)


def list_bundles(session: Session) -> list[Bundle]:
    """The kept bundles, the newest first."""
    return list(session.scalars(select(Bundle).order_by(Bundle.id.desc())))


def get_bundle(session: Session, bundle_id: int) -> Bundle:
    """A kept bundle. Raises NotFound."""
    bundle = session.get(Bundle, bundle_id)
    if bundle is None:
        raise NotFound(f"There is no bundle {bundle_id}. `zerrit bundle list` shows those that are kept.")
    _loaded(bundle)
    return bundle


def forget_bundle(workspace: Workspace, person: str, bundle_id: int) -> None:
    """Keep a bundle no longer; what is installed of it stays. Raises NotFound."""
    with workspace.writing() as session:
        bundle = get_bundle(session, bundle_id)
        note(workspace, session, person, "bundle.forgotten", None, f"{bundle.id}: {bundle.file_name}")
        session.execute(delete(Bundle).where(Bundle.id == bundle_id))
    workspace.publish("bundle", {"bundle": bundle_id})
