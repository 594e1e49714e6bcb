"""The manifest of a bundle: its name, its version, what it needs."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, field
from io import BytesIO
from pathlib import PurePosixPath
from typing import TYPE_CHECKING, Final

from zerrit.core.archives import ARCHIVE_ENDING, open_archive
from zerrit.core.bundles.paths import is_folder, path_for
from zerrit.core.documents import Document, Format, read_document
from zerrit.core.documents.slots import PLACE, Slot, cuts
from zerrit.core.errors import AddressInvalid, ArchiveRefused
from zerrit.core.paths import ending_of

if TYPE_CHECKING:
    from zerrit.core.rules.bundles import BundleRules, ManifestRules

#: `lamp-pack v1.4.2`: a name and a version of an archive's file name.
_VERSIONED: Final = re.compile(
    r"(?P<name>.+?)[-_ .]+v?(?P<version>\d+(?:\.\d+)*(?:[-.+]?[a-z]+\.?\d*)?)", re.IGNORECASE
)
_NUMBERS: Final = re.compile(r"v?(\d+(?:\.\d+)*)")
_BEFORE: Final = frozenset(("alpha", "beta", "dev", "pre", "preview", "rc", "snapshot", "test"))
_SEVERAL: Final = re.compile(r"\s*[,;]\s*")
_KEYS: Final = {
    "name": ("name", "id", "mod", "plugin"),
    "title": ("title", "displayname", "display-name", "display_name"),
    "version": ("version", "ver"),
    "needs": ("needs", "requires", "depends", "depend", "dependencies"),
    "game": ("game", "game-version", "game_version", "gameversion", "for"),
}
MANIFEST_ENDINGS: Final = frozenset((".yml", ".yaml", ".json", ".xml", ".ini", ".cfg", ".properties", ".txt", ".toml"))
_MOST_TRIED: Final = 40  #: files that are looked into for a manifest where no gamebook names it
_MOST_BYTES: Final = 1 << 20

Read = Callable[[str], bytes]


@dataclass(frozen=True, slots=True)
class Manifest:
    """What the manifest of a bundle says; empty where it does not. `path` is the file that says it."""

    name: str = ""
    title: str = ""
    version: str = ""
    needs: tuple[str, ...] = ()
    game: str = ""
    path: str = ""
    is_guessed: bool = field(default=False)


def name_and_version(file_name: str) -> tuple[str, str]:
    """Name and version of an archive by its file name: `lamp-pack-1.4.2.zip` is lamp-pack, 1.4.2."""
    stem = ARCHIVE_ENDING.sub("", PurePosixPath(file_name).name)
    found = _VERSIONED.fullmatch(stem)
    return (found["name"], found["version"]) if found else (stem, "")


def newer(version: str, than: str) -> bool:
    """Whether a version is newer than another one: numbers count as numbers, and one such as `2.0-beta` is before 2.0."""
    return bool(version) and bool(than) and _order(version) > _order(than)


def _order(version: str) -> tuple[tuple[int, ...], int, tuple[tuple[int, int, str], ...]]:
    found = _NUMBERS.match(version.strip().lower())
    numbers = [int(one) for one in re.findall(r"\d+", found.group(1))] if found is not None else []
    rest = version.strip().lower()[found.end() :] if found is not None else version.lower()
    while numbers and not numbers[-1]:
        numbers.pop()  # 1.0 is 1
    parts = tuple((1, int(one), "") if one.isdigit() else (0, 0, one) for one in re.findall(r"\d+|[a-z]+", rest))
    stage = 0 if not parts else -1 if parts[0][2] in _BEFORE else 1
    return tuple(numbers), stage, parts


def manifest_path(rules: BundleRules, name: str) -> tuple[str, str]:
    """Where the manifest of a bundle is on the server: the file, and the path in it where that is packed."""
    if rules.manifest is None:
        return "", ""
    file, _, inside = path_for(rules.manifest.file, name).partition("!")
    return file, inside.lstrip("/")


def read_manifest(rules: ManifestRules, data: bytes, path: str, inside: str = "") -> Manifest | None:
    """A manifest by the rules of a gamebook; `inside` is its path in a packed file. None where there is none in it."""
    if inside:
        try:
            with open_archive(BytesIO(data)) as archive:
                data = archive.read(inside) if inside in {member.path for member in archive.members} else b""
        except ArchiveRefused:
            return None
        if not data:
            return None
        path = f"{path}!/{inside}"
    document = _document(data, inside or path)
    needs = tuple(one for value in _values(document, rules.needs) for one in _SEVERAL.split(value) if one)
    first = {
        name: next(iter(_values(document, getattr(rules, name))), "") for name in ("name", "title", "version", "game")
    }
    return Manifest(first["name"], first["title"], first["version"], needs, first["game"], path)


def _document(data: bytes, path: str) -> Document:
    """The file as it is read; `name=value` lines of an ending that says nothing are settings."""
    document = read_document(data, path)
    if document.format is Format.TEXT and not document.is_binary:
        as_settings = read_document(data, path, format=Format.INI)
        if as_settings.ok and any(child.value is not None for child in as_settings.root.children):
            return as_settings
    return document


def _values(document: Document, place: str) -> list[str]:
    """The values at an address, or in the places of a slot."""
    if not place or document.is_binary:
        return []
    if PLACE in place:
        slot, text = Slot(place), document.text
        found = (cut for start, end in _lines(text) for cut in cuts(slot, text, start, end))
        return [text[cut.start : cut.end].strip().strip("\"'") for cut in found]
    try:
        nodes = document.select(place)
    except AddressInvalid:
        return []
    several = [child.value for node in nodes if node.value is None for child in node.children]
    return [value for value in (*(node.value for node in nodes), *several) if value]


def _lines(text: str) -> Iterable[tuple[int, int]]:
    return ((match.start(), match.end()) for match in re.finditer(r"[^\r\n]+", text))


def guess_manifest(paths: Sequence[str], sizes: Sequence[int], read: Read) -> Manifest | None:
    """A manifest that no gamebook describes: a file near the top in which a name and a version are."""
    near = sorted(
        (path.count("/"), path)
        for path, size in zip(paths, sizes, strict=True)
        if size <= _MOST_BYTES and ending_of(path) in MANIFEST_ENDINGS
    )
    for _, path in near[:_MOST_TRIED]:
        document = _document(read(path), path)
        if document.is_binary:
            continue
        found = {name: _guessed(document, keys) for name, keys in _KEYS.items()}
        if found["name"] and found["version"]:
            needs = tuple(one for value in found["needs"] for one in _SEVERAL.split(value) if one)
            first = {name: next(iter(values), "") for name, values in found.items()}
            return Manifest(
                first["name"], first["title"], first["version"], needs, first["game"], path, is_guessed=True
            )
    return None


def _guessed(document: Document, keys: Sequence[str]) -> list[str]:
    """The values of the first key that is there, in the file itself or one level below."""
    root = document.root
    tops = [root, *(child for child in root.children if child.children)]
    for key in keys:
        for top in tops:
            for child in top.children:
                if child.name.removeprefix("@").lower() == key:
                    values = [child.value] if child.value else [one.value for one in child.children]
                    if any(values):
                        return [value for value in values if value]
    return []


def fits_manifest(rules: BundleRules, path: str) -> tuple[str, str] | None:
    """The folder of a bundle, and no name, where a path of an archive is like that of the manifest in such a folder."""
    if rules.manifest is None:
        return None
    file = rules.manifest.file.partition("!")[0]
    homes = (one for one in (*rules.when_on, *rules.when_off) if is_folder(one))
    home = next((one for one in homes if file.startswith(f"{one}/")), None)
    if home is None:
        return None
    inner = file[len(home) + 1 :]
    if path != inner and not path.endswith(f"/{inner}"):
        return None
    return path[: -len(inner)].rstrip("/"), ""
