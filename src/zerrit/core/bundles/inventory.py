"""
What is in an archive before any of it is on a server: its files, its manifest, which bundles it holds.

Only the directory of the archive is read, and the few files that say what it is.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, replace
from io import BytesIO
from typing import TYPE_CHECKING, Final

from zerrit.core.archives import Archive, Member, is_archive_name, open_archive
from zerrit.core.bundles.installed import InstalledBundle
from zerrit.core.bundles.manifest import (
    MANIFEST_ENDINGS,
    Manifest,
    fits_manifest,
    guess_manifest,
    manifest_path,
    name_and_version,
    read_manifest,
)
from zerrit.core.bundles.paths import is_folder, name_in, path_for
from zerrit.core.bundles.placement import Placement, in_folder, placed
from zerrit.core.discovery import Sort, sort_of
from zerrit.core.documents.slots import PLACE
from zerrit.core.documents.source import MAX_BYTES, decode
from zerrit.core.errors import ArchiveRefused, EditRefused, PathRefused
from zerrit.core.paths import INSIDE, ending_of, name_matches

if TYPE_CHECKING:
    from zerrit.core.rules.bundles import BundleRules

_PROGRAMS: Final = frozenset((".exe", ".dll", ".so", ".bat", ".cmd", ".com", ".msi", ".scr", ".sh", ".ps1", ".vbs"))
_PICTURES: Final = frozenset((".png", ".jpg", ".jpeg", ".gif", ".bmp", ".svg", ".webp", ".ico"))
_READABLE: Final = re.compile(r"(?:^|/)(?:read[-_ ]?me|install)[^/]*?(?:\.(?:txt|md|html?))?$", re.IGNORECASE)
_MOST_README: Final = 20_000  #: characters
_MOST_INNER: Final = 20  #: archives in an archive that are looked into
_ALIKE: Final = 0.5  #: share of the names that a bundle has in common with those that are installed

Read = Callable[[str], bytes]


@dataclass(frozen=True, slots=True)
class BundlePart:
    """One bundle in an archive. `why` says how it was recognised; `root` is its folder there.

    `settings` are the files that admins edit, `collisions` paths that are on the server and belong to something else.
    `installed` is another version of it that is there, `left_over` the files of that one which this one does not have.
    """

    root: str
    placement: Placement
    manifest: Manifest
    why: str
    settings: tuple[str, ...] = ()
    collisions: tuple[str, ...] = ()
    installed: InstalledBundle | None = None
    left_over: tuple[str, ...] = ()

    @property
    def kind(self) -> str:
        return self.placement.kind

    @property
    def name(self) -> str:
        return self.placement.name


@dataclass(frozen=True, slots=True)
class Inventory:
    """What an archive holds. `sorts` counts the files by what they are; `rest` are those that belong to no part."""

    name: str
    version: str
    files: int
    size: int
    sorts: Mapping[str, int]
    folders: tuple[tuple[str, int, int], ...]  #: folders near the top, with the files and bytes in them
    parts: tuple[BundlePart, ...]
    manifest: Manifest | None
    readme: tuple[str, str] | None
    programs: tuple[str, ...]
    refused: tuple[str, ...]
    archives: tuple[str, ...]
    rest: tuple[str, ...]


def look_into(
    archive: Archive,
    file_name: str,
    kinds: Sequence[BundleRules] = (),
    installed: Sequence[InstalledBundle] = (),
    server_paths: Iterable[str] = (),
    refused: Sequence[str] = (),
) -> Inventory:
    """Look into an archive, beside what the gamebook says and what is on a server. `refused` are patterns of its host.

    Raises ArchiveRefused: a file in it is damaged.
    """
    members = archive.members
    endings = [ending_of(member.path) for member in members]
    name, version = name_and_version(file_name)
    on_server = frozenset(server_paths)
    parts = [
        _beside_server(part, kinds, installed, on_server)
        for part in _parts(archive, name, version, kinds, installed, on_server)
    ]
    taken = {path.partition(INSIDE)[0] for part in parts for path in part.placement.files.values()}
    manifest = parts[0].manifest if len(parts) == 1 else None
    if manifest is None and not parts:
        likely = [one for one, ending in zip(members, endings, strict=True) if ending in MANIFEST_ENDINGS]
        manifest = guess_manifest([one.path for one in likely], [one.size for one in likely], archive.read)
    programs = [
        member.path for member, ending in zip(members, endings, strict=True) if member.is_program or ending in _PROGRAMS
    ]
    are_programs = set(programs)
    sorts = Counter(
        _sort(member.path, ending)
        for member, ending in zip(members, endings, strict=True)
        if member.path not in are_programs
    )
    sorts["programs"] = len(programs)
    readme = _readme(members)
    return Inventory(
        name,
        version or (manifest.version if manifest is not None else ""),
        len(members),
        sum(member.size for member in members),
        {sort: many for sort, many in sorts.items() if many},
        tuple(_folders(members)),
        tuple(parts),
        manifest,
        _text_of(archive, readme) if readme is not None else None,
        tuple(programs),
        tuple(one.path for one in members if any(name_matches(pattern, one.path) for pattern in refused))
        if refused
        else (),
        tuple(member.path for member in members if is_archive_name(member.path)),
        tuple(member.path for member in members if member.path not in taken),
    )


def _readme(members: Sequence[Member]) -> Member | None:
    """The file nearest to the top that tells people what this is."""
    listed = "\n".join(member.path for member in members).lower()
    if not any(word in listed for word in ("read", "install")):  # one look at all is quicker than a search in each
        return None
    found = (one for one in members if _READABLE.search(one.path))
    return min(found, key=lambda one: one.path.count("/"), default=None)


def _text_of(archive: Archive, member: Member) -> tuple[str, str]:
    if member.size > 1 << 20:
        return member.path, ""
    return member.path, decode(archive.read(member.path)).text[:_MOST_README]


def _sort(path: str, ending: str) -> str:
    """What a file that is no program is."""
    if is_archive_name(path):
        return "archives"
    if ending in _PICTURES:
        return "pictures"
    return _SORTS.get(sort_of(path, ending), "others")


_SORTS: Final = {Sort.SETTINGS: "settings", Sort.DATABASE: "databases", Sort.LOG: "logs"}


def _folders(members: Sequence[Member]) -> Iterator[tuple[str, int, int]]:
    direct: dict[str, list[int]] = {}
    for path, size, _ in members:
        entry = direct.setdefault(path.rpartition("/")[0], [0, 0])
        entry[0] += 1
        entry[1] += size
    counts: dict[str, list[int]] = {}
    for folder, (files, size) in direct.items():
        for near in dict.fromkeys("/".join(folder.split("/")[:depth]) for depth in (1, 2)) if folder else ():
            entry = counts.setdefault(near, [0, 0])
            entry[0] += files
            entry[1] += size
    for folder, (files, size) in sorted(counts.items()):
        yield folder, files, size


# --- recognising ------------------------------------------------------------------------------------------------------


def _parts(
    archive: Archive,
    name: str,
    version: str,
    kinds: Sequence[BundleRules],
    installed: Sequence[InstalledBundle],
    on_server: frozenset[str],
) -> list[BundlePart]:
    paths = [member.path for member in archive.members]
    found = list(_as_on_server(archive, kinds, paths)) if kinds else []
    taken = {path for part in found for path in part.placement.files.values()}
    left = [path for path in paths if path not in taken]
    found += _by_manifest(archive, kinds, left, name, version)
    taken = {path for part in found for path in part.placement.files.values()}
    left = [path for path in paths if path not in taken]
    if not found and kinds:
        found += _by_likeness(archive, kinds, left, installed, name, version)
    if not found:
        found += _in_archives(archive, kinds, installed, on_server)
    if not found and on_server:
        found += _by_folders(left, on_server)
    return found


def _in_archives(
    archive: Archive, kinds: Sequence[BundleRules], installed: Sequence[InstalledBundle], on_server: frozenset[str]
) -> Iterator[BundlePart]:
    """Bundles in the archives that an archive holds, one level deep."""
    if isinstance(archive, _Inner):
        return
    inner = [one for one in archive.members if is_archive_name(one.path) and one.size <= MAX_BYTES]
    for member in inner[:_MOST_INNER]:
        with opened_inside(archive, member.path) as opened:
            name, version = name_and_version(member.path)
            for part in _parts(opened, name, version, kinds, installed, on_server) if opened is not None else ():
                files = {path: f"{member.path}{INSIDE}{inside}" for path, inside in part.placement.files.items()}
                root = f"{member.path}{INSIDE}{part.root}".rstrip("/")
                yield replace(part, root=root, placement=replace(part.placement, files=files))


class _Inner:
    """An archive that was in another one; what is in archives in it is not looked at."""

    empty_folders = ()

    def __init__(self, archive: Archive) -> None:
        self.members, self.read, self.contents = archive.members, archive.read, archive.contents


@contextmanager
def opened_inside(archive: Archive, path: str) -> Iterator[Archive | None]:
    """An archive in an archive; None where it cannot be read."""
    try:
        with open_archive(BytesIO(archive.read(path))) as opened:
            yield _Inner(opened)
    except ArchiveRefused:
        yield None


def _as_on_server(archive: Archive, kinds: Sequence[BundleRules], paths: Sequence[str]) -> Iterator[BundlePart]:
    """Bundles that are in the archive as they are on the server, perhaps below another folder."""
    files: dict[tuple[int, str, str], dict[str, str]] = {}
    for path in paths:
        place = next(_places_on_server(kinds, path), None)
        if place is not None:
            number, prefix, name, target = place
            files.setdefault((number, prefix, name), {})[target] = path
    for (number, prefix, name), placed_files in files.items():
        rules = kinds[number]
        placement = Placement(rules.kind, name, placed_files)
        manifest = _manifest(archive.read, rules, placement)
        yield BundlePart(
            prefix, placement, manifest, f"it is in the archive as bundles of the kind {rules.kind} are on the server"
        )


def _places_on_server(kinds: Sequence[BundleRules], path: str) -> Iterator[tuple[int, str, str, str]]:
    """Number of the kind, folder above, name and path on the server, for each way in which a path is like one there."""
    pieces = path.split("/")
    for start in range(len(pieces)):
        inner = "/".join(pieces[start:])
        for number, rules in enumerate(kinds):
            for pattern, target in (
                *zip(rules.when_on, rules.when_on, strict=True),
                *zip(rules.when_off, rules.when_on[: len(rules.when_off)], strict=True),
            ):
                name = name_in(pattern, inner) if _is_telling(pattern) else None
                if name is not None:
                    tail = inner[len(path_for(pattern, name)) :]
                    yield number, "/".join(pieces[:start]), name, path_for(target, name) + tail
            for pattern in rules.beside:
                name = name_in(pattern, inner) if _is_telling(pattern) else None
                if name is not None:
                    yield number, "/".join(pieces[:start]), name, inner


def _is_telling(pattern: str) -> bool:
    """Something is before the name, so that not every path fits."""
    return not pattern.startswith(PLACE)


def _manifest(read: Read, rules: BundleRules, placement: Placement) -> Manifest:
    path, inside = manifest_path(rules, placement.name)
    if rules.manifest is None or path not in placement.files:
        return Manifest()
    return read_manifest(rules.manifest, read(placement.files[path]), path, inside) or Manifest()


def _by_manifest(
    archive: Archive, kinds: Sequence[BundleRules], paths: Sequence[str], name: str, version: str
) -> Iterator[BundlePart]:
    """Bundles that are known by their manifest, or by a file with the ending of their kind."""
    taken: set[str] = set()
    for rules in kinds:
        for root, own in _roots(rules, paths):
            if any(not one or root == one or root.startswith(f"{one}/") for one in taken):
                continue
            known = own or _own_name(archive.read, rules, root, paths) or root.rpartition("/")[2] or name
            known = name_and_version(known)[0] if not own and known == root.rpartition("/")[2] else known
            try:
                placement = placed(rules, known, root, paths, version=version)
            except (EditRefused, PathRefused):
                continue
            if is_folder(rules.when_on[0]):
                taken.add(root)
            manifest = _manifest(archive.read, rules, placement)
            yield BundlePart(root, placement, manifest, f"it has the files of the kind {rules.kind}")


def _roots(rules: BundleRules, paths: Sequence[str]) -> list[tuple[str, str]]:
    """The folders in which a bundle of a kind is, with its name where the files say it; the outermost first."""
    found: dict[tuple[str, str], None] = {}
    main = rules.when_on[0]
    for path in sorted(paths, key=lambda one: (one.count("/"), one)):
        if is_folder(main):
            fits = fits_manifest(rules, path)
        else:
            folder, _, base = path.rpartition("/")
            own = name_in(main.rpartition("/")[2], base)
            fits = (folder, own) if own is not None else None
        if fits is not None:
            found[fits] = None
    return list(found)


def _own_name(read: Read, rules: BundleRules, root: str, paths: Sequence[str]) -> str:
    """The name that the manifest in a folder says."""
    if rules.manifest is None:
        return ""
    file = rules.manifest.file.partition("!")[0].rpartition("{}/")[2]
    path = f"{root}/{file}" if root else file
    if path not in paths:
        return ""
    inside = rules.manifest.file.partition("!")[2].lstrip("/")
    manifest = read_manifest(rules.manifest, read(path), path, inside)
    return manifest.name if manifest is not None else ""


def _by_likeness(
    archive: Archive,
    kinds: Sequence[BundleRules],
    paths: Sequence[str],
    installed: Sequence[InstalledBundle],
    name: str,
    version: str,
) -> Iterator[BundlePart]:
    """A folder whose files are called as those of the bundles that are installed."""
    tops = sorted({path.partition("/")[0] for path in paths if "/" in path})
    loose = [path for path in paths if "/" not in path and not _READABLE.search(path)]
    for root in [""] if loose or not tops else tops:
        tails = {path[len(root) :].lstrip("/") for path in paths if not root or path.startswith(f"{root}/")}
        best: tuple[float, BundleRules] | None = None
        for rules in kinds:
            known = {tail for one in installed if one.kind == rules.kind for tail in one.tails}
            share = len(tails & known) / len(tails) if tails and is_folder(rules.when_on[0]) else 0.0
            if share >= _ALIKE and (best is None or share > best[0]):
                best = share, rules
        if best is None:
            continue
        rules = best[1]
        own = name_and_version(root)[0] if root else name
        try:
            placement = placed(rules, own, root, paths, version=version)
        except (EditRefused, PathRefused):
            continue
        why = f"its files are called as those of installed bundles of the kind {rules.kind}"
        yield BundlePart(root, placement, _manifest(archive.read, rules, placement), why)


def _by_folders(paths: Sequence[str], on_server: frozenset[str]) -> Iterator[BundlePart]:
    """Without a known kind: folders that are called as folders of the server go into those."""
    there = {path.partition("/")[0] for path in on_server if "/" in path}
    for root in _outer(paths):
        tops = {
            path[len(root) :].lstrip("/").partition("/")[0]
            for path in paths
            if path.startswith(root) and "/" in path[len(root) :].lstrip("/")
        }
        known = tops & there
        if known:
            fitting = [
                path
                for path in paths
                if path.startswith(root) and path[len(root) :].lstrip("/").partition("/")[0] in known
            ]
            placement = in_folder("", root, fitting)
            why = f"it has folders that the server has: {', '.join(sorted(known))}"
            yield BundlePart(root, replace(placement, name=root.rpartition("/")[2]), Manifest(), why)
            return


def _outer(paths: Sequence[str]) -> list[str]:
    """The top of the archive, and the one folder that all is in, if there is one."""
    tops = {path.partition("/")[0] for path in paths}
    only = next(iter(tops)) if len(tops) == 1 and all("/" in path for path in paths) else ""
    return ["", only] if only else [""]


# --- beside a server --------------------------------------------------------------------------------------------------


def _beside_server(
    part: BundlePart, kinds: Sequence[BundleRules], installed: Sequence[InstalledBundle], on_server: frozenset[str]
) -> BundlePart:
    rules = next((one for one in kinds if one.kind == part.kind), None)
    old = next((one for one in installed if one.kind == part.kind and one.name == part.name), None)
    own = set(old.on_paths) if old is not None else set()
    paths = part.placement.paths
    return replace(
        part,
        settings=tuple(path for path in paths if is_setting(rules, path)),
        collisions=tuple(path for path in paths if path in on_server and path not in own),
        installed=old,
        left_over=tuple(sorted(own - set(paths))),
    )


def is_setting(rules: BundleRules | None, path: str) -> bool:
    """Whether an admin edits the file: as the kind says, else by its ending."""
    if rules is not None and rules.settings:
        return any(name_matches(pattern, path) for pattern in rules.settings)
    is_manifest = rules is not None and rules.manifest is not None and name_in(rules.manifest.file, path) is not None
    return sort_of(path) is Sort.SETTINGS and not is_manifest
