"""Steps on complete files and folders, of any bytes: they are put, moved and removed."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

from zerrit.core.addresses import parse_address
from zerrit.core.documents import MAX_BYTES, Document
from zerrit.core.documents.value_edits import ValueChange
from zerrit.core.errors import AddressNotFound, EditRefused
from zerrit.core.nearest import nearest
from zerrit.core.paths import folders_of, pack_of, safe_path
from zerrit.core.wording import counted

if TYPE_CHECKING:
    from zerrit.core.gamebooks import Gamebook

Read = Callable[[bytes, str], Document]  #: how a file with these bytes at a path is read
Load = Callable[[str], bytes]  #: the content with a digest; raises LookupError where it is not kept

#: What stands for the digest of a file whose content is not kept: of a watched one, only size and time are known. Before a
#: deploy replaces, moves or removes it, it is read and kept.
NOT_KEPT = ""
#: The same for one that is larger than anything that is kept.
TOO_LARGE = "-"


def other_file(digest: str | None, size: int) -> str:
    """What stands for a file that is no text."""
    return digest or (TOO_LARGE if size > MAX_BYTES else NOT_KEPT)


def no_contents(digest: str) -> bytes:
    """For steps that bring no contents along."""
    raise LookupError(digest)


@dataclass(slots=True)
class FileState:
    """The files of a server while steps are made on them: texts, and all others by the digest of their content.

    By the rules of the `gamebook`, a word that is renamed is found in other files.
    """

    read: Read
    load: Load
    documents: dict[str, Document] = field(default_factory=dict)
    others: dict[str, str] = field(default_factory=dict)
    gamebook: Gamebook | None = None
    _packs: set[str] | None = field(default=None, repr=False)  #: packed files of which files are shown

    def __contains__(self, path: str) -> bool:
        return path in self.documents or path in self.others

    def below(self, folder: str) -> list[str]:
        """Every file in a folder, and in the folders in it."""
        start = f"{folder}/"
        return sorted(path for path in (*self.documents, *self.others) if path.startswith(start))

    def put_text(self, path: str, text: str) -> list[ValueChange]:
        """The file becomes this text; one that is a text already keeps its encoding."""
        before = self.documents.get(path)
        if before is not None and before.text == text:
            return []
        old = self._described(path)
        self._require_kept(path)
        self.documents[path] = before.with_text(text) if before is not None else self.read(text.encode(), path)
        self.others.pop(path, None)
        return [ValueChange(path, old, counted(len(text.splitlines()), "line"))]

    def put(self, path: str, digest: str) -> list[ValueChange]:
        """The file becomes the content with a digest. Raises EditRefused: that content is not kept."""
        if self.others.get(path) == digest:
            return []
        try:
            data = self.load(digest)
        except LookupError as error:
            raise EditRefused(f"The content of {path} is not stored any more. Put the file again.") from error
        before = self.documents.get(path)
        if before is not None and before.to_bytes() == data:
            return []
        old = self._described(path)
        self._require_kept(path)
        self._forget_inside(path)
        document = self.read(data, path)
        if document.is_binary:
            self.documents.pop(path, None)
            self.others[path] = digest
            return [ValueChange(path, old, f"{len(data):,} bytes")]
        self.others.pop(path, None)
        self.documents[path] = document
        return [ValueChange(path, old, counted(len(document.text.splitlines()), "line"))]

    def _forget_inside(self, path: str) -> None:
        """What was in a packed file goes with it; what is in another one is known once it is on the server."""
        for inside in self._inside(path):
            self.documents.pop(inside, None)
            self.others.pop(inside, None)

    def _inside(self, path: str) -> list[str]:
        """The files in a packed file. Which there are is looked for once: a folder of thousands is put file by file."""
        if self._packs is None:
            self._packs = {pack_of(one) for one in (*self.documents, *self.others)} - {""}
        return self.below(f"{path}!") if path in self._packs else []

    def remove(self, path: str) -> ValueChange:
        """Take a file away."""
        self._require_kept(path)
        old = self._described(path)
        self._forget_inside(path)
        self.others.pop(path, None)
        self.documents.pop(path, None)
        return ValueChange(path, old, None)

    def move(self, path: str, target: str) -> ValueChange:
        """The file gets another path. Raises EditRefused: one is there already."""
        safe_path(target)
        if target in self:
            raise EditRefused(f"{target} is there already. Remove it first, or choose another name.")
        self._require_kept(path)
        for inside in self._inside(path):
            self.move(inside, target + inside[len(path) :])
        if path in self.documents:
            self.documents[target] = self.read(self.documents.pop(path).to_bytes(), target)
        else:
            self.others[target] = self.others.pop(path)
        return ValueChange(path, path, target)

    def folders(self) -> set[str]:
        """Every folder that a file is in."""
        return folders_of((*self.documents, *self.others))

    def require_no_file_in_the_place_of_a_folder(self) -> None:
        """Raises EditRefused: a path is that of a file and of a folder."""
        twice = next((path for path in sorted(self.folders()) if path in self), None)
        if twice is not None:
            raise EditRefused(f"{twice} would be a file and a folder at the same time. Choose another path.")

    def _described(self, path: str) -> str | None:
        if path in self.documents:
            return counted(len(self.documents[path].text.splitlines()), "line")
        return "a binary file" if path in self.others else None

    def _require_kept(self, path: str) -> None:
        """What a step takes away must be kept, or nothing could bring it back."""
        if self.others.get(path) == TOO_LARGE:
            raise EditRefused(
                f"{path} is larger than {MAX_BYTES >> 20} MB, the most that is kept of a file. A rollback could not bring it "
                "back, so no step replaces, moves or removes it."
            )


def put_file(state: FileState, address: str, content: str, digest: str) -> list[ValueChange]:
    """One file becomes a text, or the content with a digest."""
    path = _one_path(address)
    return state.put(path, digest) if digest else state.put_text(path, content)


def put_folder(state: FileState, address: str, files: Mapping[str, str], *, replace_all: bool) -> list[ValueChange]:
    """Files, by their paths in the folder and the digests of their contents; with `replace_all`, what else is in it goes."""
    folder = _one_path(address)
    wanted = {safe_path(f"{folder}/{inside}"): digest for inside, digest in files.items()}
    if not wanted:
        raise EditRefused("The folder has no files; nothing would be put.")
    if folder in state:
        raise EditRefused(f"{folder} is a file on the server, and not a folder.")
    changes: list[ValueChange] = []
    if replace_all:
        changes += [state.remove(path) for path in state.below(folder) if path not in wanted and not pack_of(path)]
    for path, digest in wanted.items():
        changes += state.put(path, digest)
    return changes


def move_file(state: FileState, address: str, target: str) -> list[ValueChange]:
    """A file, or a folder with all that is in it, gets another path."""
    path, new = _one_path(address), _one_path(target)
    if path in state:
        if state.below(new):
            raise EditRefused(f"{new} is a folder on the server. Write the new path of the file: {new}/{_name(path)}.")
        return [state.move(path, new)]
    inside = _required_below(state, path)
    if new == path or new.startswith(f"{path}/"):
        raise EditRefused(f"{path} cannot be moved into itself.")
    # What is in a packed file moves with it.
    return [state.move(one, new + one[len(path) :]) for one in inside if not pack_of(one)]


def remove_file(state: FileState, address: str) -> list[ValueChange]:
    """A file, or a folder with all that is in it, is taken away; one that is not there needs nothing."""
    path = _one_path(address)
    gone = [path] if path in state else [one for one in state.below(path) if not pack_of(one)]
    return [state.remove(one) for one in gone]


def _required_below(state: FileState, folder: str) -> list[str]:
    inside = state.below(folder)
    if not inside:
        close = nearest(folder, [*state.folders(), *state.documents, *state.others])
        hint = f" Nearest: {', '.join(close)}." if close else ""
        raise AddressNotFound(f"The server has no file or folder {folder}.{hint}", folder, folder, 0, close)
    return inside


def _one_path(text: str) -> str:
    address = parse_address(text.rstrip("/") or text)
    if address.segments or address.is_pattern:
        raise EditRefused(f"{text} is not one file; write the path of a file or folder alone.")
    return safe_path(address.path)


def _name(path: str) -> str:
    return path.rpartition("/")[2]
