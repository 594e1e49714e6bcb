"""Which bundles are on a server, and which are there and off."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

from zerrit.core.bundles.manifest import Manifest, manifest_path, read_manifest
from zerrit.core.bundles.paths import by_name, moved
from zerrit.core.documents import Document
from zerrit.core.documents.file_selection import values_at
from zerrit.core.errors import AddressInvalid

if TYPE_CHECKING:
    from zerrit.core.examination.game_files import Files
    from zerrit.core.rules.bundles import BundleRules


@dataclass(frozen=True, slots=True)
class InstalledBundle:
    """One bundle of a server. `files` are its paths as they are now, `on_paths` those that it has when it is on.

    `state` is on, off, or unclear, with the reason in `doubt`: some lists name it and others do not, or its files are in
    both places. `place` is its place in the order, from 1, where there is an order.
    """

    kind: str
    name: str
    state: str
    manifest: Manifest
    files: tuple[str, ...]
    on_paths: tuple[str, ...]
    place: int | None = None
    doubt: str = ""

    @property
    def tails(self) -> tuple[str, ...]:
        """Its paths below its own folder."""
        root = self.on_paths[0].split("/") if self.on_paths else []
        at = next((index for index, piece in enumerate(root) if piece == self.name), None)
        depth = 0 if at is None else at + 1
        return tuple("/".join(path.split("/")[depth:]) for path in self.on_paths)


def installed_bundles(kinds: Sequence[BundleRules], files: Files) -> tuple[InstalledBundle, ...]:
    """The bundles of a server by kind; those that are on in their order, then the others by name."""
    return tuple(one for rules in kinds for one in _of_kind(rules, files))


def listed_names(rules: BundleRules, documents: Mapping[str, Document]) -> list[tuple[str, list[str]]]:
    """The names in each of the lists of a kind, in their order, by the address of the list.

    An address whose file is not there has none.
    """
    found: list[tuple[str, list[str]]] = []
    for address in rules.listed:
        try:
            nodes = [node for _, node in values_at(address, documents)]
        except AddressInvalid:
            nodes = []
        names = [value for node in nodes for value in _words(node.value, [child.value for child in node.children])]
        found.append((address, names))
    return found


def _words(value: str | None, children: Sequence[str | None]) -> list[str]:
    return [word for word in ([value] if value is not None else children) if word]


def _of_kind(rules: BundleRules, files: Files) -> list[InstalledBundle]:
    paths = sorted({*files.documents, *files.others})
    on = {pattern: by_name(pattern, paths) for pattern in rules.when_on}
    off = {pattern: by_name(pattern, paths) for pattern in rules.when_off}
    beside = {pattern: by_name(pattern, paths) for pattern in rules.beside}
    lists = listed_names(rules, files.documents)
    order = {name: place for place, name in enumerate(lists[0][1], 1)} if lists else {}
    names = {name for group in (on, off) for found in group.values() for name in found}
    bundles = [_one(rules, name, files, (on, off, beside), lists, order.get(name)) for name in names]
    return sorted(bundles, key=lambda one: (one.state != "on", one.place or 0, one.name))


_Found = Mapping[str, Mapping[str, list[str]]]


def _one(
    rules: BundleRules,
    name: str,
    files: Files,
    found: tuple[_Found, _Found, _Found],
    lists: Sequence[tuple[str, list[str]]],
    place: int | None,
) -> InstalledBundle:
    on, off, beside = ([path for group in one.values() for path in group.get(name, ())] for one in found)
    back = [moved(path, name, rules.when_off, rules.when_on) for path in off]
    named = [address for address, words in lists if name in words]
    doubt = ""
    if on and off:
        state, doubt = "unclear", f"it is in {_folder(on)} and in {_folder(off)}"
    elif off:
        state = "off"
    elif not lists or len(named) == len(lists):
        state = "on"
    elif not named:
        state = "off"
    else:
        lacking = next(address for address, words in lists if name not in words)
        state, doubt = "unclear", f"{named[0]} names it, and {lacking} does not"
    own = (*on, *off, *beside)
    manifest = _manifest(rules, name, files, on=not off)
    return InstalledBundle(
        rules.kind,
        name,
        state,
        manifest,
        tuple(sorted(own)),
        tuple(sorted({*on, *back, *beside})),
        place,
        doubt,
    )


def _folder(paths: Sequence[str]) -> str:
    return paths[0].rpartition("/")[0] or paths[0]


def _manifest(rules: BundleRules, name: str, files: Files, *, on: bool) -> Manifest:
    path, inside = manifest_path(rules, name)
    if rules.manifest is None:
        return Manifest()
    if not on:
        path = moved(path, name, rules.when_on, rules.when_off)
    document = files.documents.get(path)
    data = document.to_bytes() if document is not None else files.data(path)
    if data is None:
        return Manifest()
    return read_manifest(rules.manifest, data, path, inside) or Manifest()
